"""Haze: the airlight between the scene and the lens, estimated by the dark channel and taken out.

He, Sun, Tang, "Single Image Haze Removal Using Dark Channel Prior" (IEEE PAMI 33-12, 2011); the share of airlight
follows edges by a guided filter (the same authors, 2013) whose coefficients are computed on a small picture.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.develop.steps.tone import GREY

PATCH_SHARE = 0.02
"""Side of the dark channel's patch as a share of the long edge."""
MOST = 0.9
"""Most of the light at a place that is taken for airlight."""
SMALL = 640


class Haze(NamedTuple):
    """Share of airlight = a log2(Y / 0.18) + b over the frame (h, w); `light`: the airlight, working RGB before
    exposure (3,); `typical`: median share in the third of the frame that holds most, 0..1.
    """

    a: NDArray[np.float32]
    b: NDArray[np.float32]
    light: NDArray[np.float32]
    typical: float


def no_haze() -> Haze:
    """For passes that do not touch haze."""
    zero = np.zeros((2, 2), np.float32)
    return Haze(zero, zero, np.ones(3, np.float32), 0.0)


def haze_of(working: NDArray[np.float32]) -> Haze:
    """From a small picture of working-space light (h, w, 3), 1.0 = saturation, before exposure."""
    scale = SMALL / max(working.shape[:2])
    if scale < 1:
        working = cv2.resize(working, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    rgb = np.maximum(working, 1e-5)
    side = max(3, round(PATCH_SHARE * max(rgb.shape[:2])) | 1)
    patch = np.ones((side, side))
    dark = cv2.erode(rgb.min(axis=2), patch)
    luminance = rgb @ np.array([0.2627, 0.6780, 0.0593], np.float32)
    # the airlight: the light of the haziest hundredth, but not lamps and sun glints
    haziest = dark >= np.quantile(dark, 0.99)
    light = np.median(rgb[haziest], axis=0)
    light = light / light.mean() * min(float(light.mean()), float(np.quantile(luminance, 0.97)))
    share = np.clip(cv2.erode((rgb / light).min(axis=2), patch), 0, MOST).astype(np.float32)
    ev = np.log2(np.maximum(luminance, 2e-5) / GREY).astype(np.float32)
    r = 2 * side
    size = (2 * r + 1, 2 * r + 1)

    def mean(p: NDArray) -> NDArray[np.float32]:
        return cv2.blur(p, size)

    me, ms = mean(ev), mean(share)
    a = (mean(ev * share) - me * ms) / (np.maximum(mean(ev * ev) - me * me, 0) + 0.15)
    b = ms - a * me
    typical = float(np.median(np.sort(share, axis=None)[-share.size // 3 :]))
    return Haze(mean(a), mean(b), light.astype(np.float32), typical)
