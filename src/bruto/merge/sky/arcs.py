"""Gaps in star trails, and what bridges them: pieces of the arcs that stars went along while they were not seen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.spatial import cKDTree

import bruto.compiled  # noqa: F401  sets up what kernels run on
from bruto.merge.sky.night import Seen
from bruto.merge.sky.turning import Turning

FOUND_PX = 2.5
"""Pixels from where a star should be within which a spot is that star."""
LEAST_TIMES = 3
"""Frames that a star is seen in at least."""
ROUND_ABOUT_PX, HIDDEN_SHARE, LEAST_ABOUT = 260.0, 0.6, 4
"""Stars about one, the share of them that is not seen where a cloud hides them, and how many tell that."""
LONGEST = 40
"""Frames that are bridged at once."""
STEP_PX = 0.5
SAMPLES = 24
"""Frames whose stars make the catalogue."""


@dataclass(frozen=True)
class Arc:
    """A piece of a star's way that was missed: `places` (N, 2) every half pixel, from one that was seen to the next."""

    places: NDArray[np.float64]


def catalogue(frames: Sequence[Seen], turning: Turning) -> NDArray[np.float64]:
    """Directions (N, 3) at the first frame's start of the stars that several frames show."""
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


def missed(frames: Sequence[Seen], turning: Turning, pace: float) -> list[Arc]:
    """Pieces of arcs that frames left out, or clouds hid: between two frames of `frames` that show the star."""
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
            way = float(np.linalg.norm(np.diff(_way(turning, stars[star], begin, end, 2), axis=0)))
            arcs.append(Arc(_way(turning, stars[star], begin, end, max(2, math.ceil(way / STEP_PX) + 1))))
    return arcs


def _way(turning: Turning, star: NDArray, begin: float, end: float, count: int) -> NDArray[np.float64]:
    times = np.linspace(begin, end, count)
    return turning.places(turning.turned(np.repeat(star[None], count, axis=0), times))


def _clouded(where: NDArray, inside: NDArray, seen: NDArray) -> NDArray[np.bool_]:
    """Stars about which most others are hidden as well."""
    places = np.where(inside[:, None], where, -1e6)
    hidden = np.zeros(len(where), bool)
    for k, about in enumerate(cKDTree(places).query_ball_point(places, ROUND_ABOUT_PX)):
        if inside[k] and len(about) >= LEAST_ABOUT:
            hidden[k] = 1 - seen[about].mean() > HIDDEN_SHARE
    return hidden


@njit(cache=True, nogil=True)
def _drawn(image, xs, ys, light, sigma):
    h, w = image.shape[:2]
    reach = math.ceil(3 * sigma)
    for k in range(len(xs)):
        cx, cy = round(xs[k]), round(ys[k])
        for y in range(max(0, cy - reach), min(h, cy + reach + 1)):
            for x in range(max(0, cx - reach), min(w, cx + reach + 1)):
                d = (x - xs[k]) ** 2 + (y - ys[k]) ** 2
                weight = math.exp(-d / (2 * sigma * sigma))
                for c in range(3):
                    value = np.float32(light[k, c] * weight)
                    if value > image[y, x, c]:
                        image[y, x, c] = value


def draw(stars: NDArray[np.float32], arcs: Sequence[Arc], sigma: float) -> int:
    """Add arcs to an image of trails alone (H, W, 3), as bright as the trail is at both their ends; how many."""
    drawn = 0
    h, w = stars.shape[:2]
    original = stars.copy() if arcs else stars
    for arc in arcs:
        ends = []
        for x, y in (arc.places[0], arc.places[-1]):
            if not (3 <= x < w - 3 and 3 <= y < h - 3):
                break
            part = original[round(y) - 1 : round(y) + 2, round(x) - 1 : round(x) + 2].reshape(-1, 3)
            ends.append(part[part.sum(axis=1).argmax()])
        if len(ends) < 2 or min(e.sum() for e in ends) <= 0:
            continue
        share = np.linspace(0, 1, len(arc.places))[:, None]
        light = np.maximum(ends[0] * (1 - share) + ends[1] * share, 0)
        inside = _inside(arc.places, (w, h), 0.0)
        _drawn(stars, arc.places[inside, 0], arc.places[inside, 1], light[inside], sigma)
        drawn += 1
    return drawn
