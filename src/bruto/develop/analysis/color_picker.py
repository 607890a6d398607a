"""What a place of the picture says: its colour for the hue ring, its light for the tone handles."""

from __future__ import annotations

import math

import numpy as np

from bruto.color.spaces import OKLAB_FROM_LMS, OKLAB_LMS_FROM_XYZ, decode_srgb, space
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import HANDLE_NAMES, HueNode, Tone
from bruto.develop.rectangle import Rectangle

PATCH = 24
"""Side of the patch that is looked at, full-size pixels."""
NARROWEST, WIDEST = 18.0, 70.0
"""Widths that a picked node may get, degrees."""
COLORLESS = 0.008
"""OKLCh chroma below which a place has no hue."""


def _patch(size: tuple[int, int], x: float, y: float) -> Rectangle:
    w, h = size
    left = min(max(0, int(x * w) - PATCH // 2), max(0, w - PATCH))
    top = min(max(0, int(y * h) - PATCH // 2), max(0, h - PATCH))
    return Rectangle(left, top, min(PATCH, w), min(PATCH, h))


def hue_at(developer: Developer, recipe: Recipe, x: float, y: float) -> HueNode | None:
    """Return a node for the colour at a relative place of the unoriented picture, as it is before hue nodes.

    None for greys.

    Its centre is the patch's mean hue, its width follows how far the hues in the patch are spread.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    recipe
        The edit, every value in its own unit.
    x
        Share of the width, 0..1.
    y
        Share of the height, 0..1.

    Returns
    -------
    HueNode | None
        A node for the colour at a relative place of the unoriented picture, as it is before hue nodes.
    """
    plain = recipe.changed(hue_nodes=(), monochrome=False, grain=0.0, bypassed=[])
    picture = developer.view(plain, 1, _patch(developer.size(recipe), x, y))
    lms = decode_srgb(picture.reshape(-1, 3) / 255.0) @ (OKLAB_LMS_FROM_XYZ @ space("srgb").to_xyz()).T
    lab = np.cbrt(np.maximum(lms, 0)) @ OKLAB_FROM_LMS.T
    a, b = lab[:, 1].mean(), lab[:, 2].mean()
    if math.hypot(a, b) < COLORLESS:
        return None
    hue = math.degrees(math.atan2(b, a)) % 360
    off = (np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) - hue + 180) % 360 - 180
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    spread = math.sqrt(float((off**2 * chroma).sum() / max(float(chroma.sum()), 1e-9)))
    return HueNode(hue=round(hue) % 360, width=float(np.clip(round(20 + 2 * spread), NARROWEST, WIDEST)))


def lifted(tone: Tone, ev: float, by: float) -> Tone:
    """Return the tone with light at `ev` (after exposure) made lighter by `by` L*.

    Handles on both sides share the move by their nearness, and stay in order.

    Parameters
    ----------
    tone
        The five tone handles.
    ev
        Exposure change, EV.
    by
        How far to move it.

    Returns
    -------
    Tone
        The tone with light at `ev` (after exposure) made lighter by `by` L*: handles on both sides share the
        move by their nearness, and stay in order.
    """
    handles = tone.handles()
    places = [h.ev for h in handles]
    weights = [0.0] * 5
    if ev <= places[0]:
        weights[0] = 1.0
    elif ev >= places[-1]:
        weights[-1] = 1.0
    else:
        k = max(i for i in range(4) if places[i] <= ev)
        share = (ev - places[k]) / (places[k + 1] - places[k])
        weights[k], weights[k + 1] = 1 - share, share
    peak = max(weights)
    values = [h.lightness + by * w / peak for h, w in zip(handles, weights, strict=True)]
    values = [float(np.clip(v, 0, 100)) for v in values]
    changed = [w > 0 for w in weights]
    for k in range(5):  # handles that were not moved hold the others
        if changed[k]:
            low = max((handles[i].lightness for i in range(k) if not changed[i]), default=0.0)
            high = min((handles[i].lightness for i in range(k + 1, 5) if not changed[i]), default=100.0)
            values[k] = min(max(values[k], low), high)
    values = [max(values[: k + 1]) for k in range(5)] if by > 0 else [min(values[k:]) for k in range(5)]
    data = tone.model_dump()
    for name, value in zip(HANDLE_NAMES, values, strict=True):
        data[name]["lightness"] = round(value, 1)
    return Tone.model_validate(data)
