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
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Executor, Future, wait
from dataclasses import dataclass, field, replace
from pathlib import Path

from nimble_tile.core.batch import work
from nimble_tile.core.batch.names import Pattern
from nimble_tile.core.batch.rows import Row
from nimble_tile.core.batch.work import JOURNALS, Done, Task, make_rows, went_wrong
from nimble_tile.core.errors import OutputError, file_error
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.project.archive import save
from nimble_tile.core.workers.pool import CrewExecutor, Kind, WorkerLost
from nimble_tile.core.workers.serving import name_of

STATE = ".batch"
"""Folder of the batch's own files, inside the one where the pieces go."""

AHEAD = 3
"""Parcels of rows that wait for each worker, so that none is idle."""

PARCEL = 4
"""Rows that are sent to a worker at once."""

MOST_REFUSALS = 3
"""Executors in a row that may refuse work before the batch is given up."""

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


ROWS = Kind(work.LOADED, outlives=True, prepare=name_of(work.begin))
"""Workers that make rows: a row that is begun is finished and noted, whatever becomes of the
program that began it."""


def local_pool(jobs: int | None = None) -> CrewExecutor:
    """Workers on this computer, one for each processor."""
    return CrewExecutor(ROWS, jobs or os.cpu_count() or 1)


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
    OutputError
        The notes of finished rows cannot be written; what was noted can be resumed. Or see
        `prepare`.
    """
    begun = time.monotonic()
    known = prepare(order, resume)
    ahead = AHEAD * (workers or os.cpu_count() or 1)
    count = done = kept = 0
    failed: list[Done] = []
    names: dict[str, int] = {}
    unnoted = ""

    def take(found: Done, old: bool = False) -> None:
        nonlocal done, kept
        nonlocal unnoted
        done += bool(found.state)
        kept += old
        unnoted = unnoted or found.unnoted
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
            stopped = stopped or stop() or bool(unnoted)
            while not stopped and pool.free and (parcel := next(parcels, None)):
                pool.send(parcel)
            if not pool.waiting:
                break
            for found in pool.collect():
                take(found)
    finally:
        pool.close(stopped)
    if unnoted:
        raise OutputError(
            tr("The batch stopped: {why}", why=unnoted),
            tr("Make room there and resume it; rows that are not noted are made again."),
        )
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
        self._refused = 0  # how often in a row work was not taken
        self._left: list[Done] = []  # rows that were finished when an executor broke down

    @property
    def free(self) -> bool:
        """Whether another parcel is welcome."""
        return len(self._open) < self._ahead and not self._suspects

    @property
    def waiting(self) -> bool:
        """Whether there is something to wait for."""
        return bool(self._open or self._suspects or self._left)

    def send(self, tasks: list[Task]) -> None:
        """Send a parcel."""
        if self._executor is None:
            self._executor = self._make()
        tasks = [replace(task, apart=self._apart) for task in tasks]
        try:
            future = self._executor.submit(make_rows, tasks)
        except (BrokenExecutor, RuntimeError):
            # It broke down between two looks at it: with another one, and nobody is to blame.
            self._break_down()
            self._suspects += tasks
            self._refused += 1
            if self._refused > MOST_REFUSALS:
                raise
            return
        self._refused = 0
        self._open[future] = tasks

    def _break_down(self) -> None:
        """The whole executor is lost: what was under way is sent again, row by row."""
        self._apart = True
        for future, parcel in self._open.items():
            if future.done() and not future.cancelled() and future.exception() is None:
                self._left += future.result()
            else:
                self._suspects += parcel
        self._open.clear()
        self._shut()

    def collect(self) -> list[Done]:
        """Wait for the next parcels.

        When workers break down, the rows under way are sent again, each of them alone: so
        that which does it is found, and costs nobody else anything.
        """
        alone = bool(self._suspects) and not self._open
        if alone:
            self.send([self._suspects.popleft()])
        ready, _ = wait(self._open, timeout=0.5, return_when=FIRST_COMPLETED)
        found, self._left = self._left, []
        for future in ready:
            tasks = self._open.pop(future, [])
            try:
                found += future.result()
            except BrokenExecutor:
                alone = len(tasks) == 1 and not self._open
                self._break_down()
                found += [*self._left, *self._suspect(tasks, alone)]
                self._left = []
                break
            except WorkerLost:
                self._apart = True
                found += self._suspect(tasks, len(tasks) == 1)
            except Exception as error:
                found += self._suspect(tasks, len(tasks) == 1, error)
        return found

    def _suspect(
        self, tasks: list[Task], alone: bool, error: Exception | None = None
    ) -> list[Done]:
        """Look at rows one by one; a row that has broken down alone too often is given up."""
        given_up = []
        for task in tasks:
            row = task.row
            self._breaks[row.number] = self._breaks.get(row.number, 0) + alone
            if self._breaks[row.number] < MOST_BREAKS:
                self._suspects.append(task)
            else:
                why = tr("Its worker ended without an answer, several times.")
                if error is not None:
                    why = went_wrong(error)
                given_up.append(
                    Done(row.number, row.key, row.name, row.message, task.file, why=why)
                )
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
