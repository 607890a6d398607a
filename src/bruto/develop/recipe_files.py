"""Recipes as files and as stored values, of this and of earlier versions."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import ValidationError

from bruto.catalog import tr
from bruto.develop.migrations import SCHEMA, migrated
from bruto.develop.recipe import Recipe, recipe_from
from bruto.errors import BrutoError
from bruto.storage.atomic_write import Target, write_new
from bruto.storage.json_files import Damaged, json_bytes, read_json
from bruto.storage.safe_read import check_readable


def readable_recipe(data: Any) -> tuple[Recipe, list[str]]:
    """Find what can be used of a stored recipe, field by field, and what cannot, in words; never raises.

    Parameters
    ----------
    data
        Stored data.

    Returns
    -------
    tuple[Recipe, list[str]]
        What can be used of a stored recipe, field by field, and what cannot, in words.
    """
    if not isinstance(data, dict):
        return Recipe(), [tr("the recipe is not a JSON object")]
    try:
        return recipe_from(data), []
    except BrutoError as error:
        if isinstance(data.get("schema"), int) and data["schema"] > SCHEMA:
            return Recipe(), [str(error)]
    lost: list[str] = []
    left = dict(migrated(data))
    for _ in range(len(data) + 1):
        try:
            return Recipe.model_validate(left), lost
        except ValidationError as error:
            wrong = {str(e["loc"][0]) if e["loc"] else "" for e in error.errors()}
            wrong |= {"schema"} & {w.replace("schema_version", "schema") for w in wrong}
            if not wrong & left.keys():
                break
            for name in sorted(wrong & left.keys()):
                del left[name]
                lost.append(tr("{replace} is out of range or of the wrong type", replace=name.replace("_", " ")[:60]))
    return Recipe(), lost or [tr("its values cannot be used")]


def load_recipe(path: str | Path) -> Recipe:
    """Read a recipe file, or the recipe inside a sidecar.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Recipe
        The edit.
    """
    check_readable(path)
    try:
        data = read_json(path)
    except Damaged as error:
        raise BrutoError(tr("{path} is not a recipe. {error}", path=path, error=error)) from error
    try:
        return recipe_from(data.get("recipe", data))
    except BrutoError as error:
        raise BrutoError(f"{path}: {error}") from error


def save_recipe(recipe: Recipe, path: Target | str | Path) -> None:
    """Write a recipe as a new JSON file.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.
    path
        File to read.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    write_new(path, json_bytes(recipe.model_dump(by_alias=True)))
