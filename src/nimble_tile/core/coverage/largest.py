"""The largest logo that holds, the best place for it, and the smallest code that bears it.

A search over our own model of codewords, proved with the readers at the end.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.additions import Logo
from nimble_tile.core.coverage.scene import Scene, Tried, with_logo
from nimble_tile.core.errors import MessageError, UserError
from nimble_tile.core.laid.paint import painted
from nimble_tile.core.language import tr
from nimble_tile.core.logo.lay import COVER_CELLS, lay, under
from nimble_tile.core.piece import Code, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import Symbol

LEAST_SIZE, MOST_SIZE = 0.04, 0.8
"""Sizes of a logo between which is searched, in parts of the symbol's side."""

SIZES_TRIED = 10
"""Sizes that are tried first; the finest step is then found by halving."""

HALVINGS = 5

SHRINK = 0.96
"""Factor by which a size shrinks when a reader disagrees."""

MOST_LOOKS = 6
"""Sizes, or places, that are shown to the readers at most."""

MOST_PLACES = 900
"""Places that are counted at most; a large symbol is gone over in wider steps."""

EXACT = 16
"""Places that are painted and looked at after the counting."""

JUDGED = 640
"""Longer side, in pixels, of what the readers are shown, at least."""

MOST_VERSIONS = 14
"""Versions above the smallest that are tried for a wanted size."""


@dataclass(frozen=True, eq=False)
class LogoFound:
    """The result of a search.

    Attributes
    ----------
    piece : Piece or None
        With the logo as it was found; None: there is no such logo.
    spare : float
        Error correction left there, 0 to 1.
    verdict : Verdict or None
        What the readers say to it.
    told : str
        The result in a sentence.
    """

    piece: Piece | None
    spare: float
    verdict: Verdict | None
    told: str


def put(piece: Piece, index: int, **changes: object) -> Piece:
    """A piece with some settings of one logo changed."""
    logo = piece.logo.items[index]
    new = Logo.model_validate({**dict(logo), **changes})
    return piece.model_copy(update={"logo": with_logo(piece.logo, index, new)})


def _proved(renderer: Renderer, piece: Piece, bay: ReaderBay) -> Verdict:
    return judge_rendering(renderer.render(piece, _judged_size(renderer, piece)), bay, False)


def _judged_size(renderer: Renderer, piece: Piece) -> int:
    modules = renderer.symbol(piece).side + 2 * piece.code.quiet_zone
    natural = piece.finish.size or renderer.natural_size(piece)
    share = renderer.module_pixels(piece) * modules / natural
    return int(min(natural, max(JUDGED, round(8 * modules / max(share, 1e-6)))))


def largest(
    renderer: Renderer, piece: Piece, index: int, spare: float, bay: ReaderBay
) -> LogoFound:
    """The largest size of a logo, in its place and shape, that keeps a wanted spare.

    Parameters
    ----------
    renderer : Renderer
    piece : Piece
    index : int
        Which of its logos.
    spare : float
        Error correction to be left in the weakest block, 0 to 1.
    bay : ReaderBay
        Readers that must read the result if they read the piece without the logo.
    """
    scene = Scene(renderer, piece)
    logo = piece.logo.items[index]

    def keeps(size: float) -> Tried | None:
        tried = scene.attempt(with_logo(piece.logo, index, logo.model_copy(update={"size": size})))
        return tried if tried.keeps(spare) else None

    size = _last(keeps)
    if size is None:
        return LogoFound(None, 0, None, tr("Here not even a small logo leaves so much spare."))
    before = _readers(scene, index, bay)
    verdict = None
    for _ in range(MOST_LOOKS):
        made = put(piece, index, size=round(size, 4))
        verdict = _proved(renderer, made, bay)
        if before <= _right(verdict) and (verdict.spare or 0) >= spare:
            told = tr("The largest that holds here has {size:.0%} of the code's side.", size=size)
            return LogoFound(made, verdict.spare or 0, verdict, told)
        size *= SHRINK
        if size < LEAST_SIZE:
            break
    return LogoFound(None, 0, verdict, tr("The readers do not agree with any size here."))


