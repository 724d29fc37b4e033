"""Written files, project files and history: read back, and safe when things go wrong."""

import errno
import io
import json
import os
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image, ImageCms

from conftest import LINK, encoded, photograph
from nimble_tile.core import files
from nimble_tile.core.errors import OutputError, ProjectError
from nimble_tile.core.output import export as output
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Finish, Message, Picture, Piece
from nimble_tile.core.project import archive
from nimble_tile.core.project.history import History
from nimble_tile.core.render import Renderer, render


@pytest.mark.parametrize("name", ["piece.png", "piece.jpg", "piece.JPEG"])
def test_files_carry_resolution_and_colour_tag_and_are_proved(
    tmp_path, bay, store, photo_piece, name
):
    piece = photo_piece("chelsea").edited("finish", dpi=254, quality=90)
    rendering = Renderer(store).render(piece, 700)
    proof = output.export(rendering, tmp_path / name, piece.finish, bay)
    with Image.open(tmp_path / name) as written:
        assert written.size == rendering.size == proof.size
        assert written.info["dpi"] == pytest.approx((254, 254), abs=0.1)
        if name.endswith("png"):
            assert written.info["srgb"] == 0
            assert np.array_equal(np.asarray(written), rendering.image)
        else:
            tag = ImageCms.ImageCmsProfile(io.BytesIO(written.info["icc_profile"]))
            assert "sRGB" in ImageCms.getProfileDescription(tag)
            assert np.abs(np.asarray(written).astype(int) - rendering.image).mean() < 3
    assert proof.bytes == (tmp_path / name).stat().st_size
    assert proof.verdict.readers_right == (4, 4)
    assert proof.verdict.matches
    assert proof.verdict.spare > 0.9
    assert [entry.name for entry in tmp_path.iterdir()] == [name]


def test_proof_is_of_the_file_and_not_of_the_memory(tmp_path, bay):
    rendering = render(Piece(message=Message(text=LINK)), 500)
    path = tmp_path / "a.png"
    blank = replace(rendering, image=np.full_like(rendering.image, 255))
    output.write(blank, path, Finish())
    assert output.prove(path, rendering, bay, Finish()).verdict.state == "fails"
    path.write_bytes(path.read_bytes()[:100])
    with pytest.raises(OutputError, match="cannot be read back"):
        output.prove(path, rendering, bay, Finish())


def test_wrong_names_and_places_are_refused(tmp_path):
    rendering = render(Piece(message=Message(text=LINK)), 100)
    for name, says in (
        ("a.gif", "does not end in .png"),
        ("none/a.png", "does not exist"),
        ("file.png/a.png", "not a folder"),
        ("folder.png", "is a folder"),
        ("x" * 300 + ".png", "name is too long"),
    ):
        (tmp_path / "file.png").write_bytes(b"")
        (tmp_path / "folder.png").mkdir(exist_ok=True)
        with pytest.raises(OutputError, match=says):
            output.write(rendering, tmp_path / name, Finish())


@pytest.mark.parametrize("step", ["write", "fsync", "replace"])
def test_a_full_disk_costs_nothing(tmp_path, monkeypatch, store, photo_piece, step):
    """Wherever the system says "no space", the last good file stays and no rest remains."""
    piece, path = photo_piece(), tmp_path / "a.nimbletile"
    archive.save(piece, store, path)
    good = path.read_bytes()

    def full(*_args, **_kwargs):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    if step == "write":
        monkeypatch.setattr(zipfile.ZipFile, "writestr", full)
    else:
        monkeypatch.setattr(files.os, step, full)
    with pytest.raises(ProjectError, match=r"disk is full.*Free some space"):
        archive.save(piece.edited("blend", strength=0.1), store, path)
    monkeypatch.undo()
    assert path.read_bytes() == good
    assert [entry.name for entry in tmp_path.iterdir()] == ["a.nimbletile"]


def test_projects_come_back_whole_with_the_original_picture(tmp_path, store, photo_piece):
    piece = photo_piece().edited("code", level="Q", mask=3).edited("blend", strength=0.42)
    path = tmp_path / "walk.nimbletile"
    archive.save(piece, store, path)
    other = PictureStore()
    assert archive.load(path, other) == piece
    assert other.file(piece.picture.digest) == store.file(piece.picture.digest)
    with zipfile.ZipFile(path) as opened:  # an open format: any zip tool shows it
        document = json.loads(opened.read("piece.json"))
        assert document["piece"]["message"]["text"] == LINK
        assert opened.read(f"pictures/{piece.picture.digest}") == store.file(piece.picture.digest)
    again = tmp_path / "plain.nimbletile"
    archive.save(Piece(message=Message(text="ü 🏮")), store, again)
    assert archive.load(again, other).message.text == "ü 🏮"


def project(tmp_path, members, **document):
    """A project file with chosen contents."""
    path = tmp_path / "odd.nimbletile"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
        if document:
            made.writestr("piece.json", json.dumps(document))
        for name, data in members.items():
            made.writestr(name, data)
    return path


