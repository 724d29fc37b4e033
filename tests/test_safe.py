"""Work is never lost: killed saves, older projects, files that others changed, two windows."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from nimble_tile.core.errors import ProjectError
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import SCHEMA, Message, Piece
from nimble_tile.core.project import archive, looks
from nimble_tile.core.project.guarding import Holds, stamp_of
from nimble_tile.core.project.recovery import Recovery
from nimble_tile.core.render import Renderer
from nimble_tile.core.trials import sets

SAMPLES = Path(__file__).parent / "samples"

SAVER = """
import os, random, signal, sys, time
from pathlib import Path
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.project import archive

path, rounds = Path(sys.argv[1]), int(sys.argv[2])
pictures = PictureStore()
rng = random.Random(7)
texts = ["old " + "o" * 1500, "new " + "n" * 1900]
pieces = [Piece(message=Message(kind="text", text=text)) for text in texts]
archive.save(pieces[0], pictures, path)
kinds = {text: 0 for text in texts}
begun = time.perf_counter()
for _ in range(10):
    archive.save(pieces[0], pictures, path)
long = (time.perf_counter() - begun) / 10  # of one save: kills come at any moment of it
for number in range(rounds):
    archive.save(pieces[0], pictures, path)
    child = os.fork()
    if child == 0:
        while True:
            for piece in reversed(pieces):
                archive.save(piece, pictures, path)
    time.sleep(rng.uniform(0, 2.5) * long)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    found = archive.load(path, PictureStore()).message.text  # whole, or an error ends all
    kinds[found] += 1
    long *= 0.93 if found == texts[1] else 1.08  # machines do not run at one speed
