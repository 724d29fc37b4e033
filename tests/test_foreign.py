"""What comes from outside ends or stalls nothing but its own worker."""

import io
import os
import signal
import struct
import subprocess
import sys
import threading
import time
import zipfile
import zlib
from pathlib import Path

import numpy as np
import psutil
import pytest
from click.testing import CliRunner
from PIL import Image

from conftest import encoded
from nimble_tile import cli, log
from nimble_tile.core import files, foreign
from nimble_tile.core.errors import PictureError, ProjectError, UserError
from nimble_tile.core.message import kinds
from nimble_tile.core.picture import drawings, opening
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.project import archive, drafts
from nimble_tile.core.scan.bay import ReaderBay

SVG = '<svg xmlns="http://www.w3.org/2000/svg" {}>{}</svg>'
SQUARE = '<rect width="90" height="90"/>'


def drawn(head, body=SQUARE):
    return open_picture(SVG.format(head, body).encode(), "mark.svg", drawings=True)


@pytest.mark.parametrize(
    ("head", "body"),
    [
        ('viewBox="0 0 1 1e30"', SQUARE),  # the renderer aborts its process
        ('width="1" height="10000000"', SQUARE),
        ('viewBox="0 0 10 10"', '<circle r="99999999"/>'),  # throws what is no Exception
    ],
)
def test_a_drawing_that_ends_its_renderer_is_one_sentence(head, body):
    with pytest.raises(PictureError) as refused:
        drawn(head, body)
    assert str(refused.value).startswith("mark.svg ")
    assert drawn('viewBox="0 0 100 100"').size == (2048, 2048)  # the next one is drawn


def test_a_drawing_without_end_is_left_and_nothing_waits_for_it(monkeypatch):
    monkeypatch.setattr(drawings, "DRAW_LIMIT", 5.0)
    octaves = (
        '<filter id="f"><feTurbulence baseFrequency="0.05" numOctaves="1000000"/></filter>'
        '<rect width="100" height="100" filter="url(#f)"/>'
    )
    pauses, ends, said = [], threading.Event(), []

    def watch():
        before = time.monotonic()
        while not ends.wait(0.01):
            pauses.append(time.monotonic() - before)
            before = time.monotonic()

    def hang():
        with pytest.raises(PictureError, match="takes too long") as late:
            drawn('viewBox="0 0 100 100"', octaves)
        said.append(late.value)

    threads = [threading.Thread(target=watch), threading.Thread(target=hang)]
    for thread in threads:
        thread.start()
    time.sleep(0.2)
    # Others are served meanwhile, and the interpreter is free.
    assert open_picture(encoded(np.zeros((20, 30, 3), np.uint8))).size == (30, 20)
    assert threads[1].is_alive()
    threads[1].join(40)
    ends.set()
    assert said and np.median(pauses) < 0.1  # one long pause may be the machine's own


def black(side):
    """A PNG of one bit a pixel, written line by line: whole, it would fill this process."""
    pack, lines = zlib.compressobj(9), []
    for _ in range(side):
        lines.append(pack.compress(bytes(1 + side // 8)))
    parts = ((b"IHDR", struct.pack(">IIBBBBB", side, side, 1, 0, 0, 0, 0)),
             (b"IDAT", b"".join(lines) + pack.flush()), (b"IEND", b""))  # fmt: skip
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))
        for name, data in parts
    )


def test_a_worker_that_wants_all_memory_or_is_killed_is_survived():
    whole = '<image width="9" height="9" href="data:image/png;base64,{}"/>'
    import base64

    with pytest.raises(PictureError, match=r"mark\.svg"):
        drawn('viewBox="0 0 9 9"', whole.format(base64.b64encode(black(30_000)).decode()))
    open_picture(encoded(np.zeros((20, 20), np.uint8)))
    for worker in foreign.decoders.workers:
        os.kill(worker, signal.SIGKILL)
    assert open_picture(encoded(np.zeros((20, 30), np.uint8))).size == (30, 20)


