"""The simulated phone keeps its promises: noise, exposure, shading, colour and detail are what its truth says."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image

from bruto.color.spaces import picture_to_lab
from bruto.errors import BrutoError
from bruto.simphone import sensor_model as sm
from bruto.simphone import spectral
from bruto.simphone.capture import Exposure, Phone
from bruto.simphone.capture_files import simulate
from bruto.simphone.phone_processing import phone_map
from bruto.simphone.scene import SCENES, load_scene
from bruto.simphone.tracer import trace
from tests.shots import MIDDLE, SMALL, taken
from tests.truth import patch_masks


class SensorModel(unittest.TestCase):
    def setUp(self) -> None:
        self.phone = Phone("card", size=SMALL)

    def test_noise_has_the_stated_variance(self) -> None:
        tested = 0
        for iso in (50, 800, 3200):
            base = self.phone.meter()
            exposure = Exposure(iso, base.seconds * base.iso / iso)
            first, second = (self.phone.shoot(exposure, seed=s) for s in (1, 2))
            a, b = self.phone.sensor.noise(iso)
            self.assertEqual(first.noise, (a, b))
            difference = (first.codes.astype(float) - second.codes) / (sm.WHITE - sm.BLACK)
            for low, high in ((0.02, 0.05), (0.1, 0.2), (0.3, 0.5)):
                here = (first.ideal > low) & (first.ideal < high)
                if here.sum() < 2000:
                    continue
                tested += 1
                expected = (a * first.ideal[here] + b).mean()
                middle = difference[here]
                # hot pixels are in both frames alike
                self.assertAlmostEqual(np.var(middle) / 2 / expected, 1, delta=0.06, msg=f"ISO {iso}, {low}")
        self.assertGreaterEqual(tested, 6)

    def test_mean_is_the_ideal(self) -> None:
        captures = [self.phone.shoot(seed=s) for s in range(4)]
        mean = np.mean([c.codes for c in captures], axis=0)
        light = (mean - sm.BLACK) / (sm.WHITE - sm.BLACK)
        good = captures[0].ideal < 0.9
        self.assertAlmostEqual(
            float(np.median(light[good] / np.maximum(captures[0].ideal[good], 1e-4))), 1, delta=0.003
        )

    def test_exposure_doubles_light(self) -> None:
        one, two = (self.phone.shoot(Exposure(50, t), seed=1) for t in (1 / 500, 1 / 250))
        np.testing.assert_allclose(two.ideal, 2 * one.ideal, rtol=1e-5)

    def test_same_seed_same_shot(self) -> None:
        np.testing.assert_array_equal(self.phone.shoot(seed=9).codes, self.phone.shoot(seed=9).codes)

    def test_saturation_follows_iso_12232(self) -> None:
        """An evenly lit plane of L = 78 N^2 / (q S t) just fills the scale."""
        for iso, seconds in ((50, 1 / 60), (400, 1 / 1000)):
            luminance = sm.SATURATION_LUX_S * sm.F_NUMBER**2 / (sm.LENS_TRANSMISSION * iso * seconds)
            self.assertAlmostEqual(luminance * sm.exposure_factor(iso, seconds), 1)

    def test_settings_the_phone_does_not_have(self) -> None:
        with TemporaryDirectory() as folder:
            for wrong in ({"megapixels": 20}, {"iso": 99999.0}, {"kind": "cooked"}, {"count": 0}, {"shutter": 900.0}):
                with self.assertRaises(BrutoError):
                    simulate("card", Path(folder), size=None if "megapixels" in wrong else SMALL, **wrong)  # type: ignore[arg-type]
            with self.assertRaisesRegex(BrutoError, "pans"):
                simulate("harbour", Path(folder))
            self.assertEqual(list(Path(folder).iterdir()), [])


class Truth(unittest.TestCase):
    def test_scenes_span_what_they_should(self) -> None:
        """The boiling house holds 12 EV between its darkest percent and its window."""
        phone = Phone("boiling-house", size=SMALL)
        y = np.asarray(phone.truth[..., 1], float)
        self.assertGreater(np.log2(np.percentile(y, 99.8) / np.percentile(y, 0.5)), 12)

    def test_light_of_small_and_large_agree(self) -> None:
        """A capture twice as fine, averaged two by two, is the coarse capture where the scene is smooth."""
        scene = load_scene("card")
        coarse = trace(scene, 126, 94, margin=0.0)[1][..., 1].astype(float)
        fine = trace(scene, 252, 188, margin=0.0)[1][..., 1].astype(float)
        averaged = fine.reshape(94, 2, 126, 2).mean(axis=(1, 3))
        difference = np.abs(np.log2(averaged / coarse))
        self.assertLess(np.median(difference), 0.06)
        self.assertLess(abs(float(np.median(np.log2(averaged / coarse)))), 0.01)

    def test_rendering_is_free_of_noise(self) -> None:
        """Two traces are equal: what was sampled at random was baked, and the bake's noise is smooth."""
        scene = load_scene("card")
        first, second = (trace(scene, 96, 72, margin=0.0)[0] for _ in range(2))
        np.testing.assert_array_equal(first, second)

    def test_baked_light_is_smoother_than_the_sensor(self) -> None:
        """On the grey card, what is left of the bake's noise is at most a quarter of the ISO 50 noise there."""
        import cv2

        phone = Phone("card", size=MIDDLE)
        y, x = patch_masks(phone, 3)[24].T
        m = round(0.02 * phone.width)
        box = (slice(m + y.min() + 6, m + y.max() - 6), slice(m + x.min() + 6, m + x.max() - 6))
        light = np.asarray(phone.truth[..., 1], np.float32)[box]
        self.assertGreater(min(light.shape), 20)
        smooth = cv2.GaussianBlur(light, (0, 0), 4)
        inner = (slice(8, -8), slice(8, -8))
        rendering = float((light / smooth)[inner].std())
        a, b = phone.sensor.noise(50)
        self.assertLess(rendering, 0.25 * np.sqrt(a * 0.18 + b) / 0.18)

    def test_detail_reaches_the_capture_grid(self) -> None:
        """Per pixel, the fine capture holds more contrast at its finest octave than an enlarged coarse one would."""
        import cv2

        truth = np.asarray(Phone("crystals", size=MIDDLE).truth[..., 1], np.float32)
        enlarged = cv2.resize(cv2.resize(truth, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), truth.shape[::-1])
        fine = [np.log2(t + 1e-4) - cv2.GaussianBlur(np.log2(t + 1e-4), (0, 0), 0.8) for t in (truth, enlarged)]
        self.assertGreater(fine[0].std(), 2 * fine[1].std())

    def test_every_scene_is_there_with_its_light(self) -> None:
        self.assertEqual(set(SCENES), {"pans", "boiling-house", "sluice", "crystals", "card", "net-loft"})
        for name in SCENES:
            phone = Phone(name, size=SMALL)
            self.assertTrue(np.isfinite(np.asarray(phone.camera, float)).all(), name)
            self.assertGreater(float(np.median(phone.camera)), 0, name)

    def test_the_loft_holds_what_is_hard(self) -> None:
        """Even paints of high chroma beside white, and texture up to the finest pixels."""
        import cv2

        from bruto.color.spaces import xyz_to_lab

        truth = np.asarray(Phone("net-loft", size=MIDDLE).truth, np.float32)
        star = xyz_to_lab(truth / np.percentile(truth[..., 1], 97)).astype(np.float32)
        chroma = np.hypot(star[..., 1], star[..., 2])
        even = cv2.blur(chroma * chroma, (9, 9)) - cv2.blur(chroma, (9, 9)) ** 2 < 1.0
        self.assertGreater(float(((chroma > 40) & even).mean()), 0.02)
        self.assertGreater(float(((star[..., 0] > 85) & even).mean()), 0.2)
        fine = np.abs(star[..., 0] - cv2.GaussianBlur(star[..., 0], (0, 0), 0.8))
        self.assertGreater(float((fine > 5).mean()), 0.02)

    def test_a_hand_s_drift_draws_no_outlines(self) -> None:
        """Light seen from a little elsewhere is nowhere below or above the light around."""
        import cv2

        from bruto.simphone.capture import _moved

        phone = Phone("boiling-house", size=SMALL)
        image = phone._optical()
        shift = np.array([[1.0, 0, 0.37], [0, 1.0, -0.41]])
        moved = _moved(image, shift, (image.shape[1], image.shape[0]))
        near = np.ones((5, 5), np.uint8)
        inner = (slice(4, -4), slice(4, -4))
        self.assertTrue((moved >= cv2.erode(image, near) * 0.999)[inner].all())


