"""Near-duplicates: takes of one view with moved framing and another exposure are alike, other views are not."""

from __future__ import annotations

import unittest
from datetime import datetime
from itertools import permutations
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.sensor.measurement import measure
from bruto.sensor.report import SensorReport
from bruto.shoot.similarity import SAME_VIEW, likeness
from bruto.simphone.capture import Phone
from bruto.simphone.capture_files import save
from tests.extent import share
from tests.shots import MIDDLE

TAKES = ((0, 0, 0.0), (20, -15, 0.0), (60, 30, -1.0))
"""Shift of the view in pixels of 1008 x 756, and exposure, EV."""


class Likeness(unittest.TestCase):
    def test_views_of_five_scenes_fall_apart(self) -> None:
        reports: dict[tuple[str, int], SensorReport] = {}
        with TemporaryDirectory() as folder:
            for scene in share(("pans", "boiling-house", "sluice", "crystals", "card"), 2):
                phone = Phone(scene, size=MIDDLE)
                for k, (dx, dy, ev) in enumerate(TAKES):
                    moved = np.array([[1.0, 0, dx], [0, 1, dy]])
                    path = Path(folder) / f"{scene}{k}.dng"
                    save(
                        phone.shoot(phone.meter(ev), seed=k, transform=moved), path, datetime(2031, 5, 4), picture=False
                    )
                    reports[scene, k] = measure(read_dng(path))
        for a, b in permutations(reports, 2):
            found = likeness(reports[a], reports[b])
            with self.subTest(f"{a} {b}"):
                if a[0] == b[0]:
                    self.assertGreater(found, SAME_VIEW + 0.05)
                else:
                    self.assertLess(found, SAME_VIEW - 0.1)


if __name__ == "__main__":
    unittest.main()
