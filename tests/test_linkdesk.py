"""The link desk: what it takes, what it answers, and that no visit is lost."""

import asyncio
import csv
import http.client
import io
import json
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import textwrap
import time
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import pytest
import segno
import zxingcpp
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtWidgets import QFileDialog

from nimble_tile import standins
from nimble_tile.core.errors import UserError
from nimble_tile.core.message.advice import advise
from nimble_tile.core.message.reachable import unreachable
from nimble_tile.standins.linkdesk import links, rules
from nimble_tile.standins.linkdesk.server import DeskServer
from nimble_tile.standins.linkdesk.service import LinkDesk
from nimble_tile.standins.linkdesk.store import DeskStore
from test_cli import run

LONG = "https://lanternwalk.example/programme/evenings/reed-hide?season=autumn&from=poster"


@pytest.fixture
def store(tmp_path):
    made = DeskStore(tmp_path / "desk" / "links.sqlite3")
    yield made
    made.close()


@pytest.fixture
def server(tmp_path):
    made = DeskServer(tmp_path / "links.sqlite3", 0)
    made.start()
    yield made
    made.stop()


def ask(server, path, method="GET", **rest):
    """Status, headers in small letters, and text of an answer."""
    to = http.client.HTTPConnection("127.0.0.1", server.port, timeout=10)
    try:
        to.request(method, path, **rest)
        answer = to.getresponse()
        headers = {name.lower(): value for name, value in answer.getheaders()}
        return answer.status, headers, answer.read().decode()
    finally:
        to.close()


def raw(server, data):
    """The first line that comes back for some bytes."""
    with socket.create_connection(("127.0.0.1", server.port), 10) as to:
        to.sendall(data)
        return to.makefile("rb").readline()


# Links -----------------------------------------------------------------------------------


@pytest.mark.parametrize("target", [
    "javascript:alert(1)", "data:text/html,hello", "file:///etc/passwd", "ftp://a.example/x",
    "lanternwalk.example", "//lanternwalk.example/x", "https://", "https://:80/x", "",
    "https://lanternwalk.example/\r\nSet-Cookie: a=b", "https://lanternwalk.example/a b",
    "https://lanternwalk.example/\u2028x", "https://lanternwalk.example:port/",
    "https://lanternwalk.example@other.example/", "https://a.example/" + "x" * 2000,
    "https://a.example/" + "\u00e4" * 500,
])  # fmt: skip
def test_targets_that_are_no_web_address_are_refused(target, store):
    with pytest.raises(UserError, match="target"):
        store.add(target)
    with pytest.raises(UserError, match="target"):
        store.add(LONG, fallback=target or " x")
    assert store.links() == []


@pytest.mark.parametrize("host", [
    "127.0.0.1", "127.0.0.9", "localhost", "LOCALHOST.", "desk.localhost", "[::1]", "127.1",
    "2130706433", "0x7f.0.0.1", "0177.0.0.1", "[::ffff:127.0.0.1]", "0.0.0.0",
])  # fmt: skip
def test_no_link_leads_back_to_the_desk(host, store):
    # How browsers read such hosts: WHATWG, URL Standard, "IPv4 parser".
    with pytest.raises(UserError, match="leads back"):
        store.add(f"http://{host}:{store.port}/ABC")
    store.add(f"http://{host}:9000/ABC")  # another program of this machine


def test_targets_are_kept_in_ascii(store):
    link = store.add("HTTPS://m\u00fchle.example/stra\u00dfe?q=a%20b#\u00e9")
    # RFC 3986, 2.5: UTF-8, percent-encoded. RFC 5891: the host as an A-label.
    assert link.target == "https://xn--mhle-0ra.example/stra%C3%9Fe?q=a%20b#%C3%A9"


@given(st.text(max_size=60))
def test_whatever_is_taken_cannot_end_a_header(text):
    try:
        made = links.checked("https://lanternwalk.example/" + text)
    except UserError:
        return
    assert made.isascii() and made.isprintable() and " " not in made


