"""The report of a check, as one HTML page with its pictures inside, or as JSON.

Texts that were read are shown as text and never as links: opening a report
touches nothing on the network.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from jinja2 import Environment, PackageLoader, StrictUndefined

from nimble_tile.core import language
from nimble_tile.core.checking import compare
from nimble_tile.core.checking.check import Checked, Finding
from nimble_tile.core.errors import OutputError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.language import figure, tr, within
from nimble_tile.core.message.reachable import warning
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.scan.readers import versions
from nimble_tile.core.scan.verdict import STATE_WORDS
from nimble_tile.core.trials.reach import percent
from nimble_tile.core.trials.room import Result

PICTURE = 640
"""Longer side of a picture in a report, in pixels."""


@dataclass(frozen=True, eq=False)
class Entry:
    """One image of a report.

    Attributes
    ----------
    name : str
    checked : Checked or None
    error : str
        Why it could not be checked; empty otherwise.
    image : ndarray of uint8, H × W × 3, or None
        A reduced copy.
    """

    name: str
    checked: Checked | None = None
    error: str = ""
    image: np.ndarray | None = None


def as_json(
    entries: Sequence[Entry],
    expected: str | None = None,
    log: Sequence[PhoneTest] = (),
    pictures: bool = True,
    now: datetime | None = None,
) -> dict[str, Any]:
    """The report as data.

    Parameters
    ----------
    entries : sequence of Entry
    expected : str, optional
        The intended message.
    log : sequence of PhoneTest
    pictures : bool
        Whether pictures are put in, as JPEG in base64.
    now : datetime, optional
    """
    return {
        "report": "nimble-tile check",
        "made": (now or datetime.now()).isoformat(timespec="minutes"),
        "expected": expected,
        "reader_versions": versions(),
        "images": [_entry(entry, expected, pictures) for entry in entries],
        "phones": [test.model_dump() for test in log],
    }


def _entry(entry: Entry, expected: str | None, pictures: bool) -> dict[str, Any]:
    made: dict[str, Any] = {"name": entry.name, "error": entry.error or None}
    if pictures and entry.image is not None:
        made["picture"] = _jpeg(entry.image)
    if entry.checked is None:
        return made | {"size": None, "verdict": None, "codes": []}
    return made | {
        "size": list(entry.checked.size),
        "verdict": entry.checked.verdict.state,
        "codes": [finding_json(finding, expected) for finding in entry.checked.findings],
    }


def finding_json(finding: Finding, expected: str | None = None) -> dict[str, Any]:
    """One code as data."""
    verdict, reading, quality = finding.verdict, finding.reading, finding.quality
    return {
        "text": finding.text,
        "kind": finding.kind,
        "matches": None if expected is None else finding.text == expected,
        "version": reading.version,
        "level": reading.level,
        "mask": reading.mask,
        "corners": [[round(x, 2), round(y, 2)] for x, y in reading.corners],
        "verdict": verdict.state,
        "readers": [
            {
                "name": mark.name,
                "read": mark.read,
                "text": mark.text,
                "trouble": mark.trouble or None,
            }
            for mark in verdict.marks
            if mark.able
        ],
        "spare": None if verdict.spare is None else round(verdict.spare, 3),
        "grade": None if quality is None else {
            "overall": quality.letter,
            **{p.key: {"value": round(p.value, 4), "grade": p.letter} for p in quality.parameters},
        },
        "reach": None if finding.reach is None else round(finding.reach, 3),
        "trials": [trial_json(result) for result in finding.results],
        "reasons": [f"{reason.text} {reason.way_out}".strip() for reason in verdict.reasons],
        "warnings": [told] if (told := warning(finding.text)) else [],
    }  # fmt: skip


def trial_json(result: Result) -> dict[str, Any]:
    """One trial as data; scripts rely on its form."""
    return {
        "name": result.trial.name,
        "passed": result.passed.read,
        "plain": result.usual.read,
    }


def _jpeg(image: np.ndarray) -> str:
    import cv2

    longer = max(image.shape[:2])
    if longer > PICTURE:
        scale = PICTURE / longer
        size = max(1, round(image.shape[1] * scale)), max(1, round(image.shape[0] * scale))
        image = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
    bgr = cv2.cvtColor(image, cv2.COLOR_RGB2BGR)
    _, data = cv2.imencode(".jpg", bgr, [cv2.IMWRITE_JPEG_QUALITY, 88])
    return base64.b64encode(data.tobytes()).decode("ascii")


_STATES = {"passed": "well", "partly": "thin", "failed": "fails", "void": "void"}
_SIGNS = {"well": "✓", "thin": "!", "fails": "✕", "void": "–"}


def as_html(
    entries: Sequence[Entry],
    expected: str | None = None,
    log: Sequence[PhoneTest] = (),
    now: datetime | None = None,
) -> str:
    """The report as one page; parameters as in `as_json`."""
    page = _environment().get_template("report.html")
    return page.render(
        now=now or datetime.now(), entries=entries, expected=expected, log=log,
        codes=sum(len(entry.checked.findings) for entry in entries if entry.checked),
    )  # fmt: skip


@cache
def _environment() -> Environment:
    """The template environment; everything that comes from outside is escaped."""
    made = Environment(
        loader=PackageLoader("nimble_tile", "assets/reports"), autoescape=True,
        undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    made.globals |= {"words": STATE_WORDS, "signs": _SIGNS, "states": _STATES, "facts": _facts,
                     "compared": compare.compare, "told": compare.in_words}  # fmt: skip
    made.globals |= language.SAID
    made.filters |= {"jpeg": _jpeg}
    return made


def _facts(finding: Finding) -> list[tuple[str, str]]:
    """What is known of a code, beside its verdict: names and values."""
    verdict, reading, quality = finding.verdict, finding.reading, finding.quality
    right, able = verdict.readers_right
    x, y, width, height = finding.box
    readers = (
        tr("{name} read", name=mark.name) if mark.read else tr("{name} did not", name=mark.name)
        for mark in verdict.marks
        if mark.able
    )
    rows = [
        (tr("Readers"), tr("{right} of {able}: {readers}", right=right, able=able,
                           readers=', '.join(readers))),
        (tr("Symbol"), tr("version {version}-{level}, mask {mask}", version=reading.version,
                          level=reading.level, mask=reading.mask)
         if reading.version else tr("not known")),
        (tr("Place"), tr("{x:.0f}, {y:.0f}; {width:.0f} × {height:.0f} px", x=x, y=y, width=width,
                         height=height)),
        (tr("Spare"), tr("not known") if verdict.spare is None else figure(verdict.spare, ".0%")),
        (tr("Print grade"),
         tr("not known") if quality is None else f"{quality.letter} (" + ", ".join(
            f"{within(p.title)} {p.letter}" for p in quality.parameters) + ")"
         + tr(", after ISO/IEC 15415, thresholds from memory")),
    ]  # fmt: skip
    if finding.reach is not None:
        rows.append(
            (tr("Reach"), tr("{reach} of what the usual code passes", reach=percent(finding.reach)))
        )
    rows += [(tr("Why"), f"{r.text} {r.way_out}".strip()) for r in verdict.reasons]
    told = warning(finding.text)
    return [*rows, (tr("Beware"), told)] if told else rows


def save(
    entries: Sequence[Entry],
    path: Path,
    expected: str | None = None,
    log: Sequence[PhoneTest] = (),
) -> None:
    """Write a report; .json or .html by the file's ending.

    Raises
    ------
    OutputError
        The ending is another one, or the file cannot be written.
    """
    ending = Path(path).suffix.lower()
    if ending == ".json":
        text = json.dumps(as_json(entries, expected, log), ensure_ascii=False, indent=1)
    elif ending in (".html", ".htm"):
        text = as_html(entries, expected, log)
    else:
        raise OutputError(
            tr("“{name}” does not end in .html or .json.", name=Path(path).name),
            tr("Give the file one of these endings."),
        )
    data = text.encode("utf-8", "replace")
    write_atomically(Path(path), lambda file: file.write(data), OutputError, "write")
