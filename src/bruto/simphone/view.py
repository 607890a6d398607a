"""The camera of a scene: which way each pixel looks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.simphone.scene import SimulatedScene

HALF_DIAGONAL_MM = 21.633
"""Half the diagonal of a 36 x 24 mm frame, the reference of equivalent focal lengths (CIPA DCG-001)."""


@dataclass(frozen=True)
class View:
    """A pinhole camera: `eye`, unit vectors, half width and height of the frame at distance 1.

    And the size in pixels.
    """

    eye: NDArray[np.float64]
    right: NDArray[np.float64]
    up: NDArray[np.float64]
    forward: NDArray[np.float64]
    half_width: float
    half_height: float
    width: int
    height: int

    def directions(self, x: NDArray[Any], y: NDArray[Any]) -> NDArray[np.float32]:
        """Compute the unit directions (N, 3) through pixel positions; (0, 0) is the corner of the first pixel.

        Parameters
        ----------
        x
            Horizontal positions, pixels.
        y
            Vertical positions, pixels.

        Returns
        -------
        NDArray[np.float32]
            Unit directions (N, 3) through pixel positions.
        """
        u = (2 * x / self.width - 1) * self.half_width
        v = (1 - 2 * y / self.height) * self.half_height
        d = self.forward + u[:, None] * self.right + v[:, None] * self.up
        return (d / np.linalg.norm(d, axis=1, keepdims=True)).astype(np.float32)

    def project(self, points: NDArray[Any]) -> NDArray[np.float64]:
        """Compute the pixel positions (N, 2) of world points (N, 3).

        Parameters
        ----------
        points
            Points (N, 2), pixels.

        Returns
        -------
        NDArray[np.float64]
            Pixel positions (N, 2) of world points (N, 3).
        """
        p = np.asarray(points) - self.eye
        z = p @ self.forward
        u, v = (p @ self.right) / z / self.half_width, (p @ self.up) / z / self.half_height
        return np.stack([(u + 1) / 2 * self.width, (1 - v) / 2 * self.height], axis=1)


def view_of(scene: SimulatedScene, width: int, height: int, focal_35mm: float = 26.0, reach: float = 1.0) -> View:
    """Return the camera of a scene for a 4:3 frame of an equivalent focal length; `reach` widens it.

    Parameters
    ----------
    scene
        The simulated scene.
    width
        Width, pixels.
    height
        Height, pixels.
    focal_35mm
        35 mm equivalent focal length, mm.
    reach
        Distance to see, metres.

    Returns
    -------
    View
        The camera of a scene for a 4:3 frame of an equivalent focal length.
    """
    eye, target = np.asarray(scene.eye), np.asarray(scene.target)
    forward = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross([0, 1, 0], forward)
    right /= np.linalg.norm(right)
    half = 0.8 * HALF_DIAGONAL_MM / focal_35mm * reach
    return View(eye, right, np.cross(forward, right), forward, half, half * height / width, width, height)
