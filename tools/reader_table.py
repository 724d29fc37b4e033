"""What readers need, and which shapes they miss: writes docs/readers.md from measurements."""

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

HEAD = """# What readers need

Four libraries judge every piece. Each finds and decodes codes in its own way, so each asks for something that the others do not. What stands here was measured: in the trials that ship and in 26 others drawn at random ([how far the verdict can be believed](verdict.md) has the table by trial and reader), on the gentlest blends ([how gently a code can lie](gentlest.md)), and in the tables below. What is said of a library's inner workings is from memory of its published source.

| reader | how it looks | what it needs that others do not | what it forgives |
| --- | --- | --- | --- |
| zxing-cpp | thresholds blocks of pixels, looks for the runs 1 : 1 : 3 : 1 : 1 along rows, columns and diagonals | finders whose diagonals keep the ratio, too; even light over the code: half in shadow it loses even the usual code | small modules (at 2.5 pixels a module it reads most of what the others lose), codes light on dark, Micro QR, round finders |
| OpenCV | thresholds against the mean of a window of 83 pixels, finds the code by the outer corners of its finders and draws the far corner on from two of them | square outer corners; a light seam all round the code without a gap; most of each module's area on its side; no fine detail inside modules where these are large (of blends that it loses at 24 pixels a module it reads all at 6) | shadows and falling light |
| quirc | thresholds along each row against a running mean, finds the code by the outer corners of its finders | many pixels a module: at 4 or fewer it loses half of even plain codes; square outer corners | fine detail, large modules, saving as JPEG |
| qrdec | thresholds against the mean of a window, fits lines through the finders' edges | edges of finders that are clean along their length; no glare on a finder | tilt, dim light, small modules, creases |

**What a phone is most like.** An app looks many times a second and tries more than one threshold, so it is nearer to the best of the four than to the worst (common practice). Of the four, zxing-cpp and qrdec follow zbar most closely, a reader that the program does not have (though zbar and qrdec are related); OpenCV and quirc are stricter. A code in the hand is 3 to 12 pixels a module for a phone. What devices of your own do is what the phone test is for.

**Readers that count.** Whoever knows what the readers of a piece will be can say so: *Edit trials* has a tick for each reader. Those without one are still asked, but neither reach nor verdict counts them. The choice is saved with the set of trials, and the wall names the readers that are left.

**Phones.** The phone test keeps what real devices made of the piece. Each entry is put through a trial of its own, with its size, its distance and the light that its words name, and the phone test says how many did as the readers foresaw: enough of them read one of three looks, and so did the phone; or neither did.

## What they miss

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
        f"### {title}, {module} pixels a module",
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
