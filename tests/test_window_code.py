"""The real window: messages in forms, density, looks, vectors."""

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QPushButton

from conftest import encoded, photograph
from nimble_tile.core.blend.unused import unused
from nimble_tile.core.look import Fill, Finder, Look
from nimble_tile.core.message import kinds
from nimble_tile.core.output.export import rendered_again
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.piece import METHOD_LABELS
from nimble_tile.core.project import looks
from nimble_tile.core.relief import Relief, Shadow
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.readers import READERS
from nimble_tile.ui.bench.bench import Lens
from test_window import click_picture, slide


@pytest.fixture
def studied(qtbot, settle):
    """Wait until the study of the piece is shown too."""

    def wait(window):
        seen = []
        window.engine.studied.connect(lambda ticket, study: seen.append((ticket, study)))
        window.engine.submit(window.session.piece)
        qtbot.waitUntil(
            lambda: any(ticket == window.engine.ticket for ticket, _ in seen), timeout=20_000
        )
        return seen[-1][1]

    return wait


def choose(box, value):
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def type_into(field, text):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)


def offers(window):
    return {
        button.text(): button
        for button in window.message.density.findChildren(QPushButton)
        if button.property("flat") and not button.isHidden()
    }


def test_a_contact_is_filled_in_saved_scanned_and_read_back_into_its_form(
    window, settle, studied, tmp_path, qtbot
):
    choose(window.message.kind, "contact")
    form = window.message.form
    assert window.band.words == "No code yet" or window.session.piece.message.text == ""
    assert "Write a name" in form.fields["given"].said.text()
    type_into(form.fields["given"].control, "Ada")
    type_into(form.fields["family"].control, "Marsh; Reed")
    (phone,) = form.fields["phones"].findChildren(QLineEdit)
    type_into(phone, "01632 960983")
    assert "country code" in form.fields["phones"].said.text()
    form.fields["phones"].add.click()
    phones = [f for f in form.fields["phones"].findChildren(QLineEdit) if not f.isHidden()]
    type_into(phones[-1], "+44 1632 960984")
    form.fields["addresses"].add.click()
    street = form.fields["addresses"].findChild(QLineEdit)
    type_into(street, "1 Reed Lane")
    settle(window)
    text = window.session.piece.message.text
    assert "N:Marsh\\; Reed;Ada;;;" in text and "TEL;TYPE=CELL:+441632960984" in text
    assert window.band.words == "Scans well"
    assert window.ladder.rows[0].summary == "Contact: Ada Marsh; Reed"
    # Density: what each level takes, and one click to a smaller code, undoable.
    study = studied(window)
    assert window.message.density.levels.button("H").text() == f"H  {study.density.versions['H']}"
    before = window.session.piece
    label = next(name for name in offers(window) if "Leave out the addresses" in name)
    offers(window)[label].click()
    assert window.session.piece.message.details.addresses == ()
    window.act_undo.trigger()
    assert window.session.piece == before
    # The exported code, taken up again as a message, fills the same form.
    path = tmp_path / "ada.png"
    window.files.exporting.export_to(path)
    qtbot.waitUntil(lambda: window.finish.files.proof.proof is not None, timeout=20_000)
    window.session.edit("message", "Write", kind="text", details=None, text="something else")
    window.files.take_message(path)
    qtbot.waitUntil(lambda: window.session.piece.message.kind == "contact", timeout=20_000)
    assert window.session.piece.message.text == text
    assert window.message.form.fields["family"].control.text() == "Marsh; Reed"
    assert [p.number for p in window.session.piece.message.details.phones] == [
        "01632960983", "+441632960984"
    ]  # fmt: skip


