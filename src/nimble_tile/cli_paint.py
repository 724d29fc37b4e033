"""The local painter on the command line."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from nimble_tile import report
from nimble_tile.cli_options import Finite, kept_apart
from nimble_tile.cli_progress import working
from nimble_tile.core.errors import UserError

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.symbol.encode import Symbol
    from nimble_tile.standins.painting import Guide


@click.command()
@click.option("--words", default="", help="What is to be painted.")
@click.option("--avoid", default="", help="What must not be in it.")
@click.option("--message", help="What the code says that guides the painting; without, none does.")
@click.option("--weight", type=Finite(0, 1.5), default=0.7, show_default=True, help="Of the guide.")
@click.option("--begin", type=Finite(0, 1), default=0.0, help="When the guide begins.")
@click.option("--end", type=Finite(0, 1), default=1.0, help="When it ends.")
@click.option("--second", help="A second guide of the same code: WEIGHT,BEGIN,END.")
@click.option("--steps", type=int, default=24, show_default=True)
@click.option("--seed", type=click.IntRange(0), default=0, help="Another painting.")
@click.option("--size", type=int, default=1024, show_default=True, help="Pixels a side.")
@click.option("--start", type=click.Path(path_type=Path), help="A picture to begin from.")
@click.option("--depart", type=Finite(0, 1), default=0.6, help="How far to depart from it.")
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), required=True)
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def paint(
    words: str,
    avoid: str,
    message: str | None,
    weight: float,
    begin: float,
    end: float,
    second: str | None,
    steps: int,
    seed: int,
    size: int,
    start: Path | None,
    depart: float,
    out: Path,
    as_json: bool,
) -> None:
    """Paint a picture from words, guided by a code, and say whether it scans."""
    from nimble_tile.core.picture.opening import open_picture, read_file
    from nimble_tile.core.piece import Code, Message
    from nimble_tile.core.symbol.encode import encode
    from nimble_tile.standins.painter.paint import chosen
    from nimble_tile.standins.painter.paint import paint as painted
    from nimble_tile.standins.painting import Guide, Request

    if out.suffix.lower() not in (".png", ".jpg", ".jpeg"):
        raise UserError(f"{out.name} is no PNG or JPEG.", "End its name in .png or .jpg.")
    kept_apart(out, start)
    symbol, guides, picture = None, (), None
    if message is not None:
        symbol = encode(Message(text=message), Code(level="H"))
        guides = (Guide(symbol.dark, weight, begin, end), *_second(symbol, second))
    if start is not None:
        picture = open_picture(read_file(start), start.name).rgb
    request = Request(words, avoid, seed, size, size, steps, guides, picture, depart)
    with working("Painting") as told:
        for last in painted(request):
            told.step(f"Painting, step {last.step} of {last.steps}", last.step / last.steps)
        write_image(out, last.image)
        verdict = None if symbol is None else judged_file(out, symbol)
    unknown = chosen(request).unknown
    if as_json:
        click.echo(json.dumps(_told(out, symbol, verdict) | {"unknown": unknown}))
    else:
        click.echo(f"Wrote {out}")
        if unknown:
            click.echo(f"Words that the painter does not know: {', '.join(unknown)}.")
        if verdict is not None:
            click.echo(report.in_words(verdict))
    sys.exit(0 if verdict is None or verdict.scans else 1)


def _second(symbol: Symbol, text: str | None) -> tuple[Guide, ...]:
    """The second guide, where there is one."""
    from nimble_tile.standins.painting import Guide

    if text is None:
        return ()
    try:
        weight, begin, end = (float(part) for part in text.split(","))
    except ValueError:
        raise UserError("A second guide is written WEIGHT,BEGIN,END.") from None
    return (Guide(symbol.dark, weight, begin, end),)


def write_image(out: Path, image: np.ndarray) -> None:
    """Write an image as PNG or JPEG, by its name."""
    from nimble_tile.core.errors import OutputError
    from nimble_tile.core.files import write_atomically
    from nimble_tile.core.output.raster import save_jpeg, save_png
    from nimble_tile.core.piece import Finish

    save = save_png if out.suffix.lower() == ".png" else save_jpeg
    write_atomically(out, lambda file: save(image, file, Finish()), OutputError, "write")


def judged_file(out: Path, symbol: Symbol) -> Verdict:
    """What the readers say of the file that was written."""
    from nimble_tile.core.checking.check import check
    from nimble_tile.core.picture.opening import open_picture, read_file
    from nimble_tile.core.scan.bay import ReaderBay

    bay = ReaderBay()
    try:
        return check(open_picture(read_file(out), out.name).rgb, bay, symbol.text).verdict
    finally:
        bay.close()


def _told(out: Path, symbol: Symbol | None, verdict: Verdict | None) -> dict[str, Any]:
    """JSON in the form of `make`."""
    made = {
        "out": str(out), "message": None, "symbol": None, "steering": None, "fidelity": None,
        "verdict": None,
    }  # fmt: skip
    if symbol is None:
        return made
    return made | {
        "message": symbol.text,
        "symbol": {"version": symbol.version, "level": symbol.level, "mask": symbol.mask,
                   "modules": symbol.side},
        "verdict": report.verdict_json(verdict),
    }  # fmt: skip


@click.command()
@click.argument("rough")
@click.option("--seed", type=click.IntRange(0), default=0, help="Others, of the same.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def describe(rough: str, seed: int, as_json: bool) -> None:
    """Turn a keyword or a rough sentence into three descriptions for a painter."""
    from nimble_tile.standins.painter.words import understand
    from nimble_tile.standins.prompt import descriptions

    made = descriptions(rough, seed)
    unknown = understand(rough).unknown
    if as_json:
        told = [
            {"text": one.text, "avoid": ", ".join(one.avoid),
             "words": [{"text": p.text, "class": p.kind, "does": p.does} for p in one.parts]}
            for one in made
        ]  # fmt: skip
        click.echo(json.dumps({"descriptions": told, "unknown": unknown}))
        return
    for one in made:
        click.echo(one.text + (f" (avoid: {', '.join(one.avoid)})" if one.avoid else ""))
    if unknown:
        click.echo(f"Words that the painter does not know: {', '.join(unknown)}.")
