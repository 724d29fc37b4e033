"""Candidates: recipes, the board's file, painting in a process, trying, mending, the guide."""

import os
import signal
import subprocess
import sys
import threading
import time

import cv2
import numpy as np
import pytest

from conftest import LINK, encoded, photograph
from nimble_tile import standins
from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.core.output.guide import GuideWish, advice, guide_picture, module_pixels
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune import recover
from nimble_tile.core.tune.finished import finished_piece, place_of, same_symbol
from nimble_tile.core.tune.mend import find
from nimble_tile.core.tune.proving import prove
from nimble_tile.standins.easel import Easel
from nimble_tile.standins.painting import Painter, Request
from nimble_tile.studio.board import BoardFile, open_board
from nimble_tile.studio.making import Studio, guide_symbol, unguided_key
from nimble_tile.studio.recipes import Guiding, Recipe, more_weight, other_seeds, variations
from outside_reader import zbar_reads

FEW = tuple(t for t in shipped() if t.name in ("In the hand", "From the side"))
QUICK = Recipe("harbour at sunset, oil", size=480, steps=14)


def pixels(data):
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]


def from_afar(image):
    """As phones see a code: with few pixels a module."""
    return cv2.resize(np.ascontiguousarray(image), (300, 300), interpolation=cv2.INTER_AREA)


# Recipes and the board --------------------------------------------------------------------


def test_recipes_vary_over_all_that_is_asked_for():
    made = variations(QUICK, (1, 2), (0.4, 0.6), (0.8, 1.0), (("hills", ""), ("coast", "boat")))
    assert len(made) == len(set(made)) == 16
    assert {r.guides[0].last for r in made} == {0.8, 1.0} and made[-1].avoid == "boat"
    assert all(Recipe.from_json(r.as_json()) == r for r in made)
    assert [r.seed for r in other_seeds(QUICK, 3, taken=[2, 4])] == [3, 5, 6]
    assert more_weight(QUICK).guides[0].weight == pytest.approx(0.7)
    assert more_weight(Recipe(guides=(Guiding(1.45),))).guides[0].weight == 1.5
    two = Recipe(guides=(Guiding(0.5, 0.3), Guiding(0.3, 0.3, 0.7)))
    assert two.unguided.guides == () and "two guides" in two.name
    for wrong in ([], range(200)):
        with pytest.raises(UserError):
            variations(QUICK, wrong, (0.5,), (1.0,))
    with pytest.raises(UserError, match="begin before"):
        variations(two, (1,), (0.5,), (0.2,))


def test_a_board_is_open_once_and_outlives_a_crash(tmp_path):
    folder = tmp_path / "boards"
    first = open_board(folder)
    assert len(first.ask(LINK, [QUICK, more_weight(QUICK)])) == 2
    assert first.ask(LINK, [QUICK]) == []  # it is there already
    second = open_board(folder)  # the first one is taken
    assert second.path != first.path and second.candidates() == []
    with pytest.raises(UserError, match="Another window"):
        BoardFile(first.path)
    second.close()
    first.star(1, 4)
    first.close()
    # Killed in the middle of its work: what was written is there, and the board is free again.
    code = (
        "import sys, time; from pathlib import Path\n"
        "from nimble_tile.studio.board import open_board\n"
        "board = open_board(Path(sys.argv[1])); board.bring('a message', 'x.png', b'PNG')\n"
        "print('there', flush=True); time.sleep(60)"
    )
    with subprocess.Popen(
        [sys.executable, "-c", code, str(folder)], stdout=subprocess.PIPE, text=True
    ) as other:
        assert other.stdout.readline() == "there\n"
        os.kill(other.pid, signal.SIGKILL)
    again = open_board(folder)
    found = again.candidates()
    assert again.path == first.path and [c.stars for c in found] == [4, 0, 0]
    assert [c.recipe for c in found] == [QUICK, more_weight(QUICK), None]
    assert all(c.state == "waiting" for c in found)
    again.remove([1, 2])
    assert [c.id for c in again.candidates()] == [3]
    again.clear()
    assert again.candidates() == []
    again.close()


