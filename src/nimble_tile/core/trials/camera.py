"""The camera: from an image and a trial to the frame that readers see.

A pinhole camera looks at a flat thing. Everything optical is computed in
linear light; only the finished frame is encoded as sRGB.

References
----------
R. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd ed.
2004, section 8.1.1: the image of a plane is a homography K [r1 r2 t].
EMVA Standard 1288: a pixel's noise is that of its photons (their number's
square root) and that of reading it out.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass

import numpy as np

from nimble_tile.core.linear import LUMA, to_linear, to_srgb
from nimble_tile.core.memory import Memory
from nimble_tile.core.picture.warping import mapped
from nimble_tile.core.scan.faded import EXPOSED, SEEN_ROUND
from nimble_tile.core.trials import light as lights
from nimble_tile.core.trials import wear as wears
from nimble_tile.core.trials.subject import Subject
from nimble_tile.core.trials.trial import Before, Trial

LEAST_SEEN_ROUND = 12
"""Surroundings of the code that are seen with it at least, in pixels; see `SEEN_ROUND`."""

FRAME_SIDE = 1600
"""Longer side of a frame that is handed to readers; scanning apps see no more."""

SENSOR_SHAPE = 0.75
"""Height of the sensor in parts of its width."""

ELECTRONS = 14.0
"""Electrons that a pixel gathers from white paper for each lux: about 1/50 s at f/1.8 with
pixels of 1.5 µm, an estimate."""

READ_NOISE = 4.0
"""Electrons of noise in reading a pixel out."""

PITCH = 0.2
"""Distance of a screen's pixels in mm."""

SMALLER_EACH_TIME = 0.96
"""What is saved again and again by others also shrinks."""

FINER = 2
"""Samples along each side of a sensor pixel, which are averaged."""

CLOSEST = 0.02
"""Nearest that any point may come to the camera, in parts of the distance."""

_NOISE_SIDE = 768


@dataclass(frozen=True, eq=False)
class CameraFrame:
    """What the camera saw.

    Attributes
    ----------
    image : ndarray of uint8, H × W × 3 sRGB
    matrix : ndarray of float64, 3 × 3
        From modules, counted from the symbol's corner, to pixels.
    module : float
        Mean side of a module in pixels.
    """

    image: np.ndarray
    matrix: np.ndarray
    module: float


