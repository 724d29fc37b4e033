"""Whether the verdict predicts: writes docs/verdict.md.

Composites of sample photographs, methods, strengths, symbols and places are
judged as the window does it, and then put through trials of their own: other
seeds, sizes, tilts, light and wear than those that ship. One half of the
composites served to choose the thresholds of the verdict; the figures are from
the other half.

    tools/verdict_table.py measure figures.json [how many [reported]]
    tools/verdict_table.py again figures.json
    tools/verdict_table.py table figures.json docs/verdict.md
"""

from __future__ import annotations

import io
import json
import sys
from dataclasses import asdict
from pathlib import Path

import numpy as np
from PIL import Image
from skimage import data as samples
from sklearn.datasets import load_sample_image

from blend_table import METHODS
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Code, Message, Picture, Piece, Region
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.core.scan.verdict import GOOD_SPARE
from nimble_tile.core.symbol.anatomy import Part
from nimble_tile.core.trials.reach import reach
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.trials.subject import Subject, subject_of
from nimble_tile.core.trials.trial import Trial
from outside_reader import zbar_reads

SIZE = 1024
STRENGTHS = (0.1, 0.2, 0.3, 0.35, 0.4, 0.45, 0.5, 0.55, 0.6, 0.7, 0.8, 0.95)
OTHER_SEED = 4711

MESSAGES = {
    "short link, M": ("https://lanternwalk.example/dusk", {}),
    "link of 38, L": ("https://lanternwalk.example/dusk/path7",
                      {"level": "L", "raise_level": False}),
    "link of 38, H": ("https://lanternwalk.example/dusk/path7", {"level": "H"}),
    "version 8-L": ("https://lanternwalk.example/dusk/path7",
                    {"level": "L", "version": "8", "raise_level": False}),
    "100 letters, Q": ("Meet at the reed hide at dusk, bring a lantern and a warm coat; the walk "
                       "takes an hour and a half.", {"level": "Q"}),
}  # fmt: skip


def pictures() -> dict[str, np.ndarray]:
    """The sample photographs."""
    found = {name: getattr(samples, name)()[..., :3]
             for name in ("astronaut", "chelsea", "coffee", "rocket")}  # fmt: skip
    for name in ("china", "flower"):
        found[name] = load_sample_image(f"{name}.jpg")
    return found


def other_trials() -> list[Trial]:
    """The separate set: situations drawn at random, none of which ships."""
    rng = np.random.default_rng(OTHER_SEED)

    def draw(low: float, high: float) -> float:
        return float(np.exp(rng.uniform(np.log(low), np.log(high))))

    made = []
    for index in range(26):
        size = draw(18, 90)
        trial = Trial(name=f"other {index + 1}")
        trial = trial.changed("shown", size=size, ground=rng.uniform(0.05, 0.95))
        trial = trial.changed(
            "view", distance=size * draw(5, 15), sideways=rng.normal(0, 18),
            lengthways=rng.normal(0, 18), turn=rng.normal(0, 25),
        )  # fmt: skip
        trial = trial.changed(
            "camera", pixels=int(draw(1000, 2200)), field=rng.uniform(55, 75),
            blur=draw(0.35, 1.6), noise=draw(0.7, 2),
        )  # fmt: skip
        trial = trial.changed("light", lux=draw(4, 2000), kelvin=rng.uniform(2400, 8000))
        extra = index % 8
        if extra == 0:
            trial = trial.changed("light", shadow=rng.uniform(0.4, 0.75),
                                  shadow_angle=rng.uniform(-180, 180))  # fmt: skip
        elif extra == 1:
            trial = trial.changed(
                "before", jpeg=int(rng.uniform(12, 60)), shrink=int(draw(400, 900))
            )
        elif extra == 2:
            trial = trial.changed("before", dot_gain=rng.uniform(0.08, 0.25),
                                  paper=rng.uniform(0.5, 0.8))  # fmt: skip
        elif extra == 3:
            trial = trial.changed("wear", smudge=rng.uniform(0.02, 0.06))
        elif extra == 4:
            trial = trial.changed("camera", motion=rng.uniform(1.5, 5),
                                  motion_angle=rng.uniform(-180, 180))  # fmt: skip
        elif extra == 5:
            trial = trial.changed("light", glare=rng.uniform(0.4, 0.9),
                                  glare_size=rng.uniform(0.08, 0.2),
                                  glare_x=rng.uniform(-0.3, 0.3),
                                  glare_y=rng.uniform(-0.3, 0.3))  # fmt: skip
        made.append(trial)
    return made


