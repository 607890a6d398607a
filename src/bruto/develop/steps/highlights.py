"""Highlights: channels that are clipped rebuilt from those that are not, by the colour of the light around.

The ratios of red and blue to green are carried from places where nothing is clipped into those where something is, on a
small picture, by normalised convolution over growing scales (Knutsson, Westin, CVPR 1993). Where all channels are
clipped nothing is known of the colour: the scene's own white is taken.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import lowest
from bruto.develop.steps.fast_math import exp2_of
from bruto.develop.steps.step import CoarseField, Mapping, RecordedImage

DARKEST = 0.02
"""Green light from which a place's colour is carried on (saturation = 1): darker ones are noise."""
MOST_STOPS = 3.0
"""Ratios of channels beyond this, EV, are those of lamps and not carried on."""
AROUND = 7
"""Side of the square of quads that decides together."""
NEARLY_CLIPPED = 0.85
"""Mean of a channel around, as a share of it where it is clipped, from which all of it counts as nearly clipped."""
SMALL, COARSEST = 700, 16
"""Long edge of the small picture at most, pixels, and how many times it is smaller than the frame at most."""
SCALES = (2.0, 4.0, 8.0, 16.0, 32.0)
"""Standard deviations of the convolutions, cells of the small picture."""


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


def ratios_of(rgb: NDArray[np.float32], clipped: NDArray[np.uint8]) -> Ratios:
    """Return the ratios from a small picture of balanced camera RGB (h, w, 3) and the clipped quads of the whole frame.

    Parameters
    ----------
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.
    clipped
        Clip mask (H, W): bits for red, green, blue.

    Returns
    -------
    Ratios
        Ratios from a small picture of balanced camera RGB (h, w, 3) and the clipped quads of the whole frame.
    """
    if not clipped.any():
        return no_ratios()
    h, w = rgb.shape[:2]
    full = cv2.resize((clipped > 0).astype(np.float32), (w, h), interpolation=cv2.INTER_AREA) > 0
    full = cv2.dilate(full.astype(np.uint8), np.ones((3, 3))) > 0
    good = ~full & (rgb[..., 1] > DARKEST) & (lowest(rgb) > 1e-4)
    light = np.log2(np.maximum(rgb, 1e-5))
    found = np.stack([light[..., 0] - light[..., 1], light[..., 2] - light[..., 1]], axis=2)
    good &= np.abs(found).max(axis=2) < MOST_STOPS
    # the brightest neighbours are likeliest to be the same surface
    weight = np.where(good, np.maximum(rgb[..., 1], DARKEST) ** 2, 0).astype(np.float32)
    out = np.where(good[..., None], found, 0).astype(np.float32)
    missing = ~good
    for sigma in SCALES:
        if not missing.any():
            break
        total = cv2.GaussianBlur(weight, (0, 0), sigma)
        mixed = cv2.GaussianBlur(found * weight[..., None], (0, 0), sigma)
        here = missing & (total > 1e-7)
        out[here] = mixed[here] / total[here][:, None]
        missing = missing & ~here
    return Ratios(np.ascontiguousarray(out[..., 0]), np.ascontiguousarray(out[..., 1]))


def _of_frame(recorded: RecordedImage) -> Ratios:
    factor = 4
    while max(recorded.source.size) / factor > SMALL and factor < COARSEST:
        factor *= 2
    return ratios_of(recorded.level(factor), recorded.clipped)


def _over(ratios: Ratios, mapping: Mapping) -> Ratios:
    return Ratios(mapping.field(ratios.red), mapping.field(ratios.blue)) if ratios.red.size else ratios


RATIOS = CoarseField("colour around clipped places", _of_frame, _over)


@njit(cache=True, fastmath=True, error_model="numpy")
def rebuilt(r, g, b, bits, ratios, y, x):
    """Return a pixel with clipped channels (bits 1, 2, 4), rebuilt; never lowered.

    Parameters
    ----------
    r
        Red plane for the kernel.
    g
        Green plane for the kernel.
    b
        Second coefficient, or blue plane for kernels.
    bits
        Bits per sample.
    ratios
        Colour ratios of the light around.
    y
        Its place in cells of `ratios`.
    x
        Its place in cells of `ratios`.
    """
    if bits == 7:
        mean = (r + g + b) / np.float32(3)
        return mean, mean, mean
    red, blue = np.float32(1), np.float32(1)
    rows, columns = ratios.red.shape
    if rows > 0:
        iy, ix = min(max(int(y), 0), rows - 1), min(max(int(x), 0), columns - 1)
        red, blue = exp2_of(ratios.red[iy, ix]), exp2_of(ratios.blue[iy, ix])
    n, level = np.float32(0), np.float32(0)
    if not bits & 1:
        level += r / red
        n += np.float32(1)
    if not bits & 2:
        level += g
        n += np.float32(1)
    if not bits & 4:
        level += b / blue
        n += np.float32(1)
    level /= n
    if bits & 1:
        r = max(r, level * red)
    if bits & 2:
        g = max(g, level)
    if bits & 4:
        b = max(b, level * blue)
    return r, g, b
