"""Starting the window."""

from __future__ import annotations

import ctypes
import gc
import locale
import signal
from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QApplication

from nimble_tile import DESKTOP_ID
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.speaking import speak, translate

M_ARENA_MAX, M_MMAP_THRESHOLD = -8, -3
"""Numbers of these settings in GNU's malloc.h."""

OWN_PAGES = 4 << 20
"""Bytes from which a block of memory has pages of its own, which go back to the system with it.
Else the limit grows with what is freed, and an hour of images leaves holes between them. Pages are
slow to come by: from one megabyte on, all that is computed takes a third longer."""


def application() -> QApplication:
    """The one application object, dressed."""
    app = QApplication.instance()
    if app is None:
        few_arenas()
        app = QApplication(["nimble-tile"])
        # Qt takes the desktop's locale for C's numbers too. Where it has a decimal comma, the
        # libraries that write outlines as text write "0,2", which reads as two numbers.
        locale.setlocale(locale.LC_NUMERIC, "C")
    app.setApplicationName("nimble-tile")
    app.setApplicationDisplayName("Nimble Tile")
    app.setDesktopFileName(DESKTOP_ID)
    app.setWindowIcon(_icon())
    translate(app)
    app.setStyle("Fusion")
    themes.load_fonts()
    return app


def _icon() -> QIcon:
    """The program's icon in the sizes in which it ships."""
    icon = QIcon()
    for size in (16, 32, 48, 128):
        data = files("nimble_tile.assets").joinpath(f"desktop/icon-{size}.png").read_bytes()
        pixmap = QPixmap()
        pixmap.loadFromData(data)
        icon.addPixmap(pixmap)
    return icon


def few_arenas() -> None:
    """Let the threads share the C library's memory: apart, each keeps its own for later. Images
    lie outside of it."""
    try:
        tune = ctypes.CDLL(None).mallopt
        tune(M_ARENA_MAX, 2)
        tune(M_MMAP_THRESHOLD, OWN_PAGES)
    except (OSError, AttributeError):  # another C library than GNU's
        return


def _settled() -> None:
    """The window stands there: from now on garbage is looked for, but not in what stays."""
    gc.freeze()
    gc.enable()


def run(project: Path | None = None, demo: bool = False) -> int:
    """Open the window and stay until it closes.

    Parameters
    ----------
    project : Path, optional
        Project to open.
    demo : bool
        The project is the demo's: it opens as a copy that is in no file yet.
    """
    # All that is made until the window stands there stays: looking for garbage in it meanwhile
    # only takes time.
    gc.disable()
    speak()
    from nimble_tile.ui.window import Window
    from nimble_tile.ui.work.faults import Faults

    app = application()
    # Ctrl+C in the terminal and a request to end close the window as a person
    # would, also while it is still opening; Python needs a moment now and then
    # to notice signals.
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: QTimer.singleShot(0, app.quit))
    ticker = QTimer()
    ticker.timeout.connect(lambda: None)
    ticker.start(500)
    window = Window()
    faults = Faults(window.notice.say, app)
    faults.listen()
    window.show()
    QTimer.singleShot(0, _settled)
    if project is not None:
        window.files.open_project(project, copy=demo)
    try:
        return app.exec()
    finally:
        faults.leave()
