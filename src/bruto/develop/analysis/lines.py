"""How a phone was held: plumb lines in the picture say level and tilt, long level ones say level.

Line segments (von Gioi, Jakubowicz, Morel, Randall, IPOL 2, 2012) become planes through the lens; the vertical of the
scene is the direction that lies in as many of them as possible, found by consensus of pairs (Fischler, Bolles 1981) and
then by least squares (Kosecka, Zhang, "Video Compass", ECCV 2002).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

SHORTEST = 0.035
"""Least length of a line that counts, share of the picture's long edge."""
STEEP, FLAT = 24.0, 9.0
"""How far lines may lean and still be taken for plumb, or for level ones of a horizon, degrees."""
MOST_TILT = 32.0
"""Most tilt that is believed, degrees."""
AGREE = 0.6
"""How exactly a line must point along the vertical to support it, degrees."""
SURE, ENOUGH = 0.5, 1.0
"""Share of the plumb lines' length that must agree, and how long those are together, in long edges."""
LINE_ERROR = 0.4
"""Standard deviation of a line's direction about the truth, degrees (found on simulated scenes)."""
TILT_ERROR = 0.9
"""Largest standard error of a tilt that is reported, degrees: lines close together, or a long lens, tell it less
well."""
LEVEL_LENGTH = 0.6
"""Length of level lines that must agree, in long edges."""
_PAIRS = 1500


@dataclass(frozen=True)
class CameraPose:
    """How a phone was held: `roll` and `verticals` as the recipe has them, degrees.

    Verticals None where only level lines were found); `lines` that agree; `share` of the length of like lines
    that they make, 0..1.
    """

    roll: float
    verticals: float | None
    lines: int
    share: float
    level_lines: bool = False
    """Whether they are level ones."""


def find_lines(luminance: NDArray[np.float32]) -> NDArray[np.float64]:
    """Find the segments (n, 4): x0, y0, x1, y1 in pixels from the middle of a small oriented picture of light (H, w).

    Parameters
    ----------
    luminance
        Luminance (H, W), linear, 1 = white.

    Returns
    -------
    NDArray[np.float64]
        Segments (n, 4): x0, y0, x1, y1 in pixels from the middle of a small oriented picture of light (h, w).
    """
    h, w = luminance.shape
    log = np.log2(np.maximum(luminance, 1e-4))
    low, high = np.percentile(log, (1, 99))
    grey = np.clip((log - low) / max(high - low, 1e-3) * 255, 0, 255).astype(np.uint8)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(grey)[0]
    if found is None:
        return np.zeros((0, 4))
    lines = found.reshape(-1, 4).astype(float) - [(w - 1) / 2, (h - 1) / 2] * 2
    length = np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1])
    return lines[length > SHORTEST * max(h, w)]


def camera_pose(lines: NDArray[np.float64], focal: float, long_edge: float) -> CameraPose | None:
    """Find how the phone was held, from segments (see `find_lines`) of a picture of that focal length, in pixels.

    None where lines say nothing sure.

    Parameters
    ----------
    lines
        Segments (n, 4), see `find_lines`.
    focal
        Focal length, pixels.
    long_edge
        Long edge of the frame, pixels.

    Returns
    -------
    CameraPose | None
        From segments (see `find_lines`) of a picture with a focal length and long edge in its pixels.
    """
    if not len(lines):
        return None
    dx, dy = lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]
    length = np.hypot(dx, dy) / long_edge
    steep = np.abs(np.degrees(np.arctan2(dx, dy * np.sign(dy + 1e-12)))) < STEEP
    plumb = _plumb(lines[steep], length[steep], focal)
    if plumb is not None:
        return plumb
    lean = np.degrees(np.arctan2(dy * np.sign(dx + 1e-12), np.abs(dx)))
    return _level(lean[np.abs(lean) < FLAT], length[np.abs(lean) < FLAT])


