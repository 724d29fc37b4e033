"""Picture work in the real window: placing, frame, tones, masks, methods, lenses."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from conftest import by_tone, encoded, photograph
from nimble_tile.core.artwork import Frame, Light
from nimble_tile.core.picture.placing import corners
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import METHOD_LABELS
from nimble_tile.core.project import archive
from nimble_tile.ui.bench.bench import Lens
from nimble_tile.ui.bench.hands.crop import CropHand
from test_window import drop


@pytest.fixture
def cat(window, settle, tmp_path, qtbot):
    """A window with a picture in it, its third rung open."""
    path = tmp_path / "cat.png"
    path.write_bytes(encoded(photograph("chelsea")))
    drop(window, path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    window.ladder.open(2)
    settle(window)
    qtbot.waitUntil(lambda: window.bench.extent == (451, 300), timeout=10_000)
    by_tone(window)
    settle(window)
    return window


def drag(bench, start, end, modifiers=Qt.KeyboardModifier.NoModifier, steps=5):
    """The left button held from one point of the bench to another."""
    QTest.mousePress(bench, Qt.MouseButton.LeftButton, modifiers, start.toPoint())
    for step in range(1, steps + 1):
        at = start + (end - start) * step / steps
        move(bench, at, modifiers)
    QTest.mouseRelease(bench, Qt.MouseButton.LeftButton, modifiers, end.toPoint())


def move(bench, at, modifiers=Qt.KeyboardModifier.NoModifier):
    event = QMouseEvent(QEvent.Type.MouseMove, at, bench.mapToGlobal(at),
                        Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton, modifiers)  # fmt: skip
    QApplication.sendEvent(bench, event)


def test_perspective_is_pulled_kept_refused_and_saved(cat, settle, tmp_path, qtbot):
    window, bench = cat, cat.bench
    hand = bench.placing
    # Smaller first, then free corners.
    quad = hand.quad()
    drag(bench, quad[2], quad[2] - QPointF(180, 180))
    settle(window)
    window.picture.place.free.click()
    quad = hand.quad()
    drag(bench, quad[1], quad[1] + QPointF(-30, 36))
    settle(window)
    region = window.session.piece.picture.region
    assert region.bend is not None
    assert window.answer.shown.rendering.quad is not None
    assert window.answer.verdict.readers_right == (4, 4)
    # Moving keeps the shape; typing does too.
    shape = corners(region) - corners(region).mean(0)
    middle = (hand.quad()[0] + hand.quad()[2]) / 2
    drag(bench, middle, middle + QPointF(60, 25), Qt.KeyboardModifier.ControlModifier)
    moved = window.session.piece.picture.region
    assert np.allclose(corners(moved) - corners(moved).mean(0), shape, atol=1e-6)
    assert moved.x > region.x + 10
    window.picture.place.x.setValue(round(moved.x) + 7)
    assert np.allclose(
        corners(window.session.piece.picture.region)[0] - corners(moved)[0],
        (window.session.piece.picture.region.x - moved.x, 0), atol=1e-6,
    )  # fmt: skip
    settle(window)
    # A corner is typed; one that cannot be is not taken, and says so.
    page = window.picture.place
    page.corners.set_open(True)
    before = corners(window.session.piece.picture.region)
    page.corner_numbers[2][0].setValue(round(before[2, 0]) - 15)
    after = corners(window.session.piece.picture.region)
    assert after[2, 0] == pytest.approx(round(before[2, 0]) - 15)
    assert np.allclose(after[[0, 1, 3]], before[[0, 1, 3]], atol=1e-6)
    assert after[2, 1] == pytest.approx(before[2, 1])
    page.corner_numbers[2][0].setValue(2)
    assert page.corner_note.isVisible()
    assert page.corner_numbers[2][0].value() == round(after[2, 0])
    settle(window)
    # An impossible corner is held back while it is pulled, and says so.
    quad = hand.quad()
    QTest.mousePress(bench, Qt.MouseButton.LeftButton, pos=quad[1].toPoint())
    move(bench, quad[3] + QPointF(-60, 10))
    assert "crossed or folded" in window.notice.label.text()
    assert window.notice.isVisible()
    held = window.session.piece.picture.region
    QTest.keyClick(bench, Qt.Key.Key_Escape)
    assert not window.notice.isVisible()
    assert window.session.piece.picture.region != held
    settle(window)
    # Through a file and back.
    path = tmp_path / "sign.nimbletile"
    window.files.save_to(path)
    settle(window)
    piece = archive.load(path, PictureStore())
    assert piece.picture.region == window.session.piece.picture.region
    window.picture.place.flat.click()
    settle(window)
    assert window.session.piece.picture.region.bend is None
    assert window.answer.verdict.state == "well"


def test_turning_snaps_and_typed_angles_do_not(cat, settle):
    window, bench = cat, cat.bench
    hand = bench.placing
    window.picture.place.side.setValue(180)
    settle(window)
    quad = hand.quad()
    knob, middle = hand.knob(quad), (quad[0] + quad[2]) / 2
    arm = knob - middle
    # A quarter to the right, a little missed.
    drag(bench, knob, middle + QPointF(-arm.y(), arm.x() + 4))
    assert window.session.piece.picture.region.angle == 90
    window.picture.place.angle.box.setValue(13.3)
    assert window.session.piece.picture.region.angle == pytest.approx(13.3)
    settle(window)
    assert not window.picture.place.whole.isEnabled()
    assert window.answer.verdict.readers_right == (4, 4)


def test_moving_snaps_to_the_middle_unless_told_not_to(cat, settle):
    window, bench = cat, cat.bench
    window.picture.place.whole.click()
    window.picture.place.side.setValue(120)
    window.picture.place.x.setValue(20)
    window.picture.place.y.setValue(40)
    settle(window)
    hand, unit = bench.placing, bench.unit
    start = (hand.quad()[0] + hand.quad()[2]) / 2
    wanted = bench.from_picture(225.5, 150)
    drag(bench, start, wanted + QPointF(5, -4))
    region = window.session.piece.picture.region
    assert abs(region.x + 60 - 225.5) <= 0.5
    assert region.y + 60 == 150
    window.picture.place.snap.click()
    start = (hand.quad()[0] + hand.quad()[2]) / 2
    drag(bench, start, start + QPointF(6, 0))
    assert window.session.piece.picture.region.x == pytest.approx(region.x + 6 / unit, abs=1)


def test_best_places_are_found_seen_and_taken(cat, settle, qtbot):
    window = cat
    window.picture.place.side.setValue(150)
    settle(window)
    page = window.picture.place
    qtbot.waitUntil(lambda: page.buttons[0].isEnabled(), timeout=10_000)
    page.buttons[0].click()
    settle(window)
    region = window.session.piece.picture.region
    best = page._best[0]
    assert abs(region.x - best.x) <= 1
    assert abs(region.y - best.y) <= 1
    assert region.width == pytest.approx(150, abs=0.01)
    page.lens.click()
    assert window.bench.lens is Lens.PLACES
    qtbot.waitUntil(lambda: window.bench.places is not None, timeout=10_000)
    fog = window.bench.places.fog
    assert fog.size() == window.bench.image.size()
    assert fog.pixelColor(2, 2).alpha() > 200  # the middle cannot be in the corner
    at = window.bench.from_picture(120, 200)
    QTest.mouseClick(window.bench, Qt.MouseButton.LeftButton, pos=at.toPoint())
    region = window.session.piece.picture.region
    assert corners(region).mean(0) == pytest.approx((120, 200), abs=2)


def test_the_frame_turns_crops_extends_and_the_code_goes_along(cat, settle, qtbot):
    window, bench = cat, cat.bench
    place = window.picture.place
    place.side.setValue(150)
    place.x.setValue(200)
    place.y.setValue(60)
    settle(window)
    before = corners(window.session.piece.picture.region).mean(0)
    window.picture.open_page("frame")
    page = window.picture.frame
    page.right.click()
    settle(window)
    assert bench.extent == (300, 451)
    after = corners(window.session.piece.picture.region).mean(0)
    assert after == pytest.approx((300 - before[1], before[0]), abs=1)
    page.flip.click()
    page.tilt.box.setValue(5.0)
    settle(window)
    frame = window.session.piece.picture.frame
    assert (frame.turn, frame.flip, frame.tilt) == (90, True, 5.0)
    page.tilt.box.setValue(0.0)
    # Crop on the bench: the whole picture is seen meanwhile.
    page.crop_on_bench.click()
    qtbot.waitUntil(lambda: bench.shown.worked_on is not None, timeout=10_000)
    assert isinstance(bench.hand, CropHand)
    area = bench.hand.area()
    drag(bench, QPointF(area.center().x(), area.bottom()),
         QPointF(area.center().x(), area.bottom() - 60 * bench.unit))  # fmt: skip
    crop = window.session.piece.picture.frame.crop
    assert crop[:3] == (0, 0, 0)
    assert crop[3] == pytest.approx(60, abs=3)
    assert window.session.undo_name == "Crop the picture"
    page.crop_on_bench.click()
    settle(window)
    qtbot.waitUntil(lambda: bench.extent == (300, 451 - crop[3]), timeout=10_000)
    assert bench.hand is bench.placing
    page.extend_fold.set_open(True)
    page.extend["left"].setValue(40)
    settle(window)
    assert bench.extent == (340, 451 - crop[3])
    # A crop that leaves nothing is not taken, and the number goes back.
    page.crop["top"].setValue(440)
    assert page.crop["top"].value() == 0
    for _ in range(3):
        window.session.undo()
    settle(window)
    assert window.answer.verdict.state == "well"


def test_tones_are_live_and_can_be_switched_off(cat, settle):
    window = cat
    window.picture.open_page("tones")
    page = window.picture.tones
    settle(window)
    plain = window.answer.shown.picture.pixelColor(225, 150).lightness()
    page.exposure.box.setValue(1.0)
    settle(window)
    assert window.answer.shown.picture.pixelColor(225, 150).lightness() > plain + 20
    assert page.folds["light"]._note.text() == "changed"
    page.switches["light"].click()
    settle(window)
    assert window.answer.shown.picture.pixelColor(225, 150).lightness() == plain
    assert window.session.piece.picture.prepare.light == Light(on=False, exposure=1.0)
    window.session.undo()
    window.session.undo()
    # The curve is drawn by hand.
    page.folds["curve"].set_open(True)
    settle(window)
    curve = page.curve
    start = curve.at((0.5, 0.5)).toPoint()
    QTest.mousePress(curve, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(curve, curve.at((0.5, 0.8)).toPoint())
    QTest.mouseRelease(curve, Qt.MouseButton.LeftButton, pos=curve.at((0.5, 0.8)).toPoint())
    points = window.session.piece.picture.prepare.curve.points
    assert len(points) == 3
    assert points[1] == pytest.approx((0.5, 0.8), abs=0.02)
    settle(window)
    assert window.answer.shown.picture.pixelColor(225, 150).lightness() > plain + 10
    QTest.keyClick(curve, Qt.Key.Key_Delete)
    assert len(window.session.piece.picture.prepare.curve.points) == 2
    page.folds["two_tone"].set_open(True)
    page.switches["two_tone"].click()
    settle(window)
    image = window.answer.shown.picture
    colours = {image.pixelColor(x, y).name() for x in range(0, 450, 9) for y in range(0, 300, 9)}
    assert {"#1d2a24", "#f6f1e4"} <= colours
    assert len(colours) < 40
    page.kind.button("local").click()
    assert page.window.isVisible()
    page.dark.click()
    window.colour_desk.panel.chosen.emit("#102040")
    window.colour_desk.panel.hide()
    assert window.session.piece.picture.prepare.two_tone.dark == "#102040"


def test_cutting_out_by_brush_flood_and_rough_stroke(cat, settle, qtbot):
    window, bench = cat, cat.bench
    window.picture.open_page("cutout")
    settle(window)
    page, hand = window.picture.cutout, window.picture_desk.brush
    assert bench.hand is hand
    page.brush.size.box.setValue(20)
    assert hand.diameter == pytest.approx(60)

    def mask():
        digest = window.session.piece.picture.prepare.cut_out.mask
        return window.pictures.mask(digest)

    # Two strokes so quickly that the second begins before the first is in.
    drag(bench, bench.from_picture(100, 100), bench.from_picture(200, 100))
    drag(bench, bench.from_picture(100, 200), bench.from_picture(200, 200))
    settle(window)
    assert mask()[100, 150] == mask()[200, 150] == 255
    assert mask()[100, 300] == 0
    assert window.session.undo_name == "Keep a part of the picture"
    # Shift takes away; what is left over is seen through a veil.
    drag(bench, bench.from_picture(140, 100), bench.from_picture(150, 100),
         Qt.KeyboardModifier.ShiftModifier)  # fmt: skip
    settle(window)
    assert mask()[100, 145] == 0
    qtbot.waitUntil(lambda: bench.shown.overlay is not None, timeout=10_000)
    at = bench.shown.overlay
    assert at.pixelColor(*(round(v * at.width() / 451) for v in (300, 100))).alpha() > 150
    assert at.pixelColor(*(round(v * at.width() / 451) for v in (190, 100))).alpha() < 40
    QTest.keyClick(bench, Qt.Key.Key_Up)
    assert page.brush.size.value == pytest.approx(0.25)
    page.brush.invert.click()
    settle(window)
    assert mask()[100, 300] == 255
    page.brush.clear.click()
    assert window.session.piece.picture.prepare.cut_out.mask is None
    settle(window)
    page.brush.tool.button("flood").click()
    assert page.brush.tolerance.isVisible()
    QTest.mouseClick(bench, Qt.MouseButton.LeftButton,
                     pos=bench.from_picture(230, 220).toPoint())  # fmt: skip
    settle(window)
    assert 50 < (mask() > 0).sum() < 451 * 300
    page.brush.clear.click()
    page.brush.tool.button("rough").click()
    settle(window)
    drag(bench, bench.from_picture(130, 110), bench.from_picture(270, 120))
    settle(window)
    found = mask() > 127
    assert 0.05 < found.mean() < 0.9
    page.behind.button("colour").click()
    page.colour.click()
    window.colour_desk.panel.chosen.emit("#c0ffee")
    window.colour_desk.panel.hide()
    window.picture.open_page("place")
    settle(window)
    qtbot.waitUntil(lambda: bench.shown.worked_on is None, timeout=10_000)
    assert bench.image.pixelColor(3, 3).name() == "#c0ffee"
    assert bench.hand is bench.placing


def test_the_guard_is_painted_spared_and_kept_in_the_file(cat, settle, tmp_path, qtbot):
    window, bench = cat, cat.bench
    window.ladder.open(3)
    settle(window)
    before = window.answer.shown.rendering.image.copy()
    window.blend.guard_fold.set_open(True)
    settle(window)
    window.blend_desk.brush.size = 0.12
    drag(bench, bench.from_picture(150, 100), bench.from_picture(210, 100))
    settle(window)
    assert window.session.piece.picture.guard is not None
    assert "guarded" in window.ladder.rows[3].summary
    made = window.answer.shown.rendering
    near = (slice(90, 110), slice(160, 200))
    change = [np.abs(i[near].astype(int) - made.picture[near]).mean() for i in (before, made.image)]
    assert change[1] < 0.75 * change[0]
    qtbot.waitUntil(lambda: bench.shown.overlay is not None, timeout=10_000)
    path = tmp_path / "guarded.nimbletile"
    window.files.save_to(path)
    settle(window)
    store = PictureStore()
    piece = archive.load(path, store)
    assert store.mask(piece.picture.guard)[100, 180] == 255
    window.blend._brush.clear.click()
    assert window.session.piece.picture.guard is None
    window.blend.guard_fold.set_open(False)
    assert bench.hand is bench.placing


def test_every_method_is_chosen_pictured_and_set(cat, settle, qtbot):
    window = cat
    window.ladder.open(3)
    rung = window.blend
    settle(window)
    qtbot.waitUntil(lambda: len(rung._images) == len(METHOD_LABELS), timeout=10_000)
    box = rung.own
    settings = {
        "tone": lambda: box.darks.box.setValue(150),
        "overlay": lambda: box.mode.chosen.emit("multiply"),
        "dots": lambda: (box.dot_shape.button("diamond").click(), box.dot_size.box.setValue(80)),
        "cut": lambda: (box.cut_found.click(), box.cut_threshold.box.setValue(30)),
        "grain": lambda: box.cells.box.setValue(3),
        "ink": lambda: box.ink.button("tint").click(),
        "strokes": lambda: (box.scatter.click(), box.stroke_gaps.box.setValue(50)),
        "weave": lambda: (
            box.motif.box.setValue(20),
            box.woven_marks.shape.chosen.emit("soft"),
            box.woven_finders.button("drawn").click(),
        ),
    }
    seen = {}
    for method, change in settings.items():
        index = [value for value, _ in rung.method._options].index(method)
        QTest.mouseClick(rung.method, Qt.MouseButton.LeftButton,
                         pos=rung.method.cell(index).center().toPoint())  # fmt: skip
        settle(window)
        assert window.session.piece.blend.method == method
        assert len(rung.holds.text()) > 40
        plain = window.answer.shown.rendering.image
        change()
        settle(window)
        assert not np.array_equal(window.answer.shown.rendering.image, plain), method
        seen[method] = window.answer.shown.rendering.image
    blend = window.session.piece.blend
    assert blend.dots.shape == "diamond"
    assert blend.dots.size == pytest.approx(0.8)
    assert blend.cut.threshold == pytest.approx(0.3)
    assert (blend.grain.cells, blend.ink.where, blend.strokes.gaps) == (3, "tint", 0.5)
    rung.finders_fold.set_open(True)
    rung.finders_own.click()
    rung.finders.box.setValue(95)
    rung.quiet.button("border").click()
    assert rung.border_row.isVisibleTo(rung)
    rung.border.chosen.emit("ticket")
    assert (window.session.piece.blend.quiet, window.session.piece.blend.marks.border) == (
        "border", "ticket")  # fmt: skip
    rung.quiet.button("plain").click()
    rung.quiet_own.click()
    rung.quiet_strength.box.setValue(100)
    settle(window)
    made = window.answer.shown.rendering
    box_ = made.box
    assert (made.image[box_.y + 3, box_.x + 3] == 255).all()
    assert window.session.piece.blend.finders == pytest.approx(0.95)
    rung.finders_own.click()
    assert window.session.piece.blend.finders is None


def test_before_by_a_held_key_and_the_split_view(cat, settle):
    window, bench = cat, cat.bench
    bench.setFocus()
    finished = bench.image

    def press(kind):
        event = QKeyEvent(kind, Qt.Key.Key_B, Qt.KeyboardModifier.NoModifier, "b")
        QApplication.sendEvent(bench, event)

    press(QEvent.Type.KeyPress)
    assert bench.image is bench.shown.picture
    press(QEvent.Type.KeyRelease)
    assert bench.image is finished
    window.ladder.open(0)
    window.message.text.setFocus()
    QTest.keyClicks(window.message.text, "b")
    assert not bench.before
    settle(window)
    window.foot.split.click()
    assert bench.split == 0.5
    assert window.act_split.isChecked()
    shot = bench.grab().toImage()
    divider = bench.from_picture(451 / 2, 150)
    for side, image in ((-1, bench.shown.picture), (1, bench.shown.finished)):
        for x in (40, 90, 130):
            at = bench.from_picture(225.5 + side * x, 80)
            spot = (at - bench._offset) / bench.scale
            wanted = image.pixelColor(int(spot.x()), int(spot.y()))
            got = shot.pixelColor(at.toPoint())
            assert abs(got.lightness() - wanted.lightness()) < 45
    drag(bench, divider, divider + QPointF(100, 0))
    assert bench.split == pytest.approx(0.5 + 100 / (451 * bench.unit), abs=0.01)
    window.act_split.trigger()
    assert bench.split is None


def test_pictures_that_are_replaced_or_removed_take_their_masks_along(cat, settle, tmp_path, qtbot):
    window = cat
    window.session.reframe("Crop", crop=(10, 0, 0, 0))
    window.session.prepare("light", "Light", exposure=1.0)
    window.picture.open_page("cutout")
    path = tmp_path / "coffee.png"
    path.write_bytes(encoded(photograph("coffee")))
    drop(window, path)
    qtbot.waitUntil(lambda: window.session.piece.picture.name == "coffee.png", timeout=10_000)
    settle(window)
    picture = window.session.piece.picture
    assert picture.frame == Frame()
    assert picture.prepare.light == Light()
    window.picture.remove.click()
    settle(window)
    assert window.bench.hand is window.bench.placing
    assert not window.picture.page.isVisible()
    window.session.undo()
    settle(window)
    assert window.session.piece.picture == picture
    QTest.mouseMove(window.bench, QPoint(300, 300))
