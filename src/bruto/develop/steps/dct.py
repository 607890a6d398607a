"""Denoising by the cosine transform of overlapping 8 x 8 blocks: a threshold, then Wiener's filter with its result.

Yu, Sapiro, "DCT Image Denoising" (IPOL 1, 2011); second pass as in Dabov, Foi, Katkovnik, Egiazarian (IEEE TIP 16-8,
2007) without the search for like blocks. Blocks of a strip share their vertical transforms, both forward and back,
and lie side by side in vector registers; loops run over slices from 0 on, as an index that might be negative would keep
them out of those. Blocks stand at multiples of `stride` of the array's own coordinates, so pieces of a frame that start
at multiples of it give the whole frame's values.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from bruto.develop.demosaic import mirrored

SIDE = 8
THRESHOLD, WIENER = 3.0, 1.1
"""Hard threshold, and noise of Wiener's filter, in standard deviations of a coefficient's noise: a little more than
theory has it, as the pilot still holds some.
"""
ALONE = 2.8
"""Hard threshold where no second pass follows."""
WINDOW = np.array([0.28, 0.58, 0.84, 1.0, 1.0, 0.84, 0.58, 0.28], np.float32)
"""Weight of a block's rows and columns: less at its edges, whose steps would show as a mesh."""
_BAND, _BLOCKS = 64, 144
"""Rows of a tile, and blocks side by side in one; with 128 every row of blocks would fall on the same lines of the
processor's cache.
"""
_C = [np.float32(0.5 * math.cos(k * math.pi / 16)) for k in range(8)]
_C1, _C2, _C3, _C4, _C5, _C6, _C7 = _C[1:]


@njit(inline="always")
def _dct(x0, x1, x2, x3, x4, x5, x6, x7):
    """Orthonormal DCT-II of eight values."""
    s0, s1, s2, s3 = x0 + x7, x1 + x6, x2 + x5, x3 + x4
    d0, d1, d2, d3 = x0 - x7, x1 - x6, x2 - x5, x3 - x4
    e0, e1, f0, f1 = s0 + s3, s1 + s2, s0 - s3, s1 - s2
    return (
        (e0 + e1) * _C4, d0 * _C1 + d1 * _C3 + d2 * _C5 + d3 * _C7,
        f0 * _C2 + f1 * _C6, d0 * _C3 - d1 * _C7 - d2 * _C1 - d3 * _C5,
        (e0 - e1) * _C4, d0 * _C5 - d1 * _C1 + d2 * _C7 + d3 * _C3,
        f0 * _C6 - f1 * _C2, d0 * _C7 - d1 * _C5 + d2 * _C3 - d3 * _C1,
    )  # fmt: skip


@njit(cache=True, fastmath=True, error_model="numpy")
def forward(x):
    """Orthonormal DCT-II of 8 rows (8, n), in place, down the columns."""
    for k in range(x.shape[1]):
        x[0, k], x[1, k], x[2, k], x[3, k], x[4, k], x[5, k], x[6, k], x[7, k] = _dct(
            x[0, k], x[1, k], x[2, k], x[3, k], x[4, k], x[5, k], x[6, k], x[7, k]
        )


@njit(cache=True, fastmath=True, error_model="numpy")
def backward(x):
    """Undoes `forward`."""
    for k in range(x.shape[1]):
        x0, x1, x2, x3 = x[0, k], x[1, k], x[2, k], x[3, k]
        x4, x5, x6, x7 = x[4, k], x[5, k], x[6, k], x[7, k]
        a, b = (x0 + x4) * _C4, (x0 - x4) * _C4
        c, d = x2 * _C2 + x6 * _C6, x2 * _C6 - x6 * _C2
        s0, s3, s1, s2 = a + c, a - c, b + d, b - d
        d0 = x1 * _C1 + x3 * _C3 + x5 * _C5 + x7 * _C7
        d1 = x1 * _C3 - x3 * _C7 - x5 * _C1 - x7 * _C5
        d2 = x1 * _C5 - x3 * _C1 + x5 * _C7 + x7 * _C3
        d3 = x1 * _C7 - x3 * _C5 + x5 * _C3 - x7 * _C1
        x[0, k], x[7, k] = s0 + d0, s0 - d0
        x[1, k], x[6, k] = s1 + d1, s1 - d1
        x[2, k], x[5, k] = s2 + d2, s2 - d2
        x[3, k], x[4, k] = s3 + d3, s3 - d3


