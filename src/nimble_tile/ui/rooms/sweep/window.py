"""The sweep: a setting, or two at once, over a range, as a board of small results."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import UserError
from nimble_tile.core.judged import judged_size
from nimble_tile.core.language import tr, within
from nimble_tile.core.project.drafts import bare, free_name
from nimble_tile.core.tune.sweep import MOST_PIECES, Cell, Setting, board
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import row, scrolled, set_rank, soft
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.rooms.sweep.board import Board
from nimble_tile.ui.rooms.sweep.swept import SweptBox, told_number
from nimble_tile.ui.work.drafts import add, code_area, made, small
from nimble_tile.ui.work.jobs import Progress
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.ui.work.tools import Tools

SEED = 0


class SweepWindow(SideWindow):
    """The window that sweeps; it belongs to a main window and uses its readers and trials.

    Signals
    -------
    drafts_kept
        Results were put on the draft shelf.
    """

    drafts_kept = Signal()
    _made = Signal(int, object, object)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("Sweep"), 1120, 740)
        self._run = 0
        self._enough = False
        self._piece: Piece | None = None  # that the board was made of
        self._settings: list[Setting] = []
        self.across, self.down = SweptBox(tr("Across"), False), SweptBox(tr("Down"), True)
        self.number = soft()
        self.sweep, self.stop = QPushButton(tr("Sweep")), QPushButton(tr("Stop"))
        self.sweep.setProperty("main", True)
        self.board = Board()
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        self.take, self.keep = QPushButton(tr("Take it")), QPushButton(tr("Keep as drafts"))
        self._lay_out()
        self.across.changed.connect(self._count)
        self.down.changed.connect(self._count)
        self.sweep.clicked.connect(self.start)
        self.stop.clicked.connect(self.halt)
        self.board.itemSelectionChanged.connect(self._offer)
        self.board.taken.connect(self.take_cell)
        self.take.clicked.connect(self._take_chosen)
        self.keep.clicked.connect(self.keep_drafts)
        self._made.connect(self._show)
        tools.session.changed.connect(self._follow)
        self.across.follow(tools.session.piece)
        self.down.follow(tools.session.piece)
        self._running(False)
        self._count()
        self._offer()

    def _lay_out(self) -> None:
        inside = QWidget()
        left = QVBoxLayout(inside)
        left.setContentsMargins(0, 0, 8, 0)
        left.setSpacing(18)
        left.addWidget(self.across)
        left.addWidget(self.down)
        left.addWidget(self.number)
        left.addLayout(row(self.sweep, self.stop, 1))
        left.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.told)
        right.addWidget(self.board, 1)
        right.addWidget(self.bar)
        right.addLayout(self.foot(self.keep, self.take))
        whole = QHBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.setSpacing(20)
        whole.addWidget(scrolled(inside, 248))
        whole.addLayout(right, 1)

    # What is to be swept -----------------------------------------------------------

    def _follow(self, piece: Piece) -> None:
        if not self.isVisible():
            return
        self.across.follow(piece)
        self.down.follow(piece)
        self._count()
        self._offer()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._follow(self.tools.session.piece)

    def _count(self) -> None:
        columns = len(self.across.values)
        rows = len(self.down.values) if self.down.setting is not None else 1
        why = [
            box.setting.why_not(self.tools.session.piece)
            for box in (self.across, self.down)
            if box.setting is not None
        ]
        same = self.across.setting is self.down.setting
        text = told_number(columns * rows)
        if not columns * rows:
            text = tr("Choose at least one value.")
        elif same:
            text = tr("Both are the same setting.")
        self.number.setText(text)
        fits = 0 < columns * rows <= MOST_PIECES and not same and not any(why)
        self.sweep.setEnabled(fits)
        self.sweep.setToolTip("" if fits else " ".join(filter(None, why)) or text)
        set_rank(self.number, "soft" if 0 < columns * rows <= MOST_PIECES and not same else "warn")

    # The sweep ---------------------------------------------------------------------

    def start(self) -> None:
        """Work the board out."""
        tools, piece = self.tools, self.tools.session.piece
        if not piece.message.text:
            self.say(tr("There is no message yet."), "error")
            return
        swept = [box for box in (self.across, self.down) if box.setting is not None]
        self._settings = settings = [box.setting for box in swept]
        values = [box.values for box in swept]
        try:
            cells = board(piece, settings, values)
        except UserError as error:
            self.say(str(error), "error")
            return
        self._run += 1
        self._enough = False
        self._piece = piece
        self._held = tools.pictures.lease(piece.digests)  # what the board shows can be taken
        run = self._run
        self.board.begin(cells, len(values[0]) if len(swept) > 1 else 0, self._title)
        self.told.setText("")
        trials = tuple(tools.prover.trials)
        # What the board finds out the wall need not find out again.
        room = tools.prover.room()
        self._running(True)
        self._offer()

        def work(progress: Progress) -> bool:
            from nimble_tile.core.render import Renderer
            from nimble_tile.core.tune.sweep import sweep

            renderer = Renderer(progress.pictures)
            for cell in sweep(
                cells, renderer, room, trials,
                lambda tried: judged_size(tried, renderer), SEED,
                lambda: self._enough or progress.cancelled or run != self._run,
            ):  # fmt: skip
                image = None
                if cell.rendering is not None:
                    shown = cell.rendering
                    whole = to_qimage(shown.image if shown.rgba is None else shown.rgba)
                    image = small(whole, code_area(shown, cell.piece))
                self._made.emit(run, replace(cell, rendering=None), image)
            return True

        self.jobs.start(work, lambda _: self._end(run), lambda error: self._failed(run, error))

    def sweep_one(self, key: str) -> None:
        """Sweep one setting alone over its usual range; what is being swept ends."""
        self.across.choose(key)
        self.down.choose("")
        if self.sweep.isEnabled():
            self.start()

    def halt(self) -> None:
        """Enough: what is there stays."""
        self._enough = True

    def _title(self, cell: Cell) -> str:
        if len(cell.values) == 1:
            return self._settings[0].text(cell.values[0])
        both = zip(self._settings, cell.values, strict=True)
        return ", ".join(each.text(value) for each, value in both)

    def _show(self, run: int, cell: Cell, image: QImage | None) -> None:
        if run != self._run:
            return
        best = self._best([*(s.cell for s in self.board.shots), cell])
        self.board.take(cell, image, -1 if best is None else best.index)
        known = sum(s.cell.verdict is not None or bool(s.cell.error) for s in self.board.shots)
        self.bar.setValue(round(100 * known / len(self.board.shots)))
        self._tell()
        self._offer()

    @staticmethod
    def _best(cells: list[Cell]) -> Cell | None:
        """The gentlest that scans well."""
        good = [
            cell for cell in cells
            if cell.verdict is not None and cell.verdict.state == "well"
            and cell.verdict.fidelity is not None
        ]  # fmt: skip
        return max(good, key=lambda c: c.verdict.fidelity.ssim_view, default=None)

    def _tell(self) -> None:
        index = self.board.best
        if index < 0:
            self.told.setText("")
            return
        shot = self.board.shots[index]
        self.told.setText(
            tr(
                "Gentlest that scans well: {name}. {told}",
                name=self.name(shot.cell),
                told=shot.told,
            )
        )

    def name(self, cell: Cell) -> str:
        """A cell in words: what was set to what."""
        both = zip(self._settings, cell.values, strict=True)
        told = ", ".join(f"{each.label} {each.text(value)}" for each, value in both)
        return told[0].upper() + told[1:]

    def _end(self, run: int) -> None:
        if run != self._run:
            return
        self._running(False)
        if self.board.best < 0 and self._piece is not None and self._piece.picture.digest:
            known = any(shot.cell.verdict is not None for shot in self.board.shots)
            if known:
                self.told.setText(tr("None of these scans well."))
        if self.board.best >= 0 and not self.board.chosen:
            self.board.choose(self.board.best)
        self._offer()

    def _failed(self, run: int, error: UserError) -> None:
        self._end(run)
        self.say(str(error), "error")

    def _running(self, on: bool) -> None:
        self.hold_trials(on)
        self.sweep.setVisible(not on)
        self.stop.setVisible(on)
        self.bar.setVisible(on)
        self.bar.setValue(0)

    # What comes of it ----------------------------------------------------------------

    def _offer(self) -> None:
        known = [shot for shot in self.board.chosen if shot.cell.verdict is not None]
        self.take.setEnabled(len(known) == 1)
        self.take.setToolTip(
            tr("The piece becomes this one; undo brings it back") if len(known) == 1
            else tr("Choose one result")
        )  # fmt: skip
        self.keep.setEnabled(bool(known))
        self.keep.setToolTip(
            tr("Onto the draft shelf") if known else tr("Choose one result or several")
        )
        changed = self._piece is not None and bare(self._piece) != bare(self._base())
        text, rank = tr("Choose one to take it, or several to keep as drafts."), "soft"
        if not self.board.shots:
            text = tr("Choose what to sweep. Every result is judged by readers and trials.")
        elif changed:
            text, rank = tr("The piece was changed since; the board is of the older one."), "warn"
        self.say(text, rank)

    def _base(self) -> Piece:
        """The piece as it is, unless it is one of the board: taking that is no other change."""
        piece = bare(self.tools.session.piece)
        for shot in self.board.shots:
            if shot.cell.piece is not None and bare(shot.cell.piece) == piece:
                return self._piece
        return piece

    def _take_chosen(self) -> None:
        for shot in self.board.chosen[:1]:
            self.take_cell(shot.cell.index)

    def take_cell(self, index: int) -> None:
        """The piece becomes a result, as one undoable step."""
        shot = self.board.shots[index]
        if shot.cell.piece is None or shot.cell.verdict is None:
            return
        session = self.tools.session
        piece = shot.cell.piece.model_copy(update={"log": session.piece.log})
        name = self.name(shot.cell)
        session.put(piece, tr("Take {name}", name=within(name)))
        self.say(
            tr(
                "The piece has {name} now. Undo takes it back.",
                name=within(name),
            )
        )

    def keep_drafts(self) -> None:
        """The chosen results go onto the shelf."""
        session, drafts = self.tools.session, []
        for shot in self.board.chosen:
            cell = shot.cell
            if cell.verdict is None or cell.piece is None:
                continue
            kept = (*session.drafts, *drafts)
            if any(draft.piece == bare(cell.piece) for draft in kept):
                continue
            wish = shot.title if len(cell.values) > 1 else self.name(cell)
            drafts.append(
                made(cell.piece, free_name(kept, wish), shot.image, cell.verdict, cell.reach)
            )
        if not drafts:
            self.say(tr("These are on the shelf already."))
        elif add(session, drafts):
            self.drafts_kept.emit()
            count = (
                tr("One draft") if len(drafts) == 1 else tr("{drafts} drafts", drafts=len(drafts))
            )
            self.say(tr("{count} put on the shelf.", count=count))
        else:
            self.say(tr("The shelf is full. Remove some drafts first."), "error")

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.board.theme = theme
        self.board.setStyleSheet(
            f"QTableWidget {{ background: {theme.panel}; border: 1px solid {theme.rule};"
            " selection-background-color: transparent; outline: 0; }"
            "QTableWidget::item:selected, QTableWidget::item:focus { background: transparent; }"
        )
        self.board.viewport().update()

    def shut_down(self) -> None:
        self._run += 1
        super().shut_down()
