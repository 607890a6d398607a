"""Demosaicing: from one colour a pixel to three.

Method: directional filtering with an a posteriori decision and a refining step (Menon, Andriani, Calvagno 2007,
"Demosaicing With Directional Filtering and a posteriori Decision", IEEE TIP 16(1)), with one change: both directions
are mixed by the inverse squares of their roughness instead of one being chosen, which follows slanting detail better and
averages noise where neither direction is smoother.

All is worked as colour differences on tiles that stay in the processor's cache. A row is kept as two: `own`, the sites
that are not green (red in red rows, blue in blue ones), and `green`; so neighbours lie side by side in memory. Site k
of `own` is column 2 k + s, site k of `green` column 2 k + 1 - s of the tile, s = 0 or 1 by row.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from bruto.container.rawframe import CFA_LETTERS

REACH = 10
"""Pixels around a place that its result depends on."""
_ROWS, _COLUMNS = 96, 512
"""Size of a tile."""


def colour_offsets(cfa: str) -> tuple[int, int]:
    """Row and column (0 or 1) of the red site of a pattern.

    >>> colour_offsets("BGGR")
    (1, 1)
    """
    return divmod(cfa.index("R"), 2)


@njit(inline="always")
def _mirrored(k, n):
    """A place beyond the ends of n values as one inside, the end values not repeated."""
    k = -k if k < 0 else k
    k = 2 * (n - 1) - k if k >= n else k
    return min(max(k, 0), n - 1)


@njit(inline="always")
def _directions(own, green, across, along, low, high, n, start):
    """Differences own - green estimated along the row and along the column."""
    quarter, half = np.float32(0.25), np.float32(0.5)
    for y in range(low, high):
        s = (start + y) & 1
        o, g, up, down = own[y], green[y], green[y - 1], green[y + 1]
        over, under = own[y - 2], own[y + 2]
        a, b = across[y], along[y]
        for k in range(1, n - 1):
            a[k] = half * (o[k] - g[k - 1 + s] - g[k + s]) + quarter * (o[k - 1] + o[k + 1])
        for k in range(1, n - 1):
            b[k] = half * (o[k] - up[k] - down[k]) + quarter * (over[k] + under[k])


@njit(inline="always")
def _decide(across, along, share, difference, low, high, n, start):
    """Share of the row's direction by the roughness of the differences, and the differences mixed by it."""
    three, one = np.float32(3), np.float32(1e-10)
    for y in range(low, high):
        s = (start + y) & 1
        a, a2, b2, a1, b1 = across[y], across[y - 2], across[y + 2], across[y - 1], across[y + 1]
        c, c2, d2, c1, d1 = along[y], along[y - 2], along[y + 2], along[y - 1], along[y + 1]
        row, out = share[y], difference[y]
        for k in range(2, n - 2):
            h = three * (abs(a[k] - a[k - 1]) + abs(a[k + 1] - a[k]))
            h += abs(a2[k] - a2[k - 1]) + abs(a2[k + 1] - a2[k])
            h += abs(b2[k] - b2[k - 1]) + abs(b2[k + 1] - b2[k])
            h += abs(a1[k + s] - a1[k - 1 + s]) + abs(b1[k + s] - b1[k - 1 + s])
            row[k] = h * h + one
        for k in range(2, n - 2):
            v = three * (abs(c[k] - c2[k]) + abs(d2[k] - c[k]))
            v += abs(c[k - 1] - c2[k - 1]) + abs(d2[k - 1] - c[k - 1])
            v += abs(c[k + 1] - c2[k + 1]) + abs(d2[k + 1] - c[k + 1])
            v += abs(d1[k - 1 + s] - c1[k - 1 + s]) + abs(d1[k + s] - c1[k + s])
            v = v * v + one
            mixed = v / (row[k] + v)
            row[k] = v * v / (row[k] * row[k] + v * v)
            out[k] = c[k] + mixed * (a[k] - c[k])


