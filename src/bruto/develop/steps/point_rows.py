"""Rows of the point pass: haze, tone and look on scene light; colour in OKLab; fitting into the gamut.

A row is worked in passes over buffers, so that all but the table look-ups use vector registers; matrices are read into
scalars first, as stores to a row could change them for all the compiler knows.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bruto.develop.steps.approximate import exp2_of, log2_of
from bruto.develop.steps.lab import FULL_CHROMA, HUES, LIGHTS, QUIET_CHROMA
from bruto.develop.steps.look import look_row
from bruto.develop.steps.tone import EV_HIGH, EV_LOW, EV_STEPS

BEND = 0.85
"""Output light from which detail bends towards white, at the lowest."""
FIT_PULL = 0.5
"""How far colours that do not fit give up lightness to keep chroma, 0: not at all (the alpha of Ottosson's method)."""


FADE_FROM, FADE_OVER = 0.97, 0.09
"""Lightness (OKLab) from which light that is too bright turns white, and over how much of it: where channels are full
and were guessed, colour is not to be believed.
"""


@njit(cache=True, fastmath=True, error_model="numpy")
def fit(r, g, b, out_to_lms, from_lms, lab_to_lms, lms_to_out):
    """Chroma lowered at constant OKLab hue until 0 <= rgb <= 1, on a straight line towards a grey that lies the nearer
    to middle lightness the more colourful the light is (`FIT_PULL`).
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


class Grids(NamedTuple):
    """Coarse fields over the frame, read between their cells: tone base, medium base, share of airlight."""

    base_a: NDArray[np.float32]
    base_b: NDArray[np.float32]
    medium_a: NDArray[np.float32]
    medium_b: NDArray[np.float32]
    haze_a: NDArray[np.float32]
    haze_b: NDArray[np.float32]


class Scene(NamedTuple):
    """From camera light to tone. `origin`, `scale`: of pixels of this piece, and from a pixel to the frame (y, x)."""

    matrix: NDArray[np.float32]
    weights: NDArray[np.float32]
    exposure: np.float32
    origin: NDArray[np.float32]
    scale: NDArray[np.float32]
    curve: NDArray[np.float32]
    reference: NDArray[np.float32]
    colour: NDArray[np.float32]
    raw_scale: np.float32
    baseline_scale: np.float32
    broad: np.float32
    medium: np.float32
    airlight: NDArray[np.float32]
    haze_amount: np.float32
    edge_light: np.float32
    edge_y: NDArray[np.float32]
    edge_x: NDArray[np.float32]


class Finish(NamedTuple):
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
    top: np.float32


class Uses(NamedTuple):
    """Which parts of the pass are wanted."""

    tone: bool
    pale: bool
    look: bool
    relief: bool
    haze: bool
    lab: bool
    mixing: bool
    curves: bool
    edge: bool
    grain: bool
    dither: bool


LARGEST_LIGHT = 1e6
"""Light beyond this (1 = saturation) comes from damage or from an impossible recipe, and counts as none."""
_LARGEST_BITS = np.int32(np.float32(LARGEST_LIGHT).view(np.int32))


@njit(cache=True, error_model="numpy")
def clear_row(x):
    """What is not finite, or beyond `LARGEST_LIGHT`, becomes 0: tables are looked up by these values.

    By the bits of the numbers, as comparisons of values that are no numbers may be left out by the compiler.
    """
    for j in range(len(x)):
        if (np.float32(x[j]).view(np.int32) & np.int32(0x7FFFFFFF)) > _LARGEST_BITS:
            x[j] = np.float32(0)


def at_least_two(field: NDArray[np.float32]) -> NDArray[np.float32]:
    """A coarse field of two rows and columns at least, as it is read between neighbours."""
    rows, columns = field.shape
    if rows >= 2 and columns >= 2:
        return field
    return np.ascontiguousarray(np.pad(field, ((0, max(0, 2 - rows)), (0, max(0, 2 - columns))), mode="edge"))


@njit(cache=True, fastmath=True, error_model="numpy")
def _across(field_a, field_b, place_y, start_x, step_x, a, b):
    """Two coarse fields along a row, linear between cell centres; places are relative to the frame.

    Loops of their own for places and for each field: together they would not fit the vector registers.
    """
    gh, gw = field_a.shape
    n = len(a)
    fy = min(max(place_y * np.float32(gh) - np.float32(0.5), np.float32(0)), np.float32(gh - 1.001))
    iy = int(fy)
    fy -= np.float32(iy)
    right = np.float32(gw - 1.001)
    first = start_x * np.float32(gw) - np.float32(0.5)
    step = step_x * np.float32(gw)
    cell, share, row = np.empty(n, np.uint32), np.empty(n, np.float32), np.empty(gw, np.float32)
    for j in range(n):
        fx = min(max(first + np.float32(j) * step, np.float32(0)), right)
        cell[j] = np.uint32(np.int32(fx))
        share[j] = fx - np.float32(np.int32(fx))
    low, high = int(cell[0]), int(cell[n - 1]) + 2
    for field, out in ((field_a, a), (field_b, b)):
        above, below, mixed = field[iy, low:high], field[iy + 1, low:high], row[low:high]
        for k in range(high - low):
            mixed[k] = above[k] + (below[k] - above[k]) * fy
        for j in range(n):
            k = cell[j]
            out[j] = row[k] + (row[k + np.uint32(1)] - row[k]) * share[j]


@njit(cache=True, fastmath=True, error_model="numpy")
def product_row(m, x, y, z):
    """Three planes of a row times a matrix (3, 3), in place; coefficients in registers, as stores could change `m`."""
    m00, m01, m02 = m[0, 0], m[0, 1], m[0, 2]
    m10, m11, m12 = m[1, 0], m[1, 1], m[1, 2]
    m20, m21, m22 = m[2, 0], m[2, 1], m[2, 2]
    for j in range(len(x)):
        u, v, s = x[j], y[j], z[j]
        x[j] = m00 * u + m01 * v + m02 * s
        y[j] = m10 * u + m11 * v + m12 * s
        z[j] = m20 * u + m21 * v + m22 * s


@njit(cache=True, fastmath=True, error_model="numpy")
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


@njit(inline="always")
def code_of(x):
    """sRGB's encoding of light 0..1 (IEC 61966-2-1), within 2e-6."""
    x = min(max(x, np.float32(0)), np.float32(1))
    power = exp2_of(log2_of(max(x, np.float32(0.003))) * np.float32(1 / 2.4))
    return np.float32(12.92) * x if x <= np.float32(0.0031308) else np.float32(1.055) * power - np.float32(0.055)


@njit(cache=True, fastmath=True, error_model="numpy")
def lab_row(x, y, z, lab, m, n):
    """One row of toned working light through OKLab, in place: to cone response for the output. `m`, `n`: see
    `Finish.to_lms`, `from_lms`.
    """
    product_row(m, x, y, z)
    for plane in (x, y, z):
        _roots_row(plane)
    product_row(n, x, y, z)
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


@njit(cache=True, fastmath=True, error_model="numpy")
def tone_row(x, y, z, light, gain, i, scene, grids, uses, look):
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
    bright = False
    for j in range(w):
        gain[j] = np.float32(0.18) * exp2_of(gain[j])
        bright |= gain[j] > np.float32(BEND)
    if bright:  # shoulder: detail above the bright end of the base bends instead of breaking; the base itself is kept
        for j in range(w):
            start = min(max(np.float32(0.18) * exp2_of(b[j]), np.float32(BEND)), np.float32(0.995))
            room = np.float32(1) - start
            over = max(gain[j] - start, np.float32(0))
            bent = start + room * (np.float32(1) - exp2_of(over * np.float32(-1.44269504) / room))
            gain[j] = bent if over > np.float32(0) else gain[j]
    for j in range(w):
        ratio = gain[j] / light[j]
        x[j] *= ratio
        y[j] *= ratio
        z[j] *= ratio
    if uses.pale:
        colour = scene.colour
        for j in range(w):
            share, grey = colour[index[j]], gain[j]
            x[j] = grey + share * (x[j] - grey)
            y[j] = grey + share * (y[j] - grey)
            z[j] = grey + share * (z[j] - grey)
