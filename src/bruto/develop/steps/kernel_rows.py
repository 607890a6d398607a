"""What compiled loops of point steps share: matrices, coarse fields along a row, the code of light.

A row is worked in passes over buffers, so that all but the table look-ups use vector registers; matrices are read into
scalars first, as stores to a row could change them for all the compiler knows.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import LUMINANCE_2020
from bruto.develop.steps.fast_math import exp2_of, log2_of

WEIGHTS = LUMINANCE_2020.astype(np.float32)
"""Of red, green and blue of the working space in luminance."""
LARGEST_LIGHT = 1e6
"""Light beyond this (1 = saturation) comes from damage or from an impossible recipe, and counts as none."""
_LARGEST_BITS = np.int32(np.float32(LARGEST_LIGHT).view(np.int32))


@njit(cache=True, error_model="numpy")
def clear_row(x):
    """Set what is not finite, or beyond `LARGEST_LIGHT`, to 0: tables are looked up by these values.

    The bits of the numbers decide, as comparisons of values that are no numbers may be left out by the compiler.

    Parameters
    ----------
    x
        A row of light (n,), changed.
    """
    for j in range(len(x)):
        if (np.float32(x[j]).view(np.int32) & np.int32(0x7FFFFFFF)) > _LARGEST_BITS:
            x[j] = np.float32(0)


def at_least_two(field: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute a coarse field of two rows and columns at least, as it is read between neighbours.

    Parameters
    ----------
    field
        Coarse field (rows, columns, values).

    Returns
    -------
    NDArray[np.float32]
        A coarse field of two rows and columns at least, as it is read between neighbours.
    """
    rows, columns = field.shape
    if rows >= 2 and columns >= 2:
        return field
    return np.ascontiguousarray(np.pad(field, ((0, max(0, 2 - rows)), (0, max(0, 2 - columns))), mode="edge"))


@njit(cache=True, fastmath=True, error_model="numpy")
def across_row(field_a, field_b, place_y, start_x, step_x, a, b):
    """Read two coarse fields along a row, linear between cell centres; places are relative to the frame.

    Loops of their own for places and for each field: together they would not fit the vector registers.

    Parameters
    ----------
    field_a
        First coarse row.
    field_b
        Second coarse row.
    place_y
        Vertical position between the coarse rows.
    start_x
        Horizontal start in the coarse field.
    step_x
        Horizontal step in the coarse field.
    a
        First field along the row (n,), written.
    b
        Second field along the row (n,), written.
    """
    gh, gw = field_a.shape
    n = len(a)
    fy = min(max(place_y * np.float32(gh) - np.float32(0.5), np.float32(0)), np.float32(gh - 1.001))
    iy = int(fy)
    fy -= np.float32(iy)
    right = np.float32(gw - 1.001)
    first = start_x * np.float32(gw) - np.float32(0.5)
    step = step_x * np.float32(gw)
    cell, share, row = np.empty(n, np.uint32), np.empty(n, np.float32), np.empty(gw, np.float32)
    for j in range(n):
        fx = min(max(first + np.float32(j) * step, np.float32(0)), right)
        cell[j] = np.uint32(np.int32(fx))
        share[j] = fx - np.float32(np.int32(fx))
    low, high = int(cell[0]), int(cell[n - 1]) + 2
    for field, out in ((field_a, a), (field_b, b)):
        above, below, mixed = field[iy, low:high], field[iy + 1, low:high], row[low:high]
        for k in range(high - low):
            mixed[k] = above[k] + (below[k] - above[k]) * fy
        for j in range(n):
            k = cell[j]
            out[j] = row[k] + (row[k + np.uint32(1)] - row[k]) * share[j]


@njit(cache=True, fastmath=True, error_model="numpy")
def product_row(m, x, y, z):
    """Multiply three planes of a row by a matrix (3, 3), in place.

    Coefficients in registers, as stores could change `m`.

    Parameters
    ----------
    m
        Matrix (3, 3).
    x
        First channel (n,), changed.
    y
        Second channel (n,), changed.
    z
        Third channel (n,), changed.
    """
    m00, m01, m02 = m[0, 0], m[0, 1], m[0, 2]
    m10, m11, m12 = m[1, 0], m[1, 1], m[1, 2]
    m20, m21, m22 = m[2, 0], m[2, 1], m[2, 2]
    for j in range(len(x)):
        u, v, s = x[j], y[j], z[j]
        x[j] = m00 * u + m01 * v + m02 * s
        y[j] = m10 * u + m11 * v + m12 * s
        z[j] = m20 * u + m21 * v + m22 * s


@njit(inline="always")
def code_of(x):
    """Return sRGB's encoding of light 0..1 (IEC 61966-2-1), within 2e-6.

    Parameters
    ----------
    x
        Light, 0..1.
    """
    x = min(max(x, np.float32(0)), np.float32(1))
    power = exp2_of(log2_of(max(x, np.float32(0.003))) * np.float32(1 / 2.4))
    return np.float32(12.92) * x if x <= np.float32(0.0031308) else np.float32(1.055) * power - np.float32(0.055)
