"""Making candidates: each is painted, tried as soon as it is there, and mended where that is asked.

While one is painted in the painter's process, the one before it is tried by the readers.
"""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.core.language import tr
from nimble_tile.core.message import kinds
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.picture.placing import corners
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.fidelity import measure
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol, encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.trial import Trial
from nimble_tile.core.tune import MENDED_REACH
from nimble_tile.core.tune.finished import finished_piece, place_of, same_symbol
from nimble_tile.core.tune.mend import find, mend, why_not
from nimble_tile.core.tune.proving import Proved, prove
from nimble_tile.core.tune.recover import Suspect
from nimble_tile.standins.easel import Easel
from nimble_tile.standins.painting import State
from nimble_tile.studio.board import Answer, BoardFile, Candidate
from nimble_tile.studio.recipes import Recipe

AHEAD = 2
"""Candidates that may wait to be tried or compared while the next one is painted."""

SHOWN = 420
"""Longer side, in pixels, at which a painting is shown while it grows."""

THUMB = 320
"""Longer side, in pixels, of a candidate's small picture."""

GUIDE_SHARES = tuple(np.arange(0.3, 1.0001, 0.025))
"""Sides of a code with its quiet zone, in parts of the guide's shorter side, that are tried."""

OTHER_ENCODER = tr(
    "Its code was not made here: use the picture as it is, without making the code stronger."
)


@lru_cache(maxsize=64)
def guide_symbol(text: str) -> Symbol:
    """The symbol that guides pictures of a message: level H, or the highest that fits, in the
    smallest version. Raises `MessageError` where there can be none."""
    error = None
    for level in "HQML":
        try:
            return encode(Message(text=text), Code(level=level, raise_level=False))
        except UserError as trouble:
            error = trouble
    raise error


def guide_places(symbol: Symbol, size: tuple[int, int]) -> list[np.ndarray]:
    """Where a guide's code lies on pictures of a size that keep to the guide: in the middle, as
    large as it may be there."""
    width, height = size
    places = []
    for share in GUIDE_SHARES:
        half = share * min(size) / 2 * symbol.side / (symbol.side + 2 * tables.QUIET_ZONE)
        x, y = width / 2, height / 2
        places.append(
            np.array([[x - half, y - half], [x + half, y - half], [x + half, y + half],
                      [x - half, y + half]])
        )  # fmt: skip
    return places


def unguided_key(recipe: Recipe) -> str:
    """By what a board keeps the painting without the code."""
    return hashlib.sha256(recipe.unguided.as_json().encode()).hexdigest()


@dataclass(frozen=True, eq=False)
class Told:
    """What the studio tells while it works.

    Attributes
    ----------
    number : int
        Of the candidate.
    what : {"painting", "trying", "known", "mending"}
    state : State or None
        How far the painting is.
    share : float
        Of the mending, 0 to 1.
    """

    number: int
    what: str
    state: State | None = None
    share: float = 0.0


