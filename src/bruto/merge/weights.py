"""How much each place of a frame counts beside a reference: less where it differs by more than noise explains.

Told at half the size, where each place has red, green and blue as they were measured. A place is looked at by itself
and with its neighbours; what differs takes its surroundings along, so that soft edges of moving things go too.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.merge.resampling import STEP

EXCESS, EXCESS_ALONE = 9.0, 16.0
"""Squared deviations from which the mean of 3 x 3 places, and a single one, count less."""
FALL = 6.0
"""Further excess over which a weight falls to 1 / e."""
EDGE, EDGE_ALONE, ROUGH = 0.05, 0.1, 0.3
"""Deviation that is allowed, as a share of the level: what is left of misalignment at edges; and as a share of the
range around, as a single place samples fine detail.
"""
_ROWS = 32


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _differences(first, second, nodes, full, y, out, inside):
    """Find what the second frame has more at row y of the first's half-size grid (3, w).

    It is straight between its places; from `full` on it may hold any more.
    """
    h, w = second.shape[1:]
    middle = 2 * y + np.float32(0.5)
    row = min(int(middle) // STEP, nodes.shape[0] - 2)
    part = (middle - np.float32(row * STEP)) / np.float32(STEP)
    width = first.shape[2]
    for column in range((2 * width + STEP - 1) // STEP):
        a, b, c, d = nodes[row, column], nodes[row, column + 1], nodes[row + 1, column], nodes[row + 1, column + 1]
        ax, bx = a[0] + (c[0] - a[0]) * part, b[0] + (d[0] - b[0]) * part
        ay, by = a[1] + (c[1] - a[1]) * part, b[1] + (d[1] - b[1]) * part
        dx, dy = (bx - ax) / np.float32(STEP), (by - ay) / np.float32(STEP)
        for x in range(column * STEP // 2, min((column + 1) * STEP // 2, width)):
            at = np.float32(2 * x + 0.5 - column * STEP)
            px, py = (
                (ax + dx * at + np.float32(0.5)) / 2 - np.float32(0.5),
                (ay + dy * at + np.float32(0.5)) / 2 - (np.float32(0.5)),
            )
            if not (1 <= px < w - 2 and 1 <= py < h - 2):
                inside[x] = False
                for k in range(3):
                    out[k, x] = 0
                continue
            inside[x] = True
            ix, iy = int(px), int(py)
            fx, fy = px - np.float32(ix), py - np.float32(iy)
            for k in range(3):
                top = second[k, iy, ix] + (second[k, iy, ix + 1] - second[k, iy, ix]) * fx
                low = second[k, iy + 1, ix] + (second[k, iy + 1, ix + 1] - second[k, iy + 1, ix]) * fx
                value, own = top + (low - top) * fy, first[k, y, x]
                out[k, x] = value - own if value < full else max(full - own, np.float32(0))


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _weights(first, second, nodes, a, b, rough, full, out):
    h, w = first.shape[1:]
    for band in prange((h + _ROWS - 1) // _ROWS):
        top, bottom = band * _ROWS, min(band * _ROWS + _ROWS, h)
        begin, end = max(top - 2, 0), min(bottom + 2, h)
        apart = np.empty((end - begin, 3, w), np.float32)
        inside = np.empty((end - begin, w), np.bool_)
        for y in range(begin, end):
            _differences(first, second, nodes, full, y, apart[y - begin], inside[y - begin])
        excess = np.zeros((end - begin, w), np.float32)
        for y in range(max(begin, 1), min(end, h - 1)):
            r = y - begin
            if r < 1 or r >= end - begin - 1:
                continue
            for c in range(3):
                # green is the mean of two; all places of a frame are independent
                single = np.float32(1.0) if c == 1 else np.float32(2.0)
                d0, d1, d2 = apart[r - 1, c], apart[r, c], apart[r + 1, c]
                l0, l1, l2 = first[c, y - 1], first[c, y], first[c, y + 1]
                for x in range(1, w - 1):
                    d = d0[x - 1] + d0[x] + d0[x + 1] + d1[x - 1] + d1[x] + d1[x + 1] + d2[x - 1] + d2[x] + d2[x + 1]
                    t0, t1, t2 = (
                        l0[x - 1] + l0[x] + l0[x + 1],
                        l1[x - 1] + l1[x] + l1[x + 1],
                        l2[x - 1] + l2[x] + l2[x + 1],
                    )
                    level = max((t0 + t1 + t2) * np.float32(1 / 9), np.float32(0))
                    d *= np.float32(1 / 9)
                    variance = single * (a[c] * level + b[c])
                    low = min(
                        min(min(l0[x - 1], l0[x]), min(l0[x + 1], l1[x - 1])),
                        min(min(l1[x], l1[x + 1]), min(min(l2[x - 1], l2[x]), l2[x + 1])),
                    )
                    high = max(
                        max(max(l0[x - 1], l0[x]), max(l0[x + 1], l1[x - 1])),
                        max(max(l1[x], l1[x + 1]), max(max(l2[x - 1], l2[x]), l2[x + 1])),
                    )
                    allowed = np.float32(EDGE) * level + rough * (high - low)
                    wide = d * d / (variance * np.float32(1 / 9) + allowed * allowed) - np.float32(EXCESS)
                    allowed = np.float32(EDGE_ALONE) * level + (np.float32(ROUGH) + rough) * (high - low)
                    alone = d1[x] * d1[x] / (variance + allowed * allowed) - np.float32(EXCESS_ALONE)
                    excess[r, x] = max(excess[r, x], max(wide, alone))
        for y in range(top, bottom):
            r = y - begin
            before, after = excess[max(r - 1, 0)], excess[min(r + 1, end - begin - 1)]
            own, line = excess[r], out[y]
            for x in range(w):
                i, j = max(x - 1, 0), min(x + 1, w - 1)
                most = max(
                    max(max(before[i], before[x]), max(before[j], own[i])),
                    max(max(own[x], own[j]), max(max(after[i], after[x]), after[j])),
                )
                line[x] = math.exp(-most * np.float32(1 / FALL)) if inside[r, x] else np.float32(0)


def weights_of(
    first: NDArray[np.float32],
    second: NDArray[np.float32],
    nodes: NDArray[np.float32],
    noise: NDArray[np.float64],
    rough: float = 0.0,
    full: float = math.inf,
) -> NDArray[np.float32]:
    """Compute the weights 0..1 (h, w) at half the size of the first frame, of quads (3, h, w) of both.

    `noise` (3, 2): a, b of the variance a x + b of a place, the mean of both frames'.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.
    nodes
        See `resample.nodes_of`.
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.
    rough
        As a share of the range around, what may be off for other reasons.
    full
        Light from which on the second only says that there is as much.

    Returns
    -------
    NDArray[np.float32]
        Weights 0..1 (h, w) at half the size of the first frame, of quads (3, h, w) of both.
    """
    out = np.empty(first.shape[1:], np.float32)
    a, b = (np.ascontiguousarray(noise[:, k], np.float32) for k in (0, 1))
    _weights(first, second, nodes, a, b, np.float32(rough), np.float32(full), out)
    return out
