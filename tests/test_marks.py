"""Marks: hard edges, the picture's own colours, nothing between them, and codes that are read."""

import base64
import io
import json
import re
import zipfile
from xml.etree import ElementTree

import cv2
import numpy as np
import pypdfium2
import pytest
import resvg_py
from PIL import Image
from skimage.color import rgb2lab

from conftest import LINK, encoded, photograph
from nimble_tile.cli import main
from nimble_tile.core.asked import Asker
from nimble_tile.core.blend import METHODS, blend
from nimble_tile.core.blend.marks import marked
from nimble_tile.core.blend.marks.edges import edge
from nimble_tile.core.blend.marks.inks import inked
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.strength import strengths
from nimble_tile.core.blend.unused import unused
from nimble_tile.core.errors import UserError
from nimble_tile.core.finish import Finish
from nimble_tile.core.look import Look
from nimble_tile.core.output.layers import layers_of
from nimble_tile.core.output.openraster import save_openraster
from nimble_tile.core.output.vector import pdf, svg
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import (
    MARK_LABELS,
    TESSERAE,
    Blend,
    Code,
    Marks,
    Message,
    Picture,
    Piece,
    Region,
)
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.fidelity import smeared
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.symbol.looks.paint import to_skia
from outside_reader import zbar_reads

SHAPES = [shape for shape in MARK_LABELS if shape != "soft"]


def square_of(name, side):
    image = photograph(name)
    least = min(image.shape[:2])
    return cv2.resize(np.ascontiguousarray(image[:least, :least]), (side, side),
                      interpolation=cv2.INTER_AREA)  # fmt: skip


def plan_of(name="astronaut", module=16, look=None):
    symbol = encode(Message(kind="link", text=LINK), Code(level="M"))
    return Plan(square_of(name, (symbol.side + 8) * module), symbol, 4, look)


def by_marks(strength=0.6, **marks):
    return Blend(method="gentle", strength=strength, marks=Marks(**{"shape": "disc", **marks}))


def covered(plan, flats, grow=0):
    """Where areas lie on the square, drawn by skia and grown by so many pixels."""
    import skia

    surface = skia.Surface(plan.side, plan.side)
    canvas = surface.getCanvas()
    canvas.scale(plan.side / plan.modules, plan.side / plan.modules)
    for flat in flats:
        canvas.drawPath(to_skia(flat.path), skia.Paint(AntiAlias=True))
    found = (surface.toarray()[..., 3] > 0).astype(np.uint8)
    return cv2.dilate(found, np.ones((2 * grow + 1,) * 2)) > 0 if grow else found > 0


@pytest.mark.parametrize("shape", ["disc", "ring", "dash", "look"])
def test_between_marks_the_picture_stays_pixel_for_pixel_and_edges_are_sharp(shape):
    plan, settings = plan_of(), by_marks(shape=shape)
    flats = marked(plan, settings, strengths(plan, settings)).flats
    made = blend(plan, settings)
    outside = ~covered(plan, flats, grow=1)
    assert outside.mean() > 0.3
    assert np.array_equal(made[outside], plan.square[outside])
    # Cleanliness: what is neither the picture nor the flat inside of something is its edge.
    inside = np.zeros(outside.shape, bool)
    for colour in {flat.colour for flat in flats}:
        inside |= (made == colour).all(2)
    assert (~outside & ~inside & (made != plan.square).any(2)).mean() < 0.16