def facade_turn(lines: NDArray[np.float64], focal: float, long_edge: float) -> float | None:
    """Find how far the phone looked to the right of a facade, degrees, from its level lines.

    The lines (see `camera_pose`) meet where the facade goes on; None where they do not say.

    Parameters
    ----------
    lines
        Segments (n, 4), see `find_lines`.
    focal
        Focal length, pixels.
    long_edge
        Long edge of the frame, pixels.

    Returns
    -------
    float | None
        How far the phone looked to the right of a facade, degrees, from its level lines (see `camera_pose`),
        which meet where it goes on.
    """
    if not len(lines):
        return None
    across = lines[:, [1, 0, 3, 2]]  # what is level is plumb in the picture turned over its diagonal
    dx, dy = across[:, 2] - across[:, 0], across[:, 3] - across[:, 1]
    flat = np.abs(np.degrees(np.arctan2(dx, dy * np.sign(dy + 1e-12)))) < STEEP
    length = np.hypot(dx, dy) / long_edge
    found = _plumb(across[flat], length[flat], focal)
    return None if found is None or found.verticals is None else -found.verticals


def _plumb(lines: NDArray[Any], length: NDArray[Any], focal: float) -> CameraPose | None:
    """Return the vertical from lines near it."""
    if len(lines) < 4 or length.sum() < ENOUGH:
        return None
    ends = [np.c_[lines[:, k : k + 2], np.full(len(lines), focal)] for k in (0, 2)]
    planes = np.cross(ends[0], ends[1])
    planes /= np.linalg.norm(planes, axis=1, keepdims=True)
    random = np.random.default_rng(0)
    chance = length / length.sum()
    pairs = random.choice(len(lines), (_PAIRS, 2), p=chance)
    found = np.cross(planes[pairs[:, 0]], planes[pairs[:, 1]])
    size = np.linalg.norm(found, axis=1)
    found = found[size > 0.01] / size[size > 0.01, None]
    found *= np.sign(found[:, 1:2] + 1e-12)  # downwards
    found = found[found[:, 1] > math.cos(math.radians(MOST_TILT + 8))]
    # lines side by side tell the direction only roughly: the plain answer, a phone held straight, is tried too
    found = np.concatenate([found, [[0.0, 1.0, 0.0]]])
    support = (np.abs(found @ planes.T) < math.sin(math.radians(AGREE))) @ length
    best = found[int(np.argmax(support))]
    for width in (2.0, 1.5, 1.0):
        near = np.abs(planes @ best) < math.sin(math.radians(AGREE * width))
        if near.sum() < 3:
            return None
        weighted = planes[near] * length[near, None]
        best = np.linalg.svd(weighted, full_matrices=False)[2][-1]
        best = best * np.sign(best[1] + 1e-12)
    near = np.abs(planes @ best) < math.sin(math.radians(AGREE))
    share = float(length[near].sum() / length.sum())
    tilt = math.degrees(math.asin(float(np.clip(-best[2], -1, 1))))
    roll = math.degrees(math.atan2(best[0], best[1]))
    if near.sum() < 6 or share < SURE or length[near].sum() < ENOUGH or abs(tilt) > MOST_TILT:
        return None
    across = planes[near, 2] - np.average(planes[near, 2], weights=length[near])
    if LINE_ERROR / math.sqrt(float((across**2).sum()) + 1e-12) > TILT_ERROR:
        return CameraPose(roll, None, int(near.sum()), share)
    return CameraPose(roll, tilt, int(near.sum()), share)


def _level(lean: NDArray[Any], length: NDArray[Any]) -> CameraPose | None:
    """Level from long lines near the horizontal, such as a horizon; the densest lean."""
    if not len(lean):
        return None
    at = np.arange(-FLAT, FLAT + 0.01, 0.05)
    density = (np.exp(-(((at[:, None] - lean[None]) / 0.35) ** 2) / 2) * length[None]).sum(axis=1)
    peak = at[int(np.argmax(density))]
    near = np.abs(lean - peak) < 0.7
    share = float(length[near].sum() / length.sum())
    if length[near].sum() < LEVEL_LENGTH or share < 0.6 or length[near].max() < 0.2:
        return None
    return CameraPose(-float(np.average(lean[near], weights=length[near])), None, int(near.sum()), share, True)
