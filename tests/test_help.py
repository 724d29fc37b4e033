"""Finding one's way: actions by name, keys, steps, handbook, preferences, tour; by keys alone."""

import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QScrollArea,
    QWidget,
)

import nimble_tile
import nimble_tile.library
from nimble_tile.core.licences import packages
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.project import archive
from nimble_tile.ui.rooms.help.actions import Deed, deeds_of, fits

ROOT = Path(__file__).parents[1]


def test_actions_are_found_by_a_few_letters(window, settle):
    settle(window)
    names = {deed.name for deed in deeds_of(window.menuBar().actions())}
    assert {"Export and check", "Mend a picture", "Find an action", "Heron mark"} & names >= {
        "Export and check", "Mend a picture", "Find an action"
    }  # fmt: skip
    deed = Deed("Export and check", "File", "Ctrl+E", lambda: None)
    assert fits("exp", deed) > fits("file", deed) > fits("mend", deed) == 0
    window.help.find_action()
    finder = window.help.finder
    finder.line.setText("keep draft")
    assert finder.list.currentItem().text().startswith("Keep as a draft")
    QTest.keyClick(finder.line, Qt.Key.Key_Return)
    assert len(window.session.drafts) == 1 and not finder.isVisible()


def test_the_list_of_keys_has_every_shortcut_once(window):
    window.help.show_keys()
    tree = window.help.keys.tree
    keys = [
        tree.topLevelItem(i).child(j).text(1)
        for i in range(tree.topLevelItemCount())
        for j in range(tree.topLevelItem(i).childCount())
    ]
    menus = [key for key in keys if key not in ("Arrow keys", "Shift+Arrow keys", "1 to 6", "B")]
    assert "Ctrl+E" in menus and len(menus) == len(set(menus))  # no key does two things
    assert len(menus) > 30


def test_any_step_is_a_click_away(window, settle):
    settle(window)
    first = window.session.piece
    for level in "LQH":
        window.session.edit("code", f"Level {level}", level=level)
    window.help.show_steps()
    steps = window.help.steps.list
    assert [steps.item(i).text() for i in range(steps.count())] == [
        "As it began", "Level L", "Level Q", "Level H"
    ]  # fmt: skip
    steps.setCurrentRow(0)
    assert window.session.piece == first
    assert steps.item(3).text() == "Level H (undone)"
    steps.setCurrentRow(2)
    assert window.session.piece.code.level == "Q" and window.session.redo_name == "Level H"


def test_the_handbook_is_there_with_its_pictures(window):
    window.help.show_handbook()
    book = window.help.book
    heads = [book.heads.item(i).text().strip() for i in range(book.heads.count())]
    assert heads[0] == "Handbook" and "Blend" in heads and "Many codes at once" in heads
    pictures = [
        part.charFormat().toImageFormat().name()
        for block in iter_blocks(book.pages.document())
        for part in fragments(block) if part.charFormat().isImageFormat()
    ]  # fmt: skip
    assert len(pictures) >= 6
    for name in pictures:
        with Image.open(book._folder / name) as image:
            assert image.width > 600
    book.heads.setCurrentRow(heads.index("Trials"))
    assert book.pages.verticalScrollBar().value() > 0
    book.search.setText("bleed")
    book._find()
    assert book.pages.textCursor().selectedText().lower() == "bleed"


def iter_blocks(document):
    block = document.begin()
    while block.isValid():
        yield block
        block = block.next()


def fragments(block):
    at = block.begin()
    while not at.atEnd():
        yield at.fragment()
        at += 1


def test_preferences_hold_for_new_pieces(window, settle, monkeypatch):
    settle(window)
    window.help.show_preferences("light")
    wishes = window.help.wishes
    wishes.level.button("H").click()
    wishes.unit.button("mm").click()
    wishes.autosave.setValue(5)
    wishes.theme.button("dark").click()
    assert window.theme_name == "dark" and window.settings.autosave == 5
    monkeypatch.setattr(window.files, "ask_unsaved", lambda: "drop")
    window.files.new_piece()
    piece = window.session.piece
    assert piece.code.level == "H" and piece.finish.mm == 60 and piece.finish.size == 709
    window.settings.set("usual level", "Z")
    window.settings.set("autosave", "soon")
    assert window.settings.usual["level"] == "M" and window.settings.autosave == 3


