"""A raw without any look: levels, corrections, colour matrix and as-shot white, at a chosen brightness."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import encode_srgb, working_to
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.rectangle import Rectangle

_STEPS = 4096
_TABLE = np.rint(255 * encode_srgb(np.arange(_STEPS) / (_STEPS - 1))).astype(np.uint8)


def plain_view(developer: Developer, ev: float, factor: int, rect: Rectangle | None = None) -> NDArray[np.uint8]:
    """Compute the whole frame at 1/factor, or a rectangle of it at full size (factor 1), unoriented, uint8 sRGB.

    What exceeds white is cut off, as a sensor does. Green that is clipped follows red and blue where these still tell,
    and places that are clipped in all channels have no colour.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    ev
        Gain in stops; at 0 saturation of a neutral is white.
    factor
        Reduction: pixels of the frame per pixel of the result; 1 is full size.
    rect
        Rectangle in output pixels.

    Returns
    -------
    NDArray[np.uint8]
        The whole frame at 1/factor, or a rectangle of it at full size (factor 1), unoriented, uint8 sRGB.
    """
    rgb = developer.light(Recipe(), factor, rect if factor == 1 else None)
    matrix = working_to("srgb") @ developer.balanced_matrix(developer.source.neutral) * 2.0**ev
    limits = 0.985 * developer.balance
    out = np.empty(rgb.shape, np.uint8)
    for top in range(0, rgb.shape[0], 256):  # bands keep the temporaries small
        light = _without_false_color(rgb[top : top + 256].reshape(-1, 3), limits) @ matrix.T.astype(np.float32)
        codes = np.clip(light * (_STEPS - 1), 0, _STEPS - 1).astype(np.uint16)
        out[top : top + 256] = _TABLE[codes].reshape(-1, rgb.shape[1], 3)
    return out


def _without_false_color(rgb: NDArray[np.float32], limits: NDArray[np.float32]) -> NDArray[np.float32]:
    """Balanced camera RGB (N, 3) without the magenta of clipped green; `limits`: where each channel is clipped."""
    full = rgb[:, 1] >= limits[1]
    if not full.any():
        return rgb
    part = rgb[full]
    part[:, 1] = np.maximum(part[:, 1], part[:, [0, 2]].mean(axis=1))
    lost = (part >= limits).all(axis=1)
    part[lost] = part[lost].max(axis=1, keepdims=True)
    rgb = rgb.copy()
    rgb[full] = part
    return rgb
