"""What is proposed for a planned shot: values that the phone offers, each with its reason."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

from bruto.catalog import items, tr
from bruto.errors import BrutoError
from bruto.phones.ranges import Scale
from bruto.plan.almanac import Spot
from bruto.plan.equipment import Equipment, EquipmentLens, at_most, nearest
from bruto.plan.interval import SPARE_S, SPARE_SHARE
from bruto.plan.night import DayTimes, NightTimes, Span, day, night
from bruto.plan.noise import GREY, time_of_chance
from bruto.plan.place import Place, parsed_date
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendation import Recommendation
from bruto.plan.shot_kinds import Kind, kind_of
from bruto.plan.sky_recommendations import _aim, _sky_iso, _sky_seconds, aim_of, declination_of, rate_at, target_of
from bruto.plan.skylight import ground_lux, sky_cd_m2
from bruto.plan.storage_need import KEEP_FREE
from bruto.sensor.advice import time_text

INSIDE_LUX = 150.0
"""Lux in a room by its lamps or away from its window, a usual value; a test shot tells better."""
INFRARED_STOPS = 8.0
"""That a filter which stops visible light takes of a phone's light, a usual value; two test frames tell better."""
TRAIL_S = 7200.0
"""Of a star trail where the night has room for it."""
FIELD_S = 240.0
"""Exposure that the frames of a star field gather."""
BATTERY_PERCENT = 70.0
"""Of a charge that a sequence may take: the rest is for the way back."""
LARGEST_MB = 20_000.0
"""That a sequence takes at most where nobody says how much is free, megabytes: copied over a cable in ten minutes."""
MOST_FRAMES = 999
"""Of a sequence: more are not looked through, and many interval timers end there."""
SHORT_ARC = 3.0
"""Degrees about the pole below which stars look smeared and not drawn as arcs."""
SCALES: dict[str, Scale] = {"seconds": "seconds", "iso": "isos"}
"""The phone's scale that a value of a planned shot stands on."""
MAIN_FOCAL = 26.0
"""Of a phone's main lens, about, mm at 35 mm film."""


@dataclass(frozen=True)
class Facts:
    """What the sky does at the plan's place and date."""

    night: NightTimes
    day: DayTimes


def facts_of(plan: Plan) -> Facts:
    """Find what the sky does at the plan's place and date.

    Parameters
    ----------
    plan
        The plan.

    Returns
    -------
    Facts
        What the sky does at the plan's place and date.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    on = parsed_date(plan.date)
    return Facts(night(plan.where, on, target_of(plan.target)), day(plan.where, on, plan.facade))


def moment_of(planned: PlannedShot, place: Place) -> datetime | None:
    """Find when a planned shot begins, in UTC; None where it is not known.

    Parameters
    ----------
    planned
        The planned shot.
    place
        Place on the earth, with its time zone.

    Returns
    -------
    datetime | None
        When a planned shot begins, in UTC.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    if not planned.at:
        return None
    try:
        found = datetime.fromisoformat(planned.at)
    except ValueError as error:
        raise BrutoError(tr("Give a time like 2026-06-21T23:10, not '{at}'.", at=planned.at)) from error
    return (found if found.tzinfo else found.replace(tzinfo=place.clock)).astimezone(UTC)


def at_text(moment: datetime, place: Place) -> str:
    """Return a moment by the place's clock as a plan's file holds it, to the minute.

    Parameters
    ----------
    moment
        Point in time, with time zone.
    place
        Place on the earth, with its time zone.

    Returns
    -------
    str
        A moment by the place's clock as a plan's file holds it, to the minute.
    """
    whole = (moment + timedelta(seconds=30)).astimezone(place.clock)
    return whole.replace(second=0, microsecond=0, tzinfo=None).isoformat(timespec="minutes")


# -- when


def _longest(spans: Sequence[Span]) -> Span | None:
    return max(spans, key=lambda s: s[1] - s[0], default=None)


def _night_time(planned: PlannedShot, facts: Facts) -> tuple[datetime, str]:
    found = facts.night
    dark = _longest(found.dark)
    if dark is None:
        late = found.sun["nautical_end"] or found.sun["civil_end"] or found.sun["set"]
        if late is None:
            middle = found.begin + (found.end - found.begin) / 2
            return middle, found.sun_state or tr("it does not get dark")
        return late, tr("no moonless dark this night; twilight is deepest from about then")
    if planned.kind != "trail" and found.target_in_dark is not None and found.target_in_dark[1].altitude > 0:
        return found.target_in_dark[0], tr("the target is highest in the dark then")
    return dark[0], tr("it is dark without the moon from then on")


