"""Renderings for comparison: a raw as its suggestions develop it, a finished picture as it is, unless a push changes
both.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment
from bruto.color.difference import delta_e00
from bruto.color.spaces import picture_to_lab
from bruto.container.dng_reader import is_raw
from bruto.container.orientation import orient
from bruto.container.picture import is_picture, read_picture
from bruto.develop.frame import Rectangle, stored_rect
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, load_recipe, unframed
from bruto.develop.source import open_source
from bruto.develop.suggest.suggesting import suggest_all, take_all


def for_comparison(path: str | Path, push: str | Path | None = None) -> NDArray[np.uint8]:
    """An oriented sRGB picture (H, W, 3) of a file. Raises `BrutoError`.

    Raws are developed with all suggestions taken. `push`: a recipe whose exposure and tone are applied on top of
    that, and to the linearised picture, so both get the same treatment.
    """
    path = Path(path)
    if push is None and is_picture(path) and not is_raw(path):
        return read_picture(path).pixels
    developer = Developer(open_source(path))
    recipe = Recipe()
    if developer.source.kind != "picture":
        recipe = unframed(take_all(recipe, suggest_all(developer)))
    else:
        recipe = recipe.changed(brightness_noise=0.0, colour_noise=0.0, sharpness=0.0, chroma=1.0)
    if push is not None:
        pushed = load_recipe(push)
        recipe = recipe.changed(
            exposure=recipe.exposure + pushed.exposure, tone=pushed.tone.model_dump(), chroma=pushed.chroma
        )
    return developer.render(recipe)


@dataclass(frozen=True)
class SharpPair:
    """A rectangle of both pictures at the raw's full size: `first`, `second` (h, w, 3) uint8 sRGB, `difference` (h, w)
    CIEDE2000, at `rect` of the oriented frame.
    """

    first: NDArray[np.uint8]
    second: NDArray[np.uint8]
    difference: NDArray[np.float32]
    rect: Rectangle


def sharp_pair(
    developer: Developer, recipe: Recipe, picture: NDArray[np.uint8], alignment: Alignment, rect: Rectangle
) -> SharpPair:
    """The developed raw and a picture brought onto it, pixel by pixel of the raw.

    Both are shown in the frame that was recorded, whatever the recipe's crop.

    `picture`: (H, W, 3) uint8 sRGB; `alignment`: from `metrics.compare` of the two, at whatever size; `rect`: in
    pixels of the oriented frame.
    """
    orientation = developer.source.meta.orientation
    recipe = unframed(recipe)
    stored = stored_rect(rect, orientation, developer.size(recipe))
    first = orient(developer.view(recipe, 1, stored), orientation)
    full = alignment.at_size(developer.source.meta.oriented_size, (picture.shape[1], picture.shape[0]))
    mx, my = full.maps(rect.x, rect.y, rect.width, rect.height)
    second = cv2.remap(picture, mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    difference = delta_e00(picture_to_lab(first), picture_to_lab(second)).astype(np.float32)
    return SharpPair(np.ascontiguousarray(first), second, difference, rect)
