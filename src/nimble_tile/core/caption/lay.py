"""Captions and the surround as items in module units, and the room that they need."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from nimble_tile.core.additions import Caption, Captions, Surround
from nimble_tile.core.caption import fonts, surround
from nimble_tile.core.caption.curves import Guide, flattened, on_guide
from nimble_tile.core.caption.surround import Lengths
from nimble_tile.core.laid.items import Bounds, Item, Shape, together
from nimble_tile.core.language import tr
from nimble_tile.core.symbol.looks.paths import Path, joined

ABOVE, BELOW = 0.74, 0.24
"""Room over the first baseline and under the last, in sizes of the font."""

PAD = 0.35
"""Distance of a caption from the code or from another, in sizes of the font."""

SIDE_OF_PLACE = {
    "above left": "above", "above": "above", "above right": "above", "left": "left",
    "right": "right", "below left": "below", "below": "below", "below right": "below",
}  # fmt: skip
"""The side of the code at which each place beside it lies."""

TurnedBox = tuple[tuple[float, float], float, float, float]


@dataclass(frozen=True, eq=False)
class TextBlock:
    """Lines of text round their own middle.

    Attributes
    ----------
    path : Path
        In modules, middle of the block at 0.
    width, height : float
    lines : tuple of (Path, float)
        Each line from its own baseline and start, and its width, in modules.
    notes : tuple of str
    """

    path: Path
    width: float
    height: float
    lines: tuple[tuple[Path, float], ...]
    notes: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class LaidCaptions:
    """Items, the surround's among them, and the room that they take.

    Attributes
    ----------
    paper, over : tuple of Item
    room : (float, float, float, float)
        What captions and surround cover together with the code's square.
    boxes : dict
    notes : tuple of str
    """

    paper: tuple[Item, ...]
    over: tuple[Item, ...]
    room: Bounds
    boxes: dict[tuple[str, int], TurnedBox]
    notes: tuple[str, ...]


def block_of(caption: Caption, side: int) -> TextBlock:
    """A caption's lines, set.

    Parameters
    ----------
    caption : Caption
    side : int
        Modules a side, quiet zone not included.
    """
    size = caption.size * side
    set_lines = [
        fonts.line(text, caption.font, caption.weight, caption.italic)
        for text in caption.text.split("\n")
    ]
    widths = [line.width * size for line in set_lines]
    width = max(widths, default=0.0)
    height = size * (ABOVE + BELOW + caption.leading * (len(set_lines) - 1))
    paths, lines = [], []
    for index, (line, own) in enumerate(zip(set_lines, widths, strict=True)):
        scaled = line.path.moved(scale=size)
        lines.append((scaled, own))
        spare = {"left": 0.0, "centre": (width - own) / 2, "right": width - own}[caption.align]
        y = -height / 2 + size * (ABOVE + caption.leading * index)
        paths.append(scaled.moved(spare - width / 2, y))
    notes = []
    if not fonts.has_family(caption.font):
        notes.append(
            tr("The font {font} is not installed here; another stands in.", font=caption.font)
        )
    elif any(line.stand_in for line in set_lines):
        name = caption.font or fonts.SHIPPED_FAMILY
        notes.append(tr("{name} lacks some letters; another font stands in.", name=name))
    if any(line.lost for line in set_lines):
        notes.append(tr("Some letters are in no font that is installed here."))
    return TextBlock(joined(paths), width, height, tuple(lines), tuple(notes))


def _inked(caption: Caption, owner: int, path: Path, size: float) -> list[Item]:
    items: list[Item] = []
    if not path.ops:
        return items
    if caption.outline > 0:
        width = 2 * caption.outline * size
        items.append(Shape("caption", owner, path, None, width, caption.outline_colour))
    items.append(Shape("caption", owner, path, caption.colour))
    return items


def lay(
    captions: Captions,
    frame: Surround,
    side: int,
    quiet_zone: int,
    module_mm: float,
    window: bool,
) -> LaidCaptions:
    """Lay captions and the surround.

    Parameters
    ----------
    captions : Captions
    frame : Surround
    side : int
        Modules a side, quiet zone not included.
    quiet_zone : int
    module_mm : float
        Millimetres of a module on paper.
    window : bool
        Whether the surround's paper leaves the code's square open, because it lies on top.
    """
    total = float(side + 2 * quiet_zone)
    square: Bounds = (0.0, 0.0, total, total)
    lengths = Lengths.of(frame, module_mm)
    items: list[Item] = []
    boxes: dict[tuple[str, int], TurnedBox] = {}
    notes: list[str] = []
    blocks = [(i, caption, block_of(caption, side)) for i, caption in enumerate(captions.items)
              if caption.text.strip()]  # fmt: skip
    for _, _, block in blocks:
        notes += [note for note in block.notes if note not in notes]

    if frame.kind == "ring":
        return _ringed(blocks, frame, lengths, side, quiet_zone, window, tuple(notes))

    taken = {"above": 0.0, "below": 0.0, "left": 0.0, "right": 0.0}
    if frame.kind == "ticket":
        taken[frame.side] += surround.stub_gap(frame, total)
    content = [square]
    for index, caption, block in blocks:
        if caption.place not in SIDE_OF_PLACE:
            continue
        at, turn, covers = _beside(caption, block, side, quiet_zone, taken)
        boxes["caption", index] = (at, block.width, block.height, math.degrees(turn))
        size = caption.size * side
        items += _inked(caption, index, block.path.moved(turn=turn).moved(*at), size)
        content.append(covers)
    wanted = together(content)
    box = _with_head(frame, wanted)
    if frame.kind != "none":
        path = surround.outline(frame, lengths, box, total, 0)
        grown = lengths.gap + lengths.line / 2
        edge = (box[0] - grown, box[1] - grown, box[2] + grown, box[3] + grown)
        paper, lines = surround.shapes(frame, lengths, path, total, edge, window)
        line = path
        half = lengths.line / 2
        room = _grown(path.bounds(), half)
    else:
        paper, lines, room = [], [], wanted
        line = None
    for index, caption, block in blocks:
        if caption.place == "along":
            guide_path = line or _square_line(total, lengths)
            items += _along(caption, index, block, guide_path, lengths, side, boxes)
        elif caption.place == "free":
            items += _free(caption, index, block, side, quiet_zone, boxes)
    room = together([room, *(item.bounds for item in items)])
    return LaidCaptions(tuple(paper), (*lines, *items), room, boxes, tuple(notes))


def _grown(box: Bounds, by: float) -> Bounds:
    left, top, right, bottom = box
    return left - by, top - by, right + by, bottom + by


def _with_head(frame: Surround, content: Bounds) -> Bounds:
    """Content with the room that a tag's hole needs."""
    left, top, right, bottom = content
    across = frame.side in ("left", "right")
    more = surround.head(frame, bottom - top if across else right - left)
    return (
        left - more * (frame.side == "left"), top - more * (frame.side == "above"),
        right + more * (frame.side == "right"), bottom + more * (frame.side == "below"),
    )  # fmt: skip


