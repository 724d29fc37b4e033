"""The vocabulary: which words choose what, in eight classes.

A word may stand in the plural, and beside any others; what is not known is told. Of a class
that can have one value alone (scene, palette, time, weather, light, medium) the first word
counts, and of scenes that follow each other the last ("mountain lake"); things, and moods, add
up.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from nimble_tile.standins.painter.colours import PALETTES, TIMES
from nimble_tile.standins.painter.scenes import SCENES, THINGS

CLASSES = ("scene", "thing", "palette", "light", "weather", "time", "medium", "mood")
"""The classes of words."""

LIGHTS = {
    "sunlight": 1.08,
    "backlit": 1.0,
    "rays": 1.04,
    "overcast": 0.94,
    "moonlight": 0.8,
    "lanternlight": 0.86,
    "golden": 1.05,
    "bright": 1.16,
    "dim": 0.78,
    "soft": 1.0,
    "shadowy": 0.86,
    "glowing": 1.08,
}
"""Lights, and how much of it there is."""

WEATHERS = ("clear", "cloudy", "fog", "haze", "rain", "storm", "snow", "frost", "wind")

MEDIA = (
    "oil", "ink", "watercolour", "mosaic", "cut paper", "weave", "embroidery", "feathers",
)  # fmt: skip


@dataclass(frozen=True)
class Mood:
    """What a mood changes.

    Attributes
    ----------
    contrast, colour : float
        In parts of what it is without.
    warm : float
        Towards the lamp's light, or away from it.
    rough : float
        Size of strokes in parts of the usual.
    """

    contrast: float = 1.0
    colour: float = 1.0
    warm: float = 0.0
    rough: float = 1.0


MOODS: dict[str, Mood] = {
    "calm": Mood(0.92, 0.92, 0.0, 1.0),
    "dramatic": Mood(1.28, 1.1, 0.02, 1.15),
    "dreamy": Mood(0.82, 0.95, 0.03, 1.2),
    "lonely": Mood(0.95, 0.72, -0.05, 1.0),
    "cheerful": Mood(1.05, 1.3, 0.04, 1.0),
    "mysterious": Mood(1.1, 0.8, -0.06, 1.1),
    "solemn": Mood(1.08, 0.7, -0.02, 1.0),
    "playful": Mood(1.05, 1.35, 0.02, 0.85),
    "tender": Mood(0.86, 1.0, 0.06, 1.0),
    "wild": Mood(1.25, 1.2, 0.0, 1.45),
    "melancholy": Mood(0.92, 0.62, -0.07, 1.05),
    "cosy": Mood(0.98, 1.08, 0.12, 1.0),
    "cold": Mood(1.0, 0.85, -0.14, 1.0),
    "warm": Mood(1.0, 1.08, 0.14, 1.0),
    "faded": Mood(0.75, 0.65, 0.04, 1.0),
    "vivid": Mood(1.12, 1.5, 0.0, 1.0),
    "delicate": Mood(0.9, 0.95, 0.0, 0.7),
    "bold": Mood(1.2, 1.2, 0.0, 1.3),
}
"""Moods."""

# fmt: off
_ALIASES: dict[str, dict[str, str]] = {
    "scene": {
        "fen": "marsh", "wetland": "marsh", "saltmarsh": "marsh", "bog": "marsh",
        "pond": "lake", "water": "lake", "mere": "lake", "tarn": "lake", "stream": "river",
        "brook": "river", "creek": "river", "sea": "coast", "beach": "coast", "shore": "coast",
        "ocean": "coast", "bay": "coast", "cliff": "coast", "hill": "hills", "valley": "hills",
        "downs": "hills", "landscape": "hills", "countryside": "hills", "mountain": "mountains",
        "peak": "mountains", "alps": "mountains", "field": "meadow", "pasture": "meadow",
        "prairie": "meadow", "wood": "forest", "woods": "forest", "woodland": "forest",
        "grove": "forest", "avenue": "lane", "road": "lane", "trail": "lane", "desert": "dunes",
        "dune": "dunes", "sand": "dunes", "cascade": "waterfall", "fall": "waterfall",
        "glacier": "snowfield", "heavens": "night sky", "milky way": "night sky",
        "hamlet": "village", "town": "village", "alley": "street", "market": "street",
        "skyline": "city", "towers": "city", "port": "harbour", "harbor": "harbour",
        "quay": "harbour", "viaduct": "bridge", "park": "garden", "flowerbed": "garden",
        "fair": "festival", "celebration": "festival", "table": "still life",
        "kitchen": "still life", "window": "room", "interior": "room", "study": "room",
        "foliage": "leaves", "leaf": "leaves", "fern": "leaves", "pebble": "stones",
        "stone": "stones", "tile": "tiles", "ornament": "tiles", "carpet": "cloth",
        "textile": "cloth", "tapestry": "cloth", "fabric": "cloth",
    },
    "thing": {
        "reed": "reeds", "rush": "reeds", "cattail": "reeds", "flower": "flowers",
        "bloom": "flowers", "blossom": "flowers", "poppy": "flowers", "poppies": "flowers",
        "oak": "tree", "fir": "pine", "spruce": "pine", "conifer": "pine", "rock": "rocks",
        "boulder": "rocks", "way": "path", "gate": "fence", "cottage": "house", "hut": "house",
        "farm": "house", "castle": "tower", "lighthouse": "tower", "church": "tower",
        "pier": "jetty", "dock": "jetty", "streetlamp": "lamp", "lantern": "lanterns",
        "rowing boat": "boat", "ship": "sail", "sailing boat": "sail", "yacht": "sail",
        "crane": "heron", "stag": "deer", "kitten": "cat", "pony": "horse", "duck": "swan",
        "goose": "geese", "bird": "birds", "gull": "birds", "swallow": "birds",
        "butterfly": "butterflies", "person": "walker", "man": "walker", "woman": "walker",
        "figure": "walker", "star": "stars", "cloud": "clouds", "pitcher": "jug",
        "bouquet": "vase", "apple": "fruit", "orange fruit": "fruit", "pear": "fruit",
        "book": "books", "candlelight": "candle", "bare trees": "bare tree",
    },
    "palette": {
        "gray": "slate", "grey": "slate", "green": "moss", "blue": "indigo", "red": "crimson",
        "yellow": "gold", "brown": "sepia", "purple": "violet", "pink": "rose",
        "orange": "amber", "white": "ivory", "golden colours": "gold",
        "black and white": "monochrome", "autumnal": "autumn", "wintry": "winter",
        "cyan": "turquoise", "jade": "emerald", "rust": "copper", "lilac": "lavender",
        "beige": "sand", "aqua": "turquoise",
    },
    "light": {
        "sunlit": "sunlight", "sunny": "sunlight", "silhouette": "backlit",
        "contre-jour": "backlit", "beams": "rays", "sunbeam": "rays", "sunbeams": "rays",
        "moonlit": "moonlight", "lanternlit": "lanternlight", "lamplight": "lanternlight",
        "candlelit": "lanternlight", "luminous": "glowing", "radiant": "glowing", "dark": "dim",
        "gloomy": "dim", "diffuse": "soft", "shade": "shadowy",
    },
    "weather": {
        "mist": "fog", "misty": "fog", "foggy": "fog", "hazy": "haze", "rainy": "rain",
        "drizzle": "rain", "stormy": "storm", "thunder": "storm", "thunderstorm": "storm",
        "snowy": "snow", "blizzard": "snow", "frosty": "frost", "icy": "frost", "ice": "frost",
        "windy": "wind", "breeze": "wind", "breezy": "wind", "cloudless": "clear",
    },
    "time": {
        "sunrise": "dawn", "daybreak": "dawn", "midday": "noon", "day": "noon",
        "daytime": "noon", "twilight": "dusk", "nightfall": "evening", "midnight": "night",
        "nocturne": "night",
    },
    "medium": {
        "oils": "oil", "oil painting": "oil", "impasto": "oil", "painting": "oil",
        "ink wash": "ink", "brush drawing": "ink", "watercolor": "watercolour",
        "aquarelle": "watercolour", "tesserae": "mosaic", "paper": "cut paper",
        "papercut": "cut paper", "collage": "cut paper", "woven": "weave", "wicker": "weave",
        "basketry": "weave", "tapestry": "embroidery", "embroidered": "embroidery",
        "stitched": "embroidery", "needlework": "embroidery", "plumage": "feathers",
    },
    "mood": {
        "peaceful": "calm", "quiet": "calm", "serene": "calm", "still": "calm",
        "gentle": "calm", "epic": "dramatic", "dreamlike": "dreamy", "magical": "dreamy",
        "ethereal": "dreamy", "desolate": "lonely", "joyful": "cheerful", "happy": "cheerful",
        "merry": "cheerful", "eerie": "mysterious", "enigmatic": "mysterious",
        "grave": "solemn", "sad": "melancholy", "wistful": "melancholy", "cozy": "cosy",
        "homely": "cosy", "colourful": "vivid", "colorful": "vivid", "muted": "faded",
        "pale": "faded", "fine": "delicate", "strong": "bold", "rough": "wild",
        "untamed": "wild", "chilly": "cold",
    },
}
# fmt: on

_IDLE = frozenset(
    """
    a above across along among an and are as at be beautiful before behind below beside
    between big by deep down empty few from full great her high his image in into is its large
    like little lovely low made many my near new nice no not of off old on one onto or our out
    over picture pretty scene seen several small some style tall that the their this three
    through to two under up very view was wide with without young
    """.split()  # noqa: SIM905
)
"""Words that choose nothing, and that nobody misses."""


def _table() -> dict[str, tuple[str, str]]:
    own = {
        "scene": SCENES,
        "thing": THINGS,
        "palette": PALETTES,
        "light": LIGHTS,
        "weather": WEATHERS,
        "time": TIMES,
        "medium": MEDIA,
        "mood": MOODS,
    }
    made: dict[str, tuple[str, str]] = {}
    for kind in CLASSES:  # an earlier class has the word where two have it
        for word in own[kind]:
            made.setdefault(word, (kind, word))
        for word, means in _ALIASES[kind].items():
            made.setdefault(word, (kind, means))
    return made


VOCABULARY = _table()
"""Every known word or phrase: its class, and the value that it chooses."""

_LONGEST = max(word.count(" ") + 1 for word in VOCABULARY)


@dataclass(frozen=True)
class Word:
    """A word of a description.

    Attributes
    ----------
    text : str
        As it was written.
    kind : str
        Its class; ``""`` where it chooses nothing, ``"unknown"`` where it is not known.
    value : str
        What it chooses.
    """

    text: str
    kind: str
    value: str = ""


@dataclass
class Meaning:
    """What a description chooses.

    Attributes
    ----------
    scene, palette, time, weather, light, medium : str or None
        None: not said.
    things, moods : list of str
    unknown : list of str
        Words that are not known.
    """

    scene: str | None = None
    palette: str | None = None
    time: str | None = None
    weather: str | None = None
    light: str | None = None
    medium: str | None = None
    things: list[str] = field(default_factory=list)
    moods: list[str] = field(default_factory=list)
    unknown: list[str] = field(default_factory=list)


def _known(phrase: str) -> tuple[str, str] | None:
    """What a phrase chooses, in the singular or the plural."""
    for form in (
        phrase,
        phrase.removesuffix("s"),
        phrase.removesuffix("es"),
        re.sub(r"ies$", "y", phrase),
    ):
        if form in VOCABULARY:
            return VOCABULARY[form]
    return None


def words(text: str) -> Iterator[Word]:
    """The words of a description, phrases of several words as one."""
    parts = re.findall(r"[^\W_]+(?:[-'\u2019][^\W_]+)*", text)
    at = 0
    while at < len(parts):
        for length in range(min(_LONGEST, len(parts) - at), 0, -1):
            shown = " ".join(parts[at : at + length])
            found = _known(shown.lower())
            if found is not None:
                yield Word(shown, *found)
                at += length
                break
        else:
            shown = parts[at]
            idle = shown.lower() in _IDLE or shown.isdigit()
            yield Word(shown, "" if idle else "unknown")
            at += 1


def understand(text: str) -> Meaning:
    """What a description chooses."""
    made, before = Meaning(), ""
    for word in words(text):
        # Of "mountain lake" the last word is the scene.
        if word.kind == before == "scene":
            made.scene = None
        before = word.kind
        if word.kind == "unknown":
            if word.text.lower() not in made.unknown:
                made.unknown.append(word.text.lower())
        elif word.kind == "thing":
            if word.value not in made.things:
                made.things.append(word.value)
        elif word.kind == "mood":
            if word.value not in made.moods:
                made.moods.append(word.value)
        elif word.kind and getattr(made, word.kind) is None:
            setattr(made, word.kind, word.value)
    return made
