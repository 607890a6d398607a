"""Sensors of four equal pixels a filter: binned to a quarter."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.demosaic import color_offsets
from bruto.develop.rgb_rows import lines, together

_QUARTER = np.array([-0.0703125, 0.8671875, 0.2265625, -0.0234375], np.float32)
"""Cubic interpolation (Keys 1981) a quarter of a step after the second of four samples."""


@njit(cache=True, fastmath=True, error_model="numpy")
def _middle_row(m, y, ry, rx, h, row, line):
    """Row y of one site of the quads (at `ry`, `rx` in them), moved to the quads' middles; `row`.

    A buffer of four more values.
    """
    w = len(line)
    k0, k1, k2, k3 = _QUARTER[0], _QUARTER[1], _QUARTER[2], _QUARTER[3]
    # a sample in the first row or column lies a quarter step before the middle, in the second behind it
    one = 1 if ry == 0 else -1
    a = m[2 * _mirrored_too(y - one, h) + ry][rx:]
    b = m[2 * y + ry][rx:]
    c = m[2 * _mirrored_too(y + one, h) + ry][rx:]
    d = m[2 * _mirrored_too(y + 2 * one, h) + ry][rx:]
    inner = row[2 : w + 2]
    for x in range(w):
        inner[x] = (k0 * a[2 * x] + k1 * b[2 * x]) + (k2 * c[2 * x] + k3 * d[2 * x])
    row[0], row[1] = inner[1], inner[0]
    row[w + 2], row[w + 3] = inner[w - 1], inner[w - 2]
    if rx == 0:
        a, b, c, d = row[1 : w + 1], row[2 : w + 2], row[3 : w + 3], row[4 : w + 4]
    else:
        a, b, c, d = row[3 : w + 3], row[2 : w + 2], row[1 : w + 1], row[:w]
    for x in range(w):
        line[x] = (k0 * a[x] + k1 * b[x]) + (k2 * c[x] + k3 * d[x])


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _quads(m, ry, rx, balance, out):
    """Lines of RGB (h, 3 w) from quads."""
    h, w = out.shape[0], out.shape[1] // 3
    small = h < 4 or w < 4
    for y in prange(h):
        red, green, blue = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
        row = np.empty(w + 4, np.float32)
        a, b = m[2 * y + ry], m[2 * y + 1 - ry]
        r, g0, g1, s = a[rx:], a[1 - rx :], b[rx:], b[1 - rx :]
        if small:
            for x in range(w):
                red[x], blue[x] = r[2 * x], s[2 * x]
        else:
            _middle_row(m, y, ry, rx, h, row, red)
            _middle_row(m, y, 1 - ry, 1 - rx, h, row, blue)
        half = np.float32(0.5) * balance[1]
        for x in range(w):
            red[x] *= balance[0]
            green[x] = (g0[2 * x] + g1[2 * x]) * half
            blue[x] *= balance[2]
        together(red, green, blue, out[y])


def bin_quads(mosaic: NDArray[np.float32], cfa: str, balance: NDArray[Any]) -> NDArray[np.float32]:
    """Compute the half-size colour (H // 2, W // 2, 3) from quads.

    Red, mean of greens, blue, each times its balance.

    Red and blue sit in a corner of their quad; they are moved to its middle, where the greens' mean is, so that
    edges get no coloured rims (but in pictures of less than four quads a side).

    Parameters
    ----------
    mosaic
        Mosaic (H, W), linear light.
    cfa
        Bayer pattern, for example "RGGB".
    balance
        White-balance gains, green = 1.

    Returns
    -------
    NDArray[np.float32]
        Half-size colour (H // 2, W // 2, 3) from quads.
    """
    ry, rx = color_offsets(cfa)
    out = np.empty((mosaic.shape[0] // 2, mosaic.shape[1] // 2, 3), np.float32)
    _quads(mosaic, ry, rx, np.asarray(balance, np.float32), lines(out))
    return out


@njit(cache=True, fastmath=True, error_model="numpy")
def _mirrored_too(k, n):
    """Return a place beyond the ends of n values as one inside, the end values repeated; up to n places beyond."""
    k = -k - 1 if k < 0 else k
    return 2 * n - k - 1 if k >= n else k
