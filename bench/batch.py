"""Batches: 500 codes against bare rendering and reading; memory over 20,000 rows; 1 and 2 workers.

Usage: batch.py [speed | memory | workers]...; all of them by default.
"""

import os
import shutil
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import psutil

from nimble_tile.core.batch.names import Pattern
from nimble_tile.core.batch.rows import rows_in
from nimble_tile.core.batch.run import Order, local_pool, run
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.project.looks import by_name
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.readers import READERS

# What is installed is compiled; some machines forbid that to what runs from a folder.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
sys.dont_write_bytecode = False

SIDE = 600
LOOK = "Tide"
SAMPLE = 100


def table(folder: Path, count: int) -> Path:
    path = folder / "rows.csv"
    with path.open("w") as file:
        file.write("message,name\n")
        for number in range(1, count + 1):
            file.write(f"https://lanternwalk.example/ticket/{number:06},ticket {number}\n")
    return path


def order(folder: Path) -> Order:
    pictures = PictureStore()
    piece = Piece(look=by_name(LOOK, pictures)).edited("finish", size=SIDE)
    return Order(folder / "out", piece, pictures, Pattern("{row:6}"))


def bare(one: Order, count: int) -> float:
    """Seconds that a code takes to be rendered and read by four readers, and nothing else."""
    import cv2

    cv2.setNumThreads(1)
    renderer = Renderer(one.pictures)
    readers = [make() for make in READERS.values()]
    pieces = [
        one.piece.model_copy(
            update={"message": Message(kind="text",
                                       text=f"https://lanternwalk.example/ticket/{n:06}")}
        )
        for n in range(1, count + 11)
    ]  # fmt: skip
    begun = 0.0
    for number, piece in enumerate(pieces):
        if number == 10:
            begun = time.perf_counter()
        image = renderer.render(piece).image
        for reader in readers:
            assert any(found.text == piece.message.text for found in reader.read(image))
    return (time.perf_counter() - begun) / count


def bare_on_all(cores: int) -> float:
    """The same while every core does it: two at once may not run as fast as one alone."""
    with ProcessPoolExecutor(cores, mp_context=get_context("spawn")) as pool:
        return sum(pool.map(_bare, range(cores))) / cores


def _bare(_: int) -> float:
    return bare(order(Path(tempfile.gettempdir())), SAMPLE)


def begun_anew(count: int, workers: int) -> float:
    """`timed` in a process of its own, for which nothing is loaded yet but what it needs itself."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(timed, count, workers).result()


def timed(count: int, workers: int, step=lambda done, kept: None) -> float:
    folder = Path(tempfile.mkdtemp(prefix="nimble-tile-bench-"))
    try:
        one = order(folder)
        rows = rows_in(table(folder, count))
        begun = time.perf_counter()
        summary = run(rows, one, lambda: local_pool(workers), workers, step=step)
        assert summary.done == count and not summary.failed, summary.failed[:3]
        return time.perf_counter() - begun
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def speed(rounds: int = 5) -> None:
    cores = os.cpu_count() or 1
    took, base, bares = [], [], [bare_on_all(cores)]
    for _ in range(rounds):
        took.append(begun_anew(500, cores))
        # Before and after, as machines do not run at one speed.
        bares.append(bare_on_all(cores))
        base.append((bares[-2] + bares[-1]) / 2 * 500 / cores)
        print(
            f"500 codes with a look at {SIDE} px on {cores} cores: {took[-1]:.1f} s; bare render "
            f"and reader times over cores: {base[-1]:.1f} s ({bares[-2] * 1000:.0f} and "
            f"{bares[-1] * 1000:.0f} ms a code); ratio {took[-1] / base[-1]:.2f}",
            flush=True,
        )
    middle = sorted(one / other for one, other in zip(took, base, strict=True))[rounds // 2]
    print(f"Ratio: {sum(took) / sum(base):.2f} over all, {middle:.2f} in the median")


def memory(count: int = 20_000) -> None:
    me = psutil.Process()
    seen: list[tuple[int, float, float]] = []

    def step(done, kept) -> None:
        if done.row % 1000 == 0:
            own = me.memory_info().rss / 1e6
            others = sum(child.memory_info().rss for child in me.children(recursive=True)) / 1e6
            seen.append((done.row, own, others))
            print(f"row {done.row}: {own:.0f} MB here, {others:.0f} MB in all workers", flush=True)

    took = timed(count, os.cpu_count() or 1, step)
    early = [entry for entry in seen if entry[0] <= count * 0.2]
    late = [entry for entry in seen if entry[0] > count * 0.8]
    for index, what in ((1, "here"), (2, "in the workers")):
        first = sum(entry[index] for entry in early) / len(early)
        last = sum(entry[index] for entry in late) / len(late)
        print(f"{what}: the last fifth over the first: {last / first:.2f}")
    print(f"{count} rows in {took:.0f} s: {count / took:.1f} rows a second")


def workers() -> None:
    for count in (1, 2):
        took = timed(300, count)
        print(f"{count} worker{'s' if count > 1 else ''}: {300 / took:.1f} rows a second")


if __name__ == "__main__":
    for name in sys.argv[1:] or ("speed", "workers", "memory"):
        {"speed": speed, "memory": memory, "workers": workers}[name]()
