"""The worker that renders and judges the newest piece."""

from __future__ import annotations

import importlib
import threading
import time
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from nimble_tile import log
from nimble_tile.core.additions import Layout
from nimble_tile.core.errors import UserError
from nimble_tile.core.judged import JUDGED, judged_size
from nimble_tile.core.language import tr
from nimble_tile.core.memory import Memory, give_back
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import Piece, Region
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.work import sights
from nimble_tile.ui.work.sights import Wants

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.render import Renderer, Rendering
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Student

TRIM = 25
"""Renderings after which free memory is given back, once nobody waits."""

PATIENCE = 2.0
"""Seconds after which a verdict is given even while edits keep coming."""

HURRY = 0.15
"""Seconds between two edits up to which a hand is taken to drag something."""

HURRIED, LEAST_HURRIED = 0.7, 320
"""Of the preview's pixels a side: what is shown under a hand that drags, and the least."""

REST_SECONDS = 0.05
"""Seconds without an edit after which one is given: the hand has stopped."""


@dataclass(frozen=True, eq=False)
class Shown:
    """What the bench needs of one rendering.

    Attributes
    ----------
    ticket : int
        Number of the edit that it belongs to.
    piece : Piece
    finished, picture, code : QImage
        The lenses' images, all of one size. Without a code `finished` is the
        picture and `code` is None.
    eye : QImage or None
        The finished image as a reader with a local threshold sees it.
    rendering : Rendering or None
    error : UserError or None
        Why there is no code.
    natural : int
        Longer side that suits the piece when none is chosen.
    extent : (int, int) or None
        Width and height of the framed picture at the original's resolution.
    place : Region or None
        Where the code lies on it, as it was used.
    worked_on : QImage or None
        Shown instead of all others while a hand works on the picture.
    overlay : QImage or None
        The mask that a hand works on.
    arranged : bool
        Whether the piece is shown in its layout.
    beyond : str
        What sticks out of the picture, in a sentence.
    pictures : Lease or None
        The right to the piece's pictures while it is judged and proved.
    """

    ticket: int
    piece: Piece
    finished: QImage | None
    picture: QImage | None
    code: QImage | None
    rendering: Rendering | None
    error: UserError | None = None
    natural: int = 0
    extent: tuple[int, int] | None = None
    place: Region | None = None
    worked_on: QImage | None = None
    overlay: QImage | None = None
    arranged: bool = False
    beyond: str = ""
    eye: QImage | None = None
    pictures: Lease | None = None


def beyond(rendering: Rendering) -> str:
    """What of a frame or of captions does not fit on the picture, in a sentence."""
    laid = rendering.laid
    if laid is None or not rendering.blended or rendering.arranged:
        return ""
    import numpy as np

    from nimble_tile.core.picture.warping import mapped

    width, height = rendering.size
    for item in laid.over:
        if item.role not in ("paper", "line", "caption"):
            continue
        left, top, right, bottom = item.bounds
        corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
        x, y = mapped(rendering.matrix, corners).T
        if min(x.min(), y.min()) < -1 or x.max() > width + 1 or y.max() > height + 1:
            return (
                tr("The caption reaches beyond the picture and is cut off there.")
                if item.role == "caption"
                else tr("The frame reaches beyond the picture and is cut off there.")
            )
    return ""


