"""Making all rows of a batch with any executor of the standard library's interface.

By default a pool of processes on this computer; a scheduler's client offers the same interface
for many. Rows that a former run has finished are not made again.
"""

from __future__ import annotations

import itertools
import json
import os
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, field, replace
from multiprocessing import get_context
from pathlib import Path

from nimble_tile.core import heap
from nimble_tile.core.batch import work
from nimble_tile.core.batch.names import Pattern
from nimble_tile.core.batch.rows import Row
from nimble_tile.core.batch.work import JOURNALS, Done, Task, make_rows
from nimble_tile.core.errors import OutputError, file_error
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.project.archive import save

STATE = ".batch"
"""Folder of the batch's own files, inside the one where the pieces go."""

AHEAD = 3
"""Parcels of rows that wait for each worker, so that none is idle."""

PARCEL = 4
"""Rows that are sent to a worker at once."""

MOST_BREAKS = 2
"""How often a row may take its worker down alone before it is given up."""


@dataclass(frozen=True)
class Order:
    """What is to be made.

    Attributes
    ----------
    folder : Path
        Where the files go.
    piece : Piece
        Look, picture, layout and finish of all rows.
    pictures : Lease
    pattern : Pattern
        How the files are called; its ending says the format.
    tables : Path
        Folder to which pictures that rows name are relative.
    """

    folder: Path
    piece: Piece
    pictures: Lease
    pattern: Pattern = field(default_factory=Pattern)
    tables: Path = Path()

    @property
    def state(self) -> Path:
        """Folder of the batch's own files."""
        return self.folder / STATE

    @property
    def base(self) -> Piece:
        """The piece of which all rows are variants."""
        finish = self.piece.finish.model_copy(update={"format": self.pattern.format})
        return self.piece.model_copy(update={"finish": finish, "log": ()})

    @property
    def key(self) -> str:
        """Names everything but the rows: a batch of another key is another batch."""
        bare = self.base.model_copy(update={"message": Message()})
        told = [bare.state, bare.finish.model_dump_json(), self.pattern.text, self.pattern.suffix]
        return json.dumps(told)


@dataclass(frozen=True)
class Summary:
    """How a batch ended.

    Attributes
    ----------
    rows : int
        Rows that were to be made.
    done : int
        Rows of which there is a file.
    kept : int
        Of these, those that a former run had made.
    failed : tuple of Done
        Rows that were not made, or do not scan.
    seconds : float
    stopped : bool
        It was called off.
    """

    rows: int
    done: int
    kept: int
    failed: tuple[Done, ...]
    seconds: float
    stopped: bool = False


def prepare(order: Order, resume: bool) -> dict[int, Done]:
    """Set the folder up; rows that are made already, by their number.

    Raises
    ------
    OutputError
        The folder holds another batch, or an earlier one and `resume` is not asked for, or
        cannot be written to.
    """
    state, note = order.state, order.state / "order.json"
    try:
        order.folder.mkdir(parents=True, exist_ok=True)
        there = note.is_file()
        known = note.read_text("utf-8") if there else ""
    except OSError as error:
        raise file_error(OutputError, "use", order.folder, error) from error
    if there and not resume:
        raise OutputError(
            tr("{folder} holds an earlier batch.", folder=order.folder),
            tr("Resume it, or choose another folder."),
        )
    if there and known != order.key:
        raise OutputError(
            tr(
                "{folder} holds a batch of another look, size or file name pattern.",
                folder=order.folder,
            ),
            tr("Choose another folder."),
        )
    if there:
        return {number: done for number, done in finished(order).items() if done.scans}
    try:
        (state / JOURNALS).mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise file_error(OutputError, "use", order.folder, error) from error
    save(order.base, order.pictures, state / "look.nimbletile")
    data = order.key.encode()
    write_atomically(note, lambda file: file.write(data), OutputError, "write")
    return {}


