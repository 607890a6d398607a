"""Two pictures at equal brightness: by how many stops one has to be pushed to stand where the other stands."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from bruto.compare.maps import CODES, TO_XYZ
from bruto.compare.metrics import COMPARE_EDGE, Aligned, brought
from bruto.compare.sources import Side

DARKEST, BRIGHTEST = 12, 243
"""sRGB codes beyond which a place says little of brightness: it is lost, or bent towards black or white."""
LEAST = 500
NEAR_EV = 0.02
"""Stops up to which two are equally bright."""
MOST_EV = 6.0
ROUNDS = 4
_LUMINANCE = np.asarray(TO_XYZ[1], np.float32)


def luminance(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Compute the linear luminance (0..1) of sRGB codes (..., 3).

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.

    Returns
    -------
    NDArray[np.float32]
        Linear luminance (0..1) of sRGB codes (..., 3).
    """
    return (CODES[picture] @ _LUMINANCE).astype(np.float32)


def typical_light(picture: NDArray[np.uint8]) -> float:
    """Compute the median luminance of a picture's usable places (0..1), of all of them where few are usable.

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.

    Returns
    -------
    float
        Median luminance of a picture's usable places (0..1), of all of them where few are usable.
    """
    seen = picture[:: max(1, picture.shape[0] // 400), :: max(1, picture.shape[1] // 400)].reshape(-1, 3)
    usable = (seen.max(axis=1) <= BRIGHTEST) & (seen.max(axis=1) >= DARKEST)
    return max(float(np.median(luminance(seen[usable] if usable.sum() >= LEAST else seen))), 1e-4)


def apart_ev(first: NDArray[np.uint8], second: NDArray[np.uint8], valid: NDArray[np.bool_]) -> float:
    """Compute the stops by which the first of two pictures (H, W, 3) on one grid is brighter.

    Median over the places that are `valid` and usable in both; of the medians where such places are few.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.
    valid
        Mask of pixels that both pictures show.

    Returns
    -------
    float
        Stops by which the first of two pictures (H, W, 3) on one grid is brighter.
    """
    there = valid[::2, ::2]
    one, other = first[::2, ::2], second[::2, ::2]
    for picture in (one, other):
        top = picture.max(axis=2)
        there = there & (top <= BRIGHTEST) & (top >= DARKEST)
    if there.sum() < LEAST:
        return float(np.log2(typical_light(first) / typical_light(second)))
    ratio = np.maximum(luminance(one[there]), 1e-4) / np.maximum(luminance(other[there]), 1e-4)
    return float(np.log2(np.median(ratio)))


def found_push(apart: Callable[[float], float]) -> float:
    """Compute the push (EV) of exposure at which `apart`, the stops that are still missing, is nothing.

    Steps of the secant, as a tone curve makes less of a push than it says.

    Parameters
    ----------
    apart
        How far apart both are under a push, EV.

    Returns
    -------
    float
        The push (EV) of exposure at which `apart`, the stops that are still missing, is nothing.

    Examples
    --------
    >>> round(found_push(lambda ev: 1.0 - 0.8 * ev), 2)
    1.25
    """
    ev, missing = 0.0, apart(0.0)
    slope = 1.0
    for _ in range(ROUNDS):
        if abs(missing) <= NEAR_EV:
            break
        tried = float(np.clip(ev + missing / slope, -MOST_EV, MOST_EV))
        if tried == ev:
            break
        now = apart(tried)
        slope = float(np.clip((missing - now) / (tried - ev), 0.3, 2.0))
        ev, missing = tried, now
    return ev


def equalled(pair: Aligned, second: Side, make: Callable[[float], Side]) -> tuple[Side, Aligned, float]:
    """Return the second side at the brightness of the first, both on one grid, and the push (EV) that it took.

    Parameters
    ----------
    pair
        Both pictures on one grid.
    second
        Second of the two sides.
    make
        The second side under a push of exposure, on top of what is pushed already.

    Returns
    -------
    tuple[Side, Aligned, float]
        The second side at the brightness of the first, both on one grid, and the push (EV) that it took.
    """
    state = second, pair

    def missing(ev: float) -> float:
        nonlocal state
        if ev:
            side = make(ev)
            moved, valid = brought(side.whole(COMPARE_EDGE), pair.alignment)
            state = side, replace(pair, second=moved, valid=valid)
        return apart_ev(state[1].first, state[1].second, state[1].valid)

    ev = found_push(missing)
    return *state, ev


def push_to(light: float, side: Side, make: Callable[[float], Side], edge: int) -> tuple[Side, float]:
    """Return a side at a typical light and the push (EV) that it took, where nothing is aligned.

    See `typical_light`.

    Parameters
    ----------
    light
        Light relative to saturation, 0 to 1.
    side
        The side concerned.
    make
        Makes the side under a push of so many EV.
    edge
        Long edge, pixels.

    Returns
    -------
    tuple[Side, float]
        A side at a typical light (see `typical_light`) and the push (EV) that it took, where nothing is aligned.
    """
    state = side

    def missing(ev: float) -> float:
        nonlocal state
        state = make(ev) if ev else side
        return float(np.log2(light / typical_light(state.whole(edge))))

    ev = found_push(missing)
    return state, ev
