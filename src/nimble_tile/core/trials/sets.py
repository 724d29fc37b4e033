"""Sets of trials: the one that ships, the designer's own, and sets as files.

A file is one JSON object, meant to be read and changed by people:
``{"format": "nimble-tile trials", "schema": 1, "trials": [{"name": …, "view":
{"distance": 400}, …}], "readers": ["zxing-cpp", "quirc"]}``. What is left out has its usual
value; without ``readers`` all count.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from nimble_tile.core.errors import OutputError
from nimble_tile.core.files import (
    entries_of,
    read_document,
    refused,
    set_aside,
    write_atomically,
)  # fmt: skip
from nimble_tile.core.language import tr
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.trials.trial import Trial

FORMAT = "nimble-tile trials"
SCHEMA = 1
SUFFIX = ".json"

MOST_BYTES = 1 << 20
MOST_TRIALS = 200


@dataclass(frozen=True)
class TrialSet:
    """Trials, and whose readings count.

    Attributes
    ----------
    trials : tuple of Trial
    readers : tuple of str
        Readers that count, in the order of `READER_NAMES`; one at least.
    """

    trials: tuple[Trial, ...]
    readers: tuple[str, ...] = READER_NAMES


def shipped() -> tuple[Trial, ...]:
    """The trials that come with the program, from easy to cruel."""
    text = files("nimble_tile.assets").joinpath("trials.json").read_text("utf-8")
    return tuple(
        trial.model_copy(update={"name": tr(trial.name)}) for trial in _trials(json.loads(text))
    )


def _trials(document: dict) -> tuple[Trial, ...]:
    return tuple(Trial.model_validate(entry) for entry in document["trials"])


def own_file() -> Path:
    """Where the designer's own set is kept."""
    from platformdirs import user_data_path

    return user_data_path("nimble-tile") / "trials.json"


def own(where: Path | None = None) -> TrialSet:
    """The designer's set, as far as it is understood, or the one that ships."""
    return understood(where)[0]


def understood(where: Path | None = None) -> tuple[TrialSet, str]:
    """The designer's set, and what of it is not understood, in a sentence.

    Where none was saved, or nothing of it is understood, it is the set that ships.
    """
    found, document, told = entries_of(
        where or own_file(),
        FORMAT,
        SCHEMA,
        MOST_BYTES,
        "trials",
        MOST_TRIALS,
        Trial.model_validate,
    )
    if not found:
        return TrialSet(shipped()), told
    names = document.get("readers", READER_NAMES)
    counted = tuple(name for name in READER_NAMES if isinstance(names, list) and name in names)
    return TrialSet(tuple(found), counted or READER_NAMES), told


def read(path: Path) -> TrialSet:
    """Read a file of trials.

    Raises
    ------
    ProjectError
        It cannot be read, is no set of trials, or a value is not possible.
    """
    path = Path(path)
    document = read_document(path, FORMAT, SCHEMA, MOST_BYTES, tr("a set of trials"))
    entries = document.get("trials")
    if not isinstance(entries, list) or not entries:
        raise refused(path, tr("there are no trials in it"))
    if len(entries) > MOST_TRIALS:
        raise refused(path, tr("it has more than {most_trials} trials", most_trials=MOST_TRIALS))
    names = document.get("readers", list(READER_NAMES))
    counted = tuple(name for name in READER_NAMES if isinstance(names, list) and name in names)
    if not counted:
        raise refused(path, tr("none of its readers is known here"))
    try:
        return TrialSet(_trials(document), counted)
    except (ValidationError, ValueError, RecursionError) as error:
        detail = ""
        if isinstance(error, ValidationError):
            place = ".".join(str(part) for part in error.errors()[0]["loc"])
            detail = f" ({place})" if place else ""
        raise refused(path, tr("a value in it is not possible{detail}", detail=detail)) from None


def write(
    trials: Sequence[Trial], path: Path, readers: Sequence[str] = READER_NAMES
) -> Path | None:
    """Write a set of trials and the readers that count.

    Returns
    -------
    Path or None
        Where the file as it was is kept, if it was a set and not all of it was understood.

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
    if tuple(readers) != READER_NAMES:
        document["readers"] = list(readers)
    data = json.dumps(document, ensure_ascii=False, indent=1).encode("utf-8")
    path = Path(path)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        from nimble_tile.core.errors import file_error

        raise file_error(OutputError, "make", path.parent, error) from error
    aside = set_aside(path) if understood(path)[1] else None
    write_atomically(path, lambda file: file.write(data), OutputError, "write")
    return aside
