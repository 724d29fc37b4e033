"""The pool that everything runs in which may hang or die: what is sent, limits, replacement."""

import os
import signal
import subprocess
import sys
import threading
import time
from concurrent.futures import wait
from pathlib import Path

import numpy as np
import psutil
import pytest

from nimble_tile.core.errors import PictureError, UserError
from nimble_tile.core.picture.opening import Opened
from nimble_tile.core.workers import pipes, plain
from nimble_tile.core.workers.pool import (
    Crew,
    CrewExecutor,
    Kind,
    TaskFailed,
    TookTooLong,
    WorkerLost,
)
from nimble_tile.core.workers.serving import task

KIND = Kind(("numpy",), memory=1 << 30)


@task
def does(what, *values):
    """Whatever a test wants of a worker."""
    if what == "echo":
        return values
    if what == "work":
        until = time.process_time() + values[0]
        while time.process_time() < until:
            pass
        return os.getpid()
    if what == "sleep":
        time.sleep(values[0])
        return os.getpid()
    if what == "die":
        os.kill(os.getpid(), signal.SIGSEGV)
    if what == "fill":
        return np.ones(values[0], np.uint8).size
    if what == "refuse":
        raise PictureError("It is too blue.", "Use less blue.")
    if what == "environment":
        return os.environ.get(values[0])
    print("chatter on standard output", flush=True)
    raise ValueError("bad day")


@task
def counts(most):
    for number in range(most):
        yield number, np.full((2, 3), number)


def not_a_task():
    return "never"


@pytest.fixture
def crew():
    made = Crew(KIND, 2)
    yield made
    made.close()


# What is sent ------------------------------------------------------------------------------


def test_data_comes_back_as_it_was():
    picture = Opened(np.arange(24, dtype=np.uint8).reshape(2, 4, 3), None, ("turned",))
    sent = (
        None, True, -3, 2.5, float("inf"), "Fähre \udcff 鷺", b"\0\xff", Path("/a/b"), (),
        [1, (2,)],
        {"a": {3: "three"}, ("b", 1): [b""]}, picture, np.zeros((0, 3), np.float32),
        np.array([[True, False]]), np.float32(1.5),
    )  # fmt: skip
    found = plain.unpacked([bytes(part) for part in plain.packed(sent)])
    assert found[:11] == sent[:11] and [type(v) for v in found[:11]] == [type(v) for v in sent[:11]]
    assert (found[11].rgb == picture.rgb).all() and found[11].notes == ("turned",)
    assert not found[11].rgb.flags.writeable
    assert found[12].shape == (0, 3) and found[13].dtype == bool and found[14] == 1.5


def test_what_is_no_data_is_neither_sent_nor_taken():
    for bad in (object(), {1, 2}, lambda: 1, np.array([object()]), os.environ.__class__):
        with pytest.raises(plain.NotPlain):
            plain.packed(bad)
    nested = []
    for _ in range(200):
        nested = [nested]
    with pytest.raises(plain.NotPlain):
        plain.packed(nested)
    hostile = [
        b"{", b"\xff", b'{"object": "os:system", "fields": {"command": "touch x"}}',
        b'{"object": "nimble_tile.core.files:Aside", "fields": {}}', b'{"array": 1}',
        b'{"bytes": 3}',
        b'{"array": 1, "of": "|O", "shape": [1]}', b'{"array": 1, "of": "|u1", "shape": [1000000]}',
        b'{"array": 1, "of": "|u1", "shape": [-8]}', b'{"array": 1, "of": "|u1", "shape": "8"}',
        b'{"object": "nimble_tile.core.picture.opening:Opened", "fields": {"evil": 1}}',
        b'{"tuple": 3}', b'{"mapping": [[[1], 2]]}', b"[" * 3000 + b"]" * 3000,
    ]  # fmt: skip
    for text in hostile:
        with pytest.raises(plain.NotPlain):
            plain.unpacked([text, b"12345678"])


def test_a_worker_that_claims_too_much_is_not_believed():
    ours, theirs = os.pipe()
    try:
        os.write(theirs, pipes.COUNT.pack(1) + pipes.LENGTH.pack(1 << 60))
        with pytest.raises(ValueError, match="too large"):
            pipes.receive(ours, 1 << 30, time.monotonic() + 5)
    finally:
        os.close(ours)
        os.close(theirs)


# Limits, death, replacement --------------------------------------------------------------------


