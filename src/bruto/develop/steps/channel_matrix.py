"""Channel matrix on linear light: infrared's exchange of red and blue, and free mixing."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

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

    def prepare(self, recipe: Recipe, scene: StepInput) -> NDArray[np.float32] | None:
        """Compute the prepare.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        scene
            What a step may know of the frame.

        Returns
        -------
        NDArray[np.float32] | None
            Prepare.
        """
        if recipe.channel_matrix == IDENTITY:
            return None
        return np.asarray(recipe.channel_matrix, np.float32).reshape(3, 3)

    def apply(self, band: Band, prepared: NDArray[np.float32]) -> None:
        """Apply.

        Parameters
        ----------
        band
            Rows of the tile as three planes, changed in place.
        prepared
            What `prepare` returned.
        """
        _mixed(*band.planes, prepared)
