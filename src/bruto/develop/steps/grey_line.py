"""What a grey surface shows in stabilised values: both colour differences follow from its brightness.

Each channel is stabilised by its own noise, and the gains of the white balance make that of red and blue larger; so
even grey has colour differences, in proportion to its brightness. Noise reduction that kept fine brightness and
flattened these differences would paint fine dark detail green and light detail pink. What grey would show is taken
out of the differences before they are denoised, and comes back with the denoised brightness.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.steps.variance_stabilisation import means

PLACES = 4096
"""Of the tables, evenly over brightness: near black, where the line bends, a tenth of the noise apart or closer."""
BRIGHTEST = 2.0
"""Light at the end of the tables, of saturation; beyond, the line goes on straight."""
PART = 128
"""Pixels of a row that are looked up in the tables together, if one of them is dark."""


class GreyLine(NamedTuple):
    """Differences `u`, `v` (n,) of grey at brightness `place[0]` + k / `place[1]` for k = 0 .. n - 1.

    Above brightness `place[2]` y they are the sums of `place[3:6]` (u) and `place[6:9]` (v) times y, 1 / y and 1 / y^3:
    what is left of the square roots' expansion where light is much more than the noise's offsets.
    """

    place: NDArray[np.float32]
    u: NDArray[np.float32]
    v: NDArray[np.float32]


def grey_line(a: NDArray[Any], b: NDArray[Any], variance: NDArray[Any], channel_matrix: NDArray[Any]) -> GreyLine:
    """Return the line of grey for the noise of three channels (see `means`).

    Parameters
    ----------
    a
        Photon noise of each channel (3,): a of variance a x + b.
    b
        Read noise of each channel (3,): b of variance a x + b.
    variance
        Variance of the noise.
    channel_matrix
        See `noise_coefficients`.

    Returns
    -------
    GreyLine
        The line of grey for the noise of three channels (see `means`).
    """
    return _grey_line(*(tuple(np.asarray(x, float).tolist()) for x in (a, b, variance, channel_matrix)))


@lru_cache(maxsize=16)
def _grey_line(
    a_: tuple[Any, ...], b_: tuple[Any, ...], variance_: tuple[Any, ...], channel_matrix: tuple[Any, ...]
) -> GreyLine:
    a, b, variance = (np.array(x) for x in (a_, b_, variance_))
    darkest = -float((0.375 * a + b / a).max())
    light = darkest + (BRIGHTEST - darkest) * np.linspace(0, 1, 4 * PLACES) ** 2
    r, g, blue = means(light, a, b, variance).T
    y = channel_matrix[0] * (r + blue) + channel_matrix[1] * g
    even = np.linspace(y[0], y[-1], PLACES)
    differences = (r - blue) / 2, (r - 2 * g + blue) / 4
    u, v = (np.interp(even, y, p).astype(np.float32) for p in differences)
    bright = light >= 16 * a.max() + 8 * (b / a).max()
    if bright.sum() < PLACES // 8:
        far = [3e38, *[0.0] * 6]
    else:
        powers = y[bright, None] ** np.array([1.0, -1.0, -3.0])
        far = [float(y[bright][0])]
        for p in differences:
            far += np.linalg.lstsq(powers, p[bright], rcond=None)[0].tolist()
    return GreyLine(np.array([even[0], (PLACES - 1) / (even[-1] - even[0]), *far], np.float32), u, v)


@njit(cache=True, fastmath=True, error_model="numpy")
def grey_row(y, place, table_u, table_v, u, v):
    """Return the differences of grey at a row of brightness, to `u` and `v`.

    Parameters
    ----------
    y
        Stabilised brightness (n,).
    place
        First brightness of the tables, entries a unit, where they end, and six coefficients beyond.
    table_u
        Table of the first colour difference.
    table_v
        Table of the second colour difference.
    u
        First colour difference of grey (n,), written.
    v
        Second colour difference of grey (n,), written.
    """
    start, per, one = place[0], place[1], np.float32(1)
    u0, u1, u2, v0, v1, v2 = place[3], place[4], place[5], place[6], place[7], place[8]
    last = np.float32(len(table_u) - 2)
    for low in range(0, len(y), PART):
        high = min(low + PART, len(y))
        part, to_u, to_v = y[low:high], u[low:high], v[low:high]
        below = np.float32(0)  # a sum, as the least of many is not found in vector registers
        for j in range(high - low):
            below += max(place[2] - part[j], np.float32(0))
        if below == 0:
            for j in range(high - low):
                x = part[j]
                inverse = one / x
                square = inverse * inverse
                to_u[j] = u0 * x + inverse * (u1 + u2 * square)
                to_v[j] = v0 * x + inverse * (v1 + v2 * square)
            continue
        for j in range(high - low):
            at = max((part[j] - start) * per, np.float32(0))
            k = np.uint32(np.int32(min(at, last)))
            f = at - np.float32(k)
            to_u[j] = table_u[k] + f * (table_u[k + np.uint32(1)] - table_u[k])
            to_v[j] = table_v[k] + f * (table_v[k + np.uint32(1)] - table_v[k])


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def without_grey(y, place, table_u, table_v, u, v, out_u, out_v):
    """Return the differences less those that grey of brightness y (h, w) has.

    `u`, `v` are as large, or of half the size.

    Parameters
    ----------
    y
        Stabilised brightness (H, W).
    place
        See `grey_row`.
    table_u
        Table of the first colour difference.
    table_v
        Table of the second colour difference.
    u
        First colour difference, (H, W) or half the size.
    v
        Second colour difference, of the same size.
    out_u
        First difference less that of grey, written.
    out_v
        Second difference less that of grey, written.
    """
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
