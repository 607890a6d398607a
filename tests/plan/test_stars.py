"""How far stars move, against the simulated sky and its frames; both rules; what is offered."""

from __future__ import annotations

import doctest
import math
import unittest

import numpy as np

from bruto.errors import BrutoError
from bruto.plan import stars as module
from bruto.plan.almanac import Spot
from bruto.plan.stars import StarLens, aperture_pitch, arcs, pixel_pitch, stars, trail_px
from bruto.simphone.capture import Exposure
from bruto.simphone.night import DISTORTION, NightPhone
from tests.extent import share

OFFERED = (1.0, 2.0, 4.0, 8.0, 13.0, 20.0, 30.0)
LENS = StarLens(26.0, 1.9, pixel_pitch(5.9, 26.0, 4032, 3024), 5.9, 4032)


class Trails(unittest.TestCase):
    def test_they_are_as_long_as_in_simulated_frames(self) -> None:
        """Length of the longest bright trails in a frame of 60 s, by the spread of their light, within 2 %."""
        phone = NightPhone(size=(2016, 1512), seed=4)
        phone._still = np.zeros((*phone._whole, 3), np.float32), np.ones(phone._whole, np.float32)  # sky alone
        seconds = 60.0
        frame = phone.frames(1, Exposure(1600.0, seconds))[0]
        phone._frame = frame
        light = phone._optical()[..., 1]
        phone._frame = None
        m = phone._margin
        (first, ahead), (last, _) = phone.places(frame.start), phone.places(frame.start + seconds)
        middle = (first + last) / 2
        near = ahead & (phone.magnitudes < 5.5) & (np.abs(middle - [1008, 756]).max(axis=1) < 700)
        near &= middle[:, 1] < 560
        others = phone.places(frame.start + seconds / 2)[0][ahead & (phone.magnitudes < 7)]
        errors = []
        for k in np.flatnonzero(near):
            x, y = middle[k]
            if (np.hypot(*(others - middle[k]).T) < 26).sum() > 1:
                continue  # another star in its light
            part = light[round(y) - 11 + m : round(y) + 12 + m, round(x) - 11 + m : round(x) + 12 + m].astype(float)
            part = np.maximum(part - np.median(part), 0)
            ys, xs = np.mgrid[-11:12, -11:12]
            cx, cy = (part * xs).sum() / part.sum(), (part * ys).sum() / part.sum()
            alternative = (last - first)[k] / np.hypot(*(last - first)[k])
            along, across = (
                (xs - cx) * alternative[0] + (ys - cy) * alternative[1],
                (ys - cy) * alternative[0] - (xs - cx) * alternative[1],
            )
            part = part * ((np.abs(across) < 4) & (np.abs(along) < np.hypot(*(last - first)[k]) / 2 + 4))
            spread = (part * along**2).sum() / part.sum() - (part * across**2).sum() / part.sum()
            found = phone.directions(frame.start + seconds / 2)[k]
            declination = math.degrees(math.asin(float(found @ phone.pole)))
            text = trail_px(seconds, phone.focal_px, 1000.0, declination)  # focal length in units of a pixel
            ray = found / found[2]
            stretch = np.hypot(*(last - first)[k]) / text  # away from the middle a flat frame stretches
            self.assertLess(abs(stretch - 1), 0.35 * float(ray[0] ** 2 + ray[1] ** 2) * 2 + 0.02)
            errors.append(math.sqrt(12 * max(spread, 0)) / (text * stretch) - 1)
        self.assertGreater(len(errors), 4)
        self.assertLess(abs(float(np.median(errors))), 0.02)

    def test_arcs_are_those_of_the_simulated_sky(self) -> None:
        """Length and direction all over the frame, pointed north at two heights, within 1 %."""
        for pitch, latitude in share(((24.0, 41.0), (50.0, 20.0)), 2):
            phone = NightPhone(size=(2016, 1512), seed=1, pitch=pitch, latitude=latitude)
            aim = Spot(pitch, 0.0)
            size, seconds = (phone.width, phone.height), 3600.0
            for arc in arcs(aim, latitude, phone.focal_px, size, seconds, grid=(4, 3), bend=DISTORTION):
                start, _ = phone.places(0.0)
                # the sky at this very place: turn one star there
                ray = np.array([(arc.x - 0.5) * size[0], (arc.y - 0.5) * size[1], phone.focal_px])
                phone._stars = (ray / np.linalg.norm(ray) @ phone._axes)[None]
                alternatives = np.array([phone.places(t)[0][0] for t in np.linspace(0, seconds, 61)])
                true = float(np.hypot(*np.diff(alternatives, axis=0).T).sum())
                self.assertAlmostEqual(arc.pixels / true, 1.0, delta=0.01)
                dx, dy = alternatives[3] - alternatives[0]
                aside = (arc.degrees - math.degrees(math.atan2(-dy, dx)) + 180) % 360 - 180
                self.assertLess(abs(aside), 3.0)
                del start

    def test_a_rolled_frame_turns_the_arcs(self) -> None:
        plain = arcs(Spot(30, 120), 45, 3000, (4000, 3000), 60, grid=(1, 1))[0]
        rolled = arcs(Spot(30, 120), 45, 3000, (4000, 3000), 60, roll=90, grid=(1, 1))[0]
        self.assertAlmostEqual(plain.pixels, rolled.pixels, places=6)
        self.assertAlmostEqual((rolled.degrees - plain.degrees) % 360, 90, places=4)

    def test_at_the_pole_nothing_moves(self) -> None:
        middle = arcs(Spot(41, 0), 41, 3000, (4000, 3000), 3600, grid=(1, 1))[0]
        self.assertLess(middle.pixels, 1e-6)
        self.assertAlmostEqual(middle.declination, 90.0, places=4)
        self.assertLess(trail_px(3600, 5.9, 1.95, 90.0), 1e-9)


