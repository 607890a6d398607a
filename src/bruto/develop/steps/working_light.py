"""From balanced camera RGB to light in the working space: exposure, white and profile; clipped highlights rebuilt."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.recipe import Recipe
from bruto.develop.rgb_rows import apart, lines, together
from bruto.develop.steps.highlights import RATIOS, Ratios, rebuilt
from bruto.develop.steps.kernel_rows import WEIGHTS, clear_row, product_row
from bruto.develop.steps.step import Band, PointStep, StepInput


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _light(rgb, top, clipped, clip_step, clip_y, clip_x, ratios, place, matrix, weights, xs, ys, zs):
    """Lines of RGB (h, 3 w) from `top` on to planes of working light; `place`: see `Tile.pixels`."""
    w0, w1, w2 = weights[0], weights[1], weights[2]
    rows = np.float32(ratios.red.shape[0])
    columns = np.float32(ratios.red.shape[1])
    w = xs.shape[1]
    for k in range(xs.shape[0]):
        i = top + k
        x, y, z = xs[k], ys[k], zs[k]
        row = rgb[i]
        marks = clipped[min(int((i + clip_y) * clip_step), clipped.shape[0] - 1)]
        apart(row, x, y, z)
        product_row(matrix, x, y, z)
        first = min(int(clip_x * clip_step), clipped.shape[1] - 1)
        final = min(int((w - 1 + clip_x) * clip_step), clipped.shape[1] - 1)
        if marks[first : final + 1].max() > 0:
            gy = (np.float32(i) + place[0]) * (place[2] * rows)
            for j in range(w):
                bits = marks[min(int((j + clip_x) * clip_step), clipped.shape[1] - 1)]
                if bits:
                    gx = (np.float32(j) + place[1]) * (place[3] * columns)
                    r, g, b, white = rebuilt(row[3 * j], row[3 * j + 1], row[3 * j + 2], bits, ratios, gy, gx)
                    x[j] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
                    y[j] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
                    z[j] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
                    if white > 0:  # nothing is known of the colour: the scene's own white
                        grey = w0 * x[j] + w1 * y[j] + w2 * z[j]
                        x[j] += white * (grey - x[j])
                        y[j] += white * (grey - y[j])
                        z[j] += white * (grey - z[j])
        clear_row(x)
        clear_row(y)
        clear_row(z)


class PreparedLight(NamedTuple):
    """`matrix` (3, 3) from balanced camera RGB."""

    matrix: NDArray[np.float32]
    ratios: Ratios
    """Colour around clipped places."""


class Light(PointStep):
    """The first point step: fills the planes from camera RGB."""

    name = "light"
    fields = ("exposure", "temperature", "tint", "raw_neutral", "profile", "base_look")

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> PreparedLight:
        return PreparedLight(np.asarray(scene.matrix, np.float32), scene.coarse(RATIOS))

    @override
    def apply(self, band: Band, prepared: PreparedLight) -> None:
        tile = band.tile
        _light(
            tile.rgb, band.top, tile.clipped, *tile.clip, prepared.ratios, tile.pixels, prepared.matrix, WEIGHTS,
            *band.planes,
        )  # fmt: skip


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _matrix_only(rgb, matrix, out):
    w = rgb.shape[1] // 3
    for i in prange(rgb.shape[0]):
        x, y, z = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
        apart(rgb[i], x, y, z)
        product_row(matrix, x, y, z)
        together(x, y, z, out[i])


def to_working(rgb: NDArray[np.float32], matrix: NDArray[Any]) -> NDArray[np.float32]:
    """Multiply linear RGB (H, W, 3) by a matrix (3, 3), without any rebuilding of highlights.

    Parameters
    ----------
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.
    matrix
        Colour matrix (3, 3).

    Returns
    -------
    NDArray[np.float32]
        Linear RGB (H, W, 3) times a matrix (3, 3), without any rebuilding of highlights.
    """
    out = np.empty(rgb.shape, np.float32)
    _matrix_only(lines(rgb), np.asarray(matrix, np.float32), lines(out))
    return out
