"""The local painter as a service."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from nimble_tile.core.language import tr
from nimble_tile.standins.painting import Request, State


class LocalPainter:
    """See `nimble_tile.standins.painting.Painter`."""

    name = tr("Local painter")

    def unknown(self, words: str) -> list[str]:
        """Words of a description that it does not know."""
        from nimble_tile.standins.painter.words import understand

        return list(understand(words).unknown)

    def paint(self, request: Request, stop: Callable[[], bool] = lambda: False) -> Iterator[State]:
        """Paint; see `nimble_tile.standins.painter.paint.paint`."""
        from nimble_tile.standins.painter.paint import paint

        return paint(request, stop)
