"""The one supervised pool: whatever may hang or die runs in a worker process of it.

Decoders of foreign files, readers, painters, rows of a batch. A worker is given work and a limit
on the processor time that it may take for it, so that no result depends on how busy the machine
is; a generous limit of the clock ends what hangs without working. A worker that hangs, crashes
or wants too much costs its own task alone, and another one takes its place.
"""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import select
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue
from typing import Any

from nimble_tile.core import errors
from nimble_tile.core.errors import PictureError, UserError
from nimble_tile.core.workers import pipes, plain
from nimble_tile.core.workers.serving import name_of

START_LIMIT = 60.0
"""Seconds that a worker may take to start: it loads libraries, on a machine that may be busy."""

PATIENCE, LEAST_PATIENCE = 20.0, 60.0
"""Seconds of the clock for each second of work that a task may take, and the least: on a machine
so busy that a task does not get a twentieth of a processor, it may be given up."""

MOST_ANSWER = 4 << 30
"""Bytes of an answer at most."""


class WorkerLost(Exception):
    """A worker came to an end in the middle of its work."""


class _NeverBegun(WorkerLost):
    """It had ended before it was asked."""


class TookTooLong(WorkerLost):
    """It was ended because it worked longer than its task allows, or did nothing for long."""


class TaskFailed(Exception):
    """The task raised what is no error of a person.

    Attributes
    ----------
    kind, told : str
        Name of what it raised, and its text.
    """

    def __init__(self, kind: str, told: str) -> None:
        super().__init__(f"{kind}: {told}")
        self.kind, self.told = kind, told


@dataclass(frozen=True)
class Kind:
    """A kind of worker.

    Attributes
    ----------
    preload : tuple of str
        Modules that are loaded before it begins.
    memory : int or None
        Bytes of data that it may take.
    outlives : bool
        Whether it may finish what it is at when the program ends; `prepare` sees to that.
    prepare : str or None
        A task that is called first. It may give back a function that returns once the worker
        can be ended with the program.
    """

    preload: tuple[str, ...] = ()
    memory: int | None = None
    outlives: bool = False
    prepare: str | None = None


class _Nursery:
    """The process that workers are copies of; begun when the first one is asked for."""

    def __init__(self) -> None:
        self._process: subprocess.Popen | None = None
        self._channel: socket.socket | None = None
        self._environment: dict[str, str] = {}
        self._lock = threading.Lock()
        atexit.register(self.close)

    def start(self, kind: Kind, descriptors: Sequence[int]) -> tuple[int, int]:
        """A new worker; its number, and a descriptor that stands for it."""
        asked = {
            "do": "start", "preload": kind.preload, "memory": kind.memory,
            "outlives": kind.outlives, "prepare": kind.prepare, "path": _path(),
        }  # fmt: skip
        with self._lock:
            try:
                told, handles = self._asked(asked, descriptors)
            except (OSError, ValueError):  # it has ended: once more, with another one
                self._end()
                told, handles = self._asked(asked, descriptors)
        if not handles:
            raise OSError(told.get("error", "no worker"))
        return told["pid"], handles[0]

    def status(self, pid: int) -> int | None:
        """How a worker that was ended has ended; None where nobody knows."""
        with self._lock:
            if self._channel is None:
                return None
            try:
                told, _ = self._asked({"do": "status", "pid": pid}, ())
            except (OSError, ValueError):
                return None
        return told.get("status")

    def _asked(self, asked: dict, descriptors: Sequence[int]) -> tuple[dict, list[int]]:
        if self._channel is None:
            self._begin()
        if asked["do"] == "start":
            asked["environment"] = self._changes()
        socket.send_fds(self._channel, [json.dumps(asked).encode()], descriptors)
        answer, handles, _, _ = socket.recv_fds(self._channel, 1 << 16, 1)
        if not answer:
            raise OSError("the process that workers are copies of has ended")
        return json.loads(answer), list(handles)

    def _begin(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._environment = dict(os.environ)
        quiet = {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "RUST_BACKTRACE": "0"}
        with theirs:
            # Safe path: what lies beside a foreign file in the working folder is no library.
            self._process = subprocess.Popen(
                [sys.executable, "-P", "-m", "nimble_tile.core.workers.nursery",
                 str(theirs.fileno())],
                stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()], env={**os.environ, **quiet},
            )  # fmt: skip
        ours.settimeout(START_LIMIT)
        self._channel = ours

    def _changes(self) -> dict[str, str | None]:
        """What of the environment is another since it was begun; None: no longer there."""
        then, now = self._environment, os.environ
        gone = dict.fromkeys(name for name in then if name not in now)
        return gone | {name: text for name, text in now.items() if then.get(name) != text}

    def _end(self) -> None:
        channel, self._channel = self._channel, None
        process, self._process = self._process, None
        if channel is not None:
            channel.close()
        if process is not None:
            process.kill()
            process.wait()

    def close(self) -> None:
        """End it, and with it all workers that do not finish what they are at."""
        with self._lock:
            self._end()


