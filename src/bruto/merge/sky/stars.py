"""Stars of a frame: bright round spots above their surroundings, with their places between pixels."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

AROUND = 24
"""Pixels of the half-size plane about a place by which its surroundings are judged."""
LEAST_SNR = 7.0
"""Height of a star's peak over the noise about it."""
MOST = 900
"""Stars of a frame at most, the brightest."""
REACH = 3
"""Pixels about a peak within which its light is gathered."""


@dataclass(frozen=True)
class Spots:
    """Spots of light in a frame.

    `places` (N, 2) in pixels of the full frame, `light` (N,) above the surroundings in units of saturation times
    pixels, `long` (N,): how much longer than wide each is (1 = round).
    """

    places: NDArray[np.float64]
    light: NDArray[np.float64]
    long: NDArray[np.float64]
    size: tuple[int, int] = (0, 0)
    """Width and height of the frame."""

    def __len__(self) -> int:
        return len(self.places)


def above(plane: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Compute a plane above its surroundings, and the noise there.

    The noise is a standard deviation, from median deviations of blocks.

    Parameters
    ----------
    plane
        One colour plane (H, W).

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.float32]]
        A plane above its surroundings, and the noise there (standard deviation, from median deviations of
        blocks).
    """
    small = (max(2, plane.shape[1] // 8), max(2, plane.shape[0] // 8))
    base = cv2.resize(plane, small, interpolation=cv2.INTER_AREA)
    over = cv2.subtract(plane, cv2.resize(cv2.medianBlur(base, 3), plane.shape[1::-1], interpolation=cv2.INTER_LINEAR))
    step = np.abs(over[::3, 1::2] - over[::3, : over.shape[1] // 2 * 2 : 2])  # some of them tell it
    tall, wide = AROUND // 3, AROUND // 2
    h, w = step.shape[0] // tall, step.shape[1] // wide
    if h < 1 or w < 1:
        return over, np.full_like(over, max(float(np.median(step)) / 0.954, 1e-6))
    blocks = step[: h * tall, : w * wide].reshape(h, tall, w, wide).transpose(0, 2, 1, 3).reshape(h, w, -1)
    spread = np.partition(blocks, tall * wide // 2, axis=2)[..., tall * wide // 2] / np.float32(0.954)
    return over, cv2.resize(np.maximum(spread, np.float32(1e-6)), plane.shape[1::-1], interpolation=cv2.INTER_LINEAR)


def _peaks(
    over: NDArray[np.float32], noise: NDArray[np.float32], least: float
) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any]]:
    """Rows and columns of places higher than the 5 x 5 about them and than noise, and how high these are, smoothed."""
    soft = cv2.GaussianBlur(over, (0, 0), 0.8)
    high = cv2.compare(soft, noise * np.float32(least * 0.42), cv2.CMP_GT)
    high[:REACH] = high[-REACH:] = 0
    high[:, :REACH] = high[:, -REACH:] = 0
    found = cv2.findNonZero(high)
    if found is None:
        return np.zeros(0, int), np.zeros(0, int), np.zeros(0, np.float32)
    xs, ys = found.reshape(-1, 2).T
    own, most = soft[ys, xs], np.ones(len(xs), bool)
    for j in range(-2, 3):
        for i in range(-2, 3):
            most &= own >= soft[ys + j, xs + i]
    return ys[most], xs[most], own[most]


def find_spots(plane: NDArray[np.float32], least: float = LEAST_SNR, scale: float = 2.0) -> Spots:
    """Find the spots in a plane that is so many times smaller than the frame.

    Parameters
    ----------
    plane
        One colour plane (H, W).
    least
        Lower limit.
    scale
        Scale of the spots, pixels.

    Returns
    -------
    Spots
        Spots in a plane that is so many times smaller than the frame.
    """
    over, noise = above(plane)
    ys, xs, height = _peaks(over, noise, least)
    if len(ys) > MOST:
        keep = np.argsort(height)[::-1][:MOST]
        ys, xs = ys[keep], xs[keep]
    if not len(ys):
        return Spots(np.zeros((0, 2)), np.zeros(0), np.zeros(0))
    offsets = np.arange(-REACH, REACH + 1)
    parts = over[ys[:, None, None] + offsets[:, None], xs[:, None, None] + offsets].astype(float)
    fall = np.exp(-(offsets[:, None] ** 2 + offsets**2) / (2 * 1.6**2))
    weight = np.maximum(parts, 0) * fall
    total = np.maximum(weight.sum(axis=(1, 2)), 1e-12)
    dx, dy = (weight * offsets).sum(axis=(1, 2)) / total, (weight * offsets[:, None]).sum(axis=(1, 2)) / total
    ax, ay = offsets - dx[:, None, None], offsets[:, None] - dy[:, None, None]
    xx, yy, xy = ((weight * m).sum(axis=(1, 2)) / total for m in (ax * ax, ay * ay, ax * ay))
    middle, apart = (xx + yy) / 2, np.sqrt(((xx - yy) / 2) ** 2 + xy**2)
    long = np.sqrt((middle + apart + 0.05) / np.maximum(middle - apart + 0.05, 0.02))
    places = np.stack([scale * (xs + dx + 0.5) - 0.5, scale * (ys + dy + 0.5) - 0.5], axis=1)
    size = round(scale * plane.shape[1]), round(scale * plane.shape[0])
    return Spots(places, parts.sum(axis=(1, 2)), long, size)
