"""What an exercise is made of, and how its pictures are taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.simphone import sensor_model as sm
from bruto.simphone.preview import encoded, moved_by_hand, noisy, phone_at, scene_at
from bruto.tasks import Task

Light = NDArray[np.float32]
"""(H, W, 3), shares of saturation, camera RGB."""
BRIGHT = 0.16
"""Light to which a scene's middle is brought in a picture, of white."""
LETTERS = "ABCDEF"


@dataclass(frozen=True)
class Picture:
    """A picture (H, W, 3) uint8 with what stands under it."""

    title: str
    pixels: NDArray[np.uint8]


@dataclass(frozen=True)
class Round:
    """One try: what is seen, what is asked, answers of which the one with the number `right` is true; then."""

    pictures: tuple[Picture, ...]
    question: str
    options: tuple[str, ...]
    right: int
    explanation: str
    """The truth with what was measured, and what is seen `after`."""
    after: tuple[Picture, ...] = ()


@dataclass(frozen=True)
class Exercise:
    """`title`; `task`: where one does it for real."""

    title: str
    asks: str
    """What is practised, in a line."""
    thought: str
    """What is often thought of it, and what is so."""
    task: Task
    make: Callable[[np.random.Generator], Round]
    """A round from a source of chance."""


@dataclass(frozen=True)
class ExerciseScene:
    """A scene of the simulated phone, cut to `box` (left, top, width, height of its 800 x 600)."""

    name: str
    box: tuple[int, int, int, int] = (0, 0, 800, 600)

    def light(self, level: float) -> Light:
        """Return the light of a scene whose geometric mean is `level`.

        Parameters
        ----------
        level
            Light level, share of saturation, 0 to 1.

        Returns
        -------
        Light
            Light with the geometric mean of the whole scene at `level`.
        """
        left, top, width, height = self.box
        return scene_at(phone_at(self.name), level)[top : top + height, left : left + width]

    def picture(self, light: Light, gain: float) -> NDArray[np.uint8]:
        """Return light as a picture, `gain` times as light.

        Parameters
        ----------
        light
            The light.
        gain
            Gain; 1 changes nothing.

        Returns
        -------
        NDArray[np.uint8]
            Light as a picture, `gain` times as light.
        """
        phone = phone_at(self.name)
        return encoded(light, gain, phone.true_neutral, phone.scene.kelvin)


def noise_of(iso: float, megapixels: int = 12) -> tuple[float, float]:
    """Compute a, b of the simulated phone's noise at an ISO.

    Parameters
    ----------
    iso
        ISO speed.
    megapixels
        Resolution of the simulated phone: 3, 12 or 48.

    Returns
    -------
    tuple[float, float]
        a, b of the simulated phone's noise at an ISO.
    """
    return sm.sensor_for(megapixels).noise(iso)


def taken(light: Light, iso: float, seed: int, frames: int = 1, blur: float = 0.0, megapixels: int = 12) -> Light:
    """Return a frame of the simulated phone, or the mean of several: with noise, clipped at saturation.

    Parameters
    ----------
    light
        The light.
    iso
        ISO speed.
    seed
        Seed of the random generator.
    frames
        Number of frames.
    blur
        Blur, pixels.
    megapixels
        Resolution of the simulated phone: 3, 12 or 48.

    Returns
    -------
    Light
        A frame of the simulated phone, or the mean of several.
    """
    a, b = noise_of(iso, megapixels)
    return noisy(moved_by_hand(light, blur), (a / frames, b / frames), seed)


def full(light: Light) -> NDArray[np.bool_]:
    """Find which channels are clipped (H, W, 3).

    Parameters
    ----------
    light
        The light.

    Returns
    -------
    NDArray[np.bool_]
        Which channels are clipped (H, W, 3).
    """
    return light >= 1.0


def marked(picture: NDArray[np.uint8], where: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Compute a picture with diagonal stripes where something is so.

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.
    where
        Mask of the pixels that count.

    Returns
    -------
    NDArray[np.uint8]
        A picture with diagonal stripes where something is so.
    """
    h, w = where.shape
    y, x = np.mgrid[0:h, 0:w]
    found = picture.copy()
    found[where & ((x + y) % 6 < 3)] = (190, 40, 150)
    return found


def snr_of(light: Light, flat: tuple[int, int, int, int]) -> float:
    """Compute the signal over noise of green in an even part (left, top, width, height).

    Differences of neighbours tell the noise, so that slow changes of the light do not count.

    Parameters
    ----------
    light
        The light.
    flat
        Rectangle of an even patch: left, top, width, height.

    Returns
    -------
    float
        Signal over noise of green in an even part (left, top, width, height): differences of neighbours tell the
        noise, so that slow changes of the light do not count.
    """
    left, top, width, height = flat
    part = light[top : top + height, left : left + width, 1]
    fine = part - cv2.GaussianBlur(part, (0, 0), 4.0)
    return float(part.mean() / max(fine.std(), 1e-9))


def shuffled(random: np.random.Generator, count: int) -> list[int]:
    """Return the numbers below `count` in any order.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.
    count
        How many numbers.

    Returns
    -------
    list[int]
        Numbers below `count` in any order.
    """
    return [int(k) for k in random.permutation(count)]


def seed_from(random: np.random.Generator) -> int:
    """Compute a seed for noise.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    int
        A seed for noise.
    """
    return int(random.integers(1, 1 << 30))
