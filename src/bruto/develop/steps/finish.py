"""The last steps before encoding: free curves, edge light, film-like grain."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.develop.values import Curves, Points

CURVE_STEPS = 4096
GRAIN_SIDE = 512
"""Side of the grain's pattern, which repeats; its repetition is not seen at this size."""
GRAIN_SIGMA = 3.0
"""Standard deviation of grain 1 at grey, L*."""


def curve_values(points: Points, code: NDArray) -> NDArray[np.float64]:
    """A free curve at codes 0..1: monotone cubic through its points (Fritsch, Carlson 1980), level outside of them."""
    from scipy.interpolate import PchipInterpolator  # takes long to import; the window is shown before

    if not points:
        return np.asarray(code, float)
    x, y = np.array(points, float).T
    return PchipInterpolator(x, y)(np.clip(code, x[0], x[-1]))


@lru_cache(maxsize=8)
def curve_tables(curves: Curves) -> NDArray[np.float32] | None:
    """Light to light for red, green and blue (3, CURVE_STEPS + 2) over the square root of light; None if straight.

    The joint curve comes first. Beyond white the last value goes on.
    """
    if not any((curves.joint, curves.red, curves.green, curves.blue)):
        return None
    code = encode_srgb(np.linspace(0, 1, CURVE_STEPS + 1) ** 2)
    joint = np.clip(curve_values(curves.joint, code), 0, 1)
    out = np.stack(
        [decode_srgb(np.clip(curve_values(p, joint), 0, 1)) for p in (curves.red, curves.green, curves.blue)]
    )
    return np.concatenate([out, out[:, -1:]], axis=1).astype(np.float32)


@lru_cache(maxsize=12)
def grain_pattern(size: float, factor: int) -> NDArray[np.float32]:
    """A repeating pattern (n, n) of unit standard deviation at full size, seen at 1/factor of it.

    `size`: standard deviation of a grain, pixels at full size. A coarser view averages the grain away, as it does the
    picture.
    """
    white = np.random.default_rng(17).standard_normal((GRAIN_SIDE, GRAIN_SIDE)).astype(np.float32)
    pad = int(4 * size) + 2
    wide = cv2.GaussianBlur(np.pad(white, pad, mode="wrap"), (0, 0), size)[pad:-pad, pad:-pad]
    wide = (wide - wide.mean()) / wide.std()
    if factor > 1:
        n = max(8, GRAIN_SIDE // factor)
        wide = cv2.resize(wide, (n, n), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(wide)


def edge_gain(height: int, width: int, top: float, left: float, step: float, full: tuple[int, int]) -> tuple:
    """Squared distance of rows and of columns from the middle, 1 in the corners: (height,), (width,).

    `top`, `left`: of the piece, `step`: full-size pixels a pixel, `full`: width and height of the frame.
    """
    w, h = full
    scale = 1 / (w * w + h * h)
    y = ((top + np.arange(height) + 0.5) * step * 2 - h) ** 2 * scale
    x = ((left + np.arange(width) + 0.5) * step * 2 - w) ** 2 * scale
    return y.astype(np.float32), x.astype(np.float32)
