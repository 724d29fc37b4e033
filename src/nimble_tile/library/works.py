"""What the calls for scripts take and give."""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from nimble_tile.core.errors import PictureError
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Piece
from nimble_tile.core.render import Renderer

if TYPE_CHECKING:
    from nimble_tile.core.checking.check import Finding
    from nimble_tile.core.output.export import Proof
    from nimble_tile.core.rendering import Rendering
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.tune.mend import Attempt

Image = np.ndarray
"""uint8, H × W × 3 sRGB."""


@dataclass(frozen=True, eq=False)
class Work:
    """A piece, and the pictures that it needs.

    Attributes
    ----------
    piece : Piece
        All settings; frozen.
    pictures : PictureStore
    """

    piece: Piece
    pictures: PictureStore

    @cached_property
    def renderer(self) -> Renderer:
        """What renders it, and remembers its stages."""
        return Renderer(self.pictures)

    @property
    def text(self) -> str:
        """What a scan gives back."""
        return self.renderer.symbol(self.piece).text

    def changed(self, **settings: Any) -> Work:
        """The same with some settings changed, by the names of `make`."""
        from nimble_tile.core.asked import Asker

        files, settings = arrays(settings, self.pictures)
        asked = Asker(self.pictures, files=files)
        return Work(asked.piece(self.piece.message.text, settings, self.piece), self.pictures)


@dataclass(frozen=True, eq=False)
class Judged:
    """What the readers made of an image or a work.

    Attributes
    ----------
    verdict : Verdict
        With reasons, marks of all readers, spare and, of a work on a picture, fidelity.
    reach : float or None
        Passes in the trials over those of the usual code; None without trials.
    findings : tuple of Finding
        Every code on an image; empty for a work.
    """

    verdict: Verdict
    reach: float | None = None
    findings: tuple[Finding, ...] = ()

    @property
    def state(self) -> str:
        """``"well"``, ``"thin"`` or ``"fails"``."""
        return self.verdict.state

    @property
    def scans(self) -> bool:
        """Whether it is read, and says what was meant."""
        return self.verdict.scans

    @property
    def texts(self) -> tuple[str, ...]:
        """What was read, once each."""
        return tuple(dict.fromkeys(code.text for code in self.verdict.found))

    @property
    def reasons(self) -> tuple[str, ...]:
        """Why it does not scan well, and what to do, in sentences."""
        return tuple(f"{r.text} {r.way_out}".strip() for r in self.verdict.reasons)


@dataclass(frozen=True, eq=False)
class Written:
    """A file, and what the readers found in it.

    Attributes
    ----------
    proof : Proof
    rendering : Rendering
        From which it was written.
    verdict : Verdict
        Of the file, with the fidelity of the rendering.
    """

    proof: Proof
    rendering: Rendering
    verdict: Verdict

    @property
    def scans(self) -> bool:
        """Whether the file scans."""
        return self.verdict.scans


@dataclass(frozen=True, eq=False)
class Mended:
    """A picture that was made to scan.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3
    attempt : Attempt
    rendering : Rendering
    """

    image: Image
    attempt: Attempt
    rendering: Rendering

    @property
    def reach(self) -> float:
        """What it holds now."""
        return self.attempt.reach

    @property
    def holds(self) -> bool:
        """Whether it holds the reach that was asked for."""
        return self.attempt.holds


def arrays(
    settings: Mapping[str, Any], pictures: PictureStore
) -> tuple[dict[str, bytes], dict[str, Any]]:  # fmt: skip
    """Pictures that are given as arrays, as files in memory by the name that stands for them."""
    files: dict[str, bytes] = {}
    found = dict(settings)
    for name in ("picture", "logo", "matter"):
        value = found.get(name)
        if isinstance(value, np.ndarray):
            files[f"{name} (array)"] = _as_png(value)
            found[name] = f"{name} (array)"
    return files, found


def _as_png(image: np.ndarray) -> bytes:
    from PIL import Image as Images

    if image.dtype != np.uint8 or image.ndim != 3 or image.shape[2] not in (3, 4):
        raise PictureError(
            f"An image is uint8, H × W × 3 or 4, and this is {image.dtype} {image.shape}.",
            "Convert it first.",
        )
    file = io.BytesIO()
    Images.fromarray(np.ascontiguousarray(image)).save(file, "PNG", compress_level=1)
    return file.getvalue()
