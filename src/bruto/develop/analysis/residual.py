"""What noise reduction takes out, looked at: it should be noise, as strong on detail as on plain surfaces.

Where the picture is full of detail a good filter takes out less than where there is none. When it takes out more
there, detail goes with the noise.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.develop.pipeline import Developer
from bruto.develop.raw_stages import run_raw_step
from bruto.develop.recipe import Recipe
from bruto.develop.rectangle import Rectangle
from bruto.develop.sensor_image import GRID
from bruto.develop.steps.step_order import NOISE_REDUCTION

PIECES, SIDE = 4, 320
"""Pieces that are looked at, those with most detail, and their side, pixels."""
_BLOCK = 16
_FINE, _COARSE = 1.5, 2.0
"""Standard deviations of the blurs that fine detail, and fine residual, are separated by, pixels."""


def detailed_pieces(developer: Developer) -> list[Rectangle]:
    """Return the places of the frame with most detail, not clipped and not black; none in a frame too small for one.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    list[Rectangle]
        Places of the frame with most detail, not clipped and not black.
    """
    if min(developer.source.size) < 2 * GRID:
        return []
    factor = 4
    light = np.sqrt(np.maximum(developer.level(factor)[..., 1], 0))
    w, h = developer.source.size
    side = min(SIDE, w // GRID * GRID, h // GRID * GRID)
    rise = np.abs(cv2.Laplacian(light, cv2.CV_32F))
    rise[(light > 0.9) | (light < 0.05)] = 0
    step = max(1, side // factor)
    energy = cv2.blur(rise, (step, step))
    found: list[Rectangle] = []
    for _ in range(PIECES):
        y, x = np.unravel_index(int(energy.argmax()), energy.shape)
        left = min(max(0, int(x) * factor - side // 2), w - side) // GRID * GRID
        top = min(max(0, int(y) * factor - side // 2), h - side) // GRID * GRID
        found.append(Rectangle(left, top, side, side))
        energy[max(0, y - step) : y + step + 1, max(0, x - step) : x + step + 1] = -1
        if energy.max() <= 0:
            break
    return found


class Residual:
    """Pieces of a frame, and what noise reduction of a strength takes out of them."""

    def __init__(self, developer: Developer) -> None:
        self.developer = developer
        self.pieces = [(rect, *developer.piece(rect)) for rect in detailed_pieces(developer)]

    def _stable(self, rgb: NDArray[np.float32]) -> NDArray[np.float32]:
        """Green with noise of a standard deviation of 1 at any light."""
        a, b = self.developer.noise[1]
        return np.asarray(2 / a * np.sqrt(np.maximum(a * rgb[..., 1] + 0.375 * a * a + b, 0)), np.float32)

    def on_detail(self, strength: float, color: float) -> float:
        """Find how much stronger the residual is on detail than on plain surfaces (variance), 1.

        As strong, also where there is nothing to tell by.

        Parameters
        ----------
        strength
            Brightness noise reduction, times the noise measured.
        color
            Amount of chroma noise reduction.

        Returns
        -------
        float
            How much stronger the residual is on detail than on plain surfaces (variance), 1.
        """
        if not self.pieces:
            return 1.0
        recipe = Recipe(luminance_noise=strength, chroma_noise=color)
        taken: list[NDArray[Any]] = []
        detail: list[NDArray[Any]] = []
        for rect, rgb, dx, dy in self.pieces:
            clean = self._stable(
                run_raw_step(
                    self.developer, NOISE_REDUCTION, rgb, recipe, self.developer.place_of(rgb, rect, (dx, dy)), False
                )
            )
            rest = self._stable(rgb) - clean
            rest -= cv2.GaussianBlur(rest, (0, 0), _COARSE)
            fine = clean - cv2.GaussianBlur(clean, (0, 0), _FINE)
            inner = (slice(dy, dy + rect.height), slice(dx, dx + rect.width))
            for plane, into in ((rest[inner], taken), (fine[inner], detail)):
                n = rect.width // _BLOCK
                square = plane[: n * _BLOCK, : n * _BLOCK] ** 2
                into.append(square.reshape(n, _BLOCK, n, _BLOCK).mean(axis=(1, 3)).ravel())
        order = np.argsort(np.concatenate(detail))
        energy = np.concatenate(taken)[order]
        n = len(order)
        plain = float(np.median(energy[: n * 4 // 10]))
        return max(float(np.median(part)) for part in (energy[n * 4 // 10 : n * 8 // 10], energy[n * 8 // 10 :])) / max(
            plain, 1e-9
        )
