"""Compiled counts over the stored codes of a frame: histograms, clipped sites, and blocks of 8 x 8 sites."""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on

BLOCK = 8


@njit(parallel=True, cache=True, nogil=True)
def histogram(codes: NDArray[np.uint16], parts: int = 8) -> NDArray[np.int64]:
    """Find how often each of the 65536 codes occurs in (h, w) codes.

    Parameters
    ----------
    codes
        Stored codes.
    parts
        Number of parts.

    Returns
    -------
    NDArray[np.int64]
        How often each of the 65536 codes occurs in (h, w) codes.
    """
    counts = np.zeros((parts, 65536), np.int64)
    h, w = codes.shape
    for part in prange(parts):
        for y in range(h * part // parts, h * (part + 1) // parts):
            for x in range(w):
                counts[part, codes[y, x]] += 1
    return counts.sum(axis=0)


@njit(parallel=True, cache=True, nogil=True)
def clipped_quads(codes: NDArray[np.uint16], full: NDArray[np.int64], color: NDArray[np.int64]) -> NDArray[np.int64]:
    """Find how many 2 x 2 quads of a mosaic have each combination of clipped channels: counts of the bit sums 0..7.

    Parameters
    ----------
    codes
        Stored codes.
    full
        (4,), first clipped code and channel of each site.
    color
        (4,), first clipped code and channel of each site.

    Returns
    -------
    NDArray[np.int64]
        How many 2 x 2 quads of a mosaic have each combination of clipped channels.
    """
    h, w = codes.shape[0] // 2, codes.shape[1] // 2
    parts = 8
    counts = np.zeros((parts, 8), np.int64)
    for part in prange(parts):
        for y in range(h * part // parts, h * (part + 1) // parts):
            for x in range(w):
                bits = 0
                if codes[2 * y, 2 * x] >= full[0]:
                    bits |= 1 << color[0]
                if codes[2 * y, 2 * x + 1] >= full[1]:
                    bits |= 1 << color[1]
                if codes[2 * y + 1, 2 * x] >= full[2]:
                    bits |= 1 << color[2]
                if codes[2 * y + 1, 2 * x + 1] >= full[3]:
                    bits |= 1 << color[3]
                counts[part, bits] += 1
    return counts.sum(axis=0)


@njit(parallel=True, cache=True, nogil=True, fastmath=True, error_model="numpy")
def block_statistics(
    codes: NDArray[np.uint16], light: NDArray[np.float32], full: int
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32], NDArray[np.int32]]:
    """Compute the statistics of each 8 x 8 block of a plane.

    Mean light, noise variance, highest rise of one site over its eight neighbours, and how many sites are clipped.

    The variance is that of the response to [1 -2 1] x [1 -2 1] (Immerkaer, Computer Vision and Image Understanding
    64-2, 1996), which is blind to slopes and has 36 times the variance of noise.

    Parameters
    ----------
    codes
        Stored codes.
    light
        Linear light, 1 = sensor saturation.
    full
        Code of saturation.

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32], NDArray[np.int32]]
        Of each 8 x 8 block of a plane.
    """
    rows, columns = codes.shape[0] // BLOCK, codes.shape[1] // BLOCK
    mean = np.zeros((rows, columns), np.float32)
    variance = np.zeros((rows, columns), np.float32)
    spike = np.zeros((rows, columns), np.float32)
    clipped = np.zeros((rows, columns), np.int32)
    h, w = codes.shape
    n = columns * BLOCK
    for by in prange(rows):
        v = np.empty((BLOCK + 2, n + 2), np.float32)
        energy, rise = np.zeros(n, np.float32), np.full(n, np.float32(-1e9))
        total, count = np.zeros(n, np.float32), np.zeros(n, np.int32)
        for i in range(BLOCK + 2):
            y = min(max(by * BLOCK + i - 1, 0), h - 1)
            for x in range(n):
                code = codes[y, x]
                v[i, x + 1] = light[code]
                if code >= full:
                    count[x] += 1
            v[i, 0] = light[codes[y, 0]]
            v[i, n + 1] = light[codes[y, min(n, w - 1)]]
        for i in range(1, BLOCK + 1):
            a, b, c = v[i - 1], v[i], v[i + 1]
            for x in range(n):
                r = (
                    a[x]
                    - 2 * a[x + 1]
                    + a[x + 2]
                    - 2 * (b[x] - 2 * b[x + 1] + b[x + 2])
                    + c[x]
                    - 2 * c[x + 1]
                    + c[x + 2]
                )
                energy[x] += r * r
                around = max(
                    max(max(a[x], a[x + 1]), max(a[x + 2], b[x])), max(max(b[x + 2], c[x]), max(c[x + 1], c[x + 2]))
                )
                rise[x] = max(rise[x], b[x + 1] - around)
                total[x] += b[x + 1]
        for bx in range(columns):
            t, e, k, q = np.float32(0), np.float32(0), 0, np.float32(-1e9)
            for x in range(bx * BLOCK, bx * BLOCK + BLOCK):
                t += total[x]
                e += energy[x]
                k += count[x]
                q = max(q, rise[x])
            mean[by, bx] = t / (BLOCK * BLOCK)
            variance[by, bx] = e / (36 * BLOCK * BLOCK)
            spike[by, bx] = q
            clipped[by, bx] = k
    return mean, variance, spike, clipped
