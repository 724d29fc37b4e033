"""Rung 1: what the code says."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QMimeData, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence, QTextCursor
from PySide6.QtWidgets import QLabel, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.message import Advice, advise, encoded_length
from nimble_tile.core.piece import Piece
from nimble_tile.ui.controls import Segments, row, set_rank, soft
from nimble_tile.ui.rungs.base import Rung
from nimble_tile.ui.session import SAMPLE, Session

if TYPE_CHECKING:
    from nimble_tile.ui.engine import Shown


class _Field(QPlainTextEdit):
    """The message; a link is one line, so Return adds none to it."""

    one_line = True

    def event(self, event: QEvent) -> bool:
        # Undo and redo belong to the piece, not to this field.
        if event.type() == QEvent.Type.ShortcutOverride and (
            event.matches(QKeySequence.StandardKey.Undo)
            or event.matches(QKeySequence.StandardKey.Redo)
        ):
            event.ignore()
            return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.one_line and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.accept()
            return
        super().keyPressEvent(event)

    def insertFromMimeData(self, source: QMimeData) -> None:
        # What is copied elsewhere often ends in a line break that nobody meant.
        if self.one_line and source.hasText():
            self.insertPlainText(source.text().strip("\r\n"))
        else:
            super().insertFromMimeData(source)


class MessageRung(Rung):
    """Kind, text, and advice with one-click fixes."""

    title, rung = "Message", "message"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.kind = Segments(
            "Kind of message",
            [
                ("link", "Link", "Opens a page when scanned"),
                ("text", "Plain text", "Shows as text when scanned"),
            ],
        )
        self.kind.chosen.connect(self._choose_kind)
        self.text = _Field()
        self.text.setAccessibleName("Message")
        self.text.setPlaceholderText("What a scan should give back")
        self.text.setTabChangesFocus(True)
        self.text.setUndoRedoEnabled(False)
        self.text.setFixedHeight(84)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.WidgetWidth)
        self.text.textChanged.connect(self._type)
        self.error = QLabel()
        self.error.setWordWrap(True)
        set_rank(self.error, "error")
        self.error.hide()
        self.count = soft()
        self._advice = QWidget()
        self._advice_layout = QVBoxLayout(self._advice)
        self._advice_layout.setContentsMargins(0, 0, 0, 0)
        self._advice_layout.setSpacing(8)
        self._advised: list[Advice] | None = None
        for widget in (self.kind, self.text, self.error, self._advice, self.count):
            self.body.addWidget(widget)

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        text = " ".join(piece.message.text.split())
        return text or "Nothing written yet"

    def _type(self) -> None:
        name = "Write the message"
        self.session.edit("message", name, "message", text=self.text.toPlainText())

    def _choose_kind(self, kind: object) -> None:
        self.session.edit("message", "Change the kind of message", kind=kind)

    def show_piece(self, piece: Piece) -> None:
        message = piece.message
        self.kind.set_value(message.kind)
        self.text.one_line = message.kind == "link"
        if self.text.toPlainText() != message.text:
            self.text.blockSignals(True)
            self.text.setPlainText(message.text)
            self.text.moveCursor(QTextCursor.MoveOperation.End)
            self.text.blockSignals(False)
        characters, size = len(message.text), encoded_length(message.text)
        shown = f"{characters} characters" if characters != 1 else "1 character"
        self.count.setText(shown if size == characters else f"{shown}, {size} bytes")
        self._show_advice(message.text, advise(message))

    def _show_advice(self, text: str, advice: list[Advice]) -> None:
        if text == SAMPLE:
            advice = [Advice("note", "This is a sample link. Write yours over it."), *advice]
        if advice == self._advised:
            return
        self._advised = advice
        while (item := self._advice_layout.takeAt(0)) is not None:
            item.widget().hide()
            item.widget().deleteLater()
        for remark in advice:
            entry = QWidget()
            layout = QVBoxLayout(entry)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(0)
            label = soft(remark.text)
            set_rank(label, "warn" if remark.weight == "warn" else "soft")
            layout.addWidget(label)
            if remark.fix is not None:
                button = QPushButton(remark.fix.label)
                button.setProperty("flat", True)
                button.setCursor(Qt.CursorShape.PointingHandCursor)
                fixed, name = remark.fix.text, remark.fix.label
                button.clicked.connect(lambda _=False, t=fixed, n=name: self._fix(t, n))
                layout.addLayout(row(button, 1))
            self._advice_layout.addWidget(entry)
        self._advice.setVisible(bool(advice))

    def _fix(self, text: str, name: str) -> None:
        self.session.edit("message", name, text=text)

    def show_error(self, error: UserError | None) -> None:
        concerns = isinstance(error, MessageError) and bool(self.session.piece.message.text)
        self.error.setText(str(error) if concerns else "")
        self.error.setVisible(concerns)
