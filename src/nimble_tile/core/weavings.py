"""How a piece's code is woven: what the renderer needs to know before it blends by weave."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.blend.weave import Weaving
from nimble_tile.core.blend.weave.matter import Matter, Source, material
from nimble_tile.core.brief import Brief, Briefing
from nimble_tile.core.memory import Memory
from nimble_tile.core.picture import warping
from nimble_tile.core.picture.framing import FramedSizes
from nimble_tile.core.picture.opening import on_ground
from nimble_tile.core.picture.placing import Spot
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.rendering import Canvas

THOUGHT_OUT_AT = 1400
"""Longer side, in pixels, of the picture at which a weave is thought out."""

MATTERS = 2
"""Matters that are remembered: each takes some fifty megabytes."""

REMEMBERED = 2
"""Weavings, and matters, that are kept: as many symbols as a search compares."""


class Weavings:
    """Weavings of pieces; the last ones, and what they are woven of, are remembered.

    Parameters
    ----------
    pictures : Lease
    briefing : Briefing
    memory : Memory
    """

    def __init__(self, pictures: Lease, briefing: Briefing, memory: Memory) -> None:
        self._pictures, self._briefing, self._memory = pictures, briefing, memory

    def of(
        self,
        brief: Brief,
        canvas: Canvas,
        canvas_at: Callable[[FramedSizes], Canvas],
        quick: bool,
        **given: Any,
    ) -> Weaving:
        """How a code is woven: thought out at one size, and laid at that of the brief.

        Parameters
        ----------
        brief : Brief
        canvas : Canvas
            The picture at the brief's size.
        canvas_at : callable
            The picture at another size.
        quick : bool
            See `Plan`.
        **given
            Guard and factors of the `Plan`.
        """
        piece, modules = brief.piece, brief.modules
        matter, own = piece.blend.weave.matter, piece.blend.weave.matter == "picture"
        longer = min(max(self._briefing.picture_size(piece)), THOUGHT_OUT_AT)
        framed, spot = self._briefing.located(piece, longer, modules)
        thought = canvas_at(framed)

        def make() -> Weaving:
            square = warping.upright(thought.image, spot.box, spot.quad)
            plan = Plan(square, brief.symbol, brief.quiet_zone, quick=quick, **given)
            source = self._source(matter, modules, thought, spot)
            # It does not depend on the symbol: a search has many of these.
            woven_of = (thought.key, spot.region, modules, matter)
            return Weaving(plan, source, matter=self._memory.recall(
                "matter", woven_of, lambda: Matter(source), MATTERS
            ))  # fmt: skip

        key = (thought.key, spot.region, brief.symbol, brief.quiet_zone, piece.picture.guard,
               piece.blend.map, matter, quick)  # fmt: skip
        found = self._memory.recall("weaving", key, make, REMEMBERED)
        if not own:
            return found
        return found.finer(self._source(matter, modules, canvas, brief.spot))

    def _source(self, matter: str, modules: int, canvas: Canvas, spot: Spot) -> Source:
        """What is woven of, in the resolution of a canvas."""
        if len(matter) == 64:
            opened = self._pictures.opened(matter)
            rgb = on_ground(opened.rgb, opened.alpha, "#ffffff")
            return Source(rgb, min(rgb.shape[:2]) / modules)
        if matter != "picture":
            return material(matter)
        edges = np.roll(spot.corners, -1, axis=0) - spot.corners
        middle = spot.corners.mean(0) / canvas.image.shape[1::-1]
        module = float(np.hypot(*edges.T).mean()) / modules
        return Source(canvas.image, module, (float(middle[0]), float(middle[1])))
