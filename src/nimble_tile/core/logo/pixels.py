"""A logo's pixels made ready: cropped, its background taken off, recoloured."""

from __future__ import annotations

import math

import numpy as np

from nimble_tile.core.additions import Logo
from nimble_tile.core.channels import colours_of
from nimble_tile.core.look import rgb as rgb_of
from nimble_tile.core.picture.opening import Opened
from nimble_tile.core.relief import SHADE, SHINE

LOGO_SIDE = 2400
"""Longer side, in pixels, to which a logo is reduced before anything else."""

FULL = 100.0
"""Distance in CIELAB that tolerance 1 means: from black to white."""

CLEANED_EDGE = 3
"""Pixels on each side of a taken-off background that are cleaned."""


def prepared(opened: Opened, logo: Logo) -> np.ndarray:
    """A logo as it is laid.

    Parameters
    ----------
    opened : Opened
    logo : Logo

    Returns
    -------
    ndarray of uint8, H × W × 4
        sRGB with straight alpha. Read-only.
    """
    import cv2

    alpha = opened.alpha if opened.alpha is not None else np.full(opened.rgb.shape[:2], 255, "u1")
    rgba = np.dstack([opened.rgb, alpha])
    height, width = rgba.shape[:2]
    left, top, right, bottom = logo.crop
    rgba = rgba[
        round(top * height) : max(round(top * height) + 1, round((1 - bottom) * height)),
        round(left * width) : max(round(left * width) + 1, round((1 - right) * width)),
    ]
    scale = LOGO_SIDE / max(rgba.shape[:2])
    if scale < 1:
        size = tuple(max(1, round(side * scale)) for side in (rgba.shape[1], rgba.shape[0]))
        rgba = cv2.resize(rgba, size, interpolation=cv2.INTER_AREA)
    if logo.ground.off:
        rgba = without_ground(rgba, logo.ground.tolerance)
    if logo.tint is not None:
        rgba = tinted(rgba, logo.tint)
    out = np.ascontiguousarray(rgba)
    out.setflags(write=False)
    return out


def _lab(rgb: np.ndarray) -> np.ndarray:
    import cv2

    return cv2.cvtColor(rgb.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)


