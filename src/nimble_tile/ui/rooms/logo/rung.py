"""Rung 5: logos on the code, what lies under them, and what they cost."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QPushButton

from nimble_tile.core.additions import MOST_LOGOS
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.ui.kit.controls import Choice, Segments, row, set_rank, soft
from nimble_tile.ui.ladder.paged import PagedRung
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.additions import Logos
    from nimble_tile.core.study import Study
    from nimble_tile.ui.bench.hands.plate import PlateHand
    from nimble_tile.ui.rooms.logo.backing import BackingPage
    from nimble_tile.ui.rooms.logo.cost import CostPage
    from nimble_tile.ui.rooms.logo.logo import ItemPage, LogoPage
    from nimble_tile.ui.work.engine import Shown


class LogoRung(PagedRung):
    """Bring, choose, remove; three pages: the logo, what lies under it, what it costs.

    Signals
    -------
    wanted
        The person wants to choose a file.
    work : str
        What is worked on on the bench: ``"logo"``, ``"plate"`` or ``""``.
    picked : int
        Another logo is edited.
    recolour : str
        See `LogoPage`.
    search : str, float
        See `CostPage`.
    paint_cleared, paint_inverted
        The painted plate is to be forgotten, or turned round.
    """

    title, rung = tr("Logo"), "logo"
    wanted = Signal()
    work = Signal(str)
    picked = Signal(int)
    recolour = Signal(str)
    search = Signal(str, float)
    paint_cleared = Signal()
    paint_inverted = Signal()

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__(session, desk)
        self._study: Study | None = None
        self._studied: Piece | None = None
        self.hand: PlateHand | None = None
        self.index = 0
        self.about = soft()
        self.add = QPushButton(tr("Bring in a logo…"))
        self.add.clicked.connect(self.wanted)
        self.remove = QPushButton(tr("Remove"))
        self.remove.clicked.connect(lambda: self.remove_logo(self.index))
        self.which = Choice(tr("Logo"), [])
        self.which.chosen.connect(self.choose)
        self.again = QPushButton(tr("Once more"))
        self.again.setToolTip(tr("The same logo a second time"))
        self.again.clicked.connect(self._duplicate)
        self.error = QLabel()
        self.error.setWordWrap(True)
        set_rank(self.error, "error")
        self.error.hide()
        self._without: Logos | None = None  # the logos that one could not be added to
        self.page = Segments(
            tr("Page"),
            [
                ("logo", tr("Logo"), tr("Place, size, colours, crop, shadow")),
                ("backing", tr("Under it"), tr("Cleared modules, a plate, a painted plate")),
                ("cost", tr("Cost"), tr("What it covers and spoils, and how large it may be")),
            ],
        )
        self.page.set_value("logo")
        self.page.chosen.connect(self.open_page)
        self.body.addWidget(self.about)
        self.body.addLayout(row(self.add, self.again, 1))
        self.body.addLayout(row(self.which, self.remove))
        self.body.addWidget(self.error)
        self.body.addWidget(self.page)

    # Logos -----------------------------------------------------------------

    def choose(self, index: int) -> None:
        """Edit another logo."""
        self.index = index
        for page in self._made.values():
            page.index = index
        self.show_piece(self.session.piece)
        self.picked.emit(index)

    def remove_logo(self, index: int) -> None:
        """Take a logo away."""
        items = self.session.piece.logo.items
        if 0 <= index < len(items):
            kept = tuple(logo for i, logo in enumerate(items) if i != index)
            self.index = max(0, min(self.index, len(kept) - 1))
            self.session.edit(
                "logo", tr("Remove {name}", name=items[index].name or tr("the logo")), items=kept
            )

    def _duplicate(self) -> None:
        items = self.session.piece.logo.items
        if not 0 <= self.index < len(items):
            return
        old = items[self.index]
        # Beside the first, not on it.
        new = old.model_copy(update={"x": old.x + (0.2 if old.x < 0.7 else -0.2), "marker": False})
        self.index = len(items)
        self.session.edit("logo", tr("Add the logo once more"), items=(*items, new))
        self.choose(self.index)

    # Pages -----------------------------------------------------------------

    @cached_property
    def logo(self) -> LogoPage:
        from nimble_tile.ui.rooms.logo.logo import LogoPage

        page = LogoPage(self.session, self._desk)
        page.recolour.connect(self.recolour)
        return self._take("logo", page)

    @cached_property
    def backing(self) -> BackingPage:
        from nimble_tile.ui.rooms.logo.backing import BackingPage

        page = BackingPage(self.session, self._desk, self.hand)
        page.paints.connect(lambda _: self._tell())
        page.brush.clear.clicked.connect(self.paint_cleared)
        page.brush.invert.clicked.connect(self.paint_inverted)
        return self._take("backing", page)

    @cached_property
    def cost(self) -> CostPage:
        from nimble_tile.ui.rooms.logo.cost import CostPage

        page = CostPage(self.session, self._desk)
        page.search.connect(self.search)
        page.show_coverage(self._study.coverage if self._study else None)
        return self._take("cost", page)

    def _take(self, name: str, page: ItemPage) -> ItemPage:
        page.index = self.index
        return super()._take(name, page)

    def open_page(self, name: str) -> None:
        """Show one of the pages."""
        self.page.set_value(name)
        logos = self.session.piece.logo
        there = bool(logos.items) or name == "backing"
        if there:
            getattr(self, name)
        self._show_page(name if there else None)
        self._tell()

    def _tell(self) -> None:
        """What is worked on on the bench, as far as this rung is open."""
        if not self.isVisible():
            self.work.emit("")
            return
        painting = (
            self.page.value == "backing" and "backing" in self._made
            and self.backing.paint_fold.is_open
        )  # fmt: skip
        there = bool(self.session.piece.logo.items)
        self.work.emit("plate" if painting else "logo" if there else "")

    # Showing ---------------------------------------------------------------

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        items = piece.logo.items
        if not items:
            return tr("A painted plate alone") if piece.logo.paint else tr("None")
        name = items[0].name or tr("A logo")
        told = name if len(items) == 1 else tr("{items} logos", items=len(items))
        found = self._study.coverage if self._study is not None else None
        if found is None or piece != self._studied:
            return told
        return tr(
            "{told}, {area:.1%} of the area, {under} codewords",
            told=told,
            area=found.area,
            under=sum(found.under),
        )

    def show_piece(self, piece: Piece) -> None:
        items = piece.logo.items
        there = bool(items)
        self.index = max(0, min(self.index, len(items) - 1))
        for page in self._made.values():
            page.index = self.index
        self.about.setText(
            "" if there else
            tr("Drop a PNG, SVG, JPEG, WebP, TIFF or PDF file here, or paste a picture.")
        )  # fmt: skip
        self.about.setVisible(not there)
        full = len(items) >= MOST_LOGOS
        self.add.setText(tr("Another logo…") if there else tr("Bring in a logo…"))
        self.add.setEnabled(not full)
        self.add.setToolTip(tr("{most_logos} are the most", most_logos=MOST_LOGOS) if full else "")
        for widget in (self.which, self.remove, self.again):
            widget.setVisible(there)
        self.again.setEnabled(not full)
        self.which.blockSignals(True)
        self.which.clear()
        for number, logo in enumerate(items):
            self.which.addItem(f"{number + 1}  {logo.name or 'A logo'}", number)
        self.which.set_value(self.index)
        self.which.blockSignals(False)
        for name in ("logo", "cost"):
            self.page.button(name).setEnabled(there)
            self.page.button(name).setToolTip("" if there else tr("There is no logo yet"))
        for page in self._made.values():
            page.show_piece(piece)
        if self.isVisible():
            shown = self._made.get(self.page.value)
            wanted = there or self.page.value == "backing"
            if shown is None or shown.isVisibleTo(self) != wanted:
                self.open_page(self.page.value)
            else:
                self._tell()

    def show_study(self, study: Study) -> None:
        self._study, self._studied = study, self.session.piece
        if "cost" in self._made:
            self.cost.show_coverage(study.coverage)
            self.cost.show_tracking(study.tracking)
        if "logo" in self._made:
            items = self.session.piece.logo.items
            lit = any(logo.effects for logo in items)
            self.logo.effects.show_cost(study.logo_effects if lit else "")

    def show_error(self, error: UserError | None) -> None:
        if error is None and self.session.piece.logo is not self._without:
            self.error.hide()

    def show_problem(self, error: UserError) -> None:
        """A logo could not be brought in; that is said until the logos change."""
        self._without = self.session.piece.logo
        self.error.setText(str(error))
        self.error.show()
