"""Vector files as pixels: SVG drawings and pages of a PDF.

References
----------
SVG 1.1 (drawn by resvg); ISO 32000, PDF (drawn by pdfium).
"""

from __future__ import annotations

import io
import re
import threading
from pathlib import Path
from typing import TYPE_CHECKING

from nimble_tile.core.errors import PictureError
from nimble_tile.core.foreign import apart
from nimble_tile.core.language import tr

if TYPE_CHECKING:
    import numpy as np

SUFFIXES = (".svg", ".pdf")

DRAWN_SIDE = 2048
"""Longer side, in pixels, at which vector files are drawn."""

MOST_BYTES = 32 << 20
"""A vector file of over 32 MiB is refused: it is a page of photographs at best."""

MOST_NODES = 60_000
"""Elements that an SVG may draw, those that it repeats by reference included."""

DRAW_LIMIT = 12.0
"""Seconds that drawing may take."""

PDFIUM = threading.Lock()
"""pdfium serves one thread at a time."""

_OUTSIDE = re.compile(r"^\s*(#|data:|$)", re.IGNORECASE)


def kind_of(data: bytes) -> str | None:
    """``"svg"``, ``"pdf"`` or None, by what the bytes begin with."""
    start = data[:1024].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith(b"%PDF-"):
        return "pdf"
    if start[:1] == b"<" and b"<svg" in data[:65536].lower():
        return "svg"
    return None


@apart(DRAW_LIMIT)
def draw(data: bytes, name: str, side: int = DRAWN_SIDE) -> np.ndarray:
    """Draw a vector file.

    Parameters
    ----------
    data : bytes
        An SVG, or a PDF of which the first page is drawn.
    name : str
        What to call it in error messages.
    side : int
        Pixels of the longer side.

    Returns
    -------
    ndarray of uint8, H × W × 4
        sRGB with straight alpha.

    Raises
    ------
    PictureError
        Damaged, empty, hostile or too large.
    """
    if len(data) > MOST_BYTES:
        raise PictureError(
            tr("{name} is larger than {most_bytes} MB.", name=name, most_bytes=MOST_BYTES >> 20),
            tr("Save it as PNG at the size you need."),
        )
    pixels = _svg(data, name, side) if kind_of(data) == "svg" else _pdf(data, name, side)
    if not pixels[..., 3].any():
        raise PictureError(
            tr("{name} shows nothing.", name=name), tr("Check what was saved in it.")
        )
    return pixels


def _damaged(name: str) -> PictureError:
    return PictureError(
        tr("{name} is damaged or cut off.", name=name), tr("Save it again; nothing was changed.")
    )


def _svg(data: bytes, name: str, side: int) -> np.ndarray:
    import numpy as np
    import resvg_py
    from PIL import Image

    text = _checked(data, name)

    own: dict[str, object] = {"skip_system_fonts": True}
    if has_letters(data):
        # Letters in a font that is not here are drawn in ours rather than not at all.
        families = ("font_family", "serif_family", "sans_serif_family")
        folder = Path(__file__).parents[2] / "assets" / "fonts"
        own = {"font_dirs": [str(folder)], **dict.fromkeys(families, "Alegreya Sans")}

    def drawn(width: int) -> Image.Image:
        png = resvg_py.svg_to_bytes(svg_string=text, width=width, dpi=96, **own)
        return Image.open(io.BytesIO(png)).convert("RGBA")

    try:
        # Only a width can be asked for; a small drawing tells the proportions.
        width, height = drawn(64).size
        if height > 64 * 40 or height * 40 < 64:
            raise PictureError(
                tr("{name} is a mere line.", name=name), tr("Give it less extreme proportions.")
            )
        return np.array(drawn(side if width >= height else max(1, round(side * width / height))))
    except PictureError:
        raise
    except Exception as error:  # a parser of foreign files: anything may come
        raise _damaged(name) from error


def has_letters(data: bytes) -> bool:
    """Whether a drawing holds text, whose look depends on the fonts of this machine."""
    return b"<text" in data or b":text" in data


