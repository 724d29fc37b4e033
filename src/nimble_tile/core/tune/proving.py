"""What a piece is worth: its verdict and its reach, found as everywhere in the program."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from nimble_tile.core.errors import Stopped
from nimble_tile.core.judged import judged_size
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.trials.outlook import settle
from nimble_tile.core.trials.reach import reach
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import subject_of
from nimble_tile.core.trials.trial import Trial


@dataclass(frozen=True, eq=False)
class Proved:
    """A piece with the answer to it.

    Attributes
    ----------
    rendering : Rendering
    verdict : Verdict
        With the trials.
    reach : float or None
        Passes over those of the usual code; None without trials.
    """

    rendering: Rendering
    verdict: Verdict
    reach: float | None


def prove(
    piece: Piece,
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    size: int | None = None,
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
) -> Proved:
    """Render a piece and put it through readers and trials.

    Parameters
    ----------
    piece : Piece
    renderer : Renderer
    room : Room
    trials : sequence of Trial
        Those that are on count; none: the reach stays unknown.
    size : int, optional
        Longer side at which it is looked at; None: as everywhere.
    seed : int
    stop : callable
        Asked between frames.

    Raises
    ------
    UserError
        There is no code, or no place for it.
    Stopped
        `stop` said so.
    """
    rendering = renderer.render(piece, size or judged_size(piece, renderer))
    verdict = judge_rendering(rendering, room.bay)
    full = piece.finish.size or renderer.natural_size(piece)
    subject = subject_of(rendering, piece.finish.dpi, full)
    # Small frames too, so that a room which is shared has all that a wall shows.
    wanted = [trial for trial in trials if trial.on]
    results = list(room.run(subject, wanted, seed, stop, thumbs=True))
    if stop():
        raise Stopped
    return Proved(rendering, settle(verdict, results), reach(results))
