"""A logo that is also the target picture of an augmented-reality viewer.

Such a viewer looks for corners of the target in each camera frame and believes
a match when enough of them agree on one plane. The same is done here, in
frames in which the readers look for the code, so that neither spoils the other.

References
----------
E. Rublee et al., "ORB: an efficient alternative to SIFT or SURF", ICCV 2011.
D. Lowe, "Distinctive image features from scale-invariant keypoints", 2004
(ratio test). M. Fischler, R. Bolles, "Random sample consensus", 1981.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.additions import Logo
from nimble_tile.core.language import tr
from nimble_tile.core.look import rgb
from nimble_tile.core.picture.warping import mapped, matrix_to
from nimble_tile.core.rendering import Rendering
from nimble_tile.core.scan.bay import ReaderBay
from nimble_tile.core.scan.readers import to_grey

TARGET = 480
"""Longer side, in pixels, at which the target's own features are taken."""

FRAME_SIDE = 720
"""Longer side of a camera frame."""

MOST_FEATURES = 1200
"""Features of the target."""

TILE_BORDER = 31
"""Pixels round a tile that are looked at with it: ORB's own edge."""

TILES, IN_TILE = 5, 160
"""Tiles along each side of a frame and features in each: viewers spread them likewise, or the
thousands of corners of a code would leave none for its surroundings."""

RATIO = 0.8
"""A match counts only if the next best is this much worse (Lowe 2004)."""

LEAST_INLIERS = 14
"""Matches that must agree on a plane: fewer come about by chance."""

LEAST_FEATURES = 40
"""Features on the marker from which it is worth looking for (common practice)."""

SPREAD_CELLS = 5
"""Cells along each side of the marker over which features should be spread."""

LEAST_SPREAD = 0.4
"""Share of those cells that should hold a feature."""

OFF = 0.12
"""Distance of the found corners from the true ones, in parts of the marker's size, up to
which it was found where it is."""

FOUND_SHARE = 0.6
"""Share of the frames in which it must be found."""


@dataclass(frozen=True)
class MarkerView:
    """A camera frame: what it is called, and what it does to the image."""

    name: str
    scale: float = 1.0
    tilt: float = 0.0
    turn: float = 0.0
    blur: float = 0.0
    light: float = 1.0
    noise: float = 0.0


VIEWS = (
    MarkerView(tr("straight on")),
    MarkerView(tr("from farther away"), scale=0.6),
    MarkerView(tr("tilted by 25°"), tilt=25),
    MarkerView(tr("turned by 30°"), turn=30, scale=0.72),
    MarkerView(tr("slightly out of focus"), blur=1.4),
    MarkerView(tr("in dim light"), light=0.35, noise=6),
)


@dataclass(frozen=True)
class MarkerSight:
    """What came of one frame.

    Attributes
    ----------
    name : str
    matches, inliers : int
    found : bool
        Whether the marker was found where it is.
    read : int
        Readers that read the code.
    """

    name: str
    matches: int
    inliers: int
    found: bool
    read: int


