"""Rungs 5 and 6 in the real window: logos, captions, frames, layouts."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from conftest import LINK, encoded, photograph
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Message
from nimble_tile.core.project import archive
from nimble_tile.ui.bench.bench import Lens
from nimble_tile.ui.bench.hands.laid import LaidHand
from nimble_tile.ui.bench.hands.layout import LayoutHand
from nimble_tile.ui.bench.hands.plate import PlateHand
from test_logo import SVG
from test_window import drop
from test_window_picture import drag, move


@pytest.fixture
def marked(window, settle, tmp_path, qtbot):
    """A window whose piece wears a mark; its fifth rung is open."""
    window.session.edit("message", "Write", **dict(Message(kind="text", text=LINK)))
    window.session.edit("code", "Level", level="H")
    path = tmp_path / "mark.svg"
    path.write_bytes(SVG)
    drop(window, path)
    qtbot.waitUntil(lambda: len(window.session.piece.logo.items) == 1, timeout=10_000)
    settle(window)
    return window


def studied(window, qtbot):
    """Wait until what is known of the piece is known of the piece as it is."""
    with qtbot.waitSignal(
        window.engine.studied, timeout=20_000,
        check_params_cb=lambda ticket, _: ticket == window.engine.ticket,
    ):  # fmt: skip
        window.sight.refresh()


def test_a_dropped_mark_is_placed_by_hand_and_by_number(marked, settle, qtbot):
    window, bench = marked, marked.bench
    assert window.ladder.rungs[window.ladder.current] is window.logo
    assert isinstance(bench.hand, LaidHand)
    hand = bench.hand
    logo = window.session.piece.logo.items[0]
    assert (logo.name, logo.x, logo.y) == ("mark.svg", 0.5, 0.5)
    quad = hand.quad(hand.current)
    middle = (quad[0] + quad[2]) / 2
    side = quad[1].x() - quad[0].x()
    drag(bench, middle, middle + QPointF(side, 40))
    settle(window)
    moved = window.session.piece.logo.items[0]
    assert moved.x == pytest.approx(0.5 + logo.size, abs=0.02) and moved.y > 0.5
    assert window.session.undo_name == "Place the logo"
    # Near the middle it snaps; with Ctrl it does not.
    quad = hand.quad(hand.current)
    at = (quad[0] + quad[2]) / 2
    drag(bench, at, middle + QPointF(4, 3))
    assert (window.session.piece.logo.items[0].x, window.session.piece.logo.items[0].y) == (
        0.5, 0.5,
    )  # fmt: skip
    settle(window)
    drag(bench, middle, middle + QPointF(4, 0), Qt.KeyboardModifier.ControlModifier)
    assert window.session.piece.logo.items[0].x != 0.5
    window.session.undo()
    settle(window)
    # A corner scales about the middle, the knob turns in steps.
    quad = hand.quad(hand.current)
    drag(bench, quad[2], quad[2] + (quad[2] - middle) * 0.5)
    settle(window)
    assert window.session.piece.logo.items[0].size == pytest.approx(logo.size * 1.5, rel=0.03)
    quad = hand.quad(hand.current)
    knob = hand._knob(quad)
    reach = middle.y() - knob.y()
    drag(bench, knob, middle + QPointF(reach * 0.72, -reach * 0.70), steps=9)
    assert window.session.piece.logo.items[0].angle == 45
    settle(window)
    window.logo.logo.size.box.setValue(30)
    window.logo.logo.angle.box.setValue(-20)
    assert window.session.piece.logo.items[0].size == pytest.approx(0.3)
    assert window.session.piece.logo.items[0].angle == -20
    bench.setFocus()
    QTest.keyClick(bench, Qt.Key.Key_Right)
    assert window.session.piece.logo.items[0].x > 0.5
    QTest.keyClick(bench, Qt.Key.Key_Delete)
    assert window.session.piece.logo.items == ()
    settle(window)
    assert bench.hand is bench.placing
    window.session.undo()
    settle(window)
    assert isinstance(bench.hand, LaidHand)


def test_what_lies_under_the_mark_is_chosen_and_painted(marked, settle, qtbot):
    window, bench = marked, marked.bench
    window.logo.open_page("backing")
    page = window.logo.backing
    page.kind.button("cleared").click()
    page.shape.button("circle").click()
    page.margin.box.setValue(2)
    backing = window.session.piece.logo.items[0].backing
    assert (backing.kind, backing.shape, backing.margin) == ("cleared", "circle", 2)
    assert not page.plate_fold.isVisible()
    page.kind.button("plate").click()
    page.colour.wanted.emit()
    window.colour_desk.panel.chosen.emit("#ffeecc")
    assert window.session.piece.logo.items[0].backing.colour == "#ffeecc"
    window.colour_desk.panel.hide()
    settle(window)
    page.paint_fold.set_open(True)
    assert isinstance(bench.hand, PlateHand)
    made = bench.module_transform()
    start, end = made.map(QPointF(12, 20)), made.map(QPointF(20, 20))
    move(bench, start)
    drag(bench, start, end)
    qtbot.waitUntil(lambda: window.session.piece.logo.paint is not None, timeout=10_000)
    settle(window)
    mask = window.pictures.mask(window.session.piece.logo.paint)
    n = window.answer.shown.rendering.modules
    row, column = (int((at + 4) / n * mask.shape[0]) for at in (20, 16))
    assert mask[row, column] == 255 and mask[5, 5] == 0
    page.brush.clear.click()
    assert window.session.piece.logo.paint is None
    page.paint_fold.set_open(False)
    assert isinstance(bench.hand, LaidHand)


def test_cost_is_shown_and_the_searches_are_one_undoable_edit(marked, settle, qtbot):
    window = marked
    window.logo.open_page("cost")
    studied(window, qtbot)
    page = window.logo.cost
    assert "codewords are spoiled" in page.numbers.text()
    assert "it holds" in page.holds.text() and "not 3" in page.why.text()
    assert "codewords" in window.ladder.rows[4].summary
    before = window.session.piece
    page.spare.box.setValue(20)
    page.largest.click()
    qtbot.waitUntil(lambda: "largest that holds" in page.found.text(), timeout=20_000)
    settle(window)
    assert window.session.undo_name == "Take the largest logo that holds"
    assert window.session.piece.logo.items[0].size > before.logo.items[0].size
    assert window.answer.verdict.spare >= 0.2 and window.answer.verdict.readers_right == (4, 4)
    page.place.click()
    qtbot.waitUntil(lambda: "best place" in page.found.text().lower(), timeout=20_000)
    window.session.edit_item("logo", 0, "Grow", size=0.62, x=0.5, y=0.5)
    page.code.click()
    qtbot.waitUntil(
        lambda: "bears" in page.found.text() or "No code" in page.found.text(), timeout=60_000
    )
    page.marker.click()
    studied(window, qtbot)
    assert "views" in page.tracks.text() and page.tracks.isVisible()


def test_what_is_dragged_out_of_the_image_does_not_run_away(marked, settle, qtbot):
    window, bench = marked, marked.bench
    hand = bench.hand
    quad = hand.quad(hand.current)
    middle = (quad[0] + quad[2]) / 2
    unit = quad[1].x() - quad[0].x()
    far = middle + QPointF(unit * 3, 0)
    QTest.mousePress(bench, Qt.MouseButton.LeftButton, pos=middle.toPoint())
    for _ in range(4):
        # The image grows meanwhile; the pointer stays where it is.
        move(bench, far)
        settle(window)
    QTest.mouseRelease(bench, Qt.MouseButton.LeftButton, pos=far.toPoint())
    logo = window.session.piece.logo.items[0]
    assert logo.x == pytest.approx(0.5 + 3 * logo.size, abs=0.02)


def test_a_page_of_a_pdf_is_asked_for(marked, settle, tmp_path, qtbot):
    import skia

    stream = skia.DynamicMemoryWStream()
    with skia.PDF.MakeDocument(stream) as made:
        for colour in (skia.ColorRED, skia.ColorGREEN):
            with made.page(80, 80) as page:
                page.drawCircle(40, 40, 30, skia.Paint(Color=colour))
    path = tmp_path / "two.pdf"
    path.write_bytes(bytes(stream.detachAsData()))
    window, asked = marked, []
    window.logo_desk.ask_page = lambda name, count: asked.append((name, count)) or 1
    drop(window, path)
    qtbot.waitUntil(lambda: len(window.session.piece.logo.items) == 2, timeout=10_000)
    assert asked == [("two.pdf", 2)]
    pixels = window.pictures.opened(window.session.piece.logo.items[1].digest).rgb
    assert tuple(pixels[1024, 1024]) == (0, 255, 0)


def test_the_x_ray_stays_while_a_logo_is_changed(marked, settle):
    window = marked
    window.sight.look_through(Lens.XRAY)
    window.logo.logo.size.box.setValue(28)
    settle(window)
    assert window.bench.lens is Lens.XRAY
    window.ladder.open(3)
    window.ladder.open(4)
    assert window.bench.lens is Lens.FINISHED  # handles are of use there alone


def test_arrows_move_captions_and_layouts(marked, settle, qtbot):
    window, bench = marked, marked.bench
    window.ladder.open(5)
    window.finish.open_page("caption")
    window.finish.caption.add.click()
    settle(window)
    bench.setFocus()
    before = bench.hand.current
    QTest.keyClick(bench, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    caption = window.session.piece.caption.items[0]
    side = window.answer.shown.rendering.symbol.side
    assert caption.place == "free" and caption.y == pytest.approx((before.y + 1) / side, abs=1e-3)
    window.finish.open_page("layout")
    window.finish_desk.take_shipped("poster")
    qtbot.waitUntil(lambda: window.session.piece.layout.digest is not None, timeout=10_000)
    settle(window)
    quad = window.session.piece.layout.quad
    bench.setFocus()
    QTest.keyClick(bench, Qt.Key.Key_Left)
    QTest.keyClick(bench, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    moved = window.session.piece.layout.quad
    assert moved == tuple((x - 1, y - 10) for x, y in quad)
    # Whatever is pulled where it cannot be stays where it was.
    points = bench.hand._points()
    drag(bench, points[0], points[2] + QPointF(40, 40))
    from nimble_tile.core.picture.placing import possible

    assert possible(np.array(window.session.piece.layout.quad))
    window.finish.layout_page.remove.click()
    settle(window)
    assert not window.answer.shown.arranged and bench.hand is bench.placing


def test_recolouring_goes_both_ways(marked, settle, qtbot):
    window = marked
    page = window.logo.logo
    page.to_logo.click()
    qtbot.waitUntil(lambda: window.session.piece.look.fill.colour == "#1d5740", timeout=10_000)
    fill = window.session.piece.look.fill.model_copy(update={"colour": "#402010"})
    window.session.edit("look", "Brown", fill=fill)
    page.to_code.click()
    assert window.session.piece.logo.items[0].tint == "#402010"
    page.own.click()
    assert window.session.piece.logo.items[0].tint is None
    page.ground_off.click()
    assert window.session.piece.logo.items[0].ground.off
    page.crops[0].box.setValue(80)
    page.crops[2].box.setValue(60)
    crop = window.session.piece.logo.items[0].crop
    assert crop[0] + crop[2] <= 0.95 and crop[2] == pytest.approx(0.6)
    window.logo.again.click()
    assert len(window.session.piece.logo.items) == 2 and window.logo.index == 1
    window.logo.remove.click()
    assert len(window.session.piece.logo.items) == 1


def test_pasted_and_broken_logos(marked, settle, tmp_path, qtbot):
    window = marked
    image = QImage(60, 40, QImage.Format.Format_RGB32)
    image.fill(0xFF336699)
    QApplication.clipboard().setImage(image)
    window.files.paste_picture()
    qtbot.waitUntil(lambda: len(window.session.piece.logo.items) == 2, timeout=10_000)
    assert window.session.piece.logo.items[1].name == "Pasted logo"
    broken = tmp_path / "broken.svg"
    broken.write_bytes(b"<svg xmlns='http://www.w3.org/2000/svg'><rect")
    drop(window, broken)
    qtbot.waitUntil(lambda: window.logo.error.isVisible(), timeout=10_000)
    assert "broken.svg is damaged" in window.logo.error.text()
    assert len(window.session.piece.logo.items) == 2
    window.session.edit("code", "Level H", level="H")
    settle(window)
    assert window.logo.error.isVisible()  # until the logos change
    photo = tmp_path / "photo.jpg"
    photo.write_bytes(encoded(photograph("coffee"), "JPEG"))
    drop(window, photo)  # the fifth rung is open: it is a logo, not the picture
    qtbot.waitUntil(lambda: len(window.session.piece.logo.items) == 3, timeout=10_000)
    settle(window)
    assert not window.logo.error.isVisible()
    assert window.session.piece.picture.digest is None
    assert window.session.piece.logo.items[2].backing.shape == "rounded"


def test_caption_frame_layout_save_reopen_export(marked, settle, tmp_path, qtbot):
    """The job of both rungs from start to end."""
    window, bench = marked, marked.bench
    window.ladder.open(5)
    finish = window.finish
    finish.open_page("caption")
    page = finish.caption
    page.add.click()
    page.text.setPlainText("Gate 2\nבשעה 18:30")
    page.places.chosen.emit("above")
    page.weight.chosen.emit(500)
    page.size.box.setValue(8)
    caption = window.session.piece.caption.items[0]
    assert (caption.text, caption.place, caption.weight) == ("Gate 2\nבשעה 18:30", "above", 500)
    settle(window)
    assert page.lines_fold.isVisible() and "stands in" in page.notes.text()
    page.add.click()
    page.take_call(page.call_list[1])
    page.keep_call("Bring your own lantern")
    assert "Bring your own lantern" in page.call_list
    page.drop_call(page.call_list[0])
    page._menu.aboutToShow.emit()
    words = [a.text() for a in page._menu.actions()]
    assert "Bring your own lantern" in words and "Scan for times and tickets" not in words
    settle(window)
    # Dragged onto the code it is free and counted.
    hand = bench.hand
    assert isinstance(hand, LaidHand) and hand.role == "caption"
    quad = hand.quad(hand.current)
    middle = (quad[0] + quad[2]) / 2
    to = bench.module_transform().map(QPointF(14, 24))
    drag(bench, middle, to)
    settle(window)
    assert window.session.piece.caption.items[1].place == "free"
    studied(window, qtbot)
    assert "spoil" in page.cost.text()
    page.places.chosen.emit("below")

    finish.open_page("surround")
    finish.surround.kind.chosen.emit("tag")
    assert window.session.piece.surround.side == "above"
    finish.surround.kind.chosen.emit("ticket")
    finish.surround.gap.box.setValue(3)
    finish.surround.paper_on.click()
    assert window.session.piece.surround.paper is None
    finish.surround.paper_on.click()
    settle(window)
    assert window.answer.verdict.readers_right == (4, 4)
    assert "ticket" in window.ladder.rows[5].summary

    finish.open_page("layout")
    finish.layout_page.shipped["ticket"].click()
    qtbot.waitUntil(lambda: window.session.piece.layout.digest is not None, timeout=10_000)
    settle(window)
    assert window.answer.shown.arranged and isinstance(bench.hand, LayoutHand)
    points = bench.hand._points()
    before = window.session.piece.layout.quad
    drag(bench, points[2], points[2] - QPointF(25, 30))
    after = window.session.piece.layout.quad
    assert after[2][0] < before[2][0] and after[0] == before[0]
    settle(window)
    window.ladder.open(4)  # while the piece is worked on, it is shown by itself
    settle(window)
    assert not window.answer.shown.arranged
    window.ladder.open(5)
    settle(window)
    assert window.answer.shown.arranged

    path = tmp_path / "walk.nimbletile"
    window.files.save_to(path)
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=10_000)
    kept = window.session.piece
    assert archive.load(path, PictureStore()) == kept
    window.files.new_piece()
    settle(window)
    assert window.session.piece.logo.items == ()
    window.files.open_project(path)
    qtbot.waitUntil(lambda: window.session.piece == kept, timeout=10_000)
    settle(window)
    out = tmp_path / "walk.png"
    window.files.exporting.export_to(out)
    qtbot.waitUntil(lambda: finish.files.proof.proof is not None, timeout=30_000)
    assert finish.files.proof.proof.verdict.readers_right[0] >= 3
    assert finish.files.proof.proof.size == (1600, 900)


def test_a_frame_that_sticks_out_is_told_and_given_room(window, settle, tmp_path, qtbot):
    photo = tmp_path / "photo.png"
    photo.write_bytes(encoded(photograph("coffee")))
    drop(window, photo)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=10_000)
    settle(window)
    window.ladder.open(5)
    window.finish.open_page("surround")
    window.finish.surround.kind.chosen.emit("card")
    settle(window)
    page = window.finish.surround
    assert "beyond the picture" in page.beyond.text() and page.make_room.isVisible()
    assert not page.margin.isVisible()
    page.make_room.click()
    qtbot.waitUntil(lambda: window.session.piece.picture.region is not None, timeout=10_000)
    settle(window)
    assert page.beyond.text() == "" and not page.make_room.isVisible()
    assert window.session.undo_name == "Make room for the frame"


def test_the_pages_fit_the_ladder(marked, settle):
    """Nothing is wider than the ladder, on any page, in either theme."""
    window = marked
    window.choose_theme("dark")
    window.session.edit_item("logo", 0, "Shadow", shadow={"strength": 0.4})
    for rung, names in ((4, ("logo", "backing", "cost")),
                        (5, ("caption", "surround", "layout", "export"))):  # fmt: skip
        window.ladder.open(rung)
        for name in names:
            window.ladder.rungs[rung].open_page(name)
            if name == "caption" and not window.session.piece.caption.items:
                window.finish.caption.add.click()
            QApplication.processEvents()
            inside = window.ladder.widget()
            assert inside.minimumSizeHint().width() <= window.ladder.width(), name
            assert window.ladder.horizontalScrollBar().maximum() == 0, name
    assert np.isfinite(window.bench.scale)
    assert window.bench.rect().contains(QPoint(1, 1))