def test_what_is_no_board_is_refused_in_a_sentence(tmp_path):
    wrong = tmp_path / "board-1.sqlite3"
    wrong.write_bytes(b"no database at all, but long enough to be one" * 40)
    with pytest.raises(UserError, match="no candidate board"):
        BoardFile(wrong)
    (tmp_path / "file").write_text("")
    with pytest.raises(UserError, match="cannot be kept"):
        BoardFile(tmp_path / "file" / "board.sqlite3")
    board = BoardFile(tmp_path / "other.sqlite3")
    board.ask(LINK, [QUICK])
    board._file.execute("UPDATE candidates SET recipe = '{\"words\": 3}'")
    assert board.candidates()[0].state == "failed"  # shown, and not painted
    board.close()


# Painters in a process ----------------------------------------------------------------------


def test_a_painter_works_apart_and_is_stopped_at_once():
    easel = Easel()
    states = list(easel.paint(Request("lake", width=256, height=256, steps=4), shown=64))
    assert [s.step for s in states] == [1, 2, 3, 4]
    assert [s.image.shape[0] for s in states] == [64, 64, 64, 256]
    stopped = []

    def stop():
        time.sleep(0.4)
        begun = time.monotonic()
        easel.stop()
        stopped.append(time.monotonic() - begun)

    other = threading.Thread(target=stop)
    other.start()
    with pytest.raises(Stopped):
        list(easel.paint(Request("forest", width=2048, height=2048)))
    other.join()
    assert len(stopped) == 1
    again = list(easel.paint(Request("lake", width=256, height=256, steps=4)))
    assert len(again) == 1 and np.array_equal(again[0].image, states[-1].image)
    with pytest.raises(UserError, match="no painter"):
        list(Easel("gone").paint(Request("lake")))
    easel.close()


def test_another_package_brings_its_own_painter(tmp_path, monkeypatch):
    (tmp_path / "washes.py").write_text(
        "import numpy as np\n"
        "from nimble_tile.standins.painting import State\n"
        "class Washes:\n"
        "    name = 'Plain washes'\n"
        "    def unknown(self, words):\n"
        "        return [w for w in words.split() if w != 'wash']\n"
        "    def paint(self, request, stop=lambda: False):\n"
        "        image = np.full((request.height, request.width, 3), request.seed, np.uint8)\n"
        "        if request.words == 'crash': import os; os._exit(1)\n"
        "        if request.words == 'wrong': raise RuntimeError('no paint')\n"
        "        yield State(image, 1, 1)\n"
    )
    info = tmp_path / "washes-1.dist-info"
    info.mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: washes\nVersion: 1\n")
    (info / "entry_points.txt").write_text("[nimble_tile.painters]\nwashes = washes:Washes\n")
    monkeypatch.syspath_prepend(tmp_path)
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    found = standins.services(standins.PAINTERS)
    assert set(found) == {"local", "washes"}
    assert all(isinstance(each, Painter) for each in found.values())
    easel = Easel("washes")
    (state,) = easel.paint(Request("wash", seed=7, width=128, height=128))
    assert (state.image == 7).all()
    for words, told in (("crash", "ended in the middle"), ("wrong", "no paint")):
        with pytest.raises(UserError, match=told):
            list(easel.paint(Request(words)))
    assert len(list(easel.paint(Request("wash", width=128, height=128)))) == 1
    easel.close()


# Trying and mending ----------------------------------------------------------------------------


@pytest.fixture
def studio(tmp_path, bay):
    board, told = BoardFile(tmp_path / "board.sqlite3"), []
    made = Studio(board, bay, READER_NAMES, FEW, told.append)
    made.told = told
    yield made
    made.close()
    board.close()