@dataclass(frozen=True)
class Tracking:
    """Whether the marker is still recognised beside the code.

    Attributes
    ----------
    features : int
        On the marker, in the straight frame.
    spread : float
        Share of the marker's cells that hold one, 0 to 1.
    sights : tuple of MarkerSight
    readers : int
        Readers that could read.
    """

    features: int
    spread: float
    sights: tuple[MarkerSight, ...]
    readers: int

    @property
    def tracks(self) -> bool:
        """Whether the marker is found in enough frames."""
        found = sum(sight.found for sight in self.sights)
        return found >= FOUND_SHARE * len(self.sights)

    @property
    def reads(self) -> bool:
        """Whether the code is read, by half of the readers or more, in enough frames."""
        return self._read >= FOUND_SHARE * len(self.sights)

    @property
    def _read(self) -> int:
        return sum(2 * sight.read >= self.readers for sight in self.sights)

    @property
    def sentence(self) -> str:
        """The answer in words, on marker and code together."""
        found = sum(sight.found for sight in self.sights)
        total = len(self.sights)
        code = tr("the code is read in {read}", read=self._read)
        if self.tracks and not self.reads:
            why = tr("the marker leaves the code too little; make it smaller or raise the level")
            return tr(
                "The marker is found in {found} of {total} views, but {code}: {why}.",
                found=found,
                total=total,
                code=code,
                why=why,
            )
        if self.tracks:
            return tr(
                "The marker is found in {found} of {total} views, {code}: they get along.",
                found=found,
                total=total,
                code=code,
            )
        if self.features < LEAST_FEATURES:
            why = tr(
                "it shows only {features} features; make it larger or choose a busier one",
                features=self.features,
            )
        elif self.spread < LEAST_SPREAD:
            why = tr("its features lie close together; a viewer needs them all over the picture")
        else:
            why = tr("too little of it is left; give it more room or lift it off the modules")
        return tr(
            "The marker is found in {found} of {total} views, {code}: {why}.",
            found=found,
            total=total,
            code=code,
            why=why,
        )

    @property
    def detail(self) -> str:
        """Numbers, view by view."""
        lines = [
            tr(
                "{features} features over {spread:.0%} of it",
                features=self.features,
                spread=self.spread,
            )
        ]
        lines += [
            tr("{name}: {inliers} of {matches} matches agree, {read} of {readers} "
               "readers", name=s.name, inliers=s.inliers, matches=s.matches, read=s.read,
               readers=self.readers) for s in self.sights
        ]  # fmt: skip
        return "\n".join(lines)


def target_of(rgba: np.ndarray, logo: Logo) -> np.ndarray:
    """The marker by itself as grey (uint8), on its plate's colour."""
    import cv2

    alpha = rgba[..., 3:].astype(np.float32) / 255
    ground = rgb(logo.backing.colour) if logo.backing.kind == "plate" else (255, 255, 255)
    flat = np.rint(rgba[..., :3] * alpha + np.array(ground) * (1 - alpha)).astype(np.uint8)
    scale = TARGET / max(flat.shape[:2])
    way = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    return to_grey(cv2.resize(flat, None, fx=scale, fy=scale, interpolation=way))


def track(
    rendering: Rendering,
    index: int,
    logo: Logo,
    rgba: np.ndarray,
    bay: ReaderBay,
    stop: Callable[[], bool] = lambda: False,
) -> Tracking | None:
    """Look for the marker and for the code in a handful of camera frames.

    Parameters
    ----------
    rendering : Rendering
    index : int
        Which of its logos.
    logo : Logo
    rgba : ndarray of uint8, H × W × 4
        The logo's pixels made ready.
    bay : ReaderBay
    stop : callable
        Asked before each frame; True: nobody waits for the answer any more.

    Returns
    -------
    Tracking or None
        None where the logo is not on the rendering, or when it was stopped.
    """
    import cv2

    corners = _corners(rendering, index)
    if corners is None:
        return None
    orb = cv2.ORB_create(nfeatures=MOST_FEATURES, fastThreshold=10)
    target = target_of(rgba, logo)
    own, described = orb.detectAndCompute(target, None)
    grey = to_grey(rendering.image)
    sights = []
    features, spread = 0, 0.0
    for number, view in enumerate(VIEWS):
        if stop():
            return None
        frame, matrix = _frame(grey, view)
        place = mapped(matrix, corners)
        seen, told = _features(frame)
        if number == 0:
            features, spread = _on_marker(seen, place)
        matches, inliers, found = _matched(own, described, seen, told, target, place)
        read = sum(
            any(r.text == rendering.symbol.text for r in outcome.readings)
            for outcome in bay.read(frame)
        )
        sights.append(MarkerSight(view.name, matches, inliers, found, read))
    able = 1 if rendering.symbol.micro else 4
    return Tracking(features, spread, tuple(sights), able)


def _features(frame: np.ndarray) -> tuple[list, np.ndarray | None]:
    """Features of a frame, spread over its tiles, and their descriptions."""
    import cv2

    orb = cv2.ORB_create(nfeatures=IN_TILE, fastThreshold=10)
    height, width = frame.shape
    found = []
    for row in range(TILES):
        for column in range(TILES):
            # With some of its surroundings: ORB finds nothing near an edge.
            top, left = row * height // TILES - TILE_BORDER, column * width // TILES - TILE_BORDER
            bottom, right = (
                top + height // TILES + 2 * TILE_BORDER,
                left + width // TILES + 2 * TILE_BORDER,
            )
            top, left = max(0, top), max(0, left)
            for key in orb.detect(frame[top:bottom, left:right]):
                key.pt = (key.pt[0] + left, key.pt[1] + top)
                found.append(key)
    return orb.compute(frame, found) if found else ([], None)


