"""The point pass: highlights, colour matrix, haze, tone, relief, look, colour, gamut, encoding in one compiled loop.

Gamut mapping keeps OKLab hue and lowers chroma until the colour fits; bright and dark colours give up some lightness
for it, or a sunset would turn white (Ottosson 2021, "sRGB gamut clipping", adaptive form about middle lightness).
Dither is one code wide, uniform (the mean is exact), and repeats for the same place (32-bit mixing by Wellons 2018,
"Prospecting for hash functions").
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
    working_to,
    working_to_xyz,
)
from bruto.develop.interleaved import apart, lines, together
from bruto.develop.steps.approximate import exp2_of
from bruto.develop.steps.finish import GRAIN_SIGMA, edge_gain, grain_pattern
from bruto.develop.steps.haze import Haze, no_haze
from bruto.develop.steps.highlights import Ratios, no_ratios, rebuilt
from bruto.develop.steps.lab import LabStage, lab_stage
from bruto.develop.steps.look import Look, no_look
from bruto.develop.steps.point_rows import (
    Finish,
    Grids,
    Scene,
    Uses,
    at_least_two,
    clear_row,
    code_of,
    fit,
    lab_row,
    product_row,
    tone_row,
)
from bruto.develop.steps.tone import Base
from bruto.develop.values import IDENTITY, Balance

_ENCODE_STEPS = 4096


@dataclass(frozen=True)
class PointParams:
    """Everything the point pass needs besides pixels.

    `matrix`: balanced camera to working space, exposure included; `exposure`: log2 of that gain; `log_table`,
    `keep_table`: see `tone.tables`; `space`: output space name; `colour_table`: see `tone`, None where all is kept;
    `lab`: colour in OKLab, None where nothing is asked; `look`: of the camera profile; `reference`: the tone tables
    that its curve stands for, where it has one; `user_exposure`: the recipe's part of `exposure`, EV; `medium`: the
    base under medium structure, where relief is asked for, with the gains `relief` of broad and medium structure;
    `haze` and the share of it that is taken out; `mixing`: channel matrix; `curves`: see `finish.curve_tables`;
    `edge_light`: EV in the corners; `grain`: amount, and `grain_size` in pixels at full size; `ratios`: see
    `highlights.ratios_of`.
    """

    matrix: NDArray[np.float64]
    exposure: float
    log_table: NDArray[np.float32]
    keep_table: NDArray[np.float32]
    space: str
    colour_table: NDArray[np.float32] | None = None
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


class Placement(NamedTuple):
    """Where a piece of `factor` full-size pixels a pixel lies.

    `origin` (x, y; pixels of the piece) and `frame` (width, height; full-size pixels): for fields over the frame;
    `clip_step`, `clip_origin`: from pixels of the piece to cells of the map of full channels; `own_origin`,
    `own_frame`: in the picture that is shown, whose edges and grain are meant.
    """

    factor: float
    origin: tuple[float, float]
    frame: tuple[int, int]
    clip_step: float
    clip_origin: tuple[float, float]
    own_origin: tuple[float, float]
    own_frame: tuple[int, int]


def placed(factor: float, origin: tuple[float, float], frame: tuple[int, int]) -> Placement:
    """A piece of a frame that is shown as it was recorded."""
    return Placement(factor, origin, frame, factor / 2, origin, origin, frame)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _point(rgb, clipped, clip_step, clip_y, clip_x, ratios, scene, grids, look, lab, finish, uses, out8, out16):
    """One line of `rgb` (h, 3 w) at a time in passes over row buffers, so that all but the table look-ups use vector
    registers. Codes go to `out8` where they are dithered, else to `out16`: one variant for both.
    """
    h, w = rgb.shape[0], rgb.shape[1] // 3
    matrix = scene.matrix
    w0, w1, w2 = scene.weights[0], scene.weights[1], scene.weights[2]
    rows = np.float32(ratios.red.shape[0])
    columns = np.float32(ratios.red.shape[1])
    for i in prange(h):
        x, y, z = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
        light, gain = np.empty(w, np.float32), np.empty(w, np.float32)
        row = rgb[i]
        marks = clipped[min(int((i + clip_y) * clip_step), clipped.shape[0] - 1)]
        apart(row, x, y, z)
        product_row(matrix, x, y, z)
        first = min(int(clip_x * clip_step), clipped.shape[1] - 1)
        final = min(int((w - 1 + clip_x) * clip_step), clipped.shape[1] - 1)
        if marks[first : final + 1].max() > 0:
            gy = (np.float32(i) + scene.origin[0]) * scene.scale[0] * rows
            for j in range(w):
                bits = marks[min(int((j + clip_x) * clip_step), clipped.shape[1] - 1)]
                if bits:
                    gx = (np.float32(j) + scene.origin[1]) * scene.scale[1] * columns
                    r, g, b = rebuilt(row[3 * j], row[3 * j + 1], row[3 * j + 2], bits, ratios, gy, gx)
                    x[j] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
                    y[j] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
                    z[j] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
                    if bits == 7:  # nothing is known of the colour: the scene's own white
                        x[j] = y[j] = z[j] = w0 * x[j] + w1 * y[j] + w2 * z[j]
        clear_row(x)
        clear_row(y)
        clear_row(z)
        if uses.tone:
            for j in range(w):
                light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
            tone_row(x, y, z, light, gain, i, scene, grids, uses, look)
        if uses.edge:
            for j in range(w):
                ratio = exp2_of(scene.edge_light * (scene.edge_y[i] + scene.edge_x[j]))
                x[j] *= ratio
                y[j] *= ratio
                z[j] *= ratio
        if uses.mixing:
            product_row(finish.mixing, x, y, z)
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
            lab_row(x, y, z, lab, finish.to_lms, finish.from_lms)
            product_row(finish.lab_to_lms, x, y, z)
            for j in range(w):
                x[j] = x[j] * x[j] * x[j]
                y[j] = y[j] * y[j] * y[j]
                z[j] = z[j] * z[j] * z[j]
            product_row(finish.lms_to_out, x, y, z)
        else:
            product_row(finish.to_out, x, y, z)
        for j in range(w):
            inside &= (min(x[j], y[j], z[j]) >= np.float32(0)) & (max(x[j], y[j], z[j]) <= np.float32(1))
        if not inside:
            for j in range(w):
                high = max(x[j], y[j], z[j])
                if min(x[j], y[j], z[j]) < np.float32(0) or high > np.float32(1):
                    if high < np.float32(0.002):
                        x[j], y[j], z[j] = max(x[j], np.float32(0)), max(y[j], np.float32(0)), max(z[j], np.float32(0))
                    else:
                        x[j], y[j], z[j] = fit(x[j], y[j], z[j], finish.out_to_lms, finish.from_lms,
                                                finish.lab_to_lms, finish.lms_to_out)  # fmt: skip
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
        top = finish.top
        for c in range(3):
            plane = x if c == 0 else (y if c == 1 else z)
            if uses.grain:
                for j in range(w):
                    code = code_of(plane[j])
                    code += light[j] * math.sqrt(max(np.float32(4) * code * (np.float32(1) - code), np.float32(0)))
                    plane[j] = min(max(code, np.float32(0)), np.float32(1)) * top + gain[j]
            else:
                for j in range(w):
                    plane[j] = code_of(plane[j]) * top + gain[j]
        if uses.dither:
            together(x, y, z, out8[i])
        else:
            together(x, y, z, out16[i])


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _matrix_only(rgb, matrix, out):
    w = rgb.shape[1] // 3
    for i in prange(rgb.shape[0]):
        x, y, z = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
        apart(rgb[i], x, y, z)
        product_row(matrix, x, y, z)
        together(x, y, z, out[i])


def to_working(rgb: NDArray[np.float32], matrix: NDArray) -> NDArray[np.float32]:
    """Linear working-space RGB (H, W, 3)."""
    out = np.empty(rgb.shape, np.float32)
    _matrix_only(lines(rgb), np.asarray(matrix, np.float32), lines(out))
    return out


def point_pass(
    rgb: NDArray[np.float32],
    clipped: NDArray[np.uint8],
    base: Base | None,
    params: PointParams,
    place: Placement,
    bits: int = 8,
) -> NDArray:
    """Balanced camera RGB (H, W, 3) to an encoded picture, uint8 or uint16.

    `clipped`: map of full channels, see `place`; `base`: of the whole frame.
    """
    width, height = place.frame
    factor, origin = place.factor, place.origin
    flat = Base(np.ones((2, 2), np.float32), np.zeros((2, 2), np.float32))
    base, medium = base or flat, params.medium or flat
    haze = params.haze or no_haze()
    reference = np.zeros((0, 2), np.float32) if params.reference is None else np.stack(params.reference, axis=1)
    edge_y, edge_x = edge_gain(
        rgb.shape[0], rgb.shape[1], place.own_origin[1], place.own_origin[0], factor, place.own_frame
    )
    scene = Scene(
        np.asarray(params.matrix, np.float32),
        LUMINANCE_2020.astype(np.float32),
        np.float32(params.exposure),
        np.array([origin[1] + 0.5, origin[0] + 0.5], np.float32),
        np.array([factor / height, factor / width], np.float32),
        np.stack([params.log_table, params.keep_table], axis=1),
        reference,
        np.ones(1, np.float32) if params.colour_table is None else params.colour_table,
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
    uses = Uses(
        params.tone,
        params.colour_table is not None,
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
        lines(rgb),
        clipped,
        np.float32(place.clip_step),
        np.float32(place.clip_origin[1]),
        np.float32(place.clip_origin[0]),
        params.ratios or no_ratios(),
        scene,
        Grids(*(at_least_two(f) for f in (base.a, base.b, medium.a, medium.b, haze.a, haze.b))),
        params.look or no_look(),
        params.lab or lab_stage(1.0, 1.0, False, (), Balance()),
        _finish(params, factor, place.own_origin, bits),
        uses,
        lines(out) if bits == 8 else np.empty((0, 0), np.uint8),
        lines(out) if bits != 8 else np.empty((0, 0), np.uint16),
    )
    return out


def _finish(params: PointParams, factor: float, origin: tuple[float, float], bits: int) -> Finish:
    """What leads from toned light to codes."""
    name = params.space
    out_to_xyz = working_to_xyz() @ np.linalg.inv(working_to(name))
    lms = OKLAB_LMS_FROM_XYZ @ out_to_xyz
    grain = np.zeros((1, 1), np.float32)
    if params.grain > 0:
        grain = grain_pattern(float(params.grain_size), max(1, round(factor)))
    side = grain.shape[0]
    return Finish(
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
        grain_y=np.int64(int(origin[1]) % side),
        grain_x=np.int64(int(origin[0]) % side),
        top=np.float32((1 << bits) - 1),
    )
