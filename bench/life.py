"""Start-up beside a bare Qt window with the same libraries, memory over many open projects, and
memory while proposals are looked for.

Usage: life.py [start | rounds [COUNT] | proposals [TIMES]]...; the first two by default.
"""

import gc
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

LOADED = """
import os, sys
from pathlib import Path
from nimble_tile.ui.app import application

app = application()
from nimble_tile.ui.window import Window
from nimble_tile.ui.work.settings import Settings

settings = Settings(Path(sys.argv[1]))
settings.set("toured", True)
window = Window(settings)
window.show()
app.processEvents()
others = sys.stdlib_module_names | {"nimble_tile", "__main__"}
for name, module in sys.modules.items():
    place = getattr(module, "__file__", None) or ""
    if name.split(".")[0] not in others and "site-packages" in place:
        print(name)
sys.stdout.flush()
os._exit(0)
"""
"""Says which modules of libraries the program's window has loaded once it is painted."""

BARE = """
import contextlib, importlib, sys
for name in open(sys.argv[1] + ".loaded").read().split():
    with contextlib.suppress(ImportError):  # some are only there beside others
        importlib.import_module(name)
from PySide6.QtCore import Qt, QTimer  # the names of Qt take long, and no program does without
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication, QLabel, QMainWindow

class Window(QMainWindow):
    def paintEvent(self, event):
        super().paintEvent(event)
        QTimer.singleShot(0, app.quit)

app = QApplication([])
window = Window()
window.setCentralWidget(QLabel("bare"))
window.resize(1280, 800)
window.show()
app.exec()
"""

OURS = """
import gc
gc.disable()  # as the program does until its window stands there
import sys
from pathlib import Path
from PySide6.QtCore import QTimer
from nimble_tile.ui.app import application

app = application()
from nimble_tile.ui.window import Window
from nimble_tile.ui.work.settings import Settings

class Shown(Window):
    def paintEvent(self, event):
        super().paintEvent(event)
        QTimer.singleShot(0, lambda: os._exit(0))

import os
settings = Settings(Path(sys.argv[1]))
settings.set("toured", True)
window = Shown(settings)
window.show()
app.exec()
"""


def started(code: str, folder: str) -> float:
    """Seconds of a start, with compiled modules as every installation has them."""
    known = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    environment = {**known, "PYTHONPYCACHEPREFIX": f"{folder}/compiled"}
    call = [sys.executable, "-c", code, f"{folder}/window.json"]
    begun = time.perf_counter()
    subprocess.run(call, check=True, capture_output=True, env=environment)
    return time.perf_counter() - begun


def start() -> None:
    with tempfile.TemporaryDirectory() as folder:
        loaded = subprocess.run(
            [sys.executable, "-c", LOADED, f"{folder}/window.json"], check=True,
            capture_output=True, text=True,
        ).stdout  # fmt: skip
        Path(f"{folder}/window.json.loaded").write_text(loaded)
        own, bare = [], []
        for _ in range(10):  # by turns, as machines do not run at one speed
            bare.append(started(BARE, folder))
            own.append(started(OURS, folder))
        del bare[0], own[0]  # what compiled them
    ratio = statistics.median(own) / statistics.median(bare)
    print(f"start until painted: {statistics.median(own):.2f} s; a bare window with the same "
          f"libraries: {statistics.median(bare):.2f} s; ratio {ratio:.2f}")  # fmt: skip


def rounds(count: int = 200) -> None:
    """Open, edit and close a window on a project, again and again."""
    import psutil
    from PySide6.QtWidgets import QApplication

    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.demo import demo_project
    from nimble_tile.ui.app import application
    from nimble_tile.ui.window import Window
    from nimble_tile.ui.work.settings import Settings

    application()
    me, bay, seen = psutil.Process(), ReaderBay(), []
    folder = Path(tempfile.mkdtemp(prefix="nimble-tile-life-"))
    settings = Settings(folder / "window.json")
    for name in ("toured", "trials rest"):
        settings.set(name, True)
    settings.set("proposals", False)
    projects = [demo_project(name) for name in ("lantern-walk-poster", "walk-ticket")]

    def until(condition, seconds: float) -> None:
        limit = time.monotonic() + seconds
        while not condition() and time.monotonic() < limit:
            QApplication.processEvents()
            time.sleep(0.005)

    for number in range(count):
        window = Window(settings, bay)
        window.files.ask_unsaved = lambda: "drop"
        window.show()
        path = projects[number % 2]
        window.files.open_project(path, copy=True)
        until(lambda w=window: w.session.piece.message.text != "https://lanternwalk.example", 20)
        window.session.edit("code", "Level", level="LMQH"[number % 4])
        window.session.edit("finish", "Size", size=600)
        until(lambda w=window: not w.answer.stale, 20)
        window.close()
        window = None
        until(lambda: False, 0.02)
        gc.collect()
        if number % 10 == 9:
            seen.append(me.memory_info().rss / 1e6)
            print(f"{number + 1} rounds: {seen[-1]:.0f} MB", flush=True)
    bay.close()
    early, late = seen[len(seen) // 5 : len(seen) // 5 + 3], seen[-3:]
    ratio = statistics.mean(late) / statistics.mean(early)
    print(f"memory of the last rounds over that after a fifth of them: {ratio:.2f}")


def proposals(times: int = 3) -> None:
    """A picture of four megapixels comes in, and all proposals are looked for, some times over."""
    import psutil
    from PIL import Image
    from PySide6.QtWidgets import QApplication
    from skimage import data

    from nimble_tile.ui.app import application
    from nimble_tile.ui.window import Window
    from nimble_tile.ui.work.settings import Settings

    application()
    folder = Path(tempfile.mkdtemp(prefix="nimble-tile-life-"))
    picture = folder / "coffee.jpg"
    Image.fromarray(data.coffee()).resize((2450, 1633)).save(picture, quality=92)
    settings = Settings(folder / "window.json")
    settings.set("toured", True)
    window = Window(settings)
    window.files.ask_unsaved = lambda: "drop"
    window.show()
    me, most = psutil.Process(), 0.0

    def until(condition, seconds: float) -> None:
        nonlocal most
        limit = time.monotonic() + seconds
        while not condition() and time.monotonic() < limit:
            QApplication.processEvents()
            most = max(most, me.memory_info().rss / 1e6)
            time.sleep(0.01)

    proposing = window.blend_desk.proposing
    window.session.edit("message", "Write", text="https://lanternwalk.example/dusk/path7")
    window.files.bring_picture(picture)
    until(lambda: proposing.running, 60)
    for number in range(times):
        most = 0.0
        until(lambda: not proposing.running, 900)
        until(lambda: not window.answer.stale, 60)
        until(lambda: False, 15)  # the trials of what has taken the guess's place
        found = sum(card.proposal is not None for card in window.blend.proposals.cards.values())
        print(f"search {number + 1}, {found} proposals: {most:.0f} MB at most, "
              f"{me.memory_info().rss / 1e6:.0f} MB then", flush=True)  # fmt: skip
        if number + 1 < times:
            window.blend.proposals.again.click()
            until(lambda: proposing.running, 60)
    window.close()


if __name__ == "__main__":
    wanted = sys.argv[1:] or ["start", "rounds"]
    if "start" in wanted:
        start()
    numbers = [int(word) for word in wanted if word.isdigit()]
    if "rounds" in wanted:
        rounds(*numbers)
    if "proposals" in wanted:
        proposals(*numbers)
