"""Why an image scans badly, in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nimble_tile.core.scan.readers import Reading
from nimble_tile.core.scan.sampling import Sample
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Mark

BAD_SHARE = 0.04
"""Share of a pattern's modules that may be wrong before it is named as a
cause. A finder holds 49 modules; two wrong ones break a run along a row."""

WEAK_SHARE = 0.20
"""Share of weak modules from which weakness itself is named."""

HARDLY_SHOWS = 0.30
"""Share of wrong modules from which the picture does not carry the code."""

LOOK_WAY_OUT = "Change the shapes or the colours of the code."

DULL_QUIET = 0.90
"""Share of the quiet zone that must be light for it not to be named."""


@dataclass(frozen=True)
class Reason:
    """One cause and what to do about it."""

    text: str
    way_out: str = ""


def explain(
    state: str,
    marks: Sequence[Mark],
    found: Sequence[Reading],
    expected: str | None,
    looked: Sample | None,
    symbol: Symbol | None,
    spare: float | None = None,
    good: float = 1.0,
    upside_down: bool = False,
    blended: bool = True,
    faded: tuple[int, int] | None = None,
) -> tuple[Reason, ...]:
    """Reasons for a verdict, most important first.

    Parameters
    ----------
    state : {"well", "thin", "fails"}
    marks, found, expected, looked, symbol
        As in `nimble_tile.core.scan.verdict.Verdict`.
    spare, good : float
        The spare, and what it should be at least.
    upside_down : bool
        Whether the code is light on dark.
    blended : bool
        Whether a picture takes part; without one there is no strength to raise.
    faded : (int, int) or None
        How many readers read it as a faded print, and how many could.

    Returns
    -------
    tuple of Reason
    """
    reasons: list[Reason] = []
    others = sorted({code.text for code in found} - {expected})
    if expected is not None and others:
        reasons.append(Reason(f"It says “{_short(others[0])}” instead of the message."))
    if upside_down:
        able = [mark for mark in marks if mark.able]
        right = sum(mark.read for mark in able)
        reasons.append(
            Reason(
                f"It is light on dark: {right} of {len(able)} readers read it.",
                "Most readers look for dark modules on a light ground; swap the colours.",
            )
        )
    if state != "well" and looked is not None and symbol is not None:
        reasons += _modules(looked, symbol)
    able = [mark for mark in marks if mark.able]
    failed = [mark for mark in able if not mark.read]
    for mark in failed:
        if mark.trouble:
            reasons.append(Reason(f"{mark.name} {mark.trouble}."))
    silent = [mark.name for mark in failed if not mark.trouble]
    if silent and len(silent) == len(able):
        reasons.append(Reason("No reader found a code that it could decode."))
    elif silent:
        reasons.append(Reason(f"Not read by {_listed(silent)}."))
    if state == "thin" and faded is not None:
        reasons.append(
            Reason(
                f"As a faded print it is read by {faded[0]} of {faded[1]} readers.",
                "Raise the strength.",
            )
        )
    if state == "thin" and not failed and spare is not None and spare < good:
        reasons.append(
            Reason(
                f"Only {spare:.0%} of the error correction is left; {good:.0%} would be safe.",
                "Raise the strength or the level.",
            )
        )
    if symbol is not None and symbol.micro:
        reasons.append(Reason("Few phones read Micro QR codes.", "Choose a version from 1 to 40."))
    if not blended:
        reasons = [
            Reason(reason.text, LOOK_WAY_OUT) if "strength" in reason.way_out.lower() else reason
            for reason in reasons
        ]
    return tuple(reasons)


def _modules(looked: Sample, symbol: Symbol) -> list[Reason]:
    """Causes that show in the modules themselves."""
    reasons = []
    parts = symbol.anatomy.parts
    wrong_share = float(looked.wrong.mean())
    over = [
        (index, errors, most)
        for index, (errors, most) in enumerate(
            zip(looked.codeword_errors, looked.correctable, strict=True)
        )
        if errors > most
    ]
    if wrong_share > HARDLY_SHOWS:
        # By chance half the modules agree: naming patterns would add nothing.
        return [
            Reason(
                f"The code hardly shows: {wrong_share:.0%} of its modules are wrong.",
                "Half of them would be chance. Raise the strength of the blend.",
            )
        ]
    if over:
        index, errors, most = max(over, key=lambda entry: entry[1] - entry[2])
        which = f"block {index + 1} has" if len(looked.correctable) > 1 else "it has"
        reasons.append(
            Reason(
                f"Too many errors: {which} {errors} wrong codewords and can correct {most}.",
                "Raise the strength, or the error correction level.",
            )
        )
    for part, name in (
        (Part.FINDER, "finder patterns"),
        (Part.SEPARATOR, "light borders of the finder patterns"),
        (Part.ALIGNMENT, "alignment patterns"),
        (Part.TIMING, "timing patterns"),
        (Part.FORMAT, "modules of the format information"),
    ):
        own = parts == part
        if own.any() and (share := float(looked.wrong[own].mean())) > BAD_SHARE:
            reasons.append(
                Reason(f"{share:.0%} of the {name} read wrongly.", "Raise the strength.")
            )
    if looked.quiet_zone < DULL_QUIET:
        reasons.append(
            Reason(
                f"{1 - looked.quiet_zone:.0%} of the quiet zone is too dark.",
                "Raise the strength, or place the code where the picture is light.",
            )
        )
    weak = float(np.mean(looked.weak))
    if weak > WEAK_SHARE:
        reasons.append(
            Reason(f"{weak:.0%} of the modules are weak: a little noise flips them.",
                   "Raise the strength.")
        )  # fmt: skip
    return reasons


def _short(text: str) -> str:
    return text if len(text) <= 40 else text[:39] + "…"


def _listed(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else ", ".join(names[:-1]) + " and " + names[-1]
