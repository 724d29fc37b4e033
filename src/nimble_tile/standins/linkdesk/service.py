"""The link desk as a service of short links."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.standins.linkdesk.links import PORT, Link
from nimble_tile.standins.linkdesk.store import DeskStore, usual_file


class LinkDesk:
    """See `nimble_tile.standins.LinkService`. The file is made with the first link.

    Parameters
    ----------
    path : Path, optional
        The desk's file; None: that of this user.
    port : int
        Where the desk answers.
    """

    name = tr("Link desk")

    def __init__(self, path: Path | None = None, port: int = PORT) -> None:
        self.path, self.port = path or usual_file(), port

    def shorten(self, target: str, note: str = "") -> str:
        """A new short link to a target."""
        store = DeskStore(self.path, self.port)
        try:
            return store.address(store.add(target, note=note).key)
        finally:
            store.close()

    @property
    def public(self) -> str:
        """The designer's own address at which links are printed; empty: there is none."""
        if not self.path.exists():
            return ""
        store = DeskStore(self.path, self.port)
        try:
            return store.public
        finally:
            store.close()

    def leads_to(self, link: str) -> str | None:
        """Where a short link leads now; None where it is none of the desk's, or has ended."""
        found = self._found(link)
        return None if found is None else found.leads_to(datetime.now(UTC))

    def retarget(self, link: str, target: str) -> None:
        """Let a short link lead to another target."""
        found = self._found(link)
        if found is None:
            raise UserError(tr("This is no link of the desk."))
        store = DeskStore(self.path, self.port)
        try:
            store.change(replace(found, target=target))
        finally:
            store.close()

    def _found(self, link: str) -> Link | None:
        if not self.path.exists():
            return None
        store = DeskStore(self.path, self.port)
        try:
            key = store.key_of(link)
            return None if key is None else store.link(key)
        finally:
            store.close()
