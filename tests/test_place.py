"""The code's place and the picture's frame: gestures, perspective, turning, cropping."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from skimage import transform

from conftest import encoded, photograph
from nimble_tile.core.artwork import Frame
from nimble_tile.core.errors import PictureError
from nimble_tile.core.picture import framing, gestures, warping
from nimble_tile.core.picture.placing import (
    UNIT,
    box_at,
    centred_square,
    corners,
    inside,
    possible,
    region_on,
    side_of,
    whole,
)
from nimble_tile.core.piece import Blend, Code, Message, Picture, Piece, Region
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import fidelity_of, judge_rendering
from nimble_tile.demo import demo_pieces

SIZE = (420, 310)
SIGN = np.array([[120, 40], [330, 70], [340, 260], [110, 250]], float)


def squares(quad, **fields):
    """A place on a quad."""
    return gestures.on_quad(np.array(quad, float), **fields)


def test_a_place_is_where_its_corners_are():
    upright = Region(x=10, y=20, width=100, height=100)
    assert np.allclose(corners(upright), np.array(UNIT) * 100 + (10, 20))
    quarter = upright.model_copy(update={"angle": 90.0})
    # Clockwise by a quarter: the top left corner goes to the top right.
    assert np.allclose(corners(quarter)[0], (110, 20))
    for angle in (0, 17.5, -140):
        assert np.allclose(corners(squares(SIGN, angle=angle)), SIGN)


@pytest.mark.parametrize(
    ("quad", "good"),
    [
        (SIGN, True),
        (SIGN[[1, 0, 2, 3]], False),  # crossed
        (SIGN[::-1], False),  # seen from behind
        ([[0, 0], [100, 0], [40, 30], [0, 100]], False),  # folded inwards
        ([[0, 0], [100, 0], [199, 2], [0, 100]], False),  # nearly flat at a corner
        ([[0, 0], [100, 0], [100, 4], [0, 4]], False),  # a strip
    ],
)
def test_impossible_quads_are_told(quad, good):
    assert possible(np.array(quad, float)) is good


def test_an_impossible_place_is_refused_with_a_sentence():
    crossed = squares(SIGN).model_copy(update={"bend": ((0, 0), (-1.5, 0), (0, 0), (0, 0))})
    with pytest.raises(PictureError, match="crossed or folded"):
        region_on((4000, 4000), crossed)
    with pytest.raises(PictureError, match="reaches beyond"):
        region_on((300, 310), squares(SIGN))


def test_a_free_corner_goes_anywhere_but_the_impossible():
    start = Region(x=100, y=60, width=200, height=200)
    pulled = gestures.bent(start, "top right", (40, 30), SIZE)
    assert np.allclose(corners(pulled), [[100, 60], [340, 90], [300, 260], [100, 260]])
    assert gestures.bent(start, "top right", (-260, 190), SIZE) is None
    # It stays on the picture.
    assert corners(gestures.bent(start, "top right", (900, 0), SIZE))[1, 0] == pytest.approx(420)


def test_moving_scaling_and_turning_keep_the_perspective():
    start = squares(SIGN)
    edges = np.roll(SIGN, -1, axis=0) - SIGN
    moved, _ = gestures.moved(start, (13, -9), SIZE)
    assert np.allclose(corners(moved), SIGN + np.array([13, -9]))
    grown = gestures.scaled(start, "bottom right", (-60, -50), SIZE)
    shape = np.roll(corners(grown), -1, axis=0) - corners(grown)
    assert np.allclose(shape / np.linalg.norm(shape), edges / np.linalg.norm(edges))
    assert np.allclose(corners(grown)[0], SIGN[0])
    turned = gestures.turned(start, 30.0, (2000, 2000))
    lengths = np.hypot(*(np.roll(corners(turned), -1, axis=0) - corners(turned)).T)
    assert np.allclose(lengths, np.hypot(*edges.T))
    flat = gestures.without_perspective(start, SIZE)
    assert flat.bend is None
    assert side_of(flat) == pytest.approx(side_of(start), rel=1e-6)


def test_moving_snaps_to_the_middle_and_the_thirds():
    start = Region(x=20, y=30, width=100, height=100)
    near_middle, guides = gestures.moved(start, (138, 20), SIZE, snap=8)
    assert near_middle.x + 50 == 210
    assert (guides.upright, guides.across) == (210, pytest.approx(310 / 3))
    free, guides = gestures.moved(start, (138, 20), SIZE, snap=0)
    assert (free.x, free.y) == (158, 50)
    assert guides.upright is None


@settings(max_examples=150)
@given(
    st.sampled_from(["move", "scale", "turn", "bend"]), st.integers(0, 3),
    st.floats(-600, 600), st.floats(-600, 600), st.floats(-180, 180), st.booleans(),
)  # fmt: skip
def test_no_gesture_leaves_the_picture(kind, corner, dx, dy, angle, bent):
    start = squares(SIGN) if bent else Region(x=100, y=60, width=150, height=150, angle=angle)
    start = gestures.fitted(start, SIZE)
    name = ("top left", "top right", "bottom right", "bottom left")[corner]
    if kind == "move":
        end, _ = gestures.moved(start, (dx, dy), SIZE, snap=6)
    elif kind == "scale":
        end = gestures.scaled(start, name, (dx, dy), SIZE)
    elif kind == "turn":
        end = gestures.turned(start, angle, SIZE)
    else:
        end = gestures.bent(start, name, (dx, dy), SIZE)
        if end is None:
            return
    assert inside(end, SIZE, 0.51)
    assert end.upright or possible(corners(end))


@given(st.integers(21, 60), st.floats(40, 300), st.floats(0, 100), st.integers(200, 2000))
def test_whole_pixels_are_whole(modules, side, x, longer):
    size = (420, 310)
    output = (longer, round(longer * 310 / 420))
    region = gestures.fitted(Region(x=x, y=7, width=side, height=side), size)
    made = whole(region, size, modules, output)
    box = box_at(size, made, output)
    if min(output) >= modules:
        assert box.width == box.height
        assert box.width % modules == 0
        assert abs(box.width - side * output[0] / size[0]) <= modules / 2 + 1 or (
            box.width + modules >= min(output) or box.width == modules  # a pixel is the least
        )
    turned = region.model_copy(update={"angle": 5.0})
    assert whole(turned, size, modules, output) == turned


# Perspective ------------------------------------------------------------------


def test_the_projective_map_equals_scikit_images():
    """scikit-image's ProjectiveTransform, an implementation of its own."""
    theirs = transform.ProjectiveTransform()
    assert theirs.estimate(np.array(UNIT) * 64, SIGN)
    points = np.random.default_rng(2).uniform(0, 64, (50, 2))
    ours = warping.mapped(warping.matrix_to(SIGN, 64), points)
    assert np.allclose(ours, theirs(points), atol=1e-6)


