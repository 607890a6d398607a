"""A forecast picture: what the simulated phone would take at some settings, with another phone's noise.

The whole frame is made small, with the noise that its pixels have after so many of the phone's are averaged; a piece is
made at 1:1. Both are brought to one brightness, as one does to judge them. What is seen is made up: a sky of stars over
a made-up skyline, or a scene of the simulated phone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import encode_srgb
from bruto.simphone import sensor_model as sm
from bruto.simphone import spectral
from bruto.simphone.capture import Phone
from bruto.simphone.night import EXTINCTION, SKY_CD_M2, STEP_PX, NightPhone, _splash
from bruto.simphone.phone_processing import SRGB_FROM_XYZ_D50

WHOLE, PIECE = (800, 600), (256, 192)
"""Width and height, pixels."""
BRIGHT, MOST_GAIN = 0.16, 64.0
"""Light to which the middle of a picture is brought, of white, and how far it is lifted at most."""
BRIGHT_SKY = 0.055
WHITE = 3.0
"""Light that becomes white, where it is not clipped before."""
NODES_S = 60.0
"""Between two places of a star that are calculated; between them it goes straight (0.25°)."""
LIGHTEN = 0.45
"""Share of a frame's noise that is left in the lightest of many."""
SPOT_PX = 0.75
"""Standard deviation of a point of light, pixels."""
Noise = tuple[float, float]


@dataclass(frozen=True)
class SimulatedSettings:
    """Settings of a simulated shot.

    `seconds` of each of `frames`, every `every` seconds, which become one by `merged` ("", "mean", "lighten",
    "bracket"); `focal_35mm`, and the width of the phone's `frame` in pixels.
    """

    iso: float
    seconds: float
    frames: int
    every: float
    merged: str
    noise: Noise
    """A, b at this ISO."""
    focal_35mm: float
    frame: int = 4032

    @property
    def share(self) -> float:
        """Variance of the noise that is left of one frame's."""
        if self.merged == "mean":
            return 1 / self.frames
        return LIGHTEN**2 if self.merged == "lighten" and self.frames > 1 else 1.0


@dataclass(frozen=True)
class SimulatedPreview:
    """`whole` frame and a `piece` at 1:1, (H, W, 3) uint8 sRGB."""

    whole: NDArray[np.uint8]
    piece: NDArray[np.uint8]
    gain_ev: float
    """By how much they were brightened."""


def _lens(focal_35mm: float) -> str:
    return min(sm.LENSES, key=lambda n: abs(math.log(sm.LENSES[n].focal_35mm / focal_35mm)))


# -- the night


