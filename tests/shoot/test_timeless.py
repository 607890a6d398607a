"""Bursts whose files state no time are found by their names and by what they show."""

from __future__ import annotations

import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.sensor.measurement import measure
from bruto.session.shoot import Shoot
from tests.again import write_dng
from tests.hand import sensor_at
from tests.photographs import codes_of, light_of, tags_of

UNKNOWN = {
    "taken": "", "iso": None, "exposure_s": None, "make": "", "model": "", "f_number": None, "focal_mm": None,
    "focal_35mm": None,
}  # fmt: skip


class Timeless(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def raw(self, name: str, photograph: str, seed: int, **known: object) -> None:
        """A raw of a hand that moved a little; without a time unless one is known."""
        light = light_of(photograph)[2 * (seed % 4) : 280 + 2 * (seed % 4), 4 * (seed % 3) : 400 + 4 * (seed % 3)]
        tags = replace(tags_of(sensor_at(400.0)), **(UNKNOWN | known))
        preview = (255 * light[::2, ::2]).astype(np.uint8)
        write_dng(self.folder / f"{name}.dng", codes_of(light, sensor_at(400.0), seed), tags, preview)

    def sets(self) -> list[tuple[str, list[str]]]:
        shoot = Shoot()
        shoot.open([self.folder])
        before = shoot.sets
        for shot in list(shoot.shots):
            shoot.set_report(shot, measure(read_dng(shot.main)))
        self.assertTrue(all(g.kind == "single" for g in before))  # nothing is known of likeness yet
        return [(g.kind, [s.name for s in g.shots]) for g in shoot.sets]

    def test_frames_in_a_row_of_one_view_are_a_burst(self) -> None:
        for k in range(5):
            self.raw(f"take_{k + 8:02d}", "chelsea", k)
        self.raw("take_13", "coffee", 1)
        self.raw("take_20", "chelsea", 9)
        self.raw("dated", "chelsea", 10, taken="2031:05:04 10:00:00")
        found = self.sets()
        self.assertEqual(found[0], ("single", ["dated"]))
        self.assertEqual(found[1], ("burst", [f"take_{k + 8:02d}" for k in range(5)]))
        self.assertEqual(found[2:], [("single", ["take_13"]), ("single", ["take_20"])])

    def test_two_frames_other_settings_and_other_names_are_none(self) -> None:
        self.raw("a1", "chelsea", 1)
        self.raw("a2", "chelsea", 2)
        for k in range(3):
            self.raw(f"b{k}", "coffee", k, iso=100.0 * 2**k, exposure_s=0.01)
            self.raw(f"c{k}{'xyz'[k]}", "astronaut", k)
        self.assertEqual({kind for kind, _ in self.sets()}, {"single"})


if __name__ == "__main__":
    unittest.main()
