"""Mending: a finished picture in, the same picture out with the smallest change that scans."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QMimeData, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.asking import save_path
from nimble_tile.ui.kit.controls import Segments, row, scrolled
from nimble_tile.ui.kit.images import PICTURES, from_qimage, image_in, paths_in, to_qimage, welcome
from nimble_tile.ui.rooms.mend.controls import MendControls
from nimble_tile.ui.rooms.mend.places import changes_image, in_words
from nimble_tile.ui.rooms.mend.view import MendView
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.tune.mend import Attempt, MendStep
    from nimble_tile.core.tune.recover import Suspect
    from nimble_tile.ui.work.tools import Tools

_SAVED = tr("PNG (*.png);;JPEG (*.jpg *.jpeg)")


@dataclass(frozen=True)
class Task:
    """Work in the background: its number, and whether it should end."""

    run: int
    stop: Callable[[], bool]


class MendWindow(SideWindow):
    """The window that mends; it belongs to a main window and uses its readers and trials."""

    _better = Signal(int, object)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("Mend"), 1180, 760)
        self.controls = MendControls(tools.session.piece.message.text)
        self._build()
        self._lay_out()
        self.setAcceptDrops(True)
        self.pixels: np.ndarray | None = None
        self.name = ""
        self.suspects: list[Suspect] = []
        self.step: MendStep | None = None
        self._held: MendStep | None = None  # an earlier result that holds
        self._drawing = ""  # "region" or "kept"
        self._run = 0  # the work that is heard
        self._enough = False
        self._connect()
        self._rest()

    def _build(self) -> None:
        self.view = MendView()
        self.way = Segments(
            tr("View"),
            [("before", tr("Before"), tr("The picture as it came")),
             ("split", tr("Half and half"), tr("Before to the left of a line that is dragged")),
             ("mended", tr("Mended"), tr("The picture as it is now")),
             ("changes", tr("Changes"), tr("Modules that were made lighter or darker"))],
        )  # fmt: skip
        self.way.set_value("mended")
        self.told = QLabel()
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        self.told.setWordWrap(True)
        self.copy, self.save = QPushButton(tr("Copy")), QPushButton(tr("Save…"))

    def _lay_out(self) -> None:
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.view, 1)
        right.addLayout(row(self.way, 1))
        right.addWidget(self.told)
        right.addWidget(self.bar)
        right.addLayout(self.foot(self.copy, self.save))
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 12)
        whole.setSpacing(16)
        whole.addWidget(scrolled(self.controls, 316))
        whole.addLayout(right, 1)

    def _connect(self) -> None:
        self.controls.open_it.clicked.connect(self.choose)
        self.controls.pasted.clicked.connect(self.paste)
        self.controls.from_bench.clicked.connect(self.take_bench)
        self.controls.message.textChanged.connect(self._other_message)
        self.controls.where.toggled.connect(lambda on: self._draw("region" if on else ""))
        self.controls.keep.toggled.connect(lambda on: self._draw("kept" if on else ""))
        self.controls.everywhere.clicked.connect(self._look_everywhere)
        self.controls.free.clicked.connect(self._free)
        self.controls.find.clicked.connect(self.look)
        self.controls.which.chosen.connect(lambda _: self._choose_suspect())
        self.controls.mend.clicked.connect(self.start)
        self.controls.stop.clicked.connect(self.halt)
        self.controls.results.chosen.connect(lambda _: self._show())
        self.controls.areas.vetoed.connect(self._vetoed)
        self.view.dragged.connect(self._dragged)
        self.view.clicked.connect(self._clicked)
        self.way.chosen.connect(self._look_way)
        self.copy.clicked.connect(self._copy)
        self.save.clicked.connect(self.choose_file)
        self._better.connect(self._take)

    # The picture ---------------------------------------------------------------

    def choose(self) -> None:
        """Ask for a picture."""
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Mend a picture"), self.tools.settings.folder_of("mending"), PICTURES
        )
        if path:
            self.tools.settings.set_folder_of("mending", Path(path))
            self.open_path(Path(path))

    def open_path(self, path: Path) -> None:
        """Take a picture file."""

        def work(task: Task) -> np.ndarray:
            from nimble_tile.core.picture.opening import open_picture, read_file

            return open_picture(read_file(path), path.name).over("#ffffff")

        self._work(
            tr("Opening {name}", name=path.name), work, lambda pixels: self.take(pixels, path.name)
        )

    def paste(self) -> None:
        """Take the picture that lies on the clipboard."""
        self._take_mime(QGuiApplication.clipboard().mimeData(), tr("There is no picture to paste."))

    def take_bench(self) -> None:
        """Take the finished piece."""
        shown = self.tools.answer.shown
        if shown is None or shown.rendering is None:
            self.say(tr("There is no code on the bench yet."), "error")
            return
        self.controls.message.setPlainText(self.tools.session.piece.message.text)
        self.take(shown.rendering.image.copy(), tr("From the bench"))

    def _take_mime(self, mime: QMimeData | None, otherwise: str) -> None:
        image = image_in(mime)
        for path in paths_in(mime)[:1]:
            self.open_path(path)
            return
        if image.isNull():
            self.say(otherwise, "error")
        else:
            self.take(from_qimage(image), tr("Pasted picture"))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self._take_mime(event.mimeData(), tr("What was dropped is not a picture."))

    def take(self, pixels: np.ndarray, name: str) -> None:
        """Mend this picture (uint8 H × W × 3)."""
        self.pixels, self.name = pixels, name
        height, width = pixels.shape[:2]
        self.controls.called.setText(
            tr("{name}, {width} × {height} pixels", name=name, width=width, height=height)
        )
        self.view.take(to_qimage(pixels))
        self.look()

    # The code ------------------------------------------------------------------

    def _other_message(self) -> None:
        self._rest()
        self._forget_code()

    def _forget_code(self) -> None:
        """What is known belongs to another picture or another message."""
        self.suspects, self.step, self._held = [], None, None
        self.controls.which.clear()
        self.controls.sure.setText("")
        self.view.quad = self.view.outer = self.view.after = None
        self._forget_areas()
        self._offer()
        self.view.update()

    def _forget_areas(self) -> None:
        self.controls.areas.forget()
        self.view.changed = self.view.stays = None
        self.told.setText("")

    def _draw(self, what: str) -> None:
        self._drawing = what
        for button, own in ((self.controls.where, "region"), (self.controls.keep, "kept")):
            button.blockSignals(True)
            button.setChecked(own == what)
            button.blockSignals(False)
        self.view.draws = bool(what)

    def _dragged(self, area: QRectF) -> None:
        if self._drawing == "region":
            self.view.region = area
            self._draw("")
            self.look()
        else:
            self.view.kept.append(area)
            self._offer()
        self.view.update()

    def _clicked(self, at: QPointF) -> None:
        for area in reversed(self.view.kept):
            if area.contains(at):
                self.view.kept.remove(area)
                self._offer()
                self.view.update()
                return
        if self.attempt is not None and self.way.value != "before":
            self.controls.areas.toggle_at(at)

    def _look_everywhere(self) -> None:
        self.view.region = None
        self._draw("")
        self.look()

    def look(self) -> None:
        """Find which symbol the picture was made from, and where it lies."""
        self._rest()
        self._forget_code()
        text, pixels = self.controls.message.toPlainText(), self.pixels
        if pixels is None or not text:
            return
        area = self.view.region
        region = None if area is None else area.getRect()
        bay, shown = self.tools.bay, self.tools.answer.shown
        # The picture may well be an export of the piece on the bench: try its symbol first.
        own = [] if shown is None or shown.rendering is None else [shown.rendering.symbol]

        def work(task: Task) -> list[Suspect]:
            from nimble_tile.core.tune.mend import find

            return find(pixels, text, bay, region, task.stop, own)

        def done(found: list[Suspect]) -> None:
            self._rest()
            self.suspects = found
            for index, suspect in enumerate(found):
                self.controls.which.addItem(_symbol(suspect), index)
            self.controls.which.setCurrentIndex(0)
            self._choose_suspect()
            self.say(tr("Found. Mend it, or first say what must stay."))

        self._work(tr("Looking for the code"), work, done, tr("Cancel"))

    @property
    def suspect(self) -> Suspect | None:
        """The symbol that is mended."""
        index = self.controls.which.currentData()
        return None if index is None or index >= len(self.suspects) else self.suspects[index]

    def _choose_suspect(self) -> None:
        suspect = self.suspect
        self.step = None
        self.view.after = None
        self._forget_areas()
        if suspect is not None:
            self.view.quad = suspect.quad
            how = tr("It stands there for sure") if suspect.sure else tr("It may be chance")
            self.controls.sure.setText(
                tr(
                    "{how}: it agrees by {score:.0f} standard deviations of chance.",
                    how=how,
                    score=suspect.score,
                )
            )
        self._offer()
        self.view.update()

    # Mending -------------------------------------------------------------------

    def start(self) -> None:
        """Mend the picture."""
        suspect, pixels, tools = self.suspect, self.pixels, self.tools
        if suspect is None or pixels is None:
            return
        wanted, veto = (
            self.controls.reach.value,
            self.controls.areas.veto(pixels.shape[:2], self.view.kept),
        )
        self._held = self.step if self.step is not None and self.step.best.holds else None
        trials = tuple(tools.prover.trials)

        def work(task: Task) -> bool:
            from nimble_tile.core.trials.room import Room
            from nimble_tile.core.tune.mend import mend

            room = Room(tools.bay, tools.prover.readers)
            for step in mend(pixels, suspect, room, trials, wanted, veto, 0, task.stop):
                self._better.emit(task.run, step)
            return True

        self._work(
            tr("Looking at the picture as it is"), work,
            lambda _: self._done(wanted, veto is not None),
            tr("Keep the best so far"),
        )  # fmt: skip
        self.hold_trials(True)

    def _take(self, run: int, step: MendStep) -> None:
        if run != self._run:
            return
        self.step = step
        self.bar.setValue(round(100 * step.share))
        self.say(step.what + ".")
        if step.best is not None:
            self.controls.results.set_value("best")
            self._show()

    def _done(self, wanted: float, vetoed: bool) -> None:
        from nimble_tile.core.tune.mend import why_not

        self._rest()
        step = self.step
        if step is None or step.best is None:
            self.say(tr("It was ended before anything was known."))
        elif not step.best.holds:
            told = why_not(step.best, wanted, vetoed)
            if self._held is not None:
                self.step = self._held
                self._show()
                told += tr(" What is shown is the result from before.")
            self.say(told, "error")
        elif not step.best.touched:
            self.say(tr("It scans as it is: nothing had to be changed."))
        else:
            self.say(tr("Mended. Untick places that must stay, and mend again; or save it."))

    @property
    def attempt(self) -> Attempt | None:
        """The result that is looked at."""
        if self.step is None:
            return None
        second = self.controls.results.value == "second" and self.step.second is not None
        return self.step.second if second else self.step.best

    def _show(self) -> None:
        """Show the result that is chosen."""
        attempt = self.attempt
        if attempt is None:
            return
        self.view.outer = attempt.suspect.outer(attempt.quiet_zone)
        self.view.after = to_qimage(attempt.image)
        self.view.changed = changes_image(attempt)
        self.controls.areas.show_attempt(attempt)
        self._show_stays()
        self.told.setText(in_words(attempt))
        self._offer()
        self.view.update()

    def _vetoed(self) -> None:
        self._show_stays()
        self._offer()
        stays = tr("Mend again: what is not ticked will stay as it was.")
        self.say(stays if self.controls.areas.stays else "")

    def _show_stays(self) -> None:
        """The places that stay, on the picture."""
        self.view.stays = self.controls.areas.stays_image()
        self.view.update()

    def _free(self) -> None:
        self.view.kept = []
        self.controls.areas.stays = set()
        if self.step is not None:
            self._show()
        self._offer()
        self.view.update()

    # What comes of it ------------------------------------------------------------

    def _look_way(self, way: object) -> None:
        self.view.way = str(way)
        self.view.update()

    def _copy(self) -> None:
        QGuiApplication.clipboard().setImage(to_qimage(self.attempt.image))
        self.say(tr("Copied."))

    def choose_file(self) -> None:
        """Ask where the mended picture goes."""
        folder = Path(self.tools.settings.folder_of("mending"))
        start = folder / tr("{stem} mended.png", stem=Path(self.name).stem)
        path = save_path(
            self, tr("Save the mended picture"), start, _SAVED, (".png", ".jpg", ".jpeg")
        )
        if path is not None:
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write the mended picture, read it back, and say what readers found."""
        attempt, original, bay = self.attempt, self.pixels, self.tools.bay

        def work(task: Task):
            from nimble_tile.core.output.export import export
            from nimble_tile.core.piece import Finish
            from nimble_tile.core.tune.mend import rendering_of

            return export(rendering_of(attempt, original), path, Finish(), bay)

        def done(proof) -> None:
            self._rest()
            self.say(proof.told, "soft" if proof.verdict.scans else "error")

        self._work(tr("Writing {name} and reading it back", name=path.name), work, done)

    # The state of the window -------------------------------------------------------

    def _work(self, what: str, work: Callable, done: Callable, stops: str = "") -> None:
        """Do something in the background; what later work or another message ends is not heard.

        `work` gets a `Task`. `stops`: what the button says that ends it; empty where nothing can.
        """
        self._rest()
        self._enough = False
        self._busy = True
        run = self._run
        task = Task(run, lambda: self._enough or run != self._run)
        self.controls.stop.setText(stops)
        self.controls.stop.setVisible(bool(stops))
        self.controls.mend.hide()
        self.bar.setValue(0)
        self.bar.show()
        self.say(what + ".")
        self._offer()

        def heard(answer: Callable) -> Callable:
            return lambda result: answer(result) if run == self._run else None

        self.jobs.start(lambda _: work(task), heard(done), heard(self._failed))

    def _rest(self) -> None:
        """Nothing goes on any more; what went on is not heard."""
        self._run += 1
        self._busy = False
        self.hold_trials(False)
        self.controls.stop.hide()
        self.controls.mend.show()
        self.bar.hide()
        self._offer()

    def halt(self) -> None:
        """Enough: the best so far stays."""
        self._enough = True

    def _failed(self, error: UserError) -> None:
        self._rest()
        self.say(str(error), "error")

    def _offer(self) -> None:
        """What can be done now."""
        idle, mended = not self._busy, self.attempt is not None
        self.controls.offer(
            idle=idle, there=self.pixels is not None, known=self.suspect is not None,
            mended=mended, second=self.step is not None and self.step.second is not None,
            bounded=self.view.region is not None, kept=bool(self.view.kept),
        )  # fmt: skip
        self.way.setVisible(mended)
        for button in (self.copy, self.save):
            button.setEnabled(idle and mended)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.controls.reach.dress(theme)
        self.view.theme = theme
        self.view.update()

    def shut_down(self) -> None:
        self._run += 1
        super().shut_down()


def _symbol(suspect: Suspect) -> str:
    symbol = suspect.symbol
    return tr(
        "Version {version}-{level}, mask {mask}",
        version=symbol.version,
        level=symbol.level,
        mask=symbol.mask,
    )