_nursery = _Nursery()


def _path() -> list[str]:
    """Where this program finds modules, but for the working folder."""
    try:
        here = Path.cwd()
    except OSError:  # it was removed
        return [path for path in sys.path if path]
    return [path for path in sys.path if path and Path(path).absolute() != here]


class _Worker:
    """One process, as it is seen from here. One thread at a time works with it."""

    def __init__(self, kind: Kind) -> None:
        self._kind = kind
        self._pid = self._handle = self._requests = self._answers = -1
        self._waits = False  # for its first word
        self._killed = False  # from here
        self._ended = threading.Lock()

    @property
    def runs(self) -> bool:
        """Whether it was started and has not ended."""
        handle = self._handle
        if handle < 0:
            return False
        try:
            return not select.select([handle], [], [], 0)[0]
        except (OSError, ValueError):
            return False

    @property
    def pid(self) -> int:
        """Its process."""
        return self._pid

    def start(self) -> None:
        """Start it, if it does not run; `OSError` where it cannot be."""
        if self.runs:
            return
        self.stop()
        theirs, self._requests = os.pipe()
        self._answers, there = os.pipe()
        try:
            for pipe in (theirs, there):
                pipes.widen(pipe)
            self._pid, self._handle = _nursery.start(self._kind, (theirs, there))
        finally:
            os.close(theirs)
            os.close(there)
        os.set_blocking(self._requests, False)
        # What it says first; its libraries are loaded then.
        self._waits = True

    def _ready(self) -> None:
        if self._waits:
            pipes.receive(self._answers, MOST_ANSWER, time.monotonic() + START_LIMIT)
            self._waits = False

    def kill(self) -> None:
        """End the process at once; whoever waits for its answer hears of it. From any thread."""
        with self._ended:
            self._killed = True
            if self._handle >= 0:
                with contextlib.suppress(OSError):
                    signal.pidfd_send_signal(self._handle, signal.SIGKILL)

    def stop(self) -> int | None:
        """End it; how it has ended, where that is known."""
        self.kill()
        with self._ended:
            pid = self._pid
            for descriptor in (self._handle, self._requests, self._answers):
                if descriptor >= 0:
                    os.close(descriptor)
            self._pid = self._handle = self._requests = self._answers = -1
        return _nursery.status(pid) if pid >= 0 else None

    def work(self, name: str, args: tuple, kwargs: dict, limit: float | None,
             patience: float | None) -> Iterator[tuple[str, Any]]:  # fmt: skip
        """Kinds of answers and their values, the last one included."""
        begun, more, self._killed = False, True, False
        message = [name.encode(), *plain.packed((args, kwargs, limit))]
        try:
            self.start()
            self._ready()
            until = None if patience is None else time.monotonic() + patience
            pipes.send(self._requests, message, until or time.monotonic() + START_LIMIT)
            del message
            while more:
                kind, value = plain.unpacked(pipes.receive(self._answers, MOST_ANSWER, until))
                if kind == "taken":
                    begun = True
                    continue
                more = kind == "part"
                yield kind, value
        except TimeoutError as error:
            self.stop()
            raise TookTooLong from error
        except (OSError, EOFError, ValueError, TypeError, MemoryError) as error:
            killed = self._killed
            status = self.stop()
            if status == -signal.SIGPROF:
                raise TookTooLong from error
            raise (WorkerLost if begun or killed else _NeverBegun) from error
        except GeneratorExit:
            if more:  # nobody wants the rest
                self.stop()
            raise


