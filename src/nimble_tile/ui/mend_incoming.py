"""How a picture comes into the mend window: file, clipboard, bench, drop."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QImage
from PySide6.QtWidgets import QFileDialog

from nimble_tile.core.errors import UserError
from nimble_tile.ui.check_parts import from_qimage
from nimble_tile.ui.jobs import Jobs, Progress
from nimble_tile.ui.mend_face import MendFace

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.ui.window import Window

_PICTURES = "Pictures (*.png *.jpg *.jpeg *.webp *.tif *.tiff)"


class MendIncoming(MendFace):
    """The window as far as pictures come in; the heir does something with them."""

    def __init__(self, window: Window) -> None:
        super().__init__(window, window.session.piece.message.text)
        self.window_ = window
        self.setAcceptDrops(True)
        self.jobs = Jobs(self)
        self.open_it.clicked.connect(self.choose)
        self.pasted.clicked.connect(self.paste)
        self.from_bench.clicked.connect(self.take_bench)

    def take(self, pixels: np.ndarray, name: str) -> None:
        """Mend this picture (uint8 H × W × 3)."""
        raise NotImplementedError

    def _running(self, what: str) -> None:
        raise NotImplementedError

    def _say(self, text: str, rank: str = "soft") -> None:
        raise NotImplementedError

    def _failed(self, error: UserError) -> None:
        raise NotImplementedError

    def choose(self) -> None:
        """Ask for a picture."""
        desk = self.window_.desk
        path, _ = QFileDialog.getOpenFileName(
            self, "Mend a picture", desk.folder("mending"), _PICTURES
        )
        if path:
            self.window_.settings.set("folder of mending", str(Path(path).parent))
            self.open_path(Path(path))

    def open_path(self, path: Path) -> None:
        """Take a picture file."""

        def work(progress: Progress) -> np.ndarray:
            from nimble_tile.core.picture.opening import open_picture, read_file

            progress.step(f"Opening {path.name}", 0.3)
            return open_picture(read_file(path), path.name).over("#ffffff")

        self._running(f"Opening {path.name}")
        self.jobs.start(work, lambda pixels: self.take(pixels, path.name), self._failed)

    def paste(self) -> None:
        """Take the picture that lies on the clipboard."""
        self._take_mime(QGuiApplication.clipboard().mimeData(), "There is no picture to paste.")

    def take_bench(self) -> None:
        """Take the finished piece."""
        shown = self.window_._shown
        if shown is None or shown.rendering is None:
            self._say("There is no code on the bench yet.", "error")
            return
        self.message.setPlainText(self.window_.session.piece.message.text)
        self.take(shown.rendering.image.copy(), "From the bench")

    def _take_mime(self, mime, otherwise: str) -> None:
        urls = [] if mime is None else [url for url in mime.urls() if url.isLocalFile()]
        image = QImage(mime.imageData()) if mime is not None and mime.hasImage() else QImage()
        if urls:
            self.open_path(Path(urls[0].toLocalFile()))
        elif not image.isNull():
            self.take(from_qimage(image), "Pasted picture")
        else:
            self._say(otherwise, "error")

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        mime = event.mimeData()
        if mime.hasImage() or any(url.isLocalFile() for url in mime.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self._take_mime(event.mimeData(), "What was dropped is not a picture.")
