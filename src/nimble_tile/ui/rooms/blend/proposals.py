"""The proposals on the blend rung."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from nimble_tile.core.language import tr, within
from nimble_tile.core.tune import PROPOSED_REACH
from nimble_tile.core.tune.ground import PROPOSAL_LABELS
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Fold, Slider, row, soft, thin_bar
from nimble_tile.ui.rooms.blend.proposal_cards import ProposalCard, ProposalCell, ProposalThumb

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.tune.propose import Proposal

NEIGHBOURS, MOST_PASSED = 3, 3
"""Small pictures in a row."""


class ProposalsBox(Fold):
    """Finished pieces to choose from, neighbours of each, and what was passed over.

    Signals
    -------
    wanted
        Search, or search again.
    stopped
        Enough: what is there stays.
    taken : Proposal
        The piece is to become this.
    more_wanted : str
        Neighbours of a kind of proposal are wanted.
    reach_changed : float
        Another reach is to be held.
    folded : bool
        The proposals were folded out or in.
    """

    wanted = Signal()
    stopped = Signal()
    taken = Signal(object)
    more_wanted = Signal(str)
    reach_changed = Signal(float)
    folded = Signal(bool)

    def __init__(self, is_open: bool = True) -> None:
        super().__init__(tr("Proposals"), is_open)
        self.head.toggled.connect(self.folded)
        self.reach = Slider(tr("Reach to hold"), 0.6, 1, PROPOSED_REACH, "%", factor=100)
        self.reach.track.setToolTip(
            tr(
                "Share of what the usual code passes in the trials that must be held. "
                "97 % is hardly "
                "less than that; at 90 % more of the picture stays"
            )
        )
        self.reach.edited.connect(self.reach_changed)
        self.inside.addWidget(self.reach)
        self.cards: dict[str, ProposalCard] = {}
        self.near: dict[str, list[ProposalThumb]] = {}
        self._rows: dict[str, QWidget] = {}
        for kind, name in PROPOSAL_LABELS.items():
            card = ProposalCard(kind, name)
            card.clicked.connect(lambda _=False, c=card: self._take(c))
            card.more_wanted.connect(lambda k=kind: self.more_wanted.emit(k))
            self.cards[kind] = card
            self.inside.addWidget(card)
            self.near[kind], self._rows[kind] = self._thumbs(
                tr("Like the {name}", name=within(name))
            )
        self._passed_label = QLabel(tr("Passed over, kept as drafts"))
        self._passed_label.setProperty("rank", "soft")
        self.inside.addWidget(self._passed_label)
        self.passed, self._rows["passed"] = self._thumbs(tr("Passed over"), MOST_PASSED)
        self.told = soft()
        self.bar = thin_bar()
        self.stop, self.again = QPushButton(tr("Enough")), QPushButton(tr("Propose again"))
        self.stop.setToolTip(tr("End the search; what is there stays"))
        self.stop.clicked.connect(self.stopped)
        self.again.setToolTip(tr("With other seeds. What is finished is kept on the draft shelf"))
        self.again.clicked.connect(self.wanted)
        self.inside.addWidget(self.told)
        self.inside.addWidget(self.bar)
        self.inside.addLayout(row(self.stop, self.again, 1))
        self.forget()
        self.show_running(False)

    def _thumbs(self, name: str, count: int = NEIGHBOURS) -> tuple[list[ProposalThumb], QWidget]:
        line = QWidget()
        layout = QHBoxLayout(line)
        layout.setContentsMargins(0, 0, 0, 2)
        layout.setSpacing(6)
        found = []
        for number in range(count):
            thumb = ProposalThumb(f"{name}, {number + 1}")
            thumb.clicked.connect(lambda _=False, t=thumb: self._take(t))
            layout.addWidget(thumb)
            found.append(thumb)
        layout.addStretch(1)
        line.hide()
        self.inside.addWidget(line)
        return found, line

    def _take(self, cell: ProposalCell) -> None:
        if cell.proposal is not None:
            self.taken.emit(cell.proposal)

    @property
    def cells(self) -> list[ProposalCell]:
        """All pictures that can be taken."""
        near = [thumb for thumbs in self.near.values() for thumb in thumbs]
        return [*self.cards.values(), *near, *self.passed]

    def forget(self) -> None:
        """The ground for all proposals has changed."""
        for cell in self.cells:
            cell.forget()
        for line in self._rows.values():
            line.hide()
        self._passed_label.hide()
        for card in self.cards.values():
            card.set_note("")
        self.tell("")

    def forget_near(self, kind: str) -> None:
        """Other neighbours of a kind are looked for."""
        for thumb in self.near[kind]:
            thumb.forget()
        self._rows[kind].show()

    def show_proposal(self, proposal: Proposal, image: QImage, near: bool) -> None:
        """A proposal has become better; `near`: as the neighbour of one."""
        if near:
            self.near[proposal.kind][proposal.number].show_proposal(proposal, image)
            return
        card = self.cards[proposal.kind]
        card.show_proposal(proposal, image)
        note = "" if proposal.final else tr("still searching\u2026")
        if proposal.final and not proposal.holds:
            note = tr("less than wanted")
        card.set_note(note)

    def show_passed(self, passed: list[tuple[Proposal, QImage]]) -> None:
        """What was passed over, the last one first."""
        for thumb in self.passed:
            thumb.forget()
            thumb.hide()
        for thumb, (proposal, image) in zip(self.passed, passed, strict=False):
            thumb.show_proposal(proposal, image)
            thumb.show()
        self._rows["passed"].setVisible(bool(passed))
        self._passed_label.setVisible(bool(passed))

    def show_piece(self, piece: Piece) -> None:
        """Mark the proposal that the piece is."""
        bare = piece.model_copy(update={"log": ()})
        for cell in self.cells:
            found = cell.proposal
            cell.set_taken(
                found is not None and found.candidate.piece.model_copy(update={"log": ()}) == bare
            )

    def show_running(self, running: bool, again: bool = True) -> None:
        """A search goes on, or none; `again`: whether one can begin."""
        self.stop.setVisible(running)
        self.bar.setVisible(running)
        self.again.setVisible(not running and again)
        self.bar.setValue(0)

    def show_share(self, share: float) -> None:
        """How much of the search is done, 0 to 1."""
        self.bar.setValue(round(self.bar.maximum() * share))

    def tell(self, text: str) -> None:
        """A sentence below the proposals."""
        self.told.setText(text)
        self.told.setVisible(bool(text))

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self.reach.dress(theme)
        for cell in self.cells:
            cell.theme = theme
            cell.update()
