"""Looks for proposals in the background, whatever rung is open."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QImage

from nimble_tile import log
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr, within
from nimble_tile.core.memory import give_back
from nimble_tile.core.project.drafts import MOST_DRAFTS, bare, free_name
from nimble_tile.core.trials.reach import percent
from nimble_tile.core.tune.ground import PROPOSAL_LABELS, ground_of, ready
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.work.drafts import add, code_area, made, small

if TYPE_CHECKING:
    from collections.abc import Hashable

    from nimble_tile.core.piece import Piece
    from nimble_tile.core.tune.propose import Proposal
    from nimble_tile.ui.rooms.blend.proposals import ProposalsBox
    from nimble_tile.ui.work.tools import Tools

REST = 700
"""Milliseconds without a change after which the search begins."""

LOOK_AGAIN = 0.05
"""Seconds between two looks at whether others still need the readers."""

Search = Callable[[Callable[[], bool]], "Iterator[Proposal]"]


class Proposing(QObject):
    """The proposals of one window.

    Parameters
    ----------
    tools : Tools
    parent : QObject
    """

    _found = Signal(int, object, QImage, bool)
    _over = Signal(int, str)

    def __init__(self, tools: Tools, parent: QObject) -> None:
        super().__init__(parent)
        self.tools, self.session = tools, tools.session
        self.box: ProposalsBox | None = None
        self._guess: Piece | None = None  # gives way to the first that holds, unless it is edited
        self._grounds: list[Hashable] = []  # for which the proposals are good
        self._run = 0
        self._running = 0  # searches that are not over
        self._passed: list[tuple[Proposal, QImage]] = []
        self._seed = 0
        self._queue: queue.Queue[tuple[int, Search, bool] | None] = queue.Queue()
        self._thread: threading.Thread | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(REST)
        self._timer.timeout.connect(self._begin)
        self._found.connect(self._take_in)
        self._over.connect(self._ended)
        self.session.changed.connect(self._changed)
        tools.prover.set_changed.connect(lambda: self._changed(self.session.piece))

    def take_box(self, box: ProposalsBox) -> None:
        """The box exists, now that the rung was opened."""
        self.box = box
        box.set_open(bool(self.tools.settings.get("proposals", True)))
        box.folded.connect(self._folded)
        box.wanted.connect(self.again)
        box.stopped.connect(self.stop)
        box.taken.connect(self.take)
        box.more_wanted.connect(self.more_like)
        box.reach_changed.connect(lambda _: self._changed(self.session.piece))
        self._changed(self.session.piece)

    # When ------------------------------------------------------------------------

    def stand_in(self) -> None:
        """The piece as it is now is a guess, for as long as nothing is known to hold."""
        self._guess = self.session.piece

    def _folded(self, on: bool) -> None:
        self.tools.settings.set("proposals", on)
        if on:
            self._changed(self.session.piece)
        else:
            self.stop()
            self._grounds = []

    def _key(self, piece: Piece) -> Hashable:
        prover = self.tools.prover
        wanted = round(self.box.reach.value, 3)
        return (ground_of(piece).model_dump_json(), prover.trials, prover.readers, wanted)

    def _changed(self, piece: Piece) -> None:
        if self.box is None:
            return
        if not self.box.is_open and not self._grounds:
            return
        self.box.show_piece(piece)
        if self._key(piece) in self._grounds:
            return
        self.stop()
        self._grounds, self._passed, self._seed = [], [], 0
        self.box.forget()
        if self.box.is_open and self._possible(piece):
            self._timer.start()

    def _possible(self, piece: Piece) -> bool:
        try:
            ready(piece)
        except UserError as error:
            self.box.tell(str(error))
            self.box.show_running(False, again=False)
            return False
        return True

    # Searching -------------------------------------------------------------------

    def again(self) -> None:
        """Search anew, with another seed; what is finished is kept as drafts."""
        if self.box is not None and self._possible(self.session.piece):
            self._timer.stop()
            self.stop()
            self._pass_over(None)
            self._seed += 1
            self.box.forget()
            self.box.show_passed(self._passed)
            self._begin()

    def _begin(self) -> None:
        piece, wanted = self.session.piece, self.box.reach.value
        self._grounds.append(self._key(piece))
        trials, room, seed = tuple(self.tools.prover.trials), self._room(), self._seed
        pictures = self.tools.pictures.lease(piece.digests)

        def search(stop: Callable[[], bool]) -> Iterator[Proposal]:
            from nimble_tile.core.render import Renderer
            from nimble_tile.core.tune.propose import propose

            return propose(piece, Renderer(pictures), room(), trials, wanted, seed, stop)

        for card in self.box.cards.values():
            card.set_note(tr("is looked for\u2026"))
        self._start(search, near=False)

    def more_like(self, kind: str) -> None:
        """Look for three neighbours of a proposal."""
        found = self.box.cards[kind].proposal
        if found is None:
            return
        wanted, trials, room = self.box.reach.value, tuple(self.tools.prover.trials), self._room()
        self.box.forget_near(kind)
        piece = found.candidate.piece
        pictures = self.tools.pictures.lease(piece.digests)

        def search(stop: Callable[[], bool]) -> Iterator[Proposal]:
            from nimble_tile.core.render import Renderer
            from nimble_tile.core.tune.propose import more_like

            return more_like(kind, piece, Renderer(pictures), room(), trials, wanted, stop=stop)

        self._start(search, near=True)

    def _room(self) -> Callable:
        bay, readers = self.tools.bay, self.tools.prover.readers

        def make():
            from nimble_tile.core.trials.room import Room

            return Room(bay, readers)

        return make

    def _start(self, search: Search, near: bool) -> None:
        self._running += 1
        self.box.tell("")
        self.box.show_running(True)
        self._queue.put((self._run, search, near))
        if self._thread is None or not self._thread.is_alive():
            self._thread = threading.Thread(target=self._work, name="proposals", daemon=True)
            self._thread.start()

    def stop(self) -> None:
        """Enough; what is there stays."""
        self._timer.stop()
        self._run += 1
        self._running = 0
        if self.box is not None:
            for card in self.box.cards.values():
                card.set_note("")
                card.more.setVisible(card.proposal is not None)
            self.box.show_running(False)

    def end(self) -> None:
        """The window closes."""
        self._run += 1
        self._queue.put(None)
        if self._thread is not None and self._thread.is_alive():
            self._thread.join(10)

    @property
    def running(self) -> bool:
        """Whether anything is searched for."""
        return self._running > 0

    def _work(self) -> None:
        """Search in the worker's thread, one search after the other."""
        while (job := self._queue.get()) is not None:
            run, search, near = job
            told = ""
            if run != self._run:
                continue
            try:
                for found in search(lambda run=run: self._stopped(run)):
                    if run != self._run:
                        break
                    rendering = found.candidate.rendering
                    area = code_area(rendering, found.candidate.piece)
                    image = small(to_qimage(rendering.image), area)
                    del rendering
                    # Cards show the small image: dozens of whole ones would stay for hours.
                    shown = replace(found, candidate=replace(found.candidate, rendering=None))
                    self._found.emit(run, shown, image, near)
                    give_back()
            except UserError as error:
                told = str(error)
            except BaseException as error:  # a fault of ours must not end the worker
                log.fault("The search for proposals stopped.", error)
                told = tr(
                    "The search stopped ({name}). Undo the last change.", name=type(error).__name__
                )
            self._over.emit(run, told)
            job = search = found = None
            give_back()

    def _stopped(self, run: int) -> bool:
        """Whether a search is to end; while others need the readers, it waits."""
        prover = self.tools.prover
        while run == self._run and (prover.trying or prover.held):
            time.sleep(LOOK_AGAIN)
        return run != self._run

    # What comes of it ------------------------------------------------------------------

    def _take_in(self, run: int, proposal: Proposal, image: QImage, near: bool) -> None:
        if run != self._run:
            return
        self.box.show_proposal(proposal, image, near)
        self.box.show_share(proposal.share)
        if proposal.final and proposal.holds and not near and self._guess == self.session.piece:
            self.take(proposal)
        self.box.show_piece(self.session.piece)

    def _ended(self, run: int, told: str) -> None:
        if run != self._run:
            return
        self._running -= 1
        if not self._running:
            self.box.show_running(False)
            for card in self.box.cards.values():
                if card.proposal is None:
                    dark = card.kind == "light" and not told
                    card.set_note(tr("the picture is too dark for it") if dark else "")
        self.box.tell(told)

    def take(self, proposal: Proposal) -> None:
        """The piece becomes a proposal; undo brings back what it was."""
        piece = proposal.candidate.piece.model_copy(update={"log": self.session.piece.log})
        self._grounds.append(self._key(piece))
        self._guess = None
        name = within(PROPOSAL_LABELS[proposal.kind])
        self.session.put(piece, tr("Take the {name} proposal", name=name))
        self._pass_over(proposal)

    def _pass_over(self, taken: Proposal | None) -> None:
        """Keep the finished ones that were not taken as drafts."""
        drafts, full = [], False
        kinds = PROPOSAL_LABELS if taken is None else (taken.kind,)
        near = [cell for kind in kinds for cell in self.box.near[kind]]
        for cell in [*self.box.cards.values(), *near]:
            found = cell.proposal
            early = (self.running or taken is None) and found is not None and not found.final
            if found is None or found is taken or early:
                continue
            piece = bare(found.candidate.piece)
            known = (*self.session.drafts, *drafts)
            if any(draft.piece == piece for draft in known):
                continue
            if len(known) >= MOST_DRAFTS:
                full = True
                break
            reach = found.candidate.reach
            name = free_name(known, f"{PROPOSAL_LABELS[found.kind]}, {percent(reach)}")
            drafts.append(made(piece, name, cell.image, found.verdict, reach))
            self._passed.insert(0, (found, cell.image))
        # What is the piece now was not passed over.
        self._passed = [one for one in self._passed if one[0] is not taken]
        if drafts:
            add(self.session, drafts)
        self.box.show_passed(self._passed)
        self.box.show_piece(self.session.piece)
        if full:
            self.box.tell(tr("The draft shelf is full: not all that was passed over is kept."))
