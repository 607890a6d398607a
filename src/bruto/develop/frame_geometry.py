"""Frame: level, verticals, crop and the lens's own warps as one mapping, so that the picture is resampled once.

The phone is a pinhole camera behind its lens (Hartley, Zisserman, "Multiple View Geometry", 2nd ed., chapters 6 and 8):
turning it about its centre moves the picture by the homography K R K^-1. What a tilted phone recorded is shown as a
phone held straight at the same place would have. Where nothing is turned or warped, a crop takes pixels as they are.

Angles and crop belong to the oriented picture: x to the right, y down, from the middle of the frame, long edge = 1.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.container.raw_frame import RawMeta
from bruto.container.warps import source_places
from bruto.develop.perspective import _homography, _outline, focal_px, largest_inside, oriented_to_stored, shrunk_inside
from bruto.develop.recipe import Recipe
from bruto.develop.rectangle import Rectangle

SNAP = 4
"""Crops begin at multiples of this, so that views at 1/2 and 1/4 show the same pixels."""
SMALLEST = 64
"""Least width and height of a crop, pixels."""
_GRID = 8
"""Pixels between places that are computed; between them a mapping is as good as straight (error below 0.02 px)."""


@dataclass(frozen=True, eq=False)
class Geometry:
    """The mapping of one recipe on one file."""

    size: tuple[int, int]
    """Of the picture at full size, unoriented."""
    sensor_size: tuple[int, int]
    """Of the default crop as recorded."""
    offset: tuple[int, int] | None
    """Pixels between both where the picture is a plain part of the frame, else None."""
    homography: NDArray[np.float64]
    """Corrected to recorded oriented pixels."""
    origin: tuple[float, float]
    """Oriented place of the picture's middle, pixels from the frame's middle."""
    meta: RawMeta
    outline: NDArray[np.float64]

    @property
    def whole(self) -> bool:
        """Whether the picture is the recorded frame as it is."""
        return self.offset == (0, 0) and self.size == self.sensor_size

    def places(
        self, x: NDArray[Any], y: NDArray[Any], plane: int = 1
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Find where pixels (x, y) of the picture at full size, unoriented, were recorded.

        Pixels of the default crop.

        Parameters
        ----------
        x
            Horizontal positions, pixels.
        y
            Vertical positions, pixels.
        plane
            Index of the colour plane, 0 to 2.

        Returns
        -------
        tuple[NDArray[np.float64], NDArray[np.float64]]
            Where pixels (x, y) of the picture at full size, unoriented, were recorded.
        """
        if self.offset is not None:
            return np.asarray(x, float) + self.offset[0], np.asarray(y, float) + self.offset[1]
        to_stored = oriented_to_stored(self.meta.orientation)
        w, h = self.size
        stored = np.stack([np.asarray(x, float) - (w - 1) / 2, np.asarray(y, float) - (h - 1) / 2])
        turned = np.tensordot(to_stored.T, stored, 1)
        m = self.homography
        px, py = turned[0] + self.origin[0], turned[1] + self.origin[1]
        depth = np.maximum(m[2, 0] * px + m[2, 1] * py + m[2, 2], 1e-3)
        px, py = (
            (m[0, 0] * px + m[0, 1] * py + m[0, 2]) / depth,
            (m[1, 0] * px + m[1, 1] * py + m[1, 2]) / depth,
        )
        sx, sy = np.tensordot(to_stored, np.stack([px, py]), 1)
        square_w, square_h = self.meta.square_size
        # pixels that are not square: their own columns and rows
        sx = (sx + square_w / 2) * self.sensor_size[0] / square_w - 0.5
        sy = (sy + square_h / 2) * self.sensor_size[1] / square_h - 0.5
        x0, y0 = (self.meta.default_crop[k] - self.meta.active_area[k] for k in (0, 1))
        for warp in reversed(self.meta.warps):
            sx, sy = source_places(warp, sx + x0, sy + y0, self.meta.active_area[2], self.meta.active_area[3], plane)
            sx, sy = sx - x0, sy - y0
        return sx, sy

    def relative_place(self, x: float, y: float) -> tuple[float, float]:
        """Compute a relative place of the picture as relative place of the recorded frame, both unoriented, 0..1.

        Parameters
        ----------
        x
            Share of the picture's width, 0..1.
        y
            Share of the picture's height, 0..1.

        Returns
        -------
        tuple[float, float]
            A relative place of the picture as relative place of the recorded frame, both unoriented, 0..1.
        """
        sx, sy = self.places(np.array([x * self.size[0] - 0.5]), np.array([y * self.size[1] - 0.5]))
        place = (float(sx[0]) + 0.5) / self.sensor_size[0], (float(sy[0]) + 0.5) / self.sensor_size[1]
        return min(max(place[0], 0.0), 1.0), min(max(place[1], 0.0), 1.0)

    @cached_property
    def planes(self) -> int:
        """3 where colours are moved apart by the lens's warps, else 1."""
        return 3 if self.offset is None and any(len(w.radial) > 1 for w in self.meta.warps) else 1

    def maps(self, area: Rectangle, factor: float, plane: int = 1) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Compute maps for `cv2.remap`: where each pixel of an area at 1/factor is read in the frame at 1/factor.

        Parameters
        ----------
        area
            Rectangle in stored pixels.
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.
        plane
            Index of the colour plane, 0 to 2.

        Returns
        -------
        tuple[NDArray[np.float32], NDArray[np.float32]]
            For `cv2.remap`: where each pixel of an area at 1/factor is read in the frame at 1/factor.
        """
        w, h = _at(area, factor)
        x0, y0 = int(area.x / factor), int(area.y / factor)
        # points at multiples of the step, whatever the area, so that every piece reads the very same places
        left, top = x0 // _GRID * _GRID, y0 // _GRID * _GRID
        gx, gy = np.meshgrid(
            left + _GRID * np.arange((x0 + w - 1 - left) // _GRID + 2),
            top + _GRID * np.arange((y0 + h - 1 - top) // _GRID + 2),
        )
        half = (factor - 1) / 2
        sx, sy = self.places(gx * factor + half, gy * factor + half, plane)
        part = (slice(y0 - top, y0 - top + h), slice(x0 - left, x0 - left + w))
        dx, dy = (_enlarged(((s - half) / factor - g).astype(np.float32))[part] for s, g in ((sx, gx), (sy, gy)))
        return (
            dx + np.arange(x0, x0 + w, dtype=np.float32)[None],
            dy + np.arange(y0, y0 + h, dtype=np.float32)[:, None],
        )

    def source_area(self, area: Rectangle) -> Rectangle:
        """Return the part of the recorded frame that an area of the picture is made from.

        Parameters
        ----------
        area
            Rectangle in stored pixels.

        Returns
        -------
        Rectangle
            The part of the recorded frame that an area of the picture is made from.
        """
        sensor_w, sensor_h = self.sensor_size
        if self.offset is not None:
            return Rectangle(area.x + self.offset[0], area.y + self.offset[1], area.width, area.height)
        t = np.linspace(0, 1, 33)
        x = np.concatenate([t, t, 0 * t, 0 * t + 1]) * (area.width - 1) + area.x
        y = np.concatenate([0 * t, 0 * t + 1, t, t]) * (area.height - 1) + area.y
        found = [self.places(x, y, k) for k in range(self.planes)]
        low_x, high_x = min(float(f[0].min()) for f in found), max(float(f[0].max()) for f in found)
        low_y, high_y = min(float(f[1].min()) for f in found), max(float(f[1].max()) for f in found)
        x0, y0 = max(0, math.floor(low_x) - 3), max(0, math.floor(low_y) - 3)
        x1, y1 = min(sensor_w, math.ceil(high_x) + 4), min(sensor_h, math.ceil(high_y) + 4)
        return Rectangle(min(x0, sensor_w - 1), min(y0, sensor_h - 1), max(1, x1 - x0), max(1, y1 - y0))

    def resampled(
        self, rgb: NDArray[np.float32], area: Rectangle, factor: float, origin: tuple[int, int] = (0, 0)
    ) -> NDArray[np.float32]:
        """Compute an area of the picture at 1/factor from camera RGB of the frame at that factor.

        The camera RGB (h, w, 3) begins at `origin` (x, y; pixels of it).

        Light from outside the frame is that of the nearest pixel.

        Parameters
        ----------
        rgb
            Linear RGB (H, W, 3), float32, 1 = sensor saturation.
        area
            Rectangle in stored pixels.
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.
        origin
            Top left corner, pixels.

        Returns
        -------
        NDArray[np.float32]
            Camera RGB (H, W, 3) of the area.
        """
        if self.offset is not None:
            x, y = (round((o + p) / factor) - s for o, p, s in zip(self.offset, (area.x, area.y), origin, strict=True))
            w, h = _at(area, factor)
            return np.ascontiguousarray(rgb[y : y + h, x : x + w])
        parts = []
        for k in range(self.planes):
            mx, my = self.maps(area, factor, k if self.planes > 1 else 1)
            mx -= np.float32(origin[0])
            my -= np.float32(origin[1])
            image = np.ascontiguousarray(rgb[..., k]) if self.planes > 1 else rgb
            how = cv2.INTER_CUBIC if factor == 1 else cv2.INTER_LANCZOS4
            parts.append(cv2.remap(image, mx, my, how, borderMode=cv2.BORDER_REPLICATE))
        return np.stack(parts, axis=2) if self.planes > 1 else parts[0]

    def field(self, grid: NDArray[np.float32]) -> NDArray[np.float32]:
        """Compute a coarse field over the recorded frame as one over the picture.

        Parameters
        ----------
        grid
            Values on a coarse grid.

        Returns
        -------
        NDArray[np.float32]
            A coarse field over the recorded frame as one over the picture.
        """
        return _read(grid, *self._cells(*grid.shape[:2]))

    def _cells(self, rows: int, columns: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        w, h = self.size
        gx, gy = np.meshgrid((np.arange(columns) + 0.5) / columns * w - 0.5, (np.arange(rows) + 0.5) / rows * h - 0.5)
        sx, sy = self.places(gx, gy)
        sw, sh = self.sensor_size
        return (
            ((sx + 0.5) / sw * columns - 0.5).astype(np.float32),
            ((sy + 0.5) / sh * rows - 0.5).astype(np.float32),
        )

    def clipped(self, near: NDArray[np.uint8], area: Rectangle, factor: float) -> NDArray[np.uint8]:
        """Compute the clipped channels of each pixel of an area at 1/factor, from the quads of the frame.

        Quads are 2 px wide, see `clipped_or_near`: a place that takes from a clipped one counts as clipped.

        Parameters
        ----------
        near
            Mask of places near clipping.
        area
            Rectangle in stored pixels.
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.

        Returns
        -------
        NDArray[np.uint8]
            Clipped channels of each pixel of an area at 1/factor, from the quads of the frame (which are 2 px
            wide), see `clipped_or_near`: a place that takes from a clipped one counts as clipped.
        """
        mx, my = self.maps(area, max(2, factor))
        scale = max(2, factor) / 2
        return cv2.remap(
            near, mx * np.float32(scale) + np.float32((scale - 1) / 2),
            my * np.float32(scale) + np.float32((scale - 1) / 2), cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip

    def outside(self, area: Rectangle, factor: float) -> NDArray[np.bool_]:
        """Find which pixels of an area at 1/factor nothing was recorded for.

        Parameters
        ----------
        area
            Rectangle in stored pixels.
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.

        Returns
        -------
        NDArray[np.bool_]
            Which pixels of an area at 1/factor nothing was recorded for.
        """
        mx, my = self.maps(area, factor)
        w, h = self.sensor_size
        return (mx < -0.5) | (my < -0.5) | (mx > w / factor - 0.5) | (my > h / factor - 0.5)

    @property
    def oriented_size(self) -> tuple[int, int]:
        """Width and height as looked at."""
        w, h = self.size
        return (h, w) if self.meta.orientation >= 5 else (w, h)


def _at(area: Rectangle, factor: float) -> tuple[int, int]:
    """Width and height of an area at 1/factor."""
    return max(1, int(area.width / factor)), max(1, int(area.height / factor))


def geometry_of(meta: RawMeta, recipe: Recipe, uncropped: bool = False) -> Geometry:
    """Return the mapping of a recipe.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    recipe
        The edit, every value in its own unit.
    uncropped
        All that the frame covers, with places that hold nothing.

    Returns
    -------
    Geometry
        The mapping of a recipe.
    """
    sensor = meta.default_crop[2:]
    square_w, square_h = meta.square_size
    up_w, up_h = meta.oriented_size
    turned = recipe.horizon != 0 or recipe.verticals != 0 or recipe.horizontals != 0
    homography = _homography(recipe, focal_px(meta)) if turned else np.eye(3)
    outline = _outline(homography, up_w, up_h)
    plain = not turned and not meta.warps and (square_w, square_h) == sensor
    crop = _crop(recipe, outline, (up_w, up_h), turned, uncropped)
    x0, y0, x1, y1 = crop
    whole = not turned and (x0, y0, x1, y1) == (-up_w / 2, -up_h / 2, up_w / 2, up_h / 2)
    if whole:
        size, origin, offset = (square_w, square_h), (0.0, 0.0), (0, 0)
    else:
        # corners of the stored picture, on whole pixels where they are taken as they are
        to_stored = oriented_to_stored(meta.orientation)
        a, b = to_stored @ [x0, y0], to_stored @ [x1, y1]
        middle = np.array([square_w, square_h]) / 2
        low, high = np.minimum(a, b) + middle, np.maximum(a, b) + middle
        step = SNAP if not turned else 1
        extent = np.maximum(np.round(high - low - 1e-6), SMALLEST).astype(int)
        start = np.round(low / step).astype(int) * step
        if not turned:
            extent = np.minimum(extent, [square_w, square_h])
            start = np.clip(start, 0, np.array([square_w, square_h]) - extent)
        end = start + extent
        size = (int(end[0] - start[0]), int(end[1] - start[1]))
        place = to_stored.T @ ((start + end) / 2 - middle)
        origin = (float(place[0]), float(place[1]))
        offset = (int(start[0]), int(start[1]))
    return Geometry(size, sensor, offset if plain else None, homography, origin, meta, outline)


def _crop(
    recipe: Recipe, outline: NDArray[Any], oriented: tuple[int, int], turned: bool, uncropped: bool
) -> tuple[float, float, float, float]:
    """Compute the rectangle that is kept, oriented pixels from the frame's middle."""
    w, h = oriented
    full = (-w / 2, -h / 2, w / 2, h / 2)
    if uncropped:
        if not turned:
            return full
        low, high = outline.min(axis=0), outline.max(axis=0)
        low, high = np.maximum(low, [-w, -h]), np.minimum(high, [w, h])  # far corners of strong tilts are cut
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])
    if recipe.crop is not None:
        edge = max(w, h)
        x0, y0, x1, y1 = (v * edge for v in recipe.crop)
        inside = shrunk_inside((x0, y0, x1, y1), outline)
        if inside is not None:
            return inside
    if not turned and recipe.aspect == 0:
        return full
    return largest_inside(outline, recipe.aspect or w / h)