def test_work_is_done_and_what_goes_wrong_is_told(crew):
    values = crew.ask(does, "echo", "a", np.eye(2))
    assert values[0] == "a" and (values[1] == np.eye(2)).all()
    with pytest.raises(PictureError, match="too blue") as told:
        crew.ask(does, "refuse")
    assert told.value.way_out == "Use less blue." and isinstance(told.value, UserError)
    with pytest.raises(TaskFailed, match="ValueError: bad day"):
        crew.ask(does, "else")
    with pytest.raises(MemoryError):
        crew.ask(does, "fill", 2 << 30)
    with pytest.raises(TaskFailed, match="LookupError"):
        crew.ask(not_a_task)
    with pytest.raises(TaskFailed):
        crew.ask("os:system", "true")
    assert len(crew.workers) == 1  # all of that was one worker, and it lives
    assert [int(image[0, 0]) for _, image in crew.stream(counts, 4)] == [0, 1, 2, 3]


def test_limits_count_the_workers_own_work_and_not_the_clock(crew):
    crew.ask(does, "echo")
    with pytest.raises(TookTooLong):
        crew.ask(does, "work", 30, limit=0.3)
    # It does nothing for longer than it may work: that is no reason to end it.
    assert crew.ask(does, "sleep", 0.8, limit=0.3) in crew.workers
    with pytest.raises(TookTooLong):
        crew.ask(does, "sleep", 30, limit=0.3, patience=0.6)
    # Nor is a machine on which others work: a quarter of a processor is left for each.
    idle = [subprocess.Popen([sys.executable, "-c", "while True: pass"])
            for _ in range(3 * os.cpu_count())]  # fmt: skip
    try:
        crew.ask(does, "work", 0.8, limit=1.6)
    finally:
        for process in idle:
            process.kill()
            process.wait()


def test_a_worker_that_dies_costs_its_own_task_alone():
    pool = CrewExecutor(KIND, 2)
    whole = [pool.submit(does, "echo", number) for number in range(10)]
    dead = pool.submit(does, "die")
    after = [pool.submit(does, "echo", number) for number in range(10)]
    wait([*whole, dead, *after], timeout=60)
    assert [each.result() for each in (*whole, *after)] == [(n,) for n in range(10)] * 2
    assert isinstance(dead.exception(), WorkerLost)
    assert not isinstance(dead.exception(), TookTooLong)
    pool.shutdown()
    with pytest.raises(RuntimeError):
        pool.submit(does, "echo")


def test_workers_are_stopped_at_once_and_streams_end_where_nobody_listens(crew):
    told = []

    def sleep():
        try:
            crew.ask(does, "sleep", 60)
        except WorkerLost as error:
            told.append(error)

    thread = threading.Thread(target=sleep)
    thread.start()
    while not crew.workers:
        time.sleep(0.01)
    begun = time.monotonic()
    crew.stop()
    thread.join(10)
    assert told and time.monotonic() - begun < 5
    stream = crew.stream(counts, 1000)
    next(stream)
    stream.close()
    assert crew.ask(does, "echo", 1) == (1,)


def test_workers_and_the_process_they_are_copies_of_are_replaced(crew, monkeypatch):
    first = crew.ask(does, "work", 0)
    nursery = psutil.Process(first).ppid()
    os.kill(nursery, signal.SIGKILL)
    psutil.wait_procs([psutil.Process(first)] if psutil.pid_exists(first) else [], 10)
    monkeypatch.setenv("NIMBLE_TILE_TEST", "told")
    second = crew.ask(does, "work", 0)
    assert second != first and psutil.Process(second).ppid() not in (nursery, os.getpid())
    third = Crew(KIND, 1)
    assert third.ask(does, "environment", "NIMBLE_TILE_TEST") == "told"
    monkeypatch.delenv("NIMBLE_TILE_TEST")
    third.rest()
    assert third.ask(does, "environment", "NIMBLE_TILE_TEST") is None
    third.close()


PROGRAM = """
import sys, time
sys.path.insert(0, sys.argv[1])
from test_workers import KIND, does
from nimble_tile.core.workers.pool import Crew
crew = Crew(KIND, 1)
print(crew.ask(does, "work", 0), flush=True)
crew.ask(does, "sleep", 600)
"""


def test_no_worker_outlives_a_program_that_is_killed(tmp_path):
    program = subprocess.Popen(
        [sys.executable, "-c", PROGRAM, Path(__file__).parent], stdout=subprocess.PIPE, text=True
    )
    worker = psutil.Process(int(program.stdout.readline()))
    nursery = worker.parent()
    program.kill()
    program.wait()
    _, left = psutil.wait_procs([worker, nursery], timeout=20)
    assert not [process for process in left if process.status() != psutil.STATUS_ZOMBIE]
