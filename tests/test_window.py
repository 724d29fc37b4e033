"""The real window, driven through the whole path as a person would."""

import os
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAction, QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QPushButton

from conftest import LINK, by_tone, encoded, photograph
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Region
from nimble_tile.core.project import archive
from nimble_tile.core.scan.readers import READERS
from nimble_tile.core.tune import first
from nimble_tile.ui.bench.bench import Lens
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.window import Window
from nimble_tile.ui.work.session import SAMPLE_MESSAGE
from nimble_tile.ui.work.settings import Settings


@pytest.fixture
def coffee(tmp_path):
    path = tmp_path / "coffee.png"
    path.write_bytes(encoded(photograph("coffee")))
    return path


def drop(window, *paths):
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(QPointF(700, 400), Qt.DropAction.CopyAction, mime,
                       Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)  # fmt: skip
    window.dropEvent(event)


def slide(slider, value):
    """Drag a slider's handle with the mouse."""
    track = slider.track
    y = track.height() // 2

    def at(share):
        return QPoint(round(6 + share * (track.width() - 12)), y)

    QTest.mousePress(track, Qt.MouseButton.LeftButton, pos=at(track.value() / track.maximum()))
    for step in range(1, 6):
        start = track.value() / track.maximum()
        QTest.mouseMove(track, at(start + (value - start) * step / 5))
    QTest.mouseRelease(track, Qt.MouseButton.LeftButton, pos=at(value))


def test_whole_path_type_drop_slide_undo_save_reopen_export_check(
    window, settle, coffee, tmp_path, qtbot, monkeypatch
):
    # The empty window already holds a checked code.
    settle(window)
    assert window.band.words == "Scans well"
    assert window.answer.verdict.expected == SAMPLE_MESSAGE
    # Type: the text is selected, so typing replaces it.
    assert window.message.text.hasFocus()
    QTest.keyClicks(window.message.text, LINK)
    assert window.band.stale
    settle(window)
    assert window.session.piece.message.text == LINK
    assert window.answer.verdict.expected == LINK
    QTest.keyClick(window.message.text, Qt.Key.Key_Return)  # a link stays one line
    assert window.session.piece.message.text == LINK
    assert window.band._spare.accessibleDescription() == "100%"
    assert window.band._said.accessibleDescription() == LINK
    # Undo in the field takes back the typing as a whole, and redo brings it again.
    QTest.keyClick(window.message.text, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.message.text.toPlainText() == window.session.piece.message.text == SAMPLE_MESSAGE
    window.act_redo.trigger()
    assert window.message.text.toPlainText() == LINK
    # Drop a picture: placed, blended and checked without another click.
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    settle(window)
    assert window.band.words == "Scans well"
    assert window.answer.verdict.readers_right == (4, 4)
    assert window.answer.verdict.fidelity.ssim_view < 0.9
    # It came as marks in a place of its own, on the rung where it is blended, not in the middle.
    assert window.session.piece.blend.method == "gentle" and window.ladder.current_rung == "blend"
    assert window.session.piece.picture.region.width < 400
    # Slide the strength down to nothing: it fails, and the window says so.
    slide(window.blend.strength, 0.0)
    settle(window)
    assert window.session.piece.blend.strength < 0.02
    assert window.band.words == "Does not scan"
    assert window.answer.verdict.sample.wrong.sum() > 200
    assert "hardly shows" in window.blend.why.text()
    assert window.blend.why.isVisible()
    window.sight.look_through(Lens.XRAY)
    # Undo brings the strength back in one step.
    assert window.act_undo.text() == "&Undo: change the strength"
    window.act_undo.trigger()
    settle(window)
    assert window.session.piece.blend.strength == first.STRENGTH
    assert window.band.words == "Scans well"
    window.act_redo.trigger()
    assert window.session.piece.blend.strength < 0.02
    window.act_undo.trigger()
    # Save, start over, reopen.
    path = tmp_path / "walk.nimbletile"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    window.act_save.trigger()
    qtbot.waitUntil(path.exists, timeout=10_000)
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=10_000)
    assert window.windowTitle() == "walk – Nimble Tile"
    saved = window.session.piece
    assert archive.load(path, PictureStore()) == saved
    window.act_new.trigger()
    settle(window)
    assert window.session.piece.picture.digest is None
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    window.act_open.trigger()
    qtbot.waitUntil(lambda: window.session.piece == saved, timeout=10_000)
    settle(window)
    assert window.settings.recent == [path]
    # Export and check the file independently of the window.
    out = tmp_path / "walk.png"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    window.act_export.trigger()
    qtbot.waitUntil(lambda: window.finish.files.proof.proof is not None, timeout=20_000)
    assert window.finish.files.proof.proof.verdict.readers_right == (4, 4)
    assert window.finish.files.proof.isVisible()
    assert "4 of 4 readers" in window.notice.label.text()
    import numpy as np

    pixels = np.asarray(Image.open(out))
    assert pixels.shape[1] / pixels.shape[0] == pytest.approx(1.5, abs=0.01)
    for reader in READERS.values():
        assert reader().read(pixels)[0].text == LINK


