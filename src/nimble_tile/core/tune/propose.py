"""Proposals for a picture: the quietest, the woven and the boldest piece that hold a reach, and
one by light where the picture is bright enough to carry shade.

Each is the result of a search of its own, shorter than the gentlest pass by itself. All of them
show a first candidate before any is searched to its end.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.core.places import advise_piece, placed
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.verdict import Verdict
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune import PROPOSED_REACH
from nimble_tile.core.tune.bold import WAYS, Bold, pieces
from nimble_tile.core.tune.candidates import Candidate, PassStep
from nimble_tile.core.tune.gentlest import Gentlest
from nimble_tile.core.tune.ground import PROPOSAL_LABELS, ready
from nimble_tile.core.tune.kinds import WEAVINGS, Effort, Gentle, Woven, code_of
from nimble_tile.core.tune.line import Line
from nimble_tile.core.tune.looking import CONFIRMING_TAKES, Looking

EFFORTS = {
    "quietest": Effort(0, 4, 7, confirmed=4, at_most=6, brief=True, markings=1),
    "woven": Effort(0, 2, 3, confirmed=3, at_most=5, brief=True, markings=1),
    "boldest": Effort(own=0, candidates=0, rendered=0, confirmed=2, at_most=4),
    "light": Effort(own=0, candidates=0, rendered=0, confirmed=3, at_most=5),
    "like": Effort(own=0, candidates=0, rendered=0, confirmed=2, at_most=4),
}
"""How much is looked at for each, and for a neighbour of one."""

BRIGHT = 0.4
"""Mean luma, 0 to 1, under the code from which a picture can carry shade."""

SUNLIT = 0.7
"""Strength at which the proposal by light begins."""

PENUMBRAS = (0.06, 0.16, 0.36)
"""Edges, in modules, that its neighbours differ by."""

TO_THE_END = ("quietest", "light", "boldest", "woven")
"""The first one takes the place of the guess that a new picture begins with."""

APART = 0.15
"""Parts of the code's side that another place is away from the first one at least."""


@dataclass(frozen=True, eq=False)
class Proposal:
    """A proposal as far as it is known.

    Attributes
    ----------
    kind : str
        A key of `PROPOSAL_LABELS`.
    candidate : Candidate
        Piece, rendering, reach and fidelity.
    verdict : Verdict
    holds : bool
        Whether it holds the wanted reach, in fresh trials and at other sizes, too, once it is
        `final`.
    final : bool
        Whether the search for it has ended.
    fresh : float or None
        Reach in trials that had no part in the search; known at the end.
    share : float
        Of the work on all of them that is done, 0 to 1.
    number : int
        Which of several of one kind.
    missed : str
        What it misses of what was asked for, in a few words; empty: nothing, or not known yet.
    """

    kind: str
    candidate: Candidate
    verdict: Verdict
    holds: bool
    final: bool
    fresh: float | None
    share: float
    number: int = 0
    missed: str = ""


def propose(
    piece: Piece,
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    wanted: float = PROPOSED_REACH,
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
    size: int | None = None,
) -> Iterator[Proposal]:
    """Search for proposals; another seed weaves otherwise and may find others.

    Parameters
    ----------
    piece, renderer, room, trials, wanted, seed, stop, size
        As in `nimble_tile.core.tune.gentlest.search`.

    Yields
    ------
    Proposal
        Each kind as often as it has become better, and once as the final one; fewer where the
        search was stopped.

    Raises
    ------
    UserError
        Nothing can be proposed for this piece.
    """
    ready(piece)
    piece = placed(piece, renderer)
    runs: dict[str, _Run] = {}
    try:
        kinds = [k for k in PROPOSAL_LABELS if k != "light" or carries_shade(piece, renderer)]
        for kind in kinds:
            if stop():
                return
            own = Renderer(renderer.pictures)
            runs[kind] = _Run(kind, piece, own, room, trials, wanted, seed, stop, size)
            runs[kind].of = len(kinds)
            yield from runs[kind].some(runs, first=True)
        for kind in (k for k in TO_THE_END if k in kinds):
            if stop():
                return
            yield from runs[kind].some(runs)
            runs[kind].close()
    finally:
        for run in runs.values():
            run.close()


