"""What is said of the frames of a burst before they are merged."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bruto.merge.burst_assessment import judged
from bruto.merge.rejection import RejectionKind, kind_of_rejection
from tests.again import write_dng
from tests.photographs import Sensor, codes_of, light_of, tags_of

PREVIEW = np.zeros((8, 12, 3), np.uint8)


class OddFrames(unittest.TestCase):
    def test_one_of_another_kind_is_the_odd_one_though_it_comes_first(self) -> None:
        sensor = Sensor()
        with TemporaryDirectory() as folder:
            files = []
            for k, name in enumerate(("astronaut", "coffee", "coffee", "astronaut", "coffee")):
                files.append(Path(folder) / f"{k}.dng")
                light = np.tile(light_of(name)[:400, :512], (2, 2, 1))
                write_dng(files[-1], codes_of(light[:200] if k == 0 else light, sensor, k), tags_of(sensor), PREVIEW)
            *_, found = judged(files, lambda: None)
        kinds = [kind_of_rejection(f.why) if f.why else None for f in found]
        self.assertEqual(kinds, [RejectionKind.OTHER_KIND, None, None, RejectionKind.OTHER_SCENE, None])


if __name__ == "__main__":
    unittest.main()
