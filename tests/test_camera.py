"""What light, optics, print and use do to a frame, against arithmetic."""

import cv2
import numpy as np
import pytest

from conftest import LINK
from nimble_tile.core.linear import luminance
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.core.project.history import History
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.faded import DOT_GAIN, INK, MODULE, PAPER, faded
from nimble_tile.core.scan.framed import area_of, framed_view, gather, module_side
from nimble_tile.core.scan.readers import Reading
from nimble_tile.core.scan.sampling import readers_eye
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.camera import PITCH, Studio
from nimble_tile.core.trials.subject import Subject, plain_code_of
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.trials.wear import worn
from nimble_tile.core.trials.why import burden

BRIGHT = Trial().changed("light", lux=100_000, kelvin=6500).changed("camera", blur=0).changed(
    "before", paper=1, ink=0
).changed("shown", ground=1)  # fmt: skip
"""White all over, no noise to speak of."""


@pytest.fixture(scope="module")
def symbol():
    return encode(Message(text="https://reed.example"), Code(level="H", raise_level=False))


@pytest.fixture(scope="module")
def white(symbol):
    """A white sheet where a code would be."""
    quad = np.array([[100, 100], [300, 100], [300, 300], [100, 300]], float)
    return Subject(np.full((400, 400, 3), 255, np.uint8), quad, symbol, symbol.text)


def light(frame):
    return luminance(frame.image)


# Light -----------------------------------------------------------------------


@pytest.mark.parametrize("share", [0.3, 0.6, 0.85])
def test_a_shadow_takes_its_share_of_the_light(white, share):
    trial = BRIGHT.changed("light", shadow=share, shadow_angle=0, shadow_edge=0.02)
    seen = light(Studio(white).frame(trial))
    lit, shaded = seen[:, 5:20].mean(), seen[:, -20:-5].mean()
    assert shaded / lit == pytest.approx(1 - share, rel=0.03)


