"""What happens to light before the sensor: blur of the hand and of focus, a smeared lens, light that leaks in."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

TRACE_VERSION = 4
"""Raised whenever scenes, textures or the tracer change, so that cached light is traced again."""


@dataclass(frozen=True)
class Mishap:
    """`motion_px` along `motion_deg` (0 = to the right, counter-clockwise) during the exposure."""

    motion_px: float = 0.0
    motion_deg: float = 0.0
    defocus_px: float = 0.0
    """Standard deviation of a blur by focus."""
    smear: float = 0.0
    """Share of light that a smeared lens spreads."""
    leak: float = 0.0
    """Light from the left edge, in units of the picture's mean."""


def motion_kernel(length: float, degrees: float) -> NDArray[np.float32]:
    """Compute a line of a length in pixels, of even weight, drawn with sub-pixel accuracy.

    Parameters
    ----------
    length
        Length.
    degrees
        Direction, degrees.

    Returns
    -------
    NDArray[np.float32]
        A line of a length in pixels, of even weight, drawn with sub-pixel accuracy.
    """
    size = 2 * int(np.ceil(length / 2 + 1)) + 1
    middle = size // 2
    kernel = np.zeros((size, size), np.float32)
    dx, dy = np.cos(np.radians(degrees)), -np.sin(np.radians(degrees))
    for t in (np.arange(400) + 0.5) / 400 - 0.5:
        x, y = middle + t * length * dx, middle + t * length * dy
        ix, iy = int(np.floor(x)), int(np.floor(y))
        fx, fy = x - ix, y - iy
        kernel[iy, ix] += (1 - fx) * (1 - fy)
        kernel[iy, ix + 1] += fx * (1 - fy)
        kernel[iy + 1, ix] += (1 - fx) * fy
        kernel[iy + 1, ix + 1] += fx * fy
    return kernel / kernel.sum()


def mishandled(image: NDArray[np.float32], mishap: Mishap) -> NDArray[np.float32]:
    """Compute the light (H, W, 3) as it reaches the sensor after a mishap.

    Parameters
    ----------
    image
        Image (H, W, 3), linear.
    mishap
        What goes wrong in the capture.

    Returns
    -------
    NDArray[np.float32]
        Light (H, W, 3) as it reaches the sensor after a mishap.
    """
    if mishap.motion_px > 0:
        image = cv2.filter2D(
            image, -1, motion_kernel(mishap.motion_px, mishap.motion_deg), borderType=cv2.BORDER_REPLICATE
        )
    if mishap.defocus_px > 0:
        image = cv2.GaussianBlur(image, (0, 0), mishap.defocus_px)
    if mishap.smear > 0:
        h, w = image.shape[:2]
        small = cv2.resize(image, (max(8, w // 16), max(8, h // 16)), interpolation=cv2.INTER_AREA)
        glow = 0.6 * cv2.GaussianBlur(small, (0, 0), small.shape[1] / 60) + 0.4 * cv2.GaussianBlur(
            small, (0, 0), small.shape[1] / 8
        )
        image = (1 - mishap.smear) * image + mishap.smear * cv2.resize(glow, (w, h), interpolation=cv2.INTER_LINEAR)
    if mishap.leak > 0:
        w = image.shape[1]
        fall = np.exp(-np.arange(w, dtype=np.float32) / (0.08 * w))[None, :, None]
        image = image + mishap.leak * image.mean() * fall * np.array([1.0, 0.8, 0.7], np.float32)
    return image.astype(np.float32)
