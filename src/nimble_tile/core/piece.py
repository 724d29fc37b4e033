"""The document: one code in one artwork, as frozen data.

A `Piece` holds one model for each rung of the ladder and nothing that
computes. An edit makes a new piece (`Piece.edited`), so undo is a list of
pieces. Pictures are named by the SHA-256 of their file's bytes; the bytes
themselves live in a `nimble_tile.core.picture.store.PictureStore`.
"""

from __future__ import annotations

import hashlib
import os
import re
from typing import Annotated, Any, Literal

# Looking for pydantic plugins reads the metadata of every installed package,
# 50 ms of each start, and no document should depend on one.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")

from pydantic import ConfigDict, Field, field_validator, model_validator

from nimble_tile.core.additions import Captions, Layout, Logos, Surround
from nimble_tile.core.artwork import Picture, ZeroToOne
from nimble_tile.core.artwork import Region as Region
from nimble_tile.core.details import Details
from nimble_tile.core.finish import MAX_SIDE as MAX_SIDE
from nimble_tile.core.finish import MM_PER_INCH as MM_PER_INCH
from nimble_tile.core.finish import Finish
from nimble_tile.core.language import tr, tr_as
from nimble_tile.core.look import Look, Model
from nimble_tile.core.phonelog import MOST_ENTRIES as MOST_TESTS
from nimble_tile.core.phonelog import PhoneTest

SCHEMA = 14
"""Version of the piece's stored form. 1 had no look, no forms of messages, wrote
everything outside ASCII as UTF-8 without a mark, and never raised the level.
Until 2 the code stood upright on the picture as it was, blended by tone or overlay.
3 knew no logos, captions, surrounds and layouts, 4 no phone log and no steering,
5 no gentle blend, 6 no drafts beside the piece, 7 no weave, 8 no pixel art and no revisions
of drawings, 9 no effects of light and only four formats of files, 10 no marks, 11 no light,
12 no marks on weaves."""

Level = Literal["L", "M", "Q", "H"]


class Message(Model):
    """Rung 1: what the code says.

    Attributes
    ----------
    kind : str
        What the text is meant to be: ``"link"``, ``"text"``, ``"raw"`` or a
        key of `nimble_tile.core.details.FORMS`.
    text : str
        Exactly what a scan gives back. Empty means: no code yet.
    details : Details or None
        The form that the text was written from, for kinds that have one.
    """

    kind: Literal[
        "link", "text", "email", "phone", "sms", "place", "contact", "event", "wifi",
        "transfer", "payment", "raw",
    ] = "link"  # fmt: skip
    text: str = ""
    details: Details | None = None

    @model_validator(mode="after")
    def _of_one_kind(self) -> Message:
        if self.details is not None and self.details.kind != self.kind:
            raise ValueError("the form belongs to another kind of message")
        return self

    @field_validator("text")
    @classmethod
    def _encodable(cls, value: str) -> str:
        try:
            value.encode("utf-8")
        except UnicodeEncodeError as error:
            raise ValueError("the text has half of a character pair in it") from error
        return value


