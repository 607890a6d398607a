"""Rows of RGB for compiled loops: each as one line of red, green, blue, red, ...

The compiler does not know by how much an index [j, c] into a row of an array steps, and keeps such loops out of the
vector registers; 3 j + c it knows. Loops over lines take a quarter of the time.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on


def lines(rgb: NDArray[Any]) -> NDArray[Any]:
    """Compute the rows of RGB (H, W, 3) as lines (H, 3 W): the same memory where it lies in one piece, else a copy.

    What is to be written must lie so: make it with `np.empty` (`empty_like` takes over the order of a turned array).

    Parameters
    ----------
    rgb
        Linear RGB.

    Returns
    -------
    NDArray
        Rows of RGB (H, W, 3) as lines (H, 3 W): the same memory where it lies in one piece, else a copy.

    Examples
    --------
    >>> lines(np.arange(6).reshape(1, 2, 3))
    array([[0, 1, 2, 3, 4, 5]])
    """
    return np.ascontiguousarray(rgb).reshape(rgb.shape[0], 3 * rgb.shape[1])


@njit(inline="always")
def apart(line, r, g, b):
    """Split a line (3 n) into rows of their own (n), one a channel.

    Parameters
    ----------
    line
        Interleaved channels (3 n,).
    r
        Red (n,), written.
    g
        Green (n,), written.
    b
        Blue (n,), written.
    """
    for j in range(len(r)):
        r[j] = line[3 * j]
        g[j] = line[3 * j + 1]
        b[j] = line[3 * j + 2]


@njit(inline="always")
def together(r, g, b, line):
    """Undo `apart`; values become the type of the line.

    Parameters
    ----------
    r
        Red (n,).
    g
        Green (n,).
    b
        Blue (n,).
    line
        Interleaved channels (3 n,), written.
    """
    for j in range(len(r)):
        line[3 * j] = r[j]
        line[3 * j + 1] = g[j]
        line[3 * j + 2] = b[j]
