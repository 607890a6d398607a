"""What is learnt, against the laws that the shots were made by."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np

from bruto.errors import BrutoError
from bruto.logbook.estimates import battery, ceiling, hand, noise, pace, storage, viewfinder
from bruto.logbook.records import LogRecord
from bruto.plan.noise import ENOUGH_SNR, GREY, blur_chance
from bruto.sensor.noise_model import NoiseModel

TRUE = NoiseModel(2e-6, 3e-7, 6e-12)


def noisy(count: int, seed: int = 0) -> list[LogRecord]:
    random = np.random.default_rng(seed)
    found = []
    for k in range(count):
        iso = float(50 * 2 ** (k % 8))
        a, b = TRUE.at(iso)
        off = float(np.exp(random.normal(0, 0.05)))
        found.append(LogRecord(
            key=str(k), name=f"s-{k}", taken=f"2026-06-{1 + k % 28:02d}T12:00:00", iso=iso, noise_a=a * off,
            noise_b=b * off, kind="mosaic", width=4032, height=3024, bytes=20_000_000 + 1_000_000 * (k % 3),
        ))  # fmt: skip
    return found


class Noise(unittest.TestCase):
    def test_the_model_and_its_outliers(self) -> None:
        shots = noisy(64)
        shots[5] = replace(shots[5], noise_a=(shots[5].noise_a or 0) * 3, noise_b=(shots[5].noise_b or 0) * 3)
        found = noise(shots)
        self.assertEqual(found.outliers, ("s-5",))
        self.assertEqual(found.count, 63)
        for iso in (64.0, 500.0, 5000.0):
            for x in (0.003, 0.02, 0.3):
                (a, b), (c, d) = found.model.at(iso), TRUE.at(iso)
                self.assertAlmostEqual(math.sqrt((a * x + b) / (c * x + d)), 1.0, delta=0.05)
        self.assertTrue(1.0 < found.model.error < 1.14)
        self.assertEqual(found.until, "2026-06-28")

    def test_the_ceiling(self) -> None:
        iso = ceiling(TRUE)
        self.assertAlmostEqual(TRUE.snr(GREY / 8, iso), ENOUGH_SNR, places=3)
        self.assertIsNone(ceiling(NoiseModel(1.0, 0, 0)))
        self.assertEqual(ceiling(NoiseModel(1e-12, 0, 0)), 102400.0)

    def test_nothing_to_learn_from(self) -> None:
        for learn in (noise, hand):
            with self.assertRaises(BrutoError):
                learn([])
        self.assertEqual((viewfinder([]), pace([]), storage([]), battery([])), ({}, {}, {}, None))


class Hand(unittest.TestCase):
    def test_the_limit_of_a_hand(self) -> None:
        """A person who blurs half of the shots at 1/10 s with 26 mm; foretold chances of new times within 10 points."""
        for seed in range(4):
            random = np.random.default_rng(seed)
            limit, spread, shots = 2.6, 0.5, []
            for k in range(600):
                focal = float(random.choice([15, 26, 68]))
                seconds = float(np.exp(random.uniform(math.log(1 / 400), math.log(1.0))))
                own = limit / focal * math.exp(spread * random.normal())
                blur = (seconds / own) ** 1.2
                shots.append(LogRecord(key=str(k), support="hand", focal_35mm=focal, exposure_s=seconds, blur_px=blur))
            found = hand(shots)
            self.assertAlmostEqual(found.limit_35mm / limit, 1.0, delta=0.3)
            for focal in (15, 26, 68):
                for seconds in (1 / 100, 1 / 30, 1 / 10, 1 / 4):
                    true = blur_chance(seconds, limit / focal, spread)
                    text = blur_chance(seconds, found.seconds(focal), found.spread)
                    self.assertLess(abs(text - true), 0.1)
            self.assertLess(found.seconds(26, 0.1), found.seconds(26, 0.5))

    def test_all_sharp_tells_no_limit(self) -> None:
        with self.assertRaisesRegex(BrutoError, "some blurred"):
            hand(
                [LogRecord(key=str(k), support="hand", focal_35mm=26, exposure_s=0.01, blur_px=0.1) for k in range(20)]
            )


class Others(unittest.TestCase):
    def test_pace(self) -> None:
        begin, at, shots = datetime(2026, 6, 21, 23), 0.4, []
        for k in range(40):
            taken = begin + timedelta(seconds=math.floor(at))
            shots.append(LogRecord(key=str(k), name=f"{k:03d}", shoot="n", kind="mosaic", taken=taken.isoformat(),
                                exposure_s=8.0))  # fmt: skip
            at += 8.0 + 1.3 + (600 if k == 20 else 0)
        found = pace(shots)["mosaic"]
        self.assertAlmostEqual(found.value, 1.3, delta=0.08)
        self.assertEqual(found.count, 38)

    def test_viewfinder_storage_and_battery(self) -> None:
        shots = [replace(r, viewfinder_ev=0.5 + 0.1 * (k % 3), program="own 1.0") for k, r in enumerate(noisy(30))]
        found = viewfinder(shots)["own 1.0"]
        self.assertAlmostEqual(found.value, 0.6)
        self.assertEqual(found.count, 30)
        size = storage(shots)["mosaic 12 MP"]
        self.assertAlmostEqual(size.value, 21e6)
        rate = battery([("a", 90.0, 60.0, 3.0), ("b", 80.0, 60.0, 1.0), ("c", 10.0, 50.0, 1.0)])
        self.assertAlmostEqual(rate.value, 15.0)
        self.assertEqual(rate.count, 2)


class Claims(unittest.TestCase):
    """Nine of ten logbooks hold the truth within what is claimed, few shots or many, and claims are not idle."""

    BOOKS = 200
    IDLE = 4.5
    """Times the median miss that a claim of nine in ten is at most: 2.4 for a normal curve, more for few shots."""

    def held(self, *books: tuple[float, float]) -> None:
        """Check misses and claims, of equal units."""
        miss, claimed = np.abs(np.array(books)).T
        self.assertGreaterEqual((miss <= claimed).mean(), 0.86)  # 0.9 less two standard errors of 200
        self.assertLess(np.median(claimed), self.IDLE * np.median(miss))

    def test_viewfinder_and_size(self) -> None:
        for count in (4, 10, 40):
            offsets, sizes = [], []
            for seed in range(self.BOOKS):
                random = np.random.default_rng(seed)
                shots = [
                    LogRecord(
                        key=str(k), program="p", kind="mosaic", width=4032, height=3024,
                        viewfinder_ev=float(random.normal(0.4, 0.2)), bytes=int(random.normal(22e6, 4e6)),
                    )
                    for k in range(count)
                ]  # fmt: skip
                offset, size = viewfinder(shots)["p"], storage(shots)["mosaic 12 MP"]
                offsets.append((offset.value - 0.4, offset.error))
                sizes.append((size.value - 22e6, size.error))
            with self.subTest(count):
                self.held(*offsets)
                self.held(*sizes)

    def test_battery(self) -> None:
        for count in (1, 3, 12):
            books = []
            for seed in range(self.BOOKS):
                rates = np.random.default_rng(seed).normal(14.0, 3.5, count)
                found = battery([(str(k), 90.0, 90.0 - 2 * rate, 2.0) for k, rate in enumerate(rates)])
                books.append((found.value - 14.0, found.error))
            with self.subTest(count):
                self.held(*books)

    def test_pace(self) -> None:
        for count in (6, 20, 80):
            books = []
            for seed in range(self.BOOKS):
                random = np.random.default_rng(seed)
                pause, at, shots = random.uniform(0.2, 4), random.uniform(0, 1), []
                for k in range(count):
                    taken = datetime(2026, 6, 21, 23) + timedelta(seconds=math.floor(at))
                    shots.append(LogRecord(key=str(k), name=f"{k:03d}", shoot="n", kind="mosaic", exposure_s=8.0,
                                        taken=taken.isoformat()))  # fmt: skip
                    at += 8.0 + max(0.0, random.normal(pause, 0.15))
                found = pace(shots)["mosaic"]
                books.append((found.value - pause, found.error))
            with self.subTest(count):
                miss, claimed = np.abs(np.array(books)).T
                self.assertGreaterEqual((miss <= claimed).mean(), 0.86)
                self.assertLess(np.median(claimed), 1.1 * 2 / math.sqrt(count))  # stamps of whole seconds

    def test_hand(self) -> None:
        for count in (20, 60, 200):
            books = []
            for seed in range(self.BOOKS):
                random = np.random.default_rng(seed)
                limit = math.exp(random.normal(math.log(2.6), 0.4))
                times = np.exp(random.uniform(math.log(1 / 200), math.log(1.0), count))
                blurs = times * 26 / limit * np.exp(random.normal(0, 0.5, count))
                shots = [
                    LogRecord(key=str(k), support="hand", focal_35mm=26, exposure_s=float(s), blur_px=float(b))
                    for k, (s, b) in enumerate(zip(times, blurs, strict=True))
                ]
                found = hand(shots)
                books.append((math.log(found.limit_35mm / limit), math.log(found.error)))
            with self.subTest(count):
                self.held(*books)

    def test_noise(self) -> None:
        """Of single shots to come: what the band of the plot holds."""
        for count in (1, 6, 24, 64):
            held, wide = [], []
            for seed in range(self.BOOKS):
                found = noise(noisy(count, seed))
                random = np.random.default_rng(1000 + seed)
                iso = float(50 * 2 ** random.integers(0, min(count, 8)))
                x = GREY / 8
                (a, b), (c, d) = found.model.at(iso), TRUE.at(iso)
                miss = 0.5 * abs(math.log((a * x + b) / (c * x + d)) - random.normal(0, 0.05))
                held.append(miss <= math.log(found.model.error))
                wide.append(found.model.error)
            with self.subTest(count):
                self.assertGreaterEqual(np.mean(held), 0.86)
                self.assertLess(np.median(wide), 1.12 if count >= 24 else 1.45)


if __name__ == "__main__":
    unittest.main()
