"""Readers in workers, with a limit on their processor time.

A reader that throws, hangs or crashes on an image counts as "did not read",
is reported by name with the reason, and is ready again for the next image.
"""

from __future__ import annotations

import os
import re
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from nimble_tile.core.language import tr
from nimble_tile.core.scan import readers as _readers
from nimble_tile.core.scan import worker
from nimble_tile.core.scan.readers import Reading, to_grey
from nimble_tile.core.workers.pool import Crew, Kind, TaskFailed, TookTooLong, WorkerLost
from nimble_tile.core.workers.serving import name_of

if TYPE_CHECKING:
    import numpy as np

TIME_LIMIT = 6.0
"""Seconds of processor time that one reader may take for one image, however busy the machine is.
The slowest that we saw on an image within `nimble_tile.core.scan.verdict.LARGEST_LOOK` took
1.5 s."""

READERS = Kind(worker.LIBRARIES, prepare=name_of(worker.begin))
"""Workers that read."""

_SURROGATES = re.compile("[\ud800-\udfff]")
# A code may hold bytes that are no text: halves of characters cannot be shown or encoded.

# The slowest first, so that the others fit beside it.
_LONGEST_FIRST = ("OpenCV", "zxing-cpp", "quirc", "qrdec")


@dataclass(frozen=True)
class Outcome:
    """What one reader made of one image.

    Attributes
    ----------
    name : str
    readings : tuple of Reading
    trouble : str
        Why it could not even try: it threw, hung or crashed. Empty otherwise.
    seconds : float
    """

    name: str
    readings: tuple[Reading, ...] = ()
    trouble: str = ""
    seconds: float = 0.0


class ReaderBay:
    """All readers, spread over a few workers.

    Parameters
    ----------
    processes : int, optional
        How many run side by side; the number of processors, at most 4.
    time_limit : float
        Seconds of processor time for one reader on one image.
    patience : float, optional
        Seconds of the clock for the same, against readers that hang without working; by default
        many times the limit.
    kind : Kind
        What reads; another one for tests of misbehaviour.
    """

    def __init__(
        self,
        processes: int | None = None,
        time_limit: float = TIME_LIMIT,
        patience: float | None = None,
        kind: Kind = READERS,
    ) -> None:
        self._count = processes or max(1, min(4, os.cpu_count() or 1))
        self.time_limit, self._patience = time_limit, patience
        self.crew = Crew(kind, self._count)
        self._lock = threading.Lock()
        self._closed = False

    def warm(self) -> None:
        """Start the workers before they are needed."""
        with self._lock:
            if not self._closed:
                self.crew.warm()

    def read(
        self,
        image: np.ndarray,
        names: Sequence[str] = _readers.READER_NAMES,
        meanwhile: Sequence[Callable[[], object]] = (),
    ) -> list[Outcome]:
        """Let readers look at an image.

        Parameters
        ----------
        image : ndarray of uint8, H × W or H × W × 3 sRGB
        names : sequence of str
            Which readers.
        meanwhile : sequence of callable
            Work of our own, taken up here as soon as a processor is no longer
            needed by the readers, so that it does not slow the slowest down.

        Returns
        -------
        list of Outcome
            One for each name, in that order.
        """
        return self.read_all([image], names, meanwhile)[0]

    def read_all(
        self,
        images: Sequence[np.ndarray],
        names: Sequence[str] = _readers.READER_NAMES,
        meanwhile: Sequence[Callable[[], object]] = (),
    ) -> list[list[Outcome]]:
        """Let readers look at several images at once, so that no processor waits.

        Parameters
        ----------
        images : sequence of ndarray
        names, meanwhile
            As in `read`.

        Returns
        -------
        list of list of Outcome
            For each image one for each name.
        """
        greys = [to_grey(image) for image in images]
        asked = [(name, index) for index in range(len(greys)) for name in names]
        # The slowest first: the quick ones fill the gaps at the end.
        queue = deque(sorted(asked, key=lambda a: (_LONGEST_FIRST.index(a[0]), -greys[a[1]].size)))
        own = deque(meanwhile)
        outcomes: dict[tuple[str, int], Outcome] = {}

        def work() -> None:
            while True:
                try:
                    name, index = queue.popleft()
                except IndexError:
                    break
                outcomes[name, index] = self._one(name, greys[index])
            while True:
                try:
                    task = own.popleft()
                except IndexError:
                    return
                task()

        with self._lock:
            if self._closed:
                raise RuntimeError("the reader bay is closed")
            if self._count == 1 and len(names) > 1:
                self._together(greys, names, queue, outcomes)
            if self._count == 1 or len(asked) + len(own) == 1:
                work()
            else:
                from concurrent.futures import ThreadPoolExecutor

                with ThreadPoolExecutor(self._count) as pool:
                    for done in [pool.submit(work) for _ in range(self._count)]:
                        done.result()
        return [[outcomes[name, index] for name in names] for index in range(len(greys))]

    def _together(
        self,
        greys: Sequence[np.ndarray],
        names: Sequence[str],
        queue: deque[tuple[str, int]],
        outcomes: dict[tuple[str, int], Outcome],
    ) -> None:
        """Let one worker show each image to all readers at once; it is sent to it once.

        Where that ends badly, the image's readers stay in the queue and are asked one by one,
        so that the one whose fault it is gets the blame.
        """
        for index, grey in enumerate(greys):
            begun = time.perf_counter()
            try:
                answers = self._ask(names, grey)
            except (WorkerLost, TaskFailed):
                continue
            seconds = (time.perf_counter() - begun) / len(names)
            for name, answer in zip(names, answers, strict=True):
                outcomes[name, index] = outcome_of(name, answer, seconds)
                queue.remove((name, index))

    def _ask(self, names: Sequence[str], grey: np.ndarray) -> list[object]:
        limit = self.time_limit * len(names)
        return self.crew.ask(worker.read, list(names), grey, limit=limit, patience=self._patience)

    def _one(self, name: str, grey: np.ndarray) -> Outcome:
        begun = time.perf_counter()
        try:
            (answer,) = self._ask([name], grey)
        except TookTooLong:
            trouble = tr("gave no answer within {limit:g} s", limit=self.time_limit)
        except (WorkerLost, TaskFailed):
            trouble = tr("crashed on this image")
        else:
            return outcome_of(name, answer, time.perf_counter() - begun)
        return Outcome(name, (), trouble, time.perf_counter() - begun)

    def close(self) -> None:
        """End all workers."""
        with self._lock:
            self._closed = True
            self.crew.close()


def outcome_of(name: str, answer: Any, seconds: float) -> Outcome:
    """What a reader's answer says."""
    if isinstance(answer, dict):
        return Outcome(
            name, (), tr("stopped with an error ({answer})", answer=answer["error"]), seconds
        )
    readings = tuple(
        Reading(
            **{
                **entry,
                "text": _SURROGATES.sub("\N{REPLACEMENT CHARACTER}", entry["text"]),
                "corners": tuple(map(tuple, entry["corners"])),
            }
        )
        for entry in answer
    )
    return Outcome(name, readings, "", seconds)