def _day_time(planned: PlannedShot, facts: Facts) -> tuple[datetime, str]:
    today = facts.day
    if planned.kind == "dusk" and today.blue:
        return today.blue[-1][0], tr("the blue hour begins")
    if planned.kind == "water" and today.golden:
        return today.golden[0][0], tr("low light and calm water")
    if planned.kind == "sun" and today.golden:
        return today.golden[-1][0], tr("the sun is low from then on")
    if planned.kind == "infrared":
        return today.noon[0], tr("the sun is highest: most infrared, shortest times")
    if today.light:
        return _longest(today.light)[0], tr("the sun reaches the wall")  # type: ignore[index]
    return today.noon[0], tr("the sun is highest; any time works")


def when(planned: PlannedShot, facts: Facts) -> tuple[datetime, str]:
    """Find when a planned shot had best begin, UTC, and why.

    Parameters
    ----------
    planned
        The planned shot.
    facts
        Sun, moon and target of the place and date.

    Returns
    -------
    tuple[datetime, str]
        When a planned shot had best begin, UTC, and why.
    """
    return (_night_time if kind_of(planned.kind).light == "sky" else _day_time)(planned, facts)


# -- where it looks


# -- exposure


def light_of(planned: PlannedShot, plan: Plan, moment: datetime, aim: Spot) -> float:
    """Compute the luminance that the exposure is for, cd/m2.

    It is that of the sky there, or of a grey of 18 % in the open or inside.

    Parameters
    ----------
    planned
        The planned shot.
    plan
        The plan.
    moment
        Point in time, with time zone.
    aim
        Where the frame points.

    Returns
    -------
    float
        Luminance that the exposure is for, cd/m2.
    """
    kind = kind_of(planned.kind)
    if kind.light == "sky":
        return sky_cd_m2(plan.where, moment, plan.darkness, aim.altitude, aim.azimuth)
    lux = INSIDE_LUX if kind.light == "inside" else ground_lux(plan.where, moment)
    if planned.kind == "infrared":
        lux *= 2.0**-INFRARED_STOPS
    return 0.18 * lux / math.pi


def _hand_seconds(means: Equipment, lens: EquipmentLens) -> float:
    """Time at which one in ten is blurred."""
    return time_of_chance(0.1, means.limit_35mm / lens.focal_35mm, means.spread)


def _ground(
    planned: PlannedShot, means: Equipment, lens: EquipmentLens, rate: float, support: str, kind: Kind
) -> dict[str, Recommendation]:
    aim = GREY / 4 if planned.kind == "sun" else GREY
    wanted = aim / rate
    low = min(means.isos)
    lights = (
        tr("2 EV below grey to protect the surroundings of the sun")
        if planned.kind == "sun"
        else tr("mid-grey in its place")
    )
    if support == "tripod":
        s = nearest(means.seconds, wanted / (planned.iso or low))
        return {
            "iso": Recommendation(low, tr("the lowest: on a tripod the exposure can be long")),
            "seconds": Recommendation(s, tr("puts {lights}, from the sun's altitude and a clear sky", lights=lights)),
        }
    limit = _hand_seconds(means, lens)
    most = at_most(means.seconds, limit)
    s = min(most, nearest(means.seconds, wanted / low))
    time_reason = (
        tr("one in ten of your shots is blurred at {time}", time=time_text(limit))
        if s == most
        else tr("puts {lights}", lights=lights)
    )
    use = planned.seconds or s
    iso = nearest(means.isos, wanted / use)
    reason = tr("puts {lights} at {time}", lights=lights, time=time_text(use))
    if kind.light == "inside":
        reason = items(reason, tr("in a room of {lux:.0f} lux", lux=INSIDE_LUX))
    return {"seconds": Recommendation(s, time_reason), "iso": Recommendation(iso, reason)}


def _trail_frames(plan: Plan, means: Equipment, step: float, available_s: float) -> Recommendation:
    """As many as the night, patience, battery, storage and a phone's interval timer allow; the tightest is named."""
    free_mb = LARGEST_MB if plan.free_mb is None else (1 - KEEP_FREE) * plan.free_mb
    percent_s = (means.percent_h or 0.0) / 3600
    limits = [
        (available_s / step, tr("until the dark ends")),
        (TRAIL_S / step, tr("two hours")),
        (
            BATTERY_PERCENT / (percent_s * step) if percent_s else math.inf,
            tr("until the battery is at {left:.0f} %", left=100 - BATTERY_PERCENT),
        ),
        (
            free_mb / means.mb_each,
            tr("{gb:.0f} GB, the most a sequence should take", gb=free_mb / 1000)
            if plan.free_mb is None
            else tr("until the phone's free storage is used"),
        ),
        (MOST_FRAMES, tr("{count} frames, the most that are manageable", count=MOST_FRAMES)),
    ]
    most, why = min(limits, key=lambda limit: limit[0])
    count = max(1, math.floor(most))
    arc = tr("{why}: arcs of {arc:.0f}° around the pole", why=why, arc=15.04 * count * step / 3600)
    if 15.04 * count * step / 3600 < SHORT_ARC:
        arc = items(arc, tr("too short to look like trails: longer exposures are needed"))
    return Recommendation(count, arc)


