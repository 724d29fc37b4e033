"""Copies of unsaved work, kept aside while the program runs.

Each window keeps at most one copy, under a name that never comes again, and holds a lock on it,
which the system takes away however the program ends. A copy that nobody holds is what a crash or
a power cut left behind; it is offered to the next start.
"""

from __future__ import annotations

import fcntl
import json
import os
import secrets
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from nimble_tile.core.errors import ProjectError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import Piece
from nimble_tile.core.project import archive
from nimble_tile.core.project.drafts import Draft

LOCK = ".lock"


class _Claim:
    """That a copy is this window's, as long as this object lives."""

    def __init__(self, copy: Path) -> None:
        self._path = copy.with_suffix(LOCK)
        self._handle = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self.release()
            raise
        except OSError:
            pass  # no locks here: a copy is rather offered twice than never

    def release(self) -> None:
        """It may be anybody's."""
        handle, self._handle = self._handle, -1
        if handle >= 0:
            os.close(handle)

    def end(self) -> None:
        """There is nothing to claim any more."""
        _remove(self._path)
        self.release()

    def __del__(self) -> None:
        self.release()


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
    _claim: _Claim | None = field(default=None, repr=False, compare=False)


class Recovery:
    """Keeps the copy of one window.

    Parameters
    ----------
    folder : Path
        Where copies are kept.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = Path(folder)
        self._path = self._folder / f"{secrets.token_hex(12)}{archive.SUFFIX}"
        self._note = self._path.with_suffix(".json")
        self._claim: _Claim | None = None

    def keep(
        self, piece: Piece, pictures: Lease, original: Path | None, drafts: Sequence[Draft] = ()
    ) -> None:
        """Write the copy; raises `ProjectError` when that is not possible."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._claim = self._claim or _Claim(self._path)
        except OSError as error:
            raise ProjectError(
                tr("No copy could be kept in {folder}.", folder=self._folder)
            ) from error
        note = json.dumps({"original": str(original) if original else None}).encode()
        write_atomically(self._note, lambda file: file.write(note), ProjectError, "keep")
        archive.save(piece, pictures, self._path, drafts)

    def drop(self) -> None:
        """The work is saved or given up: no copy is needed."""
        claim, self._claim = self._claim, None
        _remove(self._path, self._note)
        if claim is not None:
            claim.end()

    def leftovers(self) -> list[Leftover]:
        """Copies of programs that are gone, newest first.

        They are claimed: another window does not find them as long as these objects live.
        """
        found = []
        try:
            copies = list(self._folder.glob(f"*{archive.SUFFIX}"))
            copies.sort(key=lambda path: path.stat().st_mtime, reverse=True)
        except OSError:
            return []
        for path in copies:
            if path == self._path:
                continue
            try:
                found.append(Leftover(path, _original(path), _Claim(path)))
            except BlockingIOError:
                continue  # its window lives
            except OSError:
                found.append(Leftover(path, _original(path)))
        return found

    @staticmethod
    def discard(leftover: Leftover) -> None:
        """Remove a leftover copy."""
        _remove(leftover.path, leftover.path.with_suffix(".json"))
        if leftover._claim is not None:
            leftover._claim.end()


def _remove(*paths: Path) -> None:
    for path in paths:
        try:
            path.unlink(missing_ok=True)
        except OSError:
            continue


def _original(path: Path) -> Path | None:
    try:
        note = json.loads(path.with_suffix(".json").read_text("utf-8"))
        return Path(note["original"]) if note.get("original") else None
    except (OSError, ValueError, AttributeError, KeyError, TypeError):
        return None
