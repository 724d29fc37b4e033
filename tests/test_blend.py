"""Blending, rendering and fidelity, against published formulas and references."""

from typing import get_args

import numpy as np
import pytest
import skia
from skimage import color as skcolor
from skimage import metrics

from conftest import LINK, encoded, photograph
from nimble_tile.core.blend import Plan, blend
from nimble_tile.core.blend.colour import move_luma
from nimble_tile.core.blend.modes import MODES
from nimble_tile.core.blend.overlay import _laid
from nimble_tile.core.blend.plan import pixel_shares
from nimble_tile.core.errors import MessageError, PictureError
from nimble_tile.core.piece import Blend, Code, Message, Mode, Picture, Piece, Region
from nimble_tile.core.render import Renderer, render
from nimble_tile.core.scan.fidelity import ciede2000, measure, structural_similarity
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.symbol.encode import encode


def plan_of(square, quiet=4, **code):
    return Plan(square, encode(Message(text=LINK), Code(**code)), quiet)


@pytest.fixture(scope="module")
def cat():
    square = photograph("chelsea")[:300, 80:380]
    return np.ascontiguousarray(square.repeat(2, 0).repeat(2, 1)[:592, :592])


@pytest.mark.parametrize("opacity", [0.0, 0.37, 1.0])
def test_overlay_is_the_specifications_formula(cat, opacity):
    """W3C Compositing and Blending Level 1: co = cb (1 - a) + B(cb, cs) a; multiply B = cb cs."""
    plan = plan_of(cat)
    code = 1 - plan.coverage[..., None]
    backdrop = cat / 255
    for mode, mixed in (("normal", code), ("multiply", backdrop * code)):
        expected = 255 * (backdrop * (1 - opacity) + mixed * opacity)
        settings = Blend(method="overlay", strength=opacity, mode=mode, finders=opacity)
        got = blend(plan, settings)
        assert np.abs(got - expected).max() <= 1.5


SKIA = {
    "normal": "SrcOver", "multiply": "Multiply", "screen": "Screen", "overlay": "Overlay",
    "darken": "Darken", "lighten": "Lighten", "color-dodge": "ColorDodge",
    "color-burn": "ColorBurn", "hard-light": "HardLight", "soft-light": "SoftLight",
    "difference": "Difference", "exclusion": "Exclusion", "hue": "Hue",
    "saturation": "Saturation", "color": "Color", "luminosity": "Luminosity",
}  # fmt: skip


def test_there_are_the_sixteen_modes_of_the_specification():
    assert set(MODES) == set(get_args(Mode)) == set(SKIA) and len(MODES) == 16


@pytest.mark.parametrize("mode", SKIA)
def test_every_blend_mode_is_skias(mode):
    """An independent implementation, over random colours and opacities and their extremes."""
    rng = np.random.default_rng(8)
    backdrop = rng.integers(0, 256, (80, 90, 3), np.uint8)
    ink = rng.integers(0, 256, (80, 90, 4), np.uint8)
    backdrop[:20], ink[10:30, :, :3] = backdrop[:20] // 128 * 255, ink[10:30, :, :3] // 128 * 255
    ink[..., 3][ink[..., 3] < 60] = 255
    ours = _laid(backdrop, ink, 1.0, mode)
    opaque = np.ascontiguousarray(np.dstack([backdrop, np.full((80, 90), 255, np.uint8)]))
    info = skia.ImageInfo.Make(90, 80, skia.kRGBA_8888_ColorType, skia.kPremul_AlphaType)
    surface = skia.Surface.MakeRasterDirect(info, opaque, opaque.strides[0])
    straight = skia.ImageInfo.Make(90, 80, skia.kRGBA_8888_ColorType, skia.kUnpremul_AlphaType)
    source = skia.Image.MakeRasterData(straight, ink.tobytes(), 90 * 4)
    paint = skia.Paint(BlendMode=getattr(skia.BlendMode, f"k{SKIA[mode]}"))
    surface.getCanvas().drawImage(source, 0, 0, skia.SamplingOptions(), paint)
    surface.flushAndSubmit()
    difference = np.abs(ours.astype(int) - opaque[..., :3])
    # skia works with eight bits and multiplied alpha, which costs it some levels.
    assert difference.mean() < 0.7 and np.quantile(difference, 0.995) <= 4


