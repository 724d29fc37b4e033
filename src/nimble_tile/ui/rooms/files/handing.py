"""Handing the finished piece on without a file dialog: clipboard, drag, printer."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QMimeData, QObject, QRectF, QSizeF, Qt, QUrl
from PySide6.QtGui import QDrag, QGuiApplication, QImage, QPageLayout, QPainter
from PySide6.QtWidgets import QLabel, QWidget

from nimble_tile.core.language import tr
from nimble_tile.core.message.reachable import warning
from nimble_tile.core.piece import MM_PER_INCH
from nimble_tile.ui.kit.asking import choose, passing
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.work.jobs import Progress

if TYPE_CHECKING:
    from PySide6.QtPrintSupport import QPrinter

    from nimble_tile.core.piece import Piece
    from nimble_tile.core.rendering import Rendering
    from nimble_tile.ui.work.tools import Tools


class Handing(QObject):
    """Clipboard, drag and printer for one window."""

    def __init__(self, tools: Tools, parent: QWidget) -> None:
        super().__init__(parent)
        self.tools, self.session, self.pictures = tools, tools.session, tools.pictures
        self._folder: Path | None = None
        self._ready: tuple[Piece, Path] | None = None  # what is dragged
        self._making: Piece | None = None

    def _rendered(self, piece: Piece, progress: Progress) -> Rendering:
        from nimble_tile.core.output.export import outgoing, squared
        from nimble_tile.core.render import Renderer

        progress.step(tr("Rendering at full size"), 0.2)
        return squared(Renderer(progress.pictures).render(outgoing(piece)), piece.finish)

    # Clipboard ----------------------------------------------------------------

    def copy(self) -> None:
        """Put the finished image, at its full size, on the clipboard, as PNG and as SVG."""
        piece = self.session.piece

        def work(progress: Progress) -> tuple[QImage, bytes, bytes]:
            from nimble_tile.core.output.raster import encoded
            from nimble_tile.core.output.vector import svg

            made = self._rendered(piece, progress)
            pixels = made.image if made.rgba is None else made.rgba
            finish = piece.finish.model_copy(update={"format": "png"})
            progress.step(tr("Copying"), 0.6)
            return to_qimage(pixels), encoded(pixels, finish), svg(made, finish)

        def done(result: tuple[QImage, bytes, bytes]) -> None:
            image, png, drawing = result
            mime = QMimeData()
            mime.setImageData(image)
            mime.setData("image/png", png)
            mime.setData("image/svg+xml", drawing)
            QGuiApplication.clipboard().setMimeData(mime)
            size = tr("{width} × {height} pixels", width=image.width(), height=image.height())
            self.tools.notices.say(tr("Copied as PNG and SVG: {size}.", size=size), good=True)

        self.tools.run(work, done)

    # Dragging -----------------------------------------------------------------

    def make_ready(self) -> None:
        """Write the file that would be dragged, unless it is there already."""
        piece = self.session.piece
        if piece in (self._making, self._ready and self._ready[0]) or not piece.message.text:
            return
        self._making = piece
        if self._folder is None:
            self._folder = Path(tempfile.mkdtemp(prefix="nimble-tile-drag-"))
        name = "".join(c if c.isalnum() or c in " -_" else "-" for c in self.session.name)
        folder = self._folder

        def work(progress: Progress) -> Path:
            from nimble_tile.core.output.export import write
            from nimble_tile.core.output.formats import SUFFIX

            path = folder / f"{name.strip() or 'piece'}{SUFFIX[piece.finish.format]}"
            write(self._rendered(piece, progress), path, piece.finish)
            return path

        def done(path: Path) -> None:
            self._ready, self._making = (piece, path), None

        def failed(error) -> None:
            self._making = None
            self.tools.notices.say(str(error))

        self.tools.jobs.start(work, done, failed)

    def mime(self) -> QMimeData | None:
        """What is dragged: the file; None while it is still being written."""
        if self._ready is None or self._ready[0] != self.session.piece:
            return None
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(self._ready[1]))])
        return mime

    def drag(self, tile: QLabel) -> None:
        """Begin dragging the finished file."""
        mime = self.mime()
        if mime is None:
            self.make_ready()
            self.tools.notices.say(tr("The file is being written; drag again in a moment."))
            return
        verdict = self.tools.answer.of_now[0]
        if verdict is not None and not verdict.scans:
            self.tools.notices.say(tr("What you drag out does not scan: the band says why."))
        drag = QDrag(tile)
        drag.setMimeData(mime)
        drag.setPixmap(tile.pixmap())
        drag.exec(Qt.DropAction.CopyAction)

    def stop(self) -> None:
        """Remove what was written for dragging."""
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
            self._folder = None

    # Printer --------------------------------------------------------------------

    def choose_printer(self) -> None:
        """Ask for a printer, and print the piece true to size."""
        from PySide6.QtPrintSupport import QPrintDialog, QPrinter

        told = warning(self.session.piece.message.text)
        if told and not self.ask_print(told):
            return
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        with passing(QPrintDialog(printer, self.parent())) as dialog:
            dialog.setWindowTitle(tr("Print the finished piece"))
            if dialog.exec():
                self.print_on(printer)

    def ask_print(self, told: str) -> bool:
        """Whether a code that phones cannot follow is printed all the same."""
        return choose(
            self.parent(),
            tr("No phone can follow it"),
            told,
            tr("On paper it cannot be changed any more."),
            ((tr("Print it all the same"), "print"), (tr("Stay here"), "stay")),
        ) == "print"  # fmt: skip

    def print_on(self, printer: QPrinter) -> None:
        """Print the piece true to size, in the middle of the page."""
        piece = self.session.piece

        def work(progress: Progress) -> tuple[QImage, QSizeF]:
            made = self._rendered(piece, progress)
            width, height = (side / piece.finish.dpi * MM_PER_INCH for side in made.size)
            return to_qimage(made.image), QSizeF(width, height)

        def done(result: tuple[QImage, QSizeF]) -> None:
            image, wanted = result
            page = printer.pageLayout().paintRect(QPageLayout.Unit.Millimeter)
            scale = min(1.0, page.width() / wanted.width(), page.height() / wanted.height())
            dots = printer.resolution() / MM_PER_INCH
            width, height = wanted.width() * scale * dots, wanted.height() * scale * dots
            area = QRectF(0, 0, page.width() * dots, page.height() * dots)
            place = QRectF(0, 0, width, height)
            place.moveCenter(area.center())
            painter = QPainter()
            if not painter.begin(printer):
                self.tools.notices.say(
                    tr("The printer did not take the piece. Choose another one.")
                )
                return
            painter.drawImage(place, image)
            painter.end()
            smaller = (
                tr(" It was made smaller, to {scale:.0%}, to fit.", scale=scale)
                if scale < 1
                else ""
            )
            self.tools.notices.say(
                tr("Printed at {width:.0f} × {height:.0f} mm.{smaller}",
                   width=wanted.width() * scale, height=wanted.height() * scale,
                   smaller=smaller), good=scale == 1,
            )  # fmt: skip

        self.tools.run(work, done)
