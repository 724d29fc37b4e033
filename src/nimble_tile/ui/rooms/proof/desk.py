"""Joins the prover with band, wall, the large view of a trial and the costs on the ladder."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.asking import passing
from nimble_tile.ui.rooms.proof.band import VerdictBand
from nimble_tile.ui.rooms.proof.trial_view import TrialView
from nimble_tile.ui.rooms.proof.wall import TrialWall
from nimble_tile.ui.work.prover import Case

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.trials.cost import Cost
    from nimble_tile.core.trials.limits import Reached
    from nimble_tile.core.trials.room import Result
    from nimble_tile.core.trials.sets import TrialSet
    from nimble_tile.core.trials.trial import Trial
    from nimble_tile.core.trials.why import Why
    from nimble_tile.ui.work.engine import Engine
    from nimble_tile.ui.work.tools import Stage, Steps, Tools

DEAR, FAIR = 0.08, 0.03
"""Reach from which a rung's cost wears the colour of "fails", and of "thin"."""


class ProofDesk(QObject):
    """Everything about trials in one window.

    Signals
    -------
    learned : Verdict, float or None
        More is known of the piece as it is: its verdict, its reach.

    Attributes
    ----------
    band : VerdictBand
    wall : TrialWall
    view : TrialView
        One trial large.
    """

    learned = Signal(object, object)

    def __init__(
        self, tools: Tools, engine: Engine, ladder: Steps, stage: Stage, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.tools, self.answer = tools, tools.answer
        self.ladder, self.stage, self._engine = ladder, stage, engine
        self._theme = themes.LIGHT
        self.band, self.wall, self.view = VerdictBand(), TrialWall(), TrialView()
        # It goes with the window, also where it was never looked at.
        self.view.setParent(parent)
        self.view.hide()
        self.prover = tools.prover
        self.wall.rest.setChecked(self.prover.paused)
        self.wall.gauge.take(paused=self.prover.paused)
        self.costs: dict[str, Cost] = {}
        self._done = 0
        self._listens = False  # to the page of limits, which is made on first sight
        self.wall.opened.connect(self.open)
        self.wall.edit_wanted.connect(self.edit)
        self.wall.paused.connect(self._pause)
        self.wall.page_changed.connect(self._page)
        self.view.left.connect(self.close_view)
        self.view.stepped.connect(self.step)
        prover = self.prover
        prover.began.connect(self._began)
        prover.tried.connect(self._tried)
        prover.proved.connect(self._proved)
        prover.graded.connect(self._graded)
        prover.cost.connect(self._cost)
        prover.reached.connect(self._reached)
        prover.explained.connect(self._explained)
        prover.broke.connect(
            lambda ticket, what: tools.notices.say(tr("The trials stopped ({what}).", what=what))
        )

    # What the window tells ---------------------------------------------------

    def piece_changed(self) -> None:
        """What is known belongs to an older piece."""
        self.prover.leave()
        self.wall.set_stale(True)
        self.view.set_stale(True)
        self.band.set_stale(True)
        self.band.show_smallest(None)
        self.ladder.set_stale(True)

    def no_code(self) -> None:
        """There is nothing to try."""
        self.answer.no_code()
        self.wall.forget()
        self._forget_costs()
        self.close_view()

    def judged(self, ticket: int, verdict: Verdict) -> None:
        """The newest piece has its verdict: on to the trials."""
        self.answer.judged(verdict)
        self.band.show_verdict(verdict)
        self.ladder.show_verdict(verdict)
        shown = self.answer.shown
        if shown is None or shown.rendering is None or shown.ticket != ticket:
            return
        full = shown.piece.finish.size or shown.natural
        self.learned.emit(verdict, None)
        case = Case(ticket, shown.piece, shown.rendering, verdict, full, shown.pictures)
        self.prover.submit(case)
        self.wall.list.trials.take_set([trial for trial in self.prover.trials if trial.on])
        if self.view.isVisible() and self.view.trial is not None:
            self.prover.ask(self.view.trial)

    # What the prover tells ---------------------------------------------------

    def _current(self, ticket: int) -> bool:
        """Whether news is of the piece that is proved; some arrives after it was left."""
        case = self.prover.case
        return case is not None and case.ticket == ticket == self._engine.ticket

    def _began(self, ticket: int, count: int) -> None:
        if self._current(ticket):
            self._done = 0
            self.wall.list.trials.take_set([trial for trial in self.prover.trials if trial.on])
            self.wall.list.trials.begin()
            self.wall.gauge.take(
                done=0, of=count, bars=self.wall.list.trials.bars(), readers=self.prover.readers
            )

    def _tried(self, ticket: int, result: Result) -> None:
        if not self._current(ticket):
            return
        self._done += 1
        self.wall.list.trials.take(result)
        self.wall.gauge.take(done=self._done, bars=self.wall.list.trials.bars())
        if self.view.isVisible() and self.view.trial == result.trial:
            self.view.readers.take(result)

    def _proved(self, ticket: int, reach: float | None) -> None:
        if self._current(ticket):
            self.answer.reach = reach
            self._settle()
            self.answer.proved = True
            self.learned.emit(self.answer.verdict, reach)
            self.wall.list.trials.set_stale(False)
            bars = self.wall.list.trials.bars()
            self.wall.gauge.take(
                reach=reach, stale=False, done=self._done, of=self._done, bars=bars
            )
            self._forget_costs()

    def _settle(self) -> None:
        """The verdict, now that the trials are through."""
        from nimble_tile.core.trials.outlook import settle

        known = self.wall.list.trials.results
        results = [known[trial][0] for trial in self.wall.list.trials.trials if trial in known]
        verdict = settle(self.prover.case.verdict, results)
        self.answer.verdict = verdict
        self.band.show_verdict(verdict)
        self.ladder.show_verdict(verdict)

    def _graded(self, ticket: int, quality: object) -> None:
        if self._current(ticket):
            self.wall.grade.take(quality)

    def _cost(self, ticket: int, cost: Cost) -> None:
        if not self._current(ticket):
            return
        from nimble_tile.core.trials.cost import WITHOUT
        from nimble_tile.core.trials.reach import percent

        self.costs[cost.rung] = cost
        if cost.reach is None:
            self.ladder.set_cost(cost.rung, "", "")
            return
        points = round(100 * cost.reach)
        state = "fails" if cost.reach >= DEAR else "thin" if cost.reach >= FAIR else "well"
        label = (
            tr("costs {points} %", points=points)
            if points > 0
            else tr("gives {points} %", points=-points)
            if points
            else tr("free")
        )
        without, now = cost.reach_without, self.answer.reach
        told = tr(
            "Reach is {reach} {without}, {now} with it.",
            reach=percent(without),
            without=WITHOUT[cost.rung],
            now=percent(now),
        )
        if cost.spare is not None and round(100 * cost.spare):
            spare = abs(cost.spare)
            told += (
                tr(" Spare: {spare:.0%} more without.", spare=spare)
                if cost.spare > 0
                else tr(" Spare: {spare:.0%} less without.", spare=spare)
            )
        self.ladder.set_cost(cost.rung, label, state, told)

    def _forget_costs(self) -> None:
        self.costs = {}
        self.ladder.forget_costs()

    def _reached(self, ticket: int, reached: Reached) -> None:
        if not self._current(ticket):
            return
        if reached.limit.key == "print":
            self._smallest(reached)
        if self.prover.wants_limits:
            self.wall.limits.take(reached)

    def _smallest(self, reached: Reached) -> None:
        """The smallest print, with the quiet zone that the band's size includes."""
        case = self.prover.case
        if case is not None and reached.value is not None:
            whole = case.rendering.modules / case.rendering.symbol.side
            self.band.show_smallest(reached.value * whole, self.prover.distance)

    def _explained(self, ticket: int, trial: Trial, found: Why) -> None:
        if self._current(ticket) and self.view.trial == trial:
            self.view.explain(found)

    # What the wall asks ------------------------------------------------------

    def open(self, trial: Trial) -> None:
        """See a trial large."""
        known = self.wall.list.trials.results.get(trial)
        self.view.open(trial, known[0] if known else None)
        self.stage.show_instead(self.view)
        self.view.setFocus()
        if self.prover.case is not None:
            self.prover.ask(trial)

    def close_view(self) -> None:
        """Back to the bench."""
        if self.stage.leave(self.view):
            self.wall.list.setFocus()

    def step(self, by: int) -> None:
        """The next trial, or the one before."""
        trials = self.wall.list.trials.trials
        if self.view.trial in trials:
            at = (trials.index(self.view.trial) + by) % len(trials)
            self.wall.list.setCurrentIndex(self.wall.list.trials.index(at))
            self.open(trials[at])

    def _pause(self, on: bool) -> None:
        self.tools.settings.set("trials rest", on)
        self.prover.pause(on)
        self.wall.gauge.take(paused=on)

    def _page(self, page: str) -> None:
        wanted = page == "limits"
        if wanted and not self._listens:
            self._listens = True
            self.wall.limits.asked.connect(self._sought)
        if wanted != self.prover.wants_limits:
            self.prover.wants_limits = wanted
            if wanted:
                self.prover.again()

    def _sought(self, distance: float, size: float) -> None:
        if (distance, size) != (self.prover.distance, self.prover.size):
            self.prover.distance, self.prover.size = distance, size
            self.wall.limits.set_stale(True)
            self.prover.again()

    def edit(self) -> None:
        """Change the set of trials."""
        from nimble_tile.ui.rooms.proof.trial_editor import TrialEditor

        with passing(TrialEditor(self.parent(), self.prover)) as editor:
            editor.dress(self._theme)
            editor.exec()
            if editor.result():
                self.take_set(editor.chosen)

    def take_set(self, chosen: TrialSet) -> None:
        """Try another set from now on, and keep it."""
        from nimble_tile.core.trials.sets import write

        try:
            file = Path(self.tools.settings.trials_file)
            aside = write(chosen.trials, file, chosen.readers)
            if aside is not None:
                self.tools.notices.say(
                    tr("What was not understood of the trials is kept in {aside}.", aside=aside)
                )
        except UserError as error:
            self.tools.notices.say(
                tr("The trials are used but were not saved. {error}", error=error)
            )
        self.prover.use(chosen)
        self.wall.list.trials.take_set([trial for trial in chosen.trials if trial.on])
        self.wall.gauge.take(readers=chosen.readers)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self._theme = theme
        for part in (self.band, self.wall, self.view):
            part.dress(theme)