def test_every_kind_has_a_form_that_says_what_is_missing(window, settle):
    for kind in kinds.FORMED:
        choose(window.message.kind, kind)
        form = window.message.form
        QTest.qWait(1)  # the layout shows it
        assert form.kind == kind and form.isVisibleTo(window)
        assert window.session.piece.message.text == ""
        said = [f.said.text() for f in form.fields.values() if f.said.isVisibleTo(form)]
        assert said and all(text.endswith(".") for text in said)
        # Nothing sticks out of the ladder.
        assert form.width() <= window.ladder.viewport().width()
        assert all(f.width() <= form.width() for f in form.fields.values())
    choose(window.message.kind, "raw")
    assert window.message.form is None and window.message.text.isVisibleTo(window)


def test_event_dates_and_zone(window, settle):
    choose(window.message.kind, "event")
    form = window.message.form
    type_into(form.fields["title"].control, "Lantern walk")
    choose(form.fields["zone"].control, "Europe/Paris")
    from PySide6.QtCore import QDateTime

    form.fields["start"].control.setDateTime(
        QDateTime.fromString("2026-12-05T18:30", "yyyy-MM-ddTHH:mm")
    )
    assert "DTSTART:20261205T173000Z" in window.session.piece.message.text
    assert "DTEND" not in window.session.piece.message.text
    form.fields["end"].tick.click()
    assert "DTEND:20261205T" in window.session.piece.message.text
    form.fields["all_day"].control.click()
    assert "DTSTART;VALUE=DATE:20261205" in window.session.piece.message.text
    assert not form.fields["zone"].isVisibleTo(form)


def test_campaign_tags_and_the_offer_that_leaves_them_out(window, settle, studied):
    link = "https://lanternwalk.example/a?x=%20y#top"
    window.session.edit("message", "Write", text=link)
    window.message.tags.set_open(True)
    type_into(window.message.tags.lines["source"], "poster wall")
    tagged = "https://lanternwalk.example/a?x=%20y&utm_source=poster%20wall#top"
    assert window.session.piece.message.text == tagged
    assert window.message.text.toPlainText() == tagged
    studied(window)
    label = next(name for name in offers(window) if name == "Leave the campaign tags out")
    offers(window)[label].click()
    assert window.session.piece.message.text == link
    assert window.message.tags.lines["source"].text() == ""
    assert window.act_undo.text() == "&Undo: leave the campaign tags out"


def test_symbol_page_masks_penalties_and_characters(window, settle, studied):
    window.ladder.open(1)
    page = window.code.symbol
    study = studied(window)
    best = min(study.symbol.penalties, key=study.symbol.penalties.get)
    assert page.auto_mask.isChecked() and page.masks.value == best
    assert page.masks._notes[best] == f"{best} · {study.symbol.penalties[best]}"
    other = (best + 3) % 8
    click_picture(page.masks, other)
    settle(window)
    assert window.answer.shown.rendering.symbol.mask == other and not page.auto_mask.isChecked()
    page.auto_mask.click()
    assert window.session.piece.code.mask == "auto"
    assert not page.charset.isEnabled() and "ASCII" in page.charset.toolTip()
    window.session.edit("message", "Write", kind="text", text="Łódź")
    assert page.charset.isEnabled()
    page.raises.click()
    assert window.session.piece.code.raise_level is False
    choose(page.version, "micro")
    settle(window)
    assert page.micro_note.isVisibleTo(page) and window.answer.shown.rendering.symbol.micro


