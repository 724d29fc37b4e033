"""Long work, one job at a time, away from the window's thread."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from nimble_tile import log
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr

if TYPE_CHECKING:
    from nimble_tile.core.picture.store import Lease


IDLE = 5.0
"""Seconds without work after which a thread ends; the next work has another one. A dozen windows
would else keep a dozen threads, each with its own memory, for the rest of the day."""


class Cancelled(Exception):
    """The person called the job off."""


class Progress:
    """What a job says while it runs, and hears.

    Attributes
    ----------
    pictures : Lease
        The job's right to the pictures that were there when it was asked for; those that it
        brings in go here. It ends once the job's result was taken.
    """

    def __init__(self, tell: Callable[[str, float], None], pictures: Lease) -> None:
        self._tell = tell
        self.pictures = pictures
        self._cancelled = threading.Event()

    def step(self, what: str, share: float) -> None:
        """Say what is being done, and how much is done, 0 to 1.

        Raises
        ------
        Cancelled
            The person called the job off.
        """
        if self._cancelled.is_set():
            raise Cancelled
        self._tell(what, share)

    def cancel(self) -> None:
        self._cancelled.set()

    @property
    def cancelled(self) -> bool:
        """Whether the person called the job off."""
        return self._cancelled.is_set()


@dataclass(eq=False)
class _Job:
    work: Callable[[Progress], Any]
    done: Callable[[Any], None]
    failed: Callable[[UserError], None]
    progress: Progress


class Jobs(QObject):
    """Runs jobs in the order in which they came; results arrive in the window's thread.

    Parameters
    ----------
    pictures : Lease
        The store whose pictures jobs work with.

    Signals
    -------
    running : str, float
        What is being done and how much of it is done.
    idle
        Nothing is left to do.
    """

    running = Signal(str, float)
    idle = Signal()
    _ended = Signal(object, object, object)

    def __init__(self, pictures: Lease, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pictures = pictures
        self._queue: queue.Queue[_Job | None] = queue.Queue()
        self._open = 0
        self._current: _Job | None = None
        self._ended.connect(self._finish)
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None  # while there is work, and a moment longer
        self._stopped = False

    @property
    def busy(self) -> bool:
        return self._open > 0

    def start(
        self,
        work: Callable[[Progress], Any],
        done: Callable[[Any], None],
        failed: Callable[[UserError], None],
    ) -> None:
        """Queue a job.

        Parameters
        ----------
        work : callable
            Runs in the worker thread; its result goes to `done`.
        done, failed : callable
            Called in the window's thread.
        """
        self._open += 1
        progress = Progress(self.running.emit, self._pictures.lease_all())
        with self._lock:
            self._queue.put(_Job(work, done, failed, progress))
            if self._thread is None and not self._stopped:
                self._thread = threading.Thread(target=self._run, name="jobs", daemon=True)
                self._thread.start()

    def cancel(self) -> None:
        """Call the running job off; it stops at its next step."""
        job = self._current
        if job is not None:
            job.progress.cancel()

    def clear(self) -> list[Callable[[Progress], Any]]:
        """Drop the jobs that wait; gives back what they would have worked on."""
        dropped = []
        while True:
            try:
                job = self._queue.get_nowait()
            except queue.Empty:
                return dropped
            if job is None:  # the end was asked for already
                self._queue.put(None)
                return dropped
            job.progress.pictures.release()
            dropped.append(job.work)
            self._open -= 1

    def stop(self) -> None:
        self.cancel()
        with self._lock:
            self._stopped = True
            self._queue.put(None)
            thread = self._thread
        if thread is not None:
            thread.join(10)

    def _next(self) -> _Job | None:
        """The next job; None: there has been none for a while, or the end was asked for."""
        try:
            return self._queue.get(timeout=IDLE)
        except queue.Empty:
            with self._lock:
                if not self._queue.empty():
                    return self._queue.get()
                self._thread = None
                return None

    def _run(self) -> None:
        while (job := self._next()) is not None:
            self._current = job
            try:
                self._ended.emit(job, job.work(job.progress), None)
            except Cancelled:
                self._ended.emit(job, None, None)
            except UserError as error:
                self._ended.emit(job, None, error)
            except BaseException as error:  # the thread survives whatever comes
                log.fault("A job failed.", error)
                trouble = UserError(
                    tr("Something went wrong inside: {error!r}.", error=error),
                    tr("Please try again."),
                )
                self._ended.emit(job, None, trouble)
            # Not kept here until the next one comes: its work holds what it was made from.
            self._current = job = None

    def _finish(self, job: _Job, result: Any, error: UserError | None) -> None:
        self._open -= 1
        if not self._open:
            self.idle.emit()
        try:
            if error is not None:
                job.failed(error)
            elif result is not None:
                job.done(result)
        finally:
            job.progress.pictures.release()


class Latest(QObject):
    """Works out one answer at a time; a newer question replaces one that waits.

    Signals
    -------
    answered : object
        The result, in the window's thread. A question that raised gives none.
    """

    answered = Signal(object)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wake = threading.Condition()
        self._next: Callable[[], Any] | None = None
        self._ending = False
        self._name = name
        self._thread: threading.Thread | None = None

    def ask(self, work: Callable[[], Any]) -> None:
        """Work this out, unless something newer comes before it is begun."""
        with self._wake:
            self._next = work
            if self._thread is None and not self._ending:
                self._thread = threading.Thread(target=self._run, name=self._name, daemon=True)
                self._thread.start()
            self._wake.notify()

    def stop(self, wait: bool = True) -> None:
        """End the worker; `wait`: until what it is at is finished."""
        with self._wake:
            self._ending, self._next = True, None
            self._wake.notify()
            thread = self._thread
        if wait and thread is not None:
            thread.join(10)

    def _run(self) -> None:
        while True:
            with self._wake:
                if self._next is None and not self._ending:
                    self._wake.wait_for(lambda: self._next is not None or self._ending, IDLE)
                if self._ending or self._next is None:
                    self._thread = None
                    return
                work, self._next = self._next, None
            try:
                result = work()
            except BaseException as error:  # a fault there is no reason to end here
                log.fault("A question could not be answered.", error)
                continue
            finally:
                work = None  # it holds what it was asked about
            if not self._ending:
                try:
                    self.answered.emit(result)
                except RuntimeError:  # whoever asked has gone without a word
                    return
            result = None
