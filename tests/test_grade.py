"""Print quality grades on made images with known values (methods of ISO/IEC 15415).

The thresholds are the standard's, written down from memory; each parameter is
driven to a known value alone, and the others stay at A.
"""

import cv2
import numpy as np
import pytest
from reedsolo import RSCodec
from scipy.ndimage import convolve
from skimage.color import rgb2xyz
from skimage.morphology import disk

from nimble_tile.core.linear import encoded_table
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.scan.grade import at_least, at_most, grade
from nimble_tile.core.scan.locate import patches, refined_corners
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.symbol.steering import codewords_of

MODULE, MARGIN = 12, 6


@pytest.fixture(scope="module")
def symbol():
    text = "https://lanternwalk.example/dusk/path7"
    return encode(Message(text=text), Code(version="5", level="Q", raise_level=False))


def grey(reflectance):
    """sRGB of a linear reflectance, 0 to 1."""
    return int(encoded_table()[round(reflectance * 4095)])


def made(symbol, dark=0.0, light=1.0, change=None):
    """An image of the symbol, modules at given reflectances, and its corners."""
    tones = np.where(np.pad(symbol.dark, MARGIN), dark, light)
    if change is not None:
        change(tones[MARGIN:-MARGIN, MARGIN:-MARGIN])
    values = encoded_table()[np.rint(tones * 4095).astype(int)]
    image = values.repeat(MODULE, 0).repeat(MODULE, 1)
    low, high = MARGIN * MODULE, (MARGIN + symbol.side) * MODULE
    return image, np.array([[low, low], [high, low], [high, high], [low, high]], float)


def letters(quality):
    return {p.key: p.letter for p in quality.parameters}


def only(quality, key):
    """The letter of one parameter, once all others are A."""
    others = {k: v for k, v in letters(quality).items() if k != key and v != "A"}
    assert not others
    assert quality.overall == quality.of(key).grade
    return quality.of(key).letter


def test_a_perfect_symbol_is_a(symbol):
    quality = grade(*made(symbol), symbol)
    assert quality.letter == "A" and set(letters(quality).values()) == {"A"}
    assert quality.of("contrast").value == pytest.approx(1, abs=0.01)
    assert quality.of("unused").value == 1 and quality.of("fixed").value == 0
    # In colour, with the same luminance, the same.
    image, quad = made(symbol)
    assert grade(cv2.cvtColor(image, cv2.COLOR_GRAY2RGB), quad, symbol).letter == "A"


@pytest.mark.parametrize(
    ("contrast", "letter"),
    [(0.72, "A"), (0.68, "B"), (0.57, "B"), (0.53, "C"), (0.42, "C"), (0.38, "D"), (0.18, "F")],
)
def test_symbol_contrast(symbol, contrast, letter):
    # ISO/IEC 15415: 0.70, 0.55, 0.40, 0.20; reflectance is linear, not sRGB.
    quality = grade(*made(symbol, 0.1, 0.1 + contrast), symbol)
    assert quality.of("contrast").value == pytest.approx(contrast, abs=0.01)
    assert only(quality, "contrast") == letter


@pytest.mark.parametrize(
    ("modulation", "letter"), [(0.55, "A"), (0.45, "B"), (0.35, "C"), (0.25, "D"), (0.12, "F")]
)
def test_modulation_of_every_codeword(symbol, modulation, letter):
    # Every data module as far from the threshold as asked; function patterns at full contrast.
    parts = symbol.anatomy.parts

    def weaken(tones):
        data = parts <= Part.REMAINDER
        half = modulation / 2
        tones[data & symbol.dark] = 0.5 - half
        tones[data & ~symbol.dark] = 0.5 + half

    quality = grade(*made(symbol, change=weaken), symbol)
    assert quality.of("modulation").value == pytest.approx(modulation, abs=0.03)
    assert only(quality, "modulation") == letter


