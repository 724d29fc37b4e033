"""Batches: 500 codes against bare rendering and reading; memory over 20,000 rows; 1 and 2 workers.

Usage: batch.py [speed | memory | workers]...; all of them by default.
"""

import os
import shutil
import sys
import tempfile
import time
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
    from concurrent.futures import ProcessPoolExecutor
    from multiprocessing import get_context

    with ProcessPoolExecutor(cores, mp_context=get_context("spawn")) as pool:
        return sum(pool.map(_bare, range(cores))) / cores


def _bare(_: int) -> float:
    return bare(order(Path(tempfile.gettempdir())), SAMPLE)


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


def speed() -> None:
    cores = os.cpu_count() or 1
    ratios = []
    for _ in range(3):
        # Before and after, as machines do not run at one speed.
        first = bare_on_all(cores)
        took = timed(500, cores)
        second = bare_on_all(cores)
        base = (first + second) / 2 * 500 / cores
        ratios.append(took / base)
        print(
            f"500 codes with a look at {SIDE} px on {cores} cores: {took:.1f} s; bare render and "
            f"reader times over cores: {base:.1f} s ({first * 1000:.0f} and {second * 1000:.0f} "
            f"ms a code); ratio {took / base:.2f}"
        )
    print(f"Median ratio: {sorted(ratios)[1]:.2f}")


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