GOOD = {"format": archive.FORMAT, "schema": 1, "piece": {}}
DIGEST = "ab" * 32


@pytest.mark.parametrize(
    ("members", "document", "says"),
    [
        ({}, {}, "not a project"),
        ({"piece.json": b"{"}, {}, "cannot be read"),
        ({"piece.json": b"\xff\xfe"}, {}, "cannot be read"),
        ({"piece.json": b"[" * 100_000}, {}, "cannot be read"),
        ({"piece.json": b"[]"}, {}, "not a project"),
        ({"piece.json": b" " * (5 << 20)}, {}, "swell|too large"),
        ({}, GOOD | {"format": "other"}, "not a project"),
        ({}, GOOD | {"schema": 99}, "newer version"),
        ({}, GOOD | {"piece": None}, "setting"),
        ({}, GOOD | {"piece": {"blend": {"strength": 7}}}, "blend.strength"),
        ({}, GOOD | {"piece": {"blend": {"strength": "NaN"}}}, "blend.strength"),
        ({}, GOOD | {"piece": {"surprise": 1}}, "surprise"),
        ({}, GOOD | {"piece": {"picture": {"digest": "../../etc"}}}, "picture.digest"),
        ({}, GOOD | {"piece": {"picture": {"digest": DIGEST}}}, "picture of it is missing"),
        (
            {f"pictures/{DIGEST}": b"x"},
            GOOD | {"piece": {"picture": {"digest": DIGEST}}},
            "damaged",
        ),
        ({"../up.txt": b"x"}, GOOD, "climbs"),
        ({"/etc/x": b"x"}, GOOD, "climbs"),
        ({"a/../../x": b"x"}, GOOD, "climbs"),
        ({"C:\\x": b"x"}, GOOD, "climbs"),
        ({"bomb": b"\0" * (60 << 20)}, GOOD, "swell"),
        ({f"m{i}": b"" for i in range(11_000)}, GOOD, "laid out"),
    ],
)  # fmt: skip
def test_hostile_projects_are_refused_with_a_sentence(tmp_path, members, document, says):
    store = PictureStore()
    with pytest.raises(ProjectError, match=says) as caught:
        archive.load(project(tmp_path, members, **document), store)
    assert str(caught.value).endswith(".")


def test_damaged_and_absent_projects(tmp_path, store, photo_piece):
    path = tmp_path / "a.nimbletile"
    archive.save(photo_piece(), store, path)
    whole = path.read_bytes()
    for damaged in (whole[: len(whole) // 2], b"", b"PK\3\4 nonsense", whole[:-60] + b"\0" * 60):
        path.write_bytes(damaged)
        with pytest.raises(ProjectError):
            archive.load(path, PictureStore())
    flipped = bytearray(whole)
    flipped[len(whole) // 2] ^= 255
    path.write_bytes(flipped)
    with pytest.raises(ProjectError, match="damaged"):
        archive.load(path, PictureStore())
    with pytest.raises(ProjectError, match="does not exist"):
        archive.load(tmp_path / "none.nimbletile", store)


def test_a_picture_inside_that_is_no_picture_is_refused(tmp_path):
    import hashlib

    data = b"not a picture"
    digest = hashlib.sha256(data).hexdigest()
    document = GOOD | {"piece": {"picture": {"digest": digest, "name": "x.png"}}}
    path = project(tmp_path, {f"pictures/{digest}": data}, **document)
    store = PictureStore()
    with pytest.raises(ProjectError, match="not a picture"):
        archive.load(path, store)
    assert digest not in store


def test_history_groups_quick_changes_and_knows_what_is_saved():
    now = [0.0]
    history = History(Piece(), clock=lambda: now[0])
    for step in range(5):
        now[0] += 0.1
        history.push(history.piece.edited("blend", strength=step / 10), "Change the strength", "s")
    assert history.undo_name == "Change the strength"
    history.mark_saved()
    now[0] += 0.1
    history.push(history.piece.edited("blend", strength=0.9), "Change the strength", "s")
    history.push(history.piece.edited("code", level="H"), "Choose level H")
    assert history.changed
    assert history.undo().blend.strength == 0.9
    assert history.redo_name == "Choose level H"
    assert history.undo().blend.strength == 0.4
    assert not history.changed
    assert history.undo() == Piece()
    assert history.undo_name is None
    assert history.redo().blend.strength == 0.4
    history.push(history.piece.edited("code", mask=1), "Choose a mask")
    assert history.redo_name is None
    history.push(history.piece, "Nothing")
    assert history.undo_name == "Choose a mask"


def test_store_refuses_what_does_not_decode_and_keeps_originals(store):
    data = encoded(photograph("rocket"), "JPEG")
    digest = store.add(data, "rocket.jpg")
    assert store.file(digest) == data
    assert store.about(digest).size == (640, 427)
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        store.add(encoded(photograph(name)))
    assert store.opened(digest).size == (640, 427)  # decoded again after being let go
    assert Picture(digest=digest).digest in store
