"""Writing, judging and mending, with the readers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from nimble_tile.library.readers import bay, measuring
from nimble_tile.library.works import Image, Judged, Mended, Work, Written

if TYPE_CHECKING:
    from nimble_tile.core.piece import Region
    from nimble_tile.core.symbol.encode import Symbol
    from nimble_tile.core.trials.sets import TrialSet
    from nimble_tile.core.tune.candidates import PassStep
    from nimble_tile.core.tune.mend import MendStep


def export(work: Work, path: str | Path) -> Written:
    """Write a work into a file, and let the readers look at that file.

    Parameters
    ----------
    work : Work
    path : path
        Its ending says the format: PNG, JPEG, WebP, TIFF, SVG, PDF or OpenRaster.

    Examples
    --------
    >>> import nimble_tile, tempfile, pathlib
    >>> folder = pathlib.Path(tempfile.mkdtemp())
    >>> written = nimble_tile.export(nimble_tile.make("lantern", mm=40), folder / "a.pdf")
    >>> written.scans, written.proof.size
    (True, (472, 472))
    """
    from nimble_tile.core.output.export import export as write
    from nimble_tile.core.output.export import format_of, outgoing, possible
    from nimble_tile.core.scan.judging import fidelity_of
    from nimble_tile.core.scan.remedies import remedied

    possible(format_of(Path(path)), work.piece.finish)  # refused before any work is done
    rendering = work.renderer.render(outgoing(work.piece))
    proof = write(rendering, Path(path), work.piece.finish, bay())
    verdict = remedied(proof.verdict, work.piece, work.renderer, rendering, bay())
    if rendering.blended:
        verdict = replace(verdict, fidelity=fidelity_of(rendering))
    return Written(proof, rendering, verdict)


def judge(
    what: Work | Image,
    expect: str | None = None,
    *,
    trials: bool | TrialSet = False,
    seed: int = 0,
) -> Judged:
    """Say whether a work or an image scans.

    Parameters
    ----------
    what : Work or ndarray
    expect : str, optional
        The intended message of an image; a work knows its own.
    trials : bool or TrialSet
        Put it through the simulated trials, too: the designer's own, or these.
    seed : int
        Another hand in the trials.

    Examples
    --------
    >>> import numpy as np, nimble_tile
    >>> nimble_tile.judge(nimble_tile.make("lantern")).state
    'well'
    >>> empty = nimble_tile.judge(np.full((80, 80, 3), 255, np.uint8), "lantern")
    >>> empty.scans, empty.reasons[0]
    (False, 'No reader found a code that it could decode.')
    """
    room, chosen = None, None
    if trials:
        room, chosen = measuring(trials if not isinstance(trials, bool) else None)
    if isinstance(what, Work):
        from nimble_tile.core.tune.proving import prove

        measured, of = (room, chosen.trials) if room is not None else (measuring(None)[0], ())
        proved = prove(what.piece, what.renderer, measured, of, seed=seed)
        return Judged(proved.verdict, proved.reach)
    from nimble_tile.core.checking.check import check

    found = check(what, bay(), expect, room, chosen.trials if chosen else (), seed)
    meant = [one for one in found.findings if expect in (None, one.text)]
    reach = meant[0].reach if meant and room is not None else None
    return Judged(found.verdict, reach, found.findings)


def gentlest(
    work: Work, reach: float = 0.97, *, seed: int = 0,
    step: Callable[[PassStep], None] = lambda step: None,
) -> tuple[Work, PassStep]:  # fmt: skip
    """Find the least visible blend of a work that still holds a reach.

    Returns
    -------
    (Work, PassStep)
        The work with that blend, and how the search ended.
    """
    from nimble_tile.core.tune.gentlest import search

    room, chosen = measuring(None)
    last = None
    for last in search(work.piece, work.renderer, room, chosen.trials, reach, seed):
        step(last)
    return Work(last.best.piece, work.pictures), last


def mend(
    image: Image,
    message: str,
    *,
    region: Region | None = None,
    symbol: Symbol | None = None,
    reach: float = 0.9,
    keep: np.ndarray | None = None,
    seed: int = 0,
    step: Callable[[MendStep], None] = lambda step: None,
) -> Mended:
    """Make a finished picture scan with the smallest change.

    Parameters
    ----------
    image : ndarray of uint8, H × W × 3
    message : str
        What its code should say, to the letter.
    region : Region, optional
        Where the code is, quiet zone included.
    symbol : Symbol, optional
        Which one it is.
    reach : float
        To be held.
    keep : ndarray of bool, H × W, optional
        True where the picture must stay.
    seed : int
    step : callable
        Gets each step of the search.

    Raises
    ------
    UserError
        No place of the code is found.

    Examples
    --------
    >>> import numpy as np, nimble_tile
    >>> dusk = np.full((330, 330, 3), (150, 130, 110), np.uint8)
    >>> faint = nimble_tile.make("lantern", picture=dusk, blend="overlay", strength=0.12)
    >>> made = nimble_tile.mend(nimble_tile.render(faint), "lantern", reach=0.5)
    >>> made.holds, nimble_tile.judge(made.image, "lantern").scans
    (True, True)
    """
    from nimble_tile.core.tune.mend import find, rendering_of
    from nimble_tile.core.tune.mend import mend as search

    area = None if region is None else (region.x, region.y, region.width, region.height)
    symbols = [] if symbol is None else [symbol]
    suspect = find(image, message, bay(), area, symbols=symbols)[0]
    room, chosen = measuring(None)
    made = None
    for found in search(image, suspect, room, chosen.trials, reach, keep, seed):
        step(found)
        made = found.best
    rendering = rendering_of(made, image)
    return Mended(np.array(rendering.image), made, rendering)
