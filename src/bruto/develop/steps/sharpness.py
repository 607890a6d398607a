"""Sharpness: taking back the lens blur, gated by noise; negative values soften.

Two rounds of Van Cittert's iteration (1931) with a Gaussian of the measured blur, on the square root of brightness. The
gate is the local detail energy against the noise left there; the result is held within the range of the neighbourhood
plus a small share, which limits halos.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.buffer_pool import empty
from bruto.develop.demosaic import mirrored
from bruto.develop.recipe import Recipe
from bruto.develop.rgb_rows import lines
from bruto.develop.steps.noise_step import noise_left
from bruto.develop.steps.step import RawPosition, RawStep, RecordedImage

REACH = 25
HALO_SHARE = 0.12
"""How far a sharpened value may leave its neighbourhood's range, as a share of that range."""
STEEP_SHARE = 2.16
"""The same below the darker side of an edge, as a share of its root of light, times the square of that over the lighter
side's: at edges of more than three stops, beside windows and lamps, a line as dark as the halo's share would be black.
"""
_ROWS, _COLUMNS = 64, 512
"""Size of a tile."""
SMALLEST_RADIUS = 0.35
"""Below this radius (in pixels of the view) there is nothing to take back."""


@njit(inline="always")
def _blurred_row(source, kernel, margin, line):
    """Return a row weighted by a symmetric kernel (half + 1,), but for `margin` values at each end.

    Loops run over slices from 0 on: an index that might be negative would keep them out of the vector registers.
    """
    n = len(line) - 2 * margin
    to, middle, k0 = line[margin : margin + n], source[margin : margin + n], kernel[0]
    for x in range(n):
        to[x] = k0 * middle[x]
    for t in range(1, len(kernel)):
        k, a, b = kernel[t], source[margin - t : margin - t + n], source[margin + t : margin + t + n]
        for x in range(n):
            to[x] += k * (a[x] + b[x])


@njit(inline="always")
def _blurred(image, kernel, low, high, margin, passing, out):
    """Rows `low` to `high` of an image blurred both ways; `passing`: a buffer of the same size."""
    half = len(kernel) - 1
    for y in range(low - half, high + half):
        _blurred_row(image[y], kernel, margin, passing[y])
    n = image.shape[1] - 2 * margin
    for y in range(low, high):
        to, middle, k0 = out[y, margin : margin + n], passing[y, margin : margin + n], kernel[0]
        for x in range(n):
            to[x] = k0 * middle[x]
        for t in range(1, half + 1):
            k, a, b = kernel[t], passing[y - t, margin : margin + n], passing[y + t, margin : margin + n]
            for x in range(n):
                to[x] += k * (a[x] + b[x])


@njit(inline="always")
def _root_row(row, line):
    """Square root of brightness of a line of RGB."""
    for x in range(len(line)):
        light = np.float32(0.25) * (row[3 * x] + row[3 * x + 1] + row[3 * x + 1] + row[3 * x + 2])
        line[x] = math.sqrt(max(light, np.float32(0)) + np.float32(1e-6))


@njit(inline="always")
def _limits_row(above, here, below, low, high, least, most):
    """Least and most of 3 x 3 values around each of a row but its ends, which are left out of `least` and `most`."""
    for x in range(len(here)):
        low[x] = min(above[x], here[x], below[x])
    for x in range(len(here)):
        high[x] = max(above[x], here[x], below[x])
    n = len(least)
    a, b, c = low[:n], low[1 : n + 1], low[2 : n + 2]
    for x in range(n):
        least[x] = min(a[x], b[x], c[x])
    a, b, c = high[:n], high[1 : n + 1], high[2 : n + 2]
    for x in range(n):
        most[x] = max(a[x], b[x], c[x])


@njit(inline="always")
def _around_row(image, y, begin, n, high, around):
    """Most of 5 x 5 values around each of n of a row."""
    a, b, c = image[y - 2, begin - 2 :], image[y - 1, begin - 2 :], image[y, begin - 2 :]
    d, e = image[y + 1, begin - 2 :], image[y + 2, begin - 2 :]
    for x in range(n + 4):
        high[x] = max(max(max(a[x], b[x]), max(c[x], d[x])), e[x])
    a, b, c, d, e = high[:n], high[1 : n + 1], high[2 : n + 2], high[3 : n + 3], high[4 : n + 4]
    for x in range(n):
        around[x] = max(max(max(a[x], b[x]), max(c[x], d[x])), e[x])


