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
from bruto.plan.planned_shots import Plan, as_bytes, load_plan
from bruto.session.equipment import equipment_of
from bruto.session.plan_editor import PlanEditor
from bruto.session.plan_file import plans_folder
from bruto.session.shoot import Shoot
from bruto.simphone.logbook_history import LIMIT_S_MM, history
from bruto.simphone.sensor_model import sensor_for
from tests.shots import MIDDLE, raws_of


class PlanningTest(unittest.TestCase):
    def setUp(self) -> None:
        home = self.enterContext(TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": home}))
        self.text: list[str] = []
        self.plan_editor = self.made()

    def made(self) -> PlanEditor:
        found = PlanEditor(Shoot(), lambda call: call(), lambda: Path(os.environ["XDG_DATA_HOME"]) / "no-book.sqlite")
        found.message.connect(self.text.append)
        found.wanted = True
        self.addCleanup(found.finish)
        return found

    def wait(self, ready: Callable[[], bool], seconds: float = 40) -> None:
        end = time.monotonic() + seconds
        while not ready():
            self.assertLess(time.monotonic(), end, "it did not get there")
            time.sleep(0.01)

    def begin(self, plan: Plan | None = None) -> None:
        self.plan_editor.begin(plan or example())
        self.wait(lambda: self.plan_editor.sky is not None and self.plan_editor.idle())


class Changing(PlanningTest):
    def test_a_wish_comes_with_proposals_and_changes_are_taken_back(self) -> None:
        self.begin()
        plan_editor = self.plan_editor
        plan_editor.add("stars")
        planned = plan_editor.planned
        self.assertEqual((planned.kind, plan_editor.chosen), ("stars", 5))
        self.assertIsNotNone(planned.seconds)
        for iso in (100.0, 200.0, 400.0):  # one drag
            plan_editor.change_shot(True, iso=iso)
        plan_editor.settle()
        plan_editor.change_shot(seconds=1.0)
        plan_editor.undo()
        self.assertEqual((plan_editor.planned.iso, plan_editor.planned.seconds), (400.0, planned.seconds))
        plan_editor.undo()
        self.assertEqual(plan_editor.planned.iso, planned.iso)
        plan_editor.redo()
        self.assertEqual(plan_editor.planned.iso, 400.0)
        plan_editor.take("iso")
        self.assertEqual(plan_editor.planned.iso, plan_editor.recommendations()["iso"].value)
        plan_editor.turn_into("dusk")
        self.assertEqual(
            (plan_editor.planned.title, plan_editor.planned.kind, plan_editor.planned.altitude),
            ("Dusk, handheld", "dusk", None),
        )
        plan_editor.remove()
        self.assertEqual(len(plan_editor.plan.planned_shots), 5)
        self.wait(plan_editor.idle)
        self.assertEqual(load_plan(plan_editor.path), plan_editor.plan)

    def test_what_cannot_be_is_refused_with_a_reason(self) -> None:
        self.begin()
        before = self.plan_editor.plan
        for fields, word in (({"latitude": 91.0}, "latitude"), ({"zone": "No/Where"}, "zone"),
                             ({"date": "soon"}, "date"),
                             ({"target": "x" * 99}, "plan")):  # fmt: skip
            self.assertFalse(self.plan_editor.change(**fields))
            self.assertIn(word, self.text[-1].lower())
        self.assertEqual(self.plan_editor.plan, before)
        self.plan_editor.change(target="12")
        self.wait(lambda: "right ascension" in self.plan_editor.problem)

    def test_the_picture_follows(self) -> None:
        self.begin()
        plan_editor = self.plan_editor
        seen = []
        plan_editor.previewed.connect(lambda: seen.append(plan_editor.picture_of))
        plan_editor.choose(3)
        self.wait(lambda: plan_editor.picture_of is plan_editor.planned, 120)
        first = plan_editor.picture
        plan_editor.change_shot(iso=6400.0, seconds=1.0)
        self.wait(lambda: plan_editor.picture_of is plan_editor.planned)
        self.assertGreater(plan_editor.picture.gain_ev, first.gain_ev + 1)
        self.assertGreaterEqual(len(seen), 2)


class Keeping(PlanningTest):
    def test_two_windows_lose_nothing(self) -> None:
        self.begin()
        other = self.made()
        other.open(self.plan_editor.path)
        other.change(note="of the other window")
        self.wait(other.idle)
        self.plan_editor.change(note="of this one")
        self.wait(self.plan_editor.idle)
        notes = {json.loads(p.read_text())["note"] for p in plans_folder(False).glob("*.json")}
        self.assertEqual(notes, {"of the other window", "of this one"})
        self.assertEqual(load_plan(self.plan_editor.path).note, "of this one")

    def test_a_damaged_plan_is_told_and_stays(self) -> None:
        folder = plans_folder(False)
        folder.mkdir(parents=True)
        for name, data in (("a", b"{"), ("b", b'{"name": "x", "date": "2026-13-41"}'), ("c", b"\xff" * 4000)):
            path = folder / f"{name}.json"
            path.write_bytes(data)
            self.plan_editor.open(path)
            self.assertIsNone(self.plan_editor.plan)
            self.assertEqual(path.read_bytes(), data)
        self.assertEqual(len(self.text), 3)

    def test_a_plan_is_deleted_and_the_next_is_shown(self) -> None:
        self.begin()
        first = self.plan_editor.path
        self.plan_editor.new()
        self.assertEqual((self.plan_editor.plan.place, self.plan_editor.plan.planned_shots), ("Orrin Saltern", ()))
        second = self.plan_editor.path
        self.assertNotEqual(first, second)
        self.plan_editor.delete()
        self.assertFalse(second.exists())
        self.assertEqual(self.plan_editor.path, first)

    def test_a_full_disk_is_told_once_and_nothing_is_lost(self) -> None:
        self.begin()
        path, before = self.plan_editor.path, self.plan_editor.path.read_bytes()
        with mock.patch("bruto.session.plan_file.write_own", side_effect=OSError(28, "No space left on device")):
            for k in range(3):
                self.plan_editor.change(note=f"note {k}")
                self.wait(self.plan_editor.idle)
        self.assertEqual(path.read_bytes(), before)
        self.assertTrue(self.plan_editor.unsaved)
        self.plan_editor.flush()
        self.assertEqual(load_plan(path).note, "note 2")

    def test_the_list_is_written_and_no_original_is_replaced(self) -> None:
        self.begin()
        out = plans_folder(False).parent / "list.html"
        self.plan_editor.print_list(out, True, False, lambda *_: None)
        page = out.read_text()
        self.assertIn("Sky turning over the works", page)
        self.assertIn("240 frames", page)  # what it costs
        self.assertIn("Aim at altitude 22°, towards 0° N", page)
        with self.assertRaises(BrutoError):
            self.plan_editor.print_list(self.plan_editor.path, True, True, lambda *_: None)
        self.assertEqual(self.plan_editor.path.read_bytes(), as_bytes(self.plan_editor.plan))


class Phones(PlanningTest):
    def test_what_is_known_of_a_phone_is_told(self) -> None:
        nothing = Path(os.environ["XDG_DATA_HOME"]) / "none.sqlite"
        means = equipment_of("Vessar", "Vessar Tide 4", nothing)
        self.assertEqual([q.focal_35mm for q in means.lenses], [15.0, 26.0, 68.0])
        self.assertIn("typical phone", means.from_where("hand"))
        self.assertIn("learnt at", means.from_where("noise"))
        self.assertEqual(equipment_of("", "", nothing).phone, "")

    def test_the_logbook_goes_before_what_is_usual(self) -> None:
        book = Path(os.environ["XDG_DATA_HOME"]) / "book.sqlite"
        with Logbook(book) as opened:
            opened.put(record_of(r) for r in history())
        means = equipment_of("Vessar", "Vessar Tide 4", book)
        self.assertIn("learnt from", means.from_where("hand"))
        self.assertAlmostEqual(means.limit_35mm / LIMIT_S_MM, 1, delta=0.45)  # of 32 shots
        a, b = sensor_for(12).noise(400.0)
        x = 0.0225
        for got, true in zip(means.noise.at(400.0), (a, b), strict=True):
            self.assertAlmostEqual(got / true, 1, delta=0.4)
        notice, true = means.noise.at(400.0), a * x + b
        self.assertAlmostEqual((notice[0] * x + notice[1]) / true, 1, delta=0.15)
        self.assertAlmostEqual(means.mb_each, 24.6, delta=1.0)

    def test_the_sky_of_a_place_is_remembered(self) -> None:
        book = Path(os.environ["XDG_DATA_HOME"]) / "no-book.sqlite"
        with Logbook(book) as opened:
            opened.put([record_of({"key": "k", "place": "Orrin Saltern", "darkness": 20.4})])
        self.begin(replace(example(), darkness=None))
        self.wait(lambda: self.plan_editor.plan.darkness == 20.4)

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
        notice = equipment_of("", "M", book).mb_each * len(others)
        self.assertAlmostEqual(notice / (sum(p.stat().st_size for p in others) / 1e6), 1, delta=0.1)


if __name__ == "__main__":
    unittest.main()
