"""Places by their names and zones by their coordinates, against each other."""

from __future__ import annotations

import os
import subprocess
import unittest
from datetime import date, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock
from zoneinfo import ZoneInfo

import numpy as np

from bruto.errors import BrutoError
from bruto.plan import gazetteer as module
from bruto.plan.gazetteer import Gazetteer, gazetteer
from bruto.plan.night import night
from bruto.plan.place import Place, zone_at

WHOLE = (
    "Großau\t48.0\t16.0\tCET\tOstmark\nGrossau Sud\t-48.5\t-16.25\tUTC\tInner Island\nÖrv\t1.0\t2.0\tUTC\tOstmark\n\n"
    "grossau\t0\ngrossau sud\t1\nla grande\t0\norv\t2\n\n"
)
TOWNS = Gazetteer(WHOLE)


class Names(unittest.TestCase):
    def test_found_by_the_beginning_whatever_the_marks(self) -> None:
        self.assertEqual([t.place.name for t in TOWNS.search("GROSS")], ["Großau", "Grossau Sud"])
        self.assertEqual([t.place.name for t in TOWNS.search("orv")], ["Örv"])
        self.assertEqual([t.place.name for t in TOWNS.search("La  Gr")], ["Großau"])
        self.assertEqual(TOWNS.search("rossau"), [])
        self.assertEqual(TOWNS.search("  "), [])

    def test_a_whole_name_goes_first_and_a_country_narrows(self) -> None:
        self.assertEqual(TOWNS.search("grossau sud")[0].place.name, "Grossau Sud")
        self.assertEqual([t.place.name for t in TOWNS.search("grossau, island")], ["Grossau Sud"])
        self.assertEqual(TOWNS.search("grossau, ost")[0].label, "Großau, Ostmark · 48.00° N 16.00° E")
        self.assertEqual(TOWNS.search("grossau s")[0].label, "Grossau Sud, Inner Island · 48.50° S 16.25° W")


class World(unittest.TestCase):
    def test_every_town_is_found_by_its_name_and_lies_in_its_zone(self) -> None:
        world = gazetteer()
        some = np.random.default_rng(3).integers(0, len(world._towns), 300)
        agree = 0
        for number in some:
            town = world._town(int(number))
            found = world.search(f"{town.place.name}, {town.country}", most=400)
            self.assertIn(town, found, town.label)
            at = datetime(2026, 7, 1)
            by_shape = zone_at(town.place.latitude, town.place.longitude)
            agree += ZoneInfo(town.place.zone).utcoffset(at) == ZoneInfo(by_shape).utcoffset(at)
        self.assertGreaterEqual(agree, 0.98 * len(some))

    def test_a_list_that_cannot_be_made_is_a_message(self) -> None:
        with (
            TemporaryDirectory() as folder,
            mock.patch.dict(os.environ, {"XDG_CACHE_HOME": folder}),
            mock.patch.object(module.sys, "executable", "/bin/false"),
            self.assertRaises(BrutoError) as caught,
        ):
            module.gazetteer.__wrapped__()
        self.assertIn("Type the coordinates", str(caught.exception))

    def test_it_is_made_by_a_process_of_its_own_and_made_anew_where_it_is_damaged(self) -> None:
        with TemporaryDirectory() as folder, mock.patch.dict(os.environ, {"XDG_CACHE_HOME": folder}):
            kept = module._path()
            kept.parent.mkdir()
            kept.write_text(gazetteer()._names[:1000])
            made = module.gazetteer.__wrapped__()
            self.assertEqual(made._town(0), gazetteer()._town(0))
            self.assertEqual(Gazetteer(kept.read_text("utf-8"))._towns, made._towns)

    def test_without_a_place_to_keep_it_is_made_in_memory(self) -> None:
        with TemporaryDirectory() as folder:
            blocked = Path(folder) / "cache"
            blocked.write_text("")
            made = subprocess.CompletedProcess([], 0, WHOLE.encode())
            with (
                mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(blocked)}),
                mock.patch.object(module.subprocess, "run", return_value=made),
            ):
                self.assertEqual(module.gazetteer.__wrapped__().search("orv")[0].place.name, "Örv")
            self.assertEqual(blocked.read_text(), "")


class Zones(unittest.TestCase):
    def test_summer_time_without_a_zone_that_anybody_typed(self) -> None:
        for latitude, longitude, month, hours in ((48, 16, 7, 2), (48, 16, 1, 1), (-34, 151, 1, 11), (-34, 151, 7, 10)):
            place = Place(latitude, longitude)
            moment = datetime(2026, month, 1, 12, tzinfo=place.clock)
            self.assertEqual(moment.utcoffset(), timedelta(hours=hours), (latitude, longitude, month))
            self.assertIn("from the coordinates", place.clock_name)

    def test_at_sea_and_at_the_poles_there_is_a_zone(self) -> None:
        for latitude, longitude in ((0, 0), (0, -179.95), (0, 179.95), (89.9, 10), (-89.9, 10), (-60, 90)):
            place = Place(latitude, longitude)
            self.assertIsNotNone(datetime(2026, 1, 1, tzinfo=place.clock).utcoffset())
            self.assertLess(night(place, date(2026, 3, 1)).begin, night(place, date(2026, 3, 2)).begin)


if __name__ == "__main__":
    unittest.main()
