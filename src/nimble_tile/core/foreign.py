"""What came from outside is read in a worker, with limits of processor time and memory.

Pictures, drawings and pages may be damaged or hostile: a decoder that never ends, wants all
memory, crashes, or holds the interpreter then costs one worker and becomes one sentence. What
comes back is data; see `nimble_tile.core.workers`.
"""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable
from typing import Any, TypeVar

from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import tr
from nimble_tile.core.workers.pool import Crew, Kind, TaskFailed, TookTooLong, WorkerLost
from nimble_tile.core.workers.serving import name_of, task

MEMORY = 3 << 30
"""Bytes that a worker may take: a picture of 100 megapixels needs a third of it."""

MOST_WORKERS = 2
"""Workers at once: a hostile file holds one of them until its time is up."""

Function = TypeVar("Function", bound=Callable[..., Any])

in_worker = False
"""Whether this process is such a worker: there nothing is sent on."""


@task
def begin() -> None:
    """What a worker does first."""
    global in_worker
    in_worker = True


decoders = Crew(Kind(("numpy",), MEMORY, prepare=name_of(begin)), MOST_WORKERS)
"""The workers."""


def apart(limit: float | Callable[[dict], float]) -> Callable[[Function], Function]:
    """Let a function run in a worker process.

    Parameters
    ----------
    limit : float or callable
        Seconds of processor time that a call may take; a callable gets the arguments by name.

    Notes
    -----
    The function must be found by its name in its module, and an argument ``name`` is what
    its input is called in messages. `PictureError` is raised where it takes too long or ends
    its process; errors that a person can cause come through as they are. Arrays in the result
    are read-only. The function itself, without a worker, is its attribute ``here``.
    """

    def decorate(function: Function) -> Function:
        signature = inspect.signature(function)

        @task
        @functools.wraps(function)
        def call(*args: Any, **kwargs: Any) -> Any:
            if in_worker:
                return function(*args, **kwargs)
            bound = signature.bind(*args, **kwargs)
            bound.apply_defaults()
            name = str(bound.arguments.get("name", tr("The file")))
            seconds = limit(bound.arguments) if callable(limit) else limit
            return _asked(name_of(function), name, seconds, args, kwargs)

        call.here = function
        return call

    return decorate


def _asked(function: str, name: str, limit: float, args: tuple, kwargs: dict) -> Any:
    try:
        return decoders.ask(function, *args, limit=limit, **kwargs)
    except TookTooLong:
        raise PictureError(
            tr("{name} takes too long to open.", name=name),
            tr("Save a simpler or smaller copy of it."),
        ) from None
    except WorkerLost:
        raise PictureError(
            tr(
                "{name} cannot be opened: reading it came to a bad end or needs more "
                "memory than is granted.",
                name=name,
            ),
            tr("Save it again, or a smaller copy of it."),
        ) from None
    except MemoryError:
        raise PictureError(
            tr("{name} needs more memory than is granted.", name=name),
            tr("Save a smaller copy of it."),
        ) from None
    except TaskFailed as failure:
        raise PictureError(
            tr("{name} is damaged or cut off ({answer}).", name=name, answer=failure.kind),
            tr("Save it again; nothing was changed."),
        ) from None
