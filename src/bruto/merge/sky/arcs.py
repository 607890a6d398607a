"""Gaps in star trails, and what bridges them: pieces of the arcs that stars went along while they were not seen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.spatial import cKDTree

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.merge.sky.frame_assessment import FrameAssessment
from bruto.merge.sky.sky_rotation import SkyRotation

FOUND_PX = 2.5
"""Pixels from where a star should be within which a spot is that star."""
LEAST_TIMES = 3
"""Frames that a star is seen in at least."""
NEIGHBOURS, HIDDEN_SHARE, LEAST_ABOUT = 8, 0.6, 4
"""Stars about one, the share of them that is not seen where a cloud hides them, and how many tell that at least."""
LONGEST = 40
"""Frames that are bridged at once."""
STEP_PX = 0.5
COLOR_SIGMA = 2.5
"""Pixels about a place by which the colour of a trail is determined."""
TRACE = 1e-5
"""Share of the brightest trail's light below which there is none."""
ALONG_PX = 4
"""Pixels to both sides over which a trail is averaged along its arc, at most."""
ACROSS_PX, ON_PX = 4.0, 7.0
"""Pixels to both sides of a trail's middle, and along it, that its profile is taken from."""
SAMPLES = 24
"""Frames whose stars make the catalogue."""


@dataclass(frozen=True)
class TrailArc:
    """A piece of a star's way that was missed: `places` (N, 2) every half pixel, from one that was seen to the next."""

    places: NDArray[np.float64]


