"""Copies of unsaved work, kept aside while the program runs.

Each running program keeps at most one copy, named by its process. A copy whose
process is gone is what a crash or a power cut left behind; it is offered to
the next start.
"""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import psutil

from nimble_tile.core.errors import ProjectError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import Piece
from nimble_tile.core.project import archive
from nimble_tile.core.project.drafts import Draft


@dataclass(frozen=True)
class Leftover:
    """Unsaved work of a program that did not end properly.

    Attributes
    ----------
    path : Path
        The copy; a project file.
    original : Path or None
        The project that it belongs to, if it had been saved before.
    """

    path: Path
    original: Path | None


class Recovery:
    """Keeps the copy of this process.

    Parameters
    ----------
    folder : Path
        Where copies are kept.
    process : int, optional
        Process to name the copy by; this one.
    """

    def __init__(self, folder: Path, process: int | None = None) -> None:
        self._folder = Path(folder)
        self._path = self._folder / f"{process or os.getpid()}{archive.SUFFIX}"
        self._note = self._path.with_suffix(".json")

    def keep(
        self,
        piece: Piece,
        pictures: Lease,
        original: Path | None,
        drafts: Sequence[Draft] = (),
    ) -> None:
        """Write the copy; raises `ProjectError` when that is not possible."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise ProjectError(
                tr("No copy could be kept in {folder}.", folder=self._folder)
            ) from error
        note = json.dumps({"original": str(original) if original else None}).encode()
        write_atomically(self._note, lambda file: file.write(note), ProjectError, "keep")
        archive.save(piece, pictures, self._path, drafts)

    def drop(self) -> None:
        """The work is saved or given up: no copy is needed."""
        _remove(self._path)

    def leftovers(self) -> list[Leftover]:
        """Copies of programs that are gone, newest first."""
        found = []
        try:
            copies = list(self._folder.glob(f"*{archive.SUFFIX}"))
            copies.sort(key=lambda path: path.stat().st_mtime, reverse=True)
        except OSError:
            return []
        for path in copies:
            if path != self._path and path.stem.isdigit() and not _runs(int(path.stem)):
                found.append(Leftover(path, _original(path)))
        return found

    @staticmethod
    def discard(leftover: Leftover) -> None:
        """Remove a leftover copy."""
        _remove(leftover.path)


def _remove(path: Path) -> None:
    for file in (path, path.with_suffix(".json")):
        try:
            file.unlink(missing_ok=True)
        except OSError:
            continue


def _original(path: Path) -> Path | None:
    try:
        note = json.loads(path.with_suffix(".json").read_text("utf-8"))
        return Path(note["original"]) if note.get("original") else None
    except (OSError, ValueError, AttributeError, KeyError, TypeError):
        return None


def _runs(process: int) -> bool:
    """Whether a process of this number runs as this program.

    Numbers are used again after a restart, so its command line is asked too.
    """
    try:
        command = " ".join(psutil.Process(process).cmdline())
    except psutil.Error:
        return False
    return "nimble" in command or "python" in command