def test_candidates_are_painted_tried_compared_and_mended(studio, bay):
    board = studio.board
    weights = (0.2, 0.35, 1.5)
    numbers = board.ask(LINK, variations(QUICK, (3,), weights, (1.0,)))
    studio.work()
    faint, near, strong = (board.candidate(n) for n in numbers)
    assert [c.state for c in (faint, near, strong)] == ["known"] * 3
    assert strong.reads and zbar_reads(from_afar(pixels(board.image(strong.id))), LINK)
    assert strong.reach > faint.reach and strong.readers >= 3 > faint.readers
    assert faint.likeness > near.likeness > strong.likeness
    assert faint.agrees < near.agrees <= strong.agrees
    assert {t.what for t in studio.told} == {"painting", "trying", "known"}
    # What is not guided is painted once for all of them.
    plain = board.kept(unguided_key(near.recipe))
    assert pixels(plain).shape == (480, 480, 3) and unguided_key(faint.recipe) == unguided_key(
        strong.recipe
    )
    # The board's answer is the one that the piece itself gets.
    pictures = PictureStore()
    assert pictures.add(board.image(strong.id)) == strong.piece.picture.digest
    renderer = Renderer(pictures)
    assert np.array_equal(renderer.render(strong.piece).image, pixels(board.image(strong.id)))
    again = prove(strong.piece, renderer, studio.room, FEW)
    assert (again.verdict.state, again.reach) == (strong.verdict, strong.reach)
    # A miss is mended; the picture as it was is kept.
    before = board.image(near.id)
    assert studio.mend([near.id], wanted=0.8) == 1
    mended = board.candidate(near.id)
    assert mended.mended and mended.reads and mended.reach >= 0.8 and not mended.near
    assert (
        zbar_reads(from_afar(pixels(board.image(near.id))), LINK)
        and board.image(near.id, True) == before
    )
    assert "modules were changed" in mended.note


def test_what_cannot_be_painted_or_read_is_said_and_the_rest_goes_on(studio, monkeypatch):
    board = studio.board
    board.ask(LINK, [Recipe("lake", size=9000, steps=3), Recipe("lake", size=256, steps=3)])
    board.bring(LINK, "no picture.png", b"\x89PNG cut off")
    board.bring(LINK, "no code.png", encoded(photograph("coffee")))
    studio.work()
    large, small, broken, empty = board.candidates()
    assert (large.state, broken.state) == ("failed", "failed") and "pixels a side" in large.words
    assert small.state == empty.state == "known"
    assert empty.verdict == "fails" and empty.piece is None and "No code" in empty.words
    assert board.thumb(empty.id) and not board.thumb(broken.id)
    assert studio.mend([empty.id]) == 0


def test_stopping_leaves_the_rest_for_the_next_time(studio, bay):
    board = studio.board
    board.ask(LINK, variations(Recipe("lake", size=256, steps=24), (1, 2), (0.6,), (1.0,)))
    studio.tell = lambda told: studio.stop()
    with pytest.raises(Stopped):
        studio.work()
    assert [c.state for c in board.candidates()] == ["waiting"] * 2


def test_pictures_made_elsewhere_are_found_whatever_their_warp(studio):
    """Each is found by the program itself; zbar has no part in it and reads the same ones."""
    board, symbol = studio.board, guide_symbol(LINK)
    photo = cv2.resize(np.ascontiguousarray(photograph("coffee")), (900, 700))
    code = plain_code(symbol, 4, 420)
    rng = np.random.default_rng(5)
    truths = []
    for number in range(3):
        quad = np.array([[200, 120], [620, 110], [640, 540], [190, 530]], np.float32)
        quad += rng.uniform(-25, 25, (4, 2)).astype(np.float32) * (number > 0)
        square = np.array([[0, 0], [420, 0], [420, 420], [0, 420]], np.float32)
        matrix = cv2.getPerspectiveTransform(square, quad)
        laid = cv2.warpPerspective(code, matrix, (900, 700), flags=cv2.INTER_AREA)
        inside = cv2.warpPerspective(np.full((420, 420), 255, np.uint8), matrix, (900, 700)) > 128
        image = photo.copy()
        image[inside] = (0.45 * laid + 0.55 * photo)[inside].astype(np.uint8)
        truths.append(quad)
        board.bring(LINK, f"{number}.jpg", encoded(image, "JPEG", quality=80))
    studio.work()
    for candidate, truth in zip(board.candidates(), truths, strict=True):
        assert candidate.piece is not None, candidate.words
        region = candidate.piece.picture.region
        from nimble_tile.core.picture.placing import corners

        assert np.abs(corners(region) - truth).max() < 4
        assert candidate.piece.code.quiet_zone == 4
        assert same_symbol(candidate.piece, symbol)
        assert candidate.reads == zbar_reads(pixels(board.image(candidate.id)), LINK)