def journal(folder: Path) -> Iterator[Done]:
    """All notes of finished rows in a batch's folder, in no order; cut off lines are left out."""
    for path in sorted((folder / STATE / JOURNALS).glob("*.jsonl")):
        try:
            with path.open("rb") as file:
                for line in file:
                    done = Done.from_line(line)
                    if done is not None:
                        yield done
        except OSError:
            continue


def finished(order: Order) -> dict[int, Done]:
    """The newest note of each row, by its number; of files that are gone nothing is left."""
    found: dict[int, Done] = {}
    for done in journal(order.folder):
        old = found.get(done.row)
        if old is None or done.scans or not old.scans:
            found[done.row] = done
    with os.scandir(order.folder) as entries:
        # A power cut can leave a file that is noted and empty: it does not count.
        there = {entry.name: entry.stat().st_size for entry in entries if entry.is_file()}
    return {
        number: done
        for number, done in found.items()
        if not done.state or there.get(done.file) == done.bytes
    }


def local_pool(jobs: int | None = None) -> ProcessPoolExecutor:
    """A pool of processes, one for each processor.

    They begin anew: threads and windows of this process are none of theirs. What they need is
    loaded once, by a process of which they are copies.
    """
    count = jobs or os.cpu_count() or 1
    context = get_context("forkserver")
    context.set_forkserver_preload(["__main__", *work.LOADED])
    return ProcessPoolExecutor(count, mp_context=context, initializer=begin_worker)


def begin_worker() -> None:
    """A worker leaves interrupts to the process that began it, and does not outlive it.

    A reader that crashes or hangs may end it: its rows are then sent again.
    """
    import gc
    import signal
    import threading

    heap.keep()
    gc.freeze()  # what is loaded stays, and its memory is shared as long as nobody looks at it
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGALRM, signal.SIG_DFL)
    work.expendable = True
    threading.Thread(target=_watch, daemon=True).start()


def _watch() -> None:
    """End this worker with the process that began it, once its row is finished and noted."""
    from multiprocessing import parent_process
    from multiprocessing.connection import wait as wait_for

    from nimble_tile.core.batch.work import finish

    wait_for([parent_process().sentinel])
    finish()
    os._exit(1)


def run(
    rows: Iterable[Row],
    order: Order,
    executor: Callable[[], Executor] = local_pool,
    workers: int | None = None,
    resume: bool = False,
    step: Callable[[Done, bool], None] = lambda done, kept: None,
    stop: Callable[[], bool] = lambda: False,
) -> Summary:
    """Make all rows.

    Parameters
    ----------
    rows : iterable of Row
        Taken one after another; never all at once.
    order : Order
    executor : callable
        Gives an executor; it is shut down here. Another one is asked for when its processes
        have broken down.
    workers : int, optional
        How many it has; the number of processors.
    resume : bool
        Go on with what a former run has left.
    step : callable
        Gets every row as it is done, and whether a former run had done it.
    stop : callable
        Asked between rows; True: what is being made is finished, and no more is begun.

    Raises
    ------
    UserError
        Two rows have one file name, or see `prepare`.
    """
    begun = time.monotonic()
    known = prepare(order, resume)
    ahead = AHEAD * (workers or os.cpu_count() or 1)
    count = done = kept = 0
    failed: list[Done] = []
    names: dict[str, int] = {}

    def take(found: Done, old: bool = False) -> None:
        nonlocal done, kept
        done += bool(found.state)
        kept += old
        if not found.scans:
            failed.append(found)
        step(found, old)

    def tasks() -> Iterator[Task]:
        nonlocal count
        for row in rows:
            count += 1
            name = order.pattern.of(row)
            first = names.setdefault(name.casefold(), row.number)
            if first != row.number:
                row = Row(row.number, row.message, row.name, row.settings,
                          tr("Its file would be that of row {first}, {name}.", first=first,
                             name=name))  # fmt: skip
            old = known.get(row.number)
            if old is not None and old.key == row.key and old.file == name and not row.fault:
                take(old, True)
                continue
            yield Task(row, name, str(order.folder), str(order.state), str(order.tables))

    pool = _Pool(executor, ahead)
    stopped = False
    try:
        parcels = _parcels(tasks())
        while True:
            stopped = stopped or stop()
            while not stopped and pool.free and (parcel := next(parcels, None)):
                pool.send(parcel)
            if not pool.waiting:
                break
            for found in pool.collect():
                take(found)
    finally:
        pool.close(stopped)
    failed.sort(key=lambda one: one.row)
    return Summary(count, done, kept, tuple(failed), time.monotonic() - begun, stopped)