def test_stale_answers_are_grey_until_the_newest_is_in(window, settle, coffee, qtbot):
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    settle(window)
    verdicts = []
    window.engine.judged.connect(lambda ticket, _: verdicts.append(ticket))
    for step in range(30):
        window.session.edit("blend", "Change the strength", "s", strength=step / 60)
        assert window.band.stale
        QTest.qWait(4)
    settle(window)
    qtbot.waitUntil(lambda: bool(verdicts) and verdicts[-1] == window.engine.ticket, timeout=10_000)
    assert len(verdicts) < 30  # newer pieces overtook older ones
    assert window.band.verdict.sample is window.bench._verdict.sample
    assert window.session.undo_name == "Change the strength"
    window.session.undo()
    assert window.session.piece.blend.strength == first.STRENGTH


def test_late_renderings_never_push_controls_back(window, settle, coffee, qtbot):
    """A rendering of an older piece arrives while a gesture goes on."""
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    settle(window)
    old = window.answer.shown
    region = Region(x=120, y=40, width=300, height=300)
    window.session.edit("finish", "Choose JPEG", format="jpeg", quality=50)
    window.session.edit("finish", "Change the size", size=900)
    window.session.edit("picture", "Place the code", region=region)
    window._rendered(old)
    assert window.finish.files.quality.value == 50
    assert window.finish.files.size.value() == 900
    assert window.bench.place == region
    assert window.ladder.rows[5].summary == "JPEG 50, 900 px"


def click_picture(grid, value):
    """Click one of the small pictures."""
    index = [option[0] for option in grid._options].index(value)
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=grid.cell(index).center().toPoint())


def test_every_code_setting_reaches_the_symbol(window, settle):
    rung = window.code.symbol
    window.ladder.open(1)
    QTest.mouseClick(rung.level.button("H"), Qt.MouseButton.LeftButton)
    rung.version.setCurrentIndex(rung.version.findData("7"))
    rung.version.activated.emit(rung.version.currentIndex())
    settle(window)
    click_picture(rung.masks, 5)
    rung.quiet.box.setValue(2)
    settle(window)
    symbol = window.answer.shown.rendering.symbol
    assert (symbol.version, symbol.level, symbol.mask) == ("7", "H", 5)
    assert window.answer.shown.rendering.modules == 45 + 4
    assert "Below the standard's 4" in rung.quiet_note.text()
    assert window.ladder.rows[1].summary == "7-H, 45 modules, mask 5"
    # A message that does not fit: the reason stands beside the control.
    window.session.edit("message", "Write", text="x" * 200)
    settle(window)
    assert "does not fit version 7" in window.code.error.text()
    assert window.code.error.isVisible()
    assert window.band.words == "No code yet"
    assert not window.act_export.isEnabled()
    # Micro QR: levels and masks that it lacks cannot be chosen and say why.
    window.session.edit("message", "Write", text="123")
    rung.version.setCurrentIndex(rung.version.findData("M2"))
    rung.version.activated.emit(rung.version.currentIndex())
    settle(window)
    assert not rung.level.button("H").isEnabled()
    assert "does not offer" in rung.level.button("H").toolTip()
    assert window.session.piece.code.mask == "auto"
    assert window.answer.shown.rendering.symbol.version == "M2"
    assert window.answer.verdict.readers_right == (1, 1)


def test_message_advice_and_its_fixes(window, settle):
    window.session.edit("message", "Write", text="lanternwalk.example/dusk")
    texts = [
        label.text() for label in window.message._advice.findChildren(type(window.message.count))
    ]
    assert any("does not begin with https" in text for text in texts)
    settle(window)
    (button,) = [b for b in window.message._advice.findChildren(QPushButton) if b.isVisible()]
    button.click()
    assert window.session.piece.message.text == "https://lanternwalk.example/dusk"
    assert window.session.undo_name == "Put https:// in front"
    window.session.edit("message", "Write", text="")
    settle(window)
    assert window.band.words == "No code yet"
    assert "Write what the code should say" in window.band._words.reason


