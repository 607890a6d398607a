"""Noise reduction as a step: how much noise there is at each place, and how much of it is taken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.develop.recipe import Recipe
from bruto.develop.steps.noise import reduce_noise
from bruto.develop.steps.step import RawPosition, RawStep, RecordedImage

SHADING_STEP = 8
"""Pixels from one value of the shading gain to the next: fine enough that pieces of a frame agree with the whole."""


def _shading_of(shading: NDArray[Any], area: tuple[float, float, float, float], h: int, w: int) -> NDArray[np.float32]:
    """Compute the frame's shading gain (gh, gw) over a part of it.

    The part is (x0, y0, x1, y1), 0..1, of h x w pixels; the gain is straight between places.
    """
    places = [
        (low + (np.arange(m) + 0.5) / m * (high - low)) * n - 0.5
        for low, high, m, n in (
            (area[0], area[2], -(-w // SHADING_STEP), shading.shape[1]),
            (area[1], area[3], -(-h // SHADING_STEP), shading.shape[0]),
        )
    ]
    x, y = np.meshgrid(*(p.astype(np.float32) for p in places))
    return cv2.remap(np.asarray(shading, np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def noise_left(recipe: Recipe) -> float:
    """Compute the share of the luminance noise's standard deviation that noise reduction leaves.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    float
        Share of the luminance noise's standard deviation that noise reduction leaves.
    """
    return max(0.25, 1 - 0.7 * min(1.0, recipe.luminance_noise))


@dataclass(frozen=True)
class PreparedNoise:
    """Arguments of `reduce_noise`; `shading` (gh, gw) over the whole frame."""

    noise: NDArray[np.float64]
    brightness: float
    color: float
    kind: str
    shading: NDArray[np.float32]
    best: bool
    half: bool
    cut: NDArray[np.float64] | None
    """Noise of a photosite where the phone stored none of it below black."""


class NoiseReduction(RawStep):
    """Brightness and colour noise, by the noise model of the frame."""

    name = "noise reduction"
    fields = ("luminance_noise", "chroma_noise", "noise_best")

    @override
    def prepare(self, recipe: Recipe, recorded: RecordedImage, factor: float, file: bool) -> PreparedNoise | None:
        if recipe.luminance_noise <= 0 and recipe.chroma_noise <= 0:
            return None
        kind = "plain"
        if recorded.source.kind == "mosaic":
            kind = "mosaic" if factor == 1 else "binned"
        # a view little smaller than the file shows colour as fine as the file has it
        half = factor == 1 or factor >= 4
        return PreparedNoise(
            recorded.noise_at(factor), recipe.luminance_noise, recipe.chroma_noise, kind, recorded.source.shading,
            recipe.noise_best and file, half, recorded.noise_at(1) if recorded.is_cut else None,
        )  # fmt: skip

    @override
    def apply(self, rgb: NDArray[np.float32], prepared: PreparedNoise, place: RawPosition) -> NDArray[np.float32]:
        p, shading = prepared, prepared.shading
        if shading.size > 1:
            shading = _shading_of(shading, place.area, rgb.shape[0], rgb.shape[1])
        return reduce_noise(
            rgb, p.noise, p.brightness, p.color, p.kind, np.ascontiguousarray(shading), p.best, p.half, p.cut
        )  # fmt: skip
