"""What is said beside a field or a text."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class Fix:
    """A change on offer.

    Attributes
    ----------
    label : str
        What the button says.
    text : str
        The text that it would give.
    kind : str or None
        The kind that the message would become.
    """

    label: str
    text: str
    kind: str | None = None


@dataclass(frozen=True)
class Advice:
    """One remark on a message.

    Attributes
    ----------
    weight : {"empty", "note", "warn"}
        ``"empty"``: nothing written yet; ``"note"``: worth knowing;
        ``"warn"``: a phone will probably not do what is meant.
    text : str
        One or two plain sentences.
    fix : Fix or None
        A change that would settle it.
    """

    weight: Literal["empty", "note", "warn"]
    text: str
    fix: Fix | None = None


@dataclass(frozen=True)
class Remark:
    """One remark on one field of a form.

    Attributes
    ----------
    field : str
        Name of the field; ``"phones.1.number"`` within lists.
    weight : {"missing", "wrong", "warn", "note"}
        With ``"missing"`` and ``"wrong"`` nothing can be written yet.
    text : str
        One plain sentence.
    """

    field: str
    weight: Literal["missing", "wrong", "warn", "note"]
    text: str

    @property
    def stops(self) -> bool:
        """Whether the message cannot be written because of it."""
        return self.weight in ("missing", "wrong")
