"""What leaves the house: formats, print, sheets, effects, presets; read by libraries of others."""

import io
import json
import zipfile
from xml.etree import ElementTree

import cv2
import numpy as np
import pikepdf
import pypdfium2
import pytest
import tifffile
from PIL import Image, ImageCms, JpegImagePlugin
from PySide6.QtCore import QMarginsF, QSizeF
from PySide6.QtGui import QPageLayout, QPageSize
from pyzbar.pyzbar import decode as zbar

from conftest import LINK, encoded, photograph
from nimble_tile.core.additions import Backing, Caption, Captions, Logo, Logos, Surround
from nimble_tile.core.errors import OutputError, ProjectError
from nimble_tile.core.look import Fill, Look
from nimble_tile.core.output import export as output
from nimble_tile.core.output import inks, page, testsheet, weigh
from nimble_tile.core.output.layers import layers_of
from nimble_tile.core.piece import MM_PER_INCH, Finish, Message, Piece
from nimble_tile.core.project import presets
from nimble_tile.core.relief import Bevel, Inner, Relief, Shadow
from nimble_tile.core.render import Renderer
from nimble_tile.core.study import Student
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped

GREEN = Look(shape="rounded", fill=Fill(colour="#1d5740"), ground=Fill(colour="#f4efe2"))


def said(image):
    """What a reader says that the program does not have."""
    return [code.data.decode() for code in zbar(Image.fromarray(np.ascontiguousarray(image)))]


def from_afar(image):
    """An image of which single printed dots cannot be told apart."""
    small = cv2.resize(np.ascontiguousarray(image), None, fx=1 / 3, fy=1 / 3,
                       interpolation=cv2.INTER_AREA)  # fmt: skip
    return cv2.resize(small, None, fx=3, fy=3, interpolation=cv2.INTER_CUBIC)


def on_page(data, dots=200):
    """The first page of a PDF on pixels."""
    document = pypdfium2.PdfDocument(data)
    return np.array(document[0].render(scale=dots / 72).to_pil().convert("RGB"))


@pytest.fixture
def dressed(store, photo_piece):
    """A piece on a photograph with logo, caption and frame."""
    mark = np.zeros((90, 90, 4), np.uint8)
    mark[10:80, 10:80] = (160, 40, 30, 255)
    digest = store.add(encoded(mark), "mark.png")
    return photo_piece("chelsea", level="H").model_copy(
        update={
            "logo": Logos(items=(Logo(digest=digest, size=0.2, backing=Backing()),)),
            "caption": Captions(items=(Caption(text="An evening walk", size=0.08),)),
            "surround": Surround(kind="rule"),
        }
    )


# Raster formats ----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "settings"),
    [
        ("a.jpg", {"chroma": "full"}), ("a.jpg", {"chroma": "half"}),
        ("a.jpg", {"chroma": "quarter"}),
        ("a.webp", {"lossless": True}), ("a.webp", {"lossless": False, "quality": 90}),
        ("a.tif", {"depth": 8}), ("a.tiff", {"depth": 16}), ("a.png", {"inks": "single"}),
        ("a.tif", {"inks": "single"}),
    ],
)  # fmt: skip
def test_raster_files_are_what_was_asked_for(tmp_path, bay, store, photo_piece, name, settings):
    piece = photo_piece("chelsea", level="H").edited("blend", strength=0.9)
    rendering = Renderer(store).render(piece, 900)
    finish = Finish(dpi=254, **settings)
    proof = output.export(rendering, tmp_path / name, finish, bay)
    data = (tmp_path / name).read_bytes()
    assert proof.verdict.scans and proof.verdict.matches
    single = settings.get("inks") == "single"
    with Image.open(io.BytesIO(data)) as written:
        pixels = np.asarray(written.convert("RGB"))
        assert written.size == rendering.size
        if name != "a.webp":
            assert written.info["dpi"] == pytest.approx((254, 254), abs=0.2)
        if not single:
            profile = ImageCms.ImageCmsProfile(io.BytesIO(written.info["icc_profile"]))
            assert "sRGB" in ImageCms.getProfileDescription(profile)
        if name == "a.jpg":
            # Sampling as JPEG's own header tells it: 0 is 4:4:4, 1 is 4:2:2, 2 is 4:2:0.
            wanted = {"full": 0, "half": 1, "quarter": 2}[settings["chroma"]]
            assert JpegImagePlugin.get_sampling(written) == wanted
        if single:
            assert written.mode == "1" and set(np.unique(pixels)) == {0, 255}
    if "tif" in name:
        with tifffile.TiffFile(io.BytesIO(data)) as opened:
            own = opened.pages[0]
            assert own.compression == 5  # LZW, TIFF 6.0
            assert own.bitspersample == (1 if single else settings["depth"])
        other = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        if settings.get("depth") == 16:
            assert other.dtype == np.uint16
            assert np.array_equal(other[..., ::-1], rendering.image.astype(np.uint16) * 257)
    exact = settings.get("lossless") or settings.get("depth")
    assert np.array_equal(pixels, rendering.image) == bool(exact)
    assert said(from_afar(pixels) if single else pixels) == [LINK]


