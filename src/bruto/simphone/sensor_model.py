"""The simulated sensor: a 48 MP quad sensor of an invented phone, that bins to 12 MP (and to 3 MP for small demos).

Exposure follows ISO 12232 (saturation-based): a focal-plane exposure of 78 / ISO lux seconds fills the scale. Noise is
Poisson in electrons plus Gaussian read noise, then quantisation, so in units of saturation variance = a x + b with
a = ISO / (50 full_well) and b = (read ISO / (50 full_well))^2 + quantisation.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

MAKE, MODEL = "Vessar", "Vessar Tide 4"
F_NUMBER, FOCAL_MM, FOCAL_35MM = 1.9, 5.9, 26.0
BLACK, WHITE, BITS = 256, 4095, 12


@dataclass(frozen=True)
class SimulatedLens:
    """One lens with its sensor."""

    name: str
    focal_35mm: float
    focal_mm: float
    f_number: float
    full_well: float
    read_electrons: float
    blur: float
    """Standard deviation at 12 MP, pixels."""
    shading: float
    """Falloff relative to the main lens."""


LENSES = {
    "main": SimulatedLens("main", FOCAL_35MM, FOCAL_MM, F_NUMBER, 9000.0, 3.0, 0.575, 1.0),
    "wide": SimulatedLens("wide", 15.0, 2.2, 2.4, 6200.0, 2.2, 0.75, 1.5),
    "tele": SimulatedLens("tele", 68.0, 9.4, 2.6, 5200.0, 2.0, 0.65, 0.6),
}
"""The phone's lenses: a quad sensor behind the main one, plain 12 MP sensors behind the others."""
LENS_TRANSMISSION = 0.65
"""q of ISO 12232: lens transmission, vignetting and geometry."""
SATURATION_LUX_S = 78.0
BASE_ISO = 50.0
SIZES = {3: (2016, 1512), 12: (4032, 3024), 48: (8064, 6048)}
ISOS = (
    50,
    64,
    80,
    100,
    125,
    160,
    200,
    250,
    320,
    400,
    500,
    640,
    800,
    1000,
    1250,
    1600,
    2000,
    2500,
    3200,
    4000,
    5000,
    6400,
)
SHUTTERS = tuple(
    1 / d
    for d in (
        12000,
        8000,
        6000,
        4000,
        3200,
        2500,
        2000,
        1600,
        1250,
        1000,
        800,
        640,
        500,
        400,
        320,
        250,
        200,
        160,
        125,
        100,
        80,
        60,
        50,
        40,
        30,
        25,
        20,
        15,
        10,
        8,
        6,
        4,
        2,
    )
) + (1.0, 2.0, 4.0, 8.0, 13.0, 20.0, 30.0)
BOX_SIGMA = 0.29
"""Standard deviation of a pixel's own square aperture, in pixels (1 / sqrt 12)."""
GAIN_MAP_SHAPE = (13, 17)


@dataclass(frozen=True)
class Sensor:
    """Full well and read noise in electrons for one output size."""

    full_well: float
    read_electrons: float

    def noise(self, iso: float) -> tuple[float, float]:
        """Compute (a, b) of variance a x + b, x = 1 at saturation.

        Parameters
        ----------
        iso
            ISO speed.

        Returns
        -------
        tuple[float, float]
            (a, b) of variance a x + b, x = 1 at saturation.
        """
        gain = iso / BASE_ISO / self.full_well
        return gain, (self.read_electrons * gain) ** 2 + 1 / 12 / (WHITE - BLACK) ** 2


def sensor_for(megapixels: int, lens: str = "main") -> Sensor:
    """Return the sensor at a size: binned modes collect four sites' charge; the 3 MP demo keeps the noise of 12 MP.

    Parameters
    ----------
    megapixels
        Resolution of the simulated phone: 3, 12 or 48.
    lens
        Main, wide or tele.

    Returns
    -------
    Sensor
        The binned modes collect four sites' charge.
    """
    if megapixels == 48:
        return Sensor(2300.0, 1.7)
    return Sensor(LENSES[lens].full_well, LENSES[lens].read_electrons)


