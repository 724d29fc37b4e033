"""How gently a code can lie in a picture: writes docs/gentlest.md, its plot and a gallery.

Six sample photographs, centre-cropped to the code's square at 12 pixels a module,
a link of 38 characters. Reach is what an artwork passes over what the usual code passes, in
the trials that ship, in fresh ones like them, and in others drawn at random.

    bench/gentlest.py frontier figures.json    overlay, dots, tone, steered tone, gentlest pass
    bench/gentlest.py ways figures.json        those that search nothing alone anew
    bench/gentlest.py passes figures.json      the gentlest passes alone anew
    bench/gentlest.py unseen figures.json      the pictures that ship, another link
    bench/gentlest.py mend figures.json        60 failing composites
    bench/gentlest.py write figures.json docs
    bench/gentlest.py gallery docs/gallery.png
"""

from __future__ import annotations

import io
import json
import sys
import time
from pathlib import Path

import numpy as np
from PIL import Image

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))

from eye_measures import coherence, flip
from nimble_tile.core.judged import judged_size
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Blend, Code, Finish, Message, Picture, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.fidelity import measure
from nimble_tile.core.scan.judging import fidelity_of, judge_rendering
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.fresh import fresh
from nimble_tile.core.trials.outlook import settle
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.trials.subject import Subject, subject_of, usual_code
from nimble_tile.core.tune.confirm import Draws
from nimble_tile.core.tune.gentlest import search
from nimble_tile.core.tune.measure import Measure
from nimble_tile.core.tune.mend import find, mend
from outside_reader import zbar_reads
from verdict_table import OTHER_SEED, other_trials, pictures

LINK = "https://lanternwalk.example/dusk/path7"
OTHER_LINK = "https://lanternwalk.example/reed/hide/9x4"
MODULE = 12
FRESH_SEED = 909
FRESH_SEEDS = (FRESH_SEED, 505, 606, 707)
PERSON = {"level": "H", "raise_level": False}
STEERED = {"level": "L", "version": "4", "raise_level": False, "steer": "padding"}
WAYS = {
    "overlay": ("overlay", PERSON),
    "dots": ("dots", PERSON),
    "tone": ("tone", PERSON),
    "steered tone": ("tone", STEERED),
}
STRENGTHS = (0.4, 0.5, 0.6, 0.7, 0.8, 0.9)
WANTED = (0.9, 0.97)


def squares() -> dict[str, np.ndarray]:
    """The photographs' centred squares."""
    found = {}
    for name, image in pictures().items():
        side = min(image.shape[:2])
        top, left = (image.shape[0] - side) // 2, (image.shape[1] - side) // 2
        found[name] = np.ascontiguousarray(image[top : top + side, left : left + side])
    return found


class Bench:
    def __init__(self, link: str = LINK) -> None:
        self.bay = ReaderBay()
        self.room = Room(self.bay)
        self.link = link
        usual = usual_code(link)
        self.ours = Measure(self.room, usual, shipped())
        # One draw alone can be far easier or harder than the set that it is drawn about.
        self.fresh = Draws(self.room, usual, shipped(), FRESH_SEEDS)
        self.others = Measure(self.room, usual, other_trials(), OTHER_SEED)
        self.store = PictureStore()
        self.renderer = Renderer(self.store)

    def piece(self, image: np.ndarray, name: str, code: dict, blend: Blend) -> Piece:
        file = io.BytesIO()
        Image.fromarray(image).save(file, "PNG")
        digest = self.store.add(file.getvalue(), name)
        return Piece(
            message=Message(text=self.link), code=Code(**code), blend=blend,
            picture=Picture(digest=digest, name=name), finish=Finish(size=1024),
        )  # fmt: skip

    def figures(self, piece: Piece) -> dict:
        """A piece at 12 pixels a module."""
        modules = self.renderer.symbol(piece).side + 2 * piece.code.quiet_zone
        rendering = self.renderer.render(piece, MODULE * modules)
        fidelity = fidelity_of(rendering)
        return {
            "ssim": fidelity.ssim_view, "de": fidelity.delta_e_mean,
            "reach": self.ours.reach(rendering), "other": self.others.reach(rendering),
            "symbol": f"{rendering.symbol.version}-{rendering.symbol.level}",
        }  # fmt: skip

    def outside(self, piece: Piece) -> dict:
        """A piece at the size at which it was judged: fresh trials, zbar in these, and the eye."""
        rendering = self.renderer.render(piece, judged_size(piece, self.renderer))
        which = subject_of(rendering)
        counts = [
            sum(zbar_reads(self.room.frame(one, trial, FRESH_SEED).image, one.expected)
                for trial in fresh(shipped(), FRESH_SEED))
            for one in (which, which.usual)
        ]  # fmt: skip
        verdict = settle(
            judge_rendering(rendering, self.bay, with_fidelity=False),
            list(self.room.run(which, shipped())),
        )
        before, after = rendering.upright(rendering.picture), rendering.upright(rendering.image)
        own = coherence(before, before, rendering.modules)
        return {
            "fresh": self.fresh.reach_of(which), "zbar": counts[0] / counts[1],
            "verdict": verdict.state, "wall": verdict.reach, "flip": flip(before, after),
            "own": own, "coherence": coherence(before, after, rendering.modules) - own,
        }  # fmt: skip


