"""Why a trial fails: in words, with the place, and whose fault it is.

The frame is sampled module by module, as the finished image is, and compared
with the finished image, with the same symbol in plain black and white, and with the usual code
in the same situation.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.logo.lay import TOUCHED, under
from nimble_tile.core.picture.warping import mapped
from nimble_tile.core.piece import Piece
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.finders import NOMINAL, TOLERANCE, across
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.reasons import HARDLY_SHOWS
from nimble_tile.core.scan.sampling import Sample, sample, upright_view
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.looks.drawing import finder_corners
from nimble_tile.core.trials.camera import CameraFrame, Studio
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject, quiet_modules
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.trials.wear import shift_within

FINDER_CELLS = 8
"""Pixels a module at which finders are measured on a frame."""

DULL_SIDE = 0.75
"""Share of one side of the quiet zone that must be light for it not to be named."""

LESS_CONTRAST = 0.6
"""Share of the plain twin's contrast from which the artwork's is named."""

FEW_PIXELS = 2.6
"""Pixels a module below which the readers here begin to lose plain codes."""

MOVED = 0.4
"""Modules by which creases may move something."""

SIDES_IN_WORDS = (tr("at the top"), tr("on the right"), tr("at the bottom"), tr("on the left"))

FINDERS = (tr("top left"), tr("top right"), tr("bottom left"))

FAULTS = {
    "logo": tr("under the logo"),
    "caption": tr("under the caption"),
    "picture": tr("where the picture is against them"),
    "blend": tr("that the blend leaves weak"),
    "look": tr("that shapes or colours leave weak"),
    "situation": tr("that plain code loses too"),
}
"""Whose fault a wrong module is, in words that follow a number."""


@dataclass(frozen=True, eq=False)
class Clues:
    """What is known of the artwork besides its image.

    Attributes
    ----------
    covered : dict of str to ndarray of bool, n × n
        Modules under ``"logo"`` and ``"caption"``.
    still : Sample or None
        The finished image, sampled straight on.
    blended : bool
        Whether a picture takes part.
    raises : frozenset of str
        What of ``"strength"``, ``"finders"``, ``"quiet"`` and ``"level"`` can still be raised.
    """

    covered: dict[str, np.ndarray] = field(default_factory=dict)
    still: Sample | None = None
    blended: bool = False
    raises: frozenset[str] = frozenset()


@dataclass(frozen=True, eq=False)
class Cause:
    """One cause.

    Attributes
    ----------
    text, way_out : str
    modules : ndarray of bool, n × n, or None
        Where it is, in modules of the symbol.
    area : tuple of float or None
        Or as a rectangle in modules from the symbol's corner: x, y, width,
        height.
    """

    text: str
    way_out: str = ""
    modules: np.ndarray | None = None
    area: tuple[float, float, float, float] | None = None


@dataclass(frozen=True, eq=False)
class Why:
    """What is known of one trial.

    Attributes
    ----------
    frame : CameraFrame
        What the readers saw.
    sample : Sample
        Of the frame.
    causes : tuple of Cause
        Most telling first.
    faults : dict of str to ndarray of bool, n × n
        Wrong modules by whose fault they are; keys of `FAULTS`.
    contrast, plain_contrast : float
        Light less dark modules over the light ones, 0 to 1, here and of the
        plain twin.
    """

    frame: CameraFrame
    sample: Sample
    causes: tuple[Cause, ...]
    faults: dict[str, np.ndarray]
    contrast: float
    plain_contrast: float


def clues_of(rendering: Rendering, still: Sample | None, piece: Piece) -> Clues:
    """What a piece and its rendering tell about whose fault a module is, and what may help."""
    covered = {}
    laid = rendering.laid
    if laid is not None:
        side, quiet = rendering.symbol.side, rendering.quiet_zone
        captions = [item for item in laid.on_code if item.role == "caption"]
        others = [item for item in laid.on_code if item.role != "caption"]
        mask = under(others, side, quiet) > TOUCHED if others else np.zeros((side, side), bool)
        if laid.cleared is not None:
            mask |= laid.cleared
        if mask.any():
            covered["logo"] = mask
        if captions:
            covered["caption"] = under(captions, side, quiet) > TOUCHED
    blend, raises = piece.blend, set()
    if rendering.blended:
        fixed = {"strength": blend.strength, "finders": blend.finders,
                 "quiet": blend.quiet_strength}  # fmt: skip
        raises = {name for name, value in fixed.items()
                  if (blend.strength if value is None else value) < 1}  # fmt: skip
    if piece.code.level != "H" and piece.picture.pixels is None:
        raises.add("level")
    return Clues(covered, still, rendering.blended, frozenset(raises))


def _if(clues: Clues, what: str, way_out: str) -> str:
    """A way out where it leads somewhere."""
    return way_out if what in clues.raises else ""


def why(room: Room, subject: Subject, trial: Trial, clues: Clues, seed: int = 0) -> Why:
    """Look into one trial.

    Parameters
    ----------
    room : Room
    subject : Subject
    trial : Trial
    clues : Clues
    seed : int
        As the trial was run.
    """
    symbol = subject.symbol
    frame = room.frame(subject, trial, seed)
    passed, usual = room.passes([(subject, trial), (subject.usual, trial)], seed)
    own, contrast, lines = _look(room.studio(subject), symbol, trial, seed)
    twin, plain_contrast, plain_lines = _look(room.studio(subject.twin), symbol, trial, seed)
    faults = _faults(own, twin, clues, symbol)
    causes: list[Cause] = []
    if own.wrong.mean() > HARDLY_SHOWS:
        causes.append(
            Cause(tr("The code hardly shows here: {mean:.0%} of its modules are wrong.",
                     mean=own.wrong.mean()),
                  modules=own.wrong)
        )  # fmt: skip
    else:
        causes += _finders(lines, plain_lines, symbol, clues)
        causes += _quiet(own, twin, symbol, quiet_modules(symbol), clues)
        causes += _flips(own, faults, trial, clues)
        causes += _blocks(own, symbol, clues)
    if contrast < LESS_CONTRAST * plain_contrast:
        causes.append(
            Cause(
                tr(
                    "Contrast here is {contrast:.0%}, under {less_contrast:.0%} of plain "
                    "code's {plain_contrast:.0%}.",
                    contrast=contrast,
                    less_contrast=LESS_CONTRAST,
                    plain_contrast=plain_contrast,
                ),
                _if(clues, "strength", tr("Raise the strength."))
                if clues.blended
                else tr("Choose colours farther apart."),
            )
        )
    causes += _situation(frame, trial, seed, symbol)
    lost = [name for name, ok in passed.read.items() if not ok]
    for name, trouble in passed.trouble.items():
        causes.append(Cause(f"{name} {trouble}."))
    if not causes and lost:
        causes.append(_unexplained(lost, passed.count, usual.count, own, clues))
    return Why(frame, own, tuple(causes), faults, contrast, plain_contrast)


def _look(studio: Studio, symbol: Symbol, trial: Trial, seed: int) -> tuple[Sample, float, list]:
    """Sample, contrast and lines across the finders of a frame, paper smoothed out."""
    frame = studio.frame(trial, seed, flat=True)
    grey = to_grey(frame.image)
    quiet = quiet_modules(symbol)
    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)
    quad = mapped(frame.matrix, square * (symbol.side + 2 * quiet) - quiet)
    view, box = upright_view(grey, quad, symbol.side + 2 * quiet)
    looked = sample(view, box, symbol, quiet)
    return looked, _contrast(view[box.slices], symbol, quiet), _lines(grey, frame, symbol)


def _contrast(view: np.ndarray, symbol: Symbol, quiet: int) -> float:
    """Share of the light modules' brightness that the dark ones lack, by their medians."""
    import cv2

    side = symbol.side + 2 * quiet
    tones = cv2.resize(view, (side, side), interpolation=cv2.INTER_AREA)
    own = tones[quiet : side - quiet, quiet : side - quiet].astype(float)
    light, dark = np.median(own[~symbol.dark]), np.median(own[symbol.dark])
    return float(max(0.0, light - dark) / max(light, 1.0))


