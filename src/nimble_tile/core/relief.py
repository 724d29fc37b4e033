"""Effects of light on what is drawn, as frozen data: shadow, inner shadow, bevel.

All of them take contrast from the code or put tones where none were: the study of a piece
tells what they cost.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

SHADE, SHINE = "#141a17", "#ffffff"
"""Colours of shadows and of edges that are lit."""

Share = Annotated[float, Field(ge=0, le=1)]
Away = Annotated[float, Field(ge=-4, le=4)]


class _Effect(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class Shadow(_Effect):
    """A soft shadow beneath: strength 0 to 1, blur and offset in modules."""

    strength: Share = 0
    blur: float = Field(default=0.8, ge=0, le=4)
    dx: Away = 0.4
    dy: Away = 0.6


class Inner(_Effect):
    """A shadow inside, as if it were cut out: strength 0 to 1, blur and offset in modules."""

    strength: Share = 0
    blur: float = Field(default=0.3, ge=0, le=4)
    dx: Away = 0.1
    dy: Away = 0.14


class Bevel(_Effect):
    """Edges that are lit on one side and shaded on the other.

    Attributes
    ----------
    strength : float
        0 to 1.
    width : float
        Modules.
    angle : float
        Where the light comes from, in degrees clockwise from the right; 225: the top left.
    """

    strength: Share = 0
    width: float = Field(default=0.16, ge=0.02, le=1)
    angle: float = Field(default=225, ge=0, le=360)


class Relief(_Effect):
    """All effects on the code's modules and finders."""

    shadow: Shadow = Shadow.model_construct(blur=0.5, dx=0.12, dy=0.18)
    inner: Inner = Inner.model_construct()
    bevel: Bevel = Bevel.model_construct()

    @property
    def any(self) -> bool:
        """Whether one of them does anything."""
        return self.shadow.strength > 0 or self.inner.strength > 0 or self.bevel.strength > 0
