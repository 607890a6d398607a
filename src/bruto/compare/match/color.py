"""White, chroma, quiet colours, hue nodes and curves of the channels by which a raw's colours become a picture's.

All of them are fitted together on some thousand places, in OKLab, with formulas of the develop steps on light that was
developed without them; the pipeline is asked again only for the result.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import (
    OKLAB_FROM_LMS,
    OKLAB_LMS_FROM_XYZ,
    decode_srgb,
    encode_srgb,
    lightness,
    luminance_of,
    working_to_xyz,
)
from bruto.compare.maps import TO_XYZ, lab_of_light
from bruto.compare.match.pair import EMPTY, FULL, Pair
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Curves, HueNode
from bruto.develop.steps.color import FULL_CHROMA, MUTED_CHROMA, node_weight

NODES = 8
PLACES = 2500
"""Places that are looked at."""
ROUNDS, ROUNDS_MORE = 6, 3
CODES_AT = (0.08, 0.24, 0.42, 0.6, 0.78, 0.93)
"""Codes at which the curves of red, green and blue bend."""
TURN, LIGHT, CODE = 30.0, 0.1, 0.1
"""Degrees, OKLab L and code for which 1 stands in the fit."""
FREE, FREE_MUTED = 0.03, 0.05
"""Cost of a change of 1 against an error of 1 of every place: what the data do not tell stays as it is."""
GREY, UNSEEN = 0.25, 0.012
"""Logarithm of red, or blue, over green within which a place is about grey; gains below which white is left as it is.
"""
LEAST = 200
SCATTER = 1.5
"""Scatter of a*, b* about a place at which it counts half."""
OUTLIER = 2.0
"""Error, in about ΔE, from which a place counts less."""
_TO_LMS = OKLAB_LMS_FROM_XYZ @ TO_XYZ
_CENTRES = tuple(k * 360.0 / NODES for k in range(NODES))
WIDTH = 360.0 / NODES
_TO_WORKING = np.linalg.inv(working_to_xyz()) @ TO_XYZ
_WORKING_TO_LMS = OKLAB_LMS_FROM_XYZ @ working_to_xyz()


def oklab(linear: NDArray[Any]) -> NDArray[Any]:
    """Compute the OKLab of linear sRGB (N, 3).

    Parameters
    ----------
    linear
        Linear light, 1 = white.

    Returns
    -------
    NDArray
        OKLab of linear sRGB (N, 3).
    """
    return np.cbrt(linear @ _TO_LMS.T) @ OKLAB_FROM_LMS.T


class _Model:
    """What the curves and the colour steps make of light.

    Parameters are logarithms of the gains of chroma and of quiet colours, changes of the curves of red, green and
    blue at `CODES_AT`, then turn, logarithm of chroma and lightness of each node.
    """

    COUNT = 2 + 3 * len(CODES_AT) + 3 * NODES

    def __init__(self, light: NDArray[Any]) -> None:
        self.codes = encode_srgb(np.clip(light @ _TO_WORKING.T, 0, 1))
        ends = np.array([0.0, *CODES_AT, 1.0])
        self.hats = [np.stack([np.interp(c, ends, row) for row in np.eye(len(ends))[1:-1]]) for c in self.codes.T]

    def __call__(self, v: NDArray[Any]) -> NDArray[Any]:
        bends, nodes = v[2 : 2 + 3 * len(CODES_AT)].reshape(3, -1), v[2 + 3 * len(CODES_AT) :].reshape(NODES, 3)
        codes = np.stack([c + CODE * (bend @ hat) for c, bend, hat in zip(self.codes.T, bends, self.hats, strict=True)])
        l, a, b = (np.cbrt(decode_srgb(np.clip(codes, 0, 1)).T @ _WORKING_TO_LMS.T) @ OKLAB_FROM_LMS.T).T
        hue, chroma = np.degrees(np.arctan2(b, a)), np.hypot(a, b)
        full = np.minimum(chroma / FULL_CHROMA, 1.5)
        turn, gain, lift = np.zeros(len(l)), np.ones(len(l)), np.zeros(len(l))
        for centre, (shift, more, light) in zip(_CENTRES, nodes, strict=True):
            weight = node_weight(HueNode.model_construct(hue=centre, width=WIDTH), hue)
            turn += weight * shift * np.radians(TURN)
            gain *= 1 + weight * (np.exp(more) - 1)
            lift += weight * light * LIGHT
        a, b = gain * (a * np.cos(turn) - b * np.sin(turn)), gain * (a * np.sin(turn) + b * np.cos(turn))
        scale = np.exp(v[0]) * (1 + (np.exp(v[1]) - 1) * np.exp(-gain * chroma / MUTED_CHROMA))
        return np.stack([l + lift * full, a * scale, b * scale], axis=1)


def fit_white(pair: Pair, recipe: Recipe) -> NDArray[Any]:
    """Compute the logarithms of the gains of red and blue by which what is grey in the raw gets the colour.

    That it has in the picture: the line through logarithms of red over green, and of blue over green, of both,
    where the raw has none.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    NDArray
        Logarithms of the gains of red and blue by which what is grey in the raw gets the colour that it has in
        the picture.
    """
    now, used = pair.seen(recipe), pair.used
    star = pair.lab[..., 0]
    used = used & (star > 20) & (star < 90) & (now.min(axis=2) > 0.004) & (pair.target.min(axis=2) > 0.004)
    if used.sum() < LEAST:
        return np.zeros(2)
    one, other = (np.log(p[used]) for p in (now, pair.target))
    gains = []
    for k in (0, 2):
        x, y = one[:, k] - one[:, 1], other[:, k] - other[:, 1]
        near = np.exp(-((x / GREY) ** 2))
        weight = near
        slope, offset = 1.0, 0.0
        for _ in range(6):
            total = weight.sum() + 1e-9
            mx, my = (weight * x).sum() / total, (weight * y).sum() / total
            slope = float(((weight * (x - mx) * (y - my)).sum() + 1.0) / ((weight * (x - mx) ** 2).sum() + 1.0))
            slope = float(np.clip(slope, 0.5, 2.5))
            offset = my - slope * mx
            error = np.abs(y - slope * x - offset)
            weight = near / np.maximum(error, max(0.01, float(np.median(error))))
        gains.append(offset / slope)
    found = np.array(gains)
    return found if np.abs(found).max() > UNSEEN else np.zeros(2)


def _evenness(pair: Pair, now: NDArray[np.float32]) -> NDArray[np.float32]:
    """How much a place (H, W) counts, 0..1: less where the colours of both part from each other at random.

    Noise there makes the raw look more colourful than it is, and a fit that believes it gives too little chroma
    to all.
    """
    scatter = np.zeros(pair.valid.shape, np.float32)
    ours = lab_of_light(now)
    for k in (1, 2):
        apart = np.ascontiguousarray(pair.lab[..., k] - ours[..., k])
        fine = apart - cv2.GaussianBlur(apart, (0, 0), 3 * pair.limit)
        scatter += cv2.GaussianBlur(fine * fine, (0, 0), 3 * pair.limit)
    return (1 / (1 + scatter / SCATTER**2)).astype(np.float32)


def fit_color(pair: Pair, recipe: Recipe, known: NDArray[Any] | None = None) -> NDArray[Any]:
    """Compute the parameters of `_Model` without white.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    recipe
        The edit, every value in its own unit.
    known
        Those of an earlier fit, to begin with.

    Returns
    -------
    NDArray
        Parameters of `_Model` without white.
    """
    from scipy.optimize import least_squares  # takes long to import

    plain = recipe.changed(chroma=1.0, muted_chroma=1.0, hue_nodes=(), curves=Curves().model_dump())
    now = pair.seen(plain)
    even = _evenness(pair, now)
    codes = encode_srgb(np.clip(now, 0, 1))
    ys, xs = np.nonzero(pair.used & (codes < FULL).all(axis=2) & (codes > EMPTY / 4).all(axis=2))
    pick = np.random.default_rng(3).choice(len(ys), min(PLACES, len(ys)), replace=False)
    ys, xs = ys[pick], xs[pick]
    model, wanted = _Model(now[ys, xs].astype(float)), oklab(pair.target[ys, xs].astype(float))
    # about ΔE00: colours count less where there is much of them
    scale = 250 / (1 + 13.5 * np.hypot(wanted[:, 1], wanted[:, 2])) ** 0.75
    even = even[ys, xs]
    scales = np.stack([np.full(len(scale), 70.0), scale, scale], axis=1) * even[:, None]
    strength = np.sqrt(float((even * even).sum()))
    prior = np.full(model.COUNT, FREE * strength)
    prior[1] = FREE_MUTED * strength

    def residual(v: NDArray[Any]) -> NDArray[Any]:
        return np.concatenate([((model(v) - wanted) * scales).ravel(), v * prior])

    start, rounds = (np.zeros(model.COUNT), ROUNDS) if known is None else (known, ROUNDS_MORE)
    return least_squares(residual, start, loss="soft_l1", f_scale=OUTLIER, max_nfev=rounds).x


def with_color(recipe: Recipe, v: NDArray[Any]) -> Recipe:
    """Return the recipe with fitted colours.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.
    v
        Values.

    Returns
    -------
    Recipe
        The recipe with fitted colours.
    """
    nodes = []
    for centre, (shift, more, light) in zip(_CENTRES, v[2 + 3 * len(CODES_AT) :].reshape(NODES, 3), strict=True):
        star = float(lightness(max(float(np.cbrt(luminance_of(50.0))) + light * LIGHT, 0.0) ** 3)) - 50
        nodes.append({
            "hue": centre, "width": WIDTH, "shift": round(float(np.clip(shift * TURN, -90, 90)), 2),
            "chroma": round(float(np.clip(np.exp(more), 0, 2.5)), 3),
            "lightness": round(float(np.clip(star, -40, 40)), 2),
        })  # fmt: skip
    curves: dict[str, Any] = {}
    for name, bend in zip(("red", "green", "blue"), v[2 : 2 + 3 * len(CODES_AT)].reshape(3, -1), strict=True):
        at = np.clip(np.array(CODES_AT) + CODE * bend, 0.002, 0.998)
        ys = np.maximum.accumulate(at)
        curves[name] = [(0.0, 0.0), *((x, round(float(y), 4)) for x, y in zip(CODES_AT, ys, strict=True)), (1.0, 1.0)]
    chroma, quiet = (round(float(np.clip(np.exp(g), 0, 2.5)), 3) for g in v[:2])
    return recipe.changed(chroma=chroma, muted_chroma=quiet, hue_nodes=nodes, curves=curves)


def with_white(developer: Developer, recipe: Recipe, gains: NDArray[Any]) -> Recipe:
    """Return the recipe with the temperature and tint that give a grey these gains (logarithms) of red and blue.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    recipe
        The edit, every value in its own unit.
    gains
        Gains per channel.

    Returns
    -------
    Recipe
        The recipe with the temperature and tint that give a grey these gains (logarithms) of red and blue.
    """
    if not gains.any():
        return recipe
    from scipy.optimize import least_squares

    kelvin, duv = developer.as_shot()
    kelvin = recipe.temperature if recipe.temperature is not None else kelvin
    duv = recipe.tint if recipe.tint is not None else duv
    to_srgb = np.linalg.inv(TO_XYZ) @ working_to_xyz()
    grey = np.linalg.solve(developer.balanced_matrix(developer.neutral(recipe)), np.ones(3))

    def at(u: NDArray[Any]) -> dict[str, Any]:
        temperature = float(np.clip(1e6 / np.clip(u[0], 20, 660), 1500, 50000))
        return {"temperature": round(temperature), "tint": round(float(np.clip(u[1] / 1000, -0.08, 0.08)), 5)}

    def error(u: NDArray[Any]) -> NDArray[Any]:
        found = recipe.model_copy(update={
            "temperature": float(1e6 / np.clip(u[0], 20, 660)), "tint": float(np.clip(u[1] / 1000, -0.08, 0.08)),
            "raw_neutral": None,
        })  # fmt: skip
        light = np.log(np.maximum(to_srgb @ developer.balanced_matrix(developer.neutral(found)) @ grey, 1e-4))
        return np.array([light[0] - light[1] - gains[0], light[2] - light[1] - gains[1]])

    found = least_squares(error, [1e6 / kelvin, duv * 1000], max_nfev=25, x_scale=[5, 1]).x
    return recipe.changed(raw_neutral=None, **at(found))
