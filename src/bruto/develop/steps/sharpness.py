"""Sharpness: taking back the lens blur, gated by noise; negative values soften.

Two rounds of Van Cittert's iteration (1931) with a Gaussian of the measured blur, on the square root of brightness. The
gate is the local detail energy against the noise left there; the result is held within the range of the neighbourhood
plus a small share, which limits halos.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

REACH = 12
HALO_SHARE = 0.12
"""How far a sharpened value may leave its neighbourhood's range, as a share of that range."""
SMALLEST_RADIUS = 0.35
"""Below this radius (in pixels of the view) there is nothing to take back."""


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _root(rgb, out):
    for i in prange(out.shape[0]):
        for j in range(out.shape[1]):
            y = np.float32(0.25) * (rgb[i, j, 0] + rgb[i, j, 1] + rgb[i, j, 1] + rgb[i, j, 2])
            out[i, j] = math.sqrt(max(y, np.float32(0)) + np.float32(1e-6))


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _apply(rgb, root, sharp, low, high, amount, noise2, out):
    h, w = root.shape
    for i in prange(h):
        for j in range(w):
            old = root[i, j]
            d = sharp[i, j] - old
            if amount > 0:
                span = high[i, j] - low[i, j]
                gate = span * span / (span * span + noise2)
                new = old + amount * d * gate
                room = np.float32(0.12) * span
                new = min(max(new, low[i, j] - room), high[i, j] + room)
            else:
                new = old + amount * d
            new = max(new, np.float32(0))
            ratio = new * new / (old * old)
            for c in range(3):
                out[i, j, c] = rgb[i, j, c] * ratio


def sharpen(rgb: NDArray[np.float32], amount: float, radius: float, noise_sigma: float) -> NDArray[np.float32]:
    """Sharpened (amount > 0) or softened (amount < 0) copy of linear RGB (H, W, 3).

    `radius`: standard deviation of the blur in pixels of this array. `noise_sigma`: noise left in the square root of
    brightness (for variance a x the root's noise is sqrt(a) / 2, whatever x).
    """
    if amount == 0 or radius < SMALLEST_RADIUS:
        return rgb
    root = np.empty(rgb.shape[:2], np.float32)
    _root(rgb, root)
    if amount < 0:
        sharp = 2 * root - cv2.GaussianBlur(root, (0, 0), radius)
        low = high = root
    else:
        first = 2 * root - cv2.GaussianBlur(root, (0, 0), radius)
        sharp = first + root - cv2.GaussianBlur(first, (0, 0), radius)
        kernel = np.ones((3, 3), np.uint8)
        low, high = cv2.erode(root, kernel), cv2.dilate(root, kernel)
    out = np.empty_like(rgb)
    _apply(rgb, root, sharp, low, high, np.float32(amount), np.float32((4.5 * noise_sigma) ** 2), out)
    return out
