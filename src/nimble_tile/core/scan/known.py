"""What our readers made of each finder shape: measured once, kept true by a test.

Straight on, black on white, versions 1 to 10, 5 to 28 pixels a module.
"""

from __future__ import annotations

from nimble_tile.core.language import tr
from nimble_tile.core.look import FINDERS, Look

CORNER_READERS = ("OpenCV", "quirc")
"""Readers that find a code by the outer corners of its rings."""

RINGS_MISSED: dict[str, tuple[str, ...]] = {
    **{ring: CORNER_READERS for ring in ("rounded", "soft", "cut")},
    "round": (*CORNER_READERS, "qrdec"),
    "leaf": (*CORNER_READERS, "zxing-cpp"),
}
"""Readers that miss a ring in many versions."""

EYES_MISSED: dict[str, tuple[str, ...]] = {"diamond": ("qrdec",), "star": ("qrdec",)}
"""Readers that miss an eye at some sizes: seen at 14 to 28 pixels a module."""

SMALL_STAMPS = 0.9
"""Size below which finders made of separate modules fall apart into dots."""


def warnings(look: Look) -> list[str]:
    """What is known against a look's shapes, in sentences."""
    each = [sentence for at in range(len(FINDERS)) for sentence in _warnings(look.at_finder(at))]
    return list(dict.fromkeys(each))


def _warnings(look: Look) -> list[str]:
    """What is known against shapes whose finders are all alike."""
    found = []
    missed = RINGS_MISSED.get(look.ring)
    if missed:
        found.append(tr("OpenCV and quirc mostly miss this ring: they look for its outer corners."))
        found += [
            tr("{name} misses it in some versions.", name=name)
            for name in missed
            if name not in CORNER_READERS
        ]
    missed = EYES_MISSED.get(look.eye)
    if missed and look.ring != "picture":
        found.append(tr("{missed} misses this eye at some sizes.", missed=tr(" and ").join(missed)))
    if look.eye == "diamond" and look.ring in ("window", "sail"):
        found.append(tr("zxing-cpp measures diagonals too and misses a diamond in this ring."))
    stamped = look.shape not in ("square", "fused", "upright", "across")
    apart = stamped or look.size < SMALL_STAMPS or look.jitter > 0
    if "modules" in (look.ring, look.eye) and apart:
        found.append(tr("Finders of separate modules fall apart into dots that readers miss."))
    if look.ring in ("own", "picture") or look.eye == "own":
        found.append(tr("Readers find the code by these patterns: watch the verdict."))
    return found