class Studio:
    """Takes frames of one subject; what trials share is made once.

    Parameters
    ----------
    subject : Subject
    """

    def __init__(self, subject: Subject) -> None:
        self.subject = subject
        self._memory, self._lock = Memory(3), threading.Lock()

    def frame(self, trial: Trial, seed: int = 0, flat: bool = False) -> CameraFrame:
        """The frame of a trial; the same for the same subject, trial and seed.

        Parameters
        ----------
        trial : Trial
        seed : int
            Another hand: noise, and where the pixels fall. Smudges and creases too.
        flat : bool
            Paper smoothed out again, so that each module lies where `CameraFrame.matrix` says.
        """
        subject = self.subject
        trial = subject.shown(trial)
        size = trial.shown.size or subject.own_size or 40.0
        per_mm = subject.edge / size
        centre = subject.quad.mean(0)
        to_sensor = plane_to_sensor(trial)
        from_image = to_sensor @ np.diag([1 / per_mm, 1 / per_mm, 1]) @ _shift(*-centre)
        rng = np.random.default_rng([seed, 0])
        jitter = rng.uniform(-0.5, 0.5, 2)
        from_image = _shift(*jitter) @ from_image
        left, top, width, height = _crop(from_image, subject.quad, trial.camera.pixels)
        onto = _shift(-left, -top) @ from_image
        smaller = min(1.0, FRAME_SIDE / max(width, height))
        if smaller < 1:
            onto = np.diag([smaller, smaller, 1]) @ onto
            width, height = round(width * smaller), round(height * smaller)
        scene = self._seen(trial, onto, (width, height), size, seed, flat)
        lit = lights.falls_unevenly(trial.light)
        places = _places(onto, subject, (width, height)) if lit else None
        image = _exposed(scene, trial, places, seed)
        matrix = onto @ subject.matrix
        corners = mapped(onto, subject.quad)
        edge = float(np.hypot(*(np.roll(corners, -1, axis=0) - corners).T).mean())
        return CameraFrame(image, matrix, edge / subject.symbol.side)

    def _source(self, before: Before, medium: str, size: float) -> tuple[list[np.ndarray], float]:
        """The image after what was done to its file, in linear light at several sizes.

        Returns the pyramid and how many times smaller its first level is than
        the subject's image.
        """
        key = (before.shrink, before.jpeg, before.times, medium == "screen" and size)

        def make() -> tuple[list[np.ndarray], float]:
            image, scale = handed_on(self.subject.image, before)
            if medium == "screen":
                image, again = _on_screen(image, self.subject.edge / scale, size)
                scale *= again
            return [to_linear(image)], scale

        return self._memory.recall("source", key, make)

    def _seen(
        self,
        trial: Trial,
        onto: np.ndarray,
        extent: tuple[int, int],
        size: float,
        seed: int,
        flat: bool,
    ) -> np.ndarray:
        """Reflectance of the scene at each pixel (float32, H × W × 3)."""
        import cv2

        subject, paper = self.subject, trial.shown.medium == "paper"
        levels, scale = self._source(trial.before, trial.shown.medium, size)
        onto = onto @ _scaled(scale)
        # Source pixels on a sample, where the image lies nearest: averaged before sampling.
        dense = _density(onto, subject.quad / scale) / FINER
        factor = 1
        while dense >= 2 * factor:
            factor *= 2
        with self._lock:  # frames are made in several threads
            while len(levels) < factor.bit_length():
                last = levels[-1]
                odd = last.shape[0] % 2 or last.shape[1] % 2
                # The same mean of four pixels where the size is even, and quicker.
                way = cv2.INTER_AREA if odd else cv2.INTER_LINEAR
                levels.append(cv2.resize(last, None, fx=0.5, fy=0.5, interpolation=way))
        plane = levels[factor.bit_length() - 1]
        ratio = levels[0].shape[1] / plane.shape[1], levels[0].shape[0] / plane.shape[0]
        onto = onto @ _scaled(*ratio)
        plane, corner = _visible(plane, onto, extent)
        onto = onto @ _shift(*corner)
        ground = np.float32(trial.shown.ground)
        per_mm = subject.edge / (size * scale * ratio[0])
        before = trial.before
        if paper:
            plane = wears.printed(plane, before, size / subject.symbol.side, per_mm)
            wear = trial.wear
            if wear.smudge or wear.crumple or wear.fold:
                middle = subject.quad.mean(0) / scale / ratio - corner
                places = _plane_places(plane.shape[:2], middle, per_mm * size)
                plane = wears.worn(plane, wear, before.paper, places, seed, flat)
        else:
            plane = wears.lit(plane, before.ink)
        on_pixels = _shift(-0.5, -0.5) @ onto @ _shift(0.5, 0.5)
        # The samples of a pixel, one of each after the other: quicker than on a finer grid.
        apart = (np.arange(FINER) + 0.5) / FINER - 0.5
        total = None
        for x, y in ((x, y) for y in apart for x in apart):
            seen = cv2.warpPerspective(
                plane, _shift(-x, -y) @ on_pixels, extent, flags=cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_CONSTANT, borderValue=(float(ground),) * 3,
            )  # fmt: skip
            total = seen if total is None else cv2.add(total, seen, dst=total)
        total *= np.float32(1 / FINER**2)
        return total


def plane_to_sensor(trial: Trial) -> np.ndarray:
    """From mm on the object, counted from the code's middle, to sensor pixels from its centre."""
    view, camera = trial.view, trial.camera
    focal = camera.pixels / 2 / np.tan(np.radians(camera.field) / 2)
    s, c = np.sin(np.radians(view.sideways)), np.cos(np.radians(view.sideways))
    upright = np.array([[c, 0, -s], [0, 1, 0], [s, 0, c]])
    s, c = np.sin(np.radians(view.lengthways)), np.cos(np.radians(view.lengthways))
    level = np.array([[1, 0, 0], [0, c, -s], [0, s, c]])
    s, c = np.sin(np.radians(view.turn)), np.cos(np.radians(view.turn))
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    rotation = level @ upright @ turn
    pose = np.column_stack([rotation[:, 0], rotation[:, 1], [0, 0, view.distance]])
    return np.diag([focal, focal, 1]) @ pose