class Code(Model):
    """Rung 2: the symbol.

    Attributes
    ----------
    level : {"L", "M", "Q", "H"}
        Error correction level.
    raise_level : bool
        Use a higher level where that takes no larger version.
    version : str
        ``"auto"`` (smallest QR version), ``"micro"`` (smallest Micro QR
        version), ``"1"`` to ``"40"`` or ``"M1"`` to ``"M4"``.
    charset : {"auto", "latin-1", "utf-8", "utf-8 unmarked"}
        Character set of byte mode; "utf-8" carries an ECI mark, "auto" is the
        one that readers cannot mistake.
    mask : int or "auto"
        Mask pattern, 0 to 7 (0 to 3 in Micro QR).
    quiet_zone : int
        Modules of light margin on each side, 0 to 10.
    steer : {"off", "padding", "tail"}
        Free bits chosen for the picture: those of the padding, or of a tail of
        digits in the link's fragment. The level is not raised then.
    keep : float
        Spare to keep while steering, 0 to 1; the rest is spent on modules that
        the picture wants otherwise.
    """

    level: Level = "M"
    raise_level: bool = True
    version: str = "auto"
    charset: Literal["auto", "latin-1", "utf-8", "utf-8 unmarked"] = "auto"
    mask: Literal["auto"] | Annotated[int, Field(ge=0, le=7)] = "auto"
    quiet_zone: int = Field(default=4, ge=0, le=10)
    steer: Literal["off", "padding", "tail"] = "off"
    keep: ZeroToOne = 1.0

    @field_validator("version")
    @classmethod
    def _known(cls, value: str) -> str:
        if value in {"auto", "micro", "M1", "M2", "M3", "M4"}:
            return value
        if re.fullmatch("[1-9][0-9]?", value) and int(value) <= 40:
            return value
        raise ValueError("a version is auto, micro, 1 to 40, or M1 to M4")


Method = Literal[
    "tone", "overlay", "dots", "cut", "grain", "ink", "strokes", "gentle", "weave", "light"
]
METHOD_LABELS = {
    "tone": tr("Tone"), "overlay": tr("Overlay"), "dots": tr("Dots"), "cut": tr("Two-tone cut"),
    "grain": tr("Grain"), "ink": tr("Ink"), "strokes": tr("Strokes"), "gentle": tr("Gentle"),
    "weave": tr("Weave"), "light": tr_as("blend", "Light"),
}  # fmt: skip
"""What each blend method is called."""

Mode = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color",
    "luminosity",
]  # fmt: skip


MODE_LABELS = {
    "normal": tr_as("blend mode", "normal"),
    "multiply": tr_as("blend mode", "multiply"),
    "screen": tr_as("blend mode", "screen"),
    "overlay": tr_as("blend mode", "overlay"),
    "darken": tr_as("blend mode", "darken"),
    "lighten": tr_as("blend mode", "lighten"),
    "color-dodge": tr_as("blend mode", "color-dodge"),
    "color-burn": tr_as("blend mode", "color-burn"),
    "hard-light": tr_as("blend mode", "hard-light"),
    "soft-light": tr_as("blend mode", "soft-light"),
    "difference": tr_as("blend mode", "difference"),
    "exclusion": tr_as("blend mode", "exclusion"),
    "hue": tr_as("blend mode", "hue"),
    "saturation": tr_as("blend mode", "saturation"),
    "color": tr_as("blend mode", "color"),
    "luminosity": tr_as("blend mode", "luminosity"),
}
"""What the blend modes of the W3C's Compositing and Blending are called."""


class Dots(Model):
    """Dots at the modules' centres.

    Attributes
    ----------
    size : float
        Diameter in modules, 0.3 to 1.
    softness : float
        Width of the soft edge in parts of the radius, 0 to 1.
    shape : {"round", "square", "diamond"}
    """

    size: float = Field(default=0.65, ge=0.3, le=1)
    softness: ZeroToOne = 0.6
    shape: Literal["round", "square", "diamond"] = "round"


class Cut(Model):
    """A dark-and-light motif cut from the picture.

    Attributes
    ----------
    threshold : float or None
        Tone between dark and light, 0 to 1; None: found by Otsu's method.
    smoothing : float
        Standard deviation of the smoothing before the cut, in modules.
    colour : float
        How much of the picture's colour is kept, 0 (grey) to 1.
    """

    threshold: ZeroToOne | None = None
    smoothing: float = Field(default=0.15, ge=0, le=1)
    colour: ZeroToOne = 1.0


class Grain(Model):
    """Fine grain by error diffusion: `cells` × `cells` cells a module."""

    cells: int = Field(default=5, ge=3, le=7)


class Ink(Model):
    """Where the picture is printed.

    Attributes
    ----------
    where : {"dark", "light", "tint"}
        In the dark modules alone, in the light ones alone, or everywhere but
        as hue and saturation only.
    """

    where: Literal["dark", "light", "tint"] = "dark"


