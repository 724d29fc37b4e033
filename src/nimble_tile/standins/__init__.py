"""What stands in on this machine for services of the outside world.

Each kind of service is a small protocol. What ships is one service of each kind; another
package attaches its own by an entry point in the group of that kind, see `services`.
"""

from __future__ import annotations

import logging
from functools import cache
from importlib.metadata import entry_points
from typing import Protocol, runtime_checkable

LINKS = "nimble_tile.links"
"""Group of entry points of services that keep short links: each names something that, called
without arguments, gives a `LinkService`."""

PAINTERS = "nimble_tile.painters"
"""Group of entry points of picture generators: each names something that, called without
arguments, gives a `nimble_tile.standins.painting.Painter`."""

LOCAL_PAINTER = "local"
"""The painter that ships, by its entry point."""


@runtime_checkable
class LinkService(Protocol):
    """Keeps short links whose targets can be changed after they have been printed.

    Attributes
    ----------
    name : str
        As people are shown it.
    """

    name: str

    def shorten(self, target: str, note: str = "") -> str:
        """A new short link to a target; raises `UserError` where it takes no such target."""
        ...

    def leads_to(self, link: str) -> str | None:
        """Where a short link leads now; None where it is none of this service's."""
        ...

    def retarget(self, link: str, target: str) -> None:
        """Let a short link lead to another target."""
        ...


def services(group: str) -> dict[str, object]:
    """The services of a kind that are installed, made ready, by their entry point's name.

    One that cannot be made is left out, and the log says why: somebody else's fault must not
    keep the program from starting.
    """
    found = {}
    for entry in entry_points(group=group):
        try:
            found[entry.name] = entry.load()()
        except Exception:
            logging.getLogger(__name__).exception("service %s of %s failed", entry.name, group)
    return found


@cache
def painters() -> dict[str, object]:
    """The painters that are installed, by their entry point's name; the local one first."""
    found = services(PAINTERS)
    return dict(sorted(found.items(), key=lambda pair: pair[0] != LOCAL_PAINTER))


@cache
def _link_services() -> dict[str, object]:
    return services(LINKS)


def leads_to(text: str) -> tuple[str, str] | None:
    """The service that a text is a short link of, and where it leads now; None for other texts."""
    for service in _link_services().values():
        try:
            if target := service.leads_to(text):
                return service.name, target
        except Exception:
            logging.getLogger(__name__).exception("service %r failed", service)
    return None
