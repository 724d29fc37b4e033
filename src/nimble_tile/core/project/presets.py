"""Finishes by name: those that ship, and the designer's own in one JSON file.

``{"format": "nimble-tile presets", "schema": 1, "presets": [{"name": …, "finish": {…}}]}``.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from pydantic import Field, ValidationError

from nimble_tile.core.errors import OutputError, ProjectError
from nimble_tile.core.files import read_document, refused, write_atomically
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


def own(where: Path) -> list[Preset]:
    """The designer's presets; none where the file is missing or damaged."""
    try:
        return read(where) if where.is_file() else []
    except ProjectError:
        return []


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


def keep(preset: Preset, where: Path) -> None:
    """Keep a preset, in place of one of the same name; raises `OutputError`."""
    others = [old for old in own(where) if old.name != preset.name]
    _write([*others, preset][-MOST_PRESETS:], where)


def forget(name: str, where: Path) -> None:
    """Remove the designer's preset of this name; one that ships comes back."""
    _write([preset for preset in own(where) if preset.name != name], where)


def _write(kept: Sequence[Preset], where: Path) -> None:
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
    write_atomically(where, lambda file: file.write(data), OutputError, "save")