def catalogue(frames: Sequence[FrameAssessment], turning: SkyRotation) -> NDArray[np.float64]:
    """Compute the directions (N, 3) at the first frame's start of the stars that several frames show.

    Parameters
    ----------
    frames
        Frames in order of time.
    turning
        How the sky rotates in the frame.

    Returns
    -------
    NDArray[np.float64]
        Directions (N, 3) at the first frame's start of the stars that several frames show.
    """
    some = [f for f in frames if not f.why and len(f.spots) and f.clear > 0.6]
    some = some[:: max(1, len(some) // SAMPLES)][: SAMPLES + 1]
    if not some:
        return np.zeros((0, 3))
    all_of = np.concatenate([
        turning.turned(turning.directions(f.spots.places), -(f.start + f.seconds / 2)) for f in some
    ])  # fmt: skip
    number = np.concatenate([np.full(len(f.spots), k) for k, f in enumerate(some)])
    near = FOUND_PX / turning.focal
    groups = cKDTree(all_of).query_ball_point(all_of, near)
    found, taken = [], np.zeros(len(all_of), bool)
    for k in np.argsort([-len(g) for g in groups], kind="stable"):
        if taken[k]:
            continue
        group = [g for g in groups[k] if not taken[g]]
        taken[group] = True
        if len(set(number[group])) >= min(LEAST_TIMES, len(some)):
            mean = all_of[group].mean(axis=0)
            found.append(mean / np.linalg.norm(mean))
    return np.array(found) if found else np.zeros((0, 3))


def _inside(places: NDArray[np.float64], size: tuple[int, int], margin: float = 4.0) -> NDArray[np.bool_]:
    with np.errstate(invalid="ignore"):
        there: Any = ((places > margin) & (places < np.array(size) - 1 - margin)).all(axis=1)
    return there


def missed(frames: Sequence[FrameAssessment], turning: SkyRotation, pace: float) -> list[TrailArc]:
    """Return the pieces of arcs that frames left out, or clouds hid.

    Between two frames of `frames` that show the star.

    Parameters
    ----------
    frames
        Frames in order of time.
    turning
        How the sky rotates in the frame.
    pace
        Seconds from frame to frame.

    Returns
    -------
    list[TrailArc]
        Pieces of arcs that frames left out, or clouds hid.
    """
    stars = catalogue(frames, turning)
    used = [f for f in frames if not f.why]
    if not len(stars) or len(used) < 2:
        return []
    slots = np.array([round(f.start / pace) for f in used])
    first, count = int(slots.min()), int(slots.max() - slots.min()) + 1
    seen = np.zeros((len(stars), count), bool)
    free = np.ones((len(stars), count), bool)
    """Where the star could not be seen: no frame, or a cloud."""
    for f, slot in zip(used, slots - first, strict=True):
        where = turning.places(turning.turned(stars, f.start + f.seconds / 2))
        inside = _inside(where, turning.size)
        if len(f.spots) and inside.any():
            tree = cKDTree(f.spots.places)
            seen[inside, slot] = np.isfinite(tree.query(where[inside], distance_upper_bound=FOUND_PX)[0])
        free[:, slot] = False
        if f.clear < 0.95 and inside.any():
            free[:, slot] = _clouded(where, inside, seen[:, slot])
    by_slot = {int(s): f for f, s in zip(used, slots - first, strict=True)}
    arcs = []
    for star in range(len(stars)):
        there = np.nonzero(seen[star])[0]
        for a, b in pairwise(there):
            if b - a < 2 or b - a > LONGEST or not free[star, a + 1 : b].any():
                continue
            one, other = by_slot[int(a)], by_slot[int(b)]
            begin, end = one.start + one.seconds / 2, other.start + other.seconds / 2
            alternative = float(np.linalg.norm(np.diff(_way(turning, stars[star], begin, end, 2), axis=0)))
            arcs.append(TrailArc(_way(turning, stars[star], begin, end, max(2, math.ceil(alternative / STEP_PX) + 1))))
    return arcs


def _way(turning: SkyRotation, star: NDArray[Any], begin: float, end: float, count: int) -> NDArray[np.float64]:
    times = np.linspace(begin, end, count)
    return turning.places(turning.turned(np.repeat(star[None], count, axis=0), times))


def _clouded(where: NDArray[Any], inside: NDArray[Any], seen: NDArray[Any]) -> NDArray[np.bool_]:
    """Stars of which most neighbours are hidden as well."""
    hidden = np.zeros(len(where), bool)
    there = np.nonzero(inside)[0]
    count = min(NEIGHBOURS, len(there))
    if count >= LEAST_ABOUT:
        _, about = cKDTree(where[there]).query(where[there], count)
        hidden[there] = 1 - seen[there][about].mean(axis=1) > HIDDEN_SHARE
    return hidden


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _evened(light, around):
    """Give light (H, W, 3) its surroundings' colour, into these."""
    for y in prange(len(light)):
        own, near = light[y], around[y]
        for x in range(len(own)):
            brightness = own[x, 0] + own[x, 1] + own[x, 2]
            share = brightness / max(near[x, 0] + near[x, 1] + near[x, 2], np.float32(1e-9))
            for c in range(3):
                near[x, c] *= share


def even_color(stars: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute the trails (H, W, 3) whose colour is that of their neighbourhood.

    A trail is narrower than the mosaic can tell colours apart, but its star has one colour all along.

    Parameters
    ----------
    stars
        Stars by their directions.

    Returns
    -------
    NDArray[np.float32]
        Trails (H, W, 3) whose colour is that of their neighbourhood.
    """
    light = np.maximum(stars, 0)
    around = cv2.GaussianBlur(light, (0, 0), COLOR_SIGMA)
    _evened(light, around)
    return around


def drift(turning: SkyRotation, step: int = 16) -> NDArray[np.float32]:
    """Find how far stars move at each place, pixels a second (H, W, 2).

    Parameters
    ----------
    turning
        How the sky rotates in the frame.
    step
        Step.

    Returns
    -------
    NDArray[np.float32]
        How far stars move at each place, pixels a second (H, W, 2).
    """
    w, h = turning.size
    ys, xs = np.meshgrid(np.arange(0, h + step, step), np.arange(0, w + step, step), indexing="ij")
    places = np.stack([xs.ravel(), ys.ravel()], axis=1).astype(float)
    moved = (turning.moved(places, 10.0) - turning.moved(places, -10.0)) / 20.0
    field = np.nan_to_num(moved).reshape(*xs.shape, 2).astype(np.float32)
    grid = np.float32(1 / step)
    mx, my = np.meshgrid(np.arange(w, dtype=np.float32) * grid, np.arange(h, dtype=np.float32) * grid)
    return cv2.remap(field, mx, my, cv2.INTER_LINEAR)


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _along(stars, near, field, seconds, reach, out):
    h, w = stars.shape[:2]
    for y in prange(h):
        for x in range(w):
            if not near[y, x]:
                for c in range(3):
                    out[y, x, c] = stars[y, x, c]
                continue
            dx, dy = field[y, x, 0], field[y, x, 1]
            speed = math.sqrt(dx * dx + dy * dy)
            steps = math.floor(min(float(reach), speed * seconds / 6))
            if steps < 1:
                for c in range(3):
                    out[y, x, c] = stars[y, x, c]
                continue
            dx, dy = dx / speed, dy / speed
            for c in range(3):
                out[y, x, c] = 0
            for k in range(-steps, steps + 1):
                px, py = x + k * dx, y + k * dy
                ix, iy = math.floor(px), math.floor(py)
                if ix < 0 or iy < 0 or ix >= w - 1 or iy >= h - 1:
                    continue
                fx, fy = px - ix, py - iy
                for c in range(3):
                    top = stars[iy, ix, c] * (1 - fx) + stars[iy, ix + 1, c] * fx
                    bottom = stars[iy + 1, ix, c] * (1 - fx) + stars[iy + 1, ix + 1, c] * fx
                    out[y, x, c] += top * (1 - fy) + bottom * fy
            for c in range(3):
                out[y, x, c] /= 2 * steps + 1


def smoothed_along(stars: NDArray[np.float32], turning: SkyRotation, seconds: float) -> NDArray[np.float32]:
    """Compute the trails (H, W, 3) of a night of so many seconds averaged along the way that stars go.

    Over a few pixels: noise and the mosaic make beads of them, the sky does not.

    Parameters
    ----------
    stars
        Stars by their directions.
    turning
        How the sky rotates in the frame.
    seconds
        Time since the first frame, seconds.

    Returns
    -------
    NDArray[np.float32]
        Trails (H, W, 3) of a night of so many seconds averaged along the way that stars go, over a few pixels.
    """
    out = np.empty_like(stars)
    lit = (np.abs(stars[..., 1]) > TRACE * float(np.abs(stars[..., 1]).max())).astype(np.uint8)
    near = cv2.dilate(lit, np.ones((2 * ALONG_PX + 3, 2 * ALONG_PX + 3), np.uint8))
    _along(stars, near, drift(turning), np.float32(seconds), ALONG_PX, out)
    return out


@njit(cache=True, nogil=True)
def _drawn(image, xs, ys, tx, ty, one, other):
    """Give places within reach of an arc what stands across the trail at its ends.

    The arc: points every half pixel with unit directions; the ends (U, 3; every half pixel) are mixed by the way
    between them.
    """
    h, w = image.shape[:2]
    half = (len(one) - 1) // 2
    reach = half // 2
    count = len(xs)
    for k in range(count):
        share = np.float32(k / max(count - 1, 1))
        cx, cy = round(xs[k]), round(ys[k])
        for y in range(max(0, cy - reach), min(h, cy + reach + 1)):
            for x in range(max(0, cx - reach), min(w, cx + reach + 1)):
                dx, dy = x - xs[k], y - ys[k]
                if abs(dx * tx[k] + dy * ty[k]) > 0.5:
                    continue
                at = 2 * (dx * -ty[k] + dy * tx[k]) + half
                low = math.floor(at)
                if low < 0 or low >= len(one) - 1:
                    continue
                part = np.float32(at - low)
                for c in range(3):
                    a = one[low, c] * (1 - part) + one[low + 1, c] * part
                    b = other[low, c] * (1 - part) + other[low + 1, c] * part
                    value = a * (1 - share) + b * share
                    if value > image[y, x, c]:
                        image[y, x, c] = value


def _across(
    stars: NDArray[np.float32], place: NDArray[np.float64], direction: NDArray[np.float64]
) -> tuple[NDArray[np.float32], float] | None:
    """Find what stands across a trail, and how far its middle lies from the place, pixels.

    (U, 3; every half pixel from `-ACROSS_PX`), mean of a few places from `place`, about its own middle.
    """
    h, w = stars.shape[:2]
    across = np.arange(-ACROSS_PX, ACROSS_PX + 0.25, 0.5)
    on = np.arange(0.0, ON_PX, 1.0)
    x = place[0] + on[:, None] * direction[0] - across[None] * direction[1]
    y = place[1] + on[:, None] * direction[1] + across[None] * direction[0]
    if x.min() < 1 or y.min() < 1 or x.max() > w - 2 or y.max() > h - 2:
        return None
    middle = 0.0
    for _ in range(3):
        shifted = (x - middle * direction[1]).astype(np.float32), (y + middle * direction[0]).astype(np.float32)
        part = np.maximum(cv2.remap(stars, *shifted, cv2.INTER_CUBIC), 0).mean(axis=0)
        weight = part.sum(axis=1) * (np.abs(across) <= ACROSS_PX / 2)
        middle += float((weight * across).sum() / max(float(weight.sum()), 1e-12))
        middle = float(np.clip(middle, -1.5, 1.5))
    return part.astype(np.float32), middle


def draw(stars: NDArray[np.float32], arcs: Sequence[TrailArc]) -> int:
    """Add arcs to an image of trails alone (H, W, 3), as they are at both their ends; how many.

    Parameters
    ----------
    stars
        Stars by their directions.
    arcs
        Arcs to draw.

    Returns
    -------
    int
        The number.
    """
    drawn = 0
    original = stars.copy() if arcs else stars
    for arc in arcs:
        alternative = np.gradient(arc.places, axis=0)
        alternative /= np.maximum(np.linalg.norm(alternative, axis=1, keepdims=True), 1e-9)
        begin, end = (
            _across(original, arc.places[0], -alternative[0]),
            _across(original, arc.places[-1], alternative[-1]),
        )
        if begin is None or end is None or min(begin[0].max(), end[0].max()) <= 0:
            continue
        one = begin[0][::-1].copy()  # it was looked at backwards
        off = np.linspace(-begin[1], end[1], len(alternative))
        x, y = arc.places[:, 0] - off * alternative[:, 1], arc.places[:, 1] + off * alternative[:, 0]
        _drawn(stars, x, y, alternative[:, 0], alternative[:, 1], one, end[0])
        drawn += 1
    return drawn
