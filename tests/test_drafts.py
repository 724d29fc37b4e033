"""Drafts: what is kept beside the piece, in the project file and on the shelf."""

import json
import zipfile

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt

from conftest import LINK, encoded, photograph
from nimble_tile.core.errors import ProjectError
from nimble_tile.core.phonelog import PhoneTest
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Message, Picture, Piece
from nimble_tile.core.project import archive
from nimble_tile.core.project.drafts import MOST_DRAFTS, Draft, free_name
from nimble_tile.core.project.recovery import Leftover, Recovery

THUMB = encoded(np.full((40, 40, 3), 120, np.uint8))


def draft(piece, number=1, **more):
    return Draft(key=f"{number:08x}", name=f"Draft {number}", piece=piece, **more)


# The project file ---------------------------------------------------------------


def test_drafts_and_the_pictures_they_need_come_back_from_the_file(photo_piece, store, tmp_path):
    piece = photo_piece()
    other = photo_piece("chelsea").edited("blend", method="dots")
    digest = store.add_mask(np.full((41, 41), 90, np.uint8))
    mapped = piece.edited("blend", method="gentle", map=digest)
    drafts = (
        draft(
            other, 1, note="für den Aushang\nzweite Zeile", state="thin", words="Scans", reach=0.8
        ),
        draft(mapped, 2, fidelity=0.4, thumb=THUMB),
    )
    path = tmp_path / "kept.nimbletile"
    archive.save(piece, store, path, drafts)

    project = archive.load_project(path)
    assert project.piece == piece
    assert project.drafts == drafts  # thumbnails included
    assert {*other.digests, *mapped.digests} <= set(project.pictures._shelf.files)
    assert archive.load(path, PictureStore()) == piece
    # The document is open: a zip with readable JSON, thumbnails as files beside it.
    with zipfile.ZipFile(path) as opened:
        document = json.loads(opened.read("piece.json"))
        assert [d["name"] for d in document["drafts"]] == ["Draft 1", "Draft 2"]
        assert "thumb" not in document["drafts"][1]
        assert opened.read("drafts/00000002.png") == THUMB


def test_a_project_with_as_many_drafts_as_possible_opens(store, tmp_path):
    piece = Piece(message=Message(text=LINK))
    drafts = [draft(piece, number) for number in range(MOST_DRAFTS)]
    path = tmp_path / "many.nimbletile"
    archive.save(piece, store, path, drafts)
    assert len(archive.load_project(path).drafts) == MOST_DRAFTS


def test_what_is_saved_opens_again_or_is_not_saved(store, tmp_path, monkeypatch):
    """As many drafts as possible, each with masks of its own."""
    piece = Piece(message=Message(text=LINK))
    whole = []
    for number in range(MOST_DRAFTS):
        rng = np.random.default_rng(number)
        masks = [store.add_mask(rng.integers(0, 256, (16, 16), np.uint8)) for _ in range(4)]
        made = piece.model_copy(update={"picture": Picture(digest=masks[0], guard=masks[1])})
        made = made.edited("blend", map=masks[2]).edited("logo", paint=masks[3])
        whole.append(draft(made, number, thumb=THUMB))
    path = tmp_path / "many.nimbletile"
    archive.save(piece, store, path, whole)
    assert len(archive.load_project(path).drafts) == MOST_DRAFTS
    before = path.read_bytes()
    monkeypatch.setattr(archive, "MOST_JSON", 1 << 16)
    with pytest.raises(ProjectError, match="larger than what can be opened"):
        archive.save(piece, store, path, whole)
    assert path.read_bytes() == before


def rewritten(path, change, thumbs=None):
    """A project file with another document, or other thumbnails."""
    with zipfile.ZipFile(path) as opened:
        members = {name: opened.read(name) for name in opened.namelist()}
    document = json.loads(members["piece.json"])
    change(document)
    members["piece.json"] = json.dumps(document).encode()
    with zipfile.ZipFile(path, "w") as made:
        for name, data in (members | (thumbs or {})).items():
            made.writestr(name, data)
    return path


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda d: d.update(drafts={"a": 1}), "list"),
        (lambda d: d.update(drafts=d["drafts"] * (MOST_DRAFTS + 1)), "list"),
        (lambda d: d["drafts"].append(d["drafts"][0]), "one key"),
        (lambda d: d["drafts"][0].update(key="../../etc"), "not possible"),
        (lambda d: d["drafts"][0].update(name="  "), "not possible"),
        (lambda d: d["drafts"][0]["piece"].update(schema=99), "not possible"),
        (lambda d: d["drafts"][0]["piece"]["picture"].update(digest="0" * 64), "missing"),
    ],
)  # fmt: skip
def test_hostile_drafts_are_refused_with_a_sentence(change, told, photo_piece, store, tmp_path):
    path = tmp_path / "bad.nimbletile"
    archive.save(photo_piece(), store, path, [draft(photo_piece())])
    with pytest.raises(ProjectError, match=told):
        archive.load_project(rewritten(path, change))


