"""The command line: the same calls as the window, without a window."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from nimble_tile import __version__, log, report, standins
from nimble_tile.cli_batch import batch
from nimble_tile.cli_desk import desk
from nimble_tile.cli_desktop import desktop, thumbnail
from nimble_tile.cli_draw import guide, straighten, template
from nimble_tile.cli_options import (
    CornersType,
    Finite,
    RegionType,
    finish_options,
    kept_apart,
    make_folder,
)
from nimble_tile.cli_paint import describe, paint
from nimble_tile.cli_progress import working
from nimble_tile.cli_tune import (
    found_in_words,
    gentlest_pass,
    mend,
    proposal_files,
    proposals,
    reach_of_file,
)

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile import library
    from nimble_tile.core.piece import Region

OK, FAILS, WRONG = 0, 1, 2


class _Commands(click.Group):
    """Errors in one line on standard error, exit status 2."""

    def main(self, *args: Any, **kwargs: Any) -> Any:
        from nimble_tile.core.errors import UserError

        try:
            return super().main(*args, **{**kwargs, "standalone_mode": False})
        except click.exceptions.Exit as leaving:
            sys.exit(leaving.exit_code)
        except (click.Abort, KeyboardInterrupt):
            sys.exit(130)
        except click.ClickException as error:
            _complain(error.format_message())
        except UserError as error:
            _complain(str(error))
        except BrokenPipeError:
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
            sys.exit(OK)
        except Exception as error:
            file = log.fault("A command failed.", error)
            _complain(f"Something went wrong inside ({type(error).__name__}). See {file}.")
        sys.exit(WRONG)


def _complain(text: str) -> None:
    _echo("nimble-tile: " + " ".join(text.split()), err=True)


def _echo(text: str, err: bool = False) -> None:
    """Print any text; bytes that are not characters are replaced."""
    click.echo(text.encode("utf-8", "replace").decode(), err=err)


@click.group(cls=_Commands, invoke_without_command=True)
@click.version_option(__version__, prog_name="nimble-tile")
@click.pass_context
def main(context: click.Context) -> None:
    """Blend QR codes into artwork and prove that they scan.

    Without a command the window opens. Exit status: 0 it scans, 1 it does not
    or says something else, 2 the input or the call is wrong.
    """
    if context.invoked_subcommand is None:
        _window(None)


@main.command("open")
@click.argument("project", type=click.Path(path_type=Path))
def open_(project: Path) -> None:
    """Open the window on a project."""
    _window(project)


@main.command()
@click.option(
    "--out",
    type=click.Path(path_type=Path),
    default=Path("nimble-tile-demo"),
    show_default=True,
    help="Folder for the finished pieces when there is no display.",
)
def demo(out: Path) -> None:
    """Open the window on the demo project.

    With no display the demo pieces are rendered, checked and exported into a
    folder instead.
    """
    if not _display():
        click.echo(f"There is no display, so the demo pieces are made in {out} instead.")
        sys.exit(_demo_without_window(out))
    from nimble_tile.ui.speaking import speak

    speak()
    from nimble_tile.demo import demo_project

    _window(demo_project(), demo=True)


def _display() -> bool:
    """Whether a window can open: on Linux a display server must be named."""
    if os.environ.get("QT_QPA_PLATFORM"):
        return True
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _window(project: Path | None, demo: bool = False) -> None:
    from nimble_tile.core.errors import UserError

    if not _display():
        raise UserError(
            "There is no display to open a window on.",
            "Use the commands make, render and check, or set DISPLAY.",
        )
    from nimble_tile.ui.app import run

    sys.exit(run(project, demo=demo))


def _demo_without_window(out: Path) -> int:
    from nimble_tile.core.output.export import export
    from nimble_tile.core.output.formats import SUFFIX
    from nimble_tile.core.project.archive import save
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.demo import demo_pieces

    pieces, pictures = demo_pieces()
    renderer = Renderer(pictures)
    make_folder(out)
    bay = ReaderBay()
    status = OK
    try:
        for name, piece in pieces.items():
            rendering = renderer.render(piece)
            path = out / f"{name}{SUFFIX[piece.finish.format]}"
            proof = export(rendering, path, piece.finish, bay)
            save(piece, pictures, out / f"{name}.nimbletile")
            click.echo(f"{path} ({proof.size[0]} × {proof.size[1]} px)")
            _echo(report.indented(report.in_words(proof.verdict)))
            if not proof.verdict.scans:
                status = FAILS
    finally:
        bay.close()
    return status


_json_option = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
_out_option = click.option(
    "--out", type=click.Path(path_type=Path, dir_okay=False), required=True, help="File to write."
)


@main.command()
@click.option("--message", required=True, help="What the code says.")
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), help="File to write.")
@click.option(
    "--propose",
    type=click.Path(path_type=Path, file_okay=False),
    help="In place of --out: folder for proposals: quietest, woven, boldest, light.",
)
@click.option(
    "--reach",
    type=Finite(0.3, 1),
    default=None,
    help="With --propose: reach that each is to hold; default 0.9.",
)
@click.option("--level", type=click.Choice(list("LMQH")), default=None, help="Default M.")
@click.option(
    "--steer",
    type=click.Choice(["off", "padding", "tail"]),
    default=None,
    help="Choose free bits for the picture: of the padding, or of a tail of digits in the link.",
)
@click.option(
    "--keep-spare",
    "keep_spare",
    type=Finite(0, 100),
    default=None,
    metavar="PERCENT",
    help="With --steer: spare to keep; the rest is spent on the picture. Default 100.",
)
@click.option(
    "--raise-level/--keep-level",
    default=None,
    help="Use a higher level where it is free; default: unless --level is given.",
)
@click.option(
    "--version",
    default=None,
    help="1 to 40, M1 to M4, auto (default), or micro for the smallest Micro QR.",
)
@click.option("--mask", default=None, help="0 to 7, or auto (default).")
@click.option("--quiet-zone", type=int, default=None, help="Modules; default 4, Micro QR 2.")
@click.option("--look", default=None, help="Name of a look that ships or was saved.")
@click.option("--picture", type=click.Path(path_type=Path), help="Picture to blend into.")
@click.option("--region", type=RegionType(), help="Code's outer edge in picture pixels.")
@click.option(
    "--corners",
    type=CornersType(),
    help="Corners of the code in picture pixels, X,Y four times, clockwise from the top left.",
)
@click.option(
    "--blend",
    default=None,
    help="gentle (default), tone, overlay, dots, cut, grain, ink, strokes, weave or light.",
)
@click.option(
    "--matter",
    default=None,
    metavar="FILE|NAME",
    help="What to weave of: a material that ships, a picture, or picture (default): its own.",
)
@click.option(
    "--mark",
    default=None,
    help="Marks of gentle and weave: disc (default), ring, square (default of weave), rounded, "
    "diamond, cross, dash, look; or soft.",
)
@click.option(
    "--mark-by",
    type=click.Choice(["lightness", "size", "both"]),
    default=None,
    help="What of a mark tells its module's strength (usual: lightness).",
)
@click.option(
    "--mark-size",
    type=Finite(0.5, 1),
    default=None,
    help="Of the largest mark, in modules (usual: 0.86, with weave 1).",
)
@click.option(
    "--texture",
    type=Finite(0, 1),
    default=None,
    help="Marks: how much of what lies below is seen in them (usual: 0, with weave 0.8).",
)
@click.option(
    "--border",
    default=None,
    help="What is round them, and round light: line (default), panel, round, ticket, label, torn, "
    "marks, fade or none.",
)
@click.option(
    "--colours",
    default=None,
    help="Whose hues the code has: look (default), where it has colours, or picture.",
)
@click.option("--motif", type=Finite(0, 1), default=None, help="Weaving: how far it is kept.")
@click.option(
    "--gentlest",
    type=Finite(0.3, 1),
    is_flag=False,
    flag_value=0.97,
    default=None,
    metavar="[REACH]",
    help="Find the least visible blend that holds this reach; 0.97 if not said.",
)
@click.option(
    "--seed",
    type=click.IntRange(0),
    default=None,
    help="Another hand in the search, another weaving, another scatter of strokes.",
)
@click.option("--mode", default=None, help="Blend mode of overlay, by its W3C name.")
@click.option("--strength", type=Finite(), default=None, help="0 to 1.")
@click.option("--logo", type=click.Path(path_type=Path), help="Logo to lay on the code.")
@click.option(
    "--logo-share",
    type=Finite(0.1, 60),
    default=None,
    help="Percent of the code's area that the logo's box takes; default 5.",
)
@click.option("--caption", default=None, help="Text below the code.")
@click.option(
    "--frame",
    type=click.Choice(["none", "rule", "card", "ticket", "tag", "pointer", "ring"]),
    default=None,
    help="Frame round code and caption.",
)
@finish_options
@_json_option
def make(
    message: str,
    out: Path | None,
    propose: Path | None,
    reach: float | None,
    gentlest: float | None,
    seed: int | None,
    as_json: bool,
    **options: Any,
) -> None:
    """Make a piece from a message and, with --picture, a picture."""
    from nimble_tile import library
    from nimble_tile.core.errors import UserError

    if (out is None) == (propose is None):
        raise UserError(
            "--out names one file, --propose a folder for proposals.", "Give one of them."
        )
    if propose is not None and gentlest is not None:
        raise UserError("--propose finds several pieces, --gentlest one.", "Give one of them.")
    if reach is not None and propose is None:
        raise UserError("--reach is for --propose.", "Give --propose, or --gentlest REACH.")
    matter = options["matter"]
    woven_of = None if matter is None else Path(matter)
    for path in [out] if propose is None else proposal_files(propose):
        kept_apart(path, options["picture"], options["logo"], woven_of)
    work = library.make(message, dash="--", seed=seed, **options)
    if propose is not None:
        sys.exit(OK if proposals(work, propose, reach, seed or 0, as_json) else FAILS)
    _finish(work, out, as_json, None if gentlest is None else (gentlest, seed or 0))


@main.command()
@click.argument("project", type=click.Path(path_type=Path))
@_out_option
@finish_options
@_json_option
def render(project: Path, out: Path, as_json: bool, **options: Any) -> None:
    """Render a project's piece into a file."""
    from nimble_tile import library
    from nimble_tile.core.asked import Asker

    kept_apart(out, project)
    work = library.load(project)
    given = {name: value for name, value in options.items() if value is not None}
    finish = Asker(work.pictures, "--").finish(given, work.piece.finish)
    placed = work.piece.picture
    if "size" in given and placed.pixels is not None and not finish.alone:
        from nimble_tile.core.pixelart import whole_size

        # At a whole factor each pixel stays a square.
        side = max(work.pictures.about(placed.digest).size)
        finish = finish.in_pixels(whole_size(side, finish.size))
    changed = work.piece.model_copy(update={"finish": finish})
    _finish(library.Work(changed, work.pictures), out, as_json)