def test_bad_files_get_a_sentence_and_change_nothing(window, settle, tmp_path, coffee, qtbot):
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    piece = window.session.piece
    broken = tmp_path / "broken.png"
    broken.write_bytes(coffee.read_bytes()[:5000])
    drop(window, broken)
    settle(window)
    assert "damaged or cut off" in window.notice.label.text()
    hostile = tmp_path / "x.nimbletile"
    hostile.write_bytes(b"PK nonsense")
    window.files.ask_unsaved = lambda: "drop"
    drop(window, hostile)
    settle(window)
    assert "not a project" in window.notice.label.text()
    window.files.exporting.export_to(tmp_path / "none" / "a.png")
    settle(window)
    assert "does not exist" in window.notice.label.text()
    assert window.session.piece == piece


@pytest.mark.parametrize("answer", ["stay", "drop", "save"])
def test_unsaved_changes_are_asked_about(window, settle, tmp_path, answer):
    path = tmp_path / "kept.nimbletile"
    window.session.edit("message", "Write", text=LINK)
    window.session.path = path
    window.files.ask_unsaved = lambda: answer
    window.files.new_piece()
    if answer == "stay":
        assert window.session.piece.message.text == LINK
    else:
        assert window.session.piece.message.text == SAMPLE_MESSAGE
    assert path.exists() == (answer == "save")
    if answer == "save":
        assert archive.load(path, PictureStore()).message.text == LINK
        assert not window.session.unsaved


def test_code_is_dragged_and_sized_on_the_bench(window, settle, coffee, qtbot):
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    by_tone(window)
    settle(window)
    bench = window.bench
    assert bench.place.width == 370  # the nearest size with whole pixels a module
    window.picture.open_page("place")
    window.picture.place.whole.click()
    settle(window)
    hand, unit = bench.placing, bench.unit
    corner = hand.quad()[2].toPoint()
    QTest.mousePress(bench, Qt.MouseButton.LeftButton, pos=corner)
    QTest.mouseMove(bench, corner - QPoint(round(150 * unit), round(150 * unit)))
    QTest.mouseRelease(
        bench, Qt.MouseButton.LeftButton, pos=corner - QPoint(round(150 * unit), round(150 * unit))
    )
    region = window.session.piece.picture.region
    assert region.width == pytest.approx(250, abs=3)
    assert (region.x, region.y) == (100, 0)
    inside = ((hand.quad()[0] + hand.quad()[2]) / 2).toPoint()
    QTest.mousePress(bench, Qt.MouseButton.LeftButton, pos=inside)
    QTest.mouseMove(bench, inside + QPoint(round(40 * unit), round(60 * unit)))
    QTest.mouseRelease(
        bench, Qt.MouseButton.LeftButton, pos=inside + QPoint(round(40 * unit), round(60 * unit))
    )
    moved = window.session.piece.picture.region
    assert (moved.x, moved.y) == (pytest.approx(140, abs=3), pytest.approx(60, abs=3))
    assert moved.width == region.width
    QTest.keyClick(bench, Qt.Key.Key_Right)
    assert window.session.piece.picture.region.x == moved.x + 1
    settle(window)
    page = window.picture.place
    assert page.x.value() == moved.x + 1
    page.side.setValue(120)
    assert window.session.piece.picture.region.width == 120
    page.centre.click()
    assert window.session.piece.picture.region is None


