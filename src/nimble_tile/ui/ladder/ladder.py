"""The ladder: the rungs in working order, one of them open."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QCursor,
    QFocusEvent,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QMoveEvent,
    QPainter,
    QPaintEvent,
)
from PySide6.QtWidgets import QApplication, QScrollArea, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import rule
from nimble_tile.ui.ladder.rung import Rung

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Study
    from nimble_tile.ui.work.engine import Shown

WIDTH = 336
ROW = 56

HOVERED = 0.45
"""Part of an open row's shade that the row under the pointer has: one row alone looks open."""

BY_KEYS = (
    Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason,
    Qt.FocusReason.ShortcutFocusReason,
)  # fmt: skip


class RungRow(QWidget):
    """A rung's row: number, title, one-line summary."""

    pressed = Signal()
    moved = Signal()

    def __init__(self, number: int, title: str) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.framed = False  # by the keyboard's focus
        self.number, self.title, self.summary = number, title, ""
        self.open = self.hovered = False
        self.cost, self.cost_state, self.stale = "", "", False
        self.setFixedHeight(ROW)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(tr("Rung {number}, {title}", number=number, title=title))
        self.setToolTip(tr("Key {number}", number=number))

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, ROW)

    def set_summary(self, text: str) -> None:
        if text != self.summary:
            self.summary = text
            self.setAccessibleDescription(text)
            self.update()

    def set_cost(self, text: str, state: str, told: str = "") -> None:
        """What the rung costs in reach; `state` is the verdict whose colour it wears."""
        self.cost, self.cost_state = text, state
        self.setToolTip(tr("Key {number}", number=self.number) + (f"\n{told}" if told else ""))
        self.setAccessibleDescription(f"{self.summary}. {text}" if text else self.summary)
        self.update()

    def set_stale(self, stale: bool) -> None:
        """The cost belongs to an older piece."""
        if stale != self.stale:
            self.stale = stale
            self.update()

    def set_open(self, is_open: bool) -> None:
        self.open = is_open
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.pressed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.pressed.emit()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        # After a click the row that is open says enough.
        self.framed = event.reason() in BY_KEYS
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.framed = False
        super().focusOutEvent(event)

    def moveEvent(self, event: QMoveEvent) -> None:
        super().moveEvent(event)
        self.moved.emit()

    def enterEvent(self, event) -> None:
        self.set_hovered(True)

    def leaveEvent(self, event) -> None:
        self.set_hovered(False)

    def set_hovered(self, on: bool) -> None:
        """The pointer is over the row, or no longer."""
        if on != self.hovered:
            self.hovered = on
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        if self.open or self.hovered:
            shade = QColor(theme.tint)
            shade.setAlphaF(1 if self.open else HOVERED)
            painter.fillRect(self.rect(), shade)
        if self.open:
            painter.fillRect(QRectF(0, 0, 3, self.height()), QColor(theme.accent))
        painter.setPen(QColor(theme.accent))
        painter.setFont(themes.font(19, QFont.Weight.Bold))
        painter.drawText(
            QRectF(16, 0, 20, self.height()), Qt.AlignmentFlag.AlignVCenter, str(self.number)
        )
        width = self.width() - 44 - 16
        painter.setPen(QColor(theme.ink))
        painter.setFont(themes.font(16, QFont.Weight.Medium))
        painter.drawText(QRectF(44, 8, width, 20), Qt.AlignmentFlag.AlignVCenter, self.title)
        if self.cost:
            colour = themes.verdict_colour(theme, "" if self.stale else self.cost_state)
            painter.setPen(QColor(colour))
            painter.setFont(themes.font(13, QFont.Weight.Medium))
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(44, 8, width, 20), right, self.cost)
        font = themes.font(14)
        painter.setFont(font)
        painter.setPen(QColor(theme.soft))
        shown = QFontMetricsF(font).elidedText(self.summary, Qt.TextElideMode.ElideRight, width)
        painter.drawText(QRectF(44, 29, width, 18), Qt.AlignmentFlag.AlignVCenter, shown)
        if self.framed:
            painter.setPen(QColor(theme.accent))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5))


