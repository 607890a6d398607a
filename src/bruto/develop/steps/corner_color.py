"""Green or magenta of the corners against the middle.

What thin lenses leave where the file's shading map is too coarse for it. Lightness is kept.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.recipe import Recipe
from bruto.develop.steps.fast_math import exp2_of
from bruto.develop.steps.kernel_rows import WEIGHTS
from bruto.develop.steps.step import Band, PointStep, StepInput
from bruto.develop.steps.vignette import edges_of


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _tinted(xs, ys, zs, y2, x2, ev, weights):
    """Rows of light whose green is raised by `ev` times the squared distance from the middle, in place."""
    w0, w1, w2 = weights[0], weights[1], weights[2]
    for k in range(xs.shape[0]):
        x, y, z = xs[k], ys[k], zs[k]
        for j in range(len(x)):
            before = w0 * x[j] + w1 * y[j] + w2 * z[j]
            green = y[j] * exp2_of(ev * (y2[k] + x2[j]))
            after = w0 * x[j] + w1 * green + w2 * z[j]
            keep = before / after if after > np.float32(1e-9) else np.float32(1)
            x[j] *= keep
            y[j] = green * keep
            z[j] *= keep


class CornerColor(PointStep):
    """Makes the corners greener, or more magenta, by the squared distance from the middle of the picture."""

    name = "edge tint"
    fields = ("corner_color",)

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> np.float32 | None:
        return np.float32(recipe.corner_color) if recipe.corner_color else None

    @override
    def apply(self, band: Band, prepared: np.float32) -> None:
        _tinted(*band.planes, *edges_of(band), prepared, WEIGHTS)