class Engine(QObject):
    """Renders whatever piece came last, and judges it in a second thread.

    A newer piece makes older results stale; they are dropped. The picture under a hand that
    drags does not wait for readers.
    """

    shown = Signal(object)  # Shown
    judged = Signal(int, object)  # ticket, Verdict
    studied = Signal(int, object)  # ticket, Study
    advised = Signal(int, object)  # ticket, Places
    pictured = Signal(int, str, object)  # ticket, method, QImage
    broke = Signal(int, str)  # ticket, what went wrong inside

    def __init__(self, pictures: Lease, bay: ReaderBay, parent: QObject | None = None):
        super().__init__(parent)
        self._bay = bay
        self._pictures = pictures
        self._renderer: Renderer | None = None
        self._with_picture = False  # the piece that was shown last
        self._wake = threading.Condition()
        self._next: tuple[int, Piece, Lease] | None = None
        self._ticket = 0
        self._stopping = False
        self._pictured: object = None
        self._images = Memory()
        self.wants = Wants()
        self._fresh: Shown | None = None  # shown and not judged yet
        self._since: float | None = None  # the first such since the last verdict
        self._count, self._fonts_known = 0, False
        self.soon: tuple[str, ...] = ()  # modules to bring in once the first piece is known
        self._submitted = self._well = float("-inf")  # the newest piece, and one not in a hurry
        self._dragged = False
        self._threads = [
            threading.Thread(target=self._run, name="engine", daemon=True),
            threading.Thread(target=self._follow, name="judge", daemon=True),
        ]

    def start(self) -> None:
        """Begin to work; may be called again."""
        if not self._stopping:
            for thread in self._threads:
                if not thread.is_alive():
                    thread.start()

    @property
    def ticket(self) -> int:
        """Number of the newest piece."""
        return self._ticket

    def submit(self, piece: Piece) -> int:
        """Take a piece; returns the ticket that its results will carry."""
        with self._wake:
            now = time.monotonic()
            # A hand drags; now and then it is shown and judged as well as at rest.
            self._dragged = now - self._submitted < HURRY and now - self._well < PATIENCE
            self._submitted = now
            if not self._dragged:
                self._well = now
            self._ticket += 1
            self._next = (self._ticket, piece, self._pictures.lease(piece.digests))
            self._wake.notify_all()
            return self._ticket

    def stop(self) -> None:
        with self._wake:
            self._stopping = True
            self._wake.notify_all()
        for thread in self._threads:
            if thread.is_alive():
                thread.join(10)

    def _run(self) -> None:
        """Render whatever came last."""
        # Here and not at the top: the window opens while these load.
        from nimble_tile.core.render import Renderer

        with self._wake:
            self._renderer = Renderer(self._pictures)
            self._wake.notify_all()
        hurried: tuple[int, Piece, Lease] | None = None
        while True:
            with self._wake:
                # What was shown in a hurry is shown once more, well, when the hand rests.
                if self._next is None and hurried is not None:
                    self._wake.wait(HURRY)
                while self._next is None and hurried is None and not self._stopping:
                    self._wake.wait()
                if self._stopping:
                    return
                new = self._next is not None
                # What was hurried is shown again once, whatever comes of that.
                taken, self._next, hurried = self._next or hurried, None, None
                hurry = new and self._dragged
            ticket, piece, pictures = taken
            try:
                if not self.wants.layout and piece.layout.digest is not None:
                    # While the piece itself is worked on, it is shown by itself.
                    piece = piece.model_copy(update={"layout": Layout()})
                shown = replace(self._show(ticket, piece, hurry), pictures=pictures)
                self.shown.emit(shown)
                if hurry:
                    hurried = taken
                    continue
                with self._wake:
                    self._fresh = shown
                    self._since = self._since or time.monotonic()
                    self._wake.notify_all()
            except BaseException as error:  # a fault of ours must not end the worker
                self._fault(ticket, error)

    def _follow(self) -> None:
        """Judge and study what was shown last, once the hand rests or has gone on for a while."""
        with self._wake:
            while self._renderer is None and not self._stopping:
                self._wake.wait()
        # Not before: of two threads that load modules which need one another, one may be handed
        # a half-loaded module.
        from nimble_tile.core.study import Student

        self._bay.warm()
        student = Student(self._renderer)
        while (shown := self._rested()) is not None:
            try:
                self._look_into(shown, student)
            except BaseException as error:  # a fault of ours must not end the worker
                self._fault(shown.ticket, error)

    def _rested(self) -> Shown | None:
        """What is to be judged next; None at the end."""
        with self._wake:
            while not self._stopping:
                if self._fresh is None:
                    self._wake.wait()
                    continue
                newest = self._fresh.ticket == self._ticket
                patient = time.monotonic() - self._since < PATIENCE
                told = self._wake.wait(REST_SECONDS) if patient else False
                if not patient or (not told and newest and self._fresh.ticket == self._ticket):
                    shown, self._fresh, self._since = self._fresh, None, None
                    return shown
        return None

    def _look_into(self, shown: Shown, student: Student) -> None:
        """Verdict, study, and whatever else is looked at, of one rendering."""
        from nimble_tile.core.scan.judging import judge_rendering
        from nimble_tile.core.scan.remedies import remedied

        ticket, piece, rendering = shown.ticket, shown.piece, shown.rendering

        def late() -> bool:
            return self._ticket != ticket

        if rendering is None:
            self.studied.emit(ticket, student.study(piece))
            return
        if self.wants.places and rendering.blended and not late():
            made = sights.places(self._renderer, piece, rendering.picture)
            self.advised.emit(ticket, made)
        verdict: Verdict = judge_rendering(rendering, self._bay)
        if not late():
            verdict = remedied(verdict, piece, self._renderer, rendering, self._bay, late)
        self.judged.emit(ticket, verdict)
        if not late():
            self.studied.emit(ticket, student.study(piece, rendering, self._bay, late, verdict))
        if self.wants.methods and rendering.blended:
            self._picture_methods(ticket, piece, rendering)
        self._count += 1
        if self._count % TRIM == 0 and not late():
            give_back()
        if not self._fonts_known and not late():
            # Asking for all fonts takes a while: done before anybody opens their list.
            from nimble_tile.core.caption.fonts import families

            families()
            self._fonts_known = True
            for module in self.soon:
                if late():
                    break
                importlib.import_module(module)

    def _fault(self, ticket: int, error: BaseException) -> None:
        log.fault("The piece could not be worked out.", error)
        if not self._stopping:
            self.broke.emit(ticket, f"{type(error).__name__}: {error}")

    def _picture_methods(self, ticket: int, piece: Piece, rendering: Rendering) -> None:
        """Small pictures of all methods, until a newer piece comes."""
        key = (piece.blend.model_copy(update={"method": "tone"}), piece.picture, piece.message,
               piece.code, piece.look)  # fmt: skip
        if key == self._pictured:
            return
        found = sights.thumbnails(
            self._renderer, piece, rendering, to_qimage, lambda: self._ticket != ticket
        )
        for method, image in found:
            self.pictured.emit(ticket, method, image)
        if self._ticket == ticket:
            self._pictured = key

    def _show(self, ticket: int, piece: Piece, hurry: bool = False) -> Shown:
        from nimble_tile.core.scan.sampling import readers_eye

        there = piece.picture.digest is not None
        work = self.wants.work if there else ""
        if self._with_picture and not there:
            self._renderer.forget()
        self._with_picture = there
        try:
            size = judged_size(piece, self._renderer)
            natural = self._renderer.natural_size(piece)
            if hurry:
                size = max(LEAST_HURRIED, round(size * HURRIED))
            rendering = self._renderer.render(piece, size, hurry or self.wants.moving)
        except UserError as error:
            picture = self._picture_alone(piece)
            extent = self._extent(piece) if picture is not None else None
            return Shown(ticket, piece, picture, picture, None, None, error, extent=extent)
        finished = to_qimage(rendering.image if rendering.rgba is None else rendering.rgba)
        extent, shown_instead, over = self._renderer.picture_size(piece), None, None
        if work:
            bare = sights.worked_on(self._renderer, piece, work)
            if bare is not None:
                extent = self._renderer.picture_size(bare)
                shown_instead = to_qimage(self._renderer.canvas(bare, size))
            image = shown_instead or finished
            over = sights.overlay(self._renderer, piece, work, (image.width(), image.height()))
        return Shown(
            ticket,
            piece,
            finished,
            self._unchanged(rendering.picture) if rendering.blended else None,
            to_qimage(rendering.code_alone()) if self.wants.code else None,
            rendering,
            natural=natural,
            extent=extent,
            place=rendering.place,
            worked_on=shown_instead,
            overlay=over,
            arranged=rendering.arranged,
            beyond=beyond(rendering),
            eye=to_qimage(readers_eye(rendering)) if self.wants.eye else None,
        )

    def _unchanged(self, picture: np.ndarray) -> QImage:
        """The picture before blending, which stays the same while a blend is being tuned."""
        return self._images.recall("picture", id(picture), lambda: (picture, to_qimage(picture)))[1]

    def _extent(self, piece: Piece) -> tuple[int, int] | None:
        try:
            return self._renderer.picture_size(piece)
        except UserError:
            return None

    def _picture_alone(self, piece: Piece) -> QImage | None:
        try:
            canvas = self._renderer.canvas(piece, JUDGED)
        except UserError:
            return None
        return None if canvas is None else to_qimage(canvas)
