"""Two images side by side in one place, with a dividing line that is dragged."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.ui import theme as themes
from nimble_tile.ui.controls import soft
from nimble_tile.ui.overlays import paint_split
from nimble_tile.ui.view import View

CLOSE = 0.86
"""Part of the view that the code fills from close by."""


@dataclass(frozen=True, eq=False)
class Side:
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


class Compared(View):
    """The two images; the left one to the left of the line."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.sides: tuple[Side, Side] | None = None
        self.share = 0.5
        self._images: tuple[QImage, QImage] | None = None
        self._held = ""
        self._from = (QPointF(), QPointF())
        self.setMinimumSize(320, 240)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Two drafts with a dividing line between them")

    @property
    def image(self) -> QImage | None:
        return None if self._images is None else self._images[0]

    def take(self, left: Side, right: Side) -> None:
        """Show two; an image of another shape is fitted into the first one's frame."""
        self.sides, self.share = (left, right), 0.5
        size = left.image.size()
        other = right.image
        if other.size() != size:
            frame = QImage(size, QImage.Format.Format_ARGB32_Premultiplied)
            frame.fill(Qt.GlobalColor.transparent)
            fitted = QSize(other.size())
            fitted.scale(size, Qt.AspectRatioMode.KeepAspectRatio)
            area = QRectF(QPointF(), QSizeF(fitted))
            area.moveCenter(QRectF(QPointF(), QSizeF(size)).center())
            painter = QPainter(frame)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(area, other)
            painter.end()
            other = frame
        self._images = left.image, other
        self.close_up()

    def close_up(self) -> None:
        """Fill the view with the left one's code and a little of what is round it."""
        code = self.sides[0].code
        if code.isEmpty():
            self.fit()
            return
        room = min(self.width() / code.width(), self.height() / code.height()) * CLOSE
        whole = min(self.width() / self.image.width(), self.height() / self.image.height())
        self._scale = max(room, 0.02)
        if self._scale <= whole:
            self.fit()
            return
        middle = QPointF(self.width(), self.height()) / 2
        self._offset = middle - code.center() * self._scale
        self._fits = False
        # The line starts in the middle of the code.
        self.share = min(0.98, max(0.02, code.center().x() / self.image.width()))
        self._hold()
        self.update()

    def _frame(self) -> QRectF:
        return QRectF(self._offset, QSizeF(self.image.size()) * self._scale)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        if self._images is None:
            return
        frame = self._frame()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._scale < 3)
        left = frame.adjusted(0, 0, -frame.width() * (1 - self.share), 0)
        painter.save()
        painter.setClipRect(frame.adjusted(left.width(), 0, 0, 0))
        painter.drawImage(frame, self._images[1])
        painter.restore()
        paint_split(painter, frame, self._images[0], self.share, self.theme)

    def _on_line(self, at: QPointF) -> bool:
        frame = self._frame()
        return abs(at.x() - frame.left() - self.share * frame.width()) < 8

    def move_line(self, share: float) -> None:
        """Put the line somewhere, 0 (left) to 1."""
        self.share = min(1.0, max(0.0, share))
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._images is None:
            return
        at = event.position()
        self._held = "line" if self._on_line(at) else "view"
        self._from = at, QPointF(self._offset)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._images is None:
            return
        if self._held == "line":
            frame = self._frame()
            self.move_line((at.x() - frame.left()) / frame.width())
        elif self._held == "view":
            self._fits = False
            self._offset = self._from[1] + at - self._from[0]
            self._hold()
            self.update()
        else:
            on = self._on_line(at)
            self.setCursor(Qt.CursorShape.SplitHCursor if on else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = ""

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()

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
        self.back = QPushButton("Back to the bench")
        self.swap = QPushButton("Swap sides")
        self.near, self.whole = QPushButton("Code close up"), QPushButton("Whole piece")
        self.labels = [(QLabel(), soft(wraps=False), QPushButton("Take it")) for _ in range(2)]
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
        foot.addWidget(soft("Drag the line, or press ← →.", wraps=False), 1)
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

    def take(self, left: Side, right: Side) -> None:
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