def test_modulation_is_set_off_against_error_correction(symbol):
    # One weak codeword costs nothing while error correction makes up for it.
    word = symbol.anatomy.codeword == 3

    def weaken(tones):
        tones[word] = np.where(symbol.dark[word], 0.45, 0.55)

    quality = grade(*made(symbol, change=weaken), symbol)
    assert quality.of("modulation").value == pytest.approx(0.1, abs=0.04)
    assert quality.of("modulation").letter == "A"


@pytest.mark.parametrize(("damaged", "letter"), [(0, "A"), (1, "B"), (2, "C"), (3, "D"), (4, "F")])
def test_damaged_modules_of_a_finder(symbol, damaged, letter):
    # ISO/IEC 18004, annex on print quality: 0, 1, 2, 3 modules of a finder (memory).
    places = [(0, 0), (0, 3), (3, 6), (6, 0)][:damaged]

    def damage(tones):
        for row, column in places:
            tones[row, column] = 1.0

    quality = grade(*made(symbol, change=damage), symbol)
    assert only(quality, "fixed") == letter


@pytest.mark.parametrize(
    ("stretch", "letter"), [(1.05, "A"), (1.07, "B"), (1.095, "C"), (1.115, "D"), (1.2, "F")]
)
def test_axial_non_uniformity(symbol, stretch, letter):
    # |X - Y| over their mean: 0.06, 0.08, 0.10, 0.12 (memory).
    image, quad = made(symbol)
    wide = cv2.resize(image, None, fx=stretch, fy=1, interpolation=cv2.INTER_LINEAR)
    quality = grade(wide, quad * [wide.shape[1] / image.shape[1], 1], symbol)
    known = (stretch - 1) / ((stretch + 1) / 2)
    assert quality.of("axial").value == pytest.approx(known, abs=0.004)
    assert only(quality, "axial") == letter


