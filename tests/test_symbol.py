"""Anatomy and encoding, bit by bit against the standard and an independent encoder."""

import itertools

import numpy as np
import pytest
import reedsolo
import segno
from hypothesis import given, settings
from hypothesis import strategies as st

from nimble_tile.core.errors import MessageError
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Part, anatomy, codeword_total
from nimble_tile.core.symbol.assemble import assemble, format_bits, version_bits
from nimble_tile.core.symbol.encode import encode


def final_message(version, level, data):
    """Interleave data codewords with error correction by reedsolo."""
    plan = anatomy(version, level)
    stream = [0] * codeword_total(version)
    position = 0
    for block in plan.blocks:
        own = data[position : position + len(block.data)]
        position += len(block.data)
        count = len(block.correction)
        # A four-bit last codeword stands in the upper half of its byte for the
        # Reed-Solomon sum (ISO/IEC 18004, Micro QR data codewords).
        for_sum = list(own)
        if version in ("M1", "M3"):
            for_sum[-1] <<= 4
        coded = reedsolo.RSCodec(count, fcr=0, prim=0x11D).encode(bytes(for_sum))
        for place, value in zip(block.data, own, strict=True):
            stream[place] = value
        for place, value in zip(block.correction, coded[-count:], strict=True):
            stream[place] = value
    return stream


def ends_on_codeword(version, digits):
    """Whether that many digits and the terminator fill whole codewords."""
    body = digits // 3 * 10 + (0, 4, 7)[digits % 3]
    if tables.is_micro(version):
        number = int(version[1:])
        return (number - 1 + number + 2 + body + 2 * number + 1) % 8 == 0
    v = int(version)
    return (4 + (10 if v < 10 else 12 if v < 27 else 14) + body + 4) % 8 == 0


def data_codewords(version, level, text):
    """Mode, count, characters, terminator and padding of a digit string, by hand."""
    plan = anatomy(version, level)
    sizes = plan.bits_of
    capacity = sum(int(sizes[i]) for block in plan.blocks for i in block.data)
    if tables.is_micro(version):
        number = int(version[1:])
        head = format(0, f"0{number - 1}b") if number > 1 else ""
        head += format(len(text), f"0{number + 2}b")
        terminator = 2 * number + 1
    else:
        v = int(version)
        head = "0001" + format(len(text), f"0{10 if v < 10 else 12 if v < 27 else 14}b")
        terminator = 4
    bits = head
    for i in range(0, len(text), 3):
        group = text[i : i + 3]
        bits += format(int(group), f"0{(4, 7, 10)[len(group) - 1]}b")
    bits += "0" * min(terminator, capacity - len(bits))
    bits += "0" * (-len(bits) % 8 if len(bits) < capacity else 0)
    pads = itertools.cycle(("11101100", "00010001"))
    while capacity - len(bits) >= 8:
        bits += next(pads)
    bits = bits.ljust(capacity, "0")
    values, position = [], 0
    for block in plan.blocks:
        for index in block.data:
            values.append(int(bits[position : position + sizes[index]], 2))
            position += int(sizes[index])
    return values


ALL = [(v, lv) for v in (*tables.QR_VERSIONS, *tables.MICRO_VERSIONS) for lv in tables.levels_of(v)]


