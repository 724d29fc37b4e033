"""The desk for picture work: hands on the bench, masks, crop, best places."""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage

from nimble_tile.core.errors import UserError
from nimble_tile.core.piece import Picture, Piece, Region
from nimble_tile.ui.bench import Lens
from nimble_tile.ui.hands.brush import BrushHand, Stroke
from nimble_tile.ui.hands.crop import CropHand
from nimble_tile.ui.jobs import Progress

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.ui.extras import Places
    from nimble_tile.ui.window import Window

MOST_POINTS = 4000
"""Points of one stroke that are used; a hand makes a few hundred."""

LONGEST_WAIT = 2.0
"""Seconds that a stroke waits for the one before to arrive in the piece."""

NAMES = {
    ("guard", True): "Paint the guard",
    ("guard", False): "Free a part of the guard",
    ("cut_out", True): "Keep a part of the picture",
    ("cut_out", False): "Take a part of the picture away",
}


class PictureDesk(QObject):
    """Joins the pages of the picture and blend rungs with the bench's hands."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.session = window.session
        self.pictures = window.pictures
        self.brush = BrushHand(window.bench)
        self.crop = CropHand(window.bench)
        self._crop_start: Picture | None = None
        self._small: tuple[str, np.ndarray] | None = None  # the original at mask size
        self._taken = threading.Event()
        self._taken.set()
        self.brush.painted.connect(self.paint)
        self.crop.cropped.connect(self._crop)
        self.crop.ended.connect(self._cropped)

    def connect_parts(self) -> None:
        """Join the parts of the window that have to do with pictures."""
        window = self.window
        bench, engine = window.bench, window.engine
        picture, blend, hand = window.picture, window.blend, window.bench.placing
        hand.placed.connect(self._placing)
        hand.ended.connect(self._placed)
        hand.refused.connect(self._refused)
        picture.work.connect(self.work_on)
        picture.looks_at_places.connect(lambda on: window.want("places", on))
        picture.free_corners.connect(self._free_corners)
        picture.snaps.connect(lambda on: setattr(hand, "snaps", on))
        picture.place_chosen.connect(self.place_at)
        picture.lens_wanted.connect(lambda: window.look_through(Lens.PLACES))
        picture.mask_cleared.connect(lambda: self.clear_mask("cut_out"))
        picture.mask_inverted.connect(lambda: self.invert_mask("cut_out"))
        blend.work.connect(self.work_on)
        blend.methods_wanted.connect(lambda on: window.want("methods", on))
        blend.guard_cleared.connect(lambda: self.clear_mask("guard"))
        blend.guard_inverted.connect(lambda: self.invert_mask("guard"))
        bench.spot_chosen.connect(self.place_middle)
        engine.advised.connect(self._advised)
        engine.pictured.connect(self._pictured)

    def _placing(self, region: Region) -> None:
        self.window.engine.wants.moving = self.window.bench.placing.busy
        self.session.edit("picture", "Place the code", "place", region=region)

    def _placed(self) -> None:
        self.session.part()
        if self.window.engine.wants.moving:
            self.window.engine.wants.moving = False
            if self.session.piece.code.steer != "off":
                self.window.refresh()  # what was made in motion is made anew at rest

    def _free_corners(self, on: bool) -> None:
        self.window.bench.placing.free_corners = on
        self.window.picture.place.set_free(on)
        self.window.bench.update()

    def _refused(self, why: str) -> None:
        """A corner was held back; the word stands as long as it is."""
        if why:
            self.window.notice.say(why)
        else:
            self.window.notice.hide()

    def _advised(self, ticket: int, places: Places) -> None:
        if ticket == self.window.engine.ticket:
            self.window.bench.show_places(places)
            self.window.picture.show_places(places)

    def _pictured(self, ticket: int, method: str, image: QImage) -> None:
        if ticket == self.window.engine.ticket:
            self.window.blend.show_method(method, image)

    # Hands -----------------------------------------------------------------

    def work_on(self, what: str) -> None:
        """Take a hand: ``"guard"``, ``"cut_out"``, ``"crop"``, or ``""`` to place the code."""
        window = self.window
        if self.session.piece.picture.digest is None:
            what = ""
        if what == window.engine.wants.work:
            return
        window.engine.wants.work = what
        if what in ("guard", "cut_out"):
            self.brush.target = what
            window.bench.take_hand(self.brush)
        elif what == "crop":
            self.crop.crop = self.session.piece.picture.frame.crop
            window.bench.take_hand(self.crop)
        else:
            window.bench.take_hand(None)
        if what and window.bench.lens not in (Lens.FINISHED, Lens.PICTURE):
            window.look_through(Lens.FINISHED)
        window.refresh()

    def follow(self, piece: Piece) -> None:
        """The piece has changed: by an undo, another picture, another file."""
        if self._crop_start is None:
            self.crop.crop = piece.picture.frame.crop
        if piece.picture.digest is None:
            self.work_on("")

    # Masks -----------------------------------------------------------------

    def paint(self, stroke: Stroke) -> None:
        """Put a finished stroke into its mask, away from the window's thread."""
        piece = self.session.piece
        digest = piece.picture.digest
        if digest is None:
            return

        # Each stroke builds on the one before, which the window must have taken first.
        before, taken = self._taken, threading.Event()
        self._taken = taken

        def work(progress: Progress) -> tuple[str, str]:
            before.wait(LONGEST_WAIT)
            if stroke.tool == "rough":
                progress.step("Finding the subject", 0.2)
            return digest, self.pictures.add_mask(self._painted(stroke))

        def done(result: tuple[str, str]) -> None:
            of, mask = result
            if self.session.piece.picture.digest == of:
                self._set_mask(stroke.target, mask, NAMES[stroke.target, stroke.adds])
            taken.set()

        def failed(error: UserError) -> None:
            taken.set()
            self.window.notice.say(str(error))

        self.window.jobs.start(work, done, failed)

    def _set_mask(self, target: str, mask: str | None, name: str) -> None:
        if target == "guard":
            self.session.edit("picture", name, guard=mask)
        else:
            self.session.prepare("cut_out", name, mask=mask, on=True)

    def mask_of(self, piece: Piece, target: str) -> str | None:
        """Digest of the mask that a hand works on."""
        return piece.picture.guard if target == "guard" else piece.picture.prepare.cut_out.mask

    def _painted(self, stroke: Stroke) -> np.ndarray:
        """The mask after a stroke, as the piece has it when the stroke's turn comes."""
        import cv2
        import numpy as np

        from nimble_tile.core.picture import masks
        from nimble_tile.core.picture.framing import to_frame

        picture = self.session.piece.picture
        size = self.pictures.about(picture.digest).size
        known = self.mask_of(self.session.piece, stroke.target)
        if known is None:
            # The first stroke that takes away starts from everything.
            mask = masks.empty(size, 0 if stroke.adds else 255)
        else:
            mask = self.pictures.mask(known)
        matrix = np.vstack([to_frame(size, picture.frame), [0, 0, 1]])
        scale = np.array([mask.shape[1] / size[0], mask.shape[0] / size[1]])
        points = np.array(stroke.points[:MOST_POINTS], float)
        points = cv2.transform(points[None], np.linalg.inv(matrix)[:2])[0] * scale
        enlarged = float(np.sqrt(abs(np.linalg.det(matrix[:2, :2]))))
        radius = stroke.size / 2 / enlarged * float(scale.mean())
        value = 255 if stroke.adds else 0
        at = [tuple(point) for point in points]
        if stroke.tool == "flood":
            return masks.flooded(
                mask, self._original(picture, mask), at[0], stroke.tolerance, value
            )
        if stroke.tool == "rough":
            rough = masks.painted(np.zeros_like(mask), at, radius, 0.0)
            found = masks.refined(rough, self._original(picture, mask))
            return np.maximum(mask, found) if stroke.adds else np.minimum(mask, 255 - found)
        return masks.painted(mask, at, radius, stroke.softness, value)

    def _original(self, picture: Picture, mask: np.ndarray) -> np.ndarray:
        """The original at the size of its masks."""
        import cv2

        if self._small is None or self._small[0] != picture.digest:
            rgb = self.pictures.opened(picture.digest).rgb
            size = (mask.shape[1], mask.shape[0])
            self._small = (picture.digest, cv2.resize(rgb, size, interpolation=cv2.INTER_AREA))
        return self._small[1]

    def clear_mask(self, target: str) -> None:
        """Forget a mask."""
        told = "Remove the guard" if target == "guard" else "Keep the whole picture"
        self._set_mask(target, None, told)

    def invert_mask(self, target: str) -> None:
        """What is chosen, and what is not, change places."""
        digest = self.mask_of(self.session.piece, target)
        if digest is None:
            return

        def work(progress: Progress) -> str:
            return self.pictures.add_mask(255 - self.pictures.mask(digest))

        self._job(work, lambda mask: self._set_mask(target, mask, "Turn the mask round"))

    # Crop ------------------------------------------------------------------

    def _crop(self, crop: tuple[int, int, int, int]) -> None:
        if self._crop_start is None:
            self._crop_start = self.session.piece.picture
        self.session.reframe("Crop the picture", "crop", start=self._crop_start, crop=crop)

    def _cropped(self) -> None:
        self._crop_start = None
        self.session.part()

    # Best places -----------------------------------------------------------

    def place_at(self, region: Region) -> None:
        """Put the code, with its turn and perspective, where a good place is."""
        old = self._region()
        if old is None:
            return
        self._move_to(region.x + region.width / 2, region.y + region.height / 2, old)

    def place_middle(self, x: float, y: float) -> None:
        """Put the code's middle on a point of the framed picture."""
        old = self._region()
        if old is not None:
            self._move_to(x, y, old)

    def _region(self) -> Region | None:
        return self.window.bench.place

    def _move_to(self, x: float, y: float, old: Region) -> None:
        from nimble_tile.core.picture.gestures import moved
        from nimble_tile.core.picture.placing import corners

        middle = corners(old).mean(0)
        by = (x - float(middle[0]), y - float(middle[1]))
        new, _ = moved(old, by, self.window.bench.extent)
        self.session.edit("picture", "Place the code", region=new)

    def _job(self, work, done) -> None:
        def failed(error: UserError) -> None:
            self.window.notice.say(str(error))

        self.window.jobs.start(work, done, failed)
