"""Readers in a worker, so that none can take the program down; see `nimble_tile.core.workers`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from nimble_tile.core.workers.serving import task

if TYPE_CHECKING:
    import numpy as np

LIBRARIES = ("cv2", "numpy", "zxingcpp", "deqr", "nimble_tile.core.scan.readers")
"""What readers need; loaded before a worker begins."""

_readers: dict[str, Any] = {}


def answer_of(reader: Any, image: np.ndarray) -> object:
    """What a reader says of an image (uint8, H × W), ready to be sent."""
    try:
        # Not `asdict`, which copies deep: a reading holds nothing that could change.
        return [vars(reading) for reading in reader.read(image)]
    except Exception as error:  # whatever a reader throws is its answer
        return {"error": f"{type(error).__name__}: {error}"}


@task
def begin() -> None:
    """What a worker does first."""
    import cv2

    from nimble_tile.core import heap
    from nimble_tile.core.scan.readers import READERS

    heap.keep()
    cv2.setNumThreads(1)
    _readers.update({name: make() for name, make in READERS.items()})


@task
def read(names: Sequence[str], image: np.ndarray) -> list[object]:
    """What readers say of an image, in the order of their names."""
    return [answer_of(_readers[name], image) for name in names]
