"""The studio's window: from a keyword to a board of candidates, and from there into the piece."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QImage
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMessageBox,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.standins import painters
from nimble_tile.studio.board import BoardFile, Candidate, open_board
from nimble_tile.studio.making import Studio, Told, unguided_key
from nimble_tile.studio.recipes import Recipe, more_weight, other_seeds
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Fold, Segments, row, scrolled, set_checked
from nimble_tile.ui.kit.images import PICTURES, paths_in, to_qimage, welcome
from nimble_tile.ui.rooms.studio.board import BoardView
from nimble_tile.ui.rooms.studio.describe import Describe
from nimble_tile.ui.rooms.studio.elsewhere import Elsewhere
from nimble_tile.ui.rooms.studio.guiding import Guides, Varied
from nimble_tile.ui.rooms.studio.keeping import Keeping
from nimble_tile.ui.rooms.studio.large import Large
from nimble_tile.ui.work.jobs import Latest
from nimble_tile.ui.work.side_window import SideWindow
from nimble_tile.ui.work.watcher import Watcher

if TYPE_CHECKING:
    from nimble_tile.ui.work.tools import Tools

MORE_SEEDS = 4
"""Candidates that "Other seeds" adds."""

SIZE = (1260, 790)

LARGE = 392
"""Width of the chosen candidate, in pixels."""


class StudioWindow(SideWindow):
    """Candidates: painted here or made elsewhere, each tried as soon as it is there.

    Signals
    -------
    used
        A candidate has become the picture of the piece.
    drafted
        Candidates were kept as drafts.
    """

    used = Signal()
    drafted = Signal()
    _heard = Signal(object)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, "Paint and choose", *SIZE)
        self.board: BoardFile = open_board(tools.settings.boards_folder)
        self.keeping = Keeping(self, tools)
        self.studio: Studio | None = None
        self.candidates: dict[int, Candidate] = {}
        self._growing = 0  # the candidate that is being painted
        self._down = False  # the board is closed
        self._runs: list[Callable] = []  # studio work that is not done
        self._build()
        self._lay_out()
        self.setAcceptDrops(True)
        self._looker = Latest("candidate", self)
        self._looker.answered.connect(self._looked)
        self.watcher = Watcher(self)
        self._connect()
        self._remembered()
        tools.session.changed.connect(lambda _: self._follow())
        self._follow()
        self.refresh()

    def _build(self) -> None:
        self.describe, self.guides, self.varied = Describe(), Guides(), Varied()
        self.elsewhere = Elsewhere()
        self.one, self.many = QPushButton("Paint one"), QPushButton("Paint candidates")
        self.many.setProperty("main", True)
        self.shuffle = QToolButton()
        self.shuffle.setAccessibleName("Another seed")
        self.shuffle.setToolTip("Another seed: the same words, composed otherwise")
        self.stop_it = QPushButton("Stop")
        self.stop_it.hide()
        self.view = BoardView(self.board.thumb)
        self.large = Large()
        self.count = QLabel()
        self.count.setProperty("head", True)
        self.order = Segments(
            "Sort by",
            [("reach", "Reach", "What passes most trials first"),
             ("likeness", "Likeness", "What reads and is most like the unguided painting first"),
             ("stars", "Stars", "What you like best first"),
             ("came", "Order", "In the order of their making")],
        )  # fmt: skip
        self.order.set_value("reach")
        self.fold_away = QCheckBox("Only what reads")
        self.mend_all = QPushButton("Mend the near misses")
        self.mend_all.setToolTip(
            "Pictures that do not scan well although most of their modules are right"
        )
        self.clear = QPushButton("Clear the board\u2026")

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 10, 0)
        column.setSpacing(8)
        self.folds = []
        for title, inside, is_open in (
            ("Describe", self.describe, True), ("Guide", self.guides, True),
            ("Candidates", self.varied, False), ("Made elsewhere", self.elsewhere, False),
        ):  # fmt: skip
            fold = Fold(title, is_open)
            fold.inside.addWidget(inside)
            column.addWidget(fold)
            self.folds.append(fold)
        column.addStretch(1)
        side = QVBoxLayout()
        side.setSpacing(8)
        side.addWidget(scrolled(left, 312), 1)
        seed = QLabel("Seed")
        seed.setBuddy(self.guides.seed)
        self.guides.seed.setFixedWidth(84)
        side.addLayout(row(seed, self.guides.seed, self.shuffle, 1, spacing=6))
        side.addLayout(row(self.one, self.many, 1, spacing=6))
        head = row(self.count, 1, self.order, spacing=12)
        middle = QVBoxLayout()
        middle.setSpacing(8)
        middle.addLayout(head)
        middle.addWidget(self.view, 1)
        middle.addLayout(row(self.mend_all, self.fold_away, 1, self.clear, spacing=12))
        whole = QHBoxLayout()
        whole.setSpacing(16)
        whole.addLayout(side)
        whole.addLayout(middle, 1)
        self.large.setFixedWidth(LARGE)
        whole.addWidget(self.large)
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
        self.shuffle.clicked.connect(lambda: self.guides.seed.setValue(secrets.randbelow(1000)))
        self._heard.connect(self._take)
        for part in (self.describe, self.guides, self.varied):
            part.edited.connect(self._offer)
        self.order.chosen.connect(lambda _: self.refresh())
        self.fold_away.toggled.connect(lambda _: self.refresh())
        self.view.itemSelectionChanged.connect(self._show_chosen)
        self.view.taken.connect(lambda _: self._try(self.use))
        self.view.starred.connect(self.star)
        self.view.removed.connect(self.remove)
        large = self.large
        for button, does in (
            (large.use, self.use), (large.draft, self.draft), (large.mend, self.mend),
            (large.seeds, self.more_seeds), (large.more, self.more_weight),
            (large.save, self.save), (large.remove, self.remove), (self.clear, self.clear_board),
            (self.mend_all, self.mend_near), (self.elsewhere.bring, self.choose_pictures),
            (self.elsewhere.out, self.guide_out),
        ):  # fmt: skip
            button.clicked.connect(lambda _=False, does=does: self._try(does))
        large.stars.chosen.connect(self.star)
        large.way.chosen.connect(lambda _: self._look())
        self.elsewhere.watch.clicked.connect(self.toggle_watch)
        self.elsewhere.colour_wanted.connect(self._colour)
        self.watcher.appeared.connect(lambda path: self.bring([path]))
        self.watcher.lost.connect(self._lost)

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
        self._offer()

    def _remembered(self) -> None:
        told = self.tools.settings.get("painted last", {})
        if isinstance(told, dict) and all(isinstance(v, str) for v in told.values()):
            self.describe.avoid.setText(told.get("avoid", ""))
            self.describe.set_text(told.get("words", ""))

    def _start_key(self) -> str:
        """The picture that a painting begins from, kept on the board."""
        kind, data = self.guides.start.value, None
        if kind == "picture":
            digest = self.tools.session.piece.picture.digest
            if digest is None:
                raise UserError("The piece has no picture to begin from.", "Bring one in first.")
            data = self.tools.pictures.file(digest)
        elif kind == "chosen":
            chosen = self.view.chosen
            data = self.board.image(chosen[0]) if len(chosen) == 1 else None
            if data is None:
                raise UserError("No candidate is chosen to begin from.", "Choose one.")
        if data is None:
            return ""
        key = hashlib.sha256(data).hexdigest()
        self.board.keep(key, data)
        return key

    def recipe(self) -> Recipe:
        """The recipe as it is set; `UserError` where there is none yet."""
        if not self.describe.words:
            raise UserError("Nothing is described yet.", "Write a keyword, and let it describe.")
        words, avoid = self.describe.words, self.describe.avoided
        self.tools.settings.set("painted last", {"words": words, "avoid": avoid})
        return self.guides.recipe(words, avoid, self._start_key())

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
            self.say("That is on the board already. Take another seed, or other settings.")
            return
        self.work()

    def work(self) -> None:
        """Paint and try what waits."""

        def job(studio: Studio) -> None:
            studio.work()

        self._run("Painting", job)

    def _run(self, what: str, job: Callable[[Studio], None]) -> None:
        """Work with a studio in the background."""
        tools = self.tools

        def run(progress) -> bool:
            studio = Studio(
                self.board, tools.bay, tools.prover.readers, tools.prover.trials, self._heard.emit
            )
            self.studio = studio
            try:
                if not progress.cancelled:
                    job(studio)
            except Stopped:
                pass
            finally:
                self.studio = None
                studio.close()
            return True

        def ended(answer: Callable) -> Callable:
            def hear(result) -> None:
                self._runs.remove(run)
                self._rest()
                answer(result)

            return hear

        self.say(f"{what}\u2026")
        self.hold_trials(True)
        self._runs.append(run)
        self.jobs.start(run, ended(lambda _: self._done()), ended(self._failed))
        self._offer()

    @property
    def working(self) -> bool:
        """Whether something is painted, tried or mended."""
        return bool(self._runs)

    def _done(self) -> None:
        waiting = sum(c.state == "waiting" for c in self.candidates.values())
        if self.working:
            return
        told = self.summary()
        if waiting:
            told += f" {waiting} wait: press Go on."
        self.say(told)

    def _failed(self, error: UserError) -> None:
        self.say(str(error), "error")

    def _rest(self) -> None:
        if not self.working:
            self.hold_trials(False)
            self.bar.hide()
            self._growing = 0
            self.view.busy.clear()
        self.refresh()

    def _stop_or_go(self) -> None:
        if self.working:
            self.halt()
        else:
            self.work()

    def halt(self) -> None:
        """End what is being worked on; what is not known yet waits for the next time."""
        for work in self.jobs.clear():
            if work in self._runs:
                self._runs.remove(work)
        super().halt()
        if self.studio is not None:
            self.studio.stop()
        self._rest()

    def _take(self, told: Told) -> None:
        """The studio tells something."""
        number = told.number
        if told.what == "painting":
            self._growing = number
            state = told.state
            image = to_qimage(state.image)
            self.view.grow(number, image, f"step {state.step} of {state.steps}")
            if self.view.chosen in ([], [number]):
                self.large.canvas.take(image)
        elif told.what == "trying":
            self.view.say(number, "is being tried")
        elif told.what == "mending":
            self.view.say(number, "is being mended")
            self.bar.show()
            self.bar.setValue(round(100 * told.share))
            name = self.candidates[number].name if number in self.candidates else "a candidate"
            self.say(f"Mending {name}\u2026")
        else:
            self.view.busy.pop(number, None)
            self.refresh()
            done = [c for c in self.candidates.values() if c.state != "waiting"]
            if len(done) < len(self.candidates):
                self.bar.show()
                self.bar.setValue(round(100 * len(done) / len(self.candidates)))
                self.say(f"{self.summary()} {len(self.candidates) - len(done)} to go.")

    # Mending -----------------------------------------------------------------------------

    def mend(self) -> None:
        """Mend the chosen candidates."""
        self._mend([n for n in self.view.chosen if self.candidates[n].piece is not None])

    def mend_near(self) -> None:
        """Mend all near misses."""
        self._mend([c.id for c in self.candidates.values() if c.near])

    def _mend(self, numbers: Sequence[int]) -> None:
        wanted = [n for n in numbers if not self.candidates[n].mended]
        if wanted:
            self._run("Mending", lambda studio: studio.mend(wanted) and None)

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
        if starred and not self._sure(f"Remove {len(chosen)}, of which {len(starred)} have stars?"):
            return
        self.board.remove(chosen)
        self.refresh()

    def clear_board(self) -> None:
        """An empty board."""
        if self.candidates and self._sure(f"Remove all {len(self.candidates)} candidates?"):
            self.halt()
            self.board.clear()
            self.refresh()

    def _sure(self, question: str) -> bool:
        answer = QMessageBox.question(self, "Remove", question)
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
            raise UserError("No code was found on it; there is nothing to prove.")

    # Made elsewhere ---------------------------------------------------------------------

    def guide_out(self) -> None:
        """Write the guide."""
        if self.elsewhere.symbol is not None:
            self.keeping.guide_out(self.elsewhere.symbol, self.elsewhere.wish)

    def choose_pictures(self) -> None:
        """Ask for pictures that were made elsewhere."""
        paths, _ = QFileDialog.getOpenFileNames(
            self, "Pictures in", self.tools.settings.folder_of("candidates"), PICTURES
        )
        if paths:
            self.tools.settings.set_folder_of("candidates", Path(paths[0]))
            self.bring([Path(path) for path in paths])

    def bring(self, paths: Sequence[Path]) -> None:
        """Take in pictures that were made elsewhere, and try them."""
        message, board = self.message, self.board

        def read(progress) -> tuple[int, list[str]]:
            from nimble_tile.core.picture.opening import read_file

            taken, troubles = 0, []
            for path in paths:
                try:
                    board.bring(message, path.name, read_file(path))
                    taken += 1
                except UserError as error:
                    troubles.append(str(error))
            return taken, troubles

        def done(found: tuple[int, list[str]]) -> None:
            taken, troubles = found
            self.refresh()
            if taken:
                self.work()
            if troubles:
                self.say(" ".join(troubles[:3]), "error")

        self.jobs.start(read, done, self._failed)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        paths = paths_in(event.mimeData())
        if paths:
            self.bring(paths)
        else:
            self.say("Drop picture files here.", "error")

    def toggle_watch(self) -> None:
        """Watch a folder, or no longer."""
        if self.watcher.folder is not None:
            self.watcher.stop()
            self.say("No folder is watched any more.")
        else:
            folder = QFileDialog.getExistingDirectory(
                self, "Watch a folder", self.tools.settings.folder_of("candidates")
            )
            if folder:
                self.watch(Path(folder))
        set_checked(self.elsewhere.watch, self.watcher.folder is not None)

    def watch(self, folder: Path) -> None:
        """Take in what is written into a folder from now on."""
        self.watcher.watch(folder)
        if self.watcher.folder is not None:
            self.say(f"Pictures that are written into {folder.name} are taken in as they appear.")
        set_checked(self.elsewhere.watch, self.watcher.folder is not None)

    def _lost(self, told: str) -> None:
        set_checked(self.elsewhere.watch, False)
        self.say(told, "error")

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
        return f"{sum(c.reads for c in known)} of {len(known)} read, {well} of them well."

    def refresh(self) -> None:
        """Show the board as it is."""
        if self._down:
            return
        found = self.board.candidates()
        self.candidates = {c.id: c for c in found}
        self.view.show_all(found, str(self.order.value), self.fold_away.isChecked())
        hidden = len(found) - self.view.count()
        told = self.summary().rstrip(".") or ("" if found else "No candidates yet")
        self.count.setText(f"{told}, {hidden} folded away" if hidden else told)
        near = sum(c.near for c in found)
        self.mend_all.setText(f"Mend the near misses ({near})" if near else "Mend the near misses")
        self._offer()

    def _show_chosen(self) -> None:
        chosen = self._chosen()
        self.large.show_candidates(chosen, True)
        way = self.large.way
        if len(chosen) != 1 or not way.button(way.value).isEnabled():
            way.set_value("image")
        self._look()

    def _look(self) -> None:
        """Show the chosen candidate large."""
        chosen = self._chosen()
        if len(chosen) != 1:
            if not (self._growing and not chosen):
                self.large.canvas.take(QImage())
            return
        one, way = chosen[0], self.large.way.value
        if one.state == "waiting":
            self.large.canvas.take(self.view.image(one))
            return

        def open_it() -> tuple[int, QImage]:
            from nimble_tile.core.picture.opening import open_picture

            if way == "unguided":
                data = self.board.kept(unguided_key(one.recipe))
            else:
                data = self.board.image(one.id, way == "before")
            if data is None:
                return one.id, QImage()
            return one.id, to_qimage(open_picture(data, one.name).over("#ffffff"))

        self._looker.ask(open_it)

    def _looked(self, found: tuple[int, QImage]) -> None:
        if self.view.chosen == [found[0]]:
            self.large.canvas.take(found[1])

    def _offer(self) -> None:
        """What can be done now."""
        busy = self.working
        waiting = sum(c.state == "waiting" for c in self.candidates.values())
        self.stop_it.setVisible(busy or waiting > 0)
        self.stop_it.setText("Stop" if busy else f"Go on ({waiting})")
        self.mend_all.setEnabled(any(c.near for c in self.candidates.values()))
        self.clear.setEnabled(bool(self.candidates))
        described = bool(self.describe.words)
        self.one.setEnabled(described)
        self.many.setEnabled(described)
        for button in (self.one, self.many):
            button.setToolTip("" if described else "Write a keyword, and let it describe")
        try:
            recipe = self.guides.recipe(self.describe.words, "")
            count = len(self.varied.recipes(recipe, self.describe.all_of_them))
            self.many.setText(f"Paint {count} candidates")
            self.varied.told.setText(
                f"{count} paintings over seeds, weights and ends; each is tried at once."
            )
        except UserError as error:
            self.many.setText("Paint candidates")
            self.many.setEnabled(False)
            self.many.setToolTip(str(error))
            self.varied.told.setText(str(error))

    def showEvent(self, event) -> None:
        super().showEvent(event)
        waiting = sum(c.state == "waiting" for c in self.candidates.values())
        if waiting and not self.working:
            self.say(f"{waiting} candidates of before still wait. Press Go on.")
        elif not self.candidates:
            painter = next(iter(painters().values()))
            self.say(f"{painter.name}: works on this machine, without a network.")

    def closeEvent(self, event) -> None:
        self.watcher.stop()
        set_checked(self.elsewhere.watch, False)
        super().closeEvent(event)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.view.theme = theme
        self.shuffle.setIcon(themes.icon("shuffle", theme.ink))
        self.view.viewport().update()
        for part in (self.describe, self.guides, self.elsewhere, self.large, *self.folds):
            part.dress(theme)

    def shut_down(self) -> None:
        self.halt()
        self.watcher.stop()
        super().shut_down()
        self._looker.stop()
        self._down = True
        self.board.close()
