"""Parts of the proof by themselves: documents, settling, limits as shown, the command line."""

import json

import numpy as np
import pytest
import segno
from PySide6.QtGui import QColor, QImage

from conftest import LINK, encoded, photograph
from nimble_tile.cli import main
from nimble_tile.core.errors import ProjectError
from nimble_tile.core.files import read_document
from nimble_tile.core.piece import Code, Message, Picture, Piece, Region
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.readers import Reading
from nimble_tile.core.scan.recognise import recognise
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.symbol.freedom import freedom
from nimble_tile.core.symbol.galois import generator, multiply
from nimble_tile.core.symbol.steering import Steering, Wanted
from nimble_tile.core.trials.limits import LIMITS
from nimble_tile.core.trials.outlook import BAD_REACH, GOOD_REACH, settled_state
from nimble_tile.core.trials.reach import reach
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.trials.subject import plain_code_of
from nimble_tile.core.trials.trial import Trial
from nimble_tile.ui.bench.overlays import blocks_image, blocks_legend
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.images import from_qimage
from nimble_tile.ui.rooms.check.item import CROP, reduced
from nimble_tile.ui.rooms.proof.trial_view import in_words
from nimble_tile.ui.rooms.proof.wall_pages import LimitRow


def test_the_field_is_the_standards():
    # ISO/IEC 18004, annex on generator polynomials: degree 7 has the exponents
    # 0, 87, 229, 146, 149, 238, 102, 21 (memory; the product of its roots agrees).
    two = [1]
    for _ in range(254):
        two.append(int(multiply(two[-1], 2)))
    assert len(set(two)) == 255 and multiply(two[-1], 2) == 1
    log = {value: exponent for exponent, value in enumerate(two)}
    assert [log[int(c)] for c in generator(7)] == [0, 87, 229, 146, 149, 238, 102, 21]
    for root in range(7):
        value = 0
        for coefficient in generator(7):
            value = int(multiply(value, two[root])) ^ int(coefficient)
        assert value == 0
    assert multiply(np.array([0, 5]), np.array([7, 0])).tolist() == [0, 0]


def test_documents_of_ours_are_told_from_others(tmp_path):
    path = tmp_path / "d.json"

    def read():
        return read_document(path, "a form", 2, 100, "a thing")

    path.write_text('{"format": "a form", "schema": 2, "more": 1}')
    assert read()["more"] == 1
    for text, why in (
        ("[]", "not a thing"), ("\xff", "damaged"), ('{"format": "a form"}', "newer"),
        ('{"format": "a form", "schema": 3}', "newer"), ("[" * 90, "damaged"),
        (" " * 101, "larger than"),
    ):  # fmt: skip
        path.write_text(text, "latin-1")
        with pytest.raises(ProjectError, match=why):
            read()


@pytest.mark.parametrize(
    ("sound", "few", "found", "state"),
    [(True, False, GOOD_REACH, "well"), (True, False, GOOD_REACH - 0.01, "thin"),
     (False, False, 1.0, "thin"), (False, True, BAD_REACH - 0.01, "fails"),
     (False, False, BAD_REACH - 0.01, "thin"), (False, True, BAD_REACH, "thin"),
     (True, False, 0.0, "thin")],
)  # fmt: skip
def test_what_a_reach_settles(sound, few, found, state):
    assert settled_state(sound, few, found) == state


def test_micro_codes_are_tried_by_the_reader_that_knows_them(bay):
    symbol = encode(Message(kind="text", text="REED 7"), Code(version="M3", level="L"))
    results = list(Room(bay).run(plain_code_of(symbol, "REED 7"), shipped()[:4]))
    assert all(set(r.passed.read) == {"zxing-cpp"} for r in results)
    assert reach(results) == 1.0


def test_limits_are_written_as_people_write_them(qapp):
    row = LimitRow("Largest distance", "mm", True)
    assert row.figure(849.4, False) == "849 mm" and row.figure(1019, False) == "1.02 m"
    assert row.figure(None, False) == "not read" and row.figure(6000, True) == "6.00 m or more"
    assert LimitRow("Lowest", "", False).figure(1.0, True) == "1 or less"
    for limit in LIMITS:
        assert limit.at(0) == pytest.approx(limit.easy) and limit.at(1) == pytest.approx(
            limit.cruel
        )
        made = limit.trial(Trial(), limit.at(0.5))
        part, name = limit.place
        assert getattr(getattr(made, part), name) == pytest.approx(limit.at(0.5), abs=0.5)


