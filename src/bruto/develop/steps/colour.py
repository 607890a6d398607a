"""The point pass: highlights, colour matrix, exposure, tone, chroma, gamut and encoding in one compiled loop.

Gamut mapping keeps OKLab lightness and hue and lowers chroma until the colour fits (Ottosson 2021, "sRGB gamut
clipping",
constant-lightness form). Dither is one code wide, triangular, and repeats for the same place.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from bruto.color.spaces import (
    LUMINANCE_2020,
    OKLAB_FROM_LMS,
    OKLAB_LMS_FROM_XYZ,
    encode_srgb,
    working_to,
    working_to_xyz,
)
from bruto.develop.steps.tone import EV_HIGH, EV_LOW, EV_STEPS, Base

_ENCODE_STEPS = 4096


@dataclass(frozen=True)
class PointParams:
    """Everything the point pass needs besides pixels.

    `matrix`: balanced camera to working space, exposure included; `exposure`: log2 of that gain; `log_table`,
    `keep_table`: see `tone.tables`; `chroma`: gain; `space`: output space name.
    """

    matrix: NDArray[np.float64]
    exposure: float
    log_table: NDArray[np.float32]
    keep_table: NDArray[np.float32]
    chroma: float
    space: str
    tone: bool = True


def _encode_table() -> NDArray[np.float32]:
    """sRGB code as a function of the square root of light, which it nearly follows."""
    return encode_srgb(np.linspace(0, 1, _ENCODE_STEPS + 1) ** 2).astype(np.float32)


_ENCODE = _encode_table()


@njit(inline="always")
def _log2(x):
    """log2 of a positive float32 to about 2e-6: exponent plus a polynomial in the mantissa."""
    m, e = math.frexp(x)
    return np.float32(e) + np.float32(math.log(m) * 1.4426950408889634)


@njit(cache=True, fastmath=True)
def _fit(r, g, b, out_to_lms, from_lms, lab_to_lms, lms_to_out):
    """Chroma lowered at constant OKLab lightness and hue until 0 <= rgb <= 1."""
    l = np.cbrt(max(out_to_lms[0, 0] * r + out_to_lms[0, 1] * g + out_to_lms[0, 2] * b, 0.0))
    m = np.cbrt(max(out_to_lms[1, 0] * r + out_to_lms[1, 1] * g + out_to_lms[1, 2] * b, 0.0))
    s = np.cbrt(max(out_to_lms[2, 0] * r + out_to_lms[2, 1] * g + out_to_lms[2, 2] * b, 0.0))
    light = from_lms[0, 0] * l + from_lms[0, 1] * m + from_lms[0, 2] * s
    a = from_lms[1, 0] * l + from_lms[1, 1] * m + from_lms[1, 2] * s
    bb = from_lms[2, 0] * l + from_lms[2, 1] * m + from_lms[2, 2] * s
    if light >= 1.0:
        return 1.0, 1.0, 1.0
    low, high = 0.0, 1.0
    br = bg = bl = light * light * light
    for _ in range(9):
        k = 0.5 * (low + high)
        l = light + k * (lab_to_lms[0, 1] * a + lab_to_lms[0, 2] * bb)
        m = light + k * (lab_to_lms[1, 1] * a + lab_to_lms[1, 2] * bb)
        s = light + k * (lab_to_lms[2, 1] * a + lab_to_lms[2, 2] * bb)
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


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _point(
    rgb,
    clipped,
    clip_step,
    clip_y,
    clip_x,
    matrix,
    weights,
    exposure,
    base_a,
    base_b,
    base_y,
    base_x,
    base_sy,
    base_sx,
    log_table,
    keep_table,
    use_tone,
    chroma,
    to_out,
    lab,
    encode,
    top,
    dither,
    out,
):
    h, w = rgb.shape[:2]
    gh, gw = base_a.shape
    out_to_lms, from_lms, lab_to_lms, lms_to_out = lab[0], lab[1], lab[2], lab[3]
    per_ev = np.float32((EV_STEPS - 1) / (EV_HIGH - EV_LOW))
    for i in prange(h):
        ci = min(int((i + clip_y) * clip_step), clipped.shape[0] - 1)
        fy = min(max((i + base_y) * base_sy - np.float32(0.5), np.float32(0)), np.float32(gh - 1.001))
        iy = int(fy)
        fy -= iy
        for j in range(w):
            r, g, b = rgb[i, j, 0], rgb[i, j, 1], rgb[i, j, 2]
            bits = clipped[ci, min(int((j + clip_x) * clip_step), clipped.shape[1] - 1)]
            if bits:
                # channels that are full are rebuilt from those that are not, never lowered
                n = np.float32(0)
                rest = np.float32(0)
                if not bits & 1:
                    rest += r
                    n += 1
                if not bits & 2:
                    rest += g
                    n += 1
                if not bits & 4:
                    rest += b
                    n += 1
                if n == 0:
                    rest = (r + g + b) / np.float32(3)
                    r = g = b = rest
                else:
                    rest /= n
                    if bits & 1:
                        r = max(r, rest)
                    if bits & 2:
                        g = max(g, rest)
                    if bits & 4:
                        b = max(b, rest)
            x = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            y = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            z = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
            light = weights[0] * x + weights[1] * y + weights[2] * z
            if bits == 7:
                x = y = z = light  # nothing is known of the colour: the scene's own white
            light = max(light, np.float32(1e-6))
            if use_tone:
                ev = _log2(light * np.float32(1 / 0.18))
                fx = min(max((j + base_x) * base_sx - np.float32(0.5), np.float32(0)), np.float32(gw - 1.001))
                ix = int(fx)
                fx -= ix
                ba = (base_a[iy, ix] * (1 - fx) + base_a[iy, ix + 1] * fx) * (1 - fy) + (
                    base_a[iy + 1, ix] * (1 - fx) + base_a[iy + 1, ix + 1] * fx
                ) * fy
                bb = (base_b[iy, ix] * (1 - fx) + base_b[iy, ix + 1] * fx) * (1 - fy) + (
                    base_b[iy + 1, ix] * (1 - fx) + base_b[iy + 1, ix + 1] * fx
                ) * fy
                base = ba * (ev - exposure) + bb + exposure
                t = min(max((base - np.float32(EV_LOW)) * per_ev, np.float32(0)), np.float32(EV_STEPS - 2))
                k = int(t)
                t -= k
                mapped = log_table[k] * (1 - t) + log_table[k + 1] * t
                keep = keep_table[k] * (1 - t) + keep_table[k + 1] * t
                new = np.float32(0.18) * np.float32(
                    math.exp((mapped + keep * (ev - base)) * np.float32(0.6931471805599453))
                )
                if new > np.float32(0.85):  # shoulder: detail above white bends instead of breaking
                    new = np.float32(0.85) + np.float32(0.15) * (
                        1 - np.float32(math.exp(-(new - np.float32(0.85)) / np.float32(0.15)))
                    )
                ratio = new / light
                x *= ratio
                y *= ratio
                z *= ratio
                light = new
            if chroma != 1.0:
                x = light + (x - light) * chroma
                y = light + (y - light) * chroma
                z = light + (z - light) * chroma
            r = to_out[0, 0] * x + to_out[0, 1] * y + to_out[0, 2] * z
            g = to_out[1, 0] * x + to_out[1, 1] * y + to_out[1, 2] * z
            b = to_out[2, 0] * x + to_out[2, 1] * y + to_out[2, 2] * z
            if min(r, g, b) < np.float32(0) or max(r, g, b) > np.float32(1):
                if max(r, g, b) < np.float32(0.002):
                    r, g, b = max(r, np.float32(0)), max(g, np.float32(0)), max(b, np.float32(0))
                else:
                    r, g, b = _fit(r, g, b, out_to_lms, from_lms, lab_to_lms, lms_to_out)
            noise = np.float32(0)
            if dither:
                k = (i * 1973 + j * 9277) & 0xFFFF
                k = (k * 26699 + (j ^ (i << 3)) * 7919) & 0xFFFF
                noise = np.float32(((k & 255) + ((k >> 8) & 255)) * (1.0 / 256.0) - 1.0) * np.float32(0.5)
            for c in range(3):
                v = r if c == 0 else (g if c == 1 else b)
                p = math.sqrt(min(max(v, np.float32(0)), np.float32(1))) * np.float32(_ENCODE_STEPS)
                k = min(int(p), _ENCODE_STEPS - 1)
                p -= k
                code = (encode[k] * (1 - p) + encode[k + 1] * p) * top + noise
                out[i, j, c] = min(max(code + np.float32(0.5), np.float32(0)), top)


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _matrix_only(rgb, matrix, out):
    for i in prange(rgb.shape[0]):
        for j in range(rgb.shape[1]):
            r, g, b = rgb[i, j, 0], rgb[i, j, 1], rgb[i, j, 2]
            for c in range(3):
                out[i, j, c] = matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b


def to_working(rgb: NDArray[np.float32], matrix: NDArray) -> NDArray[np.float32]:
    """Linear working-space RGB (H, W, 3)."""
    out = np.empty_like(rgb)
    _matrix_only(rgb, np.asarray(matrix, np.float32), out)
    return out


def point_pass(
    rgb: NDArray[np.float32],
    clipped: NDArray[np.uint8],
    base: Base | None,
    params: PointParams,
    *,
    factor: float,
    origin: tuple[int, int],
    full_size: tuple[int, int],
    bits: int = 8,
) -> NDArray:
    """Balanced camera RGB (H, W, 3) to an encoded picture, uint8 or uint16.

    `clipped`: quad map of the whole frame; `base`: of the whole frame; `factor`: full-size pixels a pixel of `rgb`;
    `origin`
    (x, y) of this piece in pixels of `rgb`'s scale; `full_size` (width, height) of the frame at full size.
    """
    width, height = full_size
    name = params.space
    out_to_xyz = working_to_xyz() @ np.linalg.inv(working_to(name))
    lms = OKLAB_LMS_FROM_XYZ @ out_to_xyz
    lab = np.stack([lms, OKLAB_FROM_LMS, np.linalg.inv(OKLAB_FROM_LMS), np.linalg.inv(lms)]).astype(np.float32)
    if base is None:
        base = Base(np.ones((2, 2), np.float32), np.zeros((2, 2), np.float32))
    gh, gw = base.a.shape
    out = np.empty(rgb.shape, np.uint8 if bits == 8 else np.uint16)
    _point(
        rgb,
        clipped,
        np.float32(factor / 2),
        origin[1],
        origin[0],
        np.asarray(params.matrix, np.float32),
        LUMINANCE_2020.astype(np.float32),
        np.float32(params.exposure),
        base.a,
        base.b,
        np.float32(origin[1] + 0.5),
        np.float32(origin[0] + 0.5),
        np.float32(gh * factor / height),
        np.float32(gw * factor / width),
        params.log_table,
        params.keep_table,
        params.tone,
        np.float32(params.chroma),
        working_to(name).astype(np.float32),
        lab,
        _ENCODE,
        np.float32((1 << bits) - 1),
        bits == 8,
        out,
    )
    return out
