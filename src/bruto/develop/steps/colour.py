"""The point pass: highlights, colour matrix, haze, tone, relief, look, colour, gamut, encoding in one compiled loop.

Gamut mapping keeps OKLab lightness and hue and lowers chroma until the colour fits (Ottosson 2021, "sRGB gamut
clipping", constant-lightness form). Dither is one code wide, uniform (the mean is exact), and repeats for the same
place (32-bit mixing by Wellons 2018, "Prospecting for hash functions").
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

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
from bruto.develop.steps.finish import GRAIN_SIGMA, edge_gain, grain_pattern
from bruto.develop.steps.haze import Haze, no_haze
from bruto.develop.steps.highlights import Ratios, no_ratios, rebuilt
from bruto.develop.steps.lab import FULL_CHROMA, HUES, LIGHTS, QUIET_CHROMA, LabStage, lab_stage
from bruto.develop.steps.look import Look, look_row, no_look
from bruto.develop.steps.tone import EV_HIGH, EV_LOW, EV_STEPS, Base
from bruto.develop.values import IDENTITY, Balance

_ENCODE_STEPS = 4096


@dataclass(frozen=True)
class PointParams:
    """Everything the point pass needs besides pixels.

    `matrix`: balanced camera to working space, exposure included; `exposure`: log2 of that gain; `log_table`,
    `keep_table`: see `tone.tables`; `space`: output space name; `lab`: colour in OKLab, None where nothing is asked;
    `look`: of the camera profile; `reference`: the tone tables that its curve stands for, where it has one;
    `user_exposure`: the recipe's part of `exposure`, EV; `medium`: the base under medium structure, where relief is
    asked for, with the gains `relief` of broad and medium structure; `haze` and the share of it that is taken out;
    `mixing`: channel matrix; `curves`: see `finish.curve_tables`; `edge_light`: EV in the corners; `grain`: amount, and
    `grain_size` in pixels at full size; `ratios`: see `highlights.ratios_of`.
    """

    matrix: NDArray[np.float64]
    exposure: float
    log_table: NDArray[np.float32]
    keep_table: NDArray[np.float32]
    space: str
    tone: bool = True
    lab: LabStage | None = None
    look: Look | None = None
    reference: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
    user_exposure: float = 0.0
    medium: Base | None = None
    relief: tuple[float, float] = (1.0, 1.0)
    haze: Haze | None = None
    haze_amount: float = 0.0
    mixing: tuple[float, ...] = IDENTITY
    curves: NDArray[np.float32] | None = None
    edge_light: float = 0.0
    grain: float = 0.0
    grain_size: float = 1.2
    ratios: Ratios | None = None


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


class _Grids(NamedTuple):
    """Coarse fields over the frame, read between their cells: tone base, medium base, share of airlight."""

    base_a: NDArray[np.float32]
    base_b: NDArray[np.float32]
    medium_a: NDArray[np.float32]
    medium_b: NDArray[np.float32]
    haze_a: NDArray[np.float32]
    haze_b: NDArray[np.float32]


class _Scene(NamedTuple):
    """From camera light to tone. `origin`, `scale`: of pixels of this piece, and from a pixel to the frame (y, x)."""

    matrix: NDArray[np.float32]
    weights: NDArray[np.float32]
    exposure: np.float32
    origin: NDArray[np.float32]
    scale: NDArray[np.float32]
    curve: NDArray[np.float32]
    reference: NDArray[np.float32]
    raw_scale: np.float32
    baseline_scale: np.float32
    broad: np.float32
    medium: np.float32
    airlight: NDArray[np.float32]
    haze_amount: np.float32
    edge_light: np.float32
    edge_y: NDArray[np.float32]
    edge_x: NDArray[np.float32]


class _Finish(NamedTuple):
    """From toned light to codes. `to_lms`: working space (after channel mixing) to OKLab's cone response."""

    mixing: NDArray[np.float32]
    to_lms: NDArray[np.float32]
    from_lms: NDArray[np.float32]
    lab_to_lms: NDArray[np.float32]
    lms_to_out: NDArray[np.float32]
    out_to_lms: NDArray[np.float32]
    to_out: NDArray[np.float32]
    curves: NDArray[np.float32]
    grain: NDArray[np.float32]
    grain_amount: np.float32
    grain_y: np.int64
    grain_x: np.int64
    encode: NDArray[np.float32]
    top: np.float32