@njit(inline="always")
def _at_green(difference, of_row, of_column, low, high, n, start):
    """Differences of both colours at green sites: the row's own, and that of the rows above and below."""
    half = np.float32(0.5)
    for y in range(low, high):
        s = (start + y) & 1
        d, up, down, row, column = difference[y], difference[y - 1], difference[y + 1], of_row[y], of_column[y]
        for k in range(1, n - 1):
            row[k] = half * (d[k - s] + d[k + 1 - s])
        for k in range(1, n - 1):
            column[k] = half * (up[k] + down[k])


@njit(inline="always")
def _at_others(of_row, of_column, share, other, weight, keep, low, high, n, start):
    """Other colour - own at sites that are not green: `keep` times what is there and `weight` times what the green
    neighbours say.
    """
    for y in range(low, high):
        s = (start + y) & 1
        r, c, r1, c1, r2, c2 = of_row[y], of_column[y], of_row[y - 1], of_column[y - 1], of_row[y + 1], of_column[y + 1]
        w, out = share[y], other[y]
        for k in range(1, n - 1):
            h = c[k - 1 + s] - r[k - 1 + s] + c[k + s] - r[k + s]
            v = r1[k] - c1[k] + r2[k] - c2[k]
            out[k] = keep * out[k] + weight * (v + w[k] * (h - v))


