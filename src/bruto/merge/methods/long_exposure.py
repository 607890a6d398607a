"""Many short frames as one long exposure: what moves flows together, as behind a dark filter that nobody brought.

The mean of N frames gathers the light of all of them. Whoever passes stands in a few frames only: values far from the
middle one of their place, beyond what noise and the place's own movement explain, are left out; water, which is
different in every frame, has a wide middle and keeps all of its values.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.catalog import tr
from bruto.merge.methods.method import Combined, MergeSteps, Method
from bruto.merge.order_statistics import in_order, run_end, there, valid_in_all
from bruto.merge.planes import warped_band
from bruto.merge.reader import Reader
from bruto.merge.sky.kernels import network
from bruto.merge.spool import combined_by_rows

FAR, FAR_MOVING = 3.0, 4.5
"""Standard deviations from a place's middle value beyond which one is of something that passed: of the noise, and of
what the place itself does where it moves, as water does, whose light has a long tail.
"""
BAND = 384


@njit(cache=True, nogil=True, error_model="numpy")
def _tolerance(middle, spread, a, b, far, far_moving):
    """How far a value may lie from the middle one of its place."""
    noise = np.float32(math.sqrt(max(a * max(middle, np.float32(0)) + b, np.float32(0))))
    return max(far * noise, far * spread if spread < np.float32(1.5) * noise else far_moving * spread)


@njit(cache=True, nogil=True, error_model="numpy")
def _row(stack, a, b, far, far_moving, pairs, out):
    """One row of a stack (N, W, 3) of which all values are there."""
    count, width = stack.shape[:2]
    keep = np.ones((count, width), np.bool_)
    line, some = np.empty((count, width), np.float32), np.empty((count, width), np.float32)
    middle, tolerance = np.empty(width, np.float32), np.empty(width, np.float32)
    low, high = (count - 1) // 2, count // 2
    for c in range(3):
        for k in range(count):
            for x in range(width):
                line[k, x] = stack[k, x, c]
                some[k, x] = stack[k, x, c]
        in_order(some, pairs)
        for x in range(width):
            middle[x] = (some[low, x] + some[high, x]) * np.float32(0.5)
        for k in range(count):
            for x in range(width):
                some[k, x] = abs(line[k, x] - middle[x])
        in_order(some, pairs)
        for x in range(width):
            tolerance[x] = _tolerance(middle[x], np.float32(1.4826) * some[high, x], a[c], b[c], far, far_moving)
        for k in range(count):
            for x in range(width):
                keep[k, x] &= abs(line[k, x] - middle[x]) <= tolerance[x]
    for x in range(width):
        n = 0
        red, green, blue = np.float32(0), np.float32(0), np.float32(0)
        for k in range(count):
            if keep[k, x]:
                red += stack[k, x, 0]
                green += stack[k, x, 1]
                blue += stack[k, x, 2]
                n += 1
        if n:
            out[x, 0], out[x, 1], out[x, 2] = red / n, green / n, blue / n
        else:  # each differs from the others in some colour: the middle one
            for c in range(3):
                out[x, c] = np.sort(stack[:, x, c].copy())[high]


@njit(cache=True, nogil=True, error_model="numpy")
def _row_with_gaps(stack, a, b, far, far_moving, out):
    """Do the same where some frames hold no picture (NaN)."""
    count, width = stack.shape[:2]
    values, keep = np.empty(count, np.float32), np.empty(count, np.bool_)
    for x in range(width):
        for k in range(count):
            keep[k] = not np.isnan(stack[k, x, 0])
        for c in range(3):
            n = there(stack, x, c, values)
            out[x, c] = np.float32(0)
            if n == 0:
                continue
            some = np.sort(values[:n])
            out[x, c] = some[n // 2]
            if n < 4:
                continue
            middle = (some[(n - 1) // 2] + some[n // 2]) * np.float32(0.5)
            spread = np.float32(1.4826) * np.sort(np.abs(some - middle))[n // 2]
            tolerance = _tolerance(middle, spread, a[c], b[c], far, far_moving)
            for k in range(count):
                if abs(stack[k, x, c] - middle) > tolerance:
                    keep[k] = False
        n = 0
        for k in range(count):
            n += keep[k]
        if n:
            for c in range(3):
                total = np.float32(0)
                for k in range(count):
                    if keep[k]:
                        total += stack[k, x, c]
                out[x, c] = total / n


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _without_passing(stack, a, b, far, far_moving, pairs, out):
    """Mean of the values of each place that are near their middle one; the middle of all colours decides together."""
    for y in prange(stack.shape[1]):
        valid = np.empty(stack.shape[2], np.bool_)
        valid_in_all(stack[:, y], valid)
        begin = 0
        while begin < len(valid):
            end = run_end(valid, begin)
            if valid[begin] and stack.shape[0] >= 4:
                _row(stack[:, y, begin:end], a, b, far, far_moving, pairs, out[y, begin:end])
            else:
                _row_with_gaps(stack[:, y, begin:end], a, b, far, far_moving, out[y, begin:end])
            begin = end


def without_passing(stack: NDArray[np.float32], noise: NDArray[Any]) -> NDArray[np.float32]:
    """Compute the mean of a stack without what passes through a few frames.

    The stack is (N, rows, W, 3), NaN where a frame holds no picture; `noise` (3, 2): a, b of the variance.

    Parameters
    ----------
    stack
        Values of all frames (N, W, C).
    noise
        Noise (…, 2): a and b of variance = a x + b, x in shares of saturation.

    Returns
    -------
    NDArray[np.float32]
        The mean (rows, W, 3).
    """
    out = np.empty(stack.shape[1:], np.float32)
    a, b = (np.ascontiguousarray(noise[:, k], np.float32) for k in (0, 1))
    _without_passing(stack, a, b, np.float32(FAR), np.float32(FAR_MOVING), network(len(stack)), out)
    return out


def _removed(reader: Reader) -> Combined:
    noise = reader.reference.noise
    light, count = combined_by_rows(reader, lambda stack: without_passing(stack, noise), tr("removing passers-by"))
    gain = 0.98 * math.sqrt(count)  # a few values of pure noise lie beyond the limit
    return Combined(light, noise / gain**2, gain, math.sqrt(count), stops=math.log2(count))


def _small(total: NDArray[np.float32], counts: NDArray[np.float32] | None) -> NDArray[np.float32]:
    """Compute the sums (H, W, 3) as planes of half the size, over how many frames they are of where that is given."""
    planes: NDArray[np.float32] = np.moveaxis(total[::2, ::2], 2, 0)
    if counts is not None:
        planes = (planes / np.maximum(counts[::2, ::2], 1)).astype(np.float32)
    return planes


def _running(reader: Reader, lighten: bool) -> Combined:
    """Return the mean or the lightest value of all frames; memory holds one frame and the result."""
    h, w = reader.size
    total = np.zeros((h, w, 3), np.float32)
    counts = np.zeros((h, w), np.float32)
    used = 0
    for frame, alignment in reader:
        used += 1
        for top in range(0, h, BAND):
            reader.check()
            rows = slice(top, min(h, top + BAND))
            band, inside = warped_band(frame, alignment, rows.start, rows.stop)
            if inside is None:
                inside = np.ones(band.shape[:2], bool)
            if lighten:
                new = inside & (counts[rows] == 0)
                total[rows] = np.where(
                    new[..., None], band, np.where(inside[..., None], np.maximum(total[rows], band), total[rows])
                )
            else:
                total[rows] += np.where(inside[..., None], band, 0)
            counts[rows] += inside
        reader.live.show(lambda: _small(total, None if lighten else counts), reader.reference, used)
    noise = reader.reference.noise
    if lighten:
        return Combined(total, noise, 1.0, 1.0, stops=math.log2(used))
    gain = math.sqrt(used)
    return Combined(total / np.maximum(counts, 1)[..., None], noise / gain**2, gain, gain, stops=math.log2(used))


def longer_by(frames: Sequence[MergeSteps]) -> str:
    """Say how long the exposure becomes, in words.

    Parameters
    ----------
    frames
        Frames in order of time.

    Returns
    -------
    str
        How long the exposure becomes, in words.
    """
    seconds = [f.seconds for f in frames if f.seconds]
    stops = math.log2(max(len(frames), 1))
    if not seconds:
        return tr("Like a grey filter of {stops:.1f} stops.", stops=stops)
    total = sum(seconds)
    text = f"{total:.1f} s" if total < 90 else tr("{total:.1f} min", total=total / 60)
    return tr("Like one exposure of {text}, {stops:.1f} stops longer than each frame.", text=text, stops=stops)


LONG = Method(
    key="long",
    command="long",
    help=tr("Merge many frames into one long exposure."),
    title=tr("Long exposure, without passers-by"),
    sets=("burst", "trail"),
    expect=longer_by,
    combine=_removed,
)
LONG_ALL = Method(
    key="long-all",
    command="long",
    help=tr("Merge many frames into one long exposure."),
    title=tr("Long exposure, with everything that moves"),
    sets=("burst", "trail"),
    expect=longer_by,
    combine=lambda reader: _running(reader, False),
)
LIGHTEN = Method(
    key="lighten",
    command="long",
    help=tr("Merge many frames into one long exposure."),
    title=tr("Lightest of all, for light trails"),
    sets=("burst", "trail"),
    expect=lambda frames: tr("Each place takes its brightest value, so moving lamps leave lines."),
    combine=lambda reader: _running(reader, True),
    gain=None,
)
