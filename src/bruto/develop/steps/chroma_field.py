"""The colour of a neighbourhood, in proportion to light: what noise reduction of colour need not find again.

A surface in its own shadow keeps its chromaticity: its colour differences shrink with the light. A threshold on them
sees in a dark pupil or brow no more than noise, lets go of the detail, and leaves the *difference* of the skin around
it, which on so little light is a magenta or blue eye. So the differences that the neighbourhood's chromaticity would
show at the brightness of each pixel are taken out before, and come back with the denoised brightness; the threshold
judges only where colour departs from them. The ratio is that of a weighted straight line through the origin, as in a
guided filter without its offset (He, Sun, Tang, "Guided image filtering", IEEE TPAMI 35-6, 2013).
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on

CELL = 4
"""Pixels to the side of the cells whose means the ratio is found from: their noise is a quarter of a pixel's."""
REACH = 1.5
"""Standard deviation of the neighbourhood, cells (found on scikit-image's photographs: 1 to 2.5 are as good)."""
LITTLE = np.float32(0.5)
"""Square of light, in standard deviations of noise, at which half of the ratio is believed."""


def unlit_brightness(a: NDArray[Any], b: NDArray[Any], channel_matrix: NDArray[Any]) -> float:
    """Compute the stabilised brightness of no light, the mean of noise aside.

    Parameters
    ----------
    a, b
        Of variance a x + b of the three balanced channels (3,).
    channel_matrix
        Shares of the channels in brightness (see `noise_coefficients`).

    Returns
    -------
    float
        Stabilised brightness, in standard deviations of noise.

    Examples
    --------
    >>> none = np.zeros(3)
    >>> round(unlit_brightness(none + 1e-3, none, np.array([0.25, 0.5])), 3)  # 2 sqrt(3/8)
    1.225
    """
    red, green, blue = (2 * np.sqrt(0.375 + b / a**2)).tolist()
    return float(channel_matrix[0] * (red + blue) + channel_matrix[1] * green)


@njit(cache=True, fastmath=True, error_model="numpy")
def _light(y, unlit):
    """Stabilised brightness to what colour differences go by: y far from black, light itself near it."""
    y = max(y, unlit)
    return y - unlit * unlit / y


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _products(y, u, v, unlit, light, to_u, to_v):
    """Square of light and its products with both differences, of means over cells."""
    h, w = light.shape
    share = np.float32(1 / (CELL * CELL))
    for i in prange(h):
        line, line_u, line_v = light[i], to_u[i], to_v[i]
        line[:], line_u[:], line_v[:] = np.float32(0), np.float32(0), np.float32(0)
        for k in range(CELL * i, CELL * i + CELL):
            row, row_u, row_v = y[k], u[k], v[k]
            for j in range(w):
                x = CELL * j
                line[j] += (row[x] + row[x + 1]) + (row[x + 2] + row[x + 3])
                line_u[j] += (row_u[x] + row_u[x + 1]) + (row_u[x + 2] + row_u[x + 3])
                line_v[j] += (row_v[x] + row_v[x + 1]) + (row_v[x + 2] + row_v[x + 3])
        for j in range(w):
            q = _light(share * line[j], unlit)
            line[j], line_u[j], line_v[j] = q * q, share * q * line_u[j], share * q * line_v[j]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _add(y, fields, unlit, sign, u, v):
    """Add `sign` times what the ratios give at brightness y (all h, w) to both differences."""
    for i in prange(y.shape[0]):
        row, row_u, row_v, ratio_u, ratio_v = y[i], u[i], v[i], fields[0, i], fields[1, i]
        for j in range(y.shape[1]):
            q = sign * _light(row[j], unlit)
            row_u[j] += ratio_u[j] * q
            row_v[j] += ratio_v[j] * q


class ChromaField:
    """Ratios of the colour differences to light around every pixel (2, H, W), and what they say of a brightness."""

    def __init__(self, y: NDArray[np.float32], u: NDArray[np.float32], v: NDArray[np.float32], unlit: float) -> None:
        """Find the ratios.

        Parameters
        ----------
        y
            Stabilised brightness (H, W), denoised or not, in standard deviations of noise; at least a cell.
        u, v
            Stabilised colour differences (H, W), less those of grey.
        unlit
            See `unlit_brightness`.
        """
        h, w = y.shape
        self._unlit = np.float32(unlit)
        light, *products = (np.empty((h // CELL, w // CELL), np.float32) for _ in range(3))
        _products(y, u, v, self._unlit, light, *products)
        weight = cv2.GaussianBlur(light, (0, 0), REACH) + LITTLE
        step, first = 1 / CELL, (1 / CELL - 1) / 2
        to_cells = np.array([[step, 0, first], [0, step, first]], np.float32)
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        self._ratios = np.empty((2, h, w), np.float32)
        for product, ratio in zip(products, self._ratios, strict=True):
            product = cv2.GaussianBlur(product, (0, 0), REACH) / weight
            cv2.warpAffine(product, to_cells, (w, h), ratio, flags=flags, borderMode=cv2.BORDER_REPLICATE)

    def add(self, y: NDArray[np.float32], u: NDArray[np.float32], v: NDArray[np.float32], sign: float) -> None:
        """Add what the neighbourhood's chromaticity shows at brightness `y` to `u` and `v`, or take it out, in place.

        Parameters
        ----------
        y
            Stabilised brightness (H, W), as far as it is known.
        u, v
            Stabilised colour differences (H, W), changed.
        sign
            1 to add, -1 to take out.
        """
        _add(y, self._ratios, self._unlit, np.float32(sign), u, v)