def _last(keeps: Callable[[float], Tried | None]) -> float | None:
    """The largest size up to which all that were tried keep what is wanted."""
    sizes = np.geomspace(LEAST_SIZE, MOST_SIZE, SIZES_TRIED)
    good, bad = None, None
    for size in sizes:
        if keeps(float(size)) is None:
            bad = float(size)
            break
        good = float(size)
    if good is None:
        return None
    if bad is None:
        return good
    for _ in range(HALVINGS):
        middle = (good + bad) / 2
        if keeps(middle) is None:
            bad = middle
        else:
            good = middle
    return good


def _right(verdict: Verdict) -> frozenset[str]:
    return frozenset(m.name for m in verdict.marks if m.read and m.text == verdict.expected)


def _readers(scene: Scene, index: int, bay: ReaderBay) -> frozenset[str]:
    """Readers that read the piece without the logo and so must read it with one."""
    logos = scene.piece.logo
    kept = tuple(logo for i, logo in enumerate(logos.items) if i != index)
    alone = scene.lay(logos.model_copy(update={"items": kept}))
    seen = bay.read(to_grey(scene.image(alone)))
    text = scene.symbol.text
    return frozenset(o.name for o in seen if any(r.text == text for r in o.readings))


def best_place(
    renderer: Renderer, piece: Piece, index: int, spare: float, bay: ReaderBay
) -> LogoFound:
    """The place where a logo of this size leaves most error correction.

    Among places that leave as much, the one nearest to the middle. Parameters as in `largest`.
    """
    scene = Scene(renderer, piece)
    logo = piece.logo.items[index]
    tried = []
    for x, y in _candidates(scene, logo, index):
        moved = logo.model_copy(update={"x": x, "y": y})
        result = scene.attempt(with_logo(piece.logo, index, moved))
        if result.hold.holds:
            tried.append((-round(result.looked.spare, 6), np.hypot(x - 0.5, y - 0.5), x, y))
    before = _readers(scene, index, bay)
    verdict = None
    for _, _, x, y in sorted(tried)[:MOST_LOOKS]:
        made = put(piece, index, x=x, y=y)
        verdict = _proved(renderer, made, bay)
        if before <= _right(verdict):
            left = verdict.spare or 0
            enough = (
                ""
                if left >= spare
                else tr(" That is less than the {spare:.0%} that you want.", spare=spare)
            )
            told = tr(
                "The best place leaves {left:.0%} of the error correction.{enough}",
                left=left,
                enough=enough,
            )
            return LogoFound(made, left, verdict, told)
    return LogoFound(None, 0, verdict, tr("A logo of this size holds nowhere on this code."))