def handed_on(image: np.ndarray, before: Before) -> tuple[np.ndarray, float]:
    """The image after messaging services and saving, and how many times smaller it is."""
    import cv2

    scale, longer = 1.0, max(image.shape[:2])
    if before.shrink is not None and before.shrink < longer:
        scale = longer / before.shrink
        image = _resized(image, 1 / scale)
    if before.jpeg is not None:
        for generation in range(before.times):
            if generation and min(image.shape[:2]) * SMALLER_EACH_TIME >= 64:
                width = image.shape[1]
                image = _resized(image, SMALLER_EACH_TIME)
                scale *= width / image.shape[1]
            bgr = cv2.cvtColor(image, cv2.COLOR_RGB2BGR)
            _, data = cv2.imencode(".jpg", bgr, [cv2.IMWRITE_JPEG_QUALITY, before.jpeg])
            image = cv2.cvtColor(cv2.imdecode(data, cv2.IMREAD_COLOR), cv2.COLOR_BGR2RGB)
    return image, scale


def _resized(image: np.ndarray, by: float) -> np.ndarray:
    import cv2

    size = max(1, round(image.shape[1] * by)), max(1, round(image.shape[0] * by))
    return cv2.resize(image, size, interpolation=cv2.INTER_AREA)


def _on_screen(image: np.ndarray, edge: float, size: float) -> tuple[np.ndarray, float]:
    """The image on the pixels of a screen, and how many times smaller it is there."""
    by = size / PITCH / edge
    if by >= 1:
        return image, 1.0
    smaller = _resized(image, by)
    return smaller, image.shape[1] / smaller.shape[1]


def _shift(x: float, y: float) -> np.ndarray:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def _scaled(x: float, y: float | None = None) -> np.ndarray:
    return np.diag([x, x if y is None else y, 1.0])


def _crop(onto: np.ndarray, quad: np.ndarray, pixels: int) -> tuple[int, int, int, int]:
    """Part of the sensor round the code: left, top, width, height, from the sensor's centre."""
    half = pixels / 2, pixels * SENSOR_SHAPE / 2
    depth = (np.column_stack([quad, np.ones(4)]) @ onto.T)[:, 2]
    if depth.min() <= CLOSEST * depth.max():
        low, high = -np.array(half), np.array(half)  # it reaches the camera plane
    else:
        seen = mapped(onto, quad)
        margin = max(LEAST_SEEN_ROUND, SEEN_ROUND * float(np.ptp(seen, axis=0).max()))
        low = np.maximum(seen.min(0) - margin, np.negative(half))
        high = np.minimum(seen.max(0) + margin, half)
    left, top = (int(np.floor(value)) for value in low)
    width, height = (max(16, int(np.ceil(value))) for value in high - (left, top))
    return left, top, width, height


def _density(onto: np.ndarray, quad: np.ndarray) -> float:
    """Least number of source pixels along one frame pixel, over the code's corners."""
    found = []
    for x, y in quad:
        u, v, w = onto @ (x, y, 1)
        if w <= 0:
            continue
        step = (onto[:2, :2] * w - np.outer((u, v), onto[2, :2])) / w**2
        found.append(1 / max(np.linalg.svd(step, compute_uv=False)[0], 1e-9))
    return min(found, default=1.0)


def _visible(
    plane: np.ndarray, onto: np.ndarray, extent: tuple[int, int]
) -> tuple[np.ndarray, tuple[int, int]]:
    """The part of the image that the frame shows, and its corner (x, y)."""
    width, height = extent
    back = np.linalg.inv(onto)
    corners = np.array([[0, 0, 1], [width, 0, 1], [width, height, 1], [0, height, 1.0]]) @ back.T
    rows, columns = plane.shape[:2]
    if (corners[:, 2] * corners[0, 2] <= 0).any():
        return plane, (0, 0)  # the horizon is in sight
    points = corners[:, :2] / corners[:, 2:]
    low = np.maximum(np.floor(points.min(0)) - 4, 0).astype(int)
    high = np.minimum(np.ceil(points.max(0)) + 4, (columns, rows)).astype(int)
    if (high - low < 2).any():
        return plane, (0, 0)
    return plane[low[1] : high[1], low[0] : high[0]], (int(low[0]), int(low[1]))