@pytest.mark.parametrize("data", [b"no picture", encoded(Image.new("RGB", (4000, 10))), b""])
def test_a_spoilt_thumbnail_costs_only_itself(data, photo_piece, store, tmp_path):
    path = tmp_path / "thumb.nimbletile"
    archive.save(photo_piece(), store, path, [draft(photo_piece(), thumb=THUMB)])
    rewritten(path, lambda d: None, {"drafts/00000001.png": data})
    project = archive.load_project(path)
    assert project.drafts[0].thumb == b""


def test_unsaved_drafts_are_in_the_copy_that_is_kept_aside(photo_piece, store, tmp_path):
    piece = photo_piece()
    recovery = Recovery(tmp_path / "kept")
    recovery.keep(piece, store, None, [draft(piece.edited("blend", strength=0.3))])
    del recovery
    (left,) = Recovery(tmp_path / "kept").leftovers()
    assert isinstance(left, Leftover)
    project = archive.load_project(left.path)
    assert project.drafts[0].piece.blend.strength == 0.3


def test_names_are_free_and_phone_logs_stay_with_the_piece():
    piece = Piece(message=Message(text=LINK), log=(PhoneTest(device="a", size=40, read=True),))
    kept = draft(piece)
    assert kept.piece.log == ()
    assert free_name(()) == "Draft 1"
    assert free_name((kept,)) == "Draft 2"
    named = kept.model_copy(update={"name": "Pale  sky"})
    assert free_name((kept, named), " Pale  sky ") == "Pale sky"
    assert free_name((kept, named.model_copy(update={"name": "Pale sky"})), "Pale sky") == (
        "Pale sky 2"
    )


# The shelf ----------------------------------------------------------------------


def bring(window, settle, tmp_path, name="coffee"):
    path = tmp_path / f"{name}.png"
    Image.fromarray(photograph(name)).resize((480, 320)).save(path)
    window.message.text.setPlainText(LINK)
    window.files.bring_picture(path)
    settle(window)


