"""Hot photosites: single ones far above their neighbours, whose light no lens could have put there.

A star or a glint lights the sites beside it too, as a lens blurs it; a defect does not. In frames that are laid on each
other a defect would become a row of dots, or stay in the reference for good, as no other frame agrees with it.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on

SIGMAS = 6.0
"""Standard deviations of the noise above the lightest neighbour of its colour."""
BESIDE = 0.08
"""Share of its excess that the sites beside it have at most; of the narrowest star it is 0.15."""


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _without_hot(data, a, b, out):
    h, w = data.shape
    for y in prange(h):
        line, to = data[y], out[y]
        for x in range(w):
            to[x] = line[x]
        if y < 2 or y >= h - 2:
            continue
        above, below, before, after = data[y - 2], data[y + 2], data[y - 1], data[y + 1]
        for x in range(2, w - 2):
            own = line[x]
            if own <= line[x - 2] or own <= line[x + 2] or own <= above[x] or own <= below[x]:
                continue
            most = max(max(line[x - 2], line[x + 2]), max(above[x], below[x]))
            most = max(most, max(max(above[x - 2], above[x + 2]), max(below[x - 2], below[x + 2])))
            excess = own - most
            if excess <= SIGMAS * math.sqrt(a * max(most, np.float32(0)) + b):
                continue
            # beside it: the four nearest sites over those one step farther out of the same colour
            near = (line[x - 1] + line[x + 1]) + (before[x] + after[x])
            corners = (before[x - 1] + before[x + 1]) + (after[x - 1] + after[x + 1])
            left, right = line[max(x - 3, 0)], line[min(x + 3, w - 1)]
            top, low = data[max(y - 3, 0), x], data[min(y + 3, h - 1), x]
            base = (left + right) + (top + low)
            if (near - base) * np.float32(0.25) > np.float32(BESIDE) * excess + np.float32(2) * math.sqrt(
                (a * max(base * np.float32(0.25), np.float32(0)) + b) * np.float32(0.5)
            ):
                continue
            if corners * np.float32(0.25) > own * np.float32(0.5):
                continue
            some = np.sort(np.array([
                line[x - 2], line[x + 2], above[x], below[x], above[x - 2], above[x + 2], below[x - 2], below[x + 2],
            ]))  # fmt: skip
            to[x] = (some[3] + some[4]) * np.float32(0.5)


def without_hot(data: NDArray[np.float32], noise: NDArray[np.float64]) -> NDArray[np.float32]:
    """Compute a mosaic (H, W; 1 = saturation) whose hot sites have the median of their neighbours.

    `noise` (3, 2): a, b of the variance a x + b.

    Parameters
    ----------
    data
        Samples, changed in place.
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.

    Returns
    -------
    NDArray[np.float32]
        The mosaic (H, W) without them.

    Examples
    --------
    >>> mosaic = np.full((9, 9), 0.1, np.float32); mosaic[4, 4] = 0.9
    >>> round(float(without_hot(mosaic, np.full((3, 2), 1e-5))[4, 4]), 3)
    0.1
    """
    out = np.empty_like(data)
    _without_hot(data, np.float32(noise[:, 0].mean()), np.float32(noise[:, 1].mean()), out)
    return out
