"""Drawing by hand: the template goes out; what was drawn comes back, is set straight and tried."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QMimeData, QPointF, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QImage
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.output import template as templates
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.asking import save_path
from nimble_tile.ui.kit.controls import Segments, row, scrolled, soft
from nimble_tile.ui.kit.images import (
    PICTURES,
    as_png,
    from_qimage,
    image_in,
    paths_in,
    to_qimage,
    welcome,
)
from nimble_tile.ui.rooms.drawn.controls import BackControls, TemplateControls, folds
from nimble_tile.ui.rooms.drawn.keeping import Brought, Keeping
from nimble_tile.ui.rooms.drawn.revisions import Revisions
from nimble_tile.ui.rooms.drawn.view import DrawnView
from nimble_tile.ui.work.jobs import Latest
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.symbol.encode import Symbol
    from nimble_tile.core.tune.drawn import Drawn
    from nimble_tile.ui.work.tools import Tools

PREVIEW = 900
"""Side of the template on the screen, in pixels."""

_FILES = tr("PNG (*.png);;OpenRaster (*.ora);;SVG (*.svg);;PDF (*.pdf)")


class DrawnWindow(SideWindow):
    """Template out, drawing back in.

    Signals
    -------
    used
        The drawing has become the picture of the piece.
    drafted
        A revision was kept.
    """

    used = Signal()
    drafted = Signal()

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("Drawing by hand"), 1180, 780)
        self.template, self.back = TemplateControls(), BackControls()
        self.folds = folds(self.template, self.back)
        self.view, self.revisions = DrawnView(), Revisions()
        self.way = Segments(
            tr("Shown"),
            [("template", tr("Template"), tr("The sheet to draw on")),
             ("photo", tr("Photo"), tr("As it came, with the code’s four corners")),
             ("straight", tr("Set straight"), tr("As it will be used"))],
        )  # fmt: skip
        self.way.set_value("template")
        self.hint = soft()
        self.photo: np.ndarray | None = None
        self.name = ""
        self.symbol: Symbol | None = None
        self.quad: np.ndarray | None = None
        self.drawn: Drawn | None = None
        self.brought: Brought | None = None  # as it was tried
        self.keeping = Keeping(tools, self.jobs, self)
        self._made: QImage = QImage()
        self._run = 0
        self._drawer = Latest("template", self)
        self._drawer.answered.connect(self._previewed)
        self._lay_out()
        self.setAcceptDrops(True)
        self._connect()
        self._follow()
        self.revisions.take(tools.session.drafts)

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 10, 0)
        column.setSpacing(8)
        for fold in self.folds:
            column.addWidget(fold)
        column.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addLayout(row(self.way, 1))
        right.addWidget(self.view, 1)
        right.addWidget(self.hint)
        right.addWidget(self.revisions)
        right.addWidget(self.bar)
        right.addLayout(self.foot())
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 12)
        whole.setSpacing(16)
        whole.addWidget(scrolled(left, 330))
        whole.addLayout(right, 1)
        self.bar.hide()

    def _connect(self) -> None:
        session = self.tools.session
        session.changed.connect(lambda _: self._follow())
        session.drafted.connect(lambda: self.revisions.take(session.drafts))
        self.template.edited.connect(self._preview)
        self.template.out.clicked.connect(self.choose_file)
        self.back.open_it.clicked.connect(self.choose_photo)
        self.back.paste.clicked.connect(
            lambda: self._take_mime(QGuiApplication.clipboard().mimeData())
        )
        self.back.find.clicked.connect(self.find)
        self.back.edited.connect(self.straighten)
        self.back.use.clicked.connect(self.use)
        self.back.keep.clicked.connect(self.keep)
        self.way.chosen.connect(lambda _: self._show())
        self.view.cornered.connect(self._cornered)
        self.view.pointed.connect(self._pointed)
        self.revisions.taken.connect(self._take_revision)
        self.keeping.used.connect(self.used)
        self.keeping.drafted.connect(self.drafted)
        self.keeping.told.connect(lambda text, bad: self.say(text, "error" if bad else "soft"))

    # The template ------------------------------------------------------------------------

    @property
    def message(self) -> str:
        """What the drawing is to say."""
        return self.tools.session.piece.message.text

    def _follow(self) -> None:
        """The piece is another one: so is its symbol, unless it shows a drawing already."""
        from nimble_tile.core.symbol.encode import encode

        piece = self.tools.session.piece
        try:
            self.symbol = encode(piece.message, piece.code)
        except UserError as error:
            self.symbol = None
            self.say(str(error), "error")
        self._preview()
        self._offer()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._preview()

    def _preview(self) -> None:
        if not self.isVisible():
            return  # once it is seen again
        symbol, wish = self.symbol, None
        try:
            wish = self.template.wish
        except UserError as error:
            self.say(str(error), "error")
        if symbol is None or wish is None:
            return
        module = wish.size / (symbol.side + 2 * (4 + templates.EDGE))
        told = tr(
            "Version {version}-{level}: {module:.1f} mm a module.",
            version=symbol.version,
            level=symbol.level,
            module=module,
        )
        if module < 2:
            told += tr(" That is fine work: take a larger sheet.")
        self.template.told.setText(told)

        def work() -> QImage:
            return to_qimage(templates.picture(templates.template(symbol, wish), PREVIEW))

        self._drawer.ask(work)

    def _previewed(self, image: QImage) -> None:
        self._made = image
        if self.way.value == "template":
            self._show()

    def _pointed(self, at: QPointF) -> None:
        """What may be smudged lies where the template was clicked."""
        if self.way.value != "template" or self.symbol is None:
            return
        first = (4 + templates.EDGE) / (self.symbol.side + 2 * (4 + templates.EDGE))
        self.template.about = tuple(
            min(1.0, max(0.0, (value - first) / (1 - 2 * first))) for value in (at.x(), at.y())
        )
        self._preview()

    def choose_file(self) -> None:
        """Ask where the template goes."""
        settings = self.tools.settings
        start = Path(settings.folder_of("templates")) / "template.png"
        path = save_path(self, tr("Template out"), start, _FILES, templates.SUFFIXES)
        if path is not None:
            settings.set_folder_of("templates", path)
            self.template_to(path)

    def template_to(self, path: Path) -> None:
        """Write the template."""
        symbol, wish = self.symbol, self.template.wish
        if symbol is None:
            return

        def work(progress) -> bool:
            templates.write_template(templates.template(symbol, wish), path)
            return True

        def done(_) -> None:
            self.say(
                tr("Wrote {name}. Print it at 100 %, draw, and bring a photo back.", name=path.name)
            )

        self.jobs.start(work, done, self._failed)

    # Back in ------------------------------------------------------------------------------

    def choose_photo(self) -> None:
        """Ask for a photo or a scan."""
        path, _ = QFileDialog.getOpenFileName(
            self, tr("A photo or a scan of the drawing"), self.tools.settings.folder_of("drawings"),
            PICTURES,
        )  # fmt: skip
        if path:
            self.tools.settings.set_folder_of("drawings", Path(path))
            self.open_path(Path(path))

    def open_path(self, path: Path) -> None:
        """Take a photo or a scan."""

        def work(progress) -> np.ndarray:
            from nimble_tile.core.picture.opening import open_picture, read_file

            return open_picture(read_file(path), path.name).over("#ffffff")

        self._begin(tr("Opening {name}", name=path.name))
        self.jobs.start(work, self._heard(lambda pixels: self.take(pixels, path.name)),
                        self._heard(self._failed))  # fmt: skip

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self._take_mime(event.mimeData())

    def _take_mime(self, mime: QMimeData | None) -> None:
        for path in paths_in(mime)[:1]:
            self.open_path(path)
            return
        image = image_in(mime)
        if image.isNull():
            self.say(tr("There is no picture."), "error")
        else:
            self.take(from_qimage(image), tr("Pasted photo"))

    def take(self, pixels: np.ndarray, name: str) -> None:
        """A photo or scan (uint8 H × W × 3)."""
        self.photo, self.name = pixels, name
        self.quad = self.drawn = self.brought = None
        height, width = pixels.shape[:2]
        self.back.called.setText(
            tr("{name}, {width} × {height} pixels", name=name, width=width, height=height)
        )
        self.back.told.setText("")
        self.way.set_value("photo")
        self._show()
        self.find()

    def find(self) -> None:
        """Find the code’s corners by its finders."""
        photo, text, bay, known = self.photo, self.message, self.tools.bay, self._known()
        if photo is None or not known:
            return

        def work(progress):
            from nimble_tile.core.tune.drawn import corners_of

            return corners_of(photo, text, bay, known, lambda: progress.cancelled)

        def done(found) -> None:
            symbol, self.quad = found
            self.straighten(symbol)

        def failed(error: UserError) -> None:
            height, width = photo.shape[:2]
            inset = [[0.2, 0.2], [0.8, 0.2], [0.8, 0.8], [0.2, 0.8]]
            self.quad = [[x * width, y * height] for x, y in inset]
            self._failed(error)
            self._show()

        self._begin(tr("Looking for the code’s corners"))
        self.jobs.start(work, self._heard(done), self._heard(failed))

    def _known(self) -> list[Symbol]:
        """Symbols that the drawing may show."""
        return [] if self.symbol is None else [self.symbol]

    def _cornered(self) -> None:
        """Corners were put by hand: the symbol is where they roughly are."""
        import numpy as np

        photo, text, known = self.photo, self.message, self._known()
        self.quad = quad = np.array(self.view.quad)
        if photo is None or not known:
            return

        def work(progress):
            from nimble_tile.core.tune.drawn import symbol_at

            return symbol_at(photo, text, quad, known)

        def done(found) -> None:
            symbol, self.quad, sure = found
            self.straighten(symbol, sure)

        self._begin(tr("Looking between the corners"))
        self.jobs.start(work, self._heard(done), self._heard(self._failed))

    def straighten(self, symbol: Symbol | None = None, sure: bool | None = None) -> None:
        """Set the drawing straight, clean it, and try it."""
        photo, quad, tools = self.photo, self.quad, self.tools
        symbol = symbol or (self.drawn.symbol if self.drawn is not None else None)
        if photo is None or quad is None or symbol is None:
            return
        if sure is None:
            sure = self.drawn.sure if self.drawn is not None else True
        margin, clean = self.back.margin.value, self.back.clean.value
        base, name = tools.session.piece, self.name

        def work(progress):
            from nimble_tile.core.picture.store import PictureStore
            from nimble_tile.core.render import Renderer
            from nimble_tile.core.trials.room import Room
            from nimble_tile.core.tune.drawn import bring_back
            from nimble_tile.core.tune.finished import finished_piece, place_of
            from nimble_tile.core.tune.proving import prove

            drawn = bring_back(photo, symbol, quad, sure, margin, clean)
            data = as_png(to_qimage(drawn.image))
            pictures = PictureStore()
            size = drawn.image.shape[1], drawn.image.shape[0]
            region, quiet = place_of(drawn.quad, symbol.side, size)
            piece = finished_piece(
                base, pictures.add(data, name), name, size, symbol, region, quiet
            )
            room = Room(tools.bay, tools.prover.readers)
            trials = tools.prover.trials
            proved = prove(piece, Renderer(pictures), room, trials, stop=lambda: progress.cancelled)
            return Brought(name, drawn, data, piece, proved)

        def done(found: Brought) -> None:
            self.drawn, self.brought = found.drawn, found
            self._end()
            self.way.set_value("straight")
            self._show()
            self._tell()

        self._begin(tr("Setting it straight and trying it"))
        self.hold_trials(True)
        self.jobs.start(work, self._heard(done), self._heard(self._failed))

    def _tell(self) -> None:
        """What readers and trials make of the drawing."""
        verdict, reach = self.brought.proved.verdict, self.brought.proved.reach
        right, able = verdict.readers_right
        told = tr(
            "{words}: {right} of {able} readers read it",
            words=verdict.words,
            right=right,
            able=able,
        )
        told += tr(", reach {reach}.", reach=percent(reach)) if reach is not None else "."
        if verdict.spare is not None:
            told += tr(" {spare:.0%} of the error correction is left.", spare=verdict.spare)
        if not self.drawn.sure:
            told += tr(" The code was not found there; the corners are taken on trust.")
        why = [reason.text for reason in verdict.reasons[:2]]
        self.back.told.setText("\n".join([told, *why]))
        self.say(tr("Set straight. Keep it as a revision, or use it."))

    def use(self) -> None:
        """The drawing becomes the picture of the piece."""
        if self.brought is not None:
            self.keeping.use(self.brought)

    def keep(self) -> None:
        """Keep the drawing as a revision, among the drafts."""
        if self.brought is not None:
            self.keeping.keep(self.brought)

    def _take_revision(self, key: str) -> None:
        draft = self.revisions.draft(key)
        if draft is not None:
            self.keeping.take(draft)

    # The state of the window -----------------------------------------------------------------

    def _begin(self, what: str) -> None:
        self._run += 1
        self._busy = True
        self.say(f"{what}\u2026")
        self.bar.setRange(0, 0)
        self.bar.show()
        self._offer()

    def _end(self) -> None:
        self._busy = False
        self.hold_trials(False)
        self.bar.hide()
        self._offer()

    def _heard(self, answer):
        """Only the newest work is heard."""
        run = self._run

        def hear(result) -> None:
            if run == self._run:
                self._busy = False
                self.bar.hide()
                answer(result)

        return hear

    def _failed(self, error: UserError) -> None:
        self._end()
        self.say(str(error), "error")

    _busy = False

    def _offer(self) -> None:
        """What can be done now."""
        there, done = self.photo is not None, self.brought is not None and not self._busy
        self.template.out.setEnabled(self.symbol is not None)
        self.back.find.setEnabled(there and not self._busy)
        self.back.use.setEnabled(done)
        self.back.keep.setEnabled(done)
        self.way.button("photo").setEnabled(there)
        self.way.button("straight").setEnabled(self.drawn is not None)

    def _show(self) -> None:
        way = self.way.value
        if way == "photo" and self.photo is not None:
            self.view.take(to_qimage(self.photo), self.quad)
            told = tr("Drag a corner where it is not right: 1 is the top left one of the code.")
        elif way == "straight" and self.drawn is not None:
            self.view.take(to_qimage(self.drawn.image))
            told = tr("As it will be used: tilt, lamp and paper taken away.")
        else:
            self.view.take(self._made, None, tr("Drop a photo of a drawing here."))
            told = tr(
                "Grey must be dark, rings must stay light, red marks ask for a gap in the stroke, "
                "hatching may be smudged. Click to move the hatching."
            )
        self.hint.setText(told)
        self._offer()

    def halt(self) -> None:
        """End what is being worked on."""
        super().halt()
        self._run += 1
        self._end()

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.view.theme = self.revisions.theme = theme
        self.view.update()
        self.revisions.viewport().update()
        for part in (self.template, self.back, *self.folds):
            part.dress(theme)

    def shut_down(self) -> None:
        super().shut_down()
        self._drawer.stop()
