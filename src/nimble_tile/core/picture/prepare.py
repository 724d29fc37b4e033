"""Preparing the picture: a recipe that is applied anew, never changed pixels.

Each step leaves the image as it is, to the bit, when it is off or neutral.
Tones are 0 to 1, images uint8 sRGB.

References
----------
N. Otsu, "A threshold selection method from gray-level histograms", IEEE
Transactions on Systems, Man and Cybernetics 9(1), 1979.
F. N. Fritsch, R. E. Carlson, "Monotone piecewise cubic interpolation", SIAM
Journal on Numerical Analysis 17(2), 1980.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from nimble_tile.core.artwork import Curve, CutOut, Levels, Light, Prepare, Tiles, TwoTone
from nimble_tile.core.channels import alpha_of, colours_of
from nimble_tile.core.linear import encoded, linear
from nimble_tile.core.look import rgb
from nimble_tile.core.strips import strips

_TONES = np.arange(256) / 255


def channel_table(light: Light, levels: Levels, posterise_to: int | None = None) -> np.ndarray:
    """What becomes of each of the 256 values of a channel (uint8).

    Exposure works in linear light; contrast is a smooth curve through mid grey
    that keeps black and white; levels stretch and bend; posterising comes last.
    """
    tones = _TONES
    if light.on:
        if light.exposure:
            tones = encoded(linear(tones) * 2**light.exposure)
        if light.contrast:
            # A power on each half about the middle: slope 4^contrast there.
            power = 4.0**light.contrast
            half = 0.5 * (2 * np.minimum(tones, 1 - tones)) ** power
            tones = np.where(tones < 0.5, half, 1 - half)
    if levels.on:
        stretched = np.clip((tones - levels.black) / (levels.white - levels.black), 0, 1)
        tones = stretched ** (1 / levels.gamma)
    if posterise_to is not None:
        tones = posterised(tones, posterise_to)
    return np.rint(tones * 255).astype(np.uint8)


def posterised(tones: np.ndarray, levels: int) -> np.ndarray:
    """Tones in equal steps from black to white."""
    return np.minimum(np.floor(tones * levels), levels - 1) / (levels - 1)


def curve_table(curve: Curve) -> np.ndarray:
    """Luminance after the curve for each of 256 before (uint8).

    Monotone between its points, so that it never swings out (Fritsch and
    Carlson 1980); level beyond the first and the last.
    """
    from scipy.interpolate import PchipInterpolator

    x, y = np.array(curve.points, float).T
    if len(x) == 2:
        tones = np.interp(_TONES, x, y)
    else:
        tones = PchipInterpolator(x, y)(np.clip(_TONES, x[0], x[-1]))
    return np.rint(np.clip(tones, 0, 1) * 255).astype(np.uint8)


def saturated(image: np.ndarray, amount: float) -> np.ndarray:
    """More or less saturation at the same luma, -1 (grey) to 1 (double)."""
    import cv2

    luma = cv2.cvtColor(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY), cv2.COLOR_GRAY2RGB)
    return cv2.addWeighted(image, 1 + amount, luma, -amount, 0)


def relit(image: np.ndarray, table: np.ndarray) -> np.ndarray:
    """The image with its luma sent through a table; hues stay and the gamut holds."""
    import cv2

    out = np.empty_like(image)
    for rows in strips(image.shape[0]):
        luma = cv2.cvtColor(image[rows], cv2.COLOR_RGB2GRAY)
        before, after = (v.astype(np.float32)[..., None] for v in (luma, table[luma]))
        pixels = image[rows].astype(np.float32)
        darker = pixels * (after / np.maximum(before, 1))
        lighter = 255 - (255 - pixels) * ((255 - after) / np.maximum(255 - before, 1))
        made = np.where(after <= before, darker, lighter)
        out[rows] = np.where(after == before, image[rows], np.rint(made).astype(np.uint8))
    return out


def two_tone_mask(luma: np.ndarray, step: TwoTone) -> np.ndarray:
    """Where the picture becomes light (uint8 H × W, 0 or 255, soft at the edges).

    Parameters
    ----------
    luma : ndarray of uint8, H × W
    step : TwoTone
    """
    import cv2

    shorter = min(luma.shape)
    smooth = step.smoothing * shorter
    if smooth > 0.2:
        luma = cv2.GaussianBlur(luma, (0, 0), smooth)
    if step.kind == "local":
        window = max(3, round(step.window * shorter)) | 1
        mean = cv2.blur(luma, (window, window), borderType=cv2.BORDER_REPLICATE)
        shift = (step.threshold - 0.5) * 128
        difference = luma.astype(np.float32) - mean - np.float32(shift)
    else:
        if step.kind == "otsu":
            level, _ = cv2.threshold(luma, 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
            level += 0.5
        else:
            level = step.threshold * 255
        difference = luma.astype(np.float32) - np.float32(level)
    # One level of difference is a hard edge on a picture that was smoothed.
    steep = 48.0 if smooth > 0.2 else 255.0
    return np.clip(difference * steep + 127.5, 0, 255).astype(np.uint8)


def two_tone(image: np.ndarray, step: TwoTone) -> np.ndarray:
    """The image in two colours."""
    import cv2

    light = two_tone_mask(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY), step)
    dark, bright = (np.array([int(c[i : i + 2], 16) for i in (1, 3, 5)]) for c in
                    (step.dark, step.light))  # fmt: skip
    share = _TONES[:, None]
    table = np.rint(dark + (bright - dark) * share).astype(np.uint8)
    return table[light]


def tiled(
    image: np.ndarray, alpha: np.ndarray | None, step: Tiles
) -> tuple[np.ndarray, np.ndarray | None]:
    """The picture repeated over its own area; alpha appears where there are gaps."""
    import cv2

    height, width = image.shape[:2]
    pitch = width / step.across
    own = (
        max(1, round(pitch / (1 + step.gap))),
        max(1, round(pitch / (1 + step.gap) * height / width)),
    )
    small = cv2.resize(image, own, interpolation=cv2.INTER_AREA)
    cover = np.full(own[::-1], 255, np.uint8) if alpha is None else cv2.resize(
        alpha, own, interpolation=cv2.INTER_AREA)  # fmt: skip
    space = round(own[0] * step.gap)
    stamp = np.dstack([small, cover])
    stamp = np.pad(stamp, ((0, space), (0, space), (0, 0)))
    high, wide = stamp.shape[:2]
    across, down = -(-width // wide) + 1, -(-height // high) + 1
    row = np.tile(stamp, (1, across, 1))
    if step.kind == "mirrored":
        row = np.concatenate([stamp if i % 2 == 0 else stamp[:, ::-1] for i in range(across)], 1)
    second = row
    if step.kind == "bricks":
        second = np.roll(row, wide // 2, axis=1)
    elif step.kind == "mirrored":
        second = row[::-1]
    whole = np.concatenate([row if i % 2 == 0 else second for i in range(down)])[:height, :width]
    opaque = alpha is None and not space
    return colours_of(whole), None if opaque else alpha_of(whole)


def neutral(prepare: Prepare) -> bool:
    """Whether nothing at all is done."""
    light, levels = prepare.light, prepare.levels
    cut = prepare.cut_out
    return (
        (not light.on or light == Light())
        and (not levels.on or levels == Levels())
        and (not prepare.curve.on or prepare.curve.points == Curve().points)
        and not prepare.posterise.on
        and not prepare.two_tone.on
        and (not cut.on or cut.mask is None)
        and not prepare.tiles.on
    )


def prepared(
    image: np.ndarray,
    alpha: np.ndarray | None,
    prepare: Prepare,
    mask: Callable[[str], np.ndarray],
) -> tuple[np.ndarray, np.ndarray | None]:
    """The image after all steps.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    alpha : ndarray of uint8, H × W, or None
    prepare : Prepare
    mask : callable
        Gives the mask of a digest at the image's size (uint8 H × W).

    Returns
    -------
    image, alpha
        The same arrays where nothing is done.
    """
    import cv2

    if neutral(prepare):
        return image, alpha
    light, levels, posterise = prepare.light, prepare.levels, prepare.posterise
    coloured = light.on and light.saturation != 0
    curved = prepare.curve.on and prepare.curve.points != Curve().points
    between = coloured or curved
    table = channel_table(light, levels, posterise.levels if posterise.on and not between else None)
    if (table != np.arange(256)).any():
        image = cv2.LUT(image, table)
    if coloured:
        image = saturated(image, light.saturation)
    if curved:
        image = relit(image, curve_table(prepare.curve))
    if posterise.on and between:
        image = cv2.LUT(image, np.rint(posterised(_TONES, posterise.levels) * 255).astype(np.uint8))
    if prepare.two_tone.on:
        image = two_tone(image, prepare.two_tone)
    if prepare.cut_out.on and prepare.cut_out.mask is not None:
        image, alpha = cut_out(image, alpha, prepare.cut_out, mask(prepare.cut_out.mask))
    if prepare.tiles.on:
        image, alpha = tiled(image, alpha, prepare.tiles)
    return image, alpha


def cut_out(
    image: np.ndarray, alpha: np.ndarray | None, step: CutOut, kept: np.ndarray
) -> tuple[np.ndarray, np.ndarray | None]:
    """The image with its background away, or in one colour."""
    import cv2

    soft = step.feather * min(kept.shape)
    if soft > 0.2:
        kept = cv2.GaussianBlur(kept, (0, 0), soft)
    if step.background is None:
        whole = kept if alpha is None else cv2.multiply(alpha, kept, scale=1 / 255)
        return image, whole
    colour = rgb(step.background)
    share = cv2.merge([kept] * 3)
    behind = cv2.multiply(cv2.bitwise_not(share), np.full_like(image, colour), scale=1 / 255)
    return cv2.add(cv2.multiply(image, share, scale=1 / 255), behind), alpha