def skyline(azimuth: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute the height of a made-up skyline by bearing, degrees: low hills, some sheds.

    Parameters
    ----------
    azimuth
        Azimuth, degrees clockwise from north.

    Returns
    -------
    NDArray[np.float32]
        Height of a made-up skyline by bearing, degrees.
    """
    a = np.radians(azimuth)
    found = 2.6 + 1.2 * np.sin(2 * a + 0.8) + 0.7 * np.sin(5 * a) + 0.35 * np.sin(17 * a + 1) + 0.12 * np.sin(61 * a)
    for middle, half, wall, ridge in ((14.0, 3.2, 4.0, 5.6), (171.0, 4.5, 4.2, 6.4), (264.0, 2.4, 3.8, 5.0)):
        off = np.abs((azimuth - middle + 180) % 360 - 180)
        found = np.where(off < half, np.maximum(found, wall + (ridge - wall) * (1 - off / half)), found)
    return found.astype(np.float32)


def _pump(azimuth: NDArray[np.float32], height: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far inside the wind pumps a place is, degrees: lattice towers with a wheel, to the north and the south."""
    inside = np.full(azimuth.shape, -1.0, np.float32)
    for middle in (349.0, 190.0):
        x = (azimuth - middle + 180) % 360 - 180
        half = 1.5 * (1 - height / 15) + 0.1
        legs = 0.14 - np.abs(np.abs(x) - half)
        steps = np.minimum(0.07 - np.abs((height % 2.2) - 1.1), half - np.abs(x))
        tower = np.where((height < 13.4) & (height > 0), np.maximum(legs, steps), -1.0)
        r, angle = np.hypot(x, height - 13.4), np.arctan2(height - 13.4, x)
        blades = np.where(r < 2.6, 0.16 + 0.05 * r - r * np.abs(np.sin(6 * angle)) / 6, -1.0)
        wheel = np.maximum(0.12 - np.abs(r - 1.0), np.maximum(blades, 0.3 - r))
        inside = np.maximum(inside, np.maximum(tower, wheel))
    return inside.astype(np.float32)


class _NightAhead(NightPhone):
    """Only what a preview needs: a skyline instead of a scene, no clouds, any direction."""

    @cached_property
    def _still(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        h, w = self._whole
        x = (np.arange(w, dtype=np.float32) - self._middle[0]) / self.focal_px
        y = (np.arange(h, dtype=np.float32) - self._middle[1]) / self.focal_px
        grid = np.stack([*np.broadcast_arrays(x[None], y[:, None]), np.ones((h, w), np.float32)], axis=-1)
        world = grid.astype(np.float64) @ self._axes
        azimuth = np.degrees(np.arctan2(world[..., 0], world[..., 1])).astype(np.float32) % 360
        height = np.degrees(np.arctan2(world[..., 2], np.hypot(world[..., 0], world[..., 1]))).astype(np.float32)
        pixel = math.degrees(1 / self.focal_px)
        over = np.maximum(skyline(azimuth) - height, _pump(azimuth, height))
        sky = 1 - np.clip(over / pixel + 0.5, 0, 1)
        random = np.random.default_rng(5)
        rough = cv2.resize(random.uniform(0.5, 1.5, (h // 6 + 1, w // 6 + 1)).astype(np.float32), (w, h))
        ground = 1.1e-4 * rough * (1 - sky)
        return (ground[..., None] * self.true_neutral).astype(np.float32), sky.astype(np.float32)

    def light(self, at: SimulatedSettings, sky_cd_m2: float) -> NDArray[np.float32]:
        """Light in the frame (H, W, 3; shares of saturation, camera RGB)."""
        h, w = self._whole
        m = self._margin
        sigma = SPOT_PX
        stars = np.zeros((h, w, 3), np.float32)
        lasts = (at.frames - 1) * at.every + at.seconds if at.merged == "lighten" else at.seconds
        nodes = np.linspace(0, lasts, max(2, math.ceil(lasts / NODES_S) + 1))
        per_second = self._lux[:, None] * self._gathered(1.0) * self._colors
        places, ahead = self.places(0.0)
        for begin, end in pairwise(nodes):
            later, there = self.places(end)
            sine = np.maximum(self.directions((begin + end) / 2) @ (self._axes @ np.array([0, 0, 1.0])), 0.03)
            near = ahead & there & (np.abs(places - [w / 2, h / 2]) < [0.8 * w + 40, 0.8 * h + 40]).all(axis=1)
            if near.any():
                a, b = places[near], later[near]
                count = max(1, int(np.hypot(*(b - a).T).max() / STEP_PX) + 1)
                dimmed = 10 ** (-0.4 * EXTINCTION * (1 / sine[near] - 1))
                energy = per_second[near] * dimmed[:, None] * ((end - begin) / count)
                for k in range(count):
                    share = (k + 0.5) / count
                    if (begin + share * (end - begin)) % max(at.every, at.seconds) <= at.seconds:
                        spot = a + share * (b - a) + m
                        _splash(stars, spot[:, 0], spot[:, 1], energy, sigma)
            places, ahead = later, there
        stars *= np.float32(sm.F_NUMBER**2 / (sm.LENS_TRANSMISSION * at.seconds))  # see `NightPhone`
        back = self._back * np.float32(sky_cd_m2 / SKY_CD_M2)
        ground = self._ground * np.float32(sky_cd_m2 / SKY_CD_M2)
        image = (ground + self._sky[..., None] * (back + stars))[m : h - m, m : w - m]
        return image * np.float32(sm.exposure_factor(at.iso, at.seconds, self.lens.f_number))


def night_picture(
    at: SimulatedSettings, altitude: float, azimuth: float, latitude: float, sky_cd_m2: float, seed: int = 1
) -> SimulatedPreview:
    """Return the sky over a made-up skyline: `altitude`, `azimuth` of the middle and `latitude`, degrees.

    Parameters
    ----------
    at
        Position.
    altitude
        Altitude above the horizon, degrees.
    azimuth
        Azimuth, degrees clockwise from north.
    latitude
        Latitude, degrees, north positive.
    sky_cd_m2
        Luminance of the sky, cd/m².
    seed
        Seed of the random generator.

    Returns
    -------
    SimulatedPreview
        The sky over a made-up skyline.
    """
    lens = sm.LENSES[_lens(at.focal_35mm)]
    ratio = at.frame / WHOLE[0]
    focal = at.focal_35mm / 43.2666 * math.hypot(*WHOLE)
    whole, piece = (
        _NightAhead(size=size, focal_px=focal * larger, pitch=altitude, azimuth=azimuth, latitude=latitude)
        for size, larger in ((WHOLE, 1.0), (PIECE, ratio))
    )
    for phone in (whole, piece):
        phone.lens = lens
    a, b = at.noise[0] * at.share, at.noise[1] * at.share
    lights = whole.light(at, sky_cd_m2), piece.light(at, sky_cd_m2)
    first, second = noisy(lights[0], (a / ratio**2, b / ratio**2), seed), noisy(lights[1], (a, b), seed + 1)
    return _shown(first, second, whole.true_neutral, whole.scene.kelvin, BRIGHT_SKY)


# -- the day


@lru_cache(maxsize=3)
def phone_at(scene: str, lens: str = "main") -> Phone:
    """Return the simulated phone in front of a scene at the size of a preview; scenes are traced once and kept.

    Parameters
    ----------
    scene
        Identifier of a simulated scene.
    lens
        Main, wide or tele.

    Returns
    -------
    Phone
        The simulated phone in front of a scene at the size of a preview.
    """
    return Phone(scene, size=WHOLE, lens=lens)


def scene_at(phone: Phone, level: float) -> NDArray[np.float32]:
    """Compute the light of a scene in the frame, its geometric mean at `level`.

    (H, W, 3), shares of saturation in camera RGB.

    Parameters
    ----------
    phone
        The simulated phone.
    level
        Light level, share of saturation, 0 to 1.

    Returns
    -------
    NDArray[np.float32]
        Light (H, W, 3), shares of saturation in camera RGB.
    """
    m = phone._margin
    light = np.asarray(phone._optical()[m : m + phone.height, m : m + phone.width], np.float32)
    middle = float(np.exp(np.mean(np.log(np.maximum(light[::4, ::4, 1], 1e-3)))))
    return light * np.float32(level / max(middle, 1e-6))


def day_picture(at: SimulatedSettings, scene: str, level: float, blur_px: float, seed: int = 1) -> SimulatedPreview:
    """Return a scene whose grey lies at `level` of saturation; a frame's movement is `blur_px` long at 1:1.

    Parameters
    ----------
    at
        Position.
    scene
        Identifier of a simulated scene.
    level
        Light level, share of saturation, 0 to 1.
    blur_px
        Camera shake, pixels.
    seed
        Seed of the random generator.

    Returns
    -------
    SimulatedPreview
        A scene whose grey lies at `level` of saturation.
    """
    phone = phone_at(scene, _lens(at.focal_35mm))
    light = cv2.GaussianBlur(scene_at(phone, level), (0, 0), SPOT_PX)
    ratio = at.frame / WHOLE[0]
    a, b = at.noise[0] * at.share, at.noise[1] * at.share
    left, top = round(0.34 * WHOLE[0]), round(0.42 * WHOLE[1])
    part = light[top : top + PIECE[1], left : left + PIECE[0]]
    first = noisy(moved_by_hand(light, blur_px / ratio), (a / ratio**2, b / ratio**2), seed)
    second = noisy(moved_by_hand(part, blur_px), (a, b), seed + 1)
    return _shown(first, second, phone.true_neutral, phone.scene.kelvin, BRIGHT)


def moved_by_hand(light: NDArray[np.float32], length: float) -> NDArray[np.float32]:
    """Smear a picture along a line, as a hand does.

    Parameters
    ----------
    light
        Linear light, 1 = sensor saturation.
    length
        Length.

    Returns
    -------
    NDArray[np.float32]
        Smeared along a line, as by a hand.
    """
    if length < 0.5:
        return light
    n = 2 * math.ceil(length / 2) + 3
    kernel = np.zeros((n, n), np.float32)
    steps = max(8, 4 * n)
    for k in range(steps):
        t = (k + 0.5) / steps - 0.5
        x, y = n / 2 - 0.5 + t * length * 0.94, n / 2 - 0.5 + t * length * 0.34
        i, j = int(x), int(y)
        for dj, di, share in ((0, 0, (1 - x + i) * (1 - y + j)), (0, 1, (x - i) * (1 - y + j)),
                              (1, 0, (1 - x + i) * (y - j)), (1, 1, (x - i) * (y - j))):  # fmt: skip
            kernel[min(j + dj, n - 1), min(i + di, n - 1)] += share / steps
    return cv2.filter2D(light, -1, kernel, borderType=cv2.BORDER_REFLECT)


# -- noise and colour


def noisy(light: NDArray[np.float32], noise: Noise, seed: int) -> NDArray[np.float32]:
    """Find what a mosaic sensor makes of it, three colours a pixel: clipped, with the grain of a demosaiced raw.

    The noise alone goes through the mosaic: a plain demosaicing of the scene would draw false colours along its edges.

    Parameters
    ----------
    light
        Linear light, 1 = sensor saturation.
    noise
        A and b of variance = a x + b, x in shares of saturation.
    seed
        Seed of the random generator.

    Returns
    -------
    NDArray[np.float32]
        What a mosaic sensor makes of it.
    """
    h, w = light.shape[:2]
    held = np.minimum(light, np.float32(1.0))
    mosaic = np.empty((h, w), np.float32)
    for site, channel in enumerate((0, 1, 1, 2)):
        r, c = divmod(site, 2)
        mosaic[r::2, c::2] = held[r::2, c::2, channel]
    spread = np.sqrt(np.maximum(noise[0] * mosaic + noise[1], 0))
    grain = spread * np.random.default_rng([seed, 61]).standard_normal((h, w), np.float32)
    unit = np.float32(4000 / max(float(spread.max()), 1e-9))
    code = np.clip(grain * unit + 32768, 0, 65535).astype(np.uint16)
    grain3 = (cv2.cvtColor(code, cv2.COLOR_BayerRGGB2RGB_EA).astype(np.float32) - 32768) / unit
    return np.minimum(held + grain3, np.float32(1.0))


def encoded(
    image: NDArray[np.float32], gain: float, neutral: NDArray[np.float64], kelvin: float
) -> NDArray[np.uint8]:  # fmt: skip
    """Compute the camera RGB in shares of saturation as sRGB, `gain` times as light; what is clipped is white.

    Parameters
    ----------
    image
        Image (H, W, 3), linear.
    gain
        Gain; 1 changes nothing.
    neutral
        Camera neutral, green = 1.
    kelvin
        Colour temperature, kelvin.

    Returns
    -------
    NDArray[np.uint8]
        Camera RGB in shares of saturation as sRGB, `gain` times as light.
    """
    _, forward = spectral.matrices(max(kelvin, 4000.0))
    matrix = (SRGB_FROM_XYZ_D50 @ forward).T.astype(np.float32)
    light = np.maximum(np.minimum(image / neutral.astype(np.float32), 1.0) @ matrix, 0) * np.float32(gain)
    white = min(WHITE, gain)  # no more than what is clipped
    light = (light * (1 + light / white**2) / (1 + light)).astype(np.float32)  # Reinhard et al. 2002, eq. 4
    found: NDArray[np.uint8] = np.rint(encode_srgb(light) * 255).astype(np.uint8)
    return found


def _shown(
    whole: NDArray[np.float32], piece: NDArray[np.float32], neutral: NDArray[np.float64], kelvin: float, bright: float
) -> SimulatedPreview:  # fmt: skip
    """Both at one brightness."""
    middle = float(np.median(cv2.blur(whole[..., 1], (15, 15))))
    gain = float(np.clip(bright / max(middle, 1e-5), 0.05, MOST_GAIN))
    return SimulatedPreview(
        encoded(whole, gain, neutral, kelvin), encoded(piece, gain, neutral, kelvin), math.log2(gain)
    )  # fmt: skip
