"""What the eye sees of a code at one reach: overlay, tone, gentle, weave.

On the six photographs of `gentlest.py`, and on four further ones on which nothing was tuned.
Overlay and tone are as strong as they must be to hold the reach in the trials that ship; the
gentle blend and the weave are what the gentlest pass finds.

    bench/eye.py figures.json FOLDER [NAME …]     FOLDER takes the finished squares
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

import numpy as np
from PIL import Image
from skimage import data

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))

from gentlest import PERSON, Bench, squares
from nimble_tile.core.judged import judged_size
from nimble_tile.core.piece import Blend, Piece
from nimble_tile.core.scan.judging import fidelity_of
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune.gentlest import search

WANTED = 0.9
FURTHER = ("camera", "coins", "brick", "page")
CLOSE = 0.02
"""Strengths between which nothing is looked for."""


def pictures() -> dict[str, np.ndarray]:
    """Squares of all pictures."""
    found = squares()
    for name in FURTHER:
        image = getattr(data, name)()
        if image.ndim == 2:
            image = np.dstack([image] * 3)
        side = min(image.shape[:2])
        top, left = (image.shape[0] - side) // 2, (image.shape[1] - side) // 2
        found[name] = np.ascontiguousarray(image[top : top + side, left : left + side, :3])
    return found


def least(bench: Bench, piece: Piece) -> Piece:
    """The piece as weak as it may be to hold the reach."""
    low, high = 0.2, 1.0
    while high - low > CLOSE:
        strength = round((low + high) / 2, 3)
        made = piece.edited("blend", strength=strength)
        rendering = bench.renderer.render(made, judged_size(made, bench.renderer))
        if bench.ours.reach(rendering, WANTED) >= WANTED:
            high = strength
        else:
            low = strength
    return piece.edited("blend", strength=round(high, 3))


def rows_of(bench: Bench, name: str, image: np.ndarray, folder: Path) -> list[dict]:
    """The four ways on one picture."""
    rows = []
    for way in ("overlay", "tone", "gentle", "weave"):
        began = time.perf_counter()
        piece = bench.piece(image, name, PERSON, Blend(method=way))
        holds = True
        if way in ("overlay", "tone"):
            piece = least(bench, piece)
        else:
            *_, last = search(piece, bench.renderer, bench.room, shipped(), WANTED)
            piece, holds = last.best.piece, last.holds
        took = time.perf_counter() - began
        rendering = bench.renderer.render(piece, judged_size(piece, bench.renderer))
        after = rendering.upright(rendering.image)
        Image.fromarray(after).save(folder / f"{name}-{way}.png")
        rows.append({
            "picture": name, "way": way, "holds": holds, "seconds": took,
            "strength": piece.blend.strength,
            "symbol": f"{rendering.symbol.version}-{rendering.symbol.level}",
            "reach": bench.ours.reach(rendering), **bench.outside(piece),
            "ssim": fidelity_of(rendering).ssim_view,
        })  # fmt: skip
        print({k: v if isinstance(v, str | bool) else round(v, 3) for k, v in rows[-1].items()},
              flush=True)  # fmt: skip
    return rows


def main(path: Path, folder: Path, names: list[str]) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    bench, every = Bench(), pictures()
    known = json.loads(path.read_text("utf-8")) if path.exists() else {}
    rows = known.get("eye", [])
    for name in names or list(every):
        rows = [row for row in rows if row["picture"] != name]
        rows += rows_of(bench, name, every[name], folder)
        path.write_text(json.dumps(known | {"eye": rows}), "utf-8")
    bench.bay.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3:])
