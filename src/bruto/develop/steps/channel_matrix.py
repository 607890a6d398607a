"""Channel matrix on linear light: infrared's exchange of red and blue, and free mixing."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import IDENTITY
from bruto.develop.steps.kernel_rows import product_row
from bruto.develop.steps.step import Band, PointStep, StepInput


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _mixed(xs, ys, zs, matrix):
    for k in range(xs.shape[0]):
        product_row(matrix, xs[k], ys[k], zs[k])


class ChannelMatrix(PointStep):
    """Light times the recipe's matrix."""

    name = "channels"
    fields = ("channel_matrix",)

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> NDArray[np.float32] | None:
        if recipe.channel_matrix == IDENTITY:
            return None
        return np.asarray(recipe.channel_matrix, np.float32).reshape(3, 3)

    @override
    def apply(self, band: Band, prepared: NDArray[np.float32]) -> None:
        _mixed(*band.planes, prepared)
