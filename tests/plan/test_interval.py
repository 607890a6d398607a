"""Sequences whose pauses are known: what their first frames tell, with lost frames, doubles, skips and drift."""

from __future__ import annotations

import doctest
import math
import unittest

import numpy as np

from bruto.errors import BrutoError
from bruto.plan import interval
from bruto.plan.interval import as_json, sequence, watched


def shot(count: int, exposure: float, pause: float, asked: float | None = None, drift: float = 0.0) -> list[float]:
    """Beginnings on a clock of whole seconds of frames of a phone that needs a pause, which grows by a share of
    `drift`; with an interval asked for, a press that comes while it saves is lost.
    """
    starts, at, k = [], 0.4, 0
    while len(starts) < count:
        starts.append(at)
        ready = at + exposure + pause * (1 + drift * len(starts) / count)
        if asked is None:
            at = ready
        else:
            k = max(k + 1, math.ceil((ready - 0.4) / asked - 1e-9))
            at = 0.4 + k * asked
    return [float(math.floor(s)) for s in starts]


class Watching(unittest.TestCase):
    def test_thirty_sequences_are_corrected_rightly(self) -> None:
        """Pauses of 0.3 to 4 s with frames lost here and there: the interval that is said lets the phone save, and is
        no more than half a second too long.
        """
        random = np.random.default_rng(5)
        right = 0
        for k in range(30):
            exposure, pause = float(random.choice([2, 4, 8, 15, 20, 30])), float(random.uniform(0.3, 4.0))
            starts = shot(40, exposure, pause)
            lost = sorted(random.choice(np.arange(3, 37), k % 4, replace=False))
            there = [s for n, s in enumerate(starts) if n not in lost]
            found = watched(there, exposure)
            right += abs(found.interval - (exposure + pause)) < 0.1 and len(found.missed) == len(
                [n for n in lost if n - 1 not in lost]
            )
        self.assertEqual(right, 30)

    def test_every_second_frame_missing(self) -> None:
        random = np.random.default_rng(6)
        for _ in range(30):
            exposure, pause = float(random.choice([4, 8, 15, 30])), float(random.uniform(1.2, 4.0))
            asked = exposure + 1.0
            starts = shot(6, exposure, pause, asked)
            found = watched(starts[:3], exposure, asked)  # two steps are enough
            self.assertEqual(found.skips, 2)
            self.assertGreaterEqual(found.interval, exposure + pause)
            again = watched(shot(12, exposure, pause, math.ceil(found.interval)), exposure, math.ceil(found.interval))
            self.assertEqual(again.skips, 1)
            self.assertIn("keeps the interval", again.messages[0])

    def test_doubles_drift_and_losses_are_told_apart(self) -> None:
        starts = shot(20, 15.0, 1.0)
        twice = sorted([*starts, starts[7]])
        found = watched(twice, 15.0)
        self.assertEqual((found.double, found.missed, found.drift), ((8,), (), 0.0))
        self.assertAlmostEqual(found.step, 16.0, delta=0.06)
        warm = watched(shot(40, 4.0, 1.0, drift=3.0), 4.0)
        self.assertGreater(warm.drift, 1.0)
        self.assertIn("grows", " ".join(warm.messages))
        self.assertEqual(watched(shot(60, 8.0, 0.7), 8.0).drift, 0.0)
        gone = [s for k, s in enumerate(starts) if k not in (5, 6)]
        self.assertEqual(watched(gone, 15.0).missed, ((4, 2),))

    def test_what_cannot_be_told(self) -> None:
        for starts, exposure in (([0.0], 1.0), ([0.0, 5.0], 0.0), ([5.0, 0.0], 1.0), ([3.0, 3.0], 4.0)):
            with self.assertRaises(BrutoError):
                watched(starts, exposure)


class Arithmetic(unittest.TestCase):
    def test_frames_in_a_time(self) -> None:
        """The last pause need not fit: n exposures and n - 1 pauses."""
        for exposure, pause, duration in ((30, 1.5, 3600), (10, 0, 100), (15, 5, 34.9), (15, 5, 35.0)):
            n = sequence(exposure, pause, duration).frames
            self.assertLessEqual(n * exposure + (n - 1) * pause, duration + 1e-6)
            self.assertGreater((n + 1) * exposure + n * pause, duration)

    def test_as_json(self) -> None:
        plan = sequence(30.0, 1.0, 3600.0, 24e6)
        found = as_json(plan, watched([0.0, 31.0, 93.0, 124.0], 30.0), ["a.dng", "b.dng", "c.dng", "d.dng"])
        self.assertEqual((found["interval_s"], found["frames"], found["storage_mb"]), (31.0, 116, 2784.0))
        self.assertEqual(found["missed"], [{"after": "b.dng", "frames": 1}])

    def test_what_is_refused(self) -> None:
        for exposure, pause, duration in ((0, 1, None), (-1, 1, None), (1, -1, None), (1, 1, -5), (1, math.nan, None)):
            with self.assertRaises(BrutoError):
                sequence(exposure, pause, duration)

    def test_examples(self) -> None:
        self.assertEqual(doctest.testmod(interval).failed, 0)


if __name__ == "__main__":
    unittest.main()
