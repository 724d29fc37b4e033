"""Pixel art: palettes that keep apart, whole pixels at every size, strokes and what they cost."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from conftest import LINK, encoded, photograph
from nimble_tile.core.artwork import Pixels
from nimble_tile.core.errors import UserError
from nimble_tile.core.piece import Blend, Code, Message, Picture, Piece, Region
from nimble_tile.core.pixelart import (
    APART,
    PALETTES,
    PixelArt,
    art_of,
    dark_ones,
    drawn,
    indexed,
    kept_apart,
    luma,
    palette_of,
    plain_pixels,
    wanted_of,
    whole_size,
)
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.pixels import pixel_cost
from nimble_tile.core.symbol.encode import encode
from nimble_tile.ui.rooms.pixels.begin import FROM_PICTURE, BeginDialog
from nimble_tile.ui.rooms.pixels.hand import PixelStroke, _filled
from outside_reader import zbar_reads

colours = st.integers(0, 0xFFFFFF).map(lambda value: f"#{value:06x}")


def symbol_of(text=LINK, level="H", version="auto"):
    return encode(Message(kind="text", text=text), Code(level=level, version=version))


def picture():
    return np.ascontiguousarray(photograph("coffee")[:400, :400])


@given(st.lists(colours, min_size=1, max_size=32))
@settings(max_examples=80, deadline=None)
def test_dark_and_light_colours_are_kept_apart(palette):
    made = kept_apart(palette)
    dark = dark_ones(made)
    tones = luma(made)
    assert dark.any() and (~dark).any() and len(set(made)) == len(made) <= len(palette) + 1
    assert tones[~dark].min() - tones[dark].max() >= APART - 1e-9
    assert kept_apart(made) == made  # what is apart stays as it is


def test_palettes_of_pictures_and_those_that_ship():
    for count in (2, 7, 16, 32):
        made = palette_of(picture(), count)
        assert 2 <= len(made) <= 32 and len(made) >= min(count, 12) - 3
    for name, palette in PALETTES.items():
        assert kept_apart(palette) and 2 <= len(palette) <= 32, name
    flat = np.full((50, 50, 3), 120, np.uint8)
    assert len(palette_of(flat, 16)) == 2  # one colour, and one of the other sort


@pytest.mark.parametrize("module", [1, 2, 3, 5, 8])
def test_every_module_is_of_its_sort_and_others_read_it(module):
    symbol = symbol_of()
    art = art_of(symbol, palette_of(picture(), 16), module, 2, picture())
    assert art.pixels.shape == ((symbol.side + 12) * module,) * 2 and art.first == (2 * module,) * 2
    dark = dark_ones(art.palette)[art.pixels]
    wanted = wanted_of(art, symbol)
    agree = np.where(wanted < 0, dark, ~dark)[wanted != 0].mean()
    assert agree == 1.0 if module < 5 else agree > 0.9  # corners are free in large modules
    cost = pixel_cost(art, symbol)
    assert cost.readable and cost.spare >= 0.5
    factor = -(-1080 // art.pixels.shape[0])
    assert zbar_reads(art.rgb.repeat(factor, 0).repeat(factor, 1), LINK)


def test_micro_qr_is_drawn_and_read(bay):
    """zxing-cpp alone among the four knows Micro QR; zbar does not."""
    symbol = symbol_of("RED HIDE 7", "L", "micro")
    assert symbol.micro
    art = art_of(symbol, PALETTES["Marsh"], 6, 1)
    assert np.array_equal(art.pixels, plain_pixels(art, symbol)) and len(np.unique(art.pixels)) == 2
    image = art.rgb.repeat(4, 0).repeat(4, 1)
    (outcome,) = bay.read(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY), ["zxing-cpp"])
    assert [reading.text for reading in outcome.readings] == ["RED HIDE 7"]
    assert pixel_cost(art, symbol).spare == 1


def test_what_cannot_be_pixel_art_is_said():
    symbol = symbol_of()
    for wrong in (
        {"palette": ("#000000",)}, {"palette": PALETTES["Marsh"], "module": 17},
        {"palette": PALETTES["Marsh"], "around": 30},
    ):  # fmt: skip
        with pytest.raises(UserError):
            art_of(symbol, **wrong)
    with pytest.raises(UserError, match="fewer pixels"):
        art_of(symbol_of("x" * 900), PALETTES["Marsh"], 16)


def test_the_file_is_an_indexed_png_and_comes_back_pixel_by_pixel():
    art = art_of(symbol_of(), PALETTES["Lantern walk"], 3, 1, picture())
    import io

    with Image.open(io.BytesIO(art.file())) as image:
        assert image.mode == "P" and image.size == art.pixels.shape[::-1]
        assert np.array_equal(np.array(image.convert("RGB")), art.rgb)
    assert np.array_equal(art.rgb[art.pixels == 3][0], np.array(art.rgb[art.pixels == 3][-1]))
    assert np.array_equal(indexed(art.rgb, art.palette), art.pixels)


# Drawing ----------------------------------------------------------------------------------------


@pytest.fixture
def art():
    return art_of(symbol_of(), PALETTES["Marsh"], 3, 2)


def test_strokes_touch_just_their_pixels(art):
    symbol, light = symbol_of(), int(luma(art.palette).argmax())
    height, width = art.pixels.shape
    pencil = drawn(art, symbol, "pencil", [(1, 1), (2, 1), (2, 2)], 0)
    assert {tuple(p) for p in np.argwhere(pencil.pixels != art.pixels)} == {(1, 1), (1, 2), (2, 2)}
    line = drawn(art, symbol, "line", [(0, 0), (9, 3), (5, 5)], 0)
    changed = np.argwhere(line.pixels != art.pixels)
    assert {tuple(p) for p in changed} == {(n, n) for n in range(6)}  # first to last alone
    both = drawn(art, symbol, "pencil", [(0, 1)], 0, "both")
    assert {tuple(p) for p in np.argwhere(both.pixels != art.pixels)} == {
        (1, 0), (1, width - 1), (height - 2, 0), (height - 2, width - 1),
    }  # fmt: skip
    across = drawn(art, symbol, "pencil", [(0, 1)], 0, "across")
    assert (across.pixels != art.pixels).sum() == 2
    filled = drawn(art, symbol, "fill", [(0, 0)], 4)
    region = filled.pixels != art.pixels
    assert region[0, 0] and (art.pixels[region] == light).all()
    # What hangs together by edges, as scipy counts it.
    from scipy import ndimage

    parts, _ = ndimage.label(art.pixels == light)
    assert np.array_equal(region, parts == parts[0, 0])
    assert np.array_equal(drawn(filled, symbol, "erase", [(0, 0)], 0).pixels[0, 0], light)
    outside = drawn(art, symbol, "pencil", [(-4, -4), (width + 9, -4)], 0)
    assert np.array_equal(outside.pixels, art.pixels)


def test_a_stroke_tells_what_it_costs(art):
    symbol = symbol_of()
    before = pixel_cost(art, symbol)
    assert (before.spare, before.wrong) == (1, 0)
    one = next((r, c) for r, c in np.argwhere(symbol.dark) if symbol.anatomy.codeword[r, c] >= 0)
    y, x = ((value + 6) * 3 for value in one)
    spoilt = drawn(art, symbol, "pencil", [(x + i, y + j) for j in range(3) for i in (0, 1, 2)],
                   int(luma(art.palette).argmax()))  # fmt: skip
    after = pixel_cost(spoilt, symbol)
    assert after.wrong >= 1 and after.spare < 1
    assert "1 module is wrong" in after.told(before) and "this stroke: -" in after.told(before)
    rim = art.pixels.copy()
    rim[: 5 * 3] = 0  # the quiet zone above the code
    shut = pixel_cost(art.with_pixels(rim), symbol)
    assert not shut.fine and "quiet zone" in shut.told() and before.fine
    black = art.with_pixels(np.zeros_like(art.pixels))
    assert not pixel_cost(black, symbol).readable
    assert "cannot be read" in pixel_cost(black, symbol).told()


# In a piece ---------------------------------------------------------------------------------


def piece_of(art, symbol, store, size):
    side = art.pixels.shape[0] - 2 * art.first[0]
    region = Region(x=art.first[0], y=art.first[1], width=side, height=side)
    pixels = Pixels(module=art.module, palette=art.palette)
    return Piece(
        message=Message(kind="text", text=symbol.text),
        code=Code(level=symbol.level, version=symbol.version, mask=symbol.mask, raise_level=False),
        picture=Picture(digest=store.add_own(art.file(), "x"), region=region, pixels=pixels),
        blend=Blend(method="gentle", strength=0),
    ).edited("finish", size=size)


def test_pixels_stay_squares_at_every_whole_factor(store):
    symbol = symbol_of()
    art = art_of(symbol, PALETTES["Heron"], 3, 2, picture())
    side = art.pixels.shape[0]
    renderer = Renderer(store)
    for factor in (1, 3, 7):
        made = renderer.render(piece_of(art, symbol, store, factor * side)).image
        assert np.array_equal(made, art.rgb.repeat(factor, 0).repeat(factor, 1))
    # Between them nothing is blurred by more than a pixel.
    odd = renderer.render(piece_of(art, symbol, store, round(2.6 * side))).image
    nearest = cv2.resize(art.rgb, odd.shape[1::-1], interpolation=cv2.INTER_NEAREST)
    inside = cv2.erode((np.abs(odd.astype(int) - nearest).max(-1) < 3).astype(np.uint8),
                       np.ones((1, 1)))  # fmt: skip
    assert inside.mean() > 0.35
    natural = renderer.natural_size(piece_of(art, symbol, store, None))
    assert natural % side == 0 and natural >= 8 / 3 * side * 0.8
    turned = piece_of(art, symbol, store, side).edited(
        "picture", frame={"turn": 90, "crop": (3, 6, 0, 0)}, region=None
    )
    shown = renderer.render(turned, max(side - 3, side - 6)).image
    assert np.array_equal(shown, np.rot90(art.rgb, -1)[6:, 3:])


@pytest.mark.parametrize(("side", "size", "whole"), [
    (100, 1080, 1100), (100, 40, 100), (205, 1080, 1025), (9000, 16000, 9000), (135, 1500, 1485),
])  # fmt: skip
def test_whole_sizes(side, size, whole):
    assert whole_size(side, size) == whole


def test_a_line_of_the_pointer_has_no_holes():
    assert _filled([(0, 0), (4, 2)]) == [(0, 0), (1, 0), (2, 1), (3, 2), (4, 2)]
    assert _filled([(3, 3)]) == [(3, 3)] and _filled([]) == []


# In the window --------------------------------------------------------------------------------


def test_pixel_art_is_begun_drawn_undone_saved_and_exported(
    window, settle, qtbot, tmp_path, monkeypatch
):
    window.message.text.setPlainText(LINK)
    path = tmp_path / "cup.png"
    path.write_bytes(encoded(picture()))
    window.files.bring_picture(path)
    settle(window)
    desk = window.pixels_desk
    assert desk.strip.palette.sizeHint().isValid() and not desk.strip.grab().isNull()
    images, asked_with = [], BeginDialog.__init__

    def asking(self, piece, image, parent):
        images.append(image)
        asked_with(self, piece, image, parent)

    monkeypatch.setattr(BeginDialog, "__init__", asking)
    monkeypatch.setattr(BeginDialog, "exec", lambda self: 0)
    desk.open()  # the picture is decoded by a job, and then asked about
    assert not images
    qtbot.waitUntil(lambda: len(images) == 1)
    assert images[0].shape == picture().shape
    dialog = BeginDialog(window.session.piece, images[0], window)
    dialog.micro.setChecked(True)
    assert dialog.art is None and "Micro QR holds" in dialog.told.text()
    dialog.micro.setChecked(False)
    dialog.colours.set_value(FROM_PICTURE)
    dialog.module.setValue(3)
    assert dialog.ok.isEnabled() and dialog.art.module == 3
    desk.start(dialog.art, dialog.symbol, dialog.code)
    settle(window)
    assert desk.strip.isVisibleTo(window) and window.bench.hand is desk.hand
    before, digest = desk.art, window.session.piece.picture.digest
    # By the pointer, on the bench, in the place of a finder's middle.
    bench = window.bench
    x, y = (value + 3 * 7 for value in desk.art.first)
    desk.strip.palette.choose(len(desk.art.palette) - 1)
    desk.take_tool("line")
    start, end = bench.from_picture(x + 0.5, y + 0.5), bench.from_picture(x + 6.5, y + 6.5)
    none = __import__("PySide6.QtCore").QtCore.Qt.KeyboardModifier.NoModifier
    assert desk.hand.press(start, none)
    desk.hand.move(end, none)
    desk.hand.release()
    assert (
        window.session.undo_name == "Draw a line" and "this stroke" in desk.strip.told.text()
    ) or (desk.cost.wrong > 0)
    changed = np.argwhere(desk.art.pixels != before.pixels)
    assert len(changed) and changed.min() >= y
    settle(window)
    window.session.undo()
    assert window.session.piece.picture.digest == digest
    assert np.array_equal(desk.art.pixels, before.pixels)
    # Turned, its pixels lie elsewhere: the pencil says so and draws nothing.
    window.session.reframe("Turn", turn=90)
    assert not desk.hand.ready and "set the frame back" in desk.strip.told.text()
    window.session.undo()
    settle(window)
    assert desk.hand.ready and desk.cost is not None
    desk.hand.picked.emit((0, 0))
    assert desk.strip.palette.current == before.pixels[0, 0]
    window.finish.files.size.setValue(1000)
    side = before.pixels.shape[0]
    assert window.session.piece.finish.size % side == 0
    settle(window)
    out = tmp_path / "out.png"
    from nimble_tile.core.output.export import write

    rendering = Renderer(window.pictures).render(window.session.piece)
    write(rendering, out, window.session.piece.finish)
    with Image.open(out) as made:
        pixels = np.array(made.convert("RGB"))
    factor = pixels.shape[0] // side
    assert np.array_equal(pixels, before.rgb.repeat(factor, 0).repeat(factor, 1))
    assert zbar_reads(pixels, LINK)
    project = tmp_path / "p.ntile"
    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.project.archive import load, save

    save(window.session.piece, window.pictures, project)
    assert load(project, PictureStore()) == window.session.piece
    desk.stroke(PixelStroke("fill", ((0, 0),)))
    desk.put_away()
    assert window.bench.hand is not desk.hand and not desk.strip.isVisibleTo(window)
    desk.open()
    assert desk.strip.isVisibleTo(window)


def test_a_strip_without_colours_is_laid_out():
    assert len(luma([])) == 0 and not dark_ones([]).any()


def test_art_is_data_alone():
    art = PixelArt(np.zeros((4, 4), np.uint8), ("#000000", "#ffffff"), 1, (0, 0))
    assert art.with_pixels(art.pixels + 1).rgb.min() == 255