def test_a_look_is_made_measured_saved_and_applied_to_another_piece(
    window, settle, studied, tmp_path, qtbot
):
    window.ladder.open(1)
    window.code.open_page("shapes")
    shapes = window.code.shapes
    click_picture(shapes.modules, "fused")
    click_picture(shapes.finders.rings, "round")
    assert "OpenCV and quirc mostly miss this ring" in shapes.warning.text()
    click_picture(shapes.finders.eyes, "square")
    studied(window)
    assert "diagonal" in shapes.gauge_note.text()
    assert not shapes.gauge.finders.good
    click_picture(shapes.finders.rings, "window")
    click_picture(shapes.finders.eyes, "rounded")
    slide(shapes.size, 0.8)
    assert window.session.piece.look.size == pytest.approx(0.96, abs=0.02)
    # Colours too close get offers that reach the asked-for grade.
    window.code.open_page("colours")
    colours = window.code.colours
    window.colour_desk.open(
        colours.editors["fill"].first, "Modules",
        lambda c: colours.editors["fill"]._change("colour", colour=c), lambda: None,
    )  # fmt: skip
    type_into(window.colour_desk.panel.hex, "#6f8f9f")
    window.colour_desk.panel.close()
    window.session.edit("look", "Ground", ground=window.session.piece.look.ground.model_copy(
        update={"colour": "#d8e6ea"}))  # fmt: skip
    study = studied(window)
    assert study.contrast.grade > "B"
    buttons = [b for b in colours.findChildren(QPushButton) if b.text().startswith("Darker")]
    buttons[-1].click()
    assert studied(window).contrast.grade <= "B"
    assert window.colour_desk.recent == ["#6f8f9f"]
    settle(window)
    assert window.band.words == "Scans well"
    # Save, start over, apply.
    made = window.session.piece.look
    window.code.open_page("looks")
    page = window.code.looks
    qtbot.waitUntil(lambda: len(page.looks) >= 8, timeout=20_000)
    type_into(page.name, "Marsh evening")
    page.save.click()
    qtbot.waitUntil(lambda: "Marsh evening" in page.saved, timeout=20_000)
    window.files.new_piece()
    assert window.session.piece.look.plain
    click_picture(page.cards, "Marsh evening")
    assert window.session.piece.look == made.model_copy(update={"name": "Marsh evening"})
    # Export as one file, import into a plain piece by dropping it.
    path = tmp_path / "evening.json"
    window.code_desk.export_to(path)
    qtbot.waitUntil(path.exists, timeout=10_000)
    qtbot.waitUntil(lambda: not window.jobs.busy, timeout=10_000)
    page.plain.click()
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    window.files.take_mime(mime, "")
    qtbot.waitUntil(lambda: window.session.piece.look.name == "Marsh evening", timeout=10_000)
    page.take_out.click()
    qtbot.waitUntil(lambda: "Marsh evening" not in page.looks, timeout=20_000)


def test_one_finder_gets_a_ring_and_a_colour_of_its_own(window, settle, tmp_path, qtbot):
    window.ladder.open(1)
    window.code.open_page("shapes")
    part = window.code.shapes.finders
    click_picture(part.which, 1)
    click_picture(part.rings, "leaf")
    part.swatches["ring_colour"].click()
    type_into(window.colour_desk.panel.hex, "#1d5740")
    window.colour_desk.panel.close()
    leaf = Finder(ring="leaf", ring_colour="#1d5740")
    assert window.session.piece.look.finders == (Finder(), leaf, Finder())
    assert window.act_undo.text() == "&Undo: colour one finder ring"
    assert "Top right finder" in part.which_note.text()
    assert "OpenCV and quirc mostly miss" in window.code.shapes.warning.text()
    # A shape from a file goes to the finder that was chosen when it was asked for.
    drawing = tmp_path / "eye.svg"
    drawing.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0H9V9H0Z"/></svg>'
    )
    click_picture(part.which, 2)
    window.code_desk.take_file("eye_own", drawing)
    click_picture(part.which, None)
    qtbot.waitUntil(lambda: window.session.piece.look.finders[2].eye == "own", timeout=10_000)
    assert window.session.piece.look.eye == part.eyes.value == "square"
    settle(window)
    path = tmp_path / "three.nimbletile"
    window.files.save_to(path)
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=10_000)
    kept = window.session.piece
    window.files.new_piece()
    window.files.open_project(path)
    qtbot.waitUntil(lambda: window.session.piece == kept, timeout=10_000)
    for at in (1, 2):
        click_picture(part.which, at)
        part.alike.click()
        assert not part.alike.isEnabled()
    assert window.session.piece.look.finders == ()
    window.session.edit("look", "Picture", ring="picture", finder_picture="0" * 64)
    assert part.at is None and not part.which.isEnabled()


