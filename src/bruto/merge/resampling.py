"""A frame on the grid of another: values between pixels, by a windowed sinc over six of them.

Which keeps what a lens shows; at edges of several stops no lower and no higher than around.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.align.registration import Alignment

STEP = 32
"""Pixels between places for which it is known where they lie in the other frame; straight between them."""
STEEP, STEEP_FROM, STEEP_NOISE = 8.0, 0.01, 2.5
"""Light over light next to it that makes an edge steep, from how much light of saturation, and from how many standard
deviations of the noise in the dark (noise makes none).
"""
TILE = 16
"""Pixels a side of the tiles that are searched for steep edges."""


def nodes_of(alignment: Alignment, width: int, height: int) -> NDArray[np.float32]:
    """Find where places every `STEP` pixels of the first frame lie in the second, (rows, columns, 2) as x and y.

    Parameters
    ----------
    alignment
        Mapping from the first picture to the second.
    width
        Width, pixels.
    height
        Height, pixels.

    Returns
    -------
    NDArray[np.float32]
        Where places every `STEP` pixels of the first frame lie in the second, (rows, columns, 2) as x and y.
    """
    xs, ys = (np.arange(0, n + STEP, STEP, dtype=float) for n in (width, height))
    xx, yy = np.meshgrid(xs, ys)
    found = alignment.apply(np.stack([xx.ravel(), yy.ravel()], axis=1))
    return found.reshape(len(ys), len(xs), 2).astype(np.float32)


def _polynomials(degree: int = 5) -> NDArray[np.float32]:
    """Coefficients (3, degree + 1; constant first) of the weights of the first three of six neighbours.

    They follow the fraction between the third and the fourth: Lanczos' window over three lobes (Duchon 1979), made
    to sum up to one. Those of the others are the same from the other side.
    """
    part = np.linspace(0, 1, 1001)
    x = np.arange(-2, 4)[:, None] - part
    weights = np.sinc(x) * np.sinc(x / 3) * (np.abs(x) < 3)
    weights /= weights.sum(axis=0)
    return np.polynomial.polynomial.polyfit(part, weights[:3].T, degree).T.astype(np.float32)


_FIRST, _SECOND, _THIRD = (tuple(row) for row in _polynomials())


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _at(p, s):
    return ((((p[5] * s + p[4]) * s + p[3]) * s + p[2]) * s + p[1]) * s + p[0]


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _weights(f, n, out):
    """Weights of six neighbours for n fractions, (6, n)."""
    a, b, c, d, e, g = out[0], out[1], out[2], out[3], out[4], out[5]
    for k in range(n):
        s = f[k]
        t = np.float32(1) - s
        a[k], b[k], e[k], g[k] = _at(_FIRST, s), _at(_SECOND, s), _at(_SECOND, t), _at(_FIRST, t)
        c[k] = _at(_THIRD, s)
        d[k] = np.float32(1) - (((a[k] + b[k]) + (e[k] + g[k])) + c[k])


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _down(plane, top, begin, n, weights, out):
    """N columns from `begin`: each from six of its rows, the third of them `top` + 2."""
    a, b, c = plane[top, begin:], plane[top + 1, begin:], plane[top + 2, begin:]
    d, e, f = plane[top + 3, begin:], plane[top + 4, begin:], plane[top + 5, begin:]
    u, v, w = weights[0, begin:], weights[1, begin:], weights[2, begin:]
    x, y, z = weights[3, begin:], weights[4, begin:], weights[5, begin:]
    to = out[begin:]
    for k in range(n):
        to[k] = ((u[k] * a[k] + v[k] * b[k]) + (w[k] * c[k] + x[k] * d[k])) + (y[k] * e[k] + z[k] * f[k])


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _across(line, left, begin, n, weights, out):
    """N places from `begin`: each from six neighbours on a line, of which the first place's are from `left` on."""
    row, to = line[left : left + n + 5], out[begin:]
    u, v, w = weights[0, begin:], weights[1, begin:], weights[2, begin:]
    x, y, z = weights[3, begin:], weights[4, begin:], weights[5, begin:]
    for k in range(n):
        to[k] = ((u[k] * row[k] + v[k] * row[k + 1]) + (w[k] * row[k + 2] + x[k] * row[k + 3])) + (
            y[k] * row[k + 4] + z[k] * row[k + 5]
        )


