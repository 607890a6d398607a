"""Curves through points: monotone and natural cubic ones, in NumPy alone: SciPy takes longer to load than they do."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray


class MonotoneCurve:
    """A cubic curve through points that rises and falls only where they do.

    Slopes are weighted harmonic means of those on both sides (Fritsch, Butland 1984), 0 at turning points, and
    three-point estimates at the ends.

    >>> float(MonotoneCurve([0, 1, 2], [0, 1, 1])(1.5))
    1.0
    """

    def __init__(self, x: ArrayLike, y: ArrayLike) -> None:
        """`x` (N,) rising, N >= 2."""
        self.x, self.y = np.asarray(x, float), np.asarray(y, float)
        step = np.diff(self.x)
        slope = np.diff(self.y) / step
        self._at = self._slopes(step, slope)
        bend = (self._at[:-1] + self._at[1:] - 2 * slope) / step
        self._cubic, self._square = bend / step, (slope - self._at[:-1]) / step - bend

    @staticmethod
    def _slopes(step: NDArray[Any], slope: NDArray[Any]) -> NDArray[np.float64]:
        if len(slope) == 1:
            return np.repeat(slope, 2)
        before, after = slope[:-1], slope[1:]
        one, other = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
        found = np.zeros(len(slope) + 1)
        same = np.sign(before) * np.sign(after) > 0
        found[1:-1][same] = 1.0 / ((one[same] / before[same] + other[same] / after[same]) / (one[same] + other[same]))
        found[0] = _end(step[0], step[1], slope[0], slope[1])
        found[-1] = _end(step[-1], step[-2], slope[-1], slope[-2])
        return found

    def __call__(self, at: ArrayLike) -> NDArray[np.float64]:
        """Values of the curve; the last pieces go on outside of the points."""
        places = np.asarray(at, float)
        k = np.clip(np.searchsorted(self.x, places, side="right") - 1, 0, len(self.x) - 2)
        s = places - self.x[k]
        square = s * s
        return self.y[k] + self._at[:-1][k] * s + self._square[k] * square + self._cubic[k] * (square * s)


def _end(near: float, next_: float, slope: float, beyond: float) -> float:
    """Slope at an end: of the parabola through three points, held to the shape."""
    found = ((2 * near + next_) * slope - near * beyond) / (near + next_)
    if np.sign(found) != np.sign(slope):
        return 0.0
    if np.sign(slope) != np.sign(beyond) and abs(found) > 3 * abs(slope):
        return 3 * slope
    return float(found)


def natural_spline(x: ArrayLike, y: ArrayLike, at: ArrayLike) -> NDArray[np.float64]:
    """Compute values of the natural cubic spline through points (N,), N >= 2.

    No bend at its ends (de Boor 1978, chapter 4).

    Parameters
    ----------
    x
        Places of the points (N,), rising.
    y
        Values at the points (N,).
    at
        Positions to evaluate at.

    Returns
    -------
    NDArray[np.float64]
        Values of the natural cubic spline through points (N,), N >= 2.
    """
    x, y, places = np.asarray(x, float), np.asarray(y, float), np.asarray(at, float)
    step = np.diff(x)
    slope = np.diff(y) / step
    n = len(x)
    system, right = np.zeros((n, n)), np.zeros(n)
    system[0, 0] = system[-1, -1] = 1
    for k in range(1, n - 1):
        system[k, k - 1 : k + 2] = step[k - 1], 2 * (step[k - 1] + step[k]), step[k]
        right[k] = 6 * (slope[k] - slope[k - 1])
    bend = np.linalg.solve(system, right)  # second derivatives
    piece = np.clip(np.searchsorted(x, places, side="right") - 1, 0, n - 2)
    s = places - x[piece]
    first = slope - step * (2 * bend[:-1] + bend[1:]) / 6
    third = (bend[1:] - bend[:-1]) / (6 * step)
    return y[piece] + s * (first[piece] + s * (bend[piece] / 2 + s * third[piece]))
