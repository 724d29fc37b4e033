"""What helps a piece that scans badly: remedies that were tried before they are offered.

A reason without a remedy is better than a remedy that cannot help: strength that is at its end
already cannot be raised, and a code without a picture has none.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.look import BLACK, WHITE, Look
from nimble_tile.core.piece import Piece
from nimble_tile.core.relief import Relief
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.judging import missing, sampled
from nimble_tile.core.scan.sampling import Sample
from nimble_tile.core.scan.verdict import Reason, ReasonKind, Verdict

MODULE_PIXELS = 8.0
"""Pixels a module at which remedies are tried."""

LEAST_SIZE = 0.02
"""Of a logo."""

SMALL_MODULE = 4.0
"""Pixels a module of the finished image below which a larger one is a remedy."""

MORE_SPARE, LESS_WEAK, MORE_MARGIN = 0.06, 0.02, 0.02
"""What counts as better: spare, share of modules that are wrong or weak (or of the quiet zone that
is dark), and the margin that nine tenths of the modules have."""

FINDERS: frozenset[ReasonKind] = frozenset({"pattern"})
QUIET: frozenset[ReasonKind] = frozenset({"quiet zone"})
COVERED: frozenset[ReasonKind] = frozenset({"covered"})
MODULES: frozenset[ReasonKind] = frozenset(
    {"hardly shows", "too many errors", "pattern", "quiet zone", "weak", "faded", "little spare",
     "not read"}
)  # fmt: skip
LEVEL: frozenset[ReasonKind] = frozenset({"too many errors", "little spare", "covered"})


@dataclass(frozen=True)
class Remedy:
    """A change that may help.

    Attributes
    ----------
    text : str
        What to do.
    causes : frozenset of str
        Kinds of reasons that it is for.
    made : callable
        The piece with the change as far as it goes; None where there is nothing to change.
    """

    text: str
    causes: frozenset[ReasonKind]
    made: Callable[[Piece], Piece | None]


def _blended(piece: Piece) -> bool:
    return piece.picture.digest is not None


def _quiet(piece: Piece) -> Piece | None:
    if not _blended(piece) or (piece.blend.quiet == "plain" and piece.blend.quiet_strength == 1):
        return None
    return piece.edited("blend", quiet="plain", quiet_strength=1)


def _finders(piece: Piece) -> Piece | None:
    own = piece.blend.finders
    if not _blended(piece) or own == 1:
        return None
    return piece.edited("blend", finders=1)


def _strength(piece: Piece) -> Piece | None:
    if not _blended(piece) or piece.blend.strength == 1:
        return None
    blend = piece.blend
    rest = {name: 1 for name in ("finders", "quiet_strength") if getattr(blend, name) is not None}
    return piece.edited("blend", strength=1, **rest)


def _even(piece: Piece) -> Piece | None:
    return None if piece.blend.map is None else piece.edited("blend", map=None)


def _unguarded(piece: Piece) -> Piece | None:
    if piece.picture.guard is None or piece.blend.guarding == 0:
        return None
    return piece.edited("blend", guarding=0)


def _small_logo(piece: Piece) -> Piece | None:
    items = piece.logo.items
    if not items:
        return None
    less = tuple(item.model_copy(update={"size": max(LEAST_SIZE, item.size / 4)}) for item in items)
    return piece.model_copy(update={"logo": piece.logo.model_copy(update={"items": less})})


def _unpainted(piece: Piece) -> Piece | None:
    return None if piece.logo.paint is None else piece.edited("logo", paint=None)


def _uncaptioned(piece: Piece) -> Piece | None:
    return piece.edited("caption", items=()) if piece.caption.items else None


def _contrast(piece: Piece) -> Piece | None:
    plain = {"fill": BLACK, "ring_fill": None, "eye_fill": None, "ground": WHITE,
             "finders": piece.look.uncoloured_finders}  # fmt: skip
    changed = piece.look.model_copy(update=plain)
    return None if changed == piece.look or _blended(piece) else _with(piece, changed)


def _squarer(piece: Piece) -> Piece | None:
    look = piece.look
    plain = Look(
        fill=look.fill, ring_fill=look.ring_fill, eye_fill=look.eye_fill, ground=look.ground,
        relief=look.relief,
    )  # fmt: skip
    none = {"ring": None, "eye": None, "ring_own": None, "eye_own": None}
    finders = tuple(own.model_copy(update=none) for own in look.finders)
    changed = plain.model_copy(update={"name": look.name, "finders": finders})
    return None if changed == look else _with(piece, changed)


def _flat(piece: Piece) -> Piece | None:
    changed = piece.look.model_copy(update={"relief": Relief()})
    return None if changed == piece.look else _with(piece, changed)


def _with(piece: Piece, look: Look) -> Piece:
    return piece.model_copy(update={"look": look.model_copy(update={"name": ""})})


def _higher(piece: Piece) -> Piece | None:
    if piece.code.level == "H" or piece.picture.pixels is not None:
        return None
    return piece.edited("code", level="H", version="auto", raise_level=False)


def _surer(piece: Piece) -> Piece | None:
    blend = piece.blend
    if not _blended(piece) or (blend.method, blend.strength) == ("tone", 1):
        return None
    return piece.edited("blend", method="tone", strength=1, finders=None, quiet_strength=None)


REMEDIES = (
    Remedy(tr("Raise the strength of the finders."), FINDERS, _finders),
    Remedy(tr("Give the quiet zone a plain ground."), QUIET, _quiet),
    Remedy(tr("Make the logo smaller."), COVERED, _small_logo),
    Remedy(tr("Free a part of the painted plate."), COVERED | MODULES, _unpainted),
    Remedy(tr("Move the caption off the code, or take it away."), COVERED, _uncaptioned),
    Remedy(tr("Raise the strength."), MODULES, _strength),
    Remedy(tr("Give all modules the same strength."), MODULES, _even),
    Remedy(tr("Let the guard hold less."), MODULES, _unguarded),
    Remedy(tr("Make the logo smaller."), MODULES, _small_logo),
    Remedy(tr("Choose colours farther apart: dark modules on a light ground."), MODULES, _contrast),
    Remedy(tr("Choose squarer shapes for modules and finders."), MODULES, _squarer),
    Remedy(tr("Take the effects of light away."), MODULES, _flat),
    Remedy(tr("Blend it by tone: that shows the code most surely."), MODULES, _surer),
    Remedy(tr("Raise the error correction level."), LEVEL, _higher),
)
"""In the order in which they are tried: what changes least comes first."""


def remedied(
    verdict: Verdict, piece: Piece, renderer: Renderer, rendering: Rendering, bay: ReaderBay,
    stop: Callable[[], bool] = lambda: False,
) -> Verdict:  # fmt: skip
    """A verdict on a piece with the remedies that help, each tried before it is offered.

    Parameters
    ----------
    verdict : Verdict
        Of `rendering`.
    piece : Piece
    renderer : Renderer
    rendering : Rendering
        Of the piece.
    bay : ReaderBay
    stop : callable
        Asked between tries; True: the rest stays without remedies.
    """
    if rendering.arranged or piece.layout.digest is not None or verdict.sample is None:
        return replace(verdict, helps=_usual(piece))
    trying = _Trying(piece, renderer, rendering, bay, stop)
    reasons = tuple(
        reason if reason.way_out else replace(reason, way_out=trying.for_cause(reason.cause))
        for reason in verdict.reasons
    )
    helps = next((reason.way_out for reason in reasons if reason.cause in MODULES and
                  reason.way_out), "") or _usual(piece)  # fmt: skip
    return replace(verdict, reasons=_once(reasons), helps=helps)


def _once(reasons: tuple[Reason, ...]) -> tuple[Reason, ...]:
    """Each remedy with the first reason that it is for."""
    said: set[str] = set()
    told = []
    for reason in reasons:
        told.append(replace(reason, way_out="") if reason.way_out in said else reason)
        said.add(reason.way_out)
    return tuple(told)


def _usual(piece: Piece) -> str:
    """What helps a piece in trials, as a rule."""
    if _strength(piece) is not None:
        return tr("Raise the strength.")
    return ""


class _Trying:
    """Remedies tried on one piece, each once."""

    def __init__(self, piece: Piece, renderer: Renderer, rendering: Rendering, bay: ReaderBay,
                 stop: Callable[[], bool]) -> None:  # fmt: skip
        self.piece, self.renderer, self._bay, self._stop = piece, renderer, bay, stop
        longer, module = max(rendering.size), rendering.code_side / rendering.modules
        self._module, self._longer = module, longer
        self._size = max(160, min(longer, round(longer * MODULE_PIXELS / max(module, 0.1))))
        self._known: dict[Callable, _Tried | None] = {}

    def for_cause(self, cause: ReasonKind) -> str:
        """The first remedy that helps; empty: none does."""
        for remedy in REMEDIES:
            if cause in remedy.causes and self._helps(remedy, cause):
                return remedy.text
        return self._larger(cause)

    def _larger(self, cause: ReasonKind) -> str:
        size = self.piece.finish.size
        if cause not in MODULES or size is None or self.piece.picture.pixels is not None:
            return ""
        module = self._module * size / self._longer
        return tr("Make the image larger.") if module < SMALL_MODULE else ""

    def _helps(self, remedy: Remedy, cause: ReasonKind) -> bool:
        after = self._tried(remedy.made)
        before = None if after is None else self._tried(lambda piece: piece, "before")
        if after is None or before is None:
            return False
        new, old = after.sample, before.sample
        if new.spare > old.spare + MORE_SPARE:
            return True
        if new.spare < old.spare - 1e-6 or new.spare == 0:
            return False
        better = (
            _doubtful(new) < _doubtful(old) - LESS_WEAK or _least(new) > _least(old) + MORE_MARGIN
        )
        if cause == "quiet zone":
            better |= new.quiet_zone > old.quiet_zone + LESS_WEAK
        # Where nothing is wrong with the modules, the readers themselves are asked.
        left = before.missing(self._bay) if better else 0
        return better and (after.missing(self._bay) < left or left == 0)

    def _tried(self, made: Callable[[Piece], Piece | None], key: object = None) -> _Tried | None:
        key = key or made
        if key not in self._known:
            self._known[key] = None if self._stop() else self._try(made)
        return self._known[key]

    def _try(self, made: Callable[[Piece], Piece | None]) -> _Tried | None:
        try:
            changed = made(self.piece)
            return None if changed is None else _Tried(self.renderer.render(changed, self._size))
        except (UserError, ValueError):  # not possible together with the rest
            return None


class _Tried:
    """A rendering with what is known of it."""

    def __init__(self, rendering: Rendering) -> None:
        self._rendering, self.sample = rendering, sampled(rendering)
        self._missing: int | None = None

    def missing(self, bay: ReaderBay) -> int:
        """How many readers do not read it."""
        if self._missing is None:
            self._missing = missing(self._rendering, bay)
        return self._missing


def _least(sample: Sample) -> float:
    """What nine tenths of the modules have as their margin at least."""
    return float(np.quantile(sample.margin, 0.1))


def _doubtful(sample: Sample) -> float:
    return float(sample.wrong.mean()) + float(sample.weak.mean())
