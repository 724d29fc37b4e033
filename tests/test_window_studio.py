"""The studio in the window: from a keyword to a chosen candidate, and pictures made elsewhere."""

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QGuiApplication
from PySide6.QtWidgets import QMessageBox

from conftest import LINK, encoded, photograph
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune import mend as core_mend
from nimble_tile.standins import prompt
from nimble_tile.standins.painter.words import understand
from nimble_tile.studio.making import guide_symbol
from nimble_tile.ui.rooms.studio.guiding import numbers
from outside_reader import zbar_reads

FEW = tuple(t for t in shipped() if t.name in ("In the hand", "From the side"))


@pytest.fixture
def studio(window, settle, monkeypatch):
    monkeypatch.setattr(type(window.proof.prover), "trials", FEW)
    window.message.text.setPlainText(LINK)
    settle(window)
    opened = window.studio_desk.open()
    opened.guides.size.addItem("Small", 480)
    opened.guides.size.set_value(480)
    opened.guides.steps.set_value(14)
    return opened


def done(studio, qtbot):
    qtbot.waitUntil(lambda: not studio.working and not studio.jobs.busy, timeout=90_000)


def test_a_keyword_becomes_a_description_that_is_changed_word_by_word(studio, qtbot):
    describe = studio.describe
    assert not studio.one.isEnabled()
    describe.rough.setText("heron with a zorp")
    describe.propose()
    assert all(card.isVisibleTo(studio) for card in describe.cards)
    assert "zorp" in describe.told.text() and describe.words == describe.cards[0].text()
    assert len({card.text() for card in describe.cards}) == 3 and studio.one.isEnabled()
    first = describe.words
    describe.propose()  # three others
    assert describe.words != first
    describe.cards[2].click()
    assert describe.words == describe.cards[2].text()
    describe.set_text("marsh with heron and moon, dusk, fog, calm, oil, blork")
    buttons = {describe.flow.itemAt(n).widget().text(): describe.flow.itemAt(n).widget()
               for n in range(describe.flow.count())}  # fmt: skip
    assert set(buttons) == {"marsh", "heron", "moon", "dusk", "fog", "calm", "oil", "blork"}
    assert buttons["blork"].property("word") == "unknown" and "blork" in describe.told.text()
    assert buttons["fog"].toolTip() and "weather" in buttons["fog"].accessibleName()
    menu = describe.menu_of(buttons["fog"])
    chosen = {action.text(): action for action in menu.actions()}
    assert chosen["fog"].isChecked() and chosen["snow"].toolTip()
    chosen["snow"].trigger()
    assert understand(describe.words).weather == "snow"
    describe.replace("moon", "")
    assert understand(describe.words).things == ["heron"] and "and" not in describe.words
    describe.replace("calm", "")
    assert ",," not in describe.words and understand(describe.words).moods == []
    describe.copy.click()
    assert QGuiApplication.clipboard().text().startswith(describe.words)
    assert prompt.NUMBER == 3


