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
from bruto.develop.steps.variance_stabilisation import fitted, means

PLACES = 4096
"""Brightnesses at which the line is known before polynomials are laid through it."""
TERMS = 12
"""Of those polynomials: within 0.006 of the noise, and what they are off is put back as it was taken out."""
BRIGHTEST = 2.0
"""Light up to which the line is followed, of saturation; beyond, it goes on straight."""


class GreyLine(NamedTuple):
    """Differences of grey by its brightness y.

    Polynomials with the terms `u`, `v` (n,) in t = (y - `place[0]`) `place[1]`, -1 to 1; below that as at its end,
    above it straight on, by `place[9]` and `place[10]` for a unit of t.

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
    differences = (r - blue) / 2, (r - 2 * g + blue) / 4
    bright = light >= 16 * a.max() + 8 * (b / a).max()
    end, far = float(y[-1]), [3e38, *[0.0] * 6]
    if bright.sum() >= PLACES // 8:
        powers = y[bright, None] ** np.array([1.0, -1.0, -3.0])
        end = float(y[bright][0])
        far = [end]
        for p in differences:
            far += np.linalg.lstsq(powers, p[bright], rcond=None)[0].tolist()
    half = (end - float(y[0])) / 2
    even = np.linspace(y[0], end, PLACES)
    t = (even - y[0]) / half - 1
    u, v = (fitted(t, np.interp(even, y, p), TERMS) for p in differences)
    slopes = [float(terms @ np.arange(TERMS)) for terms in (u, v)]  # at t = 1
    return GreyLine(np.array([float(y[0]) + half, 1 / half, *far, *slopes], np.float32), u, v)


@njit(cache=True, fastmath=True, error_model="numpy")
def _polynomial(t, c):
    """Value of a polynomial of `TERMS` terms."""
    low = c[0] + t * (c[1] + t * (c[2] + t * (c[3] + t * (c[4] + t * c[5]))))
    high = c[6] + t * (c[7] + t * (c[8] + t * (c[9] + t * (c[10] + t * c[11]))))
    cube = t * t * t
    return low + cube * cube * high


@njit(cache=True, fastmath=True, error_model="numpy")
def grey_row(y, place, terms_u, terms_v, u, v):
    """Return the differences of grey at a row of brightness, to `u` and `v`.

    Parameters
    ----------
    y
        Stabilised brightness (n,).
    place
        See `GreyLine`.
    terms_u
        Terms of the first colour difference.
    terms_v
        Terms of the second colour difference.
    u
        First colour difference of grey (n,), written.
    v
        Second colour difference of grey (n,), written.
    """
    middle, per, far, one, none = place[0], place[1], place[2], np.float32(1), np.float32(0)
    for first, terms, slope, out in ((3, terms_u, place[9], u), (6, terms_v, place[10], v)):
        by, by_inverse, by_cube = place[first], place[first + 1], place[first + 2]
        for j in range(len(y)):
            x = y[j]
            at = (x - middle) * per
            dark = _polynomial(min(max(at, -one), one), terms) + slope * max(at - one, none)
            inverse = one / max(x, one)
            light = by * x + inverse * (by_inverse + by_cube * inverse * inverse)
            out[j] = dark if x <= far else light


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def without_grey(y, place, terms_u, terms_v, u, v, out_u, out_v):
    """Return the differences less those that grey of brightness y (h, w) has.

    `u`, `v` are as large, or of half the size.

    Parameters
    ----------
    y
        Stabilised brightness (H, W).
    place
        See `grey_row`.
    terms_u
        Terms of the first colour difference.
    terms_v
        Terms of the second colour difference.
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
                grey_row(y[2 * i + sub], place, terms_u, terms_v, grey_u[sub], grey_v[sub])
            for k in range(u.shape[1]):
                j = 2 * k
                out_u[i, k] = u[i, k] - np.float32(0.25) * (
                    (grey_u[0, j] + grey_u[0, j + 1]) + (grey_u[1, j] + grey_u[1, j + 1])
                )
                out_v[i, k] = v[i, k] - np.float32(0.25) * (
                    (grey_v[0, j] + grey_v[0, j + 1]) + (grey_v[1, j] + grey_v[1, j + 1])
                )
        else:
            grey_row(y[i], place, terms_u, terms_v, grey_u[0], grey_v[0])
            for k in range(w):
                out_u[i, k] = u[i, k] - grey_u[0, k]
                out_v[i, k] = v[i, k] - grey_v[0, k]
