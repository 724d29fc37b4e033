"""The link desk's window: all short links, and everything about the chosen one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QFont, QGuiApplication
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMessageBox,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import OutputError, UserError
from nimble_tile.core.files import read_bytes, write_atomically
from nimble_tile.core.language import tr
from nimble_tile.standins.linkdesk.links import HOST, Link
from nimble_tile.standins.linkdesk.store import MOST_BYTES, DeskStore, expiry
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.asking import save_path
from nimble_tile.ui.kit.controls import named, row, set_checked, soft
from nimble_tile.ui.rooms.links.plot import VisitsPlot
from nimble_tile.ui.work.side_window import SideWindow

if TYPE_CHECKING:
    from nimble_tile.standins.linkdesk.service import LinkDesk
    from nimble_tile.ui.work.jobs import Progress
    from nimble_tile.ui.work.tools import Tools

WAIT = 0.05
"""Seconds that the window waits while another program writes to the desk's file."""

REFRESH = 1000
"""Milliseconds after which visits are counted again while the window is in sight."""

TABLES = tr("Tables (*.csv)")

RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter

HEADS = (tr("Link"), tr("Leads to"), tr("Visits"), tr("Note"))


class OwnDesk(Protocol):
    """The desk that the window belongs to."""

    desk: LinkDesk

    @property
    def on(self) -> bool:
        """Whether it answers."""

    def switch(self, on: bool) -> None:
        """Let it answer, or no longer."""

    def use(self, link: str) -> None:
        """Let the message be one of its links."""


