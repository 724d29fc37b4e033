"""The candidate board's file: what is to be painted, what was, and what readers made of it.

It is written candidate by candidate, so that a crash costs at most the one that was being
painted. SQLite in WAL mode; only one program works on a board at a time.
"""

from __future__ import annotations

import fcntl
import json
import sqlite3
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

from pydantic import ValidationError

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.piece import Piece
from nimble_tile.studio.recipes import Recipe

SCHEMA = 1

MOST_ON_BOARD = 500
"""Candidates on one board."""

NEAR = 0.8
"""Share of the modules that are right from which a picture that does not scan well is a near
miss: chance alone makes half of them right."""

_TABLES = """
CREATE TABLE candidates (
    id INTEGER PRIMARY KEY, name TEXT NOT NULL, message TEXT NOT NULL, recipe TEXT,
    state TEXT NOT NULL DEFAULT 'waiting', piece TEXT, image BLOB, before BLOB, thumb BLOB,
    verdict TEXT, words TEXT NOT NULL DEFAULT '', reach REAL, likeness REAL, agrees REAL,
    readers INTEGER, able INTEGER, stars INTEGER NOT NULL DEFAULT 0, note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE TABLE pictures (key TEXT PRIMARY KEY, image BLOB NOT NULL) STRICT;
"""

State = Literal["waiting", "known", "failed"]


class Taken(UserError):
    """Another window works on the board."""


@dataclass(frozen=True, eq=False)
class Candidate:
    """One picture on the board.

    Attributes
    ----------
    id : int
    name : str
    message : str
        What its code is to say.
    recipe : Recipe or None
        None: it was made elsewhere.
    state : {"waiting", "known", "failed"}
    piece : Piece or None
        The picture with its symbol and place; None while it is not known, or where no code was
        found on it.
    verdict : {"well", "thin", "fails"} or None
    words : str
        The verdict in words, or what went wrong.
    reach : float or None
    likeness : float or None
        To the unguided painting, at viewing distance.
    agrees : float or None
        Share of its modules that are right.
    readers, able : int
        How many readers read it straight on, and of how many.
    stars : int
        The designer's, 0 to 5.
    mended : bool
    note : str
        What is worth knowing besides.
    """

    id: int
    name: str
    message: str
    recipe: Recipe | None = None
    state: State = "waiting"
    piece: Piece | None = None
    verdict: Literal["well", "thin", "fails"] | None = None
    words: str = ""
    reach: float | None = None
    likeness: float | None = None
    agrees: float | None = None
    readers: int = 0
    able: int = 0
    stars: int = 0
    mended: bool = False
    note: str = ""

    @property
    def reads(self) -> bool:
        """Whether it scans."""
        return self.verdict in ("well", "thin")

    @property
    def lost(self) -> bool:
        """Whether there is a picture on which no code was found."""
        return self.state == "known" and self.piece is None and self.verdict == "fails"

    @property
    def near(self) -> bool:
        """Whether it is a near miss, worth mending."""
        short = self.verdict in ("thin", "fails")
        return short and not self.mended and (self.agrees or 0) >= NEAR


@dataclass(frozen=True, eq=False)
class Answer:
    """What is known of a picture once it was tried; see `Candidate`."""

    piece: Piece | None
    verdict: str | None
    words: str
    reach: float | None = None
    likeness: float | None = None
    agrees: float | None = None
    readers: int = 0
    able: int = 0
    note: str = ""


_FIELDS = (
    "id, name, message, recipe, state, piece, verdict, words, reach, likeness, agrees, readers, "
    "able, stars, before IS NOT NULL, note"
)


