"""Mending: a finished picture in, the same picture out with the smallest change that scans."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtGui import QCloseEvent, QGuiApplication
from PySide6.QtWidgets import QFileDialog

from nimble_tile.core.errors import UserError
from nimble_tile.ui import theme as themes
from nimble_tile.ui.controls import set_rank
from nimble_tile.ui.engine import to_qimage
from nimble_tile.ui.jobs import Progress
from nimble_tile.ui.mend_incoming import MendIncoming
from nimble_tile.ui.mend_places import changes_image

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.tune.mend import Attempt, Step
    from nimble_tile.core.tune.recover import Suspect
    from nimble_tile.ui.window import Window

_SAVED = "PNG (*.png);;JPEG (*.jpg *.jpeg)"


class MendWindow(MendIncoming):
    """The window that mends; it belongs to a main window and uses its readers and trials."""

    _better = Signal(int, object)

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.setWindowTitle("Mend – Nimble Tile")
        self.resize(1180, 760)
        self.pixels: np.ndarray | None = None
        self.name = ""
        self.suspects: list[Suspect] = []
        self.step: Step | None = None
        self._held: Step | None = None  # an earlier result that holds
        self._drawing = ""  # "region" or "kept"
        self._run = 0
        self._enough = self._rested = False
        self._connect()
        self._running("")
        self._offer()

    def _connect(self) -> None:
        self.message.textChanged.connect(self._forget_code)
        self.where.toggled.connect(lambda on: self._draw("region" if on else ""))
        self.keep.toggled.connect(lambda on: self._draw("kept" if on else ""))
        self.everywhere.clicked.connect(self._look_everywhere)
        self.free.clicked.connect(self._free)
        self.find.clicked.connect(self.look)
        self.which.chosen.connect(lambda _: self._choose_suspect())
        self.mend.clicked.connect(self.start)
        self.stop.clicked.connect(self.halt)
        self.results.chosen.connect(lambda _: self._show())
        self.areas.vetoed.connect(self._vetoed)
        self.view.dragged.connect(self._dragged)
        self.view.clicked.connect(self._clicked)
        self.way.chosen.connect(self._look_way)
        self.copy.clicked.connect(self._copy)
        self.save.clicked.connect(self.choose_file)
        self._better.connect(self._take)

    # The picture ---------------------------------------------------------------

    def take(self, pixels: np.ndarray, name: str) -> None:
        """Mend this picture (uint8 H × W × 3)."""
        self._run += 1
        self.pixels, self.name = pixels, name
        height, width = pixels.shape[:2]
        self.called.setText(f"{name}, {width} × {height} pixels")
        self.view.take(to_qimage(pixels))
        self._forget_code()
        self._running("")
        self._say("")
        if self.message.toPlainText():
            self.look()

    # The code ------------------------------------------------------------------

    def _forget_code(self) -> None:
        """What is known belongs to another picture or another message."""
        self.suspects, self.step, self._held = [], None, None
        self.which.clear()
        self.sure.setText("")
        self.view.quad = self.view.outer = self.view.after = None
        self._forget_areas()
        self._offer()
        self.view.update()

    def _forget_areas(self) -> None:
        self.areas.forget()
        self.view.changed = self.view.stays = None
        self.told.setText("")

    def _draw(self, what: str) -> None:
        self._drawing = what
        for button, own in ((self.where, "region"), (self.keep, "kept")):
            button.blockSignals(True)
            button.setChecked(own == what)
            button.blockSignals(False)
        self.view.draws = bool(what)

    def _dragged(self, area: QRectF) -> None:
        if self._drawing == "region":
            self.view.region = area
            self._draw("")
            self._forget_code()
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
            self.areas.toggle_at(at)

    def _look_everywhere(self) -> None:
        self.view.region = None
        self._draw("")
        self._forget_code()
        self.look()

    def look(self) -> None:
        """Find which symbol the picture was made from, and where it lies."""
        text, pixels = self.message.toPlainText(), self.pixels
        if pixels is None or not text:
            self._offer()
            return
        area = self.view.region
        region = None if area is None else area.getRect()
        bay, run = self.window_.bay, self._run

        def work(progress: Progress) -> list[Suspect]:
            from nimble_tile.core.tune.mend import find

            progress.step("Looking for the code", 0.3)
            return find(pixels, text, bay, region)

        def done(found: list[Suspect]) -> None:
            if run != self._run or text != self.message.toPlainText():
                return
            self._running("")
            self.suspects = found
            self.which.clear()
            for index, suspect in enumerate(found):
                self.which.addItem(_symbol(suspect), index)
            self.which.setCurrentIndex(0)
            self._choose_suspect()
            self._say("Found. Mend it, or first say what must stay.")

        self._forget_code()
        self._running("Looking for the code")
        self.jobs.start(work, done, self._failed)

    @property
    def suspect(self) -> Suspect | None:
        """The symbol that is mended."""
        index = self.which.currentData()
        return None if index is None or index >= len(self.suspects) else self.suspects[index]

    def _choose_suspect(self) -> None:
        suspect = self.suspect
        self.step = None
        self.view.after = None
        self._forget_areas()
        if suspect is not None:
            self.view.quad = suspect.quad
            how = "It stands there for sure" if suspect.sure else "It may be chance"
            self.sure.setText(f"{how}: agreement {suspect.score:.0f} times what chance gives.")
        self._offer()
        self.view.update()

    # Mending -------------------------------------------------------------------

    def start(self) -> None:
        """Mend the picture."""
        suspect, pixels, window = self.suspect, self.pixels, self.window_
        if suspect is None or pixels is None:
            return
        self._run += 1
        self._enough = False
        run, wanted = self._run, self.reach.value
        veto = self.areas.veto(pixels.shape[:2], self.view.kept)
        self._held = self.step if self.step is not None and self.step.best.holds else None
        trials = tuple(window.proof.prover.trials)
        self._rested = window.proof.prover.paused
        window.proof.prover.pause(True)  # both would ask for all readers at once
        self._running("Looking at the picture as it is")

        def work(progress: Progress) -> bool:
            from nimble_tile.core.trials.room import Room
            from nimble_tile.core.tune.mend import mend

            def stop() -> bool:
                return self._enough or progress.cancelled or run != self._run

            room = Room(window.bay)
            for step in mend(pixels, suspect, room, trials, wanted, veto, 0, stop):
                self._better.emit(run, step)
            return True

        self.jobs.start(
            work, lambda _: self._done(run, wanted, veto is not None),
            lambda error: self._ended(run, error),
        )  # fmt: skip

    def halt(self) -> None:
        """Enough: the best so far stays."""
        self._enough = True

    def _take(self, run: int, step: Step) -> None:
        if run != self._run:
            return
        self.step = step
        self.bar.setValue(round(100 * step.share))
        self._say(step.what + ".")
        if step.best is not None:
            self.results.set_value("best")
            self._show()

    def _done(self, run: int, wanted: float, vetoed: bool) -> None:
        if run != self._run:
            return
        self.window_.proof.prover.pause(self._rested)
        self._running("")
        step = self.step
        if step is None or step.best is None:
            self._say("It was ended before anything was known.")
            return
        from nimble_tile.core.tune.mend import why_not

        if not step.best.holds:
            told = why_not(step.best, wanted, vetoed)
            if self._held is not None:
                self.step = self._held
                self._show()
                told += " What is shown is the result from before."
            self._say(told, "error")
        elif not step.best.touched:
            self._say("It scans as it is: nothing had to be changed.")
        else:
            self._say("Mended. Untick places that must stay, and mend again; or save it.")

    def _ended(self, run: int, error: UserError) -> None:
        if run == self._run:
            self.window_.proof.prover.pause(self._rested)
            self._failed(error)

    @property
    def attempt(self) -> Attempt | None:
        """The result that is looked at."""
        if self.step is None:
            return None
        second = self.results.value == "second" and self.step.second is not None
        return self.step.second if second else self.step.best

    def _show(self) -> None:
        """Show the result that is chosen."""
        from nimble_tile.core.picture.warping import mapped, matrix_to

        attempt = self.attempt
        if attempt is None:
            return
        import numpy as np

        symbol, quiet = attempt.suspect.symbol, attempt.quiet_zone
        low, high = -quiet, symbol.side + quiet
        outer = np.array([[low, low], [high, low], [high, high], [low, high]], float)
        self.view.outer = mapped(matrix_to(attempt.suspect.quad, symbol.side), outer)
        self.view.after = to_qimage(attempt.image)
        self.view.changed = changes_image(attempt)
        self.areas.show_attempt(attempt)
        self._show_stays()
        read = sum(attempt.read.values())
        share = attempt.touched / attempt.changed.size
        self.told.setText(
            f"{read} of {len(attempt.read)} readers read it, reach {attempt.reach:.0%}. "
            f"{attempt.touched} of {attempt.changed.size} modules changed ({share:.0%}); mean "
            f"colour difference {attempt.change.delta_e_mean:.1f}, likeness to before "
            f"{attempt.change.ssim_view:.2f}."
        )
        self._offer()
        self.view.update()

    def _vetoed(self) -> None:
        self._show_stays()
        self._offer()
        stays = "Mend again: what is not ticked will stay as it was."
        self._say(stays if self.areas.stays else "")

    def _show_stays(self) -> None:
        """The places that stay, on the picture."""
        self.view.stays = self.areas.stays_image()
        self.view.update()

    def _free(self) -> None:
        self.view.kept = []
        self.areas.stays = set()
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
        self._say("Copied.")

    def choose_file(self) -> None:
        """Ask where the mended picture goes."""
        start = Path(self.window_.desk.folder("mending")) / f"{Path(self.name).stem} mended.png"
        path, _ = QFileDialog.getSaveFileName(self, "Save the mended picture", str(start), _SAVED)
        if path:
            self.save_to(Path(path))

    def save_to(self, path: Path) -> None:
        """Write the mended picture, read it back, and say what readers found."""
        if path.suffix.lower() not in (".png", ".jpg", ".jpeg"):
            path = path.with_name(path.name + ".png")
        attempt, original, bay = self.attempt, self.pixels, self.window_.bay

        def work(progress: Progress):
            from nimble_tile.core.output.export import export
            from nimble_tile.core.piece import Finish
            from nimble_tile.core.tune.mend import rendering_of

            progress.step(f"Writing {path.name} and reading it back", 0.4)
            return export(rendering_of(attempt, original), path, Finish(), bay)

        def done(proof) -> None:
            self._running("")
            right, able = proof.verdict.readers_right
            self._say(
                f"Saved {path.name}. {proof.verdict.words}: {right} of {able} readers read the "
                "file back from disk.", "soft" if proof.verdict.scans else "error",
            )  # fmt: skip

        self._running(f"Writing {path.name}")
        self.jobs.start(work, done, self._failed)

    # The state of the window -------------------------------------------------------

    def _running(self, what: str) -> None:
        """Something goes on (or, empty, nothing)."""
        self._busy = bool(what)
        self.mend.setVisible(not self._busy)
        self.stop.setVisible(self._busy)
        self.bar.setVisible(self._busy)
        self.bar.setValue(0)
        if what:
            self._say(what + ".")
        self._offer()

    def _failed(self, error: UserError) -> None:
        self._running("")
        self._say(str(error), "error")

    def _offer(self) -> None:
        """What can be done now."""
        there, text = self.pixels is not None, bool(self.message.toPlainText())
        idle = not self._busy
        for button in (self.open_it, self.pasted, self.from_bench):
            button.setEnabled(idle)
        for button in (self.where, self.everywhere):
            button.setEnabled(idle and there)
        self.everywhere.setVisible(self.view.region is not None)
        self.find.setEnabled(idle and there and text)
        self.find.setToolTip("" if there and text else
                             "Write the message" if there else "Open a picture first")  # fmt: skip
        known = self.suspect is not None
        self.which.setVisible(known)
        self.sure.setVisible(known)
        self.find.setVisible(not known)
        self.mend.setEnabled(idle and known)
        self.mend.setText("Mend again" if self.step is not None else "Mend")
        self.mend.setToolTip("" if known else "The code must be found first")
        self.reach.setEnabled(idle)
        second = self.step is not None and self.step.second is not None
        self.results.setVisible(second and idle)
        done = self.attempt is not None
        self._places.setVisible(done)
        self.areas.setVisible(done)
        self.areas.setEnabled(idle)
        self.keep.setEnabled(idle and there)
        self.keep.setVisible(known)
        self.free.setVisible(known and bool(self.view.kept or self.areas.stays))
        self.way.setVisible(done)
        for button in (self.copy, self.save):
            button.setEnabled(idle and done)

    def _say(self, text: str, rank: str = "soft") -> None:
        self.note.setText(text)
        set_rank(self.note, rank)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.reach.dress(theme)
        self.view.theme = theme
        self.view.update()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.halt()
        event.accept()

    def shut_down(self) -> None:
        """End what works in the background."""
        self._run += 1
        self.halt()
        self.jobs.stop()


def _symbol(suspect: Suspect) -> str:
    symbol = suspect.symbol
    return f"Version {symbol.version}-{symbol.level}, mask {symbol.mask}"
