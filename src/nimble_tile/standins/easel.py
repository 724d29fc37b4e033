"""Painters at work in a process of their own, so that they can be stopped at any moment.

The process gets one request after another and answers with one state after another; each is a
pickle behind its length. Both ends are this program.
"""

from __future__ import annotations

import os
import pickle
import struct
import subprocess
import sys
import threading
from collections.abc import Iterator

from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.core.language import tr
from nimble_tile.standins import LOCAL_PAINTER
from nimble_tile.standins.painting import Request, State

_LENGTH = struct.Struct("<Q")


class Easel:
    """Where one painting after another is made.

    Parameters
    ----------
    painter : str
        Name of the entry point of the painter.
    """

    def __init__(self, painter: str = LOCAL_PAINTER) -> None:
        self.painter = painter
        self._process: subprocess.Popen | None = None
        self._lock = threading.Lock()  # of the process, not of the work
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
            process = self._started()
        try:
            _send(process.stdin, (self.painter, request, shown))
            while True:
                kind, told = _received(process.stdout)
                if kind == "state":
                    yield told
                    if told.step == told.steps:
                        return
                elif kind == "error":
                    raise UserError(*told)
                else:
                    raise UserError(
                        tr("The painter failed ({told}).", told=told), tr("Try other words.")
                    )
        except (OSError, EOFError, ValueError) as error:
            with self._lock:
                if self._process is process:
                    self._end()
                if stops != self._stops:
                    raise Stopped from None
            raise UserError(
                tr("The painter ended in the middle of its work."), tr("Try again.")
            ) from error
        except GeneratorExit:  # nobody wants the rest
            self.stop()
            raise

    def stop(self) -> None:
        """End what is being painted, at once; the next painting begins anew."""
        with self._lock:
            self._stops += 1
            self._end()

    close = stop

    def _started(self) -> subprocess.Popen:
        if self._process is None or self._process.poll() is not None:
            self._end()
            self._process = subprocess.Popen(
                [sys.executable, "-P", "-m", "nimble_tile.standins.easel"],
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            )  # fmt: skip
        return self._process

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()


def _send(pipe, what: object) -> None:
    body = pickle.dumps(what, 5)
    pipe.write(_LENGTH.pack(len(body)))
    pipe.write(body)
    pipe.flush()


def _received(pipe) -> tuple[str, object]:
    head = pipe.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        raise EOFError
    body = pipe.read(*_LENGTH.unpack(head))
    try:
        return pickle.loads(body)
    except pickle.UnpicklingError as error:
        raise EOFError from error


def serve() -> None:
    """Paint what is asked for until standard input closes."""
    source = sys.stdin.buffer
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # libraries may print
    while True:
        try:
            name, request, shown = _received(source)
        except EOFError:
            return
        try:
            for state in _states(name, request, shown):
                _send(answers, ("state", state))
        except UserError as error:
            _send(answers, ("error", (error.what, error.way_out)))
        except Exception as error:
            _send(answers, ("broke", repr(error)))


def _states(name: str, request: Request, shown: int) -> Iterator[State]:
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


if __name__ == "__main__":
    serve()