class LinksWindow(SideWindow):
    """Short links: where they lead, until when, and how often they were followed.

    Signals
    -------
    changed
        A link, or whether the desk answers.
    """

    changed = Signal()

    def __init__(self, desk: OwnDesk, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("Link desk"), 1060, 660)
        self.desk = desk
        self.store = DeskStore(desk.desk.path, desk.desk.port, WAIT)
        self.links: list[Link] = []
        self.switch = QCheckBox(tr("Answer on this machine"))
        self.switch.toggled.connect(self._switch)
        self.where = soft()
        self.public = QLineEdit()
        self.public.setPlaceholderText(tr("your own domain and path, as in lanternwalk.example/go"))
        self.public.setAccessibleName(tr("Your address"))
        self.public.setToolTip(
            tr("Links are printed at this address. The server there answers by the rules that are "
               "written here; this machine is needed no more.")
        )  # fmt: skip
        self.public.editingFinished.connect(lambda: self._try(self._set_public))
        self.rules = QPushButton(tr("Rules for its server\u2026"))
        self.table = QTableWidget(0, len(HEADS))
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.setAccessibleName(tr("Short links"))
        self.table.verticalHeader().hide()
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setWordWrap(False)
        self.table.setShowGrid(False)
        head = self.table.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setHighlightSections(False)
        for column, width in ((0, 84), (2, 64), (3, 160)):
            self.table.setColumnWidth(column, width)
        self.table.itemSelectionChanged.connect(self._show_chosen)
        self.empty = soft(
            tr(
                "No short links yet. One is made on the rung Message, or here: it "
                "takes less room in "
                "a code than a long address, and can lead elsewhere once the code is printed."
            )
        )
        self.target, self.ends, self.fallback, self.words = (QLineEdit() for _ in range(4))
        self.ends.setPlaceholderText(tr("never; or 2031-05-17 18:00"))
        self.fallback.setPlaceholderText(tr("nowhere"))
        self.words.setPlaceholderText(tr("your own words"))
        self.now = QLabel()
        self.now.setTextFormat(Qt.TextFormat.PlainText)
        self.keep = QPushButton(tr("Lead there from now on"))
        self.keep.setProperty("main", True)
        self.use, self.copy = QPushButton(tr("Use it in the piece")), QPushButton(tr("Copy it"))
        self.remove = QPushButton(tr("Remove it\u2026"))
        self.led = soft()
        self.led.setTextFormat(Qt.TextFormat.PlainText)
        self.plot = VisitsPlot()
        self.new = QPushButton(tr("New link"))
        self.out, self.visits_out, self.take = (
            QPushButton(text)
            for text in (
                tr("Links as CSV\u2026"),
                tr("Visits as CSV\u2026"),
                tr("Take a CSV in\u2026"),
            )
        )
        self.side = QWidget()
        self._lay_out()
        for line in (self.target, self.ends, self.fallback, self.words):
            line.textEdited.connect(self._typed)
            line.returnPressed.connect(self._keep)
        for button, does in (
            (self.keep, self._keep), (self.use, self._use), (self.copy, self._copy),
            (self.remove, self._remove), (self.new, self._new), (self.out, self._links_out),
            (self.visits_out, self._visits_out), (self.take, self._take_in),
            (self.rules, self._rules_out),
        ):  # fmt: skip
            button.clicked.connect(lambda _=False, does=does: self._try(does))
        self._timer = QTimer(self)
        self._timer.setInterval(REFRESH)
        self._timer.timeout.connect(lambda: self._try(self.refresh))

    def _lay_out(self) -> None:
        side = QVBoxLayout(self.side)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(8)
        side.addWidget(self.now)
        for label, line in (
            (tr("Leads to"), self.target), (tr("Until"), self.ends), (tr("Then to"), self.fallback),
            (tr("Note"), self.words),
        ):  # fmt: skip
            line.setAccessibleName(label)
            side.addLayout(named(label, line, 64))
        side.addLayout(row(self.keep, 1))
        side.addLayout(row(self.use, self.copy, self.remove, 1))
        side.addWidget(self.plot, 1)
        side.addWidget(self.led)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.empty)
        left.addWidget(self.table, 1)
        left.addLayout(row(self.new, self.out, self.visits_out, self.take, 1))
        middle = QHBoxLayout()
        middle.setSpacing(20)
        middle.addLayout(left, 4)
        middle.addWidget(self.side, 3)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.setSpacing(12)
        line = row(self.switch, self.where)
        line.setStretch(1, 1)
        own = named(tr("Your address"), self.public, 96)
        own.addWidget(self.rules)
        whole.addLayout(own)
        whole.addLayout(line)
        whole.addLayout(middle, 1)
        whole.addLayout(self.foot())
        self.bar.hide()

    def _try(self, work: Callable[[], None]) -> None:
        """What a person can put right is said at the foot."""
        try:
            work()
        except UserError as error:
            self.say(str(error), "error")

    # Showing -----------------------------------------------------------------------

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._try(self.refresh)
        self._timer.start()

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self._timer.stop()

    @property
    def chosen(self) -> Link | None:
        """The link that is chosen."""
        at = self.table.currentRow()
        return self.links[at] if 0 <= at < len(self.links) and self.table.selectedItems() else None

    def refresh(self) -> None:
        """Show what the desk has now."""
        self._show_switch()
        links, counts = self.store.links(), self.store.counts()
        visits: Counter = Counter()
        for one in counts:
            visits[one.key] += one.count
        chosen, same = self.chosen, [link.key for link in links] == [one.key for one in self.links]
        self.links = links
        if not same:
            self.table.blockSignals(True)
            self.table.setRowCount(len(links))
        now = datetime.now(UTC)
        for at, link in enumerate(links):
            told = (
                link.key, link.leads_to(now) or tr("nowhere any more"), str(visits[link.key]),
                link.note,
            )  # fmt: skip
            for column, text in enumerate(told):
                item = self.table.item(at, column)
                if item is None or item.text() != text:
                    item = QTableWidgetItem(text)
                    item.setToolTip(themes.plain_tip(text))
                    if column == 2:
                        item.setTextAlignment(
                            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                        )
                    self.table.setItem(at, column, item)
        if not same or not links:
            keys = [link.key for link in links]
            at = keys.index(chosen.key) if chosen is not None and chosen.key in keys else 0
            self.table.clearSelection()
            if links:
                self.table.selectRow(at)
            self.table.blockSignals(False)
            self._show_chosen()
        self.empty.setVisible(not links)
        self.table.setVisible(bool(links))
        self._show_visits()

    def _set_public(self) -> None:
        if self.public.text().strip() != self.store.public:
            made = self.store.set_public(self.public.text())
            self.public.setText(made)
            self.public.setModified(False)
            if made:
                told = tr(
                    "Links are printed at {made}. Write the rules for its server before printing.",
                    made=made,
                )
            else:
                told = tr("Links are this machine’s own again: no phone can follow them.")
            self._again(told)

    def _rules_out(self) -> None:
        kinds = {tr("nginx (*.conf)"): "nginx", tr("Apache (*.htaccess)"): "apache",
                 tr("Data (*.json)"): "json"}  # fmt: skip
        self.store.rules("json")  # says so where there is no address
        name, chosen = QFileDialog.getSaveFileName(
            self, tr("Rules for the server"), "links.conf", ";;".join(kinds)
        )
        if name:
            self.rules_to(Path(name), kinds.get(chosen, "nginx"))

    def rules_to(self, path: Path, kind: str) -> None:
        """Write the table for the server at the public address; `kind`: nginx, apache or json."""
        data = self.store.rules(kind).encode()
        write_atomically(path, lambda file: file.write(data), OutputError, "write")
        self.say(tr("Wrote {name}. Write it anew when links change.", name=path.name))

    def _show_switch(self) -> None:
        if not self.public.isModified() and not self.public.hasFocus():
            self.public.setText(self.store.public)
        set_checked(self.switch, self.desk.on)
        self.where.setText(
            tr("at http://{host}:{port}, for programs of this machine: to try things out. "
               "A phone cannot reach it.", host=HOST, port=self.store.port) if self.desk.on
            else tr("It is off: short links lead nowhere until it is switched on.")
        )  # fmt: skip

    def _show_chosen(self) -> None:
        link = self.chosen
        self.side.setVisible(link is not None)
        if link is None:
            return
        self.now.setText(self.store.address(link.key))
        ends = link.expires.astimezone().strftime("%Y-%m-%d %H:%M") if link.expires else ""
        for line, text in (
            (self.target, link.target), (self.ends, ends), (self.fallback, link.fallback),
            (self.words, link.note),
        ):  # fmt: skip
            line.setText(text)
            line.setCursorPosition(0)
        self.keep.setEnabled(False)
        led = self.store.history(link.key)
        self.led.setText(
            "\n".join(
                f"{one.since.astimezone():%Y-%m-%d %H:%M}  {_short(one.target)}" for one in led[:4]
            )
        )
        self._show_visits()

    def _show_visits(self) -> None:
        link = self.chosen
        if link is not None:
            today = datetime.now().astimezone().date()
            self.plot.take(self.store.counts(link.key), today)

    # Doing -------------------------------------------------------------------------

    def _switch(self, on: bool) -> None:
        def work() -> None:
            try:
                self.desk.switch(on)
            finally:
                self._show_switch()
            self.say("")

        self._try(work)
        self.changed.emit()

    def _typed(self) -> None:
        self.keep.setEnabled(True)

    def _keep(self) -> None:
        if (link := self.chosen) is None or not self.keep.isEnabled():
            return

        def work() -> None:
            self.store.change(
                replace(
                    link, target=self.target.text(), expires=expiry(self.ends.text().strip()),
                    fallback=self.fallback.text(), note=self.words.text(),
                )
            )  # fmt: skip
            self._again(tr("Kept. Codes that are printed already lead there, too."))

        self._try(work)

    def _again(self, told: str) -> None:
        self.refresh()
        self._show_chosen()
        self.say(told)
        self.changed.emit()

    def _use(self) -> None:
        if (link := self.chosen) is not None:
            self.desk.use(self.store.address(link.key))
            self.say(tr("The piece has this link now; undo takes it back."))

    def _copy(self) -> None:
        if (link := self.chosen) is not None:
            QGuiApplication.clipboard().setText(self.store.address(link.key))
            self.say(tr("Copied."))

    def _new(self) -> None:
        message = self.tools.session.piece.message
        offered = message.text if message.kind == "link" else ""
        if self.store.key_of(offered) is not None:
            offered = ""
        typed, taken = QInputDialog.getText(
            self, tr("New link"), tr("Where it is to lead:"), text=offered
        )
        if not taken:
            return
        link = self.store.add(typed)
        self.refresh()
        self.table.selectRow([one.key for one in self.links].index(link.key))
        self._again(tr("Made."))

    def _remove(self) -> None:
        if (link := self.chosen) is None:
            return
        asked = QMessageBox.question(
            self, tr("Remove"),
            tr("Codes that have this link will lead nowhere, and its visits are "
            "forgotten. Remove it?"),
        )  # fmt: skip
        if asked == QMessageBox.StandardButton.Yes:
            self.store.remove(link.key)
            self._again(tr("Removed."))

    def _links_out(self) -> None:
        self._write(tr("Links as CSV"), "links.csv", self.store.as_csv())

    def _visits_out(self) -> None:
        self._write(tr("Visits as CSV"), "visits.csv", self.store.counts_as_csv())

    def _write(self, title: str, name: str, text: str) -> None:
        path = save_path(self, title, name, TABLES, (".csv",))
        if path is not None:
            data = text.encode()
            write_atomically(path, lambda file: file.write(data), OutputError, "write")
            self.say(tr("Wrote {name}.", name=path.name))

    def _take_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Take a CSV in"), "", TABLES)
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Take a table of links in, away from the window's thread."""

        def work(progress: Progress) -> tuple[int, int]:
            try:
                text = read_bytes(path, MOST_BYTES, UserError).decode("utf-8-sig")
            except UnicodeDecodeError:
                raise UserError(tr("{name} is no table in UTF-8.", name=path.name)) from None
            lines = 1 + text.count("\n")
            store = DeskStore(self.desk.desk.path, self.store.port)
            try:
                return store.take_csv(
                    text, lambda line: progress.step(tr("Taking links in"), min(1, line / lines))
                )
            finally:
                store.close()

        def done(found: tuple[int, int]) -> None:
            self.take.setEnabled(True)
            changed, added = found
            self._try(lambda: self._again(
                tr("{changed} links changed, {added} new.", changed=changed, added=added)
            ))  # fmt: skip

        def failed(error: UserError) -> None:
            self.take.setEnabled(True)
            self.say(str(error), "error")

        self.take.setEnabled(False)
        self.say(tr("Taking links in"))
        self.jobs.start(work, done, failed)

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self.plot.theme = theme
        self.plot.update()
        self.now.setFont(themes.font(17, QFont.Weight.DemiBold))
        self.table.setStyleSheet(
            f"QTableWidget {{ background: {theme.field}; border: 1px solid {theme.rule}; }}"
            "QTableWidget::item { padding: 0 8px; }"
            f"QTableWidget::item:selected {{ background: {theme.tint}; color: {theme.ink}; }}"
            f"QHeaderView::section {{ background: {theme.panel}; color: {theme.soft}; border: 0;"
            f" border-bottom: 1px solid {theme.rule}; padding: 5px 8px; }}"
        )

    def shut_down(self) -> None:
        self._timer.stop()
        super().shut_down()
        self.store.close()


def _short(text: str, most: int = 52) -> str:
    return text if len(text) <= most else text[: most - 1] + "\u2026"
