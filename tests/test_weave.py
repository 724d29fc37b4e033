"""Weaving: seams, patches that are copies, what it holds, and its way through the program."""

import gc
import json
import weakref
from itertools import pairwise, product

import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from conftest import LINK, encoded, photograph
from eye_measures import coherence, sharpness
from nimble_tile.cli import main
from nimble_tile.core.blend import Plan, blend
from nimble_tile.core.blend.marks.painting import on_nothing
from nimble_tile.core.blend.weave import Weaving, laid_out, lift, woven
from nimble_tile.core.blend.weave.lay import Cloth, Patch, Wish, paths
from nimble_tile.core.blend.weave.matter import (
    CELLS,
    Matter,
    Source,
    in_rgb,
    material,
    planes,
    stood,
)
from nimble_tile.core.output.layers import layers_of
from nimble_tile.core.output.vector import svg
from nimble_tile.core.piece import (
    MATERIAL_LABELS,
    TESSERAE,
    Blend,
    Code,
    Finish,
    Marks,
    Message,
    Picture,
    Piece,
    Weave,
)
from nimble_tile.core.project.archive import load, save
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.symbol.encode import encode
from outside_reader import zbar_reads

SYMBOL = encode(Message(text=LINK), Code(level="M"))
MODULES = SYMBOL.side + 8
SOFT = Marks(shape="soft")


def plan_of(name="chelsea", per_module=14, **more):
    image = photograph(name)
    side = min(image.shape[:2])
    square = Image.fromarray(image[:side, :side]).resize((MODULES * per_module,) * 2)
    return Plan(np.array(square), SYMBOL, 4, **more)


def test_seams_are_paths_of_least_error():
    rng = np.random.default_rng(3)
    error = rng.uniform(0, 1, (5, 6, 4)).astype(np.float32)
    for strip, path in zip(error, paths(error), strict=True):
        ways = [
            way for way in product(range(4), repeat=6)
            if all(abs(a - b) <= 1 for a, b in pairwise(way))
        ]  # fmt: skip
        best = min(ways, key=lambda way: sum(strip[row, column] for row, column in enumerate(way)))
        assert tuple(path) == best


def test_a_patch_is_a_copy_of_the_matter_however_it_is_turned():
    plan = plan_of()
    source = Source(plan.square, plan.side / plan.modules)
    matter = Matter(source)
    assert {(way.turns, way.mirrored) for way in matter.ways} == set(
        product(range(4), (False, True))
    )
    side, step = 2 * CELLS, plan.side // plan.modules
    for way in (one for one in matter.ways if one.scale == 0):
        place = (way.top + 3 * CELLS, 5 * CELLS)
        patch = Patch(
            8 * CELLS, 9 * CELLS, place, np.ones((side, side), bool), np.zeros(3, np.float32)
        )
        flat = np.zeros((plan.modules * CELLS,) * 2, np.float32)
        cloth = Cloth(np.dstack([flat] * 3), np.dstack([flat] * 3), flat, flat, flat > 0)
        cloth.patches.append(patch)
        cloth.owner[8 * CELLS : 8 * CELLS + side, 9 * CELLS : 9 * CELLS + side] = 0
        out = laid_out(plan, cloth, matter, source)
        wanted = stood(plan.square, way)[3 * step : 5 * step, 5 * step : 7 * step]
        assert np.array_equal(out[8 * step : 10 * step, 9 * step : 11 * step], wanted)
        # What stands on the sheet there is the same, in cells.
        cells = matter.sheet[place[0] : place[0] + side, place[1] : place[1] + side, 0].astype(
            np.float32
        )
        assert np.abs(cells.mean() - planes(wanted)[..., 0].mean()) < 2


def test_differences_of_planes_are_differences_of_colours():
    rng = np.random.default_rng(1)
    first, second = rng.uniform(0, 255, (2, 4, 4, 3)).astype(np.float32)
    difference = planes(second) - planes(first)
    assert np.allclose(in_rgb(difference), second - first, atol=0.02)


