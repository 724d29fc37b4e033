"""Artwork of the demo pieces that painter and pen have made: a guided painting, mended, and a
photo of a code drawn by hand with a heron in the part that may be smudged.

    python draw_stand_ins.py
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from nimble_tile.core.output.template import free_modules
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune.drawn import bring_back, corners_of
from nimble_tile.core.tune.mend import mend
from nimble_tile.core.tune.recover import Suspect
from nimble_tile.demo import LINK
from nimble_tile.standins.painter.paint import paint
from nimble_tile.standins.painting import Guide, Request
from nimble_tile.studio.making import guide_symbol

ASSETS = Path(__file__).parent.parent / "src/nimble_tile/assets/demo"

WORDS = "harbour at dawn with boats and lanterns, golden, calm, embroidery"
SEED, WEIGHT, SIDE = 3, 0.6, 984

MODULE = 24
"""Pixels a module of the drawing, before it is photographed."""

EDGE = 6.5
"""Modules of paper round the code."""


def painted() -> None:
    """A guided painting, mended so that it holds nine tenths of the usual code's reach."""
    symbol = guide_symbol(LINK)
    guides = (Guide(symbol.dark, WEIGHT),)
    *_, last = paint(Request(WORDS, "", SEED, SIDE, SIDE, 24, guides))
    module = SIDE / (symbol.side + 8)
    low, high = 4 * module, SIDE - 4 * module
    quad = np.array([[low, low], [high, low], [high, high], [low, high]], float)
    bay = ReaderBay()
    try:
        room = Room(bay, READER_NAMES)
        suspect = Suspect(symbol, quad, float("inf"), float("inf"))
        *_, step = mend(last.image, suspect, room, shipped(), 0.93)
    finally:
        bay.close()
    print("painted", step.best.holds, round(step.best.reach, 3), step.best.touched)
    save(step.best.image, "painted.jpg", 94)


def drawn() -> None:
    """A photo of a drawing: brush strokes over dark modules, a heron where that may be."""
    symbol = guide_symbol(LINK)
    sheet = _sheet(symbol)
    height, width = 1400, 1600
    side = sheet.shape[0]
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    quad = np.array([[330, 120], [1330, 190], [1420, 1260], [210, 1180]], np.float32)
    rng = np.random.default_rng(12)
    table = np.empty((height, width, 3), np.float32)
    grain = cv2.resize(rng.normal(0, 1, (height // 3, 40)).astype(np.float32), (width, height))
    table[:] = np.array([112, 82, 58], np.float32) * (1 + 0.07 * grain[..., None])
    matrix = cv2.getPerspectiveTransform(square, quad)
    shadow = cv2.warpPerspective(np.full((side, side), 255, np.uint8), matrix, (width, height))
    away = cv2.GaussianBlur(np.roll(shadow, (14, 10), (0, 1)).astype(np.float32), (0, 0), 12) / 255
    table *= 1 - 0.45 * away[..., None]
    photo = table.clip(0, 255).astype(np.uint8)
    cv2.warpPerspective(sheet, matrix, (width, height), photo, cv2.INTER_AREA,
                        cv2.BORDER_TRANSPARENT)  # fmt: skip
    y, x = np.mgrid[:height, :width].astype(np.float32)
    lamp = np.clip(1.18 - 0.62 * np.hypot(x - 150, y - 120) / 1600, 0.35, 1.12)[..., None]
    lit = photo * lamp * np.array([1.0, 0.95, 0.84]) + rng.normal(0, 2.5, photo.shape)
    taken = cv2.GaussianBlur(lit.clip(0, 255).astype(np.uint8), (0, 0), 0.7)
    save(taken, "drawing.jpg", 90)
    bay = ReaderBay()
    try:
        found, corners = corners_of(taken, LINK, bay, [symbol])
    finally:
        bay.close()
    save(bring_back(taken, found, corners, margin=EDGE).image, "drawn.jpg", 92)


def _sheet(symbol: Symbol) -> np.ndarray:
    """Ink on cream paper."""
    rng = np.random.default_rng(7)
    side = round((symbol.side + 2 * EDGE) * MODULE)
    paper = np.full((side, side, 3), (243, 236, 218), np.float32)
    paper += cv2.GaussianBlur(rng.normal(0, 9, (side, side, 1)).astype(np.float32), (0, 0), 1.1)[
        ..., None
    ]
    sheet = paper.clip(0, 255).astype(np.uint8)
    free = free_modules(symbol, 0.4, (0.5, 0.52))
    ink = np.array([38, 44, 58])
    for row, column in np.argwhere(symbol.dark & ~free):
        x, y = (column + EDGE) * MODULE, (row + EDGE) * MODULE
        for k in range(6):
            if rng.random() < 0.03:
                continue
            at = y + (k + 0.5) / 6 * MODULE + rng.normal(0, 1.3)
            ends = [(x + rng.normal(-1, 1.8), at), (x + MODULE + rng.normal(1, 1.8),
                                                    at + rng.normal(0, 1.6))]  # fmt: skip
            tone = (ink * rng.uniform(0.8, 1.35)).tolist()
            start, end = (tuple(round(value * 8) for value in point) for point in ends)
            cv2.line(sheet, start, end, tone, 5, cv2.LINE_AA, 3)
    mark = open_picture((ASSETS / "heron.png").read_bytes(), "heron.png")
    rows, columns = np.nonzero(free)
    top, left = (rows.min() + EDGE) * MODULE, (columns.min() + EDGE) * MODULE
    high = (np.ptp(rows) + 1) * MODULE * 0.92
    # The heron alone, without the sun behind it.
    green = mark.rgb[..., 1].astype(int) > mark.rgb[..., 0].astype(int) + 15
    alpha = np.where(green, mark.alpha, 0)
    inside = np.argwhere(alpha > 128)
    (y0, x0), (y1, x1) = inside.min(0), inside.max(0) + 1
    scale = high / (y1 - y0)
    size = round((x1 - x0) * scale), round((y1 - y0) * scale)
    shape = cv2.resize(alpha[y0:y1, x0:x1], size, interpolation=cv2.INTER_AREA) / 255.0
    across = left + ((np.ptp(columns) + 1) * MODULE - size[0]) / 2
    place = sheet[round(top) : round(top) + size[1], round(across) : round(across) + size[0]]
    wash = cv2.GaussianBlur(rng.normal(0, 1, shape.shape).astype(np.float32), (0, 0), 7)
    tone = np.array([40, 92, 78]) * (1 + 1.1 * wash[..., None])
    cover = (0.9 * shape)[..., None]
    place[:] = (place * (1 - cover) + tone.clip(0, 255) * cover).astype(np.uint8)
    return sheet


def save(image: np.ndarray, name: str, quality: int) -> None:
    """Write a picture among the assets."""
    cv2.imwrite(str(ASSETS / name), image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])


if __name__ == "__main__":
    painted()
    drawn()
