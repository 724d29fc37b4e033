"""Rows of a batch as a table: what they are, what is wrong with them, what became of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QSortFilterProxyModel, Qt
from PySide6.QtGui import QColor

from nimble_tile.core.language import tr
from nimble_tile.core.scan.verdict import STATE_WORDS
from nimble_tile.ui.kit import theme as themes

NOWHERE = QModelIndex()

COLUMNS = (tr("Row"), tr("Name"), tr("Message"), tr("File"), tr("What is known"))


@dataclass
class Line:
    """One row on the screen."""

    number: int
    name: str
    message: str
    file: str
    fault: str = ""
    state: str = ""
    readers: int = 0

    @property
    def told(self) -> str:
        """What is known of it."""
        if self.fault:
            return self.fault
        if self.state:
            return tr(
                "{state_words}, {readers} readers",
                state_words=STATE_WORDS[self.state],
                readers=self.readers,
            )
        return tr("Ready")

    @property
    def wrong(self) -> bool:
        """Whether it cannot be made, or does not scan."""
        return bool(self.fault)


class Lines(QAbstractTableModel):
    """All rows of a table."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.theme = themes.LIGHT
        self.lines: list[Line] = []
        self._places: dict[int, int] = {}

    def clear(self) -> None:
        """No rows."""
        self.beginResetModel()
        self.lines, self._places = [], {}
        self.endResetModel()

    def add(self, lines: Sequence[Line]) -> None:
        """More rows at the end."""
        if not lines:
            return
        first = len(self.lines)
        self.beginInsertRows(QModelIndex(), first, first + len(lines) - 1)
        for line in lines:
            self._places[line.number] = len(self.lines)
            self.lines.append(line)
        self.endInsertRows()

    def learn(self, number: int, fault: str, state: str, readers: int) -> None:
        """What became of a row."""
        place = self._places.get(number)
        if place is None:
            return
        line = self.lines[place]
        line.fault, line.state, line.readers = fault, state, readers
        self.dataChanged.emit(self.index(place, 0), self.index(place, len(COLUMNS) - 1))

    def forget(self) -> None:
        """Nothing is known of what became of them."""
        for line in self.lines:
            line.fault = line.state = ""
        if self.lines:
            last = self.index(len(self.lines) - 1, len(COLUMNS) - 1)
            self.dataChanged.emit(self.index(0, 0), last)

    def rowCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(self, section: int, orientation, role: int = Qt.ItemDataRole.DisplayRole):
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section]
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole):
        line = self.lines[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            text = (str(line.number), line.name, line.message, line.file, line.told)[index.column()]
            return " ⏎ ".join(text.splitlines()) if role == Qt.ItemDataRole.DisplayRole else text
        if role == Qt.ItemDataRole.ForegroundRole and index.column() == 4:
            if line.wrong:
                return QColor(self.theme.fails)
            if line.state:
                return QColor(themes.verdict_colour(self.theme, line.state))
            return QColor(self.theme.soft)
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() == 0:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None


class Wrong(QSortFilterProxyModel):
    """Only rows with which something is wrong, where that is asked for."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._only = False

    def show_only_wrong(self, on: bool) -> None:
        """Hide what is right."""
        self._only = on
        self.invalidate()

    def filterAcceptsRow(self, row: int, parent: QModelIndex) -> bool:
        return not self._only or self.sourceModel().lines[row].wrong
