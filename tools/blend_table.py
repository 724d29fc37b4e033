"""How each blend method reads: writes docs/blends.md and a contact sheet.

Every method and strength on the pictures that ship, which the sheet shows, and on sample
photographs of scikit-image and scikit-learn, cut to a square, one message, read by all four
readers at about 1024 pixels, and by those that failed once more from farther
away, as the verdict does.

    tools/blend_table.py docs/blends.md docs/screenshots/blends.png
"""

from __future__ import annotations

import io
import sys
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont
from skimage import data as samples
from sklearn.datasets import load_sample_image

from nimble_tile.core.blend import GUARANTEES
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Blend, Code, Ink, Message, Picture, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.demo import ARTWORKS, artwork

LINK = "https://lanternwalk.example/dusk/path7"
SIZE = 1024
STRENGTHS = (0.4, 0.5, 0.6, 0.7, 0.8, 1.0)
DEFAULT = Blend().strength
TILE = 256

METHODS: dict[str, Blend] = {
    "tone": Blend(method="tone"),
    "overlay": Blend(method="overlay"),
    "dots": Blend(method="dots"),
    "two-tone cut": Blend(method="cut"),
    "grain": Blend(method="grain"),
    "ink, dark": Blend(method="ink"),
    "ink, light": Blend(method="ink", ink=Ink(where="light")),
    "ink, tint": Blend(method="ink", ink=Ink(where="tint")),
    "strokes": Blend(method="strokes"),
    "gentle": Blend(method="gentle"),
    "weave": Blend().turned("weave"),
    "light": Blend(method="light"),
}

STEERED = ("gentle", "weave", "light")
"""Methods with which the symbol is steered, as it is for a picture that comes into the window."""

HEAD = """# How the blends read

Measured by `tools/blend_table.py` on {pictures}, each cut to its largest square in the middle, with a link of 38 characters at level M (raised where that is free), at {size} pixels, straight on. A reader that fails looks once more from farther away, as for the verdict. The symbol is steered by the picture for gentle, weave and light, as it is for a picture that comes into the window. The sheet of the pictures that ship at the default strength of {default:.0%} is [blends.png](screenshots/blends.png).

Straight on is the easiest that a code will ever be seen: what fails here fails everywhere, what reads here may still fail in the dark.

## Read by all four readers, of {count} pictures

"""  # noqa: E501


def pictures() -> dict[str, np.ndarray]:
    """Squares of the pictures that ship and of the sample photographs."""
    found = {name: open_picture(artwork(name), name).rgb for name in ARTWORKS}
    for name in ("astronaut", "chelsea", "coffee", "rocket"):
        found[name] = getattr(samples, name)()[..., :3]
    for name in ("china", "flower"):
        found[name] = load_sample_image(f"{name}.jpg")
    return {name: _square(image) for name, image in found.items()}


def _square(image: np.ndarray) -> np.ndarray:
    side = min(image.shape[:2])
    top, left = (image.shape[0] - side) // 2, (image.shape[1] - side) // 2
    return np.ascontiguousarray(image[top : top + side, left : left + side])


def pieces(store: PictureStore) -> Iterator[tuple[str, Piece]]:
    """One piece for each picture."""
    for name, square in pictures().items():
        file = io.BytesIO()
        Image.fromarray(square).save(file, "PNG")
        digest = store.add(file.getvalue(), name)
        yield (
            name,
            Piece(message=Message(text=LINK), code=Code(level="M"), picture=Picture(digest=digest)),
        )


def blended(piece: Piece, method: str, strength: float) -> Piece:
    """The piece by one of the methods."""
    made = piece.model_copy(
        update={"blend": METHODS[method].model_copy(update={"strength": strength})}
    )
    return made.edited("code", steer="padding") if method in STEERED else made


def missed(verdict: Verdict) -> str:
    """Readers that did not read it, by the first letter."""
    return "".join(
        mark.name[0] if mark.name != "quirc" else "u"
        for mark in verdict.marks
        if not (mark.read and mark.text == verdict.expected)
    )