def test_what_is_transparent_stays_so_where_the_format_can(tmp_path, bay, store):
    piece = Piece(message=Message(text=LINK), look=GREEN).edited("finish", alone=True)
    rendering = Renderer(store).render(output.outgoing(piece), 600)
    assert rendering.rgba is not None
    for name in ("a.png", "a.webp", "a.tif"):
        assert output.export(rendering, tmp_path / name, piece.finish, bay).verdict.scans
        with Image.open(tmp_path / name) as written:
            assert np.array_equal(np.asarray(written), rendering.rgba)


def test_the_code_alone_leaves_everything_else_at_home(store, dressed):
    alone = output.outgoing(dressed.edited("finish", alone=True))
    made = Renderer(store).render(alone, 500)
    assert not made.blended and made.size == (500, 500)
    assert (made.rgba[:20, :20, 3] == 0).all()
    assert alone.logo == dressed.logo  # it covers modules, and so belongs to the code
    assert output.outgoing(dressed) == dressed


@pytest.mark.parametrize("name", ["a.png", "a.jpg", "a.webp", "a.tif", "a.svg", "a.pdf", "a.ora"])
def test_files_say_nothing_of_themselves_unless_asked(tmp_path, bay, store, name):
    piece = Piece(message=Message(kind="text", text="Zwölf Laternen im Schilf"), look=GREEN)
    rendering = Renderer(store).render(piece, 400)

    def words(finish):
        output.export(rendering, tmp_path / name, finish, bay)
        data = (tmp_path / name).read_bytes()
        if name.endswith("ora"):
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                data = b"".join(archive.read(entry) for entry in archive.namelist())
        if name.endswith("pdf"):
            with pikepdf.open(io.BytesIO(data)) as document:
                assert "/Metadata" not in document.Root
                return f"{dict(document.docinfo)}"
        return data.decode("utf-8", "replace") + data.decode("utf-16-le", "replace")

    silent, telling = words(Finish()), words(Finish(about=True))
    for word in ("Laternen", "Nimble", "tifffile", "Skia", "skia", "pikepdf"):
        assert word not in silent, word
    assert "Laternen" in telling


def test_layers_are_named_and_make_up_the_finished_image(tmp_path, bay, store, dressed):
    renderer = Renderer(store)
    plain = Piece(
        message=Message(text=LINK), look=GREEN, logo=dressed.logo, caption=dressed.caption,
        surround=Surround(kind="card"),
    )  # fmt: skip
    for number, (piece, names) in enumerate(
        [
            (dressed, ["picture", "blend", "code", "frame", "logo", "caption"]),
            (plain, ["ground", "frame", "code", "logo", "caption"]),
        ]
    ):
        rendering = renderer.render(piece, 700)
        path = tmp_path / f"{number}.ora"
        assert output.export(rendering, path, Finish(format="ora"), bay).verdict.scans
        with zipfile.ZipFile(path) as archive:
            assert archive.namelist()[0] == "mimetype"
            assert archive.read("mimetype") == b"image/openraster"
            stack = ElementTree.fromstring(archive.read("stack.xml"))
            whole = Image.new("RGBA", rendering.size)
            found = [layer.attrib for layer in reversed(stack.findall("stack/layer"))]
            for layer in found:
                if layer["visibility"] == "visible":
                    with Image.open(io.BytesIO(archive.read(layer["src"]))) as image:
                        whole.alpha_composite(image.convert("RGBA"))
        unique = list(dict.fromkeys(layer["name"] for layer in found))
        assert sorted(unique) == sorted(names)
        away = np.abs(np.asarray(whole.convert("RGB")).astype(int) - rendering.image)
        assert away.max() <= 3 and away.mean() < 0.05
    code = {layer.name: layer for layer in layers_of(renderer.render(dressed, 700))}["code"]
    assert not code.visible and 0 < (code.image[..., 3] > 0).mean() < 0.5


# Pages -------------------------------------------------------------------------------------


def box(found):
    return [float(value) for value in found]


