"""Drawing by hand: the template, and the way back from a photo of what was drawn."""

import io
import json
import zipfile
from xml.etree import ElementTree

import cv2
import numpy as np
import pypdfium2
import pytest
import resvg_py
from PIL import Image
from PySide6.QtCore import QPointF

from conftest import LINK
from nimble_tile.core.errors import UserError
from nimble_tile.core.output.openraster import RasterLayer, merged
from nimble_tile.core.output.template import (
    TemplateWish,
    free_modules,
    gaps_of,
    picture,
    sheet_corners,
    template,
    write_template,
)
from nimble_tile.core.picture.paper import cleaned, light_on, straightened
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.project.archive import load_project, save
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.sampling import spoiled
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune.drawn import bring_back, corners_of, symbol_at
from outside_reader import zbar_reads
from test_cli import run


def symbol_of(level="H", **code):
    return encode(Message(text=LINK), Code(level=level, raise_level=False, **code))


def drawn_by_hand(symbol, module=22, seed=3, smudged=None):
    """Short rough strokes over dark modules, wobbling, with gaps, in ink on cream paper."""
    rng = np.random.default_rng(seed)
    side = (symbol.side + 13) * module
    paper = np.full((side, side, 3), (244, 238, 222), np.float32)
    paper += rng.normal(0, 3, paper.shape)
    sheet = paper.clip(0, 255).astype(np.uint8)
    for row, column in np.argwhere(symbol.dark):
        x, y = (column + 6.5) * module, (row + 6.5) * module
        for k in range(7):
            if rng.random() < 0.04:
                continue  # a gap between strokes
            at = y + (k + 0.5) / 7 * module
            ends = [(x + rng.normal(0, 1.6), at + rng.normal(0, 1.5)),
                    (x + module + rng.normal(0, 1.6), at + rng.normal(0, 1.5))]  # fmt: skip
            points = np.rint(ends).astype(int)
            shade = int(rng.uniform(30, 70))
            cv2.line(sheet, points[0].tolist(), points[1].tolist(), (shade, shade, shade + 12), 5,
                     cv2.LINE_AA)  # fmt: skip
    if smudged is not None:
        for row, column in np.argwhere(smudged):
            x, y = (column + 6.5) * module, (row + 6.5) * module
            tone = int(rng.uniform(40, 220))
            cv2.circle(sheet, (int(x + module / 2), int(y + module / 2)), module // 2,
                       (tone, tone, tone), -1)  # fmt: skip
    return sheet


def photographed(sheet, tilt=0.16, seed=4):
    """A photo of a sheet on a dark table: tilted, turned, under a lamp in one corner."""
    rng = np.random.default_rng(seed)
    height, width = 1300, 1500
    side = sheet.shape[0]
    quad = np.array([[330, 150], [1250, 220], [1330, 1190], [190, 1080]], np.float32)
    quad += (tilt - 0.16) * 400 * np.array([[1, 0], [-1, 0], [1, 1], [-1, 0]], np.float32)
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    matrix = cv2.getPerspectiveTransform(square, quad)
    table = np.full((height, width, 3), (70, 52, 40), np.uint8)
    photo = cv2.warpPerspective(
        sheet, matrix, (width, height), table, cv2.INTER_AREA, cv2.BORDER_TRANSPARENT
    )
    y, x = np.mgrid[:height, :width].astype(np.float32)
    away = np.hypot(x - 200, y - 150) / 1500
    lamp = np.clip(1.15 - 0.75 * away, 0.3, 1.1)[..., None] * np.array([1.0, 0.93, 0.78])
    photo = np.clip(photo * lamp + rng.normal(0, 4, photo.shape), 0, 255).astype(np.uint8)
    return cv2.GaussianBlur(photo, (0, 0), 0.8), quad


def half(image):
    """At half the size."""
    return cv2.resize(np.ascontiguousarray(image), None, fx=0.5, fy=0.5,
                      interpolation=cv2.INTER_AREA).astype(float)  # fmt: skip