class _Uses(NamedTuple):
    """Which parts of the pass are wanted."""

    tone: bool
    look: bool
    relief: bool
    haze: bool
    lab: bool
    mixing: bool
    curves: bool
    edge: bool
    grain: bool
    dither: bool


@njit(cache=True, fastmath=True)
def _across(field_a, field_b, place_y, start_x, step_x, a, b):
    """Two coarse fields along a row, linear between cell centres; places are relative to the frame."""
    gh, gw = field_a.shape
    fy = min(max(place_y * np.float32(gh) - np.float32(0.5), np.float32(0)), np.float32(gh - 1.001))
    iy = int(fy)
    fy -= np.float32(iy)
    row_a, row_b = np.empty(gw, np.float32), np.empty(gw, np.float32)
    for k in range(gw):
        row_a[k] = field_a[iy, k] * (1 - fy) + field_a[iy + 1, k] * fy
        row_b[k] = field_b[iy, k] * (1 - fy) + field_b[iy + 1, k] * fy
    right = np.float32(gw - 1.001)
    first = start_x * np.float32(gw) - np.float32(0.5)
    step = step_x * np.float32(gw)
    for j in range(len(a)):
        fx = min(max(first + np.float32(j) * step, np.float32(0)), right)
        ix = np.uint32(np.int32(fx))
        fx -= np.float32(np.int32(fx))
        a[j] = row_a[ix] + (row_a[ix + np.uint32(1)] - row_a[ix]) * fx
        b[j] = row_b[ix] + (row_b[ix + np.uint32(1)] - row_b[ix]) * fx


@njit(cache=True, fastmath=True)
def _product_row(m, x, y, z):
    """Three planes of a row times a matrix (3, 3), in place; coefficients in registers, as stores could change `m`."""
    m00, m01, m02 = m[0, 0], m[0, 1], m[0, 2]
    m10, m11, m12 = m[1, 0], m[1, 1], m[1, 2]
    m20, m21, m22 = m[2, 0], m[2, 1], m[2, 2]
    for j in range(len(x)):
        u, v, s = x[j], y[j], z[j]
        x[j] = m00 * u + m01 * v + m02 * s
        y[j] = m10 * u + m11 * v + m12 * s
        z[j] = m20 * u + m21 * v + m22 * s


@njit(cache=True, fastmath=True)
def _roots_row(x):
    """Cube roots with their signs (Halley's method from exponent bits, relative error below 3e-7)."""
    for j in range(len(x)):
        size = abs(x[j]) + np.float32(1e-12)
        bits = np.float32(size).view(np.int32)
        t = np.int32(np.float32(bits) * np.float32(1 / 3.0) + np.float32(709921077)).view(np.float32)
        cube = t * t * t
        t = t * (cube + size + size) / (cube + cube + size)
        cube = t * t * t
        t = t * (cube + size + size) / (cube + cube + size)
        x[j] = math.copysign(t, x[j])


@njit(inline="always")
def _turn_of(a, b):
    """Angle of (a, b) as a share of a full turn, 0 to 1, within 2e-5 (minimax polynomial of the arc tangent)."""
    wide, high = abs(a), abs(b)
    q = min(wide, high) / (max(wide, high) + np.float32(1e-12))
    s = q * q
    t = ((np.float32(-0.0464964749) * s + np.float32(0.15931422)) * s - np.float32(0.327622764)) * s * q + q
    t = np.float32(1.57079637) - t if high > wide else t
    t = np.float32(3.14159274) - t if a < np.float32(0) else t
    t = np.float32(6.28318548) - t if b < np.float32(0) else t
    return min(max(t * np.float32(0.159154937), np.float32(0)), np.float32(1))


