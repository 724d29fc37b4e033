"""The bench: the finished piece, zoomed and panned, and the hand that works on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPolygonF,
    QTransform,
)

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Region
from nimble_tile.ui.bench.hands import Hand
from nimble_tile.ui.bench.hands.brush import BrushHand
from nimble_tile.ui.bench.hands.placing import PlacingHand
from nimble_tile.ui.bench.lenses import Lens as Lens
from nimble_tile.ui.bench.overlays import (
    blocks_image,
    blocks_legend,
    paint_blocks,
    paint_hatch,
    paint_legend,
    paint_picking,
    paint_places,
    paint_split,
    paint_steering,
    paint_words,
    paint_xray,
    steering_legend,
    xray_legend,
)
from nimble_tile.ui.bench.view import INVITATION, ImageView
from nimble_tile.ui.kit import theme as themes

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.ui.work.engine import Shown
    from nimble_tile.ui.work.sights import Places


class Bench(ImageView):
    """Shows one rendering through a lens.

    `hand` is what the pointer works with: `placing` unless a tool was taken.

    Signals
    -------
    spot_chosen : (float, float)
        A place was clicked in the places lens, in pixels of the framed picture.
    picking_ended
        A colour was picked, or picking was called off.
    """

    spot_chosen = Signal(float, float)
    picking_ended = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Bench"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(320, 240)
        self.theme = themes.LIGHT
        self.lens = Lens.FINISHED
        self.stale = False
        self._verdict: Verdict | None = None
        self._blocks: tuple[tuple, QImage] | None = None
        self.place: Region | None = None
        self.places: Places | None = None
        self.before = False  # the picture is looked at while a key is held
        self.split: float | None = None  # share of the image left of the divider
        self._dividing = False
        self._panned: tuple[QPointF, QPointF] | None = None
        self._held = False  # by the hand
        self._space = False
        self._picking: Callable[[str], None] | None = None
        self._picked_over = QPointF(-1, -1)
        self.placing = PlacingHand(self)
        self.hand: Hand = self.placing

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
            Width and height of the framed picture at the original's resolution.
        place : Region or None
            Where the code lies on it.
        """
        before, invited = self.image, self._invites
        self.shown = shown
        self._verdict = None
        self.stale = False
        self.extent = extent
        if not self.placing.busy:
            self.place = place
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
        self.shown = self._verdict = self.extent = self.place = self.places = None
        self._fits = True
        self.update()

    def show_places(self, places: Places | None) -> None:
        """Where the code would change the picture least, for the places lens."""
        self.places = places
        self.update()

    def take_hand(self, hand: Hand | None) -> None:
        """Work with another hand; None: place the code again."""
        if self._held:
            self.hand.give_up()
            self._held = False
        self.hand = hand or self.placing
        self.unsetCursor()
        self.update()

    def split_at(self, share: float | None) -> None:
        """The picture to the left of a divider, the finished piece to the right; None: no more."""
        self.split = share
        self.update()

    def look_before(self, on: bool) -> None:
        """Show the picture without the code for as long as this is on."""
        if self.before != on:
            self.before = on
            self.update()

    def glance_before(self) -> None:
        """The picture without the code for a second, for those who have no key to hold."""
        self.look_before(True)
        QTimer.singleShot(1000, self, lambda: self.look_before(False))

    @property
    def image(self) -> QImage | None:
        """The image of the current lens."""
        if self.shown is None:
            return None
        if self.shown.worked_on is not None:
            return self.shown.worked_on
        if self._shows_picture and self.shown.picture is not None:
            return self.shown.picture
        if self.lens is Lens.CODE and self.shown.code is not None:
            return self.shown.code
        if self.lens is Lens.EYE and self.shown.eye is not None:
            return self.shown.eye
        return self.shown.finished

    @property
    def _shows_picture(self) -> bool:
        wholly = self.lens in (Lens.PICTURE, Lens.PLACES)
        return wholly or (self.before and self.lens is Lens.FINISHED)

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
                told = tr("The code appears here as soon as the message is there.")
                paint_words(painter, QRectF(self.rect()), told, self.theme.soft)
            return
        frame = self.frame
        shadow = QColor(0, 0, 0, 30)
        for grow in (3, 2, 1):
            painter.fillRect(frame.adjusted(-grow, -grow + 2, grow, grow + 2), shadow)
        smooth = QPainter.RenderHint.SmoothPixmapTransform
        painter.setRenderHint(smooth, self._scale * self.devicePixelRatioF() < 3)
        if image.hasAlphaChannel():
            paint_hatch(painter, frame, self.theme)
        painter.drawImage(frame, image)
        if self._splits:
            paint_split(painter, frame, self.shown.picture, self.split, self.theme)
        if self.shown.overlay is not None and self.shown.overlay.size() == image.size():
            painter.drawImage(frame, self.shown.overlay)
        if self.lens is Lens.XRAY:
            looked = self._verdict.sample if self._verdict is not None else None
            paint_xray(painter, frame, self.module_transform(), looked, self.theme)
        if self.lens is Lens.BLOCKS and self.shown.rendering is not None:
            paint_blocks(painter, frame, self.module_transform(), self._blocks_seen(), self.theme)
        if self.lens is Lens.STEERING and self.shown.rendering is not None:
            steered = self.shown.rendering.steered
            paint_steering(painter, frame, self.module_transform(), steered, self.theme)
        if self.lens is Lens.PLACES and self.places is not None:
            paint_places(painter, frame, self.places, self.from_picture, self.theme)
        if self.stale:
            veil = QColor(self.theme.bench)
            veil.setAlphaF(0.35)
            painter.fillRect(frame, veil)
        if self._picking is not None:
            colour = self.colour_at(self._picked_over)
            paint_picking(painter, self.width(), self._picked_over, colour, self.theme)
        elif self._hand_works:
            self.hand.paint(painter)
        else:
            self._explain(painter)
        if self._invites and self._fits:
            line = QRectF(0, frame.bottom() + 8, self.width(), INVITATION)
            told = tr("Drop a picture here to blend the code into it")
            paint_words(painter, line, told, self.theme.ink, 16)

    def _blocks_seen(self) -> QImage:
        """The picture of the blocks; made once for each verdict."""
        looked = self._verdict.sample if self._verdict is not None else None
        key = (self.shown.rendering.symbol, looked)
        if self._blocks is None or any(
            a is not b for a, b in zip(self._blocks[0], key, strict=True)
        ):
            self._blocks = (key, blocks_image(*key))
        return self._blocks[1]

    def _explain(self, painter: QPainter) -> None:
        """What the marks of a lens mean."""
        rendering = self.shown.rendering
        looked = self._verdict.sample if self._verdict is not None else None
        if self.lens is Lens.XRAY:
            paint_legend(painter, xray_legend(self.theme), self.theme)
        elif self.lens is Lens.STEERING:
            paint_legend(painter, steering_legend(self.theme), self.theme)
        elif self.lens is Lens.BLOCKS and rendering is not None:
            paint_legend(painter, blocks_legend(rendering.symbol, looked, self.theme), self.theme)

    @property
    def _splits(self) -> bool:
        return (
            self.split is not None
            and self.lens is Lens.FINISHED
            and not self.before
            and self.shown is not None
            and self.shown.picture is not None
            and self.shown.worked_on is None
        )

    @property
    def _hand_works(self) -> bool:
        if self.hand.anywhere:
            return True
        if self.shown is not None and self.shown.arranged and self.hand is self.placing:
            return False  # in a layout the piece itself is not placed
        if self.hand is self.placing:
            looks_into = (Lens.XRAY, Lens.PLACES, Lens.BLOCKS, Lens.STEERING, Lens.EYE)
            return self.lens not in looks_into and not self.before
        return self.lens in (Lens.FINISHED, Lens.PICTURE)

    def module_transform(self) -> QTransform | None:
        """From module coordinates of the symbol to the bench."""
        if self.shown is None or self.shown.rendering is None:
            return None
        rendering = self.shown.rendering
        box, modules = rendering.box, rendering.modules
        made = QTransform()
        made.translate(self._offset.x(), self._offset.y())
        made.scale(self._scale, self._scale)
        if rendering.quad is not None:
            unit = QPolygonF([QPointF(x, y) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))])
            quad = QPolygonF([QPointF(x, y) for x, y in rendering.quad])
            bent = QTransform()
            if not QTransform.quadToQuad(unit, quad, bent):
                return None
            inner = QTransform.fromScale(1 / modules, 1 / modules)
            inner.translate(rendering.quiet_zone, rendering.quiet_zone)
            return inner * bent * made
        made.translate(box.x, box.y)
        made.scale(box.width / modules, box.height / modules)
        made.translate(rendering.quiet_zone, rendering.quiet_zone)
        return made

    # The pointer and the keys ----------------------------------------------

    def _divider_at(self, at: QPointF) -> bool:
        if not self._splits:
            return False
        x = self._offset.x() + self.split * self.image.width() * self._scale
        return abs(at.x() - x) < 8

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
        left = event.button() == Qt.MouseButton.LeftButton
        pans = event.button() == Qt.MouseButton.MiddleButton or self._space
        if left and not pans and self._divider_at(at):
            self._dividing = True
        elif left and not pans and self.lens is Lens.PLACES and self.extent is not None:
            self.spot_chosen.emit(*self.to_picture(at).toTuple())
        elif left and not pans and self._hand_works and self.hand.press(at, event.modifiers()):
            self._held = True
        elif pans or left:
            self._panned = (at, QPointF(self._offset))
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._picking is not None:
            self._picked_over = at
            self.update()
            return
        if self._dividing:
            width = self.image.width() * self._scale
            self.split_at(min(0.98, max(0.02, (at.x() - self._offset.x()) / width)))
        elif self._panned is not None:
            start, origin = self._panned
            self._fits = False
            self._offset = origin + (at - start)
            self._hold()
            self.update()
        elif self._held:
            self.hand.move(at, event.modifiers())
        else:
            self._point(at)

    def _point(self, at: QPointF) -> None:
        """The pointer's shape where nothing is held."""
        shape = None
        if self._divider_at(at):
            shape = Qt.CursorShape.SplitHCursor
        elif self.lens is Lens.PLACES and self.places is not None:
            shape = Qt.CursorShape.PointingHandCursor
        elif self._hand_works:
            shape = self.hand.cursor(at)
        self.setCursor(Qt.CursorShape.ArrowCursor if shape is None else shape)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self.hand.release()
        self._panned, self._dividing = None, False
        self._point(event.position())
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.hand is self.placing and not self.placing.part_at(event.position()):
            self.fit()

    def leaveEvent(self, event) -> None:
        self.placing.hover = ""
        if isinstance(self.hand, BrushHand):
            self.hand.left()
        self.update()

    def focusInEvent(self, event) -> None:
        self.update()

    def focusOutEvent(self, event) -> None:
        self._space = False
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._hand_works and self._picking is None and self.hand.key(event):
            return
        if event.key() == Qt.Key.Key_Escape and self._held:
            self._held = False
            self.hand.give_up()
        elif event.key() == Qt.Key.Key_Space:
            self._space = True
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif event.key() == Qt.Key.Key_Escape and self._picking is not None:
            self._picking = None
            self.unsetCursor()
            self.picking_ended.emit()
            self.update()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            self._space = False
            self.unsetCursor()
        super().keyReleaseEvent(event)