def test_a_printed_link_needs_a_smaller_code(store):
    link = store.add(LONG)
    printed = links.address(link.key, "poster")
    # segno's own choice of mode (ISO/IEC 18004, 7.3.4).
    short, long = (segno.make(t, error="m", micro=False) for t in (printed, LONG))
    assert short.mode == "alphanumeric" and short.version < long.version
    assert links.key_of(printed) == links.key_of(printed.lower()) == link.key
    assert links.key_of(LONG) is links.key_of("http://[") is None
    assert links.key_of(f"http://127.0.0.1:{links.PORT}/") is None
    keys = {store.add(LONG).key for _ in range(50)}
    assert len(keys) == 50 and all(set(key) <= set(links.ALPHABET) for key in keys)


# What is kept ----------------------------------------------------------------------------


def test_links_remember_where_they_led(store):
    link = store.add("https://lanternwalk.example/a", note="poster")
    store.change(replace(link, target="https://lanternwalk.example/b"))
    store.change(replace(store.link(link.key), note="poster, second print"))
    led = store.history(link.key)
    assert [one.target[-1] for one in led] == ["b", "a"] and led[0].since >= led[1].since
    with DeskStore(store.path)._changing():  # another window, at the same time
        pass
    store.count([(link.key, date(2031, 5, 17), "POSTER")] * 3 + [("NONE", date(2031, 5, 17), "")])
    store.count([(link.key, date(2031, 5, 18), "")])
    assert [(one.day.day, one.tag, one.count) for one in store.counts(link.key)] == [
        (17, "POSTER", 3), (18, "", 1),
    ]  # fmt: skip
    store.remove(link.key)
    assert store.links() == store.counts() == store.history(link.key) == []


def test_tables_go_out_and_come_back(store, tmp_path):
    ends = datetime(2031, 5, 17, 18, tzinfo=UTC)
    one = store.add(LONG, expires=ends, fallback="https://lanternwalk.example/", note='a "b", c\nd')
    text = store.as_csv()
    assert next(csv.DictReader(io.StringIO(text)))["note"] == one.note
    other = DeskStore(tmp_path / "other.sqlite3")
    assert other.take_csv(text) == (0, 1)
    assert replace(other.link(one.key), made=one.made) == one
    assert other.take_csv("Target,note\nhttps://lanternwalk.example/x,new\n") == (0, 1)
    assert other.take_csv(f"key,target\n{one.key},https://lanternwalk.example/y\n") == (1, 0)
    assert other.history(one.key)[0].target.endswith("/y")
    before = other.as_csv()
    for wrong, told in (
        ("name,target\nx,y\n", "columns"), ("", "columns"),
        ('target\n"https://a', "cannot be read"),
        ("target\nhttps://a.example\njavascript:x", "Line 3"),
        ("target\nhttps://a.example,b\n", "Line 2"),
        ("target,expires\nhttps://a.example,soon", "Line 2"),
        ("key,target\nOOPS,https://a.example", "Line 2"),
    ):  # fmt: skip
        with pytest.raises(UserError, match=told):
            other.take_csv(wrong)
    assert other.as_csv() == before  # nothing of a wrong table was taken
    other.close()


def test_files_that_are_no_desk_are_left_alone(tmp_path):
    import sqlite3

    text = tmp_path / "notes.txt"
    text.write_text("notes " * 400)
    with pytest.raises(UserError, match="cannot be used"):
        DeskStore(text)
    assert text.read_text() == "notes " * 400
    newer = sqlite3.connect(tmp_path / "newer.sqlite3")
    newer.execute("PRAGMA user_version = 9")
    newer.execute("CREATE TABLE x (y)")
    newer.close()
    with pytest.raises(UserError, match="version"):
        DeskStore(tmp_path / "newer.sqlite3")
    with pytest.raises(UserError, match="cannot be opened"):
        DeskStore(text / "below.sqlite3")


# Answers ---------------------------------------------------------------------------------


