"""Relief: contrast of structure at three scales, above 1 raised and below 1 softened, without halos.

Layers come from self-guided filters of log light (He, Sun, Tang 2013) whose edge weight is squared, so that a step of
some stops belongs to the base to within 2 % and leaves nothing to be raised. Broad and medium layers are coefficients
on a small picture that the tone step reads; the fine one is worked on the pixels of the view.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.buffer_pool import empty
from bruto.develop.recipe import Recipe
from bruto.develop.rgb_rows import lines
from bruto.develop.steps.base_layer import GREY, Base, base_over, light_of, self_guided
from bruto.develop.steps.fast_math import exp2_of, log2_of
from bruto.develop.steps.noise_step import noise_left
from bruto.develop.steps.step import CoarseField, RawPosition, RawStep, RecordedImage

DIAGONAL_12MP = 5040.0
"""Diagonal of a 12 MP frame, pixels: what the scales of relief are given in."""
MEDIUM_PX, FINE_PX = 16.0, 3.0
"""Largest structure of the medium and of the fine layer, pixels of a 12 MP frame."""
EDGE = 0.36
"""Contrast that counts as an edge, EV."""
REACH = 12


def medium_base(luminance: NDArray[np.float32], diagonal: float) -> Base:
    """Return the base under medium structure from a small picture of luminance (h, w).

    `diagonal` of that picture, pixels.

    Parameters
    ----------
    luminance
        Luminance (H, W), linear, 1 = white.
    diagonal
        Diagonal of the picture, pixels.

    Returns
    -------
    Base
        The base under medium structure from a small picture of luminance (h, w); `diagonal` of that picture,
        pixels.
    """
    ev = np.log2(np.maximum(luminance, 2e-5) / GREY).astype(np.float32)
    return self_guided(ev, max(1, round(MEDIUM_PX * diagonal / DIAGONAL_12MP)), EDGE)


def _medium_of(recorded: RecordedImage) -> Base:
    light = light_of(recorded)
    return medium_base(light, math.hypot(*light.shape))


MEDIUM_BASE = CoarseField("base under medium relief", _medium_of, base_over)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _log_light(rgb, out):
    for i in prange(out.shape[0]):
        row, line = rgb[i], out[i]
        for j in range(len(line)):
            y = np.float32(0.25) * (row[3 * j] + row[3 * j + 1] + row[3 * j + 1] + row[3 * j + 2])
            line[j] = log2_of(max(y, np.float32(2e-5)))


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _raise(rgb, ev, a, b, gain, a_noise, b_noise, out):
    h, w = ev.shape
    for i in prange(h):
        light, slope, offset, row, line = ev[i], a[i], b[i], rgb[i], out[i]
        more = np.empty(w, np.float32)
        for j in range(w):
            more[j] = (gain - np.float32(1)) * (light[j] - (slope[j] * light[j] + offset[j]))
        if gain > np.float32(1):  # noise is not raised: its standard deviation in EV at this light
            share = np.float32(1) / ((gain - np.float32(1)) * (gain - np.float32(1)))
            for j in range(w):
                x = exp2_of(light[j])
                noise = (a_noise * x + b_noise) / (x * x) * np.float32(2.0814)
                square = more[j] * more[j] * share
                more[j] *= square / (square + np.float32(6) * noise)
        for j in range(w):
            ratio = exp2_of(more[j])
            line[3 * j] = row[3 * j] * ratio
            line[3 * j + 1] = row[3 * j + 1] * ratio
            line[3 * j + 2] = row[3 * j + 2] * ratio


def fine_local_contrast(
    rgb: NDArray[np.float32], gain: float, diagonal: float, noise: tuple[float, float]
) -> NDArray[np.float32]:
    """Multiply the fine structure of linear RGB (H, W, 3) by `gain`.

    `diagonal` of the whole frame at this scale, pixels.

    Scales finer than a pixel are left alone.

    Parameters
    ----------
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.
    gain
        Gain; 1 changes nothing.
    diagonal
        Diagonal of the picture, pixels.
    noise
        a, b of the luminance noise that is left, variance a x + b.

    Returns
    -------
    NDArray[np.float32]
        Fine structure of linear RGB (H, W, 3) times `gain`; `diagonal` of the whole frame at this scale, pixels.
    """
    radius = FINE_PX * diagonal / DIAGONAL_12MP / 2
    if gain == 1 or radius < 0.35:
        return rgb
    ev = empty(rgb.shape[:2])
    _log_light(lines(rgb), ev)
    share = min(1.0, radius)  # a layer of less than a pixel is only partly there
    base = self_guided(ev, max(1, math.ceil(radius)), EDGE)
    out = empty(rgb.shape)
    effective = 1 + (gain - 1) * share
    _raise(
        lines(rgb), ev, base.a, base.b, np.float32(effective), np.float32(noise[0]), np.float32(noise[1]), lines(out)
    )
    return out


class FineLocalContrast(RawStep):
    """Structure of 1 to 3 px of a 12 MP frame.

    The tone step raises all below 16 px by the medium gain; what is finer has its own.
    """

    name = "fine relief"
    fields = ("local_contrast_fine", "local_contrast_medium", "luminance_noise")

    @override
    def prepare(
        self, recipe: Recipe, recorded: RecordedImage, factor: float, file: bool
    ) -> tuple[float, float, tuple[float, float]] | None:
        gain = recipe.local_contrast_fine / max(recipe.local_contrast_medium, 0.05)
        share = noise_left(recipe)
        a, b = (float(v) for v in recorded.noise_at(factor)[1])
        return (gain, math.hypot(*recorded.source.size) / factor, (a * share**2, b * share**2)) if gain != 1 else None

    @override
    def apply(
        self, rgb: NDArray[np.float32], prepared: tuple[float, float, tuple[float, float]], place: RawPosition
    ) -> NDArray[np.float32]:
        return fine_local_contrast(rgb, *prepared)