@pytest.mark.parametrize("orientation", range(1, 9))
def test_orientation_is_that_of_pillow(orientation):
    from PIL import ImageOps

    pixels = np.arange(24 * 16 * 4, dtype=np.uint8).reshape(24, 16, 4)
    exif = Image.Exif()
    exif[0x0112] = orientation
    data = encoded(pixels, exif=exif)
    want = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(data))))
    made = open_picture(data)
    assert np.array_equal(made.rgb, want[..., :3])
    assert np.array_equal(made.alpha, want[..., 3])
    assert not made.rgb.flags.writeable


def test_pages_without_number_are_not_counted():
    pages = [Image.fromarray(np.zeros((16, 16), np.uint8))] * 2000
    file = io.BytesIO()
    pages[0].save(file, "TIFF", save_all=True, append_images=pages)
    begun = time.monotonic()
    made = open_picture(file.getvalue(), "scans.tif")
    assert "several pages" in made.notes[0]
    assert time.monotonic() - begun < opening.OPEN_LIMIT / 4


# Projects -------------------------------------------------------------------------


def project(tmp_path, store, **draft):
    path = tmp_path / "walk.nimbletile"
    kept = drafts.Draft(key="00000001", name="one", piece=Piece(message=Message(text="x")), **draft)
    archive.save(Piece(message=Message(text="hello")), store, path, [kept])
    return path


def test_small_pictures_that_claim_to_be_huge_are_never_decoded(tmp_path, store, monkeypatch):
    png = bytearray(encoded(np.zeros((20, 20), np.uint8)))
    png[16:24] = struct.pack(">II", 9999, 9999)
    path = project(tmp_path, store, thumb=bytes(png))
    asked = []
    monkeypatch.setattr(archive, "open_picture", lambda *_: asked.append(1))
    assert archive.load_project(path).drafts[0].thumb == b""
    assert not asked


def test_damaged_deflate_data_is_a_sentence(tmp_path, store):
    path = project(tmp_path, store)
    data = bytearray(path.read_bytes())
    with zipfile.ZipFile(path) as whole:
        start = 30 + len(whole.infolist()[0].filename)
    for at in range(start + 5, start + 60):
        data[at] ^= 0x5A
    path.write_bytes(data)
    with pytest.raises(ProjectError, match="damaged"):
        archive.load_project(path)


def test_leftovers_of_killed_saves_are_cleared_by_the_next(tmp_path):
    gone, living = 2**22 + 7, os.getppid()
    machine = files.part_mark().split("-")[0]
    stray = [tmp_path / f".walk.nimbletile.{machine}-{n}.abc{files.PART}" for n in (gone, living)]
    # Somebody else's, and what another machine is saving on the same share.
    others = [tmp_path / ".holiday.part", tmp_path / f".walk.nimbletile.0123456789-{gone}.a.part"]
    for path in (*stray, *others):
        path.write_bytes(b"half")
    files.write_atomically(tmp_path / "a.bin", lambda f: f.write(b"x"), ProjectError, "save")
    assert [path.exists() for path in (*stray, *others)] == [False, True, True, True]


def test_saving_through_a_link_keeps_it_and_a_new_file_has_the_usual_rights(tmp_path):
    folder = tmp_path / "share"
    folder.mkdir()
    link, target = tmp_path / "walk.nimbletile", folder / "real.nimbletile"
    link.symlink_to(target)
    for text in (b"first", b"second"):  # at first it leads nowhere
        files.write_atomically(link, lambda f, t=text: f.write(t), ProjectError, "save")
        assert link.is_symlink() and target.read_bytes() == text
    assert not list(tmp_path.glob(".*.part")) and not list(folder.glob(".*.part"))
    target.chmod(0o640)
    files.write_atomically(link, lambda f: f.write(b"third"), ProjectError, "save")
    assert target.stat().st_mode & 0o777 == 0o640
    mask = os.umask(0o027)  # this test alone sets it; the program never does
    try:
        files.write_atomically(tmp_path / "b", lambda f: f.write(b"x"), ProjectError, "save")
    finally:
        os.umask(mask)
    assert (tmp_path / "b").stat().st_mode & 0o777 == 0o640


