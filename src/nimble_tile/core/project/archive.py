"""The project file: an open zip of ``piece.json`` and the original pictures.

Members
-------
``piece.json``
    ``{"format": "nimble-tile project", "schema": 7, "piece": {…}, "drafts": [{…}]}``.
``pictures/<sha256>``
    Bytes of each picture file, untouched, named by their digest: those of the
    piece and of all drafts.
``drafts/<key>.png``
    A small picture of each draft, for the shelf. A project opens without them.
"""

from __future__ import annotations

import hashlib
import json
import os
import struct
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from pydantic import ValidationError

from nimble_tile.core.errors import PictureError, ProjectError, file_error
from nimble_tile.core.files import open_ordinary, write_atomically
from nimble_tile.core.foreign import apart
from nimble_tile.core.language import tr
from nimble_tile.core.picture.opening import MOST_BYTES, open_picture
from nimble_tile.core.picture.store import Lease, PictureStore
from nimble_tile.core.piece import SCHEMA, Piece
from nimble_tile.core.project.drafts import MOST_DRAFTS, MOST_THUMB, THUMB, Draft
from nimble_tile.core.scan.readers import versions

SUFFIX = ".nimbletile"
FORMAT = "nimble-tile project"

MOST_JSON = 16 << 20
"""Bytes of ``piece.json`` that are read at most."""
MOST_MEMBERS = 10_000
"""Members of the archive at most."""
MOST_WHOLE, LEAST_WHOLE, SWELLS = 2 << 30, 64 << 20, 4
"""Bytes of all members together at most; and so many times the file's own size, or the least if
that is more. What we write hardly swells, as pictures are stored as they are."""
PNG = b"\x89PNG\r\n\x1a\n"
"""How a PNG file begins; its width and height follow at byte 16 (ISO/IEC 15948)."""

READ_LIMIT = 60.0
"""Seconds of work that reading a project may take."""

MOST_RATIO = 200
"""Expansion that a member may claim; pictures hardly compress, bombs do."""


@dataclass(frozen=True)
class Project:
    """What a project file holds.

    Attributes
    ----------
    piece : Piece
    drafts : tuple of Draft
    pictures : PictureStore
        A store of its own, which whoever accepts the project takes over.
    readers : dict of str to str
        Versions of the readers that judged the drafts, by their names.
    """

    piece: Piece
    drafts: tuple[Draft, ...] = ()
    pictures: PictureStore = field(default_factory=PictureStore, compare=False)
    readers: dict[str, str] = field(default_factory=dict)

    @property
    def otherwise(self) -> str:
        """Which readers of the drafts' verdicts are others here, in words; empty: none, or there
        is nothing to tell."""
        if not any(draft.state for draft in self.drafts):
            return ""
        now = versions()
        return ", ".join(
            f"{name} {then}" for name, then in self.readers.items() if now.get(name, then) != then
        )


def save(piece: Piece, pictures: Lease, path: Path, drafts: Sequence[Draft] = ()) -> None:
    """Save a project; on any failure the last good file stays.

    Raises
    ------
    ProjectError
        The file cannot be written.
    """
    document = {
        "format": FORMAT,
        "schema": SCHEMA,
        "piece": json.loads(piece.model_dump_json(by_alias=True)),
    }
    if drafts:
        # What is known of them, these readers have said.
        document["readers"] = versions()
        document["drafts"] = [json.loads(d.model_dump_json(by_alias=True)) for d in drafts]
    digests = dict.fromkeys(d for each in (piece, *(d.piece for d in drafts)) for d in each.digests)

    def write(file: BinaryIO) -> None:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("piece.json", json.dumps(document, ensure_ascii=False, indent=1))
            for digest in digests:
                data = pictures.file(digest)
                place = _picture_place(digest)
                archive.writestr(place, data, compress_type=zipfile.ZIP_STORED)
            for draft in drafts:
                if draft.thumb:
                    place = _thumb_place(draft.key)
                    archive.writestr(place, draft.thumb, compress_type=zipfile.ZIP_STORED)
        _proved(file, Path(path).name)

    write_atomically(Path(path), write, ProjectError, "save")


