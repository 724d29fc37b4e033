"""Parts of the window by themselves: drawn paths, pickers, colours, gradients, lists."""

import numpy as np
import pytest
import skia
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QWidget

from nimble_tile.core.details import Address, Contact, Number
from nimble_tile.core.look import Fill, Look, Stop
from nimble_tile.core.message import kinds
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.scan.contrast import Contrast, contrast, views
from nimble_tile.core.scan.finders import finders
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.symbol.looks import drawing, shapes
from nimble_tile.core.symbol.looks.paint import to_skia
from nimble_tile.core.symbol.looks.paths import circle, joined, reversed_path, rounded
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.colours import ColourPanel, Swatch
from nimble_tile.ui.kit.controls import Fold, Slider
from nimble_tile.ui.kit.gauges import ContrastGauge, FinderGauge
from nimble_tile.ui.kit.paths import paint_layer, to_painter_path
from nimble_tile.ui.kit.pickers import PictureGrid
from nimble_tile.ui.rooms.code.fills import FillEditor, GradientBar, fill_words
from nimble_tile.ui.rooms.message.forms import LAYOUTS, FormView
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.settings import Settings

SYMBOL = encode(Message(text="https://lanternwalk.example/dusk"), Code())


@pytest.fixture
def shown(qapp, qtbot):
    """Show a widget as wide as the ladder leaves it."""

    def show(widget, height=200):
        qtbot.addWidget(widget)
        widget.resize(256, height)
        widget.show()
        qtbot.waitExposed(widget)
        return widget

    return show