def _lines(grey: np.ndarray, frame: CameraFrame, symbol: Symbol) -> list:
    """Lines along rows and columns across each finder of a frame."""
    import cv2

    found = []
    side = 7 * FINDER_CELLS
    for index, (row, column) in enumerate(finder_corners(symbol)):
        to_cells = np.diag([1 / FINDER_CELLS, 1 / FINDER_CELLS, 1])
        to_cells[:2, 2] = column, row
        onto = frame.matrix @ to_cells
        shift = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
        own = cv2.warpPerspective(
            grey, shift @ onto @ np.linalg.inv(shift), (side, side),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip
        found += [line for line in across(own, index, FINDER_CELLS) if "diagonal" not in line.way]
    return found


def _faults(own: Sample, twin: Sample, clues: Clues, symbol: Symbol) -> dict[str, np.ndarray]:
    """Each wrong module, by whose fault it is."""
    left = own.wrong.copy()
    found = {}

    def take(name: str, which: np.ndarray) -> None:
        nonlocal left
        mine = left & which
        if mine.any():
            found[name] = mine
        left = left & ~which

    for name, mask in clues.covered.items():
        take(name, mask)
    if clues.still is not None:
        take("picture" if clues.blended else "look", clues.still.wrong)
    take("situation", twin.wrong)
    take("blend" if clues.blended else "look", np.ones_like(left))
    return found


def _finders(lines: Sequence, plain: Sequence, symbol: Symbol, clues: Clues) -> list[Cause]:
    """Finders whose runs are off, by more than those of plain code."""
    causes = []
    for index, name in enumerate(FINDERS):
        own = [line for line in lines if line.finder == index]
        if not own:
            continue
        worst, others = _typical(own), _typical([ln for ln in plain if ln.finder == index])
        if worst.error <= TOLERANCE or worst.error <= others.error + 0.1:
            continue
        if worst.runs:
            which = worst.worst
            told = tr(
                "a run of its {way} is {runs:.1f} modules instead of {nominal:.0f} "
                "({words}), off by {error:.1f}; {tolerance} is borne",
                way=tr(worst.way),
                runs=worst.runs[which],
                nominal=NOMINAL[which],
                words=worst.words,
                error=worst.error,
                tolerance=TOLERANCE,
            )
        else:
            told = tr("there are no five runs along a {way}", way=tr(worst.way))
        corner = finder_corners(symbol)[index]
        causes.append(
            Cause(
                tr("The {name} finder is not seen as one: {told}.", name=name, told=told),
                _if(clues, "finders", tr("Raise the strength of the finders.")),
                area=(float(corner[1]), float(corner[0]), 7.0, 7.0),
            )
        )
    return causes


def _typical(lines: Sequence):
    """The line that is worse than half of those of one way, in the worse way."""
    ways = []
    for way in ("row", "column"):
        of_way = sorted((ln for ln in lines if ln.way == way), key=lambda ln: ln.error)
        ways.append(of_way[len(of_way) // 2])
    return max(ways, key=lambda ln: ln.error)


def _quiet(own: Sample, twin: Sample, symbol: Symbol, quiet: int, clues: Clues) -> list[Cause]:
    causes = []
    side = symbol.side
    areas = (
        (0, -quiet, side, quiet), (side, 0, quiet, side), (0, side, side, quiet),
        (-quiet, 0, quiet, side),
    )  # fmt: skip
    eaten = [
        index
        for index in range(4)
        if own.quiet_sides[index] < min(DULL_SIDE, twin.quiet_sides[index])
    ]
    if len(eaten) == 4:
        share = 1 - own.quiet_zone
        return [
            Cause(tr("The quiet zone is eaten all round: {share:.0%} of it is too dark.",
                     share=share),
                  _if(clues, "quiet",
                      tr("Raise the strength of the quiet zone, or give it a plain ground.")),
                  area=(-quiet, -quiet, side + 2 * quiet, side + 2 * quiet))
        ]  # fmt: skip
    for index in eaten:
        share = 1 - own.quiet_sides[index]
        causes.append(
            Cause(
                tr(
                    "The quiet zone is eaten {sides_in_words}: {share:.0%} of it is too dark.",
                    sides_in_words=SIDES_IN_WORDS[index],
                    share=share,
                ),
                _if(
                    clues,
                    "quiet",
                    tr(
                        "Raise the strength of the quiet zone, or move the code to a lighter place."
                    ),
                ),
                area=tuple(float(value) for value in areas[index]),
            )
        )
    return causes


def _flips(own: Sample, faults: dict[str, np.ndarray], trial: Trial, clues: Clues) -> list[Cause]:
    """Which modules flip, and whose fault it is."""
    total = int(own.wrong.sum())
    if not total or own.spare > 0.6:
        return []
    told = []
    for name, mask in sorted(faults.items(), key=lambda item: -item[1].sum()):
        count = int(mask.sum())
        words = FAULTS[name]
        if name == "situation":
            words = tr("that plain code loses too ({burden})", burden=burden(trial))
        elif name in ("blend", "look"):
            words += tr(" for {burden}", burden=burden(trial))
        told.append(f"{count} {words}")
    way = {
        "logo": tr("Make the logo smaller or move it."),
        "caption": tr("Move the caption off the code."),
        "picture": _if(clues, "strength", tr("Raise the strength, or guard less.")),
        "blend": _if(clues, "strength", tr("Raise the strength.")),
        "look": tr("Choose fuller shapes or stronger colours."),
        "situation": "",
    }[max(faults, key=lambda name: faults[name].sum())]
    return [
        Cause(
            tr(
                "{total} of {size} modules flip: {listed}.",
                total=total,
                size=own.wrong.size,
                listed=_listed(told),
            ),
            way,
            own.wrong,
        )
    ]


def _blocks(own: Sample, symbol: Symbol, clues: Clues) -> list[Cause]:
    """Blocks of codewords that ran out."""
    plan = symbol.anatomy
    causes = []
    pairs = list(enumerate(zip(own.codeword_errors, own.correctable, strict=True)))
    for index, (errors, most) in sorted(pairs, key=lambda p: p[1][1] - p[1][0])[:2]:
        if errors <= most:
            continue
        which = (
            tr("Block {index} ran out", index=index + 1)
            if len(pairs) > 1
            else tr("Error correction ran out")
        )
        causes.append(
            Cause(
                tr(
                    "{which}: {errors} of its codewords are wrong, {most} can be corrected.",
                    which=which,
                    errors=errors,
                    most=most,
                ),
                _if(clues, "level", tr("Raise the level.")),
                (plan.block == index) & own.wrong,
            )
        )
    return causes


def _situation(frame: CameraFrame, trial: Trial, seed: int, symbol: Symbol) -> list[Cause]:
    causes = []
    if frame.module < FEW_PIXELS:
        causes.append(
            Cause(
                tr("Only {module:.1f} pixels a module reach the camera.", module=frame.module),
                tr("Print it larger, or use a smaller version (a shorter message, a lower level)."),
            )
        )
    moved = shift_within(trial.wear, seed) * symbol.side
    if moved > MOVED:
        causes.append(
            Cause(tr("Creases move modules by up to {moved:.1f} of their size.", moved=moved))
        )
    return causes


def _unexplained(lost: Sequence[str], read: int, usual: int, own: Sample, clues: Clues) -> Cause:
    names = _listed(lost)
    if usual < read + len(lost):
        return Cause(
            tr("Not read by {names}; the usual code is not read by all here either.", names=names)
        )
    if own.corrects:
        return Cause(
            tr(
                "Every block could be corrected, but {names} did not find the code or its grid.",
                names=names,
            ),
            _if(clues, "finders", tr("Raise the strength of finders and quiet zone.")),
        )
    return Cause(tr("Not read by {names}.", names=names))


def burden(trial: Trial) -> str:
    """What makes a trial hard, in a few words."""
    camera, light, before, wear = trial.camera, trial.light, trial.before, trial.wear
    tilt = float(np.hypot(trial.view.sideways, trial.view.lengthways))
    size = trial.shown.size or 40.0
    weights = {
        tr("blur"): (camera.blur - 0.5) / 1.0,
        tr("motion"): camera.motion / 4,
        tr("noise in dim light"): 20 * camera.noise**2 / light.lux,
        tr("tilt"): (tilt - 15) / 25,
        tr("distance"): (trial.view.distance / size - 8) / 6,
        tr("shadow"): light.shadow / 0.5,
        tr("uneven light"): light.falloff / 0.6,
        tr("glare"): light.glare / 0.6,
        tr("exposure"): abs(camera.exposure) / 1.5,
        tr("saving as JPEG"): 0 if before.jpeg is None else (70 - before.jpeg) / 40,
        tr("shrinking"): 0 if before.shrink is None else 300 / before.shrink,
        tr("dot gain"): before.dot_gain / 0.15,
        tr("grey paper"): (0.75 - before.paper) / 0.2,
        tr("smudges"): wear.smudge / 0.03,
        tr("creases"): max(wear.crumple / 0.4, wear.fold / 15),
        tr("a coarse camera"): (1000 - camera.pixels) / 300,
    }
    heavy = sorted((w, name) for name, w in weights.items() if w >= 0.5)
    names = [name for _, name in heavy[::-1][:2]]
    return _listed(names) if names else tr("this view")


def _listed(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else ", ".join(names[:-1]) + tr(" and ") + names[-1]
