"""Writing files so that a failure never costs what was there before, and reading our own."""

from __future__ import annotations

import contextlib
import errno
import functools
import hashlib
import itertools
import json
import os
import platform
import re
import stat
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

import psutil

from nimble_tile.core.errors import ProjectError, UserError, file_error
from nimble_tile.core.language import tr

PART = ".part"
"""Ending of a file that is being written; before it stands the number of the process."""

_OURS = re.compile(r"\.([0-9a-f]{10})-(\d{1,10})\.[^.]+\.part$")

CHUNK = 1 << 24
"""Bytes that are read at once."""


def open_ordinary(path: str | os.PathLike, kind: type[UserError]) -> BinaryIO:
    """Open a file to read, unless it is a device, a pipe or a socket, which never end.

    Raises
    ------
    UserError
        Of the given kind: it is no ordinary file.
    OSError
    """
    # A pipe to which nobody writes would keep us waiting.
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    mode = os.fstat(handle).st_mode
    if stat.S_ISREG(mode):
        return os.fdopen(handle, "rb")
    os.close(handle)
    if stat.S_ISDIR(mode):
        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
    raise kind(
        tr("{name} is a device or a pipe, not a file.", name=Path(path).name or str(path)),
        tr("Give the name of a file."),
    )


def read_bytes(path: str | os.PathLike, most: int, kind: type[UserError]) -> bytes:
    """Bytes of a file that is not larger than allowed, whatever the system says of its size.

    Raises
    ------
    UserError
        Of the given kind: it cannot be read, is no ordinary file, or is larger than `most`.
    """
    try:
        with open_ordinary(path, kind) as file:
            parts, left = [], most + 1
            while left and (part := file.read(min(left, CHUNK))):
                parts.append(part)
                left -= len(part)
    except OSError as error:
        raise file_error(kind, "read", path, error) from error
    if not left:
        size = (
            tr("{most} GiB", most=most >> 30)
            if most >= 1 << 30
            else tr("{most} MiB", most=most >> 20)
        )
        raise kind(
            tr("{name} is larger than {size}.", name=Path(path).name, size=size),
            tr("Use a smaller file."),
        )
    return parts[0] if len(parts) == 1 else b"".join(parts)


class Aside:
    """A file that is written beside its place, and put there when it is found to be good.

    Parameters
    ----------
    path : Path
        The file; until `place`, and on any failure, it stays as it was. Of a symbolic link it is
        the file that it leads to.
    kind : type[UserError]
        Raised, with a sentence, when the system refuses.
    doing : str
        The verb for that sentence.
    durable : bool
        Whether it must outlive a power cut from the moment when it is in its place. Without,
        thousands of small files are written much sooner.

    Attributes
    ----------
    path : Path
    aside : Path or None
        Where it lies meanwhile; None: nothing is written, or it is in its place.
    """

    def __init__(self, path: Path, kind: type[UserError], doing: str, durable: bool = True) -> None:
        self.path, self._kind, self._doing = Path(path), kind, doing
        self._goal = Path(os.path.realpath(path))
        self._durable = durable
        self.aside: Path | None = None

    def write(self, write: Callable[[BinaryIO], None]) -> Path:
        """Write it and flush it to disk; `write` gets the open temporary file."""
        path, goal = self.path, self._goal
        try:
            if goal.is_dir():
                raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
            if self._durable:
                clear_parts(goal.parent)
            handle, name = tempfile.mkstemp(
                dir=goal.parent, prefix=f".{goal.name[:40]}.{part_mark()}.", suffix=PART
            )
            self.aside = Path(name)
            with os.fdopen(handle, "w+b") as file:
                write(file)
                file.flush()
                if self._durable:
                    os.fsync(file.fileno())
        except BaseException as error:
            self.drop()
            if isinstance(error, OSError):
                raise file_error(self._kind, self._doing, path, error) from error
            raise
        return self.aside

    def place(self) -> None:
        """Put it in its place, where it stays through a power cut."""
        goal, aside = self._goal, self.aside
        try:
            mode = goal.stat().st_mode & 0o777 if goal.exists() else 0o666 & ~_umask()
            aside.chmod(mode)
            os.replace(aside, goal)
            self.aside = None
            if self._durable:
                _sync_folder(goal.parent)
        except OSError as error:
            raise file_error(self._kind, self._doing, self.path, error) from error
        finally:
            self.drop()

    def drop(self) -> None:
        """Remove what was written, unless it is in its place."""
        aside, self.aside = self.aside, None
        if aside is not None:
            try:
                aside.unlink(missing_ok=True)
            except OSError:
                return


