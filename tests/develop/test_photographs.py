"""Demosaicing and noise reduction on photographs that were sent through a sensor, against what they were before."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
from benchmarks import natural
from numpy.typing import NDArray

from bruto.color.spaces import decode_srgb
from bruto.develop.analysis.airlight import airlight_of
from bruto.develop.demosaic import demosaic
from bruto.develop.noise_coefficients import coefficient_noise, ratios_of
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.steps.grey_line import grey_line, grey_row
from bruto.develop.steps.haze import haze_of
from bruto.develop.steps.noise import reduce_noise
from bruto.develop.steps.variance_stabilisation import inverses, light_row, mean_stabilised, means, stabilised
from tests.photographs import KINDS, LIGHT, Sensor, codes_of, light_of, noisy, seen, source_of

EVEN_LIGHT = np.ones((1, 1), np.float32)


def mosaic_of(light: NDArray, sensor: Sensor) -> NDArray[np.float32]:
    """Balanced, without noise."""
    plane = seen(light, sensor)
    for k, color in enumerate(sensor.cfa):
        plane[k // 2 :: 2, k % 2 :: 2] *= sensor.gains["RGB".index(color)]
    return plane


def _demosaiced(light: NDArray, ab: tuple[float, float]) -> tuple[NDArray[np.float32], NDArray]:
    """Linear light through a noisy sensor, balanced, and the noise of its channels."""
    sensor = Sensor(*ab)
    gains = np.array(sensor.gains, np.float32)
    noise = np.stack([sensor.a * gains, sensor.b * gains**2], axis=1)
    return demosaic(noisy(seen(light, sensor, 1.0), sensor, 1), sensor.cfa, gains, noise), noise


class Sensors(unittest.TestCase):
    def test_noise_and_codes_are_those_of_the_sensor(self) -> None:
        for sensor in KINDS:
            plane = np.full((400, 400), 0.2, np.float32)
            found = noisy(plane, sensor, 1)
            self.assertAlmostEqual(float(found.mean()), 0.2, delta=1e-3)
            self.assertAlmostEqual(float(found.var()) / (sensor.a * 0.2 + sensor.b), 1.0, delta=0.03)
            light = np.ones((8, 8, 3), np.float32)
            red = codes_of(light, sensor, -1)[sensor.cfa.index("R") // 2 :: 2, sensor.cfa.index("R") % 2 :: 2]
            wanted = sensor.black + (sensor.white - sensor.black) * LIGHT / sensor.gains[0]
            self.assertLessEqual(abs(float(red[0, 0]) - wanted), 0.5)


class Demosaicing(unittest.TestCase):
    def test_false_color(self) -> None:
        """Red and blue follow green by their own slope: fine saturated texture keeps its colour."""
        for name, bar in (("coffee", 4.5), ("chelsea", 2.4), ("rocket", 5.5)):
            for sensor in (KINDS[0], KINDS[3]):
                found = demosaic(mosaic_of(light_of(name), sensor), sensor.cfa)
                self.assertLess(natural.color_errors(found, light_of(name) * LIGHT)[0], bar, (name, sensor.cfa))

    def test_known_noise_keeps_it_out_of_green(self) -> None:
        """Under the gains of daylight red's noise comes into green by less where it is known, and edges stay."""
        sensor = KINDS[0]
        noise = np.array([[0, (0.02 * g) ** 2] for g in sensor.gains])
        random = np.random.default_rng(1)
        flat = 0.3 + random.standard_normal((200, 200)).astype(np.float32) * 0.02
        flat[0::2, 0::2] = 0.3 + (flat[0::2, 0::2] - 0.3) * sensor.gains[0]
        flat[1::2, 1::2] = 0.3 + (flat[1::2, 1::2] - 0.3) * sensor.gains[2]
        blind, known = (demosaic(flat, "RGGB", noise=n)[8:-8, 8:-8, 1].std() for n in (None, noise))
        self.assertLess(known, 0.8 * blind)
        light = light_of("chelsea")
        sharp = demosaic(mosaic_of(light, sensor), sensor.cfa)
        notice = demosaic(mosaic_of(light, sensor), sensor.cfa, noise=noise * 0.01)
        fine = sharp[..., 1] - sharp.mean()
        self.assertGreater(float((notice[..., 1] * fine).sum() / (sharp[..., 1] * fine).sum()), 0.99)


