"""Watches a folder and tells of each image as soon as it is complete."""

from __future__ import annotations

import threading
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer

from nimble_tile.core.language import tr

EVERY = 600
"""Milliseconds that a file must have stayed as it is to count as complete."""


class Watcher(QObject):
    """Tells of images that are written into one folder.

    The system tells what was touched; a file is told of once it has not grown between two
    looks. One that is written anew is told of again.

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
        self._observer: Observer | None = None
        self._touched: set[str] = set()
        self._lock = threading.Lock()  # the system tells in a thread of its own
        self._growing: dict[str, tuple[int, int]] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.look)

    def watch(self, folder: Path) -> None:
        """Watch a folder; what is in it already is not told of."""
        self.stop()
        self.folder, self._growing = Path(folder), {}
        observer = Observer()
        try:
            observer.schedule(_Told(self._take), str(self.folder))
            observer.start()
        except OSError:
            self._lose()
            return
        self._observer = observer
        self._timer.start()

    def stop(self) -> None:
        """Watch no longer."""
        self._timer.stop()
        observer, self._observer, self.folder = self._observer, None, None
        if observer is not None:
            observer.stop()
            observer.join(5)
        with self._lock:
            self._touched = set()

    def _take(self, path: str) -> None:
        from nimble_tile.core.checking.sources import ENDINGS

        name = Path(path).name
        if not name.startswith(".") and Path(name).suffix.lower() in ENDINGS:
            with self._lock:
                self._touched.add(name)

    def look(self) -> None:
        """Look at what was touched: what has not grown since the last look is complete."""
        if self.folder is None or not self.folder.is_dir():
            self._lose()
            return
        with self._lock:
            touched = sorted(self._touched)
        for name in touched:
            path = self.folder / name
            try:
                about = path.stat()
            except OSError:  # gone again
                self._forget(name)
                continue
            mark = about.st_size, about.st_mtime_ns
            if mark[0] > 0 and self._growing.get(name) == mark:
                self._forget(name)
                self.appeared.emit(path)
            else:
                self._growing[name] = mark

    def _forget(self, name: str) -> None:
        self._growing.pop(name, None)
        with self._lock:
            self._touched.discard(name)

    def _lose(self) -> None:
        name = "" if self.folder is None else self.folder.name
        self.stop()
        self.lost.emit(
            tr("The folder {name} is gone or cannot be read; it is no longer watched.", name=name)
        )


class _Told(FileSystemEventHandler):
    """Hands on the paths that something was written to or moved to."""

    def __init__(self, take) -> None:
        super().__init__()
        self._take = take

    def on_any_event(self, event: FileSystemEvent) -> None:
        if event.is_directory or event.event_type in ("opened", "closed_no_write", "deleted"):
            return
        self._take(str(getattr(event, "dest_path", "") or event.src_path))
