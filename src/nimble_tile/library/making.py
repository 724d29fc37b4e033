"""Making works, and their images."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from nimble_tile.core.errors import PictureError
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.library.works import Image, Work, arrays


def make(message: str, *, base: Work | None = None, dash: str = "", **settings: Any) -> Work:
    """Make a work of a message.

    Parameters
    ----------
    message : str
        What the code says, to the letter.
    base : Work, optional
        What holds where nothing is asked for.
    dash : str
        What stands before a setting's name in messages.
    **settings
        The options of the command line's ``make``, with underscores: ``picture`` and ``logo``
        (a path, or an array of uint8, H × W × 3 or 4), ``region`` or ``corners``, ``level``,
        ``version``, ``mask``, ``quiet_zone``, ``steer``, ``look``, ``blend``, ``strength``,
        ``matter``, ``motif``, ``mark``, ``mark_by``, ``mark_size``, ``texture``, ``border``,
        ``logo_share`` in percent, ``caption``, ``frame``, ``size``, ``mm``, ``dpi`` and what else
        a file can be.

    Returns
    -------
    Work

    Raises
    ------
    UserError
        A setting is not known or not possible; a picture cannot be opened.

    Examples
    --------
    >>> import numpy as np, nimble_tile
    >>> dusk = np.full((300, 400, 3), (214, 160, 120), np.uint8)
    >>> work = nimble_tile.make("https://lanternwalk.example", picture=dusk, strength=0.9)
    >>> work.piece.blend.strength, nimble_tile.render(work).shape
    (0.9, (300, 400, 3))
    >>> work.changed(blend="gentle").piece.blend.method
    'gentle'
    """
    from nimble_tile.core.asked import Asker

    pictures = PictureStore() if base is None else base.pictures
    files, settings = arrays(settings, pictures)
    asked = Asker(pictures, dash, files=files)
    return Work(asked.piece(message, settings, None if base is None else base.piece), pictures)


def weave(message: str, picture: Image | str | Path, *, matter: Any = "picture", **settings: Any
          ) -> Work:  # fmt: skip
    """Weave a code of a picture's own matter, of a material, or of another picture.

    Parameters
    ----------
    message : str
    picture : path or ndarray
    matter : str, path or ndarray
        ``"picture"``, the name of a material that ships, or another picture.
    **settings
        As in `make`; ``motif`` says how far the picture is kept, ``seed`` chooses another
        weaving.

    Examples
    --------
    >>> import numpy as np, nimble_tile
    >>> sand = np.random.default_rng(1).integers(90, 230, (200, 200, 3)).astype(np.uint8)
    >>> work = nimble_tile.weave("lantern", sand, strength=0.9, size=300)
    >>> nimble_tile.render(work).shape
    (300, 300, 3)
    """
    return make(message, picture=picture, blend="weave", matter=matter, **settings)


def render(work: Work, size: int | None = None) -> Image:
    """The finished image of a work.

    Parameters
    ----------
    work : Work
    size : int, optional
        Longer side in pixels; None: the work's own.

    Returns
    -------
    ndarray of uint8, H × W × 3 sRGB
        A copy; transparent parts on white.

    Examples
    --------
    >>> import nimble_tile
    >>> nimble_tile.render(nimble_tile.make("lantern"), 210).shape
    (210, 210, 3)
    """
    return np.array(work.renderer.render(work.piece, size).image)


def load(path: str | Path) -> Work:
    """Open a project; raises `ProjectError`."""
    from nimble_tile.core.project.archive import load as read

    pictures = PictureStore()
    return Work(read(Path(path), pictures), pictures)


def save(work: Work, path: str | Path) -> None:
    """Save a work as a project.

    Examples
    --------
    >>> import nimble_tile, tempfile, pathlib
    >>> path = pathlib.Path(tempfile.mkdtemp()) / "walk.nimbletile"
    >>> nimble_tile.save(nimble_tile.make("lantern"), path)
    >>> nimble_tile.load(path).text
    'lantern'
    """
    from nimble_tile.core.project.archive import save as write

    write(work.piece, work.pictures, Path(path))


def mask_of(path: Path, shape: Sequence[int]) -> np.ndarray:
    """White parts of a picture file (bool H × W); `PictureError` where it has another size."""
    from nimble_tile.core.picture.opening import open_picture, read_file

    found = open_picture(read_file(path), path.name).over("#000000")[..., 0] > 127
    if found.shape != tuple(shape[:2]):
        raise PictureError(
            f"{path.name} is not as large as the picture.", "Give a mask of the same size."
        )
    return found