def test_a_printed_code_follows_its_link_to_wherever_it_leads_now(server, tmp_path):
    desk = LinkDesk(server.path, server.port)
    printed = desk.shorten("https://lanternwalk.example/autumn", "poster")
    assert isinstance(desk, standins.LinkService) and desk.leads_to(printed).endswith("autumn")
    # Drawn by segno and read by zxing-cpp, as a phone would.
    file = io.BytesIO()
    segno.make(printed, error="m").save(file, "png", scale=6)
    from PIL import Image

    read = zxingcpp.read_barcodes(Image.open(file).convert("L"))[0].text
    path = read.removeprefix(f"HTTP://127.0.0.1:{server.port}")
    status, headers, _ = ask(server, path)
    assert status == 302 and headers["location"] == "https://lanternwalk.example/autumn"
    assert headers["cache-control"] == "no-store"
    desk.retarget(printed, "https://lanternwalk.example/winter")
    assert ask(server, path.lower() + "/poster")[1]["location"].endswith("winter")
    assert ask(server, path + "/Poster", "HEAD")[0] == 302  # no visit
    assert ask(server, path + "/%3Cb%3E")[0] == 302  # a tag that is none is not kept
    store = DeskStore(server.path, server.port)
    assert [(one.tag, one.count) for one in store.counts()] == [("", 2), ("POSTER", 1)]
    # Its end.
    link = replace(store.links()[0], expires=datetime.now(UTC) - timedelta(seconds=1))
    store.change(link)
    status, headers, text = ask(server, path)
    assert status == 410 and "location" not in headers and "end" in text
    assert desk.leads_to(printed) is None
    store.change(replace(link, fallback="https://lanternwalk.example/"))
    assert ask(server, path)[1]["location"] == "https://lanternwalk.example/"
    store.close()
    with pytest.raises(UserError, match="no link"):
        desk.retarget("https://lanternwalk.example/", LONG)


def test_what_is_no_visit_is_refused(server):
    assert ask(server, "/")[0] == 200
    assert ask(server, "/NOSUCH")[0] == 404
    status, _, text = ask(server, "/%3Cscript%3E")
    assert status == 404 and "<script>" not in text
    assert ask(server, "/NOSUCH", "POST", body=b"x")[0] in (405, 413)
    assert ask(server, "/NOSUCH", "DELETE")[0] == 405
    assert ask(server, "/NOSUCH", body=b"x" * 100_000)[0] == 413
    assert ask(server, "/a/b/c")[0] == 404
    assert ask(server, "/" + "A" * 3000)[0] in (400, 414)
    assert ask(server, "/A", headers={"X-Long": "a" * 3000})[0] in (400, 431)
    assert raw(server, b"NONSENSE\r\n\r\n").split()[1] == b"400"
    assert (
        raw(server, b"GET http://other.example/ HTTP/1.1\r\nHost: x\r\n\r\n").split()[1] != b"302"
    )
    assert ask(server, "/NOSUCH")[0] == 404  # and it still answers


def test_the_desk_answers_on_this_machine_alone_and_only_while_it_is_on(tmp_path):
    server = DeskServer(tmp_path / "links.sqlite3", 0)
    assert not server.running
    server.start()
    import psutil

    own = [one for one in psutil.Process().net_connections("tcp")
           if one.laddr.port == server.port and one.status == psutil.CONN_LISTEN]  # fmt: skip
    assert [one.laddr.ip for one in own] == ["127.0.0.1"]
    other = DeskServer(tmp_path / "links.sqlite3", server.port)
    with pytest.raises(UserError, match="another program"):
        other.start()
    server.stop()
    assert not server.running
    with pytest.raises(ConnectionRefusedError):
        ask(server, "/")
    other.start()  # the port is free again
    other.stop()


def test_a_full_disk_does_not_make_codes_dead(server, monkeypatch):
    store = DeskStore(server.path, server.port)
    key, told = store.add(LONG).key, []
    real = DeskStore.count

    def full(self, rows):
        rows = list(rows)
        told.append(len(rows))
        raise OSError("No space left on device")

    monkeypatch.setattr(DeskStore, "count", full)
    assert [ask(server, f"/{key}")[0] for _ in range(3)] == [302] * 3
    monkeypatch.setattr(DeskStore, "count", real)
    assert ask(server, f"/{key}")[0] == 302  # the late ones are kept with this one
    assert told == [1, 2, 3] and sum(one.count for one in store.counts()) == 4
    store.close()


