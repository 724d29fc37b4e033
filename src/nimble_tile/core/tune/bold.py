"""The boldest piece: the code is part of the show.

Dots, strokes, grain, ink and the two-tone cut are tried with a look that suits them, in colours
of the picture; of those that hold the wanted reach the boldest is kept.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.look import Fill, Look, rgb
from nimble_tile.core.picture.palette import palette
from nimble_tile.core.piece import Blend, Piece
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.fidelity import structural_similarity
from nimble_tile.core.tune.candidates import Candidate, PassStep
from nimble_tile.core.tune.kinds import code_of, symbols_for
from nimble_tile.core.tune.line import Line
from nimble_tile.core.tune.looking import CONFIRMING_TAKES, REACH_SPARE, Looking

LEVELS = (("M", 1, 0.0),)
"""The smallest symbol with some error correction: large modules are bold."""

SLOPE = 0.8
"""What a unit of strength adds to reach, about."""

MOST_STEP = 0.25
"""By which a strength is changed at once."""

SEEN_FROM = 1.0
"""Standard deviation, in modules, of the eye at twice the viewing distance: from there the motif
should still be there."""

FULL_CONTRAST = 80.0
"""Standard deviation of lightness, of 255, that counts as all the contrast one may want."""

MOTIF, COLOUR, CONTRAST = 0.5, 0.3, 0.2
"""What boldness is made of."""

FINALISTS = 2
"""Candidates that are confirmed."""

DEEP, PALE = 0.24, 0.9
"""Darkest and lightest luma, 0 to 1, to which colours of the picture are drawn for ink."""

PIXELS = 4


@dataclass(frozen=True)
class Way:
    """A blend with its look.

    Attributes
    ----------
    blend : dict
        Fields of `Blend`.
    look : dict
        Fields of `Look` where the piece has none of its own.
    """

    blend: dict[str, Any]
    look: dict[str, Any]


WAYS = (
    Way({"method": "dots", "strength": 0.75}, {"shape": "round", "ring": "round", "eye": "round"}),
    Way({"method": "strokes", "strength": 0.65}, {"ring": "soft", "eye": "soft"}),
    Way({"method": "ink", "strength": 0.6},
        {"shape": "fused", "ring": "rounded", "eye": "round"}),
    Way({"method": "grain", "strength": 0.55}, {"ring": "rounded", "eye": "rounded"}),
    Way({"method": "cut", "strength": 0.6}, {"ring": "soft", "eye": "round"}),
)  # fmt: skip


def boldness(rendering: Rendering) -> float:
    """How bold a piece is, 0 to 1: the motif is there from afar, colours are as strong as the
    picture's, and contrast is high."""
    import cv2

    bare = rendering.image if rendering.bare is None else rendering.bare
    side = rendering.modules * PIXELS
    labs, lumas = [], []
    for image in (rendering.picture, bare):
        square = cv2.resize(rendering.upright(image), (side, side), interpolation=cv2.INTER_AREA)
        lab = cv2.cvtColor(square.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
        labs.append(lab)
        lumas.append(cv2.GaussianBlur(lab[..., 0] * 2.55, (0, 0), SEEN_FROM * PIXELS))
    motif = max(0.0, structural_similarity(*lumas))
    own, now = (float(np.hypot(lab[..., 1], lab[..., 2]).mean()) for lab in labs)
    colour = 1.0 if own < 1 else min(1.0, now / own)
    contrast = min(1.0, float(labs[1][..., 0].std()) * 2.55 / FULL_CONTRAST)
    return MOTIF * motif + COLOUR * colour + CONTRAST * contrast


def pieces(piece: Piece, picture: np.ndarray) -> list[Piece]:
    """A candidate by each way.

    Parameters
    ----------
    piece : Piece
    picture : ndarray of uint8, H × W × 3
        The picture, for its colours.
    """
    version, level = symbols_for(piece, LEVELS)[0]
    dark, light = ink_colours(picture)
    found = []
    for way in WAYS:
        look = piece.look
        if look.plain or _suits_a_way(look):
            look = Look(**way.look)
            if way.blend["method"] == "ink":
                look = look.model_copy(
                    update={"fill": Fill(colour=dark), "ground": Fill(colour=light)}
                )
        own = piece.blend
        quiet = "border" if own.quiet == "lightened" else own.quiet  # which nobody chose
        blend = Blend(**way.blend, guarding=own.guarding, quiet=quiet)
        update = {"code": code_of(piece, version, level), "blend": blend, "look": look}
        found.append(piece.model_copy(update=update))
    return found


def _suits_a_way(look: Look) -> bool:
    """Whether a look was chosen here, and not by the designer."""
    return any(look.bare == Look(**way.look).bare for way in WAYS)


def ink_colours(picture: np.ndarray) -> tuple[str, str]:
    """A deep and a pale colour of a picture (``#rrggbb``)."""
    colours = np.array([rgb(colour) for colour in palette(picture)], float)
    luma = colours @ np.array([0.299, 0.587, 0.114]) / 255
    vivid = np.ptp(colours, axis=1)
    # The most vivid of the darker half, and the lightest one.
    darker = np.flatnonzero(luma <= np.median(luma))
    deep = colours[darker[np.argmax(vivid[darker])]]
    level = luma[darker[np.argmax(vivid[darker])]]
    deep = deep * min(1.0, DEEP / max(level, 1e-3))
    pale, level = colours[-1], luma[-1]
    if level < PALE:
        pale = 255 - (255 - pale) * (1 - PALE) / max(1 - level, 1e-3)
    return tuple("#" + "".join(f"{round(v):02x}" for v in colour) for colour in (deep, pale))


class Bold(Looking):
    """The search for the boldest piece."""

    def __init__(self, piece: Piece, *rest: Any) -> None:
        renderer = rest[0]
        self.ways = pieces(piece, renderer.canvas(piece, 256))
        # The first look is at a candidate, too.
        super().__init__(self.ways[0], *rest, boldness)
        self.total = 2 * len(self.ways) + CONFIRMING_TAKES * self.effort.confirmed

    def steps(self) -> Iterator[PassStep]:
        found = [self.before]
        for piece in self.ways[1:]:
            found.append(self.look(self.ahead(piece)))
            yield self.progress(tr("Trying bold blends"))
        for one in sorted(found, key=lambda one: -one.worth):
            if self.holding and one.worth <= max(good.worth for good in self.passing):
                break  # with more strength it would hardly become bolder
            if one.reach < self.wanted:
                self.look(self.ahead(self._stronger(one)))
                yield self.progress(tr("Trying bold blends"))
        if not self.holding and self.most is not None:
            # Some methods need more light round the code than a border has.
            lighter = self.most.piece.edited("blend", quiet="lightened")
            if lighter != self.most.piece:
                self.look(self.ahead(lighter))
                yield self.progress(tr("Trying bold blends"))
        yield from self.confirm(self._lines())

    @property
    def holding(self) -> bool:
        """Whether anything holds in the search's own trials."""
        return bool(self.passing)

    def _stronger(self, found: Candidate) -> Piece:
        step = (self.wanted + 2 * REACH_SPARE - found.reach) / SLOPE
        strength = found.piece.blend.strength + min(MOST_STEP, step)
        return found.piece.edited("blend", strength=round(min(1.0, strength), 3))

    def _lines(self) -> list[Line]:
        ranked = sorted(self.passing, key=lambda found: -found.worth)[:FINALISTS]
        ranked = ranked or [found for found in (self.most,) if found is not None]
        return [Line(partial(_piece_of, found), found.worth) for found in ranked]


def _piece_of(found: Candidate) -> Piece:
    return found.piece