def test_a_page_has_its_trimmed_size_bleed_and_marks(tmp_path, bay, store, photo_piece):
    """Boxes as in ISO 32000-1, 14.11.2."""
    piece = photo_piece("chelsea").edited("finish", mm=60, bleed=3, marks=True, format="pdf")
    rendering = Renderer(store).render(piece)
    assert max(rendering.size) == round(60 / 25.4 * 300)
    proof = output.export(rendering, tmp_path / "a.pdf", piece.finish, bay)
    assert proof.verdict.scans and proof.verdict.matches
    with pikepdf.open(tmp_path / "a.pdf") as document:
        own = document.pages[0]
        trim, bleed, media = box(own.trimbox), box(own.bleedbox), box(own.mediabox)
    wide = [(b[2] - b[0]) / 72 * 25.4 for b in (trim, bleed, media)]
    assert wide[0] == pytest.approx(60, abs=0.05) and wide[1] == pytest.approx(66, abs=0.05)
    assert wide[2] == pytest.approx(60 + 2 * (3 + page.AWAY + page.MARK), abs=0.05)
    image = on_page((tmp_path / "a.pdf").read_bytes(), 300)
    dots = 300 / 25.4
    left, top = round((trim[0] - media[0]) / 72 * 300), round((media[3] - trim[3]) / 72 * 300)
    # The trimmed part is the piece; what lies outside it mirrors it.
    inner = image[top : top + rendering.size[1], left : left + rendering.size[0]].astype(int)
    assert np.abs(inner - rendering.image[: inner.shape[0], : inner.shape[1]]).mean() < 4
    outside = image[top + 40 : top + 300, left - 20].astype(int)
    inside = image[top + 40 : top + 300, left + 20].astype(int)
    assert np.abs(outside - inside).mean() < 12
    # A crop mark stands at the trimmed corner's height, outside the bleed.
    mark = image[top - 2 : top + 3, : round(page.MARK * dots) - 4].min(0).mean()
    assert mark < 120
    assert (image[: round(1 * dots), : round(4 * dots)] > 250).all()  # the corner is paper


def test_a_sheet_holds_as_many_copies_as_fit(tmp_path, bay, store):
    piece = Piece(message=Message(text=LINK), look=GREEN)
    piece = piece.edited("finish", mm=45, sheet="a4", marks=True, gap=6, format="pdf")
    rendering = Renderer(store).render(piece)
    assert output.export(rendering, tmp_path / "a.pdf", piece.finish, bay).verdict.scans
    plan = page.plan_page(rendering.size, piece.finish)
    data = (tmp_path / "a.pdf").read_bytes()
    assert len(plan.at) == 15  # three times five of 45 mm with 6 mm between, and room for marks
    assert sorted(said(on_page(data, 200))) == [LINK] * 15
    with pikepdf.open(tmp_path / "a.pdf") as document:
        size = box(document.pages[0].mediabox)
    assert (size[2] / 72 * 25.4, (size[3] - size[1]) / 72 * 25.4) == pytest.approx(
        (210, 297), abs=0.1
    )
    (x, y), (right, lower) = plan.at[0], plan.at[-1]
    assert x == pytest.approx(210 - right - plan.trim[0]) and y == pytest.approx(
        297 - lower - plan.trim[1]
    )
    with pytest.raises(OutputError, match="does not fit"):
        page.plan_page((4000, 4000), Finish(sheet="a4"))


LARGE_COPIES = """
import re, sys
from pathlib import Path
from nimble_tile.core.output.export import export
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay

piece = Piece(message=Message(text="lantern")).edited(
    "finish", mm=30, dpi=2400, sheet="a3", format="pdf"
)
bay = ReaderBay()
proof = export(Renderer(PictureStore()).render(piece), Path(sys.argv[1]), piece.finish, bay)
bay.close()
# Not getrusage: its figure begins with that of the process that started this one.
(peak,) = re.findall(r"VmHWM:\\s+(\\d+) kB", Path("/proc/self/status").read_text())
print(proof.verdict.state, int(peak) // 1000)
"""


def test_a_sheet_of_large_copies_is_read_back_in_little_memory(tmp_path):
    """The whole sheet at the size of its copies would be 40,000 pixels high: four gigabytes."""
    import subprocess
    import sys

    done = subprocess.run(
        [sys.executable, "-c", LARGE_COPIES, tmp_path / "a.pdf"], capture_output=True, text=True
    )
    state, megabytes = done.stdout.split()
    assert state == "well" and int(megabytes) < 1000


def spaces(document):
    """Names of the colours that are set on a page, and what stands behind them."""
    own = document.pages[0]
    used = {str(op) for _, op in pikepdf.parse_content_stream(own)}
    return used, own.Resources.get("/ColorSpace", {})