def composites(count: int):
    """Pieces at random, always the same ones."""
    rng = np.random.default_rng(20)
    store = PictureStore()
    found = {}
    for name, image in pictures().items():
        file = io.BytesIO()
        Image.fromarray(np.ascontiguousarray(image)).save(file, "PNG")
        found[name] = (store.add(file.getvalue(), name), image.shape[1], image.shape[0])
    for number in range(count):
        name = list(found)[number % len(found)]
        digest, width, height = found[name]
        method = list(METHODS)[int(rng.integers(len(METHODS)))]
        message = list(MESSAGES)[int(rng.integers(len(MESSAGES)))]
        strength = float(STRENGTHS[int(rng.integers(len(STRENGTHS)))])
        side = min(width, height) * rng.uniform(0.55, 1.0)
        region = Region(x=rng.uniform(0, width - side), y=rng.uniform(0, height - side),
                        width=side, height=side)  # fmt: skip
        text, code = MESSAGES[message]
        blend = METHODS[method].model_copy(
            update={
                "strength": strength,
                "finders": None if rng.random() < 0.6 else float(rng.uniform(0.3, 1)),
                "quiet": ("lightened", "lightened", "soft", "plain")[int(rng.integers(4))],
            }
        )
        piece = Piece(message=Message(text=text), code=Code(**code), blend=blend,
                      picture=Picture(digest=digest, name=name, region=region))  # fmt: skip
        yield (
            {"picture": name, "method": method, "message": message, "strength": strength},
            piece,
            store,
        )


def outside(room: Room, subject: Subject, trials: list[Trial]) -> list[int]:
    """Frames that zbar reads of the composite, and of the usual code."""
    return [
        sum(zbar_reads(room.frame(which, trial, OTHER_SEED).image, which.expected)
            for trial in trials)
        for which in (subject, subject.usual)
    ]  # fmt: skip


def measure(path: Path, count: int, reported: bool = False) -> None:
    """Judge and try every composite, or those of the reported half; figures go to a file, one a
    line, and what is there already is not measured again."""
    bay = ReaderBay()
    room = Room(bay)
    renderer = None
    lines = path.read_text("utf-8").splitlines() if path.exists() else []
    known = {json.loads(line)["number"] for line in lines}
    others, ours = other_trials(), shipped()
    with path.open("a", encoding="utf-8") as file:
        for number, (about, piece, store) in enumerate(composites(count)):
            if number in known or (reported and number % 2 == 0):
                continue
            renderer = renderer or Renderer(store)
            rendering = renderer.render(piece, SIZE)
            verdict = judge_rendering(rendering, bay)
            subject = subject_of(rendering)
            own = sorted(room.run(subject, ours), key=lambda r: r.trial.name)
            other = list(room.run(subject, others, seed=OTHER_SEED))
            looked = verdict.sample
            finder = rendering.symbol.anatomy.parts == Part.FINDER
            figures = {
                **about,
                "number": number,
                "state": verdict.state,
                "readers": verdict.readers_right[0],
                "spare": verdict.spare,
                "faded": verdict.faded,
                "tried": [len(own), len(other)],
                "ssim": verdict.fidelity.ssim_view,
                "margins": np.percentile(looked.margin, (1, 5, 10, 25, 50)).round(4).tolist(),
                "finder": np.percentile(looked.margin[finder], (5, 25, 50)).round(4).tolist(),
                "wrong": float(looked.wrong.mean()),
                "weak": float(looked.weak.mean()),
                "quiet": looked.quiet_zone,
                "sides": looked.quiet_sides,
                "reach": reach(own),
                "other": reach(other),
                "outside": outside(room, subject, others),
                "by reader": {name: [sum(r.passed.read[name] for r in own),
                                     sum(r.usual.read[name] for r in own)]
                              for name in READER_NAMES},
                "trials": {r.trial.name: [asdict(r.passed)["read"], asdict(r.usual)["read"]]
                           for r in own},
            }  # fmt: skip
            file.write(json.dumps(figures) + "\n")
            file.flush()
    bay.close()


