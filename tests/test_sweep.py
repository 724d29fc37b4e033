"""The sweep: settings over a range, judged as the window judges, and their board."""

import pytest
from PySide6.QtCore import Qt

from conftest import LINK, encoded, photograph
from nimble_tile.core.errors import UserError
from nimble_tile.core.piece import BORDER_LABELS, Message, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune.sweep import MOST_PIECES, SETTINGS, Setting, board, setting, sweep

FEW = tuple(t for t in shipped() if t.name in ("In the hand", "From the side"))


def test_every_setting_can_be_put_over_its_whole_range(photo_piece, store):
    piece = photo_piece()
    plain = Piece(message=Message(text=LINK))
    laid = piece.model_copy(
        update={"logo": type(piece.logo).model_validate({"items": [{"digest": "0" * 64}]})}
    )
    for each in SETTINGS:
        base = laid if each.key.startswith("logo") else piece
        values = [v for v, _ in each.options] or each.values(each.low, each.high, 3)
        assert len(set(values)) == len(values) >= 2, each.key
        for value in values:
            made = each.put(base, value)
            assert str(each.value(made)) == str(value), each.key
            assert each.text(value), each.key
            # Nothing else changes but what the setting itself needs.
            others = {k for k in dict(made) if dict(made)[k] != dict(base)[k]}
            assert others <= {each.key.split(".")[0]}, each.key
    # Without a picture, only settings of the code can be swept.
    free = [each.key for each in SETTINGS if not each.why_not(plain)]
    assert free and all(key.startswith("code.") for key in free)
    with pytest.raises(KeyError):
        setting("blend.nothing")


def test_values_are_spread_evenly_and_read_well():
    strength, version = setting("blend.strength"), setting("code.version")
    assert strength.values(0.4, 0.8, 5) == [0.4, 0.5, 0.6, 0.7, 0.8]
    assert version.values(3, 5, 9) == [3, 4, 5]  # whole numbers, each once
    assert strength.text(0.7) == "70 %"
    assert setting("code.steer").text("off") == "Off"
    assert setting("logo.items.0.backing.margin").text(1.5) == "1.50 modules"
    assert Setting("blend.finders", "x").value(Piece()) == Piece().blend.strength  # as the rest


def test_a_board_is_judged_as_the_window_judges(photo_piece, store, bay):
    piece = photo_piece("astronaut")
    axes = [setting("blend.strength"), setting("code.level")]
    cells = board(piece, axes, [[0.3, 0.9], ["L", "H"]])
    assert [cell.values for cell in cells] == [(0.3, "L"), (0.9, "L"), (0.3, "H"), (0.9, "H")]
    renderer, room = Renderer(store), Room(bay)
    found = list(sweep(cells, renderer, room, FEW, lambda _: 500))
    assert [cell.index for cell in found] == [0, 1, 2, 3]
    for cell in found:
        assert cell.rendering.symbol.level == cell.values[1]  # not raised
        alone = judge_rendering(renderer.render(cell.piece, 500), bay)
        assert cell.verdict.fidelity == alone.fidelity
        assert cell.verdict.readers_right == alone.readers_right
    # Stronger scans better and looks less like the picture.
    assert found[1].reach > found[0].reach
    assert found[1].verdict.fidelity.ssim_view < found[0].verdict.fidelity.ssim_view
    # It ends where it is told to.
    asked = []
    ended = list(sweep(cells, renderer, room, FEW, lambda _: 500, stop=lambda: len(asked) > 0))
    assert len(ended) == 4
    asked.append(1)
    assert not list(sweep(cells, renderer, room, FEW, lambda _: 500, stop=lambda: True))


def test_what_is_not_possible_is_said_in_its_cell(store, bay, photo_piece):
    piece = photo_piece()
    cells = board(piece, [setting("code.version")], [[1, 3]])
    first, second = sweep(cells, Renderer(store), Room(bay), (), lambda _: 400)
    assert first.verdict is None and "fit" in first.error
    assert second.verdict is not None and second.reach is None  # no trials are on
    (odd,) = board(piece, [setting("blend.strength")], [[7.0]])
    assert odd.piece is None and "not possible" in odd.error
    assert next(iter(sweep([odd], Renderer(store), Room(bay), (), lambda _: 400))) is odd
    with pytest.raises(UserError, match=str(MOST_PIECES)):
        board(piece, [setting("blend.strength"), setting("code.mask")], [range(9), range(8)])


