"""Pairs and sets on a generated day of 300 shots, and each rule on its own."""

from __future__ import annotations

import os
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.shoot.folder import ShootRecord, load_record, open_shoot, pair_by_hand, pictures_for, save_record
from bruto.shoot.sets import find_sets
from tests.shoot.generated import Day, Truth, make_day


def name_of(path: Path | None) -> str | None:
    return path.name if path else None


class ADay(unittest.TestCase):
    folder: Path
    truth: Truth

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(cls.enterClassContext(TemporaryDirectory()))
        cls.enterClassContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(cls.folder / ".home")}))
        cls.truth = make_day(cls.folder)
        cls.shots = open_shoot([cls.folder])

    def test_every_pair_is_right(self) -> None:
        self.assertEqual(self.truth.shots, 300)
        found = {s.raw.name: name_of(s.picture) for s in self.shots if s.raw}
        self.assertEqual(found, self.truth.pairs)
        self.assertEqual({name_of(s.picture) for s in self.shots if s.raw is None}, self.truth.alone)
        self.assertEqual(len(self.shots), 300)

    def test_each_way_of_pairing_was_needed(self) -> None:
        alternatives = {s.paired_by for s in self.shots}
        self.assertEqual(alternatives, {"", "stem", "numbers", "time", "likeness"})

    def test_doubles_and_edits_are_told(self) -> None:
        self.assertEqual({d.name for s in self.shots for d in s.doubles}, self.truth.doubles)
        self.assertEqual({name_of(s.picture) for s in self.shots if s.edited}, self.truth.edited)

    def test_every_set_is_right(self) -> None:
        sets = find_sets(self.shots)
        found = [(s.kind, tuple(x.raw.name for x in s.shots if x.raw)) for s in sets]
        found = [(kind, names) for kind, names in found if names]
        self.assertEqual([s for s in found if s[0] != "single"], [s for s in self.truth.sets if s[0] != "single"])
        self.assertEqual(sorted(found), sorted(s for s in self.truth.sets if s[1]))
        self.assertEqual({x.name + ".dng" for s in sets for x in s.tests}, self.truth.tests)
        self.assertEqual(sum(len(s.shots) + len(s.tests) for s in sets), 300)


class Rules(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder / ".home")}))
        self.day = Day(self.folder)

    def found(self) -> dict[str, tuple[str | None, str]]:
        return {s.main.name: (name_of(s.picture), s.paired_by) for s in open_shoot([self.folder]) if s.raw}

    def test_a_stem_is_not_enough(self) -> None:
        """A picture of another day that happens to have the raw's stem is not its picture."""
        self.day.shot(self.day.scene(), picture=False, raw_name="x.dng")
        self.day.wait(86400)
        self.day.shot(self.day.scene(), raw=False, picture_name="x.jpg")
        self.assertEqual(self.found(), {"x.dng": (None, "")})

    def test_following_numbers_are_not_enough(self) -> None:
        self.day.shot(self.day.scene(), picture=False, raw_name="A_0007.dng")
        self.day.wait(60)
        self.day.shot(self.day.scene(), raw=False, picture_name="A_0008.jpg")
        self.assertEqual(self.found(), {"A_0007.dng": (None, "")})

    def test_the_same_moment_is_not_enough(self) -> None:
        """Two phones' settings at one moment, or two pictures that look unlike the raw."""
        self.day.shot(self.day.scene(), picture=False, raw_name="one.dng")
        self.day.now = self.day.now.replace(microsecond=0)
        self.day.shot(self.day.scene(), raw=False, picture_name="other.jpg")
        self.assertEqual(self.found(), {"one.dng": (None, "")})

    def test_a_correction_by_hand_is_remembered(self) -> None:
        self.day.shot(self.day.scene(), raw_name="a.dng", picture_name="a.jpg")
        self.day.wait(30)
        self.day.shot(self.day.scene(), raw=False, picture_name="b.jpg")
        record = pair_by_hand(ShootRecord(), self.folder / "a.dng", self.folder / "b.jpg")
        save_record(self.folder, record)
        self.assertEqual(load_record(self.folder), record)
        self.assertEqual(self.found(), {"a.dng": ("b.jpg", "hand")})
        save_record(self.folder, pair_by_hand(record, self.folder / "a.dng", None))
        self.assertEqual(self.found(), {"a.dng": (None, "")})
        shots = open_shoot([self.folder])
        raw = next(s for s in shots if s.raw)
        self.assertEqual([p.name for p in pictures_for(shots, raw)], ["a.jpg", "b.jpg"])

    def test_a_clip_is_the_third_member(self) -> None:
        self.day.shot(self.day.scene(), raw_name="a.dng", picture_name="a.jpg")
        (self.folder / "a.mov").write_bytes(b"clip")
        (shot,) = open_shoot([self.folder])
        self.assertEqual(name_of(shot.clip), "a.mov")
        self.assertEqual(len(shot.files), 3)

    def test_a_damaged_record_is_no_obstacle(self) -> None:
        self.day.shot(self.day.scene(), raw_name="a.dng", picture_name="a.jpg")
        (self.folder / ".bruto-shoot.json").write_text("{ no")
        self.assertEqual(self.found(), {"a.dng": ("a.jpg", "stem")})

    def test_uneven_runs(self) -> None:
        """A burst with one other exposure behind it, and shots of two lenses, are not thrown together."""
        view = self.day.scene()
        for t in (1 / 100, 1 / 100, 1 / 100, 1 / 20):
            self.day.shot(view, 50, t, pause=0.5)
        kinds = [(s.kind, len(s.shots)) for s in find_sets(open_shoot([self.folder]))]
        self.assertEqual(kinds, [("burst", 3), ("single", 1)])

    def test_a_merged_frame_does_not_split_its_burst(self) -> None:
        view = self.day.scene()
        names = [self.day.shot(self.day.moved(view), 800, 1 / 60, pause=0.5)[0] for _ in range(5)]
        shots = open_shoot([self.folder])
        middle = shots[2]
        assert middle.seen is not None
        merged = replace(middle, name="merged", seen=replace(middle.seen, merged="mean of 5 frames"))
        sets = find_sets([*shots[:3], merged, *shots[3:]])
        self.assertEqual([(g.kind, len(g.shots)) for g in sets], [("burst", len(names)), ("single", 1)])
        self.assertEqual(sets[1].shots[0].name, "merged")

    def test_chance_rows_are_no_trail(self) -> None:
        for pause in (20, 75, 31, 140, 55, 90):
            self.day.shot(self.day.scene(), 100, 1 / 200, pause=pause)
        self.assertEqual({s.kind for s in find_sets(open_shoot([self.folder]))}, {"single"})
