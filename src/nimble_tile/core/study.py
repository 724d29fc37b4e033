"""Everything else worth knowing about a piece besides its image and verdict.

Density of the message, contrast and finders of the look. Remembered by what
each of them reads, so that a slider of the blend costs nothing here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from nimble_tile.core.additions import Layout
from nimble_tile.core.blend import look_read
from nimble_tile.core.coverage.count import Coverage, coverage
from nimble_tile.core.errors import MessageError
from nimble_tile.core.language import tr
from nimble_tile.core.laying import look_of
from nimble_tile.core.memory import Memory
from nimble_tile.core.message.density import Density, Offer, density, offers
from nimble_tile.core.piece import Piece
from nimble_tile.core.relief import Bevel, Inner, Relief, Shadow
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.contrast import Better, Contrast, better, contrast, views
from nimble_tile.core.scan.finders import Finders, finders
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks import drawing

if TYPE_CHECKING:
    from nimble_tile.core.coverage.marker import Tracking


@dataclass(frozen=True, eq=False)
class Study:
    """What is known of a piece.

    Attributes
    ----------
    symbol : Symbol or None
        None where the message does not fit.
    density : Density or None
    offers : tuple of Offer
        Ways to a smaller code, there also where the message does not fit.
    contrast : Contrast or None
    finders : Finders or None
    views : dict of str to ndarray
        The look with each colour vision deficiency; see `contrast.views`.
    masks : dict of int to ndarray of bool, n × n
        The symbol under each mask.
    better : dict of str to tuple of Better
        Colours that would reach each grade A to C.
    coverage : Coverage or None
        What logos and captions cover and spoil, where they lie on the code.
    tracking : Tracking or None
        Whether a logo that is also a marker is recognised.
    logo_effects, code_effects : str
        What shadows, inner shadows and bevels of logos and of modules cost, in a sentence;
        empty where there are none.
    """

    symbol: Symbol | None
    density: Density | None
    offers: tuple[Offer, ...]
    contrast: Contrast | None
    finders: Finders | None
    views: dict[str, np.ndarray] = field(default_factory=dict)
    masks: dict[int, np.ndarray] = field(default_factory=dict)
    better: dict[str, tuple[Better, ...]] = field(default_factory=dict)
    coverage: Coverage | None = None
    tracking: Tracking | None = None
    logo_effects: str = ""
    code_effects: str = ""


class Student:
    """Studies pieces with one renderer, and remembers the last results."""

    def __init__(self, renderer: Renderer) -> None:
        self._renderer = renderer
        self._memory = Memory()

    def study(
        self,
        piece: Piece,
        rendering: Rendering | None = None,
        bay: ReaderBay | None = None,
        stop: Callable[[], bool] = lambda: False,
        verdict: Verdict | None = None,
    ) -> Study:
        """Study a piece; `PictureError` when a picture of its look is missing.

        Parameters
        ----------
        piece : Piece
        rendering : Rendering, optional
            Of the piece, for what is laid on its code.
        bay : ReaderBay, optional
            Readers, for shadows and a marker.
        stop : callable
            True once nobody waits for the answer any more.
        verdict : Verdict, optional
            Of the rendering, where it has been judged already.
        """
        once = self._memory.recall
        message, code, look = piece.message, piece.code, look_of(piece)
        try:
            symbol = self._renderer.symbol(piece)
        except MessageError:
            ways = () if not message.text else tuple(offers(message, code))
            return Study(None, None, ways, None, None)
        dense = once("density", (message, code), lambda: density(message, code, symbol))
        quiet = code.quiet_zone
        images = self._renderer.images(look)
        key = (symbol, look, quiet)
        pair = once("contrast", key, lambda: contrast(symbol, look, quiet, images))
        drawn = drawing(symbol, look, quiet)
        found = once("finders", key, lambda: finders(symbol, drawn, images))
        seen = once("views", key, lambda: views(symbol, look, quiet, images))
        masks = once("masks", symbol, lambda: {m: symbol.under(m) for m in symbol.penalties})
        offered = once(
            "better", key, lambda: {grade: tuple(better(look, pair, grade)) for grade in "ABC"}
        )
        covered = None if rendering is None else coverage(rendering)
        tracked, told, lit = None, "", ""
        if rendering is not None and bay is not None:
            laid_key = (piece.logo, rendering.image.shape, symbol, look, piece.blend, piece.picture,
                        piece.caption)  # fmt: skip
            tracked = once("tracking", laid_key, lambda: self._track(piece, rendering, bay, stop))
            if stop():
                self._memory.forget("tracking")  # it may have been broken off
            told = once(
                "logo effects", laid_key,
                lambda: self._logo_effects(piece, rendering, bay, verdict),
            )  # fmt: skip
            lit = once(
                "code effects", (laid_key, piece.surround),
                lambda: self._code_effects(piece, rendering, bay, verdict),
            )  # fmt: skip
        return Study(symbol, dense, dense.offers, pair, found, seen, masks, offered, covered,
                     tracked, told, lit)  # fmt: skip

    def _track(
        self, piece: Piece, rendering: Rendering, bay: ReaderBay, stop: Callable[[], bool]
    ) -> Tracking | None:
        from nimble_tile.core.coverage.marker import track

        for index, logo in enumerate(piece.logo.items):
            if logo.marker:
                return track(rendering, index, logo, self._renderer.logo_pixels(logo), bay,
                             stop)  # fmt: skip
        return None

    def _logo_effects(
        self, piece: Piece, rendering: Rendering, bay: ReaderBay, verdict: Verdict | None
    ) -> str:
        """What the readers lose by the effects on logos."""
        items = piece.logo.items
        if not any(logo.effects for logo in items):
            return ""
        none = {"shadow": Shadow(), "inner": Inner(), "bevel": Bevel()}
        bare = tuple(logo.model_copy(update=none) for logo in items)
        without = piece.model_copy(update={"logo": piece.logo.model_copy(update={"items": bare})})
        return self._loss(without, rendering, bay, verdict)

    def _code_effects(
        self, piece: Piece, rendering: Rendering, bay: ReaderBay, verdict: Verdict | None
    ) -> str:
        """What the readers lose by the effects on modules and finders."""
        if not piece.look.relief.any:
            return ""
        if rendering.blended and not look_read(piece.look, piece.blend).relief.any:
            return tr("This way of blending draws no modules: effects on them are not seen.")
        plain = piece.look.model_copy(update={"relief": Relief()})
        return self._loss(piece.model_copy(update={"look": plain}), rendering, bay, verdict)

    def _loss(
        self, without: Piece, rendering: Rendering, bay: ReaderBay, verdict: Verdict | None
    ) -> str:
        """What a piece loses beside the same without its effects, in a sentence."""
        if not rendering.arranged:
            without = without.model_copy(update={"layout": Layout()})
        plain = self._renderer.render(without, max(rendering.size))
        now = verdict or judge_rendering(rendering, bay, False)
        then = judge_rendering(plain, bay, False)
        lost = [a.name for a, b in zip(now.marks, then.marks, strict=True) if b.read and not a.read]
        if lost:
            return tr(
                "With the effects {lost} no longer read the code: soften them.",
                lost=tr(" and ").join(lost),
            )
        spare, before = now.spare or 0, then.spare or 0
        if spare < before - 0.005:
            return tr(
                "The effects take {before:.0%} of the spare; all readers that read the "
                "code without them still do.",
                before=before - spare,
            )
        return tr("All readers that read the code without the effects still do.")
