"""Watches a folder and tells of each image as soon as it is complete."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

EVERY = 600
"""Milliseconds from one look to the next."""


class Watcher(QObject):
    """Looks at one folder now and then.

    A file counts as complete when it has not grown between two looks; one that
    is written anew counts again.

    Signals
    -------
    appeared : Path
    lost : str
        The folder cannot be read any more; it is watched no longer.
    """

    appeared = Signal(object)
    lost = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.folder: Path | None = None
        self._known: dict[str, tuple[int, int]] = {}
        self._growing: dict[str, tuple[int, int]] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.look)

    def watch(self, folder: Path) -> None:
        """Watch a folder; what is in it already is not told of."""
        self.folder = Path(folder)
        self._growing = {}
        self._known = self._seen() or {}
        self._timer.start()

    def stop(self) -> None:
        """Watch no longer."""
        self._timer.stop()
        self.folder = None

    def look(self) -> None:
        """Look once."""
        seen = self._seen()
        if seen is None:
            name = self.folder.name
            self.stop()
            self.lost.emit(f"The folder {name} is gone or cannot be read; it is no longer watched.")
            return
        for name, mark in sorted(seen.items()):
            if self._known.get(name) == mark:
                continue
            if self._growing.get(name) == mark and mark[0] > 0:
                self._known[name] = mark
                self._growing.pop(name)
                self.appeared.emit(self.folder / name)
            else:
                self._growing[name] = mark

    def _seen(self) -> dict[str, tuple[int, int]] | None:
        """Size and time of each image in the folder; None where it cannot be read."""
        from nimble_tile.core.checking.sources import ENDINGS

        found = {}
        try:
            with os.scandir(self.folder) as entries:
                for entry in entries:
                    hidden = entry.name.startswith(".")
                    if not hidden and Path(entry.name).suffix.lower() in ENDINGS:
                        try:
                            about = entry.stat()
                        except OSError:
                            continue  # gone between two calls
                        found[entry.name] = (about.st_size, about.st_mtime_ns)
        except OSError:
            return None
        return found
