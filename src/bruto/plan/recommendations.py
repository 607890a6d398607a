"""What is proposed for a planned shot: values that the phone offers, each with its reason."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

from bruto.catalog import items, tr
from bruto.errors import BrutoError
from bruto.plan.almanac import Spot, pole, star
from bruto.plan.equipment import Equipment, EquipmentLens, at_most, nearest, saturation_per
from bruto.plan.interval import SPARE_S, SPARE_SHARE
from bruto.plan.night import DayTimes, NightTimes, Span, day, night
from bruto.plan.noise import GREY, time_of_chance
from bruto.plan.place import Place, parsed_date
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.shot_kinds import TARGETS, Kind, kind_of
from bruto.plan.skylight import ground_lux, sky_cd_m2
from bruto.plan.stars import aperture_pitch, rule_500
from bruto.sensor.advice import time_text

INSIDE_LUX = 150.0
"""Lux in a room by its lamps or away from its window, a usual value; a test shot tells better."""
INFRARED_STOPS = 8.0
"""That a filter which stops visible light takes of a phone's light, a usual value; two test frames tell better."""
TRAIL_S = 7200.0
"""Of a star trail where the night has room for it."""
FIELD_S = 240.0
"""Exposure that the frames of a star field gather."""
READ_SHARE = 0.15
"""Of read noise that a higher ISO could still take away, against what stays: below, it is not worth the storage."""
SKY_MOST = 0.25
"""Of saturation that an even sky should fill: above it are the stars and lamps."""
SKY_SEEN = 0.02
"""Of saturation at which a dark sky is seen on the phone, so that one can aim and judge."""
POLE_UP, LOWEST_POLE = 0.7, 10.0
"""Share of half a frame that the pole stands above its middle, so that ground is below it; least height of the middle,
degrees.
"""
LEAST_HEIGHT = 5.0
"""Of a target over the horizon, degrees."""
MAIN_FOCAL = 26.0
"""Of a phone's main lens, about, mm at 35 mm film."""


@dataclass(frozen=True)
class Facts:
    """What the sky does at the plan's place and date."""

    night: NightTimes
    day: DayTimes


@dataclass(frozen=True)
class Recommendation:
    """A value and its reason in a sentence."""

    value: float
    reason: str


def target_of(text: str) -> tuple[float, float] | None:
    """Compute the right ascension and declination, degrees, of what a plan follows; None of the pole.

    Parameters
    ----------
    text
        Text to read.

    Returns
    -------
    tuple[float, float] | None
        Right ascension and declination, degrees, of what a plan follows.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    if text in TARGETS:
        return TARGETS[text][1]
    parts = text.split(",")
    try:
        found = float(parts[0]), float(parts[1])
    except (ValueError, IndexError) as error:
        raise BrutoError(
            tr(
                "Give a target as right ascension and declination in degrees, for example 266.4,-29.0, not '{text}'.",
                text=text,
            )
        ) from error
    star(*found)
    return found


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


def declination_of(aim: Spot, latitude: float) -> float:
    """Compute the declination of stars where a frame looks, degrees.

    Parameters
    ----------
    aim
        Where the frame points.
    latitude
        Latitude, degrees, north positive.

    Returns
    -------
    float
        Declination of stars where a frame looks, degrees.

    Examples
    --------
    >>> round(declination_of(Spot(50.0, 0.0), 50.0), 6)
    90.0
    """
    h, a, b = math.radians(aim.altitude), math.radians(aim.azimuth), math.radians(latitude)
    sine = math.sin(h) * math.sin(b) + math.cos(h) * math.cos(b) * math.cos(a)
    return math.degrees(math.asin(min(max(sine, -1.0), 1.0)))


def aim_of(planned: PlannedShot, recommendations: dict[str, Recommendation]) -> Spot:
    """Find where a planned shot looks, as it is set or else as it is proposed.

    Parameters
    ----------
    planned
        The planned shot.
    recommendations
        Recommendations by field.

    Returns
    -------
    Spot
        Where a planned shot looks, as it is set or else as it is proposed.
    """
    height = planned.altitude if planned.altitude is not None else recommendations["altitude"].value
    bearing = planned.azimuth if planned.azimuth is not None else recommendations["azimuth"].value
    return Spot(height, bearing)


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


def _aim(planned: PlannedShot, plan: Plan, lens: EquipmentLens, moment: datetime) -> tuple[Spot, str]:
    where = plan.where
    tip = pole(where)
    half = math.degrees(math.atan(lens.size[1] / 2 / lens.focal_px))
    low = Spot(max(min(tip.altitude, LOWEST_POLE), tip.altitude - POLE_UP * half), tip.azimuth)
    target = target_of(plan.target)
    if planned.kind == "trail" or target is None:
        return low, tr(
            "the pole ({altitude:.0f}° altitude) in the upper part of the frame: stars draw circles around it",
            altitude=tip.altitude,
        )
    spot = star(*target)(where, moment)
    if spot.altitude < LEAST_HEIGHT:
        return low, tr("the target is at {altitude:.0f}° then: towards the pole", altitude=spot.altitude)
    return spot, tr("the target is there then")


# -- exposure


def light_of(planned: PlannedShot, plan: Plan, moment: datetime, aim: Spot) -> float:
    """Compute the luminance that the exposure is for, cd/m2.

    Of the sky there, or of a grey of 18 % in the open or inside.

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