# The template -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("level", "text"), [("H", LINK), ("L", "x" * 300), ("M", LINK), ("Q", "R" * 90)]
)
def test_what_is_free_may_be_anything_at_once(level, text):
    """The encoder's own count of spoiled codewords is the judge; then zbar."""
    symbol = encode(Message(text=text), Code(level=level, raise_level=False))
    for share in (0.25, 0.5, 0.8):
        free = free_modules(symbol, share)
        assert not free[symbol.anatomy.codeword < 0].any()
        errors = spoiled(free, symbol)
        for count, block in zip(errors, symbol.anatomy.blocks, strict=True):
            assert count == int(block.correctable * share)
        image = plain_code(symbol, 4, (symbol.side + 8) * 8)
        grid = np.pad(np.where(free, np.random.default_rng(1).integers(0, 2, free.shape), 2), 4,
                      constant_values=2)  # fmt: skip
        spoilt = np.kron(grid, np.ones((8, 8), int))
        image = np.where(spoilt[..., None] == 2, image, 255 * spoilt[..., None]).astype(np.uint8)
        assert zbar_reads(image, text)
    corner = free_modules(symbol, 0.5, (0.9, 0.5))
    _, columns = np.nonzero(corner)
    assert columns.mean() > 0.6 * symbol.side > np.nonzero(free_modules(symbol, 0.5))[1].mean()


def test_gaps_are_asked_for_where_a_stroke_would_close_them():
    symbol = symbol_of()
    none = np.zeros_like(symbol.dark)
    gaps = gaps_of(symbol, none)
    for row, column, across in gaps:
        beside = ((0, -1), (0, 1)) if across else ((-1, 0), (1, 0))
        assert not symbol.dark[row, column]
        assert all(symbol.dark[row + y, column + x] for y, x in beside)
    free = free_modules(symbol, 0.5)
    assert not any(free[row, column] for row, column, _ in gaps_of(symbol, free))
    assert {(0, 0)} & {(r, c) for r, c, _ in gaps} == set()
    # Three light modules in a row of the timing pattern's column are none; its single ones are.
    assert (6, 9, True) in gaps


def test_templates_in_all_formats_are_read_by_others(tmp_path):
    """SVG by resvg, PDF by pdfium, OpenRaster by its own specification's rules."""
    symbol = symbol_of()
    made = template(symbol, TemplateWish(size=120, dpi=150, faint=0.25, strong="whole"))
    for ending in (".png", ".svg", ".pdf", ".ora"):
        write_template(made, tmp_path / f"t{ending}")
    with Image.open(tmp_path / "t.png") as png:
        assert png.size == (709, 709) and round(png.info["dpi"][0]) == 150
        shown = np.array(png.convert("RGB"))
    assert zbar_reads(shown, LINK)  # all dark modules strongly
    svg = (tmp_path / "t.svg").read_text()
    png = resvg_py.svg_to_bytes(svg_string=svg, width=709, dpi=96)
    drawn = np.array(Image.open(io.BytesIO(png)).convert("RGB"))
    assert np.abs(half(drawn) - half(shown)).mean() < 4  # edges of areas are smoothed otherwise
    assert 'width="120mm"' in svg
    document = pypdfium2.PdfDocument(tmp_path / "t.pdf")
    width, height = document[0].get_size()
    assert (width, height) == pytest.approx((120 / 25.4 * 72,) * 2, abs=0.1)
    page = document[0].render(scale=709 / width).to_numpy()[..., ::-1][:709, :709]
    document.close()
    assert np.abs(half(page) - half(shown)).mean() < 4
    with zipfile.ZipFile(tmp_path / "t.ora") as archive:
        first = archive.infolist()[0]
        assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert archive.read("mimetype") == b"image/openraster"
        root = ElementTree.fromstring(archive.read("stack.xml"))
        names = [layer.get("name") for layer in root.iter("layer")]
        assert names[0] == "Draw here" and names[-1] == "Paper" and "Free to smudge" in names
        for layer in root.iter("layer"):
            with archive.open(layer.get("src")) as file, Image.open(file) as image:
                assert image.size == (709, 709) and image.mode == "RGBA"
        with archive.open("mergedimage.png") as file, Image.open(file) as image:
            assert np.abs(np.array(image)[..., :3].astype(int) - shown).max() <= 1
        with archive.open("Thumbnails/thumbnail.png") as file, Image.open(file) as image:
            assert max(image.size) == 256


