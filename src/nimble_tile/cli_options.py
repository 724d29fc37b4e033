"""Turns the options of the command line into the rungs of a piece."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from nimble_tile.core.piece import Region


class Finite(click.FloatRange):
    """A number in a range: click lets through what is not a number at all."""

    def convert(self, value: Any, param: Any, context: Any) -> float:
        number = super().convert(value, param, context)
        if not math.isfinite(number):
            self.fail(f"{value} is not a number to work with.", param, context)
        return number


class RegionType(click.ParamType):
    """``X,Y,W,H`` in picture pixels."""

    name = "X,Y,W,H"

    def convert(self, value: Any, param: Any, context: Any) -> Region:
        from nimble_tile.core.asked import region_of
        from nimble_tile.core.piece import Region

        if isinstance(value, Region):
            return value
        try:
            return region_of(value)
        except ValueError:  # of pydantic, too
            self.fail(
                f"“{value}” is not X,Y,W,H: four numbers in pixels, none negative, "
                "width and height above 0.",
                param,
                context,
            )


class CornersType(click.ParamType):
    """Four corners of the code, ``X,Y`` each, clockwise from the top left."""

    name = "X,Y,X,Y,X,Y,X,Y"

    def convert(self, value: Any, param: Any, context: Any) -> Region:
        from nimble_tile.core.asked import corners_of
        from nimble_tile.core.piece import Region

        if isinstance(value, Region):
            return value
        try:
            return corners_of(value)
        except ValueError as error:
            self.fail(str(error), param, context)


def kept_apart(out: Path, *inputs: Path | None) -> None:
    """Refuse an output that is also an input: the original would be gone.

    Raises
    ------
    UserError
    """
    from nimble_tile.core.errors import UserError

    for given in inputs:
        if given is None:
            continue
        try:
            same = out.samefile(given)
        except OSError:
            same = out.absolute() == given.absolute()
        if same:
            raise UserError(
                f"{out} is also an input, which would be overwritten.", "Write to another file."
            )


def finish_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options that say which file leaves the house."""
    for option in reversed(_FINISH_OPTIONS):
        command = option(command)
    return command


_FINISH_OPTIONS = (
    click.option("--size", type=int, default=None, help="Longer side of the output in pixels."),
    click.option("--mm", type=Finite(3, 5000), default=None, help="Longer side on paper."),
    click.option("--dpi", type=int, default=None, help="Written into the file; default 300."),
    click.option("--quality", type=int, default=None, help="Of JPEG and WebP; default 92."),
    click.option(
        "--chroma", type=click.Choice(["full", "half", "quarter"]), default=None,
        help="Colour resolution of JPEG; default full.",
    ),
    click.option(
        "--lossless/--lossy", "lossless", default=None, help="WebP; default --lossless."
    ),
    click.option("--depth", type=click.Choice(["8", "16"]), default=None, help="Bits of TIFF."),
    click.option(
        "--inks", type=click.Choice(["screen", "cmyk", "single"]), default=None,
        help="Of TIFF and PDF: sRGB, four inks by an ICC profile, or one ink; PNG: sRGB or one.",
    ),
    click.option("--profile", default=None, metavar="NAME", help="File name of the ICC profile."),
    click.option("--ink", default=None, metavar="#RRGGBB", help="Colour of the one ink."),
    click.option("--ink-name", default=None, help="What the printer calls it."),
    click.option("--alone", is_flag=True, default=None, help="The code alone, on nothing."),
    click.option("--square", is_flag=True, default=None, help="On a square."),
    click.option("--about", is_flag=True, default=None, help="Say inside the file what it is."),
    click.option("--bleed", type=Finite(0, 30), default=None, help="Millimetres, in PDF."),
    click.option("--marks", is_flag=True, default=None, help="Crop marks, in PDF."),
    click.option(
        "--sheet", type=click.Choice(["none", "a4", "a3"]), default=None,
        help="PDF: as many copies as fit.",
    ),
    click.option("--gap", type=Finite(0, 60), default=None, help="Millimetres between copies."),
)  # fmt: skip


def valid(model: Callable[..., Any], values: dict[str, Any], **names: str) -> Any:
    """The model, or one line that says which option is wrong; `names` are those of fields."""
    from nimble_tile.core.asked import Asker
    from nimble_tile.core.picture.store import PictureStore

    return Asker(PictureStore(), "--").valid(model, values, **names)


def make_folder(folder: Path) -> None:
    """Make a folder, if it is not there."""
    from nimble_tile.core.errors import OutputError, file_error

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise file_error(OutputError, "make", folder, error) from error
