"""Opening pictures: every kind, every damage, and what comes out in numbers."""

import io
import struct
import zlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageCms

from conftest import encoded, photograph
from nimble_tile.core.errors import PictureError
from nimble_tile.core.picture.gestures import moved, scaled
from nimble_tile.core.picture.opening import open_picture, read_file
from nimble_tile.core.picture.placing import box_at, centred_square, region_on
from nimble_tile.core.piece import Region


def by_opencv(suffix, image):
    """Bytes of a picture file from another encoder; channels in its order, BGR."""
    import cv2

    return cv2.imencode(suffix, image)[1].tobytes()


CAT = Image.fromarray(photograph("chelsea")).resize((90, 60))


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP", "TIFF"])
def test_each_format_opens(kind):
    opened = open_picture(
        encoded(CAT, kind, **({} if kind in ("PNG", "TIFF") else {"quality": 95}))
    )
    assert opened.size == (90, 60)
    assert opened.alpha is None
    assert np.abs(opened.rgb.astype(int) - np.asarray(CAT)).mean() < 4


@pytest.mark.parametrize("mode", ["L", "P", "1", "CMYK", "RGBA", "LA"])
def test_each_colour_mode_becomes_rgb(mode):
    image = CAT.convert(mode)
    opened = open_picture(encoded(image, "TIFF" if mode == "CMYK" else "PNG"))
    expected = np.asarray(image.convert("RGB")).astype(int)
    assert opened.rgb.std() > 20 and np.array_equal(opened.rgb, expected)


def test_sixteen_bits_scale_to_eight():
    """65535 is white and 32896 mid grey: exactly v * 255 / 65535."""
    ramp = np.linspace(0, 65535, 64).astype(np.uint16)[None, :].repeat(32, 0)
    opened = open_picture(encoded(Image.fromarray(ramp)))
    assert np.array_equal(opened.rgb[0, :, 1], np.rint(ramp[0] / 257).astype(np.uint8))
    assert "16-bit" in opened.notes[0]


@pytest.mark.parametrize("suffix", [".png", ".tiff"])
def test_sixteen_bit_colour_from_another_encoder(suffix):
    colour = np.asarray(CAT)[..., ::-1].astype(np.uint16) * 257
    opened = open_picture(by_opencv(suffix, colour))
    assert np.array_equal(opened.rgb, np.asarray(CAT))
    alpha = np.full(colour.shape[:2], 40_092, np.uint16)
    seen = open_picture(by_opencv(suffix, np.dstack([colour, alpha])))
    assert np.array_equal(seen.rgb, np.asarray(CAT))
    assert np.all(seen.alpha == 156)


@pytest.mark.parametrize("orientation", range(1, 9))
def test_exif_orientation_is_applied(orientation):
    """The eight orientations of the EXIF standard, against Pillow's own transposing."""
    exif = Image.Exif()
    exif[0x0112] = orientation
    data = encoded(CAT, "JPEG", quality=95, exif=exif)
    from PIL import ImageOps

    expected = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(data))).convert("RGB"))
    assert np.array_equal(open_picture(data).rgb, expected)


