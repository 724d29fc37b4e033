"""Steering: the free bits of a symbol chosen so that modules fall where a picture wants them.

After the terminator a symbol's data bits mean nothing: readers stop there. Or,
for those who want the letter of the standard, a tail of digits in a link's
fragment says nothing either. Reed–Solomon codes are linear over GF(2), so that
the free bits of a block decide as many of its modules, anywhere in it, error
correction included, as there are free bits. Modules are ranked by how much the
picture gains there; Gaussian elimination in that order finds which of them can
be chosen together, once for all masks.

References
----------
ISO/IEC 18004: terminator, padding, error correction codewords, masking.
The linear freedom of padding is a fact of the code; how we rank, solve for all
masks at once and spend spare is ours.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Block
from nimble_tile.core.symbol.assemble import assemble, mask_pattern
from nimble_tile.core.symbol.encode import Symbol
from nimble_tile.core.symbol.galois import multiply, responses

CHEAPEST = 128
"""Pivots of a block that may be flipped: those that gain least."""

OTHERS = 4
"""Masks that are tried where OpenCV misses a symbol; of version 33 and 34 it reads hardly any."""

SHAKEN, SHAKES = 32, 3
"""Pivots of a block that are then drawn at random, and how often that is tried."""

TURNED = 3
"""Masks, the best so far, in which pivots are turned."""


@dataclass(frozen=True, eq=False)
class Wanted:
    """What a picture wants of each module.

    Attributes
    ----------
    dark : ndarray of bool, n × n
    weight : ndarray of float, n × n
        How much is gained by it, 0 or more.
    """

    dark: np.ndarray
    weight: np.ndarray


@dataclass(frozen=True, eq=False)
class Steered:
    """A symbol whose free bits were chosen.

    Attributes
    ----------
    symbol : Symbol
    steerable : float
        Share of the data and error correction modules that could be chosen
        freely, 0 to 1.
    before, after : float
        Share of these modules, weighted by gain, that are as the picture wants
        them: in the symbol as it was, and as it is.
    matched : float
        The share without weights.
    chosen : ndarray of bool, n × n
        Modules that were chosen one by one.
    spent : ndarray of bool, n × n
        Modules set against the message, which error correction makes good.
    """

    symbol: Symbol
    steerable: float
    before: float
    after: float
    matched: float
    chosen: np.ndarray
    spent: np.ndarray


def _digits(symbol: Symbol, words: np.ndarray) -> str:
    """The tail that stands in a final message."""
    places = [index for block in symbol.anatomy.blocks for index in block.data]
    stream = np.unpackbits(words[places].astype(np.uint8))
    start, digits = symbol.tail
    groups = stream[start : start + 10 * (digits // 3)].reshape(-1, 10)
    values = groups @ (1 << np.arange(9, -1, -1))
    return "".join(f"{value:03d}" for value in values)


def codewords_of(symbol: Symbol) -> np.ndarray:
    """Codewords of the final message, from the modules (int64)."""
    plan = symbol.anatomy
    plain = symbol.dark ^ mask_pattern(symbol.mask, symbol.side)
    carries = plan.codeword >= 0
    words = np.zeros(int(plan.codeword.max()) + 1, np.int64)
    np.add.at(words, plan.codeword[carries], plain[carries].astype(np.int64) << plan.bit[carries])
    return words


@dataclass(frozen=True, eq=False)
class _Solved:
    """One block after elimination.

    `columns` are its bits in order of gain as (codeword, bit); `pivots` index
    into them; `rows` (pivots × columns, 0 or 1) turns a choice of pivots into
    bits.
    """

    codewords: np.ndarray
    bits: np.ndarray
    pivots: np.ndarray
    rows: np.ndarray


def _eliminate(block: Block, free: np.ndarray, gain: np.ndarray) -> _Solved:
    """Reduced row echelon form of a block's free bits, columns in order of gain.

    It is found from the other side: the few check equations of the block are brought to
    echelon form from the last column to the first. What follows from the others there is
    just what is no pivot here, since a set of columns is a basis of a code if and only if
    the rest is one of its dual (J. Oxley, "Matroid Theory", 2nd ed., section 2.2).

    Parameters
    ----------
    block : Block
    free : ndarray of bool, data × 8
        Free bits of its data codewords, highest bit first.
    gain : ndarray of float, codewords × 8
        Gain of each bit's module, data first.
    """
    data, correction = len(block.data), len(block.correction)
    place, bit = np.nonzero(free)
    count = len(place)
    order = np.argsort(-gain.ravel(), kind="stable")
    codewords = np.array(block.codewords)[order // 8]
    if count == 0:
        empty = np.zeros((0, len(order)), np.uint8)
        return _Solved(codewords, 7 - order % 8, np.zeros(0, np.int64), empty)
    value = (0x80 >> bit).astype(np.int64)
    answers = multiply(responses(data, correction)[place], value[:, None]).astype(np.uint8)
    checks, width = 8 * correction, len(order)
    dense = np.zeros((checks, -(-width // 64) * 64), np.uint8)
    dense[:, 8 * place + bit] = np.unpackbits(answers, axis=1).T
    dense[np.arange(checks), 8 * data + np.arange(checks)] = 1
    dense[:, :width] = dense[:, order[::-1]]
    packed = np.packbits(dense, axis=1, bitorder="little").view(np.uint64)
    follows: list[int] = []  # bits that follow from the others, from the last in order
    order_of: list[int] = []
    unused = np.ones(checks, bool)
    for first in range(0, width, GROUP):
        columns, chosen = _reduce(packed, first, unused)
        follows += [width - 1 - first - at for at in columns]
        order_of += chosen
        if len(follows) == checks:
            break
    solved = np.unpackbits(packed[order_of].view(np.uint8), axis=1, bitorder="little")
    leads = np.zeros(width, bool)
    leads[np.argsort(order, kind="stable")[8 * place + bit]] = True
    leads[np.argsort(order, kind="stable")[8 * data :]] = True
    leads[follows] = False
    pivots = np.flatnonzero(leads)
    rows = np.zeros((count, width), np.uint8)
    rows[np.arange(count), pivots] = 1
    rows[:, follows] = solved[:, width - 1 - pivots].T
    return _Solved(codewords, 7 - order % 8, pivots, rows)


GROUP = 8
"""Columns that are brought to echelon form together."""

_BIT = (np.arange(256)[None] >> np.arange(GROUP)[:, None] & 1).astype(np.uint8)
"""Each bit of each byte."""


def _reduce(packed: np.ndarray, first: int, unused: np.ndarray) -> tuple[list[int], list[int]]:
    """One step of the elimination: `GROUP` columns at once, so that every row is touched once.

    Parameters
    ----------
    packed : ndarray of uint64, rows × words
        Changed in place; column c is bit c % 64 of word c // 64.
    first : int
        The first of the columns.
    unused : ndarray of bool, rows
        Rows without a pivot; changed in place.

    Returns
    -------
    columns, rows : list of int
        The new pivots in order of their columns, counted from `first`.

    References
    ----------
    The method of four Russians: G. Bard, "Accelerating cryptanalysis with the method of four
    Russians", 2006.
    """
    word = first >> 6
    bits = ((packed[:, word] >> np.uint64(first & 63)) & np.uint64(0xFF)).astype(np.uint8)
    columns, chosen, sums_of = _pivots(bits, unused)
    if not columns:
        return [], []
    unused[chosen] = False
    # All sums of the chosen rows. A row is empty to the left of its pivot.
    width = packed.shape[1] - word
    sums = np.zeros((1 << len(chosen), width), np.uint64)
    for index, row in enumerate(chosen):
        half = 1 << index
        np.bitwise_xor(sums[:half], packed[row, word:], out=sums[half : 2 * half])
    # Which of them takes the pivots' columns away from a row, by the row's bits there.
    shares = _BIT[columns] * np.array(sums_of, np.uint8)[:, None]
    which = np.bitwise_xor.reduce(shares, axis=0)
    packed[:, word:] ^= sums.take(which[bits], 0)
    packed[chosen, word:] = sums[sums_of]  # in the order of the pivots
    return columns, chosen


def _pivots(bits: np.ndarray, unused: np.ndarray) -> tuple[list[int], list[int], list[int]]:
    """Rows that have pivots in some of eight columns, and what reduces them among themselves.

    Returns
    -------
    columns : list of int
        Of the pivots, ascending.
    chosen : list of int
        Rows; their sums give the reduced rows.
    sums_of : list of int
        For each column the sum that is its reduced row: bit i stands for row ``chosen[i]``.
    """
    known: dict[int, tuple[int, int]] = {}  # lowest bit: the value, and the rows summed
    chosen: list[int] = []
    telling = np.flatnonzero(bits.astype(bool) & unused)
    row_of = np.zeros(256, np.intp)  # one row for each pattern: further ones add nothing
    row_of[bits[telling]] = telling
    patterns = np.flatnonzero(np.bincount(bits[telling], minlength=256))
    for row, left in zip(row_of[patterns].tolist(), patterns.tolist(), strict=True):
        value, rows = left, 1 << len(chosen)
        while value and (value & -value) in known:
            other, others = known[value & -value]
            value, rows = value ^ other, rows ^ others
        if value:
            known[value & -value] = (value, rows)
            chosen.append(row)
            if len(chosen) == GROUP:
                break
    for low in sorted(known, reverse=True):
        value, rows = known[low]
        for other, (theirs, others) in known.items():
            if other > low and value & other:
                value, rows = value ^ theirs, rows ^ others
        known[low] = (value, rows)
    lows = sorted(known)
    # The rows stand in the order of their pivots.
    return [low.bit_length() - 1 for low in lows], chosen, [known[low][1] for low in lows]


class Steering:
    """The elimination for one message, version and level; it serves every mask and keeps
    for as long as the order of the gains does.

    Parameters
    ----------
    symbol : Symbol
        Any mask.
    free : ndarray of bool
        From `nimble_tile.core.symbol.freedom.freedom`.
    weight : ndarray of float, n × n
        Gain of each module.
    """

    def __init__(self, symbol: Symbol, free: np.ndarray, weight: np.ndarray) -> None:
        self.symbol, self._weight = symbol, weight
        plan = symbol.anatomy
        self._base = codewords_of(symbol)
        gains = np.zeros((len(self._base), 8))
        carries = plan.codeword >= 0
        gains[plan.codeword[carries], 7 - plan.bit[carries]] = weight[carries]
        self._blocks: list[_Solved] = []
        self._clear(free)
        start = 0
        for block in plan.blocks:
            count = len(block.data)
            own = free[8 * start : 8 * (start + count)].reshape(count, 8)
            self._blocks.append(_eliminate(block, own, gains[list(block.codewords)]))
            start += count
        self.free = int(free.sum())

    def fits(self, symbol: Symbol, weight: np.ndarray) -> bool:
        """Whether this elimination belongs to a symbol and these gains."""
        return symbol is self.symbol and np.array_equal(weight, self._weight)

    def _clear(self, free: np.ndarray) -> None:
        """The base: all free bits 0, error correction to match."""
        start = 0
        for block in self.symbol.anatomy.blocks:
            count = len(block.data)
            own = np.packbits(free[8 * start : 8 * (start + count)]).astype(np.int64)
            words = self._base[list(block.data)] & ~own
            self._base[list(block.data)] = words
            parts = multiply(responses(count, len(block.correction)), words[:, None])
            self._base[list(block.correction)] = np.bitwise_xor.reduce(parts, axis=0)
            start += count

    @property
    def steerable(self) -> float:
        """Share of the data and error correction modules that can be chosen freely."""
        plan = self.symbol.anatomy
        return sum(len(b.pivots) for b in self._blocks) / int((plan.codeword >= 0).sum())

    def solve(
        self,
        wanted: Wanted,
        masks: tuple[int, ...] = tuple(range(8)),
        spend: int = 0,
        turns: bool = True,
        shaken: int = 0,
    ) -> Steered:
        """Choose the free bits for what is wanted, under the best of some masks.

        Parameters
        ----------
        wanted : Wanted
        masks : tuple of int
            Masks to try, 0 to 7.
        spend : int
            Codewords of each block that may be set against the message, at
            most; each takes as much of the spare.
        turns : bool
            Set some of what could be chosen against the wish, where more is gained by it.
        shaken : int
            Other than 0: half of the pivots that gain least fall by chance, by this seed.

        Returns
        -------
        Steered
        """
        plan, symbol = self.symbol.anatomy, self.symbol
        carries = plan.codeword >= 0
        wish = np.zeros((len(masks), len(self._base)), np.int64)
        gains = np.zeros((len(self._base), 8))
        gains[plan.codeword[carries], 7 - plan.bit[carries]] = wanted.weight[carries]
        for index, mask in enumerate(masks):
            bits = (wanted.dark ^ mask_pattern(mask, symbol.side))[carries].astype(np.int64)
            np.add.at(wish[index], plan.codeword[carries], bits << plan.bit[carries])
        made = np.repeat(self._base[None], len(masks), 0)
        for solved in self._blocks:
            if not len(solved.pivots):
                continue
            shift = solved.bits[solved.pivots]
            at = solved.codewords[solved.pivots]
            flips = ((wish[:, at] ^ self._base[at]) >> shift) & 1
            changed = (flips.astype(np.float32) @ solved.rows.astype(np.float32)) % 2
            values = changed.astype(np.int64) << solved.bits
            for index in range(len(masks)):
                np.bitwise_xor.at(made[index], solved.codewords, values[index])
        scores = [float((self._agree(m, w) * gains).sum()) for m, w in zip(made, wish, strict=True)]
        likely = sorted(range(len(masks)), key=lambda index: -scores[index])[:TURNED]
        for index in likely if turns else ():
            self._turn(made[index], wish[index], gains)
        if shaken:
            self._shake(made, shaken)
        clean = made.copy()
        spent_words = {}
        for index in likely:
            spent_words[index] = self._spend(made[index], wish[index], gains, spend)
            scores[index] = float((self._agree(made[index], wish[index]) * gains).sum())
        best = max(likely, key=lambda index: scores[index])
        text = symbol.text
        if symbol.tail is not None:
            text = text[: -symbol.tail[1]] + _digits(symbol, clean[best])
        return self._steered(
            made[best], wish[best], masks[best], wanted, gains, spent_words[best], text
        )

    def _turn(self, words: np.ndarray, wish: np.ndarray, gains: np.ndarray) -> None:
        """Set pivots contrary to what is wanted where other modules gain more, in place.

        Pivots are as wished, and the other modules of a block fall by chance; but with each
        pivot that is turned half of these fall otherwise, and of many ways to turn one or two
        the best is far better than chance. It goes on until no two gain anything; to begin anew
        from others gained nothing more.
        """
        for solved in self._blocks:
            count = len(solved.pivots)
            if not count or count == solved.rows.shape[1]:
                continue
            rows = solved.rows[max(0, count - CHEAPEST) :]  # the cheapest ones
            weight = gains[solved.codewords, 7 - solved.bits].astype(np.float32)
            bits = (words[solved.codewords] >> solved.bits) & 1
            wished = (wish[solved.codewords] >> solved.bits) & 1
            turned = _descended(rows, np.where(bits == wished, weight, -weight))
            np.bitwise_xor.at(words, solved.codewords, turned.astype(np.int64) << solved.bits)

    def _shake(self, made: np.ndarray, seed: int) -> None:
        """Turn some of the pivots that gain least, in place; masks × codewords."""
        rng = np.random.default_rng(seed)
        for solved in self._blocks:
            rows = solved.rows[-SHAKEN:]
            turned = np.bitwise_xor.reduce(rows[rng.random(len(rows)) < 0.5], axis=0)
            for words in made:
                np.bitwise_xor.at(words, solved.codewords, turned.astype(np.int64) << solved.bits)

    def best(
        self, wanted: Wanted, masks: tuple[int, ...] = tuple(range(8)), spend: int = 0
    ) -> Steered:
        """As `solve`, but passes over masks under which the pattern itself is not found.

        One detector of those that we know, OpenCV's, misses a steered symbol in forty,
        black on white at any size, and reads it under another mask, or with other bits where
        the picture hardly minds. Where it misses all, the best is taken nevertheless: other
        readers read it.
        """
        first, left = None, tuple(masks)
        for _ in range(min(len(left), OTHERS)):
            found = self.solve(wanted, left, spend)
            first = first or found
            if found_plainly(found.symbol):
                return found
            left = tuple(mask for mask in left if mask != found.symbol.mask)
        # A symbol that it does not read unsteered is hardly read with random pivots either.
        for shaken in range(1, 1 + SHAKES if found_plainly(self.symbol) else 1):
            found = self.solve(wanted, (first.symbol.mask,), spend, shaken=shaken)
            if found_plainly(found.symbol):
                return found
        return first

    def _agree(self, words: np.ndarray, wish: np.ndarray) -> np.ndarray:
        """Bits that are as wished (codewords × 8, highest bit first)."""
        differ = (words ^ wish).astype(np.uint8)
        return 1 - np.unpackbits(differ[:, None], axis=1)

    def _spend(
        self, words: np.ndarray, wish: np.ndarray, gains: np.ndarray, spend: int
    ) -> np.ndarray:
        """Set the codewords that gain most to what is wished; which bits were changed."""
        changed = np.zeros_like(words)
        if spend <= 0:
            return changed
        missed = ((1 - self._agree(words, wish)) * gains).sum(1)
        for block in self.symbol.anatomy.blocks:
            own = np.array(block.codewords)
            most = min(spend, block.correctable)
            chosen = own[np.argsort(-missed[own], kind="stable")[:most]]
            chosen = chosen[missed[chosen] > 0]
            changed[chosen] = words[chosen] ^ wish[chosen]
            words[chosen] = wish[chosen]
        return changed

    def _steered(
        self,
        words: np.ndarray,
        wish: np.ndarray,
        mask: int,
        wanted: Wanted,
        gains: np.ndarray,
        changed: np.ndarray,
        text: str,
    ) -> Steered:
        symbol, plan = self.symbol, self.symbol.anatomy
        carries = plan.codeword >= 0
        dark = assemble(symbol.version, symbol.level, mask, words.tolist())
        dark.setflags(write=False)
        segments = symbol.segments
        if symbol.tail is not None:
            last = replace(segments[-1], text=text[-symbol.tail[1] :])
            segments = (*segments[:-1], last)
        spent = np.zeros(plan.codeword.shape, bool)
        spent[carries] = (changed[plan.codeword[carries]] >> plan.bit[carries]) & 1 > 0
        made = replace(
            symbol, dark=dark, mask=mask, text=text, segments=segments,
            spent=spent if spent.any() else None,
        )  # fmt: skip
        whole = max(float(gains.sum()), 1e-12)
        agree = self._agree(words, wish)
        was = symbol.dark == wanted.dark
        before = float(wanted.weight[carries & was].sum()) / whole
        chosen = np.zeros(plan.codeword.shape, bool)
        picked = np.zeros((len(words), 8), bool)
        for solved in self._blocks:
            picked[solved.codewords[solved.pivots], 7 - solved.bits[solved.pivots]] = True
        chosen[carries] = picked[plan.codeword[carries], 7 - plan.bit[carries]]
        return Steered(
            made, self.steerable, before, float((agree * gains).sum()) / whole,
            float((dark == wanted.dark)[carries].mean()), chosen & ~spent, spent,
        )  # fmt: skip


def _descended(rows: np.ndarray, agrees: np.ndarray) -> np.ndarray:
    """Turn rows, or pairs of them, as long as something is gained.

    Parameters
    ----------
    rows : ndarray of uint8, k × n
    agrees : ndarray of float32, n
        Gain of each bit as it is, negative where it is not as wished.

    Returns
    -------
    ndarray of uint8, n
        Which bits are turned.
    """
    floats, turned = rows.astype(np.float32), np.zeros(len(agrees), np.uint8)
    while True:
        now = np.where(turned == 1, -agrees, agrees)
        alone = floats @ now
        # Modules that both rows flip stay as they are.
        lost = alone[:, None] + alone[None, :] - 2 * ((floats * now) @ floats.T)
        np.fill_diagonal(lost, alone)
        one, two = divmod(int(lost.argmin()), len(rows))
        if lost[one, two] > -1e-4 * float(np.abs(agrees).max()):
            return turned
        turned ^= rows[one]
        if two != one:
            turned ^= rows[two]


def found_plainly(symbol: Symbol) -> bool:
    """Whether OpenCV's detector reads the symbol in black on white."""
    import cv2

    pixels = 6 if symbol.side < 80 else 4
    light = np.pad(~symbol.dark, tables.QUIET_ZONE, constant_values=True).astype(np.uint8) * 255
    image = np.ascontiguousarray(light.repeat(pixels, 0).repeat(pixels, 1))
    try:
        raw, _, _ = cv2.QRCodeDetector().detectAndDecodeBytes(image)
    except cv2.error:
        return False
    return bool(raw)
