"""What a piece is worth: its verdict and its reach, found as everywhere in the program."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.errors import Stopped
from nimble_tile.core.judged import judged_size
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.remedies import remedied
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
    through: Callable[[np.ndarray], np.ndarray] | None = None,
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
    through : callable, optional
        What becomes of the finished image (uint8 H × W × 3 sRGB) before it is looked at.

    Raises
    ------
    UserError
        There is no code, or no place for it.
    Stopped
        `stop` said so.
    """
    rendering = renderer.render(piece, size or judged_size(piece, renderer))
    if through is not None:
        changed = through(renderer.render(piece).image)
        rendering = replace(rendering, image=_as_large(changed, rendering.size), rgba=None)
    verdict = judge_rendering(rendering, room.bay)
    if through is None:
        verdict = remedied(verdict, piece, renderer, rendering, room.bay, stop)
    full = piece.finish.size or renderer.natural_size(piece)
    subject = subject_of(rendering, piece.finish.dpi, full)
    # Small frames too, so that a room which is shared has all that a wall shows.
    wanted = [trial for trial in trials if trial.on]
    results = list(room.run(subject, wanted, seed, stop, thumbs=True))
    if stop():
        raise Stopped
    return Proved(rendering, settle(verdict, results), reach(results))


def _as_large(image: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    import cv2

    if (image.shape[1], image.shape[0]) == size:
        return np.ascontiguousarray(image)
    return cv2.resize(np.ascontiguousarray(image), size, interpolation=cv2.INTER_AREA)