def test_lenses_zoom_and_keys(window, settle, coffee, qtbot):
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    by_tone(window)
    settle(window)
    bench = window.bench
    finished = bench.image
    window.lens_actions[Lens.PICTURE].trigger()
    assert bench.image is not finished
    window.foot.lens.button(Lens.CODE).click()
    qtbot.waitUntil(lambda: bench.shown.code is not None, timeout=10_000)
    assert bench.image.pixelColor(300, 20).getRgb()[:3] == (255, 255, 255)
    # Where there is no room for buttons, a list stands for them and says the same.
    listed = window.foot.lens_list
    listed.setCurrentIndex(listed.findText("X-ray"))
    listed.activated.emit(listed.currentIndex())
    assert bench.lens is Lens.XRAY
    window.foot.lens.button(Lens.CODE).click()
    before = bench.scale
    wheel = QWheelEvent(QPointF(300, 300), QPointF(300, 300), QPoint(0, 0), QPoint(0, 240),
                        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
                        Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(bench, wheel)
    assert bench.scale == pytest.approx(before * 1.44, rel=0.01)
    bench.close_up()
    quad = bench.placing.quad()
    assert quad[2].y() - quad[0].y() <= bench.height()
    window.foot.fit.click()
    assert bench.scale == pytest.approx(before)
    # A wheel over a control without focus scrolls past it.
    window.ladder.open(3)
    bench.setFocus()
    value = window.session.piece.blend.strength
    QApplication.sendEvent(window.blend.strength.track, wheel)
    assert window.session.piece.blend.strength == value
    # Single keys open rungs, but not while typing.
    QTest.keyClick(bench, Qt.Key.Key_2)
    assert window.ladder.current == 1
    window.ladder.open(0)
    window.message.text.setFocus()
    QTest.keyClicks(window.message.text, "4")
    assert window.ladder.current == 0
    window.ladder.open(3)
    window.blend.strength.box.setFocus()
    window.blend.strength.box.selectAll()
    QTest.keyClicks(window.blend.strength.box, "52")
    QTest.keyClick(window.blend.strength.box, Qt.Key.Key_Return)
    assert window.ladder.current == 3
    assert window.session.piece.blend.strength == 0.52


def luminance(colour):
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return sum(w * p for w, p in zip((0.2126, 0.7152, 0.0722), linear, strict=True))


def contrast(a, b):
    """Contrast ratio of WCAG 2.2 (relative luminance)."""
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def test_text_contrast_is_double_a_in_both_themes():
    assert contrast("#000000", "#ffffff") == pytest.approx(21)
    assert contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.01)
    for theme in (themes.LIGHT, themes.DARK):
        for ground in (theme.panel, theme.paper, theme.tint, theme.field):
            for text in (theme.ink, theme.soft, theme.well, theme.thin, theme.fails):
                assert contrast(text, ground) >= 4.5, (text, ground)
        assert contrast(theme.on_accent, theme.accent) >= 4.5
        assert contrast(theme.edge, theme.field) >= 3
        assert contrast(theme.ink, theme.bench) >= 4.5


def test_controls_have_names_and_disabled_ones_say_why(window, settle):
    settle(window)
    from PySide6.QtWidgets import QAbstractButton, QAbstractSpinBox, QComboBox, QSlider

    for index in range(5):
        window.ladder.open(index)
        rung = window.ladder.rungs[index]
        for kind in (QAbstractButton, QAbstractSpinBox, QComboBox, QSlider):
            for control in rung.findChildren(kind):
                name = control.accessibleName() or getattr(control, "text", lambda: "")()
                assert name, control
                if not control.isEnabled() and control.isVisible():
                    holders = (control, control.parentWidget())
                    assert any(h.toolTip() for h in holders), name
    texts = [a.text() for m in window.menuBar().findChildren(type(window.recent_menu))
             for a in m.actions() if isinstance(a, QAction) and a.text()]  # fmt: skip
    assert not any(text.endswith("!") for text in texts)


def test_settings_survive_and_bad_ones_do_no_harm(qtbot, tmp_path):
    file = tmp_path / "deep" / "window.json"
    settings = Settings(file)
    settings.set("theme", "dark")
    for name in ("a", "b", "a"):
        settings.remember_project(tmp_path / f"{name}.nimbletile")
    again = Settings(file)
    assert again.get("theme") == "dark"
    assert [path.stem for path in again.recent] == ["a", "b"]
    file.write_text("{ broken")
    assert Settings(file).recent == []
    file.write_text('{"geometry": "@@@", "theme": 7, "recent": [3, null]}')
    window = Window(Settings(file))
    qtbot.addWidget(window)
    window.show()
    window.shut_down()
    nowhere = Settings(Path("/proc/nowhere/window.json"))
    nowhere.set("theme", "light")  # cannot be written, and that stops nothing


def test_cancelling_a_job_answers_at_once(window, qtbot):
    import threading

    started, ended = threading.Event(), []

    def work(progress):
        for step in range(1000):
            progress.step("Working", step / 1000)
            started.set()
            time.sleep(0.02)

    window.jobs.start(work, ended.append, ended.append)
    qtbot.waitUntil(window.progress.isVisible, timeout=5000)
    begun = time.monotonic()
    window.progress.cancelled.click()
    qtbot.waitUntil(lambda: not window.jobs.busy, timeout=5000)
    assert time.monotonic() - begun < 10  # of the 20 that the work would take
    assert ended == []
    assert not window.progress.isVisible()


