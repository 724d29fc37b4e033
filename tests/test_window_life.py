"""What a window keeps and lets go: masks, memory, strokes in line, files that exist."""

import contextlib
import gc
import sys
import threading
import weakref

import numpy as np
import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QFileDialog, QMessageBox

from conftest import LINK, encoded, photograph
from nimble_tile import log
from nimble_tile.core.memory import Memory
from nimble_tile.core.picture.store import Lease, PictureStore
from nimble_tile.core.picture.strokes import Stroke, on_picture
from nimble_tile.core.piece import Message, Picture, Piece
from nimble_tile.core.project import archive
from nimble_tile.demo import ARTWORKS, PIECE_TITLES
from nimble_tile.ui.kit.asking import choose
from nimble_tile.ui.menus import about
from nimble_tile.ui.work.drafts import made
from nimble_tile.ui.work.faults import Faults
from nimble_tile.ui.work.jobs import Jobs
from nimble_tile.ui.work.session import new_piece


@pytest.fixture
def pictured(window, settle):
    digest = window.pictures.add(encoded(photograph("coffee")), "coffee")
    window.session.take_picture(digest, "coffee")
    settle(window)
    return window


def test_what_a_weave_takes_is_let_go_with_its_picture(pictured, settle, qtbot):
    from nimble_tile.core.blend.weave.matter import Matter

    kept, make = weakref.WeakSet(), Matter.__init__

    def noted(matter, source):
        kept.add(matter)
        make(matter, source)

    Matter.__init__ = noted
    try:
        pictured.session.edit("message", "Write", text=LINK)
        pictured.ladder.open(3)
        pictured.blend.method.chosen.emit("weave")
        settle(pictured)
        assert kept
        pictured.files.new_piece()
        settle(pictured)
        qtbot.waitUntil(lambda: not kept, timeout=20_000)
    finally:
        Matter.__init__ = make


def dab(at, adds=True):
    return Stroke("guard", "brush", adds, ((at, at), (at + 40.0, at)), 30.0, 0.2, 0.1)


def test_strokes_that_come_while_one_is_stored_are_all_painted(pictured, qtbot, monkeypatch):
    """The worker is slow; the strokes wait in line, and an undo in between loses none."""
    import time

    store, session = pictured.pictures, pictured.session
    add = Lease.add_mask

    def slow(lease, mask):
        time.sleep(0.15)
        return add(lease, mask)

    monkeypatch.setattr(Lease, "add_mask", slow)
    for at in (40.0, 120.0, 200.0, 280.0):
        pictured.blend_desk.brush.painted.emit(dab(at))
    qtbot.waitUntil(lambda: not pictured.jobs.busy and not pictured.blend_desk.guard.editor._line,
                    timeout=20_000)  # fmt: skip
    frame = session.piece.picture.frame
    expected = None
    for at in (40.0, 120.0, 200.0, 280.0):
        painted = on_picture(store, session.piece.picture.digest, frame, expected, dab(at))
        expected = add(store, painted)
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


def grey(level):
    return np.full((64, 64), level, np.uint8)


def test_masks_of_undone_steps_go_and_whatever_somebody_holds_stays(pictured, settle):
    """Steps of undo, drafts, searches and jobs each hold what they refer to."""
    store, session = pictured.pictures, pictured.session
    with store.lease() as search:
        found = search.add_mask(grey(200))
        for level in range(1, 80):
            with store.lease() as stroke:
                session.edit("picture", "Paint", guard=stroke.add_mask(grey(level)))
        undone = session.piece.picture.guard
        session.undo()
        for step in range(70):
            session.edit("blend", f"Strength {step}", strength=0.4 + step / 200)
        settle(pictured)  # the engine held what it was showing
        assert undone not in store and found in store
        session.edit("picture", "Take what was found", guard=found)
    assert found in store
    draft = made(session.piece, "Kept", None, None, None)
    session.put_drafts((draft,))
    session.start(new_piece(), None)
    settle(pictured)
    assert found not in store  # neither the piece nor its drafts are there any more
    while session.undo_name is not None:
        session.undo()


def test_every_step_of_undo_has_its_pictures(pictured):
    store, session = pictured.pictures, pictured.session
    for level in range(1, 80):
        with store.lease() as stroke:
            session.edit("picture", "Paint", guard=stroke.add_mask(grey(level)))
    while session.undo_name is not None:
        assert all(digest in store for digest in session.piece.digests)
        session.undo()


def test_a_lease_holds_what_others_let_go_and_ends_with_itself():
    store = PictureStore()
    first, second = store.lease(), store.lease()
    digest = first.add_mask(grey(3))
    assert second.add_mask(grey(3)) == digest
    first.release()
    assert digest in store
    del second
    assert digest not in store
    own = store.add_mask(grey(4))  # by the store itself: for good
    store.lease([own]).release()
    assert own in store
    elsewhere = PictureStore()
    mask = elsewhere.add_mask(grey(5))
    with store.take_over(elsewhere):
        assert store.file(mask) == elsewhere.file(mask)
    assert mask not in store and mask in elsewhere


