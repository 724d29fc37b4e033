"""The handbook, which ships with the program, with its pictures."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices, QImage, QTextBlock, QTextDocument
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr

WIDEST = 760
"""Pixels of the widest picture."""


class _Pages(QTextBrowser):
    """The text; pictures are made as small as the page."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self._folder = folder
        self.setOpenLinks(False)
        self.anchorClicked.connect(self._follow)

    def loadResource(self, kind: int, name: QUrl):
        if kind == QTextDocument.ResourceType.ImageResource.value:
            image = QImage(str(self._folder / name.toString()))
            if not image.isNull() and image.width() > WIDEST:
                from PySide6.QtCore import Qt

                return image.scaledToWidth(WIDEST, Qt.TransformationMode.SmoothTransformation)
            return image
        return super().loadResource(kind, name)

    def _follow(self, link: QUrl) -> None:
        """Headings of this page; other pages and places open where they belong."""
        if link.isRelative() and link.path() and (self._folder / link.path()).is_file():
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._folder / link.path())))
        elif link.isRelative():
            self.scrollToAnchor(link.fragment())


class Handbook(QWidget):
    """Headings on the left, the text on the right, and a line to search in it."""

    def __init__(self, parent: QWidget) -> None:
        from PySide6.QtCore import Qt

        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Handbook – Nimble Tile"))
        self.resize(1080, 760)
        with as_file(files("nimble_tile.assets").joinpath("handbook")) as folder:
            self._folder = Path(folder)
        self.pages = _Pages(self._folder)
        self.pages.setAccessibleName(tr("Handbook"))
        self.heads = QListWidget()
        self.heads.setAccessibleName(tr("Headings"))
        self.heads.setFixedWidth(230)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search"))
        self.search.setAccessibleName(tr("Search the handbook"))
        self.search.setClearButtonEnabled(True)
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.heads)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(16, 16, 16, 16)
        whole.setSpacing(12)
        whole.addLayout(left)
        whole.addWidget(self.pages, 1)
        self._blocks: list[QTextBlock] = []
        self._fill()
        self.heads.currentRowChanged.connect(self._go)
        self.search.returnPressed.connect(self._find)

    def _fill(self) -> None:
        text = (self._folder / "handbook.md").read_text("utf-8")
        self.pages.document().setDefaultFont(self.font())
        self.pages.setMarkdown(text)
        self.pages.document().setDocumentMargin(18)
        block = self.pages.document().begin()
        while block.isValid():
            level = block.blockFormat().headingLevel()
            if level in (1, 2):
                self._blocks.append(block)
                self.heads.addItem(("" if level == 1 else "    ") + block.text())
            block = block.next()

    def _go(self, row: int) -> None:
        if 0 <= row < len(self._blocks):
            layout = self.pages.document().documentLayout()
            top = layout.blockBoundingRect(self._blocks[row]).top()
            self.pages.verticalScrollBar().setValue(round(top))

    def _find(self) -> None:
        """Show the next place where the text stands, from the top again after the last."""
        from PySide6.QtGui import QTextCursor

        if not self.pages.find(self.search.text()):
            self.pages.moveCursor(QTextCursor.MoveOperation.Start)
            self.pages.find(self.search.text())
