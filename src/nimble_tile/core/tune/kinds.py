"""What the pass tries: kinds of candidates of the gentle blend, and of the weave."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import TESSERAE, Blend, Code, Marks, Piece
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.tune import guess
from nimble_tile.core.tune.guess import Trait

if TYPE_CHECKING:
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.symbol.encode import Symbol

LEVELS_TRIED = (("L", 3, 0.62), ("M", 2, 0.5), ("Q", 1, 0.45))
"""Levels that are tried, with how many versions of each, from the smallest on, and the strength
at which these are compared. A low level leaves free bits that follow the picture, a higher one
lets more modules be missed."""

WOVEN_LEVELS = (("L", 2, 0.5), ("M", 2, 0.45), ("Q", 1, 0.42))
"""The same for weaves: a large version has smaller patches, which say less of the picture."""

_OTHERWISE = {"L": 0.62, "M": 0.55, "Q": 0.5, "H": 0.5}
"""Strength at which a level is compared that is not chosen by the pass."""

SHARINGS = tuple((finders, quiet) for quiet in (0.0, -0.2, 0.2) for finders in (0.0, 0.15, 0.3))
"""Strengths of finders and of the quiet zone that are tried, beyond that of the rest."""

MATCHED = 0.53
"""Likeness that a mask gains by each unit of weighted match: measured on six photographs, where
it explains more than half of the variance between masks."""

WEAVINGS = ((1.0, 0), (1.0, 1), (1.3, 0), (0.8, 0), (1.3, 1))
"""Sizes of patches that are tried, and what is added to the piece's own seed."""


MARKINGS = ({"border": "marks"}, {"by": "size"})
"""Ways of marking that are tried where the designer has chosen none: what differs from usual
marks. By what one look promises at a reach of 0.90, each of them was best on some of fifteen
photographs; other shapes, sizes and borders were on none, or hardly."""

WOVEN_MARKINGS = ({"border": "marks"},)
"""The same for weaves, whose marks are stones among the patches."""


@dataclass(frozen=True)
class Effort:
    """How much is looked at.

    Attributes
    ----------
    own : int
        Looks at the piece's own blend with other strengths.
    candidates : int
        Candidates that readers look at after the first comparison.
    rendered : int
        Candidates that are rendered then: some turn out to be less alike than the best.
    confirmed, at_most : int
        Candidates that are looked at elsewhere; and where none of these holds.
    brief : bool
        One symbol of each level is tried.
    markings : int
        Ways of marking that are tried beside the usual one.
    """

    own: int = 2
    candidates: int = 7
    rendered: int = 11
    confirmed: int = 4
    at_most: int = 9
    brief: bool = False
    markings: int = 2


THOROUGH = Effort()

WEAVING = Effort(own=1, candidates=4, rendered=6, confirmed=6, markings=1)
"""For weaves, which take longer to render, and gain most by strengths of their own."""


class Gentle:
    """Kinds of the gentle blend: symbol, mask, and how strengths are shared."""

    method = "gentle"
    reach, likeness = guess.REACH, guess.LIKENESS
    variants = tuple(range(8))  # masks
    each_brings = 0.01  # likeness that strengths of their own bring, about, at the same reach

    levels = property(lambda self: LEVELS_TRIED)
    others = MARKINGS

    def __init__(self, piece: Piece, brief: bool = False) -> None:
        self.piece = piece
        turned = piece.blend.turned(self.method)
        self.marks = turned.marks
        self.unchosen = self.marks in (Marks(), TESSERAE) and turned.by_marks
        self._lead: dict[Marks, tuple[float, float]] = {self.marks: (0.0, 0.0)}
        self.symbols = symbols_for(piece, self.levels)
        if brief:
            self.symbols = one_a_level(self.symbols)
        self._matches: list[np.ndarray] = []

    def first(self) -> list[Piece]:
        """A candidate of each symbol, to compare them."""
        return [
            self._with(version, level, dict(self._starts)[level]) for version, level in self.symbols
        ]

    @property
    def _starts(self) -> dict[str, float]:
        return {**_OTHERWISE, **{level: strength for level, _, strength in self.levels}}

    def markings(self, most: int) -> list[Marks]:
        """Other ways of marking that may be tried, `most` at most; none where one was chosen."""
        if not self.unchosen:
            return []
        return [self.marks.model_copy(update=other) for other in self.others[:most]]

    def take(self, marks: Marks, reach: float, worth: float) -> None:
        """From now on mark so, which adds this much to a candidate's reach and worth."""
        self._lead = {known: (r + reach, w + worth) for known, (r, w) in self._lead.items()}
        self._lead[marks] = (0.0, 0.0)
        self.marks = marks

    def lead(self, piece: Piece) -> tuple[float, float]:
        """What a candidate would gain in reach and worth, were it marked as others are now."""
        return self._lead.get(piece.blend.marks, (0.0, 0.0))

    def compared(self, renderer: Renderer) -> None:
        """The symbols have been compared: learn what tells variants apart without a look."""
        self._matches = [renderer.matches(piece) for piece in self.first()]

    def gains(self, kinds: Sequence[Trait]) -> np.ndarray:
        """Likeness that variants gain beyond the best of their version."""
        return MATCHED * np.array([self._matches[k.version][k.variant] for k in kinds])

    def every(self) -> list[Trait]:
        """All kinds."""
        return [
            Trait(version, variant, *sharing)
            for version in range(len(self.symbols))
            for variant in range(len(self.variants))
            for sharing in SHARINGS
        ]

    def made(self, kind: Trait, strength: float) -> Piece:
        """A candidate."""
        made = self._with(*self.symbols[kind.version], strength)
        return _shared(made.edited("code", mask=self.variants[kind.variant]), kind)

    def follows(self, piece: Piece) -> bool:
        """Whether a piece tells about the kinds."""
        blend = piece.blend
        return blend.method == self.method and blend.map is None and piece.code.steer != "off"

    def kind_of(self, piece: Piece, symbol: Symbol) -> Trait | None:
        """The kind of a candidate; None for others."""
        if not self.follows(piece) or piece.blend.marks not in self._lead:
            return None
        blend, variant = piece.blend, self._variant(piece, symbol)
        strength = blend.strength
        finders = strength if blend.finders is None else blend.finders
        quiet = strength if blend.quiet_strength is None else blend.quiet_strength
        known = [
            sharing for sharing in SHARINGS
            if (_at(strength, sharing[0]), _at(strength, sharing[1])) == (finders, quiet)
        ]  # fmt: skip
        version = (symbol.version, symbol.level)
        if version not in self.symbols or variant is None or not known:
            return None
        return Trait(self.symbols.index(version), variant, *known[0])

    def _variant(self, piece: Piece, symbol: Symbol) -> int | None:
        return symbol.mask

    def _with(self, version: str, level: str, strength: float) -> Piece:
        old = self.piece
        blend = Blend(
            method="gentle", strength=strength, guarding=old.blend.guarding,
            quiet=old.blend.quiet, marks=self.marks,
        )  # fmt: skip
        return old.model_copy(update={"code": code_of(old, version, level), "blend": blend})


