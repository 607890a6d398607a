"""Correlated colour temperature and Duv: distance from the Planckian locus in CIE 1960 u, v.

Definitions: CIE 015:2018 for the temperature, ANSI C78.377 for the sign of Duv (positive above the locus: greenish).
The locus is integrated from Planck's law with the CIE 1931 observer; between table points the distance is minimised.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.color.spectra import C2_M_K, observer, wavelengths

KELVIN_RANGE = (1500.0, 50000.0)
"""What a temperature in a recipe may be, K."""


@cache
def _locus() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Reciprocal temperatures (mired) and u, v (N, 2) of the locus, 900 K to 200 000 K."""
    mired = np.linspace(5.0, 1e6 / 900, 3000)
    metres = wavelengths()[None] * 1e-9
    power = metres**-5.0 / np.expm1(C2_M_K * mired[:, None] * 1e-6 / metres)
    return mired, _xyz_to_uv(power @ observer())


def _xyz_to_uv(xyz: NDArray[Any]) -> NDArray[Any]:
    x, y, z = np.moveaxis(np.asarray(xyz, float), -1, 0)
    d = x + 15 * y + 3 * z
    return np.stack([4 * x / d, 6 * y / d], axis=-1)


def _uv_to_xy(u: float, v: float) -> tuple[float, float]:
    d = 2 * u - 8 * v + 4
    return float(3 * u / d), float(2 * v / d)


def xy_of(kelvin: float, duv: float = 0.0) -> tuple[float, float]:
    """Compute the chromaticity of a temperature and Duv.

    Parameters
    ----------
    kelvin
        Colour temperature, kelvin.
    duv
        Distance from the Planckian locus, CIE 1960.

    Returns
    -------
    tuple[float, float]
        Chromaticity of a temperature and Duv.
    """
    mired, uv = _locus()
    m = 1e6 / kelvin
    point = np.array([np.interp(m, mired, uv[:, k]) for k in (0, 1)])
    ahead = np.array([np.interp(m + 0.5, mired, uv[:, k]) for k in (0, 1)])
    along = (ahead - point) / np.linalg.norm(ahead - point)  # towards lower temperature: u grows
    normal = np.array([-along[1], along[0]])  # above the locus: v grows
    return _uv_to_xy(*(point + duv * normal))


def kelvin_duv_of(x: float, y: float) -> tuple[float, float]:
    """Compute the temperature in K and Duv of a chromaticity.

    Parameters
    ----------
    x
        CIE 1931 x.
    y
        CIE 1931 y.

    Returns
    -------
    tuple[float, float]
        Temperature in K and Duv of a chromaticity.
    """
    mired, uv = _locus()
    here = _xyz_to_uv(np.array([x, y, 1 - x - y]))
    distance = np.sum((uv - here) ** 2, axis=1)
    k = int(np.clip(np.argmin(distance), 1, len(mired) - 2))
    segment_best = (np.inf, mired[k], 0.0)
    for i in (k - 1, k):
        start, end = uv[i], uv[i + 1]
        t = float(np.clip(np.dot(here - start, end - start) / np.dot(end - start, end - start), 0, 1))
        foot = start + t * (end - start)
        gap = float(np.linalg.norm(here - foot))
        along = (end - start) / np.linalg.norm(end - start)
        sign = np.sign(along[0] * (here - foot)[1] - along[1] * (here - foot)[0]) or 1.0
        if gap < segment_best[0]:
            segment_best = (gap, mired[i] + t * (mired[i + 1] - mired[i]), sign * gap)
    return 1e6 / segment_best[1], float(segment_best[2])
