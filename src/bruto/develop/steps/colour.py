"""The point pass: highlights, colour matrix, exposure, tone, chroma, gamut and encoding in one compiled loop.

Gamut mapping keeps OKLab lightness and hue and lowers chroma until the colour fits (Ottosson 2021, "sRGB gamut
clipping", constant-lightness form). Dither is one code wide, uniform (the mean is exact), and repeats for the same
place (32-bit mixing by Wellons 2018, "Prospecting for hash functions").
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
from bruto.develop.steps.approximate import exp2_of, log2_of
from bruto.develop.steps.look import Look, look_row, no_look
from bruto.develop.steps.tone import EV_HIGH, EV_LOW, EV_STEPS, Base

_ENCODE_STEPS = 4096


@dataclass(frozen=True)
class PointParams:
    """Everything the point pass needs besides pixels.

    `matrix`: balanced camera to working space, exposure included; `exposure`: log2 of that gain; `log_table`,
    `keep_table`: see `tone.tables`; `chroma`: gain; `space`: output space name; `look`: of the camera profile;
    `reference`: the tone tables that its curve stands for, where it has one; `user_exposure`: the recipe's part of
    `exposure`, EV.
    """

    matrix: NDArray[np.float64]
    exposure: float
    log_table: NDArray[np.float32]
    keep_table: NDArray[np.float32]
    chroma: float
    space: str
    tone: bool = True
    look: Look | None = None
    reference: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
    user_exposure: float = 0.0


def _encode_table() -> NDArray[np.float32]:
    """sRGB code as a function of the square root of light, which it nearly follows."""
    code = encode_srgb(np.linspace(0, 1, _ENCODE_STEPS + 1) ** 2).astype(np.float32)
    return np.append(code, code[-1])  # one more, so that 1.0 can be interpolated too


_ENCODE = _encode_table()


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


@njit(inline="always")
def _rebuilt(r, g, b, bits):
    """Channels that are full (bits 1, 2, 4) rebuilt from those that are not, never lowered; grey where all are full."""
    if bits == 7:
        rest = (r + g + b) / np.float32(3)
        return rest, rest, rest
    n = np.float32(0)
    rest = np.float32(0)
    if not bits & 1:
        rest += r
        n += np.float32(1)
    if not bits & 2:
        rest += g
        n += np.float32(1)
    if not bits & 4:
        rest += b
        n += np.float32(1)
    rest /= n
    if bits & 1:
        r = max(r, rest)
    if bits & 2:
        g = max(g, rest)
    if bits & 4:
        b = max(b, rest)
    return r, g, b


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _point(rgb, clipped, clip_step, clip_y, clip_x, matrix, weights, exposure, base_a, base_b, base_y, base_x, base_sy,
           base_sx, curve, use_tone, use_look, look, reference, raw_scale, baseline_scale, chroma, to_out, lab, encode,
           top, dither, out):  # fmt: skip
    """One row at a time in passes over row buffers, so that all but the table look-ups use vector registers."""
    h, w = rgb.shape[:2]
    gh, gw = base_a.shape
    per_ev = np.float32((EV_STEPS - 1) / (EV_HIGH - EV_LOW))
    last = np.float32(EV_STEPS - 2)
    w0, w1, w2 = weights[0], weights[1], weights[2]
    for i in prange(h):
        x, y, z = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
        light, gain, index = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.uint32)
        row = rgb[i]
        marks = clipped[min(int((i + clip_y) * clip_step), clipped.shape[0] - 1)]
        for j in range(w):
            r, g, b = row[j, 0], row[j, 1], row[j, 2]
            x[j] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            y[j] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            z[j] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
        first = min(int(clip_x * clip_step), clipped.shape[1] - 1)
        final = min(int((w - 1 + clip_x) * clip_step), clipped.shape[1] - 1)
        if marks[first : final + 1].max() > 0:
            for j in range(w):
                bits = marks[min(int((j + clip_x) * clip_step), clipped.shape[1] - 1)]
                if bits:
                    r, g, b = _rebuilt(row[j, 0], row[j, 1], row[j, 2], bits)
                    x[j] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
                    y[j] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
                    z[j] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
                    if bits == 7:  # nothing is known of the colour: the scene's own white
                        x[j] = y[j] = z[j] = w0 * x[j] + w1 * y[j] + w2 * z[j]
        for j in range(w):
            light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
        if use_tone:
            fy = min(max((i + base_y) * base_sy - np.float32(0.5), np.float32(0)), np.float32(gh - 1.001))
            iy = int(fy)
            fy -= np.float32(iy)
            row_a, row_b = np.empty(gw, np.float32), np.empty(gw, np.float32)
            a, b = np.empty(w, np.float32), np.empty(w, np.float32)
            for k in range(gw):
                row_a[k] = base_a[iy, k] * (1 - fy) + base_a[iy + 1, k] * fy
                row_b[k] = base_b[iy, k] * (1 - fy) + base_b[iy + 1, k] * fy
            right = np.float32(gw - 1.001)
            for j in range(w):
                fx = min(max((np.float32(j) + base_x) * base_sx - np.float32(0.5), np.float32(0)), right)
                ix = np.uint32(np.int32(fx))
                fx -= np.float32(np.int32(fx))
                a[j] = row_a[ix] + (row_a[ix + np.uint32(1)] - row_a[ix]) * fx
                b[j] = row_b[ix] + (row_b[ix + np.uint32(1)] - row_b[ix]) * fx
            for j in range(w):
                ev = log2_of(light[j] * np.float32(1 / 0.18))
                base = a[j] * (ev - exposure) + b[j] + exposure
                place = min(max((base - np.float32(EV_LOW)) * per_ev, np.float32(0)), last)
                index[j] = np.uint32(np.int32(place + np.float32(0.5)))
                a[j] = ev - base
            for j in range(w):
                k = index[j]
                b[j] = curve[k, 0]
                gain[j] = curve[k, 0] + curve[k, 1] * a[j]
            if use_look:  # tone reads the light before the look, and acts on the light after it
                for j in range(w):
                    k = index[j]
                    if len(reference) > 0:
                        gain[j] -= reference[k, 0] + reference[k, 1] * a[j]
                        b[j] = np.float32(-1)
                    else:
                        gain[j] -= log2_of(light[j] * np.float32(1 / 0.18))
                height = (np.float32(i) + base_y) * (base_sy / np.float32(gh))
                step = base_sx / np.float32(gw)
                look_row(x, y, z, height, base_x * step, step, look, raw_scale, baseline_scale)
                for j in range(w):
                    light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
                    gain[j] += log2_of(light[j] * np.float32(1 / 0.18))
            for j in range(w):
                new = np.float32(0.18) * exp2_of(gain[j])
                # shoulder: detail above the bright end of the base bends instead of breaking; the base itself is kept
                start = min(max(np.float32(0.18) * exp2_of(b[j]), np.float32(0.85)), np.float32(0.995))
                room = np.float32(1) - start
                over = max(new - start, np.float32(0))
                bent = start + room * (np.float32(1) - exp2_of(over * np.float32(-1.44269504) / room))
                new = bent if over > np.float32(0) else new
                ratio = new / light[j]
                x[j] *= ratio
                y[j] *= ratio
                z[j] *= ratio
                light[j] = new
        inside = True
        for j in range(w):
            u = light[j] + (x[j] - light[j]) * chroma
            v = light[j] + (y[j] - light[j]) * chroma
            s = light[j] + (z[j] - light[j]) * chroma
            x[j] = to_out[0, 0] * u + to_out[0, 1] * v + to_out[0, 2] * s
            y[j] = to_out[1, 0] * u + to_out[1, 1] * v + to_out[1, 2] * s
            z[j] = to_out[2, 0] * u + to_out[2, 1] * v + to_out[2, 2] * s
            inside &= (min(x[j], y[j], z[j]) >= np.float32(0)) & (max(x[j], y[j], z[j]) <= np.float32(1))
        if not inside:
            for j in range(w):
                high = max(x[j], y[j], z[j])
                if min(x[j], y[j], z[j]) < np.float32(0) or high > np.float32(1):
                    if high < np.float32(0.002):
                        x[j], y[j], z[j] = max(x[j], np.float32(0)), max(y[j], np.float32(0)), max(z[j], np.float32(0))
                    else:
                        x[j], y[j], z[j] = _fit(x[j], y[j], z[j], lab[0], lab[1], lab[2], lab[3])
        line = out[i]
        for j in range(w):
            gain[j] = np.float32(0.5)
        if dither:
            for j in range(w):
                seed = np.uint32(np.uint32(i) * np.uint32(0x85EBCA77) + np.uint32(j) * np.uint32(0x9E3779B1))
                seed = np.uint32((seed ^ (seed >> np.uint32(16))) * np.uint32(0x7FEB352D))
                seed = np.uint32((seed ^ (seed >> np.uint32(15))) * np.uint32(0x846CA68B))
                seed = np.uint32(seed ^ (seed >> np.uint32(16)))
                gain[j] = np.float32(np.int32(seed >> np.uint32(8))) * np.float32(2.0**-24)
        for c in range(3):
            plane = x if c == 0 else (y if c == 1 else z)
            for j in range(w):
                plane[j] = math.sqrt(min(max(plane[j], np.float32(0)), np.float32(1))) * np.float32(_ENCODE_STEPS)
                index[j] = np.uint32(np.int32(plane[j]))
            for j in range(w):
                k = index[j]
                part = plane[j] - np.float32(np.int32(k))
                line[j, c] = (encode[k] + (encode[k + np.uint32(1)] - encode[k]) * part) * top + gain[j]


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
    `origin` (x, y) of this piece in pixels of `rgb`'s scale; `full_size` (width, height) of the frame at full size.
    """
    width, height = full_size
    name = params.space
    out_to_xyz = working_to_xyz() @ np.linalg.inv(working_to(name))
    lms = OKLAB_LMS_FROM_XYZ @ out_to_xyz
    lab = np.stack([lms, OKLAB_FROM_LMS, np.linalg.inv(OKLAB_FROM_LMS), np.linalg.inv(lms)]).astype(np.float32)
    if base is None:
        base = Base(np.ones((2, 2), np.float32), np.zeros((2, 2), np.float32))
    gh, gw = base.a.shape
    look = params.look or no_look()
    reference = np.zeros((0, 2), np.float32) if params.reference is None else np.stack(params.reference, axis=1)
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
        np.stack([params.log_table, params.keep_table], axis=1),
        params.tone,
        params.look is not None,
        look,
        reference,
        np.float32(2.0**-params.exposure),
        np.float32(2.0**-params.user_exposure),
        np.float32(params.chroma),
        working_to(name).astype(np.float32),
        lab,
        _ENCODE,
        np.float32((1 << bits) - 1),
        bits == 8,
        out,
    )
    return out
