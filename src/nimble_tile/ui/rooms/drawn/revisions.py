"""Revisions of a drawing in a row, with the last one that still scans marked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.figures import in_line, in_short, paint_card

if TYPE_CHECKING:
    from nimble_tile.core.project.drafts import Draft

CARD, PICTURE = QSize(104, 132), 72

KEY = Qt.ItemDataRole.UserRole

LAST = "last that scans"


def revisions_of(drafts: Sequence[Draft]) -> list[Draft]:
    """The drafts that are revisions of a drawing, in order."""
    found = [draft for draft in drafts if draft.revision is not None]
    return sorted(found, key=lambda draft: draft.revision)


def last_that_scans(drafts: Sequence[Draft]) -> Draft | None:
    """The newest revision that scans, where a later one does not, or it is the newest."""
    good = [draft for draft in revisions_of(drafts) if draft.state in ("well", "thin")]
    return good[-1] if good else None


class _Cards(QStyledItemDelegate):
    def __init__(self, row: Revisions) -> None:
        super().__init__(row)
        self.row = row

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:
        return CARD

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index) -> None:
        draft = self.row.draft(index.data(KEY))
        if draft is None:
            return
        theme, last = self.row.theme, draft.key == self.row.last
        painter.save()
        picture = paint_card(
            painter, option, theme, PICTURE, QImage.fromData(draft.thumb), "–",
            (draft.name, last), (draft.state or "", in_short(draft.reach, None) or tr("not tried")),
        )  # fmt: skip
        if last:
            line = QRectF(option.rect.left(), picture.bottom() + 36, option.rect.width(), 16)
            painter.setFont(themes.font(12))
            painter.setPen(QColor(theme.accent))
            painter.drawText(line, Qt.AlignmentFlag.AlignCenter, LAST)
        painter.restore()


class Revisions(QListWidget):
    """The row.

    Signals
    -------
    taken : str
        Key of the revision that was double-clicked, or on which Enter was pressed.
    """

    taken = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.last = ""
        self._drafts: dict[str, Draft] = {}
        self.setAccessibleName(tr("Revisions of the drawing"))
        self.setFlow(QListWidget.Flow.LeftToRight)
        self.setWrapping(False)
        self.setHorizontalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setItemDelegate(_Cards(self))
        self.setFixedHeight(CARD.height() + 14)
        self.itemActivated.connect(lambda item: self.taken.emit(item.data(KEY)))

    def draft(self, key: str) -> Draft | None:
        """A revision by its key."""
        return self._drafts.get(key)

    def take(self, drafts: Sequence[Draft]) -> None:
        """Show the revisions among some drafts."""
        found, last = revisions_of(drafts), last_that_scans(drafts)
        self._drafts = {draft.key: draft for draft in found}
        self.last = "" if last is None else last.key
        self.clear()
        for draft in found:
            item = QListWidgetItem()
            item.setData(KEY, draft.key)
            told = f"{draft.name}: {in_line(draft.words, draft.reach, None)}."
            if draft.key == self.last:
                told += tr(" The last one that still scans.")
            item.setToolTip(themes.plain_tip(told))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, told)
            self.addItem(item)
        self.setVisible(bool(found))
        self.scrollToBottom()
