"""Memory that a process keeps for the next image, instead of handing it back and asking anew.

The C library gives large blocks back to the system at once. A worker that does the same with
one image after another gets them again page by page, each of which the system clears first:
some 5 % of the time of rendering and reading.

References
----------
GNU C Library manual, "Malloc Tunable Parameters"; the numbers are those of ``malloc.h``.
"""

from __future__ import annotations

import ctypes

_TRIM_THRESHOLD, _TOP_PAD, _MMAP_THRESHOLD = -1, -2, -3

LARGE = 1 << 28
"""Bytes from which a block is handed back all the same."""

KEPT = 1 << 25
"""Bytes that are asked for at once."""


def keep() -> None:
    """Let this process keep what it has; nothing happens where the C library is another one."""
    try:
        tune = ctypes.CDLL(None).mallopt
    except (AttributeError, OSError):
        return
    for what, size in ((_MMAP_THRESHOLD, LARGE), (_TRIM_THRESHOLD, LARGE), (_TOP_PAD, KEPT)):
        tune(what, size)