def test_replacing_the_picture_places_the_code(window, settle, coffee, tmp_path, qtbot):
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    window.session.edit("picture", "Place", region=Region(x=300, y=100, width=290, height=290))
    small = tmp_path / "cat.jpg"
    small.write_bytes(encoded(photograph("chelsea")[:200, :200], "JPEG"))
    drop(window, small)
    qtbot.waitUntil(lambda: window.session.piece.picture.name == "cat.jpg", timeout=10_000)
    settle(window)
    there = window.session.piece.picture.region
    assert there.x + there.width <= 200 and there.y + there.height <= 200
    assert window.answer.shown.rendering is not None
    window.act_undo.trigger()
    settle(window)
    assert window.session.piece.picture.region.x == 300
    assert window.answer.shown.rendering is not None


def test_unsaved_work_of_a_crash_is_offered_to_the_next_start(
    window, settle, coffee, tmp_path, qtbot
):
    """The copy is written after a pause; a process that is gone leaves it to the next one."""
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    window.session.edit("message", "Write", text=LINK)
    window.files.safekeeping.keep_copy()
    folder = tmp_path / "state" / "unsaved"

    def kept():  # the clock may have copied the picture before there was a message
        copies = list(folder.glob("*.nimbletile"))
        return bool(copies) and archive.load(copies[0], PictureStore()) == window.session.piece

    qtbot.waitUntil(kept, timeout=10_000)
    (copy,) = folder.glob("*.nimbletile")
    crashed = copy.with_name(f"{2**22 + 1}.nimbletile")  # above any process number here
    copy.rename(crashed)
    next_window = Window(Settings(tmp_path / "state" / "window.json"))
    next_window.files.ask_unsaved = lambda: "drop"
    qtbot.addWidget(next_window)
    next_window.show()
    qtbot.waitUntil(next_window.notice.isVisible, timeout=10_000)
    assert "did not end properly" in next_window.notice.label.text()
    next_window.notice.buttons[0].click()
    qtbot.waitUntil(lambda: next_window.session.piece == window.session.piece, timeout=10_000)
    assert next_window.session.unsaved
    qtbot.waitUntil(lambda: not crashed.exists(), timeout=10_000)  # once it is safe again
    # Saving makes the copy needless; the first window may have kept another of its own work.
    next_window.files.save_to(tmp_path / "kept.nimbletile")
    qtbot.waitUntil(lambda: not next_window.session.unsaved, timeout=10_000)
    qtbot.waitUntil(lambda: not set(folder.glob("*.nimbletile")) - {copy}, timeout=10_000)
    next_window.shut_down()


def test_program_opens_a_real_window_on_a_display(tmp_path):
    """As a process under X: the demo's window gets its title, then ends on a signal."""
    script = (
        f"{sys.executable} -m nimble_tile demo & program=$!; "
        "for i in $(seq 1 150); do sleep 0.2; "
        "xwininfo -root -tree 2>/dev/null | grep -q 'Nimble Tile' && break; done; "
        "xwininfo -root -tree | grep 'Nimble Tile'; kill -INT $program; wait $program"
    )
    env = {key: value for key, value in os.environ.items() if key != "QT_QPA_PLATFORM"}
    env |= {"XDG_STATE_HOME": str(tmp_path), "XDG_CACHE_HOME": str(tmp_path)}
    done = subprocess.run(
        ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", "sh", "-c", script],
        env=env, capture_output=True, text=True, timeout=100, check=False,
    )  # fmt: skip
    assert "Nimble Tile" in done.stdout, done.stderr
    assert "Traceback" not in done.stderr
    assert (tmp_path / "nimble-tile" / "Woven poster.nimbletile").exists()


def test_clipboard_carries_pictures_in_and_out(window, settle, qtbot):
    from PySide6.QtGui import QGuiApplication

    from nimble_tile.ui.work.engine import to_qimage

    clipboard = QGuiApplication.clipboard()
    clipboard.setImage(to_qimage(photograph("chelsea")))
    window.act_paste.trigger()
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    assert window.session.piece.picture.name == "Pasted picture"
    settle(window)
    window.act_copy.trigger()
    qtbot.waitUntil(lambda: window.notice.label.text().startswith("Copied"), timeout=10_000)
    copied = clipboard.image()
    finished = window.answer.shown.finished
    assert copied.size() == finished.size()
    assert copied.pixel(200, 100) == finished.pixel(200, 100)
    clipboard.setText("no picture")
    window.act_paste.trigger()
    assert "no picture to paste" in window.notice.label.text()