def judge_again(path: Path) -> None:
    """The first verdict of every composite anew; trials stay as they were measured."""
    rows = [json.loads(line) for line in path.read_text("utf-8").splitlines()]
    bay, renderer = ReaderBay(), None
    pieces = list(composites(1 + max(row["number"] for row in rows)))
    for row in rows:
        _, piece, store = pieces[row["number"]]
        renderer = renderer or Renderer(store)
        verdict = judge_rendering(renderer.render(piece, SIZE), bay, with_fidelity=False)
        row.update(state=verdict.state, readers=verdict.readers_right[0], faded=verdict.faded)
    bay.close()
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), "utf-8")


GOOD, BAD, BAD_OUTSIDE = 0.6, 0.3, 0.4
"""Reach in the separate trials from which a composite does scan well there, and below which it
does not scan there."""

HEAD = """# How far the verdict can be believed

Measured by `tools/verdict_table.py` on {count} composites: sample photographs of scikit-image and scikit-learn, ten ways of blending, strengths from 10% to 95%, five symbols (versions 2 to 10, all levels), places, finders and quiet zones at random, at 1024 pixels. Each was judged as in the window, and then put through {others} trials drawn at random that do not ship: other sizes, distances, tilts, cameras, lights, wear and another seed. They are harder than the shipped ones; the usual code sets the measure in both.

**Agreement.** "Scans well" agrees where the composite passes at least {good:.0%} of what the usual code passes in the separate trials, "Does not scan" where it passes less than {bad:.0%}. **zbar** is a reader that the program does not have, before the frames of the separate trials: the share that it reads of what it reads of the usual code; before it, "Does not scan" agrees under {outside:.0%}. The thresholds of the verdict were chosen on the composites with even numbers; the second table is from the others, which had no part in it, nor had their photographs: each half has three of its own.

"""  # noqa: E501


def table(path: Path, out: Path) -> None:
    """Tables from the figures of `measure`."""
    from nimble_tile.core.trials.outlook import (
        BAD_REACH,
        GOOD_REACH,
        settled_state,
    )

    rows = [json.loads(line) for line in path.read_text("utf-8").splitlines()]
    rows = [row for row in rows if row["tried"] == [len(shipped()), len(other_trials())]]
    for row in rows:
        sound = row["readers"] == 4 and row["spare"] >= GOOD_SPARE
        row["settled"] = settled_state(sound, row["readers"] < 2, row["reach"])
        row["zbar"] = row["outside"][0] / row["outside"][1]
    text = [
        HEAD.format(
            count=len(rows), others=len(other_trials()), good=GOOD, bad=BAD, outside=BAD_OUTSIDE
        )
    ]
    for title, half in (("Tuned on (even numbers)", 0), ("Reported on (odd numbers)", 1)):
        part = [row for row in rows if row["number"] % 2 == half]
        text.append(f"## {title}: {len(part)} composites\n\n")
        for name, key in (("First verdict, at once", "state"), ("With the trials", "settled")):
            text.append(f"**{name}**\n\n{_states(part, key)}\n")
    part = [row for row in rows if row["number"] % 2]
    text.append("## By method, with the trials, reported half\n\n")
    text.append("| method | composites | well | agree | fails | agree |\n|" + " --- |" * 6 + "\n")
    for method in METHODS:
        own = [row for row in part if row["method"] == method]
        cells = []
        for state, agrees in (("well", _well), ("fails", _gone)):
            of = [row for row in own if row["settled"] == state]
            cells += [str(len(of)), f"{sum(map(agrees, of)) / len(of):.0%}" if of else "–"]
        text.append(f"| {method} | {len(own)} | {' | '.join(cells)} |\n")
    text.append(_by_reader(part))
    both = np.array([[row["reach"], row["other"], row["zbar"]] for row in rows])
    agreement = np.corrcoef(both.T)[0]
    text.append(
        f"\nReach in the shipped trials against reach in the separate ones: correlation "
        f"{agreement[1]:.3f}, mean difference "
        f"{np.abs(both[:, 0] - both[:, 1]).mean():.3f}; with what zbar reads of them "
        f"{agreement[2]:.3f}. Thresholds: reach of at least "
        f'{GOOD_REACH:.0%} for "Scans well"; for "Does not scan" under {BAD_REACH:.0%} where fewer '
        "than half of the readers read it straight on.\n"
    )
    out.write_text("".join(text), "utf-8")