def test_one_ink_is_a_spot_colour_without_tints(tmp_path, bay, store, photo_piece):
    """Separation colour spaces: ISO 32000-1, 8.6.6.4."""
    finish = Finish(format="pdf", inks="single", ink="#1d5740", ink_name="Marsh 7", mm=40)
    plain = Piece(message=Message(text=LINK), look=GREEN.model_copy(update={"ground": None}))
    for piece in (plain, photo_piece("chelsea", level="H").edited("blend", strength=1)):
        piece = piece.model_copy(update={"finish": finish})
        rendering = Renderer(store).render(piece)
        assert output.export(rendering, tmp_path / "a.pdf", finish, bay).verdict.scans
        with pikepdf.open(tmp_path / "a.pdf") as document:
            used, colours = spaces(document)
            assert not used & {"rg", "RG", "g", "G", "k", "K"}
            ink = colours["/Inks"]
            assert ink[0] == "/Separation" and ink[1] == "/Marsh 7"
            assert [round(float(v) * 255) for v in ink[3].C1] == [0x1D, 0x57, 0x40]
            images = [i for i in document.objects if isinstance(i, pikepdf.Stream)
                      and i.get("/Subtype") == "/Image"]  # fmt: skip
            assert len(images) == (piece.picture.digest is not None)
            assert all(bool(image.ImageMask) for image in images)  # a stencil has no tints
        assert said(from_afar(on_page((tmp_path / "a.pdf").read_bytes(), 300))) == [LINK]


def test_four_inks_are_those_of_the_profile(tmp_path, bay, store, dressed):
    profile = inks.profiles()[0]
    data = profile.path.read_bytes()
    finish = Finish(inks="cmyk", profile=profile.path.name, mm=50)
    rendering = Renderer(store).render(dressed.model_copy(update={"finish": finish}))
    # littleCMS by itself, as the ICC's relative colorimetric intent has it.
    intent = ImageCms.Intent.RELATIVE_COLORIMETRIC
    way = ImageCms.buildTransform(
        ImageCms.createProfile("sRGB"), ImageCms.ImageCmsProfile(io.BytesIO(data)), "RGB", "CMYK",
        intent, ImageCms.Flags.BLACKPOINTCOMPENSATION,
    )  # fmt: skip
    wanted = np.asarray(ImageCms.applyTransform(Image.fromarray(rendering.image), way))
    assert output.export(rendering, tmp_path / "a.tif", finish, bay).verdict.scans
    with Image.open(tmp_path / "a.tif") as written:
        assert written.mode == "CMYK" and written.info["icc_profile"] == data
        assert np.array_equal(np.asarray(written), wanted)
    assert output.export(rendering, tmp_path / "a.pdf", finish, bay).verdict.scans
    with pikepdf.open(tmp_path / "a.pdf") as document:
        used, colours = spaces(document)
        assert not used & {"rg", "RG", "g", "G"}
        assert colours["/Inks"][0] == "/ICCBased" and int(colours["/Inks"][1].N) == 4
        intents = document.Root.OutputIntents[0]
        assert bytes(intents.DestOutputProfile.read_bytes()) == data
        pictures = [
            i for i in document.objects
            if isinstance(i, pikepdf.Stream) and i.get("/Subtype") == "/Image"
            and i.get("/ColorSpace") != "/DeviceGray"
        ]  # fmt: skip
        assert pictures and all(i.ColorSpace[0] == "/ICCBased" for i in pictures)
    assert said(on_page((tmp_path / "a.pdf").read_bytes(), 300)) == [LINK]
    made = inks.proofed(rendering.image, data)
    assert made.most == pytest.approx(wanted.astype(int).sum(2).max() / 255)
    assert 0 < np.abs(made.image.astype(int) - rendering.image).mean() < 12  # duller, not another


def test_without_a_profile_there_is_a_way_out(monkeypatch, tmp_path):
    (tmp_path / "color" / "icc").mkdir(parents=True)
    (tmp_path / "color" / "icc" / "broken.icc").write_bytes(b"\0" * 16 + b"CMYK" + b"\xff" * 400)
    (tmp_path / "color" / "icc" / "short.icc").write_bytes(b"CMYK")
    monkeypatch.setattr(inks, "folders", lambda: [tmp_path])
    assert inks.profiles() == ()
    with pytest.raises(OutputError, match="no ICC profile"):
        inks.profile_of(Finish(inks="cmyk"))
    with pytest.raises(OutputError, match="does not know the four inks"):
        output.possible("webp", Finish(inks="cmyk"))


# What a format takes -----------------------------------------------------------------------


def test_what_a_format_takes_is_told_before_it_is_written(store, bay, photo_piece):
    room, trials = Room(bay), [t for t in shipped() if t.on][:6]
    piece = photo_piece("chelsea", level="L").edited("blend", strength=0.62)
    renderer = Renderer(store)
    found = {}
    for quality in (95, 4):
        own = piece.edited("finish", format="jpeg", quality=quality, chroma="quarter", size=420)
        assert weigh.changes(own.finish)
        found[quality] = weigh.weigh(own, renderer, room, trials)
    data = encoded(renderer.render(piece, 420).image, "JPEG", quality=4, subsampling=2)
    assert (
        np.abs(
            found[4].image.astype(int) - np.asarray(Image.open(io.BytesIO(data)).convert("RGB"))
        ).max()
        == 0
    )  # what the file will show, by another encoder's call
    assert found[4].bytes < found[95].bytes
    assert found[4].proved.reach < found[95].proved.reach
    assert not weigh.changes(piece.finish)


