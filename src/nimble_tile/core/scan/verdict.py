"""The current answer as data: the verdict, what each reader made of it, the reasons."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from nimble_tile.core.language import tr
from nimble_tile.core.message.reachable import warning
from nimble_tile.core.scan.fidelity import Fidelity
from nimble_tile.core.scan.readers import Reading
from nimble_tile.core.scan.sampling import Sample

GOOD_SPARE = 0.37
"""Spare from which the verdict may be "well": grade C for unused error
correction in ISO/IEC 15415."""

State = Literal["well", "thin", "fails"]

ReasonKind = Literal[
    "other message", "light on dark", "hardly shows", "too many errors", "pattern", "quiet zone",
    "weak", "reader trouble", "not read", "faded", "little spare", "Micro QR", "covered",
    "lost in trials", "fine detail",
]  # fmt: skip
"""What a reason is about."""

STATE_WORDS: dict[State, str] = {
    "well": tr("Scans well"),
    "thin": tr("Scans, little to spare"),
    "fails": tr("Does not scan"),
}


@dataclass(frozen=True)
class Reason:
    """One cause and what to do about it.

    Attributes
    ----------
    cause : Cause
    text : str
        In a sentence.
    way_out : str
        What to do, or empty.
    """

    cause: ReasonKind
    text: str
    way_out: str = ""


@dataclass(frozen=True)
class Mark:
    """What one reader made of the image.

    Attributes
    ----------
    name : str
    read : bool
        Whether it decoded anything.
    text : str or None
        What it read; the expected text when it is among several.
    able : bool
        False when the reader does not know this kind of code at all.
    trouble : str
        Why it could not even try, else empty.
    look : int
        Longer side, in pixels, of the view in which it read (or tried last):
        the whole image, or the code's surroundings where its place is known.
    """

    name: str
    read: bool
    text: str | None = None
    able: bool = True
    trouble: str = ""
    look: int = 0

    def right(self, expected: str | None) -> bool:
        """Whether it read what was expected, or anything where nothing is."""
        return self.read and (expected is None or self.text == expected)


@dataclass(frozen=True, eq=False)
class Verdict:
    """The answer for one image.

    Attributes
    ----------
    state : {"well", "thin", "fails"}
    expected : str or None
        The intended message, where one is known.
    matches : bool or None
        Whether it was read; None without an intended message.
    found : tuple of Reading
        Every code found, once each; corners in pixels of the image.
    marks : tuple of Mark
        One for each reader.
    spare : float or None
        0 to 1; None when the symbol is not known.
    sample : Sample or None
        Module by module, when the symbol and its place are known.
    fidelity : Fidelity or None
        When the picture before blending is known.
    reasons : tuple of Reason
        Why it is not better, most important first.
    faded : (int, int) or None
        How many readers read it as a faded print, and how many could; None
        where that was not tried.
    reach : float or None
        Where the trials are through.
    afar : float or None
        Pixels a module from which on downwards it is read, where no look nearer shows it.
    helps : str
        What would help it in trials; empty where that is not known.
    """

    state: State
    expected: str | None
    matches: bool | None
    found: tuple[Reading, ...]
    marks: tuple[Mark, ...]
    spare: float | None = None
    sample: Sample | None = None
    fidelity: Fidelity | None = None
    reasons: tuple[Reason, ...] = ()
    faded: tuple[int, int] | None = None
    reach: float | None = None
    afar: float | None = None
    helps: str = ""

    @property
    def words(self) -> str:
        """The verdict as people read it."""
        return STATE_WORDS[self.state]

    @property
    def scans(self) -> bool:
        """Whether it scans and says what was expected."""
        return self.state != "fails" and self.matches is not False

    @property
    def warnings(self) -> tuple[str, ...]:
        """What is to be known of the message before it is printed, in sentences."""
        texts = [self.expected] if self.expected else [code.text for code in self.found]
        return tuple(dict.fromkeys(told for text in texts if (told := warning(text))))

    @property
    def readers_right(self) -> tuple[int, int]:
        """How many readers read it rightly, and how many could."""
        able = [mark for mark in self.marks if mark.able]
        return sum(mark.right(self.expected) for mark in able), len(able)
