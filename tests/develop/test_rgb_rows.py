"""Rows of RGB as lines."""

from __future__ import annotations

import doctest
import unittest

import numpy as np

from bruto.develop import rgb_rows
from bruto.develop.quads import bin_quads
from bruto.develop.rgb_rows import lines
from bruto.develop.steps.local_contrast import fine_local_contrast
from bruto.develop.steps.noise import reduce_noise
from bruto.develop.steps.sharpness import sharpen
from bruto.develop.steps.working_light import to_working


class Lines(unittest.TestCase):
    def test_same_memory_where_it_lies_in_one_piece(self) -> None:
        rgb = np.zeros((4, 5, 3), np.float32)
        lines(rgb)[1, 7] = 1
        self.assertEqual(rgb[1, 2, 1], 1)

    def test_other_arrays_are_read_right(self) -> None:
        rgb = np.random.default_rng(1).random((6, 8, 3))
        for view in (rgb[::2, 1:7], rgb[:, ::-1], np.asfortranarray(rgb)):
            np.testing.assert_array_equal(
                lines(view), np.stack([view[..., k] for k in range(3)], 2).reshape(len(view), -1)
            )

    def test_steps_take_arrays_of_any_order(self) -> None:
        """A turned array, as of a file with a plane for each colour, gives what the same values in order give."""
        plain = np.random.default_rng(2).uniform(0.1, 0.9, (40, 56, 3)).astype(np.float32)
        turned = np.moveaxis(np.ascontiguousarray(np.moveaxis(plain, 2, 0)), 0, 2)
        noise, even = np.full((3, 2), 1e-4), np.ones((1, 1), np.float32)
        for step in (
            lambda rgb: to_working(rgb, np.eye(3)),
            lambda rgb: sharpen(rgb, 0.8, 0.8, 0.01),
            lambda rgb: fine_local_contrast(rgb, 1.3, 5040.0, (1e-4, 1e-6)),
            lambda rgb: reduce_noise(rgb, noise, 1.0, 1.0, "plain", even),
        ):
            np.testing.assert_array_equal(step(turned), step(plain))

    def test_apart_and_together(self) -> None:
        line = np.arange(12, dtype=np.float32)
        r, g, b = np.empty((3, 4), np.float32)
        rgb_rows.apart.py_func(line, r, g, b)
        np.testing.assert_array_equal(g, [1, 4, 7, 10])
        again = np.empty(12, np.float32)
        rgb_rows.together.py_func(r, g, b, again)
        np.testing.assert_array_equal(again, line)

    def test_example(self) -> None:
        self.assertEqual(doctest.testmod(rgb_rows, extraglobs={"np": np}).failed, 0)


class Quads(unittest.TestCase):
    def test_a_slope_keeps_its_place_in_every_color(self) -> None:
        """Red and blue are moved to the middle of their quad: a straight slope is the same in all three there."""
        y, x = np.mgrid[:24, :36].astype(np.float32)
        slope = 0.01 * y + 0.02 * x
        middle = 0.01 * (2 * np.arange(12)[:, None] + 0.5) + 0.02 * (2 * np.arange(18)[None] + 0.5)
        for cfa in ("RGGB", "BGGR", "GRBG", "GBRG"):
            found = bin_quads(slope, cfa, np.ones(3))
            for k in range(3):
                np.testing.assert_allclose(found[2:-2, 2:-2, k], middle[2:-2, 2:-2], atol=1e-5)

    def test_balance_and_smallest_pictures(self) -> None:
        for side in (2, 3, 6, 8, 9):
            found = bin_quads(np.full((side, side), 0.5, np.float32), "RGGB", np.array([2.0, 1.0, 3.0]))
            self.assertEqual(found.shape, (side // 2, side // 2, 3))
            np.testing.assert_allclose(found, np.broadcast_to([1.0, 0.5, 1.5], found.shape), rtol=1e-6)


if __name__ == "__main__":
    unittest.main()
