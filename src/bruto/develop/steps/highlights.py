"""Highlights: channels that are clipped rebuilt from those that are not, by the colour of the light around.

The ratios of red and blue to green are carried from quads where nothing is clipped into those where something is, on a
small picture, by normalised convolution (Knutsson, Westin, CVPR 1993) at all scales at once, near ones first, so that
they have no steps, and not across edges, or skin before a lawn would turn green; far from any they fade to the scene's
own white. What is much brighter than full green fades to it, too: of lamps, the sun and clouds the eye expects white,
and rests of colour there are guesses.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import highest
from bruto.develop.steps.fast_math import exp2_of
from bruto.develop.steps.step import CoarseField, Mapping, RecordedImage

DARKEST = 0.02
"""Green light from which a place's colour is carried on (saturation = 1): darker ones are noise."""
MOST_STOPS = 7.0
"""Ratios of channels at most, EV: beyond, noise is all that the weaker channel holds."""
AROUND = 7
"""Side of the square of quads that decides together."""
NEARLY_CLIPPED = 0.85
"""Mean of a channel around, as a share of it where it is clipped, from which all of it counts as nearly clipped."""
SMALL, COARSEST = 700, 16
"""Long edge of the small picture at most, pixels, and how many times it is smaller than the frame at most."""
SCALES = (0.8, 2.0, 5.0, 13.0, 34.0, 90.0)
"""Standard deviations of the convolutions, cells of the small picture."""
NEARER = 16.0
"""How many times more a scale counts than the next coarser one."""
EDGE = 0.1
"""Change of light, EV, that counts as far as a scale's own length: beyond an edge there is another surface."""
GRADUAL = 0.2
"""Change of light from cell to cell, EV, that is no edge."""
MIXED = 0.25
"""Change of light from quad to quad, as a share of the brighter, at which a quad counts half."""
AT_LEAST = 3e-9
"""Weight of a ratio that a full channel makes a lower bound, beside that of a known one."""
OFFSET = 8.0
"""Added to ratios while they are carried, so that no sum of them comes near 0, where arithmetic is slow."""
UNKNOWN = 1e-16
"""Weight of the scene's own white, beside that of cells around."""
SUPPORT = 1e-5
"""Weight, at the widest scale, of what is known at which a magenta tint counts half: few surfaces have one."""
FADES = (1.15, 1.9)
"""Green light (full = 1) between which rebuilt pale light fades to the scene's own white."""
PALE = (0.2, 0.5)
"""Weakest over strongest channel between which light begins to be pale, and is."""
TELLS = (0.1, 0.3)
"""Share of the one channel that is not full, over a full one, between which it begins to tell how bright that is, and
does: of a yellow petal blue is next to nothing.
"""
LAMPS = (2.0, 4.0)
"""The same of light of any colour."""


class Ratios(NamedTuple):
    """log2 of red over green and of blue over green, of the unfull light at or around each cell (h, w).

    (0, 0) where nothing is clipped.
    """

    red: NDArray[np.float32]
    blue: NDArray[np.float32]


def no_ratios() -> Ratios:
    """For pictures in which nothing is clipped, and passes that do not rebuild."""
    return Ratios(np.zeros((0, 0), np.float32), np.zeros((0, 0), np.float32))


