"""A trial: one physical situation in which a code is looked at, as frozen data.

Lengths on the object are millimetres, angles degrees, lengths in the camera
pixels of its frame.
"""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator

from nimble_tile.core.artwork import ZeroToOne
from nimble_tile.core.look import Model


class Presented(Model):
    """What the code stands on.

    Attributes
    ----------
    medium : {"paper", "screen"}
    size : float or None
        Side of the symbol without its quiet zone, in mm; None: as large as
        the piece comes out on paper.
    ground : float
        Reflectance of what lies round the image, 0 (black) to 1 (white).
    """

    medium: Literal["paper", "screen"] = "paper"
    size: float | None = Field(default=40, ge=4, le=5000)
    ground: ZeroToOne = 0.4


class View(Model):
    """Where the camera stands.

    Attributes
    ----------
    distance : float
        From the camera to the middle of the code, in mm.
    sideways, lengthways : float
        Tilt of the code about its upright and its level axis, in degrees.
    turn : float
        Turn of the code in its own plane, in degrees.
    """

    distance: float = Field(default=250, ge=20, le=50_000)
    sideways: float = Field(default=0, ge=-80, le=80)
    lengthways: float = Field(default=0, ge=-80, le=80)
    turn: float = Field(default=0, ge=-180, le=180)


class Camera(Model):
    """What looks.

    Attributes
    ----------
    pixels : int
        Width of its frame.
    field : float
        Field of view across that width, in degrees.
    blur : float
        Standard deviation of the focus blur, in pixels.
    motion, motion_angle : float
        Length and direction of the motion during the exposure.
    exposure : float
        Correction of the automatic exposure, in stops.
    noise : float
        1: a common phone; 2: twice its noise.
    """

    pixels: int = Field(default=1440, ge=160, le=8000)
    field: float = Field(default=65, ge=10, le=130)
    blur: float = Field(default=0.5, ge=0, le=15)
    motion: float = Field(default=0, ge=0, le=80)
    motion_angle: float = Field(default=20, ge=-180, le=180)
    exposure: float = Field(default=0, ge=-5, le=5)
    noise: float = Field(default=1, ge=0, le=10)


class Lighting(Model):
    """What falls on it.

    Attributes
    ----------
    lux : float
        Illuminance; of a screen that of white paper as bright as its white.
    kelvin : float
        Colour temperature.
    falloff : float
        Share of the light that is lost from one side of the code to the other.
    shadow : float
        Share of the light that a shadow takes, 0: there is none.
    shadow_at, shadow_angle, shadow_edge : float
        Where its edge runs, in parts of the code from the middle; its
        direction; how wide the edge is, in parts of the code.
    glare : float
        Light of a glare spot, 1 = as bright as white paper; 0: none.
    glare_x, glare_y, glare_size : float
        Its place from the middle and its radius, in parts of the code.
    """

    lux: float = Field(default=500, ge=0.05, le=120_000)
    kelvin: float = Field(default=5500, ge=1700, le=15_000)
    falloff: float = Field(default=0, ge=0, le=0.98)
    shadow: float = Field(default=0, ge=0, le=0.98)
    shadow_at: float = Field(default=0, ge=-1, le=1)
    shadow_angle: float = Field(default=35, ge=-180, le=180)
    shadow_edge: float = Field(default=0.05, ge=0, le=1)
    glare: float = Field(default=0, ge=0, le=10)
    glare_x: float = Field(default=0.2, ge=-1, le=1)
    glare_y: float = Field(default=-0.15, ge=-1, le=1)
    glare_size: float = Field(default=0.2, ge=0.02, le=1)


class Before(Model):
    """What happened to the image on its way.

    Attributes
    ----------
    shrink : int or None
        Longer side, in pixels, to which a messaging service cut it down.
    jpeg : int or None
        Quality of saving it again as JPEG, 1 to 100.
    times : int
        How often it was saved so.
    dot_gain : float
        By how much 50 % of ink come out darker, 0.2 = as 70 %.
    paper : float
        Reflectance of the paper.
    ink : float
        Reflectance of full ink; of a screen what it reflects where it is black.
    """

    shrink: int | None = Field(default=None, ge=48, le=16_384)
    jpeg: int | None = Field(default=None, ge=1, le=100)
    times: int = Field(default=1, ge=1, le=30)
    dot_gain: float = Field(default=0, ge=0, le=0.45)
    paper: float = Field(default=0.88, ge=0.2, le=1)
    ink: float = Field(default=0.04, ge=0, le=0.5)


class Wear(Model):
    """What became of the paper.

    Attributes
    ----------
    smudge : float
        Share of the area that is smudged or rubbed off.
    crumple : float
        0: smooth, 1: has been in a fist.
    fold : float
        Angle of a fold through the code, in degrees.
    fold_at, fold_angle : float
        Where it runs, in parts of the code from the middle, and its direction.
    """

    smudge: float = Field(default=0, ge=0, le=0.6)
    crumple: float = Field(default=0, ge=0, le=1)
    fold: float = Field(default=0, ge=0, le=80)
    fold_at: float = Field(default=0.12, ge=-1, le=1)
    fold_angle: float = Field(default=8, ge=-180, le=180)


class Trial(Model):
    """One situation.

    Attributes
    ----------
    name : str
        In plain words.
    on : bool
        Whether it is tried.
    """

    name: str = Field(default="New trial", min_length=1, max_length=60)
    on: bool = True
    shown: Presented = Presented()
    view: View = View()
    camera: Camera = Camera()
    light: Lighting = Lighting()
    before: Before = Before()
    wear: Wear = Wear()

    @field_validator("name")
    @classmethod
    def _plain(cls, value: str) -> str:
        value = " ".join(value.split())
        if not value:
            raise ValueError("a trial needs a name")
        return value

    def changed(self, part: str, **values) -> Trial:
        """A trial with other values in one part (``"shown"`` … ``"wear"``), validated.

        Raises
        ------
        pydantic.ValidationError
            A value is outside its range.
        """
        old = getattr(self, part)
        new = type(old).model_validate({**dict(old), **values})
        return self.model_copy(update={part: new})

    @property
    def situation(self) -> Trial:
        """The same without name and switch: what decides how a frame looks."""
        return self.model_copy(update={"name": "-", "on": True})