SEEDS = 10_000
"""How many scatters of strokes, and weavings, there are."""


class Strokes(Model):
    """Brush strokes.

    Attributes
    ----------
    width, length : float
        In modules.
    gaps : float
        Share of strokes that are left out, so that the picture shows, 0 to 0.6.
    seed : int
        Another scatter.
    """

    width: float = Field(default=0.3, ge=0.15, le=0.6)
    length: float = Field(default=1.1, ge=0.4, le=2)
    gaps: float = Field(default=0.15, ge=0, le=0.6)
    seed: int = Field(default=1, ge=0, lt=SEEDS)


MATERIAL_LABELS = {
    "mosaic": tr("Mosaic"), "glass": tr("Stained glass"), "embroidery": tr("Embroidery"),
    "reed": tr("Woven reed"), "pebbles": tr("Pebbles and shells"), "brush": tr("Ink brush"),
    "feathers": tr("Feathers"), "lanterns": tr("Lanterns in the dark"),
}  # fmt: skip
"""Materials that ship, and what each is called."""


class Weave(Model):
    """What a code is woven of, and how.

    Attributes
    ----------
    matter : str
        ``"picture"``: the picture itself; a key of `MATERIAL_LABELS`; or the digest of
        another picture.
    motif : float
        How far the picture's shapes and colours stay where they are, 0 to 1.
    patch : float
        Size of the patches in parts of the usual, 0.6 to 1.6.
    finders : {"woven", "drawn"}
        Finders of the matter, too, or in the chosen shapes.
    seed : int
        Another weaving.
    """

    matter: str = "picture"
    motif: ZeroToOne = 0.6
    patch: float = Field(default=1, ge=0.6, le=1.6)
    finders: Literal["woven", "drawn"] = "woven"
    seed: int = Field(default=1, ge=0, lt=SEEDS)

    @field_validator("matter")
    @classmethod
    def _known(cls, value: str) -> str:
        if value == "picture" or value in MATERIAL_LABELS or re.fullmatch("[0-9a-f]{64}", value):
            return value
        raise ValueError("a matter is picture, a material that ships, or another picture")

    @property
    def digests(self) -> tuple[str, ...]:
        """The other picture, where there is one."""
        own = self.matter == "picture" or self.matter in MATERIAL_LABELS
        return () if own else (self.matter,)


MARK_LABELS = {
    "soft": tr("Soft"), "disc": tr("Disc"), "ring": tr("Ring"), "square": tr("Square"),
    "rounded": tr("Rounded"), "diamond": tr("Diamond"), "cross": tr("Cross"), "dash": tr("Dash"),
    "look": tr("As the look"),
}  # fmt: skip
"""What the shapes of marks are called."""

BORDER_LABELS = {
    "none": tr("None"), "line": tr("Line"), "panel": tr("Panel"), "round": tr("Round panel"),
    "ticket": tr("Ticket"), "label": tr("Label"), "torn": tr("Torn paper"),
    "marks": tr("Fading marks"), "fade": tr("Broad fade"),
}  # fmt: skip
"""What the borders round marks are called."""


MARKED = frozenset({"gentle", "weave"})
"""Methods that may lay marks."""


class Marks(Model):
    """How gentle blend and weave change the picture: softly, or by hard-edged marks.

    Attributes
    ----------
    shape : str
        A key of `MARK_LABELS`. ``"soft"``: tones are moved softly, without marks; ``"dash"``:
        along the picture's own direction; ``"look"``: the look's module shape.
    by : {"lightness", "size", "both"}
        What tells a module's strength: marks of one size and of different tones, marks of
        different sizes, or both.
    size : float
        Of the largest mark, in modules, 0.5 to 1.
    texture : float
        How much of the texture below is seen in a mark, 0 (it is of one colour) to 1.
    border : str
        A key of `BORDER_LABELS`: what keeps the code apart from the picture round it.
    """

    shape: Literal[
        "soft", "disc", "ring", "square", "rounded", "diamond", "cross", "dash", "look"
    ] = "disc"
    by: Literal["lightness", "size", "both"] = "lightness"
    size: float = Field(default=0.86, ge=0.5, le=1)
    texture: ZeroToOne = 0
    border: Literal[
        "none", "line", "panel", "round", "ticket", "label", "torn", "marks", "fade"
    ] = "line"


