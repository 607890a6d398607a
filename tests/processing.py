"""Finished pictures of photographs, by a processing that is neither the simulated phone's nor the develop steps'."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import encode_srgb


@dataclass(frozen=True)
class Processing:
    """`lift`: gain of light, EV; `compress`: how far the base of light is pressed towards grey; `slope`: of an S-curve
    in the middle; `color`: gain of colour differences; `warm`: gain of red over blue; `sharp`: of an unsharp mask;
    `smear`: range of a bilateral filter in codes, 0: none; `crop`, `turn` (degrees), `barrel`: its frame.
    """

    lift: float = 0.3
    compress: float = 0.25
    slope: float = 1.15
    color: float = 1.25
    warm: float = 1.0
    sharp: float = 0.8
    smear: float = 12.0
    crop: float = 0.98
    turn: float = 0.3
    barrel: float = 0.004


def finished(light: NDArray[np.float32], how: Processing) -> NDArray[np.uint8]:
    """The picture (H, W, 3; sRGB codes) that such a phone makes of linear sRGB light, white = 1."""
    rgb = light * np.float32(2.0**how.lift)
    rgb = rgb * np.array([how.warm**0.5, 1.0, how.warm**-0.5], np.float32)
    grey = np.maximum(rgb @ np.array([0.2126, 0.7152, 0.0722], np.float32), 1e-4)
    log = np.log(grey)
    base = cv2.bilateralFilter(cv2.GaussianBlur(log, (0, 0), 2.0), 9, 0.8, 8.0)
    rgb = rgb * np.exp(how.compress * (np.log(np.float32(0.2)) - base))[..., None]
    rgb = 1 - np.exp(-1.25 * np.maximum(rgb, 0))  # a shoulder of each channel
    code = encode_srgb(np.clip(rgb, 0, 1)).astype(np.float32)
    code = 0.5 + 0.5 * np.tanh(how.slope * 1.6 * (code - 0.5)) / np.tanh(0.8 * how.slope)
    mean = code.mean(axis=2, keepdims=True)
    code = (np.clip(mean + how.color * (code - mean), 0, 1) * 255).astype(np.float32)
    if how.smear:
        code = cv2.bilateralFilter(code, 7, how.smear, 2.0)
    code = code + how.sharp * (code - cv2.GaussianBlur(code, (0, 0), 1.3))
    h, w = code.shape[:2]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    dx, dy = (x - (w - 1) / 2) * how.crop, (y - (h - 1) / 2) * how.crop
    c, s = np.cos(np.radians(how.turn)), np.sin(np.radians(how.turn))
    dx, dy = c * dx - s * dy, s * dx + c * dy
    factor = 1 + how.barrel * (dx**2 + dy**2) / ((w / 2) ** 2 + (h / 2) ** 2)
    mx, my = (dx * factor + (w - 1) / 2).astype(np.float32), (dy * factor + (h - 1) / 2).astype(np.float32)
    moved = cv2.remap(np.clip(code, 0, 255).astype(np.float32), mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return (np.clip(moved, 0, 255) + 0.5).astype(np.uint8)
