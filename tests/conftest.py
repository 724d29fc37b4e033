"""Shared fixtures: pictures from open sample data, one set of reader processes."""

import gc
import io
import os
import sys
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["NIMBLE_TILE_LANGUAGE"] = "en"  # whatever the desktop's is
# There is a process of tests for every processor: threads of libraries only wait for each other.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OMP_NUM_THREADS", "1")

import cv2
import numpy as np
import pytest
from hypothesis import settings
from PIL import Image
from pytestqt.qtbot import QtBot
from skimage import data

from nimble_tile.core.memory import give_back
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Blend, Code, Message, Picture, Piece
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.ui.app import few_arenas

cv2.setNumThreads(1)
settings.register_profile("whatever the machine", deadline=None)
settings.load_profile("whatever the machine")

LINK = "https://lanternwalk.example/dusk/path7"  # 38 characters


def encoded(image, kind="PNG", **options):
    """Bytes of a picture file."""
    if isinstance(image, np.ndarray):
        image = Image.fromarray(image)
    file = io.BytesIO()
    if kind == "PNG":
        options.setdefault("compress_level", 1)  # smaller files would only take longer
    image.save(file, kind, **options)
    return file.getvalue()


def photograph(name):
    """One of scikit-image's bundled sample photographs."""
    return getattr(data, name)()[..., :3]


@pytest.fixture(scope="session")
def bay():
    bay = ReaderBay()
    yield bay
    bay.close()


@pytest.fixture
def store():
    return PictureStore()


@pytest.fixture
def photo_piece(store):
    """A function that makes a piece on a sample photograph."""

    def make(name="coffee", **code):
        digest = store.add(encoded(photograph(name)), name)
        return Piece(
            message=Message(text=LINK),
            code=Code(**code),
            picture=Picture(digest=digest, name=f"{name}.png"),
        )

    return make


@pytest.fixture(scope="session")
def qapp():
    from nimble_tile.ui.app import application

    app = application()
    yield app
    # Without a screen, what lies on the clipboard must not outlive the application.
    app.clipboard().clear()


@pytest.fixture(autouse=True)
def nobody_answers(monkeypatch):
    """A question that a test does not answer ends that test, instead of waiting for a person."""
    if "PySide6.QtWidgets" not in sys.modules:
        return
    from PySide6.QtWidgets import QFileDialog, QMessageBox

    def asked(*args, **kwargs):
        raise AssertionError("a question was asked that this test does not answer")

    for name in ("getSaveFileName", "getOpenFileName", "getOpenFileNames", "getExistingDirectory"):
        monkeypatch.setattr(QFileDialog, name, asked)
    for name in ("exec", "question", "warning", "information"):
        monkeypatch.setattr(QMessageBox, name, asked)


@pytest.fixture
def window(qtbot, tmp_path, monkeypatch, bay):
    from nimble_tile.ui.window import Window
    from nimble_tile.ui.work.settings import Settings

    # A fresh machine: no remembered state, and nothing is asked on closing.
    settings = Settings(tmp_path / "state" / "window.json")
    settings.set("trials rest", True)  # but in tests of the trials, which let them go on
    settings.set("proposals", False)  # but in tests of these
    settings.set("toured", True)
    made = Window(settings, bay)
    made.files.ask_unsaved = lambda: "drop"
    made.resize(1280, 800)
    qtbot.addWidget(made)
    made.show()
    qtbot.waitExposed(made)
    made.activateWindow()
    yield made
    made.shut_down()


@pytest.fixture(autouse=True, scope="session")
def as_the_program():
    """Memory is shared out as in the program."""
    few_arenas()


MOST_GROWN = 80e6
"""Bytes that a process of tests may grow by before what tests leave behind is looked for."""


def resident():
    """Bytes of this process that are in memory."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE")


tidied = [400e6]  # what was in memory when that was done last


@pytest.fixture(autouse=True)
def tidy():
    """Renderers and windows that refer to themselves go before many of them have come.

    Not after each test: going through all objects takes as long as a usual test.
    """
    yield
    if resident() > tidied[0] + MOST_GROWN:
        gc.collect()
        give_back()
        tidied[0] = resident()


@pytest.fixture(autouse=True)
def patient(monkeypatch):
    """A slow or busy machine is no fault: waiting ends with what is waited for, or a hang."""
    wait = QtBot.waitUntil

    def until(self, callback, *, timeout=0):
        wait(self, callback, timeout=max(timeout, 180_000))

    monkeypatch.setattr(QtBot, "waitUntil", until)
    signal = QtBot.waitSignal

    def for_signal(self, *arguments, timeout=0, **named):
        return signal(self, *arguments, timeout=max(timeout, 180_000), **named)

    monkeypatch.setattr(QtBot, "waitSignal", for_signal)


def by_tone(window):
    """Blend by tone in the picture's middle: for what is about neither marks nor their place."""
    piece = window.session.piece
    plain = {"blend": Blend(), "code": piece.code.model_copy(update={"steer": "off"}),
             "picture": piece.picture.model_copy(update={"region": None})}  # fmt: skip
    window.session.put(piece.model_copy(update=plain), "By tone")


@pytest.fixture
def settle(qtbot):
    def wait(window):
        qtbot.waitUntil(lambda: not window.jobs.busy and not window.answer.stale, timeout=20_000)

    return wait


LONGEST_FIRST = (
    "test_tune.py", "test_propose.py", "test_methods.py", "test_weave.py", "test_export.py",
    "test_painter.py", "test_batch.py", "test_studio.py", "test_symbol.py", "test_help.py",
    "test_window_picture.py", "test_window_logo.py", "test_language.py", "test_window_mend.py",
    "test_window_studio.py", "test_drawn.py", "test_window_proof.py",
    "test_marks.py", "test_looks.py", "test_remedies.py", "test_cli.py", "test_reach.py",
    "test_window.py", "test_foreign.py", "test_caption.py",
)  # fmt: skip
"""Files that take long: begun last, they would leave one of two processes without work."""


def pytest_collection_modifyitems(items):
    """Long files first; within a file the order stays."""
    rank = {name: place for place, name in enumerate(LONGEST_FIRST)}
    items.sort(key=lambda item: rank.get(item.path.name, len(rank)))
