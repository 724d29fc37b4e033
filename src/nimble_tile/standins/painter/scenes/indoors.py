"""Rooms and tables, and things from close by."""

from __future__ import annotations

import numpy as np

from nimble_tile.standins.painter.colours import lightness, mix
from nimble_tile.standins.painter.parts import built, land, life, plants, sky, table
from nimble_tile.standins.painter.scenes.asked import ANIMALS, Asked, aside, over
from nimble_tile.standins.painter.scenes.green import meadow
from nimble_tile.standins.painter.scenes.lived import village
from nimble_tile.standins.painter.scenes.wild import hills, lake
from nimble_tile.standins.painter.stage import Stage


def _on_table(s: Stage, a: Asked, foot: float) -> None:
    """What lies and stands on a table, large ones at the back."""
    wanted = [t for t in a.things if t in ("jug", "vase", "fruit", "books", "candle")]
    if not wanted:
        wanted = [
            str(t) for t in s.rng.permutation(["jug", "vase", "fruit", "books", "candle"])[:3]
        ]
        wanted = [t for t in wanted if t not in a.without]
    if "fruit" not in wanted and a.may("fruit"):
        wanted.append("fruit")
    places = np.linspace(0.24, 0.76, max(1, len([w for w in wanted if w != "fruit"])))
    tints = [s.colours.accent, s.colours.mid, mix(s.colours.low, s.colours.top, 0.5), s.colours.far]
    for x, thing in zip(
        s.rng.permutation(places), [w for w in wanted if w != "fruit"], strict=False
    ):
        at, tint = float(x) + s.between(-0.03, 0.03), tints[int(s.rng.integers(len(tints)))]
        y = foot + s.between(0.02, 0.1)
        if thing == "jug":
            table.jug(s, at, y, s.between(0.26, 0.34), tint)
        elif thing == "vase":
            table.vase(s, at, y, s.between(0.32, 0.4), tint)
        elif thing == "books":
            table.books(s, at, y + 0.05, 0.26)
        elif thing == "candle":
            table.candle(s, at, y + 0.02, 0.3)
    if "fruit" in wanted:
        # Most lie together, one or two have rolled away.
        heap = s.between(0.3, 0.7)
        for t in sorted(s.between(0, 1) for _ in range(int(s.rng.integers(5, 10)))):
            tint = mix(s.colours.accent, s.colours.glow, s.between(0.0, 0.8))
            if s.often(0.3):
                tint = mix(s.colours.mid, s.colours.glow, 0.45)
            x = heap + s.rng.normal(0, 0.11) if s.often(0.75) else s.between(0.1, 0.9)
            table.fruit(s, x, foot + 0.08 + 0.2 * t, 0.085 + 0.035 * t, tint)
    for thing in a.things:
        if thing in ("cat", "owl"):
            draw, size = ANIMALS[thing]
            draw(s, aside(s), foot + 0.12, size * 1.7, mix(s.colours.near, s.colours.accent, 0.15))
        elif thing == "lanterns":
            built.lanterns(s, 8, 0.06, 0.2, 0.025)


def still_life(s: Stage, a: Asked) -> None:
    """Things on a table by a wall."""
    s.light = (0.12 if s.often(0.5) else 0.88), s.between(0.1, 0.3)
    s.horizon = s.between(0.56, 0.66)
    table.wall(s, mix(s.colours.far, s.colours.near, 0.25))
    if s.often(0.6):
        table.curtain(s, -0.1, s.between(0.15, 0.25), mix(s.colours.accent, s.colours.near, 0.35))
    table.table(s, s.horizon, s.often(0.75))
    _on_table(s, a, s.horizon)


def room(s: Stage, a: Asked) -> None:
    """A room with a window, and a landscape in it."""
    outside = Stage(s.width, s.height, s.rng, s.colours)
    outside.light, outside.haze = s.light, s.haze
    (lake, hills, meadow, village)[int(s.rng.integers(4))](
        outside, Asked([], a.without, a.weather, a.light)
    )
    over(outside, a)
    s.light = 0.5, 0.3
    s.horizon = s.between(0.68, 0.76)
    table.wall(s, mix(s.colours.near, s.colours.far, 0.45))
    left = s.between(0.14, 0.26)
    table.window_frame(s, left, 0.1, 1 - s.between(0.14, 0.26), s.horizon - 0.08, outside.image)
    for edge in ((left - 0.14, left + 0.03), (1 - left - 0.03, 1 - left + 0.14)):
        table.curtain(s, *edge, mix(s.colours.accent, s.colours.low, 0.2))
    table.table(s, s.horizon, s.often(0.5))
    _on_table(s, a, s.horizon)


def leaves(s: Stage, a: Asked) -> None:
    """Leaves on leaves."""
    s.image[:] = s.colours.near
    tints = [s.colours.mid, s.colours.near, mix(s.colours.mid, s.colours.glow, 0.3), s.colours.far]
    if "flowers" in a.things or lightness(s.colours.accent) > 0.3:
        tints.append(mix(s.colours.accent, s.colours.mid, 0.25))
    for layer in range(5):
        for _ in range(24):
            tint = tints[int(s.rng.integers(len(tints)))] * (0.6 + 0.12 * layer)
            plants.leaf(
                s,
                s.between(-0.05, 1.05),
                s.between(-0.05, 1.05),
                s.between(0.16, 0.3),
                s.between(0, 6.3),
                np.clip(tint, 0, 1),
            )
    if "flowers" in a.things:
        table.vase(s, 0.5, 1.3, 0.6, s.colours.mid, 12)
    life.butterflies(s, 5) if "butterflies" in a.things else None


def pebbles(s: Stage, a: Asked) -> None:
    """Stones beside stones."""
    s.light = (0.2 if s.often(0.5) else 0.8), 0.1
    land.stones(s, 0.0, int(s.rng.integers(60, 130)), s.between(0.035, 0.06))
    if a.weather in ("rain", "storm"):
        sky.rain(s, 300)


def tilework(s: Stage, a: Asked) -> None:
    """Tiles with ornaments."""
    table.tiles(s, int(s.rng.integers(4, 8)))
    s.image *= (1 + 0.06 * s.noise(0.3, 3)[..., None]).astype(np.float32)


def textile(s: Stage, a: Asked) -> None:
    """A woven cloth in folds."""
    table.cloth(s)
