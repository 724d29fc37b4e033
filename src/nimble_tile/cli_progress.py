"""What the command line says on a terminal while something lasts."""

from __future__ import annotations

import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rich.progress import Progress

QUICK = 2.0
"""Seconds for which nothing is said: most things are done by then."""


class Working:
    """One piece of work; see `working`."""

    def __init__(self, what: str) -> None:
        self._what, self._share = what, None
        self._shown: Progress | None = None
        self._lock = threading.Lock()
        self._over = False
        self._timer = threading.Timer(QUICK, self._show)
        self._timer.daemon = True

    def step(self, what: str, share: float | None = None) -> None:
        """Say what is being done, and how much of all is done, 0 to 1, where that is known."""
        with self._lock:
            self._what, self._share = what, share
            self._update()

    def begin(self) -> None:
        """Show it from a moment on, on a terminal alone."""
        if sys.stderr.isatty():
            self._timer.start()

    def end(self) -> None:
        """Take it away again."""
        self._timer.cancel()
        with self._lock:
            self._over = True
            if self._shown is not None:
                self._shown.stop()

    def _show(self) -> None:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

        with self._lock:
            if self._over:
                return
            # What the command prints goes to standard output, past this.
            self._shown = Progress(
                TextColumn("{task.description}"), BarColumn(), TimeElapsedColumn(),
                console=Console(stderr=True), transient=True,
                redirect_stdout=False, redirect_stderr=False,
            )  # fmt: skip
            self._shown.add_task("", total=None)
            self._update()
            self._shown.start()

    def _update(self) -> None:
        if self._shown is not None:
            total = None if self._share is None else 1.0
            (task,) = self._shown.task_ids
            self._shown.update(
                task, description=self._what, total=total, completed=self._share or 0.0
            )


@contextmanager
def working(what: str) -> Iterator[Working]:
    """Say on a terminal what is being done, once it has lasted a moment.

    Parameters
    ----------
    what : str
        In a few words, as people are shown it.
    """
    made = Working(what)
    made.begin()
    try:
        yield made
    finally:
        made.end()
