"""The board of small results."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
)

from nimble_tile.core.language import tr
from nimble_tile.core.tune.sweep import Cell
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.figures import (
    in_line,
    in_short,
    paint_figures,
    paint_fitted,
    paint_frame,
    paint_title,
)

WRAP = 4
"""Columns of a board of one setting, before it goes on in the next row."""


@dataclass(frozen=True, eq=False)
class Shot:
    """A cell of the board as it is shown.

    Attributes
    ----------
    cell : Cell
    title : str
        Its values in words.
    image : QImage or None
        None while it is not known, or where there is no code.
    """

    cell: Cell
    title: str
    image: QImage | None = None

    @property
    def told(self) -> str:
        """Verdict, reach and fidelity in words."""
        cell = self.cell
        if cell.error:
            return cell.error
        if cell.verdict is None:
            return tr("Not judged yet.")
        return in_line(cell.verdict.words, cell.reach, self.fidelity) + "."

    @property
    def fidelity(self) -> float | None:
        """Likeness at viewing distance, where it is known."""
        verdict = self.cell.verdict
        known = verdict is not None and verdict.fidelity is not None
        return verdict.fidelity.ssim_view if known else None


class _Cells(QStyledItemDelegate):
    def __init__(self, board: Board) -> None:
        super().__init__(board)
        self.board = board

    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        shot = self.board.at(index.row(), index.column())
        if shot is None:
            return
        theme, cell = self.board.theme, shot.cell
        area = QRectF(option.rect).adjusted(4, 4, -4, -4)
        painter.save()
        paint_frame(painter, area, option, theme)
        head = QRectF(area.left() + 6, area.top() + 4, area.width() - 12, 18)
        foot = QRectF(area.left() + 6, area.bottom() - 22, area.width() - 12, 18)
        room = QRectF(area.left() + 6, head.bottom() + 2, area.width() - 12, 0)
        room.setBottom(foot.top() - 3)
        paint_title(painter, head, shot.title, cell.index == self.board.best, theme)
        if shot.image is not None:
            paint_fitted(painter, room, shot.image)
        else:
            painter.setPen(QColor(theme.soft))
            painter.setFont(themes.font(14))
            words = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(room, words, cell.error or "…")
        if cell.verdict is not None:
            told = in_short(cell.reach, shot.fidelity)
            paint_figures(painter, foot, cell.verdict.state, told, theme)
        painter.restore()


class Board(QTableWidget):
    """Small results in rows and columns.

    Signals
    -------
    taken : int
        A result was double-clicked, or Enter was pressed on it.
    """

    taken = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.shots: list[Shot] = []
        self.best = -1  # the gentlest that scans well
        self._wide = 1
        self._two = False
        self.setAccessibleName(tr("Board of results"))
        self.setItemDelegate(_Cells(self))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        for header in (self.horizontalHeader(), self.verticalHeader()):
            header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            header.setMinimumSectionSize(40)
            header.hide()
        self.cellDoubleClicked.connect(self._take)

    def begin(self, cells: Sequence[Cell], columns: int, title: Callable[[Cell], str]) -> None:
        """A new board, nothing of it known yet.

        Parameters
        ----------
        cells : sequence of Cell
        columns : int
            Of a board of two settings; 0: one setting, in rows as they come.
        title : callable
            A cell's values in words.
        """
        self.clear()
        self.shots = [Shot(cell, title(cell)) for cell in cells]
        self.best = -1
        self._two = columns > 0
        self._wide = columns or min(WRAP, max(1, len(cells)))
        self.setColumnCount(self._wide)
        self.setRowCount(-(-len(cells) // self._wide))
        for shot in self.shots:
            item = QTableWidgetItem()
            self.setItem(*divmod(shot.cell.index, self._wide), item)
            self._name(shot)
        for index in range(len(self.shots), self.rowCount() * self._wide):
            empty = QTableWidgetItem()
            empty.setFlags(Qt.ItemFlag.NoItemFlags)
            self.setItem(*divmod(index, self._wide), empty)
        self._fit()

    def _name(self, shot: Shot) -> None:
        item = self.item(*divmod(shot.cell.index, self._wide))
        item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{shot.title}: {shot.told}")
        item.setToolTip(themes.plain_tip(f"{shot.title}: {shot.told}"))

    def take(self, cell: Cell, image: QImage | None, best: int) -> None:
        """A cell is known; `best`: the gentlest so far that scans well."""
        self.shots[cell.index] = Shot(cell, self.shots[cell.index].title, image)
        self.best = best
        self._name(self.shots[cell.index])
        self.viewport().update()

    def at(self, line: int, column: int) -> Shot | None:
        """What stands in a place."""
        index = line * self._wide + column
        return self.shots[index] if index < len(self.shots) else None

    @property
    def chosen(self) -> list[Shot]:
        """The chosen results, in order."""
        places = sorted((index.row(), index.column()) for index in self.selectedIndexes())
        return [shot for place in places if (shot := self.at(*place)) is not None]

    def choose(self, index: int) -> None:
        """Choose one result."""
        self.setCurrentCell(*divmod(index, self._wide))

    def _take(self, line: int, column: int) -> None:
        shot = self.at(line, column)
        if shot is not None:
            self.taken.emit(shot.cell.index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen:
            self._take(self.currentRow(), self.currentColumn())
        else:
            super().keyPressEvent(event)

    def _fit(self) -> None:
        room = self.viewport().width()
        side = max(132, min(264, room // self._wide))
        for column in range(self.columnCount()):
            self.setColumnWidth(column, side)
        for line in range(self.rowCount()):
            self.setRowHeight(line, side + 44)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._fit()
