"""Making drafts and putting them on the shelf, for whoever has a piece to keep."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage

from nimble_tile.core.language import tr
from nimble_tile.core.project.drafts import MOST_DRAFTS, THUMB, Draft
from nimble_tile.ui.kit.images import as_png, to_qimage

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.rendering import Rendering
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.ui.work.session import Session

SURROUND = 0.12
"""Of the code's side: what is seen round it on a draft's small picture."""

FULL_SHELF = tr(
    "The shelf holds {most_drafts} drafts. Remove some of them first.", most_drafts=MOST_DRAFTS
)


def code_area(rendering: Rendering, piece: Piece) -> QRectF:
    """Where the code lies on a rendering's image, quiet zone included; nothing in a layout."""
    if piece.layout.digest is not None:
        return QRectF()
    box = rendering.box
    return QRectF(box.x, box.y, box.width, box.height)


def small(image: QImage, code: QRectF) -> QImage:
    """A small picture of an image: of the code and what is round it, where it is known."""
    if not code.isEmpty():
        margin = SURROUND * max(code.width(), code.height())
        part = code.adjusted(-margin, -margin, margin, margin).toAlignedRect()
        image = image.copy(part.intersected(image.rect()))
    if max(image.width(), image.height()) <= THUMB:
        return image
    return image.scaled(
        THUMB, THUMB, Qt.AspectRatioMode.KeepAspectRatio,
        Qt.TransformationMode.SmoothTransformation,
    )  # fmt: skip


def pictured(renderer: Renderer, piece: Piece, size: int) -> tuple[QImage, QRectF]:
    """A piece rendered at a size, and where its code lies there."""
    made = renderer.render(piece, size)
    image = to_qimage(made.image if made.rgba is None else made.rgba)
    return image, code_area(made, piece)


def known(verdict: Verdict, reach: float | None) -> dict:
    """What a draft keeps of a verdict and a reach, by the names of its fields."""
    fidelity = verdict.fidelity
    return {
        "state": verdict.state, "words": verdict.words, "reach": reach,
        "fidelity": None if fidelity is None else max(-1.0, min(1.0, fidelity.ssim_view)),
    }  # fmt: skip


def made(
    piece: Piece, name: str, image: QImage | None, verdict: Verdict | None, reach: float | None
) -> Draft:
    """A draft that is on no shelf yet; `image`: from `small`."""
    return Draft(
        key=secrets.token_hex(4), name=name, piece=piece,
        thumb=b"" if image is None else as_png(image),
        **({} if verdict is None else known(verdict, reach)),
    )  # fmt: skip


def add(session: Session, drafts: Sequence[Draft]) -> bool:
    """Put drafts on the shelf; False where it is full."""
    if len(session.drafts) + len(drafts) > MOST_DRAFTS:
        return False
    session.put_drafts((*session.drafts, *drafts))
    return True
