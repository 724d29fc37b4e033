"""Pages of `bench/gentlest.py`: docs/gentlest.md, its plot and the gallery."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PIL import Image

COLOURS = {
    "overlay": "#8a5a2b", "dots": "#a8872d", "tone": "#5b6f8f", "steered tone": "#3f8f7a",
    "gentlest pass": "#1f5a40",
}  # fmt: skip
GOALS = {0.9: (0.48, 0.52), 0.97: (0.42, 0.47)}
"""Fidelity that we wanted at least, and that we aimed at."""

WORDS = {"well": "scans well", "thin": "little to spare", "fails": "does not scan"}

WIDTH, HEIGHT, LEFT, BOTTOM = 760, 470, 64, 56

HEAD = """# How gently a code can lie in a picture

Measured by `bench/gentlest.py` on six sample photographs of scikit-image and scikit-learn, centre-cropped to the code's square at 12 pixels a module, with a link of 38 characters. **Fidelity** is `ssim_view` (structural similarity at viewing distance, over the whole square, quiet zone included). **Reach** is what the artwork passes over what the usual code (version 5-H) passes on the same square: in the trials that ship, by which the gentlest pass searches; in fresh ones like them, but nearer or farther, darker, softer, more turned, with other noise, which it has not used (the mean of eight draws, four and their opposites); and in 26 others drawn at random, harder ones, of which it knows nothing. **zbar** is a reader that the program does not have, in one of these draws. The ceiling is the fidelity when nothing but finders and other function patterns is changed.

![Fidelity against reach](gentlest.svg)

