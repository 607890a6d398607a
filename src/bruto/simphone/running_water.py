"""Water that runs: the sluice on a tripod with its race in front, which is different in every frame.

And somebody who walks through a few of them.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.simphone.capture import Capture, Exposure, Phone

WATER = ((0.50, 0.63), (0.57, 0.63), (0.70, 0.80), (0.96, 1.02), (0.28, 1.02), (0.43, 0.78))
"""Corners of the race, as shares of the width and the height."""
WAVES = 0.42
"""Standard deviation of the logarithm of the water's light: glints have a long tail."""
WALKER = (4, 5, 6)
"""Frames through which somebody walks."""


class RunningWaterPhone(Phone):
    """The phone in front of the sluice."""

    def __init__(self, size: tuple[int, int], seed: int = 1) -> None:
        super().__init__("sluice", size=size)
        self._seed = seed
        self._number = 0
        self.water = self._area()
        """Share of water of each place of the frame with its margins."""

    def _area(self) -> NDArray[np.float32]:
        h, w = self.height + 2 * self._margin, self.width + 2 * self._margin
        corners = np.array([[x * self.width + self._margin, y * self.height + self._margin] for x, y in WATER])
        mask = np.zeros((h, w), np.float32)
        cv2.fillPoly(mask, [np.rint(corners).astype(np.int32)], 1.0)
        return cv2.GaussianBlur(mask, (0, 0), 0.004 * self.width)

    def waves(self, number: int) -> NDArray[np.float32]:
        """Compute the factor of the water's light in a frame: wide and low, as seen along the water.

        Parameters
        ----------
        number
            Index.

        Returns
        -------
        NDArray[np.float32]
            Factor of the water's light in a frame.
        """
        h, w = self.water.shape
        random = np.random.default_rng([self._seed, 61, number])
        total = np.zeros((h, w), np.float32)
        for scale, weight in ((0.004, 1.0), (0.010, 1.0), (0.03, 0.6)):
            wide = max(2, round(1 / (4 * scale)))
            grid = random.standard_normal((round(wide * 2.4), wide)).astype(np.float32)
            total += weight * cv2.resize(grid, (w, h), interpolation=cv2.INTER_CUBIC)
        total /= total.std()
        return np.exp(WAVES * total - WAVES**2 / 2).astype(np.float32)

    def _optical(self) -> NDArray[np.float32]:
        light = super()._optical() * (1 + self.water * (self.waves(self._number) - 1))[..., None]
        if self._number in WALKER:
            self._walk(light)
        return light

    def _walk(self, light: NDArray[np.float32]) -> None:
        """Somebody in a dark coat who passes close by, out of focus, seen down to the knees."""
        m, w, h = self._margin, self.width, self.height
        step = self._number - WALKER[0]
        x = m + (0.10 + 0.36 * step) * w
        foot, tall = m + 1.28 * h, 1.0 * h
        shape = np.zeros(light.shape[:2], np.float32)
        body = [
            (-0.03, -0.87), (0.03, -0.87), (0.10, -0.83), (0.125, -0.72), (0.13, -0.46), (0.11, -0.43), (0.12, 0),
            (-0.12, 0), (-0.11, -0.43), (-0.13, -0.46), (-0.125, -0.72), (-0.10, -0.83),
        ]  # fmt: skip
        lean = 0.02 * (-1) ** step
        points = np.array([[x + (a - lean * b) * tall, foot + b * tall] for a, b in body])
        cv2.fillPoly(shape, [np.rint(points).astype(np.int32)], 1.0, cv2.LINE_AA)
        head = (round(x + lean * 0.95 * tall), round(foot - 0.935 * tall))
        cv2.ellipse(shape, head, (round(0.05 * tall), round(0.068 * tall)), 0, 0, 360, 1.0, -1, cv2.LINE_AA)
        shape = cv2.GaussianBlur(shape, (0, 0), 0.006 * w)
        shape = cv2.blur(shape, (max(1, round(0.012 * w)), 1))[..., None]  # he moves on while the shutter is open
        level = 0.10 * float(light[m:-m, m:-m, 1].mean())
        column = (np.arange(light.shape[1], dtype=np.float32) - x) / (0.13 * tall)
        folds = 1 + 0.35 * np.clip(column, -1, 1) + 0.12 * np.sin(9 * column)  # light from the right
        coat = level * folds[None, :, None] * np.array([0.95, 1.0, 1.1]) * self.true_neutral
        light *= 1 - shape
        light += shape * coat.astype(np.float32)

    def take(self, number: int, exposure: Exposure, seed: int = 1) -> Capture:
        """Return one frame on the tripod.

        Parameters
        ----------
        number
            Index.
        exposure
            ISO, exposure time and how it was held.
        seed
            Seed of the random generator.

        Returns
        -------
        Capture
            One frame on the tripod.
        """
        self._number = number
        return self.shoot(exposure, seed=seed * 10_000 + number)


def race_frame(phone: RunningWaterPhone, number: int, exposure: Exposure, path: Path) -> list[Path]:
    """Write a frame as the phone does, half a second after the one before.

    Parameters
    ----------
    phone
        The simulated phone.
    number
        Index.
    exposure
        ISO, exposure time and how it was held.
    path
        File to read.

    Returns
    -------
    list[Path]
        What was found, in order.
    """
    from datetime import timedelta

    from bruto.simphone.capture import FIRST_SHOT
    from bruto.simphone.capture_files import save

    return save(phone.take(number, exposure), path, FIRST_SHOT + timedelta(hours=8.2, seconds=0.7 * number))
