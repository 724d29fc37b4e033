"""What proposals are called, and what they depend on; quick to load."""

from __future__ import annotations

from typing import Any

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr, tr_as
from nimble_tile.core.piece import Blend, Finish, Piece

PROPOSAL_LABELS = {
    "quietest": tr("Quietest"), "woven": tr("Woven"), "boldest": tr("Boldest"),
    "light": tr_as("proposal", "Light"),
}  # fmt: skip
"""Kinds of proposals, as they are shown."""


def ready(piece: Piece) -> None:
    """Raise `UserError` where nothing can be proposed."""
    if piece.picture.digest is None:
        raise UserError(tr("Proposals need a picture."), tr("Bring one on the rung Picture."))
    if not piece.message.text:
        raise UserError(tr("There is no message yet."), tr("Write one on the rung Message."))
    if piece.layout.digest is not None:
        raise UserError(
            tr("Proposals are for the piece alone."), tr("Take the layout off for as long.")
        )


def ground_of(piece: Piece) -> Piece:
    """What proposals depend on: all but what the search chooses itself, and finish and log."""
    own = piece.blend
    code: dict[str, Any] = {"version": "auto", "mask": "auto", "raise_level": False, "keep": 1.0}
    if not piece.logo.items and piece.logo.paint is None:
        code["level"] = "M"
    code["steer"] = "tail" if piece.code.steer == "tail" else "padding"
    weave = own.weave.model_copy(update={"patch": 1.0, "seed": 1})
    blend = Blend(guarding=own.guarding, quiet=own.quiet, weave=weave)
    update = {"blend": blend, "code": piece.code.model_copy(update=code), "log": (),
              "finish": Finish()}  # fmt: skip
    return piece.model_copy(update=update)
