"""Mending in the window: a failing picture in, a veto, a second-best, the file out."""

import itertools

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QRectF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QGuiApplication

from conftest import LINK, photograph
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune import mend as core_mend
from nimble_tile.core.tune.areas import changed_areas, named_areas, on_image

FEW = tuple(t for t in shipped() if t.name in ("In the hand", "From the side"))


def failing(opacity=0.25):
    """A flat overlay, over a whole square, that no reader reads."""
    symbol = encode(Message(text=LINK), Code(level="M", raise_level=False))
    picture = cv2.resize(photograph("chelsea")[:300, 60:360], (444, 444)).astype(float)
    picture += opacity * (plain_code(symbol, 4, 444) - picture)
    return np.rint(picture).astype(np.uint8), symbol


@pytest.fixture
def brisk(monkeypatch):
    monkeypatch.setattr(core_mend, "WEAKENING_STEPS", (0.2,))
    monkeypatch.setattr(core_mend, "LADDER", (0.5, 0.7, 0.9))


@pytest.fixture
def mender(window, settle, qtbot, tmp_path, monkeypatch, brisk):
    monkeypatch.setattr(type(window.proof.prover), "trials", FEW)
    window.message.text.setPlainText(LINK)
    settle(window)
    opened = window.mend_desk.open()
    path = tmp_path / "from afar.png"
    image, symbol = failing()
    Image.fromarray(image).save(path)
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    drop = QDropEvent(
        QPoint(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )  # fmt: skip
    opened.dropEvent(drop)
    qtbot.waitUntil(lambda: opened.suspect is not None, timeout=60_000)
    return opened, image, symbol


def test_a_dropped_picture_is_recognised_mended_and_saved(mender, window, qtbot, tmp_path):
    opened, image, symbol = mender
    found = opened.suspect.symbol
    assert (found.version, found.level, found.mask) == (symbol.version, symbol.level, symbol.mask)
    assert opened.controls.which.count() >= 1 and "for sure" in opened.controls.sure.text()
    opened.controls.mend.click()
    assert opened.controls.stop.isVisible() and not opened.controls.open_it.isEnabled()
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=90_000)
    first = opened.attempt
    assert first.holds and "4 of 4 readers" in opened.told.text()
    assert "Mended" in opened.note.text()
    # The changed places are listed, most changed first, each module in one of them.
    areas = changed_areas(first)
    assert opened.controls.areas.count() == len(areas) > 5
    assert sum(part.sum() for part in named_areas(first).values()) == first.changed.size
    # The views differ.
    shots = {}
    for way in ("before", "split", "mended", "changes"):
        opened.way.button(way).click()
        shots[way] = opened.view.grab().toImage()

    assert all(shots[a] != shots[b] for a, b in itertools.combinations(shots, 2))

    # The line between before and mended is dragged.
    opened.way.button("split").click()
    view = opened.view
    at = view.frame.center().toPoint()
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseMove(view, at + QPoint(60, 0))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(60, 0))
    assert view.share == pytest.approx(0.5 + 60 / view.frame.width(), abs=0.01)
    assert view.grab().toImage() != shots["split"]
    assert not opened.controls.areas.stays  # it was no click on a place

    # A veto by a click on the picture: that place stays to the pixel, others make up for it.
    middle = np.argwhere(on_image(named_areas(first)["Middle"], first)).mean(0)
    spot = opened.view.from_image(QRectF(middle[1], middle[0], 0, 0).topLeft()).toPoint()
    qtbot.mouseClick(opened.view, Qt.MouseButton.LeftButton, pos=spot)
    assert opened.controls.areas.stays == {"Middle"} and opened.controls.free.isVisible()
    opened.controls.mend.click()
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=90_000)
    second = opened.attempt
    if second.holds:
        inner = cv2.erode(
            on_image(named_areas(first)["Middle"], first).astype(np.uint8), np.ones((5, 5))
        )
        assert np.array_equal(second.image[inner > 0], image[inner > 0])
    else:
        assert "result from before" in opened.note.text() and second is first
    if opened.step.second is not None:
        opened.controls.results.button("second").click()
        assert opened.attempt is opened.step.second
        opened.controls.results.button("best").click()

    out = tmp_path / "mended.png"
    opened.save_to(out)
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=30_000)
    assert "read the file back" in opened.note.text()
    saved = open_picture((tmp_path / "mended.png").read_bytes(), "x").over("#ffffff")
    assert np.array_equal(saved, opened.attempt.image)
    opened.copy.click()
    assert QGuiApplication.clipboard().image().width() == 444


