"""What a finished picture would have warned of: its clipping, and how early or late its warning comes for the raw.

The preview inside a raw stands in for the viewfinder, which is made by the same processing.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import decode_srgb, highest
from bruto.sensor.blocks import BLOCK
from bruto.sensor.noise import Blocks

FULL = 254
"""8-bit code from which a pixel of a finished picture counts as clipped."""
WARNS = 250.0
"""Mean code of a small area from which a clipping warning would show there."""
MOST_LATE_EV = 2.0
"""How far beyond its range the picture's highlights are carried on, EV; what is later is reported as later than
this."""
_STEP_EV = 0.25
_LEAST_CELLS = 12


@dataclass(frozen=True)
class ViewfinderOffset:
    """How the clipping of the phone's picture, which a viewfinder shows, lies beside the raw's."""

    clipped_percent: dict[str, float]
    """Any and all channels clipped."""
    offset_ev: float | None
    """How much before the raw is clipped the picture is: positive = the warning comes early, negative = late; None
    where the shot has no light near either.
    """


def picture_clipping(pixels: NDArray[np.uint8]) -> dict[str, float]:
    """Return the percent of pixels (H, W, 3) with any and with all channels clipped.

    Parameters
    ----------
    pixels
        Pixels (H, W, 3).

    Returns
    -------
    dict[str, float]
        Percent of pixels (H, W, 3) with any and with all channels clipped.
    """
    r, g, b = cv2.split(pixels)
    most, least = cv2.max(cv2.max(r, g), b), cv2.min(cv2.min(r, g), b)
    share = 100 / most.size
    return {"any": share * int((most >= FULL).sum()), "all": share * int((least >= FULL).sum())}


def warning_of(pixels: NDArray[np.uint8], blocks: list[Blocks]) -> ViewfinderOffset:
    """Judge a finished picture of the same shot, lying as the raw does, against the raw's block means.

    Parameters
    ----------
    pixels
        Pixels (H, W, 3).
    blocks
        Block statistics of each colour plane.

    Returns
    -------
    ViewfinderOffset
        See `ViewfinderOffset`.
    """
    return ViewfinderOffset(picture_clipping(pixels), offset_ev(pixels, blocks))


def offset_ev(pixels: NDArray[np.uint8], blocks: list[Blocks]) -> float | None:
    """Compute the EV by which the picture is full before (+) or after (-) the raw's brightest channel.

    The picture's brightest channel is followed over the raw's: where it reaches its top inside the raw's range the
    place is read off, and where the raw is clipped first the last two stops are carried on, in log light.

    Parameters
    ----------
    pixels
        Pixels (H, W, 3).
    blocks
        Block statistics of each colour plane.

    Returns
    -------
    float | None
        EV by which the picture is full before (+) or after (-) the raw's brightest channel.
    """
    raw = np.max([np.mean([b.mean for b in blocks if b.channel == k], axis=0) for k in range(3)], axis=0)
    full = np.max([b.full for b in blocks], axis=0) > 0.3 * BLOCK * BLOCK
    h, w = raw.shape
    if min(h, w) < 1:
        return None  # smaller than a block
    shown = highest(cv2.resize(pixels, (w, h), interpolation=cv2.INTER_AREA)).astype(np.float32)
    light = np.log2(np.maximum(raw, 1e-5))
    good = ~full & (light > -8)
    bins = np.floor(light / _STEP_EV).astype(int)
    centres, codes = [], []
    for k in range(-32, 0):
        here = good & (bins == k)
        if int(here.sum()) >= _LEAST_CELLS:
            centres.append(float(np.median(light[here])))
            codes.append(float(np.median(shown[here])))
    if not centres or centres[-1] < -2.5:
        return None
    x, y = np.array(centres), np.maximum.accumulate(np.array(codes))
    if y[-1] >= WARNS:
        k = int(np.argmax(y >= WARNS))
        if k == 0:
            return float(-x[0])
        at = x[k - 1] + (WARNS - y[k - 1]) / max(y[k] - y[k - 1], 1e-6) * (x[k] - x[k - 1])
        return float(-at)
    if x[-1] < -1.0 or len(x) < 5:
        return None  # nothing bright enough to carry on from
    last = x > x[-1] - 2
    if int(last.sum()) < 3:
        return None
    tops = np.log2(np.maximum(decode_srgb(y[last] / 255), 1e-4))
    slope = float(np.polyfit(x[last], tops, 1)[0])
    if slope < 0.15:
        return None
    target = float(np.log2(decode_srgb(np.array(WARNS / 255))))
    reached = x[-1] + (target - tops[-1]) / slope
    return float(-np.clip(reached, 0, MOST_LATE_EV))
