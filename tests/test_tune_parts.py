"""Parts of the searches by themselves: places, finders, masks, words, bad input, undo."""

import itertools
from itertools import pairwise

import cv2
import numpy as np
import pytest
import segno
from scipy.ndimage import gaussian_filter, map_coordinates

from conftest import LINK, encoded, photograph
from nimble_tile.core.blend import gentle, quiet
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import strengths
from nimble_tile.core.blend.wants import wants
from nimble_tile.core.errors import UserError
from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.piece import Blend, Code, Message, Piece
from nimble_tile.core.project.history import History
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.symbol.freedom import freedom
from nimble_tile.core.symbol.steering import Steering, Wanted
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.trials.subject import usual_code, usual_symbol
from nimble_tile.core.tune import areas, family, guess, line, mend, recover
from nimble_tile.core.tune.finders import likely_finders
from nimble_tile.core.tune.measure import Measure

from test_cli import run  # isort: skip


def symbol_of(level="M", version="auto", **code):
    return encode(Message(text=LINK), Code(level=level, version=version, raise_level=False, **code))


def corners(left, top, side):
    return np.array(
        [[left, top], [left + side, top], [left + side, top + side], [left, top + side]], float
    )


# Recovering ---------------------------------------------------------------------


@pytest.mark.parametrize("angle", [0, 33, -120])
def test_finders_are_found_however_they_are_turned(angle):
    symbol = symbol_of()
    flat = plain_code(symbol, 4, 370)
    turn = cv2.getRotationMatrix2D((185, 185), angle, 1)
    turn[:, 2] += 115
    image = cv2.warpAffine(flat, turn, (600, 600), borderValue=(255, 255, 255))
    peaks = likely_finders(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY).astype(np.float32))
    module, n = 370 / (symbol.side + 8), symbol.side
    for column, row in ((7.5, 7.5), (n + 0.5, 7.5), (7.5, n + 0.5)):
        x, y = turn @ (column * module, row * module, 1)
        near = min(peaks, key=lambda peak: np.hypot(peak[0] - x, peak[1] - y))
        assert np.hypot(near[0] - x, near[1] - y) < 0.6 * module
        assert near[2] == pytest.approx(module, rel=0.2)
        assert near[3] > 0.5


def test_a_family_holds_every_level_and_mask_and_knows_its_members():
    members = recover.family(LINK, 6)
    kinds = {(symbol.level, symbol.mask) for symbol in (m.symbol for m in members.members)}
    assert kinds == {(level, mask) for level in "LMQH" for mask in range(8)}
    # segno makes each of them by itself, mask and all.
    for level, mask in (("L", 3), ("H", 6)):
        own = symbol_of(level, "6", mask=mask)
        (ours,) = [
            m.symbol
            for m in members.members
            if m.known is None and (m.symbol.level, m.symbol.mask) == (level, mask)
        ]
        assert (ours.dark == own.dark).all()
        tones = np.where(own.dark, -1.0, 1.0) + np.random.default_rng(1).normal(
            0, 4, own.dark.shape
        )
        score, found = members.best(tones.astype(np.float32))
        assert found.symbol is ours and found.known is None
        assert score > 6
    assert {m.symbol.level for m in recover.family(LINK, 3).members} == {"L", "M"}
    assert recover.family(LINK, 1) is None


def test_chance_stays_below_what_counts_as_found():
    noise = np.random.default_rng(3).integers(0, 256, (110, 110, 3), np.uint8)
    found = recover.suspects(cv2.GaussianBlur(noise, (0, 0), 1.5), LINK)
    assert not any(suspect.sure for suspect in found)