def test_a_template_says_what_cannot_be(tmp_path):
    made = template(symbol_of(), TemplateWish(size=600, dpi=1200))
    with pytest.raises(UserError, match="fewer dpi"):
        write_template(made, tmp_path / "large.png")
    with pytest.raises(UserError, match="OpenRaster"):
        write_template(made, tmp_path / "t.bmp")
    for wrong in ({"size": 5}, {"dpi": 9}, {"faint": 0}, {"free": 1}):
        with pytest.raises(UserError):
            TemplateWish(**wrong)
    assert not list(tmp_path.iterdir())


def test_layers_lie_over_each_other_as_the_compositing_specification_says():
    """W3C Compositing and Blending, source-over: co = cs·αs + cb·αb·(1 − αs)."""
    lower = RasterLayer("a", np.full((2, 2, 4), (200, 100, 0, 255), np.uint8))
    upper = RasterLayer("b", np.full((2, 2, 4), (0, 100, 200, 128), np.uint8), opacity=0.5)
    hidden = RasterLayer("c", np.full((2, 2, 4), 255, np.uint8), visible=False)
    alpha = 128 / 255 * 0.5
    expected = np.array([0, 100, 200]) * alpha + np.array([200, 100, 0]) * (1 - alpha)
    found = merged([lower, upper, hidden])
    assert np.abs(found[0, 0, :3] - expected).max() <= 0.51 and found[0, 0, 3] == 255
    alone = merged([upper])[0, 0]
    assert tuple(alone[:3]) == (0, 100, 200) and alone[3] == 64


# Back in ------------------------------------------------------------------------------------


