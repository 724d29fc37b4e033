"""Help of one window: what there is to do, where, by which key, and how it all began."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.language import tr

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.ui.rooms.help.actions import ActionFinder, Deed, KeyList
    from nimble_tile.ui.rooms.help.handbook import Handbook
    from nimble_tile.ui.rooms.help.history import StepList
    from nimble_tile.ui.rooms.help.preferences import Preferences
    from nimble_tile.ui.rooms.help.tour import Stop, Tour
    from nimble_tile.ui.work.tools import Tools

SINGLE_KEYS = (
    (tr("Bench"), tr("Open a rung"), tr("1 to 6")),
    (tr("Bench"), tr("The picture without the code, while held"), "B"),
    (tr("Bench"), tr("Move the code, a logo or a caption"), tr("Arrow keys")),
    (tr("Bench"), tr("The same in larger steps"), tr("Shift+Arrow keys")),
)  # fmt: skip
"""Keys that no menu shows: menu, action, key."""


class HelpDesk(QObject):
    """Everything is built when it is first asked for.

    Parameters
    ----------
    tools : Tools
    deeds : callable
        All that can be done, as `Deed`.
    stops : callable
        The steps of the tour.
    parent : QWidget
        The main window.

    Signals
    -------
    theme_chosen : str
    trials_wanted
    demo_wanted
        The tour begins: its piece is to be opened.
    """

    theme_chosen = Signal(str)
    trials_wanted = Signal()
    demo_wanted = Signal()

    def __init__(
        self, tools: Tools, deeds: Callable[[], list[Deed]], stops: Callable[[], Sequence[Stop]],
        parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.tools, self._deeds, self._stops = tools, deeds, stops
        self._theme = None
        self.finder: ActionFinder | None = None
        self.steps: StepList | None = None
        self.book: Handbook | None = None
        self.tour: Tour | None = None
        self.wishes: Preferences | None = None
        self.keys: KeyList | None = None

    def find_action(self) -> None:
        """Ask what is to be done."""
        if self.finder is None:
            from nimble_tile.ui.rooms.help.actions import ActionFinder

            self.finder = ActionFinder(self._deeds, self.parent())
        self.finder.open_fresh()

    def show_keys(self) -> None:
        """List all keys."""
        from nimble_tile.ui.rooms.help.actions import KeyList

        self.keys = KeyList(self._deeds, SINGLE_KEYS, self.parent())
        self.keys.show()

    def show_steps(self) -> None:
        """List the steps of undo."""
        if self.steps is None:
            from nimble_tile.ui.rooms.help.history import StepList

            self.steps = StepList(self.tools.session, self.parent())
        self.steps.show()
        self.steps.raise_()

    def show_handbook(self) -> None:
        """Open the handbook."""
        if self.book is None:
            from nimble_tile.ui.rooms.help.handbook import Handbook

            self.book = Handbook(self.parent())
        self.book.show()
        self.book.raise_()

    def show_preferences(self, theme: str) -> None:
        """Ask what the designer usually wants."""
        from nimble_tile.ui.rooms.help.preferences import Preferences

        if self.wishes is not None:  # shown anew, with the settings of now
            self.wishes.close()
            self.wishes.deleteLater()
        self.wishes = Preferences(self.tools.settings, theme, self.parent())
        self.wishes.theme_chosen.connect(self.theme_chosen)
        self.wishes.trials_wanted.connect(self.trials_wanted)
        self.wishes.tour_wanted.connect(self.begin_tour)
        self.wishes.show()

    # The tour -----------------------------------------------------------------------------

    def offer_tour(self) -> None:
        """On the first start: say that there is a tour."""
        if self.tools.settings.get("toured"):
            return
        self._toured()  # said once: whoever does not want it finds it in the menu
        self.tools.notices.say(
            tr("New here? A tour in five short steps shows how a code comes into a picture."),
            choices=((tr("Show me"), self.begin_tour), (tr("Not now"), self.tools.notices.hide)),
        )

    def begin_tour(self) -> None:
        """Open the demo piece, and go through the window."""
        from nimble_tile.ui.rooms.help.tour import Tour

        self._toured()
        self.tools.notices.hide()
        self.demo_wanted.emit()
        if self.tour is None:
            self.tour = Tour(self._stops(), self.parent())
        if self._theme is not None:
            self.tour.theme = self._theme
        self.tour.start()

    def _toured(self) -> None:
        self.tools.settings.set("toured", True)

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._theme = theme
        if self.tour is not None:
            self.tour.theme = theme
            self.tour.update()
