"""Laid items: painting in any perspective, lines to walk along, data that is refused."""

import json
import math

import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from pydantic import ValidationError

from conftest import LINK, encoded, photograph
from nimble_tile.cli import main
from nimble_tile.core.additions import Backing, Caption, Layout, Logo, Logos, Surround
from nimble_tile.core.arrange import first_place, place_in
from nimble_tile.core.caption.curves import Guide, flattened, letters, on_guide
from nimble_tile.core.caption.fonts import line
from nimble_tile.core.caption.lay import _with_head
from nimble_tile.core.caption.surround import Lengths, outline
from nimble_tile.core.errors import PictureError
from nimble_tile.core.laid.items import Shape, Stamp, together
from nimble_tile.core.laid.paint import as_stamp, cover, painted, smaller
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.picture.warping import matrix_to
from nimble_tile.core.symbol.looks.paths import circle, rounded
from test_logo import SVG

# Painting ------------------------------------------------------------------------


def test_painting_in_perspective_is_what_opencv_makes_of_it():
    """A stamp through skia's matrix against the same picture through warpPerspective."""
    photo = photograph("chelsea")[:300, :300]
    rgba = np.dstack([photo, np.full((300, 300), 255, np.uint8)])
    quad = np.array([[60, 40], [330, 70], [300, 350], [40, 300.0]])
    ground = np.full((400, 400, 3), 255, np.uint8)
    ours = painted(ground, [Stamp("logo", 0, rgba, (5, 5), 10, 10)], matrix_to(quad, 10), 28)
    theirs = cv2.warpPerspective(
        photo, cv2.getPerspectiveTransform(
            np.float32([[0, 0], [300, 0], [300, 300], [0, 300]]), np.float32(quad)
        ), (400, 400), flags=cv2.INTER_LINEAR, borderValue=(255, 255, 255),
    )  # fmt: skip
    assert np.abs(ours.astype(int) - theirs).mean() < 2.5
    assert (ours[:30] == 255).all() and (ours[:, 345:] == 255).all()


def test_painting_with_alpha_is_source_over():
    """Against Pillow's alpha_composite (W3C Compositing, source over)."""
    rng = np.random.default_rng(1)
    below = rng.integers(0, 256, (40, 40, 4), np.uint8)
    above = rng.integers(0, 256, (40, 40, 4), np.uint8)
    ours = painted(below, [Stamp("logo", 0, above, (20, 20), 40, 40)], np.eye(3), 1)
    theirs = np.array(Image.alpha_composite(Image.fromarray(below), Image.fromarray(above)))
    assert np.abs(ours[..., 3].astype(int) - theirs[..., 3]).max() <= 2
    seen = theirs[..., 3] > 60
    assert np.abs(ours[seen].astype(int) - theirs[seen]).mean() < 2


def test_nothing_outside_an_items_reach_is_touched():
    image = photograph("coffee")
    item = Shape("plate", 0, circle(3, 3, 1), "#ff0000", stroke=0.2)
    out = painted(image, [item], np.diag([20.0, 20, 1]), 20)
    changed = np.argwhere((out != image).any(2))
    assert changed.min() >= 36 and changed.max() <= 84
    away = np.array([[20.0, 0, -900], [0, 20, 0], [0, 0, 1]])
    assert painted(image, [item], away, 20) is image
    assert painted(image, [], np.eye(3), 1) is image


def test_a_soft_shape_and_its_stamp_are_alike():
    item = Shape("plate", 0, rounded(2, 2, 6, 4, (1, 1, 1, 1)), "#336699", soft=1.5)
    matrix = np.diag([20.0, 20, 1])
    ground = np.full((180, 220, 3), 255, np.uint8)
    direct = painted(ground, [item], matrix, 20)
    stamped = painted(ground, [as_stamp(item)], matrix, 20)
    assert np.abs(direct.astype(int) - stamped).max() <= 12
    # A blurred edge: half its colour where the edge is (40 pixels from the left), all of it a
    # module and a half inside, none as far outside, and never back.
    for row in (direct[80, :101, 0].astype(int), stamped[80, :101, 0].astype(int)):
        assert abs(row[39:41].mean() - (255 + 0x33) / 2) <= 6
        assert row[:11].min() >= 252 and row[70:].max() <= 0x33 + 3
        assert np.all(np.diff(row) <= 0)