async def _visits(port, path, each, answered):
    """One client: follows a link again and again on one connection; counts what is answered."""
    try:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        for _ in range(each):
            writer.write(f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n".encode())
            head = await reader.readuntil(b"\r\n\r\n")
            assert head.split()[1] == b"302"
            answered.append(1)
        writer.close()
    except (ConnectionError, asyncio.IncompleteReadError):
        pass  # it was killed


@pytest.mark.parametrize("killed", [False, True])
def test_no_visit_that_was_answered_is_lost(tmp_path, killed):
    path, clients, each = tmp_path / "links.sqlite3", 200, 5
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    store = DeskStore(path, port)
    key, answered = store.add(LONG).key, []
    program = Path(sys.executable).with_name("nimble-tile")
    desk = subprocess.Popen(
        [program, "desk", "serve", "--file", path, "--port", str(port)], stdout=subprocess.PIPE,
        text=True,
    )  # fmt: skip
    try:
        assert "answers" in desk.stdout.readline()

        async def all_of_them():
            jobs = [
                asyncio.create_task(_visits(port, f"/{key}/T{n % 7}", each, answered))
                for n in range(clients)
            ]
            if killed:
                while len(answered) < clients:
                    await asyncio.sleep(0.005)
                desk.send_signal(signal.SIGKILL)
            await asyncio.gather(*jobs)

        asyncio.run(all_of_them())
    finally:
        desk.kill()
        desk.wait()
    kept = sum(one.count for one in store.counts(key))
    store.close()
    if killed:
        assert clients <= len(answered) <= kept <= clients * each
    else:
        assert len(answered) == kept == clients * each


# In the window ---------------------------------------------------------------------------


def test_the_rung_offers_a_short_link_and_the_desk_leads_it_elsewhere(
    window, settle, qtbot, tmp_path, monkeypatch
):
    desk = window.links_desk
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    desk._desk = LinkDesk(tmp_path / "links.sqlite3", port)
    short = window.message.short
    window.message.text.setPlainText(LONG)
    short.set_open(True)
    settle(window)
    assert "\u2192" in short._note.text() and short.use.isEnabled()
    before = int(window.answer.shown.rendering.symbol.version)
    short.use.click()
    settle(window)
    link = window.session.piece.message.text
    assert links.key_of(link, port) and f"Leads to {LONG} now" in short.told.text()
    assert int(window.answer.shown.rendering.symbol.version) < before
    assert "No phone can follow it" in short.told.text() and not desk.on
    assert "no phone can follow" in window.band.words
    # The window of the desk: on, followed, led elsewhere.
    assert desk._later._made is None  # nothing but its own button opens it
    short.desk.click()
    made = desk.open()
    made.switch.click()
    assert desk.on and "No phone can follow it" in short.told.text()
    path = link.removeprefix(f"HTTP://127.0.0.1:{port}")
    assert ask(desk.server, path + "/flyer")[1]["location"] == LONG
    qtbot.waitUntil(lambda: made.table.item(0, 2).text() == "1", timeout=4000)
    assert sum(one.count for one in made.plot.counts) == 1
    made.target.selectAll()
    qtbot.keyClicks(made.target, "https://lanternwalk.example/winter")
    qtbot.keyClick(made.ends, "x")
    made.keep.click()
    assert "no day or time" in made.note.text()
    made.ends.clear()
    made.keep.click()
    assert ask(desk.server, path)[1]["location"].endswith("winter")
    assert "winter now" in short.told.text() and "winter" in made.led.text()
    # A new one, used, and undone.
    answers = [("javascript:x", True), ("", False), ("https://lanternwalk.example/map", True)]
    monkeypatch.setattr(
        "nimble_tile.ui.rooms.links.window.QInputDialog.getText", lambda *_, **__: answers.pop(0)
    )
    made.new.click()
    assert "no web address" in made.note.text()
    made.new.click()
    assert made.table.rowCount() == 1
    made.new.click()
    assert made.table.rowCount() == 2 and made.target.text().endswith("/map")
    made.use.click()
    assert window.session.piece.message.text != link
    window.session.undo()
    assert window.session.piece.message.text == link
    short.back.click()
    assert window.session.piece.message.text.endswith("winter")
    # Tables.
    out = tmp_path / "out.csv"
    monkeypatch.setattr("nimble_tile.ui.rooms.links.window.save_path", lambda *_: out)
    made.out.click()
    assert out.read_text().count("lanternwalk.example") == 2
    made.switch.click()
    assert not desk.on
    with pytest.raises(ConnectionRefusedError):
        ask(DeskServer(tmp_path / "x", port), path)


def test_a_desk_that_cannot_be_used_is_said_and_stops_nothing(window, settle, tmp_path):
    file = tmp_path / "links.sqlite3"
    file.write_text("no desk " * 100)
    window.links_desk._desk = LinkDesk(file)
    window.message.text.setPlainText(LONG)
    settle(window)
    assert window.links_desk.open() is None and "cannot be used" in window.notice.label.text()
    window.message.short.use.click()
    assert window.session.piece.message.text == LONG
    # A message that looks like one of its links is a message like others.
    window.message.text.setPlainText("HTTP://127.0.0.1:8431/CCCCC")
    settle(window)
    assert window.answer.shown is not None and file.read_text().startswith("no desk")


# On the command line, and for other packages ---------------------------------------------


def test_the_command_line_keeps_a_desk(tmp_path, monkeypatch):
    file = tmp_path / "links.sqlite3"
    made = run("desk", "add", LONG, "--file", file, "--note", "poster", "--json")
    (one,) = json.loads(made.stdout)["links"]
    assert made.exit_code == 0 and one["now"] == one["target"] == LONG and one["visits"] == 0
    other = "https://lanternwalk.example/winter"
    assert run("desk", "retarget", one["link"], other, "--file", file).exit_code == 0
    told = run("desk", "list", "--file", file)
    assert f"{one['link']} leads to {other} (0 visits, poster)" in told.stdout
    table = tmp_path / "links.csv"
    assert run("desk", "table", "--links", table, "--file", file).exit_code == 0
    table.write_text(table.read_text().replace("winter", "spring"), "utf-8")
    assert "1 links changed" in run("desk", "table", "--take", table, "--file", file).stdout
    # A check of an image says where the desk's own link leads now.
    monkeypatch.setattr(standins, "_link_services", lambda: {"desk": LinkDesk(file)})
    segno.make(one["link"], error="m").save(str(tmp_path / "code.png"), scale=6)
    said = run("check", tmp_path / "code.png")
    assert "it leads to https://lanternwalk.example/spring now" in said.stdout
    said = json.loads(run("check", tmp_path / "code.png", "--json").stdout)
    assert said["found"][0]["leads_to"].endswith("spring")
    for wrong in (("add", "javascript:x"), ("retarget", "NOSUCH", LONG), ("table",),
                  ("table", "--take", table, "--links", table),
                  ("add", LONG, "--expires", "soon")):  # fmt: skip
        failed = run("desk", *wrong, "--file", file)
        assert failed.exit_code == 2 and failed.stderr.count("\n") == 1


def test_another_package_attaches_its_own_service(tmp_path, monkeypatch):
    (tmp_path / "reedlinks.py").write_text(
        textwrap.dedent("""
        class ReedLinks:
            name = "Reed links"
            def shorten(self, target, note=""): return "https://reed.example/1"
            def leads_to(self, link): return None
            def retarget(self, link, target): pass
        def broken(): raise RuntimeError("no account")
    """)
    )
    info = tmp_path / "reedlinks-1.dist-info"
    info.mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: reedlinks\nVersion: 1\n")
    (info / "entry_points.txt").write_text(
        "[nimble_tile.links]\nreed = reedlinks:ReedLinks\nbroken = reedlinks:broken\n"
    )
    monkeypatch.syspath_prepend(tmp_path)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    found = standins.services(standins.LINKS)
    assert set(found) == {"desk", "reed"}
    assert all(isinstance(one, standins.LinkService) for one in found.values())
    assert found["reed"].shorten(LONG).startswith("https://reed")
    assert not (tmp_path / "data").exists()  # nothing is made before it is asked for


# What is large, busy or empty ------------------------------------------------------------------


def test_a_large_table_is_taken_in_linear_time_and_ends_whole(store):
    """Rows without keys, which each need a new one; the time of the last ones is that of the
    first ones, as the work for each does not depend on how many there are."""
    asked = []
    before, rows = store._rows, 3000
    store._rows = lambda what, *values: asked.append(what) or before(what, *values)
    text = "target\n" + "".join(f"https://lanternwalk.example/{n}\n" for n in range(rows))
    assert store.take_csv(text) == (0, rows)
    assert sum("SELECT key FROM links" in what for what in asked) == 1
    assert len({link.key for link in store.links()}) == rows

    def stops(line):
        if line > 100:
            raise UserError("Enough.")

    with pytest.raises(UserError, match="Enough"):
        store.take_csv(text, stops)
    assert len(store.links()) == rows


def test_redirects_do_not_wait_for_somebody_who_writes(server, tmp_path):
    store = DeskStore(server.path, server.port)
    link = store.add("https://lanternwalk.example/dusk")
    writer = sqlite3.connect(server.path, isolation_level=None)
    writer.execute("BEGIN IMMEDIATE")
    try:
        begun = time.monotonic()
        for method in ("HEAD", "GET", "GET"):
            asked = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
            asked.request(method, f"/{link.key}")
            assert asked.getresponse().status == 302
            asked.close()
        assert time.monotonic() - begun < 9  # the writer is waited for ten seconds at most
        with pytest.raises(UserError, match="Another program is writing"):
            DeskStore(server.path, server.port, 0.05).add("https://lanternwalk.example/gate")
    finally:
        writer.execute("ROLLBACK")
        writer.close()
    limit = time.monotonic() + 30
    while sum(one.count for one in store.counts()) < 2 and time.monotonic() < limit:
        time.sleep(0.05)
    assert sum(one.count for one in store.counts()) == 2  # kept as soon as that was possible
    store.close()


@pytest.mark.parametrize(
    ("code", "says"),
    [(sqlite3.SQLITE_FULL, "Free some space"), (sqlite3.SQLITE_READONLY, "may write"),
     (sqlite3.SQLITE_NOTADB, "Move it away"), (sqlite3.SQLITE_IOERR, "full or gone")],
)  # fmt: skip
def test_what_is_wrong_with_the_file_is_said_with_what_helps(store, code, says):
    error = sqlite3.OperationalError("so it is")
    error.sqlite_errorcode = code
    assert says in store._trouble(error).way_out


def test_the_empty_desk_offers_nothing_and_a_table_comes_in_beside(
    window, settle, qtbot, tmp_path, monkeypatch
):
    settle(window)
    monkeypatch.setattr(window.links_desk, "_desk", LinkDesk(tmp_path / "desk.sqlite3"))
    desk = window.links_desk.open()
    assert not desk.side.isVisible() and desk.empty.isVisible()
    for does in (desk._use, desk._copy, desk._remove, desk._keep):
        does()  # nothing is chosen: nothing happens
    table = tmp_path / "links.csv"
    table.write_text("target,note\nhttps://lanternwalk.example/a,first\n")
    desk.take_in(table)
    qtbot.waitUntil(lambda: len(desk.links) == 1, timeout=10_000)
    assert desk.side.isVisible() and desk.take.isEnabled()
    table.write_text("target\nnot an address\n")
    desk.take_in(table)
    qtbot.waitUntil(lambda: "Line 2" in desk.note.text(), timeout=10_000)
    desk.store.remove(desk.links[0].key)
    desk.refresh()
    assert not desk.side.isVisible()


# Links that phones can follow ------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("HTTP://127.0.0.1:8431/CCCCC", "only this machine"), ("http://localhost/x", "only this"),
        ("see https://[::1]/a", "only this machine"), ("http://2130706433/", "only this machine"),
        ("http://0x7f.1/", "only this machine"), ("http://192.168.1.7/menu", "local network"),
        ("https://10.0.0.8", "local network"), ("http://[fd00::1]/", "local network"),
        ("http://169.254.3.4/", "local network"), ("http://100.64.0.1/", "local network"),
        ("http://printer.local/x", "local network"), ("http://nas/photos", "local network"),
        ("BEGIN:VCARD\nURL:http://wiki.intranet/me\nEND:VCARD", "local network"),
        ("https://lanternwalk.example/dusk", ""), ("https://93.184.216.34/", ""), ("lantern", ""),
        ("https://[2606:2800:220:1::1]/", ""), ("mailto:walk@lanternwalk.example", ""),
        ("http://local.lanternwalk.example", ""), ("http://[", ""),
    ],
)  # fmt: skip
def test_links_that_no_phone_can_follow_are_known(text, says):
    """RFC 6890, RFC 6761, RFC 6762: addresses and names that are nobody's on the internet."""
    told = unreachable(text)
    assert says in told and bool(told) == bool(says)


