"""Laid items as SVG elements: text and shapes stay paths, logos are put inside.

References
----------
SVG 1.1: path, transform, filter effects (feGaussianBlur), embedded images.
"""

from __future__ import annotations

import base64
import io
from collections.abc import Iterator, Sequence

import numpy as np

from nimble_tile.core.laid.items import Item, Shape, Stamp
from nimble_tile.core.laid.paint import FADE_BLUR
from nimble_tile.core.output.raster import save_png
from nimble_tile.core.piece import Finish
from nimble_tile.core.symbol.looks.paths import path_data


def svg_items(items: Sequence[Item], finish: Finish, name: str) -> Iterator[str]:
    """Items as SVG elements in module units.

    Parameters
    ----------
    items : sequence of Item
    finish : Finish
    name : str
        With which the names of what the elements refer to begin.
    """
    for number, item in enumerate(items):
        if isinstance(item, Shape):
            yield _shape(item, f"{name}{number}")
        elif item.shapes:
            yield "".join(_shape(s, f"{name}{number}s{i}") for i, s in enumerate(item.shapes))
        else:
            yield _stamp(item, finish)


def _shape(item: Shape, name: str) -> str:
    rule = ' fill-rule="evenodd"' if item.path.even_odd else ""
    fade = f' opacity="{item.opacity:g}"' if item.opacity < 1 else ""
    data = path_data(item.path)
    out = ""
    if item.colour is not None:
        blur = ""
        if item.soft > 0:
            left, top, right, bottom = item.bounds
            more = 2 * item.soft
            out += (
                f'<defs><filter id="{name}" filterUnits="userSpaceOnUse" x="{left - more:g}" '
                f'y="{top - more:g}" width="{right - left + 2 * more:g}" '
                f'height="{bottom - top + 2 * more:g}">'
                f'<feGaussianBlur stdDeviation="{item.soft * FADE_BLUR:g}"/></filter></defs>'
            )
            blur = f' filter="url(#{name})"'
        out += f'<path fill="{item.colour}"{rule}{fade}{blur} d="{data}"/>'
    if item.stroke > 0:
        dash = ' stroke-linecap="round"' if item.dash is not None or item.round_ends else ""
        if item.dash is not None:
            on, off = item.dash
            dash += f' stroke-dasharray="{on:g} {off:g}"'
        out += (
            f'<path fill="none" stroke="{item.stroke_colour}" stroke-width="{item.stroke:g}" '
            f'stroke-linejoin="round"{dash}{fade} d="{data}"/>'
        )
    return out


def _stamp(item: Stamp, finish: Finish) -> str:
    file = io.BytesIO()
    save_png(np.ascontiguousarray(item.rgba), file, finish)
    data = base64.b64encode(file.getvalue()).decode("ascii")
    height, width = item.rgba.shape[:2]
    m = item.matrix
    matrix = " ".join(f"{value:.8g}" for value in m[:2].T.ravel())
    fade = f' opacity="{item.opacity:g}"' if item.opacity < 1 else ""
    return (
        f'<image transform="matrix({matrix})" width="{width}" height="{height}"{fade} '
        f'preserveAspectRatio="none" xlink:href="data:image/png;base64,{data}"/>'
    )
