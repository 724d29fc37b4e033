"""Places for a code keep off what a picture is of: faces, and things that stand out.

Pictures: scikit-image's subset of Labeled Faces in the Wild (G. Huang et al., 2007), its
photographs and scikit-learn's; the marks on them were made by hand.
"""

import cv2
import numpy as np
import pytest
from skimage import data
from sklearn.datasets import load_sample_image

from conftest import LINK, encoded, photograph
from nimble_tile.core.picture.advice import advise
from nimble_tile.core.picture.subjects import faces
from nimble_tile.core.piece import Message, Picture, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.tune.propose import placed

FACES = 40


def people():
    """Faces on a quiet ground, each with its place: x, y, side."""
    rng = np.random.default_rng(11)
    for crop in data.lfw_subset()[60 : 60 + FACES]:  # the first hundred are faces
        side = int(rng.integers(90, 150))
        face = cv2.resize(
            (255 * crop).astype(np.uint8), (side, side), interpolation=cv2.INTER_CUBIC
        )
        ground = np.full((400, 520, 3), 150, np.float32) + rng.normal(0, 6, (400, 520, 1))
        x, y = int(rng.integers(20, 500 - side)), int(rng.integers(20, 380 - side))
        image = np.clip(ground, 0, 255).astype(np.uint8)
        image[y : y + side, x : x + side] = face[..., None]
        yield image, (x, y, side)


def overlap(region, box):
    """Share of a box that a region covers."""
    left, top, right, bottom = box
    wide = min(region.x + region.width, right) - max(region.x, left)
    high = min(region.y + region.height, bottom) - max(region.y, top)
    return max(0, wide) * max(0, high) / ((right - left) * (bottom - top))


def test_faces_are_found_and_no_code_is_laid_on_them():
    found = 0
    for image, (x, y, side) in people():
        boxes = faces(image)
        if not boxes:
            continue
        found += 1
        middle = (boxes[0][0] + boxes[0][2] / 2, boxes[0][1] + boxes[0][3] / 2)
        assert np.abs(np.array(middle) - (x + side / 2, y + side / 2)).max() < 0.4 * side
        best = advise(image, (520, 400), 140, 33, 4).best[0]
        inner = (x + side * 0.25, y + side * 0.25, x + side * 0.75, y + side * 0.75)
        assert overlap(best, inner) == 0
    assert found >= 0.8 * FACES
    for name in ("rocket", "retina", "immunohistochemistry", "chelsea"):
        assert faces(photograph(name)) == []


def test_things_on_pictures_of_any_colours_are_left_alone():
    """A thing of one colour on a ground of another, wherever it lies."""
    rng = np.random.default_rng(23)
    for _ in range(24):
        ground, thing = rng.uniform(30, 225, (2, 3))
        if np.abs(ground - thing).max() < 70:
            continue
        image = ground + cv2.GaussianBlur(rng.normal(0, 60, (300, 420, 3)), (0, 0), 4)
        x, y, size = (
            int(rng.integers(70, 350)),
            int(rng.integers(70, 230)),
            int(rng.integers(40, 60)),
        )
        mask = np.zeros((300, 420), np.uint8)
        cv2.ellipse(mask, (x, y), (size, int(size * 0.8)), rng.uniform(0, 180), 0, 360, 255, -1)
        image[mask > 0] = thing + rng.normal(0, 8, (int((mask > 0).sum()), 3))
        image = np.clip(image, 0, 255).astype(np.uint8)
        place = advise(image, (420, 300), 105, 33, 4).best[0]
        top, left = int(place.y), int(place.x)
        assert (mask[top : top + 105, left : left + 105] > 0).mean() < 0.12


@pytest.mark.parametrize(
    ("name", "marks"),
    [
        ("flower.jpg", (190, 105, 430, 345)), ("china.jpg", (105, 40, 355, 350)),
        ("coffee", (190, 15, 405, 260)), ("astronaut", (175, 60, 275, 190)),
        ("camera", (190, 100, 260, 200)),
    ],
)  # fmt: skip
def test_the_first_place_is_not_on_what_the_picture_is_of(name, marks, store):
    image = load_sample_image(name) if "." in name else getattr(data, name)()
    image = np.stack([image] * 3, -1) if image.ndim == 2 else image
    digest = store.add(encoded(np.ascontiguousarray(image)), name)
    piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest, name=name))
    region = placed(piece, Renderer(store)).picture.region
    assert overlap(region, marks) < 0.2 and region.width >= 0.5 * min(image.shape[:2]) - 2