@pytest.mark.parametrize("place", ["/dev/zero", "pipe", "/proc/self/pagemap"])
def test_what_never_ends_is_no_file(tmp_path, place):
    if place == "pipe":
        os.mkfifo(tmp_path / place)
        place = tmp_path / place
    begun = time.monotonic()
    with pytest.raises(UserError) as told:
        files.read_bytes(place, 1 << 20, UserError)
    assert time.monotonic() - begun < 20 and str(told.value).count(".") >= 1
    if not str(place).startswith("/proc"):
        for word in ("make", "check", "mend", "render", "batch"):
            call = {
                "make": ["make", "--message", "x", "--picture", place, "--out", tmp_path / "a.png"],
                "check": ["check", place], "render": ["render", place, "--out", tmp_path / "a.png"],
                "mend": ["mend", place, "--message", "x", "--out", tmp_path / "a.png"],
                "batch": ["batch", place, "--out", tmp_path / "rows"],
            }[word]  # fmt: skip
            found = CliRunner().invoke(cli.main, list(map(str, call)))
            assert found.exit_code == 2 and found.output.count("\n") == 1, (word, found.output)


def test_a_project_that_swells_is_refused_whatever_its_members_look_like(tmp_path):
    path = tmp_path / "swells.nimbletile"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as whole:
        whole.writestr("piece.json", "{}")
        for number in range(12):  # each of them within its own limits
            rng = np.random.default_rng(number)
            noise = rng.integers(0, 256, 1 << 17, np.uint8).tobytes()
            whole.writestr(f"pictures/{number}", noise + b"\0" * (16 << 20))
    assert path.stat().st_size < 4 << 20
    before = psutil.Process().memory_info().rss
    with pytest.raises(ProjectError, match="swell"):
        archive.load_project(path)
    assert psutil.Process().memory_info().rss - before < 16 << 20


# What codes say ----------------------------------------------------------------------

CARD = "BEGIN:VCARD\r\nVERSION:3.0\r\nN:{};Given;;;\r\nFN:x\r\n{}END:VCARD\r\n"
EVENT = "BEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20261128\r\nDTEND;VALUE=DATE:{}\r\nEND:VEVENT\r\n"


def test_more_than_a_form_holds_is_kept_to_the_letter():
    phones = "".join(f"TEL:{number}\r\n" for number in range(23))
    card = kinds.understand(CARD.format("Name", phones))
    assert card.kind == "contact" and len(card.details.phones) == 20
    assert card.details.extra == ("TEL:20", "TEL:21", "TEL:22")
    lines = "".join(f"X-{number}:1\r\n" for number in range(201))
    for text in (
        CARD.format("Name", lines),
        CARD.format("N" * 9000, ""),
        EVENT.format("99999999"),
        EVENT.format("00010101"),
    ):
        made = kinds.understand(text)
        assert (made.kind, made.text, made.details) == ("text", text, None)


def test_a_name_that_ends_in_a_backslash_keeps_the_given_name():
    read = kinds.understand(CARD.format("Back\\\\", ""))  # escaped as RFC 6350, 3.4 says
    assert (read.details.family, read.details.given) == ("Back\\", "Given")
    again = kinds.compose(read.details)
    assert kinds.understand(again.text).details == again.details


