"""Two texts, character by character."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from difflib import SequenceMatcher

from nimble_tile.core.language import tr

MOST_COMPARED = 20_000
"""Characters that are compared at most; a code holds 7,089."""


@dataclass(frozen=True)
class Stretch:
    """Some characters that agree or differ.

    Attributes
    ----------
    kind : {"same", "other", "missing", "extra"}
        Of the text that was read, against the intended one.
    read, wanted : str
    """

    kind: str
    read: str
    wanted: str


_KINDS = {"equal": "same", "replace": "other", "delete": "missing", "insert": "extra"}


def compare(read: str, wanted: str) -> tuple[Stretch, ...]:
    """What was read against what should have been.

    Parameters
    ----------
    read, wanted : str
    """
    matcher = SequenceMatcher(None, wanted[:MOST_COMPARED], read[:MOST_COMPARED], autojunk=False)
    return tuple(
        Stretch(_KINDS[tag], read[low:high], wanted[first:last])
        for tag, first, last, low, high in matcher.get_opcodes()
    )


def in_words(stretches: tuple[Stretch, ...]) -> str:
    """The first difference in a sentence; says so where there is none."""
    place = 0
    for stretch in stretches:
        if stretch.kind == "same":
            place += len(stretch.wanted)
            continue
        where = tr("At character {place}", place=place + 1)
        if stretch.kind == "missing":
            told = tr("{where} {quoted} is missing", where=where, quoted=_quoted(stretch.wanted))
        elif stretch.kind == "extra":
            told = tr(
                "{where} there is {quoted} too many", where=where, quoted=_quoted(stretch.read)
            )
        else:
            told = tr(
                "{where} it says {quoted} instead of {quoted2}",
                where=where,
                quoted=_quoted(stretch.read),
                quoted2=_quoted(stretch.wanted),
            )
        more = sum(s.kind != "same" for s in stretches) - 1
        return told + (tr(", and {more} more differences.", more=more) if more > 1 else
                       tr(", and one more difference.") if more else ".")  # fmt: skip
    return tr("Both texts are the same, character by character.")


def _quoted(text: str) -> str:
    if len(text) == 1 and (text.isspace() or not text.isprintable()):
        return unicodedata.name(text, f"character U+{ord(text):04X}").lower()
    return f"“{text if len(text) <= 24 else text[:23] + '…'}”"
