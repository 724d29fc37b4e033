"""PDF for the press: page boxes, crop marks, the four inks of a profile, one spot ink.

References
----------
ISO 32000-1:2008: 8.6.5.5 ICCBased, 8.6.6.4 Separation colour spaces (with ``All`` for marks),
8.9.6.2 stencil masks, 14.11.2 page boundaries, 14.11.5 output intents.
"""

from __future__ import annotations

import io
import zlib
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.look import rgb as rgb_of
from nimble_tile.core.output.inks import separated
from nimble_tile.core.output.page import POINTS, PagePlan

HAIR = 0.25
"""Width of a crop mark in points."""


def page_boxes(
    data: bytes, plan: PagePlan, about: str = "", profile: tuple[str, bytes] | None = None,
    ink: tuple[str, str] | None = None,
) -> bytes:  # fmt: skip
    """Finish a PDF: exact boxes, crop marks, inks, and what it says of itself.

    Parameters
    ----------
    data : bytes
        A PDF whose pages are at least as large as planned, content at the top left.
    plan : PagePlan
        Of every page.
    about : str
        Its title; empty: the file says nothing of itself.
    profile : (str, bytes), optional
        Name and ICC profile of the four inks to which all colours are converted.
    ink : (str, str), optional
        Name and colour (``#rrggbb``) of the only ink.

    Returns
    -------
    bytes
    """
    import pikepdf

    with pikepdf.open(io.BytesIO(data)) as document:
        if profile is not None:
            _to_inks(document, *profile)
        elif ink is not None:
            _to_spot(document, *ink)
        width, height = plan.width * POINTS, plan.height * POINTS
        for page in document.pages:
            # skia's pages have whole points a side: what was drawn at their top moves down.
            down = float(page.mediabox[3]) - height
            page.contents_add(f"q 1 0 0 1 0 {-down:.5f} cm".encode(), prepend=True)
            page.contents_add(b"Q", prepend=False)
            page.mediabox = page.cropbox = [0, 0, width, height]
            _boxes(page, plan, height)
            if plan.marks:
                _draw_marks(document, page, plan, height, profile is not None or ink is not None)
        _say(document, about)
        out = io.BytesIO()
        # Without object streams older printers' programs read it, too.
        document.save(
            out, compress_streams=True, object_stream_mode=pikepdf.ObjectStreamMode.disable,
            deterministic_id=True,
        )  # fmt: skip
        return out.getvalue()


def bound(documents: Sequence[bytes], about: str = "") -> bytes:
    """Several PDFs as one, page after page, boxes and inks as they are.

    The output intent is that of the first one that has any.
    """
    import pikepdf

    whole = pikepdf.new()
    sources = [pikepdf.open(io.BytesIO(data)) for data in documents]
    try:
        for source in sources:
            whole.pages.extend(source.pages)
            if "/OutputIntents" in source.Root and "/OutputIntents" not in whole.Root:
                whole.Root.OutputIntents = whole.copy_foreign(
                    source.make_indirect(source.Root.OutputIntents)
                )
        _say(whole, about)
        out = io.BytesIO()
        whole.save(out, object_stream_mode=pikepdf.ObjectStreamMode.disable, deterministic_id=True)
        return out.getvalue()
    finally:
        for source in sources:
            source.close()


def _boxes(page: Any, plan: PagePlan, top: float) -> None:
    """Trim and bleed box; of several copies what lies round all of them."""
    left, upper = (min(at[i] for at in plan.at) for i in (0, 1))
    right, lower = (max(at[i] for at in plan.at) + plan.trim[i] for i in (0, 1))

    def box(more: float) -> list[float]:
        return [
            (left - more) * POINTS, top - (lower + more) * POINTS,
            (right + more) * POINTS, top - (upper - more) * POINTS,
        ]  # fmt: skip

    page.trimbox, page.bleedbox = box(0), box(plan.bleed)


