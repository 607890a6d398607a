"""Small developed pictures, for lists."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.container.orientation import orient
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.sensor_image import COARSEST

SMALL_EDGE, QUALITY = 192, 92
"""Longest side, pixels, and JPEG quality of what is kept, percent."""


def small_picture(developer: Developer, recipe: Recipe) -> NDArray[np.uint8]:
    """Compute a file developed small, (h, w, 3) uint8 sRGB, oriented, its longest side at most `SMALL_EDGE`.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    NDArray[np.uint8]
        A file developed small, (h, w, 3) uint8 sRGB, oriented, its longest side at most `SMALL_EDGE`.
    """
    developer = developer.asked(recipe)
    factor = min(max(2.0, max(developer.source.size) / (2 * SMALL_EDGE)), float(COARSEST))
    picture = orient(developer.view(recipe, factor), developer.source.meta.orientation)
    scale = SMALL_EDGE / max(picture.shape[:2])
    if scale < 1:
        picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(picture)


def coded(picture: NDArray[np.uint8]) -> bytes:
    """Return a small picture as JPEG, with colour at full size.

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.

    Returns
    -------
    bytes
        A small picture as JPEG, with colour at full size.
    """
    whole = (cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444)
    _, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, QUALITY, *whole])
    return data.tobytes()
