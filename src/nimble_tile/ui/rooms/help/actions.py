"""All that the program can do, found by a few letters; and the list of its keys."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QAction, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.kit.controls import soft


@dataclass(frozen=True)
class Deed:
    """Something that can be done.

    Attributes
    ----------
    name : str
    place : str
        Where it stands in the menus.
    keys : str
    act : callable
    enabled : callable
    """

    name: str
    place: str
    keys: str
    act: Callable[[], None]
    enabled: Callable[[], bool] = lambda: True


def deeds_of(actions: Sequence[QAction], place: str = "") -> list[Deed]:
    """All actions of menus, and of the menus in them."""
    found = []
    for action in actions:
        if action.isSeparator():
            continue
        name = action.text().replace("&", "").rstrip("…")
        if action.menu() is not None:
            inner = f"{place} → {name}" if place else name
            found += deeds_of(action.menu().actions(), inner)
        elif name:
            keys = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
            found.append(Deed(name, place, keys, action.trigger, action.isEnabled))
    return found


def fits(typed: str, deed: Deed) -> int:
    """How well an action fits what was typed; 0: not at all."""
    words = typed.lower().split()
    name, whole = deed.name.lower(), f"{deed.name} {deed.place}".lower()
    if not all(word in whole for word in words):
        return 0
    begins = any(part.startswith(words[0]) for part in name.split()) if words else True
    return 2 * all(word in name for word in words) + begins + 1


class ActionFinder(QDialog):
    """A line to type in, and the actions that fit."""

    def __init__(self, deeds: Callable[[], list[Deed]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Find an action"))
        self.resize(520, 420)
        self._deeds = deeds
        self._found: list[Deed] = []
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Type what you want to do"))
        self.line.setAccessibleName(tr("What you want to do"))
        self.line.setClearButtonEnabled(True)
        self.line.textChanged.connect(lambda _: self._fill())
        self.line.installEventFilter(self)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Actions that fit"))
        self.list.itemActivated.connect(lambda _: self._do())
        self.note = soft(tr("Enter does it, arrow keys choose."))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 16, 16, 12)
        layout.setSpacing(8)
        for widget in (self.line, self.list, self.note):
            layout.addWidget(widget)

    def open_fresh(self) -> None:
        """Show it with an empty line."""
        self.line.clear()
        self._fill()
        self.show()
        self.raise_()
        self.line.setFocus()

    def _fill(self) -> None:
        typed = self.line.text()
        ranked = [(fits(typed, deed), deed) for deed in self._deeds()]
        self._found = [deed for rank, deed in sorted(ranked, key=lambda r: -r[0]) if rank]
        self.list.clear()
        for deed in self._found:
            keys = f"    {deed.keys}" if deed.keys else ""
            item = QListWidgetItem(f"{deed.name}    – {deed.place}{keys}")
            if not deed.enabled():
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                item.setToolTip(tr("Not possible at the moment"))
            self.list.addItem(item)
        able = (row for row, deed in enumerate(self._found) if deed.enabled())
        self.list.setCurrentRow(next(able, -1))

    def _do(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._found) and self._found[row].enabled():
            self.hide()
            self.parentWidget().activateWindow()
            self._found[row].act()

    def eventFilter(self, watched, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(event.key())
            if step is not None and self.list.count():
                self.list.setCurrentRow((self.list.currentRow() + step) % self.list.count())
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._do()
                return True
        return super().eventFilter(watched, event)


class KeyList(QDialog):
    """All keys, by the menus in which their actions stand."""

    def __init__(
        self, deeds: Callable[[], list[Deed]], more: Sequence[tuple[str, str, str]],
        parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        self.resize(560, 620)
        self.tree = QTreeWidget()
        self.tree.setHeaderLabels([tr("Action"), tr("Keys")])
        self.tree.setAccessibleName(tr("Keys"))
        self.tree.setRootIsDecorated(False)
        self.tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.tree.header().setStretchLastSection(False)
        places: dict[str, QTreeWidgetItem] = {}
        listed = [(d.place, d.name, d.keys) for d in deeds() if d.keys]
        for place, name, keys in [*listed, *more]:
            if place not in places:
                head = QTreeWidgetItem(self.tree, [place])
                font = head.font(0)
                font.setBold(True)
                head.setFont(0, font)
                places[place] = head
            QTreeWidgetItem(places[place], [name, keys])
        self.tree.expandAll()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 16, 16, 16)
        layout.addWidget(self.tree)
