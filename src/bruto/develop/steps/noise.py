"""Noise: brightness and colour, in units of the measured standard deviation.

After variance stabilisation (generalised Anscombe transform; Starck, Murtagh, Bijaoui 1998) the noise is the same
everywhere. Brightness and two colour differences go into Laplacian pyramids (Burt, Adelson 1983) whose details are
shrunk by a local Wiener gain; the noise of each level is not assumed but measured once, on pure noise sent through
the same steps. The shading gain of the lens raises noise towards the corners; `gain` carries it.
"""

from __future__ import annotations

import math
from functools import cache

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from bruto.develop.demosaic import demosaic

BRIGHTNESS_LEVELS = 4
COLOUR_LEVELS = 5
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
            u[i, j] = r - g
            v[i, j] = bl - g


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _unstabilise(y, u, v, a, b, out):
    """Back to linear; the algebraic inverse plus the asymptotic bias term (Makitalo, Foi 2013, eq. 10 at high
    counts).
    """
    h, w = y.shape
    for i in prange(h):
        for j in range(w):
            g = y[i, j] - np.float32(0.25) * (u[i, j] + v[i, j])
            r = g + u[i, j]
            bl = g + v[i, j]
            for c in range(3):
                d = r if c == 0 else (g if c == 1 else bl)
                d = max(d, np.float32(0))
                out[i, j, c] = np.float32(a[c]) * d * d * np.float32(0.25) - np.float32(0.125 * a[c] + b[c] / a[c])


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _energy_of_rows(detail, r, out):
    """Sum of squares over 2 r + 1 columns, mirrored at the borders."""
    h, w = detail.shape
    for i in prange(h):
        square = np.empty(w + 2 * r, np.float32)
        for j in range(w):
            square[j + r] = detail[i, j] * detail[i, j]
        for k in range(r):
            square[k] = square[2 * r - 1 - k]
            square[w + r + k] = square[w + r - 1 - k]
        for j in range(w):
            out[i, j] = square[j]
        for k in range(1, 2 * r + 1):
            for j in range(w):
                out[i, j] += square[j + k]


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _shrink(detail, rows, r, sigma2, gain):
    """detail *= max(0, 1 - sigma^2 / local energy); `gain` (gh, w) scales sigma^2 over the frame, by nearest row."""
    h, w = detail.shape
    gh = gain.shape[0]
    area = np.float32((2 * r + 1) ** 2)
    for i in prange(h):
        total = np.zeros(w, np.float32)
        for k in range(i - r, i + r + 1):
            y = -1 - k if k < 0 else (2 * h - 1 - k if k >= h else k)
            for j in range(w):
                total[j] += rows[y, j]
        gi = i * gh // h
        for j in range(w):
            noise = sigma2 * area * gain[gi, j]
            detail[i, j] *= max(np.float32(1) - noise / max(total[j], np.float32(1e-20)), np.float32(0))


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _add_expanded(small, fine, sign, out):
    """out = fine + sign * small enlarged twice by the pyramid's own kernel (1 4 6 4 1) / 8, edges repeated."""
    h, w = fine.shape
    sh, sw = small.shape
    for half in prange((h + 1) // 2):
        i = np.int64(half)
        above, here, below = small[max(i - 1, 0)], small[min(i, sh - 1)], small[min(i + 1, sh - 1)]
        line = np.empty(sw + 2, np.float32)
        for odd in range(2):
            y = 2 * i + odd
            if y >= h:
                continue
            if odd:
                for j in range(sw):
                    line[j + 1] = (here[j] + below[j]) * np.float32(0.5)
            else:
                for j in range(sw):
                    line[j + 1] = (above[j] + np.float32(6) * here[j] + below[j]) * np.float32(0.125)
            line[0], line[sw + 1] = line[1], line[sw]
            source, target = fine[y], out[y]
            for j in range(w // 2):
                even = (line[j] + np.float32(6) * line[j + 1] + line[j + 2]) * np.float32(0.125)
                target[2 * j] = source[2 * j] + sign * even
                target[2 * j + 1] = source[2 * j + 1] + sign * (line[j + 1] + line[j + 2]) * np.float32(0.5)
            if w & 1:
                j = w // 2
                even = (line[j] + np.float32(6) * line[j + 1] + line[min(j + 2, sw + 1)]) * np.float32(0.125)
                target[w - 1] = source[w - 1] + sign * even


def _pyramid_shrink(
    plane: NDArray[np.float32],
    sigmas: tuple[float, ...],
    strength: float,
    gain: NDArray[np.float32],
    window: int,
    correlated: bool,
) -> NDArray[np.float32]:
    """Shrink the details of every level; `sigmas` are the noise of each level for unit noise.

    `correlated`: neighbours share noise (after demosaicing), so the finest level's energy scatters more.
    """
    levels = []
    current = plane
    for _ in sigmas:
        if min(current.shape) < 16:
            break
        small = cv2.pyrDown(current)
        detail = np.empty_like(current)
        _add_expanded(small, current, np.float32(-1), detail)
        levels.append(detail)
        current = small
    for k in reversed(range(len(levels))):
        detail = levels[k]
        reach, margin = (window // 2 + 1, 1.6) if correlated and k == 0 else (window // 2, 1.25)
        rows = np.empty_like(detail)
        _energy_of_rows(detail, reach, rows)
        wide = np.ascontiguousarray(gain[:, np.arange(detail.shape[1]) * gain.shape[1] // detail.shape[1]])
        # the margin over 1 keeps the local energy's own scatter from leaving specks of noise behind
        _shrink(detail, rows, reach, np.float32(margin * (strength * sigmas[k]) ** 2), wide)
        _add_expanded(current, detail, np.float32(1), detail)
        current = detail
    return current


@cache
def level_noise(kind: str) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Standard deviation of brightness and colour details at each level for unit noise at every photosite.

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
    y = 0.25 * (rgb[..., 0] + 2 * rgb[..., 1] + rgb[..., 2])
    u, v = rgb[..., 0] - rgb[..., 1], rgb[..., 2] - rgb[..., 1]

    def measure(planes: list[NDArray], levels: int) -> tuple[float, ...]:
        result = []
        for _ in range(levels):
            smalls = [cv2.pyrDown(p) for p in planes]
            details = [p - cv2.pyrUp(s, dstsize=(p.shape[1], p.shape[0])) for p, s in zip(planes, smalls, strict=True)]
            result.append(float(np.sqrt(np.mean([d[4:-4, 4:-4].var() for d in details]))))
            planes = smalls
        return tuple(result)

    return measure([y], BRIGHTNESS_LEVELS), measure([u, v], COLOUR_LEVELS)


def reduce_noise(
    rgb: NDArray[np.float32], noise: NDArray, brightness: float, colour: float, kind: str, gain: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Noise-reduced copy of linear balanced camera RGB (H, W, 3).

    `noise` (3, 2): a, b of variance a x + b for each balanced channel of one photosite. `brightness`, `colour`:
    multiples of the measured standard deviation taken out. `kind`: see `level_noise`. `gain` (h, w): shading gain
    over this area, any size.
    """
    if brightness <= 0 and colour <= 0:
        return rgb
    a = np.maximum(np.asarray(noise, float)[:, 0], 1e-9)
    b = np.maximum(np.asarray(noise, float)[:, 1], 0)
    h, w = rgb.shape[:2]
    y, u, v = (np.empty((h, w), np.float32) for _ in range(3))
    _stabilise(rgb, a, b, y, u, v)
    y_sigmas, c_sigmas = level_noise(kind)
    if brightness > 0:
        y = _pyramid_shrink(y, y_sigmas, brightness, gain, 5, kind == "mosaic")
    if colour > 0:
        u, v = (_pyramid_shrink(p, c_sigmas, colour, gain, 7, kind == "mosaic") for p in (u, v))
    out = np.empty_like(rgb)
    _unstabilise(y, u, v, a, b, out)
    return out
