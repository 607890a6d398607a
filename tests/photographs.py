"""Photographs that nobody here rendered, as raw files: those of scikit-image, sent backwards through a sensor.

Their sRGB codes are taken as light; the sensor sees it through its colour gains, with photon and read noise, a mosaic
of some phase, a black level and a depth of its own. What was there before the noise is known.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from skimage import data

from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import DngTags
from bruto.container.profile import Calibration
from bruto.develop.source import Source, source_of_raw
from tests.again import write_dng

LIGHT = 0.7
"""White of a photograph on the sensor, of full."""
XYZ_TO_SRGB = np.array(
    [[3.2404542, -1.5371385, -0.4985314], [-0.969266, 1.8760108, 0.041556], [0.0556434, -0.2040259, 1.0572252]]
)
"""IEC 61966-2-1."""
D65 = 21
"""Exif code of the illuminant."""


@cache
def light_of(name: str) -> NDArray[np.float32]:
    """Linear sRGB light (H, W, 3), even sizes, white = 1; "grey NAME": only its luminance."""
    picture = getattr(data, name.removeprefix("grey "))()
    picture = picture[0] if isinstance(picture, tuple) else picture
    picture = picture if picture.ndim == 3 else np.repeat(picture[..., None], 3, axis=2)
    h, w = (n // 2 * 2 for n in picture.shape[:2])
    light = decode_srgb(picture[:h, :w, :3] / 255.0).astype(np.float32)
    if name.startswith("grey "):
        light = np.repeat((light @ np.array([0.2126, 0.7152, 0.0722], np.float32))[..., None], 3, axis=2)
    return light


@dataclass(frozen=True)
class Sensor:
    """Variance of noise a x + b of light 0..1 at a photosite; `gains` that balance red, green, blue."""

    a: float = 2e-3
    b: float = 2e-6
    gains: tuple[float, float, float] = (2.4, 1.0, 1.4)
    cfa: str = "RGGB"
    bits: int = 12
    black: float = 256.0
    iso: float = 400.0
    exposure_s: float = 0.01

    @property
    def white(self) -> float:
        return 2.0**self.bits - 1


KINDS = (
    Sensor(),
    Sensor(cfa="BGGR", bits=10, black=64.0),
    Sensor(cfa="GRBG", bits=14, black=1024.0, gains=(1.9, 1.0, 1.8)),
    Sensor(cfa="GBRG", bits=12, black=240.0, gains=(1.6, 1.0, 2.6)),
)
"""Headers of several kinds: every phase, three depths, daylight, shade and lamplight."""


def seen(light: NDArray[np.float32], sensor: Sensor, scale: float = LIGHT) -> NDArray[np.float32]:
    """The light at the sensor's photosites, without noise (H, W), full = 1."""
    plane = np.empty(light.shape[:2], np.float32)
    for k, color in enumerate(sensor.cfa):
        c = "RGB".index(color)
        plane[k // 2 :: 2, k % 2 :: 2] = light[k // 2 :: 2, k % 2 :: 2, c] * (scale / sensor.gains[c])
    return plane


def noisy(plane: NDArray[np.float32], sensor: Sensor, seed: int) -> NDArray[np.float64]:
    """Light at photosites with the noise of photons (Poisson) and of reading (Gauss)."""
    random = np.random.default_rng(seed)
    photons = random.poisson(np.maximum(plane, 0) / sensor.a) * sensor.a
    return photons + random.standard_normal(plane.shape) * np.sqrt(sensor.b)


def codes_of(light: NDArray[np.float32], sensor: Sensor, seed: int, scale: float = LIGHT) -> NDArray[np.uint16]:
    """A shot of the light; `seed` -1: without noise."""
    plane = seen(light, sensor, scale).astype(float)
    if seed >= 0:
        plane = noisy(plane, sensor, seed)
    codes = np.round(plane * (sensor.white - sensor.black) + sensor.black)
    return np.clip(codes, 0, sensor.white).astype(np.uint16)


def tags_of(sensor: Sensor) -> DngTags:
    """The header: one calibration under daylight, the noise as it is."""
    gains = np.array(sensor.gains)
    return DngTags(
        black=np.full(4, sensor.black), white=np.array([sensor.white]), bits=sensor.bits,
        calibrations=(Calibration(D65, color=XYZ_TO_SRGB / gains[:, None]),), as_shot_neutral=1 / gains,
        cfa=sensor.cfa, noise_profile=np.tile([sensor.a, sensor.b], (3, 1)), make="Vessar", model="Vessar Tide 4",
        taken="2026:06:21 12:00:00", iso=sensor.iso, exposure_s=sensor.exposure_s,
        f_number=1.8, focal_mm=5.9, focal_35mm=26.0,
    )  # fmt: skip


def write_photograph(
    path: Path, light: NDArray[np.float32], sensor: Sensor = KINDS[0], seed: int = 1, scale: float = LIGHT
) -> Path:
    """A DNG of the light."""
    preview = np.round(255 * encode_srgb(np.clip(light[::2, ::2], 0, 1))).astype(np.uint8)
    write_dng(path, codes_of(light, sensor, seed, scale), tags_of(sensor), preview)
    return path


def source_of(
    folder: Path, light: NDArray[np.float32], sensor: Sensor = KINDS[0], seed: int = 1, scale: float = LIGHT
) -> Source:
    """The same, opened."""
    path = write_photograph(folder / "photograph.dng", light, sensor, seed, scale)
    return source_of_raw(path, read_dng(path))