def others(bench: Bench, name: str, image: np.ndarray) -> list[dict]:
    """The ways that search nothing, and the ceiling."""
    rows = []
    for way, (method, code) in WAYS.items():
        for strength in STRENGTHS:
            piece = bench.piece(image, name, code, Blend(method=method, strength=strength))
            row = {"way": way, "picture": name, "at": strength, **bench.figures(piece)}
            rows.append(row)
    plain = bench.piece(image, name, STEERED, Blend(method="gentle", strength=0.0))
    for version in ("4", "6", "8"):
        still = plain.edited("code", version=version).edited(
            "blend", finders=1.0, quiet_strength=0.0, strength=0.01
        )
        found = bench.figures(still)
        rows.append({"way": "ceiling", "picture": name, "at": version, **found})
    return rows


def frontier(path: Path, ways: bool = True, passes: bool = True) -> None:
    """All ways, or those that search nothing anew, or the gentlest passes."""
    bench = Bench()
    known = json.loads(path.read_text("utf-8")) if path.exists() else {}
    rows = [
        row for row in known.get("frontier", [])
        if not (passes if row["way"] == "gentlest pass" else ways)
    ]  # fmt: skip
    for name, image in squares().items():
        if ways:
            rows += others(bench, name, image)
        for wanted in WANTED if passes else ():
            start = bench.piece(image, name, PERSON, Blend())
            began, first = time.perf_counter(), None
            for step in search(start, bench.renderer, bench.room, shipped(), wanted):
                new = step.best is not None and step.best.piece != start
                if new and first is None:
                    first = time.perf_counter() - began
            took = time.perf_counter() - began
            best = step.best
            rows.append({
                "way": "gentlest pass", "picture": name, "at": wanted,
                **bench.figures(best.piece), **bench.outside(best.piece),
                "judged": best.reach, "holds": step.holds,
                "searched": best.fidelity.ssim_view, "seconds": took, "first": first,
                "piece": json.loads(best.piece.model_dump_json()),
                "map": None if best.piece.blend.map is None
                else bench.store.mask(best.piece.blend.map).tolist(),
            })  # fmt: skip
            told = (
                "symbol",
                "searched",
                "judged",
                "wall",
                "fresh",
                "zbar",
                "other",
                "verdict",
                "seconds",
            )
            print(name, wanted, {key: rows[-1][key] for key in told}, flush=True)
    bench.bay.close()
    path.write_text(json.dumps(known | {"frontier": rows}), "utf-8")


SYMBOLS = (
    {"level": "M"}, {"level": "H"}, {"level": "L", "version": "4"}, {"level": "L", "version": "6"},
    {"level": "Q", "version": "8"}, {"level": "M", "version": "5"}, {"level": "Q"},
    {"level": "L", "version": "10"}, {"level": "H", "version": "7"}, {"level": "Q", "version": "6"},
)  # fmt: skip


