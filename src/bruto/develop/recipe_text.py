"""What a recipe's values do, in sentences."""

from __future__ import annotations

from collections.abc import Iterable

from bruto.catalog import tr
from bruto.develop.recipe import FIELDS, Recipe, fields_of


def sentence(group: str, recipe: Recipe) -> str:
    """Say what a group of a recipe does, in words with numbers.

    Parameters
    ----------
    group
        Identifier of the group of fields.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    str
        What a group of a recipe does, in words with numbers.

    Examples
    --------
    >>> sentence("light", Recipe(exposure=0.5))
    'exposure +0.50 EV'
    """
    return sentence_of(fields_of(group), recipe)


def sentence_of(fields: Iterable[str], recipe: Recipe) -> str:
    """Say what some fields of a recipe do, in words with numbers.

    Parameters
    ----------
    fields
        Names of the recipe's fields.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    str
        What some fields of a recipe do, in words with numbers.
    """
    parts = []
    for name in fields:
        if name not in FIELDS:
            continue
        ui, value = FIELDS[name], getattr(recipe, name)
        if ui.phrase is not None:
            parts.append(ui.phrase(recipe))
        elif value != ui.neutral:
            parts.append(f"{ui.title.lower()} {ui.text(value)} {ui.unit}")
    return ", ".join(p for p in parts if p) or tr("nothing changed")
