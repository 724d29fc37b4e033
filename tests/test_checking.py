"""Checking anything: codes by other encoders, files of all kinds, hostile ones, the report."""

import io
import json
import re
from html.parser import HTMLParser

import numpy as np
import pypdfium2
import pytest
import segno
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from conftest import LINK, encoded
from nimble_tile.core.checking.check import check
from nimble_tile.core.checking.compare import compare, in_words
from nimble_tile.core.checking.report import Entry, as_html, as_json, save
from nimble_tile.core.checking.sources import images, listed
from nimble_tile.core.errors import OutputError, PictureError
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.symbol.freedom import freedom
from nimble_tile.core.symbol.steering import Steering, Wanted
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped


def code(text, scale=6, **options):
    """A code by segno, as pixels."""
    file = io.BytesIO()
    segno.make(text, boost_error=False, **options).save(file, kind="png", scale=scale, border=4)
    return np.array(Image.open(file).convert("RGB"))


def put(sheet, x, y, image):
    sheet[y : y + image.shape[0], x : x + image.shape[1]] = image


@pytest.fixture(scope="module")
def sheet():
    """A large sheet with six codes, some of them tiny on it."""
    made = np.full((2400, 3200, 3), 255, np.uint8)
    put(made, 60, 80, code(LINK, 8))
    put(made, 2600, 200, code("WIFI:T:WPA;S:Reed Hide;P:heron7;;", 3, error="h"))
    put(made, 1500, 1500, code("12345678901234567890ABCDEF", 5, error="q"))
    put(made, 200, 2100, code("Grüße vom Schilf", 2, error="m", encoding="utf-8"))
    put(made, 2900, 2000, code(LINK, 5))
    put(made, 2300, 2100, code("REEDS 7", 6, micro=True, error="m"))
    return made


def test_every_code_on_a_sheet_is_listed(sheet, bay):
    found = check(sheet, bay)
    by_place = [(f.text, f.kind, f.reading.version, f.reading.level) for f in found.findings]
    assert sorted(by_place) == sorted([
        (LINK, "Link", "3", "L"), (LINK, "Link", "3", "L"),
        ("WIFI:T:WPA;S:Reed Hide;P:heron7;;", "Wi-Fi", "4", "H"),
        ("12345678901234567890ABCDEF", "Plain text", "2", "Q"),
        ("Grüße vom Schilf", "Plain text", "2", "M"),
        ("REEDS 7", "Plain text", "M3", "M"),
    ])  # fmt: skip
    for finding in found.findings:
        assert finding.symbol is not None and finding.quality.letter == "A"
        right, able = finding.verdict.readers_right
        assert right == able == (1 if finding.symbol.micro else 4)
        assert finding.verdict.spare == 1.0
    assert found.verdict.state == "well" and len(found.verdict.found) == 6
    # The place of the first is where it was put, quiet zone of four modules of eight pixels off.
    first = min(found.findings, key=lambda f: f.box[0])
    assert first.box[:2] == pytest.approx((60 + 32, 80 + 32), abs=1.5)


def test_the_symbol_is_known_whoever_encoded_it(bay):
    # Digits in byte mode, ECI in front, padding of one's own: no encoder of ours writes these.
    for made in (
        segno.make("0123456789012345", mode="byte", version=3, error="m", mask=4),
        segno.make("Ünïcode", eci=True, encoding="utf-8", version=4, error="q", mask=2),
        segno.make([("AB", 2), ("12", 1), ("cd", 4)], version=2, error="h", mask=6),
    ):
        file = io.BytesIO()
        made.save(file, kind="png", scale=7, border=4)
        found = check(np.array(Image.open(file).convert("RGB")), bay).findings[0]
        truth = np.array([list(row) for row in made.matrix], bool)
        assert np.array_equal(found.symbol.dark, truth)
        assert found.verdict.spare == 1.0


