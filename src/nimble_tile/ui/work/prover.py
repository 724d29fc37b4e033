"""The worker that puts the newest judged piece through its trials."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile import log

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from pathlib import Path

    from nimble_tile.core.phonelog import PhoneTest
    from nimble_tile.core.picture.store import Lease
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.rendering import Rendering
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.trials.foreseen import Foreseen
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import TrialSet
    from nimble_tile.core.trials.subject import Subject
    from nimble_tile.core.trials.trial import Trial
    from nimble_tile.core.trials.why import Clues

SEED = 0
"""Every piece meets the same noise."""


@dataclass(frozen=True, eq=False)
class Case:
    """A piece to be proved.

    Attributes
    ----------
    ticket : int
    piece : Piece
    rendering : Rendering
    verdict : Verdict
    full : int
        Longer side of the finished image in pixels.
    pictures : Lease or None
        The right to the piece's pictures while it is proved.
    """

    ticket: int
    piece: Piece
    rendering: Rendering
    verdict: Verdict
    full: int
    pictures: Lease | None = None


class Prover(QObject):
    """Trials, print grade, smallest print, costs and other limits of whatever case came last.

    Signals
    -------
    began : int, int
        Ticket, and how many trials there are.
    tried : int, Result
    proved : int, float or None
        All trials are through; the reach.
    graded : int, Quality
    cost : int, Cost
    costed : int
        All costs are known.
    reached : int, Reached
    explained : int, Trial, Why
    broke : int, str
    set_changed
        Another set of trials is in use.
    """

    began = Signal(int, int)
    tried = Signal(int, object)
    proved = Signal(int, object)
    graded = Signal(int, object)
    cost = Signal(int, object)
    costed = Signal(int)
    reached = Signal(int, object)
    explained = Signal(int, object, object)
    broke = Signal(int, str)
    set_changed = Signal()

    def __init__(self, pictures: Lease, bay: ReaderBay, parent: QObject | None = None):
        super().__init__(parent)
        self._pictures, self._bay = pictures, bay
        self._wake = threading.Condition()
        self._case: Case | None = None  # the newest
        self._todo = False
        self._question: Trial | None = None
        self._ending = False
        self._room: Room | None = None
        self._renderer: Renderer | None = None
        self._known_subject: tuple[Rendering, int, Subject] | None = None
        self._set: TrialSet | None = None
        self._trouble = ""
        self.own_set: Path | None = None  # file of the designer's own set
        self.paused = False  # by the designer
        self._holds = 0  # others that need the readers
        self.trying = False  # trials are being made
        self.wants_limits = False
        self.distance, self.size = 250.0, 40.0
        self._thread = threading.Thread(target=self._run, name="prover", daemon=True)

    @property
    def trials(self) -> tuple[Trial, ...]:
        """The set of trials; the designer's own if there is one."""
        return self._chosen().trials

    @property
    def readers(self) -> tuple[str, ...]:
        """The readers that count."""
        return self._chosen().readers

    @property
    def trouble(self) -> str:
        """What of the designer's own set is not understood, in a sentence; empty: all is."""
        self._chosen()
        return self._trouble

    def _chosen(self) -> TrialSet:
        if self._set is None:
            from nimble_tile.core.trials.sets import understood

            self._set, self._trouble = understood(self.own_set)
        return self._set

    def use(self, chosen: TrialSet) -> None:
        """Take another set of trials, and begin again."""
        self._set = chosen
        self.room().readers = chosen.readers
        self.again()
        self.set_changed.emit()

    @property
    def case(self) -> Case | None:
        """What is being proved, or was last."""
        return self._case

    def submit(self, case: Case) -> None:
        """Prove this one; whatever was being proved is left."""
        with self._wake:
            self._case, self._todo = case, not self.resting
            self._start()
            self._wake.notify()

    def leave(self) -> None:
        """The case is out of date: stop working on it."""
        with self._wake:
            self._todo = False
            self._case = None
            self._question = None

    def again(self) -> None:
        """Work on the same case again; what is known is not worked out anew."""
        with self._wake:
            if self._case is not None and not self.resting:
                case = self._case
                self._case = Case(**vars(case))  # another one: the running work notices
                self._todo = True
                self._start()
                self._wake.notify()

    def pause(self, on: bool) -> None:
        """Rest, or go on."""
        self.paused = on
        if on:
            with self._wake:
                self._todo = False
        else:
            self.again()

    @property
    def resting(self) -> bool:
        """Whether no trials are made now."""
        return self.paused or self._holds > 0

    @property
    def held(self) -> bool:
        """Whether somebody else needs all readers."""
        return self._holds > 0

    def hold(self) -> None:
        """Rest until `release`: somebody else needs all readers. Several may hold at once."""
        self._holds += 1
        with self._wake:
            self._todo = False

    def release(self) -> None:
        """The end of a `hold`."""
        self._holds -= 1
        self.again()

    def ask(self, trial: Trial) -> None:
        """Why a trial ends as it does; the answer comes by `explained`."""
        with self._wake:
            self._question = trial
            self._start()
            self._wake.notify()

    def room(self) -> Room:
        """The measuring room, for others who have something to try."""
        if self._room is None:
            from nimble_tile.core.trials.room import Room

            self._room = Room(self._bay, self.readers)
        return self._room

    def preview(self, trial: Trial) -> Callable[[], tuple] | None:
        """Work that gives trial, frame, and who reads it and the usual code; for other threads.

        None where there is no code.
        """
        case = self._case
        if case is None:
            return None

        def work() -> tuple:
            subject, room = self._subject(case), self.room()
            frame = room.frame(subject, trial, SEED)
            passes = room.passes([(subject, trial), (subject.usual, trial)], SEED)
            return trial, frame, *passes

        return work

    def foresight(self, log: Sequence[PhoneTest]) -> Callable[[], Foreseen] | None:
        """Work that compares a phone log with the trials; for other threads.

        None where there is no code.
        """
        case = self._case
        if case is None:
            return None

        def work() -> Foreseen:
            from nimble_tile.core.trials.foreseen import foresee

            return foresee(self.room(), self._subject(case), log)

        return work

    def stop(self) -> None:
        """End the worker."""
        with self._wake:
            self._ending = True
            self._todo = False
            self._case = None
            self._wake.notify()
        if self._thread.is_alive():
            self._thread.join(10)

    def _start(self) -> None:
        if not self._thread.is_alive() and not self._ending:
            self._thread.start()

    def _run(self) -> None:
        self.room()
        while True:
            with self._wake:
                while not self._todo and self._question is None and not self._ending:
                    self._wake.wait()
                if self._ending:
                    return
                case, work = self._case, self._todo
                self._todo = False
            if case is None:
                self._question = None
                continue
            try:
                self._answer(case)
                if work:
                    self._prove(case)
            except BaseException as error:  # a fault of ours must not end the worker
                log.fault("The trials stopped.", error)
                if not self._ending:
                    self.broke.emit(case.ticket, f"{type(error).__name__}: {error}")

    def _subject(self, case: Case) -> Subject:
        """The case as the subject of trials; digesting its image takes a while, so once."""
        known = self._known_subject
        if known is None or known[0] is not case.rendering or known[1] != case.full:
            from nimble_tile.core.trials.subject import subject_of

            made = subject_of(case.rendering, case.piece.finish.dpi, case.full)
            self._known_subject = known = (case.rendering, case.full, made)
        return known[2]

    def _clues(self, case: Case) -> Clues:
        from nimble_tile.core.trials.why import clues_of

        return clues_of(case.rendering, case.verdict.sample, case.piece)

    def _answer(self, case: Case) -> None:
        """Answer a question, if there is one."""
        with self._wake:
            trial, self._question = self._question, None
        if trial is None or self._case is None:
            return
        from nimble_tile.core.trials.why import why

        found = why(self._room, self._subject(case), trial, self._clues(case), SEED)
        self.explained.emit(case.ticket, trial, found)

    def _prove(self, case: Case) -> None:
        from nimble_tile.core.scan.grade import grade
        from nimble_tile.core.trials.reach import reach

        subject = self._subject(case)
        trials = [trial for trial in self.trials if trial.on]
        self.began.emit(case.ticket, len(trials))

        def stop() -> bool:
            return self._case is not case or self._ending or self.resting

        results = []
        self.trying = True
        try:
            for result in self._room.run(subject, trials, SEED, stop, thumbs=True):
                results.append(result)
                self.tried.emit(case.ticket, result)
                self._answer(case)
        finally:
            self.trying = False
        if stop():
            return
        whole = reach(results)
        self.proved.emit(case.ticket, whole)
        self.graded.emit(case.ticket, grade(subject.image, subject.quad, subject.symbol))
        if not stop():
            self._limits(case, subject, stop, ("print",))
        self._costs(case, trials, whole, stop)
        if not stop() and self.wants_limits:
            self._limits(case, subject, stop, None)

    def _costs(
        self, case: Case, trials: list[Trial], whole: float | None, stop: Callable[[], bool]
    ) -> None:
        from nimble_tile.core.render import Renderer
        from nimble_tile.core.trials.cost import costs

        self._renderer = renderer = self._renderer or Renderer(self._pictures)
        size = max(case.rendering.size)
        known = (whole, case.verdict.spare)
        for cost in costs(renderer, self._room, case.piece, trials, size, known, SEED, stop):
            self.cost.emit(case.ticket, cost)
            self._answer(case)
        if not stop():
            self.costed.emit(case.ticket)

    def _limits(
        self, case: Case, subject: Subject, stop: Callable[[], bool], only: Sequence[str] | None
    ) -> None:
        from nimble_tile.core.trials.limits import limits

        for reached in limits(self._room, subject, self.distance, self.size, stop, only):
            self.reached.emit(case.ticket, reached)
            self._answer(case)