def test_a_region_says_where(bay):
    symbol = symbol_of("Q", mask=1)
    image = cv2.resize(photograph("rocket"), (900, 600))
    side = 8 * (symbol.side + 8)
    part = image[60 : 60 + side, 410 : 410 + side]
    part[:] = np.rint(0.85 * part + 0.15 * plain_code(symbol, 4, side)).astype(np.uint8)
    found = recover.suspects(image, LINK, region=(410, 60, side, side))[0]
    assert found.sure
    assert found.symbol.mask == 1
    assert np.abs(found.quad - corners(442, 92, 8 * symbol.side)).max() < 3


def test_the_quiet_zone_is_what_the_picture_has_room_for():
    n = 29
    assert recover.quiet_around(corners(40, 40, 10 * n), n, (370, 370)) == 4
    assert recover.quiet_around(corners(20, 40, 10 * n), n, (370, 370)) == 2
    assert recover.quiet_around(corners(0, 0, 10 * n), n, (290, 290)) == 0


# Mending ------------------------------------------------------------------------


def test_a_mended_picture_in_perspective_changes_nothing_outside(bay):
    symbol = symbol_of("H")
    picture = cv2.resize(photograph("coffee"), (900, 600), interpolation=cv2.INTER_AREA)
    quad = np.array([[250, 60], [720, 90], [690, 540], [230, 520]], float)
    side = 10 * (symbol.side + 8)
    onto = cv2.getPerspectiveTransform(np.float32(corners(0, 0, side)), np.float32(quad))
    code = cv2.warpPerspective(plain_code(symbol, 4, side), onto, (900, 600), flags=cv2.INTER_AREA)
    where = cv2.warpPerspective(np.full((side, side), 0.4, np.float32), onto, (900, 600))
    mixed = picture * (1 - where[..., None]) + code * where[..., None]
    image = np.rint(mixed).astype(np.uint8)
    own = mapped(matrix_to(quad, symbol.side + 8), corners(4, 4, symbol.side))
    mender = mend.Mender(image, recover.Suspect(symbol, own, 50.0), Room(bay), shipped()[:1])
    assert mender.quiet == 4
    assert mender.box is None
    tried = mender.attempt((0.7, 0.7, 0.7), 0.0, mend.WEIGHTS[0])
    outside = cv2.warpPerspective(np.ones((side, side), np.uint8), onto, (900, 600)) == 0
    outside = cv2.erode(outside.astype(np.uint8), np.ones((7, 7))) > 0
    assert (tried.image[outside] == image[outside]).all()
    assert sum(tried.read.values()) > sum(mender.straight(image).values())
    # What is shown as changed was changed, dark modules down and light ones up.
    grid = tried.changed[4:-4, 4:-4]
    strong = np.abs(grid) > 2 * mend.SEEN
    assert strong.sum() > 50
    assert ((grid < 0) == symbol.dark)[strong].mean() > 0.85


def test_what_stands_in_the_way_is_said():
    grid = np.zeros((37, 37), np.float32)
    suspect = recover.Suspect(symbol_of(), corners(0, 0, 29), 40.0)

    def attempt(read, reach):
        change = mend.Fidelity(1.0, 0.0)
        return mend.Attempt(None, suspect, 4, read, reach, change, grid, (1, 1, 1), False)

    lost = attempt({"zxing-cpp": True, "OpenCV": False}, 0.0)
    assert "it is not read by OpenCV" in mend.why_not(lost, 0.9, False)
    assert "vetoed" in mend.why_not(lost, 0.9, True)
    assert "60%" in mend.why_not(attempt({"OpenCV": True}, 0.6), 0.9, False)
    assert attempt({}, 0.0).touched == 0


