"""File names of a batch, by a pattern."""

from __future__ import annotations

import re
import unicodedata
from pathlib import PurePath

from nimble_tile.core.batch.rows import Row
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.output.export import format_of
from nimble_tile.core.output.formats import SUFFIX

USUAL = "{row:5}-{name}"
LONGEST = 120
"""Bytes of a file name at most, without its ending."""

_FIELD = re.compile(r"\{([^{}]*)\}")
_ROW = re.compile(r"row(?::0?(\d{1,2}))?")


class Pattern:
    """How files are called.

    Parameters
    ----------
    text : str
        ``{row}``, ``{row:5}`` (with leading zeros), ``{name}`` and ``{message}``; what has no
        name is called by its message.
    suffix : str
        Ending where the pattern has none of a known format.

    Raises
    ------
    UserError
        A field is not known, or every row would have the same name.
    """

    def __init__(self, text: str = USUAL, suffix: str = ".png") -> None:
        text = text.strip()
        if PurePath(text).name != text or not text:
            raise UserError(
                tr("“{text}” is no pattern of file names.", text=text[:60]),
                tr("Leave out the folder."),
            )
        self.suffix = suffix
        for ending in (*SUFFIX.values(), ".jpeg", ".tiff"):
            if text.lower().endswith(ending):
                self.suffix, text = ending, text[: -len(ending)]
                break
        for name in _FIELD.findall(text):
            if name not in ("name", "message") and not _ROW.fullmatch(name):
                raise UserError(
                    tr("“{{{name}}}” is no field of a file name.", name=name[:30]),
                    tr("Fields: {row}, {row:5}, {name}, {message}."),
                )
        if not _FIELD.search(text):
            raise UserError(
                tr("Every file would have the same name."), tr("Put {row} or {name} into it.")
            )
        self.text = text

    @property
    def format(self) -> str:
        """The files' format."""
        return format_of(PurePath(f"a{self.suffix}"))

    def of(self, row: Row) -> str:
        """A row's file name: one that every file system takes, in no other folder."""

        def value(match: re.Match) -> str:
            field = match[1]
            if found := _ROW.fullmatch(field):
                return str(row.number).zfill(int(found[1] or 1))
            if field == "name":
                return plain(row.name or row.message)
            return plain(row.message)

        made = _FIELD.sub(value, self.text)
        made = plain(made, LONGEST) or tr("row {number}", number=row.number)
        return made + self.suffix


DEVICES = {"con", "prn", "aux", "nul", "conin$", "conout$"} | {
    f"{port}{number}" for port in ("com", "lpt") for number in "0123456789¹²³"
}
"""Names that are devices on Windows, whatever ending follows (Microsoft, "Naming Files, Paths,
and Namespaces")."""


def plain(text: str, most: int = 60) -> str:
    """Text with nothing that a file name cannot have."""
    text = unicodedata.normalize("NFC", text)
    text = re.sub(r"^[a-z]+://", "", text.strip(), flags=re.IGNORECASE)
    kept = "".join(c if c.isalnum() or c in " -_.,()+@" else "-" for c in text)
    kept = re.sub(r"-{2,}", "-", kept).strip(" .-")
    while len(kept.encode("utf-8", "replace")) > most:
        kept = kept[:-1].rstrip(" .-")
    first, dot, rest = kept.partition(".")
    if first.strip().casefold() in DEVICES:
        kept = f"{first.strip()}_{dot}{rest}"
    return kept
