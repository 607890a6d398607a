"""The simulated phone's own finished picture: everything users complain about, done on purpose.

Strong noise reduction that smears texture, sharpening with halos, lifted shadows and pulled highlights, saturated
colour, 8 bits, a slight crop and a distortion of its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Style:
    """How a phone renders:."""

    dark: float
    """Share of the stops below and above grey that the base of light keeps."""
    bright: float
    """Share of the stops below and above grey that the base of light keeps."""
    contrast: float
    """Of an S-curve of codes."""
    color: float
    """Gain of colour differences."""
    warm: float
    """Gain of red over blue."""
    halo: float
    """Of the unsharp mask, whose radius is `radius` px of 12 MP."""
    radius: float


STYLES = {
    "crisp": Style(0.66, 0.60, 0.055, 1.32, 1.0, 1.15, 1.7),
    "soft": Style(0.80, 0.72, 0.025, 1.12, 1.06, 0.45, 1.3),
    "bold": Style(0.55, 0.52, 0.085, 1.52, 0.97, 1.70, 2.2),
}
"""Renderings of the simulated phone: crisp and colourful as it comes, soft and warm, or bold with strong halos."""
MERGED = ((3200.0, 15), (1600.0, 8), (400.0, 4))
"""From which ISO on how many frames are merged for the finished picture."""
CROP = 0.985
"""Share of the width that the finished picture keeps."""
DISTORTION = 0.004
"""Radial distortion left in the finished picture: r' = r (1 + k r^2), r = 1 at the corner."""
COLOR_PART = 4
"""How many times smaller the colour is when it is smoothed."""
SRGB_FROM_XYZ_D50 = np.array(
    [[3.1338561, -1.6168667, -0.4906146], [-0.9787684, 1.9161415, 0.0334540], [0.0719453, -0.2289914, 1.4052427]]
)
"""XYZ (D50, Bradford-adapted) to linear sRGB (Lindbloom)."""