def test_candidates_are_painted_starred_used_kept_and_saved(
    studio, window, settle, qtbot, tmp_path, monkeypatch
):
    studio.describe.set_text("harbour at sunset, oil")
    studio.varied.seeds.setValue(1)
    studio.varied.weights.setText("0.2, 1.5")
    studio.varied.edited.emit()
    assert studio.many.text() == "Paint 2 candidates"
    studio.varied.weights.setText("0.2, much")
    studio.varied.edited.emit()
    assert not studio.many.isEnabled() and "much" in studio.many.toolTip()
    studio.varied.weights.setText("0.2, 1.5")
    studio.varied.edited.emit()
    studio.many.click()
    assert studio.stop_it.text() == "Stop" and studio.view.count() == 2
    done(studio, qtbot)
    faint, strong = sorted(studio.candidates.values(), key=lambda c: c.recipe.guides[0].weight)
    assert strong.reads and studio.count.text().startswith("1 of 2 read")
    assert studio.view.item(0).data(Qt.ItemDataRole.UserRole) == strong.id  # by reach
    studio.fold_away.click()
    assert studio.view.count() == 1 and "1 folded away" in studio.count.text()
    studio.fold_away.click()
    studio.view.choose(faint.id)
    qtbot.keyClick(studio.view, Qt.Key.Key_4)
    assert studio.candidates[faint.id].stars == 4 and studio.large.stars.value == 4
    studio.order.set_value("stars")
    studio.refresh()
    assert studio.view.item(0).data(Qt.ItemDataRole.UserRole) == faint.id
    studio.order.set_value("likeness")
    studio.refresh()  # what does not read comes last, however alike
    assert studio.view.item(0).data(Qt.ItemDataRole.UserRole) == strong.id
    studio.view.choose(strong.id)
    qtbot.waitUntil(lambda: not studio.large.canvas.image.isNull(), timeout=10_000)
    shown = studio.large.canvas.image
    studio.large.way.button("unguided").click()
    qtbot.waitUntil(lambda: studio.large.canvas.image != shown, timeout=10_000)
    # A choice again: nothing new is painted for what is there already.
    studio.one.click()
    studio.ask([strong.recipe])
    assert "already" in studio.note.text() or studio.working
    done(studio, qtbot)
    before = window.session.piece
    studio.view.choose(strong.id)
    studio.use()
    qtbot.waitUntil(lambda: window.session.piece != before, timeout=10_000)
    piece = window.session.piece
    assert piece.blend.strength == 0 and piece.message == before.message
    assert piece.code.version == guide_symbol(LINK).version and piece.finish.size == 480
    assert window.ladder.current_rung == "finish"
    window.session.undo()
    assert window.session.piece == before
    studio.draft()
    qtbot.waitUntil(lambda: len(window.session.drafts) == 1, timeout=10_000)
    draft = window.session.drafts[0]
    assert (draft.state, draft.reach) == (strong.verdict, strong.reach) and draft.thumb
    out = tmp_path / "chosen.png"
    studio.keeping.save_to(strong, out)
    qtbot.waitUntil(lambda: "Saved" in studio.note.text(), timeout=30_000)
    small = cv2.resize(cv2.imread(str(out)), (300, 300), interpolation=cv2.INTER_AREA)
    assert zbar_reads(small, LINK)  # phones see few pixels a module
    # More of the same.
    studio.view.choose(strong.id)
    monkeypatch.setattr("nimble_tile.ui.rooms.studio.window.MORE_SEEDS", 1)
    count = len(studio.candidates)
    studio.more_seeds()
    studio.halt()
    done(studio, qtbot)
    assert len(studio.candidates) == count + 1
    assert studio.stop_it.text().startswith("Go on")
    studio.stop_it.click()
    done(studio, qtbot)
    assert all(c.state == "known" for c in studio.candidates.values())
    monkeypatch.setattr(
        QMessageBox, "question", lambda *_: QMessageBox.StandardButton.No
    )  # what has stars is asked about
    studio.view.choose(faint.id)
    studio.remove()
    assert faint.id in studio.candidates
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Yes)
    studio.clear_board()
    assert not studio.candidates


def elsewhere(opacity, seed):
    """A picture that somebody else's generator might have made: code and photo in one."""
    photo = cv2.resize(np.ascontiguousarray(photograph("coffee")), (640, 480))
    code = plain_code(guide_symbol(LINK), 4, 330)
    quad = np.array([[150, 60], [480, 70], [470, 400], [140, 390]], np.float32)
    quad += np.random.default_rng(seed).uniform(-12, 12, (4, 2)).astype(np.float32)
    square = np.array([[0, 0], [330, 0], [330, 330], [0, 330]], np.float32)
    matrix = cv2.getPerspectiveTransform(square, quad)
    laid = cv2.warpPerspective(code, matrix, (640, 480), flags=cv2.INTER_AREA)
    inside = cv2.warpPerspective(np.full((330, 330), 255, np.uint8), matrix, (640, 480)) > 128
    image = photo.copy()
    image[inside] = (opacity * laid + (1 - opacity) * photo)[inside].astype(np.uint8)
    return image


