"""What each rung costs: the piece without it through the same trials.

Without a rung means: its part of the work undone, all else kept. The message has no
"without"; the code rung is plain modules in the smallest version there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from nimble_tile.core.additions import Captions, Layout, Logos, Surround
from nimble_tile.core.artwork import Picture
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.look import Look
from nimble_tile.core.piece import Blend, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import sampled
from nimble_tile.core.symbol import tables
from nimble_tile.core.trials.reach import reach
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import subject_of
from nimble_tile.core.trials.trial import Trial

RUNGS = ("code", "picture", "blend", "logo", "finish")
"""Rungs that can cost something, in the ladder's order."""

WITHOUT = {
    "code": tr("with plain modules in the smallest version"),
    "picture": tr("without the picture"),
    "blend": tr("with the code laid plainly on the picture"),
    "logo": tr("without logos"),
    "finish": tr("without caption, frame and layout"),
}
"""What the piece is compared with, in words."""


@dataclass(frozen=True)
class Cost:
    """What one rung takes.

    Attributes
    ----------
    rung : str
        One of `RUNGS`.
    reach, spare : float or None
        Without this rung less with it, both 0 to 1: what it takes; negative
        where it gives. None where one of them is not known.
    reach_without : float or None
    """

    rung: str
    reach: float | None
    spare: float | None
    reach_without: float | None


def without(piece: Piece, rung: str) -> Piece | None:
    """The piece without one rung's part; None where the rung does nothing there."""
    if rung == "code":
        old = piece.code.version
        version = "micro" if old == "micro" or tables.is_micro(old) else "auto"
        changed = {"look": Look(), "code": piece.code.model_copy(update={"version": version})}
        there = not piece.look.plain or old != version
    elif rung == "picture":
        changed = {"picture": Picture()}
        there = piece.picture.digest is not None
    elif rung == "blend":
        changed = {"blend": Blend(method="overlay", strength=1, quiet="plain", guarding=0)}
        there = piece.picture.digest is not None
    elif rung == "logo":
        changed = {"logo": Logos()}
        there = bool(piece.logo.items) or piece.logo.paint is not None
    else:
        changed = {"caption": Captions(), "surround": Surround(), "layout": Layout()}
        there = any(getattr(piece, name) != empty for name, empty in changed.items())
    return piece.model_copy(update=changed) if there else None


def costs(
    renderer: Renderer,
    room: Room,
    piece: Piece,
    trials: Sequence[Trial],
    size: int,
    with_all: tuple[float | None, float | None],
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
) -> Iterator[Cost]:
    """Costs of the rungs that take part, each as soon as it is known.

    Parameters
    ----------
    renderer, room
    piece : Piece
    trials : sequence of Trial
    size : int
        Longer side at which the piece was rendered.
    with_all : (float or None, float or None)
        Reach and spare of the piece as it is.
    seed : int
    stop : callable
        Asked often; True: the run ends where it is.

    Yields
    ------
    Cost
    """
    whole, spare = with_all
    for rung in RUNGS:
        bare = without(piece, rung)
        if bare is None:
            continue
        if stop():
            return
        try:
            rendering = renderer.render(bare, size)
            full = bare.finish.size or renderer.natural_size(bare)
        except UserError:
            continue  # the other parts depend on it
        smallest = rendering.symbol.version == renderer.symbol(piece).version
        if rung == "code" and piece.look.plain and smallest:
            continue
        subject = subject_of(rendering, bare.finish.dpi, full)
        results = list(room.run(subject, trials, seed, stop))
        if stop():
            return
        spared = sampled(rendering).spare
        other = reach(results)
        yield Cost(
            rung,
            None if None in (whole, other) else other - whole,
            None if spare is None else spared - spare,
            other,
        )
