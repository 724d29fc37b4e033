"""Current pictures of each main view, from the demo data, at 1280 × 800."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from nimble_tile.core.details import Address, Contact, Number
from nimble_tile.core.look import Fill
from nimble_tile.core.message.kinds import compose
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.demo import LINK, demo_pieces
from nimble_tile.ui.app import application
from nimble_tile.ui.bench import Lens
from nimble_tile.ui.hands.brush import Stroke
from nimble_tile.ui.settings import Settings
from nimble_tile.ui.window import Window


class Photographer:
    """Drives one window and takes its picture once its answers are current."""

    def __init__(self, folder: Path, scratch: Path) -> None:
        self.app = application()
        self.folder = folder
        self.scratch = scratch
        self.window = Window(Settings(scratch / "window.json"))
        self.window.desk.ask_unsaved = lambda: "drop"
        self.window.choose_theme("light")
        self.window.resize(1280, 800)
        self.window.show()

    def wait(self, condition: Callable[[], bool], seconds: float = 30) -> None:
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                raise TimeoutError
            self.app.processEvents()
            time.sleep(0.01)

    def settle(self) -> None:
        self.wait(lambda: not self.window.jobs.busy and self.window.current)

    def take(self, name: str) -> None:
        self.settle()
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

    def cut_out(self) -> None:
        """The board of the path sign, found from a rough stroke."""
        self.start("path-sign")
        window = self.window
        window.picture.open_page("cutout")
        self.settle()
        points = tuple(
            (float(x), float(y))
            for x, y in (
                (1040, 330),
                (1540, 270),
                (1560, 900),
                (1050, 850),
                (1040, 360),
                (1300, 600),
            )
        )
        stroke = Stroke("cut_out", "rough", True, points, 60.0, 0.0, 0.1)
        window.picture_desk.paint(stroke)
        window.picture.cutout.brush.tool.button("rough").click()
        self.settle()
        self.wait(lambda: window.bench.shown.overlay is not None)
        window.foot.fit.setFocus()
        self.take("cut-out")

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
        contact = Contact(
            given="Ada",
            family="Marsh",
            organisation="Redshank Marsh Trust",
            role="Warden",
            phones=(Number(number="01632 960983"),),
            emails=("ada@lanternwalk.example",),
            addresses=(Address(street="1 Reed Lane", city="Saltmarsh", code="SM1 2AB"),),
        )
        piece = window.session.piece.model_copy(update={"message": compose(contact)})
        window.session.put(piece, "Fill in")
        window.foot.fit.setFocus()
        camera.study()
        camera.take("contact")

        camera.start("walk-ticket")
        window.ladder.open(1)
        window.code.open_page("symbol")
        window.foot.fit.setFocus()
        camera.study()
        camera.take("code")
        window.session.edit("look", "Shape", shape="fused", ring="sail", eye="round")
        window.code.open_page("shapes")
        camera.study()
        camera.scroll(520)
        camera.take("shapes")
        window.session.start(camera.piece("walk-ticket"), None)
        window.code.open_page("looks")
        camera.wait(lambda: len(window.code.looks.looks) >= 8)
        camera.take("looks")
        window.choose_theme("dark")
        window.session.edit("look", "Ground", ground=Fill(colour="#f0b060"))
        window.code.open_page("colours")
        window.code.colours.folds["eye_fill"].set_open(True)
        camera.study()
        camera.scroll(150)
        camera.take("colours-dark")
        window.choose_theme("light")
        window.code.open_page("symbol")

        camera.start("path-sign")
        window.ladder.open(2)
        window.picture.place.free.click()
        window.bench.setFocus()
        camera.take("sign")
        camera.start("heron-mark")
        camera.start("lantern-walk-poster")
        window.picture.place.free.click()
        window.look_through(Lens.PLACES)
        camera.wait(lambda: window.bench.places is not None)
        window.foot.fit.setFocus()
        camera.take("places")
        window.look_through(Lens.FINISHED)
        camera.cut_out()
        camera.start("lantern-walk-poster")
        window.ladder.open(3)
        window.foot.fit.setFocus()
        camera.wait(lambda: len(window.blend._images) == 7)
        camera.take("blend")
        window.desk.export_to(camera.scratch / "lantern-walk-poster.png")
        camera.wait(lambda: window.finish.proof.proof is not None)
        camera.take("finish")

        window.notice.hide()
        camera.start("walk-ticket")
        window.ladder.open(4)
        window.logo.open_page("cost")
        camera.study()
        window.bench.setFocus()
        camera.scroll(180)
        camera.take("logo")
        window.ladder.open(5)
        window.finish.open_page("surround")
        window.foot.fit.setFocus()
        camera.scroll(180)
        camera.take("frame")
        window.choose_theme("dark")
        window.finish.open_page("caption")
        window.bench.setFocus()
        camera.scroll(180)
        camera.take("caption-dark")
        window.choose_theme("light")
        window.session.put(
            window.session.piece.model_copy(
                update={"message": Message(text=LINK), "code": Code(level="H")}
            ),
            "A link",
        )
        window.laid_desk.take_shipped("card")
        camera.wait(lambda: window.session.piece.layout.digest is not None)
        camera.study()
        window.finish.open_page("layout")
        window.bench.setFocus()
        camera.take("layout")
        camera.start("lantern-walk-poster")

        window.choose_theme("dark")
        window.session.edit("blend", "Change the strength", strength=0.34)
        window.ladder.open(3)
        window.notice.hide()
        window.look_through(Lens.XRAY)
        window.bench.close_up()
        camera.take("x-ray-dark")

        camera.start("morning-mist")
        window.look_through(Lens.FINISHED)
        window.bench.fit()
        window.ladder.open(2)
        window.picture.open_page("place")
        window.bench.setFocus()
        camera.take("picture-dark")
        window.picture.open_page("tones")
        curve = ((0.0, 0.04), (0.32, 0.22), (0.7, 0.82), (1.0, 1.0))
        window.session.prepare("curve", "Bend the curve", points=curve)
        window.session.prepare("light", "Less colour", saturation=-0.35, exposure=0.3)
        window.picture.tones.folds["curve"].set_open(True)
        window.foot.split.click()
        window.foot.fit.setFocus()
        camera.scroll(250)
        camera.take("tones-dark")
        window.shut_down()


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
