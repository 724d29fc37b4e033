"""What of a look a blend leaves out, so that it can be said where the look is chosen."""

from __future__ import annotations

from nimble_tile.core.language import tr, within
from nimble_tile.core.look import Look
from nimble_tile.core.piece import METHOD_LABELS, Piece

LOOKLESS = frozenset({"tone", "dots", "cut", "grain", "strokes", "gentle", "weave", "light"})
"""Methods that move the picture's tones: of the look's colours they take hues alone."""

SHAPELESS = frozenset({"cut", "grain"})
"""Methods that read no shapes of the look either."""


def unused(piece: Piece) -> str:
    """What of a piece's look its blend leaves out, in a sentence; empty: nothing, or no picture
    is blended."""
    method, look = piece.blend.method, piece.look
    if piece.picture.digest is None or method not in LOOKLESS:
        return ""
    plain, left = Look(), []
    own_marks = piece.blend.by_marks and piece.blend.marks.shape != "look"
    if method in SHAPELESS and not look.plain_shapes:
        left.append(tr("its shapes"))
    elif own_marks and look.shape != plain.shape:
        left.append(tr("the shape of its modules"))
    fields = ["fill", "ring_fill", "eye_fill", "ground"]
    if piece.blend.quiet == "plain":  # the plain quiet zone has the ground's colour
        fields.remove("ground")
    pictures = piece.blend.colours == "picture"
    other = any(getattr(look, field) != getattr(plain, field) for field in fields)
    if pictures and (other or look.finders != look.uncoloured_finders):
        left.append(tr("its colours and fills"))
    if pictures and look.ring == "picture":
        left.append(tr("the picture of its finders"))
    if look.relief.any:
        left.append(tr("its effects of light"))
    if not left:
        return ""
    return tr(
        "The blend {method} leaves out of this look: {left}. Overlay and ink show all of it.",
        method=within(METHOD_LABELS[method]), left=", ".join(left),
    )  # fmt: skip