def write_atomically(
    path: Path, write: Callable[[BinaryIO], None], kind: type[UserError], doing: str
) -> None:
    """Write a file aside, flush it to disk, then put it in place; see `Aside`."""
    made = Aside(path, kind, doing)
    made.write(write)
    made.place()


@functools.cache
def _machine() -> str:
    """Names this machine, and what of it this process sees of others' numbers."""
    told = [platform.node()]
    for name in ("/etc/machine-id", "/proc/sys/kernel/random/boot_id"):
        with contextlib.suppress(OSError):
            told.append(Path(name).read_text("ascii", "replace"))
    with contextlib.suppress(OSError):
        told.append(str(Path("/proc/self/ns/pid").stat().st_ino))
    return hashlib.sha256("\n".join(told).encode()).hexdigest()[:10]


def part_mark() -> str:
    """Stands in the name of a file that this process is writing."""
    return f"{_machine()}-{os.getpid()}"


def clear_parts(folder: Path) -> None:
    """Remove what saves of this machine that were killed have left in a folder.

    What another machine is writing there, or another container, is none of ours.
    """
    try:
        found = [path for path in Path(folder).glob(f".*{PART}") if _OURS.search(path.name)]
    except OSError:
        return
    for path in found:
        machine, process = _OURS.search(path.name).groups()
        if machine == _machine() and not psutil.pid_exists(int(process)):
            try:
                path.unlink(missing_ok=True)
            except OSError:
                continue


def _umask() -> int:
    # The call for it sets it, too, and for a moment files of other threads would be anybody's.
    for line in Path("/proc/self/status").read_text("ascii", "replace").splitlines():
        if line.startswith("Umask:"):
            return int(line.split()[1], 8)
    return 0o077


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
        raise refused(
            path, tr("it is not {what} of this program, or it is damaged", what=what)
        ) from None
    if not isinstance(document, dict) or document.get("format") != form:
        raise refused(path, tr("it is not {what} of this program", what=what))
    if not isinstance(document.get("schema"), int) or document["schema"] > schema:
        raise refused(path, tr("it was saved by a newer version of this program"))
    return document


def entries_of(
    path: Path,
    form: str,
    schema: int,
    most: int,
    key: str,
    count: int,
    make: Callable[[Any], Any],
) -> tuple[list[Any], dict[str, Any], str]:
    """What is understood of one of our own files that holds a list.

    Parameters
    ----------
    path : Path
    form, schema, most
        As in `read_document`.
    key : str
        Where the list stands in the document.
    count : int
        Entries that are taken at most.
    make : callable
        Makes something of an entry; raises `ValueError` where it is not understood.

    Returns
    -------
    (list, dict, str)
        What was made, the document, and in a sentence what is not understood; empty: all is,
        or there is no file.
    """
    if not path.is_file():
        return [], {}, ""
    try:
        document = json.loads(read_bytes(path, most, ProjectError).decode("utf-8"))
        if not isinstance(document, dict) or document.get("format") != form:
            raise ValueError("another format")
        entries = document.get(key)
        if not isinstance(entries, list):
            raise ValueError("no list")
    except ProjectError as error:
        return [], {}, str(error)
    except (ValueError, RecursionError):
        return [], {}, tr("{name} is damaged and is not used.", name=path.name)
    made, lost = [], 0
    for entry in entries:
        try:
            if len(made) >= count:
                raise ValueError("too many")
            made.append(make(entry))
        except (ValueError, TypeError, RecursionError):
            lost += 1
    newer = not isinstance(document.get("schema"), int) or document["schema"] > schema
    told = ""
    if lost:
        told = tr(
            "{lost} of {entries} entries in {name} are not understood.",
            lost=lost, entries=len(entries), name=path.name,
        )  # fmt: skip
    elif newer:
        told = tr("{name} was saved by a newer version of this program.", name=path.name)
    return made, document, told


def set_aside(path: Path) -> Path | None:
    """Keep a file that is about to be replaced and is not understood as a whole.

    Returns
    -------
    Path or None
        Where it is kept, beside its place; None where that is not possible.
    """
    try:
        data = path.read_bytes()
        for number in itertools.count(1):
            aside = path.with_name(f"{path.stem}.damaged-{number}{path.suffix}")
            try:
                with aside.open("xb") as file:
                    file.write(data)
                return aside
            except FileExistsError:
                if aside.read_bytes() == data:
                    return aside
    except OSError:
        return None
    return None


def refused(path: Path, why: str) -> ProjectError:
    """The error of a document that was not taken."""
    return ProjectError(
        tr("{name} was not taken: {why}.", name=path.name, why=why), tr("Choose another file.")
    )