def test_bad_input_to_mend_is_one_line(tmp_path):
    picture = tmp_path / "cat.png"
    picture.write_bytes(encoded(photograph("chelsea")))
    torn = tmp_path / "torn.png"
    torn.write_bytes(picture.read_bytes()[:900])
    mask = tmp_path / "mask.png"
    mask.write_bytes(encoded(np.zeros((10, 10, 3), np.uint8)))
    out = tmp_path / "out.png"
    for words in (
        (torn, "--message", LINK, "--out", out),
        (tmp_path / "none.png", "--message", LINK, "--out", out),
        (picture, "--message", "", "--out", out),
        (picture, "--message", "x" * 4000, "--out", out),
        (picture, "--message", LINK, "--out", tmp_path / "out.bmp"),
        (picture, "--message", LINK, "--out", out, "--veto", mask),
        (picture, "--message", LINK, "--out", out, "--reach", "2"),
    ):
        made = run("mend", *words)
        assert made.exit_code == 2, made.output
        assert made.stderr.startswith("nimble-tile: ")
        assert made.stderr.count("\n") == 1
        assert not out.exists()


def test_a_message_that_only_begins_alike_is_told_apart(bay):
    symbol = encode(Message(text=LINK), Code(level="M", raise_level=False))
    picture = cv2.resize(photograph("chelsea")[:300, 60:360], (444, 444)).astype(float)
    image = np.rint(0.75 * picture + 0.25 * plain_code(symbol, 4, 444)).astype(np.uint8)
    right = mend.find(image, LINK, bay)[0]
    assert right.sure and right.parity > recover.PARITY and not right.alike
    other = recover.suspects(image, LINK[:-5] + "path9/x")
    assert not any(suspect.sure for suspect in other)
    alike = [suspect for suspect in other if suspect.score >= recover.SURE_CORRELATION]
    assert alike and all(suspect.alike for suspect in alike)
    with pytest.raises(UserError, match="begins alike"):
        mend.find(image, LINK[:-5] + "path9/x", bay)


def laid(symbol, opacity, photo="chelsea"):
    picture = cv2.resize(photograph(photo)[:300, 60:360], (12 * (symbol.side + 8),) * 2)
    plain = plain_code(symbol, 4, picture.shape[0]).astype(float)
    return np.rint((1 - opacity) * picture + opacity * plain).astype(np.uint8)


@pytest.mark.parametrize(
    ("steer", "version", "level", "opacity", "wrong"),
    [("padding", "4", "L", 0.25, 0.12), ("padding", "6", "Q", 0.3, 0), ("tail", "5", "M", 0.3, 0)],
)
def test_a_steered_symbol_is_found_though_its_free_bits_are_unknown(
    steer, version, level, opacity, wrong
):
    plain = symbol_of(level, version, steer=steer)
    rng = np.random.default_rng(5)
    tones = cv2.GaussianBlur(rng.normal(size=plain.dark.shape), (0, 0), 2)
    wanted = Wanted(tones < 0, np.abs(tones))
    made = Steering(plain, freedom(plain), wanted.weight).best(wanted).symbol
    assert (made.dark != plain.under(made.mask)).mean() > 0.05
    image = laid(made, opacity)
    if steer == "padding":
        found = recover.suspects(image, LINK)[0]
        assert found.sure and found.chosen is not None and found.symbol.text == LINK
        kind = found.symbol.version, found.symbol.level, found.symbol.mask
        assert kind == (version, level, made.mask)
        assert (found.symbol.dark != made.dark).mean() <= wrong
        other = recover.suspects(image, LINK[:-5] + "path9/x")
        assert not any(suspect.sure for suspect in other)
        assert any(suspect.alike for suspect in other)
    # The tail's digits need not be known where the symbol is.
    found = recover.suspects(image, LINK, symbols=[made])[0]
    assert found.sure and found.symbol is made


def test_what_another_encoder_made_is_found_if_one_reader_reads_it(bay):
    # segno in byte mode where ours would pack letters of the small alphabet.
    text = "HTTPS://LANTERNWALK.EXAMPLE/DUSK/PATH7"
    rows = segno.make_qr(text, error="l", version=4, mask=2, mode="byte", boost_error=False)
    dark = np.array([list(row) for row in rows.matrix], bool)
    image = laid(Symbol(dark, "4", "L", 2, text), 0.55)
    read = [o.name for o in bay.read(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY)) if o.readings]
    assert read
    assert not any(suspect.sure for suspect in recover.suspects(image, text))
    found = mend.find(image, text, bay)[0]
    assert found.sure and np.array_equal(found.symbol.dark, dark)
    assert mend.means(LINK + "#0042", LINK) and not mend.means(LINK + "#4x", LINK)


