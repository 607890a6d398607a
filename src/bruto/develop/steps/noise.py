"""Noise: brightness and colour, in units of the measured standard deviation.

After variance stabilisation (generalised Anscombe transform; Starck, Murtagh, Bijaoui 1998) the noise is the same
everywhere. Brightness and two colour differences are denoised by overlapping cosine transforms (`dct`), whose noise in
each coefficient is not assumed but measured once, on pure noise sent through the same steps, so that noise which
demosaicing has made coarse is known for what it is. Colour is worked at half the size, where red and blue of a mosaic
are sampled and eyes see it; finer colour follows brightness as it does around (the linear model of He, Sun, Tang,
"Guided image filtering", IEEE TPAMI 35-6, 2013). A picture at a quarter of the size is denoised likewise and stands
in for the coarse part (Pierazzo, Rais, Morel, Facciolo, "Multi-scale DCT denoising", IPOL 7, 2017). The colour of the
surround, in proportion to light, is taken out of the differences before (see `chroma_field`). The shading gain of the
lens raises noise towards the corners; `gain` carries it.

Two grades: *quick* (blocks every 4 pixels) and *best* (every 2, and a third pass over groups of like blocks, see
`block_matching`).
"""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.buffer_pool import empty
from bruto.develop.noise_coefficients import COARSE, EVEN, GREEN, coefficient_noise, ratios_of
from bruto.develop.rgb_rows import lines, together
from bruto.develop.steps.block_matching import NEAR, filter_alike
from bruto.develop.steps.chroma_field import CELL, ChromaField, unlit_brightness
from bruto.develop.steps.cut_black import uncut_tables, undo_cut
from bruto.develop.steps.dct import SIDE, denoise_plane
from bruto.develop.steps.grain import grain_shares
from bruto.develop.steps.grey_line import grey_line, grey_row, without_grey
from bruto.develop.steps.variance_stabilisation import FARTHEST, inverses, light_row

UNEVEN = (1.2, 1.08)
"""Factors on brightness and colour noise after demosaicing: it is uneven from site to site, so that its mean falls
short (found on scikit-image's photographs).
"""
FOLLOWS = {"mosaic": (2, 0.5), "plain": (1, 0.5), "binned": (1, 0.5)}
"""How far to both sides colour is seen to follow brightness, pixels of half the size, and the variance of brightness
that counts as nothing, in variances of the noise of a channel (found on scikit-image's photographs).
"""
LEAST_GAIN = 0.02
"""Photon noise of a channel at least, of that of the noisiest: a file that states none for one is not believed."""
FARTHEST_MOVED = 4.0
"""Standard deviations of its noise by which a value is changed at most: what differs by more is no noise, and of deep
red, whose green is next to nothing, red would be given green's unevenness.
"""
COARSE_SHARE = 0.9
"""Of the strength asked for, what the coarse part is filtered with: colours of things are lost sooner there than noise
shows (found on scikit-image's photographs: 0.8 to 1 are as good).
"""
REACH = 64
"""Pixels around a place that matter visibly at full size."""