TESSERAE = Marks.model_construct(shape="square", size=1.0, texture=0.8)
"""Marks that suit a weave: among its patches they are stones of the same matter."""


class Light(Model):
    """Sun through a pierced screen.

    Attributes
    ----------
    warmth : float
        How warm what is lit is, and how blue the shade, 0 (neither) to 1.
    edge : float
        Width of the penumbra between shade and light, in modules, 0 to 0.6: it grows with the
        screen's distance.
    rounding : float
        How far openings are rounded and joined, 0 to 1; the look's own shapes stay.
    angle : float
        Where the light falls off to, in degrees, clockwise from the right.
    fall : float
        How far it falls off across the code, 0 to 1.
    """

    warmth: ZeroToOne = 0.45
    edge: float = Field(default=0.16, ge=0, le=0.6)
    rounding: ZeroToOne = 0.7
    angle: float = Field(default=45, ge=-180, le=180)
    fall: ZeroToOne = 0.25


SOFTLY = Marks.model_construct(shape="soft")
"""No marks: what is finished already is mended where nobody sees it."""


class Blend(Model):
    """Rung 4: how code and picture become one.

    Attributes
    ----------
    method : str
        A key of `nimble_tile.core.blend.METHODS`.
    strength : float
        0 (the picture alone) to 1 (the code at its strongest).
    mode : str
        Blend mode of the overlay method, by its name in the W3C's
        specification.
    darks, lights : float
        Tone: how far dark modules are drawn down and light ones up, in parts
        of what the strength asks for, 0 to 2.
    dots, cut, grain, ink, strokes, weave
        Settings of these methods.
    marks : Marks
        Of the gentle blend and of the weave.
    light : Light
        Of the method of this name.
    colours : {"look", "picture"}
        Whose hues the code has in methods that move tones: the look's, where it has colours of
        its own, or the picture's alone.
    finders : float or None
        Strength of finder and alignment patterns, 0 to 1; None: as the rest.
    quiet : {"lightened", "soft", "border", "plain"}
        Quiet zone: the picture lightened; lightened next to the code and
        fading into the picture; untouched but for the border that marks have, where these lay
        one in any case; or a plain light ground.
    quiet_strength : float or None
        Strength of the quiet zone, 0 to 1; None: as the rest.
    guarding : float
        How far the guard is kept, 0 (not at all) to 1 (nothing happens there).
    map : str or None
        Digest of a mask on the grid of modules, quiet zone included: each module's
        strength in parts of the others', 128 = as they. It counts only for a symbol
        of its own size.
    """

    method: Method = "tone"
    strength: float = Field(default=0.7, ge=0, le=1)
    mode: Mode = "normal"
    darks: float = Field(default=1, ge=0, le=2)
    lights: float = Field(default=1, ge=0, le=2)
    dots: Dots = Dots.model_construct()
    cut: Cut = Cut.model_construct()
    grain: Grain = Grain.model_construct()
    ink: Ink = Ink.model_construct()
    strokes: Strokes = Strokes.model_construct()
    weave: Weave = Weave.model_construct()
    marks: Marks = Marks.model_construct()
    light: Light = Light.model_construct()
    colours: Literal["look", "picture"] = "look"
    finders: ZeroToOne | None = None
    quiet: Literal["lightened", "soft", "border", "plain"] = "lightened"
    quiet_strength: ZeroToOne | None = None
    guarding: ZeroToOne = 0.5
    map: str | None = Field(default=None, pattern="^[0-9a-f]{64}$")

    @property
    def by_marks(self) -> bool:
        """Whether modules are told by hard-edged marks."""
        return self.method in MARKED and self.marks.shape != "soft"

    @property
    def bordered(self) -> bool:
        """Whether the method draws finders and what lies round the code by itself."""
        return self.by_marks or self.method == "light"

    def turned(self, method: str) -> Blend:
        """The blend by another method; marks that nobody chose become those that suit it."""
        marks = self.marks
        if method != self.method and marks in (Marks(), TESSERAE):
            marks = TESSERAE if method == "weave" else Marks()
        return self.model_copy(update={"method": method, "marks": marks})


