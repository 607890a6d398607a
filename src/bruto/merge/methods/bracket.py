"""A bracket as one frame of more range.

Radiance is the mean of the frames' radiances with weights 1 / variance from the noise model, clipped light left
out, which is the maximum-likelihood estimate for Gaussian noise (Granados et al. 2010).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.align.registration import Alignment
from bruto.catalog import tr
from bruto.color.spaces import highest
from bruto.errors import BrutoError
from bruto.merge.frames import Frame, brightness, exposure_of, meta_of
from bruto.merge.ghosts import chosen_frames, shares_of
from bruto.merge.methods.method import Combined, MergeSteps, Method
from bruto.merge.planes import quads_of, warped_band
from bruto.merge.reader import Reader, common_light

BAND = 384
MOST_FRAMES = 15
CLIPPED_FROM, CLIPPED_AT = 0.86, 0.95
"""Share of saturation from which a frame's weight falls, and at which it is nothing."""
NEAR, REACH = 5, 11
"""Widths in pixels around a clipped site in which demosaiced values are not trusted, and in which they are little."""
AROUND = REACH // 2 + 2
"""Rows around a band that its result depends on: of clipped sites, and of places like one that is poorly known."""
SPILL = 0.01
"""Standard deviation that demosaicing adds there, of saturation."""
POOR = 0.25
"""Share of what is known of the places around, from which a place is settled by those that are like it."""
EXPOSURE_TRUST = 0.12
"""Deviation from the stated ratio of exposures up to which the ratio found in the pictures is believed."""

LIKE = 16.0
"""Squared distance of two places in three colours, in variances of the noise, up to which they could be one."""


