"""The proof in the real window: wall, one trial large, editor, costs, checks, phone test."""

import json
import sys

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog
from shiboken6 import isValid

from conftest import LINK, by_tone, encoded, photograph
from nimble_tile.core.project import archive
from nimble_tile.core.trials import sets
from nimble_tile.core.trials.cost import Cost
from nimble_tile.ui.bench.bench import Lens
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.rooms.check.phone_view import BANK_CARD, PRINT_SIZES, pixels_a_mm
from nimble_tile.ui.rooms.proof.trial_editor import TrialEditor
from nimble_tile.ui.rooms.proof.trial_fields import GROUPS, limits_of
from nimble_tile.ui.window import Window
from nimble_tile.ui.work.watcher import Watcher


@pytest.fixture
def weak(window, settle, qtbot, tmp_path):
    """A window with a photograph blended weakly, the trials at work."""
    path = tmp_path / "coffee.png"
    path.write_bytes(encoded(photograph("coffee")))
    window.message.text.setPlainText(LINK)
    window.files.bring_picture(path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    by_tone(window)
    window.session.edit("blend", "strength", strength=0.45)
    settle(window)
    window.wall.rest.setChecked(False)
    return window


@pytest.fixture
def proved(qtbot):
    def wait(window):
        qtbot.waitUntil(
            lambda: not window.jobs.busy and not window.answer.stale
            and window.answer.proved, timeout=40_000,
        )  # fmt: skip

    return wait


def test_the_wall_tries_settles_and_explains(weak, proved, qtbot):
    window = weak
    assert window.answer.verdict.reach is None
    proved(window)
    wall = window.wall
    names = [t.name for t in sets.shipped()]
    assert [t.name for t in wall.list.trials.trials] == names
    assert len(wall.list.trials.results) == len(names)
    assert 0.3 < window.answer.reach < 0.9
    assert wall.gauge.accessibleDescription().startswith(f"{window.answer.reach:.0%}")
    assert len(wall.gauge.bars) == len(names)
    # The verdict is the trials' now, with the reason.
    assert window.answer.verdict.reach == window.answer.reach
    assert window.band.words == "Scans, little to spare"
    assert "of what the usual code passes" in window.answer.verdict.reasons[0].text
    # A click shows a trial large, with reasons that can be pointed at.
    model = wall.list.trials
    row = next(i for i, t in enumerate(model.trials) if model.results[t][0].state == "failed")
    wall.list.scrollTo(model.index(row))
    spot = wall.list.visualRect(model.index(row)).center()
    QTest.mouseClick(wall.list.viewport(), Qt.MouseButton.LeftButton, pos=spot)
    view = window.trial_view
    assert window.middle.currentWidget() is view and not window.foot.isVisible()
    assert view.title.text() == model.trials[row].name
    qtbot.waitUntil(lambda: view.why is not None, timeout=10_000)
    assert view.causes and "modules flip" in " ".join(view.causes)
    pointing = next(b for b in view._buttons if b.isCheckable())
    pointing.click()
    assert view.canvas.cause is not None
    for way in ("x-ray", "blame"):
        view.way.button(way).click()
        before = view.canvas.grab().toImage()
        assert before.pixelColor(before.width() // 2, before.height() // 2).isValid()
    assert "blend" in view.legend.text()
    # Arrow keys go on, Escape goes back.
    QTest.keyClick(view, Qt.Key.Key_Right)
    assert view.title.text() == names[(row + 1) % len(names)]
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert window.middle.currentWidget() is window.bench and window.foot.isVisible()
    # Costs stand on the rungs that take part.
    qtbot.waitUntil(lambda: set(window.proof.costs) == {"picture", "blend"}, timeout=40_000)
    assert [bool(line.cost) for line in window.ladder.rows] == [False, False, True, True, False,
                                                                False]  # fmt: skip
    assert window.ladder.rows[3].cost.startswith("costs")
    assert "Reach is" in window.ladder.rows[3].toolTip()
    # Grade and limits.
    wall.pages.button("grade").click()
    assert wall.grade.quality is not None and "Overall" in wall.grade.accessibleDescription()


def test_an_edit_makes_the_wall_stale_and_newer_pieces_win(weak, proved, settle, qtbot):
    window = weak
    proved(window)
    first = window.answer.reach
    window.session.edit("blend", "strength", strength=0.9)
    assert window.wall.gauge.stale and window.wall.list.trials.stale
    # While the next are being tried, another edit comes: nothing older is shown as current.
    settle(window)
    window.session.edit("blend", "strength", strength=0.85)
    proved(window)
    assert window.answer.reach > first + 0.15 and not window.wall.gauge.stale
    assert window.band.words == "Scans well"
    # The same piece again is known at once.
    tickets = []
    window.proof.prover.began.connect(lambda ticket, _: tickets.append(ticket))
    window.session.undo()
    proved(window)
    assert tickets[-1] == window.engine.ticket


def test_news_of_a_case_that_was_left_changes_nothing(weak, proved):
    window, proof = weak, weak.proof
    proved(window)
    ticket, verdict = proof.prover.case.ticket, window.answer.verdict
    window.answer.proved, proof.costs = False, {}
    proof.prover.leave()  # as an edit does, or the window's end
    proof.prover.proved.emit(ticket, 0.25)
    proof.prover.began.emit(ticket, 3)
    proof.prover.cost.emit(ticket, Cost("logo", 0.1, None, 0.5))
    assert window.answer.verdict is verdict and not window.answer.proved
    assert window.answer.reach != 0.25 and not proof.costs


def test_trials_rest_when_asked_and_no_code_empties_the_wall(window, settle, qtbot):
    settle(window)
    qtbot.wait(300)
    assert window.wall.gauge.told == "Trials rest" and not window.wall.list.trials.results
    assert window.proof.prover.paused
    window.session.edit("message", "message", text="")
    qtbot.waitUntil(lambda: window.band.words == "No code yet", timeout=10_000)
    assert window.wall.gauge.reach is None


def test_limits_are_sought_while_they_are_looked_at(window, settle, proved, qtbot, monkeypatch):
    monkeypatch.setattr("nimble_tile.core.trials.limits.HALVINGS", 3)
    settle(window)
    window.wall.turn_to("limits")
    window.wall.rest.setChecked(False)
    rows = window.wall.limits.rows
    qtbot.waitUntil(lambda: all(r.reached is not None for r in rows.values()), timeout=60_000)
    told = rows["distance"].accessibleDescription()
    assert "mm" in told or " m" in told
    assert rows["tilt"].figure(61.2, False) == "61 °" and rows["print"].figure(8.25, True).endswith(
        "less"
    )
    near = rows["print"].reached.value
    # From farther away only a larger print reads.
    window.wall.limits.distance.setValue(500)
    qtbot.waitUntil(lambda: rows["print"].reached.value > 1.4 * near, timeout=60_000)


def test_trials_are_edited_added_switched_off_and_kept(window, settle, proved, qtbot, monkeypatch):
    settle(window)
    window.wall.rest.setChecked(False)
    proved(window)
    editor = TrialEditor(window, window.proof.prover)
    editor.show()
    qtbot.waitUntil(lambda: editor.whole)
    # Every number of a trial can be changed, within the model's own limits.
    fields = {(f.part, f.name) for _, group in GROUPS for f in group}
    model = {(part, name) for part in ("shown", "view", "camera", "light", "before", "wear")
             for name in type(getattr(sets.shipped()[0], part)).model_fields}  # fmt: skip
    assert fields == model - {("shown", "medium")}
    assert limits_of("light", "lux") == (0.05, 120_000)
    qtbot.waitUntil(lambda: editor.preview.image is not None, timeout=10_000)
    before = editor.preview.image
    line = editor.rows["light", "lux"]
    line.box.setValue(2)
    assert editor.trials[0].light.lux == 2 and "2 lx" in editor.words.text()
    qtbot.waitUntil(lambda: editor.preview.image is not before, timeout=10_000)
    jpeg = editor.rows["before", "jpeg"]
    jpeg.switch.setChecked(True)
    assert editor.trials[0].before.jpeg == 50
    editor.list.item(1).setCheckState(Qt.CheckState.Unchecked)
    editor.add.click()
    QTest.keyClicks(editor.name, "Under the hide")
    assert editor.trials[1].name == "Under the hide" and not editor.trials[2].on
    editor.copy.click()
    assert editor.trials[2].name == "Under the hide (copy)"
    editor.delete.click()
    # Two of one name are refused, in a sentence.
    editor.trials[1] = editor.trials[1].model_copy(update={"name": "In the hand"})
    editor._done()
    assert "called “In the hand”" in editor.note.text() and editor.isVisible()
    editor.trials[1] = editor.trials[1].model_copy(update={"name": "Under the hide"})
    editor._done()
    window.proof.take_set(editor.chosen)
    assert sets.read(window.settings.trials_file) == editor.chosen
    shown = [t.name for t in window.wall.list.trials.trials]
    assert shown[:2] == ["In the hand", "Under the hide"] and "On a laptop screen" not in shown
    qtbot.waitUntil(lambda: not window.wall.list.trials.stale, timeout=40_000)
    # A set from a file, and one that is none.
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (__file__, ""))
    again = TrialEditor(window, window.proof.prover)
    again._open()
    assert "not a set of trials" in again.note.text()
    again._as_shipped()
    assert again.trials == list(sets.shipped())
    again.reject()
    # The next window has them too.
    assert Window(window.settings).proof.prover.trials[1].name == "Under the hide"


def test_lenses_of_blocks_and_of_the_readers_eye(window, settle, qtbot):
    settle(window)
    window.sight.look_through(Lens.EYE)
    qtbot.waitUntil(lambda: window.bench.shown.eye is not None, timeout=10_000)
    eye = window.bench.image
    seen = {eye.pixelColor(x, y).name() for x in range(0, eye.width(), 7)
            for y in range(0, eye.height(), 7)}  # fmt: skip
    assert seen == {"#000000", "#ffffff"}
    settle(window)
    window.sight.look_through(Lens.BLOCKS)
    window.bench.grab()
    image = window.bench._blocks_seen()
    plan = window.bench.shown.rendering.symbol.anatomy
    first = np.argwhere(plan.block == 0)[0]
    assert image.pixelColor(int(first[1]) * 8 + 2, int(first[0]) * 8 + 2).alpha() > 60
    assert image.pixelColor(2, 2).alpha() == 0  # a finder belongs to no block
    window.bench.grab()
    assert window.bench._blocks_seen() is image
    # In a narrow window the lenses are a list.
    window.resize(1000, 700)
    qtbot.waitUntil(lambda: window.foot.lens_list.isVisible(), timeout=5000)
    assert window.foot.lens_list.currentData() == Lens.BLOCKS


def test_the_wall_by_keyboard_and_what_the_band_says_of_print(weak, proved, qtbot):
    window = weak
    proved(window)
    qtbot.waitUntil(lambda: window.band._print.smallest is not None, timeout=30_000)
    said = window.band._print.accessibleDescription()
    assert "mm a module" in said and "read it down to" in said
    wall = window.wall
    model = wall.list.trials
    wall.list.setFocus()
    wall.list.setCurrentIndex(model.index(0))
    QTest.keyClick(wall.list, Qt.Key.Key_Down)
    QTest.keyClick(wall.list, Qt.Key.Key_Return)
    assert window.trial_view.trial == model.trials[1]
    assert "the usual code by" in model.data(model.index(1), Qt.ItemDataRole.AccessibleTextRole)
    qtbot.waitUntil(lambda: window.trial_view.why is not None, timeout=10_000)
    # An edit greys what is seen large until it is looked into again.
    window.session.edit("blend", "strength", strength=0.5)
    assert window.trial_view.canvas.stale and window.band._print.smallest is None
    qtbot.waitUntil(lambda: not window.trial_view.canvas.stale, timeout=20_000)
    # Resting keeps what is known, and one trial can still be looked into.
    window.wall.rest.setChecked(True)
    window.trial_view.after.click()
    qtbot.waitUntil(lambda: window.trial_view.why is not None, timeout=20_000)
    assert window.settings.get("trials rest") is True
    window.trial_view.back.click()
    assert window.middle.currentWidget() is window.bench
    # Both themes dress every part.
    for name in ("dark", "light"):
        window.choose_theme(name)
        theme = window._theme()
        assert window.wall.gauge.theme is theme and window.trial_view.canvas.theme is theme
        assert not window.wall.grab().isNull() and not window.trial_view.grab().isNull()


def test_an_exported_file_is_checked_with_trials_on_request(window, settle, tmp_path, qtbot):
    settle(window)
    path = tmp_path / "out.png"
    window.files.exporting.export_to(path)
    qtbot.waitUntil(lambda: bool(window.notice.buttons), timeout=20_000)
    assert window.notice.buttons[0].text() == "Check it with trials"
    window.notice.buttons[0].click()
    checks = window.check_desk.checks
    idle(qtbot, checks, 1)
    finding = checks.items[0].entry.checked.findings[0]
    assert finding.text == window.session.piece.message.text and finding.reach > 0.9
    assert checks.details.facts["Reach"].text().endswith("%")
    # Stopping drops what waits.
    checks.check_paths([path, path, path])
    checks.cancel.click()
    qtbot.waitUntil(lambda: not checks.jobs.busy, timeout=20_000)
    assert len(checks.items) < 4
    checks.close()


# Checking --------------------------------------------------------------------


@pytest.fixture
def checks(window, settle):
    settle(window)
    made = window.check_desk.open()
    yield made
    if isValid(made):  # it goes with its main window
        made.close()


def idle(qtbot, checks, count):
    qtbot.waitUntil(lambda: not checks.jobs.busy and len(checks.items) >= count, timeout=60_000)


def codes(tmp_path, **texts):
    import segno

    made = []
    for name, text in texts.items():
        path = tmp_path / f"{name}.png"
        segno.make(text).save(str(path), scale=6, border=4)
        made.append(path)
    return made


def test_images_are_dropped_listed_compared_and_reported(checks, window, tmp_path, qtbot,
                                                         monkeypatch):  # fmt: skip
    good, other = codes(tmp_path, good=LINK, other=LINK.replace("dusk", "dawn"))
    bad = tmp_path / "bad.jpg"
    bad.write_bytes(b"no picture")
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in (good, other, bad)])
    event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, mime,
                       Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)  # fmt: skip
    checks.dropEvent(event)
    idle(qtbot, checks, 3)
    assert [item.entry.name for item in checks.items] == ["good.png", "other.png", "bad.jpg"]
    assert "bad.jpg" in checks.items[2].entry.error
    checks.intended.setPlainText(LINK)
    tree = checks.tree
    tree.setCurrentItem(tree.topLevelItem(0).child(0))
    facts = checks.details.facts
    assert facts["Kind"].text() == "Link" and facts["Verdict"].text() == "Scans well"
    assert facts["Symbol"].text().startswith("Version 3")
    # The grade says what it is, and that it is no certified one.
    assert facts["Print grade"].text().startswith("A, after ISO/IEC 15415")
    assert facts["Readers"].text().startswith("4 of 4")
    assert checks.details.difference.text().startswith("Both texts are the same")
    tree.setCurrentItem(tree.topLevelItem(1))
    assert "instead of" in checks.details.difference.text()
    assert "<span" in checks.details.compared.text()
    checks.details.copy.click()
    assert QGuiApplication.clipboard().text() == LINK.replace("dusk", "dawn")
    checks.details.take_it.click()
    assert window.session.piece.message.text == LINK.replace("dusk", "dawn")
    report = tmp_path / "report"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(report), ""))
    checks.report.click()
    qtbot.waitUntil(lambda: "is in report.html" in checks.note.text(), timeout=10_000)
    assert "other.png" in (tmp_path / "report.html").read_text("utf-8")
    checks.save_report(tmp_path / "nowhere" / "r.json")
    qtbot.waitUntil(
        lambda: "r.json" in checks.note.text() and not checks.note.text().startswith("Writing"),
        timeout=10_000,
    )
    # What is looked at goes over to mending, in its full size, with the intended message.
    assert not checks.mend.isHidden() and checks.mend.isEnabled()
    tree.setCurrentItem(tree.topLevelItem(2))
    assert not checks.mend.isEnabled()
    tree.setCurrentItem(tree.topLevelItem(0))
    checks.mend.click()
    mender = window.mend_desk.open()
    qtbot.waitUntil(lambda: mender.suspect is not None, timeout=60_000)
    assert mender.name == "good.png" and mender.controls.message.toPlainText() == LINK
    assert mender.pixels.shape[:2] == Image.open(good).size[::-1]
    mender.close()
    other.unlink()
    tree.setCurrentItem(tree.topLevelItem(1))
    checks.mend.click()
    qtbot.waitUntil(lambda: "other.png" in checks.note.text(), timeout=10_000)
    assert mender.name == "good.png"
    checks.clear.click()
    assert not checks.items and not checks.report.isEnabled() and not checks.mend.isEnabled()


