"""Stars, the pole they turn about, and arcs, against places that are known by making."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np

from bruto.container.dng_writer import write_dng
from bruto.errors import BrutoError
from bruto.merge.sky.arcs import TrailArc, catalogue, draw, missed
from bruto.merge.sky.frame_assessment import FrameAssessment, plan
from bruto.merge.sky.sky_rotation import SIDEREAL, SkyRotation, find_turning
from bruto.merge.sky.stars import Spots, find_spots
from bruto.simphone.capture_files import sample_tags

SIZE = (4032, 3024)
TRUE = SkyRotation(np.array([0.05, -0.28, 0.9587]), 3000.0, -0.012, SIZE)
TRUE = SkyRotation(TRUE.axis / np.linalg.norm(TRUE.axis), TRUE.focal, TRUE.bend, SIZE)


def sky(count: int, seed: int = 0) -> np.ndarray:
    """Directions all about the camera's view."""
    random = np.random.default_rng(seed)
    found = random.normal(size=(count * 12, 3))
    found /= np.linalg.norm(found, axis=1, keepdims=True)
    return found[found[:, 2] > 0.45][:count]


def spots_at(stars: np.ndarray, seconds: float, *, error: float = 0.15, false: int = 0, seed: int = 0) -> Spots:
    """What a frame shows of stars: those inside it, a little displaced, and some false ones."""
    random = np.random.default_rng([seed, int(seconds)])
    places = TRUE.places(TRUE.turned(stars, seconds))
    w, h = SIZE
    inside = (places > 5).all(axis=1) & (places < [w - 5, h - 5]).all(axis=1)
    places = places[inside] + random.normal(0, error, (inside.sum(), 2))
    light = 1.0 / (1 + np.nonzero(inside)[0])
    fake = random.uniform(0, 1, (false, 2)) * SIZE
    return Spots(
        np.concatenate([places, fake]), np.concatenate([light, np.full(false, 0.005)]), np.ones(len(places) + false)
    )


class Clock(unittest.TestCase):
    """Frames whose files tell the time of a phone's clock that was changed in the night."""

    def planned(self, changed_h: float, pace: float = 16.4) -> list[FrameAssessment]:
        with TemporaryDirectory() as name:
            tags = sample_tags()
            begin, paths = datetime(2026, 10, 25, 2, 40), []
            for k in range(9):
                taken = begin + timedelta(seconds=pace * k, hours=changed_h if k >= 5 else 0)
                paths.append(Path(name) / f"sky-{k + 6}.dng")
                write_dng(paths[-1], np.full((16, 16), 300, np.uint16), replace(
                    tags, taken=taken.strftime("%Y:%m:%d %H:%M:%S"), exposure_s=15.0, iso=1600.0
                ), np.zeros((8, 8, 3), np.uint8))  # fmt: skip
            return plan(paths[::-1])

    def test_one_hour_forward_or_back_is_undone_and_said(self) -> None:
        for changed in (1.0, -1.0, 0.5, -2.0, 0.0):
            with self.subTest(changed):
                frames = self.planned(changed)
                self.assertEqual([f.path.stem for f in frames], [f"sky-{k + 6}" for k in range(9)])
                np.testing.assert_allclose([f.start for f in frames], 16.4 * np.arange(9), atol=1.0)
                notes = [f.note for f in frames if f.note]
                self.assertEqual(len(notes), int(changed != 0))
                if changed:
                    alternative = "forward" if changed > 0 else "back"
                    self.assertIn(f"set {alternative} by {abs(changed):g} h before sky-11.dng", notes[0])

    def test_files_of_one_time_follow_each_other_as_numbered(self) -> None:
        """Copies carry the time of the copy: what is left out between them is known by the exposure alone."""
        frames = self.planned(0.0, pace=0.0)
        self.assertEqual([f.path.stem for f in frames], [f"sky-{k + 6}" for k in range(9)])
        np.testing.assert_allclose(np.diff([f.start for f in frames]), 15.0, atol=1.0)

    def test_a_pause_is_a_pause(self) -> None:
        frames = self.planned(0.75)
        self.assertGreater(frames[5].start - frames[4].start, 2700)
        self.assertFalse(any(f.note for f in frames))


