"""The blend methods: what each of them holds, measured; and what they share."""

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import color as skcolor

from conftest import LINK, encoded, photograph
from nimble_tile.core.blend import (
    GUARANTEES,
    LOOKLESS,
    METHODS,
    Plan,
    blend,
    cut,
    dots,
    grain,
    look_read,
    quiet,
    strengths,
    strokes,
)
from nimble_tile.core.blend import colour as colours
from nimble_tile.core.blend.bands import bands
from nimble_tile.core.look import Fill, Look
from nimble_tile.core.piece import (
    Blend,
    Code,
    Cut,
    Dots,
    Grain,
    Ink,
    Message,
    Picture,
    Piece,
    Strokes,
)
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import encode

KINDS = [
    *(Blend(method=name) for name in METHODS),
    Blend(method="ink", ink=Ink(where="light")),
    Blend(method="ink", ink=Ink(where="tint")),
]


def named(settings):
    return settings.method + (f"-{settings.ink.where}" if settings.method == "ink" else "")


def square_of(name, side):
    image = photograph(name)
    edge = min(image.shape[:2])
    top, left = (image.shape[0] - edge) // 2, (image.shape[1] - edge) // 2
    return cv2.resize(image[top : top + edge, left : left + edge], (side, side),
                      interpolation=cv2.INTER_AREA)  # fmt: skip


@pytest.fixture(scope="module")
def symbol():
    return encode(Message(text=LINK), Code(level="M"))


@pytest.fixture(scope="module")
def plan(symbol):
    side = (symbol.side + 8) * 16
    return Plan(square_of("astronaut", side), symbol, 4)


def centres(image, plan, share=0.25):
    """Mean luma of each module's centre (0 to 1), quiet zone included."""
    cells = 16
    fine = cv2.resize(to_grey(image), (plan.modules * cells,) * 2, interpolation=cv2.INTER_AREA)
    parts = fine.reshape(plan.modules, cells, plan.modules, cells) / 255
    low = round(cells * (1 - share) / 2)
    return parts[:, low : cells - low, :, low : cells - low].mean((1, 3))


def test_each_method_says_what_it_holds():
    assert set(GUARANTEES) == set(METHODS)
    assert all(len(text) > 40 for text in GUARANTEES.values())


@pytest.mark.parametrize("settings", KINDS, ids=named)
def test_strength_goes_from_the_picture_to_the_code(plan, settings):
    assert np.array_equal(blend(plan, settings.model_copy(update={"strength": 0})), plan.square)
    assert np.array_equal(blend(plan, settings), blend(plan, settings))
    changes, margins = [], []
    sign = np.where(plan.dark, -1, 1)
    for strength in (0.2, 0.45, 0.7, 1.0):
        out = blend(plan, settings.model_copy(update={"strength": strength}))
        changes.append(np.abs(out.astype(int) - plan.square).mean())
        middle = centres(out, plan)
        local = cv2.GaussianBlur(middle, (0, 0), 2.5)
        inner = ~plan.quiet
        margins.append(np.quantile((sign * (middle - local))[inner], 0.05))
    assert changes == sorted(changes)
    assert margins == sorted(margins)
    assert margins[-1] > 0.1


@pytest.mark.parametrize("settings", KINDS, ids=named)
@pytest.mark.parametrize("name", ["chelsea", "rocket"])
def test_defaults_read_by_all_four_readers(name, settings, store, bay):
    digest = store.add(encoded(square_of(name, 1024)), name)
    piece = Piece(
        message=Message(text=LINK), code=Code(level="M"), picture=Picture(digest=digest),
        blend=settings,
    )  # fmt: skip
    verdict = judge_rendering(Renderer(store).render(piece, 1024), bay)
    assert verdict.readers_right == (4, 4), verdict.marks
    assert verdict.spare > 0.5


# What they share ---------------------------------------------------------------


