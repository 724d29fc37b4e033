"""The desk: what comes in and goes out. Pictures, projects, exports, the clipboard."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QMimeData, QObject
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtWidgets import QFileDialog, QMessageBox

from nimble_tile.core.errors import UserError
from nimble_tile.core.picture.opening import read_file
from nimble_tile.core.piece import Piece
from nimble_tile.core.project import archive
from nimble_tile.ui.engine import to_qimage
from nimble_tile.ui.incoming import as_png, image_in, paths_in
from nimble_tile.ui.jobs import Progress
from nimble_tile.ui.session import new_piece

if TYPE_CHECKING:
    from nimble_tile.core.output.export import Proof
    from nimble_tile.ui.window import Window

_PICTURES = "Pictures (*.png *.jpg *.jpeg *.webp *.tif *.tiff)"
_PROJECTS = f"Nimble Tile projects (*{archive.SUFFIX})"


class Desk(QObject):
    """Files and clipboard of one window; slow work goes to its jobs."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self.session = window.session
        self.pictures = window.pictures
        self.settings = window.settings
        self.jobs = window.jobs

    # Pictures --------------------------------------------------------------

    def choose_picture(self) -> None:
        """Ask for a picture file."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Bring in a picture", self.folder("pictures"), _PICTURES
        )
        if path:
            self.bring_picture(Path(path))

    def bring_picture(self, path: Path) -> None:
        """Take a picture file into the piece."""
        self.settings.set("folder of pictures", str(path.parent))

        def work(progress: Progress) -> str:
            progress.step(f"Opening {path.name}", 0.1)
            data = read_file(path)
            progress.step(f"Opening {path.name}", 0.4)
            return self.pictures.add(data, path.name)

        self.job(work, lambda digest: self._took_picture(digest, path.name))

    def _took_picture(self, digest: str, name: str) -> None:
        first = self.session.piece.picture.digest is None
        self.session.take_picture(digest, name)
        if (
            first
            and self.window.ladder.current in (-1, 0, 1, 2)
            and not self.window.message.text.hasFocus()
        ):
            self.window.ladder.open(3)

    def choose_scan(self) -> None:
        """Ask for an image whose code should become the message."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Take the message from an image", self.folder("scans"), _PICTURES
        )
        if path:
            self.take_message(Path(path))

    def take_message(self, path: Path) -> None:
        """Read the code in an image and make its text the message, form filled in."""
        self.settings.set("folder of scans", str(path.parent))

        def work(progress: Progress) -> str:
            from nimble_tile.core.errors import PictureError
            from nimble_tile.core.picture.opening import open_picture
            from nimble_tile.core.scan.verdict import SMALLER_LOOKS, judge

            progress.step(f"Opening {path.name}", 0.1)
            opened = open_picture(read_file(path), path.name)
            progress.step(f"Reading {path.name}", 0.4)
            verdict = judge(opened.over("#ffffff"), self.window.bay, looks=SMALLER_LOOKS)
            if not verdict.found:
                raise PictureError(f"No reader found a code in {path.name}.", "Try another image.")
            return verdict.found[0].text

        def done(text: str) -> None:
            from nimble_tile.core.message import kinds

            message = kinds.understand(text)
            piece = self.session.piece.model_copy(update={"message": message})
            self.session.put(piece, f"Take the message from {path.name}")
            self.window.ladder.open(0)
            what = kinds.SCHEMES.get(message.kind, f"a {kinds.TITLES[message.kind].lower()}")
            self.window.notice.say(f"{path.name} says {what}.", good=True)

        self.job(work, done)

    def paste_picture(self) -> None:
        """Take the picture that lies on the clipboard."""
        self.take_mime(QGuiApplication.clipboard().mimeData(), "There is no picture to paste.")

    def take_mime(self, mime: QMimeData | None, otherwise: str) -> None:
        """Take the first file, or the image, that lies there; `otherwise`: what is said else."""
        for path in paths_in(mime)[:1]:
            if path.suffix.lower() == archive.SUFFIX:
                self.open_project(path)
            elif path.suffix.lower() == ".json":
                self.window.look_desk.take_look(path)
            elif self._takes_logo(path):
                self.window.laid_desk.bring_logo(path)
            else:
                self.bring_picture(path)
            return
        image = image_in(mime)
        if image.isNull():
            self.window.notice.say(otherwise)
            return

        def work(progress: Progress) -> str:
            progress.step("Taking the picture", 0.3)
            return self.pictures.add(as_png(image), "The pasted picture")

        if self.window.ladder.rungs[self.window.ladder.current] is self.window.logo:
            self.job(work, lambda digest: self.window.laid_desk.take_logo(digest, "Pasted logo"))
        else:
            self.job(work, lambda digest: self._took_picture(digest, "Pasted picture"))

    def _takes_logo(self, path: Path) -> bool:
        """Whether a file is meant as a logo: vectors always are, pictures on an open rung 5."""
        if path.suffix.lower() in (".svg", ".pdf"):
            return True
        ladder = self.window.ladder
        return ladder.current >= 0 and ladder.rungs[ladder.current] is self.window.logo

    def copy_image(self) -> None:
        """Put the finished image, at its full size, on the clipboard; SVG too without a picture."""
        piece = self.session.piece

        def work(progress: Progress) -> tuple[QImage, bytes]:
            from nimble_tile.core.output.vector import svg
            from nimble_tile.core.render import Renderer

            progress.step("Rendering at full size", 0.2)
            made = Renderer(self.pictures).render(piece)
            image = to_qimage(made.image if made.rgba is None else made.rgba)
            return image, b"" if made.blended else svg(made, piece.finish)

        def done(result: tuple[QImage, bytes]) -> None:
            image, drawing = result
            mime = QMimeData()
            mime.setImageData(image)
            if drawing:
                mime.setData("image/svg+xml", drawing)
            QGuiApplication.clipboard().setMimeData(mime)
            self.window.notice.say(f"Copied: {image.width()} × {image.height()} pixels.", good=True)

        self.job(work, done)

    # Projects --------------------------------------------------------------

    def new_piece(self) -> None:
        """Start over, after asking about unsaved changes."""
        if self.may_leave():
            self.session.start(new_piece(), None)
            self.window.bench.clear()
            self.window.ladder.open(0)
            self.window.message.text.selectAll()
            self.window.message.text.setFocus()

    def choose_project(self) -> None:
        """Ask for a project file."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Open a project", self.folder("projects"), _PROJECTS
        )
        if path:
            self.open_project(Path(path))

    def open_demo(self) -> None:
        """Open the demo piece as an untitled copy."""
        if not self.may_leave():
            return

        def work(progress: Progress) -> Piece:
            from nimble_tile.demo import demo_project

            progress.step("Opening the demo piece", 0.3)
            return archive.load(demo_project(), self.pictures)

        self.job(work, lambda piece: self._begin(archive.Project(piece), None))

    def _begin(self, project: archive.Project, path: Path | None) -> None:
        """Show a project that was opened."""
        self.window.bench.clear()
        self.session.start(project.piece, path, drafts=project.drafts)

    def open_project(self, path: Path, copy: bool = False) -> None:
        """Open a project file.

        Parameters
        ----------
        path : Path
        copy : bool
            Open it as an untitled copy, so that saving asks for a name.
        """
        if not self.may_leave():
            return
        left = self.session.piece, self.session.drafts

        def work(progress: Progress) -> archive.Project:
            progress.step(f"Opening {path.name}", 0.3)
            return archive.load_project(path, self.pictures)

        def done(project: archive.Project) -> None:
            # Work went on while the file was being read: it is asked about too.
            if (self.session.piece, self.session.drafts) != left and not self.may_leave():
                return
            self._begin(project, None if copy else path)
            if not copy:
                self.settings.remember_project(path)
                self.settings.set("folder of projects", str(path.parent))

        def failed(error: UserError) -> None:
            if not path.exists():
                self.settings.forget_project(path)
            self.window.notice.say(str(error))

        self.jobs.start(work, done, failed)

    def save(self) -> None:
        """Save under the known name, or ask for one."""
        if self.session.path is None:
            self.save_as()
        else:
            self.save_to(self.session.path)

    def save_as(self) -> None:
        """Ask for a name and save."""
        start = Path(self.folder("projects")) / f"{self.session.name}{archive.SUFFIX}"
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Save the project", str(start), _PROJECTS
        )
        if path:
            chosen = Path(path)
            if chosen.suffix.lower() != archive.SUFFIX:
                chosen = chosen.with_name(chosen.name + archive.SUFFIX)
                if chosen.exists() and not self._may_replace(chosen):
                    return
            self.save_to(chosen)

    def save_to(self, path: Path) -> None:
        """Save the piece as it is now."""
        piece, drafts = self.session.piece, self.session.drafts

        def work(progress: Progress) -> Path:
            progress.step(f"Saving {path.name}", 0.3)
            archive.save(piece, self.pictures, path, drafts)
            return path

        def done(saved: Path) -> None:
            self.session.mark_saved(saved, piece, drafts)
            self.window.safekeeping.keep_copy()
            self.settings.remember_project(saved)
            self.settings.set("folder of projects", str(saved.parent))

        def failed(error: UserError) -> None:
            self.window.notice.say(str(error))

        self.jobs.start(work, done, failed)

    def may_leave(self) -> bool:
        """Ask about unsaved changes; False when the person wants to stay."""
        if not self.session.unsaved:
            return True
        answer = self.ask_unsaved()
        if answer == "save":
            return self._save_now()
        return answer == "drop"

    def ask_unsaved(self) -> str:
        """``"save"``, ``"drop"`` or ``"stay"``."""
        box = QMessageBox(self.window)
        box.setWindowTitle("Unsaved changes")
        box.setText(f"“{self.session.name}” has changes that are not saved.")
        box.setInformativeText("Without saving they are lost.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Leave them", QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton("Stay here", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(save)
        box.setEscapeButton(stay)
        box.exec()
        return {save: "save", drop: "drop"}.get(box.clickedButton(), "stay")

    def _save_now(self) -> bool:
        """Save before going on; the piece must be safe before anything replaces it."""
        path = self.session.path
        if path is None:
            start = Path(self.folder("projects")) / f"{self.session.name}{archive.SUFFIX}"
            chosen, _ = QFileDialog.getSaveFileName(
                self.window, "Save the project", str(start), _PROJECTS
            )
            if not chosen:
                return False
            path = Path(chosen)
            if path.suffix.lower() != archive.SUFFIX:
                path = path.with_name(path.name + archive.SUFFIX)
        piece, drafts = self.session.piece, self.session.drafts
        try:
            archive.save(piece, self.pictures, path, drafts)
        except UserError as error:
            self.window.notice.say(str(error))
            return False
        self.session.mark_saved(path, piece, drafts)
        self.settings.remember_project(path)
        self.window.safekeeping.keep_copy()
        return True

    def _may_replace(self, path: Path) -> bool:
        answer = QMessageBox.question(self.window, "Replace", f"{path.name} exists. Replace it?")
        return answer == QMessageBox.StandardButton.Yes

    def fill_recent(self) -> None:
        menu = self.window.recent_menu
        menu.clear()
        for path in self.settings.recent:
            action = menu.addAction(path.stem)
            action.setToolTip(str(path))
            action.triggered.connect(lambda _=False, p=path: self.open_project(p))
        if menu.isEmpty():
            menu.addAction("No projects yet").setEnabled(False)
        else:
            menu.addSeparator()
            menu.addAction("Empty this list").triggered.connect(self.settings.forget_all_projects)
        menu.setToolTipsVisible(True)

    # Export ----------------------------------------------------------------

    def choose_export(self) -> None:
        """Ask where the finished image should go, then export and check it."""
        from nimble_tile.core.output.export import SUFFIX

        kind = self.session.piece.finish.format
        filters = {
            "png": "PNG (*.png)", "jpeg": "JPEG (*.jpg *.jpeg)", "svg": "SVG (*.svg)",
            "pdf": "PDF (*.pdf)",
        }  # fmt: skip
        start = Path(self.folder("exports")) / f"{self.session.name}{SUFFIX[kind]}"
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Export the finished image", str(start), filters[kind]
        )
        if path:
            chosen = Path(path)
            if chosen.suffix.lower() not in (*SUFFIX.values(), ".jpeg"):
                chosen = chosen.with_name(chosen.name + SUFFIX[kind])
                if chosen.exists() and not self._may_replace(chosen):
                    return
            self.export_to(chosen)

    def export_to(self, path: Path) -> None:
        """Render at full size, write, read back, and show what the readers found."""
        piece = self.session.piece
        self.settings.set("folder of exports", str(path.parent))

        def work(progress: Progress) -> Proof:
            from nimble_tile.core.output.export import export, format_of
            from nimble_tile.core.render import Renderer

            format_of(path)
            progress.step("Rendering at full size", 0.1)
            rendering = Renderer(self.pictures).render(piece)
            progress.step(f"Writing {path.name} and reading it back", 0.5)
            return export(rendering, path, piece.finish, self.window.bay)

        def done(proof: Proof) -> None:
            self.window.ladder.open(self.window.ladder.rungs.index(self.window.finish))
            if piece == self.session.piece:
                self.window.finish.show_proof(proof)
                self.window.ladder.reveal(self.window.finish.proof)
            right, able = proof.verdict.readers_right
            self.window.notice.say(
                f"Exported {path.name}. {proof.verdict.words}: {right} of {able} readers read "
                "the file back from disk.",
                good=proof.verdict.scans,
                choices=(("Check it with trials", lambda: self._check_export(path)),),
            )

        self.job(work, done)

    def _check_export(self, path: Path) -> None:
        checks = self.window.check_desk.open()
        checks.with_trials.setChecked(True)
        checks.check_paths([path])

    # Small things ----------------------------------------------------------

    def job(self, work, done) -> None:
        """Run a job; what goes wrong is said above the bench."""
        self.jobs.start(work, done, lambda error: self.window.notice.say(str(error)))

    def folder(self, what: str) -> str:
        """Folder used last for a sort of file."""
        remembered = self.settings.get(f"folder of {what}")
        if isinstance(remembered, str) and Path(remembered).is_dir():
            return remembered
        return str(Path.home())
