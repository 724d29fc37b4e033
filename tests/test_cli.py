"""The command line's contract: forms, JSON, exit status, one line of complaint."""

import json
import os
import subprocess
import sys

import pytest
from click.testing import CliRunner

from conftest import LINK, encoded, photograph
from nimble_tile.cli import main
from nimble_tile.core.asked import Asker


def run(*words):
    result = CliRunner().invoke(main, [str(word) for word in words], prog_name="nimble-tile")
    return result


@pytest.fixture
def coffee(tmp_path):
    path = tmp_path / "coffee.png"
    path.write_bytes(encoded(photograph("coffee")))
    return path


def test_make_then_check_then_render(tmp_path, coffee):
    out = tmp_path / "out.png"
    made = run("make", "--message", LINK, "--picture", coffee, "--out", out, "--blend", "tone",
               "--strength", 0.7, "--level", "Q", "--version", 6, "--mask", 2, "--quiet-zone", 3,
               "--region", "100,10,380,380", "--size", 900, "--json")  # fmt: skip
    assert made.exit_code == 0
    report = json.loads(made.stdout)
    assert set(report) == {
        "out",
        "message",
        "symbol",
        "steering",
        "fidelity",
        "coverage",
        "verdict",
    }
    assert report["symbol"] == {"version": "6", "level": "Q", "mask": 2, "modules": 41}
    assert report["message"] == LINK
    assert report["steering"] is None
    assert 0.1 < report["fidelity"]["ssim_view"] < 0.9
    checked = run("check", out, "--expect", LINK, "--json")
    assert checked.exit_code == 0
    verdict = json.loads(checked.stdout)
    assert {"verdict", "matches", "found", "readers", "spare", "reach", "trials"} <= set(verdict)
    assert verdict["matches"] is True
    assert verdict["reach"] is None
    assert verdict["trials"] == []
    (found,) = verdict["found"]
    assert (found["text"], found["version"], found["level"], found["mask"]) == (LINK, "6", "Q", 2)
    # The region's left edge, scaled by 900 / 600, and three modules of quiet zone.
    left = (100 + 3 * 380 / 47) * 1.5
    assert found["corners"][0][0] == pytest.approx(left, abs=12)
    assert [reader["name"] for reader in verdict["readers"]] == [
        "zxing-cpp",
        "OpenCV",
        "quirc",
        "qrdec",
    ]


def test_exit_status_follows_what_is_read(tmp_path, coffee):
    out = tmp_path / "out.png"
    assert run("make", "--message", LINK, "--out", out).exit_code == 0
    wrong = run("check", out, "--expect", "another")
    assert wrong.exit_code == 1
    assert "Expected: another" in wrong.stdout
    assert run("check", coffee).exit_code == 1
    gone = run("make", "--message", LINK, "--picture", coffee, "--strength", 0, "--out", out)
    assert gone.exit_code == 1
    assert "Does not scan" in gone.stdout


def test_check_looks_only_into_the_region(tmp_path):
    import numpy as np
    from PIL import Image

    parts = []
    for text in ("left", "right"):
        run("make", "--message", text, "--out", tmp_path / "p.png", "--size", 400)
        parts.append(np.asarray(Image.open(tmp_path / "p.png")))
    both = tmp_path / "both.png"
    both.write_bytes(encoded(np.hstack(parts)))
    verdict = json.loads(run("check", both, "--region", "400,0,400,400", "--json").stdout)
    assert [code["text"] for code in verdict["found"]] == ["right"]
    assert verdict["found"][0]["corners"][0][0] > 400


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["make", "--message", "a", "--out", "a.gif"], "does not end in"),
        (["make", "--message", "", "--out", "a.png"], "no message"),
        (["make", "--out", "a.png"], "--message"),
        (["make", "--message", "a", "--out", "a.png", "--strength", "2"], "--strength 2"),
        (["make", "--message", "a", "--out", "a.png", "--version", "41"], "--version 41"),
        (["make", "--message", "a", "--out", "a.png", "--mask", "9"], "--mask 9"),
        (["make", "--message", "a", "--out", "a.png", "--blend", "glue"], "--blend glue"),
        (
            ["make", "--message", "a" * 90, "--out", "a.png", "--version", "2"],
            "does not fit version 2",
        ),
        (["make", "--message", "a", "--out", "a.png", "--picture", "none.png"], "does not exist"),
        (["make", "--message", "a", "--out", "a.png", "--region", "1,2,3"], "X,Y,W,H"),
        (["make", "--message", "a", "--out", "a.png", "--region", "1,2,3,4"], "Give --picture"),
        (["make", "--message", "a", "--out", "none/a.png"], "does not exist"),
        (["make", "--message", "a", "--out", "a.png", "--size", "2"], "--size 2"),
        (["check", "none.png"], "does not exist"),
        (["render", "none.nimbletile", "--out", "a.png"], "does not exist"),
        (["open", "none.nimbletile"], "no display"),
        (["surprise"], "surprise"),
    ],
)
def test_wrong_calls_get_one_line_and_status_2(tmp_path, monkeypatch, words, says):
    monkeypatch.chdir(tmp_path)
    for name in ("QT_QPA_PLATFORM", "DISPLAY", "WAYLAND_DISPLAY"):
        monkeypatch.delenv(name, raising=False)
    result = run(*words)
    assert result.exit_code == 2
    assert says in result.stderr
    assert result.stderr.count("\n") == 1
    assert result.stdout == ""
    assert list(tmp_path.iterdir()) == []


