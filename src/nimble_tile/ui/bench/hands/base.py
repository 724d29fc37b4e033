"""What all hands have in common."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QObject, QPointF, Qt
from PySide6.QtGui import QImage, QKeyEvent, QPainter, QTransform

if TYPE_CHECKING:
    from nimble_tile.core.piece import Region
    from nimble_tile.ui.work.engine import Shown

Modifiers = Qt.KeyboardModifier


def arrow_step(event: QKeyEvent, near: float, far: float) -> tuple[float, float] | None:
    """What an arrow key moves by: `near`, or `far` with Shift; None for other keys."""
    step = far if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else near
    return {
        Qt.Key.Key_Left: (-step, 0.0), Qt.Key.Key_Right: (step, 0.0),
        Qt.Key.Key_Up: (0.0, -step), Qt.Key.Key_Down: (0.0, step),
    }.get(event.key())  # fmt: skip


class WorkedOn(Protocol):
    """What a hand sees of the bench.

    Attributes
    ----------
    image : QImage or None
        What is shown.
    shown : Shown or None
    extent : (int, int) or None
        Width and height of the framed picture at the original's resolution.
    place : Region or None
        Where the code lies on it.
    unit : float
        Screen pixels a pixel of the framed picture.
    """

    image: QImage | None
    shown: Shown | None
    extent: tuple[int, int] | None
    place: Region | None
    unit: float

    def to_picture(self, at: QPointF) -> QPointF:
        """From the bench to pixels of the framed picture."""

    def from_picture(self, x: float, y: float) -> QPointF:
        """The reverse of `to_picture`."""

    def module_transform(self) -> QTransform | None:
        """From module coordinates of the symbol to the bench."""

    def update(self) -> None:
        """Paint anew."""


class Hand(QObject):
    """Turns the pointer's moves on the bench into something.

    Points are in the bench's own coordinates; `WorkedOn.to_picture` gives pixels
    of the framed picture.
    """

    anywhere = False
    """Whether it works through every lens."""

    def __init__(self, bench: WorkedOn) -> None:
        super().__init__(bench)
        self.bench = bench

    @property
    def ready(self) -> bool:
        """Whether there is something to work on."""
        return self.bench.extent is not None and self.bench.image is not None

    def cursor(self, at: QPointF) -> Qt.CursorShape | None:
        """Pointer over a point, or None where this hand has no business."""
        return None

    def press(self, at: QPointF, modifiers: Modifiers) -> bool:
        """The left button goes down; whether this hand takes it."""
        return False

    def move(self, at: QPointF, modifiers: Modifiers) -> None:
        """The pointer moves while the button is held."""

    def release(self) -> None:
        """The button goes up."""

    def give_up(self) -> None:
        """Escape while the button is held: as it was before."""

    def key(self, event: QKeyEvent) -> bool:
        """A key; whether this hand takes it."""
        return False

    def paint(self, painter: QPainter) -> None:
        """Draw over the image."""
