"""Chromatic adaptation between whites."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
"""Bradford cone response (Lam 1985; used by ICC.1 and by the DNG specification's linear form)."""


def bradford(source_xyz: NDArray[np.float64], target_xyz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Compute the matrix (3, 3) that takes XYZ under the source white to XYZ under the target white.

    Linear Bradford transform.

    Parameters
    ----------
    source_xyz
        White of the source, XYZ.
    target_xyz
        White of the target, XYZ.

    Returns
    -------
    NDArray[np.float64]
        Matrix (3, 3) that takes XYZ under the source white to XYZ under the target white (linear Bradford).

    Examples
    --------
    >>> w = np.array([0.95, 1.0, 1.09])
    >>> bool(np.allclose(bradford(w, w), np.eye(3)))
    True
    """
    gain = (BRADFORD @ np.asarray(target_xyz)) / (BRADFORD @ np.asarray(source_xyz))
    return np.linalg.inv(BRADFORD) @ np.diag(gain) @ BRADFORD