def test_the_guide_goes_out_and_pictures_come_in(studio, window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setattr(core_mend, "WEAKENING_STEPS", (0.2,))
    monkeypatch.setattr(core_mend, "LADDER", (0.5, 0.7, 0.9))
    fold = studio.elsewhere
    fold.set_message(LINK)
    assert "Level H" in fold.told.text() and fold.symbol.level == "H"
    fold.level.set_value("L")
    fold.refresh()
    assert "Level L" in fold.told.text()
    fold.level.set_value("H")
    fold.refresh()
    studio.keeping.guide_to(fold.symbol, fold.wish, tmp_path / "guide.png")
    qtbot.waitUntil(lambda: (tmp_path / "guide.png").exists(), timeout=10_000)
    assert zbar_reads(cv2.imread(str(tmp_path / "guide.png")), LINK)
    good, faint = tmp_path / "good.jpg", tmp_path / "faint.png"
    good.write_bytes(encoded(elsewhere(0.6, 1), "JPEG", quality=85))
    faint.write_bytes(encoded(elsewhere(0.34, 2)))
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in (good, tmp_path / "none.png", faint)])
    studio.dropEvent(
        QDropEvent(QPoint(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton,
                   Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip
    qtbot.waitUntil(lambda: len(studio.candidates) == 2, timeout=20_000)
    done(studio, qtbot)
    found = {c.name: c for c in studio.candidates.values()}
    assert found["good.jpg"].reads and found["good.jpg"].likeness is None
    assert found["faint.png"].near and not found["faint.png"].reads
    assert studio.mend_all.text() == f"Mend the near misses ({sum(c.near for c in found.values())})"
    studio.view.choose(found["faint.png"].id)
    assert studio.large.mend.isEnabled() and not studio.large.seeds.isEnabled()
    studio.large.mend.click()
    done(studio, qtbot)
    mended = studio.candidates[found["faint.png"].id]
    assert mended.mended and mended.reads, mended.note
    studio.view.choose(mended.id)
    assert studio.large.way.button("before").isEnabled()
    # What no search finds is handed on to where one can say where it is.
    plain = tmp_path / "plain.png"
    plain.write_bytes(encoded(np.ascontiguousarray(photograph("coffee")[:200, :200])))
    studio.bring([plain])
    qtbot.waitUntil(lambda: len(studio.candidates) == 3, timeout=20_000)
    done(studio, qtbot)
    lost = next(c for c in studio.candidates.values() if c.name == "plain.png")
    assert lost.lost and not lost.near
    studio.view.choose(lost.id)
    assert studio.large.mend.text().startswith("Say where") and not studio.large.use.isEnabled()
    studio.large.mend.click()
    qtbot.waitUntil(lambda: window.mend_desk._later.get().pixels is not None, timeout=20_000)
    mender = window.mend_desk._later.get()
    assert mender.name == "plain.png" and mender.controls.message.toPlainText() == LINK
    mender.halt()
    studio.board.remove([lost.id])
    studio.refresh()
    # A folder is watched: what is written there comes in by itself.
    folder = tmp_path / "from elsewhere"
    folder.mkdir()
    studio.watch(folder)
    assert studio.elsewhere.watch.isChecked()
    (folder / "third.jpg").write_bytes(encoded(elsewhere(0.7, 3), "JPEG", quality=90))
    qtbot.waitUntil(lambda: len(studio.candidates) == 3, timeout=20_000)
    done(studio, qtbot)
    assert any(c.name == "third.jpg" and c.reads for c in studio.candidates.values())
    studio.close()
    assert studio.bringing.watcher.folder is None


def test_numbers_are_read_or_refused():
    assert numbers("0.5, 0.6;0.7 0.5", 0, 1.5, "A weight") == [0.5, 0.6, 0.7]
    from nimble_tile.core.errors import UserError

    for text, told in (("", "none"), ("0.5, x", "x"), ("2", "outside")):
        with pytest.raises(UserError, match=told):
            numbers(text, 0, 1.5, "A weight")


def test_the_guide_begins_before_it_ends(studio):
    first = studio.guides.first
    first.first.track.setValue(900)
    assert first.guiding.first < first.guiding.last
    first.last.track.setValue(50)
    assert first.guiding.first < first.guiding.last
    studio.guides.two.setChecked(True)
    assert len(studio.guides.recipe("lake", "").guides) == 2
    studio.guides.on.setChecked(False)
    assert studio.guides.recipe("lake", "").guides == () and not studio.many.isEnabled()
    assert QPointF(0, 0).isNull()
