"""The main job on sample photographs: blended, and read by every reader.

The photographs are scikit-image's bundled open data; the readers are four
decoders that did not come from us.
"""

import itertools
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import LINK, encoded, photograph
from nimble_tile.core.output import export as output
from nimble_tile.core.picture.placing import natural_size
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Blend, Code, Finish, Message, Picture, Piece, Region
from nimble_tile.core.project.recovery import Recovery
from nimble_tile.core.render import Renderer, render
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.readers import READER_NAMES, READERS
from nimble_tile.core.scan.reasons import explain
from nimble_tile.core.scan.verdict import Mark, Verdict

PHOTOGRAPHS = ("astronaut", "chelsea", "coffee", "rocket")


@pytest.mark.parametrize("version", ["auto", "6", "10"])
@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_defaults_scan_on_photographs(bay, store, photo_piece, name, version):
    """The defaults give a piece that scans: all four readers, spare to go on."""
    piece = photo_piece(name, version=version)
    assert piece.blend == Blend()
    verdict = judge_rendering(Renderer(store).render(piece), bay)
    assert verdict.state == "well", [reason.text for reason in verdict.reasons]
    assert verdict.readers_right == (4, 4)
    assert verdict.fidelity.ssim_view > 0.13  # the black and white code: about 0.1


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_more_strength_never_makes_the_modules_worse(store, photo_piece, name):
    """Wrong modules fall with the strength, and fidelity with them."""
    from nimble_tile.core.scan.fidelity import measure
    from nimble_tile.core.scan.readers import to_grey
    from nimble_tile.core.scan.sampling import sample

    renderer, piece = Renderer(store), photo_piece(name)
    for method in ("tone", "overlay"):
        wrong, fidelity = [], []
        for strength in (0.0, 0.25, 0.5, 0.75, 1.0):
            made = renderer.render(piece.edited("blend", method=method, strength=strength), 800)
            looked = sample(to_grey(made.image), made.box, made.symbol, made.quiet_zone)
            square = made.box.slices
            wrong.append(int(looked.wrong.sum()))
            fidelity.append(measure(made.picture[square], made.image[square], made.modules))
        assert wrong[0] > 250
        assert wrong[-1] == 0
        assert all(b <= a + 2 for a, b in itertools.pairwise(wrong)), wrong
        views = [round(f.ssim_view, 3) for f in fidelity]
        assert views == sorted(views, reverse=True)
        assert views[0] == 1


def test_tone_keeps_more_of_the_picture_than_overlay_that_reads_alike(store, photo_piece):
    """At settings where all four readers read, tone leaves more of the picture."""
    renderer, gains = Renderer(store), []
    for name in PHOTOGRAPHS:
        best = {}
        for method in ("tone", "overlay"):
            for strength in np.arange(0.3, 1.01, 0.1):
                piece = photo_piece(name).edited("blend", method=method, strength=float(strength))
                made = renderer.render(piece, 800)
                texts = [
                    [found.text for found in READERS[reader]().read(made.image)]
                    for reader in READER_NAMES
                ]
                if all(LINK in found for found in texts):
                    from nimble_tile.core.scan.judging import fidelity_of

                    best[method] = fidelity_of(made).delta_e_mean
                    break
        gains.append(best["overlay"] / best["tone"])
    assert np.mean(gains) > 1.1, gains


@settings(max_examples=40, deadline=None)
@given(
    st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=90),
    st.sampled_from("LMQH"), st.sampled_from(["auto", 0, 3, 7]), st.integers(4, 8),
)  # fmt: skip
def test_any_plain_code_is_read_by_most_readers(text, level, mask, quiet):
    """Readers differ in the character sets that they guess; three of four must agree."""
    piece = Piece(
        message=Message(kind="text", text=text),
        code=Code(level=level, mask=mask, quiet_zone=quiet),
    )
    image = render(piece, 420).image
    read = [
        name for name in READER_NAMES if any(f.text == text for f in READERS[name]().read(image))
    ]
    assert "zxing-cpp" in read
    assert len(read) >= 3, read


@pytest.mark.parametrize("quality", [92, 60, 35])
def test_jpeg_exports_still_read(tmp_path, bay, store, photo_piece, quality):
    piece = photo_piece("astronaut").edited("finish", format="jpeg", quality=quality)
    rendering = Renderer(store).render(piece, 700)
    proof = output.export(rendering, tmp_path / "a.jpg", piece.finish, bay)
    assert proof.verdict.readers_right == (4, 4)
    assert proof.verdict.spare > 0.8


def test_transparent_pictures_take_their_ground_into_the_blend(bay, store):
    image = np.zeros((500, 500, 4), np.uint8)
    image[100:400, 100:400] = (40, 90, 200, 255)
    digest = store.add(encoded(image))
    for ground in ("#f4e9d0", "#203040"):
        piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest, ground=ground))
        made = Renderer(store).render(piece, 600)
        corner = tuple(int(v) for v in made.picture[2, 2])
        assert corner == tuple(int(ground[i : i + 2], 16) for i in (1, 3, 5))
        assert judge_rendering(made, bay).readers_right[0] >= 3


pieces = st.builds(
    Piece,
    message=st.builds(
        Message,
        kind=st.sampled_from(["link", "text"]),
        text=st.text(st.characters(exclude_categories=["Cs"]), max_size=50),
    ),
    code=st.builds(
        Code,
        level=st.sampled_from("LMQH"),
        version=st.sampled_from(["auto", "1", "40", "M3"]),
        mask=st.one_of(st.just("auto"), st.integers(0, 7)),
        quiet_zone=st.integers(0, 10),
    ),
    picture=st.builds(
        Picture,
        ground=st.from_regex(r"#[0-9a-f]{6}", fullmatch=True),
        region=st.none() | st.builds(
            Region,
            x=st.floats(0, 1e4), y=st.floats(0, 1e4),
            width=st.floats(1, 1e4), height=st.floats(1, 1e4),
        ),
    ),
    blend=st.builds(Blend, strength=st.floats(0, 1)),
    finish=st.builds(Finish, size=st.none() | st.integers(64, 16_384)),
)  # fmt: skip


