"""The recorded frame as a recipe frames it and sets its white: what every view and every file is made from."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.color.temperature import xy_of
from bruto.container.color_model import xy_to_neutral
from bruto.develop.frame_geometry import Geometry, clipped_or_near, geometry_of
from bruto.develop.profiles import chosen, hue_sat_for, with_profile
from bruto.develop.recipe import FRAME_FIELDS, Recipe
from bruto.develop.rectangle import Rectangle
from bruto.develop.sensor_image import SensorImage
from bruto.develop.source import Source
from bruto.develop.steps.profile_look import ProfileLook, look_of
from bruto.develop.steps.step import CoarseField, RawPosition, TilePosition

MOST_GEOMETRIES = 6
_WHITE_FIELDS = ("temperature", "tint", "raw_neutral", "profile", "base_look")


def values_of(fields: Sequence[str], recipe: Recipe) -> tuple[Any, ...]:
    """Return what a recipe says in some fields.

    Parameters
    ----------
    fields
        Names of fields.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    tuple[Any, ...]
        Their values.
    """
    return tuple(getattr(recipe, name) for name in fields)


def frame_key(recipe: Recipe, uncropped: bool) -> tuple[Any, ...]:
    """Return what a geometry depends on.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.
    uncropped
        Whether all is shown that the frame covers.

    Returns
    -------
    tuple[Any, ...]
        A key for what is kept of the frame.
    """
    left_out = ("crop", "aspect") if uncropped else ()
    return (uncropped, *(getattr(recipe, name) for name in FRAME_FIELDS if name not in left_out))


class FramedImage(SensorImage):
    """A recorded frame, its pictures by geometry, and its colours by white and profile."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._geometries: OrderedDict[tuple[Any, ...], Geometry] = OrderedDict()
        self._fields: tuple[Geometry, dict[str, Any]] | None = None
        self._near: NDArray[np.uint8] | None = None
        self._colors: tuple[tuple[Any, ...], tuple[NDArray[np.float64], float, ProfileLook | None]] | None = None

    def geometry(self, recipe: Recipe, uncropped: bool = False) -> Geometry:
        """Return the mapping from the recorded frame to the recipe's picture.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        uncropped
            To all that it covers.

        Returns
        -------
        Geometry
            The mapping from the recorded frame to the recipe's picture.
        """
        recipe = recipe.effective()
        key = frame_key(recipe, uncropped)
        if key not in self._geometries:
            self._geometries[key] = geometry_of(self.source.meta, recipe, uncropped)
            while len(self._geometries) > MOST_GEOMETRIES:
                self._geometries.popitem(last=False)
        self._geometries.move_to_end(key)
        return self._geometries[key]

    def size(self, recipe: Recipe) -> tuple[int, int]:
        """Return the width and height of the recipe's picture at full size, unoriented.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        tuple[int, int]
            Width and height of the recipe's picture at full size, unoriented.
        """
        return self.geometry(recipe).size

    def light(self, recipe: Recipe, factor: float, rect: Rectangle | None = None) -> NDArray[np.float32]:
        """Compute the balanced camera RGB of the recipe's picture at 1/factor.

        It may be a rectangle of it at full size; no other correction is made.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.
        rect
            Rectangle in output pixels.

        Returns
        -------
        NDArray[np.float32]
            Balanced camera RGB of the recipe's picture at 1/factor, or of a rectangle of it at full size,
            without any other correction.
        """
        shape = self.geometry(recipe)
        area = rect or Rectangle(0, 0, *shape.size)
        if factor > 1:
            return self.level(factor) if shape.whole else shape.resampled(self.level(factor), area, factor)
        part = shape.source_area(area)
        rgb, dx, dy = self.piece(part)
        return shape.resampled(rgb, area, 1, (part.x - dx, part.y - dy))

    def clipped_channels(self, recipe: Recipe) -> NDArray[np.uint8]:
        """Compute the clipped channels (bits 1, 2, 4) of the recipe's picture at half the size.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.uint8]
            Clipped channels (bits 1, 2, 4) of the recipe's picture at half the size.
        """
        shape = self.geometry(recipe)
        if shape.whole:
            return self.clipped
        return shape.clipped(self._near_clipped(), Rectangle(0, 0, *shape.size), 2)

    def _near_clipped(self) -> NDArray[np.uint8]:
        """Clipped channels of each quad of the frame and its neighbours."""
        if self._near is None:
            self._near = clipped_or_near(self.clipped)
        return self._near

    def _over(self, shape: Geometry, field: CoarseField) -> Any:
        """Return a coarse field over the picture of a geometry; those of the latest one are kept."""
        found = self.coarse(field)
        if shape.offset is not None:
            return found
        if self._fields is None or self._fields[0] is not shape:
            self._fields = (shape, {})
        caches = self._fields[1]
        if field.name not in caches:
            caches[field.name] = field.over(found, shape)
        return caches[field.name]

    def _placed(self, shape: Geometry, area: Rectangle, factor: float) -> tuple[TilePosition, NDArray[np.uint8]]:
        """Where an area at 1/factor lies, for the point steps, and the clipped channels that they read."""
        own = (area.x / factor, area.y / factor)
        if shape.offset is not None:
            at = (round((shape.offset[0] + area.x) / factor), round((shape.offset[1] + area.y) / factor))
            return TilePosition(factor, at, shape.sensor_size, factor / 2, at, own, shape.size), self.clipped
        clipped = self.clipped
        if clipped.any():
            clipped = shape.clipped(self._near_clipped(), area, factor)
        else:
            clipped = np.zeros((1, 1), np.uint8)
        return TilePosition(factor, own, shape.size, min(factor, 2) / 2, (0, 0), own, shape.size), clipped

    def neutral(self, recipe: Recipe) -> NDArray[np.float64]:
        """Compute the camera neutral of a recipe.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.float64]
            Camera neutral of a recipe.
        """
        if recipe.raw_neutral is not None:
            found = np.clip(np.array(recipe.raw_neutral), 1e-3, None)
            return found / found[1]
        if recipe.temperature is None and recipe.tint is None:
            return self.source.neutral
        kelvin, duv = self.as_shot()
        xy = xy_of(
            recipe.temperature if recipe.temperature is not None else kelvin,
            recipe.tint if recipe.tint is not None else duv,
        )
        return xy_to_neutral(self.source.meta, *xy)

    def _color(self, recipe: Recipe) -> tuple[NDArray[np.float64], float, ProfileLook | None]:
        """Matrix from balanced camera RGB to working space, baseline exposure (EV) and look.

        Those of the latest white and profile are kept, as they take longer than all else that comes before the
        pixels.
        """
        key = values_of(_WHITE_FIELDS, recipe)
        if self._colors is None or self._colors[0] != key:
            profile, _ = chosen(self.source.meta, recipe.profile)
            meta = with_profile(self.source.meta, profile)
            neutral = self.neutral(recipe)
            look = None
            if profile is not None:
                look = look_of(profile, hue_sat_for(profile, meta, neutral), meta, recipe.base_look)
            self._colors = (key, (self.balanced_matrix(neutral, meta), meta.baseline_exposure, look))
        return self._colors[1]

    def place_of(self, rgb: NDArray[Any], rectangle: Rectangle, inset: tuple[int, int]) -> RawPosition:
        """Find where a piece of a rectangle (see `piece`) lies in the frame, for the raw steps.

        Parameters
        ----------
        rgb
            The piece (H, W, 3).
        rectangle
            Rectangle in stored pixels.
        inset
            Where the rectangle begins in the piece, pixels.

        Returns
        -------
        RawPosition
            Its place.
        """
        w, h = self.source.size
        x, y = (rectangle.x - inset[0]) / w, (rectangle.y - inset[1]) / h
        return RawPosition(1, (x, y, x + rgb.shape[1] / w, y + rgb.shape[0] / h))