class Crew:
    """Workers of one kind, started when they are needed.

    Parameters
    ----------
    kind : Kind
    most : int
        Workers at once; who asks for one more waits.
    """

    def __init__(self, kind: Kind, most: int) -> None:
        self._kind, self._most = kind, most
        self._free: list[_Worker] = []
        self._busy: set[_Worker] = set()
        self._slots = threading.BoundedSemaphore(most)
        self._lock = threading.Lock()
        self._closed = False
        atexit.register(self.close)

    def ask(
        self, task: Callable | str, *args: Any, limit: float | None = None,
        patience: float | None = None, **kwargs: Any,
    ) -> Any:  # fmt: skip
        """Let a worker do something, and wait for what comes of it.

        Parameters
        ----------
        task : callable or str
            A function that is a task, or its name, ``"module:function"``.
        *args, **kwargs
            What it is given; see `plain.packed`.
        limit : float, optional
            Seconds of processor time that it may take.
        patience : float, optional
            Seconds of the clock; by default many times `limit`.

        Raises
        ------
        UserError
            As the task raised it.
        TaskFailed
            The task raised anything else.
        MemoryError
            The task wanted more memory than its kind may take.
        WorkerLost
            The worker came to an end; `TookTooLong` where its limit was the reason.
        """
        answers = self.stream(task, *args, limit=limit, patience=patience, **kwargs)
        return [*answers][-1]

    def stream(
        self, task: Callable | str, *args: Any, limit: float | None = None,
        patience: float | None = None, **kwargs: Any,
    ) -> Iterator[Any]:  # fmt: skip
        """What a task yields, one after another, or the one thing that it gives back; as `ask`.

        Where nobody takes the rest, the worker is ended.
        """
        name = task if isinstance(task, str) else name_of(task)
        if patience is None and limit is not None:
            patience = max(LEAST_PATIENCE, PATIENCE * limit)
        with self._slots:
            worker = self._take()
            try:
                try:
                    yield from _values(worker.work(name, args, kwargs, limit, patience))
                except _NeverBegun:  # once more, in a new one
                    yield from _values(worker.work(name, args, kwargs, limit, patience))
            finally:
                self._put_back(worker)

    def _take(self) -> _Worker:
        with self._lock:
            worker = self._free.pop() if self._free else _Worker(self._kind)
            self._busy.add(worker)
            return worker

    def _put_back(self, worker: _Worker) -> None:
        with self._lock:
            self._busy.discard(worker)
            if self._closed:
                worker.stop()
            else:
                self._free.append(worker)

    def warm(self) -> None:
        """Start all workers before they are needed."""
        with self._lock:
            while len(self._free) + len(self._busy) < self._most:
                self._free.insert(0, _Worker(self._kind))
            for worker in self._free:
                if not self._closed:
                    with contextlib.suppress(OSError):  # said when it is asked
                        worker.start()

    def stop(self) -> None:
        """End whatever is being worked on, at once; those who wait get `WorkerLost`."""
        with self._lock:
            for worker in self._busy:
                worker.kill()

    def rest(self) -> None:
        """End workers that have nothing to do; they start again when they are needed."""
        with self._lock:
            free, self._free = self._free, []
        for worker in free:
            worker.stop()

    def close(self) -> None:
        """End all workers, for good."""
        self._closed = True
        self.stop()
        self.rest()
        atexit.unregister(self.close)

    @property
    def workers(self) -> list[int]:
        """Processes of the workers that run."""
        with self._lock:
            every = [*self._free, *self._busy]
        return [worker.pid for worker in every if worker.runs]


def _values(answers: Iterator[tuple[str, Any]]) -> Iterator[Any]:
    for kind, value in answers:
        if kind in ("part", "done"):
            yield value
        elif kind != "end":
            raise _raised(kind, value)


def _raised(kind: str, value: Any) -> BaseException:
    if kind == "error":
        name, what, way_out = value
        found = getattr(errors, str(name), PictureError)
        known = isinstance(found, type) and issubclass(found, UserError)
        return (found if known else PictureError)(what, way_out)
    if kind == "memory":
        return MemoryError()
    return TaskFailed(*map(str, value)) if kind == "broke" else WorkerLost()


class CrewExecutor(Executor):
    """A crew with the interface of the standard library's executors.

    A worker that is lost costs its own task alone: its future has `WorkerLost`.

    Parameters
    ----------
    kind : Kind
    most : int
        Workers at once.
    """

    def __init__(self, kind: Kind, most: int) -> None:
        self.crew = Crew(kind, most)
        self._waiting: SimpleQueue[tuple[Future, Callable, tuple, dict] | None] = SimpleQueue()
        self._lock = threading.Lock()
        self._shut = False
        self._threads = [
            threading.Thread(target=self._run, name=f"crew {number}", daemon=True)
            for number in range(most)
        ]
        self._running = most
        for thread in self._threads:
            thread.start()

    def submit(self, fn: Callable, /, *args: Any, **kwargs: Any) -> Future:
        """Let a worker call a task."""
        future: Future = Future()
        with self._lock:
            if self._shut:
                raise RuntimeError("no more work is taken after shutdown")
            self._waiting.put((future, fn, args, kwargs))
        return future

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """Take no more work; end the workers once theirs is done."""
        with self._lock:
            if not self._shut:
                self._shut = True
                if cancel_futures:
                    while not self._waiting.empty():
                        self._waiting.get()[0].cancel()
                for _ in self._threads:
                    self._waiting.put(None)
        if wait:
            for thread in self._threads:
                thread.join()

    def _run(self) -> None:
        while (job := self._waiting.get()) is not None:
            future, function, args, kwargs = job
            if not future.set_running_or_notify_cancel():
                continue
            try:
                future.set_result(self.crew.ask(function, *args, **kwargs))
            except BaseException as error:  # whoever asks for the result hears of it
                future.set_exception(error)
            del job, future
        with self._lock:
            self._running -= 1
            last = not self._running
        if last:
            self.crew.close()