def test_expected_text_and_one_that_differs(bay):
    image = code(LINK)
    assert check(image, bay, LINK).verdict.matches is True
    other = check(image, bay, LINK.replace("dusk", "dawn")).verdict
    assert other.matches is False and not other.scans
    nothing = check(np.full((300, 300, 3), 200, np.uint8), bay, LINK)
    assert nothing.findings == () and nothing.verdict.state == "fails"


def test_with_trials_a_finding_has_reach(bay):
    finding = check(code(LINK), bay, room=Room(bay), trials=shipped()).findings[0]
    assert finding.reach > 0.9 and len(finding.results) == len(shipped())
    assert [r.trial for r in finding.results] == list(shipped())
    assert finding.verdict.reach == finding.reach


# Texts -----------------------------------------------------------------------


@given(st.text(max_size=60), st.text(max_size=60))
def test_comparison_puts_both_texts_together_again(read, wanted):
    stretches = compare(read, wanted)
    assert "".join(s.read for s in stretches) == read
    assert "".join(s.wanted for s in stretches) == wanted
    assert all((s.kind == "same") == (s.read == s.wanted) for s in stretches if s.read or s.wanted)
    assert (read == wanted) == in_words(stretches).startswith("Both")


def test_differences_in_words():
    assert in_words(compare("lamtern", "lantern")).startswith("At character 3 it says “m” instead")
    assert "space" in in_words(compare("reed  bed", "reed bed"))
    assert "is missing" in in_words(compare("reed", "reeds"))
    assert "more difference" in in_words(compare("xbxd", "abcd"))


# Files -----------------------------------------------------------------------


def pdf_of(*pictures):
    file = io.BytesIO()
    pages = [Image.fromarray(p) for p in pictures]
    pages[0].save(file, "PDF", save_all=True, append_images=pages[1:])
    return file.getvalue()


def test_pages_pictures_and_drawings_are_opened_and_trouble_is_said(tmp_path, bay):
    (tmp_path / "a.pdf").write_bytes(pdf_of(code("one"), code("two"), code("three")))
    (tmp_path / "b.PNG").write_bytes(encoded(code("four")))
    segno.make("five").save(str(tmp_path / "c.svg"), scale=4, border=4)
    (tmp_path / "d.jpg").write_bytes(b"not a picture at all")
    (tmp_path / "e.webp").write_bytes(encoded(code("six"), "WEBP", lossless=True))
    (tmp_path / "notes.txt").write_text("reeds")
    files = listed(tmp_path)
    assert [f.name for f in files] == ["a.pdf", "b.PNG", "c.svg", "d.jpg", "e.webp"]
    sources = [source for file in files for source in images(file)]
    assert [s.name for s in sources][:3] == ["a.pdf, page 1", "a.pdf, page 2", "a.pdf, page 3"]
    texts = [check(s.image, bay).findings[0].text if s.image is not None else None for s in sources]
    assert texts == ["one", "two", "three", "four", "five", None, "six"]
    broken = sources[5]
    assert broken.name == "d.jpg" and broken.error.way_out
    with pytest.raises(PictureError):
        list_of = listed(tmp_path / "nowhere")
        raise next(images(list_of[0])).error


def test_hostile_images_are_survived_and_named(tmp_path, bay):
    # Fuzzed from real files: bits flipped, cut short, sizes lied about.
    rng = np.random.default_rng(7)
    originals = {
        ".png": encoded(code(LINK, 3)), ".jpg": encoded(code(LINK, 3), "JPEG"),
        ".webp": encoded(code(LINK, 3), "WEBP"), ".pdf": pdf_of(code(LINK, 3)),
        ".svg": b"<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'><g/></svg>",
    }  # fmt: skip
    seen = 0
    for ending, data in originals.items():
        for attempt in range(8):
            bad = bytearray(data[: int(len(data) * rng.uniform(0.2, 1))] if attempt % 2 else data)
            for place in rng.integers(0, len(bad), 12):
                bad[place] = rng.integers(256)
            path = tmp_path / f"{attempt}{ending}"
            path.write_bytes(bytes(bad))
            for source in images(path):
                assert (source.image is None) == (source.error is not None)
                if source.error is not None:
                    assert path.name.split(".")[0] in str(source.error) or source.error.what
                else:
                    check(source.image[:1200, :1200], bay)
                    seen += 1
    assert seen > 5
    # Shapes that readers stumble on.
    for shape in ((1, 1, 3), (2, 900, 3), (900, 2, 3), (17, 17, 3)):
        assert check(rng.integers(0, 256, shape, np.uint8), bay).findings == ()