def carries_shade(piece: Piece, renderer: Renderer) -> bool:
    """Whether the picture under the code is bright enough for a proposal by light."""
    seen = renderer.render(piece.edited("blend", strength=0.0), 256)
    return float(to_grey(seen.upright(seen.picture)).mean()) >= BRIGHT * 255


def by_light(piece: Piece) -> Piece:
    """The piece as the search by light begins with it."""
    version, level = Gentle(piece, brief=True).symbols[0]
    lit = piece.edited("blend", method="light", strength=SUNLIT, map=None, finders=None,
                       quiet_strength=None)  # fmt: skip
    return lit.model_copy(update={"code": code_of(piece, version, level)})


class _Run:
    """The search for one proposal.

    Attributes
    ----------
    of : int
        How many are looked for.
    """

    of = len(PROPOSAL_LABELS)

    def __init__(self, kind: str, piece: Piece, *rest: Any) -> None:
        self.kind, self.step = kind, None
        effort = EFFORTS[kind]
        if kind == "boldest":
            self.search: Looking = Bold(piece, *rest, effort)
        elif kind == "light":
            self.search = Held(by_light(piece), *rest, effort)
        else:
            method = "weave" if kind == "woven" else "gentle"
            own, (_, _, _, _, seed, *_) = piece.blend.weave, rest
            weave = own.model_copy(update={"seed": (own.seed + seed) % 10_000})
            turned = piece.blend.turned(method).model_copy(update={"weave": weave})
            based = piece.model_copy(update={"blend": turned})
            first = (Woven if kind == "woven" else Gentle)(based, effort.brief).first()[0]
            self.search = Gentlest(first, *rest, effort)
        self.steps = self.search.run()

    def some(self, runs: dict[str, _Run], first: bool = False) -> Iterator[Proposal]:
        """What is found until the end of the search, or until there is a first candidate."""
        told = None
        for step in self.steps:
            self.step, best = step, step.best
            if best is not None and best is not told:
                told = best
                yield self._proposal(runs, False)
            if first and told is not None:
                return
        if self.step is not None and self.step.best is not None:
            yield self._proposal(runs, True)

    def close(self) -> None:
        """End the search and let its images go; how far it came stays known."""
        self.steps.close()
        self.search.end()

    def _proposal(self, runs: dict[str, _Run], final: bool) -> Proposal:
        known = [run.step.share for run in runs.values() if run.step is not None]
        done = sum(known) / self.of
        step: PassStep = self.step
        return _told(self.search, self.kind, step, final, done)


def _told(
    search: Looking, kind: str, step: PassStep, final: bool, share: float, number: int = 0
) -> Proposal:
    verdict = search.verdict(step.best)
    missed = _missed(step, verdict, search.wanted) if final else ""
    return Proposal(kind, step.best, verdict, step.holds, final, step.fresh, share, number, missed)


def _missed(step: PassStep, verdict: Verdict, wanted: float) -> str:
    """What a finished search has not reached."""
    told, reach = [], step.best.reach
    if reach < wanted:
        # Never rounded up to what was asked for.
        held = np.floor(reach * 1000) / 1000
        told.append(tr("reach {held:.1%} of {wanted:.0%} asked", held=held, wanted=wanted))
    elif not step.holds:
        told.append(tr("{wanted:.0%} not held in fresh trials", wanted=wanted))
    failed = [m.name for m in verdict.marks if m.able and not m.right(verdict.expected)]
    if failed:
        told.append(tr("not read by {names}", names=", ".join(failed)))
    return ", ".join(told)


# More like this ------------------------------------------------------------------------------


class Held(Looking):
    """The least strength at which one piece holds."""

    def __init__(self, piece: Piece, *rest: Any) -> None:
        super().__init__(piece, *rest)
        self.total = 1 + CONFIRMING_TAKES * self.effort.confirmed

    def steps(self) -> Iterator[PassStep]:
        yield from self.confirm([Line(lambda: self.piece, self.before.worth)])


