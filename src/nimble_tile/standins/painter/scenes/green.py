"""Meadows, woods and gardens."""

from __future__ import annotations

import numpy as np

from nimble_tile.standins.painter.colours import mix
from nimble_tile.standins.painter.parts import built, land, plants
from nimble_tile.standins.painter.scenes.asked import Asked, air, aside, near, on_land, open_sky
from nimble_tile.standins.painter.stage import Stage, disc_at


def meadow(s: Stage, a: Asked) -> None:
    """Grass and flowers under a high sky."""
    s.horizon = s.between(0.36, 0.5)
    open_sky(s, a)
    land.hills(s, s.horizon - 0.01, 0.5, 0.7, 0.05)
    plants.woods(s, s.horizon + 0.02, 0.08, 0.5)
    land.ground(s, s.horizon + 0.015)
    air(s, a)
    if a.may("tree") and s.often(0.7):
        plants.tree(s, aside(s), s.between(0.62, 0.75), s.between(0.4, 0.55), near(s))
    plants.grass(s, 0.98, 0.14, 300)
    if "flowers" not in a.without:
        plants.flowers(s, s.horizon + 0.08, 300)
    on_land(s, a, s.horizon + 0.1)
    plants.grass(s, 1.04, 0.16, 260)


def forest(s: Stage, a: Asked) -> None:
    """Trunks behind trunks, light between them."""
    s.horizon = s.between(0.5, 0.62)
    s.light = s.between(0.3, 0.7), s.between(0.2, 0.45)
    s.image[:] = mix(s.colours.low, s.colours.mid, 0.25)
    s.glow(*s.light, 0.6, 0.6)
    for layer in range(4):
        far = 0.85 - 0.27 * layer
        colour = s.afar(mix(s.colours.near, s.colours.mid, 0.35), far)
        plants.woods(
            s, s.horizon + 0.03 * layer, 0.5 - 0.06 * layer, far, "tree"
        ) if layer < 2 else None
        for _ in range(9 - layer):
            x, wide = s.between(-0.02, 1.02), (0.012 + 0.018 * layer) * s.between(0.7, 1.3)
            foot = s.horizon + 0.03 + 0.11 * layer
            t = np.linspace(0, 1, 8)
            bend = s.between(-0.03, 0.03)
            middle, half = x + bend * t, wide * (1 - 0.3 * t) / 2
            y = foot - 1.2 * t
            outline = np.vstack(
                [np.column_stack([middle - half, y]), np.column_stack([middle + half, y])[::-1]]
            )
            s.lay(s.shape(outline), s.shaded(colour, 0.2, 0.03, 0.3))
        if layer == 1:
            land.ground(s, s.horizon + 0.1)
    if a.may("path"):
        land.path(s, s.horizon + 0.05, s.between(0.35, 0.65), 0.4)
    leaves = mix(s.colours.mid, s.colours.glow, 0.15)
    for _ in range(520):
        edge = s.between(0, 1) ** 2 * 0.4
        disc_at(
            s,
            s.between(0, 1),
            edge,
            s.between(0.006, 0.022),
            np.clip(leaves * s.between(0.5, 1.15), 0, 1),
            0.85,
        )
    on_land(s, a, s.horizon + 0.12)
    plants.grass(s, 1.03, 0.1, 200)


def birches(s: Stage, a: Asked) -> None:
    """A wood of birches."""
    s.horizon = s.between(0.45, 0.6)
    open_sky(s, a)
    plants.woods(s, s.horizon + 0.04, 0.22, 0.6)
    land.ground(s, s.horizon + 0.03)
    pale = mix(np.array([0.93, 0.92, 0.88]), s.colours.low, 0.25)
    for t in sorted(s.between(0, 1) for _ in range(17)):
        foot = s.horizon + 0.06 + 0.4 * t
        plants.birch(
            s,
            s.between(-0.02, 1.02),
            foot,
            1.1,
            0.008 + 0.045 * t**1.4,
            s.afar(pale, 0.45 * (1 - t)),
        )
    leaves = mix(s.colours.accent, s.colours.glow, 0.35)
    for _ in range(420):
        disc_at(
            s,
            s.between(0, 1),
            s.between(0, 1) ** 1.7 * 0.55,
            s.between(0.003, 0.011),
            np.clip(leaves * s.between(0.65, 1.1), 0, 1),
            0.9,
        )
    on_land(s, a, s.horizon + 0.15)
    plants.grass(s, 1.03, 0.12, 220)