def test_a_link_of_this_machine_alone_never_leaves_unwarned(
    window, settle, qtbot, tmp_path, monkeypatch
):
    text = "HTTP://127.0.0.1:8431/CCCCC"
    window.message.text.setPlainText(text)
    settle(window)
    assert window.answer.verdict.state == "well"  # readers know no networks
    assert "no phone can follow" in window.band.words
    assert any("only this machine" in one.text for one in advise(window.session.piece.message))
    window.files.exporting.export_to(tmp_path / "a.png")
    qtbot.waitUntil(lambda: "Beware" in window.notice.label.text(), timeout=20_000)
    asked = []
    monkeypatch.setattr(window.files.handing, "ask_print", lambda told: asked.append(told))
    window.files.handing.choose_printer()
    assert "only this machine" in asked[0]
    # On the command line, in reports and in batches.
    made = run("make", "--message", text, "--out", tmp_path / "b.png")
    assert made.exit_code == 0 and "Beware: No phone can follow this link" in made.output
    told = json.loads(run("make", "--message", text, "--out", tmp_path / "b.png", "--json").stdout)
    assert "only this machine" in told["verdict"]["warnings"][0]
    report = tmp_path / "report.html"
    told = json.loads(run("check", tmp_path / "b.png", "--report", report, "--json").stdout)
    assert told["warnings"] and "only this machine" in report.read_text()
    table = tmp_path / "rows.csv"
    table.write_text(f"message\nlantern\n{text}\n")
    told = json.loads(run("batch", table, "--out", tmp_path / "rows", "--json").stdout)
    assert told["warnings"] == [
        one for one in told["warnings"] if one.startswith("Row 2: No phone")
    ]
    assert len(told["warnings"]) == 1
    rows = list(csv.DictReader(io.StringIO((tmp_path / "rows/report.csv").read_text("utf-8-sig"))))
    assert not rows[0]["beware"] and "only this machine" in rows[1]["beware"]
    assert "only this machine" in (tmp_path / "rows/contact-001.html").read_text()
    plain = json.loads(run("check", tmp_path / "rows/00001-lantern.png", "--json").stdout)
    assert "warnings" not in plain


