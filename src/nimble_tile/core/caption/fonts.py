"""The fonts that a caption can be set in, and a line of text as outlines.

References
----------
Unicode Standard Annex 9 (bidirectional text) and OpenType shaping, by the
paragraph module of skia with ICU and HarfBuzz.
"""

from __future__ import annotations

import re
import threading
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

from nimble_tile.core.symbol.looks.paths import Op, Path

SHIPPED_FAMILY = "Alegreya Sans"
"""Family that ships with the program and stands for an empty name."""

_FILES = ("AlegreyaSans-Regular.ttf", "AlegreyaSans-Medium.ttf", "AlegreyaSans-Bold.ttf")

_DRAWN = 100.0
"""Size, in units of the outlines, at which text is shaped."""

_lock = threading.Lock()


@dataclass(frozen=True, eq=False)
class TextLine:
    """One line of text as outlines.

    Attributes
    ----------
    path : Path
        Baseline at y = 0, starting at x = 0; one unit is the font size.
    width : float
        Advance of the whole line.
    stand_in : bool
        Whether letters came from another font, because this one lacks them.
    lost : bool
        Whether some letters have no outline in any font.
    """

    path: Path
    width: float
    stand_in: bool = False
    lost: bool = False


@lru_cache(maxsize=1)
def _own():
    """The shipped typefaces, and a provider of them."""
    import skia

    provider = skia.textlayout_TypefaceFontProvider()
    faces = []
    for name in _FILES:
        data = files("nimble_tile.assets").joinpath(f"fonts/{name}").read_bytes()
        face = skia.Typeface.MakeFromData(skia.Data.MakeWithCopy(data))
        provider.registerTypeface(face, SHIPPED_FAMILY)
        faces.append(face)
    return provider, faces[0]


@lru_cache(maxsize=1)
def _system():
    import skia

    return skia.FontMgr()


@lru_cache(maxsize=1)
def families() -> tuple[str, ...]:
    """Names of all families that are installed, and the shipped one first."""
    with _lock:
        manager = _system()
        found = {manager.getFamilyName(i) for i in range(manager.countFamilies())}
    return (
        SHIPPED_FAMILY,
        *sorted((f for f in found if f and f != SHIPPED_FAMILY), key=str.casefold),
    )


def has_family(family: str) -> bool:
    """Whether a font family is installed."""
    return family in ("", SHIPPED_FAMILY) or family in families()


@lru_cache(maxsize=256)
def line(text: str, family: str = "", weight: int = 400, italic: bool = False) -> TextLine:
    """Shape one line of text.

    Parameters
    ----------
    text : str
        Without line breaks. Right-to-left scripts run from the right.
    family : str
        Empty: the shipped one. One that is not installed is replaced.
    weight : int
        100 to 900.
    italic : bool
    """
    text = text.replace("\t", "    ")
    if not text.strip():
        return TextLine(Path(()), 0.25 * len(text))
    with _lock:
        return _shaped(text, family, weight, italic)


