"""The candidate board: small pictures with what readers made of each."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from nimble_tile.core.language import tr
from nimble_tile.studio.board import Candidate
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.figures import in_line, in_short, paint_card

CARD, PICTURE = QSize(152, 192), 132
"""Size of a candidate's card, and the longer side of its picture on it."""

KEY = Qt.ItemDataRole.UserRole

EMPTY = tr(
    "Describe a picture and paint candidates: each is tried by all readers as soon as it is there. "
    "Or drop pictures that another generator has made with the guide."
)

ALL_FOLDED = tr("None of them reads. Give the guide more weight, or mend the near misses.")

ORDERS: dict[str, Callable[[Candidate], tuple]] = {
    "reach": lambda c: (-(c.reach if c.reach is not None else -1), -(c.likeness or 0), c.id),
    "likeness": lambda c: (not c.reads, -(c.likeness if c.likeness is not None else -1), c.id),
    "stars": lambda c: (-c.stars, -(c.reach or 0), c.id),
    "came": lambda c: (c.id,),
}
"""What candidates are sorted by; unknown ones come last."""


def told_of(candidate: Candidate) -> str:
    """All that is known of a candidate, for a tooltip and for screen readers."""
    lines = [candidate.name]
    if candidate.state == "waiting":
        lines.append(tr("Not painted yet") if candidate.recipe else tr("Not tried yet"))
    else:
        words = candidate.words.rstrip(".")
        lines.append(f"{in_line(words, candidate.reach, candidate.likeness)}.")
        if candidate.able:
            lines.append(
                tr(
                    "{readers} of {able} readers read it straight on.",
                    readers=candidate.readers,
                    able=candidate.able,
                )
            )
    if candidate.stars:
        lines.append(
            tr("1 star") if candidate.stars == 1 else tr("{stars} stars", stars=candidate.stars)
        )
    return "\n".join([*lines, candidate.note] if candidate.note else lines)


class _Cards(QStyledItemDelegate):
    def __init__(self, board: BoardView) -> None:
        super().__init__(board)
        self.board = board

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:
        return CARD

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index) -> None:
        candidate = self.board.candidate(index.data(KEY))
        if candidate is None:
            return
        theme = self.board.theme
        short = in_short(candidate.reach, candidate.likeness)
        if candidate.state == "waiting":
            short = self.board.busy.get(candidate.id, "")
        elif candidate.mended:
            short += tr(" · mended")
        elif not short:
            short = tr("no code") if candidate.verdict == "fails" else tr("not tried")
        instead = tr("waits") if candidate.state == "waiting" else candidate.words
        painter.save()
        picture = paint_card(
            painter, option, theme, PICTURE, self.board.image(candidate), instead,
            (candidate.name, candidate.stars > 0), (candidate.verdict or "", short),
        )  # fmt: skip
        if candidate.stars:
            strip = QRectF(picture.left(), picture.top(), 12 + 13 * candidate.stars, 20)
            painter.fillRect(strip, QColor(theme.panel))
            painter.setPen(QColor(theme.accent))
            painter.setFont(themes.font(14))
            painter.drawText(strip, Qt.AlignmentFlag.AlignCenter, "\u2605" * candidate.stars)
        painter.restore()


class BoardView(QListWidget):
    """The cards, in order, without those that are folded away.

    Signals
    -------
    taken : int
        A card was double-clicked, or Enter was pressed on it.
    starred : int
        A number key was pressed on the chosen cards.
    removed
        Delete was pressed.
    """

    taken = Signal(int)
    starred = Signal(int)
    removed = Signal()

    def __init__(self, thumb: Callable[[int], bytes | None]) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.busy: dict[int, str] = {}  # what goes on with a candidate
        self._thumb = thumb
        self._all: dict[int, Candidate] = {}
        self._images: dict[int, tuple[tuple, QImage]] = {}
        self._growing: dict[int, QImage] = {}
        self.setAccessibleName(tr("Candidates"))
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setMovement(QListWidget.Movement.Static)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setItemDelegate(_Cards(self))
        self.itemDoubleClicked.connect(lambda item: self.taken.emit(item.data(KEY)))

    def candidate(self, number: int) -> Candidate | None:
        """A candidate by its number."""
        return self._all.get(number)

    def image(self, candidate: Candidate) -> QImage:
        """Its small picture; a null image where there is none yet."""
        if candidate.state == "waiting":
            return self._growing.get(candidate.id, QImage())
        state = candidate.state, candidate.mended
        known = self._images.get(candidate.id)
        if known is None or known[0] != state:
            image = QImage.fromData(self._thumb(candidate.id) or b"")
            self._images[candidate.id] = known = state, image
            self._growing.pop(candidate.id, None)
        return known[1]

    def grow(self, number: int, image: QImage, told: str) -> None:
        """A painting has come so far."""
        self._growing[number] = image
        self.say(number, told)

    def say(self, number: int, told: str) -> None:
        """What goes on with a candidate."""
        self.busy[number] = told
        self.viewport().update()

    def show_all(self, candidates: Sequence[Candidate], order: str, folded: bool) -> None:
        """Show candidates in an order; `folded`: without those that do not read."""
        chosen = set(self.chosen)
        current = None if self.currentItem() is None else self.currentItem().data(KEY)
        self._all = {candidate.id: candidate for candidate in candidates}
        shown = [
            c for c in sorted(candidates, key=ORDERS[order])
            if not folded or c.verdict != "fails" or c.stars
        ]  # fmt: skip
        place = self.verticalScrollBar().value()
        self.blockSignals(True)
        self.clear()
        for candidate in shown:
            item = QListWidgetItem()
            item.setData(KEY, candidate.id)
            told = told_of(candidate)
            item.setToolTip(themes.plain_tip(told).replace("\n", "<br>"))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, told)
            self.addItem(item)
            item.setSelected(candidate.id in chosen)
            if candidate.id == current:
                self.setCurrentItem(item, self.selectionModel().SelectionFlag.NoUpdate)
        self.blockSignals(False)
        self.verticalScrollBar().setValue(place)
        self.itemSelectionChanged.emit()

    @property
    def chosen(self) -> list[int]:
        """Numbers of the chosen candidates, in order."""
        return [item.data(KEY) for item in map(self.item, range(self.count()))
                if item.isSelected()]  # fmt: skip

    def choose(self, number: int) -> None:
        """Choose one candidate."""
        for at in range(self.count()):
            if self.item(at).data(KEY) == number:
                only = self.selectionModel().SelectionFlag.ClearAndSelect
                self.setCurrentItem(self.item(at), only)
                self.scrollToItem(self.item(at))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.count():
            painter = QPainter(self.viewport())
            area = QRectF(self.viewport().rect()).adjusted(40, 0, -40, 0)
            told = ALL_FOLDED if self._all else EMPTY
            painter.setPen(QColor(self.theme.soft))
            painter.setFont(themes.font(15))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(area, flags, told)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if Qt.Key.Key_0 <= key <= Qt.Key.Key_5 and self.chosen:
            self.starred.emit(key - Qt.Key.Key_0)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentItem() is not None:
            self.taken.emit(self.currentItem().data(KEY))
        elif key == Qt.Key.Key_Delete and self.chosen:
            self.removed.emit()
        else:
            super().keyPressEvent(event)
