"""Colours of a scene: roles that parts ask for, from a palette and the time of day."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np


def rgb(text: str) -> np.ndarray:
    """A colour as float32, 0 to 1 in sRGB, from ``"#rrggbb"``."""
    return np.array([int(text[i : i + 2], 16) for i in (1, 3, 5)], np.float32) / 255


def mix(a: np.ndarray, b: np.ndarray, share: float) -> np.ndarray:
    """The first colour with a share of the second."""
    return np.asarray(a, np.float32) * (1 - share) + np.asarray(b, np.float32) * share


def lightness(colour: np.ndarray) -> float:
    """Luma of a colour, 0 to 1 (ITU-R BT.601)."""
    return float(np.asarray(colour) @ (0.299, 0.587, 0.114))


def saturated(colour: np.ndarray, by: float) -> np.ndarray:
    """A colour farther from grey (`by` over 1) or nearer to it."""
    grey = lightness(colour)
    return np.clip(grey + (np.asarray(colour) - grey) * by, 0, 1).astype(np.float32)


@dataclass(frozen=True, eq=False)
class Colours:
    """What parts are coloured with, each float32 RGB, 0 to 1.

    Attributes
    ----------
    top, low : ndarray
        Sky at its top and at the horizon.
    far, mid, near : ndarray
        Land far away, half way, and close by.
    glow : ndarray
        The sun, lamps, what is lit.
    accent : ndarray
        Few and strong: roofs, flowers, boats, cloth.
    """

    top: np.ndarray
    low: np.ndarray
    far: np.ndarray
    mid: np.ndarray
    near: np.ndarray
    glow: np.ndarray
    accent: np.ndarray

    def mapped(self, change) -> Colours:
        """All colours changed by a function."""
        return Colours(*(np.clip(change(c), 0, 1).astype(np.float32) for c in self.all))

    @property
    def all(self) -> tuple[np.ndarray, ...]:
        """All of them."""
        return (self.top, self.low, self.far, self.mid, self.near, self.glow, self.accent)


def colours(*texts: str) -> Colours:
    """From seven ``"#rrggbb"``."""
    return Colours(*(rgb(text) for text in texts))


TIMES: dict[str, Colours] = {
    "dawn": colours("#5f7fa8", "#f6c9a4", "#9a9fb8", "#5f7470", "#2c3d3a", "#ffe0a8", "#d9745a"),
    "morning": colours("#7fb0d8", "#e9f0e2", "#a9bfc4", "#7d9b72", "#3f5a3c", "#fff1c4", "#d8693f"),
    "noon": colours("#3f8fd0", "#d5ebf2", "#93b3bf", "#6f9a55", "#385a2d", "#fff8dc", "#d4452f"),
    "afternoon": colours(
        "#5b94c4", "#f0e0b8", "#a3aea6", "#8a9450", "#47502a", "#ffe6a0", "#cc5a2c"
    ),
    "sunset": colours("#41507f", "#f79a5b", "#96708c", "#5d4a55", "#2a2230", "#ffd27a", "#e2553b"),
    "dusk": colours("#34466f", "#e6a58c", "#71789a", "#46545e", "#1d2830", "#ffcf73", "#c75b4a"),
    "evening": colours("#27375d", "#a98ba0", "#56618a", "#364358", "#161e2b", "#ffc766", "#b5524c"),
    "night": colours("#0f1a36", "#35496f", "#2c3b5e", "#1d2a41", "#0a101d", "#ffd58a", "#8c4a4a"),
}

PALETTES: dict[str, Colours] = {
    "amber": colours("#8a5a2b", "#f6cf85", "#b98a54", "#80592f", "#3a2716", "#ffe39a", "#d4641f"),
    "teal": colours("#1f6470", "#cfe8df", "#6fa5a3", "#35716f", "#12393c", "#f7edc0", "#e08a4a"),
    "rose": colours("#8d5f7d", "#f8d3cf", "#c191a3", "#8a5a6a", "#44283a", "#fff0d8", "#d1405f"),
    "ochre": colours("#9a8f6d", "#f1dca6", "#bda56b", "#8f7434", "#443512", "#fff0b8", "#b4491f"),
    "indigo": colours("#232a63", "#a9b0df", "#5f68a8", "#3a417c", "#161a3c", "#f5e6b6", "#e0765a"),
    "slate": colours("#5d6873", "#d3d7d8", "#8f989f", "#5f6970", "#2a3138", "#f3e9cf", "#b0563c"),
    "moss": colours("#7a9a8a", "#e6ebcc", "#9bb08a", "#647f4a", "#2c3d1e", "#fbf3c0", "#c9713a"),
    "copper": colours("#4c5f63", "#eec3a0", "#a87f6a", "#7b5140", "#33211b", "#ffdfae", "#c25a2a"),
    "lavender": colours(
        "#6f6da8", "#ead9ee", "#a79dc8", "#77699a", "#382f55", "#fff2d6", "#c9578a"
    ),
    "sand": colours("#9fc0c8", "#f7ead0", "#d9c49c", "#bfa071", "#6e5636", "#fff6da", "#c76b3c"),
    "ivory": colours("#c9d3d3", "#fbf7ea", "#d3d0c2", "#a9a491", "#5c5848", "#fffdf2", "#a8684a"),
    "crimson": colours("#4a2336", "#f0b09a", "#98566a", "#6a2c3c", "#2b1019", "#ffdda0", "#c01f32"),
    "emerald": colours("#2b6d6a", "#d9eed0", "#6ea78a", "#2f7a52", "#0f3a2a", "#f8f2bc", "#d9902f"),
    "pastel": colours("#a9c8e2", "#fbe9e2", "#c9cfe0", "#b5cdb8", "#7d93a0", "#fff6d6", "#ee9c9c"),
    "monochrome": colours(
        "#7a7a7a", "#ececec", "#a8a8a8", "#6c6c6c", "#1f1f1f", "#ffffff", "#3d3d3d"
    ),
    "sepia": colours("#8b7355", "#efe0c2", "#b59b78", "#7d6344", "#35261a", "#fff4da", "#6e3f22"),
    "autumn": colours("#7f97a3", "#f4dfb0", "#c39a63", "#a8602a", "#43261a", "#ffe9a4", "#cf3f1c"),
    "winter": colours("#8fa9c0", "#eef3f6", "#b9c8d4", "#8598a8", "#3d4c5c", "#fff3d2", "#b04a48"),
    "spring": colours("#8cc3d8", "#f3f4d9", "#b2d0b4", "#86b45e", "#3d6430", "#fff7c4", "#ea7fa0"),
    "summer": colours("#3f93c8", "#f4ecc4", "#9dbd9a", "#5f9a3e", "#25501f", "#fff0a6", "#e8542a"),
    "turquoise": colours(
        "#1f8f9f", "#d5f2e8", "#74bdb8", "#2f8a8a", "#0e4148", "#fff3c8", "#ef7d55"
    ),
    "gold": colours("#6d5a34", "#f9de90", "#b8964c", "#856428", "#3b2a10", "#fff0ac", "#a93a22"),
    "silver": colours("#8a96a4", "#e8ecef", "#b3bcc5", "#808b96", "#363e48", "#fbf8ea", "#5f7fa8"),
    "violet": colours("#3c2a66", "#d3b5e0", "#7c64a8", "#553a80", "#21123f", "#ffe6ba", "#e0568f"),
}

_LIGHT = {
    "dawn": 0.92,
    "morning": 1.05,
    "noon": 1.1,
    "afternoon": 1.02,
    "sunset": 0.86,
    "dusk": 0.72,
    "evening": 0.56,
    "night": 0.36,
}
"""Light of a time of day in parts of a palette's own."""


def scene_colours(palette: str | None, time: str) -> Colours:
    """The colours of a time of day, of a palette by that time, or its own at none."""
    if palette is None:
        return TIMES[time]
    own, hour = PALETTES[palette], TIMES[time]
    share = 0.3
    made = Colours(*(mix(a, b, share) for a, b in zip(own.all, hour.all, strict=True)))
    dim = _LIGHT[time]
    dimmed = made.mapped(lambda c: c * dim if dim < 1 else 1 - (1 - c) / dim)
    return replace(dimmed, glow=made.glow)