def _beside(
    caption: Caption, block: TextBlock, side: int, quiet_zone: int, taken: dict[str, float]
) -> tuple[tuple[float, float], float, Bounds]:
    """Middle, turn (radians) and extent of a caption beside the code; reserves its room."""
    where = SIDE_OF_PLACE[caption.place]
    total = side + 2 * quiet_zone
    pad = PAD * caption.size * side
    deep, wide = block.height, block.width
    low, high = float(quiet_zone), float(quiet_zone + side)
    if where in ("above", "below"):
        x = total / 2
        if caption.place.endswith("left"):
            x = low + wide / 2
        elif caption.place.endswith("right"):
            x = high - wide / 2
        shift = taken[where] + pad + deep / 2
        y = -shift if where == "above" else total + shift
        # Several captions on one line of a side share it instead of stacking up.
        taken[where] += pad + deep
        return (x, y), 0.0, (x - wide / 2, y - deep / 2, x + wide / 2, y + deep / 2)
    shift = taken[where] + pad + deep / 2
    taken[where] += pad + deep
    x = -shift if where == "left" else total + shift
    y = total / 2
    turn = -math.pi / 2 if where == "left" else math.pi / 2
    return (x, y), turn, (x - deep / 2, y - wide / 2, x + deep / 2, y + wide / 2)


def _free(
    caption: Caption, index: int, block: TextBlock, side: int, quiet_zone: int, boxes: dict
) -> list[Item]:
    at = quiet_zone + caption.x * side, quiet_zone + caption.y * side
    boxes["caption", index] = (at, block.width, block.height, caption.angle)
    path = block.path.moved(turn=math.radians(caption.angle)).moved(*at)
    return _inked(caption, index, path, caption.size * side)


def _square_line(total: float, lengths: Lengths) -> Path:
    """The guide for text where there is no surround: the quiet zone's edge."""
    from nimble_tile.core.symbol.looks.paths import rounded

    more = lengths.gap
    wide = total + 2 * more
    return rounded(-more, -more, wide, wide, (lengths.corner,) * 4)


