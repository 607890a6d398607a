"""The last point step: from light to codes of the output space, with grain and dither.

Gamut mapping keeps OKLab hue and lowers chroma until the colour fits; bright and dark colours give up some lightness
for it, or a sunset would turn white (Ottosson 2021, "sRGB gamut clipping", adaptive form about middle lightness).
Dither is one code wide, uniform (the mean is exact), and repeats for the same place (32-bit mixing by Wellons 2018,
"Prospecting for hash functions").
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import OKLAB_FROM_LMS, OKLAB_LMS_FROM_XYZ, working_to, working_to_xyz
from bruto.develop.recipe import Recipe
from bruto.develop.rgb_rows import together
from bruto.develop.steps.kernel_rows import code_of, product_row
from bruto.develop.steps.local_contrast import DIAGONAL_12MP
from bruto.develop.steps.step import Band, PointStep, StepInput

GRAIN_SIDE = 512
"""Side of the grain's pattern, which repeats; its repetition is not seen at this size."""
GRAIN_SIGMA = 3.0
"""Standard deviation of grain 1 at grey, L*."""
FIT_PULL = 0.5
"""How far colours that do not fit give up lightness to keep chroma, 0: not at all (the alpha of Ottosson's method)."""


FADE_FROM, FADE_OVER = 0.97, 0.09
"""Lightness (OKLab) from which light that is too bright turns white, and over how much of it: where channels are
clipped and were guessed, colour is not to be believed.
"""


@njit(cache=True, fastmath=True, error_model="numpy")
def _fit(r, g, b, out_to_lms, from_lms, lab_to_lms, lms_to_out):
    """Chroma lowered at constant OKLab hue until 0 <= rgb <= 1.

    On a straight line towards a grey that lies the nearer to middle lightness the more colourful the light is
    (`FIT_PULL`).
    """
    l = np.cbrt(max(out_to_lms[0, 0] * r + out_to_lms[0, 1] * g + out_to_lms[0, 2] * b, 0.0))
    m = np.cbrt(max(out_to_lms[1, 0] * r + out_to_lms[1, 1] * g + out_to_lms[1, 2] * b, 0.0))
    s = np.cbrt(max(out_to_lms[2, 0] * r + out_to_lms[2, 1] * g + out_to_lms[2, 2] * b, 0.0))
    light = from_lms[0, 0] * l + from_lms[0, 1] * m + from_lms[0, 2] * s
    a = from_lms[1, 0] * l + from_lms[1, 1] * m + from_lms[1, 2] * s
    bb = from_lms[2, 0] * l + from_lms[2, 1] * m + from_lms[2, 2] * s
    if light > FADE_FROM:
        fade = max(0.0, 1.0 - (light - FADE_FROM) / FADE_OVER)
        a, bb, light = a * fade, bb * fade, min(light, 1.0)
    off = abs(light - 0.5)
    reach = 0.5 + off + FIT_PULL * math.sqrt(a * a + bb * bb)
    grey = 0.5 * (1.0 + (1.0 if light > 0.5 else -1.0) * (reach - math.sqrt(max(reach * reach - 2.0 * off, 0.0))))
    low, high = 0.0, 1.0
    br = bg = bl = grey * grey * grey
    for _ in range(9):
        k = 0.5 * (low + high)
        at = grey + k * (light - grey)
        l = at + k * (lab_to_lms[0, 1] * a + lab_to_lms[0, 2] * bb)
        m = at + k * (lab_to_lms[1, 1] * a + lab_to_lms[1, 2] * bb)
        s = at + k * (lab_to_lms[2, 1] * a + lab_to_lms[2, 2] * bb)
        l, m, s = l * l * l, m * m * m, s * s * s
        r = lms_to_out[0, 0] * l + lms_to_out[0, 1] * m + lms_to_out[0, 2] * s
        g = lms_to_out[1, 0] * l + lms_to_out[1, 1] * m + lms_to_out[1, 2] * s
        b = lms_to_out[2, 0] * l + lms_to_out[2, 1] * m + lms_to_out[2, 2] * s
        if min(r, g, b) >= 0.0 and max(r, g, b) <= 1.0:
            low = k
            br, bg, bl = r, g, b
        else:
            high = k
    return br, bg, bl


