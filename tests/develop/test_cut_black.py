"""Noise below black that a phone cut off: found out, and its mean put right."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from benchmarks import natural
from numpy.typing import NDArray

from bruto.develop.demosaic import demosaic
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.steps.cut_black import is_cut
from bruto.develop.steps.noise import reduce_noise
from bruto.develop.suggest.detail import suggest_noise
from tests.photographs import Sensor, noisy, seen, source_of

EVEN_LIGHT = np.ones((1, 1), np.float32)


def even(light: float, tint: tuple[float, float, float], sensor: Sensor, side: int = 512) -> NDArray[np.float32]:
    """Photosites of an even surface with noise, none of it below black."""
    plane = seen(np.full((side, side, 3), tint, np.float32) * np.float32(light), sensor, 1.0)
    return np.maximum(noisy(plane, sensor, 1), 0).astype(np.float32)


class CutBlack(unittest.TestCase):
    def test_it_is_found_out(self) -> None:
        sensor = Sensor(*natural.high_iso())
        noise = np.tile([sensor.a, sensor.b], (3, 1))
        cut = even(0.01, (1, 1, 1), sensor)
        self.assertTrue(is_cut(cut, noise))
        self.assertFalse(is_cut(noisy(seen(np.full((512, 512, 3), 0.01, np.float32), sensor), sensor, 1), noise))
        self.assertFalse(is_cut(even(0.5, (1, 1, 1), sensor), noise))  # nothing dark
        self.assertFalse(is_cut(np.zeros((512, 512), np.float32), noise))  # black without noise
        self.assertFalse(is_cut(np.zeros((0, 0), np.float32), noise))

    def test_dark_grey_is_grey_again(self) -> None:
        """At ISO 6400 within 4 %, where red was 1.7 times as light as green; and a dark colour is the colour."""
        sensor = Sensor(*natural.high_iso())
        gains = np.array(sensor.gains, np.float32)
        noise = np.stack([sensor.a * gains, sensor.b * gains**2], axis=1)
        for tint in ((1.0, 1.0, 1.0), (0.5, 1.0, 0.6)):
            for light in (0.02, 0.05):
                rgb = demosaic(even(light, tint, sensor, 800), sensor.cfa, gains, noise)
                for best in (False, True):
                    for color in (1.0, 2.0):
                        found = reduce_noise(rgb, noise, 1.0, color, "mosaic", EVEN_LIGHT, best, cut=noise)
                        mean = found[32:-32, 32:-32].mean(axis=(0, 1)) / (np.array(tint) * light)
                        np.testing.assert_allclose(mean, 1, atol=0.04, err_msg=str((tint, light, best, color)))

    def test_a_file_shows_it_at_every_size_and_the_row_says_so(self) -> None:
        """Sixteen tones of grey: the dark ones look, at all sizes, as those of a phone that cuts nothing."""
        sensor = replace(Sensor(*natural.high_iso(), iso=6400.0), black=0.0)  # codes have no room below
        light = np.repeat(np.linspace(0.01, 0.6, 16, dtype=np.float32), 40)
        light = np.broadcast_to(light[None, :, None], (400, 640, 3)).copy()
        recipe = Recipe(luminance_noise=1.0, chroma_noise=1.0)
        with tempfile.TemporaryDirectory() as folder:
            developer = Developer(source_of(Path(folder), light, sensor))
            self.assertTrue(developer.is_cut)
            self.assertIn("none below black", suggest_noise(developer, 0.0)[0].evidence)
            whole = Developer(source_of(Path(folder), light, replace(sensor, black=256.0)))
            self.assertFalse(whole.is_cut)
            self.assertNotIn("none below black", suggest_noise(whole, 0.0)[0].evidence)
            for factor in (1, 2, 4):
                means = []
                for d in (developer, whole):
                    picture = d.view(recipe, factor).astype(float)
                    dark = picture[8:-8, picture.shape[1] // 32 : picture.shape[1] // 8]
                    means.append(dark.mean(axis=(0, 1)))
                # codes; without the correction red is off by far more
                np.testing.assert_allclose(means[0], means[1], atol=4.0, err_msg=f"1/{factor}")


if __name__ == "__main__":
    unittest.main()
