"""Batches on the command line."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from nimble_tile.cli_options import finish_options
from nimble_tile.cli_progress import working
from nimble_tile.core.message.reachable import warning

if TYPE_CHECKING:
    from concurrent.futures import Executor

    from nimble_tile.core.batch.work import Done

ANSWERS_WITHIN = 15
"""Seconds that a cluster's scheduler is given to answer."""


@click.command()
@click.argument("rows", type=click.Path(path_type=Path))
@click.option(
    "--out", type=click.Path(path_type=Path, file_okay=False), required=True,
    help="Folder for the files and the report.",
)  # fmt: skip
@click.option(
    "--project", type=click.Path(path_type=Path), help="Piece of which all rows are variants."
)
@click.option("--look", default=None, help="Name of a look, in place of a project.")
@click.option(
    "--name", "pattern", default=None, metavar="PATTERN",
    help="File names, by {row}, {row:5}, {name}, {message}; default {row:5}-{name}.png.",
)  # fmt: skip
@click.option("--jobs", type=click.IntRange(1, 512), default=None, help="Default: all processors.")
@click.option(
    "--cluster", default=None, metavar="ADDRESS",
    help="Scheduler of a dask.distributed cluster that sees the same folders.",
)  # fmt: skip
@click.option("--resume", is_flag=True, help="Go on where an earlier run was broken off.")
@click.option(
    "--stickers", type=click.FloatRange(5, 400), default=None, metavar="MM",
    help="Also lay the codes on A4 sheets as PDF, each so many millimetres large.",
)  # fmt: skip
@click.option("--dry-run", is_flag=True, help="Only say what is wrong with the rows.")
@finish_options
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def batch(
    rows: Path,
    out: Path,
    project: Path | None,
    look: str | None,
    pattern: str | None,
    jobs: int | None,
    cluster: str | None,
    resume: bool,
    stickers: float | None,
    dry_run: bool,
    as_json: bool,
    **options: Any,
) -> None:
    """Make and check one code for each row of a table.

    ROWS is a CSV file or an .xlsx spreadsheet. Its first line names the columns: message, name,
    and any option of make without its dashes. The report is a CSV file and contact sheets.
    """
    from nimble_tile import library
    from nimble_tile.core.errors import UserError
    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.piece import Piece

    if project is not None and look is not None:
        raise UserError("--project and --look both say how the codes look.", "Give one of them.")
    work = library.Work(Piece(), PictureStore()) if project is None else library.load(project)
    given = {name: value for name, value in options.items() if value is not None}
    message = work.piece.message.text or "x"
    base = library.make(message, base=work, dash="--", look=look, **given)
    if dry_run:
        sys.exit(_faults(rows, out, base, pattern, as_json))
    made = wrong = 0
    warned: dict[int, str] = {}
    with working("Making rows") as shown:

        def step(done: Done, kept: bool) -> None:
            nonlocal made, wrong
            made, wrong = made + 1, wrong + (not done.scans)
            if done.state and (beware := warning(done.message)):
                warned[done.row] = beware
            shown.step(f"{made} rows, {wrong} do not scan")

        found = library.batch(
            rows, out, base=base, name=pattern, jobs=jobs, resume=resume, step=step,
            executor=None if cluster is None else _cluster(cluster),
        )  # fmt: skip
        shown.step("Laying out sheets")
        sheets = _stickers(rows, out, base, pattern, stickers)
    failed = [{"row": done.row, "why": done.why} for done in found.failed]
    if as_json:
        told = {
            "rows": found.rows, "done": found.done, "failed": failed,
            "seconds": round(found.seconds, 2), "kept": found.kept,
            "sheets": [str(path) for path in sheets],
        }  # fmt: skip
        if warned:
            told["warnings"] = [f"Row {row}: {text}" for row, text in sorted(warned.items())]
        click.echo(json.dumps(told, ensure_ascii=False))
    else:
        kept = f", {found.kept} of them by an earlier run" if found.kept else ""
        click.echo(
            f"{out}: {found.done} of {found.rows} rows made{kept}, {len(failed)} failed, "
            f"{found.seconds:.1f} s. See report.csv and contact-001.html."
        )
        for one in failed[:20]:
            click.echo(f"  row {one['row']}: {one['why']}".encode("utf-8", "replace").decode())
        if len(failed) > 20:
            click.echo(f"  and {len(failed) - 20} more, see report.csv.")
        for path in sheets:
            click.echo(f"  {path}")
        if warned:
            row = min(warned)
            click.echo(f"Beware, {len(warned)} rows, the first of them {row}: {warned[row]}")
    sys.exit(1 if failed else 0)


def _faults(rows: Path, out: Path, base: Any, pattern: str | None, as_json: bool) -> int:
    """Say what is wrong with the rows; the exit status."""
    from nimble_tile.core.batch.faults import faults
    from nimble_tile.core.batch.rows import rows_in

    count, wrong = 0, []
    with working("Looking through the rows"):
        for row, _, why in faults(rows_in(rows), _order(rows, out, base, pattern)):
            count += 1
            if why:
                wrong.append({"row": row.number, "why": why})
    if as_json:
        told = {"rows": count, "done": 0, "failed": wrong, "seconds": 0}
        click.echo(json.dumps(told, ensure_ascii=False))
    else:
        click.echo(f"{rows}: {count} rows, {len(wrong)} of them cannot be made.")
        for one in wrong[:50]:
            click.echo(f"  row {one['row']}: {one['why']}".encode("utf-8", "replace").decode())
    return 1 if wrong else 0


def _order(rows: Path, out: Path, base: Any, pattern: str | None) -> Any:
    from nimble_tile.core.batch.names import USUAL, Pattern
    from nimble_tile.core.batch.run import Order
    from nimble_tile.core.output.formats import SUFFIX

    names = Pattern(pattern or USUAL, SUFFIX[base.piece.finish.format])
    return Order(out, base.piece, base.pictures, names, rows.parent.absolute())


def _stickers(
    rows: Path, out: Path, base: Any, pattern: str | None, mm: float | None
) -> list[Path]:
    if mm is None:
        return []
    from nimble_tile.core.batch.stickers import write_stickers

    return write_stickers(_order(rows, out, base, pattern), mm)


def _cluster(address: str) -> Callable[[], Executor]:
    """What gives the executor of a cluster.

    Raises
    ------
    UserError
        The extra is not installed, or nobody answers there.
    """
    from nimble_tile.core.errors import UserError

    try:
        from distributed import Client
    except ImportError:
        raise UserError(
            "Clusters need the extra nimble-tile[cluster].", "Install it, or leave out --cluster."
        ) from None
    try:
        client = Client(address, timeout=ANSWERS_WITHIN)
    except (OSError, TimeoutError, ValueError) as error:
        raise UserError(f"No scheduler answers at {address} ({error}).") from error
    return lambda: client.get_executor(pure=False)