@njit(cache=True, fastmath=True, error_model="numpy")
def _apart(line, stride, phases):
    """Every `stride`-th value of a line to rows of their own (strides known at compile time keep to the registers)."""
    n = len(line) // stride
    if stride == 4:
        for k in range(n):
            phases[0, k] = line[4 * k]
            phases[1, k] = line[4 * k + 1]
            phases[2, k] = line[4 * k + 2]
            phases[3, k] = line[4 * k + 3]
    else:
        for k in range(n):
            phases[0, k] = line[2 * k]
            phases[1, k] = line[2 * k + 1]


@njit(cache=True, fastmath=True, error_model="numpy")
def _together(phases, stride, line):
    """Undoes `_apart`."""
    n = len(line) // stride
    if stride == 4:
        for k in range(n):
            line[4 * k] = phases[0, k]
            line[4 * k + 1] = phases[1, k]
            line[4 * k + 2] = phases[2, k]
            line[4 * k + 3] = phases[3, k]
    else:
        for k in range(n):
            line[2 * k] = phases[0, k]
            line[2 * k + 1] = phases[1, k]


@njit(inline="always")
def _blocks_of(rows, start, stride, phases, coefficients):
    """Coefficients (8, 8, blocks) of blocks side by side from column `start` of vertically transformed `rows`."""
    count = coefficients.shape[2]
    length = stride * (count - 1) + SIDE
    for u in range(SIDE):
        _apart(rows[u, start : start + length], stride, phases)
        out = coefficients[u]
        last = SIDE // stride - 1
        middle = last // 2  # where a block's fourth column lies, counted in whole strides
        a0, a1 = phases[0, :count], phases[1, :count]
        a2, a3 = phases[2 % stride, middle : middle + count], phases[3 % stride, middle : middle + count]
        ahead = 4 // stride
        a4, a5 = phases[0, ahead : ahead + count], phases[1, ahead : ahead + count]
        a6, a7 = phases[2 % stride, last : last + count], phases[3 % stride, last : last + count]
        for k in range(count):
            out[0, k], out[1, k], out[2, k], out[3, k], out[4, k], out[5, k], out[6, k], out[7, k] = _dct(
                a0[k], a1[k], a2[k], a3[k], a4[k], a5[k], a6[k], a7[k]
            )


@njit(inline="always")
def _threshold(block, sigma, noise, share):
    """Coefficients below their noise become 0; `share` counts those that are left."""
    for u in range(SIDE):
        for v in range(SIDE):
            if u + v == 0:
                continue
            c, s = block[u, v], sigma[u, v]
            for k in range(len(share)):
                keep = np.float32(1) if abs(c[k]) > s * noise[k] else np.float32(0)
                c[k] *= keep
                share[k] += keep


@njit(inline="always")
def _wiener(block, pilot, sigma, noise, share):
    """Coefficients times the share of signal that the pilot shows; `share` sums the squares of that."""
    for u in range(SIDE):
        for v in range(SIDE):
            if u + v == 0:
                continue
            c, p, s = block[u, v], pilot[u, v], sigma[u, v]
            for k in range(len(share)):
                square = p[k] * p[k]
                s2 = s * noise[k]
                # never so little that its square leaves the normal numbers, which are many times slower
                keep = max(square / (square + s2 * s2 + np.float32(1e-20)), np.float32(1e-9))
                c[k] *= keep
                share[k] += keep * keep


@njit(inline="always")
def _give_back(block, share, stride, phases, line, rows, along, start):
    """Blocks back to vertically transformed rows, weighted by `share` and added; `along` gathers the weights."""
    count = len(share)
    length = stride * (count - 1) + SIDE
    phases[:] = np.float32(0)
    for j in range(SIDE):
        ahead = j // stride
        target, window = phases[j % stride, ahead : ahead + count], WINDOW[j]
        for k in range(count):
            target[k] += window * share[k]
    _together(phases, stride, line[:length])
    gathered = along[start : start + length]
    for x in range(length):
        gathered[x] += line[x]
    for u in range(SIDE):
        c = block[u]
        backward(c)
        phases[:] = np.float32(0)
        for j in range(SIDE):
            ahead = j // stride
            target, part, window = phases[j % stride, ahead : ahead + count], c[j], WINDOW[j]
            for k in range(count):
                target[k] += window * part[k] * share[k]
        _together(phases, stride, line[:length])
        row = rows[u, start : start + length]
        for x in range(length):
            row[x] += line[x]


