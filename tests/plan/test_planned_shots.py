"""A plan through its file, on paper, and laid on the shots that were taken."""

from __future__ import annotations

import json
import unittest
from dataclasses import asdict, replace
from datetime import datetime, timedelta
from html.parser import HTMLParser
from pathlib import Path
from tempfile import TemporaryDirectory

from bruto.errors import BrutoError
from bruto.plan.examples import example
from bruto.plan.plan_vs_actual import TakenShot, matched, summary
from bruto.plan.planned_shots import Plan, PlannedShot, as_bytes, load_plan, plan_from
from bruto.plan.shot_kinds import KINDS
from bruto.plan.shot_list import shot_list


class _Text(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.words: list[str] = []
        self.tags: list[str] = []

    def handle_starttag(self, tag: str, attrs: object) -> None:
        self.tags.append(tag)

    def handle_data(self, data: str) -> None:
        self.words.append(data)


class File(unittest.TestCase):
    def test_through_a_file(self) -> None:
        with TemporaryDirectory() as name:
            path = Path(name) / "plan.json"
            path.write_bytes(as_bytes(example()))
            self.assertEqual(load_plan(path), example())

    def test_what_is_no_plan(self) -> None:
        good = asdict(example())
        for bad in (
            {}, {**good, "date": "soon"}, {**good, "latitude": 91}, {**good, "zone": "No/Where"},
            {**good, "planned_shots": [{"title": "x", "frames": 0}]},
            {**good, "planned_shots": [{"title": "x", "seconds": -1}]},
            {**good, "planned_shots": [{"title": "x" * 1000}]}, {**good, "planned_shots": [{"title": "x"}] * 300},
        ):  # fmt: skip
            with self.assertRaises(BrutoError):
                plan_from(json.loads(json.dumps(bad)))


class Paper(unittest.TestCase):
    def test_all_of_it_stands_there_and_words_stay_words(self) -> None:
        plan = replace(example(), note="<script>no</script> & so on")
        for night in (False, True):
            page = shot_list(plan, ("dark from 22:10 to 04:40",), night)
            seen = _Text()
            seen.feed(page)
            text = " ".join(seen.words)
            for planned in plan.planned_shots:
                self.assertIn(planned.title, text)
                for caution in planned.cautions:
                    self.assertIn(caution, text)
            self.assertEqual(text.count("☐"), len(plan.planned_shots))
            self.assertIn("23:50", text)
            self.assertIn("dark from", text)
            self.assertNotIn("script", seen.tags)
            self.assertEqual("#000000" in page, night)

    def test_cautions_stand_where_they_apply_and_can_be_dismissed(self) -> None:
        self.assertEqual(PlannedShot("a", "close").cautions, [])
        self.assertEqual(len(PlannedShot("a", "stars").cautions), 2)
        self.assertEqual(len(PlannedShot("a", "stars", dismissed=("battery",)).cautions), 1)
        self.assertTrue(any("sun" in c for c in PlannedShot("a", "infrared").cautions))
        self.assertEqual({w.kind for w in example().planned_shots} - set(KINDS), set())


class PlanMatch(unittest.TestCase):
    def test_done_differently_and_missing(self) -> None:
        trail = PlannedShot("t", "trail", "", 1600, 13, 26, 480, 14.2)
        dusk = PlannedShot("d", "dusk", "", 100, 1 / 60, 15)
        shots = [TakenShot(f"t{k}", 1600, 13, 26) for k in range(470)]
        found = matched(Plan("p", "2026-08-12", planned_shots=(trail, dusk)), shots)
        self.assertEqual([b.state for b in found], ["done", "missing"])
        self.assertEqual(len(found[0].shots), 470)
        few = matched(Plan("p", "2026-08-12", planned_shots=(trail,)), shots[:100])
        self.assertEqual((few[0].state, few[0].note), ("differently", "480 frames planned, 100 taken"))
        stars = Plan("p", "2026-08-12", planned_shots=(PlannedShot("s", "stars", iso=1600, seconds=30, focal_35mm=26),))
        other = matched(stars, [TakenShot("a", 3200, 15, 26)])[0]
        self.assertEqual(other.note, "30 s planned, 15 s taken; ISO 1600 planned, ISO 3200 taken")
        for shot in (TakenShot("wide", 1600, 30, 15), TakenShot("day", 50, 1 / 1000, 26)):
            self.assertEqual(matched(stars, [shot])[0].state, "missing")

    def test_a_pace_that_the_phone_cannot_keep_is_told_from_three_frames(self) -> None:
        planned = PlannedShot("t", "trail", "2026-08-12T23:30", 1600, 15, 26, 240, 16)

        def shots(step: float, count: int = 3) -> list[TakenShot]:
            begin = datetime(2026, 8, 12, 23, 30)
            return [
                TakenShot(f"t{k}", 1600, 15, 26, (begin + timedelta(seconds=round(step * k))).isoformat())
                for k in range(count)
            ]

        plan = Plan("p", "2026-08-12", planned_shots=(planned,))
        self.assertEqual(matched(plan, shots(16))[0].pace, "")
        self.assertIn("only one of 2 frames", matched(plan, shots(32))[0].pace)
        self.assertIn("Set 18", matched(plan, shots(18, 12))[0].pace)
        self.assertEqual(matched(plan, shots(32, 2))[0].pace, "")
        self.assertEqual(matched(plan, [TakenShot("x", 1600, 15, 26)] * 5)[0].pace, "")

    def test_of_two_wishes_with_one_setting_each_gets_what_was_taken_at_its_time(self) -> None:
        one = PlannedShot("one", "stars", "2026-08-12T23:10", 1600, 15, 26)
        many = PlannedShot("many", "trail", "2026-08-12T23:30", 1600, 15, 26, 240, 16)
        free = PlannedShot("noon", at="2026-08-12T12:00")
        shots = [TakenShot("a", 1600, 15, 26, "2026-08-12T23:12:00")]
        shots += [
            TakenShot(f"b{k}", 1600, 15, 26, f"2026-08-12T23:{35 + k // 4}:{15 * (k % 4):02d}") for k in range(80)
        ]
        shots += [
            TakenShot("c", 50, 1 / 2000, 15, "2026-08-12T12:40:00"),
            TakenShot("d", 50, 1 / 2000, 15, "2026-08-12T16:40:00"),
        ]
        found = matched(Plan("p", "2026-08-12", planned_shots=(many, one, free)), shots)
        self.assertEqual([len(b.shots) for b in found], [80, 1, 1])
        self.assertEqual(found[2].shots[0].name, "c")

    def test_each_shot_belongs_to_the_nearest_wish(self) -> None:
        planned_shots = tuple(
            PlannedShot(f"{s:g}", seconds=s, iso=100, focal_35mm=26) for s in (1 / 100, 1 / 25, 1 / 6)
        )
        shots = [TakenShot(f"{s:g}", 100, s, 26.2) for s in (1 / 98, 1 / 25, 1 / 24, 1 / 6.2)]
        found = matched(Plan("p", "2026-01-01", planned_shots=planned_shots), shots)
        self.assertEqual([len(b.shots) for b in found], [1, 2, 1])
        notice = summary(found)
        self.assertEqual((notice.done, notice.differently, notice.missing), (3, 0, 0))

    def test_what_a_file_does_not_tell_does_not_part(self) -> None:
        self.assertEqual(
            matched(
                Plan("p", "2026-01-01", planned_shots=(PlannedShot("a", iso=100, seconds=1),)),
                [TakenShot("x", None, 1.0, None)],
            )[0].state,
            "done",
        )
        self.assertEqual(matched(Plan("p", "2026-01-01"), [TakenShot("x", 100, 1, 26)]), [])


if __name__ == "__main__":
    unittest.main()
