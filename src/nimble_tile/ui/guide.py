"""What the tour shows in the window."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtWidgets import QWidget

from nimble_tile.core.language import tr
from nimble_tile.ui.ladder.ladder import Ladder
from nimble_tile.ui.rooms.help.tour import Stop

TOUR_PIECE = "woven-poster"
"""Demo piece on which the tour is given."""


class GuidedWindow(Protocol):
    """What the tour goes through."""

    ladder: Ladder
    band: QWidget
    middle: QWidget
    wall: QWidget


def stops(window: GuidedWindow) -> list[Stop]:
    """Five steps, in working order."""

    def rung(name: str) -> QWidget:
        if window.ladder.current_rung != name:
            window.ladder.open_rung(name)
        return window.ladder

    return [
        Stop(
            tr("From top to bottom"),
            tr(
                "The ladder has six rungs, in working order: write the message, choose the code, "
                "bring the picture, blend, lay a logo, finish. Each rung says what it costs."
            ),
            lambda: rung("message"),
        ),
        Stop(
            tr("Does it scan?"),
            tr(
                "This band answers all the time: the verdict, how much of the error correction is "
                "left, what was read, and how small it may be printed."
            ),
            lambda: window.band,
        ),
        Stop(
            tr("The artwork itself"),
            tr(
                "On the bench you move the code, its corners, logo and caption with the pointer. "
                "The lenses below show why something does not read. Hold B for the picture without "
                "the code."
            ),
            lambda: window.middle,
        ),
        Stop(
            tr("Out in the world"),
            tr(
                "Simulated cameras look at the piece from afar, at a tilt, in bad light. Four "
                "readers each say whether they read it. Click a frame to learn why one failed."
            ),
            lambda: window.wall,
        ),
        Stop(
            tr("Proposals first"),
            tr(
                "On the rung Blend the program offers finished pieces: the quietest, "
                "the woven, the "
                "boldest. Take one, go on by hand, and export. Every file is read back from disk."
            ),
            lambda: rung("blend"),
        ),
    ]
