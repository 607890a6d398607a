"""Frames of a night laid on each other by their stars: what each place of the sky gets of every frame."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.merge.resampling import STEP, line_of
from bruto.merge.sky.sky_rotation import SkyRotation

FAR = 3.5
"""Standard deviations of one frame's noise from the others, beyond which a value is left out."""

OWN_SHARE = 0.6
"""Share of a star's light above the sky that its value in one frame may be off: a star is smaller than the mosaic."""

BLOCK = 32


def _nodes(turning: SkyRotation, seconds: float, beside: NDArray[Any], size: tuple[int, int]) -> NDArray[np.float32]:
    """Where stars at nodes of the reference's grid are after a time, (rows, columns, 2); see `resample.nodes_of`."""
    w, h = size
    xs, ys = (np.arange(0, n + STEP, STEP, dtype=float) for n in (w, h))
    xx, yy = np.meshgrid(xs, ys)
    found = turning.moved(np.stack([xx.ravel(), yy.ravel()], axis=1), seconds)
    found = found @ beside[:, :2].T + beside[:, 2]
    return np.nan_to_num(found, nan=-1e5).reshape(len(ys), len(xs), 2).astype(np.float32)


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _open_at(opened, nodes, y, out):
    """Whether each place of row y lies in a frame's sky (`opened` (h, w), half its size)."""
    h, w = opened.shape
    row = min(y // STEP, nodes.shape[0] - 2)
    part = np.float32((y - row * STEP) / STEP)
    for x in range(len(out)):
        column = x // STEP
        share = np.float32((x - column * STEP) / STEP)
        a, b, c, d = nodes[row, column], nodes[row, column + 1], nodes[row + 1, column], nodes[row + 1, column + 1]
        left, right = a[0] + (c[0] - a[0]) * part, b[0] + (d[0] - b[0]) * part
        top, low = a[1] + (c[1] - a[1]) * part, b[1] + (d[1] - b[1]) * part
        px, py = int((left + (right - left) * share) / 2), int((top + (low - top) * share) / 2)
        out[x] = 0 <= px < w and 0 <= py < h and opened[py, px]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _gather(planes, steep, least_light, nodes, opened, total, low, high, count):
    """Sum, least and most of each place of the frames whose sky is open there."""
    h, width = total.shape[1:]
    for y in prange(h):
        line, inside, there = np.empty((3, width), np.float32), np.empty(width, np.bool_), np.empty(width, np.bool_)
        line_of(planes, steep, least_light, nodes, y, line, inside)
        _open_at(opened, nodes, y, there)
        for x in range(width):
            if inside[x] and there[x]:
                count[y, x] += np.uint16(1)
                for c in range(3):
                    value = line[c, x]
                    total[c, y, x] += value
                    low[c, y, x], high[c, y, x] = min(low[c, y, x], value), max(high[c, y, x], value)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _centre(total, low, high, count):
    """Return a middle value that one thing too light and one too dark do not move, into `total`."""
    h, width = total.shape[1:]
    for y in prange(h):
        for x in range(width):
            n = count[y, x]
            for c in range(3):
                if n >= 5:
                    total[c, y, x] = (total[c, y, x] - low[c, y, x] - high[c, y, x]) / (n - 2)
                elif n >= 3:
                    total[c, y, x] = (total[c, y, x] - high[c, y, x]) / (n - 1)
                elif n:
                    total[c, y, x] = low[c, y, x]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _add_near(planes, steep, least_light, nodes, opened, middle, back, a, b, mean, count):
    """Add what is near the middle value, in all colours at once."""
    h, width = middle.shape[1:]
    for y in prange(h):
        line, inside, there = np.empty((3, width), np.float32), np.empty(width, np.bool_), np.empty(width, np.bool_)
        line_of(planes, steep, least_light, nodes, y, line, inside)
        _open_at(opened, nodes, y, there)
        row = min(y // BLOCK, back.shape[1] - 1)
        for x in range(width):
            if not (inside[x] and there[x]):
                continue
            near = True
            for c in range(3):
                own = middle[c, y, x]
                level = max(own, np.float32(0))
                above = max(own - back[c, row, min(x // BLOCK, back.shape[2] - 1)], np.float32(0))
                tolerance = np.float32(FAR) * math.sqrt(a[c] * level + b[c]) + np.float32(OWN_SHARE) * above
                near &= abs(line[c, x] - own) <= tolerance
            if near:
                count[y, x] += np.uint16(1)
                for c in range(3):
                    mean[c, y, x] += line[c, x]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _joined(ground, middle, mean, count, mask):
    """Ground and sky as one, into `ground` (3, H, W): the mean of what was near where there is any."""
    h, width = mask.shape
    for y in prange(h):
        for x in range(width):
            share, n = mask[y, x], count[y, x]
            if share <= 0:
                continue
            for c in range(3):
                sky = mean[c, y, x] / n if n else middle[c, y, x]
                ground[c, y, x] += (sky - ground[c, y, x]) * share


def _back(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute the sky's light in blocks, (3, h, w)."""
    small = np.stack([cv2.resize(p, None, fx=2 / BLOCK, fy=2 / BLOCK, interpolation=cv2.INTER_AREA) for p in light])
    small = np.stack([cv2.medianBlur(p, 5) for p in small])
    rows, columns = -(-light.shape[1] // BLOCK), -(-light.shape[2] // BLOCK)
    return np.stack([cv2.resize(p, (columns, rows), interpolation=cv2.INTER_AREA) for p in small])
