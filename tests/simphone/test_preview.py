"""Foretold pictures: noise, movement and trails are those of the settings."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from bruto.plan.almanac import Spot
from bruto.plan.stars import arcs
from bruto.simphone import sensor_model as sm
from bruto.simphone.night import SKY_CD_M2
from bruto.simphone.preview import (
    PIECE,
    WHOLE,
    SimulatedSettings,
    _NightAhead,
    day_picture,
    moved_by_hand,
    night_picture,
    noisy,
    skyline,
)

STARS = SimulatedSettings(1600.0, 15.0, 1, 15.0, "", sm.sensor_for(12).noise(1600.0), 26.0)


class Parts(unittest.TestCase):
    def test_noise_is_that_of_the_settings(self) -> None:
        light = np.full((256, 256, 3), 0.2, np.float32)
        green = noisy(light, (1e-3, 4e-6), 3)[8:-8, 8:-8, 1]
        sites = green[
            np.add.outer(np.arange(240), np.arange(240)) % 2 == 1
        ]  # where green is measured, not interpolated
        self.assertAlmostEqual(float(sites.std()) / math.sqrt(1e-3 * 0.2 + 4e-6), 1, delta=0.03)
        self.assertAlmostEqual(float(green.mean()), 0.2, delta=1e-3)
        self.assertLessEqual(float(noisy(light * 9, (1e-3, 0.0), 3).max()), 1.0)  # full is full

    def test_a_hand_smears_along_a_line(self) -> None:
        light = np.zeros((64, 64, 3), np.float32)
        light[32, 32] = 1.0
        for length in (2.0, 6.5, 15.0):
            moved = moved_by_hand(light, length)[..., 1].astype(float)
            self.assertAlmostEqual(moved.sum(), 1, places=4)
            y, x = np.mgrid[0:64, 0:64]
            spread = (moved * ((x - 32) ** 2 + (y - 32) ** 2)).sum()
            # a line of that length has a variance of a twelfth of its square; two steps of interpolation add a little
            self.assertAlmostEqual(math.sqrt(12 * max(spread - 0.33, 0.01)), length, delta=0.12 * length + 0.4)
        self.assertIs(moved_by_hand(light, 0.2), light)

    def test_a_skyline_goes_round(self) -> None:
        height = skyline(np.arange(0, 360.0, 0.5, dtype=np.float32))
        self.assertTrue((height > 0).all() and (height < 10).all())
        self.assertAlmostEqual(float(height[0]), float(skyline(np.array([359.999], np.float32))[0]), delta=0.05)


class Night(unittest.TestCase):
    def test_trails_are_as_long_as_is_reckoned(self) -> None:
        """The brightest star of a frame leaves an arc of the length that `plan.stars.arcs` tells of its place."""
        focal = 26.0 / 43.2666 * math.hypot(*WHOLE)
        aim = Spot(40.0, 120.0)
        phone = _NightAhead(size=WHOLE, focal_px=focal, pitch=aim.altitude, azimuth=aim.azimuth, latitude=41.0)
        settings = replace(STARS, merged="lighten", frames=120, every=15.0)
        lasts = 119 * 15.0 + 15.0
        (first, ahead), (last, _) = phone.places(0.0), phone.places(lasts)
        inside = ahead & ((first > 60) & (first < [WHOLE[0] - 60, WHOLE[1] - 60])).all(axis=1)
        star = int(np.flatnonzero(inside)[phone.magnitudes[inside].argmin()])
        notice = min(
            arcs(aim, 41.0, focal, WHOLE, lasts, grid=(40, 30), bend=-0.012),
            key=lambda a: math.hypot(a.x * WHOLE[0] - first[star, 0], a.y * WHOLE[1] - first[star, 1]),
        )
        self.assertAlmostEqual(float(np.hypot(*(last[star] - first[star]))) / notice.pixels, 1, delta=0.03)
        light = phone.light(settings, SKY_CD_M2)[..., 1]
        middle, _ = phone.places(lasts / 2)
        x, y = (round(float(v)) for v in middle[star])
        self.assertGreater(float(light[y - 2 : y + 3, x - 2 : x + 3].max()), 2 * float(np.median(light)))

    def test_pauses_leave_gaps(self) -> None:
        phone = _NightAhead(size=WHOLE, pitch=30.0, azimuth=90.0)
        full = phone.light(replace(STARS, seconds=120.0, merged="lighten", frames=16, every=120.0), SKY_CD_M2)
        half = phone.light(replace(STARS, seconds=120.0, merged="lighten", frames=8, every=240.0), SKY_CD_M2)
        phone._lux = phone._lux * 0
        sky = phone.light(replace(STARS, seconds=120.0), SKY_CD_M2)
        lit = [float((x[..., 1] > 1.2 * sky[..., 1]).sum()) for x in (half, full)]
        self.assertTrue(0.4 < lit[0] / lit[1] < 0.75, lit)  # half of each arc is missing; points spread a little

    def test_settings_change_the_picture(self) -> None:
        one = night_picture(STARS, 40.0, 120.0, 41.0, SKY_CD_M2)
        self.assertEqual(one.whole.shape, (WHOLE[1], WHOLE[0], 3))
        self.assertEqual(one.piece.shape, (PIECE[1], PIECE[0], 3))
        many = night_picture(replace(STARS, merged="mean", frames=16), 40.0, 120.0, 41.0, SKY_CD_M2)
        noise = [float(np.diff(p.piece[..., 1].astype(float), axis=1).std()) for p in (one, many)]
        self.assertAlmostEqual(noise[0] / noise[1], 4, delta=0.9)  # on the screen, of sixteen frames
        elsewhere = night_picture(STARS, 40.0, 300.0, 41.0, SKY_CD_M2)
        self.assertGreater(float((elsewhere.whole != one.whole).mean()), 0.05)  # other stars in the same haze
        bright = night_picture(STARS, 40.0, 120.0, 41.0, 30 * SKY_CD_M2)
        self.assertLess(bright.gain_ev, one.gain_ev - 3)


class Day(unittest.TestCase):
    def test_blur_and_noise_are_seen(self) -> None:
        low = SimulatedSettings(50.0, 1 / 100, 1, 1.0, "", sm.sensor_for(12).noise(50.0), 26.0)
        still, moved = (day_picture(low, "sluice", 0.18, b) for b in (0.0, 9.0))
        fine = [float(np.diff(p.piece[..., 1].astype(float), axis=1).std()) for p in (still, moved)]
        self.assertGreater(fine[0], 1.5 * fine[1])
        high = replace(low, iso=6400.0, noise=sm.sensor_for(12).noise(6400.0))
        noise = float(np.diff(day_picture(high, "sluice", 0.18, 9.0).piece[..., 1].astype(float), axis=1).std())
        self.assertGreater(noise, 2 * fine[1])


if __name__ == "__main__":
    unittest.main()
