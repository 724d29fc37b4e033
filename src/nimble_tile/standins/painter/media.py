"""All mediums, by their word."""

from __future__ import annotations

from nimble_tile.standins.painter.mediums import CutPaper, Ink, Medium, Mosaic, Oil, Watercolour
from nimble_tile.standins.painter.woven import Embroidery, Feathers, Woven

MEDIUMS: dict[str, type[Medium]] = {
    "oil": Oil,
    "ink": Ink,
    "watercolour": Watercolour,
    "mosaic": Mosaic,
    "cut paper": CutPaper,
    "weave": Woven,
    "embroidery": Embroidery,
    "feathers": Feathers,
}
"""Mediums by their word."""
