"""Joins the main window with the check window, the bench's rectangle and the phone test."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRectF

from nimble_tile.ui.hands.region import RegionHand
from nimble_tile.ui.side_window import Later

if TYPE_CHECKING:
    from pathlib import Path

    from nimble_tile.ui.check_window import CheckWindow
    from nimble_tile.ui.phone_view import PhoneView
    from nimble_tile.ui.window import Window


class CheckDesk(QObject):
    """Checking in one main window; its windows are built when they are first asked for."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.region = RegionHand(window.bench)
        self.region.dragged.connect(self._dragged)
        self.region.ended.connect(self._let_go)
        self._checks = Later(window, _check_window)
        self._phone: PhoneView | None = None

    @property
    def checks(self) -> CheckWindow:
        """The check window."""
        return self._checks.get()

    def open(self) -> CheckWindow:
        """Bring the check window to the front."""
        window = self.checks
        if not window.isVisible():
            window.intended.setPlainText(self.window.session.piece.message.text)
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

    def drag_region(self) -> None:
        """The next rectangle on the bench is checked."""
        if self.window.bench.image is None:
            self.window.notice.say("There is nothing on the bench yet.")
            return
        self.window.proof.close_view()
        self.window.bench.take_hand(self.region)
        self.window.bench.setFocus()

    def _dragged(self, area: QRectF) -> None:
        image = self.window.bench.image
        lens = self.window.bench.lens.value
        self._let_go()
        if image is not None:
            part = image.copy(area.toAlignedRect().intersected(image.rect()))
            self.open().check_image(part, f"From the bench ({lens})")

    def _let_go(self) -> None:
        bench = self.window.bench
        if bench.hand is self.region:
            bench.take_hand(None)

    def phone_test(self) -> None:
        """The piece at true size on the whole screen."""
        shown = self.window._shown
        if shown is None or shown.rendering is None:
            self.window.notice.say("There is no code yet.")
            return
        if self._phone is None:
            from nimble_tile.ui.phone_view import PhoneView

            self._phone = PhoneView(self.window)
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
            self._phone.close()
            self._phone.deleteLater()
            self._phone = None


def _check_window() -> type[CheckWindow]:
    from nimble_tile.ui.check_window import CheckWindow

    return CheckWindow