# Guessing -----------------------------------------------------------------------


def test_guesses_are_those_of_a_gaussian_process():
    """Against scikit-learn's regression, an implementation of the same formulas by others."""
    from sklearn.gaussian_process import GaussianProcessRegressor
    from sklearn.gaussian_process.kernels import RBF, ConstantKernel, DotProduct

    prior = guess.Prior(0.9, 0.5, 0.1, 0.3, 0.0, 0.0, 0.0, 0.05, 0.06, 0.01)
    rng = np.random.default_rng(3)
    known, new = rng.uniform(0.3, 1, 9), np.linspace(0.3, 1, 15)
    values = 0.8 + 0.4 * known + rng.normal(0, 0.03, 9)
    rows = [guess.as_rows([guess.Trait(0, 0)] * len(s)) for s in (known, new)]
    mean, deviation = guess.predict(prior, rows[0], known, values, rows[1], new)
    kernel = (
        ConstantKernel(0.1**2, "fixed")
        + ConstantKernel(0.3**2, "fixed") * DotProduct(0, "fixed")
        + ConstantKernel(0.05**2, "fixed") * RBF(0.06, "fixed")
    )
    outside = GaussianProcessRegressor(kernel, alpha=0.01**2)
    line = 0.9 + 0.5 * (known - guess.MIDDLE)
    outside.fit((known - guess.MIDDLE)[:, None], values - line)
    rest, spread = outside.predict((new - guess.MIDDLE)[:, None], return_std=True)
    assert np.allclose(mean, rest + 0.9 + 0.5 * (new - guess.MIDDLE), atol=2e-3)
    assert np.allclose(deviation, spread, atol=2e-3)
    assert guess.chance(np.array([0.9]), np.array([0.1]), 0.9) == pytest.approx(0.5)


def test_what_candidates_share_is_learned_for_all_of_them():
    kinds = [guess.Trait(0, 1), guess.Trait(0, 2), guess.Trait(1, 1)]
    rows, strengths = guess.as_rows(kinds), np.full(3, 0.6)
    before, doubt = guess.predict(guess.REACH, rows[:0], strengths[:0], strengths[:0], rows,
                                  strengths)  # fmt: skip
    seen = before[:1] + 0.1  # the first one is better than expected
    after, less = guess.predict(guess.REACH, rows[:1], strengths[:1], seen, rows, strengths)
    # Another mask of the same version gains more than another version, itself most.
    assert before[0] < after[2] < after[1] < after[0] < seen[0] + 1e-3
    assert less[0] < less[1] < less[2] < doubt[0]


# The gentle blend's parts -------------------------------------------------------


def test_only_a_line_beside_the_code_must_be_light():
    plan = Plan(cv2.resize(photograph("chelsea")[:300, :300], (444, 444)), symbol_of(), 4)
    lines = gentle.beside(plan)
    assert not (lines & ~plan.quiet).any()
    assert lines[3, 3:34].all() and lines[3:34, 3].all()
    assert lines[33, 3:34].all() and lines[3:34, 33].all()
    assert lines.sum() == 4 * 30