class Stabilisation(unittest.TestCase):
    def test_means_are_those_of_drawn_noise(self) -> None:
        random = np.random.default_rng(2)
        for electrons, read in ((0.0, 1.0), (1.5, 9.0), (6.0, 0.5), (30.0, 4.0)):
            drawn = random.poisson(electrons, 1_000_000) + random.standard_normal(1_000_000) * read**0.5
            mean = float(stabilised(drawn, read).mean())
            self.assertAlmostEqual(float(mean_stabilised(np.array([electrons]), read, 1.0)[0]), mean, delta=0.004)

    def test_means_are_undone(self) -> None:
        """From below black to beyond the polynomial, for less and more variance than a photosite's."""
        a, b, variance = np.array([0.03, 0.014, 1e-5]), np.array([0.01, 0.0018, 1e-9]), np.array([0.5, 1.4, 1.0])
        light = np.linspace(-0.01, 2, 500)
        values = means(light, a, b, variance)
        places, terms = inverses(a, b, variance)
        for c in range(3):
            line = values[:, c].astype(np.float32)
            light_row(line, np.float32(a[c]), places[c], terms[c])
            np.testing.assert_allclose(line, light, atol=2e-3 * a[c] + 2e-6, rtol=2e-3)

    def test_grey_is_what_grey_shows(self) -> None:
        """By polynomials in the dark and by the expansion in the light, within 0.006 of the noise, however much."""
        channel_matrix, variance = np.array([0.25, 0.5, 1.0, 1.0], np.float32), np.array([0.5, 0.8, 0.8])
        for a, b in (([0.03, 0.014, 0.02], [0.01, 0.0018, 0.0036]), ([2e-4, 1e-4, 1.5e-4], [3e-8, 1e-8, 2e-8])):
            light = np.linspace(0, 1.4, 2000) ** 2
            r, g, blue = means(light, np.array(a), np.array(b), variance).T
            line = grey_line(np.array(a), np.array(b), variance, channel_matrix)
            y = (0.25 * (r + blue) + 0.5 * g).astype(np.float32)
            self.assertEqual(bool(y[-1] > line.place[2]), a[0] < 0.001)
            u, v = np.empty_like(y), np.empty_like(y)
            grey_row(y, *line, u, v)
            np.testing.assert_allclose(u, (r - blue) / 2, atol=6e-3)
            np.testing.assert_allclose(v, (r - 2 * g + blue) / 4, atol=6e-3)


