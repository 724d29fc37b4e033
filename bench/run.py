"""Speed against named baselines, measured in the same run; prints ratios and limits.

Each baseline and the thing measured are run alternately, several times, and
the median of the ratios of neighbours in time counts, so that a machine whose
speed changes under way changes both. Names of parts as arguments run these alone.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from collections.abc import Callable

import large

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

ROUNDS = 9


def timed(action: Callable[[], object]) -> float:
    begun = time.perf_counter()
    action()
    return time.perf_counter() - begun


def compare(
    what: str,
    action: Callable[[], object],
    against: str,
    baseline: Callable[[], object],
    limit: float,
    rounds: int = ROUNDS,
) -> bool:
    """Print the median ratio and whether it is within the limit."""
    action(), baseline()
    ours, theirs = [], []
    for _ in range(rounds):
        theirs.append(timed(baseline))
        ours.append(timed(action))
    own, base = statistics.median(ours), statistics.median(theirs)
    ratio = statistics.median(a / b for a, b in zip(ours, theirs, strict=True))
    good = ratio <= limit
    print(
        f"{what}: {own * 1e3:.1f} ms; {against}: {base * 1e3:.1f} ms; "
        f"ratio {ratio:.2f}, limit {limit:g}: {'met' if good else 'NOT MET'}",
        flush=True,
    )
    return good


def edit_to_picture() -> list[bool]:
    """From a moved slider to the finished preview of 1024 pixels."""
    import cv2

    from nimble_tile.core.piece import Blend
    from nimble_tile.core.render import Renderer
    from nimble_tile.demo import demo_pieces

    pieces, pictures = demo_pieces()
    mist = pieces["morning-mist"]
    # The hardest case: the whole 1024 × 1024 image is code.
    square = mist.picture.model_copy(
        update={"region": None, "digest": pieces["heron-mark"].picture.digest}
    )
    whole = mist.model_copy(update={"picture": square})
    renderer, results = Renderer(pictures), []
    for method, mode, limit in (
        ("tone", "normal", 4), ("overlay", "normal", 4), ("overlay", "multiply", 4),
        ("overlay", "soft-light", 4), ("overlay", "hue", 4), ("dots", "normal", 4),
        ("cut", "normal", 4), ("grain", "normal", 12), ("ink", "normal", 12),
        ("strokes", "normal", 12),
    ):  # fmt: skip
        image = renderer.render(whole, 1024).image
        strengths = iter(i / 1000 for i in range(300, 1000))

        def edit(method=method, mode=mode, strengths=strengths) -> None:
            blend = Blend(method=method, mode=mode, strength=next(strengths))
            renderer.render(whole.model_copy(update={"blend": blend}), 1024)

        def round_trip(image=image) -> None:
            cv2.cvtColor(cv2.cvtColor(image, cv2.COLOR_RGB2LAB), cv2.COLOR_LAB2RGB)

        results.append(
            compare(f"edit to picture, {method} {mode}, 1024 px", edit,
                    "RGB-Lab-RGB by OpenCV", round_trip, limit)
        )  # fmt: skip
    return results


def verdict() -> list[bool]:
    """A whole verdict against the four readers called bare on the view that it gives them."""
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.scan.framed import framed_view
    from nimble_tile.core.scan.judging import judge_rendering
    from nimble_tile.core.scan.readers import READERS, to_grey
    from nimble_tile.demo import demo_pieces

    pieces, pictures = demo_pieces()
    renderer, bay = Renderer(pictures), ReaderBay()
    readers = [make() for make in READERS.values()]
    results = []
    try:
        for name, strength in (
            ("lantern-walk-poster", 0.6), ("morning-mist", 0.6), ("morning-mist", 0.0),
            ("heron-mark", 0.7),
        ):  # fmt: skip
            rendering = renderer.render(pieces[name].edited("blend", strength=strength), 1024)
            grey, _ = framed_view(to_grey(rendering.image), rendering.box)

            def bare(grey=grey) -> None:
                for reader in readers:
                    reader.read(grey)

            results.append(
                compare(f"verdict on {name} at {strength:g}",
                        lambda r=rendering: judge_rendering(r, bay),
                        "four bare readers", bare, 1.3)
            )  # fmt: skip
    finally:
        bay.close()
    return results


BARE = """
import cv2, numpy
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
"""
OURS = """
from nimble_tile.ui.app import application
from nimble_tile.ui.window import Window
app = application()
window = Window()
window.show()
app.processEvents()
import os; os._exit(0)
"""


def start() -> list[bool]:
    """A new process until the window is up and answers, against a bare one."""

    # As installed: with bytecode, which the first, unmeasured run writes.
    env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def run(code: str) -> Callable[[], object]:
        return lambda: subprocess.run([sys.executable, "-c", code], check=True, env=env)

    return [
        compare("start to usable window", run(OURS), "bare Qt window with numpy and OpenCV",
                run(BARE), 2)
    ]  # fmt: skip


def outline() -> list[bool]:
    """The outline of a fused symbol of version 20, against skia's union of its modules."""
    import numpy as np
    import skia

    from nimble_tile.core.piece import Code, Message
    from nimble_tile.core.symbol.encode import encode
    from nimble_tile.core.symbol.looks.paths import path_data
    from nimble_tile.core.symbol.looks.trace import fused

    symbol = encode(Message(text="https://lanternwalk.example/dusk"), Code(version="20"))

    def trace() -> None:
        path_data(fused(symbol.dark, 1, 0.5, 0.35))

    def union() -> None:
        builder = skia.OpBuilder()
        for row, column in zip(*np.nonzero(symbol.dark), strict=True):
            one = skia.Path()
            one.addRoundRect(skia.Rect.MakeXYWH(float(column), float(row), 1, 1), 0.3, 0.3)
            builder.add(one, skia.PathOp.kUnion_PathOp)
        builder.resolve()

    good = compare("fused outline of version 20, with its path data", trace,
                   "union of its modules by skia", union, 1, rounds=5)  # fmt: skip
    once = min(timed(trace) for _ in range(5))
    print(f"fused outline of version 20: {once * 1e3:.0f} ms; wanted: at most 150 ms")
    return [good, once <= 0.15]


