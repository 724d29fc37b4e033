"""What a window keeps and lets go: masks, memory, strokes in line, files that exist."""

import gc
import weakref

import numpy as np
import pytest
from PySide6.QtCore import QCoreApplication, QEvent
from PySide6.QtWidgets import QFileDialog, QMessageBox

from conftest import encoded, photograph
from nimble_tile.core.memory import Memory
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.picture.strokes import Stroke, on_picture
from nimble_tile.demo import ARTWORKS, PIECE_TITLES
from nimble_tile.ui.work.jobs import Jobs


@pytest.fixture
def pictured(window, settle):
    digest = window.pictures.add(encoded(photograph("coffee")), "coffee")
    window.session.take_picture(digest, "coffee")
    settle(window)
    return window


def dab(at, adds=True):
    return Stroke("guard", "brush", adds, ((at, at), (at + 40.0, at)), 30.0, 0.2, 0.1)


def test_strokes_that_come_while_one_is_stored_are_all_painted(pictured, qtbot, monkeypatch):
    """The worker is slow; the strokes wait in line, and an undo in between loses none."""
    import time

    store, session = pictured.pictures, pictured.session
    add = store.add_mask

    def slow(mask):
        time.sleep(0.15)
        return add(mask)

    monkeypatch.setattr(store, "add_mask", slow)
    for at in (40.0, 120.0, 200.0, 280.0):
        pictured.blend_desk.brush.painted.emit(dab(at))
    qtbot.waitUntil(lambda: not pictured.jobs.busy and not pictured.blend_desk.guard.editor._line,
                    timeout=20_000)  # fmt: skip
    frame = session.piece.picture.frame
    expected = None
    for at in (40.0, 120.0, 200.0, 280.0):
        painted = on_picture(store, session.piece.picture.digest, frame, expected, dab(at))
        expected = add(painted)
    assert session.piece.picture.guard == expected
    names = []
    while session.undo_name == "Paint the guard":
        names.append(session.undo_name)
        session.undo()
    assert len(names) == 4 and session.piece.picture.guard is None


def test_a_stroke_on_a_picture_that_is_gone_is_dropped(pictured, qtbot):
    pictured.blend_desk.brush.painted.emit(dab(40.0))
    digest = pictured.pictures.add(encoded(photograph("rocket")), "rocket")
    pictured.session.take_picture(digest, "rocket")
    qtbot.waitUntil(lambda: not pictured.jobs.busy, timeout=20_000)
    assert pictured.session.piece.picture.guard is None


def test_masks_that_no_step_refers_to_are_forgotten_and_others_stay(pictured):
    store, session = pictured.pictures, pictured.session
    grey = np.zeros((64, 64), np.uint8)
    for level in range(1, 80):
        session.edit("picture", "Paint", guard=store.add_mask(grey + np.uint8(level)))
    kept = session.piece.picture.guard
    lost = store.add_mask(grey + np.uint8(200))
    session.undo()
    for step in range(70):
        session.edit("blend", "Strength", strength=0.4 + step / 200)
    assert kept not in store and lost not in store  # both left the history
    while session.undo_name is not None:
        session.undo()
        guard = session.piece.picture.guard
        assert guard is None or guard in store
    assert session.piece.picture.digest is None


def test_the_pictures_of_the_piece_before_are_let_go(pictured):
    before = pictured.session.piece.picture.digest
    pictured.files.new_piece()
    assert before not in pictured.pictures


def test_a_closed_window_goes(qapp, qtbot, tmp_path):
    from nimble_tile.ui.window import Window
    from nimble_tile.ui.work.settings import Settings

    made = Window(Settings(tmp_path / "window.json"))
    made.show()
    qtbot.waitExposed(made)
    gone = weakref.ref(made)
    assert made.close()
    del made
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    qtbot.wait(50)
    gc.collect()
    assert gone() is None


