"""Joins drafts with the window: keeping, taking, comparing, naming them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRectF, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.language import tr, within
from nimble_tile.core.project.drafts import Draft, bare, free_name
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.asking import passing, save_path
from nimble_tile.ui.kit.controls import named, soft
from nimble_tile.ui.kit.figures import in_line
from nimble_tile.ui.kit.images import as_png
from nimble_tile.ui.rooms.drafts.shelf import Shelf
from nimble_tile.ui.work.drafts import FULL_SHELF, add, code_area, known, made, pictured, small
from nimble_tile.ui.work.jobs import Progress

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.ui.rooms.drafts.compare_view import CompareView
    from nimble_tile.ui.work.tools import Stage, Tools

DRAFT_SIDE = 700
"""Longer side, in pixels, at which a piece is rendered for its small picture."""

COMPARED = 1400
"""Longer side, in pixels, at which drafts are compared."""


class DraftDesk(QObject):
    """The drafts of one window.

    Signals
    -------
    shelf_shown : bool
        The shelf was folded out or in.
    counted : int
        How many drafts there are.
    comparing
        Drafts are about to be compared in the place of the bench.
    """

    shelf_shown = Signal(bool)
    counted = Signal(int)
    comparing = Signal()

    def __init__(self, tools: Tools, stage: Stage, parent: QWidget) -> None:
        super().__init__(parent)
        self.tools, self.session, self.stage = tools, tools.session, stage
        self._theme = themes.LIGHT
        self.shelf = Shelf()
        self.shelf.hide()
        self._view: CompareView | None = None
        self.shelf.keep_wanted.connect(self.keep)
        self.shelf.restore_wanted.connect(self.restore)
        self.shelf.compare_wanted.connect(self.compare)
        self.shelf.name_wanted.connect(self.name)
        self.shelf.drop_wanted.connect(self.drop)
        self.session.drafted.connect(self._show)
        self.session.changed.connect(self._piece_changed)

    @property
    def view(self) -> CompareView:
        """The comparison; built when it is first asked for."""
        if self._view is None:
            from nimble_tile.ui.rooms.drafts.compare_view import CompareView

            self._view = CompareView()
            self._view.dress(self._theme)
            self._view.left.connect(self.close_view)
            self._view.restore_wanted.connect(self.restore)
        return self._view

    def start(self) -> None:
        """Show what is there; once all that listens is joined."""
        self._show()

    def show_shelf(self, on: bool) -> None:
        """Fold the shelf out or in."""
        self.shelf.setVisible(on)
        self.shelf_shown.emit(on)

    def _piece_changed(self) -> None:
        self.close_view()  # what is compared there is not the piece any more
        self.shelf.mark(self._here())

    def _here(self) -> str:
        """Key of the draft that the piece is now; nothing where it is none."""
        piece = bare(self.session.piece)
        return next((draft.key for draft in self.session.drafts if draft.piece == piece), "")

    def _show(self) -> None:
        drafts = self.session.drafts
        self.shelf.take(drafts, self._here())
        self.counted.emit(len(drafts))

    # Keeping -----------------------------------------------------------------

    def choose_pages(self) -> None:
        """Ask where all drafts should go, a page each."""
        if not self.session.drafts:
            self.tools.notices.say(tr("There are no drafts yet. Keep one with Ctrl+D."))
            return
        folder = Path(self.tools.settings.folder_of("exports"))
        start = folder / tr("{name} drafts.pdf", name=self.session.name)
        path = save_path(
            self.parent(), tr("All drafts as PDF"), start, tr("PDF (*.pdf)"), (".pdf",)
        )
        if path is not None:
            self.pages_to(path)

    def pages_to(self, path: Path) -> None:
        """Write all drafts into one PDF, and say what the readers read on its pages."""
        drafts = self.session.drafts
        self.tools.settings.set_folder_of("exports", path)

        def work(progress: Progress) -> list[Verdict]:
            from nimble_tile.core.output.export import export_pages
            from nimble_tile.core.render import Renderer

            return export_pages(
                [draft.piece for draft in drafts], Renderer(progress.pictures), path,
                self.tools.bay,
                lambda number: progress.step(tr("Page {number}",
                                                number=number + 1), number / len(drafts)),
            )  # fmt: skip

        def done(found: list[Verdict]) -> None:
            wrong = [
                draft.name for draft, verdict in zip(drafts, found, strict=True)
                if not verdict.scans
            ]  # fmt: skip
            told = (
                tr(" These do not scan: {wrong}.", wrong=", ".join(wrong))
                if wrong
                else tr(" All of them scan.")
            )
            self.tools.notices.say(
                tr(
                    "Wrote {name}, {found} pages, read back from disk.{told}",
                    name=path.name,
                    found=len(found),
                    told=told,
                ),
                good=not wrong,
            )

        self.tools.run(work, done)

    def keep(self, wish: str = "") -> None:
        """Keep the piece as it is now."""
        piece, shown = bare(self.session.piece), self.tools.answer.shown
        same = next((draft for draft in self.session.drafts if draft.piece == piece), None)
        self.show_shelf(True)
        if same is not None:
            self.shelf.reveal(same.key)
            self.tools.notices.say(
                tr("The shelf has this piece already: {name}.", name=same.name), good=True
            )
            return
        image = None
        if shown is not None and shown.finished is not None and bare(shown.piece) == piece:
            code = QRectF() if shown.rendering is None else code_area(shown.rendering, piece)
            image = small(shown.finished, code)
        draft = made(piece, free_name(self.session.drafts, wish), image, *self.tools.answer.of_now)
        if self.add((draft,)):
            self.shelf.reveal(draft.key)
            if image is None:
                self._draw(draft)

    def add(self, drafts: Sequence[Draft]) -> bool:
        """Put drafts on the shelf; False, and a sentence, where it is full."""
        done = add(self.session, drafts)
        if not done:
            self.tools.notices.say(FULL_SHELF)
        return done

    def _draw(self, draft: Draft) -> None:
        """Make a draft's small picture."""

        def work(progress: Progress) -> bytes:
            from nimble_tile.core.render import Renderer

            return as_png(small(*pictured(Renderer(progress.pictures), draft.piece, DRAFT_SIDE)))

        self.tools.jobs.start(
            work, lambda thumb: self._change(draft.key, True, thumb=thumb), lambda error: None
        )

    def _change(self, key: str, learned: bool = False, **changes) -> None:
        drafts = (
            draft if draft.key != key else draft.model_copy(update=changes)
            for draft in self.session.drafts
        )
        self.session.put_drafts(drafts, learned)

    def learn(self, verdict: Verdict, reach: float | None = None) -> None:
        """The piece was judged: so is the draft that it is."""
        here = bare(self.session.piece)
        for draft in self.session.drafts:
            if draft.piece == here and (reach is not None or draft.state is None):
                self._change(draft.key, True, **known(verdict, reach))

    # Taking, naming, removing ------------------------------------------------

    def _draft(self, key: str) -> Draft | None:
        return next((draft for draft in self.session.drafts if draft.key == key), None)

    def restore(self, key: str) -> None:
        """The piece becomes a draft; undo brings it back."""
        draft = self._draft(key)
        if draft is None:
            return
        self.close_view()
        piece = draft.piece.model_copy(update={"log": self.session.piece.log})
        self.session.put(piece, tr("Take {name}", name=draft.name))

    def name(self, key: str) -> None:
        """Ask for another name and a note."""
        draft = self._draft(key)
        if draft is None:
            return
        with passing(NameDialog(draft, self.parent())) as dialog:
            if dialog.exec():
                name = " ".join(dialog.name.text().split())[:80] or draft.name
                self._change(key, name=name, note=dialog.note.toPlainText().strip()[:2000])

    def drop(self, keys: Sequence[str]) -> None:
        """Take drafts off the shelf; a notice brings them back."""
        before = self.session.drafts
        gone = [draft for draft in before if draft.key in keys]
        if not gone:
            return
        held = self.tools.pictures.lease(d for draft in gone for d in draft.piece.digests)
        self.session.put_drafts(draft for draft in before if draft.key not in keys)
        what = gone[0].name if len(gone) == 1 else tr("{gone} drafts", gone=len(gone))

        def back() -> None:
            there = {draft.key for draft in self.session.drafts}
            places = {draft.key: at for at, draft in enumerate(before)}
            lost = [draft for draft in gone if draft.key not in there]
            every = [*self.session.drafts, *lost]
            every.sort(key=lambda draft: places.get(draft.key, len(before)))
            self.session.put_drafts(every)
            held.release()

        self.tools.notices.say(
            tr("Removed: {what}.", what=what), good=True, choices=((tr("Put back"), back),)
        )

    # Comparing ---------------------------------------------------------------

    def compare(self, keys: Sequence[str]) -> None:
        """One draft beside the piece, or two beside each other."""
        drafts = [draft for key in keys if (draft := self._draft(key)) is not None]
        if len(drafts) not in (1, 2):
            return
        sides = [(d.name, in_line(d.words, d.reach, d.fidelity), d.key, d.piece) for d in drafts]
        if len(sides) == 1:
            verdict, reach = self.tools.answer.of_now
            figures = {} if verdict is None else known(verdict, reach)
            told = in_line(figures.get("words", ""), reach, figures.get("fidelity"))
            sides.append((tr("The piece now"), told, "", self.session.piece))

        def work(progress: Progress) -> list[tuple[QImage, QRectF]]:
            from nimble_tile.core.render import Renderer

            renderer, images = Renderer(progress.pictures), []
            for number, (name, _, _, piece) in enumerate(sides):
                progress.step(tr("Rendering {name}", name=within(name)), number / len(sides))
                size = min(COMPARED, piece.finish.size or renderer.natural_size(piece))
                images.append(pictured(renderer, piece, size))
            return images

        def done(images: list[tuple[QImage, QRectF]]) -> None:
            from nimble_tile.ui.rooms.drafts.compare_view import ComparedSide

            both = [
                ComparedSide(name, told, image, key, code)
                for (name, told, key, _), (image, code) in zip(sides, images, strict=True)
            ]
            self.comparing.emit()
            self.stage.show_instead(self.view)
            self.parent().layout().activate()
            self.view.take(*both)
            self.view.view.setFocus()

        self.tools.run(work, done)

    def close_view(self) -> None:
        """Back to the bench."""
        if self._view is not None:
            self.stage.leave(self._view)

    def dress(self, theme) -> None:
        """Follow the theme."""
        self._theme = theme
        self.shelf.dress(theme)
        if self._view is not None:
            self._view.dress(theme)


class NameDialog(QDialog):
    """A draft's name and note."""

    def __init__(self, draft: Draft, parent) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Name and note"))
        self.setMinimumWidth(420)
        self.name, self.note = QLineEdit(draft.name), QPlainTextEdit(draft.note)
        self.name.setMaxLength(80)
        self.note.setFixedHeight(110)
        self.note.setTabChangesFocus(True)
        self.note.setAccessibleName(tr("Note"))
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.button(QDialogButtonBox.StandardButton.Ok).setProperty("main", True)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.setSpacing(12)
        whole.addLayout(named(tr("Name"), self.name, 56))
        whole.addLayout(named(tr("Note"), self.note, 56))
        whole.addWidget(soft(tr("Both go into the project with the draft.")))
        whole.addWidget(buttons)
        self.name.selectAll()
