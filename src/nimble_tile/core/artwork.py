"""The picture of a piece as frozen data: its frame, its preparation, the code's place.

Everything here is a recipe. Masks are named by the digest of a grey PNG in the
picture store; pixels of the original are never changed.
"""

from __future__ import annotations

import itertools
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from nimble_tile.core.look import Model, hex_colour, picture_digest

ZeroToOne = Annotated[float, Field(ge=0, le=1)]
Signed = Annotated[float, Field(ge=-1, le=1)]
Pixels = Annotated[int, Field(ge=0, le=100_000)]
Sides = tuple[Pixels, Pixels, Pixels, Pixels]
Offset = tuple[float, float]
Point = tuple[float, float]


class Region(Model):
    """Where the code's outer edge, quiet zone included, lies on the framed picture.

    Attributes
    ----------
    x, y : float
        Top left corner before turning, in pixels of the framed picture at the
        original's resolution.
    width, height : float
        Extent in the same pixels.
    angle : float
        Degrees clockwise about the middle, -180 to 180.
    bend : four (float, float) or None
        Perspective: how far each corner (top left, top right, bottom right,
        bottom left) lies from the rectangle's, in parts of width and height,
        before turning. So moving, scaling and turning keep the perspective.
    """

    x: float = Field(ge=-100_000, le=100_000)
    y: float = Field(ge=-100_000, le=100_000)
    width: float = Field(gt=0, le=200_000)
    height: float = Field(gt=0, le=200_000)
    angle: float = Field(default=0, ge=-180, le=180)
    bend: tuple[Offset, Offset, Offset, Offset] | None = None

    @property
    def upright(self) -> bool:
        """Whether it is a rectangle along rows and columns."""
        return self.angle == 0 and self.bend is None


class Frame(Model):
    """What part of the original is used, and what is added round it.

    In this order: quarter turns, flip, tilt, crop, extension.

    Attributes
    ----------
    turn : {0, 90, 180, 270}
        Degrees clockwise.
    flip : bool
        Left and right exchanged.
    tilt : float
        Degrees clockwise, -45 to 45; the picture is enlarged so that no
        corner is empty.
    crop : (int, int, int, int)
        Pixels cut off on the left, top, right and bottom.
    extend : (int, int, int, int)
        Pixels added on the same sides.
    edge : {"mirror", "colour"}
        What is added.
    colour : str
        ``#rrggbb`` of an added colour.
    """

    turn: Literal[0, 90, 180, 270] = 0
    flip: bool = False
    tilt: float = Field(default=0, ge=-45, le=45)
    crop: Sides = (0, 0, 0, 0)
    extend: Sides = (0, 0, 0, 0)
    edge: Literal["mirror", "colour"] = "mirror"
    colour: str = "#ffffff"

    _colour = field_validator("colour")(hex_colour)


class Light(Model):
    """Exposure in stops; contrast and saturation from -1 to 1 (0 = as it is)."""

    on: bool = True
    exposure: float = Field(default=0, ge=-4, le=4)
    contrast: Signed = 0
    saturation: Signed = 0


class Levels(Model):
    """Tones (0 to 1) that become black and white, and the gamma between them."""

    on: bool = True
    black: ZeroToOne = 0
    white: ZeroToOne = 1
    gamma: float = Field(default=1, ge=0.2, le=5)

    @model_validator(mode="after")
    def _apart(self) -> Levels:
        if self.white - self.black < 0.02:
            raise ValueError("black and white lie too near to each other")
        return self


class Curve(Model):
    """A luminance curve through points (tone before, tone after), 0 to 1, left to right."""

    on: bool = True
    points: tuple[tuple[ZeroToOne, ZeroToOne], ...] = Field(
        default=((0, 0), (1, 1)), min_length=2, max_length=16
    )

    @model_validator(mode="after")
    def _rightwards(self) -> Curve:
        at = [x for x, _ in self.points]
        if any(b - a < 0.01 for a, b in itertools.pairwise(at)):
            raise ValueError("the points of a curve go from left to right")
        return self


class Posterise(Model):
    """Each channel in so many steps."""

    on: bool = False
    levels: int = Field(default=5, ge=2, le=32)


