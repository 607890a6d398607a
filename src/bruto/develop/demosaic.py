"""Demosaicing: from one colour a pixel to three.

Method: directional filtering with an a posteriori decision and a refining step (Menon, Andriani, Calvagno 2007,
"Demosaicing With Directional Filtering and a posteriori Decision", IEEE TIP 16(1)), with one change: both directions
are mixed by the inverse squares of their roughness instead of one being chosen, which follows slanting detail better
and averages noise where neither direction is smoother. What the sites of a colour tell about green between them counts
by how far it stands out of their noise, which the gains of the white balance make large, and in proportion to green:
where an orange edge bends red strongly, green bends by as much less as it is weaker. Red and blue then follow
green by the slope that they have around, and what is left of them is interpolated (after Kiku, Monno, Tanaka, Okutomi,
"Residual interpolation for color image demosaicking", ICIP 2013).

All is worked as colour differences on tiles that stay in the processor's cache. A row is kept as two: `own`, the sites
that are not green (red in red rows, blue in blue ones), and `green`; so neighbours lie side by side in memory. Site k
of `own` is column 2 k + s, site k of `green` column 2 k + 1 - s of the tile, s = 0 or 1 by row. Sums are taken in the
order written (no fast arithmetic), so that pieces of a frame agree with the whole to the last digit: thresholds follow.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.buffer_pool import empty
from bruto.container.raw_frame import CFA_LETTERS
from bruto.develop.rgb_rows import lines, together

REACH = 12
"""Pixels around a place that its result depends on."""
_ROWS, _COLUMNS = 96, 512
"""Size of a tile."""
STANDS_OUT = 25.0
"""Variance of what a colour's sites tell about green over that of noise alone, at which half of it counts."""
PAD, PAD_LIGHT, MOST_BEND = 8.0, 0.0005, 2.5
"""Standard deviations of noise, and light (full = 1), by which green and the colours of sites are raised before they
are compared; how many times as strongly green may bend as they do.
"""
FLAT = 1e-6
"""Variance of green, of full light squared, that counts as nothing beside what noise brings: there red and blue are as
steep as green.
"""
NOISY = 1.0
"""Variance likewise, in variances of the noise."""
STEEP, STEEP_FROM, STEEP_NOISE = 3.0, 0.01, 6.0
"""Light over light next to it that makes an edge steep, from how much of saturation and how many standard deviations
of noise in black: there nothing falls below half of what is around, or bright windows would have black and coloured
outlines.
"""
STEEPEST = 3.0
"""Limit of the slopes of red and blue, over balanced green."""
SLACK = 0.3
"""How far green may lie beyond that around, in differences of it, where its site's own colour does not stand out:
what deep red has beside blue would be dots.
"""


def color_offsets(cfa: str) -> tuple[int, int]:
    """Return the row and column (0 or 1) of the red site of a pattern.

    Parameters
    ----------
    cfa
        Bayer pattern, for example "RGGB".

    Returns
    -------
    tuple[int, int]
        Row and column (0 or 1) of the red site of a pattern.

    Examples
    --------
    >>> color_offsets("BGGR")
    (1, 1)
    """
    return divmod(cfa.index("R"), 2)


@njit(cache=True, error_model="numpy")
def mirrored(k, n):
    """Return a place beyond the ends of n values as one inside, the end values not repeated.

    Parameters
    ----------
    k
        Index.
    n
        Number of values.
    """
    k = -k if k < 0 else k
    k = 2 * (n - 1) - k if k >= n else k
    return min(max(k, 0), n - 1)


@njit(cache=True, error_model="numpy")
def _standing(bend, a, b, light):
    """Return a second difference of sites, less by how little it stands out of noise of variance a x + b."""
    square = bend * bend
    noise = np.float32(0.375 * STANDS_OUT) * (a * max(light, np.float32(0)) + b) + np.float32(1e-20)
    return bend * square / (square + noise)


@njit(cache=True, error_model="numpy")
def _in_green(bend, level, green, pad):
    """Return a second difference of red or blue as green has it: less where green is weaker there than they are."""
    none = np.float32(0)
    return bend * min((max(green, none) + pad) / (max(level, none) + pad), np.float32(MOST_BEND))