def test_an_edge_is_no_wider_than_an_eighth_of_a_module():
    """From 10 to 90 % of the step between a mark and an even ground."""
    symbol = encode(Message(kind="link", text=LINK), Code(level="M"))
    module = 32
    ground = np.full(((symbol.side + 8) * module,) * 2 + (3,), (150, 120, 90), np.uint8)
    plan, settings = Plan(ground, symbol, 4), by_marks(0.7)
    made = blend(plan, settings).astype(float)
    flats = [f for f in marked(plan, settings, strengths(plan, settings)).flats if f.role == "mark"]
    for flat in flats[:40]:
        left, top, right, bottom = flat.path.bounds()
        row = made[int((top + bottom) / 2 * module), :, 0]
        middle = int((left + right) / 2 * module)
        profile = row[middle : int(right * module) + 4]
        share = (profile - profile[0]) / (profile[-1] - profile[0])
        assert ((share > 0.1) & (share < 0.9)).sum() <= max(1, 0.125 * module)


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_marks_have_the_hue_and_the_chroma_of_what_is_there(name):
    """Measured in CIELAB by scikit-image, which has no part in making them."""
    plan, settings = plan_of(name), by_marks(0.5)
    flats = [f for f in marked(plan, settings, strengths(plan, settings)).flats if f.role == "mark"]
    near = rgb2lab(cv2.GaussianBlur(plan.square, (0, 0), 12))
    rich, kept, turned = 0, [], []
    for flat in flats:
        left, top, right, bottom = flat.path.bounds()
        scale = plan.side / plan.modules
        there = near[int((top + bottom) / 2 * scale), int((left + right) / 2 * scale)]
        ink = rgb2lab(np.array([[flat.colour]], np.uint8))[0, 0]
        chroma = np.hypot(*there[1:])
        # Near black and white sRGB holds no chroma.
        if chroma < 12 or not 25 < ink[0] < 80:
            continue
        rich += 1
        kept.append(np.hypot(*ink[1:]) / chroma)
        turned.append(abs(np.angle(complex(*ink[1:]) / complex(*there[1:]))))
    assert rich > 40
    assert np.median(kept) > 0.9
    assert np.degrees(np.median(turned)) < 12


@pytest.mark.parametrize("ground", [(242, 230, 207), (168, 188, 196), (214, 196, 190)])
def test_dark_inks_on_pale_grounds_are_no_dirt_but_deeper_colours(ground):
    """Measured in CIELAB by scikit-image; that grey looks dirty on cream is common practice."""
    symbol = encode(Message(text=LINK), Code())
    square = np.full((16 * (symbol.side + 8),) * 2 + (3,), ground, np.uint8)
    plan, settings = Plan(square, symbol, 4), by_marks(0.5)
    flats = marked(plan, settings, strengths(plan, settings)).flats
    there = rgb2lab(np.array([[ground]], np.uint8))[0, 0]
    luma = np.array([0.299, 0.587, 0.114])  # ITU-R BT.601
    dark = [flat for flat in flats if flat.colour @ luma < ground @ luma - 40]
    assert {flat.role for flat in dark} == {"mark", "finder"}
    for flat in dark:
        ink = rgb2lab(np.array([[flat.colour]], np.uint8))[0, 0]
        assert np.hypot(*ink[1:]) > 1.2 * np.hypot(*there[1:])
        assert abs(np.degrees(np.angle(complex(*ink[1:]) / complex(*there[1:])))) < 20
    # So are marks in which the texture below is seen.
    seen = blend(plan, by_marks(0.5, texture=0.8)).reshape(-1, 3)
    marks = rgb2lab(seen[seen @ luma < ground @ luma - 60][:, None])[:, 0, 1:]
    assert np.median(np.hypot(*marks.T)) > 1.15 * np.hypot(*there[1:])
    grey = Plan(np.full_like(square, 190), symbol, 4)
    for flat in marked(grey, settings, strengths(grey, settings)).flats:
        assert np.ptp(flat.colour) <= 2  # no colour comes of none
    assert np.ptp(blend(grey, by_marks(0.5, texture=0.8)), axis=2).max() <= 2


def test_inks_meet_their_luma_and_keep_their_hue():
    rng = np.random.default_rng(5)
    lab = np.column_stack([rng.uniform(0.2, 0.9, 200), *rng.uniform(-0.1, 0.1, (2, 200))])
    luma = rng.uniform(8, 248, 200)
    made = inked(lab.astype(np.float32), luma)
    found = made.astype(float) @ (0.299, 0.587, 0.114)  # ITU-R BT.601
    assert np.abs(found - luma).max() < 2


