"""Frames held by hand whose movement is known: photographs that nobody rendered, and scenes of the simulated phone.

A photograph is laid out at twice its size, so that frames between its pixels are taken without blurring it.
"""

from __future__ import annotations

import math
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.simphone.sensor_model import sensor_for
from tests.photographs import Sensor, light_of, write_photograph

SIZE = (2016, 1512)
"""Width and height of the frames, pixels."""
OVER = 2
"""Times the pixels of a frame at which its light is laid out."""
MARGIN = 64
"""Pixels of a frame about the picture that a hand may bring into it."""
PHOTOGRAPHS = ("chelsea", "coffee", "astronaut", "rocket", "stereo_motorcycle")
SHAKE_PX, TURN_DEG = 40.0, 1.5
"""The largest movement."""


def sensor_at(iso: float) -> Sensor:
    """The simulated phone's noise behind a photograph."""
    a, b = (float(v) for v in sensor_for(12).noise(iso))
    return Sensor(a, b, iso=iso)


@cache
def collage(seed: int = 1) -> NDArray[np.float32]:
    """Light (H, W, 3) of photographs side by side, with margins, `OVER` times as large as a frame."""
    w, h = ((n + 2 * MARGIN) * OVER for n in SIZE)
    out = np.zeros((h, w, 3), np.float32)
    order = np.random.default_rng(seed).permutation(len(PHOTOGRAPHS))
    y, k = 0, 0
    while y < h:
        x, tall = 0, 10**6
        while x < w:
            light = light_of(PHOTOGRAPHS[order[k % len(order)]])
            large = cv2.resize(light, None, fx=OVER, fy=OVER, interpolation=cv2.INTER_CUBIC)
            part = large[: h - y, : w - x]
            out[y : y + part.shape[0], x : x + part.shape[1]] = part
            x, tall, k = x + part.shape[1], min(tall, large.shape[0]), k + 1
        y += tall
    return np.clip(cv2.GaussianBlur(out, (0, 0), 0.45 * OVER), 0, 1)


def movement(shift: tuple[float, float], degrees: float) -> NDArray[np.float64]:
    """Matrix (2, 3) from places of the reference to those of a frame, pixels."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    cx, cy = (SIZE[0] - 1) / 2, (SIZE[1] - 1) / 2
    return np.array([[c, -s, cx - c * cx + s * cy + shift[0]], [s, c, cy - s * cx - c * cy + shift[1]]])


def shaken(seed: int, k: int, amount: float = 1.0) -> NDArray[np.float64]:
    """Movement of frame k of a burst, at most `SHAKE_PX` and `TURN_DEG`; the first one does not move."""
    if k == 0:
        return movement((0.0, 0.0), 0.0)
    random = np.random.default_rng([seed, 5, k])
    far, alternative = amount * SHAKE_PX * random.uniform(0.1, 1), random.uniform(0, 2 * math.pi)
    return movement(
        (far * math.cos(alternative), far * math.sin(alternative)), amount * TURN_DEG * random.uniform(-1, 1)
    )


def seen_from(light: NDArray[np.float32], moved: NDArray[np.float64]) -> NDArray[np.float32]:
    """Light of a frame (H, W, 3) of what is laid out `OVER` times as large, moved by a matrix (2, 3)."""
    inverse = cv2.invertAffineTransform(moved)
    turn, off = inverse[:, :2], inverse[:, 2]
    # pixel p of the frame sees the middle of its area in what is laid out
    matrix = np.column_stack([OVER * turn, OVER * (off + MARGIN + 0.5) - 0.5])
    return cv2.warpAffine(
        light, matrix, SIZE, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT
    )


def record(folder: Path, lights: list[NDArray[np.float32]], sensor: Sensor, seed: int) -> list[Path]:
    """Raws of frames."""
    folder.mkdir(parents=True, exist_ok=True)
    return [
        write_photograph(folder / f"frame-{k:02d}.dng", light, sensor, 100 * seed + k) for k, light in enumerate(lights)
    ]
