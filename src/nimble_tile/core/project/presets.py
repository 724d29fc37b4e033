"""Finishes by name: those that ship, and the designer's own in one JSON file.

``{"format": "nimble-tile presets", "schema": 1, "presets": [{"name": …, "finish": {…}}]}``.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from pydantic import Field, ValidationError

from nimble_tile.core.errors import OutputError
from nimble_tile.core.files import (
    entries_of,
    read_document,
    refused,
    set_aside,
    write_atomically,
)  # fmt: skip
from nimble_tile.core.language import tr
from nimble_tile.core.look import Model
from nimble_tile.core.piece import Finish

FORMAT = "nimble-tile presets"
SCHEMA = 1
MOST_BYTES = 1 << 20
MOST_PRESETS = 100


class Preset(Model):
    """A finish by name; where it says no size, the piece keeps its own."""

    name: str = Field(min_length=1, max_length=60)
    finish: Finish

    def on(self, finish: Finish) -> Finish:
        """What becomes of a piece's finish."""
        if self.finish.size is None:
            own = {"size": finish.size, "mm": None}
            if finish.mm is not None:
                own = {"mm": finish.mm}
            return Finish.model_validate({**dict(self.finish), **own})
        return self.finish


SHIPPED = (
    Preset(
        name=tr("Web"), finish=Finish(format="webp", lossless=False, quality=88, size=1200, dpi=96)
    ),
    Preset(
        name=tr("Social square"),
        finish=Finish(format="jpeg", quality=92, size=1080, dpi=96, square=True),
    ),
    Preset(name=tr("Poster"), finish=Finish(format="pdf", mm=420, bleed=3, marks=True)),
    Preset(name=tr("Ticket"), finish=Finish(format="pdf", mm=150, bleed=2, marks=True)),
    Preset(name=tr("Sticker sheet"), finish=Finish(format="pdf", mm=45, sheet="a4", marks=True)),
)


def own_file() -> Path:
    """Where the designer's own presets are kept."""
    from platformdirs import user_data_path

    return user_data_path("nimble-tile") / "presets.json"


def understood(where: Path) -> tuple[list[Preset], str]:
    """The designer's presets, as far as they are understood, and what is not, in a sentence."""
    found, _, told = entries_of(
        where, FORMAT, SCHEMA, MOST_BYTES, "presets", MOST_PRESETS,
        lambda entry: Preset.model_validate_json(json.dumps(entry)),
    )  # fmt: skip
    return found, told


def own(where: Path) -> list[Preset]:
    """The designer's presets, as far as they are understood."""
    return understood(where)[0]


def presets(where: Path) -> list[Preset]:
    """All presets; the designer's take the place of those of the same name."""
    mine = own(where)
    names = {preset.name for preset in mine}
    return [*(preset for preset in SHIPPED if preset.name not in names), *mine]


def read(path: Path) -> list[Preset]:
    """Read a file of presets; raises `ProjectError`."""
    document = read_document(path, FORMAT, SCHEMA, MOST_BYTES, tr("a file of presets"))
    entries = document.get("presets")
    if not isinstance(entries, list) or len(entries) > MOST_PRESETS:
        raise refused(path, tr("it is not a file of presets of this program"))
    try:
        return [Preset.model_validate_json(json.dumps(entry)) for entry in entries]
    except ValidationError as error:
        detail = f" ({error.errors()[0]['msg']})"
        raise refused(path, tr("a value in it is not possible{detail}", detail=detail)) from None


def keep(preset: Preset, where: Path) -> Path | None:
    """Keep a preset, in place of one of the same name.

    Returns
    -------
    Path or None
        Where the file as it was is kept, if not all of it was understood.

    Raises
    ------
    OutputError
        The file cannot be written, or holds as many presets as it may.
    """
    others = [old for old in own(where) if old.name != preset.name]
    if len(others) >= MOST_PRESETS:
        raise OutputError(
            tr("There are {most_presets} presets already.", most_presets=MOST_PRESETS),
            tr("Remove one first."),
        )
    return _write([*others, preset], where)


def forget(name: str, where: Path) -> Path | None:
    """Remove the designer's preset of this name; one that ships comes back. As `keep`."""
    return _write([preset for preset in own(where) if preset.name != name], where)


def _write(kept: Sequence[Preset], where: Path) -> Path | None:
    document = {
        "format": FORMAT, "schema": SCHEMA,
        "presets": [preset.model_dump(mode="json") for preset in kept],
    }  # fmt: skip
    data = json.dumps(document, indent=1, ensure_ascii=False).encode()
    try:
        where.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(
            tr("No preset could be kept in {folder}.", folder=where.parent)
        ) from error
    aside = set_aside(where) if understood(where)[1] else None
    write_atomically(where, lambda file: file.write(data), OutputError, "save")
    return aside
