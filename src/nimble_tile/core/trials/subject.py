"""What is looked at in a trial: an image and where the code lies on it, and the usual code.

The usual code is what every artwork is measured against: what a practitioner would make
without thinking. The same message, level H, the smallest version, automatic mask, black on
white, upright, filling the same square, quiet zone included. It depends on nothing else that
a piece sets, so a version that was chosen too large is a cost that is seen.
"""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np

from nimble_tile.core.errors import MessageError
from nimble_tile.core.judged import fair_size
from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.rendering import Rendering, plain_code
from nimble_tile.core.scan.framed import seen_at
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.trials.trial import Trial

PLAIN_MODULE = 10
"""Pixels a module of plain codes."""

PLAIN_MARGIN = 12
"""Modules of white round plain codes: their quiet zone, and paper beyond."""

STEERED_TAIL = re.compile(r"(https?://[^#]*)#\d{9,}", re.IGNORECASE)
"""A link with the tail of digits that steering puts after it."""


@dataclass(frozen=True, eq=False)
class Subject:
    """An image with a code on it.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    quad : ndarray of float64, 4 × 2
        Corners of the symbol without its quiet zone: top left, top right,
        bottom right, bottom left.
    symbol : Symbol
        What stands there.
    expected : str
        What a reader should read.
    own_size : float or None
        Side of the symbol on paper in mm, where it is known.
    quiet_zone : int or None
        Modules of its quiet zone, which belongs to the square that it fills; None: as many
        as the standard asks for.
    plain : bool
        Whether this is a plain code, black on white.
    """

    image: np.ndarray
    quad: np.ndarray
    symbol: Symbol
    expected: str
    own_size: float | None = None
    quiet_zone: int | None = None
    plain: bool = False

    @cached_property
    def digest(self) -> str:
        """Names the image's content, the code's place and the expected text."""
        found = hashlib.blake2b(np.ascontiguousarray(self.image), digest_size=20)
        for part in (self.image.shape, np.round(self.quad, 3).tolist(), self.expected,
                     self.symbol.version, self.symbol.level, self.symbol.mask,
                     self.quiet):  # fmt: skip
            found.update(repr(part).encode("utf-8", "surrogatepass"))
        return found.hexdigest()

    @property
    def edge(self) -> float:
        """Mean edge of the symbol in pixels of the image."""
        return float(np.hypot(*(np.roll(self.quad, -1, axis=0) - self.quad).T).mean())

    @property
    def matrix(self) -> np.ndarray:
        """From modules, counted from the symbol's corner, to pixels (3 × 3)."""
        return matrix_to(self.quad, self.symbol.side)

    @property
    def quiet(self) -> int:
        """Modules of quiet zone of the square that it fills."""
        return quiet_modules(self.symbol) if self.quiet_zone is None else self.quiet_zone

    @property
    def share(self) -> float:
        """Side of the symbol in parts of the square's."""
        return self.symbol.side / (self.symbol.side + 2 * self.quiet)

    @property
    def scale(self) -> float:
        """Side of the symbol in parts of the usual code's in the same square."""
        return self.share / self.usual.share

    @cached_property
    def usual(self) -> Subject:
        """The usual code in the same square."""
        made = usual_code(self.expected, self.symbol.micro, self.symbol)
        if self.own_size is None:
            return made
        return replace(made, own_size=self.own_size * made.share / self.share)

    @cached_property
    def twin(self) -> Subject:
        """The plain twin: the same symbol in its place, black on white, to compare modules."""
        if self.plain:
            return self
        made = plain_code_of(self.symbol, self.expected, self.own_size, self.quiet)
        made.__dict__["usual"] = self.usual
        return made

    def shown(self, trial: Trial) -> Trial:
        """The trial with this symbol as large as its square asks for: the size of a trial is
        that of the usual code."""
        if trial.shown.size is None or self.scale == 1:
            return trial
        shown = trial.shown.model_copy(update={"size": trial.shown.size * self.scale})
        return trial.model_copy(update={"shown": shown})


