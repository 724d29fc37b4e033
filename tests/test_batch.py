"""Hundreds of codes at once: tables, executors, crashes, resuming, reports, sheets."""

import csv
import io
import json
import os
import signal
import subprocess
import sys
import time
import zipfile
from collections import Counter
from concurrent.futures import BrokenExecutor, Executor, Future
from pathlib import Path

import numpy as np
import openpyxl
import pypdfium2
import pytest
from PIL import Image

import nimble_tile
from conftest import encoded, photograph
from nimble_tile.core.asked import Asker, from_text
from nimble_tile.core.batch import work
from nimble_tile.core.batch.faults import faults
from nimble_tile.core.batch.names import DEVICES, Pattern, plain
from nimble_tile.core.batch.report import as_csv, write_reports
from nimble_tile.core.batch.rows import Row, as_rows, rows_in
from nimble_tile.core.batch.run import (
    Order,
    finished,
    journal,
    local_pool,
    prepare,
    run,
)
from nimble_tile.core.batch.stickers import write_stickers
from nimble_tile.core.batch.work import Done
from nimble_tile.core.errors import OutputError, UserError
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Piece
from nimble_tile.core.project.archive import save
from nimble_tile.core.project.looks import by_name
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.inside import ReadersInside
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.workers.pool import CrewExecutor, Kind
from nimble_tile.core.workers.serving import task
from outside_reader import zbar_texts

PROGRAM = Path(sys.executable).with_name("nimble-tile")


class Here(Executor):
    """Makes rows in this very process, one after another."""

    def submit(self, function, /, *args, **kwargs):
        future = Future()
        try:
            future.set_result(function(*args, **kwargs))
        except BaseException as error:
            future.set_exception(error)
        return future


@pytest.fixture
def order(tmp_path):
    yield Order(
        tmp_path / "out", Piece().edited("finish", size=240), PictureStore(),
        Pattern("{row:3}-{name}"), tmp_path,
    )  # fmt: skip
    work.close()


def rows(count, **settings):
    return [Row(n, f"https://lanternwalk.example/t/{n:04}", f"ticket {n}", settings)
            for n in range(1, count + 1)]  # fmt: skip


# Tables ---------------------------------------------------------------------------------------

LINES = [
    ["Message", "name", "Quiet-Zone", "strength"],
    ["https://lanternwalk.example/ü", "Übergang", "4", "0.5"],
    ["two\nlines", "a, b", "", ""],
    ["", "nobody", "", ""],
    ["", "", "", ""],
    ["=1+1", "", "", ""],
]


def written(path, kind):
    if kind == "xlsx":
        book = openpyxl.Workbook()
        for line in LINES:
            book.active.append(line)
        for cell in book.active["C"][1:2]:
            cell.value = 4.0
        for row in book.active.iter_rows():
            for cell in row:
                if isinstance(cell.value, str) and cell.value.startswith("="):
                    cell.data_type = "s"
        book.save(path)
        return path
    mark = "﻿" if kind == "csv" else ""
    between = {"csv": ",", "semicolon": ";", "tsv": "\t"}[kind]
    out = io.StringIO()
    csv.writer(out, delimiter=between).writerows(LINES)
    path.write_text(mark + out.getvalue(), encoding="utf-8")
    return path


@pytest.mark.parametrize("kind", ["csv", "semicolon", "tsv", "xlsx"])
def test_a_table_is_read_as_it_was_written(tmp_path, kind):
    suffix = {"semicolon": "csv"}.get(kind, kind)
    found = list(rows_in(written(tmp_path / f"a.{suffix}", kind)))
    assert [row.number for row in found] == [1, 2, 3, 5]
    first, second, third, _ = found
    assert (first.message, first.name) == ("https://lanternwalk.example/ü", "Übergang")
    assert {k: v.strip() for k, v in first.settings.items()} == {
        "quiet_zone": "4",
        "strength": "0.5",
    }
    assert (second.message, second.name, second.settings) == ("two\nlines", "a, b", {})
    assert third.fault == "It has no message."
    assert len({row.key for row in found}) == 4


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no column “message”"), ("name\nx\n", "no column “message”"),
        ("message,colour\nx,red\n", "“colour”, which is no setting"),
        ("message,message\na,b\n", "twice"),
        (b"message\n\xff\xfe\xfa\n", "UTF-8"),
        ("message," + ",".join(f"c{i}" for i in range(300)) + "\n", "columns"),
    ],
)  # fmt: skip
def test_tables_that_are_none_are_refused(tmp_path, text, says):
    path = tmp_path / "a.csv"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    with pytest.raises(UserError, match=says):
        list(rows_in(path))


