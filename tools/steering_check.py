"""Steered symbols of every kind before all readers: prints what was lost.

Random messages, versions 2 to 40, levels, masks and pictures, both ways of
freedom; each is decoded by an independent Reed–Solomon decoder and shown to the
four readers beside the same symbol unsteered.

    tools/steering_check.py [how many]
"""

from __future__ import annotations

import sys

import cv2
import numpy as np
from reedsolo import RSCodec

from nimble_tile.core.errors import MessageError
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.symbol.freedom import freedom
from nimble_tile.core.symbol.steering import Steering, Wanted, codewords_of

LETTERS = list("abcdefghijklmnopqrstuvwxyz0123456789/-")


def wanted_of(side: int, rng: np.random.Generator) -> Wanted:
    tones = cv2.GaussianBlur(rng.normal(size=(side, side)), (0, 0), rng.uniform(1, 5))
    local = cv2.GaussianBlur(tones, (0, 0), 6)
    return Wanted(tones < local, np.abs(tones - local))


def decodes(symbol: Symbol) -> bool:
    """Whether no codeword is wrong, for a decoder that is not ours."""
    words = codewords_of(symbol)
    for block in symbol.anatomy.blocks:
        codec = RSCodec(len(block.correction), fcr=0, prim=0x11D, c_exp=8)
        *_, errors = codec.decode(bytes(words[list(block.codewords)].tolist()))
        if len(errors):
            return False
    return True


def main(count: int) -> None:
    rng = np.random.default_rng(500)
    bay = ReaderBay()
    lost, plainly, wrong, done = (
        dict.fromkeys(READER_NAMES, 0),
        dict.fromkeys(READER_NAMES, 0),
        0,
        0,
    )
    while done < count:
        length = int(rng.integers(4, 40))
        text = "https://lanternwalk.example/" + "".join(rng.choice(LETTERS, length))
        version, level = str(int(rng.integers(2, 41))), "LMQH"[int(rng.integers(4))]
        steer = ("padding", "tail")[int(rng.integers(2))]
        try:
            symbol = encode(Message(text=text), Code(version=version, level=level, steer=steer))
        except MessageError:
            continue
        free = freedom(symbol)
        if not free.any():
            continue
        wanted = wanted_of(symbol.side, rng)
        found = Steering(symbol, free, wanted.weight).best(wanted)
        agree = (found.symbol.dark == wanted.dark)[found.chosen].all()
        wrong += not (agree and decodes(found.symbol))
        pixels = 6 if symbol.side < 100 else 4
        side = pixels * (symbol.side + 8)
        images = [plain_code(one, 4, side) for one in (found.symbol, symbol)]
        steered, plain = bay.read_all(images)
        for ours, theirs in zip(steered, plain, strict=True):
            lost[ours.name] += not any(r.text == found.symbol.text for r in ours.readings)
            plainly[theirs.name] += not any(r.text == symbol.text for r in theirs.readings)
        done += 1
    bay.close()
    print(f"{done} symbols, {wrong} wrongly solved or not decoded by reedsolo.")
    for name in READER_NAMES:
        print(f"{name}: {lost[name]} steered symbols lost, {plainly[name]} unsteered ones.")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 500)
