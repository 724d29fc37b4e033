"""The process in which files from outside are read; see `nimble_tile.core.foreign`.

Requests and answers are pickles of protocol 5 with the buffers of arrays behind them: the
number of parts, the length of each, the parts.
"""

from __future__ import annotations

import importlib
import os
import pickle
import resource
import sys

from nimble_tile.core import foreign
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr

ALLOWED_PACKAGE = "nimble_tile.core."
"""Where the functions are that may be asked for."""


def serve() -> None:
    """Answer requests until standard input closes."""
    foreign.in_worker = True
    resource.setrlimit(resource.RLIMIT_DATA, (foreign.MEMORY, foreign.MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    source = sys.stdin.buffer
    # Libraries may print: keep the answer channel for ourselves alone.
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    answers.write(foreign.READY)
    answers.flush()
    while head := source.read(foreign.LENGTHS.size):
        (count,) = foreign.LENGTHS.unpack(head)
        sizes = [foreign.LENGTH.unpack(source.read(foreign.LENGTH.size))[0] for _ in range(count)]
        parts = [source.read(size) for size in sizes]
        buffers: list[pickle.PickleBuffer] = []
        body = pickle.dumps(_answered(parts), 5, buffer_callback=buffers.append)
        del parts
        for part in foreign.packed(body, buffers):
            answers.write(part)
        answers.flush()
        del body, buffers, part


def _answered(parts: list[bytes]) -> tuple[str, object]:
    """The result of a request, or the error that a person can cause."""
    module, name, args, kwargs = pickle.loads(parts[0], buffers=parts[1:])
    if not module.startswith(ALLOWED_PACKAGE):
        return "broke", tr("it cannot be asked for")
    function = getattr(importlib.import_module(module), name)
    try:
        return "done", function(*args, **kwargs)
    except UserError as error:
        return "error", (type(error).__name__, error.what, error.way_out)
    except MemoryError:
        return "memory", ""
    except BaseException as error:  # libraries in other languages throw what is no Exception
        return "broke", type(error).__name__


if __name__ == "__main__":
    serve()