@njit(cache=True, fastmath=True)
def _lab_row(x, y, z, lab, m, n):
    """One row of toned working light through OKLab, in place: to cone response for the output. `m`, `n`: see
    `_Finish.to_lms`, `from_lms`.
    """
    _product_row(m, x, y, z)
    for plane in (x, y, z):
        _roots_row(plane)
    _product_row(n, x, y, z)
    if lab.nodes:
        table = lab.by_hue
        turn = np.empty(len(x), np.int32)
        for j in range(len(x)):
            turn[j] = np.int32(_turn_of(y[j], z[j]) * np.float32(HUES) + np.float32(0.5))
        for j in range(len(x)):
            a, b, k = y[j], z[j], turn[j]
            c = math.sqrt(a * a + b * b)
            cosine, sine, gain, step = table[k, 0], table[k, 1], table[k, 2], table[k, 3]
            y[j] = gain * (a * cosine - b * sine)
            z[j] = gain * (a * sine + b * cosine)
            x[j] += step * min(c * np.float32(1 / FULL_CHROMA), np.float32(1.5))
    if lab.monochrome:
        for j in range(len(x)):
            y[j] = z[j] = np.float32(0)
    elif lab.quiet != np.float32(1):
        chroma, quiet = lab.chroma, lab.quiet - np.float32(1)
        for j in range(len(x)):
            c = math.sqrt(y[j] * y[j] + z[j] * z[j])
            gain = chroma * (np.float32(1) + quiet * exp2_of(c * np.float32(-1.442695 / QUIET_CHROMA)))
            y[j] *= gain
            z[j] *= gain
    else:
        chroma = lab.chroma
        for j in range(len(x)):
            y[j] *= chroma
            z[j] *= chroma
    if lab.tints:
        tints = lab.by_light
        for j in range(len(x)):
            k = np.int32(min(max(x[j], np.float32(0)), np.float32(1)) * np.float32(LIGHTS) + np.float32(0.5))
            y[j] += tints[k, 0]
            z[j] += tints[k, 1]


@njit(cache=True, fastmath=True)
def _tone_row(x, y, z, light, gain, i, scene, grids, uses, look):
    """Haze, tone, relief and the camera's look on one row of working light, in place; `light`: its luminance."""
    w = len(x)
    w0, w1, w2 = scene.weights[0], scene.weights[1], scene.weights[2]
    place_y = (np.float32(i) + scene.origin[0]) * scene.scale[0]
    start_x, step_x = scene.origin[1] * scene.scale[1], scene.scale[1]
    a, b = np.empty(w, np.float32), np.empty(w, np.float32)
    exposure = scene.exposure
    if uses.haze:
        _across(grids.haze_a, grids.haze_b, place_y, start_x, step_x, a, b)
        ax, ay, az = scene.airlight[0], scene.airlight[1], scene.airlight[2]
        for j in range(w):
            share = a[j] * (log2_of(light[j] * np.float32(1 / 0.18)) - exposure) + b[j]
            share = scene.haze_amount * min(max(share, np.float32(0)), np.float32(0.9))
            clear = np.float32(1) / max(np.float32(1) - share, np.float32(0.15))
            x[j] = (x[j] - ax) * clear + ax
            y[j] = (y[j] - ay) * clear + ay
            z[j] = (z[j] - az) * clear + az
            light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
    index = np.empty(w, np.uint32)
    per_ev = np.float32((EV_STEPS - 1) / (EV_HIGH - EV_LOW))
    last = np.float32(EV_STEPS - 2)
    _across(grids.base_a, grids.base_b, place_y, start_x, step_x, a, b)
    curve = scene.curve
    if uses.relief:
        c, d = np.empty(w, np.float32), np.empty(w, np.float32)
        _across(grids.medium_a, grids.medium_b, place_y, start_x, step_x, c, d)
        for j in range(w):
            ev = log2_of(light[j] * np.float32(1 / 0.18))
            base = a[j] * (ev - exposure) + b[j] + exposure
            medium = c[j] * (ev - exposure) + d[j] + exposure
            place = min(max((base - np.float32(EV_LOW)) * per_ev, np.float32(0)), last)
            index[j] = np.uint32(np.int32(place + np.float32(0.5)))
            a[j] = scene.broad * (medium - base) + scene.medium * (ev - medium)
    else:
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
    if uses.look:  # tone reads the light before the look, and acts on the light after it
        for j in range(w):
            k = index[j]
            if len(scene.reference) > 0:
                gain[j] -= scene.reference[k, 0] + scene.reference[k, 1] * a[j]
                b[j] = np.float32(-1)
            else:
                gain[j] -= log2_of(light[j] * np.float32(1 / 0.18))
        look_row(x, y, z, place_y, start_x, step_x, look, scene.raw_scale, scene.baseline_scale)
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