def test_hostile_tables_end_in_a_sentence(tmp_path):
    path = tmp_path / "a.xlsx"
    path.write_bytes(b"PK\x03\x04 and nothing more")
    with pytest.raises(UserError, match="cannot be read as a spreadsheet"):
        list(rows_in(path))
    # A sheet that unpacks to more than is granted.
    written(path, "xlsx")
    with zipfile.ZipFile(path) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    bomb = "xl/worksheets/sheet1.xml"
    del parts[bomb]
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in parts.items():
            archive.writestr(name, data)
        with archive.open(bomb, "w", force_zip64=True) as sheet:
            sheet.write(b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/'
                        b"main\"><sheetData><row><c t='inlineStr'><is><t>")  # fmt: skip
            for _ in range(300):
                sheet.write(b"A" * (1 << 20))
            sheet.write(b"</t></is></c></row>")
    with pytest.raises(UserError):
        list(rows_in(path))
    (tmp_path / "b.csv").write_text("message\n" + "x" * 60_000 + "\n\0\0\n")
    long, *_ = rows_in(tmp_path / "b.csv")
    assert "more than" in long.fault
    with pytest.raises(UserError, match="no table"):
        list(rows_in(tmp_path / "a.docx"))


def test_settings_by_name_are_those_of_the_command_line(store):
    settings = {name: from_text(name, text) for name, text in {
        "level": "H", "quiet_zone": "6", "strength": "0,5", "caption": "a\\nb", "marks": "yes",
        "frame": "tag", "mm": "40",
    }.items()}  # fmt: skip
    piece = Asker(store).piece("hello", settings)
    assert (piece.code.level, piece.code.quiet_zone, piece.blend.strength) == ("H", 6, 0.5)
    assert piece.caption.items[0].text == "a\nb" and piece.surround.side == "above"
    assert piece.finish.marks and piece.finish.mm == 40
    for name, text in (("quiet_zone", "4.5"), ("strength", "nan"), ("marks", "perhaps")):
        with pytest.raises(UserError, match="is not possible"):
            from_text(name, text)
    with pytest.raises(UserError, match="both say"):
        Asker(store).piece("x", {"mm": 4.0, "size": 90})
    # A base keeps what a row does not say.
    again = Asker(store).piece("other", {"level": "L"}, piece)
    assert again.code.quiet_zone == 6 and again.caption == piece.caption


# File names -------------------------------------------------------------------------------------


def test_file_names_stay_in_their_folder():
    row = Row(7, "https://lanternwalk.example/a?b=c", "../../etc/pass\nwd")
    for text in ("{row:4}-{name}", "{name}", "{message}.jpg", "{row}.svg"):
        name = Pattern(text).of(row)
        assert Path(name).name == name and not name.startswith((".", "-")) and "\n" not in name
    assert Pattern("{row:4}-{name}").of(row) == "0007-etc-pass-wd.png"
    assert Pattern("{message}.jpg").of(row) == "lanternwalk.example-a-b-c.jpg"
    assert Pattern("{name}.webp").format == "webp"
    assert len(Pattern("{name}").of(Row(1, "x", "ü" * 900)).encode()) < 200
    assert plain("...") == "" and Pattern("{name}").of(Row(3, "???")) == "row 3.png"
    for bad in ("a/{row}", "{colour}", "same", "", "../{row}"):
        with pytest.raises(UserError):
            Pattern(bad)