def test_leases_of_many_threads_leave_nothing_behind():
    store = PictureStore()

    def work(number):
        for turn in range(60):
            with store.lease() as lease:
                digest = lease.add_mask(grey((number + turn) % 7))
                again = lease.lease([digest])
                lease.release()
                assert again.file(digest)

    threads = [threading.Thread(target=work, args=(number,)) for number in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    store.hold(())
    assert not store._shelf.files and not store._shelf.about and not store._shelf._holders


def saved_project(path, name):
    store = PictureStore()
    picture = Picture(digest=store.add(encoded(photograph(name)), name), name=name)
    archive.save(Piece(message=Message(text=f"{LINK}/{name}"), picture=picture), store, path)
    return path


@pytest.mark.parametrize("then", ["open", "new"])
def test_of_pieces_that_are_asked_for_quickly_the_last_one_comes_whole(
    window, settle, qtbot, tmp_path, then
):
    paths = [saved_project(tmp_path / f"{name}.nimbletile", name) for name in ("coffee", "rocket")]
    window.files.open_project(paths[0])
    if then == "open":
        window.files.open_project(paths[1])
    else:
        window.files.new_piece()
    settle(window)
    piece = window.session.piece
    if then == "new":
        assert piece.picture.digest is None and window.session.path is None
        return
    assert piece.picture.name == "rocket" and window.session.path == paths[1]
    window.session.edit("blend", "Strength", strength=0.31)
    window.files.save_to(tmp_path / "again.nimbletile")
    settle(window)
    again = archive.load_project(tmp_path / "again.nimbletile")
    assert again.piece.picture.digest == piece.picture.digest
    assert len(window.pictures._shelf.files) == 1  # nothing of the first one


def test_the_pictures_of_the_piece_before_are_let_go(window, settle, tmp_path):
    window.files.open_project(saved_project(tmp_path / "one.nimbletile", "coffee"))
    settle(window)
    before = window.session.piece.picture.digest
    window.files.new_piece()
    settle(window)
    assert before not in window.pictures


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


def test_dialogs_go_once_they_are_answered(window, settle, qapp, monkeypatch):
    """Their parent would keep each of them for the rest of the session."""
    shown = []
    monkeypatch.setattr(QDialog, "exec", lambda self: shown.append(type(self).__name__) or 0)
    monkeypatch.setattr(QMessageBox, "exec", QDialog.exec)
    settle(window)

    def ask():
        window.proof.edit()
        window.pixels_desk.begin()
        about(window)
        window.help.show_preferences("light")
        window.help.wishes.close()
        assert choose(window, "Ask", "This?", "", (("Yes", "yes"), ("No", "no"))) == "no"
        window.session.put_drafts([made(window.session.piece, "Kept", None, None, None)])
        window.draft_desk.name(window.session.drafts[0].key)
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        return len(qapp.allWidgets())

    first = ask()
    assert ask() == first
    assert {"TrialEditor", "BeginDialog", "QMessageBox", "NameDialog"} <= set(shown)


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
    jobs, told = Jobs(PictureStore()), []

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


def test_a_press_on_a_bench_with_a_divider_and_nothing_to_show_does_nothing(pictured):
    bench = pictured.bench
    bench.split_at(0.5)
    bench.clear()
    QTest.mousePress(bench, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
    QTest.mouseRelease(bench, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
    assert bench.shown is None


def test_the_store_decodes_what_it_forgot(tmp_path):
    store = PictureStore()
    digests = [store.add(encoded(np.full((20, 20), at, np.uint8))) for at in range(12)]
    assert [int(store.opened(digest).rgb[0, 0, 0]) for digest in digests] == list(range(12))


def test_a_fault_after_a_hurried_image_is_told_once(window, settle, qtbot, monkeypatch):
    """The image at rest fails, after one in a hurry did not: it is not tried for ever."""
    settle(window)
    engine, told = window.engine, []
    show = engine._show

    def fails(ticket, piece, hurry=False):
        if not hurry:
            raise RuntimeError("not at rest")
        return show(ticket, piece, hurry)

    engine.broke.connect(lambda ticket, text: told.append(text))
    monkeypatch.setattr(engine, "_show", fails)
    for step in range(3):
        window.session.edit("blend", "Strength", "drag", strength=0.4 + step / 100)
        qtbot.wait(40)
    qtbot.waitUntil(lambda: bool(told), timeout=10_000)
    qtbot.wait(1200)
    assert len(told) <= 3  # one for each edit at most
    monkeypatch.setattr(engine, "_show", show)
    window.session.edit("blend", "Strength", strength=0.9)
    settle(window)


def test_what_nobody_has_caught_is_logged_and_said(window, qtbot, tmp_path, monkeypatch):
    """In a slot, in a thread, and in what Python cannot raise; each fault once."""
    monkeypatch.setattr(log, "path", lambda: tmp_path / "nimble-tile.log")
    faults = Faults(window.notice.say, window)
    for hook in ("excepthook", "unraisablehook"):
        monkeypatch.setattr(sys, hook, getattr(sys, hook))
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    faults.listen()
    try:

        def fails(what):
            raise AttributeError(what)

        for what in ("first", "again"):
            with contextlib.suppress(AttributeError):
                try:
                    fails(what)
                except AttributeError:
                    sys.excepthook(*sys.exc_info())
        thread = threading.Thread(target=lambda: {}["in a thread"])
        thread.start()
        thread.join()

        class Odd:
            def __del__(self):
                raise ValueError("while it goes")

        Odd()
        qtbot.waitUntil(lambda: "ValueError" in window.notice.label.text(), timeout=5_000)
    finally:
        faults.leave()
    text = (tmp_path / "nimble-tile.log").read_text()
    assert text.count("AttributeError: first") == 1 and "AttributeError: again" not in text
    assert "KeyError: 'in a thread'" in text and "ValueError: while it goes" in text
    assert "Your work is here" in window.notice.label.text()