def logos() -> list[bool]:
    """Searches for a logo on a symbol of version 10, against the readers' looks at it."""
    from nimble_tile.core.additions import Logo, Logos
    from nimble_tile.core.coverage.largest import best_place, largest
    from nimble_tile.core.piece import Code, Message, Piece
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.scan.readers import READERS, to_grey
    from nimble_tile.demo import demo_pieces

    _, pictures = demo_pieces()
    mark = demo_pieces()[0]["walk-ticket"].logo.items[0].digest
    piece = Piece(
        message=Message(text="https://lanternwalk.example/" + "a" * 120),
        code=Code(level="Q", version="10", raise_level=False),
        logo=Logos(items=(Logo(digest=mark, size=0.2),)),
    )
    renderer, bay = Renderer(pictures), ReaderBay()
    bay.warm()
    grey = to_grey(renderer.render(piece, 640).image)
    readers = [make() for make in READERS.values()]

    def looks() -> None:
        for reader in readers:
            reader.read(grey)

    found = []
    for name, search in (("largest logo that holds", largest), ("best place", best_place)):
        found.append(
            compare(f"{name}, version 10", lambda s=search: s(renderer, piece, 0, 0.3, bay),
                    "one look of all four readers at 640 pixels", looks, 15, rounds=5)
        )  # fmt: skip
        once = min(timed(lambda s=search: s(renderer, piece, 0, 0.3, bay)) for _ in range(3))
        print(f"{name}: {once:.2f} s; wanted: at most 1 s")
        found.append(once <= 1)
    bay.close()
    return found


