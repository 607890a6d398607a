"""What is done to every place of every frame of a night: the middle value of a chunk, and what a frame has above it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on

EVERY = 5
"""Of so many rows one tells of slow changes: of both kinds of rows in turn."""


def network(count: int) -> NDArray[np.int64]:
    """Compute the pairs of places to compare and exchange, so that `count` values are in order.

    Batcher 1968, odd-even merge.

    Parameters
    ----------
    count
        Number of values.

    Returns
    -------
    NDArray[np.int64]
        Pairs of places to compare and exchange, so that `count` values are in order (Batcher 1968, odd-even
        merge).
    """
    pairs = []
    size = 1 << max(count - 1, 1).bit_length()
    p = 1
    while p < size:
        k = p
        while k >= 1:
            for j in range(k % p, size - k, 2 * k):
                for i in range(min(k, size - j - k)):
                    if (i + j) // (2 * p) == (i + j + k) // (2 * p) and i + j + k < count:
                        pairs.append((i + j, i + j + k))
            k //= 2
        p *= 2
    return np.array(pairs, np.int64).reshape(-1, 2)


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _middle(chunk, pairs, out):
    count, h, w = chunk.shape
    low, high = (count - 1) // 2, count // 2
    for y in prange(h):
        rows = chunk[:, y].copy()  # whole rows are compared at once
        for n in range(len(pairs)):
            i, j = pairs[n, 0], pairs[n, 1]
            for x in range(w):
                a, b = rows[i, x], rows[j, x]
                rows[i, x] = a if a < b else b
                rows[j, x] = b if a < b else a
        for x in range(w):
            out[y, x] = (np.float32(rows[low, x]) + np.float32(rows[high, x])) * np.float32(0.5)


def middle(chunk: NDArray[Any]) -> NDArray[np.float32]:
    """Compute the middle value of each place of frames (N, H, W).

    Parameters
    ----------
    chunk
        Frames of the chunk (N, H, W).

    Returns
    -------
    NDArray[np.float32]
        The middle value of each place of frames (N, H, W).
    """
    out = np.empty(chunk.shape[1:], np.float32)
    _middle(chunk, network(len(chunk)), out)
    return out


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def blocks(codes, middle, size, step, out):
    """Return the mean of what a frame (H, W) has above the middle in blocks.

    Blocks of `size` rows and `step * size` columns, of some rows and of all their colours.

    Parameters
    ----------
    codes
        The frame's codes (H, W).
    middle
        Median of the chunk.
    size
        Size.
    step
        Step.
    out
        Array to fill.
    """
    rows, columns = out.shape
    h, w = codes.shape
    wide = size * step
    for r in prange(rows):
        for c in range(columns):
            total, n = np.float32(0), 0
            for y in range(r * size + (c & 1), min(r * size + size, h), EVERY):
                for x in range(c * wide, min(c * wide + wide, w)):
                    total += np.float32(codes[y, x]) - middle[y, x]
                    n += 1
            out[r, c] = total / max(n, 1)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def layer(codes, middle, coarse, size, step, out):
    """Find what a frame has above the middle and above slow changes (straight from block to block), as int16.

    Parameters
    ----------
    codes
        The frame's codes (H, W).
    middle
        Median of the chunk.
    coarse
        Means of blocks, see `blocks`.
    size
        Size.
    step
        Step.
    out
        Array to fill.
    """
    h, w = codes.shape
    rows, columns = coarse.shape
    wide = np.float32(size * step)
    for y in prange(h):
        gy = min(max((y + 0.5) / size - 0.5, 0.0), rows - 1.0)
        r = min(int(gy), max(rows - 2, 0))
        fy = np.float32(gy - r)
        below = min(r + 1, rows - 1)
        slow = np.empty(w, np.float32)  # a line of its own lets the rest be done several places at once
        begin = 0
        for c in range(-1, columns):
            left, right = max(c, 0), min(c + 1, columns - 1)
            a = coarse[r, left] + (coarse[below, left] - coarse[r, left]) * fy
            b = coarse[r, right] + (coarse[below, right] - coarse[r, right]) * fy
            slope = (b - a) / wide
            first = a + slope * (np.float32(begin) + np.float32(0.5) - np.float32((c + 0.5) * wide))
            end = max(begin, min(int((c + 1.5) * wide), w) if c < columns - 1 else w)
            for k in range(end - begin):
                slow[begin + k] = first + slope * np.float32(k)
            begin = end
        of, mid, to = codes[y], middle[y], out[y]
        for x in range(w):
            value = np.float32(of[x]) - mid[x] - slow[x]
            to[x] = np.int16(np.int32(min(max(value, np.float32(-32000)), np.float32(32000))))


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def hide(layer, hidden, scale_y, scale_x):
    """Leave nothing of a layer where a mask of another size is set.

    Parameters
    ----------
    layer
        What a frame has above the middle (H, W), int16, changed.
    hidden
        Mask of places to hide.
    scale_y
        Vertical scale of the mask.
    scale_x
        Horizontal scale of the mask.
    """
    h, w = layer.shape
    rows, columns = hidden.shape
    for y in prange(h):
        my = min(int(y * scale_y), rows - 1)
        for x in range(w):
            if hidden[my, min(int(x * scale_x), columns - 1)]:
                layer[y, x] = 0