class Studio:
    """Works on a board.

    Parameters
    ----------
    board : BoardFile
    bay : ReaderBay
    readers : sequence of str
        Those that count.
    trials : sequence of Trial
    tell : callable
        Is given a `Told`, from any thread.
    """

    def __init__(
        self,
        board: BoardFile,
        bay: ReaderBay,
        readers: Sequence[str],
        trials: Sequence[Trial],
        tell: Callable[[Told], None] = lambda told: None,
    ) -> None:
        self.board, self.bay, self.trials, self.tell = board, bay, tuple(trials), tell
        self.room = Room(bay, readers)
        self._easel: Easel | None = None
        self._stopped = False

    def stop(self) -> None:
        """End what goes on, at once; candidates that are not known yet wait for the next time."""
        self._stopped = True
        if self._easel is not None:
            self._easel.stop()

    def close(self) -> None:
        """End the painter."""
        self.stop()

    def _ended(self) -> bool:
        return self._stopped

    # Painting and trying -------------------------------------------------------------------

    def work(self) -> None:
        """Paint and try all candidates that wait.

        Raises
        ------
        Stopped
            `stop` was called.
        UserError
            The board cannot be written.
        """
        waiting = [c for c in self.board.candidates() if c.state == "waiting"]
        trying: list[Future] = []
        with ThreadPoolExecutor(1) as pool:
            try:
                for candidate in waiting:
                    if self.board.candidate(candidate.id) is None:
                        continue  # it was removed meanwhile
                    image = self._made(candidate)
                    if image is not None:
                        trying.append(pool.submit(self._try, candidate, image))
                        self._compare(candidate, pool, trying)
                    while len(trying) > AHEAD:
                        trying.pop(0).result()
                for future in trying:
                    future.result()
            except BaseException:
                self._stopped = True  # what is being tried need not be tried to its end
                raise

    def _compare(self, candidate: Candidate, pool: ThreadPoolExecutor, trying: list) -> None:
        """Paint it without the code while it is tried: what it is compared with."""
        if candidate.recipe is None or not candidate.recipe.guides:
            return
        try:
            self.unguided(candidate.recipe)
        except UserError:  # it is tried all the same
            return
        trying.append(pool.submit(self._liken, candidate.id))

    def _liken(self, number: int) -> None:
        """How like a candidate is to its unguided painting."""
        candidate = self.board.candidate(number)
        if candidate is None or candidate.state != "known" or candidate.likeness is not None:
            return
        likeness = self._likeness(candidate, self.board.image(number))
        if likeness is not None:
            self.board.like(number, likeness)
            self.tell(Told(number, "known"))

    def _made(self, candidate: Candidate) -> bytes | None:
        """The candidate's picture file; None where it cannot be painted."""
        if self._ended():
            raise Stopped
        if candidate.recipe is None:
            return self.board.image(candidate.id)
        try:
            symbol = guide_symbol(candidate.message) if candidate.recipe.guides else None
            return self._painted(candidate.recipe, symbol, candidate.id)
        except UserError as error:
            self.board.fail(candidate.id, str(error))
            self.tell(Told(candidate.id, "known"))
            return None

    def _painted(self, recipe: Recipe, symbol: Symbol | None, number: int = 0) -> bytes:
        if self._easel is None or self._easel.painter != recipe.painter:
            if self._easel is not None:
                self._easel.close()
            self._easel = Easel(recipe.painter)
        start = self.board.kept(recipe.start) if recipe.start else None
        begun = None if start is None else open_picture(start, tr("The picture to begin from")).rgb
        request = recipe.request(None if symbol is None else symbol.dark, begun)
        last = None
        for last in self._easel.paint(request, SHOWN if number else 0):
            if self._ended():
                raise Stopped
            if number:
                self.tell(Told(number, "painting", last))
        return as_png(last.image)

    def unguided(self, recipe: Recipe) -> bytes:
        """The painting without the code, from the board or painted now."""
        key = unguided_key(recipe)
        found = self.board.kept(key)
        if found is None:
            found = self._painted(recipe.unguided, None)
            self.board.keep(key, found)
        return found

    def _try(self, candidate: Candidate, image: bytes) -> None:
        if self._ended():
            raise Stopped
        self.tell(Told(candidate.id, "trying"))
        try:
            answer = self.answer(candidate, image)
            self.board.put(candidate.id, image, small(self._opened(image, candidate)), answer)
        except UserError as error:
            self._failed(candidate, image, error)
        self.tell(Told(candidate.id, "known"))

    def _failed(self, candidate: Candidate, image: bytes, error: UserError) -> None:
        """A picture that opens but holds no such code is shown all the same."""
        try:
            thumb = small(self._opened(image, candidate))
        except UserError:
            self.board.fail(candidate.id, str(error))
            return
        self.board.put(candidate.id, image, thumb, Answer(None, "fails", str(error)))

    def _opened(self, image: bytes, candidate: Candidate) -> np.ndarray:
        """A candidate's pixels; our own paintings need no worker of their own."""
        own = candidate.recipe is not None
        opened = (open_picture.here if own else open_picture)(image, candidate.name)
        return opened.over("#ffffff")

    def answer(self, candidate: Candidate, image: bytes) -> Answer:
        """What readers and trials make of a candidate's picture."""
        if candidate.recipe is not None and not candidate.recipe.guides:
            return Answer(None, None, tr("Painted without the code."))
        pictures = PictureStore()
        digest = pictures.add(image, candidate.name)
        base, note = Piece(message=kinds.understand(candidate.message)), ""
        if candidate.recipe is not None:
            symbol, size = guide_symbol(candidate.message), pictures.about(digest).size
            piece = finished_piece(base, digest, candidate.name, size, symbol, None)
        else:
            pixels = pictures.opened(digest).over("#ffffff")
            suspect = self._found(pixels, candidate.message)
            size = pixels.shape[1], pixels.shape[0]
            region, quiet = place_of(suspect.quad, suspect.symbol.side, size)
            piece = finished_piece(
                base, digest, candidate.name, size, suspect.symbol, region, quiet
            )
            note = "" if same_symbol(piece, suspect.symbol) else OTHER_ENCODER
        proved = prove(piece, Renderer(pictures), self.room, self.trials, stop=self._ended)
        return replace(_answered(piece, proved), likeness=self._likeness(candidate, image),
                       note=note)  # fmt: skip

    def _likeness(self, candidate: Candidate, image: bytes) -> float | None:
        """To the unguided painting, over the code's square; None where there is none yet."""
        plain = None
        if candidate.recipe is not None:
            plain = self.board.kept(unguided_key(candidate.recipe))
        if plain is None:
            return None
        squares = [_middle(open_picture.here(data, tr("A painting of ours")).rgb)
                   for data in (plain, image)]  # fmt: skip
        modules = guide_symbol(candidate.message).side + 2 * tables.QUIET_ZONE
        return float(np.clip(measure(*squares, modules).ssim_view, -1, 1))

    # Mending -----------------------------------------------------------------------------

    def mend(self, numbers: Sequence[int], wanted: float = MENDED_REACH) -> int:
        """Mend candidates, one after another; how many hold then.

        Raises
        ------
        Stopped
            `stop` was called; what is mended by then stays so.
        """
        held = 0
        for number in numbers:
            if self._ended():
                raise Stopped
            candidate = self.board.candidate(number)
            if candidate is None or candidate.piece is None:
                continue
            held += self._mend(candidate, wanted)
            self.tell(Told(number, "known"))
        return held

    def _mend(self, candidate: Candidate, wanted: float) -> bool:
        pixels = self._opened(self.board.image(candidate.id), candidate)

        def note(told: str) -> None:
            other = OTHER_ENCODER in candidate.note
            self.board.note(candidate.id, f"{told} {OTHER_ENCODER}" if other else told)

        try:
            suspect = self._suspect(candidate, pixels)
        except UserError as error:
            note(str(error))
            return False
        last = None
        steps = mend(pixels, suspect, self.room, self.trials, wanted, None, 0, self._ended)
        for step in steps:
            last = step
            self.tell(Told(candidate.id, "mending", share=step.share))
        if self._ended():
            raise Stopped
        best = last.best
        if best is None or not best.holds:
            told = tr("It was ended.") if best is None else why_not(best, wanted, False)
            note(told)
            return False
        if not best.touched:
            note(tr("Nothing had to be changed."))
            return True
        image, pictures = as_png(best.image), PictureStore()
        piece = candidate.piece
        picture = piece.picture.model_copy(update={"digest": pictures.add(image)})
        piece = piece.model_copy(update={"picture": picture})
        proved = prove(piece, Renderer(pictures), self.room, self.trials, stop=self._ended)
        likeness = self._likeness(candidate, image)
        note = tr("Mended: {touched} modules were changed.", touched=best.touched)
        answer = replace(_answered(piece, proved), likeness=likeness, note=note)
        self.board.mend(candidate.id, image, small(best.image), answer)
        return answer.verdict != "fails"

    def _found(self, pixels: np.ndarray, message: str) -> Suspect:
        """The symbol that stands on a picture that was made elsewhere."""
        symbol = guide_symbol(message)
        found = find(
            pixels, message, self.bay, None, self._ended, (symbol,),
            guide_places(symbol, (pixels.shape[1], pixels.shape[0])),
        )  # fmt: skip
        return found[0]

    def _suspect(self, candidate: Candidate, pixels: np.ndarray) -> Suspect:
        """The symbol that stands on a candidate."""
        piece = candidate.piece
        if OTHER_ENCODER in candidate.note:  # the piece's settings would make another symbol
            return self._found(pixels, candidate.message)
        symbol = encode(piece.message, piece.code)
        quad = _symbol_quad(piece, symbol, (pixels.shape[1], pixels.shape[0]))
        return Suspect(symbol, quad, float("inf"), float("inf"))


