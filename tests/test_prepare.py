"""Preparing the picture: tones, masks, patterns, and advice where the code goes."""

import numpy as np
import pytest
from PIL import Image, ImageOps
from pydantic import ValidationError
from skimage import filters

from conftest import LINK, encoded, photograph
from nimble_tile.core.artwork import (
    Curve,
    CutOut,
    Levels,
    Light,
    Posterise,
    Prepare,
    Tiles,
    TwoTone,
)
from nimble_tile.core.picture import masks
from nimble_tile.core.picture import prepare as prep
from nimble_tile.core.picture.advice import advise
from nimble_tile.core.piece import Code, Message, Picture, Piece
from nimble_tile.core.places import advise_piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.fidelity import measure
from nimble_tile.core.scan.readers import to_grey

CAT = photograph("chelsea")


def done(image=CAT, alpha=None, mask=None, **steps):
    """The image after some steps."""
    return prep.prepared(image, alpha, Prepare(**steps), lambda digest: mask)


def test_nothing_is_nothing():
    image, alpha = done()
    assert image is CAT
    assert alpha is None
    off = {"on": False}
    image, _ = done(
        light=Light(exposure=2, **off), levels=Levels(black=0.4, **off),
        curve=Curve(points=((0, 1), (1, 0)), **off), posterise=Posterise(**off),
    )  # fmt: skip
    assert image is CAT


def test_exposure_is_stops_of_linear_light():
    """IEC 61966-2-1; one stop is twice the light (common practice of photography)."""
    grey = np.tile(np.arange(256, dtype=np.uint8)[:, None, None], (1, 8, 3))
    brighter, _ = done(grey, light=Light(exposure=1))
    light = prep.linear(grey / 255)
    expected = prep.encoded(np.minimum(1, 2 * light)) * 255
    assert np.abs(brighter - expected).max() <= 0.5
    back, _ = done(brighter[:180], light=Light(exposure=-1))
    assert np.abs(back.astype(int) - grey[:180]).max() <= 2


def test_saturation_keeps_luma():
    for amount in (-1.0, -0.4, 0.3):
        image, _ = done(light=Light(saturation=amount))
        assert np.abs(to_grey(image).astype(int) - to_grey(CAT)).mean() < 1.2
    grey, _ = done(light=Light(saturation=-1))
    assert np.ptp(grey.astype(int), axis=-1).max() <= 1


def test_contrast_and_levels_are_monotone_and_keep_their_ends():
    for light, levels in (
        (Light(contrast=0.6), Levels()), (Light(contrast=-0.6), Levels()),
        (Light(), Levels(black=0.2, white=0.7, gamma=1.8)),
    ):  # fmt: skip
        table = prep.channel_table(light, levels).astype(int)
        assert (np.diff(table) >= 0).all()
        assert (table[0], table[255]) == (0, 255)
    table = prep.channel_table(Light(), Levels(black=0.2, white=0.7))
    assert (table[51], table[178], table[115]) == (0, 254, pytest.approx(128, abs=1))
    steep = prep.channel_table(Light(contrast=0.5), Levels()).astype(int)
    assert steep[148] - steep[108] > 1.6 * 40


def test_curves_go_through_their_points_and_never_swing_out():
    curve = Curve(points=((0, 0.1), (0.3, 0.15), (0.5, 0.8), (1, 0.85)))
    table = prep.curve_table(curve) / 255
    for x, y in curve.points:
        assert table[round(x * 255)] == pytest.approx(y, abs=0.012)
    assert (np.diff(table) >= 0).all()
    assert table.min() >= 0.1 - 0.003
    assert table.max() <= 0.85 + 0.003
    image, _ = done(curve=curve)
    wanted = prep.curve_table(curve)[to_grey(CAT)]
    assert np.abs(to_grey(image).astype(int) - wanted).max() <= 2
    with pytest.raises(ValidationError):
        Curve(points=((0.5, 0), (0.5, 1)))