def _parcels(tasks: Iterator[Task]) -> Iterator[list[Task]]:
    while parcel := list(itertools.islice(tasks, PARCEL)):
        yield parcel


class _Pool:
    """An executor with so many parcels under way, that begins anew when it breaks down."""

    def __init__(self, make: Callable[[], Executor], ahead: int) -> None:
        self._make, self._ahead = make, ahead
        self._executor: Executor | None = None
        self._open: dict[Future, list[Task]] = {}
        self._suspects: deque[Task] = deque()  # one of them has taken its worker down
        self._breaks: dict[int, int] = {}
        self._apart = False  # after the first breakdown, readers run beside the workers

    @property
    def free(self) -> bool:
        """Whether another parcel is welcome."""
        return len(self._open) < self._ahead and not self._suspects

    @property
    def waiting(self) -> bool:
        """Whether there is something to wait for."""
        return bool(self._open or self._suspects)

    def send(self, tasks: list[Task]) -> None:
        """Send a parcel."""
        if self._executor is None:
            self._executor = self._make()
        tasks = [replace(task, apart=self._apart) for task in tasks]
        self._open[self._executor.submit(make_rows, tasks)] = tasks

    def collect(self) -> list[Done]:
        """Wait for the next parcels.

        When workers break down, the rows under way are sent again, each of them alone: so
        that which does it is found, and costs nobody else anything.
        """
        alone = bool(self._suspects) and not self._open
        if alone:
            self.send([self._suspects.popleft()])
        ready, _ = wait(self._open, timeout=0.5, return_when=FIRST_COMPLETED)
        found: list[Done] = []
        for future in ready:
            tasks = self._open.pop(future, [])
            try:
                found += future.result()
            except Exception as error:
                broken = [*tasks]
                if isinstance(error, BrokenProcessPool):
                    self._apart = True
                    broken += [task for parcel in self._open.values() for task in parcel]
                    self._open.clear()
                    self._shut()
                found += self._suspect(broken, len(broken) == 1)
                if isinstance(error, BrokenProcessPool):
                    break
        return found

    def _suspect(self, tasks: list[Task], alone: bool) -> list[Done]:
        """Look at rows one by one; a row that has broken down alone too often is given up."""
        given_up = []
        for task in tasks:
            row = task.row
            self._breaks[row.number] = self._breaks.get(row.number, 0) + alone
            if self._breaks[row.number] < MOST_BREAKS:
                self._suspects.append(task)
            else:
                given_up.append(
                    Done(row.number, row.key, row.name, row.message, task.file,
                         why=tr("Its worker ended without an answer, several times."))
                )  # fmt: skip
        return given_up

    def _shut(self) -> None:
        executor, self._executor = self._executor, None
        if executor is not None:
            _end(executor, wait=False, quick=True)

    def close(self, quick: bool) -> None:
        """End the executor; `quick`: what has not begun is not begun."""
        executor, self._executor = self._executor, None
        if executor is not None:
            _end(executor, wait=True, quick=quick)


def _end(executor: Executor, wait: bool, quick: bool) -> None:
    """Shut an executor down; `quick`: what has not begun is not begun."""
    try:
        executor.shutdown(wait=wait, cancel_futures=quick)
    except TypeError:  # some know no more than the interface of Python 3.2
        executor.shutdown(wait=wait)
