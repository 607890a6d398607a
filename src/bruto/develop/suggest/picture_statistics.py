"""Rows that are judged by the developed picture itself: chroma of quiet colours, contrast, relief.

The other suggestions' values are taken first; what the picture then lacks against most photographs is made up in part.
"""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import OKLAB_FROM_LMS, OKLAB_LMS_FROM_XYZ, decode_srgb, lightness, space
from bruto.develop.analysis.soft_proof import out_of_gamut
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.steps.local_contrast import DIAGONAL_12MP
from bruto.develop.suggest.suggestion import Suggestion, factor_looked_at

USUAL_CHROMA = 0.052
"""Mean OKLCh chroma of finished photographs (0.055 to 0.065 in scikit-image's, 0.02 to 0.05 in phones' pictures of
the simulated scenes)."""
EASY_FULL = 0.01
"""Share of a picture that may lie outside of sRGB without being missed."""
BRIGHT = 0.6
"""Light above which colours are pale on any screen."""
FLAT_SPREAD = 15.0
"""Standard deviation of L* below which a picture looks flat (13 to 30 in scikit-image's photographs)."""
BANDS = {"local_contrast_medium": (4.0, 16.0, 2.4), "local_contrast_broad": (32.0, 128.0, 4.2)}
"""Finest and coarsest structure, pixels of a 12 MP frame (standard deviations of blurs), and the standard deviation of
L* in it below which it looks soft (2.6 to 4.9 and 4.1 to 11.6 in scikit-image's photographs).
"""
MOST_CONTRAST, MOST_LOCAL_CONTRAST = 1.15, 1.25


def _plane(values: NDArray[Any]) -> NDArray[np.float32]:
    return np.ascontiguousarray(values, np.float32)


def suggest_spread(developer: Developer, recipe: Recipe, noise: float) -> list[Suggestion]:
    """Suggest the quiet colours, contrast and relief for a picture that is developed with a `recipe`.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    recipe
        The edit, every value in its own unit.
    noise
        Standard deviation in L* at grey, which colours and structure are raised less under.

    Returns
    -------
    list[Suggestion]
        Quiet colours, contrast and relief for a picture that is developed with a `recipe`.
    """
    factor = factor_looked_at(developer.source.size)
    picture = developer.view(recipe, factor)
    light = decode_srgb(np.arange(256) / 255.0).astype(np.float32)[picture]
    found = _lightness_rows(_plane(lightness(light @ space("srgb").to_xyz()[1].astype(np.float32))), noise)
    # what is nearly white cannot be colourful on any screen and is not missed
    full = float((out_of_gamut(developer, recipe, factor, "srgb") & (light[..., 1] < BRIGHT)).mean())
    return [_muted_chroma(light[::2, ::2].reshape(-1, 3), noise), _chroma(full), *found]


def _chroma(full: float) -> Suggestion:
    """Return the usual small rise, less where many colours lie outside of what most screens show (`full`, a share)."""
    usual = Recipe().chroma
    gain = usual - 0.02 * round(float(np.clip(full - EASY_FULL, 0, 0.06)) * 100)
    return Suggestion(
        "chroma",
        round(gain, 2),
        tr("{full:.1f} % of the picture is outside sRGB before gamut mapping", full=100 * full),
        full,
    )


def _muted_chroma(light: NDArray[Any], noise: float) -> Suggestion:
    """Return a gentle rise where colours are quieter than in most photographs.

    It is less where noise would be raised with them.
    """
    to_lms = (OKLAB_LMS_FROM_XYZ @ space("srgb").to_xyz()).T.astype(np.float32)
    lab = np.cbrt(light @ to_lms) @ OKLAB_FROM_LMS.T.astype(np.float32)
    usable = (lab[:, 0] > 0.35) & (lab[:, 0] < 0.97)
    chroma = float(np.hypot(lab[usable, 1], lab[usable, 2]).mean()) if usable.any() else USUAL_CHROMA
    most = 1.3 if noise < 1 else 1.12
    gain = float(np.clip(round((USUAL_CHROMA / max(chroma, 1e-3)) ** 0.7 / 0.02) * 0.02, 1.0, most))
    return Suggestion(
        "muted_chroma",
        round(gain, 2),
        tr(
            "mean chroma {chroma:.3f}; most photographs have {USUAL_CHROMA:.3f}",
            chroma=chroma,
            USUAL_CHROMA=USUAL_CHROMA,
        ),
        chroma,
    )


def _lightness_rows(light: NDArray[np.float32], noise: float) -> list[Suggestion]:
    """Contrast and relief from L* (h, w)."""
    spread = float(light.std())
    contrast = _made_up(spread, FLAT_SPREAD, MOST_CONTRAST)
    look = tr("colourful enough") if contrast == 1 else tr("flat")
    rows = [
        Suggestion(
            "contrast",
            contrast,
            tr("lightness varies by {spread:.0f} L* (σ): {look}", spread=spread, look=look),
            spread,
        )
    ]
    scale = math.hypot(*light.shape) / DIAGONAL_12MP
    for field, (fine, coarse, least) in BANDS.items():
        found = _structure(light, fine * scale, coarse * scale)
        gain = _made_up(found, least, MOST_LOCAL_CONTRAST if noise < 1.5 else 1.1)
        look = tr("contrast enough") if gain == 1 else tr("soft")
        name = field.removeprefix("local_contrast_")
        rows.append(
            Suggestion(
                field,
                gain,
                tr("{name} structure varies by {found:.1f} L* (σ): {look}", name=name, found=found, look=look),
                found,
            )
        )
    text = tr("the finest structure is left to sharpness, which was measured")
    return [*rows, Suggestion("local_contrast_fine", 1.0, text, 0.0)]


def _structure(light: NDArray[np.float32], fine: float, coarse: float) -> float:
    """Return the standard deviation of L* between two blurs, pixels; a smaller picture tells as much of a broad one."""
    step = max(1, int(fine / 2))
    if step > 1:
        light = cv2.resize(light, None, fx=1 / step, fy=1 / step, interpolation=cv2.INTER_AREA)
    high, low = (cv2.GaussianBlur(light, (0, 0), max(s / step, 0.3)) for s in (fine, coarse))
    return float((high - low).std())


def _made_up(found: float, least: float, most: float) -> float:
    """Compute the gain that makes up half of what is missing, on the scale of ratios."""
    if found >= least or found < least / 10:  # a picture of nothing is left alone
        return 1.0
    return round(min(most, round(math.sqrt(least / found) / 0.02) * 0.02), 2)