def steering() -> list[bool]:
    """All eight masks steered, beside segno making the same symbol with automatic mask."""
    import cv2
    import numpy as np
    import segno

    from nimble_tile.core.piece import Code, Message
    from nimble_tile.core.symbol.encode import encode
    from nimble_tile.core.symbol.freedom import freedom
    from nimble_tile.core.symbol.steering import Steering, Wanted

    text, results = "https://lanternwalk.example/dusk/path7", []
    rng = np.random.default_rng(1)
    for version, limit in (("12", 4), ("25", 4), ("40", 4)):
        symbol = encode(Message(text=text), Code(version=version, level="L", raise_level=False))
        tones = cv2.GaussianBlur(rng.normal(size=symbol.dark.shape), (0, 0), 3)
        wanted = Wanted(tones < 0, np.abs(tones))

        def steer(symbol=symbol, wanted=wanted) -> None:
            Steering(symbol, freedom(symbol), wanted.weight).solve(wanted)

        def plain(version=version) -> None:
            segno.make(text, version=int(version), error="l", boost_error=False)

        results.append(
            compare(f"steering {version}-L, all masks", steer, "segno, automatic mask", plain,
                    limit, 5)
        )  # fmt: skip
    return results


def trials() -> list[bool]:
    """The full set on a piece of 1024 pixels, beside the readers called bare on its frames."""
    import cv2

    from nimble_tile.core.render import Renderer
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.scan.readers import READERS, to_grey
    from nimble_tile.core.trials.camera import Studio
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import shipped
    from nimble_tile.core.trials.subject import subject_of
    from nimble_tile.demo import demo_pieces

    pieces, pictures = demo_pieces()
    renderer, bay, results = Renderer(pictures), ReaderBay(), []
    readers = [make() for make in READERS.values()]
    cores = os.cpu_count() or 1
    try:
        for name in ("lantern-walk-poster", "morning-mist", "heron-mark"):
            subject = subject_of(renderer.render(pieces[name], 1024))
            both = (subject, subject.usual)
            ours, allowed, shares = [], [], []
            for _ in range(5):
                threads = cv2.getNumThreads()
                cv2.setNumThreads(1)
                begun = time.perf_counter()
                studios = [Studio(one) for one in both]
                frames = [studio.frame(trial).image for studio in studios for trial in shipped()]
                made = time.perf_counter() - begun
                greys = [to_grey(frame) for frame in frames]
                begun = time.perf_counter()
                for grey in greys:
                    for reader in readers:
                        reader.read(grey)
                bare = time.perf_counter() - begun
                cv2.setNumThreads(threads)
                ours.append(timed(lambda s=subject: list(Room(bay).run(s, shipped(), thumbs=True))))
                allowed.append(1.2 * bare / cores + made)
                shares.append(made / bare)
            ratio = statistics.median(a / b for a, b in zip(ours, allowed, strict=True))
            good = ratio <= 1
            print(
                f"trials of {name}: {len(frames)} frames in {statistics.median(ours):.2f} s; "
                f"1.2 × bare readers ÷ {cores} cores + making frames: "
                f"{statistics.median(allowed):.2f} s; ratio {ratio:.2f}, limit 1: "
                f"{'met' if good else 'NOT MET'} (frames {statistics.median(shares):.2f} × bare "
                "readers)",
                flush=True,
            )
            results.append(good)
    finally:
        bay.close()
    return results


def main() -> int:
    parts = {
        "edit": edit_to_picture, "verdict": verdict, "outline": outline, "start": start,
        "logo": logos, "trials": trials, "steering": steering,
        "advice": lambda: large.advice(timed), "export": lambda: large.export_time(compare),
        "memory": large.export_memory,
    }  # fmt: skip
    chosen = sys.argv[1:] or list(parts)
    results = [good for name in chosen for good in parts[name]()]
    return 0 if all(results) else 1


if __name__ == "__main__":
    sys.exit(main())
