"""A worker's side: one request after another, each with a limit on its processor time.

The limit is kept by the system: a profiling timer counts what this process works, whatever the
rest of the machine does, and ends it, also within a library that never comes back.
"""

from __future__ import annotations

import contextlib
import importlib
import inspect
import os
import resource
import select
import signal
import threading
from collections.abc import Callable
from typing import Any

from nimble_tile.core.errors import UserError
from nimble_tile.core.workers import pipes, plain

MOST = 8 << 30
"""Bytes of a request: both sides are this program."""

is_worker = False
"""Whether this process is a worker: what would be sent to one runs here."""

_TASK = "_a_workers_task"


def task(function: Callable) -> Callable:
    """Let workers be asked for a function, found by its name in its module; a decorator."""
    setattr(function, _TASK, True)
    return function


def name_of(function: Callable) -> str:
    """What workers know a function by."""
    return f"{function.__module__}:{function.__qualname__}"


def function_of(name: str) -> Callable:
    """The function of a name; `LookupError` where it is nobody's task."""
    module, _, path = name.partition(":")
    found: Any = importlib.import_module(module)
    for part in path.split("."):
        found = getattr(found, part)
    if not getattr(found, _TASK, False):
        raise LookupError(name)
    return found


def serve(requests: int, answers: int, memory: int | None, prepare: str | None) -> None:
    """Answer requests until the other side closes.

    Parameters
    ----------
    requests, answers : int
        Descriptors.
    memory : int or None
        Bytes of data that this process may take.
    prepare : str or None
        A task that is called first.
    """
    global is_worker
    is_worker = True
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    if memory is not None:
        resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    signal.signal(signal.SIGPROF, signal.SIG_DFL)
    if prepare is not None:
        watched = function_of(prepare)()
        if watched is not None:
            threading.Thread(target=_watch, args=(requests, watched), daemon=True).start()
    _answer(answers, "ready", None)
    while True:
        try:
            name, *parts = pipes.receive(requests, MOST)
        except (EOFError, OSError):
            return
        try:
            _answer(answers, "taken", None)
            _work(answers, name.decode(), parts)
        except BrokenPipeError:
            return


def _work(answers: int, name: str, parts: list[bytearray]) -> None:
    try:
        function = function_of(name)  # its module registers what it is sent
        args, kwargs, limit = plain.unpacked(parts)
        parts.clear()
        with _limited(limit):
            found = function(*args, **kwargs)
            if inspect.isgenerator(found):
                for part in found:
                    _answer(answers, "part", part)
                _answer(answers, "end", None)
            else:
                _answer(answers, "done", found)
    except BrokenPipeError:
        raise
    except UserError as error:
        _answer(answers, "error", (type(error).__name__, error.what, error.way_out))
    except MemoryError:
        _answer(answers, "memory", None)
    except BaseException as error:  # libraries in other languages throw what is no Exception
        _answer(answers, "broke", (type(error).__name__, str(error)[:500]))


def _answer(answers: int, kind: str, value: Any) -> None:
    pipes.send(answers, plain.packed((kind, value)))


@contextlib.contextmanager
def _limited(limit: float | None):
    """End this process once it has worked for so many seconds."""
    if limit is not None:
        signal.setitimer(signal.ITIMER_PROF, limit)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)


def _watch(requests: int, finish: Callable[[], None]) -> None:
    """End this worker with the program that began it, once what it is at is finished."""
    poll = select.poll()
    poll.register(requests, 0)  # a hang-up is always told
    poll.poll()
    finish()
    os._exit(0)
