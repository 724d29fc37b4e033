"""Captions, surrounds and layouts: type, room, vectors, files."""

import json
import os
import re
import subprocess
import sys
import zipfile

import numpy as np
import pypdfium2
import pytest

from conftest import LINK, encoded, photograph
from nimble_tile.core import arrange
from nimble_tile.core.additions import (
    Backing,
    Caption,
    Captions,
    Layout,
    Logo,
    Logos,
    Surround,
)
from nimble_tile.core.caption import fonts
from nimble_tile.core.caption.lay import block_of
from nimble_tile.core.caption.lay import lay as lay_captions
from nimble_tile.core.coverage.count import coverage
from nimble_tile.core.coverage.room import with_room
from nimble_tile.core.errors import ProjectError
from nimble_tile.core.laid.items import Shape
from nimble_tile.core.laid.paint import cover, painted
from nimble_tile.core.output.export import export, rendered_again
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import SCHEMA, Code, Finish, Message, Picture, Piece, Region
from nimble_tile.core.project import archive
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.demo import demo_pieces
from test_logo import SVG

KINDS = ("rule", "card", "ticket", "tag", "pointer", "ring")


def said(*captions, surround=None, **code):
    return Piece(
        message=Message(text=LINK),
        code=Code(**code),
        caption=Captions(items=captions),
        surround=surround or Surround(),
    )


# Type ----------------------------------------------------------------------------


def drawn(path, width, height, scale, x, y):
    """A path in pixels: how much of each it covers, 0 to 1."""
    empty = np.zeros((height, width, 4), np.uint8)
    matrix = np.array([[scale, 0, x], [0, scale, y], [0, 0, 1.0]])
    return painted(empty, [Shape("caption", 0, path, "#000000")], matrix, scale)[..., 3] / 255


@pytest.mark.parametrize(
    "text",
    ["Scan for times", "Fähre, Čapek, naïve", "שלום לכם 12:30!", "مرحبا بالعالم", "Gate שער 7"],
)
def test_lines_are_shaped_as_another_engine_shapes_them(qapp, text):
    """Qt's own layout (HarfBuzz and its own bidi) against ours, letter on letter."""
    from PySide6.QtCore import QPointF, Qt
    from PySide6.QtGui import QFont, QImage, QPainter, QTextLayout, QTextOption

    size, width, height = 60, 720, 110
    line = fonts.line(text, "DejaVu Sans")
    ours = drawn(line.path, width, height, size, 20, 80)
    font = QFont("DejaVu Sans")
    font.setPixelSize(size)
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    layout = QTextLayout(text, font)
    option = QTextOption()
    option.setWrapMode(QTextOption.WrapMode.NoWrap)
    right = fonts.from_right(text)
    direction = Qt.LayoutDirection.RightToLeft if right else Qt.LayoutDirection.LeftToRight
    option.setTextDirection(direction)
    option.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignAbsolute)
    layout.setTextOption(option)
    layout.beginLayout()
    qline = layout.createLine()
    layout.endLayout()
    assert qline.naturalTextWidth() == pytest.approx(line.width * size, abs=2)
    image = QImage(width, height, QImage.Format.Format_Grayscale8)
    image.fill(255)
    painter = QPainter(image)
    layout.draw(painter, QPointF(20, 80 - qline.ascent()))
    painter.end()
    pixels = np.frombuffer(image.constBits(), np.uint8).reshape(height, -1)[:, :width]
    theirs = 1 - pixels / 255.0
    both, either = np.minimum(ours, theirs).sum(), np.maximum(ours, theirs).sum()
    assert both / either > 0.85
    assert not line.lost


OUTLINE = """
import locale
from nimble_tile.ui.app import application
app = application()
from nimble_tile.core.caption.fonts import line
made = line("Walk 7:30", "", 400)
print(locale.setlocale(locale.LC_MONETARY), app.primaryScreen() is not None)
print(made.width, made.path.ops)
"""


def test_letters_are_the_same_where_the_desktop_writes_a_decimal_comma(tmp_path):
    subprocess.run(
        ["localedef", "-i", "de_DE", "-f", "UTF-8", str(tmp_path / "de_DE.UTF-8")],
        check=True, capture_output=True,
    )  # fmt: skip
    told = [
        subprocess.run(
            [sys.executable, "-c", OUTLINE], capture_output=True, text=True, check=True,
            env=os.environ | {"LOCPATH": str(tmp_path), "LC_ALL": name},
        ).stdout.splitlines()
        for name in ("C.UTF-8", "de_DE.UTF-8")
    ]  # fmt: skip
    assert told[1][0].startswith("de_DE")  # it is in force
    assert told[0][1] == told[1][1] and "'C'" in told[0][1]


