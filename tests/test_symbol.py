"""Anatomy and encoding, bit by bit against the standard and an independent encoder."""

import itertools
import random

import numpy as np
import pytest
import reedsolo
import segno
from hypothesis import given, settings
from hypothesis import strategies as st
from segno import consts
from segno import encoder as segno_encoder

from nimble_tile.core.errors import MessageError
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.core.scan.readers import READERS
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.anatomy import Part, anatomy, codeword_total
from nimble_tile.core.symbol.assemble import assemble, format_bits, version_bits
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.symbol.segments import (
    ALPHANUMERIC,
    Segment,
    bits,
    capacity,
    capacity_bits,
    is_kanji,
    split,
)


def final_message(version, level, data):
    """Interleave data codewords with error correction by reedsolo."""
    plan = anatomy(version, level)
    codecs = {n: reedsolo.RSCodec(n, fcr=0, prim=0x11D)
              for n in {len(block.correction) for block in plan.blocks}}  # fmt: skip
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
        coded = codecs[count].encode(bytes(for_sum))
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
    """Every version x level and version x mask: tables, placement and masks against segno's.

    A mask is the same for all levels of a version but for the format information, and each
    level meets each mask somewhere; all together is 1,280 symbols, most of them large.
    """
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
    masks = range(4)
    if not micro:
        first = ("LMQH".index(level) + int(version)) % 4
        masks = (first, first + 4)
    for mask in masks:
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
    plain = zxingcpp.TextMode.Plain
    (found,) = zxingcpp.read_barcodes(image.astype(np.uint8), text_mode=plain)
    assert found.text == text
    assert (found.extra["Version"], found.ec_level) == (symbol.version, symbol.level)
    assert tables.LEVELS.index(symbol.level) >= tables.LEVELS.index(level)
    assert found.extra["DataMask"] == symbol.mask


def segno_level(level):
    return {"L": consts.ERROR_LEVEL_L, "M": consts.ERROR_LEVEL_M, "Q": consts.ERROR_LEVEL_Q,
            "H": consts.ERROR_LEVEL_H, "-": None}[level]  # fmt: skip


def test_capacities_of_every_version_level_and_mode_are_segnos():
    """Bits against segno's table, and one character more or less against its encoder."""
    for version in (*tables.QR_VERSIONS, *tables.MICRO_VERSIONS):
        key = int(version) if version.isdigit() else -4 + int(version[1:])
        key = {"M1": consts.VERSION_M1, "M2": consts.VERSION_M2, "M3": consts.VERSION_M3,
               "M4": consts.VERSION_M4}.get(version, key)  # fmt: skip
        for level in tables.levels_of(version):
            assert capacity_bits(version, level) == consts.SYMBOL_CAPACITY[key][segno_level(level)]
    rng = np.random.default_rng(4)
    for version in rng.choice(tables.QR_VERSIONS, 4):
        for level in "LMQH":
            for mode, character in (
                ("numeric", "7"), ("alphanumeric", "A"), ("byte", "a"), ("kanji", "灯"),
            ):  # fmt: skip
                most = capacity(version, level, mode)
                options = {"error": level, "mode": mode, "version": version, "boost_error": False}
                segno.make(character * most, mask=0, **options)
                with pytest.raises(segno.DataOverflowError):
                    segno.make(character * (most + 1), mask=0, **options)


@pytest.mark.parametrize("version", ["1", "4", "7", "14", "M2", "M3", "M4"])
def test_automatic_mask_and_every_other_mask_are_segnos(version):
    micro = tables.is_micro(version)
    for level in tables.levels_of(version)[:2]:
        text = "7" * (capacity(version, level, "numeric") - 3)
        ours = encode(Message(text=text), Code(version=version, level=level, raise_level=False))
        options = {"error": level, "version": version, "micro": micro, "boost_error": False}
        theirs = segno.make(text, **options)
        assert ours.mask == theirs.mask
        for mask in ours.penalties:
            other = segno.make(text, mask=mask, **options)
            expected = np.array([list(row) for row in other.matrix], bool)
            assert np.array_equal(ours.under(mask), expected)
            # Scored as segno scores: before format and version information.
            bare = expected.copy()
            parts = anatomy(version, level).parts
            bare[np.isin(parts, (Part.FORMAT, Part.VERSION, Part.DARK))] = False
            rows = [bytearray(row.astype(np.uint8)) for row in bare]
            n = len(rows)
            score = (
                -segno_encoder.evaluate_micro_mask(rows, n, n)
                if micro
                else segno_encoder.evaluate_mask(rows, n, n)
            )
            assert ours.penalties[mask] == score


