"""Local tone: gains over place and light, as they were found by matching another picture.

A field of at most 12 x 9 places and 8 steps of light is read between its points (a bilateral grid: Chen, Paris, Durand
2007), by the light that the tone handles made; colour keeps its hue and its share.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import LocalTone
from bruto.develop.steps.fast_math import exp2_of, log2_of
from bruto.develop.steps.kernel_rows import WEIGHTS
from bruto.develop.steps.step import Band, CoarseField, Mapping, PointStep, RecordedImage, StepInput

LEAST_CELLS = 24
"""Columns and rows to which the field is brought where the picture is turned or warped, at least."""


def points_of(field: LocalTone) -> NDArray[np.float32]:
    """Compute the gains, EV (rows, columns, lights); two rows and columns at least.

    Parameters
    ----------
    field
        Coarse field (rows, columns, values).

    Returns
    -------
    NDArray[np.float32]
        The gains, EV (rows, columns, lights); two rows and columns at least.
    """
    gains = np.array(field.gains, np.float32).reshape(field.rows, field.columns, field.lights)
    more = [(0, max(0, 2 - n)) for n in gains.shape[:2]]
    return np.ascontiguousarray(np.pad(gains, [*more, (0, 0)], mode="edge"))


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _gained(xs, ys, zs, top, place, gains, strength, weights):
    """Rows of light (rows, width), in place; `place`: see `Tile.pixels`."""
    rows, columns, lights = gains.shape
    w0, w1, w2 = weights[0], weights[1], weights[2]
    n = xs.shape[1]
    row = np.empty(columns * lights, np.float32)
    cell, share = np.empty(n, np.uint32), np.empty(n, np.float32)
    level, part = np.empty(n, np.uint32), np.empty(n, np.float32)
    start, step = place[1] * place[3] * np.float32(columns) - np.float32(0.5), place[3] * np.float32(columns)
    right, top_light = np.float32(columns - 1.001), np.float32(lights - 1.001)
    for j in range(n):
        fx = min(max(start + np.float32(j) * step, np.float32(0)), right)
        cell[j] = np.uint32(np.int32(fx)) * np.uint32(lights)
        share[j] = fx - np.float32(np.int32(fx))
    for k in range(xs.shape[0]):
        x, y, z = xs[k], ys[k], zs[k]
        fy = (np.float32(top + k) + place[0]) * place[2] * np.float32(rows) - np.float32(0.5)
        fy = min(max(fy, np.float32(0)), np.float32(rows - 1.001))
        iy = int(fy)
        fy -= np.float32(iy)
        for c in range(columns):
            for l in range(lights):
                low, high = gains[iy, c, l], gains[iy + 1, c, l]
                row[c * lights + l] = strength * (low + (high - low) * fy)
        for j in range(n):
            light = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-7))
            root = exp2_of(log2_of(light) * np.float32(1 / 3))
            fl = min(root * np.float32(lights - 1), top_light)
            level[j] = np.uint32(np.int32(fl))
            part[j] = fl - np.float32(np.int32(fl))
        for j in range(n):
            at = cell[j] + level[j]
            one = row[at] + (row[at + np.uint32(1)] - row[at]) * part[j]
            at += np.uint32(lights)
            other = row[at] + (row[at + np.uint32(1)] - row[at]) * part[j]
            part[j] = one + (other - one) * share[j]
        for j in range(n):
            gain = exp2_of(part[j])
            x[j] *= gain
            y[j] *= gain
            z[j] *= gain


class PreparedLocalTone(NamedTuple):
    """`gains` (rows, columns, lights) over the picture, EV."""

    gains: NDArray[np.float32]
    strength: np.float32
    """The share that is used."""


def _over(gains: NDArray[np.float32], mapping: Mapping) -> NDArray[np.float32]:
    rows, columns, lights = gains.shape
    finer = max(1, -(-LEAST_CELLS // min(rows, columns)))
    places = [((np.arange(n * finer) + 0.5) / finer - 0.5).clip(0, n - 1) for n in (rows, columns)]
    low = [np.minimum(p.astype(int), n - 2) for p, n in zip(places, (rows, columns), strict=True)]
    fy, fx = (p - i for p, i in zip(places, low, strict=True))
    fine = gains[low[0]] * (1 - fy)[:, None, None] + gains[low[0] + 1] * fy[:, None, None]
    fine = fine[:, low[1]] * (1 - fx)[None, :, None] + fine[:, low[1] + 1] * fx[None, :, None]
    return np.stack([mapping.field(np.ascontiguousarray(fine[..., l], np.float32)) for l in range(lights)], axis=2)


class LocalToneField(PointStep):
    """Gains over place and light."""

    name = "local tone"
    fields = ("local_tone", "local_strength")

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> PreparedLocalTone | None:
        field = recipe.local_tone
        if not field.gains or not recipe.local_strength:
            return None

        def make(_: RecordedImage) -> NDArray[np.float32]:
            return points_of(field)

        over = scene.coarse(CoarseField(f"local tone {hash(field)}", make, _over))
        return PreparedLocalTone(np.ascontiguousarray(over), np.float32(recipe.local_strength))

    @override
    def apply(self, band: Band, prepared: PreparedLocalTone) -> None:
        _gained(*band.planes, band.top, band.tile.pixels, prepared.gains, prepared.strength, WEIGHTS)