@njit(cache=True, fastmath=True, error_model="numpy")
def _stabilised_row(row, scale, offset, factor, channel_matrix, y, u, v):
    """One line of balanced camera RGB to stabilised brightness and colour differences.

    What is below black goes on straight, as far as noise goes: the square root's steepness would make black specks.
    """
    zero, farthest = np.float32(0), np.float32(-FARTHEST)
    s0, s1, s2 = scale[0], scale[1], scale[2]
    o0, o1, o2 = offset[0], offset[1], offset[2]
    k0, k1, k2 = factor[0], factor[1], factor[2]
    t0, t1, t2 = np.float32(1) / math.sqrt(o0), np.float32(1) / math.sqrt(o1), np.float32(1) / math.sqrt(o2)
    side, middle = channel_matrix[0], channel_matrix[1]
    for j in range(len(y)):
        r, g, b = row[3 * j], row[3 * j + 1], row[3 * j + 2]
        r = k0 * math.sqrt(s0 * max(r, zero) + o0) + max(t0 * min(r, zero), farthest)
        g = k1 * math.sqrt(s1 * max(g, zero) + o1) + max(t1 * min(g, zero), farthest)
        b = k2 * math.sqrt(s2 * max(b, zero) + o2) + max(t2 * min(b, zero), farthest)
        y[j] = side * (r + b) + middle * g
        u[j] = np.float32(0.5) * (r - b)
        v[j] = np.float32(0.25) * (r - g - g + b)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _stabilise(rgb, scale, offset, factor, channel_matrix, y, u, v):
    """Lines of balanced camera RGB (h, 3 w) to brightness (h, w) and colour differences: as many, or half a side."""
    h, w = y.shape
    if u.shape[0] == h:
        for i in prange(h):
            _stabilised_row(rgb[i], scale, offset, factor, channel_matrix, y[i], u[i], v[i])
    else:
        half = u.shape[1]
        for i in prange((h + 1) // 2):
            line_u, line_v = np.empty((2, w), np.float32), np.empty((2, w), np.float32)
            for sub in range(min(2, h - 2 * i)):
                _stabilised_row(
                    rgb[2 * i + sub], scale, offset, factor, channel_matrix, y[2 * i + sub], line_u[sub], line_v[sub]
                )
            if i < u.shape[0]:
                for k in range(half):
                    j = 2 * k
                    u[i, k] = np.float32(0.25) * (line_u[0, j] + line_u[0, j + 1] + line_u[1, j] + line_u[1, j + 1])
                for k in range(half):
                    j = 2 * k
                    v[i, k] = np.float32(0.25) * (line_v[0, j] + line_v[0, j + 1] + line_v[1, j] + line_v[1, j + 1])


@njit(cache=True, fastmath=True, error_model="numpy")
def _doubled_row(small, i, mixed, line):
    """Row i of a plane at twice the size, straight between its pixels; the outermost are repeated."""
    h, w = small.shape
    k = min(i // 2, h - 1)
    near = min(max(k - 1, 0), h - 1) if (i & 1) == 0 else min(k + 1, h - 1)
    a, b = small[k], small[near]
    for j in range(w):
        mixed[j + 1] = np.float32(0.75) * a[j] + np.float32(0.25) * b[j]
    mixed[0], mixed[w + 1] = mixed[1], mixed[w]
    for j in range(w):
        line[2 * j] = np.float32(0.75) * mixed[j + 1] + np.float32(0.25) * mixed[j]
        line[2 * j + 1] = np.float32(0.75) * mixed[j + 1] + np.float32(0.25) * mixed[j + 2]
    if len(line) > 2 * w:
        line[2 * w] = line[2 * w - 1]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _slopes(y, u, v, reach, floor, slope_u, slope_v):
    """How colour differences follow brightness (all h, w) in squares of `reach` to both sides.

    Slopes of the straight lines through them, drawn to 0 where brightness changes by no more than `floor`
    (variance).
    """
    h, w = y.shape
    for i in prange(h):
        sums = np.zeros((6, w + 2 * reach), np.float32)
        for di in range(-reach, reach + 1):
            k = min(max(i + di, 0), h - 1)
            for c in range(6):
                a = y[k] if c < 2 or c > 3 else (u[k] if c == 2 else v[k])
                b = y[k] if c == 1 else (u[k] if c == 4 else v[k])
                inner = sums[c, reach : reach + w]
                if c == 0 or c == 2 or c == 3:
                    for j in range(w):
                        inner[j] += a[j]
                else:
                    for j in range(w):
                        inner[j] += a[j] * b[j]
        for c in range(6):
            for x in range(reach):
                sums[c, x] = sums[c, reach]
                sums[c, reach + w + x] = sums[c, reach + w - 1]
        mean = np.zeros((6, w), np.float32)
        n = np.float32(1) / np.float32((2 * reach + 1) * (2 * reach + 1))
        for c in range(6):
            total = mean[c]
            for x in range(2 * reach + 1):
                part = sums[c, x : x + w]
                for j in range(w):
                    total[j] += part[j]
            for j in range(w):
                total[j] *= n
        m, square, mu, mv, cu, cv = mean[0], mean[1], mean[2], mean[3], mean[4], mean[5]
        to_u, to_v = slope_u[i], slope_v[i]
        for j in range(w):
            scale = np.float32(1) / (max(square[j] - m[j] * m[j], np.float32(0)) + floor)
            to_u[j] = (cu[j] - mu[j] * m[j]) * scale
            to_v[j] = (cv[j] - mv[j] * m[j]) * scale


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _halved(plane, out):
    """Means of 2 x 2."""
    h, w = out.shape
    for i in prange(h):
        a, b, line = plane[2 * i], plane[2 * i + 1], out[i]
        for k in range(w):
            line[k] = np.float32(0.25) * ((a[2 * k] + a[2 * k + 1]) + (b[2 * k] + b[2 * k + 1]))


def _of_size(y: NDArray[np.float32], out: NDArray[np.float32], half: bool) -> NDArray[np.float32]:
    """Brightness of the size of the colours: means of 2 x 2 in `out`, or the plane itself."""
    if not half:
        return y
    _halved(y, out)
    return out


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _unstabilise(
    y, noisy, grain, u, v, half, grey, grey_u, grey_v, scale, places, terms, channel_matrix, old, far, rises, out
):
    """Back to linear (`places`, `terms`: see `inverses`).

    No value goes farther from what it was, `old` (h, 3 w), than the root of a x + b times `rises` (any number of rows,
    3 w); `far` (2, 3 w): a, b.

    Colour differences may be of half the size; then `half` holds brightness of that size and the slopes by which
    they follow it, and what is finer in brightness brings its colour along. `grey`, `grey_u`, `grey_v`: see
    `GreyLine`; what grey has comes back. `grain` (h, w): share of what `noisy` has more than `y` that stays.
    """
    h, w = y.shape
    full = u.shape[0] == h
    to_side, to_middle = channel_matrix[2], channel_matrix[3]
    for i in prange(h):
        r, g, b = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
        line_u, line_v = np.empty(w, np.float32), np.empty(w, np.float32)
        light, whole, smooth, stays = np.empty(w, np.float32), noisy[i], y[i], grain[i]
        for j in range(w):
            light[j] = smooth[j] + stays[j] * (whole[j] - smooth[j])
        if full:
            line_u[:] = u[i]
            line_v[:] = v[i]
        else:
            mixed = np.empty(u.shape[1] + 2, np.float32)
            _doubled_row(u, i, mixed, line_u)
            _doubled_row(v, i, mixed, line_v)
            _doubled_row(half[0], i, mixed, r)
            _doubled_row(half[1], i, mixed, g)
            _doubled_row(half[2], i, mixed, b)
            for j in range(w):
                line_u[j] += g[j] * (light[j] - r[j])
            for j in range(w):
                line_v[j] += b[j] * (light[j] - r[j])
        grey_row(light, grey, grey_u, grey_v, r, g)
        # loops over few arrays each: those over many are not put into vector registers
        for j in range(w):
            line_u[j] += r[j]
        for j in range(w):
            line_v[j] += g[j]
        for j in range(w):
            r[j] = light[j] + to_side * line_v[j] + line_u[j]
        for j in range(w):
            b[j] = light[j] + to_side * line_v[j] - line_u[j]
        for j in range(w):
            g[j] = light[j] - to_middle * line_v[j]
        light_row(r, scale[0], places[0], terms[0])
        light_row(g, scale[1], places[1], terms[1])
        light_row(b, scale[2], places[2], terms[2])
        line, was, rise = out[i], old[i], rises[i * rises.shape[0] // h]
        together(r, g, b, line)
        most, by_light, by_itself = np.empty(3 * w, np.float32), far[0], far[1]
        for k in range(3 * w):
            most[k] = max(max(was[k], line[k]), np.float32(0))
        for k in range(3 * w):
            most[k] = most[k] * by_light[k] + by_itself[k]
        for k in range(3 * w):
            most[k] = rise[k] * math.sqrt(most[k])
        for k in range(3 * w):
            line[k] = min(max(line[k], was[k] - most[k]), was[k] + most[k])


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _coarse_of(plane, out):
    """Means of `COARSE` x `COARSE`."""
    h, w = out.shape
    share = np.float32(1 / (COARSE * COARSE))
    for i in prange(h):
        total = np.empty(w * COARSE, np.float32)
        a, b, c, d = plane[4 * i], plane[4 * i + 1], plane[4 * i + 2], plane[4 * i + 3]
        for x in range(w * COARSE):
            total[x] = (a[x] + b[x]) + (c[x] + d[x])
        line = out[i]
        for k in range(w):
            line[k] = share * ((total[4 * k] + total[4 * k + 1]) + (total[4 * k + 2] + total[4 * k + 3]))


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _add_coarse(change, plane):
    """Add a plane at 1 / `COARSE`, straight between its pixels; the outermost are repeated."""
    h, w = change.shape
    for i in prange(h * COARSE):
        k, phase = i // COARSE, i % COARSE
        near = max(k - 1, 0) if phase < COARSE // 2 else min(k + 1, h - 1)
        far = np.float32(0.375) if phase == 0 or phase == COARSE - 1 else np.float32(0.125)
        a, b, mixed = change[k], change[near], np.empty(w + 2, np.float32)
        for x in range(w):
            mixed[x + 1] = a[x] + far * (b[x] - a[x])
        mixed[0], mixed[w + 1] = mixed[1], mixed[w]
        left, here, right, line = mixed[:w], mixed[1 : w + 1], mixed[2 : w + 2], plane[i]
        for x in range(w):
            line[4 * x] += np.float32(0.625) * here[x] + np.float32(0.375) * left[x]
            line[4 * x + 1] += np.float32(0.875) * here[x] + np.float32(0.125) * left[x]
            line[4 * x + 2] += np.float32(0.875) * here[x] + np.float32(0.125) * right[x]
            line[4 * x + 3] += np.float32(0.625) * here[x] + np.float32(0.375) * right[x]


def _without(
    plane: NDArray[np.float32],
    fine: NDArray[np.float32],
    coarse: NDArray[np.float32],
    strength: float,
    gain: NDArray[np.float32],
    strides: tuple[int, int],
) -> NDArray[np.float32]:
    """Take fine and coarse noise from a plane; `fine`, `coarse` (8, 8): noise by coefficient; `strides` of both."""
    done = denoise_plane(plane, fine, strength, _across(gain, plane.shape[1]), strides[0])
    h, w = (n // COARSE for n in plane.shape)
    if min(h, w) < 3 * SIDE:
        return done
    small, low = np.empty((h, w), np.float32), np.empty((h, w), np.float32)
    _coarse_of(plane, small)
    _coarse_of(done, low)
    _add_coarse(denoise_plane(small, coarse, COARSE_SHARE * strength, _across(gain, w), strides[1]) - low, done)
    return done


def _as_coarse_as(known: NDArray[np.float32], plane: NDArray[np.float32]) -> None:
    """Means of `COARSE` x `COARSE` of a plane become those of one without coarse noise."""
    h, w = (n // COARSE for n in plane.shape)
    wanted, found = np.empty((h, w), np.float32), np.empty((h, w), np.float32)
    _coarse_of(known, wanted)
    _coarse_of(plane, found)
    _add_coarse(wanted - found, plane)


def _agreed(
    noisy: tuple[NDArray[np.float32], ...],
    estimates: tuple[NDArray[np.float32], ...],
    fine: NDArray[np.float32],
    strengths: tuple[float, float, float],
    gain: NDArray[np.float32],
) -> list[NDArray[np.float32]]:
    """Brightness and colours filtered once more in groups of like blocks, with what is known of them so far."""
    out = list(estimates)
    for members in ((0,), (1, 2)):
        shape = estimates[members[0]].shape
        if strengths[members[0]] <= 0 or min(shape) < 3 * SIDE:
            continue
        guide = estimates[0]
        if guide.shape != shape:
            whole = guide[: 2 * shape[0], : 2 * shape[1]]
            guide = cv2.resize(whole, shape[::-1], interpolation=cv2.INTER_AREA)
        planes, pilots = (np.stack([found[k] for k in members]) for found in (noisy, estimates))
        sigma = np.stack([fine[k] * np.float32(strengths[k]) for k in members])
        variance = float(fine[0, SIDE // 2, SIDE // 2]) ** 2
        done = filter_alike(guide, planes, pilots, sigma, _across(gain, shape[1]), NEAR * variance)
        for k, plane in zip(members, done, strict=True):
            if k == 0:  # groups of like blocks leave coarse brightness noise on plain ground, but no coarse colour
                _as_coarse_as(estimates[0], plane)
            out[k] = plane
    return out


def _across(gain: NDArray[np.float32], width: int) -> NDArray[np.float32]:
    """Factor on the noise's standard deviation along rows of that width, from the shading gain (gh, gw)."""
    columns = np.arange(width) * gain.shape[1] // width
    return np.ascontiguousarray(np.sqrt(gain)[:, columns])


def reduce_noise(
    rgb: NDArray[np.float32],
    noise: NDArray[Any],
    brightness: float,
    color: float,
    kind: str,
    gain: NDArray[np.float32],
    best: bool = False,
    half: bool = True,
    cut: NDArray[Any] | None = None,
) -> NDArray[np.float32]:
    """Return a copy of linear balanced camera RGB (H, W, 3) with its noise reduced.

    `noise` (3, 2): a, b of variance a x + b for each balanced channel of one photosite. `gain` (h, w): shading gain
    over this area, any size.

    Parameters
    ----------
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.
    brightness
        Multiples of the measured standard deviation taken out.
    color
        Multiples of the measured standard deviation taken out.
    kind
        See `coefficient_noise`.
    gain
        Gain of the shading correction (H, W).
    best
        The slower grade.
    half
        Colour at half the size, but in the best grade of what has full colour.
    cut
        Noise (3, 2) of a photosite, balanced, where the phone stored none of it below black (see `cut_black`).

    Returns
    -------
    NDArray[np.float32]
        Noise-reduced copy of linear balanced camera RGB (H, W, 3).
    """
    if brightness <= 0 and color <= 0:
        return rgb
    a = np.asarray(noise, float)[:, 0]
    a = np.maximum(a, max(1e-9, LEAST_GAIN * float(a.max())))
    b = np.maximum(np.asarray(noise, float)[:, 1], 0)
    h, w = rgb.shape[:2]
    half = half and not (best and kind == "plain") and color > 0 and min(h, w) > 4 * SIDE
    y = empty((h, w))
    u, v = (empty((h // 2, w // 2) if half else (h, w)) for _ in range(2))
    scale = a.astype(np.float32)
    channel_matrix = EVEN if kind == "plain" else GREEN
    _stabilise(
        lines(rgb), scale, (0.375 * a * a + b).astype(np.float32), (2 / a).astype(np.float32), channel_matrix, y, u, v
    )
    fine, coarse, variance = coefficient_noise(kind, half, *ratios_of(np.stack([a, b], axis=1)))
    asked, farthest = brightness, FARTHEST_MOVED * max(1.0, brightness, color)
    if kind == "mosaic":
        brightness, color = brightness * UNEVEN[0], color * UNEVEN[1]
    stride = 2 if best else 4
    noisy_y, grey = y, grey_line(a, b, variance, channel_matrix)
    if brightness > 0:
        y = _without(y, fine[0], coarse[0], brightness, gain, (stride, 4))
    without_grey(y, *grey, u, v, u, v)
    planes = empty((3, *u.shape)) if half else np.empty((3, 1, 1), np.float32)
    field = None
    if color > 0 and min(u.shape) >= CELL:
        around = _of_size(y, planes[0], half)
        field = ChromaField(around, u, v, unlit_brightness(a, b, channel_matrix))
        field.add(around, u, v, -1)
    noisy = (noisy_y, u, v)
    if color > 0:
        u, v = (_without(p, fine[k], coarse[k], color, gain, (stride, 2)) for k, p in ((1, u), (2, v)))
    if best:
        y, u, v = _agreed(noisy, (y, u, v), fine, (brightness, color, color), gain)
    around = _of_size(y, planes[0], half)
    if field is not None:
        field.add(around, u, v, 1)
    out = empty(rgb.shape)
    if half:
        reach, floor = FOLLOWS[kind]
        _slopes(planes[0], u, v, reach, np.float32(floor), planes[1], planes[2])
    sigma = math.sqrt(float((fine[0] ** 2).mean()))
    grain = grain_shares(y, sigma, gain, asked)
    far = np.tile(np.stack([a, b]) * farthest**2, w).astype(np.float32)
    rises = np.repeat(_across(gain, w), 3, axis=1).astype(np.float32)
    back = *grey, scale, *inverses(a, b, variance), channel_matrix, lines(rgb), far, rises, lines(out)
    _unstabilise(y, noisy[0], grain, u, v, planes, *back)
    if cut is not None and brightness > 0 and color > 0:  # of noise itself there is no mean
        undo_cut(lines(out), gain, *uncut_tables(cut, np.stack([a, b], axis=1), variance, kind == "mosaic"))
    return out
