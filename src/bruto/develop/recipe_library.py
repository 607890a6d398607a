"""Named recipes: values that were kept to be used again, one JSON file each in the user's data folder."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import platformdirs

from bruto.catalog import tr
from bruto.develop.migrations import migrated_names
from bruto.develop.recipe import Recipe, recipe_from
from bruto.errors import BrutoError
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.documents import read_as
from bruto.storage.file_names import free_names
from bruto.storage.json_files import json_bytes, read_json
from bruto.storage.safe_read import FileAction, explain

_PLAIN = re.compile(r"[^\w .+-]")
LONGEST_NAME = 60
LARGEST = 1 << 20
"""Bytes of a recipe's file at most."""


@dataclass(frozen=True)
class NamedRecipe:
    """Values kept under a name, to be applied to other shots."""

    name: str
    fields: tuple[str, ...]
    """Of the recipe that are meant; the others of `recipe` are not looked at."""
    recipe: Recipe

    def values(self) -> dict[str, Any]:
        """Return the meant fields with their values, as `Recipe.changed` takes them."""
        data = self.recipe.model_dump(by_alias=True)
        return {name: data[name] for name in self.fields if name in data}


@dataclass(frozen=True)
class _StoredRecipe:
    """A named recipe as it stands in its file."""

    name: str
    fields: tuple[str, ...]
    recipe: dict[str, Any]


def folder() -> Path:
    """Where named recipes lie."""
    return Path(platformdirs.user_data_dir("bruto")) / "recipes"


def _new_path(name: str) -> Path:
    """Return a file name that no other recipe's name leads to.

    Raises `BrutoError` where the name is none.
    """
    plain = _PLAIN.sub("_", name)[:40].strip(" .")
    if not any(c.isalnum() for c in name) or len(name) > LONGEST_NAME:
        raise BrutoError(
            tr("Give the recipe a name of 1 to {LONGEST_NAME} letters or digits.", LONGEST_NAME=LONGEST_NAME)
        )
    mark = hashlib.sha256(name.encode("utf-8", "surrogatepass")).hexdigest()[:8]
    path = folder() / f"{plain}-{mark}.json"
    return path if not path.exists() else free_names(folder(), lambda n: [f"{plain}-{mark}-{n}.json"])[0]


def _path_of(name: str) -> Path | None:
    """Return the file that holds the recipe of exactly this name."""
    return next((path for path, named in _readable()[0] if named.name == name), None)


def keep(named: NamedRecipe) -> Path:
    """Write a named recipe, replacing one of that name.

    Parameters
    ----------
    named
        The saved recipe.

    Returns
    -------
    Path
        Path of the file.

    Raises
    ------
    BrutoError
        (no usable name, disk full, no permission).
    """
    name = named.name.strip()
    own_folder(folder())
    path = _path_of(name) or _new_path(name)
    data = {"name": name, "fields": list(named.fields), "recipe": named.recipe.model_dump(by_alias=True)}
    write_own(path, json_bytes(data))
    return path


def _readable() -> tuple[list[tuple[Path, NamedRecipe]], list[str]]:
    found, problems = [], []
    try:
        places = sorted(folder().glob("*.json"))
    except OSError as error:
        return [], [str(explain(error, folder(), FileAction.READ))]
    for path in places:
        try:
            data = read_json(path, LARGEST)
            stored = read_as(_StoredRecipe, data)
            schema = stored.recipe.get("schema", 1)
            names = migrated_names(stored.fields, schema) if isinstance(schema, int) else stored.fields
            found.append((path, NamedRecipe(stored.name[:LONGEST_NAME], names, recipe_from(stored.recipe))))
        except BrutoError as error:
            problems.append(f"{path.name}: {error}")
    return found, problems


def saved_recipes() -> tuple[list[NamedRecipe], list[str]]:
    """All named recipes by name, and what is wrong with files that cannot be read; these are left as they are."""
    found, problems = _readable()
    return sorted((named for _, named in found), key=lambda n: n.name.lower()), problems


def drop(name: str) -> None:
    """Delete the recipe of exactly this name.

    Parameters
    ----------
    name
        Name of the recipe.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = _path_of(name.strip())
    if path is None:
        return
    try:
        path.unlink(missing_ok=True)
    except OSError as error:
        raise explain(error, path, FileAction.DELETE) from error
