"""Where and when: a place on the earth with its zone, and the day and night of a date there."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from functools import lru_cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from bruto.catalog import tr
from bruto.errors import BrutoError

FIRST_YEAR, LAST_YEAR = 1900, 2100
"""Years for which the almanac is good: the motion of the sun and the moon is given for these."""
WINDS = ("N", "NE", "E", "SE", "S", "SW", "W", "NW")


@lru_cache(maxsize=256)
def zone_at(latitude: float, longitude: float) -> str:
    """Return the name of the time zone at a place, by the tz database; that of its meridian at sea.

    Parameters
    ----------
    latitude
        Degrees, north positive.
    longitude
        Degrees, east positive.

    Returns
    -------
    str
        Name of the zone; "" where none is known.
    """
    import tzfpy  # its shapes load when a zone is asked for

    return tzfpy.get_tz(longitude, latitude) or ""


@dataclass(frozen=True)
class Place:
    """A place on the Earth."""

    latitude: float
    """Degrees, north and east positive."""
    longitude: float
    """Degrees, north and east positive."""
    height_m: float = 0.0
    """Above the sea."""
    zone: str = ""
    """A name of the tz database such as "CET", "" for the zone in which the coordinates lie."""
    name: str = ""
    """What it is called."""

    def __post_init__(self) -> None:
        if not (math.isfinite(self.latitude) and -90 <= self.latitude <= 90):
            raise BrutoError(
                tr("A latitude is -90 to 90 degrees, north positive, not {latitude:g}.", latitude=self.latitude)
            )
        if not (math.isfinite(self.longitude) and -180 <= self.longitude <= 180):
            raise BrutoError(
                tr("A longitude is -180 to 180 degrees, east positive, not {longitude:g}.", longitude=self.longitude)
            )
        if not (math.isfinite(self.height_m) and -500 <= self.height_m <= 9000):
            raise BrutoError(
                tr("A height is -500 to 9000 m above sea level, not {height_m:g}.", height_m=self.height_m)
            )

    @property
    def clock(self) -> tzinfo:
        """The zone's clock. Raises `BrutoError` where there is no zone of that name."""
        zone = self.zone or zone_at(self.latitude, self.longitude)
        if zone.upper() == "UTC":
            return UTC
        try:
            return ZoneInfo(zone)
        except (ZoneInfoNotFoundError, ValueError, OSError) as error:
            raise BrutoError(
                tr(
                    "There is no time zone '{zone}'. Give a name from the tz database, for example CET, or leave it "
                    "empty.",
                    zone=self.zone,
                )
            ) from error

    @property
    def clock_name(self) -> str:
        """What the times are given in."""
        return self.zone or tr("{zone} (from the coordinates)", zone=zone_at(self.latitude, self.longitude))


def apart_deg(one: Place, other: Place) -> float:
    """Compute how far two places are apart, by the haversine of the angle between them.

    Parameters
    ----------
    one
        First place.
    other
        The other place.

    Returns
    -------
    float
        Degrees of a great circle.

    Examples
    --------
    >>> round(apart_deg(Place(0, 179), Place(0, -179)), 3), round(apart_deg(Place(60, 0), Place(60, 2)), 2)
    (2.0, 1.0)
    """
    a, b = math.radians(one.latitude), math.radians(other.latitude)
    turn = math.radians(other.longitude - one.longitude)
    half = math.sin((b - a) / 2) ** 2 + math.cos(a) * math.cos(b) * math.sin(turn / 2) ** 2
    return math.degrees(2 * math.asin(math.sqrt(min(half, 1.0))))


def parsed_date(text: str) -> date:
    """Parse a date from YYYY-MM-DD.

    Parameters
    ----------
    text
        Text to read.

    Returns
    -------
    date
        A date from YYYY-MM-DD.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.

    Examples
    --------
    >>> parsed_date("2026-06-21").isoformat()
    '2026-06-21'
    """
    try:
        found = date.fromisoformat(text)
    except ValueError as error:
        raise BrutoError(
            tr("Give a date as year-month-day, for example 2026-06-21, not '{text}'.", text=text)
        ) from error
    if not FIRST_YEAR <= found.year <= LAST_YEAR:
        raise BrutoError(
            tr(
                "Sun and moon can be calculated for {FIRST_YEAR} to {LAST_YEAR}, not for {year}.",
                FIRST_YEAR=FIRST_YEAR,
                LAST_YEAR=LAST_YEAR,
                year=found.year,
            )
        )
    return found


def noon(place: Place, day: date) -> datetime:
    """Return the noon of a day by the clock of a place, in UTC.

    In a zone that is put forward or back, sums of times go wrong.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    day
        Calendar day.

    Returns
    -------
    datetime
        Noon of a day by the clock of a place, in UTC.
    """
    return datetime.combine(day, time(12), place.clock).astimezone(UTC)


def midnight(place: Place, day: date) -> datetime:
    """Return the beginning of a day by the clock of a place, in UTC.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    day
        Calendar day.

    Returns
    -------
    datetime
        The beginning of a day by the clock of a place, in UTC.
    """
    return datetime.combine(day, time(0), place.clock).astimezone(UTC)


def night_of(place: Place, day: date) -> tuple[datetime, datetime]:
    """Return the night that begins on a day.

    From noon to noon by the clock, 23 or 25 hours where that is put forward or back meanwhile.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    day
        Calendar day.

    Returns
    -------
    tuple[datetime, datetime]
        The night that begins on a day.
    """
    return noon(place, day), noon(place, day + timedelta(days=1))


def bearing_text(degrees: float) -> str:
    """Return a direction in degrees and as a wind.

    Parameters
    ----------
    degrees
        Direction, degrees.

    Returns
    -------
    str
        A direction in degrees and as a wind.

    Examples
    --------
    >>> bearing_text(186.0), bearing_text(359.9)
    ('186° S', '0° N')
    """
    whole = round(degrees) % 360
    return f"{whole}° {WINDS[round(whole / 45) % 8]}"


def local_iso(moment: datetime | None, place: Place) -> str | None:
    """Return a moment in the place's time, ISO 8601 to the second with its offset; None where there is none.

    Parameters
    ----------
    moment
        Point in time, with time zone.
    place
        Place on the earth, with its time zone.

    Returns
    -------
    str | None
        A moment in the place's time, ISO 8601 to the second with its offset.
    """
    if moment is None:
        return None
    whole = moment + timedelta(seconds=0.5)
    return whole.astimezone(place.clock).replace(microsecond=0).isoformat()
