"""Messages through pipes: how many parts, how long each is, the parts; see `plain`."""

from __future__ import annotations

import contextlib
import fcntl
import os
import select
import struct
import time
from collections.abc import Sequence

COUNT = struct.Struct("<I")
LENGTH = struct.Struct("<Q")

MOST_PARTS = 4096

WIDE = 1 << 20
"""Bytes that a pipe holds: an image of a million pixels goes over at once and not in turns. The
most that Linux gives everyone."""

AT_ONCE = 1 << 20
SMALL = 1 << 14
"""Bytes up to which a message is written at once."""


def widen(pipe: int) -> None:
    """Let a pipe hold as much as it may; nothing but time depends on it."""
    with contextlib.suppress(OSError):
        fcntl.fcntl(pipe, fcntl.F_SETPIPE_SZ, WIDE)


def send(pipe: int, parts: Sequence[bytes | memoryview], deadline: float | None = None) -> None:
    """Write a message.

    Parameters
    ----------
    pipe : int
        Descriptor that does not block, where there is a deadline.
    parts : sequence of bytes
    deadline : float, optional
        In the clock of `time.monotonic`.

    Raises
    ------
    TimeoutError, OSError
    """
    views = [memoryview(part).cast("B") for part in parts]
    head = COUNT.pack(len(views)) + b"".join(LENGTH.pack(view.nbytes) for view in views)
    if sum(view.nbytes for view in views) < SMALL:
        head, views = b"".join((head, *views)), []
    for view in (memoryview(head), *views):
        at = 0
        while at < view.nbytes:
            if deadline is not None:
                left = max(0.0, deadline - time.monotonic())
                if not select.select([], [pipe], [], left)[1]:
                    raise TimeoutError
            at += os.write(pipe, view[at : at + AT_ONCE])


def receive(pipe: int, most: int, deadline: float | None = None) -> list[bytearray]:
    """Read a message of at most so many bytes.

    Raises
    ------
    EOFError
        The other side has ended.
    TimeoutError, OSError
    ValueError
        It claims to be larger.
    """
    (count,) = COUNT.unpack(_read(pipe, COUNT.size, deadline))
    if not 1 <= count <= MOST_PARTS:
        raise ValueError("too many parts")
    lengths = _read(pipe, count * LENGTH.size, deadline)
    sizes = [size for (size,) in LENGTH.iter_unpack(lengths)]
    if sum(sizes) > most:
        raise ValueError("too large")
    return [_read(pipe, size, deadline) for size in sizes]


def _read(pipe: int, length: int, deadline: float | None) -> bytearray:
    found = bytearray(length)
    view, at = memoryview(found), 0
    while at < length:
        if deadline is not None:
            left = max(0.0, deadline - time.monotonic())
            if not select.select([pipe], [], [], left)[0]:
                raise TimeoutError
        got = os.readv(pipe, [view[at : at + AT_ONCE]])
        if not got:
            raise EOFError
        at += got
    return found
