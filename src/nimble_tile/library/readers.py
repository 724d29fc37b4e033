"""The reader processes that all calls share."""

from __future__ import annotations

import atexit
import threading
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import TrialSet


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


def measuring(trials: TrialSet | None) -> tuple[Room, TrialSet]:
    """What measures, and the trials: these, or the designer's own."""
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import own

    chosen = trials or own()
    return Room(bay(), chosen.readers), chosen