def test_the_square_has_the_pixels_that_the_picture_allows():
    least, most = warping.densities(np.array(UNIT) * 200)
    assert (least, most) == (pytest.approx(200), pytest.approx(200))
    # Numerically: the longest step on the image for a small one on the square.
    matrix, step = warping.matrix_to(SIGN), 1e-5
    grid = np.stack(np.meshgrid(np.linspace(0, 1, 21), np.linspace(0, 1, 21)), -1).reshape(-1, 2)
    best = 0.0
    for angle in np.linspace(0, np.pi, 60):
        way = step * np.array([np.cos(angle), np.sin(angle)])
        there = warping.mapped(matrix, grid + way) - warping.mapped(matrix, grid)
        best = max(best, float(np.hypot(*there.T).max()) / step)
    assert warping.square_side(SIGN) >= best - 1


def test_only_the_change_comes_back():
    image = photograph("chelsea")
    square = warping.cut(image, SIGN, warping.square_side(SIGN))
    assert np.array_equal(warping.put_back(image, square, square, SIGN), image)
    changed = warping.put_back(image, square, np.zeros_like(square), SIGN)
    away = ~cv2.fillConvexPoly(
        np.zeros(image.shape[:2], np.uint8), np.rint(SIGN).astype(np.int32), 1
    ).astype(bool)
    away = cv2.erode(away.astype(np.uint8), np.ones((5, 5))).astype(bool)
    assert np.array_equal(changed[away], image[away])
    inner = cv2.erode((~away).astype(np.uint8), np.ones((9, 9))).astype(bool)
    assert changed[inner].mean() < 6


