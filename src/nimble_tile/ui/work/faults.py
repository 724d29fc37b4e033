"""What nobody foresaw: written into the log, and said in a sentence."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable
from types import TracebackType

from PySide6.QtCore import QObject, Signal

from nimble_tile import log
from nimble_tile.core.language import tr

PAUSE = 10.0
"""Seconds within which one fault is told once, however often it comes."""


class Faults(QObject):
    """Hears of errors that nobody has caught: in slots of Qt, in events, in threads.

    Parameters
    ----------
    say : callable
        Shows a sentence; called in the window's thread.
    """

    _told = Signal(str)

    def __init__(self, say: Callable[[str], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._told.connect(say)
        self._last: dict[str, float] = {}
        self._before = sys.excepthook, threading.excepthook, sys.unraisablehook

    def listen(self) -> None:
        """Hear of whatever comes from now on."""
        sys.excepthook = self._caught
        threading.excepthook = lambda args: self._caught(
            args.exc_type, args.exc_value, args.exc_traceback
        )
        sys.unraisablehook = lambda args: self._caught(
            args.exc_type, args.exc_value, args.exc_traceback
        )

    def leave(self) -> None:
        """Hear of nothing any more."""
        sys.excepthook, threading.excepthook, sys.unraisablehook = self._before

    def _caught(
        self,
        kind: type[BaseException],
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if error is None or issubclass(kind, (KeyboardInterrupt, SystemExit)):
            return
        last = trace
        while last is not None and last.tb_next is not None:
            last = last.tb_next
        where = "" if last is None else f"{last.tb_frame.f_code.co_filename}:{last.tb_lineno}"
        now = time.monotonic()
        if now - self._last.get(where, float("-inf")) < PAUSE:
            return
        self._last[where] = now
        file = log.fault("Nobody has caught this.", error.with_traceback(trace))
        self._told.emit(
            tr(
                "Something went wrong inside ({name}). Your work is here; save it, and try again. "
                "What happened stands in {file}.",
                name=kind.__name__,
                file=file,
            )
        )