def test_own_shapes_and_pictures_go_through_save_and_reopen(window, settle, tmp_path, qtbot):
    drawing = tmp_path / "fish.svg"
    drawing.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10">'
        '<path d="M0 5 Q5 -3 10 5 Q5 13 0 5 Z" transform="rotate(20 5 5)"/></svg>'
    )
    photo = tmp_path / "photo.png"
    photo.write_bytes(encoded(photograph("coffee")))
    window.code_desk.take_file("own", drawing)
    window.code_desk.take_fill("ground", photo)
    qtbot.waitUntil(lambda: len(window.session.piece.look.digests) == 1, timeout=20_000)
    settle(window)
    assert window.session.piece.look.shape == "own"
    assert window.code.shapes.again.text() == "Another file than fish.svg…"
    before = window.answer.shown.rendering.image.copy()
    path = tmp_path / "own.nimbletile"
    window.files.save_to(path)
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=10_000)
    look = window.session.piece.look
    window.files.new_piece()
    window.files.open_project(path)
    qtbot.waitUntil(lambda: window.session.piece.look == look, timeout=10_000)
    settle(window)
    assert np.array_equal(window.answer.shown.rendering.image, before)
    # A drawing that is none is refused with a sentence.
    drawing.write_text("<svg xmlns='http://www.w3.org/2000/svg'><text>no path</text></svg>")
    window.code_desk.take_file("eye_own", drawing)
    qtbot.waitUntil(lambda: window.notice.isVisible(), timeout=10_000)
    assert "no closed path" in window.notice.label.text()


