"""Marks beside soft tones, and weaves, on pictures that had no part in any tuning.

Eight grey photographs of scikit-image and its picture of galaxies, cut to squares; the gentlest
pass by marks for two reaches, and softly for the higher one. Reach is told in trials drawn anew,
zbar reads straight on and in these, `smeared` says how much of the square is neither picture,
or what is woven of it, nor flat colour, and `sharpness` is the variance of the Laplacian in parts
of the picture's.

    bench/crisp.py figures.json [PICTURE ...]
    bench/crisp.py table figures.json
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

import numpy as np
from skimage import data

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))

from eye_measures import sharpness
from gentlest import OTHER_LINK, PERSON, Bench
from nimble_tile.core.judged import judged_size
from nimble_tile.core.piece import SOFTLY, Blend
from nimble_tile.core.scan.fidelity import smeared
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune.gentlest import search

PICTURES = ("camera", "coins", "brick", "grass", "gravel", "moon", "clock", "hubble_deep_field")
WAYS = {
    "marks 0.97": (Blend(method="gentle"), 0.97),
    "soft 0.97": (Blend(method="gentle", marks=SOFTLY), 0.97),
    "marks 0.90": (Blend(method="gentle"), 0.9),
    "woven 0.90": (Blend().turned("weave"), 0.9),
}
FIGURES = ("fresh", "zbar", "flip", "ssim", "de", "smeared", "sharpness", "seconds")


def square(name: str) -> np.ndarray:
    image = getattr(data, name)()
    image = image if image.ndim == 3 else np.repeat(image[..., None], 3, 2)
    side = min(image.shape[:2])
    top, left = (image.shape[0] - side) // 2, (image.shape[1] - side) // 2
    return np.ascontiguousarray(image[top : top + side, left : left + side, :3]).astype(np.uint8)


def figures(bench: Bench, name: str, blend: Blend, wanted: float) -> dict:
    start = bench.piece(square(name), name, PERSON, blend)
    began = time.perf_counter()
    last = list(search(start, bench.renderer, bench.room, shipped(), wanted))[-1]
    took, best = time.perf_counter() - began, last.best
    made = bench.renderer.render(best.piece, judged_size(best.piece, bench.renderer))
    flats = () if made.marked is None else made.marked.flats
    below = made.upright(made.picture if made.below is None else made.below)
    dirt = smeared(below, made.upright(made.image), (flat.colour for flat in flats))
    return {
        **bench.figures(best.piece), **bench.outside(best.piece), "smeared": dirt,
        "sharpness": sharpness(made.upright(made.picture), made.upright(made.image)),
        "seconds": took, "holds": last.holds, "strength": best.piece.blend.strength,
    }  # fmt: skip


def run(path: Path, names: list[str]) -> None:
    """Measure, one after another; what is known is not measured again."""
    bench = Bench(OTHER_LINK)
    for name in names or PICTURES:
        for way, (blend, wanted) in WAYS.items():
            known = json.loads(path.read_text("utf-8")) if path.exists() else {}
            if f"{way} {name}" not in known:
                known[f"{way} {name}"] = found = figures(bench, name, blend, wanted)
                path.write_text(json.dumps(known), "utf-8")
                print(way, name, {key: found[key] for key in FIGURES}, flush=True)
    bench.bay.close()


def table(path: Path) -> None:
    """Print means, and the least of fresh reach."""
    known = json.loads(path.read_text("utf-8"))
    print("| way | pictures |", " | ".join(FIGURES), "| least fresh |")
    print("| --- " * (len(FIGURES) + 3) + "|")
    for way in WAYS:
        rows = [found for key, found in known.items() if key.startswith(way)]
        if rows:
            means = [f"{np.mean([row.get(key, np.nan) for row in rows]):.3f}" for key in FIGURES]
            least = min(row["fresh"] for row in rows)
            print(f"| {way} | {len(rows)} |", " | ".join(means), f"| {least:.3f} |")


if __name__ == "__main__":
    if sys.argv[1] == "table":
        table(Path(sys.argv[2]))
    else:
        run(Path(sys.argv[1]), sys.argv[2:])
        table(Path(sys.argv[1]))