def _by_reader(rows: list[dict]) -> str:
    """What each reader reads in each shipped trial, of composites and of the usual code."""
    shown = [row for row in rows if row["reach"] >= BAD]
    lines = [
        f"\n## By trial and reader, reported half\n\nShare of the {len(shown)} composites with a "
        f"reach of {BAD:.0%} or more that each reader reads, and in brackets of their usual codes."
        f"\n\n| trial | {' | '.join(READER_NAMES)} |\n|" + " --- |" * 5 + "\n"
    ]
    for trial in shipped():
        cells = []
        for name in READER_NAMES:
            own, usual = (
                np.mean([row["trials"][trial.name][which][name] for row in shown])
                for which in (0, 1)
            )
            cells.append(f"{own:.0%} ({usual:.0%})")
        lines.append(f"| {trial.name} | {' | '.join(cells)} |\n")
    zbar = [row["zbar"] for row in rows]
    told = []
    for name in READER_NAMES:
        shares = [row["by reader"][name][0] / max(1, row["by reader"][name][1]) for row in rows]
        told.append(f"{name} {np.corrcoef(shares, zbar)[0, 1]:.2f}")
    lines.append(f"\nCorrelation of what each passes with what zbar reads: {', '.join(told)}.\n")
    return "".join(lines)


def _well(row: dict) -> bool:
    return row["other"] >= GOOD


def _gone(row: dict) -> bool:
    return row["other"] < BAD


def _states(rows: list[dict], key: str) -> str:
    words = {"well": "Scans well", "thin": "Scans, little to spare", "fails": "Does not scan"}
    lines = [
        f"| verdict | composites | pass {GOOD:.0%} or more | pass under {BAD:.0%} | "
        "quarter passes less than | half | three quarters | zbar, half reads less than | zbar "
        f"under {BAD_OUTSIDE:.0%} |\n|" + " --- |" * 9 + "\n"
    ]
    for state, told in words.items():
        of = [row for row in rows if row[key] == state]
        if not of:
            lines.append(f"| {told} | 0 | | | | | | | |\n")
            continue
        shares = [sum(map(test, of)) / len(of) for test in (_well, _gone)]
        quarters = np.percentile([row["other"] for row in of], (25, 50, 75))
        marks = [f"{share:.1%}" for share in shares]
        if state != "thin":
            agreeing = 0 if state == "well" else 1
            marks[agreeing] = f"**{marks[agreeing]}**"
        zbar = [row["zbar"] for row in of]
        cells = [*marks, *(f"{value:.0%}" for value in quarters), f"{np.median(zbar):.0%}",
                 f"{np.mean([value < BAD_OUTSIDE for value in zbar]):.1%}"]  # fmt: skip
        lines.append(f"| {told} | {len(of)} | {' | '.join(cells)} |\n")
    return "".join(lines)


if __name__ == "__main__":
    if sys.argv[1] == "measure":
        measure(Path(sys.argv[2]), int((*sys.argv, 0, 0)[3]) or 720, "reported" in sys.argv)
    elif sys.argv[1] == "again":
        judge_again(Path(sys.argv[2]))
    else:
        table(Path(sys.argv[2]), Path(sys.argv[3]))