@pytest.mark.parametrize("name", ["astronaut", "retina", "immunohistochemistry"])
@pytest.mark.parametrize("shape", ["disc", "rounded", "diamond"])
def test_codes_of_marks_are_read_by_all_four_and_by_an_outsider(store, bay, name, shape):
    image = np.ascontiguousarray(photograph(name)[:500, :500])
    picture = Picture(digest=store.add(encoded(image), name), name=name)
    piece = Piece(message=Message(text=LINK), picture=picture, blend=by_marks(shape=shape))
    made = Renderer(store.lease_all()).render(piece, 500)
    assert judge_rendering(made, bay).readers_right == (4, 4)
    assert zbar_reads(made.image, LINK)


def test_a_module_that_the_picture_carries_gets_no_mark():
    """The picture of the code itself, grey on grey, against one of noise about the same tones."""
    symbol = encode(Message(kind="link", text=LINK), Code(level="M"))
    code = plain_code(symbol, 4, (symbol.side + 8) * 12)
    carried = (20 + code.astype(np.float32) * (215 / 255)).astype(np.uint8)
    shuffled = np.random.default_rng(1).permutation(carried.reshape(-1, 3)).reshape(carried.shape)
    counts = []
    for image in (carried, shuffled):
        plan, settings = Plan(image, symbol, 4), by_marks(0.4)
        flats = marked(plan, settings, strengths(plan, settings)).flats
        counts.append(sum(flat.role == "mark" for flat in flats))
    assert counts[0] < 0.1 * counts[1]


def test_strength_is_told_by_tone_or_by_size():
    plan = plan_of()
    sizes = {}
    for by in ("lightness", "size", "both"):
        settings = by_marks(by=by, size=0.9)
        flats = marked(plan, settings, strengths(plan, settings)).flats
        bounds = [flat.path.bounds() for flat in flats if flat.role == "mark"]
        sizes[by] = np.array([right - left for left, _, right, _ in bounds])
    assert np.ptp(sizes["lightness"]) < 1e-6 and sizes["lightness"][0] == pytest.approx(0.9)
    assert sizes["size"].std() > sizes["both"].std() > 0.01
    assert sizes["size"].max() <= 0.9 + 1e-6


def test_borders_differ_and_end_where_they_are_said_to():
    plan = plan_of("retina")
    changed = {}
    for border in ("none", "line", "panel", "marks", "fade"):
        made = blend(plan, by_marks(border=border))
        outside = np.ones(plan.quiet.shape, bool)
        outside[4:-4, 4:-4] = False
        away = plan.on_pixels(outside.astype(np.float32)) > 0.5
        changed[border] = float((made != plan.square).any(2)[away].mean())
        # The outermost module of the quiet zone is the picture's.
        assert np.array_equal(made[:12], plan.square[:12])
    assert changed["none"] < changed["line"] < changed["panel"]
    assert changed["line"] < changed["marks"] < changed["fade"]


def test_a_finished_piece_is_a_picture_and_paths_to_renderers_that_are_not_ours(store):
    """The picture is inside once, as it is; resvg and pdfium draw what the window shows."""
    # At 300 dpi that is 200 of SVG's pixels: nothing is rounded on the way.
    image = cv2.resize(photograph("coffee")[:400, :400], (625, 625))
    picture = Picture(digest=store.add(encoded(image), "coffee"), name="coffee",
                      region=Region(x=50, y=50, width=525, height=525))  # fmt: skip
    piece = Piece(message=Message(text=LINK), picture=picture, blend=by_marks())
    made = Renderer(store.lease_all()).render(piece, 625)
    text = svg(made, piece.finish).decode()
    (inside,) = re.findall(r'href="data:image/png;base64,([^"]+)"', text)
    kept = np.array(Image.open(io.BytesIO(base64.b64decode(inside))).convert("RGB"))
    assert np.array_equal(kept, made.picture) and text.count("<path") > 50
    drawn = bytes(resvg_py.svg_to_bytes(svg_string=text, width=625, dpi=96))
    seen = np.array(Image.open(io.BytesIO(drawn)).convert("RGB")).astype(int)
    assert np.abs(seen - made.image).mean() < 1.0
    page = pypdfium2.PdfDocument(pdf(made, piece.finish))[0]
    seen = page.render(scale=1250 / page.get_width()).to_pil().convert("RGB").resize((625, 625))
    assert np.abs(np.array(seen).astype(int) - made.image).mean() < 2.5
    assert zbar_reads(np.array(seen), LINK)


