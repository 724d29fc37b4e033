"""How the code itself looks, as frozen data: shapes, finders, fills.

A `Look` belongs to a piece and can be saved by name, applied to another piece
and passed on as one file. Pictures in it are named by the SHA-256 of their
file's bytes, as everywhere.
"""

from __future__ import annotations

import os
import re
from typing import Annotated, Literal

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from nimble_tile.core.relief import Relief
from nimble_tile.core.workers.plain import sent

MOST_STOPS = 32
"""Stops of a gradient at most."""

MOST_PATH = 20_000
"""Characters of the path of an own shape at most."""

ModuleShape = Literal[
    "square", "rounded", "round", "diamond", "star", "leaf", "plus", "upright", "across",
    "fused", "own",
]  # fmt: skip
RingShape = Literal[
    "square", "window", "sail", "rounded", "soft", "round", "leaf", "cut", "modules", "own",
    "picture",
]  # fmt: skip
EyeShape = Literal[
    "square", "rounded", "soft", "round", "leaf", "cut", "diamond", "star", "modules", "own"
]


class Model(BaseModel):
    """Frozen data that refuses what it does not know; validators are built on first use."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


def hex_colour(value: str) -> str:
    """Validator: ``#rrggbb`` in lower case."""
    if not re.fullmatch(r"#[0-9a-fA-F]{6}", value):
        raise ValueError("a colour is written as # and six hexadecimal digits")
    return value.lower()


def rgb(colour: str) -> tuple[int, int, int]:
    """``#rrggbb`` as three numbers, 0 to 255."""
    red, green, blue = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    return red, green, blue


def picture_digest(value: str | None) -> str | None:
    """Validator: a SHA-256 digest in hexadecimal, or None."""
    if value is not None and not re.fullmatch(r"[0-9a-f]{64}", value):
        raise ValueError("a picture is named by its SHA-256 digest")
    return value


class Stop(Model):
    """A colour of a gradient at an offset from 0 to 1."""

    offset: float = Field(ge=0, le=1)
    colour: str

    _colour = field_validator("colour")(hex_colour)


class Fill(Model):
    """What fills an area.

    Attributes
    ----------
    kind : {"solid", "linear", "radial", "picture", "stripes", "dots", "weave"}
        The last three are patterns of `colour` and `second`.
    colour, second : str
        ``#rrggbb``.
    stops : tuple of Stop
        Of the gradients, offsets rising.
    angle : float
        Degrees, clockwise from left → right; of linear gradients and patterns.
    centre : (float, float)
        Of radial gradients, in parts of the area's side.
    radius : float
        Of radial gradients, in parts of the area's side.
    digest, name : str
        Picture that fills the area.
    tile : float
        Width of one repeat of the picture or pattern, in parts of the area's
        side; a picture at 1 covers it.
    """

    kind: Literal["solid", "linear", "radial", "picture", "stripes", "dots", "weave"] = "solid"
    colour: str = "#000000"
    second: str = "#444444"
    stops: tuple[Stop, ...] = Field(
        default=(Stop(offset=0, colour="#000000"), Stop(offset=1, colour="#1d5740")),
        min_length=2,
        max_length=MOST_STOPS,
    )
    angle: float = Field(default=45, ge=-360, le=360)
    centre: tuple[Annotated[float, Field(ge=-1, le=2)], Annotated[float, Field(ge=-1, le=2)]] = (
        0.5,
        0.5,
    )
    radius: float = Field(default=0.7, gt=0.01, le=4)
    digest: str | None = None
    name: str = ""
    tile: float = Field(default=1, ge=0.02, le=1)

    _colours = field_validator("colour", "second")(hex_colour)

    _is_digest = field_validator("digest")(picture_digest)

    @model_validator(mode="after")
    def _rising(self) -> Fill:
        offsets = [stop.offset for stop in self.stops]
        if offsets != sorted(offsets):
            raise ValueError("the stops of a gradient rise from 0 to 1")
        if self.kind == "picture" and self.digest is None:
            raise ValueError("a picture fill needs a picture")
        return self


BLACK = Fill.model_construct()
WHITE = Fill.model_construct(colour="#ffffff", second="#e6e6e6")


