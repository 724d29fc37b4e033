"""What the desk keeps: links, where they have led, and how often they were followed.

References
----------
SQLite, "Write-Ahead Logging": readers and one writer at the same time; with `synchronous`
at FULL, what was committed outlives a crash and a loss of power.
"""

from __future__ import annotations

import csv
import io
import sqlite3
import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from pathlib import Path

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.standins.linkdesk.links import (
    PORT,
    Link,
    address,
    checked,
    key_of,
    new_key,
    public_of,
)  # fmt: skip
from nimble_tile.standins.linkdesk.rules import KINDS

SCHEMA = 2

_TABLES = """
CREATE TABLE links (
    key TEXT PRIMARY KEY, target TEXT NOT NULL, made TEXT NOT NULL, expires TEXT,
    fallback TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE TABLE targets (
    key TEXT NOT NULL REFERENCES links(key) ON DELETE CASCADE, since TEXT NOT NULL,
    target TEXT NOT NULL
) STRICT;
CREATE TABLE counts (
    key TEXT NOT NULL REFERENCES links(key) ON DELETE CASCADE, day TEXT NOT NULL,
    tag TEXT NOT NULL, count INTEGER NOT NULL, PRIMARY KEY (key, day, tag)
) STRICT, WITHOUT ROWID;
"""

_SETTINGS = "CREATE TABLE settings (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT"
"""New in schema 2."""

COLUMNS = ("key", "target", "expires", "fallback", "note")
"""Of the table of links that is written and read as CSV."""

MOST_BYTES = 64 << 20
"""Of a table that is read."""

MOST_ROWS = 100_000
"""Rows of a table that is read."""


@dataclass(frozen=True)
class Count:
    """How often a link was followed on one day, with one campaign tag."""

    key: str
    day: date
    tag: str
    count: int


@dataclass(frozen=True)
class Led:
    """Where a link led, and from when on."""

    since: datetime
    target: str


def usual_file() -> Path:
    """Where the desk of this user is kept."""
    from platformdirs import user_data_path

    return user_data_path("nimble-tile") / "links.sqlite3"