def test_a_file_that_does_not_scan_waits_to_be_wanted(tmp_path, bay, store, photo_piece):
    piece = photo_piece("chelsea").edited("blend", strength=0.05)
    path = tmp_path / "a.png"
    path.write_bytes(b"what was there")
    made = output.prepare(Renderer(store).render(piece, 500), path, piece.finish, bay)
    assert not made.proof.verdict.scans
    assert path.read_bytes() == b"what was there"
    made.drop()
    assert [entry.name for entry in tmp_path.iterdir()] == ["a.png"]


def test_on_a_square(store, bay, tmp_path, photo_piece, dressed):
    renderer = Renderer(store)
    finish = Finish(square=True)
    captioned = Piece(message=Message(text=LINK), look=GREEN, caption=dressed.caption)
    for piece, name in (
        (photo_piece("chelsea"), "a.png"),
        (captioned, "b.svg"),
        (captioned, "c.pdf"),
    ):
        rendering = renderer.render(piece, 600)
        assert rendering.size[0] != rendering.size[1]
        proof = output.export(rendering, tmp_path / name, finish, bay)
        assert proof.size == (600, 600) and proof.verdict.scans


# Effects of light --------------------------------------------------------------------------


def test_effects_change_pixels_and_not_what_is_read(store, bay):
    plain = Piece(message=Message(text=LINK), look=GREEN)
    renderer = Renderer(store)
    bare = renderer.render(plain, 600).image.astype(int)
    ink = bare.sum(2) < 300
    for relief, where in (
        (Relief(shadow=Shadow(strength=0.6, blur=0.4, dx=0.2, dy=0.2)), ~ink),
        (Relief(inner=Inner(strength=0.8)), ink), (Relief(bevel=Bevel(strength=0.6)), ink),
    ):  # fmt: skip
        lit = plain.edited("look", relief=relief)
        made = renderer.render(lit, 600)
        change = np.abs(made.image - bare).sum(2)
        assert change[where].mean() > 3 * change[~where].mean()
        assert said(made.image) == [LINK]
        assert lit.look.bare.relief == Relief() and not lit.look.plain
    # The light comes from the top left: edges there are lighter than those opposite.
    bevel = plain.edited("look", relief=Relief(bevel=Bevel(strength=0.9)))
    image = renderer.render(bevel, 600).image.astype(int).sum(2)
    module = 600 / 37  # version 3 and its quiet zone
    x = round(4 * module)
    rows = slice(round(5 * module), round(10 * module))
    assert image[rows, x + 1].mean() > image[rows, round(5 * module) - 2].mean() + 60


def test_effects_tell_their_cost_and_where_they_are_not_seen(store, bay, photo_piece):
    renderer = Renderer(store)
    harsh = Relief(shadow=Shadow(strength=1, blur=0.3, dx=0.9, dy=0.9))
    piece = Piece(message=Message(text=LINK), look=GREEN.model_copy(update={"relief": harsh}))
    told = Student(renderer).study(piece, renderer.render(piece, 600), bay).code_effects
    assert "spare" in told or "no longer read" in told
    blended = photo_piece("chelsea").model_copy(update={"look": piece.look})
    study = Student(renderer).study(blended, renderer.render(blended, 600), bay)
    assert "not seen" in study.code_effects
    over = blended.edited("blend", method="overlay", strength=0.9)
    assert np.any(renderer.render(over, 600).image != renderer.render(
        over.edited("look", relief=Relief()), 600).image)  # fmt: skip


def test_effects_on_a_logo_keep_its_outline(store):
    mark = np.zeros((120, 120, 4), np.uint8)
    mark[20:100, 20:100] = (200, 60, 40, 255)
    logo = Logo(digest=store.add(encoded(mark), "m.png"), size=0.3, backing=Backing(kind="none"))
    renderer = Renderer(store)

    def shown(**effects):
        own = logo.model_copy(update=effects)
        piece = Piece(message=Message(text=LINK), logo=Logos(items=(own,)))
        return renderer.render(piece, 700).image.astype(int)

    bare, lit = shown(), shown(bevel=Bevel(strength=0.8, width=0.5))
    changed = np.abs(lit - bare).sum(2) > 8
    red = (bare[..., 0] > 150) & (bare[..., 1] < 120)
    near = cv2.dilate(red.astype(np.uint8), np.ones((5, 5))).astype(bool)
    assert changed.any() and not changed[~near].any()
    rows, columns = np.nonzero(red)
    top = lit[rows.min() + 2, columns.min() + 10 : columns.max() - 10].sum(1).mean()
    bottom = lit[rows.max() - 2, columns.min() + 10 : columns.max() - 10].sum(1).mean()
    assert top > bottom + 100