@sent
class OwnShape(Model):
    """A closed path of the designer's own.

    Attributes
    ----------
    name : str
        Of the file that it came from.
    path : str
        SVG path data of moves, lines, cubics and closings, absolute, in a
        square from 0 to 1.
    """

    name: str = ""
    path: str = Field(max_length=MOST_PATH)

    @field_validator("path")
    @classmethod
    def _plain(cls, value: str) -> str:
        # Token by token: one pattern for the whole path would backtrack for ever on hostile input.
        if not re.fullmatch(r"M[-MLCZ0-9. ]*", value):
            raise ValueError("the path of an own shape is not written as it should be")
        for letter, numbers in re.findall(r"([MLCZ])([-0-9. ]*)", value):
            listed = numbers.split()
            good = all(re.fullmatch(r"-?[0-9]{1,6}(\.[0-9]{1,6})?", number) for number in listed)
            if not good or len(listed) != {"M": 2, "L": 2, "C": 6, "Z": 0}[letter]:
                raise ValueError("the path of an own shape is not written as it should be")
        return value


class Finder(Model):
    """What one finder has of its own; None: as the others.

    Attributes
    ----------
    ring, eye : str or None
        Shapes; of the ring's all but "picture", which stands in place of all finders.
    ring_own, eye_own : OwnShape or None
        The shape "own".
    ring_colour, eye_colour : str or None
        ``#rrggbb``.
    """

    ring: RingShape | None = None
    eye: EyeShape | None = None
    ring_own: OwnShape | None = None
    eye_own: OwnShape | None = None
    ring_colour: str | None = None
    eye_colour: str | None = None

    @field_validator("ring_colour", "eye_colour")
    @classmethod
    def _colour(cls, value: str | None) -> str | None:
        return None if value is None else hex_colour(value)

    @model_validator(mode="after")
    def _complete(self) -> Finder:
        if self.ring == "picture":
            raise ValueError("a picture stands in place of all finders, not of one")
        for shape, own in ((self.ring, self.ring_own), (self.eye, self.eye_own)):
            if shape == "own" and own is None:
                raise ValueError("the shape “own” needs a path")
        return self

    @property
    def plain(self) -> bool:
        """Whether it has nothing of its own."""
        return (self.ring, self.eye, self.ring_colour, self.eye_colour) == (None,) * 4


FINDERS = ("top left", "top right", "bottom left")
"""The finders, in the order in which they are counted."""


