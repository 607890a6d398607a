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
    """`recipe`: None where its suggestions are found when it leaves; `size`: width and height of the picture, pixels,
    None where it is not known yet.
    """

    shot: Shot
    recipe: Recipe | None
    name: str
    size: tuple[int, int] | None


def framed_size(meta: RawMeta, recipe: Recipe) -> tuple[int, int]:
    """Width and height of a developed picture after turning, straightening and cropping, pixels."""
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
    """What would be written of shots that can be opened. `values`: finds the values in force of a file, see
    `OpenShots.values`. `sizes`: whether they are wanted, for which the files are looked into.
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
