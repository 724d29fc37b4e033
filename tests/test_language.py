"""Other languages: the catalogs are whole, and nothing that is said stays English or is cut off."""

import json
import os
import re
import string
import subprocess
import sys
from pathlib import Path

import pytest

from nimble_tile.core import language
from nimble_tile.core.caption.fonts import families

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tools"))

import catalogs  # noqa: E402

SAME = re.compile(
    r"Ctrl\b.*|Alt\+.|#[0-9a-f]{6}|.*[A-Z]\w+/[A-Z].*|UTC|PNG|JPEG|WebP|TIFF|SVG|PDF|OpenRaster|SMS"
    r"|px|mm|English|Deutsch|Español|.* Profile|DejaVu.*|Alegreya Sans|BEGIN:VEVENT.*|heron\.svg"
    r"|https://.*|lantern-walk|poster|print|zxing-cpp|OpenCV|quirc|qrdec"
    r"|Saltmarsh Lantern Walk|Scan to put it in your calenda"
    r"|January|February|March|April|May|June|July|August|September|October|November|December"
)
"""What is the same in every language, is data of the demo piece, or is said by Qt, which has no
pseudo-language."""


def strings(message):
    found = message.string
    return list(found) if isinstance(found, list | tuple) else [found]


def fields(text):
    return sorted(
        (name, form, how) for _, name, form, how in string.Formatter().parse(text) if name
    )


@pytest.mark.parametrize("code", catalogs.CODES)
def test_a_catalog_is_whole_and_its_texts_fit_in(code):
    known = {(m.context, m.id): m for m in catalogs.catalog(code) if m.id}
    said = {(m.context, m.id): m for m in catalogs.texts() if m.id}
    assert set(known) == set(said), "run: python tools/catalogs.py gather"
    for message in known.values():
        ids = list(message.id) if isinstance(message.id, list | tuple) else [message.id]
        for text in strings(message):
            assert text.strip(), message.id
            if "{" in ids[-1]:
                assert fields(text) == fields(ids[-1]), message.id
            # Texts are put together: what stands round a part of one must stay there.
            assert re.match(r"[ \n]*", text)[0] == re.match(r"[ \n]*", ids[-1])[0], message.id
            assert text.endswith(" ") == ids[-1].endswith(" "), message.id
            assert ("&" in text) == ("&" in ids[-1]), message.id
            assert re.findall("<[^>]*>", text) == re.findall("<[^>]*>", ids[-1]), message.id
    assert catalogs.compiled(code) == catalogs.target(code).read_bytes(), (
        "run: python tools/catalogs.py make"
    )


@pytest.fixture
def spoken():
    """Languages may be changed within a test, for texts that are made when they are asked for."""
    before = language.current()
    yield language.use
    language.use(before)


def test_numbers_plurals_and_names_are_said_as_the_language_says_them(spoken):
    def said():
        return (
            language.tr("Reach {after} in the file", after="x"),
            language.figure(0.256, ".2f"),
            language.figure(0.5, ".0%"),
            language.figure(12345.5, ",.1f"),
            language.within("Strength"),
            [language.counted("{count} image", "{count} images", n) for n in (1, 2)],
            language.tr_as("illumination", "Light"),
            language.tr_as("weight", "Light"),
        )

    spoken("en")
    assert said()[1:] == (
        "0.26", "50%", "12,345.5", "strength", ["1 image", "2 images"], "Light", "Light",
    )  # fmt: skip
    spoken("de")
    assert said()[1:] == (
        "0,26", "50\N{NO-BREAK SPACE}%", "12.345,5", "Strength", ["1 Bild", "2 Bilder"],
        "Licht", "Leicht",
    )  # fmt: skip
    spoken("es")
    assert said()[5:] == (["1 imagen", "2 imágenes"], "Luz", "Ligera")
    assert language.tr("Name of a person that no catalog knows") == (
        "Name of a person that no catalog knows"
    )
    assert language.tr("") == ""


def test_the_desktops_languages_choose_and_a_preference_comes_first(tmp_path):
    assert language.suited(["fr-FR", "de-AT", "es"]) == "de"
    assert language.suited(["pt_BR.UTF-8"]) == "en" and language.suited([]) == "en"
    told = (
        "import sys; from pathlib import Path\n"
        "from nimble_tile.ui.work import settings\n"
        "kept = settings.Settings(Path(sys.argv[1]))\n"
        "kept.set('language', sys.argv[2])\n"
        "settings.Settings = lambda: kept\n"
        "from nimble_tile.ui.speaking import speak\n"
        "speak()\n"
        "from nimble_tile.core.language import tr\n"
        "print(tr('Scans well'))\n"
    )
    given = {k: v for k, v in os.environ.items() if k != language.VARIABLE}

    def says(choice, **extra):
        run = subprocess.run(
            [sys.executable, "-c", told, str(tmp_path / "window.json"), choice],
            env=given | extra, capture_output=True, text=True, timeout=60, check=True,
        )  # fmt: skip
        return run.stdout.strip()

    assert says("es") == "Se escanea bien"
    assert says("", LC_ALL="de_DE.UTF-8", LANGUAGE="de_DE") == "Lässt sich gut scannen"
    assert says("es", **{language.VARIABLE: "de"}) == "Lässt sich gut scannen"
    # Scripts rely on what the command line says.
    run = subprocess.run(
        [sys.executable, "-m", "nimble_tile", "check", "nothing.png"],
        env=given | {"LC_ALL": "de_DE.UTF-8", "LANGUAGE": "de"}, capture_output=True, text=True,
        timeout=60, cwd=tmp_path,
    )  # fmt: skip
    assert run.stderr == (
        "nimble-tile: Could not read nothing.png: it or its folder does not exist. "
        "Check the name.\n"
    )


@pytest.mark.parametrize("code", [language.PSEUDO, "de", "es"])
def test_the_window_says_everything_in_its_language_and_nothing_is_cut_off(code, tmp_path):
    run = subprocess.run(
        [sys.executable, str(ROOT / "tests" / "language_walk.py"), code,
         str(tmp_path / "window.json"), "walk-ticket"],
        capture_output=True, text=True, timeout=600, check=True,
    )  # fmt: skip
    met = json.loads(run.stdout)
    assert not met["twice"]
    if code == language.PSEUDO:
        words = {
            re.sub(r"^\d+ ", "", word.strip())
            for text in met["said"]
            for word in ([text] if SAME.fullmatch(text) else re.split("[,:]", text))
        }
        words -= {part for name in families() for part in (name, *re.split("[,:]", name))}
        assert not [w for w in words if re.search("[A-Za-z]{2,}", w) and not SAME.fullmatch(w)]
        assert any(re.search("[A-Za-z]{2,}", text) for text in met["said"]), "it met nothing"
        assert met["wide"], "words that are a third longer must not fit, or it measured nothing"
        return
    assert not met["wide"]
    title, cancel, number = met["shown"]
    assert number == "1,5"
    assert (cancel, title.split(" – ")[0]) == {
        "de": ("Abbrechen", "Ticket zum Weg"), "es": ("Cancelar", "Entrada del paseo"),
    }[code]  # fmt: skip
