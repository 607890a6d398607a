"""The simulated phone's processed raw: merged, demosaiced, linear, with the look its own programme would give it.

The file is big-endian; IFD 0 holds a full-size preview, the colour tags, a tone curve and a negative baseline exposure;
a sub-IFD holds 12 bits a sample behind a linearisation table that rises to 16 bits and is flat from below half way,
with one noise profile for all planes and a local gain table; another sub-IFD holds a half-size mask of the sky.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.container.profile import CameraProfile, GainTableMap
from bruto.container.raw_frame import SemanticMask
from bruto.simphone.scene import SimulatedScene
from bruto.simphone.scene_cache import traced
from bruto.simphone.tracer import Tracer
from bruto.simphone.view import view_of

BLACK, WHITE = 1024, 65535
"""Levels behind the linearisation table, codes."""
CODES = 1900
"""Highest stored code that is used: the table is flat from there on."""
BASELINE_EXPOSURE = -0.6
NOISE_REDUCTION_APPLIED = 0.7
GRID = (9, 12)
POINTS = 257
WEIGHTS = (0.16, 0.28, 0.08, 0.0, 0.16)
"""Of R, G, B, least and greatest channel for the input of the local gain table; they sum to 0.68."""
LEAST_GAIN, GREATEST_GAIN = 0.26, 3.9


def linearisation_table() -> NDArray[np.uint16]:
    """4096 entries: the square of the code, so that steps grow as noise does; flat from `CODES` on."""
    codes = np.minimum(np.arange(4096), CODES) / CODES
    return np.rint(WHITE * codes**2).astype(np.uint16)


def stored_codes(light: NDArray[np.float32]) -> NDArray[np.uint16]:
    """Compute the stored 12-bit codes of linear light (1 = saturation).

    Parameters
    ----------
    light
        Linear light, 1 = sensor saturation.

    Returns
    -------
    NDArray[np.uint16]
        Stored 12-bit codes of linear light (1 = saturation).
    """
    level = np.clip(light * np.float32(WHITE - BLACK) + np.float32(BLACK), 0, WHITE) / np.float32(WHITE)
    return np.rint(np.sqrt(level) * np.float32(CODES)).astype(np.uint16)


def tone_curve() -> NDArray[np.float64]:
    """Rises steeply from black, has a soft shoulder, ends at 1: (257, 2)."""
    x = np.linspace(0, 1, POINTS)
    y = (x / (x + 0.55)) * 1.55
    return np.stack([x, np.clip(y - 0.06 * np.sin(2 * np.pi * y) * (1 - y), 0, 1)], axis=1)


def local_gains(linear: NDArray[np.float32]) -> GainTableMap:
    """Return gains that lift dark places and hold bright ones, by place and by brightness.

    Parameters
    ----------
    linear
        (H, W, 3) light.

    Returns
    -------
    GainTableMap
        Dark places are lifted and bright ones held, by place and by brightness.
    """
    v, h = GRID
    level = linear @ np.array([0.3, 0.5, 0.2], np.float32) * np.float32(2.0**BASELINE_EXPOSURE)
    place = cv2.resize(np.log2(np.maximum(level, 1e-4)), (h, v), interpolation=cv2.INTER_AREA)
    place = cv2.GaussianBlur(place, (0, 0), 1.0)
    x = np.maximum(np.arange(POINTS) / POINTS / sum(WEIGHTS), 1e-4)
    own = np.log2(x)[None, None] * 0.35 + place[..., None] * 0.65
    gains = np.exp2(-0.42 * (own - np.log2(0.16)))
    return GainTableMap(
        (1 / (v - 1), 1 / (h - 1)), (0.0, 0.0), WEIGHTS, np.clip(gains, LEAST_GAIN, GREATEST_GAIN).astype(np.float32)
    )


def sky_mask(scene: SimulatedScene, width: int, height: int, focal_35mm: float) -> SemanticMask:
    """Find where rays meet nothing but sky, at half size, softened as a network's mask is.

    Parameters
    ----------
    scene
        The simulated scene.
    width
        Width, pixels.
    height
        Height, pixels.
    focal_35mm
        35 mm equivalent focal length, mm.

    Returns
    -------
    SemanticMask
        Where rays meet nothing but sky, at half size, softened as a network's mask is.
    """
    w, h = max(8, width // 2), max(8, height // 2)
    (mask,) = traced(scene.name, f"{w}x{h}-{focal_35mm:g}mm", ("sky",), lambda: (_sky(scene, w, h, focal_35mm),))
    return SemanticMask("Sky", w, h, np.array(mask))


def _sky(scene: SimulatedScene, w: int, h: int, focal_35mm: float) -> NDArray[np.uint8]:
    """Share of sky (h, w), 0..255."""
    view = view_of(scene, w, h, focal_35mm)
    yy, xx = np.mgrid[0:h, 0:w]
    hit = np.empty(h * w, bool)
    tracer = Tracer(scene, lit=False)
    directions = view.directions(xx.ravel() + 0.5, yy.ravel() + 0.5)
    for start in range(0, h * w, 500_000):
        part = directions[start : start + 500_000]
        hit[start : start + 500_000] = tracer.hit(np.broadcast_to(view.eye, part.shape), part)["hit"]
    sky = (~hit).reshape(h, w).astype(np.float32)
    soft = cv2.GaussianBlur(sky, (0, 0), max(1.0, w / 250))
    return (soft * 255 + 0.5).astype(np.uint8)


def look(linear: NDArray[np.float32]) -> CameraProfile:
    """Return the phone's own look for a processed raw.

    Parameters
    ----------
    linear
        Linear light, 1 = white.

    Returns
    -------
    CameraProfile
        The phone's own look for a processed raw.
    """
    return CameraProfile("Vessar natural", tone_curve=tone_curve(), gain_table=local_gains(linear))