def settled(clipped: NDArray[np.uint8], rgb: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Compute the clipped channels of quads where noise does not decide.

    Among quads that are all nearly clipped, the majority does, or single ones would be rebuilt and stand out of
    their neighbours.

    `rgb` (h, w, 3): balanced camera RGB of the quads, as many as of `clipped` or one less a side. A small place that
    is clipped among much darker ones stays.

    Parameters
    ----------
    clipped
        Clip mask (H, W): bits for red, green, blue.
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.

    Returns
    -------
    NDArray[np.uint8]
        Full channels of quads where noise does not decide.
    """
    if not clipped.any():
        return clipped
    h, w = rgb.shape[:2]
    out = clipped.copy()
    for channel, bit in enumerate((1, 2, 4)):
        full = (clipped[:h, :w] & bit > 0).astype(np.float32)
        if not full.any():
            continue
        share = cv2.blur(full, (AROUND, AROUND))
        light = np.ascontiguousarray(rgb[..., channel])
        level = cv2.blur(light * full, (AROUND, AROUND))
        unsure = (share > 0) & (cv2.blur(light, (AROUND, AROUND)) * share > NEARLY_CLIPPED * level)
        votes = np.where(share >= 0.5, np.uint8(bit), np.uint8(0))
        inner = out[:h, :w]
        inner[unsure] = (inner[unsure] & np.uint8(7 - bit)) | votes[unsure]
    return out


def ratios_of(quads: NDArray[np.float32], clipped: NDArray[np.uint8], per: int = 1) -> Ratios:
    """Compute the colour that clipped places take, from the quads of the whole frame.

    Parameters
    ----------
    quads
        Balanced camera RGB (H, W, 3), float32, 1 = sensor saturation.
    clipped
        Clipped channels of each quad (H, W), or one more a side: bits 1, 2, 4 for red, green, blue.
    per
        Quads per cell of the result, across and down.

    Returns
    -------
    Ratios
        Of each cell, H / per by W / per.
    """
    if not clipped.any():
        return no_ratios()
    known, light = _known(quads, clipped, per)
    mixed, widest = _carried(known, np.log2(np.maximum(light, np.float32(1e-5))))
    red, blue = (mixed[..., k] / mixed[..., k + 1] - np.float32(OFFSET) for k in (0, 2))
    support = np.minimum(widest[..., 1], widest[..., 3])
    magenta = np.maximum(red + blue, 0) * np.float32(0.5) * np.float32(SUPPORT) / (support + np.float32(SUPPORT))
    red, blue = red - magenta, blue - magenta
    return Ratios(np.ascontiguousarray(red), np.ascontiguousarray(blue))


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _known(quads, clipped, per):
    """Weighted ratios and weights (h, w, 4) of what is not clipped in each cell, and the light of it all (h, w, 3).

    Quads on edges, where surfaces mix, count little.
    """
    h, w = max(1, quads.shape[0] // per), max(1, quads.shape[1] // per)
    known, light = np.empty((h, w, 4), np.float32), np.empty((h, w, 3), np.float32)
    sums = np.empty((2, 2, 3), np.float64)  # per colour, known or a bound: the channel, green, weight
    for y in range(h):
        for x in range(w):
            sums[:] = 0.0
            r = g = b = np.float32(0)
            for i in range(y * per, min(y * per + per, quads.shape[0])):
                up, down = max(i - 1, 0), min(i + 1, quads.shape[0] - 1)
                for j in range(x * per, min(x * per + per, quads.shape[1])):
                    left, right = max(j - 1, 0), min(j + 1, quads.shape[1] - 1)
                    green, bits = quads[i, j, 1], clipped[i, j]
                    r, g, b = r + quads[i, j, 0], g + green, b + quads[i, j, 2]
                    if bits & 2 or green < DARKEST or min(quads[i, j, 0], quads[i, j, 2]) < 1e-4:
                        continue
                    change = np.float32(0)
                    for c in range(3):
                        one = quads[i, j, c]
                        for other in (quads[up, j, c], quads[down, j, c], quads[i, left, c], quads[i, right, c]):
                            change = max(change, abs(one - other) / max(one, other))
                    change = change * change / np.float32(MIXED * MIXED)
                    bright = min(green, np.float32(1))
                    weight = bright * bright * bright / (np.float32(1) + change * change)  # times green: below
                    for k in range(2):
                        own = quads[i, j, 2 * k]
                        s = sums[k, 1 if bits & (1 + 3 * k) else 0]
                        s[0] += weight * own
                        s[1] += weight * green
                        s[2] += weight * bright
            share = np.float32(1 / (per * per))
            light[y, x, 0], light[y, x, 1], light[y, x, 2] = r * share, g * share, b * share
            for k in range(2):
                s = sums[k, 0] if sums[k, 0, 2] > 0 else sums[k, 1]
                weight = np.float32(s[2]) * share * (np.float32(1) if sums[k, 0, 2] > 0 else np.float32(AT_LEAST))
                ratio = np.float32(0)
                if weight > 0:
                    ratio = np.float32(np.log2(s[0] / s[1]))
                    ratio = min(max(ratio, np.float32(-MOST_STOPS)), np.float32(MOST_STOPS))
                weight += np.float32(UNKNOWN)
                known[y, x, 2 * k] = (ratio + np.float32(OFFSET)) * weight
                known[y, x, 2 * k + 1] = weight
    return known, light


@njit(cache=True, nogil=True, error_model="numpy")
def _recursive(planes, across, down):
    """Smooth values (h, w, n) in place along rows and columns, both ways; `across`, `down`: share that is handed on."""
    h, w, n = planes.shape
    for i in range(h):
        row = planes[i]
        for j in range(1, w):
            for c in range(n):
                row[j, c] += across[i, j] * (row[j - 1, c] - row[j, c])
        for j in range(w - 2, -1, -1):
            for c in range(n):
                row[j, c] += across[i, j + 1] * (row[j + 1, c] - row[j, c])
    for i in range(1, h):
        for j in range(w):
            for c in range(n):
                planes[i, j, c] += down[i, j] * (planes[i - 1, j, c] - planes[i, j, c])
    for i in range(h - 2, -1, -1):
        for j in range(w):
            for c in range(n):
                planes[i, j, c] += down[i + 1, j] * (planes[i + 1, j, c] - planes[i, j, c])


def _carried(
    weighted: NDArray[np.float32], light: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Sum weighted values (h, w, n) over all scales, near ones first, within edges of `light` (log2, (h, w, 3)).

    Second: the widest scale alone.

    The recursive filter of the domain transform (Gastal, Oliveira, SIGGRAPH 2011).
    """
    total = np.zeros_like(weighted)
    across, down = np.zeros(light.shape[:2], np.float32), np.zeros(light.shape[:2], np.float32)
    across[:, 1:] = np.maximum(highest(np.abs(np.diff(light, axis=1))) - GRADUAL, 0)
    down[1:] = np.maximum(highest(np.abs(np.diff(light, axis=0))) - GRADUAL, 0)
    spread, before = weighted.copy(), 0.0
    for k, sigma in enumerate(SCALES):
        own = math.sqrt(sigma**2 - before**2)  # on top of what the finer scales have spread
        share = np.float32(-math.sqrt(2.0) / own)
        _recursive(spread, *(np.exp(np.maximum(share * (1 + np.float32(own / EDGE) * d), -40)) for d in (across, down)))
        total += np.float32(NEARER**-k) * spread
        before = sigma
    return total, spread


def _of_frame(recorded: RecordedImage) -> Ratios:
    factor = 2
    while max(recorded.source.size) / factor > SMALL and factor < COARSEST:
        factor *= 2
    return ratios_of(recorded.level(2), recorded.clipped, factor // 2)


def _over(ratios: Ratios, mapping: Mapping) -> Ratios:
    return Ratios(mapping.field(ratios.red), mapping.field(ratios.blue)) if ratios.red.size else ratios


RATIOS = CoarseField("colour around clipped places", _of_frame, _over)


@njit(cache=True, fastmath=True, error_model="numpy")
def _between(value, ends):
    """From 0 to 1 between two ends, without corners."""
    low, high = np.float32(ends[0]), np.float32(ends[1])
    share = min(max((value - low) / (high - low), np.float32(0)), np.float32(1))
    return share * share * (np.float32(3) - np.float32(2) * share)


@njit(cache=True, fastmath=True, error_model="numpy")
def rebuilt(r, g, b, bits, ratios, y, x):
    """Return a pixel with clipped channels (bits 1, 2, 4), rebuilt and never lowered, and its share of white, 0..1.

    A channel is what the others say, each by its ratio around and by its own light: of a yellow petal blue tells
    little. Where two channels are full, the second follows from the rebuilt first.

    Parameters
    ----------
    r
        Red, balanced.
    g
        Green, balanced.
    b
        Blue, balanced.
    bits
        Bits per sample.
    ratios
        Colour ratios of the light around.
    y
        Its place in cells of `ratios`.
    x
        Its place in cells of `ratios`.
    """
    tiny, half = np.float32(1e-6), np.float32(0.5)
    red, blue = np.float32(0), np.float32(0)
    rows, columns = ratios.red.shape
    if rows > 0:  # bilinear: cells must not show
        fy = min(max(y - half, np.float32(0)), np.float32(rows - 1))
        fx = min(max(x - half, np.float32(0)), np.float32(columns - 1))
        iy, ix = int(fy), int(fx)
        ky, kx = min(iy + 1, rows - 1), min(ix + 1, columns - 1)
        fy, fx = fy - np.float32(iy), fx - np.float32(ix)
        for field in (0, 1):
            of = ratios.red if field == 0 else ratios.blue
            over = of[iy, ix] + fx * (of[iy, kx] - of[iy, ix])
            under = of[ky, ix] + fx * (of[ky, kx] - of[ky, ix])
            if field == 0:
                red = over + fy * (under - over)
            else:
                blue = over + fy * (under - over)
    by_red, by_blue = r, b  # how much each says about green: a full one little where the other tells
    surely = np.float32(0)  # where both are full: whether the third channel tells
    if bits == 3:
        tells = _between(b / max(r, tiny), TELLS)
        r += tells * max(b * exp2_of(red - blue) - r, np.float32(0))
        surely = tells * tells * tells * tells
        by_red = r * (np.float32(1) - surely)
    elif bits == 6:
        tells = _between(r / max(b, tiny), TELLS)
        b += tells * max(r * exp2_of(blue - red) - b, np.float32(0))
        surely = tells * tells * tells * tells
        by_blue = b * (np.float32(1) - surely)
    elif bits == 5:
        r, b = max(r, g * exp2_of(red)), max(b, g * exp2_of(blue))
    elif bits == 1:
        r = max(r, (g * g + b * b * exp2_of(-blue)) / (g + b + tiny) * exp2_of(red))
    elif bits == 4:
        b = max(b, (g * g + r * r * exp2_of(-red)) / (g + r + tiny) * exp2_of(blue))
    if bits == 7:
        mean = (r + g + b) / np.float32(3)
        return mean, mean, mean, np.float32(1)
    share = np.float32(0)
    if bits & 2:
        g = max(g, (by_red * r * exp2_of(-red) + by_blue * b * exp2_of(-blue)) / (by_red + by_blue + tiny))
        most = np.float32(np.sqrt(r * b)) * exp2_of(-half * (red + blue))  # hardly more magenta than around
        g += surely * max(most - g, np.float32(0))
        pale = max(min(r, b, g), tiny) / max(r, g, b)  # a petal is no cloud
        share = _between(g, FADES) * max(_between(pale, PALE), _between(g, LAMPS))
    return r, g, b, share
