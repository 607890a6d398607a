"""A night under turning stars: the simulated phone on a tripod, frame after frame, with all that happens to it.

The sky is a made-up catalogue that turns about a pole at the sidereal rate, seen through a lens that bends a little,
with extinction and airglow towards the horizon. Clouds, aircraft, satellites, a street lamp, test shots and a lost
frame come as they are asked for; each frame tells which of them it has.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.container.dng_writer import write_dng
from bruto.simphone import processed_raw
from bruto.simphone import sensor_model as sm
from bruto.simphone.capture import Capture, Exposure, Phone
from bruto.simphone.capture_files import tags_of

SIDEREAL = 2 * math.pi / 86164.0905
"""Turn of the sky, radians a second (sidereal day, IAU)."""
DIAGONAL_35MM = 43.2666
MAGNITUDE_0_LUX = 2.54e-6
"""Illuminance of a star of magnitude 0 above the air (Allen, Astrophysical Quantities)."""
EXTINCTION = 0.28
"""Magnitudes lost for each air mass (Schaefer 1993)."""
DISTORTION = -0.012
"""Radial distortion at the corner, as a share of its distance."""
SKY_CD_M2 = 5.5e-4
"""Luminance of a country sky at the zenith, about 20.7 magnitudes a square arcsecond."""
STARS = 5200
FAINTEST = 7.0
STEP_PX = 0.4
"""Movement between two splashes of a trail, pixels."""


@dataclass(frozen=True)
class NightEvent:
    """What happens in a night, by the number of the frame: `clouds` from one to another.

    `aircraft` and `satellites` with the frame that they come in; `lost` frames, which leave a gap; `shaken` ones;
    `tests` before the first.
    """

    clouds: tuple[tuple[int, int], ...] = ()
    aircraft: tuple[int, ...] = ()
    satellites: tuple[int, ...] = ()
    lost: tuple[int, ...] = ()
    shaken: tuple[int, ...] = ()
    tests: int = 0
    lamp: bool = False


@dataclass(frozen=True)
class NightFrame:
    """A frame with its truth: `start`, seconds since the first."""

    number: int
    start: float
    exposure: Exposure
    bad: str = ""
    """What is wrong with it, "" for nothing."""
    marks: tuple[str, ...] = field(default=())


@njit(cache=True, nogil=True, fastmath=True)
def _splash(image, xs, ys, energies, sigma):
    """Add round spots of some energy (N, 3) at places (N,)."""
    h, w = image.shape[:2]
    reach = math.ceil(3.5 * sigma)
    for k in range(len(xs)):
        cx, cy = round(xs[k]), round(ys[k])
        if cx < -reach or cy < -reach or cx >= w + reach or cy >= h + reach:
            continue
        total = 0.0
        for j in range(-reach, reach + 1):
            for i in range(-reach, reach + 1):
                d = (cx + i - xs[k]) ** 2 + (cy + j - ys[k]) ** 2
                total += math.exp(-d / (2 * sigma * sigma))
        for j in range(-reach, reach + 1):
            y = cy + j
            if y < 0 or y >= h:
                continue
            for i in range(-reach, reach + 1):
                x = cx + i
                if x < 0 or x >= w:
                    continue
                d = (x - xs[k]) ** 2 + (y - ys[k]) ** 2
                weight = math.exp(-d / (2 * sigma * sigma)) / total
                for c in range(3):
                    image[y, x, c] += energies[k, c] * weight


class NightPhone(Phone):
    """The phone on a tripod under the stars of `seed`.

    It looks at a bearing of `azimuth` degrees (0 = north) with its middle `pitch` degrees above the horizon, where the
    northern pole stands `latitude` degrees high.
    """

    def __init__(
        self,
        megapixels: int = 12,
        *,
        size: tuple[int, int] | None = None,
        seed: int = 1,
        pitch: float = 24.0,
        latitude: float = 41.0,
        happening: NightEvent | None = None,
        azimuth: float = 0.0,
        focal_px: float | None = None,
    ) -> None:
        """`focal_px`: another focal length than the lens's, in pixels: a part of a larger frame."""
        super().__init__("pans", megapixels, size=size)
        self.happening = happening or NightEvent()
        self._seed = seed
        m, w, h = self._margin, self.width, self.height
        self._whole = (h + 2 * m, w + 2 * m)
        self.focal_px = focal_px or self.lens.focal_35mm / DIAGONAL_35MM * math.hypot(w, h)
        self._middle = (m + (w - 1) / 2, m + (h - 1) / 2)
        up, over = math.radians(pitch), math.radians(azimuth)
        # camera axes in the world (x east, y north, z up): right, down, forward
        right = np.array([math.cos(over), -math.sin(over), 0.0])
        ahead = np.array([math.cos(up) * math.sin(over), math.cos(up) * math.cos(over), math.sin(up)])
        self._axes = np.stack([right, np.cross(ahead, right), ahead])
        high = math.radians(latitude)
        self._pole_world = np.array([0.0, math.cos(high), math.sin(high)])
        self.pole = self._axes @ self._pole_world
        """Direction of the pole in the camera: right, down, forward."""
        random = np.random.default_rng([seed, 300])
        z = random.uniform(-1, 1, STARS)
        turn = random.uniform(0, 2 * math.pi, STARS)
        flat = np.sqrt(1 - z * z)
        self._stars = np.stack([flat * np.cos(turn), flat * np.sin(turn), z], axis=1)
        magnitudes = FAINTEST + np.log10(random.uniform(10 ** (0.48 * (0.0 - FAINTEST)), 1.0, STARS)) / 0.48
        warm = random.normal(0, 0.22, STARS)
        self._colors = np.stack([np.exp(warm), np.ones(STARS), np.exp(-warm)], axis=1) * self.true_neutral
        self._lux = MAGNITUDE_0_LUX * 10 ** (-0.4 * magnitudes)
        self.magnitudes = magnitudes
        self._back = self._air()
        self._frame: NightFrame | None = None

    # -- where stars are

    def directions(self, seconds: float) -> NDArray[np.float64]:
        """Compute the directions of all stars in the camera at a time (N, 3).

        Parameters
        ----------
        seconds
            Exposure time, seconds.

        Returns
        -------
        NDArray[np.float64]
            Directions of all stars in the camera at a time (N, 3).
        """
        p, angle = self._pole_world, -SIDEREAL * seconds  # seen from the inside the sky turns against the clock
        c, s = math.cos(angle), math.sin(angle)
        d = self._stars
        turned = d * c + np.cross(p, d) * s + np.outer(d @ p, p) * (1 - c)
        return turned @ self._axes.T

    def places(self, seconds: float) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        """Compute the places of all stars in the frame at a time, and which of them are before the camera.

        Places are (N, 2), pixels.

        Parameters
        ----------
        seconds
            Exposure time, seconds.

        Returns
        -------
        tuple[NDArray[np.float64], NDArray[np.bool_]]
            Places (N, 2), pixels, and which stars are before the camera (N,).
        """
        d = self.directions(seconds)
        ahead = d[:, 2] > 0.1
        z = np.where(ahead, d[:, 2], 1.0)
        x, y = self.focal_px * d[:, 0] / z, self.focal_px * d[:, 1] / z
        r2 = (x * x + y * y) / (self.width**2 / 4 + self.height**2 / 4)
        bend = 1 + DISTORTION * np.minimum(r2, 2.0)
        return np.stack([(self.width - 1) / 2 + x * bend, (self.height - 1) / 2 + y * bend], axis=1), ahead

    def _height(self) -> NDArray[np.float32]:
        """Sine of the height above the horizon at each place of the whole image."""
        h, w = self._whole
        x = (np.arange(w, dtype=np.float32) - self._middle[0]) / self.focal_px
        y = (np.arange(h, dtype=np.float32) - self._middle[1]) / self.focal_px
        up = np.array([0.0, 0.0, 1.0]) @ self._axes.T
        length = np.sqrt(1 + x[None] ** 2 + y[:, None] ** 2)
        return (up[0] * x[None] + up[1] * y[:, None] + up[2]) / length

    @cached_property
    def _still(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Find what does not move: the ground's light with the lamp, and the share of sky.

        Light is (H, W, 3), cd/m2 in camera RGB.
        """
        h, w = self._whole
        mask = processed_raw.sky_mask(self.scene, self.width, self.height, self.lens.focal_35mm)
        assert mask.data is not None
        m = self._margin
        sky = cv2.resize(mask.data, (self.width, self.height), interpolation=cv2.INTER_LINEAR).astype(np.float32) / 255
        sky = cv2.copyMakeBorder(sky, m, m, m, m, cv2.BORDER_REPLICATE)
        sky = np.clip((sky - 0.35) / 0.3, 0, 1)  # the mask is softened; the edge of a roof is not
        day = np.asarray(self.camera, np.float32)
        ground = day / max(float(day.mean()), 1e-9) * np.float32(2.2e-4)
        if self.happening.lamp:
            x, y = m + 0.88 * self.width, m + 0.52 * self.height
            yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
            r = np.hypot(xx - x, yy - y) / self.width
            light = 0.02 * np.exp(-((r / 0.004) ** 2)) + 4e-4 * np.exp(-r / 0.05)
            ground = ground + light[..., None] * np.array([1.0, 0.72, 0.35], np.float32)
            sky = sky * (1 - np.clip(light / 0.01, 0, 1))
        return (ground * (1 - sky[..., None])).astype(np.float32), sky

    @property
    def _ground(self) -> NDArray[np.float32]:
        return self._still[0]

    @property
    def _sky(self) -> NDArray[np.float32]:
        """Share of sky (H, W)."""
        return self._still[1]

    def _air(self) -> NDArray[np.float32]:
        """Light of the clear sky (H, W, 3; cd/m2, camera RGB): lighter and greener towards the horizon."""
        sine = np.maximum(self._height(), 0.02)
        glow = SKY_CD_M2 * (0.75 + 0.25 / np.maximum(sine, 0.12) * 0.8)
        green = SKY_CD_M2 * 0.25 * np.exp(-(((sine - 0.28) / 0.14) ** 2))  # a band of airglow
        back = glow[..., None] * (self.true_neutral * [0.9, 1.0, 1.15]) + green[..., None] * (
            self.true_neutral * [0.25, 1.0, 0.35]
        )
        return back.astype(np.float32)

    # -- frames

    def frames(self, count: int, exposure: Exposure, pause: float = 1.0) -> list[NightFrame]:
        """Find what is shot in a night: `count` frames at a pace, after the test shots.

        Parameters
        ----------
        count
            Number of frames.
        exposure
            ISO, exposure time and how it was held.
        pause
            Time to save a frame, seconds.

        Returns
        -------
        list[NightFrame]
            What is shot in a night.
        """
        what, start = self.happening, 0.0
        found: list[NightFrame] = []
        for k in range(what.tests):
            test = Exposure(exposure.iso / 2 if k % 2 else exposure.iso * 2, exposure.seconds / (3 + k))
            found.append(NightFrame(len(found), start, test, "test shot"))
            start += 45.0
        for k in range(count):
            marks = tuple(
                name
                for name, there in (
                    ("cloud", any(a <= k < b for a, b in what.clouds)),
                    ("aircraft", any(a <= k < a + 4 for a in what.aircraft)),
                    ("satellite", any(a <= k < a + 2 for a in what.satellites)),
                    ("shaken", k in what.shaken),
                )
                if there
            )
            bad = next((n for n in ("shaken", "cloud") if n in marks), "")
            if k not in what.lost:
                found.append(NightFrame(len(found), start, exposure, bad, marks))
            start += exposure.seconds + pause
        return found

    def _clouds(self, frame: NightFrame) -> NDArray[np.float32] | None:
        """How much of the sky is seen through the clouds (H, W; 0..1), None for all of it."""
        if "cloud" not in frame.marks:
            return None
        h, w = self._whole
        random = np.random.default_rng([self._seed, 17])
        texture = np.zeros((48, 64), np.float32)
        for octave in (3, 6, 12, 24):
            grid = random.normal(0, 1 / octave**0.5, (octave, octave * 2)).astype(np.float32)
            texture += cv2.resize(grid, (64, 48), interpolation=cv2.INTER_CUBIC)
        moved = np.roll(texture, int(frame.number * 1.7), axis=1)
        moved = cv2.GaussianBlur(moved, (0, 0), 1.2)
        depth = 2.6 * np.clip(0.35 + moved, 0, 1.5)
        return cv2.resize(np.exp(-depth).astype(np.float32), (w, h), interpolation=cv2.INTER_CUBIC).clip(0, 1)

    def _lines(self, frame: NightFrame, image: NDArray[np.float32], sigma: float) -> None:
        """Aircraft and satellites of a frame, added to its light (lux seconds)."""
        seconds, what = frame.exposure.seconds, self.happening
        h, w = self._whole
        passing = (("aircraft", what.aircraft, 4, 2.2e-6), ("satellite", what.satellites, 2, 5e-7))
        for kind, begins, length, lux in passing:
            for n, first in enumerate(begins):
                step = frame.number - what.tests - first + sum(1 for x in what.lost if x <= first)
                if kind not in frame.marks or not 0 <= step < length:
                    continue
                random = np.random.default_rng([self._seed, 900 + n, len(kind)])
                x0, y0 = 0.05 * w, random.uniform(0.08, 0.3) * h
                x1, y1 = 0.95 * w, random.uniform(0.05, 0.35) * h
                a, b = step / length, (step + 0.93) / length
                count = int(abs(x1 - x0) * (b - a) / STEP_PX)
                share = np.linspace(a, b, count)
                light = np.full(count, lux * self._gathered(1.0) * seconds / count)
                if kind == "aircraft":  # its lights flash
                    light = light * (0.4 + 6.0 * ((np.arange(count) // 9) % 12 == 0))
                tint = np.array([1.3, 0.9, 0.7]) if kind == "aircraft" else np.ones(3)
                energies = light[:, None] * (tint * self.true_neutral)[None]
                _splash(image, x0 + (x1 - x0) * share, y0 + (y1 - y0) * share, energies, sigma)

    def _gathered(self, seconds: float) -> float:
        """Focal-plane exposure (lux seconds) on one pixel of a source of 1 lux that stands still there."""
        lens = self.lens
        pitch = lens.focal_mm / self.focal_px * 1e-3
        area = math.pi * (lens.focal_mm * 1e-3 / lens.f_number / 2) ** 2
        return sm.LENS_TRANSMISSION / 0.65 * 0.9 * area / pitch**2 * seconds

    def _optical(self) -> NDArray[np.float32]:
        frame = self._frame
        if frame is None:
            return super()._optical()
        h, w = self._whole
        m, seconds = self._margin, frame.exposure.seconds
        sigma = max(sm.blur_sigma(self.width, self.lens.name), 0.55)
        stars = np.zeros((h, w, 3), np.float32)
        (first, ahead), (last, _) = (self.places(frame.start + t) for t in (0.0, seconds))
        inside = ahead & (np.abs(first - [self.width / 2, self.height / 2]) < [0.7 * w, 0.7 * h]).all(axis=1)
        reach = float(np.hypot(*(last - first)[inside].T).max()) if inside.any() else 0.0
        count = max(2, int(reach / STEP_PX) + 1)
        height = np.maximum(self.directions(frame.start + seconds / 2) @ (self._axes @ np.array([0, 0, 1.0])), 0.03)
        dimmed = 10 ** (-0.4 * EXTINCTION * (1 / height - 1))
        energy = (self._lux * dimmed * self._gathered(seconds) / count)[:, None] * self._colors
        for k in range(count):
            places, _ = self.places(frame.start + (k + 0.5) / count * seconds)
            _splash(stars, places[inside, 0] + m, places[inside, 1] + m, energy[inside], sigma)
        self._lines(frame, stars, sigma)
        per_second = sm.F_NUMBER**2 / (sm.LENS_TRANSMISSION * seconds)  # lux seconds to cd/m2, see `exposure_factor`
        stars *= np.float32(per_second)
        clouds, back = self._clouds(frame), self._back
        if clouds is not None:
            stars *= clouds[..., None]
            back = back * (1 + 1.8 * (1 - clouds))[..., None]
        image = self._ground + self._sky[..., None] * (back + stars)
        if "shaken" in frame.marks:
            image = cv2.filter2D(image, -1, _line_kernel(0.012 * self.width))
        if frame.bad == "test shot":
            image = cv2.GaussianBlur(image, (0, 0), 0.002 * self.width)
        return image

    def take(self, frame: NightFrame, seed: int = 1) -> Capture:
        """Return one frame of the night.

        Parameters
        ----------
        frame
            Frame of the set.
        seed
            Seed of the random generator.

        Returns
        -------
        Capture
            One frame of the night.
        """
        self._frame = frame
        try:
            return self.shoot(frame.exposure, seed=seed * 10_000 + frame.number)
        finally:
            self._frame = None


def save_frame(capture: Capture, path: Path, taken: datetime) -> Path:
    """Write a frame as the phone does in its mode for the night: a raw with a small preview, and no picture.

    Parameters
    ----------
    capture
        What the simulated phone took.
    path
        File to read.
    taken
        Time of the capture.

    Returns
    -------
    Path
        Path of the file.
    """
    half = cv2.resize(capture.codes, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA).astype(np.float32)
    grey = (np.clip((half - sm.BLACK) / (sm.WHITE - sm.BLACK) * 6, 0, 1) ** 0.45 * 255).astype(np.uint8)
    tags = replace(tags_of(capture, taken.strftime("%Y:%m:%d %H:%M:%S")), description="Sky over the works")
    write_dng(path, capture.codes, tags, np.repeat(grey[..., None], 3, axis=2))
    return path


def _line_kernel(length: float) -> NDArray[np.float32]:
    n = max(3, int(length) | 1)
    kernel = np.zeros((n, n), np.float32)
    cv2.line(kernel, (0, n // 4), (n - 1, n - 1 - n // 4), 1.0)
    return kernel / kernel.sum()