# Running ------------------------------------------------------------------------------------------


def test_no_file_has_the_name_of_a_device():
    """Microsoft, "Naming Files, Paths, and Namespaces": whatever ending follows."""
    for name in ("con", "AUX", "nul.tar", "Com7", "LPT¹", "prn "):
        made = Pattern("{name}").of(Row(1, "x", name))
        assert made.split(".")[0].strip().casefold() not in DEVICES, made
    assert Pattern("{name}").of(Row(1, "x", "contact")) == "contact.png"
    assert Pattern("{row:5}-{name}").of(Row(1, "x", "con")) == "00001-con_.png"


@pytest.mark.parametrize("kind", ["csv", "xlsx"])
def test_a_zero_character_is_a_fault_and_makes_no_other_message(tmp_path, kind):
    path = tmp_path / f"rows.{kind}"
    if kind == "csv":
        path.write_bytes(b"message,name\nlan\0tern,a\nreed,b\nreed,c\0d\n")
        wrong = [True, False, True]
    else:
        book = openpyxl.Workbook()
        for row in (("message", "name"), ("lan_x0000_tern", "a"), ("reed", "b")):
            book.active.append(row)
        book.save(path)
        wrong = [False, False]
    found = list(rows_in(path))
    assert [bool(row.fault) for row in found] == wrong
    assert not any(row.message == "lantern" for row in found)


def test_rows_are_made_checked_noted_and_reported(order, tmp_path):
    given = [*rows(4, level="H"), Row(5, "x", "five", {"level": "Z"}), Row(6, "", "", {}, "No."),
             Row(7, "again", "ticket 1"), Row(8, "pale", "pale", {"picture": "grey.png",
                                                                 "strength": "0.02"})]  # fmt: skip
    (tmp_path / "grey.png").write_bytes(encoded(np.full((300, 300, 3), 128, np.uint8)))
    seen = []
    found = run([*given[:6], Row(7, "again", "x", {}), given[7]], order, Here,
                step=lambda done, kept: seen.append(done.row))  # fmt: skip
    assert (found.rows, found.done, found.kept) == (8, 6, 0)
    assert [one.row for one in found.failed] == [5, 6, 8]
    assert "level Z" in found.failed[0].why and found.failed[2].state == "fails"
    assert sorted(seen) == list(range(1, 9))
    for number in range(1, 5):
        with Image.open(order.folder / f"00{number}-ticket {number}.png") as image:
            assert image.size == (240, 240)
            assert zbar_texts(np.asarray(image.convert("RGB"))) == [given[number - 1].message]
    paths = write_reports(order)
    table = list(csv.DictReader(io.StringIO(paths[0].read_text("utf-8-sig"))))
    assert [line["scans"] for line in table] == ["yes"] * 4 + ["no", "no", "yes", "no"]
    page = paths[1].read_text()
    assert page.count("<figure") == 8 and page.count('class="wrong"') == 3
    assert "6 of them" not in page and "5, 6, 8" in page


def test_reports_run_nothing_in_spreadsheets_or_browsers():
    done = Done(1, "k", "=cmd()", "<script>alert(1)</script>", "a.png", "well")
    assert b"'=cmd()" in as_csv([done])


def test_one_file_name_for_two_rows_is_a_fault(order):
    given = [Row(1, "a", "same"), Row(2, "b", "same")]
    other = Order(order.folder, order.piece, order.pictures, Pattern("{name}"), order.tables)
    found = run(given, other, Here)
    assert found.done == 1 and "that of row 1" in found.failed[0].why
    told = {row.number: why for row, _, why in faults(given, other)}
    assert told[1] == "" and "that of row 1" in told[2]


