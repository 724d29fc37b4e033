"""Sets of trials: the one that ships, the designer's own, and sets as files.

A file is one JSON object, meant to be read and changed by people:
``{"format": "nimble-tile trials", "schema": 1, "trials": [{"name": …, "view":
{"distance": 400}, …}]}``. What is left out has its usual value.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from nimble_tile.core.errors import OutputError, ProjectError
from nimble_tile.core.files import read_document, refused, write_atomically
from nimble_tile.core.trials.trial import Trial

FORMAT = "nimble-tile trials"
SCHEMA = 1
SUFFIX = ".json"

MOST_BYTES = 1 << 20
MOST_TRIALS = 200


def shipped() -> tuple[Trial, ...]:
    """The trials that come with the program, from easy to cruel."""
    text = files("nimble_tile.assets").joinpath("trials.json").read_text("utf-8")
    return _trials(json.loads(text))


def _trials(document: dict) -> tuple[Trial, ...]:
    return tuple(Trial.model_validate(entry) for entry in document["trials"])


def own_file() -> Path:
    """Where the designer's own set is kept."""
    from platformdirs import user_data_path

    return user_data_path("nimble-tile") / "trials.json"


def own(where: Path | None = None) -> tuple[Trial, ...]:
    """The designer's set, or the one that ships where none was saved or it is damaged."""
    path = where or own_file()
    try:
        return read(path) if path.is_file() else shipped()
    except ProjectError:
        return shipped()


def read(path: Path) -> tuple[Trial, ...]:
    """Read a file of trials.

    Raises
    ------
    ProjectError
        It cannot be read, is no set of trials, or a value is not possible.
    """
    path = Path(path)
    document = read_document(path, FORMAT, SCHEMA, MOST_BYTES, "a set of trials")
    entries = document.get("trials")
    if not isinstance(entries, list) or not entries:
        raise refused(path, "there are no trials in it")
    if len(entries) > MOST_TRIALS:
        raise refused(path, f"it has more than {MOST_TRIALS} trials")
    try:
        return _trials(document)
    except (ValidationError, ValueError, RecursionError) as error:
        detail = ""
        if isinstance(error, ValidationError):
            place = ".".join(str(part) for part in error.errors()[0]["loc"])
            detail = f" ({place})" if place else ""
        raise refused(path, f"a value in it is not possible{detail}") from None


def write(trials: Sequence[Trial], path: Path) -> None:
    """Write a set of trials.

    Raises
    ------
    OutputError
        The file cannot be written.
    """
    document = {
        "format": FORMAT,
        "schema": SCHEMA,
        "trials": [trial.model_dump(exclude_defaults=True) for trial in trials],
    }
    data = json.dumps(document, ensure_ascii=False, indent=1).encode("utf-8")
    path = Path(path)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        from nimble_tile.core.errors import file_error

        raise file_error(OutputError, "make", path.parent, error) from error
    write_atomically(path, lambda file: file.write(data), OutputError, "write")
