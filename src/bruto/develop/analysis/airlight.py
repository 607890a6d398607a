"""Whether what looks like airlight is air: white walls, paper and salt are as bright and as little coloured as haze.

Air shows by depth. Its share rises with the height of a place in the picture, or it lies over everything, so that no
textured place holds anything dark (the dark channel of He, Sun, Tang, IEEE PAMI 33-12, 2011, looked at where there is
texture alone: a plain white surface has no dark pixels either).
"""

from __future__ import annotations

from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import LUMINANCE_2020, lowest
from bruto.develop.steps.haze import SMALL, Haze

PATCH = 16
"""Side of a patch, pixels of a picture of `SMALL`."""
TEXTURE = 0.02
"""Contrast within a patch, over its mean, from which it is textured."""
FEWEST = 24
"""Textured patches needed to say anything."""
RISES, EVERYWHERE, COLORED, PALE = 0.68, 0.12, 0.15, 0.08
"""Rank correlation of the veil with height that speaks of depth; veil over the tenth of the patches that has least
which speaks of air over all, given that contrast falls with it, that the picture's most coloured tenth has so much
colour and the far third no more than that: leaves against the light are as bright and even, but green.
"""
WARMEST, BLUEST, GREENEST = 1.7, 0.45, 1.2
"""Most and least red over blue, and green over the root of both (or the inverse), of light that may be air's: it
scatters daylight, so its colour is that of skies. A meadow or a sandy slope out of focus is even, but green or brown.
"""


class Airlight(NamedTuple):
    """Share of airlight over textured places.

    `far` (median of the upper third), `least` (of the tenth with least), and its rank correlation with height.
    """

    far: float
    least: float
    rises: float
    airy: bool
    """Whether that speaks of air."""


def _rank_correlation(x: NDArray[Any], y: NDArray[Any]) -> float:
    """Spearman's; 0 where one does not change."""
    a, b = (np.argsort(np.argsort(p, kind="stable")).astype(float) for p in (x, y))
    if np.ptp(x) == 0 or np.ptp(y) == 0:
        return 0.0
    return float(np.corrcoef(a, b)[0, 1])


def airlight_of(working: NDArray[np.float32], haze: Haze) -> Airlight:
    """Find the airlight in the same small picture as `haze_of` (h, w, 3).

    Parameters
    ----------
    working
        Linear light in the working space.
    haze
        Airlight that was estimated.

    Returns
    -------
    Airlight
        From the same small picture as `haze_of` (h, w, 3).
    """
    scale = SMALL / max(working.shape[:2])
    if scale < 1:
        working = cv2.resize(working, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    ratio = np.maximum(working, 1e-5) / haze.light
    luminance = ratio @ LUMINANCE_2020.astype(np.float32)
    rows, columns = (n // PATCH for n in luminance.shape)
    if rows < 3 or columns < 3:
        return Airlight(0.0, 0.0, 0.0, False)

    def patches(plane: NDArray[Any]) -> NDArray[Any]:
        cut = plane[: rows * PATCH, : columns * PATCH].reshape(rows, PATCH, columns, PATCH)
        return cut.transpose(0, 2, 1, 3).reshape(rows, columns, -1)

    dark = np.percentile(patches(lowest(ratio)), 5, axis=2)
    mean = patches(luminance).mean(axis=2)
    fine = patches(luminance - cv2.GaussianBlur(luminance, (0, 0), PATCH / 4)).std(axis=2) / mean
    color = np.stack([patches(ratio[..., c]).mean(axis=2) for c in range(3)])
    color = 1 - color.min(axis=0) / color.max(axis=0)
    textured = (fine > TEXTURE) & (mean > 0.02)
    height = np.repeat(1 - np.arange(rows)[:, None] / (rows - 1), columns, axis=1)
    upper, lower = textured & (height > 2 / 3), textured & (height < 1 / 3)
    if textured.sum() < FEWEST or min(upper.sum(), lower.sum()) < FEWEST // 4:
        return Airlight(0.0, 0.0, 0.0, False)
    far, near = float(np.median(dark[upper])), float(np.median(dark[lower]))
    least = float(np.quantile(dark[textured], 0.1))
    rises = _rank_correlation(dark[textured], height[textured])
    falls = _rank_correlation(dark[textured], fine[textured])
    by_depth = rises >= RISES and far >= near + 0.05 and least >= 0.05
    over_all = least >= EVERYWHERE and far > near and falls < -0.5
    over_all &= bool(np.quantile(color[textured], 0.9) >= COLORED and np.median(color[upper]) <= PALE)
    red, green, blue = (float(v) for v in haze.light)
    tint = green / max(float(np.sqrt(red * blue)), 1e-9)
    of_sky = BLUEST * blue <= red <= WARMEST * blue and 1 / GREENEST <= tint <= GREENEST
    return Airlight(far, least, rises, bool(of_sky and (by_depth or over_all)))
