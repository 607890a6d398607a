"""Curves through points against SciPy's."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline, PchipInterpolator

from bruto.develop.interpolation import MonotoneCurve, natural_spline

PATIENT = settings(deadline=None, suppress_health_check=[HealthCheck.too_slow])
"""A busy machine draws points slowly, which says nothing of curves."""
POINTS = st.lists(st.tuples(st.integers(1, 50), st.integers(-40, 40)), min_size=2, max_size=16)


def spread(points: list[tuple[int, int]]) -> tuple[np.ndarray, np.ndarray]:
    """Points from steps and heights."""
    steps, y = np.array(points, float).T
    return np.cumsum(steps) / 10, y / 10


class Curves(unittest.TestCase):
    @PATIENT
    @given(POINTS)
    def test_monotone(self, points: list[tuple[int, int]]) -> None:
        x, y = spread(points)
        at = np.linspace(x[0], x[-1], 200)
        np.testing.assert_allclose(MonotoneCurve(x, y)(at), PchipInterpolator(x, y)(at), rtol=1e-11, atol=1e-12)

    @PATIENT
    @given(POINTS)
    def test_natural(self, points: list[tuple[int, int]]) -> None:
        x, y = spread(points)
        at = np.linspace(x[0], x[-1], 200)
        want = CubicSpline(x, y, bc_type="natural")(at)
        np.testing.assert_allclose(natural_spline(x, y, at), want, rtol=1e-9, atol=1e-10)


if __name__ == "__main__":
    unittest.main()
