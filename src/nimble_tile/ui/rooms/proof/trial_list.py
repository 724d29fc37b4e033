"""The trials of the wall: small camera frames with the readers' marks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.kit.marks import TRIAL_SHAPES, paint_reader, paint_verdict

if TYPE_CHECKING:
    from nimble_tile.core.trials.room import Result
    from nimble_tile.core.trials.trial import Trial

ROW = 76
FRAME_HEIGHT = 60

OUTCOME_WORDS = {
    "passed": tr("read as the usual code is"),
    "partly": tr("read in part"),
    "failed": tr("not read"),
    "void": tr("the usual code fails too: does not count"),
}


class TrialModel(QAbstractListModel):
    """The set of trials and what came of them."""

    def __init__(self) -> None:
        super().__init__()
        self.trials: list[Trial] = []
        self.results: dict[Trial, tuple[Result, QImage | None]] = {}
        self.stale = False
        self.fresh: set[Trial] = set()

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.trials)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        trial = self.trials[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return trial.name
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            return f"{trial.name}: {self.told(trial)}"
        return None

    def told(self, trial: Trial) -> str:
        """What came of a trial, in words."""
        if trial not in self.results:
            return tr("not tried yet")
        result = self.results[trial][0]
        names = ", ".join(name for name, ok in result.passed.read.items() if ok) or tr("no reader")
        usual = ", ".join(name for name, ok in result.usual.read.items() if ok) or tr("no reader")
        trouble = "".join(f" {name} {what}." for name, what in result.passed.trouble.items())
        return tr(
            "{outcome_words}. Read by {names}; the usual code by {usual}.{trouble}",
            outcome_words=OUTCOME_WORDS[result.state],
            names=names,
            usual=usual,
            trouble=trouble,
        )

    def take_set(self, trials: list[Trial]) -> None:
        """Show another set of trials."""
        if trials == self.trials:
            return
        self.beginResetModel()
        self.trials = trials
        self.results = {t: found for t, found in self.results.items() if t in set(trials)}
        self.endResetModel()

    def take(self, result: Result) -> None:
        """A trial is through."""
        image = None if result.thumb is None else to_qimage(result.thumb)
        self.results[result.trial] = (result, image)
        self.fresh.add(result.trial)
        if result.trial in self.trials:
            index = self.index(self.trials.index(result.trial))
            self.dataChanged.emit(index, index)

    def begin(self) -> None:
        """A new run: what is shown is old until it is tried again."""
        self.fresh = set()
        self.set_stale(True)

    def is_stale(self, trial: Trial) -> bool:
        """Whether what is known of a trial belongs to an older piece."""
        return self.stale and trial not in self.fresh

    def set_stale(self, stale: bool) -> None:
        """What is shown belongs to an older piece."""
        if stale:
            self.fresh = set()
        self.stale = stale
        self._all_changed()

    def bars(self) -> list[tuple[float | None, str]]:
        """Share and colour of each trial, in order; None where it does not count or is not
        known."""
        made: list[tuple[float | None, str]] = []
        for trial in self.trials:
            result = self.results[trial][0] if trial in self.results else None
            if result is None or result.state == "void":
                made.append((None, ""))
            else:
                own, of = result.pairs
                share = min(1.0, own / of) if of else 1.0
                made.append((share, "" if self.is_stale(trial) else TRIAL_SHAPES[result.state]))
        return made

    def forget(self) -> None:
        """Nothing is known."""
        self.results = {}
        self._all_changed()

    def _all_changed(self) -> None:
        if self.trials:
            self.dataChanged.emit(self.index(0), self.index(len(self.trials) - 1))


class _Delegate(QStyledItemDelegate):
    theme = themes.LIGHT

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(160, ROW)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model: TrialModel = index.model()
        theme = self.theme
        area = QRectF(option.rect)
        trial = model.trials[index.row()]
        known = model.results.get(trial)
        stale = model.is_stale(trial)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen or option.state & QStyle.StateFlag.State_MouseOver:
            painter.fillRect(area, QColor(theme.tint))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(theme.accent), 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))
        frame = QRectF(area.left() + 12, area.top() + 8, FRAME_HEIGHT, FRAME_HEIGHT)
        self._frame(painter, frame, known[1] if known else None, stale)
        left = frame.right() + 10
        width = area.right() - left - 8
        state = known[0].state if known else ""
        soft = QColor(theme.soft)
        if stale or state in ("", "void"):
            painter.setPen(soft)
        else:
            painter.setPen(QColor(theme.ink))
        font = themes.font(14, QFont.Weight.Medium)
        painter.setFont(font)
        wraps = int(Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap)
        name = trial.name
        if QFontMetricsF(font).boundingRect(QRectF(0, 0, width, 99), wraps, name).height() > 36:
            name = QFontMetricsF(font).elidedText(name, Qt.TextElideMode.ElideRight, 1.8 * width)
        text = QRectF(left, area.top() + 4, width, 38)
        painter.drawText(text, wraps, name)
        if known:
            self._marks(painter, QPointF(left, area.top() + 48), known[0], stale)
        painter.setPen(QColor(theme.rule))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.restore()

    def _frame(self, painter: QPainter, area: QRectF, image: QImage | None, stale: bool) -> None:
        if image is None:
            painter.fillRect(area, QColor(self.theme.rule))
            return
        scale = max(area.width() / image.width(), area.height() / image.height())
        part = QRectF(0, 0, area.width() / scale, area.height() / scale)
        part.moveCenter(QRectF(image.rect()).center())
        painter.setOpacity(0.4 if stale else 1)
        painter.drawImage(area, image, part)
        painter.setOpacity(1)

    def _marks(self, painter: QPainter, at: QPointF, result: Result, stale: bool) -> None:
        theme, state = self.theme, result.state
        colour = QColor(themes.verdict_colour(theme, TRIAL_SHAPES[state]))
        if stale:
            colour = QColor(theme.soft)
        shape = QRectF(at.x(), at.y(), 14, 14)
        paint_verdict(painter, shape, TRIAL_SHAPES[state], colour, QColor(theme.panel))
        for index, (name, ok) in enumerate(result.passed.read.items()):
            counts = result.usual.read.get(name, False)
            mark = QRectF(at.x() + 26 + index * 18, at.y() + 1, 12, 12)
            ink = QColor(theme.well if ok else theme.fails)
            if stale or not counts:
                ink = QColor(theme.soft)
            paint_reader(painter, mark, ok if ok or counts else None, ink)


class TrialList(QListView):
    """The wall's list of trials.

    Signals
    -------
    opened : Trial
        A trial is to be seen large.
    """

    opened = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Trials"))
        self.trials = TrialModel()
        self.setModel(self.trials)
        self._delegate = _Delegate(self)
        self.setItemDelegate(self._delegate)
        self.setUniformItemSizes(True)
        self.setMouseTracking(True)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setStyleSheet("QListView { background: transparent; border: 0; outline: 0; }")
        self.clicked.connect(self._open)

    def _open(self, index: QModelIndex) -> None:
        if index.isValid():
            self.opened.emit(self.trials.trials[index.row()])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._open(self.currentIndex())
        else:
            super().keyPressEvent(event)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self._delegate.theme = theme
        self.viewport().update()
