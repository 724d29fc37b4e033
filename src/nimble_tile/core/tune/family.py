"""Every symbol that a message can be in one version, steered ones included."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from nimble_tile.core.errors import MessageError
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.symbol.freedom import freedom
from nimble_tile.core.symbol.steering import Steering, Wanted

LEAST_FREE = 48
"""Number of free bits from which steered symbols are considered."""


LETTERS_TOGETHER = 4
"""Letters, one after another, that are looked at together."""


@dataclass(frozen=True, eq=False)
class Member:
    """A symbol, or all that differ in their free bits alone.

    Attributes
    ----------
    symbol : Symbol
    known : ndarray of bool, n × n, or None
        Modules that do not depend on the free bits; None: there are none, all are known.
    """

    symbol: Symbol
    known: np.ndarray | None = None


class Family:
    """Every symbol of a message in one version: all levels that fit, all masks."""

    def __init__(self, text: str, version: int, members: Sequence[Member]) -> None:
        self.text, self.version = text, version
        self.members = list(members)
        shape = [np.where(m.symbol.dark, -1, 1).ravel() for m in self.members]
        rows = np.array(shape, np.float32)
        for row, member in zip(rows, self.members, strict=True):
            counts = slice(None) if member.known is None else member.known.ravel()
            row[counts] -= row[counts].mean()
            if member.known is not None:
                row[~counts] = 0
        self._rows = rows / np.linalg.norm(rows, axis=1, keepdims=True)

    def best(self, tones: np.ndarray) -> tuple[float, Member]:
        """The member that agrees best with some tones, and how well."""
        flat = tones.ravel() - tones.mean()
        scores = self._rows @ flat / max(float(tones.std()), 1e-6)
        index = int(np.argmax(scores))
        return float(scores[index]), self.members[index]


def family(
    text: str, version: int, level: str | None = None, symbols: Sequence[Symbol] = ()
) -> Family | None:
    """The family of a message in a version; None where it does not fit.

    `symbols`: further ones that are known to say it.
    """
    found = [Member(symbol) for symbol in symbols if symbol.version == str(version)]
    for each in (level,) if level else "LMQH":
        for charset in ("auto", "utf-8 unmarked"):
            first = _first(text, str(version), each, charset)
            if first is None:
                break
            known = _known(first)
            for mask in range(8):
                symbol = replace(first, dark=first.under(mask), mask=mask)
                found.append(Member(symbol))
                if known is not None:
                    found.append(Member(symbol, known))
            if text.isascii():
                break
    return Family(text, version, found) if found else None


@lru_cache(maxsize=64)
def _first(text: str, version: str, level: str, charset: str) -> Symbol | None:
    """The symbol under the first mask; None where the message does not fit.

    Remembered, as one message is often looked for on several pictures: to encode it in the
    largest versions takes longer than all the rest of a family.
    """
    code = Code(version=version, level=level, raise_level=False, mask=0, charset=charset)
    try:
        return encode(Message(text=text), code)
    except MessageError:
        return None


def _known(symbol: Symbol) -> np.ndarray | None:
    """Modules that do not depend on the free bits (bool n × n); None where too few bits are."""
    free = freedom(symbol)
    if free.sum() < LEAST_FREE:
        return None
    plan = symbol.anatomy
    fixed = np.zeros((int(plan.codeword.max()) + 1, 8), bool)  # highest bit first
    places = [index for block in plan.blocks for index in block.data]
    fixed[places] = ~free.reshape(-1, 8)
    known = plan.codeword < 0
    carries = ~known
    known[carries] = fixed[plan.codeword[carries], 7 - plan.bit[carries]]
    return known


def steered_there(member: Member, tones: np.ndarray) -> tuple[Symbol, np.ndarray]:
    """Of the symbols that a member stands for, the one that agrees best with a picture.

    That is steering by the picture as it is: the free bits are solved for the surest modules
    and decide the others, and some of the surest are doubted where the others agree better.
    With much error correction the very symbol is found, with little of it one that differs
    where the picture is doubtful.

    Parameters
    ----------
    member : Member
        With `known`.
    tones : ndarray of float, n × n
        Above 0 where a module is light.

    Returns
    -------
    (Symbol, ndarray of bool n × n)
        The symbol, and which of its modules were chosen; that these agree proves nothing.

    References
    ----------
    M. P. C. Fossorier, S. Lin, "Soft-decision decoding of linear block codes based on ordered
    statistics", IEEE Transactions on Information Theory 41 (1995).
    """
    symbol = member.symbol
    wanted = Wanted(tones < 0, np.abs(tones).astype(float))
    solved = Steering(symbol, freedom(symbol), wanted.weight).solve(wanted, (symbol.mask,))
    return solved.symbol, ~member.known


def weakest_letters(member: Member, tones: np.ndarray) -> float:
    """Agreement of the few letters of the message that agree least, in standard deviations
    under chance: a message that is another in some letters has some that do not agree."""
    symbol = member.symbol
    plan = symbol.anatomy
    free = freedom(symbol).reshape(-1, 8)
    places = np.array([index for block in plan.blocks for index in block.data])
    each = np.zeros(int(plan.codeword.max()) + 1)
    carries = plan.codeword >= 0
    agrees = np.where(symbol.dark, -tones, tones)
    np.add.at(each, plan.codeword[carries], agrees[carries])
    fixed = each[places[~free.any(1)]]
    count = min(LETTERS_TOGETHER, len(fixed))
    runs = np.convolve(fixed, np.ones(count), "valid")
    return float(runs.min() / (np.sqrt(8 * count) * max(float(tones.std()), 1e-6)))
