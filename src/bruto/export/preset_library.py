"""Export presets that were saved under names: one JSON document in the user's data folder."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Annotated, Any

import platformdirs
from pydantic import Field

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.documents import read_as
from bruto.storage.json_files import json_bytes, read_json

LONGEST_NAME = 60
Name = Annotated[str, Field(min_length=1, max_length=LONGEST_NAME)]
Value = bool | float | Annotated[str, Field(max_length=200)] | None


@dataclass
class PresetLibrary:
    """All saved presets: the values of their fields by their names."""

    presets: Annotated[dict[Name, dict[Name, Value]], Field(max_length=200)] = field(default_factory=dict)
    schema: int = 1


def presets_path() -> Path:
    """Return where the document lies."""
    return Path(platformdirs.user_data_dir("bruto")) / "export-presets.json"


def saved_presets() -> dict[str, dict[str, Any]]:
    """Find the saved presets, by their names in order; none where there is no document yet.

    Raises `BrutoError` where it cannot be read; it stays as it is.
    """
    if not os.path.lexists(presets_path()):  # also where its folder cannot be looked into: saving says so then
        return {}
    found = read_as(PresetLibrary, read_json(presets_path()), presets_path().name)
    return dict(sorted(found.presets.items(), key=lambda item: item[0].lower()))


def save_preset(name: str, values: Mapping[str, Any] | None) -> None:
    """Save the values of a preset under a name, in the place of one of that name.

    Parameters
    ----------
    name
        1 to 60 characters, some of them letters or digits.
    values
        Of the preset's fields by their names; None deletes it.

    Raises
    ------
    BrutoError
        Where the name is none, or the document cannot be read or written; it stays as it is then.
    """
    name = name.strip()
    if not any(c.isalnum() for c in name) or len(name) > LONGEST_NAME:
        raise BrutoError(tr("Give the preset a name of 1 to {most} letters or digits.", most=LONGEST_NAME))
    presets = saved_presets()
    presets.pop(name, None)
    if values is not None:
        presets[name] = dict(values)
    library = read_as(PresetLibrary, asdict(PresetLibrary(presets)), tr("The preset"))
    own_folder(presets_path().parent)
    write_own(presets_path(), json_bytes(asdict(library)))
