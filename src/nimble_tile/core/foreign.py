"""What came from outside is read in a process of its own, with limits of time and memory.

Pictures, drawings and pages may be damaged or hostile: a decoder that never ends, wants all
memory, crashes, or holds the interpreter then costs one worker and becomes one sentence.
"""

from __future__ import annotations

import atexit
import functools
import inspect
import os
import pickle
import select
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from typing import Any, TypeVar

from nimble_tile.core import errors
from nimble_tile.core.errors import PictureError, UserError
from nimble_tile.core.language import tr

START_LIMIT = 12.0
"""Seconds that a new worker may take to start."""

READY = b"+"
"""What a worker says once it has started."""

MEMORY = 3 << 30
"""Bytes that a worker may take: a picture of 100 megapixels needs a third of it."""

MOST_WORKERS = 2
"""Workers at once: a hostile file holds one of them until its time is up."""

LENGTHS = struct.Struct("<I")
LENGTH = struct.Struct("<Q")

Function = TypeVar("Function", bound=Callable[..., Any])

in_worker = False
"""Whether this process is such a worker: there nothing is sent on."""


def apart(limit: float | Callable[[dict], float]) -> Callable[[Function], Function]:
    """Let a function run in a worker process.

    Parameters
    ----------
    limit : float or callable
        Seconds that a call may take; a callable gets the arguments by name.

    Notes
    -----
    The function must be found by its name in its module, and an argument ``name`` is what
    its input is called in messages. `PictureError` is raised where it takes too long or ends
    its process; errors that a person can cause come through as they are. Arrays in the result
    are read-only. The function itself, without a worker, is its attribute ``here``.
    """

    def decorate(function: Function) -> Function:
        signature = inspect.signature(function)

        @functools.wraps(function)
        def call(*args: Any, **kwargs: Any) -> Any:
            if in_worker:
                return function(*args, **kwargs)
            bound = signature.bind(*args, **kwargs)
            bound.apply_defaults()
            name = bound.arguments.get("name", tr("The file"))
            # Sent after the pickle instead of inside it, so that large files are not copied again.
            sent = tuple(pickle.PickleBuffer(a) if isinstance(a, bytes) else a for a in args)
            request = (function.__module__, function.__qualname__, sent, kwargs)
            seconds = limit(bound.arguments) if callable(limit) else limit
            return _pool.ask(request, str(name), seconds)

        call.here = function
        return call

    return decorate


class _Gone(Exception):
    """The worker ended in the middle of its work."""


class _Worker:
    """One process."""

    def __init__(self) -> None:
        self._process: subprocess.Popen | None = None

    def start(self) -> None:
        if self.runs:
            return
        self.stop()
        quiet = {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "RUST_BACKTRACE": "0"}
        self._process = subprocess.Popen(
            [sys.executable, "-P", "-m", "nimble_tile.core.foreign_worker"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            bufsize=0, env={**os.environ, **quiet},
        )  # fmt: skip
        os.set_blocking(self._process.stdin.fileno(), False)
        self._receive(len(READY), time.monotonic() + START_LIMIT)

    @property
    def runs(self) -> bool:
        """Whether it was started and is not known to have ended."""
        return self._process is not None and self._process.poll() is None

    def stop(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.stdin.close()
            process.stdout.close()
            process.wait()

    def ask(self, request: tuple, limit: float) -> tuple:
        """One request; raises `TimeoutError` or `_Gone` after ending the process."""
        buffers: list[pickle.PickleBuffer] = []
        body = pickle.dumps(request, 5, buffer_callback=buffers.append)
        try:
            self.start()
            deadline = time.monotonic() + limit
            for part in packed(body, buffers):
                self._send(part, deadline)
            (count,) = LENGTHS.unpack(self._receive(LENGTHS.size, deadline))
            sizes = [LENGTH.unpack(self._receive(LENGTH.size, deadline))[0] for _ in range(count)]
            parts = [self._receive(size, deadline) for size in sizes]
        except TimeoutError:
            self.stop()
            raise
        except (OSError, EOFError) as error:
            self.stop()
            raise _Gone from error
        return pickle.loads(parts[0], buffers=[memoryview(p).toreadonly() for p in parts[1:]])

    def _send(self, data: bytes | memoryview, deadline: float) -> None:
        pipe = self._process.stdin.fileno()
        view = memoryview(data).cast("B")
        while view:
            _, ready, _ = select.select([], [pipe], [], max(0.0, deadline - time.monotonic()))
            if not ready:
                raise TimeoutError
            view = view[os.write(pipe, view[: 1 << 20]) :]

    def _receive(self, length: int, deadline: float) -> bytearray:
        pipe = self._process.stdout
        found = bytearray(length)
        view = memoryview(found)
        while view:
            ready, _, _ = select.select([pipe], [], [], max(0.0, deadline - time.monotonic()))
            if not ready:
                raise TimeoutError
            got = pipe.readinto(view)
            if not got:
                raise EOFError
            view = view[got:]
        return found


def packed(body: bytes, buffers: list[pickle.PickleBuffer]) -> list[bytes | memoryview]:
    """The bytes for a pickle and its buffers: number of parts, their lengths, the parts."""
    parts = [memoryview(body), *(buffer.raw() for buffer in buffers)]
    head = LENGTHS.pack(len(parts)) + b"".join(LENGTH.pack(part.nbytes) for part in parts)
    return [head, *parts]


class _Pool:
    """A few workers, started when they are needed."""

    def __init__(self) -> None:
        self._free: list[_Worker] = []
        self._slots = threading.BoundedSemaphore(MOST_WORKERS)
        self._lock = threading.Lock()
        atexit.register(self.close)

    def ask(self, request: tuple, name: str, limit: float) -> Any:
        with self._slots:
            with self._lock:
                worker = self._free.pop() if self._free else _Worker()
            try:
                kind, answer = self._asked(worker, request, limit)
            except TimeoutError:
                raise PictureError(
                    tr("{name} takes too long to open.", name=name),
                    tr("Save a simpler or smaller copy of it."),
                ) from None
            except _Gone:
                raise PictureError(
                    tr(
                        "{name} cannot be opened: reading it came to a bad end or needs more "
                        "memory than is granted.",
                        name=name,
                    ),
                    tr("Save it again, or a smaller copy of it."),
                ) from None
            finally:
                with self._lock:
                    self._free.append(worker)
        if kind == "done":
            return answer
        if kind == "error":
            raise _error(*answer)
        if kind == "memory":
            raise PictureError(
                tr("{name} needs more memory than is granted.", name=name),
                tr("Save a smaller copy of it."),
            )
        raise PictureError(
            tr("{name} is damaged or cut off ({answer}).", name=name, answer=answer),
            tr("Save it again; nothing was changed."),
        )

    @staticmethod
    def _asked(worker: _Worker, request: tuple, limit: float) -> tuple:
        """An answer; a worker that may have ended before it was asked gets a second try."""
        waited = worker.runs
        try:
            return worker.ask(request, limit)
        except _Gone:
            if not waited:
                raise
            return worker.ask(request, limit)

    def close(self) -> None:
        """End all workers."""
        with self._lock:
            for worker in self._free:
                worker.stop()
            self._free = []


_pool = _Pool()


def _error(kind: str, what: str, way_out: str) -> UserError:
    """An error that a person can cause, as the worker raised it."""
    return getattr(errors, kind, PictureError)(what, way_out)


def close() -> None:
    """End the workers; they start again when they are needed."""
    _pool.close()
