"""Many codes in one look."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Executor
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Piece
from nimble_tile.library.works import Work

if TYPE_CHECKING:
    from nimble_tile.core.batch.run import Summary
    from nimble_tile.core.batch.work import Done


def batch(
    rows: str | Path | Iterable[Mapping[str, Any]],
    folder: str | Path,
    *,
    base: Work | None = None,
    name: str | None = None,
    executor: Callable[[], Executor] | None = None,
    jobs: int | None = None,
    resume: bool = False,
    step: Callable[[Done, bool], None] = lambda done, kept: None,
    stop: Callable[[], bool] = lambda: False,
) -> Summary:
    """Make and check many codes in one look.

    Parameters
    ----------
    rows : path or iterable of mappings
        A CSV file or spreadsheet, or one mapping a row: ``message``, ``name``, and settings of
        `make` by name.
    folder : path
        Where files, report and contact sheets go.
    base : Work, optional
        Look, picture and finish of all rows.
    name : str, optional
        Pattern of the file names; its ending says the format.
    executor : callable, optional
        Gives an executor of the standard library's interface; None: processes on this computer.
    jobs : int, optional
        How many rows are made at once.
    resume : bool
        Go on where an earlier run was broken off.
    step : callable
        Gets each row as it is done, and whether an earlier run had done it.
    stop : callable
        Asked between rows.

    Examples
    --------
    >>> import nimble_tile, tempfile
    >>> if __name__ == "__main__":  # processes begin by importing the script anew
    ...     found = nimble_tile.batch([{"message": "lantern 1"}], tempfile.mkdtemp(), jobs=1)
    ...     print(found.done, found.failed)
    """
    import os

    from nimble_tile.core.batch.names import USUAL, Pattern
    from nimble_tile.core.batch.report import write_reports
    from nimble_tile.core.batch.rows import as_rows, rows_in
    from nimble_tile.core.batch.run import Order, local_pool, run
    from nimble_tile.core.output.formats import SUFFIX

    work = base or Work(Piece(), PictureStore())
    listed = isinstance(rows, (str, Path))
    tables = Path(rows).parent if listed else Path()
    pattern = Pattern(name or USUAL, SUFFIX[work.piece.finish.format])
    order = Order(Path(folder), work.piece, work.pictures, pattern, tables.absolute())
    count = jobs or os.cpu_count() or 1
    found = run(
        rows_in(Path(rows)) if listed else as_rows(rows), order,
        executor or (lambda: local_pool(count)), count, resume, step, stop,
    )  # fmt: skip
    write_reports(order)
    return found
