"""The link desk of a main window: what the rung Message is told of it, and its switch."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.core.symbol.encode import fitting
from nimble_tile.ui.work.short import ShortNews
from nimble_tile.ui.work.side_window import Later

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nimble_tile.standins.linkdesk.server import DeskServer
    from nimble_tile.standins.linkdesk.service import LinkDesk
    from nimble_tile.ui.rooms.links.window import LinksWindow
    from nimble_tile.ui.work.tools import Tools


class LinksDesk(QObject):
    """Short links for one main window.

    Signals
    -------
    told : ShortNews
        The message, or what the desk knows of it, has changed.
    """

    told = Signal(object)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self._tools = tools
        self._later: Later[LinksWindow] = Later(self._make)
        self._desk: LinkDesk | None = None
        self.server: DeskServer | None = None

    def _make(self) -> LinksWindow:
        from nimble_tile.ui.rooms.links.window import LinksWindow

        made = LinksWindow(self, self._tools, self.parent())
        made.changed.connect(lambda: self.follow(self._tools.session.piece))
        return made

    @property
    def desk(self) -> LinkDesk:
        """The desk of this user."""
        if self._desk is None:
            from nimble_tile.standins.linkdesk.service import LinkDesk

            self._desk = LinkDesk()
        return self._desk

    @property
    def on(self) -> bool:
        """Whether it answers."""
        return self.server is not None and self.server.running

    def switch(self, on: bool) -> None:
        """Let the desk answer, or no longer.

        Raises
        ------
        UserError
            It cannot.
        """
        if on and not self.on:
            from nimble_tile.standins.linkdesk.server import DeskServer

            self.server = DeskServer(self.desk.path, self.desk.port)
            self.server.start()
        elif not on and self.server is not None:
            self.server.stop()
            self.server = None
        self.follow(self._tools.session.piece)

    def follow(self, piece: Piece) -> None:
        """Say what there is to say for a piece."""
        if (news := self._asked(lambda: self._news(piece))) is not None:
            self.told.emit(news)

    def _asked(self, ask: Callable[[], Any]) -> Any:
        """What the desk answers; what a person can put right is said above the bench."""
        try:
            return ask()
        except UserError as error:
            self._tools.notices.say(str(error))
            return None

    def _news(self, piece: Piece) -> ShortNews:
        if piece.message.kind != "link":
            return ShortNews(False, "", "", self.on)
        from nimble_tile.standins.linkdesk.links import key_of

        text, public = piece.message.text, self.desk.public
        if key_of(text, self.desk.port, public) is not None:
            target = self.desk.leads_to(text)
            return ShortNews(True, target or "", "", self.on, public)
        code = piece.code.model_copy(update={"version": "auto"})
        return ShortNews(False, "", _gain(text, code, self.desk.port, public), self.on, public)

    def shorten(self) -> None:
        """Let the message be a short link to what it says."""
        text = self._tools.session.piece.message.text
        if link := self._asked(lambda: self.desk.shorten(text)):
            self._put(link, tr("Use a short link"))

    def unshorten(self) -> None:
        """Let the message be what its short link leads to."""
        text = self._tools.session.piece.message.text
        if target := self._asked(lambda: self.desk.leads_to(text)):
            self._put(target, tr("Take the long link again"))

    def use(self, link: str) -> None:
        """Let the message be a short link of the desk."""
        self._put(link, tr("Use a short link"))

    def _put(self, text: str, name: str) -> None:
        session = self._tools.session
        message = Message(text=text, kind="link")
        session.put(session.piece.model_copy(update={"message": message}), name)

    def open(self) -> LinksWindow | None:
        """Bring the window to the front; None: the desk's file cannot be used, which is said."""
        return self._asked(self._later.open)

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._later.dress(theme)

    def stop(self) -> None:
        """End what works in the background."""
        self._later.stop()
        if self.server is not None:
            self.server.stop()


@lru_cache(32)
def _gain(text: str, code: Code, port: int, public: str) -> str:
    """What a short link would gain; asked at each change of the piece, of whatever."""
    from nimble_tile.standins.linkdesk.links import ALPHABET, KEY_LENGTH, address

    short = address(ALPHABET[0] * KEY_LENGTH, port=port, public=public)
    now, then = fitting(text, code), fitting(short, code)
    if not text or then is None:
        return ""
    if now is None:
        return tr("version {then}, where it does not fit now", then=then[0])
    if int(then[0]) < int(now[0]):
        return tr("version {now} → {then}", now=now[0], then=then[0])
    return ""
