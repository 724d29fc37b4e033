"""The main window: makes the rooms and joins them."""

from __future__ import annotations

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
from PySide6.QtWidgets import QApplication, QFrame, QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from nimble_tile.core.language import tr, within
from nimble_tile.core.picture.placing import centred_square
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Piece
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.tune.first import prepare
from nimble_tile.ui.bench.bench import Bench
from nimble_tile.ui.bench.foot import Foot
from nimble_tile.ui.bench.looking import Looking
from nimble_tile.ui.bench.stage import MiddleStage
from nimble_tile.ui.guide import TOUR_PIECE, stops
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.images import welcome
from nimble_tile.ui.ladder.ladder import Ladder
from nimble_tile.ui.ladder.strips import Notice, ProgressStrip
from nimble_tile.ui.menus import build_menus, focus_moved, offer_lenses
from nimble_tile.ui.rooms.batch.desk import BatchDesk
from nimble_tile.ui.rooms.blend.desk import BlendDesk
from nimble_tile.ui.rooms.check.desk import CheckDesk
from nimble_tile.ui.rooms.code.desk import CodeDesk
from nimble_tile.ui.rooms.drafts.desk import DraftDesk
from nimble_tile.ui.rooms.drawn.desk import DrawnDesk
from nimble_tile.ui.rooms.files.desk import FilesDesk
from nimble_tile.ui.rooms.finish.desk import FinishDesk
from nimble_tile.ui.rooms.help.actions import deeds_of
from nimble_tile.ui.rooms.help.desk import HelpDesk
from nimble_tile.ui.rooms.links.desk import LinksDesk
from nimble_tile.ui.rooms.logo.desk import LogoDesk
from nimble_tile.ui.rooms.mend.desk import MendDesk
from nimble_tile.ui.rooms.message.rung import MessageRung
from nimble_tile.ui.rooms.picture.desk import PictureDesk
from nimble_tile.ui.rooms.pixels.desk import PixelsDesk
from nimble_tile.ui.rooms.press.desk import PressDesk
from nimble_tile.ui.rooms.proof.desk import ProofDesk
from nimble_tile.ui.rooms.studio.desk import StudioDesk
from nimble_tile.ui.rooms.sweep.desk import SweepDesk
from nimble_tile.ui.work.answer import Answer
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.engine import Engine, Shown
from nimble_tile.ui.work.jobs import Jobs, Latest
from nimble_tile.ui.work.paper import SMALLEST_PRINT, print_size
from nimble_tile.ui.work.prover import Prover
from nimble_tile.ui.work.session import Session
from nimble_tile.ui.work.settings import Settings, keep_geometry, restore_geometry
from nimble_tile.ui.work.tools import Tools

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Study

EARLY = 900
"""Milliseconds after the window stands there in which the first picture is prepared for."""

BEFORE_KEY = Qt.Key.Key_B
"""Held down, the bench shows the picture without the code."""


SOON = (
    "nimble_tile.standins.linkdesk.server",
    "nimble_tile.core.tune.propose",
    "nimble_tile.ui.rooms.studio.window",
    "nimble_tile.ui.rooms.drawn.window",
    "nimble_tile.ui.rooms.sweep.window",
)
"""Brought in behind the window: the first click on them would else wait up to half a second."""


