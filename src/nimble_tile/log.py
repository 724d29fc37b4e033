"""The log file: what went wrong inside, with tracebacks, for whoever looks into it."""

from __future__ import annotations

import logging
from functools import cache
from logging.handlers import RotatingFileHandler
from pathlib import Path

MOST_LOG_BYTES = 512 << 10
"""Bytes after which the file is put aside; one older file is kept."""


def path() -> Path:
    """``$XDG_STATE_HOME/nimble-tile/nimble-tile.log``."""
    from platformdirs import user_state_path

    return user_state_path("nimble-tile") / "nimble-tile.log"


@cache
def _logger(file: Path) -> logging.Logger:
    made = logging.getLogger(f"nimble_tile.{file}")
    made.propagate = False
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(
            file,
            maxBytes=MOST_LOG_BYTES,
            backupCount=1,
            encoding="utf-8",
            errors="backslashreplace",
        )
    except OSError:  # a place that cannot be written must not stop anything
        handler = logging.NullHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(message)s"))
    made.addHandler(handler)
    made.setLevel(logging.INFO)
    return made


def logger() -> logging.Logger:
    """What writes into the file; for libraries that would else write to the terminal."""
    return _logger(path())


def fault(where: str, error: BaseException) -> Path:
    """Write down an error that nobody foresaw; returns the file."""
    file = path()
    _logger(file).error("%s", where, exc_info=error)
    return file