class Finding(unittest.TestCase):
    def test_places_and_light_of_spots(self) -> None:
        random = np.random.default_rng(3)
        plane = np.full((400, 600), 0.02, np.float32)
        places = np.stack([20 + 560 * random.permutation(40) / 40, 20 + 360 * random.permutation(40) / 40], axis=1)
        places += random.uniform(-0.5, 0.5, places.shape)
        light = random.uniform(0.06, 0.6, 40)
        y, x = np.mgrid[0:400, 0:600]
        for (cx, cy), value in zip(places, light, strict=True):
            plane += (value / (2 * math.pi * 0.9**2) * np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (2 * 0.9**2))).astype(
                np.float32
            )
        plane += (0.0005 * np.arange(600) / 600).astype(np.float32)  # the sky is not even
        noisy = plane + random.normal(0, 0.0007, plane.shape).astype(np.float32)
        found = find_spots(noisy)
        self.assertLessEqual(abs(len(found) - 40), 1)
        for (cx, cy), value in zip(places, light, strict=True):
            k = np.argmin(np.linalg.norm(found.places - [2 * cx + 0.5, 2 * cy + 0.5], axis=1))
            self.assertLess(np.linalg.norm(found.places[k] - [2 * cx + 0.5, 2 * cy + 0.5]), 0.35)
            self.assertAlmostEqual(found.light[k], value, delta=0.12 * value + 0.01)
            self.assertLess(found.long[k], 1.35)
        self.assertEqual(len(find_spots(np.zeros((50, 60), np.float32))), 0)

    def test_trails_are_long(self) -> None:
        plane = np.zeros((80, 80), np.float32)
        cv2.line(plane, (30, 40), (36, 43), 1.0)
        plane = cv2.GaussianBlur(plane, (0, 0), 0.8) + np.random.default_rng(0).normal(0, 0.001, (80, 80)).astype(
            np.float32
        )
        self.assertGreater(find_spots(plane).long[0], 1.6)


class Turns(unittest.TestCase):
    def test_a_place_and_back(self) -> None:
        places = np.random.default_rng(1).uniform(0, 1, (200, 2)) * SIZE
        np.testing.assert_allclose(TRUE.places(TRUE.directions(places)), places, atol=0.02)
        there = TRUE.moved(places, 3600.0)
        np.testing.assert_allclose(TRUE.moved(there, -3600.0), places, atol=0.05)
        pole = TRUE.pole()
        assert pole is not None
        np.testing.assert_allclose(TRUE.moved(np.array([pole]), 7200.0)[0], pole, atol=1e-6)
        day = TRUE.turned(TRUE.directions(places), 2 * math.pi / SIDEREAL)  # a sidereal day
        np.testing.assert_allclose(day, TRUE.directions(places), atol=1e-9)

    def test_two_hours_within_a_fifth_of_a_pixel(self) -> None:
        stars = sky(500)
        starts = [float(t) for t in range(0, 7200, 300)]
        frames = [spots_at(stars, t, error=0.3, false=60) for t in starts]
        hot = np.random.default_rng(5).uniform(0, 1, (25, 2)) * SIZE  # defects stand still
        frames = [Spots(np.concatenate([f.places, hot]), np.concatenate([f.light, np.full(25, 2.0)]),
                        np.concatenate([f.long, np.ones(25)])) for f in frames]  # fmt: skip
        for notice in (26.0, None, 27.0):
            found = find_turning(frames, starts, SIZE, notice)
            places = TRUE.places(TRUE.turned(stars, 0.0))
            later = TRUE.places(TRUE.turned(stars, 7200.0))
            both = ((places > 0) & (places < SIZE) & (later > 0) & (later < SIZE)).all(axis=1)
            error = np.linalg.norm(found.moved(places[both], 7200.0) - later[both], axis=1)
            self.assertLess(float(np.sqrt((error**2).mean())), 0.2)
            self.assertLess(abs(float(found.axis @ TRUE.axis) - 1), 1e-6)
            self.assertAlmostEqual(found.rms, 0.3 * math.sqrt(2), delta=0.1)

    def test_what_does_not_turn_is_refused(self) -> None:
        stars = sky(300)
        still = [spots_at(stars, 0.0) for _ in range(8)]
        random = np.random.default_rng(0)
        nothing = [Spots(random.uniform(0, 1, (80, 2)) * SIZE, np.ones(80), np.ones(80)) for _ in range(8)]
        few = [spots_at(stars[:6], 300.0 * k) for k in range(8)]
        for frames in (still, nothing, few):
            with self.assertRaisesRegex(BrutoError, "stars"):
                find_turning(frames, [300.0 * k for k in range(8)], SIZE, 26.0)


