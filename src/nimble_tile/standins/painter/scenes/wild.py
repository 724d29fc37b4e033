"""Wild landscapes."""

from __future__ import annotations

import numpy as np

from nimble_tile.standins.painter.colours import mix
from nimble_tile.standins.painter.parts import built, land, life, plants, sky, table
from nimble_tile.standins.painter.scenes.asked import (
    WATERY,
    Asked,
    air,
    near,
    on_land,
    on_water,
    open_sky,
    rest,
)
from nimble_tile.standins.painter.stage import Stage


def marsh(s: Stage, a: Asked) -> None:
    """Pools between reeds under a wide sky."""
    s.horizon = s.between(0.36, 0.52)
    open_sky(s, a)
    land.hills(s, s.horizon, 0.5, 0.85, 0.02)
    plants.woods(s, s.horizon + 0.01, s.between(0.03, 0.07), 0.65)
    air(s, a)
    land.water(s, s.horizon + 0.005, calm=0.75)
    for _ in range(int(s.rng.integers(3, 6))):
        y = s.between(s.horizon + 0.05, 0.86)
        depth = (y - s.horizon) / (1 - s.horizon)
        left = s.between(-0.1, 0.8)
        plants.blades(
            s,
            130,
            y,
            0.05 + 0.16 * depth,
            s.afar(s.colours.near, 0.5 * (1 - depth)),
            0.12,
            (left, left + s.between(0.2, 0.5)),
            width=0.0025,
        )
    on_water(s, Asked([t for t in a.things if t != "reeds"], a.without), s.horizon)
    if "reeds" not in a.without:
        plants.reeds(s, 1.03, s.between(0.3, 0.5), 150, (0, s.between(0.3, 0.5)))
        plants.reeds(s, 1.03, s.between(0.2, 0.4), 110, (s.between(0.6, 0.75), 1))
    on_land(s, rest(a), 0.72)


def lake(s: Stage, a: Asked) -> None:
    """Still water before mountains."""
    s.horizon = s.between(0.44, 0.56)
    open_sky(s, a)
    land.mountains(s, s.horizon - 0.02, 0.75, s.between(0.14, 0.26))
    land.hills(s, s.horizon - 0.01, 0.5, 0.5, 0.05)
    plants.woods(s, s.horizon + 0.005, 0.06, 0.4, "pine")
    air(s, a)
    land.water(s, s.horizon, calm=0.85)
    on_water(s, a, s.horizon)
    if s.often(0.6) and "reeds" not in a.without:
        plants.reeds(s, 1.03, 0.24, 90, (0, 0.4) if s.often(0.5) else (0.6, 1))
    on_land(s, rest(a), 0.75)


def river(s: Stage, a: Asked) -> None:
    """A river that winds through meadows."""
    s.horizon = s.between(0.32, 0.44)
    open_sky(s, a)
    land.hills(s, s.horizon - 0.02, 0.5, 0.75, 0.07)
    land.hills(s, s.horizon + 0.01, 0.5, 0.5, 0.04)
    plants.woods(s, s.horizon + 0.02, 0.05, 0.5)
    air(s, a)
    land.water(s, s.horizon + 0.02, calm=0.8)
    course = land.meadows(s, s.horizon + 0.02, s.between(0.4, 0.62), s.between(0.25, 0.75))
    for _ in range(int(s.rng.integers(2, 5))):  # trees along the banks
        y = s.between(s.horizon + 0.06, s.horizon + 0.22)
        x, half = course.at(y)
        side = -1 if s.often(0.5) else 1
        tint = s.afar(near(s), 0.45 - (y - s.horizon))
        high = 0.05 + 0.7 * (y - s.horizon)
        plants.tree(s, x + side * (half + s.between(0.03, 0.16)), y, high, tint)
    _on_river(s, a, course)
    if "grass" not in a.without:
        plants.grass(s, 1.02, 0.1, 160)
    if a.may("flowers") and s.often(0.5):
        plants.flowers(s, 0.86, 120)
    on_land(s, rest(a), 0.72)


