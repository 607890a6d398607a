"""Lenses, filters, prints, room and steps, against closed forms and ways of another kind."""

from __future__ import annotations

import doctest
import math
import unittest

import numpy as np

from bruto.errors import BrutoError
from bruto.plan import exposure, optics, storage_need
from bruto.plan.exposure import ExposureSetting, compensation, equivalents, ev_between
from bruto.plan.optics import THREADS_MM, depth, grey_filter, pixels_left, print_width_m, rings, shades, stops_lost
from bruto.plan.stars import FULL_FRAME_MM
from bruto.plan.storage_need import space as room


def _blur_by_rays(f: float, n: float, focused: float, at: float) -> float:
    """Diameter on the sensor, mm, of a point `at` mm, by two rays through the edges of a thin lens."""
    sensor = 1 / (1 / f - 1 / focused)
    image = 1 / (1 / f - 1 / at)
    return f / n * abs(image - sensor) / image


class Depth(unittest.TestCase):
    def test_against_rays(self) -> None:
        """At both limits the blur is the circle that counts as sharp; a background's disc is that of its rays."""
        for distance in (0.1, 0.3, 1.0, 2.0):
            found = depth(5.9, 26.0, 1.9, distance, 5.0)
            circle = FULL_FRAME_MM * 5.9 / 26.0 / 1500
            self.assertAlmostEqual(_blur_by_rays(5.9, 1.9, distance * 1000, found.near * 1000), circle, places=5)
            if found.far is not None:
                self.assertAlmostEqual(_blur_by_rays(5.9, 1.9, distance * 1000, found.far * 1000), circle, places=5)
            pitch = FULL_FRAME_MM * 5.9 / 26.0 / 5040
            self.assertAlmostEqual(found.disc_px * pitch, _blur_by_rays(5.9, 1.9, distance * 1000, 5000), places=5)

    def test_focused_at_the_hyperfocal_distance(self) -> None:
        far = depth(5.9, 26.0, 1.9, 1.0).hyperfocal
        found = depth(5.9, 26.0, 1.9, far * 1.0001)
        self.assertIsNone(found.far)
        self.assertAlmostEqual(found.near, far / 2, delta=0.01)
        self.assertGreater(depth(5.9, 26.0, 1.9, 1.0, math.inf, add_on=2.0).disc_px, depth(
            5.9, 26.0, 1.9, 1.0, math.inf).disc_px * 3)  # fmt: skip

    def test_what_no_lens_is(self) -> None:
        for values in ((0, 26, 1.9, 1), (5.9, 26, 0, 1), (5.9, 26, 1.9, 0), (5.9, 26, 1.9, 0.005), (5.9, 0, 2, 1)):
            with self.assertRaises(BrutoError):
                depth(*values)


class Filters(unittest.TestCase):
    def test_grey_filters(self) -> None:
        found = grey_filter(1 / 50, 10, (1, 4, 13, 20, 30))
        self.assertAlmostEqual(found.seconds, 20.48)
        self.assertEqual((found.offered, found.frames, found.bare_frames), (20, 1, 1024))
        self.assertEqual(grey_filter(1.0, 6, (4.0, 30.0)).frames, 2)
        self.assertIsNone(grey_filter(1 / 1000, 1, (4.0,)).offered)

    def test_rings_lead_from_one_thread_to_the_other(self) -> None:
        for a in THREADS_MM:
            for b in THREADS_MM:
                alternative = rings(a, b)
                at = a
                for one, other in alternative:
                    self.assertEqual(one, at)
                    at = other
                self.assertEqual(at, b)
                self.assertLessEqual(len(alternative), math.ceil(len(THREADS_MM) / 4))
        self.assertEqual(rings(37, 37), [])

    def test_corners(self) -> None:
        """A ray to the corner of the frame that leaves the edge of the lens's opening meets the rim just then."""
        slope = FULL_FRAME_MM / 2 / 15.0
        touching = (40 / 2 - 2.0 - 3.0) / slope
        self.assertAlmostEqual(shades(40, touching, 15.0), 0.0)
        self.assertGreater(shades(40, touching + 1, 15.0), 0)
        self.assertLess(shades(40, touching, 26.0), 0)

    def test_stops(self) -> None:
        for stops in (0.0, 3.3, 9.0):
            self.assertAlmostEqual(stops_lost(0.2, 1.0, 0.2 * 2**-2, 2 ** (stops - 2)), stops)


class Prints(unittest.TestCase):
    def test_an_arc_minute_is_a_pixel(self) -> None:
        self.assertAlmostEqual(print_width_m(1000, 1.0), math.tan(math.radians(1 / 60)) * 1000)
        self.assertEqual(pixels_left(26 / 13, 4032, 3024), (2016, 1512))
        with self.assertRaises(BrutoError):
            pixels_left(0.5, 10, 10)


class Steps(unittest.TestCase):
    def test_equivalents_are_offered_and_as_light(self) -> None:
        isos, times = (50, 100, 200, 400, 800), tuple(2.0**-k for k in range(14))
        random = np.random.default_rng(1)
        for _ in range(40):
            wanted = ExposureSetting(float(random.choice(isos)), float(random.choice(times[3:10])))
            ev = float(random.integers(-2, 3))
            found = equivalents(wanted, isos, times, ev)
            for same in found:
                self.assertIn(same.setting.iso, isos)
                self.assertIn(same.setting.seconds, times)
                self.assertAlmostEqual(ev_between(wanted, same.setting), ev + same.ev)
            self.assertGreaterEqual(len(found), 3)

    def test_where_none_is_near_the_nearest(self) -> None:
        found = equivalents(ExposureSetting(100, 1.0), (50,), (30.0,))
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].ev, math.log2(15))
        for make in (
            lambda: equivalents(ExposureSetting(100, 1), (), ()),
            lambda: ExposureSetting(0, 1),
            lambda: ExposureSetting(100, -1),
        ):
            with self.assertRaises(BrutoError):
                make()

    def test_what_to_dial(self) -> None:
        self.assertAlmostEqual(compensation(1.0), 1.0)
        self.assertAlmostEqual(compensation(0.5), 1 / 3)
        self.assertEqual(compensation(None), 0.0)
        self.assertAlmostEqual(compensation(-0.4, 0.0), -2 / 3)


class Room(unittest.TestCase):
    def test_room_and_time(self) -> None:
        found = room(240, 25.0, 6200.0, 1.5)
        self.assertEqual((found.storage_mb, found.fits, found.most, found.save_s), (6000.0, False, 235, 360.0))
        self.assertTrue(room(235, 25.0, 6200.0).fits)
        self.assertIsNone(room(10, 25.0).fits)
        for values in ((-1, 25), (10, 0), (10, math.nan), (10, 25, -5)):
            with self.assertRaises(BrutoError):
                room(*values)

    def test_examples(self) -> None:
        for module in (exposure, optics, storage_need):
            self.assertEqual(doctest.testmod(module).failed, 0)


if __name__ == "__main__":
    unittest.main()
