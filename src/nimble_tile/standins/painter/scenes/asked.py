"""What was asked for besides a scene, and where that is put."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from nimble_tile.standins.painter.colours import lightness, mix
from nimble_tile.standins.painter.parts import built, land, life, plants, sky
from nimble_tile.standins.painter.stage import Stage


@dataclass
class Asked:
    """What was asked for besides the scene.

    Attributes
    ----------
    things : list of str
        Keys of `THINGS`, in the order in which they were named.
    without : set of str
        Things and weathers that must not be there, even where a scene has them of itself.
    weather, light : str
    """

    things: list[str] = field(default_factory=list)
    without: set[str] = field(default_factory=set)
    weather: str = "clear"
    light: str = ""

    def may(self, thing: str) -> bool:
        """Whether a scene may have a thing of itself."""
        return thing not in self.without and thing not in self.things


def near(s: Stage) -> np.ndarray:
    """Colour of what stands close by."""
    return mix(s.colours.near, s.colours.mid, 0.2)


def open_sky(s: Stage, a: Asked) -> None:
    """Sky with what weather and light put into it."""
    sky.sky(s)
    dark = lightness(s.colours.low) < 0.45
    storm = a.weather == "storm"
    if dark and a.may("stars") and a.weather in ("clear", "frost"):
        sky.stars(s)
    if "stars" in a.things:
        sky.stars(s, 420)
    if "moon" in a.things or (dark and a.may("moon") and a.weather != "storm"):
        sky.moon(s, s.between(0.03, 0.06), s.often(0.3))
    elif "sun" in a.things or (
        a.may("sun")
        and a.weather in ("clear", "wind", "frost")
        and a.light not in ("lanternlight", "overcast")
    ):
        sky.sun(s, s.between(0.03, 0.055), 0.55 if lightness(s.colours.low) > 0.8 else 0.9)
    if storm or a.weather in ("cloudy", "rain", "snow") or "clouds" in a.things:
        sky.clouds(s, 0.95 if storm else 0.8, storm)
    elif a.may("clouds") and not dark:
        sky.clouds(s, s.between(0.35, 0.65))
    if "rainbow" in a.things:
        sky.rainbow(s)
    if storm and a.may("lightning"):
        sky.lightning(s)


def air(s: Stage, a: Asked, birds: bool = True) -> None:
    """What flies."""
    if "geese" in a.things or "birds" in a.things:
        number = 11 if "geese" in a.things else 17
        life.flock(s, number, 0.1, 0.6 * s.horizon, s.between(0.016, 0.03), s.colours.near)
    elif birds and a.may("birds") and s.often(0.4):
        life.flock(s, int(s.rng.integers(3, 8)), 0.12, 0.7 * s.horizon, 0.014, s.colours.near)


def over(s: Stage, a: Asked) -> None:
    """Weather in front of everything."""
    if a.weather == "fog":
        sky.fog(s, 0.75)
    elif a.weather == "haze":
        sky.fog(s, 0.4)
    elif a.weather in ("rain", "storm"):
        sky.rain(s, 900 if a.weather == "rain" else 1300)
    elif a.weather == "snow":
        sky.snowfall(s)
    elif a.weather == "wind":
        sky.leaf_fall(s)
    if a.light in ("backlit", "rays"):
        sky.rays(s, 0.55)


ANIMALS: dict[str, tuple[Callable, float]] = {
    "heron": (life.heron, 0.24),
    "deer": (life.deer, 0.2),
    "fox": (lambda *r: life.silhouette(r[0], life.FOX, *r[1:]), 0.17),
    "cat": (lambda *r: life.silhouette(r[0], life.CAT, *r[1:]), 0.17),
    "owl": (lambda *r: life.silhouette(r[0], life.OWL, *r[1:]), 0.15),
    "horse": (lambda *r: life.silhouette(r[0], life.HORSE, *r[1:]), 0.24),
    "walker": (lambda *r: life.silhouette(r[0], life.WALKER, *r[1:]), 0.17),
}
"""Who stands on land, and how large."""


def aside(s: Stage) -> float:
    """A place left or right of the middle."""
    return s.between(0.12, 0.34) if s.often(0.5) else s.between(0.66, 0.88)


def on_land(s: Stage, a: Asked, top: float) -> None:
    """Things that stand on the land in front, which begins at `top`."""

    def foot() -> float:
        return s.between(top + 0.25 * (1 - top), top + 0.7 * (1 - top))

    middle = near(s)
    makers: dict[str, Callable[[], None]] = {
        "tree": lambda: plants.tree(s, aside(s), foot(), s.between(0.45, 0.65), middle),
        "bare tree": lambda: plants.tree(s, aside(s), foot(), 0.6, s.colours.near, False),
        "pine": lambda: [
            plants.pine(s, s.between(0.05, 0.95), foot(), s.between(0.25, 0.5), middle)
            for _ in range(4)
        ],
        "birch": lambda: [
            plants.birch(
                s,
                s.between(0.05, 0.95),
                foot(),
                0.75,
                s.between(0.012, 0.03),
                np.array([0.92, 0.91, 0.87]),
            )
            for _ in range(4)
        ],
        "willow": lambda: plants.willow(s, aside(s), foot(), 0.62, middle),
        "house": lambda: built.house(s, aside(s), foot(), 0.26, 0.3, 0.05),
        "tower": lambda: built.tower(s, aside(s), foot(), 0.12, 0.5, 0.1),
        "lamp": lambda: built.lamp_post(s, aside(s), foot(), 0.45),
        "fence": lambda: built.fence(s, foot()),
        "path": lambda: land.path(s, top, s.between(0.25, 0.75)),
        "rocks": lambda: land.stones(s, max(top + 0.2, 0.75), 30, 0.035),
        "butterflies": lambda: life.butterflies(s, 9),
        "flowers": lambda: plants.flowers(s, top, 360),
        "grass": lambda: plants.grass(s),
        "reeds": lambda: plants.reeds(s),
        "lanterns": lambda: built.lanterns(s, 14, 0.12, 0.4),
        "bridge": lambda: None,
    }
    for thing in sorted(a.things, key=lambda t: t in ("grass", "reeds", "flowers", "lanterns")):
        if thing in makers:
            makers[thing]()
        elif thing in ANIMALS:
            draw, size = ANIMALS[thing]
            draw(s, s.between(0.22, 0.78), foot(), size, s.colours.near)


def on_water(s: Stage, a: Asked, top: float) -> None:
    """Things that swim, or stand in shallow water."""
    for thing in a.things:
        y = s.between(top + 0.18 * (1 - top), top + 0.6 * (1 - top))
        if thing == "boat":
            built.boat(s, s.between(0.25, 0.75), y, s.between(0.16, 0.28))
        elif thing == "sail":
            built.boat(s, s.between(0.25, 0.75), top + 0.2 * (1 - top), 0.16, True)
        elif thing == "swan":
            for _ in range(int(s.rng.integers(1, 3))):
                white = mix(s.colours.low, np.ones(3), 0.7)
                life.silhouette(s, life.SWAN, s.between(0.2, 0.8), y, s.between(0.08, 0.14), white)
        elif thing == "fish":
            for _ in range(3):
                life.silhouette(
                    s,
                    life.FISH,
                    s.between(0.15, 0.85),
                    s.between(top + 0.15, 0.95),
                    0.1,
                    mix(s.colours.accent, s.colours.near, 0.3),
                )
        elif thing == "heron":
            life.heron(s, aside(s), s.between(0.82, 0.95), 0.3, s.colours.near)
        elif thing == "bridge":
            built.bridge(s, top + 0.04, s.between(0.1, 0.18), int(s.rng.integers(2, 5)))
        elif thing == "lanterns":
            built.floating(s, 22, top + 0.03)
        elif thing == "jetty":
            built.jetty(s, aside(s), top + 0.12)
        elif thing == "reeds":
            plants.reeds(s, high=s.between(0.3, 0.45))
        elif thing == "willow":
            plants.willow(s, aside(s), top + 0.05, 0.5, near(s))


WATERY = {
    "boat",
    "sail",
    "swan",
    "fish",
    "heron",
    "bridge",
    "lanterns",
    "jetty",
    "reeds",
    "willow",
}


def rest(a: Asked) -> Asked:
    """What has no place on the water."""
    return Asked([t for t in a.things if t not in WATERY], a.without, a.weather, a.light)


THINGS = (
    "reeds",
    "grass",
    "flowers",
    "tree",
    "bare tree",
    "pine",
    "birch",
    "willow",
    "rocks",
    "path",
    "fence",
    "house",
    "tower",
    "bridge",
    "jetty",
    "lamp",
    "lanterns",
    "boat",
    "sail",
    "heron",
    "deer",
    "fox",
    "cat",
    "owl",
    "horse",
    "swan",
    "fish",
    "geese",
    "birds",
    "butterflies",
    "walker",
    "sun",
    "moon",
    "stars",
    "clouds",
    "rainbow",
    "lightning",
    "jug",
    "vase",
    "fruit",
    "books",
    "candle",
)
"""What can be asked for by name."""
