"""What the sky asks of a planned shot: target, aim, time and ISO."""

from __future__ import annotations

import math
from datetime import datetime

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.almanac import Spot, pole, star
from bruto.plan.equipment import Equipment, EquipmentLens, at_most, nearest, saturation_per
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendation import Recommendation
from bruto.plan.shot_kinds import TARGETS
from bruto.plan.stars import aperture_pitch, rule_500

READ_SHARE = 0.15
"""Of read noise that a higher ISO could still take away, against what stays: below, it is not worth the storage."""

SKY_MOST = 0.25
"""Of saturation that an even sky should fill: above it are the stars and lamps."""

SKY_SEEN = 0.02
"""Of saturation at which a dark sky is seen on the phone, so that one can aim and judge."""

DARKER = 1.4
"""Times darker than that from which it is mentioned: half a stop."""
TRAIL_FRAME_S = 60.0
"""Of a frame of a star trail at most: a lamp or an aircraft that passes spoils the whole frame."""
POLE_UP, LOWEST_POLE = 0.7, 10.0
"""Share of half a frame that the pole stands above its middle, so that ground is below it; least height of the middle,
degrees.
"""

LEAST_HEIGHT = 5.0
"""Of a target over the horizon, degrees."""


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
        s = at_most(means.seconds, TRAIL_FRAME_S)
        if s < max(means.seconds):
            return Recommendation(s, tr("about a minute: a light that passes spoils one frame, and gaps stay few"))
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
    wanted = SKY_SEEN / (rate * seconds)
    seen = nearest(means.isos, wanted)
    if wanted > DARKER * max(means.isos):
        return Recommendation(
            seen,
            tr(
                "the highest the phone offers; the sky stays {stops:.1f} EV darker than it is usually shown",
                stops=math.log2(wanted / seen),
            ),
        )
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
