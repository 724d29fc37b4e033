"""What the code says: kinds, their forms, advice in sentences with a way out."""

from nimble_tile.core.message import campaign, kinds
from nimble_tile.core.message.advice import advise, encoded_length
from nimble_tile.core.message.remarks import Advice, Fix, Remark

__all__ = ["Advice", "Fix", "Remark", "advise", "campaign", "encoded_length", "kinds"]
