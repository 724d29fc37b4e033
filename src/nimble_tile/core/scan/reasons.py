"""Why an image scans badly, in words."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.scan.sampling import Sample
from nimble_tile.core.scan.verdict import GOOD_SPARE, Reason, Verdict
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol

BAD_SHARE = 0.04
"""Share of a pattern's modules that may be wrong before it is named as a
cause. A finder holds 49 modules; two wrong ones break a run along a row."""

WEAK_SHARE = 0.20
"""Share of weak modules from which weakness itself is named."""

HARDLY_SHOWS = 0.30
"""Share of wrong modules from which the picture does not carry the code."""

DULL_QUIET = 0.90
"""Share of the quiet zone that must be light for it not to be named."""


def explain(
    verdict: Verdict, symbol: Symbol | None = None, upside_down: bool = False
) -> tuple[Reason, ...]:
    """Reasons for a verdict, most important first; what helps a piece is added by `remedies`.

    Parameters
    ----------
    verdict : Verdict
        Without its reasons.
    symbol : Symbol, optional
    upside_down : bool
        Whether the code is light on dark.
    """
    reasons = [*_message(verdict), *_inverted(verdict, upside_down)]
    if verdict.afar is not None:
        reasons.append(_fine(verdict.afar))
    if verdict.state != "well" and verdict.sample is not None and symbol is not None:
        reasons += _modules(verdict.sample, symbol)
    reasons += _readers(verdict)
    if verdict.state == "thin":
        reasons += _thin(verdict)
    if symbol is not None and symbol.micro:
        text = tr("Few phones read Micro QR codes.")
        reasons.append(Reason("Micro QR", text, tr("Choose a version from 1 to 40.")))
    return tuple(reasons)


def _message(verdict: Verdict) -> list[Reason]:
    """Reason: it says something else."""
    others = sorted({code.text for code in verdict.found} - {verdict.expected})
    if verdict.expected is None or not others:
        return []
    return [
        Reason(
            "other message",
            tr("It says “{short}” instead of the message.", short=_short(others[0])),
        )
    ]


def _inverted(verdict: Verdict, upside_down: bool) -> list[Reason]:
    """Reason: it is light on dark."""
    if not upside_down:
        return []
    able = [mark for mark in verdict.marks if mark.able]
    return [
        Reason(
            "light on dark",
            tr(
                "It is light on dark: {count} of {able} readers read it.",
                count=sum(m.read for m in able),
                able=len(able),
            ),
            tr("Most readers look for dark modules on a light ground; swap the colours."),
        )
    ]


def _fine(afar: float) -> Reason:
    """Reason: it is read from afar alone."""
    return Reason(
        "fine detail",
        tr(
            "It is read where a module has {afar:.1f} pixels or fewer: seen larger, the fine "
            "detail of the picture is in the way.",
            afar=afar,
        ),
        tr("Show it smaller or from farther away, or smooth the detail within the modules."),
    )


def _readers(verdict: Verdict) -> list[Reason]:
    """Reasons: which readers do not read it, and why."""
    able = [mark for mark in verdict.marks if mark.able]
    failed = [mark for mark in able if not mark.read]
    reasons = [
        Reason("reader trouble", f"{mark.name} {mark.trouble}.") for mark in failed if mark.trouble
    ]
    silent = [mark.name for mark in failed if not mark.trouble]
    if silent and len(silent) == len(able):
        reasons.append(Reason("not read", tr("No reader found a code that it could decode.")))
    elif silent:
        reasons.append(Reason("not read", tr("Not read by {listed}.", listed=_listed(silent))))
    return reasons


def _thin(verdict: Verdict) -> list[Reason]:
    """Reasons: why there is little to spare though it is read."""
    reasons, spare = [], verdict.spare
    if verdict.faded is not None:
        right, able = verdict.faded
        text = tr(
            "As a faded print it is read by {right} of {able} readers.", right=right, able=able
        )
        reasons.append(Reason("faded", text))
    all_read = all(mark.read for mark in verdict.marks if mark.able)
    if all_read and spare is not None and spare < GOOD_SPARE:
        text = tr(
            "Only {spare:.0%} of the error correction is left; {good_spare:.0%} would be safe.",
            spare=spare,
            good_spare=GOOD_SPARE,
        )
        reasons.append(Reason("little spare", text))
    return reasons


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
        # Half the modules agree by chance, so naming patterns would add nothing.
        return [
            Reason(
                "hardly shows",
                tr(
                    "The code hardly shows: {wrong_share:.0%} of its modules are wrong, and "
                    "half of them would be chance.",
                    wrong_share=wrong_share,
                ),
            )
        ]
    if over:
        index, errors, most = max(over, key=lambda entry: entry[1] - entry[2])
        which = (
            tr("block {index} has", index=index + 1)
            if len(looked.correctable) > 1
            else tr("it has")
        )
        reasons.append(
            Reason(
                "too many errors",
                tr(
                    "Too many errors: {which} {errors} wrong codewords and can correct {most}.",
                    which=which,
                    errors=errors,
                    most=most,
                ),
            )
        )
    for part, name in (
        (Part.FINDER, tr("finder patterns")),
        (Part.SEPARATOR, tr("light borders of the finder patterns")),
        (Part.ALIGNMENT, tr("alignment patterns")),
        (Part.TIMING, tr("timing patterns")),
        (Part.FORMAT, tr("modules of the format information")),
    ):
        own = parts == part
        if own.any() and (share := float(looked.wrong[own].mean())) > BAD_SHARE:
            reasons.append(
                Reason(
                    "pattern",
                    tr("{share:.0%} of the {name} read wrongly.", share=share, name=name),
                )
            )
    if looked.quiet_zone < DULL_QUIET:
        reasons.append(
            Reason(
                "quiet zone",
                tr(
                    "{quiet_zone:.0%} of the quiet zone is too dark.",
                    quiet_zone=1 - looked.quiet_zone,
                ),
            )
        )
    weak = float(np.mean(looked.weak))
    if weak > WEAK_SHARE:
        reasons.append(
            Reason("weak", tr("{weak:.0%} of the modules are weak: a little noise flips them.",
                              weak=weak))
        )  # fmt: skip
    return reasons


def _short(text: str) -> str:
    return text if len(text) <= 40 else text[:39] + "…"


def _listed(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else ", ".join(names[:-1]) + tr(" and ") + names[-1]
