"""Which readers miss which shapes: writes docs/readers.md from measurements made now."""

from __future__ import annotations

import random
import sys
from pathlib import Path

import numpy as np

from nimble_tile.core.look import Look
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.project.looks import shipped
from nimble_tile.core.scan.readers import READER_NAMES, READERS
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.symbol.looks import drawing
from nimble_tile.core.symbol.looks.paint import raster
from nimble_tile.core.symbol.segments import capacity

VERSIONS = tuple(map(str, range(1, 11)))
MODULES = ("square", "rounded", "round", "diamond", "star", "leaf", "plus", "upright", "across",
           "fused")  # fmt: skip
RINGS = ("square", "window", "sail", "rounded", "soft", "round", "leaf", "cut", "modules")
EYES = ("square", "rounded", "soft", "round", "leaf", "cut", "diamond", "star", "modules")

HEAD = """# What our readers miss

Measured by `tools/reader_table.py`, straight on, black on white, one message for each of the versions 1 to 10 at level M. Numbers are versions; an empty cell means that all ten were read.

OpenCV also loses single plain codes at single sizes, so that a lone version in its column says little. OpenCV and quirc find a code by the outer corners of its finder rings: rings that are not square outside move these corners inwards, and both mostly miss them. zxing-cpp measures the diagonals too.
"""  # noqa: E501


def text_for(version: str) -> str:
    """A message that nearly fills a version at level M, other for each."""
    rng = random.Random(int(version))
    count = min(capacity(version, "M", "byte"), 180)
    letters = "".join(rng.choice("abcdefghijklmnopqrstuvwxyz") for _ in range(180))
    return ("https://lanternwalk.example/" if count > 40 else "") + letters[: max(8, count - 40)]


def missed(look: Look, module: int) -> dict[str, list[str]]:
    """Versions that each reader misses."""
    found: dict[str, list[str]] = {name: [] for name in READER_NAMES}
    for version in VERSIONS:
        text = text_for(version)
        symbol = encode(Message(kind="text", text=text), Code(version=version))
        drawn = drawing(symbol, look, 4)
        image = np.ascontiguousarray(raster(drawn, drawn.side * module)[..., :3])
        for name, make in READERS.items():
            if not any(reading.text == text for reading in make().read(image)):
                found[name].append(version)
    return found


def table(title: str, looks: dict[str, Look], module: int) -> str:
    """One table in Markdown."""
    lines = [
        f"## {title}, {module} pixels a module",
        "",
        f"| shape | {' | '.join(READER_NAMES)} |",
        f"| --- | {' | '.join('---' for _ in READER_NAMES)} |",
    ]
    for name, look in looks.items():
        found = missed(look, module)
        cells = ["all" if len(v) == len(VERSIONS) else " ".join(v) for v in found.values()]
        lines.append(f"| {name} | {' | '.join(cells)} |")
        print(title, name, module, {k: v for k, v in found.items() if v}, flush=True)
    return "\n".join(lines) + "\n"


def main(path: Path) -> None:
    parts = [
        HEAD,
        table("Module shapes", {shape: Look(shape=shape) for shape in MODULES}, 8),
        table("Finder rings", {ring: Look(ring=ring) for ring in RINGS}, 8),
        table("Finder rings", {ring: Look(ring=ring) for ring in RINGS}, 16),
        table("Finder eyes", {eye: Look(eye=eye) for eye in EYES}, 8),
        table("Finder eyes", {eye: Look(eye=eye) for eye in EYES}, 16),
        table("Looks that ship", {look.name: look for look in shipped()}, 8),
    ]
    path.write_text("\n".join(parts), "utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/readers.md"))
