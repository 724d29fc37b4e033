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

from __future__ import annotations

import atexit
import io
import threading
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from nimble_tile.core.errors import PictureError, UserError
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer

if TYPE_CHECKING:
    from nimble_tile.core.batch.run import Summary
    from nimble_tile.core.batch.work import Done
    from nimble_tile.core.checking.check import Finding
    from nimble_tile.core.output.export import Proof
    from nimble_tile.core.piece import Region
    from nimble_tile.core.rendering import Rendering
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.symbol.encode import Symbol
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import TrialSet
    from nimble_tile.core.tune.candidates import PassStep
    from nimble_tile.core.tune.mend import Attempt

__all__ = [
    "Judged", "Mended", "Work", "Written", "batch", "export", "gentlest", "judge", "load", "make",
    "mend", "render", "save", "weave",
]  # fmt: skip

Image = np.ndarray
"""uint8, H × W × 3 sRGB."""


@dataclass(frozen=True, eq=False)
class Work:
    """A piece, and the pictures that it needs.

    Attributes
    ----------
    piece : Piece
        All settings; frozen.
    pictures : PictureStore
    """

    piece: Piece
    pictures: PictureStore

    @cached_property
    def renderer(self) -> Renderer:
        """What renders it, and remembers its stages."""
        return Renderer(self.pictures)

    @property
    def text(self) -> str:
        """What a scan gives back."""
        return self.renderer.symbol(self.piece).text

    def changed(self, **settings: Any) -> Work:
        """The same with some settings changed, by the names of `make`."""
        from nimble_tile.core.asked import Asker

        files, settings = _arrays(settings, self.pictures)
        asked = Asker(self.pictures, files=files)
        return Work(asked.piece(self.piece.message.text, settings, self.piece), self.pictures)


@dataclass(frozen=True, eq=False)
class Judged:
    """What the readers made of an image or a work.

    Attributes
    ----------
    verdict : Verdict
        With reasons, marks of all readers, spare and, of a work on a picture, fidelity.
    reach : float or None
        Passes in the trials over those of the usual code; None without trials.
    findings : tuple of Finding
        Every code on an image; empty for a work.
    """

    verdict: Verdict
    reach: float | None = None
    findings: tuple[Finding, ...] = ()

    @property
    def state(self) -> str:
        """``"well"``, ``"thin"`` or ``"fails"``."""
        return self.verdict.state

    @property
    def scans(self) -> bool:
        """Whether it is read, and says what was meant."""
        return self.verdict.scans

    @property
    def texts(self) -> tuple[str, ...]:
        """What was read, once each."""
        return tuple(dict.fromkeys(code.text for code in self.verdict.found))

    @property
    def reasons(self) -> tuple[str, ...]:
        """Why it does not scan well, and what to do, in sentences."""
        return tuple(f"{r.text} {r.way_out}".strip() for r in self.verdict.reasons)


@dataclass(frozen=True, eq=False)
class Written:
    """A file, and what the readers found in it.

    Attributes
    ----------
    proof : Proof
    rendering : Rendering
        From which it was written.
    verdict : Verdict
        Of the file, with the fidelity of the rendering.
    """

    proof: Proof
    rendering: Rendering
    verdict: Verdict

    @property
    def scans(self) -> bool:
        """Whether the file scans."""
        return self.verdict.scans


@dataclass(frozen=True, eq=False)
class Mended:
    """A picture that was made to scan.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3
    attempt : Attempt
    rendering : Rendering
    """

    image: Image
    attempt: Attempt
    rendering: Rendering

    @property
    def reach(self) -> float:
        """What it holds now."""
        return self.attempt.reach

    @property
    def holds(self) -> bool:
        """Whether it holds the reach that was asked for."""
        return self.attempt.holds


# Readers ------------------------------------------------------------------------------------


@dataclass
class _Shared:
    bay: Any = None
    lock: Any = field(default_factory=threading.Lock)


_shared = _Shared()


def bay() -> ReaderBay:
    """The reader processes that all calls share."""
    from nimble_tile.core.scan.bay import ReaderBay

    with _shared.lock:
        if _shared.bay is None:
            _shared.bay = ReaderBay()
        return _shared.bay


def close() -> None:
    """End the reader processes; the next call starts them again."""
    with _shared.lock:
        found, _shared.bay = _shared.bay, None
    if found is not None:
        found.close()


atexit.register(close)


def _measuring(trials: TrialSet | None) -> tuple[Room, TrialSet]:
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import own

    chosen = trials or own()
    return Room(bay(), chosen.readers), chosen


