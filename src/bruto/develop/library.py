"""Named recipes: values that were kept to be used again, one JSON file each in the user's data folder."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import platformdirs

from bruto.develop.recipe import Recipe, recipe_from
from bruto.errors import BrutoError
from bruto.files import explain, write_bytes

_PLAIN = re.compile(r"[^\w .+-]")
LONGEST_NAME = 60


@dataclass(frozen=True)
class NamedRecipe:
    """`fields`: of the recipe that are meant; the others of `recipe` are not looked at."""

    name: str
    fields: tuple[str, ...]
    recipe: Recipe

    def values(self) -> dict[str, Any]:
        """The meant fields with their values, as `Recipe.changed` takes them."""
        data = self.recipe.model_dump(by_alias=True)
        return {name: data[name] for name in self.fields if name in data}


def folder() -> Path:
    """Where named recipes lie."""
    return Path(platformdirs.user_data_dir("bruto")) / "recipes"


def _path(name: str) -> Path:
    plain = _PLAIN.sub("_", name.strip())
    if not plain.strip(" ._") or len(name) > LONGEST_NAME:
        raise BrutoError(f"Give the recipe a name of 1 to {LONGEST_NAME} letters or figures.")
    return folder() / f"{plain}.json"


def keep(named: NamedRecipe) -> Path:
    """Write a named recipe, replacing one of that name. Raises `BrutoError` (no usable name, disk full, no
    permission).
    """
    path = _path(named.name)
    data = {
        "name": named.name.strip(),
        "fields": list(named.fields),
        "recipe": named.recipe.model_dump(by_alias=True),
    }
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise explain(error, path.parent, "write") from error
    write_bytes(path, json.dumps(data, indent=1).encode() + b"\n")
    return path


def kept() -> tuple[list[NamedRecipe], list[str]]:
    """All named recipes by name, and what is wrong with files that cannot be read; these are left as they are."""
    found, problems = [], []
    for path in sorted(folder().glob("*.json")):
        try:
            data = json.loads(path.read_text("utf-8"))
            fields = tuple(str(f) for f in data["fields"])
            found.append(NamedRecipe(str(data["name"]), fields, recipe_from(data["recipe"])))
        except BrutoError as error:
            problems.append(f"{path.name}: {error}")
        except (OSError, ValueError, KeyError, TypeError) as error:
            problems.append(f"{path.name} cannot be read as a recipe ({error}); it was left as it is.")
    return sorted(found, key=lambda n: n.name.lower()), problems


def drop(name: str) -> None:
    """Delete a named recipe. Raises `FileProblem`."""
    path = _path(name)
    try:
        path.unlink(missing_ok=True)
    except OSError as error:
        raise explain(error, path, "delete") from error
