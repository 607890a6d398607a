"""Noise: brightness and colour, in units of the measured standard deviation.

After variance stabilisation (generalised Anscombe transform; Starck, Murtagh, Bijaoui 1998) the noise is the same
everywhere. Brightness and two colour differences are denoised by overlapping cosine transforms (`dct`), whose noise in
each coefficient is not assumed but measured once, on pure noise sent through the same steps, so that noise which
demosaicing has made coarse is known for what it is. A picture at a quarter of the size is denoised likewise and stands
in for the coarse part (Pierazzo, Rais, Morel, Facciolo, "Multi-scale DCT denoising", IPOL 7, 2017). The shading gain of
the lens raises noise towards the corners; `gain` carries it.

Two grades: *quick* (blocks every 4 pixels, colour by the threshold alone) and *best* (every 2, all in two passes).
"""

from __future__ import annotations

import math
from functools import cache

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.fft import dctn

from bruto.develop.demosaic import demosaic
from bruto.develop.steps.dct import SIDE, denoise_plane

COARSE = 4
"""Reduction of the coarse picture."""
UNEVEN = (1.2, 1.2)
"""Factors on brightness and colour noise after demosaicing: it is uneven from site to site, so that its mean falls
short (found on scikit-image's photographs).
"""
FINEST = 1.25
"""Factor on the noise of brightness at the finest two coefficients of a mosaic, where single ones that are left over
show as tiny meshes.
"""
REACH = 64
"""Pixels around a place that matter visibly at full size."""


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _stabilise(rgb, a, b, y, u, v):
    """Balanced camera RGB to stabilised brightness and colour differences."""
    h, w = y.shape
    offset0 = np.float32(0.375 * a[0] * a[0] + b[0])
    offset1 = np.float32(0.375 * a[1] * a[1] + b[1])
    offset2 = np.float32(0.375 * a[2] * a[2] + b[2])
    k0, k1, k2 = np.float32(2 / a[0]), np.float32(2 / a[1]), np.float32(2 / a[2])
    for i in prange(h):
        for j in range(w):
            r = k0 * math.sqrt(max(np.float32(a[0]) * rgb[i, j, 0] + offset0, np.float32(0)))
            g = k1 * math.sqrt(max(np.float32(a[1]) * rgb[i, j, 1] + offset1, np.float32(0)))
            bl = k2 * math.sqrt(max(np.float32(a[2]) * rgb[i, j, 2] + offset2, np.float32(0)))
            y[i, j] = np.float32(0.25) * (r + g + g + bl)
            u[i, j] = np.float32(0.5) * (r - bl)
            v[i, j] = np.float32(0.25) * (r - g - g + bl)


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _unstabilise(y, u, v, a, b, out):
    """Back to linear without bias, which dark places of few electrons would show as a tint: the closed form of the
    exact unbiased inverse (Makitalo, Foi, "Optimal inversion of the generalized Anscombe transformation", IEEE TIP
    22-1, 2013, eq. 10).
    """
    h, w = y.shape
    s0 = np.float32(2 * math.sqrt(0.375 + b[0] / a[0] / a[0]))
    s1 = np.float32(2 * math.sqrt(0.375 + b[1] / a[1] / a[1]))
    s2 = np.float32(2 * math.sqrt(0.375 + b[2] / a[2] / a[2]))
    for i in prange(h):
        for j in range(w):
            r = y[i, j] + v[i, j] + u[i, j]
            g = y[i, j] - v[i, j]
            bl = y[i, j] + v[i, j] - u[i, j]
            for c in range(3):
                d = r if c == 0 else (g if c == 1 else bl)
                least = s0 if c == 0 else (s1 if c == 1 else s2)
                d = max(d, np.float32(0))
                t = np.float32(1) / max(d, least)
                few = t * (np.float32(0.30618622) + t * (np.float32(-1.375) + t * np.float32(0.76546554)))
                out[i, j, c] = np.float32(a[c]) * (d * d * np.float32(0.25) + few) - np.float32(
                    0.125 * a[c] + b[c] / a[c]
                )