@njit(cache=True, error_model="numpy")
def _directions(own, green, noise, of_red, across, along, low, high, n, start):
    """Differences own - green estimated along the row and along the column; `of_red`: parity of red rows.

    `noise` (3, 2): a, b of red, green, blue.
    """
    quarter, half = np.float32(0.25), np.float32(0.5)
    m = n - 2
    for y in range(low, high):
        s = (start + y) & 1
        color = 0 if (y & 1) == of_red else 2
        a, b = noise[color, 0], noise[color, 1]
        known = a > 0 or b > 0
        pad = np.float32(PAD) * np.sqrt(a * np.float32(PAD_LIGHT) + b) + np.float32(PAD_LIGHT)
        o0, o1, o2, out = own[y, :m], own[y, 1 : m + 1], own[y, 2 : m + 2], across[y, 1 : m + 1]
        g0, g1 = green[y, s : s + m], green[y, s + 1 : s + 1 + m]
        over, under, down = own[y - 2, 1 : m + 1], own[y + 2, 1 : m + 1], along[y, 1 : m + 1]
        g2, g3 = green[y - 1, 1 : m + 1], green[y + 1, 1 : m + 1]
        for k in range(m):
            middle, beside, level = half * o1[k], quarter * (o0[k] + o2[k]), half * (g0[k] + g1[k])
            bend = _standing(middle - beside, a, b, middle + beside) if known else middle - beside
            out[k] = o1[k] - level - _in_green(bend, middle + beside, level, pad)
        for k in range(m):
            middle, beside, level = half * o1[k], quarter * (over[k] + under[k]), half * (g2[k] + g3[k])
            bend = _standing(middle - beside, a, b, middle + beside) if known else middle - beside
            down[k] = o1[k] - level - _in_green(bend, middle + beside, level, pad)


@njit(cache=True, error_model="numpy")
def _decide(across, along, share, difference, low, high, n, start):
    """Share of the row's direction by the roughness of the differences, and the differences mixed by it."""
    three, one = np.float32(3), np.float32(1e-10)
    m = n - 4
    for y in range(low, high):
        s = (start + y) & 1
        row = share[y, 2 : m + 2]
        a0, a1, a2 = across[y, 1 : m + 1], across[y, 2 : m + 2], across[y, 3 : m + 3]
        for k in range(m):
            row[k] = three * (abs(a1[k] - a0[k]) + abs(a2[k] - a1[k]))
        for far in (-2, 2):
            b0, b1, b2 = across[y + far, 1 : m + 1], across[y + far, 2 : m + 2], across[y + far, 3 : m + 3]
            for k in range(m):
                row[k] += abs(b1[k] - b0[k]) + abs(b2[k] - b1[k])
        for far in (-1, 1):
            b0, b1 = across[y + far, 1 + s : m + 1 + s], across[y + far, 2 + s : m + 2 + s]
            for k in range(m):
                row[k] += abs(b1[k] - b0[k])
        up, here, down = along[y - 2], along[y], along[y + 2]
        c0, c1, c2 = here[1 : m + 1], here[2 : m + 2], here[3 : m + 3]
        u0, u1, u2 = up[1 : m + 1], up[2 : m + 2], up[3 : m + 3]
        d0, d1, d2 = down[1 : m + 1], down[2 : m + 2], down[3 : m + 3]
        out = difference[y, 2 : m + 2]
        for k in range(m):
            v = three * (abs(c1[k] - u1[k]) + abs(d1[k] - c1[k]))
            v += abs(c0[k] - u0[k]) + abs(d0[k] - c0[k])
            out[k] = v + abs(c2[k] - u2[k]) + abs(d2[k] - c2[k])
        u0, u1 = along[y - 1, 1 + s : m + 1 + s], along[y - 1, 2 + s : m + 2 + s]
        d0, d1 = along[y + 1, 1 + s : m + 1 + s], along[y + 1, 2 + s : m + 2 + s]
        for k in range(m):
            v = out[k] + abs(d0[k] - u0[k]) + abs(d1[k] - u1[k])
            h, v = row[k] * row[k] + one, v * v + one
            row[k] = v * v / (h * h + v * v)
            out[k] = c1[k] + v / (h + v) * (a1[k] - c1[k])


@njit(cache=True, error_model="numpy")
def _at_green(difference, of_row, of_column, low, high, n, start):
    """Differences of both colours at green sites: the row's own, and that of the rows above and below."""
    half = np.float32(0.5)
    m = n - 2
    for y in range(low, high):
        s = (start + y) & 1
        d0, d1, out = difference[y, 1 - s : 1 - s + m], difference[y, 2 - s : 2 - s + m], of_row[y, 1 : m + 1]
        for k in range(m):
            out[k] = half * (d0[k] + d1[k])
        d0, d1, out = difference[y - 1, 1 : m + 1], difference[y + 1, 1 : m + 1], of_column[y, 1 : m + 1]
        for k in range(m):
            out[k] = half * (d0[k] + d1[k])


