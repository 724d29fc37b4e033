"""Five hundred random steered symbols before all readers, and what they miss beside its plain twin.

Message, version 2 to 40, level, mask and picture are drawn at random; one half is steered
by the padding, the other by a tail of digits. A reader may look at a symbol at several
sizes, as the verdict lets it.

    bench/steering.py [COUNT]
"""

from __future__ import annotations

import sys
from collections import Counter

import cv2
import numpy as np

from nimble_tile.core.errors import MessageError
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.symbol.freedom import freedom
from nimble_tile.core.symbol.steering import Steered, Steering, Wanted

PIXELS = (8, 6, 5, 4)
"""Pixels a module at which a symbol is looked at, until all readers have read it."""

LETTERS = list("abcdefghijklmnopqrstuvwxyz0123456789/-")


def draw(rng: np.random.Generator, number: int) -> tuple[Symbol, Steered]:
    """One symbol, plain and steered."""
    while True:
        version = str(int(rng.integers(2, 41)))
        level = "LMQH"[int(rng.integers(4))]
        steer = ("padding", "tail")[number % 2]
        length = int(rng.integers(4, 120))
        text = "https://lanternwalk.example/" + "".join(rng.choice(LETTERS, length))
        code = Code(version=version, level=level, raise_level=False, steer=steer)
        try:
            symbol = encode(Message(text=text), code)
            free = freedom(symbol)
        except (MessageError, ValueError):
            continue
        tones = cv2.GaussianBlur(rng.normal(size=symbol.dark.shape), (0, 0), 2.5)
        wanted = Wanted(tones < cv2.GaussianBlur(tones, (0, 0), 5), np.abs(tones))
        # The best mask but some, so that every mask comes.
        masks = tuple(int(m) for m in rng.permutation(8)[: int(rng.integers(1, 9))])
        found = Steering(symbol, free, wanted.weight).best(wanted, masks)
        carries = symbol.anatomy.codeword >= 0
        agree = (found.symbol.dark == wanted.dark)[carries]
        weight = wanted.weight[carries]
        assert abs(float(agree.mean()) - found.matched) < 1e-9
        assert abs(float((weight * agree).sum() / weight.sum()) - found.after) < 1e-9
        return symbol, found


def read(bay: ReaderBay, symbol: Symbol) -> set[str]:
    """Who reads a symbol, black on white, at one of the sizes."""
    found: set[str] = set()
    for pixels in PIXELS:
        image = plain_code(symbol, 4, pixels * (symbol.side + 8))
        for outcome in bay.read(image):
            if any(reading.text == symbol.text for reading in outcome.readings):
                found.add(outcome.name)
        if len(found) == len(READER_NAMES):
            break
    return found


def main(count: int) -> None:
    rng, bay = np.random.default_rng(2026), ReaderBay()
    ours, lost = Counter(), Counter()
    whole = gained = 0.0
    for number in range(count):
        symbol, found = draw(rng, number)
        seen = read(bay, found.symbol)
        ours.update(seen)
        whole += len(seen) == len(READER_NAMES)
        gained += found.after - found.before
        missing = sorted(set(READER_NAMES) - seen)
        twin = read(bay, symbol) if missing else seen
        for name in missing:
            told = "its plain twin too" if name not in twin else "not its plain twin"
            lost[name] += name in twin
            print(f"  {name} misses {symbol.version}-{symbol.level}, {told}", flush=True)
    bay.close()
    print(f"{count} steered symbols, matches as predicted in all; mean gain {gained / count:.3f}")
    for name in READER_NAMES:
        print(
            f"{name}: {ours[name]} of {count}; plain twins missed too "
            f"{count - ours[name] - lost[name]}; lost by steering {lost[name]}"
        )
    print(f"all readers: {int(whole)} of {count}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 500)