def spec_set_lum(colour, lum):
    """SetLum and ClipColor as W3C Compositing and Blending Level 1, 10.2, writes them."""
    weights = (0.3, 0.59, 0.11)
    d = lum - sum(w * c for w, c in zip(weights, colour, strict=True))
    colour = [c + d for c in colour]
    lum = sum(w * c for w, c in zip(weights, colour, strict=True))
    low, high = min(colour), max(colour)
    if low < 0:
        colour = [lum + (c - lum) * lum / (lum - low) for c in colour]
    if high > 1:
        colour = [lum + (c - lum) * (1 - lum) / (high - lum) for c in colour]
    return colour


def spec_set_sat(colour, sat):
    order = sorted(range(3), key=lambda i: colour[i])
    low, middle, high = order
    out = [0.0, 0.0, 0.0]
    if colour[high] > colour[low]:
        out[middle] = (colour[middle] - colour[low]) * sat / (colour[high] - colour[low])
        out[high] = sat
    return out


def test_non_separable_modes_follow_the_specifications_own_steps():
    rng = np.random.default_rng(9)

    def lum(c):
        return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]

    def sat(c):
        return max(c) - min(c)

    steps = {
        "hue": lambda cb, cs: spec_set_lum(spec_set_sat(cs, sat(cb)), lum(cb)),
        "saturation": lambda cb, cs: spec_set_lum(spec_set_sat(cb, sat(cs)), lum(cb)),
        "color": lambda cb, cs: spec_set_lum(cs, lum(cb)),
        "luminosity": lambda cb, cs: spec_set_lum(cb, lum(cs)),
    }
    backdrop, source = rng.random((2, 3, 300)).astype(np.float32)
    backdrop[:, :20] = np.rint(backdrop[:, :20])
    source[:, 10:30] = np.rint(source[:, 10:30])
    for mode, step in steps.items():
        got = np.array(MODES[mode](list(backdrop), list(source)))
        for i in range(300):
            expected = step(backdrop[:, i].tolist(), source[:, i].tolist())
            assert got[:, i] == pytest.approx(expected, abs=2e-5), (mode, i)


def test_coverage_is_exact_at_fractional_module_sizes():
    dark = np.array([[True, False, True]] * 3)
    share = pixel_shares(dark, 7)
    # 7 pixels for 3 modules: module edges at 2.333 and 4.667.
    assert np.allclose(share[0], [1, 1, 1 / 3, 0, 1 / 3, 1, 1], atol=1e-5)
    assert share.sum() == pytest.approx(dark.sum() * (7 / 3) ** 2, rel=1e-5)


def test_tone_moves_centres_to_their_side_and_keeps_hue(cat):
    plan = plan_of(cat)
    assert np.array_equal(blend(plan, Blend(strength=0)), cat)
    out = blend(plan, Blend(strength=0.9))
    n, px = plan.modules, cat.shape[0] / plan.modules
    middle = ((np.arange(n) + 0.5) * px).astype(int)
    luma = to_grey(out)[np.ix_(middle, middle)].astype(int)
    assert luma[plan.dark].max() < 128 < luma[~plan.dark & (plan.parts != 255)].min()
    # Hue by the HSV hexcone, where both have chroma enough for it to mean something.
    before, after = skcolor.rgb2hsv(cat), skcolor.rgb2hsv(out)
    vivid = (np.ptp(cat.astype(int), -1) > 60) & (np.ptp(out.astype(int), -1) > 60)
    turn = np.abs(before[..., 0] - after[..., 0])[vivid]
    assert np.quantile(np.minimum(turn, 1 - turn), 0.99) < 0.02


def test_tone_changes_more_with_strength_and_alike_at_any_size(cat):
    plan = plan_of(cat)
    changes = [
        np.abs(blend(plan, Blend(strength=s)).astype(int) - cat).mean()
        for s in (0.1, 0.3, 0.5, 0.7, 1.0)
    ]
    assert changes == sorted(changes)
    small = np.ascontiguousarray(cat[::2, ::2])
    half = blend(plan_of(small), Blend(strength=0.6)).astype(int)
    whole = blend(plan, Blend(strength=0.6)).astype(int)
    assert np.abs(whole[::2, ::2] - half).mean() < 4


def test_move_luma_meets_every_luma():
    rng = np.random.default_rng(3)
    square = rng.integers(0, 256, (64, 64, 3), dtype=np.uint8)
    square[0, :3] = [[0, 0, 0], [255, 255, 255], [255, 0, 0]]
    before, after = to_grey(square), rng.integers(0, 256, (64, 64), dtype=np.uint8)
    got = to_grey(move_luma(square, before, after)).astype(int)
    assert np.abs(got - after).max() <= 3
    assert np.array_equal(move_luma(square, before, before), square)