@lru_cache(256)
def usual_symbol(text: str, micro: bool = False) -> Symbol | None:
    """The symbol of the usual code: level H, or the highest that fits, in the smallest version.

    Parameters
    ----------
    text : str
        What the code says; of a steered link, all but its tail of digits counts.
    micro : bool
        Whether it is a Micro QR code, of which the usual one is one, too.

    Returns
    -------
    Symbol or None
        None where no symbol can be made of the text.
    """
    steered = STEERED_TAIL.fullmatch(text)
    message = Message(kind="text", text=steered.group(1) if steered else text)
    version, levels = ("micro", "QML") if micro else ("auto", "HQML")
    for level in levels:
        try:
            return encode(message, Code(level=level, version=version, raise_level=False))
        except (MessageError, UnicodeError):
            continue
    return None


def usual_code(text: str, micro: bool = False, otherwise: Symbol | None = None) -> Subject:
    """The usual code as the subject of trials; `otherwise`: the symbol that stands for it where
    none can be made of the text."""
    symbol = usual_symbol(text, micro) or otherwise
    return plain_code_of(symbol, symbol.text)


def plain_code_of(
    symbol: Symbol, expected: str, own_size: float | None = None, quiet_zone: int | None = None
) -> Subject:
    """A symbol in black on white by itself, nothing spent."""
    if symbol.spent is not None:
        symbol = replace(symbol, dark=symbol.dark ^ symbol.spent, spent=None)
    side = (symbol.side + 2 * PLAIN_MARGIN) * PLAIN_MODULE
    image = plain_code(symbol, PLAIN_MARGIN, side)
    low, high = PLAIN_MARGIN * PLAIN_MODULE, (PLAIN_MARGIN + symbol.side) * PLAIN_MODULE
    quad = np.array([[low, low], [high, low], [high, high], [low, high]], float)
    return Subject(image, quad, symbol, expected, own_size, quiet_zone, plain=True)


def subject_of(rendering: Rendering, dpi: float | None = None, full: int = 0) -> Subject:
    """A rendering as the subject of trials.

    Parameters
    ----------
    rendering : Rendering
    dpi : float, optional
        Pixels an inch on paper of the finished image.
    full : int
        Longer side of the finished image in pixels, where the rendering is a
        smaller preview of it.
    """
    quiet, side = rendering.quiet_zone, rendering.symbol.side
    square = quiet + np.array([[0, 0], [side, 0], [side, side], [0, side]], float)
    quad = mapped(rendering.matrix, square)
    found = Subject(
        rendering.image, quad, rendering.symbol, rendering.symbol.text, quiet_zone=quiet
    )
    if dpi is None:
        return found
    scale = (full or max(rendering.size)) / max(rendering.size)
    size = found.edge * scale / dpi * 25.4
    return replace(found, own_size=size)


def subject_on(image: np.ndarray, quad: np.ndarray, symbol: Symbol, expected: str) -> Subject:
    """A symbol on a finished image as the subject of trials, at the size at which all are judged.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    quad : ndarray, 4 × 2
        Corners of the symbol; its quiet zone is taken as the standard asks for it.
    symbol : Symbol
    expected : str
    """
    longer, modules = max(image.shape[:2]), symbol.side + 2 * quiet_modules(symbol)
    edge = float(np.hypot(*(np.roll(quad, -1, axis=0) - quad).T).mean())
    size = fair_size(longer, modules, edge * modules / symbol.side / longer)
    image, scale = seen_at(image, size)
    return Subject(np.ascontiguousarray(image), quad * scale, symbol, expected)


def quiet_modules(symbol: Symbol) -> int:
    """Quiet zone that the standard asks for, in modules."""
    return tables.QUIET_ZONE_MICRO if symbol.micro else tables.QUIET_ZONE