def _finish(
    work: library.Work, out: Path, as_json: bool, gentlest: tuple[float, int] | None = None
) -> None:
    """Write, read back, report, and leave with the right status."""
    from nimble_tile import library
    from nimble_tile.core.output.export import format_of, possible

    possible(format_of(out), work.piece.finish)  # refused before any work is done
    made = held = None
    if gentlest is not None:
        work, made = gentlest_pass(work, *gentlest)
    with working("Writing and reading back"):
        written = library.export(work, out)
    rendering, verdict = written.rendering, written.verdict
    if made is not None and as_json:
        held = reach_of_file(out, rendering.symbol.text)
    if as_json:
        told = report.made_json(out, rendering, verdict)
        if made is not None:
            told["gentlest"] = report.gentlest_json(made, gentlest[0], held)
        _echo(json.dumps(told, ensure_ascii=False))
    else:
        if made is not None:
            click.echo(found_in_words(made, gentlest[0]))
        symbol = rendering.symbol
        width, height = rendering.size
        click.echo(
            f"{out}: {width} × {height} px, version {symbol.version}-{symbol.level}, "
            f"mask {symbol.mask}, {symbol.side} modules."
        )
        _echo(report.in_words(verdict))
    sys.exit(OK if verdict.scans else FAILS)


@main.command()
@click.argument("image", type=click.Path(path_type=Path))
@click.option("--expect", help="The intended message.")
@click.option("--region", type=RegionType(), help="Look only here, in image pixels.")
@click.option("--trials", is_flag=True, help="Put each code through the simulated trials too.")
@click.option(
    "--set", "set_", type=click.Path(path_type=Path), help="Trials of this file, with --trials."
)
@click.option("--seed", type=click.IntRange(0), default=0, help="Another hand in the trials.")
@click.option(
    "--report",
    "report_",
    type=click.Path(path_type=Path),
    help="Also write a .html or .json report.",
)
@click.option("--page", type=click.IntRange(1), default=1, help="Page of a PDF.")
@_json_option
def check(
    image: Path,
    expect: str | None,
    region: Region | None,
    trials: bool,
    set_: Path | None,
    seed: int,
    report_: Path | None,
    page: int,
    as_json: bool,
) -> None:
    """Say whether an image scans, and what it says."""
    from dataclasses import replace

    from nimble_tile import library
    from nimble_tile.core.checking.check import Checked
    from nimble_tile.core.checking.report import Entry, save
    from nimble_tile.core.picture.placing import box_at, region_on
    from nimble_tile.core.trials.sets import own, read

    if report_ is not None:
        kept_apart(report_, image, set_)
    pixels = _pixels(image, page)
    left = top = 0
    if region is not None:
        size = pixels.shape[1], pixels.shape[0]
        box = box_at(size, region_on(size, region), size)
        pixels = pixels[box.slices]
        left, top = box.x, box.y
    chosen = (read(set_) if set_ is not None else own()) if trials else False
    with working("Trying the image" if trials else "Reading the image"):
        judged = library.judge(pixels, expect, trials=chosen, seed=seed)
    if report_ is not None:
        checked = Checked((pixels.shape[1], pixels.shape[0]), judged.findings, judged.verdict)
        save([Entry(image.name, checked, "", pixels)], report_, expect)
    verdict = judged.verdict
    moved = tuple(
        replace(code, corners=tuple((x + left, y + top) for x, y in code.corners))
        for code in verdict.found
    )
    verdict = replace(verdict, found=moved)
    meant = report.meant(judged.findings, expect)
    led = {code.text: standins.leads_to(code.text) for code in verdict.found}
    if as_json:
        told = report.checked_json(verdict, meant)
        for code in told["found"]:
            code["leads_to"] = led[code["text"]] and led[code["text"]][1]
        _echo(json.dumps(told, ensure_ascii=False))
    else:
        click.echo(f"{image}:")
        _echo(report.in_words(verdict))
        for text, found in led.items():
            if found is not None:
                _echo(f"{text} is a short link ({found[0]}): it leads to {found[1]} now.")
        if meant is not None:
            _echo(report.proof_in_words(meant))
    sys.exit(OK if verdict.scans else FAILS)


main.add_command(batch)
main.add_command(desktop)
main.add_command(thumbnail)
main.add_command(mend)
main.add_command(desk)
main.add_command(paint)
main.add_command(describe)
main.add_command(guide)
main.add_command(template)
main.add_command(straighten)


def _pixels(path: Path, page: int) -> np.ndarray:
    """The image of a file, or one page of a PDF."""
    from itertools import islice

    from nimble_tile.core.checking.sources import images
    from nimble_tile.core.errors import PictureError

    source = next(islice(images(path), page - 1, None), None)  # later pages are not drawn
    if source is None:
        raise PictureError(f"{path.name} has no page {page}.", "Choose an earlier page.")
    if source.image is None:
        raise source.error
    return source.image
