"""Denoising by the cosine transform of overlapping 8 x 8 blocks: a threshold, then Wiener's filter with its result.

Yu, Sapiro, "DCT Image Denoising" (IPOL 1, 2011); second pass as in Dabov, Foi, Katkovnik, Egiazarian (IEEE TIP 16-8,
2007) without the search for like blocks. Blocks of a strip share their vertical transforms, both forward and back,
and lie side by side in vector registers. Buffers are flat, with distances that the compiler knows and unsigned indices:
so it sees that loops do not write what they read, and that no index counts from the end. Blocks stand at multiples of
`stride` of the array's own coordinates, so pieces of a frame that start at multiples of it give the whole frame's
values.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.buffer_pool import empty
from bruto.develop.demosaic import mirrored

SIDE = 8
THRESHOLD, WIENER = 3.0, 1.1
"""Hard threshold, and noise of Wiener's filter, in standard deviations of a coefficient's noise: a little more than
theory has it, as the pilot still holds some.
"""
WINDOW = np.array([0.28, 0.58, 0.84, 1.0, 1.0, 0.84, 0.58, 0.28], np.float32)
"""Weight of a block's rows and columns: less at its edges, whose steps would show as a mesh."""
_BAND, _BLOCKS = 64, 144
"""Rows of a tile, and most blocks side by side in one."""
_PITCH, _HEAD = np.uint64(160), np.uint64(8)
"""Values from one row over the blocks to the next, not a power of two, or all rows would fall on the same lines of the
processor's cache; and place of the first block in a row that has room at both ends.
"""
_C = [np.float32(0.5 * math.cos(k * math.pi / 16)) for k in range(8)]
_C1, _C2, _C3, _C4, _C5, _C6, _C7 = _C[1:]


@njit(cache=True, fastmath=True, error_model="numpy")
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
    """Transform 8 rows (8, n) by the orthonormal DCT-II, in place, down the columns.

    Parameters
    ----------
    x
        Rows (8, n), float32, changed.
    """
    for k in range(x.shape[1]):
        x[0, k], x[1, k], x[2, k], x[3, k], x[4, k], x[5, k], x[6, k], x[7, k] = _dct(
            x[0, k], x[1, k], x[2, k], x[3, k], x[4, k], x[5, k], x[6, k], x[7, k]
        )


@njit(cache=True, fastmath=True, error_model="numpy")
def _undone(x0, x1, x2, x3, x4, x5, x6, x7):
    """Undoes `_dct`."""
    a, b = (x0 + x4) * _C4, (x0 - x4) * _C4
    c, d = x2 * _C2 + x6 * _C6, x2 * _C6 - x6 * _C2
    s0, s3, s1, s2 = a + c, a - c, b + d, b - d
    d0 = x1 * _C1 + x3 * _C3 + x5 * _C5 + x7 * _C7
    d1 = x1 * _C3 - x3 * _C7 - x5 * _C1 - x7 * _C5
    d2 = x1 * _C5 - x3 * _C1 + x5 * _C7 + x7 * _C3
    d3 = x1 * _C7 - x3 * _C5 + x5 * _C3 - x7 * _C1
    return s0 + d0, s1 + d1, s2 + d2, s3 + d3, s3 - d3, s2 - d2, s1 - d1, s0 - d0


@njit(cache=True, fastmath=True, error_model="numpy")
def backward(x):
    """Undo `forward`.

    Parameters
    ----------
    x
        Rows (8, n), float32, changed.
    """
    for k in range(x.shape[1]):
        x[0, k], x[1, k], x[2, k], x[3, k], x[4, k], x[5, k], x[6, k], x[7, k] = _undone(
            x[0, k], x[1, k], x[2, k], x[3, k], x[4, k], x[5, k], x[6, k], x[7, k]
        )


@njit(cache=True, fastmath=True, error_model="numpy")
def _apart(line, n, stride, phases):
    """Every `stride`-th value of a line to rows of their own, n each."""
    p1, p2, p3 = _PITCH, _PITCH + _PITCH, _PITCH + _PITCH + _PITCH
    if stride == 4:
        for k in range(np.uint64(n)):
            at = k * np.uint64(4)
            phases[k] = line[at]
            phases[k + p1] = line[at + np.uint64(1)]
            phases[k + p2] = line[at + np.uint64(2)]
            phases[k + p3] = line[at + np.uint64(3)]
    else:
        for k in range(np.uint64(n)):
            at = k * np.uint64(2)
            phases[k] = line[at]
            phases[k + p1] = line[at + np.uint64(1)]