@njit(inline="always")
def _strip(plane, top, left, rows):
    """Eight rows from `top` and `left` (which may lie outside: mirrored), transformed down the columns."""
    h, w = plane.shape
    n = rows.shape[1]
    if left >= 0 and left + n <= w:
        for i in range(SIDE):
            source, target = plane[mirrored(top + i, h), left : left + n], rows[i]
            for x in range(n):
                target[x] = source[x]
    else:
        for i in range(SIDE):
            source, target = plane[mirrored(top + i, h)], rows[i]
            for x in range(n):
                target[x] = source[mirrored(left + x, w)]
    forward(rows)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _filter(plane, pilot, sigma, gain, stride, wiener, out):
    """Filter a plane (h, w) into `out`, in tiles that stay in the processor's cache.

    `sigma` (8, 8): standard deviation of noise by coefficient (times the threshold in the first pass); `gain` (gh, w):
    factor on it by place, by the nearest row.
    """
    h, w = out.shape
    gh = gain.shape[0]
    columns = stride * (_BLOCKS + 1) - SIDE  # so many that a strip's blocks fill the vector registers
    across, down = (w + columns - 1) // columns, (h + _BAND - 1) // _BAND
    for tile in prange(across * down):
        low, left = tile // across * _BAND, tile % across * columns
        high, right = min(low + _BAND, h), min(left + columns, w)
        wide = right - left
        n = (wide + SIDE - 1) // stride  # blocks of a strip that reach into the tile
        start = left - SIDE + stride  # column of the first
        width = stride * (n - 1) + SIDE
        total = np.zeros((high - low, width), np.float32)
        weights = np.zeros((high - low, width), np.float32)
        rows, rows2 = np.empty((SIDE, width), np.float32), np.empty((SIDE, width), np.float32)
        done, along = np.empty((SIDE, width), np.float32), np.empty(width, np.float32)
        block, other = np.empty((SIDE, SIDE, n), np.float32), np.empty((SIDE, SIDE, n), np.float32)
        share, noise = np.empty(n, np.float32), np.empty(n, np.float32)
        phases, line = np.empty((stride, n + SIDE // stride), np.float32), np.empty(stride * n + SIDE, np.float32)
        for top in range(low - SIDE + stride, high, stride):
            _strip(plane, top, start, rows)
            done[:] = np.float32(0)
            along[:] = np.float32(0)
            place = gain[min(max(top + 4, 0) * gh // h, gh - 1)]
            for k in range(n):
                noise[k] = place[min(max(start + stride * k + 4, 0), w - 1)]
                share[k] = np.float32(1)
            _blocks_of(rows, 0, stride, phases, block)
            if wiener:
                _strip(pilot, top, start, rows2)
                _blocks_of(rows2, 0, stride, phases, other)
                _wiener(block, other, sigma, noise, share)
            else:
                _threshold(block, sigma, noise, share)
            for k in range(n):
                share[k] = np.float32(1) / share[k]
            _give_back(block, share, stride, phases, line, done, along, 0)
            backward(done)
            for i in range(SIDE):
                y = top + i - low
                if 0 <= y < high - low:
                    sums, counts, result, window = total[y], weights[y], done[i], WINDOW[i]
                    for x in range(width):
                        sums[x] += window * result[x]
                        counts[x] += window * along[x]
        first = left - start
        for y in range(high - low):
            target = out[low + y, left:right]
            sums, counts = total[y, first : first + wide], weights[y, first : first + wide]
            for x in range(wide):
                target[x] = sums[x] / counts[x]


def denoise_plane(
    plane: NDArray[np.float32],
    sigma: NDArray[np.float32],
    strength: float,
    gain: NDArray[np.float32],
    stride: int,
    passes: int = 2,
) -> NDArray[np.float32]:
    """A plane (H, W) without noise.

    `sigma` (8, 8): standard deviation of the noise in each coefficient; `strength`: times that is taken out; `gain`
    (gh, W): factor on the noise's standard deviation over the plane; `stride`: 4 is quick, 2 is better; `passes`: 1 is
    the threshold alone.
    """
    sigma = np.asarray(sigma, np.float32) * np.float32(strength)
    pilot = np.empty_like(plane)
    threshold = np.float32(ALONE if passes == 1 else THRESHOLD)
    _filter(plane, plane, sigma * threshold, gain, stride, False, pilot)
    if passes == 1:
        return pilot
    out = np.empty_like(plane)
    _filter(plane, pilot, sigma * np.float32(WIENER), gain, stride, True, out)
    return out