class Ladder(QScrollArea):
    """All rungs; opening one closes the others."""

    opened = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("ladder")
        self.setFixedWidth(WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.verticalScrollBar().valueChanged.connect(lambda _: self._look_for_pointer())
        self.rungs: list[Rung] = []
        self.rows: list[RungRow] = []
        self.current = -1
        # Rows move under a resting pointer, and Qt sends them no leave or enter event.
        self._moved = QTimer(self, singleShot=True, interval=0)
        self._moved.timeout.connect(self._look_for_pointer)

    def take(self, rungs: list[Rung]) -> None:
        """Put the rungs in, in working order; once."""
        inside = QWidget()
        inside.setObjectName("ladder")
        layout = QVBoxLayout(inside)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.rungs = rungs
        for index, rung in enumerate(rungs):
            line = RungRow(index + 1, rung.title)
            line.pressed.connect(lambda i=index: self.open(i if self.current != i else -1))
            line.moved.connect(self._moved.start)
            self.rows.append(line)
            layout.addWidget(line)
            layout.addWidget(rung)
            layout.addWidget(rule())
            rung.hide()
        layout.addStretch(1)
        self.setWidget(inside)

    def open(self, index: int) -> None:
        """Open one rung, or none with -1."""
        focus = QApplication.focusWidget()
        hidden = [at for at, rung in enumerate(self.rungs) if at != index]
        if focus is not None and any(self.rungs[at].isAncestorOf(focus) for at in hidden):
            # Else Qt hands it to whatever comes next, which is the row of another rung.
            own = index if index >= 0 else self.current
            self.rows[own].setFocus(Qt.FocusReason.OtherFocusReason)
        self.current = index
        for at, (line, rung) in enumerate(zip(self.rows, self.rungs, strict=True)):
            line.set_open(at == index)
            rung.setVisible(at == index)
        self._moved.start()
        if index >= 0:
            line = self.rows[index]
            # Once the layout has heard of it.
            QTimer.singleShot(0, self, lambda: self.ensureWidgetVisible(line, 0, 0))
            self.opened.emit(index)

    @property
    def current_rung(self) -> str:
        """Name of the open rung; empty where none is open."""
        return self.rungs[self.current].rung if self.current >= 0 else ""

    def open_rung(self, name: str) -> None:
        """Open a rung by its name."""
        self.open([rung.rung for rung in self.rungs].index(name))

    def _look_for_pointer(self) -> None:
        over = QApplication.widgetAt(QCursor.pos())
        for line in self.rows:
            line.set_hovered(line is over)

    def reveal(self, widget: QWidget) -> None:
        """Scroll until a widget of the open rung is in sight."""
        # After the layout has heard of it.
        QTimer.singleShot(0, self, lambda: self.ensureWidgetVisible(widget, 0, 20))

    # What all rungs are told -------------------------------------------------

    def show_piece(self, piece: Piece, shown: Shown | None) -> None:
        """The piece is another one; `shown` may still be of an older one."""
        for rung in self.rungs:
            rung.show_piece(piece)
        self._sum_up(piece, shown)

    def show_rendering(self, piece: Piece, shown: Shown) -> None:
        """There is a rendering, or an error that says why there is none."""
        for rung in self.rungs:
            rung.show_error(shown.error)
            rung.show_rendering(shown)
        self._sum_up(piece, shown)

    def show_study(self, study: Study, piece: Piece, shown: Shown | None) -> None:
        """More is known of the piece."""
        for rung in self.rungs:
            rung.show_study(study)
        self._sum_up(piece, shown)

    def _sum_up(self, piece: Piece, shown: Shown | None) -> None:
        for line, rung in zip(self.rows, self.rungs, strict=True):
            line.set_summary(rung.summary(piece, shown))

    def show_verdict(self, verdict: Verdict) -> None:
        """The verdict is known."""
        for rung in self.rungs:
            rung.show_verdict(verdict)

    def set_cost(self, rung: str, text: str, state: str, told: str = "") -> None:
        """What a rung costs in reach; see `RungRow.set_cost`."""
        at = [known.rung for known in self.rungs].index(rung)
        self.rows[at].set_cost(text, state, told)

    def set_stale(self, stale: bool) -> None:
        """The costs belong to an older piece."""
        for line in self.rows:
            line.set_stale(stale)

    def forget_costs(self) -> None:
        """No costs are known."""
        for line in self.rows:
            line.set_stale(False)
            line.set_cost("", "")

    def dress(self, theme: themes.Theme) -> None:
        for line, rung in zip(self.rows, self.rungs, strict=True):
            line.theme = theme
            line.update()
            rung.dress(theme)