@njit(inline="always")
def _refine_green(of_row, of_column, share, difference, low, high, n, start):
    """Differences own - green averaged with those at both neighbours."""
    third = np.float32(1 / 3)
    for y in range(low, high):
        s = (start + y) & 1
        r, up, down, w, out = of_row[y], of_column[y - 1], of_column[y + 1], share[y], difference[y]
        for k in range(1, n - 1):
            h = r[k - 1 + s] + r[k + s]
            v = up[k] + down[k]
            out[k] = third * (out[k] + v + w[k] * (h - v))


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _demosaic(mosaic, ry, rx, gains, out):
    """`gains` (3,): of red, green and blue; `out` (h, w, 3)."""
    h, w = mosaic.shape
    rows, columns = (h + _ROWS - 1) // _ROWS, (w + _COLUMNS - 1) // _COLUMNS
    for tile in prange(rows * columns):
        top, left = tile // columns * _ROWS, tile % columns * _COLUMNS
        bottom, right = min(top + _ROWS, h), min(left + _COLUMNS, w)
        height, n = bottom - top + 2 * REACH, (right - left + 1) // 2 + REACH
        own, green = np.empty((height, n), np.float32), np.empty((height, n), np.float32)
        across, along = np.zeros((height, n), np.float32), np.zeros((height, n), np.float32)
        share, difference = np.zeros((height, n), np.float32), np.zeros((height, n), np.float32)
        of_row, of_column = np.zeros((height, n), np.float32), np.zeros((height, n), np.float32)
        other = np.zeros((height, n), np.float32)
        first, x0 = top - REACH, left - REACH
        # s of tile row y is (start + y) & 1; red rows hold red at column rx, blue ones blue at rx + 1 of the pattern
        start = (first - ry + rx + x0) & 1
        gain = gains[1]
        for y in range(height):
            at = first + y
            s = (start + y) & 1
            line = mosaic[_mirrored(at, h)]
            a, g = own[y], green[y]
            mine = gains[0] if ((at - ry) & 1) == 0 else gains[2]
            if x0 >= 0 and x0 + 2 * n <= w:
                for k in range(n):
                    a[k] = line[x0 + 2 * k + s] * mine
                    g[k] = line[x0 + 2 * k + 1 - s] * gain
            else:
                for k in range(n):
                    a[k] = line[_mirrored(x0 + 2 * k + s, w)] * mine
                    g[k] = line[_mirrored(x0 + 2 * k + 1 - s, w)] * gain
        _directions(own, green, across, along, 2, height - 2, n, start)
        _decide(across, along, share, difference, 4, height - 4, n, start)
        _at_green(difference, of_row, of_column, 5, height - 5, n, start)
        _at_others(of_row, of_column, share, other, np.float32(0.5), np.float32(0), 6, height - 6, n, start)
        _refine_green(of_row, of_column, share, difference, 6, height - 6, n, start)
        _at_green(difference, of_row, of_column, 7, height - 7, n, start)
        _at_others(of_row, of_column, share, other, np.float32(1 / 3), np.float32(1 / 3), 8, height - 8, n, start)
        for y in range(REACH, height - REACH):
            at = first + y
            s = (start + y) & 1
            mine = 0 if ((at - ry) & 1) == 0 else 2
            line = out[at]
            a, g, d, o, r, c = own[y], green[y], difference[y], other[y], of_row[y], of_column[y]
            for k in range(REACH // 2, n - REACH // 2):
                x = x0 + 2 * k + s
                if x < right:
                    line[x, mine] = a[k]
                    line[x, 1] = a[k] - d[k]
                    line[x, 2 - mine] = a[k] + o[k]
                x = x0 + 2 * k + 1 - s
                if x < right:
                    line[x, mine] = g[k] + r[k]
                    line[x, 1] = g[k]
                    line[x, 2 - mine] = g[k] + c[k]


def demosaic(mosaic: NDArray[np.float32], cfa: str, gains: NDArray | None = None) -> NDArray[np.float32]:
    """Three colours a pixel, (H, W, 3) float32, from a Bayer mosaic (H, W) float32 of pattern `cfa` ("RGGB", ...).

    `gains` (3,): of red, green and blue, put on the sites before (colour differences should be small: balanced light).
    Values keep their units else; the sampled colour of each site is kept exactly. Edges are mirrored. Raises
    `ValueError` for a pattern that is not Bayer's, and for a mosaic of less than 2 x 2.
    """
    if sorted(cfa) != sorted("RGGB") or any(c not in CFA_LETTERS for c in cfa):
        raise ValueError(f"not a Bayer pattern: {cfa}")
    if min(mosaic.shape) < 2:
        raise ValueError(f"a mosaic of {mosaic.shape[1]} x {mosaic.shape[0]} holds no quad")
    ry, rx = colour_offsets(cfa)
    out = np.empty((*mosaic.shape, 3), np.float32)
    _demosaic(mosaic, ry, rx, np.ones(3, np.float32) if gains is None else np.asarray(gains, np.float32), out)
    return out


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _bin(m, ry, rx, balance, out):
    for y in prange(out.shape[0]):
        for x in range(out.shape[1]):
            out[y, x, 0] = m[2 * y + ry, 2 * x + rx] * balance[0]
            out[y, x, 1] = 0.5 * (m[2 * y + ry, 2 * x + 1 - rx] + m[2 * y + 1 - ry, 2 * x + rx]) * balance[1]
            out[y, x, 2] = m[2 * y + 1 - ry, 2 * x + 1 - rx] * balance[2]


_QUARTER = np.array([-0.0703125, 0.8671875, 0.2265625, -0.0234375], np.float32)
"""Cubic interpolation (Keys 1981) a quarter of a step after the second of four samples."""


def bin_quads(mosaic: NDArray[np.float32], cfa: str, balance: NDArray) -> NDArray[np.float32]:
    """Half-size colour (H // 2, W // 2, 3) from quads: red, mean of greens, blue, each times its balance.

    Red and blue sit in a corner of their quad; they are moved to its middle, where the greens' mean is, so that edges
    get no coloured rims.
    """
    ry, rx = colour_offsets(cfa)
    out = np.empty((mosaic.shape[0] // 2, mosaic.shape[1] // 2, 3), np.float32)
    _bin(mosaic, ry, rx, np.asarray(balance, np.float32), out)
    if min(out.shape[:2]) >= 4:
        for channel, y, x in ((0, ry, rx), (2, 1 - ry, 1 - rx)):
            # a sample in the first row or column lies a quarter step before the middle, in the second behind it
            kernels = [(_QUARTER, 1) if at == 0 else (_QUARTER[::-1].copy(), 2) for at in (x, y)]
            out[..., channel] = cv2.sepFilter2D(
                np.ascontiguousarray(out[..., channel]), -1, kernels[0][0], kernels[1][0],
                anchor=(kernels[0][1], kernels[1][1]), borderType=cv2.BORDER_REFLECT,
            )  # fmt: skip
    return out