class Spectra(unittest.TestCase):
    def test_sensor_is_not_an_observer(self) -> None:
        """No matrix takes the sensor's response to the observer's exactly."""
        from bruto.color.spectra import observer

        fit, *_ = np.linalg.lstsq(spectral.sensor(), observer(), rcond=None)
        error = np.linalg.norm(spectral.sensor() @ fit - observer()) / np.linalg.norm(observer())
        self.assertGreater(error, 0.05)

    def test_matrices_were_fitted_on_other_reflectances(self) -> None:
        chart = spectral.chart() / np.linalg.norm(spectral.chart(), axis=0)
        others = spectral._training() / np.linalg.norm(spectral._training(), axis=0)
        self.assertLess((chart[:, :18].T @ others).max(), 0.9999)


class Files(unittest.TestCase):
    def test_bracket_steps(self) -> None:
        shots = taken("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0))
        times = [s["exposure_s"] for s in shots]
        np.testing.assert_allclose(np.log2(np.array(times) / times[1]), [-2, 0, 2], atol=1e-9)
        self.assertEqual(len({Path(f).stem for s in shots for f in s["files"]}), 3)

    def test_burst_moves_by_hand_and_stays_on_a_tripod(self) -> None:
        shaken = taken("card", size=SMALL, count=3)
        shifts = [np.array(s["transform"])[:, 2] for s in shaken]
        self.assertEqual(shifts[0].tolist(), [0, 0])
        self.assertGreater(np.abs(shifts[1:]).max(), 0.1)
        still = taken("card", size=SMALL, count=2, static=True)
        self.assertEqual(still[1]["transform"], still[0]["transform"])

    def test_the_finished_picture_is_what_people_complain_about(self) -> None:
        """Cropped and distorted, more colourful than the truth, with halos, and without the raw's fine noise."""
        shot = taken("pans", size=MIDDLE)[0]
        with Image.open(shot["files"][1]) as image:
            self.assertEqual(image.size, MIDDLE)
            self.assertEqual(image.getexif()[272], sm.MODEL)
            picture = np.asarray(image)
        mx, _ = phone_map(*MIDDLE)
        self.assertGreater(mx[0, 0], 3)
        self.assertLess(mx[0, -1], MIDDLE[0] - 4)
        self.assertGreater(np.hypot(*np.moveaxis(picture_to_lab(picture)[..., 1:], -1, 0)).mean(), 10)