def composites(bench: Bench):
    """Flat overlays at the highest opacity that at most a quarter of the readers read."""
    originals = squares()
    for code in SYMBOLS:
        symbol = encode(Message(text=LINK), Code(**code, raise_level=False))
        for name, image in originals.items():
            side = MODULE * (symbol.side + 8)
            square = np.array(Image.fromarray(image).resize((side, side), Image.Resampling.LANCZOS))
            plain = plain_code(symbol, 4, side)
            for opacity in np.arange(0.5, 0.05, -0.05):
                made = mixed(square, plain, opacity)
                if sum(straight(bench, made).values()) <= 1:
                    yield name, symbol, plain, float(opacity), made
                    break


def mixed(below: np.ndarray, above: np.ndarray, opacity: float) -> np.ndarray:
    return np.rint(below * (1 - opacity) + above.astype(float) * opacity).astype(np.uint8)


def straight(bench: Bench, image: np.ndarray) -> dict[str, bool]:
    outcomes = bench.bay.read(to_grey(image))
    return {o.name: any(r.text == LINK for r in o.readings) for o in outcomes}


def subject(image: np.ndarray, symbol) -> Subject:
    side = image.shape[0]
    quiet = 4 * side / (symbol.side + 8)
    low, high = quiet, side - quiet
    quad = np.array([[low, low], [high, low], [high, high], [low, high]])
    return Subject(image, quad, symbol, LINK)


def mending(path: Path) -> None:
    bench = Bench()
    known = json.loads(path.read_text("utf-8")) if path.exists() else {}
    rows = known.get("mend", [])
    for number, (name, symbol, plain, opacity, image) in enumerate(composites(bench)):
        if number < len(rows):
            continue
        modules = symbol.side + 8
        flat = image
        for more in np.arange(0.1, 1.0, 0.05):
            flat = mixed(image, plain, more)
            held = all(straight(bench, flat).values())
            if held and bench.ours.reach_of(subject(flat, symbol), 0.9) >= 0.9:
                break
        row = {
            "picture": name, "symbol": f"{symbol.version}-{symbol.level}", "opacity": opacity,
            "overlay": measure(image, flat, modules).delta_e_mean,
            "plain": bench.ours.reach_of(subject(plain, symbol), 0.9),
        }  # fmt: skip
        began = time.perf_counter()
        try:
            suspect = find(image, LINK, bench.bay)[0]
            right = suspect.symbol
            row["recognised"] = (right.version, right.level, right.mask) == (
                symbol.version, symbol.level, symbol.mask,
            )  # fmt: skip
            for step in mend(image, suspect, bench.room, shipped()):
                made = step.best
            read = straight(bench, made.image)
            row |= {
                "readers": sum(read.values()), "reach": made.reach, "mend":
                measure(image, made.image, modules).delta_e_mean, "touched": made.touched,
            }  # fmt: skip
        except Exception as error:
            row |= {"readers": 0, "reach": 0.0, "mend": 0.0, "error": str(error)}
        row["seconds"] = time.perf_counter() - began
        rows.append(row)
        print(len(rows), row, flush=True)
        path.write_text(json.dumps(known | {"mend": rows}), "utf-8")
    bench.bay.close()


def unseen(path: Path) -> None:
    """The pass for 97 % on pictures, and with a link, that had no part in any tuning."""
    from nimble_tile.core.picture.opening import open_picture
    from nimble_tile.demo import ARTWORKS, artwork

    bench, rows = Bench(OTHER_LINK), []
    known = json.loads(path.read_text("utf-8")) if path.exists() else {}
    for name in ARTWORKS:
        rgb = open_picture(artwork(name), name).rgb
        side = min(rgb.shape[:2])
        top, left = (rgb.shape[0] - side) // 2, (rgb.shape[1] - side) // 2
        start = bench.piece(rgb[top : top + side, left : left + side], name, PERSON, Blend())
        began = time.perf_counter()
        steps = list(search(start, bench.renderer, bench.room, shipped(), WANTED[-1]))
        took, last = time.perf_counter() - began, steps[-1]
        best = last.best
        rows.append({
            "picture": name, "at": WANTED[-1], **bench.figures(best.piece),
            **bench.outside(best.piece), "judged": best.reach, "holds": last.holds,
            "searched": best.fidelity.ssim_view, "seconds": took,
        })  # fmt: skip
        print(name, rows[-1], flush=True)
    bench.bay.close()
    path.write_text(json.dumps(known | {"unseen": rows}), "utf-8")


