"""Current pictures of each main view, from the demo data, at 1280 × 800."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QWidget

from nimble_tile.core.piece import Piece
from nimble_tile.demo import LINK, artwork, demo_pieces
from nimble_tile.ui.app import application
from nimble_tile.ui.bench.bench import Lens
from nimble_tile.ui.window import Window
from nimble_tile.ui.work.settings import Settings


class Photographer:
    """Drives one window and takes its picture once its answers are current."""

    def __init__(self, folder: Path, scratch: Path) -> None:
        self.app = application()
        self.folder = folder
        self.scratch = scratch
        settings = Settings(scratch / "window.json")
        settings.set("toured", True)
        self.window = Window(settings)
        self.window.files.ask_unsaved = lambda: "drop"
        self.window.settings.set("proposals", False)  # but where they are shown
        self.window.choose_theme("light")
        self.window.resize(1280, 800)
        self.window.show()

    def wait(self, condition: Callable[[], bool], seconds: float = 30) -> None:
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                raise TimeoutError
            self.app.processEvents()
            time.sleep(0.02)  # and with it others may have the interpreter

    def settle(self) -> None:
        self.wait(lambda: not self.window.jobs.busy and not self.window.answer.stale)

    def take(self, name: str) -> None:
        self.settle()
        self.wait(lambda: self.window.answer.proved)
        for _ in range(5):
            self.app.processEvents()
        self.window.grab().save(str(self.folder / f"{name}.png"))

    def study(self) -> None:
        """Wait until everything is known of the piece."""
        known: list[int] = []
        self.window.engine.studied.connect(lambda ticket, _: known.append(ticket))
        self.window.engine.submit(self.window.session.piece)
        self.wait(lambda: self.window.engine.ticket in known)

    def scroll(self, down: int) -> None:
        """Scroll the ladder."""
        for _ in range(5):
            self.app.processEvents()
        self.window.ladder.verticalScrollBar().setValue(down)

    def prove(self) -> None:
        """Wait until the trials are through and the costs known."""
        window, costed = self.window, []
        window.proof.prover.costed.connect(costed.append)
        window.proof.prover.again()
        self.wait(lambda: window.engine.ticket in costed)

    def proof(self) -> None:
        """One trial, checks."""
        self.start("lantern-walk-poster")
        window, wall = self.window, self.window.wall
        window.foot.split.setChecked(False)
        window.ladder.open(-1)
        window.bench.setFocus()
        self.prove()
        model = wall.list.trials
        wet = next(t for t in model.trials if t.name.startswith("Wet"))
        wall.list.setCurrentIndex(model.index(model.trials.index(wet)))
        window.proof.open(wet)
        self.wait(lambda: window.trial_view.why is not None)
        window.trial_view.way.button("x-ray").click()
        self.take("trial")
        window.proof.close_view()
        self.checks()

    def variants(self) -> None:
        """A sweep, the draft shelf with two drafts compared, a mended picture."""
        self.start("lantern-walk-poster")
        window = self.window
        swept = window.sweep_desk.open()
        swept.resize(1280, 800)
        swept.across.choose("blend.strength")
        swept.across.low.setValue(40)
        swept.across.high.setValue(85)
        swept.across.count.setValue(4)
        swept.down.choose("blend.method")
        options = swept.down.options
        for row in range(options.count()):
            item = options.item(row)
            wanted = item.text() in ("Tone", "Dots", "Gentle")
            item.setCheckState(Qt.CheckState.Checked if wanted else Qt.CheckState.Unchecked)
        swept.sweep.click()
        self.wait(lambda: not swept.jobs.busy, 120)
        self.rest(0.2)
        swept.grab().save(str(self.folder / "sweep-dark.png"))
        swept.board.clearSelection()
        for index in (1, 5, 9, 10):
            swept.board.item(*divmod(index, 4)).setSelected(True)
        swept.keep.click()
        swept.close()
        window.choose_theme("light")
        window.ladder.open(3)
        drafts = window.session.drafts
        window.draft_desk.compare([drafts[0].key, drafts[3].key])
        self.wait(lambda: window.middle.currentWidget() is window.draft_desk.view)
        window.shelf.list.item(0).setSelected(True)
        window.shelf.list.item(3).setSelected(True)
        self.take("drafts")
        window.draft_desk.close_view()
        window.draft_desk.show_shelf(False)
        self.mend()

    def mend(self) -> None:
        """The mist picture with a code far too faint, flattened, and mended."""
        import numpy as np

        from nimble_tile.core.render import Renderer

        piece = self.piece("morning-mist").edited("blend", method="overlay", strength=0.22)
        piece = piece.edited("code", steer="off", level="M", version="auto", mask="auto")
        made = Renderer(self.window.pictures).render(piece, 1100)
        mender = self.window.mend_desk.open()
        mender.resize(1280, 800)
        mender.controls.message.setPlainText(piece.message.text)
        mender.take(np.ascontiguousarray(made.image), "morning mist, flattened.png")
        self.wait(lambda: mender.suspect is not None, 60)
        mender.controls.mend.click()
        self.wait(lambda: not mender.jobs.busy, 120)
        mender.way.button("split").click()
        self.rest(0.2)
        mender.grab().save(str(self.folder / "mend.png"))
        mender.close()

    def studio(self) -> None:
        """A board of candidates, one of them mended and chosen."""
        desk = self.window.studio_desk
        made = desk.open()
        made.resize(1280, 800)
        made.describe.rough.setText("heron at dusk")
        made.describe.propose()
        made.describe.set_text("marsh with heron and moon, dusk, glowing, calm, oil")
        made.guides.size.set_value(512)
        made.varied.seeds.set_value(4)
        made.varied.weights.setText("0.45, 0.6, 0.75")
        made.many.click()
        self.wait(lambda: not made.working, 400)
        near = [c for c in made.candidates.values() if c.near and c.reach]
        chosen = max(near, key=lambda c: c.reach)
        made.view.choose(chosen.id)
        made.mend()
        self.wait(lambda: not made.working, 400)
        made.view.choose(chosen.id)
        made.star(4)
        self.rest(1)
        made.grab().save(str(self.folder / "studio.png"))
        made.close()

    def drawn(self) -> None:
        """A photo of a drawing with its corners, and a revision."""
        self.window.session.edit("message", "Write", text=LINK)
        self.window.session.edit("code", "Level", level="H", raise_level=False)
        self.settle()
        made = self.window.drawn_desk.open()
        made.resize(1280, 800)
        self.rest(1)
        path = self.scratch / "drawing.jpg"
        path.write_bytes(artwork("drawing"))
        made.open_path(path)
        self.wait(lambda: made.brought is not None, 120)
        made.keep()
        self.wait(lambda: made.revisions.count() == 1)
        made.way.set_value("photo")
        made._show()
        self.rest(0.5)
        made.grab().save(str(self.folder / "drawing.png"))
        made.close()

    def pixels(self) -> None:
        """Pixel art under the pencil."""
        self.start("pixel-heron")
        self.window.pixels_desk.take_up()
        self.window.pixels_desk.strip.palette.choose(2)
        self.window.bench.fit()
        self.take("pixels-dark")
        self.window.pixels_desk.put_away()

    def links(self) -> None:
        """The link desk with three links, one of them followed for two weeks."""
        import numpy as np

        desk = self.window.links_desk
        desk.desk.path = self.scratch / "links.sqlite3"
        made = desk.open()
        made.resize(1280, 800)
        store, today, rng = made.store, date.today(), np.random.default_rng(5)
        site = "https://lanternwalk.example"
        store.add(f"{site}/map?paper=second", note="trail map, second print")
        store.add(f"{site}/tickets", fallback=f"{site}/", note="ticket booth",
                  expires=datetime(2031, 5, 17, 18, tzinfo=UTC))  # fmt: skip
        poster = store.add(f"{site}/programme/evenings/autumn", note="poster")
        store.change(replace(poster, target=f"{site}/programme/evenings/winter"))
        for back in range(14):
            day, visits = today - timedelta(days=back), int(rng.integers(3, 40))
            tags = rng.choice(["POSTER", "POSTER", "FLYER", ""], visits)
            store.count([(poster.key, day, str(tag)) for tag in tags])
        made.switch.click()
        made.public.setText("lanternwalk.example/go")
        made.public.editingFinished.emit()
        made.table.setFocus()
        made.refresh()
        for _ in range(5):
            self.app.processEvents()
        made.grab().save(str(self.folder / "links-dark.png"))
        made.switch.click()
        made.close()

    def press(self) -> None:
        """The poster in four inks."""
        made = self.window.press_desk.open()
        self.wait(lambda: len(made.view.sides) == 2, 90)
        self.rest(0.5)
        made.grab().save(str(self.folder / "press.png"))
        made.close()

    def batch(self) -> None:
        """Tickets of a table, half of them made."""
        table = self.scratch / "tickets.csv"
        lines = "".join(
            f"https://lanternwalk.example/ticket/{n:04},Ticket {n:04},Ticket {n:04},"
            f"{'X' if n == 7 else ''}\n"
            for n in range(1, 61)
        )
        table.write_text(f"message,name,caption,level\n{lines}")
        self.window.session.edit("finish", "Size", size=700, format="png")
        made = self.window.batch_desk.open()
        made.bring(table)
        self.wait(lambda: len(made.lines.lines) == 60)
        (self.scratch / "tickets").mkdir()
        made.make_into(self.scratch / "tickets")
        self.wait(lambda: made._done >= 24, 120)
        made.grab().save(str(self.folder / "batch.png"))
        self.wait(lambda: not made._running, 180)
        made.close()

    def checks(self) -> None:
        checks = self.window.check_desk.open()
        checks.resize(1280, 800)
        checks.with_trials.setChecked(True)
        for name in ("walk-ticket", "path-sign"):
            path = self.scratch / f"{name}.png"
            self.render(name, path)
            checks.check_paths([path])
        self.wait(lambda: not checks.jobs.busy and len(checks.items) == 2, 60)
        checks.intended.setPlainText("https://lanternwalk.example/path/1")
        self.rest(0.3)
        checks.grab().save(str(self.folder / "check.png"))
        checks.close()

    def render(self, name: str, path: Path) -> None:
        """A demo piece as a file."""
        from nimble_tile.core.output.export import write
        from nimble_tile.core.render import Renderer

        piece = self.piece(name)
        write(Renderer(self.window.pictures).render(piece, 1600), path, piece.finish)

    def proposals(self) -> None:
        """Three proposals, one of them taken."""
        window, box = self.window, self.window.blend.proposals
        box.set_open(True)
        proposing = window.blend_desk.proposing
        self.wait(lambda: proposing.running, 30)
        self.wait(lambda: not proposing.running, 400)
        box.cards["woven"].click()
        self.study()
        self.settle()
        self.reveal(box)
        self.take("proposals")
        box.set_open(False)

    def reveal(self, widget: QWidget) -> None:
        """Scroll the ladder until a widget stands at its top."""
        self.rest(0.3)
        bar = self.window.ladder.verticalScrollBar()
        bar.setValue(widget.mapTo(self.window.ladder.widget(), QPoint(0, 0)).y() - 70)
        self.rest(0.2)

    def rest(self, seconds: float) -> None:
        """Let the window work."""
        end = time.monotonic() + seconds
        self.wait(lambda: time.monotonic() > end)

    def piece(self, name: str) -> Piece:
        """One of the demo pieces, its pictures in the window's store."""
        pieces, pictures = demo_pieces()
        for digest in pieces[name].digests:
            self.window.pictures.add(pictures.file(digest), name, drawings=True)
        return pieces[name]

    def start(self, name: str) -> None:
        """Begin with one of the demo pieces."""
        piece = self.piece(name)
        self.window.session.start(piece, None)
        self.window.bench.clear()
        self.settle()