def test_picture_rung_ground_and_removal(window, settle, tmp_path, qtbot):
    import numpy as np

    image = np.zeros((300, 300, 4), np.uint8)
    image[:150] = (200, 30, 60, 255)
    path = tmp_path / "half.png"
    path.write_bytes(encoded(image))
    drop(window, path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    settle(window)
    rung = window.picture
    window.ladder.open(2)
    rung.open_page("frame")
    assert rung.frame.ground.isEnabled()
    assert "300 × 300" in rung.about.text()
    rung.frame.ground.click()
    window.colour_desk.panel.chosen.emit("#204060")
    window.colour_desk.panel.hide()
    settle(window)
    assert window.session.piece.picture.ground == "#204060"
    assert window.answer.shown.picture.pixelColor(10, 290).name() == "#204060"
    rung.remove.click()
    settle(window)
    assert window.session.piece.picture.digest is None
    assert window.bench._invites
    assert not window.foot.lens.button(Lens.PICTURE).isEnabled()
    assert not window.blend.strength.isEnabled()
    assert window.act_undo.text() == "&Undo: remove the picture"


def test_finish_rung_sizes_formats_and_print(window, settle, coffee, tmp_path, qtbot):
    drop(window, coffee)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    by_tone(window)
    settle(window)
    window.ladder.open(5)
    rung = window.finish.files
    assert rung.size.value() == 600
    assert not rung.natural.isVisible()
    # 37 modules of 10 whole pixels at 300 dpi are 31.3 mm (25.4 mm to the inch).
    assert "31 mm wide" in rung.on_paper.text()
    rung.size.setValue(300)
    rung.format.activated.emit(rung.format.findData("jpeg"))
    settle(window)
    assert window.ladder.rows[5].summary == "JPEG 92, 300 px"
    assert "20 mm is the least" in rung.on_paper.text()
    assert window.band._print.small
    assert rung.quality.isVisible()
    window.files.exporting.export_to(tmp_path / "small.jpg")
    qtbot.waitUntil(lambda: rung.proof.proof is not None, timeout=20_000)
    assert rung.proof.proof.size == (300, 200)
    # A later change makes the proof an old one: it goes away.
    rung.natural.click()
    assert not rung.proof.isVisible()
    assert window.session.piece.finish.size is None


def test_themes_switch_and_are_remembered(window, settle):
    settle(window)
    panel = themes.DARK.panel
    window.choose_theme("dark")
    assert QApplication.palette().window().color().name() == themes.DARK.paper
    assert window.grab().toImage().pixelColor(10, 700).name() == panel
    assert Settings(window.settings.folder / "window.json").get("theme") == "dark"
    window.choose_theme("light")
    assert window.grab().toImage().pixelColor(10, 700).name() == themes.LIGHT.panel


def test_demo_piece_opens_from_the_menu_as_a_copy(window, settle, qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    window.demo_actions["lantern-walk-poster"].trigger()
    qtbot.waitUntil(lambda: window.session.piece.picture.name == "poster.jpg", timeout=15_000)
    settle(window)
    assert window.session.path is None
    assert window.band.words == "Scans well"
    assert window.settings.recent == []


def test_recent_projects_are_offered_and_forgotten(window, settle, tmp_path, qtbot):
    path = tmp_path / "walk.nimbletile"
    window.session.edit("message", "Write", text=LINK)
    window.files.save_to(path)
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=10_000)
    window.recent_menu.aboutToShow.emit()
    entry = window.recent_menu.actions()[0]
    assert entry.text() == "walk"
    window.files.new_piece()
    entry.trigger()
    qtbot.waitUntil(lambda: window.session.path == path, timeout=10_000)
    assert window.session.piece.message.text == LINK
    path.unlink()
    entry.trigger()
    settle(window)
    assert "does not exist" in window.notice.label.text()
    assert window.settings.recent == []
    window.recent_menu.aboutToShow.emit()
    assert window.recent_menu.actions()[0].text() == "No projects yet"


def test_calls_of_the_toolkit_give_none_back_whole(qapp):
    """A binding that loses references of None ends the program after a while of painting."""
    import sys

    from PySide6.QtCore import QRectF
    from PySide6.QtGui import QColor, QImage, QPainter

    image = QImage(8, 8, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    before = sys.getrefcount(None)
    for _ in range(2000):
        painter.fillRect(QRectF(0, 0, 4, 4), QColor("#112233"))
    after = sys.getrefcount(None)
    painter.end()
    assert before - after < 1000
