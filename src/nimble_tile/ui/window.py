"""The main window: band, ladder, bench, menus, and what joins them."""

from __future__ import annotations

import base64
from pathlib import Path

from PySide6.QtCore import QByteArray, QMimeData, QSize, Qt
from PySide6.QtGui import (
    QAction,
    QActionGroup,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QImage,
    QKeySequence,
    QShortcut,
)
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QPlainTextEdit,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile import __version__
from nimble_tile.core.errors import UserError
from nimble_tile.core.output.raster import SUFFIX, Proof, export, format_of
from nimble_tile.core.picture.opening import read_file
from nimble_tile.core.picture.placing import centred_square
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Piece
from nimble_tile.core.project import archive
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.ui import theme as themes
from nimble_tile.ui.bench import Bench, Lens
from nimble_tile.ui.controls import Segments
from nimble_tile.ui.engine import Engine, Shown, to_qimage
from nimble_tile.ui.jobs import Jobs, Progress
from nimble_tile.ui.ladder import Ladder
from nimble_tile.ui.rungs.blend import BlendRung
from nimble_tile.ui.rungs.code import CodeRung
from nimble_tile.ui.rungs.finish import SMALLEST_PRINT, FinishRung, print_size
from nimble_tile.ui.rungs.message import MessageRung
from nimble_tile.ui.rungs.picture import PictureRung
from nimble_tile.ui.session import Session, new_piece
from nimble_tile.ui.settings import Settings
from nimble_tile.ui.verdict_band import VerdictBand

_LENSES = (
    (Lens.FINISHED, "Finished", "The finished piece"),
    (Lens.PICTURE, "Picture", "The picture without the code"),
    (Lens.CODE, "Code", "The code alone, black on white, in its place"),
    (Lens.XRAY, "X-ray", "Which modules read wrongly (crossed) and which are weak (ringed)"),
)
_PICTURES = "Pictures (*.png *.jpg *.jpeg *.webp *.tif *.tiff)"
_PROJECTS = f"Nimble Tile projects (*{archive.SUFFIX})"


