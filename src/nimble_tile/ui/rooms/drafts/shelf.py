"""The draft shelf: kept variants of the piece in a row under the bench."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPoint, QSize, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import soft
from nimble_tile.ui.kit.figures import in_line, in_short, paint_card

if TYPE_CHECKING:
    from nimble_tile.core.project.drafts import Draft

CARD, PICTURE = QSize(112, 124), 72
"""Size of a draft's card, and the longer side of its picture on it."""

KEY = Qt.ItemDataRole.UserRole


def in_words(draft: Draft) -> str:
    """All that is known of a draft, for a tooltip and for screen readers."""
    told = [draft.name, f"{in_line(draft.words, draft.reach, draft.fidelity)}."]
    return "\n".join([*told, draft.note] if draft.note else told)


class _Cards(QStyledItemDelegate):
    """Draws a draft: its picture, its name, its verdict."""

    def __init__(self, shelf: Shelf) -> None:
        super().__init__(shelf)
        self.shelf = shelf

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:
        return CARD

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index) -> None:
        draft = self.shelf.draft(index.data(KEY))
        if draft is None:
            return
        told = in_short(draft.reach, draft.fidelity) or tr("not judged")
        painter.save()
        paint_card(
            painter, option, self.shelf.theme, PICTURE, self.shelf.image(draft), "–",
            (draft.name, draft.key == self.shelf.current), (draft.state or "", told),
        )  # fmt: skip
        painter.restore()


