"""Raw steps on tiles of the recorded frame, and what is kept of their results."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.develop.areas import Area, differs
from bruto.develop.recipe import Recipe
from bruto.develop.sensor_image import SensorImage
from bruto.develop.steps.step import RawPosition, RawStep

CACHED_STAGES, LEAST_STAGES, MOST_STAGES = 7, 3, 400_000_000
"""Results of steps that are kept: how many, how many in any case (those of one view), and bytes beyond those."""


@dataclass(frozen=True)
class TileRun:
    """Pixels of the recorded frame at 1/factor that raw steps run on: `key` for what is kept; `light` makes them.

    `place` in the frame.
    """

    key: tuple[Any, ...]
    light: Callable[[], NDArray[np.float32]]
    place: RawPosition


class StageCache:
    """Results of steps, the latest ones used, within a limit of memory."""

    def __init__(self) -> None:
        self._stages: OrderedDict[tuple[Any, ...], NDArray[np.float32]] = OrderedDict()

    def arrays(self) -> list[NDArray[np.float32]]:
        """List what is kept; copied at once, as it may grow on the render thread."""
        return list(self._stages.values())

    def get(self, key: tuple[Any, ...], make: Callable[[], NDArray[np.float32]]) -> NDArray[np.float32]:
        """Return what is kept under a key, made where it is not there.

        Parameters
        ----------
        key
            What it depends on.
        make
            Makes it.

        Returns
        -------
        NDArray[np.float32]
            The result.
        """
        if key in self._stages:
            self._stages.move_to_end(key)
        else:
            self._stages[key] = make()
            while len(self._stages) > CACHED_STAGES or (
                len(self._stages) > LEAST_STAGES and sum(s.nbytes for s in self._stages.values()) > MOST_STAGES
            ):
                self._stages.popitem(last=False)
        return self._stages[key]


def is_idle(image: SensorImage, step: RawStep, recipe: Recipe, factor: float) -> bool:
    """Whether a raw step has nothing to do in a view; one that fails is reported when it is run.

    Parameters
    ----------
    image
        The recorded frame.
    step
        The step.
    recipe
        The edit, every value in its own unit.
    factor
        How many times smaller the view is.

    Returns
    -------
    bool
        True where it changes nothing.
    """
    try:
        return step.prepare(recipe, image, factor, False) is None
    except Exception:
        return False


def run_raw_step(
    image: SensorImage,
    step: RawStep,
    rgb: NDArray[np.float32],
    recipe: Recipe,
    place: RawPosition,
    file: bool,
    areas: Sequence[Area] = (),
) -> NDArray[np.float32]:
    """Run one raw step on a tile; where areas have other values, those are weighed by their masks.

    Parameters
    ----------
    image
        The recorded frame.
    step
        The step.
    rgb
        Linear RGB (H, W, 3), float32, 1 = sensor saturation.
    recipe
        The edit, every value in its own unit.
    place
        Where the tile lies in the frame.
    file
        Whether it is for a file, not for a view.
    areas
        Parts of the picture with other values.

    Returns
    -------
    NDArray[np.float32]
        The tile after the step.
    """
    prepared = step.prepare(recipe, image, place.factor, file)
    out = rgb if prepared is None else step.apply(rgb, prepared, place)
    for area in areas:
        values = area.values.effective()
        weight = area.over_tile(place, *rgb.shape[:2])[..., None]
        if not differs(step.fields, recipe, values) or not weight.any():
            continue
        prepared = step.prepare(values, image, place.factor, file)
        other = rgb if prepared is None else step.apply(rgb, prepared, place)
        out = out + weight * (other - out)
    return out
