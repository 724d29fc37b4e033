"""Two images side by side in one place, with a dividing line that is dragged."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QImage, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.bench.divided import Divided
from nimble_tile.ui.bench.overlays import paint_split
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import soft
from nimble_tile.ui.kit.figures import paint_fitted


@dataclass(frozen=True, eq=False)
class ComparedSide:
    """One of the two that are compared.

    Attributes
    ----------
    name : str
    told : str
        Its verdict, reach and fidelity.
    image : QImage
    key : str
        Key of the draft; empty: the piece itself.
    code : QRectF
        Where the code lies on the image.
    """

    name: str
    told: str
    image: QImage
    key: str = ""
    code: QRectF = field(default_factory=QRectF)


class Compared(Divided):
    """The two images; the left one to the left of the line."""

    def __init__(self) -> None:
        super().__init__()
        self.sides: tuple[ComparedSide, ComparedSide] | None = None
        self._images: tuple[QImage, QImage] | None = None
        self.setAccessibleName(tr("Two drafts with a dividing line between them"))

    @property
    def image(self) -> QImage | None:
        return None if self._images is None else self._images[0]

    def take(self, left: ComparedSide, right: ComparedSide) -> None:
        """Show two; an image of another shape is fitted into the first one's frame."""
        self.sides, self.share = (left, right), 0.5
        other = right.image
        if other.size() != left.image.size():
            other = QImage(left.image.size(), QImage.Format.Format_ARGB32_Premultiplied)
            other.fill(Qt.GlobalColor.transparent)
            painter = QPainter(other)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            paint_fitted(painter, QRectF(other.rect()), right.image)
            painter.end()
        self._images = left.image, other
        self.close_up()

    def close_up(self) -> None:
        """Fill the view with the left one's code; the line starts in its middle."""
        code = self.sides[0].code
        if code.isEmpty():
            self.fit()
            return
        self.share = min(0.98, max(0.02, code.center().x() / self.image.width()))
        self.show_part(code)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if self._images is None:
            return
        frame = self.frame
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._scale < 3)
        painter.save()
        painter.setClipRect(frame.adjusted(frame.width() * self.share, 0, 0, 0))
        painter.drawImage(frame, self._images[1])
        painter.restore()
        paint_split(painter, frame, self._images[0], self.share, self.theme)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -0.02, Qt.Key.Key_Right: 0.02}
        if event.key() in steps:
            self.move_line(self.share + steps[event.key()])
        else:
            super().keyPressEvent(event)


class CompareView(QWidget):
    """The comparison in the place of the bench; Escape goes back.

    Signals
    -------
    left
        Back to the bench.
    restore_wanted : str
        Key of the draft that the piece is to become.
    """

    left = Signal()
    restore_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.view = Compared()
        self.back = QPushButton(tr("Back to the bench"))
        self.swap = QPushButton(tr("Swap sides"))
        self.near, self.whole = QPushButton(tr("Code close up")), QPushButton(tr("Whole piece"))
        self.labels = [(QLabel(), soft(wraps=False), QPushButton(tr("Take it"))) for _ in range(2)]
        head = QHBoxLayout()
        head.setContentsMargins(20, 8, 12, 8)
        head.setSpacing(12)
        for index, (name, told, take) in enumerate(self.labels):
            name.setTextFormat(Qt.TextFormat.PlainText)
            name.setFont(themes.font(16, QFont.Weight.Bold))
            words = QVBoxLayout()
            words.setSpacing(0)
            words.addWidget(name)
            words.addWidget(told)
            if index:
                name.setAlignment(Qt.AlignmentFlag.AlignRight)
                told.setAlignment(Qt.AlignmentFlag.AlignRight)
                head.addStretch(1)
                head.addWidget(take)
                head.addLayout(words)
            else:
                head.addLayout(words)
                head.addWidget(take)
            take.clicked.connect(lambda _=False, i=index: self._restore(i))
        foot = QHBoxLayout()
        foot.setContentsMargins(20, 8, 12, 8)
        foot.addWidget(soft(tr("Drag the line, or press ← →."), wraps=False), 1)
        foot.setSpacing(8)
        for button in (self.near, self.whole, self.swap, self.back):
            foot.addWidget(button)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(head)
        whole.addWidget(self.view, 1)
        whole.addLayout(foot)
        self.back.clicked.connect(self.left)
        self.swap.clicked.connect(self._swap)
        self.near.clicked.connect(self.view.close_up)
        self.whole.clicked.connect(self.view.fit)

    def take(self, left: ComparedSide, right: ComparedSide) -> None:
        """Compare two."""
        self.view.take(left, right)
        for (name, told, take), side in zip(self.labels, (left, right), strict=True):
            name.setText(side.name)
            told.setText(side.told)
            take.setVisible(bool(side.key))

    def _swap(self) -> None:
        left, right = self.view.sides
        share = 1 - self.view.share
        self.take(right, left)
        self.view.move_line(share)

    def _restore(self, index: int) -> None:
        self.restore_wanted.emit(self.view.sides[index].key)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.view.theme = theme
        self.view.update()
