"""Colour difference."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def delta_e00(first: NDArray[Any], second: NDArray[Any]) -> NDArray[np.float64]:
    """Compute the CIEDE2000 difference of CIELAB arrays (..., 3).

    CIE 142:2001; Sharma, Wu, Dalal 2005 for the pitfalls of implementations.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.

    Returns
    -------
    NDArray[np.float64]
        CIEDE2000 (...), of arrays without their last axis.
    """
    l1, a1, b1 = np.moveaxis(np.asarray(first, float), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(second, float), -1, 0)
    c_mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = np.where(grey, 0, (h2 - h1 + 180) % 360 - 180)
    d_hue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    h_mean = np.where(grey, h1 + h2, (h1 + dh / 2) % 360)
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    s_l = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    s_c, s_h = 1 + 0.045 * c_mean, 1 + 0.015 * c_mean * t
    turn = 30 * np.exp(-(((h_mean - 275) / 25) ** 2))
    r_t = -np.sin(np.radians(2 * turn)) * 2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7))
    x, y, z = (l2 - l1) / s_l, (c2 - c1) / s_c, d_hue / s_h
    return np.sqrt(np.maximum(x * x + y * y + z * z + r_t * y * z, 0))
