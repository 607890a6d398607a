"""Strokes of a brush: where they reach, in which order, and what is none."""

from __future__ import annotations

import doctest
import unittest

import numpy as np

from bruto.container import orientation
from bruto.container.orientation import orient, place_as_stored
from bruto.develop import strokes
from bruto.develop.strokes import Stroke, painted, strokes_as_json, strokes_of
from bruto.errors import BrutoError


class TestStrokes(unittest.TestCase):
    def test_it_reaches_as_far_as_it_says(self) -> None:
        """Full along the middle, half at the middle of its soft side, nothing beyond its radius."""
        mask = painted(np.zeros((300, 400), np.float32), [Stroke(((0.25, 0.5), (0.75, 0.5)), 0.1)])
        column = mask[:, 200]
        self.assertTrue((column[150 - 24 : 150 + 24] == 1).all())
        self.assertEqual(float(column[: 150 - 42].max()), 0.0)
        self.assertAlmostEqual(float(np.interp(150 + 33, np.arange(300), column)), 0.5, delta=0.06)
        self.assertEqual(float(mask[150, :58].max()), 0.0)
        self.assertEqual(float(mask[150, 75]), 1.0)

    def test_the_last_one_counts(self) -> None:
        one, other = Stroke(((0.5, 0.5),), 0.2), Stroke(((0.5, 0.5),), 0.1, False)
        half = np.full((100, 100), 0.5, np.float32)
        self.assertEqual(painted(half, [one, other])[50, 50], 0.0)
        self.assertEqual(painted(half, [other, one])[50, 50], 1.0)
        self.assertEqual(painted(half, [one, other])[0, 0], 0.5)
        self.assertTrue((half == 0.5).all())

    def test_the_same_at_every_size(self) -> None:
        made = [Stroke(((0.1, 0.2), (0.5, 0.9), (0.8, 0.1)), 0.05)]
        large = painted(np.zeros((600, 800), np.float32), made)
        small = painted(np.zeros((300, 400), np.float32), made)
        mean = large.reshape(300, 2, 400, 2).mean(axis=(1, 3))
        self.assertLess(float(np.abs(mean - small).max()), 0.2)
        self.assertLess(float(np.abs(mean - small).mean()), 0.003)

    def test_outside_of_the_frame(self) -> None:
        empty = np.zeros((50, 60), np.float32)
        self.assertEqual(float(painted(empty, [Stroke(((1.8, -0.9),), 0.1)]).max()), 0.0)
        self.assertEqual(float(painted(empty, [Stroke(((-0.2, 0.5), (1.2, 0.5)), 0.1)])[25].min()), 1.0)

    def test_through_a_file(self) -> None:
        made = (Stroke(((0.1, 0.2), (0.5, 0.25)), 0.05), Stroke(((0.5, 0.5),), 0.02, False))
        self.assertEqual(strokes_of(strokes_as_json(made)), made)

    def test_what_is_no_stroke(self) -> None:
        good = {"reach": 0.1, "points": [[0.5, 0.5]]}
        for bad, notice in (
            ("no", "list"), (None, "list"), ([3], "stroke 1"), ([good, {}], "stroke 2: 'reach'"),
            ([{**good, "reach": float("nan")}], "'reach'"), ([{**good, "reach": True}], "'reach'"),
            ([{**good, "points": []}], "'points'"), ([{**good, "points": [[1, 2, 3]]}], "a point"),
            ([{**good, "points": [[0.5, 7]]}], "a point"), ([{**good, "adds": 1}], "'adds'"),
            ([{**good, "more": 1}], "it is not"),
        ):  # fmt: skip
            with self.subTest(bad=bad), self.assertRaisesRegex(BrutoError, notice):
                strokes_of(bad)

    def test_places_follow_the_picture(self) -> None:
        """A place of the turned picture shows the same pixel in the stored one."""
        stored = np.arange(6 * 10).reshape(6, 10)
        for k in range(1, 9):
            seen = orient(stored, k)
            h, w = seen.shape
            for y in range(h):
                for x in range(w):
                    u, v = place_as_stored((x + 0.5) / w, (y + 0.5) / h, k)
                    self.assertEqual(stored[int(v * 6), int(u * 10)], seen[y, x])

    def test_examples(self) -> None:
        for module in (strokes, orientation):
            self.assertEqual(doctest.testmod(module).failed, 0)


if __name__ == "__main__":
    unittest.main()