def test_ciede2000_equals_references():
    """Sharma, Wu and Dalal 2005: three of the 34 published pairs, and scikit-image on many."""
    pairs = np.array(
        [
            [[50, 2.6772, -79.7751], [50, 0, -82.7485]],
            [[50, 2.5, 0], [50, 0, -2.5]],
            [[2.0776, 0.0795, -1.1350], [0.9033, -0.0636, -0.5514]],
        ]
    )
    assert np.allclose(ciede2000(pairs[:, 0], pairs[:, 1]), [2.0425, 4.3065, 0.9082], atol=1e-4)
    rng = np.random.default_rng(1)
    a, b = (rng.uniform([0, -120, -120], [100, 120, 120], (4000, 3)) for _ in range(2))
    a[:50, 1:] = 0  # greys, whose hue is undefined
    assert np.allclose(ciede2000(a, b), skcolor.deltaE_ciede2000(a, b), atol=1e-6)


def test_fidelity_equals_references(cat):
    """Structural similarity (Wang et al. 2004) equals scikit-image's."""
    noisy = np.clip(cat + np.random.default_rng(0).normal(0, 20, cat.shape), 0, 255).astype(
        np.uint8
    )
    a, b = to_grey(cat), to_grey(noisy)
    reference = metrics.structural_similarity(a, b, win_size=7, data_range=255)
    assert structural_similarity(a, b) == pytest.approx(reference, abs=1e-6)
    same = measure(cat, cat, 37)
    assert same.ssim_view == pytest.approx(1)
    assert same.delta_e_mean == 0
    code = blend(plan_of(cat), Blend(method="overlay", strength=1))
    plain = measure(cat, code, 37)  # measured before: about 0.1 and 38
    assert plain.ssim_view < 0.25
    assert 25 < plain.delta_e_mean < 50


def test_render_places_the_code_and_leaves_the_rest(store, photo_piece):
    piece = photo_piece("coffee").edited(
        "picture", region=Region(x=100, y=60, width=250, height=250)
    )
    made = Renderer(store).render(piece, 600)
    assert made.size == (600, 400)
    assert made.box.slices == (slice(60, 310), slice(100, 350))
    outside = np.ones((400, 600), bool)
    outside[made.box.slices] = False
    assert np.array_equal(made.image[outside], photograph("coffee")[outside])
    assert not np.array_equal(made.image[~outside], photograph("coffee")[~outside])
    assert not made.image.flags.writeable


def test_stages_are_remembered_by_what_they_read(store, photo_piece):
    renderer, piece = Renderer(store), photo_piece()
    first = renderer.render(piece, 600)
    assert renderer.render(piece, 600).image is first.image
    stronger = renderer.render(piece.edited("blend", strength=0.9), 600)
    assert stronger.picture is first.picture
    assert stronger.symbol is first.symbol
    assert stronger.image is not first.image
    relabelled = renderer.render(piece.edited("finish", dpi=72), 600)
    assert relabelled.image is first.image


def test_plain_code_is_crisp_at_its_natural_size():
    made = render(Piece(message=Message(text=LINK)))
    assert set(np.unique(made.image)) == {0, 255}
    assert made.size[0] % made.modules == 0
    assert not made.blended


def test_stretched_and_whole_picture_regions_render(store):
    digest = store.add(encoded(photograph("rocket")), "rocket")
    for region in (
        Region(x=0, y=0, width=640, height=427),
        Region(x=1, y=2, width=300, height=200),
    ):
        piece = Piece(message=Message(text="A"), picture=Picture(digest=digest, region=region))
        assert render(piece, 640, store).size == (640, 427)


def test_impossible_pieces_say_why(store, photo_piece):
    with pytest.raises(MessageError, match="no message"):
        render(Piece())
    with pytest.raises(PictureError, match="missing"):
        render(photo_piece().edited("picture", digest="0" * 64), 500, store)
    far = photo_piece().edited("picture", region=Region(x=500, y=0, width=300, height=300))
    with pytest.raises(PictureError, match="beyond"):
        render(far, 500, store)
    with pytest.raises(PictureError, match="not possible"):
        render(Piece(message=Message(text="A")), 100_000)
