"""Trials: the camera against optics and arithmetic, reach, limits, reasons, costs."""

import io
import json
from dataclasses import replace

import cv2
import numpy as np
import pytest
from PIL import Image

from conftest import LINK
from nimble_tile.core.additions import Logo, Logos
from nimble_tile.core.errors import ProjectError
from nimble_tile.core.linear import luminance, to_linear, to_srgb
from nimble_tile.core.piece import Blend, Code, Message, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import Outcome
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials import sets
from nimble_tile.core.trials.camera import ELECTRONS, EXPOSED, READ_NOISE, Studio, handed_on
from nimble_tile.core.trials.cost import costs, without
from nimble_tile.core.trials.light import colour_of
from nimble_tile.core.trials.limits import LIMITS, bisect, limits, reads
from nimble_tile.core.trials.outlook import BAD_REACH, GOOD_REACH, settle
from nimble_tile.core.trials.reach import percent, reach
from nimble_tile.core.trials.room import Pass, Result, Room
from nimble_tile.core.trials.subject import Subject, plain_code_of, subject_of
from nimble_tile.core.trials.trial import Before, Trial
from nimble_tile.core.trials.wear import printed, shift_within
from nimble_tile.core.trials.why import Clues, clues_of, why


@pytest.fixture(scope="module")
def symbol():
    return encode(Message(text=LINK), Code(level="H", raise_level=False))


@pytest.fixture(scope="module")
def room(bay):
    return Room(bay)


@pytest.fixture
def drawn(store, photo_piece):
    """A function: a piece on a photograph, rendered."""
    renderer = Renderer(store)

    def make(size=700, **blend):
        piece = photo_piece("coffee").model_copy(update={"blend": Blend(**blend)})
        return piece, renderer.render(piece, size)

    make.renderer = renderer
    return make


def flat(value, side=400):
    """A subject without a code: one even grey."""
    image = np.full((side, side, 3), value, np.uint8)
    quad = np.array([[100, 100], [300, 100], [300, 300], [100, 300]], float)
    return Subject(image, quad, encode(Message(text="x"), Code()), "x")


# The camera ------------------------------------------------------------------


def test_transfer_curve_is_srgbs():
    # IEC 61966-2-1: knee 0.04045, slope 12.92, exponent 2.4.
    every = np.arange(256, dtype=np.uint8)[None]
    linear = to_linear(every)[0]
    assert linear[10] == pytest.approx(10 / 255 / 12.92, rel=1e-6)
    assert linear[128] == pytest.approx(((128 / 255 + 0.055) / 1.055) ** 2.4, rel=1e-6)
    assert np.abs(to_srgb(linear).astype(int) - every[0]).max() <= 1
    # The same weights in luminance.
    pure = np.array([[[255, 0, 0], [0, 255, 0], [0, 0, 255]]], np.uint8)
    assert luminance(pure)[0] == pytest.approx([0.2126, 0.7152, 0.0722], abs=1e-4)


