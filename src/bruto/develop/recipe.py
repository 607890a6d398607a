"""The edit as data: every value of a shot, with range, unit and meaning. Default values stand here and nowhere else."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import ConfigDict, Field, ValidationError, field_validator

from bruto.catalog import tr, trn
from bruto.develop.field_ui import NO_NEUTRAL, FieldUi, shown
from bruto.develop.migrations import SCHEMA, migrated
from bruto.develop.recipe_values import (
    CURVE_NAMES,
    IDENTITY,
    SWAP_RED_BLUE,
    Curves,
    Frozen,
    HueNode,
    LocalTone,
    SplitTint,
    Tone,
)
from bruto.errors import BrutoError

ENGINE = 4
"""Raised when the same recipe would give another picture."""


ShareOfWhite = Annotated[float, Field(ge=0.001, le=1000)]
"""Sensor colour of white, green = 1: eight times beyond what any filter leaves of a channel."""
Share = Annotated[float, Field(ge=-8, le=8)]
FieldName = Annotated[str, Field(max_length=100)]


def _white(r: Recipe) -> str:
    if r.raw_neutral is not None:
        return tr("white from the sensor's own colour")
    if r.temperature is None:
        return tr("white as shot") if r.tint is None else tr("temperature as shot")
    return tr("white at {temperature:.0f} K", temperature=r.temperature)


def _sharpness(r: Recipe) -> str:
    if r.sharpness < 0:
        return tr(
            "softened by {sharpness:.2f} at {sharpness_radius:.2f} px",
            sharpness=-r.sharpness,
            sharpness_radius=r.sharpness_radius,
        )
    return (
        tr(
            "{sharpness:.0f} % of a blur of {sharpness_radius:.2f} px removed",
            sharpness=100 * r.sharpness,
            sharpness_radius=r.sharpness_radius,
        )
        if r.sharpness
        else ""
    )


def _mixing(r: Recipe) -> str:
    if r.channel_matrix == IDENTITY:
        return ""
    return tr("red and blue swapped") if r.channel_matrix == SWAP_RED_BLUE else tr("channels mixed")


def _nodes(r: Recipe) -> str:
    return (
        trn("{hue_nodes_count} hue changed", "{hue_nodes_count} hues changed", hue_nodes_count=len(r.hue_nodes))
        if r.hue_nodes
        else ""
    )


def _tone(r: Recipe) -> str:
    tone = r.tone
    return tr(
        "shadow to L* {lightness:.0f}, bright to L* {lightness2:.0f}, white from {ev:+.1f} EV; set on the light strip",
        lightness=tone.shadow.lightness,
        lightness2=tone.bright.lightness,
        ev=tone.white.ev,
    )


def _local(r: Recipe) -> str:
    return (
        tr("local tone {local_strength:.2f} ×", local_strength=r.local_strength)
        if r.local_tone.gains and r.local_strength
        else ""
    )


def _tints(r: Recipe) -> str:
    zones = ((name, getattr(r.split_tint, name)) for name in ("shadows", "midtones", "highlights"))
    return ", ".join(tr("{name} towards {hue:.0f}°", name=name, hue=zone.hue) for name, zone in zones if zone.amount)


class Recipe(Frozen):
    """All corrections of one shot, each with its range, its meaning and its description.

    Unknown fields of newer versions are kept.
    """

    schema_version: int = Field(default=SCHEMA, alias="schema", ge=1, le=1_000_000)
    engine: int = Field(default=ENGINE, ge=1, le=1_000_000)
    exposure: Annotated[float, FieldUi(tr("Exposure"), "EV", 0.05, "light", 0.0, signed=True, track=(-4, 4))] = Field(
        default=0.0, ge=-8, le=8, description=tr("gain before tone")
    )
    contrast: Annotated[float, FieldUi(tr("Contrast"), "×", 0.02, "light", 1.0)] = Field(
        default=1.0, ge=0.5, le=2, description=tr("how steeply tone rises around grey")
    )
    temperature: Annotated[
        float | None,
        FieldUi(tr("Temperature"), "K", 50, "white", None, track=(2000, 12000), mired=True, phrase=_white),
    ] = Field(
        default=None, ge=1500, le=50000, description=tr("correlated colour temperature of the light; none: as shot")
    )
    tint: Annotated[
        float | None,
        FieldUi(tr("Tint"), "Duv", 0.0005, "white", None, signed=True, track=(-0.03, 0.03), phrase=lambda r: ""),
    ] = Field(
        default=None,
        ge=-0.08,
        le=0.08,
        description=tr("distance from the Planckian locus, positive is greenish light; none: as shot"),
    )
    raw_neutral: Annotated[
        tuple[ShareOfWhite, ShareOfWhite, ShareOfWhite] | None,
        FieldUi(tr("Raw neutral"), group="white", neutral=None, phrase=lambda r: ""),
    ] = Field(
        default=None,
        description=tr(
            "sensor colour of white, green = 1, where no temperature fits (infrared); overrides temperature and tint"
        ),
    )
    profile: Annotated[
        str, FieldUi(tr("Profile"), group="white", phrase=lambda r: "" if r.profile == "own" else tr("another profile"))
    ] = Field(
        default="own",
        max_length=4096,
        description=tr(
            "camera profile: own (the file's), matrix (only the file's matrices), the name of one in "
            "the file, "
            "or the path of a .dcp file"
        ),
    )
    base_look: Annotated[
        bool,
        FieldUi(tr("Base look"), group="white", phrase=lambda r: "" if r.base_look else "without the profile's look"),
    ] = Field(default=True, description=tr("whether the profile's local gains, look table and tone curve are used"))
    luminance_noise: Annotated[float, FieldUi(tr("Luminance noise"), "× σ", 0.05, "noise", 0.0)] = Field(
        default=0.8, ge=0, le=3, description=tr("luminance noise removed, 1 = as much as was measured")
    )
    chroma_noise: Annotated[float, FieldUi(tr("Chroma noise"), "× σ", 0.05, "noise", 0.0)] = Field(
        default=1.2, ge=0, le=3, description=tr("chroma noise removed, 1 = as much as was measured")
    )
    noise_best: Annotated[
        bool,
        FieldUi(
            tr("Best in files"),
            group="noise",
            phrase=lambda r: tr("best noise reduction in files") if r.noise_best else "",
        ),
    ] = Field(
        default=False,
        description=tr(
            "exported files get the best noise reduction, which takes several times as long as the quick one on screen"
        ),
    )
    sharpness: Annotated[
        float, FieldUi(tr("Sharpness"), "×", 0.05, "sharpness", 0.0, signed=True, phrase=_sharpness)
    ] = Field(default=0.7, ge=-1, le=2, description=tr("share of the lens blur removed; below 0 softens"))
    sharpness_radius: Annotated[float, FieldUi(tr("Blur radius"), "px", 0.05, "sharpness", phrase=lambda r: "")] = (
        Field(default=0.7, ge=0.3, le=3, description=tr("standard deviation of the blur in sensor pixels"))
    )
    haze: Annotated[float, FieldUi(tr("Haze removal"), "%", 2, "local_contrast", 0.0, signed=True)] = Field(
        default=0.0, ge=-50, le=100, description=tr("share of the measured airlight removed; below 0 adds")
    )
    local_contrast_fine: Annotated[float, FieldUi(tr("Local contrast, fine"), "×", 0.05, "local_contrast", 1.0)] = (
        Field(
            default=1.0,
            ge=0,
            le=2.5,
            description=tr("gain of structure of 1 to 3 px in a 12 MP frame; below 1 softens"),
        )
    )
    local_contrast_medium: Annotated[float, FieldUi(tr("Local contrast, medium"), "×", 0.05, "local_contrast", 1.0)] = (
        Field(
            default=1.0,
            ge=0,
            le=2.5,
            description=tr("gain of structure of 4 to 16 px in a 12 MP frame; below 1 softens"),
        )
    )
    local_contrast_broad: Annotated[float, FieldUi(tr("Local contrast, broad"), "×", 0.05, "local_contrast", 1.0)] = (
        Field(
            default=1.0,
            ge=0,
            le=2.5,
            description=tr("gain of structure of 32 to 128 px in a 12 MP frame; below 1 flattens"),
        )
    )
    chroma: Annotated[float, FieldUi(tr("Chroma"), "×", 0.02, "color", 1.0, track=(0, 2))] = Field(
        default=1.08, ge=0, le=2.5, description=tr("gain of chroma (OKLCh)")
    )
    muted_chroma: Annotated[float, FieldUi(tr("Muted colours"), "×", 0.02, "color", 1.0, track=(0, 2))] = Field(
        default=1.0, ge=0, le=2.5, description=tr("gain of chroma of muted colours; saturated ones are left alone")
    )
    monochrome: Annotated[
        bool,
        FieldUi(
            tr("Monochrome"), group="color", neutral=False, phrase=lambda r: tr("monochrome") if r.monochrome else ""
        ),
    ] = Field(default=False, description=tr("black and white; hue nodes then set how light each colour becomes"))
    hue_nodes: Annotated[tuple[HueNode, ...], FieldUi(tr("Hue ring"), group="hues", neutral=(), phrase=_nodes)] = Field(
        default=(), max_length=8, description=tr("colours changed by hue")
    )
    split_tint: Annotated[
        SplitTint, FieldUi(tr("Split tint"), group="split_tint", neutral=SplitTint(), phrase=_tints)
    ] = Field(default=SplitTint(), description=tr("a tint of shadows, midtones and highlights"))
    channel_matrix: Annotated[
        tuple[Share, Share, Share, Share, Share, Share, Share, Share, Share],
        FieldUi(tr("Channel mix"), group="color", neutral=IDENTITY, phrase=_mixing),
    ] = Field(default=IDENTITY, description=tr("channel matrix on linear light, row by row"))
    curves: Annotated[
        Curves,
        FieldUi(
            tr("Curves"),
            group="curves",
            neutral=Curves(),
            phrase=lambda r: ", ".join(name for name in CURVE_NAMES if getattr(r.curves, name)),
        ),
    ] = Field(default=Curves(), description=tr("free curves, joint and of red, green and blue"))
    vignette: Annotated[float, FieldUi(tr("Vignette"), "EV", 0.05, "finish", 0.0, signed=True)] = Field(
        default=0.0, ge=-3, le=3, description=tr("brightness of the corners relative to the centre")
    )
    corner_color: Annotated[float, FieldUi(tr("Corner colour"), "EV", 0.02, "finish", 0.0, signed=True)] = Field(
        default=0.0, ge=-1, le=1, description=tr("green in the corners relative to the centre; below 0 magenta")
    )
    grain: Annotated[float, FieldUi(tr("Grain"), "×", 0.05, "finish", 0.0)] = Field(
        default=0.0, ge=0, le=2, description=tr("film-like grain; 1 = a standard deviation of 3 L* at mid-grey")
    )
    grain_size: Annotated[
        float,
        FieldUi(tr("Grain size"), "px", 0.1, "finish", phrase=lambda r: f"of {r.grain_size:.1f} px" if r.grain else ""),
    ] = Field(default=1.2, ge=0.5, le=4, description=tr("standard deviation of a grain in pixels of a 12 MP frame"))
    horizon: Annotated[float, FieldUi(tr("Level"), "°", 0.1, "frame", 0.0, signed=True)] = Field(
        default=0.0, ge=-45, le=45, description=tr("clockwise rotation of the picture")
    )
    verticals: Annotated[float, FieldUi(tr("Verticals"), "°", 0.2, "frame", 0.0, signed=True)] = Field(
        default=0.0, ge=-40, le=40, description=tr("how far the phone was tilted up; verticals become parallel")
    )
    horizontals: Annotated[float, FieldUi(tr("Horizontals"), "°", 0.2, "frame", 0.0, signed=True)] = Field(
        default=0.0,
        ge=-40,
        le=40,
        description=tr("how far the phone faced to the right of a facade; horizontals become parallel"),
    )
    turns: Annotated[
        int,
        FieldUi(
            tr("Quarter turns"),
            group="frame",
            neutral=0,
            phrase=lambda r: f"{90 * r.turns}° clockwise" if r.turns else "",
        ),
    ] = Field(
        default=0,
        ge=0,
        le=3,
        description=tr("quarter turns clockwise, in addition to the orientation in the file"),
    )
    whole_area: Annotated[
        bool,
        FieldUi(
            tr("Whole sensor"),
            group="frame",
            neutral=False,
            phrase=lambda r: tr("whole sensor") if r.whole_area else "",
        ),
    ] = Field(default=False, description=tr("the picture includes the recorded margin outside the file's default crop"))
    aspect: Annotated[
        float,
        FieldUi(
            tr("Aspect ratio"),
            ": 1",
            group="frame",
            neutral=0.0,
            phrase=lambda r: f"{r.aspect:.2f} : 1" if r.aspect else "",
        ),
    ] = Field(default=0.0, ge=0, le=8, description=tr("width over height of the oriented picture; 0: the frame's own"))
    crop: Annotated[
        tuple[float, float, float, float] | None,
        FieldUi(tr("Crop"), group="frame", neutral=None, phrase=lambda r: tr("cropped") if r.crop is not None else ""),
    ] = Field(
        default=None,
        description=tr(
            "left, top, right and bottom of the crop, from the centre of the oriented, straightened frame, long "
            "edge = 1; none: the largest crop without empty corners"
        ),
    )
    tone: Annotated[Tone, FieldUi(tr("Tone"), group="tone", neutral=Tone(), phrase=_tone)] = Field(
        default=Tone(), description=tr("five handles from scene light to lightness")
    )
    local_tone: Annotated[
        LocalTone,
        FieldUi(tr("Local tone"), group="tone", neutral=LocalTone(), phrase=lambda r: ""),
    ] = Field(default=LocalTone(), description=tr("gains over position and light, after the tone handles"))
    local_strength: Annotated[float, FieldUi(tr("Local tone"), "×", 0.05, "tone", 0.0, phrase=lambda r: _local(r))] = (
        Field(default=1.0, ge=0, le=2, description=tr("share of the local gains in use"))
    )
    bypassed: Annotated[tuple[FieldName, ...], FieldUi(tr("Bypassed"))] = Field(
        default=(), max_length=64, description=tr("fields whose values are saved but not used")
    )

    model_config = ConfigDict(frozen=True, extra="allow", populate_by_name=True, allow_inf_nan=False)

    @field_validator("crop")
    @classmethod
    def _crop_in_order(cls, value: Any) -> Any:
        if value is not None and not (
            value[2] - value[0] >= 0.01 and value[3] - value[1] >= 0.01 and max(abs(v) for v in value) <= 4
        ):
            raise ValueError(tr("left, top, right, bottom must be in order, at least 0.01 apart and within 4"))
        return value

    @field_validator("aspect")
    @classmethod
    def _aspect_of_a_picture(cls, value: float) -> float:
        if 0 < value < 0.125:
            raise ValueError(tr("must be 0 or from 0.125 to 8"))
        return value

    def changed(self, **values: Any) -> Recipe:
        """Return a copy with other values, checked against their ranges.

        Parameters
        ----------
        **values
            Fields of a recipe with their values.

        Returns
        -------
        Recipe
            A copy with other values, checked against their ranges.

        Raises
        ------
        BrutoError
            Where that cannot be done; the message says why.
        """
        data = self.model_dump(by_alias=True)
        data.update(values)
        return recipe_from(data)

    def differing(self, other: Recipe) -> dict[str, Any]:
        """Return this recipe's values of the fields in which another one differs, as `changed` takes them.

        Parameters
        ----------
        other
            The recipe compared with.

        Returns
        -------
        dict[str, Any]
            This recipe's values of the fields in which another one differs, as `changed` takes them.

        Examples
        --------
        >>> Recipe(exposure=0.5).differing(Recipe(exposure=1.0))
        {'exposure': 0.5}
        """
        mine, theirs = self.model_dump(by_alias=True), other.model_dump(by_alias=True)
        return {name: mine.get(name) for name in {**mine, **theirs} if mine.get(name) != theirs.get(name)}

    def effective(self) -> Recipe:
        """Return the recipe that is developed: fields that are left out stand at values that do nothing."""
        known = [name for name in self.bypassed if name in NOTHING]
        return self.model_copy(update={name: NOTHING[name] for name in known}) if known else self


FIELDS: dict[str, FieldUi] = {name: ui for name, info in Recipe.model_fields.items() if (ui := shown(info)) is not None}
"""Description of each field that is seen."""
NOTHING: dict[str, Any] = {name: ui.neutral for name, ui in FIELDS.items() if ui.neutral is not NO_NEUTRAL}
"""Values at which a field does nothing; of the tone, the usual rendering."""
NEUTRAL_FIELDS = {
    **{k: v for k, v in NOTHING.items() if k not in ("tone", "split_tint", "curves")},
    "profile": "matrix",
}
"""What `--neutral` sets: colour only."""


def fields_of(group: str) -> tuple[str, ...]:
    """Return the fields of a group.

    Parameters
    ----------
    group
        Identifier of the group of fields.

    Returns
    -------
    tuple[str, ...]
        The fields of a group.
    """
    return tuple(name for name, ui in FIELDS.items() if ui.group == group)


FRAME_FIELDS = ("turns", "whole_area", "horizon", "verticals", "horizontals", "aspect", "crop")
"""What says which part of the recorded frame is shown, and how it is turned."""


def unframed(recipe: Recipe) -> Recipe:
    """Return the recipe for the frame as it was recorded, which pictures are compared in.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    Recipe
        The recipe for the frame as it was recorded, which pictures are compared in.
    """
    return recipe.model_copy(update={name: NOTHING[name] for name in FRAME_FIELDS})


def recipe_from(data: Any) -> Recipe:
    """Return a recipe from decoded JSON.

    Parameters
    ----------
    data
        Stored data.

    Returns
    -------
    Recipe
        A recipe from decoded JSON.

    Raises
    ------
    BrutoError
        Naming the field that is wrong.
    """
    if not isinstance(data, dict):
        raise BrutoError(tr("The recipe is not a JSON object."))
    schema = data.get("schema", SCHEMA)
    if isinstance(schema, int) and schema > SCHEMA:
        raise BrutoError(
            tr(
                "The recipe was written by a newer Bruto (schema {schema}, this one knows {SCHEMA}). Update Bruto to "
                "use it. The file is unchanged.",
                schema=schema,
                SCHEMA=SCHEMA,
            )
        )
    try:
        return Recipe.model_validate(migrated(data))
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(p) for p in first["loc"]) or "recipe"
        raise BrutoError(
            tr("The recipe's value '{field}' cannot be used: {msg}.", field=field, msg=first["msg"])
        ) from error
