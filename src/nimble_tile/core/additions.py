"""What is laid on the code or round it, as frozen data: logos, captions, a surround, a layout.

Places and sizes of logos are parts of the symbol's side, so that they stay
when the version changes; distances are modules, or millimetres on paper where
the name says so.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from nimble_tile.core.artwork import Point, ZeroToOne
from nimble_tile.core.look import Model, hex_colour, picture_digest
from nimble_tile.core.relief import Bevel, Inner, Shadow

MOST_LOGOS = 8
MOST_CAPTIONS = 6
MOST_TEXT = 400
"""Characters of one caption at most."""

AlongSide = Annotated[float, Field(ge=-2, le=3)]
"""Along the symbol's side: 0 is its left or upper edge, 1 the other."""

CutShare = Annotated[float, Field(ge=0, le=0.95)]


class Ground(Model):
    """A background of one colour that is taken off a logo, from its edges inwards.

    Attributes
    ----------
    tolerance : float
        How unlike the background's colour a pixel may be and still go, 0 to 1.
    """

    off: bool = False
    tolerance: ZeroToOne = 0.12


class Backing(Model):
    """What lies between the modules and a logo.

    Attributes
    ----------
    kind : {"none", "cleared", "plate"}
        The modules as they are; modules under the shape taken away; or a
        plate of one colour.
    shape : {"outline", "box", "rounded", "circle"}
        The logo's own outline, its box, its box with round corners, a circle.
    margin : float
        Modules that the shape is larger than the logo, on each side.
    corner : float
        Radius of rounded corners in parts of half the shorter side.
    whole : bool
        Modules that the plate touches are taken away whole, not cut.
    colour : str
    soft : float
        Modules over which the plate's edge fades out.
    line : float
        Width of a line along the edge, in modules.
    line_colour : str
    """

    kind: Literal["none", "cleared", "plate"] = "plate"
    shape: Literal["outline", "box", "rounded", "circle"] = "outline"
    margin: float = Field(default=1.0, ge=0, le=8)
    corner: ZeroToOne = 0.4
    whole: bool = True
    colour: str = "#ffffff"
    soft: float = Field(default=0, ge=0, le=4)
    line: float = Field(default=0, ge=0, le=3)
    line_colour: str = "#1d2a24"

    _colours = field_validator("colour", "line_colour")(hex_colour)


class Logo(Model):
    """A picture that is laid on the code.

    Attributes
    ----------
    digest : str
        SHA-256 of its file's bytes.
    name : str
        The file's name, for people.
    x, y : float
        Its middle in parts of the symbol's side.
    size : float
        Its longer side, after cropping, in parts of the symbol's side.
    angle : float
        Degrees clockwise.
    crop : four float
        Parts cut off on the left, top, right and bottom.
    ground : Ground
    tint : str or None
        One colour that takes the place of its own.
    backing : Backing
    shadow : Shadow
    inner : Inner
    bevel : Bevel
    marker : bool
        It is also the target picture of an augmented-reality viewer.
    """

    digest: str
    name: str = ""
    x: AlongSide = 0.5
    y: AlongSide = 0.5
    size: float = Field(default=0.24, ge=0.02, le=2)
    angle: float = Field(default=0, ge=-180, le=180)
    crop: tuple[CutShare, CutShare, CutShare, CutShare] = (0, 0, 0, 0)
    ground: Ground = Ground.model_construct()
    tint: str | None = None
    backing: Backing = Backing.model_construct()
    shadow: Shadow = Shadow.model_construct()
    inner: Inner = Inner.model_construct()
    bevel: Bevel = Bevel.model_construct()
    marker: bool = False

    _is_digest = field_validator("digest")(picture_digest)

    @field_validator("tint")
    @classmethod
    def _colour(cls, value: str | None) -> str | None:
        return None if value is None else hex_colour(value)

    @property
    def effects(self) -> bool:
        """Whether it has a shadow, an inner shadow or a bevel."""
        return any(e.strength > 0 for e in (self.shadow, self.inner, self.bevel))

    @model_validator(mode="after")
    def _something_left(self) -> Logo:
        left, top, right, bottom = self.crop
        if left + right > 0.95 or top + bottom > 0.95:
            raise ValueError("nothing of the logo is left")
        return self


class Logos(Model):
    """Rung 5: logos from the bottom to the top, and a plate painted by hand under them.

    Attributes
    ----------
    items : tuple of Logo
    paint : str or None
        Digest of a grey picture over the code's square, quiet zone included,
        white = covered.
    paint_colour : str
    """

    items: tuple[Logo, ...] = Field(default=(), max_length=MOST_LOGOS)
    paint: str | None = None
    paint_colour: str = "#ffffff"

    _is_digest = field_validator("paint")(picture_digest)
    _colour = field_validator("paint_colour")(hex_colour)

    @property
    def digests(self) -> tuple[str, ...]:
        """All pictures of the rung."""
        painted = (self.paint,) if self.paint else ()
        return (*(logo.digest for logo in self.items), *painted)