def test_what_was_made_before_marks_stays_soft(store):
    old = {"schema": 10, "message": {"text": LINK}, "blend": {"method": "gentle"}}
    piece = Piece.model_validate(old)
    assert piece.blend.marks.shape == "soft"
    # Weaves had no marks for longer, whatever was set for the gentle blend.
    woven = {"method": "weave", "marks": {"shape": "ring", "border": "panel"}}
    piece = Piece.model_validate({"schema": 12, "message": {"text": LINK}, "blend": woven})
    assert piece.blend.marks == Marks(shape="soft", border="panel")
    assert piece.blend.colours == "look" and not piece.blend.by_marks
    kept = Piece.model_validate({"schema": 12, "blend": {"method": "gentle"}})
    assert kept.blend.marks == Marks()
    piece = Piece.model_validate(old)
    plan = plan_of(module=8)
    settings = Blend(method="gentle", marks=piece.blend.marks)
    soft = METHODS["gentle"](plan, settings, strengths(plan, settings))
    changed = (soft != plan.square).any(2).mean()
    assert changed > 0.7  # most of it, where marks leave the picture between them


def test_marks_as_the_look_take_its_shape_and_others_say_that_they_do_not():
    look = Look(shape="star")
    plan = plan_of(look=look)
    star = marked(plan, by_marks(shape="look"), strengths(plan, by_marks())).flats[-1].path
    assert len(star.ops) == 11  # ten corners of a star with five points, and its end
    piece = Piece(message=Message(text=LINK), look=look, picture=Picture(digest="0" * 64, name="x"),
                  blend=by_marks())  # fmt: skip
    assert "shape of its modules" in unused(piece)
    assert unused(piece.edited("blend", marks=Marks(shape="look"))) == ""


def test_the_command_line_marks(tmp_path):
    from click.testing import CliRunner

    (tmp_path / "a.png").write_bytes(encoded(photograph("astronaut")))
    out = tmp_path / "a-code.png"
    arguments = ["make", "--message", LINK, "--picture", str(tmp_path / "a.png"),
                 "--size", "500", "--json", "--out", str(out)]  # fmt: skip
    run = CliRunner().invoke(
        main,
        [*arguments, "--mark", "ring", "--mark-by", "both", "--mark-size", "0.95", "--border",
         "panel", "--texture", "0.5"],
    )  # fmt: skip
    assert json.loads(run.output)["verdict"]["verdict"] in ("well", "thin"), run.output
    assert zbar_reads(np.array(Image.open(out).convert("RGB")), LINK)
    run = CliRunner().invoke(main, [*arguments, "--blend", "tone", "--mark", "ring"])
    assert run.exit_code == 2 and "gentle" in run.output
    for wrong in (["--mark", "blob"], ["--mark-by", "weight"], ["--mark-size", "0.2"]):
        run = CliRunner().invoke(main, [*arguments, "--blend", "gentle", *wrong])
        assert run.exit_code == 2 and "Traceback" not in run.output
    # What would have no effect is refused: soft blends have neither texture nor border.
    for option, value in (("texture", 0.5), ("border", "torn"), ("mark_size", 0.7)):
        with pytest.raises(UserError, match=f"--{option} is for marks".replace("_", "-")):
            asked(mark="soft", **{option: value})
    with pytest.raises(UserError, match="--texture is for the blends"):
        asked(blend="light", texture=0.5)
    given = {"blend": "weave", "mark": "square", "mark_by": "size", "mark_size": 0.9}
    assert asked(**given).blend.marks == TESSERAE.model_copy(update={"by": "size", "size": 0.9})
    assert asked(mark="soft").blend.marks.shape == "soft"
    # Light has a border, too.
    with pytest.raises(UserError, match="gentle, weave and light"):
        asked(blend="tone", border="torn")
    assert asked(blend="light", border="torn").blend.marks.border == "torn"


