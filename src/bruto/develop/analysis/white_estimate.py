"""Automatic white balance from the picture.

Grey pixels (Qian, Nikkanen, Kamarainen, Matas 2019, "On finding gray pixels"): where brightness changes and
chromaticity does not, light changes on one surface; among those, surfaces close to neutral under a plausible light
show the light's colour. The plausible lights are those near the Planckian and daylight locus and near the phone's own
guess.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import highest, lowest
from bruto.color.temperature import kelvin_duv_of
from bruto.container.color_model import neutral_to_xy
from bruto.container.raw_frame import RawMeta

OWN_SIGMA = 0.045
"""Standard deviation of a phone's own balance in log ratio, when its answer is weighed against the picture's."""
PICTURE_SIGMA, DOUBT = 0.035, 0.08
"""The same of a confident estimate from the picture; it grows as the confidence falls, and with the distance of the
estimate from the phone's own, in units of `DOUBT`: a brown table is as even as a grey one (Student's t in place of
Gauss).
"""
REDDER = 0.03
"""By how much surfaces that pass for grey are redder than that, log red / green (median of photographs): wood, skin and
earth are more common than their opposites.
"""
LIGHT_DUV, LIGHT_DUV_SIGMA = 0.002, 0.0035
"""Duv of lights met in practice: between the Planckian locus (0) and daylight (about +0.003)."""
PRIOR_SIGMA = 0.09
"""Width around the phone's own balance, in log ratio, in which neutral surfaces are looked for: without it, the light
found is off by 2.9 to 5.9° in the median of 57 photographs (angle of camera neutrals), where a phone's is by about 2.
"""
LOWEST, HIGHEST = 0.01, 0.9
"""Balanced values trusted for colour, 1 = saturation."""


STEPS, NUDGE = 12, 1e-4
"""Most steps to the likeliest light, and the change in log ratio by which slopes are found."""


@dataclass(frozen=True)
class WhiteEstimate:
    """`confidence` 0..1; `share` of pixels used."""

    ratio: NDArray[np.float64]
    """Log red / green and blue / green of the light relative to as shot."""
    confidence: float
    share: float


@dataclass(frozen=True)
class GreyPlaces:
    """What the places of a picture say of the light that falls on them."""

    ratios: NDArray[Any]
    """Log red / green and blue / green (H, W, 2)."""
    weight: NDArray[Any]
    """How little chromaticity changes where brightness does (H, W), which is so within one surface; 0..20."""
    good: NDArray[np.bool_]
    """Where brightness changes, neither dark nor full (H, W)."""


def grey_places(balanced: NDArray[np.float32]) -> GreyPlaces:
    """Look at how chromaticity and brightness change in as-shot balanced camera RGB (H, W, 3).

    Parameters
    ----------
    balanced
        White-balanced linear RGB (H, W, 3), float32, 1 = sensor saturation.

    Returns
    -------
    GreyPlaces
        The places and their weights.
    """
    rgb = cv2.GaussianBlur(balanced, (0, 0), 1.0)
    good = (lowest(rgb) > LOWEST) & (highest(rgb) < HIGHEST)
    red, green, blue = cv2.split(cv2.log(np.maximum(rgb, 1e-5)))
    red, blue = cv2.subtract(red, green), cv2.subtract(blue, green)
    change = _contrast(green)
    weight = 1 / (cv2.add(_contrast(red), _contrast(blue)) / (change + np.float32(1e-3)) + np.float32(0.05))
    return GreyPlaces(cv2.merge([red, blue]), weight, good & (change > 0.01))


def _contrast(plane: NDArray[Any]) -> NDArray[Any]:
    """Return the length of the gradient."""
    return cv2.magnitude(
        cv2.Sobel(plane, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(plane, cv2.CV_32F, 0, 1, scale=1 / 8)
    )


def estimate_white(places: GreyPlaces) -> WhiteEstimate:
    """Estimate the light's colour from the grey places of a picture, relative to the as-shot white.

    Parameters
    ----------
    places
        See `grey_places`.

    Returns
    -------
    WhiteEstimate
        Light's colour, relative to the as-shot white.
    """
    found = places.ratios[places.good].astype(float)
    if len(found) < 200:
        return WhiteEstimate(np.zeros(2), 0.0, 0.0)
    weight = places.weight[places.good] * np.exp(-(found**2).sum(axis=1) / (2 * PRIOR_SIGMA**2))
    if float(weight.sum()) <= 0:
        return WhiteEstimate(np.zeros(2), 0.0, 0.0)
    best = weight >= np.quantile(weight, 0.9)
    w, points = weight[best], found[best]
    centre = np.average(points, axis=0, weights=w)
    for _ in range(8):  # mean shift to the densest neutral
        kernel = w * np.exp(-np.sum((points - centre) ** 2, axis=1) / (2 * 0.045**2))
        if kernel.sum() <= 0:
            break
        centre = np.average(points, axis=0, weights=kernel)
    spread = float(np.sqrt(np.average(np.sum((points - centre) ** 2, axis=1), weights=w)))
    share = len(found) / places.good.size
    confidence = float(np.clip(1.2 - spread / 0.10, 0, 1) * min(1.0, share * 10))
    return WhiteEstimate(centre, confidence, len(points) / places.good.size)


def likely_neutral(meta: RawMeta, own: NDArray[Any], estimate: WhiteEstimate) -> NDArray[np.float64]:
    """Compute the most likely camera neutral (green = 1), weighing three witnesses by their errors.

    The witnesses are the phone's own neutral, the picture's grey surfaces, and what lights look like (near the
    Planckian and daylight locus); errors are taken as Gaussian in log ratios and in Duv.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    own
        The file's own neutral.
    estimate
        What was measured of white.

    Returns
    -------
    NDArray[np.float64]
        The most likely camera neutral (green = 1), weighing three witnesses by their errors.
    """
    own = np.asarray(own, float) / own[1]
    ratio = estimate.ratio - np.array([REDDER, 0.0])
    picture_sigma = PICTURE_SIGMA / max(estimate.confidence, 0.05) * np.sqrt(1 + ratio @ ratio / DOUBT**2)

    def neutral_at(p: NDArray[Any]) -> NDArray[np.float64]:
        return own * np.exp([p[0], 0.0, p[1]])

    def residuals(p: NDArray[Any]) -> NDArray[np.float64]:
        _, duv = kelvin_duv_of(*neutral_to_xy(meta, neutral_at(p)))
        return np.array([*(p / OWN_SIGMA), *((p - ratio) / picture_sigma), (duv - LIGHT_DUV) / LIGHT_DUV_SIGMA])

    return neutral_at(_least_squares(residuals))


def _least_squares(residuals: Callable[[NDArray[Any]], NDArray[Any]]) -> NDArray[np.float64]:
    """Compute the two numbers near 0 whose residuals have the least square.

    Gauss and Newton's method, halved where it does not fall (Nocedal, Wright 2006, chapter 10).
    """
    at, now = np.zeros(2), residuals(np.zeros(2))
    for _ in range(STEPS):
        slopes = np.stack([(residuals(at + d) - residuals(at - d)) / (2 * NUDGE) for d in NUDGE * np.eye(2)], axis=1)
        move = np.linalg.lstsq(slopes, -now, rcond=None)[0]
        for _ in range(8):
            ahead = residuals(at + move)
            if ahead @ ahead <= now @ now:
                break
            move = move / 2
        at, now = at + move, ahead
        if np.abs(move).max() < 1e-7:
            break
    return at
