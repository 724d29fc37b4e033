"""Where people live."""

from __future__ import annotations

from nimble_tile.standins.painter.parts import built, land, plants
from nimble_tile.standins.painter.scenes.asked import (
    Asked,
    air,
    aside,
    near,
    on_land,
    on_water,
    open_sky,
    rest,
)
from nimble_tile.standins.painter.stage import Stage


def village(s: Stage, a: Asked) -> None:
    """Roofs under a hill."""
    s.horizon = s.between(0.36, 0.46)
    open_sky(s, a)
    land.hills(s, s.horizon - 0.03, 0.5, 0.7, 0.09)
    plants.woods(s, s.horizon + 0.02, 0.06, 0.5)
    land.hills(s, s.horizon + 0.04, 0.5, 0.4, 0.03)
    air(s, a)
    if a.may("tower"):
        built.tower(s, s.between(0.3, 0.7), s.horizon + 0.1, 0.06, 0.3, 0.4)
    for row in range(4):
        built.village(
            s, s.horizon + 0.1 + 0.1 * row, 8 - row, 0.45 - 0.12 * row, 0.09 + 0.045 * row
        )
    land.ground(s, s.horizon + 0.43)
    on_land(s, a, s.horizon + 0.42)
    plants.grass(s, 1.02, 0.08, 160)


def street(s: Stage, a: Asked) -> None:
    """A street between gabled houses."""
    s.horizon = s.between(0.42, 0.5)
    open_sky(s, a)
    built.skyline(s, s.horizon + 0.03, 9, 0.7)
    built.street(s, s.horizon)
    for t in (0.35, 0.62):
        for side in (-1, 1):
            if a.may("lamp"):
                built.lamp_post(
                    s, 0.5 + side * (0.09 + 0.34 * t), s.horizon + 0.05 + 0.5 * t, 0.14 + 0.2 * t
                )
    air(s, a)
    on_land(s, a, s.horizon + 0.2)


def city(s: Stage, a: Asked) -> None:
    """Towers over a river."""
    s.horizon = s.between(0.56, 0.66)
    open_sky(s, a)
    built.skyline(s, s.horizon, 30, 0.5)
    air(s, a)
    land.water(s, s.horizon + 0.03)
    on_water(s, a, s.horizon + 0.03)
    on_land(s, rest(a), 0.85)


def harbour(s: Stage, a: Asked) -> None:
    """Boats before a row of houses."""
    s.horizon = s.between(0.42, 0.52)
    open_sky(s, a)
    land.hills(s, s.horizon - 0.06, 0.5, 0.7, 0.08)
    built.village(s, s.horizon + 0.01, 11, 0.35, 0.1)
    built.village(s, s.horizon + 0.03, 9, 0.22, 0.12)
    air(s, a)
    land.water(s, s.horizon + 0.03)
    if a.may("boat"):
        for t in sorted(s.between(0, 1) for _ in range(6)):
            built.boat(
                s,
                s.between(0.06, 0.94),
                s.horizon + 0.07 + 0.38 * t,
                0.09 + 0.16 * t,
                s.often(0.45),
            )
    on_water(s, a, s.horizon + 0.05)
    on_land(s, rest(a), 0.85)


def bridge(s: Stage, a: Asked) -> None:
    """A stone bridge over still water."""
    s.horizon = s.between(0.4, 0.5)
    open_sky(s, a)
    land.hills(s, s.horizon - 0.04, 0.5, 0.65, 0.06)
    plants.woods(s, s.horizon + 0.02, 0.1, 0.4)
    air(s, a)
    built.bridge(s, s.horizon + 0.12, s.between(0.13, 0.2), int(s.rng.integers(2, 5)))
    land.water(s, s.horizon + 0.12, calm=0.8)
    on_water(s, Asked([t for t in a.things if t != "bridge"], a.without), s.horizon + 0.14)
    if a.may("willow") and s.often(0.6):
        plants.willow(s, aside(s), s.horizon + 0.2, 0.55, near(s))
    plants.grass(s, 1.03, 0.12, 200)
    on_land(s, rest(a), 0.78)


def festival(s: Stage, a: Asked) -> None:
    """Lanterns over and on dark water."""
    s.horizon = s.between(0.4, 0.52)
    open_sky(s, a)
    land.hills(s, s.horizon - 0.02, 0.5, 0.5, 0.07)
    plants.woods(s, s.horizon + 0.02, 0.1, 0.3)
    if a.may("lanterns") or "lanterns" in a.things:
        built.lanterns(s, 16, 0.1, 0.34, 0.017)
    land.water(s, s.horizon + 0.02)
    if "lanterns" not in a.without:
        built.floating(s, 26, s.horizon + 0.05)
    on_water(s, Asked([t for t in a.things if t != "lanterns"], a.without), s.horizon + 0.04)
    if "reeds" not in a.without:
        plants.reeds(s, 1.04, 0.34, 100, (0, 0.35))
    on_land(s, rest(a), 0.8)
