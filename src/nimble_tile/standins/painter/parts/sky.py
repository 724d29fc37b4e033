"""Sky and weather: what is over the land, and in front of everything."""

from __future__ import annotations

import cv2
import numpy as np

from nimble_tile.standins.painter.colours import lightness, mix, saturated
from nimble_tile.standins.painter.stage import Stage, disc, disc_at, round_cover


def sky(s: Stage) -> None:
    """From its top to the horizon, with more light round the sun."""
    share = np.clip(s.down / max(s.horizon, 0.05), 0, 1)[..., None] ** 1.15
    s.image[:] = s.colours.top * (1 - share) + s.colours.low * share
    s.image += 0.02 * s.noise(0.3, 3, 0.4)[..., None]
    np.clip(s.image, 0, 1, out=s.image)


def sun(s: Stage, size: float = 0.05, strength: float = 1.0) -> None:
    """A disc with light round it."""
    x, y = s.light
    s.glow(x, y, 0.75, 0.45 * strength)
    s.glow(x, y, 0.2, 0.6 * strength)
    disc(s, x, y, size, mix(s.colours.glow, np.ones(3), 0.35))


def moon(s: Stage, size: float = 0.045, sickle: bool = False) -> None:
    """Full, or a sickle."""
    x, y = s.light
    s.glow(x, y, 0.5, 0.3, np.array([0.85, 0.9, 1.0]))
    cover = round_cover(s, x, y, size)
    if sickle:
        cover = cover * (1 - round_cover(s, x - 0.45 * size, y - 0.15 * size, size * 0.92))
    s.lay(cover, s.shaded(np.array([0.97, 0.95, 0.86]), 0.1, 0.02))


def stars(s: Stage, number: int = 220) -> None:
    """More of them high up, some large."""
    for _ in range(number):
        x, y = s.between(0, 1), s.between(0, 1) ** 1.4 * s.horizon
        size = 0.0009 + 0.0022 * s.between(0, 1) ** 5
        share = s.between(0.3, 1.0)
        left, top = int(x * s.width), int(y * s.height)
        reach = max(2, int(3 * size * s.width) + 1)
        rows = slice(max(0, top - reach), top + reach + 1)
        columns = slice(max(0, left - reach), left + reach + 1)
        away = np.hypot(
            s.across[rows, columns] - x, (s.down[rows, columns] - y) * s.height / s.width
        )
        cover = np.clip((size - away) * s.width + 0.7, 0, 1)[..., None] * share
        part = s.image[rows, columns]
        part += cover * (np.array([1, 0.97, 0.9], np.float32) - part)