class Arcs(unittest.TestCase):
    def night(self, lost: range, cloud: range = range(0)) -> tuple[list[FrameAssessment], np.ndarray]:
        stars = sky(160, 4)
        frames = []
        for k in range(40):
            start = 16.0 * k
            spots = spots_at(stars, start + 7.5)
            clear = 1.0
            if k in cloud:  # hides the left half
                keep = spots.places[:, 0] > SIZE[0] / 2
                spots, clear = Spots(spots.places[keep], spots.light[keep], spots.long[keep]), 0.5
            if k not in lost:
                frames.append(FrameAssessment(None, start, 15.0, spots=spots, cloud=1 - clear))  # type: ignore[arg-type]
        return frames, stars

    def test_the_catalogue_is_the_sky(self) -> None:
        frames, stars = self.night(range(0))
        found = catalogue(frames, TRUE)
        places, true = TRUE.places(TRUE.turned(found, 300.0)), TRUE.places(TRUE.turned(stars, 300.0))
        inside = ((true > 60) & (true < np.array(SIZE) - 60)).all(axis=1)
        nearest = np.array([np.linalg.norm(places - t, axis=1).min() for t in true[inside]])
        self.assertLess(float(np.percentile(nearest, 95)), 0.5)

    def test_lost_frames_are_bridged_and_what_is_whole_is_left(self) -> None:
        frames, stars = self.night(range(20, 23))
        arcs = missed(frames, TRUE, 16.0)
        true = TRUE.places(TRUE.turned(stars, 21 * 16 + 7.5))
        inside = ((true > 60) & (true < np.array(SIZE) - 60)).all(axis=1)
        self.assertGreater(len(arcs), 0.9 * inside.sum())
        for arc in arcs:
            middle = arc.places[len(arc.places) // 2]
            self.assertLess(np.linalg.norm(true - middle, axis=1).min(), 1.5)
        self.assertEqual(missed(self.night(range(0))[0], TRUE, 16.0), [])

    def test_a_cloud_over_half_of_the_sky(self) -> None:
        arcs = missed(self.night(range(0), range(15, 19))[0], TRUE, 16.0)
        self.assertGreater(len(arcs), 20)
        self.assertLess(max(a.places[:, 0].max() for a in arcs), SIZE[0] / 2 + 30)

    def test_an_arc_is_as_light_as_the_trail_beside_it(self) -> None:
        trail = np.zeros((120, 200, 3), np.float32)
        for x in range(20, 180):
            if not 90 <= x < 120:
                trail[60, x] = (0.2, 0.3, 0.1)
        trail = cv2.GaussianBlur(trail, (0, 0), 0.9)
        before = trail.copy()
        arc = TrailArc(np.stack([np.arange(85, 125.5, 0.5), np.full(81, 60.0)], axis=1))
        outside = TrailArc(np.array([[-5.0, 3.0], [3.0, 3.0]]))
        self.assertEqual(draw(trail, [arc, outside]), 1)
        line = trail[60, 25:175, 1]
        self.assertGreater(line.min(), 0.9 * np.median(line))
        self.assertLess(line.max(), 1.05 * np.median(line))
        np.testing.assert_array_equal(trail[:, :80], before[:, :80])
        np.testing.assert_allclose(trail[60, 100] / trail[60, 60], 1, atol=0.05)  # its colour, too