def _plane_places(shape: tuple[int, int], middle: np.ndarray, code: float) -> tuple:
    """Places on the image's plane from the code's middle, in parts of the code."""
    columns, rows = np.meshgrid(
        (np.arange(shape[1], dtype=np.float32) + 0.5 - np.float32(middle[0])) / np.float32(code),
        (np.arange(shape[0], dtype=np.float32) + 0.5 - np.float32(middle[1])) / np.float32(code),
    )
    return columns, rows


def _places(onto: np.ndarray, subject: Subject, extent: tuple[int, int]) -> tuple:
    """The same for each pixel of the frame, because light falls on the object, not on the frame."""
    width, height = extent
    across = (np.arange(width, dtype=np.float32) + 0.5)[None, :]
    down = (np.arange(height, dtype=np.float32) + 0.5)[:, None]
    back = np.linalg.inv(onto @ _shift(*subject.quad.mean(0)) @ _scaled(subject.edge))
    back = (back / back[2, 2]).astype(np.float32)
    depth = np.maximum(back[2, 0] * across + back[2, 1] * down + back[2, 2], np.float32(1e-3))
    x = (back[0, 0] * across + back[0, 1] * down + back[0, 2]) / depth
    y = (back[1, 0] * across + back[1, 1] * down + back[1, 2]) / depth
    return x, y


def _exposed(
    scene: np.ndarray, trial: Trial, places: tuple[np.ndarray, np.ndarray] | None, seed: int
) -> np.ndarray:
    """The frame as the sensor delivers it (uint8 sRGB); `scene` is changed."""
    import cv2

    light, camera = trial.light, trial.camera
    if places is not None:
        arrives = lights.illumination(light, *places)
        if arrives is not None:
            cv2.multiply(scene, cv2.merge([arrives] * 3), dst=scene)
        mirrored = lights.glare(light, *places)
        if mirrored is not None:
            cv2.add(scene, cv2.merge([mirrored] * 3), dst=scene)
    cv2.multiply(scene, (*map(float, lights.tint(light.kelvin)), 0.0), dst=scene)
    if camera.blur > 0.05:
        scene = cv2.GaussianBlur(scene, (0, 0), camera.blur, borderType=cv2.BORDER_REPLICATE)
    if camera.motion >= 0.5:
        kernel = _trace(camera.motion, camera.motion_angle)
        scene = cv2.filter2D(scene, -1, kernel, borderType=cv2.BORDER_REPLICATE)
    gathered = np.float32(light.lux * ELECTRONS / max(camera.noise, 1e-3) ** 2)
    read = np.float32(READ_NOISE * max(camera.noise, 1e-3)) / np.float32(light.lux * ELECTRONS)
    mean = float(cv2.mean(scene)[:3] @ LUMA)
    gain = np.float32(EXPOSED * 2**camera.exposure / max(mean, 1e-4))
    noise = np.maximum(scene, 0)
    noise /= gathered
    noise += read * read
    cv2.sqrt(noise, dst=noise)
    noise *= _noise(scene.shape, seed)
    scene += noise
    scene *= gain
    return to_srgb(scene)


def _trace(length: float, angle: float) -> np.ndarray:
    """Kernel of a straight motion: a line of even weight, sampled finely."""
    reach = int(np.ceil(length / 2)) + 1
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1), np.float32)
    steps = np.linspace(-length / 2, length / 2, max(3, int(8 * length)))
    x = reach + steps * np.cos(np.radians(angle))
    y = reach + steps * np.sin(np.radians(angle))
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1)):
        weight = np.abs(1 - dx - (x - left)) * np.abs(1 - dy - (y - top))
        np.add.at(kernel, (top + dy, left + dx), weight.astype(np.float32))
    return kernel / kernel.sum()


_NOISE = Memory(4)


def _noise(shape: tuple[int, ...], seed: int) -> np.ndarray:
    """Standard normal noise; the same for the same seed."""

    def make() -> np.ndarray:
        rng = np.random.default_rng([seed, 2])
        return rng.standard_normal((_NOISE_SIDE, _NOISE_SIDE, 3), np.float32)

    tile = _NOISE.recall("tile", seed, make)
    rows, columns = -(-shape[0] // _NOISE_SIDE), -(-shape[1] // _NOISE_SIDE)
    if rows > 1 or columns > 1:
        tile = np.tile(tile, (rows, columns, 1))
    return tile[: shape[0], : shape[1]]
