"""Guide, drawing template, and drawings that come back, on the command line."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from nimble_tile import report
from nimble_tile.cli_options import Finite, kept_apart
from nimble_tile.cli_progress import working
from nimble_tile.core.errors import UserError

if TYPE_CHECKING:
    from nimble_tile.core.symbol.encode import Symbol

_LEVEL = click.option(
    "--level", type=click.Choice(list("LMQH")), default="H", show_default=True,
    help="Error correction level.",
)  # fmt: skip
_VERSION = click.option("--version", default="auto", help="1 to 40, M1 to M4, micro, or auto.")
_OUT = click.option("--out", type=click.Path(path_type=Path, dir_okay=False), required=True)
_JSON = click.option("--json", "as_json", is_flag=True, help="One JSON object.")
_MESSAGE = click.option("--message", required=True, help="What the code says.")


def _symbol(message: str, level: str, version: str) -> Symbol:
    from nimble_tile.cli_options import valid
    from nimble_tile.core.piece import Code, Message
    from nimble_tile.core.symbol.encode import encode

    settings = {"level": level, "version": version, "raise_level": False}
    return encode(Message(kind="text", text=message), valid(Code, settings))


def _told(out: Path, symbol: Symbol) -> dict:
    return {
        "out": str(out), "message": symbol.text,
        "symbol": {"version": symbol.version, "level": symbol.level, "mask": symbol.mask,
                   "modules": symbol.side},
    }  # fmt: skip


@click.command()
@_MESSAGE
@_LEVEL
@_VERSION
@click.option("--width", type=int, default=1024, show_default=True, help="Pixels.")
@click.option("--height", type=int, default=1024, show_default=True, help="Pixels.")
@click.option("--share", type=Finite(0.3, 1), default=0.85, show_default=True,
              help="Side of the code in parts of the shorter side.")  # fmt: skip
@click.option("--quiet-zone", type=int, default=4, show_default=True, help="Modules.")
@click.option("--softness", type=Finite(0, 0.6), default=0.0, help="Of edges, in modules.")
@click.option("--dark", default="#000000", help="Colour of dark modules.")
@click.option("--light", default="#ffffff", help="Colour of light modules.")
@click.option("--ground", default="#808080", help="Colour round the code.")
@_OUT
@_JSON
def guide(
    message: str, level: str, version: str, width: int, height: int, share: float,
    quiet_zone: int, softness: float, dark: str, light: str, ground: str, out: Path,
    as_json: bool,
) -> None:  # fmt: skip
    """Write the code as a control picture for a picture generator."""
    from nimble_tile.core.look import hex_colour
    from nimble_tile.core.output.guide import GuideWish, advice, write_guide

    try:
        colours = [hex_colour(colour) for colour in (ground, dark, light)]
    except ValueError as error:
        raise UserError("A colour is written #rrggbb.") from error
    if out.suffix.lower() != ".png":
        raise UserError(f"{out.name} is no PNG.", "End its name in .png.")
    symbol = _symbol(message, level, version)
    wish = GuideWish(width, height, share, quiet_zone, *colours, softness)
    write_guide(symbol, wish, out)
    told = advice(symbol, wish)
    if as_json:
        click.echo(json.dumps(_told(out, symbol) | {"advice": told}))
    else:
        click.echo("\n".join([f"Wrote {out}", *told]))


@click.command()
@_MESSAGE
@_LEVEL
@_VERSION
@click.option("--size", type=Finite(30, 1000), default=150.0, show_default=True,
              help="Side of the sheet in mm.")  # fmt: skip
@click.option("--dpi", type=int, default=300, show_default=True, help="Of PNG and OpenRaster.")
@click.option("--strong", type=click.Choice(["finders", "whole"]), default="finders",
              show_default=True, help="What is shown strongly.")  # fmt: skip
@click.option("--faint", type=Finite(0.03, 0.6), default=0.16, help="Opacity of the rest.")
@click.option("--free", type=Finite(0, 0.8), default=0.5, show_default=True,
              help="Share of the spare that may be smudged.")  # fmt: skip
@_OUT
@_JSON
def template(
    message: str, level: str, version: str, size: float, dpi: int, strong: str, faint: float,
    free: float, out: Path, as_json: bool,
) -> None:  # fmt: skip
    """Write the code as a template for drawing it by hand (PNG, OpenRaster, SVG or PDF)."""
    from nimble_tile.core.output.template import TemplateWish, write_template
    from nimble_tile.core.output.template import template as made_of

    symbol = _symbol(message, level, version)
    made = made_of(symbol, TemplateWish(size, dpi, strong, faint, free))
    write_template(made, out)
    if as_json:
        told = {"module": round(made.module, 3), "free": int(made.free.sum()),
                "gaps": len(made.gaps)}  # fmt: skip
        click.echo(json.dumps(_told(out, symbol) | told))
    else:
        click.echo(f"Wrote {out}: {made.module:.1f} mm a module")


def _corners(text: str | None) -> list[list[float]] | None:
    if text is None:
        return None
    try:
        values = [float(part) for part in text.split(",")]
    except ValueError:
        values = []
    if len(values) != 8:
        raise UserError("Corners are eight numbers: x,y of the code\u2019s corners, clockwise.")
    return [values[at : at + 2] for at in range(0, 8, 2)]


@click.command()
@click.argument("photo", type=click.Path(path_type=Path))
@_MESSAGE
@_LEVEL
@_VERSION
@click.option("--corners", help="X,Y of the code’s corners, clockwise from the top left.")
@click.option("--clean", type=Finite(0, 1), default=1.0, help="How far the paper is taken away.")
@click.option("--margin", type=Finite(0, 20), default=6.5, help="Modules kept round the code.")
@_OUT
@_JSON
def straighten(
    photo: Path, message: str, level: str, version: str, corners: str | None, clean: float,
    margin: float, out: Path, as_json: bool,
) -> None:  # fmt: skip
    """Set a photo of a drawing straight, clean its paper, and say whether it scans."""
    import numpy as np

    from nimble_tile.cli_paint import judged_file, write_image
    from nimble_tile.core.picture.opening import open_picture, read_file
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.tune.drawn import bring_back, corners_of, symbol_at

    if out.suffix.lower() not in (".png", ".jpg", ".jpeg"):
        raise UserError(f"{out.name} is no PNG or JPEG.", "End its name in .png or .jpg.")
    kept_apart(out, photo)
    given = _corners(corners)
    image = open_picture(read_file(photo), photo.name).over("#ffffff")
    known = [_symbol(message, level, version)]
    if given is None:
        bay = ReaderBay()
        try:
            with working("Looking for the code"):
                symbol, quad = corners_of(image, message, bay, known)
        finally:
            bay.close()
        sure = True
    else:
        symbol, quad, sure = symbol_at(image, message, np.array(given), known)
    drawn = bring_back(image, symbol, quad, sure, margin, clean)
    write_image(out, drawn.image)
    verdict = judged_file(out, symbol)
    if as_json:
        told = {"corners": np.round(quad, 2).tolist(), "sure": sure,
                "verdict": report.verdict_json(verdict)}  # fmt: skip
        click.echo(json.dumps(_told(out, symbol) | told))
    else:
        click.echo(f"Wrote {out}")
        click.echo(report.in_words(verdict))
    sys.exit(0 if verdict.scans else 1)
