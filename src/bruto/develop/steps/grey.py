"""What a grey surface shows in stabilised values: both colour differences follow from its brightness.

Each channel is stabilised by its own noise, and the gains of the white balance make that of red and blue larger; so
even grey has colour differences, in proportion to its brightness. Noise reduction that kept fine brightness and
flattened these differences would paint fine dark detail green and light detail pink. What grey would show is taken
out of the differences before they are denoised, and comes back with the denoised brightness.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.compiled  # noqa: F401  sets up what kernels run on
from bruto.develop.steps.unbiased import means

PLACES = 4096
"""Of the tables, evenly over brightness: near black, where the line bends, a tenth of the noise apart or closer."""
BRIGHTEST = 2.0
"""Light at the end of the tables, of full; beyond, the line goes on straight."""


class GreyLine(NamedTuple):
    """Differences `u`, `v` (n,) of grey at brightness `place[0]` + k / `place[1]` for k = 0 .. n - 1."""

    place: NDArray[np.float32]
    u: NDArray[np.float32]
    v: NDArray[np.float32]


def grey_line(a: NDArray, b: NDArray, variance: NDArray, mixing: NDArray) -> GreyLine:
    """The line of grey for the noise of three channels (see `means`); `mixing`: see `noise_coefficients`."""
    darkest = -float((0.375 * a + b / a).max())
    light = darkest + (BRIGHTEST - darkest) * np.linspace(0, 1, 4 * PLACES) ** 2
    r, g, blue = means(light, a, b, variance).T
    y = mixing[0] * (r + blue) + mixing[1] * g
    even = np.linspace(y[0], y[-1], PLACES)
    u, v = (np.interp(even, y, p).astype(np.float32) for p in ((r - blue) / 2, (r - 2 * g + blue) / 4))
    return GreyLine(np.array([even[0], (PLACES - 1) / (even[-1] - even[0])], np.float32), u, v)


@njit(cache=True, fastmath=True, error_model="numpy")
def grey_row(y, place, table_u, table_v, u, v):
    """Differences of grey at a row of brightness, to `u` and `v`."""
    start, per = place[0], place[1]
    last = np.float32(len(table_u) - 2)
    for j in range(len(y)):
        at = max((y[j] - start) * per, np.float32(0))
        k = np.uint32(np.int32(min(at, last)))
        f = at - np.float32(k)
        u[j] = table_u[k] + f * (table_u[k + np.uint32(1)] - table_u[k])
        v[j] = table_v[k] + f * (table_v[k + np.uint32(1)] - table_v[k])


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def without_grey(y, place, table_u, table_v, u, v, out_u, out_v):
    """Differences less those that grey of brightness y (h, w) has; `u`, `v` are as large, or of half the size."""
    h, w = y.shape
    half = u.shape[0] != h
    for i in prange(u.shape[0]):
        grey_u, grey_v = np.empty((2, w), np.float32), np.empty((2, w), np.float32)
        if half:
            for sub in range(2):
                grey_row(y[2 * i + sub], place, table_u, table_v, grey_u[sub], grey_v[sub])
            for k in range(u.shape[1]):
                j = 2 * k
                out_u[i, k] = u[i, k] - np.float32(0.25) * (
                    (grey_u[0, j] + grey_u[0, j + 1]) + (grey_u[1, j] + grey_u[1, j + 1])
                )
                out_v[i, k] = v[i, k] - np.float32(0.25) * (
                    (grey_v[0, j] + grey_v[0, j + 1]) + (grey_v[1, j] + grey_v[1, j + 1])
                )
        else:
            grey_row(y[i], place, table_u, table_v, grey_u[0], grey_v[0])
            for k in range(w):
                out_u[i, k] = u[i, k] - grey_u[0, k]
                out_v[i, k] = v[i, k] - grey_v[0, k]
