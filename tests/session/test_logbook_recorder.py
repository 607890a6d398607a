"""Measured shots are in the logbook by themselves; those of the simulated phone in one of their own."""

from __future__ import annotations

import os
import time
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.container.dng_reader import read_dng
from bruto.logbook.database import usual_logbook
from bruto.logbook.store import Logbook
from bruto.sensor.measurement import measure
from bruto.session.logbook_recorder import LogbookRecorder, demo_logbook
from bruto.session.shoot import Shoot
from tests.shots import MIDDLE, SMALL, copy_of, raws_of


class RememberingTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder / "data")}))
        (self.folder / "shoot").mkdir()
        self.files = copy_of(raws_of("sluice", size=SMALL, count=3, iso=400.0, seed=5), self.folder / "shoot")
        self.shoot = Shoot()
        self.shoot.open([self.folder / "shoot"], "the sluice")
        self.problems: list[str] = []
        self.remembering = LogbookRecorder(self.shoot, lambda call: call())
        self.remembering.problem.connect(self.problems.append)

    def measured(self) -> None:
        for shot in self.shoot.shots:
            self.shoot.set_report(shot, measure(read_dng(shot.main)))

    def wait_for_writing(self) -> None:
        end = time.monotonic() + 60
        while self.remembering._waiting or not self.remembering._worker.idle():
            self.assertLess(time.monotonic(), end)
            time.sleep(0.05)

    def test_each_measured_shot_has_a_record(self) -> None:
        self.measured()
        first = self.shoot.shots[0]
        self.shoot.set_verdict(first, "keep")
        self.remembering.finish()
        self.assertEqual(self.problems, [])
        self.assertFalse(usual_logbook().exists())
        with Logbook(demo_logbook()) as book:
            found = list(book.every(shoot="the sluice"))
            self.assertEqual(len(found), 3)
            self.assertEqual(book.count(), 43)  # with what the invented phone took before
            one = next(r for r in found if r.name == first.name)
            self.assertEqual((one.shoot, one.verdict, one.iso, one.kind), ("the sluice", "keep", 400.0, "mosaic"))
            self.assertGreater(one.noise_a, 0)
            self.assertEqual(one.bytes, sum(f.stat().st_size for f in first.files))
            self.assertRegex(one.taken, r"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d$")

    def test_how_a_burst_was_held_is_told_by_its_frames(self) -> None:
        for name, static, held, seed in (("by hand", False, "hand", 6), ("stood", True, "tripod", 7)):
            folder = self.folder / name
            folder.mkdir()
            copy_of(raws_of("pans", size=MIDDLE, count=3, iso=200.0, seed=seed, static=static), folder)
            self.shoot.open([folder], name)
            self.assertEqual(self.shoot.sets[0].kind, "burst")
            self.measured()
            end = time.monotonic() + 60
            with Logbook(demo_logbook()) as book:
                while book.count(shoot=name) < 3:
                    self.assertLess(time.monotonic(), end)
                    time.sleep(0.05)
                self.assertEqual({r.support for r in book.page(shoot=name)}, {held})
                book.set_shoot(name, support="hand")  # the user's word stays, whatever is measured again
            self.measured()
            self.wait_for_writing()
            with Logbook(demo_logbook()) as book:
                self.assertEqual({r.support for r in book.page(shoot=name)}, {"hand"})
        self.remembering.finish()

    def test_a_file_that_moves_keeps_its_record(self) -> None:
        self.measured()
        self.remembering.finish()
        other = self.folder / "other"
        (self.folder / "shoot").rename(other)
        self.shoot.open([other], "elsewhere")
        again = LogbookRecorder(self.shoot, lambda call: call())
        self.measured()
        again.finish()
        with Logbook(demo_logbook()) as book:
            self.assertEqual(book.count(shoot="elsewhere"), 3)
            self.assertEqual(book.count(shoot="the sluice"), 0)

    def test_a_real_phone_has_the_users_logbook(self) -> None:
        shot = self.shoot.shots[0]
        other = replace(shot, seen=replace(shot.seen, make="Other", model="Other One"))
        self.shoot.shots[0] = other
        self.shoot.reports[str(other.main)] = measure(read_dng(other.main))
        self.remembering.note(other)
        self.remembering.finish()
        with Logbook() as book:
            self.assertEqual([r.model for r in book.every()], ["Other One"])
        self.assertFalse(demo_logbook().exists())

    def test_a_damaged_logbook_is_told_once_and_nothing_else_is_touched(self) -> None:
        demo_logbook().parent.mkdir(parents=True)
        demo_logbook().write_bytes(b"this is no database, whatever it is called" * 100)
        self.measured()
        time.sleep(1.2)
        self.measured()
        self.remembering.finish()
        self.assertEqual(len(self.problems), 1)
        self.assertIn("damaged", self.problems[0])
        self.assertEqual(len(list(demo_logbook().parent.glob("*.damaged-*"))), 1)


if __name__ == "__main__":
    unittest.main()
