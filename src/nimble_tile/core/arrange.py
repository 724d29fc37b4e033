"""A finished piece arranged in a layout: a picture with a place for it.

References
----------
R. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd ed.
2004, section 2.3: plane projective transformations.
"""

from __future__ import annotations

import json
from dataclasses import replace
from importlib.resources import files

import numpy as np

from nimble_tile.core.additions import Layout
from nimble_tile.core.channels import colours_of
from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import tr
from nimble_tile.core.picture import warping
from nimble_tile.core.picture.framing import centred_on_pixels
from nimble_tile.core.picture.placing import bounds, possible
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.rendering import Rendering, frozen
from nimble_tile.core.strips import strips


def place_in(layout: Layout, aspect: float) -> np.ndarray:
    """Corners of the piece inside a layout's place (float64 4 × 2, in pixels of the layout).

    Parameters
    ----------
    layout : Layout
    aspect : float
        Width of the piece in parts of its height.

    Raises
    ------
    PictureError
        The place is folded or crossed.
    """
    quad = np.array(layout.quad, float)
    if not possible(quad):
        raise PictureError(
            tr("The layout's place is folded or crossed."), tr("Pull its corners apart again.")
        )
    edges = np.hypot(*(np.roll(quad, -1, axis=0) - quad).T)
    place = (edges[0] + edges[2]) / (edges[1] + edges[3])
    wide = aspect > place
    # "Inside" shrinks the side that would stick out; "cover" grows the other one.
    if layout.fit == "inside":
        w, h = (1.0, place / aspect) if wide else (aspect / place, 1.0)
    else:
        w, h = (aspect / place, 1.0) if wide else (1.0, place / aspect)
    left, top = (1 - w) / 2, (1 - h) / 2
    points = np.array([[left, top], [left + w, top], [left + w, top + h], [left, top + h]])
    return warping.mapped(warping.matrix_to(quad), points)


def piece_side(layout: Layout, aspect: float, scale: float) -> int:
    """Longer side, in pixels, at which the piece loses no detail in the layout.

    Parameters
    ----------
    layout : Layout
    aspect : float
        Width of the piece in parts of its height.
    scale : float
        Pixels of the output on one of the layout's picture.
    """
    quad = place_in(layout, aspect) * scale
    edges = np.hypot(*(np.roll(quad, -1, axis=0) - quad).T)
    return int(np.ceil(edges.max()))


def arranged(piece: Rendering, ground: np.ndarray, quad: np.ndarray, clip: np.ndarray) -> Rendering:
    """A piece put into a layout.

    Parameters
    ----------
    piece : Rendering
    ground : ndarray of uint8, H × W × 3
        The layout's picture at the output's size.
    quad : ndarray of float64, 4 × 2
        Corners of the piece on it.
    clip : ndarray of float64, 4 × 2
        The layout's place; what lies beyond is cut off.

    Returns
    -------
    Rendering
        Of the whole layout; the code's place is carried along.
    """
    width, height = piece.size
    matrix = warping.matrix_to(quad) @ np.diag([1 / width, 1 / height, 1.0])
    size = (ground.shape[1], ground.shape[0])
    pixels = piece.image if piece.rgba is None else piece.rgba
    if piece.quad is None:
        box = piece.box
        right, bottom = box.x + box.width, box.y + box.height
        corners = [(box.x, box.y), (right, box.y), (right, bottom), (box.x, bottom)]
    else:
        corners = piece.quad
    code = warping.mapped(matrix, np.array(corners, float))
    image = frozen(_laid(ground, pixels, matrix, clip))
    picture, bare = image, None
    if piece.blended:  # what the picture has lost is measured on these
        picture = frozen(_laid(ground, piece.picture, matrix, clip))
        if piece.bare is not None:
            bare = frozen(_laid(ground, piece.bare, matrix, clip))
    return replace(
        piece, image=image, picture=picture, bare=bare, box=bounds(code, size), quad=code,
        rgba=None, arranged=True,
    )  # fmt: skip


def _laid(
    ground: np.ndarray, pixels: np.ndarray, matrix: np.ndarray, clip: np.ndarray
) -> np.ndarray:
    """Pixels (H × W × 3, or 4 with straight alpha) through a matrix onto a ground."""
    import cv2

    height, width = ground.shape[:2]
    cover = np.full(pixels.shape[:2], 255, np.uint8) if pixels.shape[2] == 3 else pixels[..., 3]
    rgb = colours_of(pixels)
    turned = centred_on_pixels(matrix)
    # More pixels than the layout shows are averaged first, or edges would fray.
    shrink = _crowding(matrix, (pixels.shape[1], pixels.shape[0]))
    if shrink > 1.3:
        size = tuple(max(1, round(side / shrink)) for side in (pixels.shape[1], pixels.shape[0]))
        scaled = np.diag([pixels.shape[1] / size[0], pixels.shape[0] / size[1], 1.0])
        rgb = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
        cover = cv2.resize(np.ascontiguousarray(cover), size, interpolation=cv2.INTER_AREA)
        turned = centred_on_pixels(matrix @ scaled)
    kept = np.zeros((height, width), np.uint8)
    points = np.rint((clip - 0.5) * 16).astype(np.int32)
    cv2.fillConvexPoly(kept, points, 255, cv2.LINE_AA, 4)
    over = cv2.warpPerspective(rgb, turned, (width, height), flags=cv2.INTER_LINEAR,
                               borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    alpha = cv2.warpPerspective(np.ascontiguousarray(cover), turned, (width, height),
                                flags=cv2.INTER_LINEAR)  # fmt: skip
    alpha = cv2.multiply(alpha, kept, scale=1 / 255)
    out = ground.copy()
    for rows in strips(height):
        share = alpha[rows].astype(np.float32)[..., None] / 255
        if share.any():
            out[rows] = np.rint(over[rows] * share + ground[rows] * (1 - share))
    return out


def _crowding(matrix: np.ndarray, size: tuple[int, int]) -> float:
    """Pixels of an image of this size on one of the output, along its longer side."""
    width, height = size
    corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], float)
    quad = warping.mapped(matrix, corners)
    edges = np.hypot(*(np.roll(quad, -1, axis=0) - quad).T)
    across, down = max(edges[0], edges[2]), max(edges[1], edges[3])
    return min(width / max(across, 1e-6), height / max(down, 1e-6))


SHIPPED_LAYOUTS = {"card": tr("Card"), "ticket": tr("Ticket"), "poster": tr("Poster")}
"""Layouts that ship with the program, by name: the demo scenario's."""


def shipped(name: str, pictures: Lease) -> Layout:
    """A layout that ships with the program; its picture goes into the store."""
    folder = files("nimble_tile.assets").joinpath("layouts")
    known = json.loads(folder.joinpath("layouts.json").read_text("utf-8"))[name]
    path = known["file"]
    source = folder.joinpath(path) if "/" not in path else folder.joinpath("..", path)
    digest = pictures.add(source.read_bytes(), SHIPPED_LAYOUTS[name])
    quad = tuple((float(x), float(y)) for x, y in known["quad"])
    return Layout(digest=digest, name=SHIPPED_LAYOUTS[name], quad=quad)


def first_place(size: tuple[int, int]) -> tuple[tuple[float, float], ...]:
    """A place in the middle of a picture of this width and height, to begin with."""
    width, height = size
    half = 0.22 * min(size)
    x, y = width / 2, height / 2
    return ((x - half, y - half), (x + half, y - half), (x + half, y + half), (x - half, y + half))
