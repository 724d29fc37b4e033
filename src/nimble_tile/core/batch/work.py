"""One row made and checked: what a worker does, on this computer or another one.

A worker keeps the batch's piece, its renderer and its readers from row to row.
"""

from __future__ import annotations

import atexit
import json
import os
import platform
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from nimble_tile.core import heap
from nimble_tile.core.batch.rows import Row
from nimble_tile.core.errors import OutputError, Stopped, UserError, file_error
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.core.workers.plain import sent
from nimble_tile.core.workers.serving import task

expendable = False
"""Whether this process may be lost: then readers run in it and not beside it, which is faster.
Workers of our own pool set it; anybody else's processes and threads are not ours to end."""

LOADED = (
    "cv2", "deqr", "imagecodecs._zlibng", "numpy.ma", "numpy.random", "segno", "skia", "zxingcpp",
    "PIL.ImageCms", "PIL.JpegImagePlugin", "PIL.PngImagePlugin",
    "nimble_tile.core.asked", "nimble_tile.core.output.press", "nimble_tile.core.output.raster",
    "nimble_tile.core.output.vector", "nimble_tile.core.picture.opening",
    "nimble_tile.core.project.archive", "nimble_tile.core.render", "nimble_tile.core.scan.bay",
    "nimble_tile.core.scan.inside", "nimble_tile.core.symbol.looks.paint",
)  # fmt: skip
"""Modules that every row needs."""

JOURNALS = "journal"
"""Folder of the workers' notes of finished rows, inside that of the batch."""


@sent
@dataclass(frozen=True)
class Task:
    """A row and what is needed to make it.

    Attributes
    ----------
    row : Row
    file : str
        Name of the file.
    folder : str
        Where it goes.
    state : str
        Folder of the batch's own files, with the project and the journals.
    tables : str
        Folder to which pictures that rows name are relative.
    apart : bool
        Whether readers run in a process of their own in any case: a worker was lost before.
    """

    row: Row
    file: str
    folder: str
    state: str
    tables: str
    apart: bool = False


@sent
@dataclass(frozen=True)
class Done:
    """A row that was worked on.

    Attributes
    ----------
    row : int
    key : str
        `Row.key`.
    name, message, file : str
    state : str
        Of the verdict; empty: nothing was made.
    why : str
        What is wrong; empty: it scans.
    read : tuple of str
        Readers that read what was meant.
    spare : float or None
    symbol : str
        Version and level.
    bytes : int
    seconds : float
    unnoted : str
        Why it could not be noted in the journal; empty: it was.
    """

    row: int
    key: str
    name: str
    message: str
    file: str
    state: str = ""
    why: str = ""
    read: tuple[str, ...] = ()
    spare: float | None = None
    symbol: str = ""
    bytes: int = 0
    seconds: float = 0.0
    unnoted: str = ""

    @property
    def scans(self) -> bool:
        """Whether a file was made that scans."""
        return self.state in ("well", "thin")

    def as_line(self) -> bytes:
        """One line of a journal."""
        return json.dumps(vars(self), ensure_ascii=True).encode() + b"\n"

    @classmethod
    def from_line(cls, line: bytes | str) -> Done | None:
        """A line of a journal; None where it is cut off or not one."""
        try:
            values = json.loads(line)
            values["read"] = tuple(values["read"])
            return cls(**values)
        except (ValueError, TypeError, KeyError):
            return None


@task
def begin() -> Callable[[], None]:
    """What a worker of our own pool does first; gives back what waits for its row's end.

    A reader that crashes or hangs may end it: its rows are then sent again.
    """
    global expendable
    heap.keep()
    expendable = True
    return finish


@dataclass
class _Bench:
    """What a worker keeps."""

    state: str
    apart: bool
    renderer: Any
    asker: Any
    base: Any
    bay: Any
    journal: Any = field(default=None)


_bench: _Bench | None = None
_one = threading.Lock()  # a worker may have several threads, and one bench