@cache
def coefficient_noise(kind: str) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Standard deviation of each coefficient (3, 8, 8) of brightness and both colours for unit noise at every
    photosite, at full size and at 1 / `COARSE`.

    `kind`: "mosaic" (through the demosaicing), "binned" (quads: green has half the variance), or "plain" (three
    independent channels). Measured on 512 x 512 of Gaussian noise.
    """
    random = np.random.default_rng(5)
    n = 512
    if kind == "mosaic":
        rgb = demosaic(random.standard_normal((n, n)).astype(np.float32), "RGGB")
    else:
        rgb = random.standard_normal((n, n, 3)).astype(np.float32)
        if kind == "binned":
            rgb[..., 1] *= np.float32(0.5**0.5)
    r, g, b = (rgb[..., k] for k in range(3))
    planes = [(r + 2 * g + b) / 4, (r - b) / 2, (r - 2 * g + b) / 4]
    if kind == "mosaic":  # colour is worked at half the size
        planes[1:] = [cv2.resize(p, (n // 2, n // 2), interpolation=cv2.INTER_AREA) for p in planes[1:]]
    coarse = [cv2.resize(p, None, fx=1 / COARSE, fy=1 / COARSE, interpolation=cv2.INTER_AREA) for p in planes]
    fine = np.stack([_spread(p, 4 if p.shape[0] == n else 2) for p in planes])
    if kind == "mosaic":
        u, v = np.mgrid[:SIDE, :SIDE]
        fine[0, np.maximum(u, v) >= SIDE - 2] *= FINEST
    return fine, np.stack([_spread(p, 1) for p in coarse])


def _spread(plane: NDArray, step: int) -> NDArray[np.float32]:
    """Root mean square of the coefficients of overlapping blocks (8, 8); symmetric, as rows are as columns."""
    blocks = np.lib.stride_tricks.sliding_window_view(plane[SIDE:-SIDE, SIDE:-SIDE], (SIDE, SIDE))[::step, ::step]
    square = np.mean(dctn(blocks, axes=(2, 3), norm="ortho") ** 2, axis=(0, 1))
    return np.sqrt((square + square.T) / 2).astype(np.float32)


def _without(
    plane: NDArray[np.float32],
    fine: NDArray[np.float32],
    coarse: NDArray[np.float32],
    strength: float,
    gain: NDArray[np.float32],
    stride: int,
    passes: int,
) -> NDArray[np.float32]:
    """A plane without fine and coarse noise; `fine`, `coarse` (8, 8): noise by coefficient."""
    done = denoise_plane(plane, fine, strength, _across(gain, plane.shape[1]), stride, passes)
    h, w = (n // COARSE for n in plane.shape)
    if min(h, w) < 3 * SIDE:
        return done
    whole = (slice(0, h * COARSE), slice(0, w * COARSE))
    small = cv2.resize(plane[whole], (w, h), interpolation=cv2.INTER_AREA)
    low = cv2.resize(done[whole], (w, h), interpolation=cv2.INTER_AREA)
    change = denoise_plane(small, coarse, strength, _across(gain, w), 4, 2) - low
    done[whole] += cv2.resize(change, (w * COARSE, h * COARSE), interpolation=cv2.INTER_LINEAR)
    return done


def _doubled(small: NDArray[np.float32], width: int, height: int) -> NDArray[np.float32]:
    """A plane at twice the size; the last row and column of an odd size are repeated."""
    h, w = small.shape
    large = cv2.resize(small, (2 * w, 2 * h), interpolation=cv2.INTER_LINEAR)
    if large.shape != (height, width):
        large = cv2.copyMakeBorder(large, 0, height - 2 * h, 0, width - 2 * w, cv2.BORDER_REPLICATE)
    return large


def _across(gain: NDArray[np.float32], width: int) -> NDArray[np.float32]:
    """Factor on the noise's standard deviation along rows of that width, from the shading gain (gh, gw)."""
    columns = np.arange(width) * gain.shape[1] // width
    return np.ascontiguousarray(np.sqrt(gain)[:, columns])


def reduce_noise(
    rgb: NDArray[np.float32],
    noise: NDArray,
    brightness: float,
    colour: float,
    kind: str,
    gain: NDArray[np.float32],
    best: bool = False,
) -> NDArray[np.float32]:
    """Noise-reduced copy of linear balanced camera RGB (H, W, 3).

    `noise` (3, 2): a, b of variance a x + b for each balanced channel of one photosite. `brightness`, `colour`:
    multiples of the measured standard deviation taken out. `kind`: see `coefficient_noise`. `gain` (h, w): shading gain
    over this area, any size. `best`: the slower grade.
    """
    if brightness <= 0 and colour <= 0:
        return rgb
    a = np.maximum(np.asarray(noise, float)[:, 0], 1e-9)
    b = np.maximum(np.asarray(noise, float)[:, 1], 0)
    h, w = rgb.shape[:2]
    y, u, v = (np.empty((h, w), np.float32) for _ in range(3))
    _stabilise(rgb, a, b, y, u, v)
    fine, coarse = coefficient_noise(kind)
    if kind == "mosaic":
        brightness, colour = brightness * UNEVEN[0], colour * UNEVEN[1]
    stride = 2 if best else 4
    if brightness > 0:
        y = _without(y, fine[0], coarse[0], brightness, gain, stride, 2)
    if colour > 0:
        # red and blue of a mosaic are sampled every other pixel: what is finer was made by demosaicing
        half = kind == "mosaic" and min(h, w) > 4 * SIDE
        passes = 2 if best or half else 1
        planes = []
        for k, plane in ((1, u), (2, v)):
            if half:
                small = cv2.resize(plane[: h // 2 * 2, : w // 2 * 2], (w // 2, h // 2), interpolation=cv2.INTER_AREA)
                small = _without(small, fine[k], coarse[k], colour, gain, stride, passes)
                planes.append(_doubled(small, w, h))
            else:
                planes.append(_without(plane, fine[k], coarse[k], colour, gain, stride, passes))
        u, v = planes
    out = np.empty_like(rgb)
    _unstabilise(y, u, v, a, b, out)
    return out