def test_posterising_equals_the_definition():
    image, _ = done(posterise=Posterise(on=True, levels=4))
    assert set(np.unique(image)) <= {0, 85, 170, 255}
    # Pillow's posterise keeps the two highest bits: the same steps, told by their floor.
    bits = np.asarray(ImageOps.posterize(Image.fromarray(CAT), 2)) // 64
    assert np.array_equal(image // 85, bits)


def test_thresholds_equal_scikit_images():
    """Otsu 1979 by scikit-image; the local mean by its threshold_local."""
    luma = to_grey(CAT)
    step = TwoTone(on=True, kind="otsu", smoothing=0, dark="#000000", light="#ffffff")
    image, _ = done(two_tone=step)
    theirs = luma > filters.threshold_otsu(luma)
    assert ((image[..., 0] > 127) == theirs).mean() > 0.995
    local = step.model_copy(update={"kind": "local", "window": 51 / 300})
    image, _ = done(two_tone=local)
    theirs = luma > filters.threshold_local(luma, 51, method="mean", mode="nearest")
    assert ((image[..., 0] > 127) == theirs).mean() > 0.98
    fixed = step.model_copy(update={"kind": "global", "threshold": 0.4, "light": "#ff8000"})
    image, _ = done(two_tone=fixed)
    assert ((image[..., 0] > 127) == (luma > 102)).all()
    assert tuple(image[luma > 102][0]) == (255, 128, 0)


def test_cutting_out_makes_transparent_or_one_colour():
    kept = np.zeros(CAT.shape[:2], np.uint8)
    kept[100:200, 150:300] = 255
    digest = "0" * 64
    image, alpha = done(mask=kept, cut_out=CutOut(mask=digest, feather=0))
    assert image is CAT
    assert np.array_equal(alpha, kept)
    image, alpha = done(mask=kept, cut_out=CutOut(mask=digest, feather=0, background="#204060"))
    assert alpha is None
    assert (image[:90] == (32, 64, 96)).all()
    assert np.array_equal(image[120:180, 160:290], CAT[120:180, 160:290])
    _, soft = done(mask=kept, cut_out=CutOut(mask=digest, feather=0.03))
    assert 90 < soft[150, 150] < 165
    assert len(np.unique(soft)) > 20


@pytest.mark.parametrize("kind", ["rows", "bricks", "mirrored"])
def test_patterns_cover_and_repeat(kind):
    image, alpha = done(tiles=Tiles(on=True, across=5, kind=kind))
    assert image.shape == CAT.shape
    assert alpha is None
    wide, high = round(451 / 5), round(451 / 5 * 300 / 451)
    first, second = image[:high, :wide], image[:high, wide : 2 * wide]
    below = image[high : 2 * high]
    assert np.array_equal(second, first[:, ::-1] if kind == "mirrored" else first)
    if kind == "rows":
        assert np.array_equal(below[:, :wide], first)
    elif kind == "bricks":
        assert np.array_equal(below[:, wide // 2 : wide // 2 + wide], first)
    else:
        assert np.array_equal(below[:, :wide], first[::-1])
    _, holes = done(tiles=Tiles(on=True, across=5, kind=kind, gap=0.5))
    assert 0.3 < (holes == 255).mean() < 0.6


# Masks ------------------------------------------------------------------------


def test_the_brush_paints_a_round_soft_line():
    mask = masks.empty((400, 300))
    hard = masks.painted(mask, [(100, 100), (200, 100)], 20, 0.0)
    area = 2 * 20 * 100 + np.pi * 20**2
    assert hard.sum() / 255 == pytest.approx(area, rel=0.02)
    soft = masks.painted(mask, [(100.0, 100.0)], 20, 1.0)
    assert soft[100, 100] == 255
    assert 100 < soft[100, 110] < 160
    assert soft[100, 125] == 0
    erased = masks.painted(hard, [(150, 100)], 10, 0.0, 0)
    assert erased[100, 150] == 0
    assert np.array_equal(mask, masks.empty((400, 300)))  # never in place
    assert np.array_equal(masks.painted(mask, [(-500, -500)], 20, 0.5), mask)
    assert masks.painted(mask, [(0, 0)], 20, 0.0)[0, 0] == 255


def test_the_flood_stops_at_edges():
    picture = np.full((90, 120, 3), 200, np.uint8)
    picture[:, 60:63] = 20
    picture[40:50, 10:20] = (205, 195, 200)
    filled = masks.flooded(masks.empty((120, 90)), picture, (5, 5), 0.08)
    assert filled[:, :57].all()
    assert not filled[:, 66:].any()
    taken = masks.flooded(filled, picture, (5, 5), 0.08, 0)
    assert not taken[:, :57].any()
    assert masks.flooded(filled, picture, (500, 5), 0.08) is filled


def test_a_rough_stroke_finds_its_subject():
    """A made scene whose truth is known: a textured disc on textured ground."""
    rng = np.random.default_rng(4)
    picture = np.empty((240, 320, 3), np.uint8)
    picture[:] = rng.normal((70, 110, 60), 14, picture.shape).clip(0, 255)
    rows, columns = np.indices((240, 320))
    truth = np.hypot(rows - 120, columns - 150) < 62
    picture[truth] = rng.normal((190, 120, 90), 16, (truth.sum(), 3)).clip(0, 255)
    stroke = masks.painted(masks.empty((320, 240)), [(125, 110), (180, 130)], 12, 0.0)
    found = masks.refined(stroke, picture) > 127
    overlap = (found & truth).sum() / (found | truth).sum()
    assert overlap > 0.93
    everything = np.full((240, 320), 255, np.uint8)
    assert masks.refined(everything, picture) is everything


def test_masks_are_kept_small_and_come_back(store):
    mask = masks.painted(masks.empty((6000, 4000)), [(500, 500)], 80, 0.5)
    assert max(mask.shape) == masks.LONGEST_MASK_SIDE
    digest = store.add_mask(mask)
    assert np.array_equal(store.mask(digest), mask)
    assert len(store.file(digest)) < 40_000
    assert masks.mask_size((5000, 20)) == (2048, 16)


def test_recipes_keep_pixels_and_change_the_rendering(store):
    digest = store.add(encoded(CAT), "cat")
    kept = np.zeros(masks.empty((451, 300)).shape, np.uint8)
    kept[:, 200:] = 255
    cut = CutOut(mask=store.add_mask(kept), background="#ff0000")
    piece = Piece(
        message=Message(text=LINK),
        picture=Picture(digest=digest, prepare=Prepare(cut_out=cut, light=Light(exposure=0.5))),
    )
    made = Renderer(store).render(piece)
    assert (made.picture[:, :190] == (255, 0, 0)).all()
    assert made.picture[:, 210:].mean() > CAT[:, 210:].mean() + 10
    assert np.array_equal(store.opened(digest).rgb, CAT)
    assert set(piece.digests) == {digest, cut.mask}


@pytest.mark.parametrize("turned", [False, True])
def test_transparency_is_kept_in_the_file_but_for_the_code(store, tmp_path, bay, turned):
    from nimble_tile.core.output.export import export, rendered_again
    from nimble_tile.core.piece import Finish, Region

    digest = store.add(encoded(CAT), "cat")
    kept = np.zeros((300, 451), np.uint8)
    kept[:, 100:] = 255
    picture = Picture(
        digest=digest, transparent=True, ground="#ffeecc",
        prepare=Prepare(cut_out=CutOut(mask=store.add_mask(kept), feather=0)),
        region=Region(x=60, y=50, width=190, height=190, angle=20.0 if turned else 0.0),
    )  # fmt: skip
    piece = Piece(message=Message(text=LINK), picture=picture)
    made = Renderer(store).render(piece, 900)
    assert tuple(made.image[5, 5]) == (255, 238, 204)
    alpha = made.rgba[..., 3]
    assert alpha[5, 5] == 0
    assert alpha[5, 500] == 255
    middle = (290, 310)
    assert alpha[middle] == 255
    assert np.array_equal(made.rgba[..., :3][alpha == 255][::97], made.image[alpha == 255][::97])
    proof = export(made, tmp_path / "cut.png", Finish(), bay)
    assert proof.verdict.readers_right == (4, 4)
    with Image.open(tmp_path / "cut.png") as back:
        assert back.mode == "RGBA"
        assert np.array_equal(np.asarray(back), made.rgba)
    for kind in ("svg", "pdf"):
        export(made, tmp_path / f"cut.{kind}", Finish(), bay)
        again = rendered_again((tmp_path / f"cut.{kind}").read_bytes(), kind, 900)
        assert again[5, 5].min() > 250  # shown on white


# Advice -----------------------------------------------------------------------


def test_advice_finds_the_quiet_light_corner():
    """Noise and darkness everywhere but in one place."""
    rng = np.random.default_rng(1)
    picture = rng.integers(0, 80, (600, 900, 3), dtype=np.uint8)
    rows, columns = np.indices((220, 220))
    picture[340:560, 620:840] = ((rows // 9 + columns // 9) % 2 * 90 + 130)[..., None]
    advice = advise(picture, (900, 600), 200, 33, 4)
    best = advice.best[0]
    assert abs(best.x - 630) < 30
    assert abs(best.y - 350) < 30
    for place in advice.best:
        assert 0 <= place.x <= 700
        assert 0 <= place.y <= 400
    for a, b in ((0, 1), (0, 2), (1, 2)):
        first, second = advice.best[a], advice.best[b]
        assert max(abs(first.x - second.x), abs(first.y - second.y)) >= 95
    assert np.isnan(advice.score[0, 0])
    assert np.nanmin(advice.score) == 0


def test_guarded_places_are_left_alone():
    picture = np.full((400, 800, 3), 180, np.uint8)
    guard = np.zeros((400, 800), np.uint8)
    guard[:, :500] = 255
    advice = advise(picture, (800, 400), 200, 33, 4, guard)
    assert advice.best[0].x >= 490


def test_advice_agrees_with_what_the_blend_costs(store):
    """Over many places the score falls as the measured fidelity rises."""
    image = photograph("coffee")
    digest = store.add(encoded(image), "coffee")
    piece = Piece(message=Message(text=LINK), code=Code(level="M"), picture=Picture(digest=digest))
    from nimble_tile.core.piece import Region

    start = piece.edited("picture", region=Region(x=0, y=0, width=190, height=190))
    renderer = Renderer(store)
    advice = advise_piece(renderer, start)
    scores, costs = [], []
    for x in range(0, 410, 68):
        for y in range(0, 210, 52):
            piece = start.edited("picture", region=Region(x=x, y=y, width=190, height=190))
            made = renderer.render(piece)
            square = made.box.slices
            costs.append(measure(made.picture[square], made.image[square], made.modules))
            at = (round((y + 95) * advice.scale), round((x + 95) * advice.scale))
            scores.append(float(advice.score[at]))
    changes = [cost.delta_e_mean for cost in costs]
    assert np.corrcoef(scores, changes)[0, 1] > 0.6
