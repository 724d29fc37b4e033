"""What is wrong with rows before anything is rendered."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from nimble_tile.core.asked import Asker, from_text
from nimble_tile.core.batch.names import Pattern
from nimble_tile.core.batch.rows import Row
from nimble_tile.core.batch.run import Order
from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.symbol.encode import encode

LOOKED_UP = ("picture", "logo", "matter")
"""Settings whose files are only looked for here; making a row opens them."""


def faults(
    rows: Iterable[Row], order: Order, stop: Callable[[], bool] = lambda: False
) -> Iterator[tuple[Row, str, str]]:
    """Each row with its file name and what is wrong with it; an empty string: nothing.

    Its message is encoded and its settings are taken; pictures are only looked for.

    Parameters
    ----------
    rows : iterable of Row
    order : Order
    stop : callable
        Asked between rows.
    """
    pattern: Pattern = order.pattern
    asker = Asker(order.pictures, "", order.tables)
    names: dict[str, int] = {}
    for row in rows:
        if stop():
            return
        name = pattern.of(row)
        first = names.setdefault(name.casefold(), row.number)
        wrong = row.fault
        if not wrong and first != row.number:
            wrong = tr("Its file would be that of row {first}, {name}.", first=first, name=name)
        yield row, name, wrong or _wrong(row, order, asker)


def _wrong(row: Row, order: Order, asker: Asker) -> str:
    try:
        settings = {name: from_text(name, text) for name, text in row.settings.items()}
        for name in LOOKED_UP:
            path = settings.pop(name, None)
            known = path is None or (name == "matter" and not (order.tables / path).exists())
            if not known and not (order.tables / path).is_file():
                return tr("There is no file {path}.", path=path)
        piece = asker.piece(row.message, settings, order.base)
        encode(piece.message, piece.code)
    except MessageError as error:
        return error.what
    except UserError as error:
        return str(error)
    return ""