def rate_at(lens: EquipmentLens, cd_m2: float) -> float:
    """Compute the light in shares of saturation, at ISO 1 in one second, of a luminance through a lens.

    Parameters
    ----------
    lens
        Lens of the phone.
    cd_m2
        Luminance, cd/m².

    Returns
    -------
    float
        Light in shares of saturation, at ISO 1 in one second, of a luminance through a lens.
    """
    return cd_m2 * saturation_per(lens.f_number or 2.0)


def _sky_seconds(planned: PlannedShot, means: Equipment, lens: EquipmentLens, declination: float) -> Recommendation:
    rule = rule_500(lens.focal_35mm)
    if planned.kind == "trail":
        s = max(means.seconds)
        return Recommendation(
            s,
            tr(
                "the longest the phone offers: fewest gaps, and trails are wanted ({rule:.0f} s by the rule of 500)",
                rule=rule,
            ),
        )
    if planned.kind == "field" and lens.pixel_um and lens.focal_mm and lens.f_number:
        strict = aperture_pitch(lens.f_number, lens.pixel_um, lens.focal_mm, declination)
        s = at_most(means.seconds, min(strict, max(means.seconds)))
        return Recommendation(
            s,
            tr(
                "stars stay points up to {strict:.0f} s here, from aperture, pixel pitch and declination", strict=strict
            ),
        )
    s = at_most(means.seconds, rule)
    return Recommendation(
        s, tr("the longest within 500 / {focal_35mm:.0f} mm = {rule:.0f} s", focal_35mm=lens.focal_35mm, rule=rule)
    )


def _sky_iso(means: Equipment, rate: float, seconds: float) -> Recommendation:
    """Return the lowest ISO from which read noise hardly falls any more, with headroom above the sky."""
    model = means.noise
    for iso in sorted(means.isos):
        stays = model.photons * rate * seconds + model.amplified
        if model.fixed / iso**2 <= READ_SHARE * stays:
            break
    full = SKY_MOST / (rate * seconds)
    if full < iso:
        iso = at_most(means.isos, full)
        return Recommendation(
            iso, tr("the sky fills {rate:.0f} % of the range: more would clip", rate=100 * rate * seconds * iso)
        )
    seen = nearest(means.isos, SKY_SEEN / (rate * seconds))
    if seen > iso:
        return Recommendation(
            seen,
            tr(
                "the sky shows in the phone's picture; the raw is as good from ISO {iso:.0f}, with more headroom",
                iso=iso,
            ),
        )
    level = 100 * rate * seconds * iso
    return Recommendation(
        iso,
        tr(
            "above this, noise hardly falls and headroom is lost; the sky fills {level:.1g} % of the range", level=level
        ),
    )


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


def _frames(
    planned: PlannedShot, kind: Kind, facts: Facts, step: float, seconds: float, moment: datetime
) -> Recommendation:
    if planned.kind == "trail":
        dark = next((d for d in facts.night.dark if d[0] - timedelta(minutes=1) <= moment < d[1]), None)
        available_s = (dark[1] - moment).total_seconds() if dark else TRAIL_S
        lasts = min(TRAIL_S, available_s)
        count = max(1, math.floor(lasts / step))
        why = tr("two hours") if lasts == TRAIL_S else tr("until the dark ends")
        return Recommendation(
            count, tr("{why}: arcs of {count:.0f}° around the pole", why=why, count=15.04 * count * step / 3600)
        )
    if planned.kind == "field":
        count = min(max(2, math.ceil(FIELD_S / seconds)), 64)
        return Recommendation(
            count,
            tr(
                "{FIELD_S:.0f} minutes of light in total: {sqrt:.1f} × less noise",
                FIELD_S=FIELD_S / 60,
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
        found["seconds"] = _sky_seconds(planned, means, lens, declination_of(aim, plan.latitude))
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
    found["frames"] = _frames(planned, kind, facts, step, seconds, moment)
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
