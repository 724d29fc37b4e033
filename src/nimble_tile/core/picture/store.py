"""The original pictures of a piece, by digest."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import tr
from nimble_tile.core.memory import Memory
from nimble_tile.core.picture.opening import Opened, open_picture

if TYPE_CHECKING:
    import numpy as np

KEPT_DECODED = 6
"""Decoded pictures that stay in memory; originals always do."""


@dataclass(frozen=True)
class About:
    """What is known of a picture without its pixels.

    Attributes
    ----------
    size : (int, int)
        Width and height in pixels.
    transparent : bool
        Whether any part of it is.
    notes : tuple of str
        What was done when it was opened.
    """

    size: tuple[int, int]
    transparent: bool
    notes: tuple[str, ...]


class PictureStore:
    """Bytes of picture files, untouched, and their decoded form.

    Safe to use from several threads.
    """

    def __init__(self) -> None:
        self._files: dict[str, bytes] = {}
        self._about: dict[str, About] = {}
        self._masks: set[str] = set()
        self._memory = Memory(KEPT_DECODED)
        self._lock = threading.Lock()

    def add(self, data: bytes, name: str = tr("The picture"), drawings: bool = False) -> str:
        """Take a picture in, once it is known to decode.

        Parameters
        ----------
        data : bytes
        name : str
            For messages.
        drawings : bool
            Whether SVG drawings and PDF pages are welcome, too.

        Returns
        -------
        str
            Its digest, for `nimble_tile.core.piece.Picture.digest`.

        Raises
        ------
        PictureError
            It cannot be decoded; the store is as it was.
        """
        return self._take(data, lambda: open_picture(data, name, drawings=drawings))

    def _take(self, data: bytes, decode: Callable[[], Opened]) -> str:
        digest = hashlib.sha256(data).hexdigest()
        with self._lock:
            known = digest in self._files
        if not known:
            opened = decode()
            with self._lock:
                self._files[digest] = data
                self._about[digest] = About(opened.size, opened.alpha is not None, opened.notes)
            self._memory.put("decoded", digest, opened)
        return digest

    def file(self, digest: str) -> bytes:
        """The original bytes; `PictureError` if they are not here."""
        with self._lock:
            try:
                return self._files[digest]
            except KeyError:
                raise PictureError(
                    tr("The picture of this piece is missing."), tr("Bring it in again.")
                ) from None

    def about(self, digest: str) -> About:
        """Size and kind of a picture, at once; `PictureError` if it is not here."""
        self.file(digest)
        with self._lock:
            return self._about[digest]

    def opened(self, digest: str) -> Opened:
        """The decoded picture; `PictureError` if it is not here."""
        data = self.file(digest)
        # Vector files were accepted when the picture came in.
        return self._memory.recall("decoded", digest, lambda: open_picture(data, drawings=True))

    def mask(self, digest: str) -> np.ndarray:
        """A mask of the store (uint8 H × W); `PictureError` if it is not here."""
        return self.opened(digest).rgb[..., 0]

    def add_mask(self, mask: np.ndarray) -> str:
        """Take a mask in; returns its digest. See `nimble_tile.core.picture.masks`."""
        from nimble_tile.core.picture.masks import as_file

        data = as_file(mask)
        digest = self._take(data, lambda: open_picture.here(data, tr("The mask")))  # our own file
        with self._lock:
            self._masks.add(digest)
        return digest

    def add_own(self, data: bytes, name: str) -> str:
        """Take in a drawing that the program itself has made: it needs no worker, and is forgotten
        with the masks when nothing refers to it any more, as each stroke leaves one behind."""
        digest = self._take(data, lambda: open_picture.here(data, name))
        with self._lock:
            self._masks.add(digest)
        return digest

    def keep_only(self, digests: Iterable[str], masks_alone: bool = False) -> None:
        """Forget files that nothing refers to any more.

        Parameters
        ----------
        digests : iterable of str
            What is still referred to.
        masks_alone : bool
            Only masks are forgotten: each stroke leaves one behind.
        """
        kept = set(digests)
        with self._lock:
            candidates = self._masks if masks_alone else set(self._files)
            for digest in candidates - kept:
                del self._files[digest], self._about[digest]
            self._masks &= set(self._files)

    def __contains__(self, digest: object) -> bool:
        with self._lock:
            return digest in self._files