def test_variants_are_kept_compared_taken_and_saved(window, settle, qtbot, tmp_path):
    bring(window, settle, tmp_path)
    session, shelf = window.session, window.shelf
    assert not shelf.isVisible()
    window.foot.drafts.click()
    assert shelf.isVisible() and shelf.empty.isVisible()
    shelf.keep.click()
    first = session.drafts[0]
    assert first.name == "Draft 1" and first.state == window.answer.verdict.state
    assert first.fidelity == pytest.approx(window.answer.verdict.fidelity.ssim_view)
    picture = shelf.image(first)
    assert 0 < picture.width() <= 320
    # The same piece is not kept twice; a changed one is, and is told apart.
    shelf.keep.click()
    assert len(session.drafts) == 1 and "Draft 1" in window.notice.label.text()
    session.edit("blend", "Other strength", strength=0.95)
    settle(window)
    assert shelf.current == ""
    shelf.keep.click()
    second = session.drafts[1]
    assert shelf.current == second.key and shelf.chosen == [second.key]
    assert second.fidelity < first.fidelity

    # Side by side: the left image to the left of the line, the right one beyond.
    shelf.list.selectAll()
    shelf.compare.click()
    qtbot.waitUntil(lambda: not window.jobs.busy, timeout=20_000)
    view = window.draft_desk.view
    assert window.middle.currentWidget() is view and not window.foot.isVisible()
    assert [name.text() for name, _, _ in view.labels] == ["Draft 1", "Draft 2"]
    seen = view.view.grab().toImage()
    view.view.move_line(1.0)
    left = view.view.grab().toImage()
    view.view.move_line(0.0)
    right = view.view.grab().toImage()
    half = QPoint(seen.width() // 2 + 30, seen.height() // 2 + 40)
    tones = [shot.pixelColor(half).getRgb()[:3] for shot in (seen, right)]
    assert np.abs(np.subtract(*tones)).max() <= 2
    assert left != right
    at = view.view.frame.topLeft().toPoint() + QPoint(0, view.view.height() // 2)
    qtbot.mousePress(view.view, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseMove(view.view, half)
    qtbot.mouseRelease(view.view, Qt.MouseButton.LeftButton, pos=half)
    assert 0.4 < view.view.share < 0.9
    view.view.move_line(0.5)
    qtbot.keyClick(view.view, Qt.Key.Key_Right)
    assert view.view.share == pytest.approx(0.52)
    view.swap.click()
    assert view.labels[0][0].text() == "Draft 2"

    # Taken from there, undone, and taken by double click.
    view.labels[1][2].click()
    assert window.middle.currentWidget() is window.bench and window.foot.isVisible()
    assert session.piece == first.piece and session.undo_name == "Take Draft 1"
    session.undo()
    assert session.piece == second.piece
    settle(window)

    path = tmp_path / "drafts.nimbletile"
    assert session.unsaved
    window.files.save_to(path)
    settle(window)
    assert not session.unsaved
    shelf.reveal(first.key)
    qtbot.keyClick(shelf.list, Qt.Key.Key_Delete)
    assert [d.key for d in session.drafts] == [second.key] and session.unsaved
    window.notice.buttons[0].click()  # put back, where it was
    assert [d.key for d in session.drafts] == [first.key, second.key] and not session.unsaved
    window.files.new_piece()
    assert session.drafts == ()
    window.files.open_project(path)
    settle(window)
    assert [d.key for d in session.drafts] == [first.key, second.key]
    assert shelf.current == second.key


def test_a_draft_gets_its_reach_when_the_trials_are_through(window, settle, qtbot, tmp_path):
    window.proof.prover.pause(False)
    window.message.text.setPlainText(LINK)
    qtbot.waitUntil(lambda: not window.answer.stale, timeout=20_000)
    window.draft_desk.keep("Before the trials")
    qtbot.waitUntil(lambda: window.session.drafts[0].reach is not None, timeout=60_000)
    assert window.session.drafts[0].reach == window.answer.reach
    assert "reach" in window.shelf.list.item(0).toolTip()


def test_name_and_note(window, settle, monkeypatch):
    from nimble_tile.ui.rooms.drafts import desk as draft_desk

    window.message.text.setPlainText(LINK)
    settle(window)
    window.draft_desk.keep()

    def answer(dialog):
        dialog.name.setText("  Evening  poster ")
        dialog.note.setPlainText("<b>for print</b>")
        return 1

    monkeypatch.setattr(draft_desk.NameDialog, "exec", answer)
    window.shelf.name.click()
    kept = window.session.drafts[0]
    assert (kept.name, kept.note) == ("Evening poster", "<b>for print</b>")
    # Shown to the letter, never as markup.
    assert "&lt;b&gt;" in window.shelf.list.item(0).toolTip()


def test_a_full_shelf_says_so(window, settle):
    window.message.text.setPlainText(LINK)
    settle(window)
    piece = window.session.piece
    drafts = [
        draft(piece.edited("code", quiet_zone=n % 7, keep=n / 500), n)
        for n in range(1, MOST_DRAFTS + 1)
    ]
    window.session.put_drafts(drafts)
    window.draft_desk.keep()
    assert len(window.session.drafts) == MOST_DRAFTS and "200" in window.notice.label.text()


def test_what_is_only_learned_asks_nobody_to_save(window, settle, qtbot, tmp_path):
    window.message.text.setPlainText(LINK)
    window.draft_desk.keep("At once")  # before there is anything to be seen of it
    settle(window)
    qtbot.waitUntil(lambda: bool(window.session.drafts[0].thumb), timeout=20_000)
    assert not window.shelf.image(window.session.drafts[0]).isNull()
    path = tmp_path / "kept.nimbletile"
    window.files.save_to(path)
    settle(window)
    assert not window.session.unsaved
    window.proof.prover.pause(False)
    qtbot.waitUntil(lambda: window.session.drafts[0].reach is not None, timeout=60_000)
    assert not window.session.unsaved
    # Another name is something to save.
    window.draft_desk._change(window.session.drafts[0].key, name="Later")
    assert window.session.unsaved


def test_a_comparison_ends_with_the_next_change(window, settle, qtbot, tmp_path):
    bring(window, settle, tmp_path)
    window.draft_desk.keep()
    window.session.edit("blend", "Other strength", strength=0.9)
    settle(window)
    # One draft beside the piece as it is now.
    window.shelf.reveal(window.session.drafts[0].key)
    window.shelf.compare.click()
    qtbot.waitUntil(lambda: not window.jobs.busy, timeout=20_000)
    view = window.draft_desk.view
    names = [name.text() for name, _, _ in view.labels]
    assert names == ["Draft 1", "The piece now"]
    assert view.labels[0][2].isVisible() and not view.labels[1][2].isVisible()
    assert "fidelity" in view.labels[1][1].text()
    window.session.edit("blend", "Another one", strength=0.8)
    assert window.middle.currentWidget() is window.bench and window.foot.isVisible()
    # Escape goes back as well; the menu offers what the buttons do.
    window.shelf.compare.click()
    qtbot.waitUntil(lambda: window.middle.currentWidget() is view, timeout=20_000)
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert window.middle.currentWidget() is window.bench
    menu = window.shelf.menu()
    assert [action.text() for action in menu.actions()][-1] == "Remove"
    menu.actions()[-1].trigger()
    assert window.session.drafts == ()


def test_images_of_other_shapes_are_fitted_into_one_frame(qapp):
    from PySide6.QtGui import QColor, QImage

    from nimble_tile.ui.rooms.drafts.compare_view import Compared, ComparedSide

    left, right = (QImage(*size, QImage.Format.Format_RGB32) for size in ((200, 100), (50, 100)))
    left.fill(QColor("#204060"))
    right.fill(QColor("#c0a020"))
    view = Compared()
    view.resize(648, 348)
    view.take(ComparedSide("a", "", left), ComparedSide("b", "", right))
    view.move_line(0.0)
    shot = view.grab().toImage()
    middle = shot.pixelColor(shot.width() // 2, shot.height() // 2)
    assert middle.name() == "#c0a020"
    beside = shot.pixelColor(shot.width() // 2 - 150, shot.height() // 2)
    assert beside.name() == view.theme.bench  # it is narrower than the frame