class TwoTone(Model):
    """Two colours alone.

    Attributes
    ----------
    kind : {"global", "otsu", "local"}
        One threshold, the one that Otsu's method finds, or the mean of the
        surroundings.
    threshold : float
        Global: tone between dark and light. Local: 0.5 is the mean itself,
        lower lets more become light.
    window : float
        Side of the local surroundings in parts of the shorter side.
    smoothing : float
        Standard deviation before the cut, in parts of the shorter side.
    dark, light : str
        The two colours.
    """

    on: bool = False
    kind: Literal["global", "otsu", "local"] = "otsu"
    threshold: ZeroToOne = 0.5
    window: float = Field(default=0.15, ge=0.01, le=1)
    smoothing: float = Field(default=0.004, ge=0, le=0.05)
    dark: str = "#1d2a24"
    light: str = "#f6f1e4"

    _colours = field_validator("dark", "light")(hex_colour)


class CutOut(Model):
    """What is kept of the picture.

    Attributes
    ----------
    mask : str or None
        Digest of a grey picture over the original, white = kept; None: all.
    feather : float
        Standard deviation of the soft edge, in parts of the shorter side.
    background : str or None
        Colour behind what is kept; None: transparent, so that the ground shows.
    """

    on: bool = True
    mask: str | None = None
    feather: float = Field(default=0.002, ge=0, le=0.05)
    background: str | None = None

    _is_digest = field_validator("mask")(picture_digest)

    @field_validator("background")
    @classmethod
    def _colour(cls, value: str | None) -> str | None:
        return None if value is None else hex_colour(value)


class Tiles(Model):
    """The picture repeated so that it covers its own area.

    Attributes
    ----------
    across : float
        Repeats along the width, 1 to 24.
    kind : {"rows", "bricks", "mirrored"}
        In rows and columns, every second row shifted by half, or every second
        one turned over.
    gap : float
        Space between the repeats in parts of their width; the ground shows.
    """

    on: bool = False
    across: float = Field(default=4, ge=1, le=24)
    kind: Literal["rows", "bricks", "mirrored"] = "rows"
    gap: float = Field(default=0, ge=0, le=1)


class Prepare(Model):
    """What is done to the picture before the code comes, in this order."""

    light: Light = Light.model_construct()
    levels: Levels = Levels.model_construct()
    curve: Curve = Curve.model_construct()
    posterise: Posterise = Posterise.model_construct()
    two_tone: TwoTone = TwoTone.model_construct()
    cut_out: CutOut = CutOut.model_construct()
    tiles: Tiles = Tiles.model_construct()


class Pixels(Model):
    """A picture drawn pixel by pixel, each of which stays a square at every size.

    Attributes
    ----------
    module : int
        Pixels a side of a module of the code, 1 to 16.
    palette : tuple of str
        Its 2 to 32 colours, ``#rrggbb``.
    """

    module: int = Field(ge=1, le=16)
    palette: tuple[str, ...] = Field(min_length=2, max_length=32)

    @field_validator("palette")
    @classmethod
    def _colours(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(hex_colour(colour) for colour in value)


class Picture(Model):
    """Rung 3: the picture and where the code goes on it.

    Attributes
    ----------
    digest : str or None
        SHA-256 of the picture file's bytes in hexadecimal; None: no picture.
    name : str
        The file's name, for people.
    ground : str
        Colour behind transparent parts, ``#rrggbb``.
    transparent : bool
        Transparent parts stay so in the finished image, but for the code's square.
    frame : Frame
    prepare : Prepare
    guard : str or None
        Digest of a grey picture over the original, white = must stay.
    region : Region or None
        Place of the code; None: the framed picture's centred square.
    whole_pixels : bool
        An upright code takes the nearest size at which every module is a
        whole number of pixels of the finished image.
    pixels : Pixels or None
        Where the picture was drawn pixel by pixel.
    """

    digest: str | None = None
    name: str = ""
    ground: str = "#ffffff"
    transparent: bool = False
    frame: Frame = Frame.model_construct()
    prepare: Prepare = Prepare.model_construct()
    guard: str | None = None
    region: Region | None = None
    whole_pixels: bool = False
    pixels: Pixels | None = None

    _colour = field_validator("ground")(hex_colour)

    _is_digest = field_validator("digest", "guard")(picture_digest)

    @property
    def digests(self) -> tuple[str, ...]:
        """The picture and its masks, as far as there are any."""
        return tuple(d for d in (self.digest, self.prepare.cut_out.mask, self.guard) if d)
