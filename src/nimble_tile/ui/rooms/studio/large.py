"""The chosen candidate, large, with all that is known of it and what can be done with it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.studio.board import Candidate
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Segments, row, soft
from nimble_tile.ui.kit.figures import in_line, paint_fitted

MOST_STARS = 5


class Canvas(QWidget):
    """A picture, whole, as large as there is room."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.image = QImage()
        self.setMinimumSize(QSize(240, 240))
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.setAccessibleName(tr("The chosen candidate"))

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return width

    def take(self, image: QImage) -> None:
        self.image = image
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if not self.image.isNull():
            paint_fitted(painter, QRectF(self.rect()), self.image)


class Stars(QWidget):
    """How much the designer likes it, 0 to 5; a click on the last star takes it away."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.value = 0
        self.buttons = []
        for number in range(1, MOST_STARS + 1):
            button = QToolButton()
            button.setAccessibleName(
                tr("1 star") if number == 1 else tr("{number} stars", number=number)
            )
            button.setToolTip(tr("Key {number} on the board; 0 takes all away", number=number))
            button.clicked.connect(lambda _=False, n=number: self._click(n))
            layout.addWidget(button)
            self.buttons.append(button)
        self.set_value(0)

    def set_value(self, value: int) -> None:
        """Show so many stars."""
        self.value = value
        for number, button in enumerate(self.buttons, 1):
            button.setText("\u2605" if number <= value else "\u2606")

    def _click(self, number: int) -> None:
        self.chosen.emit(number - 1 if number == self.value else number)


class Large(QWidget):
    """The chosen candidate."""

    def __init__(self) -> None:
        super().__init__()
        self.canvas = Canvas()
        self.way = Segments(
            tr("Shown"),
            [("image", tr("As it is"), tr("The candidate")),
             ("before", tr("Before"), tr("As it was before it was mended")),
             ("unguided", tr("Unguided"), tr("The same painting without the code"))],
        )  # fmt: skip
        self.way.set_value("image")
        self.name, self.words, self.told = QLabel(), QLabel(), soft()
        self.name.setProperty("head", True)
        for label in (self.name, self.words, self.told):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
        self.stars = Stars()
        self.use = QPushButton(tr("Use it in the piece"))
        self.use.setProperty("main", True)
        self.use.setToolTip(tr("It becomes the picture of the piece, its code and place known"))
        self.draft, self.mend = QPushButton(tr("Keep as a draft")), QPushButton(tr("Mend"))
        self.seeds, self.more = QPushButton(tr("Other seeds")), QPushButton(tr("More weight"))
        self.seeds.setToolTip(tr("Four more with the same settings and other seeds"))
        self.more.setToolTip(tr("The same with 0.1 more weight of the guide"))
        self.save, self.remove = QPushButton(tr("Save\u2026")), QPushButton(tr("Remove"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.canvas)
        layout.addWidget(self.way)
        layout.addWidget(self.name)
        layout.addWidget(self.words)
        layout.addWidget(self.told)
        layout.addLayout(row(self.stars, 1))
        layout.addStretch(1)
        layout.addLayout(row(self.use, self.draft, 1, spacing=6))
        layout.addLayout(row(self.mend, self.seeds, self.more, 1, spacing=6))
        layout.addLayout(row(self.save, self.remove, 1, spacing=6))

    def show_candidates(self, chosen: list[Candidate], idle: bool) -> None:
        """What is known of the chosen ones, and what can be done with them."""
        one = chosen[0] if len(chosen) == 1 else None
        known = [c for c in chosen if c.state == "known" and c.piece is not None]
        painted = [c for c in chosen if c.recipe is not None]
        if one is not None:
            self.name.setText(one.name)
            if one.state == "waiting":
                self.words.setText(tr("Not known yet."))
            else:
                line = in_line(one.words.rstrip("."), one.reach, None)
                if one.likeness is not None:
                    line += tr(
                        ", likeness to the unguided painting {likeness:.2f}", likeness=one.likeness
                    )
                self.words.setText(f"{line}.")
            told = [one.recipe.words] if one.recipe is not None else []
            if one.able:
                told.append(
                    tr(
                        "{readers} of {able} readers read it straight on.",
                        readers=one.readers,
                        able=one.able,
                    )
                )
            self.told.setText("\n".join([*told, one.note] if one.note else told))
            self.stars.set_value(one.stars)
        else:
            self.name.setText(tr("{chosen} candidates", chosen=len(chosen)) if chosen else "")
            self.words.setText("" if chosen else tr("Choose a candidate to see it large."))
            self.told.setText("")
            self.stars.set_value(max((c.stars for c in chosen), default=0))
        for widget in (self.told, self.name):
            widget.setVisible(bool(widget.text()))
        self.stars.setVisible(bool(chosen))
        self.way.setVisible(one is not None and one.state == "known")
        self.way.button("before").setEnabled(one is not None and one.mended)
        self.way.button("unguided").setEnabled(bool(painted))
        self.use.setEnabled(one is not None and one in known)
        self.draft.setEnabled(bool(known))
        lost = one is not None and one.lost
        self.mend.setText(tr("Say where it is\u2026") if lost else tr("Mend"))
        self.mend.setToolTip(tr("Mend it by hand: draw where the code is") if lost else "")
        able = any(not c.mended and c.verdict != "well" for c in known)
        self.mend.setEnabled(idle and (lost or able))
        self.save.setEnabled(one is not None and one.state == "known")
        self.seeds.setEnabled(bool(painted))
        self.more.setEnabled(bool(painted))
        self.remove.setEnabled(bool(chosen))

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.canvas.theme = theme
        self.canvas.update()
