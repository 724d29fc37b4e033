"""The program's icon: a board of tiles, one of them on its way out; in all usual sizes."""

from __future__ import annotations

import io
from pathlib import Path

import resvg_py
from PIL import Image

OUT = Path(__file__).parents[1] / "src/nimble_tile/assets/desktop"
SIZES = (16, 24, 32, 48, 64, 128, 256, 512)
GREEN, DEEP, PAPER, GOLD = "#1d5740", "#133d2d", "#f4efe2", "#e0a44a"

SIDE, STEP, FIRST = 56.0, 66.0, 34.0
"""Side of a tile, from tile to tile, and the first one's edge, of 256."""


def tile(column: int, row: int, colour: str, extra: str = "") -> str:
    x, y = FIRST + column * STEP, FIRST + row * STEP
    return (
        f'<rect x="{x:g}" y="{y:g}" width="{SIDE:g}" height="{SIDE:g}" rx="12" fill="{colour}"'
        f"{extra}/>"
    )


def icon() -> str:
    tiles = [
        tile(column, row, PAPER)
        for row in range(3)
        for column in range(3)
        if (column, row) not in ((2, 0), (1, 1))
    ]
    lifted = tile(2, 0, GOLD, ' transform="rotate(14 194 62) translate(10 -12)"')
    shade = tile(2, 0, DEEP, ' transform="rotate(14 194 62) translate(4 2)" opacity="0.55"')
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 256 256">'
        f'<rect x="8" y="8" width="240" height="240" rx="46" fill="{GREEN}"/>'
        f"{''.join(tiles)}{tile(1, 1, DEEP)}{tile(2, 0, DEEP)}{shade}{lifted}</svg>\n"
    )


def symbolic() -> str:
    """One colour, which the desktop replaces by its own."""
    places = [(x, y) for y in (6, 11) for x in (1, 6, 11)] + [(1, 1), (6, 1)]
    tiles = "".join(f'<rect x="{x}" y="{y}" width="4" height="4" rx="0.8"/>' for x, y in places
                    if (x, y) != (6, 6))  # fmt: skip
    lifted = (
        '<rect x="11" y="1" width="4" height="4" rx="0.8" '
        'transform="rotate(18 13 3) translate(0.4 -0.5)"/>'
    )
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 16">'
        f'<g fill="#2e3436">{tiles}{lifted}</g></svg>\n'
    )


if __name__ == "__main__":
    OUT.mkdir(parents=True, exist_ok=True)
    (OUT / "icon.svg").write_text(icon())
    (OUT / "icon-symbolic.svg").write_text(symbolic())
    for size in SIZES:
        drawn = resvg_py.svg_to_bytes(svg_string=icon(), width=size)
        Image.open(io.BytesIO(drawn)).save(OUT / f"icon-{size}.png", optimize=True)
