"""What is laid on the code or round it: items in module units, and how they are painted."""

from nimble_tile.core.laid.items import Item, Laid, Shape, Stamp

__all__ = ["Item", "Laid", "Shape", "Stamp"]
