"""Light of the corners against the middle."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.recipe import Recipe
from bruto.develop.steps.fast_math import exp2_of
from bruto.develop.steps.step import Band, PointStep, StepInput


def edge_gain(height: int, width: int, top: float, left: float, step: float, full: tuple[int, int]) -> tuple[Any, ...]:
    """Return the squared distance of rows and of columns from the middle, 1 in the corners: (height,), (width,).

    Parameters
    ----------
    height
        Height, pixels.
    width
        Width, pixels.
    top
        Of the piece, `step`: full-size pixels a pixel, `full`: width and height of the frame.
    left
        Of the piece, `step`: full-size pixels a pixel, `full`: width and height of the frame.
    step
        Full-size pixels a pixel, `full`: width and height of the frame.
    full
        Width and height of the frame.

    Returns
    -------
    tuple
        Squared distance of rows and of columns from the middle, 1 in the corners.
    """
    w, h = full
    scale = 1 / (w * w + h * h)
    y = ((top + np.arange(height) + 0.5) * step * 2 - h) ** 2 * scale
    x = ((left + np.arange(width) + 0.5) * step * 2 - w) ** 2 * scale
    return y.astype(np.float32), x.astype(np.float32)


def edges_of(band: Band) -> tuple[Any, ...]:
    """Return the squared distances of a band's rows and columns from the middle of the picture that is shown.

    Parameters
    ----------
    band
        Rows of the tile as three planes, changed in place.

    Returns
    -------
    tuple
        Squared distances of a band's rows and columns from the middle of the picture that is shown.
    """
    place, (height, width) = band.tile.place, band.x.shape
    x, y = place.own_origin
    return edge_gain(height, width, y + band.top, x, place.factor, place.own_frame)


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _edges(xs, ys, zs, y2, x2, ev):
    """Rows of light raised by `ev` times the squared distance from the middle, in place."""
    for k in range(xs.shape[0]):
        x, y, z = xs[k], ys[k], zs[k]
        for j in range(len(x)):
            ratio = exp2_of(ev * (y2[k] + x2[j]))
            x[j] *= ratio
            y[j] *= ratio
            z[j] *= ratio


class CornerVignette(PointStep):
    """Raises or lowers light by the squared distance from the middle of the picture that is shown."""

    name = "edge light"
    fields = ("vignette",)

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> np.float32 | None:
        return np.float32(recipe.vignette) if recipe.vignette else None

    @override
    def apply(self, band: Band, prepared: np.float32) -> None:
        _edges(*band.planes, *edges_of(band), prepared)
