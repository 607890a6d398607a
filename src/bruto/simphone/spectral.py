"""Spectra of the simulated world: sensor, reflectances, chart, and the matrices the phone's files carry.

The sensor does not satisfy the Luther condition, as real ones do not; the matrices in the files are fitted on other
reflectances than those of the chart, so the chart's colour error is the sensor's own and the fit's, not zero.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from bruto.color.adaptation import bradford
from bruto.color.spectra import daylight, observer, planck, wavelengths

D50_XYZ = np.array([0.96422, 1.0, 0.82521])
"""White of the profile connection space (ICC.1:2022)."""


def _bell(centre: float, left: float, right: float) -> NDArray[np.float64]:
    nm = wavelengths()
    return np.exp(-0.5 * ((nm - centre) / np.where(nm < centre, left, right)) ** 2)


@cache
def sensor() -> NDArray[np.float64]:
    """(81, 3) relative quantum efficiency of the red, green and blue sites behind the infrared cut."""
    nm = wavelengths()
    cut = 1 / (1 + np.exp((nm - 668) / 9))
    uv = 1 / (1 + np.exp((408 - nm) / 6))
    red = 0.86 * _bell(602, 33, 60) + 0.05 * _bell(450, 25, 25)
    green = 1.0 * _bell(532, 38, 43) + 0.02
    blue = 0.82 * _bell(458, 27, 31) + 0.01
    return np.stack([red, green, blue], axis=1) * (cut * uv)[:, None]


@cache
def reflectance_basis() -> NDArray[np.float64]:
    """(81, 3) smooth reflectances that sum to one: long, middle and short wavelengths."""
    nm = wavelengths()
    long = 1 / (1 + np.exp(-(nm - 585) / 13))
    short = 1 / (1 + np.exp((nm - 492) / 13))
    return np.stack([long, 1 - long - short, short], axis=1)


def illuminant(kelvin: float, tungsten: bool = False) -> NDArray[np.float64]:
    """Compute (81,) daylight phase, or a Planckian radiator below 4000 K or where `tungsten` is set.

    Parameters
    ----------
    kelvin
        Colour temperature, kelvin.
    tungsten
        Whether the light is tungsten.

    Returns
    -------
    NDArray[np.float64]
        (81,) daylight phase, or a Planckian radiator below 4000 K or where `tungsten` is set.
    """
    return planck(kelvin) if tungsten or kelvin < 4000 else daylight(kelvin)


def camera_response(spectra: NDArray[np.float64], light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Compute the sensor response (N, 3) of reflectances (81, N) under a light, per unit of illuminance.

    Green of a white under D55 is 1.

    Parameters
    ----------
    spectra
        Spectra (N, wavelengths).
    light
        Linear light, 1 = sensor saturation.

    Returns
    -------
    NDArray[np.float64]
        Sensor response (N, 3) of reflectances (81, N) under a light, per unit of illuminance.
    """
    per_lux = 1.0 / (observer()[:, 1] @ light)
    d55 = daylight(5500)
    unit = (sensor()[:, 1] @ d55) / (observer()[:, 1] @ d55)
    return ((sensor() * light[:, None]).T @ spectra).T * per_lux / unit


def tristimulus(spectra: NDArray[np.float64], light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Compute the XYZ (N, 3) of reflectances (81, N) under a light; Y of a white is 1.

    Parameters
    ----------
    spectra
        Spectra (N, wavelengths).
    light
        Linear light, 1 = sensor saturation.

    Returns
    -------
    NDArray[np.float64]
        XYZ (N, 3) of reflectances (81, N) under a light.
    """
    return ((observer() * light[:, None]).T @ spectra).T / (observer()[:, 1] @ light)


@cache
def chart() -> NDArray[np.float64]:
    """(81, 25) reflectances: 18 colours, 6 neutrals, and the grey card (18 %)."""
    nm = wavelengths()

    def step(at, width, low, high):
        return low + (high - low) / (1 + np.exp(-(nm - at) / width))

    def peak(at, width, base, top):
        return base + (top - base) * np.exp(-0.5 * ((nm - at) / width) ** 2)

    colors = [
        step(592, 22, 0.05, 0.20) + peak(450, 40, 0, 0.02),
        step(570, 28, 0.16, 0.62),
        peak(465, 55, 0.08, 0.34),
        peak(552, 34, 0.045, 0.16),
        peak(445, 55, 0.18, 0.44) + step(640, 25, 0, 0.15),
        peak(508, 60, 0.12, 0.56),
        step(578, 14, 0.05, 0.62),
        peak(450, 38, 0.07, 0.34),
        step(602, 15, 0.07, 0.56) + peak(430, 40, 0, 0.05),
        peak(430, 36, 0.04, 0.15) + step(650, 18, 0, 0.14),
        step(522, 14, 0.06, 0.50) - step(600, 40, 0, 0.14),
        step(556, 15, 0.05, 0.68),
        peak(450, 30, 0.03, 0.27),
        peak(540, 32, 0.05, 0.30),
        step(615, 13, 0.035, 0.62),
        step(528, 15, 0.05, 0.76),
        peak(430, 50, 0.10, 0.34) + step(605, 17, 0, 0.55),
        peak(495, 48, 0.05, 0.36),
    ]
    neutrals = [np.full_like(nm, v) * (1 + 0.01 * (nm - 560) / 200) for v in (0.88, 0.58, 0.36, 0.19, 0.09, 0.033)]
    return np.clip(np.stack([*colors, *neutrals, np.full_like(nm, 0.18)], axis=1), 0.005, 0.95)


@cache
def _training() -> NDArray[np.float64]:
    """(81, 400) random smooth reflectances: squashed sums of slow cosines."""
    random = np.random.default_rng(1931)
    t = (wavelengths() - 380) / 400
    order = np.arange(7)
    weights = random.normal(0, 1, (400, 7)) * np.array([1.2, 1.2, 1.1, 0.8, 0.55, 0.3, 0.2])
    curves = weights @ np.cos(np.pi * order[:, None] * t[None])
    return (0.02 + 0.9 / (1 + np.exp(-curves))).T


@cache
def matrices(kelvin: float, tungsten: bool = False) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Fit the ColorMatrix (XYZ to camera) and ForwardMatrix (balanced camera to XYZ of D50) for one illuminant.

    As DNG 1.7, chapter 6, defines them.

    Parameters
    ----------
    kelvin
        Colour temperature, kelvin.
    tungsten
        Whether the light is tungsten.

    Returns
    -------
    tuple[NDArray[np.float64], NDArray[np.float64]]
        ColorMatrix (3, 3) and ForwardMatrix (3, 3).
    """
    light = illuminant(kelvin, tungsten)
    white = np.ones((81, 1))
    camera, xyz = camera_response(_training(), light), tristimulus(_training(), light)
    camera_white, xyz_white = camera_response(white, light)[0], tristimulus(white, light)[0]
    weight = 1.0 / (xyz[:, 1:2] + 0.05)
    color = np.linalg.lstsq(xyz * weight, camera * weight, rcond=None)[0].T
    color *= (camera_white / (color @ xyz_white))[:, None]  # white exactly
    balanced = camera / camera_white
    target = xyz @ bradford(xyz_white, D50_XYZ).T
    forward = np.linalg.lstsq(balanced * weight, target * weight, rcond=None)[0].T
    forward *= (D50_XYZ / forward.sum(axis=1))[:, None]
    return color / (color @ D50_XYZ).max(), forward
