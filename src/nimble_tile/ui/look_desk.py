"""Files of looks: shapes from SVG, pictures for fills, looks saved and passed on."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog

from nimble_tile.core.look import Look
from nimble_tile.core.picture.opening import read_file
from nimble_tile.ui.engine import to_qimage
from nimble_tile.ui.jobs import Progress

if TYPE_CHECKING:
    from nimble_tile.core.look import OwnShape
    from nimble_tile.ui.window import Window

_PICTURES = "Pictures (*.png *.jpg *.jpeg *.webp *.tif *.tiff)"
_SHAPES = "SVG drawings (*.svg)"
_LOOKS = "Looks (*.json)"

THUMBNAIL = 176
"""Pixels of a look's card."""

SAMPLE = "https://lanternwalk.example"


class LookDesk(QObject):
    """What comes in and goes out of the code rung."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.session = window.session
        self.pictures = window.pictures
        self.settings = window.settings
        self.folder = window.settings.looks_folder
        self._picture: str | None = None
        rung = window.code
        rung.file_wanted.connect(self.choose_file)
        rung.picture_wanted.connect(self.choose_fill)
        rung.looks_opened.connect(self.refresh)
        rung.apply_wanted.connect(self.apply)
        rung.save_wanted.connect(self.save)
        rung.forget_wanted.connect(self.forget)
        rung.export_wanted.connect(self.choose_export)
        rung.import_wanted.connect(self.choose_import)

    def _ask(self, title: str, what: str, kinds: str) -> Path | None:
        start = self.window.desk.folder(what)
        path, _ = QFileDialog.getOpenFileName(self.window, title, start, kinds)
        if not path:
            return None
        self.settings.set(f"folder of {what}", str(Path(path).parent))
        return Path(path)

    # Pictures and shapes -----------------------------------------------------

    def know_picture(self, digest: str | None) -> None:
        """Colours of the piece's picture go to the colour panel."""
        if digest == self._picture:
            return
        self._picture = digest
        self.window.colour_desk.palette = []
        if digest is None:
            return

        def work(progress: Progress) -> list[str]:
            from nimble_tile.core.picture.palette import palette

            return palette(self.pictures.opened(digest).over("#ffffff"))

        def done(colours: list[str]) -> None:
            if digest == self._picture:
                self.window.colour_desk.palette = colours

        self.window.jobs.start(work, done, lambda _: None)

    def choose_file(self, field: str) -> None:
        """Ask for a shape or a finder picture."""
        if field == "finder_picture":
            path = self._ask("Choose a picture for the finders", "pictures", _PICTURES)
        else:
            path = self._ask("Choose a shape", "shapes", _SHAPES)
        if path is not None:
            self.take_file(field, path)

    def take_file(self, field: str, path: Path) -> None:
        """Use a file as shape of modules, ring or eye, or as the finders' picture."""
        kinds = {"own": "shape", "ring_own": "ring", "eye_own": "eye"}

        if field == "finder_picture":

            def bring(progress: Progress) -> str:
                progress.step(f"Opening {path.name}", 0.3)
                return self.pictures.add(read_file(path), path.name)

            self.window.desk.job(
                bring,
                lambda digest: self.session.edit(
                    "look", "Put a picture on the finders", ring="picture", finder_picture=digest
                ),
            )
            return

        def work(progress: Progress) -> OwnShape:
            from nimble_tile.core.symbol.looks.svgshape import read_shape

            progress.step(f"Reading {path.name}", 0.3)
            return read_shape(path)

        self.window.desk.job(
            work,
            lambda shape: self.session.edit(
                "look", f"Take the shape of {path.name}", **{field: shape, kinds[field]: "own"}
            ),
        )

    def choose_fill(self, field: str) -> None:
        """Ask for a picture that fills modules, finders or ground."""
        path = self._ask("Choose a picture to fill with", "pictures", _PICTURES)
        if path is not None:
            self.take_fill(field, path)

    def take_fill(self, field: str, path: Path) -> None:
        """Fill a part with a picture file."""

        def work(progress: Progress) -> str:
            progress.step(f"Opening {path.name}", 0.3)
            return self.pictures.add(read_file(path), path.name)

        self.window.desk.job(
            work, lambda digest: self.window.code.colours.take_picture(field, digest, path.name)
        )

    # Looks by name -----------------------------------------------------------

    def apply(self, look: Look) -> None:
        """Give the piece a look."""
        piece = self.session.piece
        name = f"Apply the look {look.name}" if look.name else "Back to the plain look"
        self.session.put(piece.model_copy(update={"look": look}), name)

    def refresh(self) -> None:
        """Read the looks anew and draw their cards."""

        def work(progress: Progress):
            from nimble_tile.core.piece import Code, Message, Piece
            from nimble_tile.core.project import looks
            from nimble_tile.core.render import Renderer

            saved = looks.saved(self.folder, self.pictures)
            known = {look.name: look for look in looks.shipped()} | saved
            images = {}
            renderer = Renderer(self.pictures)
            sample = Piece(message=Message(text=SAMPLE), code=Code(quiet_zone=2))
            for name, look in known.items():
                shown = renderer.render(sample.model_copy(update={"look": look}), THUMBNAIL)
                images[name] = to_qimage(shown.image)
            return known, set(saved), images

        def done(result) -> None:
            self.window.code.looks.show_looks(*result)
            self.window.code.looks.show_piece(self.session.piece)

        self.window.jobs.start(work, done, lambda _: None)

    def save(self, name: str) -> None:
        """Keep the piece's look under a name."""
        look = self.session.piece.look

        def work(progress: Progress) -> Look:
            from nimble_tile.core.project import looks

            progress.step(f"Saving the look {name}", 0.3)
            return looks.keep(look, name, self.pictures, self.folder)

        def done(kept: Look) -> None:
            if self.session.piece.look == look:
                self.session.edit("look", f"Name the look {kept.name}", name=kept.name)
            self.window.notice.say(f"Saved the look {kept.name}.", good=True)
            self.refresh()

        self.window.desk.job(work, done)

    def forget(self, name: str) -> None:
        """Delete a saved look; pieces that use it keep theirs."""

        def work(progress: Progress) -> str:
            from nimble_tile.core.project import looks

            looks.forget(name, self.folder)
            return name

        def done(gone: str) -> None:
            self.window.notice.say(f"Deleted the look {gone}. Pieces that use it keep it.")
            self.refresh()

        self.window.desk.job(work, done)

    def choose_export(self) -> None:
        """Ask where the look should go."""
        look = self.session.piece.look
        start = Path(self.window.desk.folder("looks"))
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Export the look", str(start / f"{look.name or 'look'}.json"), _LOOKS
        )
        if path:
            chosen = Path(path)
            if chosen.suffix.lower() != ".json":
                chosen = chosen.with_name(chosen.name + ".json")
            self.export_to(chosen)

    def export_to(self, path: Path) -> None:
        """Write the piece's look as one file."""
        self.settings.set("folder of looks", str(path.parent))
        look = self.session.piece.look
        named = look if look.name else look.model_copy(update={"name": path.stem})

        def work(progress: Progress) -> Path:
            from nimble_tile.core.project import looks

            progress.step(f"Writing {path.name}", 0.3)
            looks.write(named, self.pictures, path)
            return path

        def done(written: Path) -> None:
            self.window.notice.say(f"Exported the look as {written.name}.", good=True)

        self.window.desk.job(work, done)

    def choose_import(self) -> None:
        """Ask for a look file."""
        path = self._ask("Import a look", "looks", _LOOKS)
        if path is not None:
            self.take_look(path)

    def take_look(self, path: Path) -> None:
        """Apply the look of a file."""

        def work(progress: Progress) -> Look:
            from nimble_tile.core.project import looks

            progress.step(f"Reading {path.name}", 0.3)
            return looks.read(path, self.pictures)

        self.window.desk.job(work, self.apply)