def asked(**settings):
    return Asker(PictureStore().lease(), "--").piece(LINK, {"blend": "gentle", **settings})


def test_marks_are_chosen_in_the_window(window, settle):
    digest = window.pictures.add(encoded(photograph("coffee")), "coffee")
    window.session.take_picture(digest, "coffee")
    window.session.edit("message", "Write", text=LINK)
    window.ladder.open(3)
    window.session.edit("blend", "Blend", method="gentle")
    settle(window)
    box = window.blend.own.marks
    assert box.shape.value == "disc" and box.by.isVisibleTo(window)
    box.shape.chosen.emit("diamond")
    box.by.button("size").click()
    box.border.setCurrentIndex(box.border.findText("Panel"))
    box.border.activated.emit(box.border.currentIndex())
    settle(window)
    assert window.session.piece.blend.marks == Marks(shape="diamond", by="size", border="panel")
    box.texture.box.setValue(60)
    assert window.session.piece.blend.marks.texture == pytest.approx(0.6)
    window.act_undo.trigger()
    box.shape.chosen.emit("soft")
    assert not box.by.isVisibleTo(window)
    window.act_undo.trigger()
    window.act_undo.trigger()
    assert window.session.piece.blend.marks == Marks(shape="diamond", by="size")


def test_openraster_has_marks_finders_and_border_on_layers_of_their_own(store, tmp_path):
    digest = store.add(encoded(photograph("coffee")), "coffee")
    piece = Piece(message=Message(text=LINK), blend=by_marks(0.5),
                  picture=Picture(digest=digest, name="coffee"))  # fmt: skip
    made = Renderer(store).render(piece, 900)
    layers = layers_of(made)
    assert [layer.name for layer in layers] == ["picture", "border", "finders", "marks", "code"]
    assert np.array_equal(layers[0].image[..., :3], made.picture)
    path = tmp_path / "a.ora"
    with path.open("wb") as file:
        save_openraster(layers, file, Finish())
    with zipfile.ZipFile(path) as archive:
        stack = ElementTree.fromstring(archive.read("stack.xml"))
        whole = Image.new("RGBA", made.size)
        for layer in reversed(stack.findall("stack/layer")):
            if layer.attrib["visibility"] == "visible":
                own = Image.open(io.BytesIO(archive.read(layer.attrib["src"])))
                whole.alpha_composite(own.convert("RGBA"))
    away = np.abs(np.asarray(whole.convert("RGB")).astype(int) - made.image)
    assert away.mean() < 0.6 and np.percentile(away, 99.5) < 40  # edges lie between pixels


def test_marks_leave_little_that_is_neither_picture_nor_flat():
    plan = plan_of()
    shares = []
    for shape in ("disc", "soft"):
        settings = by_marks(0.5, shape=shape)
        made = blend(plan, settings)
        flats = () if shape == "soft" else marked(plan, settings, strengths(plan, settings)).flats
        shares.append(smeared(plan.square, made, (flat.colour for flat in flats)))
    assert shares[0] < 0.12 and shares[1] > 0.5
    assert smeared(plan.square, plan.square) == 0


