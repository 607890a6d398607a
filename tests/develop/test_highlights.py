"""Clipped places: noise about the limit does not decide, bright points do; no hue comes in on the way to white."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np

from bruto.color.difference import delta_e00
from bruto.color.spaces import decode_srgb, picture_to_lab
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.develop.steps.highlights import settled
from tests.develop.test_color_rows import away, oklab, polar
from tests.photographs import Sensor, source_of
from tests.shots import MIDDLE, raw_of


def noisy_sky(level: float, sigma: float = 0.03) -> tuple[np.ndarray, np.ndarray]:
    """A sky of green light about a level, cut at 1, and its map of full channels."""
    random = np.random.default_rng(5)
    light = np.minimum(random.normal(level, sigma, (80, 120)), 1.0).astype(np.float32)
    rgb = np.stack([0.7 * light, light, 0.5 * light], axis=2)
    return np.ascontiguousarray(rgb), np.where(light >= 1, 2, 0).astype(np.uint8)


class Settled(unittest.TestCase):
    def test_few_quads_that_noise_filled_do_not_count(self) -> None:
        rgb, clipped = noisy_sky(0.97)
        self.assertGreater(float((clipped > 0).mean()), 0.1)
        self.assertEqual(float((settled(clipped, rgb) > 0).mean()), 0.0)

    def test_few_quads_that_noise_left_open_count(self) -> None:
        rgb, clipped = noisy_sky(1.03)
        self.assertLess(float((clipped > 0).mean()), 0.9)
        self.assertEqual(float((settled(clipped, rgb) == 2).mean()), 1.0)

    def test_a_bright_point_stays(self) -> None:
        rgb = np.full((60, 60, 3), 0.2, np.float32)
        clipped = np.zeros((60, 60), np.uint8)
        rgb[30, 30], clipped[30, 30] = (1.0, 1.0, 0.8), 3
        rgb[10, 10:14], clipped[10, 10:14] = (0.4, 1.0, 0.3), 2
        np.testing.assert_array_equal(settled(clipped, rgb), clipped)

    def test_odd_sizes_and_nothing_full(self) -> None:
        rgb, clipped = noisy_sky(0.97)
        wide = np.zeros((81, 121), np.uint8)
        wide[:80, :120] = clipped
        self.assertFalse(settled(wide, rgb).any())
        nothing = np.zeros((81, 121), np.uint8)
        self.assertIs(settled(nothing, rgb), nothing)


class SunsetSky(unittest.TestCase):
    def test_the_picture_is_made_with_what_was_settled(self) -> None:
        """Quads that noise filled in the sky are shown as they are: rebuilt, they would stand out."""
        developer = Developer(open_source(raw_of("sluice", size=MIDDLE, iso=1600.0, seed=11)))
        clipped = developer.source.linear.clipped
        lone = (clipped > 0) & (developer.clipped == 0)
        self.assertGreater(int(lone.sum()), 30)
        unsettled = Developer(developer.source)
        unsettled.__dict__["clipped"] = clipped
        recipe = Recipe(verticals=-3.0)
        for shown in (recipe, Recipe()):
            found, rebuilt = (d.render(shown).astype(int) for d in (developer, unsettled))
            self.assertGreater(int(np.abs(found - rebuilt).max()), 3)


class Sky(unittest.TestCase):
    """A pale sky that grows beyond the sensor's limit over dark foliage, with a lamp's glow in it."""

    def setUp(self) -> None:
        h, w = 384, 512
        y, x = np.mgrid[:h, :w].astype(np.float32)
        level = 0.5 + 1.1 * (x / w) * (1 - 0.4 * y / h)
        light = level[..., None] * np.array([0.86, 0.95, 1.05], np.float32)
        leaves = 0.12 * (1 + 0.5 * np.sin(x / 5) * np.sin(y / 7))[..., None] * np.array([0.7, 1.0, 0.35], np.float32)
        self.light = np.where((y < 0.7 * h + 12 * np.sin(x / 23))[..., None], light, leaves).astype(np.float32)

    def shown(self, scale: float) -> tuple[np.ndarray, np.ndarray]:
        """L*a*b* of the light at a scale on the sensor, equally bright, and where a channel is full."""
        with TemporaryDirectory() as folder:
            developer = Developer(source_of(Path(folder), self.light, Sensor(a=2e-4, b=1e-7), 3, scale))
        picture = developer.render(Recipe(exposure=-np.log2(scale) - 0.7, chroma=1.0))
        full = np.repeat(np.repeat(developer.clipped > 0, 2, axis=0), 2, axis=1)
        return picture_to_lab(picture), full

    def test_no_hue_and_no_edge_that_the_sky_has_not(self) -> None:
        wanted, none = self.shown(0.4)
        found, full = self.shown(1.3)
        self.assertFalse(none.any())
        self.assertGreater(float(full.mean()), 0.2)
        chroma = (found - wanted)[..., 1:]
        self.assertLess(float(np.percentile(np.hypot(chroma[..., 0], chroma[..., 1])[full], 95)), 9.0)
        # magenta or cyan, and steps of them between neighbours: noise is averaged out
        even = cv2.GaussianBlur(chroma.astype(np.float32), (0, 0), 3.0)
        inside = cv2.erode(full.astype(np.uint8), np.ones((9, 9))) > 0
        self.assertLess(float(even[..., 0][inside].max()), 5.0)
        step = np.abs(np.diff(even, axis=1)).max(axis=2)
        self.assertLess(float(step[:, :-1][inside[:, :-2] & inside[:, 2:]].max()), 1.5)

    def test_colors_keep_their_hue_on_the_way_to_white(self) -> None:
        """Ramps of light from dark to four times the sensor's limit; up to L* 95, where there is hue to be seen."""
        stops = np.linspace(-5, 2.2, 480)
        for tint in ((0.2, 0.9, 1), (1, 0.55, 0.25), (1, 0.7, 0.35), (1, 0.75, 0.05), (1, 0.15, 0.6), (0.5, 0.25, 1)):
            self.light = np.zeros((200, 480, 3), np.float32) + (2.0 ** stops[None, :, None] * np.array(tint))
            with TemporaryDirectory() as folder:
                developer = Developer(source_of(Path(folder), self.light, Sensor(a=2e-4, b=1e-7), -1, 0.7))
            codes = developer.render(Recipe())[90:110].astype(float) / 255
            lightness = picture_to_lab(np.rint(codes * 255).astype(np.uint8))[..., 0].mean(axis=0)
            _, chroma, hue = polar(oklab(codes.mean(axis=0)))
            at = (lightness > 50) & (lightness < 95) & (chroma > 0.03)
            turned = away(hue, hue[np.abs(lightness - 50).argmin()])[at].max()
            self.assertLess(turned, 3.0, tint)