def _proved(file: BinaryIO, name: str) -> None:
    """Refuse to save what would not be opened again."""
    file.flush()
    with zipfile.ZipFile(file) as archive:
        try:
            members = _checked(archive, name, os.fstat(file.fileno()).st_size)
            large = members["piece.json"].file_size > MOST_JSON
        except ProjectError:
            large = True
    if large:
        raise ProjectError(
            tr("{name} was not saved: it is larger than what can be opened again.", name=name),
            tr("Remove some drafts, or bring in smaller pictures."),
        )


def load(path: Path, pictures: Lease) -> Piece:
    """The piece of a project, its pictures held by a lease; see `load_project`."""
    project = load_project(path)
    with pictures.take_over(project.pictures):
        pictures.hold(project.piece.digests)
    return project.piece


def load_project(path: Path) -> Project:
    """Open a project.

    Raises
    ------
    ProjectError
        Not a project, damaged, from a newer version, or hostile.
    """
    path, pictures = Path(path), PictureStore()
    project = _document(document_of(path, path.name), path.name)
    pieces = (project.piece, *(draft.piece for draft in project.drafts))
    digests = list(dict.fromkeys(digest for piece in pieces for digest in piece.digests))
    thumbs = [_thumb_place(draft.key) for draft in project.drafts]
    found = members_of(path, [_picture_place(digest) for digest in digests], thumbs, path.name)
    names = {piece.picture.digest: piece.picture.name for piece in reversed(pieces)}
    drawings = {digest for piece in pieces for digest in piece.logo.digests}
    for digest, data in zip(digests, found, strict=False):
        if hashlib.sha256(data).hexdigest() != digest:
            raise _hostile(path.name, tr("a picture of it is damaged"))
        called = names.get(digest) or tr("A picture inside")
        _take(data, called, pictures, path.name, digest in drawings)
    drafts = tuple(
        draft.model_copy(update={"thumb": _thumb(data, path.name)})
        for draft, data in zip(project.drafts, found[len(digests) :], strict=True)
    )
    return Project(project.piece, drafts, pictures, project.readers)


# What is in the file; read in a worker, as it may be anybody's -------------------------------


@apart(READ_LIMIT)
def document_of(path: Path, name: str) -> bytes:
    """The text that describes a project, once nothing in the file is hostile."""
    with _opened(path, name) as (archive, members):
        if "piece.json" not in members:
            raise _no_project(name)
        return _read(archive, members["piece.json"], MOST_JSON, name)


@apart(READ_LIMIT)
def members_of(path: Path, needed: list[str], wished: list[str], name: str) -> list[bytes]:
    """Members that a project needs, and then those that it can do without; these are empty where
    they are missing, damaged or too large."""
    with _opened(path, name) as (archive, members):
        if any(place not in members for place in needed):
            raise _hostile(name, tr("a picture of it is missing"))
        return [
            *(_read(archive, members[place], MOST_BYTES, name) for place in needed),
            *(_wished(archive, members.get(place), name) for place in wished),
        ]


def _wished(archive: zipfile.ZipFile, info: zipfile.ZipInfo | None, name: str) -> bytes:
    try:
        return b"" if info is None else _read(archive, info, MOST_THUMB, name)
    except (ProjectError, zipfile.BadZipFile, zlib.error, EOFError):
        return b""


@contextmanager
def _opened(path: Path, name: str) -> Iterator[tuple[zipfile.ZipFile, dict[str, zipfile.ZipInfo]]]:
    """The archive and its members by name."""
    try:
        with open_ordinary(path, ProjectError) as file, zipfile.ZipFile(file) as archive:
            yield archive, _checked(archive, name, os.fstat(file.fileno()).st_size)
    except OSError as error:
        raise file_error(ProjectError, "open", path, error) from error
    except (
        zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError,
    ) as error:  # fmt: skip
        raise ProjectError(
            tr("{name} is not a project of this program, or it is damaged.", name=name),
            tr("Open another file or an older copy of it."),
        ) from error


def _no_project(name: str) -> ProjectError:
    return ProjectError(
        tr("{name} is not a project of this program.", name=name), tr("Open another file.")
    )


def _picture_place(digest: str) -> str:
    return f"pictures/{digest}"


def _thumb_place(key: str) -> str:
    return f"drafts/{key}.png"


