"""Whether two lights share a picture: a hint, for no measurement tells a tinted light from a tinted surface.

The picture is cut into tiles; in each, the places where brightness changes and chromaticity does not (see `white`) say
which light on the locus would make them grey. Where tiles fall in two groups far apart, each in one part of the
picture, there are probably two lights.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.color.temperature import xy_of
from bruto.container.color_model import xy_to_neutral
from bruto.container.orientation import orient
from bruto.container.raw_frame import RawMeta
from bruto.develop.analysis.white_estimate import GreyPlaces

TILES = (6, 8)
"""Rows and columns of tiles."""
LIGHTS_MIRED = np.arange(90.0, 430.0, 10.0)
"""Reciprocal temperatures of lights met in practice, 10^6 / K: 11100 to 2350 K."""
OFF_LOCUS = 0.06
"""Log ratio from the locus up to which a place may be grey."""
APART_MIRED = 90.0
"""From which two lights are called two."""
LEAST_SHARE = 0.2
"""Share of the tiles that each light has at least."""


@dataclass(frozen=True)
class TwoLights:
    """A warm and a cold light that share a picture."""

    warm: float
    """Temperatures, K."""
    cold: float
    """Temperatures, K."""
    side: str
    """Where the warm one lies ("left", "right", "top", "bottom", "middle" or "edges")."""
    share: float
    """Of the tiles that it lights."""


def tile_lights(places: GreyPlaces, meta: RawMeta, balance: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Compute the reciprocal temperature of each tile's light (rows, columns), mired, and how sure it is, 0..1.

    Parameters
    ----------
    places
        Of the frame as it is stored, balanced with `balance`.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    balance
        White-balance gains, green = 1.

    Returns
    -------
    tuple[NDArray, NDArray]
        Reciprocal temperature of each tile's light (rows, columns), mired, and how sure it is, 0..1.
    """
    neutrals = np.array([xy_to_neutral(meta, *xy_of(1e6 / m, 0.0015)) for m in LIGHTS_MIRED]) * np.asarray(balance)
    locus = np.log(neutrals[:, [0, 2]] / neutrals[:, 1:2]).astype(np.float32)
    ratios, weights, good = (  # a quarter of the places tells as much
        orient(values, meta.orientation)[::2, ::2] for values in (places.ratios, places.weight, places.good)
    )
    rows, columns = TILES
    h, w = good.shape
    mired, sure = np.zeros(TILES), np.zeros(TILES)
    for i in range(rows):
        for j in range(columns):
            part = (slice(i * h // rows, (i + 1) * h // rows), slice(j * w // columns, (j + 1) * w // columns))
            points, weight = ratios[part][good[part]], weights[part][good[part]]
            if len(points) < 15:
                continue
            best = weight >= np.quantile(weight, 0.8)
            points, weight = points[best], weight[best]
            off = np.hypot(*(points[:, k, None] - locus[None, :, k] for k in (0, 1)))
            nearest = off.min(axis=1)
            weight = weight * np.exp(-0.5 * (nearest / OFF_LOCUS) ** 2)
            total = float(weight.sum())
            if total <= 0:
                continue
            at = LIGHTS_MIRED[off.argmin(axis=1)]
            order = np.argsort(at)
            middle = at[order][np.searchsorted(np.cumsum(weight[order]), total / 2)]
            spread = float(np.average(np.abs(at - middle), weights=weight))
            mired[i, j] = middle
            near = float(np.average(nearest, weights=weight))
            sure[i, j] = np.clip(1.3 - spread / 50, 0, 1) * np.clip(1.5 - near / OFF_LOCUS, 0, 1)
    return mired, sure


def two_lights(places: GreyPlaces, meta: RawMeta, balance: NDArray[Any]) -> TwoLights | None:
    """Look for two lights in one picture.

    Parameters
    ----------
    places
        Of the frame as it is stored, balanced with `balance`.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    balance
        White-balance gains, green = 1.

    Returns
    -------
    TwoLights | None
        Both, or None where one is seen.
    """
    mired, sure = tile_lights(places, meta, balance)
    certain = sure > 0.3
    if certain.sum() < 0.4 * certain.size:
        return None
    values, weights = mired[certain], sure[certain]
    low, high = np.percentile(values, [10, 90])
    for _ in range(12):
        warm = np.abs(values - high) < np.abs(values - low)
        if warm.all() or not warm.any():
            return None
        low, high = (float(np.average(values[k], weights=weights[k])) for k in (~warm, warm))
    share = float(weights[warm].sum() / weights.sum())
    within = float(np.average(np.abs(values - np.where(warm, high, low)), weights=weights))
    if high - low < max(APART_MIRED, 4 * within) or not LEAST_SHARE <= share <= 1 - LEAST_SHARE:
        return None
    side = _side(certain, warm)
    return None if side is None else TwoLights(1e6 / high, 1e6 / low, side, share)


def _side(certain: NDArray[np.bool_], warm: NDArray[np.bool_]) -> str | None:
    """Where the warm tiles lie, if they lie together."""
    row, column = np.nonzero(certain)
    y, x = row / (TILES[0] - 1) - 0.5, column / (TILES[1] - 1) - 0.5
    r = np.hypot(x, y)
    found: dict[str, float] = {}
    for name, place in (("right", x), ("bottom", y), ("edges", r)):
        a, b = place[warm], place[~warm]
        pooled = float(np.sqrt((a.var() + b.var()) / 2)) + 0.05
        found[name] = float(a.mean() - b.mean()) / pooled
    name = max(found, key=lambda k: abs(found[k]))
    if abs(found[name]) < 1.6:
        return None
    other = {"right": "left", "bottom": "top", "edges": "middle"}
    return name if found[name] > 0 else other[name]