class Surroundings(unittest.TestCase):
    """What is clipped takes its colour from its own surface, not from the one behind it."""

    def error(self, light: np.ndarray) -> float:
        """Delta E 2000 (95 %) of what is clipped, at equal lightness, from a shot in which nothing is."""
        found = []
        for scale in (0.4, 2.2):
            with TemporaryDirectory() as folder:
                developer = Developer(source_of(Path(folder), light, Sensor(a=2e-4, b=1e-7), 3, scale))
            found.append(picture_to_lab(developer.render(Recipe(exposure=-np.log2(scale) - 1.0))))
        clipped = np.repeat(np.repeat(developer.clipped > 0, 2, axis=0), 2, axis=1)
        self.assertGreater(float(clipped.mean()), 0.05)
        wanted, got = (cv2.GaussianBlur(f.astype(np.float32), (0, 0), 2.0)[clipped] for f in found)
        wanted[:, 0] = got[:, 0]
        return float(np.percentile(delta_e00(wanted, got), 95))

    def test_a_bright_face_before_a_lawn_stays_skin(self) -> None:
        y, x = np.mgrid[:320, :400].astype(np.float32)
        shade = np.clip(1.15 - x / 400, 0.25, 1.0)[..., None]  # the light comes from the side of the lawn
        skin = shade * decode_srgb(np.array([235, 200, 180]) / 255.0)
        lawn = np.full(3, 0.4) * decode_srgb(np.array([90, 140, 50]) / 255.0)
        face = np.hypot(x - 190, y - 160)[..., None] < 120
        self.assertLess(self.error(np.where(face, skin, lawn).astype(np.float32)), 4.0)

    def test_a_sky_whose_blue_is_full_everywhere_stays_blue(self) -> None:
        level = np.linspace(0.7, 0.8, 400, dtype=np.float32)[None, :, None].repeat(320, axis=0)
        self.assertLess(self.error(level * decode_srgb(np.array([160, 205, 250]) / 255.0).astype(np.float32)), 6.0)


if __name__ == "__main__":
    unittest.main()
