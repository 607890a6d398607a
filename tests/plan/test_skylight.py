"""Light under the sky: against known values, and against each other."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime

import numpy as np

from bruto.errors import BrutoError
from bruto.plan.place import Place
from bruto.plan.skylight import (
    DARK_SKY,
    ground_lux,
    luminance,
    magnitudes,
    moon_lux,
    sky_cd_m2,
    sun_lux,
)

HERE = Place(41.0, 8.5, 0.0, "CET")


class Light(unittest.TestCase):
    def test_known_values(self) -> None:
        """Usual values of handbooks: sun overhead, at the horizon, ends of twilights, a full moon."""
        for height, lux, share in ((60, 106_000, 0.12), (0, 700, 0.25), (-6, 3.4, 0.1), (-12, 0.008, 0.15)):
            self.assertAlmostEqual(sun_lux(height) / lux, 1, delta=share)
        self.assertAlmostEqual(moon_lux(90, 1.0), 0.27, delta=0.03)
        self.assertLess(moon_lux(90, 0.5), 0.13 * moon_lux(90, 1.0))  # a half moon gives about a tenth

    def test_the_pieces_join_and_rise(self) -> None:
        heights = np.arange(-17.9, 90, 0.05)
        lux = np.array([sun_lux(float(h)) for h in heights])
        self.assertGreater(float((lux[1:] / lux[:-1]).min()), 0.97)
        self.assertLess(float((lux[1:] / lux[:-1]).max()), 1.12)

    def test_magnitudes_and_luminance(self) -> None:
        for m in (17.0, 20.9, 22.0):
            self.assertAlmostEqual(magnitudes(luminance(m)), m, places=9)
        self.assertAlmostEqual(luminance(17.0) / luminance(22.0), 100, places=6)
        for bad in (0.0, -1.0, float("nan")):
            with self.assertRaises(BrutoError):
                magnitudes(bad)

    def test_a_day_and_a_night(self) -> None:
        noon, night = datetime(2026, 8, 12, 11, 30, tzinfo=UTC), datetime(2026, 8, 12, 23, 0, tzinfo=UTC)
        self.assertAlmostEqual(ground_lux(HERE, noon) / 103_000, 1, delta=0.1)
        self.assertLess(ground_lux(HERE, night), 2e-3)  # new moon
        dark = magnitudes(sky_cd_m2(HERE, night))
        self.assertAlmostEqual(dark, DARK_SKY, delta=0.02)
        self.assertAlmostEqual(magnitudes(sky_cd_m2(HERE, night, 20.0)), 20.0, delta=0.02)
        full = datetime(2026, 8, 28, 0, 0, tzinfo=UTC)
        self.assertGreater(dark - magnitudes(sky_cd_m2(HERE, full)), 2.0)  # a full moon: more than two magnitudes
        dusk = [sky_cd_m2(HERE, datetime(2026, 8, 12, 18, m, tzinfo=UTC)) for m in (0, 20, 40)]
        self.assertTrue(dusk[0] > dusk[1] > dusk[2] > luminance(17.0))


if __name__ == "__main__":
    unittest.main()