@njit(inline="always")
def _gain_row(root, first, blur, least, most, around, amount, noise2, gain):
    """Gain of light: deconvolved, gated by noise, held near the range of the neighbourhood."""
    for x in range(len(gain)):
        old = root[x]
        d = first[x] - blur[x]  # first + root - blur of first, less root
        span = most[x] - least[x]
        new = old + amount * d * (span * span / (span * span + noise2))
        halo = np.float32(HALO_SHARE) * span
        dim = least[x] / around[x]
        below = min(halo, np.float32(STEEP_SHARE) * least[x] * dim * dim)
        new = max(min(max(new, least[x] - below), most[x] + halo), np.float32(0))
        gain[x] = new * new / (old * old)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _sharpen(rgb, kernel, amount, noise2, out):
    """Lines of RGB (h, 3 w), in tiles that stay in the processor's cache.

    Root, two rounds of deconvolution, gate, limit, gain.
    """
    h, w = rgb.shape[0], rgb.shape[1] // 3
    half = len(kernel) - 1
    halo = 2 * half + 1
    across, down = (w + _COLUMNS - 1) // _COLUMNS, (h + _ROWS - 1) // _ROWS
    for tile in prange(across * down):
        top, left = tile // across * _ROWS, tile % across * _COLUMNS
        bottom, right = min(top + _ROWS, h), min(left + _COLUMNS, w)
        inner = right - left
        tall, wide = bottom - top + 2 * halo, inner + 2 * halo
        root, first = np.empty((tall, wide), np.float32), np.empty((tall, wide), np.float32)
        passing, blur = np.empty((tall, wide), np.float32), np.empty((tall, wide), np.float32)
        low, high = np.empty(inner + 2, np.float32), np.empty(inner + 2, np.float32)
        least, most = np.empty(inner, np.float32), np.empty(inner, np.float32)
        wider, around = np.empty(inner + 4, np.float32), np.empty(inner, np.float32)
        gain = np.empty(inner, np.float32)
        x0, x1 = max(left - halo, 0), min(right + halo, w)
        skip = x0 - (left - halo)
        for y in range(tall):
            line = root[y]
            _root_row(rgb[mirrored(top - halo + y, h), 3 * x0 : 3 * x1], line[skip : skip + x1 - x0])
            for x in range(skip):
                line[x] = line[min(2 * skip - x, wide - 1)]
            for x in range(skip + x1 - x0, wide):
                line[x] = line[max(2 * (skip + x1 - x0 - 1) - x, 0)]
        _blurred(root, kernel, half, tall - half, half, passing, blur)
        n = wide - 2 * half
        for y in range(half, tall - half):
            a, b, c = root[y, half : half + n], blur[y, half : half + n], first[y, half : half + n]
            for x in range(n):
                c[x] = np.float32(2) * a[x] - b[x]
        if amount > 0:
            _blurred(first, kernel, halo, tall - halo, 2 * half, passing, blur)
        for y in range(halo, tall - halo):
            here, a, b = root[y, halo : halo + inner], first[y, halo : halo + inner], blur[y, halo : halo + inner]
            if amount > 0:
                span = slice(halo - 1, halo + 1 + inner)
                _limits_row(root[y - 1, span], root[y, span], root[y + 1, span], low, high, least, most)
                _around_row(root, y, halo, inner, wider, around)
                _gain_row(here, a, b, least, most, around, amount, noise2, gain)
            else:
                for x in range(inner):
                    new = max(here[x] + amount * (a[x] - here[x]), np.float32(0))
                    gain[x] = new * new / (here[x] * here[x])
            row, target = rgb[top + y - halo, 3 * left : 3 * right], out[top + y - halo, 3 * left : 3 * right]
            for x in range(inner):
                g = gain[x]
                target[3 * x] = row[3 * x] * g
                target[3 * x + 1] = row[3 * x + 1] * g
                target[3 * x + 2] = row[3 * x + 2] * g


def sharpen(rgb: NDArray[np.float32], amount: float, radius: float, noise_sigma: float) -> NDArray[np.float32]:
    """Sharpen (amount > 0) or soften (amount < 0) a copy of linear RGB (H, W, 3).

    Parameters
    ----------
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.
    amount
        Amount.
    radius
        Standard deviation of the blur in pixels of this array.
    noise_sigma
        Noise left in the square root of brightness (for variance a x the root's noise is sqrt(a) / 2, whatever
        x).

    Returns
    -------
    NDArray[np.float32]
        Sharpened (amount > 0) or softened (amount < 0) copy of linear RGB (H, W, 3).
    """
    if amount == 0 or radius < SMALLEST_RADIUS:
        return rgb
    half = max(1, round(4 * radius))
    kernel = np.exp(-(np.arange(half + 1) ** 2) / (2 * radius * radius))
    kernel = (kernel / (2 * kernel.sum() - kernel[0])).astype(np.float32)
    out = empty(rgb.shape)
    _sharpen(lines(rgb), kernel, np.float32(amount), np.float32((4.5 * noise_sigma) ** 2), lines(out))
    return out


class Sharpness(RawStep):
    """Takes a share of the measured blur back, or softens."""

    name = "sharpness"
    fields = ("sharpness", "sharpness_radius", "luminance_noise")

    @override
    def prepare(
        self, recipe: Recipe, recorded: RecordedImage, factor: float, file: bool
    ) -> tuple[float, float, float] | None:
        if recipe.sharpness == 0:
            return None
        a = float(recorded.noise_at(factor)[1, 0])
        return recipe.sharpness, recipe.sharpness_radius / factor, math.sqrt(a) / 2 * noise_left(recipe)

    @override
    def apply(
        self, rgb: NDArray[np.float32], prepared: tuple[float, float, float], place: RawPosition
    ) -> NDArray[np.float32]:
        return sharpen(rgb, *prepared)
