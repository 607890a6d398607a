"""Values of many frames put in order place by place: their middle one, and the mean of what lies near it.

A stack is (N, rows, W, 3), float32, NaN where a frame holds no picture. Rows are taken in runs of columns that all
frames hold, which are put in order side by side by a sorting network, and of others, which are taken one by one.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.merge.sky.kernels import network


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def in_order(rows, pairs):
    """Put the values of each column (N, W) in order by a network.

    Parameters
    ----------
    rows
        Number of rows.
    pairs
        Pairs to compare, each with its name.
    """
    for n in range(len(pairs)):
        one, other = rows[pairs[n, 0]], rows[pairs[n, 1]]
        for x in range(rows.shape[1]):
            a, b = one[x], other[x]
            one[x], other[x] = min(a, b), max(a, b)


@njit(cache=True, nogil=True, error_model="numpy")
def valid_in_all(stack, out):
    """Find which columns of a row (N, W, 3) all frames hold.

    Parameters
    ----------
    stack
        Values of all frames (N, W, C).
    out
        Array to fill.
    """
    out[:] = True
    for k in range(stack.shape[0]):
        for x in range(stack.shape[1]):
            out[x] &= not np.isnan(stack[k, x, 0])


@njit(cache=True, nogil=True, error_model="numpy")
def run_end(valid, begin):
    """Find where a run of columns ends that are held, or not, as the one it begins with.

    Parameters
    ----------
    valid
        Mask of pixels that both pictures show.
    begin
        Begin of the span.
    """
    end = begin + 1
    while end < len(valid) and valid[end] == valid[begin]:
        end += 1
    return end


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _near_in_run(stack, a, b, far, pairs, out):
    """Return a run that all frames hold: middle values, and where `far` > 0 the mean of what is near these."""
    count, width = stack.shape[:2]
    line, middle = np.empty((count, width), np.float32), np.empty(width, np.float32)
    low, high = (count - 1) // 2, count // 2
    total, near = np.empty(width, np.float32), np.empty(width, np.float32)
    for c in range(3):
        for k in range(count):
            for x in range(width):
                line[k, x] = stack[k, x, c]
        in_order(line, pairs)
        for x in range(width):
            middle[x] = (line[low, x] + line[high, x]) * np.float32(0.5)
        if far <= 0:
            for x in range(width):
                out[x, c] = middle[x]
            continue
        total[:], near[:] = np.float32(0), np.float32(0)
        for k in range(count):
            for x in range(width):
                tolerance = far * math.sqrt(a[c] * max(middle[x], np.float32(0)) + b[c])
                share = np.float32(1) if abs(line[k, x] - middle[x]) <= tolerance else np.float32(0)
                total[x] += share * line[k, x]
                near[x] += share
        for x in range(width):
            out[x, c] = total[x] / near[x] if near[x] > 0 else middle[x]


@njit(cache=True, nogil=True, error_model="numpy")
def there(stack, x, c, values):
    """Gather the values of a place of a row (N, W, 3) of the frames that hold it, into `values`; return how many.

    Parameters
    ----------
    stack
        Values of all frames (N, W, C).
    x
        Column of the row.
    c
        Channel.
    values
        Values found (N,), written.
    """
    n = 0
    for k in range(stack.shape[0]):
        if not np.isnan(stack[k, x, c]):
            values[n] = stack[k, x, c]
            n += 1
    return n


@njit(cache=True, nogil=True, error_model="numpy")
def _near_one_by_one(stack, a, b, far, out):
    """Do the same where some frames hold nothing; NaN where none does."""
    values = np.empty(stack.shape[0], np.float32)
    for x in range(stack.shape[1]):
        for c in range(3):
            n = there(stack, x, c, values)
            if n == 0:
                out[x, c] = np.float32(np.nan)
                continue
            some = np.sort(values[:n])
            middle = (some[(n - 1) // 2] + some[n // 2]) * np.float32(0.5)
            total, near = np.float32(0), 0
            if far > 0:
                tolerance = far * math.sqrt(a[c] * max(middle, np.float32(0)) + b[c])
                for k in range(n):
                    if abs(some[k] - middle) <= tolerance:
                        total += some[k]
                        near += 1
            out[x, c] = total / near if near else middle


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _near(stack, a, b, far, pairs, out):
    for y in prange(stack.shape[1]):
        valid = np.empty(stack.shape[2], np.bool_)
        valid_in_all(stack[:, y], valid)
        begin = 0
        while begin < len(valid):
            end = run_end(valid, begin)
            if valid[begin]:
                _near_in_run(stack[:, y, begin:end], a, b, far, pairs, out[y, begin:end])
            else:
                _near_one_by_one(stack[:, y, begin:end], a, b, far, out[y, begin:end])
            begin = end


def middle_values(stack: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute the middle value of each place, (rows, W, 3); the mean of both where they are of an even number.

    Parameters
    ----------
    stack
        Values of all frames (N, W, C).

    Returns
    -------
    NDArray[np.float32]
        The middle value of each place, (rows, W, 3); the mean of both where they are of an even number.

    Examples
    --------
    >>> stack = np.array([0.1, 0.9, 0.2], np.float32).reshape(3, 1, 1, 1) * np.ones((1, 1, 1, 3), np.float32)
    >>> [round(v, 3) for v in middle_values(stack)[0, 0].tolist()]
    [0.2, 0.2, 0.2]
    """
    out = np.empty(stack.shape[1:], np.float32)
    none = np.zeros(3, np.float32)
    _near(np.ascontiguousarray(stack, np.float32), none, none, np.float32(0), network(len(stack)), out)
    return out


def clipped_mean(stack: NDArray[np.float32], noise: NDArray[Any], far: float) -> NDArray[np.float32]:
    """Compute the mean of what lies within `far` standard deviations of each place's middle value, of its colour.

    `noise` (3, 2): a, b of variance a x + b.

    Parameters
    ----------
    stack
        Values of all frames (N, W, C).
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.
    far
        Distance in standard deviations from which a value is left out.

    Returns
    -------
    NDArray[np.float32]
        The mean of what lies within `far` standard deviations of each place's middle value, of its colour.

    Examples
    --------
    >>> stack = np.full((5, 1, 1, 3), 0.2, np.float32); stack[0] = 0.9
    >>> bool(np.allclose(clipped_mean(stack, np.full((3, 2), 1e-6), 2.5), 0.2))
    True
    """
    out = np.empty(stack.shape[1:], np.float32)
    a, b = (np.ascontiguousarray(noise[:, k], np.float32) for k in (0, 1))
    _near(np.ascontiguousarray(stack, np.float32), a, b, np.float32(far), network(len(stack)), out)
    return out
