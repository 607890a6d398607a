"""Light that is not the scene's: a veil of a smeared lens, a leak at an edge, sites that are hot."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.sensor.noise import Blocks

STRONG_LIGHT = 2.5
"""Glow of the brightest place over the picture's middle from which a veil can be judged."""
VEIL_COUNTS, HARD_FLOOR = 0.075, 2.5
"""Share of the glow that even the darkest places hold, and how close the dark places lie together, from which a smear
is suspected (clean scenes with a light in them hold 0.01 to 0.06).
"""
LEAK_RATIO, LEAK_SECONDS = 2.2, 0.2
"""Rise of the dark places towards one edge, and the exposure from which a leak is looked for."""
HOT_SIGMAS, HOT_LEAST = 10.0, 0.02


@dataclass(frozen=True)
class VeilingGlare:
    """Light that the lens spreads over the picture."""

    at_most: float | None
    """Share of the light that can be spread over the picture (0..1), or None where no strong light shows it."""
    smeared: bool
    """A smear is suspected."""
    leak: str
    """The edge ("left", "right", "top", "bottom") where light may leak in, or ""."""


def _green(blocks: list[Blocks]) -> NDArray[np.float32]:
    parts = [b.mean for b in blocks if b.channel == 1]
    return np.maximum(np.mean(parts, axis=0), 0).astype(np.float32)


def find_glare(blocks: list[Blocks], shading: NDArray[np.float32], exposure_s: float | None) -> VeilingGlare:
    """Judge from block means; Whatever share s of the light a smeared lens spreads.

    No place is darker than s times the glow of its surroundings: the darkest places bound s from above, and where
    many lie at that bound, it is likely met.

    Parameters
    ----------
    blocks
        Block statistics of each colour plane.
    shading
        The gain that lens shading needs, any small grid.
    exposure_s
        Exposure time, seconds.

    Returns
    -------
    VeilingGlare
        See `VeilingGlare`.
    """
    green = _green(blocks)
    h, w = green.shape
    if h < 24 or w < 32:
        return VeilingGlare(None, False, "")
    green = green * cv2.resize(shading, (w, h), interpolation=cv2.INTER_LINEAR)
    small = cv2.resize(green, (96, 72), interpolation=cv2.INTER_AREA)
    glow = cv2.GaussianBlur(small, (0, 0), 96 / 8)
    wide = cv2.resize(glow, (w, h), interpolation=cv2.INTER_LINEAR)
    ratio = green / np.maximum(wide, 1e-6)
    floor, tenth = (float(v) for v in np.percentile(ratio, (0.1, 3)))
    strong = float(glow.max() / max(float(np.median(glow)), 1e-6)) > STRONG_LIGHT
    smeared = strong and floor > VEIL_COUNTS and tenth / max(floor, 1e-6) < HARD_FLOOR
    return VeilingGlare(floor if strong else None, smeared, _leak(small) if (exposure_s or 0) >= LEAK_SECONDS else "")


def _leak(small: NDArray[np.float32]) -> str:
    """Return the one edge towards which even dark places rise, or ""."""
    columns, rows = np.percentile(small, 10, axis=0), np.percentile(small, 10, axis=1)
    rises = {}
    for name, line in (("left", columns), ("right", columns[::-1]), ("top", rows), ("bottom", rows[::-1])):
        n = len(line)
        rises[name] = float(np.median(line[: n // 32]) / max(float(np.median(line[n // 8 : n // 4])), 1e-6))
    name = max(rises, key=lambda k: rises[k])
    second = sorted(rises.values())[-2]
    return name if rises[name] > LEAK_RATIO and second < 0.7 * rises[name] else ""


def hot_sites(blocks: list[Blocks], noise: NDArray[np.float64]) -> int:
    """Compute the number of blocks with a site that rises over all its neighbours by ten times the noise.

    It must rise by more than light behind a lens can, too.

    Parameters
    ----------
    blocks
        Block statistics of each colour plane.
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.

    Returns
    -------
    int
        Number of blocks with a site that rises over all its neighbours by ten times the noise and more than
        light behind a lens can.
    """
    total = 0
    for b in blocks:
        sigma = np.sqrt(np.maximum(noise[b.channel, 0] * np.maximum(b.mean, 0) + noise[b.channel, 1], 1e-12))
        total += int((b.spike > np.maximum(np.maximum(HOT_SIGMAS * sigma, HOT_LEAST), 0.8 * b.mean)).sum())
    return total
