"""What is foretold of noise, against frames of the simulated phone that the model was not made of."""

from __future__ import annotations

import doctest
import math
import unittest
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import write_dng
from bruto.container.linearisation import linearise
from bruto.container.raw_frame import RawFrame
from bruto.errors import BrutoError
from bruto.plan import noise
from bruto.plan.noise import ENOUGH_SNR, GREY, blur_chance, bracket, ladder, low_light, rate_of, sizes, step
from bruto.sensor import scene_range as scene_range_module
from bruto.sensor.measurement import measure
from bruto.sensor.noise_model import NoiseModel, model_of
from bruto.sensor.scene_range import level_of, scene_range
from bruto.simphone.capture import Exposure, Phone
from bruto.simphone.capture_files import tags_of
from tests.shots import MIDDLE

ISOS = (50.0, 100.0, 200.0, 400.0, 800.0, 1600.0, 3200.0, 6400.0)
TIMES = (1 / 100, 1 / 50, 1 / 25, 1 / 10, 0.25, 0.5, 1.0, 2.0, 4.0)


class AgainstThePhone(unittest.TestCase):
    def test_noise_of_other_isos_is_foretold_within_15_percent(self) -> None:
        """A model of four ISOs, by what was measured in raws; two frames of others tell the truth."""
        phone = Phone("card", size=MIDDLE)
        metered = phone.meter()
        known = {}
        with TemporaryDirectory() as name:
            for k, iso in enumerate((50.0, 200.0, 800.0, 3200.0)):
                exposure = Exposure(iso, metered.seconds * metered.iso / iso)
                path = Path(name) / f"known-{k}.dng"
                _save(phone, exposure, k, path)
                known[iso] = measure(read_dng(path)).noise_measured
            model = model_of(known)
            for iso in (100.0, 400.0, 1600.0, 6400.0):
                exposure = Exposure(iso, metered.seconds * metered.iso / iso)
                frames = []
                for k in range(2):
                    path = Path(name) / f"other-{iso:g}-{k}.dng"
                    _save(phone, exposure, 50 + k, path)
                    raw = read_dng(path)
                    frames.append(linearise(RawFrame(raw.codes, replace(raw.meta, gain_maps=()))).data[::2, 1::2])
                mean, apart = (frames[0] + frames[1]) / 2, frames[0] - frames[1]
                for low, high in ((0.004, 0.02), (0.02, 0.1), (0.1, 0.5)):
                    inside = (mean > low) & (mean < high)
                    if inside.sum() < 3000:
                        continue
                    true = 1.4826 * float(np.median(np.abs(apart[inside]))) / math.sqrt(2)
                    a, b = model.at(iso)
                    text = math.sqrt(a * float(np.median(mean[inside])) + b)
                    with self.subTest(iso=iso, low=low):
                        self.assertAlmostEqual(text / true, 1.0, delta=0.15)

    def test_how_far_a_scene_reaches(self) -> None:
        with TemporaryDirectory() as name:
            phone = Phone("sluice", size=(1008, 756))
            metered = phone.meter()
            for k, ev in enumerate((-6.0, -3.0, 2.0)):
                path = Path(name) / f"{k}.dng"
                _save(phone, Exposure(metered.iso, metered.seconds * 2**ev), k, path)
            dark, usual, light = (scene_range(Path(name) / f"{k}.dng") for k in range(3))
            self.assertAlmostEqual(usual.highlights_ev - dark.highlights_ev, 3.0, delta=0.35)
            self.assertGreater(light.clipped_percent, 1.0)
            self.assertEqual(dark.iso, metered.iso)
            one, other = level_of(Path(name) / "0.dng"), level_of(Path(name) / "1.dng")
            self.assertAlmostEqual(math.log2(other[0] / one[0]), 3.0, delta=0.2)
            self.assertAlmostEqual(math.log2(other[1] / one[1]), 3.0, delta=1e-3)


def _save(phone: Phone, exposure: Exposure, seed: int, path: Path) -> None:
    capture = phone.shoot(exposure, seed=seed)
    write_dng(path, capture.codes, tags_of(capture, "2026:06:21 12:00:00"), np.zeros((60, 80, 3), np.uint8))


MODEL = NoiseModel(2e-6, 1e-7, 4e-12)