def _checked(data: bytes, name: str) -> str:
    """The SVG source, once nothing in it refers to outside files or expands without limit."""
    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import ParseError, fromstring

    def refused(why: str, way_out: str = tr("Save it as PNG.")) -> PictureError:
        return PictureError(tr("{name} was not taken: {why}.", name=name, why=why), way_out)

    try:
        root = fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except DefusedXmlException:
        raise refused(tr("it defines entities, which can be used to swell it")) from None
    except (ParseError, ValueError, LookupError, RecursionError):
        raise _damaged(name) from None
    by_name = {}
    for node in root.iter():
        for key, value in node.attrib.items():
            if key.rpartition("}")[2] == "href" and not _OUTSIDE.match(value):
                tag = str(node.tag).rpartition("}")[2]
                if tag not in ("a", "script"):
                    raise refused(
                        tr("it refers to another file"), tr("Put all pictures inside it.")
                    )
        if node.get("id"):
            by_name[node.get("id")] = node
    known: dict[int, int] = {}

    def size(node, depth: int) -> int:
        """Elements that are drawn for a node."""
        if depth > 200:
            raise refused(tr("its parts are nested too deeply"))
        if id(node) in known:
            return known[id(node)]
        known[id(node)] = MOST_NODES  # meeting it again inside itself would mean a cycle
        count = 1
        href = next((v for k, v in node.attrib.items() if k.rpartition("}")[2] == "href"), "")
        if str(node.tag).endswith("use") and href.startswith("#") and href[1:] in by_name:
            count += size(by_name[href[1:]], depth + 1)
        for child in node:
            count += size(child, depth + 1)
        known[id(node)] = min(count, 2 * MOST_NODES)
        return count

    if size(root, 0) > MOST_NODES:
        raise refused(tr("it holds too many parts"))
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        from xml.etree.ElementTree import tostring

        return tostring(root, encoding="unicode")


def _pdf(data: bytes, name: str, side: int) -> np.ndarray:
    import numpy as np
    import pypdfium2

    try:
        with PDFIUM:
            document = pypdfium2.PdfDocument(data)
            try:
                page = document[0]
                width, height = page.get_size()
                if not 0 < width < 1e5 or not 0 < height < 1e5:
                    raise PictureError(
                        tr("{name} has a page of no possible size.", name=name),
                        tr("Save it again."),
                    )
                bitmap = page.render(
                    scale=(side - 0.01) / max(width, height), fill_color=(255, 255, 255, 0),
                    rev_byteorder=True, force_bitmap_format=pypdfium2.raw.FPDFBitmap_BGRA,
                )  # fmt: skip
                return np.array(bitmap.to_numpy())
            finally:
                document.close()
    except PictureError:
        raise
    except Exception as error:
        raise _damaged(name) from error


@apart(DRAW_LIMIT)
def pages(data: bytes, name: str = tr("The file")) -> int:
    """Pages of a PDF; `PictureError` if it cannot be read."""
    import pypdfium2

    try:
        with PDFIUM:
            document = pypdfium2.PdfDocument(data)
            try:
                return len(document)
            finally:
                document.close()
    except Exception as error:
        raise PictureError(
            tr(
                "{name} cannot be read as PDF; it may be damaged or locked by a password.",
                name=name,
            ),
            tr("Save an open copy of it."),
        ) from error


@apart(DRAW_LIMIT)
def one_page(data: bytes, index: int, name: str = tr("The file")) -> bytes:
    """A PDF of one page of another; `PictureError` if there is no such page."""
    import pypdfium2

    if not 0 <= index < pages(data, name):
        raise PictureError(
            tr("{name} has no page {index}.", name=name, index=index + 1),
            tr("Choose another page."),
        )
    try:
        with PDFIUM:
            document, single = pypdfium2.PdfDocument(data), pypdfium2.PdfDocument.new()
            try:
                single.import_pages(document, [index])
                file = io.BytesIO()
                single.save(file)
                return file.getvalue()
            finally:
                single.close()
                document.close()
    except Exception as error:
        raise _damaged(name) from error
