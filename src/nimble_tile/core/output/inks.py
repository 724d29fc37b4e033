"""Printing inks: what becomes of an image in the four inks of a profile, or in one.

References
----------
ICC.1:2022 (profile format, rendering intents), through littleCMS. Total area coverage is the
sum of the four inks' shares; 300 % is the usual limit of sheet-fed offset on coated paper
(common practice).
"""

from __future__ import annotations

import io
import os
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from nimble_tile.core.errors import OutputError, PictureError
from nimble_tile.core.foreign import apart
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Finish

MOST_INK = 3.0
"""Total ink from which sheets stick together while they dry."""

LARGEST_PROFILE = 32 << 20

MOST_PROFILES = 400
"""Files that are looked into at most."""


@dataclass(frozen=True)
class Profile:
    """A profile of a printing condition.

    Attributes
    ----------
    path : Path
    name : str
        What it says it is.
    """

    path: Path
    name: str


@dataclass(frozen=True, eq=False)
class Proofed:
    """An image as it will be printed.

    Attributes
    ----------
    inks : ndarray of uint8, H × W × 4
        Cyan, magenta, yellow, black; 255 = full.
    image : ndarray of uint8, H × W × 3 sRGB
        How that looks on paper.
    most : float
        Largest total ink, 0 to 4.
    over : float
        Share of the area above `MOST_INK`.
    """

    inks: np.ndarray
    image: np.ndarray
    most: float
    over: float


def folders() -> list[Path]:
    """Where profiles lie: the person's own, then the system's."""
    home = Path.home()
    data = Path(os.environ.get("XDG_DATA_HOME") or home / ".local/share")
    shared = (os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share").split(":")
    return [
        data / "icc", data / "color/icc", home / ".color/icc",
        *(Path(folder) / "color/icc" for folder in shared if folder), Path("/var/lib/color/icc"),
    ]  # fmt: skip


def profiles() -> tuple[Profile, ...]:
    """All profiles of four inks, by name."""
    found: dict[str, Profile] = {}
    seen = 0
    for folder in folders():
        try:
            files = sorted(p for p in folder.rglob("*") if p.suffix.lower() in (".icc", ".icm"))
        except OSError:
            continue
        for path in files:
            seen += 1
            if seen > MOST_PROFILES:
                break
            name = _named(path)
            if name:
                found.setdefault(path.name, Profile(path, name))
    return tuple(sorted(found.values(), key=lambda profile: profile.name.lower()))


def _named(path: Path) -> str:
    try:
        status = path.stat()
    except OSError:
        return ""
    return _name_of(path, status.st_mtime_ns, status.st_size)


@lru_cache(MOST_PROFILES)
def _name_of(path: Path, changed: int, size: int) -> str:
    """A profile's name; empty where it is not one of four inks."""
    try:
        with path.open("rb") as file:
            head = file.read(20)
            # The header's colour space and signature tell without opening the rest.
            if size > LARGEST_PROFILE or head[16:20] != b"CMYK":
                return ""
            data = head + file.read()
        return described(data, path.stem)
    except (OSError, PictureError):
        return ""


@apart(10)
def described(data: bytes, name: str = tr("The profile")) -> str:
    """What a profile says it is, or `name` where it says nothing; empty: it cannot be used."""
    from PIL import ImageCms

    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(data))
        if profile.profile.xcolor_space.strip() != "CMYK":
            return ""
        return ImageCms.getProfileDescription(profile).strip() or name
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return ""


def profile_of(finish: Finish) -> Profile:
    """The profile that a finish names.

    Raises
    ------
    OutputError
        It is not there, or there is none at all.
    """
    there = profiles()
    if not there:
        raise OutputError(
            tr("There is no ICC profile of four inks on this computer."),
            tr(
                "Put your printer's profile into ~/.local/share/icc, or install one "
                "with the system."
            ),
        )
    if not finish.profile:
        return there[0]
    for profile in there:
        if profile.path.name == finish.profile:
            return profile
    raise OutputError(
        tr("The ICC profile {profile} is not on this computer.", profile=finish.profile),
        tr("Choose another one."),
    )


def read_profile(profile: Profile) -> bytes:
    """Bytes of a profile; `OutputError` where it cannot be read."""
    from nimble_tile.core.files import read_bytes

    return read_bytes(profile.path, LARGEST_PROFILE, OutputError)


def proofed(image: np.ndarray, profile: bytes) -> Proofed:
    """An image in a profile's inks, and what that looks like.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    profile : bytes
        ICC profile of four inks. Relative colorimetric with black point compensation there,
        relative colorimetric back: how it looks to an eye that is used to the paper.
    """
    inks, seen = separated(np.ascontiguousarray(image), profile, tr("The profile"))
    total = inks.astype(np.uint16).sum(2)
    return Proofed(
        inks, seen, float(total.max()) / 255, float((total > round(MOST_INK * 255)).mean())
    )


@apart(120)
def separated(
    image: np.ndarray, profile: bytes, name: str = tr("The profile")
) -> tuple[np.ndarray, np.ndarray]:
    """Inks (uint8 H × W × 4) and the look on paper (uint8 H × W × 3) of an sRGB image."""
    from PIL import Image, ImageCms

    try:
        press = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        srgb = ImageCms.createProfile("sRGB")
        intent = ImageCms.Intent.RELATIVE_COLORIMETRIC
        flags = ImageCms.Flags.BLACKPOINTCOMPENSATION
        there = ImageCms.buildTransform(srgb, press, "RGB", "CMYK", intent, flags)
        back = ImageCms.buildTransform(press, srgb, "CMYK", "RGB", intent, flags)
        inks = ImageCms.applyTransform(Image.fromarray(image), there)
        seen = ImageCms.applyTransform(inks, back)
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError) as error:
        raise PictureError(
            tr("The ICC profile cannot be used."), tr("Choose another one.")
        ) from error
    return np.array(inks), np.array(seen)


def single(image: np.ndarray, drawn: bool) -> np.ndarray:
    """An image in one ink without tints.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    drawn : bool
        It has no half tones that matter: what is darker than the middle becomes ink. Otherwise
        its tones become dots, whose density follows them.

    Returns
    -------
    ndarray of bool, H × W
        True = paper.
    """
    from PIL import Image

    grey = Image.fromarray(image).convert("L")
    if drawn:
        return np.asarray(grey) >= 128
    return np.array(grey.convert("1"))  # error diffusion by Floyd and Steinberg


def in_ink(paper: np.ndarray, ink: str) -> np.ndarray:
    """How one ink on white paper looks (uint8 H × W × 3)."""
    from nimble_tile.core.look import rgb

    out = np.full((*paper.shape, 3), 255, np.uint8)
    out[~paper] = rgb(ink)
    return out