class NoiseReduction(unittest.TestCase):
    def test_grey_stays_grey(self) -> None:
        """Fine dark detail is not painted green, nor light detail pink."""
        for title, bar in (("2e-3", 0.05), ("ISO 6400", 0.1)):
            sensor = Sensor(*natural.levels()[title])
            for best in (False, True):
                found = natural.denoised(light_of("grey rocket"), sensor, 1, best)
                self.assertLess(natural.slopes(found), bar, (title, best))

    def test_dark_is_not_magenta(self) -> None:
        """Grey of 2 % light at ISO 6400, a photon or two a photosite: what it is, in both grades."""
        for row in natural.dark((2.0,), (1000, 1500)).values():
            self.assertLess(max(map(abs, row)), 2.0)

    def test_dark_colors_are_not_drawn_to_grey(self) -> None:
        """Of 2 % light at ISO 6400, in both grades, however much is taken: as the demosaiced mean has it."""
        for tint in ((0.5, 1.0, 0.6), (1.5, 1.0, 0.5)):
            noisy_light, noise = _demosaiced(np.full((400, 400, 3), tint, np.float32) * 0.02, natural.high_iso())
            wanted = noisy_light[32:-32, 32:-32].mean(axis=(0, 1))
            for color in (0.5, 1.0, 2.0):
                for best in (False, True):
                    found = reduce_noise(noisy_light, noise, 1.0, color, "mosaic", EVEN_LIGHT, best)
                    mean = found[32:-32, 32:-32].mean(axis=(0, 1)) / wanted
                    np.testing.assert_allclose(mean / mean[1], 1, atol=0.04, err_msg=str((tint, color, best)))

    def test_dark_details_keep_the_color_of_their_surface(self) -> None:
        """Pupils and brows of the skin's chromaticity, at a sixteenth of its light: neither magenta nor blue."""
        y, x = np.mgrid[:400, :400] % 40 - 20
        dark = (y**2 + x**2 < 7**2)[..., None]
        tint = np.array([1.6, 1.0, 0.7], np.float32)
        noisy_light, noise = _demosaiced(np.where(dark, 0.015, 0.24).astype(np.float32) * tint, natural.high_iso())
        inside = y**2 + x**2 < 4**2
        for best in (False, True):
            found = reduce_noise(noisy_light, noise, 1.0, 1.0, "mosaic", EVEN_LIGHT, best)[inside].mean(axis=0) / tint
            np.testing.assert_allclose(found / found[1], 1, atol=0.12, err_msg=str(best))

    def test_a_profile_without_photon_noise_in_one_channel(self) -> None:
        """As a header may state it: the light stays where it was, in all channels."""
        light = np.full((128, 128, 3), 0.02, np.float32)
        light += np.random.default_rng(1).standard_normal(light.shape).astype(np.float32) * np.float32(0.01)
        for noise in ([[0, 1e-4], [1e-4, 1e-6], [1e-4, 0]], [[1e-4, 1e-6], [0, 0], [1e-4, 1e-6]]):
            found = reduce_noise(light, np.array(noise), 1.0, 1.0, "mosaic", EVEN_LIGHT)
            self.assertLess(float(np.abs(found - 0.02).max()), 0.1, noise)

    def test_color_is_as_good_as_block_matching(self) -> None:
        a, b = natural.levels()["2e-3"]
        for name, bar in (("chelsea", (3.4, 3.1, 2.5)), ("astronaut", (4.6, 3.7, 2.8))):
            light = light_of(name)
            found = natural.color_errors(natural.denoised(light, Sensor(a, b), 1), light * LIGHT)
            self.assertTrue(all(f < w for f, w in zip(found, bar, strict=True)), (name, found))

    def test_plain_ground_is_no_more_blotched_in_the_best_grade(self) -> None:
        light = np.full((400, 600, 3), 0.2, np.float32)
        coarse = []
        for best in (False, True):
            found = natural.lab(natural.denoised(light, Sensor(*natural.high_iso()), 3, best))
            h, w = (n // 8 * 8 for n in found.shape[:2])
            coarse.append(found[:h, :w].reshape(h // 8, 8, w // 8, 8, 3).mean(axis=(1, 3)).std(axis=(0, 1)))
        self.assertTrue((coarse[1] < 1.1 * coarse[0]).all(), coarse)

    def test_noise_of_the_balance(self) -> None:
        """Red's gain makes green noisier through the demosaicing, and the table knows."""
        low = coefficient_noise("mosaic", True, *ratios_of(np.array([[1e-3, 0], [1e-3, 0], [1e-3, 0]])))
        high = coefficient_noise("mosaic", True, *ratios_of(np.array([[4e-3, 0], [1e-3, 0], [1e-3, 0]])))
        self.assertGreater(high.variance[1], 1.05 * low.variance[1])


class Airlight(unittest.TestCase):
    def test_flat_patches_beside_white_keep_their_hue(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            found = natural.patches(Path(folder))
        self.assertEqual(found["suggested_haze"], 0)
        for title in ("suggested", "haze 60 %"):
            self.assertLess(found[title]["hue_spread_deg"], 3.0, title)
            self.assertLess(found[title]["delta_e00_p95"], 1.5, title)

    def test_air_is_seen_by_depth_alone(self) -> None:
        """White paper, walls and plains are not air; air between is, by half at least."""
        with tempfile.TemporaryDirectory() as folder:
            for key, value in natural.haze(Path(folder)).items():
                if key.startswith("clear"):
                    self.assertEqual(value, 0.0, key)
                else:
                    self.assertGreater(value["of_it"], 0.5, key)

    def test_air_has_the_colour_of_skies(self) -> None:
        """A meadow or a wall out of focus rises as evenly as air, but is green or brown."""
        hazy, _ = natural.hazy_photograph(1.5)
        for color, airy in (((1.0, 1.0, 1.0), True), ((0.85, 1.0, 1.2), True), ((0.8, 1.3, 0.5), False),
                            ((1.5, 1.0, 0.55), False)):  # fmt: skip
            light = np.minimum(hazy * np.array(color, np.float32), 1.0)
            self.assertEqual(airlight_of(light, haze_of(light)).airy, airy, color)

    def test_nothing_is_said_of_a_plain_or_tiny_picture(self) -> None:
        for shape in ((300, 400, 3), (20, 20, 3)):
            plain = np.full(shape, 0.5, np.float32)
            self.assertFalse(airlight_of(plain, haze_of(plain)).airy)


class DeepColors(unittest.TestCase):
    """A deep red cloth, whose green is next to nothing, before dark blue: neither mesh nor dots along the edge."""

    def test_red_is_even_and_green_stays_out_of_it(self) -> None:
        y, x = np.mgrid[:320, :400].astype(np.float32)
        away = np.hypot(x - 200, y - 160)
        share = np.clip(110.5 - away, 0, 1)[..., None]
        red = (0.8 + 0.3 * np.sin(x / 37 + y / 23))[..., None] * decode_srgb(np.array([195, 0, 12]) / 255.0)
        light = share * red + (1 - share) * decode_srgb(np.array([28, 38, 55]) / 255.0)
        with tempfile.TemporaryDirectory() as folder:
            sensor = Sensor(a=2e-6, b=1e-9)
            developer = Developer(source_of(Path(folder), light.astype(np.float32), sensor, 3, 0.45))
        found = developer.render(Recipe(sharpness=0.0)).astype(np.float32)
        fine = np.abs(found[..., 0] - cv2.GaussianBlur(found[..., 0], (0, 0), 1.5))
        self.assertLess(float(fine[away < 100].max()), 6.0)
        self.assertLess(float(found[..., 1][np.abs(away - 107) < 2].max()), 15.0)


if __name__ == "__main__":
    unittest.main()
