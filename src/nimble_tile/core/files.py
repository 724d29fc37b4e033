"""Writing files so that a failure never costs what was there before, and reading our own."""

from __future__ import annotations

import json
import os
import re
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

import psutil

from nimble_tile.core.errors import ProjectError, UserError, file_error

PART = ".part"
"""Ending of a file that is being written; before it stands the number of the process."""

_OURS = re.compile(r"\.(\d{1,10})\.[^.]+\.part$")


def read_bytes(path: str | os.PathLike, most: int, kind: type[UserError]) -> bytes:
    """Bytes of a file that is not larger than allowed.

    Raises
    ------
    UserError
        Of the given kind: it cannot be read, or is larger than `most`.
    """
    try:
        with Path(path).open("rb") as file:
            if os.fstat(file.fileno()).st_size > most:
                size = f"{most >> 30} GiB" if most >= 1 << 30 else f"{most >> 20} MiB"
                raise kind(f"{Path(path).name} is larger than {size}.", "Use a smaller file.")
            return file.read()
    except OSError as error:
        raise file_error(kind, "read", path, error) from error


def write_atomically(
    path: Path, write: Callable[[BinaryIO], None], kind: type[UserError], doing: str
) -> None:
    """Write a file aside, flush it to disk, then put it in place.

    Parameters
    ----------
    path : Path
        The file; on any failure it stays as it was.
    write : callable
        Gets the open temporary file.
    kind : type[UserError]
        Raised, with a sentence, when the system refuses.
    doing : str
        The verb for that sentence.
    """
    path = Path(path)
    aside: str | None = None
    try:
        if path.is_dir():
            raise IsADirectoryError(21, os.strerror(21))
        clear_parts(path.parent)
        handle, aside = tempfile.mkstemp(
            dir=path.parent or ".", prefix=f".{path.name[:40]}.{os.getpid()}.", suffix=PART
        )
        with os.fdopen(handle, "w+b") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
        Path(aside).chmod(mode)
        os.replace(aside, path)
        aside = None
        _sync_folder(path.parent)
    except OSError as error:
        raise file_error(kind, doing, path, error) from error
    finally:
        if aside is not None:
            Path(aside).unlink(missing_ok=True)


def clear_parts(folder: Path) -> None:
    """Remove what saves that were killed have left in a folder."""
    try:
        found = [path for path in Path(folder).glob(f".*{PART}") if _OURS.search(path.name)]
    except OSError:
        return
    for path in found:
        process = int(_OURS.search(path.name)[1])
        if not psutil.pid_exists(process):
            try:
                path.unlink(missing_ok=True)
            except OSError:
                continue


def _umask() -> int:
    # The umask can only be read by setting it.
    mask = os.umask(0o022)
    os.umask(mask)
    return mask


def _sync_folder(folder: Path) -> None:
    """Make the new name itself durable, where the file system lets us."""
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(handle)
    except OSError:
        pass
    finally:
        os.close(handle)


def read_document(path: Path, form: str, schema: int, most: int, what: str) -> dict[str, Any]:
    """A JSON document of ours, once its form and schema are known.

    Parameters
    ----------
    path : Path
    form : str
        What its ``format`` must say.
    schema : int
        The newest that is understood.
    most : int
        Bytes that are read at most.
    what : str
        For the sentence: "a look", "a set of trials".

    Raises
    ------
    ProjectError
        It cannot be read, or is something else.
    """
    data = read_bytes(path, most, ProjectError)
    try:
        document = json.loads(data.decode("utf-8"))
    except (UnicodeDecodeError, ValueError, RecursionError):
        raise refused(path, f"it is not {what} of this program, or it is damaged") from None
    if not isinstance(document, dict) or document.get("format") != form:
        raise refused(path, f"it is not {what} of this program")
    if not isinstance(document.get("schema"), int) or document["schema"] > schema:
        raise refused(path, "it was saved by a newer version of this program")
    return document


def refused(path: Path, why: str) -> ProjectError:
    """The error of a document that was not taken."""
    return ProjectError(f"{path.name} was not taken: {why}.", "Choose another file.")