def test_the_tour_goes_through_five_steps(window, settle, qtbot, monkeypatch):
    settle(window)
    window.settings.set("toured", False)
    window.help.offer_tour()
    assert "tour" in window.notice.label.text()
    monkeypatch.setattr(window.files, "ask_unsaved", lambda: "drop")
    window.help.begin_tour()
    tour = window.help.tour
    seen = []
    for _ in range(5):
        assert tour.isVisible() and not tour.hole.isEmpty()
        assert tour.rect().contains(tour.card.geometry())
        seen.append(tour.title.text())
        QTest.keyClick(tour, Qt.Key.Key_Right)
    assert len(set(seen)) == 5 and not tour.isVisible()
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=20_000)
    window.notice.hide()
    window.help.offer_tour()
    assert not window.notice.isVisible()  # once is enough


def nameless(window):
    """Widgets that can be reached and say nothing to a screen reader."""
    buddies = {label.buddy() for label in window.findChildren(QLabel)}
    found = []
    for widget in window.findChildren(QWidget):
        reached = widget.isVisible() and widget.focusPolicy() != Qt.FocusPolicy.NoFocus
        part = isinstance(widget.parent(), (QAbstractSpinBox, QComboBox))
        inner = widget.objectName().startswith("qt_") or isinstance(widget, QScrollArea)
        if not reached or part or inner or widget in buddies:
            continue
        said = widget.accessibleName() or getattr(widget, "text", lambda: "")()
        if not said and not widget.toolTip():
            found.append((type(widget).__name__, type(widget.parent()).__name__))
    return found


def test_everything_that_can_be_reached_has_a_name(window, settle, store):
    settle(window)
    pages = {
        "message": (), "code": ("symbol", "shapes", "colours", "looks"), "picture": (),
        "blend": (), "logo": (), "finish": ("caption", "surround", "layout", "export"),
    }  # fmt: skip
    for number, (name, inner) in enumerate(pages.items()):
        window.ladder.open_rung(name)
        for page in inner or ("",):
            if page:
                window.ladder.rungs[number].open_page(page)
            QApplication.processEvents()
            assert nameless(window) == [], (name, page)
    for desk in (window.batch_desk, window.press_desk, window.drawn_desk, window.mend_desk,
                 window.check_desk, window.sweep_desk, window.links_desk):  # fmt: skip
        desk.open()
        QApplication.processEvents()
        for other in QApplication.topLevelWidgets():
            if other is not window and other.isVisible():
                assert nameless(other) == [], type(other).__name__
                other.close()


def test_the_whole_job_by_keys_alone(window, settle, tmp_path, qtbot, monkeypatch):
    """From a message to an exported file; only the system's own file dialogs are left out."""
    settle(window)
    window.activateWindow()
    window.setFocus()
    QTest.keyClick(window, Qt.Key.Key_1)
    assert window.ladder.current_rung == "message"
    for _ in range(60):
        if window.focusWidget() is window.message.text:
            break
        QTest.keyClick(window.focusWidget() or window, Qt.Key.Key_Tab)
    assert window.focusWidget() is window.message.text
    window.message.text.selectAll()
    QTest.keyClicks(window.message.text, "https://lanternwalk.example/keys")
    QTest.keyClick(window, Qt.Key.Key_F3)  # a picture, by its name
    finder = window.help.finder
    QTest.keyClicks(finder.line, "demo picture")
    QTest.keyClick(finder.line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None, timeout=20_000)
    settle(window)
    window.activateWindow()
    window.setFocus()
    QTest.keyClick(window, Qt.Key.Key_4)
    assert window.ladder.current_rung == "blend"
    track = window.blend.strength.track
    for _ in range(80):
        if window.focusWidget() is track:
            break
        QTest.keyClick(window.focusWidget() or window, Qt.Key.Key_Tab)
    assert window.focusWidget() is track
    before = window.session.piece.blend.strength
    for _ in range(12):
        QTest.keyClick(track, Qt.Key.Key_Right)
    assert window.session.piece.blend.strength > before
    settle(window)
    for place in ("desk", "exporting"):
        monkeypatch.setattr(
            f"nimble_tile.ui.rooms.files.{place}.save_path",
            lambda parent, title, start, kinds, suffixes: tmp_path / f"keys{suffixes[0]}",
        )
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=20_000)
    QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    (made,) = [tmp_path / "keys.png"]
    qtbot.waitUntil(made.exists, timeout=30_000)
    qtbot.waitUntil(lambda: window.finish.files.proof.proof is not None, timeout=30_000)
    assert window.finish.files.proof.proof.verdict.scans
    piece = archive.load(tmp_path / "keys.nimbletile", PictureStore())
    assert piece.message.text == "https://lanternwalk.example/keys"


# What ships ------------------------------------------------------------------------------------


