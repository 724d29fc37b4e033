"""Results that are kept for as long as they are likely to be asked for again."""

from __future__ import annotations

import ctypes
import linecache
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any

import numpy as np


class Memory:
    """The results used last, by a name and by what they were made from.

    Safe to use from several threads; two that ask for the same result at once may both
    make it, and the first one is kept.

    Parameters
    ----------
    most : int
        Results that are kept under each name unless a call says otherwise.
    """

    def __init__(self, most: int = 1) -> None:
        self._most = most
        self._kept: dict[str, OrderedDict[Hashable, Any]] = {}
        self._lock = threading.Lock()

    def recall(
        self, name: str, key: Hashable, make: Callable[[], Any], most: int | None = None
    ) -> Any:
        """The result for this key, made if it is not there.

        Parameters
        ----------
        name : str
        key : hashable
            Everything that the result depends on.
        make : callable
        most : int, optional
            Results kept under this name; those used longest ago go first.
        """
        found = self.get(name, key, self)
        if found is not self:
            return found
        return self.put(name, key, make(), most)

    def get(self, name: str, key: Hashable, otherwise: Any = None) -> Any:
        """The result for this key, or `otherwise`."""
        with self._lock:
            kept = self._kept.get(name)
            if kept is None or key not in kept:
                return otherwise
            kept.move_to_end(key)
            return kept[key]

    def put(self, name: str, key: Hashable, result: Any, most: int | None = None) -> Any:
        """Keep a result; returns it, or the one that is there already.

        An array becomes read-only: all who ask get the same one.
        """
        if isinstance(result, np.ndarray):
            result.setflags(write=False)
        with self._lock:
            kept = self._kept.setdefault(name, OrderedDict())
            if key in kept:
                return kept[key]
            kept[key] = result
            while len(kept) > (most or self._most):
                kept.popitem(last=False)
        return result

    def knows(self, name: str, key: Hashable) -> bool:
        """Whether the result for this key is there."""
        return self.get(name, key, self) is not self

    def drop(self, name: str, key: Hashable) -> None:
        """Drop the result for this key, if it is there."""
        with self._lock:
            self._kept.get(name, {}).pop(key, None)

    def forget(self, name: str) -> None:
        """Drop all results under a name."""
        with self._lock:
            self._kept.pop(name, None)

    def clear(self) -> None:
        """Drop all results."""
        with self._lock:
            self._kept.clear()


def give_back() -> None:
    """Give memory that is free inside the process back to the system, where it can be.

    Images come and go in several threads; what the C library keeps of them for later grows
    over a day of work.
    """
    # Qt's bindings read the source of each module that is imported, some thirty megabytes.
    linecache.clearcache()
    try:
        ctypes.CDLL(None).malloc_trim(0)
    except (OSError, AttributeError):  # another C library than GNU's
        return