def test_what_a_code_says_is_never_markup_and_fetches_nothing(
    checks, window, settle, tmp_path, qtbot, monkeypatch
):
    def no(*_, **__):
        raise AssertionError("nothing may be fetched")

    monkeypatch.setattr("socket.socket.connect", no)
    monkeypatch.setattr("socket.getaddrinfo", no)
    window.message.text.setPlainText("http://lanternwalk.example/<img src='http://a.example/b'>")
    settle(window)
    assert window.band._said.toolTip().startswith("<qt>http")
    nasty = "<img src='file:///etc/hostname'><b>x</b>"
    checks.check_paths(codes(tmp_path, nasty=nasty))
    idle(qtbot, checks, 1)
    checks.intended.setPlainText("x")
    assert checks.details.text.toPlainText() == nasty
    assert "<img" not in checks.details.compared.text()
    assert themes.plain_tip(nasty) == "<qt>" + nasty.replace("&", "&amp;").replace(
        "<", "&lt;").replace(">", "&gt;").replace("'", "&#x27;") + "</qt>"  # fmt: skip
    assert "PySide6.QtNetwork" not in sys.modules


def test_a_watched_folder_tells_of_whole_new_files_only(qtbot, tmp_path, checks):
    old, new = codes(tmp_path, old="old", new="new")
    data = new.read_bytes()
    new.unlink()
    seen = []
    watcher = Watcher()
    watcher.appeared.connect(seen.append)
    watcher.watch(tmp_path)
    watcher._timer.stop()
    watcher.look()
    assert not seen  # what was there already
    (tmp_path / "growing.png").write_bytes(data[:50])
    qtbot.waitUntil(lambda: bool(watcher._touched))  # the system tells in a thread of its own
    watcher.look()
    (tmp_path / "growing.png").write_bytes(data[:90])
    watcher.look()
    assert not seen
    watcher.look()
    assert [p.name for p in seen] == ["growing.png"]
    (tmp_path / "notes.txt").write_text("x")
    old.write_bytes(data + b"\0")
    qtbot.waitUntil(lambda: "old.png" in watcher._touched)
    watcher.look()
    watcher.look()
    assert [p.name for p in seen][-1] == "old.png" and "notes.txt" not in str(seen)
    lost = []
    watcher.lost.connect(lost.append)
    watcher.watch(tmp_path / "gone")
    assert lost and watcher.folder is None
    # In the window: a generator drops a file, it is checked by itself.
    folder = tmp_path / "out"
    folder.mkdir()
    checks.watch_folder(folder)
    assert checks.watch.text() == "Stop watching"
    (folder / "made.png").write_bytes(data)
    idle(qtbot, checks, 1)
    assert checks.items[0].entry.checked.findings[0].text == "new"
    checks.watch.click()
    assert checks.watcher.folder is None