def gallery(out: Path) -> None:
    """The pictures that ship, each quiet, woven and by light, as they are proposed for a reach of
    90 %; and one of them woven of every material, as strong as it must be for that, without a
    search."""
    from gentlest_pages import sheet
    from nimble_tile.core.picture.opening import open_picture
    from nimble_tile.core.piece import MATERIAL_LABELS, Weave
    from nimble_tile.core.tune.propose import EFFORTS, Held, by_light, carries_shade
    from nimble_tile.demo import ARTWORKS, artwork

    bench, rows = Bench(), [[], [], [], []]
    code = {"level": "M", "raise_level": False, "steer": "padding"}

    def based(name: str, blend: Blend) -> Piece:
        rgb = open_picture(artwork(name), name).rgb
        side = min(rgb.shape[:2])
        top, left = (rgb.shape[0] - side) // 2, (rgb.shape[1] - side) // 2
        return bench.piece(rgb[top : top + side, left : left + side], name, code, blend)

    def proposed(name: str, kind: str, blend: Blend) -> np.ndarray:
        effort, piece = EFFORTS[kind], based(name, blend)
        *_, last = search(piece, bench.renderer, bench.room, shipped(), WANTED[0], effort=effort)
        print(name, kind, f"{last.best.reach:.2f}", last.holds, flush=True)
        return bench.renderer.render(last.best.piece, 1024).image

    def lit(name: str) -> np.ndarray | None:
        piece = based(name, Blend())
        if not carries_shade(piece, bench.renderer):
            return None
        search = Held(by_light(piece), bench.renderer, bench.room, shipped(), WANTED[0], 0,
                      lambda: False, None, EFFORTS["light"])  # fmt: skip
        *_, last = search.run()
        search.end()
        print(name, "light", f"{last.best.reach:.2f}", last.holds, flush=True)
        return bench.renderer.render(last.best.piece, 1024).image

    def taken(name: str, blend: Blend) -> np.ndarray:
        piece = based(name, blend)
        for strength in (0.5, 0.56, 0.62, 0.68, 0.74, 0.8, 0.9, 1.0):
            made = piece.edited("blend", strength=strength)
            rendering = bench.renderer.render(made, 1024)
            reach = bench.ours.reach(rendering, WANTED[0])
            if reach >= WANTED[0]:
                break
        print(name, blend.method, blend.weave.matter, strength, f"{reach:.2f}", flush=True)
        return rendering.image

    for name in (one for one in ARTWORKS if one != "drawing"):  # which is drawn on a code
        rows[0].append(proposed(name, "quietest", Blend(method="gentle", strength=0.5)))
        rows[1].append(proposed(name, "woven", Blend(strength=0.5).turned("weave")))
        rows[3].append(lit(name))
    for material in MATERIAL_LABELS:
        woven = Blend(weave=Weave(matter=material)).turned("weave")
        rows[2].append(taken("mask", woven))
    bench.bay.close()
    # What is too dark for light leaves no gap.
    rows[3] = [image for image in rows[3] if image is not None]
    sheet([image for row in rows for image in row], 8, out, 240)


if __name__ == "__main__":
    what, figures = sys.argv[1], Path(sys.argv[2])
    if what in ("frontier", "ways", "passes"):
        frontier(figures, what != "passes", what != "ways")
    elif what == "unseen":
        unseen(figures)
    elif what == "mend":
        mending(figures)
    elif what == "gallery":
        gallery(figures)
    else:
        from gentlest_pages import write

        write(json.loads(figures.read_text("utf-8")), Path(sys.argv[3]))