class Piece(Model):
    """One code in one artwork, with all its settings.

    `log` is no setting but what phones made of it; undo leaves it alone.

    What a part is by default is made without checks (`model_construct`), here and in the
    parts: pydantic would build the checks of each when it is imported, which is much of the
    time until the window stands there. Checks are built for the first value that is given.
    """

    schema_version: int = Field(default=SCHEMA, alias="schema")
    message: Message = Message.model_construct()
    code: Code = Code.model_construct()
    look: Look = Look.model_construct()
    picture: Picture = Picture.model_construct()
    blend: Blend = Blend.model_construct()
    logo: Logos = Logos.model_construct()
    caption: Captions = Captions.model_construct()
    surround: Surround = Surround.model_construct()
    layout: Layout = Layout.model_construct()
    finish: Finish = Finish.model_construct()
    log: tuple[PhoneTest, ...] = Field(default=(), max_length=MOST_TESTS)

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        defer_build=True,
        populate_by_name=True,
        serialize_by_alias=True,
    )

    @model_validator(mode="before")
    @classmethod
    def _from_older(cls, data: Any) -> Any:
        # What was made then stays as it was, module by module.
        if isinstance(data, dict) and data.get("schema") == 1:
            older = data.get("code")
            code = dict(older) if isinstance(older, dict) else {}
            code = {"raise_level": False, "charset": "utf-8 unmarked", **code}
            data = {**data, "schema": 2, "code": code}
        if isinstance(data, dict) and data.get("schema") in range(2, SCHEMA):
            blend = data.get("blend")
            if isinstance(blend, dict):
                softly, marks = {"shape": "soft"}, blend.get("marks")
                if data["schema"] < 12:
                    blend = {"colours": "picture", "marks": softly, **blend}
                if data["schema"] < 13 and blend.get("method") == "weave":
                    own = marks if isinstance(marks, dict) else {}
                    blend = {**blend, "marks": {**own, **softly}}
                data = {**data, "blend": blend}
            data = {**data, "schema": SCHEMA}
        return data

    @model_validator(mode="after")
    def _schema_known(self) -> Piece:
        if self.schema_version != SCHEMA:
            raise ValueError(f"schema {self.schema_version} is not known here")
        return self

    @property
    def state(self) -> str:
        """Names how the piece looks: the same until a setting of it changes (16 hex digits)."""
        bare = self.model_copy(update={"log": (), "finish": Finish()})
        return hashlib.sha256(bare.model_dump_json().encode()).hexdigest()[:16]

    @property
    def digests(self) -> tuple[str, ...]:
        """All pictures that the piece needs, once each."""
        parts = (self.picture, self.look, self.logo, self.layout)
        maps = () if self.blend.map is None else (self.blend.map,)
        every = [digest for part in parts for digest in part.digests]
        return tuple(dict.fromkeys((*every, *self.blend.weave.digests, *maps)))

    def edited(self, rung: str, **changes: Any) -> Piece:
        """A new piece with some settings of one rung changed.

        Parameters
        ----------
        rung : str
            Field name of the rung, ``"message"`` … ``"finish"``.
        **changes
            New values of that rung's fields; they are validated.

        Returns
        -------
        Piece

        Raises
        ------
        pydantic.ValidationError
            A value is outside its range.
        """
        old = getattr(self, rung)
        if rung == "finish" and "size" in changes:
            changes = {"mm": None, **changes}
        new = type(old).model_validate({**dict(old), **changes})
        return self.model_copy(update={rung: new})
