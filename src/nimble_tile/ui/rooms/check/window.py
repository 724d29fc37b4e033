"""Checking anything: images from files, folders, clipboard, bench; every code on them."""

from __future__ import annotations

import html
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QMimeData, QSize, Qt, Signal
from PySide6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QIcon,
    QImage,
)
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import counted, tr, within
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.asking import save_path
from nimble_tile.ui.kit.controls import row, rule, scrolled
from nimble_tile.ui.kit.images import from_qimage, image_in, paths_in, to_qimage, welcome
from nimble_tile.ui.rooms.check.codes_view import CodesView
from nimble_tile.ui.rooms.check.details import CodeDetails
from nimble_tile.ui.rooms.check.item import CheckedImage, close_up, reduced, state_icon
from nimble_tile.ui.work.jobs import Cancelled, Progress
from nimble_tile.ui.work.side_window import SideWindow
from nimble_tile.ui.work.watcher import Watcher

if TYPE_CHECKING:
    from nimble_tile.core.checking.check import Checked, Finding
    from nimble_tile.core.checking.sources import Source
    from nimble_tile.ui.work.tools import Tools

_FILES = tr("Images (*.png *.jpg *.jpeg *.webp *.tif *.tiff *.svg *.pdf)")


class CheckWindow(SideWindow):
    """The window that checks; it belongs to a main window and uses its readers and trials.

    Signals
    -------
    mend_wanted : ndarray, str, str
        An image is to be mended: its pixels, its name, what it is to say.
    """

    mend_wanted = Signal(object, str, str)

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(tools, parent, tr("Check"), 1120, 740)
        self.setAcceptDrops(True)
        self.items: list[CheckedImage] = []
        self.watcher = Watcher(self)
        self._theme = themes.LIGHT
        self.add, self.folder, self.watch = (
            QPushButton(tr("Add images…")), QPushButton(tr("Add a folder…")),
            QPushButton(tr("Watch a folder…")),
        )  # fmt: skip
        self.watch.setToolTip(tr("Each new image in a folder is checked as it appears"))
        self.pasted = QPushButton(tr("From the clipboard"))
        self.with_trials = QCheckBox(tr("With trials"))
        self.with_trials.setToolTip(tr("Each code also goes through the trials of the wall"))
        self.compares = QCheckBox(tr("Compare with the intended message"))
        self.compares.setChecked(True)
        self.intended = QPlainTextEdit()
        self.intended.setAccessibleName(tr("Intended message"))
        self.intended.setFixedHeight(58)
        self.intended.setPlainText(tools.session.piece.message.text)
        self.mend = QPushButton(tr("Mend this image…"))
        self.report, self.clear = QPushButton(tr("Save a report…")), QPushButton(tr("Clear"))
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setAccessibleName(tr("Images and their codes"))
        self.tree.setIconSize(QSize(16, 16))
        self.tree.setMinimumWidth(260)
        self.tree.setAllColumnsShowFocus(True)
        self.picture, self.details = CodesView(), CodeDetails()
        self.cancel = QPushButton(tr("Stop"))
        self._lay_out()
        self._connect()
        self._show_buttons()
        self.details.take(None, None)
        self.bar.hide()
        self.cancel.hide()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.tree, 1)
        left.addWidget(self.compares)
        left.addWidget(self.intended)
        left.addLayout(row(self.mend, 1))
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.picture, 3)
        right.addWidget(scrolled(self.details), 4)
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addLayout(left, 2)
        body.addLayout(right, 5)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 12)
        whole.setSpacing(12)
        whole.addLayout(
            row(self.add, self.folder, self.pasted, self.watch, self.with_trials, 1, self.report,
                self.clear)
        )  # fmt: skip
        whole.addWidget(rule())
        whole.addLayout(body, 1)
        foot = QHBoxLayout()
        foot.setSpacing(12)
        foot.addWidget(self.note, 2)
        foot.addWidget(self.bar, 1)
        foot.addWidget(self.cancel)
        whole.addLayout(foot)

    def _connect(self) -> None:
        self.add.clicked.connect(self.choose_files)
        self.folder.clicked.connect(self.choose_folder)
        self.watch.clicked.connect(self.toggle_watch)
        self.pasted.clicked.connect(self.paste)
        self.mend.clicked.connect(self.hand_to_mending)
        self.report.clicked.connect(self.choose_report)
        self.clear.clicked.connect(self.forget)
        self.tree.currentItemChanged.connect(lambda *_: self._show())
        self.picture.chosen.connect(self._choose_code)
        self.compares.toggled.connect(lambda _: self._show())
        self.intended.textChanged.connect(self._show)
        self.details.take_it.clicked.connect(self._take_message)
        self.jobs.running.connect(self._running)
        self.jobs.idle.connect(self._idle)
        self.cancel.clicked.connect(self._stop)
        self.watcher.appeared.connect(lambda path: self.check_paths([path]))
        self.watcher.lost.connect(self._lost)

    @property
    def folder_now(self) -> str:
        """Folder of what was checked last."""
        return self.tools.settings.folder_of("checks")

    # What comes in -------------------------------------------------------------

    def choose_files(self) -> None:
        """Ask for images."""
        paths, _ = QFileDialog.getOpenFileNames(
            self, tr("Check images"), self.tools.settings.folder_of("checks"), _FILES
        )
        if paths:
            self.tools.settings.set_folder_of("checks", Path(paths[0]))
            self.check_paths([Path(path) for path in paths])

    def choose_folder(self) -> None:
        """Ask for a folder whose images are checked."""
        path = QFileDialog.getExistingDirectory(
            self, tr("Check a folder"), self.tools.settings.folder_of("checks")
        )
        if path:
            self.tools.settings.set("folder of checks", path)
            self.check_paths([Path(path)])

    def toggle_watch(self) -> None:
        """Ask for a folder to watch, or watch no longer."""
        if self.watcher.folder is not None:
            self.watcher.stop()
            self.say(tr("The folder is no longer watched."))
            self._show_buttons()
            return
        path = QFileDialog.getExistingDirectory(
            self, tr("Watch a folder"), self.tools.settings.folder_of("checks")
        )
        if path:
            self.watch_folder(Path(path))

    def watch_folder(self, path: Path) -> None:
        """Check each new image in a folder as it appears."""
        self.watcher.watch(path)
        self.say(tr("Watching {name}: each new image is checked as it appears.", name=path.name))
        self._show_buttons()

    def paste(self) -> None:
        """Check the image or the files that lie on the clipboard."""
        mime = QGuiApplication.clipboard().mimeData()
        if not self._take(mime, tr("From the clipboard")):
            self.say(tr("There is no image on the clipboard."), "error")

    def _take(self, mime: QMimeData | None, name: str) -> bool:
        """Check the files or the image that lie there; False where there are none."""
        paths, image = paths_in(mime), image_in(mime)
        if paths:
            self.check_paths(paths)
        elif not image.isNull():
            self.check_image(image, name)
        return bool(paths) or not image.isNull()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        welcome(event)

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self._take(event.mimeData(), tr("Dropped image"))

    def check_paths(self, paths: Sequence[Path]) -> None:
        """Check files and the images of folders, one after another."""
        from nimble_tile.core.checking.sources import images, listed

        for path in paths:
            try:
                found = listed(path)
            except UserError as error:
                self.say(str(error), "error")
                continue
            if not found:
                self.say(tr("There are no images in {name}.", name=path.name), "error")
            for file in found:
                self._queue(lambda f=file: images(f), file.name)

    def check_image(self, image: QImage, name: str) -> None:
        """Check an image from memory."""
        from nimble_tile.core.checking.sources import Source

        pixels = from_qimage(image)
        self._queue(lambda: [Source(name, image=pixels)], name)

    def _queue(self, sources: Callable, name: str) -> None:
        trials = tuple(self.tools.prover.trials) if self.with_trials.isChecked() else ()
        room = self.tools.prover.room() if trials else None
        bay = self.tools.bay

        def work(progress: Progress) -> list[CheckedImage]:
            from nimble_tile.core.checking.check import check
            from nimble_tile.core.checking.report import Entry
            from nimble_tile.core.checking.sources import nth
            from nimble_tile.core.errors import Stopped

            progress.step(tr("Opening {name}", name=name), 0.0)
            made = []
            for number, source in enumerate(sources()):
                if source.image is None:
                    made.append(
                        CheckedImage(Entry(source.name, error=str(source.error)), 1.0, None)
                    )
                    continue

                def tell(what: str, share: float, called: str = source.name) -> None:
                    progress.step(f"{called}: {within(what)}", share)

                try:
                    checked: Checked = check(
                        source.image, bay, None, room, trials, tell=tell,
                        stop=lambda: progress.cancelled,
                    )  # fmt: skip
                except Stopped:
                    raise Cancelled from None
                small, scale = reduced(source.image)
                entry = Entry(source.name, checked, "", small)
                crops = tuple(to_qimage(close_up(source.image, f)) for f in checked.findings)
                again = partial(nth, sources, number)
                made.append(CheckedImage(entry, scale, to_qimage(small), crops, again))
            return made

        self.jobs.start(work, self._took, lambda error: self.say(str(error), "error"))

    # What is known ---------------------------------------------------------------

    def _took(self, made: list[CheckedImage]) -> None:
        for item in made:
            self.items.append(item)
            top = QTreeWidgetItem([item.entry.name])
            top.setIcon(0, self._icon_of(item.state))
            top.setData(0, Qt.ItemDataRole.UserRole, (len(self.items) - 1, -1))
            top.setToolTip(0, html.escape(item.entry.name))
            self.tree.addTopLevelItem(top)
            codes = () if item.entry.checked is None else item.entry.checked.findings
            for index, finding in enumerate(codes):
                text = " ".join(finding.text.split())
                child = QTreeWidgetItem([f"{index + 1}  {text[:80]}"])
                child.setIcon(0, self._icon_of(finding.verdict.state))
                child.setData(0, Qt.ItemDataRole.UserRole, (len(self.items) - 1, index))
                top.addChild(child)
            top.setExpanded(True)
            self.tree.setCurrentItem(top.child(0) or top)
        codes = sum(len(i.entry.checked.findings) for i in self.items if i.entry.checked)
        self.say(
            counted("{count} image", "{count} images", len(self.items))
            + ", "
            + counted("{count} code.", "{count} codes.", codes)
        )
        self._show_buttons()

    @property
    def chosen(self) -> tuple[CheckedImage | None, int]:
        """The image and the code that are looked at; -1 where there is none."""
        current = self.tree.currentItem()
        if current is None:
            return None, -1
        at, index = current.data(0, Qt.ItemDataRole.UserRole)
        item = self.items[at]
        if index < 0 and item.entry.checked is not None and item.entry.checked.findings:
            index = 0
        return item, index

    @property
    def expected(self) -> str | None:
        """The intended message, where it is to be compared with."""
        text = self.intended.toPlainText()
        return text if self.compares.isChecked() and text else None

    def _show(self) -> None:
        item, index = self.chosen
        self.intended.setEnabled(self.compares.isChecked())
        self.picture.take(item, index)
        finding = crop = None
        if item is not None and index >= 0:
            finding, crop = item.entry.checked.findings[index], item.crops[index]
        self.details.take(finding, self.expected, crop)
        self._offer_mending(item, finding)
        if item is not None and item.entry.error:
            self.say(item.entry.error, "error")
        elif item is not None and finding is None:
            self.say(tr("No reader found a code on {name}.", name=item.entry.name), "error")

    def _choose_code(self, index: int) -> None:
        current = self.tree.currentItem()
        if current is not None:
            top = current.parent() or current
            self.tree.setCurrentItem(top.child(index))

    def _take_message(self) -> None:
        from nimble_tile.core.message import kinds

        session = self.tools.session
        message = kinds.understand(self.details.finding.text)
        session.put(
            session.piece.model_copy(update={"message": message}), tr("Take a checked message")
        )
        self.say(tr("The piece says this now."))

    def _offer_mending(self, item: CheckedImage | None, finding: Finding | None) -> None:
        can = item is not None and item.again is not None
        says = self.expected or ("" if finding is None else finding.text)
        self.mend.setEnabled(can and bool(says))
        lacks = can and not says
        self.mend.setToolTip(
            tr("Mending needs the intended message") if lacks else tr("So that it scans")
        )

    def hand_to_mending(self) -> None:
        """Open the image that is looked at in the window that mends."""
        item, index = self.chosen
        says = self.expected or item.entry.checked.findings[index].text

        def took(source: Source) -> None:
            if source.image is None:
                self.say(str(source.error), "error")
                return
            self.mend_wanted.emit(source.image, source.name, says)

        self.jobs.start(
            lambda progress: item.again(), took, lambda error: self.say(str(error), "error")
        )

    def forget(self) -> None:
        """Empty the list."""
        self.tree.clear()
        self.items = []
        self._show()
        self.say("")
        self._show_buttons()

    def choose_report(self) -> None:
        """Ask where the report goes: HTML or JSON."""
        start = Path(self.tools.settings.folder_of("exports")) / tr("check report.html")
        kinds = tr("Web page (*.html);;JSON (*.json)")
        path = save_path(self, tr("Save a report"), start, kinds, (".html", ".htm", ".json"))
        if path is not None:
            self.save_report(path)

    def save_report(self, path: Path) -> None:
        """Write all that is known, and the phone log, into a file."""
        entries, expected = [item.entry for item in self.items], self.expected
        log = self.tools.session.piece.log

        def work(progress: Progress) -> Path:
            from nimble_tile.core.checking.report import save

            progress.step(tr("Writing {name}", name=path.name), 0.5)
            save(entries, path, expected, log)
            return path

        self.jobs.start(
            work,
            lambda saved: self.say(tr("The report is in {name}.", name=saved.name)),
            lambda error: self.say(str(error), "error"),
        )

    # Small things ------------------------------------------------------------------

    def _running(self, what: str, share: float) -> None:
        self.say(what)
        self.bar.setValue(round(100 * share))
        self.bar.show()
        self.cancel.show()

    def _idle(self) -> None:
        self.bar.hide()
        self.cancel.hide()

    def _stop(self) -> None:
        self.halt()
        self.say(tr("Stopped."))

    def _lost(self, text: str) -> None:
        self.say(text, "error")
        self._show_buttons()

    def _show_buttons(self) -> None:
        watching = self.watcher.folder is not None
        self.watch.setText(tr("Stop watching") if watching else tr("Watch a folder…"))
        self.clear.setEnabled(bool(self.items))
        self.report.setEnabled(bool(self.items))
        self.report.setToolTip("" if self.items else tr("Nothing has been checked yet"))

    def _icon_of(self, state: str) -> QIcon:
        return state_icon(state, self._theme, self.devicePixelRatioF())

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        self._theme = theme
        self.picture.theme = self.details.trials.theme = theme
        for at in range(self.tree.topLevelItemCount()):
            top = self.tree.topLevelItem(at)
            item = self.items[at]
            top.setIcon(0, self._icon_of(item.state))
            for index in range(top.childCount()):
                finding = item.entry.checked.findings[index]
                top.child(index).setIcon(0, self._icon_of(finding.verdict.state))
        self.update()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.watcher.stop()
        self._stop()
        self._show_buttons()
        event.accept()

    def shut_down(self) -> None:
        """End the worker."""
        self.watcher.stop()
        super().shut_down()
