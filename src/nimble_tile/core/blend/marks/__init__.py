"""Marks: what a blend changes, said in hard-edged shapes of one colour each.

Every module that the picture does not carry by itself gets one mark about its middle, in the
colour that is there, as much darker or lighter as readers need. Finders, alignment patterns and
the border round the code are parts drawn in a dark and a light ink of the picture beside them.
Between all these the picture stays as it is, pixel for pixel. Where texture is wanted, marks are
no flat areas but the picture itself in their tones.
"""

from nimble_tile.core.blend.marks.painting import blend, bordered, layers, marked
from nimble_tile.core.blend.marks.parts import Flat, Marked

__all__ = ["Flat", "Marked", "blend", "bordered", "layers", "marked"]
