"""Whether two pictures show one view: by the structure of their light in a few cells, whatever their exposure."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

CELLS = 24
"""Cells across and down."""
MOST_SHIFT = 4
"""How far the view may have moved between two pictures, cells."""
DARKEST = 1e-4
"""Light below which there is none, share of saturation."""


def cells_of(light: NDArray[Any]) -> NDArray[np.float32]:
    """Find the light of a plane in stops, in a few cells.

    Parameters
    ----------
    light
        Linear light (H, W), 1 = saturation.

    Returns
    -------
    NDArray[np.float32]
        Logarithms of base 2 (`CELLS`, `CELLS`).
    """
    stops = np.log2(np.maximum(light.astype(np.float32), np.float32(DARKEST)))
    return cv2.resize(stops, (CELLS, CELLS), interpolation=cv2.INTER_AREA).astype(np.float32)


def structure_of(cells: NDArray[Any]) -> NDArray[np.float32]:
    """Take out the slow course of light, so that a bright sky over dark land is not likeness yet.

    Parameters
    ----------
    cells
        Stops of each cell (`CELLS`, `CELLS`).

    Returns
    -------
    NDArray[np.float32]
        Stops against the surround, between -1.5 and 1.5.
    """
    light = np.asarray(cells, np.float32)
    return np.clip(light - cv2.GaussianBlur(light, (0, 0), CELLS / 6), -1.5, 1.5)


def likeness(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    """Compute the largest correlation of two structures over shifts of the view.

    Parameters
    ----------
    a
        Structure of the first (`CELLS`, `CELLS`).
    b
        Of the second.

    Returns
    -------
    float
        From -1 to 1; 0 where either shows nothing.

    Examples
    --------
    >>> view = structure_of(np.random.default_rng(1).random((CELLS, CELLS)))
    >>> round(likeness(view, np.roll(view, 3, axis=1)), 2), likeness(view, 0 * view)
    (1.0, 0.0)
    """
    inner = np.ascontiguousarray(a[MOST_SHIFT:-MOST_SHIFT, MOST_SHIFT:-MOST_SHIFT])
    if inner.std() < 1e-3 or b.std() < 1e-3:
        return 0.0
    return float(cv2.matchTemplate(b, inner, cv2.TM_CCOEFF_NORMED).max())
