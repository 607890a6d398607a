"""The scene's light in stops: what the light strip draws, computed once a shot."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import lightness
from bruto.container.picture import decode_jpeg
from bruto.develop.pipeline import Developer
from bruto.errors import BrutoError

EV_FROM, EV_TO, BINS = -12.0, 10.0, 352
REACH = 2
"""Cells to each side of a place whose light is looked up."""


@dataclass(frozen=True)
class SceneLight:
    """`histograms` (3, BINS): share of red, green, blue at each EV, smoothed, 1 = the highest; `clip_ev` (3,).

    Where each channel is clipped; `ev` (h, w): luminance over the recorded frame.

    All before the recipe's exposure.
    """

    histograms: NDArray[np.float32]
    floor_ev: float
    """Where signal equals noise."""
    clip_ev: NDArray[np.float64]
    picture_range_ev: tuple[float, float] | None
    """Scene light that the phone's picture still tells apart, or None."""
    ev: NDArray[np.float32]

    def at(self, x: float, y: float) -> float:
        """Compute the mean light about a relative place of the recorded frame, EV from grey.

        Parameters
        ----------
        x
            Share of the width, 0..1.
        y
            Share of the height, 0..1.

        Returns
        -------
        float
            Mean light about a relative place of the recorded frame, EV from grey.
        """
        h, w = self.ev.shape
        cx, cy = min(max(int(x * w), 0), w - 1), min(max(int(y * h), 0), h - 1)
        patch = self.ev[max(0, cy - REACH) : cy + REACH + 1, max(0, cx - REACH) : cx + REACH + 1]
        return float(np.log2(np.mean(np.exp2(patch))))


def scene_light(developer: Developer) -> SceneLight:
    """Return the light of the whole frame, as-shot balance, baseline exposure included.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    SceneLight
        Light of the whole frame, as-shot balance, baseline exposure included.
    """
    factor = 4
    while max(developer.source.size) / factor > 1300:
        factor *= 2
    rgb = developer.level(factor)
    baseline = developer.source.meta.baseline_exposure
    ev = np.log2(np.maximum(rgb, 1e-6) / 0.18) + np.float32(baseline)
    histograms = np.stack([np.histogram(ev[..., c], bins=BINS, range=(EV_FROM, EV_TO))[0] for c in range(3)]).astype(
        np.float32
    )
    histograms = cv2.GaussianBlur(histograms, (0, 0), sigmaX=2.2, sigmaY=0.01)
    inner = histograms[:, : int((3.3 - EV_FROM) / (EV_TO - EV_FROM) * BINS)]
    histograms /= max(float(np.quantile(inner[inner > 0], 0.995)) if (inner > 0).any() else 1.0, 1.0)
    a, b = developer.noise[1]
    floor = math.log2(max((a + math.sqrt(a * a + 4 * b)) / 2, 1e-6) / 0.18) + baseline
    clip = np.log2(developer.balance.astype(float) / 0.18) + baseline
    luminance = np.log2(np.maximum(developer.luminance(factor), 2e-5) / 0.18)
    return SceneLight(np.minimum(histograms, 1.0), floor, clip, _picture_range(developer, ev[..., 1]), luminance)


def _picture_range(developer: Developer, ev: NDArray[np.float32]) -> tuple[float, float] | None:
    """Find the scene light between which the embedded preview is neither black nor white.

    L* 3 to 98, by median in steps of 1/4 EV.
    """
    frame = developer.source.frame
    if frame is None or frame.preview is None:
        return None
    try:
        preview = decode_jpeg(frame.preview)
    except BrutoError:
        return None
    h, w = ev.shape
    small = cv2.resize(preview, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    light = lightness(
        np.where(small <= 0.04045, small / 12.92, ((small + 0.055) / 1.055) ** 2.4) @ np.array([0.2126, 0.7152, 0.0722])
    )
    edges = np.arange(EV_FROM, EV_TO, 0.25)
    place = np.digitize(ev.ravel(), edges)
    inside = []
    flat = light.ravel()
    for k in range(1, len(edges)):
        here = flat[place == k]
        if len(here) > 60 and 3 < np.median(here) < 98:
            inside.append(edges[k - 1])
    return (float(min(inside)), float(max(inside) + 0.25)) if inside else None