# The report ------------------------------------------------------------------


class _Seen(HTMLParser):
    def __init__(self):
        super().__init__(convert_charrefs=True)
        self.tags, self.sources, self.text = [], [], ""

    def handle_starttag(self, tag, attrs):
        self.tags.append(tag)
        self.sources += [v for k, v in attrs if k in ("src", "href", "action", "data")]

    def handle_data(self, data):
        self.text += data


def test_the_report_holds_everything_and_fetches_nothing(tmp_path, bay):
    nasty = "https://lanternwalk.example/<img src=x onerror=alert(1)>"
    image = code(nasty)
    checked = check(image, bay, room=Room(bay), trials=shipped()[:5])
    log = (PhoneTest(device="my <b>old</b> phone", size=30, distance=200, light="desk lamp",
                     read=True, when="2026-05-01 20:15"),)  # fmt: skip
    entries = [Entry("one & two.png", checked, "", image), Entry("bad.png", error="It is damaged.")]
    page = as_html(entries, LINK, log)
    seen = _Seen()
    seen.feed(page)
    assert nasty in seen.text and "my <b>old</b> phone" in seen.text
    assert "b" not in [t for t in seen.tags if t == "script"] and "a" not in seen.tags
    assert all(source.startswith("data:image/jpeg;base64,") for source in seen.sources)
    assert len(seen.sources) == 1 + 5 and "default-src 'none'" in page
    assert not re.search(r"(?:src|href)\s*=\s*['\"]?https?:", page)
    data = as_json(entries, LINK, log)
    told = data["images"][0]["codes"][0]
    assert told["text"] == nasty and told["matches"] is False and told["kind"] == "Plain text"
    assert set(told["trials"][0]) == {"name", "passed", "plain"}
    assert told["grade"]["overall"] == "A" and data["images"][1]["error"] == "It is damaged."
    assert data["phones"][0]["device"] == "my <b>old</b> phone"
    save(entries, tmp_path / "r.json", LINK, log)
    assert json.loads((tmp_path / "r.json").read_text("utf-8"))["images"][0]["codes"]
    with pytest.raises(OutputError):
        save(entries, tmp_path / "r.txt")
    with pytest.raises(OutputError):
        save(entries, tmp_path / "gone" / "r.html")


def test_pdfium_agrees_on_the_number_of_pages():
    assert len(pypdfium2.PdfDocument(pdf_of(code("a"), code("b")))) == 2


def test_a_steered_code_with_little_padding_is_not_taken_for_a_spoilt_one(bay):
    # At level Q hardly any padding is left: most modules are those of the plain symbol.
    symbol = encode(Message(text=LINK), Code(level="Q", version="4", raise_level=False,
                                             steer="padding"))  # fmt: skip
    rng = np.random.default_rng(5)
    wanted = Wanted(rng.random(symbol.dark.shape) < 0.5, rng.random(symbol.dark.shape))
    made = Steering(symbol, freedom(symbol), wanted.weight).best(wanted).symbol
    image = plain_code(made, 4, 8 * (made.side + 8))
    (found,) = check(image, bay).findings
    assert found.verdict.spare == 1.0
    assert np.array_equal(found.symbol.dark, made.dark)
