"""Noise below black that the phone cut off: what that did to the mean of dark places is undone.

Some phones store no code below black. Half of the noise of a black place then lies at black, half above: its mean is
not black but four tenths of the noise's standard deviation, and as the colours differ in noise and gain, dark grey is
magenta. The noise itself cannot be brought back, but its mean is known: that of a Gaussian cut at zero (Tobin,
"Estimation of relationships for limited dependent variables", Econometrica 26-1, 1958; Foi, "Clipped noisy images",
Signal Processing 89-12, 2009). It is sent through the same stabilisation and inverse as the picture, and read backwards
where noise reduction has found the mean.
"""

from __future__ import annotations

from functools import lru_cache
from statistics import NormalDist
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.demosaic import demosaic
from bruto.develop.steps.variance_stabilisation import inverses, light_row, stabilised

PLACES = 512
"""Of the tables, evenly over the light that noise reduction finds."""
DARKEST, BRIGHTEST = -0.3, 8.0
"""Light between which it matters, standard deviations of the noise at black; light itself is never below black."""
ELECTRONS = 16.0
"""And so many electrons more: photon noise reaches further."""
DRAWN = 64
"""Places of the noise's distribution, each as likely."""
SAMPLED = 7
"""One of so many photosites is looked at; odd, so that all colours are."""
LEAST = 200
"""Of those, this many at black at least, or there is nothing that matters."""


def is_cut(mosaic: NDArray[np.float32], noise: NDArray[Any]) -> bool:
    """Check whether a raw holds no noise below black, though it has dark places that would show it.

    Parameters
    ----------
    mosaic
        Linear light of the photosites (H, W), 0 = black.
    noise
        Noise (3, 2): a and b of variance = a x + b of each channel.

    Returns
    -------
    bool
        True where values end at black, and as many as noise would have lie just above it.
    """
    seen = mosaic.ravel()[::SAMPLED]
    if not len(seen) or seen.min() < 0:
        return False
    at_black = int(np.count_nonzero(seen == 0))
    reach = 2 * float(np.sqrt(np.median(np.asarray(noise)[:, 1])))
    above = int(np.count_nonzero((seen > 0) & (seen < reach)))
    return at_black >= LEAST and above > at_black / 3


def _moved(photosite: NDArray[Any], light: NDArray[Any]) -> NDArray[np.float64]:
    """How demosaicing changes the means of cut noise, which is skew: factors (N, 3) at places of grey light (N,)."""
    side = 256
    drawn = np.random.default_rng(7).standard_normal((side, side))
    channel = np.array([[0, 1], [1, 2]])[np.arange(side)[:, None] % 2, np.arange(side) % 2]
    a, b = photosite[:, 0][channel], photosite[:, 1][channel]
    found = np.ones((len(light), 3))
    for k, x in enumerate(light.tolist()):
        plane = np.maximum(x + drawn * np.sqrt(a * max(x, 0.0) + b), 0).astype(np.float32)
        rgb = demosaic(plane, "RGGB", noise=photosite)
        found[k] = [rgb[..., c].mean() / max(float(plane[channel == c].mean()), 1e-9) for c in range(3)]
    return found


def uncut_tables(
    photosite: NDArray[Any], noise: NDArray[Any], variance: NDArray[Any], mosaic: bool
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Compute the tables from light that noise reduction finds to the light that was there.

    Parameters
    ----------
    photosite
        a, b (3, 2) of the balanced noise of a photosite, as it would be without the cut.
    noise
        The same of what noise reduction is given: pixels of a smaller view have less.
    variance
        Of each channel's noise (3,), where that of `noise` is 1 (see `CoefficientNoise`).
    mosaic
        Whether the light went through demosaicing.

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.float32]]
        Places (3, 2), the first light and how many entries a unit of light has, and tables (3, N).
    """
    key = tuple(tuple(np.asarray(x, float).ravel().tolist()) for x in (photosite, noise, variance))
    return _uncut_tables(*key, mosaic)


@lru_cache(maxsize=16)
def _uncut_tables(
    photosite_: tuple[float, ...], noise_: tuple[float, ...], variance_: tuple[float, ...], mosaic: bool
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    photosite, noise = (np.array(x).reshape(3, 2) for x in (photosite_, noise_))
    a, b = np.maximum(noise[:, 0], 1e-9), np.maximum(noise[:, 1], 1e-12)
    back = inverses(a, b, np.array(variance_))
    drawn = np.array([NormalDist().inv_cdf((k + 0.5) / DRAWN) for k in range(DRAWN)])
    reach = BRIGHTEST * np.sqrt(photosite[:, 1].max()) + ELECTRONS * photosite[:, 0].max()
    at = reach * np.linspace(0, 1, 8) ** 2
    moved = _moved(photosite, at) if mosaic else np.ones((len(at), 3))
    places, tables = np.zeros((3, 2), np.float32), np.zeros((3, PLACES), np.float32)
    for c in range(3):
        single_a, single_b = photosite[c]
        sigma = np.sqrt(max(single_b, 1e-12))
        light = np.linspace(DARKEST * sigma, BRIGHTEST * sigma + ELECTRONS * single_a, 4 * PLACES)
        deviation = np.sqrt(single_a * np.maximum(light, 0) + single_b)[:, None]
        kept = np.maximum(light[:, None] + deviation * drawn, 0)
        mean = kept.mean(axis=1, keepdims=True)
        level = mean * np.interp(light, at, moved[:, c])[:, None]
        share = np.sqrt(variance_[c] * b[c] / max(single_b, 1e-12))  # a mean of several is as skew as they, about
        values = (level + share * (kept - mean)) / a[c]
        found = stabilised(values, b[c] / a[c] ** 2).mean(axis=1).astype(np.float32)
        light_row(found, np.float32(a[c]), back[0][c], back[1][c])
        found = np.maximum.accumulate(found.astype(float))
        even = np.linspace(found[0], found[-1], PLACES)
        places[c] = even[0], (PLACES - 1) / (even[-1] - even[0])
        tables[c] = np.interp(even, found, light)
    return places, tables


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def undo_cut(rgb, gain, places, tables):
    """Bring denoised light (h, 3 w) back to what it was before the cut, in place.

    Parameters
    ----------
    rgb
        Balanced linear light, changed where it is dark.
    gain
        Shading gain (gh, gw) over the lines, by the nearest place: the cut was before it.
    places
        See `uncut_tables`.
    tables
        See `uncut_tables`.
    """
    h, w = rgb.shape[0], rgb.shape[1] // 3
    gh, gw = gain.shape
    last = tables.shape[1] - 1
    for i in prange(h):
        row, gains = rgb[i], gain[i * gh // h]
        for j in range(w):
            shade = gains[j * gw // w]
            for c in range(3):
                at = (row[3 * j + c] / shade - places[c, 0]) * places[c, 1]
                if at >= last:
                    continue
                k = max(int(at), 0)
                slope = tables[c, k + 1] - tables[c, k]
                if at < 0:  # noise that is left: no steeper than it came
                    slope = min(slope, np.float32(1) / places[c, 1])
                row[3 * j + c] = shade * (tables[c, k] + (at - np.float32(k)) * slope)