def _symbol_quad(piece: Piece, symbol: Symbol, size: tuple[int, int]) -> np.ndarray:
    from nimble_tile.core.picture.placing import region_on

    outer = corners(region_on(size, piece.picture.region))
    quiet, side = piece.code.quiet_zone, symbol.side
    square = quiet + np.array([[0, 0], [side, 0], [side, side], [0, side]], float)
    return mapped(matrix_to(outer, side + 2 * quiet), square)


def _answered(piece: Piece, proved: Proved) -> Answer:
    verdict = proved.verdict
    right, able = verdict.readers_right
    agrees = None if verdict.sample is None else float((verdict.sample.margin > 0).mean())
    return Answer(piece, verdict.state, verdict.words, proved.reach, None, agrees, right, able)


def _middle(image: np.ndarray) -> np.ndarray:
    """The middle square of an image."""
    height, width = image.shape[:2]
    side = min(height, width)
    top, left = (height - side) // 2, (width - side) // 2
    return np.ascontiguousarray(image[top : top + side, left : left + side])


def small(image: np.ndarray) -> bytes:
    """A small copy of an image as a PNG file."""
    import cv2

    scale = THUMB / max(image.shape[:2])
    if scale < 1:
        image = cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return as_png(image)


def as_png(image: np.ndarray) -> bytes:
    """An image (uint8 H × W × 3 sRGB) as a PNG file."""
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(image).save(out, "PNG", compress_level=3)
    return out.getvalue()
