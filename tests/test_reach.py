"""One reach: the same wherever it is told, held elsewhere too, and believed by outsiders."""

import json

import numpy as np
import pytest
from PySide6.QtWidgets import QFileDialog

from conftest import LINK, encoded, photograph
from nimble_tile.core.checking.check import check
from nimble_tile.core.checking.report import Entry, as_json
from nimble_tile.core.judged import fair_size, judged_size
from nimble_tile.core.output.export import write
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.piece import Blend, Code, Finish, Message, Picture, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import Outcome
from nimble_tile.core.scan.judging import missing_away
from nimble_tile.core.scan.readers import READER_NAMES, Reading
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials import sets
from nimble_tile.core.trials.foreseen import Foreseen, foresee, lux_of, trial_of
from nimble_tile.core.trials.fresh import fresh
from nimble_tile.core.trials.reach import percent, reach
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.subject import plain_code_of, subject_of, usual_code
from nimble_tile.core.tune import gentlest, kinds
from nimble_tile.core.tune.confirm import Draws
from nimble_tile.core.tune.measure import Measure
from nimble_tile.core.tune.sweep import board, setting, sweep
from outside_reader import zbar_reads

SOME = tuple(
    trial for trial in sets.shipped()
    if trial.name in ("In the hand", "From the side", "Cheap print", "Small print", "Looked up at",
                      "Half in shadow", "Sent by messenger", "Hand not quite still")
)  # fmt: skip


@pytest.fixture
def photo(store):
    """A piece whose code fills a photograph, blended so that some readings fail."""
    digest = store.add(encoded(photograph("coffee")), "coffee")
    return Piece(
        message=Message(text=LINK), code=Code(level="Q"), finish=Finish(size=1400),
        blend=Blend(method="tone", strength=0.5), picture=Picture(digest=digest, name="coffee"),
    )  # fmt: skip


def test_every_place_tells_the_same_reach(window, photo, store, tmp_path, qtbot, monkeypatch):
    monkeypatch.setattr(type(window.proof.prover), "trials", SOME)
    window.pictures.add(encoded(photograph("coffee")), "coffee")
    window.session.start(photo, None)
    window.wall.rest.setChecked(False)
    qtbot.waitUntil(
        lambda: not window.jobs.busy and not window.answer.stale and window.answer.proved,
        timeout=60_000,
    )
    wall = window.answer.reach
    assert 0.4 < wall < 0.98
    assert window.answer.verdict.reach == wall
    assert window.wall.gauge.accessibleDescription().startswith(percent(wall))
    window.draft_desk.keep("As it is")
    assert window.session.drafts[0].reach == wall

    renderer, room = Renderer(store), Room(window.bay)
    size = judged_size(photo, renderer)
    rendering = renderer.render(photo, size)
    usual = usual_code(LINK)
    assert Measure(room, usual, SOME).reach(rendering) == wall
    first = next(iter(gentlest.search(photo, renderer, room, SOME)))
    assert first.before.reach == wall
    cells = board(photo, [setting("blend.strength")], [[0.5]])
    (cell,) = sweep(cells, renderer, room, SOME, lambda piece: judged_size(piece, renderer))
    assert cell.reach == wall and cell.verdict.state == window.answer.verdict.state

    # The file that leaves the house, at another size, as PNG and as JPEG.
    for name in ("out.png", "out.jpg"):
        path = tmp_path / name
        write(renderer.render(photo), path, photo.finish)
        pixels = open_picture(path.read_bytes(), name).over("#ffffff")
        assert max(pixels.shape) == 1400
        checked = check(pixels, window.bay, LINK, room, SOME)
        assert checked.findings[0].reach == pytest.approx(wall, abs=0.08)  # two readings of 27
        assert checked.verdict.state == window.answer.verdict.state
        report = as_json([Entry(name, checked=checked)], LINK, pictures=False)
        assert report["images"][0]["codes"][0]["reach"] == pytest.approx(
            checked.findings[0].reach, abs=6e-4
        )