def test_light_falls_off_evenly_over_the_code(white):
    seen = light(Studio(white).frame(BRIGHT.changed("light", falloff=0.8)))
    line = seen[seen.shape[0] // 2]
    middle = len(line) // 2
    code = 400 / 400 * 40 / 250 * (1440 / 2 / np.tan(np.radians(32.5)))  # pixels of the symbol
    quarter = round(code / 4)
    left, centre, right = (line[middle + step] for step in (-quarter, 0, quarter))
    # 1 - 0.8 t: 0.8, 0.6, 0.4 at a quarter, the half and three quarters.
    assert left / centre == pytest.approx(0.8 / 0.6, rel=0.02)
    assert right / centre == pytest.approx(0.4 / 0.6, rel=0.02)


def test_a_stop_is_twice_the_light_and_the_sensor_clips(white):
    studio = Studio(white)
    base, more, less, burnt = (
        light(studio.frame(BRIGHT.changed("camera", exposure=stops))).mean()
        for stops in (0, 1, -1, 4)
    )
    assert more / base == pytest.approx(2, rel=0.02) and less / base == pytest.approx(0.5, rel=0.02)
    assert burnt == pytest.approx(1, abs=1e-3)


def test_glare_adds_what_a_mirror_would(white):
    trial = BRIGHT.changed("light", glare=1.0, glare_x=0, glare_y=0, glare_size=0.1)
    seen = light(Studio(white).frame(trial))
    rows, columns = seen.shape
    assert seen[rows // 2, columns // 2] / seen[3:9, 3:9].mean() == pytest.approx(2, rel=0.03)


def test_exposure_follows_the_scene(symbol):
    # A dark ground makes the camera open up: the same paper comes out brighter.
    studio = Studio(plain_code_of(symbol, symbol.text))
    tilted = BRIGHT.changed("view", lengthways=-45, turn=20)
    frames = [light(studio.frame(tilted.changed("shown", ground=g))) for g in (0.0, 1.0)]
    assert np.percentile(frames[0], 98) > 1.3 * np.percentile(frames[1], 60)


# Optics ----------------------------------------------------------------------


def edge(symbol, **camera):
    """Luminance across the upright edge of the top left finder, and pixels a module."""
    frame = Studio(plain_code_of(symbol, symbol.text)).frame(
        BRIGHT.changed("camera", **{"blur": 0, **camera}).changed("view", distance=120)
    )
    x, y, w = frame.matrix @ (0, 3.5, 1)
    row = light(frame)[round(y / w)]
    at = x / w
    return row, at, frame.module


def rise(row, at, reach):
    """Distance between 16 % and 84 % of an edge: twice the standard deviation of its blur."""
    part = row[round(at) - reach : round(at) + reach // 2].astype(float)
    part = (part - part.min()) / (part.max() - part.min())
    fine = np.interp(np.linspace(0, len(part) - 1, 4000), np.arange(len(part)), part)
    return float(np.abs(np.argmin(np.abs(fine - 0.84)) - np.argmin(np.abs(fine - 0.16)))) * (
        (len(part) - 1) / 3999
    )


@pytest.mark.parametrize("blur", [1.5, 3.0])
def test_focus_blur_is_a_gaussian_of_its_deviation(symbol, blur):
    row, at, module = edge(symbol, blur=blur)
    assert module > 3 * blur
    assert rise(row, at, round(module)) == pytest.approx(2 * blur, rel=0.15)


def test_motion_smears_along_its_direction_only(symbol):
    sharp = rise(*edge(symbol)[:2], 10)
    across = rise(*edge(symbol, motion=8, motion_angle=0)[:2], 10)
    along = rise(*edge(symbol, motion=8, motion_angle=90)[:2], 10)
    # A line of 8 pixels rises from 16 to 84 % over 0.68 of its length.
    assert across == pytest.approx(0.68 * 8, abs=1.0)
    assert along == pytest.approx(sharp, abs=0.7)


def test_a_turn_is_clockwise_on_the_frame_and_keeps_sizes(symbol):
    studio = Studio(plain_code_of(symbol, symbol.text))
    straight, turned = (studio.frame(Trial().changed("view", turn=t)).matrix for t in (0, 30))

    def edge_of(matrix):
        ends = [matrix @ (x, 0, 1) for x in (0, 29)]
        return ends[1][:2] / ends[1][2] - ends[0][:2] / ends[0][2]

    before, after = edge_of(straight), edge_of(turned)
    angle = np.degrees(np.arctan2(after[1], after[0]) - np.arctan2(before[1], before[0]))
    assert angle == pytest.approx(30, abs=0.5)
    assert np.linalg.norm(after) == pytest.approx(np.linalg.norm(before), rel=1e-3)


def test_a_screen_has_pixels_and_never_gets_quite_black(symbol):
    tiny = Trial().changed("shown", medium="screen", size=PITCH * 40).changed("before", ink=0.05)
    tiny = tiny.changed("view", distance=40).changed("camera", blur=0)
    paper = tiny.changed("shown", medium="paper", size=PITCH * 40)
    twin = plain_code_of(symbol, symbol.text)

    def detail(trial):
        grey = cv2.cvtColor(Studio(twin).frame(trial).image, cv2.COLOR_RGB2GRAY)
        return cv2.Laplacian(grey, cv2.CV_32F).std()

    # Forty pixels for 29 modules: fine detail is gone there, and not on paper.
    assert detail(tiny) < 0.75 * detail(paper)
    frame = light(Studio(twin).frame(Trial().changed("shown", medium="screen")
                                     .changed("before", ink=0.2)))  # fmt: skip
    low, high = np.percentile(frame, (2, 90))
    assert low / high == pytest.approx(0.2, abs=0.05)


# Wear ------------------------------------------------------------------------


@pytest.mark.parametrize("share", [0.05, 0.3])
def test_smudges_cover_their_share(share):
    side = 300
    line = (np.arange(side, dtype=np.float32) + 0.5) / side - 0.5
    places = tuple(np.meshgrid(line, line))
    plane = np.full((side, side, 3), 0.5, np.float32)
    wear = Trial().changed("wear", smudge=share).wear
    changed = np.abs(worn(plane, wear, 0.9, places, 3) - 0.5).max(2) > 0.05
    assert changed.mean() == pytest.approx(share, abs=0.25 * share + 0.01)
    assert (worn(plane, wear, 0.9, places, 3) <= 1).all()


def test_a_fold_shades_one_side_and_moves_it(symbol):
    studio = Studio(plain_code_of(symbol, symbol.text))
    folded = Trial().changed("wear", fold=50, fold_at=0, fold_angle=0)
    flat, bent = (studio.frame(trial) for trial in (Trial(), folded))
    smooth = studio.frame(folded, flat=True)
    half = flat.image.shape[1] // 2
    shade = [
        light(f)[:, half + 30 :].mean() / light(f)[:, : half - 30].mean() for f in (flat, bent)
    ]
    assert shade[1] < 0.75 * shade[0]
    # The far finder has moved, and lies in its place again with the paper smoothed out.
    x, y, w = flat.matrix @ (25.5, 3.5, 1)
    spot = round(y / w), round(x / w)
    assert light(smooth)[spot] < 0.3 * light(smooth)[:, -20:].mean()
    assert light(bent)[spot] > 1.5 * light(smooth)[spot] or (
        np.abs(light(bent) - light(smooth)).mean() > 0.01
    )


def test_what_weighs_most_is_named():
    assert burden(Trial()) == "this view"
    assert burden(Trial().changed("camera", blur=2.5)) == "blur"
    assert burden(Trial().changed("light", lux=4)) == "noise in dim light"
    both = Trial().changed("view", sideways=60).changed("before", jpeg=5)
    assert burden(both) == "tilt and saving as JPEG"


# Before readers --------------------------------------------------------------


def test_a_faded_print_loses_the_contrast_it_should():
    page = np.full((200, 200), 255, np.uint8)
    page[:, :100] = 0
    made = luminance(faded(page, MODULE))
    dark, bright = made[20:-20, 10:80].mean(), made[20:-20, 120:190].mean()
    assert dark / bright == pytest.approx(INK / PAPER, rel=0.03)
    assert np.array_equal(faded(page, MODULE), faded(page, MODULE))
    # Half of the light prints as less: ink spreads (Murray–Davies, gain at 50 %).
    grey = np.full((200, 200), 188, np.uint8)  # half of the light, in sRGB
    grey[:, :20] = 255
    tone = luminance(faded(grey, MODULE))
    covered = 0.5 + 4 * DOT_GAIN * 0.25
    known = (INK + (PAPER - INK) * (1 - covered)) / PAPER
    assert tone[:, 60:].mean() / tone[:, 5:12].mean() == pytest.approx(known, rel=0.05)
    # Always as large as in the hand; and close to the code, where that is known.
    assert faded(page, 12.0).shape == (100, 100) and faded(page, 3.0).shape == (400, 400)
    assert faded(page, 6.0, (slice(80, 120), slice(80, 120))).shape == (68, 68)


def test_framing_and_gathering():
    grey = np.zeros((600, 800), np.uint8)
    view, corner = framed_view(grey, Box(300, 200, 100, 100))
    assert corner == (240, 140) and view.shape == (220, 220)
    rows, columns = area_of(Box(300, 200, 100, 100), (), corner, view.shape)
    assert (rows, columns) == (slice(60, 160), slice(60, 160))
    symbol = encode(Message(text="x"), Code(version="1"))
    assert module_side(symbol, Box(0, 0, 290, 290), None, 4, ()) == pytest.approx(10)
    found = []
    square = ((0, 0), (10, 0), (10, 10), (0, 10))
    gather(found, Reading("a", square))
    gather(found, Reading("a", tuple((x + 1, y) for x, y in square), version="2"))
    gather(found, Reading("a", tuple((x + 90, y) for x, y in square)))
    gather(found, Reading("b", square))
    assert [(r.text, r.version) for r in found] == [("a", "2"), ("a", None), ("b", None)]


def test_the_readers_eye_sees_a_plain_code_as_it_is():
    piece = Piece(message=Message(text=LINK))
    rendering = Renderer(None).render(piece, 740)
    eye = readers_eye(rendering)
    assert set(np.unique(eye)) == {0, 255}
    step = 740 // rendering.modules
    own = slice(4 * step + step // 2, -4 * step, step)
    seen = eye[own, own, 0] == 0
    assert (seen == rendering.symbol.dark).mean() > 0.98


# The log -----------------------------------------------------------------------


def test_a_note_stays_when_a_change_is_undone():
    piece = Piece(message=Message(text="a"))
    history = History(piece)
    history.push(piece.edited("message", text="b"), "Write")
    history.mark_saved()
    note = PhoneTest(device="old phone", size=30, read=True, state=history.piece.state)
    history.note((note,))
    assert history.changed  # a note is worth saving
    assert history.undo().message.text == "a" and history.piece.log == (note,)
    assert history.redo().message.text == "b" and history.piece.log == (note,)
    assert history.piece.state == note.state != piece.state
    assert history.piece.edited("finish", dpi=600).state == note.state  # looks the same
    with pytest.raises(ValueError, match="name"):
        PhoneTest(device="   ", size=30, read=False)


def test_a_piece_from_before_the_log_opens():
    piece = Piece(message=Message(text=LINK), code=Code(level="Q"))
    older = piece.model_dump(by_alias=True)
    older["schema"] = 4
    del older["log"], older["code"]["steer"], older["code"]["keep"]
    assert Piece.model_validate(older) == piece
