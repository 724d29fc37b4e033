"""Looks by name: those that ship, those that were saved, and looks as files.

A look file is one JSON object:
``{"format": "nimble-tile look", "schema": 1, "look": {…}, "pictures":
{"<sha256>": "<base64>"}}``.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
import re
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from nimble_tile.core.errors import OutputError, PictureError, ProjectError
from nimble_tile.core.files import read_document, refused, set_aside, write_atomically
from nimble_tile.core.language import tr
from nimble_tile.core.look import Look
from nimble_tile.core.picture.store import Lease, PictureStore

FORMAT = "nimble-tile look"
SCHEMA = 1
SUFFIX = ".json"

MOST_BYTES = 64 << 20
"""Bytes of a look file that are read at most."""


def shipped() -> list[Look]:
    """The looks that come with the program, in their order."""
    folder = files("nimble_tile.assets").joinpath("looks")
    found = []
    for entry in sorted(folder.iterdir(), key=lambda e: e.name):
        if entry.name.endswith(SUFFIX):
            document = json.loads(entry.read_text("utf-8"))
            look = Look.model_validate_json(json.dumps(document["look"]))
            found.append(look.model_copy(update={"name": tr(look.name)}))
    return found


def folder() -> Path:
    """Where saved looks are kept."""
    from platformdirs import user_data_path

    return user_data_path("nimble-tile") / "looks"


def saved(where: Path, pictures: Lease, troubles: list[str] | None = None) -> dict[str, Look]:
    """Saved looks by name; files that cannot be read are left out, and why goes to `troubles`."""
    found = {}
    for path in sorted(where.glob(f"*{SUFFIX}")) if where.is_dir() else ():
        try:
            look = read(path, pictures)
        except ProjectError as error:
            if troubles is not None and ".damaged-" not in path.name:
                troubles.append(error.what)
            continue
        found[look.name or path.stem] = look
    return found


def path_for(name: str, where: Path) -> Path:
    """File of a saved look."""
    plain = re.sub(r"[^\w\- ]", "", name).strip()[:40] or "look"
    tail = "" if plain == name else "-" + hashlib.sha256(name.encode()).hexdigest()[:6]
    return where / f"{plain}{tail}{SUFFIX}"


def keep(look: Look, name: str, pictures: Lease, where: Path) -> Look:
    """Save a look under a name; one of the same name is replaced.

    Raises
    ------
    OutputError
        The name is empty, or the file cannot be written.
    """
    name = " ".join(name.split())
    if not name:
        raise OutputError(tr("A look needs a name."), tr("Write one."))
    if len(name) > 80:
        raise OutputError(tr("The name is too long."), tr("Use at most 80 characters."))
    named = look.model_copy(update={"name": name})
    try:
        where.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        from nimble_tile.core.errors import file_error

        raise file_error(OutputError, "make", where, error) from error
    path = path_for(name, where)
    if path.is_file():
        try:
            read(path, PictureStore())
        except ProjectError:
            set_aside(path)
    write(named, pictures, path)
    return named


def forget(name: str, where: Path) -> None:
    """Delete a saved look."""
    path_for(name, where).unlink(missing_ok=True)


def write(look: Look, pictures: Lease, path: Path) -> None:
    """Write a look as one file, its pictures inside.

    Raises
    ------
    OutputError
        The file cannot be written.
    """
    document = {
        "format": FORMAT,
        "schema": SCHEMA,
        "look": json.loads(look.model_dump_json(exclude_defaults=True)),
        "pictures": {
            digest: base64.b64encode(pictures.file(digest)).decode("ascii")
            for digest in look.digests
        },
    }
    data = json.dumps(document, ensure_ascii=False, indent=1).encode("utf-8")
    write_atomically(Path(path), lambda file: file.write(data), OutputError, "write")


def read(path: Path, pictures: Lease) -> Look:
    """Read a look file and take its pictures into the store.

    Raises
    ------
    ProjectError
        It cannot be read, is no look, or is damaged; the store is unchanged
        unless everything was in order.
    """
    path = Path(path)
    document = read_document(path, FORMAT, SCHEMA, MOST_BYTES, tr("a look"))
    try:
        look = Look.model_validate_json(json.dumps(document.get("look")), strict=False)
    except (ValidationError, ValueError, RecursionError) as error:
        detail = ""
        if isinstance(error, ValidationError):
            detail = f" ({'.'.join(map(str, error.errors()[0]['loc'])) or 'look'})"
        raise refused(path, tr("a setting in it is not possible{detail}", detail=detail)) from None
    found = {}
    inside = document.get("pictures")
    for digest in look.digests:
        text = inside.get(digest) if isinstance(inside, dict) else None
        if not isinstance(text, str):
            raise refused(path, tr("a picture of it is missing"))
        try:
            found[digest] = base64.b64decode(text, validate=True)
        except (binascii.Error, ValueError):
            raise refused(path, tr("a picture of it is damaged")) from None
        if hashlib.sha256(found[digest]).hexdigest() != digest:
            raise refused(path, tr("a picture of it is damaged"))
    for picture in found.values():
        try:
            pictures.add(picture, tr("A picture of the look"))
        except PictureError as error:
            raise ProjectError(
                tr("{name} was not taken: {what}", name=path.name, what=error.what), error.way_out
            ) from error
    return look


def by_name(name: str, pictures: Lease) -> Look:
    """A look that ships or was saved, by its name; capitals do not matter.

    Raises
    ------
    ProjectError
        There is none; the names that there are stand in the text.
    """
    known = {look.name: look for look in shipped()} | saved(folder(), pictures)
    for title, look in known.items():
        if title.lower() == name.strip().lower():
            return look
    raise ProjectError(
        tr("There is no look “{name}”.", name=name),
        tr("There are: {known}.", known=", ".join(known)),
    )