def test_a_cut_out_square_equals_the_upright_one_where_it_is_upright():
    image = photograph("coffee")
    upright = image[50:250, 80:280]
    quad = np.array(UNIT) * 200 + (80, 50)
    assert np.abs(warping.cut(image, quad, 200).astype(int) - upright).max() <= 1


@pytest.mark.parametrize("method", ["tone", "ink", "strokes"])
def test_the_path_sign_reads_in_perspective(method, bay):
    pieces, pictures = demo_pieces()
    piece = pieces["path-sign"].edited("blend", method=method)
    made = Renderer(pictures).render(piece)
    assert made.size == (1800, 1350)  # the picture's full resolution
    verdict = judge_rendering(made, bay)
    assert verdict.state == "well"
    assert verdict.readers_right == (4, 4)
    assert verdict.spare > 0.8
    assert not verdict.sample.wrong.mean() > 0.02
    assert 0 < fidelity_of(made).ssim_view < 1


def test_a_turned_code_is_judged_module_by_module(bay, photo_piece, store):
    piece = photo_piece("coffee")
    place = Region(x=150, y=60, width=250, height=250, angle=33)
    made = Renderer(store).render(piece.edited("picture", region=place), 1200)
    assert made.quad is not None
    verdict = judge_rendering(made, bay)
    assert verdict.readers_right == (4, 4)
    assert verdict.spare == 1
    # Hiding a corner of the turned code is seen where it is.
    hidden = made.image.copy()
    at = warping.mapped(warping.matrix_to(made.quad), np.array([[0.5, 0.5]]))[0].astype(int)
    cv2.circle(hidden, tuple(int(v) for v in at), 60, (255, 255, 255), -1)
    from dataclasses import replace

    spoiled = judge_rendering(replace(made, image=hidden), bay).sample
    middle = spoiled.wrong.shape[0] // 2
    assert spoiled.wrong[middle - 2 : middle + 3, middle - 2 : middle + 3].mean() > 0.3
    assert spoiled.wrong[:7].mean() < 0.02


# The frame --------------------------------------------------------------------

FRAMES = [
    Frame(turn=90), Frame(turn=270, flip=True), Frame(flip=True, crop=(10, 20, 30, 40)),
    Frame(tilt=12), Frame(turn=180, tilt=-20, crop=(40, 10, 5, 60)),
    Frame(turn=90, crop=(5, 6, 7, 8), extend=(30, 0, 10, 50)),
]  # fmt: skip


@pytest.mark.parametrize("frame", FRAMES)
def test_points_go_where_their_pixels_go(frame):
    """A bright dot of the original is found where `to_frame` says."""
    size = (200, 150)
    image = np.zeros((150, 200), np.uint8)
    cv2.circle(image, (110, 80), 4, 255, -1)
    extent = framing.framed_size(size, frame)
    inner = framing.framed_sizes(size, frame, max(extent)).inner
    framed = framing.inner_framed(image, frame, inner)
    framed = framing.extended(cv2.cvtColor(framed, cv2.COLOR_GRAY2RGB),
                              frame.model_copy(update={"edge": "colour", "colour": "#000000"}),
                              extent)[..., 0]  # fmt: skip
    assert framed.shape[::-1] == extent
    rows, columns = np.nonzero(framed > 128)
    seen = np.array([columns.mean() + 0.5, rows.mean() + 0.5])
    expected = framing.to_frame(size, frame) @ (110.5, 80.5, 1)
    assert np.abs(seen - expected).max() < 0.8
    # And so does a mask of another resolution.
    mask = framing.mask_on(cv2.resize(image, (400, 300)), size, frame, extent)
    rows, columns = np.nonzero(mask > 128)
    assert np.abs((columns.mean() + 0.5, rows.mean() + 0.5) - expected).max() < 0.8


