"""The measuring room: a subject through a set of trials, beside the usual code."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from nimble_tile.core.memory import Memory
from nimble_tile.core.scan.bay import Outcome, ReaderBay
from nimble_tile.core.scan.readers import READER_NAMES, READS_MICRO
from nimble_tile.core.trials.camera import CameraFrame, Studio
from nimble_tile.core.trials.subject import Subject
from nimble_tile.core.trials.trial import Trial

BATCH = 4
"""Frames that the readers are given at once: enough that no processor waits, few enough
that a newer piece is seen to within 0.1 s."""

THUMB = 132
"""Longer side, in pixels, of the small copy that is kept of a frame."""

MOST_REMEMBERED = 20_000
"""Results that are kept; one is some hundred bytes without its small copy."""

MOST_THUMBS = 400


@dataclass(frozen=True)
class Pass:
    """Which readers read one frame.

    Attributes
    ----------
    read : dict of str to bool
        By reader's name; those that cannot read this kind of code are left out.
    trouble : dict of str to str
        Readers that threw, hung or crashed, and how.
    seconds : float
        What the readers took together.
    """

    read: dict[str, bool]
    trouble: dict[str, str] = field(default_factory=dict)
    seconds: float = 0.0

    @property
    def count(self) -> int:
        """How many read it."""
        return sum(self.read.values())

    def only(self, readers: Sequence[str]) -> Pass:
        """What some of the readers made of it."""
        if all(name in readers for name in self.read):
            return self
        read = {name: ok for name, ok in self.read.items() if name in readers}
        trouble = {name: how for name, how in self.trouble.items() if name in readers}
        return Pass(read, trouble, self.seconds)


@dataclass(frozen=True, eq=False)
class Result:
    """One trial of a subject.

    Attributes
    ----------
    trial : Trial
    passed, usual : Pass
        Of the subject and of the usual code in the same situation.
    thumb : ndarray of uint8 or None
        Small copy of the frame.
    """

    trial: Trial
    passed: Pass
    usual: Pass
    thumb: np.ndarray | None = None

    @property
    def pairs(self) -> tuple[int, int]:
        """How many readers read the artwork, and how many the usual code."""
        return self.passed.count, self.usual.count

    @property
    def state(self) -> str:
        """``"passed"`` (by as many as the usual code), ``"partly"``, ``"failed"`` or ``"void"``
        (neither is read: it says nothing of the artwork)."""
        own, of = self.pairs
        if not own:
            return "failed" if of else "void"
        return "passed" if own >= of else "partly"


class Room:
    """Runs trials and remembers what came of them, by the content of the image.

    Parameters
    ----------
    bay : ReaderBay
    readers : sequence of str
        Those that count; others are asked, too, so that a change of mind costs nothing.
    """

    def __init__(self, bay: ReaderBay, readers: Sequence[str] = READER_NAMES) -> None:
        self.bay, self.readers = bay, tuple(readers)
        self._memory = Memory()
        self._ready: dict[tuple, CameraFrame] = {}  # taken, but not looked at yet

    def studio(self, subject: Subject) -> Studio:
        """The studio of a subject; those of the last few are kept."""
        key = subject.digest, subject.own_size
        return self._memory.recall("studio", key, lambda: Studio(subject), 3)

    def frame(self, subject: Subject, trial: Trial, seed: int = 0) -> CameraFrame:
        """The frame of one trial at full size."""
        return self.studio(subject).frame(trial, seed)

    def run(
        self,
        subject: Subject,
        trials: Sequence[Trial],
        seed: int = 0,
        stop: Callable[[], bool] = lambda: False,
        thumbs: bool = False,
    ) -> Iterator[Result]:
        """The trials that are on, the cheap ones first, each as soon as it is known.

        Parameters
        ----------
        subject : Subject
        trials : sequence of Trial
        seed : int
            Deterministic for each seed.
        stop : callable
            Asked between frames; True: the run ends where it is.
        thumbs : bool
            Keep a small copy of each frame.

        Yields
        ------
        Result
        """
        usual = subject.usual
        waiting = sorted((t for t in trials if t.on), key=lambda t: effort(subject, t))
        jobs: list[tuple[Subject, Trial]] = []
        for trial in waiting:
            jobs += [
                (s, trial) for s in (usual, subject) if not self._known(s, trial, seed, thumbs)
            ]
        given = 0
        ready = self._frames(jobs[:BATCH], seed)
        for start in range(0, max(len(jobs), 1), BATCH):
            if stop():
                return
            if jobs:
                after: list[CameraFrame | None] = [None] * len(
                    jobs[start + BATCH : start + 2 * BATCH]
                )
                makers = [
                    self._maker(after, at, job, seed)
                    for at, job in enumerate(jobs[start + BATCH : start + 2 * BATCH])
                ]
                self._look(jobs[start : start + BATCH], ready, seed, thumbs, makers)
                ready = after
            while given < len(waiting):
                result = self._result(subject, waiting[given], seed, thumbs)
                if result is None:
                    break
                given += 1
                yield result
        # What frames are taken of is large, and quickly made anew.
        self._memory.forget("studio")

    def passes(
        self,
        jobs: Sequence[tuple[Subject, Trial]],
        seed: int = 0,
        following: Sequence[tuple[Subject, Trial]] = (),
    ) -> list[Pass]:
        """Which readers read each of some frames; what is known is not read again.

        Parameters
        ----------
        jobs : sequence of (Subject, Trial)
        seed : int
        following : sequence of (Subject, Trial)
            Frames that will be asked for next, if anything: they are taken while the readers
            still look, so that no processor waits.
        """
        new = [job for job in jobs if not self._known(*job, seed, False)]
        if new:
            waiting = [job for job in new if _key(*job, seed) not in self._ready]
            taken = dict(zip(map(id, waiting), self._frames(waiting, seed), strict=True))
            frames = [taken.get(id(job)) or self._ready[_key(*job, seed)] for job in new]
            self._ready = {}
            later = [job for job in following if not self._known(*job, seed, False)]
            self._look(new, frames, seed, False, [self._taker(job, seed) for job in later])
        found = [self._memory.get("pass", _key(*job, seed)) for job in jobs]
        return [passed.only(self.readers) for passed in found]

    def _taker(self, job: tuple[Subject, Trial], seed: int) -> Callable:
        def take() -> None:
            self._ready[_key(*job, seed)] = self.frame(*job, seed)

        return take

    def _frames(self, jobs: Sequence[tuple[Subject, Trial]], seed: int) -> list[CameraFrame | None]:
        if len(jobs) < 2:
            return [self.frame(subject, trial, seed) for subject, trial in jobs]
        from concurrent.futures import ThreadPoolExecutor

        with ThreadPoolExecutor(2) as pool:
            return list(pool.map(lambda job: self.frame(*job, seed), jobs))

    def _maker(self, into: list, at: int, job: tuple[Subject, Trial], seed: int) -> Callable:
        def make() -> None:
            into[at] = self.frame(*job, seed)

        return make

    def _known(self, subject: Subject, trial: Trial, seed: int, thumbs: bool) -> bool:
        key = _key(subject, trial, seed)
        if not self._memory.knows("pass", key):
            return False
        return not thumbs or subject.plain or self._memory.knows("thumb", key)

    def _look(
        self,
        jobs: Sequence[tuple[Subject, Trial]],
        frames: Sequence[CameraFrame],
        seed: int,
        thumbs: bool,
        meanwhile: Sequence[Callable],
    ) -> None:
        if not jobs:
            return
        symbol = jobs[0][0].symbol
        names = READS_MICRO if symbol.micro else READER_NAMES
        found = self.bay.read_all([frame.image for frame in frames], names, meanwhile)
        for job, frame, outcomes in zip(jobs, frames, found, strict=True):
            key = _key(*job, seed)
            self._memory.put("pass", key, pass_of(outcomes, job[0].expected), MOST_REMEMBERED)
            if thumbs and not job[0].plain:
                self._memory.put("thumb", key, small(frame.image), MOST_THUMBS)

    def _result(self, subject: Subject, trial: Trial, seed: int, thumbs: bool) -> Result | None:
        keys = _key(subject, trial, seed), _key(subject.usual, trial, seed)
        passed, usual = (self._memory.get("pass", key) for key in keys)
        if passed is None or usual is None:
            return None
        passed, usual = passed.only(self.readers), usual.only(self.readers)
        return Result(trial, passed, usual, self._memory.get("thumb", keys[0]) if thumbs else None)


def pass_of(outcomes: Sequence[Outcome], expected: str) -> Pass:
    """What readers made of a frame, against what they should have read."""
    return Pass(
        {o.name: any(r.text == expected for r in o.readings) for o in outcomes},
        {o.name: o.trouble for o in outcomes if o.trouble},
        sum(o.seconds for o in outcomes),
    )


def effort(subject: Subject, trial: Trial) -> float:
    """What a trial will cost, roughly: pixels that the code takes in the frame, and more
    for wear."""
    size = subject.shown(trial).shown.size or subject.own_size or 40.0
    focal = trial.camera.pixels / 2 / np.tan(np.radians(trial.camera.field) / 2)
    across = min(size * focal / trial.view.distance, trial.camera.pixels)
    wear = trial.wear
    return across**2 * (3 if wear.smudge or wear.crumple or wear.fold else 1)


def small(image: np.ndarray) -> np.ndarray:
    """A small copy of a frame."""
    import cv2

    scale = THUMB / max(image.shape[:2])
    if scale >= 1:
        return image
    size = max(1, round(image.shape[1] * scale)), max(1, round(image.shape[0] * scale))
    return cv2.resize(image, size, interpolation=cv2.INTER_AREA)


def _key(subject: Subject, trial: Trial, seed: int) -> tuple:
    own = subject.own_size if trial.shown.size is None else None
    return subject.digest, subject.shown(trial).situation, own, seed
