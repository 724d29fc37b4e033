"""The process in which readers run, so that none can take the program down.

Speaks a small binary protocol on standard input and output: a header of
little-endian unsigned 32-bit numbers (length of the readers' names, height,
width), the names with `BETWEEN` them, then height × width bytes of grey. Says `READY` first.
Answers with a 32-bit length and that many bytes of JSON: for each name a list of readings, or
an object with ``error``.
"""

from __future__ import annotations

import json
import os
import struct
import sys
from typing import Any

HEADER = struct.Struct("<III")
LENGTH = struct.Struct("<I")
BETWEEN = "\n"
READY = b"+"
"""What the process says once its libraries are loaded."""


def answer_of(reader: Any, image: Any) -> object:
    """What a reader says of an image (uint8, H × W), ready for JSON."""
    try:
        # Not `asdict`, which copies deep: a reading holds nothing that could change.
        return [vars(reading) for reading in reader.read(image)]
    except Exception as error:  # whatever a reader throws is its answer
        return {"error": f"{type(error).__name__}: {error}"}


def serve() -> None:
    """Answer requests until standard input closes."""
    source = sys.stdin.buffer
    # Libraries may print: keep the answer channel for ourselves alone.
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)

    import cv2
    import numpy as np

    from nimble_tile.core import heap
    from nimble_tile.core.scan.readers import READERS

    heap.keep()
    cv2.setNumThreads(1)
    readers = {name: make() for name, make in READERS.items()}
    answers.write(READY)
    answers.flush()
    while len(head := source.read(HEADER.size)) == HEADER.size:
        name_length, height, width = HEADER.unpack(head)
        names = source.read(name_length).decode().split(BETWEEN)
        image = np.frombuffer(source.read(height * width), np.uint8).reshape(height, width)
        answer = [answer_of(readers[name], image) for name in names]
        body = json.dumps(answer).encode()
        answers.write(LENGTH.pack(len(body)) + body)
        answers.flush()


if __name__ == "__main__":
    serve()
