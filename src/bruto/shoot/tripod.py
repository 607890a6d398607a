"""Whether a set was held in the hand or stood on something: by how far two of its frames are apart."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.errors import BrutoError
from bruto.sensor.scene_range import green_light

HAND, STILL = 4e-4, 1.5e-4
"""Shift, as a share of the frame's width, from which a hand held it (1.6 px of 4000), and up to which it stood; between
them it is unknown.
"""
SURE = 0.2
"""Least correlation (1: the same picture) by which a shift is determined."""


def _fine(path: Path) -> NDArray[np.float32]:
    """Logarithm of light, means of 8 x 8 sites, without what changes slowly."""
    light = np.log(np.maximum(green_light(path)[0], 1e-4))
    return (light - cv2.GaussianBlur(light, (0, 0), 4)).astype(np.float32)


def shift_between(one: Path, other: Path) -> float | None:
    """Find how far two raws of one size are apart, as a share of their width; None where they do not tell it.

    It is found by the enhanced correlation of both (Evangelidis and Psarakis 2008).

    Parameters
    ----------
    one
        First file.
    other
        The other file.

    Returns
    -------
    float | None
        How far two raws of one size are apart, as a share of their width.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    a, b = _fine(one), _fine(other)
    if a.shape != b.shape or min(a.shape) < 16:
        return None
    moved = np.eye(2, 3, dtype=np.float32)
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-5)
    alike, moved = cv2.findTransformECC(a, b, moved, cv2.MOTION_EUCLIDEAN, criteria, None, 3)
    middle = np.array([a.shape[1] / 2, a.shape[0] / 2, 1.0])
    return float(np.hypot(*(moved @ middle - middle[:2]))) / a.shape[1] if alike >= SURE else None


def support_of(one: Path, other: Path) -> str:
    """Say how two frames of a set were held: "hand", "tripod", or "" where that cannot be determined.

    Parameters
    ----------
    one
        First file.
    other
        The other file.

    Returns
    -------
    str
        How two frames of a set were held.
    """
    try:
        shift = shift_between(one, other)
    except (BrutoError, OSError, cv2.error):
        return ""
    if shift is None:
        return ""
    return "hand" if shift >= HAND else "tripod" if shift <= STILL else ""