@njit(parallel=True, cache=True, fastmath=True, nogil=True)
def _point(rgb, clipped, clip_step, clip_y, clip_x, ratios, scene, grids, look, lab, finish, uses, out):
    """One row at a time in passes over row buffers, so that all but the table look-ups use vector registers."""
    h, w = rgb.shape[:2]
    matrix = scene.matrix
    w0, w1, w2 = scene.weights[0], scene.weights[1], scene.weights[2]
    rows = np.float32(ratios.red.shape[0])
    columns = np.float32(ratios.red.shape[1])
    for i in prange(h):
        x, y, z = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
        light, gain, index = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.uint32)
        row = rgb[i]
        marks = clipped[min(int((i + clip_y) * clip_step), clipped.shape[0] - 1)]
        for j in range(w):
            x[j], y[j], z[j] = row[j, 0], row[j, 1], row[j, 2]
        _product_row(matrix, x, y, z)
        first = min(int(clip_x * clip_step), clipped.shape[1] - 1)
        final = min(int((w - 1 + clip_x) * clip_step), clipped.shape[1] - 1)
        if marks[first : final + 1].max() > 0:
            gy = (np.float32(i) + scene.origin[0]) * scene.scale[0] * rows
            for j in range(w):
                bits = marks[min(int((j + clip_x) * clip_step), clipped.shape[1] - 1)]
                if bits:
                    gx = (np.float32(j) + scene.origin[1]) * scene.scale[1] * columns
                    r, g, b = rebuilt(row[j, 0], row[j, 1], row[j, 2], bits, ratios, gy, gx)
                    x[j] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
                    y[j] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
                    z[j] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
                    if bits == 7:  # nothing is known of the colour: the scene's own white
                        x[j] = y[j] = z[j] = w0 * x[j] + w1 * y[j] + w2 * z[j]
        if uses.tone:
            for j in range(w):
                light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
            _tone_row(x, y, z, light, gain, i, scene, grids, uses, look)
        if uses.edge:
            for j in range(w):
                ratio = exp2_of(scene.edge_light * (scene.edge_y[i] + scene.edge_x[j]))
                x[j] *= ratio
                y[j] *= ratio
                z[j] *= ratio
        if uses.mixing:
            _product_row(finish.mixing, x, y, z)
        if uses.curves:
            for c in range(3):
                plane = x if c == 0 else (y if c == 1 else z)
                for j in range(w):
                    place = math.sqrt(min(max(plane[j], np.float32(0)), np.float32(1))) * np.float32(_ENCODE_STEPS)
                    k = np.uint32(np.int32(place))
                    f = place - np.float32(np.int32(k))
                    beyond = max(plane[j] - np.float32(1), np.float32(0)) + min(plane[j], np.float32(0))
                    low, high = finish.curves[c, k], finish.curves[c, k + np.uint32(1)]
                    plane[j] = low + (high - low) * f + beyond
        inside = True
        if uses.lab:
            _lab_row(x, y, z, lab, finish.to_lms, finish.from_lms)
            _product_row(finish.lab_to_lms, x, y, z)
            for j in range(w):
                x[j] = x[j] * x[j] * x[j]
                y[j] = y[j] * y[j] * y[j]
                z[j] = z[j] * z[j] * z[j]
            _product_row(finish.lms_to_out, x, y, z)
        else:
            _product_row(finish.to_out, x, y, z)
        for j in range(w):
            inside &= (min(x[j], y[j], z[j]) >= np.float32(0)) & (max(x[j], y[j], z[j]) <= np.float32(1))
        if not inside:
            for j in range(w):
                high = max(x[j], y[j], z[j])
                if min(x[j], y[j], z[j]) < np.float32(0) or high > np.float32(1):
                    if high < np.float32(0.002):
                        x[j], y[j], z[j] = max(x[j], np.float32(0)), max(y[j], np.float32(0)), max(z[j], np.float32(0))
                    else:
                        x[j], y[j], z[j] = _fit(x[j], y[j], z[j], finish.out_to_lms, finish.from_lms,
                                                finish.lab_to_lms, finish.lms_to_out)  # fmt: skip
        line = out[i]
        for j in range(w):
            gain[j] = np.float32(0.5)
        if uses.dither:
            for j in range(w):
                seed = np.uint32(np.uint32(i) * np.uint32(0x85EBCA77) + np.uint32(j) * np.uint32(0x9E3779B1))
                seed = np.uint32((seed ^ (seed >> np.uint32(16))) * np.uint32(0x7FEB352D))
                seed = np.uint32((seed ^ (seed >> np.uint32(15))) * np.uint32(0x846CA68B))
                seed = np.uint32(seed ^ (seed >> np.uint32(16)))
                gain[j] = np.float32(np.int32(seed >> np.uint32(8))) * np.float32(2.0**-24)
        if uses.grain:
            side = finish.grain.shape[0]
            pattern = finish.grain[(i + finish.grain_y) % side]
            for j in range(w):
                light[j] = finish.grain_amount * pattern[(j + finish.grain_x) % side]
        encode, top = finish.encode, finish.top
        for c in range(3):
            plane = x if c == 0 else (y if c == 1 else z)
            for j in range(w):
                plane[j] = math.sqrt(min(max(plane[j], np.float32(0)), np.float32(1))) * np.float32(_ENCODE_STEPS)
                index[j] = np.uint32(np.int32(plane[j]))
            if uses.grain:
                for j in range(w):
                    k = index[j]
                    part = plane[j] - np.float32(np.int32(k))
                    code = encode[k] + (encode[k + np.uint32(1)] - encode[k]) * part
                    code += light[j] * math.sqrt(max(np.float32(4) * code * (np.float32(1) - code), np.float32(0)))
                    code = min(max(code, np.float32(0)), np.float32(1))
                    line[j, c] = code * top + gain[j]
            else:
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
    flat = Base(np.ones((2, 2), np.float32), np.zeros((2, 2), np.float32))
    base, medium = base or flat, params.medium or flat
    haze = params.haze or no_haze()
    reference = np.zeros((0, 2), np.float32) if params.reference is None else np.stack(params.reference, axis=1)
    edge_y, edge_x = edge_gain(rgb.shape[0], rgb.shape[1], origin[1], origin[0], factor, full_size)
    scene = _Scene(
        np.asarray(params.matrix, np.float32),
        LUMINANCE_2020.astype(np.float32),
        np.float32(params.exposure),
        np.array([origin[1] + 0.5, origin[0] + 0.5], np.float32),
        np.array([factor / height, factor / width], np.float32),
        np.stack([params.log_table, params.keep_table], axis=1),
        reference,
        np.float32(2.0**-params.exposure),
        np.float32(2.0**-params.user_exposure),
        np.float32(params.relief[0]),
        np.float32(params.relief[1]),
        (haze.light * 2.0**params.exposure).astype(np.float32),
        np.float32(params.haze_amount),
        np.float32(params.edge_light),
        edge_y,
        edge_x,
    )
    uses = _Uses(
        params.tone,
        params.look is not None,
        params.relief != (1.0, 1.0) and params.medium is not None,
        params.haze is not None and params.haze_amount != 0,
        params.lab is not None,
        params.mixing != IDENTITY,
        params.curves is not None,
        params.edge_light != 0,
        params.grain > 0,
        bits == 8,
    )
    out = np.empty(rgb.shape, np.uint8 if bits == 8 else np.uint16)
    _point(
        rgb,
        clipped,
        np.float32(factor / 2),
        origin[1],
        origin[0],
        params.ratios or no_ratios(),
        scene,
        _Grids(base.a, base.b, medium.a, medium.b, haze.a, haze.b),
        params.look or no_look(),
        params.lab or lab_stage(1.0, 1.0, False, (), Balance()),
        _finish(params, factor, origin, bits),
        uses,
        out,
    )
    return out