def test_fonts_that_are_not_here_are_named():
    assert fonts.families()[0] == "Alegreya Sans" and "DejaVu Serif" in fonts.families()
    notes = block_of(Caption(text="Hello", font="Nowhere Grotesk"), 25).notes
    assert "Nowhere Grotesk is not installed" in notes[0]
    assert "stands in" in block_of(Caption(text="שלום"), 25).notes[0]
    assert any("no font" in note for note in block_of(Caption(text="\U000f0123"), 25).notes)
    assert block_of(Caption(text="Plain"), 25).notes == ()


def test_weight_lines_and_alignment():
    thin, thick = (fonts.line("Walk", "DejaVu Sans", weight) for weight in (400, 700))
    assert drawn(thick.path, 400, 120, 80, 10, 90).sum() > 1.2 * (
        drawn(thin.path, 400, 120, 80, 10, 90).sum()
    )
    left, right = (
        block_of(Caption(text="Evening\nwalk", align=align), 29) for align in ("left", "right")
    )
    assert left.height == pytest.approx(0.09 * 29 * (0.98 + 1.2))
    # The shorter line begins with the longer one, or ends with it.
    ink = [drawn(block.path, 300, 120, 14, 150, 60) for block in (left, right)]
    second = [np.flatnonzero(i[64:, :].any(0)) for i in ink]
    whole = [np.flatnonzero(i.any(0)) for i in ink]
    assert abs(second[0][0] - whole[0][0]) <= 6 and abs(second[1][-1] - whole[1][-1]) <= 6
    assert second[0][0] < second[1][0]


# Room ----------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["none", *KINDS])
@pytest.mark.parametrize("window", [False, True])
def test_nothing_reaches_into_the_quiet_zone(kind, window):
    for side in ("below", "above", "left", "right"):
        frame = Surround(kind=kind, side=side, gap=0, line=2, corner=12)
        captions = Captions(
            items=tuple(
                Caption(text="Saltmarsh Lantern Walk\nat dusk", place=place, size=0.08)
                for place in ("above", "below left", "left", "right", "along")
            )
        )
        laid = lay_captions(captions, frame, 29, 4, 0.7, window)
        items = [*(laid.paper if window else ()), *laid.over]
        inside = cover([i for i in items if i.bounds], 37, 8)
        edge = 2  # an eighth of a module of smoothing at the rim
        assert inside[edge:-edge, edge:-edge].max() == 0, (kind, side)
        # And the frame holds the captions that stand beside the code.
        left, top, right, bottom = laid.room
        assert left <= 0 and top <= 0 and right >= 37 and bottom >= 37


def test_the_places_are_where_they_say():
    middles = {}
    for place in ("above left", "above", "above right", "left", "right", "below left", "below",
                  "below right"):  # fmt: skip
        caption = Caption(text="Dusk", place=place, size=0.1)
        laid = lay_captions(Captions(items=(caption,)), Surround(), 29, 4, 0.7, False)
        middles[place] = laid.boxes["caption", 0][0]
    for place, (x, y) in middles.items():
        assert ("above" in place) == (y < 0) and ("below" in place) == (y > 37)
        assert (x < 18) == ("left" in place) and (x > 19) == ("right" in place)
    two = lay_captions(
        Captions(items=(Caption(text="One"), Caption(text="Two"))), Surround(), 29, 4, 0.7, False
    )
    first, second = two.boxes["caption", 0], two.boxes["caption", 1]
    assert second[0][1] - first[0][1] >= (first[2] + second[2]) / 2  # they do not overlap


def test_text_bends_with_a_ring_and_runs_along_a_frame():
    caption = Caption(text="Saltmarsh Lantern Walk", place="above", size=0.09)
    ring = lay_captions(Captions(items=(caption,)), Surround(kind="ring"), 29, 4, 0.7, False)
    points = np.array([op[-2:] for op in ring.over[-1].path.ops if op[0] != "Z"])
    away = np.hypot(*(points - 18.5).T)
    size = 0.09 * 29
    assert np.ptp(away) < 1.2 * size  # all of it lies in one band round the middle
    assert np.ptp(np.degrees(np.arctan2(*(points - 18.5).T))) > 40
    along = Caption(text="Along the frame it runs", place="along", size=0.06)
    for start, where in ((0.0, "top"), (0.25, "right"), (0.5, "bottom"), (0.75, "left")):
        laid = lay_captions(
            Captions(items=(along.model_copy(update={"start": start}),)),
            Surround(kind="card"), 29, 4, 0.7, False,
        )  # fmt: skip
        x, y = laid.boxes["caption", 0][0]
        near = {"top": -y, "right": x - 37, "bottom": y - 37, "left": -x}
        assert max(near, key=near.get) == where