# The window ---------------------------------------------------------------------


def test_a_sweep_in_the_window_gives_a_piece_and_drafts(window, settle, qtbot, monkeypatch):
    monkeypatch.setattr(type(window.proof.prover), "trials", FEW)
    window.message.text.setPlainText(LINK)
    settle(window)
    swept = window.sweep_desk.open()
    model = swept.across.which.model()
    strength = swept.across.which.findData("blend.strength")
    assert not model.item(strength).isEnabled()  # there is no picture
    assert "picture" in model.item(strength).toolTip()
    assert not swept.sweep.isEnabled()

    digest = window.pictures.add(encoded(photograph("astronaut")), "a.png")
    window.session.take_picture(digest, "a.png")
    settle(window)
    assert model.item(strength).isEnabled() and swept.sweep.isEnabled()
    swept.across.choose("blend.strength")
    for box, value in ((swept.across.low, 35), (swept.across.high, 90)):
        box.setValue(value)
    swept.across.count.setValue(3)
    swept.down.choose("blend.method")
    for row in range(swept.down.options.count()):
        item = swept.down.options.item(row)
        wanted = item.data(Qt.ItemDataRole.UserRole) in ("tone", "dots")
        item.setCheckState(Qt.CheckState.Checked if wanted else Qt.CheckState.Unchecked)
    assert swept.number.text() == "6 pieces."
    before = window.session.piece
    swept.sweep.click()
    assert swept.stop.isVisible()
    qtbot.waitUntil(lambda: not swept.jobs.busy, timeout=60_000)
    shots = swept.board.shots
    assert [shot.title for shot in shots][:2] == ["35 %, Tone", "62 %, Tone"]
    assert all(shot.image is not None and shot.cell.reach is not None for shot in shots)
    assert window.session.piece == before  # nothing is taken by itself
    # What is called best scans well and is the most like the picture of those.
    good = [s.cell for s in shots if s.cell.verdict.state == "well"]
    best = max(good, key=lambda cell: cell.verdict.fidelity.ssim_view)
    assert swept.board.best == best.index and f"reach {best.reach:.0%}" in swept.told.text()

    # Several as drafts, with what is known of them; the same ones only once.
    swept.board.selectAll()
    swept.keep.click()
    drafts = window.session.drafts
    assert len(drafts) == 6 and drafts[0].name == "35 %, Tone"
    assert [d.reach for d in drafts] == [s.cell.reach for s in shots]
    assert all(not window.shelf.image(d).isNull() for d in drafts)
    swept.keep.click()
    assert len(window.session.drafts) == 6
    # One is taken by Enter, as an undoable step; the board knows that it is one of its own.
    swept.board.clearSelection()
    swept.board.choose(4)
    qtbot.keyClick(swept.board, Qt.Key.Key_Return)
    assert window.session.piece.blend.method == "dots"
    assert window.session.undo_name.startswith("Take strength 62 %")
    assert "changed since" not in swept.note.text()
    window.session.edit("code", "Another quiet zone", quiet_zone=2)
    assert "changed since" in swept.note.text()
    # Too many are refused before the work begins.
    swept.across.count.setValue(16)
    swept.down.choose("code.mask")
    swept.down.count.setValue(8)
    assert "more than" in swept.number.text() and not swept.sweep.isEnabled()
    swept.down.choose("blend.strength")
    assert "same setting" in swept.number.text() and not swept.sweep.isEnabled()


def sweeping(window, settle, monkeypatch, key):
    """The sweep window of a plain link, with few trials, before one setting."""
    monkeypatch.setattr(type(window.proof.prover), "trials", FEW)
    window.message.text.setPlainText(LINK)
    settle(window)
    swept = window.sweep_desk.open()
    swept.across.choose(key)
    return swept