def _along(
    caption: Caption,
    index: int,
    block: TextBlock,
    line: Path,
    lengths: Lengths,
    side: int,
    boxes: dict,
) -> list[Item]:
    """Text on the outside of a line, its middle `start` round from the top middle."""
    points = flattened(line)[0]
    if abs(points[0] - points[-1]).max() > 1e-6:
        import numpy as np

        points = np.vstack([points, points[:1]])
    guide = Guide(points)
    size = caption.size * side
    made: list[Path] = []
    left, top, right, _ = line.bounds()
    begin = _nearest(guide, (left + right) / 2, top)
    away = lengths.line / 2 + 0.3 * size
    for number, (path, width) in enumerate(block.lines):
        rise = away + size * caption.leading * (len(block.lines) - 1 - number)
        start = begin + caption.start * guide.length - width / 2
        made.append(on_guide(path.moved(0, -rise), guide, start, size))
    path = joined(made)
    boxes["caption", index] = _around(path)
    return _inked(caption, index, path, size)


def _around(path: Path) -> TurnedBox:
    left, top, right, bottom = path.bounds()
    return ((left + right) / 2, (top + bottom) / 2), right - left, bottom - top, 0.0


def _nearest(guide: Guide, x: float, y: float) -> float:
    """Distance along a guide of its point nearest to (x, y)."""
    import numpy as np

    steps = np.linspace(0, guide.length, 721)
    found = np.array([guide.at(s)[:2] for s in steps])
    return float(steps[np.hypot(found[:, 0] - x, found[:, 1] - y).argmin()])


def _ringed(
    blocks: Sequence[tuple[int, Caption, TextBlock]],
    frame: Surround,
    lengths: Lengths,
    side: int,
    quiet_zone: int,
    window: bool,
    notes: tuple[str, ...],
) -> LaidCaptions:
    """Captions curved between a square code and a ring round it."""
    import numpy as np

    total = float(side + 2 * quiet_zone)
    middle = total / 2
    items: list[Item] = []
    boxes: dict[tuple[str, int], TurnedBox] = {}
    half_turns = {"above": -math.pi / 2, "right": 0.0, "below": math.pi / 2, "left": math.pi}
    bands: list[float] = [0.0]
    placed = []
    used = {name: 0.0 for name in half_turns}
    for index, caption, block in blocks:
        where = SIDE_OF_PLACE.get(caption.place) or ("above" if caption.place == "along" else None)
        if where is None:
            continue
        size = caption.size * side
        inner = _inner_radius(middle, block, size, used[where])
        used[where] = inner - middle + block.height + PAD * size
        placed.append((index, caption, block, where, inner))
        bands.append(inner + block.height + PAD * size * 0.6 - total / math.sqrt(2))
    band = max(bands)
    radius = surround.ring_radius(total, lengths, band)
    for index, caption, block, where, inner in placed:
        size = caption.size * side
        # Text stands half way between the square's side and the ring.
        room = radius - lengths.line / 2 - lengths.gap - inner - block.height
        own = inner + max(0.0, room) / 2
        upright = where != "below" or caption.place == "along"
        facing = half_turns[where]
        if caption.place == "along":
            facing += 2 * math.pi * caption.start
        made = []
        count = len(block.lines)
        for number, (path, width) in enumerate(block.lines):
            if upright:
                rise = own + size * (BELOW + caption.leading * (count - 1 - number))
            else:
                rise = own + size * (ABOVE + caption.leading * number)
            angles = np.linspace(-math.pi, math.pi, 721) * (1 if upright else -1) + facing
            circle_points = middle + rise * np.stack([np.cos(angles), np.sin(angles)], 1)
            guide = Guide(circle_points)
            made.append(on_guide(path, guide, guide.length / 2 - width / 2, size))
        path = joined(made)
        boxes["caption", index] = _around(path)
        items += _inked(caption, index, path, size)
    for index, caption, block in blocks:
        if caption.place == "free":
            items += _free(caption, index, block, side, quiet_zone, boxes)
    path = surround.outline(frame, lengths, (0, 0, total, total), total, band)
    paper, lines = surround.shapes(frame, lengths, path, total, path.bounds(), window)
    room = together([_grown(path.bounds(), lengths.line / 2), *(i.bounds for i in items)])
    return LaidCaptions(tuple(paper), (*lines, *items), room, boxes, notes)


def _inner_radius(middle: float, block: TextBlock, size: float, used: float) -> float:
    """Smallest radius at which a block of text bent round the code's middle clears its square."""
    radius = middle + used + PAD * size
    for _ in range(200):
        # The block's ends come nearest to the square's corners.
        angle = min(block.width / 2 / max(radius, 1e-6), math.pi / 4)
        if radius * math.cos(angle) >= middle + used + PAD * size * 0.8 or (
            radius >= middle * math.sqrt(2) + used
        ):
            return radius
        radius += 0.02 * middle
    return radius