# Test sheet --------------------------------------------------------------------------------


def test_the_test_sheet_is_true_to_size_and_read(tmp_path, store, bay, photo_piece):
    piece = photo_piece("chelsea", level="H").edited("blend", strength=0.8)
    room, trials = Room(bay), [t for t in shipped() if t.on][:2]
    path = tmp_path / "sheet.pdf"
    cells = testsheet.write_sheet(piece, "Cat", path, Renderer(store), room, trials)
    assert [(c.row, c.size) for c in cells] == [(r, s) for r in range(3) for s in testsheet.SIZES]
    document = pypdfium2.PdfDocument(path)
    assert len(document) == 1
    width, height = document[0].get_size()
    assert (width / 72 * 25.4, height / 72 * 25.4) == pytest.approx((210, 297), abs=0.2)
    image = on_page(path.read_bytes(), 300)
    found = zbar(Image.fromarray(image))
    assert {code.data.decode() for code in found} == {LINK} and len(found) >= 10
    # Their sides, by another reader's corners: symbols of 25 modules in squares of 33.
    dots = 300 / MM_PER_INCH
    modules = Renderer(store).symbol(piece).side
    wanted = {size * modules / (modules + 8) for size in testsheet.SIZES}
    for code in found:
        side = np.sqrt(cv2.contourArea(np.float32(code.polygon))) / dots
        assert min(abs(side - w) / w for w in wanted) < 0.05
    assert "read" in testsheet.told(cells, 4)
    bare = testsheet.rows_of(Piece(message=Message(text=LINK)), Renderer(store), room, trials)
    assert [row.told for row in bare] == ["Ink 100%", "Ink 85%", "Ink 70%"]
    assert bare[2].image.min() == round(255 * 0.3)


# Presets -----------------------------------------------------------------------------------


def test_presets_are_kept_changed_and_forgotten(tmp_path):
    file = tmp_path / "deep" / "presets.json"
    names = [preset.name for preset in presets.presets(file)]
    assert names == ["Web", "Social square", "Poster", "Ticket", "Sticker sheet"]
    own = Finish(format="tiff", depth=16, mm=90)
    presets.keep(presets.Preset(name="Web", finish=own), file)
    assert presets.presets(file)[-1].finish == own and len(presets.presets(file)) == 5
    taken = presets.SHIPPED[2].on(Finish(size=777))
    assert taken.mm == 420 and taken.size == round(420 / 25.4 * 300)
    kept = presets.Preset(name="x", finish=Finish(format="webp")).on(Finish(size=777, dpi=72))
    assert kept.size == 777 and kept.format == "webp"
    presets.forget("Web", file)
    assert [preset.name for preset in presets.presets(file)] == names
    for bad in ("{}", "[", json.dumps({"format": presets.FORMAT, "schema": 1, "presets": [{}]})):
        file.write_text(bad)
        assert presets.own(file) == [] and presets.understood(file)[1]
        with pytest.raises(ProjectError):
            presets.read(file)
        aside = presets.keep(presets.Preset(name="Mine", finish=own), file)
        assert aside.read_text() == bad  # what is not understood is never written over
        assert [preset.name for preset in presets.own(file)] == ["Mine"]
        assert presets.understood(file)[1] == ""


def test_of_damaged_presets_what_is_understood_is_kept(tmp_path):
    file = tmp_path / "presets.json"
    for name in ("First", "Second", "Third"):
        presets.keep(presets.Preset(name=name, finish=Finish(format="webp")), file)
    document = json.loads(file.read_text())
    document["presets"][1]["finish"]["quality"] = 4000
    file.write_text(json.dumps(document))
    before = file.read_text()
    assert [preset.name for preset in presets.own(file)] == ["First", "Third"]
    assert "1 of 3 entries" in presets.understood(file)[1]
    aside = presets.forget("First", file)
    assert aside.read_text() == before
    assert [preset.name for preset in presets.own(file)] == ["Third"]
    # A newer program's file: what both know is used, and the rest is not lost.
    document["schema"], document["presets"][1]["finish"]["quality"] = 99, 90
    file.write_text(json.dumps(document))
    assert len(presets.own(file)) == 3 and "newer version" in presets.understood(file)[1]
    again = presets.keep(presets.Preset(name="Fourth", finish=Finish()), file)
    assert json.loads(again.read_text())["schema"] == 99 and again != aside
    assert len(presets.own(file)) == 4


def test_millimetres_follow_the_resolution():
    finish = Finish(mm=100, dpi=300)
    assert finish.size == 1181
    piece = Piece(finish=finish)
    assert piece.edited("finish", dpi=600).finish.size == 2362
    again = Piece.model_validate_json(piece.model_dump_json())
    assert again.finish == finish
    assert piece.edited("finish", size=500).finish.mm is None
    with pytest.raises(ValueError):
        Finish(mm=5000, dpi=2400)


