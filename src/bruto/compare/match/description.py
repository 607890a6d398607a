"""What the phone did, in words of one list and numbers."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import lightness
from bruto.compare.maps import lab_of_light
from bruto.compare.match.detail import Bands
from bruto.compare.match.named_looks import looks_of
from bruto.compare.match.pair import SRGB_WEIGHTS, Pair
from bruto.compare.match.phone_change import PhoneChange
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Curves, LocalTone

DARK, MIDDLE, BRIGHT = (6.0, 22.0), (32.0, 72.0), (80.0, 95.0)
"""L* of the raw's own rendering, at the picture's exposure, within which shadows, contrast and highlights are
reported."""
LEAST = 200
COLORFUL = 8.0
"""Chroma (CIELAB) from which gains of chroma are reported."""
FAMILIES = (
    ("reds", 30.0),
    (tr("oranges and skin"), 65.0),
    ("yellows", 95.0),
    ("greens", 140.0),
    ("cyans", 200.0),
    ("blues", 265.0),
    ("violets", 325.0),
)
"""Names of hues (CIELAB, degrees) whose chroma is reported where it departs from all others'."""
APART = 0.12
"""Logarithm of the gain of chroma from which a family is distinguished."""


def _did(what: str, value: float, unit: str, digits: int, text: str = "") -> PhoneChange:
    value = round(value, digits) + 0.0
    changes = f"{value:+.{digits}f}".replace("-", "−")
    return PhoneChange(what, value, unit, text or f"{what} {changes} {unit}".strip())


def _stops(target: NDArray[Any], ours: NDArray[Any], where: NDArray[Any]) -> float:
    return float(np.median(np.log2(np.maximum(target[where], 1e-4) / np.maximum(ours[where], 1e-4))))


def what_was_done(
    pair: Pair, default: Recipe, shared: Recipe, found: Recipe, detail: tuple[Bands, Bands] | None
) -> tuple[PhoneChange, ...]:
    """Return the sentences about a match.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    default
        Where it began.
    shared
        Before the local field.
    found
        All of it.
    detail
        Detail of both sides; None where it was not compared.

    Returns
    -------
    tuple[PhoneChange, ...]
        Sentences about a match.
    """
    changes = [*looks_of(pair, default, found), _did("exposure", found.exposure - default.exposure, "EV", 2)]
    exposed = pair.seen(default.changed(exposure=found.exposure)) @ SRGB_WEIGHTS
    target = pair.target @ SRGB_WEIGHTS
    ours, theirs = lightness(exposed), pair.lab[..., 0]
    used = pair.used
    middle = used & (ours > MIDDLE[0]) & (ours < MIDDLE[1])
    if middle.sum() > LEAST:
        slope = _slope(ours[middle], theirs[middle])
        changes.append(_did("contrast", 100 * (slope - 1), "%", 0))
    for what, (low, high) in (("shadows", DARK), ("highlights", BRIGHT)):
        there = used & (ours > low) & (ours < high)
        if there.sum() > LEAST:
            changes.append(_did(what, _stops(target, exposed, there), "EV", 2))
    kelvin, duv = pair.developer.as_shot()
    if found.temperature is not None:
        changes.append(_did("white balance", found.temperature - kelvin, "K", 0))
        changes.append(_did("tint", 1000 * ((found.tint or 0.0) - duv), "Duv/1000", 1))
    changes += _chroma(pair, found)
    if found.local_tone.gains:
        without = pair.seen(found.changed(local_tone=LocalTone().model_dump())) @ SRGB_WEIGHTS
        gains = np.log2(np.maximum(pair.seen(found) @ SRGB_WEIGHTS, 1e-4) / np.maximum(without, 1e-4))[used]
        spread = float(np.percentile(gains, 90) - np.percentile(gains, 10))
        changes.append(_did("local tone", spread, "EV", 2, tr("local tone over {spread:.2f} EV", spread=spread)))
    if detail is not None:
        before, _ = detail
        raised = 100 * ((before.edges[0] + before.edges[1]) / 2 - 1)
        changes.append(_did("sharpening", raised, "%", 0, tr("edges {raised:+.0f} %", raised=raised)))
        gone = 100 * (1 - min(1.0, max(0.0, before.texture[1] / max(before.edges[1], 0.05))))
        text = tr("{gone:.0f} % of the finest texture removed", gone=gone) if gone > 5 else tr("fine texture kept")
        changes.append(_did("smoothing", gone, "%", 0, text))
    return tuple(changes)


def _slope(x: NDArray[Any], y: NDArray[Any]) -> float:
    """How much y rises with x, robustly (least squares reweighted by the error)."""
    weight = np.ones(len(x))
    slope, offset = 1.0, 0.0
    for _ in range(6):
        mx, my = (weight * x).sum() / weight.sum(), (weight * y).sum() / weight.sum()
        slope = float((weight * (x - mx) * (y - my)).sum() / max(float((weight * (x - mx) ** 2).sum()), 1e-6))
        offset = my - slope * mx
        error = np.abs(y - slope * x - offset)
        weight = 1 / np.maximum(error, max(0.5, float(np.median(error))))
    return slope


def _chroma(pair: Pair, found: Recipe) -> list[PhoneChange]:
    plain = found.changed(chroma=1.0, muted_chroma=1.0, hue_nodes=(), curves=Curves().model_dump())
    ours = lab_of_light(pair.seen(plain))
    a, b = np.hypot(ours[..., 1], ours[..., 2]), np.hypot(pair.lab[..., 1], pair.lab[..., 2])
    where = pair.used & (a > COLORFUL) & (b > 1)
    if where.sum() < LEAST:
        return []
    gains = np.log(b[where] / a[where])
    overall = float(np.median(gains))
    changes = [_did("chroma", 100 * (np.exp(overall) - 1), "%", 0)]
    hue = np.degrees(np.arctan2(ours[..., 2], ours[..., 1]))[where] % 360
    for name, centre in FAMILIES:
        there = np.abs((hue - centre + 180) % 360 - 180) < 22
        if there.sum() < max(LEAST, 0.02 * pair.used.sum()):
            continue
        mine = float(np.median(gains[there]))
        if abs(mine - overall) > APART:
            changes.append(_did(f"chroma of {name}", 100 * (np.exp(mine) - 1), "%", 0))
    return changes
