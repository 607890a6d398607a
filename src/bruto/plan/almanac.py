"""Sun, moon and stars over a place: where they are, when they rise and set, when it is dark.

Positions are those of the package ephem (VSOP87 for the sun, Moshier's fit for the moon), seen from the place itself,
without the bend of light in the air; the moments of rising and setting include its usual amount. Rise, set and
twilights are where the height of the middle passes a limit, found by search over the whole span, so that days and
nights without them, and those with two, come out as they are.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any

import ephem

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.place import Place

SUN_RISES = -0.833
"""Height of the sun's middle at which its upper limb rises, degrees: 34' of refraction and 16' of half its width
(U.S. Naval Observatory's definition of sunrise).
"""
REFRACTION = 34 / 60
"""Refraction at the horizon, degrees."""
CIVIL, NAUTICAL, ASTRONOMICAL = -6.0, -12.0, -18.0
"""Heights of the sun's middle at which the twilights end, degrees."""
GOLDEN, BLUE = (-4.0, 6.0), (-6.0, -4.0)
"""Heights of the sun between which photographers speak of the golden and of the blue hour, degrees."""
GALACTIC_CENTRE = (266.41683, -29.00781)
"""Right ascension and declination of the centre of the Milky Way (Sagittarius A*), degrees, J2000."""
STEP = timedelta(minutes=10)
"""Between heights that are looked at before a passage is sought."""
EXACT_S = 0.5


@dataclass(frozen=True)
class Spot:
    """Where something is in the sky: `altitude` and `azimuth` (from north over east), degrees."""

    altitude: float
    azimuth: float


Body = Callable[[Place, datetime], Spot]


def _observer(place: Place, moment: datetime) -> Any:
    observer = ephem.Observer()
    observer.lat, observer.lon = math.radians(place.latitude), math.radians(place.longitude)
    observer.elevation, observer.pressure = place.height_m, 0
    observer.date = moment.astimezone(UTC).replace(tzinfo=None)
    return observer


def _spot(body: Any) -> Spot:
    return Spot(math.degrees(body.alt), math.degrees(body.az) % 360)


def sun(place: Place, moment: datetime) -> Spot:
    """Find where the sun's middle is.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    moment
        Point in time, with time zone.

    Returns
    -------
    Spot
        Where the sun's middle is.
    """
    return _spot(ephem.Sun(_observer(place, moment)))


def moon(place: Place, moment: datetime) -> Spot:
    """Find where the moon's middle is, seen from the place itself.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    moment
        Point in time, with time zone.

    Returns
    -------
    Spot
        Where the moon's middle is, seen from the place itself.
    """
    return _spot(ephem.Moon(_observer(place, moment)))


def moon_limb(place: Place, moment: datetime) -> Spot:
    """Find where the moon's upper limb is seen, refraction at the horizon included.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    moment
        Point in time, with time zone.

    Returns
    -------
    Spot
        Where the moon's upper limb is seen, refraction at the horizon included.
    """
    body = ephem.Moon(_observer(place, moment))
    radius = math.degrees(float(body.radius))
    return Spot(math.degrees(body.alt) + radius + REFRACTION, math.degrees(body.az) % 360)


def moon_lit(moment: datetime) -> float:
    """Compute the share of the moon's disc that is lit, 0..1.

    Parameters
    ----------
    moment
        Point in time, with time zone.

    Returns
    -------
    float
        Share of the moon's disc that is lit, 0..1.
    """
    return float(ephem.Moon(moment.astimezone(UTC).replace(tzinfo=None)).phase) / 100


def star(right_ascension: float, declination: float) -> Body:
    """Return a place among the stars: degrees, J2000.

    Parameters
    ----------
    right_ascension
        Right ascension, degrees.
    declination
        Declination, degrees.

    Returns
    -------
    Body
        A place among the stars.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    if not (math.isfinite(right_ascension) and 0 <= right_ascension < 360 + 1e-9):
        raise BrutoError(
            tr("A right ascension is 0 to 360 degrees, not {right_ascension:g}.", right_ascension=right_ascension)
        )
    if not (math.isfinite(declination) and -90 <= declination <= 90):
        raise BrutoError(tr("A declination is -90 to 90 degrees, not {declination:g}.", declination=declination))

    def seen(place: Place, moment: datetime) -> Spot:
        body = ephem.FixedBody()
        body._ra, body._dec = math.radians(right_ascension), math.radians(declination)
        body._epoch = ephem.J2000
        body.compute(_observer(place, moment))
        return _spot(body)

    return seen


def pole(place: Place) -> Spot:
    """Return the pole that is above the horizon: as high as the latitude, due north or south.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.

    Returns
    -------
    Spot
        The pole that is above the horizon.
    """
    return Spot(abs(place.latitude), 0.0 if place.latitude >= 0 else 180.0)


@dataclass(frozen=True)
class Passage:
    """A moment at which something passes a height, `upward` or downward."""

    moment: datetime
    upward: bool


def passages(body: Body, place: Place, begin: datetime, end: datetime, height: float) -> list[Passage]:
    """Find when something passes a height (degrees) in a span, in order.

    Heights are looked at every ten minutes; where one of them is an extreme it is sought more closely, so that what
    passes for a few minutes only is found too.

    Parameters
    ----------
    body
        Sun, moon or star: gives the position for a moment.
    place
        Place on the earth, with its time zone.
    begin
        Begin of the span.
    end
        End of the span.
    height
        Height, pixels.

    Returns
    -------
    list[Passage]
        When something passes a height (degrees) in a span, in order.
    """
    span = (end - begin).total_seconds()
    count = max(2, math.ceil(span / STEP.total_seconds()) + 1)
    times = [span * k / (count - 1) for k in range(count)]

    from scipy.optimize import brentq  # takes long to import

    def above(seconds: float) -> float:
        return body(place, begin + timedelta(seconds=seconds)).altitude - height

    heights = [above(t) for t in times]
    marks = list(zip(times, heights, strict=True))
    for k in range(1, count - 1):
        a, b, c = heights[k - 1 : k + 2]
        if (b - a) * (b - c) > 0 and a * b > 0 and b * c > 0:
            bend = a - 2 * b + c
            t = times[k] + (times[1] - times[0]) * 0.5 * (a - c) / bend if bend else times[k]
            marks.append((t, above(t)))
    marks.sort()
    found = []
    for (t, h), (u, i) in pairwise(marks):
        if (h < 0) != (i < 0):
            at = brentq(above, t, u, xtol=EXACT_S)
            found.append(Passage(begin + timedelta(seconds=at), i > h))
    return found


def first(found: list[Passage], upward: bool) -> datetime | None:
    """Return the first passage in a direction, None where there is none.

    Parameters
    ----------
    found
        What was found.
    upward
        Whether it must rise through the limit.

    Returns
    -------
    datetime | None
        The first passage in a direction, None where there is none.
    """
    return next((p.moment for p in found if p.upward == upward), None)


def spans(body: Body, place: Place, begin: datetime, end: datetime, height: float, above: bool) -> list[
    tuple[datetime, datetime]
]:  # fmt: skip
    """Find when something is above a height, or below it, in a span.

    Parameters
    ----------
    body
        Sun, moon or star: gives the position for a moment.
    place
        Place on the earth, with its time zone.
    begin
        Begin of the span.
    end
        End of the span.
    height
        Height, pixels.
    above
        Whether it must be above the limit.

    Returns
    -------
    list[tuple[datetime, datetime]]
        When something is above a height, or below it, in a span.
    """
    inside = (body(place, begin).altitude >= height) == above
    start = begin if inside else None
    found = []
    for p in passages(body, place, begin, end, height):
        if p.upward == above:
            start = p.moment
        elif start is not None:
            found.append((start, p.moment))
            start = None
    if start is not None:
        found.append((start, end))
    return found


def common(
    one: list[tuple[datetime, datetime]], other: list[tuple[datetime, datetime]]
) -> list[tuple[datetime, datetime]]:
    """Find what is in both of two lists of spans.

    Parameters
    ----------
    one
        First of two.
    other
        The other one.

    Returns
    -------
    list[tuple[datetime, datetime]]
        What is in both of two lists of spans.
    """
    found = [(max(a, c), min(b, d)) for a, b in one for c, d in other]
    return sorted((a, b) for a, b in found if a < b)


def highest(body: Body, place: Place, spans_of: list[tuple[datetime, datetime]]) -> tuple[datetime, Spot] | None:
    """Find when something is highest in some spans, and where it is then; None of no spans.

    Parameters
    ----------
    body
        Sun, moon or star: gives the position for a moment.
    place
        Place on the earth, with its time zone.
    spans_of
        Spans of time.

    Returns
    -------
    tuple[datetime, Spot] | None
        When something is highest in some spans, and where it is then.
    """
    best: tuple[datetime, Spot] | None = None
    for begin, end in spans_of:
        span = (end - begin).total_seconds()
        count = max(2, math.ceil(span / STEP.total_seconds()) + 1)
        some = [begin + timedelta(seconds=span * k / (count - 1)) for k in range(count)]
        k = max(range(count), key=lambda k: body(place, some[k]).altitude)
        low, high = some[max(k - 1, 0)], some[min(k + 1, count - 1)]
        while (high - low).total_seconds() > 2:
            third = (high - low) / 3
            if body(place, low + third).altitude < body(place, high - third).altitude:
                low += third
            else:
                high -= third
        for at in (low + (high - low) / 2, begin, end):
            spot = body(place, at)
            if best is None or spot.altitude > best[1].altitude:
                best = at, spot
    return best


def moon_brightens(place: Place, moment: datetime, height: float = 90.0, azimuth: float = 0.0) -> float:
    """Find how much the moon brightens a dark clear sky at a place of it, magnitudes; 0 where it is down.

    Krisciunas and Schaefer 1991, for a sky of 21.6 magnitudes per square arcsecond and an extinction of 0.17; good
    to about a quarter. `height` and `azimuth` in degrees.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    moment
        Point in time, with time zone.
    height
        Height, pixels.
    azimuth
        Azimuth, degrees clockwise from north.

    Returns
    -------
    float
        How much the moon brightens a dark clear sky at a place of it, magnitudes.
    """
    spot = moon(place, moment)
    if spot.altitude <= 0 or height <= 0:
        return 0.0
    phase = math.degrees(math.acos(min(max(2 * moon_lit(moment) - 1, -1.0), 1.0)))
    extinction, dark = 0.17, 34.08 * math.exp(20.7233 - 0.92104 * 21.6)
    light = 10 ** (-0.4 * (3.84 + 0.026 * phase + 4e-9 * phase**4))
    a, b = math.radians(height), math.radians(spot.altitude)
    cosine = math.sin(a) * math.sin(b) + math.cos(a) * math.cos(b) * math.cos(math.radians(azimuth - spot.azimuth))
    apart = math.degrees(math.acos(min(max(cosine, -1.0), 1.0)))
    scattering = 10**5.36 * (1.06 + cosine**2) + 10 ** (6.15 - apart / 40)

    def air(altitude: float) -> float:
        return 1 / math.sqrt(1 - 0.96 * math.cos(math.radians(altitude)) ** 2)

    added = scattering * light * 10 ** (-0.4 * extinction * air(spot.altitude))
    added *= 1 - 10 ** (-0.4 * extinction * air(height))
    return 2.5 * math.log10(1 + added / dark)
