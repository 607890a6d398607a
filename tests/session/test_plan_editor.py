"""The plan that is open: changed, taken back, kept in its file beside other windows, reckoned, matched."""

from __future__ import annotations

import io
import json
import os
import time
import unittest
from collections.abc import Callable
from contextlib import redirect_stdout
from dataclasses import asdict, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.cli.main import main
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
        self.document, self.calculation = self.plan_editor.document, self.plan_editor.calculation

    def made(self) -> PlanEditor:
        found = PlanEditor(Shoot(), lambda call: call(), lambda: Path(os.environ["XDG_DATA_HOME"]) / "no-book.sqlite")
        found.message.connect(self.text.append)
        found.calculation.wanted = True
        self.addCleanup(found.finish)
        return found

    def wait(self, ready: Callable[[], bool], seconds: float = 40) -> None:
        end = time.monotonic() + seconds
        while not ready():
            self.assertLess(time.monotonic(), end, "it did not get there")
            time.sleep(0.01)

    def begin(self, plan: Plan | None = None) -> None:
        self.document.begin(plan or example())
        self.wait(lambda: self.calculation.sky is not None and self.plan_editor.idle())


class Changing(PlanningTest):
    def test_a_wish_comes_with_proposals_and_changes_are_taken_back(self) -> None:
        self.begin()
        self.plan_editor.add("stars")
        planned = self.document.planned
        self.assertEqual((planned.kind, self.document.chosen), ("stars", 5))
        self.assertIsNotNone(planned.seconds)
        for iso in (100.0, 200.0, 400.0):  # one drag
            self.document.change_shot(True, iso=iso)
        self.document.settle()
        self.document.change_shot(seconds=1.0)
        self.document.undo()
        self.assertEqual((self.document.planned.iso, self.document.planned.seconds), (400.0, planned.seconds))
        self.document.undo()
        self.assertEqual(self.document.planned.iso, planned.iso)
        self.document.redo()
        self.assertEqual(self.document.planned.iso, 400.0)
        self.plan_editor.take("iso")
        self.assertEqual(self.document.planned.iso, self.calculation.recommendations()["iso"].value)
        self.plan_editor.turn_into("dusk")
        self.assertEqual(
            (
                self.document.planned.title,
                self.document.planned.kind,
                self.document.planned.altitude,
            ),
            ("Dusk, handheld", "dusk", None),
        )
        self.document.remove()
        self.assertEqual(len(self.document.plan.planned_shots), 5)
        self.wait(self.plan_editor.idle)
        self.assertEqual(load_plan(self.document.file.path), self.document.plan)

    def test_what_cannot_be_is_refused_with_a_reason(self) -> None:
        self.begin()
        before = self.document.plan
        for fields, word in (({"latitude": 91.0}, "latitude"), ({"zone": "No/Where"}, "zone"),
                             ({"date": "soon"}, "date"),
                             ({"target": "x" * 99}, "plan")):  # fmt: skip
            self.assertFalse(self.document.change(**fields))
            self.assertIn(word, self.text[-1].lower())
        self.assertEqual(self.document.plan, before)
        self.document.change(target="12")
        self.wait(lambda: "right ascension" in self.calculation.problem)

    def test_the_picture_follows(self) -> None:
        self.begin()
        seen = []
        self.calculation.previewed.connect(lambda: seen.append(self.calculation.picture_of))
        self.document.choose(3)
        self.wait(lambda: self.calculation.picture_of is self.document.planned, 120)
        first = self.calculation.picture
        self.document.change_shot(iso=6400.0, seconds=1.0)
        self.wait(lambda: self.calculation.picture_of is self.document.planned)
        self.assertGreater(self.calculation.picture.gain_ev, first.gain_ev + 1)
        self.assertGreaterEqual(len(seen), 2)


class Keeping(PlanningTest):
    def test_two_windows_lose_nothing(self) -> None:
        self.begin()
        other = self.made()
        other.document.open(self.document.file.path)
        other.document.change(note="of the other window")
        self.wait(other.idle)
        self.document.change(note="of this one")
        self.wait(self.plan_editor.idle)
        notes = {json.loads(p.read_text())["note"] for p in plans_folder(False).glob("*.json")}
        self.assertEqual(notes, {"of the other window", "of this one"})
        self.assertEqual(load_plan(self.document.file.path).note, "of this one")

    def test_a_damaged_plan_is_told_and_stays(self) -> None:
        folder = plans_folder(False)
        folder.mkdir(parents=True)
        for name, data in (("a", b"{"), ("b", b'{"name": "x", "date": "2026-13-41"}'), ("c", b"\xff" * 4000)):
            path = folder / f"{name}.json"
            path.write_bytes(data)
            self.document.open(path)
            self.assertIsNone(self.document.plan)
            self.assertEqual(path.read_bytes(), data)
        self.assertEqual(len(self.text), 3)

    def test_a_plan_is_deleted_and_the_next_is_shown(self) -> None:
        self.begin()
        first = self.document.file.path
        self.plan_editor.new()
        self.assertEqual((self.document.plan.place, self.document.plan.planned_shots), ("Orrin Saltern", ()))
        second = self.document.file.path
        self.assertNotEqual(first, second)
        self.plan_editor.delete()
        self.assertFalse(second.exists())
        self.assertEqual(self.document.file.path, first)

    def test_a_full_disk_is_told_once_and_nothing_is_lost(self) -> None:
        self.begin()
        path, before = self.document.file.path, self.document.file.path.read_bytes()
        with mock.patch("bruto.session.plan_file.write_own", side_effect=OSError(28, "No space left on device")):
            for k in range(3):
                self.document.change(note=f"note {k}")
                self.wait(self.plan_editor.idle)
        self.assertEqual(path.read_bytes(), before)
        self.assertTrue(self.document.unsaved)
        self.document.flush()
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
            self.plan_editor.print_list(self.document.file.path, True, True, lambda *_: None)
        self.assertEqual(self.document.file.path.read_bytes(), as_bytes(self.document.plan))


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
        self.wait(lambda: self.document.plan.darkness == 20.4)

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


class OneForecast(PlanningTest):
    def test_the_command_line_prints_the_windows_numbers(self) -> None:
        self.begin()
        self.wait(self.plan_editor.idle)
        plan = self.document.plan
        assert plan is not None
        path = self.document.file.path
        out = io.StringIO()
        with redirect_stdout(out):
            self.assertEqual(main(["plan", "list", str(path), "--json"]), 0)
        printed = json.loads(out.getvalue())["forecasts"]
        self.assertEqual(len(printed), len(plan.planned_shots))
        for k, planned in enumerate(plan.planned_shots):
            with self.subTest(planned.title):
                self.document.choose(k)
                forecast = self.calculation.forecast()
                assert forecast is not None
                self.assertEqual(printed[k]["forecast"], json.loads(json.dumps(asdict(forecast))))
                reasons = {name: r.reason for name, r in self.calculation.recommendations().items()}
                self.assertEqual({n: r["reason"] for n, r in printed[k]["recommendations"].items()}, reasons)
                ways = [a.name for a in self.calculation.alternatives()]
                self.assertEqual([a["name"] for a in printed[k]["alternatives"]], ways)
