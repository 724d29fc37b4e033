"""A painting: from words, a seed and guides to a picture, step by step."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import cv2
import numpy as np

from nimble_tile.core.errors import Stopped
from nimble_tile.standins.painter.colours import lightness, scene_colours
from nimble_tile.standins.painter.guide import Pull
from nimble_tile.standins.painter.media import MEDIUMS
from nimble_tile.standins.painter.scenes import SCENES, Asked, composed
from nimble_tile.standins.painter.words import LIGHTS, MOODS, understand
from nimble_tile.standins.painting import Request, State

COMPOSED_AT = 640
"""Longer side, in pixels, at which a scene is put together; what is finer comes from the brush."""


@dataclass
class Chosen:
    """What words and seed have chosen together."""

    scene: str
    time: str
    weather: str
    medium: str
    palette: str | None
    light: str
    moods: list[str]
    asked: Asked
    unknown: list[str] = field(default_factory=list)


def chosen(request: Request) -> Chosen:
    """What the words choose, and the seed where they say nothing."""
    said, shunned = understand(request.words), understand(request.avoid)
    rng = np.random.default_rng([request.seed, 5])

    def one(kind: str, options, shares=None) -> str:
        value, out = getattr(said, kind), getattr(shunned, kind)
        left = [o for o in options if o != out]
        drawn = str(rng.choice(left, p=None if shares is None else shares))
        return value if value is not None and value != out else drawn

    scene = one("scene", [s for s in SCENES if s not in ("tiles", "cloth", "stones", "leaves")])
    night = said.light in ("moonlight", "lanternlight") or scene in ("festival", "night sky")
    hours = (
        ("evening", "night")
        if night
        else ("dawn", "morning", "noon", "afternoon", "sunset", "dusk")
    )
    time = one("time", hours)
    weather = one("weather", ("clear", "clear", "clear", "cloudy", "haze"))
    things = [thing for thing in said.things if thing not in shunned.things]
    without = {*shunned.things}
    if shunned.weather in ("cloudy",):
        without.add("clouds")
    return Chosen(
        scene,
        time,
        weather,
        one("medium", ("oil",)),
        said.palette,
        said.light or "",
        [mood for mood in said.moods if mood not in shunned.moods],
        Asked(things, without, weather, said.light or ""),
        [*said.unknown, *(word for word in shunned.unknown if word not in said.unknown)],
    )


def paint(request: Request, stop: Callable[[], bool] = lambda: False) -> Iterator[State]:
    """Paint; the same request gives the same painting.

    Yields
    ------
    State
        After each step; the last one is finished.

    Raises
    ------
    Stopped
        `stop` said so.
    """
    what = chosen(request)
    scene = _scene(request, what)
    rough = float(np.prod([MOODS[mood].rough for mood in what.moods])) if what.moods else 1.0
    rng = np.random.default_rng([request.seed, 17])
    medium = MEDIUMS[what.medium](request.width, request.height, rng, rough)
    pull = Pull(request.guides, request.width, request.height, request.seed)

    def share(number: int) -> float:
        return (number - 1) / max(request.steps - 1, 1)

    def seen(number: int) -> np.ndarray:
        """What is to be painted at a step; it does not depend on what is painted already."""
        return np.rint(pull.step(scene, share(number), request.steps) * 255).astype(np.uint8)

    # The next step is worked out while the brush paints this one.
    with ThreadPoolExecutor(1) as pool:
        ahead = pool.submit(seen, 1)
        for number in range(1, request.steps + 1):
            if stop():
                raise Stopped
            now = ahead.result()
            last = number == request.steps
            if not last:
                ahead = pool.submit(seen, number + 1)
            medium.step(now, share(number))
            yield State(medium.finished() if last else medium.canvas.copy(), number, request.steps)


def _scene(request: Request, what: Chosen) -> np.ndarray:
    """What is to be painted, before any guide (float32 H × W × 3, 0 to 1)."""
    scale = min(1.0, COMPOSED_AT / max(request.width, request.height))
    width, height = (max(32, round(side * scale)) for side in (request.width, request.height))
    stage = composed(
        what.scene, what.asked, scene_colours(what.palette, what.time), width, height, request.seed
    )
    image = _graded(stage.image, what, stage.colours.glow)
    image = cv2.resize(image, (request.width, request.height), interpolation=cv2.INTER_CUBIC)
    if request.start is not None and request.depart < 1:
        start = cv2.resize(
            request.start, (request.width, request.height), interpolation=cv2.INTER_AREA
        )
        image = _departed(start.astype(np.float32) / 255, image, request.depart)
    return np.clip(image, 0, 1).astype(np.float32)


def _graded(image: np.ndarray, what: Chosen, lamp: np.ndarray) -> np.ndarray:
    """Light and moods."""
    image = image * np.float32(LIGHTS.get(what.light, 1.0))
    for mood in (MOODS[name] for name in what.moods):
        middle = float(image.mean())
        image = middle + (image - middle) * mood.contrast
        grey = (image @ np.array([0.299, 0.587, 0.114], np.float32))[..., None]
        image = grey + (image - grey) * mood.colour
        if mood.warm:
            tint = lamp if mood.warm > 0 else np.array([0.55, 0.7, 1.0])
            tint = tint / max(lightness(tint), 0.1)
            image = image * (1 + abs(mood.warm) * (tint - 1))
    if what.light == "golden":
        image = image * np.array([1.06, 1.0, 0.86], np.float32)
    elif what.light == "moonlight":
        image = image * np.array([0.84, 0.94, 1.12], np.float32)
    elif what.light == "shadowy":
        image = image - 0.25 * np.clip(0.5 - image, 0, 1)
    return np.clip(image, 0, 1)


def _departed(start: np.ndarray, scene: np.ndarray, depart: float) -> np.ndarray:
    """Masses of one picture with details of both: far departures keep less of each."""
    made, scale = np.zeros_like(scene), 1.0
    a, b = start, scene
    for _ in range(4):
        softer = [cv2.GaussianBlur(part, (0, 0), 3.0 * scale) for part in (a, b)]
        share = np.float32(depart ** (1.0 / scale**0.35))
        made += (a - softer[0]) * (1 - share) + (b - softer[1]) * share
        a, b = softer
        scale *= 3
    share = np.float32(depart**2)
    return made + a * (1 - share) + b * share
