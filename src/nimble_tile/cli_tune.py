"""The searches of the command line: the gentlest pass, and mending."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from nimble_tile import report
from nimble_tile.cli_options import Finite, RegionType, kept_apart, make_folder
from nimble_tile.cli_progress import working
from nimble_tile.core.trials.reach import percent

if TYPE_CHECKING:
    from nimble_tile import library
    from nimble_tile.core.piece import Region
    from nimble_tile.core.tune.candidates import PassStep
    from nimble_tile.core.tune.mend import Attempt


def gentlest_pass(work: library.Work, wanted: float, seed: int) -> tuple[library.Work, PassStep]:
    """Run the gentlest pass; on a terminal it says how far it is."""
    from nimble_tile import library

    with working("Looking for the gentlest blend") as told:
        return library.gentlest(
            work, wanted, seed=seed, step=lambda last: told.step(last.what, last.share)
        )


def proposal_files(folder: Path) -> list[Path]:
    """The images of proposals in a folder."""
    from nimble_tile.core.tune.ground import PROPOSAL_LABELS

    return [folder / f"{kind}.png" for kind in PROPOSAL_LABELS]


def proposals(
    work: library.Work,
    folder: Path,
    wanted: float | None,
    seed: int,
    as_json: bool,
) -> bool:
    """Write proposals into a folder, each as an image and as a project; whether all of
    them scan."""
    from dataclasses import replace

    from nimble_tile import library
    from nimble_tile.core.output.export import export
    from nimble_tile.core.output.formats import SUFFIX
    from nimble_tile.core.project.archive import save
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import own
    from nimble_tile.core.tune import PROPOSED_REACH
    from nimble_tile.core.tune.ground import PROPOSAL_LABELS
    from nimble_tile.core.tune.propose import propose

    wanted = PROPOSED_REACH if wanted is None else wanted
    make_folder(folder)
    renderer, bay, chosen = work.renderer, library.bay(), own()
    room, told, scans = Room(bay, chosen.readers), {}, []
    with working("Looking for proposals") as shown:
        final = []
        for found in propose(work.piece, renderer, room, chosen.trials, wanted, seed):
            shown.step(PROPOSAL_LABELS[found.kind], found.share)
            if found.final:
                made = found.candidate.piece
                path = folder / f"{found.kind}{SUFFIX[made.finish.format]}"
                proof = export(renderer.render(made), path, made.finish, bay)
                save(made, work.pictures, folder / f"{found.kind}.nimbletile")
                final.append((found, path, proof))
    for found, path, proof in final:
        verdict = replace(proof.verdict, fidelity=found.candidate.fidelity)
        scans.append(verdict.scans)
        told[found.kind] = report.proposal_json(found, path, verdict)
        if not as_json:
            name = PROPOSAL_LABELS[found.kind]
            held = f" ({found.missed})" if found.missed else ""
            click.echo(
                f"{name}: {path}, reach {percent(found.candidate.reach)}{held}, fidelity "
                f"{found.candidate.fidelity.ssim_view:.2f}"
            )
            click.echo(report.indented(report.in_words(verdict)))
    if as_json:
        ordered = [told[kind] for kind in PROPOSAL_LABELS if kind in told]
        click.echo(json.dumps({"wanted": wanted, "proposals": ordered}, ensure_ascii=False))
    return all(scans)


def reach_of_file(path: Path, text: str) -> float | None:
    """Reach of a written file as ``check --trials`` finds it; None where the code is not found
    or the file is a drawing."""
    from nimble_tile import library
    from nimble_tile.core.errors import UserError
    from nimble_tile.core.picture.opening import open_picture, read_file

    try:
        pixels = open_picture(read_file(path), path.name).over("#ffffff")
    except UserError:
        return None
    with working("Trying the file"):
        return library.judge(pixels, text, trials=True).reach


def found_in_words(made: PassStep, wanted: float) -> str:
    """What the gentlest pass bought, in a line."""
    before, best = made.before, made.best
    symbol = best.rendering.symbol
    fresh = "" if made.fresh is None else f" ({percent(made.fresh)} in fresh trials)"
    return (
        f"Gentlest pass: version {symbol.version}-{symbol.level}, strength "
        f"{best.piece.blend.strength:.0%}; reach {percent(before.reach)} before, "
        f"{percent(best.reach)} now{fresh}; "
        f"fidelity {before.fidelity.ssim_view:.2f} before, {best.fidelity.ssim_view:.2f} now. "
        f"{made.shortfall(wanted)}"
    ).rstrip()


@click.command()
@click.argument("image", type=click.Path(path_type=Path))
@click.option("--message", required=True, help="What the code should say, to the letter.")
@click.option(
    "--out", type=click.Path(path_type=Path, dir_okay=False), required=True, help="File to write."
)
@click.option("--region", type=RegionType(), help="Where the code is, quiet zone included.")
@click.option(
    "--project",
    type=click.Path(path_type=Path),
    help="Piece that the picture was made from: its symbol is known then.",
)
@click.option(
    "--reach",
    "wanted",
    type=Finite(0, 1),
    default=0.9,
    show_default=True,
    help="Reach to hold.",
)
@click.option(
    "--veto",
    type=click.Path(path_type=Path),
    help="Picture of the same size, white where it must stay.",
)
@click.option("--seed", type=click.IntRange(0), default=0, help="Another hand in the trials.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def mend(
    image: Path,
    message: str,
    out: Path,
    region: Region | None,
    project: Path | None,
    wanted: float,
    veto: Path | None,
    seed: int,
    as_json: bool,
) -> None:
    """Make a finished picture scan with the smallest change."""
    from dataclasses import replace

    from nimble_tile import library
    from nimble_tile.core.output.export import export, format_of
    from nimble_tile.core.picture.opening import open_picture, read_file
    from nimble_tile.core.piece import Finish
    from nimble_tile.core.scan.judging import fidelity_of
    from nimble_tile.core.tune.mend import why_not

    format_of(out)
    kept_apart(out, image, veto, project)
    pixels = open_picture(read_file(image), image.name).over("#ffffff")
    kept = None if veto is None else library.mask_of(veto, pixels.shape)
    symbol = None
    if project is not None:
        known = library.load(project)
        symbol = known.renderer.symbol(known.piece)
    with working("Looking for the code") as told:
        found = library.mend(
            pixels, message, region=region, symbol=symbol, reach=wanted, keep=kept, seed=seed,
            step=lambda last: told.step(last.what, last.share),
        )  # fmt: skip
        rendering, made = found.rendering, found.attempt
        told.step("Writing and reading back")
        verdict = export(rendering, out, Finish(), library.bay()).verdict
    verdict = replace(verdict, fidelity=fidelity_of(rendering))
    if as_json:
        told = report.made_json(out, rendering, verdict) | {"mended": report.mended_json(made)}
        click.echo(json.dumps(told, ensure_ascii=False))
    else:
        click.echo(_mended_in_words(out, made))
        if not made.holds:
            click.echo(why_not(made, wanted, kept is not None))
        click.echo(report.in_words(verdict))
    sys.exit(0 if verdict.scans else 1)


def _mended_in_words(out: Path, made: Attempt) -> str:
    symbol = made.suspect.symbol
    return (
        f"{out}: version {symbol.version}-{symbol.level}, mask {symbol.mask}. "
        f"{made.touched} of {made.changed.size} modules changed; mean colour difference "
        f"{made.change.delta_e_mean:.1f}, reach {percent(made.reach)}."
    )