def display_p3():
    """An ICC profile of Display P3: matrix and curve, written out by hand (ICC.1:2010)."""

    def fixed(*values):
        return b"".join(struct.pack(">i", round(v * 65536)) for v in values)

    def xyz(*values):
        return b"XYZ \0\0\0\0" + fixed(*values)

    at = np.linspace(0, 1, 1024)
    curve = np.where(at <= 0.04045, at / 12.92, ((at + 0.055) / 1.055) ** 2.4)
    trc = b"curv\0\0\0\0" + struct.pack(">I", 1024) + np.rint(curve * 65535).astype(">u2").tobytes()
    desc = b"desc\0\0\0\0" + struct.pack(">I", 8) + b"Wide P3\0" + b"\0" * 78
    tags = {
        b"desc": desc,
        b"cprt": b"text\0\0\0\0none\0",
        b"wtpt": xyz(0.9642, 1.0, 0.8249),
        # Primaries adapted to D50, as in the published Display P3 profile (memory).
        b"rXYZ": xyz(0.51512, 0.24120, -0.00105),
        b"gXYZ": xyz(0.29198, 0.69225, 0.04189),
        b"bXYZ": xyz(0.15710, 0.06657, 0.78407),
        b"rTRC": trc,
        b"gTRC": trc,
        b"bTRC": trc,
    }
    table, body, offset = struct.pack(">I", len(tags)), b"", 128 + 4 + 12 * len(tags)
    for name, value in tags.items():
        value += b"\0" * (-len(value) % 4)
        table += name + struct.pack(">II", offset + len(body), len(value))
        body += value
    size = 128 + len(table) + len(body)
    head = struct.pack(">I4sI4s4s4s12s4s", size, b"\0" * 4, 0x02400000, b"mntr", b"RGB ", b"XYZ ",
                       b"\0" * 12, b"acsp").ljust(68, b"\0")  # fmt: skip
    head += fixed(0.9642, 1.0, 0.8249)
    return head.ljust(128, b"\0") + table + body


def test_embedded_profile_is_converted_to_srgb():
    """CSS Color 4: sRGB red is color(display-p3 0.91749 0.20029 0.13856); greys stay greys."""
    image = np.zeros((32, 32, 3), np.uint8)
    image[:16], image[16:] = (234, 51, 35), (173, 173, 173)
    for alpha in (False, True):
        made = Image.fromarray(image)
        if alpha:
            made.putalpha(Image.new("L", made.size, 200))
        opened = open_picture(encoded(made, icc_profile=display_p3()))
        assert np.abs(opened.rgb[0, 0].astype(int) - (255, 0, 0)).max() <= 3
        assert np.abs(opened.rgb[31, 0].astype(int) - 173).max() <= 1
        assert "converted from Wide P3" in opened.notes[0]
        assert (opened.alpha is not None) == alpha
    srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    same = open_picture(encoded(CAT, icc_profile=srgb))
    assert np.abs(same.rgb.astype(int) - np.asarray(CAT)).max() <= 1
    assert same.notes == ()


def test_lab_pictures_come_back_as_they_were():
    srgb, lab = ImageCms.createProfile("sRGB"), ImageCms.createProfile("LAB")
    picture = ImageCms.profileToProfile(CAT, srgb, lab, outputMode="LAB")
    opened = open_picture(encoded(picture, "TIFF"))
    assert np.abs(opened.rgb.astype(int) - np.asarray(CAT)).mean() < 3


def test_broken_profile_and_exif_are_left_aside_with_a_note():
    broken = open_picture(encoded(CAT, icc_profile=b"not a profile at all"))
    assert np.array_equal(broken.rgb, np.asarray(CAT))
    assert "profile does not fit" in broken.notes[0]
    cmyk = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    mismatched = open_picture(encoded(CAT.convert("L"), icc_profile=cmyk))
    assert mismatched.size == (90, 60)
    data = encoded(CAT, "JPEG", exif=b"Exif\0\0MM\0*\xff\xff\xff\xff garbage")
    assert open_picture(data).size == (90, 60)


def test_transparency_lies_over_the_ground():
    """Source over an opaque ground (W3C Compositing): co = cs a + cb (1 - a)."""
    image = np.zeros((32, 32, 4), np.uint8)
    image[..., 0], image[:16, :, 3], image[16:, :, 3] = 255, 128, 0
    opened = open_picture(encoded(image))
    on_green = opened.over("#00ff00")
    assert tuple(on_green[0, 0]) == (128, 127, 0)
    assert tuple(on_green[31, 0]) == (0, 255, 0)
    palette = CAT.convert("P")
    palette.info["transparency"] = 0
    assert open_picture(encoded(palette, transparency=0)).alpha is not None


