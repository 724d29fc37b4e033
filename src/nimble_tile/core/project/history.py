"""Undo: a list of pieces, each with the name of the change that made it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.piece import Piece

DEEPEST = 500
"""Steps that are kept; a piece is a few hundred bytes."""

JOINED_SECONDS = 1.0
"""Seconds within which changes of one setting become one step."""


@dataclass(frozen=True)
class Step:
    """A state of the piece, the change that led to it, and the lease of its pictures."""

    piece: Piece
    name: str
    key: str = ""
    pictures: object = None


class History:
    """States of a piece, with one of them current.

    Parameters
    ----------
    piece : Piece
        The first state.
    clock : callable, optional
        Seconds; for tests.
    lease : callable, optional
        Gives a lease of pictures, by their digests; each step and the saved state have one.
    """

    def __init__(
        self,
        piece: Piece,
        clock: Callable[[], float] = time.monotonic,
        lease: Callable[[Iterable[str]], object] = lambda digests: None,
    ) -> None:
        self._lease = lease
        self._steps = [self._step(piece, "")]
        self._at = 0
        self._clock = clock
        self._last = float("-inf")
        self._saved: Step | None = self._steps[0]

    def _step(self, piece: Piece, name: str, key: str = "") -> Step:
        return Step(piece, name, key, self._lease(piece.digests))

    @property
    def piece(self) -> Piece:
        """The current state."""
        return self._steps[self._at].piece

    @property
    def undo_name(self) -> str | None:
        """Name of the change that undo would take back."""
        return self._steps[self._at].name if self._at > 0 else None

    @property
    def redo_name(self) -> str | None:
        """Name of the change that redo would make again."""
        return self._steps[self._at + 1].name if self._at + 1 < len(self._steps) else None

    @property
    def names(self) -> tuple[str, ...]:
        """Names of all steps, the oldest first; the first is the beginning and has none."""
        return tuple(step.name for step in self._steps)

    @property
    def at(self) -> int:
        """Which step is current."""
        return self._at

    def go_to(self, at: int) -> Piece:
        """Make any step current; the piece of that step."""
        self._at = min(max(0, at), len(self._steps) - 1)
        self.part()
        return self.piece

    @property
    def changed(self) -> bool:
        """Whether the current state differs from the saved one."""
        return self._saved is None or self.piece != self._saved.piece

    def mark_saved(self, piece: Piece | None = None) -> None:
        """A file holds this piece, the current one by default; later changes are new steps."""
        self._saved = self._steps[self._at] if piece is None else self._step(piece, "")
        self.part()

    def mark_unsaved(self) -> None:
        """The current state is in no file."""
        self._saved = None

    def push(self, piece: Piece, name: str, key: str = "", grows: bool = False) -> None:
        """A new state.

        Parameters
        ----------
        piece : Piece
        name : str
            What was done, for the menu: "Change strength".
        key : str
            Changes with the same key in quick succession become one step, so
            that a drag of a slider is undone at once. Empty: always its own.
        grows : bool
            Changes with the same key become one step however long they take: a
            search that goes on finding better ones.
        """
        if piece == self.piece:
            return
        now = self._clock()
        current = self._steps[self._at]
        soon = grows or now - self._last < JOINED_SECONDS
        merges = key and key == current.key and self._at > 0 and soon
        del self._steps[self._at + 1 :]
        if merges:
            self._steps[self._at] = self._step(piece, name, key)
        else:
            self._steps.append(self._step(piece, name, key))
            self._at += 1
        self._last = now
        surplus = len(self._steps) - DEEPEST
        if surplus > 0:
            del self._steps[:surplus]
            self._at -= surplus

    def note(self, log: tuple[PhoneTest, ...]) -> None:
        """Another phone log, in all states: what was seen stays seen when a change is undone."""
        self._steps = [
            replace(step, piece=step.piece.model_copy(update={"log": log})) for step in self._steps
        ]

    def part(self) -> None:
        """The next change is a step of its own, however soon it comes."""
        self._last = float("-inf")

    def undo(self) -> Piece:
        """Step back, if possible; the piece that is current then."""
        self._at = max(0, self._at - 1)
        self.part()
        return self.piece

    def redo(self) -> Piece:
        """Step forward, if possible; the piece that is current then."""
        self._at = min(len(self._steps) - 1, self._at + 1)
        self.part()
        return self.piece
