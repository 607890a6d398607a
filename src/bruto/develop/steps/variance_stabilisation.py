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
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on

FARTHEST = 3.0
"""Standard deviations below black that are noise; what is lower (demosaicing overshoots) counts as that."""
BRIGHTEST = 16.0
"""Electrons up to which the mean is calculated; above, its expansion is as good."""
PLACES = 256
"""Of the table, evenly over stabilised values."""
PART = 128
"""Pixels of a row that are looked up in the table together, if one of them is dark."""
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


@lru_cache(maxsize=64)
def _inverse(read: float, variance: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    electrons, mean = _mean(read, variance)
    even = np.linspace(mean[0], mean[-1], PLACES)
    table = np.interp(even, mean, electrons)
    place = np.array([even[0], (PLACES - 1) / (even[-1] - even[0])], np.float32)
    return place, table.astype(np.float32)


def inverses(
    a: NDArray[Any], b: NDArray[Any], variance: NDArray[Any]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Compute the place and table, in electrons, of the inverse of three channels, (3, 3) and (3, n).

    Table k belongs to the stabilised value `place[c, 0]` + k / `place[c, 1]`; below the table it goes on
    straight, so that what is below black stays there.

    Above it D^2 / 4 + `place[c, 2]` holds. `a`, `b` (3,): of variance a x + b; `variance` (3,): of the noise, where
    a photosite's is 1.

    Parameters
    ----------
    a
        Photon noise of each channel (3,): a of variance a x + b.
    b
        Read noise of each channel (3,): b of variance a x + b.
    variance
        Variance of the noise.

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.float32]]
        Place and table, in electrons, of the inverse of three channels, (3, 3) and (3, n): table k belongs to
        the stabilised value `place[c, 0]` + k / `place[c, 1]`; below the table it goes on straight, so that what
        is below black stays there.
    """
    places, tables = np.zeros((3, 3), np.float32), np.zeros((3, PLACES), np.float32)
    for c in range(3):
        read, v = _rounded(float(a[c]), float(b[c]), float(variance[c]))
        places[c, 2] = v / 4 - 0.375 - read
        if read > QUIETEST:
            places[c, 0] = -3e38  # the table is never asked
            continue
        place, tables[c] = _inverse(read, v)
        end = float(place[0] + (PLACES - 1) / place[1])
        places[c] = *place, BRIGHTEST - end * end / 4
    return places, tables


@njit(cache=True, fastmath=True, error_model="numpy")
def light_row(d, scale, place, table):
    """Bring the stabilised values of one channel back to light, in place.

    Parameters
    ----------
    d
        Stabilised values (n,), changed to light.
    scale
        Light of an electron.
    place
        First value of the table, entries a unit, and what is added to the square beyond it.
    table
        Light over stabilised values, electrons.
    """
    start, per, quarter, level = place[0], place[1], np.float32(0.25), place[2]
    last = np.float32(len(table) - 2)
    end = start + np.float32(len(table) - 1) / per
    known = start > np.float32(-1e30)
    for first in range(0, len(d), PART):
        part = d[first : first + PART]
        below = np.float32(0)  # a sum, as the least of many is not found in vector registers
        for j in range(len(part)):
            below += max(end - part[j], np.float32(0))
        if below == 0 or not known:  # parts without dark places are many, and need no table
            for j in range(len(part)):
                x = max(part[j], np.float32(0))
                part[j] = scale * (x * x * quarter + level)
            continue
        for j in range(len(part)):
            x = part[j]
            at = (x - start) * per
            k = np.uint32(np.int32(min(max(at, np.float32(0)), last)))
            low = table[k]
            dark = low + (at - np.float32(k)) * (table[k + np.uint32(1)] - low)
            part[j] = scale * (dark if x <= end else x * x * quarter + level)
