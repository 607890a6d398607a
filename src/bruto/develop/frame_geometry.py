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
from bruto.develop.recipe import Recipe

DIAGONAL_35MM = 43.2666
"""Diagonal of the 36 x 24 mm frame that equivalent focal lengths refer to, mm."""
USUAL_FOCAL = 26.0
"""Equivalent focal length of most phones' main lens, mm, where the file tells none."""
FOCALS = (6.0, 2000.0)
"""Equivalent focal lengths that are believed, mm; a file may hold anything."""
SNAP = 4
"""Crops begin at multiples of this, so that views at 1/2 and 1/4 show the same pixels."""
SMALLEST = 64
"""Least width and height of a crop, pixels."""
_GRID = 8
"""Pixels between places that are computed; between them a mapping is as good as straight (error below 0.02 px)."""
_NEAREST_DEPTH = 0.15
"""Least depth of a ray against the optical axis: what lies farther to the side is left out."""


@dataclass(frozen=True)
class Rectangle:
    """A rectangle in full-size pixels, unoriented."""

    x: int
    y: int
    width: int
    height: int


def rotation(horizon: float, verticals: float, horizontals: float) -> NDArray[np.float64]:
    """Compute the matrix (3, 3) from rays of the corrected picture to rays of the phone as it was held.

    Rays are x right, y down, z ahead; angles in degrees.

    Parameters
    ----------
    horizon
        The picture is turned clockwise by it.
    verticals
        How far the phone looked up.
    horizontals
        How far it looked to the right of the facade's normal.

    Returns
    -------
    NDArray[np.float64]
        Rays of the corrected picture (x right, y down, z ahead) to rays of the phone as it was held (3, 3);
        degrees.
    """
    a, v, h = (math.radians(x) for x in (horizon, verticals, horizontals))
    roll = np.array([[math.cos(a), math.sin(a), 0], [-math.sin(a), math.cos(a), 0], [0, 0, 1]])
    pitch = np.array([[1, 0, 0], [0, math.cos(v), math.sin(v)], [0, -math.sin(v), math.cos(v)]])
    yaw = np.array([[math.cos(h), 0, -math.sin(h)], [0, 1, 0], [math.sin(h), 0, math.cos(h)]])
    return roll @ pitch @ yaw


def focal_px(meta: RawMeta) -> float:
    """Compute the focal length in pixels of the square-pixel frame, from its 35 mm equivalent.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    float
        Focal length in pixels of the square-pixel frame, from its 35 mm equivalent.
    """
    w, h = meta.square_size
    stated = meta.focal_35mm
    focal = stated if stated is not None and FOCALS[0] <= stated <= FOCALS[1] else USUAL_FOCAL
    return focal / DIAGONAL_35MM * math.hypot(w, h)


def oriented_to_stored(orientation: int) -> NDArray[np.float64]:
    """Compute the matrix (2, 2) from directions of the oriented picture to those of the stored one.

    It follows the Exif orientation.

    Parameters
    ----------
    orientation
        Exif orientation, 1 to 8.

    Returns
    -------
    NDArray[np.float64]
        Directions of the oriented picture as directions of the stored one (2, 2), by the Exif orientation.
    """
    turned = {6: [[0, 1], [-1, 0]], 7: [[0, 1], [-1, 0]], 5: [[0, -1], [1, 0]], 8: [[0, -1], [1, 0]],
              3: [[-1, 0], [0, -1]], 4: [[-1, 0], [0, -1]]}.get(orientation, [[1, 0], [0, 1]])  # fmt: skip
    out = np.array(turned, float)
    if orientation in (2, 4, 5, 7):
        out[0] *= -1
    return out


def _homography(recipe: Recipe, focal: float) -> NDArray[np.float64]:
    """Corrected to recorded oriented pixels, both from the frame's middle, which stays and keeps its scale."""
    r = rotation(recipe.horizon, recipe.verticals, recipe.horizontals)
    k = np.diag([focal, focal, 1.0])
    plain = k @ r @ np.linalg.inv(k)
    middle = np.linalg.inv(plain) @ [0, 0, 1]
    shift = np.eye(3)
    shift[:2, 2] = middle[:2] / middle[2]
    moved = plain @ shift
    moved /= moved[2, 2]
    scale = 1 / math.sqrt(abs(np.linalg.det(moved[:2, :2] - np.outer(moved[:2, 2], moved[2, :2]))))
    return moved @ np.diag([scale, scale, 1.0])


def _outline(homography: NDArray[Any], width: float, height: float) -> NDArray[np.float64]:
    """Corners (n, 2) of what the recorded frame covers in the corrected picture, a convex polygon, clockwise."""
    back = np.linalg.inv(homography)
    corners = np.array([[-width, -height], [width, -height], [width, height], [-width, height]]) / 2
    rays = np.c_[corners, np.ones(4)] @ back.T
    rays /= back[2, 2]  # the middle has depth 1
    polygon = []
    for a, b in zip(rays, np.roll(rays, -1, axis=0), strict=True):
        near_a, near_b = a[2] >= _NEAREST_DEPTH, b[2] >= _NEAREST_DEPTH
        if near_a:
            polygon.append(a)
        if near_a != near_b:
            t = (_NEAREST_DEPTH - a[2]) / (b[2] - a[2])
            polygon.append(a + t * (b - a))
    found = np.array(polygon)
    return found[:, :2] / found[:, 2:]


