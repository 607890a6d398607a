"""CIELAB and CIEDE2000 of whole pictures, compiled.

The same as `color.spaces` and `color.difference`, in single precision.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import D65_XYZ, decode_srgb, space

CODES = decode_srgb(np.arange(256) / 255.0).astype(np.float32)
"""Linear light of 8-bit sRGB codes."""
TO_XYZ = space("srgb").to_xyz()
_TO_WHITE = (TO_XYZ / np.asarray(D65_XYZ)[:, None]).astype(np.float32)
_KNEE = np.float32((6 / 29) ** 3)
_SLOPE, _OFFSET = np.float32(1 / (3 * (6 / 29) ** 2)), np.float32(4 / 29)


@njit(inline="always")
def _root(t):
    return t ** np.float32(1 / 3) if t > _KNEE else t * _SLOPE + _OFFSET


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _lab(linear, m, out):
    for i in prange(linear.shape[0]):
        for j in range(linear.shape[1]):
            r, g, b = linear[i, j, 0], linear[i, j, 1], linear[i, j, 2]
            x = _root(m[0, 0] * r + m[0, 1] * g + m[0, 2] * b)
            y = _root(m[1, 0] * r + m[1, 1] * g + m[1, 2] * b)
            z = _root(m[2, 0] * r + m[2, 1] * g + m[2, 2] * b)
            out[i, j, 0] = np.float32(116) * y - np.float32(16)
            out[i, j, 1] = np.float32(500) * (x - y)
            out[i, j, 2] = np.float32(200) * (y - z)


def lab_of_light(linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute the CIELAB (D65) of linear sRGB (H, W, 3).

    Parameters
    ----------
    linear
        Linear light, 1 = white.

    Returns
    -------
    NDArray[np.float32]
        CIELAB (D65) of linear sRGB (H, W, 3).
    """
    out = np.empty(linear.shape, np.float32)
    _lab(np.ascontiguousarray(linear, np.float32), _TO_WHITE, out)
    return out


def lab_of_codes(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Compute the CIELAB (D65) of an 8-bit sRGB picture (H, W, 3).

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.

    Returns
    -------
    NDArray[np.float32]
        CIELAB (D65) of an 8-bit sRGB picture (H, W, 3).
    """
    return lab_of_light(CODES[picture])


@njit(inline="always")
def _difference(l1, a1, b1, l2, a2, b2):
    """CIEDE2000 (CIE 142:2001; Sharma, Wu, Dalal 2005)."""
    mean = np.float32(0.5) * (math.sqrt(a1 * a1 + b1 * b1) + math.sqrt(a2 * a2 + b2 * b2))
    seven = (mean / np.float32(25)) ** 7
    stretch = np.float32(1.5) - np.float32(0.5) * math.sqrt(seven / (seven + np.float32(1)))
    a1, a2 = a1 * stretch, a2 * stretch
    c1, c2 = math.sqrt(a1 * a1 + b1 * b1), math.sqrt(a2 * a2 + b2 * b2)
    pi, turn = np.float32(math.pi), np.float32(2 * math.pi)
    h1: Any = math.atan2(b1, a1)
    h2: Any = math.atan2(b2, a2)
    if h1 < 0:
        h1 = h1 + turn
    if h2 < 0:
        h2 = h2 + turn
    apart: Any = h2 - h1
    if apart > pi:
        apart = apart - turn
    elif apart < -pi:
        apart = apart + turn
    hue: Any = h1 + np.float32(0.5) * apart
    if c1 * c2 == 0:
        apart, hue = apart * 0, h1 + h2
    change = np.float32(2) * math.sqrt(c1 * c2) * math.sin(np.float32(0.5) * apart)
    light, chroma = np.float32(0.5) * (l1 + l2), np.float32(0.5) * (c1 + c2)
    degree = np.float32(math.pi / 180)
    t = (
        np.float32(1)
        - np.float32(0.17) * math.cos(hue - 30 * degree)
        + np.float32(0.24) * math.cos(2 * hue)
        + np.float32(0.32) * math.cos(3 * hue + 6 * degree)
        - np.float32(0.20) * math.cos(4 * hue - 63 * degree)
    )
    middle = (light - 50) * (light - 50)
    s_l = 1 + np.float32(0.015) * middle / math.sqrt(20 + middle)
    s_c, s_h = 1 + np.float32(0.045) * chroma, 1 + np.float32(0.015) * chroma * t
    degrees: Any = hue / degree
    degrees = degrees - 360 if degrees >= 360 else degrees + 360 if degrees < 0 else degrees
    seven = (chroma / np.float32(25)) ** 7
    blue = (degrees - 275) / 25
    turned = -2 * math.sqrt(seven / (seven + 1)) * math.sin(60 * degree * math.exp(-blue * blue))
    dl, dc, dh = (l2 - l1) / s_l, (c2 - c1) / s_c, change / s_h
    return math.sqrt(max(dl * dl + dc * dc + dh * dh + turned * dc * dh, np.float32(0)))


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _differences(one, other, out):
    for i in prange(out.shape[0]):
        for j in range(out.shape[1]):
            out[i, j] = _difference(
                one[i, j, 0], one[i, j, 1], one[i, j, 2], other[i, j, 0], other[i, j, 1], other[i, j, 2]
            )


def difference_map(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute the CIEDE2000 (H, W) of two pictures in CIELAB (H, W, 3).

    Parameters
    ----------
    one
        First picture, CIELAB (H, W, 3).
    other
        Second picture, of the same size.

    Returns
    -------
    NDArray[np.float32]
        CIEDE2000 (H, W) of two pictures in CIELAB (H, W, 3).
    """
    out = np.empty(one.shape[:2], np.float32)
    _differences(np.ascontiguousarray(one, np.float32), np.ascontiguousarray(other, np.float32), out)
    return out