@given(pieces)
def test_every_piece_survives_its_stored_form(piece):
    stored = piece.model_dump_json(by_alias=True)
    assert Piece.model_validate_json(stored) == piece
    assert hash(Piece.model_validate_json(stored)) == hash(piece)


def test_natural_size_grants_each_module_its_pixels():
    assert natural_size((3000, 2000), None, 37) == 3000
    small = Region(x=0, y=0, width=100, height=100)
    assert natural_size((3000, 2000), small, 40) == 9600  # 100 px must become 320
    assert natural_size(None, None, 33) % 33 == 0


def test_preview_grants_pixels_to_a_small_code_on_a_large_picture():
    from nimble_tile.core.judged import LARGEST_JUDGED, judged_size

    store = PictureStore()
    digest = store.add(encoded(np.full((2400, 2400, 3), 200, np.uint8)))
    tiny = Region(x=10, y=10, width=260, height=260)
    piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest, region=tiny))
    renderer = Renderer(store)
    size, natural = judged_size(piece, renderer), renderer.natural_size(piece)
    assert 1024 < size <= LARGEST_JUDGED
    assert renderer.render(piece, size).box.width / 37 >= 5
    assert natural == 2732  # 37 modules of 8 pixels on 260 of 2400
    assert judged_size(piece.edited("finish", size=300), renderer) == 300


def told(state, marks, looked):
    return Verdict(state, LINK, True, (), marks, sample=looked)


def marks(*unread):
    return tuple(
        Mark(name, name not in unread, None if name in unread else LINK) for name in READER_NAMES
    )


def test_reasons_name_the_pattern_that_is_broken(store):
    """Spoil one pattern of a clean symbol at a time; the reasons name that one."""
    from nimble_tile.core.scan.readers import to_grey
    from nimble_tile.core.scan.sampling import sample
    from nimble_tile.core.symbol.anatomy import Part

    made = render(Piece(message=Message(text=LINK), code=Code(version="7")))
    px = made.size[0] // made.modules
    for part, says in (
        (Part.FINDER, "of the finder patterns"),
        (Part.SEPARATOR, "light borders"),
        (Part.ALIGNMENT, "alignment patterns"),
        (Part.TIMING, "timing patterns"),
        (Part.FORMAT, "format information"),
    ):
        image = to_grey(made.image).copy()
        for row, column in np.argwhere(made.symbol.anatomy.parts == part)[::3]:
            y, x = (row + 4) * px, (column + 4) * px
            image[y : y + px, x : x + px] ^= 255
        looked = sample(image, made.box, made.symbol, 4)
        reasons = explain(told("fails", marks(), looked), made.symbol)
        assert [says in reason.text for reason in reasons].count(True) == 1, says
        assert all(reason.text.endswith(".") for reason in reasons)
    dark = to_grey(made.image).copy()
    dark[: 3 * px] = 20
    looked = sample(dark, made.box, made.symbol, 4)
    reasons = explain(told("thin", marks("quirc"), looked), made.symbol)
    assert any("quiet zone is too dark" in reason.text for reason in reasons)
    assert any("Not read by quirc" in reason.text for reason in reasons)


KEEPER = """
import sys
from pathlib import Path
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.project.recovery import Recovery

kept = Recovery(Path(sys.argv[1]))
kept.keep(Piece(message=Message(text="reed")), PictureStore(), Path(sys.argv[2]))
print("kept", flush=True)
input()
"""


def test_leftovers_are_those_of_processes_that_are_gone(tmp_path):
    folder, original = tmp_path / "kept", tmp_path / "walk.nimbletile"
    call = [sys.executable, "-c", KEEPER, folder, original]
    programs = [
        subprocess.Popen(call, stdin=subprocess.PIPE, stdout=subprocess.PIPE) for _ in range(2)
    ]
    for program in programs:
        assert program.stdout.readline() == b"kept\n"
    assert Recovery(folder).leftovers() == []
    programs[0].kill()
    programs[0].wait()
    (folder / "letters.nimbletile").write_bytes(b"")
    (folder / "letters.json").write_text("{ broken")
    found = Recovery(folder).leftovers()
    assert {left.original for left in found} == {original, None} and len(found) == 2
    Recovery.discard(found[0])
    del found
    assert len(Recovery(folder).leftovers()) == 1
    programs[1].communicate(b"\n")
    assert len(Recovery(folder).leftovers()) == 2
    assert Recovery(tmp_path / "never").leftovers() == []


def test_core_and_command_line_need_no_qt():
    """As a process: a code is made and read without any part of Qt being loaded."""
    script = (
        "import sys\n"
        "from nimble_tile.core.piece import Message, Piece\n"
        "from nimble_tile.core.render import render\n"
        "from nimble_tile.core.scan.readers import READERS\n"
        "image = render(Piece(message=Message(text='A'))).image\n"
        "import nimble_tile.cli, nimble_tile.demo\n"
        "print(READERS['quirc']().read(image)[0].text,\n"
        "      [m for m in sys.modules if m.startswith(('PySide6', 'shiboken'))])\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    )
    assert done.stdout == "A []\n"


def test_photograph_fixture_is_what_it_says():
    assert photograph("coffee").shape == (400, 600, 3)
