"""How far it goes: limits found by bisection, beside the usual code's."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.language import tr
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import Subject
from nimble_tile.core.trials.trial import Trial

READERS_NEEDED = 0.75
"""Share of the readers that must read: three of four."""

SEEDS = (11, 12, 13)
"""A phone looks many times a second: a step holds if one of these looks is read by enough."""

SHRUNK = 640
"""Longer side, in pixels, to which the image is shrunk before it is saved as JPEG."""

HALVINGS = 7
"""Halvings of the range: the answer is true to within 1/128 of it."""


@dataclass(frozen=True)
class Limit:
    """One quantity that is driven to its limit.

    Attributes
    ----------
    key, title : str
    unit : str
    easy, cruel : float
        Ends of the range that is searched; the easy end comes first.
    logarithmic : bool
        Whether halves are taken of the logarithm.
    place : (str, str)
        Part and value of the trial.
    most : bool
        True: the limit is the largest value that still reads; False: the smallest.
    """

    key: str
    title: str
    unit: str
    easy: float
    cruel: float
    logarithmic: bool
    place: tuple[str, str]
    most: bool

    def at(self, share: float) -> float:
        """Value at a share of the range, 0 = easy."""
        if self.logarithmic:
            return float(self.easy * (self.cruel / self.easy) ** share)
        return float(self.easy + (self.cruel - self.easy) * share)

    def trial(self, base: Trial, value: float) -> Trial:
        """The trial with this value."""
        part, name = self.place
        whole = name in ("jpeg",)
        return base.changed(part, **{name: round(value) if whole else value})


LIMITS = (
    Limit("print", tr("Smallest print"), "mm", 80, 4, True, ("shown", "size"), False),
    Limit("distance", tr("Largest distance"), "mm", 120, 6000, True, ("view", "distance"), True),
    Limit("tilt", tr("Largest tilt"), "°", 0, 78, False, ("view", "sideways"), True),
    Limit("light", tr("Darkest light"), "lx", 500, 0.1, True, ("light", "lux"), False),
    Limit("blur", tr("Strongest blur"), "px", 0.3, 8, True, ("camera", "blur"), True),
    Limit(
        "jpeg",
        tr("Lowest JPEG quality at {shrunk} px", shrunk=SHRUNK),
        "",
        95,
        1,
        False,
        ("before", "jpeg"),
        False,
    ),
)
"""What is driven to its limit, in the order in which it is shown."""


@dataclass(frozen=True)
class Reached:
    """Where a subject stops being read.

    Attributes
    ----------
    limit : Limit
    value, usual : float or None
        Of the subject and of the usual code; None: not even at the easy end.
    open, usual_open : bool
        Whether it still reads at the far end of the range.
    """

    limit: Limit
    value: float | None
    usual: float | None
    open: bool = False
    usual_open: bool = False


def base_for(limit: Limit, distance: float = 250.0, size: float = 40.0) -> Trial:
    """The situation in which a limit is sought: in the hand, at this distance and size."""
    base = Trial(name=limit.title)
    if limit.key != "distance":
        base = base.changed("view", distance=distance)
    if limit.key != "print":
        base = base.changed("shown", size=size)
    if limit.key == "jpeg":
        base = base.changed("before", shrink=SHRUNK)
    return base


def limits(
    room: Room,
    subject: Subject,
    distance: float = 250.0,
    size: float = 40.0,
    stop: Callable[[], bool] = lambda: False,
    only: Sequence[str] | None = None,
) -> Iterator[Reached]:
    """Limits of a subject and the usual code, each as soon as it is known.

    Parameters
    ----------
    room : Room
    subject : Subject
    distance : float
        Reading distance in mm, for all limits but the distance's own.
    size : float
        Side of the subject's symbol in mm, for all but the print's own; the usual code fills
        the same square.
    stop : callable
        Asked before each step.
    only : sequence of str, optional
        Keys of the limits that are wanted; all if left out.

    Yields
    ------
    Reached
    """
    for limit in LIMITS:
        if only is not None and limit.key not in only:
            continue
        base = base_for(limit, distance, size / subject.scale)
        (value, still), usual = bisect(room, (subject, subject.usual), limit, base, stop)
        if stop():
            return
        if limit.key == "print" and value is not None:
            value *= subject.scale  # its own symbol's side, as people would measure it
        yield Reached(limit, value, usual[0], still, usual[1])


def bisect(
    room: Room,
    subjects: Sequence[Subject],
    limit: Limit,
    base: Trial,
    stop: Callable[[], bool] = lambda: False,
) -> list[tuple[float | None, bool]]:
    """Value at the limit, and whether the far end still reads, of each subject.

    They go side by side, so that the readers have enough to do at once.
    """
    searches = [_search() for _ in subjects]
    wanted: dict[int, float] = {index: next(search) for index, search in enumerate(searches)}
    ends: dict[int, tuple[float | None, bool]] = {}
    while wanted and not stop():
        asked = [(subjects[index], limit.trial(base, limit.at(at))) for index, at in wanted.items()]
        answers = reads(room, asked)
        for index, answer in zip(list(wanted), answers, strict=True):
            try:
                wanted[index] = searches[index].send(answer)
            except StopIteration as end:
                share, still = end.value
                ends[index] = (None if share is None else limit.at(share), still)
                del wanted[index]
    return [ends.get(index, (None, False)) for index in range(len(subjects))]


def _search() -> Generator[float, bool, tuple[float | None, bool]]:
    """Shares to try; is sent whether each one reads, and ends with the last that did."""
    if not (yield 0.0):
        return None, False
    if (yield 1.0):
        return 1.0, True
    good, bad = 0.0, 1.0
    for _ in range(HALVINGS):
        middle = (good + bad) / 2
        if (yield middle):
            good = middle
        else:
            bad = middle
    return good, False


def reads(room: Room, asked: Sequence[tuple[Subject, Trial]]) -> list[bool]:
    """Whether enough readers read one of a few looks, for each subject and trial."""
    answers = [False] * len(asked)
    for seed in SEEDS:
        waiting = [index for index, answer in enumerate(answers) if not answer]
        found = room.passes([asked[index] for index in waiting], seed)
        for index, passed in zip(waiting, found, strict=True):
            needed = int(np.ceil(READERS_NEEDED * len(passed.read)))
            answers[index] = 0 < needed <= passed.count
        if all(answers):
            break
    return answers
