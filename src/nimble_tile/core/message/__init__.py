"""What the code says: advice on the text, in sentences with a way out."""

from nimble_tile.core.message.advice import Advice, Fix, advise, encoded_length

__all__ = ["Advice", "Fix", "advise", "encoded_length"]
