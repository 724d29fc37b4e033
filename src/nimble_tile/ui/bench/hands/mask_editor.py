"""Puts strokes of a brush into a mask, one after another, away from the window's thread."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr

if TYPE_CHECKING:
    from nimble_tile.core.picture.store import Lease
    from nimble_tile.core.picture.strokes import Stroke
    from nimble_tile.ui.work.jobs import Jobs, Progress


class MaskEditor(QObject):
    """Strokes wait in line: each is painted on the mask that the one before left in the piece.

    Parameters
    ----------
    jobs : Jobs
    current : callable
        ``() -> (key, mask)``: what is painted on (a stroke is dropped when this key has
        changed by the time its turn comes) and the digest of its mask, or None.
    paint : callable
        ``(pictures, stroke, key, mask) -> digest``: the mask after the stroke, taken in by the
        job's lease; runs in the worker.
    put : callable
        ``(stroke, digest)``: takes the new mask into the piece.
    failed : callable
        ``(UserError)``.
    """

    def __init__(
        self,
        jobs: Jobs,
        current: Callable[[], tuple[object, str | None]],
        paint: Callable[[Lease, Stroke, object, str | None], str],
        put: Callable[[Stroke, str], None],
        failed: Callable[[UserError], None],
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._jobs = jobs
        self._current, self._paint, self._put, self._failed = current, paint, put, failed
        self._line: deque[tuple[Stroke, object]] = deque()
        self._busy = False

    def take(self, stroke: Stroke) -> None:
        """A stroke is finished: paint it as soon as those before it are in the piece."""
        self._line.append((stroke, self._current()[0]))
        self._next()

    def _next(self) -> None:
        while not self._busy and self._line:
            stroke, key = self._line[0]
            now, mask = self._current()
            if now != key:
                self._line.popleft()
                continue
            self._busy = True

            def work(progress: Progress, stroke=stroke, key=key, mask=mask) -> str:
                if stroke.tool == "rough":
                    progress.step(tr("Finding the subject"), 0.2)
                return self._paint(progress.pictures, stroke, key, mask)

            def done(painted: str, stroke=stroke, key=key, mask=mask) -> None:
                self._busy = False
                if self._current() == (key, mask):
                    self._line.popleft()
                    self._put(stroke, painted)
                # Otherwise an undo came in between: it is painted again on what is there now.
                self._next()

            def failed(error: UserError) -> None:
                self._busy = False
                self._line.popleft()
                self._failed(error)
                self._next()

            self._jobs.start(work, done, failed)
