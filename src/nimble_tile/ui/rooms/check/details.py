"""One code's facts, compared with the intended message, and its trials."""

from __future__ import annotations

import html
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QGuiApplication,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
)
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from nimble_tile import standins
from nimble_tile.core.language import figure, marked, tr, within
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import row, set_rank, soft
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.kit.marks import TRIAL_SHAPES, paint_verdict

if TYPE_CHECKING:
    from nimble_tile.core.checking.check import Finding
    from nimble_tile.core.trials.room import Result


FACTS = (
    marked("Kind"), marked("Leads to"), marked("Verdict"), marked("Readers"), marked("Symbol"),
    marked("Place"), marked("Spare"), marked("Print grade"), marked("Reach"), marked("Why"),
)  # fmt: skip


class ResultGrid(QWidget):
    """Small frames of a code's trials."""

    CELL, GAP = 76, 8

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.results: Sequence[Result] = ()
        self._images: list[QImage | None] = []
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Trials of this code"))

    def take(self, results: Sequence[Result]) -> None:
        self.results = results
        self._images = [None if r.thumb is None else to_qimage(r.thumb) for r in results]
        told = [
            tr("{name}: {count} readers", name=r.trial.name, count=r.passed.count) for r in results
        ]
        self.setAccessibleDescription(", ".join(told))
        self.setVisible(bool(results))
        self._fit()
        self.update()

    def _columns(self) -> int:
        return max(1, (self.width() + self.GAP) // (self.CELL + self.GAP))

    def _fit(self) -> None:
        rows = -(-len(self.results) // self._columns())
        self.setFixedHeight(max(1, rows * (self.CELL + self.GAP)))

    def resizeEvent(self, event) -> None:
        self._fit()

    def _cell(self, index: int) -> QRectF:
        line, column = divmod(index, self._columns())
        step = self.CELL + self.GAP
        return QRectF(column * step, line * step, self.CELL, self.CELL)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        for index, result in enumerate(self.results):
            if self._cell(index).contains(event.position()):
                own, of = result.pairs
                void = result.state == "void"
                told = (
                    tr("the usual code fails too")
                    if void
                    else tr("{own} readers; the usual code {of}", own=own, of=of)
                )
                spot = event.globalPosition().toPoint()
                QToolTip.showText(spot, f"{result.trial.name}: {told}", self)
                return
        QToolTip.hideText()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for index, result in enumerate(self.results):
            area, image = self._cell(index), self._images[index]
            if image is not None:
                side = min(image.width(), image.height())
                part = QRectF(0, 0, side, side)
                part.moveCenter(QRectF(image.rect()).center())
                painter.drawImage(area, image, part)
            state = TRIAL_SHAPES[result.state]
            shape = QRectF(area.right() - 18, area.bottom() - 18, 16, 16)
            colour = QColor(themes.verdict_colour(themes.LIGHT, state))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor("#ffffff"))
            painter.drawEllipse(shape.adjusted(-2, -2, 2, 2))
            paint_verdict(painter, shape, state, colour, QColor("#ffffff"))


class CodeDetails(QWidget):
    """All that is known of one code."""

    def __init__(self) -> None:
        super().__init__()
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setFixedHeight(64)
        self.text.setAccessibleName(tr("What it says"))
        self.copy, self.take_it = (
            QPushButton(tr("Copy the text")),
            QPushButton(tr("Make it the message")),
        )
        self.take_it.setToolTip(tr("The piece in the main window says this from now on"))
        self.compared = QLabel()
        self.compared.setWordWrap(True)
        self.compared.setTextFormat(Qt.TextFormat.RichText)
        self.difference = QLabel()
        self.difference.setTextFormat(Qt.TextFormat.PlainText)
        self.difference.setWordWrap(True)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(16)
        self._grid.setVerticalSpacing(4)
        self._grid.setColumnStretch(1, 1)
        self.facts: dict[str, QLabel] = {}
        self._labels: dict[str, QLabel] = {}
        for line, name in enumerate(FACTS):
            label, value = soft(tr(name), False), QLabel()
            value.setTextFormat(Qt.TextFormat.PlainText)
            value.setWordWrap(True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            value.setAccessibleName(tr(name))
            self._grid.addWidget(label, line, 0, Qt.AlignmentFlag.AlignTop)
            self._labels[name] = label
            self._grid.addWidget(value, line, 1)
            self.facts[name] = value
        self.trials = ResultGrid()
        self.crop = QLabel()
        self.crop.setFixedSize(116, 116)
        self.crop.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.crop.setAccessibleName(tr("The code from close by"))
        beside = QVBoxLayout()
        beside.setSpacing(8)
        beside.addWidget(self.text)
        beside.addLayout(row(self.copy, self.take_it, 1))
        beside.addStretch(1)
        top = QHBoxLayout()
        top.setSpacing(12)
        top.addWidget(self.crop)
        top.addLayout(beside, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 12, 8)
        layout.setSpacing(8)
        layout.addLayout(top)
        layout.addWidget(self.compared)
        layout.addWidget(self.difference)
        layout.addLayout(self._grid)
        layout.addWidget(self.trials)
        layout.addStretch(1)
        self.finding: Finding | None = None
        self.copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.finding.text))

    def take(
        self, finding: Finding | None, expected: str | None, crop: QImage | None = None
    ) -> None:
        """Show a code, compared with the intended message if there is one."""
        self.finding = finding
        self.setVisible(finding is not None)
        if finding is None:
            return
        self.text.setPlainText(finding.text)
        if crop is not None:
            ratio = self.devicePixelRatioF()
            pixmap = QPixmap.fromImage(crop).scaled(
                self.crop.size() * ratio,
                Qt.AspectRatioMode.KeepAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )
            pixmap.setDevicePixelRatio(ratio)
            self.crop.setPixmap(pixmap)
        self._compare(finding.text, expected)
        verdict, reading, quality = finding.verdict, finding.reading, finding.quality
        right, able = verdict.readers_right
        x, y, width, height = finding.box
        names = [f"{m.name} {'✓' if m.read else '✕'}" for m in verdict.marks if m.able]
        symbol = tr("not known")
        if reading.version is not None:
            symbol = tr(
                "Version {version}-{level}, mask {mask}",
                version=reading.version,
                level=reading.level,
                mask=reading.mask,
            )
        grades = tr("not known")
        if quality is not None:
            worst = [within(p.title) for p in quality.parameters if p.grade == quality.overall]
            grades = quality.letter + (f" ({', '.join(worst)})" if quality.overall < 4 else "")
            grades += tr(", after ISO/IEC 15415, thresholds from memory")
        reach = tr("not tried") if finding.reach is None else percent(finding.reach)
        led = standins.leads_to(finding.text)
        for part in (self.facts["Leads to"], self._labels["Leads to"]):
            part.setVisible(led is not None)
        values = {
            "Kind": finding.kind,
            "Leads to": "" if led is None else tr("{led} ({led2}, now)", led=led[1], led2=led[0]),
            "Verdict": verdict.words,
            "Readers": tr(
                "{right} of {able}: {names}", right=right, able=able, names=", ".join(names)
            ),
            "Symbol": symbol,
            "Place": tr(
                "{x:.0f}, {y:.0f}; {width:.0f} × {height:.0f} px",
                x=x,
                y=y,
                width=width,
                height=height,
            ),
            "Spare": tr("not known") if verdict.spare is None else figure(verdict.spare, ".0%"),
            "Print grade": grades,
            "Reach": reach,
            "Why": " ".join(f"{r.text} {r.way_out}".strip() for r in verdict.reasons) or "–",
        }
        for name, value in values.items():
            self.facts[name].setText(value)
        self.trials.take(finding.results)

    def _compare(self, read: str, expected: str | None) -> None:
        from nimble_tile.core.checking.compare import compare, in_words

        self.compared.setVisible(expected is not None and read != expected)
        self.difference.setVisible(expected is not None)
        if expected is None:
            return
        stretches = compare(read, expected)
        self.difference.setText(in_words(stretches))
        set_rank(self.difference, "soft" if read == expected else "error")
        wrong = "background:#f3c9bf;color:#5d150b"
        missing = "background:#f0dcae;color:#5a3600;text-decoration:line-through"
        styles = {"other": wrong, "extra": wrong, "missing": missing}
        shown = "".join(
            html.escape(s.read) if s.kind == "same"
            else f"<span style='{styles[s.kind]}'>{html.escape(s.read or s.wanted)}</span>"
            for s in stretches
        )  # fmt: skip
        self.compared.setText(shown.replace("\n", "⏎<br>"))