@njit(cache=True, error_model="numpy")
def _refine_green(of_row, of_column, share, difference, low, high, n, start):
    """Differences own - green averaged with those at both neighbours."""
    third = np.float32(1 / 3)
    m = n - 2
    for y in range(low, high):
        s = (start + y) & 1
        r0, r1 = of_row[y, s : s + m], of_row[y, s + 1 : s + 1 + m]
        c0, c1 = of_column[y - 1, 1 : m + 1], of_column[y + 1, 1 : m + 1]
        out, w = difference[y, 1 : m + 1], share[y, 1 : m + 1]
        for k in range(m):
            h, v = r0[k] + r1[k], c0[k] + c1[k]
            out[k] = third * (out[k] + v + w[k] * (h - v))


@njit(cache=True, error_model="numpy")
def _above(value, a, b, black):
    """Return a value between two sites, not below half of the lower one where the edge between them is steep.

    `black`: what counts as dark.
    """
    low, high = min(a, b), max(a, b)
    least = np.float32(0.5) * low if high > np.float32(STEEP) * max(low, black) else value
    return max(value, least)


@njit(cache=True, error_model="numpy")
def _woven(own, green, s, line):
    """Values at sites of own and at green ones to a line."""
    if s:
        for k in range(len(own)):
            line[2 * k], line[2 * k + 1] = green[k], own[k]
    else:
        for k in range(len(own)):
            line[2 * k], line[2 * k + 1] = own[k], green[k]


@njit(cache=True, error_model="numpy")
def _sums(line, total):
    """Return the sums of three values side by side."""
    for k in range(1, len(line) - 1):
        total[k] = (line[k - 1] + line[k]) + line[k + 1]


@njit(cache=True, error_model="numpy")
def _slopes(own, difference, noise, of_red, slope, low, high, n):
    """Slope of own over green at the sites of own, over 3 x 3 of them."""
    ninth = np.float32(1 / 9)
    sums = np.empty((4, n), np.float32)
    means = np.empty((4, n), np.float32)
    for y in range(low, high):
        color = 0 if (y & 1) == of_red else 2
        a, b = noise[color, 0], noise[color, 1]
        for c in range(4):
            sums[c, :] = np.float32(0)
        for far in (-2, 0, 2):
            o, d = own[y + far], difference[y + far]
            for k in range(n):
                green = o[k] - d[k]
                sums[0, k] += o[k]
                sums[1, k] += green
                sums[2, k] += o[k] * green
                sums[3, k] += green * green
        for c in range(4):
            _sums(sums[c], means[c])
        mine, green, product, square, out = means[0], means[1], means[2], means[3], slope[y]
        for k in range(1, n - 1):
            level = ninth * mine[k]
            flat = np.float32(FLAT) + np.float32(NOISY) * (a * max(level, np.float32(0)) + b)
            both = ninth * product[k] - level * (ninth * green[k]) + flat
            alone = ninth * square[k] - (ninth * green[k]) * (ninth * green[k]) + flat
            out[k] = min(max(both / alone, np.float32(-STEEPEST)), np.float32(STEEPEST))


