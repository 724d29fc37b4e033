"""A long session by random events in the real window: memory, threads, and longest waits.

Usage: monkey.py [EVENTS] [SEED]. Buttons, sliders, keys, menu actions, drags and undo come at
random; dialogs are refused. Every tenth of the way memory is measured at rest, first with all
that the hands have made (pictures, drafts, undo), then with a new piece, which is to hold nothing
of it; the last lines set the end beside the first rest after a quarter, when everything has been
opened once.
"""

import faulthandler
import gc
import os
import random
import sys
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

EVENTS = int(sys.argv[1]) if len(sys.argv) > 1 else 4000
SEED = int(sys.argv[2]) if len(sys.argv) > 2 else 1

HANGS = 200
"""Seconds after which an event that is still at it ends the session, and says where it is."""

SLOW = 0.1
"""Seconds that an event may keep the window."""

NOT = ("quit", "full screen", "close")
"""Menu actions that would end the session, in lower case."""


def resident() -> float:
    """Megabytes of this process that are in memory."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def refuse_dialogs() -> None:
    from PySide6.QtGui import QDesktopServices
    from PySide6.QtPrintSupport import QPrintDialog
    from PySide6.QtWidgets import (
        QApplication,
        QColorDialog,
        QDialog,
        QFileDialog,
        QInputDialog,
        QMenu,
        QMessageBox,
    )

    for name in ("getOpenFileName", "getSaveFileName", "getOpenFileNames"):
        setattr(QFileDialog, name, staticmethod(lambda *a, **k: ("", "")))
    QFileDialog.getExistingDirectory = staticmethod(lambda *a, **k: "")
    QInputDialog.getText = staticmethod(lambda *a, **k: ("", False))
    QColorDialog.getColor = staticmethod(lambda *a, **k: __import__("PySide6.QtGui").QtGui.QColor())
    for name in ("question", "warning", "information", "critical"):
        setattr(QMessageBox, name, staticmethod(lambda *a, **k: QMessageBox.StandardButton.Cancel))
    QMessageBox.exec = lambda self: QMessageBox.StandardButton.Cancel
    QMenu.exec = lambda *a, **k: None
    QDesktopServices.openUrl = staticmethod(lambda url: True)

    def shown(dialog: QDialog) -> int:
        dialog.show()
        for _ in range(3):
            QApplication.instance().processEvents()
        dialog.reject()
        return 0

    QDialog.exec = QPrintDialog.exec = shown


def application():
    from nimble_tile.ui.app import application

    return application()


class Monkey:
    """Random hands on one window."""

    def __init__(self, folder: Path) -> None:
        from nimble_tile.ui.window import Window
        from nimble_tile.ui.work.settings import Settings

        self.app = application()
        refuse_dialogs()
        settings = Settings(folder / "window.json")
        settings.set("toured", True)
        self.window = Window(settings)
        self.window.files.ask_unsaved = lambda: "drop"
        self.window.resize(1280, 800)
        self.window.show()
        self.random = random.Random(SEED)
        self.waits: Counter[str] = Counter()
        self.longest: dict[str, float] = {}
        self.rests: list[tuple[int, float, int]] = []
        self.doing = "start"
        self.faults: list[str] = []

    def turn(self, seconds: float = 0) -> None:
        """Let the window do what it has to; note what kept it."""
        from PySide6.QtCore import QEvent

        end = time.monotonic() + seconds
        while True:
            began = time.thread_time()
            self.app.processEvents()
            # Else they wait for an event loop, which here there is none of.
            self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            self.noted(time.thread_time() - began)
            if time.monotonic() >= end:
                return
            time.sleep(0.005)

    def noted(self, took: float) -> None:
        if took > SLOW:
            self.waits[self.doing] += 1
            self.longest[self.doing] = max(took, self.longest.get(self.doing, 0))

    def rest(self, number: int) -> None:
        """Wait until nothing is left to do, and measure."""
        from nimble_tile.core.memory import give_back

        for widget in self.app.topLevelWidgets():
            if widget is not self.window and widget.isVisible():
                widget.close()
        self.doing = "at rest"
        end = time.monotonic() + 120
        while time.monotonic() < end:
            self.turn(0.2)
            if not self.window.jobs.busy and not self.window.answer.stale:
                break
        self.turn(6)
        gc.collect()
        give_back()
        full = resident()
        self.window.files.new_piece()
        self.turn(6)
        gc.collect()
        give_back()
        self.rests.append((number, resident(), threading.active_count()))
        print(f"{number:6} events  {full:7.0f} MB, new piece {resident():5.0f} MB  "
              f"{threading.active_count():3} threads  {len(self.app.allWidgets()):5} widgets",
              flush=True)  # fmt: skip

    def event(self) -> None:
        """One thing that a person may do."""
        from PySide6.QtCore import QPoint, Qt
        from PySide6.QtTest import QTest
        from PySide6.QtWidgets import QAbstractButton, QAbstractSlider, QComboBox, QSpinBox

        choose = self.random.choice
        windows = [w for w in self.app.topLevelWidgets() if w.isVisible() and w.isWindow()]
        window = self.window if self.random.random() < 0.7 or not windows else choose(windows)
        kind = self.random.random()
        if kind < 0.12:
            actions = [a for a in self.actions() if a.isEnabled()]
            action = choose(actions)
            self.doing = f"menu {action.text()}"
            action.trigger()
        elif kind < 0.5:
            buttons = [b for b in window.findChildren(QAbstractButton)
                       if b.isVisible() and b.isEnabled()]  # fmt: skip
            if buttons:
                button = choose(buttons)
                self.doing = f"button {button.text() or button.accessibleName()}"
                QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        elif kind < 0.7:
            fields = [*window.findChildren(QAbstractSlider), *window.findChildren(QSpinBox)]
            fields = [f for f in fields if f.isVisible() and f.isEnabled()]
            if fields:
                field = choose(fields)
                self.doing = f"field {field.accessibleName() or type(field).__name__}"
                field.setValue(self.random.randint(field.minimum(), field.maximum()))
        elif kind < 0.78:
            boxes = [b for b in window.findChildren(QComboBox) if b.isVisible() and b.count()]
            if boxes:
                box = choose(boxes)
                self.doing = f"list {box.accessibleName()}"
                QTest.keyClick(box, choose([Qt.Key.Key_Down, Qt.Key.Key_Up]))
        elif kind < 0.88:
            bench = self.window.bench
            self.doing = "drag on the bench"
            wide, high = bench.width(), bench.height()
            random_in = self.random.randrange
            at = [QPoint(random_in(wide), random_in(high)) for _ in range(3)]
            QTest.mousePress(bench, Qt.MouseButton.LeftButton, pos=at[0])
            for point in at[1:]:
                QTest.mouseMove(bench, point)
            QTest.mouseRelease(bench, Qt.MouseButton.LeftButton, pos=at[-1])
        elif kind < 0.94:
            self.doing = "undo"
            choose([self.window.session.undo, self.window.session.redo])()
        else:
            self.doing = "keys"
            widget = self.app.focusWidget() or self.window
            QTest.keyClick(widget, choose([Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Escape,
                                           Qt.Key.Key_A, Qt.Key.Key_Return]))  # fmt: skip

    def actions(self) -> list:
        found = []
        for menu in self.window.menuBar().actions():
            waiting = [menu]
            while waiting:
                action = waiting.pop()
                if action.menu() is not None:
                    waiting += action.menu().actions()
                elif action.text() and not any(
                    word in action.text().replace("&", "").lower() for word in NOT
                ):
                    found.append(action)
        return found

    def run(self) -> None:
        self.rest(0)
        for number in range(1, EVENTS + 1):
            began = time.thread_time()
            faulthandler.dump_traceback_later(HANGS, exit=True)
            try:
                self.event()
            except RuntimeError:  # the widget went with what was done before
                continue
            except Exception as fault:
                self.faults.append(f"{self.doing}: {type(fault).__name__}: {fault}")
            self.noted(time.thread_time() - began)
            self.turn(self.random.choice([0, 0, 0.02, 0.1]))
            if number % max(1, EVENTS // 10) == 0:
                self.rest(number)
        settled = next(rest for rest in self.rests if rest[0] >= EVENTS / 4)
        last = self.rests[-1]
        print(f"end beside the quarter: {last[1] / settled[1]:.2f} of its memory, "
              f"{last[2] - settled[2]:+} threads")  # fmt: skip
        kinds = Counter(type(widget).__name__ for widget in self.app.topLevelWidgets())
        print("windows:", ", ".join(f"{n} {kind}" for kind, n in kinds.most_common(12)))
        print(f"{len(self.faults)} faults", *self.faults[:20], sep="\n  ")
        print(f"waits over {SLOW} s of the window's own time:")
        for doing, times in self.waits.most_common(25):
            print(f"  {times:4} × up to {self.longest[doing]:.2f} s  {doing}")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as scratch:
        for name in ("DATA", "STATE", "CACHE", "CONFIG"):
            os.environ[f"XDG_{name}_HOME"] = str(Path(scratch) / name.lower())
        monkey = Monkey(Path(scratch))
        monkey.run()
        monkey.window.shut_down()
        sys.stdout.flush()
        os._exit(0)