CaptionPlace = Literal[
    "above left", "above", "above right", "left", "right", "below left", "below", "below right",
    "along", "free",
]  # fmt: skip


class Caption(Model):
    """A few lines of text on or beside the code.

    Attributes
    ----------
    text : str
        Lines are parted by line breaks.
    place : str
        Beside the code; along the surround's line; or free.
    x, y, angle : float
        Middle in parts of the symbol's side, and degrees clockwise, where it is free.
    font : str
        Family name; empty: the one that ships with the program.
    size : float
        Height of the letters' square in parts of the symbol's side.
    weight : int
        100 (thin) to 900 (black), 400 regular.
    italic : bool
    colour : str
    outline : float
        Width of a line round the letters in parts of their size.
    outline_colour : str
    align : {"left", "centre", "right"}
        Of several lines.
    leading : float
        Distance of lines in parts of the size.
    start : float
        Along: where the middle of the text is, from the top middle, clockwise, in parts of
        the whole line.
    """

    text: str = Field(default="", max_length=MOST_TEXT)
    place: CaptionPlace = "below"
    x: AlongSide = 0.5
    y: AlongSide = 0.5
    angle: float = Field(default=0, ge=-180, le=180)
    font: str = Field(default="", max_length=200)
    size: float = Field(default=0.09, ge=0.02, le=0.6)
    weight: int = Field(default=700, ge=100, le=900)
    italic: bool = False
    colour: str = "#1d2a24"
    outline: float = Field(default=0, ge=0, le=0.4)
    outline_colour: str = "#ffffff"
    align: Literal["left", "centre", "right"] = "centre"
    leading: float = Field(default=1.2, ge=0.7, le=3)
    start: ZeroToOne = 0

    _colours = field_validator("colour", "outline_colour")(hex_colour)

    @field_validator("text")
    @classmethod
    def _printable(cls, value: str) -> str:
        value = value.replace("\r\n", "\n").replace("\r", "\n")
        try:
            value.encode("utf-8")
        except UnicodeEncodeError as error:
            raise ValueError("the text has half of a character pair in it") from error
        return "".join(c for c in value if c == "\n" or c == "\t" or ord(c) >= 32)


class Captions(Model):
    """Rung 6: all captions."""

    items: tuple[Caption, ...] = Field(default=(), max_length=MOST_CAPTIONS)


SurroundKind = Literal["none", "rule", "card", "ticket", "tag", "pointer", "ring"]

Millimetres = Annotated[float, Field(ge=0, le=60)]


class Surround(Model):
    """Rung 6: the frame that is drawn round code and captions.

    Attributes
    ----------
    kind : str
        A plain rule, a rounded card, a ticket with notches, a tag with a hole, a speech
        pointer, a ring; or none.
    gap : float
        Millimetres between the quiet zone (or the captions) and the frame.
    margin : float
        Millimetres of ground outside, where there is no picture.
    line : float
        Millimetres of the line.
    line_colour : str
    paper : str or None
        Colour inside; None: what lies below shows.
    through : bool
        Without a picture: the paper is the ground of the code, too.
    corner : float
        Millimetres of the corners' radius.
    side : {"below", "above", "left", "right"}
        Where the pointer points, where the tag's hole and the ticket's stub are.
    """

    kind: SurroundKind = "none"
    gap: Millimetres = 2
    margin: Millimetres = 3
    line: Annotated[float, Field(ge=0, le=10)] = 0.6
    line_colour: str = "#1d2a24"
    paper: str | None = "#ffffff"
    through: bool = True
    corner: Millimetres = 4
    side: Literal["below", "above", "left", "right"] = "below"

    _line = field_validator("line_colour")(hex_colour)

    @field_validator("paper")
    @classmethod
    def _colour(cls, value: str | None) -> str | None:
        return None if value is None else hex_colour(value)


class Layout(Model):
    """Rung 6: a picture in which the finished piece is arranged.

    Attributes
    ----------
    digest : str or None
        The layout's picture; None: the piece stands alone.
    name : str
    quad : four (float, float)
        Corners of the place for the piece (top left, top right, bottom right, bottom left)
        in pixels of the layout's picture.
    fit : {"inside", "cover"}
        The whole piece inside the place, or as much of it as covers the place.
    """

    digest: str | None = None
    name: str = ""
    quad: tuple[Point, Point, Point, Point] = ((0, 0), (100, 0), (100, 100), (0, 100))
    fit: Literal["inside", "cover"] = "inside"

    _is_digest = field_validator("digest")(picture_digest)

    @property
    def digests(self) -> tuple[str, ...]:
        """Its picture, if there is one."""
        return (self.digest,) if self.digest else ()
