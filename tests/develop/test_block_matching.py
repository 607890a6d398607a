"""Groups of like blocks: what they gain, what they keep, and that pieces agree with the whole."""

from __future__ import annotations

import unittest

import numpy as np
from skimage import data

from bruto.color.spaces import decode_srgb
from bruto.develop.steps import noise
from bruto.develop.steps.block_matching import filter_alike
from bruto.develop.steps.dct import denoise_plane

ONE = np.ones((1, 1), np.float32)


def weave(height: int, width: int) -> np.ndarray:
    """A cloth whose threads repeat every 6 and 8 pixels."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    return (np.sin(2 * np.pi * x / 6) * np.sign(np.sin(2 * np.pi * y / 8 + 0.3))).astype(np.float32)


class LikeBlocks(unittest.TestCase):
    def setUp(self) -> None:
        self.random = np.random.default_rng(4)

    def filtered(self, noisy: np.ndarray, sigma: float) -> tuple[np.ndarray, np.ndarray]:
        """Alone, and with like blocks."""
        spread, gain = np.full((8, 8), sigma, np.float32), np.ones((1, noisy.shape[1]), np.float32)
        alone = denoise_plane(noisy, spread, 1.0, gain, 2)
        together = filter_alike(alone, noisy[None], alone[None], spread[None], gain, 8 * sigma**2)[0]
        return alone, together

    def test_what_repeats_is_told_from_noise(self) -> None:
        for shape in ((120, 160), (93, 131)):
            cloth = weave(*shape)
            noisy = (cloth + self.random.normal(0, 0.6, shape)).astype(np.float32)
            alone, together = self.filtered(noisy, 0.6)
            before, after = (float(np.std(found - cloth)) for found in (alone, together))
            self.assertLess(after, 0.75 * before)

    def test_without_noise_nothing_is_changed(self) -> None:
        cloth = weave(70, 90)
        _, together = self.filtered(cloth, 1e-6)
        np.testing.assert_allclose(together, cloth, atol=1e-4)

    def test_noise_alone_goes(self) -> None:
        noisy = self.random.normal(3, 1, (96, 128)).astype(np.float32)
        _, together = self.filtered(noisy, 1.0)
        self.assertAlmostEqual(float(together.mean()), 3, delta=0.03)
        self.assertLess(float(together.std()), 0.15)

    def test_the_smallest_plane(self) -> None:
        noisy = self.random.normal(3, 1, (8, 8)).astype(np.float32)
        _, together = self.filtered(noisy, 1.0)
        self.assertTrue(np.isfinite(together).all())
        self.assertLess(float(together.std()), float(noisy.std()))

    def test_pieces_on_the_grid_agree_with_the_whole(self) -> None:
        rgb = decode_srgb(data.cat()[:288, :416] / 255.0).astype(np.float32)
        rgb = (rgb + self.random.normal(0, 0.03, rgb.shape)).astype(np.float32)
        levels = np.array([[1e-3, 9e-4]] * 3)
        whole = noise.reduce_noise(rgb, levels, 1.0, 1.0, "mosaic", ONE, best=True)
        part = np.ascontiguousarray(rgb[32:, 64:])
        piece = noise.reduce_noise(part, levels, 1.0, 1.0, "mosaic", ONE, best=True)
        inner = (slice(96, -96), slice(96, -96))
        np.testing.assert_allclose(piece[inner], whole[32:, 64:][inner], atol=2e-3)
        self.assertLess(float(np.abs(piece[inner] - whole[32:, 64:][inner]).mean()), 2e-5)


if __name__ == "__main__":
    unittest.main()
