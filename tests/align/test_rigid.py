"""Frames of one camera laid on each other: hands that shake, shutters that roll, things near by."""

from __future__ import annotations

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment
from bruto.merge.frames import align
from tests.hand import MARGIN, OVER, SIZE, collage, seen_from, sensor_at, shaken
from tests.photographs import Sensor, codes_of

W, H = SIZE


def half(light: NDArray[np.float32], sensor: Sensor, seed: int) -> NDArray[np.float32]:
    """Half-size brightness of a noisy frame."""
    data = (codes_of(light, sensor, seed).astype(np.float32) - sensor.black) / (sensor.white - sensor.black)
    return cv2.resize(data.astype(np.float32), (W // 2, H // 2), interpolation=cv2.INTER_AREA)


def found(reference: NDArray, other: NDArray, sensor: Sensor) -> Alignment:
    return align(reference, other, SIZE, sensor.b / sensor.a)


class Hand(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.light = collage()
        cls.still = seen_from(cls.light, shaken(1, 0))

    def test_shift_and_turn_to_a_part_of_a_pixel(self) -> None:
        grid = np.array([[x, y] for x in np.linspace(0, W - 1, 7) for y in np.linspace(0, H - 1, 7)])
        for iso in (100, 3200):
            sensor = sensor_at(iso)
            first = half(self.still, sensor, 1)
            for k in (1, 2):
                truth = shaken(iso, k)
                moved = found(first, half(seen_from(self.light, truth), sensor, 10 + k), sensor)
                self.assertIsNone(moved.local)
                error = moved.apply(grid) - (grid @ truth[:, :2].T + truth[:, 2])
                self.assertLess(float(np.sqrt((error**2).mean())), 0.03)
                self.assertLess(moved.model_px, 0.05)

    def test_a_large_thing_that_moves_does_not_move_the_frame(self) -> None:
        sensor = sensor_at(400)
        truth = shaken(7, 2)
        other = seen_from(self.light, truth)
        other[:, : W // 3] = np.roll(other, 160, axis=0)[:, : W // 3]
        moved = found(half(self.still, sensor, 1), half(other, sensor, 2), sensor)
        corners = np.array([[0, 0], [W - 1, 0], [0, H - 1], [W - 1, H - 1]], float)
        error = moved.apply(corners) - (corners @ truth[:, :2].T + truth[:, 2])
        self.assertLess(float(np.abs(error).max()), 0.15)

    def test_parts_that_move_on_their_own(self) -> None:
        """A shutter that rolls while the hand sways, and a thing near by: 0.15 px rms at most."""
        yy, xx = np.mgrid[0:H, 0:W].astype(np.float32)
        nothing = np.zeros_like(xx)
        own = {
            "rolling": (3 * np.sin(yy / H * 6.28), 1.5 * np.cos(yy / H * 5)),
            "near": (4 * np.exp(-((xx - 700) ** 2 + (yy - 600) ** 2) / 200**2), nothing),
            "depth": (2.5 / (1 + np.exp(-(xx - W / 2) / 40)), nothing),
        }
        sensor = sensor_at(800)
        first = half(self.still, sensor, 1)
        inverse = cv2.invertAffineTransform(shaken(5, 3))
        for name, (dx, dy) in own.items():
            qx, qy = xx - dx, yy - dy  # this pixel of the frame shows that place of the reference
            px = inverse[0, 0] * qx + inverse[0, 1] * qy + inverse[0, 2]
            py = inverse[1, 0] * qx + inverse[1, 1] * qy + inverse[1, 2]
            laid = ((OVER * (p + MARGIN + 0.5) - 0.5).astype(np.float32) for p in (px, py))
            frame = cv2.remap(self.light, *laid, cv2.INTER_CUBIC)
            moved = found(first, half(frame, sensor, 3), sensor)
            self.assertIsNotNone(moved.local, name)
            some = np.s_[20::40, 20::40]
            places = np.stack([px[some].ravel(), py[some].ravel()], axis=1)
            inside = ((places > 0) & (places < [W - 1, H - 1])).all(axis=1)
            there = np.stack([xx[some].ravel(), yy[some].ravel()], axis=1)
            error = (moved.apply(places) - there)[inside]
            self.assertLess(float(np.sqrt((error**2).mean())), 0.15, name)
