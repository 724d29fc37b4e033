"""The phone test: the piece at true size on the whole screen, and the phone log."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QPainter, QPaintEvent, QPen, QScreen
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr, tr_as
from nimble_tile.core.phonelog import MOST_ENTRIES, PhoneTest
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import NumberBox, Segments, named, row, rule, set_rank, soft
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.work.jobs import Latest

if TYPE_CHECKING:
    from nimble_tile.core.rendering import Rendering
    from nimble_tile.core.trials.foreseen import Foreseen
    from nimble_tile.ui.work.tools import Tools

PRINT_SIZES = (100, 80, 60, 50, 40, 30, 25, 20, 16, 12, 10, 8)
"""Sizes in mm that are stepped through."""

BANK_CARD = (85.6, 53.98)
"""Width and height of a bank card in mm (ISO/IEC 7810, ID-1)."""

LIKELY = (1.5, 12.0)
"""Pixels a millimetre of any real screen; outside, what it reports is not believed."""

USUAL = 96 / 25.4


def pixels_a_mm(screen: QScreen | None) -> float:
    """Pixels of the window a millimetre, as the screen reports it."""
    if screen is None:
        return USUAL
    width = screen.physicalSize().width()
    found = screen.geometry().width() / width if width > 0 else USUAL
    return found if LIKELY[0] <= found <= LIKELY[1] else USUAL


class Easel(QWidget):
    """The piece, its code as many millimetres wide as asked, or a card to measure by."""

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.code = QRectF()  # on the image
        self.size, self.scale = 40.0, USUAL
        self.measuring = False
        self.setMinimumSize(300, 300)
        self.setAccessibleName(tr("The piece at true size"))

    def take(self, rendering: Rendering) -> None:
        """Show a rendering."""
        self.image = to_qimage(rendering.image)
        box = rendering.box
        side = rendering.code_side
        middle = QPointF(box.x + box.width / 2, box.y + box.height / 2)
        self.code = QRectF(middle.x() - side / 2, middle.y() - side / 2, side, side)
        self.update()

    def target(self) -> QRectF:
        """Where the image is drawn, in pixels of the widget."""
        factor = self.size * self.scale / self.code.width()
        area = QRectF(0, 0, self.image.width() * factor, self.image.height() * factor)
        area.moveCenter(QRectF(self.rect()).center())
        if area.width() > self.width() or area.height() > self.height():
            # Too large for the screen: the code is what must be seen.
            shift = self.code.center() * factor
            area.moveTopLeft(QRectF(self.rect()).center() - shift)
        return area

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor("#cfcac0"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.measuring:
            card = QRectF(0, 0, BANK_CARD[0] * self.scale, BANK_CARD[1] * self.scale)
            card.moveCenter(QRectF(self.rect()).center())
            painter.setBrush(QColor("#faf7f0"))
            painter.setPen(QPen(QColor("#2a2722"), 2))
            painter.drawRoundedRect(card, 3 * self.scale, 3 * self.scale)
            painter.setFont(themes.font(16))
            told = tr("Hold a bank card here and\nmake this outline as large")
            painter.drawText(card, Qt.AlignmentFlag.AlignCenter, told)
            return
        if self.image is None:
            return
        area = self.target()
        # First to the size on the screen, so that small sizes are averaged and not skipped.
        ratio = self.devicePixelRatioF()
        width = max(1, round(area.width() * ratio))
        image = self.image
        if width < image.width():
            image = image.scaledToWidth(width, Qt.TransformationMode.SmoothTransformation)
        painter.drawImage(area, image)


class PhoneView(QWidget):
    """Full screen: sizes to step through, what phones made of them, the log.

    Signals
    -------
    closed
    """

    closed = Signal()

    def __init__(self, tools: Tools, main: QWidget) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self._main, self._settings, self.session = main, tools.settings, tools.session
        self._prover = tools.prover
        self._latest = Latest("phone log", self)
        self._latest.answered.connect(self._told)
        self._prover.proved.connect(self._proved)
        self._asked: tuple[PhoneTest, ...] = ()
        self.setWindowTitle(tr("Phone test – Nimble Tile"))
        self.easel = Easel()
        self.smaller, self.larger = QPushButton(tr("Smaller")), QPushButton(tr("Larger"))
        self.figure = QLabel()
        self.figure.setStyleSheet("font-size: 22px; font-weight: 700;")
        self.device, self.light = QComboBox(), QComboBox()
        for box, name, told in (
            (self.device, tr("Device"), tr("In your own words: my old phone")),
            (self.light, tr_as("illumination", "Light"), tr("In your own words: desk lamp")),
        ):
            box.setEditable(True)
            box.setAccessibleName(name)
            box.lineEdit().setPlaceholderText(told)
            box.lineEdit().setMaxLength(80)
            box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.distance = NumberBox(tr("Distance"), 0, 5000, "mm", 10)
        self.distance.setSpecialValueText(tr("not noted"))
        self.distance.setFixedWidth(150)
        self.read, self.failed = QPushButton(tr("It read")), QPushButton(tr("It did not read"))
        self.medium = Segments(tr("Looked at"), [
            ("screen", tr("This screen"),
             tr("The piece on this screen, at the size that is shown")),
            ("paper", tr("A print"), tr("A print of the piece; type its size below")),
        ])  # fmt: skip
        self.medium.set_value("screen")
        self.printed = NumberBox(tr("Size of the print"), 4, 2000, "mm", 1)
        self.printed.setValue(40)
        self.printed.setFixedWidth(150)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Phone log"))
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.delete = QPushButton(tr("Delete the entry"))
        self.measure = QPushButton(tr("Measure this screen"))
        self.measure.setCheckable(True)
        self.finer, self.coarser = QPushButton("–"), QPushButton("+")
        for button, name in (
            (self.finer, tr("Smaller outline")),
            (self.coarser, tr("Larger outline")),
        ):
            button.setAccessibleName(name)
            button.setAutoRepeat(True)
            button.setFixedWidth(44)
        self.foreseen = soft()
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.leave = QPushButton(tr("Back"))
        self._lay_out()
        self._connect()
        self._remember()
        self._show()

    def _lay_out(self) -> None:
        side = QVBoxLayout()
        side.setContentsMargins(20, 20, 20, 20)
        side.setSpacing(10)
        title = QLabel(tr("Phone test"))
        title.setStyleSheet("font-size: 20px; font-weight: 700;")
        side.addLayout(row(title, 1, self.leave))
        side.addWidget(soft(tr("The code, quiet zone included, at its true size on this screen. "
                            "Point your phone at it and say what came of it.")))  # fmt: skip
        side.addLayout(row(self.smaller, self.figure, self.larger, 1))
        side.addWidget(rule())
        side.addLayout(named(tr("Device"), self.device))
        side.addLayout(named(tr_as("illumination", "Light"), self.light))
        side.addLayout(named(tr("Distance"), self.distance))
        side.addWidget(self.medium)
        side.addLayout(named(tr("Print"), self.printed))
        side.addLayout(row(self.read, self.failed))
        side.addWidget(self.note)
        side.addWidget(rule())
        side.addWidget(self.list, 1)
        side.addWidget(self.foreseen)
        side.addLayout(row(self.delete, 1))
        side.addWidget(rule())
        side.addLayout(row(self.measure, 1, self.finer, self.coarser))
        panel = QWidget()
        panel.setObjectName("ladder")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        panel.setFixedWidth(360)
        panel.setLayout(side)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.easel, 1)
        whole.addWidget(panel)

    def _connect(self) -> None:
        self.smaller.clicked.connect(lambda: self.step(1))
        self.larger.clicked.connect(lambda: self.step(-1))
        self.read.clicked.connect(lambda: self.log(True))
        self.failed.clicked.connect(lambda: self.log(False))
        self.delete.clicked.connect(self._deleted)
        self.measure.toggled.connect(self._measuring)
        self.finer.clicked.connect(lambda: self._calibrate(0.995))
        self.coarser.clicked.connect(lambda: self._calibrate(1.005))
        self.leave.clicked.connect(self.close)
        self.medium.chosen.connect(lambda _: self._show())
        self.list.currentRowChanged.connect(lambda at: self.delete.setEnabled(at >= 0))
        self.session.logged.connect(self._show)

    def open(self, rendering: Rendering) -> None:
        """Show a piece on the whole screen."""
        self.easel.take(rendering)
        # On the desktop's screen that the window stands on.
        screen = self._main.screen()
        self.setGeometry(screen.geometry())
        self.easel.scale = self._scale_of(screen)
        self.showFullScreen()
        self.device.setFocus()
        self._show()

    # Sizes ---------------------------------------------------------------------

    @property
    def size_mm(self) -> float:
        return self.easel.size

    def step(self, by: int) -> None:
        """To the next smaller (1) or larger (-1) size."""
        current = min(range(len(PRINT_SIZES)), key=lambda i: abs(PRINT_SIZES[i] - self.easel.size))
        self.easel.size = float(PRINT_SIZES[min(len(PRINT_SIZES) - 1, max(0, current + by))])
        self.easel.update()
        self._show()

    def _key(self, screen: QScreen) -> str:
        return f"pixels a mm of {screen.name()} {screen.geometry().width()}"

    def _scale_of(self, screen: QScreen) -> float:
        stored = self._settings.get(self._key(screen))
        good = isinstance(stored, int | float) and LIKELY[0] <= stored <= LIKELY[1]
        return float(stored) if good else pixels_a_mm(screen)

    def _measuring(self, on: bool) -> None:
        self.easel.measuring = on
        self.measure.setText(tr("Done measuring") if on else tr("Measure this screen"))
        self.easel.update()
        self._show()

    def _calibrate(self, factor: float) -> None:
        scale = min(LIKELY[1], max(LIKELY[0], self.easel.scale * factor))
        self.easel.scale = scale
        self._settings.set(self._key(self.screen()), scale)
        self.easel.update()

    # The log ---------------------------------------------------------------------

    def log(self, read: bool) -> None:
        """Note what a phone made of it."""
        device = " ".join(self.device.currentText().split())
        if not device:
            self._say(tr("Say which device it was: any words that you will know it by."), "error")
            self.device.setFocus()
            return
        log = self.session.piece.log
        if len(log) >= MOST_ENTRIES:
            self._say(
                tr(
                    "The log is full: it holds {most_entries} entries. Delete some.",
                    most_entries=MOST_ENTRIES,
                ),
                "error",
            )
            return
        on_paper = self.medium.value == "paper"
        made = PhoneTest(
            device=device,
            size=float(self.printed.value()) if on_paper else self.easel.size,
            distance=float(self.distance.value()) or None,
            light=" ".join(self.light.currentText().split()),
            medium=str(self.medium.value),
            read=read,
            when=datetime.now().isoformat(sep=" ", timespec="minutes"),
            state=self.session.piece.state,
        )
        self.session.note((*log, made))
        self._remember()
        size = tr("{size:g} mm", size=made.size)
        self._say(
            tr("Noted: {device} read it at {size}.", device=device, size=size)
            if read
            else tr("Noted: {device} did not read it at {size}.", device=device, size=size),
            "soft",
        )
        if read and not on_paper and self.easel.size > PRINT_SIZES[-1]:
            self.step(1)

    def _deleted(self) -> None:
        at = self.list.currentRow()
        if at >= 0:
            index = self.list.item(at).data(Qt.ItemDataRole.UserRole)
            log = list(self.session.piece.log)
            del log[index]
            self.session.note(tuple(log))

    def _remember(self) -> None:
        """Devices and lights that were named before can be chosen."""
        log = self.session.piece.log
        for box, values in (
            (self.device, [test.device for test in log]),
            (self.light, [test.light for test in log if test.light]),
        ):
            text = box.currentText()
            box.clear()
            box.addItems(list(dict.fromkeys(reversed(values))))
            box.setEditText(text)

    def _show(self) -> None:
        self.figure.setText(tr("{size:g} mm", size=self.easel.size))
        self.smaller.setEnabled(self.easel.size > PRINT_SIZES[-1])
        self.larger.setEnabled(self.easel.size < PRINT_SIZES[0])
        self.printed.setEnabled(self.medium.value == "paper")
        for button in (self.finer, self.coarser):
            button.setEnabled(self.measure.isChecked())
            button.setToolTip("" if self.measure.isChecked() else tr("Measure this screen first"))
        piece = self.session.piece
        state = piece.state
        self.list.clear()
        for index, test in reversed(list(enumerate(piece.log))):
            sign = "✓" if test.read else "✕"
            where = [
                tr("{size:g} mm print", size=test.size)
                if test.medium == "paper"
                else tr("{size:g} mm", size=test.size)
            ]
            where += [tr("from {distance:g} mm", distance=test.distance)] if test.distance else []
            where += [test.light] if test.light else []
            text = f"{sign} {test.device}: {', '.join(where)}"
            if test.state != state:
                text += tr(" (an earlier state of the piece)")
            item = QListWidgetItem(text)
            item.setData(Qt.ItemDataRole.UserRole, index)
            item.setToolTip(test.when)
            self.list.addItem(item)
        self.delete.setEnabled(False)
        self._compare(self._current())

    def _current(self) -> tuple[PhoneTest, ...]:
        """Entries of the piece as it is."""
        piece = self.session.piece
        return tuple(test for test in piece.log if test.state == piece.state)

    def _compare(self, log: tuple[PhoneTest, ...]) -> None:
        """What the trials foresaw of the phones that looked at the piece as it is."""
        work = self._prover.foresight(log) if log else None
        if log != self._asked or work is None:
            self.foreseen.clear()
        self._asked = log
        if work is not None:
            self._latest.ask(lambda: (log, work()))

    def _proved(self, *_: object) -> None:
        if self.isVisible():
            self._compare(self._current())

    def _told(self, answer: tuple[tuple[PhoneTest, ...], Foreseen]) -> None:
        log, found = answer
        if log != self._asked:
            return
        self.foreseen.setText(tr("{words} by the trials.", words=found.words))
        others = [test.device for test, ok in zip(log, found.as_seen, strict=True) if not ok]
        self.foreseen.setToolTip(
            tr("Not as foreseen: {others}", others=", ".join(others)) if others else ""
        )

    def _say(self, text: str, rank: str) -> None:
        self.note.setText(text)
        set_rank(self.note, rank)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        elif event.key() in (Qt.Key.Key_Minus, Qt.Key.Key_PageDown):
            self.step(1)
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_PageUp):
            self.step(-1)
        else:
            super().keyPressEvent(event)

    def stop(self) -> None:
        """End the worker."""
        self._latest.stop()

    def closeEvent(self, event) -> None:
        self.closed.emit()
        event.accept()
