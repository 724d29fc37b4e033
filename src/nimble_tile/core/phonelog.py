"""The phone log: what real devices made of a piece, in the designer's own words."""

from __future__ import annotations

from pydantic import Field, field_validator

from nimble_tile.core.look import Model

MOST_ENTRIES = 1000
"""Entries of a log at most."""


class PhoneTest(Model):
    """One look through a real device.

    Attributes
    ----------
    device : str
        In the designer's own words.
    size : float
        Side of the code, quiet zone included, as it was shown or printed, in mm.
    distance : float or None
        In mm, where it was noted.
    light : str
        In the designer's own words.
    medium : {"screen", "paper"}
    read : bool
    when : str
        Local date and time, ISO 8601 to the minute.
    state : str
        `Piece.state` of the piece that was looked at.
    note : str
    """

    device: str = Field(min_length=1, max_length=80)
    size: float = Field(gt=0, le=5000)
    distance: float | None = Field(default=None, gt=0, le=100_000)
    light: str = Field(default="", max_length=80)
    medium: str = Field(default="screen", pattern="^(screen|paper)$")
    read: bool
    when: str = Field(default="", max_length=40)
    state: str = Field(default="", max_length=64)
    note: str = Field(default="", max_length=400)

    @field_validator("device")
    @classmethod
    def _named(cls, value: str) -> str:
        value = " ".join(value.split())
        if not value:
            raise ValueError("a device needs a name")
        return value