def main(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as scratch:
        camera = Photographer(folder, Path(scratch))
        window = camera.window
        camera.settle()
        link = "https://www.lanternwalk.example/dusk/?utm_source=poster"
        window.session.edit("message", "Write", text=link)
        window.message.tags.set_open(True)
        camera.study()
        camera.take("message")
        camera.start("walk-ticket")
        window.ladder.open(1)
        window.code.open_page("symbol")
        window.foot.fit.setFocus()
        camera.study()
        camera.take("code")
        camera.start("lantern-walk-poster")
        window.ladder.open(3)
        window.foot.fit.setFocus()
        camera.proposals()
        camera.start("woven-poster")
        window.blend.proposals.set_open(False)
        camera.study()
        camera.reveal(window.blend.method)
        camera.take("weave")
        camera.settle()
        window.files.exporting.export_to(camera.scratch / "lantern-walk-poster.png")
        camera.wait(lambda: window.finish.files.proof.proof is not None)
        camera.take("finish")
        camera.press()

        window.notice.hide()
        camera.start("walk-ticket")
        window.ladder.open(4)
        window.logo.open_page("cost")
        camera.study()
        window.bench.setFocus()
        camera.scroll(180)
        camera.take("logo")
        camera.batch()
        window.ladder.open(5)
        window.choose_theme("dark")
        camera.links()
        camera.pixels()
        camera.start("lantern-walk-poster")

        window.choose_theme("dark")
        window.session.edit("blend", "Change the strength", strength=0.34)
        window.ladder.open(3)
        window.notice.hide()
        window.sight.look_through(Lens.XRAY)
        window.bench.close_up()
        camera.take("x-ray-dark")

        window.sight.look_through(Lens.FINISHED)
        window.bench.fit()
        camera.variants()
        window.choose_theme("light")
        camera.proof()
        camera.studio()
        camera.drawn()
        window.shut_down()


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