class Window(QMainWindow):
    """The whole program for one piece.

    Parameters
    ----------
    settings : Settings, optional
        Where the window's state is kept; for tests.
    bay : ReaderBay, optional
        Readers that are lent: they go on when the window is closed. For tests.
    """

    def __init__(self, settings: Settings | None = None, bay: ReaderBay | None = None) -> None:
        super().__init__()
        self.settings = settings or Settings()
        self._theme_name = self.settings.get("theme", "desktop")
        self._opened = self._down = False
        self._lent = bay is not None
        self._make_work(bay or ReaderBay())
        self._make_rooms()
        self._lay_out()
        build_menus(self)
        self._early = Latest("beforehand", self)
        self._copying = QTimer(self)
        self._copying.setSingleShot(True)
        self._copying.timeout.connect(self.files.safekeeping.keep_copy)
        self._join_work()
        self._join_rooms()
        self._dress()
        restore_geometry(self, self.settings)
        self.ladder.open(0)
        self._show_piece(self.session.piece)
        self._start_typing()

    # Building --------------------------------------------------------------

    def _make_work(self, bay: ReaderBay) -> None:
        """What works behind the window, and what every room is given of it."""
        self.pictures = PictureStore()
        self.bay = bay
        self.session = Session(self.pictures, self)
        self.engine = Engine(self.pictures, self.bay, self)
        self.engine.soon = SOON
        self.prover = Prover(self.pictures, self.bay, self)
        self.prover.own_set = self.settings.trials_file
        self.prover.paused = bool(self.settings.get("trials rest", False))
        self.jobs = Jobs(self.pictures, self)
        self.answer = Answer()
        self.notice = Notice()
        self.colour_desk = ColourDesk(self, self.settings)
        self.tools = Tools(
            self.session, self.pictures, self.bay, self.jobs, self.settings, self.notice,
            self.answer, self.prover, self.colour_desk,
        )  # fmt: skip

    def _make_rooms(self) -> None:
        tools = self.tools
        self.bench, self.foot, self.ladder = Bench(), Foot(), Ladder()
        self.middle = MiddleStage(self.bench, self.foot)
        self.sight = Looking(self.bench, self.foot, self.engine, self.session, self.answer)
        self.message = MessageRung(self.session)
        self.code_desk = CodeDesk(tools, self)
        self.picture_desk = PictureDesk(tools, self.bench, self.sight, self)
        self.blend_desk = BlendDesk(tools, self.bench, self.sight, self)
        self.logo_desk = LogoDesk(tools, self.bench, self.sight, self.ladder, self)
        self.finish_desk = FinishDesk(tools, self.bench, self.sight, self.ladder, self)
        self.proof = ProofDesk(tools, self.engine, self.ladder, self.middle, self)
        self.draft_desk = DraftDesk(tools, self.middle, self)
        self.check_desk = CheckDesk(tools, self.bench, self)
        self.mend_desk = MendDesk(tools, self)
        self.sweep_desk = SweepDesk(tools, self)
        self.links_desk = LinksDesk(tools, self)
        self.studio_desk = StudioDesk(tools, self)
        self.drawn_desk = DrawnDesk(tools, self)
        self.press_desk = PressDesk(tools, self)
        self.batch_desk = BatchDesk(tools, self)
        self.pixels_desk = PixelsDesk(tools, self.bench, self.sight, self)
        self.files = FilesDesk(tools, self.ladder, self)
        self.help = HelpDesk(
            tools, lambda: deeds_of(self.menuBar().actions()), lambda: stops(self), self
        )
        self.code, self.picture = self.code_desk.rung, self.picture_desk.rung
        self.blend, self.logo = self.blend_desk.rung, self.logo_desk.rung
        self.finish = self.finish_desk.rung
        self.ladder.take(
            [self.message, self.code, self.picture, self.blend, self.logo, self.finish]
        )
        self.band, self.wall, self.trial_view = self.proof.band, self.proof.wall, self.proof.view
        self.shelf = self.draft_desk.shelf

    def _lay_out(self) -> None:
        self.setAcceptDrops(True)
        self.setMinimumSize(900, 560)
        self.progress = ProgressStrip()
        line, upright, other = QFrame(), QFrame(), QFrame()
        line.setProperty("rule", True)
        for thin in (upright, other):
            thin.setProperty("upright", True)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        tools = self.pixels_desk.strip
        for widget in (self.notice, self.middle, tools, self.progress, self.foot, self.shelf):
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

    def _join_work(self) -> None:
        """What the workers tell goes to the rooms, as far as it is of the newest piece."""
        self.session.changed.connect(self._show_piece)
        self.session.titled.connect(self._title)
        engine = self.engine
        engine.shown.connect(self._rendered)
        engine.judged.connect(self._judged)
        engine.studied.connect(self._studied)
        engine.advised.connect(self._advised)
        engine.pictured.connect(self._pictured)
        engine.broke.connect(self._broke)
        self.jobs.running.connect(self.progress.show_step)
        self.jobs.idle.connect(self.progress.hide)
        self.progress.cancelled.clicked.connect(self.jobs.cancel)
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._scheme_changed)

    def _join_rooms(self) -> None:
        """What goes from one room to another."""
        files, proof, drafts, checks = self.files, self.proof, self.draft_desk, self.check_desk
        self.sight.again.connect(self._stale)
        self.colour_desk.pick_wanted.connect(self.sight.pick_colour)
        self.message.scan_wanted.connect(files.choose_scan)
        self.picture.wanted.connect(files.choose_picture)
        self.finish.export_wanted.connect(files.exporting.choose_export)
        self.finish.print_wanted.connect(files.handing.choose_printer)
        self.finish.press_wanted.connect(self.press_desk.open)
        self.finish.files.tile.ready_wanted.connect(files.handing.make_ready)
        self.finish.files.tile.drag_wanted.connect(
            lambda: files.handing.drag(self.finish.files.tile)
        )
        files.began.connect(self.bench.clear)
        files.fresh.connect(self._start_typing)
        files.picture_came.connect(self._picture_came)
        files.guessed.connect(self.blend_desk.proposing.stand_in)
        files.message_came.connect(self._open_message)
        files.look_came.connect(self.code_desk.take_look)
        files.logo_came.connect(self.logo_desk.bring_logo)
        files.logo_pasted.connect(self.logo_desk.take_logo)
        files.exported.connect(self.finish_desk.show_export)
        files.check_wanted.connect(checks.check_export)
        proof.learned.connect(drafts.learn)
        drafts.comparing.connect(proof.close_view)
        drafts.counted.connect(self.foot.count_drafts)
        drafts.shelf_shown.connect(self.foot.drafts.setChecked)
        drafts.shelf_shown.connect(self.act_shelf.setChecked)
        self.foot.drafts.toggled.connect(drafts.show_shelf)
        checks.bench_wanted.connect(proof.close_view)
        checks.mend_wanted.connect(self.mend_desk.take)
        self.studio_desk.mend_wanted.connect(self.mend_desk.take)
        self.sweep_desk.drafts_kept.connect(self._show_shelf)
        self.blend.sweep_wanted.connect(self.sweep_desk.sweep)
        self.pixels_desk.begun.connect(self._finished_picture)
        for desk in (self.studio_desk, self.drawn_desk):
            desk.drafted.connect(self._show_shelf)
            desk.used.connect(self._finished_picture)
        self.links_desk.told.connect(self.message.show_short)
        self.message.short.wanted.connect(self.links_desk.shorten)
        self.message.short.unwanted.connect(self.links_desk.unshorten)
        self.message.short.desk_wanted.connect(self.links_desk.open)
        self.help.theme_chosen.connect(self.choose_theme)
        self.help.trials_wanted.connect(proof.edit)
        self.help.demo_wanted.connect(lambda: files.open_demo(TOUR_PIECE))
        drafts.start()

    # The piece and its results ---------------------------------------------

    def _show_piece(self, piece: Piece) -> None:
        for desk in (self.picture_desk, self.blend_desk, self.finish_desk, self.links_desk,
                     self.pixels_desk):  # fmt: skip
            desk.follow(piece)
        self.ladder.show_piece(piece, self.answer.shown)
        for action, label, name in (
            (self.act_undo, tr("&Undo"), self.session.undo_name),
            (self.act_redo, tr("&Redo"), self.session.redo_name),
        ):
            action.setEnabled(name is not None)
            action.setText(f"{label}: {within(name)}" if name else label)
        offer_lenses(self, piece)
        self._stale()
        self.engine.submit(piece)
        if not self._copying.isActive():  # counted from the first change, not from the last
            self._copying.start(1000 * self.settings.autosave)
        self._title()

    def _stale(self) -> None:
        """What is known belongs to an older piece."""
        self.answer.piece_changed()
        self.proof.piece_changed()

    def _rendered(self, shown: Shown) -> None:
        if shown.ticket != self.engine.ticket and shown.error is not None:
            return
        self.answer.shown = shown
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
        self.ladder.show_rendering(piece, shown)
        if shown.rendering is not None:
            code, module = print_size(piece, shown)
            self.band.show_print(
                tr("{code:.0f} mm at {dpi} dpi", code=code, dpi=piece.finish.dpi),
                tr("{module:.2f} mm a module", module=module),
                code < SMALLEST_PRINT,
                code,
            )
        else:
            self.band.show_error(self.message.unfinished(piece) or shown.error)
            self.band.show_print("–", "", False)
            self.proof.no_code()
        self.finish.show_beyond(shown.beyond)
        self.act_export.setEnabled(shown.rendering is not None)
        self.act_copy.setEnabled(shown.rendering is not None)
        self.act_print.setEnabled(shown.rendering is not None)

    def _newest(self, ticket: int) -> bool:
        return ticket == self.engine.ticket

    def _judged(self, ticket: int, verdict: Verdict) -> None:
        if self._newest(ticket):
            self.bench.show_verdict(verdict)
            self.proof.judged(ticket, verdict)

    def _studied(self, ticket: int, study: Study) -> None:
        if self._newest(ticket):
            self.ladder.show_study(study, self.session.piece, self.answer.shown)

    def _advised(self, ticket: int, places: object) -> None:
        if self._newest(ticket):
            self.picture_desk.show_places(places)

    def _pictured(self, ticket: int, method: str, image: object) -> None:
        if self._newest(ticket):
            self.blend.show_method(method, image)

    def _broke(self, ticket: int, what: str) -> None:
        if self._newest(ticket):
            self.notice.say(
                tr("The piece could not be worked out ({what}). Undo the last change.", what=what)
            )

    # From room to room -------------------------------------------------------

    def _start_typing(self) -> None:
        """The message waits to be typed."""
        self.ladder.open(0)
        self.message.text.selectAll()
        self.message.text.setFocus()

    def _open_message(self) -> None:
        self.ladder.open_rung("message")

    def _finished_picture(self) -> None:
        """The piece has another picture, blended already: what follows is finishing it."""
        self.ladder.open_rung("finish")
        self.bench.fit()
        self.activateWindow()
        self.raise_()

    def _show_shelf(self) -> None:
        self.draft_desk.show_shelf(True)

    def _picture_came(self, first: bool) -> None:
        """With the first picture the work goes on at blending."""
        if first and self.ladder.current_rung in ("", "message", "code", "picture"):
            self.ladder.open_rung("blend")

    # The window itself -------------------------------------------------------

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

    def choose_theme(self, name: str) -> None:
        """``"desktop"``, ``"light"`` or ``"dark"``."""
        self._theme_name = name
        self.settings.set("theme", name)
        self._dress()

    @property
    def theme_name(self) -> str:
        """The chosen theme; see `choose_theme`."""
        return self._theme_name

    def _theme(self) -> themes.Theme:
        chosen = {"light": themes.LIGHT, "dark": themes.DARK}
        return chosen.get(self._theme_name) or themes.desktop_theme()

    # Methods, not closures: these connections end with the window.
    def _scheme_changed(self, _scheme: object) -> None:
        self._dress()

    def _focus_moved(self, _old: QWidget | None, new: QWidget | None) -> None:
        focus_moved(self, new)

    def _dress(self) -> None:
        theme = self._theme()
        themes.apply(QApplication.instance(), theme)
        for part in (
            self.ladder, self.bench, self.foot, self.notice, self.progress, self.colour_desk,
            self.proof, self.draft_desk, self.check_desk, self.mend_desk, self.sweep_desk,
            self.links_desk, self.studio_desk, self.drawn_desk, self.press_desk, self.batch_desk,
            self.pixels_desk, self.help,
        ):  # fmt: skip
            part.dress(theme)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.files.take_mime(
            event.mimeData(), tr("What was dropped is not a picture or a project.")
        )

    def _title(self) -> None:
        mark = tr(" (unsaved changes)") if self.session.unsaved else ""
        self.setWindowTitle(tr("{name}{mark} – Nimble Tile", name=self.session.name, mark=mark))

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._opened:
            return
        self._opened = True
        # The workers start once the window stands there and has been painted.
        QTimer.singleShot(40, self.engine.start)
        QTimer.singleShot(400, self._offer)
        QTimer.singleShot(EARLY, self._get_ready)

    def _get_ready(self) -> None:
        """Nothing happens yet: what the first picture needs is loaded."""
        if not self._down:
            self._early.ask(prepare)

    def _offer(self) -> None:
        """What there is to say at the start."""
        if self.files.safekeeping.offer_leftovers():
            return
        troubles = [text for text in (self.settings.trouble, self.prover.trouble) if text]
        if troubles:
            self.notice.say(" ".join(troubles))
        else:
            self.help.offer_tour()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.files.may_leave():
            event.ignore()
            return
        keep_geometry(self, self.settings)
        self._copying.stop()
        self.files.safekeeping.stop()
        self.files.safekeeping.recovery.drop()
        self.shut_down()
        event.accept()
        self.deleteLater()  # else it would stay as long as the program does

    def shut_down(self) -> None:
        """End the workers and the reader processes; once."""
        if self._down:
            return
        self._down = True
        self._early.stop(wait=False)
        for rung in (self.picture, self.blend, self.logo, self.finish):
            rung.blockSignals(True)  # hiding them must not wake what is gone
        self._copying.stop()
        self.files.safekeeping.stop()
        self.files.holds.release()
        for desk in (self.blend_desk, self.check_desk, self.mend_desk, self.sweep_desk,
                     self.links_desk, self.studio_desk, self.drawn_desk, self.press_desk,
                     self.batch_desk, self.finish_desk, self.files.handing):  # fmt: skip
            desk.stop()
        self.jobs.stop()
        self.prover.stop()
        self.engine.stop()
        if not self._lent:
            self.bay.close()
