"""The two columns of the studio's window: what is asked for, and the board."""

from __future__ import annotations

import secrets
from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Fold, Segments, row, scrolled
from nimble_tile.ui.rooms.studio.board import BoardView
from nimble_tile.ui.rooms.studio.describe import Describe
from nimble_tile.ui.rooms.studio.elsewhere import Elsewhere
from nimble_tile.ui.rooms.studio.guiding import Guides, Varied


class Asking(QWidget):
    """Description, guide, what is varied, pictures from elsewhere; and the buttons that paint.

    Signals
    -------
    edited
        Something else is asked for.
    """

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.describe, self.guides, self.varied = Describe(), Guides(), Varied()
        self.elsewhere = Elsewhere()
        self.one, self.many = QPushButton(tr("Paint one")), QPushButton(tr("Paint candidates"))
        self.many.setProperty("main", True)
        self.shuffle = QToolButton()
        self.shuffle.setAccessibleName(tr("Another seed"))
        self.shuffle.setToolTip(tr("Another seed: the same words, composed otherwise"))
        self.folds: list[Fold] = []
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 10, 0)
        column.setSpacing(8)
        for title, inside, is_open in (
            (tr("Describe"), self.describe, True), (tr("Guide"), self.guides, True),
            (tr("Candidates"), self.varied, False), (tr("Made elsewhere"), self.elsewhere, False),
        ):  # fmt: skip
            fold = Fold(title, is_open)
            fold.inside.addWidget(inside)
            column.addWidget(fold)
            self.folds.append(fold)
        column.addStretch(1)
        side = QVBoxLayout(self)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(8)
        side.addWidget(scrolled(left, 312), 1)
        seed = QLabel(tr("Seed"))
        seed.setBuddy(self.guides.seed)
        self.guides.seed.setFixedWidth(84)
        side.addLayout(row(seed, self.guides.seed, self.shuffle, 1, spacing=6))
        side.addLayout(row(self.one, self.many, 1, spacing=6))
        self.shuffle.clicked.connect(lambda: self.guides.seed.setValue(secrets.randbelow(1000)))
        for part in (self.describe, self.guides, self.varied):
            part.edited.connect(self.edited)

    def offer(self) -> None:
        """What can be painted now, and how many there would be."""
        described = bool(self.describe.words)
        for button in (self.one, self.many):
            button.setEnabled(described)
            button.setToolTip("" if described else tr("Write a keyword, and let it describe"))
        try:
            recipe = self.guides.recipe(self.describe.words, "")
            count = len(self.varied.recipes(recipe, self.describe.all_of_them))
            self.many.setText(tr("Paint {count} candidates", count=count))
            told = tr(
                "{count} paintings over seeds, weights and ends; each is tried at once.",
                count=count,
            )
        except UserError as error:
            self.many.setText(tr("Paint candidates"))
            self.many.setEnabled(False)
            told = str(error)
            self.many.setToolTip(told)
        self.varied.told.setText(told)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.shuffle.setIcon(themes.icon("shuffle", theme.ink))
        for part in (self.describe, self.guides, self.elsewhere, *self.folds):
            part.dress(theme)


class BoardColumn(QWidget):
    """The board with what sorts it, folds it and mends it."""

    def __init__(self, thumb: Callable[[int], bytes | None]) -> None:
        super().__init__()
        self.view = BoardView(thumb)
        self.count = QLabel()
        self.count.setProperty("head", True)
        self.order = Segments(
            tr("Sort by"),
            [("reach", tr("Reach"), tr("What passes most trials first")),
             ("likeness", tr("Likeness"),
              tr("What reads and is most like the unguided painting first")),
             ("stars", tr("Stars"), tr("What you like best first")),
             ("came", tr("Order"), tr("In the order of their making"))],
        )  # fmt: skip
        self.order.set_value("reach")
        self.fold_away = QCheckBox(tr("Only what reads"))
        self.mend_all = QPushButton(tr("Mend the near misses"))
        self.mend_all.setToolTip(
            tr("Pictures that do not scan well although most of their modules are right")
        )
        self.clear = QPushButton(tr("Clear the board\u2026"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(row(self.count, 1, self.order, spacing=12))
        column.addWidget(self.view, 1)
        column.addLayout(row(self.mend_all, self.fold_away, 1, self.clear, spacing=12))

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.view.theme = theme
        self.view.viewport().update()