@njit(cache=True, fastmath=True, error_model="numpy")
def _columns(phases, k, stride):
    """Return the eight values of block k in one row, of what `_apart` gives."""
    return (
        phases[k + _place(0, stride)], phases[k + _place(1, stride)],
        phases[k + _place(2, stride)], phases[k + _place(3, stride)],
        phases[k + _place(4, stride)], phases[k + _place(5, stride)],
        phases[k + _place(6, stride)], phases[k + _place(7, stride)],
    )  # fmt: skip


@njit(cache=True, fastmath=True, error_model="numpy")
def _place(column, stride):
    """Where `_apart` puts a block's column, from the place of its first."""
    return np.uint64(column % stride) * _PITCH + np.uint64(column // stride)


@njit(cache=True, fastmath=True, error_model="numpy")
def _row(u):
    """Start of row u of a buffer."""
    return np.uint64(u) * _PITCH


@njit(cache=True, fastmath=True, error_model="numpy")
def _rows(c, k):
    """Values k of eight rows."""
    return (
        c[k], c[k + _row(1)], c[k + _row(2)], c[k + _row(3)],
        c[k + _row(4)], c[k + _row(5)], c[k + _row(6)], c[k + _row(7)],
    )  # fmt: skip


@njit(cache=True, fastmath=True, error_model="numpy")
def _shrunk(c, s):
    """1 where a coefficient stands out of its noise, else 0."""
    return np.float32(1) if abs(c) > s else np.float32(0)


@njit(cache=True, fastmath=True, error_model="numpy")
def _threshold(phases, stride, sigma, noise, mean, share, out):
    """One vertical frequency of blocks side by side: their coefficients, those below their noise 0, to eight rows.

    `sigma` (8,), times `noise` (blocks,); `mean`: 1 where the first coefficient is the block's mean, which is kept,
    else 0; `share` counts what is left.
    """
    s0, s1, s2, s3 = sigma[0], sigma[1], sigma[2], sigma[3]
    s4, s5, s6, s7 = sigma[4], sigma[5], sigma[6], sigma[7]
    for k in range(np.uint64(len(share))):
        x0, x1, x2, x3, x4, x5, x6, x7 = _columns(phases, k, stride)
        c0, c1, c2, c3, c4, c5, c6, c7 = _dct(x0, x1, x2, x3, x4, x5, x6, x7)
        n = noise[k]
        k0, k1, k2, k3 = max(_shrunk(c0, s0 * n), mean), _shrunk(c1, s1 * n), _shrunk(c2, s2 * n), _shrunk(c3, s3 * n)
        k4, k5, k6, k7 = _shrunk(c4, s4 * n), _shrunk(c5, s5 * n), _shrunk(c6, s6 * n), _shrunk(c7, s7 * n)
        out[k], out[k + _row(1)], out[k + _row(2)], out[k + _row(3)] = c0 * k0, c1 * k1, c2 * k2, c3 * k3
        out[k + _row(4)], out[k + _row(5)], out[k + _row(6)], out[k + _row(7)] = c4 * k4, c5 * k5, c6 * k6, c7 * k7
        share[k] += ((k0 + k1) + (k2 + k3)) + ((k4 + k5) + (k6 + k7))


@njit(cache=True, fastmath=True, error_model="numpy")
def _signal(p, s):
    """Share of signal in a coefficient of which the pilot has p, at noise s."""
    square = p * p
    # never so little that its square leaves the normal numbers, which are many times slower
    return max(square / (square + s * s + np.float32(1e-20)), np.float32(1e-9))


@njit(cache=True, fastmath=True, error_model="numpy")
def _wiener(phases, known, stride, sigma, noise, mean, share, out):
    """As `_threshold`, but coefficients are kept by the share of signal that those of `known`, the pilot, show.

    `share` sums the squares of that.
    """
    s0, s1, s2, s3 = sigma[0], sigma[1], sigma[2], sigma[3]
    s4, s5, s6, s7 = sigma[4], sigma[5], sigma[6], sigma[7]
    for k in range(np.uint64(len(share))):
        x0, x1, x2, x3, x4, x5, x6, x7 = _columns(known, k, stride)
        c0, c1, c2, c3, c4, c5, c6, c7 = _dct(x0, x1, x2, x3, x4, x5, x6, x7)
        n = noise[k]
        k0, k1, k2, k3 = max(_signal(c0, s0 * n), mean), _signal(c1, s1 * n), _signal(c2, s2 * n), _signal(c3, s3 * n)
        k4, k5, k6, k7 = _signal(c4, s4 * n), _signal(c5, s5 * n), _signal(c6, s6 * n), _signal(c7, s7 * n)
        x0, x1, x2, x3, x4, x5, x6, x7 = _columns(phases, k, stride)
        c0, c1, c2, c3, c4, c5, c6, c7 = _dct(x0, x1, x2, x3, x4, x5, x6, x7)
        out[k], out[k + _row(1)], out[k + _row(2)], out[k + _row(3)] = c0 * k0, c1 * k1, c2 * k2, c3 * k3
        out[k + _row(4)], out[k + _row(5)], out[k + _row(6)], out[k + _row(7)] = c4 * k4, c5 * k5, c6 * k6, c7 * k7
        share[k] += ((k0 * k0 + k1 * k1) + (k2 * k2 + k3 * k3)) + ((k4 * k4 + k5 * k5) + (k6 * k6 + k7 * k7))


@njit(cache=True, fastmath=True, error_model="numpy")
def _give_back(c, share, parts):
    """Coefficients in eight rows back to a block's columns, weighted by `share` and the window."""
    w0, w1, w2, w3 = WINDOW[0], WINDOW[1], WINDOW[2], WINDOW[3]
    for k in range(np.uint64(len(share))):
        c0, c1, c2, c3, c4, c5, c6, c7 = _rows(c, k)
        x0, x1, x2, x3, x4, x5, x6, x7 = _undone(c0, c1, c2, c3, c4, c5, c6, c7)
        s0, s1, s2, s3 = w0 * share[k], w1 * share[k], w2 * share[k], w3 * share[k]
        at = k + _HEAD
        parts[at], parts[at + _row(1)], parts[at + _row(2)], parts[at + _row(3)] = s0 * x0, s1 * x1, s2 * x2, s3 * x3
        parts[at + _row(4)], parts[at + _row(5)] = s3 * x4, s2 * x5
        parts[at + _row(6)], parts[at + _row(7)] = s1 * x6, s0 * x7


@njit(cache=True, fastmath=True, error_model="numpy")
def _weights(share, parts):
    """Find what `_give_back` gives for blocks of 1."""
    w0, w1, w2, w3 = WINDOW[0], WINDOW[1], WINDOW[2], WINDOW[3]
    for k in range(np.uint64(len(share))):
        s0, s1, s2, s3 = w0 * share[k], w1 * share[k], w2 * share[k], w3 * share[k]
        at = k + _HEAD
        parts[at], parts[at + _row(1)], parts[at + _row(2)], parts[at + _row(3)] = s0, s1, s2, s3
        parts[at + _row(4)], parts[at + _row(5)], parts[at + _row(6)], parts[at + _row(7)] = s3, s2, s1, s0


@njit(cache=True, fastmath=True, error_model="numpy")
def _together(parts, n, stride, line):
    """Columns of blocks side by side to a line of n times `stride`, added where they overlap."""
    h0, h1, h2, h3 = _HEAD, _HEAD - np.uint64(1), _HEAD - np.uint64(2), _HEAD - np.uint64(3)
    if stride == 4:
        for k in range(np.uint64(n)):
            at = k * np.uint64(4)
            line[at] = parts[k + h0] + parts[k + (h1 + _row(4))]
            line[at + np.uint64(1)] = parts[k + (h0 + _row(1))] + parts[k + (h1 + _row(5))]
            line[at + np.uint64(2)] = parts[k + (h0 + _row(2))] + parts[k + (h1 + _row(6))]
            line[at + np.uint64(3)] = parts[k + (h0 + _row(3))] + parts[k + (h1 + _row(7))]
    else:
        for k in range(np.uint64(n)):
            at = k * np.uint64(2)
            line[at] = (parts[k + h0] + parts[k + (h1 + _row(2))]) + (
                parts[k + (h2 + _row(4))] + parts[k + (h3 + _row(6))]
            )
            line[at + np.uint64(1)] = (parts[k + (h0 + _row(1))] + parts[k + (h1 + _row(3))]) + (
                parts[k + (h2 + _row(5))] + parts[k + (h3 + _row(7))]
            )


@njit(cache=True, fastmath=True, error_model="numpy")
def _strip(plane, top, left, width, pitch, rows):
    """Eight rows from `top` and `left` (which may lie outside: mirrored), transformed down the columns."""
    h, w = plane.shape
    before, after = max(-left, 0), min(w - left, width)  # between them lies the plane
    for i in range(SIDE):
        source, target = plane[mirrored(top + i, h)], rows[i * pitch : i * pitch + width]
        part, inner = source[left + before : left + after], target[before:after]
        for x in range(after - before):
            inner[x] = part[x]
        for x in range(before):
            target[x] = source[mirrored(left + x, w)]
        for x in range(after, width):
            target[x] = source[mirrored(left + x, w)]
    p = np.uint64(pitch)
    p2, p3, p4, p5, p6, p7 = p + p, p + p + p, p * np.uint64(4), p * np.uint64(5), p * np.uint64(6), p * np.uint64(7)
    for k in range(np.uint64(width)):
        x0, x1, x2, x3, x4, x5, x6, x7 = _dct(
            rows[k], rows[k + p], rows[k + p2], rows[k + p3], rows[k + p4], rows[k + p5], rows[k + p6], rows[k + p7]
        )
        rows[k], rows[k + p], rows[k + p2], rows[k + p3] = x0, x1, x2, x3
        rows[k + p4], rows[k + p5], rows[k + p6], rows[k + p7] = x4, x5, x6, x7


@njit(cache=True, fastmath=True, error_model="numpy")
def _add(rows, along, width, pitch, total, counts):
    """Vertically transformed rows back and to `total` (8 rows of it), weighted by the window; `along`.

    Their weights, which go to `counts`.
    """
    p = np.uint64(pitch)
    p2, p3, p4, p5, p6, p7 = p + p, p + p + p, p * np.uint64(4), p * np.uint64(5), p * np.uint64(6), p * np.uint64(7)
    w0, w1, w2, w3 = WINDOW[0], WINDOW[1], WINDOW[2], WINDOW[3]
    for k in range(np.uint64(width)):
        x0, x1, x2, x3, x4, x5, x6, x7 = _undone(
            rows[k], rows[k + p], rows[k + p2], rows[k + p3], rows[k + p4], rows[k + p5], rows[k + p6], rows[k + p7]
        )
        total[k] += w0 * x0
        total[k + p] += w1 * x1
        total[k + p2] += w2 * x2
        total[k + p3] += w3 * x3
        total[k + p4] += w3 * x4
        total[k + p5] += w2 * x5
        total[k + p6] += w1 * x6
        total[k + p7] += w0 * x7
    for k in range(np.uint64(width)):
        a = along[k]
        counts[k] += w0 * a
        counts[k + p] += w1 * a
        counts[k + p2] += w2 * a
        counts[k + p3] += w3 * a
        counts[k + p4] += w3 * a
        counts[k + p5] += w2 * a
        counts[k + p6] += w1 * a
        counts[k + p7] += w0 * a


def _filter_of(stride: int) -> Callable[..., None]:
    """Return the filter for blocks at multiples of `stride`, which the compiler must know."""
    columns = stride * (_BLOCKS + 1) - SIDE  # so many that a strip's blocks fill the buffers
    pitch = stride * (_BLOCKS + 1) + 16 - stride
    more = SIDE // stride - 1  # strides that the last block reaches beyond its own

    @njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
    def filter_plane(plane, pilot, sigma, gain, wiener, out):
        """Filter a plane (h, w) into `out`, in tiles that stay in the processor's cache.

        `sigma` (8, 8): standard deviation of noise by coefficient (times the threshold in the first pass); `gain`
        (gh, w): factor on it by place, by the nearest row.
        """
        h, w = out.shape
        gh = gain.shape[0]
        across, down = (w + columns - 1) // columns, (h + _BAND - 1) // _BAND
        for tile in prange(across * down):
            low, left = tile // across * _BAND, tile % across * columns
            high, right = min(low + _BAND, h), min(left + columns, w)
            n = (right - left + SIDE - 1) // stride  # blocks of a strip that reach into the tile
            over, start = low - SIDE + stride, left - SIDE + stride  # row and column of the first
            width = stride * (n + more)
            tall = high - over + SIDE
            total, counts = np.zeros(tall * pitch, np.float32), np.zeros(tall * pitch, np.float32)
            rows, known = np.empty(SIDE * pitch, np.float32), np.empty(SIDE * pitch, np.float32)
            done, along = np.empty(SIDE * pitch, np.float32), np.empty(pitch, np.float32)
            row = np.int64(_PITCH)
            block, parts = np.empty(SIDE * SIDE * row, np.float32), np.zeros(SIDE * row, np.float32)
            phases, other = np.empty(stride * row, np.float32), np.empty(stride * row, np.float32)
            share, noise = np.empty(n, np.float32), np.empty(n, np.float32)
            for top in range(over, high, stride):
                _strip(plane, top, start, width, pitch, rows)
                if wiener:
                    _strip(pilot, top, start, width, pitch, known)
                place = gain[min(max(top + 4, 0) * gh // h, gh - 1)]
                for k in range(n):
                    noise[k] = place[min(max(start + stride * k + 4, 0), w - 1)]
                    share[k] = np.float32(0)
                for u in range(SIDE):
                    mean = np.float32(1) if u == 0 else np.float32(0)
                    part = block[u * SIDE * row : (u + 1) * SIDE * row]
                    _apart(rows[u * pitch : (u + 1) * pitch], n + more, stride, phases)
                    if wiener:
                        _apart(known[u * pitch : (u + 1) * pitch], n + more, stride, other)
                        _wiener(phases, other, stride, sigma[u], noise, mean, share, part)
                    else:
                        _threshold(phases, stride, sigma[u], noise, mean, share, part)
                for k in range(n):
                    share[k] = np.float32(1) / share[k]
                _weights(share, parts)
                _together(parts, n + more, stride, along)
                for u in range(SIDE):
                    _give_back(block[u * SIDE * row : (u + 1) * SIDE * row], share, parts)
                    _together(parts, n + more, stride, done[u * pitch : (u + 1) * pitch])
                at = (top - over) * pitch
                _add(done, along, width, pitch, total[at : at + SIDE * pitch], counts[at : at + SIDE * pitch])
            for y in range(high - low):
                at = (y + low - over) * pitch + left - start
                target = out[low + y, left:right]
                sums, weights = total[at : at + right - left], counts[at : at + right - left]
                for x in range(right - left):
                    target[x] = sums[x] / weights[x]

    return filter_plane


_FILTERS = {stride: _filter_of(stride) for stride in (2, 4)}


def denoise_plane(
    plane: NDArray[np.float32],
    sigma: NDArray[np.float32],
    strength: float,
    gain: NDArray[np.float32],
    stride: int,
) -> NDArray[np.float32]:
    """Compute a plane (H, W) without noise.

    `sigma` (8, 8): standard deviation of the noise in each coefficient; `gain` (gh, W): factor on the noise's
    standard deviation over the plane.

    Parameters
    ----------
    plane
        One colour plane (H, W).
    sigma
        Standard deviation of the noise.
    strength
        Times that is taken out.
    gain
        Gain of the shading correction (H, W).
    stride
        4 is quick, 2 is better.

    Returns
    -------
    NDArray[np.float32]
        A plane (H, W) without noise.
    """
    sigma = np.asarray(sigma, np.float32) * np.float32(strength)
    pilot, out = empty(plane.shape), empty(plane.shape)
    apply = _FILTERS[stride]
    apply(plane, plane, sigma * np.float32(THRESHOLD), gain, False, pilot)
    apply(plane, pilot, sigma * np.float32(WIENER), gain, True, out)
    return out
