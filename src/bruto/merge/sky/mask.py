"""Where the sky ends and the ground begins in the frames of a night.

The sky is where stars are seen that turn, the ground has edges that stand still, and between them the border lies
on the strongest of these edges.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

EDGE = 1008
"""Long edge at which sky and ground are distinguished, pixels."""
SURE, STARS_REACH, FAR = 0.003, 0.02, 0.03
"""Shares of the long edge around a star that are surely sky, that tell how even the sky is, and beyond which an edge
may be ground.
"""
STRONG = 7.0
"""Times the usual slope of the sky that makes an edge."""
LEAST_EDGE = 40
"""Pixels of an edge at least."""
GUIDE, GUIDED = 10, 2e-3
"""Pixels around, and variance (of a square root of light, its range = 1), by which the border follows the picture."""
SOFT = (0.35, 0.65)
"""Shares of the guided mask between which ground becomes sky."""


def _guided(mask: NDArray[np.float32], guide: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute a mask that follows the edges of a guide (He, Sun, Tang 2010)."""
    size = (2 * GUIDE + 1, 2 * GUIDE + 1)
    mean, of_mask = cv2.blur(guide, size), cv2.blur(mask, size)
    slope = (cv2.blur(guide * mask, size) - mean * of_mask) / (cv2.blur(guide * guide, size) - mean * mean + GUIDED)
    offset = of_mask - slope * mean
    return cv2.blur(slope, size) * guide + cv2.blur(offset, size)


def sky_mask(still: NDArray[np.float32], stars: NDArray[np.float64]) -> NDArray[np.float32]:
    """Share of sky of each place, (H, W) 0..1.

    Parameters
    ----------
    still
        (H, W) light of what stands still, the mean of the frames.
    stars
        (N, 2) places x, y of stars in all the frames.

    Returns
    -------
    NDArray[np.float32]
        Share of sky at each place, 0 to 1; None where no border was found.
    """
    h, w = still.shape
    scale = min(1.0, EDGE / max(h, w))
    small = cv2.resize(still, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    root = np.sqrt(np.maximum(cv2.medianBlur(np.ascontiguousarray(small), 5), 0))
    soft = cv2.GaussianBlur(root, (0, 0), 1.0)
    slope = np.hypot(*(cv2.Scharr(soft, cv2.CV_32F, dx, dy, scale=1 / 32) for dx, dy in ((1, 0), (0, 1))))
    edge = max(small.shape)
    near = np.full(small.shape, 255, np.uint8)
    at = np.clip((stars * scale).astype(int), 0, np.array(small.shape[::-1]) - 1)
    near[at[:, 1], at[:, 0]] = 0
    distance = cv2.distanceTransform(near, cv2.DIST_L2, 5)
    starry = distance < STARS_REACH * edge
    if not starry.any():
        return np.zeros((h, w), np.float32)
    usual = max(float(np.median(slope[starry])), 1e-6)
    strong = (slope > STRONG * usual).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(strong, connectivity=8)
    large = stats[:, cv2.CC_STAT_AREA] >= LEAST_EDGE
    large[0] = False
    strong = large[labels].astype(np.uint8)
    ground = (strong > 0) & (distance > FAR * edge)
    if not ground.any():
        return np.ones((h, w), np.float32)
    sky = distance <= max(SURE * edge, 1.0)
    markers = np.where(ground, 2, np.where(sky, 1, 0)).astype(np.int32)
    top = max(float(np.percentile(soft, 99)), 1e-6)
    picture = np.clip(255 * soft / top, 0, 255).astype(np.uint8)
    found = cv2.watershed(cv2.merge([picture] * 3), markers)
    half = (max(1, w // 2), max(1, h // 2))
    share = np.where(found == 1, 1.0, np.where(found == -1, 0.5, 0.0)).astype(np.float32)
    share[:, [0, -1]], share[[0, -1]] = share[:, [1, -2]], share[[1, -2]]  # a watershed leaves the frame's edge out
    whole = cv2.resize(share, half, interpolation=cv2.INTER_LINEAR)
    guide = np.sqrt(np.maximum(cv2.resize(still, half, interpolation=cv2.INTER_AREA), 0)) / np.float32(top)
    low, high = SOFT
    mask = np.clip((_guided(whole, np.minimum(guide, 2.0).astype(np.float32)) - low) / (high - low), 0, 1)
    return cv2.resize(mask, (w, h), interpolation=cv2.INTER_LINEAR)
