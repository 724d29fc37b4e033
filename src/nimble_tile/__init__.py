"""Nimble Tile: QR codes blended into artwork, and proved to scan.

The calls for scripts are those of `nimble_tile.library`; they are loaded when they are used.
"""

from typing import Any

__version__ = "0.1.0"

DESKTOP_ID = "example.nimbletile.NimbleTile"
"""Name of the program among the desktop's files."""

_CALLS = (
    "Judged", "Mended", "UserError", "Work", "Written", "batch", "export", "gentlest", "judge",
    "load", "make", "mend", "render", "save", "weave",
)  # fmt: skip


def __getattr__(name: str) -> Any:
    if name in _CALLS:
        from nimble_tile import library

        return getattr(library, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted([*globals(), *_CALLS])