@pytest.mark.parametrize("border", ["round", "ticket", "label", "torn"])
def test_panels_of_every_edge_leave_a_seam_and_are_read(store, bay, border):
    """Nothing of the edge comes nearer to the code than OpenCV allows (measured: four fifths of a
    module), and a dark picture is read on each."""
    path = to_skia(edge(border, 29, 2.4))
    angles = np.linspace(0, 2 * np.pi, 400)
    # All points that are so far from the code's square, round its corners, too.
    corners = np.where(np.column_stack([np.cos(angles), np.sin(angles)]) > 0, 29, 0)
    near = corners + 0.8 * np.column_stack([np.cos(angles), np.sin(angles)])
    sides = [(x, y) for x in np.linspace(0, 29, 100) for y in (-0.8, 29.8)]
    near = [*near.tolist(), *sides, *((y, x) for x, y in sides)]
    assert all(path.contains(*point) for point in near)
    image = np.ascontiguousarray(photograph("retina")[300:900, 300:900])
    piece = Piece(message=Message(text=LINK), blend=by_marks(border=border),
                  picture=Picture(digest=store.add(encoded(image), "r"), name="r"))  # fmt: skip
    made = Renderer(store).render(piece, 600)
    assert judge_rendering(made, bay).readers_right == (4, 4) and zbar_reads(made.image, LINK)
    kinds = {flat.role for flat in made.marked.flats}
    assert kinds == {"border", "finder", "mark"}


@pytest.mark.parametrize("method", ["tone", "overlay", "dots", "cut", "grain", "ink", "strokes"])
def test_other_methods_may_have_a_border_and_leave_the_picture_round_it(store, bay, method):
    digest = store.add(encoded(photograph("coffee")), "coffee")
    piece = Piece(message=Message(text=LINK), code=Code(level="M"), picture=Picture(digest=digest),
                  blend=Blend(method=method, strength=0.8, quiet="border"))  # fmt: skip
    made = Renderer(store).render(piece, 700)
    square, picture = made.upright(made.image), made.upright(made.picture)
    module = made.code_side / made.modules
    wide = int(3 * module)  # of four modules: the border is less than one
    assert np.array_equal(square[:wide], picture[:wide])
    assert np.array_equal(square[:, -wide:], picture[:, -wide:])
    line = square[int(3.3 * module) : int(3.9 * module), int(6 * module) : -int(6 * module)]
    assert np.ptp(line.reshape(-1, 3), axis=0).max() <= 1  # one colour throughout
    below = picture[int(3.3 * module) : int(3.9 * module)]
    assert cv2.cvtColor(line, cv2.COLOR_RGB2GRAY).mean() > cv2.cvtColor(
        np.ascontiguousarray(below), cv2.COLOR_RGB2GRAY).mean() + 40  # fmt: skip
    assert judge_rendering(made, bay, with_fidelity=False).readers_right[0] >= 3


def test_marks_with_texture_are_as_light_as_flat_ones_and_show_what_lies_below():
    plan, flat = plan_of("coffee", module=20), by_marks()
    made = {texture: blend(plan, by_marks(texture=texture)) for texture in (0.0, 0.8)}
    flats = marked(plan, flat, strengths(plan, flat)).flats
    marks = [each for each in flats if each.role == "mark"]
    outside = ~covered(plan, flats, grow=1)
    assert np.array_equal(made[0.8][outside], plan.square[outside])
    disc, kept = np.hypot(*(np.mgrid[:16, :16] - 7.5)) < 7.5, []
    for each in marks[::7]:
        left, top, right, bottom = each.path.bounds()
        x, y = round((left + right) * 10), round((top + bottom) * 10)
        core = slice(y - 8, y + 8), slice(x - 8, x + 8)
        before, one, other = (
            cv2.cvtColor(image, cv2.COLOR_RGB2GRAY)[core][disc].astype(float)
            for image in (plan.square, made[0.0], made[0.8])
        )
        assert np.ptp(one) <= 1 and abs(other.mean() - one.mean()) < 4
        if before.std() > 8 and 40 < one.mean() < 215:
            kept.append(other.std() / before.std())
    assert len(kept) > 10 and 0.6 < np.median(kept) < 0.85
