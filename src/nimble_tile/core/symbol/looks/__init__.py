"""The code as vector paths, made once for raster, SVG and PDF."""

from nimble_tile.core.symbol.looks.drawing import Drawing, Layer, drawing

__all__ = ["Drawing", "Layer", "drawing"]
