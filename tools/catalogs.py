"""Gather what the program says for translators, and make its catalogs.

python tools/catalogs.py gather    texts of the code into translations/*.po
python tools/catalogs.py make      catalogs of the program out of them
python tools/catalogs.py missing   what is not translated, as JSON
"""

from __future__ import annotations

import io
import json
import sys
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from nimble_tile.core.language import DOMAIN, FOLDER, LANGUAGES
from nimble_tile.standins.painter.scenes import SCENES

ROOT = Path(__file__).parents[1]
SOURCES = ROOT / "translations"
CODE = ROOT / "src" / "nimble_tile"
KEYWORDS = {"tr": None, "marked": None, "counted": (1, 2), "tr_as": ((1, "c"), 2)}
METHODS = [("**.py", "python"), ("**.html", "jinja2.ext:babel_extract")]
CODES = [code for code in LANGUAGES if code != "en"]


def texts() -> Catalog:
    """All texts of the code, of templates, and names in data that ships."""
    found = Catalog(domain=DOMAIN, charset="utf-8")
    for file, line, text, notes, sense in extract_from_dir(CODE, METHODS, keywords=KEYWORDS):
        if text:
            found.add(text, locations=[(file, line)], auto_comments=notes, context=sense)
    trials = json.loads((CODE / "assets" / "trials.json").read_text("utf-8"))["trials"]
    for trial in trials:
        found.add(trial["name"], locations=[("assets/trials.json", 1)])
    for file in sorted((CODE / "assets" / "looks").glob("*.json")):
        found.add(json.loads(file.read_text("utf-8"))["look"]["name"],
                  locations=[(f"assets/looks/{file.name}", 1)])  # fmt: skip
    for scene in SCENES.values():
        found.add((scene.__doc__ or "").strip().rstrip("."), locations=[("standins/painter", 1)])
    return found


def source(code: str) -> Path:
    """The file that translators edit."""
    return SOURCES / f"{code}.po"


def catalog(code: str) -> Catalog:
    """What is translated, as its file has it."""
    with source(code).open("rb") as file:
        return read_po(file, locale=code, domain=DOMAIN)


def compiled(code: str) -> bytes:
    """The catalog that the program reads."""
    made = io.BytesIO()
    write_mo(made, catalog(code))
    return made.getvalue()


def target(code: str) -> Path:
    """Where the program looks for its catalog."""
    return FOLDER / code / "LC_MESSAGES" / f"{DOMAIN}.mo"


def gather() -> None:
    """Add new texts to the translators' files and leave out what is said no more."""
    found = texts()
    for code in CODES:
        known = catalog(code) if source(code).exists() else Catalog(code, domain=DOMAIN)
        made = known.creation_date
        known.update(found, no_fuzzy_matching=True)
        known.creation_date = made
        known.obsolete.clear()
        with source(code).open("wb") as file:
            write_po(file, known, width=100, no_location=True, sort_output=True, omit_header=False)


def make() -> None:
    """Write the program's catalogs."""
    for code in CODES:
        target(code).parent.mkdir(parents=True, exist_ok=True)
        target(code).write_bytes(compiled(code))


def missing() -> dict[str, list]:
    """Texts without a translation, by language."""
    return {
        code: [[m.context, m.id] for m in catalog(code) if m.id and not all(_strings(m))]
        for code in CODES
    }


def _strings(message) -> tuple[str, ...]:
    return message.string if isinstance(message.string, tuple | list) else (message.string,)


if __name__ == "__main__":
    task = sys.argv[1] if len(sys.argv) > 1 else "make"
    if task == "gather":
        gather()
    elif task == "make":
        make()
    else:
        print(json.dumps(missing(), ensure_ascii=False, indent=1))