def test_places_are_found_by_their_tones():
    plan = plan_of()
    source = Source(plan.square, plan.side / plan.modules)
    matter = Matter(source)
    index = matter.index(12)
    assert matter.valid(*index.places.T, 12).all()
    from nimble_tile.core.blend.weave.matter import described

    some = index.places[:: len(index.places) // 40]
    found = index.near(described(matter.sheet.astype(np.float32), 12)(*some.T), 3)
    assert all(
        tuple(place) in set(map(tuple, near)) for place, near in zip(some, found, strict=True)
    )


def test_a_cloth_is_made_of_the_pictures_own_matter_and_stays_sharp():
    plan = plan_of(per_module=10)
    strength = np.full((plan.modules,) * 2, 0.55, np.float32)
    source = Source(plan.square, plan.side / plan.modules)
    matter = Matter(source)
    cloth = woven(plan, strength, matter, Wish())
    out = laid_out(plan, cloth, matter, source)
    del matter  # the blends below lay their own, and one takes fifty megabytes
    own = coherence(plan.square, plan.square, plan.modules)
    made = blend(plan, Blend(method="weave", marks=SOFT))
    gentle = blend(plan, Blend(method="gentle", strength=0.55))
    added = [coherence(plan.square, one, plan.modules) - own for one in (out, made, gentle)]
    assert added[0] < 3 and added[1] < 7 and added[1] < added[2] - 2, added
    assert sharpness(plan.square, made) > 0.7
    # The tones that were missed are missed by far less.
    before = np.maximum(cloth.lowest - cloth.picture[..., 0], 0).mean()
    assert np.maximum(cloth.lowest - cloth.now[..., 0], 0).mean() < 0.5 * before


def test_a_little_more_strength_weaves_nothing_anew():
    plan = plan_of()
    how = Weaving(plan, Source(plan.square, plan.side / plan.modules))
    cloths = [how.cloth(Blend(method="weave", strength=at)) for at in (0.7, 0.71, 0.9)]
    assert cloths[0] is cloths[1] and cloths[0] is not cloths[2]
    for marks in (SOFT, TESSERAE):
        weak, strong = (
            blend(plan, Blend(method="weave", strength=at, marks=marks)) for at in (0.7, 0.71)
        )
        assert not np.array_equal(weak, strong)  # what patches leave missing follows


def test_marks_say_what_patches_leave_missing_and_the_cloth_between_them_stays(store):
    digest = store.add(encoded(photograph("chelsea")), "chelsea")
    piece = Piece(
        message=Message(text=LINK), code=Code(level="M", steer="padding"),
        picture=Picture(digest=digest, name="chelsea"),
        blend=Blend(strength=0.5).turned("weave"),
    )  # fmt: skip
    assert piece.blend.marks == TESSERAE
    renderer = Renderer(store)
    stones = renderer.render(piece, 700)
    flat = TESSERAE.model_copy(update={"texture": 0.0})
    made = renderer.render(piece.edited("blend", marks=flat), 700)
    marks = [flat for flat in made.marked.flats if flat.role == "mark"]
    body = made.symbol.side**2 - 3 * 64 - 25
    assert len(marks) < body  # patches have said the rest
    over = on_nothing(made.marked.flats, made.size, made.matrix)
    free = over[..., 3] == 0
    assert np.array_equal(made.image[free], made.below[free])
    woven_there = (made.below != made.picture).any(-1)
    assert (free & woven_there).sum() > 2000
    # The same as a vector: the cloth once, and a path of full size for each mark.
    text = svg(made, Finish()).decode()
    assert text.count("<image") == 1 and text.count("<path") > 20
    assert [layer.name for layer in layers_of(made)][:2] == ["picture", "blend"]
    # No rim and no blur: what surrounds the code is the picture, and sharpness is about its own.
    outside = made.upright(made.picture != made.image).any(-1)
    module = made.code_side / made.modules
    assert not outside[: int(3 * module)].any()
    assert 0.7 < sharpness(made.upright(made.picture), made.upright(made.below)) < 2
    # With texture the marks are part of what lies below finders and border.
    assert {each.role for each in stones.marked.flats} == {"finder", "border"}
    over = on_nothing(stones.marked.flats, stones.size, stones.matrix)
    assert np.array_equal(stones.image[over[..., 3] == 0], stones.below[over[..., 3] == 0])
    text = svg(stones, Finish()).decode()
    assert text.count("<image") == 1 and 5 < text.count("<path") < 20


def test_what_is_remembered_of_a_weave_goes_with_its_renderer(store):
    digest = store.add(encoded(photograph("chelsea")), "chelsea")
    piece = Piece(
        message=Message(text=LINK), picture=Picture(digest=digest, name="chelsea"),
        blend=Blend(method="weave"),
    )  # fmt: skip
    renderer = Renderer(store)
    renderer.render(piece, 300)
    gone = weakref.ref(renderer)
    gc.disable()
    try:
        del renderer
        assert gone() is None
    finally:
        gc.enable()


def test_fine_matter_is_calmed_where_readers_look_and_smooth_matter_gets_no_dot():
    plan = plan_of(per_module=20)
    module, middle = 20, 13  # a module in the body, far from finders
    dark = np.argwhere(plan.dark & ~plan.function & ~plan.quiet)
    row, column = dark[np.abs(dark - middle).sum(1).argmin()]
    strength = np.full((plan.modules,) * 2, 0.6, np.float32)
    local = np.full((plan.side,) * 2, 128.0, np.float32)
    after = np.full_like(local, 60.0)  # everything is as dark as a dark module has to be
    top, left = row * module, column * module
    y, x = np.mgrid[:module, :module]
    speck = np.hypot(y - 9.5, x - 9.5) < 2.5
    after[top : top + module, left : left + module][speck] = 230
    settings = Blend(method="weave", strength=0.6)
    lift._calm_middles(plan, after, local, settings, strength)
    cell = after[top : top + module, left : left + module]
    assert cell[speck].mean() < 160 and cell[~speck].mean() == pytest.approx(60, abs=4)
    other = next(d for d in dark if np.abs(d - (row, column)).max() > 2)
    smooth = after[other[0] * module :][:module, other[1] * module :][:, :module]
    assert np.ptp(smooth) < 2 * lift.SWELL


def test_a_seed_is_a_weaving_and_the_guard_keeps_the_picture():
    guard = np.zeros((MODULES, MODULES), np.float32)
    guard[12:20, 12:20] = 1
    plan = plan_of(guard=guard)
    settings = Blend(method="weave", guarding=1.0)
    first = blend(plan, settings)
    assert np.array_equal(first, blend(plan_of(guard=guard), settings))
    other = settings.model_copy(update={"weave": Weave(seed=2)})
    assert not np.array_equal(first, blend(plan, other))
    step = plan.side // plan.modules
    kept = slice(13 * step, 19 * step)
    assert np.array_equal(first[kept, kept], plan.square[kept, kept])
    assert np.array_equal(blend(plan, Blend(method="weave", strength=0.0)), plan.square)
    # The outer edge goes on into the picture.
    assert np.abs(first[0].astype(int) - plan.square[0]).mean() < 3


@pytest.mark.parametrize("matter", ["picture", "mosaic"])
def test_what_is_exported_is_woven_as_what_was_seen(matter, store, monkeypatch):
    from nimble_tile.core.blend import weave

    digest = store.add(encoded(photograph("chelsea")), "chelsea")
    piece = Piece(
        message=Message(text=LINK), picture=Picture(digest=digest, name="chelsea"),
        blend=Blend(method="weave", weave=Weave(matter=matter)),
    )  # fmt: skip
    laid, seen = weave.laid_out, []

    def spy(plan, cloth, *rest):
        seen.append([(patch.row, patch.column, patch.source) for patch in cloth.patches])
        return laid(plan, cloth, *rest)

    monkeypatch.setattr(weave, "laid_out", spy)
    small = Renderer(store).render(piece, 600).image
    large = Renderer(store).render(piece, 1800).image
    assert len(seen[0]) > 100 and seen[0] == seen[1]
    apart = np.abs(np.array(Image.fromarray(large).reduce(3)).astype(int) - small)
    assert apart.mean() < 8
    Renderer(store).render(piece.edited("blend", weave=Weave(matter=matter, seed=5)), 600)
    assert len(set(seen[0]) & set(seen[2])) < 0.6 * len(seen[0])


def test_matter_of_any_shape_can_be_woven_of():
    plan = plan_of()
    rng = np.random.default_rng(2)
    for shape in ((16, 4000), (3000, 20), (40, 40)):
        image = rng.integers(0, 256, (*shape, 3), dtype=np.uint8)
        source = Source(image, min(shape) / plan.modules)
        weaving = Weaving(plan, source)
        out = laid_out(plan, weaving.cloth(Blend(method="weave")), weaving.matter, source)
        assert out.shape == plan.square.shape and len(weaving.matter.ways) in (0, 8, 16)


def test_every_material_has_something_for_every_module():
    for name in MATERIAL_LABELS:
        own = material(name)
        assert min(own.image.shape[:2]) > 40 * own.module
        tones = np.percentile(planes(own.image)[..., 0], (10, 90))
        assert tones[0] < 75 and tones[1] > 140, name


@pytest.mark.parametrize("matter", ["picture", "mosaic", "lanterns"])
def test_a_matter_gives_a_code_that_outsiders_read(matter, store, bay):
    digest = store.add(encoded(photograph("coffee")), "coffee")
    piece = Piece(
        message=Message(text=LINK), code=Code(level="M", steer="padding"),
        picture=Picture(digest=digest, name="coffee"),
        blend=Blend(method="weave", strength=0.8, weave=Weave(matter=matter)),
    )  # fmt: skip
    rendering = Renderer(store).render(piece, 760)
    assert judge_rendering(rendering, bay, with_fidelity=False).readers_right[0] >= 3
    # zbar reads along lines, so that fine stones confuse it near by: at some step back it reads.
    seen = [Image.fromarray(rendering.image).reduce(by) for by in (1, 2, 3)]
    assert any(zbar_reads(np.array(one), LINK) for one in seen)


def test_another_picture_is_kept_with_the_piece_and_missing_matter_is_said(store, tmp_path):
    digest = store.add(encoded(photograph("chelsea")), "chelsea")
    other = store.add(encoded(photograph("rocket")), "rocket")
    piece = Piece(
        message=Message(text=LINK), picture=Picture(digest=digest, name="chelsea"),
        blend=Blend(method="weave", weave=Weave(matter=other)),
    )  # fmt: skip
    assert other in piece.digests
    path = tmp_path / "woven.nimble"
    save(piece, store, path)
    assert load(path, type(store)()) == piece
    with pytest.raises(ValueError, match="matter"):
        Weave(matter="velvet")


def test_the_command_line_weaves(tmp_path):
    picture, other = tmp_path / "cat.png", tmp_path / "flower.png"
    picture.write_bytes(encoded(photograph("chelsea")))
    other.write_bytes(encoded(photograph("rocket")))
    made = {}
    for matter in ("reed", str(other)):
        out = tmp_path / "out.png"
        result = CliRunner().invoke(
            main,
            ["make", "--message", LINK, "--picture", str(picture), "--blend", "weave", "--matter",
             matter, "--motif", "0.4", "--size", "600", "--out", str(out), "--json"],
        )  # fmt: skip
        assert result.exit_code == 0, result.output
        assert json.loads(result.output)["verdict"] != "fails"
        made[matter] = np.array(Image.open(out))
    assert not np.array_equal(*made.values())
    for options, told in (
        (["--blend", "weave", "--matter", "velvet"], "no material"),
        (["--blend", "tone", "--matter", "reed"], "--blend weave"),
        (["--motif", "0.5"], "--blend weave"),
    ):
        result = CliRunner().invoke(
            main, ["make", "--message", LINK, "--out", str(tmp_path / "x.png"), *options]
        )
        assert result.exit_code == 2 and told in result.output


def test_weaving_in_the_window(window, settle, tmp_path, qtbot):
    path, other = tmp_path / "cat.png", tmp_path / "flower.png"
    path.write_bytes(encoded(photograph("chelsea")))
    other.write_bytes(encoded(photograph("rocket")))
    window.message.text.setPlainText(LINK)
    window.files.bring_picture(path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None)
    window.ladder.open(3)
    settle(window)
    before = window.session.piece
    window.blend.method.chosen.emit("weave")
    piece = window.session.piece
    assert piece.blend.method == "weave" and piece.code.steer == "padding"
    settle(window)
    box = window.blend.own
    assert box.matter.isVisible() and box.matter.value == "picture"
    box.matter.chosen.emit("glass")
    assert window.session.piece.blend.weave.matter == "glass"
    assert "Stained glass" in box.matter_name.text()
    window.blend_desk.take_matter(other)
    qtbot.waitUntil(lambda: len(window.session.piece.blend.weave.digests) == 1)
    assert box.matter.value == "other"
    seed = window.session.piece.blend.weave.seed
    box.reweave.click()
    assert window.session.piece.blend.weave.seed == seed + 1
    for _ in range(4):
        window.session.undo()
    assert window.session.piece == before