def shortest(text, version):
    """Bits of the best of all divisions, by trying each."""
    best = None
    for modes in itertools.product(("numeric", "alphanumeric", "kanji", "byte"), repeat=len(text)):
        segments = []
        for mode, group in itertools.groupby(zip(modes, text, strict=True), lambda e: e[0]):
            segments.append(Segment(mode, "".join(c for _, c in group)))
        possible = all(
            {
                "numeric": s.text.isdigit() and s.text.isascii(),
                "alphanumeric": set(s.text) <= ALPHANUMERIC,
                "kanji": all(is_kanji(c) for c in s.text),
                "byte": s.text.isascii(),
            }[s.mode]
            for s in segments
        )
        if possible:
            length = bits(segments, version)
            best = length if best is None else min(best, length)
    return best


def test_no_division_into_modes_is_shorter():
    rng = random.Random(5)
    for version in ("1", "12", "30"):
        for _ in range(15):
            parts = [rng.choice(["0", "7", "A", "Z:", "b", "灯"]) * rng.randint(1, 3)
                     for _ in range(3)]  # fmt: skip
            text = "".join(parts)[:6]
            assert bits(split(text, version), version) == shortest(text, version), text
    # A tail of digits in a link is written as digits.
    modes = [s.mode for s in split("https://lanternwalk.example/20261031183000", "3")]
    assert modes == ["byte", "numeric"]


@pytest.mark.parametrize(
    ("text", "options", "modes", "marked"),
    [
        ("Lantern walk", {}, "byte", False),
        ("Fähre über den Fluß", {}, "byte", False),  # Latin-1 that nothing else could be
        ("\u00c3\u00a9", {}, "byte", True),  # Latin-1 that readers would take for UTF-8
        ("Łódź", {}, "byte", True),
        ("Łódź", {"charset": "utf-8 unmarked"}, "byte", False),
        ("灯籠散歩", {}, "kanji", False),
        ("灯籠散歩 2026", {}, "kanji and alphanumeric", False),
        ("灯籠 Łódź", {}, "byte", True),
        ("ÅÄÖ 灯籠", {"charset": "utf-8"}, "byte", True),
    ],
)  # fmt: skip
def test_character_sets_and_kanji_are_read_by_all_four_readers(text, options, modes, marked):
    symbol = encode(Message(kind="text", text=text), Code(**options))
    assert symbol.mode == modes
    assert any(segment.marked for segment in symbol.segments) == marked
    image = np.kron(np.pad(~symbol.dark, 4, constant_values=True), np.ones((8, 8))) * 255
    for make in READERS.values():
        assert [reading.text for reading in make().read(image.astype(np.uint8))] == [text]


def test_latin_1_says_what_it_lacks_and_micro_what_it_cannot():
    with pytest.raises(MessageError, match=r"Latin-1 has no “Ł”.*UTF-8"):
        encode(Message(text="Łódź"), Code(charset="latin-1"))
    with pytest.raises(MessageError, match=r"no level H.*Q"):
        encode(Message(text="12"), Code(version="micro", level="H"))
    with pytest.raises(MessageError, match=r"any Micro QR code.*version to 1 or automatic"):
        encode(Message(text="a" * 16), Code(version="micro", level="L"))
    with pytest.raises(MessageError, match="about 1669 characters"):
        encode(Message(text="a1" * 2000), Code())


def test_level_is_raised_only_while_it_is_free():
    text = "https://lanternwalk.example/dusk"  # 32 characters: 3-Q holds 32 bytes
    raised = encode(Message(text=text), Code())
    kept = encode(Message(text=text), Code(raise_level=False))
    assert (raised.version, raised.level) == ("3", "Q")
    assert (kept.version, kept.level) == ("3", "M")
    assert encode(Message(text=text + "/"), Code()).level == "M"
    assert encode(Message(text="1234567"), Code(version="micro", level="L")).level == "M"


def test_pieces_of_the_first_schema_keep_their_symbol():
    stored = {"schema": 1, "message": {"kind": "text", "text": "Fähre"}, "code": {"level": "M"}}
    piece = Piece.model_validate(stored)
    symbol = encode(piece.message, piece.code)
    made = segno.make("Fähre", error="m", encoding="utf-8", micro=False, boost_error=False)
    assert (symbol.version, symbol.level, symbol.mask) == (str(made.version), "M", made.mask)
    assert np.array_equal(symbol.dark, np.array([list(row) for row in made.matrix], bool))
