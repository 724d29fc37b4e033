"""Large images are worked on in strips of rows, so that wider copies of them stay small."""

from __future__ import annotations

from collections.abc import Iterator

ROWS = 512
"""Rows of a strip."""


def strips(height: int) -> Iterator[slice]:
    """The rows of an image of this height, strip by strip from the top."""
    for top in range(0, height, ROWS):
        yield slice(top, min(height, top + ROWS))
