"""What the sensor report says against what the simulated scene and closed formulas say."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import cv2
import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.container.raw_frame import Linear, RawFrame, RawMeta
from bruto.sensor.advice import thirds
from bruto.sensor.blur import edge_blur
from bruto.sensor.measurement import measure
from bruto.sensor.noise import dynamic_range_ev, estimate_noise, file_noise, shadow_lift_ev, signal_at_snr
from bruto.sensor.report import SensorReport
from bruto.simphone.capture import Exposure, Phone
from tests.shots import MIDDLE, SMALL, raw_of
from tests.truth import relative_sigma, true_noise


def flat_frame(value: float = 0.2, **meta) -> RawFrame:
    """A mosaic of one value in codes between black 100 and white 1100."""
    codes = np.full((128, 160), round(100 + value * 1000), np.uint16)
    base = RawMeta(
        "mosaic", 160, 128, 16, "none", "RGGB", np.full((2, 2), 100.0), np.array([1100.0]), (0, 0, 160, 128),
        (0, 0, 160, 128),
    )  # fmt: skip
    return RawFrame(codes, replace(base, **meta))


def changed(frame: RawFrame, where, code: int) -> RawFrame:
    codes = frame.codes.copy()
    codes[where] = code
    return RawFrame(codes, frame.meta, frame.preview)


class Noise(unittest.TestCase):
    def test_estimate_on_pure_noise(self) -> None:
        random = np.random.default_rng(3)
        ramp = np.linspace(0.01, 0.8, 600, dtype=np.float32)[None].repeat(600, 0)
        for a, b in ((1e-4, 1e-6), (1e-3, 4e-6), (4e-3, 1e-4)):
            noisy = (ramp + random.normal(0, 1, ramp.shape) * np.sqrt(a * ramp + b)).astype(np.float32)
            found = estimate_noise(
                Linear(np.repeat(noisy[..., None], 3, 2), np.zeros((300, 300), np.uint8), "", 1.0)
            ).model
            for at in (0.03, 0.18, 0.6):
                self.assertAlmostEqual(relative_sigma(found[1], a, b, at), 1, delta=0.06, msg=f"a {a}, at {at}")

    def test_estimate_on_scenes(self) -> None:
        """Standard deviation at grey within 12 % where the scene has flat places, never more than 40 % off."""
        for scene, iso, allowed in (
            ("pans", 50, 0.12), ("pans", 400, 0.12), ("card", 50, 0.12), ("card", 3200, 0.12), ("sluice", 400, 0.12),
            ("sluice", 3200, 0.12), ("boiling-house", 400, 0.12), ("crystals", 400, 0.40),
        ):  # fmt: skip
            report = measure(read_dng(raw_of(scene, size=MIDDLE, iso=float(iso))))
            ratio = relative_sigma(np.array(report.noise_measured), *true_noise(iso), 0.18)
            self.assertAlmostEqual(ratio, 1, delta=allowed, msg=f"{scene}, ISO {iso}")

    def test_file_states_the_truth(self) -> None:
        frame = read_dng(raw_of("card", size=MIDDLE, iso=400.0))
        found = file_noise(frame.meta)
        assert found is not None
        np.testing.assert_allclose(found, [true_noise(400)] * 3, rtol=1e-6)
        self.assertEqual(measure(frame).noise_source, "file")

    def test_without_a_profile_the_picture_is_measured(self) -> None:
        frame = read_dng(raw_of("card", size=MIDDLE, iso=400.0))
        report = measure(RawFrame(frame.codes, replace(frame.meta, noise_profile=None), frame.preview))
        self.assertEqual(report.noise_source, "picture")
        self.assertAlmostEqual(relative_sigma(np.array(report.noise), *true_noise(400), 0.18), 1, delta=0.12)

    def test_profile_of_four_sites(self) -> None:
        frame = flat_frame(noise_profile=np.array([[1.0, 0], [2, 0], [4, 0], [8, 0]]))
        np.testing.assert_allclose(file_noise(frame.meta), [[1, 0], [3, 0], [8, 0]])

    def test_a_false_profile_is_pointed_out(self) -> None:
        frame = read_dng(raw_of("card", size=MIDDLE, iso=400.0))
        assert frame.meta.noise_profile is not None
        lying = replace(frame.meta, noise_profile=frame.meta.noise_profile / 9)
        texts = [a.text for a in measure(RawFrame(frame.codes, lying)).advice if a.topic == "noise"]
        self.assertTrue(any("picture / file" in t for t in texts))
        honest = [a.text for a in measure(frame).advice if a.topic == "noise"]
        self.assertFalse(any("picture / file" in t for t in honest))


class OddCrops(unittest.TestCase):
    def test_crops_of_any_size_are_measured(self) -> None:
        """Planes of one frame may differ by a row or column that makes a block more."""
        frame = read_dng(raw_of("card", size=SMALL))
        for w, h in ((303, 207), (304, 207), (303, 208), (319, 255), (320, 240)):
            meta = replace(frame.meta, default_crop=(1, 1, w, h))
            self.assertGreater(measure(RawFrame(frame.codes, meta)).levels_used, 100)


class Formulas(unittest.TestCase):
    def test_signal_at_snr(self) -> None:
        for a, b, k in ((1e-4, 1e-6, 1.0), (2e-3, 5e-5, 4.0), (1e-9, 1e-8, 10.0)):
            x = signal_at_snr(a, b, k)
            self.assertAlmostEqual(x / math.sqrt(a * x + b), k, places=6)

    def test_range_and_lift(self) -> None:
        a, b = 1e-4, 1e-6
        self.assertAlmostEqual(dynamic_range_ev(a, b), math.log2(1 / signal_at_snr(a, b, 1)))
        self.assertAlmostEqual(shadow_lift_ev(a, b), math.log2(0.18 / signal_at_snr(a, b, 4)))
        at_screen = shadow_lift_ev(a, b, 5120)
        self.assertAlmostEqual(at_screen, math.log2(0.18 / signal_at_snr(a / 16, b / 16, 4)))
        self.assertEqual(shadow_lift_ev(a, b, 640), shadow_lift_ev(a, b))

    def test_thirds_as_on_a_dial(self) -> None:
        self.assertEqual([thirds(v) for v in (0, 1 / 3, -2 / 3, 1, -4 / 3)], ["0", "+⅓", "−⅔", "+1", "−1⅓"])


class Clipping(unittest.TestCase):
    def test_counted_by_channel_and_quad(self) -> None:
        frame = changed(flat_frame(), (slice(0, 16), slice(0, 160, 2)), 1100)  # red of 8 rows, green of 8 rows
        clipped = measure(frame).clipped_percent
        self.assertAlmostEqual(clipped["r"], 100 * 8 / 64)
        self.assertAlmostEqual(clipped["g"], 100 * 8 / 128)
        self.assertEqual(clipped["b"], 0)
        self.assertAlmostEqual(clipped["any"], 100 * 8 / 64)
        self.assertEqual(clipped["all"], 0)

    def test_against_the_scene(self) -> None:
        """Sites whose noise-free light passes saturation are those reported, to a tenth of the share."""
        phone = Phone("sluice", size=MIDDLE)
        base = phone.meter()
        capture = phone.shoot(Exposure(base.iso, base.seconds * 2), seed=5)
        meta = read_dng(raw_of("sluice", size=MIDDLE, iso=50.0)).meta
        clipped = measure(RawFrame(capture.codes, meta)).clipped_percent
        for name, (r, c) in (("r", (0, 0)), ("b", (1, 1))):
            truth = 100 * float((capture.ideal[r::2, c::2] >= 1).mean())
            self.assertGreater(truth, 0.03)
            self.assertAlmostEqual(clipped[name], truth, delta=0.1 * truth + 0.02)

    def test_headroom(self) -> None:
        for value in (0.125, 0.25, 0.5):
            self.assertAlmostEqual(measure(flat_frame(value)).headroom_ev, -math.log2(value), places=2)
        # a lone hot pixel is no light of the scene
        self.assertAlmostEqual(measure(changed(flat_frame(0.25), (4, 4), 900)).headroom_ev, 2, delta=0.05)
        self.assertEqual(measure(changed(flat_frame(0.25), (slice(0, 20), slice(0, 20)), 1100)).headroom_ev, 0)

    def test_levels_and_bits(self) -> None:
        random = np.random.default_rng(4)
        coarse = RawFrame((100 + 4 * random.integers(0, 200, (128, 160))).astype(np.uint16), flat_frame().meta)
        report = measure(coarse)
        self.assertEqual(report.levels_used, 200)
        self.assertAlmostEqual(report.effective_bits, math.log2(1000 / 4), places=6)


class AdviceMoves(unittest.TestCase):
    def exposure(self, frame: RawFrame) -> float:
        return next(a.value for a in measure(frame).advice if a.topic == "exposure")

    def test_dark_shots_are_told_how_much_more(self) -> None:
        dark, bright = (read_dng(raw_of("card", size=MIDDLE, ev=ev)) for ev in (-2.0, 0.0))
        self.assertAlmostEqual(self.exposure(dark) - self.exposure(bright), 2.0, delta=0.34)

    def test_full_shots_are_told_to_dial_down(self) -> None:
        self.assertLess(self.exposure(read_dng(raw_of("pans", size=MIDDLE, ev=2.0))), 0)
        self.assertEqual(self.exposure(flat_frame(0.9)), 0)

    def test_every_advice_is_a_sentence_with_a_number(self) -> None:
        for a in measure(read_dng(raw_of("pans", size=MIDDLE, ev=2.0))).advice:
            self.assertRegex(a.text, r"^[A-Z0-9].*\.$")
            self.assertTrue(math.isfinite(a.value))

    def test_a_processed_raw_is_named(self) -> None:
        report = measure(read_dng(raw_of("crystals", size=MIDDLE, kind="linear")))
        self.assertIsInstance(report, SensorReport)
        self.assertTrue(any("processed raw" in a.text for a in report.advice))


class Sharpness(unittest.TestCase):
    def test_known_blur(self) -> None:
        """Discs of known blur: within 8 % or 0.06 px."""
        yy, xx = np.mgrid[0:700, 0:900].astype(np.float32)
        scene = np.full((700, 900), 0.15, np.float32)
        random = np.random.default_rng(8)
        for _ in range(40):
            cx, cy, r = random.uniform(40, 860), random.uniform(40, 660), random.uniform(18, 40)
            # four-fold supersampled edge: the disc's own antialiasing is that of a pixel aperture
            cover = np.clip(r - np.hypot(xx - cx, yy - cy) + 0.5, 0, 1)
            scene = scene * (1 - cover) + random.uniform(0.4, 0.9) * cover
        for sigma in (0.7, 1.0, 1.6, 2.4):
            found = edge_blur(cv2.GaussianBlur(scene, (0, 0), sigma), 1e-4)
            assert found is not None
            expected = math.hypot(sigma, 0.29)
            self.assertAlmostEqual(found, expected, delta=max(0.08 * expected, 0.06))

    def test_no_edges_no_number(self) -> None:
        self.assertIsNone(edge_blur(np.full((200, 200), 0.3, np.float32), 1e-3))
