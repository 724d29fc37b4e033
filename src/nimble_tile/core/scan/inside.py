"""Readers within this process, where losing it costs little: a worker of a batch.

Nothing is sent from process to process, which on a virtual machine takes as long as three of
the four readers. In return a reader that crashes takes this process down, and one that hangs is
ended with it: whoever started the process has to begin again, with a
`nimble_tile.core.scan.bay.ReaderBay`.
"""

from __future__ import annotations

import signal
import time
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from nimble_tile.core.scan import readers as _readers
from nimble_tile.core.scan.bay import TIME_LIMIT, Outcome, outcome_of
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.worker import answer_of
from nimble_tile.core.workers.pool import LEAST_PATIENCE

if TYPE_CHECKING:
    import numpy as np


class ReadersInside:
    """All readers, one after another, asked as a `ReaderBay` is.

    Parameters
    ----------
    time_limit : float
        Seconds of processor time for one reader on one image. Beyond it the system ends this
        process.
    patience : float
        Seconds of the clock for the same, against readers that hang without working.
    """

    def __init__(self, time_limit: float = TIME_LIMIT, patience: float = LEAST_PATIENCE) -> None:
        self.time_limit, self.patience = time_limit, patience
        self._readers = {name: make() for name, make in _readers.READERS.items()}

    def warm(self) -> None:
        """Nothing is to be started."""

    def read(
        self,
        image: np.ndarray,
        names: Sequence[str] = _readers.READER_NAMES,
        meanwhile: Sequence[Callable[[], object]] = (),
    ) -> list[Outcome]:
        """Let readers look at an image; as `ReaderBay.read`."""
        return self.read_all([image], names, meanwhile)[0]

    def read_all(
        self,
        images: Sequence[np.ndarray],
        names: Sequence[str] = _readers.READER_NAMES,
        meanwhile: Sequence[Callable[[], object]] = (),
    ) -> list[list[Outcome]]:
        """Let readers look at several images; as `ReaderBay.read_all`."""
        greys = [to_grey(image) for image in images]
        found = [[self._one(name, grey) for name in names] for grey in greys]
        for task in meanwhile:
            task()
        return found

    def _one(self, name: str, grey: np.ndarray) -> Outcome:
        begun = time.perf_counter()
        # The signals' usual effect is the end of the process, also within a library that
        # never comes back.
        signal.setitimer(signal.ITIMER_PROF, self.time_limit)
        signal.setitimer(signal.ITIMER_REAL, self.patience)
        try:
            answer = answer_of(self._readers[name], grey)
        finally:
            signal.setitimer(signal.ITIMER_PROF, 0)
            signal.setitimer(signal.ITIMER_REAL, 0)
        return outcome_of(name, answer, time.perf_counter() - begun)

    def close(self) -> None:
        """Nothing is to be ended."""