def ground_colour(rgba: np.ndarray) -> np.ndarray | None:
    """The commonest colour along the edges (uint8, 3), or None where they are transparent."""
    edge = np.concatenate([rgba[0], rgba[-1], rgba[:, 0], rgba[:, -1]])
    edge = edge[edge[:, 3] > 127][:, :3]
    if len(edge) < 4:
        return None
    # The middle of the fullest bin of a coarse histogram; a median would mix two colours.
    cells = (edge // 32).astype(int) @ (64, 8, 1)
    own = edge[cells == np.bincount(cells).argmax()]
    return np.median(own, axis=0).astype(np.uint8)


def without_ground(rgba: np.ndarray, tolerance: float) -> np.ndarray:
    """Take off a background of one colour, from the edges inwards.

    What has the background's colour but does not hang together with the edges
    stays. Pixels at the new edge become partly transparent, by how far they
    lie between the background's colour and that of the logo next to them, and
    lose what they had of it.

    Parameters
    ----------
    rgba : ndarray of uint8, H × W × 4
    tolerance : float
        0 to 1; see `FULL`.
    """
    import cv2

    colour = ground_colour(rgba)
    if colour is None:
        return rgba
    lab = _lab(rgba[..., :3])
    away = np.linalg.norm(lab - _lab(colour[None, None])[0, 0], axis=2)
    like = ((away <= tolerance * FULL) | (rgba[..., 3] < 8)).astype(np.uint8)
    # A rim of background lets the flood fill pass round a logo that touches an edge.
    rimmed = cv2.copyMakeBorder(like, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=1)
    _, labels = cv2.connectedComponents(rimmed, connectivity=4)
    gone = (labels == labels[0, 0])[1:-1, 1:-1]
    out = rgba.copy()
    out[gone, 3] = 0
    disk = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * CLEANED_EDGE + 1,) * 2)
    near = cv2.dilate(gone.astype(np.uint8), disk).astype(bool)
    band = near & ~gone
    inner = ~near & (rgba[..., 3] > 127)
    if not band.any() or not inner.any():
        return out
    # The colour of the nearest pixel that is surely the logo's.
    _, index = cv2.distanceTransformWithLabels(
        (~inner).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    first = np.zeros(index.max() + 1, np.int64)
    first[index[inner]] = np.flatnonzero(inner.ravel())
    own = rgba.reshape(-1, 4)[first[index[band]], :3].astype(np.float32)
    here = rgba[band][:, :3].astype(np.float32)
    ground = colour.astype(np.float32)
    along = own - ground
    length = (along**2).sum(1)
    share = ((here - ground) * along).sum(1) / np.maximum(length, 1)
    share = np.clip(share, 0, 1)
    # A colour off the line between the two is the logo's own and stays.
    off = np.linalg.norm(here - ground - share[:, None] * along, axis=1)
    plain = (off < 40) & (length > 900)
    share = np.where(plain, share, 1)
    cleaned = np.where(
        (plain & (share > 0.02))[:, None],
        (here - (1 - share[:, None]) * ground) / np.maximum(share[:, None], 0.02), here,
    )  # fmt: skip
    out[band, :3] = np.clip(np.rint(cleaned), 0, 255)
    out[band, 3] = np.rint(share * rgba[band][:, 3])
    return out


def tinted(rgba: np.ndarray, colour: str) -> np.ndarray:
    """A logo in one colour: its darkest tone becomes it, lighter ones go towards white.

    Parameters
    ----------
    rgba : ndarray of uint8, H × W × 4
    colour : str
    """
    import cv2

    luma = cv2.cvtColor(colours_of(rgba), cv2.COLOR_RGB2GRAY)
    seen = luma[rgba[..., 3] > 127]
    darkest = float(np.percentile(seen, 5)) if seen.size else 0.0
    # A logo of one tone has no lighter ones to keep.
    flat = seen.size == 0 or float(np.percentile(seen, 95)) - darkest < 24
    steps = np.zeros(256) if flat else np.clip((np.arange(256) - darkest) / (255 - darkest), 0, 1)
    target = np.array(rgb_of(colour))
    table = np.rint(target + (255 - target) * steps[:, None]).astype(np.uint8)
    out = rgba.copy()
    out[..., :3] = table[luma]
    return out


def relieved(rgba: np.ndarray, logo: Logo, pixel: float) -> np.ndarray:
    """A logo with its inner shadow and bevel.

    Parameters
    ----------
    rgba : ndarray of uint8, H × W × 4
    logo : Logo
    pixel : float
        Modules that a pixel is wide where it is laid.

    Returns
    -------
    ndarray of uint8, H × W × 4
    """
    inner, bevel = logo.inner, logo.bevel
    edges = []
    if inner.strength > 0:
        edges.append((SHADE, inner.strength, inner.blur, inner.dx, inner.dy))
    if bevel.strength > 0:
        turn = math.radians(bevel.angle)
        dx, dy = bevel.width * math.cos(turn), bevel.width * math.sin(turn)
        edges.append((SHADE, bevel.strength, bevel.width / 2, dx, dy))
        edges.append((SHINE, bevel.strength, bevel.width / 2, -dx, -dy))
    own = rgba[..., 3].astype(np.float32) / 255
    colours = rgba[..., :3].astype(np.float32)
    for ink, strength, blur, dx, dy in edges:
        free = 1 - _blurred(own, blur / 2 / pixel, dx / pixel, dy / pixel)
        share = np.clip(free, 0, 1)[..., None] * strength
        colours += (np.float32(rgb_of(ink)) - colours) * share
    return np.dstack([np.rint(np.clip(colours, 0, 255)).astype(np.uint8), rgba[..., 3]])


def _blurred(alpha: np.ndarray, sigma: float, dx: float, dy: float) -> np.ndarray:
    """An alpha (float32, 0 to 1) blurred and moved by pixels; nothing lies outside."""
    import cv2

    height, width = alpha.shape
    moved = cv2.warpAffine(
        alpha, np.float32([[1, 0, dx], [0, 1, dy]]), (width, height),
        flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0,
    )  # fmt: skip
    if sigma < 0.2:
        return moved
    return cv2.GaussianBlur(moved, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT)


def main_colour(rgba: np.ndarray) -> str | None:
    """The colour that a code next to the logo should have: its commonest dark one.

    Returns
    -------
    str or None
        ``#rrggbb``; None where the logo has no pixels.
    """
    import cv2

    side = max(rgba.shape[:2])
    if side > 200:
        scale = 200 / side
        rgba = cv2.resize(rgba, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    seen = rgba[rgba[..., 3] > 127][:, :3]
    if not len(seen):
        return None
    luma = seen @ np.array([0.299, 0.587, 0.114])
    dark = seen[luma <= max(110, np.percentile(luma, 30))]
    cells = (dark // 24).astype(int) @ (256, 16, 1)
    own = dark[cells == np.bincount(cells).argmax()]
    red, green, blue = (int(v) for v in np.median(own, axis=0))
    return f"#{red:02x}{green:02x}{blue:02x}"
