"""The studio's window: from a keyword to a board of candidates, and from there into the piece."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMessageBox,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.standins import painters
from nimble_tile.studio.board import BoardFile, Candidate, open_board
from nimble_tile.studio.making import Studio, Told
from nimble_tile.studio.recipes import Recipe, more_weight, other_seeds
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import set_checked
from nimble_tile.ui.kit.images import paths_in, welcome
from nimble_tile.ui.rooms.studio.bringing import Bringing
from nimble_tile.ui.rooms.studio.keeping import Keeping
from nimble_tile.ui.rooms.studio.large import Large
from nimble_tile.ui.rooms.studio.looking import Looking
from nimble_tile.ui.rooms.studio.parts import Asking, BoardColumn
from nimble_tile.ui.rooms.studio.running import Runs
from nimble_tile.ui.rooms.studio.wishes import Wishes
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    from nimble_tile.ui.work.tools import Tools

MORE_SEEDS = 4
"""Candidates that "Other seeds" adds."""

SIZE = (1260, 790)

LARGE = 290, 392
"""Least and largest width of the chosen candidate, in pixels."""


class StudioWindow(SideWindow):
    """Candidates: painted here or made elsewhere, each tried as soon as it is there.

    Signals
    -------
    used
        A candidate has become the picture of the piece.
    drafted
        Candidates were kept as drafts.
    mend_wanted : ndarray, str, str
        A picture (uint8 H × W × 3) is to be mended by hand: its name, and what it is to say.
    """

    used = Signal()
    drafted = Signal()
    mend_wanted = Signal(object, str, str)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("Paint and choose"), *SIZE)
        self.board: BoardFile = open_board(tools.settings.boards_folder)
        self.keeping = Keeping(self.board, self.jobs, tools, self)
        self.candidates: dict[int, Candidate] = {}
        self._down = False  # the board is closed
        self.runs = Runs(self.board, tools, self.jobs, self)
        self.bringing = Bringing(self.board, self.jobs, tools.settings, self)
        self._build()
        self._lay_out()
        self.setAcceptDrops(True)
        self.looking = Looking(self.board, self.column.view, self.large, self)
        self._connect()
        self.wishes = Wishes(self.asking, self.board, tools)
        tools.session.changed.connect(lambda _: self._follow())
        self._follow()
        self.refresh()

    def _build(self) -> None:
        self.asking, self.column = Asking(), BoardColumn(self.board.thumb)
        asking, column = self.asking, self.column
        self.describe, self.guides, self.varied = asking.describe, asking.guides, asking.varied
        self.elsewhere, self.folds = asking.elsewhere, asking.folds
        self.one, self.many = asking.one, asking.many
        self.view, self.order, self.count = column.view, column.order, column.count
        self.fold_away, self.mend_all = column.fold_away, column.mend_all
        self.large = Large()
        self.stop_it = QPushButton(tr("Stop"))
        self.stop_it.hide()

    def _lay_out(self) -> None:
        whole = QHBoxLayout()
        whole.setSpacing(16)
        whole.addWidget(self.asking)
        whole.addWidget(self.column, 1)
        self.large.setMinimumWidth(LARGE[0])
        self.large.setMaximumWidth(LARGE[1])
        whole.addWidget(self.large, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(20, 16, 20, 12)
        outer.setSpacing(8)
        outer.addLayout(whole, 1)
        outer.addWidget(self.bar)
        outer.addLayout(self.foot(self.stop_it))
        self.bar.hide()

    def _connect(self) -> None:
        self.one.clicked.connect(lambda: self._try(self.paint_one))
        self.many.clicked.connect(lambda: self._try(self.paint_many))
        self.stop_it.clicked.connect(self._stop_or_go)
        self.runs.told.connect(self._take)
        self.runs.ended.connect(self._ended)
        self.runs.failed.connect(self._failed)
        self.asking.edited.connect(self._offer)
        self.order.chosen.connect(lambda _: self.refresh())
        self.fold_away.toggled.connect(lambda _: self.refresh())
        self.view.itemSelectionChanged.connect(lambda: self.looking.show(self._chosen()))
        self.view.taken.connect(lambda _: self._try(self.use))
        self.view.starred.connect(self.star)
        self.view.removed.connect(self.remove)
        large = self.large
        for button, does in (
            (large.use, self.use), (large.draft, self.draft), (large.mend, self.mend),
            (large.seeds, self.more_seeds), (large.more, self.more_weight),
            (large.save, self.save), (large.remove, self.remove),
            (self.column.clear, self.clear_board),
            (self.mend_all, self.mend_near), (self.elsewhere.bring, self.bringing.choose),
            (self.elsewhere.out, self.guide_out), (self.elsewhere.watch, self.bringing.toggle),
        ):  # fmt: skip
            button.clicked.connect(lambda _=False, does=does: self._try(does))
        large.stars.chosen.connect(self.star)
        self.elsewhere.colour_wanted.connect(self._colour)
        self.keeping.used.connect(self.used)
        self.keeping.drafted.connect(self.drafted)
        self.keeping.mend_wanted.connect(self.mend_wanted)
        self.keeping.told.connect(lambda text, bad: self.say(text, "error" if bad else "soft"))
        self.bringing.taken.connect(self.work)
        self.bringing.told.connect(lambda text, bad: self.say(text, "error" if bad else "soft"))
        self.bringing.watching.connect(lambda on: set_checked(self.elsewhere.watch, on))

    def _try(self, work: Callable[[], object]) -> None:
        """What a person can put right is said at the foot."""
        try:
            work()
        except UserError as error:
            self.say(str(error), "error")

    # What it is about ------------------------------------------------------------------

    @property
    def message(self) -> str:
        """What the codes are to say."""
        return self.tools.session.piece.message.text

    def _follow(self) -> None:
        self.elsewhere.set_message(self.message)
        self.bringing.message = self.message
        self._offer()

    def recipe(self) -> Recipe:
        """The recipe as it is set; `UserError` where there is none yet."""
        return self.wishes.recipe(self.view.chosen)

    # Painting ---------------------------------------------------------------------------

    def paint_one(self) -> None:
        """One painting, as it is set."""
        self.ask([self.recipe()])

    def paint_many(self) -> None:
        """Candidates over all that is varied."""
        self.ask(self.varied.recipes(self.recipe(), self.describe.all_of_them))

    def ask(self, recipes: Sequence[Recipe]) -> None:
        """Let these be painted, unless they are on the board already."""
        new = self.board.ask(self.message, recipes)
        self.refresh()
        there = [c.id for c in self.candidates.values() if c.recipe == recipes[0]]
        if there:
            self.view.choose(there[-1])
        if not new:
            self.say(tr("That is on the board already. Take another seed, or other settings."))
            return
        self.work()

    def work(self) -> None:
        """Paint and try what waits."""
        self.refresh()
        self._run(tr("Painting"), lambda studio: studio.work())

    def _run(self, what: str, job: Callable[[Studio], object]) -> None:
        """Work with a studio in the background."""
        self.say(f"{what}\u2026")
        self.hold_trials(True)
        self.runs.start(job)
        self._offer()

    @property
    def working(self) -> bool:
        """Whether something is painted, tried or mended."""
        return self.runs.working

    def _ended(self) -> None:
        """A run is over."""
        self._rest()
        if self.working:
            return
        waiting = sum(c.state == "waiting" for c in self.candidates.values())
        self.say(
            self.summary()
            + (tr(" {waiting} wait: press Go on.", waiting=waiting) if waiting else "")
        )

    def _failed(self, error: UserError) -> None:
        self.say(str(error), "error")

    def _rest(self) -> None:
        if not self.working:
            self.hold_trials(False)
            self.bar.hide()
            self.looking.growing = 0
            self.view.busy.clear()
        self.refresh()

    def _stop_or_go(self) -> None:
        if self.working:
            self.halt()
        else:
            self.work()

    def halt(self) -> None:
        """End what is being worked on; what is not known yet waits for the next time."""
        self.runs.stop()
        self._rest()

    def _take(self, told: Told) -> None:
        """The studio tells something."""
        number = told.number
        if told.what == "painting":
            self.looking.grow(number, told.state)
        elif told.what == "trying":
            self.view.say(number, tr("is being tried"))
        elif told.what == "mending":
            self.view.say(number, tr("is being mended"))
            self.bar.show()
            self.bar.setValue(round(100 * told.share))
            name = self.candidates[number].name if number in self.candidates else tr("a candidate")
            self.say(tr("Mending {name}…", name=name))
        else:
            self.view.busy.pop(number, None)
            self.refresh()
            done = [c for c in self.candidates.values() if c.state != "waiting"]
            if len(done) < len(self.candidates):
                self.bar.show()
                self.bar.setValue(round(100 * len(done) / len(self.candidates)))
                self.say(
                    tr(
                        "{summary} {candidates} to go.",
                        summary=self.summary(),
                        candidates=len(self.candidates) - len(done),
                    )
                )

    # Mending -----------------------------------------------------------------------------

    def mend(self) -> None:
        """Mend the chosen candidates; one on which no code was found goes to the mend window,
        where one can say where it is."""
        chosen = self._chosen()
        if len(chosen) == 1 and chosen[0].lost:
            self.keeping.hand_on(chosen[0])
            return
        self._mend([n for n in self.view.chosen if self.candidates[n].piece is not None])

    def mend_near(self) -> None:
        """Mend all near misses."""
        self._mend([c.id for c in self.candidates.values() if c.near])

    def _mend(self, numbers: Sequence[int]) -> None:
        wanted = [n for n in numbers if not self.candidates[n].mended]
        if wanted:
            self._run(tr("Mending"), lambda studio: studio.mend(wanted))

    # Going on with some --------------------------------------------------------------------

    def _chosen(self) -> list[Candidate]:
        return [self.candidates[n] for n in self.view.chosen if n in self.candidates]

    def more_seeds(self) -> None:
        """Others like the chosen ones."""
        taken = [c.recipe.seed for c in self.candidates.values() if c.recipe is not None]
        recipes = [c.recipe for c in self._chosen() if c.recipe is not None]
        self.ask([r for recipe in recipes for r in other_seeds(recipe, MORE_SEEDS, taken)])

    def more_weight(self) -> None:
        """The chosen ones with a little more weight."""
        recipes = [c.recipe for c in self._chosen() if c.recipe is not None]
        self.ask([more_weight(recipe) for recipe in recipes])

    def star(self, stars: int) -> None:
        """Give the chosen ones stars."""
        for number in self.view.chosen:
            self.board.star(number, stars)
        self.refresh()

    def remove(self) -> None:
        """Take the chosen ones off the board."""
        chosen = self.view.chosen
        starred = [n for n in chosen if self.candidates[n].stars]
        if starred and not self._sure(
            tr(
                "Remove {chosen}, of which {starred} have stars?",
                chosen=len(chosen),
                starred=len(starred),
            )
        ):
            return
        self.board.remove(chosen)
        self.refresh()

    def clear_board(self) -> None:
        """An empty board."""
        if self.candidates and self._sure(
            tr("Remove all {candidates} candidates?", candidates=len(self.candidates))
        ):
            self.halt()
            self.board.clear()
            self.refresh()

    def _sure(self, question: str) -> bool:
        answer = QMessageBox.question(self, tr("Remove"), question)
        return answer == QMessageBox.StandardButton.Yes

    def use(self) -> None:
        """The chosen candidate becomes the picture of the piece."""
        chosen = self._chosen()
        if len(chosen) == 1 and chosen[0].piece is not None:
            self.keeping.use(chosen[0])

    def draft(self) -> None:
        """Keep the chosen candidates as drafts."""
        self.keeping.draft([c for c in self._chosen() if c.piece is not None])

    def save(self) -> None:
        """Write the chosen candidate, and read it back."""
        chosen = self._chosen()
        if len(chosen) == 1 and chosen[0].piece is not None:
            self.keeping.save(chosen[0])
        elif chosen:
            raise UserError(tr("No code was found on it; there is nothing to prove."))

    # Made elsewhere ---------------------------------------------------------------------

    def guide_out(self) -> None:
        """Write the guide."""
        if self.elsewhere.symbol is not None:
            self.keeping.guide_out(self.elsewhere.symbol, self.elsewhere.wish)

    def bring(self, paths: Sequence[Path]) -> None:
        """Take in pictures that were made elsewhere, and try them."""
        self.bringing.bring(paths)

    def watch(self, folder: Path) -> None:
        """Take in what is written into a folder from now on."""
        self.bringing.watch(folder)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        paths = paths_in(event.mimeData())
        if paths:
            self.bring(paths)
        else:
            self.say(tr("Drop picture files here."), "error")

    def _colour(self, swatch) -> None:
        def take(colour: str) -> None:
            swatch.set_colour(colour)
            self.elsewhere.refresh()

        self.tools.colours.open(swatch, swatch.accessibleName(), take, lambda: None)

    # Showing ------------------------------------------------------------------------------

    def summary(self) -> str:
        """How many read, in words."""
        known = [c for c in self.candidates.values() if c.state != "waiting" and c.verdict]
        if not known:
            return ""
        well = sum(c.verdict == "well" for c in known)
        return tr(
            "{count} of {known} read, {well} of them well.",
            count=sum(c.reads for c in known),
            known=len(known),
            well=well,
        )

    def refresh(self) -> None:
        """Show the board as it is."""
        if self._down:
            return
        found = self.board.candidates()
        self.candidates = {c.id: c for c in found}
        self.view.show_all(found, str(self.order.value), self.fold_away.isChecked())
        hidden = len(found) - self.view.count()
        told = self.summary().rstrip(".") or ("" if found else tr("No candidates yet"))
        self.count.setText(
            tr("{told}, {hidden} folded away", told=told, hidden=hidden) if hidden else told
        )
        near = sum(c.near for c in found)
        self.mend_all.setText(
            tr("Mend the near misses ({near})", near=near) if near else tr("Mend the near misses")
        )
        self._offer()

    def _offer(self) -> None:
        """What can be done now."""
        busy = self.working
        waiting = sum(c.state == "waiting" for c in self.candidates.values())
        self.stop_it.setVisible(busy or waiting > 0)
        self.stop_it.setText(tr("Stop") if busy else tr("Go on ({waiting})", waiting=waiting))
        self.mend_all.setEnabled(any(c.near for c in self.candidates.values()))
        self.column.clear.setEnabled(bool(self.candidates))
        self.asking.offer()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        waiting = sum(c.state == "waiting" for c in self.candidates.values())
        if waiting and not self.working:
            self.say(tr("{waiting} candidates of before still wait. Press Go on.", waiting=waiting))
        elif not self.candidates:
            painter = next(iter(painters().values()))
            self.say(tr("{name}: works on this machine, without a network.", name=painter.name))

    def closeEvent(self, event) -> None:
        self.bringing.stop()
        super().closeEvent(event)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for part in (self.asking, self.column, self.large):
            part.dress(theme)

    def shut_down(self) -> None:
        self.halt()
        self.bringing.stop()
        super().shut_down()
        self.looking.stop()
        self._down = True
        self.board.close()