def test_long_texts_that_begin_like_wifi_are_read_in_linear_time():
    def seconds(length):
        """Of the processor, at its best: a busy machine says nothing about the program."""
        spent = []
        for _ in range(3):
            begun = time.process_time()
            kinds.understand("WIFI:" + "S:a\\" * (length // 4))
            spent.append(time.process_time() - begun)
        return min(spent)

    assert seconds(400_000) < 40 * max(seconds(40_000), 1e-3)


# Readers, and the command line -----------------------------------------------------------


def test_programs_that_lie_beside_a_picture_are_not_run(tmp_path):
    # Python's -m looks into the working folder first: a folder of downloads is no place for that.
    for name in ("numpy", "cv2", "resource", "struct"):
        (tmp_path / f"{name}.py").write_text("open('ran', 'w'); raise SystemExit")
    (tmp_path / "code.png").write_bytes(encoded(np.full((60, 60, 3), 200, np.uint8)))
    program = Path(sys.executable).with_name("nimble-tile")
    done = subprocess.run([program, "check", "code.png"], cwd=tmp_path, capture_output=True,
                          text=True)  # fmt: skip
    assert done.returncode == 1 and "0 of 4 readers" in done.stdout
    assert not (tmp_path / "ran").exists()


def test_a_reader_that_does_not_move_is_left():
    bay = ReaderBay(processes=1, time_limit=0.5, patience=1.0)
    try:
        grey = np.full((30, 30), 255, np.uint8)
        assert not bay.read(grey, ["quirc"])[0].trouble
        (process,) = bay.crew.workers
        os.kill(process, signal.SIGSTOP)
        assert "no answer" in bay.read(grey, ["quirc"])[0].trouble
        assert not bay.read(grey, ["quirc"])[0].trouble  # another one has taken its place
        assert process not in bay.crew.workers
    finally:
        bay.close()


def test_what_nobody_foresaw_is_one_line_and_in_the_log(tmp_path, monkeypatch):
    monkeypatch.setattr(log, "path", lambda: tmp_path / "state" / "nimble-tile.log")

    def broken(*_, **__):
        raise KeyError("nobody foresaw this")

    monkeypatch.setattr("nimble_tile.core.render.Renderer.render", broken)
    out = tmp_path / "o.png"
    ended = CliRunner().invoke(cli.main, ["make", "--message", "x", "--out", str(out)])
    assert ended.exit_code == 2 and ended.stdout == ""
    assert ended.stderr.count("\n") == 1 and "KeyError" in ended.stderr
    assert "nobody foresaw this" in (tmp_path / "state" / "nimble-tile.log").read_text()


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--mask", "1" * 5000], "--mask"),
        (["--corners", "0,0,1e300,0,1e300,1e300,0,1e300"], "four corners"),
        (["--region", "0,0,1e-9,1e-9"], "smaller than 8 pixels"),
        (["--region", "nan,0,10,10"], "X,Y,W,H"),
        (["--strength", "nan"], "--strength"),
        (["--keep-spare", "nan"], "--keep-spare"),
        (["--out", "{picture}"], "also an input"),
        (["--out", "{folder}/../{name}/p.png"], "also an input"),
    ],
)
def test_calls_that_cannot_be_meant_are_refused_in_a_line(tmp_path, words, says):
    picture = tmp_path / "p.png"
    data = encoded(np.full((200, 200, 3), 180, np.uint8))
    picture.write_bytes(data)
    words = [w.format(picture=picture, folder=tmp_path, name=tmp_path.name) for w in words]
    call = ["make", "--message", "x", "--picture", str(picture), "--out", str(tmp_path / "o.png")]
    ended = CliRunner().invoke(cli.main, [*call, *words])
    assert ended.exit_code == 2 and says in ended.stderr and ended.stderr.count("\n") == 1
    assert len(ended.stderr) < 400 and picture.read_bytes() == data


def test_text_that_is_no_text_is_compared_and_printed(tmp_path):
    path = tmp_path / "code.png"
    runner = CliRunner()
    assert runner.invoke(cli.main, ["make", "--message", "x", "--out", str(path)]).exit_code == 0
    ended = runner.invoke(cli.main, ["check", str(path), "--expect", "a\udcffb", "--json"])
    assert ended.exit_code == 1 and '"matches": false' in ended.stdout
