"""Renderings for comparison: a raw as its suggestions develop it, a finished picture as it is, unless a push changes
both.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bruto.container.dng_reader import is_raw
from bruto.container.picture import is_picture, read_picture
from bruto.develop.engine import Developer
from bruto.develop.recipe import Recipe, load_recipe
from bruto.develop.source import open_source
from bruto.develop.suggest import suggest_all, take_all


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
        recipe = take_all(recipe, suggest_all(developer))
    else:
        recipe = recipe.changed(brightness_noise=0.0, colour_noise=0.0, sharpness=0.0, chroma=1.0)
    if push is not None:
        pushed = load_recipe(push)
        recipe = recipe.changed(
            exposure=recipe.exposure + pushed.exposure, tone=pushed.tone.model_dump(), chroma=pushed.chroma
        )
    return developer.render(recipe)