def test_faults_are_found_without_rendering(order, tmp_path):
    (tmp_path / "there.png").write_bytes(encoded(photograph("coffee")))
    given = [
        Row(1, "fine"), Row(2, "x" * 4000), Row(3, "x", "", {"version": "99"}),
        Row(4, "x", "", {"picture": "gone.png"}), Row(5, "x", "", {"picture": "there.png"}),
        Row(6, "long for it", "", {"version": "1", "level": "H", "mask": "9"}),
    ]  # fmt: skip
    told = [why for _, _, why in faults(given, order)]
    assert [bool(why) for why in told] == [False, True, True, True, False, True]
    assert "There is no file gone.png." in told


def test_a_batch_goes_on_where_it_was_left(order):
    stopping = []
    first = run(rows(20), order, Here, workers=1, step=lambda done, kept: stopping.append(done),
                stop=lambda: len(stopping) >= 6)  # fmt: skip
    assert first.stopped and 6 <= first.done < 20
    with pytest.raises(OutputError, match="earlier batch"):
        prepare(order, resume=False)
    other = Order(order.folder, order.piece.edited("finish", size=300), order.pictures,
                  order.pattern, order.tables)  # fmt: skip
    with pytest.raises(OutputError, match="another look"):
        prepare(other, resume=True)
    gone = order.folder / stopping[0].file
    gone.unlink()
    empty = order.folder / stopping[1].file
    empty.write_bytes(b"")  # as a power cut leaves it
    changed = rows(20)
    changed[2] = Row(3, "another message", "ticket 3")
    second = run(changed, order, Here, resume=True)
    assert second.done == 20 and not second.failed
    assert second.kept == first.done - 3
    counted = Counter(done.row for done in journal(order.folder))
    assert {row for row, times in counted.items() if times > 1} == {
        3, stopping[0].row, stopping[1].row
    }  # fmt: skip
    with Image.open(order.folder / "003-ticket 3.png") as image:
        assert zbar_texts(np.asarray(image.convert("RGB"))) == ["another message"]


def test_cut_off_notes_are_left_out(order):
    run(rows(3), order, Here)
    (path,) = (order.state / "journal").glob("*.jsonl")
    data = path.read_bytes()
    path.write_bytes(data[:-20])
    assert len(finished(order)) == 2
    assert Done.from_line(b"[]") is None and Done.from_line(b"\xff") is None