def test_no_dark_crack_leads_out_of_the_code():
    """What is dark inside is parted from what is dark outside, with a local threshold.

    A picture of thin dark hairs across everything is the worst case.
    """
    picture = np.full((888, 888, 3), 200, np.uint8)
    picture[:, ::37] = picture[::41] = 10
    picture[:, 1::37] = picture[1::41] = 10
    plan = Plan(picture, symbol_of(), 4)
    blend = Blend(method="gentle", strength=0.6)
    after = gentle.blend(plan, blend, strengths(plan, blend))[..., 0].astype(np.float32)
    local = cv2.GaussianBlur(after, (0, 0), gentle.LOCAL * 24)
    dark = (after < local).astype(np.uint8)
    count, parts = cv2.connectedComponents(dark, connectivity=4)
    edge, inner = 4 * 24, 888 - 4 * 24
    outside = np.ones_like(dark, bool)
    outside[edge - 12 : inner + 12, edge - 12 : inner + 12] = False
    inside = np.zeros_like(dark, bool)
    inside[edge + 12 : inner - 12, edge + 12 : inner - 12] = True
    assert outside.any() and count > 4
    shared = set(parts[outside & (dark > 0)]) & set(parts[inside & (dark > 0)])
    assert not shared
    # Without the seam they are one.
    bare = picture[..., 0].astype(np.float32)
    hairs = (bare < cv2.GaussianBlur(bare, (0, 0), 60)).astype(np.uint8)
    _, joined = cv2.connectedComponents(hairs, connectivity=4)
    assert set(joined[outside & (hairs > 0)]) & set(joined[inside & (hairs > 0)])


def test_two_finders_keep_square_corners():
    plan = Plan(np.full((888, 888, 3), 150, np.uint8), symbol_of(), 4)
    blend = Blend(method="gentle", strength=0.6)
    after = gentle.blend(plan, blend, strengths(plan, blend))[..., 0]
    low, high = 4 * 24 - 3, 33 * 24 + 2  # just outside the code's corners
    assert after[low, high] < 110 and after[high, low] < 110
    assert after[low, low] > 150  # the lines are not drawn from this one
    # The guard is kept: nothing is drawn where the strength is 0.
    none = strengths(plan, blend).copy()
    none[:12, -12:] = 0
    kept = gentle.blend(plan, blend, none)
    assert np.array_equal(kept[: 4 * 24, 34 * 24 :], plan.square[: 4 * 24, 34 * 24 :])


def test_margins_grow_with_the_strength_and_shrink_among_like_modules():
    plan = Plan(np.full((444, 444, 3), 128, np.uint8), symbol_of(), 4)
    blend = Blend(method="gentle")
    found = [gentle.margins(plan, blend, np.full((37, 37), s, np.float32)) for s in (0.3, 0.6, 0.9)]
    for weaker, stronger in pairwise(found):
        assert (stronger.middle >= weaker.middle).all()
        assert (stronger.area >= weaker.area).all()
    nothing = gentle.margins(plan, blend, np.zeros((37, 37), np.float32))
    assert max(nothing.middle.max(), nothing.area.max(), nothing.grey.max()) < -70
    finder = found[1].middle[4:11, 4:11]
    body = found[1].middle[plan.parts == gentle.Part.DATA]
    assert finder.min() > body.max()
    assert body.min() < 0.9 * body.max()


