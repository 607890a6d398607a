"""Running point steps over a tile, band by band, on all cores."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.develop.areas import PlacedMask
from bruto.develop.rgb_rows import lines
from bruto.develop.steps.step import Band, PointStep, Tile, TilePosition
from bruto.parallel import CORES, beside

BAND_PIXELS = 96_000
"""Pixels of a band: its three planes, with what a step keeps beside them, stay in the processor's cache."""


class StepFailed(Exception):
    """A step failed on a band: its `name`, and the `cause`."""

    def __init__(self, name: str, cause: Exception) -> None:
        super().__init__(f"{name}: {cause}")
        self.name, self.cause = name, cause


@dataclass(frozen=True)
class Planned:
    """A step with what it prepared: for the picture, and for areas in which it has other values."""

    step: PointStep
    prepared: Any
    areas: tuple[tuple[PlacedMask, Any], ...] = ()


def run(
    plan: Sequence[Planned],
    rgb: NDArray[np.float32],
    clipped: NDArray[np.uint8],
    place: TilePosition,
    bits: int,
    band_pixels: int = BAND_PIXELS,
) -> NDArray[Any]:
    """Compute the balanced camera RGB (H, W, 3) through point steps to codes, uint8 or uint16.

    The result does not depend on how bands are cut.

    Parameters
    ----------
    plan
        Steps with what was prepared for them.
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.
    clipped
        Map of clipped channels, see `TilePosition`.
    place
        Where the tile lies in the picture.
    bits
        Bits per sample.
    band_pixels
        Pixels of a band at most.

    Returns
    -------
    NDArray
        Balanced camera RGB (H, W, 3) through point steps to codes, uint8 or uint16.
    """
    h, w = rgb.shape[:2]
    out = np.empty(rgb.shape, np.uint8 if bits == 8 else np.uint16)
    tile = Tile(lines(rgb), clipped, place, lines(out))
    count = max(1, round(h * w / band_pixels))
    rows = max(1, -(-h // (-(-count // CORES) * CORES)))  # every core gets as many
    starts = iter(range(0, h, rows))

    def work() -> None:
        planes = np.empty((3, rows, w), np.float32)
        for top in starts:  # the core that is free takes the next one
            _band(plan, Band(tile, top, planes if top + rows <= h else planes[:, : h - top]))

    beside(work, CORES)
    return out


def _band(plan: Sequence[Planned], band: Band) -> None:
    for planned in plan:
        try:
            if planned.areas:
                _with_areas(planned, band)
            else:
                planned.step.apply(band, planned.prepared)
        except MemoryError:
            raise
        except Exception as error:
            raise StepFailed(planned.step.name, error) from error


def _with_areas(planned: Planned, band: Band) -> None:
    """One step on a band and, where areas have other values, those weighed by their masks."""
    before = np.stack(band.planes)
    if planned.prepared is not None:
        planned.step.apply(band, planned.prepared)
    for mask, prepared in planned.areas:
        weight = mask.rows(band.tile.place, band.top, *band.x.shape)
        if not weight.any():
            continue
        other = Band(band.tile, band.top, before.copy())
        if prepared is not None:
            planned.step.apply(other, prepared)
        for plane, changed in zip(band.planes, other.planes, strict=True):
            plane += weight * (changed - plane)
