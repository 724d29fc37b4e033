"""A piece as the named layers of an OpenRaster file: picture, blend, code, logo, caption."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

import numpy as np

from nimble_tile.core.blend.marks.painting import on_nothing
from nimble_tile.core.laid.items import Item
from nimble_tile.core.laid.paint import painted
from nimble_tile.core.look import Look
from nimble_tile.core.look import rgb as rgb_of
from nimble_tile.core.output.openraster import RasterLayer
from nimble_tile.core.picture import warping
from nimble_tile.core.picture.framing import centred_on_pixels
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.symbol.looks import drawing
from nimble_tile.core.symbol.looks.paint import raster

LAYER = {
    "paper": "frame", "line": "frame", "shadow": "logo", "plate": "logo", "paint": "logo",
    "logo": "logo", "caption": "caption",
}  # fmt: skip
"""On which layer items come, by their role."""

MARKED = {"border": "border", "finder": "finders", "mark": "marks"}
"""On which layer the areas of a blend by marks come, by their role."""


def layers_of(rendering: Rendering) -> list[RasterLayer]:
    """Layers from the bottom to the top; what is visible of them together is the finished image.

    Neighbours among the laid items that belong together come on one layer, so that a plate
    lies where it lay. A piece in a layout is one layer.
    """
    if rendering.arranged:
        return [RasterLayer("finished", _opaque(rendering.image, rendering.rgba))]
    laid = rendering.laid
    over = laid.over if laid is not None else ()
    if not rendering.blended:
        found = []
        if rendering.outer:
            ground = np.empty_like(rendering.image)
            ground[...] = rgb_of(rendering.outer)
            found.append(RasterLayer("ground", _opaque(ground)))
        found += _laid(rendering, laid.under if laid is not None else ())
        found.append(RasterLayer("code", _code(rendering, rendering.look)))
        return [*found, *_laid(rendering, over)]
    bare = rendering.image if rendering.bare is None else rendering.bare
    plain = rendering.look.model_copy(update={"ground": None})
    code = RasterLayer("code", _code(rendering, plain), visible=False)
    if rendering.rgba is None:
        picture = RasterLayer("picture", _opaque(rendering.picture))
        if rendering.marked is not None and rendering.quad is None:
            woven = () if rendering.below is None else (
                RasterLayer("blend", _opaque(rendering.below)),
            )  # fmt: skip
            return [picture, *woven, *_marked(rendering), code, *_laid(rendering, over)]
        blend = RasterLayer("blend", _opaque(bare))
        return [picture, blend, code, *_laid(rendering, over)]
    # What is transparent shows through: below it lies nothing.
    picture = RasterLayer("picture", _opaque(rendering.picture), visible=False)
    if not over:
        return [picture, RasterLayer("blend", rendering.rgba), code]
    return [picture, RasterLayer("finished", rendering.rgba), code]


def _marked(rendering: Rendering) -> Iterator[RasterLayer]:
    """Border, finders and marks of a blend that leaves what lies between them as it is."""
    for role, flats in itertools.groupby(rendering.marked.flats, lambda flat: flat.role):
        image = on_nothing(flats, rendering.size, rendering.matrix)
        yield RasterLayer(MARKED[role], image)


def _laid(rendering: Rendering, items: Sequence[Item]) -> Iterator[RasterLayer]:
    """Laid items, each group on a layer of its own."""
    height, width = rendering.image.shape[:2]
    matrix, scale = rendering.matrix, rendering.code_side / rendering.modules
    for name, group in itertools.groupby(items, lambda item: LAYER[item.role]):
        empty = np.zeros((height, width, 4), np.uint8)
        yield RasterLayer(name, painted(empty, list(group), matrix, scale))


def _opaque(image: np.ndarray, rgba: np.ndarray | None = None) -> np.ndarray:
    if rgba is not None:
        return rgba
    return np.dstack([image, np.full(image.shape[:2], 255, np.uint8)])


def _code(rendering: Rendering, look: Look) -> np.ndarray:
    """The code with a look, in its place on nothing."""
    import cv2

    cleared = None if rendering.laid is None else rendering.laid.cleared
    drawn = drawing(rendering.symbol, look, rendering.quiet_zone, cleared)
    height, width = rendering.image.shape[:2]
    if rendering.quad is not None:
        square = raster(drawn, warping.square_side(rendering.quad), rendering.images)
        matrix = centred_on_pixels(warping.matrix_to(rendering.quad, square.shape[0]))
        return cv2.warpPerspective(square, matrix, (width, height), flags=cv2.INTER_LINEAR)
    box = rendering.box
    square = raster(drawn, max(box.width, box.height), rendering.images)
    out = np.zeros((height, width, 4), np.uint8)
    out[box.slices] = cv2.resize(square, (box.width, box.height), interpolation=cv2.INTER_AREA)
    return out
