"""Soft proof: which places of a picture hold colours that an output space cannot, before they are fitted into it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import decode_srgb, highest, lowest, working_to
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe

TOLERANCE = 0.006
"""Share of white by which a channel may pass its limits: rounding to 8 bits makes that much."""
_LIGHT = decode_srgb(np.arange(256) / 255.0).astype(np.float32)


def out_of_gamut(
    developer: Developer, recipe: Recipe, factor: float, space: str, uncropped: bool = False
) -> NDArray[np.bool_]:
    """Find which pixels of the recipe's picture at 1/factor, unoriented, lie outside a space.

    `space` is "srgb" or "display-p3".

    The picture is developed for Rec. 2020, which holds nearly every colour of surfaces, and looked at in the other.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    recipe
        The edit, every value in its own unit.
    factor
        Reduction: pixels of the frame per pixel of the result; 1 is full size.
    space
        Identifier of the output space.
    uncropped
        Whether the whole straightened frame is meant.

    Returns
    -------
    NDArray[np.bool_]
        Which pixels of the recipe's picture at 1/factor, unoriented, lie outside `space` ("srgb" or
        "display-p3").
    """
    wide = developer.view(recipe, factor, space="rec2020", uncropped=uncropped)
    matrix = (working_to(space) @ np.linalg.inv(working_to("rec2020"))).astype(np.float32)
    out = np.empty(wide.shape[:2], bool)
    for top in range(0, wide.shape[0], 256):  # bands keep the temporaries small
        light = _LIGHT[wide[top : top + 256]] @ matrix.T
        out[top : top + 256] = (lowest(light) < -TOLERANCE) | (highest(light) > 1 + TOLERANCE)
    return out


def hatched(mask: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Compute a drawing (h, w, 4) RGBA: the places of a mask under rising lines, dark on a light edge.

    Parameters
    ----------
    mask
        Mask (H, W).

    Returns
    -------
    NDArray[np.uint8]
        A drawing (h, w, 4) RGBA.
    """
    h, w = mask.shape
    line = (np.arange(w)[None] + np.arange(h)[:, None]) % 6
    out = np.zeros((h, w, 4), np.uint8)
    out[mask & (line < 2)] = (61, 63, 143, 255)
    out[mask & (line == 2)] = (255, 255, 255, 230)
    return out
