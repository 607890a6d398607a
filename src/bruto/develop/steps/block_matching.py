"""Wiener's filter over groups of like blocks: what a single block cannot tell from noise, several that agree can.

The second step of Dabov, Foi, Katkovnik, Egiazarian, "Image denoising by sparse 3-D transform-domain collaborative
filtering" (IEEE TIP 16-8, 2007): 8 x 8 blocks that look alike in an estimate are stacked, transformed by cosines within
and by Walsh and Hadamard across, and each coefficient keeps the share that is signal in the estimate; the mean of a
group is the estimate's. Differences of a whole strip of blocks against one shift are taken at once, which keeps the
search in vector registers.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.steps.dct import SIDE, WIENER, WINDOW, backward, forward

STRIDE = 4
"""Pixels from one reference block to the next."""
RADIUS, STEP = 12, 2
"""Reach of the search and step in it, pixels; shifts of one pixel are searched as well."""
GROUP = 16
"""Blocks of a group at most."""
NEAR = 8.0
"""Mean squared difference of blocks in the estimate up to which they are alike, in variances of the noise."""
_BAND = 64
"""Reference rows of a band: bands that are worked on at once must not reach each other."""


def _shifts() -> NDArray[np.int64]:
    """Shifts (n, 2) that are searched, nearest first, without none."""
    near = {(y, x) for y in (-1, 0, 1) for x in (-1, 0, 1)}
    far = range(-RADIUS, RADIUS + 1, STEP)
    found = sorted((near | {(y, x) for y in far for x in far}) - {(0, 0)}, key=lambda s: (s[0] ** 2 + s[1] ** 2, s))
    return np.array(found, np.int64)


_SHIFTS = _shifts()


@njit(cache=True, fastmath=True, error_model="numpy")
def _differences(guide, top, dy, dx, quarter, line, found):
    """Squared differences of reference blocks from row `top` to those shifted by (dy, dx).

    Huge where one lies outside.
    """
    h, w = guide.shape
    n = len(found)
    if top + dy < 0 or top + dy + SIDE > h:
        found[:] = np.float32(1e30)
        return
    low, high = max(0, -dx), min(w, w - dx)
    line[:] = np.float32(0)
    wide = high - low
    inner = line[low:high]
    for i in range(SIDE):
        a, b = guide[top + i, low:high], guide[top + dy + i, low + dx : high + dx]
        for x in range(wide):
            d = a[x] - b[x]
            inner[x] += d * d
    m = (w - SIDE) // STRIDE + 1
    for k in range(len(quarter)):
        quarter[k] = line[4 * k] + line[4 * k + 1] + line[4 * k + 2] + line[4 * k + 3]
    for k in range(m):
        found[k] = quarter[k] + quarter[k + 1]
    if n > m:
        s = np.float32(0)
        for x in range(w - SIDE, w):
            s += line[x]
        found[m] = s
    for k in range(n):
        x = min(k * STRIDE, w - SIDE)
        if x + dx < 0 or x + dx + SIDE > w:
            found[k] = np.float32(1e30)


@njit(cache=True, fastmath=True, error_model="numpy")
def _hadamard(stack, count):
    """Orthonormal Walsh-Hadamard transform across the first `count` (a power of two) of a stack (n, 64), in place."""
    half = 1
    scale = np.float32(1)
    while half < count:
        for first in range(0, count, 2 * half):
            for k in range(first, first + half):
                a, b = stack[k], stack[k + half]
                for x in range(64):
                    s, d = a[x] + b[x], a[x] - b[x]
                    a[x], b[x] = s, d
        half *= 2
        scale *= np.float32(0.7071067811865476)
    for k in range(count):
        a = stack[k]
        for x in range(64):
            a[x] *= scale


@njit(cache=True, fastmath=True, error_model="numpy")
def _load(plane, y, x, block, turned):
    """Coefficients of one block to `turned` (64), columns first."""
    for i in range(SIDE):
        source, target = plane[y + i, x : x + SIDE], block[i]
        for j in range(SIDE):
            target[j] = source[j]
    forward(block)
    for i in range(SIDE):
        for j in range(SIDE):
            turned[j, i] = block[i, j]
    forward(turned)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _collaborate(guide, planes, pilots, sigma, gain, limit, shifts, group, total, weights):
    """Return the sums (P, h, w) of filtered blocks and of their weights."""
    h, w = guide.shape
    gh = gain.shape[0]
    down = (h - SIDE + STRIDE - 1) // STRIDE + 1
    across = (w - SIDE + STRIDE - 1) // STRIDE + 1
    rows_of_band = _BAND // STRIDE
    bands = (down + rows_of_band - 1) // rows_of_band
    for odd in range(2):
        for turn in prange((bands + 1 - odd) // 2):
            band = 2 * turn + odd
            found = np.empty(across, np.float32)
            quarter = np.empty((w + 3) // 4, np.float32)
            line = np.zeros(4 * ((w + 3) // 4), np.float32)
            best = np.empty((across, group), np.float32)
            place = np.empty((across, group), np.int64)
            filled = np.empty(across, np.int64)
            block = np.empty((SIDE, SIDE), np.float32)
            noisy, known = np.empty((group, SIDE, SIDE), np.float32), np.empty((group, SIDE, SIDE), np.float32)
            flat, flat_known = noisy.reshape(group, 64), known.reshape(group, 64)
            for r in range(band * rows_of_band, min((band + 1) * rows_of_band, down)):
                top = min(r * STRIDE, h - SIDE)
                filled[:] = 0
                for s in range(shifts.shape[0]):
                    _differences(guide, top, shifts[s, 0], shifts[s, 1], quarter, line, found)
                    for k in range(across):
                        d = found[k]
                        n = filled[k]
                        if d < limit and (n < group - 1 or d < best[k, n - 1]):
                            if n < group - 1:
                                n += 1
                                filled[k] = n
                            at = n - 1
                            while at > 0 and best[k, at - 1] > d:
                                best[k, at] = best[k, at - 1]
                                place[k, at] = place[k, at - 1]
                                at -= 1
                            best[k, at] = d
                            place[k, at] = s
                light = gain[min((top + 4) * gh // h, gh - 1)]
                for k in range(across):
                    left = min(k * STRIDE, w - SIDE)
                    count = 1
                    while 2 * count <= filled[k] + 1:
                        count *= 2
                    factor = light[left + 4]
                    for p in range(planes.shape[0]):
                        for m in range(count):
                            y, x = top, left
                            if m:
                                y += shifts[place[k, m - 1], 0]
                                x += shifts[place[k, m - 1], 1]
                            _load(planes[p], y, x, block, noisy[m])
                            _load(pilots[p], y, x, block, known[m])
                        _hadamard(flat, count)
                        _hadamard(flat_known, count)
                        share = np.float32(0)
                        deviation = sigma[p]
                        for m in range(count):
                            c, q = flat[m], flat_known[m]
                            for x in range(64):
                                square = q[x] * q[x]
                                s2 = deviation[x] * factor
                                keep = max(square / (square + s2 * s2 + np.float32(1e-20)), np.float32(1e-9))
                                c[x] *= keep
                                share += keep * keep
                            if m == 0:  # a Wiener filter would draw the mean of dark colours to grey
                                c[0] = q[0]
                        weight = np.float32(1) / max(share, np.float32(1))
                        _hadamard(flat, count)
                        for m in range(count):
                            y, x = top, left
                            if m:
                                y += shifts[place[k, m - 1], 0]
                                x += shifts[place[k, m - 1], 1]
                            turned = noisy[m]
                            backward(turned)
                            for i in range(SIDE):
                                for j in range(SIDE):
                                    block[i, j] = turned[j, i]
                            backward(block)
                            for i in range(SIDE):
                                sums_row, count_row = total[p, y + i, x : x + SIDE], weights[p, y + i, x : x + SIDE]
                                for j in range(SIDE):
                                    g = weight * WINDOW[i] * WINDOW[j]
                                    sums_row[j] += g * block[i, j]
                                    count_row[j] += g


def filter_alike(
    guide: NDArray[np.float32],
    planes: NDArray[np.float32],
    pilots: NDArray[np.float32],
    sigma: NDArray[np.float32],
    gain: NDArray[np.float32],
    near: float,
) -> NDArray[np.float32]:
    """Compute the planes (P, H, W), at least 8 x 8, filtered in groups of blocks that are alike in `guide` (H, W).

    `pilots` (P, H, W): the estimate; `sigma` (P, 8, 8): standard deviation of the noise in each coefficient; `gain`
    (gh, W): factor on it over the plane, by the nearest row.

    Parameters
    ----------
    guide
        Guide image.
    planes
        Colour planes (C, H, W), linear light.
    pilots
        First estimate of the planes.
    sigma
        Standard deviation of the noise.
    gain
        Gain of the shading correction (H, W).
    near
        Mean squared difference of like blocks at most.

    Returns
    -------
    NDArray[np.float32]
        Planes (P, H, W), at least 8 x 8, filtered in groups of blocks that are alike in `guide` (H, W).
    """
    turned = np.ascontiguousarray(np.asarray(sigma, np.float32).transpose(0, 2, 1)).reshape(len(planes), SIDE * SIDE)
    total, weights = np.zeros_like(planes), np.zeros_like(planes)
    limit = np.float32(SIDE * SIDE * near)
    _collaborate(guide, planes, pilots, turned * np.float32(WIENER), gain, limit, _SHIFTS, GROUP, total, weights)
    total /= weights
    return total