def _corners(rendering: Rendering, index: int) -> np.ndarray | None:
    """The marker's corners on the image (4 × 2)."""
    if rendering.laid is None:
        return None
    for item in rendering.laid.over:
        if item.role == "logo" and item.owner == index:
            return mapped(rendering.matrix, item.corners)
    return None


def _frame(grey: np.ndarray, view: MarkerView) -> tuple[np.ndarray, np.ndarray]:
    """A camera frame (uint8), and the way from the image's pixels to it (3 × 3)."""
    import cv2

    height, width = grey.shape
    scale = FRAME_SIDE / max(height, width) * view.scale
    middle = np.array([[1, 0, -width / 2], [0, 1, -height / 2], [0, 0, 1.0]])
    turn = np.radians(view.turn)
    spin = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    size = max(FRAME_SIDE, round(FRAME_SIDE * 0.8))
    moved = np.diag([scale, scale, 1]) @ spin @ middle
    if view.tilt:
        # A plane turned about its upright axis, seen from 1.6 widths away.
        tilt, away = np.radians(view.tilt), 1.6 * FRAME_SIDE
        leaning = np.array([[np.cos(tilt), 0, 0], [0, 1, 0], [np.sin(tilt) / away, 0, 1]])
        moved = leaning @ moved
    out = np.array([[1, 0, size / 2], [0, 1, size / 2], [0, 0, 1.0]]) @ moved
    shrunk = grey
    if scale < 0.7:  # averaged first, as a sensor does
        shrunk = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    back = np.diag([grey.shape[1] / shrunk.shape[1], grey.shape[0] / shrunk.shape[0], 1.0])
    frame = cv2.warpPerspective(
        shrunk, out @ back, (size, size), flags=cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT, borderValue=200,
    )  # fmt: skip
    if view.blur:
        frame = cv2.GaussianBlur(frame, (0, 0), view.blur)
    if view.light < 1 or view.noise:
        noise = np.random.default_rng(7).normal(0, view.noise, frame.shape)
        frame = np.clip(frame * view.light + 12 + noise, 0, 255).astype(np.uint8)
    return np.ascontiguousarray(frame), out


def _on_marker(seen: list, place: np.ndarray) -> tuple[int, float]:
    """Features that lie on the marker, and the share of its cells that hold one."""
    if len(seen) == 0:
        return 0, 0.0
    points = np.array([key.pt for key in seen])
    unit = mapped(np.linalg.inv(matrix_to(place)), points)
    inside = ((unit >= 0) & (unit < 1)).all(1)
    cells = (unit[inside] * SPREAD_CELLS).astype(int) @ (SPREAD_CELLS, 1)
    return int(inside.sum()), len(np.unique(cells)) / SPREAD_CELLS**2


def _matched(own, described, seen, told, target: np.ndarray, place: np.ndarray):
    """Matches, those that agree on a plane, and whether that plane is the marker's."""
    import cv2

    if described is None or told is None or len(told) < 2:
        return 0, 0, False
    pairs = cv2.BFMatcher(cv2.NORM_HAMMING).knnMatch(described, told, k=2)
    good = [p[0] for p in pairs if len(p) == 2 and p[0].distance < RATIO * p[1].distance]
    if len(good) < 4:
        return len(good), 0, False
    source = np.float32([own[m.queryIdx].pt for m in good])
    goal = np.float32([seen[m.trainIdx].pt for m in good])
    matrix, kept = cv2.findHomography(source, goal, cv2.RANSAC, 4.0)
    if matrix is None:
        return len(good), 0, False
    inliers = int(kept.sum())
    height, width = target.shape
    corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], float)
    found = mapped(matrix, corners)
    extent = float(np.ptp(place, axis=0).max())
    near = np.abs(found - place).max() < OFF * extent if np.isfinite(found).all() else False
    return len(good), inliers, bool(near and inliers >= LEAST_INLIERS)