def main(table: Path, sheet: Path) -> None:
    store = PictureStore()
    renderer, bay = Renderer(store), ReaderBay()
    made = dict(pieces(store))
    verdicts: dict[tuple[str, float, str], Verdict] = {}
    tiles: dict[tuple[str, str], np.ndarray] = {}
    try:
        for name, piece in made.items():
            for method in METHODS:
                for strength in STRENGTHS:
                    rendering = renderer.render(blended(piece, method, strength), SIZE)
                    verdicts[method, strength, name] = judge_rendering(rendering, bay)
                    if strength == DEFAULT and name in ARTWORKS:
                        tiles[name, method] = cv2.resize(
                            rendering.image, (TILE, TILE), interpolation=cv2.INTER_AREA
                        )
            print(name, flush=True)
    finally:
        bay.close()
    table.write_text(report(list(made), verdicts), "utf-8")
    draw(list(ARTWORKS), tiles).save(sheet, optimize=True)


def report(names: list[str], verdicts: dict[tuple[str, float, str], Verdict]) -> str:
    """The tables in Markdown."""
    told = ", ".join(names[:-1]) + f" and {names[-1]}"
    text = HEAD.format(pictures=told, size=SIZE, default=DEFAULT, count=len(names))
    columns = " | ".join(f"{s:.0%}" for s in STRENGTHS)
    rule = " --- |" * len(STRENGTHS)
    text += f"| method | {columns} |\n| --- |{rule}\n"
    for method in METHODS:
        cells = []
        for strength in STRENGTHS:
            all_four = sum(not missed(verdicts[method, strength, name]) for name in names)
            cells.append(str(all_four))
        text += f"| {method} | {' | '.join(cells)} |\n"
    text += "\n## Fidelity (`ssim_view`), mean of all pictures\n\n"
    text += f"| method | {columns} |\n| --- |{rule}\n"
    for method in METHODS:
        means = [
            np.mean([verdicts[method, s, name].fidelity.ssim_view for name in names])
            for s in STRENGTHS
        ]
        text += f"| {method} | {' | '.join(f'{mean:.2f}' for mean in means)} |\n"
    letters = ", ".join(f"{n[0] if n != 'quirc' else 'u'} = {n}" for n in READER_NAMES)
    text += f"\n## Who missed what\n\nEmpty: all read. {letters}.\n"
    for strength in STRENGTHS:
        text += f"\n### Strength {strength:.0%}\n\n| method | {' | '.join(names)} |\n| --- |"
        text += " --- |" * len(names) + "\n"
        for method in METHODS:
            cells = [missed(verdicts[method, strength, name]) for name in names]
            text += f"| {method} | {' | '.join(cells)} |\n"
    text += "\n## What each method holds\n\n"
    for method, guarantee in GUARANTEES.items():
        text += f"- **{method}**: {guarantee}\n"
    return text


def draw(names: list[str], tiles: dict[tuple[str, str], np.ndarray]) -> Image.Image:
    """The contact sheet: a row for each picture, a column for each method."""
    gap, head, side = 6, 26, 86
    width = side + len(METHODS) * (TILE + gap)
    sheet = Image.new("RGB", (width, head + len(names) * (TILE + gap)), "#faf7f0")
    pen = ImageDraw.Draw(sheet)
    folder = Path(__file__).parent.parent / "src" / "nimble_tile" / "assets" / "fonts"
    font = ImageFont.truetype(str(folder / "AlegreyaSans-Medium.ttf"), 17)
    for column, method in enumerate(METHODS):
        pen.text((side + column * (TILE + gap), 3), method, "#2b2a26", font)
    for row, name in enumerate(names):
        top = head + row * (TILE + gap)
        pen.text((8, top + TILE // 2 - 10), name, "#2b2a26", font)
        for column, method in enumerate(METHODS):
            tile = Image.fromarray(tiles[name, method])
            sheet.paste(tile, (side + column * (TILE + gap), top))
    return sheet.convert("P", palette=Image.Palette.ADAPTIVE, colors=256)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