def test_a_rectangle_of_the_bench_and_the_clipboard_are_checked(window, settle, qtbot):
    settle(window)
    window.act_region.trigger()
    bench = window.bench
    frame = QRectF(bench._offset, bench.image.size() * bench._scale)
    corner, far = frame.topLeft().toPoint(), frame.bottomRight().toPoint()
    QTest.mousePress(bench, Qt.MouseButton.LeftButton, pos=corner - QPoint(6, 6))
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(bench, corner + (far - corner) * share + QPoint(6, 6))
    QTest.mouseRelease(bench, Qt.MouseButton.LeftButton, pos=far + QPoint(6, 6))
    checks = window.check_desk.checks
    idle(qtbot, checks, 1)
    assert bench.hand is bench.placing
    assert checks.items[0].entry.checked.findings[0].text == window.session.piece.message.text
    QGuiApplication.clipboard().setImage(window.bench.image)
    checks.with_trials.setChecked(True)
    checks.pasted.click()
    idle(qtbot, checks, 2)
    assert checks.items[1].entry.checked.findings[0].reach > 0.9
    assert len(checks.details.trials.results) == len(sets.shipped())
    QGuiApplication.clipboard().clear()
    checks.pasted.click()
    assert "no image on the clipboard" in checks.note.text()
    # Escape calls the rectangle off.
    window.act_region.trigger()
    QTest.keyClick(bench, Qt.Key.Key_Escape)
    assert bench.hand is bench.placing
    checks.close()