def test_the_calls_for_scripts_do_what_their_examples_say(tmp_path):
    parts = sorted((ROOT / "src/nimble_tile/library").glob("*.py"))
    done = subprocess.run(
        [sys.executable, "-m", "doctest", *parts], capture_output=True, text=True, timeout=240
    )
    assert done.returncode == 0, done.stdout
    names = set(nimble_tile.library.__all__)
    assert {"make", "render", "judge", "mend", "weave", "batch"} <= names <= set(dir(nimble_tile))
    text = (ROOT / "docs/library.md").read_text()
    assert all(f"`{name}" in text for name in ("make", "render", "judge", "mend", "weave", "batch"))
    examples = [part.split("```")[0] for part in text.split("```python\n")[1:]]
    scripts = [tmp_path / f"example{number}.py" for number in range(len(examples))]
    for script, example in zip(scripts, examples, strict=True):
        script.write_text(example)
    # Each with names of its own, in one process: loading the libraries takes longest.
    each = "import runpy, sys\nfor path in sys.argv[1:]: runpy.run_path(path, run_name='__main__')"
    done = subprocess.run(
        [sys.executable, "-c", each, *scripts], capture_output=True, text=True, cwd=tmp_path,
        timeout=240,
    )  # fmt: skip
    assert examples and done.returncode == 0, done.stderr


def test_files_of_the_desktop_are_what_the_desktop_expects(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    program = Path(sys.executable).with_name("nimble-tile")
    subprocess.run([program, "desktop", "install"], check=True, capture_output=True)
    (entry,) = tmp_path.glob("applications/*.desktop")
    (about,) = tmp_path.glob("metainfo/*.xml")
    assert entry.stem == nimble_tile.DESKTOP_ID
    text = entry.read_text()
    assert f"Icon={nimble_tile.DESKTOP_ID}" in text and "vnd.nimble-tile.project" in text
    for checker, file in ((["desktop-file-validate"], entry),
                          (["appstreamcli", "validate", "--no-net"], about)):  # fmt: skip
        try:
            done = subprocess.run([*checker, file], capture_output=True, text=True)
        except FileNotFoundError:
            continue  # not a part of every system
        assert done.returncode == 0, done.stdout + done.stderr
    for size in (16, 48, 256):
        (icon,) = tmp_path.glob(f"icons/hicolor/{size}x{size}/apps/*.png")
        with Image.open(icon) as image:
            assert image.size == (size, size)
    project = tmp_path / "a.nimbletile"
    nimble_tile.save(nimble_tile.make("lantern"), project)
    done = subprocess.run([program, "thumbnail", project, tmp_path / "t.png", "--size", "96"])
    assert done.returncode == 0
    with Image.open(tmp_path / "t.png") as image:
        assert image.size == (96, 96)
    # What the desktop's tools make of these files goes with them; what is others' stays.
    caches = ("applications/mimeinfo.cache", "mime/mime.cache", "mime/globs2",
              "icons/hicolor/icon-theme.cache")  # fmt: skip
    for cache in caches:
        (tmp_path / cache).write_text("made by a tool")
    other = tmp_path / "thumbnailers/other.thumbnailer"
    other.write_text("somebody else's")
    (tmp_path / "a.nimbletile").unlink()
    (tmp_path / "t.png").unlink()
    subprocess.run([program, "desktop", "remove"], check=True, capture_output=True)
    left = [path for path in tmp_path.rglob("*") if "nimble-tile" not in path.parts]
    assert left == [other.parent, other]


@pytest.fixture(scope="module")
def wheel(tmp_path_factory):
    folder = tmp_path_factory.mktemp("wheel")
    done = subprocess.run(
        [sys.executable, "-m", "pip", "wheel", "--no-deps", "--quiet", "-w", folder, ROOT],
        capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return next(folder.glob("*.whl"))


def test_the_wheel_has_all_that_ships(wheel):
    with zipfile.ZipFile(wheel) as archive_:
        names = archive_.namelist()
        assert archive_.read("nimble_tile/assets/handbook/handbook.md").startswith(b"# Handbook")
    for part in ("handbook/screenshots/blends.png", "desktop/icon.svg", "reports/contact.html",
                 "fonts/", "icons/LICENSE-icons.txt", "demo/"):  # fmt: skip
        assert any(f"assets/{part}" in name for name in names), part


def test_the_man_page_and_the_licences_tell_of_everything(tmp_path):
    page = tmp_path / "a.1"
    subprocess.run([sys.executable, ROOT / "tools/man_page.py", page], check=True)
    text = page.read_text().replace("\\-", "-")
    for name in ("make", "batch", "mend", "desk", "--resume", "--gentlest", "desktop install"):
        assert name in text
    found = {name.lower().replace("_", "-"): licence for name, _, licence in packages()}
    assert {"numpy", "pyside6-essentials", "skia-python", "pikepdf", "tifffile"} <= set(found)
    assert all(found.values())
