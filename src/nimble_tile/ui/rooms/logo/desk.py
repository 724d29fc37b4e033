"""Joins the logo rung with the bench: logos, the painted plate, searches."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from nimble_tile.core.additions import Layout, Logo
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.ui.bench.hands.laid import ItemPlacing, LaidHand
from nimble_tile.ui.bench.hands.mask_editor import MaskEditor
from nimble_tile.ui.bench.hands.plate import PlateHand
from nimble_tile.ui.rooms.logo.rung import LogoRung
from nimble_tile.ui.work.jobs import Progress

if TYPE_CHECKING:
    from nimble_tile.core.coverage.largest import LogoFound
    from nimble_tile.core.picture.store import Lease
    from nimble_tile.core.picture.strokes import Stroke
    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.work.tools import Sight, Steps, Tools

PAINTED_SIDE = 720
"""Pixels a side of the plate that is painted by hand."""

LOGOS = tr("Logos (*.png *.svg *.jpg *.jpeg *.webp *.tif *.tiff *.pdf)")

DARK_ENOUGH = 0.12
"""Relative luminance at which the code's colour stops being darkened when it is taken from a
logo: 6 : 1 against white."""


class LogoDesk(QObject):
    """Rung 5.

    Attributes
    ----------
    rung : LogoRung
    hand : LaidHand
        Places logos.
    plate : PlateHand
        Paints the plate.
    """

    def __init__(
        self, tools: Tools, bench: Bench, sight: Sight, ladder: Steps, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.tools, self.session, self.pictures = tools, tools.session, tools.pictures
        self.bench, self.sight, self.ladder = bench, sight, ladder
        self.rung = rung = LogoRung(tools.session, tools.colours)
        self.hand, self.plate = LaidHand(bench, "logo"), PlateHand(bench)
        rung.hand = self.plate
        self.placing = ItemPlacing(self.hand, tools.session)
        self.editor = MaskEditor(
            tools.jobs, lambda: ("plate", self.session.piece.logo.paint), self._painted,
            self._put_plate, self._problem, self,
        )  # fmt: skip
        self.plate.painted.connect(self.editor.take)
        self.hand.chosen.connect(rung.choose)
        self.hand.removed.connect(rung.remove_logo)
        rung.wanted.connect(self.choose_logo)
        rung.work.connect(self.work_on)
        rung.picked.connect(self._pick)
        rung.recolour.connect(self.recolour)
        rung.search.connect(self.search)
        rung.paint_cleared.connect(
            lambda: self.session.edit("logo", tr("Remove the painted plate"), paint=None)
        )
        rung.paint_inverted.connect(self.invert_paint)

    # Hands -------------------------------------------------------------------

    def work_on(self, what: str) -> None:
        """Take a hand: ``"logo"``, ``"plate"``, or neither of them."""
        self.hand.index = self.rung.index
        hand = {"logo": self.hand, "plate": self.plate}.get(what)
        self.sight.take_up(hand, (self.hand, self.plate))

    def _pick(self, index: int) -> None:
        self.hand.index = index
        self.bench.update()

    # Bringing logos in ---------------------------------------------------------

    def choose_logo(self) -> None:
        """Ask for a logo's file."""
        path, _ = QFileDialog.getOpenFileName(
            self.parent(), tr("Bring in a logo"), self.tools.settings.folder_of("logos"), LOGOS
        )
        if path:
            self.bring_logo(Path(path))

    def bring_logo(self, path: Path) -> None:
        """Take a file in as a logo; of a PDF with several pages one is asked for."""
        self.tools.settings.set_folder_of("logos", path)

        def work(progress: Progress) -> tuple[bytes, int]:
            from nimble_tile.core.picture.drawings import kind_of, pages
            from nimble_tile.core.picture.opening import read_file

            progress.step(tr("Opening {name}", name=path.name), 0.2)
            data = read_file(path)
            return data, pages(data, path.name) if kind_of(data) == "pdf" else 0

        def done(opened: tuple[bytes, int]) -> None:
            data, count = opened
            page = 0 if count < 2 else self.ask_page(path.name, count)
            if page is not None:
                self._add_logo(data, path.name, page if count else None)

        self._run(work, done)

    def ask_page(self, name: str, count: int) -> int | None:
        """Which page of a PDF, counted from 0; None: called off."""
        number, taken = QInputDialog.getInt(
            self.parent(),
            tr("Page"),
            tr("{name} has {count} pages. Which one?", name=name, count=count),
            1,
            1,
            count,
        )
        return number - 1 if taken else None

    def _add_logo(self, data: bytes, name: str, page: int | None) -> None:
        def work(progress: Progress) -> str:
            from nimble_tile.core.picture.drawings import one_page

            progress.step(tr("Opening {name}", name=name), 0.5)
            own = data if page is None else one_page(data, page, name)
            return progress.pictures.add(own, name, drawings=True)

        self._run(work, lambda digest: self.take_logo(digest, name))

    def take_logo(self, digest: str, name: str) -> None:
        """Put a picture of the store on the code as one more logo."""
        from nimble_tile.core.additions import MOST_LOGOS

        items = self.session.piece.logo.items
        if len(items) >= MOST_LOGOS:
            self.tools.notices.say(
                tr("A piece holds {most_logos} logos at most.", most_logos=MOST_LOGOS)
            )
            return
        about = self.pictures.about(digest)
        if about.notes:
            self.tools.notices.say(f"{name}: {' '.join(about.notes)}")
        opaque = not about.transparent
        new = Logo(digest=digest, name=name)
        if opaque and name.lower().endswith((".jpg", ".jpeg")):
            # A photograph has no outline of its own.
            new = new.model_copy(
                update={"backing": new.backing.model_copy(update={"shape": "rounded"})}
            )
        self.rung.index = len(items)
        self.session.edit(
            "logo", tr("Bring in {name}", name=name or tr("a logo")), items=(*items, new)
        )
        self.rung.choose(len(items))
        self.ladder.open_rung("logo")
        self.rung.open_page("logo")

    def _run(self, work, done) -> None:
        self.tools.jobs.start(work, done, self._problem)

    def _problem(self, error: UserError) -> None:
        self.rung.show_problem(error)
        self.tools.notices.say(str(error))

    # Colours -------------------------------------------------------------------

    def recolour(self, what: str) -> None:
        """The logo takes the code's colour, or the code the logo's."""
        piece, index = self.session.piece, self.rung.index
        if not 0 <= index < len(piece.logo.items):
            return
        logo = piece.logo.items[index]
        if what == "logo":
            fill = piece.look.fill
            colour = fill.colour if fill.kind in ("solid", "stripes", "dots", "weave") else (
                fill.stops[0].colour if fill.kind in ("linear", "radial") else "#000000"
            )  # fmt: skip
            self.session.edit_item(
                "logo", index, tr("Give the logo the code's colour"), tint=colour
            )
            return

        def work(progress: Progress) -> str:
            from nimble_tile.core.logo.pixels import main_colour, prepared
            from nimble_tile.core.scan.contrast import luminance, rgb_of, to_luminance

            opened = progress.pictures.opened(logo.digest)
            own = logo.model_copy(update={"tint": None})
            colour = main_colour(prepared(opened, own)) or "#000000"
            if float(luminance(rgb_of(colour)[None])[0]) > DARK_ENOUGH:
                colour = to_luminance(colour, DARK_ENOUGH)
            return colour

        def done(colour: str) -> None:
            fill = self.session.piece.look.fill
            new = type(fill)(kind="solid", colour=colour, second=fill.second)
            self.session.edit("look", tr("Give the code the logo's colour"), fill=new)

        self._run(work, done)

    # Searches ------------------------------------------------------------------

    def search(self, what: str, spare: float) -> None:
        """Look for the largest size, the best place, or the smallest code."""
        piece, index = self.session.piece, self.rung.index
        if not 0 <= index < len(piece.logo.items):
            return
        piece = piece.model_copy(update={"layout": Layout()})

        def work(progress: Progress) -> LogoFound:
            from nimble_tile.core.coverage import largest
            from nimble_tile.core.render import Renderer

            renderer, bay = Renderer(progress.pictures), self.tools.bay
            if what == "largest":
                progress.step(tr("Looking for the largest logo that holds"), 0.2)
                return largest.largest(renderer, piece, index, spare, bay)
            if what == "place":
                progress.step(tr("Looking for the best place"), 0.2)
                return largest.best_place(renderer, piece, index, spare, bay)
            return largest.smallest_code(renderer, piece, index, spare, bay, progress.step)

        names = {"largest": tr("Take the largest logo that holds"),
                 "place": tr("Take the best place"),
                 "code": tr("Take the smallest code for the logo")}  # fmt: skip

        def done(found: LogoFound) -> None:
            self.rung.cost.show_found(found.told)
            if found.piece is None:
                return
            now = self.session.piece
            if now.model_copy(update={"layout": Layout()}) != piece:
                self.rung.cost.show_found(tr("The piece has changed meanwhile; search again."))
                return
            changed = now.model_copy(update={"logo": found.piece.logo, "code": found.piece.code})
            self.session.put(changed, names[what])

        self._run(work, done)

    # The painted plate ---------------------------------------------------------

    @staticmethod
    def _painted(pictures: Lease, stroke: Stroke, key: object, mask: str | None) -> str:
        from nimble_tile.core.picture.strokes import on_plate

        return pictures.add_mask(on_plate(pictures, mask, stroke, PAINTED_SIDE))

    def _put_plate(self, stroke: Stroke, mask: str) -> None:
        name = tr("Paint the plate") if stroke.adds else tr("Free a part of the plate")
        self.session.edit("logo", name, paint=mask)

    def invert_paint(self) -> None:
        """What is covered, and what is not, change places."""
        digest = self.session.piece.logo.paint
        if digest is not None:
            self._run(
                lambda progress: progress.pictures.add_mask(255 - progress.pictures.mask(digest)),
                lambda mask: self.session.edit("logo", tr("Turn the plate round"), paint=mask),
            )
