"""Nimble Tile: QR codes blended into artwork, and proved to scan."""

__version__ = "0.1.0"