# In the window -----------------------------------------------------------------------------


def test_the_export_page_from_preset_to_file(window, settle, tmp_path, qtbot):
    settle(window)
    window.ladder.open_rung("finish")
    files = window.finish.files
    files.presets.take("Sticker sheet")
    finish = window.session.piece.finish
    assert (finish.format, finish.mm, finish.sheet) == ("pdf", 45, "a4")
    assert files.mm.value() == 45 and not files.size.isVisible()
    files.unit.activated.emit(0)
    assert window.session.piece.finish.mm is None
    assert window.session.piece.finish.size == finish.size  # only the unit is another one
    files.paper.inks.activated.emit(files.paper.inks.findData("single"))
    files.format.activated.emit(files.format.findData("webp"))
    assert window.session.piece.finish.inks == "screen"  # WebP knows no other
    window.session.undo()
    assert window.session.piece.finish.inks == "single"
    window.files.exporting.export_to(tmp_path / "stickers.pdf")
    qtbot.waitUntil(lambda: files.proof.proof is not None, timeout=20_000)
    assert said(on_page((tmp_path / "stickers.pdf").read_bytes()))
    files.presets.keep("Mine")
    assert files.presets.choice.currentText() == "Mine"
    assert presets.own(window.settings.presets_file)[0].finish.inks == "single"
    files.presets.forget()
    assert presets.own(window.settings.presets_file) == []


def test_what_does_not_scan_is_asked_about(window, settle, tmp_path, qtbot, monkeypatch):
    window.session.edit("look", "Pale", fill={"colour": "#ffffff"})
    settle(window)
    asked = []
    monkeypatch.setattr(
        window.files.exporting, "ask_keep", lambda path, why: asked.append(path) or False
    )
    path = tmp_path / "pale.png"
    window.files.exporting.export_to(path)
    qtbot.waitUntil(lambda: bool(asked), timeout=20_000)
    qtbot.waitUntil(lambda: "was not written" in window.notice.label.text(), timeout=5_000)
    assert list(tmp_path.glob("*.png")) == []
    monkeypatch.setattr(window.files.exporting, "ask_keep", lambda path, why: True)
    window.files.exporting.export_to(path)
    qtbot.waitUntil(path.exists, timeout=20_000)


def test_all_drafts_become_the_pages_of_one_file(window, settle, tmp_path, qtbot):
    settle(window)
    texts = ["lantern one", "lantern two", "lantern three"]
    for number, text in enumerate(texts):
        window.session.edit("message", "Write", text=text)
        inks = "cmyk" if number == 1 else "screen"
        window.session.edit("finish", "Size", mm=30 + 10 * number, inks=inks, format="pdf")
        window.draft_desk.keep()
    path = tmp_path / "drafts.pdf"
    window.draft_desk.pages_to(path)
    qtbot.waitUntil(lambda: "3 pages" in window.notice.label.text(), timeout=30_000)
    document = pypdfium2.PdfDocument(path)
    widths = [round(document[i].get_size()[0] / 72 * 25.4) for i in range(3)]
    assert widths == [30, 40, 50]
    for number, text in enumerate(texts):
        image = np.array(document[number].render(scale=300 / 72).to_pil().convert("RGB"))
        assert said(image) == [text]
    with pikepdf.open(path) as opened:
        assert "/OutputIntents" in opened.Root


def test_dragging_out_hands_over_a_file_that_is_read(window, settle, qtbot):
    settle(window)
    handing = window.files.handing
    assert handing.mime() is None
    handing.make_ready()
    qtbot.waitUntil(lambda: handing.mime() is not None, timeout=20_000)
    (url,) = handing.mime().urls()
    with Image.open(url.toLocalFile()) as image:
        assert said(np.asarray(image.convert("RGB"))) == [window.session.piece.message.text]
    window.session.edit("finish", "Smaller", size=300)
    assert handing.mime() is None  # that was another piece


def test_printing_is_true_to_size(window, settle, tmp_path, qtbot):
    from PySide6.QtPrintSupport import QPrinter

    window.session.edit("finish", "Size", mm=80)
    settle(window)
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "out.pdf"))
    page_size = QPageSize(QSizeF(210, 297), QPageSize.Unit.Millimeter)
    printer.setPageLayout(
        QPageLayout(page_size, QPageLayout.Orientation.Portrait, QMarginsF(10, 10, 10, 10))
    )
    window.files.handing.print_on(printer)
    qtbot.waitUntil(lambda: "Printed at 80" in window.notice.label.text(), timeout=20_000)
    image = on_page((tmp_path / "out.pdf").read_bytes(), 254)
    _, columns = np.nonzero(image.min(2) < 100)
    symbol = window.answer.shown.rendering.symbol.side
    assert (columns.max() - columns.min() + 1) / 10 == pytest.approx(
        80 * symbol / (symbol + 8), abs=0.4
    )
    assert said(image) == [window.session.piece.message.text]