def _draw_marks(document: Any, page: Any, plan: PagePlan, top: float, inks: bool) -> None:
    """Crop marks, on every plate where there are inks."""
    import pikepdf

    lines = " ".join(
        f"{x1 * POINTS:.3f} {top - y1 * POINTS:.3f} m {x2 * POINTS:.3f} {top - y2 * POINTS:.3f} l S"
        for x1, y1, x2, y2 in plan.marks
    )
    colour = "0 G"
    if inks:
        spaces = page.Resources.get("/ColorSpace")
        if spaces is None:
            spaces = page.Resources.ColorSpace = pikepdf.Dictionary()
        spaces["/Marks"] = _separation(document, "All", [1, 1, 1, 1], "/DeviceCMYK")
        colour = "/Marks CS 1 SCN"
    page.contents_add(f"q {HAIR} w {colour} {lines} Q".encode(), prepend=False)


def _say(document: Any, about: str) -> None:
    """Title and program, or nothing of the kind."""
    from nimble_tile.core.output.raster import PROGRAM

    for key in ("/Metadata", "/StructTreeRoot", "/MarkInfo"):
        if key in document.Root:
            del document.Root[key]
    if "/Info" in document.trailer:
        del document.trailer["/Info"]
    if about:
        document.docinfo["/Title"] = about
        document.docinfo["/Producer"] = PROGRAM


def _separation(document: Any, name: str, full: Sequence[float], base: str) -> Any:
    """A colour space of one ink; `full`: how the whole ink looks in the base space."""
    import pikepdf

    white = [0.0] * 4 if base == "/DeviceCMYK" else [1.0] * 3
    function = pikepdf.Dictionary(
        FunctionType=2, Domain=[0, 1], C0=white, C1=[float(value) for value in full], N=1
    )
    return document.make_indirect(
        pikepdf.Array(
            [pikepdf.Name.Separation, pikepdf.Name(f"/{name}"), pikepdf.Name(base), function]
        )
    )


# Four inks ----------------------------------------------------------------------------------


def _to_inks(document: Any, name: str, profile: bytes) -> None:
    """Convert all colours and images to a profile's inks; the profile becomes the intent."""
    import pikepdf

    stream = pikepdf.Stream(document, profile)
    stream.N = 4
    stream.Alternate = pikepdf.Name.DeviceCMYK
    own = document.make_indirect(stream)
    space = document.make_indirect(pikepdf.Array([pikepdf.Name.ICCBased, own]))
    intent = pikepdf.Dictionary(
        Type=pikepdf.Name.OutputIntent, S=pikepdf.Name("/GTS_PDFX"), DestOutputProfile=own,
        OutputConditionIdentifier=name[:200], Info=name[:200],
    )  # fmt: skip
    document.Root.OutputIntents = pikepdf.Array([document.make_indirect(intent)])

    def convert(pixels: np.ndarray) -> np.ndarray:
        return separated(np.ascontiguousarray(pixels), profile, tr("The profile"))[0]

    for image in _images(document):
        pixels = _pixels(image)
        inks = convert(pixels)
        image.write(
            zlib.compress(inks.tobytes(), 6), filter=pikepdf.Name.FlateDecode, type_check=False
        )
        image.ColorSpace = space
        image.BitsPerComponent = 8

    def change(colours: list[tuple[int, int, int]]) -> list[list[float]]:
        row = convert(np.array([colours] * 2, np.uint8))[0]
        return [[round(float(v) / 255, 4) for v in ink] for ink in row]

    _recolour(document, space, "/Inks", change)


def _pixels(image: Any) -> np.ndarray:
    """Pixels of an image of a PDF that skia wrote (uint8 H × W × 3)."""
    import pikepdf

    return np.array(pikepdf.PdfImage(image).as_pil_image().convert("RGB"))


def _images(document: Any) -> list[Any]:
    """Pictures of a document; masks of transparency are not among them."""
    import pikepdf

    found, masks = [], set()
    for thing in document.objects:
        if isinstance(thing, pikepdf.Stream) and thing.get("/Subtype") == "/Image":
            found.append(thing)
            if "/SMask" in thing:
                masks.add(thing.SMask.objgen)
    return [image for image in found if image.objgen not in masks]