def test_reduced_stamps_average_premultiplied_colours():
    rgba = np.zeros((64, 64, 4), np.uint8)
    rgba[::2] = (200, 100, 0, 255)  # the other rows are transparent black
    small = smaller(rgba, 16)
    assert max(small.shape[:2]) in (16, 17, 22, 23)
    inner = small[2:-2, 2:-2]
    assert np.abs(inner[..., :3].astype(int) - (200, 100, 0)).max() <= 3  # no dark fringe
    assert inner[..., 3].mean() == pytest.approx(128, abs=3)
    assert smaller(rgba, 16) is small and smaller(rgba, 200) is rgba


def test_cover_is_the_area():
    cells = cover([Shape("plate", 0, circle(10, 10, 5), "#000000")], 20, 6)
    assert cells.sum() / 255 / 36 == pytest.approx(math.pi * 25, rel=0.006)


def test_bounds_and_boxes():
    stamp = Stamp("logo", 0, np.zeros((10, 20, 4), np.uint8), (5, 5), 4, 2, angle=90)
    assert stamp.bounds == pytest.approx((4, 3, 6, 7))
    assert together([]) is None
    assert together([(0, 1, 2, 3), (-1, 2, 1, 9)]) == (-1, 1, 2, 9)
    assert Box(10, 20, 50, 50).matrix(25) @ (25, 0, 1) == pytest.approx((60, 20, 1))


# Lines ---------------------------------------------------------------------------


def test_a_guide_round_a_circle_is_as_long_as_the_circle():
    guide = Guide(flattened(circle(7, 3, 2))[0])
    assert guide.length == pytest.approx(4 * math.pi, rel=1e-3)
    for share in (0, 0.25, 0.6, 0.99, 1.3):
        x, y, turn = guide.at(share * guide.length)
        assert math.hypot(x - 7, y - 3) == pytest.approx(2, rel=1e-3)
        # It starts at the left and goes clockwise: the direction is a quarter turn ahead.
        angle = math.pi + 2 * math.pi * share
        assert math.cos(turn - angle - math.pi / 2) == pytest.approx(1, abs=0.01)


def test_letters_stand_upright_on_a_line_and_joined_ones_bend():
    walk = line("Wade").path
    assert len(letters(walk)) == 4
    straight = Guide(np.array([[0.0, 0], [100, 0]]))
    moved = on_guide(walk.moved(scale=10), straight, 20, 10)
    left, top, right, bottom = walk.moved(scale=10).bounds()
    assert moved.bounds() == pytest.approx((left + 20, top, right + 20, bottom), abs=0.01)
    ring = Guide(flattened(circle(0, 0, 30))[0])
    arabic = line("مرحبا").path.moved(scale=10)
    bent = on_guide(arabic, ring, 10, 10)
    away = [math.hypot(op[-2], op[-1]) for op in bent.ops if op[0] != "Z"]
    assert min(away) > 30 - 4 and max(away) < 30 + 12


@pytest.mark.parametrize("kind", ["rule", "card", "ticket", "tag", "pointer", "ring"])
def test_a_surround_is_closed_and_holds_its_content(kind):
    for side in ("below", "above", "left", "right"):
        frame = Surround(kind=kind, side=side)
        lengths = Lengths(gap=1, margin=0, line=0.4, corner=3)
        path = outline(frame, lengths, _with_head(frame, (0, -4, 37, 45)), 37, 2)
        assert path.ops[0][0] == "M" and path.ops[-1] == ("Z",)
        inside = cover([Shape("paper", 0, path.moved(12, 12), "#000000")], 70, 4)
        code = inside[12 * 4 : 49 * 4, 12 * 4 : 49 * 4]
        assert (code == 255).mean() > 0.995, side