@njit(cache=True, nogil=True, error_model="numpy")
def _limited(plane, least_light, px, py, value):
    """At a steep edge a value between those of the four pixels around and their neighbours, which move as they do."""
    h, w = plane.shape
    ix, iy = min(max(int(px), 2), w - 4), min(max(int(py), 2), h - 4)
    low, high = plane[iy, ix], plane[iy, ix]
    for j in range(-2, 4):
        for i in range(-2, 4):
            low, high = min(low, plane[iy + j, ix + i]), max(high, plane[iy + j, ix + i])
    if high <= np.float32(STEEP) * max(low, least_light):
        return value
    fx, fy = px - np.float32(ix), py - np.float32(iy)
    near_low, near_high = np.float32(0), np.float32(0)
    for j in range(2):
        for i in range(2):
            least, most = plane[iy + j, ix + i], plane[iy + j, ix + i]
            for jj in range(-1, 2):
                for ii in range(-1, 2):
                    other = plane[iy + j + jj, ix + i + ii]
                    least, most = min(least, other), max(most, other)
            share = (fx if i else np.float32(1) - fx) * (fy if j else np.float32(1) - fy)
            near_low += share * least
            near_high += share * most
    return min(max(value, near_low), near_high)


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _crossings(nodes, y, px, py):
    """Where the nodes of row y of the first frame's grid lie in the second."""
    row = min(y // STEP, nodes.shape[0] - 2)
    part = np.float32((y - row * STEP) / STEP)
    for k in range(nodes.shape[1]):
        px[k] = nodes[row, k, 0] + (nodes[row + 1, k, 0] - nodes[row, k, 0]) * part
        py[k] = nodes[row, k, 1] + (nodes[row + 1, k, 1] - nodes[row, k, 1]) * part


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _split(start, slope, top, n, whole, part):
    """Whole numbers and fractions of n places on a straight line, within 0..top."""
    low, high = min(start, start + slope * np.float32(n)), max(start, start + slope * np.float32(n))
    if low >= 0 and high < top:
        for k in range(n):
            at = start + slope * np.float32(k)
            i = np.int32(at)
            whole[k], part[k] = i, at - np.float32(i)
    else:
        for k in range(n):
            at = min(max(start + slope * np.float32(k), np.float32(0)), np.float32(top))
            i = min(np.int32(at), np.int32(top - 1))
            whole[k], part[k] = i, at - np.float32(i)


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _columns(planes, px, py, rows, part, weights, crossed):
    """Values of the second frame where a row of the first's grid crosses its columns, (3, W + 10) from column -5."""
    h, w = planes.shape[1:]
    count = len(px)
    at = 0
    for k in range(count - 1):
        # up to the column that the next node has passed, and to both ends from the outer ones
        end = w if k == count - 2 else min(max(int(px[k + 1]) + 1, at), w)
        if end > at:
            slope = (py[k + 1] - py[k]) / max(px[k + 1] - px[k], np.float32(0.25))
            _split(py[k] + slope * (np.float32(at) - px[k]), slope, h - 1, end - at, rows[at:], part[at:])
            at = end
    _weights(part, w, weights)
    first, last = int(min(px[0], px[count - 1])) - 3, int(max(px[0], px[count - 1])) + 4
    begin, stop = max(min(first, w - 1), 0), min(max(last, 1), w)
    while begin < stop:
        end = begin + 1
        iy = rows[begin]
        while end < stop and rows[end] == iy:
            end += 1
        if iy >= 2 and iy + 4 <= h:
            for c in range(3):
                _down(planes[c], iy - 2, begin, end - begin, weights, crossed[c, 5:])
        else:
            for k in range(begin, end):
                for c in range(3):
                    total = np.float32(0)
                    for j in range(6):
                        total += weights[j, k] * planes[c, min(max(iy - 2 + j, 0), h - 1), k]
                    crossed[c, k + 5] = total
        begin = end
    for c in range(3):
        if first <= 0:
            crossed[c, :5] = crossed[c, 5]
        if last >= w:
            crossed[c, w + 5 :] = crossed[c, w + 4]


@njit(cache=True, nogil=True, error_model="numpy")
def line_of(planes, steep, least_light, nodes, y, out, inside):
    """Return the row y of the first frame's grid, (3, W), of planes of the second (3, H, W); `inside` (W,).

    Where it holds picture, beyond is the nearest that it holds.

    First along the columns of the second, where the row crosses them, then along the row.

    Parameters
    ----------
    planes
        Second frame (3, H, W).
    steep
        See `steep_tiles`.
    least_light
        See `steep_tiles`.
    nodes
        Hue nodes.
    y
        Row of the first frame's grid.
    out
        Array to fill.
    inside
        Whether the second frame holds each place (W,), written.
    """
    h, w = planes.shape[1:]
    width = out.shape[1]
    size = max(w, width)
    px, py = np.empty(nodes.shape[1], np.float32), np.empty(nodes.shape[1], np.float32)
    whole, part = np.empty(size, np.int32), np.empty(size, np.float32)
    weights, crossed = np.empty((6, size), np.float32), np.empty((3, w + 10), np.float32)
    _crossings(nodes, y, px, py)
    _columns(planes, px, py, whole, part, weights, crossed)
    for column in range((width + STEP - 1) // STEP):
        x0 = column * STEP
        n = min(STEP, width - x0)
        slope, climb = (
            (px[column + 1] - px[column]) / np.float32(STEP),
            (py[column + 1] - py[column]) / np.float32(STEP),
        )
        _split(px[column], slope, w - 1, n, whole[x0:], part[x0:])
        low_x, high_x = px[column], px[column] + slope * np.float32(n - 1)
        low_y, high_y = py[column], py[column] + climb * np.float32(n - 1)
        if (
            min(low_x, high_x) >= 0
            and max(low_x, high_x) <= w - 1
            and min(low_y, high_y) >= 0
            and (max(low_y, high_y) <= h - 1)
        ):
            inside[x0 : x0 + n] = True
        else:
            for k in range(n):
                x, z = low_x + slope * np.float32(k), low_y + climb * np.float32(k)
                inside[x0 + k] = 0 <= x <= w - 1 and 0 <= z <= h - 1
    _weights(part, width, weights)
    begin = 0
    while begin < width:
        end = begin + 1
        left = whole[begin] - begin
        while end < width and whole[end] - end == left:
            end += 1
        for c in range(3):
            _across(crossed[c], whole[begin] + 3, begin, end - begin, weights, out[c])
        begin = end
    for begin in range(0, width, TILE):
        column, half = begin // STEP, np.float32((begin % STEP + TILE // 2) / STEP)
        x, z = px[column] + (px[column + 1] - px[column]) * half, py[column] + (py[column + 1] - py[column]) * half
        ty = min(max(int(z) // TILE, 0), steep.shape[0] - 1)
        tx = min(max(int(x) // TILE, 0), steep.shape[1] - 1)
        if steep[ty, tx]:
            for k in range(begin, min(begin + TILE, width)):
                share = np.float32((k - column * STEP) / STEP)
                x = px[column] + (px[column + 1] - px[column]) * share
                z = py[column] + (py[column + 1] - py[column]) * share
                for c in range(3):
                    out[c, k] = _limited(planes[c], least_light, x, z, out[c, k])


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _tiles(planes, steep, least_light, found):
    """Mark tiles in which some 4 x 4 places hold a steep edge."""
    h, w = planes.shape[1:]
    for r in prange(found.shape[0]):
        top, bottom = r * TILE, min(r * TILE + TILE, h - 3)
        high, low = np.empty((TILE + 3, w), np.float32), np.empty((TILE + 3, w), np.float32)
        two = np.empty(w, np.float32)
        for c in range(3):
            for y in range(top, min(bottom + 3, h)):
                line, most, least = planes[c, y], high[y - top], low[y - top]
                for x in range(w - 1):
                    two[x] = max(line[x], line[x + 1])
                for x in range(w - 3):
                    most[x] = max(two[x], two[x + 2])
                for x in range(w - 1):
                    two[x] = min(line[x], line[x + 1])
                for x in range(w - 3):
                    least[x] = min(two[x], two[x + 2])
            for y in range(bottom - top):
                a, b, d, e = high[y], high[y + 1], high[y + 2], high[y + 3]
                f, g, i, j = low[y], low[y + 1], low[y + 2], low[y + 3]
                for x in range(w - 3):
                    most = max(max(a[x], b[x]), max(d[x], e[x]))
                    least = max(min(min(f[x], g[x]), min(i[x], j[x])), least_light)
                    two[x] = most - steep * least
                for t in range(found.shape[1]):
                    part = two[t * TILE : min(t * TILE + TILE, w - 3)]
                    most = np.float32(0)
                    for x in range(len(part)):
                        most = max(most, part[x])
                    if most > 0:
                        found[r, t] = 1


def least_light_of(noise: NDArray[np.float64]) -> np.float32:
    """Return the light from which on edges are judged, where noise has a, b (3, 2).

    Parameters
    ----------
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.

    Returns
    -------
    np.float32
        Light from which on edges are judged, where noise has a, b (3, 2).
    """
    a, b = (float(noise[:, k].mean()) for k in (0, 1))
    return np.float32(max(STEEP_FROM, STEEP_NOISE * math.sqrt(a * STEEP_FROM + b)))


def steep_tiles(planes: NDArray[np.float32], least_light: np.float32) -> NDArray[np.bool_]:
    """Find the tiles of `TILE` pixels of planes (3, H, W) near which there is a steep edge.

    Only light from `least_light` on counts.

    Parameters
    ----------
    planes
        Colour planes (C, H, W), linear light.
    least_light
        Light below which nothing is scaled.

    Returns
    -------
    NDArray[np.bool_]
        Tiles of `TILE` pixels of planes (3, H, W) near which there is a steep edge, from `least_light` on.
    """
    h, w = planes.shape[1:]
    found = np.zeros((-(-h // TILE), -(-w // TILE)), np.uint8)
    if min(h, w) >= 4:
        _tiles(planes, np.float32(STEEP), least_light, found)
    return cv2.dilate(found, np.ones((3, 3), np.uint8)) > 0


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _rows(planes, steep, least_light, nodes, top, out, inside):
    for r in prange(out.shape[1]):
        line_of(planes, steep, least_light, nodes, top + r, out[:, r], inside[r])


def resampled(
    planes: NDArray[np.float32],
    nodes: NDArray[np.float32],
    top: int,
    bottom: int,
    width: int,
    least_light: np.float32 = np.float32(STEEP_FROM),
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Compute rows of the second frame on the grid of the first, and where it holds picture.

    Rows top..bottom of the first frame's grid, (3, rows, width), of planes (3, H, W) of the second.

    Parameters
    ----------
    planes
        Colour planes (C, H, W), linear light.
    nodes
        Hue nodes.
    top
        First row.
    bottom
        Row behind the last one.
    width
        Width, pixels.
    least_light
        Light below which nothing is scaled.

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.bool_]]
        Rows top..bottom of the first frame's grid, (3, rows, width), of planes (3, H, W) of the second, and
        where it holds picture.
    """
    out = np.empty((3, bottom - top, width), np.float32)
    inside = np.empty((bottom - top, width), np.bool_)
    _rows(planes, steep_tiles(planes, least_light), least_light, nodes, top, out, inside)
    return out, inside
