"""Looks that have a name: black and white, a night's brightening, blurred surroundings."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import lightness
from bruto.compare.maps import lab_of_light
from bruto.compare.match.pair import SRGB_WEIGHTS, Pair
from bruto.compare.match.phone_change import PhoneChange
from bruto.develop.recipe import Recipe

COLORLESS, COLORFUL = 4.0, 10.0
"""Chroma (CIELAB) below which nearly all of a picture is black and white, where the raw has as much as the second."""
NIGHT_EV = 2.0
"""Exposure from which a picture is brightened like a night: no metering errs so far."""
BAND = (0.8, 2.0)
"""Standard deviations between which structure is compared, pixels of the grid."""
AROUND = 10.0
"""Standard deviation of the neighbourhood that it is compared in, pixels of the grid."""
STRUCTURE = 1.5
"""Deviation of L* that is structure and no noise."""
LOST, LEAST_SHARE = 0.3, 0.1
"""Share of the structure that is left where surroundings are blurred; of the picture in which it is so at least, and in
which it is not so."""


def structure_left(first: NDArray[np.float32], second: NDArray[np.float32]) -> NDArray[np.float32]:
    """Find how much of a picture's structure another still shows around every place, and how much there is.

    Parameters
    ----------
    first, second
        Linear sRGB (H, W, 3).

    Returns
    -------
    NDArray[np.float32]
        Share of the structure, 1 = as strong, and its standard deviation in L* (2, H, W).
    """
    bands = []
    for rgb in (first, second):
        star = lightness(np.clip(rgb, 0, 1) @ SRGB_WEIGHTS).astype(np.float32)
        bands.append(cv2.GaussianBlur(star, (0, 0), BAND[0]) - cv2.GaussianBlur(star, (0, 0), BAND[1]))
    one, both = (cv2.GaussianBlur(bands[0] * band, (0, 0), AROUND) for band in bands)
    return np.stack([both / np.maximum(one, 1e-4), np.sqrt(np.maximum(one, 0))])


def looks_of(pair: Pair, default: Recipe, found: Recipe) -> list[PhoneChange]:
    """Find the named looks of a picture.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    default
        Where the match began.
    found
        Where it ended.

    Returns
    -------
    list[PhoneChange]
        None, or some.
    """
    looks = []
    lifted = found.exposure - default.exposure
    if lifted >= NIGHT_EV:
        text = tr("brightened like a night picture ({ev:+.1f} EV)", ev=lifted)
        looks.append(PhoneChange("night", round(lifted, 2), "EV", text))
    ours = lab_of_light(pair.seen(default.changed(exposure=found.exposure)))
    a, b = (np.hypot(lab[..., 1], lab[..., 2])[pair.used] for lab in (ours, pair.lab))
    if np.percentile(b, 95) < COLORLESS and np.percentile(a, 90) > COLORFUL:
        looks.append(PhoneChange("black and white", float(b.mean().round(1)), "C*", tr("black and white")))
    left, deviation = structure_left(pair.first, pair.second)
    there = pair.usable & (deviation > STRUCTURE)
    size = float(pair.usable.sum())
    usual = float(np.percentile(left[there], 80)) if there.sum() > LEAST_SHARE * size else 0.0
    if usual > 0:
        blurred = float((left[there] < LOST * usual).sum() / size)
        if blurred > LEAST_SHARE and (left[there] > 0.7 * usual).sum() > LEAST_SHARE * size:
            text = tr("surroundings blurred ({percent:.0f} % of the picture)", percent=100 * blurred)
            looks.append(PhoneChange("blurred surroundings", round(100 * blurred), "%", text))
    return looks
