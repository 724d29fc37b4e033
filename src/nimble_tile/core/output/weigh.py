"""What a file's format does to the piece, told before anything is written."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.output import inks
from nimble_tile.core.output.export import outgoing
from nimble_tile.core.output.raster import encoded
from nimble_tile.core.piece import Finish, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune.proving import Proved, prove


@dataclass(frozen=True, eq=False)
class Weighed:
    """A piece as its file will show it.

    Attributes
    ----------
    proved : Proved
        Verdict and reach.
    bytes : int or None
        Size of the file, where it is known without writing it.
    ink : (float, float) or None
        Largest total ink, 0 to 4, and the share of the area above `inks.MOST_INK`.
    image : ndarray of uint8, H × W × 3 sRGB
        What the file looks like, at the finished size.
    """

    proved: Proved
    bytes: int | None
    ink: tuple[float, float] | None
    image: np.ndarray


def changes(finish: Finish) -> bool:
    """Whether a file of this finish shows other pixels than the bench."""
    lossy = finish.format == "jpeg" or (finish.format == "webp" and not finish.lossless)
    return lossy or finish.inks != "screen"


def weigh(
    piece: Piece,
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
) -> Weighed:
    """Put what a file will show through readers and trials.

    Parameters
    ----------
    piece : Piece
        Its finish says which file.
    renderer, room, trials, seed, stop
        As in `nimble_tile.core.tune.proving.prove`, where the errors are named, too.
    """
    piece = outgoing(piece)
    finish, told = piece.finish, {}

    def through(image: np.ndarray) -> np.ndarray:
        if finish.inks == "cmyk":
            made = inks.proofed(image, inks.read_profile(inks.profile_of(finish)))
            told["ink"], image = (made.most, made.over), made.image
        elif finish.inks == "single":
            drawn = piece.picture.digest is None
            image = inks.in_ink(inks.single(image, drawn), "#000000")
        elif changes(finish):
            data = encoded(image, finish)
            told["bytes"] = len(data)
            image = _decoded(data)
        told["image"] = image
        return image

    proved = prove(piece, renderer, room, trials, seed=seed, stop=stop, through=through)
    return Weighed(proved, told.get("bytes"), told.get("ink"), told["image"])


def _decoded(data: bytes) -> np.ndarray:
    from PIL import Image

    with Image.open(io.BytesIO(data)) as image:
        return np.array(image.convert("RGB"))
