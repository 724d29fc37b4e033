"""Walks through the window in one language and prints as JSON what a reader of it would meet.

    python tests/language_walk.py LANGUAGE SETTINGS DEMO_PIECE

``said``: texts with whatever is not between the brackets of the pseudo-language; ``wide``: pages
of the ladder that do not fit into it; ``twice``: menu entries of one menu with the same letter
underlined; ``shown``: the window's title, Qt's word for *Cancel* and a number.
"""

import json
import os
import re
import sys
import time
from pathlib import Path

os.environ["NIMBLE_TILE_LANGUAGE"] = sys.argv[1]
os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtCore import QLocale
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QDialogButtonBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QMenu,
    QPlainTextEdit,
    QScrollArea,
    QTableView,
    QTreeWidget,
    QTreeWidgetItemIterator,
    QWidget,
)

from nimble_tile.core.trials.sets import TrialSet, shipped
from nimble_tile.ui.app import application
from nimble_tile.ui.window import Window
from nimble_tile.ui.work.settings import Settings

PAGES = {
    "message": ("",),
    "code": ("symbol", "shapes", "colours", "looks"),
    "picture": ("place", "frame", "tones", "cutout"),
    "blend": ("",),
    "logo": ("logo", "backing", "cost"),
    "finish": ("caption", "surround", "layout", "export"),
}
DESKS = ("batch", "press", "drawn", "mend", "check", "sweep", "links", "studio")


def pump(app, seconds, until=lambda: False):
    end = time.monotonic() + seconds
    while time.monotonic() < end and not until():
        app.processEvents()
        time.sleep(0.01)


def texts(widget):
    """What a widget shows, tells and is called."""
    for getter in ("windowTitle", "toolTip", "accessibleName", "accessibleDescription"):
        yield getattr(widget, getter)()
    if isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    if isinstance(widget, QLineEdit | QPlainTextEdit):
        yield widget.placeholderText()
    if isinstance(widget, QComboBox):
        yield from (widget.itemText(index) for index in range(widget.count()))
    if isinstance(widget, QListWidget):
        yield from (widget.item(index).text() for index in range(widget.count()))
    if isinstance(widget, QTreeWidget):
        yield from (widget.headerItem().text(i) for i in range(widget.columnCount()))
        each = QTreeWidgetItemIterator(widget)
        while each.value():
            yield from (each.value().text(i) for i in range(widget.columnCount()))
            each += 1
    elif isinstance(widget, QTableView) and widget.model() is not None:
        model = widget.model()
        for column in range(min(model.columnCount(), 9)):
            yield str(model.headerData(column, widget.horizontalHeader().orientation()) or "")
    for action in widget.actions():
        yield action.text()
        yield action.toolTip()


def bare(text):
    """What stands outside of the pseudo-language's brackets, without mark-up."""
    text = re.sub(r"<style.*?</style>|<[^<>]*>|&\w+;", " ", text, flags=re.DOTALL)
    while (inner := re.sub(r"⟦[^⟦⟧]*⟧", " ", text)) != text:
        text = inner
    return " ".join(text.split())


def main():
    app = application()
    settings = Settings(Path(sys.argv[2]))
    settings.set("toured", True)
    window = Window(settings)
    window.resize(1280, 800)
    window.files.ask_unsaved = lambda: "drop"
    window.show()
    said, wide, twice = set(), set(), []

    def look(where):
        pump(app, 0.1)
        for top in app.topLevelWidgets():
            if "Calendar" in type(top).__name__:
                continue
            for widget in (top, *top.findChildren(QWidget)):
                if "Calendar" not in f"{type(widget).__name__}{type(widget.parent()).__name__}":
                    said.update(bare(text) for text in texts(widget))
            for action in top.findChildren(QAction):
                if "Calendar" not in type(action.parent()).__name__:
                    said.add(bare(action.text()))
        for area in window.findChildren(QScrollArea):
            inside = area.widget()
            if area.isVisible() and inside is not None:
                needs, has = inside.minimumSizeHint().width(), area.viewport().width()
                if needs > has:
                    wide.add(f"{where}: {needs} > {has}")

    window.proof.prover.use(TrialSet(shipped()[:4]))
    window.files.open_demo(sys.argv[3])
    pump(app, 30, lambda: window.answer.proved and not window.answer.stale)
    for index, (rung, pages) in enumerate(PAGES.items()):
        window.ladder.open_rung(rung)
        for page in pages:
            if page:
                window.ladder.rungs[index].open_page(page)
            look(f"{rung} {page}")
    for desk in DESKS:
        getattr(window, f"{desk}_desk").open()
        look(desk)
    window.help.show_preferences("light")
    window.help.show_keys()
    look("help")

    def underlined(menu, title):
        letters = {}
        for action in menu.actions():
            if match := re.search("&(.)", action.text()):
                letters.setdefault(match[1].lower(), []).append(action.text())
            if isinstance(action.menu(), QMenu):
                underlined(action.menu(), action.text())
        twice.extend([title, *same] for same in letters.values() if len(same) > 1)

    underlined(window.menuBar(), "")
    box = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
    shown = [
        window.windowTitle(),
        box.buttons()[0].text().replace("&", ""),
        QLocale().toString(1.5),
    ]
    print(json.dumps({"said": sorted(said), "wide": sorted(wide), "twice": twice, "shown": shown}))
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
