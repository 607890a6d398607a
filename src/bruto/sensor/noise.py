"""Noise of a frame: variance = a x + b in units of saturation, from the file or from the picture itself."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.container.raw_frame import CFA_LETTERS, Linear, RawMeta
from bruto.sensor.blocks import block_statistics
from bruto.sensor.planes import Plane, planes_of_light

PURE_NOISE_PERCENTILES = np.array([0.4391, 0.5551])
"""First and fifth percentile of a block's variance for pure noise of unit variance (a million blocks of Gaussian
noise).
"""
_ENOUGH = 24_000
"""Blocks of a channel that are enough."""
_BINS = 24


def file_noise(meta: RawMeta) -> NDArray[np.float64] | None:
    """Compute (3, 2) a, b of red, green, blue from tag 51041 (DNG 1.7, NoiseProfile), or None.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    NDArray[np.float64] | None
        (3, 2) a, b of red, green, blue from tag 51041 (DNG 1.7, NoiseProfile), or None.
    """
    profile = meta.noise_profile
    if profile is None:
        return None
    if len(profile) == 1:
        return np.tile(profile, (3, 1))
    if len(profile) == 4 and meta.cfa:  # one for each mosaic site
        return np.array([np.mean([profile[k] for k in range(4) if meta.cfa[k] == c], axis=0) for c in CFA_LETTERS])
    return np.asarray(profile[:3], float) if len(profile) >= 3 else None


@dataclass(frozen=True)
class Blocks:
    """Statistics of the 8 x 8 blocks of one plane (see `blocks.block_statistics`), and its channel."""

    mean: NDArray[np.float32]
    variance: NDArray[np.float32]
    spike: NDArray[np.float32]
    full: NDArray[np.int32]
    channel: int


@dataclass(frozen=True)
class NoiseEstimate:
    """Noise measured in one picture: variance = a × signal + b, with how certain it is."""

    model: NDArray[np.float64]
    """(3, 2) a, b of red, green, blue."""
    interval: NDArray[np.float64]
    """(3, 2) factors on the standard deviation between which the truth is likely (about 19 of 20 times)."""
    levels: NDArray[np.float64]
    """(3, 2) least and greatest signal that the picture could tell of."""


def blocks_of(planes: list[Plane]) -> list[Blocks]:
    """Return the block statistics of every plane, over what all have in common.

    Crops of odd sizes leave some a row more.

    Parameters
    ----------
    planes
        Planes of one colour each.

    Returns
    -------
    list[Blocks]
        Block statistics of every plane, over what all have in common.
    """
    h, w = (min(p.codes.shape[k] for p in planes) for k in (0, 1))
    result = []
    for p in planes:
        mean, variance, spike, full = block_statistics(p.codes[:h, :w], p.light, p.full)
        result.append(Blocks(mean, variance, spike, full, p.channel))
    return result


def _bin_variances(
    mean: NDArray[Any], variance: NDArray[Any], expected: NDArray[Any]
) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any]]:
    """Signal, noise variance, and sign of texture of bins of like brightness, most blocks of which may hold texture.

    In each bin the fifth percentile of variance / expected is taken, so that blocks of unlike brightness can share a
    bin, and divided by what that percentile is for pure noise. Where the first percentile says less, even the flattest
    blocks hold texture: their ratio is the third result.
    """
    parts = np.array_split(np.arange(len(mean)), max(4, min(_BINS, len(mean) // 60)))
    x, v, texture = [], [], []
    for part in parts:  # `mean` is sorted
        ratio = variance[part] / expected[part]
        ranks = (len(ratio) - 1) // 100, (len(ratio) - 1) // 20
        first, fifth = np.partition(ratio, ranks)[list(ranks)] / PURE_NOISE_PERCENTILES
        middle = float(expected[part[len(part) // 2]])
        x.append(max(float(mean[part[len(part) // 2]]), 0.0))
        v.append(float(fifth) * middle)
        texture.append(float(fifth / max(first, 1e-9)))
    return np.array(x), np.array(v), np.array(texture)


def picture_noise(blocks: list[Blocks]) -> NoiseEstimate:
    """Return the noise model of each channel from the flat places of the picture: variance = a x + b.

    Blocks are sorted by brightness into bins; each bin's flattest blocks give one variance; a non-negative weighted
    line is fitted to all, and the bins are read again with it. Blocks with clipped sites are left out.

    Parameters
    ----------
    blocks
        Block statistics of each colour plane.

    Returns
    -------
    NoiseEstimate
        Noise model of each channel from the flat places of the picture.
    """
    model, interval, levels = np.empty((3, 2)), np.empty((3, 2)), np.zeros((3, 2))
    for channel in range(3):
        mine = [b for b in blocks if b.channel == channel]
        good = [(b.full == 0) & (b.mean > -0.02) & (b.mean < 0.9) for b in mine]
        mean = np.concatenate([b.mean[g] for b, g in zip(mine, good, strict=True)])
        variance = np.concatenate([b.variance[g] for b, g in zip(mine, good, strict=True)])
        if len(mean) < 64:
            model[channel], interval[channel] = (1e-4, 1e-6), (0.1, 10.0)
            continue
        if len(mean) > _ENOUGH:
            step = len(mean) // _ENOUGH
            mean, variance = mean[::step], variance[::step]
        order = np.argsort(mean)
        mean, variance = mean[order], variance[order]
        levels[channel] = np.maximum(np.percentile(mean, (2, 98)), 0)
        a, b = 1e-4, 1e-6
        for _ in range(3):
            x, v, texture = _bin_variances(mean, variance, np.maximum(a * mean + b, 1e-10))
            a, b, keep = _fit_line(x, v)
        model[channel] = a, b
        off = np.sqrt(v[keep] / np.maximum(a * x[keep] + b, 1e-12)) - 1
        spread = 0.03 + 2 * float(off.std()) / max(len(off) - 2, 1) ** 0.5
        veiled = max(0.0, float(np.sqrt(np.median(texture[keep]))) - 1)
        interval[channel] = max(0.3, 1 - spread - 0.03 - 3 * veiled), 1 + spread + 0.03
    return NoiseEstimate(model, interval, levels)


def estimate_noise(linear: Linear) -> NoiseEstimate:
    """Estimate the noise of red, green, blue of light without shading gains, from its flat places.

    See `picture_noise`.

    Parameters
    ----------
    linear
        Linear light, 1 = white.

    Returns
    -------
    NoiseEstimate
        Noise of red, green, blue of light without shading gains, from its flat places (see `picture_noise`).
    """
    return picture_noise(blocks_of(planes_of_light(linear)))


def _fit_line(x: NDArray[Any], v: NDArray[Any]) -> tuple[float, float, NDArray[np.bool_]]:
    """Fit non-negative a, b, weighted by 1 / v^2, and say which bins were used.

    Bins far above the line hold texture and are dropped step by step.
    """
    keep = np.ones(len(x), bool)
    a = b = 0.0
    for _ in range(6):
        weight = 1.0 / np.maximum(v[keep], 1e-12)
        a, b = _non_negative_line(x[keep] * weight, weight, v[keep] * weight)
        new = v <= 1.3 * np.maximum(a * x + b, 1e-12)
        if new.sum() < 4 or np.array_equal(new, keep):
            break
        keep = new
    return max(a, 1e-9), max(b, 1e-10), keep


def _non_negative_line(p: NDArray[Any], q: NDArray[Any], y: NDArray[Any]) -> tuple[float, float]:
    """Compute a, b >= 0 of least squares y = a p + b q.

    Where the free solution has a negative one, the better of the two with one of them 0.
    """
    pp, pq, qq, py, qy = p @ p, p @ q, q @ q, p @ y, q @ y
    det = pp * qq - pq * pq
    if det > 1e-12 * pp * qq:
        a, b = (qq * py - pq * qy) / det, (pp * qy - pq * py) / det
        if a >= 0 and b >= 0:
            return float(a), float(b)
    only_a, only_b = max(py / max(pp, 1e-30), 0.0), max(qy / max(qq, 1e-30), 0.0)
    if ((y - only_a * p) ** 2).sum() < ((y - only_b * q) ** 2).sum():
        return float(only_a), 0.0
    return 0.0, float(only_b)


def signal_at_snr(a: float, b: float, snr: float) -> float:
    """Compute the signal (1 = saturation) at which signal / noise is.

    Parameters
    ----------
    a
        Value of the first side.
    b
        Value of the second side.
    snr
        X = (k^2 a + sqrt(k^4 a^2 + 4 k^2 b)) / 2.

    Returns
    -------
    float
        Signal (1 = saturation) at which signal / noise is.
    """
    k2 = snr * snr
    return (k2 * a + math.sqrt(k2 * k2 * a * a + 4 * k2 * b)) / 2


def dynamic_range_ev(a: float, b: float) -> float:
    """Compute log2(1 / x_1): from saturation to signal equal to noise, EV.

    Parameters
    ----------
    a
        Value of the first side.
    b
        Value of the second side.

    Returns
    -------
    float
        log2(1 / x_1): from saturation to signal equal to noise, EV.
    """
    return math.log2(1 / max(signal_at_snr(a, b, 1.0), 1e-9))


def shadow_lift_ev(a: float, b: float, long_edge: int | None = None, screen_edge: int = 1280) -> float:
    """Compute log2(0.18 / x_4): how far a shadow can be lifted to grey at signal / noise 4, EV.

    It is that at screen size when `long_edge` is given.

    Parameters
    ----------
    a
        Value of the first side.
    b
        Value of the second side.
    long_edge
        Long edge of the output, pixels; None keeps the size.
    screen_edge
        Long edge at screen size, pixels.

    Returns
    -------
    float
        log2(0.18 / x_4): how far a shadow can be lifted to grey at signal / noise 4, EV.
    """
    if long_edge:
        area = max(1.0, (long_edge / screen_edge) ** 2)
        a, b = a / area, b / area
    return math.log2(0.18 / max(signal_at_snr(a, b, 4.0), 1e-9))