def grabbed(widget):
    """What a widget paints, as an array H × W × 3."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    raw = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1)
    return raw[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


# Paths ------------------------------------------------------------------------


@pytest.mark.parametrize(
    "path",
    [
        circle(5, 5, 4),
        rounded(1, 2, 8, 6, (3, 0, 2, 1)),
        joined([circle(5, 5, 4.5), reversed_path(rounded(2.5, 2.5, 5, 5, (2, 2, 2, 2)))]),
        shapes.ring_shape(Look(ring="leaf")).moved(5, 5, turn=1.1),
        shapes.ring_shape(Look(ring="sail")).moved(5, 5, flip=True),
        shapes.eye_shape(Look(eye="star")).moved(5, 5, scale=2),
        shapes.module_shape(Look(shape="leaf")).moved(5, 5, scale=7, turn=-0.4),
    ],
    ids=range(7),
)
def test_qt_and_skia_draw_the_same_path(qapp, path):
    """Two renderers that are not ours agree on every kind of step, arcs and holes too."""
    image = QImage(200, 200, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(0)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(20, 20)
    painter.fillPath(to_painter_path(path), QColor("black"))
    painter.end()
    theirs = np.frombuffer(image.constBits(), np.uint8).reshape(200, 200, 4)[..., 3].astype(int)
    surface = skia.Surface(200, 200)
    with surface as canvas:
        canvas.scale(20, 20)
        canvas.drawPath(to_skia(path), skia.Paint(AntiAlias=True))
    difference = np.abs(theirs - surface.toarray()[..., 3])
    assert difference.mean() < 0.6 and (difference > 40).mean() < 5e-3
    assert theirs.mean() > 10


def test_a_layer_of_stamps_lands_where_its_centres_are(qapp):
    layers = drawing(SYMBOL, Look(shape="round", size=0.5), 0).layers
    (layer,) = [layer for layer in layers if layer.role == "modules"]
    side = SYMBOL.side
    image = QImage(side * 8, side * 8, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.scale(8, 8)
    paint_layer(painter, layer, QColor("black"))
    painter.end()
    for row, column in ((9, 9), (10, 12), (15, 20), (20, 11)):
        dark = QColor(image.pixel(column * 8 + 4, row * 8 + 4)).lightness() < 128
        assert dark == SYMBOL.dark[row, column]


# Pickers ------------------------------------------------------------------------


def test_a_grid_of_pictures_is_chosen_from_by_keys_and_mouse(shown):
    painted = []
    grid = PictureGrid(
        "Things", [(i, f"Thing {i}") for i in range(8)],
        lambda painter, area, value, theme: painted.append(value), 3, 40,
    )  # fmt: skip
    chosen = []
    grid.chosen.connect(chosen.append)
    grabbed(shown(grid))
    assert set(painted) == set(range(8))
    assert grid.height() == 3 * 44 - 4  # three rows of cells, gaps between them
    grid.set_value(4)
    assert grid.accessibleDescription() == "Thing 4" and chosen == []
    grid.setFocus()
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Space):
        QTest.keyClick(grid, key)
    assert chosen == [2]
    for _ in range(5):  # the last cell is the end
        QTest.keyClick(grid, Qt.Key.Key_Down)
    QTest.keyClick(grid, Qt.Key.Key_Return)
    assert chosen[-1] == 7
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=grid.cell(5).center().toPoint())
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=QPoint(250, 5))  # beside them
    assert chosen[-1] == 5 and len(chosen) == 3


def test_a_whole_slider_takes_whole_numbers_and_shows_its_mark(shown):
    slider = Slider("Quiet zone", 0, 10, 4, "modules", whole=True)
    values = []
    slider.edited.connect(values.append)
    shown(slider, 60)
    bare = grabbed(slider.track)
    slider.set_mark(4, "The least")
    assert np.abs(grabbed(slider.track) - bare).sum() > 500
    slider.track.setValue(7)
    slider.box.setValue(2.4)
    assert values == [7, 2] and slider.value == 2
    assert slider.track.toolTip().startswith("The least")


def test_a_fold_hides_and_shows_what_is_inside(shown):
    fold = Fold("More")
    line = QLineEdit()
    fold.inside.addWidget(line)
    opened = []
    fold.opened.connect(lambda: opened.append(True))
    shown(fold)
    assert not line.isVisible()
    QTest.mouseClick(fold.head, Qt.MouseButton.LeftButton)
    assert line.isVisible() and opened == [True]
    fold.set_open(False)
    assert not line.isVisible() and opened == [True]


# Colours --------------------------------------------------------------------------


def test_the_colour_panel_by_number_by_band_and_by_swatch(qapp, qtbot):
    owner = QWidget()
    qtbot.addWidget(owner)
    panel = ColourPanel(owner)
    chosen = []
    panel.chosen.connect(chosen.append)
    panel.open_for("Modules", "#336699", ["#102030"], ["#aa5500", "#eeddcc"], QPoint(10, 10))
    assert panel.hex.text() == "#336699"
    panel.hex.selectAll()
    QTest.keyClicks(panel.hex, "20a0c0")
    assert chosen[-1] == "#20a0c0"  # without # too
    panel.hex.selectAll()
    QTest.keyClicks(panel.hex, "#20zz99")
    assert panel.wrong.isVisible() and chosen[-1] == "#20a0c0"
    panel._jump("#336699")
    hue = QColor(chosen[-1]).hslHue()
    lightness = panel.bands["lightness"]
    QTest.mouseClick(lightness, Qt.MouseButton.LeftButton, pos=QPoint(lightness.width() - 60, 10))
    lighter = QColor(chosen[-1])
    assert lighter.lightness() > QColor("#336699").lightness()
    assert abs(lighter.hslHue() - hue) <= 2
    # A grey keeps the hue that it came from, so that saturation brings it back.
    panel._slide("Saturation", 0)
    panel._slide("Saturation", 0.5)
    assert abs(QColor(chosen[-1]).hslHue() - hue) <= 3
    swatches = [s for s in panel.findChildren(Swatch) if s.isVisible()]
    assert [s.colour for s in swatches] == ["#102030", "#aa5500", "#eeddcc"]
    swatches[1].click()
    assert chosen[-1] == "#aa5500"
    panel.close()


def test_recent_colours_come_newest_first_and_only_good_ones(qapp, qtbot, tmp_path):
    owner = QWidget()
    qtbot.addWidget(owner)
    settings = Settings(tmp_path / "window.json")
    settings.set("colours", ["#111111", "red", 7, "#22222"])
    desk = ColourDesk(owner, settings)
    assert desk.recent == ["#111111"]
    for i in range(12):
        desk.remember(f"#0000{i:02x}")
    desk.remember("#000005")
    assert desk.recent[:3] == ["#000005", "#00000b", "#00000a"] and len(desk.recent) == 8


def test_stops_keep_their_order_whatever_is_done_to_them(shown):
    bar = shown(GradientBar(), 40)
    bar.set_stops((Stop(offset=0, colour="#000000"), Stop(offset=1, colour="#ffffff")))
    told = []
    bar.changed.connect(told.append)
    QTest.mouseClick(bar, Qt.MouseButton.LeftButton, pos=QPoint(128, 10))
    assert [s.colour for s in bar.stops] == ["#000000", "#808080", "#ffffff"]  # between them
    bar.recolour("#ff0000")
    bar.move_to(1)  # past its neighbour's place
    assert [s.offset for s in bar.stops] == sorted(s.offset for s in bar.stops)
    assert bar.stops[bar.current].colour == "#ff0000"
    QTest.keyClick(bar, Qt.Key.Key_Insert)
    assert len(bar.stops) == 4
    # A drag far off the band takes a stop away; two stay.
    for _ in range(4):
        x = round(bar._x(bar.stops[1]))
        QTest.mousePress(bar, Qt.MouseButton.LeftButton, pos=QPoint(x, 30))
        QTest.mouseMove(bar, QPoint(x, 150))
        QTest.mouseRelease(bar, Qt.MouseButton.LeftButton, pos=QPoint(x, 150))
    assert len(bar.stops) == 2
    assert all(len(stops) >= 2 for stops in told)


def test_a_fill_keeps_its_colour_from_kind_to_kind(qapp, qtbot, tmp_path):
    owner = QWidget()
    qtbot.addWidget(owner)
    editor = FillEditor("Modules", "As the modules", ColourDesk(owner, Settings(tmp_path / "w")))
    qtbot.addWidget(editor)
    made = []
    editor.changed.connect(lambda fill, key: (made.append(fill), editor.show_fill(fill)))
    wanted = []
    editor.picture_wanted.connect(lambda: wanted.append(True))
    editor.show_fill(Fill(colour="#203a60"))
    for kind in ("linear", "radial", "stripes", "dots", "weave", "solid"):
        editor._choose(kind)
        fill = made[-1]
        first = fill.stops[0].colour if kind in ("linear", "radial") else fill.colour
        assert (fill.kind, first) == (kind, "#203a60")
        assert editor._stops.isVisibleTo(editor) == (kind in ("linear", "radial"))
        assert editor.second.isVisibleTo(editor) == (kind in ("stripes", "dots", "weave"))
        if kind in ("stripes", "dots", "weave"):
            assert fill.second != fill.colour and fill.tile < 0.5
    editor._choose("picture")  # asks for one first and stays as it is
    assert wanted == [True] and made[-1].kind == "solid" and editor.kind.currentData() == "solid"
    editor.take_picture("a" * 64, "reeds.png")
    assert made[-1].kind == "picture" and editor.picture_name.text() == "reeds.png"
    editor._choose("none")
    assert made[-1] is None and fill_words(None, "as the modules") == "as the modules"
    assert fill_words(Fill(kind="linear"), "") == "linear gradient, 2 stops"


# Gauges -----------------------------------------------------------------------------


def test_the_finder_gauge_marks_the_worst_run(shown):
    gauge = FinderGauge()
    good = finders(SYMBOL, drawing(SYMBOL, Look(), 4), {})
    gauge.show_finders(good)
    shown(gauge)
    assert "holds" in gauge.accessibleDescription()
    calm = grabbed(gauge)
    broken = finders(SYMBOL, drawing(SYMBOL, Look(eye="round"), 4), {})
    gauge.show_finders(broken)
    assert "is broken" in gauge.accessibleDescription() and "2.1" in broken.worst.words

    def reds(image):
        area = image[:108, :108]
        return int(((area[..., 0] - area[..., 1] > 90) & (area[..., 0] > 180)).sum())

    assert reds(calm) == 0 and reds(grabbed(gauge)) > 100


def test_the_contrast_gauge_says_the_grade_and_shows_three_ways_of_seeing(shown):
    look = Look(fill=Fill(colour="#c03020"), ground=Fill(colour="#d8e8c0"))
    found = contrast(SYMBOL, look, 4, {})
    gauge = ContrastGauge()
    gauge.show_contrast(found, views(SYMBOL, look, 4, {}))
    shown(gauge)
    assert f"Grade {found.grade}" in gauge.accessibleDescription()
    image = grabbed(gauge)
    means = [image[84:148, x : x + 64].mean((0, 1)) for x in (0, 85, 170)]
    assert np.ptp(means, axis=0).max() > 8  # each way of seeing looks different
    dark = Contrast("#ffffff", "#000000", -1.0, -1.0, 21.0, False)
    gauge.show_contrast(dark, {})
    assert "light on dark" in gauge.accessibleDescription()


# Forms --------------------------------------------------------------------------------


def test_lists_in_a_form_grow_shrink_and_follow_the_piece(shown):
    form = FormView("contact")
    state = {"details": Contact(given="Ada")}

    def change(name, value):
        state["details"] = state["details"].model_copy(update={name: value})

    form.changed.connect(change)
    form.show_details(state["details"], kinds.remarks(state["details"]))
    shown(form, 700)
    field = form.fields["addresses"]
    field.add.click()
    field.add.click()
    assert state["details"].addresses == (Address(), Address())
    rows = [row for _, row in field._rows]
    QTest.keyClicks(rows[1].findChild(QLineEdit), "Hut 7")
    assert state["details"].addresses[1].street == "Hut 7"
    away = [b for b in rows[0].findChildren(QWidget) if b.accessibleName() == "Take out address 1"]
    away[0].click()
    assert state["details"].addresses == (Address(street="Hut 7"),)
    # Undo elsewhere: the form shows what the piece holds again.
    other = Contact(given="Bo", phones=(Number(number="1"), Number(use="fax", number="2")))
    form.show_details(other, kinds.remarks(other))
    lines = [row.findChild(QLineEdit).text() for _, row in form.fields["phones"]._rows]
    assert lines == ["1", "2"] and field._rows == []
    assert form.fields["given"].control.text() == "Bo"


def test_every_field_of_every_form_is_named_for_screen_readers(qapp, qtbot):
    for kind in LAYOUTS:
        form = FormView(kind)
        qtbot.addWidget(form)
        form.dress(themes.DARK)
        for name, field in form.fields.items():
            control = getattr(field, "control", None)
            assert control is None or control.accessibleName() or control.text(), (kind, name)
        assert {*form.fields} <= set(type(kinds.of_kind(kind, "").details).model_fields)


def test_the_hatch_shows_only_through_transparent_pieces(qapp):
    from nimble_tile.ui.bench.overlays import paint_hatch, paint_picking

    image = QImage(60, 60, QImage.Format.Format_RGB32)
    image.fill(QColor("black"))
    painter = QPainter(image)
    paint_hatch(painter, QRectF(10, 10, 40, 40), themes.LIGHT)
    painter.end()
    assert image.pixelColor(2, 2).name() == "#000000"
    inside = {image.pixelColor(x, y).name() for x in range(12, 48) for y in range(12, 48)}
    assert "#ffffff" in inside and len(inside) > 1
    painter = QPainter(image)
    paint_picking(painter, 60, QPointF(8, 52), "#ff0000", themes.LIGHT)
    painter.end()
    assert image.pixelColor(30, 30).name() == "#ff0000"  # the colour beside the pointer


def test_focus_follows_the_rung_that_is_opened_and_one_row_alone_looks_open(window, settle, qtbot):
    """Qt would hand the focus of a control that is hidden to the next row, another rung's."""
    settle(window)
    ladder = window.ladder
    window.message.text.setFocus()
    assert ladder.current_rung == "message"
    QTest.mouseClick(ladder.rows[3], Qt.MouseButton.LeftButton)
    assert ladder.current_rung == "blend"
    assert window.focusWidget() is ladder.rows[3] and not ladder.rows[3].framed
    QTest.mouseClick(ladder.rows[3], Qt.MouseButton.LeftButton)  # closed again
    assert ladder.current == -1 and window.focusWidget() is ladder.rows[3]
    QTest.keyClick(window, Qt.Key.Key_Tab)
    focused = window.focusWidget()
    assert focused in ladder.rows and focused is not ladder.rows[3] and focused.framed
    QTest.keyClick(focused, Qt.Key.Key_Return)
    assert ladder.current == ladder.rows.index(focused)
    # A row that moves away from under the pointer is no longer marked as under it.
    ladder.rows[5].set_hovered(True)
    ladder.open(0)
    qtbot.waitUntil(lambda: not ladder.rows[5].hovered)
    assert [row.open for row in ladder.rows] == [True] + 5 * [False]