def test_memory_keeps_the_last_results_and_gives_the_same_array():
    memory, made = Memory(2), []

    def make(key):
        made.append(key)
        return np.full(3, key)

    first = memory.recall("a", 1, lambda: make(1))
    memory.recall("a", 2, lambda: make(2))
    assert memory.recall("a", 1, lambda: make(1)) is first and not first.flags.writeable
    memory.recall("a", 3, lambda: make(3))  # the one used longest ago goes
    assert memory.knows("a", 1) and not memory.knows("a", 2)
    memory.forget("a")
    assert not memory.knows("a", 1) and made == [1, 2, 3]


def test_a_job_that_throws_what_is_no_exception_is_told_and_the_next_runs(qapp, qtbot):
    jobs, told = Jobs(), []

    def stop(progress):
        raise SystemExit("not an Exception")

    jobs.start(stop, told.append, lambda error: told.append(str(error)))
    jobs.start(lambda progress: "next", told.append, told.append)
    qtbot.waitUntil(lambda: len(told) == 2, timeout=5_000)
    jobs.stop()
    assert "went wrong inside" in told[0] and told[1] == "next"


@pytest.mark.parametrize(("answer", "kept"), [("No", b"mine"), ("Yes", None)])
def test_a_suffix_that_is_added_makes_another_file_that_is_asked_about(
    window, settle, qtbot, tmp_path, monkeypatch, answer, kept
):
    """Save, export of a look, report and mended picture all ask through one function."""
    settle(window)
    other = tmp_path / "walk.nimbletile"
    other.write_bytes(b"mine")
    typed = str(tmp_path / "walk")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (typed, ""))
    asked = []

    def question(parent, title, text):
        asked.append(text)
        return getattr(QMessageBox.StandardButton, answer)

    monkeypatch.setattr(QMessageBox, "question", question)
    window.files.save_as()
    qtbot.waitUntil(lambda: not window.jobs.busy, timeout=10_000)
    assert asked == ["walk.nimbletile exists. Replace it?"]
    assert (other.read_bytes() == b"mine") is (kept is not None)
    look = tmp_path / "walk.json"
    look.write_bytes(b"mine")
    window.code_desk.choose_export()
    qtbot.waitUntil(lambda: not window.jobs.busy, timeout=10_000)
    assert len(asked) == 2 and (look.read_bytes() == b"mine") is (kept is not None)


def test_a_copy_that_cannot_be_kept_is_told_once(window, settle, qtbot, tmp_path):
    settle(window)
    safe = window.files.safekeeping
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where a folder should be")
    safe.recovery = type(safe.recovery)(blocked)
    window.session.edit("blend", "Change the strength", strength=0.61)
    safe.keep_copy()
    qtbot.waitUntil(lambda: window.notice.isVisible(), timeout=5_000)
    assert "No copy of the unsaved work could be kept" in window.notice.label.text()
    window.notice.hide()
    safe.keep_copy()
    qtbot.waitUntil(lambda: not window.jobs.busy, timeout=5_000)
    assert not window.notice.isVisible()


def test_demo_pieces_and_pictures_are_reached_by_name(window, settle, qtbot):
    assert set(window.demo_actions) == set(PIECE_TITLES) and len(window.artwork_actions) == 9
    window.demo_actions["walk-ticket"].trigger()
    qtbot.waitUntil(lambda: window.session.piece.surround.kind == "ticket", timeout=10_000)
    settle(window)
    assert window.windowTitle().startswith("Walk ticket")
    assert window.session.path is None and not window.session.unsaved
    window.artwork_actions["night"].trigger()
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    assert window.session.piece.picture.name == ARTWORKS["night"][1]


def test_one_row_of_the_ladder_is_lit_though_rows_move_under_the_pointer(window, settle, qtbot):
    settle(window)
    first, last = window.ladder.rows[0], window.ladder.rows[3]
    first.set_hovered(True)
    last.set_hovered(True)  # as where a row moved under a pointer that stood still
    window.ladder.open(2)
    qtbot.wait(30)
    assert sum(row.hovered for row in window.ladder.rows) <= 1
    assert not (first.hovered and last.hovered)


def test_the_store_decodes_what_it_forgot(tmp_path):
    store = PictureStore()
    digests = [store.add(encoded(np.full((20, 20), at, np.uint8))) for at in range(12)]
    assert [int(store.opened(digest).rgb[0, 0, 0]) for digest in digests] == list(range(12))
