"""Joins the code rung with files: shapes from SVG, pictures for fills, looks by name."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.look import Look
from nimble_tile.core.picture.opening import read_file
from nimble_tile.ui.kit.asking import save_path
from nimble_tile.ui.kit.images import PICTURES, to_qimage
from nimble_tile.ui.rooms.code.rung import CodeRung
from nimble_tile.ui.work.jobs import Progress
from nimble_tile.ui.work.session import SAMPLE_MESSAGE

if TYPE_CHECKING:
    from nimble_tile.core.look import OwnShape
    from nimble_tile.ui.work.tools import Tools

_SHAPES = tr("SVG drawings (*.svg)")
_LOOKS = tr("Looks (*.json)")

THUMBNAIL = 176
"""Pixels of a look's card."""


class CodeDesk(QObject):
    """Rung 2.

    Attributes
    ----------
    rung : CodeRung
    """

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self.tools, self.session = tools, tools.session
        self.pictures, self.settings = tools.pictures, tools.settings
        self.folder = tools.settings.looks_folder
        self.rung = rung = CodeRung(tools.session, tools.colours)
        rung.file_wanted.connect(self.choose_file)
        rung.picture_wanted.connect(self.choose_fill)
        rung.looks_opened.connect(self.refresh)
        rung.apply_wanted.connect(self.apply)
        rung.save_wanted.connect(self.save)
        rung.forget_wanted.connect(self.forget)
        rung.export_wanted.connect(self.choose_export)
        rung.import_wanted.connect(self.choose_import)

    def _ask(self, title: str, what: str, kinds: str) -> Path | None:
        start = self.settings.folder_of(what)
        path, _ = QFileDialog.getOpenFileName(self.parent(), title, start, kinds)
        if not path:
            return None
        self.settings.set_folder_of(what, Path(path))
        return Path(path)

    # Pictures and shapes -----------------------------------------------------

    def choose_file(self, field: str) -> None:
        """Ask for a shape or a finder picture."""
        if field == "finder_picture":
            path = self._ask(tr("Choose a picture for the finders"), "pictures", PICTURES)
        else:
            path = self._ask(tr("Choose a shape"), "shapes", _SHAPES)
        if path is not None:
            self.take_file(field, path)

    def take_file(self, field: str, path: Path) -> None:
        """Use a file as shape of modules, ring or eye, or as the finders' picture."""
        if field == "finder_picture":

            def bring(progress: Progress) -> str:
                progress.step(tr("Opening {name}", name=path.name), 0.3)
                return progress.pictures.add(read_file(path), path.name)

            self.tools.run(
                bring,
                lambda digest: self.session.edit(
                    "look",
                    tr("Put a picture on the finders"),
                    ring="picture",
                    finder_picture=digest,
                ),
            )
            return

        take = self.rung.shapes.taker(field)

        def work(progress: Progress) -> OwnShape:
            from nimble_tile.core.symbol.looks.svgshape import read_shape

            progress.step(tr("Reading {name}", name=path.name), 0.3)
            return read_shape(path)

        self.tools.run(work, lambda shape: take(shape, path.name))

    def choose_fill(self, field: str) -> None:
        """Ask for a picture that fills modules, finders or ground."""
        path = self._ask(tr("Choose a picture to fill with"), "pictures", PICTURES)
        if path is not None:
            self.take_fill(field, path)

    def take_fill(self, field: str, path: Path) -> None:
        """Fill a part with a picture file."""

        def work(progress: Progress) -> str:
            progress.step(tr("Opening {name}", name=path.name), 0.3)
            return progress.pictures.add(read_file(path), path.name)

        self.tools.run(
            work, lambda digest: self.rung.colours.take_picture(field, digest, path.name)
        )

    # Looks by name -----------------------------------------------------------

    def apply(self, look: Look) -> None:
        """Give the piece a look."""
        piece = self.session.piece
        name = (
            tr("Apply the look {name}", name=look.name)
            if look.name
            else tr("Back to the plain look")
        )
        self.session.put(piece.model_copy(update={"look": look}), name)

    def refresh(self) -> None:
        """Read the looks anew and draw their cards."""

        def work(progress: Progress):
            from nimble_tile.core.piece import Code, Message, Piece
            from nimble_tile.core.project import looks
            from nimble_tile.core.render import Renderer

            troubles: list[str] = []
            saved = looks.saved(self.folder, progress.pictures, troubles)
            known = {look.name: look for look in looks.shipped()} | saved
            images = {}
            renderer = Renderer(progress.pictures)
            sample = Piece(message=Message(text=SAMPLE_MESSAGE), code=Code(quiet_zone=2))
            for name, look in known.items():
                shown = renderer.render(sample.model_copy(update={"look": look}), THUMBNAIL)
                images[name] = to_qimage(shown.image)
            digests = {digest for look in saved.values() for digest in look.digests}
            return progress.pictures.lease(digests), troubles, known, set(saved), images

        def done(result) -> None:
            self._saved_pictures, troubles, *found = result
            if troubles:
                self.tools.notices.say(" ".join(troubles))
            self.rung.looks.show_looks(*found)
            self.rung.looks.show_piece(self.session.piece)

        self.tools.jobs.start(work, done, lambda _: None)

    def save(self, name: str) -> None:
        """Keep the piece's look under a name."""
        look = self.session.piece.look

        def work(progress: Progress) -> Look:
            from nimble_tile.core.project import looks

            progress.step(tr("Saving the look {name}", name=name), 0.3)
            return looks.keep(look, name, progress.pictures, self.folder)

        def done(kept: Look) -> None:
            if self.session.piece.look == look:
                self.session.edit(
                    "look", tr("Name the look {name}", name=kept.name), name=kept.name
                )
            self.tools.notices.say(tr("Saved the look {name}.", name=kept.name), good=True)
            self.refresh()

        self.tools.run(work, done)

    def forget(self, name: str) -> None:
        """Delete a saved look; pieces that use it keep theirs."""

        def work(progress: Progress) -> str:
            from nimble_tile.core.project import looks

            looks.forget(name, self.folder)
            return name

        def done(gone: str) -> None:
            self.tools.notices.say(
                tr("Deleted the look {gone}. Pieces that use it keep it.", gone=gone)
            )
            self.refresh()

        self.tools.run(work, done)

    def choose_export(self) -> None:
        """Ask where the look should go."""
        look = self.session.piece.look
        start = Path(self.settings.folder_of("looks")) / tr("{name}.json", name=look.name or "look")
        path = save_path(self.parent(), tr("Export the look"), start, _LOOKS, (".json",))
        if path is not None:
            self.export_to(path)

    def export_to(self, path: Path) -> None:
        """Write the piece's look as one file."""
        self.settings.set_folder_of("looks", path)
        look = self.session.piece.look
        named = look if look.name else look.model_copy(update={"name": path.stem})

        def work(progress: Progress) -> Path:
            from nimble_tile.core.project import looks

            progress.step(tr("Writing {name}", name=path.name), 0.3)
            looks.write(named, progress.pictures, path)
            return path

        def done(written: Path) -> None:
            self.tools.notices.say(tr("Exported the look as {name}.", name=written.name), good=True)

        self.tools.run(work, done)

    def choose_import(self) -> None:
        """Ask for a look file."""
        path = self._ask(tr("Import a look"), "looks", _LOOKS)
        if path is not None:
            self.take_look(path)

    def take_look(self, path: Path) -> None:
        """Apply the look of a file."""

        def work(progress: Progress) -> Look:
            from nimble_tile.core.project import looks

            progress.step(tr("Reading {name}", name=path.name), 0.3)
            return looks.read(path, progress.pictures)

        self.tools.run(work, self.apply)
