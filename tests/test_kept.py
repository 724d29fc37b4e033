"""Sixty kept images: another version of a reader that reads otherwise is told of by name.

The images and the readings were made by ``tools/keep_readings.py`` with the versions that stand
beside them.
"""

import io
import json
import zipfile
from pathlib import Path

import numpy as np
from PIL import Image

from conftest import LINK
from nimble_tile import report
from nimble_tile.core.piece import Message, Piece
from nimble_tile.core.project import archive
from nimble_tile.core.project.drafts import Draft
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.readers import READER_NAMES, versions

KEPT = Path(__file__).parent / "samples" / "kept.zip"


def test_readers_read_what_they_read_when_all_was_measured(bay):
    with zipfile.ZipFile(KEPT) as whole:
        kept = json.loads(whole.read("readings.json"))
        images = [
            np.array(Image.open(io.BytesIO(whole.read(f"{number:02}.png"))))
            for number in range(len(kept["readings"]))
        ]
    assert len(images) == 60
    # Near the limit, so that a difference shows: each reader reads some and misses some.
    for name in READER_NAMES:
        read = sum(bool(one[name]) for one in kept["readings"])
        assert 8 <= read <= 57, name
    otherwise = []
    for number, (outcomes, before) in enumerate(
        zip(bay.read_all(images), kept["readings"], strict=True)
    ):
        for outcome in outcomes:
            assert not outcome.trouble
            if sorted(reading.text for reading in outcome.readings) != before[outcome.name]:
                otherwise.append(
                    f"{outcome.name} {versions()[outcome.name]} reads image {number} otherwise "
                    f"than {kept['versions'][outcome.name]} did"
                )
    assert not otherwise, "\n".join(otherwise)


def test_versions_of_readers_stand_with_what_they_say(bay, store, tmp_path):
    piece = Piece(message=Message(text=LINK))
    verdict = judge_rendering(Renderer(store).render(piece, 300), bay)
    told = report.verdict_json(verdict)["readers"]
    assert {one["name"]: one["version"] for one in told} == versions()
    assert all(version[0].isdigit() for version in versions().values())
    draft = Draft(key="00000001", name="a", piece=piece, state="well", words="Scans well")
    path = tmp_path / "a.nimbletile"
    archive.save(piece, store, path, [draft])
    project = archive.load_project(path)
    assert project.readers == versions() and project.otherwise == ""
    with zipfile.ZipFile(path) as whole:
        document = json.loads(whole.read("piece.json"))
    document["readers"]["quirc"] = "0.0.1"
    with zipfile.ZipFile(path, "w") as whole:
        whole.writestr("piece.json", json.dumps(document))
    assert archive.load_project(path).otherwise == "quirc 0.0.1"
