"""Every symbol that a message can be in one version."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nimble_tile.core.errors import MessageError
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol.encode import Symbol, encode


class Family:
    """Every symbol of a message in one version: all levels that fit, all masks."""

    def __init__(self, text: str, version: int, symbols: Sequence[Symbol]) -> None:
        self.text, self.version = text, version
        self.symbols = list(symbols)
        shape = [np.where(symbol.dark, -1, 1).ravel() for symbol in self.symbols]
        rows = np.array(shape, np.float32)
        rows -= rows.mean(1, keepdims=True)
        self._rows = rows / np.linalg.norm(rows, axis=1, keepdims=True)

    def best(self, tones: np.ndarray) -> tuple[float, Symbol]:
        """The symbol that agrees best with some tones, and how well."""
        flat = tones.ravel() - tones.mean()
        scores = self._rows @ flat / max(float(tones.std()), 1e-6)
        index = int(np.argmax(scores))
        return float(scores[index]), self.symbols[index]


def family(text: str, version: int, level: str | None = None) -> Family | None:
    """The family of a message in a version; None where it does not fit."""
    found = []
    for each in (level,) if level else "LMQH":
        code = Code(version=str(version), level=each, raise_level=False, mask=0)
        for charset in ("auto", "utf-8 unmarked"):
            try:
                first = encode(Message(text=text), code.model_copy(update={"charset": charset}))
            except MessageError:
                break
            found += [replace(first, dark=first.under(mask), mask=mask) for mask in range(8)]
            if text.isascii():
                break
    return Family(text, version, found) if found else None