def png(width, height, *chunks):
    """A PNG header that claims a size, and whatever chunks follow."""

    def chunk(kind, body):
        return (
            struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
        )

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return (
        b"\x89PNG\r\n\x1a\n" + head + b"".join(chunk(k, b) for k, b in chunks) + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "is empty"),
        (b"%PDF-1.7 not a picture", "not a picture that can be opened"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "vector drawing.*PNG"),
        (b"\x89PNG\r\n\x1a\n", "damaged"),
        (encoded(CAT)[:-200], "damaged or cut off"),
        (encoded(CAT, "JPEG")[:400], "damaged"),
        (encoded(CAT, "WEBP")[:300], "damaged"),
        (encoded(CAT, "TIFF")[:2000], "damaged"),
        (png(20_000, 20_000, (b"IDAT", zlib.compress(b"\0" * 1000))), "more than 100 megapixels"),
        (png(2_000_000_000, 2, (b"IDAT", b"")), "more than 100 megapixels"),
        (png(300, 300, (b"IDAT", zlib.compress(b"\0" * 500))), "damaged or cut off"),
        (png(0, 5, (b"IDAT", b"")), "damaged|only"),
        (png(60, 60, (b"zTXt", b"a\0\0" + zlib.compress(b"x" * 90_000_000)),
             (b"IDAT", zlib.compress(b"\0" * (60 * 181)))), "damaged"),
        (encoded(CAT.resize((8, 8))), "only 8 × 8"),
        (encoded(Image.fromarray(np.ones((32, 32), np.float32)), "TIFF"), "floating-point"),
        (by_opencv(".tiff", np.ones((32, 32, 3), np.float32)), "floating point.*8 or 16 bits"),
        (encoded(Image.fromarray(np.full((32, 32), 1 << 20, np.int32)), "TIFF"), "32-bit"),
    ],
)  # fmt: skip
def test_each_kind_of_damage_gets_a_sentence(data, says):
    with pytest.raises(PictureError, match=says) as caught:
        open_picture(data, "heron.png")
    assert str(caught.value).endswith(".")


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(["PNG", "JPEG", "WEBP", "TIFF"]), st.data())
def test_flipped_bytes_never_crash(kind, draw):
    data = bytearray(encoded(CAT, kind))
    for _ in range(draw.draw(st.integers(1, 8))):
        data[draw.draw(st.integers(0, len(data) - 1))] = draw.draw(st.integers(0, 255))
    try:
        opened = open_picture(bytes(data))
    except PictureError:
        return
    assert opened.rgb.dtype == np.uint8
    assert opened.rgb.ndim == 3


def test_files_that_cannot_be_read(tmp_path):
    with pytest.raises(PictureError, match="does not exist"):
        read_file(tmp_path / "none.png")
    with pytest.raises(PictureError, match="folder"):
        read_file(tmp_path)


def test_placing_is_whole_pixels_inside_the_image():
    assert centred_square((300, 200)) == Region(x=50, y=0, width=200, height=200)
    box = box_at((300, 200), Region(x=33.4, y=7.7, width=150.2, height=150.2), (450, 300))
    assert (box.x, box.y, box.width, box.height) == (50, 12, 225, 225)
    with pytest.raises(PictureError, match="reaches beyond"):
        region_on((300, 200), Region(x=200, y=0, width=150, height=150))


@given(
    st.sampled_from(["code", "top left", "top right", "bottom left", "bottom right"]),
    st.floats(-900, 900), st.floats(-900, 900),
    st.integers(0, 200), st.integers(0, 100), st.integers(60, 200),
)  # fmt: skip
def test_dragging_keeps_the_code_square_and_on_the_picture(part, dx, dy, x, y, side):
    start = Region(x=x, y=y, width=side, height=side)
    if part == "code":
        placed, _ = moved(start, (dx, dy), (420, 310))
    else:
        placed = scaled(start, part, (dx, dy), (420, 310))
    assert region_on((420, 310), placed) == placed
    assert placed.width == pytest.approx(placed.height)
    if part == "bottom right":
        assert (placed.x, placed.y) == pytest.approx((start.x, start.y))