"""  # noqa: E501


def write(known: dict, docs: Path) -> None:
    rows = known["frontier"]
    text = [HEAD, _frontier(rows), _passes(rows)]
    if "unseen" in known:
        text.append(_unseen(known["unseen"]))
    if "eye" in known:
        text.append(_eye(known["eye"]))
    if "mend" in known:
        text.append(_mended(known["mend"]))
    (docs / "gentlest.md").write_text("".join(text), "utf-8")
    (docs / "gentlest.svg").write_text(_plot(rows), "utf-8")


def _mean(rows: list[dict], key: str) -> float:
    return float(np.mean([row[key] for row in rows]))


def _points(rows: list[dict], way: str) -> list[tuple[float, float, float, float, float]]:
    """Reach, fidelity, colour difference, reach elsewhere and setting, by setting."""
    own = [row for row in rows if row["way"] == way]
    return [
        (*(_mean(part, key) for key in ("reach", "ssim", "de", "other")), at)
        for at in sorted({row["at"] for row in own})
        if (part := [row for row in own if row["at"] == at])
    ]


def _frontier(rows: list[dict]) -> str:
    lines = [
        "## The frontier\n\nMeans of the six photographs.\n\n",
        "| way | setting | reach, shipped trials | reach, other trials | fidelity | colour "
        "difference |\n|" + " --- |" * 6 + "\n",
    ]
    for way in COLOURS:
        for reach, ssim, de, other, at in _points(rows, way):
            setting = f"wanted {at:.0%}" if way == "gentlest pass" else f"strength {at:.0%}"
            lines.append(
                f"| {way} | {setting} | {reach:.2f} | {other:.2f} | {ssim:.3f} | {de:.1f} |\n"
            )
    for reach, ssim, de, _, at in _points(rows, "ceiling"):
        del reach
        lines.append(f"| ceiling | version {at} | – | – | {ssim:.3f} | {de:.1f} |\n")
    return "".join(lines)


def _passes(rows: list[dict]) -> str:
    lines = [
        "\n## The gentlest pass, picture by picture\n\nAs it was judged by the search at 1,024 "
        "pixels, and the same piece at 12 pixels a module.\n\n"
        "| picture | wanted | symbol | fidelity | reach | fresh trials | zbar | verdict | FLIP | "
        "coherence | at 12 px a module | reach there | other trials | seconds |\n|"
        + " --- |" * 14
        + "\n"
    ]
    passes = [row for row in rows if row["way"] == "gentlest pass"]
    for row in sorted(passes, key=lambda row: (row["at"], row["picture"])):
        lines.append(
            f"| {row['picture']} | {row['at']:.0%} | {row['symbol']} | {row['searched']:.3f} | "
            f"{row['judged']:.2f} | {row['fresh']:.2f} | {row['zbar']:.2f} | "
            f"{WORDS[row['verdict']]} | {row['flip']:.3f} | {row['coherence']:+.1f} | "
            f"{row['ssim']:.3f} | {row['reach']:.2f} | "
            f"{row['other']:.2f} | {row['seconds']:.0f} |\n"
        )
    for at in sorted({row["at"] for row in passes}):
        part = [row for row in passes if row["at"] == at]
        floor = ""
        if at in GOALS:
            least, aim = GOALS[at]
            floor = f" (wanted at least {least:.2f}, aimed at {aim:.2f})"
        lines.append(
            f"\nWanted {at:.0%}: mean fidelity {_mean(part, 'searched'):.3f}{floor}; mean reach "
            f"{_mean(part, 'judged'):.3f}, in fresh trials {_mean(part, 'fresh'):.3f} (least "
            f"{min(row['fresh'] for row in part):.2f}), zbar {_mean(part, 'zbar'):.3f}; "
            f"FLIP {_mean(part, 'flip'):.3f}, coherence {_mean(part, 'coherence'):+.1f}; at 12 "
            f"pixels a module {_mean(part, 'ssim'):.3f} at {_mean(part, 'reach'):.3f}, in other "
            f"trials {_mean(part, 'other'):.3f}. Seconds: "
            f"{_mean(part, 'seconds'):.0f} on average, {max(r['seconds'] for r in part):.0f} at "
            f"most; a first blend of its own after {max(r['first'] for r in part):.1f} at most.\n"
        )
    return "".join(lines)


def _unseen(rows: list[dict]) -> str:
    lines = [
        "\n## Pictures that had no part\n\nThe pictures that ship, which served no tuning, with a "
        "link of 41 characters, wanted 97%.\n\n| picture | symbol | fidelity | reach | fresh "
        "trials | zbar | verdict | FLIP | coherence | other trials | seconds |\n|"
        + " --- |" * 11
        + "\n"
    ]
    for row in rows:
        lines.append(
            f"| {row['picture']} | {row['symbol']} | {row['searched']:.3f} | {row['judged']:.2f} "
            f"| {row['fresh']:.2f} | {row['zbar']:.2f} | {WORDS[row['verdict']]} | "
            f"{row['flip']:.3f} | {row['coherence']:+.1f} | {row['other']:.2f} | "
            f"{row['seconds']:.0f} |\n"
        )
    lines.append(
        f"\nMean fidelity {_mean(rows, 'searched'):.3f}; mean reach {_mean(rows, 'judged'):.3f}, "
        f"in fresh trials {_mean(rows, 'fresh'):.3f} (least "
        f"{min(row['fresh'] for row in rows):.2f}), zbar {_mean(rows, 'zbar'):.3f}; "
        f"FLIP {_mean(rows, 'flip'):.3f}, coherence {_mean(rows, 'coherence'):+.1f}.\n"
    )
    return "".join(lines)


def _eye(rows: list[dict]) -> str:
    """What structural similarity does not see."""
    names = list(dict.fromkeys(row["picture"] for row in rows))
    further = f" {', '.join(names[6:])} (scikit-image) served no tuning." if names[6:] else ""
    lines = [
        "\n## What the eye sees\n\nFour ways to the same reach of 90% in the trials that ship: "
        "overlay and tone of the usual code, as strong as they must be, and what the gentlest "
        "pass makes of the gentle blend and of the weave. **FLIP** (P. Andersson et al. 2020, "
        "the authors' evaluator, at 522 pixels; 0 = alike) is what the eye sees when it "
        "alternates between picture and result. **Coherence** (D. Simakov et al. 2008, "
        "Lab distance from each patch of the result to the nearest of the picture in any of four "
        "turns, less that of the picture to itself) is how far the result is from being made of "
        "what is in the picture."
        + further
        + "\n\n| picture | way | symbol | reach | fresh trials | zbar | fidelity | FLIP | "
        "coherence |\n|" + " --- |" * 9 + "\n"
    ]
    for row in rows:
        lines.append(
            f"| {row['picture']} | {row['way']} | {row['symbol']} | {row['reach']:.2f}"
            f"{'' if row['holds'] else ' (does not hold)'} | {row['fresh']:.2f} | "
            f"{row['zbar']:.2f} | {row['ssim']:.3f} | {row['flip']:.3f} | "
            f"{row['coherence']:+.1f} |\n"
        )
    lines.append(
        "\n| mean of | way | holds | reach | fresh trials | zbar | fidelity | FLIP | coherence |"
        "\n|" + " --- |" * 9 + "\n"
    )
    for told, some in (("the six", names[:6]), ("the others", names[6:])):
        for way in ("overlay", "tone", "gentle", "weave"):
            part = [row for row in rows if row["way"] == way and row["picture"] in some]
            if part:
                figures = " | ".join(
                    f"{_mean(part, key):{form}}"
                    for key, form in (
                        ("reach", ".2f"), ("fresh", ".2f"), ("zbar", ".2f"), ("ssim", ".3f"),
                        ("flip", ".3f"), ("coherence", "+.1f"),
                    )
                )  # fmt: skip
                held = sum(row["holds"] for row in part)
                lines.append(f"| {told} | {way} | {held} of {len(part)} | {figures} |\n")
    return "".join(lines)


def _mended(rows: list[dict]) -> str:
    # No mending reads better than the code alone, black on white, on the same square.
    can = [row for row in rows if row["plain"] >= 0.9]
    held = sum(row["reach"] >= 0.9 for row in can)
    near = sum(row["reach"] >= row["plain"] - 0.03 for row in rows if row not in can)
    whole = sum(row["readers"] == 4 for row in rows)
    ours, flat = _mean(can, "mend"), _mean(can, "overlay")
    symbols = ", ".join(dict.fromkeys(row["symbol"] for row in rows))
    fine = ", ".join(dict.fromkeys(row["symbol"] for row in rows if row not in can))
    known = sum(row.get("recognised", False) for row in rows)
    return (
        "\n## Mending\n\n"
        f"{len(rows)} failing composites: the plain code laid over the photographs at the "
        "highest opacity at which at most one reader of four reads it, symbols "
        f"{symbols}. The symbol was recognised in {known} "
        f"of {len(rows)}; {whole} are read by all four readers straight on at full size "
        f"afterwards. Where the plain code itself holds a reach of 90%, {held} of {len(can)} do "
        f"after mending. The modules of {fine} are too fine for that beside the usual code, plain "
        f"ones too: there {near} of {len(rows) - len(can)} come within three hundredths of what "
        f"the plain code holds. Mean colour difference of those {len(can)} is {ours:.2f}, where "
        f"more flat overlay needs {flat:.2f} for the same: {ours / flat:.2f} of it. "
        f"{_mean(rows, 'seconds'):.0f} seconds each.\n"
    )


def _plot(rows: list[dict]) -> str:
    low_x, high_x, low_y, high_y = 0.2, 1.05, 0.05, 0.75

    def at(reach: float, ssim: float) -> tuple[float, float]:
        x = LEFT + (reach - low_x) / (high_x - low_x) * (WIDTH - LEFT - 150)
        return x, HEIGHT - BOTTOM - (ssim - low_y) / (high_y - low_y) * (HEIGHT - BOTTOM - 24)

    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" '
        'font-family="sans-serif" font-size="13">\n'
        f'<rect width="{WIDTH}" height="{HEIGHT}" fill="#faf7ef"/>\n'
    ]
    for reach in (0.2, 0.4, 0.6, 0.8, 0.9, 0.97):
        x, y = at(reach, low_y)
        parts.append(f'<path d="M{x:.1f} {y:.1f}V24" stroke="#ddd6c4"/>')
        parts.append(
            f'<text x="{x:.1f}" y="{y + 20:.1f}" text-anchor="middle">{reach:.2f}</text>\n'
        )
    for ssim in (0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7):
        x, y = at(low_x, ssim)
        right = at(high_x, ssim)[0]
        parts.append(f'<path d="M{x:.1f} {y:.1f}H{right:.1f}" stroke="#e8e2d2"/>')
        parts.append(f'<text x="{x - 8:.1f}" y="{y + 4:.1f}" text-anchor="end">{ssim:.1f}</text>\n')
    for reach, ssim, *_ in _points(rows, "ceiling"):
        del reach
        x, y = at(low_x, ssim)
        parts.append(f'<path d="M{x:.1f} {y:.1f}H{at(high_x, ssim)[0]:.1f}" stroke="#998" '
                     'stroke-dasharray="3 4"/>\n')  # fmt: skip
    for way, colour in COLOURS.items():
        line = [at(point[0], point[1]) for point in _points(rows, way) if point[0] > low_x]
        path = " ".join(f"{x:.1f},{y:.1f}" for x, y in line)
        parts.append(f'<polyline points="{path}" fill="none" stroke="{colour}" '
                     f'stroke-width="2.5"/>')  # fmt: skip
        parts += [f'<circle cx="{x:.1f}" cy="{y:.1f}" r="4" fill="{colour}"/>' for x, y in line]
    for index, (way, colour) in enumerate([*COLOURS.items(), ("ceiling", "#998")]):
        y = 50 + 24 * index
        parts.append(f'<path d="M{WIDTH - 136} {y}h22" stroke="{colour}" stroke-width="3"/>'
                     f'<text x="{WIDTH - 106}" y="{y + 4}">{way}</text>\n')  # fmt: skip
    middle = (LEFT + WIDTH - 150) / 2
    parts.append(f'<text x="{middle}" y="{HEIGHT - 12}" text-anchor="middle">reach</text>'
                 f'<text transform="rotate(-90)" x="{-HEIGHT / 2}" y="18" '
                 'text-anchor="middle">fidelity</text>\n</svg>\n')  # fmt: skip
    return "".join(parts)


def sheet(images: list[np.ndarray], columns: int, path: Path, side: int = 420) -> None:
    """Pictures side by side on paper."""
    rows = -(-len(images) // columns)
    gap = 16
    paper = Image.new("RGB", (columns * (side + gap) + gap, rows * (side + gap) + gap), "#faf7ef")
    for index, image in enumerate(images):
        picture = Image.fromarray(image)
        picture.thumbnail((side, side), Image.Resampling.LANCZOS)
        x = gap + index % columns * (side + gap) + (side - picture.width) // 2
        y = gap + index // columns * (side + gap) + (side - picture.height) // 2
        paper.paste(picture, (x, y))
    paper.save(path, optimize=True)
