"""How a set was held, by two of its frames."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from bruto.shoot.tripod import shift_between, support_of
from tests.extent import share
from tests.shots import MIDDLE, raw_of, raws_of


class Steady(unittest.TestCase):
    def test_hand_and_tripod(self) -> None:
        for scene, iso in share((("pans", 800.0), ("pans", 200.0), ("sluice", 800.0), ("sluice", 200.0)), 4):
            with self.subTest(scene, iso=iso):
                by_hand = raws_of(scene, size=MIDDLE, count=4, iso=iso, seed=6)
                stood = raws_of(scene, size=MIDDLE, count=4, iso=iso, seed=6, static=True)
                self.assertEqual([support_of(by_hand[0], p) for p in by_hand[1:]], ["hand"] * 3)
                for p in stood[1:]:  # noise may leave it untold, and never makes a hand of a tripod
                    self.assertIn(support_of(stood[0], p), ("tripod", ""))
                self.assertEqual(support_of(stood[0], stood[0]), "tripod")

    def test_the_shift_is_the_hands(self) -> None:
        """The simulated hand drifts by 0.0011 of the width, one standard deviation each way."""
        frames = raws_of("pans", size=MIDDLE, count=4, iso=200.0, seed=6)
        for p in frames[1:]:
            self.assertTrue(2e-4 < shift_between(frames[0], p) < 4e-3)

    def test_what_cannot_be_told(self) -> None:
        one = raw_of("pans", size=MIDDLE)
        self.assertEqual(support_of(one, raw_of("card", size=MIDDLE)), "")  # another scene
        with TemporaryDirectory() as name:
            broken = Path(name) / "broken.dng"
            broken.write_bytes(b"no raw")
            self.assertEqual(support_of(one, broken), "")


if __name__ == "__main__":
    unittest.main()
