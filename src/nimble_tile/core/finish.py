"""The file that leaves the house, as frozen data."""

from __future__ import annotations

import math
import os
from typing import Any, Literal

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")

from pydantic import Field, field_validator, model_validator

from nimble_tile.core.look import Model, hex_colour

MAX_SIDE = 16_384
"""Longest side of a finished image, in pixels: a 1.4 m poster at 300 dpi."""

MM_PER_INCH = 25.4

Format = Literal["png", "jpeg", "webp", "tiff", "svg", "pdf", "ora"]


class Finish(Model):
    """Rung 6: the file that leaves the house.

    Attributes
    ----------
    size : int or None
        Longer side of the finished image in pixels; None: `natural_size`.
    mm : float or None
        Longer side on paper in millimetres; where it is given, `size` follows from it and `dpi`.
    dpi : int
        Pixels an inch on paper, written into the file.
    format : str
        PNG, JPEG, WebP, TIFF, SVG, PDF or OpenRaster.
    quality : int
        Of JPEG and WebP, 1 to 100.
    chroma : {"full", "half", "quarter"}
        Colour resolution of JPEG: of every pixel (4:4:4), every second along the rows (4:2:2),
        every second both ways (4:2:0).
    lossless : bool
        WebP keeps every pixel.
    depth : {8, 16}
        Bits a channel of TIFF.
    inks : {"screen", "cmyk", "single"}
        sRGB; the four inks of a profile (TIFF, PDF); one ink without tints (PNG, TIFF, PDF).
    profile : str
        File name of the ICC profile of the four inks; empty: the first that is there.
    ink, ink_name : str
        The single ink's colour on screen, ``#rrggbb``, and its name for the printer.
    alone : bool
        The code alone on a transparent ground, for laying it in elsewhere.
    square : bool
        Centred on a square: a picture's edges are mirrored outwards, a code gets more ground.
    about : bool
        The message and the program's name are written into the file; otherwise it says nothing
        of where it comes from.
    bleed : float
        Millimetres round the trimmed size, mirrored from its edges (PDF).
    marks : bool
        Crop marks (PDF).
    sheet : {"none", "a4", "a3"}
        As many copies as fit on a page, for stickers (PDF).
    gap : float
        Millimetres between the copies.
    """

    size: int | None = Field(default=None, ge=64, le=MAX_SIDE)
    mm: float | None = Field(default=None, ge=3, le=5000)
    dpi: int = Field(default=300, ge=30, le=2400)
    format: Format = "png"
    quality: int = Field(default=92, ge=1, le=100)
    chroma: Literal["full", "half", "quarter"] = "full"
    lossless: bool = True
    depth: Literal[8, 16] = 8
    inks: Literal["screen", "cmyk", "single"] = "screen"
    profile: str = Field(default="", max_length=200, pattern="^[^/\x00]*$")
    ink: str = "#000000"
    ink_name: str = Field(default="Ink", min_length=1, max_length=60)
    alone: bool = False
    square: bool = False
    about: bool = False
    bleed: float = Field(default=0, ge=0, le=30)
    marks: bool = False
    sheet: Literal["none", "a4", "a3"] = "none"
    gap: float = Field(default=6, ge=0, le=60)

    _ink = field_validator("ink")(hex_colour)

    @model_validator(mode="before")
    @classmethod
    def _on_paper(cls, data: Any) -> Any:
        if isinstance(data, dict) and isinstance(data.get("mm"), (int, float)):
            dpi = data.get("dpi", 300)
            if isinstance(dpi, int) and math.isfinite(data["mm"]):
                data = {**data, "size": round(data["mm"] / MM_PER_INCH * dpi)}
        return data

    def in_pixels(self, size: int) -> Finish:
        """The same with a longer side in pixels."""
        return self.model_copy(update={"size": size, "mm": None})
