"""The parts of a recipe that are more than one number: tone handles, hue nodes, curves, tints by tone."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, field_validator

from bruto.catalog import tr
from bruto.develop.field_ui import FieldUi


class Frozen(BaseModel):
    """Data that does not change; unknown fields of newer versions are kept."""

    model_config = ConfigDict(frozen=True, extra="allow", validate_default=True, allow_inf_nan=False)


class Handle(Frozen):
    """One tone handle: scene light `ev` (EV from grey, after exposure) lands at `lightness` (CIE L*)."""

    ev: float = Field(ge=-14, le=8, description=tr("scene light, EV from grey"))
    lightness: float = Field(ge=0, le=100, description=tr("lightness in the picture, L*"))


class Tone(Frozen):
    """Five handles on the light strip; both numbers must rise from black to white."""

    black: Handle = Handle(ev=-7.0, lightness=1.5)
    shadow: Handle = Handle(ev=-3.0, lightness=14.5)
    grey: Handle = Handle(ev=0.0, lightness=51.0)
    bright: Handle = Handle(ev=1.6, lightness=80.0)
    white: Handle = Handle(ev=3.3, lightness=99.5)

    def handles(self) -> list[Handle]:
        """List the five handles from black to white."""
        return [self.black, self.shadow, self.grey, self.bright, self.white]

    @field_validator("white")
    @classmethod
    def _rises(cls, white: Handle, info: Any) -> Handle:
        handles = [info.data[k] for k in ("black", "shadow", "grey", "bright") if k in info.data] + [white]
        for low, high in pairwise(handles):
            if high.ev - low.ev < 0.099 or high.lightness < low.lightness:
                raise ValueError(tr("the tone handles must rise from black to white, at least 0.1 EV apart"))
        return white


HANDLE_NAMES = ("black", "shadow", "grey", "bright", "white")


class HueNode(Frozen):
    """Colours about one hue (OKLCh), and what becomes of them.

    The effect falls off smoothly to `width` on both sides.
    """

    hue: Annotated[float, FieldUi(tr("Centre"), "°", 1.0)] = Field(
        ge=0,
        lt=360,
        description=tr("centre on the hue ring (OKLCh)"),
    )
    width: Annotated[float, FieldUi(tr("Width"), "°", 1.0)] = Field(
        default=40.0,
        ge=8,
        le=180,
        description=tr("where the effect ends, from the centre"),
    )
    shift: Annotated[float, FieldUi(tr("Shift"), "°", 1.0, signed=True)] = Field(
        default=0.0,
        ge=-90,
        le=90,
        description=tr("shift of the hue"),
    )
    chroma: Annotated[float, FieldUi(tr("Chroma"), "×", 0.05)] = Field(
        default=1.0,
        ge=0,
        le=2.5,
        description=tr("gain of chroma"),
    )
    lightness: Annotated[float, FieldUi(tr("Lightness"), "L*", 0.5, signed=True)] = Field(
        default=0.0,
        ge=-40,
        le=40,
        description=tr("change of lightness of saturated colours"),
    )


class Zone(Frozen):
    """A tint of the dark, middle or bright tones: towards a hue (OKLCh), by an amount."""

    hue: float = Field(default=60.0, ge=0, lt=360, description=tr("hue of the tint, degrees (OKLCh)"))
    amount: float = Field(default=0.0, ge=0, le=0.1, description=tr("chroma of the tint (OKLCh)"))


class SplitTint(Frozen):
    """Tints by zone."""

    shadows: Zone = Zone(hue=260.0)
    midtones: Zone = Zone()
    highlights: Zone = Zone()


MOST_COLUMNS, MOST_ROWS, MOST_LIGHTS = 12, 9, 8
"""Points of a local tone field at most, over the width, the height and the light."""


class LocalTone(Frozen):
    """Gains (EV) over place and light, read between points in all three directions.

    `columns` and `rows` of cells over the recorded frame, `lights` from black to white in equal steps of the cube
    root of the picture's light. `gains` row by row, column by column, from black to white. Without gains there is
    none.
    """

    columns: int = Field(default=0, ge=0, le=MOST_COLUMNS)
    rows: int = Field(default=0, ge=0, le=MOST_ROWS)
    lights: int = Field(default=0, ge=0, le=MOST_LIGHTS)
    gains: tuple[Annotated[float, Field(ge=-6, le=6)], ...] = Field(
        default=(), max_length=MOST_COLUMNS * MOST_ROWS * MOST_LIGHTS
    )

    @field_validator("gains")
    @classmethod
    def _as_many_as_points(cls, gains: tuple[float, ...], info: Any) -> tuple[float, ...]:
        columns, rows, lights = (info.data.get(k, 0) for k in ("columns", "rows", "lights"))
        if len(gains) != columns * rows * lights or (gains and lights < 2):
            raise ValueError(tr("there must be one gain for each point, and two steps of light or more"))
        return gains


Points = tuple[tuple[float, float], ...]


class Curves(Frozen):
    """Free curves from picture code to picture code, 0 to 1: the joint one, then one for each of red, green and blue.

    Without points a curve is straight. Outside of its points a curve goes on level.
    """

    joint: Points = ()
    red: Points = ()
    green: Points = ()
    blue: Points = ()

    @field_validator("joint", "red", "green", "blue")
    @classmethod
    def _usable(cls, points: Points) -> Points:
        if not points:
            return points
        if not 2 <= len(points) <= 16:
            raise ValueError(tr("a curve needs 2 to 16 points"))
        if any(not (0 <= x <= 1 and 0 <= y <= 1) for x, y in points):
            raise ValueError(tr("a curve's points lie between 0 and 1"))
        if any(b[0] - a[0] < 0.004 for a, b in pairwise(points)):
            raise ValueError(tr("a curve's points must go from left to right, at least 0.004 apart"))
        return points


CURVE_NAMES = ("joint", "red", "green", "blue")
IDENTITY = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)
SWAP_RED_BLUE = (0.0, 0.0, 1.0, 0.0, 1.0, 0.0, 1.0, 0.0, 0.0)
"""Channel matrix, row by row, that exchanges red and blue (usual for infrared)."""