class Woven(Gentle):
    """Kinds of the weave: symbol, size of patches and seed, and how strengths are shared."""

    method = "weave"
    reach, likeness = guess.WOVEN_REACH, guess.WOVEN_LIKENESS
    variants = WEAVINGS
    each_brings = 0.05
    levels = property(lambda self: WOVEN_LEVELS)
    others = WOVEN_MARKINGS

    def compared(self, renderer: Renderer) -> None:
        pass  # what a weaving looks like is not known before it is woven

    def gains(self, kinds: Sequence[Trait]) -> np.ndarray:
        return np.zeros(len(kinds))

    def made(self, kind: Trait, strength: float) -> Piece:
        made = self._with(*self.symbols[kind.version], strength)
        patch, further = WEAVINGS[kind.variant]
        own = self.piece.blend.weave
        weave = own.model_copy(update={"patch": patch, "seed": (own.seed + further) % 10_000})
        return _shared(made.edited("blend", weave=weave), kind)

    def _variant(self, piece: Piece, symbol: Symbol) -> int | None:
        weave, seed = piece.blend.weave, self.piece.blend.weave.seed
        found = (weave.patch, (weave.seed - seed) % 10_000)
        return WEAVINGS.index(found) if found in WEAVINGS else None

    def _with(self, version: str, level: str, strength: float) -> Piece:
        old = self.piece
        weave = old.blend.weave.model_copy(update={"patch": 1.0})
        blend = Blend(
            method="weave", strength=strength, guarding=old.blend.guarding,
            quiet=old.blend.quiet, weave=weave, marks=self.marks,
        )  # fmt: skip
        return old.model_copy(update={"code": code_of(old, version, level), "blend": blend})


def kinds_for(piece: Piece, brief: bool = False) -> Gentle:
    """The kinds that the pass tries for a piece: weaves where it is woven."""
    return (Woven if piece.blend.method == "weave" else Gentle)(piece, brief)


def one_a_level(symbols: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    """One symbol of each level: the smallest, but of level L, where free bits count most, the
    one in the middle."""
    found = {}
    for level in dict.fromkeys(level for _, level in symbols):
        own = [one for one in symbols if one[1] == level]
        found[level] = own[len(own) // 2 if level == "L" else 0]
    return list(found.values())


def symbols_for(piece: Piece, levels: Sequence[tuple[str, int, float]]) -> list[tuple[str, str]]:
    """Versions and levels that are tried; the piece's own level alone where something is laid
    on the code."""
    if piece.logo.items or piece.logo.paint is not None:
        # Without its own error correction nothing could be read below what is laid on it.
        levels = [(piece.code.level, levels[0][1] + 1, 0.0)]
    found = []
    for level, count, _ in levels:
        code = Code(level=level, raise_level=False, charset=piece.code.charset)
        try:
            least = int(encode(piece.message, code).version)
        except MessageError:
            continue
        found += [(str(v), level) for v in range(least, min(40, least + count - 1) + 1)]
    if not found:
        raise UserError(tr("The message does not fit."), tr("Shorten it."))
    return found


def code_of(piece: Piece, version: str, level: str) -> Code:
    """The piece's code in a version and level, steered, its mask free."""
    steer = "tail" if piece.code.steer == "tail" else "padding"
    return piece.code.model_copy(
        update={"version": version, "level": level, "raise_level": False, "steer": steer,
                "mask": "auto", "keep": 1.0}
    )  # fmt: skip


def _at(strength: float, beyond: float) -> float:
    return round(float(np.clip(strength + beyond, 0.1, 1)), 3)


def _shared(piece: Piece, kind: Trait) -> Piece:
    """A candidate with its own strengths for finders and for the quiet zone."""
    strength = piece.blend.strength
    return piece.edited(
        "blend",
        finders=_at(strength, kind.finders) if kind.finders else None,
        quiet_strength=_at(strength, kind.quiet) if kind.quiet else None,
    )
