"""How a picture is turned and straightened, and the largest level rectangle that is left of it."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.container.raw_frame import RawMeta
from bruto.develop.recipe import Recipe

DIAGONAL_35MM = 43.2666
"""Diagonal of the 36 x 24 mm frame that equivalent focal lengths refer to, mm."""
USUAL_FOCAL = 26.0
"""Equivalent focal length of most phones' main lens, mm, where the file tells none."""
FOCALS = (6.0, 2000.0)
"""Equivalent focal lengths that are believed, mm; a file may hold anything."""
_NEAREST_DEPTH = 0.15
"""Least depth of a ray against the optical axis: what lies farther to the side is left out."""


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
