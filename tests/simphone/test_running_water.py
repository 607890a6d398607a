"""Water that runs: different in every frame, the same on average, and a walker who is in some of them."""

from __future__ import annotations

import unittest

import numpy as np

from bruto.simphone.capture import Exposure
from bruto.simphone.running_water import WALKER, RunningWaterPhone

SIZE = (504, 378)


class Race(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.phone = RunningWaterPhone(SIZE)

    def test_the_water_is_new_in_each_frame_and_keeps_its_light(self) -> None:
        waves = np.stack([self.phone.waves(k) for k in range(40)])
        self.assertAlmostEqual(float(waves.mean()), 1.0, delta=0.03)
        self.assertLess(abs(float(np.corrcoef(waves[0].ravel(), waves[1].ravel())[0, 1])), 0.1)
        # along the water waves are longer than across it
        over, along = (float(np.abs(np.diff(np.log(waves[0]), axis=k)).mean()) for k in (0, 1))
        self.assertGreater(over, along)

    def test_the_ground_stands_still_and_somebody_passes(self) -> None:
        frames = [self.phone.take(k, Exposure(50.0, 0.002)).ideal for k in (0, 1, WALKER[1])]
        m = self.phone._margin
        dry = self.phone.water[m:-m, m:-m] < 1e-3
        np.testing.assert_allclose(frames[0][dry], frames[1][dry], rtol=5e-3)
        self.assertGreater(float(np.abs(frames[0] - frames[1])[~dry].mean()), 0.02 * float(frames[0][~dry].mean()))
        hidden = frames[2][dry] < 0.8 * frames[0][dry]
        self.assertTrue(0.02 < hidden.mean() < 0.4)