@pytest.mark.parametrize(("version", "level"), ALL, ids=lambda x: x)
def test_rebuilt_from_codewords_equals_independent_encoder(version, level):
    """Every version x level x mask: our tables, placement and masks against segno's matrix."""
    rng = np.random.default_rng(sum(map(ord, version + level)))
    # A third of the capacity, so that padding is compared too. Where the bits
    # already end on a codeword segno adds a codeword of zeros, and it pads M1
    # and M3 with zeros; readers stop at the terminator, so lengths are chosen
    # that keep out of these places: not ending on a codeword, M1 and M3 full.
    length = {"M1-": 5, "M3L": 23, "M3M": 18}.get(version + level)
    if length is None:
        plan = anatomy(version, level)
        length = max(1, sum(int(plan.bits_of[i]) for b in plan.blocks for i in b.data) // 9)
        while ends_on_codeword(version, length):
            length += 1
    text = "".join(map(str, rng.integers(0, 10, length)))
    stream = final_message(version, level, data_codewords(version, level, text))
    micro = tables.is_micro(version)
    for mask in range(4 if micro else 8):
        made = segno.make(
            text,
            version=version,
            error=None if level == "-" else level,
            mask=mask,
            mode="numeric",
            micro=micro,
            boost_error=False,
        )
        expected = np.array([list(row) for row in made.matrix], bool)
        assert np.array_equal(assemble(version, level, mask, stream), expected), mask


def test_standard_worked_example():
    """`01234567` in version 1-M (ISO/IEC 18004, annex on symbol encoding)."""
    data = bytes.fromhex("10200C566180EC11EC11EC11EC11EC11")
    correction = bytes.fromhex("A524D4C1ED36C7872C55")
    assert bytes(data_codewords("1", "M", "01234567")) == data
    assert bytes(final_message("1", "M", list(data))) == data + correction
    made = segno.make("01234567", version=1, error="m", mask=2, boost_error=False)
    expected = np.array([list(row) for row in made.matrix], bool)
    assert np.array_equal(assemble("1", "M", 2, list(data + correction)), expected)


def test_format_and_version_information_of_the_standard():
    assert f"{format_bits('1', 'M', 0b101):015b}" == "100000011001110"  # ISO/IEC 18004
    assert f"{version_bits(7):018b}" == "000111110010010100"  # ISO/IEC 18004


def test_parts_of_every_version_add_up():
    """Remainder bits and function modules against ISO/IEC 18004 (memory): 0, 7, 3, 4 by range."""
    for version in tables.QR_VERSIONS:
        plan = anatomy(version, "Q")
        number = int(version)
        expected = (
            7 if 2 <= number <= 6 else 3 if 14 <= number <= 20 or 28 <= number <= 34
            else 4 if 21 <= number <= 27 else 0
        )  # fmt: skip
        count = np.bincount(plan.parts.ravel(), minlength=len(Part))
        assert count[Part.REMAINDER] == expected
        assert count[Part.FINDER] == 3 * 49
        assert count[Part.SEPARATOR] == 3 * 15
        assert count[Part.FORMAT] == 30
        assert count[Part.DARK] == 1
        assert count[Part.VERSION] == (36 if number >= 7 else 0)
        assert count[Part.ALIGNMENT] % 25 in (0, 20, 15, 10, 5)
        assert np.all(plan.bits_of == 8)
    assert codeword_total("40") == 3706  # ISO/IEC 18004 capacity table


@pytest.mark.parametrize(
    ("version", "level", "digits", "letters", "bytes_"),
    # ISO/IEC 18004 capacity table.
    [
        ("1", "L", 41, 25, 17),
        ("10", "M", 513, 311, 213),
        ("40", "L", 7089, 4296, 2953),
        ("40", "H", 3057, 1852, 1273),
    ],
)
def test_capacity_is_the_standards(version, level, digits, letters, bytes_):
    for character, most in (("7", digits), ("A", letters), ("a", bytes_)):
        code = Code(level=level, version=version)
        assert encode(Message(text=character * most), code).version == version
        with pytest.raises(MessageError):
            encode(Message(text=character * (most + 1)), code)


def test_errors_name_the_nearest_setting_that_works():
    long = Message(text="a" * 2000)
    with pytest.raises(MessageError, match=r"too long for any QR code at level H.*level M"):
        encode(long, Code(level="H"))
    with pytest.raises(MessageError, match=r"does not fit version 3.*version to 38"):
        encode(long, Code(level="M", version="3"))
    with pytest.raises(MessageError, match=r"up to five digits.*automatic"):
        encode(Message(text="abc"), Code(version="M1"))
    with pytest.raises(MessageError, match=r"M2 has no level H.*L or M"):
        encode(Message(text="12"), Code(version="M2", level="H"))
    with pytest.raises(MessageError, match="four masks"):
        encode(Message(text="12"), Code(version="M2", level="L", mask=5))
    with pytest.raises(MessageError, match="no message yet"):
        encode(Message(), Code())


@settings(max_examples=60, deadline=None)
@given(st.text(min_size=1, max_size=60), st.sampled_from("LMQH"))
def test_any_text_is_read_back_by_an_independent_reader(text, level):
    """Full Unicode: zxing-cpp returns exactly what was written."""
    import zxingcpp

    symbol = encode(Message(kind="text", text=text), Code(level=level))
    image = np.kron(np.pad(~symbol.dark, 4, constant_values=True), np.ones((4, 4))) * 255
    (found,) = zxingcpp.read_barcodes(image.astype(np.uint8))
    assert found.bytes == text.encode("utf-8")
    assert (found.extra["Version"], found.ec_level) == (symbol.version, level)
    assert found.extra["DataMask"] == symbol.mask
