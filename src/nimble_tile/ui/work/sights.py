"""What the window shows besides the finished piece, worked out in the engine's thread."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, get_args

from PySide6.QtGui import QImage

from nimble_tile.core.errors import UserError
from nimble_tile.core.piece import MATERIAL_LABELS, Method, Piece, Region

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.blend.plan import Plan
    from nimble_tile.core.blend.weave import Weaving
    from nimble_tile.core.render import Renderer, Rendering

THUMBNAIL = 132
"""Side of a method's small picture, in pixels."""

SHOWN_PART = (0.06, 0.62)
"""Part of the code's square, along both sides, that a small picture shows."""

FOG = (0.88, 1.2)
"""Opacity of the fog over the worst place, and how steeply it clears."""

GUARD_TINT = (20, 92, 66, 120)
"""Colour and opacity of the guard on the bench: the accent."""

CUT_TINT = (236, 229, 216, 214)
"""Colour and opacity of what a cut-out takes away: paper."""


@dataclass
class Wants:
    """What is looked at, and so what the engine works out.

    Attributes
    ----------
    code : bool
        The code lens.
    places : bool
        The places lens, or the page with the best places.
    work : {"", "guard", "cut_out", "crop"}
        What a hand is working on.
    methods : bool
        Small pictures of all methods.
    eye : bool
        The lens of the reader's eye.
    layout : bool
        The piece in its layout, where it has one.
    moving : bool
        The pointer holds the code; where it comes to rest is asked for anew.
    """

    code: bool = False
    eye: bool = False
    places: bool = False
    work: str = ""
    methods: bool = False
    layout: bool = False
    moving: bool = False


@dataclass(frozen=True, eq=False)
class Places:
    """Where the code would change the picture least.

    Attributes
    ----------
    fog : QImage
        Paper over the whole framed picture, clear where the code's middle costs little.
    best : tuple of Region
        Up to three, best first, each one edit away.
    """

    fog: QImage
    best: tuple[Region, ...]


def veil(mask: np.ndarray, tint: tuple[int, int, int, int], inverse: bool = False) -> QImage:
    """A mask (uint8 H × W) as a veil of one colour."""
    import numpy as np

    cover = 255 - mask if inverse else mask
    height, width = cover.shape
    # Premultiplied, in the byte order of the screen's own format.
    alpha = cover.astype(np.uint16) * tint[3] // 255
    planes = [(alpha * value // 255).astype(np.uint8) for value in (tint[2], tint[1], tint[0])]
    pixels = np.ascontiguousarray(np.dstack([*planes, alpha.astype(np.uint8)]))
    image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied)
    return image.copy()


def worked_on(renderer: Renderer, piece: Piece, work: str) -> Piece | None:
    """The piece as it is shown while a hand works on its picture; None: as it is."""
    picture = piece.picture
    if work == "crop":
        frame = picture.frame.model_copy(update={"crop": (0,) * 4, "extend": (0,) * 4})
        prepare = picture.prepare.model_copy(
            update={"tiles": picture.prepare.tiles.model_copy(update={"on": False})}
        )
        return piece.model_copy(
            update={"picture": picture.model_copy(update={"frame": frame, "prepare": prepare})}
        )
    if work == "cut_out":
        prepare = picture.prepare.model_copy(
            update={
                "cut_out": picture.prepare.cut_out.model_copy(update={"on": False}),
                "tiles": picture.prepare.tiles.model_copy(update={"on": False}),
            }
        )
        return piece.model_copy(update={"picture": picture.model_copy(update={"prepare": prepare})})
    return None


def overlay(renderer: Renderer, piece: Piece, work: str, extent: tuple[int, int]) -> QImage | None:
    """The mask that a hand works on, over an image of this width and height."""
    from nimble_tile.core.picture.framing import mask_on

    picture = piece.picture
    if work == "guard":
        guard = renderer.guard(piece, extent)
        return None if guard is None else veil(guard, GUARD_TINT)
    mask = picture.prepare.cut_out.mask
    if work == "cut_out" and mask is not None:
        kept = mask_on(
            renderer.pictures.mask(mask),
            renderer.pictures.about(picture.digest).size,
            picture.frame,
            extent,
        )
        return veil(kept, CUT_TINT, inverse=True)
    return None


def places(renderer: Renderer, piece: Piece, canvas: np.ndarray) -> Places:
    """The best places for the piece's code, and the fog over the others.

    Parameters
    ----------
    renderer : Renderer
    piece : Piece
    canvas : ndarray of uint8, H × W × 3
        The framed and prepared picture at any size.
    """
    import cv2
    import numpy as np

    from nimble_tile.core.places import advise_piece

    advice = advise_piece(renderer, piece, canvas)
    most, steep = FOG
    # Spread evenly among the possible places: most places of most pictures are much alike.
    known = ~np.isnan(advice.score)
    cover = np.full(advice.score.shape, most, np.float32)
    own = advice.score[known]
    ranks = np.searchsorted(np.sort(own), own, side="left") / max(1, own.size - 1)
    cover[known] = (0.4 * own + 0.6 * ranks) ** steep * most
    size = (canvas.shape[1], canvas.shape[0])
    smooth = cv2.resize(cover, size, interpolation=cv2.INTER_LINEAR)
    fog = np.rint(np.clip(smooth, 0, 1) * 255).astype(np.uint8)
    return Places(veil(fog, (243, 238, 228, 255)), advice.best)


def thumbnails(
    renderer: Renderer,
    piece: Piece,
    rendering: Rendering,
    image_of: Callable[[np.ndarray], QImage],
    stop: Callable[[], bool],
) -> Iterator[tuple[str, QImage]]:
    """The code's square by each method with the piece's settings, small; before them, as
    ``"picture"``, the picture there."""
    import cv2
    import numpy as np

    from nimble_tile.core.blend import Plan, blend, look_read

    square = rendering.upright(rendering.picture)
    side = max(2 * THUMBNAIL, 8 * rendering.modules)
    small = cv2.resize(square, (side, side), interpolation=cv2.INTER_AREA)
    look = rendering.look
    yield (
        "picture",
        image_of(cv2.resize(square, (THUMBNAIL, THUMBNAIL), interpolation=cv2.INTER_AREA)),
    )
    for method in get_args(Method):
        if stop():
            return
        settings = piece.blend.model_copy(update={"method": method})
        plan = Plan(
            small, rendering.symbol, rendering.quiet_zone, look_read(look, settings),
            rendering.images, quick=method == "weave",
        )  # fmt: skip
        if method == "weave" and settings.weave.matter in MATERIAL_LABELS:
            plan.weaving = partial(_of_material, plan, settings.weave.matter)
        try:
            made = blend(plan, settings)
        except UserError:
            continue
        # One finder and some of the body tell more than the whole code, small.
        low, high = (round(side * share) for share in SHOWN_PART)
        made = cv2.resize(
            np.ascontiguousarray(made[low:high, low:high]), (THUMBNAIL, THUMBNAIL),
            interpolation=cv2.INTER_AREA,
        )  # fmt: skip
        yield method, image_of(made)


def _of_material(plan: Plan, name: str) -> Weaving:
    """A small picture woven of a material that ships."""
    from nimble_tile.core.blend.weave import Weaving
    from nimble_tile.core.blend.weave.matter import material

    return Weaving(plan, material(name))