def test_a_soft_quiet_zone_ends_in_the_picture():
    plan = Plan(cv2.resize(photograph("coffee")[:400, 100:500], (444, 444)), symbol_of(), 4)
    share = quiet.fade(plan, True)
    for turned in range(4):  # alike on all four sides
        side = np.rot90(share, turned)
        across = side[:, side.shape[1] // 2]
        assert side[0].max() < 0.02
        # It only grows inwards, by no step that could be seen, and is whole next to the code:
        # OpenCV loses codes whose quiet zone is not clear for two modules.
        assert np.all(np.diff(across[: len(across) // 2]) >= 0)
        assert np.abs(np.diff(across)).max() < 0.12
        assert np.all(across[quiet.QUIET_CELLS * 2 : -quiet.QUIET_CELLS * 2] == 1)
    assert np.all(quiet.fade(Plan(photograph("coffee")[:400, :400], symbol_of(), 0), False) == 1)


def test_flat_areas_count_for_steering_too():
    flat = np.full((444, 444, 3), 170, np.uint8)
    flat[:, 222:] = np.random.default_rng(2).integers(60, 255, (444, 222, 3), np.uint8)
    wanted = wants(flat, 29, 4)
    assert wanted.weight.min() > 0
    left, right = wanted.weight[8:-8, :10], wanted.weight[8:-8, -10:]
    assert left.mean() > 0
    assert right.mean() > left.mean()  # there modules differ from their surroundings


# Measure and undo ---------------------------------------------------------------


def test_long_messages_are_measured_against_the_level_that_fits(bay):
    long = Message(kind="text", text="reed " * 400)
    plain = usual_symbol(long.text)
    assert plain.level == "M"  # 2,000 bytes: more than 1,663 at Q, ISO/IEC 18004
    assert usual_symbol("x" * 4000) is None
    # Of a steered link only what was written counts; Micro QR stands against Micro QR.
    steered = usual_symbol(f"{LINK}#{'7' * 30}")
    assert steered.text == LINK and steered.level == "H"
    assert usual_symbol("12345", micro=True).version == "M4"
    none = [trial.model_copy(update={"on": False}) for trial in shipped()]
    empty = Measure(Room(bay), usual_code(LINK), none)
    rendering = Renderer(None).render(Piece(message=Message(text=LINK)), 300)
    assert empty.reach(rendering) == 0.0


def test_a_growing_change_is_one_step_of_undo_however_long_it_takes():
    clock = iter(range(0, 1000, 20))
    first = Piece(message=Message(text="a"))
    history = History(first, clock=lambda: next(clock))
    for strength in (0.5, 0.6, 0.7):
        piece = first.edited("blend", strength=strength)
        history.push(piece, "Gentlest pass", "gentlest", grows=True)
    assert history.undo_name == "Gentlest pass"
    assert history.undo() == first
    assert history.undo_name is None
    assert history.redo().blend.strength == 0.7
    # After its end another search is a step of its own.
    history.push(first.edited("blend", strength=0.2), "Change the strength")
    history.push(first.edited("blend", strength=0.3), "Gentlest pass", "gentlest", grows=True)
    assert history.undo().blend.strength == 0.2


def test_places_of_a_mended_picture_hold_every_module_once_and_lie_where_they_are():
    symbol, quiet = symbol_of(), 2
    total = symbol.side + 2 * quiet
    quad = np.array([[60, 40], [380, 70], [350, 390], [40, 340]], float)
    suspect = recover.Suspect(symbol, quad, 30.0, 9.0)
    change = np.zeros((total, total), np.float32)
    change[quiet : quiet + 7, quiet : quiet + 7] = 40  # the upper left finder
    change[total // 2, total // 2] = -20
    attempt = mend.Attempt(
        np.zeros((430, 430, 3), np.uint8), suspect, quiet, {"a": True}, 0.9, None, change,
        (0.5, 0.5, 0.5), True,
    )  # fmt: skip
    found = areas.named_areas(attempt)
    assert (np.sum(list(found.values()), axis=0) == 1).all()
    first, second = areas.changed_areas(attempt)
    assert (first.name, first.changed, first.by) == ("Upper left finder", 49, 40)
    assert (second.name, second.changed) == ("Middle", 1)
    # On the picture, in perspective: its middle is where the quad says.
    seen = areas.on_image(first.modules, attempt)
    at = mapped(matrix_to(quad, symbol.side), np.array([[3.5, 3.5], [symbol.side - 3.5] * 2]))
    assert seen[round(at[0, 1]), round(at[0, 0])] and not seen[round(at[1, 1]), round(at[1, 0])]
    outer = suspect.outer(quiet)
    whole = areas.on_image(np.ones((total, total), bool), attempt)
    inside = cv2.fillConvexPoly(np.zeros((430, 430), np.uint8), np.rint(outer).astype(int), 1) > 0
    assert (whole != inside).mean() < 0.01


@pytest.mark.parametrize(("enough", "gain"), [(0.037, 1.1), (-0.061, 2.4), (0.13, 0.9)])
def test_a_line_is_followed_to_the_weakest_strength_that_holds(enough, gain):
    found = line.Line(lambda: None, 0.5)
    assert found.next() == 0 and found.promise(0) == 0.5
    seen = []
    while (by := found.next()) is not None:
        assert by not in seen and len(seen) < 7
        seen.append(by)
        if len(seen) > 2:
            assert found.promise(by) == pytest.approx(0.5 - 0.6 * by, abs=1e-6)
        found.add(line.Look(by, 0.5 - 0.6 * by, gain * (by - enough)))
    held = min(by for by in seen if by >= enough)
    assert held - enough < line.CLOSE
    # Readers do not always pass more with more strength: what fails above what holds is nothing
    # to go on from.
    found.add(line.Look(held + 0.2, 0.3, -0.01))
    assert found.next() is None


# A symbol that nobody reads -------------------------------------------------------------------


@pytest.mark.parametrize("side", [21, 57, 101])
def test_tones_of_modules_are_the_pictures_at_four_points_of_each(side):
    """Against SciPy's interpolation, in perspective and partly beyond the picture's edge."""
    rng = np.random.default_rng(side)
    plane = cv2.GaussianBlur(rng.uniform(0, 255, (700, 900)).astype(np.float32), (0, 0), 2.5)
    quad = np.array([[80, 60], [870, 110], [820, 720], [-12, 610]], float)
    matrix = matrix_to(quad, side)
    # Its corners are those of the quad: the definition of the map.
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], float)
    assert np.allclose(mapped(matrix, square), quad)
    expected = np.zeros((side, side))
    for down, across in itertools.product((0.375, 0.625), repeat=2):
        x, y = np.meshgrid(np.arange(side) + across, np.arange(side) + down)
        at = mapped(matrix, np.stack([x, y], -1)) - 0.5  # pixels' middles
        expected += map_coordinates(plane, [at[..., 1], at[..., 0]], order=1, mode="nearest") / 4
    around = gaussian_filter(expected, recover.LOCAL, mode="reflect", truncate=4)
    spread = gaussian_filter(
        (expected - around) ** 2, 2 * recover.LOCAL, mode="reflect", truncate=4
    )
    told = np.clip((expected - around) / np.sqrt(spread + 1), -2.5, 2.5)
    found = recover.module_tones(plane, quad, side)
    assert np.abs(found - told).max() < 0.12
    assert np.corrcoef(found.ravel(), told.ravel())[0, 1] > 0.999


def test_a_message_is_encoded_once_for_all_pictures_on_which_it_is_looked_for(monkeypatch):
    encoded_ = []
    real = family.encode

    def encode(message, code):
        encoded_.append((message.text, code.version, code.level))
        return real(message, code)

    monkeypatch.setattr(family, "encode", encode)
    first = family.family("SALTMARSH AT DUSK 1187", 4)
    assert {level for _, _, level in encoded_} == set("LMQH") and len(encoded_) == 4
    again = family.family("SALTMARSH AT DUSK 1187", 4)
    assert len(encoded_) == 4
    for one, other in zip(first.members, again.members, strict=True):
        assert (one.symbol.dark == other.symbol.dark).all()
        assert one.symbol.mask == other.symbol.mask and one.symbol.level == other.symbol.level
    # Each has the message, the level and the mask that it tells.
    for member in first.members[::5]:
        own = member.symbol
        code = Code(version="4", level=own.level, mask=own.mask, raise_level=False)
        assert (real(Message(text=own.text), code).dark == own.dark).all()
    # Another message is another one; what does not fit is remembered, too.
    assert family.family("SALTMARSH AT DUSK 1188", 4).members[0].symbol.text.endswith("8")
    assert family.family("x" * 500, 4) is None
    before = len(encoded_)
    assert family.family("x" * 500, 4) is None and len(encoded_) == before