class Window(QMainWindow):
    """The whole program for one piece.

    Parameters
    ----------
    settings : Settings, optional
        Where the window's state is kept; for tests.
    bay : ReaderBay, optional
        The readers; for tests.
    """

    def __init__(self, settings: Settings | None = None, bay: ReaderBay | None = None) -> None:
        super().__init__()
        self.settings = settings or Settings()
        self.pictures = PictureStore()
        self.bay = bay or ReaderBay()
        self.session = Session(self.pictures, self)
        self.engine = Engine(self.pictures, self.bay, self)
        self.jobs = Jobs(self)
        self.verdict: Verdict | None = None
        self._shown: Shown | None = None
        self._closing = False
        self._theme_name = self.settings.get("theme", "desktop")
        self._known_picture: str | None = None
        self._build()
        self._build_menus()
        self._connect()
        self._dress()
        self._restore_place()
        self.ladder.open(0)
        self.engine.start()
        self._show_piece(self.session.piece)
        self.message.text.selectAll()
        self.message.text.setFocus()

    # Building --------------------------------------------------------------

    def _build(self) -> None:
        self.setAcceptDrops(True)
        self.setMinimumSize(900, 560)
        self.band = VerdictBand()
        self.message = MessageRung(self.session)
        self.code = CodeRung(self.session)
        self.picture = PictureRung(self.session)
        self.blend = BlendRung(self.session)
        self.finish = FinishRung(self.session)
        self.ladder = Ladder([self.message, self.code, self.picture, self.blend, self.finish])
        self.bench = Bench()
        self.notice = _Notice()
        self.progress = _ProgressStrip()
        self.foot = _Foot()

        line, upright = QFrame(), QFrame()
        line.setProperty("rule", True)
        upright.setProperty("upright", True)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        for widget in (self.notice, self.bench, self.progress, self.foot):
            right.addWidget(widget, 1 if widget is self.bench else 0)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.ladder)
        middle.addWidget(upright)
        middle.addLayout(right, 1)
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.band)
        layout.addWidget(line)
        layout.addLayout(middle, 1)
        self.setCentralWidget(whole)

    def _build_menus(self) -> None:
        bar = self.menuBar()
        file = bar.addMenu("&File")
        keys = QKeySequence.StandardKey
        self.act_new = self._action(file, "&New piece", self.new_piece, keys.New)
        self.act_open = self._action(file, "&Open project…", self.choose_project, keys.Open)
        self.recent_menu = file.addMenu("Open &recent")
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        file.addSeparator()
        self.act_save = self._action(file, "&Save", self.save, keys.Save)
        self.act_save_as = self._action(file, "Save &as…", self.save_as, keys.SaveAs)
        file.addSeparator()
        self.act_bring = self._action(file, "Bring in a &picture…", self.choose_picture, "Ctrl+I")
        self.act_export = self._action(file, "&Export and check…", self.choose_export, "Ctrl+E")
        file.addSeparator()
        self._action(file, "&Quit", self.close, keys.Quit)

        edit = bar.addMenu("&Edit")
        self.act_undo = self._action(edit, "&Undo", self.session.undo, keys.Undo)
        self.act_redo = self._action(edit, "&Redo", self.session.redo, keys.Redo)
        edit.addSeparator()
        self.act_copy = self._action(
            edit, "&Copy the finished image", self.copy_image, "Ctrl+Shift+C"
        )
        self.act_paste = self._action(edit, "&Paste a picture", self.paste_picture, "Ctrl+Shift+V")

        view = bar.addMenu("&View")
        self.lens_actions: dict[Lens, QAction] = {}
        group = QActionGroup(self)
        for index, (lens, label, _) in enumerate(_LENSES):
            action = self._action(
                view, f"{label} lens", lambda ln=lens: self.look_through(ln), f"Alt+{index + 1}"
            )
            action.setCheckable(True)
            group.addAction(action)
            self.lens_actions[lens] = action
        self.lens_actions[Lens.FINISHED].setChecked(True)
        view.addSeparator()
        self._action(view, "Zoom &in", lambda: self.bench.zoom(1.25), keys.ZoomIn)
        self._action(view, "Zoom &out", lambda: self.bench.zoom(0.8), keys.ZoomOut)
        self._action(view, "&Whole piece", self.bench.fit, "Ctrl+0")
        view.addSeparator()
        themes_menu = view.addMenu("&Theme")
        theme_group = QActionGroup(self)
        for name, label in (
            ("desktop", "As the desktop"), ("light", "Light"), ("dark", "Dark"),
        ):  # fmt: skip
            action = self._action(themes_menu, label, lambda n=name: self.choose_theme(n))
            action.setCheckable(True)
            action.setChecked(name == self._theme_name)
            theme_group.addAction(action)

        about = bar.addMenu("&Help")
        self._action(about, "&About Nimble Tile", self.about)

        for index in range(len(self.ladder.rungs)):
            shortcut = QShortcut(QKeySequence(str(index + 1)), self)
            shortcut.activated.connect(lambda i=index: self.ladder.open(i))
            self._single_keys = [*getattr(self, "_single_keys", []), shortcut]
        QApplication.instance().focusChanged.connect(self._focus_moved)

    def _action(self, menu, text: str, slot, keys=None) -> QAction:
        action = menu.addAction(text)
        if keys is not None:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _=False: slot())
        return action

    def _connect(self) -> None:
        self.session.changed.connect(self._show_piece)
        self.session.titled.connect(self._title)
        self.engine.shown.connect(self._rendered)
        self.engine.judged.connect(self._judged)
        self.engine.broke.connect(self._broke)
        self.jobs.running.connect(self.progress.show_step)
        self.jobs.idle.connect(self.progress.hide)
        self.progress.cancelled.clicked.connect(self.jobs.cancel)
        self.picture.wanted.connect(self.choose_picture)
        self.finish.export_wanted.connect(self.choose_export)
        self.bench.placed.connect(
            lambda region: self.session.edit("picture", "Place the code", "place", region=region)
        )
        self.bench.placing_ended.connect(self.session.part)
        self.bench.zoomed.connect(self._zoomed)
        self.foot.lens.chosen.connect(self.look_through)
        self.foot.fit.clicked.connect(self.bench.fit)
        self.foot.closer.clicked.connect(lambda: self.bench.zoom(1.25))
        self.foot.farther.clicked.connect(lambda: self.bench.zoom(0.8))
        QGuiApplication.styleHints().colorSchemeChanged.connect(lambda _: self._dress())

    # The piece and its results ---------------------------------------------

    def _show_piece(self, piece: Piece) -> None:
        self._know_picture(piece)
        for line, rung in zip(self.ladder.rows, self.ladder.rungs, strict=True):
            rung.show_piece(piece)
            line.set_summary(rung.summary(piece, self._shown))
        self.finish.forget_proof()
        for action, label, name in (
            (self.act_undo, "&Undo", self.session.undo_name),
            (self.act_redo, "&Redo", self.session.redo_name),
        ):
            action.setEnabled(name is not None)
            action.setText(f"{label}: {name[0].lower()}{name[1:]}" if name else label)
        self.band.set_stale(True)
        self.engine.submit(piece)
        self._title()

    def _know_picture(self, piece: Piece) -> None:
        """Tell the picture rung what kind of picture the piece has."""
        digest = piece.picture.digest
        if digest == self._known_picture:
            return
        self._known_picture = digest
        if digest is None:
            self.picture.know_picture(None, (), False)
            return
        opened = self.pictures.opened(digest)
        self.picture.know_picture(opened.size, opened.notes, opened.alpha is not None)

    def _rendered(self, shown: Shown) -> None:
        if shown.ticket != self.engine.ticket and shown.error is not None:
            return
        self._shown = shown
        piece = shown.piece
        extent = place = None
        if piece.picture.digest is not None and piece.picture.digest == self._known_picture:
            extent = self.picture._extent
            place = piece.picture.region or centred_square(extent)
        self.bench.show_rendering(shown, extent, place)
        for line, rung in zip(self.ladder.rows, self.ladder.rungs, strict=True):
            rung.show_error(shown.error)
            rung.show_rendering(shown)
            line.set_summary(rung.summary(self.session.piece, shown))
        if shown.rendering is not None:
            code, module = print_size(piece, shown)
            self.band.show_print(
                f"{code:.0f} mm at {piece.finish.dpi} dpi",
                f"{module:.2f} mm a module",
                code < SMALLEST_PRINT,
            )
        else:
            self.verdict = None
            self.band.show_error(shown.error)
            self.band.show_print("–", "", False)
        self.act_export.setEnabled(shown.rendering is not None)
        self.act_copy.setEnabled(shown.rendering is not None)

    def _judged(self, ticket: int, verdict: Verdict) -> None:
        if ticket != self.engine.ticket:
            return
        self.verdict = verdict
        self.band.show_verdict(verdict)
        self.bench.show_verdict(verdict)
        for rung in self.ladder.rungs:
            rung.show_verdict(verdict)

    def _broke(self, ticket: int, what: str) -> None:
        if ticket == self.engine.ticket:
            self.notice.say(f"The piece could not be worked out ({what}). Undo the last change.")

    @property
    def current(self) -> bool:
        """Whether the verdict shown belongs to the piece as it is now."""
        return not self.band.stale

    # Looking ---------------------------------------------------------------

    def look_through(self, lens: Lens) -> None:
        """Change the bench's lens."""
        self.engine.want_code = lens is Lens.CODE
        if lens is Lens.CODE and (self._shown is None or self._shown.code is None):
            self.engine.submit(self.session.piece)
        self.bench.set_lens(lens)
        self.foot.lens.set_value(lens)
        self.lens_actions[lens].setChecked(True)
        self.foot.show_legend(lens is Lens.XRAY)

    def _zoomed(self, scale: float) -> None:
        self.foot.zoom.setText(f"{scale * self.devicePixelRatioF():.0%}")

    def choose_theme(self, name: str) -> None:
        """``"desktop"``, ``"light"`` or ``"dark"``."""
        self._theme_name = name
        self.settings.set("theme", name)
        self._dress()

    def _dress(self) -> None:
        chosen = {"light": themes.LIGHT, "dark": themes.DARK}
        theme = chosen.get(self._theme_name) or themes.desktop_theme()
        themes.apply(QApplication.instance(), theme)
        for part in (self.band, self.ladder, self.bench, self.foot, self.notice, self.progress):
            part.dress(theme)

    def _focus_moved(self, _old: QWidget | None, new: QWidget | None) -> None:
        """Single keys open rungs, but not while something is being typed."""
        typing = isinstance(new, QLineEdit | QPlainTextEdit | QSpinBox)
        for shortcut in self._single_keys:
            shortcut.setEnabled(not typing)

    # Pictures --------------------------------------------------------------

    def choose_picture(self) -> None:
        """Ask for a picture file."""
        path, _ = QFileDialog.getOpenFileName(
            self, "Bring in a picture", self._folder("pictures"), _PICTURES
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

        self._job(work, lambda digest: self._took_picture(digest, path.name))

    def _took_picture(self, digest: str, name: str) -> None:
        first = self.session.piece.picture.digest is None
        self.session.take_picture(digest, name)
        if first and self.ladder.current in (-1, 0, 1, 2) and not self.message.text.hasFocus():
            self.ladder.open(3)

    def paste_picture(self) -> None:
        """Take the picture that lies on the clipboard."""
        self._take_mime(QGuiApplication.clipboard().mimeData(), "There is no picture to paste.")

    def _take_mime(self, mime: QMimeData, otherwise: str) -> None:
        for url in mime.urls():
            path = Path(url.toLocalFile())
            if url.isLocalFile() and path.suffix.lower() == archive.SUFFIX:
                self.open_project(path)
                return
            if url.isLocalFile():
                self.bring_picture(path)
                return
        image = QImage(mime.imageData()) if mime.hasImage() else QImage()
        if image.isNull():
            self.notice.say(otherwise)
            return

        def work(progress: Progress) -> str:
            from PySide6.QtCore import QBuffer, QIODevice

            progress.step("Taking the picture", 0.3)
            buffer = QBuffer()
            buffer.open(QIODevice.OpenModeFlag.WriteOnly)
            image.save(buffer, "PNG")
            return self.pictures.add(bytes(buffer.data().data()), "The pasted picture")

        self._job(work, lambda digest: self._took_picture(digest, "Pasted picture"))

    def copy_image(self) -> None:
        """Put the finished image, at its full size, on the clipboard."""
        piece = self.session.piece

        def work(progress: Progress) -> QImage:
            progress.step("Rendering at full size", 0.2)
            return to_qimage(Renderer(self.pictures).render(piece).image)

        def done(image: QImage) -> None:
            QGuiApplication.clipboard().setImage(image)
            self.notice.say(f"Copied: {image.width()} × {image.height()} pixels.", good=True)

        self._job(work, done)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        mime = event.mimeData()
        local = any(url.isLocalFile() for url in mime.urls())
        if local or mime.hasImage():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self._take_mime(event.mimeData(), "What was dropped is not a picture or a project.")

    # Projects --------------------------------------------------------------

    def new_piece(self) -> None:
        """Start over, after asking about unsaved changes."""
        if self._may_leave():
            self.session.start(new_piece(), None)
            self.bench.clear()
            self.ladder.open(0)
            self.message.text.selectAll()
            self.message.text.setFocus()

    def choose_project(self) -> None:
        """Ask for a project file."""
        path, _ = QFileDialog.getOpenFileName(
            self, "Open a project", self._folder("projects"), _PROJECTS
        )
        if path:
            self.open_project(Path(path))

    def open_project(self, path: Path, copy: bool = False) -> None:
        """Open a project file.

        Parameters
        ----------
        path : Path
        copy : bool
            Open it as an untitled copy, so that saving asks for a name.
        """
        if not self._may_leave():
            return

        def work(progress: Progress) -> Piece:
            progress.step(f"Opening {path.name}", 0.3)
            return archive.load(path, self.pictures)

        def done(piece: Piece) -> None:
            self.bench.clear()
            self.session.start(piece, None if copy else path)
            if not copy:
                self.settings.remember_project(path)
                self.settings.set("folder of projects", str(path.parent))

        def failed(error: UserError) -> None:
            if not path.exists():
                self.settings.forget_project(path)
            self.notice.say(str(error))

        self.jobs.start(work, done, failed)

    def save(self) -> None:
        """Save under the known name, or ask for one."""
        if self.session.path is None:
            self.save_as()
        else:
            self.save_to(self.session.path)

    def save_as(self) -> None:
        """Ask for a name and save."""
        start = Path(self._folder("projects")) / f"{self.session.name}{archive.SUFFIX}"
        path, _ = QFileDialog.getSaveFileName(self, "Save the project", str(start), _PROJECTS)
        if path:
            chosen = Path(path)
            if chosen.suffix.lower() != archive.SUFFIX:
                chosen = chosen.with_name(chosen.name + archive.SUFFIX)
                if chosen.exists() and not self._may_replace(chosen):
                    return
            self.save_to(chosen)

    def save_to(self, path: Path) -> None:
        """Save the piece as it is now."""
        piece = self.session.piece

        def work(progress: Progress) -> Path:
            progress.step(f"Saving {path.name}", 0.3)
            archive.save(piece, self.pictures, path)
            return path

        def done(saved: Path) -> None:
            self.session.mark_saved(saved, piece)
            self.settings.remember_project(saved)
            self.settings.set("folder of projects", str(saved.parent))
            if self._closing:
                self.close()

        def failed(error: UserError) -> None:
            self._closing = False
            self.notice.say(str(error))

        self.jobs.start(work, done, failed)

    def _may_leave(self) -> bool:
        """Ask about unsaved changes; False when the person wants to stay."""
        if not self.session.unsaved:
            return True
        answer = self.ask_unsaved()
        if answer == "save":
            return self._save_now()
        return answer == "drop"

    def ask_unsaved(self) -> str:
        """``"save"``, ``"drop"`` or ``"stay"``."""
        box = QMessageBox(self)
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
            start = Path(self._folder("projects")) / f"{self.session.name}{archive.SUFFIX}"
            chosen, _ = QFileDialog.getSaveFileName(self, "Save the project", str(start), _PROJECTS)
            if not chosen:
                return False
            path = Path(chosen)
            if path.suffix.lower() != archive.SUFFIX:
                path = path.with_name(path.name + archive.SUFFIX)
        piece = self.session.piece
        try:
            archive.save(piece, self.pictures, path)
        except UserError as error:
            self.notice.say(str(error))
            return False
        self.session.mark_saved(path, piece)
        self.settings.remember_project(path)
        return True

    def _may_replace(self, path: Path) -> bool:
        answer = QMessageBox.question(self, "Replace", f"{path.name} exists. Replace it?")
        return answer == QMessageBox.StandardButton.Yes

    def _fill_recent(self) -> None:
        menu = self.recent_menu
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
        kind = self.session.piece.finish.format
        filters = {"png": "PNG (*.png)", "jpeg": "JPEG (*.jpg *.jpeg)"}
        start = Path(self._folder("exports")) / f"{self.session.name}{SUFFIX[kind]}"
        path, _ = QFileDialog.getSaveFileName(
            self, "Export the finished image", str(start), filters[kind]
        )
        if path:
            chosen = Path(path)
            if chosen.suffix.lower() not in (".png", ".jpg", ".jpeg"):
                chosen = chosen.with_name(chosen.name + SUFFIX[kind])
                if chosen.exists() and not self._may_replace(chosen):
                    return
            self.export_to(chosen)

    def export_to(self, path: Path) -> None:
        """Render at full size, write, read back, and show what the readers found."""
        piece = self.session.piece
        self.settings.set("folder of exports", str(path.parent))

        def work(progress: Progress) -> Proof:
            format_of(path)
            progress.step("Rendering at full size", 0.1)
            rendering = Renderer(self.pictures).render(piece)
            progress.step(f"Writing {path.name} and reading it back", 0.5)
            return export(rendering, path, piece.finish, self.bay)

        def done(proof: Proof) -> None:
            self.ladder.open(self.ladder.rungs.index(self.finish))
            if piece == self.session.piece:
                self.finish.show_proof(proof)
            right, able = proof.verdict.readers_right
            self.notice.say(
                f"Exported {path.name}. {proof.verdict.words}: {right} of {able} readers read "
                "the file back from disk.",
                good=proof.verdict.scans,
            )

        self._job(work, done)

    # Small things ----------------------------------------------------------

    def _job(self, work, done) -> None:
        self.jobs.start(work, done, lambda error: self.notice.say(str(error)))

    def _folder(self, what: str) -> str:
        remembered = self.settings.get(f"folder of {what}")
        if isinstance(remembered, str) and Path(remembered).is_dir():
            return remembered
        return str(Path.home())

    def _title(self) -> None:
        mark = " (unsaved changes)" if self.session.unsaved else ""
        self.setWindowTitle(f"{self.session.name}{mark} – Nimble Tile")

    def about(self) -> None:
        """What this is, and under which licences."""
        QMessageBox.about(
            self,
            "About Nimble Tile",
            f"<p><b>Nimble Tile {__version__}</b></p>"
            "<p>Blends QR codes into artwork and proves that they scan.</p>"
            "<p>MIT licence. Font: Alegreya Sans, SIL Open Font License. Icons: Phosphor, MIT "
            "licence. Readers: zxing-cpp, OpenCV, quirc and qrdec.</p>",
        )

    def _restore_place(self) -> None:
        self.resize(QSize(1280, 800))
        stored = self.settings.get("geometry")
        if isinstance(stored, str):
            try:
                self.restoreGeometry(QByteArray(base64.b64decode(stored)))
            except ValueError:
                return

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave():
            event.ignore()
            return
        geometry = bytes(self.saveGeometry().data())
        self.settings.set("geometry", base64.b64encode(geometry).decode("ascii"))
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """End the workers and the reader processes."""
        self.jobs.stop()
        self.engine.stop()
        self.bay.close()


class _Notice(QFrame):
    """One sentence above the bench, until it is put away."""

    def __init__(self) -> None:
        super().__init__()
        self.setAutoFillBackground(True)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.dismiss = QToolButton()
        self.dismiss.setAccessibleName("Put this notice away")
        self.dismiss.clicked.connect(self.hide)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 8, 12, 8)
        layout.addWidget(self.label, 1)
        layout.addWidget(self.dismiss)
        self._good = False
        self._theme = themes.LIGHT
        self.hide()

    def say(self, text: str, good: bool = False) -> None:
        """Show a sentence; `good` for news that need no action."""
        self._good = good
        self.label.setText(text)
        self.setAccessibleName(text)
        self.dress(self._theme)
        self.show()

    def dress(self, theme: themes.Theme) -> None:
        self._theme = theme
        colour = theme.well if self._good else theme.fails
        self.setStyleSheet(
            f"_Notice {{ background: {theme.panel}; border-bottom: 1px solid {theme.rule};"
            f" border-left: 4px solid {colour}; }}"
        )
        self.dismiss.setIcon(themes.icon("x-circle", theme.soft))