def test_rectangles_say_where_the_code_is_and_what_must_stay(mender, qtbot):
    opened, image, _ = mender
    opened.controls.keep.click()
    view = opened.view
    spots = [view.from_image(QRectF(x, y, 0, 0).topLeft()).toPoint() for x, y in
             ((170, 170), (250, 250))]  # fmt: skip
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=spots[0])
    qtbot.mouseMove(view, spots[1])
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=spots[1])
    assert len(view.kept) == 1
    mask = opened.controls.areas.veto(image.shape[:2], view.kept)
    assert mask[210, 210] and not mask[100, 100] and 5000 < mask.sum() < 8500
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=(spots[0] + spots[1]) / 2)
    assert not view.kept  # a click takes it away
    # Where the code is, said by hand.
    corners = opened.suspect.quad
    opened.controls.where.click()
    opened._dragged(QRectF(2, 2, 440, 440))
    assert not opened.controls.where.isChecked() and view.region is not None
    qtbot.waitUntil(lambda: opened.suspect is not None, timeout=60_000)
    assert np.abs(opened.suspect.quad - corners).max() < 3
    opened.controls.everywhere.click()
    assert view.region is None
    qtbot.waitUntil(lambda: opened.suspect is not None, timeout=60_000)
    # Another message is another code.
    opened.controls.message.setPlainText(LINK + "8")
    assert opened.suspect is None and not opened.controls.mend.isEnabled()
    opened.controls.message.setPlainText("https://lanternwalk.example/another/path/altogether")
    opened.controls.find.click()
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=60_000)
    assert opened.suspect is None and "something else that begins alike" in opened.note.text()


def test_bad_pictures_and_nothing_to_do(window, settle, qtbot, tmp_path, monkeypatch, brisk):
    monkeypatch.setattr(type(window.proof.prover), "trials", FEW)
    opened = window.mend_desk.open()
    assert not opened.controls.find.isEnabled() and not opened.save.isEnabled()
    bad = tmp_path / "bad.png"
    bad.write_bytes(b"no picture at all")
    opened.open_path(bad)
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=20_000)
    assert "bad.png" in opened.note.text() and opened.controls.open_it.isEnabled()
    # A picture that scans is left alone, to the bit.
    window.message.text.setPlainText(LINK)
    settle(window)
    opened.controls.from_bench.click()
    qtbot.waitUntil(lambda: opened.suspect is not None, timeout=60_000)
    opened.controls.mend.click()
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=60_000)
    assert "as it is" in opened.note.text() and opened.attempt.touched == 0
    assert np.array_equal(opened.attempt.image, opened.pixels)
    nowhere = tmp_path / "none" / "x.png"
    opened.save_to(nowhere)
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=20_000)
    assert "x.png" in opened.note.text() and not nowhere.exists()


def test_mending_that_is_ended_keeps_the_best_so_far(mender, qtbot):
    opened, _, _ = mender
    seen = []
    opened._better.connect(lambda run, step: seen.append(step) or opened.halt())
    opened.controls.mend.click()
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=60_000)
    assert seen and opened.step.best is not None
    assert opened.controls.mend.isVisible() and opened.controls.mend.text() == "Mend again"


def test_second_best_is_another_change_that_holds(bay, brisk):
    image, _ = failing()
    suspect = core_mend.find(image, LINK, bay)[0]
    last = list(core_mend.mend(image, suspect, Room(bay), FEW, 0.8))[-1]
    assert last.best.holds and last.second is not None and last.second.holds
    assert not np.array_equal(last.best.image, last.second.image)
    assert last.second.change.delta_e_mean >= last.best.change.delta_e_mean


def test_another_message_ends_what_goes_on(mender, window, qtbot):
    opened, image, _ = mender
    prover = window.proof.prover
    prover.pause(False)
    opened.controls.mend.click()
    assert prover.resting
    opened.controls.message.setPlainText("https://lanternwalk.example/gate")
    # The window is free at once, nothing of the older work is heard, the trials go on.
    assert (
        not prover.resting and opened.controls.find.isEnabled() and opened.controls.stop.isHidden()
    )
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=60_000)
    assert opened.step is None and opened.suspect is None and opened.told.text() == ""
    # While it is looked for, too; and a picture that comes meanwhile takes its place.
    opened.controls.message.setPlainText(LINK)
    opened.controls.find.click()
    assert opened.controls.stop.text() == "Cancel"
    opened.controls.message.setPlainText(LINK + "9")
    assert opened.controls.find.isEnabled()
    opened.controls.message.setPlainText(LINK)
    opened.controls.find.click()
    opened.take(image[:, ::-1].copy(), "Turned over")
    opened.take(image, "Again")
    qtbot.waitUntil(lambda: opened.suspect is not None, timeout=60_000)
    assert opened.controls.called.text().startswith("Again")
    # Called off, it says what it has.
    opened.controls.message.setPlainText("https://lanternwalk.example/nowhere/on/this/picture")
    opened.controls.find.click()
    opened.controls.stop.click()
    qtbot.waitUntil(lambda: not opened.jobs.busy, timeout=60_000)
    assert opened.controls.find.isEnabled() and opened.suspect is None


def test_trials_rest_as_long_as_anybody_needs_the_readers(window):
    prover = window.proof.prover
    prover.pause(False)
    prover.hold()
    prover.hold()
    prover.release()
    assert prover.resting
    prover.release()
    assert not prover.resting
    # What the designer wants holds besides.
    prover.hold()
    prover.pause(True)
    prover.release()
    assert prover.resting and prover.paused
