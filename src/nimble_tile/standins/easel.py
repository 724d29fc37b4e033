"""Painters at work in a worker, so that they can be stopped at any moment."""

from __future__ import annotations

import threading
from collections.abc import Iterator

from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.workers.pool import Crew, Kind, TaskFailed, WorkerLost
from nimble_tile.core.workers.serving import task
from nimble_tile.standins import LOCAL_PAINTER
from nimble_tile.standins.painting import Request, State

PAINTERS = Kind(("cv2", "numpy"))


class Easel:
    """Where one painting after another is made.

    Parameters
    ----------
    painter : str
        Name of the entry point of the painter.
    """

    def __init__(self, painter: str = LOCAL_PAINTER) -> None:
        self.painter = painter
        self._crew = Crew(PAINTERS, 1)
        self._lock = threading.Lock()
        self._stops = 0

    def paint(self, request: Request, shown: int = 0) -> Iterator[State]:
        """Paint.

        Parameters
        ----------
        request : Request
        shown : int
            Longer side, in pixels, of the states before the last one; 0: only the last one.

        Raises
        ------
        UserError
            The painter says why it cannot, or has ended in the middle of its work.
        Stopped
            `stop` was called.
        """
        with self._lock:
            stops = self._stops
        try:
            yield from self._crew.stream(states, self.painter, request, shown)
        except TaskFailed as failure:
            raise UserError(
                tr("The painter failed ({told}).", told=failure), tr("Try other words.")
            ) from None
        except (WorkerLost, MemoryError) as error:
            if stops != self._stops:
                raise Stopped from None
            raise UserError(
                tr("The painter ended in the middle of its work."), tr("Try again.")
            ) from error

    def stop(self) -> None:
        """End what is being painted, at once; the next painting begins anew."""
        with self._lock:
            self._stops += 1
        self._crew.stop()

    def close(self) -> None:
        """End the worker."""
        self.stop()
        self._crew.rest()


@task
def states(name: str, request: Request, shown: int) -> Iterator[State]:
    """What a painter makes of a request, as a worker is asked for it; see `Easel.paint`."""
    import cv2

    from nimble_tile.standins import painters

    if name not in painters():
        raise UserError(
            tr("There is no painter {name} any more.", name=name), tr("Choose another one.")
        )
    last = None
    for last in painters()[name].paint(request):
        if last.step == last.steps or not shown:
            continue
        scale = min(1.0, shown / max(last.image.shape[:2]))
        small = cv2.resize(last.image, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        yield State(small, last.step, last.steps)
    if last is not None:
        # However many steps a painter takes: this one is finished.
        yield State(last.image, last.steps, last.steps)