class _ProgressStrip(QWidget):
    """What is being done, how far it is, and a way to stop it."""

    def __init__(self) -> None:
        super().__init__()
        self.label = QLabel()
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(4)
        self.cancelled = QPushButton("Cancel")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 6, 12, 6)
        layout.setSpacing(12)
        layout.addWidget(self.label)
        layout.addWidget(self.bar, 1)
        layout.addWidget(self.cancelled)
        self.hide()

    def show_step(self, what: str, share: float) -> None:
        self.label.setText(what)
        self.bar.setValue(round(share * 100))
        self.show()

    def dress(self, theme: themes.Theme) -> None:
        self.update()


class _Foot(QWidget):
    """Lens switch, legend of the x-ray, zoom."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(48)
        self.lens = Segments("Lens", [(lens, label, tip) for lens, label, tip in _LENSES])
        self.lens.set_value(Lens.FINISHED)
        self.legend = QLabel()
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.farther, self.closer, self.fit = QToolButton(), QToolButton(), QToolButton()
        for button, name in (
            (self.farther, "Zoom out"), (self.closer, "Zoom in"), (self.fit, "Whole piece"),
        ):  # fmt: skip
            button.setAccessibleName(name)
            button.setToolTip(name)
        self.zoom = QLabel("100%")
        self.zoom.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.zoom.setFixedWidth(52)
        self.zoom.setToolTip("Screen pixels for each pixel of the preview")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 0, 12, 0)
        layout.setSpacing(6)
        layout.addWidget(self.lens)
        layout.addSpacing(14)
        layout.addWidget(self.legend, 1)
        for widget in (self.farther, self.zoom, self.closer, self.fit):
            layout.addWidget(widget)

    def show_legend(self, xray: bool) -> None:
        wrong, weak = self._theme.fails, self._theme.thin
        self.legend.setText(
            f"<span style='color:{wrong}'>✕</span> wrong &nbsp; "
            f"<span style='color:{weak}'>○</span> weak" if xray else ""
        )  # fmt: skip

    def dress(self, theme: themes.Theme) -> None:
        self._theme = theme
        for button, name in (
            (self.farther, "minus"), (self.closer, "plus"), (self.fit, "corners-out"),
        ):  # fmt: skip
            button.setIcon(themes.icon(name, theme.ink))
        self.show_legend(bool(self.legend.text()))