def lane(s: Stage, a: Asked) -> None:
    """A way between trees and fences."""
    s.horizon = s.between(0.4, 0.5)
    open_sky(s, a)
    land.hills(s, s.horizon, 0.5, 0.7, 0.05)
    land.ground(s, s.horizon + 0.02)
    air(s, a)
    middle = s.between(0.4, 0.6)
    land.path(s, s.horizon + 0.02, middle, 0.42)
    for t in np.linspace(0, 1, 5):
        for side in (-1, 1):
            x = middle + side * (0.06 + 0.5 * t**1.5) + s.between(-0.03, 0.03)
            plants.tree(
                s,
                x,
                s.horizon + 0.05 + 0.34 * t,
                (0.16 + 0.5 * t) * s.between(0.85, 1.1),
                s.afar(near(s), 0.5 * (1 - t)),
            )
    on_land(s, a, s.horizon + 0.2)


def orchard(s: Stage, a: Asked) -> None:
    """Fruit trees in rows, in bloom or bearing."""
    s.horizon = s.between(0.36, 0.46)
    open_sky(s, a)
    land.hills(s, s.horizon, 0.5, 0.7, 0.05)
    land.ground(s, s.horizon + 0.02)
    for t in np.linspace(0.05, 1, 4):
        for place in np.linspace(-0.05, 1.05, int(7 - 3 * t)):
            x, foot, high = (
                place + s.between(-0.03, 0.03),
                s.horizon + 0.05 + 0.4 * t,
                0.12 + 0.36 * t,
            )
            plants.tree(s, x, foot, high, s.afar(near(s), 0.45 * (1 - t)))
            for _ in range(26):
                disc_at(
                    s,
                    x + s.rng.normal(0, 0.16 * high),
                    foot - high * s.between(0.4, 0.95),
                    0.006 + 0.012 * t * s.between(0.5, 1),
                    s.afar(s.colours.accent, 0.4 * (1 - t)),
                )
    plants.grass(s, 1.02, 0.1, 260)
    on_land(s, a, s.horizon + 0.2)


def garden(s: Stage, a: Asked) -> None:
    """Beds of flowers before a house."""
    s.horizon = s.between(0.36, 0.44)
    open_sky(s, a)
    plants.woods(s, s.horizon + 0.08, 0.2, 0.4)
    land.ground(s, s.horizon + 0.05)
    if a.may("house"):
        built.house(s, aside(s), s.horizon + 0.2, 0.3, 0.34, 0.15)
    land.path(s, s.horizon + 0.14, s.between(0.4, 0.6), 0.36)
    for t in np.linspace(0, 1, 6):
        y = s.horizon + 0.16 + 0.42 * t
        for _ in range(int(60 - 26 * t)):
            side = (
                s.between(-0.02, 0.36 - 0.1 * t)
                if s.often(0.5)
                else s.between(0.66 + 0.1 * t, 1.02)
            )
            bloom = (s.colours.accent, s.colours.glow, mix(s.colours.accent, np.ones(3), 0.5))[
                int(s.rng.integers(3))
            ]
            size = 0.005 + 0.014 * t
            disc_at(
                s, side + 0.006, y + s.between(0, 0.07) + 0.012, size * 1.15, s.colours.near, 0.6
            )
            disc_at(s, side, y + s.between(0, 0.07), size, s.afar(bloom, 0.3 * (1 - t)))
    air(s, a)
    on_land(s, a, s.horizon + 0.25)
