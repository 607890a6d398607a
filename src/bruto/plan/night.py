"""A night, or a day, at a place: everything that decides when to shoot, on one axis of time."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from bruto.catalog import tr
from bruto.plan.almanac import (
    ASTRONOMICAL,
    BLUE,
    CIVIL,
    GALACTIC_CENTRE,
    GOLDEN,
    NAUTICAL,
    REFRACTION,
    SUN_RISES,
    Body,
    Spot,
    common,
    first,
    highest,
    moon,
    moon_brightens,
    moon_limb,
    moon_lit,
    passages,
    pole,
    spans,
    star,
    sun,
)
from bruto.plan.place import Place, local_iso, midnight, night_of

TRACK_STEP = timedelta(minutes=10)
TWILIGHTS = (("civil", CIVIL), ("nautical", NAUTICAL), ("astronomical", ASTRONOMICAL))
Span = tuple[datetime, datetime]


@dataclass(frozen=True)
class NightTimes:
    """From noon to noon."""

    place: Place
    begin: datetime
    end: datetime
    sun: dict[str, datetime | None]
    """Moments by name (set, rise, civil_end, …), None where there is none."""
    moon: dict[str, datetime | None]
    """Rise and set."""
    moon_lit: float
    """Share of its disc in the middle of the night."""
    dark: list[Span]
    """When the sun is 18° down and the moon is not up."""
    sun_state: str
    """Note for a day on which the sun does not rise or set."""
    target: tuple[float, float]
    target_rise: datetime | None
    target_set: datetime | None
    target_highest: tuple[datetime, Spot] | None
    target_in_dark: tuple[datetime, Spot] | None
    moon_brightens: float

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        body = star(*self.target)
        at, dark = self.target_highest, self.target_in_dark
        centre = star(*GALACTIC_CENTRE)
        up = (body, (at, dark, self.target_rise, self.target_set))
        is_centre = self.target == GALACTIC_CENTRE
        of_centre = up[1] if is_centre else _path(centre, self.place, self.begin, self.end, self.dark)
        tip = pole(self.place)
        return {
            "place": {
                "latitude": self.place.latitude, "longitude": self.place.longitude, "zone": self.place.clock_name
            },
            "from": local_iso(self.begin, self.place), "to": local_iso(self.end, self.place),
            "sun": {k: local_iso(v, self.place) for k, v in self.sun.items()}, "sun_state": self.sun_state,
            "moon": {
                **{k: local_iso(v, self.place) for k, v in self.moon.items()},
                "illuminated_percent": round(100 * self.moon_lit, 1),
                "brightens_zenith_mag": round(self.moon_brightens, 2),
            },
            "dark": [{"from": local_iso(a, self.place), "to": local_iso(b, self.place)} for a, b in self.dark],
            "pole": {"altitude_deg": round(tip.altitude, 3), "azimuth_deg": tip.azimuth},
            "galactic_centre": self._path_texts(of_centre),
            "target": {"ra_deg": self.target[0], "dec_deg": self.target[1], **self._path_texts(up[1])},
            "track": [
                {"time": local_iso(t, self.place), "altitude_deg": round(s.altitude, 3),
                "azimuth_deg": round(s.azimuth, 3)}
                for t, s in track(body, self.place, self.begin, self.end)
            ],
        }  # fmt: skip

    def _path_texts(self, path: Any) -> dict[str, Any]:
        at, dark, rise, down = path
        return {
            "rise": local_iso(rise, self.place), "set": local_iso(down, self.place),
            "highest": local_iso(at[0], self.place) if at else None,
            "altitude_deg": round(at[1].altitude, 3) if at else None,
            "azimuth_deg": round(at[1].azimuth, 3) if at else None,
            "highest_in_dark": local_iso(dark[0], self.place) if dark else None,
            "altitude_in_dark_deg": round(dark[1].altitude, 3) if dark else None,
            "azimuth_in_dark_deg": round(dark[1].azimuth, 3) if dark else None,
        }  # fmt: skip


def track(body: Body, place: Place, begin: datetime, end: datetime) -> list[tuple[datetime, Spot]]:
    """Find where something is, every ten minutes of a span.

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

    Returns
    -------
    list[tuple[datetime, Spot]]
        Where something is, every ten minutes of a span.
    """
    count = round((end - begin) / TRACK_STEP)
    return [(begin + k * TRACK_STEP, body(place, begin + k * TRACK_STEP)) for k in range(count + 1)]


def _path(body: Body, place: Place, begin: datetime, end: datetime, dark: list[Span]) -> tuple[Any, ...]:
    """Highest over all and in the dark, rise and set of a star."""
    found = passages(body, place, begin, end, -REFRACTION)
    return highest(body, place, [(begin, end)]), highest(body, place, dark), first(found, True), first(found, False)


def _sun_state(place: Place, begin: datetime, end: datetime) -> str:
    """Describe a sun that does not rise or set, "" where it does both."""
    found = passages(sun, place, begin, end, SUN_RISES)
    if first(found, True) and first(found, False):
        return ""
    if found:
        return tr("the sun sets and does not rise") if not found[-1].upward else tr("the sun rises and does not set")
    up = sun(place, begin).altitude > SUN_RISES
    return tr("polar day: the sun does not set") if up else tr("polar night: the sun does not rise")


def night(place: Place, day: date, target: tuple[float, float] | None = None) -> NightTimes:
    """Return the night that begins on a day.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    day
        Calendar day.
    target
        Right ascension and declination, degrees, J2000; the centre of the Milky Way where none is given.

    Returns
    -------
    NightTimes
        The night that begins on a day.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    begin, end = night_of(place, day)
    moments: dict[str, datetime | None] = {}
    found = passages(sun, place, begin, end, SUN_RISES)
    moments["set"], moments["rise"] = first(found, False), first(found, True)
    for name, height in TWILIGHTS:
        found = passages(sun, place, begin, end, height)
        moments[f"{name}_end"], moments[f"{name}_begin"] = first(found, False), first(found, True)
    up = passages(moon_limb, place, begin, end, 0.0)
    dark = common(
        spans(sun, place, begin, end, ASTRONOMICAL, False), spans(moon_limb, place, begin, end, 0.0, False)
    )  # fmt: skip
    middle = begin + (end - begin) / 2
    aim = GALACTIC_CENTRE if target is None else target
    at, in_dark, rise, down = _path(star(*aim), place, begin, end, dark)
    lightest = max(
        (moon_brightens(place, t) for t, _ in track(moon, place, begin, end) if sun(place, t).altitude < ASTRONOMICAL),
        default=0.0,
    )
    return NightTimes(
        place, begin, end, moments, {"rise": first(up, True), "set": first(up, False)}, moon_lit(middle), dark,
        _sun_state(place, begin, end), aim, rise, down, at, in_dark, lightest,
    )  # fmt: skip


