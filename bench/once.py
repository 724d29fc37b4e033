"""What is made once, or not at all, beside the same done the long way, in the same run.

The long way is what the program would do without the saving: all readers for a figure that
sampling gives, a judgement that has been made already, a picture converted that has not
changed, marks built at each repaint. Both ways have to give the same result.
"""

from __future__ import annotations

import os
import sys

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter, QTransform

from nimble_tile.core.additions import Shadow
from nimble_tile.core.piece import Code
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.judging import judge_rendering, sampled
from nimble_tile.core.study import Student
from nimble_tile.core.trials.cost import without
from nimble_tile.demo import demo_pieces
from nimble_tile.ui.app import application
from nimble_tile.ui.bench import overlays
from nimble_tile.ui.kit import theme
from nimble_tile.ui.kit.images import to_qimage
from nimble_tile.ui.work.engine import Engine
from run import compare


def costs(renderer: Renderer, bay: ReaderBay, pieces: dict) -> bool:
    """The spare of a piece without one of its rungs."""
    bare = renderer.render(without(pieces["lantern-walk-poster"], "blend"), 1024)
    assert sampled(bare).spare == judge_rendering(bare, bay, False).spare
    return compare(
        "spare without a rung, by sampling", lambda: sampled(bare),
        "with all readers", lambda: judge_rendering(bare, bay, False), 0.7,
    )  # fmt: skip


def study(renderer: Renderer, bay: ReaderBay, pieces: dict) -> bool:
    """What is known of a piece with a shadow, after its verdict."""
    piece = pieces["walk-ticket"]
    logos = tuple(
        logo.model_copy(update={"shadow": Shadow(strength=0.5)}) for logo in piece.logo.items
    )
    piece = piece.edited("logo", items=logos)
    rendering = renderer.render(piece, 1024)
    verdict = judge_rendering(rendering, bay)

    def told(**known) -> str:
        return Student(renderer)._logo_effects(piece, rendering, bay, known.get("verdict"))

    assert told() == told(verdict=verdict) != ""
    return compare(
        "what a shadow costs, the verdict at hand", lambda: told(verdict=verdict),
        "the piece judged once more", told, 0.8,
    )  # fmt: skip


def picture(renderer: Renderer, pieces: dict) -> bool:
    """The picture beside the finished image, at each step of a slider."""
    canvas = renderer.canvas(pieces["lantern-walk-poster"], 1024)
    engine = Engine.__new__(Engine)  # of the engine only this memory takes part
    engine._images = overlays.Memory()
    assert engine._unchanged(canvas) == to_qimage(canvas)
    return compare(
        "the unchanged picture for the bench, kept", lambda: engine._unchanged(canvas),
        "converted anew", lambda: to_qimage(canvas), 0.1,
    )  # fmt: skip


def marks(renderer: Renderer, bay: ReaderBay, pieces: dict) -> bool:
    """The x-ray's marks on a symbol of version 25, at each repaint of a panned image."""
    piece = pieces["lantern-walk-poster"].model_copy(update={"code": Code(version="25")})
    looked = sampled(renderer.render(piece, 1024))
    image = QImage(1024, 1024, QImage.Format.Format_RGB32)
    where = QTransform.fromScale(1024 / looked.wrong.shape[0], 1024 / looked.wrong.shape[0])

    def paint() -> np.ndarray:
        painter = QPainter(image)
        painter.fillRect(image.rect(), 0xFFFFFFFF)
        overlays.paint_xray(painter, QRectF(image.rect()), where, looked, theme.LIGHT)
        painter.end()
        return np.array(image.constBits()).copy()

    def anew() -> np.ndarray:
        overlays._KEPT.forget("modules")
        return paint()

    assert np.array_equal(paint(), anew())
    return compare("x-ray painted, marks kept", paint, "marks built anew", anew, 0.8)


def main() -> int:
    app = application()
    pieces, pictures = demo_pieces()
    renderer, bay = Renderer(pictures), ReaderBay()
    bay.warm()
    try:
        results = [
            costs(renderer, bay, pieces), study(renderer, bay, pieces),
            picture(renderer, pieces), marks(renderer, bay, pieces),
        ]  # fmt: skip
    finally:
        bay.close()
    del app
    return 0 if all(results) else 1


if __name__ == "__main__":
    sys.exit(main())