def more_like(
    kind: str,
    piece: Piece,
    renderer: Renderer,
    room: Room,
    trials: Sequence[Trial],
    wanted: float = PROPOSED_REACH,
    seed: int = 0,
    stop: Callable[[], bool] = lambda: False,
    size: int | None = None,
) -> Iterator[Proposal]:
    """Three neighbours of a proposal, each as strong as it needs to be; see `propose`."""
    near = neighbours(kind, piece, renderer)
    for number, one in enumerate(near):
        if stop():
            return
        search = Held(one, Renderer(renderer.pictures), room, trials, wanted, seed, stop, size,
                      EFFORTS["like"])  # fmt: skip
        step, told = None, None
        for step in search.run():
            if step.best is not None and step.best is not told:
                told = step.best
                share = (number + step.share) / len(near)
                yield _told(search, kind, step, False, share, number)
        if told is not None:
            yield _told(search, kind, step, True, (number + 1) / len(near), number)
        search.end()


def neighbours(kind: str, piece: Piece, renderer: Renderer) -> list[Piece]:
    """Three pieces that are like one: of another seed or mask, of another symbol, patch size or
    way, and in another place."""
    changes: list[Callable[[], Piece | None]] = [
        lambda: _elsewhere(piece, renderer), lambda: _other_symbol(kind, piece, renderer),
    ]  # fmt: skip
    if kind == "woven":
        changes[:0] = [lambda: _other_seed(piece), lambda: _other_patch(piece)]
    elif kind == "boldest":
        changes[:0] = [
            lambda: _other_way(piece, renderer, 1),
            lambda: _other_way(piece, renderer, 2),
        ]
    elif kind == "light":
        changes[:0] = [lambda e=edge: _other_edge(piece, e) for edge in PENUMBRAS[::2]]
    else:
        changes[:0] = [lambda: _other_mask(piece, renderer, 1)]
        changes.append(lambda: _other_mask(piece, renderer, 2))
    found: list[Piece] = []
    for change in changes:
        made = change()
        if made is not None and made != piece and made not in found:
            found.append(made)
    return found[:3]


def _other_seed(piece: Piece) -> Piece:
    weave = piece.blend.weave
    return piece.edited("blend", weave=weave.model_copy(update={"seed": (weave.seed + 3) % 10_000}))


def _other_patch(piece: Piece) -> Piece:
    weave = piece.blend.weave
    sizes = sorted({patch for patch, _ in WEAVINGS})
    larger = [size for size in sizes if size > weave.patch]
    patch = larger[0] if larger else sizes[0]
    return piece.edited("blend", weave=weave.model_copy(update={"patch": patch}))


def _other_edge(piece: Piece, edge: float) -> Piece:
    return piece.edited("blend", light=piece.blend.light.model_copy(update={"edge": edge}))


def _other_mask(piece: Piece, renderer: Renderer, further: int) -> Piece:
    mask = renderer.symbol(piece).mask
    free = piece.edited("code", mask="auto")
    order = [int(one) for one in (-renderer.matches(free)).argsort() if one != mask]
    made = piece.edited("code", mask=order[(further - 1) % len(order)])
    return made.edited("blend", map=None)


def _other_symbol(kind: str, piece: Piece, renderer: Renderer) -> Piece | None:
    """With the next of the symbols that the pass tries."""
    kinds = (Woven if kind == "woven" else Gentle)(piece)
    symbol = renderer.symbol(piece)
    own = str(symbol.version), symbol.level
    others = [one for one in kinds.symbols if one != own]
    if not others:
        return None
    version, level = others[0]
    made = piece.edited("code", version=version, level=level, raise_level=False, mask="auto")
    return made.edited("blend", map=None)


def _other_way(piece: Piece, renderer: Renderer, further: int) -> Piece:
    """By another bold method, at its own strength."""
    methods = [way.blend["method"] for way in WAYS]
    own = methods.index(piece.blend.method) if piece.blend.method in methods else 0
    made = pieces(piece, renderer.canvas(piece, 256))
    return made[(own + further) % len(made)]


def _elsewhere(piece: Piece, renderer: Renderer) -> Piece | None:
    """At the next good place on the picture."""
    own = renderer.place(piece)
    if own is None or not own.upright:
        return None
    for region in advise_piece(renderer, piece).best:
        away = max(abs(region.x - own.x), abs(region.y - own.y))
        if away > APART * own.width:
            return piece.edited("picture", region=region).edited("blend", map=None)
    return None