@dataclass(frozen=True)
class DayTimes:
    """From midnight to midnight: when the sun rises, is highest and sets; `golden` and `blue` hours."""

    place: Place
    begin: datetime
    end: datetime
    rise: datetime | None
    set: datetime | None
    noon: tuple[datetime, Spot]
    golden: list[Span]
    blue: list[Span]
    sun_state: str
    facade: float | None
    light: list[Span]
    """When the sun shines on a wall that faces a bearing (None where none was asked for)."""

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        place = self.place

        def span_texts(some: list[Span]) -> list[dict[str, str | None]]:
            return [{"from": local_iso(a, place), "to": local_iso(b, place)} for a, b in some]

        found: dict[str, Any] = {
            "place": {"latitude": place.latitude, "longitude": place.longitude, "zone": place.clock_name},
            "from": local_iso(self.begin, place), "to": local_iso(self.end, place),
            "sun": {
                "rise": local_iso(self.rise, place), "set": local_iso(self.set, place),
                "highest": local_iso(self.noon[0], place),
                "altitude_deg": round(self.noon[1].altitude, 3), "azimuth_deg": round(self.noon[1].azimuth, 3),
            },
            "sun_state": self.sun_state, "golden": span_texts(self.golden), "blue": span_texts(self.blue),
            "track": [
                {"time": local_iso(t, place), "altitude_deg": round(s.altitude, 3), "azimuth_deg": round(s.azimuth, 3)}
                for t, s in track(sun, place, self.begin, self.end)
            ],
        }  # fmt: skip
        if self.facade is not None:
            found["facade"] = {"faces_deg": self.facade, "light": span_texts(self.light)}
        return found


def _on_wall(faces: float) -> Body:
    """How far the sun stands in front of a wall, as a height: below 0 it is behind it or under the horizon."""

    def seen(place: Place, moment: datetime) -> Spot:
        spot = sun(place, moment)
        aside = abs((spot.azimuth - faces + 180) % 360 - 180)
        return Spot(min(spot.altitude - SUN_RISES, 90 - aside), spot.azimuth)

    return seen


def day(place: Place, on: date, facade: float | None = None) -> DayTimes:
    """Return the day of a date.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    on
        The day.
    facade
        Where a wall faces, degrees from north over east.

    Returns
    -------
    DayTimes
        The day of a date.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    begin, end = midnight(place, on), midnight(place, on + timedelta(days=1))
    found = passages(sun, place, begin, end, SUN_RISES)
    top = highest(sun, place, [(begin, end)])
    assert top is not None

    def between(low: float, high: float) -> list[Span]:
        return common(spans(sun, place, begin, end, low, True), spans(sun, place, begin, end, high, False))

    light = [] if facade is None else spans(_on_wall(facade), place, begin, end, 0.0, True)
    return DayTimes(
        place, begin, end, first(found, True), first(found, False), top, between(*GOLDEN), between(*BLUE),
        _sun_state(place, begin, end), facade, light,
    )  # fmt: skip
