"""The desk: what comes in and goes out. Pictures, projects, exports, the clipboard."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QMimeData, QObject, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr, within
from nimble_tile.core.picture.opening import read_file
from nimble_tile.core.project import archive
from nimble_tile.core.project.guarding import Holds, Stamp, stamp_of
from nimble_tile.ui.kit.asking import choose, save_path
from nimble_tile.ui.kit.images import PICTURES, as_png, image_in, paths_in
from nimble_tile.ui.rooms.files.exporting import Exporting
from nimble_tile.ui.rooms.files.handing import Handing
from nimble_tile.ui.rooms.files.safekeeping import Safekeeping
from nimble_tile.ui.work.jobs import Progress
from nimble_tile.ui.work.session import brought, new_piece

if TYPE_CHECKING:
    from collections.abc import Callable

    from nimble_tile.core.piece import Piece, Region
    from nimble_tile.ui.work.tools import Steps, Tools

_PROJECTS = tr("Nimble Tile projects (*{suffix})", suffix=archive.SUFFIX)


class FilesDesk(QObject):
    """Files and clipboard of one window; slow work goes to its jobs.

    Signals
    -------
    began
        Another piece was opened, or a new one begun.
    fresh
        A new piece was begun: its message waits to be typed.
    picture_came : bool
        A picture came into the piece; whether it is its first.
    guessed
        The piece stands there by guess: what is found to hold may take its place.
    message_came
        The message was taken from an image.
    look_came, logo_came : Path
        A file that is dropped or pasted is a look, or a logo.
    logo_pasted : str, str
        An image of the store, by digest, was pasted as a logo; its name.
    exported : Piece, Proof, str
        A piece was written to a file, what the readers found there, and how that compares
        with the piece.
    check_wanted : Path
        An exported file is to be checked.
    """

    began = Signal()
    fresh = Signal()
    picture_came = Signal(bool)
    guessed = Signal()
    message_came = Signal()
    look_came = Signal(object)
    logo_came = Signal(object)
    logo_pasted = Signal(str, str)
    exported = Signal(object, object, str)
    check_wanted = Signal(object)

    def __init__(self, tools: Tools, ladder: Steps, parent: QWidget) -> None:
        super().__init__(parent)
        self.tools, self.ladder = tools, ladder
        self.session, self.pictures = tools.session, tools.pictures
        self.settings, self.jobs = tools.settings, tools.jobs
        self.safekeeping = Safekeeping(tools, self)
        self.safekeeping.began.connect(self.began)
        self.handing = Handing(tools, parent)
        self.exporting = Exporting(tools, parent)
        self.exporting.exported.connect(self.exported)
        self.exporting.check_wanted.connect(self.check_wanted)
        self.holds = Holds(tools.settings.folder / "open")
        self._stamps: dict[Path, Stamp | None] = {}  # projects as they were read or written here
        self._asked = 0  # pieces asked for: of several in quick succession the last one comes
        self.safekeeping.asked.connect(self._ask_next)

    # Pictures --------------------------------------------------------------

    def choose_picture(self) -> None:
        """Ask for a picture file."""
        path, _ = QFileDialog.getOpenFileName(
            self.parent(), tr("Bring in a picture"), self.folder("pictures"), PICTURES
        )
        if path:
            self.bring_picture(Path(path))

    def bring_picture(self, path: Path) -> None:
        """Take a picture file into the piece."""
        self.settings.set_folder_of("pictures", path)

        def get(progress: Progress) -> str:
            progress.step(tr("Opening {name}", name=path.name), 0.1)
            data = read_file(path)
            progress.step(tr("Opening {name}", name=path.name), 0.4)
            return progress.pictures.add(data, path.name)

        self._bring(get, path.name)

    def _bring(self, get: Callable[[Progress], str], name: str) -> None:
        """Take a picture into the piece, once it is there and a place for the code was found."""
        piece = self.session.piece

        def work(progress: Progress) -> tuple[str, Region | None]:
            from nimble_tile.core.render import Renderer
            from nimble_tile.core.tune.first import place_for

            digest = get(progress)
            progress.step(tr("Looking for a place"), 0.7)
            there = piece.model_copy(update={"picture": brought(piece, digest, name)})
            return digest, place_for(there, Renderer(progress.pictures))

        def done(found: tuple[str, Region | None]) -> None:
            first = self.session.piece.picture.digest is None
            guessed = self.session.take_picture(found[0], name, found[1])
            self.picture_came.emit(first)
            if guessed:
                self.guessed.emit()

        self.job(work, done)

    def choose_scan(self) -> None:
        """Ask for an image whose code should become the message."""
        path, _ = QFileDialog.getOpenFileName(
            self.parent(), tr("Take the message from an image"), self.folder("scans"), PICTURES
        )
        if path:
            self.take_message(Path(path))

    def take_message(self, path: Path) -> None:
        """Read the code in an image and make its text the message, form filled in."""
        self.settings.set_folder_of("scans", path)

        def work(progress: Progress) -> str:
            from nimble_tile.core.errors import PictureError
            from nimble_tile.core.picture.opening import open_picture
            from nimble_tile.core.scan.judging import SMALLER_LOOKS, judge

            progress.step(tr("Opening {name}", name=path.name), 0.1)
            opened = open_picture(read_file(path), path.name)
            progress.step(tr("Reading {name}", name=path.name), 0.4)
            verdict = judge(opened.over("#ffffff"), self.tools.bay, smaller=SMALLER_LOOKS)
            if not verdict.found:
                raise PictureError(
                    tr("No reader found a code in {name}.", name=path.name),
                    tr("Try another image."),
                )
            return verdict.found[0].text

        def done(text: str) -> None:
            from nimble_tile.core.message import kinds

            message = kinds.understand(text)
            piece = self.session.piece.model_copy(update={"message": message})
            self.session.put(piece, tr("Take the message from {name}", name=path.name))
            self.message_came.emit()
            what = kinds.SCHEMES.get(message.kind) or tr(
                "a {kind}", kind=within(kinds.TITLES[message.kind])
            )
            self.tools.notices.say(tr("{name} says {what}.", name=path.name, what=what), good=True)

        self.job(work, done)

    def paste_picture(self) -> None:
        """Take the picture that lies on the clipboard."""
        self.take_mime(QGuiApplication.clipboard().mimeData(), tr("There is no picture to paste."))

    def take_mime(self, mime: QMimeData | None, otherwise: str) -> None:
        """Take the first file, or the image, that lies there; `otherwise`: what is said else."""
        for path in paths_in(mime)[:1]:
            if path.suffix.lower() == archive.SUFFIX:
                self.open_project(path)
            elif path.suffix.lower() == ".json":
                self.look_came.emit(path)
            elif self._takes_logo(path):
                self.logo_came.emit(path)
            else:
                self.bring_picture(path)
            return
        image = image_in(mime)
        if image.isNull():
            self.tools.notices.say(otherwise)
            return

        def get(progress: Progress) -> str:
            progress.step(tr("Taking the picture"), 0.3)
            return progress.pictures.add(as_png(image), tr("The pasted picture"))

        if self.ladder.current_rung == "logo":
            self.job(get, lambda digest: self.logo_pasted.emit(digest, tr("Pasted logo")))
        else:
            self._bring(get, tr("Pasted picture"))

    def _takes_logo(self, path: Path) -> bool:
        """Whether a file is meant as a logo: vectors always are, pictures on an open rung 5."""
        if path.suffix.lower() in (".svg", ".pdf"):
            return True
        return self.ladder.current_rung == "logo"

    def copy_image(self) -> None:
        """Put the finished image, at its full size, on the clipboard, as PNG and as SVG."""
        self.handing.copy()

    # Projects --------------------------------------------------------------

    def new_piece(self) -> None:
        """Start over, after asking about unsaved changes."""
        if self.may_leave():
            self._ask_next()
            self.holds.release()
            self.session.start(new_piece(**self.settings.usual), None)
            self.began.emit()
            self.fresh.emit()

    def _ask_next(self) -> int:
        """Another piece is asked for; its number."""
        self._asked += 1
        return self._asked

    def choose_project(self) -> None:
        """Ask for a project file."""
        path, _ = QFileDialog.getOpenFileName(
            self.parent(), tr("Open a project"), self.folder("projects"), _PROJECTS
        )
        if path:
            self.open_project(Path(path))

    def open_demo(self, name: str) -> None:
        """Open a demo piece as a copy that is in no file yet."""
        if not self.may_leave():
            return
        from nimble_tile.demo import PIECE_TITLES, demo_project

        asked = self._ask_next()

        def work(progress: Progress) -> archive.Project:
            progress.step(tr("Opening the demo piece"), 0.3)
            return archive.load_project(demo_project(name))

        def done(project: archive.Project) -> None:
            if asked == self._asked:
                self._begin(project, None, PIECE_TITLES[name])

        self.job(work, done)

    def bring_artwork(self, name: str) -> None:
        """Take one of the pictures that ship into the piece."""
        from nimble_tile.demo import ARTWORKS, artwork

        title = ARTWORKS[name][1]

        def get(progress: Progress) -> str:
            progress.step(tr("Opening {title}", title=title), 0.3)
            return progress.pictures.add(artwork(name), title)

        self._bring(get, title)

    def _begin(self, project: archive.Project, path: Path | None, title: str = "") -> None:
        """Show a project that was opened."""
        self.began.emit()
        self.holds.release()
        if project.otherwise:
            self.tools.notices.say(
                tr(
                    "The drafts were judged by other versions of readers ({otherwise}); take one "
                    "to have it judged anew.",
                    otherwise=project.otherwise,
                )
            )
        self.session.start(
            project.piece, path, drafts=project.drafts, title=title, pictures=project.pictures
        )

    def open_project(self, path: Path, copy: bool = False) -> None:
        """Open a project file.

        Parameters
        ----------
        path : Path
        copy : bool
            Open it as a copy that has a name and no file, so that saving asks where.
        """
        if not self.may_leave():
            return
        left = self.session.piece, self.session.drafts
        path = Path(path)
        stamp = stamp_of(path)
        if not copy and self.holds.holder(path) is not None and not self.ask_open_twice(path):
            return
        asked = self._ask_next()

        def work(progress: Progress) -> archive.Project:
            progress.step(tr("Opening {name}", name=path.name), 0.3)
            return archive.load_project(path)

        def done(project: archive.Project) -> None:
            if asked != self._asked:  # another one was asked for meanwhile
                return
            # Work went on while the file was being read: it is asked about too.
            if (self.session.piece, self.session.drafts) != left and not self.may_leave():
                return
            self._begin(project, None if copy else path, path.stem if copy else "")
            if not copy:
                self._stamps[path] = stamp
                self.holds.hold(path)
                self.settings.remember_project(path)
                self.settings.set_folder_of("projects", path)

        def failed(error: UserError) -> None:
            if not path.exists():
                self.settings.forget_project(path)
            self.tools.notices.say(str(error))

        self.jobs.start(work, done, failed)

    def save(self) -> None:
        """Save under the known name, or ask for one."""
        if self.session.path is None:
            self.save_as()
        else:
            self.save_to(self.session.path)

    def save_as(self) -> None:
        """Ask for a name and save."""
        path = self._ask_name()
        if path is not None:
            self.save_to(path)

    def _ask_name(self) -> Path | None:
        start = Path(self.folder("projects")) / f"{self.session.name}{archive.SUFFIX}"
        return save_path(self.parent(), tr("Save the project"), start, _PROJECTS, (archive.SUFFIX,))

    def save_to(self, path: Path) -> None:
        """Save the piece as it is now."""
        piece, drafts = self.session.piece, self.session.drafts
        if not self._may_write(path):
            return

        def work(progress: Progress) -> Path:
            progress.step(tr("Saving {name}", name=path.name), 0.3)
            archive.save(piece, progress.pictures, path, drafts)
            return path

        def done(saved: Path) -> None:
            self._saved(saved, piece, drafts)

        self.jobs.start(work, done, self._not_saved)

    def _saved(self, path: Path, piece: Piece, drafts: tuple) -> None:
        self._stamps[path] = stamp_of(path)
        self.holds.hold(path)
        self.session.mark_saved(path, piece, drafts)
        self.safekeeping.keep_copy()
        self.settings.remember_project(path)
        self.settings.set_folder_of("projects", path)

    def _not_saved(self, error: UserError) -> None:
        """Saving failed: the work is here, and may go elsewhere."""
        self.tools.notices.say(str(error), choices=((tr("Save elsewhere…"), self.save_as),))

    def _may_write(self, path: Path) -> bool:
        """Whether a project file may be replaced: asked about where others have changed it."""
        if path != self.session.path or path not in self._stamps:
            return True
        now = stamp_of(path)
        if now is None or now == self._stamps[path]:
            return True
        answer = self.ask_changed(path)
        if answer == "elsewhere":
            self.save_as()
        return answer == "replace"

    def ask_changed(self, path: Path) -> str:
        """``"replace"``, ``"elsewhere"`` or ``"stay"``."""
        return choose(
            self.parent(),
            tr("Changed by somebody else"),
            tr(
                "{name} was changed by another program or person since it was opened here.",
                name=path.name,
            ),
            tr("Replacing it takes their changes away."),
            (
                (tr("Replace it"), "replace"),
                (tr("Save elsewhere…"), "elsewhere"),
                (tr("Stay here"), "stay"),
            ),
        )

    def ask_open_twice(self, path: Path) -> bool:
        """Whether a project that is open in another window is opened all the same."""
        return choose(
            self.parent(),
            tr("Open in another window"),
            tr("{name} is open in another window of this program.", name=path.name),
            tr("What is saved there and here takes the other's changes away; you will be asked."),
            ((tr("Open it all the same"), "open"), (tr("Stay here"), "stay")),
        ) == "open"  # fmt: skip

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
        return choose(
            self.parent(),
            tr("Unsaved changes"),
            tr("“{name}” has changes that are not saved.", name=self.session.name),
            tr("Without saving they are lost."),
            ((tr("Save"), "save"), (tr("Leave them"), "drop"), (tr("Stay here"), "stay")),
            usual="save",
            loses="drop",
        )

    def _save_now(self) -> bool:
        """Save before going on; the piece must be safe before anything replaces it."""
        path = self.session.path
        if path is None:
            path = self._ask_name()
        if path is None:
            return False
        if not self._may_write(path):
            return False
        piece, drafts = self.session.piece, self.session.drafts
        try:
            archive.save(piece, self.pictures, path, drafts)
        except UserError as error:
            self._not_saved(error)
            return False
        self._saved(path, piece, drafts)
        return True

    def fill_recent(self, menu: QMenu) -> None:
        """List the projects opened last."""
        menu.clear()
        for path in self.settings.recent:
            action = menu.addAction(path.stem)
            action.setToolTip(str(path))
            action.triggered.connect(lambda _=False, p=path: self.open_project(p))
        if menu.isEmpty():
            menu.addAction(tr("No projects yet")).setEnabled(False)
        else:
            menu.addSeparator()
            menu.addAction(tr("Empty this list")).triggered.connect(
                self.settings.forget_all_projects
            )
        menu.setToolTipsVisible(True)

    # Small things ----------------------------------------------------------

    def job(self, work, done) -> None:
        """Run a job; what goes wrong is said above the bench."""
        self.tools.run(work, done)

    def folder(self, what: str) -> str:
        """Folder used last for a sort of file."""
        return self.settings.folder_of(what)
