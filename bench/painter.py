"""How well paintings read over the weight of their guide.

    python bench/painter.py measure FILE.json   paint and try all (about half an hour on two cores)
    python bench/painter.py write FILE.json DOCS   docs/painter.md from it

Eight seeds × three scenes × six weights, with the guide over all steps and with its end at 0.8;
each painting goes through all readers and all trials, as a piece does.
"""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path

import cv2
import numpy as np

from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune.finished import finished_piece
from nimble_tile.core.tune.proving import prove
from nimble_tile.standins.painter.paint import paint
from nimble_tile.standins.painting import Guide, Request

MESSAGE = "https://lanternwalk.example/reeds"
SCENES = (
    "heron marsh at dawn, oil",
    "village street in the evening, watercolour",
    "forest with deer, afternoon, mosaic",
)
SEEDS = tuple(range(101, 109))
WEIGHTS = (0.2, 0.4, 0.6, 0.75, 0.9, 1.2)
ENDS = (1.0, 0.8)
SIZE = 512
MARKS = ("<!-- curve -->", "<!-- end of the curve -->")


def measure(file: Path) -> None:
    """Paint and try all; what is known already is not done again."""
    known = json.loads(file.read_text()) if file.exists() else {}
    symbol = encode(Message(text=MESSAGE), Code(level="H", raise_level=False))
    bay = ReaderBay()
    room, trials = Room(bay), shipped()
    try:
        for scene in SCENES:
            for seed in SEEDS:
                for end in ENDS:
                    for weight in WEIGHTS:
                        key = f"{scene}|{seed}|{end}|{weight}"
                        if key in known:
                            continue
                        guides = (Guide(symbol.dark, weight, 0.0, end),)
                        began = time.perf_counter()
                        *_, last = paint(Request(scene, "", seed, SIZE, SIZE, 24, guides))
                        painted = time.perf_counter() - began
                        pictures = PictureStore()
                        _, data = cv2.imencode(".png", last.image[..., ::-1])
                        digest = pictures.add(data.tobytes())
                        piece = finished_piece(
                            Piece(message=Message(text=MESSAGE)), digest, scene, (SIZE, SIZE),
                            symbol, None,
                        )  # fmt: skip
                        found = prove(piece, Renderer(pictures), room, trials)
                        known[key] = {
                            "state": found.verdict.state, "reach": found.reach,
                            "readers": found.verdict.readers_right[0], "seconds": painted,
                        }  # fmt: skip
                        file.write_text(json.dumps(known))
            print(scene, len(known), flush=True)
    finally:
        bay.close()


def table(known: dict) -> str:
    """The curve as text."""
    lines = [
        "| guide | weight | read | scan well | mean reach | least | most |",
        "| --- | --- | --- | --- | --- | --- | --- |",
    ]
    for end in ENDS:
        for weight in WEIGHTS:
            rows = [
                row for key, row in known.items()
                if float(key.split("|")[2]) == end and float(key.split("|")[3]) == weight
            ]  # fmt: skip
            reach = np.array([row["reach"] for row in rows])
            read = sum(row["state"] != "fails" for row in rows)
            well = sum(row["state"] == "well" for row in rows)
            name = "all steps" if end == 1 else f"ends at {end:g}"
            lines.append(
                f"| {name} | {weight:g} | {read} of {len(rows)} | {well} | {reach.mean():.0%} "
                f"| {reach.min():.0%} | {reach.max():.0%} |"
            )
    return "\n".join(lines)


def write(file: Path, docs: Path) -> None:
    """The figures into docs/painter.md, between their marks."""
    page = docs / "painter.md"
    text = page.read_text()
    before, rest = text.split(MARKS[0])
    after = rest.split(MARKS[1])[1]
    told = table(json.loads(file.read_text()))
    page.write_text(f"{before}{MARKS[0]}\n{told}\n{MARKS[1]}{after}")


if __name__ == "__main__":
    os.nice(5)
    if sys.argv[1] == "measure":
        measure(Path(sys.argv[2]))
    else:
        write(Path(sys.argv[2]), Path(sys.argv[3]))