@pytest.mark.parametrize("smudges", [False, True])
def test_a_drawing_comes_back_from_a_photo_under_a_lamp(bay, smudges):
    symbol = symbol_of()
    free = free_modules(symbol, 0.5) if smudges else None
    sheet = drawn_by_hand(symbol, smudged=free)
    photo, quad = photographed(sheet)
    found, corners = corners_of(photo, LINK, bay)
    assert (found.dark == symbol.dark).all()
    # Where the symbol's corners are on the photo, from how the photo was made.
    side = symbol.side + 13
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    inner = np.array([[6.5, 6.5], [side - 6.5, 6.5], [side - 6.5, side - 6.5], [6.5, side - 6.5]])
    matrix = cv2.getPerspectiveTransform(square, quad)
    truth = cv2.perspectiveTransform(inner[None].astype(np.float32), matrix)[0]
    module = np.hypot(*(truth[1] - truth[0])) / symbol.side
    assert np.abs(corners - truth).max() < 0.5 * module
    drawn = bring_back(photo, found, corners)
    assert zbar_reads(drawn.image, LINK)
    # The paper is even and light, whatever the lamp did.
    margin = drawn.image[: int(4 * drawn.image.shape[0] / side)].astype(float)
    assert margin.mean() > 235 and margin.mean((0, 2)).std() < 6
    raw, _ = straightened(photo, corners, symbol.side, 6.5)
    assert raw[: raw.shape[0] // 12].mean((0, 2)).std() > 15


def test_corners_by_hand_are_moved_to_where_the_symbol_is():
    symbol = symbol_of()
    photo, quad = photographed(drawn_by_hand(symbol))
    side = symbol.side + 13
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    inner = np.array([[6.5, 6.5], [side - 6.5, 6.5], [side - 6.5, side - 6.5], [6.5, side - 6.5]])
    matrix = cv2.getPerspectiveTransform(square, quad)
    truth = cv2.perspectiveTransform(inner[None].astype(np.float32), matrix)[0]
    rough = truth + np.array([[9, -7], [-8, 6], [7, 8], [-6, -9]])
    found, corners, sure = symbol_at(photo, LINK, rough, [symbol])
    assert sure and found.version == symbol.version
    assert np.abs(corners - truth).max() < np.abs(rough - truth).max() - 2
    blank = np.full((600, 600, 3), 230, np.uint8)
    given = np.array([[100, 100], [500, 100], [500, 500], [100, 500]], float)
    taken, same, sure = symbol_at(blank, LINK, given, [symbol])
    assert not sure and taken is symbol and np.array_equal(same, given)


def test_cleaning_takes_the_paper_and_leaves_the_ink():
    rng = np.random.default_rng(2)
    _, x = np.mgrid[:400, :400]
    lamp = (0.5 + 0.5 * x / 400)[..., None]
    ink = np.zeros((400, 400), bool)
    ink[120:200, 60:140] = ink[220:300, 240:340] = True
    sheet = np.where(ink[..., None], (60, 20, 20), (250, 240, 215)) * lamp
    sheet = np.clip(sheet + rng.normal(0, 2, sheet.shape), 0, 255).astype(np.uint8)
    light = light_on(sheet, 10)
    assert np.abs(light[~ink] - (np.array([250, 240, 215]) * lamp)[~ink]).mean() < 12
    clean = cleaned(sheet, 10).astype(float)
    assert clean[~ink].mean() > 240 and clean[~ink].std() < 12
    red, green = clean[ink][:, 0].mean(), clean[ink][:, 1].mean()
    assert red > 1.8 * green and red < 90  # it is still the same ink
    assert np.array_equal(cleaned(sheet, 10, 0), sheet)
    # A dark shape that is larger than any area of a code stays as dark as it was drawn.
    large = sheet.copy()
    cv2.circle(large, (200, 200), 130, (50, 40, 40), -1)
    blob = np.zeros((400, 400), np.uint8)
    cv2.circle(blob, (200, 200), 125, 1, -1)
    assert cleaned(large, 10)[blob > 0].max() < 110
    half = cleaned(sheet, 10, 0.5).astype(float)
    assert sheet[~ink].mean() < half[~ink].mean() < clean[~ink].mean()


def test_the_corner_marks_lie_where_the_sheet_says():
    made = template(symbol_of(), TemplateWish(dpi=150))
    image = picture(made, 1000)
    for x, y in (sheet_corners(made) + made.first) * 1000 / made.modules:
        assert image[int(y), int(x)].mean() < 140


# On the command line ------------------------------------------------------------------------


def test_the_command_line_writes_guides_and_templates_and_takes_drawings_back(tmp_path):
    made = run("guide", "--message", LINK, "--out", tmp_path / "guide.png", "--json")
    assert made.exit_code == 0 and json.loads(made.stdout)["advice"] == []
    assert zbar_reads(np.array(Image.open(tmp_path / "guide.png").convert("RGB")), LINK)
    risky = run("guide", "--message", LINK, "--level", "L", "--quiet-zone", 0, "--out",
                tmp_path / "risky.png")  # fmt: skip
    assert "Level L" in risky.stdout and "quiet zone" in risky.stdout
    for wrong in (("--dark", "red"), ("--width", "9"), ("--version", "41")):
        result = run("guide", "--message", LINK, *wrong, "--out", tmp_path / "no.png")
        assert result.exit_code == 2 and not (tmp_path / "no.png").exists()
    sheet = run("template", "--message", LINK, "--out", tmp_path / "sheet.pdf", "--size", 200,
                "--json")  # fmt: skip
    told = json.loads(sheet.stdout)
    assert told["module"] == pytest.approx(200 / (told["symbol"]["modules"] + 13), abs=0.01)
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    photo, _ = photographed(drawn_by_hand(symbol_of()))
    Image.fromarray(photo).save(tmp_path / "photo.jpg", quality=92)
    back = run("straighten", tmp_path / "photo.jpg", "--message", LINK, "--out",
               tmp_path / "back.png", "--json")  # fmt: skip
    told = json.loads(back.stdout)
    assert back.exit_code == 0 and told["sure"] and told["verdict"]["verdict"] != "fails"
    assert zbar_reads(np.array(Image.open(tmp_path / "back.png").convert("RGB")), LINK)
    corners = ",".join(str(value) for point in told["corners"] for value in point)
    again = run("straighten", tmp_path / "photo.jpg", "--message", LINK, "--corners", corners,
                "--out", tmp_path / "again.png", "--json")  # fmt: skip
    assert json.loads(again.stdout)["sure"]
    for wrong in (("--corners", "1,2,3"), ("--out", tmp_path / "x.bmp")):
        assert run("straighten", tmp_path / "photo.jpg", "--message", LINK, "--out",
                   tmp_path / "y.png", *wrong).exit_code == 2  # fmt: skip
    blank = tmp_path / "blank.png"
    Image.new("RGB", (300, 300), "white").save(blank)
    none = run("straighten", blank, "--message", LINK, "--out", tmp_path / "z.png")
    assert none.exit_code == 2 and "corners" in none.stderr


# In the window -------------------------------------------------------------------------------


def test_revisions_are_kept_and_the_last_that_scans_is_marked(
    window, settle, qtbot, tmp_path, monkeypatch
):
    few = tuple(t for t in shipped() if t.name in ("In the hand", "From the side"))
    monkeypatch.setattr(type(window.proof.prover), "trials", few)
    window.session.edit("message", "Write", text=LINK)
    window.session.edit("code", "Level", level="H", raise_level=False)
    settle(window)
    opened = window.drawn_desk.open()
    opened.template_to(tmp_path / "t.ora")
    qtbot.waitUntil(lambda: (tmp_path / "t.ora").exists(), timeout=20_000)
    free = opened.template.about
    opened.view.pointed.emit(QPointF(0.75, 0.5))
    assert opened.template.about[0] > free[0]
    good = drawn_by_hand(opened.symbol)
    bad = drawn_by_hand(opened.symbol, seed=8)
    middle = bad.shape[0] // 2
    cv2.circle(bad, (middle, middle), middle // 2, (40, 40, 60), -1)
    for number, sheet in enumerate((good, bad), 1):
        path = tmp_path / f"photo {number}.jpg"
        Image.fromarray(photographed(sheet)[0]).save(path, quality=92)
        opened.brought = None
        opened.open_path(path)
        qtbot.waitUntil(lambda: opened.brought is not None, timeout=60_000)
        assert opened.way.value == "straight" and opened.back.keep.isEnabled()
        opened.keep()
        qtbot.waitUntil(lambda n=number: len(window.session.drafts) == n, timeout=20_000)
    first, second = window.session.drafts
    assert (first.revision, second.revision) == (1, 2) and first.name == "Revision 1"
    assert first.state in ("well", "thin") and second.state == "fails"
    assert opened.revisions.last == first.key and opened.revisions.count() == 2
    assert "last one that still scans" in opened.revisions.item(0).toolTip()
    project = tmp_path / "drawn.ntile"
    save(window.session.piece, window.pictures, project, window.session.drafts)
    kept = load_project(project).drafts
    assert [draft.revision for draft in kept] == [1, 2]
    opened.revisions.taken.emit(first.key)
    settle(window)
    piece = window.session.piece
    assert piece.picture == first.piece.picture and piece.blend.strength == 0
    # By hand: a corner is dragged away and found again.
    opened.way.set_value("photo")
    opened._show()
    opened.view.quad[0] += 12
    opened.brought = None
    opened.view.cornered.emit()
    qtbot.waitUntil(lambda: opened.brought is not None, timeout=60_000)
    opened.take(np.full((400, 500, 3), 200, np.uint8), "blank")
    qtbot.waitUntil(lambda: "by hand" in opened.note.text(), timeout=60_000)
    assert opened.view.quad.shape == (4, 2) and not opened.back.use.isEnabled()