@pytest.mark.parametrize("size", [None, 900, 2400])
def test_millimetres_are_millimetres(size):
    """The margin and the line, measured on the finished image."""
    frame = Surround(kind="rule", gap=3, margin=5, line=1, line_colour="#ff0000", paper=None)
    piece = said(surround=frame).model_copy(update={"finish": Finish(size=size, dpi=200)})
    made = Renderer(PictureStore()).render(piece)
    row = made.image[made.size[1] // 2]
    red = np.flatnonzero((row[:, 0] > 200) & (row[:, 1] < 90))
    mm = 200 / 25.4
    assert red[0] / mm == pytest.approx(5, abs=0.15)
    run = np.flatnonzero(np.diff(red) > 1)[0] + 1
    assert run / mm == pytest.approx(1, abs=0.15)
    assert (made.box.x - red[run - 1]) / mm == pytest.approx(3, abs=0.2)
    assert size is None or max(made.size) == size


def test_text_on_modules_is_counted_in_codewords():
    over = Caption(text="LANTERN WALK", place="free", x=0.5, y=0.5, size=0.16, colour="#000000")
    beside = over.model_copy(update={"place": "below"})
    renderer = Renderer(PictureStore())
    found = coverage(renderer.render(said(over, level="H"), 900))
    assert [share.role for share in found.shares] == ["caption"]
    assert found.shares[0].codewords == sum(found.under) > 3
    assert coverage(renderer.render(said(beside, level="H"), 900)) is None


def test_making_room_puts_the_frame_on_the_picture(store):
    digest = store.add(encoded(photograph("coffee")))
    piece = said(
        Caption(text="Scan for times"), surround=Surround(kind="card", gap=1, margin=0)
    ).model_copy(update={"picture": Picture(digest=digest)})
    renderer = Renderer(store)
    made = with_room(renderer, piece)
    place = made.picture.region
    assert place.width < 400
    rendering = renderer.render(made, 600)
    corners = [item.bounds for item in rendering.laid.over]
    for left, top, right, bottom in corners:
        for x, y in ((left, top), (right, bottom)):
            px, py, w = rendering.matrix @ (x, y, 1)
            assert -1 <= px / w <= rendering.size[0] + 1 and -1 <= py / w <= rendering.size[1] + 1


# Files ---------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["png", "svg", "pdf", "jpg"])
def test_the_walks_ticket_is_read_by_all_as_every_file(tmp_path, bay, kind):
    """Heron mark, captions and ticket on one piece, from disk."""
    pieces, pictures = demo_pieces()
    piece = pieces["walk-ticket"]
    made = Renderer(pictures).render(piece)
    path = tmp_path / f"ticket.{kind}"
    proof = export(made, path, piece.finish, bay)
    assert proof.verdict.readers_right == (4, 4) and proof.verdict.state == "well"
    data = path.read_bytes()
    if kind == "svg":
        assert b"<text" not in data and data.count(b"<path") > 6  # letters are outlines
        assert re.search(rb'viewBox="-?[\d.]+ -?[\d.]+ [\d.]+ [\d.]+"', data)
    if kind == "pdf":
        document = pypdfium2.PdfDocument(data)
        assert b"/Font" not in data and document[0].get_textpage().count_chars() == 0
        document.close()
    if kind in ("svg", "pdf"):
        # Other renderers draw what ours drew: resvg and pdfium.
        again = rendered_again(data, kind, max(made.size))
        height, width = np.minimum(again.shape, made.image.shape)[:2]
        off = np.abs(again[:height, :width].astype(int) - made.image[:height, :width])
        assert off.mean() < 6  # pixels of ours lie on whole ones, a vector's need not


def test_on_a_picture_letters_stay_vectors_over_the_pixels(store, tmp_path, bay):
    digest = store.add(encoded(photograph("astronaut")))
    piece = said(Caption(text="Scan", colour="#ffffff"), level="M").model_copy(
        update={
            "picture": Picture(digest=digest, region=Region(x=120, y=60, width=260, height=260)),
            "logo": Logos(items=(Logo(digest=store.add(SVG, "m", drawings=True), size=0.2,
                                      backing=Backing(soft=0.5)),)),
            "finish": Finish(size=1024),
        }
    )  # fmt: skip
    made = Renderer(store).render(piece)
    for kind in ("svg", "pdf"):
        path = tmp_path / f"piece.{kind}"
        export(made, path, piece.finish, bay)
        again = rendered_again(path.read_bytes(), kind, 1024)
        assert np.abs(again.astype(int) - made.image).mean() < 5  # resvg smooths pictures
        caption = made.laid.boxes["caption", 0][0]
        x, y = (made.matrix @ (*caption, 1))[:2]
        spot = again[int(y) - 12 : int(y) + 12, int(x) - 40 : int(x) + 40]
        assert (spot.min(2) > 240).any()
    assert b'<g transform="matrix(' in (tmp_path / "piece.svg").read_bytes()


def test_everything_comes_back_from_the_project_file(store, tmp_path):
    mark = store.add(SVG, "mark.svg", drawings=True)
    mask = store.add_mask(np.eye(64, dtype=np.uint8) * 255)
    layout = arrange.shipped("ticket", store)
    piece = said(Caption(text="Fähre\nשלום"), surround=Surround(kind="tag")).model_copy(
        update={"logo": Logos(items=(Logo(digest=mark, name="mark.svg"),), paint=mask),
                "layout": layout}
    )  # fmt: skip
    path = tmp_path / "walk.nimbletile"
    archive.save(piece, store, path)
    pictures = PictureStore()
    assert archive.load(path, pictures) == piece
    assert (Renderer(pictures).render(piece, 700).image
            == Renderer(store).render(piece, 700).image).all()  # fmt: skip
    # A piece of the schema before has none of it.
    with zipfile.ZipFile(path) as opened:
        document = json.loads(opened.read("piece.json"))
    older = document["piece"]
    for rung in ("logo", "caption", "surround", "layout"):
        del older[rung]
    older["schema"] = 3
    assert Piece.model_validate(older).schema_version == SCHEMA
    assert Piece.model_validate(older).logo == Logos()
    # A logo that was lost on the way is a sentence, not a crash.
    broken = tmp_path / "broken.nimbletile"
    with zipfile.ZipFile(path) as source, zipfile.ZipFile(broken, "w") as target:
        for name in source.namelist():
            if mark not in name:
                target.writestr(name, source.read(name))
    with pytest.raises(ProjectError, match="picture of it is missing"):
        archive.load(broken, PictureStore())


@pytest.mark.parametrize("name", list(arrange.SHIPPED_LAYOUTS))
def test_a_piece_is_read_in_every_layout(name, bay):
    pieces, pictures = demo_pieces()
    for own in ("walk-ticket", "heron-mark"):
        piece = pieces[own].model_copy(
            update={"layout": arrange.shipped(name, pictures), "message": Message(text=LINK),
                    "finish": Finish()}
        )  # fmt: skip
        made = Renderer(pictures).render(piece)
        assert made.arranged and made.size == pictures.about(piece.layout.digest).size
        assert judge_rendering(made, bay).readers_right[0] >= 3, own


def test_a_layout_takes_the_piece_inside_or_covering():
    quad = ((100.0, 100.0), (500.0, 100.0), (500.0, 300.0), (100.0, 300.0))
    layout = Layout(digest="0" * 64, quad=quad)
    inside = arrange.place_in(layout, 1.0)
    assert inside[0] == pytest.approx((200, 100)) and inside[2] == pytest.approx((400, 300))
    covers = arrange.place_in(layout.model_copy(update={"fit": "cover"}), 1.0)
    assert covers[0] == pytest.approx((100, 0)) and covers[2] == pytest.approx((500, 400))
    ground = np.full((400, 600, 3), 90, np.uint8)
    piece = Renderer(PictureStore()).render(Piece(message=Message(text="A")), 400)
    made = arrange.arranged(piece, ground, covers, np.array(quad))
    assert (made.image[:98] == 90).all() and (made.image[303:] == 90).all()  # cut off there
    assert (made.image[105:295, 105:495] != 90).any()


def test_outside_the_frame_a_ticket_is_transparent_where_the_ground_is(store):
    from nimble_tile.core.look import Look

    piece = said(Caption(text="Dusk"), surround=Surround(kind="card", corner=8)).model_copy(
        update={"look": Look(ground=None)}
    )
    made = Renderer(store).render(piece, 500)
    assert made.rgba[0, 0, 3] == 0
    middle = made.rgba[made.size[1] // 2, made.box.x + 2]
    assert tuple(middle) == (255, 255, 255, 255)  # the paper goes on under the code


def test_beside_paper_the_quiet_zone_does_not_fade_into_the_picture(store):
    dark = store.add(encoded(np.full((600, 600, 3), 40, np.uint8)))
    place = Region(x=150, y=150, width=300, height=300)
    piece = said().model_copy(update={"picture": Picture(digest=dark, region=place)})
    edges = {}
    for paper in (None, "#f4ead6"):
        frame = Surround(kind="card", paper=paper, gap=1)
        made = Renderer(store).render(piece.model_copy(update={"surround": frame}), 600)
        edges[paper] = made.bare[made.box.y + 2, made.box.x + 100].mean()
    assert edges[None] < 90 and edges["#f4ead6"] > edges[None] + 60
