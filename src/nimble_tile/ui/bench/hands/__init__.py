"""What the pointer does on the bench: one hand at a time holds it."""

from nimble_tile.ui.bench.hands.base import Hand

__all__ = ["Hand"]
