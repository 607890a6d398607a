"""Automatic white balance from the picture.

Grey pixels (Qian, Nikkanen, Kamarainen, Matas 2019, "On finding gray pixels"): where brightness changes and
chromaticity does not, light changes on one surface; among those, surfaces close to neutral under a plausible light
show the light's colour. The plausible lights are those near the Planckian and daylight locus and near the phone's own
guess.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

PRIOR_SIGMA = 0.09
"""Standard deviation of a phone's own balance in log ratio, the width in which neutral surfaces are looked for."""
LOWEST, HIGHEST = 0.01, 0.9
"""Balanced values trusted for colour, 1 = saturation."""


@dataclass(frozen=True)
class WhiteEstimate:
    """`ratio`: log red / green and blue / green of the light relative to as shot; `confidence` 0..1; `share` of
    pixels used.
    """

    ratio: NDArray[np.float64]
    confidence: float
    share: float


def estimate_white(balanced: NDArray[np.float32]) -> WhiteEstimate:
    """Light's colour from as-shot balanced camera RGB (H, W, 3), relative to the as-shot white."""
    rgb = cv2.GaussianBlur(balanced, (0, 0), 1.0)
    good = (rgb.min(axis=2) > LOWEST) & (rgb.max(axis=2) < HIGHEST)
    log = np.log(np.maximum(rgb, 1e-5))
    red, blue = log[..., 0] - log[..., 1], log[..., 2] - log[..., 1]

    def contrast(plane: NDArray) -> NDArray:
        return np.hypot(
            cv2.Sobel(plane, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(plane, cv2.CV_32F, 0, 1, scale=1 / 8)
        )

    change = contrast(log[..., 1])
    grey = (contrast(red) + contrast(blue)) / (change + 1e-3)
    good &= change > 0.01
    close = np.exp(-(red**2 + blue**2) / (2 * PRIOR_SIGMA**2))
    weight = np.where(good, close / (grey + 0.05), 0).ravel()
    total = float(weight.sum())
    if good.sum() < 200 or total <= 0:
        return WhiteEstimate(np.zeros(2), 0.0, 0.0)
    best = weight >= np.quantile(weight[good.ravel()], 0.9)
    w = weight[best]
    points = np.stack([red.ravel()[best], blue.ravel()[best]], axis=1).astype(float)
    centre = np.average(points, axis=0, weights=w)
    for _ in range(8):  # mean shift to the densest neutral
        kernel = w * np.exp(-np.sum((points - centre) ** 2, axis=1) / (2 * 0.045**2))
        if kernel.sum() <= 0:
            break
        centre = np.average(points, axis=0, weights=kernel)
    spread = float(np.sqrt(np.average(np.sum((points - centre) ** 2, axis=1), weights=w)))
    confidence = float(np.clip(1.2 - spread / 0.10, 0, 1) * min(1.0, good.mean() * 10))
    return WhiteEstimate(centre, confidence, float(best.mean()))