def phone_map(width: int, height: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Find where each pixel of the finished picture lies in the raw's default crop (pixel positions for `cv2.remap`).

    Parameters
    ----------
    width
        Width, pixels.
    height
        Height, pixels.

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.float32]]
        Where each pixel of the finished picture lies in the raw's default crop (pixel positions for
        `cv2.remap`).
    """
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    cx, cy = (width - 1) / 2, (height - 1) / 2
    dx, dy = (x - cx) * CROP, (y - cy) * CROP
    r2 = (dx**2 + dy**2) / (cx**2 + cy**2)
    factor = 1 + DISTORTION * r2
    return (cx + dx * factor).astype(np.float32), (cy + dy * factor).astype(np.float32)


def _base(log: NDArray[np.float32], radius: int, strength: float) -> NDArray[np.float32]:
    """Self-guided filter (He, Sun, Tang 2013)."""
    size = (2 * radius + 1, 2 * radius + 1)
    mean = cv2.blur(log, size)
    variance = cv2.blur(log * log, size) - mean * mean
    a = variance / (variance + strength)
    return cv2.blur(a, size) * log + cv2.blur((1 - a) * mean, size)


def _smeared(rgb: NDArray[np.float32], a: float, b: float) -> NDArray[np.float32]:
    """Strong noise reduction that takes fine texture with it; `a`, `b`: variance a x + b of `rgb`.

    In a domain where noise is 1 everywhere (generalised Anscombe) brightness goes through a bilateral filter and then,
    at half size, through another one that takes the specks which the first one left; colour goes through one at a
    quarter of the size, which leaves soft-edged blotches.
    """
    offset = 0.375 * a * a + b
    stable = (2 / a) * np.sqrt(np.maximum(a * rgb + offset, 0))
    ycc = cv2.cvtColor(stable.astype(np.float32), cv2.COLOR_RGB2YCrCb)
    grey = cv2.bilateralFilter(ycc[..., 0], 7, 3.2, 2.2)
    grey = cv2.bilateralFilter(grey, 7, 1.6, 2.2)
    h, w = grey.shape
    half = cv2.resize(grey, (max(8, w // 2), max(8, h // 2)), interpolation=cv2.INTER_AREA)
    specks = half - cv2.bilateralFilter(cv2.medianBlur(half, 3), 7, 1.2, 2.0)
    limit = np.float32(1.0)  # what is weaker than the noise is one; edges stay
    grey = grey - cv2.resize(np.clip(specks, -limit, limit), (w, h), interpolation=cv2.INTER_LINEAR)
    ycc[..., 0] = 0.94 * grey + 0.06 * ycc[..., 0]
    part = COLOR_PART
    small = cv2.resize(ycc, (max(8, w // part), max(8, h // part)), interpolation=cv2.INTER_AREA)
    for k in (1, 2):
        color = cv2.bilateralFilter(cv2.medianBlur(np.ascontiguousarray(small[..., k]), 3), 7, 2.0, 2.5)
        ycc[..., k] = cv2.resize(color, (w, h), interpolation=cv2.INTER_CUBIC)
    stable = np.maximum(cv2.cvtColor(ycc, cv2.COLOR_YCrCb2RGB), 0)
    return np.maximum(stable * stable * (a / 4) - offset / a, 0)


def finish(
    linear: NDArray[np.float32],
    balance: NDArray[Any],
    forward: NDArray[Any],
    noise: tuple[float, float],
    brighten: float,
    style: Style = STYLES["crisp"],
) -> NDArray[np.uint8]:
    """Compute the finished picture (H, W, 3) uint8 sRGB.

    Parameters
    ----------
    linear
        Demosaiced camera RGB, 1.0 = saturation.
    balance
        Gains that make white neutral.
    forward
        Balanced camera to XYZ of D50.
    noise
        A, b.
    brighten
        Gain before tone.
    style
        How it is rendered.

    Returns
    -------
    NDArray[np.uint8]
        Finished picture (H, W, 3) uint8 sRGB.
    """
    h, w = linear.shape[:2]
    scale = w / 4032
    rgb = np.minimum(linear * balance.astype(np.float32), 1.0)  # channels clip where white does
    rgb = rgb @ (SRGB_FROM_XYZ_D50 @ forward).T.astype(np.float32)
    rgb *= np.array([style.warm**0.5, 1.0, style.warm**-0.5], np.float32)
    np.maximum(rgb, 0, out=rgb)
    rgb *= brighten
    rgb = _smeared(rgb, noise[0] * brighten * 1.4, noise[1] * (brighten * 1.4) ** 2)
    # local tone: compress the base of log luminance towards grey
    luma = rgb @ np.array([0.2126, 0.7152, 0.0722], np.float32) + 1e-5
    log = np.log2(luma / 0.18).astype(np.float32)
    small = cv2.resize(log, (max(16, w // 4), max(16, h // 4)), interpolation=cv2.INTER_AREA)
    base = cv2.resize(_base(small, max(4, w // 90), 0.35), (w, h), interpolation=cv2.INTER_LINEAR)
    target = np.where(base < 0, style.dark * base, style.bright * base)
    gain = np.exp2(target - base + 0.25 + 0.12 * (log - base))
    rgb *= gain[..., None]
    # shoulder, contrast, encoding
    rgb = rgb / (1 + rgb) * (1 + rgb / 1.35**2)
    rgb = np.clip(rgb, 0, 1)
    code = np.where(rgb <= 0.0031308, 12.92 * rgb, 1.055 * rgb ** (1 / 2.4) - 0.055).astype(np.float32)
    code = code + style.contrast * np.sin(2 * np.pi * (code - 0.5))
    grey = code @ np.array([0.299, 0.587, 0.114], np.float32)
    code = grey[..., None] + (code - grey[..., None]) * style.color
    # halos
    radius = max(0.8, style.radius * scale)
    detail = grey - cv2.GaussianBlur(grey, (0, 0), radius)
    code += (style.halo * detail)[..., None]
    mx, my = phone_map(w, h)
    code = cv2.remap(np.clip(code, 0, 1).astype(np.float32), mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return (np.clip(code, 0, 1) * 255 + 0.5).astype(np.uint8)
