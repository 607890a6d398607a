"""Sun, moon and stars against astropy, at places and dates all over the earth; what is said where they do not rise."""

from __future__ import annotations

import unittest
import warnings
from datetime import UTC, date, datetime, timedelta
from functools import cache

import numpy as np

from bruto.errors import BrutoError
from bruto.plan import almanac
from bruto.plan.almanac import GALACTIC_CENTRE, REFRACTION, SUN_RISES, moon, passages, star, sun
from bruto.plan.night import NightTimes, day, night
from bruto.plan.place import Place, night_of, parsed_date
from tests.extent import count, share

COUNT = count(200, 90)
MOON_RADIUS_KM = 1737.4


def _places() -> list[tuple[Place, date]]:
    random = np.random.default_rng(7)
    return [
        (
            Place(float(np.degrees(np.arcsin(random.uniform(-1, 1)))), float(random.uniform(-180, 180))),
            date(2010, 1, 1) + timedelta(days=int(random.integers(0, 365 * 25))),
        )
        for _ in range(COUNT)
    ]


@cache
def nights() -> list[NightTimes]:
    return [night(*each) for each in _places()]


class Judge:
    """Astropy's heights of a body, for many places and moments at once."""

    def __init__(self) -> None:
        warnings.simplefilter("ignore")  # dates whose turning of the earth is foretold only: good to a second
        from astropy.utils import iers

        iers.conf.auto_download, iers.conf.auto_max_age = False, None
        iers.conf.iers_degraded_accuracy = "ignore"

    def altaz(self, name: str, places: list[Place], moments: list[datetime]) -> tuple[np.ndarray, np.ndarray]:
        """Heights and bearings, degrees; of the moon with its upper limb at the horizon's refraction ("limb")."""
        import astropy.units as u
        from astropy.coordinates import AltAz, EarthLocation, SkyCoord, get_body
        from astropy.time import Time

        where = EarthLocation.from_geodetic([p.longitude for p in places], [p.latitude for p in places])
        when = Time([m.astimezone(UTC).replace(tzinfo=None) for m in moments], scale="utc")
        frame = AltAz(obstime=when, location=where)
        if name == "star":
            found = SkyCoord(*GALACTIC_CENTRE, unit="deg").transform_to(frame)
            return found.alt.deg, found.az.deg
        body = get_body("moon" if name == "limb" else name, when, where)
        found = body.transform_to(frame)
        height = found.alt.deg
        if name == "limb":
            height = height + np.degrees(np.arcsin(MOON_RADIUS_KM / body.distance.to(u.km).value)) + REFRACTION
        return height, found.az.deg