# Data ----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("model", "values"),
    [
        (Logo, {"digest": "nothing"}), (Logo, {"digest": "0" * 64, "size": 0}),
        (Logo, {"digest": "0" * 64, "crop": (0.6, 0, 0.4, 0)}),
        (Logo, {"digest": "0" * 64, "x": float("nan")}),
        (Logo, {"digest": "0" * 64, "tint": "red"}), (Backing, {"margin": 99}),
        (Backing, {"shape": "heart"}), (Caption, {"size": 2}), (Caption, {"text": "x" * 401}),
        (Caption, {"text": "\ud83d"}), (Surround, {"gap": -1}), (Surround, {"kind": "cloud"}),
        (Logos, {"items": tuple(Logo(digest="0" * 64) for _ in range(9))}),
        (Layout, {"quad": ((0, 0), (1, 1))}),
    ],
)  # fmt: skip
def test_what_is_not_possible_is_refused(model, values):
    with pytest.raises(ValidationError):
        model(**values)


@settings(max_examples=60, deadline=None)
@given(st.text(max_size=60))
def test_any_text_can_be_a_caption(text):
    try:
        caption = Caption(text=text)
    except ValidationError:
        assert any("\ud800" <= c <= "\udfff" for c in text)
        return
    assert "\r" not in caption.text
    for own in caption.text.split("\n")[:2]:
        made = line(own)
        assert math.isfinite(made.width) and made.width >= 0
        assert all(math.isfinite(v) for op in made.path.ops for v in op[1:])


def test_folded_places_of_a_layout_are_refused():
    crossed = Layout(digest="0" * 64, quad=((0, 0), (10, 10), (10, 0), (0, 10)))
    with pytest.raises(PictureError, match="folded or crossed"):
        place_in(crossed, 1.0)
    quad = first_place((300, 200))
    assert place_in(Layout(digest="0" * 64, quad=quad), 1.0) == pytest.approx(np.array(quad))


# The command line ----------------------------------------------------------------


def run(*arguments):
    return CliRunner().invoke(main, [str(a) for a in arguments], standalone_mode=False)


def test_logo_caption_and_frame_from_the_command_line(tmp_path, capsys):
    mark = tmp_path / "mark.svg"
    mark.write_bytes(SVG)
    out = tmp_path / "out.pdf"
    with pytest.raises(SystemExit) as left:
        main.main(
            ["make", "--message", LINK, "--level", "H", "--logo", str(mark), "--logo-share", "6",
             "--caption", r"Gate 2\nat dusk", "--frame", "tag", "--out", str(out), "--json"]
        )  # fmt: skip
    report = json.loads(capsys.readouterr().out)
    assert left.value.code == 0
    covered = report["coverage"]
    # The plate is the mark's outline with a margin: somewhat more than its box.
    assert 0.05 < covered["area"] < 0.12 and covered["holds"] and covered["codewords"] > 0
    assert len(covered["blocks"]) == 4 and covered["of"] == 134
    assert sum(spoiled for spoiled, _ in covered["blocks"]) >= covered["codewords"]
    assert out.read_bytes().startswith(b"%PDF-")


@pytest.mark.parametrize(
    ("options", "told"),
    [
        (["--logo-share", "5"], "Give --logo too"),
        (["--logo", "nowhere.svg"], "nowhere.svg"),
        (["--frame", "cloud"], "cloud"),
        (["--caption", "x" * 500], "--caption"),
    ],
)
def test_wrong_calls_say_what_is_wrong(tmp_path, capsys, options, told):
    with pytest.raises(SystemExit) as left:
        main.main(["make", "--message", LINK, "--out", str(tmp_path / "o.png"), *options])
    said = capsys.readouterr()
    assert left.value.code == 2 and said.out == ""
    assert told in said.err and said.err.count("\n") == 1


def test_a_picture_as_a_logo_keeps_its_corners(store):
    from nimble_tile.core.logo.pixels import prepared

    digest = store.add(encoded(photograph("coffee"), "JPEG"))
    made = prepared(store.opened(digest), Logo(digest=digest))
    assert made.shape == (400, 600, 4) and (made[..., 3] == 255).all()
    assert not made.flags.writeable