class Shelf(QWidget):
    """The shelf.

    Signals
    -------
    keep_wanted
        Keep the piece as it is now.
    restore_wanted, name_wanted : str
        Key of the draft that the piece is to become, or that is to be named.
    compare_wanted : list of str
        One draft beside the piece, or two beside each other.
    drop_wanted : list of str
        Drafts that are no longer wanted.
    """

    keep_wanted = Signal()
    restore_wanted = Signal(str)
    name_wanted = Signal(str)
    compare_wanted = Signal(list)
    drop_wanted = Signal(list)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("shelf")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.theme = themes.LIGHT
        self.current = ""  # the draft that the piece is
        self._drafts: tuple[Draft, ...] = ()
        self._images: dict[str, tuple[bytes, QImage]] = {}
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Drafts"))
        self.list.setFlow(QListWidget.Flow.LeftToRight)
        self.list.setWrapping(False)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setItemDelegate(_Cards(self))
        self.list.setFixedHeight(CARD.height() + 14)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.keep = QPushButton(tr("Keep as a draft"))
        self.keep.setToolTip(tr("The piece as it is now is put on the shelf"))
        self.restore, self.compare = QPushButton(tr("Take it")), QPushButton(tr("Compare"))
        self.name = QPushButton(tr("Name and note…"))
        self.empty = soft(tr("Drafts you keep stand here, and go into the project."))
        buttons = QVBoxLayout()
        buttons.setContentsMargins(0, 0, 0, 0)
        buttons.setSpacing(4)
        for button in (self.keep, self.restore, self.compare, self.name):
            buttons.addWidget(button)
        buttons.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 6, 12, 6)
        whole.setSpacing(12)
        whole.addWidget(self.list, 1)
        whole.addWidget(self.empty, 1)
        whole.addLayout(buttons)
        self.keep.clicked.connect(self.keep_wanted)
        self.restore.clicked.connect(self._restore)
        self.compare.clicked.connect(lambda: self.compare_wanted.emit(self.chosen))
        self.name.clicked.connect(self._name)
        self.list.itemActivated.connect(lambda item: self.restore_wanted.emit(item.data(KEY)))
        self.list.itemSelectionChanged.connect(self._offer)
        self.list.customContextMenuRequested.connect(self._menu)
        self.list.installEventFilter(self)
        self._offer()

    @property
    def chosen(self) -> list[str]:
        """Keys of the chosen drafts, in the order of the shelf."""
        rows = sorted(self.list.row(item) for item in self.list.selectedItems())
        return [self.list.item(row).data(KEY) for row in rows]

    def draft(self, key: str) -> Draft | None:
        """A draft on the shelf."""
        return next((draft for draft in self._drafts if draft.key == key), None)

    def image(self, draft: Draft) -> QImage:
        """A draft's small picture."""
        known = self._images.get(draft.key)
        if known is None or known[0] != draft.thumb:
            known = draft.thumb, QImage.fromData(draft.thumb, "PNG")
            self._images[draft.key] = known
        return known[1]

    def take(self, drafts: Sequence[Draft], current: str) -> None:
        """Show these drafts; `current`: key of the one that the piece is, or nothing."""
        if tuple(d.key for d in drafts) != tuple(d.key for d in self._drafts):
            chosen = set(self.chosen)
            self._drafts = tuple(drafts)
            self.list.clear()
            for draft in drafts:
                item = QListWidgetItem()
                item.setData(KEY, draft.key)
                self.list.addItem(item)
                item.setSelected(draft.key in chosen)
        self._drafts, self.current = tuple(drafts), current
        for row, draft in enumerate(drafts):
            item = self.list.item(row)
            item.setText(draft.name)  # for typing the first letters, and for screen readers
            told = in_words(draft)
            item.setToolTip(themes.plain_tip(told).replace("\n", "<br>"))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, told)
        self.list.setVisible(bool(drafts))
        self.empty.setVisible(not drafts)
        self._offer()
        self.list.viewport().update()

    def mark(self, current: str) -> None:
        """Another draft is the one that the piece is now, or none."""
        if current != self.current:
            self.current = current
            self.list.viewport().update()

    def reveal(self, key: str) -> None:
        """Choose a draft and scroll to it."""
        for row, draft in enumerate(self._drafts):
            if draft.key == key:
                self.list.clearSelection()
                self.list.setCurrentRow(row)
                self.list.scrollToItem(self.list.item(row))

    def _offer(self) -> None:
        count = len(self.chosen)
        self.restore.setEnabled(count == 1)
        self.name.setEnabled(count == 1)
        self.compare.setEnabled(count in (1, 2))
        one = tr("Choose a draft") if not count else tr("Choose one draft")
        self.restore.setToolTip(tr("The piece becomes this draft; undo brings it back")
                                if count == 1
                                else one)  # fmt: skip
        self.name.setToolTip("" if count == 1 else one)
        self.compare.setToolTip(
            tr("This draft beside the piece") if count == 1
            else tr("Both beside each other") if count == 2 else tr("Choose one draft, or two")
        )  # fmt: skip

    def _restore(self) -> None:
        for key in self.chosen[:1]:
            self.restore_wanted.emit(key)

    def _name(self) -> None:
        for key in self.chosen[:1]:
            self.name_wanted.emit(key)

    def eventFilter(self, watched, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Delete and self.chosen:
                self.drop_wanted.emit(self.chosen)
                return True
            if event.key() == Qt.Key.Key_F2 and len(self.chosen) == 1:
                self._name()
                return True
        return super().eventFilter(watched, event)

    def menu(self) -> QMenu:
        """What can be done with the chosen drafts."""
        menu = QMenu(self)
        for button in (self.restore, self.compare, self.name):
            action = menu.addAction(button.text())
            action.setEnabled(button.isEnabled())
            action.triggered.connect(button.click)
        remove = menu.addAction(tr("Remove"))
        remove.setEnabled(bool(self.chosen))
        remove.triggered.connect(lambda: self.drop_wanted.emit(self.chosen))
        return menu

    def _menu(self, at: QPoint) -> None:
        if self.chosen:
            self.menu().exec(self.list.viewport().mapToGlobal(at))

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.theme = theme
        self.setStyleSheet(
            f"#shelf {{ background: {theme.panel}; border-top: 1px solid {theme.rule}; }}"
            f"#shelf QListWidget {{ background: transparent; border: 0; }}"
        )
        self.list.viewport().update()
