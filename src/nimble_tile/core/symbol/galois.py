"""Arithmetic in GF(256) and the error correction codewords of single data codewords.

References
----------
ISO/IEC 18004: error correction by Reed–Solomon codes.
"""

from __future__ import annotations

from functools import cache, lru_cache

import numpy as np

PRIMITIVE = 0x11D
"""Primitive polynomial of the field, x^8 + x^4 + x^3 + x^2 + 1 (ISO/IEC 18004)."""


@cache
def _logs() -> tuple[np.ndarray, np.ndarray]:
    """Powers of the field's generator, and logarithms."""
    power = np.zeros(512, np.int64)
    log = np.zeros(256, np.int64)
    value = 1
    for exponent in range(255):
        power[exponent] = value
        log[value] = exponent
        value <<= 1
        if value & 0x100:
            value ^= PRIMITIVE
    power[255:510] = power[:255]
    return power, log


def multiply(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Product in GF(256), element by element (int64)."""
    power, log = _logs()
    a, b = np.broadcast_arrays(np.asarray(a), np.asarray(b))
    product = power[log[a] + log[b]]
    return np.where((a == 0) | (b == 0), 0, product)


@cache
def generator(count: int) -> np.ndarray:
    """Coefficients of the generator polynomial of degree `count`, highest first (int64)."""
    power, _ = _logs()
    poly = np.array([1], np.int64)
    for exponent in range(count):
        shifted = np.append(poly, 0)
        shifted[1:] ^= multiply(poly, power[exponent])
        poly = shifted
    return poly


@lru_cache(maxsize=64)
def responses(data: int, correction: int) -> np.ndarray:
    """Error correction codewords of each data codeword alone with value 1 (data × correction)."""
    tail = generator(correction)[1:]
    rows = np.zeros((data, correction), np.int64)
    row = tail.copy()
    for index in range(data - 1, -1, -1):
        rows[index] = row
        lead, row = row[0], np.append(row[1:], 0)
        row ^= multiply(tail, lead)
    return rows