def _footprint(scene: Scene, logo: Logo, index: int) -> tuple[np.ndarray, np.ndarray, int, int]:
    """Modules that a logo takes, and whether they come out dark, round its own middle module."""
    n = scene.symbol.side
    # Laid in the middle of an equally large symbol, so that nothing is cut off.
    middle = (n // 2 + 0.5) / n
    centred = logo.model_copy(update={"x": middle, "y": middle})
    alone = scene.piece.logo.model_copy(update={"items": (centred,), "paint": None})
    pixels = scene.pixels(logo)
    laid = lay(alone, [pixels], None, n, scene.quiet)
    share = under(laid.items, n, scene.quiet)
    side = scene.modules * COVER_CELLS
    grey = painted(np.full((side, side, 3), 160, np.uint8), laid.items,
                   np.diag([COVER_CELLS, COVER_CELLS, 1.0]), COVER_CELLS)  # fmt: skip
    own = slice(scene.quiet * COVER_CELLS, (scene.quiet + n) * COVER_CELLS)
    luma = (
        grey[own, own].mean(2).reshape(n, COVER_CELLS, n, COVER_CELLS)[:, 2:4, :, 2:4].mean((1, 3))
    )
    light = float(np.percentile(scene.base, 80))
    takes = (share > 0.4) | laid.cleared
    dark = (luma < 0.5 * light) & (share > 0.4)
    rows, columns = np.flatnonzero(takes.any(1)), np.flatnonzero(takes.any(0))
    if not len(rows):
        return np.ones((1, 1), bool), np.zeros((1, 1), bool), 0, 0
    top, left = rows[0], columns[0]
    part = (slice(top, rows[-1] + 1), slice(left, columns[-1] + 1))
    return takes[part], dark[part], top - n // 2, left - n // 2


def _forbidden(symbol: Symbol) -> tuple[np.ndarray, np.ndarray]:
    """Modules that a logo should not take, and those that it must not.

    It must leave finders, their borders and the format information. It should also
    leave the timing patterns, by which some readers count modules, and the alignment pattern
    at the bottom right, by which they set a tilted code straight. Straight on they do without.
    """
    parts, n = symbol.anatomy.parts, symbol.side
    must = np.isin(parts, (Part.FINDER, Part.SEPARATOR, Part.FORMAT, Part.DARK))
    should = must | (parts == Part.TIMING)
    if not symbol.micro and int(symbol.version) > 1:
        should[n - 9 : n - 4, n - 9 : n - 4] = True
    return should, must


def _candidates(scene: Scene, logo: Logo, index: int) -> Iterator[tuple[float, float]]:
    """Places worth trying exactly, by counting codewords at every module."""
    symbol = scene.symbol
    n, plan = symbol.side, symbol.anatomy
    takes, dark, dy, dx = _footprint(scene, logo, index)
    height, width = takes.shape
    owner = np.full(int(plan.codeword.max()) + 2, -1)
    for i, block in enumerate(plan.blocks):
        owner[list(block.codewords)] = i
    most = np.array([max(block.correctable, 1) for block in plan.blocks])
    places = max(0, n - height + 1) * max(0, n - width + 1)
    step = max(1, int(np.ceil(np.sqrt(places / MOST_PLACES))))
    for forbidden in _forbidden(symbol):
        found = []
        for row in range(0, n - height + 1, step):
            for column in range(0, n - width + 1, step):
                area = (slice(row, row + height), slice(column, column + width))
                if forbidden[area][takes].any():
                    continue
                wrong = takes & (symbol.dark[area] != dark)
                hit = np.unique(plan.codeword[area][wrong])
                counts = np.bincount(owner[hit[hit >= 0]], minlength=len(most))
                left = float((1 - counts / most).min())
                # The logo's middle lies at the middle of a module of its footprint.
                x, y = (column - dx + 0.5) / n, (row - dy + 0.5) / n
                found.append((-round(left, 4), np.hypot(x - 0.5, y - 0.5), x, y))
        if found:
            break
    for _, _, x, y in sorted(found)[:EXACT]:
        yield round(x, 4), round(y, 4)


def smallest_code(
    renderer: Renderer,
    piece: Piece,
    index: int,
    spare: float,
    bay: ReaderBay,
    step: Callable[[str, float], None] = lambda what, share: None,
) -> LogoFound:
    """The smallest version, and in it the lowest level, that bears a logo of this size.

    Parameters as in `largest`; `step` is told what is being tried and how much is done.
    """
    first = _smallest_version(renderer, piece)
    before = _readers(Scene(renderer, piece), index, bay)
    versions = range(first, min(40, first + MOST_VERSIONS) + 1)
    for done, version in enumerate(versions):
        step(tr("Trying version {version}", version=version), done / len(versions))
        for level in "LMQH":
            # One mask will do for the search; the readers then see the best one.
            code = piece.code.model_copy(
                update={"version": str(version), "level": level, "raise_level": False, "mask": 2}
            )
            made = piece.model_copy(update={"code": code})
            try:
                tried = Scene(renderer, made).attempt(made.logo)
            except MessageError:
                continue
            if not tried.keeps(spare):
                continue
            code = code.model_copy(update={"mask": piece.code.mask})
            made = piece.model_copy(update={"code": code})
            verdict = _proved(renderer, made, bay)
            if before <= _right(verdict) and (verdict.spare or 0) >= spare:
                told = tr(
                    "Version {version} at level {level} bears a logo of this size.",
                    version=version,
                    level=level,
                )
                return LogoFound(made, verdict.spare or 0, verdict, told)
    return LogoFound(
        None, 0, None, tr("No code of a sensible size bears this logo; make it smaller.")
    )


def _smallest_version(renderer: Renderer, piece: Piece) -> int:
    code = Code.model_validate(
        {**dict(piece.code), "version": "auto", "level": "L", "raise_level": False}
    )
    try:
        return int(renderer.symbol(piece.model_copy(update={"code": code})).version)
    except UserError:
        return 40