def _checked(archive: zipfile.ZipFile, name: str, size: int) -> dict[str, zipfile.ZipInfo]:
    """Members by name, once none of them is hostile; `size`: bytes of the whole file."""
    infos = archive.infolist()
    members = {info.filename: info for info in infos}
    if len(infos) > MOST_MEMBERS or len(members) != len(infos):
        raise _hostile(name, tr("its contents are not laid out as a project's"))
    if sum(info.file_size for info in infos) > min(MOST_WHOLE, max(LEAST_WHOLE, SWELLS * size)):
        raise _hostile(name, tr("what is inside it would swell beyond measure"))
    for info in infos:
        parts = info.filename.replace("\\", "/").split("/")
        if info.filename.startswith(("/", "\\")) or ".." in parts or ":" in parts[0]:
            raise _hostile(name, tr("a path inside it climbs out of the file"))
        if info.flag_bits & 1:
            raise _hostile(name, tr("it is encrypted"))
        if info.file_size > MOST_BYTES:
            raise _hostile(name, tr("something inside it is larger than 1 GiB"))
        if info.file_size > 1 << 20 and info.file_size > MOST_RATIO * max(1, info.compress_size):
            raise _hostile(name, tr("something inside it would swell beyond measure"))
    return members


def _hostile(name: str, why: str) -> ProjectError:
    return ProjectError(
        tr("{name} was not opened: {why}.", name=name, why=why), tr("Open another file.")
    )


def _read(archive: zipfile.ZipFile, info: zipfile.ZipInfo, most: int, name: str) -> bytes:
    """Bytes of a member, never more than it claims nor than allowed."""
    if info.file_size > most:
        raise _hostile(name, tr("{filename} is too large", filename=info.filename))
    with archive.open(info) as member:
        data = member.read(info.file_size + 1)
    if len(data) != info.file_size:
        raise _hostile(name, tr("{filename} is not as long as it claims", filename=info.filename))
    return data


def _document(raw: bytes, name: str) -> Project:
    """The piece and the drafts, without their small pictures."""
    try:
        document = json.loads(raw.decode("utf-8"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise _hostile(name, tr("its piece.json cannot be read")) from error
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise _no_project(name)
    schema = document.get("schema")
    if isinstance(schema, int) and schema > SCHEMA:
        raise ProjectError(
            tr("{name} was saved by a newer version of this program.", name=name),
            tr("Update the program."),
        )
    drafts = document.get("drafts", [])
    if not isinstance(drafts, list) or len(drafts) > MOST_DRAFTS:
        raise _hostile(
            name,
            tr("it does not hold a list of up to {most_drafts} drafts", most_drafts=MOST_DRAFTS),
        )
    try:
        piece = Piece.model_validate_json(json.dumps(document.get("piece")), strict=False)
        made = tuple(Draft.model_validate_json(json.dumps(d), strict=False) for d in drafts)
    except (ValidationError, ValueError, RecursionError) as error:
        detail = ""
        if isinstance(error, ValidationError):
            first = error.errors()[0]
            detail = f" ({'.'.join(map(str, first['loc'])) or 'piece'})"
        raise _hostile(
            name, tr("a setting in its piece.json is not possible{detail}", detail=detail)
        ) from error
    if len({draft.key for draft in made}) != len(made):
        raise _hostile(name, tr("two of its drafts have one key"))
    told = document.get("readers")
    known = told if isinstance(told, dict) else {}
    readers = {str(n)[:40]: str(v)[:40] for n, v in list(known.items())[:20]}
    return Project(piece, made, readers=readers)


def _thumb(data: bytes, name: str) -> bytes:
    """A draft's small picture; nothing where it is missing, damaged or large."""
    try:
        # The size first, as the file begins with it: nothing large is ever decoded.
        if data[:8] != PNG or max(struct.unpack(">II", data[16:24])) > THUMB:
            return b""
        open_picture(data, name)
    except (PictureError, struct.error):
        return b""
    return data


def _take(
    data: bytes, picture_name: str, pictures: PictureStore, name: str, drawings: bool
) -> None:
    try:
        pictures.add(data, picture_name, drawings)
    except PictureError as error:
        raise ProjectError(
            tr("{name} was not opened: {what}", name=name, what=error.what), error.way_out
        ) from error