def _ready(task: Task) -> _Bench:
    """The worker's bench for this batch."""
    global _bench
    apart = task.apart or not expendable
    if _bench is not None and (_bench.state, _bench.apart) == (task.state, apart):
        return _bench
    close()
    import cv2

    from nimble_tile.core.asked import Asker
    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.project.archive import load
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.scan.inside import ReadersInside

    cv2.setNumThreads(1)  # there is a worker for every processor
    pictures = PictureStore()
    base = load(Path(task.state) / "look.nimbletile", pictures)
    _bench = _Bench(
        task.state, apart, Renderer(pictures), Asker(pictures, "", Path(task.tables)), base,
        ReaderBay(processes=1) if apart else ReadersInside(),
    )  # fmt: skip
    return _bench


def close() -> None:
    """End what the worker keeps."""
    global _bench
    if _bench is not None:
        _bench.bay.close()
        if _bench.journal is not None:
            _bench.journal.close()
        _bench = None


atexit.register(close)


def finish() -> None:
    """Wait for the row that is being made; no other one is begun any more."""
    _one.acquire()


@task
def make_rows(tasks: Sequence[Task]) -> list[Done]:
    """Make some rows, one after another."""
    return [make_row(task) for task in tasks]


def make_row(task: Task) -> Done:
    """Make a row's file, let all readers look at it, and note that in the journal.

    The file is in its place before the note is written: what is noted is there.
    """
    with _one:
        return _one_row(task)


def _one_row(task: Task) -> Done:
    begun = time.perf_counter()
    row = task.row
    known = {
        "row": row.number, "key": row.key, "name": row.name, "message": row.message,
        "file": task.file,
    }  # fmt: skip
    try:
        found = _made(task)
    except UserError as error:
        found = {"why": str(error)}
    except Stopped:
        raise
    except Exception as error:  # one row must not end the others
        found = {"why": went_wrong(error)}
    done = Done(**known, **found, seconds=round(time.perf_counter() - begun, 4))
    try:
        _note(done, task)
    except OSError as error:
        unnoted = file_error(OutputError, "write", Path(task.state) / JOURNALS, error)
        done = replace(done, unnoted=unnoted.what)
    return done


def went_wrong(error: BaseException) -> str:
    """What is said of a row of which nobody foresaw what happened."""
    return tr(
        "Something went wrong inside ({name}: {error}).", name=type(error).__name__, error=error
    )[:300]


def _made(task: Task) -> dict[str, Any]:
    from nimble_tile.core.asked import from_text

    row = task.row
    if row.fault:
        return {"why": row.fault}
    bench = _ready(task)
    settings = {name: from_text(name, text) for name, text in row.settings.items()}
    # Pictures of thousands of rows would fill the memory: each is held by its own row alone.
    with bench.asker.pictures.lease() as pictures:
        asker = replace(bench.asker, pictures=pictures)
        return _written(task, asker.piece(row.message, settings, bench.base), bench)


def _written(task: Task, piece: Piece, bench: _Bench) -> dict[str, Any]:
    from nimble_tile.core.output.export import outgoing, prepare

    rendering = bench.renderer.render(outgoing(piece))
    path = Path(task.folder) / task.file
    proof = prepare(rendering, path, piece.finish, bench.bay, durable=False).deliver()
    verdict, symbol = proof.verdict, rendering.symbol
    why = ""
    if not verdict.scans:
        from nimble_tile.core.scan.remedies import remedied

        verdict = remedied(verdict, piece, bench.renderer, rendering, bench.bay)
        reasons = [f"{reason.text} {reason.way_out}".strip() for reason in verdict.reasons]
        why = " ".join([tr("It does not scan."), *reasons])
    return {
        "state": verdict.state, "why": why,
        "read": tuple(mark.name for mark in verdict.marks if mark.right(verdict.expected)),
        "spare": None if verdict.spare is None else round(verdict.spare, 3),
        "symbol": f"{symbol.version}-{symbol.level}", "bytes": proof.bytes,
    }  # fmt: skip


def _note(done: Done, task: Task) -> None:
    """Append a finished row to this worker's journal."""
    bench = _bench
    journal = None if bench is None else bench.journal
    if journal is None:
        folder = Path(task.state) / JOURNALS
        folder.mkdir(parents=True, exist_ok=True)
        name = f"{platform.node() or 'worker'}-{os.getpid()}.jsonl"
        journal = (folder / name).open("ab", buffering=0)
        if bench is not None:
            bench.journal = journal
    journal.write(done.as_line())  # one write: a line is whole or not there
    if bench is None:
        journal.close()