def test_a_trial_in_words():
    told = in_words(Trial().changed("view", sideways=3, lengthways=4, distance=400))
    assert told == "40 mm on paper, from 400 mm, tilted 5°"
    assert "JPEG 22, 3 times" in in_words(shipped()[10])
    assert in_words(Trial().changed("shown", size=None)).startswith("own size")


def test_copies_of_images_and_their_scale():
    image = np.zeros((700, 2800, 3), np.uint8)
    small, scale = reduced(image)
    assert small.shape == (350, 1400, 3) and scale == 0.5 and CROP < 1400
    clear = QImage(3, 2, QImage.Format.Format_ARGB32)
    clear.fill(QColor(0, 0, 0, 0))
    clear.setPixelColor(1, 0, QColor("#804020"))
    pixels = from_qimage(clear)
    assert pixels.shape == (2, 3, 3)
    assert pixels[0, 1].tolist() == [128, 64, 32] and pixels[1, 2].tolist() == [255, 255, 255]


def test_every_codeword_is_outlined_and_a_spoiled_one_crossed(qapp):
    symbol = encode(Message(text=LINK), Code(version="20", level="L", raise_level=False))
    image = blocks_image(symbol, None)
    assert image.width() == 8 * symbol.side
    plan = symbol.anatomy
    for row, column in np.argwhere(plan.codeword >= 0)[::97]:
        alpha = image.pixelColor(int(column) * 8 + 1, int(row) * 8 + 1).alpha()
        assert alpha == pytest.approx(105, abs=2)
    legend = blocks_legend(symbol, None, themes.LIGHT)
    assert len(legend) == min(6, len(plan.blocks)) + (len(plan.blocks) > 6)


def test_a_symbol_whose_padding_is_anything_is_recognised():
    symbol = encode(Message(text=LINK), Code(version="8", level="L", raise_level=False))
    rng = np.random.default_rng(5)
    wanted = Wanted(rng.random(symbol.dark.shape) < 0.5, rng.random(symbol.dark.shape))
    made = Steering(symbol, freedom(symbol), wanted.weight).best(wanted).symbol
    grey = plain_code(made, 4, 8 * (made.side + 8))[..., 0].copy()
    low, high = 32, 8 * (made.side + 4)
    corners = ((low + 1, low), (high, low - 1), (high - 1, high), (low, high + 1))
    reading = Reading(LINK, corners, "8", "L", made.mask)
    found = recognise(grey, reading)
    assert np.array_equal(found.symbol.dark, made.dark) and found.sample.spare == 1.0
    assert np.abs(found.quad - [[low, low], [high, low], [high, high], [low, high]]).max() < 0.3


def test_an_edit_of_the_blend_steers_nothing_anew(store, monkeypatch):
    digest = store.add(encoded(photograph("coffee")), "coffee")
    piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest),
                  code=Code(version="6", level="L", steer="padding"))  # fmt: skip
    solved = []
    kept = Steering.best
    monkeypatch.setattr(Steering, "best", lambda *a, **k: solved.append(1) or kept(*a, **k))
    renderer = Renderer(store)
    for strength in (0.4, 0.5, 0.6):
        for size in (300, 500):
            renderer.render(piece.edited("blend", strength=strength), size)
    assert len(solved) == 1
    renderer.render(piece.edited("picture", region=Region(x=9, y=9, width=300, height=300)), 300)
    assert len(solved) == 2


def test_check_says_grade_and_reach_in_words_and_takes_drawings(tmp_path, capsys):
    drawing = tmp_path / "c.svg"
    segno.make(LINK).save(str(drawing), scale=4, border=4)
    with pytest.raises(SystemExit) as left:
        main(["check", str(drawing), "--trials"])
    said = capsys.readouterr().out
    assert left.value.code == 0
    assert "Print grade: A" in said and "of what the usual code passes" in said
    assert said.count("\n  ") == len(shipped())
    report = tmp_path / "r.json"
    with pytest.raises(SystemExit):
        main(["check", str(drawing), "--report", str(report), "--json"])
    told = json.loads(capsys.readouterr().out)
    assert told["grade"]["overall"] == "A" and told["trials"] == [] and told["reach"] is None
    assert json.loads(report.read_text("utf-8"))["images"][0]["codes"][0]["text"] == LINK
