"""Logos as items in module units, and the modules that they take away."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.additions import Logo, Logos
from nimble_tile.core.laid.items import Item, Shape, Stamp
from nimble_tile.core.logo.backing import shape_of
from nimble_tile.core.logo.outlines import placed
from nimble_tile.core.logo.pixels import relieved
from nimble_tile.core.look import rgb as rgb_of
from nimble_tile.core.relief import SHADE

COVER_CELLS = 6
"""Cells a module at which shapes are laid over modules."""

CLEARED_FROM = 0.12
"""Share of a module that a shape covers from which the module is taken away whole: with
less, slivers that nobody sees would cost codewords."""

TOUCHED = 0.02
"""Share of a module that must be covered for it to count as touched."""

SHADOW_SIDE = 480
"""Pixels of a shadow's longer side."""


@dataclass(frozen=True, eq=False)
class LaidLogos:
    """Items from the bottom to the top, modules taken away, and each logo's box."""

    items: tuple[Item, ...]
    cleared: np.ndarray
    boxes: dict[tuple[str, int], tuple[tuple[float, float], float, float, float]]


def stamp_of(logo: Logo, rgba: np.ndarray, side: int, quiet_zone: int, owner: int = 0) -> Stamp:
    """A logo in its place.

    Parameters
    ----------
    logo : Logo
    rgba : ndarray of uint8, H × W × 4
        As `nimble_tile.core.logo.pixels.prepared` gives it.
    side : int
        Modules a side, quiet zone not included.
    quiet_zone : int
    owner : int
    """
    height, width = rgba.shape[:2]
    longer = logo.size * side
    scale = longer / max(width, height)
    middle = quiet_zone + logo.x * side, quiet_zone + logo.y * side
    return Stamp("logo", owner, rgba, middle, width * scale, height * scale, logo.angle)


def size_for(share: float, extent: tuple[int, int]) -> float:
    """Size of a logo whose box takes a share of the symbol's area.

    Parameters
    ----------
    share : float
        0 to 1.
    extent : (int, int)
        Width and height of its picture.
    """
    longer, shorter = max(extent), min(extent)
    return float(np.clip(np.sqrt(share * longer / shorter), 0.02, 2))


def lay(
    logos: Logos,
    pixels: Sequence[np.ndarray],
    paint: np.ndarray | None,
    side: int,
    quiet_zone: int,
    shapes: Sequence[tuple[Shape, ...]] = (),
) -> LaidLogos:
    """Lay logos on a symbol.

    Parameters
    ----------
    logos : Logos
    pixels : sequence of ndarray of uint8, H × W × 4
        Each logo's, as `nimble_tile.core.logo.pixels.prepared` gives them.
    paint : ndarray of uint8, H × W, or None
        The plate that was painted by hand, over the code's square.
    side : int
        Modules a side, quiet zone not included.
    quiet_zone : int
    shapes : sequence of tuple of Shape, optional
        Each logo as plain shapes, from `nimble_tile.core.logo.outlines`; empty: none.
    """
    total = side + 2 * quiet_zone
    plates: list[Item] = []
    tops: list[Item] = []
    cleared = np.zeros((side, side), bool)
    boxes = {}
    if paint is not None:
        plates.append(_painted(paint, logos.paint_colour, total))
    for index, (logo, rgba) in enumerate(zip(logos.items, pixels, strict=True)):
        stamp = stamp_of(logo, rgba, side, quiet_zone, index)
        if logo.inner.strength > 0 or logo.bevel.strength > 0:
            stamp = replace(stamp, rgba=relieved(rgba, logo, stamp.width / rgba.shape[1]))
        elif index < len(shapes) and shapes[index]:
            own = placed(shapes[index], stamp.middle, logo.size * side, logo.angle, index)
            stamp = replace(stamp, shapes=own)
        boxes["logo", index] = (stamp.middle, stamp.width, stamp.height, stamp.angle)
        backing = logo.backing
        if backing.kind != "none":
            shape = Shape("plate", index, shape_of(stamp, backing), backing.colour,
                          backing.line, backing.line_colour, backing.soft)  # fmt: skip
            if backing.kind == "plate":
                plates.append(shape)
            if backing.kind == "cleared" or backing.whole:
                cleared |= under([shape], side, quiet_zone) >= CLEARED_FROM
        if logo.shadow.strength > 0:
            tops.append(_shadow(stamp, logo))
        tops.append(stamp)
    return LaidLogos((*plates, *tops), cleared, boxes)


def under(items: Sequence[Item], side: int, quiet_zone: int) -> np.ndarray:
    """Share of each module, 0 to 1, that items cover (float32 n × n)."""
    import cv2

    from nimble_tile.core.laid.paint import cover

    total = side + 2 * quiet_zone
    cells = cover(items, total, COVER_CELLS)
    shares = cv2.resize(cells, (total, total), interpolation=cv2.INTER_AREA)
    own = slice(quiet_zone, quiet_zone + side)
    return shares[own, own].astype(np.float32) / 255


def _painted(paint: np.ndarray, colour: str, total: int) -> Stamp:
    rgba = np.empty((*paint.shape, 4), np.uint8)
    rgba[..., :3] = rgb_of(colour)
    rgba[..., 3] = paint
    return Stamp("paint", 0, rgba, (total / 2, total / 2), total, total)


def _shadow(stamp: Stamp, logo: Logo) -> Stamp:
    import cv2

    shadow = logo.shadow
    longer = max(stamp.width, stamp.height)
    # The blur sticks out: a tiny logo must not become a huge shadow.
    scale = SHADOW_SIDE / (longer + 3 * shadow.blur)
    size = max(1, round(stamp.width * scale)), max(1, round(stamp.height * scale))
    alpha = cv2.resize(np.ascontiguousarray(stamp.rgba[..., 3]), size, interpolation=cv2.INTER_AREA)
    sigma = max(0.3, shadow.blur * scale / 2)
    more = round(3 * sigma) + 1
    alpha = cv2.copyMakeBorder(alpha, more, more, more, more, cv2.BORDER_CONSTANT, value=0)
    alpha = cv2.GaussianBlur(alpha, (0, 0), sigma)
    rgba = np.empty((*alpha.shape, 4), np.uint8)
    rgba[..., :3] = rgb_of(SHADE)
    rgba[..., 3] = np.rint(alpha * shadow.strength)
    middle = stamp.middle[0] + shadow.dx, stamp.middle[1] + shadow.dy
    return Stamp("shadow", stamp.owner, rgba, middle, alpha.shape[1] / scale,
                 alpha.shape[0] / scale, stamp.angle)  # fmt: skip
