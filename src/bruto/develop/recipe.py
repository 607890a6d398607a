"""The edit as data: every value of a shot, with range, unit and meaning. Default values stand here and nowhere else."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

from pydantic import ConfigDict, Field, ValidationError, field_validator

from bruto.develop.values import IDENTITY, Balance, Curves, Frozen, HueNode, Tone
from bruto.errors import BrutoError
from bruto.files import check_readable
from bruto.publish import Target, write_new
from bruto.storage.reading import Damaged, read_json

SCHEMA = 1
"""Raised when a field changes its meaning; older recipes are migrated on reading."""
ENGINE = 4
"""Raised when the same recipe would give another picture."""


ShareOfWhite = Annotated[float, Field(ge=0.001, le=1000)]
"""Sensor colour of white, green = 1: eight times beyond what any filter leaves of a channel."""
Share = Annotated[float, Field(ge=-8, le=8)]
FieldName = Annotated[str, Field(max_length=100)]


def _number(
    default: float, low: float, high: float, description: str, *, title: str, unit: str, step: float, group: str
) -> Any:
    """A number with its range, unit and place in the ledger."""
    return Field(
        default=default,
        ge=low,
        le=high,
        description=description,
        json_schema_extra={"unit": unit, "title": title, "step": step, "group": group},
    )


class Recipe(Frozen):
    """All corrections of one shot. Unknown fields of newer versions are kept."""

    schema_version: int = Field(default=SCHEMA, alias="schema", ge=1, le=1_000_000)
    engine: int = Field(default=ENGINE, ge=1, le=1_000_000)
    exposure: float = _number(0.0, -8, 8, "gain before tone", title="Exposure", unit="EV", step=0.05, group="light")
    contrast: float = _number(
        1.0, 0.5, 2, "how fast tone rises about grey", title="Contrast", unit="×", step=0.02, group="light"
    )
    temperature: float | None = Field(
        default=None,
        ge=1500,
        le=50000,
        description="correlated colour temperature of the light; none: as shot",
        json_schema_extra={"unit": "K", "title": "Temperature", "step": 50, "group": "white"},
    )
    tint: float | None = Field(
        default=None,
        ge=-0.08,
        le=0.08,
        description="distance from the Planckian locus, greenish light is positive; none: as shot",
        json_schema_extra={"unit": "Duv", "title": "Tint", "step": 0.0005, "group": "white"},
    )
    raw_neutral: tuple[ShareOfWhite, ShareOfWhite, ShareOfWhite] | None = Field(
        default=None,
        description="sensor colour of white, green = 1, where no temperature can say it (infrared); goes before "
        "temperature and tint",
        json_schema_extra={"title": "Raw neutral"},
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
    brightness_noise: float = _number(
        0.8, 0, 3, "brightness noise taken out, 1 = as much as was measured",
        title="Brightness noise", unit="× σ", step=0.05, group="noise",
    )  # fmt: skip
    colour_noise: float = _number(
        1.2, 0, 3, "colour noise taken out, 1 = as much as was measured",
        title="Colour noise", unit="× σ", step=0.05, group="noise",
    )  # fmt: skip
    noise_best: bool = Field(
        default=False,
        description="files get the best grade of noise reduction, which takes several times as long as the quick one "
        "of the screen",
        json_schema_extra={"title": "Best grade in files"},
    )
    sharpness: float = _number(
        0.7, -1, 2, "share of the lens blur taken back; below 0 softens",
        title="Sharpness", unit="×", step=0.05, group="sharpness",
    )  # fmt: skip
    sharpness_radius: float = _number(
        0.7, 0.3, 3, "standard deviation of the blur, sensor pixels",
        title="Blur radius", unit="px", step=0.05, group="sharpness",
    )  # fmt: skip
    haze: float = _number(
        0.0, -50, 100, "share of the measured airlight taken out; below 0 adds",
        title="Haze removal", unit="%", step=2, group="relief",
    )  # fmt: skip
    relief_fine: float = _number(
        1.0, 0, 2.5, "gain of structure of 1 to 3 px of a 12 MP frame; below 1 softens",
        title="Fine relief", unit="×", step=0.05, group="relief",
    )  # fmt: skip
    relief_medium: float = _number(
        1.0, 0, 2.5, "gain of structure of 4 to 16 px of a 12 MP frame; below 1 softens",
        title="Medium relief", unit="×", step=0.05, group="relief",
    )  # fmt: skip
    relief_broad: float = _number(
        1.0, 0, 2.5, "gain of structure of 32 to 128 px of a 12 MP frame; below 1 flattens",
        title="Broad relief", unit="×", step=0.05, group="relief",
    )  # fmt: skip
    chroma: float = _number(1.08, 0, 2.5, "gain of chroma (OKLCh)", title="Chroma", unit="×", step=0.02, group="colour")
    quiet_colours: float = _number(
        1.0, 0, 2.5, "gain of chroma of quiet colours; full ones are left",
        title="Quiet colours", unit="×", step=0.02, group="colour",
    )  # fmt: skip
    monochrome: bool = Field(
        default=False,
        description="black and white; hue nodes then say how light each colour becomes",
        json_schema_extra={"title": "Monochrome"},
    )
    hue_nodes: tuple[HueNode, ...] = Field(
        default=(), max_length=8, description="colours changed by hue", json_schema_extra={"title": "Hue ring"}
    )
    balance: Balance = Balance()
    mixing: tuple[Share, Share, Share, Share, Share, Share, Share, Share, Share] = Field(
        default=IDENTITY,
        description="channel matrix on linear light, row by row",
        json_schema_extra={"title": "Channels"},
    )
    curves: Curves = Curves()
    edge_light: float = _number(
        0.0, -3, 3, "light of the corners against the middle", title="Edge light", unit="EV", step=0.05, group="finish"
    )
    grain: float = _number(
        0.0, 0, 2, "film-like grain; 1 = a standard deviation of 3 L* at grey",
        title="Grain", unit="×", step=0.05, group="finish",
    )  # fmt: skip
    grain_size: float = _number(
        1.2, 0.5, 4, "standard deviation of a grain, pixels of a 12 MP frame",
        title="Grain size", unit="px", step=0.1, group="finish",
    )  # fmt: skip
    level: float = _number(
        0.0, -45, 45, "the picture is turned clockwise by it", title="Level", unit="°", step=0.1, group="frame"
    )
    verticals: float = _number(
        0.0, -40, 40, "how far the phone looked up; plumb lines become parallel",
        title="Verticals", unit="°", step=0.2, group="frame",
    )  # fmt: skip
    horizontals: float = _number(
        0.0, -40, 40, "how far the phone looked to the right of a facade; level lines become parallel",
        title="Horizontals", unit="°", step=0.2, group="frame",
    )  # fmt: skip
    turns: int = Field(
        default=0,
        ge=0,
        le=3,
        description="quarter turns clockwise, on top of how the file says that the phone was held",
        json_schema_extra={"title": "Quarter turns"},
    )
    whole_area: bool = Field(
        default=False,
        description="the picture is all that was recorded, with what the file's default crop leaves out",
        json_schema_extra={"title": "Whole recorded area"},
    )
    aspect: float = Field(
        default=0.0,
        ge=0,
        le=8,
        description="width over height of the oriented picture; 0: the frame's own",
        json_schema_extra={"title": "Aspect ratio", "unit": ": 1", "step": 0.01},
    )
    crop: tuple[float, float, float, float] | None = Field(
        default=None,
        description="left, top, right and bottom of what is kept, from the middle of the oriented, straightened frame, "
        "long edge = 1; none: the largest that holds only picture",
        json_schema_extra={"title": "Crop"},
    )
    tone: Tone = Tone()
    bypassed: tuple[FieldName, ...] = Field(
        default=(),
        max_length=64,
        description="fields whose values are kept but not used",
        json_schema_extra={"title": "Left out"},
    )

    model_config = ConfigDict(frozen=True, extra="allow", populate_by_name=True, allow_inf_nan=False)

    @field_validator("crop")
    @classmethod
    def _crop_in_order(cls, value: Any) -> Any:
        if value is not None and not (
            value[2] - value[0] >= 0.01 and value[3] - value[1] >= 0.01 and max(abs(v) for v in value) <= 4
        ):
            raise ValueError("left, top, right, bottom must be in order, at least 0.01 apart and within 4")
        return value

    @field_validator("aspect")
    @classmethod
    def _aspect_of_a_picture(cls, value: float) -> float:
        if 0 < value < 0.125:
            raise ValueError("must be 0 or from 0.125 to 8")
        return value

    def changed(self, **values: Any) -> Recipe:
        """A copy with other values, checked against their ranges; raises `BrutoError`."""
        data = self.model_dump(by_alias=True)
        data.update(values)
        return recipe_from(data)

    def effective(self) -> Recipe:
        """The recipe that is developed: fields that are left out stand at values that do nothing."""
        known = [name for name in self.bypassed if name in NOTHING]
        return self.model_copy(update={name: NOTHING[name] for name in known}) if known else self


NOTHING: dict[str, Any] = {
    "exposure": 0.0,
    "contrast": 1.0,
    "temperature": None,
    "tint": None,
    "raw_neutral": None,
    "brightness_noise": 0.0,
    "colour_noise": 0.0,
    "sharpness": 0.0,
    "haze": 0.0,
    "relief_fine": 1.0,
    "relief_medium": 1.0,
    "relief_broad": 1.0,
    "chroma": 1.0,
    "quiet_colours": 1.0,
    "monochrome": False,
    "hue_nodes": (),
    "balance": Balance(),
    "mixing": IDENTITY,
    "curves": Curves(),
    "edge_light": 0.0,
    "grain": 0.0,
    "tone": Tone(),
    "level": 0.0,
    "verticals": 0.0,
    "horizontals": 0.0,
    "turns": 0,
    "whole_area": False,
    "aspect": 0.0,
    "crop": None,
}
"""Values at which a field does nothing; of the tone, the usual rendering."""
NEUTRAL_FIELDS = {**{k: v for k, v in NOTHING.items() if k not in ("tone", "balance", "curves")}, "profile": "matrix"}
"""What `--neutral` sets: colour only."""


FRAME_FIELDS = ("turns", "whole_area", "level", "verticals", "horizontals", "aspect", "crop")
"""What says which part of the recorded frame is shown, and how it is turned."""


def unframed(recipe: Recipe) -> Recipe:
    """The recipe for the frame as it was recorded, which pictures are compared in."""
    return recipe.model_copy(update={name: NOTHING[name] for name in FRAME_FIELDS})


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


def readable_recipe(data: Any) -> tuple[Recipe, list[str]]:
    """What can be used of a stored recipe, field by field, and what cannot, in words; never raises."""
    if not isinstance(data, dict):
        return Recipe(), ["the recipe is no JSON object"]
    try:
        return recipe_from(data), []
    except BrutoError as error:
        if isinstance(data.get("schema"), int) and data["schema"] > SCHEMA:
            return Recipe(), [str(error)]
    lost: list[str] = []
    left = dict(data)
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
                lost.append(f"{name.replace('_', ' ')[:60]} is out of range or of another kind")
    return Recipe(), lost or ["its values cannot be used"]


def load_recipe(path: str | Path) -> Recipe:
    """Read a recipe file, or the recipe inside a sidecar."""
    check_readable(path)
    try:
        data = read_json(path)
    except Damaged as error:
        raise BrutoError(f"{path} is not a recipe. {error}") from error
    try:
        return recipe_from(data.get("recipe", data))
    except BrutoError as error:
        raise BrutoError(f"{path}: {error}") from error


def save_recipe(recipe: Recipe, path: Target | str | Path) -> None:
    """Write a recipe as a new JSON file; raises `FileProblem`."""
    write_new(path, json.dumps(recipe.model_dump(by_alias=True), indent=1).encode() + b"\n")