def test_the_usual_code_depends_on_message_kind_and_square_alone(photo, store, bay):
    renderer = Renderer(store)
    usual = subject_of(renderer.render(photo, 700)).usual
    # ISO/IEC 18004, table of capacity: 38 bytes at level H take version 5.
    assert (usual.symbol.version, usual.symbol.level, usual.plain) == ("5", "H", True)
    for other in (
        photo.edited("code", version="10", level="L"), photo.edited("code", quiet_zone=1),
        photo.edited("blend", method="dots", strength=0.2),
        photo.edited("code", steer="tail", version="8", level="L", raise_level=False),
    ):  # fmt: skip
        assert subject_of(renderer.render(other, 700)).usual.digest == usual.digest
    # A version chosen too large is a cost: plain code of it reaches less far.
    large = encode(Message(text=LINK), Code(version="14", level="H"))
    found = reach(list(Room(bay).run(plain_code_of(large, LINK), sets.shipped())))
    assert found < 0.9
    assert fair_size(4000, 33, 0.5) == 1024 and fair_size(4000, 100, 0.3) == 1667
    assert fair_size(300, 100, 0.1) == 300


def test_trials_drawn_anew_are_others_like_them_and_the_same_for_a_seed():
    trials = sets.shipped()
    assert fresh(trials, 5) == fresh(trials, 5) != fresh(trials, 6)
    for seed in range(20):
        drawn = fresh(trials, seed)
        assert [t.name for t in drawn] == [t.name for t in trials]
        assert not {t.situation for t in drawn} & {t.situation for t in trials}
        for old, new in zip(trials, drawn, strict=True):
            assert 0.6 < new.view.distance / old.view.distance < 1.6
            assert old.before == new.before and old.wear == new.wear
        # What the one draw moves, its opposite moves as far the other way.
        for old, new, other in zip(trials, drawn, fresh(trials, seed, opposite=True), strict=True):
            assert new.view.distance * other.view.distance == pytest.approx(old.view.distance**2)
            if abs(old.view.turn) < 30:
                assert new.view.turn + other.view.turn == pytest.approx(2 * old.view.turn)


def test_draws_are_counted_together(photo, store, bay):
    subject, room = subject_of(Renderer(store).render(photo, 700)), Room(bay)
    draws = Draws(room, subject.usual, SOME, (5, 6))
    each = [
        reach(list(room.run(subject, fresh(SOME, seed, way), seed + way)))
        for seed in (5, 6) for way in (False, True)
    ]  # fmt: skip
    assert draws.reach_of(subject) == pytest.approx(np.mean(each))
    assert draws.reach_of(subject, 3.0) < 3.0
    assert draws.reach_of(subject, 0.01) == pytest.approx(np.mean(each[:2]))


def test_frames_taken_ahead_are_taken_once_and_change_nothing(photo, store, bay, monkeypatch):
    subject, room, taken = subject_of(Renderer(store).render(photo, 700)), Room(bay), []
    jobs = [(subject, trial) for trial in SOME]
    straight = [passed.read for passed in Room(bay).passes(jobs)]
    frame = room.frame
    monkeypatch.setattr(room, "frame", lambda *job: taken.append(job) or frame(*job))
    ahead = room.passes(jobs[:2], following=jobs[2:])
    assert len(taken) == len(jobs)
    assert [passed.read for passed in ahead + room.passes(jobs[2:])] == straight
    assert len(taken) == len(jobs)


@pytest.mark.parametrize(("lost", "missing"), [(1, 0), (2, 1)])
def test_one_look_from_afar_may_be_lost_and_no_second(photo, store, lost, missing):
    class Bay:
        def read_all(self, views, names):
            sides.extend(max(view.shape) for view in views)
            blind = sorted(sides)[:lost]
            return [
                [Outcome(name, () if name == "OpenCV" and max(view.shape) in blind else right)
                 for name in names]
                for view in views
            ]  # fmt: skip

    rendering = Renderer(store).render(photo, 900)
    sides, right = [], (Reading(rendering.symbol.text),)
    assert missing_away(rendering, Bay()) == missing
    assert missing_away(rendering, Bay(), ("quirc",)) == 0
    modules = [side * rendering.code_side / rendering.modules / 900 for side in sides[:3]]
    assert modules == pytest.approx([5.3, 6.0, 6.7], abs=0.05)


def test_only_readers_that_count_are_counted(photo, store, bay):
    subject = subject_of(Renderer(store).render(photo, 800))
    every = list(Room(bay).run(subject, SOME))
    room = Room(bay, ("zxing-cpp", "quirc"))
    two = list(room.run(subject, SOME))
    assert {name for r in two for name in r.passed.read} == {"zxing-cpp", "quirc"}
    for whole, part in zip(every, two, strict=True):
        assert part.passed.read == {n: whole.passed.read[n] for n in ("zxing-cpp", "quirc")}
    # A change of mind asks no reader again.
    bay.read_all, kept = None, bay.read_all
    try:
        room.readers = READER_NAMES
        assert reach(list(room.run(subject, SOME))) == reach(every)
    finally:
        bay.read_all = kept