class AgainstAstropy(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.judge = Judge()

    def _passes(self, name: str, height: float, found: list[tuple[Place, datetime | None, bool]]) -> int:
        """That a minute before and after each moment the height is on either side of the limit; how many there were."""
        there = [(p, m, up) for p, m, up in found if m is not None]
        places = [p for p, *_ in there]
        minute = timedelta(minutes=1)
        before, _ = self.judge.altaz(name, places, [m - minute for _, m, _ in there])
        after, _ = self.judge.altaz(name, places, [m + minute for _, m, _ in there])
        for (place, moment, up), a, b in zip(there, before, after, strict=True):
            rises = (a - height, b - height) if up else (height - a, height - b)
            at_poles = abs(place.latitude) > 85 or abs(b - a) < 0.05  # there it creeps along the horizon
            with self.subTest(name=name, height=height, place=place, moment=moment):
                self.assertLess(rises[0], 0.02 if at_poles else 0.0)
                self.assertGreater(rises[1], -0.02 if at_poles else 0.0)
        return len(there)

    def test_the_suns_moments_are_right_to_a_minute(self) -> None:
        for height, down, up in (
            (SUN_RISES, "set", "rise"), (-6.0, "civil_end", "civil_begin"), (-12.0, "nautical_end", "nautical_begin"),
            (-18.0, "astronomical_end", "astronomical_begin"),
        ):  # fmt: skip
            found = [(n.place, n.sun[name], name == up) for n in nights() for name in (down, up)]
            self.assertGreater(self._passes("sun", height, found), COUNT)

    def test_the_moons_moments_are_right_to_a_minute(self) -> None:
        found = [(n.place, n.moon[name], name == "rise") for n in nights() for name in ("rise", "set")]
        self.assertGreater(self._passes("limb", 0.0, found), 1.6 * COUNT)

    def test_places_are_right_to_a_tenth_of_a_degree(self) -> None:
        places = [n.place for n in nights()]
        moments = [n.begin + timedelta(hours=3.7 * (k % 6)) for k, n in enumerate(nights())]
        for name, body in (("sun", sun), ("moon", moon), ("star", star(*GALACTIC_CENTRE))):
            height, bearing = self.judge.altaz(name, places, moments)
            for k, (place, moment) in enumerate(zip(places, moments, strict=True)):
                spot = body(place, moment)
                self.assertAlmostEqual(spot.altitude, height[k], delta=0.1)
                aside = (spot.azimuth - bearing[k] + 180) % 360 - 180
                self.assertLess(abs(aside) * np.cos(np.radians(height[k])), 0.1)

    def test_what_does_not_rise_or_set_does_not(self) -> None:
        """Where no moment is told, none is there: heights of every ten minutes stay on one side."""
        some = [n for n in nights() if n.sun["set"] is None or n.sun["rise"] is None]
        self.assertGreater(len(some), COUNT / 40)
        for n in some:
            moments = [n.begin + timedelta(minutes=10 * k) for k in range(145)]
            height, _ = self.judge.altaz("sun", [n.place] * len(moments), moments)
            over = height > SUN_RISES
            with self.subTest(place=n.place, begin=n.begin, state=n.sun_state):
                if n.sun["set"] is None:
                    self.assertFalse((over[:-1] & ~over[1:]).any())
                if n.sun["rise"] is None:
                    self.assertFalse((~over[:-1] & over[1:]).any())
                if n.sun["set"] is None and n.sun["rise"] is None:
                    self.assertEqual(n.sun_state.split(":")[0], "polar day" if over[0] else "polar night")
                else:
                    self.assertIn("does not", n.sun_state)

    def test_dark_is_where_both_are_down(self) -> None:
        for n in share(nights()[:40], 12):
            moments = [n.begin + timedelta(minutes=10 * k) for k in range(145)]
            places = [n.place] * len(moments)
            down, _ = self.judge.altaz("sun", places, moments)
            limb, _ = self.judge.altaz("limb", places, moments)
            for moment, a, b in zip(moments, down, limb, strict=True):
                if min(abs(a + 18), abs(b)) < 0.3:
                    continue  # too near to a limit to be told by ten minutes
                inside = any(begin <= moment <= end for begin, end in n.dark)
                self.assertEqual(inside, a < -18 and b < 0, (n.place, moment))

    def test_the_moons_light(self) -> None:
        from astropy.coordinates import get_body
        from astropy.time import Time

        for n in nights()[:30]:
            when = Time((n.begin + (n.end - n.begin) / 2).replace(tzinfo=None), scale="utc")
            apart = get_body("sun", when).separation(get_body("moon", when)).rad
            self.assertAlmostEqual(n.moon_lit, (1 - np.cos(apart)) / 2, delta=0.006)


class Edges(unittest.TestCase):
    def test_a_night_over_which_the_clock_is_put_back_has_25_hours(self) -> None:
        for on, hours in ((date(2026, 10, 24), 25), (date(2026, 3, 28), 23), (date(2026, 6, 1), 24)):
            begin, end = night_of(Place(45, 10, zone="CET"), on)
            self.assertEqual((end - begin), timedelta(hours=hours))
        notice = night(Place(45, 10, zone="CET"), date(2026, 10, 24)).as_json()
        self.assertEqual((notice["from"][-6:], notice["to"][-6:]), ("+02:00", "+01:00"))
        self.assertEqual(notice["sun"]["rise"][:11], "2026-10-25T")
        self.assertEqual(len(notice["track"]), 151)

    def test_both_sides_of_the_date_line(self) -> None:
        """The same sun over the same water, under two dates."""
        west, east = night(Place(5, 179.99), date(2026, 5, 2)), night(Place(5, -179.99), date(2026, 5, 1))
        self.assertLess(abs((west.sun["set"] - east.sun["set"]).total_seconds()), 30)
        self.assertEqual(west.as_json()["sun"]["set"][:10], "2026-05-02")
        self.assertEqual(east.as_json()["sun"]["set"][:10], "2026-05-01")

    def test_the_pole_and_the_target_there(self) -> None:
        notice = night(Place(90, 0), date(2026, 6, 21), (37.95, 89.26)).as_json()
        self.assertEqual(notice["sun_state"], "polar day: the sun does not set")
        self.assertEqual(notice["pole"], {"altitude_deg": 90, "azimuth_deg": 0.0})
        self.assertEqual(notice["dark"], [])
        self.assertIsNone(notice["target"]["set"])
        self.assertAlmostEqual(notice["target"]["altitude_deg"], 89.35, delta=0.2)
        self.assertEqual(night(Place(-33, 20), date(2026, 6, 21)).as_json()["pole"]["azimuth_deg"], 180.0)

    def test_a_sun_that_shows_for_minutes_is_found(self) -> None:
        """The last day before the polar night: both moments lie within one step."""
        found = [
            night(Place(68.5, 20), date(2026, 11, 20) + timedelta(days=k)).sun_state for k in range(30)
        ]  # fmt: skip
        changes = [k for k in range(1, 30) if bool(found[k]) != bool(found[k - 1])]
        self.assertEqual(len(changes), 1)
        last = passages(sun, Place(68.5, 20), *(
            datetime(2026, 11, 20, h, tzinfo=UTC) + timedelta(days=changes[0]) for h in (0, 24 - 1)
        ), SUN_RISES)  # fmt: skip
        self.assertLess(len(last), 3)

    def test_what_no_place_and_no_date_is(self) -> None:
        for make, notice in (
            (lambda: Place(91, 0), "latitude"), (lambda: Place(0, 181), "longitude"),
            (lambda: Place(float("nan"), 0), "latitude"), (lambda: Place(0, 0, 1e6), "height"),
            (lambda: Place(0, 0, zone="Nowhere/Here").clock, "zone"), (lambda: Place(0, 0, zone="../x").clock, "zone"),
            (lambda: parsed_date("2026-13-01"), "date"), (lambda: parsed_date("1066-10-14"), "1900 to 2100"),
            (lambda: star(400, 0), "right ascension"), (lambda: star(0, -95), "declination"),
        ):  # fmt: skip
            with self.subTest(notice), self.assertRaisesRegex(BrutoError, notice):
                make()

    def test_the_day(self) -> None:
        on = day(Place(45, 10, zone="CET"), date(2026, 9, 22), facade=90.0)
        self.assertEqual((len(on.golden), len(on.blue), on.sun_state), (2, 2, ""))
        begin, end = on.light[0]
        self.assertLess(abs((begin - on.rise).total_seconds()), 60)  # a wall to the east is lit from sunrise to noon
        self.assertLess(abs((end - on.noon[0]).total_seconds()), 600)
        self.assertAlmostEqual(on.noon[1].altitude, 45, delta=0.6)
        low = almanac.sun(on.place, on.golden[0][0]).altitude
        self.assertAlmostEqual(low, -4.0, delta=0.01)

    def test_the_moons_brightening(self) -> None:
        """A full moon high up costs about four magnitudes 40 degrees beside it, a new one nothing (Krisciunas and
        Schaefer 1991, their figures).
        """
        place = Place(20, 0)
        full, new = datetime(2026, 11, 24, 23, tzinfo=UTC), datetime(2026, 11, 9, 23, tzinfo=UTC)
        self.assertGreater(almanac.moon_lit(full), 0.98)
        spot = moon(place, full)
        self.assertGreater(spot.altitude, 60)
        beside = almanac.moon_brightens(place, full, spot.altitude - 40, spot.azimuth)
        self.assertTrue(3.0 < beside < 5.0, beside)
        self.assertEqual(almanac.moon_brightens(place, new), 0.0)


if __name__ == "__main__":
    unittest.main()