class Rules(unittest.TestCase):
    def test_closed_forms(self) -> None:
        """The whole formula at the equator and at 60 degrees, worked out by hand."""
        self.assertAlmostEqual(aperture_pitch(2.0, 2.0, 5.0), (33.712 + 0.4985 + 27.426) / 5)
        self.assertAlmostEqual(aperture_pitch(2.0, 2.0, 5.0, 60.0), 2 * (33.712 + 0.4985 + 27.426) / 5)
        self.assertAlmostEqual(trail_px(3600, 5.0, 2.0), math.radians(15.041067) * 2500)

    def test_answers_are_times_that_the_phone_offers(self) -> None:
        found = stars(LENS, OFFERED)
        self.assertEqual([o.seconds for o in found.offered], list(OFFERED))
        self.assertAlmostEqual(found.rules["500"], 19.2, delta=0.05)
        self.assertAlmostEqual(found.rules["aperture-pitch"], 10.1, delta=0.1)
        within = {o.seconds: o.within for o in found.offered}
        self.assertEqual(within[8.0], ("500", "aperture-pitch"))
        self.assertEqual((within[13.0], within[20.0]), (("500",), ()))
        self.assertEqual(found.stack, (15, 8.0))
        self.assertIn("8 s", found.advice["print"])
        self.assertIn("15 frames of 8 s", found.advice["stack"])
        trail = {o.seconds: o.trail for o in found.offered}
        self.assertAlmostEqual(trail[20.0], 4.41, delta=0.01)

    def test_without_what_is_not_known(self) -> None:
        found = stars(StarLens(28.0), OFFERED).as_json()
        self.assertEqual([r["name"] for r in found["rules"]], ["500"])
        self.assertIsNone(found["offered"][0]["trail_px"])
        self.assertEqual(found["stack"], {"frames": 10, "seconds": 13.0, "total_s": 120.0})
        alone = stars(StarLens(28.0)).as_json()
        self.assertEqual(alone["offered"], [])
        self.assertAlmostEqual(alone["stack"]["seconds"], 500 / 28, places=4)

    def test_all_times_too_long(self) -> None:
        found = stars(StarLens(200.0, 2.6, 1.0, 20.0), (13.0, 20.0))
        self.assertEqual(found.stack, (10, 13.0))
        self.assertIn("shortest", found.advice["share"])

    def test_what_no_lens_is(self) -> None:
        for make in (
            lambda: StarLens(0.0), lambda: StarLens(26.0, 0.0), lambda: StarLens(26.0, pixel_um=-1),
            lambda: StarLens(float("nan")),
            lambda: stars(StarLens(26.0), (-1.0,)), lambda: stars(StarLens(26.0), declination=91),
            lambda: stars(StarLens(26.0), total=0),
        ):  # fmt: skip
            with self.assertRaises(BrutoError):
                make()

    def test_at_the_pole_of_the_sky_times_are_long_but_not_endless(self) -> None:
        self.assertTrue(1000 < stars(LENS, (), 90.0).rules["aperture-pitch"] < 1e5)

    def test_examples(self) -> None:
        self.assertEqual(doctest.testmod(module).failed, 0)


if __name__ == "__main__":
    unittest.main()
