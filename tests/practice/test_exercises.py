"""Exercises: each round has a truth, it varies, and what is told of it is measured."""

from __future__ import annotations

import re
import unittest

import numpy as np

from bruto.app.pages.pages import PAGES
from bruto.practice.exercises import EXERCISES, ORDER, a_round
from bruto.practice.rounds import marked, snr_of

SEEDS = range(1, 7)


class Exercises(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.rounds = {name: [a_round(name, s) for s in SEEDS] for name in ORDER}

    def test_there_are_twelve_and_each_leads_to_a_page(self) -> None:
        self.assertEqual(len(ORDER), 12)
        self.assertEqual(set(ORDER), set(EXERCISES))
        tasks = {p.task for p in PAGES}
        for exercise in EXERCISES.values():
            self.assertIn(exercise.task, tasks)
            self.assertTrue(exercise.thought.startswith("Often thought: "))

    def test_each_round_has_one_truth(self) -> None:
        for name, some in self.rounds.items():
            for made in some:
                with self.subTest(name):
                    self.assertTrue(0 <= made.right < len(made.options))
                    self.assertEqual(len(set(made.options)), len(made.options))
                    if re.match(r"[A-D][:.,] ", made.explanation):  # it begins with the answer, by its letter
                        self.assertEqual(made.explanation[0], made.options[made.right])
                    self.assertGreater(len(made.explanation), 40)
                    for picture in (*made.pictures, *made.after):
                        self.assertEqual((picture.pixels.dtype, picture.pixels.shape[2]), (np.uint8, 3))
                        self.assertGreater(float(picture.pixels.std()), 3)  # there is something to see

    def test_answers_vary_and_a_seed_gives_the_same_round(self) -> None:
        for name, some in self.rounds.items():
            with self.subTest(name):
                answers = {made.options[made.right] + str(made.right) for made in some}
                self.assertGreater(len(answers), 1)
                again = a_round(name, SEEDS[0])
                self.assertEqual((again.right, again.explanation), (some[0].right, some[0].explanation))
                np.testing.assert_array_equal(again.pictures[0].pixels, some[0].pictures[0].pixels)

    def numbers(self, name: str) -> list[list[float]]:
        """Numbers that are told in each round."""
        return [[float(n) for n in re.findall(r"\d+\.\d+", made.explanation)] for made in self.rounds[name]]

    def test_sixteen_times_the_light_is_four_times_the_quality(self) -> None:
        for lifted, high, long in self.numbers("iso"):
            self.assertAlmostEqual(long / high, 4, delta=0.6)
            self.assertAlmostEqual(lifted / high, 1, delta=0.15)

    def test_frames_gain_their_root(self) -> None:
        for made, (measured,) in zip(self.rounds["frames"], self.numbers("frames"), strict=True):
            self.assertAlmostEqual(measured**2 / float(made.options[made.right]), 1, delta=0.15)

    def test_the_better_size_is_the_measured_one(self) -> None:
        for made, (binned, full) in zip(self.rounds["size"], self.numbers("size"), strict=True):
            self.assertEqual(made.right == 2, binned / full < 1.2 + 1e-9 or abs(binned / full - 1.2) < 0.06)

    def test_intervals_hold_the_pause(self) -> None:
        for made in self.rounds["interval"]:
            exposure = float(re.search(r"Exposure ([\d.]+) s", made.question)[1])
            pause = float(re.search(r"([\d.]+) s to save", made.question)[1])
            fits = [float(o.split()[0]) for o in made.options if float(o.split()[0]) >= exposure + pause - 0.05]
            self.assertEqual(float(made.options[made.right].split()[0]), min(fits))

    def test_a_sharpened_edge_has_less_fine_detail(self) -> None:
        for (ratio,) in self.numbers("edge"):
            self.assertGreater(ratio, 1.2)


class Parts(unittest.TestCase):
    def test_signal_over_noise(self) -> None:
        random = np.random.default_rng(1)
        light = (0.2 + random.normal(0, 0.01, (80, 80, 3))).astype(np.float32)
        light += np.linspace(0, 0.1, 80, dtype=np.float32)[None, :, None]  # a slow change of light does not count
        self.assertAlmostEqual(snr_of(light, (4, 4, 70, 70)) / 25, 1, delta=0.1)

    def test_marks_are_only_where_they_belong(self) -> None:
        picture = np.full((20, 20, 3), 9, np.uint8)
        where = np.zeros((20, 20), bool)
        where[5:10] = True
        found = marked(picture, where)
        self.assertTrue((found[~where] == 9).all())
        self.assertTrue(0.3 < (found[where] != 9).any(axis=1).mean() < 0.7)


if __name__ == "__main__":
    unittest.main()