def test_the_window_keeps_and_tells_which_readers_count(window, settle, monkeypatch, tmp_path):
    from nimble_tile.ui.rooms.proof.trial_editor import TrialEditor

    window.message.text.setPlainText(LINK)
    settle(window)
    editor = TrialEditor(window, window.proof.prover)
    assert all(box.isChecked() for box in editor.counted.values())
    for box in editor.counted.values():
        box.setChecked(False)
    editor._done()
    assert "No reader counts" in editor.note.text()
    editor.counted["zxing-cpp"].setChecked(True)
    editor.counted["quirc"].setChecked(True)
    file = tmp_path / "two"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(file), ""))
    editor._save()
    assert json.loads((tmp_path / "two.json").read_text())["readers"] == ["zxing-cpp", "quirc"]
    window.proof.take_set(editor.chosen)
    editor.reject()
    assert window.proof.prover.readers == ("zxing-cpp", "quirc")
    assert window.proof.prover.room().readers == ("zxing-cpp", "quirc")
    window.wall.gauge.take(reach=0.9, done=8, of=8, paused=False)
    assert window.wall.gauge.told == "by zxing-cpp, quirc"
    assert sets.own(window.settings.trials_file).readers == ("zxing-cpp", "quirc")


def test_phones_are_compared_with_what_the_trials_foresaw(bay):
    subject = usual_code(LINK)
    room = Room(bay)

    def entry(size, read, **more):
        return PhoneTest(device="my phone", size=size, read=read, medium="paper", **more)

    log = (
        entry(50, True, distance=250), entry(50, False, distance=250),
        entry(12, False, distance=900), entry(50, False, distance=250, light="a candle"),
    )  # fmt: skip
    found = foresee(room, subject, log)
    assert found.as_seen[:3] == (True, False, True)
    assert found.words == f"{sum(found.as_seen)} of 4 phones as foreseen"
    assert Foreseen(()).words == "" and Foreseen((True,)).words == "1 of 1 phone as foreseen"
    # Its size is the square's: 45 modules with the quiet zone, 37 without.
    assert trial_of(log[0], subject).shown.size == pytest.approx(50 * 37 / 45)
    assert lux_of("At DUSK, by the hide") == 20 and lux_of("") == lux_of("somehow") == 300


def test_what_holds_is_confirmed_elsewhere_and_read_by_an_outsider(photo, store, bay, monkeypatch):
    monkeypatch.setattr(gentlest, "THOROUGH", kinds.Effort(2, 3, 5, 4, 9))
    monkeypatch.setattr(gentlest, "FINALISTS", 2)
    monkeypatch.setattr(kinds, "LEVELS_TRIED", (("L", 2, 0.62), ("M", 1, 0.55)))
    monkeypatch.setattr("nimble_tile.core.tune.confirm.LARGE", 1100)
    room, renderer = Room(bay), Renderer(store)
    *steps, last = gentlest.search(photo, renderer, room, SOME, 0.85, size=700)
    assert not any(step.confirmed for step in steps[:3]) and steps[0].fresh is None
    assert "fresh trials" in steps[0].shortfall(0.85)
    assert last.confirmed and last.holds and last.shortfall(0.85) == ""
    assert last.fresh > 0.85 - 0.15  # of 27 readings, in frames that nothing was chosen by
    # zbar, which is none of our readers.
    best = last.best
    for size in (512, 700, 1600):
        image = renderer.render(best.piece, size).image
        small = image[:: max(1, size // 400), :: max(1, size // 400)]
        assert zbar_reads(image, LINK) or zbar_reads(np.ascontiguousarray(small), LINK)
    # What cannot be held is said, with what was reached.
    weak = photo.edited("blend", strength=0.2)
    monkeypatch.setattr(gentlest, "THOROUGH", kinds.Effort(2, 3, 5, 1, 9))
    *_, short = gentlest.search(weak, renderer, room, SOME, 1.4, size=512)
    assert not short.holds and "was not reached" in short.shortfall(1.4)
