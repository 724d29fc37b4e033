"""The main window: band, ladder, bench, menus, and what joins them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.picture.placing import centred_square
from nimble_tile.core.picture.store import About, PictureStore
from nimble_tile.core.piece import Piece
from nimble_tile.core.project.recovery import Recovery
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.ui import theme as themes
from nimble_tile.ui.bench import Bench, Lens
from nimble_tile.ui.check_desk import CheckDesk
from nimble_tile.ui.colour_desk import ColourDesk
from nimble_tile.ui.desk import Desk
from nimble_tile.ui.draft_desk import DraftDesk
from nimble_tile.ui.engine import Engine, Shown
from nimble_tile.ui.incoming import welcome
from nimble_tile.ui.jobs import Jobs
from nimble_tile.ui.ladder import Ladder
from nimble_tile.ui.laid_desk import LaidDesk
from nimble_tile.ui.look_desk import LookDesk
from nimble_tile.ui.menus import build_menus, focus_moved, offer_lenses
from nimble_tile.ui.picture_desk import PictureDesk
from nimble_tile.ui.place import keep_place, restore_place
from nimble_tile.ui.proof_desk import ProofDesk
from nimble_tile.ui.rungs.blend import BlendRung
from nimble_tile.ui.rungs.code import CodeRung
from nimble_tile.ui.rungs.finish import SMALLEST_PRINT, FinishRung, print_size
from nimble_tile.ui.rungs.logo import LogoRung
from nimble_tile.ui.rungs.message import MessageRung
from nimble_tile.ui.rungs.picture import PictureRung
from nimble_tile.ui.safekeeping import Safekeeping
from nimble_tile.ui.session import Session
from nimble_tile.ui.settings import Settings
from nimble_tile.ui.shelf import Shelf
from nimble_tile.ui.strips import Foot, Notice, ProgressStrip
from nimble_tile.ui.trial_view import TrialView
from nimble_tile.ui.trying_desk import TryingDesk
from nimble_tile.ui.tune_desk import TuneDesk
from nimble_tile.ui.verdict_band import VerdictBand
from nimble_tile.ui.wall import TrialWall

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Study

COPY_AFTER = 3000
"""Milliseconds of rest after a change until a copy of unsaved work is kept."""

COPY_BYTES = 5000
"""Bytes of the picture for each further millisecond of that rest."""

BEFORE_KEY = Qt.Key.Key_B
"""Held down, the bench shows the picture without the code."""


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
        self.recovery = Recovery(self.settings.folder / "unsaved")
        self.pictures = PictureStore()
        self.bay = bay or ReaderBay()
        self.session = Session(self.pictures, self)
        self.engine = Engine(self.pictures, self.bay, self)
        self.jobs = Jobs(self)
        self.verdict: Verdict | None = None
        self._shown: Shown | None = None
        self._theme_name = self.settings.get("theme", "desktop")
        self._about: About | None = None
        self._opened = False
        self._lens_before = Lens.FINISHED
        self._build()
        self.desk = Desk(self)
        self.safekeeping = Safekeeping(self)
        self.look_desk = LookDesk(self)
        self.picture_desk = PictureDesk(self)
        self.picture.hand = self.blend.hand = self.picture_desk.brush
        self.laid_desk = LaidDesk(self)
        self.logo.hand = self.laid_desk.plate
        self.proof = ProofDesk(self)
        self.check_desk = CheckDesk(self)
        self.tune_desk = TuneDesk(self)
        self.trying_desk = TryingDesk(self)
        self._copying = QTimer(self)
        self._copying.setSingleShot(True)
        self._copying.timeout.connect(self.safekeeping.keep_copy)
        build_menus(self)
        self.draft_desk = DraftDesk(self)
        self._connect()
        self._dress()
        restore_place(self, self.settings)
        self.ladder.open(0)
        self._show_piece(self.session.piece)
        self.message.text.selectAll()
        self.message.text.setFocus()

    # Building --------------------------------------------------------------

    def _build(self) -> None:
        self.setAcceptDrops(True)
        self.setMinimumSize(900, 560)
        self.band = VerdictBand()
        self.message = MessageRung(self.session)
        self.colour_desk = ColourDesk(self, self.settings)
        self.code = CodeRung(self.session, self.colour_desk)
        self.picture = PictureRung(self.session, self.colour_desk)
        self.blend = BlendRung(self.session)
        self.logo = LogoRung(self.session, self.colour_desk)
        self.finish = FinishRung(self.session, self.colour_desk, self.settings)
        self.ladder = Ladder(
            [self.message, self.code, self.picture, self.blend, self.logo, self.finish]
        )
        self.bench = Bench()
        self.trial_view, self.wall = TrialView(), TrialWall()
        self.middle = QStackedWidget()
        self.middle.addWidget(self.bench)
        self.middle.addWidget(self.trial_view)
        self.notice = Notice()
        self.progress = ProgressStrip()
        self.foot, self.shelf = Foot(), Shelf()
        self.shelf.hide()

        line, upright, other = QFrame(), QFrame(), QFrame()
        line.setProperty("rule", True)
        for thin in (upright, other):
            thin.setProperty("upright", True)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        for widget in (self.notice, self.middle, self.progress, self.foot, self.shelf):
            right.addWidget(widget, 1 if widget is self.middle else 0)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.ladder)
        middle.addWidget(upright)
        middle.addLayout(right, 1)
        middle.addWidget(other)
        middle.addWidget(self.wall)
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.band)
        layout.addWidget(line)
        layout.addLayout(middle, 1)
        self.setCentralWidget(whole)

    def _connect(self) -> None:
        self.session.changed.connect(self._show_piece)
        self.session.titled.connect(self._title)
        self.engine.shown.connect(self._rendered)
        self.engine.judged.connect(self._judged)
        self.engine.studied.connect(self._studied)
        self.engine.broke.connect(self._broke)
        self.jobs.running.connect(self.progress.show_step)
        self.jobs.idle.connect(self.progress.hide)
        self.progress.cancelled.clicked.connect(self.jobs.cancel)
        self.message.scan_wanted.connect(self.desk.choose_scan)
        self.colour_desk.pick_wanted.connect(self._pick_colour)
        self.bench.picking_ended.connect(self._picked)
        self.picture.wanted.connect(self.desk.choose_picture)
        self.finish.export_wanted.connect(self.desk.choose_export)
        self.picture_desk.connect_parts()
        self.laid_desk.connect_parts()
        self.foot.split.toggled.connect(self._split)
        self.bench.zoomed.connect(self._zoomed)
        self.foot.lens.chosen.connect(self.look_through)
        self.foot.lens_list.chosen.connect(self.look_through)
        self.foot.fit.clicked.connect(self.bench.fit)
        self.foot.close_up.clicked.connect(self.bench.close_up)
        self.foot.closer.clicked.connect(lambda: self.bench.zoom(1.25))
        self.foot.farther.clicked.connect(lambda: self.bench.zoom(0.8))
        QGuiApplication.styleHints().colorSchemeChanged.connect(lambda _: self._dress())

    # The piece and its results ---------------------------------------------

    def _show_piece(self, piece: Piece) -> None:
        self._know_picture(piece)
        self.picture_desk.follow(piece)
        self.laid_desk.follow(piece)
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
        offer_lenses(self, piece)
        self.band.set_stale(True)
        self.proof.piece_changed()
        self.engine.submit(piece)
        # A large picture is copied less often.
        size = 0 if piece.picture.digest is None else len(self.pictures.file(piece.picture.digest))
        self._copying.start(COPY_AFTER + size // COPY_BYTES)
        self._title()

    def _know_picture(self, piece: Piece) -> None:
        """Tell the picture rung what kind of picture the piece has."""
        digest = piece.picture.digest
        self._about = None if digest is None else self.pictures.about(digest)
        self.look_desk.know_picture(digest)
        self.picture.know_picture(self._about)

    def _rendered(self, shown: Shown) -> None:
        if shown.ticket != self.engine.ticket and shown.error is not None:
            return
        self._shown = shown
        # What is shown may lag behind a gesture; controls follow the piece as it is.
        piece = self.session.piece
        extent, place = shown.extent, shown.place
        if shown.arranged:
            place = None
        if extent is not None and shown.piece.picture != piece.picture:
            place = piece.picture.region or centred_square(extent)
        if piece.picture.digest is None:
            extent = place = None
        self.bench.show_rendering(shown, extent, place)
        if shown.worked_on is None:
            self.picture.show_frame(extent, place)
        for line, rung in zip(self.ladder.rows, self.ladder.rungs, strict=True):
            rung.show_error(shown.error)
            rung.show_rendering(shown)
            line.set_summary(rung.summary(piece, shown))
        if shown.rendering is not None:
            code, module = print_size(piece, shown)
            self.band.show_print(
                f"{code:.0f} mm at {piece.finish.dpi} dpi",
                f"{module:.2f} mm a module",
                code < SMALLEST_PRINT,
                code,
            )
        else:
            self.verdict = None
            self.band.show_error(self.message.unfinished(piece) or shown.error)
            self.band.show_print("–", "", False)
            self.proof.no_code()
        self.finish.show_beyond(shown.beyond)
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
        self.proof.judged(ticket, verdict)

    def _studied(self, ticket: int, study: Study) -> None:
        if ticket != self.engine.ticket:
            return
        for line, rung in zip(self.ladder.rows, self.ladder.rungs, strict=True):
            rung.show_study(study)
            line.set_summary(rung.summary(self.session.piece, self._shown))

    def _broke(self, ticket: int, what: str) -> None:
        if ticket == self.engine.ticket:
            self.notice.say(f"The piece could not be worked out ({what}). Undo the last change.")

    @property
    def current(self) -> bool:
        """Whether the verdict shown belongs to the piece as it is now."""
        return not self.band.stale

    # Looking ---------------------------------------------------------------

    def refresh(self) -> None:
        """Work the piece out again: something else of it is looked at."""
        if self._shown is not None:
            self.band.set_stale(True)
            self.proof.piece_changed()
            self.engine.submit(self.session.piece)

    def want(self, what: str, on: bool) -> None:
        """Something is in sight that the engine works out only then."""
        if what == "places":
            on = on or self.bench.lens is Lens.PLACES
        if getattr(self.engine.wants, what) != on:
            setattr(self.engine.wants, what, on)
            leaves_layout = what == "layout" and self.session.piece.layout.digest is not None
            if (on and what != "layout") or leaves_layout:
                self.refresh()

    def toggle_split(self) -> None:
        """The picture beside the finished piece, or the piece alone."""
        self.foot.split.setChecked(not self.foot.split.isChecked())

    def _split(self, on: bool) -> None:
        self.act_split.setChecked(on)
        self.bench.split_at(0.5 if on else None)
        if on and self.bench.lens is not Lens.FINISHED:
            self.look_through(Lens.FINISHED)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Hold B: before. Where something is typed the key never comes here."""
        if event.key() == BEFORE_KEY and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self.bench.look_before(True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == BEFORE_KEY and not event.isAutoRepeat():
            self.bench.look_before(False)
        else:
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.bench.look_before(False)  # the key is released where nobody hears it
        super().changeEvent(event)

    def look_through(self, lens: Lens) -> None:
        """Change the bench's lens."""
        self.engine.wants.code = lens is Lens.CODE
        self.engine.wants.eye = lens is Lens.EYE
        for wanted, made in ((Lens.CODE, "code"), (Lens.EYE, "eye")):
            if lens is wanted and getattr(self._shown, made, None) is None:
                self.refresh()
        on_page = self.picture.isVisible() and self.picture.page.value == "place"
        self.want("places", lens is Lens.PLACES or on_page)
        self.bench.set_lens(lens)
        self.foot.show_lens(lens)
        self.lens_actions[lens].setChecked(True)

    def _pick_colour(self, take: Callable[[str], None]) -> None:
        """Pick from the picture itself where there is one, from the code otherwise."""
        self._lens_before = self.bench.lens
        if self.session.piece.picture.digest is not None:
            self.look_through(Lens.PICTURE)
        self.bench.pick_colour(take)

    def _picked(self) -> None:
        self.look_through(self._lens_before)

    def _zoomed(self, scale: float) -> None:
        self.foot.zoom.setText(f"{scale * self.devicePixelRatioF():.0%}")

    def choose_theme(self, name: str) -> None:
        """``"desktop"``, ``"light"`` or ``"dark"``."""
        self._theme_name = name
        self.settings.set("theme", name)
        self._dress()

    def _theme(self) -> themes.Theme:
        chosen = {"light": themes.LIGHT, "dark": themes.DARK}
        return chosen.get(self._theme_name) or themes.desktop_theme()

    def _dress(self) -> None:
        theme = self._theme()
        themes.apply(QApplication.instance(), theme)
        for part in (self.band, self.ladder, self.bench, self.foot, self.notice, self.progress,
                     self.wall, self.trial_view):  # fmt: skip
            part.dress(theme)
        self.colour_desk.dress(theme)
        for desk in (self.check_desk, self.draft_desk, self.trying_desk):
            desk.dress(theme)

    # A method: the connection ends with the window.
    def _focus_moved(self, _old: QWidget | None, new: QWidget | None) -> None:
        focus_moved(self, new)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.desk.take_mime(event.mimeData(), "What was dropped is not a picture or a project.")

    def _title(self) -> None:
        mark = " (unsaved changes)" if self.session.unsaved else ""
        self.setWindowTitle(f"{self.session.name}{mark} – Nimble Tile")

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._opened:
            return
        self._opened = True
        # The workers start once the window stands there and has been painted.
        QTimer.singleShot(40, self.engine.start)
        QTimer.singleShot(400, self.safekeeping.offer_leftovers)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.desk.may_leave():
            event.ignore()
            return
        keep_place(self, self.settings)
        self._copying.stop()
        self.recovery.drop()
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """End the workers and the reader processes."""
        for rung in (self.picture, self.blend, self.logo, self.finish):
            rung.blockSignals(True)  # hiding them must not wake what is gone
        self._copying.stop()
        self.check_desk.stop()
        self.trying_desk.stop()
        self.jobs.stop()
        self.proof.stop()
        self.engine.stop()
        self.bay.close()
