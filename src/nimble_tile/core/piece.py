"""The document: one code in one artwork, as frozen data.

A `Piece` holds one model for each rung of the ladder and nothing that
computes. An edit makes a new piece (`Piece.edited`), so undo is a list of
pieces. Pictures are named by the SHA-256 of their file's bytes; the bytes
themselves live in a `nimble_tile.core.picture.store.PictureStore`.
"""

from __future__ import annotations

import os
import re
from typing import Annotated, Any, Literal

# Looking for plugins of pydantic reads the data of every installed package,
# 50 ms of each start; there is none that a document should depend on.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from nimble_tile.core.details import Details
from nimble_tile.core.look import Look, hex_colour, picture_digest

SCHEMA = 2
"""Version of the piece's stored form. 1 had no look, no forms of messages, wrote
everything outside ASCII as UTF-8 without a mark, and never raised the level."""

MAX_SIDE = 16_384
"""Longest side of a finished image, in pixels: a 1.4 m poster at 300 dpi."""

Level = Literal["L", "M", "Q", "H"]


class _Model(BaseModel):
    # Validators are built on first use.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class Message(_Model):
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


class Code(_Model):
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
    """

    level: Level = "M"
    raise_level: bool = True
    version: str = "auto"
    charset: Literal["auto", "latin-1", "utf-8", "utf-8 unmarked"] = "auto"
    mask: Literal["auto"] | Annotated[int, Field(ge=0, le=7)] = "auto"
    quiet_zone: int = Field(default=4, ge=0, le=10)

    @field_validator("version")
    @classmethod
    def _known(cls, value: str) -> str:
        if value in {"auto", "micro", "M1", "M2", "M3", "M4"}:
            return value
        if re.fullmatch("[1-9][0-9]?", value) and int(value) <= 40:
            return value
        raise ValueError("a version is auto, micro, 1 to 40, or M1 to M4")


class Region(_Model):
    """Where the code's outer edge, quiet zone included, lies on the picture.

    Attributes
    ----------
    x, y : float
        Top left corner, in pixels of the original picture.
    width, height : float
        Extent in the same pixels.
    """

    x: float = Field(ge=0)
    y: float = Field(ge=0)
    width: float = Field(gt=0)
    height: float = Field(gt=0)


class Picture(_Model):
    """Rung 3: the picture and where the code goes on it.

    Attributes
    ----------
    digest : str or None
        SHA-256 of the picture file's bytes in hexadecimal; None: no picture.
    name : str
        The file's name, for people.
    ground : str
        Colour behind transparent parts, ``#rrggbb``.
    region : Region or None
        Place of the code; None: the picture's centred square.
    """

    digest: str | None = None
    name: str = ""
    ground: str = "#ffffff"
    region: Region | None = None

    _colour = field_validator("ground")(hex_colour)

    _is_digest = field_validator("digest")(picture_digest)


Mode = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color",
    "luminosity",
]  # fmt: skip


class Blend(_Model):
    """Rung 4: how code and picture become one.

    Attributes
    ----------
    method : {"tone", "overlay"}
        See `nimble_tile.core.blend`.
    strength : float
        0 (the picture alone) to 1 (the code at its strongest).
    mode : str
        Blend mode of the overlay method, by its name in the W3C's
        specification.
    """

    method: Literal["tone", "overlay"] = "tone"
    strength: float = Field(default=0.7, ge=0, le=1)
    mode: Mode = "normal"


class Finish(_Model):
    """Rung 6: the file that leaves the house.

    Attributes
    ----------
    size : int or None
        Longer side of the finished image in pixels; None: `natural_size`.
    dpi : int
        Pixels an inch on paper, written into the file.
    format : {"png", "jpeg", "svg", "pdf"}
        File format.
    quality : int
        JPEG quality, 1 to 100.
    """

    size: int | None = Field(default=None, ge=64, le=MAX_SIDE)
    dpi: int = Field(default=300, ge=30, le=2400)
    format: Literal["png", "jpeg", "svg", "pdf"] = "png"
    quality: int = Field(default=92, ge=1, le=100)


class Piece(_Model):
    """One code in one artwork, with all its settings."""

    schema_version: int = Field(default=SCHEMA, alias="schema")
    message: Message = Message()
    code: Code = Code()
    look: Look = Look()
    picture: Picture = Picture()
    blend: Blend = Blend()
    finish: Finish = Finish()

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
        if isinstance(data, dict) and data.get("schema") == 1:
            older = data.get("code")
            code = dict(older) if isinstance(older, dict) else {}
            # What was made then stays as it was, module by module.
            code = {"raise_level": False, "charset": "utf-8 unmarked", **code}
            return {**data, "schema": SCHEMA, "code": code}
        return data

    @model_validator(mode="after")
    def _schema_known(self) -> Piece:
        if self.schema_version != SCHEMA:
            raise ValueError(f"schema {self.schema_version} is not known here")
        return self

    @property
    def digests(self) -> tuple[str, ...]:
        """All pictures that the piece needs, once each."""
        own = () if self.picture.digest is None else (self.picture.digest,)
        return tuple(dict.fromkeys((*own, *self.look.digests)))

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
        new = type(old).model_validate({**dict(old), **changes})
        return self.model_copy(update={rung: new})
