"""What is looked at on the bench, and what the engine therefore has to work out."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.ui.bench.lenses import Lens

if TYPE_CHECKING:
    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.bench.foot import Foot
    from nimble_tile.ui.bench.hands.base import Hand
    from nimble_tile.ui.work.answer import Answer
    from nimble_tile.ui.work.engine import Engine
    from nimble_tile.ui.work.session import Session


class Looking(QObject):
    """Lens, split view, picking of colours, and the pages that need something worked out.

    Signals
    -------
    again
        The same piece is worked out once more; what is known of it is stale until then.
    lens_changed : Lens
    split_changed : bool
    """

    again = Signal()
    lens_changed = Signal(object)
    split_changed = Signal(bool)

    def __init__(
        self, bench: Bench, foot: Foot, engine: Engine, session: Session, answer: Answer
    ) -> None:
        super().__init__(bench)
        self.bench, self.foot = bench, foot
        self._engine, self._session, self._answer = engine, session, answer
        self._lens_before = Lens.FINISHED
        self._places_page = False  # the page with the best places is in sight
        foot.lens.chosen.connect(self.look_through)
        foot.lens_list.chosen.connect(self.look_through)
        foot.split.toggled.connect(self._split)
        foot.fit.clicked.connect(bench.fit)
        foot.close_up.clicked.connect(bench.close_up)
        foot.closer.clicked.connect(lambda: bench.zoom(1.25))
        foot.farther.clicked.connect(lambda: bench.zoom(0.8))
        bench.zoomed.connect(foot.show_zoom)
        bench.picking_ended.connect(lambda: self.look_through(self._lens_before))

    def refresh(self) -> None:
        """Work the piece out again, as something else of it is looked at."""
        if self._answer.shown is not None:
            self.again.emit()
            self._engine.submit(self._session.piece)

    def want(self, what: str, on: bool) -> None:
        """Something is in sight that is worked out only then; see `Wants`."""
        wants = self._engine.wants
        if what == "places":
            self._places_page = on
            on = on or self.bench.lens is Lens.PLACES
        if getattr(wants, what) == on:
            return
        setattr(wants, what, on)
        leaves_layout = what == "layout" and self._session.piece.layout.digest is not None
        if (on and what != "layout") or leaves_layout:
            self.refresh()

    def take_up(self, hand: Hand | None, own: tuple[Hand, ...]) -> None:
        """Work on the finished piece with one of a room's own hands, or with none of them."""
        bench = self.bench
        if hand is None:
            if bench.hand in own:
                bench.take_hand(None)
            return
        if bench.hand is not hand:
            bench.take_hand(hand)
            # Only when work begins: the x-ray may well be looked through meanwhile.
            if bench.lens is not Lens.FINISHED:
                self.look_through(Lens.FINISHED)
        bench.update()

    def work_on(self, what: str) -> None:
        """A hand works on the ``"guard"``, the ``"cut_out"``, the ``"crop"`` or on nothing."""
        if what == self._engine.wants.work:
            return
        self._engine.wants.work = what
        if what and self.bench.lens not in (Lens.FINISHED, Lens.PICTURE):
            self.look_through(Lens.FINISHED)
        self.refresh()

    @property
    def worked_on(self) -> str:
        """What a hand works on now; empty: nothing."""
        return self._engine.wants.work

    def move_code(self, on: bool) -> None:
        """The pointer holds the code, or has let it go."""
        before, self._engine.wants.moving = self._engine.wants.moving, on
        if before and not on and self._session.piece.code.steer != "off":
            self.refresh()  # what was steered in motion is steered exactly at rest

    def look_through(self, lens: Lens) -> None:
        """Change the bench's lens."""
        wants = self._engine.wants
        wants.code, wants.eye = lens is Lens.CODE, lens is Lens.EYE
        for wanted, made in ((Lens.CODE, "code"), (Lens.EYE, "eye")):
            if lens is wanted and getattr(self._answer.shown, made, None) is None:
                self.refresh()
        self.bench.set_lens(lens)
        self.want("places", self._places_page)
        self.foot.show_lens(lens)
        self.lens_changed.emit(lens)

    def toggle_split(self) -> None:
        """The picture beside the finished piece, or the piece alone."""
        self.foot.split.setChecked(not self.foot.split.isChecked())

    def _split(self, on: bool) -> None:
        self.bench.split_at(0.5 if on else None)
        if on and self.bench.lens is not Lens.FINISHED:
            self.look_through(Lens.FINISHED)
        self.split_changed.emit(on)

    def pick_colour(self, take: Callable[[str], None]) -> None:
        """Pick from the picture itself where there is one, from the code otherwise."""
        self._lens_before = self.bench.lens
        if self._session.piece.picture.digest is not None:
            self.look_through(Lens.PICTURE)
        self.bench.pick_colour(take)