# Phones ------------------------------------------------------------------------


def test_the_phone_test_shows_true_size_and_keeps_its_log(window, settle, qtbot, tmp_path,
                                                          monkeypatch):  # fmt: skip
    settle(window)
    window.act_phone.trigger()
    phone = window.check_desk.phone
    easel = phone.easel
    phone.resize(1280, 800)
    # A code of so many mm is so many pixels wide, also as it is painted.
    easel.scale, easel.size = 4.0, 50.0
    area = easel.target()
    code = easel.code.width() * area.width() / easel.image.width()
    assert code == pytest.approx(200, abs=0.5)
    grab = easel.grab().toImage().convertToFormat(easel.image.format())
    line = [grab.pixelColor(x, round(area.center().y())).lightness() for x in range(grab.width())]
    dark = [x for x, value in enumerate(line) if value < 90]
    symbol = window.bench.shown.rendering
    assert dark[-1] - dark[0] <= 200 * symbol.symbol.side / symbol.modules + 2
    phone.step(1)
    assert phone.size_mm == 40 and phone.figure.text() == "40 mm"
    phone.log(True)
    assert "which device" in phone.note.text() and not window.session.piece.log
    phone.device.setEditText("  my   old phone ")
    phone.light.setEditText("desk lamp")
    phone.distance.setValue(250)
    phone.read.click()
    assert phone.size_mm == 30  # on to the next smaller size
    phone.failed.click()
    log = window.session.piece.log
    assert [(t.device, t.size, t.read) for t in log] == [("my old phone", 40, True),
                                                         ("my old phone", 30, False)]  # fmt: skip
    assert log[0].light == "desk lamp" and log[0].distance == 250 and log[0].state
    assert window.session.unsaved
    # Undo is for the piece, not for what was seen.
    window.session.edit("code", "quiet zone", quiet_zone=6)
    window.session.undo()
    assert len(window.session.piece.log) == 2
    window.session.edit("code", "quiet zone", quiet_zone=6)
    phone._show()
    assert "earlier state" in phone.list.item(0).text()
    phone.list.setCurrentRow(0)
    phone.delete.click()
    assert len(window.session.piece.log) == 1
    # A card's outline measures the screen, and that is remembered.
    phone.measure.click()
    assert easel.measuring and phone.coarser.isEnabled()
    phone.coarser.click()
    assert easel.scale == pytest.approx(4.02)
    assert phone._scale_of(phone.screen()) == pytest.approx(4.02)
    assert BANK_CARD == (85.6, 53.98)  # ISO/IEC 7810, ID-1
    phone.measure.click()
    # Saved, reopened.
    path = tmp_path / "walk.nimbletile"
    window.files.save_to(path)
    qtbot.waitUntil(lambda: path.exists() and not window.jobs.busy, timeout=10_000)
    assert archive.load(path, window.pictures).log == window.session.piece.log
    assert not window.session.unsaved
    assert (
        1.5 <= pixels_a_mm(window.screen()) <= 12 and list(PRINT_SIZES) == sorted(PRINT_SIZES)[::-1]
    )
    QTest.keyClick(phone, Qt.Key.Key_Escape)
    assert not phone.isVisible()