def clouds(s: Stage, amount: float = 0.5, storm: bool = False) -> None:
    """Banks that are lit from the light's side."""
    high = s.noise(s.between(0.18, 0.32), 5, 0.45)
    place = s.down / max(s.horizon, 0.05)
    cover = np.clip((high + 1.6 * amount - 1.0 + 0.25 * (1 - place)) * 1.7, 0, 1)
    cover = cover * np.clip((1.08 - place) * 6, 0, 1)
    below = np.roll(cover, -max(1, s.height // 40), 0)
    lit = np.clip(0.55 + 0.9 * (cover - below) + 0.25 * high, 0, 1)[..., None]
    bright = mix(s.colours.low, np.ones(3), 0.35 if not storm else 0.0)
    dark = mix(s.colours.top, s.colours.near, 0.25 if not storm else 0.65)
    s.lay(0.92 * cover, dark * (1 - lit) + bright * lit)


def fog(s: Stage, amount: float = 0.5) -> None:
    """Banks of fog over land and water, thickest at the horizon."""
    bank = np.exp(-(((s.down - s.horizon) / 0.2) ** 2)) * 0.9 + 0.2
    wisps = np.clip(0.75 + 0.5 * s.noise(0.16, 4, 0.3), 0, 1)
    s.lay(np.clip(amount * bank * wisps, 0, 0.95), mix(s.colours.low, np.ones(3), 0.12))


def rain(s: Stage, number: int = 900) -> None:
    """Streaks of rain, and less contrast behind them."""
    s.lay(np.full(s.image.shape[:2], 0.18, np.float32), mix(s.colours.top, s.colours.low, 0.6))
    paths, slant = [], s.between(-0.05, 0.02)
    for _ in range(number):
        x, y, length = s.between(-0.05, 1.05), s.between(-0.05, 1), s.between(0.02, 0.06)
        paths.append([(x, y), (x + slant * length / 0.06, y + length)])
    s.lay(0.32 * s.lines(paths, 0.0012), mix(s.colours.low, np.ones(3), 0.5))


def snowfall(s: Stage, number: int = 700) -> None:
    """Flakes, near ones larger."""
    for _ in range(number):
        size = 0.0012 + 0.006 * s.between(0, 1) ** 4
        disc_at(s, s.between(0, 1), s.between(0, 1), size, np.ones(3), s.between(0.5, 0.95))


def snow_on(s: Stage, top: float) -> None:
    """The land is white below a line."""
    line = top + 0.05 * s.noise(0.12, 4, 0.4)
    cover = np.clip((s.down - line) * 7, 0, 1) * (0.7 + 0.3 * s.noise(0.05, 4, 0.4))
    white = np.array([0.93, 0.95, 1.0]) * (0.45 + 0.6 * lightness(s.colours.low))
    s.lay(np.clip(0.7 * cover, 0, 0.6), np.clip(white, 0, 1))


def rays(s: Stage, strength: float = 0.35) -> None:
    """Beams from the light."""
    x, y = s.light
    angle = np.arctan2(s.across - x, (s.down - y) * s.height / s.width + 1e-4)
    turns = np.interp(
        angle.ravel(), np.linspace(-np.pi, np.pi, 64), np.clip(s.rng.normal(0.1, 0.6, 64), 0, 1)
    ).reshape(angle.shape)
    away = np.hypot(s.across - x, s.down - y)
    beams = cv2.GaussianBlur(turns.astype(np.float32), (0, 0), 0.008 * s.width)
    light = strength * beams * np.exp(-((away / 0.9) ** 2))
    s.image += light[..., None] * (1 - s.image) * s.colours.glow


def lightning(s: Stage) -> None:
    """A flash from the clouds."""
    x, y, points = s.between(0.25, 0.75), 0.0, []
    while y < s.horizon:
        points.append((x, y))
        x, y = x + s.rng.normal(0, 0.025), y + s.between(0.02, 0.05)
    points.append((x, s.horizon))
    s.glow(points[len(points) // 2][0], 0.3 * s.horizon, 0.5, 0.35, np.array([0.9, 0.92, 1]))
    s.lay(s.lines([points], 0.004), np.array([1, 0.99, 0.94]))


def rainbow(s: Stage) -> None:
    """A bow over the horizon."""
    x = s.between(0.3, 0.7)
    away = np.hypot(s.across - x, (s.down - s.horizon - 0.1) * s.height / s.width)
    band = (away - 0.38) / 0.05
    hues = np.clip(
        np.stack(
            [1.5 - abs(4 * band - 3.2), 1.5 - abs(4 * band - 2.0), 1.5 - abs(4 * band - 0.8)], -1
        ),
        0,
        1,
    )
    cover = 0.4 * np.clip(1 - np.abs(band - 0.5) * 2, 0, 1) * (s.down < s.horizon)
    s.lay(cover, np.clip(hues, 0, 1))


def leaf_fall(s: Stage, number: int = 120) -> None:
    """Leaves or petals in the wind."""
    for _ in range(number):
        tint = saturated(s.colours.accent, 0.8) if s.often(0.6) else s.colours.glow
        disc_at(s, s.between(0, 1), s.between(0, 1), s.between(0.002, 0.007), tint, 0.9)
