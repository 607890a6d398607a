"""Calculate and forecast for a plan: the sky of its place and date, and pictures of its shots."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from bruto.catalog import tr
from bruto.plan.almanac import moon, pole, star, sun
from bruto.plan.equipment import Equipment
from bruto.plan.forecast import forecast_of
from bruto.plan.night import Span, track
from bruto.plan.place import Place
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendations import Facts, facts_of, light_of, moment_of, recommended
from bruto.plan.shot_kinds import TARGETS, kind_of
from bruto.plan.sky_recommendations import aim_of, target_of

if TYPE_CHECKING:
    from bruto.simphone.preview import SimulatedPreview

MOST_BLUR_PX = 40.0
"""Movement that is drawn at most, pixels."""
Track = list[tuple[datetime, float]]


@dataclass(frozen=True)
class Axis:
    """What stands on the axis of time: heights in degrees of what is up, by name; `light`: how high the sun is."""

    begin: datetime
    end: datetime
    tracks: dict[str, Track]
    sun: Track
    dark: list[Span]
    """Without sun and moon."""
    marks: list[tuple[datetime, str]]
    """Moments with their names."""


@dataclass(frozen=True)
class Sky:
    """What is calculated of a place and date."""

    facts: Facts
    night: Axis
    day: Axis


def _marks(*named: tuple[datetime | None, str]) -> list[tuple[datetime, str]]:
    return sorted((m, name) for m, name in named if m is not None)


def _heights(body: Any, place: Place, begin: datetime, end: datetime) -> Track:
    return [(t, s.altitude) for t, s in track(body, place, begin, end)]


def sky_of(plan: Plan) -> Sky:
    """Calculate the sky of a plan's place and date.

    Parameters
    ----------
    plan
        The plan.

    Returns
    -------
    Sky
        All that is calculated of a plan's place and date.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    facts, where = facts_of(plan), plan.where
    night, day = facts.night, facts.day
    aim = target_of(plan.target)
    name = TARGETS[plan.target][0] if plan.target in TARGETS else tr("Target")
    tracks: dict[str, Track] = {"Moon": _heights(moon, where, night.begin, night.end)}
    if aim is not None:
        tracks[name] = _heights(star(*aim), where, night.begin, night.end)
    else:
        tracks[name] = [(night.begin, pole(where).altitude), (night.end, pole(where).altitude)]
    by_night = Axis(
        night.begin,
        night.end,
        tracks,
        _heights(sun, where, night.begin, night.end),
        night.dark,
        _marks(
            (night.sun["set"], tr("sunset")),
            (night.sun["rise"], tr("sunrise")),
            (night.moon["rise"], tr("moonrise")),
            (night.moon["set"], tr("moonset")),
        ),
    )
    height = _heights(sun, where, day.begin, day.end)
    by_day = Axis(
        day.begin,
        day.end,
        {"Sun": height, "Moon": _heights(moon, where, day.begin, day.end)},
        height,
        day.light,
        _marks((day.rise, tr("sunrise")), (day.set, tr("sunset")), (day.noon[0], tr("highest"))),
    )
    return Sky(facts, by_night, by_day)


def picture_of(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> SimulatedPreview:
    """Find what the simulated phone would take, with the noise that is known of this one.

    Parameters
    ----------
    planned
        The planned shot.
    plan
        The plan.
    means
        The phone's equipment: lenses, steps, noise, pace, handheld limit.
    facts
        Sun, moon and target of the place and date.

    Returns
    -------
    SimulatedPreview
        What the simulated phone would take, with the noise that is known of this one.
    """
    from bruto.simphone.preview import SimulatedSettings, day_picture, night_picture  # takes long to import

    kind = kind_of(planned.kind)
    got = recommended(planned, plan, means, facts)
    lens = means.lens(planned.focal_35mm or got["focal_35mm"].value)
    iso, seconds = planned.iso or got["iso"].value, planned.seconds or got["seconds"].value
    every = planned.interval_s or (got["interval_s"].value if "interval_s" in got else seconds + means.pace_s)
    merged = kind.merged if planned.frames > 1 else ""
    settings = SimulatedSettings(
        iso, seconds, planned.frames, max(every, seconds), merged, means.noise.at(iso), lens.focal_35mm, lens.size[0]
    )
    moment = moment_of(planned, plan.where) or datetime.fromtimestamp(got["at"].value, UTC)
    if kind.light == "sky":
        aim = aim_of(planned, got)
        light = light_of(planned, plan, moment, aim)
        return night_picture(settings, aim.altitude, aim.azimuth, plan.where.latitude, light)
    forecast = forecast_of(planned, plan, means, facts)
    support = planned.support or kind.support
    blur = seconds / (means.limit_35mm / lens.focal_35mm) if support == "hand" else 0.0
    return day_picture(settings, kind.scene, forecast.level, min(blur, MOST_BLUR_PX))