def _on_river(s: Stage, a: Asked, course: land.Course) -> None:
    """What is on the river, or stands by it."""
    others = []
    for thing in a.things:
        y = s.between(0.66, 0.84)
        x, half = course.at(y)
        if thing == "boat":
            built.boat(s, x, y, min(1.1 * half, 0.24))
        elif thing == "sail":
            built.boat(s, x, y, min(0.9 * half, 0.2), True)
        elif thing == "swan":
            white = mix(s.colours.low, np.ones(3), 0.7)
            for _ in range(2):
                life.silhouette(s, life.SWAN, x + s.between(-0.5, 0.5) * half, y, 0.1, white)
        elif thing == "heron":
            side = -1 if x > 0.5 else 1
            life.heron(s, x + side * 0.8 * half, y + 0.08, 0.28, s.colours.near)
        elif thing == "willow":
            y = s.between(s.horizon + 0.18, s.horizon + 0.28)
            x, half = course.at(y)
            side = -1 if x > 0.5 else 1
            plants.willow(s, x + side * (half + 0.12), y, 0.42, near(s))
        elif thing == "bridge":
            y = s.horizon + 0.14
            x, half = course.at(y)
            built.bridge(s, y, 0.1, 2)
        elif thing in WATERY:
            others.append(thing)
    on_water(s, Asked(others, a.without), s.horizon + 0.1)


def coast(s: Stage, a: Asked) -> None:
    """The sea with surf, cliffs and sand."""
    s.horizon = s.between(0.38, 0.5)
    open_sky(s, a)
    air(s, a)
    land.water(s, s.horizon, calm=0.2)
    if s.often(0.7):
        land.shore(
            s,
            s.horizon - s.between(0.02, 0.12),
            -0.1 if s.often(0.5) else 1.1,
            s.afar(near(s), 0.35),
        )
    for row in range(5):
        y = s.horizon + (0.84 - s.horizon) * (row + 1) / 6
        xs = np.linspace(-0.05, 1.05, 26)
        ys = (
            y + 0.008 * (row + 1) * np.sin(xs * s.between(5, 10) + row) + s.rng.normal(0, 0.002, 26)
        )
        s.lay(
            0.75 * s.lines([np.column_stack([xs, ys])], 0.002 + 0.0016 * row),
            mix(s.colours.low, np.ones(3), 0.55),
        )
    on_water(s, a, s.horizon)
    sand = mix(s.colours.low, s.colours.glow, 0.35) * 0.86
    land.shore(s, s.between(0.8, 0.9), s.between(0.3, 0.7), sand)
    on_land(s, rest(a), 0.86)


def hills(s: Stage, a: Asked) -> None:
    """Hills behind hills."""
    s.horizon = s.between(0.3, 0.44)
    open_sky(s, a)
    count = int(s.rng.integers(4, 7))
    for layer in range(count):
        part = layer / (count - 1)
        land.hills(s, s.horizon + 0.4 * part, 0.5, 0.85 * (1 - part) + 0.06, 0.05 + 0.05 * part)
        if layer and s.often(0.5):
            plants.woods(s, s.horizon + 0.4 * part + 0.05, 0.05 + 0.03 * part, 0.75 * (1 - part))
    air(s, a)
    if a.may("path") and s.often(0.5):
        land.path(s, s.horizon + 0.32, s.between(0.3, 0.7), 0.2)
    on_land(s, a, 0.72)
    plants.grass(s, 1.02, 0.1, 240)


def mountains(s: Stage, a: Asked) -> None:
    """Peaks behind peaks, pines in front."""
    s.horizon = s.between(0.5, 0.6)
    open_sky(s, a)
    for layer in range(3):
        land.mountains(
            s,
            s.horizon - 0.06 + 0.08 * layer,
            0.8 - 0.25 * layer,
            s.between(0.2, 0.32) - 0.05 * layer,
        )
    air(s, a)
    land.hills(s, s.horizon + 0.16, 0.5, 0.25, 0.04)
    for x in sorted(s.between(-0.05, 1.05) for _ in range(16)):
        plants.pine(
            s, x, s.between(s.horizon + 0.2, 0.98), s.between(0.12, 0.3), s.afar(near(s), 0.15)
        )
    on_land(s, a, 0.75)


def dunes(s: Stage, a: Asked) -> None:
    """Sand in long curves."""
    s.horizon = s.between(0.32, 0.44)
    open_sky(s, a)
    air(s, a)
    sand = mix(s.colours.low, s.colours.glow, 0.5)
    for layer in range(5):
        line = s.horizon + 0.13 * layer - 0.09 * s.ridge(s.between(0.4, 0.8), 2, 0.3)
        cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
        slope = np.gradient(line) * s.width
        lit = np.clip(0.62 + 1.6 * slope[None] * np.sign(0.5 - s.light[0]), 0.25, 1.1)
        ripples = 1 + 0.05 * np.sin((s.down - line[None]) * s.height * 0.45 + 6 * s.noise(0.3, 2))
        fade = np.clip((s.down - line[None]) / 0.22, 0, 1)
        body = (
            s.afar(sand * 0.92, 0.5 - 0.12 * layer)
            * ((lit * (1 - fade) + 0.62 * fade) * ripples)[..., None]
        )
        s.lay(cover, np.clip(body, 0, 1))
    on_land(s, a, 0.7)