def exposure_factor(iso: float, seconds: float, f_number: float = F_NUMBER) -> float:
    """Compute the saturation units per cd/m2 on the axis.

    Parameters
    ----------
    iso
        ISO speed.
    seconds
        Exposure time, seconds.
    f_number
        F-number of the lens.

    Returns
    -------
    float
        Saturation units per cd/m2 on the axis.
    """
    return LENS_TRANSMISSION * seconds * iso / (SATURATION_LUX_S * f_number**2)


def shading(width: int, height: int, channel: int) -> NDArray[np.float32]:
    """Compute the relative illumination (h, w), 1 in the middle.

    About 0.45 in the corners, a little different for each channel.

    Parameters
    ----------
    width
        Width, pixels.
    height
        Height, pixels.
    channel
        Index of the colour channel.

    Returns
    -------
    NDArray[np.float32]
        Relative illumination (h, w), 1 in the middle.
    """
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    return falloff((x + 0.5) / width, (y + 0.5) / height, channel)


def falloff(u: NDArray[Any], v: NDArray[Any], channel: int, lens: str = "main") -> NDArray[Any]:
    """Compute the relative illumination at relative positions (0..1).

    Parameters
    ----------
    u
        Horizontal positions, shares.
    v
        Values.
    channel
        Index of the colour channel.
    lens
        Main, wide or tele.

    Returns
    -------
    NDArray
        Relative illumination at relative positions (0..1).
    """
    r2 = ((u - 0.5) ** 2 * 0.64 + (v - 0.5) ** 2 * 0.36) * 4
    shading = LENSES[lens].shading
    strength = (0.60, 0.55, 0.52)[channel] * shading
    return 1 / (1 + strength * r2 + 0.5 * shading * r2 * r2)


def blur_sigma(width: int, lens: str = "main") -> float:
    """Compute the blur of lens and pixel at a capture width, in its pixels.

    Parameters
    ----------
    width
        Width, pixels.
    lens
        Main, wide or tele.

    Returns
    -------
    float
        Blur of lens and pixel at a capture width, in its pixels.
    """
    return float(np.hypot(LENSES[lens].blur * width / 4032, BOX_SIGMA))


def meter(luminance: NDArray[Any], ev: float = 0.0, f_number: float = F_NUMBER) -> tuple[float, float]:
    """Compute the ISO and shutter time the phone's automatic would set for an image of luminance in cd/m2.

    Aims the mean of logarithms at 0.10 of saturation without letting more than 1 % pass 0.9; keeps ISO 50 to 1/60 s,
    then raises ISO to 800, then time to 1/15 s, then ISO again.

    Parameters
    ----------
    luminance
        Luminance (H, W), linear, 1 = white.
    ev
        Exposure change, EV.
    f_number
        F-number of the lens.

    Returns
    -------
    tuple[float, float]
        ISO and shutter time the phone's automatic would set for an image of luminance in cd/m2.
    """
    y = np.maximum(np.asarray(luminance, float).ravel(), 1e-4)
    aim = min(0.10 / np.exp(np.mean(np.log(y))), 1.6 / np.percentile(y, 98.5)) * 2.0**ev
    needed = aim / exposure_factor(1.0, 1.0, f_number)  # ISO times seconds
    for iso, longest in ((50, 1 / 60), (800, 1 / 60), (800, 1 / 15), (6400, 1 / 15)):
        seconds = needed / iso
        if seconds <= longest:
            if iso == 800 and longest == 1 / 60:
                iso = min(ISOS, key=lambda v: abs(np.log(v * longest / needed)))
                seconds = needed / iso
            return float(iso), float(min(SHUTTERS, key=lambda s: abs(np.log(s / seconds))))
    return 6400.0, 1 / 15
