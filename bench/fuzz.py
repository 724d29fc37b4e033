"""Coverage-guided fuzzing of everything that reads what came from outside.

Usage: fuzz.py [all [SHARE] | TARGET [RUNS]]. All targets get a million cheap and fifty thousand
costly inputs (or that share of them), each target in a process of its own: an exception that is
no sentence for people, a hang over 10 seconds, more than 2 GB, or a file written outside the
target's folder ends it, and the input is kept. Needs atheris, of the development extra.
"""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]

CHEAP = {"message": 300_000, "csv": 250_000, "look": 150_000, "trials": 150_000, "presets": 150_000}
COSTLY = {"project": 20_000, "picture": 15_000, "svg": 15_000}
SECONDS, MEGABYTES = 10, 2048


def watch_writes(folder: Path) -> None:
    """End the process when anything is written outside a folder."""
    home = str(folder.resolve())

    def hook(event: str, args: tuple) -> None:
        if event == "open" and isinstance(args[0], (str, bytes)) and isinstance(args[2], int):
            path = str(Path(os.fsdecode(args[0])).absolute())
            writes = args[2] & (os.O_WRONLY | os.O_RDWR | os.O_CREAT)
            if writes and not path.startswith((home, "/dev/", "/proc/")):
                print(f"Written outside: {path}", flush=True)
                os._exit(77)
        elif event in ("os.remove", "os.rename", "os.mkdir", "os.rmdir"):
            path = str(Path(os.fsdecode(args[0])).absolute())
            if not path.startswith(home):
                print(f"Changed outside: {path}", flush=True)
                os._exit(77)

    sys.addaudithook(hook)


def one(name: str, folder: Path):
    """A target: gets bytes, raises only what is a fault."""
    from nimble_tile.core import foreign
    from nimble_tile.core.errors import UserError

    foreign.in_worker = True  # what would run apart runs here, where it is seen to crash
    from nimble_tile.core.batch.rows import rows_in, spreadsheet_as_csv
    from nimble_tile.core.message import kinds
    from nimble_tile.core.picture.drawings import draw
    from nimble_tile.core.picture.opening import open_picture
    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.project import archive, looks, presets
    from nimble_tile.core.symbol.looks.svgshape import shape_from_svg
    from nimble_tile.core.trials import sets

    def placed(suffix: str, data: bytes) -> Path:
        path = folder / f"input{suffix}"
        path.write_bytes(data)
        return path

    def message(data: bytes) -> None:
        understood = kinds.understand(data.decode("utf-8", "replace"))
        assert understood.text == data.decode("utf-8", "replace")

    def table(data: bytes) -> None:
        if data[:2] == b"PK":
            spreadsheet_as_csv(data)
            return
        for row in rows_in(placed(".csv", data)):
            assert row.number > 0

    def svg(data: bytes) -> None:
        try:
            shape_from_svg(data)
        except UserError:
            pass
        draw(data, "drawing")

    work = {
        "message": message,
        "csv": table,
        "look": lambda data: looks.read(placed(".json", data), PictureStore()),
        "trials": lambda data: sets.read(placed(".json", data)),
        "presets": lambda data: presets.read(placed(".json", data)),
        "project": lambda data: archive.load_project(placed(".nimbletile", data)),
        "picture": lambda data: open_picture(data, "picture", 4_000_000),
        "svg": svg,
    }[name]

    def target(data: bytes) -> None:
        try:
            work(data)
        except UserError as error:
            assert str(error).strip()

    return target


def seeds(name: str, folder: Path) -> None:
    """Good inputs to begin with."""
    import io

    from PIL import Image

    assets = ROOT / "src/nimble_tile/assets"

    def put(number: int, data: bytes) -> None:
        (folder / f"seed{number}").write_bytes(data)

    if name == "message":
        texts = ["https://lanternwalk.example/a?b=c", "WIFI:T:WPA;S:marsh;P:reed;;",
                 "BEGIN:VCARD\r\nVERSION:3.0\r\nN:A;B\r\nEND:VCARD", "geo:1,2", "tel:+4912",
                 "BEGIN:VEVENT\r\nDTSTART:20271030T183000Z\r\nEND:VEVENT", "mailto:a@b.example",
                 "BCD\n002\n1\nSCT\n\nName\nDE89370400440532013000",
                 "bitcoin:x?amount=1"]  # fmt: skip
        for number, text in enumerate(texts):
            put(number, text.encode())
    elif name == "csv":
        put(0, b"message,name,level\nlantern,one,H\n")
        put(1, b"message;strength\nlaternen;0,5\n")
    elif name in ("look", "trials"):
        files = sorted((assets / "looks").glob("*.json")) if name == "look" else []
        for number, path in enumerate(files[:4] or [assets / "trials.json"]):
            put(number, path.read_bytes())
    elif name == "presets":
        put(0, b'{"format": "nimble-tile presets", "schema": 1, "presets": '
               b'[{"name": "x", "finish": {"format": "tiff", "mm": 40}}]}')  # fmt: skip
    elif name == "project":
        for number, path in enumerate(sorted((ROOT / "tests/samples").glob("*.nimbletile"))):
            put(number, path.read_bytes())
    elif name == "picture":
        for number, kind in enumerate(("PNG", "JPEG", "WEBP", "TIFF")):
            file = io.BytesIO()
            Image.effect_noise((24, 20), 60).convert("RGB").save(file, kind)
            put(number, file.getvalue())
    else:
        put(0, (assets / "desktop/icon.svg").read_bytes())
        put(1, b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0h9v9z"/></svg>')


def fuzz(name: str, runs: int) -> None:
    """Fuzz a target in this process; does not come back."""
    import atheris

    folder = Path(tempfile.mkdtemp(prefix=f"nimble-tile-fuzz-{name}-"))
    corpus, found = folder / "corpus", ROOT / "build" / "fuzz"
    corpus.mkdir()
    found.mkdir(parents=True, exist_ok=True)
    seeds(name, corpus)
    with atheris.instrument_imports(include=["nimble_tile.core"]):
        target = one(name, folder)
    target(next(corpus.iterdir()).read_bytes())  # what is loaded late may write its own caches
    tempfile.tempdir = str(folder)
    sys.dont_write_bytecode = True
    os.chdir(folder)
    flags = [
        f"-runs={runs}", f"-timeout={SECONDS}", f"-rss_limit_mb={MEGABYTES}", "-max_len=4096",
        "-print_final_stats=1", "-verbosity=0", f"-artifact_prefix={found}/{name}-",
    ]  # fmt: skip
    atheris.Setup([sys.argv[0], *flags, str(corpus)], target)
    watch_writes(folder)
    atheris.Fuzz()


def all_of_them(share: float) -> int:
    status = 0
    for kind, targets in (("cheap", CHEAP), ("costly", COSTLY)):
        total = 0
        for name, runs in targets.items():
            count = max(1, round(runs * share))
            begun = time.monotonic()
            done = subprocess.run(
                [sys.executable, __file__, name, str(count)], capture_output=True, text=True
            )
            took, total = time.monotonic() - begun, total + count
            state = "held" if done.returncode == 0 else f"FAILED ({done.returncode})"
            print(f"{name}: {count} inputs in {took:.0f} s, {state}", flush=True)
            if done.returncode:
                status = 1
                print((done.stdout + done.stderr)[-3000:])
        print(f"{kind}: {total} inputs")
    return status


if __name__ == "__main__":
    if len(sys.argv) > 1 and sys.argv[1] != "all":
        fuzz(sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 10_000)
    else:
        sys.exit(all_of_them(float(sys.argv[2]) if len(sys.argv) > 2 else 1.0))