class Look(Model):
    """Appearance of modules, finders and colours.

    Attributes
    ----------
    name : str
        Empty, or the name under which it is known.
    shape : str
        Of the modules; "fused" grows neighbours into one body, "upright" and
        "across" join them into bars.
    size : float
        Of modules, 0.4 to 1.1 of the grid's step.
    round_out, round_in : float
        Radii of a fused body's outer and inner corners, 0 to 0.5 modules.
    outline : float
        Width of a line round the modules, 0 to 0.3 modules.
    jitter : float
        0 to 1: how far modules stray from grid, size and angle, by `seed`.
    ring, eye : str
        Shapes of the finders' outer ring and inner eye.
    finder_picture : str or None
        Picture fitted into the whole finder, when `ring` is "picture".
    alignment : {"follow", "plain", "modules"}
        Alignment patterns like the finders, plain squares, or like modules.
    fill : Fill
        Of the modules.
    ring_fill, eye_fill : Fill or None
        None: as the modules.
    finders : tuple of Finder
        What each has of its own, in the order of `FINDERS`; empty: nothing.
    ground : Fill or None
        Behind everything, quiet zone included; None: transparent.
    relief : Relief
        Shadow, inner shadow and bevel of modules and finders.
    """

    name: str = Field(default="", max_length=80)
    shape: ModuleShape = "square"
    own: OwnShape | None = None
    size: float = Field(default=1, ge=0.4, le=1.1)
    round_out: float = Field(default=0.5, ge=0, le=0.5)
    round_in: float = Field(default=0.35, ge=0, le=0.5)
    outline: float = Field(default=0, ge=0, le=0.3)
    outline_colour: str = "#000000"
    jitter: float = Field(default=0, ge=0, le=1)
    seed: int = Field(default=1, ge=0, le=999_999)
    ring: RingShape = "square"
    eye: EyeShape = "square"
    ring_own: OwnShape | None = None
    eye_own: OwnShape | None = None
    finder_picture: str | None = None
    alignment: Literal["follow", "plain", "modules"] = "follow"
    fill: Fill = BLACK
    ring_fill: Fill | None = None
    eye_fill: Fill | None = None
    finders: tuple[Finder, Finder, Finder] | tuple[()] = ()
    ground: Fill | None = WHITE
    relief: Relief = Relief.model_construct()

    _colour = field_validator("outline_colour")(hex_colour)

    _is_digest = field_validator("finder_picture")(picture_digest)

    @model_validator(mode="after")
    def _complete(self) -> Look:
        for shape, needed, what in (
            (self.shape, self.own, "own"), (self.ring, self.ring_own, "own"),
            (self.eye, self.eye_own, "own"), (self.ring, self.finder_picture, "picture"),
        ):  # fmt: skip
            if shape == what and needed is None:
                raise ValueError(f"the shape “{what}” needs a path or picture")
        return self

    @property
    def coloured(self) -> bool:
        """Whether it has colours, fills or a finder picture of its own."""
        own_finders = self.ring_fill or self.eye_fill or self.ring == "picture"
        own_finders = own_finders or any(f.ring_colour or f.eye_colour for f in self.finders)
        return bool(self.fill != BLACK or self.ground not in (None, WHITE) or own_finders)

    @property
    def fills(self) -> tuple[Fill, ...]:
        """All fills that it has."""
        given = [self.fill, self.ring_fill, self.eye_fill, self.ground]
        for own in self.finders:
            colours = (own.ring_colour, own.eye_colour)
            given += [Fill(colour=colour) for colour in colours if colour is not None]
        return tuple(fill for fill in given if fill is not None)

    def at_finder(self, at: int) -> Look:
        """The look as one finder has it (`at`: 0 to 2, in the order of `FINDERS`)."""
        own = self.finders[at] if self.finders else Finder()
        changed: dict[str, object] = {"finders": ()}
        if self.ring != "picture":
            if own.ring is not None:
                changed |= {"ring": own.ring, "ring_own": own.ring_own}
            if own.eye is not None:
                changed |= {"eye": own.eye, "eye_own": own.eye_own}
            if own.ring_colour is not None:
                changed["ring_fill"] = Fill(colour=own.ring_colour)
            if own.eye_colour is not None:
                changed["eye_fill"] = Fill(colour=own.eye_colour)
        return self.model_copy(update=changed)

    @property
    def uncoloured_finders(self) -> tuple[Finder, ...]:
        """`finders` with their shapes alone."""
        none = {"ring_colour": None, "eye_colour": None}
        return tuple(own.model_copy(update=none) for own in self.finders)

    @property
    def digests(self) -> tuple[str, ...]:
        """Pictures that it needs, once each."""
        found = [fill.digest for fill in self.fills if fill.kind == "picture"]
        if self.ring == "picture":
            found.append(self.finder_picture)
        return tuple(dict.fromkeys(digest for digest in found if digest is not None))

    @property
    def bare(self) -> Look:
        """Only its shapes, in black without a ground: the same for looks that differ in
        colours and name, so that what reads shapes alone is not worked out anew."""
        return self.model_copy(
            update={"name": "", "fill": BLACK, "ring_fill": None, "eye_fill": None,
                    "finders": self.uncoloured_finders, "ground": None,
                    "outline_colour": "#000000", "relief": Relief()}
        )  # fmt: skip

    @property
    def plain_shapes(self) -> bool:
        """Whether modules and finders are the standard's own squares."""
        return (
            self.shape == "square" and self.size == 1 and self.jitter == 0 and self.outline == 0
            and self.ring in ("square", "modules") and self.eye in ("square", "modules")
            and all(own.ring in (None, "square", "modules") for own in self.finders)
            and all(own.eye in (None, "square", "modules") for own in self.finders)
        )  # fmt: skip

    @property
    def plain(self) -> bool:
        """Whether it is black squares on white."""
        return (
            self.plain_shapes
            and not self.relief.any
            and self.ground is not None
            and (self.ground.kind, self.ground.colour) == ("solid", "#ffffff")
            and all(
                fill is None or (fill.kind, fill.colour) == ("solid", "#000000")
                for fill in (self.fill, self.ring_fill, self.eye_fill)
            )
            and not any(own.ring_colour or own.eye_colour for own in self.finders)
        )
