"""The noise of cosine coefficients after the steps before noise reduction, measured on pure noise.

It is measured once, by `tools/noise_coefficients.py`, as it takes as long as loading all that is needed for it; whoever
changes the demosaicing or the transform measures it again, which a test demands.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.develop.demosaic import demosaic
from bruto.develop.steps.dct import SIDE

COARSE = 4
"""Reduction of the coarse picture."""
FINEST = 1.25
"""Factor on the noise of brightness at the finest two coefficients of a mosaic, where single ones that are left over
show as tiny meshes.
"""
GREEN = np.array([0.25, 0.5, 1.0, 1.0], np.float32)
EVEN = np.array([1 / 3, 1 / 3, 2 / 3, 4 / 3], np.float32)
"""Shares of red (and blue) and of green in brightness, and of the second colour difference in them again: a mosaic
knows green best; of pictures and linear raws all channels are as noisy as each other.
"""
KINDS = ("mosaic", "binned", "plain")
PLACE = "data/noise.npz"


@cache
def _kept() -> dict[str, NDArray[np.float32]]:
    with (files("bruto.develop") / PLACE).open("rb") as stream:
        found = np.load(stream)
        return {name: found[name] for name in found.files}


def coefficient_noise(kind: str, half: bool) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Standard deviation of each coefficient (3, 8, 8) of brightness and both colours for unit noise at every
    photosite, at full size and at 1 / `COARSE`; see `measured`.
    """
    kept = _kept()
    return kept[f"{kind} {half} fine"], kept[f"{kind} {half} coarse"]


def measured(kind: str, half: bool) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Standard deviation of each coefficient (3, 8, 8) of brightness and both colours for unit noise at every
    photosite, at full size and at 1 / `COARSE`.

    `half`: colours at half the size. `kind`: "mosaic" (through the demosaicing), "binned" (quads: green has half the
    variance), or "plain" (three independent channels). Measured on 512 x 512 of Gaussian noise.
    """
    random = np.random.default_rng(5)
    n = 512
    if kind == "mosaic":
        rgb = demosaic(random.standard_normal((n, n)).astype(np.float32), "RGGB")
    else:
        rgb = random.standard_normal((n, n, 3)).astype(np.float32)
        if kind == "binned":
            rgb[..., 1] *= np.float32(0.5**0.5)
    r, g, b = (rgb[..., k] for k in range(3))
    side, middle = (EVEN if kind == "plain" else GREEN)[:2]
    planes = [side * (r + b) + middle * g, (r - b) / 2, (r - 2 * g + b) / 4]
    if half:
        planes[1:] = [cv2.resize(p, (n // 2, n // 2), interpolation=cv2.INTER_AREA) for p in planes[1:]]
    coarse = [cv2.resize(p, None, fx=1 / COARSE, fy=1 / COARSE, interpolation=cv2.INTER_AREA) for p in planes]
    fine = np.stack([_spread(p, 4 if p.shape[0] == n else 2) for p in planes])
    if kind == "mosaic":
        u, v = np.mgrid[:SIDE, :SIDE]
        fine[0, np.maximum(u, v) >= SIDE - 2] *= FINEST
    return fine, np.stack([_spread(p, 1) for p in coarse])


def _spread(plane: NDArray, step: int) -> NDArray[np.float32]:
    """Root mean square of the coefficients of overlapping blocks (8, 8); symmetric, as rows are as columns."""
    from scipy.fft import dctn

    blocks = np.lib.stride_tricks.sliding_window_view(plane[SIDE:-SIDE, SIDE:-SIDE], (SIDE, SIDE))[::step, ::step]
    square = np.mean(dctn(blocks, axes=(2, 3), norm="ortho") ** 2, axis=(0, 1))
    return np.sqrt((square + square.T) / 2).astype(np.float32)
