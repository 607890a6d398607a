"""How the sky turns in the frame: the pole, the focal length and the lens's bend, from spots of a few frames.

The sky turns at the sidereal rate, so two directions and two numbers of the lens say where every star is at any time.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.merge.sky.stars import Spots

SIDEREAL = 2 * math.pi / 86164.0905
"""Turn of the sky, radians a second (IERS: sidereal day of 86164.0905 s)."""
DIAGONAL_35MM = 43.2666
"""Diagonal of the frame that focal lengths are given for, mm."""
USUAL_35MM = 26.0
AXES = 900
"""Directions of the pole that are tried."""
BRIGHTEST = 120
"""Spots of a frame that are looked at to find the pole."""
NEAR_PX = 3.0
LENS_KNOWN = 0.02
"""Standard deviation of the focal length in Exif, as a share, and of a phone lens's bend at the corner."""
LEAST_PAIRS = 12
"""Stars that have to agree."""


@dataclass(frozen=True)
class SkyRotation:
    """How the sky turns through the frame of a camera that stands still."""

    axis: NDArray[np.float64]
    """Direction of the pole about which the sky turns counter-clockwise as seen by the camera (right, down,
    forward)."""
    focal: float
    """Pixels."""
    bend: float
    """Radial distortion at the corner."""
    size: tuple[int, int]
    """Width and height."""
    rms: float = 0.0
    """Error, pixels."""
    stars: int = 0

    def directions(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Compute the directions (N, 3) of places (N, 2) of the frame.

        Parameters
        ----------
        places
            Positions of the handles.

        Returns
        -------
        NDArray[np.float64]
            Directions (N, 3) of places (N, 2) of the frame.
        """
        w, h = self.size
        q = places - [(w - 1) / 2, (h - 1) / 2]
        corner = w * w / 4 + h * h / 4
        u = q.copy()
        for _ in range(4):  # the bend is small: this closes quickly
            u = q / (1 + self.bend * np.minimum((u**2).sum(axis=1), 2 * corner) / corner)[:, None]
        d = np.column_stack([u / self.focal, np.ones(len(u))])
        return d / np.linalg.norm(d, axis=1, keepdims=True)

    def places(self, directions: NDArray[np.float64]) -> NDArray[np.float64]:
        """Compute the places (N, 2) of directions; NaN behind the camera.

        Parameters
        ----------
        directions
            Directions (N, 3), unit vectors.

        Returns
        -------
        NDArray[np.float64]
            Places (N, 2) of directions.
        """
        w, h = self.size
        z = np.where(directions[:, 2] > 0.05, directions[:, 2], np.nan)
        u = self.focal * directions[:, :2] / z[:, None]
        corner = w * w / 4 + h * h / 4
        return u * (1 + self.bend * np.minimum((u**2).sum(axis=1), 2 * corner) / corner)[:, None] + [
            (w - 1) / 2, (h - 1) / 2,
        ]  # fmt: skip

    def turned(self, directions: NDArray[np.float64], seconds: float | NDArray[Any]) -> NDArray[np.float64]:
        """Compute the directions after a time (Rodrigues' formula).

        Parameters
        ----------
        directions
            Directions (N, 3), unit vectors.
        seconds
            NDArray|Time since the first frame, seconds.

        Returns
        -------
        NDArray[np.float64]
            Directions after a time (Rodrigues' formula).
        """
        angle = SIDEREAL * np.asarray(seconds, float)
        c, s = np.cos(angle), np.sin(angle)
        if np.ndim(angle):
            c, s = c[:, None], s[:, None]
        p = self.axis
        along = np.outer(directions @ p, p)
        return directions * c + np.cross(p, directions) * s + along * (1 - c)

    def moved(self, places: NDArray[np.float64], seconds: float | NDArray[Any]) -> NDArray[np.float64]:
        """Find where stars at places (N, 2) are after a time.

        Parameters
        ----------
        places
            Positions of the handles.
        seconds
            NDArray|Time since the first frame, seconds.

        Returns
        -------
        NDArray[np.float64]
            Where stars at places (N, 2) are after a time.
        """
        return self.places(self.turned(self.directions(places), seconds))

    def pole(self) -> tuple[float, float] | None:
        """Where the pole is in the frame's plane, None where neither is before the camera."""
        p = self.axis if self.axis[2] > 0 else -self.axis
        found = self.places(p[None])[0]
        return None if np.isnan(found).any() else (float(found[0]), float(found[1]))


def _sphere(count: int) -> NDArray[np.float64]:
    """Directions spread evenly (Fibonacci lattice)."""
    k = np.arange(count) + 0.5
    z = 1 - 2 * k / count
    turn = math.pi * (1 + 5**0.5) * k
    flat = np.sqrt(1 - z * z)
    return np.stack([flat * np.cos(turn), flat * np.sin(turn), z], axis=1)


def _pairs(
    turning: SkyRotation, one: Spots, other: Spots, seconds: float, near: float
) -> tuple[NDArray[Any], NDArray[Any]]:
    """Numbers of spots of both that the turning brings onto each other."""
    there = turning.moved(one.places, seconds)
    good = np.nonzero(~np.isnan(there).any(axis=1))[0]
    if not len(good) or not len(other):
        return np.zeros(0, int), np.zeros(0, int)
    distance, index = cKDTree(other.places).query(there[good], distance_upper_bound=near)
    hit = np.isfinite(distance)
    return good[hit], index[hit]


def _brightest(spots: Spots, count: int) -> Spots:
    keep = np.argsort(spots.light)[::-1][:count]
    return Spots(spots.places[keep], spots.light[keep], spots.long[keep])


def moving_only(frames: Sequence[Spots]) -> list[Spots]:
    """Return the spots that do not stand at one place in most frames: hot pixels and lamps do.

    Parameters
    ----------
    frames
        Frames in order of time.

    Returns
    -------
    list[Spots]
        Spots that do not stand at one place in most frames.
    """
    found = []
    trees = [cKDTree(f.places) if len(f) else None for f in frames]
    for k, f in enumerate(frames):
        still = np.zeros(len(f))
        for n, tree in enumerate(trees):
            if n != k and tree is not None and len(f):
                still += np.isfinite(tree.query(f.places, distance_upper_bound=1.2)[0])
        keep = still <= 0.6 * (len(frames) - 1)
        found.append(Spots(f.places[keep], f.light[keep], f.long[keep]))
    return found


def find_turning(
    frames: Sequence[Spots], starts: Sequence[float], size: tuple[int, int], focal_35mm: float | None = None
) -> SkyRotation:
    """Find how the sky turns, from spots of frames at times `starts` (seconds).

    The pole is searched among directions all over the sphere, then pole, focal length and bend are refined together
    on pairs of stars over longer and longer times.

    Parameters
    ----------
    frames
        Frames in order of time.
    starts
        Start times, seconds.
    size
        Width and height, pixels.
    focal_35mm
        35 mm equivalent focal length, mm.

    Returns
    -------
    SkyRotation
        How the sky turns, from spots of frames at times `starts` (seconds).

    Raises
    ------
    BrutoError
        Where no turning brings stars onto each other.
    """
    from scipy.optimize import least_squares  # takes long to import

    diagonal = math.hypot(*size)
    focal = (focal_35mm or USUAL_35MM) / DIAGONAL_35MM * diagonal
    few = BrutoError(tr("These frames show too few stars, or the stars do not move: no pole can be found."))
    if not frames:
        raise few
    moving = moving_only(frames)
    # enough movement to tell, little enough to be found again
    order = np.argsort(starts)
    base = int(order[0])
    apart = [abs(starts[k] - starts[base]) * SIDEREAL * focal for k in range(len(frames))]
    usable = [k for k in range(len(frames)) if apart[k] > 6 and len(moving[k]) >= LEAST_PAIRS]
    if not usable or len(moving[base]) < LEAST_PAIRS:
        raise few
    first = min(usable, key=lambda k: abs(apart[k] - 25))
    one, other = _brightest(moving[base], BRIGHTEST), _brightest(moving[first], 2 * BRIGHTEST)
    seconds = starts[first] - starts[base]
    best, most = None, -1.0
    tree = cKDTree(other.places)
    near = max(NEAR_PX, 0.12 * apart[first])
    trial = SkyRotation(np.array([0.0, 0.0, 1.0]), focal, 0.0, size)
    ahead = trial.directions(one.places)
    for axis in _sphere(AXES):
        there = trial.places(replace(trial, axis=axis).turned(ahead, seconds))
        distance = tree.query(np.nan_to_num(there, nan=-1e6), distance_upper_bound=near)[0]
        score = float(np.maximum(0, 1 - (np.where(np.isfinite(distance), distance, near) / near) ** 2).sum())
        if score > most:
            best, most = axis, score
    assert best is not None
    found = replace(trial, axis=best)
    done: list[int] = []
    for k in sorted(usable, key=lambda k: apart[k]):
        done.append(k)
        tolerance = NEAR_PX + (0.25 * apart[k] if len(done) == 1 else 3.0)
        pairs = [(n, *_pairs(found, moving[base], moving[n], starts[n] - starts[base], tolerance)) for n in done[-6:]]
        if sum(len(a) for _, a, _ in pairs) < LEAST_PAIRS:
            done.pop()
            continue
        for _ in range(2):
            found = _refined(found, moving, starts, base, pairs, least_squares)
            pairs = [(n, *_pairs(found, moving[base], moving[n], starts[n] - starts[base], NEAR_PX)) for n in done[-6:]]
    for _ in range(3):
        pairs = [(n, *_pairs(found, moving[base], moving[n], starts[n] - starts[base], 2.0)) for n in done]
        found = _refined(found, moving, starts, base, pairs, least_squares)
    if found.stars < LEAST_PAIRS or found.rms > 1.5:
        raise BrutoError(tr("The stars do not rotate around one pole: the phone was moved, or there are too few."))
    return found


def _refined(
    turning: SkyRotation, frames: list[Spots], starts: Sequence[float], base: int, pairs: list[Any], solve: object
) -> SkyRotation:
    """Return the turning with pole, focal length and bend fitted to pairs; those of the lens only over a long way."""
    a = np.concatenate([frames[base].places[one] for _, one, _ in pairs])
    b = np.concatenate([frames[n].places[other] for n, _, other in pairs])
    seconds = np.concatenate([np.full(len(one), starts[n] - starts[base]) for n, one, _ in pairs])
    if len(a) < LEAST_PAIRS:
        return turning
    helper = np.array([1.0, 0, 0]) if abs(turning.axis[0]) < 0.8 else np.array([0, 1.0, 0])
    e1 = np.cross(turning.axis, helper)
    e1 /= np.linalg.norm(e1)
    e2 = np.cross(turning.axis, e1)
    free = 4 if np.abs(seconds).max() * SIDEREAL > math.radians(2) else 2

    def at(v: NDArray[Any]) -> SkyRotation:
        axis = turning.axis + v[0] * e1 + v[1] * e2
        lens = (turning.focal * math.exp(v[2]), turning.bend + v[3]) if free == 4 else (turning.focal, turning.bend)
        return replace(turning, axis=axis / np.linalg.norm(axis), focal=lens[0], bend=lens[1])

    def error(v: NDArray[Any]) -> NDArray[Any]:
        prior = [v[2] / LENS_KNOWN, v[3] / LENS_KNOWN] if free == 4 else []
        return np.concatenate([np.nan_to_num(at(v).moved(a, seconds) - b, nan=50.0).ravel(), prior])

    v = solve(error, np.zeros(free), loss="soft_l1", f_scale=0.5, x_scale=[0.01, 0.01, 0.01, 0.01][:free]).x  # type: ignore[operator]
    found = at(v)
    left = np.linalg.norm(found.moved(a, seconds) - b, axis=1)
    good = left < max(1.5, 3 * float(np.median(left)))
    return replace(found, rms=float(np.sqrt(np.mean(left[good] ** 2) / 2)), stars=int(good.sum()))
