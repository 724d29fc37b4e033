"""Large pictures: advice on places, and a 24-megapixel export in time and memory."""

from __future__ import annotations

import io
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

RAW = 3
"""Bytes a pixel of the raw picture."""


def large_picture(width: int, height: int, seed: int = 3) -> np.ndarray:
    """A photograph-like picture: smooth tones, edges and grain (uint8 H × W × 3)."""
    import cv2

    rng = np.random.default_rng(seed)
    made = np.zeros((height, width, 3), np.float32)
    for cells, strength in ((6, 60), (24, 34), (120, 16)):
        size = (cells * width // height + 2, cells + 2)
        field = rng.normal(0, strength, (size[1], size[0], 3)).astype(np.float32)
        made += cv2.resize(field, (width, height), interpolation=cv2.INTER_CUBIC)
    made += 128 + rng.normal(0, 4, made.shape).astype(np.float32)
    return np.clip(made, 0, 255).astype(np.uint8)


def setting(size: tuple[int, int], method: str = "tone", **place):
    """A piece on a large picture with nothing remembered, and its pictures."""
    from PIL import Image

    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.piece import Blend, Message, Picture, Piece, Region

    file = io.BytesIO()
    Image.fromarray(large_picture(*size)).save(file, "JPEG", quality=92)
    store = PictureStore()
    digest = store.add(file.getvalue(), "large")
    region = Region(**place) if place else None
    return Piece(
        message=Message(text="https://lanternwalk.example/dusk/path7"),
        picture=Picture(digest=digest, region=region),
        blend=Blend(method=method),
    ), store


def advice(timed) -> list[bool]:
    """Scores of all places on a 12-megapixel picture, the picture decoded already."""
    import cv2

    from nimble_tile.core.places import advise_piece
    from nimble_tile.core.render import Renderer

    place = {"x": 900, "y": 800, "width": 1100, "height": 1100}
    piece, store = setting((4000, 3000), **place)
    picture = store.opened(piece.picture.digest).rgb
    times, base = [], []
    for _ in range(7):
        renderer = Renderer(store)  # which remembers nothing
        base.append(timed(lambda: cv2.resize(picture, (1024, 768), interpolation=cv2.INTER_AREA)))
        times.append(timed(lambda r=renderer: advise_piece(r, piece)))
    times.sort()
    base.sort()
    good = times[3] <= 0.5
    print(
        f"advice on places, 12 megapixels: {times[3] * 1e3:.0f} ms, limit 500 ms; shrinking it by "
        f"OpenCV: {base[3] * 1e3:.0f} ms; ratio {times[3] / base[3]:.1f}: "
        f"{'met' if good else 'NOT MET'}",
        flush=True,
    )
    return [good]


def export_time(compare) -> list[bool]:
    """Render and write 24 megapixels, against Pillow writing the same pixels as PNG."""
    from PIL import Image

    from nimble_tile.core.output.export import write
    from nimble_tile.core.piece import Finish
    from nimble_tile.core.render import Renderer

    results = []
    for method, place in (
        ("tone", {}),
        ("strokes", {}),
        ("tone", {"x": 600, "y": 300, "width": 3200, "height": 3200, "angle": 9,
                  "bend": ((0, 0), (-0.1, 0.06), (-0.05, -0.08), (0, 0))}),
    ):  # fmt: skip
        piece, store = setting((6000, 4000), method, **place)
        store.opened(piece.picture.digest)
        image = Renderer(store).render(piece).image
        with tempfile.TemporaryDirectory() as folder:

            def ours(piece=piece, store=store, folder=folder) -> None:
                write(Renderer(store).render(piece), Path(folder) / "a.png", Finish())

            def pillow(image=image, folder=folder) -> None:
                Image.fromarray(image).save(Path(folder) / "b.png")

            where = "in perspective" if place else "over the whole height"
            results.append(
                compare(f"24-megapixel export, {method} {where}", ours,
                        "Pillow's PNG write", pillow, 3, rounds=2)
            )  # fmt: skip
    return results


def export_memory() -> list[bool]:
    """Peak memory of such an export in a process of its own, over the raw picture."""
    results = []
    for method in ("tone", "strokes", "grain", "overlay"):
        done = subprocess.run(
            [sys.executable, __file__, method], capture_output=True, text=True, check=True
        )
        grown = int(done.stdout) * 1024
        raw = 6000 * 4000 * RAW
        good = grown <= 12 * raw
        print(
            f"24-megapixel export, {method}: peak memory {grown / 1e6:.0f} MB above the loaded "
            f"program; raw picture {raw / 1e6:.0f} MB; ratio {grown / raw:.1f}, limit 12: "
            f"{'met' if good else 'NOT MET'}",
            flush=True,
        )
        results.append(good)
    return results


def _peak() -> int:
    """Highest resident memory of this process so far, in KiB."""
    status = Path("/proc/self/status").read_text()
    return int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1])


def _child(method: str) -> None:
    """Print how much the peak grew, in KiB, from the program loaded to the file written."""
    from PIL import Image

    from nimble_tile.core.output.export import write
    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.piece import Blend, Finish, Message, Picture, Piece
    from nimble_tile.core.render import Renderer

    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "source.jpg"
        # Made by another process, whose memory is its own.
        code = (
            "import sys; sys.path.insert(0, sys.argv[1]); from large import large_picture; "
            "from PIL import Image; "
            "Image.fromarray(large_picture(6000, 4000)).save(sys.argv[2], quality=92)"
        )
        here = str(Path(__file__).parent)
        subprocess.run([sys.executable, "-c", code, here, str(source)], check=True)
        Image.init()
        small = Piece(message=Message(text="warm"))
        Renderer(PictureStore()).render(small, 200)
        before = _peak()
        store = PictureStore()
        digest = store.add(source.read_bytes(), "large")
        piece = Piece(
            message=Message(text="https://lanternwalk.example/dusk/path7"),
            picture=Picture(digest=digest),
            blend=Blend(method=method),
        )
        write(Renderer(store).render(piece), Path(folder) / "out.png", Finish())
        print(_peak() - before)


if __name__ == "__main__":
    _child(sys.argv[1])
