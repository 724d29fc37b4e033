"""Laying patches: the picture is rebuilt where it speaks against the code.

The cloth begins as the picture itself. At each size of patches, from coarse to fine, places
where tones are missed get another patch of the matter: one that brings the tones, keeps the
picture's shapes and colours, and agrees with what lies beside it. It is let in along the
seams on which the two differ least. Patches of one size are laid in four rounds, each of
which leaves out every second one in a row and in a column: those of a round do not touch.

References
----------
A. A. Efros, W. T. Freeman, "Image quilting for texture synthesis and transfer", SIGGRAPH
2001: patches chosen for what they should show and for their overlap, cut along the path of
least error. M. Ashikhmin, "Synthesizing natural textures", I3D 2001: what continues the
neighbour's patch is tried, too.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from nimble_tile.core.blend.weave.matter import CELLS, Matter, averaged, described

LEVELS = ((3.0, 2.0), (1.5, 1.0), (0.75, 0.5))
"""Sides of the patches and steps between them, in modules, from coarse to fine."""

OVERLAP = 0.25
"""Width of a seam's strip on each side, in parts of the patch."""

PARTS = 4
"""Parts along a patch's side in which it is compared with the picture's shapes."""

CANDIDATES = 24
"""Nearest patches that are looked at for each place."""

LOOKED_AT = 12
"""Candidates that are looked at cell by cell."""

MISSED = 1.0
"""Weight of missed tones, squared, beside those of what differs from the picture."""

BESIDE = 0.5
"""Weight of what differs along the seams."""

SHAPES, LEAST_KEPT = 0.35, 0.15
"""Weight of the picture's shapes beside its colours; and what is kept of both without motif."""

GAIN = 12.0
"""Cost, in squared steps of 255 a cell, that a new patch must save."""

MOST_SHIFT = 18.0
"""Steps of 255 by which a patch's tone may be shifted."""

CONTINUED = 9
"""Further ones: those that continue what lies beside."""

CHANCE = 0.1
"""Share by which costs are changed at random: what tells one weaving from another."""

AT_ONCE = 400_000
"""Numbers that are worked on at once: what fits in little memory."""


@dataclass(frozen=True)
class Patch:
    """A patch on the cloth.

    Attributes
    ----------
    row, column : int
        Its first corner, in cells of the cloth.
    source : (int, int)
        The same on the matter's sheet.
    mask : ndarray of bool, side × side
    shift : ndarray of float32, 3
        What is added to its planes, see `nimble_tile.core.blend.weave.matter.planes`.
    """

    row: int
    column: int
    source: tuple[int, int]
    mask: np.ndarray
    shift: np.ndarray


@dataclass(eq=False)
class Cloth:
    """What is being woven, in cells.

    Attributes
    ----------
    now : ndarray of float32, S × S × 3
        See `nimble_tile.core.blend.weave.matter.planes`.
    picture : ndarray of float32, S × S × 3
        The picture, of which shapes and colours are kept.
    lowest, highest : ndarray of float32, S × S
        Tones that must be reached.
    free : ndarray of bool, S × S
        Where patches may lie.
    everywhere : bool
        Whether the coarsest patches cover all of it, because the matter is another one.
    source : ndarray of int, S × S × 2
        Place on the sheet of each cell; −1: the picture itself.
    owner : ndarray of int, S × S
        Which patch each cell is of; −1: none.
    patches : list of Patch
        In the order in which they were laid.
    """

    now: np.ndarray
    picture: np.ndarray
    lowest: np.ndarray
    highest: np.ndarray
    free: np.ndarray
    everywhere: bool = False
    source: np.ndarray = None
    owner: np.ndarray = None
    patches: list[Patch] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.source = np.full((*self.now.shape[:2], 2), -1, np.int32)
        self.owner = np.full(self.now.shape[:2], -1, np.int32)

    def finished(self) -> Cloth:
        """Let go of what only weaving needs, four fifths of it; owners and patches stay."""
        self.now = self.picture = self.lowest = self.highest = self.free = self.source = None
        return self


