"""A plan: what is to be shot where and when.

A plan is a JSON file beside the shoots. Nothing of it is sent anywhere.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.place import Place, parsed_date
from bruto.plan.shot_kinds import cautions_of
from bruto.storage.documents import read_as
from bruto.storage.json_files import read_json

Text = Annotated[str, Field(max_length=400)]
Number = Annotated[float, Field(ge=0, le=1e7)]
MOST_ITEMS = 200
NO_PLACE = tr("Where is it? Type a town, or latitude and longitude: sun, stars and light depend on it.")
LARGEST = 1 << 20
"""Bytes of a plan's file at most."""


@dataclass(frozen=True)
class PlannedShot:
    """One line of a plan.

    `frames` of `seconds` at `iso` with a lens of `focal_35mm`, every `interval_s` seconds.
    """

    title: Text
    kind: Annotated[str, Field(max_length=20)] = "other"
    """See `kinds.KINDS`."""
    at: Annotated[str, Field(max_length=40)] = ""
    """When it begins, ISO 8601 by the place's clock, "" where that does not matter."""
    iso: Number | None = None
    seconds: Number | None = None
    focal_35mm: Number | None = None
    frames: Annotated[int, Field(ge=1, le=100_000)] = 1
    interval_s: Number | None = None
    altitude: Annotated[float, Field(ge=-90, le=90)] | None = None
    azimuth: Annotated[float, Field(ge=0, le=360)] | None = None
    """Where the middle of the frame looks, degrees above the horizon and from north over east."""
    support: Literal["", "tripod", "hand"] = ""
    """"tripod", "hand" or "" for what is usual of its kind."""
    gear: Text = ""
    note: Text = ""
    reason: Text = ""
    """Why so."""
    forecast: Text = ""
    """What it costs."""
    dismissed: Annotated[tuple[str, ...], Field(max_length=20)] = ()
    """Cautions that are not to be said of it."""

    @property
    def cautions(self) -> list[str]:
        """Caution that goes with it."""
        return cautions_of(self.kind, self.dismissed)


@dataclass(frozen=True)
class Plan:
    """A shoot as a list, at a place on a date (YYYY-MM-DD) with a phone."""

    name: Text
    date: Annotated[str, Field(max_length=10)]
    latitude: float | None = None
    """Degrees, north positive; None until it is set."""
    longitude: float | None = None
    """Degrees, east positive; None until it is set."""
    height_m: float = 0.0
    zone: Annotated[str, Field(max_length=60)] = ""
    place: Text = ""
    make: Text = ""
    model: Text = ""
    planned_shots: Annotated[tuple[PlannedShot, ...], Field(max_length=MOST_ITEMS)] = ()
    note: Text = ""
    target: Annotated[str, Field(max_length=40)] = ""
    """What is followed over the night, see `kinds.TARGETS`, or its right ascension and declination in degrees,
    "RA,DEC".
    """
    facade: Annotated[float, Field(ge=0, le=360)] | None = None
    """Where a wall faces whose light is looked for, degrees from north over east."""
    darkness: Annotated[float, Field(ge=10, le=23)] | None = None
    """Of the place's sky without a moon, magnitudes per square arc second."""
    free_mb: Number | None = None
    """Megabytes that are free on the phone."""

    @property
    def where(self) -> Place:
        """The place. Raises `BrutoError` where there is no such one, or it is not set."""
        if self.latitude is None or self.longitude is None:
            raise BrutoError(NO_PLACE)
        return Place(self.latitude, self.longitude, self.height_m, self.zone, self.place)

    @property
    def placed(self) -> bool:
        """Whether anybody said where it is: what depends on the place is not known before."""
        return self.latitude is not None and self.longitude is not None


PLAN_SCHEMA = 2
_RENAMED = {"wishes": "planned_shots", "held": "support", "price": "forecast"}
"""Fields of version 0.1 and what they are called now."""


def migrated_plan(data: dict[str, Any]) -> dict[str, Any]:
    """Bring the fields of a stored plan to the names of this version.

    Parameters
    ----------
    data
        Decoded JSON.

    Returns
    -------
    dict[str, Any]
        Values by name.

    Examples
    --------
    >>> migrated_plan({"name": "Pans", "wishes": [{"title": "Reeds", "held": "hand"}]})["planned_shots"]
    [{'title': 'Reeds', 'support': 'hand'}]
    """
    found = {_RENAMED.get(name, name): value for name, value in data.items()}
    if not (found.get("latitude") or found.get("longitude")):  # of both versions: a plan without a place
        found = {name: value for name, value in found.items() if name not in ("latitude", "longitude")}
    shots = found.get("planned_shots")
    if isinstance(shots, list):
        found["planned_shots"] = [
            {_RENAMED.get(name, name): value for name, value in shot.items()} if isinstance(shot, dict) else shot
            for shot in shots
        ]
    return found


def plan_from(data: dict[str, Any]) -> Plan:
    """Return a plan from JSON data.

    Parameters
    ----------
    data
        Decoded JSON.

    Returns
    -------
    Plan
        A plan from JSON data.

    Raises
    ------
    BrutoError
        Where a value cannot be real.
    """
    plan = read_as(Plan, migrated_plan(data), tr("The plan"))
    parsed_date(plan.date)
    _ = Place(plan.latitude or 0.0, plan.longitude or 0.0, plan.height_m, plan.zone).clock
    return plan


def load_plan(path: str | Path) -> Plan:
    """Read a plan from its file.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Plan
        A plan from its file.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    return plan_from(read_json(path, LARGEST))


def as_bytes(plan: Plan) -> bytes:
    """Return a plan as its file holds it.

    Parameters
    ----------
    plan
        The plan.

    Returns
    -------
    bytes
        A plan as its file holds it.
    """
    known = {name: value for name, value in asdict(plan).items() if value is not None}
    text = json.dumps({"schema": PLAN_SCHEMA, **known}, ensure_ascii=False, indent=1)
    return text.encode("utf-8", "surrogatepass") + b"\n"
