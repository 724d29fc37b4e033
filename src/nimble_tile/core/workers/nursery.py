"""The process that all workers are copies of.

It loads what workers need, once, and divides itself whenever one is asked for: a worker is there
within milliseconds, and the libraries lie in memory once. It has no threads and opens nothing
that is foreign. Ends, and its workers with it, when the program that began it does.

Requests and answers are JSON on a socket of packets, with descriptors beside them.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import importlib
import json
import os
import signal
import socket
import sys
import time
from typing import Any

LARGEST = 1 << 18
"""Bytes of a request."""

REAPING = 2.0
"""Seconds within which a process that was killed is gone."""

_PR_SET_PDEATHSIG = 1  # linux/prctl.h


def serve(number: int) -> None:
    """Answer requests until the other side closes."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the program itself decides what is left
    channel = socket.socket(fileno=number)
    ended: dict[int, int] = {}
    while True:
        try:
            request, descriptors, _, _ = socket.recv_fds(channel, LARGEST, 4)
        except OSError:
            return
        if not request:
            return
        _collect(ended)
        asked = json.loads(request)
        if asked["do"] == "start":
            _start(asked, descriptors, channel)
        else:
            status = _status(asked["pid"], ended)
            channel.send(json.dumps({"status": status}).encode())


def _start(asked: dict[str, Any], descriptors: list[int], channel: socket.socket) -> None:
    handle = None
    try:
        told: dict[str, Any] = {}
        for module in asked["preload"]:
            with contextlib.suppress(ImportError):  # the worker says so when it needs it
                importlib.import_module(module)
        gc.collect()
        gc.freeze()  # what is loaded stays, and its memory is shared as long as nobody looks at it
        pid = os.fork()
        if pid == 0:
            _become(asked, descriptors, channel)
        handle = os.pidfd_open(pid)
        told = {"pid": pid}
    except OSError as error:
        told = {"error": str(error)}
    finally:
        for descriptor in descriptors:
            os.close(descriptor)
    with contextlib.suppress(OSError):
        handles = [] if handle is None else [handle]
        socket.send_fds(channel, [json.dumps(told).encode()], handles)
    if handle is not None:
        os.close(handle)


def _become(asked: dict[str, Any], descriptors: list[int], channel: socket.socket) -> None:
    """Be a worker; never returns."""
    try:
        channel.close()
        if not asked["outlives"]:
            ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
        sys.path[:] = [*asked["path"], *(path for path in sys.path if path not in asked["path"])]
        for name, text in asked["environment"].items():
            os.environ.pop(name, None)
            if text is not None:
                os.environ[name] = text
        from nimble_tile.core.workers import serving

        serving.serve(*descriptors, asked["memory"], asked["prepare"])
    finally:
        os._exit(0)


def _collect(ended: dict[int, int]) -> None:
    """Note how workers have ended."""
    while True:
        try:
            pid, status = os.waitpid(-1, os.WNOHANG)
        except ChildProcessError:
            return
        if pid == 0:
            return
        ended[pid] = os.waitstatus_to_exitcode(status)


def _status(pid: int, ended: dict[int, int]) -> int | None:
    """How a worker has ended: its status, or less than 0 by a signal; None: it has not."""
    until = time.monotonic() + REAPING
    while pid not in ended and time.monotonic() < until:
        _collect(ended)
        time.sleep(0.002)
    return ended.pop(pid, None)


if __name__ == "__main__":
    serve(int(sys.argv[1]))
