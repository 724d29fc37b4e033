"""The desk for what is laid on the piece: logos, captions, the surround, layouts."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QInputDialog

from nimble_tile.core.additions import Layout, Logo
from nimble_tile.core.errors import UserError
from nimble_tile.core.piece import Piece
from nimble_tile.ui.bench import Lens
from nimble_tile.ui.hands.brush import Stroke
from nimble_tile.ui.hands.laid import Handled, LaidHand
from nimble_tile.ui.hands.layout import LayoutHand
from nimble_tile.ui.hands.plate import PlateHand
from nimble_tile.ui.jobs import Progress

if TYPE_CHECKING:
    from nimble_tile.core.coverage.largest import Found
    from nimble_tile.ui.window import Window

PAINTED_SIDE = 720
"""Pixels a side of the plate that is painted by hand."""

LONGEST_WAIT = 2.0
"""Seconds that a stroke waits for the one before to arrive in the piece."""

LOGOS = "Logos (*.png *.svg *.jpg *.jpeg *.webp *.tif *.tiff *.pdf)"

DARK_ENOUGH = 0.12
"""Relative luminance at which the code's colour stops being darkened when it is taken from a
logo: 6 : 1 against white."""


class LaidDesk(QObject):
    """Joins rungs 5 and 6 with the bench's hands, files and searches."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.session = window.session
        self.pictures = window.pictures
        self.hand = LaidHand(window.bench)
        self.plate = PlateHand(window.bench)
        self.layout = LayoutHand(window.bench)
        self._hands = {"logo": self.hand, "caption": self.hand, "plate": self.plate,
                       "layout": self.layout}  # fmt: skip
        self._before: tuple[str, int, float] | None = None  # size when it was grabbed
        self._taken = threading.Event()
        self._taken.set()
        self.hand.placed.connect(self._placed)
        self.hand.ended.connect(self._ended)
        self.hand.chosen.connect(self._chosen)
        self.hand.removed.connect(self._removed)
        self.plate.painted.connect(self.paint)
        self.layout.placed.connect(
            lambda quad: self.session.edit("layout", "Place the piece", "layout", quad=quad)
        )
        self.layout.ended.connect(self.session.part)

    def connect_parts(self) -> None:
        """Join the parts of the window that have to do with laid things."""
        logo, finish = self.window.logo, self.window.finish
        logo.wanted.connect(self.choose_logo)
        logo.work.connect(self.work_on)
        logo.picked.connect(lambda index: self._pick("logo", index))
        logo.recolour.connect(self.recolour)
        logo.search.connect(self.search)
        logo.paint_cleared.connect(
            lambda: self.session.edit("logo", "Remove the painted plate", paint=None)
        )
        logo.paint_inverted.connect(self.invert_paint)
        finish.work.connect(self.work_on)
        finish.picked.connect(lambda index: self._pick("caption", index))
        finish.layout_open.connect(lambda on: self.window.want("layout", on))
        finish.room_wanted.connect(self.make_room)
        finish.layout_wanted.connect(self.choose_layout)
        finish.shipped_wanted.connect(self.take_shipped)

    # Hands -----------------------------------------------------------------

    def work_on(self, what: str) -> None:
        """Take a hand: ``"logo"``, ``"plate"``, ``"caption"``, ``"layout"``, or none of them."""
        bench = self.window.bench
        hand = self._hands.get(what)
        if hand is None:
            if bench.hand in self._hands.values():
                bench.take_hand(None)
            return
        if what in ("logo", "caption"):
            self.hand.role = what
            self.hand.index = self._index(what)
        if what == "layout":
            self._follow_layout(self.session.piece)
        if bench.hand is not hand:
            bench.take_hand(hand)
            # Only when work begins: the x-ray may well be looked through meanwhile.
            if bench.lens is not Lens.FINISHED:
                self.window.look_through(Lens.FINISHED)
        bench.update()

    def _index(self, role: str) -> int:
        if role == "logo":
            return self.window.logo.index
        return self.window.finish.caption.index

    def _pick(self, role: str, index: int) -> None:
        if self.hand.role == role:
            self.hand.index = index
            self.window.bench.update()

    def _chosen(self, role: str, index: int) -> None:
        """An item was picked on the bench."""
        if role == "logo":
            self.window.logo.choose(index)
        else:
            self.window.finish.caption.choose(index)

    def _removed(self, role: str, index: int) -> None:
        if role == "logo":
            self.window.logo.remove_logo(index)
        else:
            self.window.finish.caption.remove_caption(index)

    def _placed(self, role: str, index: int, at: Handled, ratio: float) -> None:
        items = getattr(self.session.piece, role).items
        if not 0 <= index < len(items):
            return
        if self._before is None:
            self._before = (role, index, items[index].size)
        side = self.hand.bench.shown.rendering.symbol.side
        x, y = (min(3.0, max(-2.0, round(v / side, 4))) for v in (at.x, at.y))
        changes: dict[str, object] = {"x": x, "y": y, "angle": round(at.angle, 1)}
        if ratio != 1.0:
            least, most = (0.02, 2.0) if role == "logo" else (0.02, 0.6)
            changes["size"] = round(min(most, max(least, self._before[2] * ratio)), 4)
        if role == "caption":
            changes["place"] = "free"
        self.session.edit_item(role, index, f"Place the {role}", f"place {role}", **changes)

    def _ended(self) -> None:
        self._before = None
        self.session.part()

    def follow(self, piece: Piece) -> None:
        """The piece has changed."""
        if self.window.bench.hand is self.layout:
            self._follow_layout(piece)

    def _follow_layout(self, piece: Piece) -> None:
        if piece.layout.digest is not None:
            self.layout.extent = self.pictures.about(piece.layout.digest).size
            self.layout.quad = [tuple(point) for point in piece.layout.quad]
        else:
            self.layout.quad = []

    # Logos -----------------------------------------------------------------

    def choose_logo(self) -> None:
        """Ask for a logo's file."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Bring in a logo", self.window.desk.folder("logos"), LOGOS
        )
        if path:
            self.bring_logo(Path(path))

    def bring_logo(self, path: Path) -> None:
        """Take a file in as a logo; of a PDF with several pages one is asked for."""
        self.window.settings.set("folder of logos", str(path.parent))

        def work(progress: Progress) -> tuple[bytes, int]:
            from nimble_tile.core.picture.drawings import kind_of, pages
            from nimble_tile.core.picture.opening import read_file

            progress.step(f"Opening {path.name}", 0.2)
            data = read_file(path)
            return data, pages(data, path.name) if kind_of(data) == "pdf" else 0

        def done(opened: tuple[bytes, int]) -> None:
            data, count = opened
            page = 0 if count < 2 else self.ask_page(path.name, count)
            if page is not None:
                self._add_logo(data, path.name, page if count else None)

        self.window.jobs.start(work, done, self._problem)

    def ask_page(self, name: str, count: int) -> int | None:
        """Which page of a PDF, counted from 0; None: called off."""
        number, taken = QInputDialog.getInt(
            self.window, "Page", f"{name} has {count} pages. Which one?", 1, 1, count
        )
        return number - 1 if taken else None

    def _add_logo(self, data: bytes, name: str, page: int | None) -> None:
        def work(progress: Progress) -> str:
            from nimble_tile.core.picture.drawings import one_page

            progress.step(f"Opening {name}", 0.5)
            own = data if page is None else one_page(data, page, name)
            return self.pictures.add(own, name, drawings=True)

        self.window.jobs.start(work, lambda digest: self.take_logo(digest, name), self._problem)

    def take_logo(self, digest: str, name: str) -> None:
        """Put a picture of the store on the code as one more logo."""
        from nimble_tile.core.additions import MOST_LOGOS

        items = self.session.piece.logo.items
        if len(items) >= MOST_LOGOS:
            self.window.notice.say(f"A piece holds {MOST_LOGOS} logos at most.")
            return
        about = self.pictures.about(digest)
        if about.notes:
            self.window.notice.say(f"{name}: {' '.join(about.notes)}")
        opaque = not about.transparent
        new = Logo(digest=digest, name=name)
        if opaque and name.lower().endswith((".jpg", ".jpeg")):
            # A photograph has no outline of its own.
            new = new.model_copy(
                update={"backing": new.backing.model_copy(update={"shape": "rounded"})}
            )
        self.window.logo.index = len(items)
        self.session.edit("logo", f"Bring in {name or 'a logo'}", items=(*items, new))
        self.window.logo.choose(len(items))
        self.window.ladder.open(self.window.ladder.rungs.index(self.window.logo))
        self.window.logo.open_page("logo")

    def _problem(self, error: UserError) -> None:
        self.window.logo.show_problem(error)
        self.window.notice.say(str(error))

    def recolour(self, what: str) -> None:
        """The logo takes the code's colour, or the code the logo's."""
        piece, index = self.session.piece, self.window.logo.index
        if not 0 <= index < len(piece.logo.items):
            return
        logo = piece.logo.items[index]
        if what == "logo":
            fill = piece.look.fill
            colour = fill.colour if fill.kind in ("solid", "stripes", "dots", "weave") else (
                fill.stops[0].colour if fill.kind in ("linear", "radial") else "#000000"
            )  # fmt: skip
            self.session.edit_item("logo", index, "Give the logo the code's colour", tint=colour)
            return

        def work(progress: Progress) -> str:
            from nimble_tile.core.logo.pixels import main_colour, prepared
            from nimble_tile.core.scan.contrast import luminance, rgb_of, to_luminance

            opened = self.pictures.opened(logo.digest)
            own = logo.model_copy(update={"tint": None})
            colour = main_colour(prepared(opened, own)) or "#000000"
            if float(luminance(rgb_of(colour)[None])[0]) > DARK_ENOUGH:
                colour = to_luminance(colour, DARK_ENOUGH)
            return colour

        def done(colour: str) -> None:
            fill = self.session.piece.look.fill
            new = type(fill)(kind="solid", colour=colour, second=fill.second)
            self.session.edit("look", "Give the code the logo's colour", fill=new)

        self.window.jobs.start(work, done, self._problem)

    # Searches --------------------------------------------------------------

    def search(self, what: str, spare: float) -> None:
        """Look for the largest size, the best place, or the smallest code."""
        piece, index = self.session.piece, self.window.logo.index
        if not 0 <= index < len(piece.logo.items):
            return
        piece = piece.model_copy(update={"layout": Layout()})

        def work(progress: Progress) -> Found:
            from nimble_tile.core.coverage import largest
            from nimble_tile.core.render import Renderer

            renderer, bay = Renderer(self.pictures), self.window.bay
            if what == "largest":
                progress.step("Looking for the largest logo that holds", 0.2)
                return largest.largest(renderer, piece, index, spare, bay)
            if what == "place":
                progress.step("Looking for the best place", 0.2)
                return largest.best_place(renderer, piece, index, spare, bay)
            return largest.smallest_code(renderer, piece, index, spare, bay, progress.step)

        names = {"largest": "Take the largest logo that holds", "place": "Take the best place",
                 "code": "Take the smallest code for the logo"}  # fmt: skip

        def done(found: Found) -> None:
            self.window.logo.cost.show_found(found.told)
            if found.piece is None:
                return
            now = self.session.piece
            if now.model_copy(update={"layout": Layout()}) != piece:
                self.window.logo.cost.show_found("The piece has changed meanwhile; search again.")
                return
            changed = now.model_copy(update={"logo": found.piece.logo, "code": found.piece.code})
            self.session.put(changed, names[what])

        self.window.jobs.start(work, done, self._problem)

    # The painted plate -----------------------------------------------------

    def paint(self, stroke: Stroke) -> None:
        """Put a finished stroke into the painted plate, away from the window's thread."""
        before, taken = self._taken, threading.Event()
        self._taken = taken

        def work(progress: Progress) -> str:
            import numpy as np

            from nimble_tile.core.picture import masks

            before.wait(LONGEST_WAIT)
            known = self.session.piece.logo.paint
            mask = (
                np.zeros((PAINTED_SIDE, PAINTED_SIDE), np.uint8)
                if known is None else self.pictures.mask(known)
            )  # fmt: skip
            at = [(x * PAINTED_SIDE, y * PAINTED_SIDE) for x, y in stroke.points]
            radius = stroke.size * PAINTED_SIDE / 2
            value = 255 if stroke.adds else 0
            return self.pictures.add_mask(masks.painted(mask, at, radius, stroke.softness, value))

        def done(mask: str) -> None:
            name = "Paint the plate" if stroke.adds else "Free a part of the plate"
            self.session.edit("logo", name, paint=mask)
            taken.set()

        def failed(error: UserError) -> None:
            taken.set()
            self._problem(error)

        self.window.jobs.start(work, done, failed)

    def invert_paint(self) -> None:
        """What is covered, and what is not, change places."""
        digest = self.session.piece.logo.paint
        if digest is None:
            return
        self.window.jobs.start(
            lambda progress: self.pictures.add_mask(255 - self.pictures.mask(digest)),
            lambda mask: self.session.edit("logo", "Turn the plate round", paint=mask),
            self._problem,
        )

    # Frame and layout ------------------------------------------------------

    def make_room(self) -> None:
        """Make the code smaller until frame and captions fit on the picture."""
        piece = self.session.piece

        def work(progress: Progress) -> Piece:
            from nimble_tile.core.coverage.room import with_room
            from nimble_tile.core.render import Renderer

            progress.step("Making room", 0.3)
            return with_room(Renderer(self.pictures), piece)

        def done(made: Piece) -> None:
            if self.session.piece == piece:
                self.session.put(made, "Make room for the frame")

        self.window.jobs.start(work, done, self._problem)

    def choose_layout(self) -> None:
        """Ask for a picture as the layout."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Choose a layout", self.window.desk.folder("layouts"),
            "Pictures (*.png *.jpg *.jpeg *.webp *.tif *.tiff)",
        )  # fmt: skip
        if path:
            self.bring_layout(Path(path))

    def bring_layout(self, path: Path) -> None:
        """Take a picture as the layout; the place stays where the old one's was, if it fits."""
        self.window.settings.set("folder of layouts", str(path.parent))

        def work(progress: Progress) -> Layout:
            from nimble_tile.core.arrange import first_place
            from nimble_tile.core.picture.opening import read_file

            progress.step(f"Opening {path.name}", 0.3)
            digest = self.pictures.add(read_file(path), path.name)
            size = self.pictures.about(digest).size
            old = self.session.piece.layout
            quad = first_place(size)
            if old.digest is not None and self.pictures.about(old.digest).size == size:
                quad = old.quad
            return Layout(digest=digest, name=path.name, quad=quad, fit=old.fit)

        self.window.jobs.start(work, self._take_layout, self._problem)

    def take_shipped(self, name: str) -> None:
        """Take a layout that ships with the program."""

        def work(progress: Progress) -> Layout:
            from nimble_tile.core.arrange import shipped

            progress.step("Opening the layout", 0.3)
            return shipped(name, self.pictures)

        self.window.jobs.start(work, self._take_layout, self._problem)

    def _take_layout(self, layout: Layout) -> None:
        piece = self.session.piece.model_copy(update={"layout": layout})
        self.session.put(piece, f"Arrange the piece in {layout.name}")
