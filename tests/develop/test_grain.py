"""Grain that stays after noise reduction: texture keeps it, even places and lone edges do not."""

from __future__ import annotations

import unittest

import numpy as np
from benchmarks.natural import kept

from bruto.develop.steps.grain import EVEN, IN_TEXTURE, grain_shares
from bruto.develop.suggest.detail import STRENGTH
from bruto.simphone.sensor_model import sensor_for

ONE = np.ones((1, 1), np.float32)


class GrainShares(unittest.TestCase):
    def setUp(self) -> None:
        plane = np.full((96, 160), 20.0, np.float32)
        plane[:, 80:] += 3.0 * np.random.default_rng(4).standard_normal((96, 80)).astype(np.float32)
        plane[:, 20:40] += 15.0  # a bar: two edges on even ground
        self.plane = plane

    def test_texture_keeps_more_than_even_ground_and_edges(self) -> None:
        shares = grain_shares(self.plane, 1.0, ONE, STRENGTH)
        self.assertEqual(shares.shape, self.plane.shape)
        np.testing.assert_allclose(shares[:, 50:70], EVEN, atol=1e-6)
        np.testing.assert_allclose(shares[:, 90:150], IN_TEXTURE, atol=0.02)
        self.assertLess(shares[:, :40].max(), 0.4)

    def test_what_noise_itself_may_have_made_is_no_texture(self) -> None:
        self.assertLess(grain_shares(self.plane, 30.0, ONE, STRENGTH)[:, 90:150].max(), 0.2)
        raised = grain_shares(self.plane, 1.0, np.full((2, 2), 900.0, np.float32), STRENGTH)
        self.assertLess(raised[:, 90:150].max(), 0.2)

    def test_less_where_more_noise_is_to_go_and_tiny_planes(self) -> None:
        half, clean, none = (grain_shares(self.plane, 1.0, ONE, strength) for strength in (5 / 6, 1.0, 2.0))
        np.testing.assert_allclose(half[:, 90:150], IN_TEXTURE / 2, atol=0.02)
        self.assertEqual((clean.min(), clean.max()), (np.float32(EVEN), np.float32(EVEN)))
        self.assertEqual(none.max(), 0.0)
        self.assertEqual(grain_shares(self.plane[:3, :2], 1.0, ONE, STRENGTH).shape, (3, 2))
        self.assertEqual(grain_shares(self.plane[:7, :9], 1.0, ONE, STRENGTH).shape, (7, 9))


class TextureKept(unittest.TestCase):
    def test_photographs_keep_their_detail_at_the_strength_that_is_suggested(self) -> None:
        for iso, least in ((1600.0, (0.8, 0.9)), (6400.0, (0.45, 0.7))):
            a, b = (float(v) for v in sensor_for(12).noise(iso))
            fine, coarse, _ = kept(a, b, (STRENGTH, 1.0))
            self.assertGreaterEqual((round(fine, 2), round(coarse, 2)), least, iso)
            self.assertGreaterEqual(round(coarse, 2), least[1], iso)