def _enlarged(grid: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute values at every step between points that lie `_GRID` steps apart, straight between them.

    `cv2.resize` would put its points in the middle of cells, and `cv2.remap` rounds places to 1/32.
    """
    share = (np.arange(_GRID) / _GRID).astype(np.float32)[:, None]

    def along(values: NDArray[np.float32]) -> NDArray[np.float32]:
        between: NDArray[np.float32] = values[:-1, None] * (1 - share) + values[1:, None] * share
        return between.reshape(-1, values.shape[1])

    whole: NDArray[np.float32] = np.ascontiguousarray(along(np.ascontiguousarray(along(grid).T)).T)
    return whole


def _read(grid: NDArray[np.float32], x: NDArray[np.float32], y: NDArray[np.float32]) -> NDArray[np.float32]:
    return cv2.remap(np.ascontiguousarray(grid), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def clipped_or_near(quads: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Compute the clipped channels of each quad and its neighbours.

    Parameters
    ----------
    quads
        Clip mask of 2 × 2 quads.

    Returns
    -------
    NDArray[np.uint8]
        Clipped channels of each quad and its neighbours.
    """
    out = quads.copy()
    for bit in (1, 2, 4):
        here = cv2.dilate(quads & np.uint8(bit), np.ones((3, 3), np.uint8))
        out |= here
    return out