def test_links_are_printed_at_the_designers_own_address(store):
    link = store.add(LONG)
    assert store.public == "" and unreachable(store.address(link.key))
    assert store.set_public("LanternWalk.example/go/") == "https://lanternwalk.example/go"
    printed = store.address(link.key, "poster")
    assert printed == f"HTTPS://LANTERNWALK.EXAMPLE/GO/{link.key}/POSTER"
    assert segno.make(printed, error="m", micro=False).mode == "alphanumeric"
    assert not unreachable(printed)
    assert store.key_of(printed) == store.key_of(printed.lower()) == link.key
    assert store.key_of(f"HTTP://127.0.0.1:{store.port}/{link.key}") == link.key  # as before
    assert store.key_of("https://lanternwalk.example/gold/CCCCC") is None
    for wrong in ("http://127.0.0.1/go", "http://nas", "https://a.example/x?y=1", "ftp://a.example",
                  "https://a.example/ü_~"):  # fmt: skip
        with pytest.raises(UserError):
            store.set_public(wrong)
    assert store.set_public("") == ""
    with pytest.raises(UserError, match="no address of your own"):
        store.rules("nginx")


def test_rules_for_servers_lead_where_the_desk_does(store, tmp_path):
    """Read as the servers read them: case does not matter, what is escaped is itself."""
    store.set_public("https://lanternwalk.example/go")
    now = datetime(2031, 1, 1, tzinfo=UTC)
    odd = store.add("https://lanternwalk.example/a%20b?q=$1&c=%251+'x'#top")
    over = store.add(LONG, expires=datetime(2030, 1, 1, tzinfo=UTC))
    later = store.add(LONG, datetime(2032, 1, 1, tzinfo=UTC), "https://lanternwalk.example/")
    every = store.links()
    for kind, pattern in (
        ("nginx", r'location ~\* "(.+)" { return (\d+)(?: "(.*)")?; }'),
        ("apache", r'RewriteRule "(.+)" "(.*)" \[(.+)\]'),
    ):
        text = rules.KINDS[kind](every, store.public, now)
        assert text.startswith("# Short links") and f"{later.key} leads to" in text
        found = re.findall(pattern, text)
        assert len(found) == 3

        def leads(path, kind=kind, found=found):
            for rule in found:
                if not re.search(rule[0], path if kind == "nginx" else path[1:], re.IGNORECASE):
                    continue
                if kind == "nginx":
                    return (int(rule[1]), rule[2].replace("%24", "$"))
                target = re.sub(r"\\(.)", r"\1", rule[1])
                return (410, "") if "G" in rule[2].split(",") else (302, target)
            return None

        assert leads(f"/go/{odd.key}") == (302, odd.target)
        assert leads(f"/GO/{odd.key.lower()}/POSTER/") == (302, odd.target)
        assert leads(f"/go/{over.key}") == (410, "") and leads(f"/go/{later.key}") == (302, LONG)
        assert leads("/go/XXXXX") is leads(f"/gone/{odd.key}") is leads(f"/go/{odd.key}X") is None
    data = json.loads(store.rules("json"))["links"]
    assert {one["key"] for one in data} == {link.key for link in every}
    assert data[0]["address"].startswith("HTTPS://LANTERNWALK.EXAMPLE/GO/")


