"""Runs the gentlest pass from the blend rung."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.work.jobs import Cancelled, Progress

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.tune.candidates import PassStep as Search
    from nimble_tile.ui.rooms.blend.rung import BlendRung
    from nimble_tile.ui.work.tools import Tools

NAME, KEY = tr("Gentlest pass"), "gentlest"


class GentlestRun(QObject):
    """The search; the piece gets better while it goes on, in one undoable step."""

    _better = Signal(int, object, float)

    def __init__(self, tools: Tools, rung: BlendRung, parent: QObject) -> None:
        super().__init__(parent)
        self.tools, self.session, self.rung = tools, tools.session, rung
        self._run = 0  # the search that is heard
        self._made: Piece | None = None  # what the search itself put there
        self._enough = False
        self._better.connect(self._take)
        rung.pass_wanted.connect(self.start)
        rung.pass_stopped.connect(self.stop)
        rung.map_dropped.connect(self._drop_map)
        tools.session.changed.connect(self._changed)

    @property
    def running(self) -> bool:
        """Whether a search goes on."""
        return self._made is not None

    def start(self, wanted: float) -> None:
        """Begin a search."""
        from nimble_tile.core.tune.gentlest import ready

        if self.running:
            return
        try:
            ready(self.session.piece)
        except UserError as error:
            self.rung.tell_pass(str(error))
            return
        self._run += 1
        self._enough = False
        run, piece = self._run, self.session.piece
        self._made = piece
        trials = tuple(self.tools.prover.trials)
        self.tools.prover.hold()  # both would ask for all readers at once
        self.rung.show_pass(True)
        self.rung.tell_pass(tr("Looking at the piece as it is."))
        self.tools.jobs.start(
            lambda progress: self._work(run, piece, wanted, trials, progress),
            lambda found: self._done(run, *found, wanted), lambda error: self._failed(run, error),
        )  # fmt: skip

    def stop(self) -> None:
        """Enough: what is there stays. Jobs that wait or run besides are none of its business."""
        self._enough = True

    def _work(self, run: int, piece: Piece, wanted: float, trials: tuple, progress: Progress):
        from nimble_tile.core.render import Renderer
        from nimble_tile.core.trials.room import Room
        from nimble_tile.core.tune.gentlest import search

        renderer, readers = Renderer(progress.pictures), self.tools.prover.readers
        last = None
        steps = search(
            piece, renderer, Room(self.tools.bay, readers), trials, wanted,
            stop=lambda: progress.cancelled or self._enough or run != self._run,
        )  # fmt: skip
        for step in steps:
            try:
                progress.step(step.what, step.share)
            except Cancelled:
                pass  # the search itself ends with what it has
            if step.best is not None and (last is None or step.best is not last.best):
                self._better.emit(run, step, wanted)
            last = step
        return (last,)  # a job without a result would count as called off

    def _take(self, run: int, step: Search, wanted: float) -> None:
        """The best so far, on the bench."""
        if run != self._run or not self.running or not _worth(step, wanted):
            return
        log = self.session.piece.log
        self._made = step.best.piece.model_copy(update={"log": log})
        self.session.put(self._made, NAME, KEY, grows=True)
        self.rung.tell_pass(_bought(step))

    def _done(self, run: int, last: Search | None, wanted: float) -> None:
        if run != self._run:
            return
        if last is None:  # stopped before anything was known
            self._end()
            self.rung.tell_pass(tr("The search was ended at once; the piece is as it was."))
            return
        if _worth(last, wanted):
            self._take(run, last, wanted)
        elif self.session.piece != last.before.piece and self.session.undo_name == NAME:
            # What was shown on the way did not hold in the end.
            self._made = last.before.piece
            self.session.undo()
        self._end()
        text = _bought(last)
        if not _worth(last, wanted):
            text = tr("Nothing gentler was found that holds that much; the piece is as it was.")
        elif short := last.shortfall(wanted):
            advice = tr(" Ask for less, or shorten the text.") if last.confirmed else ""
            text += f" {short}{advice}"
        self.rung.tell_pass(text)

    def _failed(self, run: int, error: UserError) -> None:
        if run == self._run:
            self._end()
            self.rung.tell_pass(str(error))

    def _end(self) -> None:
        self._made = None
        self.session.part()
        self.rung.show_pass(False)
        self.tools.prover.release()

    def _changed(self, piece: Piece) -> None:
        """Another change than the search's own calls it off."""
        if self.running and piece != self._made:
            self._run += 1
            self._end()
            self.rung.tell_pass(tr("The search ended: the piece was changed meanwhile."))

    def _drop_map(self) -> None:
        self.session.edit("blend", tr("Give all modules the same strength"), map=None)


NEARLY = 0.05
"""Reach that may be missing for a gentler blend still to be worth having; it is said then."""


def _worth(step: Search, wanted: float) -> bool:
    """Whether what was found is worth having: it holds, or holds more than the piece did, or
    nearly holds and is gentler."""
    best = step.best
    if best is None or best.piece == step.before.piece:
        return False
    gentler = best.worth > step.before.worth and best.reach >= wanted - NEARLY
    return step.holds or best.reach > step.before.reach + 0.005 or gentler


def _bought(step: Search) -> str:
    """What the search has bought."""
    before, best = step.before, step.best
    if best is None:
        return ""
    symbol = best.rendering.symbol
    fresh = (
        "" if step.fresh is None else tr(" ({fresh} in fresh trials)", fresh=percent(step.fresh))
    )
    return tr(
        "Reach {reach} before, {reach2} now{fresh}. Fidelity {ssim_view:.2f} "
        "before, {ssim_view2:.2f} now. Version {version}-{level}.",
        reach=percent(before.reach),
        reach2=percent(best.reach),
        fresh=fresh,
        ssim_view=before.fidelity.ssim_view,
        ssim_view2=best.fidelity.ssim_view,
        version=symbol.version,
        level=symbol.level,
    )