def _order(paths: list[Path]) -> tuple[list[Path], Path]:
    """By exposure, which is read from the files; the middle one is the reference."""
    if len(paths) > MOST_FRAMES:
        raise BrutoError(
            tr(
                "A bracket has at most {MOST_FRAMES} frames, not {paths_count}. Merge frames of equal exposure as a "
                "burst first.",
                MOST_FRAMES=MOST_FRAMES,
                paths_count=len(paths),
            )
        )
    exposures: dict[Path, float] = {}
    problems: list[BrutoError] = []
    for path in paths:
        try:
            exposures[path] = exposure_of(meta_of(path), path)
        except BrutoError as error:  # the reader names it and leaves it out
            problems.append(error)
    if len(exposures) < 2:
        raise problems[0]
    rising = sorted(exposures, key=lambda p: exposures[p])
    left = [p for p in paths if p not in exposures]
    if exposures[rising[-1]] / exposures[rising[0]] < 1.2:
        raise BrutoError(tr("These frames have the same exposure. Merge them as a burst (noise) instead."))
    return rising + left, rising[len(rising) // 2]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _radiance(bands, full, spilt, exposures, a, b, out, known):
    """Weighted mean radiance of frames (N, h, w, 3), each divided by its relative exposure; `spilt` (N, h, w).

    How far a frame is clipped around; `known`: 1 / variance of the result.
    """
    n, h, w = bands.shape[:3]
    for y in prange(h):
        for x in range(w):
            for c in range(3):
                # first estimate: every unclipped frame by its exposure, the variance-optimal choice in bright light
                top = np.float32(0)
                low = np.float32(0)
                for k in range(n):
                    weight = full[k, y, x] * exposures[k]
                    top += weight * bands[k, y, x, c] / exposures[k]
                    low += weight
                if low <= 0:
                    out[y, x, c] = bands[0, y, x, c] / exposures[0]
                    known[y, x, c] = np.float32(0)
                    continue
                estimate = max(top / low, np.float32(0))
                top = np.float32(0)
                low = np.float32(0)
                for k in range(n):
                    e = exposures[k]
                    spill = np.float32(SPILL) * spilt[k, y, x]
                    variance = (a[k, c] * e * estimate + b[k, c] + spill * spill) / (e * e)
                    weight = full[k, y, x] / variance
                    top += weight * bands[k, y, x, c] / e
                    low += weight
                out[y, x, c] = top / low
                known[y, x, c] = low


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _settle(light, known, out):
    """Beside a window a place is known from the shortest frame alone.

    Whose noise is far above that of the places around: there it becomes the mean of those that it could be one
    of, by what is known of each, and no darker than all that are well known.
    """
    h, w = light.shape[:2]
    for y in prange(h):
        top, bottom = max(y - 2, 0), min(y + 3, h)
        total, weights, least = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
        for x in range(w):
            left, right = max(x - 2, 0), min(x + 3, w)
            best, mine = np.float32(0), known[y, x, 1]
            for i in range(top, bottom):
                for j in range(left, right):
                    best = max(best, known[i, j, 1])
            for c in range(3):
                out[y, x, c] = light[y, x, c]
                total[c] = weights[c] = np.float32(0)
                least[c] = np.float32(1e30)
            if mine <= 0 or mine >= np.float32(POOR) * best:
                continue
            for i in range(top, bottom):
                for j in range(left, right):
                    if known[i, j, 1] >= np.float32(POOR) * best:
                        for c in range(3):
                            least[c] = min(least[c], light[i, j, c])
                    far = np.float32(0)  # all colours decide together: one alone would leave coloured dots
                    for c in range(3):
                        off = light[i, j, c] - light[y, x, c]
                        far += off * off * known[y, x, c]
                    if far < np.float32(LIKE):
                        like = math.exp(np.float32(-0.25) * far)
                        for c in range(3):
                            total[c] += like * known[i, j, c] * light[i, j, c]
                            weights[c] += like * known[i, j, c]
            for c in range(3):
                if weights[c] > 0:
                    out[y, x, c] = total[c] / weights[c]
                if least[c] < np.float32(1e29):
                    out[y, x, c] = max(out[y, x, c], least[c])


def _combine(reader: Reader) -> Combined:
    """Memory holds the frames, as each place of the result is made of all of them."""
    frames: list[tuple[Frame, Alignment | None]] = []
    for frame, alignment in reader:
        frames.append((frame, alignment))
        reader.live.show(partial(quads_of, frame), frame, len(frames), False)
    h, w = reader.size
    shortest, longest = frames[0][0], frames[-1][0]
    exposures = true_exposures([f for f, _ in frames]).astype(np.float32)
    a = np.stack([f.noise[:, 0] for f, _ in frames]).astype(np.float32)
    b = np.stack([f.noise[:, 1] for f, _ in frames]).astype(np.float32)
    out = np.empty((h, w, 3), np.float16)
    reference = next(k for k, (f, _) in enumerate(frames) if f is reader.reference)
    chosen = chosen_frames(frames, exposures, CLIPPED_FROM, reference)
    shares = None if chosen is None else [shares_of(chosen, k, (h, w)).astype(np.float16) for k in range(len(frames))]
    for top in range(0, h, BAND):
        reader.check()
        bottom = min(h, top + BAND)
        # more rows at both ends, of what lies around: bands must not show
        first, last = max(0, top - AROUND), min(h, bottom + AROUND)
        bands = np.empty((len(frames), last - first, w, 3), np.float32)
        full = np.empty((len(frames), last - first, w), np.float32)
        spilt = np.empty_like(full)
        for k, (frame, alignment) in enumerate(frames):
            bands[k], inside = warped_band(frame, alignment, first, last)
            peak = highest(bands[k])
            wide, near = (cv2.dilate(peak, np.ones((n, n), np.uint8)) for n in (REACH, NEAR))
            full[k] = np.clip((CLIPPED_AT - near) / (CLIPPED_AT - CLIPPED_FROM), 0, 1)
            spilt[k] = 1 - np.clip((CLIPPED_AT - wide) / (CLIPPED_AT - CLIPPED_FROM), 0, 1)
            if inside is not None:
                full[k][~inside] = 0
            if shares is not None:
                full[k] *= shares[k][first:last]
        # where even the shortest frame is clipped, it is all there is
        full[0] = np.where(full.max(axis=0) <= 0, 1e-6, full[0])
        found, known, result = (np.empty((last - first, w, 3), np.float32) for _ in range(3))
        _radiance(bands, full, spilt, exposures, a, b, found, known)
        _settle(found, known, result)
        out[top:bottom] = np.clip(result[top - first : bottom - first], -0.01, 60000)
        reader.progress(0.9, "merging")
    dark = (b[:, 1] / exposures**2) ** -1
    gain = float(np.sqrt(dark.sum() / dark[0]))
    return Combined(
        out, _noise_of(exposures, a, b), gain, gain, math.log2(float(reader.reference.exposure / shortest.exposure)),
        math.log2(longest.exposure / shortest.exposure) + math.log2(1 / max(math.sqrt(float(b[-1, 1])), 1e-6)),
    )  # fmt: skip


def true_exposures(frames: list[Frame]) -> NDArray[np.float64]:
    """Compute the exposure of each frame over the first's, in rising order.

    It is measured in the pictures where files state rounded times.

    Neighbours in exposure are compared by block means that both hold well; the median of their ratios is taken.

    Parameters
    ----------
    frames
        Frames in order of time.

    Returns
    -------
    NDArray[np.float64]
        Exposure of each frame over the first's (rising order), measured in the pictures where files state
        rounded times.
    """
    stated = np.array([f.exposure for f in frames])
    found = [1.0]
    blocks = []
    for frame in frames:
        light = brightness(frame)
        h, w = light.shape
        small = cv2.resize(light, (max(1, w // 16), max(1, h // 16)), interpolation=cv2.INTER_AREA)
        top = cv2.resize(
            cv2.dilate(light, np.ones((17, 17), np.uint8)), small.shape[::-1], interpolation=cv2.INTER_NEAREST
        )
        blocks.append((small, top))
    for k in range(1, len(frames)):
        ratio = stated[k] / stated[k - 1]
        (dark, _), (bright, top) = blocks[k - 1], blocks[k]
        floor = 30 * math.sqrt(float(frames[k - 1].noise[1, 1]))
        good = (top < 0.8) & (dark > floor) & (bright > 0)
        if good.sum() >= 60:
            measured = float(np.median(bright[good] / dark[good]))
            if abs(measured / ratio - 1) < EXPOSURE_TRUST:
                ratio = measured
        found.append(found[-1] * ratio)
    return np.array(found)


def bracket_variance(x: NDArray[Any], exposures: NDArray[Any], a: NDArray[Any], b: NDArray[Any]) -> NDArray[Any]:
    """Compute the least variance (Cramer-Rao bound) of radiance x from frames that are not clipped there.

    x is 1 at the saturation of the shortest; one channel.

    Parameters
    ----------
    x
        Radiance, 1 = saturation of the shortest.
    exposures
        Exposure times or relative exposures.
    a
        Photon noise of each frame: a of variance a x + b.
    b
        Read noise of each frame: b of variance a x + b.

    Returns
    -------
    NDArray
        Least variance (Cramer-Rao bound) of radiance x (1 = saturation of the shortest) from frames not clipped
        there.
    """
    information = np.zeros_like(np.asarray(x, float))
    for e, ak, bk in zip(exposures, a, b, strict=True):
        information += np.where(x * e < CLIPPED_AT, e * e / (ak * e * x + bk), 0)
    return 1 / np.maximum(information, 1e-12)


def _noise_of(exposures: NDArray[Any], a: NDArray[Any], b: NDArray[Any]) -> NDArray[np.float64]:
    """Compute a, b of each channel fitted to the merged variance over the range that is used most (in logarithms)."""
    x = np.geomspace(1e-4, 0.9, 60)
    result = []
    for c in range(3):
        v = bracket_variance(x, exposures, a[:, c], b[:, c])
        design = np.stack([x / v, 1 / v], axis=1)
        from scipy.optimize import nnls

        result.append(nnls(design, np.ones(len(x)))[0])
    return np.maximum(np.array(result), [1e-9, 1e-12])


def _expect(frames: Sequence[MergeSteps]) -> str:
    times = [f.seconds or 1.0 for f in frames]
    span = math.log2(max(times) / min(times)) if times else 0.0
    return tr("Adds {span:.1f} EV of range; each place comes from the frames that recorded it best.", span=span)


BRACKET = Method(
    key="bracket",
    command="exposure",
    help=tr("Merge a bracket for more range."),
    title=tr("Weighted by noise"),
    sets=("bracket",),
    expect=_expect,
    combine=_combine,
    order=_order,
    common=common_light,
    gain=None,
)