def test_a_killed_batch_is_taken_up_and_no_finished_row_is_made_twice(tmp_path):
    table = tmp_path / "rows.csv"
    table.write_text("message\n" + "".join(f"lantern {n:04}\n" for n in range(60)))
    out = tmp_path / "out"
    call = [PROGRAM, "batch", table, "--out", out, "--size", "200", "--jobs", "2", "--json"]
    process = subprocess.Popen(call, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    limit = time.monotonic() + 60
    while len(list(out.glob("*.png"))) < 10 and time.monotonic() < limit:
        time.sleep(0.02)
    process.send_signal(signal.SIGKILL)
    process.wait()
    made = {path.name for path in out.glob("*.png")}
    assert 10 <= len(made) < 60
    done = subprocess.run([*call, "--resume"], capture_output=True, text=True)
    told = json.loads(done.stdout)
    assert done.returncode == 0 and told["rows"] == told["done"] == 60 and told["failed"] == []
    assert told["kept"] >= len(made) - 1
    counted = Counter(note.row for note in journal(out))
    assert sorted(counted) == list(range(1, 61)) and max(counted.values()) == 1
    assert len(list(out.glob("*.png"))) == 60 and not list(out.glob(".*.part"))


@task
def _fatal(tasks):
    """Makes rows like a worker, but row 5 ends the process."""
    if any(task.row.number == 5 for task in tasks):
        os._exit(3)
    return work.make_rows(tasks)


def test_a_row_that_takes_its_worker_down_costs_no_other_one(order, monkeypatch):
    monkeypatch.setattr("nimble_tile.core.batch.run.make_rows", _fatal)
    found = run(rows(10), order, lambda: local_pool(2), 2)
    assert [one.row for one in found.failed] == [5] and found.done == 9
    assert "ended without an answer" in found.failed[0].why


class _Breaks(Here):
    """An executor of somebody else's that breaks down the second time that it is given work."""

    made = 0

    def __init__(self):
        type(self).made += 1
        self.given = 0

    def submit(self, function, /, *args, **kwargs):
        self.given += 1
        if self.given == 2:
            raise BrokenExecutor("a process was terminated abruptly")
        return super().submit(function, *args, **kwargs)


def test_an_executor_that_breaks_down_between_two_looks_is_replaced(order):
    found = run(rows(30), order, _Breaks, 1)
    assert found.done == 30 and not found.failed and _Breaks.made > 1
    assert sorted(note.row for note in journal(order.folder)) == list(range(1, 31))


def test_notes_that_cannot_be_written_stop_the_batch_in_a_sentence(order, monkeypatch):
    """The disk is full, or the folder of the notes is gone: rows made are not called lost."""

    def full(done, task):
        if done.row > 2:
            raise OSError(28, os.strerror(28))
        note(done, task)

    note = work._note
    monkeypatch.setattr(work, "_note", full)
    with pytest.raises(OutputError, match="The batch stopped") as told:
        run(rows(30), order, Here, 1)
    assert "the disk is full" in str(told.value) and "ended without" not in str(told.value)
    assert len(list(order.folder.glob("*.png"))) < 30
    monkeypatch.setattr(work, "_note", note)
    found = run(rows(30), order, Here, 1, resume=True)
    assert found.done == 30 and found.kept == 2 and not found.failed


class _Ill:
    """A reader that crashes, or never comes back."""

    name = "quirc"

    def __init__(self, way):
        self._way = way

    def read(self, image):
        if self._way == "crashes":
            os.abort()
        while self._way == "works without end":
            pass
        time.sleep(600)


def _with_an_ill_reader(way):
    """What a worker of the local pool does first; its own reader is ill."""
    monkeypatched = ReadersInside.__init__

    def made(self):
        monkeypatched(self, 0.3, 0.6)
        self._readers["quirc"] = _Ill(way)

    ReadersInside.__init__ = made
    return work.begin()


@task
def begin_crashes():
    return _with_an_ill_reader("crashes")


@task
def begin_hangs():
    return _with_an_ill_reader("hangs")


@task
def begin_works():
    return _with_an_ill_reader("works without end")


@pytest.mark.parametrize("way", ["crashes", "hangs", "works"])
def test_a_reader_that_takes_a_worker_down_is_asked_again_beside_it(order, way):
    """Readers run within the workers until one of them is lost, then in processes of their own."""

    def pool():
        return CrewExecutor(Kind(work.LOADED, outlives=True, prepare=f"test_batch:begin_{way}"), 2)

    found = run(rows(10), order, pool, 2)
    assert found.done == 10 and not found.failed
    counted = Counter(note.row for note in journal(order.folder))
    assert counted == dict.fromkeys(range(1, 11), 1)
    assert all(len(note.read) == 4 for note in journal(order.folder))


def test_readers_say_the_same_within_a_worker_and_beside_it(order, bay):
    """A batch's verdicts are those of the window, whatever process its readers run in."""
    inside = ReadersInside()
    renderer = Renderer(order.pictures)
    for look in ("Tide", "Night"):
        piece = order.piece.edited("message", kind="text", text=f"lantern {look}")
        piece = piece.model_copy(update={"look": by_name(look, order.pictures)})
        rendering = renderer.render(piece)
        ours, theirs = (judge_rendering(rendering, one) for one in (inside, bay))
        assert (ours.state, ours.spare, ours.faded) == (theirs.state, theirs.spare, theirs.faded)
        assert [mark.text for mark in ours.marks] == [mark.text for mark in theirs.marks]
        assert ours.found == theirs.found

    class Angry:
        def read(self, image):
            raise ValueError("not today")

    inside._readers["qrdec"] = Angry()
    (outcome,) = inside.read(rendering.image, ["qrdec"])
    assert "ValueError: not today" in outcome.trouble and not outcome.readings


def test_a_cluster_loses_a_worker_and_no_row(tmp_path):
    """A scheduler and two workers of dask.distributed on this computer, one of them killed."""
    from distributed import LocalCluster

    table = tmp_path / "rows.csv"
    table.write_text("message\n" + "".join(f"lantern {n:04}\n" for n in range(50)))
    out = tmp_path / "out"
    with LocalCluster(
        n_workers=2, threads_per_worker=1, processes=True, host="127.0.0.1",
        dashboard_address=None, local_directory=str(tmp_path / "dask"),
    ) as cluster:  # fmt: skip
        call = [PROGRAM, "batch", table, "--out", out, "--size", "200", "--json",
                "--cluster", cluster.scheduler_address]  # fmt: skip
        process = subprocess.Popen(call, stdout=subprocess.PIPE, text=True)
        limit = time.monotonic() + 60
        while len(list(out.glob("*.png"))) < 8 and time.monotonic() < limit:
            time.sleep(0.02)
        os.kill(cluster.workers[0].process.pid, signal.SIGKILL)
        told = json.loads(process.communicate(timeout=120)[0])
    assert process.returncode == 0
    assert told["rows"] == told["done"] == 50 and told["failed"] == []
    assert {note.row for note in journal(out)} == set(range(1, 51))
    table = list(csv.DictReader(io.StringIO((out / "report.csv").read_text("utf-8-sig"))))
    assert [int(line["row"]) for line in table] == list(range(1, 51))
    assert all(len(line["readers"].split()) == 4 for line in table)


# Sheets, command line, library --------------------------------------------------------------------


def test_stickers_hold_every_row_once(order):
    run([*rows(14), Row(15, "", "", {}, "No message.")], order, Here)
    (path,) = write_stickers(order, 30)
    document = pypdfium2.PdfDocument(path)
    assert len(document) == 1
    image = np.array(document[0].render(scale=250 / 72).to_pil().convert("RGB"))
    assert sorted(zbar_texts(image)) == [row.message for row in rows(14)]
    with pytest.raises(OutputError, match="pixels an inch"):
        write_stickers(order, 120)


def test_a_batch_on_the_command_line(tmp_path, monkeypatch):
    project = tmp_path / "look.nimbletile"
    pictures = PictureStore()
    digest = pictures.add(encoded(photograph("coffee")), "coffee.png")
    piece = Piece.model_validate(
        {"picture": {"digest": digest, "name": "coffee.png"}, "blend": {"strength": 0.95}}
    )
    save(piece, pictures, project)
    table = written(tmp_path / "a.xlsx", "xlsx")
    out = tmp_path / "out"

    def called(*more):
        return subprocess.run(
            [PROGRAM, "batch", table, "--out", out, *more], capture_output=True, text=True
        )

    dry = called("--project", project, "--dry-run", "--json")
    assert dry.returncode == 1 and [f["row"] for f in json.loads(dry.stdout)["failed"]] == [3]
    assert not out.exists()
    done = called("--project", project, "--size", "420", "--name", "{name}-{row}.jpg", "--json")
    told = json.loads(done.stdout)
    assert done.returncode == 1
    assert set(told) >= {"rows", "done", "failed", "seconds"}  # what scripts rely on
    assert (told["rows"], told["done"]) == (4, 3)
    assert [entry["row"] for entry in told["failed"]] == [3]
    assert {path.name for path in out.glob("*.jpg")} == {
        "Übergang-1.jpg",
        "a, b-2.jpg",
        "1+1-5.jpg",
    }
    again = called("--project", project, "--size", "420", "--name", "{name}-{row}.jpg")
    assert again.returncode == 2 and "earlier batch" in again.stderr
    from nimble_tile import cli_batch
    from test_cli import run as here

    monkeypatch.setattr(cli_batch, "ANSWERS_WITHIN", 0.5)
    for wrong in (["--name", "same"], ["--look", "Nothing of the kind"],
                  ["--cluster", "tcp://127.0.0.1:1"]):  # fmt: skip
        failed = here("batch", table, "--out", out, *wrong)
        assert failed.exit_code == 2 and failed.stderr.count("\n") == 1, failed.stderr


def test_a_row_is_what_make_makes_of_the_same_settings(tmp_path, order):
    """File, verdict and spare of a row, and of the command that makes one piece."""
    (tmp_path / "dusk.png").write_bytes(encoded(photograph("chelsea")))
    settings = {"picture": "dusk.png", "level": "Q", "strength": "0.7", "caption": "Dusk"}
    run([Row(1, "https://lanternwalk.example/dusk", "dusk", settings)], order, Here)
    (noted,) = finished(order).values()
    call = [PROGRAM, "make", "--message", "https://lanternwalk.example/dusk", "--picture",
            tmp_path / "dusk.png", "--level", "Q", "--strength", "0.7", "--caption", "Dusk",
            "--size", "240", "--out", tmp_path / "one.png", "--json"]  # fmt: skip
    told = json.loads(subprocess.run(call, capture_output=True, text=True).stdout)
    assert (tmp_path / "one.png").read_bytes() == (order.folder / noted.file).read_bytes()
    assert told["verdict"]["verdict"] == noted.state
    assert told["verdict"]["spare"] == noted.spare
    assert noted.symbol == f"{told['symbol']['version']}-{told['symbol']['level']}"


def test_batches_of_mappings_in_scripts(tmp_path):
    base = nimble_tile.make("x", size=200, look="Tide")
    entries = ({"message": f"lantern {n}", "level": "Q"} for n in range(3))
    found = nimble_tile.batch(entries, tmp_path / "out", base=base, name="{message}", executor=Here)
    work.close()
    assert found.done == 3 and (tmp_path / "out" / "lantern 2.png").is_file()
    with pytest.raises(UserError, match="no setting"):
        list(as_rows([{"message": "x", "colour": "red"}]))


def test_a_batch_in_the_window(window, settle, tmp_path, qtbot, monkeypatch):
    settle(window)
    window.session.edit("finish", "Small", size=220)
    table = tmp_path / "rows.csv"
    lines = "".join(f"lantern {n},walk {n},\n" for n in range(1, 13))
    table.write_text(f"message,name,level\n{lines},nobody,\npale,pale,Z\n")
    batch = window.batch_desk.open()
    assert not batch.start.isEnabled()
    batch.bring(table)
    qtbot.waitUntil(lambda: len(batch.lines.lines) == 14, timeout=10_000)
    assert "2 of them cannot be made" in batch.told.text()
    batch.only.setChecked(True)
    assert batch.wrong.rowCount() == 2
    batch.only.setChecked(False)
    out = tmp_path / "out"
    out.mkdir()
    batch.make_into(out)
    qtbot.waitUntil(lambda: batch._done >= 1, timeout=60_000)
    batch.stop_it.click()
    qtbot.waitUntil(lambda: not batch._running, timeout=60_000)
    asked = []
    monkeypatch.setattr(batch, "ask_resume", lambda folder: asked.append(folder) or True)
    batch.make_into(out)
    qtbot.waitUntil(lambda: batch.lines.lines[11].state != "" and not batch._running,
                    timeout=60_000)  # fmt: skip
    assert asked == [out] and len(list(out.glob("*.png"))) == 12
    assert "12 of 14 rows made" in batch.note.text() and (out / "report.csv").is_file()
    assert [line.wrong for line in batch.lines.lines] == [False] * 12 + [True] * 2
    batch.pattern.setText("same")
    batch.look_through()
    assert "same name" in batch.note.text()


def test_pictures_of_rows_do_not_pile_up(order, tmp_path):
    given = []
    for number in range(1, 9):
        image = np.full((64, 64, 3), 20 * number, np.uint8)
        image[:, :32] = 255
        (tmp_path / f"{number}.png").write_bytes(encoded(image))
        given.append(Row(number, f"lantern {number}", f"{number}",
                         {"picture": f"{number}.png", "strength": "1"}))  # fmt: skip
    found = run(given, order, Here)
    assert found.done == 8
    kept = work._bench.renderer.pictures
    assert not kept._shelf.files  # the piece itself has none
