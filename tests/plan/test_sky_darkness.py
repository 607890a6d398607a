"""Darkness of a sky by one frame, against the simulated night whose light is known."""

from __future__ import annotations

import unittest
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bruto.errors import BrutoError
from bruto.plan.sky_darkness import darkness_of
from bruto.plan.skylight import magnitudes
from bruto.simphone.capture import Exposure
from bruto.simphone.night import NightEvent, NightPhone, save_frame
from tests.shots import SMALL, raw_of


class Darkness(unittest.TestCase):
    def test_the_simulated_sky(self) -> None:
        phone = NightPhone(size=SMALL, happening=NightEvent(lamp=True))
        m = phone._margin
        sky = phone._sky[m:-m, m:-m] > 0.95
        true = magnitudes(float(np.median(phone._back[m:-m, m:-m, 1][sky])))
        with TemporaryDirectory() as name:
            for iso, seconds in ((400.0, 30.0), (1600.0, 15.0), (6400.0, 4.0)):
                frame = phone.frames(1, Exposure(iso, seconds))[0]
                path = save_frame(phone.take(frame), Path(name) / f"{iso:.0f}.dng", datetime(2026, 6, 21, 23, 0))
                found = darkness_of(path)
                self.assertLess(abs(found.magnitudes - true), found.error)
                self.assertLess(abs(found.magnitudes - true), 0.3)
                self.assertTrue(0.3 < found.share <= 1)
            self.assertAlmostEqual(darkness_of(path, 3.8).magnitudes, found.magnitudes - 2.5 * np.log10(4), places=5)

    def test_what_is_no_dark_sky(self) -> None:
        with self.assertRaisesRegex(BrutoError, "less than"):
            darkness_of(raw_of("sluice", size=SMALL, iso=800.0))


if __name__ == "__main__":
    unittest.main()
