"""The edit as data: every value of a shot, with range, unit and meaning. Default values stand here and nowhere else."""

from __future__ import annotations

import json
from itertools import pairwise
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from bruto.errors import BrutoError
from bruto.files import check_readable, write_bytes

SCHEMA = 1
"""Raised when a field changes its meaning; older recipes are migrated on reading."""
ENGINE = 2
"""Raised when the same recipe would give another picture."""


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="allow", validate_default=True, allow_inf_nan=False)


class Handle(_Frozen):
    """One tone handle: scene light `ev` (EV from grey, after exposure) lands at `lightness` (CIE L*)."""

    ev: float = Field(ge=-14, le=8, description="scene light, EV from grey")
    lightness: float = Field(ge=0, le=100, description="lightness in the picture, L*")


class Tone(_Frozen):
    """Five handles on the light strip; both numbers must rise from black to white."""

    black: Handle = Handle(ev=-7.0, lightness=1.5)
    shadow: Handle = Handle(ev=-3.0, lightness=14.5)
    grey: Handle = Handle(ev=0.0, lightness=51.0)
    bright: Handle = Handle(ev=1.6, lightness=80.0)
    white: Handle = Handle(ev=3.3, lightness=99.5)

    def handles(self) -> list[Handle]:
        return [self.black, self.shadow, self.grey, self.bright, self.white]

    @field_validator("white")
    @classmethod
    def _rises(cls, white: Handle, info: Any) -> Handle:
        handles = [info.data[k] for k in ("black", "shadow", "grey", "bright") if k in info.data] + [white]
        for low, high in pairwise(handles):
            if high.ev - low.ev < 0.099 or high.lightness < low.lightness:
                raise ValueError("the tone handles must rise from black to white, at least 0.1 EV apart")
        return white


HANDLE_NAMES = ("black", "shadow", "grey", "bright", "white")


class Recipe(_Frozen):
    """All corrections of one shot. Unknown fields of newer versions are kept."""

    schema_version: int = Field(default=SCHEMA, alias="schema", ge=1)
    engine: int = Field(default=ENGINE, ge=1)
    exposure: float = Field(
        default=0.0,
        ge=-8,
        le=8,
        description="gain before tone",
        json_schema_extra={"unit": "EV", "title": "Exposure", "step": 0.05},
    )
    temperature: float | None = Field(
        default=None,
        ge=1500,
        le=50000,
        description="correlated colour temperature of the light; none: as shot",
        json_schema_extra={"unit": "K", "title": "Temperature", "step": 50},
    )
    tint: float | None = Field(
        default=None,
        ge=-0.08,
        le=0.08,
        description="distance from the Planckian locus, greenish light is positive; none: as shot",
        json_schema_extra={"unit": "Duv", "title": "Tint", "step": 0.0005},
    )
    profile: str = Field(
        default="own",
        max_length=4096,
        description="camera profile: own (the file's), matrix (the file's matrices alone), the name of one inside the "
        "file, or the path of a .dcp file",
        json_schema_extra={"title": "Profile"},
    )
    base_look: bool = Field(
        default=True,
        description="whether the profile's local gains, look table and tone curve are used",
        json_schema_extra={"title": "Base look"},
    )
    brightness_noise: float = Field(
        default=0.8,
        ge=0,
        le=3,
        description="brightness noise taken out, 1 = as much as was measured",
        json_schema_extra={"unit": "× σ", "title": "Brightness noise", "step": 0.05},
    )
    colour_noise: float = Field(
        default=1.2,
        ge=0,
        le=3,
        description="colour noise taken out, 1 = as much as was measured",
        json_schema_extra={"unit": "× σ", "title": "Colour noise", "step": 0.05},
    )
    sharpness: float = Field(
        default=0.7,
        ge=-1,
        le=2,
        description="share of the lens blur taken back; below 0 softens",
        json_schema_extra={"unit": "×", "title": "Sharpness", "step": 0.05},
    )
    sharpness_radius: float = Field(
        default=0.7,
        ge=0.3,
        le=3,
        description="standard deviation of the blur, sensor pixels",
        json_schema_extra={"unit": "px", "title": "Blur radius", "step": 0.05},
    )
    chroma: float = Field(
        default=1.08,
        ge=0,
        le=2.5,
        description="gain of chroma at constant luminance",
        json_schema_extra={"unit": "×", "title": "Chroma", "step": 0.02},
    )
    tone: Tone = Tone()

    model_config = ConfigDict(frozen=True, extra="allow", populate_by_name=True, allow_inf_nan=False)

    def changed(self, **values: Any) -> Recipe:
        """A copy with other values, checked against their ranges; raises `BrutoError`."""
        data = self.model_dump(by_alias=True)
        data.update(values)
        return recipe_from(data)


NEUTRAL_FIELDS = {
    "exposure": 0.0,
    "temperature": None,
    "tint": None,
    "brightness_noise": 0.0,
    "colour_noise": 0.0,
    "sharpness": 0.0,
    "chroma": 1.0,
}


def recipe_from(data: Any) -> Recipe:
    """A recipe from decoded JSON; raises `BrutoError` naming the field that is wrong."""
    if not isinstance(data, dict):
        raise BrutoError("The recipe is not a JSON object.")
    schema = data.get("schema", SCHEMA)
    if isinstance(schema, int) and schema > SCHEMA:
        raise BrutoError(
            f"The recipe was written by a newer Bruto (schema {schema}, this one knows {SCHEMA}). Update Bruto to "
            f"use it; the file was left as it is."
        )
    try:
        return Recipe.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(p) for p in first["loc"]) or "recipe"
        raise BrutoError(f"The recipe's value '{field}' cannot be used: {first['msg']}.") from error


def load_recipe(path: str | Path) -> Recipe:
    """Read a recipe file, or the recipe inside a sidecar."""
    path = check_readable(path)
    try:
        data = json.loads(path.read_text("utf-8"))
    except (ValueError, OSError) as error:
        raise BrutoError(f"{path} is not a recipe (JSON): {error}.") from error
    try:
        return recipe_from(data.get("recipe", data) if isinstance(data, dict) else data)
    except BrutoError as error:
        raise BrutoError(f"{path}: {error}") from error


def save_recipe(recipe: Recipe, path: str | Path) -> None:
    """Write a recipe as JSON, atomically."""
    write_bytes(path, json.dumps(recipe.model_dump(by_alias=True), indent=1).encode() + b"\n")
