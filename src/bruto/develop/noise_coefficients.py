"""The noise of cosine coefficients after the steps before noise reduction, measured on pure noise.

Demosaicing makes noise coarse, and mixes that of the colours: red and blue, whose light is multiplied most, bring
their noise into green. How much depends on how the noise of the colours compares, which the gains of the white balance
decide; so it is measured for a grid of such ratios, by `tools/noise_coefficients.py`, and read between. Whoever changes
the demosaicing or the transform measures it again, which a test demands.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.develop.demosaic import demosaic
from bruto.develop.steps.dct import SIDE

COARSE = 4
"""Reduction of the coarse picture."""
FINEST = 1.25
"""Factor on the noise of brightness at the finest two coefficients of a mosaic, where single ones that are left over
show as tiny meshes.
"""
GREEN = np.array([0.25, 0.5, 1.0, 1.0], np.float32)
EVEN = np.array([1 / 3, 1 / 3, 2 / 3, 4 / 3], np.float32)
"""Shares of red (and blue) and of green in brightness, and of the second colour difference in them again: a mosaic
knows green best; of pictures and linear raws all channels are as noisy as each other.
"""
RATIOS = (-0.5, 0.0, 0.5, 1.0, 1.5)
"""Grid: log2 of the standard deviation of red's, or blue's, noise over that of green's, balanced, at grey light."""
SHADOW = 0.03
"""Light, of saturation, at which noise is compared: where it is seen."""
PLACE = "data/noise.npz"


class CoefficientNoise(NamedTuple):
    """Noise of each coefficient and channel, relative to that of a photosite.

    Standard deviation of each coefficient (3, 8, 8) of brightness and both colour differences, at full size and at
    1 / `COARSE`; and variance of the noise in the three channels (3,); all where that of a photosite is 1.
    """

    fine: NDArray[np.float32]
    coarse: NDArray[np.float32]
    variance: NDArray[np.float32]


@cache
def _tables() -> dict[str, NDArray[np.float32]]:
    with (files("bruto.develop") / PLACE).open("rb") as stream:
        found = np.load(stream)
        return {name: found[name] for name in found.files}


def ratios_of(noise: NDArray[Any]) -> tuple[float, float]:
    """Compute log2 of red's and blue's noise over green's, from a and b (3, 2) of balanced light, within the grid.

    Parameters
    ----------
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.

    Returns
    -------
    tuple[float, float]
        log2 of red's and blue's noise over green's, from a and b (3, 2) of balanced light, within the grid.

    Examples
    --------
    >>> ratios_of(np.array([[2e-3, 0], [1e-3, 0], [4e-3, 0]]))
    (0.5, 1.0)
    """
    variance = noise[:, 0] * SHADOW + noise[:, 1]
    red, green, blue = np.log2(np.maximum(variance, 1e-20)) / 2
    low, high = RATIOS[0], RATIOS[-1]
    return round(float(np.clip(red - green, low, high)), 3), round(float(np.clip(blue - green, low, high)), 3)


@cache
def coefficient_noise(kind: str, half: bool, red: float = 0.0, blue: float = 0.0) -> CoefficientNoise:
    """Return the noise of what is denoised.

    Parameters
    ----------
    kind
        "mosaic" (through the demosaicing), "binned" (quads: green has half the variance), "plain" (three
        independent channels).
    half
        Colours at half the size.
    red
        See `ratios_of`; they matter to mosaics alone.
    blue
        See `ratios_of`; they matter to mosaics alone.

    Returns
    -------
    CoefficientNoise
        Noise of every coefficient.
    """
    if kind != "mosaic":
        green = 0.5 if kind == "binned" else 1.0
        side, middle = (EVEN if kind == "plain" else GREEN)[:2]
        planes = np.array([2 * side**2 + middle**2 * green, 0.5, (2 + 4 * green) / 16], np.float32)
        fine = planes * np.array([1, 0.25, 0.25] if half else [1, 1, 1], np.float32)
        spread = np.sqrt(fine)[:, None, None] * np.ones((1, SIDE, SIDE), np.float32)
        return CoefficientNoise(spread, (spread / COARSE).astype(np.float32), np.array([1, green, 1], np.float32))
    (i, f), (j, g) = (divmod((r - RATIOS[0]) / (RATIOS[1] - RATIOS[0]), 1) for r in (red, blue))
    last = len(RATIOS) - 1
    found = []
    for name in (f"fine {half}", f"coarse {half}", "variance"):
        table = _tables()[name]
        upper, lower = table[int(i)], table[min(int(i) + 1, last)]
        row = upper * (1 - f) + lower * f
        found.append((row[int(j)] * (1 - g) + row[min(int(j) + 1, last)] * g).astype(np.float32))
    return CoefficientNoise(*found)


def measured(red: float, blue: float) -> dict[str, NDArray[np.float32]]:
    """Find what is kept of one place of the grid, on 768 x 768 of Gaussian noise.

    Parameters
    ----------
    red
        Gain of red.
    blue
        Gain of blue.

    Returns
    -------
    dict[str, NDArray[np.float32]]
        What is kept of one place of the grid, on 768 x 768 of Gaussian noise.
    """
    n = 768
    noise = np.random.default_rng(5).standard_normal((n, n)).astype(np.float32)
    sigma = np.array([2**red, 1, 2**blue], np.float32)
    noise[0::2, 0::2] *= sigma[0]
    noise[1::2, 1::2] *= sigma[2]
    rgb = demosaic(noise, "RGGB", noise=np.stack([np.zeros(3), sigma**2], axis=1)) / sigma
    r, g, b = (rgb[..., k] for k in range(3))
    whole = [GREEN[0] * (r + b) + GREEN[1] * g, (r - b) / 2, (r - 2 * g + b) / 4]
    found = {"variance": rgb.reshape(-1, 3).var(axis=0).astype(np.float32)}
    for half in (True, False):
        planes = list(whole)
        if half:
            planes[1:] = [cv2.resize(p, (n // 2, n // 2), interpolation=cv2.INTER_AREA) for p in planes[1:]]
        coarse = [cv2.resize(p, None, fx=1 / COARSE, fy=1 / COARSE, interpolation=cv2.INTER_AREA) for p in planes]
        fine = np.stack([_spread(p, 4 if p.shape[0] == n else 2) for p in planes])
        u, v = np.mgrid[:SIDE, :SIDE]
        fine[0, np.maximum(u, v) >= SIDE - 2] *= FINEST
        found[f"fine {half}"], found[f"coarse {half}"] = fine, np.stack([_spread(p, 1) for p in coarse])
    return found


def _spread(plane: NDArray[Any], step: int) -> NDArray[np.float32]:
    """Root mean square of the coefficients of overlapping blocks (8, 8); symmetric, as rows are as columns."""
    from scipy.fft import dctn

    blocks = np.lib.stride_tricks.sliding_window_view(plane[SIDE:-SIDE, SIDE:-SIDE], (SIDE, SIDE))[::step, ::step]
    square = np.mean(dctn(blocks, axes=(2, 3), norm="ortho") ** 2, axis=(0, 1))
    return np.sqrt((square + square.T) / 2).astype(np.float32)
