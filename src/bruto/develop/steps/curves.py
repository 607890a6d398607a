"""Free curves from picture code to picture code: a joint one, then one for each channel."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.develop.interpolation import MonotoneCurve
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Curves, Points
from bruto.develop.steps.step import Band, PointStep, StepInput

CURVE_STEPS = 4096


def curve_values(points: Points, code: NDArray[Any]) -> NDArray[np.float64]:
    """Compute a free curve at codes 0..1.

    Monotone cubic through its points (Fritsch, Carlson 1980), level outside of them.

    Parameters
    ----------
    points
        Points of the curve, 0 to 1.
    code
        Picture codes, 0 to 1.

    Returns
    -------
    NDArray[np.float64]
        A free curve at codes 0..1.
    """
    if not points:
        return np.asarray(code, float)
    x, y = np.array(points, float).T
    return MonotoneCurve(x, y)(np.clip(code, x[0], x[-1]))


@lru_cache(maxsize=8)
def curve_tables(curves: Curves) -> NDArray[np.float32] | None:
    """Compute tables from light to light for red, green and blue (3, CURVE_STEPS + 2) over the square root of light.

    None if straight.

    The joint curve comes first. Beyond white the last value goes on.

    Parameters
    ----------
    curves
        The free curves.

    Returns
    -------
    NDArray[np.float32] | None
        Light to light for red, green and blue (3, CURVE_STEPS + 2) over the square root of light.
    """
    if not any((curves.joint, curves.red, curves.green, curves.blue)):
        return None
    code = encode_srgb(np.linspace(0, 1, CURVE_STEPS + 1) ** 2)
    joint = np.clip(curve_values(curves.joint, code), 0, 1)
    out = np.stack(
        [decode_srgb(np.clip(curve_values(p, joint), 0, 1)) for p in (curves.red, curves.green, curves.blue)]
    )
    return np.concatenate([out, out[:, -1:]], axis=1).astype(np.float32)


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _curved(xs, ys, zs, curves):
    """Rows of light through their curves, in place; beyond 0 and 1 light goes on as it was."""
    for k in range(xs.shape[0]):
        for c in range(3):
            plane = xs[k] if c == 0 else (ys[k] if c == 1 else zs[k])
            for j in range(len(plane)):
                place = math.sqrt(min(max(plane[j], np.float32(0)), np.float32(1))) * np.float32(CURVE_STEPS)
                n = np.uint32(np.int32(place))
                f = place - np.float32(np.int32(n))
                beyond = max(plane[j] - np.float32(1), np.float32(0)) + min(plane[j], np.float32(0))
                low, high = curves[c, n], curves[c, n + np.uint32(1)]
                plane[j] = low + (high - low) * f + beyond


class FreeCurves(PointStep):
    """The joint curve and those of red, green and blue."""

    name = "curves"
    fields = ("curves",)

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> NDArray[np.float32] | None:
        return curve_tables(recipe.curves)

    @override
    def apply(self, band: Band, prepared: NDArray[np.float32]) -> None:
        _curved(*band.planes, prepared)
