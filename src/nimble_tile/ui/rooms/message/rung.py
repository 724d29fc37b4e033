"""Rung 1: what the code says."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from pydantic import ValidationError
from PySide6.QtCore import QEvent, QMimeData, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence, QTextCursor
from PySide6.QtWidgets import QLabel, QLineEdit, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.language import tr, within
from nimble_tile.core.message import Advice, Fix, advise, campaign, encoded_length, kinds
from nimble_tile.core.piece import Message, Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, Fold, named, row, set_rank, soft
from nimble_tile.ui.ladder.rung import Rung
from nimble_tile.ui.rooms.message.density import DensityView
from nimble_tile.ui.rooms.message.short import ShortFold
from nimble_tile.ui.work.session import SAMPLE_MESSAGE, Session

if TYPE_CHECKING:
    from nimble_tile.core.study import Study
    from nimble_tile.ui.rooms.message.forms import FormView
    from nimble_tile.ui.work.engine import Shown
    from nimble_tile.ui.work.short import ShortNews


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


class _Tags(Fold):
    """Campaign tags of a link."""

    changed = Signal(str, str)

    def __init__(self) -> None:
        super().__init__(tr("Campaign tags"))
        self.lines: dict[str, QLineEdit] = {}
        hints = {"source": "poster", "medium": "print", "campaign": "lantern-walk"}
        for tag in campaign.TAGS:
            line = QLineEdit()
            line.setPlaceholderText(hints.get(tag, ""))
            line.textEdited.connect(lambda text, t=tag: self.changed.emit(t, text))
            self.inside.addLayout(named(campaign.TAG_NAMES[tag], line, 78))
            self.lines[tag] = line
        self.inside.addWidget(
            soft(tr("Added to the link as utm_…; the rest of it stays as it is."))
        )

    def show_link(self, link: str) -> None:
        tags = campaign.tags_of(link)
        for tag, line in self.lines.items():
            if line.text() != tags.get(tag, ""):
                line.setText(tags.get(tag, ""))
        self.set_note(
            tr("{tags} of {tags2}", tags=len(tags), tags2=len(campaign.TAGS)) if tags else ""
        )


class MessageRung(Rung):
    """Kind, text or form, advice with one-click fixes, density."""

    title, rung = tr("Message"), "message"
    scan_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._theme = themes.LIGHT
        self.kind = Choice(tr("Kind of message"), list(kinds.TITLES.items()))
        self.kind.setMaxVisibleItems(len(kinds.TITLES))
        self.kind.chosen.connect(self._choose_kind)
        self.text = _Field()
        self.text.setAccessibleName(tr("Message"))
        self.text.setPlaceholderText(tr("What a scan should give back"))
        self.text.setTabChangesFocus(True)
        self.text.setUndoRedoEnabled(False)
        self.text.setFixedHeight(84)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.WidgetWidth)
        self.text.textChanged.connect(self._type)
        self.tags = _Tags()
        self.tags.changed.connect(self._tag)
        self.short = ShortFold()
        self._own_short = False  # the message is a short link of the desk
        self.form: FormView | None = None
        self._form_place = QVBoxLayout()
        self.written = Fold(tr("The text that is written"))
        self.raw = QPlainTextEdit()
        self.raw.setReadOnly(True)
        self.raw.setAccessibleName(tr("The text that is written"))
        self.raw.setTabChangesFocus(True)
        self.raw.setFixedHeight(96)
        self.written.inside.addWidget(self.raw)
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
        self.density = DensityView()
        self.density.level_chosen.connect(
            lambda level: session.edit("code", tr("Choose level {level}", level=level), level=level)
        )
        self.density.offer_taken.connect(self._take_offer)
        self.scan = QPushButton(tr("Take it from an image…"))
        self.scan.setProperty("flat", True)
        self.scan.setToolTip(tr("Reads the code in an image and fills in its message"))
        self.scan.clicked.connect(self.scan_wanted)
        self.body.addLayout(named(tr("Kind"), self.kind, 78))
        self.body.addWidget(self.text)
        self.body.addLayout(self._form_place)
        for widget in (
            self.error, self._advice, self.count, self.short, self.tags, self.written,
        ):  # fmt: skip
            self.body.addWidget(widget)
        self.body.addWidget(self.density)
        self.body.addLayout(row(self.scan, 1))

    def unfinished(self, piece: Piece) -> UserError | None:
        """What the form still needs, where that is why there is no code."""
        form = piece.message.details
        if form is None or piece.message.text:
            return None
        stops = [remark.text for remark in kinds.remarks(form) if remark.stops]
        what = tr("{kind}: unfinished.", kind=kinds.TITLES[piece.message.kind])
        return MessageError(what, stops[0] if stops else "")

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        message = piece.message
        if message.details is not None and not message.text:
            return tr("{titles}, unfinished", titles=kinds.TITLES[message.kind])
        return kinds.in_words(message) or tr("Nothing written yet")

    # Edits -----------------------------------------------------------------

    def _type(self) -> None:
        name = tr("Write the message")
        self.session.edit("message", name, "message", text=self.text.toPlainText())

    def _put(self, message: Message, name: str, key: str = "") -> None:
        piece = self.session.piece.model_copy(update={"message": message})
        self.session.put(piece, name, key)

    def _choose_kind(self, kind: str) -> None:
        old = self.session.piece.message
        if kind == old.kind:
            return
        message = kinds.of_kind(kind, old.text)
        if message.details is not None and not message.text:
            from nimble_tile.ui.rooms.message.forms import fresh

            details = message.details.model_copy(update=fresh(kind))
            message = kinds.compose(details)
        self._put(message, tr("Change the kind to {kind}", kind=within(kinds.TITLES[kind])))
        if self.form is not None:
            self.form.begin()
        else:
            self.text.setFocus()

    def _fill(self, name: str, value: Any) -> None:
        details = self.session.piece.message.details
        changes = {name: value}
        if name == "all_day" and value:
            changes |= {"start": details.start[:10], "end": details.end[:10]}
        elif name == "all_day":
            changes |= {
                field: f"{text[:10]}T18:00" if text else ""
                for field, text in (("start", details.start), ("end", details.end))
            }
        try:
            filled = type(details).model_validate({**dict(details), **changes})
        except ValidationError:
            return
        title = within(kinds.TITLES[filled.kind])
        self._put(kinds.compose(filled), tr("Fill in the {title}", title=title), f"form {name}")

    def _tag(self, tag: str, value: str) -> None:
        link = self.session.piece.message.text
        tags = {**campaign.tags_of(link), tag: value}
        text = campaign.with_tags(link, tags)
        self.session.edit("message", tr("Change the campaign tags"), f"tag {tag}", text=text)

    def _take_offer(self, offer) -> None:
        piece = self.session.piece
        if offer.message is not None:
            piece = piece.model_copy(update={"message": offer.message})
        if offer.code:
            piece = piece.edited("code", **offer.code)
        self.session.put(piece, offer.label)

    def _fix(self, fix: Fix) -> None:
        if fix.kind is not None:
            self._put(kinds.of_kind(fix.kind, fix.text), fix.label)
        else:
            self.session.edit("message", fix.label, text=fix.text)

    # Showing ---------------------------------------------------------------

    def show_piece(self, piece: Piece) -> None:
        message = piece.message
        self.kind.set_value(message.kind)
        formed = message.details is not None
        self.text.setVisible(not formed)
        self.tags.setVisible(message.kind == "link")
        self.short.setVisible(message.kind == "link")
        self.written.setVisible(formed)
        self.text.one_line = message.kind == "link"
        if not formed and self.text.toPlainText() != message.text:
            self.text.blockSignals(True)
            self.text.setPlainText(message.text)
            self.text.moveCursor(QTextCursor.MoveOperation.End)
            self.text.blockSignals(False)
        self._show_form(message)
        if message.kind == "link":
            self.tags.show_link(message.text)
        characters, size = len(message.text), encoded_length(message.text)
        shown = (
            tr("{characters} characters", characters=characters)
            if characters != 1
            else tr("1 character")
        )
        self.count.setText(
            shown
            if size == characters
            else tr("{shown}, {size} bytes as UTF-8", shown=shown, size=size)
        )
        self.count.setVisible(bool(message.text))
        # Of the desk's own address everything is known: it is for this machine, and plain.
        self._show_advice(message.text, [] if self._own_short else advise(message))

    def _show_form(self, message: Message) -> None:
        wanted = message.kind if message.details is not None else None
        if self.form is not None and self.form.kind != wanted:
            self._form_place.removeWidget(self.form)
            self.form.hide()
            self.form.deleteLater()
            self.form = None
        if wanted is None:
            return
        if self.form is None:
            from nimble_tile.ui.rooms.message.forms import FormView

            self.form = FormView(wanted)
            self.form.changed.connect(self._fill)
            self.form.dress(self._theme)
            self._form_place.addWidget(self.form)
        self.form.show_details(message.details, kinds.remarks(message.details))
        self.raw.setPlainText(message.text)
        self.written.set_note("" if message.text else tr("nothing yet"))

    def _show_advice(self, text: str, advice: list[Advice]) -> None:
        if text == SAMPLE_MESSAGE:
            advice = [Advice("note", tr("This is a sample link. Write yours over it.")), *advice]
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
                button.clicked.connect(lambda _=False, fix=remark.fix: self._fix(fix))
                layout.addLayout(row(button, 1))
            self._advice_layout.addWidget(entry)
        self._advice.setVisible(bool(advice))

    def show_study(self, study: Study) -> None:
        self.density.show_study(study, self.session.piece)

    def show_short(self, news: ShortNews) -> None:
        """What the link desk knows of the message."""
        self._own_short = news.own
        self.short.show_news(news, bool(self.session.piece.message.text))

    def show_error(self, error: UserError | None) -> None:
        concerns = isinstance(error, MessageError) and bool(self.session.piece.message.text)
        self.error.setText(str(error) if concerns else "")
        self.error.setVisible(concerns)

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self._theme = theme
        for fold in (self.short, self.tags, self.written):
            fold.dress(theme)
        if self.form is not None:
            self.form.dress(theme)
