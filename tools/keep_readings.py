"""Keeps sixty images and what each reader reads on them, so that another version of a reader that
reads otherwise is noticed: ``python tools/keep_readings.py tests/samples/kept.zip``.

The images lie near the limit of what is read, where versions differ first: photographs blended
faintly, small, blurred, in perspective, of odd shapes and colours.
"""

import io
import json
import sys
import zipfile
from pathlib import Path

import cv2
import numpy as np
from PIL import Image
from skimage import data

from nimble_tile.core.look import Fill, Look
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Blend, Code, Finish, Message, Picture, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.readers import READER_NAMES, to_grey, versions

COUNT = 60
METHODS = ("tone", "overlay", "dots", "cut", "grain", "ink", "strokes", "gentle")
PHOTOGRAPHS = ("coffee", "chelsea", "rocket", "astronaut", "retina")
LOOKS = (
    Look(shape="round", size=0.6, ring="round", eye="round"), Look(shape="diamond", size=0.8),
    Look(fill=Fill(colour="#f4f0e0"), ground=Fill(colour="#203040")), Look(size=0.45),
    Look(fill=Fill(colour="#a0a0a0")), Look(shape="round", jitter=1, size=0.7),
)  # fmt: skip


def images():
    """Grey images, uint8."""
    rng = np.random.default_rng(2026)
    store = PictureStore()
    renderer = Renderer(store)
    digests = {}
    for name in PHOTOGRAPHS:
        file = io.BytesIO()
        Image.fromarray(getattr(data, name)()[:400, :400, :3]).save(file, "PNG")
        digests[name] = store.add(file.getvalue(), name)
    for number in range(COUNT):
        text = f"https://lanternwalk.example/{number * 7919 % 1000:03}"
        parts = {
            "message": Message(text=text), "code": Code(level="LMQH"[number % 4]),
            "finish": Finish(size=int(rng.integers(150, 260))),
        }  # fmt: skip
        if number % 10 < 7:
            name = PHOTOGRAPHS[number % len(PHOTOGRAPHS)]
            parts["picture"] = Picture(digest=digests[name], name=name)
            parts["blend"] = Blend(
                method=METHODS[number % len(METHODS)], strength=float(rng.uniform(0.25, 0.7))
            )
        else:
            parts["look"] = LOOKS[number // 10 % len(LOOKS)]
        image = to_grey(np.array(renderer.render(Piece(**parts)).image))
        side = image.shape[0]
        image = cv2.copyMakeBorder(image, 20, 20, 20, 20, cv2.BORDER_CONSTANT, value=200)
        if number % 3 == 1:
            edge = np.float32([[0, 0], [side, 0], [side, side], [0, side]])
            bent = edge + rng.uniform(-0.07, 0.07, (4, 2)).astype(np.float32) * side + 20
            matrix = cv2.getPerspectiveTransform(edge + 20, bent)
            image = cv2.warpPerspective(image, matrix, image.shape[::-1], borderValue=200)
        if number % 3 == 2:
            image = cv2.GaussianBlur(image, (0, 0), float(rng.uniform(0.6, 1.9)))
        noise = rng.normal(0, float(rng.uniform(0, 12)), image.shape)
        yield np.clip(image + noise, 0, 255).astype(np.uint8)


def main() -> None:
    bay, told = ReaderBay(), []
    path = Path(sys.argv[1])
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as whole:
        for number, image in enumerate(images()):
            file = io.BytesIO()
            Image.fromarray(image).save(file, "PNG", optimize=True)
            whole.writestr(f"{number:02}.png", file.getvalue())
            outcomes = bay.read(image)
            told.append({o.name: sorted(r.text for r in o.readings) for o in outcomes})
        kept = {"versions": versions(), "readings": told}
        whole.writestr("readings.json", json.dumps(kept, indent=1))
    counts = {name: sum(bool(one[name]) for one in told) for name in READER_NAMES}
    print(f"{path}: {len(told)} images, {path.stat().st_size >> 10} KiB; read by {counts}")


if __name__ == "__main__":
    main()