@njit(cache=True, error_model="numpy")
def _smoothed(slope, own, difference, smooth, rest, low, high, n):
    """Slopes averaged over 3 x 3 sites, and what is left of own less green times that."""
    ninth = np.float32(1 / 9)
    total = np.empty(n, np.float32)
    for y in range(low, high):
        a, b, c, out, left = slope[y - 2], slope[y], slope[y + 2], smooth[y], rest[y]
        for k in range(n):
            total[k] = (a[k] + b[k]) + c[k]
        _sums(total, out)
        o, d = own[y], difference[y]
        for k in range(n):
            out[k] *= ninth
            left[k] = o[k] - out[k] * (o[k] - d[k])


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _demosaic(mosaic, ry, rx, gains, noise, blacks, out):
    """`gains` (3,): of red, green and blue; `noise` (3, 2): a, b after them; `blacks` (3,): see `_above`; `out`.

    Lines of RGB (h, 3 w).
    """
    h, w = mosaic.shape
    rows, columns = (h + _ROWS - 1) // _ROWS, (w + _COLUMNS - 1) // _COLUMNS
    for tile in prange(rows * columns):
        top, left = tile // columns * _ROWS, tile % columns * _COLUMNS
        bottom, right = min(top + _ROWS, h), min(left + _COLUMNS, w)
        height, n = bottom - top + 2 * REACH, (right - left + 1) // 2 + REACH + 2
        own, green = np.empty((height, n), np.float32), np.empty((height, n), np.float32)
        across, along = np.zeros((height, n), np.float32), np.zeros((height, n), np.float32)
        share, difference = np.zeros((height, n), np.float32), np.zeros((height, n), np.float32)
        of_row, of_column = np.zeros((height, n), np.float32), np.zeros((height, n), np.float32)
        three, rows = np.empty((3, 2 * n), np.float32), np.empty((4, n), np.float32)
        first, x0 = top - REACH, left - REACH
        # s of tile row y is (start + y) & 1; red rows hold red at column rx, blue ones blue at rx + 1 of the pattern
        start = (first - ry + rx + x0) & 1
        of_red = (ry - first) & 1
        gain = gains[1]
        for y in range(height):
            at = first + y
            s = (start + y) & 1
            line = mosaic[mirrored(at, h)]
            a, g = own[y], green[y]
            mine = gains[0] if ((at - ry) & 1) == 0 else gains[2]
            if x0 >= 0 and x0 + 2 * n <= w:
                part = line[x0 : x0 + 2 * n]
                if s:
                    for k in range(n):
                        a[k], g[k] = part[2 * k + 1] * mine, part[2 * k] * gain
                else:
                    for k in range(n):
                        a[k], g[k] = part[2 * k] * mine, part[2 * k + 1] * gain
            else:
                for k in range(n):
                    a[k] = line[mirrored(x0 + 2 * k + s, w)] * mine
                    g[k] = line[mirrored(x0 + 2 * k + 1 - s, w)] * gain
        _directions(own, green, noise, of_red, across, along, 2, height - 2, n, start)
        _decide(across, along, share, difference, 4, height - 4, n, start)
        _at_green(difference, of_row, of_column, 5, height - 5, n, start)
        _refine_green(of_row, of_column, share, difference, 6, height - 6, n, start)
        steep, smooth, rest = across, along, share  # their memory, no longer needed
        _slopes(own, difference, noise, of_red, steep, 8, height - 8, n)
        _smoothed(steep, own, difference, smooth, rest, 10, height - 10, n)
        half, count, place = np.float32(0.5), (right - left + 1) // 2, REACH // 2
        for y in range(REACH, height - REACH):
            at = first + y
            s = (start + y) & 1
            mine = 0 if ((at - ry) & 1) == 0 else 2
            same, middle, across_from = three[mine], three[1], three[2 - mine]
            a, g, d = own[y, place:][:count], green[y, place:][:count], difference[y, place:][:count]
            # the row's own colour at its green sites, between two sites of own
            m0, m1 = smooth[y, place - s :][:count], smooth[y, place - s + 1 :][:count]
            r0, r1 = rest[y, place - s :][:count], rest[y, place - s + 1 :][:count]
            # the other colour: above and below green sites, and in the corners around sites of own
            up, low, above, below = smooth[y - 1], smooth[y + 1], rest[y - 1], rest[y + 1]
            u1, l1, v1, w1 = up[place:][:count], low[place:][:count], above[place:][:count], below[place:][:count]
            side = place + 2 * s - 1
            u2, l2, v2, w2 = up[side:][:count], low[side:][:count], above[side:][:count], below[side:][:count]
            o0, o1 = own[y, place - s :][:count], own[y, place - s + 1 :][:count]
            n1, n2 = own[y - 1, place:][:count], own[y + 1, place:][:count]
            n3, n4 = own[y - 1, side:][:count], own[y + 1, side:][:count]
            e0, e1 = green[y, place + s - 1 :][:count], green[y, place + s :][:count]
            e2, e3 = green[y - 1, place:][:count], green[y + 1, place:][:count]
            mid, beside, other, corner = rows[0, :count], rows[1, :count], rows[2, :count], rows[3, :count]
            f0, f1 = own[y, place - 1 :][:count], own[y, place + 1 :][:count]
            f2, f3 = own[y - 2, place:][:count], own[y + 2, place:][:count]
            zero, pad, floor, shot, read = (
                np.float32(0),
                np.float32(PAD),
                np.float32(PAD_LIGHT),
                noise[1, 0],
                noise[1, 1],
            )
            dark, black, far = blacks[1], blacks[mine], blacks[2 - mine]
            for k in range(count):
                least = min(min(e0[k], e1[k]), min(e2[k], e3[k]))
                most = max(max(e0[k], e1[k]), max(e2[k], e3[k]))
                lowest, highest = min(min(f0[k], f1[k]), min(f2[k], f3[k])), max(max(f0[k], f1[k]), max(f2[k], f3[k]))
                slack = np.float32(SLACK) * (most - least) + pad * math.sqrt(shot * max(most, zero) + read) + floor
                one = max(a[k], zero) + slack
                found = _above(a[k] - d[k], least, most, dark)
                found = max(found, (least - slack) * min(one / (max(lowest, zero) + slack), np.float32(1)))
                mid[k] = min(found, (most + slack) * max(one / (max(highest, zero) + slack), np.float32(1)))
            for k in range(count):
                beside[k] = _above(half * ((m0[k] + m1[k]) * g[k] + (r0[k] + r1[k])), o0[k], o1[k], black)
            for k in range(count):
                other[k] = _above(half * ((u1[k] + l1[k]) * g[k] + (v1[k] + w1[k])), n1[k], n2[k], far)
            for k in range(count):
                slope, left_over = (u1[k] + l1[k]) + (u2[k] + l2[k]), (v1[k] + w1[k]) + (v2[k] + w2[k])
                least = min(min(n1[k], n2[k]), min(n3[k], n4[k]))
                most = max(max(n1[k], n2[k]), max(n3[k], n4[k]))
                corner[k] = _above(half * half * (slope * mid[k] + left_over), least, most, far)
            _woven(a, beside, s, same)
            _woven(mid, g, s, middle)
            _woven(corner, other, s, across_from)
            wide = right - left
            together(three[0, :wide], three[1, :wide], three[2, :wide], out[at, 3 * left : 3 * right])