@dataclass
class _Lock:
    """The right to work on a board; it ends with the process."""

    path: Path
    file: object = field(init=False)

    def __post_init__(self) -> None:
        self.file = self.path.open("a")
        try:
            fcntl.flock(self.file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self.file.close()
            raise Taken(
                tr("Another window of the program works on this board."),
                tr("Close it there first."),
            ) from None

    def release(self) -> None:
        self.file.close()


class BoardFile:
    """A board on disk. Safe to use from several threads.

    Parameters
    ----------
    path : Path
        Made, with its folder, where it does not exist.

    Raises
    ------
    UserError
        It cannot be opened or written, is none, or is open elsewhere.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._thread = threading.RLock()
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._held = _Lock(path.with_suffix(".lock"))
        except OSError as error:
            raise _trouble(path, error) from error
        try:
            self._file = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
            self._file.execute("PRAGMA journal_mode=WAL")
            (version,) = self._file.execute("PRAGMA user_version").fetchone()
            if version == 0:
                self._file.executescript(f"BEGIN;{_TABLES}PRAGMA user_version={SCHEMA};COMMIT;")
            elif version != SCHEMA:
                raise UserError(tr("The board {name} comes from a newer version.", name=path.name))
        except (OSError, sqlite3.Error) as error:
            self._held.release()
            raise _trouble(path, error) from error
        except UserError:
            self._held.release()
            raise

    def close(self) -> None:
        with self._thread:
            self._file.close()
            self._held.release()

    @contextmanager
    def _work(self) -> Iterator[sqlite3.Connection]:
        with self._thread:
            try:
                yield self._file
            except (OSError, sqlite3.Error) as error:
                raise _trouble(self.path, error) from error

    # Candidates ------------------------------------------------------------------------------

    def candidates(self) -> list[Candidate]:
        """All of them, in the order in which they came."""
        with self._work() as file:
            rows = file.execute(f"SELECT {_FIELDS} FROM candidates ORDER BY id").fetchall()
        return [_candidate(row) for row in rows]

    def candidate(self, number: int) -> Candidate | None:
        """One of them; None where it is gone."""
        with self._work() as file:
            found = file.execute(
                f"SELECT {_FIELDS} FROM candidates WHERE id = ?", (number,)
            ).fetchone()
        return None if found is None else _candidate(found)

    def ask(self, message: str, recipes: Iterable[Recipe]) -> list[int]:
        """Candidates that are to be painted; what is there already is not asked for again.

        Returns
        -------
        list of int
            Those that are new.

        Raises
        ------
        UserError
            The board is full.
        """
        there = {(c.message, c.recipe) for c in self.candidates() if c.recipe is not None}
        new = [recipe for recipe in recipes if (message, recipe) not in there]
        return self._add([(recipe.name, message, recipe.as_json(), None) for recipe in new])

    def bring(self, message: str, name: str, image: bytes) -> int:
        """A picture that was made elsewhere (a PNG, JPEG … file)."""
        return self._add([(name, message, None, image)])[0]

    def _add(self, rows: list[tuple]) -> list[int]:
        with self._work() as file:
            (count,) = file.execute("SELECT count(*) FROM candidates").fetchone()
            if count + len(rows) > MOST_ON_BOARD:
                raise UserError(
                    tr(
                        "A board holds up to {most_on_board} candidates.",
                        most_on_board=MOST_ON_BOARD,
                    ),
                    tr("Remove some of them."),
                )
            file.execute("BEGIN IMMEDIATE")
            try:
                new = [
                    file.execute(
                        "INSERT INTO candidates (name, message, recipe, image) VALUES (?, ?, ?, ?)",
                        row,
                    ).lastrowid
                    for row in rows
                ]
            except BaseException:
                file.execute("ROLLBACK")
                raise
            file.execute("COMMIT")
        return new

    def put(self, number: int, image: bytes, thumb: bytes, answer: Answer) -> None:
        """A candidate is painted and tried; `thumb`: a small PNG of it."""
        with self._work() as file:
            file.execute(
                "UPDATE candidates SET image = ?, thumb = ?, state = 'known', piece = ?, "
                "verdict = ?, words = ?, reach = ?, likeness = ?, agrees = ?, readers = ?, "
                "able = ?, note = ? WHERE id = ?",
                (image, thumb, *_told(answer), number),
            )

    def mend(self, number: int, image: bytes, thumb: bytes, answer: Answer) -> None:
        """A candidate was mended; the picture as it was stays beside it."""
        with self._work() as file:
            file.execute(
                "UPDATE candidates SET before = coalesce(before, image), image = ?, thumb = ?, "
                "piece = ?, verdict = ?, words = ?, reach = ?, likeness = ?, agrees = ?, "
                "readers = ?, able = ?, note = ? WHERE id = ?",
                (image, thumb, *_told(answer), number),
            )

    def fail(self, number: int, why: str) -> None:
        """A candidate cannot be painted or tried."""
        with self._work() as file:
            file.execute(
                "UPDATE candidates SET state = 'failed', words = ? WHERE id = ?", (why, number)
            )

    def note(self, number: int, note: str) -> None:
        """What is worth knowing of a candidate besides."""
        with self._work() as file:
            file.execute("UPDATE candidates SET note = ? WHERE id = ?", (note, number))

    def like(self, number: int, likeness: float) -> None:
        """How like a candidate is to its unguided painting."""
        with self._work() as file:
            file.execute("UPDATE candidates SET likeness = ? WHERE id = ?", (likeness, number))

    def star(self, number: int, stars: int) -> None:
        """The designer's stars, 0 to 5."""
        with self._work() as file:
            file.execute("UPDATE candidates SET stars = ? WHERE id = ?", (stars, number))

    def remove(self, numbers: Iterable[int]) -> None:
        """Take candidates off the board."""
        with self._work() as file:
            file.executemany("DELETE FROM candidates WHERE id = ?", [(n,) for n in numbers])

    def clear(self) -> None:
        """An empty board; the room on the disk is given back."""
        with self._work() as file:
            file.executescript("DELETE FROM candidates; DELETE FROM pictures; VACUUM;")

    def thumb(self, number: int) -> bytes | None:
        """A small picture of a candidate (PNG); None where there is none."""
        with self._work() as file:
            found = file.execute("SELECT thumb FROM candidates WHERE id = ?", (number,)).fetchone()
        return None if found is None else found[0]

    def image(self, number: int, before: bool = False) -> bytes | None:
        """A candidate's picture file; `before`: as it was before it was mended."""
        column = "before" if before else "image"
        with self._work() as file:
            found = file.execute(
                f"SELECT {column} FROM candidates WHERE id = ?", (number,)
            ).fetchone()
        return None if found is None else found[0]

    # Pictures to begin from, and unguided paintings ---------------------------------------------

    def keep(self, key: str, image: bytes) -> None:
        """Keep a picture file by a key."""
        with self._work() as file:
            file.execute("INSERT OR REPLACE INTO pictures VALUES (?, ?)", (key, image))

    def kept(self, key: str) -> bytes | None:
        """A picture file by its key."""
        with self._work() as file:
            found = file.execute("SELECT image FROM pictures WHERE key = ?", (key,)).fetchone()
        return None if found is None else found[0]


def _told(answer: Answer) -> tuple:
    piece = None if answer.piece is None else answer.piece.model_dump_json()
    return (
        piece, answer.verdict, answer.words, answer.reach, answer.likeness, answer.agrees,
        answer.readers, answer.able, answer.note,
    )  # fmt: skip


def _candidate(row: tuple) -> Candidate:
    names = (
        "id", "name", "message", "recipe", "state", "piece", "verdict", "words", "reach",
        "likeness", "agrees", "readers", "able", "stars", "mended", "note",
    )  # fmt: skip
    told = dict(zip(names, row, strict=True))
    told["mended"] = bool(told["mended"])
    told["readers"], told["able"] = told["readers"] or 0, told["able"] or 0
    recipe, piece = told.pop("recipe"), told.pop("piece")
    try:
        return Candidate(
            **told,
            recipe=None if recipe is None else Recipe.from_json(recipe),
            piece=None if piece is None else Piece.model_validate_json(piece),
        )
    except (ValueError, TypeError, KeyError, ValidationError):
        # A newer program, or a damaged file: it is shown, and cannot be used.
        bare = Candidate(told["id"], told["name"], told["message"])
        return replace(bare, state="failed", words=tr("What is kept of it cannot be read."))


def _trouble(path: Path, error: Exception) -> UserError:
    if isinstance(error, sqlite3.DatabaseError) and "not a database" in str(error):
        return UserError(
            tr("{name} is no candidate board.", name=path.name), tr("Remove it, or choose another.")
        )
    return UserError(
        tr(
            "The board {name} cannot be kept: {dumps}.",
            name=path.name,
            dumps=json.dumps(str(error)),
        ),
        tr("See whether the disk is full or the folder read-only."),
    )


def usual_folder() -> Path:
    """Where the boards of this user are kept."""
    from platformdirs import user_data_path

    return user_data_path("nimble-tile") / "boards"


def open_board(folder: Path | None = None) -> BoardFile:
    """The newest board of a folder that is open nowhere else, or a new one."""
    folder = folder or usual_folder()
    for number in range(1, 100):
        try:
            return BoardFile(folder / f"board-{number}.sqlite3")
        except Taken:
            continue
    raise UserError(tr("There are too many boards open."), tr("Close a window."))
