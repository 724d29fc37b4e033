"""Drafts: variants of a piece that are kept beside it in the project."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator

from nimble_tile.core.language import tr
from nimble_tile.core.look import Model
from nimble_tile.core.piece import Piece

MOST_DRAFTS = 200
"""Drafts in one project."""

THUMB = 320
"""Longer side of a draft's small picture, in pixels."""

MOST_THUMB = 1 << 20
"""Bytes of a draft's small picture at most."""


class Draft(Model):
    """A kept variant of the piece, with what was known of it.

    Attributes
    ----------
    key : str
        Eight hex digits, its own in a project.
    name, note : str
    piece : Piece
        Without phone log.
    state : {"well", "thin", "fails"} or None
        The verdict; None while it is not known.
    words : str
        The verdict in words.
    reach : float or None
        Passes over those of the usual code.
    fidelity : float or None
        Likeness at viewing distance; None without a picture.
    revision : int or None
        Which revision of a drawing by hand it is.
    thumb : bytes
        A small picture of it (PNG); empty where there is none. Not part of the
        JSON form.
    """

    key: str = Field(pattern="^[0-9a-f]{8}$")
    name: str = Field(min_length=1, max_length=80)
    note: str = Field(default="", max_length=2000)
    piece: Piece
    state: Literal["well", "thin", "fails"] | None = None
    words: str = Field(default="", max_length=200)
    reach: float | None = Field(default=None, ge=0, le=10)
    fidelity: float | None = Field(default=None, ge=-1, le=1)
    revision: int | None = Field(default=None, ge=1, le=100_000)
    thumb: bytes = Field(default=b"", exclude=True, repr=False, max_length=MOST_THUMB)

    @field_validator("name")
    @classmethod
    def _named(cls, value: str) -> str:
        value = " ".join(value.split())
        if not value:
            raise ValueError("a draft needs a name")
        return value

    @field_validator("piece")
    @classmethod
    def _bare(cls, value: Piece) -> Piece:
        return bare(value)


def bare(piece: Piece) -> Piece:
    """A piece without its phone log, as drafts hold it."""
    return piece.model_copy(update={"log": ()}) if piece.log else piece


def free_name(drafts: tuple[Draft, ...], wish: str = "") -> str:
    """A name that no draft has yet: the wish itself where it says something, else numbered."""
    taken = {draft.name for draft in drafts}
    plain = tr("Draft")
    wish = " ".join(wish.split())[:70] or plain
    if wish != plain and wish not in taken:
        return wish
    number = 1 if wish == plain else 2
    while f"{wish} {number}" in taken:
        number += 1
    return f"{wish} {number}"
