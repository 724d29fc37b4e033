"""The report of a check, as one HTML page with its pictures inside, or as JSON.

Texts that were read are shown as text and never as links: opening a report
touches nothing on the network.
"""

from __future__ import annotations

import base64
import html
import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from nimble_tile.core.checking import compare
from nimble_tile.core.checking.check import Checked, Finding
from nimble_tile.core.errors import OutputError
from nimble_tile.core.files import write_atomically
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.scan.verdict import WORDS
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
    }  # fmt: skip


def trial_json(result: Result) -> dict[str, Any]:
    """One trial as data; scripts rely on its form."""
    return {
        "name": result.trial.name,
        "passed": result.passed.read,
        "plain": result.plain.read,
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


_STYLE = """
:root { color-scheme: light dark; --paper: #f3eee4; --panel: #faf7f0; --ink: #2a2722;
 --soft: #645d51; --rule: #dcd4c5; --well: #1d5740; --thin: #8a5200; --fails: #9a2a1c; }
@media (prefers-color-scheme: dark) { :root { --paper: #1f1d1a; --panel: #272521;
 --ink: #ece6da; --soft: #b4ac9c; --rule: #3b3832; --well: #7cc3a0; --thin: #efbd62;
 --fails: #f08f7c; } }
body { background: var(--paper); color: var(--ink); font: 16px/1.5 "Alegreya Sans", sans-serif;
 margin: 0 auto; max-width: 920px; padding: 32px 20px; }
h1 { font-size: 26px; margin: 0 0 4px; } h2 { font-size: 20px; margin: 36px 0 8px; }
h3 { font-size: 17px; margin: 20px 0 6px; }
.soft { color: var(--soft); } .well { color: var(--well); } .thin { color: var(--thin); }
.fails { color: var(--fails); } .void { color: var(--soft); }
article { background: var(--panel); border: 1px solid var(--rule); padding: 4px 20px 16px;
 margin: 16px 0; }
img.seen { max-width: 100%; border: 1px solid var(--rule); }
table { border-collapse: collapse; width: 100%; }
td, th { text-align: left; padding: 4px 12px 4px 0; border-bottom: 1px solid var(--rule);
 vertical-align: top; font-weight: 400; } th { color: var(--soft); }
pre { white-space: pre-wrap; overflow-wrap: anywhere; background: var(--paper); padding: 8px 12px;
 margin: 8px 0; } mark.other, mark.extra { background: #f3c9bf; color: #5d150b; }
mark.missing { background: #f0dcae; color: #5a3600; text-decoration: line-through; }
.frames { display: grid; grid-template-columns: repeat(auto-fill, minmax(128px, 1fr)); gap: 12px; }
.frames figure { margin: 0; font-size: 13px; line-height: 1.3; } .frames img { width: 100%;
 aspect-ratio: 1; object-fit: cover; }
"""

_STATES = {"passed": "well", "partly": "thin", "failed": "fails", "void": "void"}
_SIGNS = {"well": "✓", "thin": "!", "fails": "✕", "void": "–"}


def as_html(
    entries: Sequence[Entry],
    expected: str | None = None,
    log: Sequence[PhoneTest] = (),
    now: datetime | None = None,
) -> str:
    """The report as one page; parameters as in `as_json`."""
    now = now or datetime.now()
    parts = [
        "<!doctype html><html lang='en'><head><meta charset='utf-8'>",
        "<meta name='viewport' content='width=device-width, initial-scale=1'>",
        "<meta http-equiv='Content-Security-Policy' content=\"default-src 'none'; "
        "img-src data:; style-src 'unsafe-inline'\">",
        f"<title>Check report</title><style>{_STYLE}</style></head><body>",
        "<h1>Check report</h1>",
        f"<p class='soft'>{now:%Y-%m-%d %H:%M}. {_counted(len(entries), 'image')}, "
        f"{_counted(sum(_codes(e) for e in entries), 'code')}.</p>",
    ]
    if expected is not None:
        parts.append(f"<p>Intended message:</p><pre>{html.escape(expected)}</pre>")
    parts += [_article(entry, expected) for entry in entries]
    if log:
        parts.append(_phones(log))
    return "".join(parts) + "</body></html>\n"


def _codes(entry: Entry) -> int:
    return 0 if entry.checked is None else len(entry.checked.findings)


def _counted(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"


def _article(entry: Entry, expected: str | None) -> str:
    parts = [f"<article><h2>{html.escape(entry.name)}</h2>"]
    if entry.error:
        parts.append(f"<p class='fails'>{html.escape(entry.error)}</p>")
    if entry.checked is not None:
        state = entry.checked.verdict.state
        width, height = entry.checked.size
        parts.append(
            f"<p><b class='{state}'>{_SIGNS[state]} {WORDS[state]}</b> "
            f"<span class='soft'>{width} × {height} px</span></p>"
        )
    if entry.image is not None:
        parts.append(f"<img class='seen' alt='' src='data:image/jpeg;base64,{_jpeg(entry.image)}'>")
    if entry.checked is not None:
        if not entry.checked.findings:
            parts.append("<p>No reader found a code here.</p>")
        parts += [_code(finding, expected) for finding in entry.checked.findings]
    return "".join(parts) + "</article>"


def _code(finding: Finding, expected: str | None) -> str:
    verdict, reading, quality = finding.verdict, finding.reading, finding.quality
    right, able = verdict.readers_right
    x, y, width, height = finding.box
    rows = [
        ("Kind", html.escape(finding.kind)),
        ("Verdict", f"<b class='{verdict.state}'>{WORDS[verdict.state]}</b>"),
        ("Readers", f"{right} of {able}: " + ", ".join(
            f"{mark.name} {'read' if mark.read else 'did not'}"
            for mark in verdict.marks if mark.able
        )),
        ("Symbol", f"version {reading.version}-{reading.level}, mask {reading.mask}"
         if reading.version else "not known"),
        ("Place", f"{x:.0f}, {y:.0f}; {width:.0f} × {height:.0f} px"),
        ("Spare", "not known" if verdict.spare is None else f"{verdict.spare:.0%}"),
        ("Print grade", "not known" if quality is None else f"{quality.letter} (" + ", ".join(
            f"{p.title.lower()} {p.letter}" for p in quality.parameters) + ")"),
    ]  # fmt: skip
    if finding.reach is not None:
        rows.append(("Reach", f"{finding.reach:.0%} of what plain code passes"))
    for reason in verdict.reasons:
        rows.append(("Why", html.escape(f"{reason.text} {reason.way_out}".strip())))
    table = "".join(f"<tr><th>{name}</th><td>{value}</td></tr>" for name, value in rows)
    return f"<h3>Code</h3>{_text(finding.text, expected)}<table>{table}</table>{_frames(finding)}"


def _text(read: str, expected: str | None) -> str:
    if expected is None or read == expected:
        agrees = "" if expected is None else "<p class='well'>✓ As intended, every character.</p>"
        return f"<pre>{html.escape(read)}</pre>{agrees}"
    stretches = compare.compare(read, expected)
    shown = "".join(
        html.escape(s.read) if s.kind == "same"
        else f"<mark class='{s.kind}'>{html.escape(s.read or s.wanted)}</mark>"
        for s in stretches
    )  # fmt: skip
    told = html.escape(compare.in_words(stretches))
    return f"<pre>{shown}</pre><p class='fails'>✕ {told}</p>"


def _frames(finding: Finding) -> str:
    if not finding.results:
        return ""
    figures = []
    for result in finding.results:
        state = _STATES[result.state]
        both, of = result.pairs
        picture = ""
        if result.thumb is not None:
            picture = f"<img alt='' src='data:image/jpeg;base64,{_jpeg(result.thumb)}'>"
        told = f"{both} of {of}" if of else "plain code fails too"
        figures.append(
            f"<figure>{picture}<span class='{state}'>{_SIGNS[state]}</span> "
            f"{html.escape(result.trial.name)}<br><span class='soft'>{told}</span></figure>"
        )
    return f"<h3>Trials</h3><div class='frames'>{''.join(figures)}</div>"


def _phones(log: Sequence[PhoneTest]) -> str:
    rows = "".join(
        f"<tr><td>{html.escape(t.device)}</td><td class='{'well' if t.read else 'fails'}'>"
        f"{'✓ read' if t.read else '✕ not read'}</td><td>{t.size:g} mm on {t.medium}</td>"
        f"<td>{'' if t.distance is None else f'{t.distance:g} mm'}</td>"
        f"<td>{html.escape(t.light)}</td><td>{html.escape(t.when)}</td></tr>"
        for t in log
    )
    head = "".join(
        f"<th>{name}</th>" for name in ("Device", "Result", "Size", "Distance", "Light", "When")
    )
    return f"<article><h2>Phones</h2><table><tr>{head}</tr>{rows}</table></article>"


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
            f"“{Path(path).name}” does not end in .html or .json.",
            "Give the file one of these endings.",
        )
    data = text.encode("utf-8", "replace")
    write_atomically(Path(path), lambda file: file.write(data), OutputError, "write")