def test_the_press_shows_what_the_inks_take(window, settle, tmp_path, qtbot, store):
    settle(window)
    press = window.press_desk.open()
    qtbot.waitUntil(lambda: len(press.view.sides) == 2, timeout=60_000)
    assert press.weighed.ink[0] <= 4 and "at most" in press.ink_note.text()
    press.inks.button("single").click()
    qtbot.waitUntil(lambda: press.weighed.ink is None, timeout=60_000)
    press.use_inks()
    assert window.session.piece.finish.inks == "single"
    assert window.session.piece.finish.format == "pdf"
    press.sheet_to(tmp_path / "sheet.pdf")
    qtbot.waitUntil(lambda: "Wrote" in press.note.text(), timeout=60_000)
    assert said(on_page((tmp_path / "sheet.pdf").read_bytes(), 300))
    photograph("chelsea")


def test_effects_are_made_with_sliders(window, settle, qtbot):
    settle(window)
    window.ladder.open_rung("code")
    window.code.open_page("shapes")
    effects = window.code.shapes.effects
    effects.sliders["bevel", "strength"].edited.emit(0.4)
    assert window.session.piece.look.relief.bevel.strength == 0.4
    assert window.session.undo_name == "Change the bevel of the modules"
    settle(window)
    qtbot.waitUntil(lambda: bool(effects.cost.text()), timeout=20_000)
    effects.sliders["bevel", "strength"].edited.emit(0.0)
    assert not window.session.piece.look.relief.any and not effects.cost.text()


# One truth, and the command line ------------------------------------------------------------


def test_what_was_told_before_is_what_a_check_of_the_file_tells(tmp_path, store, bay, photo_piece):
    """Reach of a file before it is written, and of the written file as anybody's image."""
    from nimble_tile.core.checking.check import check
    from nimble_tile.core.picture.opening import open_picture

    room, trials = Room(bay), [t for t in shipped() if t.on]
    renderer = Renderer(store)
    for strength, settings in (
        (0.75, {"format": "jpeg", "quality": 30, "chroma": "quarter"}),
        (0.8, {"format": "webp", "quality": 40, "lossless": False}),
    ):
        piece = photo_piece("chelsea", level="H").edited("blend", strength=strength)
        piece = piece.edited("finish", size=900, **settings)
        told = weigh.weigh(piece, renderer, room, trials)
        path = tmp_path / f"a{output.SUFFIX[settings['format']]}"
        output.export(renderer.render(piece), path, piece.finish, bay)
        assert path.stat().st_size == told.bytes
        image = open_picture(path.read_bytes(), path.name).over("#ffffff")
        (found,) = check(image, bay, LINK, room, trials).findings
        assert found.reach == pytest.approx(told.proved.reach, abs=0.02)
        assert np.array_equal(told.image, image)


@pytest.mark.parametrize(
    ("options", "name", "holds"),
    [
        (["--mm", "50", "--dpi", "254"], "a.png", lambda i: i.size == (500, 500)),
        (["--alone", "--size", "300"], "a.png", lambda i: i.getpixel((2, 2))[3] == 0),
        (["--lossy", "--quality", "60", "--size", "300"], "a.webp", lambda i: i.mode == "RGB"),
        (["--depth", "16", "--size", "300"], "a.tif", lambda i: i.size == (300, 300)),
        (["--inks", "single", "--size", "300"], "a.png", lambda i: i.mode == "1"),
        (["--inks", "cmyk", "--size", "300"], "a.tif", lambda i: i.mode == "CMYK"),
        (["--chroma", "quarter", "--size", "300"], "a.jpg",
         lambda i: JpegImagePlugin.get_sampling(i) == 2),
        (["--square", "--caption", "Dusk", "--size", "300"], "a.png",
         lambda i: i.size == (300, 300)),
    ],
)  # fmt: skip
def test_files_are_asked_for_on_the_command_line(tmp_path, options, name, holds):
    import subprocess
    import sys
    from pathlib import Path

    program = Path(sys.executable).with_name("nimble-tile")
    call = [program, "make", "--message", LINK, "--out", tmp_path / name, *options, "--json"]
    done = subprocess.run(call, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["verdict"]["verdict"] == "well"
    with Image.open(tmp_path / name) as image:
        assert holds(image)
    if name == "a.png" and options[0] == "--mm":
        for wrong in (["--size", "9", *options], ["--ink", "green"], ["--depth", "12"]):
            refused = subprocess.run([*call, *wrong], capture_output=True, text=True)
            assert refused.returncode == 2 and refused.stderr.count("\n") == 1
