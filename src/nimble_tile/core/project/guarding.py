"""Who else works on a project: files that others have changed, and projects open elsewhere."""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import dataclass
from pathlib import Path

import psutil


@dataclass(frozen=True)
class Stamp:
    """How a file looked when it was last read or written here."""

    changed: int
    size: int
    number: int


def stamp_of(path: Path) -> Stamp | None:
    """How a file looks now; None where it is not there."""
    try:
        found = Path(path).stat()
    except OSError:
        return None
    return Stamp(found.st_mtime_ns, found.st_size, found.st_ino)


class Holds:
    """Which projects this process has open, told to others.

    Each open project is a small note, named by its path, with the number of the process. A note
    whose process is gone counts for nothing.

    Parameters
    ----------
    folder : Path
        Where the notes are kept. Failures are ignored: they must not keep anybody from working.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = Path(folder)
        self._held: Path | None = None

    def hold(self, path: Path | None) -> None:
        """Say that this project is open here, and no other one any more."""
        if path == self._held:
            return
        self.release()
        if path is None:
            return
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            note = {"process": os.getpid(), "path": str(path)}
            self._note(path).write_text(json.dumps(note), "utf-8")
        except OSError:
            return
        self._held = path

    def release(self) -> None:
        """No project is open here."""
        held, self._held = self._held, None
        if held is not None and self.holder(held, anyone=True) == os.getpid():
            try:
                self._note(held).unlink(missing_ok=True)
            except OSError:
                return

    def holder(self, path: Path, anyone: bool = False) -> int | None:
        """The other process that has a project open; None: nobody, or (unless `anyone`) this."""
        try:
            process = int(json.loads(self._note(path).read_text("utf-8"))["process"])
        except (OSError, ValueError, KeyError, TypeError):
            return None
        if process == os.getpid():
            return process if anyone else None
        try:
            told = " ".join(psutil.Process(process).cmdline())
        except psutil.Error:
            return None
        return process if "nimble" in told or "python" in told else None

    def _note(self, path: Path) -> Path:
        name = hashlib.sha256(str(Path(path).absolute()).encode("utf-8", "surrogatepass"))
        return self._folder / f"{name.hexdigest()[:24]}.json"