def waterfall(s: Stage, a: Asked) -> None:
    """Water that falls between rocks."""
    s.horizon = s.between(0.22, 0.3)
    open_sky(s, a)
    plants.woods(s, s.horizon + 0.04, 0.12, 0.5, "pine")
    rock = mix(s.colours.near, s.colours.far, 0.35)
    line = s.horizon + 0.02 + 0.015 * s.ridge(0.1, 4)
    cover = np.clip((s.down - line[None]) * s.height + 0.5, 0, 1)
    facets = s.noise(0.09, 5, 0.5)
    s.lay(cover, np.clip(rock * (0.8 + 0.45 * facets)[..., None], 0, 1))
    x, wide = s.between(0.38, 0.62), s.between(0.12, 0.2)
    half = wide * (0.7 + 0.5 * np.clip((s.down - s.horizon) / 0.6, 0, 1)) + 0.02 * s.noise(0.06, 3)
    fall = np.clip((half - np.abs(s.across - x)) * 40, 0, 1) * np.clip(
        (s.down - s.horizon - 0.015) * 60, 0, 1
    )
    streaks = np.clip(0.75 + 0.4 * s.noise(0.3, 3, 30.0), 0, 1)[..., None]
    white = mix(s.colours.low, np.ones(3), 0.6)
    s.lay(fall, white * streaks + s.colours.top * (1 - streaks))
    land.water(s, 0.76, calm=0.1)
    s.glow(x, 0.77, 0.22, 0.6, np.ones(3))
    for _ in range(18):
        edge = s.between(-0.05, 0.3) if s.often(0.5) else s.between(0.7, 1.05)
        table.turned(
            s,
            edge,
            s.between(0.74, 1.0),
            np.array([(0.02, 0), (0.06, 0.02), (0.05, 0.05), (0.01, 0.07)]) * s.between(0.7, 1.6),
            mix(rock, s.colours.near, 0.3),
        )
    on_land(s, rest(a), 0.8)
    on_water(s, a, 0.78)


def snowfield(s: Stage, a: Asked) -> None:
    """Snow on hills, with pines."""
    s.horizon = s.between(0.38, 0.48)
    open_sky(s, a)
    for layer in range(3):
        land.hills(
            s,
            s.horizon + 0.11 * layer,
            0.45,
            0.6 - 0.2 * layer,
            0.07,
            mix(np.array([0.93, 0.95, 1.0]), s.colours.top, 0.25 - 0.05 * layer),
        )
        for _ in range(6 + 3 * layer):
            plants.pine(
                s,
                s.between(0, 1),
                s.horizon + 0.06 + 0.13 * layer + s.between(0, 0.04),
                s.between(0.06, 0.11) * (1 + layer),
                s.afar(near(s), 0.5 - 0.2 * layer),
            )
    air(s, a)
    sky.snow_on(s, s.horizon + 0.42)
    on_land(s, a, 0.72)


def heavens(s: Stage, a: Asked) -> None:
    """The night sky over a dark land."""
    s.horizon = s.between(0.74, 0.84)
    sky.sky(s)
    band = np.exp(-(((s.down - 0.45 - 0.5 * (s.across - 0.5)) / 0.16) ** 2)) * np.clip(
        0.5 + 0.6 * s.noise(0.2, 5), 0, 1
    )
    s.image += (0.3 * band)[..., None] * (1 - s.image) * mix(s.colours.glow, s.colours.far, 0.6)
    if "stars" not in a.without:
        sky.stars(s, 900)
    if a.may("moon") or "moon" in a.things:
        sky.moon(s, s.between(0.04, 0.08), s.often(0.5))
    land.hills(s, s.horizon, 0.5, 0.3, 0.05)
    plants.woods(s, s.horizon + 0.08, 0.09, 0.12, "pine" if s.often(0.5) else "tree")
    air(s, a, False)
    land.ground(s, s.horizon + 0.07, s.colours.near)
    on_land(s, a, s.horizon + 0.05)