def _shaped(text: str, family: str, weight: int, italic: bool) -> TextLine:
    import skia

    provider, face = _own()
    own = family in ("", SHIPPED_FAMILY)
    if own:
        lacking = [c for c in text if not c.isspace() and not face.unicharToGlyph(ord(c))]
        stand_in = bool(lacking)
        manager, names = (_system(), ["DejaVu Sans"]) if stand_in else (provider, [SHIPPED_FAMILY])
        if stand_in and not manager.countFamilies():
            manager, names = provider, [SHIPPED_FAMILY]
    else:
        manager, names = _system(), [family]
        chosen = manager.matchFamilyStyle(family, skia.FontStyle())
        stand_in = chosen is None or any(
            not c.isspace() and not chosen.unicharToGlyph(ord(c)) for c in text
        )
        if chosen is None:
            manager, names = provider, [SHIPPED_FAMILY]
    collection = skia.textlayout_FontCollection()
    collection.setDefaultFontManager(manager)
    style = skia.textlayout_TextStyle()
    style.setFontFamilies(names)
    style.setFontSize(_DRAWN)
    style.setColor(skia.ColorBLACK)
    slant = skia.FontStyle.kItalic_Slant if italic else skia.FontStyle.kUpright_Slant
    style.setFontStyle(skia.FontStyle(weight, 5, slant))
    paragraph_style = skia.textlayout_ParagraphStyle()
    paragraph_style.setTextStyle(style)
    paragraph_style.setTextAlign(skia.textlayout_TextAlign.kLeft)
    builder = skia.textlayout_ParagraphBuilder(
        paragraph_style, collection, skia.Unicodes.ICU.Make()
    )
    # Embedded from the right where the first strong letter runs so: the paragraph itself
    # always begins at the left.
    builder.addText(f"\u202b{text}\u202c" if from_right(text) else text)
    paragraph = builder.Build()
    paragraph.layout(1e6)
    stream = skia.DynamicMemoryWStream()
    flags = skia.SVGCanvas.kConvertTextToPaths_Flag | skia.SVGCanvas.kNoPrettyXML_Flag
    canvas = skia.SVGCanvas.Make(skia.Rect.MakeLTRB(-1e5, -1e5, 1e5, 1e5), stream, flags)
    paragraph.paint(canvas, 0, 0)
    del canvas  # the drawing is complete when its canvas is gone
    drawn = bytes(stream.detachAsData()).decode("utf-8")
    ops = [op for data in re.findall(r'<path[^>]*? d="([^"]*)"', drawn) for op in _ops(data)]
    path = Path(tuple(ops)).moved(0, -paragraph.AlphabeticBaseline).moved(scale=1 / _DRAWN)
    width = paragraph.LongestLine / _DRAWN
    left, _, right, _ = path.bounds()
    # Text from the right is laid at the right end of its line; here it begins at 0.
    if path.ops and (left > width + 1 or right < -1):
        path = path.moved(-left)
    return TextLine(path, width, stand_in, lost=not ops or "<image" in drawn or _lost(text, face))


def from_right(text: str) -> bool:
    """Whether a line begins at the right: its first strong letter decides (UAX 9, P2 and P3)."""
    strong = (kind for c in text if (kind := unicodedata.bidirectional(c)) in ("L", "R", "AL"))
    return next(strong, "L") != "L"


def _lost(text: str, own) -> bool:
    """Whether no font at all has some letter."""
    import skia

    style, manager = skia.FontStyle(), _system()
    return any(
        not c.isspace()
        and unicodedata.category(c) not in ("Cf", "Mn", "Me")
        and not own.unicharToGlyph(ord(c))
        and manager.matchFamilyStyleCharacter("", style, [], ord(c)) is None
        for c in set(text)
    )


_TOKEN = re.compile(r"([A-Za-z])|(-?\d*\.?\d+(?:e-?\d+)?)")


def _ops(data: str) -> list[Op]:
    """Steps of absolute path data; quadratic curves become cubic ones."""
    ops: list[Op] = []
    x = y = sx = sy = 0.0
    kind, values = "", []
    need = {"M": 2, "L": 2, "H": 1, "V": 1, "Q": 4, "C": 6}

    def flush() -> None:
        nonlocal x, y, sx, sy
        if kind not in need:
            return
        count = need[kind]
        for i in range(0, len(values) - count + 1, count):
            v = values[i : i + count]
            if kind == "M" and i == 0:
                ops.append(("M", *v))
                sx, sy = v
            elif kind in "ML":
                ops.append(("L", *v))
            elif kind == "H":
                v = [v[0], y]
                ops.append(("L", *v))
            elif kind == "V":
                v = [x, v[0]]
                ops.append(("L", *v))
            elif kind == "Q":
                qx, qy, ex, ey = v
                ops.append(("C", x + (qx - x) * 2 / 3, y + (qy - y) * 2 / 3,
                            ex + (qx - ex) * 2 / 3, ey + (qy - ey) * 2 / 3, ex, ey))  # fmt: skip
            else:
                ops.append(("C", *v))
            x, y = v[-2:]

    for letter, number in _TOKEN.findall(data):
        if letter:
            flush()
            kind, values = letter, []
            if letter in "Zz":
                ops.append(("Z",))
                x, y = sx, sy
        else:
            values.append(float(number))
    flush()
    return ops
