"""The light of the night sky itself: towns, the moon and airglow make it lighter towards one side, and greener."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr

BLOCK = 32
"""Pixels a side of the blocks by which the sky's light is determined."""
LEAST_SKY = 0.9
"""Share of sky from which a place counts."""
LEAST_BLOCKS = 30
DEGREE = 3
"""Degree of the surface that is laid through the blocks."""


@dataclass(frozen=True)
class SkyLight:
    """`surface` (3, h, w): light of the sky at blocks of `BLOCK` pixels, smooth; `darkest` (3,): where it is least."""

    surface: NDArray[np.float32]
    darkest: NDArray[np.float32]
    ev: float
    """How much lighter its lightest part is than its darkest, EV."""
    green: float
    """How much greener, percent."""

    def description(self) -> str:
        """Say what was measured, in a sentence; "" where it is even."""
        if self.ev < 0.15:
            return ""
        green = tr(", and {green:.0f} % greener", green=self.green) if self.green >= 5 else ""
        return tr(
            "The sky is {ev:.1f} EV brighter on its brightest side than on its darkest{green}.", ev=self.ev, green=green
        )

    def over(self, h: int, w: int) -> NDArray[np.float32]:
        """Find what lies above the darkest light at each place (3, H, W).

        Parameters
        ----------
        h
            Height, pixels.
        w
            Width, pixels.

        Returns
        -------
        NDArray[np.float32]
            What lies above the darkest light at each place (3, H, W).
        """
        extra = np.maximum(self.surface - self.darkest[:, None, None], 0)
        return np.stack([cv2.resize(p, (w, h), interpolation=cv2.INTER_CUBIC) for p in extra])


def _terms(u: NDArray[Any], v: NDArray[Any]) -> NDArray[np.float64]:
    return np.stack([u**i * v**j for i in range(DEGREE + 1) for j in range(DEGREE + 1 - i)], axis=-1)


def sky_light(light: NDArray[np.float32], mask: NDArray[np.float32], neutral: NDArray[np.float64]) -> SkyLight | None:
    """Return the sky's own light in planes (3, H, W); None where there is too little sky.

    A surface of the third degree through medians of blocks of sky (`mask`, (H, W)); outliers are left out.

    Parameters
    ----------
    light
        Linear light, 1 = sensor saturation.
    mask
        Mask (H, W).
    neutral
        Camera neutral, green = 1.

    Returns
    -------
    SkyLight | None
        The sky's own light in planes (3, H, W), by the middle values of blocks of sky (`mask` (H, W)), through
        which a surface of the third degree is laid, what lies far from it left out.
    """
    _, h, w = light.shape
    rows, columns = h // BLOCK, w // BLOCK
    if rows < 4 or columns < 4:
        return None

    def blocks(plane: NDArray[Any]) -> NDArray[Any]:
        some = plane[: rows * BLOCK, : columns * BLOCK].reshape(rows, BLOCK, columns, BLOCK)[:, ::3, :, ::3]
        return some.transpose(0, 2, 1, 3).reshape(rows, columns, -1)

    good = blocks(mask).min(axis=2) > LEAST_SKY
    if good.sum() < LEAST_BLOCKS:
        return None
    v, u = np.meshgrid(np.linspace(-1, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    terms = _terms(u, v)
    surfaces = []
    for c in range(3):
        value = np.median(blocks(light[c]), axis=2).astype(float)
        keep = good.copy()
        for _ in range(4):
            found = np.linalg.lstsq(terms[keep], value[keep], rcond=None)[0]
            left = value - terms @ found
            spread = 1.4826 * float(np.median(np.abs(left[keep])))
            keep = good & (np.abs(left) < 3 * max(spread, 1e-9))
        surfaces.append(terms @ found)
    surface = np.stack(surfaces)
    balanced = surface / neutral[:, None, None]
    seen = balanced[:, good]
    brightness = np.maximum(seen.mean(axis=0), 1e-9)
    dark, bright = np.percentile(brightness, [3, 97])
    green = np.maximum(seen[1], 1e-9) / np.maximum((seen[0] + seen[2]) / 2, 1e-9)
    lightest = float(np.median(green[brightness >= bright]) / np.median(green[brightness <= dark]))
    outside = ~good
    surface[:, outside] = np.minimum(surface[:, outside], surface[:, good].max(axis=1, keepdims=True))
    darkest = np.percentile(surface[:, good], 3, axis=1).astype(np.float32)
    return SkyLight(
        surface.astype(np.float32), darkest, float(np.log2(bright / dark)), 100 * (lightest - 1),
    )  # fmt: skip
