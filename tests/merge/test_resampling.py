"""A frame on another's grid against the function that it samples, and hot sites against stars."""

from __future__ import annotations

import math
import unittest

import cv2
import numpy as np

from bruto.align.registration import Alignment
from bruto.merge.hot_pixels import without_hot
from bruto.merge.resampling import nodes_of, resampled

W, H = 700, 500


def waves(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return 0.5 + 0.2 * np.sin(x / 3.1 + 0.3) * np.cos(y / 4.3)


class Resampled(unittest.TestCase):
    def test_values_between_pixels(self) -> None:
        yy, xx = np.mgrid[0:H, 0:W].astype(float)
        planes = np.stack([waves(xx, yy), waves(xx + 1, yy), waves(xx, yy - 2)]).astype(np.float32)
        for turn, tx, ty in ((0.0, 0.0, 0.0), (0.0, 0.01, -0.02), (0.026, 0.05, 0.01), (-0.08, 0.02, 0.02)):
            c, s = math.cos(turn), math.sin(turn)
            matrix = np.array([[c, -s, tx], [s, c, ty], [0, 0, 1]])
            alignment = Alignment(matrix, 0.0, 0.0, 0, (W, H), (W, H))
            out, inside = resampled(planes, nodes_of(alignment, W, H), 0, H, W)
            there = alignment.apply(np.stack([xx.ravel(), yy.ravel()], axis=1))
            qx, qy = there[:, 0].reshape(H, W), there[:, 1].reshape(H, W)
            np.testing.assert_array_equal(inside, (qx >= 0) & (qx <= W - 1) & (qy >= 0) & (qy <= H - 1))
            inner = (qx > 4) & (qx < W - 5) & (qy > 4) & (qy < H - 5)
            for plane, true in zip(out, (waves(qx, qy), waves(qx + 1, qy), waves(qx, qy - 2)), strict=True):
                self.assertLess(float(np.abs(plane - true)[inner].max()), 2e-3)

    def test_no_dark_line_beside_a_lamp(self) -> None:
        """The kernel's lobes would go below the darkness around."""
        plane = np.full((H, W), 0.004, np.float32)
        cv2.circle(plane, (350, 250), 60, 0.9, -1)
        shifted = nodes_of(Alignment(np.eye(3), 0.0, 0.0, 0, (W, H), (W, H)), W, H) + np.float32(0.37)
        out, _ = resampled(np.stack([plane] * 3), shifted, 0, H, W)
        self.assertGreater(float(out.min()), 0.0035)
        self.assertLess(float(out.max()), 0.905)


class Hot(unittest.TestCase):
    def test_hot_sites_go_and_stars_stay(self) -> None:
        random = np.random.default_rng(3)
        noise = np.tile([[2e-3, 4e-5]], (3, 1))
        light = np.full((200, 300), 0.02)
        stars = [
            (x + 0.3 * k % 1, y)
            for k, (x, y) in enumerate((x, y) for x in range(20, 280, 40) for y in (30.2, 80.6, 130.4))
        ]
        yy, xx = np.mgrid[0:200, 0:300]
        for x, y in stars:
            light += 0.4 * np.exp(-((xx - x) ** 2 + (yy - y) ** 2) / (2 * 0.6**2))
        mosaic = (light + random.normal(0, 1, light.shape) * np.sqrt(2e-3 * light + 4e-5)).astype(np.float32)
        spots = [(40, 50), (91, 120), (160, 211), (180, 40)]
        for y, x in spots:
            mosaic[y, x] = 0.35
        clean = without_hot(mosaic, noise)
        for y, x in spots:
            self.assertLess(clean[y, x], 0.06)
        near = np.zeros(mosaic.shape, bool)
        for y, x in spots:
            near[y, x] = True
        self.assertLess(int((clean != mosaic)[~near].sum()), 3)  # no star was touched
