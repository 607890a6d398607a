"""Haze: the airlight between the scene and the lens, estimated by the dark channel and taken out.

He, Sun, Tang, "Single Image Haze Removal Using Dark Channel Prior" (IEEE PAMI 33-12, 2011); the share of airlight
follows edges by a guided filter (the same authors, 2013) whose coefficients are computed on a small picture.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import lowest
from bruto.develop.recipe import Recipe
from bruto.develop.steps.base_layer import GREY
from bruto.develop.steps.fast_math import log2_of
from bruto.develop.steps.kernel_rows import WEIGHTS, across_row, at_least_two
from bruto.develop.steps.step import Band, CoarseField, PointStep, StepInput

PATCH_SHARE = 0.02
"""Side of the dark channel's patch as a share of the long edge."""
MOST = 0.9
"""Most of the light at a place that is taken for airlight."""
BOUND = 0.83
"""Most of the light at a pixel that is taken for airlight, of its weakest channel over the airlight's: the share is
smeared from white walls into their neighbours, whose weak channels would go below black and turn the hue.
"""
SMALL = 640


class Haze(NamedTuple):
    """Share of airlight = a log2(Y / 0.18) + b over the frame (h, w)."""

    a: NDArray[np.float32]
    b: NDArray[np.float32]
    light: NDArray[np.float32]
    """The airlight, working RGB before exposure (3,)."""
    typical: float
    """Median share in the third of the frame that holds most, 0..1."""


def haze_of(working: NDArray[np.float32]) -> Haze:
    """Find the haze in a small picture of working-space light (h, w, 3), 1.0 = saturation, before exposure.

    Parameters
    ----------
    working
        Linear light in the working space.

    Returns
    -------
    Haze
        From a small picture of working-space light (h, w, 3), 1.0 = saturation, before exposure.
    """
    scale = SMALL / max(working.shape[:2])
    if scale < 1:
        working = cv2.resize(working, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    rgb = np.maximum(working, 1e-5)
    side = max(3, round(PATCH_SHARE * max(rgb.shape[:2])) | 1)
    patch = np.ones((side, side))
    dark = cv2.erode(lowest(rgb), patch)
    luminance = rgb @ np.array([0.2627, 0.6780, 0.0593], np.float32)
    # the airlight: the light of the haziest hundredth, but not lamps and sun glints
    haziest = dark >= np.quantile(dark, 0.99)
    light = np.median(rgb[haziest], axis=0)
    light = light / light.mean() * min(float(light.mean()), float(np.quantile(luminance, 0.97)))
    share = np.clip(cv2.erode(lowest(rgb / light), patch), 0, MOST).astype(np.float32)
    ev = np.log2(np.maximum(luminance, 2e-5) / GREY).astype(np.float32)
    r = 2 * side
    size = (2 * r + 1, 2 * r + 1)

    def mean(p: NDArray[Any]) -> NDArray[np.float32]:
        return cv2.blur(p, size)

    me, ms = mean(ev), mean(share)
    a = (mean(ev * share) - me * ms) / (np.maximum(mean(ev * ev) - me * me, 0) + 0.15)
    b = ms - a * me
    typical = float(np.median(np.sort(share, axis=None)[-share.size // 3 :]))
    return Haze(mean(a), mean(b), light.astype(np.float32), typical)


AIRLIGHT = CoarseField(
    "airlight",
    lambda recorded: haze_of(recorded.small()),
    lambda haze, mapping: haze._replace(a=mapping.field(haze.a), b=mapping.field(haze.b)),
)


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _clear(xs, ys, zs, top, place, field_a, field_b, weights, airlight, amount, exposure):
    """Rows of working light without a share of the airlight, in place; `place`: see `Tile.pixels`."""
    w0, w1, w2 = weights[0], weights[1], weights[2]
    w = xs.shape[1]
    light, a, b = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
    start_x, step_x = place[1] * place[3], place[3]
    ax, ay, az = airlight[0], airlight[1], airlight[2]
    bx, by, bz = np.float32(BOUND) / ax, np.float32(BOUND) / ay, np.float32(BOUND) / az
    for k in range(xs.shape[0]):
        x, y, z = xs[k], ys[k], zs[k]
        for j in range(w):
            light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
        place_y = (np.float32(top + k) + place[0]) * place[2]
        across_row(field_a, field_b, place_y, start_x, step_x, a, b)
        for j in range(w):
            share = a[j] * (log2_of(light[j] * np.float32(1 / 0.18)) - exposure) + b[j]
            most = max(min(x[j] * bx, min(y[j] * by, z[j] * bz)), np.float32(0))
            share = amount * min(min(max(share, np.float32(0)), np.float32(0.9)), most)
            clear = np.float32(1) / max(np.float32(1) - share, np.float32(0.15))
            x[j] = (x[j] - ax) * clear + ax
            y[j] = (y[j] - ay) * clear + ay
            z[j] = (z[j] - az) * clear + az


class PreparedHaze(NamedTuple):
    """Coefficients of the airlight's share, airlight (3,) under the exposure, the amount that goes, exposure in EV."""

    a: NDArray[np.float32]
    b: NDArray[np.float32]
    airlight: NDArray[np.float32]
    amount: np.float32
    exposure: np.float32


def prepared_haze(haze: Haze, percent: float, exposure: float) -> PreparedHaze | None:
    """Return what takes `percent` of the airlight from light under an `exposure`, EV; None where nothing is to be done.

    Parameters
    ----------
    haze
        Airlight that was estimated.
    percent
        Share in percent.
    exposure
        Exposure in force, EV.

    Returns
    -------
    PreparedHaze | None
        `percent` of the airlight goes from light under an `exposure`, EV.
    """
    if percent == 0:
        return None
    return PreparedHaze(
        at_least_two(haze.a),
        at_least_two(haze.b),
        (haze.light * 2.0**exposure).astype(np.float32),
        np.float32(percent / 100),
        np.float32(exposure),
    )


class HazeRemoval(PointStep):
    """Takes a share of the measured airlight out of the light, or adds it."""

    name = "haze removal"
    fields = ("haze",)

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> PreparedHaze | None:
        return prepared_haze(scene.coarse(AIRLIGHT), recipe.haze, scene.exposure) if recipe.haze else None

    @override
    def apply(self, band: Band, prepared: PreparedHaze) -> None:
        a, b, airlight, amount, exposure = prepared
        _clear(*band.planes, band.top, band.tile.pixels, a, b, WEIGHTS, airlight, amount, exposure)