def test_a_desk_of_before_keeps_its_links_and_learns_of_addresses(tmp_path):
    path = tmp_path / "desk.sqlite3"
    store = DeskStore(path)
    link = store.add(LONG)
    store.close()
    old = sqlite3.connect(path)
    old.executescript("DROP TABLE settings; PRAGMA user_version = 1;")
    old.close()
    again = DeskStore(path)
    assert again.link(link.key).target == LONG and again.public == ""
    again.set_public("https://lanternwalk.example")
    again.close()
    assert DeskStore(path).address(link.key) == f"HTTPS://LANTERNWALK.EXAMPLE/{link.key}"


def test_the_desks_window_and_command_write_rules(window, settle, qtbot, tmp_path, monkeypatch):
    settle(window)
    file = tmp_path / "desk.sqlite3"
    window.links_desk._desk = LinkDesk(file)
    window.message.text.setPlainText(LONG)
    window.message.short.set_open(True)
    settle(window)
    desk = window.links_desk.open()
    desk.rules.click()
    assert "no address of your own" in desk.note.text()
    desk.public.setText("http://localhost/go")
    desk.public.setModified(True)
    desk.public.editingFinished.emit()
    assert "only this machine" in desk.note.text() and desk.store.public == ""
    desk.public.setText("lanternwalk.example/go")
    desk.public.editingFinished.emit()
    assert desk.store.public == "https://lanternwalk.example/go"
    window.message.short.use.click()
    settle(window)
    assert window.session.piece.message.text.startswith("HTTPS://LANTERNWALK.EXAMPLE/GO/")
    assert "no phone" not in window.band.words and window.message.short.back.isVisible()
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "go.htaccess"),
                                                    "Apache (*.htaccess)")
    )  # fmt: skip
    desk.rules.click()
    assert "RewriteRule" in (tmp_path / "go.htaccess").read_text()
    told = run("desk", "public", "--file", file)
    assert told.output.strip() == "https://lanternwalk.example/go"
    out = tmp_path / "go.conf"
    assert run("desk", "table", "--rules", "nginx", out, "--file", file).exit_code == 0
    assert "return 302" in out.read_text()
    assert run("desk", "public", "", "--file", file).output.startswith("The desk has no address")