@pytest.mark.parametrize(("bend", "letter"), [(0.4, "A"), (1.15, "B")])
def test_grid_non_uniformity(symbol, bend, letter):
    # Rows shifted along a parabola of known height in modules; what a straight grid leaves of
    # it is known from arithmetic: its mean is a third, the ends two thirds.
    image, quad = made(symbol)
    height, width = image.shape
    rows = np.arange(height, dtype=np.float32)
    low, high = quad[0, 1], quad[2, 1]
    t = (rows - (low + high) / 2) / ((high - low) / 2)
    shift = bend * MODULE * t**2
    columns, lines = np.meshgrid(np.arange(width, dtype=np.float32), rows)
    bent = cv2.remap(image, columns + shift[:, None].astype(np.float32), lines, cv2.INTER_LINEAR,
                     borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    quality = grade(bent, quad, symbol)
    # Patches of nine modules do not reach the very ends.
    reached = (1 - 9 / symbol.side) ** 2
    assert quality.of("grid").value == pytest.approx(bend * reached * 2 / 3, abs=0.08)
    assert quality.of("grid").letter == letter


@pytest.mark.parametrize(("wrong", "letter"), [(2, "A"), (4, "B"), (5, "C"), (6, "D"), (8, "F")])
def test_unused_error_correction(symbol, wrong, letter):
    # Whole codewords of one block turned over. ISO/IEC 18004: a block of 5-Q has 18 codewords
    # of error correction, which is 9 that can be wrong.
    block = symbol.anatomy.blocks[0]

    def damage(tones):
        for word in block.codewords[:wrong]:
            own = symbol.anatomy.codeword == word
            tones[own] = 1 - tones[own]

    quality = grade(*made(symbol, change=damage), symbol)
    assert quality.of("unused").value == pytest.approx(1 - wrong / 9)
    # ISO/IEC 15415: 0.62, 0.50, 0.37, 0.25.
    assert quality.of("unused").letter == letter
    assert quality.overall <= quality.of("unused").grade
    assert quality.of("decode").letter == "A"


def test_beyond_correction_it_does_not_decode(symbol):
    def damage(tones):
        for word in symbol.anatomy.blocks[0].codewords[: symbol.anatomy.blocks[0].correctable + 1]:
            own = symbol.anatomy.codeword == word
            tones[own] = 1 - tones[own]

    quality = grade(*made(symbol, change=damage), symbol)
    assert quality.of("decode").letter == "F" and quality.letter == "F"


def worn(symbol, blots):
    """A worn print in colour: uneven ink, blots, an unsharp lens, noise."""
    rng = np.random.default_rng(blots)
    image, quad = made(symbol, 0.08, 0.83)
    side = len(image)
    light = np.linspace(0.9, 1.0, side)[None, :, None]
    colour = image[..., None] * light * np.array([0.93, 1.0, 0.88])
    for _ in range(blots):
        x, y = rng.uniform(quad[0, 0] + 9 * MODULE, quad[2, 0] - 2 * MODULE, 2)
        colour = np.ascontiguousarray(colour)
        cv2.circle(colour, (round(x), round(y)), round(1.1 * MODULE), (25.0, 22.0, 30.0), -1)
    colour = cv2.GaussianBlur(colour, (0, 0), 0.22 * MODULE)
    colour += rng.normal(0, 2, colour.shape)
    return np.clip(np.rint(colour), 0, 255).astype(np.uint8), quad


@pytest.mark.parametrize("blots", [0, 2, 5, 8])
def test_a_worn_print_is_measured_as_others_measure_it(symbol, blots):
    """Reflectance by scikit-image's CIE Y, wrong codewords by reedsolo's decoder."""
    image, quad = worn(symbol, blots)
    quality = grade(image, quad, symbol)
    # An aperture of 0.8 modules at each centre (ISO/IEC 15415, from memory).
    luminance = rgb2xyz(image)[..., 1]
    wide = round(0.8 * MODULE) // 2
    aperture = disk(wide).astype(float)
    scanned = convolve(luminance, aperture / aperture.sum(), mode="nearest")
    centres = np.arange(quad[0, 0], quad[1, 0], MODULE) + MODULE / 2 - 0.5
    places = np.rint(centres).astype(int)
    at = scanned[np.ix_(places, places)]
    low, high = at.min(), at.max()
    assert quality.of("contrast").value == pytest.approx(high - low, abs=0.03)
    # What a decoder has to repair: the codewords as the global threshold of the standard reads
    # them, halfway between the extremes.
    dark = at < (low + high) / 2
    flipped = dark != symbol.dark
    words = codewords_of(symbol)
    worst = 1.0
    for block in symbol.anatomy.blocks:
        received = [
            int(words[w]) ^ int(np.packbits(flipped[symbol.anatomy.codeword == w])[0])
            for w in block.codewords
        ]
        codec = RSCodec(len(block.correction), fcr=0, prim=0x11D)
        _, _, errors = codec.decode(bytes(received))
        worst = min(worst, 1 - 2 * len(errors) / len(block.correction))
    assert (worst < 1) == (blots > 0)
    # A module at the rim of a blot may fall either way: one codeword of nine.
    assert quality.of("unused").value == pytest.approx(worst, abs=1 / 9 + 0.001)


def test_grades_at_their_limits():
    assert [at_least(v, (0.7, 0.55, 0.4, 0.2)) for v in (0.7, 0.69, 0.2, 0.19)] == [4, 3, 1, 0]
    assert [at_most(v, (0.06, 0.08, 0.1, 0.12)) for v in (0.06, 0.061, 0.12, 0.13)] == [4, 3, 1, 0]


def test_corners_are_put_right_in_perspective(symbol):
    image, quad = made(symbol)
    true = quad + np.array([[9, 4], [-14, 12], [-3, -9], [6, -16]])
    matrix = cv2.getPerspectiveTransform(np.float32(quad), np.float32(true))
    seen = cv2.warpPerspective(image, matrix, image.shape[::-1], borderValue=255)
    rough = true + np.array([[4, -3], [-5, 2], [3, 5], [-2, -4]])
    found = refined_corners(seen, rough, symbol.dark)
    assert np.abs(found - true).max() < 0.8 < np.abs(rough - true).max()
    assert patches(seen, found, symbol.dark).share == 1.0
    # Where there is no symbol, nothing is moved.
    noise = np.random.default_rng(0).integers(0, 256, seen.shape, np.uint8)
    assert np.array_equal(refined_corners(noise, rough, symbol.dark), rough)
