"""How wide edges are and how far sharpening overshoots at them."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray


def edge_width(found: tuple[NDArray[Any], NDArray[Any], NDArray[Any]] | None) -> float:
    """Compute the median distance from 10 to 90 % of strong isolated edges, pixels of the grid.

    0 where there are too few.

    Parameters
    ----------
    found
        Edges that were found; None where there are none.

    Returns
    -------
    float
        Median distance from 10 to 90 % of strong isolated edges, pixels of the grid.
    """
    if found is None:
        return 0.0
    profile, low, high = found
    share = (profile - low[:, None]) / (high - low)[:, None]
    middle = profile.shape[1] // 2
    places = []
    for level, part, offset in ((0.1, share[:, : middle + 1][:, ::-1], -1), (0.9, share[:, middle:], 1)):
        beyond = part < level if offset < 0 else part > level
        reached = beyond.any(axis=1)
        k = np.clip(beyond.argmax(axis=1), 1, None)
        rows = np.arange(len(part))
        one, other = part[rows, k - 1], part[rows, k]
        between = (level - one) / np.where(np.abs(other - one) > 1e-6, other - one, 1.0)
        places.append(np.where(reached, k - 1 + np.clip(between, 0, 1), np.nan))
    return float(np.nanmedian(places[0] + places[1]))


def edge_overshoot(found: tuple[NDArray[Any], NDArray[Any], NDArray[Any]] | None) -> float:
    """Compute the median overshoot beside strong isolated edges, as a share of the step, in L*.

    Parameters
    ----------
    found
        Edges that were found; None where there are none.

    Returns
    -------
    float
        Median overshoot beside strong isolated edges, as a share of the step, in L*.
    """
    if found is None:
        return 0.0
    profile, low, high = found
    step = high - low
    over = (profile[:, 13:20].max(axis=1) - high) / step
    under = (low - profile[:, 5:12].min(axis=1)) / step
    return float(max(0.0, np.median((over + under) / 2)))


def edges_of(l: NDArray[np.float32], valid: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any]] | None:
    """Compute the profiles (N, 25) across strong isolated edges, from dark to bright, and L* of both sides.

    None if too few.

    Parameters
    ----------
    l
        Lightness.
    valid
        Mask of pixels that both pictures show.

    Returns
    -------
    tuple[NDArray, NDArray, NDArray] | None
        Profiles (N, 25) across strong isolated edges, from dark to bright, and L* of both sides.
    """
    gx = cv2.Sobel(l, cv2.CV_32F, 1, 0, scale=1 / 8)
    strong = np.abs(gx)
    peak = (
        valid
        & (strong >= np.roll(strong, 1, 1))
        & (strong >= np.roll(strong, -1, 1))
        & (strong > max(3.0, float(np.percentile(strong[::3, ::3], 98))))
    )
    ys, xs = np.nonzero(peak[:, 14:-14])
    if len(ys) < 40:
        return None
    pick = np.random.default_rng(0).choice(len(ys), min(6000, len(ys)), replace=False)
    ys, xs = ys[pick], xs[pick] + 14
    profile = l[ys[:, None], xs[:, None] + np.arange(-12, 13)[None]] * np.sign(gx[ys, xs])[:, None]
    high, low = profile[:, 20:].mean(axis=1), profile[:, :5].mean(axis=1)
    step = high - low
    flat = (profile[:, 20:].std(axis=1) < 0.1 * step) & (profile[:, :5].std(axis=1) < 0.1 * step) & (step > 8)
    return (profile[flat], low[flat], high[flat]) if flat.sum() >= 20 else None
