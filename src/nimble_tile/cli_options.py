"""Turns the options of the command line into the rungs of a piece."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.piece import Piece, Region


FARTHEST = 1e6
"""Largest coordinate on a picture that is accepted, in pixels."""


def _pixels(text: str) -> float:
    """A number of pixels; `ValueError` if no picture can have it."""
    number = float(text)
    if not abs(number) <= FARTHEST:
        raise ValueError("beyond every picture")
    return number


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
        from pydantic import ValidationError

        from nimble_tile.core.piece import Region

        if isinstance(value, Region):
            return value
        try:
            x, y, width, height = (_pixels(part) for part in value.split(","))
            if min(x, y) < 0:
                raise ValueError("negative")
            return Region(x=x, y=y, width=width, height=height)
        except (ValueError, ValidationError):
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
        import numpy as np

        from nimble_tile.core.picture.gestures import on_quad
        from nimble_tile.core.picture.placing import possible
        from nimble_tile.core.piece import Region

        if isinstance(value, Region):
            return value
        try:
            quad = np.array([_pixels(part) for part in value.split(",")]).reshape(4, 2)
            good = possible(quad)
        except ValueError:
            self.fail(f"“{value}” is not four corners: eight numbers in pixels.", param, context)
        if not good:
            self.fail(
                "the corners are crossed, folded or not clockwise from the top left.",
                param,
                context,
            )
        return on_quad(quad)


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


def with_logo(
    piece: Piece, pictures: PictureStore, path: Path | None, percent: float | None
) -> Piece:
    """The piece with a logo in the middle of its code."""
    from nimble_tile.core.additions import Logo, Logos
    from nimble_tile.core.errors import UserError
    from nimble_tile.core.logo.lay import size_for
    from nimble_tile.core.picture.drawings import kind_of, one_page
    from nimble_tile.core.picture.opening import read_file

    if path is None:
        if percent is not None:
            raise UserError("--logo-share says how large a logo is.", "Give --logo too.")
        return piece
    data = read_file(path)
    if kind_of(data) == "pdf":
        data = one_page(data, 0, path.name)
    digest = pictures.add(data, path.name, drawings=True)
    size = size_for((percent or 5) / 100, pictures.about(digest).size)
    logo = valid(Logo, {"digest": digest, "name": path.name, "size": size})
    return piece.model_copy(update={"logo": Logos(items=(logo,))})


def with_matter(
    piece: Piece, pictures: PictureStore, matter: str | None, motif: float | None, seed: int
) -> Piece:
    """The piece woven of a material by its name, or of a picture in a file."""
    from nimble_tile.core.errors import UserError
    from nimble_tile.core.picture.opening import read_file
    from nimble_tile.core.piece import MATERIAL_LABELS, Weave

    if piece.blend.method != "weave":
        if matter is not None or motif is not None:
            option = "--matter" if matter is not None else "--motif"
            raise UserError(f"{option} is for weaving.", "Give --blend weave too.")
        return piece
    values: dict[str, Any] = {"seed": seed} if seed else {}
    if motif is not None:
        values["motif"] = motif
    if matter is not None:
        known = matter == "picture" or matter in MATERIAL_LABELS
        path = Path(matter)
        if not known and not path.exists():
            names = ", ".join(MATERIAL_LABELS)
            raise UserError(
                f"{matter[:60]} is no material and no file.", f"Materials: picture, {names}."
            )
        values["matter"] = matter if known else pictures.add(read_file(path), path.name)
    return piece.edited("blend", weave=valid(Weave, values))


def rungs(options: dict[str, Any]) -> dict[str, Any]:
    """The rungs that the options of ``make`` describe, validated."""
    from nimble_tile.core.errors import UserError
    from nimble_tile.core.piece import Blend, Code
    from nimble_tile.core.symbol import tables

    mask: Any = options["mask"]
    if mask not in ("auto", *"01234567"):
        raise UserError(f"--mask {mask[:20]} is no mask.", "Give 0 to 7, or auto.")
    code: dict[str, Any] = {
        "version": options["version"],
        "mask": mask if mask == "auto" else int(mask),
    }
    if options["raise_level"] is None:
        options["raise_level"] = options["level"] is None
    if options["version"].lower().startswith("m"):
        if options["quiet_zone"] is None:
            options["quiet_zone"] = tables.QUIET_ZONE_MICRO
        if options["level"] is None:
            options["level"] = "L"
    code |= _given(options, level="level", quiet_zone="quiet_zone", raise_level="raise_level")
    if options["steer"] is not None:
        code["steer"] = options["steer"]
    elif options["method"] == "weave":
        code["steer"] = "padding"  # the symbol that the matter can say most easily
    if options["keep_spare"] is not None:
        code["keep"] = options["keep_spare"] / 100
    blend = _given(options, method="method", mode="mode", strength="strength")
    return {
        "code": valid(Code, code),
        "blend": valid(Blend, blend),
        "finish": finish_of(options),
    }


def finish_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options that say which file leaves the house; see `finish_of`."""
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

FINISH_FIELDS = (
    "size", "mm", "dpi", "quality", "chroma", "lossless", "depth", "inks", "profile", "ink",
    "ink_name", "alone", "square", "about", "bleed", "marks", "sheet", "gap",
)  # fmt: skip


def finish_of(options: dict[str, Any], base: Any = None) -> Any:
    """Take the finish's options out of all the others.

    Parameters
    ----------
    options : dict
        Of a command with `finish_options`; those are taken out.
    base : Finish, optional
        What holds where nothing was said.

    Returns
    -------
    Finish
    """
    from nimble_tile.core.errors import UserError
    from nimble_tile.core.piece import Finish

    given = {name: options.pop(name) for name in FINISH_FIELDS}
    given = {name: value for name, value in given.items() if value is not None}
    if "size" in given and "mm" in given:
        raise UserError("--size and --mm both say how large.", "Give one of them.")
    if "depth" in given:
        given["depth"] = int(given["depth"])
    if "size" in given:
        given["mm"] = None
    return valid(Finish, {**({} if base is None else dict(base)), **given})


def _given(options: dict[str, Any], **names: str) -> dict[str, Any]:
    return {field: options[name] for field, name in names.items() if options[name] is not None}


def valid(model: Callable[..., Any], values: dict[str, Any], **names: str) -> Any:
    """The model, or one line that says which option is wrong; `names` are those of fields."""
    from pydantic import ValidationError

    from nimble_tile.core.errors import UserError

    try:
        return model(**values)
    except ValidationError as error:
        first = error.errors()[0]
        option = ({"method": "blend", "text": "message"} | names).get(
            str(first["loc"][0]), str(first["loc"][0]).replace("_", "-")
        )
        what = first["msg"].removeprefix("Value error, ").removeprefix("Input ")
        given = str(first["input"])
        given = given if len(given) <= 60 else given[:59] + "…"
        raise UserError(f"--{option} {given}: {what}.") from None


def make_folder(folder: Path) -> None:
    """Make a folder, if it is not there."""
    from nimble_tile.core.errors import OutputError, file_error

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise file_error(OutputError, "make", folder, error) from error