def test_a_sweep_that_is_stopped_keeps_what_it_has(window, settle, qtbot, monkeypatch):
    swept = sweeping(window, settle, monkeypatch, "code.mask")
    swept.across.count.setValue(8)
    made = []
    swept._made.connect(lambda *_: made.append(1) or swept.halt())
    swept.sweep.click()
    qtbot.waitUntil(lambda: not swept.jobs.busy, timeout=60_000)
    known = [shot for shot in swept.board.shots if shot.cell.verdict is not None]
    assert 1 <= len(known) < 8 and swept.sweep.isVisible()
    assert window.proof.prover.paused  # as it was before
    # Only what was looked at can be taken.
    for place, shot in enumerate(swept.board.shots):
        swept.board.clearSelection()
        assert not swept.take.isEnabled()
        swept.board.choose(place)
        assert swept.take.isEnabled() == (shot.cell.verdict is not None)


def test_what_borders_cost_is_a_press_away_where_borders_are_chosen(window, settle, monkeypatch):
    """From marks and from light; the board opens on all borders and begins."""
    started = []
    swept = window.sweep_desk.open()
    swept.close()
    monkeypatch.setattr(swept, "start", lambda: started.append(list(swept.across.values)))
    digest = window.pictures.add(encoded(photograph("coffee")), "coffee")
    window.session.edit("message", "Write", text=LINK)
    window.session.take_picture(digest, "coffee")
    settle(window)
    window.ladder.open(3)
    rung = window.blend
    row = rung.own.marks.border_row
    assert row.isVisibleTo(rung) and not rung.border_row.isVisibleTo(rung)
    row.costs.click()
    assert swept.isVisible() and swept.down.setting is None
    assert started == [list(BORDER_LABELS)]
    window.session.edit("blend", "Light", method="light")
    settle(window)
    rung.finders_fold.set_open(True)
    assert rung.border_row.isVisibleTo(rung)
    rung.border_row.kind.chosen.emit("ticket")
    assert window.session.piece.blend.marks.border == "ticket"
    rung.border_row.costs.click()
    assert len(started) == 2
    # A blend without a border has none to compare.
    window.session.edit("blend", "Tone", method="tone")
    settle(window)
    assert not rung.border_row.isVisibleTo(rung)
    assert "no border" in setting("blend.marks.border").why_not(window.session.piece)
    swept.sweep_one("blend.marks.border")
    assert len(started) == 2


def test_what_the_board_found_out_the_wall_does_not_find_out_again(
    window, settle, qtbot, monkeypatch
):
    swept = sweeping(window, settle, monkeypatch, "code.quiet_zone")
    swept.across.low.setValue(1)
    swept.across.high.setValue(3)
    swept.across.count.setValue(2)
    swept.sweep.click()
    qtbot.waitUntil(lambda: not swept.jobs.busy, timeout=60_000)
    room = window.proof.prover.room()
    looked = []
    monkeypatch.setattr(room, "_look", lambda jobs, *_: looked.extend(jobs))
    window.proof.prover.pause(False)
    swept.take_cell(1)
    qtbot.waitUntil(lambda: window.answer.proved, timeout=20_000)
    shot = swept.board.shots[1]
    assert window.session.piece.code.quiet_zone == shot.cell.values[0] == 3
    assert window.answer.reach == shot.cell.reach
    ours = [subject for subject, trial in looked if trial in FEW and not subject.plain]
    assert not ours  # every frame of it was known


def test_a_board_shows_and_tells_what_is_missing(qapp):
    from nimble_tile.core.tune.sweep import Cell
    from nimble_tile.ui.rooms.sweep.board import Board

    board_ = Board()
    board_.resize(700, 500)
    cells = [
        Cell(0, (0.3,), None, error="This value is not possible."), Cell(1, (0.4,), Piece()),
        Cell(2, (0.5,), Piece()), Cell(3, (0.6,), Piece()), Cell(4, (0.7,), Piece()),
    ]  # fmt: skip
    board_.begin(cells, 0, lambda cell: f"{cell.values[0]:.0%}")
    assert (board_.rowCount(), board_.columnCount()) == (2, 4)
    assert board_.at(1, 0).title == "70%" and board_.at(1, 3) is None
    assert board_.at(0, 0).told == "This value is not possible."
    assert board_.at(0, 1).told == "Not judged yet."
    board_.selectAll()
    assert len(board_.chosen) == 5  # the empty places cannot be chosen
    told = board_.item(0, 0).data(Qt.ItemDataRole.AccessibleTextRole)
    assert told == "30%: This value is not possible."
    board_.grab()  # paints both kinds
    board_.begin(cells[:4], 2, lambda cell: "x")
    assert (board_.rowCount(), board_.columnCount()) == (2, 2)