@lru_cache(maxsize=12)
def grain_pattern(size: float, factor: int) -> NDArray[np.float32]:
    """Compute a repeating pattern (n, n) of unit standard deviation at full size, seen at 1/factor of it.

    A coarser view averages the grain away, as it does the picture.

    Parameters
    ----------
    size
        Standard deviation of a grain, pixels at full size.
    factor
        Reduction: pixels of the frame per pixel of the result; 1 is full size.

    Returns
    -------
    NDArray[np.float32]
        A repeating pattern (n, n) of unit standard deviation at full size, seen at 1/factor of it.
    """
    white = np.random.default_rng(17).standard_normal((GRAIN_SIDE, GRAIN_SIDE)).astype(np.float32)
    pad = int(4 * size) + 2
    wide = cv2.GaussianBlur(np.pad(white, pad, mode="wrap"), (0, 0), size)[pad:-pad, pad:-pad]
    wide = (wide - wide.mean()) / wide.std()
    if factor > 1:
        n = max(8, GRAIN_SIDE // factor)
        wide = cv2.resize(wide, (n, n), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(wide)


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _codes(xs, ys, zs, top_row, to_out, out_to_lms, from_lms, lab_to_lms, lms_to_out, grain, grain_amount, grain_y,
           grain_x, top, dither, out8, out16):  # fmt: skip
    """Rows of light to lines of codes: `out8` where they are dithered, else `out16` (one variant for both)."""
    w = xs.shape[1]
    light, shift = np.empty(w, np.float32), np.empty(w, np.float32)
    for k in range(xs.shape[0]):
        x, y, z = xs[k], ys[k], zs[k]
        i = top_row + k
        product_row(to_out, x, y, z)
        inside = True
        for j in range(w):
            inside &= (min(x[j], y[j], z[j]) >= np.float32(0)) & (max(x[j], y[j], z[j]) <= np.float32(1))
        if not inside:
            for j in range(w):
                high = max(x[j], y[j], z[j])
                if min(x[j], y[j], z[j]) < np.float32(0) or high > np.float32(1):
                    if high < np.float32(0.002):
                        x[j], y[j], z[j] = max(x[j], np.float32(0)), max(y[j], np.float32(0)), max(z[j], np.float32(0))
                    else:
                        x[j], y[j], z[j] = _fit(x[j], y[j], z[j], out_to_lms, from_lms, lab_to_lms, lms_to_out)
        for j in range(w):
            shift[j] = np.float32(0.5)
        if dither:
            for j in range(w):
                seed = np.uint32(np.uint32(i) * np.uint32(0x85EBCA77) + np.uint32(j) * np.uint32(0x9E3779B1))
                seed = np.uint32((seed ^ (seed >> np.uint32(16))) * np.uint32(0x7FEB352D))
                seed = np.uint32((seed ^ (seed >> np.uint32(15))) * np.uint32(0x846CA68B))
                seed = np.uint32(seed ^ (seed >> np.uint32(16)))
                shift[j] = np.float32(np.int32(seed >> np.uint32(8))) * np.float32(2.0**-24)
        grainy = grain_amount > np.float32(0)
        if grainy:
            side = grain.shape[0]
            pattern = grain[(i + grain_y) % side]
            for j in range(w):
                light[j] = grain_amount * pattern[(j + grain_x) % side]
        for c in range(3):
            plane = x if c == 0 else (y if c == 1 else z)
            if grainy:
                for j in range(w):
                    code = code_of(plane[j])
                    code += light[j] * math.sqrt(max(np.float32(4) * code * (np.float32(1) - code), np.float32(0)))
                    plane[j] = min(max(code, np.float32(0)), np.float32(1)) * top + shift[j]
            else:
                for j in range(w):
                    plane[j] = code_of(plane[j]) * top + shift[j]
        if dither:
            together(x, y, z, out8[k])
        else:
            together(x, y, z, out16[k])


class PreparedOutput(NamedTuple):
    """Matrices to the output space (from working light, from cone response), those of gamut mapping, grain, bits."""

    to_out: NDArray[np.float32]
    lms_to_out: NDArray[np.float32]
    out_to_lms: NDArray[np.float32]
    from_lms: NDArray[np.float32]
    lab_to_lms: NDArray[np.float32]
    grain_amount: np.float32
    grain_size: float
    bits: int


@lru_cache(maxsize=8)
def _matrices(space: str) -> tuple[NDArray[np.float32], ...]:
    lms = OKLAB_LMS_FROM_XYZ @ working_to_xyz() @ np.linalg.inv(working_to(space))
    found = working_to(space), np.linalg.inv(lms), lms, OKLAB_FROM_LMS, np.linalg.inv(OKLAB_FROM_LMS)
    return tuple(np.ascontiguousarray(m, np.float32) for m in found)


def prepared_output(space: str, bits: int, grain: float = 0.0, grain_size: float = 1.2) -> PreparedOutput:
    """Return the matrices and the grain of an output.

    Parameters
    ----------
    space
        Identifier of the output space.
    bits
        Bits per sample.
    grain
        Amount of grain.
    grain_size
        Standard deviation of a grain, pixels at full size.

    Returns
    -------
    PreparedOutput
        What `Output.apply` needs.
    """
    to_out, lms_to_out, out_to_lms, from_lms, lab_to_lms = _matrices(space)
    amount = np.float32(grain * GRAIN_SIGMA / 100)
    return PreparedOutput(to_out, lms_to_out, out_to_lms, from_lms, lab_to_lms, amount, float(grain_size), bits)


_NO_GRAIN = np.zeros((1, 1), np.float32)
_NO_8, _NO_16 = np.empty((0, 0), np.uint8), np.empty((0, 0), np.uint16)


class Output(PointStep):
    """Writes the band's codes."""

    name = "output"
    fields = ("grain", "grain_size")

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> PreparedOutput:
        size = recipe.grain_size * scene.diagonal / DIAGONAL_12MP
        return prepared_output(scene.space, scene.bits, recipe.grain, size)

    @override
    def apply(self, band: Band, prepared: PreparedOutput) -> None:
        p, place = prepared, band.tile.place
        grain = grain_pattern(p.grain_size, max(1, round(place.factor))) if p.grain_amount > 0 else _NO_GRAIN
        side = grain.shape[0]
        x, y = place.own_origin
        out = band.tile.out[band.top : band.top + len(band.x)]
        dither = p.bits == 8
        _codes(
            *band.planes, band.top, p.lms_to_out if band.cones else p.to_out, p.out_to_lms, p.from_lms, p.lab_to_lms,
            p.lms_to_out, grain, p.grain_amount, int(y) % side, int(x) % side, np.float32((1 << p.bits) - 1), dither,
            out if dither else _NO_8, _NO_16 if dither else out,
        )  # fmt: skip
