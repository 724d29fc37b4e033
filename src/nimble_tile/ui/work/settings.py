"""What the window remembers between runs, in the XDG folders."""

from __future__ import annotations

import base64
import json
import os
import tempfile
from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray, QSize
from PySide6.QtWidgets import QMainWindow

from nimble_tile.core.files import PART, clear_parts, part_mark, set_aside
from nimble_tile.core.language import tr

MOST_RECENT = 8

USUAL_MM = 60.0
"""Longer side of new pieces where sizes are wanted in millimetres."""

USUAL_AUTOSAVE = 3

SCREEN_FRAME = 32
"""Pixels of the screen's height left to the window's frame."""


def state_file() -> Path:
    """``$XDG_STATE_HOME/nimble-tile/window.json``."""
    from platformdirs import user_state_path

    return user_state_path("nimble-tile") / "window.json"


class Settings:
    """Small values by name; unreadable files count as empty, failures to write are ignored.

    Losing a window's place must never stop work on a piece.
    """

    def __init__(self, path: Path | None = None) -> None:
        self._own_place = path is not None
        self._path = path or state_file()
        self._damaged = False  # the file is there and is not understood
        try:
            loaded = json.loads(self._path.read_text("utf-8"))
            self._damaged = not isinstance(loaded, dict)
        except OSError:
            loaded = {}
        except (ValueError, RecursionError):
            loaded, self._damaged = {}, True
        self._values: dict[str, Any] = {} if self._damaged else loaded

    @property
    def trouble(self) -> str:
        """What is not understood of what was remembered, in a sentence; empty: all is."""
        if not self._damaged:
            return ""
        return tr(
            "What the window remembered is damaged: it begins as on the first day. The file is "
            "kept beside its place, in {folder}.",
            folder=self.folder,
        )

    @property
    def looks_folder(self) -> Path:
        """Where saved looks are kept."""
        if self._own_place:
            return self.folder / "looks"
        from nimble_tile.core.project.looks import folder

        return folder()

    @property
    def boards_folder(self) -> Path:
        """Where candidate boards are kept."""
        if self._own_place:
            return self.folder / "boards"
        from nimble_tile.studio.board import usual_folder

        return usual_folder()

    @property
    def trials_file(self) -> Path:
        """Where the designer's own set of trials is kept."""
        if self._own_place:
            return self.folder / "trials.json"
        from nimble_tile.core.trials.sets import own_file

        return own_file()

    @property
    def usual(self) -> dict[str, Any]:
        """What new pieces begin with; see `nimble_tile.ui.work.session.new_piece`."""
        level = self.get("usual level", "M")
        found: dict[str, Any] = {"level": level if level in ("L", "M", "Q", "H") else "M"}
        if self.get("unit") == "mm":
            found["mm"] = USUAL_MM
        return found

    @property
    def autosave(self) -> int:
        """Seconds after a change at which a copy of unsaved work is kept, 1 to 60."""
        value = self.get("autosave", USUAL_AUTOSAVE)
        good = isinstance(value, int) and 1 <= value <= 60
        return value if good else USUAL_AUTOSAVE

    @property
    def presets_file(self) -> Path:
        """Where the designer's own presets of exports are kept."""
        if self._own_place:
            return self.folder / "presets.json"
        from nimble_tile.core.project.presets import own_file

        return own_file()

    @property
    def folder(self) -> Path:
        """The folder of the program's state."""
        return self._path.parent

    def folder_of(self, what: str) -> str:
        """Folder used last for a sort of file, such as ``"pictures"``; at first the home folder."""
        remembered = self.get(f"folder of {what}")
        if isinstance(remembered, str) and Path(remembered).is_dir():
            return remembered
        return str(Path.home())

    def set_folder_of(self, what: str, file: Path) -> None:
        """Remember the folder of a file that was opened or saved."""
        self.set(f"folder of {what}", str(file.parent))

    def get(self, name: str, default: Any = None) -> Any:
        """A value by its name; the default where it is not there or of another type."""
        value = self._values.get(name, default)
        fits = default is None or isinstance(value, type(default))
        return value if fits else default

    def set(self, name: str, value: Any) -> None:
        if self._values.get(name) != value:
            self._values[name] = value
            self._write()

    def _write(self) -> None:
        if self._damaged:
            set_aside(self._path)
            self._damaged = False
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            handle, aside = tempfile.mkstemp(
                dir=self._path.parent, prefix=f".window.{part_mark()}.", suffix=PART
            )
            with os.fdopen(handle, "w", encoding="utf-8") as file:
                json.dump(self._values, file)
            os.replace(aside, self._path)
        except OSError:
            return

    def clear_leftovers(self) -> None:
        """Remove what killed saves left here and beside the projects used last."""
        for folder in {self.folder, self.folder / "unsaved", *(p.parent for p in self.recent)}:
            clear_parts(folder)

    @property
    def recent(self) -> list[Path]:
        """Projects opened or saved last, newest first."""
        entries = self.get("recent", [])
        return [Path(entry) for entry in entries if isinstance(entry, str)][:MOST_RECENT]

    def remember_project(self, path: Path) -> None:
        path = Path(path).absolute()
        others = [str(known) for known in self.recent if known != path]
        self.set("recent", [str(path), *others][:MOST_RECENT])

    def forget_project(self, path: Path) -> None:
        self.set("recent", [str(known) for known in self.recent if known != Path(path).absolute()])

    def forget_all_projects(self) -> None:
        self.set("recent", [])


def restore_geometry(window: QMainWindow, settings: Settings) -> None:
    """Give a window its size: the last one, or one that suits the screen."""
    room = window.screen().availableGeometry().size() - QSize(0, SCREEN_FRAME)
    window.resize(QSize(1280, 800).boundedTo(room))
    stored = settings.get("geometry")
    if isinstance(stored, str):
        try:
            window.restoreGeometry(QByteArray(base64.b64decode(stored)))
        except ValueError:
            return


def keep_geometry(window: QMainWindow, settings: Settings) -> None:
    """Remember a window's size and place."""
    geometry = bytes(window.saveGeometry().data())
    settings.set("geometry", base64.b64encode(geometry).decode("ascii"))
