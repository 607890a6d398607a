"""Areas: parts of a picture, given by a mask, in which some steps have other values."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.develop.recipe import Recipe
from bruto.develop.steps.step import RawPosition, TilePosition


@dataclass(frozen=True, eq=False)
class Area:
    """`mask` (h, w; float32 0..1, any size) over the recorded frame, unoriented.

    Only steps whose fields differ from the picture's recipe run for it.
    """

    mask: NDArray[np.float32]
    values: Recipe
    """The recipe in it."""

    def over_tile(self, place: RawPosition, height: int, width: int) -> NDArray[np.float32]:
        """Compute the mask over pixels of the recorded frame, (height, width).

        Parameters
        ----------
        place
            Where the tile lies in the raw frame.
        height
            Height, pixels.
        width
            Width, pixels.

        Returns
        -------
        NDArray[np.float32]
            The mask over pixels of the recorded frame, (height, width).
        """
        left, top, right, bottom = place.area
        y = top + (np.arange(height, dtype=np.float32) + 0.5) / height * (bottom - top)
        x = left + (np.arange(width, dtype=np.float32) + 0.5) / width * (right - left)
        return _read(self.mask, x, y)


@dataclass(frozen=True, eq=False)
class PlacedMask:
    """A mask over the picture as it is shown."""

    mask: NDArray[np.float32]

    def rows(self, place: TilePosition, top: int, rows: int, width: int) -> NDArray[np.float32]:
        """Compute the mask over rows of a tile, (rows, width).

        Parameters
        ----------
        place
            Where the tile lies in the picture.
        top
            First row.
        rows
            Number of rows.
        width
            Width, pixels.

        Returns
        -------
        NDArray[np.float32]
            The mask over rows of a tile, (rows, width).
        """
        (x0, y0), (w, h) = place.origin, place.frame
        y = (y0 + top + np.arange(rows, dtype=np.float32) + 0.5) * place.factor / h
        x = (x0 + np.arange(width, dtype=np.float32) + 0.5) * place.factor / w
        return _read(self.mask, x, y)


def _read(mask: NDArray[np.float32], x: NDArray[Any], y: NDArray[Any]) -> NDArray[np.float32]:
    """Compute a mask at relative places of columns and rows, linear between its cells."""
    h, w = mask.shape
    mx, my = np.meshgrid((x * w - 0.5).astype(np.float32), (y * h - 0.5).astype(np.float32))
    return cv2.remap(np.ascontiguousarray(mask, np.float32), mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def differs(fields: tuple[str, ...], one: Recipe, other: Recipe) -> bool:
    """Check whether two recipes have other values in any of the fields.

    Parameters
    ----------
    fields
        Names of the recipe's fields.
    one
        First of two.
    other
        The recipe compared with.

    Returns
    -------
    bool
        True where two recipes have other values in any of the fields.
    """
    return any(getattr(one, name) != getattr(other, name) for name in fields)