class Answers(unittest.TestCase):
    def test_the_model_goes_through_what_was_measured(self) -> None:
        true = NoiseModel(3e-6, 2e-7, 5e-12)
        found = model_of({i: true.at(i) for i in ISOS})
        for iso in (70.0, 1000.0):
            np.testing.assert_allclose(found.at(iso), true.at(iso), rtol=1e-6)
        with self.assertRaisesRegex(BrutoError, "not known"):
            model_of({})

    def test_a_ladder_holds_what_differs(self) -> None:
        """With read noise that does not depend on the ISO (it is behind the amplifier) a higher one helps; with read
        noise before it, it does not, and only the lowest is left of each time.
        """
        rate = GREY / (100 * 1.0) / 8
        behind, before = NoiseModel(1e-6, 4e-6, 0.0), NoiseModel(1e-6, 0.0, 1e-10)
        kept, out = ladder(behind, rate, ISOS, (1.0, 2.0))
        self.assertGreater(len({s.iso for s in kept}), 2)
        for seconds in (1.0, 2.0):
            some = [s for s in kept if s.seconds == seconds]
            for one, other in pairwise(some):
                self.assertGreaterEqual(other.snr_shadow / one.snr_shadow, 1.15)
        self.assertEqual(len(kept) + len(out), 16)
        kept, _ = ladder(before, rate, ISOS, (1.0, 2.0))
        self.assertEqual({s.iso for s in kept}, {50.0})

    def test_three_answers_to_low_light(self) -> None:
        rate = rate_of(0.02, 1600.0, 1 / 25)
        tripod, burst, single = low_light(MODEL, rate, ISOS, TIMES, limit=1 / 12, frames=8)
        self.assertEqual((tripod.step.iso, tripod.blur_chance), (50.0, 0.0))
        self.assertAlmostEqual(burst.snr_grey / single.snr_grey, math.sqrt(8))
        self.assertLessEqual(burst.blur_chance, 0.1)
        self.assertGreater(tripod.snr_shadow, single.snr_shadow)
        self.assertEqual(burst.step, single.step)

    def test_the_chance_of_blur(self) -> None:
        chances = [blur_chance(s, 0.1) for s in (0.01, 0.05, 0.1, 0.2, 1.0)]
        self.assertEqual(chances, sorted(chances))
        self.assertAlmostEqual(chances[1] + chances[3], 1.0, places=9)
        self.assertLess(chances[0], 1e-4)

    def test_a_bracket_covers_the_scene(self) -> None:
        random = np.random.default_rng(3)
        for _ in range(50):
            lights, darks = float(random.uniform(0.5, 7)), float(random.uniform(-9, -1))
            iso = float(random.choice(ISOS))
            steps = bracket(MODEL, iso, lights, darks, 2.5)
            self.assertLess(GREY * 2 ** (lights + min(steps)), 1.0 + 1e-6)
            grown = step(MODEL, GREY / iso, iso, 2 ** max(steps))
            self.assertGreaterEqual(MODEL.snr(grown.grey * 2**darks, iso), ENOUGH_SNR * 0.93)
            self.assertTrue(all(b - a <= 2.5 + 1 / 3 for a, b in pairwise(steps)))
            self.assertTrue(all(abs(3 * s - round(3 * s)) < 1e-9 for s in steps))
        self.assertEqual(bracket(MODEL, 50, 2.0, -2.0), [0.0])

    def test_full_and_binned_at_equal_size(self) -> None:
        """Where photons alone make noise both are alike; read noise of four sites makes the full one worse."""
        same = sizes((1e-4, 0.0), (4e-4, 0.0), 0.1)
        self.assertAlmostEqual(same["binned_better_by"], 1.0)
        self.assertGreater(sizes((1e-4, 1e-6), (4e-4, 16e-6), 0.01)["binned_better_by"], 1.3)

    def test_what_is_refused(self) -> None:
        for make in (
            lambda: rate_of(0, 100, 1), lambda: blur_chance(-1, 1), lambda: bracket(MODEL, 50, -3, 3),
            lambda: low_light(MODEL, 1e-3, (), TIMES, 0.1), lambda: sizes((-1, 0), (1, 1)),
        ):  # fmt: skip
            with self.assertRaises(BrutoError):
                make()

    def test_examples(self) -> None:
        for module in (noise, scene_range_module):
            self.assertEqual(doctest.testmod(module).failed, 0)


if __name__ == "__main__":
    unittest.main()
