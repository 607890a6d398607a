"""The same push on both sides of a comparison: what a recipe changes, applied on top of what each side has."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from bruto.develop.recipe import FIELDS, FRAME_FIELDS, Recipe
from bruto.develop.recipe_values import HANDLE_NAMES, Tone

ADDED = ("exposure", "haze", "vignette", "corner_color", "sharpness", "luminance_noise", "chroma_noise", "grain")
SCALED = ("contrast", "local_contrast_fine", "local_contrast_medium", "local_contrast_broad", "chroma", "muted_chroma")
TAKEN = (
    "curves",
    "hue_nodes",
    "split_tint",
    "channel_matrix",
    "monochrome",
    "local_tone",
    "local_strength",
    "grain_size",
)
"""How fields of a push act: as a difference from the default value, as a ratio to it, or instead of what is there.
Handles of tone move by as much as the push moves the default ones.
"""
RAW_ONLY = ("raw_neutral", "profile", "base_look", "noise_best", "sharpness_radius")
"""Fields that cannot act on a finished picture."""
DAYLIGHT = 6500.0
"""Temperature (K) from which that of a push is a difference."""
_DEFAULT = Recipe()


def _limited(field: str, value: float) -> float:
    low, high = None, None
    for mark in Recipe.model_fields[field].metadata:
        low, high = getattr(mark, "ge", low), getattr(mark, "le", high)
    return max(low if low is not None else value, min(high if high is not None else value, value))


def tone_moved(tone: Tone, moves: Mapping[str, tuple[float, float]]) -> dict[str, Any]:
    """Return the handles of tone, as `Recipe.changed` takes them, moved by name: by EV and L*; they go on rising.

    Parameters
    ----------
    tone
        The five tone handles.
    moves
        Shift of handles: EV and L*, by name.

    Returns
    -------
    dict[str, Any]
        Handles of tone, as `Recipe.changed` takes them, moved by name.

    Examples
    --------
    >>> tone_moved(Tone(), {"shadow": (0.0, 10.0)})["shadow"]["lightness"]
    24.5
    """
    values: dict[str, Any] = {}
    ev, lightness = -99.0, 0.0
    for name in HANDLE_NAMES:
        now, (by_ev, by_lightness) = getattr(tone, name), moves.get(name, (0.0, 0.0))
        ev = min(max(now.ev + by_ev, ev + 0.1, -14.0), 8.0)
        lightness = min(max(now.lightness + by_lightness, lightness), 100.0)
        values[name] = {"ev": ev, "lightness": lightness}
    return values


def pushed(recipe: Recipe, push: Recipe, as_shot: tuple[float, float] = (DAYLIGHT, 0.0)) -> Recipe:
    """Return a recipe with a push on top of it.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.
    push
        The change applied to both sides.
    as_shot
        Temperature (K) and Duv for which the recipe's own stand where it names none.

    Returns
    -------
    Recipe
        A recipe with a push on top of it.

    Examples
    --------
    >>> pushed(Recipe(exposure=0.5), Recipe(exposure=1.0)).exposure
    1.5
    """
    values: dict[str, Any] = {}
    for field in ADDED:
        change = getattr(push, field) - getattr(_DEFAULT, field)
        if change:
            values[field] = _limited(field, getattr(recipe, field) + change)
    for field in SCALED:
        ratio = getattr(push, field) / getattr(_DEFAULT, field)
        if ratio != 1:
            values[field] = _limited(field, getattr(recipe, field) * ratio)
    if push.tone != _DEFAULT.tone:
        usual = {n: (getattr(push.tone, n), getattr(_DEFAULT.tone, n)) for n in HANDLE_NAMES}
        moves = {n: (h.ev - u.ev, h.lightness - u.lightness) for n, (h, u) in usual.items()}
        values["tone"] = tone_moved(recipe.tone, moves)
    dumped = push.model_dump()
    for field in TAKEN:
        if getattr(push, field) != getattr(_DEFAULT, field):
            values[field] = dumped[field]
    if push.temperature is not None:
        now = recipe.temperature if recipe.temperature is not None else as_shot[0]
        mired = 1e6 / now + 1e6 / push.temperature - 1e6 / DAYLIGHT
        values["temperature"] = round(_limited("temperature", 1e6 / max(mired, 20.0)))
    if push.tint is not None:
        now = recipe.tint if recipe.tint is not None else as_shot[1]
        values["tint"] = _limited("tint", now + push.tint)
    return recipe.changed(**values) if values else recipe


def further(push: Recipe, ev: float) -> Recipe:
    """Return a push with `ev` more exposure.

    Parameters
    ----------
    push
        The change applied to both sides.
    ev
        Exposure change, EV.

    Returns
    -------
    Recipe
        A push with `ev` more exposure.
    """
    return push.changed(exposure=_limited("exposure", push.exposure + ev)) if ev else push


def cannot_act(push: Recipe) -> list[str]:
    """Return the titles of what a push changes that cannot act on a finished picture.

    Those that cannot act on the frame that is compared count, too.

    Parameters
    ----------
    push
        The change applied to both sides.

    Returns
    -------
    list[str]
        Titles of what a push changes that cannot act on a finished picture, or on the frame that is compared.
    """
    changed = [f for f in (*RAW_ONLY, *FRAME_FIELDS) if getattr(push, f, None) != getattr(_DEFAULT, f, None)]
    return [FIELDS[f].title.lower() for f in changed if f in FIELDS]
