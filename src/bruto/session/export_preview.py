"""What will leave: each shot with the size and the name that its picture will have."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from bruto.container.orientation import turned
from bruto.container.raw_frame import RawMeta
from bruto.develop.frame_geometry import geometry_of
from bruto.develop.recipe import Recipe
from bruto.export.encoders import reduced_size
from bruto.shoot.shots import Shot


@dataclass(frozen=True)
class ExportPreview:
    """A picture as it would leave: its name and its size."""

    shot: Shot
    recipe: Recipe | None
    """None where its suggestions are found when it leaves."""
    name: str
    size: tuple[int, int] | None
    """Width and height of the picture, pixels, None where it is not known yet."""


def framed_size(meta: RawMeta, recipe: Recipe) -> tuple[int, int]:
    """Return the width and height of a developed picture after turning, straightening and cropping, pixels.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    tuple[int, int]
        Width and height of a developed picture after turning, straightening and cropping, pixels.
    """
    used = recipe.effective()
    area = meta.active_area if used.whole_area and meta.kind != "picture" else meta.default_crop
    asked = replace(meta, default_crop=area, orientation=turned(meta.orientation, used.turns))
    return geometry_of(asked, used).oriented_size


def export_previews(
    shots: Iterable[Shot],
    values: Callable[[Path], Recipe | None],
    suffix: str,
    long_edge: int | None,
    sizes: bool = True,
) -> list[ExportPreview]:
    """Find what would be written of shots that can be opened.

    Parameters
    ----------
    shots
        The shots concerned.
    values
        Finds the values in force of a file, see `OpenShots.values`.
    suffix
        Suffix of the file name, with its point.
    long_edge
        Long edge of the output, pixels; None keeps the size.
    sizes
        Whether they are wanted, for which the files are looked into.

    Returns
    -------
    list[ExportPreview]
        What would be written of shots that can be opened.
    """
    found = []
    for shot in shots:
        if shot.problem:
            continue
        recipe = values(shot.main)
        meta = shot.meta if sizes else None
        size = None if meta is None or recipe is None else reduced_size(*framed_size(meta, recipe), long_edge)
        found.append(ExportPreview(shot, recipe, shot.name + suffix, size))
    return found
