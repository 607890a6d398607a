"""The plan that is open: changed, taken back, kept in its file beside other windows, reckoned, matched."""

from __future__ import annotations

import json
import os
import time
import unittest
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.errors import BrutoError
from bruto.logbook.records import record_of
from bruto.logbook.store import Logbook
from bruto.plan.examples import example
from bruto.plan.wishes import Plan, as_bytes, load_plan
from bruto.session.means import means_of
from bruto.session.plan_file import plans_folder
from bruto.session.planning import Planning
from bruto.session.shoot import Shoot
from bruto.simphone.history import LIMIT_S_MM, history
from bruto.simphone.sensor_model import sensor_for
from tests.shots import MIDDLE, raws_of


class PlanningTest(unittest.TestCase):
    def setUp(self) -> None:
        home = self.enterContext(TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": home}))
        self.said: list[str] = []
        self.planning = self.made()

    def made(self) -> Planning:
        found = Planning(Shoot(), lambda call: call(), lambda: Path(os.environ["XDG_DATA_HOME"]) / "no-book.sqlite")
        found.message.connect(self.said.append)
        found.wanted = True
        self.addCleanup(found.finish)
        return found

    def wait(self, ready: Callable[[], bool], seconds: float = 40) -> None:
        end = time.monotonic() + seconds
        while not ready():
            self.assertLess(time.monotonic(), end, "it did not get there")
            time.sleep(0.01)

    def begin(self, plan: Plan | None = None) -> None:
        self.planning.begin(plan or example())
        self.wait(lambda: self.planning.sky is not None and self.planning.idle())


class Changing(PlanningTest):
    def test_a_wish_comes_with_proposals_and_changes_are_taken_back(self) -> None:
        self.begin()
        planning = self.planning
        planning.add("stars")
        wish = planning.wish
        self.assertEqual((wish.kind, planning.chosen), ("stars", 5))
        self.assertIsNotNone(wish.seconds)
        for iso in (100.0, 200.0, 400.0):  # one drag
            planning.change_wish(True, iso=iso)
        planning.settle()
        planning.change_wish(seconds=1.0)
        planning.undo()
        self.assertEqual((planning.wish.iso, planning.wish.seconds), (400.0, wish.seconds))
        planning.undo()
        self.assertEqual(planning.wish.iso, wish.iso)
        planning.redo()
        self.assertEqual(planning.wish.iso, 400.0)
        planning.take("iso")
        self.assertEqual(planning.wish.iso, planning.proposals()["iso"].value)
        planning.turn_into("dusk")
        self.assertEqual(
            (planning.wish.title, planning.wish.kind, planning.wish.altitude), ("Dusk, in the hand", "dusk", None)
        )
        planning.remove()
        self.assertEqual(len(planning.plan.wishes), 5)
        self.wait(planning.idle)
        self.assertEqual(load_plan(planning.path), planning.plan)

    def test_what_cannot_be_is_refused_with_a_reason(self) -> None:
        self.begin()
        before = self.planning.plan
        for fields, word in (({"latitude": 91.0}, "latitude"), ({"zone": "No/Where"}, "zone"),
                             ({"date": "soon"}, "date"),
                             ({"target": "x" * 99}, "plan")):  # fmt: skip
            self.assertFalse(self.planning.change(**fields))
            self.assertIn(word, self.said[-1].lower())
        self.assertEqual(self.planning.plan, before)
        self.planning.change(target="12")
        self.wait(lambda: "right ascension" in self.planning.problem)

    def test_the_picture_follows(self) -> None:
        self.begin()
        planning = self.planning
        seen = []
        planning.foreseen.connect(lambda: seen.append(planning.picture_of))
        planning.choose(3)
        self.wait(lambda: planning.picture_of is planning.wish, 120)
        first = planning.picture
        planning.change_wish(iso=6400.0, seconds=1.0)
        self.wait(lambda: planning.picture_of is planning.wish)
        self.assertGreater(planning.picture.gain_ev, first.gain_ev + 1)
        self.assertGreaterEqual(len(seen), 2)


class Keeping(PlanningTest):
    def test_two_windows_lose_nothing(self) -> None:
        self.begin()
        other = self.made()
        other.open(self.planning.path)
        other.change(note="of the other window")
        self.wait(other.idle)
        self.planning.change(note="of this one")
        self.wait(self.planning.idle)
        notes = {json.loads(p.read_text())["note"] for p in plans_folder(False).glob("*.json")}
        self.assertEqual(notes, {"of the other window", "of this one"})
        self.assertEqual(load_plan(self.planning.path).note, "of this one")

    def test_a_damaged_plan_is_told_and_stays(self) -> None:
        folder = plans_folder(False)
        folder.mkdir(parents=True)
        for name, data in (("a", b"{"), ("b", b'{"name": "x", "date": "2026-13-41"}'), ("c", b"\xff" * 4000)):
            path = folder / f"{name}.json"
            path.write_bytes(data)
            self.planning.open(path)
            self.assertIsNone(self.planning.plan)
            self.assertEqual(path.read_bytes(), data)
        self.assertEqual(len(self.said), 3)

    def test_a_plan_is_deleted_and_the_next_is_shown(self) -> None:
        self.begin()
        first = self.planning.path
        self.planning.new()
        self.assertEqual((self.planning.plan.place, self.planning.plan.wishes), ("Orrin Saltern", ()))
        second = self.planning.path
        self.assertNotEqual(first, second)
        self.planning.delete()
        self.assertFalse(second.exists())
        self.assertEqual(self.planning.path, first)

    def test_a_full_disk_is_told_once_and_nothing_is_lost(self) -> None:
        self.begin()
        path, before = self.planning.path, self.planning.path.read_bytes()
        with mock.patch("bruto.session.plan_file.write_own", side_effect=OSError(28, "No space left on device")):
            for k in range(3):
                self.planning.change(note=f"note {k}")
                self.wait(self.planning.idle)
        self.assertEqual(path.read_bytes(), before)
        self.assertTrue(self.planning.unsaved)
        self.planning.flush()
        self.assertEqual(load_plan(path).note, "note 2")

    def test_the_list_is_written_and_no_original_is_replaced(self) -> None:
        self.begin()
        out = plans_folder(False).parent / "list.html"
        self.planning.print_list(out, True, False, lambda *_: None)
        page = out.read_text()
        self.assertIn("Sky turning over the works", page)
        self.assertIn("240 frames", page)  # what it costs
        self.assertIn("Look 22° high, towards 0° N", page)
        with self.assertRaises(BrutoError):
            self.planning.print_list(self.planning.path, True, True, lambda *_: None)
        self.assertEqual(self.planning.path.read_bytes(), as_bytes(self.planning.plan))


class Phones(PlanningTest):
    def test_what_is_known_of_a_phone_is_told(self) -> None:
        nothing = Path(os.environ["XDG_DATA_HOME"]) / "none.sqlite"
        means = means_of("Vessar", "Vessar Tide 4", nothing)
        self.assertEqual([q.focal_35mm for q in means.lenses], [15.0, 26.0, 68.0])
        self.assertIn("usual of phones", means.from_where("hand"))
        self.assertIn("learnt at", means.from_where("noise"))
        self.assertEqual(means_of("", "", nothing).phone, "")

    def test_the_logbook_goes_before_what_is_usual(self) -> None:
        book = Path(os.environ["XDG_DATA_HOME"]) / "book.sqlite"
        with Logbook(book) as opened:
            opened.put(record_of(r) for r in history())
        means = means_of("Vessar", "Vessar Tide 4", book)
        self.assertIn("learnt from", means.from_where("hand"))
        self.assertAlmostEqual(means.limit_35mm / LIMIT_S_MM, 1, delta=0.45)  # of 32 shots
        a, b = sensor_for(12).noise(400.0)
        x = 0.0225
        for got, true in zip(means.noise.at(400.0), (a, b), strict=True):
            self.assertAlmostEqual(got / true, 1, delta=0.4)
        told, true = means.noise.at(400.0), a * x + b
        self.assertAlmostEqual((told[0] * x + told[1]) / true, 1, delta=0.15)
        self.assertAlmostEqual(means.mb_each, 24.6, delta=1.0)

    def test_the_sky_of_a_place_is_remembered(self) -> None:
        book = Path(os.environ["XDG_DATA_HOME"]) / "no-book.sqlite"
        with Logbook(book) as opened:
            opened.put([record_of({"key": "k", "place": "Orrin Saltern", "darkness": 20.4})])
        self.begin(replace(example(), darkness=None))
        self.wait(lambda: self.planning.plan.darkness == 20.4)

    def test_room_is_foretold(self) -> None:
        """Learnt from shots of one kind, the room of others is told within 10 %."""
        shots = [Path(f) for iso in (100.0, 400.0, 1600.0) for f in raws_of("sluice", size=MIDDLE, count=2, iso=iso)]
        others = [Path(f) for iso in (200.0, 800.0) for f in raws_of("sluice", size=MIDDLE, count=3, iso=iso, seed=9)]
        records = [record_of({
            "key": f"k{k}", "kind": "mosaic", "width": 4000, "height": 3000, "bytes": p.stat().st_size, "model": "M"
        }) for k, p in enumerate(shots)]  # fmt: skip
        book = Path(os.environ["XDG_DATA_HOME"]) / "book.sqlite"
        with Logbook(book) as opened:
            opened.put(records)
        told = means_of("", "M", book).mb_each * len(others)
        self.assertAlmostEqual(told / (sum(p.stat().st_size for p in others) / 1e6), 1, delta=0.1)


if __name__ == "__main__":
    unittest.main()
