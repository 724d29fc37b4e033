"""Nimble Tile for scripts: a handful of calls, arrays in and out.

Images are ``uint8`` arrays, H × W × 3, sRGB. What can be put right raises
`nimble_tile.core.errors.UserError` with a sentence that says how. The readers run in processes
of their own, which are shared by all calls and end with the program.

Examples
--------
>>> import nimble_tile
>>> work = nimble_tile.make("https://lanternwalk.example/dusk", level="Q")
>>> image = nimble_tile.render(work, 400)
>>> image.shape, str(image.dtype)
((400, 400, 3), 'uint8')
>>> found = nimble_tile.judge(image)
>>> found.state, found.texts
('well', ('https://lanternwalk.example/dusk',))
"""

from nimble_tile.core.errors import UserError
from nimble_tile.library.making import load, make, render, save, weave
from nimble_tile.library.making import mask_of as mask_of
from nimble_tile.library.many import batch
from nimble_tile.library.proving import export, gentlest, judge, mend
from nimble_tile.library.readers import bay as bay
from nimble_tile.library.readers import close as close
from nimble_tile.library.works import Image as Image
from nimble_tile.library.works import Judged, Mended, Work, Written

__all__ = [
    "Judged", "Mended", "UserError", "Work", "Written", "batch", "export", "gentlest", "judge",
    "load", "make", "mend", "render", "save", "weave",
]  # fmt: skip
