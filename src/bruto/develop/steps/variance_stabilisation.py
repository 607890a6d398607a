"""From the mean of stabilised values back to light, without bias: the exact unbiased inverse.

The mean of the square root of noisy light is not the square root of its mean; where a photosite holds few electrons
the difference is as large as the light itself, and as the noise of the colours differs, so would their error: dark
grey would be magenta. The mean is calculated for Poisson and Gaussian noise and inverted (Makitalo, Foi, "Optimal
inversion of the generalized Anscombe transformation for Poisson-Gaussian noise", IEEE TIP 22-1, 2013, eq. 6), and for
the variance that a channel really has after demosaicing, which is not that of a photosite.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit
from numpy.polynomial import chebyshev
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on

FARTHEST = 3.0
"""Standard deviations below black that are noise; what is lower (demosaicing overshoots) counts as that."""
BRIGHTEST = 16.0
"""Electrons up to which the mean is calculated; above, its expansion is as good."""
PLACES = 256
"""Stabilised values at which the inverse is known before a polynomial is laid through it."""
TERMS = 8
"""Of that polynomial."""
FAR_BELOW = -3e38
"""Middle of a polynomial that is never asked."""
QUIETEST = 200.0
"""Variance of read noise, electrons squared, above which noise is as good as Gaussian and the expansion holds."""


def stabilised(electrons: NDArray[Any], read: float) -> NDArray[np.float64]:
    """Compute the generalised Anscombe transform for read noise of that variance.

    Straight below black, to `FARTHEST`.

    Parameters
    ----------
    electrons
        Signal in electrons.
    read
        Read noise in electrons.

    Returns
    -------
    NDArray[np.float64]
        Generalised Anscombe transform for read noise of that variance.

    Examples
    --------
    >>> stabilised(np.array([0.0, -1.0]), 0.625).tolist()
    [2.0, 1.0]
    """
    offset = read + 0.375
    return 2 * np.sqrt(np.maximum(electrons, 0) + offset) + np.clip(electrons / np.sqrt(offset), -FARTHEST, 0)


def mean_stabilised(electrons: NDArray[Any], read: float, variance: float) -> NDArray[np.float64]:
    """Compute the mean of `stabilised` z.

    z has a mean of `electrons` (N,) and `variance` times the noise of a photosite, which is Poisson's and a Gaussian
    one of variance `read` (electrons squared).

    Less variance than a photosite's is that of a mean of several, more has a Gaussian part more.

    Parameters
    ----------
    electrons
        Signal in electrons.
    read
        Read noise in electrons.
    variance
        Variance of the noise.

    Returns
    -------
    NDArray[np.float64]
        Mean of `stabilised` z, where z has a mean of `electrons` (n,) and `variance` times the noise of a
        photosite, which is Poisson's and a Gaussian one of variance `read` (electrons squared).

    Examples
    --------
    >>> float(mean_stabilised(np.array([30.0]), 0.0, 1.0)[0].round(3))  # of Anscombe's transform
    10.977
    """
    share = min(variance, 1.0)
    count = electrons / share
    top = float(count.max())
    k = np.arange(int(top + 12 * np.sqrt(top) + 40))
    log_factorial = np.concatenate([[0.0], np.cumsum(np.log(np.arange(1, len(k))))])
    with np.errstate(divide="ignore", invalid="ignore"):
        chance = np.exp(np.where(k == 0, 0.0, k * np.log(count[:, None])) - count[:, None] - log_factorial)
    nodes, weights = np.polynomial.hermite_e.hermegauss(16)
    weights = weights / weights.sum()
    if variance <= 1:
        values = (share * k)[:, None] + np.sqrt(variance * read) * nodes
        each = stabilised(values, read) @ weights
        return chance @ each
    spread = np.sqrt(variance * read + (variance - 1) * electrons)
    values = k[None, :, None] + spread[:, None, None] * nodes
    each = stabilised(values, read) @ weights
    return (chance * each).sum(axis=1)


@lru_cache(maxsize=64)
def _mean(read: float, variance: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    electrons = BRIGHTEST * np.linspace(0, 1, 128) ** 2
    return electrons, mean_stabilised(electrons, read, variance)


def _rounded(a: float, b: float, variance: float) -> tuple[float, float]:
    return float(f"{b / a**2:.4g}"), round(variance, 3)


def means(light: NDArray[Any], a: NDArray[Any], b: NDArray[Any], variance: NDArray[Any]) -> NDArray[np.float64]:
    """Compute the mean of stabilised values (n, 3) of light (n,) in each channel: what `inverses` undo.

    Straight below black.

    Parameters
    ----------
    light
        Linear light, 1 = sensor saturation.
    a
        Photon noise of each channel (3,): a of variance a x + b.
    b
        Read noise of each channel (3,): b of variance a x + b.
    variance
        Variance of the noise.

    Returns
    -------
    NDArray[np.float64]
        Mean of stabilised values (n, 3) of light (n,) in each channel.
    """
    found = []
    for scale, offset, v in zip(a.tolist(), b.tolist(), variance.tolist(), strict=True):
        read, v = _rounded(scale, offset, v)
        x = light / scale
        values = 2 * np.sqrt(np.maximum(x + read + 0.375 - v / 4, 0))
        if read <= QUIETEST:
            electrons, known = _mean(read, v)
            values += known[-1] - 2 * np.sqrt(BRIGHTEST + read + 0.375 - v / 4)
            slope = (known[1] - known[0]) / electrons[1]
            values = np.where(x < BRIGHTEST, np.interp(x, electrons, known), values)
            values = np.where(x < 0, known[0] + slope * x, values)
        found.append(values)
    return np.stack(found, axis=-1)


def fitted(t: NDArray[Any], values: NDArray[Any], count: int) -> NDArray[np.float32]:
    """Lay a polynomial through values; it is found in Chebyshev's, which are well conditioned.

    Parameters
    ----------
    t
        Places (n,), -1 to 1.
    values
        Values there (n,).
    count
        How many terms it has.

    Returns
    -------
    NDArray[np.float32]
        Its terms (count,), that of the lowest power first.

    Examples
    --------
    >>> t = np.linspace(-1, 1, 9)
    >>> (fitted(t, 2 * t**2 - 1, 4).round(3) + 0).tolist()
    [-1.0, 0.0, 2.0, 0.0]
    """
    terms = chebyshev.cheb2poly(chebyshev.chebfit(t, values, count - 1))
    return np.pad(terms, (0, count - len(terms))).astype(np.float32)


@lru_cache(maxsize=64)
def _inverse(read: float, variance: float) -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    electrons, mean = _mean(read, variance)
    even = np.linspace(mean[0], mean[-1], PLACES)
    known = np.interp(even, mean, electrons)
    half = (mean[-1] - mean[0]) / 2
    terms = fitted((even - mean[0]) / half - 1, known, TERMS)
    return np.array([mean[0] + half, 1 / half, (known[1] - known[0]) / (even[1] - even[0]) * half]), terms


def inverses(
    a: NDArray[Any], b: NDArray[Any], variance: NDArray[Any]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Compute the inverse of three channels, in electrons: how it is scaled (3, 4), and terms of a polynomial (3, n).

    For stabilised values D with t = (D - `place[0]`) `place[1]` from -1 to 1 it is the polynomial in t, within
    0.004 electrons; below, it goes on by `place[2]` for each unit of t, so that what is below black stays there;
    above, it is D^2 / 4 + `place[3]`.

    Parameters
    ----------
    a
        Photon noise of each channel (3,): a of variance a x + b.
    b
        Read noise of each channel (3,): b of variance a x + b.
    variance
        Variance of the noise, where a photosite's is 1 (3,).

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.float32]]
        Places (3, 4) and terms (3, n).
    """
    places, terms = np.zeros((3, 4), np.float32), np.zeros((3, TERMS), np.float32)
    for c in range(3):
        read, v = _rounded(float(a[c]), float(b[c]), float(variance[c]))
        if read > QUIETEST:
            places[c] = FAR_BELOW, 1, 0, v / 4 - 0.375 - read
            continue
        place, terms[c] = _inverse(read, v)
        end = place[0] + 1 / place[1]
        places[c] = *place, BRIGHTEST - end * end / 4
    return places, terms


@njit(cache=True, fastmath=True, error_model="numpy")
def light_row(d, scale, place, terms):
    """Bring the stabilised values of one channel back to light, in place.

    Parameters
    ----------
    d
        Stabilised values (n,), changed to light.
    scale
        Light of an electron.
    place
        See `inverses`.
    terms
        See `inverses`.
    """
    middle, per, slope, level = place[0], place[1], place[2], place[3]
    one, none, quarter = np.float32(1), np.float32(0), np.float32(0.25)
    c0, c1, c2, c3, c4, c5, c6, c7 = (
        terms[0], terms[1], terms[2], terms[3], terms[4], terms[5], terms[6], terms[7]
    )  # fmt: skip
    for j in range(len(d)):
        x = max(d[j], none)
        at = (d[j] - middle) * per
        t = min(max(at, -one), one)
        dark = c0 + t * (c1 + t * (c2 + t * (c3 + t * (c4 + t * (c5 + t * (c6 + t * c7))))))
        dark += slope * min(at + one, none)
        d[j] = scale * (dark if at <= one else x * x * quarter + level)
