"""Spectra of light and of the standard observer, 380-780 nm in 5 nm steps.

CIE 1931 2 degree colour-matching functions and daylight components: CIE 015:2018.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

C2_M_K = 1.438776877e-2
"""Second radiation constant, metre kelvin (CODATA 2018)."""


@cache
def _tables() -> dict[str, NDArray[np.float64]]:
    with (files("bruto.color") / "data/cie1931.npz").open("rb") as stream, np.load(stream) as data:
        return {name: np.asarray(data[name], float) for name in data.files}


def wavelengths() -> NDArray[np.float64]:
    """(81,) nm."""
    return _tables()["wavelengths"]


def observer() -> NDArray[np.float64]:
    """(81, 3) x, y, z colour-matching functions."""
    return _tables()["cmfs"]


def planck(kelvin: float) -> NDArray[np.float64]:
    """Compute (81,) relative spectral power of a Planckian radiator, 1 at 560 nm.

    Parameters
    ----------
    kelvin
        Colour temperature, kelvin.

    Returns
    -------
    NDArray[np.float64]
        (81,) relative spectral power of a Planckian radiator, 1 at 560 nm.
    """
    metres = wavelengths() * 1e-9

    def power(m):
        return m**-5.0 / np.expm1(C2_M_K / (m * kelvin))

    return power(metres) / power(560e-9)


def daylight_xy(kelvin: float) -> tuple[float, float]:
    """Compute the chromaticity of the CIE daylight phase, 4000-25000 K.

    CIE 015:2018, equations 4.8 to 4.10.

    Parameters
    ----------
    kelvin
        Colour temperature, kelvin.

    Returns
    -------
    tuple[float, float]
        Chromaticity x, y.
    """
    t = float(kelvin)
    if t <= 7000:
        x = -4.6070e9 / t**3 + 2.9678e6 / t**2 + 0.09911e3 / t + 0.244063
    else:
        x = -2.0064e9 / t**3 + 1.9018e6 / t**2 + 0.24748e3 / t + 0.237040
    return x, -3.000 * x * x + 2.870 * x - 0.275


def daylight(kelvin: float) -> NDArray[np.float64]:
    """Compute (81,) relative spectral power of a daylight phase, 4000-25000 K.

    Parameters
    ----------
    kelvin
        Colour temperature, kelvin.

    Returns
    -------
    NDArray[np.float64]
        (81,) relative spectral power of a daylight phase, 4000-25000 K.
    """
    x, y = daylight_xy(kelvin)
    m = 0.0241 + 0.2562 * x - 0.7341 * y
    m1 = (-1.3515 - 1.7703 * x + 5.9114 * y) / m
    m2 = (0.0300 - 31.4424 * x + 30.0717 * y) / m
    s = _tables()["daylight"]
    return (s[:, 0] + m1 * s[:, 1] + m2 * s[:, 2]) / 100.0
