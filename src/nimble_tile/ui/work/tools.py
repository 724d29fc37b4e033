"""What every room is given, and what rooms may ask of bench and ladder."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.core.picture.store import Lease
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.ui.work.answer import Answer
    from nimble_tile.ui.work.colour_desk import ColourDesk
    from nimble_tile.ui.work.jobs import Jobs, Progress
    from nimble_tile.ui.work.prover import Prover
    from nimble_tile.ui.work.session import Session
    from nimble_tile.ui.work.settings import Settings


class Notices(Protocol):
    """The line above the bench."""

    def say(
        self,
        text: str,
        good: bool = False,
        choices: Sequence[tuple[str, Callable[[], None]]] = (),
    ) -> None:
        """Show one sentence; `choices` become buttons."""

    def hide(self) -> None:
        """Put the sentence away."""


class Sight(Protocol):
    """What is looked at on the bench, and so what the engine works out."""

    def look_through(self, lens: str) -> None:
        """Change the lens."""

    def want(self, what: str, on: bool) -> None:
        """Something is in sight that is worked out only then; see `Wants`."""

    def work_on(self, what: str) -> None:
        """A hand works on the ``"guard"``, the ``"cut_out"``, the ``"crop"`` or on nothing."""

    def take_up(self, hand: object | None, own: tuple[object, ...]) -> None:
        """Work on the finished piece with one of a room's own hands, or with none of them."""

    def move_code(self, on: bool) -> None:
        """The pointer holds the code, or has let it go."""

    def refresh(self) -> None:
        """Work the piece out again, as something else of it is looked at."""


class Stage(Protocol):
    """The middle of the window: the bench, or a view that takes its place for a while."""

    def show_instead(self, view: QWidget) -> None:
        """Show a view in the place of the bench."""

    def leave(self, view: QWidget) -> bool:
        """Back to the bench, if this view stands in its place; whether it did."""


class Steps(Protocol):
    """The ladder."""

    @property
    def current_rung(self) -> str:
        """Name of the open rung; empty where none is open."""

    def open_rung(self, name: str) -> None:
        """Open a rung by its name, ``"message"`` … ``"finish"``."""

    def reveal(self, widget: QWidget) -> None:
        """Scroll until a widget of the open rung is in sight."""

    def show_verdict(self, verdict: Any) -> None:
        """Tell all rungs the verdict."""

    def set_cost(self, rung: str, text: str, state: str, told: str = "") -> None:
        """What a rung costs in reach; see `RungRow.set_cost`."""

    def set_stale(self, stale: bool) -> None:
        """The costs belong to an older piece."""

    def forget_costs(self) -> None:
        """No costs are known."""


@dataclass(frozen=True)
class Tools:
    """What a room works with.

    Attributes
    ----------
    session : Session
        The open piece; every change goes through it.
    pictures : Lease
    bay : ReaderBay
        The readers.
    jobs : Jobs
        Long work, one job at a time.
    settings : Settings
    notices : Notices
    answer : Answer
        What is known of the piece at the moment.
    prover : Prover
        The trials: their set, their measuring room, and a way to make them rest.
    colours : ColourDesk
        The colour panel that all swatches share.
    """

    session: Session
    pictures: Lease
    bay: ReaderBay
    jobs: Jobs
    settings: Settings
    notices: Notices
    answer: Answer
    prover: Prover
    colours: ColourDesk

    def run(self, work: Callable[[Progress], Any], done: Callable[[Any], None]) -> None:
        """Run a job; what goes wrong is said above the bench."""
        self.jobs.start(work, done, lambda error: self.notices.say(str(error)))
