"""Taking a match in part: some of what it found, and some of the way."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from bruto.catalog import tr
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import CURVE_NAMES, HANDLE_NAMES
from bruto.errors import BrutoError

PARTS: dict[str, tuple[str, tuple[str, ...]]] = {
    "tone": (tr("Tone"), ("exposure", "contrast", "tone", "haze", "local_contrast_broad")),
    "white": (tr("White"), ("temperature", "tint", "raw_neutral")),
    "colour": (tr("Colour"), ("chroma", "muted_chroma", "hue_nodes", "curves")),
    "local": (tr("Local tone"), ("local_tone", "local_strength")),
    "detail": (tr("Detail"), ("sharpness", "local_contrast_fine", "local_contrast_medium", "luminance_noise")),
}
"""Parts of a match: their titles and fields."""


def parts_of(names: str | Iterable[str]) -> tuple[str, ...]:
    """Return the parts by their names, or by a list with commas.

    Parameters
    ----------
    names
        Names of the parts.

    Returns
    -------
    tuple[str, ...]
        Parts by their names, or by a list with commas.

    Raises
    ------
    BrutoError
        Where there is no such part.
    """
    chosen = tuple(n.strip() for n in (names.split(",") if isinstance(names, str) else names) if n.strip())
    for name in chosen:
        if name not in PARTS:
            raise BrutoError(
                tr("There is no part '{name}' of a match; the parts are {PARTS}.", name=name, PARTS=", ".join(PARTS))
            )
    return chosen


def mixed(
    start: Recipe,
    found: Recipe,
    parts: Iterable[str] = tuple(PARTS),
    strength: float = 1.0,
    as_shot: tuple[float, float] = (5500.0, 0.0),
) -> Recipe:
    """Return the recipe `start` with parts of a match, `strength` (0..1) of the way.

    Parameters
    ----------
    start
        Recipe without the match.
    found
        Recipe that was found.
    parts
        Parts of the match: tone, white, colour, local, detail.
    strength
        Share of the way to the match, 0..1.
    as_shot
        Temperature (K) and Duv that stand for those which a recipe leaves as they were shot.

    Returns
    -------
    Recipe
        The recipe `start` with parts of a match, `strength` (0..1) of the way.
    """
    values: dict[str, Any] = {}
    for part in parts_of(parts):
        for field in PARTS[part][1]:
            values[field] = _between(field, start, found, strength, as_shot)
    return start.changed(**values)


def _between(field: str, start: Recipe, found: Recipe, share: float, as_shot: tuple[float, float]) -> Any:
    one, other = getattr(start, field), getattr(found, field)
    if field == "local_strength":
        return share * other if found.local_tone.gains else other
    if share >= 1 or one == other:
        return other.model_dump() if hasattr(other, "model_dump") else _plain(other)
    if field == "temperature":
        mired = [1e6 / (as_shot[0] if v is None else v) for v in (one, other)]
        return round(1e6 / (mired[0] + share * (mired[1] - mired[0])))
    if field == "tint":
        one, other = (as_shot[1] if v is None else v for v in (one, other))
    if field == "tone":
        handles = {n: (getattr(one, n), getattr(other, n)) for n in HANDLE_NAMES}
        return {
            n: {k: getattr(a, k) + share * (getattr(b, k) - getattr(a, k)) for k in ("ev", "lightness")}
            for n, (a, b) in handles.items()
        }
    if field == "hue_nodes":
        return [
            {**n.model_dump(), "shift": share * n.shift, "chroma": 1 + share * (n.chroma - 1),
             "lightness": share * n.lightness}
            for n in other
        ]  # fmt: skip
    if field == "curves":
        return {n: [(x, x + share * (y - x)) for x, y in getattr(other, n)] for n in CURVE_NAMES}
    if field == "local_tone":
        return other.model_dump()
    if isinstance(one, float | int) and isinstance(other, float | int):
        return one + share * (other - one)
    return _plain(other)


def _plain(value: Any) -> Any:
    return [v.model_dump() if hasattr(v, "model_dump") else v for v in value] if isinstance(value, tuple) else value
