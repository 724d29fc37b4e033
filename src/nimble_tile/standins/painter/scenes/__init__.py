"""Scenes: where things stand, in ever other ways by the seed.

A scene is put together back to front. Things that were asked for by name are put where they
belong in it.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from nimble_tile.standins.painter.colours import Colours
from nimble_tile.standins.painter.parts import sky
from nimble_tile.standins.painter.scenes.asked import THINGS, Asked, over
from nimble_tile.standins.painter.scenes.green import birches, forest, garden, lane, meadow, orchard
from nimble_tile.standins.painter.scenes.indoors import (
    leaves,
    pebbles,
    room,
    still_life,
    textile,
    tilework,
)
from nimble_tile.standins.painter.scenes.lived import (
    bridge,
    city,
    festival,
    harbour,
    street,
    village,
)
from nimble_tile.standins.painter.scenes.wild import (
    coast,
    dunes,
    heavens,
    hills,
    lake,
    marsh,
    mountains,
    river,
    snowfield,
    waterfall,
)
from nimble_tile.standins.painter.stage import Stage

SCENES: dict[str, Callable[[Stage, Asked], None]] = {
    "marsh": marsh,
    "lake": lake,
    "river": river,
    "coast": coast,
    "hills": hills,
    "mountains": mountains,
    "meadow": meadow,
    "forest": forest,
    "birches": birches,
    "lane": lane,
    "orchard": orchard,
    "dunes": dunes,
    "waterfall": waterfall,
    "snowfield": snowfield,
    "night sky": heavens,
    "village": village,
    "street": street,
    "city": city,
    "harbour": harbour,
    "bridge": bridge,
    "garden": garden,
    "festival": festival,
    "still life": still_life,
    "room": room,
    "leaves": leaves,
    "stones": pebbles,
    "tiles": tilework,
    "cloth": textile,
}


INDOORS = ("still life", "room", "leaves", "stones", "tiles", "cloth")
"""Scenes into which no weather comes."""


def composed(
    scene: str, asked: Asked, colours: Colours, width: int, height: int, seed: int
) -> Stage:
    """A scene, put together but not yet painted."""
    rng = np.random.default_rng([seed, 11])
    stage = Stage(width, height, rng, colours)
    stage.light = stage.between(0.18, 0.82), stage.between(0.12, 0.32)
    stage.haze = {"fog": 0.35, "haze": 0.2, "rain": 0.2, "snow": 0.15}.get(asked.weather, 0.0)
    SCENES[scene](stage, asked)
    if scene not in INDOORS:
        if asked.weather in ("snow", "frost") and scene != "snowfield":
            sky.snow_on(stage, stage.horizon + 0.12)
        over(stage, asked)
    np.clip(stage.image, 0, 1, out=stage.image)
    return stage


__all__ = ["INDOORS", "SCENES", "THINGS", "Asked", "composed"]