class DeskStore:
    """The file of a link desk. Safe to use from several threads and processes.

    Parameters
    ----------
    path : Path
        Made, with its folder, where it does not exist.
    port : int
        Where the desk answers: links must not lead there.
    patience : float
        Seconds to wait while another program writes.

    Raises
    ------
    UserError
        It cannot be opened, is none, or comes from a newer version of the program. So does
        every method where the file cannot be used any more, or another program is writing.
    """

    def __init__(self, path: Path, port: int = PORT, patience: float = 10.0) -> None:
        self.path, self.port = path, port
        self._lock = threading.RLock()
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = sqlite3.connect(
                path, timeout=patience, isolation_level=None, check_same_thread=False
            )
        except (OSError, sqlite3.Error) as error:
            raise UserError(
                tr("The link desk’s file {path} cannot be opened: {error}.", path=path, error=error)
            ) from None
        try:
            self._open()
        except sqlite3.Error as error:
            self._file.close()
            raise self._trouble(error) from None
        except UserError:
            self._file.close()
            raise

    def _open(self) -> None:
        run = self._file.execute
        run("PRAGMA journal_mode = WAL")
        run("PRAGMA synchronous = FULL")
        run("PRAGMA foreign_keys = ON")
        run("PRAGMA trusted_schema = OFF")
        with self._changing():  # another process may be making it at this very moment
            version = run("PRAGMA user_version").fetchone()[0]
            if version == 0 and not run("SELECT 1 FROM sqlite_schema LIMIT 1").fetchone():
                for statement in (*_TABLES.split(";"), _SETTINGS):
                    run(statement)
                run(f"PRAGMA user_version = {SCHEMA}")
            elif version == 1:
                run(_SETTINGS)
                run(f"PRAGMA user_version = {SCHEMA}")
            elif version != SCHEMA:
                raise UserError(
                    tr(
                        "{path} is not a link desk’s file of this version of the program.",
                        path=self.path,
                    )
                )

    def _trouble(self, error: sqlite3.Error) -> UserError:
        """What the database says, and what to do, in sentences."""
        code = getattr(error, "sqlite_errorcode", None)
        primary = None if code is None else code & 0xFF
        if primary in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            return UserError(
                tr("Another program is writing to the link desk’s file."),
                tr("Try again in a moment."),
            )
        way_out = tr("Move it away, and a new one will be made.")
        if primary == sqlite3.SQLITE_FULL:
            way_out = tr("Free some space on the disk; nothing is lost.")
        elif primary in (sqlite3.SQLITE_READONLY, sqlite3.SQLITE_PERM, sqlite3.SQLITE_CANTOPEN):
            way_out = tr("See whether you may write there.")
        elif primary == sqlite3.SQLITE_IOERR:
            way_out = tr("See whether the disk is full or gone; nothing that was kept is lost.")
        return UserError(
            tr("The link desk’s file {path} cannot be used: {error}.", path=self.path, error=error),
            way_out,
        )

    def close(self) -> None:
        """Close the file."""
        with self._lock:
            self._file.close()

    @contextmanager
    def _changing(self) -> Iterator[None]:
        """All or nothing."""
        with self._lock:
            try:
                self._file.execute("BEGIN IMMEDIATE")
                try:
                    yield
                    self._file.execute("COMMIT")
                except BaseException:
                    if self._file.in_transaction:
                        self._file.execute("ROLLBACK")
                    raise
            except sqlite3.Error as error:
                raise self._trouble(error) from error

    def _rows(self, what: str, *values: object) -> list[tuple]:
        with self._lock:
            try:
                return self._file.execute(what, values).fetchall()
            except sqlite3.Error as error:
                raise self._trouble(error) from error

    # The public address --------------------------------------------------------------

    @property
    def public(self) -> str:
        """The designer's own address at which links are printed; empty: there is none."""
        rows = self._rows("SELECT value FROM settings WHERE name = 'public'")
        return rows[0][0] if rows else ""

    def set_public(self, text: str) -> str:
        """Print links at another address from now on; the form in which it is kept.

        Raises
        ------
        UserError
            See `nimble_tile.standins.linkdesk.links.public_of`.
        """
        made = public_of(text)
        with self._changing():
            self._file.execute(
                "INSERT INTO settings VALUES ('public', ?)"
                " ON CONFLICT DO UPDATE SET value = excluded.value",
                (made,),
            )
        return made

    def address(self, key: str, tag: str = "") -> str:
        """A short link as it is printed."""
        return address(key, tag, self.port, self.public)

    def key_of(self, text: str) -> str | None:
        """The key of an address of this desk; None for all other texts."""
        return key_of(text, self.port, self.public)

    def rules(self, kind: str) -> str:
        """The table for the server at the public address; `kind`: see `rules.KINDS`.

        Raises
        ------
        UserError
            There is no public address.
        """
        if not self.public:
            raise UserError(
                tr("The desk has no address of your own yet."), tr("Give it one first.")
            )
        return KINDS[kind](self.links(), self.public, _now())

    # Links -----------------------------------------------------------------------

    def add(
        self,
        target: str,
        expires: datetime | None = None,
        fallback: str = "",
        note: str = "",
        key: str | None = None,
    ) -> Link:
        """A new link.

        Raises
        ------
        UserError
            The target or the fallback cannot be one, or the key is taken.
        """
        target, fallback = checked(target, self.port), self._fallback(fallback)
        with self._changing():
            taken = {row[0] for row in self._rows("SELECT key FROM links")}
            if key is not None and key in taken:
                raise UserError(tr("There is a link {key} already.", key=key))
            made = Link(key or new_key(taken), target, _now(), expires, fallback, note)
            self._put(made)
            self._led(made)
        return made

    def change(self, link: Link) -> Link:
        """Keep a changed link; a new target goes into its history."""
        made = replace(
            link, target=checked(link.target, self.port), fallback=self._fallback(link.fallback)
        )
        with self._changing():
            before = self._known(link.key)
            self._put(made)
            if made.target != before.target:
                self._led(made)
        return made

    def remove(self, key: str) -> None:
        """Forget a link, its history and its counts."""
        with self._changing():
            self._known(key)
            self._file.execute("DELETE FROM links WHERE key = ?", (key,))

    def link(self, key: str) -> Link | None:
        """One link."""
        rows = self._rows(f"SELECT {_FIELDS} FROM links WHERE key = ?", key)
        return _link(rows[0]) if rows else None

    def links(self) -> list[Link]:
        """All links, the newest first."""
        rows = self._rows(f"SELECT {_FIELDS} FROM links ORDER BY made DESC, key")
        return [_link(row) for row in rows]

    def history(self, key: str) -> list[Led]:
        """Where a link has led, the newest first."""
        rows = self._rows(
            "SELECT since, target FROM targets WHERE key = ? ORDER BY since DESC, rowid DESC", key
        )
        return [Led(datetime.fromisoformat(since), target) for since, target in rows]

    def _fallback(self, text: str) -> str:
        return checked(text, self.port) if text.strip() else ""

    def _known(self, key: str) -> Link:
        found = self.link(key)
        if found is None:
            raise UserError(tr("There is no link {key} at the desk.", key=key))
        return found

    def _put(self, link: Link) -> None:
        self._file.execute(
            "INSERT INTO links (key, target, made, expires, fallback, note)"
            " VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (key) DO UPDATE SET target = excluded.target,"
            " expires = excluded.expires, fallback = excluded.fallback, note = excluded.note",
            (link.key, link.target, _text(link.made), _text(link.expires), link.fallback,
             link.note),
        )  # fmt: skip

    def _led(self, link: Link) -> None:
        self._file.execute(
            "INSERT INTO targets VALUES (?, ?, ?)", (link.key, _text(_now()), link.target)
        )

    # Counts ----------------------------------------------------------------------

    def count(self, followed: Iterable[tuple[str, date, str]]) -> None:
        """Count visits, (key, day, tag) each; all of them are kept once this returns."""
        with self._changing():
            self._file.executemany(
                "INSERT INTO counts SELECT key, ?2, ?3, 1 FROM links WHERE key = ?1"
                " ON CONFLICT DO UPDATE SET count = count + 1",
                [(key, day.isoformat(), tag) for key, day, tag in followed],
            )

    def counts(self, key: str | None = None) -> list[Count]:
        """Visits by day and tag, of one link or of all, in the order of days."""
        where, values = ("", ()) if key is None else (" WHERE key = ?", (key,))
        rows = self._rows(
            f"SELECT key, day, tag, count FROM counts{where} ORDER BY day, key, tag", *values
        )
        return [Count(key, date.fromisoformat(day), tag, count) for key, day, tag, count in rows]

    # Tables ----------------------------------------------------------------------

    def as_csv(self) -> str:
        """All links as a table."""
        file = io.StringIO()
        writer = csv.writer(file)
        writer.writerow(COLUMNS)
        for link in self.links():
            writer.writerow(
                [link.key, link.target, _text(link.expires) or "", link.fallback, link.note]
            )
        return file.getvalue()

    def counts_as_csv(self) -> str:
        """All visits as a table."""
        file = io.StringIO()
        writer = csv.writer(file)
        writer.writerow(("key", "day", "tag", "count"))
        writer.writerows(
            (one.key, one.day.isoformat(), one.tag, one.count) for one in self.counts()
        )
        return file.getvalue()

    def take_csv(
        self, text: str, step: Callable[[int], None] = lambda line: None
    ) -> tuple[int, int]:
        """Take in a table as `as_csv` writes it: known keys are changed, rows without a key
        become new links; how many of each.

        `step` is told each line's number; what it raises ends all, and nothing is taken.

        Raises
        ------
        UserError
            A row is wrong, and which; nothing of the table is taken then.
        """
        changed = added = 0
        try:
            rows = csv.DictReader(io.StringIO(text), strict=True)
            columns = [name.strip().lower() for name in rows.fieldnames or ()]
            if "target" not in columns or not set(columns) <= set(COLUMNS):
                raise UserError(
                    tr("The table\u2019s first line must name its columns: ")
                    + ", ".join(COLUMNS)
                    + ".",
                    tr("The column target is the only one that must be there."),
                )
            rows.fieldnames = columns
            with self._changing():
                keys = {found[0] for found in self._rows("SELECT key FROM links")}
                for number, row in enumerate(rows, 2):
                    step(number)
                    if number - 1 > MOST_ROWS:
                        raise UserError(
                            tr("The table has more than {most_rows:,} rows.", most_rows=MOST_ROWS)
                        )
                    if None in row:
                        raise UserError(
                            tr("Line {number}: there are more fields than columns.", number=number)
                        )
                    try:
                        known = self._take({k: (v or "").strip() for k, v in row.items()}, keys)
                    except UserError as error:
                        raise UserError(
                            tr("Line {number}: {what}", number=number, what=error.what),
                            error.way_out,
                        ) from None
                    changed, added = changed + known, added + (not known)
        except csv.Error as error:
            raise UserError(tr("The table cannot be read: {error}.", error=error)) from None
        return changed, added

    def _take(self, row: dict[str, str], keys: set[str]) -> bool:
        """Take in one row, inside a change; whether it was known. `keys`: those that are taken."""
        from nimble_tile.standins.linkdesk.links import ALPHABET

        key, expires = row.get("key", "").upper(), expiry(row.get("expires", ""))
        if key and not (set(key) <= set(ALPHABET) and len(key) <= 16):
            raise UserError(tr("The key {key} is none of the desk’s.", key=key[:20]))
        before = self.link(key) if key else None
        target = checked(row["target"], self.port)
        fallback = self._fallback(row.get("fallback", ""))
        if not key:
            key = new_key(keys)
        keys.add(key)
        made = Link(key, target, _now(), expires, fallback, row.get("note", ""))
        self._put(made)
        if before is None or before.target != made.target:
            self._led(made)
        return before is not None


_FIELDS = "key, target, made, expires, fallback, note"


def _link(row: tuple) -> Link:
    key, target, made, expires, fallback, note = row
    return Link(
        key, target, datetime.fromisoformat(made),
        datetime.fromisoformat(expires) if expires else None, fallback, note,
    )  # fmt: skip


def _now() -> datetime:
    return datetime.now(UTC)


def _text(time: datetime | None) -> str | None:
    return None if time is None else time.astimezone(UTC).isoformat()


def expiry(text: str) -> datetime | None:
    """A time as people write it; without a zone it is this machine's."""
    if not text:
        return None
    try:
        return datetime.fromisoformat(text).astimezone(UTC)
    except (ValueError, OverflowError):
        raise UserError(
            tr("“{text}” is no day or time.", text=text[:40]),
            tr("Write it as 2031-05-17 or 2031-05-17 18:00."),
        ) from None