def test_where_no_code_is_the_search_ends_by_the_work_that_it_has_done(bay, monkeypatch):
    """Not by a clock: the same picture is looked through as far on a busy machine. A picture
    without a code takes a twentieth of the comparisons that all places would."""
    looked = []
    monkeypatch.setattr(recover, "module_tones", lambda *a, real=recover.module_tones:
                        looked.append(1) or real(*a))  # fmt: skip
    counts = []
    for _ in range(2):
        looked.clear()
        with pytest.raises(UserError, match="No code"):
            find(photograph("coffee")[:300, :300], LINK, bay)
        counts.append(len(looked))
    assert counts[0] == counts[1] < 3000


def test_a_place_takes_as_much_quiet_zone_as_there_is():
    square = np.array([[30, 30], [230, 30], [230, 230], [30, 230]], float)
    region, quiet = place_of(square, 25, (400, 400))
    assert quiet == 3 and region.upright and region.x == pytest.approx(30 - 3 * 8)
    assert place_of(square - 30, 25, (400, 400))[1] == 0
    turned = square + np.array([[0, 9], [4, 0], [0, 0], [0, 0]])
    assert not place_of(turned, 25, (400, 400))[0].upright


@pytest.mark.parametrize("version", ["auto", "micro", "M1"])
def test_a_finished_picture_keeps_its_symbol(version, store):
    text = "12345" if version == "M1" else "RED 41"
    code = Code(level="L", version=version, raise_level=False)
    symbol = encode(Message(kind="text", text=text), code)
    digest = store.add(encoded(plain_code(symbol, 4, (symbol.side + 8) * 8)))
    base = Piece(message=Message(kind="text", text=text))
    piece = finished_piece(base, digest, "x", (300, 300), symbol, None)
    assert same_symbol(piece, symbol)
    assert piece.blend.strength == 0 and piece.code.mask == symbol.mask


# The guide -------------------------------------------------------------------------------------


def test_a_guide_is_the_code_on_its_ground_and_says_what_is_risky():
    symbol = guide_symbol(LINK)
    wish = GuideWish(1200, 800, share=0.9, ground="#7f7f7f")
    image = guide_picture(symbol, wish)
    assert image.shape == (800, 1200, 3) and (image[5, 5] == 127).all()
    assert zbar_reads(image, LINK)
    module = module_pixels(symbol, wish)
    side = module * (symbol.side + 8)
    top, left = (800 - side) // 2, (1200 - side) // 2
    seen = image[top : top + side, left : left + side, 0][
        module // 2 :: module, module // 2 :: module
    ]
    assert np.array_equal(seen < 128, np.pad(symbol.dark, 4))  # whole pixels, its full quiet zone
    assert advice(symbol, wish) == []
    soft = guide_picture(symbol, GuideWish(softness=0.5))
    assert len(np.unique(soft)) > 60 > len(np.unique(image))
    weak = encode(Message(text=LINK), Code(level="L", raise_level=False))
    risky = GuideWish(
        400, 400, quiet_zone=1, dark="#606060", light="#a0a0a0", softness=0.5, share=0.4
    )
    told = " ".join(advice(weak, risky))
    for word in ("Level L", "quiet zone", "pixels a module", "run together", "near each other"):
        assert word in told
    with pytest.raises(UserError):
        guide_picture(encode(Message(text="x" * 800), Code(level="H")), GuideWish(256, 256))
    for wrong in ({"width": 99}, {"share": 2}, {"quiet_zone": 9}, {"softness": 1}):
        with pytest.raises(UserError):
            GuideWish(**wrong)