def _arrays(
    settings: Mapping[str, Any], pictures: PictureStore
) -> tuple[dict[str, bytes], dict[str, Any]]:  # fmt: skip
    """Pictures that are given as arrays, as files in memory by the name that stands for them."""
    files: dict[str, bytes] = {}
    found = dict(settings)
    for name in ("picture", "logo", "matter"):
        value = found.get(name)
        if isinstance(value, np.ndarray):
            files[f"{name} (array)"] = _as_png(value)
            found[name] = f"{name} (array)"
    return files, found


def _as_png(image: np.ndarray) -> bytes:
    from PIL import Image as Images

    if image.dtype != np.uint8 or image.ndim != 3 or image.shape[2] not in (3, 4):
        raise PictureError(
            f"An image is uint8, H × W × 3 or 4, and this is {image.dtype} {image.shape}.",
            "Convert it first.",
        )
    file = io.BytesIO()
    Images.fromarray(np.ascontiguousarray(image)).save(file, "PNG", compress_level=1)
    return file.getvalue()


# The calls --------------------------------------------------------------------------------------


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
        ``matter``, ``motif``, ``logo_share`` in percent, ``caption``, ``frame``, ``size``,
        ``mm``, ``dpi`` and what else a file can be.

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
    files, settings = _arrays(settings, pictures)
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

    possible(format_of(Path(path)), work.piece.finish)  # refused before any work is done
    rendering = work.renderer.render(outgoing(work.piece))
    proof = write(rendering, Path(path), work.piece.finish, bay())
    verdict = proof.verdict
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
        room, chosen = _measuring(trials if not isinstance(trials, bool) else None)
    if isinstance(what, Work):
        from nimble_tile.core.tune.proving import prove

        measured, of = (room, chosen.trials) if room is not None else (_measuring(None)[0], ())
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

    room, chosen = _measuring(None)
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
    room, chosen = _measuring(None)
    made = None
    for step in search(image, suspect, room, chosen.trials, reach, keep, seed):
        made = step.best
    rendering = rendering_of(made, image)
    return Mended(np.array(rendering.image), made, rendering)


def batch(
    rows: str | Path | Iterable[Mapping[str, Any]],
    folder: str | Path,
    *,
    base: Work | None = None,
    name: str | None = None,
    executor: Callable[[], Executor] | None = None,
    jobs: int | None = None,
    resume: bool = False,
    step: Callable[[Done, bool], None] = lambda done, kept: None,
    stop: Callable[[], bool] = lambda: False,
) -> Summary:
    """Make and check many codes in one look.

    Parameters
    ----------
    rows : path or iterable of mappings
        A CSV file or spreadsheet, or one mapping a row: ``message``, ``name``, and settings of
        `make` by name.
    folder : path
        Where files, report and contact sheets go.
    base : Work, optional
        Look, picture and finish of all rows.
    name : str, optional
        Pattern of the file names; its ending says the format.
    executor : callable, optional
        Gives an executor of the standard library's interface; None: processes on this computer.
    jobs : int, optional
        How many rows are made at once.
    resume : bool
        Go on where an earlier run was broken off.
    step : callable
        Gets each row as it is done, and whether an earlier run had done it.
    stop : callable
        Asked between rows.

    Examples
    --------
    >>> import nimble_tile, tempfile
    >>> if __name__ == "__main__":  # processes begin by importing the script anew
    ...     found = nimble_tile.batch([{"message": "lantern 1"}], tempfile.mkdtemp(), jobs=1)
    ...     print(found.done, found.failed)
    """
    import os

    from nimble_tile.core.batch.names import USUAL, Pattern
    from nimble_tile.core.batch.report import write_reports
    from nimble_tile.core.batch.rows import as_rows, rows_in
    from nimble_tile.core.batch.run import Order, local_pool, run
    from nimble_tile.core.output.formats import SUFFIX

    work = base or Work(Piece(), PictureStore())
    listed = isinstance(rows, (str, Path))
    tables = Path(rows).parent if listed else Path()
    pattern = Pattern(name or USUAL, SUFFIX[work.piece.finish.format])
    order = Order(Path(folder), work.piece, work.pictures, pattern, tables.absolute())
    count = jobs or os.cpu_count() or 1
    found = run(
        rows_in(Path(rows)) if listed else as_rows(rows), order,
        executor or (lambda: local_pool(count)), count, resume, step, stop,
    )  # fmt: skip
    write_reports(order)
    return found


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


__all__ += ["UserError"]
