"""A small picture of what a merge holds so far, shown now and then while it runs."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from bruto.merge.frames import Frame

EDGE = 960
"""Long edge of the picture, pixels."""
EVERY_S = 1.0
"""Seconds from one picture to the next at least; making one takes about a twentieth of that."""


@dataclass(frozen=True)
class LivePicture:
    """`light` (h, w, 3), camera RGB, 1 = saturation."""

    light: NDArray[np.float32]
    frame: Frame
    """Whose tags it has."""
    count: int
    """Frames in it."""
    summed: bool
    """Whether they are merged in it, or only the last of them is seen."""


def small(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute the planes (3, H, W) as a small picture (h, w, 3).

    Parameters
    ----------
    planes
        Colour planes (C, H, W), linear light.

    Returns
    -------
    NDArray[np.float32]
        Planes (3, H, W) as a small picture (h, w, 3).

    Examples
    --------
    >>> small(np.zeros((3, 1200, 1920), np.float32)).shape
    (600, 960, 3)
    """
    _, h, w = planes.shape
    scale = min(1.0, EDGE / max(h, w))
    size = max(1, round(w * scale)), max(1, round(h * scale))
    return np.stack([cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in planes], axis=2)


class Live:
    """Tells `seen` of pictures, not too often."""

    def __init__(self, seen: Callable[[LivePicture], None] | None) -> None:
        self._seen = seen
        self._last = time.monotonic()

    def show(self, make: Callable[[], NDArray[np.float32]], frame: Frame, count: int, summed: bool = True) -> None:
        """Show what `make` gives (planes, (3, h, w)), where it is time for another picture and somebody looks.

        Parameters
        ----------
        make
            Makes the picture when it is wanted.
        frame
            Frame of the set.
        count
            Frames merged so far.
        summed
            Whether frames are merged in it.
        """
        if self._seen is None or time.monotonic() - self._last < EVERY_S:
            return
        self._seen(LivePicture(small(make()), frame, count, summed))
        self._last = time.monotonic()
