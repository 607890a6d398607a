"""Middle values and clipped means of stacks, against NumPy's."""

from __future__ import annotations

import doctest
import unittest

import numpy as np

from bruto.merge import order_statistics
from bruto.merge.methods.long_exposure import without_passing
from bruto.merge.order_statistics import clipped_mean, middle_values


def _stack(count: int, gaps: bool) -> np.ndarray:
    random = np.random.default_rng(count)
    stack = random.normal(0.3, 0.02, (count, 7, 90, 3)).astype(np.float32)
    if gaps:
        stack[0, :, :9], stack[-1, 2:, 60:], stack[1, 3, 20:24] = np.nan, np.nan, np.nan
    return stack


class TestOrder(unittest.TestCase):
    def test_middle_values(self) -> None:
        for count in (2, 3, 4, 7, 12):
            for gaps in (False, True):
                stack = _stack(count, gaps)
                np.testing.assert_allclose(middle_values(stack), np.nanmedian(stack, axis=0), rtol=1e-6)

    def test_clipped_mean(self) -> None:
        noise = np.array([[1e-3, 1e-5], [2e-3, 1e-5], [1e-3, 3e-5]])
        for count in (3, 6, 9):
            stack = _stack(count, True)
            stack[2, :, 30:50] += 0.3
            middle = np.nanmedian(stack, axis=0)
            room = 2.5 * np.sqrt(noise[:, 0] * np.maximum(middle, 0) + noise[:, 1])
            mean = np.nanmean(np.where(np.abs(stack - middle) <= room, stack, np.nan), axis=0)
            np.testing.assert_allclose(clipped_mean(stack, noise, 2.5), mean, rtol=1e-4)

    def test_what_passes_is_gone_beside_gaps_too(self) -> None:
        """Columns that a frame does not hold are taken one by one; nothing of that shows."""
        stack = _stack(9, False)
        stack[4, :, 40:60] = 0.9
        noise = np.full((3, 2), [0.0, 0.02**2])
        whole = without_passing(stack, noise)
        self.assertLess(np.abs(whole - 0.3).max(), 0.05)
        stack[0, :, 70:] = np.nan
        np.testing.assert_array_equal(without_passing(stack, noise)[:, :70], whole[:, :70])

    def test_nothing_there(self) -> None:
        stack = np.full((3, 2, 4, 3), np.nan, np.float32)
        stack[:, :, :2] = 0.5
        found = middle_values(stack)
        self.assertTrue(np.isnan(found[:, 2:]).all() and (found[:, :2] == 0.5).all())

    def test_examples(self) -> None:
        self.assertEqual(doctest.testmod(order_statistics).failed, 0)


if __name__ == "__main__":
    unittest.main()
