"""Readers in processes of their own, with a time limit.

A reader that throws, hangs or crashes on an image counts as "did not read",
is reported by name with the reason, and is ready again for the next image.
"""

from __future__ import annotations

import atexit
import contextlib
import fcntl
import json
import os
import re
import select
import subprocess
import sys
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from nimble_tile.core.language import tr
from nimble_tile.core.scan import readers as _readers
from nimble_tile.core.scan.readers import Reading, to_grey
from nimble_tile.core.scan.worker import BETWEEN, HEADER, LENGTH, READY

if TYPE_CHECKING:
    import numpy as np

TIME_LIMIT = 6.0
"""Seconds that one reader may take for one image. The slowest that we saw on
an image within `nimble_tile.core.scan.verdict.LARGEST_LOOK` took 1.5 s."""

START_LIMIT = 12.0
"""Seconds that a new process may take to load its libraries, once."""

PIPE = 1 << 20
"""Bytes that the pipe to a process holds: an image of a million pixels, and the most that
Linux gives everyone."""

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


class _Failed(Exception):
    pass


class _Process:
    """One reader process."""

    def __init__(self, command: Sequence[str]) -> None:
        self._command = list(command)
        self._process: subprocess.Popen | None = None
        self._fresh = True

    def start(self) -> None:
        """Start it, if it is not running."""
        if self._process is None or self._process.poll() is not None:
            self._process = subprocess.Popen(
                self._command,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                bufsize=0,
            )
            os.set_blocking(self._process.stdin.fileno(), False)
            _widen(self._process.stdin.fileno())
            self._fresh = True

    def stop(self) -> None:
        """End it at once."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.stdin.close()
            process.stdout.close()
            process.wait()

    def ask(self, names: Sequence[str], grey: np.ndarray, limit: float) -> list[object]:
        """One request; raises `_Failed` with the reason after ending the process."""
        encoded = BETWEEN.join(names).encode()
        try:
            self.start()
            if self._fresh:
                self._receive(len(READY), time.monotonic() + START_LIMIT)
                self._fresh = False
            deadline = time.monotonic() + limit
            self._send(HEADER.pack(len(encoded), *grey.shape) + encoded, deadline)
            self._send(memoryview(grey).cast("B"), deadline)
            (length,) = LENGTH.unpack(self._receive(LENGTH.size, deadline))
            answer = json.loads(self._receive(length, deadline))
        except TimeoutError as error:
            self.stop()
            raise _Failed(tr("gave no answer within {limit:g} s", limit=limit)) from error
        except (OSError, EOFError) as error:
            self.stop()
            raise _Failed(tr("crashed on this image")) from error
        return answer

    def _send(self, data: bytes | memoryview, deadline: float) -> None:
        pipe = self._process.stdin.fileno()
        view = memoryview(data)
        while view:
            _, ready, _ = select.select([], [pipe], [], max(0.0, deadline - time.monotonic()))
            if not ready:
                raise TimeoutError
            view = view[os.write(pipe, view[: 1 << 20]) :]

    def _receive(self, length: int, deadline: float) -> bytes:
        pipe = self._process.stdout.fileno()
        parts = bytearray()
        while len(parts) < length:
            ready, _, _ = select.select([pipe], [], [], max(0.0, deadline - time.monotonic()))
            if not ready:
                raise TimeoutError
            part = os.read(pipe, length - len(parts))
            if not part:
                raise EOFError
            parts += part
        return bytes(parts)


def _widen(pipe: int) -> None:
    """Let a pipe hold a whole image, so that it goes over at once and not in turns."""
    with contextlib.suppress(OSError):  # nothing but time depends on it
        fcntl.fcntl(pipe, fcntl.F_SETPIPE_SZ, PIPE)


class ReaderBay:
    """All readers, spread over a few processes.

    Parameters
    ----------
    processes : int, optional
        How many run side by side; the number of processors, at most 4.
    time_limit : float
        Seconds for one reader on one image.
    command : sequence of str, optional
        What to run as a reader process; for tests of misbehaviour.
    """

    def __init__(
        self,
        processes: int | None = None,
        time_limit: float = TIME_LIMIT,
        command: Sequence[str] | None = None,
    ) -> None:
        count = processes or max(1, min(4, os.cpu_count() or 1))
        command = command or (sys.executable, "-P", "-m", "nimble_tile.core.scan.worker")
        self.time_limit = time_limit
        self._processes = [_Process(command) for _ in range(count)]
        self._lock = threading.Lock()
        self._closed = False
        atexit.register(self.close)

    def warm(self) -> None:
        """Start the processes before they are needed."""
        with self._lock:
            if not self._closed:
                for process in self._processes:
                    process.start()

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

        def work(process: _Process) -> None:
            while True:
                try:
                    name, index = queue.popleft()
                except IndexError:
                    break
                outcomes[name, index] = self._one(process, name, greys[index])
            while True:
                try:
                    task = own.popleft()
                except IndexError:
                    return
                task()

        with self._lock:
            if self._closed:
                raise RuntimeError("the reader bay is closed")
            if len(self._processes) == 1 and len(names) > 1:
                self._together(greys, names, queue, outcomes)
            if len(self._processes) == 1 or len(asked) + len(own) == 1:
                work(self._processes[0])
            else:
                from concurrent.futures import ThreadPoolExecutor

                with ThreadPoolExecutor(len(self._processes)) as pool:
                    list(pool.map(work, self._processes))
        return [[outcomes[name, index] for name in names] for index in range(len(greys))]

    def _together(
        self,
        greys: Sequence[np.ndarray],
        names: Sequence[str],
        queue: deque[tuple[str, int]],
        outcomes: dict[tuple[str, int], Outcome],
    ) -> None:
        """Let one process show each image to all readers at once; it is sent to it once.

        Where that ends badly, the image's readers stay in the queue and are asked one by one,
        so that the one whose fault it is gets the blame.
        """
        for index, grey in enumerate(greys):
            begun = time.perf_counter()
            try:
                answers = self._processes[0].ask(names, grey, self.time_limit)
            except _Failed:
                continue
            seconds = (time.perf_counter() - begun) / len(names)
            for name, answer in zip(names, answers, strict=True):
                outcomes[name, index] = outcome_of(name, answer, seconds)
                queue.remove((name, index))

    def _one(self, process: _Process, name: str, grey: np.ndarray) -> Outcome:
        begun = time.perf_counter()
        try:
            (answer,) = process.ask([name], grey, self.time_limit)
        except _Failed as failure:
            return Outcome(name, (), str(failure), time.perf_counter() - begun)
        return outcome_of(name, answer, time.perf_counter() - begun)

    def close(self) -> None:
        """End all processes."""
        with self._lock:
            self._closed = True
            for process in self._processes:
                process.stop()
        atexit.unregister(self.close)


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