@pytest.mark.parametrize("settings", KINDS, ids=named)
def test_a_map_of_strengths_acts_module_by_module(plan, settings):
    """Nothing happens in the left half, and the right half is as if alone."""
    strength = np.zeros((plan.modules,) * 2, np.float32)
    strength[:, plan.modules // 2 :] = 0.8
    out = blend(plan, settings, strength)
    change = np.abs(out.astype(int) - plan.square).mean(-1)
    # Fields are smooth and strokes have a length: three modules beside it may feel it.
    border = (plan.modules // 2 - 3) * 16
    edge = 4 * 16 + 2  # a border goes round all of it, and reaches a little under the code
    assert change[edge:-edge, edge:border].mean() < 0.5
    assert change[edge:-edge, border + 100 : -edge].mean() > 8


def test_guard_finders_and_quiet_zone_make_one_map(symbol):
    guard = np.zeros((symbol.side + 8,) * 2, np.float32)
    guard[14:20, 14:24] = 1
    plan = Plan(square_of("coffee", 37 * 12), symbol, 4, guard=guard)
    settings = Blend(strength=0.6, finders=0.9, quiet_strength=0.3, guarding=0.5)
    found = strengths(plan, settings)
    assert np.allclose(found[plan.function & (guard == 0)], 0.9)
    assert np.allclose(found[plan.quiet], 0.3)
    assert np.allclose(found[15, 15:20], 0.3)
    body = ~plan.function & ~plan.quiet & (guard == 0)
    assert (found[body] > 0.6).all()  # it is made up for elsewhere
    spared = np.abs(blend(plan, settings).astype(int) - plan.square).mean(-1)
    free = np.abs(blend(plan, settings.model_copy(update={"guarding": 0})).astype(int)
                  - plan.square).mean(-1)  # fmt: skip
    area = (slice(14 * 12, 20 * 12), slice(14 * 12, 24 * 12))
    assert spared[area].mean() < 0.6 * free[area].mean()


@pytest.mark.parametrize("settings", KINDS, ids=named)
def test_the_quiet_zone_has_its_own_treatment(plan, settings):
    made = {
        kind: blend(plan, settings.model_copy(update={"quiet": kind, "quiet_strength": 0.9}))
        for kind in ("lightened", "soft", "plain")
    }
    inner = slice(4 * 16 + 2, -4 * 16 - 2)
    for kind in ("soft", "plain"):  # the symbol itself is the same
        assert np.array_equal(made["lightened"][inner, inner], made[kind][inner, inner])
    ring = plan.square.copy()
    ring[64:-64, 64:-64] = 0
    next_to_code = to_grey(made["soft"])[56, 64:-64]
    assert next_to_code.mean() / 255 > 0.7
    # A soft edge leaves the outermost pixels alone.
    assert np.abs(made["soft"][:2].astype(int) - plan.square[:2]).mean() < 3
    outer = made["plain"][:60, :60].astype(int)
    expected = plan.square[:60, :60] * 0.1 + 255 * 0.9
    assert np.abs(outer - expected).max() <= 2


def test_oklab_equals_the_published_values_and_comes_back():
    """Pairs of XYZ and OKLab from the table in Ottosson 2020, written from memory: white and
    the primaries of sRGB as printed there and in CSS Color 4."""
    primaries = np.array([[[255, 255, 255], [255, 0, 0], [0, 255, 0], [0, 0, 255]]], np.uint8)
    expected = [[1, 0, 0], [0.628, 0.2249, 0.1258], [0.8664, -0.2339, 0.1795],
                [0.452, -0.0325, -0.3115]]  # fmt: skip
    assert np.allclose(colours.to_oklab(primaries)[0], expected, atol=1e-3)
    rng = np.random.default_rng(0)
    square = rng.integers(0, 256, (40, 40, 3), dtype=np.uint8)
    back = colours.from_oklab(colours.to_oklab(square)) * 255
    assert np.abs(back - square).max() < 0.6


def test_moving_tones_keeps_hues_and_the_gamut():
    """Hue by scikit-image's CIELAB: an independent colour space and implementation."""
    rng = np.random.default_rng(1)
    flat = rng.integers(30, 226, (12, 12, 3), dtype=np.uint8)
    square = np.kron(flat, np.ones((16, 16, 1), np.uint8))
    before = to_grey(square)
    for shift in (-60, 50):
        after = np.clip(before.astype(int) + shift, 8, 247).astype(np.uint8)
        out = colours.move_luma(square, before, after)
        assert np.abs(to_grey(out).astype(int) - after).max() <= 3
        old, new = skcolor.rgb2lab(square), skcolor.rgb2lab(out)
        chroma = np.hypot(new[..., 1], new[..., 2])
        angle = np.angle(np.exp(1j * (np.arctan2(new[..., 2], new[..., 1])
                                      - np.arctan2(old[..., 2], old[..., 1]))))  # fmt: skip
        seen = np.degrees(np.abs(angle)) * (chroma > 15)
        assert np.quantile(seen[chroma > 15], 0.9) < 14
        # Colours do not turn grey: most keep half of their chroma and more.
        kept = chroma / np.maximum(np.hypot(old[..., 1], old[..., 2]), 1)
        assert np.median(kept) > 0.5


# Each method --------------------------------------------------------------------


def test_bands_widen_and_narrow_separately(plan):
    strength = strengths(plan, Blend())
    usual = bands(plan, Blend(), strength)
    deep = bands(plan, Blend(darks=1.8), strength)
    body = ~plan.quiet
    assert (deep.centre[plan.dark & body] > usual.centre[plan.dark & body]).all()
    assert np.allclose(deep.centre[~plan.dark & body], usual.centre[~plan.dark & body])
    free = blend(plan, Blend(lights=0.0))
    light = np.kron(~plan.dark & body & ~plan.function, np.ones((16, 16), bool))
    middle = cv2.erode(light.astype(np.uint8), np.ones((9, 9))).astype(bool)
    assert np.abs(free.astype(int) - plan.square)[middle].mean() < 3


@pytest.mark.parametrize("shape", ["round", "square", "diamond"])
def test_dots_have_their_size_and_keep_their_reflectance(plan, shape):
    settings = Dots(size=0.5, softness=0.2, shape=shape)
    spots = dots.spots(plan, settings) / 255
    area = {"round": np.pi / 4, "square": 1.0, "diamond": 1.0}[shape] * 0.25
    assert spots.mean() == pytest.approx(area, rel=0.35)
    out = blend(plan, Blend(method="dots", strength=1.0, dots=settings))
    middle = centres(out, plan, 0.2)
    body = ~plan.quiet & ~plan.function
    assert middle[plan.dark & body].max() < 0.2
    assert middle[~plan.dark & body].min() > 0.75
    # Between the dots there is more of the picture than on them.
    change = np.abs(to_grey(out).astype(int) - plan.luma)
    inner = slice(64, -64)
    on, between = spots[inner, inner] > 0.9, spots[inner, inner] < 0.1
    assert change[inner, inner][between].mean() < change[inner, inner][on].mean()


def test_the_grey_of_a_cut_is_measured(plan):
    dark_motif = cut.motif(plan, Blend(method="cut"))
    assert set(np.unique(dark_motif > 127)) == {False, True}
    whole, centre = cut.shares(plan, dark_motif)
    body = ~plan.quiet
    last = None
    for margin in (-0.05, 0.1, 0.17, 0.3):
        found = cut.measured(plan, whole, centre, margin)

        def failing(grey, pale, margin=margin):
            return (cut.margins(plan.dark, whole, centre, grey, pale)[body] < margin).mean()

        plain = found.grey >= cut.WHITE - 0.01 and found.pale <= cut.BLACK + 0.01
        assert plain or failing(found.grey, found.pale) <= cut.GIVEN
        # Nothing darker would hold, unless it is black already.
        assert found.grey <= cut.BLACK + 0.01 or failing(found.grey - 0.03, found.pale) > (
            cut.GIVEN
        )
        if last is not None:
            assert found.grey >= last.grey - 0.01
        last = found
    # Another motif, another grey: it is no rule.
    other = cut.shares(plan, cut.motif(plan, Blend(method="cut", cut=Cut(threshold=0.1))))
    thin, usual = cut.measured(plan, *other, 0.2), cut.measured(plan, whole, centre, 0.2)
    assert abs(thin.grey - usual.grey) > 0.02


def test_the_motif_runs_through_light_and_dark_modules(plan):
    out = to_grey(blend(plan, Blend(method="cut", strength=0.7))) / 255
    dark_motif = cut.motif(plan, Blend(method="cut")) > 127
    body = np.kron(~plan.quiet & ~plan.function, np.ones((16, 16), bool))
    dark = np.kron(plan.dark, np.ones((16, 16), bool))
    for module in (dark, ~dark):
        strokes_there = out[body & module & dark_motif].mean()
        assert strokes_there < out[body & module & ~dark_motif].mean() - 0.04
    grey = blend(plan, Blend(method="cut", cut=Cut(colour=0)))
    assert np.ptp(grey[80:-80, 80:-80].astype(int), axis=-1).max() <= 1


def test_error_diffusion_equals_floyd_and_steinbergs():
    """Floyd and Steinberg 1976 cell by cell, and Pillow's on the whole."""
    rng = np.random.default_rng(5)
    tone = cv2.GaussianBlur(rng.uniform(0, 1, (23, 31)), (0, 0), 3)
    tone = (tone - tone.min()) / np.ptp(tone)
    fixed = np.where(rng.uniform(size=tone.shape) < 0.2, rng.integers(0, 2, tone.shape), -1)
    work, expected = np.pad(tone, 1), np.zeros(tone.shape, bool)
    for row in range(23):
        for column in range(31):
            value = work[row + 1, column + 1]
            given = fixed[row, column]
            light = bool(given) if given >= 0 else value > 0.5
            expected[row, column] = light
            error = np.clip(value - light, -1, 1) / 16
            work[row + 1, column + 2] += 7 * error
            work[row + 2, column] += 3 * error
            work[row + 2, column + 1] += 5 * error
            work[row + 2, column + 2] += error
    assert np.array_equal(grain.diffused(tone, fixed.astype(np.int8)), expected)
    smooth = np.tile(np.linspace(0.1, 0.9, 96), (96, 1))
    ours = grain.diffused(smooth, np.full(smooth.shape, -1, np.int8))
    image = Image.fromarray(np.rint(smooth * 255).astype(np.uint8))
    pillow = np.asarray(image.convert("1", dither=Image.Dither.FLOYDSTEINBERG))
    blocks = [d.reshape(12, 8, 12, 8).mean((1, 3)) for d in (ours, pillow)]
    assert np.abs(blocks[0] - blocks[1]).max() < 0.1


@pytest.mark.parametrize("cells", [3, 4, 5, 7])
def test_grain_keeps_centre_and_majority(plan, cells):
    settings = Blend(method="grain", grain=Grain(cells=cells))
    light = grain.pattern(plan, settings, strengths(plan, settings))
    n = plan.modules
    parts = light.reshape(n, cells, n, cells).swapaxes(1, 2)
    own = parts != plan.dark[..., None, None]
    assert own[..., grain.fixed_cells(cells)].all()
    assert (own.sum((2, 3)) > cells**2 / 2).all()
    assert own[plan.function].all()
    # The picture is in it: modules of one kind follow its tone.
    body = ~plan.quiet & ~plan.function & (plan.parts != Part.TIMING)
    for kind in (plan.dark, ~plan.dark):
        tone, shown = plan.module_luma[kind & body], parts.mean((2, 3))[kind & body]
        assert np.corrcoef(tone, shown)[0, 1] > 0.5


@pytest.mark.parametrize("where", ["dark", "light", "tint"])
def test_ink_prints_where_it_is_told(plan, where):
    out = blend(plan, Blend(method="ink", strength=0.8, ink=Ink(where=where)))
    inner = np.kron(~plan.quiet & ~plan.function, np.ones((16, 16), bool))
    inner = cv2.erode(inner.astype(np.uint8), np.ones((3, 3))).astype(bool)
    dark = np.kron(plan.dark, np.ones((16, 16), bool))
    core = cv2.erode(dark.astype(np.uint8), np.ones((3, 3))).astype(bool) & inner
    rest = cv2.erode((~dark).astype(np.uint8), np.ones((3, 3))).astype(bool) & inner
    luma = to_grey(out).astype(float)

    def follows(mask):
        seen = luma[mask]
        return 0.0 if seen.std() < 0.5 else np.corrcoef(seen, plan.luma[mask])[0, 1]

    if where == "dark":
        assert follows(core) > 0.95
        assert luma[rest].min() > 250
        assert luma[core].max() < 110
    elif where == "light":
        assert follows(rest) > 0.95
        assert luma[core].max() < 5
        assert luma[rest].min() > 170
    else:
        assert luma[core].max() < luma[rest].min()
        chroma = np.hypot(*colours.to_oklab(out)[..., 1:].transpose(2, 0, 1))
        old = np.hypot(*colours.to_oklab(plan.square)[..., 1:].transpose(2, 0, 1))
        vivid = rest & (old > 0.12)
        assert chroma[vivid].mean() > 0.035


def test_strokes_lie_along_contours_and_end_before_the_other_kind(symbol):
    """On stripes the contours' direction is known."""
    side = 37 * 12
    rows, columns = np.indices((side, side))
    angle = 0.9
    wave = np.sin((columns * -np.sin(angle) + rows * np.cos(angle)) / 5) * 60 + 128
    striped = Plan(np.repeat(wave.astype(np.uint8)[..., None], 3, -1), symbol, 4)
    found = strokes.directions(striped)[10:-10, 10:-10]
    away = np.abs(np.angle(np.exp(2j * (found - angle)))) / 2
    assert np.quantile(away, 0.95) < 0.15
    laid = strokes._laid_out(striped, Strokes())
    length = np.hypot(*(laid["to"] - laid["from"]).T)
    assert 0.3 < length.mean() < 1.4
    body = ~striped.function[laid["row"] // 2, laid["column"] // 2]
    for end in ("from", "to"):
        at = np.clip(laid[end], 0, 36.999).astype(int)
        same = striped.dark[at[:, 1], at[:, 0]] == striped.dark[
            laid["row"] // 2, laid["column"] // 2]  # fmt: skip
        assert same[body].mean() > 0.97
    again = strokes._laid_out(striped, Strokes(seed=2))
    assert len(again["row"]) != len(laid["row"]) or not np.allclose(again["to"], laid["to"])
    fewer = strokes._laid_out(striped, Strokes(gaps=0.6))
    assert len(fewer["row"]) < 0.75 * len(laid["row"])


def test_a_plain_quiet_zone_takes_the_looks_light(store):
    digest = store.add(encoded(square_of("rocket", 600)), "rocket")
    cream = Look(ground=Fill(colour="#ffeecc"))
    for method in METHODS:
        piece = Piece(
            message=Message(text=LINK), picture=Picture(digest=digest), look=cream,
            blend=Blend(method=method, quiet="plain", quiet_strength=1),
        )  # fmt: skip
        made = Renderer(store).render(piece, 600)
        assert tuple(made.image[4, 4]) == (255, 238, 204), method


def test_what_a_cut_remembers_belongs_to_its_settings(plan):
    """One square edited back and forth gives what a new one gives."""
    for threshold in (0.2, 0.7, 0.4, 0.2):
        settings = Blend(method="cut", cut=Cut(threshold=threshold))
        fresh = Plan(plan.square, plan.symbol, plan.quiet_zone)
        assert np.array_equal(blend(plan, settings), blend(fresh, settings))


@pytest.mark.parametrize("version", ["M2", "1", "10"])
def test_methods_work_on_every_size_of_symbol(version):
    text = "1234567" if version == "M2" else "https://n.example"
    symbol = encode(Message(kind="text", text=text), Code(version=version, level="L"))
    for quiet_zone in (0, 3):
        side = (symbol.side + 2 * quiet_zone) * 5
        plan = Plan(square_of("coffee", side), symbol, quiet_zone)
        for settings in KINDS:
            if settings.method == "weave" and version == "10" and quiet_zone:
                continue  # it takes long
            out = blend(plan, settings.model_copy(update={"strength": 1.0}))
            inner = ~plan.quiet
            sign = np.where(plan.dark, -1, 1)
            middle = centres(out, plan, 0.3)
            wrong = (sign * (middle - 0.5))[inner] < 0
            assert wrong.mean() < 0.12, (version, quiet_zone, settings.method)


def test_quiet_strips_cover_the_ring_and_nothing_else(symbol):
    plan = Plan(np.zeros((500, 500, 3), np.uint8), symbol, 4)
    seen = np.zeros((500, 500), int)
    for place in quiet.strips(plan):
        seen[place] += 1
    low = int(4 * 500 / 37)
    expected = np.ones((500, 500), int)
    expected[low : 500 - low, low : 500 - low] = 0
    assert np.array_equal(seen, expected)
    assert quiet.strips(Plan(plan.square, symbol, 0)) == []


OWN = Look(
    fill=Fill(colour="#7a1f2b"), ring_fill=Fill(colour="#0b4f6c"), eye_fill=Fill(colour="#c8451b"),
    ground=Fill(colour="#f6e7b8"),
)  # fmt: skip


@pytest.mark.parametrize("method", sorted(LOOKLESS))
def test_the_looks_colours_count_at_the_tones_that_the_blend_has_made(method, symbol):
    """Hues by CIELAB of scikit-image; what readers see is the luma (ITU-R BT.601), which stays."""
    square = np.full((444, 444, 3), (150, 150, 150), np.uint8)
    settings = Blend(method=method, strength=0.7)
    grey = Plan(
        square, symbol, 4, look_read(OWN, settings.model_copy(update={"colours": "picture"}))
    )
    own = Plan(square, symbol, 4, look_read(OWN, settings))
    plain = blend(grey, settings.model_copy(update={"colours": "picture"}))
    made = blend(own, settings)
    lumas = [cv2.cvtColor(image, cv2.COLOR_RGB2GRAY).astype(int) for image in (plain, made)]
    assert np.percentile(np.abs(lumas[0] - lumas[1]), 98) <= 8
    lab = skcolor.rgb2lab(made)
    body = ~own.quiet & ~own.function & own.dark
    middles = np.argwhere(body)[::5] * 12 + 6
    changed = np.array([abs(int(lumas[1][y, x]) - 150) > 50 for y, x in middles])
    hues = np.array([np.arctan2(*lab[y, x, :0:-1]) for y, x in middles])[changed]
    assert len(hues) > 10
    want = np.arctan2(*skcolor.rgb2lab(np.array([[[122, 31, 43]]], np.uint8))[0, 0, :0:-1])
    assert np.degrees(np.median(np.abs(hues - want))) < 20
    if method not in ("strokes", "grain", "cut"):  # whose finders are black, or in pieces
        eye = lab[(4 + 3) * 12 + 6, (4 + 3) * 12 + 6]
        ring = lab[(4 + 0) * 12 + 6, (4 + 3) * 12 + 6]
        assert eye[1] > 15 and ring[2] < -5  # red, and blue


def test_a_picture_of_the_finders_stays_under_any_blend(symbol, store):
    art = np.random.default_rng(3).integers(0, 256, (70, 70, 4), np.uint8)
    art[..., 3] = 255
    digest = store.add(encoded(art), "art")
    look = Look(ring="picture", finder_picture=digest)
    square = square_of("coffee", 444)
    for method in ("tone", "gentle", "light"):
        settings = Blend(method=method, strength=0.7)
        plan = Plan(square, symbol, 4, look, {digest: art})
        made = blend(plan, settings)
        box = made[4 * 12 : 11 * 12, 4 * 12 : 11 * 12].astype(float)
        want = cv2.resize(art[..., :3], (84, 84), interpolation=cv2.INTER_AREA).astype(float)
        assert np.corrcoef(box.ravel(), want.ravel())[0, 1] > 0.8, method
