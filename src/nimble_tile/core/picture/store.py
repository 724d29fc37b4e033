"""The original pictures of pieces, by digest, and who holds them."""

from __future__ import annotations

import hashlib
import threading
from collections import Counter, deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Self

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


class _Shelf:
    """What all leases of one store share."""

    def __init__(self) -> None:
        self.files: dict[str, bytes] = {}
        self.about: dict[str, About] = {}
        self.memory = Memory(KEPT_DECODED)
        self._holders: Counter[str] = Counter()
        self._ended: deque[Iterable[str]] = deque()
        self._lock = threading.Lock()

    @contextmanager
    def locked(self) -> Iterator[None]:
        """Nobody else changes anything meanwhile."""
        with self._lock:
            self._let_go()
            yield
        self.tidy()

    def hold(self, digests: Iterable[str]) -> None:
        """One more holder of each; call within `locked`."""
        self._holders.update(digests)

    def end(self, digests: Iterable[str]) -> None:
        """One holder less of each.

        A lease may end at any moment, also while this thread is inside `locked`: what is in
        the way then is done a moment later.
        """
        self._ended.append(digests)
        self.tidy()

    def tidy(self) -> None:
        """Let go what ended leases have held, unless somebody is at it."""
        while self._ended and self._lock.acquire(blocking=False):
            try:
                self._let_go()
            finally:
                self._lock.release()

    def _let_go(self) -> None:
        while self._ended:
            for digest in self._ended.popleft():
                self._holders[digest] -= 1
                if self._holders[digest] <= 0:
                    del self._holders[digest]
                    self.files.pop(digest, None)
                    self.about.pop(digest, None)
                    self.memory.drop("decoded", digest)


class Lease:
    """The right to pictures of a store: what it holds stays, and what no lease holds is let go.

    Bytes of picture files, untouched, and their decoded form, which all leases of a store share.
    A lease ends with `release`, at the end of a ``with``, or when nothing refers to it any more.
    Safe to use from several threads.
    """

    def __init__(self, shelf: _Shelf, digests: Iterable[str] = ()) -> None:
        self._shelf = shelf
        self._held: set[str] = set()
        self.hold(digests)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.release()

    def __del__(self) -> None:
        if self._held:
            self._shelf.end(tuple(self._held))

    # Holding -----------------------------------------------------------------------------

    def hold(self, digests: Iterable[str]) -> None:
        """Hold these, too."""
        with self._shelf.locked():
            self._hold(digests)

    def _hold(self, digests: Iterable[str]) -> None:
        new = set(digests) - self._held
        self._shelf.hold(new)
        self._held |= new

    def release(self) -> None:
        """Hold nothing any more."""
        held, self._held = self._held, set()
        if held:
            self._shelf.end(tuple(held))

    def lease(self, digests: Iterable[str] = ()) -> Lease:
        """Another lease of the same store, of these."""
        return Lease(self._shelf, digests)

    def lease_all(self) -> Lease:
        """Another lease of the same store, of everything that is there now."""
        made = Lease(self._shelf)
        with self._shelf.locked():
            made._hold(self._shelf.files)
        return made

    def take_over(self, other: Lease) -> Lease:
        """Take in what another store has, which has decoded it already; a lease of that."""
        made = Lease(self._shelf)
        with other._shelf.locked():
            files, about = dict(other._shelf.files), dict(other._shelf.about)
        with self._shelf.locked():
            made._hold(files)
            for digest, data in files.items():
                self._shelf.files.setdefault(digest, data)
                self._shelf.about.setdefault(digest, about[digest])
        for digest in files:
            decoded = other._shelf.memory.get("decoded", digest)
            if decoded is not None:
                self._shelf.memory.put("decoded", digest, decoded)
        return made

    # Taking in ---------------------------------------------------------------------------

    def add(self, data: bytes, name: str = tr("The picture"), drawings: bool = False) -> str:
        """Take a picture in, once it is known to decode; this lease holds it.

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

    def add_mask(self, mask: np.ndarray) -> str:
        """Take a mask in; returns its digest. See `nimble_tile.core.picture.masks`."""
        from nimble_tile.core.picture.masks import as_file

        return self.add_own(as_file(mask), tr("The mask"))

    def add_own(self, data: bytes, name: str) -> str:
        """Take in a drawing that the program itself has made: it needs no worker."""
        return self._take(data, lambda: open_picture.here(data, name))

    def _take(self, data: bytes, decode: Callable[[], Opened]) -> str:
        digest = hashlib.sha256(data).hexdigest()
        shelf = self._shelf
        with shelf.locked():
            known = digest in shelf.files
            if known:
                self._hold((digest,))
        if not known:
            opened = decode()
            with shelf.locked():
                shelf.files[digest] = data
                shelf.about[digest] = About(opened.size, opened.alpha is not None, opened.notes)
                self._hold((digest,))
            shelf.memory.put("decoded", digest, opened)
        return digest

    # Looking up --------------------------------------------------------------------------

    def file(self, digest: str) -> bytes:
        """The original bytes; `PictureError` if they are not here."""
        with self._shelf.locked():
            try:
                return self._shelf.files[digest]
            except KeyError:
                raise PictureError(
                    tr("The picture of this piece is missing."), tr("Bring it in again.")
                ) from None

    def about(self, digest: str) -> About:
        """Size and kind of a picture, at once; `PictureError` if it is not here."""
        self.file(digest)
        with self._shelf.locked():
            return self._shelf.about[digest]

    def opened(self, digest: str) -> Opened:
        """The decoded picture; `PictureError` if it is not here."""
        data = self.file(digest)
        # Vector files were accepted when the picture came in.
        return self._shelf.memory.recall(
            "decoded", digest, lambda: open_picture(data, drawings=True)
        )

    def mask(self, digest: str) -> np.ndarray:
        """A mask of the store (uint8 H × W); `PictureError` if it is not here."""
        return self.opened(digest).rgb[..., 0]

    def __contains__(self, digest: object) -> bool:
        with self._shelf.locked():
            return digest in self._shelf.files


class PictureStore(Lease):
    """A store of its own, and its first lease: what is added here stays as long as it does."""

    def __init__(self) -> None:
        super().__init__(_Shelf())