def _frames(
    planned: PlannedShot, kind: Kind, facts: Facts, step: float, seconds: float, moment: datetime, plan: Plan,
    means: Equipment,
) -> Recommendation:  # fmt: skip
    if planned.kind == "trail":
        dark = next((d for d in facts.night.dark if d[0] - timedelta(minutes=1) <= moment < d[1]), None)
        return _trail_frames(plan, means, step, (dark[1] - moment).total_seconds() if dark else TRAIL_S)
    if planned.kind == "field":
        count = min(max(2, math.ceil(FIELD_S / seconds)), 64)
        return Recommendation(
            count,
            tr(
                "{FIELD_S:.2g} minutes of light in total: {sqrt:.1f} × less noise",
                FIELD_S=count * seconds / 60,
                sqrt=math.sqrt(count),
            ),
        )
    reasons = {
        "mean": tr("merged: {sqrt:.1f} × less noise", sqrt=math.sqrt(kind.frames)),
        "bracket": tr("dark, normal and bright: merged"),
        "lighten": "",
        "": tr("one is enough"),
    }
    if planned.kind == "water":
        return Recommendation(kind.frames, tr("like a grey filter of {log2:.0f} stops", log2=math.log2(kind.frames)))
    return Recommendation(kind.frames, reasons[kind.merged])


def recommended(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> dict[str, Recommendation]:
    """Find what is proposed for each value of a planned shot, as the others are set.

    Keys: "at" (POSIX seconds), "focal_35mm", "altitude", "azimuth" (night only), "seconds", "iso", "frames",
    "interval_s" (sequences only).

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
    dict[str, Recommendation]
        What is proposed for each value of a planned shot, as the others are set.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    kind = kind_of(planned.kind)
    best, why = when(planned, facts)
    found = {"at": Recommendation(best.timestamp(), why)}
    moment = moment_of(planned, plan.where) or best
    lens = means.fastest
    if kind.light == "sky":
        found["focal_35mm"] = Recommendation(
            lens.focal_35mm, tr("f/{f_number:g} lets in most light", f_number=lens.f_number or 2)
        )
    else:
        lens = means.lens(MAIN_FOCAL)
        found["focal_35mm"] = Recommendation(lens.focal_35mm, tr("the main lens has the largest sensor"))
    if planned.focal_35mm:
        lens = means.lens(planned.focal_35mm)
    aim = Spot(0.0, 0.0)
    if kind.light == "sky":
        spot, reason = _aim(planned, plan, lens, moment)
        found["altitude"], found["azimuth"] = (
            Recommendation(spot.altitude, reason),
            Recommendation(spot.azimuth, reason),
        )
        aim = aim_of(planned, found)
    rate = rate_at(lens, light_of(planned, plan, moment, aim))
    support = planned.support or kind.support
    if kind.light == "sky":
        found["seconds"] = _sky_seconds(planned, means, lens, declination_of(aim, plan.where.latitude))
        found["iso"] = _sky_iso(means, rate, planned.seconds or found["seconds"].value)
    else:
        found.update(_ground(planned, means, lens, rate, support, kind))
    seconds = planned.seconds or found["seconds"].value
    if kind.merged in ("mean", "lighten") and kind.light == "sky":
        pause = means.pace_s * (1 + SPARE_SHARE) + SPARE_S
        found["interval_s"] = Recommendation(
            math.ceil(10 * (seconds + pause)) / 10,
            tr(
                "{time} and {pause:.1f} s to save; {from_where}",
                time=time_text(seconds),
                pause=pause,
                from_where=means.from_where("pace_s"),
            ),
        )
    step = planned.interval_s or (found["interval_s"].value if "interval_s" in found else seconds + means.pace_s)
    found["frames"] = _frames(planned, kind, facts, step, seconds, moment, plan, means)
    for name, scale in SCALES.items():
        if name in found:
            found[name] = replace(found[name], assumes=means.assumed(scale, found[name].value))
    return found


def with_recommendations(planned: PlannedShot, plan: Plan, means: Equipment, facts: Facts) -> PlannedShot:
    """Return a planned shot with everything that is not set as it is proposed.

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
    PlannedShot
        A planned shot with everything that is not set as it is proposed.
    """
    got = recommended(planned, plan, means, facts)
    values = {k: p.value for k, p in got.items() if k not in ("at", "frames") and getattr(planned, k) is None}
    if not planned.at:
        values["at"] = at_text(datetime.fromtimestamp(got["at"].value, UTC), plan.where)  # type: ignore[assignment]
    return replace(planned, frames=round(got["frames"].value), **values)  # type: ignore[arg-type]
