"""The parts of the sweep window: what is swept, and the board of small results."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QImage, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDoubleSpinBox,
    QHeaderView,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.piece import Piece
from nimble_tile.core.tune.sweep import MOST, SETTINGS, Cell, Setting, Value
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Number, guard_wheel, named, soft
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


class SweptBox(QWidget):
    """One setting, and the values that it is to take.

    Signals
    -------
    changed
        Another setting, or other values.
    """

    changed = Signal()

    def __init__(self, title: str, optional: bool) -> None:
        super().__init__()
        self._piece: Piece | None = None
        self._title = title
        options: list[tuple[object, str]] = [("", "Nothing")] if optional else []
        options += [(each.key, each.label) for each in SETTINGS]
        self.which = Choice(title, options)
        self.low, self.high = QDoubleSpinBox(), QDoubleSpinBox()
        self.count = Number(f"{title}: steps", 2, 16)
        self.count.set_value(5)
        self.count.setFixedWidth(72)
        for box, name in ((self.low, "from"), (self.high, "to")):
            box.setAccessibleName(f"{title}: {name}")
            box.setKeyboardTracking(False)
            box.setAlignment(Qt.AlignmentFlag.AlignRight)
            guard_wheel(box)
            box.valueChanged.connect(lambda _: self.changed.emit())
        self.options = QListWidget()
        self.options.setAccessibleName(f"{title}: values")
        self.options.itemChanged.connect(lambda _: self.changed.emit())
        self.why = soft()
        head = QLabel(title)
        head.setFont(themes.font(16, QFont.Weight.Bold))
        self._numbers = QWidget()
        numbers = QVBoxLayout(self._numbers)
        numbers.setContentsMargins(0, 0, 0, 0)
        numbers.setSpacing(6)
        numbers.addLayout(named("From", self.low, 48))
        numbers.addLayout(named("To", self.high, 48))
        numbers.addLayout(named("Steps", self.count, 48))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        for part in (head, self.which, self._numbers, self.options, self.why):
            whole.addWidget(part)
        self.which.chosen.connect(self.choose)
        self.count.edited.connect(lambda _: self.changed.emit())
        self.which.setCurrentIndex(0)

    @property
    def setting(self) -> Setting | None:
        """What is swept; None: nothing."""
        key = self.which.currentData()
        return next((each for each in SETTINGS if each.key == key), None)

    @property
    def values(self) -> list[Value]:
        """The values that it takes."""
        each = self.setting
        if each is None:
            return []
        if each.options:
            rows = [self.options.item(index) for index in range(self.options.count())]
            return [
                r.data(Qt.ItemDataRole.UserRole)
                for r in rows
                if r.checkState() == Qt.CheckState.Checked
            ]
        low, high = self.low.value() / each.factor, self.high.value() / each.factor
        return each.values(low, high, self.count.value())

    def follow(self, piece: Piece) -> None:
        """Grey out what this piece does not have."""
        first = self._piece is None
        self._piece = piece
        model = self.which.model()
        for index in range(self.which.count()):
            key = self.which.itemData(index)
            each = next((s for s in SETTINGS if s.key == key), None)
            why = each.why_not(piece) if each else ""
            item = model.item(index)
            item.setEnabled(not why)
            item.setToolTip(why)
        if first:
            self.choose(self.which.currentData())
        else:
            self._say()

    def choose(self, key: object) -> None:
        """Sweep this setting, over its usual range."""
        self.which.set_value(key)
        each = self.setting
        self._numbers.setVisible(each is not None and not each.options)
        self.options.setVisible(each is not None and bool(each.options))
        if each is not None and each.options:
            self.options.blockSignals(True)
            self.options.clear()
            for value, words in each.options:
                item = QListWidgetItem(words)
                item.setData(Qt.ItemDataRole.UserRole, value)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked)
                self.options.addItem(item)
            line = max(20, self.options.sizeHintForRow(0))
            self.options.setFixedHeight(min(9, len(each.options)) * line + 8)
            self.options.blockSignals(False)
        elif each is not None:
            low, high = each.usual(self._piece or Piece())
            for box, value in ((self.low, low), (self.high, high)):
                box.blockSignals(True)
                box.setDecimals(0 if each.whole or each.factor >= 100 else 2)
                box.setSuffix(each.unit)
                box.setRange(*self._limits(each))
                box.setSingleStep(5 if each.factor >= 100 else 1 if each.whole else 0.1)
                box.setValue(value * each.factor)
                box.blockSignals(False)
            self.count.set_value(min(5, round(high - low) + 1) if each.whole else 5)
        self._say()
        self.changed.emit()

    @staticmethod
    def _limits(each: Setting) -> tuple[float, float]:
        """What may be typed: some more than is usual, but nothing below 0 where that is odd."""
        span = 0 if each.whole else each.high - each.low
        low = each.low - span if each.low < 0 else max(0.0, each.low - span)
        return low * each.factor, (each.high + span) * each.factor

    def _say(self) -> None:
        each = self.setting
        why = each.why_not(self._piece) if each is not None and self._piece is not None else ""
        self.why.setText(why)
        self.why.setVisible(bool(why))


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
            return "Not judged yet."
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
        self.setAccessibleName("Board of results")
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


def told_number(count: int) -> str:
    """How large a board would be, in words."""
    if count > MOST:
        return f"{count} pieces: more than the {MOST} that a board holds. Take fewer steps."
    return f"{count} pieces." if count != 1 else "One piece."
