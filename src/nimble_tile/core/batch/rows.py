"""Rows of a table: CSV or a spreadsheet, read one after another.

The first line names the columns: ``message``, ``name``, and any setting of
`nimble_tile.core.asked.SETTINGS` with a dash or an underscore.

References
----------
RFC 4180 (CSV); ECMA-376 (Office Open XML spreadsheets, through openpyxl).
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from nimble_tile.core.asked import SETTINGS
from nimble_tile.core.errors import PictureError, UserError, file_error
from nimble_tile.core.files import open_ordinary, read_bytes
from nimble_tile.core.foreign import apart
from nimble_tile.core.language import tr
from nimble_tile.core.workers.plain import sent

MOST_BYTES = 256 << 20
"""Bytes of a table that are read at most."""

MOST_CELL = 20_000
"""Characters of a cell at most: ten times what the largest code holds."""

MOST_COLUMNS = 200
MOST_ROWS = 1_000_000
SHEET_LIMIT = 300.0
"""Seconds that a spreadsheet may take to be read."""

SPREADSHEETS = (".xlsx", ".xlsm")
TABLES = (".csv", ".tsv", ".txt", *SPREADSHEETS)

OWN = ("message", "name")
"""Columns beside the settings."""


@sent
@dataclass(frozen=True)
class Row:
    """One code to be made.

    Attributes
    ----------
    number : int
        Its line in the table, counted from 1 below the names of the columns.
    message : str
    name : str
    settings : mapping of str to str
        As they were written; only those that are not empty.
    fault : str
        Why it cannot even be tried; empty: it can.
    """

    number: int
    message: str
    name: str = ""
    settings: Mapping[str, str] = field(default_factory=dict)
    fault: str = ""

    @property
    def key(self) -> str:
        """Names its content: the same row gives the same key (16 hex digits)."""
        told = json.dumps([self.message, self.name, sorted(self.settings.items())])
        return hashlib.sha256(told.encode("utf-8", "surrogatepass")).hexdigest()[:16]


def rows_in(path: Path) -> Iterator[Row]:
    """Rows of a table, one after another.

    Parameters
    ----------
    path : Path
        CSV with commas, semicolons or tabs, or a spreadsheet (its first sheet).

    Raises
    ------
    UserError
        It cannot be read, is empty, or its columns are not known.
    """
    path = Path(path)
    suffix = path.suffix.lower()
    if suffix not in TABLES:
        raise UserError(
            tr("{name} is no table.", name=path.name),
            tr("Give a CSV file or an .xlsx spreadsheet."),
        )
    if suffix in SPREADSHEETS:
        text = spreadsheet_as_csv(read_bytes(path, MOST_BYTES, UserError), path.name)
        yield from _rows(csv.reader(io.StringIO(text)), path.name)
        return
    try:
        with io.TextIOWrapper(
            open_ordinary(path, UserError), encoding="utf-8-sig", newline=""
        ) as file:
            if os.fstat(file.fileno()).st_size > MOST_BYTES:
                raise UserError(
                    tr(
                        "{name} is larger than {most_bytes} MiB.",
                        name=path.name,
                        most_bytes=MOST_BYTES >> 20,
                    ),
                    tr("Divide it."),
                )
            yield from _rows(csv.reader(file, delimiter=_delimiter(path)), path.name)
    except OSError as error:
        raise file_error(UserError, "read", path, error) from error
    except UnicodeDecodeError as error:
        raise UserError(
            tr("{name} is not written in UTF-8 (byte {start}).", name=path.name, start=error.start),
            tr("Save it as UTF-8."),
        ) from error


def as_rows(entries: Iterable[Mapping[str, Any]]) -> Iterator[Row]:
    """Rows of mappings: ``message``, ``name``, and settings by name.

    Raises
    ------
    UserError
        A key is no setting.
    """
    for number, entry in enumerate(entries, 1):
        values = {str(key).replace("-", "_"): _as_text(value) for key, value in entry.items()}
        unknown = [name for name in values if name not in OWN and name not in SETTINGS]
        if unknown:
            raise UserError(
                tr(
                    "Row {number} has “{unknown}”, which is no setting.",
                    number=number,
                    unknown=unknown[0][:40],
                )
            )
        message, name = values.pop("message", ""), values.pop("name", "")
        fault = "" if message.strip() else tr("It has no message.")
        yield Row(number, message, name, {k: v for k, v in values.items() if v}, fault)


def _delimiter(path: Path) -> str:
    """What stands between cells, by the first line."""
    with path.open(encoding="utf-8-sig", newline="", errors="replace") as file:
        first = file.readline(20_000)
    if path.suffix.lower() == ".tsv":
        return "\t"
    return max(",;\t", key=first.count)


def _rows(table: Iterator[Sequence[str]], name: str) -> Iterator[Row]:
    csv.field_size_limit(MOST_BYTES)
    try:
        head = next(table, None)
        columns = _columns(head or [], name)
        number = 0
        for cells in table:
            number += 1
            if number > MOST_ROWS:
                raise UserError(
                    tr("{name} has more than {most_rows} rows.", name=name, most_rows=MOST_ROWS),
                    tr("Divide it."),
                )
            if not any(cell.strip() for cell in cells):
                continue
            yield _row(number, columns, cells)
    except csv.Error as error:
        raise UserError(
            tr("{name} is damaged ({error}).", name=name, error=error), tr("Save it again as CSV.")
        ) from error


def _columns(head: Sequence[str], name: str) -> list[str]:
    columns = [cell.strip().lower().replace("-", "_").replace(" ", "_") for cell in head]
    if len(columns) > MOST_COLUMNS:
        raise UserError(
            tr(
                "{name} has more than {most_columns} columns.", name=name, most_columns=MOST_COLUMNS
            ),
            tr("Leave some out."),
        )
    if "message" not in columns:
        raise UserError(
            tr("{name} has no column “message”.", name=name),
            tr("Name the columns in its first line."),
        )
    twice = sorted({c for c in columns if c and columns.count(c) > 1})
    if twice:
        raise UserError(
            tr("{name} has the column “{twice}” twice.", name=name, twice=twice[0]),
            tr("Leave one out."),
        )
    for own in columns:
        if own and own not in OWN and own not in SETTINGS:
            raise UserError(
                tr("{name} has a column “{own}”, which is no setting.", name=name, own=own[:40]),
                tr("Columns: message, name, and the options of make."),
            )
    return columns


def _row(number: int, columns: Sequence[str], cells: Sequence[str]) -> Row:
    values = {column: cell for column, cell in zip(columns, cells, strict=False) if column and cell}
    message = values.pop("message", "")
    name = values.pop("name", "").strip()
    fault = ""
    if not message.strip():
        fault = tr("It has no message.")
    elif len(cells) > len(columns) and any(cell.strip() for cell in cells[len(columns) :]):
        fault = tr("It has more cells than there are columns.")
    elif max(len(cell) for cell in cells) > MOST_CELL:
        fault = tr("A cell has more than {most_cell} characters.", most_cell=MOST_CELL)
        message, values = message[:MOST_CELL], {}
    elif any("\0" in cell for cell in cells):
        # Without them it would be another message, and another code.
        fault = tr("It has a character of value 0 in it.")
        message, name, values = message.replace("\0", "\N{REPLACEMENT CHARACTER}"), "", {}
    return Row(number, message, name, values, fault)


@apart(SHEET_LIMIT)
def spreadsheet_as_csv(data: bytes, name: str = tr("The spreadsheet")) -> str:
    """The first sheet of a spreadsheet as CSV text; `PictureError` where it cannot be read."""
    import openpyxl

    out = io.StringIO()
    writer = csv.writer(out)
    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheet = book[book.sheetnames[0]]
        sheet.reset_dimensions()  # what a file says of its size may be wrong
        for number, row in enumerate(sheet.iter_rows(values_only=True)):
            if number > MOST_ROWS or out.tell() > MOST_BYTES:
                raise PictureError(tr("{name} is too large.", name=name), tr("Divide it."))
            writer.writerow([_as_text(value) for value in row[:MOST_COLUMNS]])
    except PictureError:
        raise
    except Exception as error:  # the reader throws anything on damaged files
        raise PictureError(
            tr(
                "{name} cannot be read as a spreadsheet ({name2}).",
                name=name,
                name2=type(error).__name__,
            ),
            tr("Save it again, or as CSV."),
        ) from error
    return out.getvalue()


def _as_text(value: Any) -> str:
    """A cell's value as somebody would have typed it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return str(value)