archive.save(pieces[1], pictures, path)
left = [entry for entry in os.listdir(path.parent) if entry != path.name]
print(kinds[texts[0]], kinds[texts[1]], len(left))
"""


def test_a_save_that_is_killed_leaves_the_old_file_or_the_new_one(tmp_path):
    """Two hundred times, at any moment."""
    done = subprocess.run(
        [sys.executable, "-c", SAVER, tmp_path / "a.nimbletile", "200"],
        capture_output=True, text=True, timeout=240,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    old, new, left = map(int, done.stdout.split())
    assert old + new == 200 and min(old, new) > 10  # both were met: the kills fell in between
    assert left == 0  # the next save clears up


@pytest.mark.parametrize("schema", range(1, SCHEMA + 1))
def test_projects_of_all_older_versions_open(schema):
    """Each was written by the program as it was then."""
    path = SAMPLES / f"schema-{schema}.nimbletile"
    pictures = PictureStore()
    piece = archive.load(path, pictures)
    assert piece.schema_version == SCHEMA
    assert piece.message.text == "https://lanternwalk.example/dusk"
    assert piece.blend.strength == 0.8
    rendering = Renderer(pictures).render(piece, 300)
    assert rendering.symbol.text == piece.message.text and rendering.size == (300, 225)


@pytest.mark.parametrize("schema", range(12, SCHEMA + 1))
def test_marks_of_a_weave_stay_as_they_were_saved(schema):
    """From schema 13 on weaves have marks; before, they were lifted softly."""
    blend = {"method": "weave", "marks": {"shape": "square", "size": 1, "texture": 0.9}}
    older = {**Piece().model_dump(mode="json"), "schema": schema, "blend": blend}
    shape = Piece.model_validate(older).blend.marks.shape
    assert shape == ("square" if schema >= 13 else "soft")


ASKS = """
import sys
from pathlib import Path
from nimble_tile.core.project.guarding import Holds
print(Holds(Path(sys.argv[1])).holder(Path(sys.argv[2])))
"""


def test_an_open_project_is_known_to_others(tmp_path):
    path = tmp_path / "a.nimbletile"
    here = Holds(tmp_path / "open")
    here.hold(path)
    assert here.holder(path) is None  # it is ourselves
    other = subprocess.run(
        [sys.executable, "-c", ASKS, tmp_path / "open", path], capture_output=True, text=True
    )
    assert int(other.stdout) == os.getpid()
    (note,) = (tmp_path / "open").iterdir()
    note.write_text(json.dumps({"process": 2**22 + 7, "path": str(path)}))
    assert here.holder(path) is None  # that process is gone
    note.write_text("damaged")
    assert here.holder(path) is None
    here.hold(path)
    here.release()
    blocked = tmp_path / "file"
    blocked.write_text("")
    Holds(blocked / "open").hold(path)  # nobody is kept from working


def saved(window, path, qtbot):
    window.files.save_to(path)
    qtbot.waitUntil(lambda: window.session.path == path, timeout=10_000)


def test_a_project_that_others_changed_is_not_replaced_unasked(
    window, settle, tmp_path, qtbot, monkeypatch
):
    settle(window)
    path = tmp_path / "a.nimbletile"
    saved(window, path, qtbot)
    archive.save(Piece(message=Message(text="theirs")), PictureStore(), path)
    window.session.edit("code", "Change the level", level="H")
    asked = []
    monkeypatch.setattr(window.files, "ask_changed", lambda p: asked.append(p) or "stay")
    window.files.save()
    assert asked == [path] and window.session.unsaved
    assert archive.load(path, PictureStore()).message.text == "theirs"
    monkeypatch.setattr(window.files, "ask_changed", lambda p: "replace")
    window.files.save()
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=10_000)
    assert archive.load(path, PictureStore()).code.level == "H"
    window.session.edit("code", "Change the level", level="Q")
    window.files.save()  # what was written here is known
    qtbot.waitUntil(lambda: not window.session.unsaved, timeout=10_000)
    assert len(asked) == 1 and stamp_of(path) is not None


def test_a_project_that_is_open_elsewhere_is_asked_about(
    window, settle, tmp_path, qtbot, monkeypatch
):
    settle(window)
    path = tmp_path / "a.nimbletile"
    archive.save(Piece(message=Message(text="https://lanternwalk.example")), PictureStore(), path)
    asked = []
    monkeypatch.setattr(window.files.holds, "holder", lambda p, anyone=False: 1)
    monkeypatch.setattr(window.files, "ask_open_twice", lambda p: asked.append(p) or False)
    window.files.open_project(path)
    assert asked == [path] and window.session.path is None
    monkeypatch.undo()
    window.files.open_project(path)
    qtbot.waitUntil(lambda: window.session.path == path, timeout=10_000)
    assert list((window.settings.folder / "open").iterdir())


def test_a_place_that_refuses_offers_another_one(window, settle, tmp_path, qtbot):
    settle(window)
    window.files.save_to(tmp_path / "gone" / "a.nimbletile")
    qtbot.waitUntil(lambda: "does not exist" in window.notice.label.text(), timeout=10_000)
    assert "Save elsewhere" in window.notice.accessibleDescription() or any(
        "Save elsewhere" in button.text() for button in window.notice.findChildren(
            type(window.finish.files.export))
    )  # fmt: skip


def test_unsaved_work_is_copied_within_five_seconds_even_while_it_goes_on(
    window, settle, qtbot, tmp_path
):
    settle(window)
    folder = window.settings.folder / "unsaved"
    edits = []

    def go_on():
        edits.append(1)
        window.session.edit("blend", "Strength", strength=0.3 + 0.001 * len(edits))
        return any(folder.glob("*.nimbletile"))

    qtbot.waitUntil(go_on, timeout=5_000)
    other = Recovery(folder)
    (copy,) = list(folder.glob("*.nimbletile"))
    assert archive.load(copy, PictureStore()).blend.strength > 0.3
    assert other.leftovers() == []  # its window lives


def test_a_copy_is_offered_once_whatever_numbers_processes_have(tmp_path, store):
    """Names never come again, and a copy belongs to the window that lives, not to a number."""
    folder, piece = tmp_path / "kept", Piece(message=Message(text="reed"))
    first, second = Recovery(folder), Recovery(folder)
    first.keep(piece, store, tmp_path / "walk.nimbletile")
    second.keep(piece.edited("code", level="H"), store, None)
    assert len(list(folder.glob("*.nimbletile"))) == 2
    assert first.leftovers() == second.leftovers() == []
    del first  # it ended without a word
    (left,) = second.leftovers()
    assert left.original == tmp_path / "walk.nimbletile"
    assert Recovery(folder).leftovers() == []  # that window offers it already
    del left
    (again,) = Recovery(folder).leftovers()
    Recovery.discard(again)
    second.drop()
    assert list(folder.iterdir()) == []
    # Copies of the program's earlier versions were named by numbers.
    archive.save(piece, store, folder / f"{os.getpid()}.nimbletile")
    assert len(Recovery(folder).leftovers()) == 1


def test_what_is_brought_back_is_given_up_only_when_it_is_safe_again(
    window, settle, qtbot, tmp_path, monkeypatch
):
    folder = window.settings.folder / "unsaved"
    gone = Recovery(folder)
    gone.keep(Piece(message=Message(text="the only copy")), PictureStore(), None)
    del gone
    keeper = window.files.safekeeping
    (left,) = keeper.recovery.leftovers()
    written = archive.save
    monkeypatch.setattr(archive, "save", lambda *_: (_ for _ in ()).throw(ProjectError("full")))
    keeper._bring_back(left)
    qtbot.waitUntil(lambda: window.session.piece.message.text == "the only copy", timeout=10_000)
    qtbot.waitUntil(lambda: "No copy" in window.notice.label.text(), timeout=10_000)
    assert left.path.exists()  # the disk is full: it stays
    monkeypatch.setattr(archive, "save", written)
    keeper.keep_copy()
    qtbot.waitUntil(lambda: not left.path.exists(), timeout=10_000)
    (copy,) = folder.glob("*.nimbletile")
    assert archive.load(copy, PictureStore()).message.text == "the only copy"


def test_damaged_projects_never_open_half(tmp_path):
    data = (SAMPLES / "schema-9.nimbletile").read_bytes()
    for cut in range(0, len(data), 97):
        path = tmp_path / "cut.nimbletile"
        path.write_bytes(data[:cut])
        pictures = PictureStore()
        with pytest.raises(ProjectError):
            archive.load(path, pictures)


# What the designer has kept by name -----------------------------------------------------------


def test_of_a_damaged_set_of_trials_what_is_understood_stays_and_nothing_is_written_over(tmp_path):
    file = tmp_path / "trials.json"
    sets.write(sets.shipped()[:3], file)
    document = json.loads(file.read_text())
    document["trials"][1]["view"] = {"distance": "far away"}
    file.write_text(json.dumps(document))
    before = file.read_text()
    found, told = sets.understood(file)
    assert [t.name for t in found.trials] == [sets.shipped()[n].name for n in (0, 2)]
    assert "1 of 3 entries" in told
    aside = sets.write(found.trials, file)
    assert aside.read_text() == before and sets.understood(file)[1] == ""
    assert sets.write(found.trials[:1], file) is None  # nothing is lost then
    file.write_text("[1, 2")
    assert sets.understood(file) == (sets.TrialSet(sets.shipped()), f"{file.name} is damaged "
                                     "and is not used.")  # fmt: skip
    assert sets.write(found.trials, file).read_text() == "[1, 2"


def test_a_look_that_is_not_understood_is_told_of_and_kept(tmp_path, store):
    look = looks.shipped()[0]
    looks.keep(look, "Reed", store, tmp_path)
    path = looks.path_for("Reed", tmp_path)
    newer = json.loads(path.read_text()) | {"schema": 99}
    path.write_text(json.dumps(newer))
    troubles = []
    assert looks.saved(tmp_path, store, troubles) == {} and "newer version" in troubles[0]
    looks.keep(look, "Reed", store, tmp_path)
    assert list(looks.saved(tmp_path, store)) == ["Reed"]
    kept = [json.loads(p.read_text()) for p in tmp_path.glob("*damaged*")]
    assert kept == [newer]


def test_what_the_window_remembered_is_read_value_by_value_and_kept_where_it_is_damaged(
    qapp, qtbot, tmp_path, bay
):
    from nimble_tile.ui.window import Window
    from nimble_tile.ui.work.settings import Settings

    file = tmp_path / "window.json"
    odd = {"theme": ["x"], "recent": 5, "geometry": 3, "colours": "red", "calls": {"a": 1},
           "painted last": [], "unit": None, "autosave": "soon", "toured": True, "language": 7,
           "usual level": [], "proposals": "no"}  # fmt: skip
    file.write_text(json.dumps(odd))
    window = Window(Settings(file), bay)
    qtbot.addWidget(window)
    window.show()
    assert window.settings.recent == [] and window.settings.trouble == ""
    window.studio_desk.open()
    window.shut_down()
    file.write_text('{"theme": "dark", "rec')
    settings = Settings(file)
    (tmp_path / "trials.json").write_text("{")
    window = Window(settings, bay)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitUntil(lambda: "damaged" in window.notice.label.text(), timeout=10_000)
    assert "trials.json is damaged" in window.notice.label.text()
    settings.set("theme", "light")
    assert [p.read_text() for p in tmp_path.glob("window.damaged-*")] == ['{"theme": "dark", "rec']
    assert Settings(file).get("theme") == "light"
    window.shut_down()
