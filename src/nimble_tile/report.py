"""What the command line says of a verdict: in words, and as JSON."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nimble_tile.core.scan.readers import versions
from nimble_tile.core.trials.reach import percent

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from nimble_tile.core.checking.check import Finding
    from nimble_tile.core.render import Rendering
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.tune.candidates import Candidate, PassStep
    from nimble_tile.core.tune.mend import Attempt
    from nimble_tile.core.tune.propose import Proposal


def verdict_json(verdict: Verdict) -> dict[str, Any]:
    """The JSON of a verdict; scripts rely on its form."""
    return {
        "verdict": verdict.state,
        "matches": verdict.matches,
        "found": [
            {
                "text": code.text,
                "corners": [[round(x, 1), round(y, 1)] for x, y in code.corners],
                "version": code.version,
                "level": code.level,
                "mask": code.mask,
            }
            for code in verdict.found
        ],
        "readers": [
            {
                "name": mark.name,
                "version": versions().get(mark.name),
                "read": mark.read,
                "text": mark.text,
                "look": mark.look,
            }
            for mark in verdict.marks
        ],
        "spare": None if verdict.spare is None else round(verdict.spare, 3),
        "reach": None,
        "trials": [],
        "afar": None if verdict.afar is None else round(verdict.afar, 1),
        "reasons": [f"{reason.text} {reason.way_out}".strip() for reason in verdict.reasons],
        **({"warnings": list(verdict.warnings)} if verdict.warnings else {}),
    }


def meant(findings: Sequence[Finding], expected: str | None) -> Finding | None:
    """The code that a check was about: the expected one, or the first."""
    found = [f for f in findings if expected in (None, f.text)]
    return next(iter(found or findings), None)


def checked_json(verdict: Verdict, finding: Finding | None) -> dict[str, Any]:
    """The JSON of a check; scripts rely on its form."""
    from nimble_tile.core.checking.report import finding_json, trial_json

    made = verdict_json(verdict)
    if finding is None:
        return made | {"grade": None}
    if finding.results:
        made["reach"] = None if finding.reach is None else round(finding.reach, 3)
        made["trials"] = [trial_json(result) for result in finding.results]
    return made | {"grade": finding_json(finding)["grade"]}


def proof_in_words(finding: Finding) -> str:
    """Grade and trials of a code in words."""
    lines = []
    if finding.quality is not None:
        lines.append(
            f"Print grade: {finding.quality.letter}, after ISO/IEC 15415 with thresholds from "
            "memory; no certified measurement."
        )
    if finding.results:
        reached = "none" if finding.reach is None else percent(finding.reach)
        lines.append(f"Reach: {reached} of what the usual code passes in the same trials.")
        for result in finding.results:
            own, of = result.pairs
            void = result.state == "void"
            told = "the usual code fails too: does not count" if void else f"{own} of {of}"
            lines.append(f"  {result.trial.name}: {told}")
    return "\n".join(lines)


def made_json(out: Path, rendering: Rendering, verdict: Verdict) -> dict[str, Any]:
    """The JSON of what was made; scripts rely on its form."""
    symbol = rendering.symbol
    fidelity = None
    if verdict.fidelity is not None:
        fidelity = {
            "ssim_view": round(verdict.fidelity.ssim_view, 4),
            "delta_e_mean": round(verdict.fidelity.delta_e_mean, 3),
        }
    return {
        "out": str(out),
        "message": symbol.text,
        "symbol": {
            "version": symbol.version,
            "level": symbol.level,
            "mask": symbol.mask,
            "modules": symbol.side,
        },
        "steering": steering_json(rendering),
        "fidelity": fidelity,
        "coverage": coverage_json(rendering),
        "verdict": verdict_json(verdict),
    }


def gentlest_json(made: PassStep, wanted: float, held: float | None) -> dict[str, Any]:
    """The JSON of a gentlest pass; `held`: reach of the file that was written."""

    def told(found: Candidate) -> dict[str, float]:
        return {
            "reach": round(found.reach, 3),
            "ssim_view": round(found.fidelity.ssim_view, 4),
            "delta_e_mean": round(found.fidelity.delta_e_mean, 3),
        }

    return {
        "wanted": wanted,
        "holds": made.holds,
        "reach": round(made.best.reach if held is None else held, 3),
        "fresh": None if made.fresh is None else round(made.fresh, 3),
        "before": told(made.before),
        "after": told(made.best),
    }


def proposal_json(found: Proposal, path: Path, verdict: Verdict) -> dict[str, Any]:
    """The JSON of a proposal that was written to a file."""
    candidate, symbol = found.candidate, found.candidate.rendering.symbol
    return {
        "kind": found.kind,
        "out": str(path),
        "method": candidate.piece.blend.method,
        "symbol": {"version": str(symbol.version), "level": symbol.level, "mask": symbol.mask},
        "holds": found.holds,
        "reach": round(candidate.reach, 3),
        "fresh": None if found.fresh is None else round(found.fresh, 3),
        "fidelity": {
            "ssim_view": round(candidate.fidelity.ssim_view, 4),
            "delta_e_mean": round(candidate.fidelity.delta_e_mean, 3),
        },
        "verdict": verdict_json(verdict),
    }


def mended_json(made: Attempt) -> dict[str, Any]:
    """The JSON of a mended picture."""
    return {
        "holds": made.holds,
        "reach": round(made.reach, 3),
        "modules_changed": made.touched,
        "modules": int(made.changed.size),
        "corners": [[round(float(x), 2), round(float(y), 2)] for x, y in made.suspect.quad],
    }


def steering_json(rendering: Rendering) -> dict[str, Any] | None:
    """The JSON of steering; None where nothing was steered."""
    found = rendering.steered
    if found is None:
        return None
    return {
        "steerable": round(found.steerable, 4),
        "matched": round(found.matched, 4),
        "weighted": round(found.after, 4),
        "weighted_before": round(found.before, 4),
        "spent": int(found.spent.sum()),
    }


def coverage_json(rendering: Rendering) -> dict[str, Any] | None:
    """The JSON of what logos and captions cover; None where nothing lies on the code."""
    from nimble_tile.core.coverage.count import coverage

    found = coverage(rendering)
    if found is None:
        return None
    return {
        "area": round(found.area, 4),
        "modules": round(found.modules, 4),
        "codewords": sum(found.under),
        "of": found.codewords,
        "blocks": [list(pair) for pair in zip(found.spoiled, found.correctable, strict=True)],
        "patterns": list(found.patterns),
        "holds": found.hold.holds,
    }


def in_words(verdict: Verdict) -> str:
    """The human-readable summary of a verdict."""
    right, able = verdict.readers_right
    lines = [f"{verdict.words}: {right} of {able} readers read it" + (
        "." if verdict.expected is None or right == 0 else " as intended."
    )]  # fmt: skip
    for code in verdict.found:
        detail = f" (version {code.version}-{code.level}, mask {code.mask})" if code.version else ""
        lines.append(f"It says: {_one_line(code.text)}{detail}")
    if verdict.matches is False:
        lines.append(f"Expected: {_one_line(verdict.expected)}")
    if verdict.spare is not None:
        lines.append(f"Spare: {verdict.spare:.0%} of the error correction is not used up.")
    if verdict.fidelity is not None:
        lines.append(
            f"Fidelity: {verdict.fidelity.ssim_view:.2f} of 1, "
            f"mean colour difference {verdict.fidelity.delta_e_mean:.1f}."
        )
    lines.append(
        "Readers: "
        + ", ".join(
            f"{mark.name} {'read' if mark.read else 'did not'}"
            + (f" (at {mark.look} px)" if mark.read else "")
            for mark in verdict.marks
        )
        + "."
    )
    lines += [f"Why: {reason.text} {reason.way_out}".rstrip() for reason in verdict.reasons]
    lines += [f"Beware: {told}" for told in verdict.warnings]
    return "\n".join(lines)


def _one_line(text: str) -> str:
    return " ⏎ ".join(text.splitlines())


def indented(text: str) -> str:
    """Two spaces before each line."""
    return "\n".join("  " + line for line in text.splitlines())