def test_a_fine_grid_averages_in_light_and_not_in_srgb(symbol):
    # Half black, half white from afar is half the light of white: 188 of 255, not 128.
    board = np.indices((800, 800)).sum(0) % 2 * 255
    image = np.repeat(board.astype(np.uint8)[..., None], 3, 2)
    quad = np.array([[60, 60], [740, 60], [740, 740], [60, 740]], float)
    subject = Subject(image, quad, symbol, LINK)
    trial = Trial().changed("before", paper=1, ink=0).changed("camera", blur=0)
    trial = trial.changed("view", distance=1500).changed("light", lux=100_000, kelvin=6500)
    frame = Studio(subject).frame(trial)
    # Exposure brings the whole frame, ground included, to its target.
    assert luminance(frame.image).mean() == pytest.approx(EXPOSED, abs=0.02)
    centre = frame.image[frame.image.shape[0] // 2, frame.image.shape[1] // 2]
    share = luminance(centre[None, None])[0, 0] / luminance(frame.image)[2:5, 2:5].mean()
    assert share == pytest.approx(0.5 / 0.4, rel=0.1)  # beside the ground's 40 %


@pytest.mark.parametrize("distance", [200.0, 555.0])
def test_size_in_the_frame_is_the_pinholes(symbol, distance):
    # Similar triangles: a length l at distance d is f·l/d pixels, f from the field of view.
    trial = Trial().changed("view", distance=distance).changed("shown", size=30)
    frame = Studio(plain_code_of(symbol, LINK)).frame(trial)
    focal = 1440 / 2 / np.tan(np.radians(65 / 2))
    assert frame.module * symbol.side == pytest.approx(focal * 30 / distance, rel=1e-3)
    # And the picture agrees with the matrix: the finder's corner is where it says.
    x, y, w = frame.matrix @ (3.5, 3.5, 1)
    grey = cv2.cvtColor(frame.image, cv2.COLOR_RGB2GRAY)
    assert grey[round(y / w), round(x / w)] < grey[2, 2] - 40


def test_tilt_foreshortens_by_its_cosine_and_the_near_side_is_larger(symbol):
    trial = Trial().changed("view", distance=4000, sideways=60)
    trial = trial.changed("camera", pixels=8000, field=40)
    frame = Studio(plain_code_of(symbol, LINK)).frame(trial)
    corners = [frame.matrix @ (x, y, 1) for x, y in ((0, 0), (29, 0), (29, 29), (0, 29))]
    points = np.array([c[:2] / c[2] for c in corners])
    across = np.linalg.norm(points[1] - points[0])
    down = (np.linalg.norm(points[3] - points[0]) + np.linalg.norm(points[2] - points[1])) / 2
    assert across / down == pytest.approx(np.cos(np.radians(60)), rel=0.02)
    closer = Studio(plain_code_of(symbol, LINK)).frame(Trial().changed("view", sideways=50))
    left = closer.matrix @ (0, 0, 1), closer.matrix @ (0, 29, 1)
    right = closer.matrix @ (29, 0, 1), closer.matrix @ (29, 29, 1)
    heights = [np.linalg.norm(a[:2] / a[2] - b[:2] / b[2]) for a, b in (left, right)]
    assert heights[0] > 1.05 * heights[1]


def test_noise_is_that_of_photons_and_reading(symbol):
    # EMVA 1288: variance = photons + read noise squared, in electrons.
    def spread(lux):
        trial = Trial().changed("light", lux=lux, kelvin=6500).changed("camera", blur=0)
        trial = trial.changed("before", paper=1, ink=0).changed("shown", ground=1)
        return luminance(Studio(flat(255)).frame(trial).image).std() / EXPOSED

    for lux in (4.0, 64.0):
        electrons = lux * ELECTRONS
        one = np.sqrt(electrons + READ_NOISE**2) / electrons
        # Luminance mixes three independent channels.
        mixed = one * np.sqrt(0.2126**2 + 0.7152**2 + 0.0722**2)
        assert spread(lux) == pytest.approx(mixed, rel=0.12)


def test_light_has_the_colour_of_its_temperature():
    # CIE illuminant A, 2856 K: x = 0.4476, y = 0.4074 (CIE 15).
    rgb = np.array(colour_of(2856.0))
    to_xyz = np.array(
        [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
    )
    x, y, z = to_xyz @ rgb
    assert (x / (x + y + z), y / (x + y + z)) == pytest.approx((0.4476, 0.4074), abs=0.003)
    warm = Studio(flat(255)).frame(Trial().changed("light", kelvin=2000)).image.mean((0, 1))
    assert warm[0] > warm[1] > warm[2]


def test_ink_spreads_as_murray_and_davies_have_it():
    # A 50 % tint with a gain of 20 points prints as 70 % (A. Murray, 1936).
    half = np.full((40, 40, 3), 0.5, np.float32)
    seen = printed(half, Before(dot_gain=0.2, paper=0.8, ink=0.05), 1.0, 1.0)
    assert seen[20, 20, 0] == pytest.approx(0.7 * 0.05 + 0.3 * 0.8, abs=1e-4)
    # And dark modules grow at the cost of light ones.
    stripes = np.repeat(np.tile(np.repeat([0.0, 1.0], 20), 10)[None, :, None], 40, 0)
    stripes = np.repeat(stripes, 3, 2).astype(np.float32)
    spread = printed(stripes, Before(dot_gain=0.2, paper=1, ink=0), 1.0, 20.0)
    assert (spread[20, :, 0] < 0.5).mean() > 0.53


def test_what_messengers_do_is_done_to_the_file():
    rng = np.random.default_rng(0)
    image = rng.integers(0, 256, (300, 400, 3), np.uint8)
    shrunk, scale = handed_on(image, Before(shrink=200))
    assert shrunk.shape == (150, 200, 3) and scale == 2.0
    # JPEG by another library at the same quality has the same size within a few per cent.
    saved, _ = handed_on(image, Before(jpeg=30))
    file = io.BytesIO()
    Image.fromarray(image).save(file, "JPEG", quality=30)
    theirs = np.array(Image.open(file)).astype(int)
    assert np.abs(saved.astype(int) - theirs).mean() < 6
    assert np.abs(saved.astype(int) - image).mean() > 20


@pytest.mark.parametrize(
    "name", ["Folded flyer", "Crumpled in a pocket", "Smudged", "By lantern light"]
)
def test_frames_are_the_same_for_the_same_seed_only(symbol, name):
    trial = next(t for t in sets.shipped() if t.name == name)
    first, again = (Studio(plain_code_of(symbol, LINK)).frame(trial, 5).image for _ in range(2))
    other = Studio(plain_code_of(symbol, LINK)).frame(trial, 6).image
    assert np.array_equal(first, again)
    assert first.shape != other.shape or not np.array_equal(first, other)


def test_extremes_still_give_a_frame(symbol):
    studio = Studio(plain_code_of(symbol, LINK))
    for part, values in (
        ("view", {"distance": 20, "sideways": 80, "lengthways": -80}),
        ("view", {"distance": 50_000}), ("shown", {"size": 5000}), ("shown", {"size": 4}),
        ("camera", {"pixels": 160, "blur": 15, "motion": 80, "exposure": 5}),
        ("light", {"lux": 0.05, "shadow": 0.98, "glare": 10}),
        ("before", {"shrink": 48, "jpeg": 1, "times": 30, "dot_gain": 0.45}),
        ("wear", {"smudge": 0.6, "crumple": 1, "fold": 80}),
    ):  # fmt: skip
        frame = studio.frame(Trial().changed(part, **values))
        assert frame.image.dtype == np.uint8 and min(frame.image.shape[:2]) >= 16
        assert max(frame.image.shape[:2]) <= 1600 and np.isfinite(frame.matrix).all()


# Sets ------------------------------------------------------------------------


def test_at_least_sixteen_trials_ship_from_easy_to_cruel(symbol, room):
    trials = sets.shipped()
    assert len(trials) >= 16 and len({t.name for t in trials}) == len(trials)
    assert all(t.on and not any(c.isdigit() for c in t.name) for t in trials)
    twin = plain_code_of(symbol, LINK)
    results = list(room.run(twin, trials))
    assert len(results) == len(trials)
    # Plain code passes most, and not everything: some are cruel.
    share = sum(r.usual.count for r in results) / (4 * len(results))
    assert 0.75 < share < 0.98


def test_a_set_is_kept_read_and_refused(tmp_path):
    path = tmp_path / "mine" / "trials.json"
    mine = (Trial(name="By the window").changed("light", lux=80), Trial(name="Off", on=False))
    sets.write(mine, path)
    assert sets.read(path) == sets.TrialSet(mine) == sets.own(path)
    two = ("zxing-cpp", "quirc")
    sets.write(mine, path, two)
    assert sets.read(path) == sets.TrialSet(mine, two)
    sets.write(mine, path)
    assert json.loads(path.read_text("utf-8"))["trials"][0] == {
        "name": "By the window", "light": {"lux": 80.0},
    }  # fmt: skip
    for text, why_not in (
        ("{", "damaged"), ('{"format": "x"}', "not a set"),
        (json.dumps({"format": sets.FORMAT, "schema": 9, "trials": [{}]}), "newer"),
        (json.dumps({"format": sets.FORMAT, "schema": 1, "trials": []}), "no trials"),
        (json.dumps({"format": sets.FORMAT, "schema": 1,
                     "trials": [{"name": "a", "view": {"distance": -3}}]}), "not possible"),
        (json.dumps({"format": sets.FORMAT, "schema": 1, "trials": [{"name": "a"}] * 999}), "more"),
        (json.dumps({"format": sets.FORMAT, "schema": 1, "trials": [{"name": "a"}],
                     "readers": ["a stranger"]}), "none of its readers"),
    ):  # fmt: skip
        path.write_text(text, "utf-8")
        with pytest.raises(ProjectError, match=why_not):
            sets.read(path)
        found, told = sets.understood(path)  # a damaged set does not stop the program
        assert found.trials and found.readers
        assert told or why_not in ("no trials", "none of its readers")


# Reach -----------------------------------------------------------------------


def test_reach_counts_passes_of_the_usual_code():
    def result(passed, plain):
        names = ("zxing-cpp", "OpenCV", "quirc", "qrdec")
        pair = [
            Pass(dict(zip(names, (c == "x" for c in text), strict=True)))
            for text in (passed, plain)
        ]
        return Result(Trial(), *pair)

    results = [result("xx..", "xxx."), result("...x", "...."), result("x..x", "xxxx")]
    assert reach(results) == pytest.approx((2 + 1 + 2) / (3 + 0 + 4))
    assert [r.state for r in results] == ["partly", "passed", "partly"]
    assert result("....", "....").state == "void" and percent(1.04) == "100%"
    assert result("xxx.", "xxx.").state == "passed" and result("....", "xxx.").state == "failed"
    assert reach([result("xxxx", "....")]) is None


def test_cheap_trials_come_first_known_ones_at_once_and_stopping_stops(drawn, bay):
    _, rendering = drawn()
    subject = subject_of(rendering)
    fresh = Room(bay)
    trials = sets.shipped()
    seen = []
    for result in fresh.run(subject, trials, stop=lambda: len(seen) >= 4):
        seen.append(result)
    assert 4 <= len(seen) <= 6
    sizes = [fresh.frame(subject, r.trial).image.size for r in seen]
    assert max(sizes) < fresh.frame(subject, trials[0]).image.size
    whole = list(fresh.run(subject, trials, thumbs=True))
    assert {r.trial for r in whole} == set(trials) and all(r.thumb is not None for r in whole)
    asked = []
    bay.read_all = lambda *a, **k: asked.append(a)
    try:
        again = list(fresh.run(subject, trials, thumbs=True))
    finally:
        del bay.read_all
    assert not asked and reach(again) == reach(whole)
    # Another name is no other situation; another light is.
    renamed = trials[0].model_copy(update={"name": "Else"})
    assert fresh._known(subject, renamed, 0, False)
    assert not fresh._known(subject, trials[0].changed("light", lux=7), 0, False)


def test_stronger_blends_reach_farther(drawn, room):
    values = []
    for strength in (0.1, 0.4, 0.9):
        _, rendering = drawn(strength=strength)
        values.append(reach(list(room.run(subject_of(rendering), sets.shipped()))))
    assert values[0] < 0.2 < values[1] < values[2] and values[2] > 0.85


def test_own_size_follows_the_resolution(drawn, room):
    _, rendering = drawn()
    small, large = subject_of(rendering, dpi=600), subject_of(rendering, dpi=150)
    assert large.own_size == pytest.approx(4 * small.own_size)
    assert small.own_size == pytest.approx(small.edge / 600 * 25.4)
    own = Trial().changed("shown", size=None)
    assert room.frame(large, own).module > 3 * room.frame(small, own).module


# The verdict -----------------------------------------------------------------


def test_trials_settle_the_verdict(drawn, bay, room):
    _, rendering = drawn(strength=0.7)
    first = judge_rendering(rendering, bay)
    results = list(room.run(subject_of(rendering), sets.shipped()))
    settled = settle(first, results)
    assert first.state == settled.state == "well" and settled.reach >= GOOD_REACH
    names = dict.fromkeys(("zxing-cpp", "OpenCV", "quirc", "qrdec"), True)
    none = dict.fromkeys(names, False)

    def made(share):
        count = round(20 * share)
        return [Result(Trial(name=f"t{i}"), Pass(names if i < count else none), Pass(names))
                for i in range(20)]  # fmt: skip

    alone = replace(
        first,
        marks=tuple(replace(m, read=m.name == "quirc", text=m.text) for m in first.marks),
    )
    thin, gone = settle(first, made(0.6)), settle(alone, made(0.25))
    assert (thin.state, gone.state) == ("thin", "fails")
    assert "60%" in thin.reasons[0].text and "“t12”" in thin.reasons[0].text
    assert BAD_REACH < 0.6 < GOOD_REACH
    # A good reach does not make up for spare that is gone.
    assert settle(replace(first, spare=0.2, state="thin"), made(1.0)).state == "thin"
    assert settle(replace(first, spare=0.5, state="thin"), made(1.0)).state == "well"
    # Two trials of an own set say too little.
    assert settle(first, made(0.1)[:2]).state == "well"
    # What all read straight on is never said not to scan.
    assert settle(first, made(0.05)).state == "thin"
    # One straight look does not overrule the trials: where people read it, it scans.
    unread = tuple(replace(mark, read=False, text=None) for mark in first.marks)
    dead = Verdict("fails", LINK, False, (), unread)
    assert settle(dead, made(0.5)).state == "thin" and settle(dead, made(0.25)).state == "fails"
    # What says something else stays what it is.
    other = replace(dead, found=first.found, expected="else")
    assert settle(other, made(1.0)).state == "fails"


# Limits ----------------------------------------------------------------------


def test_limits_are_where_readers_give_up(drawn, room, monkeypatch):
    # To a sixteenth of each range is enough here.
    monkeypatch.setattr("nimble_tile.core.trials.limits.HALVINGS", 4)
    _, rendering = drawn(strength=0.5)
    subject = subject_of(rendering)
    found = {r.limit.key: r for r in limits(room, subject)}
    assert set(found) == {limit.key for limit in LIMITS}
    for reached in found.values():
        limit = reached.limit

        # Plain code goes at least as far, within two steps of the search.
        def rank(value, limit=limit):
            ends = (limit.easy, limit.cruel)
            if limit.logarithmic:
                return np.log(value / ends[0]) / np.log(ends[1] / ends[0])
            return (value - ends[0]) / (ends[1] - ends[0])

        assert rank(reached.usual) >= rank(reached.value) - 2 / 16
    # Reading distance is about ten times the code's side and more (common practice).
    assert found["distance"].usual > 10 * 40
    # A little past the limit it is not read any more.
    blur = found["blur"].limit
    from nimble_tile.core.trials.limits import base_for

    past = blur.trial(base_for(blur), found["blur"].value * 1.3)
    within = blur.trial(base_for(blur), found["blur"].value)
    assert reads(room, [(subject, within), (subject, past)]) == [True, False]


def test_bisection_finds_a_made_up_limit():
    limit = LIMITS[2]  # tilt, 0 to 78

    class Fake:
        def passes(self, jobs, seed=0):
            return [Pass({"a": t.view.sideways <= s}) for s, t in jobs]

    ends = bisect(Fake(), (41.3, 99.0, -1.0), limit, Trial())
    assert ends[0][0] == pytest.approx(41.3, abs=78 / 128) and not ends[0][1]
    assert ends[1] == (78.0, True) and ends[2] == (None, False)


# Reasons ---------------------------------------------------------------------


def doctored(rendering, change):
    """The subject of a rendering whose image was changed in module units."""
    image = rendering.image.copy()
    change(image, rendering.matrix, rendering.quiet_zone)
    subject = subject_of(rendering)
    return Subject(image, subject.quad, subject.symbol, subject.expected)


def fill(image, matrix, area, colour):
    x, y, width, height = area
    corners = np.array([[x, y], [x + width, y], [x + width, y + height], [x, y + height]], float)
    homogeneous = np.c_[corners, np.ones(4)] @ matrix.T
    points = np.rint(homogeneous[:, :2] / homogeneous[:, 2:]).astype(np.int32)
    cv2.fillConvexPoly(image, points, colour)


@pytest.fixture(scope="module")
def plain_rendering():
    piece = Piece(message=Message(text=LINK), code=Code(level="M", raise_level=False))
    return Renderer(None).render(piece, 800)


def test_a_quiet_zone_eaten_on_the_left_is_named(plain_rendering, room):
    def dirt(image, matrix, quiet):
        side = plain_rendering.symbol.side
        fill(image, matrix, (0, quiet, quiet, side), (20, 20, 20))

    subject = doctored(plain_rendering, dirt)
    found = why(room, subject, Trial(), Clues())
    told = [c.text for c in found.causes if "quiet zone" in c.text]
    assert len(told) == 1 and "on the left" in told[0]
    cause = next(c for c in found.causes if "quiet zone" in c.text)
    assert cause.area[0] < 0 and cause.area[0] + cause.area[2] <= 0


def test_a_finder_with_a_wrong_run_is_named_with_its_ratio(plain_rendering, room):
    def thicker(image, matrix, quiet):
        side = plain_rendering.symbol.side
        # The light ring's left side of the top right finder is filled.
        fill(image, matrix, (quiet + side - 6, quiet + 1, 1, 5), (0, 0, 0))

    subject = doctored(plain_rendering, thicker)
    found = why(room, subject, Trial(), Clues())
    told = [c for c in found.causes if "finder" in c.text]
    assert told and "top right" in told[0].text and ("row" in told[0].text)
    assert told[0].area == (plain_rendering.symbol.side - 7, 0.0, 7.0, 7.0)


def test_whose_fault_a_module_is(drawn, bay, room, store):
    piece, rendering = drawn(strength=0.42)
    verdict = judge_rendering(rendering, bay)
    subject = subject_of(rendering)
    clues = clues_of(rendering, verdict.sample, piece)
    trial = next(t for t in sets.shipped() if t.name == "Wet poster, dull day")
    found = why(room, subject, trial, clues)
    assert not found.sample.corrects
    total = sum(mask.sum() for mask in found.faults.values())
    assert total == found.sample.wrong.sum()  # each wrong module has one culprit
    assert found.faults["blend"].sum() > found.faults.get("situation", np.zeros(1)).sum()
    told = " ".join(c.text for c in found.causes)
    assert "modules flip" in told and "blur" in told and "codewords are wrong" in told
    assert "Contrast" in told and found.contrast < 0.6 * found.plain_contrast
    # Under a white logo without a backing the logo is to blame.
    digest = store.add(_white_png(), "white")
    logo = Logo(digest=digest, name="white", size=0.36)
    with_logo = piece.model_copy(
        update={"logo": Logos(items=(logo,)), "blend": Blend(strength=0.9)}
    )
    made = drawn.renderer.render(with_logo, 700)
    judged = judge_rendering(made, bay)
    looked = why(
        room, subject_of(made), sets.shipped()[0], clues_of(made, judged.sample, with_logo)
    )
    blamed = max(looked.faults, key=lambda name: looked.faults[name].sum())
    assert blamed == "logo" and "under the logo" in " ".join(c.text for c in looked.causes)


def _white_png():
    file = io.BytesIO()
    Image.new("RGB", (60, 60), "white").save(file, "PNG")
    return file.getvalue()


def test_distance_and_creases_are_named(plain_rendering, room):
    subject = subject_of(plain_rendering)
    far = Trial().changed("view", distance=900)
    told = " ".join(c.text for c in why(room, subject, far, Clues()).causes)
    assert "pixels a module reach the camera" in told
    folded = Trial().changed("wear", fold=40)
    told = " ".join(c.text for c in why(room, subject, folded, Clues()).causes)
    assert "Creases move modules" in told
    assert shift_within(folded.wear, 0) > 0.02 and shift_within(Trial().wear, 0) == 0


def test_a_reader_that_crashes_in_a_trial_is_named_and_the_rest_goes_on(plain_rendering, bay):
    kept = bay.read_all

    def crashing(images, names=(), meanwhile=()):
        return [
            [
                o if o.name != "OpenCV" else Outcome("OpenCV", (), "crashed on this image")
                for o in one
            ]
            for one in kept(images, names, meanwhile)
        ]

    bay.read_all = crashing
    try:
        alone = Room(bay)
        subject = subject_of(plain_rendering)
        results = list(alone.run(subject, sets.shipped()[:6]))
        told = " ".join(c.text for c in why(alone, subject, sets.shipped()[0], Clues()).causes)
    finally:
        del bay.read_all
    assert all(r.passed.trouble == {"OpenCV": "crashed on this image"} for r in results)
    assert all(not r.passed.read["OpenCV"] and r.passed.read["zxing-cpp"] for r in results)
    assert "OpenCV crashed on this image" in told


# Cost ------------------------------------------------------------------------


def test_a_rung_costs_what_the_piece_gains_without_it(drawn, bay, room):
    piece, rendering = drawn(strength=0.5)
    results = list(room.run(subject_of(rendering), sets.shipped()))
    whole = reach(results)
    verdict = judge_rendering(rendering, bay)
    found = {
        c.rung: c
        for c in costs(drawn.renderer, room, piece, sets.shipped(), 700,
                       (whole, verdict.spare))
    }  # fmt: skip
    assert set(found) == {"picture", "blend"}  # no logo, no caption, plain modules
    for cost in found.values():
        assert cost.reach == pytest.approx(cost.reach_without - whole)
        assert cost.reach > 0.1
    assert without(piece, "logo") is None
    assert without(piece, "picture").picture.digest is None
