"""Noise of a frame: variance = a x + b in units of saturation, from the file or from the picture itself."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from bruto.container.rawframe import CFA_LETTERS, Linear, RawMeta

BLOCK = 8
NEARLY_FULL = 0.97
"""Share of saturation from which a site says nothing of noise."""
PURE_NOISE_PERCENTILE = 0.554
"""Fifth percentile of a block's variance for pure noise of unit variance (found on 100 000 blocks of Gaussian
noise).
"""
_BINS = 24


def file_noise(meta: RawMeta) -> NDArray[np.float64] | None:
    """(3, 2) a, b of red, green, blue from tag 51041 (DNG 1.7, NoiseProfile), or None."""
    profile = meta.noise_profile
    if profile is None:
        return None
    if len(profile) == 1:
        return np.tile(profile, (3, 1))
    if len(profile) == 4 and meta.cfa:  # one for each mosaic site
        return np.array([np.mean([profile[k] for k in range(4) if meta.cfa[k] == c], axis=0) for c in CFA_LETTERS])
    return np.asarray(profile[:3], float) if len(profile) >= 3 else None


def _channel(linear: Linear, channel: int) -> NDArray[np.float32]:
    if linear.data.ndim == 3:
        return linear.data[..., channel]
    sites = [k for k in range(4) if linear.cfa[k] == CFA_LETTERS[channel]]
    row, column = divmod(sites[0], 2)
    return linear.data[row::2, column::2]


def _blocks(plane: NDArray[np.float32]) -> tuple[NDArray, NDArray]:
    """Mean and noise variance of BLOCK x BLOCK blocks; the variance is that of a second difference in both directions.

    Blocks with a full site have an infinite mean: clipped light has no noise.

    The kernel [1 -2 1] x [1 -2 1] (Immerkaer 1996) is blind to slopes; its response has 36 times the noise variance.
    """
    h, w = plane.shape[0] // BLOCK * BLOCK, plane.shape[1] // BLOCK * BLOCK
    p = plane[:h, :w]
    rows = p[:-2] - 2 * p[1:-1] + p[2:]
    response = rows[:, :-2] - 2 * rows[:, 1:-1] + rows[:, 2:]
    response = np.pad(response * response, ((0, 2), (0, 2)), mode="edge")
    shape = (h // BLOCK, BLOCK, w // BLOCK, BLOCK)
    mean, variance = (q.reshape(shape).mean(axis=(1, 3)).ravel() for q in (p, response))
    part_full = p.reshape(shape).max(axis=(1, 3)).ravel() > NEARLY_FULL
    return np.where(part_full, np.inf, mean), variance / 36.0


def _bin_variances(mean: NDArray, variance: NDArray, expected: NDArray) -> tuple[NDArray, NDArray]:
    """Signal and noise variance of bins of like brightness, most blocks of which may hold texture.

    Of each bin the fifth percentile of variance / expected is taken, so that blocks of unlike brightness can share a
    bin, and divided by what that percentile is for pure noise.
    """
    order = np.argsort(mean)
    x, v = [], []
    for part in np.array_split(order, max(4, min(_BINS, len(order) // 60))):
        ratio = float(np.percentile(variance[part] / expected[part], 5)) / PURE_NOISE_PERCENTILE
        middle = float(np.median(expected[part]))
        x.append(max(float(np.median(mean[part])), 0.0))
        v.append(ratio * middle)
    return np.array(x), np.array(v)


def estimate_noise(linear: Linear, meta: RawMeta) -> NDArray[np.float64]:
    """(3, 2) a, b of red, green, blue estimated from flat places of the picture, refitted to variance = a x + b.

    Blocks are sorted by brightness into bins; each bin's flattest blocks give one variance; a non-negative weighted
    line is fitted to all, and the bins are read again with it. Clipped blocks are left out.
    """
    result = np.empty((3, 2))
    for channel in range(3):
        mean, variance = _blocks(_channel(linear, channel))
        good = (mean > -0.02) & (mean < 0.85) & np.isfinite(variance)
        mean, variance = mean[good], variance[good]
        if len(mean) < 64:
            result[channel] = (1e-4, 1e-6)
            continue
        a, b = 1e-4, 1e-6
        for _ in range(5):
            a, b = _fit_line(*_bin_variances(mean, variance, np.maximum(a * mean + b, 1e-10)))
        result[channel] = a, b
    return result


def _fit_line(x: NDArray, v: NDArray) -> tuple[float, float]:
    """Non-negative a, b, weighted by 1 / v^2, with bins far above the line (texture) dropped step by step."""
    keep = np.ones(len(x), bool)
    a = b = 0.0
    for _ in range(6):
        weight = 1.0 / np.maximum(v[keep], 1e-12)
        design = np.stack([x[keep] * weight, weight], axis=1)
        from scipy.optimize import nnls

        (a, b), _ = nnls(design, v[keep] * weight)
        expected = a * x + b
        new = v <= 1.6 * np.maximum(expected, 1e-12)
        if new.sum() < 4 or np.array_equal(new, keep):
            break
        keep = new
    return max(a, 1e-9), max(b, 1e-10)


def signal_at_snr(a: float, b: float, snr: float) -> float:
    """Signal (1 = saturation) at which signal / noise is `snr`: x = (k^2 a + sqrt(k^4 a^2 + 4 k^2 b)) / 2."""
    k2 = snr * snr
    return (k2 * a + math.sqrt(k2 * k2 * a * a + 4 * k2 * b)) / 2


def dynamic_range_ev(a: float, b: float) -> float:
    """log2(1 / x_1): from saturation to signal equal to noise, EV."""
    return math.log2(1 / max(signal_at_snr(a, b, 1.0), 1e-9))


def shadow_lift_ev(a: float, b: float, long_edge: int | None = None, screen_edge: int = 1280) -> float:
    """log2(0.18 / x_4): how far a shadow can be lifted to grey at signal / noise 4, EV; at screen size when
    `long_edge` is given.
    """
    if long_edge:
        area = max(1.0, (long_edge / screen_edge) ** 2)
        a, b = a / area, b / area
    return math.log2(0.18 / max(signal_at_snr(a, b, 4.0), 1e-9))
