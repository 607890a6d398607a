"""Demosaicing: from one colour a pixel to three.

Method: directional filtering with an a posteriori decision and a refining step (Menon, Andriani, Calvagno 2007,
"Demosaicing With Directional Filtering and a posteriori Decision", IEEE TIP 16(1)), as seven compiled passes over one
array.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from bruto.container.rawframe import CFA_LETTERS

REACH = 10
"""Pixels around a place that its result depends on."""


def colour_offsets(cfa: str) -> tuple[int, int]:
    """Row and column (0 or 1) of the red site of a pattern.

    >>> colour_offsets("BGGR")
    (1, 1)
    """
    return divmod(cfa.index("R"), 2)


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _green_directions(m, ry, rx, ch, cv):
    """Differences between the sampled colour and green estimated along rows (ch) and columns (cv); 0 at green sites."""
    h, w = m.shape
    for y in prange(2, h - 2):
        start = 2 + ((y - ry + rx) & 1)  # first non-green column: red rows hold red at rx, blue rows blue at rx + 1
        for x in range(2, w - 2):
            ch[y, x] = 0.0
            cv[y, x] = 0.0
        for x in range(start, w - 2, 2):
            c = m[y, x]
            gh = 0.5 * (m[y, x - 1] + m[y, x + 1]) + 0.5 * c - 0.25 * (m[y, x - 2] + m[y, x + 2])
            gv = 0.5 * (m[y - 1, x] + m[y + 1, x]) + 0.5 * c - 0.25 * (m[y - 2, x] + m[y + 2, x])
            ch[y, x] = c - gh
            cv[y, x] = c - gv


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _decide_green(m, ry, rx, ch, cv, out, across):
    """Choose the direction with the smoother colour difference; green everywhere."""
    h, w = m.shape
    for y in prange(4, h - 4):
        start = 4 + ((y - ry + rx) & 1)
        for x in range(4, w - 4):
            out[y, x, 1] = m[y, x]
        for x in range(start, w - 4, 2):
            c0, c1, c2 = ch[y, x - 2], ch[y, x], ch[y, x + 2]
            dh = 3 * (abs(c1 - c0) + abs(c2 - c1))
            dh += abs(ch[y - 2, x] - ch[y - 2, x - 2]) + abs(ch[y - 2, x + 2] - ch[y - 2, x])
            dh += abs(ch[y + 2, x] - ch[y + 2, x - 2]) + abs(ch[y + 2, x + 2] - ch[y + 2, x])
            dh += abs(ch[y - 1, x + 1] - ch[y - 1, x - 1]) + abs(ch[y + 1, x + 1] - ch[y + 1, x - 1])
            c0, c3, c2 = cv[y - 2, x], cv[y, x], cv[y + 2, x]
            dv = 3 * (abs(c3 - c0) + abs(c2 - c3))
            dv += abs(cv[y, x - 2] - cv[y - 2, x - 2]) + abs(cv[y + 2, x - 2] - cv[y, x - 2])
            dv += abs(cv[y, x + 2] - cv[y - 2, x + 2]) + abs(cv[y + 2, x + 2] - cv[y, x + 2])
            dv += abs(cv[y + 1, x - 1] - cv[y - 1, x - 1]) + abs(cv[y + 1, x + 1] - cv[y - 1, x + 1])
            if dv >= dh:
                across[y, x] = 1
                out[y, x, 1] = m[y, x] - c1
            else:
                across[y, x] = 0
                out[y, x, 1] = m[y, x] - c3


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _colours_at_green(m, ry, rx, out):
    h, w = m.shape
    for y in prange(5, h - 5):
        red_row = ((y - ry) & 1) == 0
        start = 5 + ((y - ry + rx) & 1)  # 5 is odd: the other parity than the non-green sites
        row_colour, column_colour = (0, 2) if red_row else (2, 0)
        for x in range(start, w - 5, 2):
            g = m[y, x]
            out[y, x, row_colour] = g + 0.5 * (m[y, x - 1] - out[y, x - 1, 1] + m[y, x + 1] - out[y, x + 1, 1])
            out[y, x, column_colour] = g + 0.5 * (m[y - 1, x] - out[y - 1, x, 1] + m[y + 1, x] - out[y + 1, x, 1])


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _colours_at_others(m, ry, rx, across, out):
    h, w = m.shape
    for y in prange(6, h - 6):
        own, other = (0, 2) if ((y - ry) & 1) == 0 else (2, 0)
        start = 6 + ((y - ry + rx) & 1)
        for x in range(start, w - 6, 2):
            c = m[y, x]
            out[y, x, own] = c
            if across[y, x]:
                v = c + 0.5 * (out[y, x - 1, other] + out[y, x + 1, other] - out[y, x - 1, own] - out[y, x + 1, own])
            else:
                v = c + 0.5 * (out[y - 1, x, other] + out[y + 1, x, other] - out[y - 1, x, own] - out[y + 1, x, own])
            out[y, x, other] = v


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _refine_green(m, ry, rx, across, out):
    h, w = m.shape
    for y in prange(7, h - 7):
        own = 0 if ((y - ry) & 1) == 0 else 2
        start = 7 + ((y + 1 - ry + rx) & 1)
        for x in range(start, w - 7, 2):
            c = m[y, x]
            if across[y, x]:
                d = c - out[y, x, 1] + out[y, x - 1, own] - out[y, x - 1, 1] + out[y, x + 1, own] - out[y, x + 1, 1]
            else:
                d = c - out[y, x, 1] + out[y - 1, x, own] - out[y - 1, x, 1] + out[y + 1, x, own] - out[y + 1, x, 1]
            out[y, x, 1] = c - d * (1.0 / 3.0)


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _refine_at_green(m, ry, rx, out):
    h, w = m.shape
    for y in prange(8, h - 8):
        red_row = ((y - ry) & 1) == 0
        start = 8 + ((y + 1 - ry + rx) & 1)
        row_colour, column_colour = (0, 2) if red_row else (2, 0)
        for x in range(start, w - 8, 2):
            g = m[y, x]
            out[y, x, row_colour] = g + 0.5 * (
                out[y, x - 1, row_colour] - out[y, x - 1, 1] + out[y, x + 1, row_colour] - out[y, x + 1, 1]
            )
            out[y, x, column_colour] = g + 0.5 * (
                out[y - 1, x, column_colour] - out[y - 1, x, 1] + out[y + 1, x, column_colour] - out[y + 1, x, 1]
            )


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _refine_at_others(m, ry, rx, across, out):
    h, w = m.shape
    for y in prange(9, h - 9):
        own, other = (0, 2) if ((y - ry) & 1) == 0 else (2, 0)
        start = 9 + ((y + 1 - ry + rx) & 1)
        for x in range(start, w - 9, 2):
            if across[y, x]:
                d = out[y, x - 1, other] - out[y, x - 1, own] + out[y, x + 1, other] - out[y, x + 1, own]
            else:
                d = out[y - 1, x, other] - out[y - 1, x, own] + out[y + 1, x, other] - out[y + 1, x, own]
            out[y, x, other] = m[y, x] + (d + out[y, x, other] - m[y, x]) * (1.0 / 3.0)


def demosaic(mosaic: NDArray[np.float32], cfa: str) -> NDArray[np.float32]:
    """Three colours a pixel, (H, W, 3) float32, from a Bayer mosaic (H, W) float32 of pattern `cfa` ("RGGB", ...).

    Values keep their units; the sampled colour of each site is kept exactly. Edges are mirrored.
    """
    padded = np.pad(mosaic, REACH, mode="reflect")
    return demosaic_padded(padded, cfa)[REACH:-REACH, REACH:-REACH]


def demosaic_padded(mosaic: NDArray[np.float32], cfa: str) -> NDArray[np.float32]:
    """The same for a mosaic that already holds `REACH` more pixels on each side; the outer `REACH` of the result is
    undefined.

    `cfa` is the pattern of the padded array's first quad (`REACH` is even, so the crop has the same).
    """
    if sorted(cfa) != sorted("RGGB") or any(c not in CFA_LETTERS for c in cfa):
        raise ValueError(f"not a Bayer pattern: {cfa}")
    ry, rx = colour_offsets(cfa)
    h, w = mosaic.shape
    ch, cv = np.empty((h, w), np.float32), np.empty((h, w), np.float32)
    across = np.empty((h, w), np.uint8)
    out = np.empty((h, w, 3), np.float32)
    _green_directions(mosaic, ry, rx, ch, cv)
    _decide_green(mosaic, ry, rx, ch, cv, out, across)
    _colours_at_green(mosaic, ry, rx, out)
    _colours_at_others(mosaic, ry, rx, across, out)
    _refine_green(mosaic, ry, rx, across, out)
    _refine_at_green(mosaic, ry, rx, out)
    _refine_at_others(mosaic, ry, rx, across, out)
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
