"""The field of gains over place and light that is left to do once tone and colour are matched."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from bruto.compare.match.pair import SRGB_WEIGHTS, Pair
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import MOST_COLUMNS, MOST_LIGHTS, MOST_ROWS, LocalTone

if TYPE_CHECKING:
    from scipy import sparse

PLACES = 24_000
"""Places of the grid that are looked at, at most."""
SMOOTH, SMOOTH_LIGHT, SMALL = 0.02, 0.01, 0.002
"""How much a difference between neighbours in place, in light, and any gain at all, costs against an error of a place
(squares; for a field with as many places as points).
"""
PER_STAR = 30.0
"""L* a stop about grey, to which errors are scaled."""
OUTLIER = 3.0
"""L* of error from which a place counts less."""
ROUNDS = 4
LARGEST = 5.9


def _stars_per_stop(light: NDArray[Any]) -> NDArray[Any]:
    """How much L* changes with a stop of light (derivative of CIE 1976 L*)."""
    return np.log(2) * np.where(light > 0.008856, 116 / 3 * np.cbrt(light), 903.3 * light)


def _points(pair: Pair, light: NDArray[Any], where: tuple[NDArray[Any], NDArray[Any]]) -> sparse.csr_matrix:
    """Which points of the field each place reads, and how much of each (places, points)."""
    from scipy import sparse  # takes long to import

    height, width = pair.valid.shape
    ys, xs = where
    counts = (MOST_ROWS, MOST_COLUMNS, MOST_LIGHTS)
    places = (
        (ys + 0.5) / height * MOST_ROWS - 0.5,
        (xs + 0.5) / width * MOST_COLUMNS - 0.5,
        np.cbrt(light) * (MOST_LIGHTS - 1),
    )
    places = tuple(np.clip(p, 0, n - 1.001) for p, n in zip(places, counts, strict=True))
    lows = tuple(p.astype(int) for p in places)
    shares = tuple(p - low for p, low in zip(places, lows, strict=True))
    index, columns, values = np.arange(len(ys)), [], []
    for corner in np.ndindex(2, 2, 2):
        at = [low + c for low, c in zip(lows, corner, strict=True)]
        columns.append((at[0] * MOST_COLUMNS + at[1]) * MOST_LIGHTS + at[2])
        values.append(np.prod([s if c else 1 - s for s, c in zip(shares, corner, strict=True)], axis=0))
    rows = np.tile(index, 8)
    shape = (len(ys), MOST_ROWS * MOST_COLUMNS * MOST_LIGHTS)
    return sparse.csr_matrix((np.concatenate(values), (rows, np.concatenate(columns))), shape=shape)


def _roughness() -> NDArray[Any]:
    """Compute the cost of a field (points, points): of differences between neighbours, and of gains."""
    from scipy import sparse

    count = MOST_ROWS * MOST_COLUMNS * MOST_LIGHTS
    points = np.arange(count).reshape(MOST_ROWS, MOST_COLUMNS, MOST_LIGHTS)
    cost = SMALL * np.eye(count)
    for axis, weight in enumerate((SMOOTH, SMOOTH, SMOOTH_LIGHT)):
        one, other = (np.take(points, range(a, b), axis).ravel() for a, b in
                      ((0, points.shape[axis] - 1), (1, points.shape[axis])))  # fmt: skip
        rows = np.arange(len(one))
        ones = np.ones(len(one))
        change = sparse.csr_matrix(
            (np.concatenate([ones, -ones]), (np.tile(rows, 2), np.concatenate([one, other]))), shape=(len(one), count)
        )
        cost += weight * (change.T @ change).toarray()
    return cost


def match_local(pair: Pair, recipe: Recipe) -> Recipe:
    """Return the recipe with the gains that bring each place's light to the picture's, on top of those it has.

    Iteratively reweighted least squares.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    Recipe
        The recipe with the gains that bring each place's light to the picture's, on top of those it has.
    """
    known = recipe.local_tone
    old = np.array(known.gains) if known.gains else np.zeros(MOST_ROWS * MOST_COLUMNS * MOST_LIGHTS)
    now = np.maximum(pair.seen(recipe) @ SRGB_WEIGHTS, 1e-4)
    plain = recipe.changed(local_tone=LocalTone().model_dump())
    read = now if not known.gains else np.maximum(pair.seen(plain) @ SRGB_WEIGHTS, 1e-5)
    wanted = np.maximum(pair.target @ SRGB_WEIGHTS, 1e-4)
    ys, xs = np.nonzero(pair.used & (now < 0.99))
    if len(ys) > PLACES:
        pick = np.random.default_rng(2).choice(len(ys), PLACES, replace=False)
        ys, xs = ys[pick], xs[pick]
    stops = np.log2(wanted / now)[ys, xs]
    weight = _stars_per_stop(wanted[ys, xs]) / PER_STAR
    points = _points(pair, read[ys, xs], (ys, xs))
    cost = _roughness() * (len(ys) / len(old))
    found, trust = np.zeros(len(old)), np.ones(len(ys))
    for _ in range(ROUNDS):
        scaled = points.multiply((weight * weight * trust)[:, None]).tocsr()
        found = np.linalg.solve((scaled.T @ points).toarray() + cost, scaled.T @ stops - cost @ old)
        trust = 1 / np.sqrt(1 + ((points @ found - stops) * weight * PER_STAR / OUTLIER) ** 2)
    gains = np.clip(old + found, -LARGEST, LARGEST)
    field = LocalTone(
        columns=MOST_COLUMNS, rows=MOST_ROWS, lights=MOST_LIGHTS, gains=tuple(round(float(g), 3) for g in gains)
    )
    return recipe.changed(local_tone=field.model_dump(), local_strength=1.0)