def _recolour(
    document: Any, space: Any, name: str,
    change: Callable[[list[tuple[int, int, int]]], list[list[float]]],
) -> None:  # fmt: skip
    """Replace all colours that are set in pages and forms."""
    import pikepdf

    owners = [*(page.obj for page in document.pages)]
    owners += [
        thing for thing in document.objects
        if isinstance(thing, pikepdf.Stream) and thing.get("/Subtype") == "/Form"
    ]  # fmt: skip
    parsed = [(owner, list(pikepdf.parse_content_stream(owner))) for owner in owners]
    colours = {
        _colour(operands): None
        for _, commands in parsed
        for operands, operator in commands
        if str(operator) in ("rg", "RG", "g", "G")
    }
    if not colours:
        return
    known = dict(zip(colours, change(list(colours)), strict=True))
    for owner, commands in parsed:
        made, changed = [], False
        for operands, operator in commands:
            told = str(operator)
            if told not in ("rg", "RG", "g", "G"):
                made.append((operands, operator))
                continue
            fill = told.islower()
            changed = True
            made.append(([pikepdf.Name(name)], pikepdf.Operator("cs" if fill else "CS")))
            made.append((known[_colour(operands)], pikepdf.Operator("scn" if fill else "SCN")))
        if not changed:
            continue
        data = pikepdf.unparse_content_stream(made)
        if isinstance(owner, pikepdf.Stream):
            owner.write(data)
        else:
            owner.Contents = pikepdf.Stream(document, data)
        resources = owner.get("/Resources")
        if resources is None:
            resources = owner.Resources = pikepdf.Dictionary()
        if "/ColorSpace" not in resources:
            resources.ColorSpace = pikepdf.Dictionary()
        resources.ColorSpace[name] = space


def _colour(operands: Sequence[Any]) -> tuple[int, int, int]:
    values = [round(float(value) * 255) for value in operands]
    return tuple(values * 3 if len(values) == 1 else values)


# One ink --------------------------------------------------------------------------------------


def _to_spot(document: Any, name: str, colour: str) -> None:
    """All that is darker than the middle in one ink, all else paper."""
    space = _spot(document, name, colour)

    def change(colours: list[tuple[int, int, int]]) -> list[list[float]]:
        luma = np.array(colours, float) @ (0.299, 0.587, 0.114)
        return [[float(value < 128)] for value in luma]

    _recolour(document, space, "/Inks", change)


def _spot(document: Any, name: str, colour: str) -> Any:
    return _separation(document, name, [v / 255 for v in rgb_of(colour)], "/DeviceRGB")


def stencil(
    paper: np.ndarray, plan: PagePlan, about: str, name: str, colour: str
) -> bytes:  # fmt: skip
    """A PDF of one ink from an image of ink and paper.

    Parameters
    ----------
    paper : ndarray of bool, H × W
        True = paper; of one copy, bleed included.
    plan : PagePlan
    about, name, colour : str
        Title, and the ink's name and colour.
    """
    import pikepdf

    document = pikepdf.new()
    height, width = paper.shape
    mask = pikepdf.Stream(document, zlib.compress(np.packbits(paper, axis=1).tobytes(), 9))
    mask.Filter = pikepdf.Name.FlateDecode
    mask.Type, mask.Subtype = pikepdf.Name.XObject, pikepdf.Name.Image
    mask.Width, mask.Height, mask.BitsPerComponent = width, height, 1
    mask.ImageMask = True
    own = document.make_indirect(mask)
    page_height = plan.height * POINTS
    more = plan.bleed
    across, down = (side + 2 * more for side in plan.trim)
    commands = ["/Inks cs 1 scn"]
    for left, top in plan.at:
        x, y = (left - more) * POINTS, page_height - (top - more + down) * POINTS
        commands.append(
            f"q {across * POINTS:.4f} 0 0 {down * POINTS:.4f} {x:.4f} {y:.4f} cm /Im Do Q"
        )
    page = pikepdf.Page(
        pikepdf.Dictionary(
            Type=pikepdf.Name.Page, MediaBox=[0, 0, plan.width * POINTS, page_height],
            Resources=pikepdf.Dictionary(
                XObject=pikepdf.Dictionary(Im=own),
                ColorSpace=pikepdf.Dictionary(Inks=_spot(document, name, colour)),
            ),
            Contents=pikepdf.Stream(document, "\n".join(commands).encode()),
        )
    )  # fmt: skip
    document.pages.append(page)
    _boxes(document.pages[0], plan, page_height)
    if plan.marks:
        _draw_marks(document, document.pages[0], plan, page_height, True)
    _say(document, about)
    out = io.BytesIO()
    document.save(out, deterministic_id=True)
    return out.getvalue()