def test_demo_without_a_display_renders_checks_and_exports(tmp_path):
    """As a process of its own, as a person would start it."""
    hidden = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    env = {key: value for key, value in os.environ.items() if key not in hidden}
    done = subprocess.run(
        [sys.executable, "-m", "nimble_tile", "demo", "--out", str(tmp_path / "demo")],
        env=env, capture_output=True, text=True, check=False, timeout=120,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "no display" in done.stdout
    made = {path.name for path in (tmp_path / "demo").iterdir()}
    endings = {"path-sign": "jpg", "morning-mist": "jpg", "walk-ticket": "pdf", "gate-tag": "pdf"}
    names = (
        "heron-mark", "lantern-walk-poster", "morning-mist", "path-sign", "walk-ticket",
        "woven-poster", "painted-harbour", "drawn-heron", "pixel-heron", "gate-tag",
    )  # fmt: skip
    images = {f"{name}.{endings.get(name, 'png')}" for name in names}
    assert made == images | {f"{name}.nimbletile" for name in names}
    assert done.stdout.count("4 of 4 readers") == 9  # of Micro QR one of one
    again = run("render", tmp_path / "demo" / "lantern-walk-poster.nimbletile", "--out",
                tmp_path / "again.png", "--size", 1200, "--json")  # fmt: skip
    assert again.exit_code == 0
    assert json.loads(again.stdout)["verdict"]["matches"] is True


def test_demo_poster_reads_at_strength_0_6_and_fails_at_0(tmp_path, bay):
    from nimble_tile.core.output.export import export
    from nimble_tile.core.render import Renderer
    from nimble_tile.demo import demo_pieces

    pieces, pictures = demo_pieces()
    poster = pieces["lantern-walk-poster"]
    renderer = Renderer(pictures)
    for strength, readers in ((0.6, 4), (0.0, 0)):
        piece = poster.edited("blend", method="tone", strength=strength)
        proof = export(renderer.render(piece), tmp_path / "poster.png", piece.finish, bay)
        assert proof.verdict.readers_right == (readers, 4)
    assert proof.verdict.words == "Does not scan"
    assert proof.verdict.sample.wrong.mean() > 0.3


def test_looks_levels_and_vectors_from_the_command_line(tmp_path):
    text = "https://lanternwalk.example/dusk"
    for name in ("ticket.svg", "ticket.pdf"):
        made = run("make", "--message", text, "--look", "tide", "--out", tmp_path / name, "--json")
        report = json.loads(made.stdout)
        assert made.exit_code == 0 and report["verdict"]["verdict"] == "well"
        assert report["symbol"]["level"] == "Q"  # raised, as it is free
    kept = json.loads(run("make", "--message", text, "--level", "M", "--out",
                          tmp_path / "a.png", "--json").stdout)  # fmt: skip
    assert kept["symbol"]["level"] == "M"  # what is asked for by name is kept
    raised = json.loads(run("make", "--message", text, "--level", "M", "--raise-level", "--out",
                            tmp_path / "a.png", "--json").stdout)  # fmt: skip
    assert raised["symbol"]["level"] == "Q"
    micro = json.loads(run("make", "--message", "1234567", "--version", "micro", "--out",
                           tmp_path / "a.png", "--json").stdout)  # fmt: skip
    assert micro["symbol"]["version"] == "M2"
    wrong = run("make", "--message", text, "--look", "none such", "--out", tmp_path / "a.png")
    assert wrong.exit_code == 2 and "There are: Ink, Reed" in wrong.stderr


def test_messages_of_several_lines_are_told_in_one(tmp_path):
    card = "BEGIN:VCARD\nVERSION:3.0\nFN:Ada Marsh\nN:Marsh;Ada;;;\nEND:VCARD\n"
    path = tmp_path / "card.png"
    made = run("make", "--message", card, "--out", path)
    line = next(line for line in made.stdout.splitlines() if line.startswith("It says"))
    assert "FN:Ada Marsh ⏎ N:Marsh" in line
    wrong = run("check", path, "--expect", card.replace("Ada", "Ida"))
    assert wrong.exit_code == 1 and "Expected: BEGIN:VCARD ⏎ " in wrong.stdout
    assert json.loads(run("check", path, "--json").stdout)["found"][0]["text"] == card


def test_corners_place_the_code_in_perspective(tmp_path):
    from importlib.resources import files

    sign = tmp_path / "sign.jpg"
    sign.write_bytes(files("nimble_tile.assets").joinpath("demo/sign.jpg").read_bytes())
    out = tmp_path / "out.png"
    call = ["make", "--message", LINK, "--picture", str(sign), "--out", str(out), "--json"]
    corners = "1089,478,1473,449,1479,858,1086,828"
    result = CliRunner().invoke(main, [*call, "--corners", corners])
    assert result.exit_code == 0, result.output
    told = json.loads(result.stdout)["verdict"]
    assert all(reader["read"] for reader in told["readers"])
    # The code was found where it was put, its quiet zone of 4 of 37 modules inside.
    found = told["found"][0]["corners"]
    assert 1089 < found[0][0] < 1160
    assert 478 < found[0][1] < 550
    for wrong, why in (
        (["--corners", "1,2,3"], "eight numbers"),
        (["--corners", "0,0,100,0,0,100,100,100"], "crossed, folded or not clockwise"),
        (["--corners", corners, "--region", "0,0,9,9"], "both say where"),
    ):
        result = CliRunner().invoke(main, [*call, *wrong])
        assert result.exit_code == 2
        assert why in result.stderr
        assert len(result.stderr.strip().splitlines()) == 1


# Seeds, progress ---------------------------------------------------------------------------


def test_every_seed_counts_zero_too_and_woven_or_not(store):
    ask = Asker(store, "--")
    for method in ("strokes", "weave", "tone"):
        made = [ask.piece(LINK, {"blend": method, "seed": seed}) for seed in (None, 0, 7, 10_007)]
        assert [piece.blend.strokes.seed for piece in made] == [1, 0, 7, 7]
        assert [piece.blend.weave.seed for piece in made] == [1, 0, 7, 7]


def test_another_seed_scatters_strokes_otherwise(tmp_path):
    picture = tmp_path / "cat.png"
    picture.write_bytes(encoded(photograph("chelsea")[:200, :200]))
    made = {}
    for seed in (None, "1", "0", "0"):
        out = tmp_path / f"{seed}.png"
        more = [] if seed is None else ["--seed", seed]
        run("make", "--message", LINK, "--picture", picture, "--blend", "strokes", "--size", "300",
            "--out", out, *more)  # fmt: skip
        before, made[seed] = made.get(seed), out.read_bytes()
        assert before in (None, made[seed])
    assert made[None] == made["1"] != made["0"]


TERMINAL = """
import os, pty, sys
from nimble_tile import cli_progress
cli_progress.QUICK = float(sys.argv[1])
import nimble_tile.cli
out, err = os.pipe(), pty.openpty()
if os.fork() == 0:
    os.dup2(out[1], 1)
    os.dup2(err[1], 2)
    try:
        nimble_tile.cli.main(sys.argv[2:])
    finally:
        os._exit(0)
os.close(out[1])
os.close(err[1])
told = b""
while True:
    try:
        part = os.read(err[0], 65536)
    except OSError:  # how a terminal says that nobody is there any more
        break
    if not part:
        break
    told += part
printed = b""
while part := os.read(out[0], 65536):
    printed += part
print(repr(told.decode(errors="replace")))
print(repr(printed.decode(errors="replace")))
"""


@pytest.mark.parametrize("quick", [0.0, 600.0])
def test_what_lasts_is_told_on_a_terminal_and_what_is_printed_stays_clean(tmp_path, quick):
    picture = tmp_path / "plain.png"
    picture.write_bytes(encoded(photograph("coffee")[:300, :300]))
    call = [sys.executable, "-c", TERMINAL, quick, "mend", picture, "--message", LINK,
            "--out", tmp_path / "mended.png"]  # fmt: skip
    done = subprocess.run([*map(str, call)], capture_output=True, text=True, check=True)
    told, printed = done.stdout.splitlines()[-2:]
    assert ("Looking for the code" in told) == (quick == 0)
    assert "No code with this message" in told and printed == "''"
    # Without a terminal nothing is told but what is wrong.
    plain = run("mend", picture, "--message", LINK, "--out", tmp_path / "mended.png")
    assert plain.exit_code == 2 and plain.output.count("\n") == 1
