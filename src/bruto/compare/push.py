"""The same push on both sides of a comparison: what a recipe changes, applied on top of what each side has."""

from __future__ import annotations

from typing import Any

from bruto.develop.recipe import FRAME_FIELDS, SAID, Recipe

ADDED = ("exposure", "haze", "edge_light", "edge_tint", "sharpness", "brightness_noise", "colour_noise", "grain")
SCALED = ("contrast", "relief_fine", "relief_medium", "relief_broad", "chroma", "quiet_colours")
TAKEN = ("tone", "curves", "hue_nodes", "tints", "mixing", "monochrome", "local_tone", "local_strength", "grain_size")
"""How fields of a push act: as a difference from the default value, as a ratio to it, or instead of what is there."""
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


def pushed(recipe: Recipe, push: Recipe, as_shot: tuple[float, float] = (DAYLIGHT, 0.0)) -> Recipe:
    """A recipe with a push on top of it.

    `as_shot`: temperature (K) and Duv for which the recipe's own stand where it names none.

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


def cannot_act(push: Recipe) -> list[str]:
    """Titles of what a push changes that cannot act on a finished picture, or on the frame that is compared."""
    changed = [f for f in (*RAW_ONLY, *FRAME_FIELDS) if getattr(push, f, None) != getattr(_DEFAULT, f, None)]
    return [SAID[f].title.lower() for f in changed if f in SAID]
