"""The prompt helper: one keyword or a rough sentence becomes three descriptions.

They are written in the painter's vocabulary, by a grammar over it and by what goes together in
the world; they can be given to any other picture generator, too. No model and no network.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import marked, tr
from nimble_tile.standins.painter.colours import PALETTES
from nimble_tile.standins.painter.scenes import INDOORS, SCENES
from nimble_tile.standins.painter.words import (
    MEDIA,
    MOODS,
    WEATHERS,
    Meaning,
    Word,
    understand,
    words,
)

NUMBER = 3
"""Descriptions at a time."""

BELONGS: dict[str, tuple[str, ...]] = {
    "marsh": ("heron", "reeds", "boat", "geese", "moon"),
    "lake": ("boat", "swan", "jetty", "heron"),
    "river": ("boat", "willow", "heron", "swan"),
    "coast": ("sail", "birds", "rocks", "tower"),
    "hills": ("tree", "path", "horse", "house"),
    "mountains": ("pine", "birds", "moon", "walker"),
    "meadow": ("flowers", "butterflies", "horse", "tree"),
    "forest": ("deer", "fox", "owl", "path"),
    "birches": ("deer", "fox", "walker"),
    "lane": ("walker", "fence", "birds"),
    "orchard": ("fence", "house", "butterflies"),
    "dunes": ("sun", "walker", "birds"),
    "waterfall": ("pine", "rainbow", "deer"),
    "snowfield": ("pine", "fox", "house", "moon"),
    "night sky": ("moon", "owl", "pine", "stars"),
    "village": ("lanterns", "tower", "birds", "cat"),
    "street": ("lamp", "cat", "walker", "lanterns"),
    "city": ("bridge", "boat", "moon", "birds"),
    "harbour": ("boat", "sail", "birds", "lanterns"),
    "bridge": ("boat", "willow", "swan", "walker"),
    "garden": ("flowers", "butterflies", "house", "path"),
    "festival": ("lanterns", "boat", "moon"),
    "still life": ("jug", "fruit", "books", "candle", "vase"),
    "room": ("vase", "books", "cat", "candle"),
    "leaves": ("butterflies",),
    "stones": (),
    "tiles": (),
    "cloth": (),
}
"""What goes into a scene; the first ones best."""

HOURS: dict[str, tuple[str, ...]] = {
    "festival": ("dusk", "evening", "night"),
    "night sky": ("night", "evening"),
    "snowfield": ("dawn", "morning", "evening"),
    "dunes": ("sunset", "afternoon", "dawn"),
    "orchard": ("morning", "noon", "afternoon"),
    "garden": ("morning", "afternoon", "dusk"),
}
"""Hours that suit a scene; others take any."""

_ANY_HOUR = ("dawn", "morning", "afternoon", "sunset", "dusk", "evening", "night")

LIGHT_OF = {
    "dawn": ("soft", "golden"),
    "morning": ("sunlight", "soft"),
    "noon": ("bright", "sunlight"),
    "afternoon": ("golden", "sunlight"),
    "sunset": ("backlit", "golden"),
    "dusk": ("glowing", "soft"),
    "evening": ("lanternlight", "glowing"),
    "night": ("moonlight", "lanternlight"),
}
"""Lights that belong to an hour."""

MOOD_WITH = {
    "fog": ("mysterious", "dreamy", "lonely"),
    "haze": ("dreamy", "tender"),
    "rain": ("melancholy", "calm"),
    "storm": ("dramatic", "wild"),
    "snow": ("calm", "cosy", "solemn"),
    "frost": ("delicate", "cold"),
    "wind": ("wild", "playful"),
    "cloudy": ("calm", "solemn"),
    "clear": ("cheerful", "vivid", "calm", "bold"),
}
"""Moods that go with a weather."""

UNFIT = {"cheerful": ("storm", "rain", "fog"), "calm": ("storm",), "dramatic": ("rainbow",)}
"""What a mood had better do without."""


@dataclass(frozen=True)
class Part:
    """A word of a description.

    Attributes
    ----------
    text : str
    kind : str
        Its class, see `nimble_tile.standins.painter.words.CLASSES`.
    does : str
        What it does, in a few words.
    """

    text: str
    kind: str
    does: str


@dataclass(frozen=True)
class Description:
    """A description, word by word.

    Attributes
    ----------
    parts : tuple of Part
    avoid : tuple of str
    """

    parts: tuple[Part, ...]
    avoid: tuple[str, ...]

    @property
    def text(self) -> str:
        """As it is given to a painter."""
        by = {
            kind: [p.text for p in self.parts if p.kind == kind]
            for kind in {p.kind for p in self.parts}
        }
        scene, things = by["scene"][0], by.get("thing", [])
        told = scene + (f" with {_listed(things)}" if things else "")
        for kind in ("time", "weather"):
            if kind in by:
                told += f", {by[kind][0]}"
        rest = [
            text for kind in ("light", "palette", "mood", "medium") for text in by.get(kind, [])
        ]
        return ", ".join([told, *rest])


def _listed(things: list[str]) -> str:
    return things[0] if len(things) == 1 else f"{', '.join(things[:-1])} and {things[-1]}"


def does(word: Word) -> str:
    """What a word does, in a few words; empty for one that does nothing."""
    value = word.value
    if word.kind == "scene":
        return tr((SCENES[value].__doc__ or "").strip().rstrip("."))
    if word.kind == "mood":
        mood = MOODS[value]
        told = [
            more if figure > 1 else less
            for figure, more, less in (
                (mood.contrast, tr("more contrast"), tr("less contrast")),
                (mood.colour, tr("more colour"), tr("less colour")),
                (mood.rough, tr("larger strokes"), tr("smaller strokes")),
            )
            if abs(figure - 1) > 0.04
        ]
        if abs(mood.warm) > 0.04:
            told.append(tr("warmer") if mood.warm > 0 else tr("colder"))
        return ", ".join(told) or tr("hardly a change")
    said = {
        "thing": marked("puts {word} into it"),
        "palette": marked("colours: {word}"),
        "time": marked("the hour: {word}"),
        "weather": marked("the weather: {word}"),
        "light": marked("the light: {word}"),
        "medium": marked("painted in {word}"),
    }.get(word.kind)
    return tr(said, word=value) if said else ""


def descriptions(rough: str, seed: int = 0) -> list[Description]:
    """Three different descriptions of what somebody has in mind.

    Parameters
    ----------
    rough : str
        A keyword or a sentence; what it says stays in all three.
    seed : int
        Others, of the same.
    """
    said, made = understand(rough), []
    first = int(np.random.default_rng([seed, 3]).integers(len(MEDIA)))
    scenes = _scenes(said, np.random.default_rng([seed, 1]))
    for number in range(NUMBER):
        rng = np.random.default_rng([seed, 2, number])
        made.append(_one(said, scenes[number % len(scenes)], number, first, rng))
    return made


def _scenes(said: Meaning, rng: np.random.Generator) -> list[str]:
    """The scene that was named, or those in which the things are at home."""
    if said.scene is not None:
        return [said.scene]
    fit = [scene for scene, things in BELONGS.items() if any(t in things for t in said.things)]
    fit = fit or [scene for scene in SCENES if BELONGS[scene] and scene not in INDOORS]
    return [str(scene) for scene in rng.permutation(fit)]


def _one(
    said: Meaning, scene: str, number: int, first: int, rng: np.random.Generator
) -> Description:
    def pick(options) -> str:
        return str(rng.choice(list(options)))

    indoors = scene in INDOORS
    hour = said.time or pick(HOURS.get(scene, _ANY_HOUR))
    weather = said.weather or (
        None if indoors else pick(WEATHERS if number else ("clear", "haze", "cloudy"))
    )
    light = said.light or pick(LIGHT_OF[hour])
    mood = said.moods or [pick(MOOD_WITH.get(weather or "clear", MOOD_WITH["clear"]))]
    things = list(said.things)
    extra = [t for t in BELONGS[scene] if t not in things]
    count = int(rng.integers(1, 3)) if extra else 0
    things += [str(t) for t in rng.permutation(extra)[:count]]
    palette = said.palette or (pick(PALETTES) if number else None)
    medium = said.medium or MEDIA[(number + first) % len(MEDIA)]
    values = [
        ("scene", scene),
        *(("thing", t) for t in things),
        ("time", hour),
        ("weather", weather),
        ("light", light),
        ("palette", palette),
        *(("mood", m) for m in mood),
        ("medium", medium),
    ]
    parts = tuple(
        Part(value, kind, does(Word(value, kind, value)))
        for kind, value in values
        if value is not None
    )
    avoid = tuple(w for m in mood for w in UNFIT.get(m, ()) if w != weather and w not in things)
    return Description(parts, avoid)


def explained(text: str) -> list[Part]:
    """The words of any description, and what each does."""
    return [Part(word.text, word.kind, does(word)) for word in words(text)]
