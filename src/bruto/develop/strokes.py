"""Areas of a picture painted by hand: strokes of a brush, which add to a mask or take away from it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import BrutoError

LEAST_REACH, MOST_REACH = 0.002, 0.25
"""Radius of a brush, shares of the long edge."""
SOFT = 0.35
"""Share of a brush's radius over which it fades."""
MOST_STROKES, MOST_POINTS = 2000, 20_000
_SUB = 4
"""Bits of a pixel's fraction to which strokes are drawn."""


@dataclass(frozen=True)
class Stroke:
    """A stroke of the brush.

    It goes through `points` (x, y; shares of width and height of the frame as stored) with a radius `reach` (share of
    the long edge), and `adds` to the area or takes away from it.
    """

    points: tuple[tuple[float, float], ...]
    reach: float
    adds: bool = True


def painted(mask: NDArray[np.float32], strokes: Iterable[Stroke]) -> NDArray[np.float32]:
    """Compute a mask (H, W; 0..1) after strokes, in their order.

    Each is of one value along its middle and fades to its sides.

    Parameters
    ----------
    mask
        Mask (H, W).
    strokes
        Strokes of the brush.

    Returns
    -------
    NDArray[np.float32]
        The mask (H, W), 0..1.

    Examples
    --------
    >>> mask = painted(np.zeros((50, 100), np.float32), [Stroke(((0.1, 0.5), (0.9, 0.5)), 0.1)])
    >>> mask[25, 50].item(), mask[5, 50].item()
    (1.0, 0.0)
    """
    out = mask.astype(np.float32).copy()
    h, w = out.shape
    for stroke in strokes:
        if not stroke.points:
            continue
        reach = max(stroke.reach * max(h, w), 0.5)
        places = np.array(stroke.points, float) * [w, h] - 0.5
        left, top = np.maximum(np.floor(places.min(axis=0) - reach - 2), 0).astype(int)
        right, bottom = np.minimum(np.ceil(places.max(axis=0) + reach + 3), [w, h]).astype(int)
        if right <= left or bottom <= top:
            continue
        line = np.full((bottom - top, right - left), 255, np.uint8)
        alternative = np.rint((places - [left, top]) * (1 << _SUB)).astype(np.int32).reshape(-1, 1, 2)
        cv2.polylines(
            line,
            [np.repeat(alternative, 2, axis=0) if len(alternative) == 1 else alternative],
            False,
            0,
            1,
            cv2.LINE_8,
            _SUB,
        )
        distance = cv2.distanceTransform(line, cv2.DIST_L2, 5)
        share = np.clip((reach - distance) / max(SOFT * reach, 1.0), 0, 1)
        part = out[top:bottom, left:right]
        part += share * ((1.0 if stroke.adds else 0.0) - part)
    return out


def strokes_as_json(strokes: Iterable[Stroke]) -> list[dict[str, Any]]:
    """Return the strokes as plain lists and numbers.

    Parameters
    ----------
    strokes
        Strokes of the brush.

    Returns
    -------
    list[dict[str, Any]]
        Strokes as plain lists and numbers.
    """
    return [
        {"adds": s.adds, "reach": round(s.reach, 5), "points": [[round(x, 5), round(y, 5)] for x, y in s.points]}
        for s in strokes
    ]


def strokes_of(data: Any) -> tuple[Stroke, ...]:
    """Return the strokes from lists and numbers.

    Parameters
    ----------
    data
        Stored data.

    Returns
    -------
    tuple[Stroke, ...]
        Strokes from lists and numbers.

    Raises
    ------
    BrutoError
        Where they are none.

    Examples
    --------
    >>> strokes_of([{"adds": False, "reach": 0.02, "points": [[0.5, 0.25]]}])
    (Stroke(points=((0.5, 0.25),), reach=0.02, adds=False),)
    """
    if not isinstance(data, Sequence) or isinstance(data, str) or len(data) > MOST_STROKES:
        raise BrutoError(tr("strokes are a list of up to {MOST_STROKES}.", MOST_STROKES=MOST_STROKES))
    return tuple(_stroke(one, k) for k, one in enumerate(data))


def _stroke(one: Any, k: int) -> Stroke:
    wrong = tr("stroke {k}: ", k=k + 1)
    if isinstance(one, Stroke):
        return one
    if not isinstance(one, Mapping) or set(one) - {"adds", "reach", "points"}:
        raise BrutoError(tr('{wrong}it is not {{"adds": true, "reach": 0.02, "points": [[x, y], …]}}.', wrong=wrong))
    adds: Any
    reach: Any
    points: Any
    adds, reach, points = one.get("adds", True), one.get("reach"), one.get("points")
    if not isinstance(adds, bool):
        raise BrutoError(tr("{wrong}'adds' is true or false.", wrong=wrong))
    if not _number(reach) or not LEAST_REACH <= float(reach) <= MOST_REACH:
        raise BrutoError(
            tr(
                "{wrong}'reach' is from {LEAST_REACH} to {MOST_REACH}, a share of the long edge.",
                wrong=wrong,
                LEAST_REACH=LEAST_REACH,
                MOST_REACH=MOST_REACH,
            )
        )
    if not isinstance(points, Sequence) or isinstance(points, str) or not 0 < len(points) <= MOST_POINTS:
        raise BrutoError(
            tr(
                "{wrong}'points' are up to {MOST_POINTS} pairs of shares of width and height.",
                wrong=wrong,
                MOST_POINTS=MOST_POINTS,
            )
        )
    for p in points:
        if not isinstance(p, Sequence) or len(p) != 2 or not all(_number(v) and -1 <= v <= 2 for v in p):
            raise BrutoError(tr("{wrong}a point is two shares of width and height, such as [0.5, 0.25].", wrong=wrong))
    return Stroke(tuple((float(x), float(y)) for x, y in points), float(reach), adds)


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and bool(np.isfinite(value))
