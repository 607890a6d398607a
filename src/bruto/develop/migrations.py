"""Recipes of earlier schemas as those of this one.

Each migration takes what was written under one schema to the next; one is added here, never changed, whenever a
field gets another name or meaning.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

SCHEMA = 3
"""Schema that is written."""
Values = dict[str, Any]


def _renamed(values: Values, names: dict[str, str]) -> Values:
    """Rename fields, also where they are listed as bypassed."""
    found = {names.get(name, name): value for name, value in values.items()}
    if isinstance(found.get("bypassed"), list | tuple):
        found["bypassed"] = [names.get(n, n) if isinstance(n, str) else n for n in found["bypassed"]]
    return found


RENAMED_IN_2 = {"level": "horizon", "balance": "tints"}

RENAMED_IN_3 = {
    "brightness_noise": "luminance_noise", "colour_noise": "chroma_noise", "quiet_colours": "muted_chroma",
    "relief_fine": "local_contrast_fine", "relief_medium": "local_contrast_medium",
    "relief_broad": "local_contrast_broad", "edge_light": "vignette", "edge_tint": "corner_color",
    "tints": "split_tint", "mixing": "channel_matrix",
}  # fmt: skip
ZONES_IN_3 = {"dark": "shadows", "middle": "midtones", "bright": "highlights"}


def _to_3(values: Values) -> Values:
    """Rename the fields of schema 2, and the zones of a split tint."""
    found = _renamed(values, RENAMED_IN_3)
    if isinstance(found.get("split_tint"), dict):
        found["split_tint"] = {ZONES_IN_3.get(zone, zone): tint for zone, tint in found["split_tint"].items()}
    return found


MIGRATIONS: dict[int, Callable[[Values], Values]] = {1: lambda values: _renamed(values, RENAMED_IN_2), 2: _to_3}
"""From the schema of the key to the next one."""


def migrated(values: Values, schema: Any = None) -> Values:
    """Return values of a recipe, or of some fields of one, under this schema.

    What is written without a schema is of the first one; a newer schema than this one's is left as it is.

    Parameters
    ----------
    values
        Fields of a recipe with their values.
    schema
        Theirs, where they do not say it.

    Returns
    -------
    Values
        Values of a recipe, or of some fields of one, under this schema.

    Examples
    --------
    >>> migrated({"schema": 1, "level": 2.0, "bypassed": ["level"]})
    {'schema': 3, 'horizon': 2.0, 'bypassed': ['horizon']}
    """
    version = values.get("schema", 1 if schema is None else schema)
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        return values
    while version < SCHEMA:
        values = MIGRATIONS[version](values)
        version += 1
    return {k: (SCHEMA if k == "schema" and v < SCHEMA else v) for k, v in values.items()}


def migrated_names(names: tuple[str, ...], schema: int) -> tuple[str, ...]:
    """Return the names of fields of an earlier schema.

    Parameters
    ----------
    names
        Names of both sides.
    schema
        Schema under which they were stored.

    Returns
    -------
    tuple[str, ...]
        Names of fields of an earlier schema.
    """
    return tuple(migrated(dict.fromkeys(names), schema))