def _sides(outline: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Compute the normals (n, 2) and distances of the sides.

    The inside is where normal · p is at most the distance.
    """
    along = np.roll(outline, -1, axis=0) - outline
    normal = np.stack([along[:, 1], -along[:, 0]], axis=1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    return normal, (normal * outline).sum(axis=1)


def largest_inside(outline: NDArray[Any], aspect: float) -> tuple[float, float, float, float]:
    """Compute the largest level rectangle of an aspect ratio within a convex polygon.

    Width / height in a polygon (N, 2), nearest to its origin: left, top, right, bottom.

    Linear programming over its middle and size.

    Parameters
    ----------
    outline
        Outline of the valid area, points (N, 2).
    aspect
        Width over height.

    Returns
    -------
    tuple[float, float, float, float]
        The largest level rectangle of an aspect ratio (width / height) within a convex polygon (n, 2), nearest
        to its origin.
    """
    from scipy.optimize import linprog  # takes long to import; the window is shown before

    normal, distance = _sides(outline)
    reach = np.abs(normal) @ [aspect / 2, 0.5]  # of a rectangle of height 1, along each normal
    rows = np.c_[normal, reach]
    best = linprog([0, 0, -1], rows, distance, bounds=[(None, None), (None, None), (0, None)])
    size = float(best.x[2]) * (1 - 1e-9)
    # of all such rectangles the one nearest to the middle: |x| + |y| least
    more = np.c_[normal, np.zeros((len(normal), 2))]
    split = np.array([[1, 0, -1, 0], [-1, 0, -1, 0], [0, 1, 0, -1], [0, -1, 0, -1]], float)
    near = linprog(
        [0, 0, 1, 1],
        np.r_[more, split],
        np.r_[distance - reach * size, np.zeros(4)],
        bounds=[(None, None), (None, None), (0, None), (0, None)],
    )
    x, y = near.x[:2] if near.status == 0 else best.x[:2]
    return x - aspect * size / 2, y - size / 2, x + aspect * size / 2, y + size / 2


def shrunk_inside(
    crop: tuple[float, float, float, float], outline: NDArray[Any]
) -> tuple[float, float, float, float] | None:
    """Compute a rectangle shrunk about its middle until it lies within a convex polygon.

    None if its middle lies outside.

    Parameters
    ----------
    crop
        Left, top, right and bottom.
    outline
        Outline of the valid area, points (N, 2).

    Returns
    -------
    tuple[float, float, float, float] | None
        A rectangle shrunk about its middle until it lies within a convex polygon.
    """
    normal, distance = _sides(outline)
    x0, y0, x1, y1 = crop
    middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
    free = distance - normal @ middle
    reach = np.abs(normal) @ [(x1 - x0) / 2, (y1 - y0) / 2]
    if (free <= 0).any():
        return None
    t = min(1.0, float((free / np.maximum(reach, 1e-9)).min()))
    w, h = t * (x1 - x0) / 2, t * (y1 - y0) / 2
    return middle[0] - w, middle[1] - h, middle[0] + w, middle[1] + h


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
            Horizontal position, pixels.
        y
            Vertical position, pixels.

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
        """Compute the for `cv2.remap`: where each pixel of an area at 1/factor is read in the frame at 1/factor.

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
            An area of the picture at 1/factor from camera RGB (h, w, 3) of the frame at that factor, which
            begins at `origin` (x, y.
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

    def crop_of(self, x0: float, y0: float, x1: float, y1: float) -> tuple[float, float, float, float]:
        """Compute a rectangle of this oriented picture (relative, 0..1) as the recipe's crop.

        Parameters
        ----------
        x0
            Left edge.
        y0
            Top edge.
        x1
            Right edge.
        y1
            Bottom edge.

        Returns
        -------
        tuple[float, float, float, float]
            A rectangle of this oriented picture (relative, 0..1) as the recipe's crop.
        """
        w, h = self.oriented_size
        edge = max(self.meta.square_size)
        return tuple(
            round((v - 0.5) * n / edge + o / edge, 5)
            for v, n, o in ((x0, w, self.origin[0]), (y0, h, self.origin[1]), (x1, w, self.origin[0]),
                            (y1, h, self.origin[1]))
        )  # type: ignore[return-value]  # fmt: skip

    def relative_crop(self, crop: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
        """Compute a crop of the recipe as rectangle of this oriented picture (relative).

        Parameters
        ----------
        crop
            Left, top, right and bottom.

        Returns
        -------
        tuple[float, float, float, float]
            A crop of the recipe as rectangle of this oriented picture (relative).
        """
        w, h = self.oriented_size
        edge = max(self.meta.square_size)
        return tuple(
            (v * edge - o) / n + 0.5 for v, n, o in zip(crop, (w, h, w, h), (*self.origin, *self.origin), strict=True)
        )  # type: ignore[return-value]

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


def stored_rect(rect: Rectangle, orientation: int, size: tuple[int, int]) -> Rectangle:
    """Return a rectangle of the oriented picture in unoriented pixels; `size` is the unoriented (width, height).

    Parameters
    ----------
    rect
        Rectangle in output pixels.
    orientation
        Exif orientation, 1 to 8.
    size
        Width and height, pixels.

    Returns
    -------
    Rectangle
        A rectangle of the oriented picture in unoriented pixels.
    """
    w, h = size

    def stored(x: int, y: int) -> tuple[int, int]:
        if orientation in (6, 7):  # turned clockwise
            x, y = y, h - 1 - x
        elif orientation in (5, 8):
            x, y = w - 1 - y, x
        elif orientation in (3, 4):
            x, y = w - 1 - x, h - 1 - y
        if orientation in (2, 4, 5, 7):
            x = w - 1 - x
        return x, y

    x0, y0 = stored(rect.x, rect.y)
    x1, y1 = stored(rect.x + rect.width - 1, rect.y + rect.height - 1)
    return Rectangle(min(x0, x1), min(y0, y1), abs(x1 - x0) + 1, abs(y1 - y0) + 1)