def test_check_from_the_command_line_with_trials(tmp_path, capsys):
    from nimble_tile.cli import main

    (path,) = codes(tmp_path, code=LINK)
    whole = cv2.imread(str(path))
    wide = np.full((whole.shape[0], 3 * whole.shape[1], 3), 255, np.uint8)
    wide[:, whole.shape[1] : 2 * whole.shape[1]] = whole
    cv2.imwrite(str(tmp_path / "wide.png"), wide)
    region = f"{whole.shape[1]},0,{whole.shape[1]},{whole.shape[0]}"
    report = tmp_path / "r.html"
    mine = tmp_path / "set.json"
    sets.write(sets.shipped()[:3], mine)
    with pytest.raises(SystemExit) as left:
        main(["check", str(tmp_path / "wide.png"), "--expect", LINK, "--region", region, "--trials",
              "--set", str(mine), "--report", str(report), "--json"])  # fmt: skip
    assert left.value.code == 0
    told = json.loads(capsys.readouterr().out)
    assert told["verdict"] == "well" and told["matches"] is True and 1 <= told["reach"] < 1.15
    assert [t["name"] for t in told["trials"]] == [t.name for t in sets.shipped()[:3]]
    assert set(told["trials"][0]["passed"]) == set(told["trials"][0]["plain"]) == {
        "zxing-cpp", "OpenCV", "quirc", "qrdec"}  # fmt: skip
    assert told["found"][0]["corners"][0][0] > whole.shape[1]
    assert report.read_text("utf-8").startswith("<!doctype html>")
    for arguments, code in (
        (["--expect", "else"], 1), (["--trials", "--set", str(tmp_path / "none.json")], 2),
        (["--page", "4"], 2),
    ):  # fmt: skip
        with pytest.raises(SystemExit) as left:
            main(["check", str(path), *arguments])
        assert left.value.code == code
    QApplication.processEvents()
