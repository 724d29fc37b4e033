"""Opens the check window and the phone test, and takes a rectangle from the bench."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRectF, Signal

from nimble_tile.core.language import tr
from nimble_tile.ui.bench.hands.region import RegionHand
from nimble_tile.ui.work.side_window import Later

if TYPE_CHECKING:
    from pathlib import Path

    from PySide6.QtWidgets import QWidget

    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.rooms.check.phone_view import PhoneView
    from nimble_tile.ui.rooms.check.window import CheckWindow
    from nimble_tile.ui.work.tools import Tools


class CheckDesk(QObject):
    """Checking in one main window; its windows are built when they are first asked for.

    Signals
    -------
    bench_wanted
        The bench is to be seen, not a view in its place.
    mend_wanted : ndarray, str, str
        An image is to be mended: its pixels, its name, what it is to say.
    """

    bench_wanted = Signal()
    mend_wanted = Signal(object, str, str)

    def __init__(self, tools: Tools, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        self.tools, self.bench = tools, bench
        self.region = RegionHand(bench)
        self.region.dragged.connect(self._dragged)
        self.region.ended.connect(self._let_go)
        self._checks: Later[CheckWindow] = Later(self._make)
        self._phone: PhoneView | None = None

    def _make(self) -> CheckWindow:
        from nimble_tile.ui.rooms.check.window import CheckWindow

        made = CheckWindow(self.tools, self.parent())
        made.mend_wanted.connect(self.mend_wanted)
        return made

    @property
    def checks(self) -> CheckWindow:
        """The check window."""
        return self._checks.get()

    def open(self) -> CheckWindow:
        """Bring the check window to the front."""
        window = self.checks
        if not window.isVisible():
            window.intended.setPlainText(self.tools.session.piece.message.text)
        return self._checks.open()

    def choose_files(self) -> None:
        self.open().choose_files()

    def choose_folder(self) -> None:
        self.open().choose_folder()

    def watch(self) -> None:
        self.open()
        if self.checks.watcher.folder is None:
            self.checks.toggle_watch()

    def paste(self) -> None:
        self.open().paste()

    def check_paths(self, paths: list[Path]) -> None:
        self.open().check_paths(paths)

    def check_export(self, path: Path) -> None:
        """Check a file that was just exported, with trials."""
        checks = self.open()
        checks.with_trials.setChecked(True)
        checks.check_paths([path])

    def drag_region(self) -> None:
        """The next rectangle on the bench is checked."""
        if self.bench.image is None:
            self.tools.notices.say(tr("There is nothing on the bench yet."))
            return
        self.bench_wanted.emit()
        self.bench.take_hand(self.region)
        self.bench.setFocus()

    def _dragged(self, area: QRectF) -> None:
        image = self.bench.image
        lens = self.bench.lens.value
        self._let_go()
        if image is not None:
            part = image.copy(area.toAlignedRect().intersected(image.rect()))
            self.open().check_image(part, tr("From the bench ({lens})", lens=lens))

    def _let_go(self) -> None:
        if self.bench.hand is self.region:
            self.bench.take_hand(None)

    def phone_test(self) -> None:
        """The piece at true size on the whole screen."""
        shown = self.tools.answer.shown
        if shown is None or shown.rendering is None:
            self.tools.notices.say(tr("There is no code yet."))
            return
        if self._phone is None:
            from nimble_tile.ui.rooms.check.phone_view import PhoneView

            self._phone = PhoneView(self.tools, self.parent())
        self._phone.open(shown.rendering)

    @property
    def phone(self) -> PhoneView | None:
        """The phone test, once it was asked for."""
        return self._phone

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._checks.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        self._checks.stop()
        if self._phone is not None:
            self._phone.stop()
            self._phone.close()
            self._phone.deleteLater()
            self._phone = None
