"""How much of the brightness that noise reduction took stays as grain: little in even places, more in texture.

Grain is seen on plain ground and hidden by texture (visual masking; Watson, Solomon, "Model of visual contrast gain
control and pattern masking", JOSA A 14-9, 1997), where a part of what was taken is texture itself.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.buffer_pool import empty
from bruto.develop.noise_coefficients import COARSE

EVEN = 0.1
"""Share that stays in even places: it hides the meshes of single coefficients that are left over. Less from a strength
of 1 on, none at 2.
"""
IN_TEXTURE = 0.7
"""Share that stays in texture up to a strength of 2/3; as little as elsewhere from 1 on, where all noise is to go."""
TEXTURE = (0.2, 0.7)
"""Mean bend of brightness without noise, each counted up to `BEND`, where grain begins to be hidden and where it is:
in `BEND`. Both found on scikit-image's photographs.
"""
BEND = 2.0
"""Second difference of brightness that counts wholly, in standard deviations of the noise: an edge alone is no texture.
"""
SPREAD = 0.75
"""Standard deviation of the smoothing of texture, in squares of `COARSE` pixels."""


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _bends(plane, most, out):
    """Mean of the second differences along rows and columns, each up to `most`, in squares of `COARSE`."""
    h, w = out.shape
    last, right = plane.shape[0] - 1, plane.shape[1] - 1
    for i in prange(h):
        total = np.zeros(w * COARSE, np.float32)
        for sub in range(COARSE):
            k = COARSE * i + sub
            above, here, below = plane[max(k - 1, 0)], plane[k], plane[min(k + 1, last)]
            for x in range(1, min(w * COARSE, right)):
                twice = np.float32(2) * here[x]
                total[x] += min(abs(twice - here[x - 1] - here[x + 1]) + abs(twice - above[x] - below[x]), most)
        line = out[i]
        for j in range(w):
            line[j] = (total[4 * j] + total[4 * j + 1]) + (total[4 * j + 2] + total[4 * j + 3])


def grain_shares(
    brightness: NDArray[np.float32], sigma: float, gain: NDArray[np.float32], strength: float
) -> NDArray[np.float32]:
    """Compute the share of what noise reduction took that stays at each pixel.

    Parameters
    ----------
    brightness
        Stabilised brightness (H, W) without noise.
    sigma
        Standard deviation of the noise that was in it.
    gain
        Gain of the shading correction (h, w), any size; noise grows by its square root.
    strength
        Multiples of the standard deviation that were taken out.

    Returns
    -------
    NDArray[np.float32]
        Shares (H, W), 0 to 1.
    """
    even = EVEN * min(max(2.0 - strength, 0.0), 1.0)
    texture = max(even, IN_TEXTURE * min(3.0 * (1.0 - strength), 1.0))
    h, w = (n // COARSE for n in brightness.shape)
    if texture <= even or min(h, w) < 1:
        return np.full(brightness.shape, even, np.float32)
    bends = empty((h, w))
    _bends(brightness, np.float32(BEND * sigma), bends)
    bends *= np.float32(1 / (COARSE * COARSE * BEND * sigma))
    if gain.size > 1:
        bends /= np.sqrt(cv2.resize(gain, (w, h), interpolation=cv2.INTER_LINEAR))
    bends = cv2.GaussianBlur(bends, (0, 0), SPREAD, borderType=cv2.BORDER_REPLICATE)
    begins, whole = TEXTURE
    shares = np.clip((bends - np.float32(begins)) / np.float32(whole - begins), 0, 1)
    shares = shares * np.float32(texture - even) + np.float32(even)
    shares = cv2.resize(shares, (w * COARSE, h * COARSE), interpolation=cv2.INTER_LINEAR)
    rows, columns = brightness.shape[0] - h * COARSE, brightness.shape[1] - w * COARSE
    return cv2.copyMakeBorder(shares, 0, rows, 0, columns, cv2.BORDER_REPLICATE) if rows or columns else shares
