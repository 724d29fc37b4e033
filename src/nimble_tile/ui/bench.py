"""The bench: the finished piece, zoomed and panned, with handles for the code's place."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from nimble_tile.core.picture.placing import dragged
from nimble_tile.core.piece import Region
from nimble_tile.ui import theme as themes
from nimble_tile.ui.overlays import (
    CURSORS,
    KNOB,
    corners,
    paint_handles,
    paint_hatch,
    paint_picking,
    paint_words,
    paint_xray,
)

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.ui.engine import Shown

MARGIN = 24
"""Free space round the fitted image."""

INVITATION = 44
"""Room under the image for the invitation to bring a picture."""


class Lens(StrEnum):
    """What the bench shows."""

    FINISHED = "finished"
    PICTURE = "picture"
    CODE = "code"
    XRAY = "x-ray"


class Bench(QWidget):
    """Shows one rendering through a lens.

    Signals
    -------
    placed : Region
        The code is being moved or sized; its new place in picture pixels.
    placing_ended
        The gesture is over.
    picking_ended
        A colour was picked, or picking was called off.
    zoomed : float
        Screen pixels a pixel of the finished image.
    """

    placed = Signal(object)
    placing_ended = Signal()
    picking_ended = Signal()
    zoomed = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Bench")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(320, 240)
        self.theme = themes.LIGHT
        self.lens = Lens.FINISHED
        self.shown: Shown | None = None
        self.stale = False
        self._verdict: Verdict | None = None
        self._extent: tuple[int, int] | None = None  # of the original picture
        self._place: Region | None = None
        self._fits = True
        self._scale = 1.0  # screen pixels a preview pixel
        self._offset = QPointF()  # of the image's corner from the bench's
        self._grab: tuple[str, QPointF, Region | QPointF] | None = None
        self._hover = ""
        self._space = False
        self._picking: Callable[[str], None] | None = None
        self._picked_over = QPointF(-1, -1)

    # What is shown ---------------------------------------------------------

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.theme = theme
        self.update()

    def set_lens(self, lens: Lens) -> None:
        self.lens = lens
        self.update()

    def show_rendering(
        self, shown: Shown, extent: tuple[int, int] | None, place: Region | None
    ) -> None:
        """Show a rendering.

        Parameters
        ----------
        shown : Shown
        extent : (int, int) or None
            Width and height of the original picture.
        place : Region or None
            Where the code lies on it.
        """
        before, invited = self.image, self._invites
        self.shown = shown
        self._verdict = None
        self.stale = False
        self._extent, self._place = extent, place
        after = self.image
        if (
            before is None
            or after is None
            or before.size() != after.size()
            or invited != self._invites
        ):
            if before is not None and after is not None and not self._fits:
                # The same view of an image with more or fewer pixels.
                self._scale *= before.width() / after.width()
            self._refit()
        self.update()

    def show_verdict(self, verdict: Verdict) -> None:
        """Module by module truth for the x-ray."""
        self._verdict = verdict
        self.update()

    def set_stale(self, stale: bool) -> None:
        """What is shown belongs to an older piece."""
        self.stale = stale
        self.update()

    def clear(self) -> None:
        """Nothing to show."""
        self.shown = self._verdict = self._extent = self._place = None
        self._fits = True
        self.update()

    @property
    def image(self) -> QImage | None:
        """The image of the current lens."""
        if self.shown is None:
            return None
        if self.lens is Lens.PICTURE and self.shown.picture is not None:
            return self.shown.picture
        if self.lens is Lens.CODE and self.shown.code is not None:
            return self.shown.code
        return self.shown.finished

    # Zoom and pan ----------------------------------------------------------

    @property
    def scale(self) -> float:
        """Screen pixels a pixel of the preview."""
        return self._scale

    def fit(self) -> None:
        """Show the whole image."""
        self._fits = True
        self._refit()

    def close_up(self) -> None:
        """Fill the bench with the code."""
        image = self.image
        if image is None or self.shown.rendering is None:
            return
        box = self.shown.rendering.box
        room = min(
            (self.width() - 2 * MARGIN) / box.width, (self.height() - 2 * MARGIN) / box.height
        )
        self._scale = min(32.0, room)
        middle = QPointF(box.x + box.width / 2, box.y + box.height / 2) * self._scale
        self._offset = QPointF(self.width(), self.height()) / 2 - middle
        self._fits = False
        self._hold()
        self.zoomed.emit(self._scale)
        self.update()

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        """Zoom by a factor, keeping a point of the bench where it is."""
        image = self.image
        if image is None:
            return
        about = about or QPointF(self.rect().center())
        scale = min(32.0, max(0.05, self._scale * factor))
        at = (about - self._offset) / self._scale
        self._scale, self._offset = scale, about - at * scale
        self._fits = False
        self._hold()
        self.zoomed.emit(self._scale)
        self.update()

    def zoom_to(self, scale: float) -> None:
        """Zoom to so many screen pixels a preview pixel."""
        self.zoom(scale / self._scale)

    def _refit(self) -> None:
        image = self.image
        if image is None:
            return
        if self._fits:
            foot = INVITATION if self._invites else 0
            room = QSizeF(self.width() - 2 * MARGIN, self.height() - 2 * MARGIN - foot)
            self._scale = max(
                0.02, min(room.width() / image.width(), room.height() / image.height())
            )
            size = QPointF(image.width(), image.height()) * self._scale
            self._offset = (QPointF(self.width(), self.height() - foot) - size) / 2
        self._hold()
        self.zoomed.emit(self._scale)
        self.update()

    def _hold(self) -> None:
        """Keep some of the image in sight."""
        image = self.image
        if image is None or self._fits:
            return
        size = QPointF(image.width(), image.height()) * self._scale
        keep = 60.0
        self._offset = QPointF(
            min(self.width() - keep, max(keep - size.x(), self._offset.x())),
            min(self.height() - keep, max(keep - size.y(), self._offset.y())),
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._refit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.2 ** (event.angleDelta().y() / 120), event.position())
        event.accept()

    # Picking a colour --------------------------------------------------------

    def pick_colour(self, take: Callable[[str], None]) -> None:
        """The next click on the image gives its colour to `take`; Escape calls it off."""
        self._picking = take
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocus()
        self.update()

    def colour_at(self, at: QPointF) -> str | None:
        """Colour of the image under a point of the bench."""
        image = self.image
        if image is None:
            return None
        spot = (at - self._offset) / self._scale
        x, y = int(spot.x()), int(spot.y())
        if not (0 <= x < image.width() and 0 <= y < image.height()):
            return None
        return image.pixelColor(x, y).name()

    # Painting --------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.bench))
        image = self.image
        if image is None:
            if self.shown is not None and self.shown.error is not None:
                told = "The code appears here as soon as the message is there."
                paint_words(painter, QRectF(self.rect()), told, self.theme.soft)
            return
        frame = QRectF(self._offset, QSizeF(image.size()) * self._scale)
        shadow = QColor(0, 0, 0, 30)
        for grow in (3, 2, 1):
            painter.fillRect(frame.adjusted(-grow, -grow + 2, grow, grow + 2), shadow)
        smooth = QPainter.RenderHint.SmoothPixmapTransform
        painter.setRenderHint(smooth, self._scale * self.devicePixelRatioF() < 3)
        if image.hasAlphaChannel():
            paint_hatch(painter, frame, self.theme)
        painter.drawImage(frame, image)
        if self.lens is Lens.XRAY:
            looked = self._verdict.sample if self._verdict is not None else None
            paint_xray(painter, frame, self._module_transform(), looked, self.theme)
        if self.stale:
            veil = QColor(self.theme.bench)
            veil.setAlphaF(0.35)
            painter.fillRect(frame, veil)
        if self._picking is not None:
            colour = self.colour_at(self._picked_over)
            paint_picking(painter, self.width(), self._picked_over, colour, self.theme)
        elif self._handles_on:
            paint_handles(painter, self._code_area())
        if self._invites and self._fits:
            line = QRectF(0, frame.bottom() + 8, self.width(), INVITATION)
            told = "Drop a picture here to blend the code into it"
            paint_words(painter, line, told, self.theme.ink, 16)

    @property
    def _invites(self) -> bool:
        """Whether there is no picture yet."""
        return self.shown is not None and self._extent is None

    def _module_transform(self) -> QTransform | None:
        """From module coordinates of the symbol to the bench."""
        if self.shown is None or self.shown.rendering is None:
            return None
        rendering = self.shown.rendering
        box, modules = rendering.box, rendering.modules
        made = QTransform()
        made.translate(self._offset.x(), self._offset.y())
        made.scale(self._scale, self._scale)
        made.translate(box.x, box.y)
        made.scale(box.width / modules, box.height / modules)
        made.translate(rendering.quiet_zone, rendering.quiet_zone)
        return made

    # Placing the code ------------------------------------------------------

    @property
    def _can_place(self) -> bool:
        return (
            self.shown is not None
            and self.shown.rendering is not None
            and self._extent is not None
            and self._place is not None
        )

    @property
    def _handles_on(self) -> bool:
        wanted = self._hover or self._grab is not None or self.hasFocus()
        return bool(wanted) and self._can_place and self.lens is not Lens.XRAY

    def _unit(self) -> float:
        """Screen pixels a pixel of the original picture."""
        return self.image.width() * self._scale / self._extent[0]

    def _code_area(self) -> QRectF | None:
        """The code's outer edge on the bench."""
        if not self._can_place:
            return None
        unit, place = self._unit(), self._place
        return QRectF(
            self._offset.x() + place.x * unit,
            self._offset.y() + place.y * unit,
            place.width * unit,
            place.height * unit,
        )

    def _part_at(self, at: QPointF) -> str:
        """Which handle lies under a point: a corner, ``"code"``, or none."""
        area = self._code_area()
        if area is None or self.lens is Lens.XRAY:
            return ""
        for name, corner in corners(area).items():
            if (corner - at).manhattanLength() < KNOB * 1.4:
                return name
        return "code" if area.contains(at) else ""

    def _moved(self, part: str, start: Region, by: QPointF) -> Region:
        """The region after dragging a part of it by so many picture pixels."""
        return dragged(start, part, (by.x(), by.y()), self._extent)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._picking is not None:
            take, self._picking = self._picking, None
            self.unsetCursor()
            colour = self.colour_at(at)
            if colour is not None and event.button() == Qt.MouseButton.LeftButton:
                take(colour)
            self.picking_ended.emit()
            self.update()
            return
        pans = event.button() == Qt.MouseButton.MiddleButton or self._space
        part = "" if pans else self._part_at(at)
        if event.button() == Qt.MouseButton.LeftButton and part:
            self._grab = (part, at, self._place)
        elif pans or event.button() == Qt.MouseButton.LeftButton:
            self._grab = ("pan", at, QPointF(self._offset))
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._picking is not None:
            self._picked_over = at
            self.update()
            return
        if self._grab is None:
            part = self._part_at(at)
            if part != self._hover:
                self._hover = part
                self.update()
            self.setCursor(CURSORS.get(part, Qt.CursorShape.ArrowCursor))
            return
        part, start, origin = self._grab
        if part == "pan":
            self._fits = False
            self._offset = origin + (at - start)
            self._hold()
            self.update()
            return
        self._put(self._moved(part, origin, (at - start) / self._unit()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grab is not None:
            placing = self._grab[0] != "pan"
            self._grab = None
            if placing:
                self.placing_ended.emit()
            self.mouseMoveEvent(event)
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self._part_at(event.position()):
            self.fit()

    def leaveEvent(self, event) -> None:
        self._hover = ""
        self.update()

    def focusInEvent(self, event) -> None:
        self.update()

    def focusOutEvent(self, event) -> None:
        self._space = False
        self.update()

    def _put(self, region: Region) -> None:
        if region != self._place:
            self._place = region
            self.placed.emit(region)
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        arrows = {
            Qt.Key.Key_Left: (-step, 0),
            Qt.Key.Key_Right: (step, 0),
            Qt.Key.Key_Up: (0, -step),
            Qt.Key.Key_Down: (0, step),
        }
        if event.key() in arrows and self._can_place:
            self._put(self._moved("code", self._place, QPointF(*arrows[event.key()])))
        elif event.key() == Qt.Key.Key_Space:
            self._space = True
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif event.key() == Qt.Key.Key_Escape and self._picking is not None:
            self._picking = None
            self.unsetCursor()
            self.picking_ended.emit()
            self.update()
        elif event.key() == Qt.Key.Key_Escape and self._grab and self._grab[0] != "pan":
            self._put(self._grab[2])
            self._grab = None
            self.placing_ended.emit()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            self._space = False
            self.unsetCursor()
        super().keyReleaseEvent(event)
