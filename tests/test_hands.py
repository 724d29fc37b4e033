"""Hands on the bench and editors of curves, by pointer and by keys, down to their edges."""

import numpy as np
import pytest
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest

from conftest import encoded, photograph
from nimble_tile.core.artwork import Curve, Prepare
from nimble_tile.core.picture.prepare import prepared
from nimble_tile.ui.bench.hands.crop import LEAST_CROP_SIDE
from nimble_tile.ui.bench.hands.region import LEAST_REGION_SIDE
from nimble_tile.ui.kit.curves import LEAST_APART, MOST_POINTS, CurveEdit

PLAIN = Qt.KeyboardModifier.NoModifier


def pulled(hand, start, *ways, give_up=False):
    """A hand that takes a point of the bench and moves it by some steps."""
    assert hand.press(start, PLAIN)
    for way in ways:
        start = start + way
        hand.move(start, PLAIN)
    hand.give_up() if give_up else hand.release()


@pytest.fixture
def cat(window, settle, tmp_path, qtbot):
    path = tmp_path / "cat.png"
    path.write_bytes(encoded(photograph("chelsea")))
    window.files.bring_picture(path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    settle(window)
    qtbot.waitUntil(lambda: window.bench.extent == (451, 300), timeout=10_000)
    return window


def test_a_crop_is_pulled_by_edges_corners_and_its_inside_and_never_leaves_the_picture(cat, settle):
    window, bench = cat, cat.bench
    window.ladder.open(2)
    window.picture.open_page("frame")
    window.picture.frame.crop_on_bench.click()
    settle(window)
    hand, unit = bench.hand, bench.unit
    width, height = bench.extent
    told, ends = [], []
    hand.cropped.connect(told.append)
    hand.ended.connect(lambda: ends.append(hand.crop))

    def step(x, y):
        return QPointF(x, y) * unit

    # A corner takes both of its edges; each cursor says which way it goes.
    area = hand.area()
    assert hand.part_at(area.topLeft()) == "left top"
    assert hand.cursor(area.topLeft()) == Qt.CursorShape.SizeFDiagCursor
    assert hand.cursor(area.topRight()) == Qt.CursorShape.SizeBDiagCursor
    assert hand.cursor(area.center()) == Qt.CursorShape.SizeAllCursor
    assert hand.cursor(area.topLeft() - QPointF(60, 60)) is None
    assert not hand.press(area.topLeft() - QPointF(60, 60), PLAIN)
    pulled(hand, area.topLeft(), step(30, 10), step(20, 10))
    assert hand.crop == pytest.approx((50, 20, 0, 0), abs=1)
    pulled(hand, hand.area().bottomRight(), step(-40, -30))
    assert hand.crop == pytest.approx((50, 20, 40, 30), abs=1)
    # The inside moves what is kept, as far as the picture goes; its size stays.
    size = hand.area().size()
    pulled(hand, hand.area().center(), step(1000, 1000))
    assert hand.crop == pytest.approx((90, 50, 0, 0), abs=1)
    assert hand.area().size().toTuple() == pytest.approx(size.toTuple(), abs=1.5 * unit)
    pulled(hand, hand.area().center(), step(-1000, -20))
    assert hand.crop == pytest.approx((0, 30, 90, 20), abs=1)
    # Beyond the picture an edge stands at its end; something always stays.
    edge = QPointF(hand.area().left(), hand.area().center().y())
    pulled(hand, edge, step(-500, 0))
    assert hand.crop[0] == 0
    pulled(hand, edge, step(2000, 0))
    assert width - hand.crop[0] - hand.crop[2] == LEAST_CROP_SIDE
    bottom = QPointF(hand.area().center().x(), hand.area().bottom())
    pulled(hand, bottom, step(0, -2000))
    assert height - hand.crop[1] - hand.crop[3] == LEAST_CROP_SIDE
    # Called off, it is as before, and that is told.
    before, count = hand.crop, len(ends)
    pulled(hand, hand.area().center(), step(-30, 5), give_up=True)
    assert hand.crop == before and told[-1] == before and len(ends) == count + 1
    assert window.session.piece.picture.frame.crop == before


def test_a_rectangle_to_check_lies_on_the_image_and_is_worth_a_look(window, settle):
    window.message.text.setPlainText("https://lanternwalk.example/hands")
    settle(window)
    window.act_region.trigger()
    bench, hand = window.bench, window.check_desk.region
    image = QRectF(bench.image.rect())
    at = [bench.to_image(QPointF(0, 0)), bench.to_image(QPointF(100, 0))]
    across = 100 / (at[1].x() - at[0].x())  # points of the bench a pixel
    corner = QPointF(-at[0].x(), -at[0].y()) * across
    found, ends = [], []
    window.check_desk.region.dragged.disconnect()
    hand.dragged.connect(found.append)
    hand.ended.connect(lambda: ends.append(True))
    # From outside over a corner, backwards: what lies on the image counts.
    pulled(hand, corner + QPointF(80, 60), QPointF(-60, -40), QPointF(-40, -40))
    (area,) = found
    assert image.contains(area) and area.topLeft().toTuple() == pytest.approx((0, 0), abs=0.01)
    assert area.size().toTuple() == pytest.approx((80 / across, 60 / across), abs=1)
    # One that is too small is none; nor is a click, nor what was called off.
    small = (LEAST_REGION_SIDE - 3) * across
    pulled(hand, corner + QPointF(30, 30), QPointF(small, 200))
    pulled(hand, corner + QPointF(30, 30))
    pulled(hand, corner + QPointF(30, 30), QPointF(200, 200), give_up=True)
    assert len(found) == 1 and len(ends) == 3
    escape = QKeyEvent(QKeyEvent.Type.KeyPress, Qt.Key.Key_Escape, PLAIN)
    assert hand.key(escape) and len(ends) == 4
    assert not hand.key(QKeyEvent(QKeyEvent.Type.KeyPress, Qt.Key.Key_A, PLAIN))


def test_a_curve_is_bent_by_keys_and_keeps_its_order(qtbot):
    curve = CurveEdit()
    qtbot.addWidget(curve)
    curve.resize(260, 150)
    told, rests = [], []
    curve.edited.connect(told.append)
    curve.released.connect(lambda: rests.append(curve.points))
    button, keys = Qt.MouseButton.LeftButton, Qt.Key

    def click(x, y):
        QTest.mouseClick(curve, button, pos=curve.at((x, y)).toPoint())

    click(0.5, 0.5)
    assert curve.points[1] == pytest.approx((0.5, 0.5), abs=0.02) and rests
    for _ in range(20):
        QTest.keyClick(curve, keys.Key_Up)
        QTest.keyClick(curve, keys.Key_Left)
    assert curve.points[1] == pytest.approx((0.3, 0.7), abs=0.03) and told[-1] == curve.points
    # It bends the picture as it says: the tone at 0.3 becomes that at 0.7, the ends stay.
    grey = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, 2)
    bent, _ = prepared(grey, None, Prepare(curve=Curve(points=curve.points)), None)
    bent = bent[0, :, 0].astype(int)
    x, y = curve.points[1]
    assert abs(bent[round(255 * x)] - 255 * y) < 4 and (bent[0], bent[255]) == (0, 255)
    assert (np.diff(bent) >= 0).all()
    # A point stays between its neighbours, and within the field.
    for _ in range(120):
        QTest.keyClick(curve, keys.Key_Left)
        QTest.keyClick(curve, keys.Key_Up)
    assert curve.points[1] == pytest.approx((LEAST_APART, 1.0))
    # From point to point, round; the ends cannot be taken away, the others can.
    QTest.keyClick(curve, keys.Key_PageDown)
    QTest.keyClick(curve, keys.Key_Delete)
    assert len(curve.points) == 3
    QTest.keyClick(curve, keys.Key_PageDown)
    QTest.keyClick(curve, keys.Key_Up)
    assert curve.points[0] == pytest.approx((0, 0.01))
    QTest.keyClick(curve, keys.Key_PageUp)
    QTest.keyClick(curve, keys.Key_PageUp)
    QTest.keyClick(curve, keys.Key_Backspace)
    assert len(curve.points) == 2 and rests[-1] == curve.points
    # Not two on one another, and not more than it can hold.
    for place in range(1, MOST_POINTS + 6):
        click(place / (MOST_POINTS + 6), 0.9 if place % 2 else 0.1)
    assert len(curve.points) == MOST_POINTS
    xs = [x for x, _ in curve.points]
    assert min(np.diff(xs)) >= LEAST_APART - 1e-9
    curve.set_value(((0.0, 0.2), (1.0, 0.8)))
    QTest.mouseDClick(curve, button, pos=curve.at((0.0, 0.2)).toPoint())
    assert curve.points == ((0.0, 0.2), (1.0, 0.8))