@dataclass(frozen=True)
class Wish:
    """How a cloth is to be woven.

    Attributes
    ----------
    motif : float
        How far shapes and colours of the picture are kept, 0 to 1.
    seed : int
        Another weaving.
    levels : sequence of (float, float)
        As `LEVELS`.
    candidates : int
        As `CANDIDATES`.
    """

    motif: float = 0.6
    seed: int = 0
    levels: tuple[tuple[float, float], ...] = LEVELS
    candidates: int = CANDIDATES


def lay(cloth: Cloth, matter: Matter, wish: Wish) -> None:
    """Weave, in place."""
    for number, (size, step) in enumerate(wish.levels):
        rng = np.random.default_rng([wish.seed, number])
        _Level(cloth, matter, wish, round(size * CELLS), round(step * CELLS), rng,
               cloth.everywhere and number == 0).lay()  # fmt: skip


class _Level:
    """The patches of one size."""

    def __init__(self, cloth, matter, wish, side, step, rng, all_of_it) -> None:
        self.cloth, self.matter, self.wish, self.rng = cloth, matter, wish, rng
        self.side, self.step, self.all = side, step, all_of_it
        self.strip = max(1, round(OVERLAP * side))
        self.part = next(p for p in range(max(1, side // PARTS), 0, -1) if side % p == 0)
        self.inside = np.arange(side)
        ring = np.ones((side, side), bool)
        ring[self.strip : -self.strip, self.strip : -self.strip] = False
        self.ring = np.flatnonzero(ring)
        self.rough = matter.averaged(self.part)
        self.parts = np.arange(side // self.part) * self.part
        kept = LEAST_KEPT + (1 - LEAST_KEPT) * wish.motif
        self.weight = (np.array([SHAPES, 1, 1]) * kept).astype(np.float32)
        # The wanted planes: the picture's own within what must be reached.
        self.wanted = cloth.picture.copy()
        self.wanted[..., 0] = np.clip(self.wanted[..., 0], cloth.lowest, cloth.highest)
        self.wanted_rough, self.lowest_rough, self.highest_rough = (
            averaged(field, self.part) for field in (self.wanted, cloth.lowest, cloth.highest)
        )

    def lay(self) -> None:
        import cv2

        cloth, side, step = self.cloth, self.side, self.step
        extent = cloth.now.shape[0]
        # Large patches begin where modules do, small ones lie about middles or quarters of them.
        begin = 0 if side >= 2 * CELLS else (step - side) // 2 % step
        starts = np.arange(begin, extent - side + 1, step)
        rows, columns = (grid.ravel() for grid in np.meshgrid(starts, starts, indexing="ij"))
        round_ = (rows - begin) // step % 2 * 2 + (columns - begin) // step % 2
        free = cv2.integral(cloth.free.astype(np.float32))

        def total(table: np.ndarray) -> np.ndarray:
            return (table[rows + side, columns + side] - table[rows, columns + side]
                    - table[rows + side, columns] + table[rows, columns])  # fmt: skip

        worth = total(free) >= 0.999 * side * side
        if not self.all:
            missed = _missed(cloth.now[..., 0], cloth.lowest, cloth.highest)
            worth &= total(cv2.integral(missed * missed)) > GAIN * side * side
        rows, columns, round_ = rows[worth], columns[worth], round_[worth]
        if not len(rows) or not len(self.matter.ways):
            return
        index = self.matter.index(side)
        if not len(index.places):
            return  # the matter is smaller than a patch
        near = index.near(described(self.wanted, side)(rows, columns), self.wish.candidates)
        # By place, whatever is laid elsewhere.
        count = len(worth), near.shape[1] + CONTINUED
        luck = self.rng.uniform(1 - CHANCE, 1 + CHANCE, count).astype(np.float32)[worth]
        for number in range(4):
            mine = np.flatnonzero(round_ == number)
            most = max(1, AT_ONCE // ((near.shape[1] + CONTINUED) * side * side * 3))
            for some in range(0, len(mine), most):
                part = mine[some : some + most]
                self._some(rows[part], columns[part], near[part], luck[part])

    def _cut(self, field: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        """Patches of a field at some places (… × side × side)."""
        return field[
            rows[..., None, None] + self.inside[:, None], columns[..., None, None] + self.inside
        ]

    def _parts(self, field: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        """Parts of patches as the eye sees them from afar (… × n × n), of a field that was
        averaged over parts."""
        return field[
            rows[..., None, None] + self.parts[:, None], columns[..., None, None] + self.parts
        ]

    def _some(
        self, rows: np.ndarray, columns: np.ndarray, near: np.ndarray, luck: np.ndarray
    ) -> None:
        """Lay patches that do not touch each other."""
        cloth, side = self.cloth, self.side
        now = self._cut(cloth.now, rows, columns)
        low, high = self._cut(cloth.lowest, rows, columns), self._cut(cloth.highest, rows, columns)
        before = MISSED * (_missed(now[..., 0], low, high) ** 2).mean((1, 2))
        here = np.ones(len(rows), bool) if self.all else before > GAIN
        if not here.any():
            return
        rows, columns, near, luck = rows[here], columns[here], near[here], luck[here]
        now, low, high, before = (a[here] for a in (now, low, high, before))
        places = np.concatenate([near, self._continued(rows, columns)], 1)
        valid = self.matter.valid(places[..., 0], places[..., 1], side)
        places[~valid] = near[0, 0]
        # Most are told by what the eye sees from afar; the rest are looked at cell by cell.
        far = self._parts(self.wanted_rough, rows, columns)
        parts = self._parts(self.rough, places[..., 0], places[..., 1]).astype(np.float32)
        shift = self._shift(far, parts)
        parts += shift[:, :, None, None]
        count = len(self.parts) ** 2
        off = parts - far[:, None]
        alike = np.einsum("mcijk,mcijk,k->mc", off, off, self.weight) / count
        low_far = self._parts(self.lowest_rough, rows, columns)[:, None]
        high_far = self._parts(self.highest_rough, rows, columns)[:, None]
        miss = _missed(parts[..., 0], low_far, high_far)
        about = (alike + MISSED * np.einsum("mcij,mcij->mc", miss, miss) / count) * luck
        about[~valid] = np.inf
        if about.shape[1] > LOOKED_AT:
            best = np.argpartition(about, LOOKED_AT, axis=1)[:, :LOOKED_AT]
            places = np.take_along_axis(places, best[..., None], 1)
            shift = np.take_along_axis(shift, best[..., None], 1)
            alike, luck, valid = (np.take_along_axis(a, best, 1) for a in (alike, luck, valid))
        patches = self._cut(self.matter.sheet, places[..., 0], places[..., 1]).astype(np.float32)
        patches += shift[:, :, None, None]
        miss = _missed(patches[..., 0], low[:, None], high[:, None])
        cost = MISSED * np.einsum("mcij,mcij->mc", miss, miss) / side**2
        apart = patches - now[:, None]
        apart *= apart
        error = apart.sum(-1)
        cost += BESIDE * error.reshape(*error.shape[:2], -1)[..., self.ring].mean(-1)
        cost += alike
        off = self._parts(self._now_rough(), rows, columns) - far
        kept = before + np.einsum("mijk,mijk,k->m", off, off, self.weight) / count
        cost *= luck
        cost[~valid] = np.inf
        best = cost.argmin(1)
        each = np.arange(len(rows))
        good = np.ones(len(rows), bool) if self.all else cost[each, best] + GAIN < kept
        each, best = each[good], best[good]
        if not len(each):
            return
        self._let_in(rows[good], columns[good], places[each, best], patches[each, best],
                     error[each, best], shift[each, best])  # fmt: skip

    def _now_rough(self) -> np.ndarray:
        return averaged(self.cloth.now, self.part)

    def _shift(self, want: np.ndarray, patches: np.ndarray) -> np.ndarray:
        """What is added to the planes of each candidate (M × C × 3)."""
        off = want.mean((1, 2))[:, None] - patches.mean((2, 3))
        if not self.cloth.everywhere:
            off[..., 1:] = 0
            off[..., 0] = np.clip(off[..., 0], -MOST_SHIFT, MOST_SHIFT)
            return off
        # Another matter takes on the picture's colours.
        most = MOST_SHIFT * (1 + 3 * self.wish.motif)
        off[..., 0] = np.clip(off[..., 0], -most, most)
        off[..., 1:] *= np.float32(0.9 * self.wish.motif)
        return off

    def _continued(self, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        """Places on the sheet (M × 9 × 2) that continue what lies round some places."""
        last = self.cloth.now.shape[0] - 1
        around = np.array([-1, self.side // 2, self.side])
        down = np.clip(rows[:, None] + around, 0, last).repeat(3, 1)
        right = np.tile(np.clip(columns[:, None] + around, 0, last), 3)
        source = self.cloth.source[down, right]
        found = source - np.stack([down - rows[:, None], right - columns[:, None]], -1)
        found[source[..., 0] < 0] = -1
        return found

    def _let_in(self, rows, columns, places, patches, error, shift) -> None:
        """Lay patches within the paths of least error in the strips on their four sides, and up
        to the edge where the cloth ends."""
        cloth, side, extent = self.cloth, self.side, self.cloth.now.shape[0]
        mask = np.ones(error.shape, bool)
        ends = (columns == 0, rows == 0, columns + side == extent, rows + side == extent)
        for turns, at_end in enumerate(ends):
            turned = np.rot90(error, turns, (1, 2))[..., : self.strip]
            path = np.where(at_end[:, None], 0, paths(turned))
            np.rot90(mask, turns, (1, 2))[self.inside < path[..., None]] = False
        down = np.broadcast_to(rows[:, None, None] + self.inside[:, None], mask.shape)[mask]
        right = np.broadcast_to(columns[:, None, None] + self.inside, mask.shape)[mask]
        cloth.now[down, right] = patches[mask]
        within = np.stack(np.meshgrid(self.inside, self.inside, indexing="ij"), -1)
        cloth.source[down, right] = (places[:, None, None] + within)[mask]
        numbers = len(cloth.patches) + np.arange(len(rows))
        cloth.owner[down, right] = np.broadcast_to(numbers[:, None, None], mask.shape)[mask]
        for number in range(len(rows)):
            cloth.patches.append(
                Patch(int(rows[number]), int(columns[number]),
                      (int(places[number, 0]), int(places[number, 1])),
                      mask[number], shift[number])
            )  # fmt: skip


def _missed(tone: np.ndarray, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """How far tones miss what must be reached."""
    return np.maximum(low - tone, 0) + np.maximum(tone - high, 0)


def paths(error: np.ndarray) -> np.ndarray:
    """Columns (K × rows) of the paths of least error from the first row to the last one through
    each of some strips (K × rows × columns)."""
    count, rows, columns = error.shape
    total = np.full((count, rows, columns + 2), np.inf, np.float32)
    total[:, 0, 1:-1] = error[:, 0]
    for row in range(1, rows):
        above = total[:, row - 1]
        least = np.minimum(np.minimum(above[:, :-2], above[:, 2:]), above[:, 1:-1])
        total[:, row, 1:-1] = error[:, row] + least
    found = np.empty((count, rows), int)
    every = np.arange(count)[:, None]
    found[:, -1] = total[:, -1, 1:-1].argmin(1)
    for row in range(rows - 2, -1, -1):
        around = found[:, row + 1][:, None] + np.arange(3)  # one to the left in `total`
        found[:, row] = around[:, 0] + total[every, row, around].argmin(1) - 1
    return found
