"""Lens corrections that the file itself brings (opcode list 3): each plane is read where its light was recorded.

A mosaic is demosaiced first, as the specification asks (DNG 1.7, chapter 7, "OpcodeList3"); the vignette of the list is
applied with the lens shading (see `rawframe.linearise`).
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.container.rawframe import Linear, RawMeta
from bruto.container.warps import Warp, source_places
from bruto.develop.demosaic import demosaic

_GRID = 8
"""Pixels between places that are computed; between them a warp is as good as straight (its error is below 0.01 px)."""
_BAND = 512


def without_distortion(linear: Linear, meta: RawMeta) -> Linear:
    """Light after all warps of the file and in square pixels, demosaiced where it was a mosaic; the same light where
    there is nothing to do.

    Light from outside the default crop, which a warp may ask for at its edges, is that of the nearest pixel.
    """
    square = meta.square_size
    if not meta.warps and square == meta.default_crop[2:]:
        return linear
    data = linear.data
    if data.ndim == 2:
        gains = (meta.as_shot_neutral[1] / meta.as_shot_neutral).astype(np.float32)
        quad = np.array([gains["RGB".index(c)] for c in linear.cfa], np.float32).reshape(2, 2)
        h, w = data.shape
        data = demosaic(data * np.tile(quad, ((h + 1) // 2, (w + 1) // 2))[:h, :w], linear.cfa) / gains
    clipped = linear.clipped
    for warp in meta.warps:
        data = _warped(np.ascontiguousarray(data, np.float32), warp, meta, 1)
        full = np.stack([(clipped >> k) & 1 for k in range(3)], axis=2).astype(np.float32)
        moved = _warped(full, warp, meta, 2) > 0.01  # a place that takes from a full one is not to be trusted
        clipped = (moved * np.array([1, 2, 4])).sum(axis=2).astype(np.uint8)
    if square != meta.default_crop[2:]:
        data = cv2.resize(data, square, interpolation=cv2.INTER_CUBIC)
        w, h = square
        clipped = cv2.resize(clipped, ((w + 1) // 2, (h + 1) // 2), interpolation=cv2.INTER_NEAREST)
    return replace(linear, data=data, clipped=clipped, cfa="")


def _warped(image: NDArray[np.float32], warp: Warp, meta: RawMeta, factor: int) -> NDArray[np.float32]:
    """Each plane of (h, w, 3) at 1/factor of full size, resampled once."""
    h, w = image.shape[:2]
    maps = [warp_map(warp, meta, (w, h), factor, k) for k in range(3 if len(warp.radial) > 1 else 1)]
    planes = [image] if len(maps) == 1 else [np.ascontiguousarray(image[..., k]) for k in range(3)]
    how = cv2.INTER_CUBIC if factor == 1 else cv2.INTER_LINEAR
    out = np.empty_like(image)
    for top in range(0, h, _BAND):
        rows = slice(top, min(h, top + _BAND))
        for k, (plane, (x, y)) in enumerate(zip(planes, maps, strict=True)):
            part = cv2.remap(plane, x[rows], y[rows], how, borderMode=cv2.BORDER_REPLICATE)
            if len(maps) == 1:
                out[rows] = part
            else:
                out[rows, :, k] = part
    return out


def warp_map(
    warp: Warp, meta: RawMeta, size: tuple[int, int], factor: int, plane: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Where each pixel of the default crop at 1/factor (w, h) is read, for `cv2.remap`.

    The warp counts in the active area; its smooth field is computed on a coarse grid and enlarged.
    """
    w, h = size
    x0, y0 = meta.default_crop[0] - meta.active_area[0], meta.default_crop[1] - meta.active_area[1]
    gw, gh = w // _GRID + 2, h // _GRID + 2
    gx, gy = np.meshgrid(np.linspace(0, w - 1, gw), np.linspace(0, h - 1, gh))
    half = (factor - 1) / 2
    sx, sy = source_places(
        warp, gx * factor + half + x0, gy * factor + half + y0, meta.active_area[2], meta.active_area[3], plane
    )
    shift_x = ((sx - x0 - half) / factor - gx).astype(np.float32)
    shift_y = ((sy - y0 - half) / factor - gy).astype(np.float32)
    dx, dy = (_enlarged(shift, w, h) for shift in (shift_x, shift_y))
    dx += np.arange(w, dtype=np.float32)[None]
    dy += np.arange(h, dtype=np.float32)[:, None]
    return dx, dy


def _enlarged(grid: NDArray[np.float32], w: int, h: int) -> NDArray[np.float32]:
    """A grid whose corners lie on the corner pixels, straight between its points (`cv2.resize` would put its points in
    the middle of cells, and `cv2.remap` rounds places to 1/32).
    """

    def along(values: NDArray[np.float32], n: int) -> NDArray[np.float32]:
        place = np.linspace(0, len(values) - 1, n)
        k = np.minimum(place.astype(int), len(values) - 2)
        share = (place - k).astype(np.float32)[:, None]
        return values[k] * (1 - share) + values[k + 1] * share

    return np.ascontiguousarray(along(along(grid, h).T, w).T)
