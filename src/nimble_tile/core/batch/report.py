"""What became of a batch: a CSV file, and contact sheets to look at."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from functools import cache
from pathlib import Path

from jinja2 import Environment, PackageLoader, StrictUndefined

from nimble_tile.core import language
from nimble_tile.core.batch.run import Order, finished
from nimble_tile.core.batch.work import Done
from nimble_tile.core.errors import OutputError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.message.reachable import warning
from nimble_tile.core.scan.verdict import STATE_WORDS

CSV_NAME = "report.csv"
PAGE = 300
"""Rows on a contact sheet: more would take a browser long to show."""

SHOWN = (".png", ".jpg", ".webp", ".svg")
"""Formats that browsers show."""

COLUMNS = ("row", "name", "message", "file", "verdict", "scans", "readers", "spare", "symbol",
           "bytes", "seconds", "why", "beware")  # fmt: skip

RISKY = ("=", "+", "-", "@", "\t", "\r")
"""What spreadsheets take for a formula at the start of a cell."""


def write_reports(order: Order) -> list[Path]:
    """Write the report and the contact sheets into the batch's folder; the CSV comes first.

    Raises
    ------
    OutputError
        They cannot be written.
    """
    rows = sorted(finished(order).values(), key=lambda done: done.row)
    path = order.folder / CSV_NAME
    data = as_csv(rows)
    write_atomically(path, lambda file: file.write(data), OutputError, "write")
    return [path, *_contact_sheets(order.folder, rows)]


def as_csv(rows: Sequence[Done]) -> bytes:
    """The report of some rows (UTF-8 with a mark, so that spreadsheets know it)."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for done in rows:
        writer.writerow(
            [
                done.row, _cell(done.name), _cell(done.message), _cell(done.file), done.state,
                "yes" if done.scans else "no", " ".join(done.read),
                "" if done.spare is None else done.spare, done.symbol, done.bytes, done.seconds,
                _cell(done.why), _cell(warning(done.message)),
            ]
        )  # fmt: skip
    return out.getvalue().encode("utf-8-sig", "replace")


def _cell(text: str) -> str:
    """A text that no spreadsheet takes for a formula."""
    return f"'{text}" if text.startswith(RISKY) else text


def _contact_sheets(folder: Path, rows: Sequence[Done]) -> list[Path]:
    pages = max(1, -(-len(rows) // PAGE))
    links = [f"contact-{number + 1:03}.html" for number in range(pages)]
    wrong = [done for done in rows if not done.scans]
    told = tr("{rows} rows, {rows2} of them scan.", rows=len(rows), rows2=len(rows) - len(wrong))
    if wrong:
        told += tr(" Those that do not: ") + ", ".join(str(done.row) for done in wrong[:40])
        told += "." if len(wrong) <= 40 else tr(" and {wrong} more.", wrong=len(wrong) - 40)
    beware = [done for done in rows if done.state and warning(done.message)]
    if beware:
        told += " " + tr(
            "Beware: phones cannot follow the links of {count} rows, the first of them {row}. "
            "{told}",
            count=len(beware), row=beware[0].row, told=warning(beware[0].message),
        )  # fmt: skip
    for old in folder.glob("contact-[0-9][0-9][0-9].html"):
        if old.name not in links:
            old.unlink(missing_ok=True)
    made = []
    for number, name in enumerate(links):
        part = rows[number * PAGE : (number + 1) * PAGE]
        text = _template().render(
            title=tr("{name}: contact sheet",
                     name=folder.resolve().name), told=told, page=number + 1,
            pages=pages, links=links, words=STATE_WORDS,
            rows=[{**vars(done), "scans": done.scans, "message": done.message[:120],
                   "shown": done.file.lower().endswith(SHOWN)} for done in part],
        )  # fmt: skip
        data = text.encode("utf-8", "replace")
        write_atomically(
            folder / name, lambda file, d=data: file.write(d), OutputError, "write"
        )  # fmt: skip
        made.append(folder / name)
    return made


@cache
def _template():
    made = Environment(
        loader=PackageLoader("nimble_tile", "assets/reports"), autoescape=True,
        undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    made.globals |= language.SAID
    return made.get_template("contact.html")