def test_turning_equals_pillows():
    picture = Image.fromarray(photograph("chelsea"))
    for frame, theirs in (
        (Frame(turn=90), picture.transpose(Image.Transpose.ROTATE_270)),
        (Frame(turn=270, flip=True),
         picture.transpose(Image.Transpose.ROTATE_90).transpose(Image.Transpose.FLIP_LEFT_RIGHT)),
    ):  # fmt: skip
        theirs = np.asarray(theirs)
        ours = framing.inner_framed(np.asarray(picture), frame, theirs.shape[1::-1])
        assert np.array_equal(ours, theirs)


def test_a_tilted_picture_has_no_empty_corner():
    white = np.full((150, 200), 255, np.uint8)
    for tilt in (3, -17, 45):
        frame = Frame(tilt=tilt)
        matrix = framing.to_frame((200, 150), frame)
        back = np.linalg.inv(np.vstack([matrix, [0, 0, 1]]))
        for corner in ((0, 0), (200, 0), (200, 150), (0, 150)):
            x, y, _ = back @ (*corner, 1)
            assert -1e-6 <= x <= 200 + 1e-6
            assert -1e-6 <= y <= 150 + 1e-6
        assert framing.inner_framed(white, frame, (200, 150)).min() == 255


def test_mirrored_edges_go_on_and_coloured_ones_are_plain():
    image = photograph("chelsea")[:60, :80]
    frame = Frame(extend=(20, 0, 0, 10))
    size = framing.framed_size((80, 60), frame)
    made = framing.extended(image, frame, size)
    assert made.shape == (70, 100, 3)
    assert np.array_equal(made[:60, 20:], image)
    assert np.array_equal(made[:60, 19], image[:, 1])
    plain = framing.extended(
        image, frame.model_copy(update={"edge": "colour", "colour": "#102030"}), size
    )
    assert (plain[65, 50] == (16, 32, 48)).all()


def test_a_frame_that_leaves_nothing_is_refused():
    with pytest.raises(PictureError, match="leaves less than 16"):
        framing.framed_size((100, 80), Frame(crop=(50, 0, 40, 0)))
    with pytest.raises(PictureError, match="more than four times"):
        framing.framed_size((100, 80), Frame(extend=(0, 0, 500, 0)))


def test_the_code_stays_on_its_spot_when_the_frame_changes():
    size, region = (400, 300), Region(x=210, y=120, width=80, height=80)
    before, after = Frame(), Frame(turn=90, crop=(20, 10, 0, 30))
    matrix = framing.between(size, before, after)
    new = framing.framed_size(size, after)
    carried = gestures.carried(region, size, new, matrix)
    middle = framing.to_frame(size, after) @ (250, 160, 1)
    assert np.abs(corners(carried).mean(0) - middle).max() <= 1
    assert carried.width == pytest.approx(80)
    assert inside(carried, new)
    # Cropped away altogether: the centred square, not an error.
    gone = Frame(crop=(300, 0, 0, 0))
    carried = gestures.carried(region, size, (100, 300), framing.between(size, before, gone))
    assert carried is None or inside(carried, (100, 300))


def test_an_extension_makes_room_for_the_quiet_zone(store, bay):
    """A code over the whole of a dark picture, with a light edge added."""
    dark = np.full((400, 400, 3), 30, np.uint8)
    digest = store.add(encoded(dark), "dark")
    picture = Picture(
        digest=digest, frame=Frame(extend=(80,) * 4, edge="colour", colour="#f4ead6"),
        region=Region(x=20, y=20, width=520, height=520),
    )  # fmt: skip
    piece = Piece(
        message=Message(text="https://lanternwalk.example"), code=Code(level="M"),
        picture=picture, blend=Blend(strength=0.7),
    )  # fmt: skip
    made = Renderer(store).render(piece)
    assert made.size == (560, 560)
    assert tuple(made.picture[5, 5]) == (244, 234, 214)
    assert judge_rendering(made, bay).readers_right == (4, 4)


def test_a_centred_square_is_the_default_of_the_framed_picture(store):
    digest = store.add(encoded(photograph("chelsea")), "cat")
    picture = Picture(digest=digest, frame=Frame(turn=90))
    piece = Piece(message=Message(text="x"), picture=picture)
    renderer = Renderer(store)
    assert renderer.picture_size(piece) == (300, 451)
    assert renderer.place(piece) == centred_square((300, 451))
    assert renderer.render(piece).image.shape[:2] == (451, 300)