def test_colour_is_picked_from_the_piece_and_palette_comes_from_the_picture(
    window, settle, tmp_path, qtbot
):
    path = tmp_path / "coffee.png"
    path.write_bytes(encoded(photograph("coffee")))
    window.files.bring_picture(path)
    qtbot.waitUntil(lambda: len(window.colour_desk.palette) >= 5, timeout=20_000)
    settle(window)
    editor = window.code.colours.editors["fill"]
    editor._open(editor.first, "colour")
    before = window.session.piece.picture
    panel = window.colour_desk.panel
    panel.pick.click()
    bench = window.bench
    spot = QPoint(bench.width() // 2, bench.height() // 2)
    assert bench.lens is Lens.PICTURE  # colours of the artwork, not of the blend
    wanted = bench.colour_at(QPointF(spot))
    QTest.mouseClick(bench, Qt.MouseButton.LeftButton, pos=spot)
    assert window.session.piece.look.fill.colour == wanted
    assert "takes the hues" in window.code.colours.tone_note.text()
    assert window.session.piece.picture == before  # picking moved nothing
    assert bench.lens is Lens.FINISHED
    panel.pick.click()
    QTest.keyClick(bench, Qt.Key.Key_Escape)
    assert bench.lens is Lens.FINISHED and bench._picking is None


def test_gradient_stops_by_mouse_and_keys(window, settle):
    editor = window.code.colours.editors["fill"]
    choose(editor.kind, "linear")
    assert len(window.session.piece.look.fill.stops) == 2
    bar = editor.bar
    bar.resize(240, 40)
    QTest.mouseClick(bar, Qt.MouseButton.LeftButton, pos=QPoint(120, 12))
    assert [round(s.offset, 1) for s in window.session.piece.look.fill.stops] == [0, 0.5, 1]
    QTest.keyClick(bar, Qt.Key.Key_Right)
    assert window.session.piece.look.fill.stops[1].offset > 0.5
    QTest.keyClick(bar, Qt.Key.Key_Delete)
    assert len(window.session.piece.look.fill.stops) == 2
    editor.less.click()  # two are the least
    assert len(window.session.piece.look.fill.stops) == 2


def test_light_on_dark_shows_its_risk_from_the_readers(window, settle, studied):
    window.session.edit("message", "Write", text="https://lanternwalk.example/dusk")
    window.code.colours.swap.click()
    studied(window)
    settle(window)
    assert window.band.words == "Scans, little to spare"
    assert window.answer.verdict.readers_right == (1, 4)
    assert "Light on dark: 1 of 4 readers" in window.code.colours.note.text()
    assert window.answer.verdict.reasons[0].text.startswith("It is light on dark")
    assert window.answer.verdict.spare == 1  # the modules themselves are all there
    window.code.colours.swap.click()
    settle(window)
    assert window.band.words == "Scans well"


@pytest.mark.parametrize("suffix", ["svg", "pdf"])
def test_vectors_from_the_window_are_read_back(window, settle, tmp_path, qtbot, suffix):
    window.session.put(window.session.piece.model_copy(update={"look": looks.shipped()[3]}), "Look")
    window.session.edit("finish", "Format", format=suffix)
    assert window.ladder.rows[5].summary.startswith(suffix.upper())
    assert "Real vectors" in window.finish.files.format_note.text()
    path = tmp_path / f"tide.{suffix}"
    window.files.exporting.export_to(path)
    qtbot.waitUntil(lambda: window.finish.files.proof.proof is not None, timeout=20_000)
    assert window.finish.files.proof.proof.verdict.readers_right == (4, 4)
    text = window.session.piece.message.text
    again = rendered_again(path.read_bytes(), suffix, 700)
    assert [r.text for r in READERS["quirc"]().read(again)] == [text]
    window.act_copy.trigger()
    clipboard = QGuiApplication.clipboard()
    qtbot.waitUntil(
        lambda: (clipboard.mimeData() or QMimeData()).hasFormat("image/svg+xml"), timeout=10_000
    )
    drawing = bytes(clipboard.mimeData().data("image/svg+xml").data())
    assert b"<path" in drawing and b"<title" not in drawing  # nothing of where it comes from
    assert [r.text for r in READERS["quirc"]().read(rendered_again(drawing, "svg", 700))] == [text]
    pixels = open_picture(bytes(clipboard.mimeData().data("image/png").data())).rgb
    assert [r.text for r in READERS["quirc"]().read(pixels)] == [text]


def test_what_a_blend_leaves_out_of_a_look_is_said(window, settle, store):
    """Facts, not claims: each method is rendered with and without each part of a look."""
    digest = window.pictures.add(encoded(photograph("coffee")), "coffee")
    window.session.take_picture(digest, "coffee")
    renderer, plain = Renderer(window.pictures), window.session.piece
    made = {
        "shapes": Look(shape="round", size=0.8), "colours": Look(fill=Fill(colour="#803000")),
        "light": Look(relief=Relief(shadow=Shadow(strength=1))),
    }  # fmt: skip
    for method, whose in [*((m, "picture") for m in METHOD_LABELS), ("tone", "look")]:
        piece = plain.edited("blend", method=method, strength=0.8, colours=whose)
        before = renderer.render(piece, 260).image
        for part, look in made.items():
            with_look = piece.model_copy(update={"look": look})
            counts = bool((renderer.render(with_look, 260).image != before).any())
            told = unused(with_look)
            said = part in told or (part == "shapes" and "shape of its modules" in told)
            assert counts != said, (method, part)
    plain = plain.edited("blend", colours="picture")
    window.session.put(plain.model_copy(update={"look": made["colours"]}), "Colour")
    settle(window)
    window.ladder.open_rung("code")
    assert "its colours" in window.code.unused.text() and window.code.unused.isVisible()
    window.ladder.open_rung("blend")
    assert "leaves out" in window.blend.about.text()
    window.session.edit("blend", "Overlay", method="overlay")
    window.ladder.open_rung("code")
    assert not window.code.unused.isVisible() and "leaves out" not in window.blend.about.text()