def demosaic(
    mosaic: NDArray[np.float32],
    cfa: str,
    gains: NDArray[Any] | None = None,
    noise: NDArray[Any] | None = None,
    averaged: bool = False,
) -> NDArray[np.float32]:
    """Compute three colours a pixel from a Bayer mosaic.

    (H, W, 3) float32 from (H, W) float32 of pattern `cfa`, such as "RGGB".

    `gains` (3,): of red, green and blue, put on the sites before (colour differences should be small: balanced
    light). `noise` (3, 2): a, b of their variance a x + b after that; None: none. Values keep their units else; the
    sampled colour of each site is kept exactly. Edges are mirrored.

    Parameters
    ----------
    mosaic
        Mosaic (H, W), linear light.
    cfa
        Bayer pattern, for example "RGGB".
    gains
        Gains per channel.
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.
    averaged
        Frames of this kind will be, so that what stands in the noise of one must stay.

    Returns
    -------
    NDArray[np.float32]
        Three colours a pixel, (H, W, 3) float32, from a Bayer mosaic (H, W) float32 of pattern `cfa`
        ("RGGB",...).

    Raises
    ------
    ValueError
        For a pattern that is not Bayer's, and for a mosaic of less than 2 x 2.
    """
    if sorted(cfa) != sorted("RGGB") or any(c not in CFA_LETTERS for c in cfa):
        raise ValueError(f"not a Bayer pattern: {cfa}")
    if min(mosaic.shape) < 2:
        raise ValueError(f"a mosaic of {mosaic.shape[1]} x {mosaic.shape[0]} holds no quad")
    ry, rx = color_offsets(cfa)
    out = empty((*mosaic.shape, 3))
    source = np.ascontiguousarray(mosaic, np.float32)[:]
    source.flags.writeable = False  # one form for all, so that one variant of the kernel is compiled and loaded
    gains = np.ones(3) if gains is None else gains
    known = np.zeros((3, 2), np.float32) if noise is None else np.ascontiguousarray(noise, np.float32)
    blacks = np.maximum(STEEP_NOISE * np.sqrt(known[:, 0] * STEEP_FROM + known[:, 1]), STEEP_FROM).astype(np.float32)
    _demosaic(
        source, ry, rx, np.asarray(gains, np.float32), np.zeros_like(known) if averaged else known, blacks, lines(out)
    )
    return out
