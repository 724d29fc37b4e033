"""Sweep: one setting, or two at once, over a range; each piece judged as the window would.

A `Setting` names one field of the piece by its path and knows which values are
of use. `sweep` renders every piece of the board, lets the readers judge it and
sends it through the trials.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.core.language import figure, tr, tr_as
from nimble_tile.core.piece import (
    BORDER_LABELS,
    MARK_LABELS,
    MARKED,
    METHOD_LABELS,
    MODE_LABELS,
    Code,
    Piece,
)
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune.proving import prove

MOST_PIECES = 64
"""Pieces on one board at most."""

MORE_VERSIONS = 7
"""Versions above the smallest that are usually swept."""

Value = float | int | str


def _always(piece: Piece) -> str:
    return ""


def _with_picture(piece: Piece) -> str:
    return "" if piece.picture.digest else tr("There is no picture yet.")


def _by(*methods: str) -> Callable[[Piece], str]:
    def why(piece: Piece) -> str:
        if not piece.picture.digest:
            return _with_picture(piece)
        return "" if piece.blend.method in methods else tr("Another blend method is chosen.")

    return why


def _with_border(piece: Piece) -> str:
    blend, there = piece.blend, _with_picture(piece)
    if there or (blend.quiet != "plain" and (blend.bordered or blend.quiet == "border")):
        return there
    return tr("This blend draws no border. Give the quiet zone one.")


def _guarded(piece: Piece) -> str:
    return "" if piece.picture.guard else tr("No guard is painted yet.")


def _steered(piece: Piece) -> str:
    return (
        "" if piece.code.steer != "off" and piece.picture.digest else tr("The code is not steered.")
    )


def _with_logo(piece: Piece) -> str:
    return "" if piece.logo.items else tr("There is no logo yet.")


def _backed(piece: Piece) -> str:
    return _with_logo(piece) or (
        "" if piece.logo.items[0].backing.kind != "none" else tr("The logo has no backing.")
    )


def _light(piece: Piece) -> str:
    return _with_picture(piece) or (
        "" if piece.picture.prepare.light.on else tr("Light is switched off on rung 3.")
    )


@dataclass(frozen=True)
class Setting:
    """One setting that can be swept.

    Attributes
    ----------
    key : str
        Path of the field in the piece, with dots; numbers are places in a list.
    label : str
    low, high : float
        Least and greatest value of use.
    factor, unit
        How people read it: value × factor, then the unit.
    whole : bool
        Only whole numbers.
    as_text : bool
        Whole numbers that the piece keeps as text.
    options : tuple of (value, str)
        Of a setting that is chosen from a list, with their words.
    why_not : callable
        Of the piece: why it cannot be swept now, in a sentence; empty: it can.
    """

    key: str
    label: str
    low: float = 0
    high: float = 1
    factor: float = 100
    unit: str = " %"
    whole: bool = False
    as_text: bool = False
    options: tuple[tuple[Value, str], ...] = ()
    why_not: Callable[[Piece], str] = _always

    def value(self, piece: Piece) -> Value:
        """Its value in a piece."""
        found: Any = piece
        for part in self.key.split("."):
            found = found[int(part)] if part.isdigit() else getattr(found, part)
        if found is None:  # as the rest
            return piece.blend.strength
        return found

    def put(self, piece: Piece, value: Value) -> Piece:
        """A piece with another value.

        Raises
        ------
        pydantic.ValidationError
            It is outside the field's range.
        """
        head, *rest = self.key.split(".")
        value = str(value) if self.as_text else value
        made = piece.model_copy(update={head: _put(getattr(piece, head), rest, value)})
        if self.key == "code.level":  # a raised level would be another one
            made = made.edited("code", raise_level=False)
        return made

    def usual(self, piece: Piece) -> tuple[float, float]:
        """Where a sweep of a piece starts and ends unless somebody says otherwise."""
        if self.key != "code.version":
            return self.low, self.high
        code = Code(level=piece.code.level, raise_level=False, charset=piece.code.charset)
        try:
            least = int(encode(piece.message, code).version)
        except (UserError, ValueError):
            return self.low, self.high
        return least, min(self.high, least + MORE_VERSIONS)

    def values(self, low: float, high: float, count: int) -> list[Value]:
        """Evenly spread values from one to another, both included, each once."""
        spread = np.linspace(low, high, max(1, count))
        if self.whole:
            return list(dict.fromkeys(int(v) for v in np.rint(spread)))
        return list(dict.fromkeys(round(float(v), 3) for v in spread))

    def text(self, value: Value) -> str:
        """A value as people read it."""
        for option, words in self.options:
            if option == value:
                return words
        if isinstance(value, str):
            return value
        shown = value * self.factor
        digits = 0 if self.whole or self.factor >= 100 else 2
        return f"{figure(shown, f'.{digits}f')}{self.unit}"


def _put(model: Any, path: list[str], value: Any) -> Any:
    if not path:
        return value
    head, *rest = path
    if isinstance(model, tuple):
        index = int(head)
        return (*model[:index], _put(model[index], rest, value), *model[index + 1 :])
    return type(model).model_validate(
        {**dict(model), head: _put(getattr(model, head), rest, value)}
    )


def _named(*names: str) -> tuple[tuple[str, str], ...]:
    return tuple((name, MODE_LABELS[name].capitalize()) for name in names)


SETTINGS: tuple[Setting, ...] = (
    Setting("blend.strength", tr("Strength"), 0.3, 1, why_not=_with_picture),
    Setting(
        "blend.method", tr("Blend method"),
        options=tuple(METHOD_LABELS.items()),
        why_not=_with_picture,
    ),
    Setting("blend.finders", tr("Strength of finders"), 0.3, 1, why_not=_with_picture),
    Setting("blend.quiet_strength", tr("Strength of the quiet zone"), 0.2, 1,
            why_not=_with_picture),
    Setting("blend.darks", tr("Dark modules"), 0.4, 1.6, why_not=_by("tone", "gentle")),
    Setting("blend.lights", tr("Light modules"), 0.4, 1.6, why_not=_by("tone", "gentle")),
    Setting(
        "blend.mode", tr("Blend mode"),
        options=_named("normal", "multiply", "screen", "overlay", "darken", "lighten",
                       "hard-light", "soft-light", "luminosity"),
        why_not=_by("overlay"),
    ),
    Setting("blend.dots.size", tr("Dot size"), 0.4, 0.9, why_not=_by("dots")),
    Setting("blend.dots.softness", tr("Dot softness"), 0, 1, why_not=_by("dots")),
    Setting("blend.marks.shape", tr_as("blend", "Marks"), options=tuple(MARK_LABELS.items()),
            why_not=_by(*MARKED)),
    Setting("blend.marks.size", tr("Size of the marks"), 0.6, 1, why_not=_by(*MARKED)),
    Setting("blend.marks.texture", tr("Texture in the marks"), 0, 1, why_not=_by(*MARKED)),
    Setting("blend.marks.border", tr("Border"), options=tuple(BORDER_LABELS.items()),
            why_not=_with_border),
    Setting("blend.cut.threshold", tr("Threshold of the cut"), 0.25, 0.75, why_not=_by("cut")),
    Setting("blend.cut.colour", tr("Colour of the cut"), 0, 1, why_not=_by("cut")),
    Setting("blend.grain.cells", tr("Grain"), 3, 7, 1, tr(" cells"), True, why_not=_by("grain")),
    Setting("blend.strokes.width", tr("Stroke width"), 0.15, 0.6, why_not=_by("strokes")),
    Setting("blend.strokes.gaps", tr("Gaps between strokes"), 0, 0.5, why_not=_by("strokes")),
    Setting("blend.light.edge", tr("Penumbra"), 0, 0.6, why_not=_by("light")),
    Setting("blend.light.rounding", tr("Rounded openings"), 0, 1, why_not=_by("light")),
    Setting("blend.light.warmth", tr("Warmth"), 0, 1, why_not=_by("light")),
    Setting("blend.weave.motif", tr("Motif kept"), 0, 1, why_not=_by("weave")),
    Setting("blend.weave.patch", tr("Patch size"), 0.6, 1.6, why_not=_by("weave")),
    Setting("blend.guarding", tr("Guard"), 0, 1, why_not=_guarded),
    Setting(
        "code.level", tr("Error correction level"), options=tuple((name, name) for name in "LMQH")
    ),
    Setting("code.version", tr("Version"), 1, 40, 1, "", True, as_text=True),
    Setting("code.mask", tr("Mask pattern"), 0, 7, 1, "", True),
    Setting("code.quiet_zone", tr("Quiet zone"), 0, 6, 1, tr(" modules"), True),
    Setting(
        "code.steer", tr("Steering"),
        options=(("off", tr("Off")), ("padding", tr("Padding")), ("tail", tr("Tail of digits"))),
        why_not=_with_picture,
    ),
    Setting("code.keep", tr("Spare to keep"), 0, 1, why_not=_steered),
    Setting("picture.prepare.light.contrast", tr("Picture contrast"), -0.6, 0.6, why_not=_light),
    Setting("picture.prepare.light.exposure", tr("Picture exposure"), -1, 1, 1, "", why_not=_light),
    Setting("logo.items.0.size", tr("Logo size"), 0.1, 0.4, why_not=_with_logo),
    Setting("logo.items.0.backing.margin", tr("Logo margin"), 0, 3, 1, tr(" modules"),
            why_not=_backed),
)  # fmt: skip
"""All that can be swept, in the order of the ladder of likely use."""


def setting(key: str) -> Setting:
    """The setting of a path; `KeyError` where there is none."""
    for each in SETTINGS:
        if each.key == key:
            return each
    raise KeyError(key)


@dataclass(frozen=True, eq=False)
class Cell:
    """One piece of a board.

    Attributes
    ----------
    index : int
        Its place: row × columns + column.
    values : tuple
        Of the settings.
    piece : Piece or None
        None where the values are not possible together.
    rendering : Rendering or None
    verdict : Verdict or None
        With the trials, and the fidelity where there is a picture.
    reach : float or None
        Passes over those of the usual code.
    error : str
        Why there is no code.
    """

    index: int
    values: tuple[Value, ...]
    piece: Piece | None
    rendering: Rendering | None = None
    verdict: Verdict | None = None
    reach: float | None = None
    error: str = ""


def board(
    piece: Piece, settings: Sequence[Setting], values: Sequence[Sequence[Value]]
) -> list[Cell]:
    """The pieces of a board, not judged yet: rows by the second setting, if there is one.

    Raises
    ------
    UserError
        More pieces than are of use.
    """
    columns = values[0]
    rows = values[1] if len(settings) > 1 else [None]
    if len(columns) * len(rows) > MOST_PIECES:
        raise UserError(
            tr("A board holds up to {most_pieces} pieces.", most_pieces=MOST_PIECES),
            tr("Take fewer steps."),
        )
    cells = []
    for row in rows:
        for column in columns:
            chosen = (column,) if row is None else (column, row)
            made, error = piece, ""
            try:
                for each, value in zip(settings, chosen, strict=True):
                    made = each.put(made, value)
            except ValueError:
                made, error = None, tr("This value is not possible.")
            cells.append(Cell(len(cells), chosen, made, error=error))
    return cells


def sweep(
    cells: Sequence[Cell],
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    size: Callable[[Piece], int],
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
) -> Iterator[Cell]:
    """Judge the pieces of a board, one after another.

    Parameters
    ----------
    cells : sequence of Cell
        From `board`.
    renderer : Renderer
    room : Room
    trials : sequence of Trial
        Those that are on count; none: the reach stays unknown.
    size : callable
        Longer side, in pixels, at which a piece is looked at.
    seed : int
    stop : callable
        Asked between frames; True: the sweep ends where it is.

    Yields
    ------
    Cell
        Each once, judged, or with why it cannot be.
    """
    for cell in cells:
        if stop():
            return
        if cell.piece is None:
            yield cell
            continue
        try:
            longer = size(cell.piece)
            found = prove(cell.piece, renderer, room, trials, longer, seed, stop)
        except Stopped:
            return
        except UserError as error:
            yield Cell(cell.index, cell.values, cell.piece, error=str(error))
            continue
        yield Cell(cell.index, cell.values, cell.piece, found.rendering, found.verdict, found.reach)
