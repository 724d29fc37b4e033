"""From a keyword to a description: three to choose from, each of its words to be changed."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFontMetrics, QGuiApplication, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QLabel,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr, tr_as
from nimble_tile.standins import prompt
from nimble_tile.standins.painter import words
from nimble_tile.standins.prompt import Description, Part
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import row, set_rank, soft
from nimble_tile.ui.kit.flow import Flow

EXPLAINED_AFTER = 250
"""Milliseconds of rest after a keystroke until the words are explained."""

CLASS_NAMES = {
    "scene": tr("scene"), "thing": tr("in it"), "palette": tr("colours"),
    "light": tr_as("illumination", "light"), "weather": tr("weather"), "time": tr("hour"),
    "medium": tr("medium"), "mood": tr("mood"),
    "unknown": tr("not known"),
}  # fmt: skip


class DescriptionCard(QAbstractButton):
    """One description to choose, as wrapped text."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.description: Description | None = None
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def take(self, description: Description) -> None:
        """Show a description."""
        self.description = description
        self.setText(description.text)
        self.setAccessibleName(description.text)
        avoid = ", ".join(description.avoid)
        self.setToolTip(
            themes.plain_tip(tr("Avoids: {avoid}", avoid=avoid) if avoid else tr("Avoids nothing"))
        )
        self.updateGeometry()

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        room = QRect(0, 0, max(40, width - 20), 1000)
        flags = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft
        return QFontMetrics(themes.font(14)).boundingRect(room, flags, self.text()).height() + 14

    def sizeHint(self) -> QSize:
        return QSize(240, self.heightForWidth(240))

    def paintEvent(self, event) -> None:
        painter, theme = QPainter(self), self.theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self.rect().adjusted(1, 1, -1, -1)
        lit = self.isChecked() or self.underMouse()
        line = theme.accent if self.isChecked() or self.hasFocus() else theme.edge
        painter.setPen(QPen(QColor(line), 2 if self.hasFocus() else 1))
        painter.setBrush(QColor(theme.tint if lit else theme.field))
        painter.drawRoundedRect(area, 5, 5)
        painter.setPen(QColor(theme.ink))
        painter.setFont(themes.font(14))
        flags = (
            Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        painter.drawText(area.adjusted(9, 6, -9, -6), flags, self.text())


class WordButton(QPushButton):
    """A word of the description and what it does; a click offers others of its class."""

    def __init__(self, part: Part) -> None:
        super().__init__(part.text)
        self.part = part
        unknown = part.kind == "unknown"
        told = tr("The painter does not know this word") if unknown else part.does
        self.setToolTip(themes.plain_tip(f"{CLASS_NAMES[part.kind]}: {told}"))
        self.setAccessibleName(f"{part.text}, {CLASS_NAMES[part.kind]}: {told}")
        self.setProperty("word", "unknown" if unknown else "known")


class Describe(QWidget):
    """What is to be painted, and what is to be avoided.

    Signals
    -------
    edited
        The description is another one.
    """

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._seed = 0
        self.rough = QLineEdit()
        self.rough.setPlaceholderText(tr("A keyword or a rough sentence"))
        self.rough.setAccessibleName(tr("Keyword or rough sentence"))
        self.describe = QPushButton(tr("Describe"))
        self.describe.setToolTip(
            tr("Three descriptions in the painter’s words; again: three others")
        )
        self.cards = [DescriptionCard() for _ in range(prompt.NUMBER)]
        self._group = QButtonGroup(self)
        for card in self.cards:
            card.hide()
            self._group.addButton(card)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("Description"))
        self.text.setPlaceholderText(tr("What is to be painted, in words"))
        self.text.setTabChangesFocus(True)
        self.text.setFixedHeight(76)
        self.avoid = QLineEdit()
        self.avoid.setAccessibleName(tr("Avoid"))
        self.avoid.setPlaceholderText(tr("What must not be in it"))
        self.copy = QPushButton(tr("Copy for another generator"))
        self.copy.setProperty("flat", True)
        self.told = soft()
        self._words = QWidget()
        self.flow = Flow()
        self._words.setLayout(self.flow)
        self._lay_out()
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(EXPLAINED_AFTER)
        self._later.timeout.connect(self.explain)
        self.rough.returnPressed.connect(self.propose)
        self.rough.textEdited.connect(self._other_word)
        self.describe.clicked.connect(self.propose)
        self._group.buttonClicked.connect(lambda card: self.take(card.description))
        self.text.textChanged.connect(self._typed)
        self.avoid.textEdited.connect(lambda _: self._typed())
        self.copy.clicked.connect(self._copy)

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        line = row(self.rough, self.describe, spacing=6)
        line.setStretch(0, 1)
        layout.addLayout(line)
        for card in self.cards:
            layout.addWidget(card)
        layout.addWidget(self.text)
        layout.addWidget(self._words)
        layout.addWidget(self.told)
        name = QLabel(tr("Avoid"))
        name.setFixedWidth(44)
        layout.addLayout(row(name, self.avoid))
        layout.addLayout(row(self.copy, 1))

    @property
    def words(self) -> str:
        """The description."""
        return " ".join(self.text.toPlainText().split())

    @property
    def avoided(self) -> str:
        return self.avoid.text().strip()

    @property
    def all_of_them(self) -> list[tuple[str, str]]:
        """The descriptions that are offered, with what each avoids."""
        there = [card.description for card in self.cards if card.description is not None]
        return [(each.text, ", ".join(each.avoid)) for each in there]

    def _other_word(self) -> None:
        self._seed = 0

    def propose(self) -> None:
        """Three descriptions of what somebody has in mind; again: three others."""
        rough = self.rough.text().strip()
        made = prompt.descriptions(rough, self._seed)
        self._seed += 1
        unknown = words.understand(rough).unknown
        for card, description in zip(self.cards, made, strict=True):
            card.take(description)
            card.show()
        self.describe.setText(tr("Three others"))
        self.cards[0].setChecked(True)
        self.take(made[0])
        if unknown:
            self._tell(tr("Not known, and left out: {unknown}.", unknown=", ".join(unknown)), True)

    def take(self, description: Description) -> None:
        """Write a description down."""
        self.avoid.setText(", ".join(description.avoid))
        self.set_text(description.text)

    def set_text(self, text: str) -> None:
        """Show a description."""
        if text != self.text.toPlainText():
            self.text.setPlainText(text)
        self.explain()

    def _typed(self) -> None:
        self._later.start()
        self.edited.emit()

    def explain(self) -> None:
        """What each word does."""
        self._later.stop()
        self.flow.clear()
        parts = [part for part in prompt.explained(self.words) if part.kind]
        for part in parts:
            button = WordButton(part)
            button.clicked.connect(lambda _=False, b=button: self._offer(b))
            self.flow.addWidget(button)
        self._words.setVisible(bool(parts))
        self._words.setMinimumHeight(self.flow.heightForWidth(max(self._words.width(), 200)))
        unknown = [part.text for part in parts if part.kind == "unknown"]
        avoided = [part.text for part in prompt.explained(self.avoided) if part.kind == "unknown"]
        if unknown or avoided:
            self._tell(
                tr("The painter does not know: {value}. Another generator may.",
                   value=', '.join([*unknown, *avoided])), True,
            )  # fmt: skip
        else:
            self._tell(tr("Click a word to change it.") if parts else "")

    def _tell(self, text: str, warns: bool = False) -> None:
        self.told.setText(text)
        self.told.setVisible(bool(text))
        set_rank(self.told, "warn" if warns else "soft")

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._words.setMinimumHeight(self.flow.heightForWidth(max(self._words.width(), 200)))

    def menu_of(self, button: WordButton) -> QMenu:
        """Other words of the same class, and what each does."""
        part, menu = button.part, QMenu(self)
        menu.setToolTipsVisible(True)
        values = sorted({v for k, v in words.VOCABULARY.values() if k == part.kind})
        now = next((word.value for word in words.words(part.text)), "")
        for value in values:
            action = menu.addAction(value)
            action.setToolTip(prompt.does(words.Word(value, part.kind, value)))
            action.setCheckable(True)
            action.setChecked(value == now)
            action.triggered.connect(lambda _=False, v=value: self.replace(part.text, v))
        if values:
            menu.addSeparator()
        menu.addAction(tr("Take it out")).triggered.connect(lambda: self.replace(part.text, ""))
        return menu

    def _offer(self, button: WordButton) -> None:
        self.menu_of(button).popup(button.mapToGlobal(QPoint(0, button.height())))

    def replace(self, word: str, other: str) -> None:
        """Put another word, or none, in the place of one."""
        text = self.words
        at = text.lower().find(word.lower())
        if at < 0:
            return
        before, after = text[:at], text[at + len(word) :]
        if not other:  # with what joined it to the rest
            before = before.rstrip()
            for joint in (",", " with", " and"):
                if before.endswith(joint):
                    before = before[: -len(joint)]
                    break
            else:
                after = after.lstrip(" ,")
                before = f"{before} " if before and after else before
        self.set_text(f"{before}{other}{after}".strip(" ,"))

    def _copy(self) -> None:
        told = self.words + (f"\nAvoid: {self.avoided}" if self.avoided else "")
        QGuiApplication.clipboard().setText(told)
        self._tell(tr("Copied."))

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for card in self.cards:
            card.theme = theme
            card.update()
