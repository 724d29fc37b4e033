"""Where the window stood last time."""

from __future__ import annotations

import base64

from PySide6.QtCore import QByteArray, QSize
from PySide6.QtWidgets import QMainWindow

from nimble_tile.ui.settings import Settings

FRAME = 32
"""Pixels of the screen's height left to the window's frame."""


def restore_place(window: QMainWindow, settings: Settings) -> None:
    """Give a window its size: the last one, or one that suits the screen."""
    room = window.screen().availableGeometry().size() - QSize(0, FRAME)
    window.resize(QSize(1280, 800).boundedTo(room))
    stored = settings.get("geometry")
    if isinstance(stored, str):
        try:
            window.restoreGeometry(QByteArray(base64.b64decode(stored)))
        except ValueError:
            return


def keep_place(window: QMainWindow, settings: Settings) -> None:
    """Remember a window's size and place."""
    geometry = bytes(window.saveGeometry().data())
    settings.set("geometry", base64.b64encode(geometry).decode("ascii"))
