"""Many codes at once: a table in, files and a report out."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, QUrl, Signal
from PySide6.QtGui import QDesktopServices, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QMessageBox,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import NumberBox, row, soft
from nimble_tile.ui.kit.images import paths_in
from nimble_tile.ui.rooms.batch.table import Line, Lines, Wrong
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    from nimble_tile.core.batch.run import Order, Summary
    from nimble_tile.core.batch.work import Done
    from nimble_tile.ui.work.jobs import Progress
    from nimble_tile.ui.work.tools import Tools

TABLES = tr("Tables (*.csv *.tsv *.xlsx *.xlsm *.txt)")
PORTION = 100
"""Rows that come to the screen at once."""

EMPTY = tr(
    "Bring a table: a CSV file or a spreadsheet whose first line names the columns. “message” "
    "is what each code says, “name” what its file is called; any other column is a setting, "
    "such as level, strength, caption or picture. All rows are made in the look of the open piece."
)


class BatchWindow(SideWindow):
    """A table of rows, what is wrong with them, and their making.

    Signals
    -------
    read : list of Line
        Some rows were looked through.
    made : list of Done
        Some rows were made.
    """

    read = Signal(object)
    made = Signal(object)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("Many codes at once"), 1080, 700)
        self.path: Path | None = None
        self.lines, self.wrong = Lines(self), Wrong(self)
        self.wrong.setSourceModel(self.lines)
        self._total = self._done = self._failed = 0
        self._run = 0
        self._running = False
        self._make_controls()
        self._lay_out()
        self.setAcceptDrops(True)
        self.read.connect(self._took)
        self.made.connect(self._learned)
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.setInterval(500)
        self._again.timeout.connect(self.look_through)
        tools.session.changed.connect(lambda _: self._stir())
        self._offer()

    def _make_controls(self) -> None:
        self.choose = QPushButton(tr("Bring a table…"))
        self.choose.clicked.connect(self.choose_table)
        self.named = soft("", wraps=False)
        self.pattern = QLineEdit("{row:5}-{name}")
        self.pattern.setAccessibleName(tr("Pattern of the file names"))
        self.pattern.setToolTip(tr("Fields: {row}, {row:5}, {name}, {message}"))
        self.pattern.editingFinished.connect(self._stir)
        self.only = QCheckBox(tr("Only what is wrong"))
        self.only.toggled.connect(self.wrong.show_only_wrong)
        self.table = QTableView()
        self.table.setModel(self.wrong)
        self.table.setAccessibleName(tr("Rows of the table"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(26)
        self.table.setWordWrap(False)
        self.table.setShowGrid(False)
        self.table.setAlternatingRowColors(True)
        head = self.table.horizontalHeader()
        head.setHighlightSections(False)
        for column, width in enumerate((60, 150, 250, 200, 240)):
            self.table.setColumnWidth(column, width)
        head.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        self.empty = soft(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setMargin(120)
        self.start = QPushButton(tr("Make all…"))
        self.start.setProperty("main", True)
        self.start.clicked.connect(self.choose_folder)
        self.stop_it = QPushButton(tr("Stop"))
        self.stop_it.clicked.connect(self.jobs.cancel)
        self.report = QPushButton(tr("Open the report"))
        self.report.clicked.connect(self.open_report)
        self.mm = NumberBox(tr("Side of a sticker"), 10, 200, "mm", 5)
        self.mm.set_value(40)
        self.stickers = QPushButton(tr("Sticker sheets"))
        self.stickers.setToolTip(tr("All codes that scan on A4 sheets with crop marks, as PDF"))
        self.stickers.clicked.connect(self.make_stickers)

    def _lay_out(self) -> None:
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 12)
        whole.setSpacing(10)
        top = row(self.choose, self.named, 1, soft(tr("File names"), wraps=False), self.pattern)
        self.pattern.setFixedWidth(200)
        whole.addLayout(top)
        self.told = soft("", wraps=False)
        whole.addLayout(row(self.told, 1, self.only))
        whole.addWidget(self.empty, 1)
        whole.addWidget(self.table, 1)
        whole.addWidget(self.bar)
        whole.addLayout(
            self.foot(self.report, self.mm, self.stickers, self.stop_it, self.start)
        )  # fmt: skip
        self.bar.hide()
        self.bar.setRange(0, 1000)

    # The table ----------------------------------------------------------------------------

    def choose_table(self) -> None:
        """Ask for a table."""
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Bring a table"), self.tools.settings.folder_of("tables"), TABLES
        )
        if path:
            self.bring(Path(path))

    def bring(self, path: Path) -> None:
        """Take a table, and look through its rows."""
        self.tools.settings.set_folder_of("tables", path)
        self.path = path
        self.folder: Path | None = None
        self.look_through()

    def _stir(self) -> None:
        """Piece or pattern are others: what was found to be wrong may not be any more."""
        if self.path is not None and self.isVisible() and not self._running:
            self._again.start()

    def order(self, folder: Path) -> Order:
        """What is to be made; raises `UserError` where the pattern is none."""
        from nimble_tile.core.batch.names import Pattern
        from nimble_tile.core.batch.run import Order
        from nimble_tile.core.output.formats import SUFFIX

        piece = self.tools.session.piece
        pattern = Pattern(self.pattern.text(), SUFFIX[piece.finish.format])
        return Order(folder, piece, self.tools.pictures, pattern, self.path.parent.absolute())

    def look_through(self) -> None:
        """Read all rows, and find what is wrong before anything is made."""
        path = self.path
        if path is None:
            return
        self.halt()
        self.lines.clear()
        self._run += 1
        run = self._run
        self._total = self._failed = 0
        self.named.setText(path.name)
        self.empty.hide()
        self.table.show()
        try:
            order = self.order(path.parent)
        except UserError as error:
            self.say(str(error), "error")
            self._offer()
            return
        self.say("")

        def work(progress: Progress) -> bool:
            from nimble_tile.core.batch.faults import faults
            from nimble_tile.core.batch.rows import rows_in

            portion: list[Line] = []
            for each, name, wrong in faults(rows_in(path), order, lambda: progress.cancelled):
                portion.append(Line(each.number, each.name, each.message[:300], name, wrong))
                if len(portion) == PORTION:
                    self.read.emit((run, portion))
                    portion = []
                    progress.step(tr("Looking through the rows"), 0)
            self.read.emit((run, portion))
            return True

        def failed(error: UserError) -> None:
            self.lines.clear()
            self.say(str(error), "error")
            self._offer()

        self.jobs.start(work, lambda _: self._offer(), failed)

    def _took(self, found: tuple[int, list[Line]]) -> None:
        run, lines = found
        if run != self._run:
            return
        self.lines.add(lines)
        self._total += len(lines)
        self._failed += sum(line.wrong for line in lines)
        told = tr("{total} rows", total=self._total)
        if self._failed:
            told += tr(", {failed} of them cannot be made as they are", failed=self._failed)
        self.told.setText(
            tr("{told}. Made in the look of “{name}”.", told=told, name=self.tools.session.name)
        )
        self._offer()

    # Making -----------------------------------------------------------------------------------

    def choose_folder(self) -> None:
        """Ask where the files go, and make all rows."""
        folder = QFileDialog.getExistingDirectory(
            self, tr("Folder for the codes"), self.tools.settings.folder_of("batches")
        )
        if folder:
            self.make_into(Path(folder))

    def make_into(self, folder: Path, resume: bool | None = None) -> None:
        """Make all rows in a folder; an earlier batch there is gone on with, if that is wanted."""
        from nimble_tile.core.batch.run import STATE

        earlier = (folder / STATE / "order.json").is_file()
        if earlier and resume is None and not self.ask_resume(folder):
            return
        try:
            order = self.order(folder)
        except UserError as error:
            self.say(str(error), "error")
            return
        self.tools.settings.set_folder_of("batches", folder / "x")
        self.folder, path = folder, self.path
        self._done = self._failed = 0
        self.lines.forget()
        self._running = True
        self.hold_trials(True)
        self.bar.show()
        self._offer()

        def work(progress: Progress) -> Summary:
            from nimble_tile.core.batch.report import write_reports
            from nimble_tile.core.batch.rows import rows_in
            from nimble_tile.core.batch.run import run

            waiting: list[Done] = []

            def step(done: Done, kept: bool) -> None:
                waiting.append(done)
                if len(waiting) >= PORTION or not kept:
                    self.made.emit(tuple(waiting))
                    waiting.clear()

            found = run(
                rows_in(path), order, resume=earlier, step=step, stop=lambda: progress.cancelled
            )
            self.made.emit(tuple(waiting))
            write_reports(order)
            return found

        def failed(error: UserError) -> None:
            self._ended()
            self.say(str(error), "error")

        self.jobs.start(work, self._finished, failed)

    def ask_resume(self, folder: Path) -> bool:
        """Ask whether an earlier batch is to be gone on with."""
        answer = QMessageBox.question(
            self, tr("An earlier batch"),
            tr("{name} holds an earlier batch. Go on where it was left? Rows that are "
               "made already stay as they are.", name=folder.name),
        )  # fmt: skip
        return answer == QMessageBox.StandardButton.Yes

    def _learned(self, found: tuple[Done, ...]) -> None:
        for done in found:
            self._done += 1
            self._failed += not done.scans
            self.lines.learn(done.row, "" if done.scans else done.why, done.state, len(done.read))
        total = max(self._total, self._done, 1)
        self.bar.setValue(round(1000 * self._done / total))
        wrong = tr(", {failed} of them wrong", failed=self._failed) if self._failed else ""
        self.say(tr("{done} of {total} rows{wrong}.", done=self._done, total=total, wrong=wrong))

    def _finished(self, found: Summary) -> None:
        self._ended()
        stopped = tr("Stopped. ") if found.stopped else ""
        kept = tr(", {kept} of them by an earlier run", kept=found.kept) if found.kept else ""
        failed = (
            tr(" {failed} are wrong: see the table.", failed=len(found.failed))
            if found.failed
            else ""
        )
        self.say(
            tr(
                "{stopped}{done} of {total} rows made{kept} in {seconds:.0f} s.{failed}",
                stopped=stopped,
                done=found.done,
                total=max(self._total, found.rows),
                kept=kept,
                seconds=found.seconds,
                failed=failed,
            ),
            "warn" if found.failed else "soft",
        )
        if found.stopped:
            self.start.setText(tr("Go on…"))

    def _ended(self) -> None:
        self._running = False
        self.bar.hide()
        self.hold_trials(False)
        self.start.setText(tr("Make all…"))
        self._offer()

    def _offer(self) -> None:
        """What can be done now."""
        there = bool(self.lines.lines)
        self.empty.setVisible(not there and self.path is None)
        self.table.setVisible(there or self.path is not None)
        self.only.setVisible(there)
        self.start.setEnabled(there and not self._running)
        self.start.setToolTip("" if there else tr("Bring a table first"))
        self.start.setVisible(not self._running)
        self.stop_it.setVisible(self._running)
        self.choose.setEnabled(not self._running)
        self.pattern.setEnabled(not self._running)
        made = getattr(self, "folder", None) is not None and not self._running
        for widget in (self.report, self.mm, self.stickers):
            widget.setVisible(made)

    # What came of it ----------------------------------------------------------------------------

    def open_report(self) -> None:
        """Show the contact sheets in the program that opens web pages."""
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.folder / "contact-001.html")))

    def make_stickers(self) -> None:
        """Lay all codes that scan on sheets."""
        try:
            order = self.order(self.folder)
        except UserError as error:
            self.say(str(error), "error")
            return
        mm = self.mm.value()

        def work(progress: Progress) -> list[Path]:
            from nimble_tile.core.batch.stickers import write_stickers

            return write_stickers(order, mm, stop=lambda: progress.cancelled)

        def done(paths: list[Path]) -> None:
            self.say(
                tr(
                    "Wrote {paths} PDF files of sticker sheets, {name} first.",
                    paths=len(paths),
                    name=paths[0].name,
                )
            )

        self.jobs.start(work, done, lambda error: self.say(str(error), "error"))

    # Comfort --------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if not self._running and paths_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for path in paths_in(event.mimeData())[:1]:
            self.bring(path)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.lines.theme = theme
        self.table.viewport().update()