def _finish(params: PointParams, factor: float, origin: tuple[int, int], bits: int) -> _Finish:
    """What leads from toned light to codes."""
    name = params.space
    out_to_xyz = working_to_xyz() @ np.linalg.inv(working_to(name))
    lms = OKLAB_LMS_FROM_XYZ @ out_to_xyz
    grain = np.zeros((1, 1), np.float32)
    if params.grain > 0:
        grain = grain_pattern(float(params.grain_size), max(1, round(factor)))
    side = grain.shape[0]
    return _Finish(
        mixing=np.asarray(params.mixing, np.float32).reshape(3, 3),
        to_lms=(OKLAB_LMS_FROM_XYZ @ working_to_xyz()).astype(np.float32),
        from_lms=OKLAB_FROM_LMS.astype(np.float32),
        lab_to_lms=np.linalg.inv(OKLAB_FROM_LMS).astype(np.float32),
        lms_to_out=np.linalg.inv(lms).astype(np.float32),
        out_to_lms=lms.astype(np.float32),
        to_out=working_to(name).astype(np.float32),
        curves=np.zeros((3, _ENCODE_STEPS + 2), np.float32) if params.curves is None else params.curves,
        grain=grain,
        grain_amount=np.float32(params.grain * GRAIN_SIGMA / 100),
        grain_y=np.int64(origin[1] % side),
        grain_x=np.int64(origin[0] % side),
        encode=_ENCODE,
        top=np.float32((1 << bits) - 1),
    )
