"""Frames as planes of one colour each, moved onto the reference band by band."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.align.registration import Alignment
from bruto.container.linearisation import gains_over_crop
from bruto.container.raw_frame import GainMap, RawMeta
from bruto.develop import demosaic as dm
from bruto.merge.frames import PLANE_ROWS, Frame, is_still
from bruto.merge.resampling import STEP, least_light_of, nodes_of, resampled


def _colors(frame: Frame, top: int, bottom: int) -> tuple[NDArray[np.float32], int]:
    """Balanced colours of rows with some more around, and how many more stand above."""
    data = frame.linear.data
    y0, y1 = max(0, top - 2 * dm.REACH) & ~1, min(data.shape[0], bottom + 2 * dm.REACH)
    gains = 1 / frame.neutral
    noise = frame.noise * np.stack([gains, gains**2], axis=1)
    return dm.demosaic(data[y0:y1], frame.linear.cfa, gains, noise, averaged=True), top - y0


def color_band(frame: Frame, top: int, bottom: int) -> NDArray[np.float32]:
    """Compute the rows top..bottom of camera RGB, demosaiced with balanced channels, unbalanced again.

    The exact rows of the whole.

    Parameters
    ----------
    frame
        Frame of the set.
    top
        First row.
    bottom
        Row behind the last one.

    Returns
    -------
    NDArray[np.float32]
        Rows top..bottom of camera RGB, demosaiced with balanced channels, unbalanced again.
    """
    data = frame.linear.data
    if data.ndim == 3:
        return np.ascontiguousarray(data[top:bottom])
    rgb, above = _colors(frame, top, bottom)
    return rgb[above : above + bottom - top] * frame.neutral.astype(np.float32)


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _apart(rgb, above, times, top, out):
    """Colours (h, W, 3) without their first rows, times a factor each, into planes (3, H, W) from a row on."""
    rows, width = len(rgb) - above, rgb.shape[1]
    for r in prange(min(rows, out.shape[1] - top)):
        line = rgb[above + r]
        for c in range(3):
            to, by = out[c, top + r], times[c]
            for x in range(width):
                to[x] = line[x, c] * by


def planes_of(
    frame: Frame, out: NDArray[np.float32] | None = None, top: int = 0, bottom: int | None = None
) -> NDArray[Any]:
    """Compute the camera RGB of rows as planes (3, rows, W), in `out` where that is given.

    Parameters
    ----------
    frame
        Frame of the set.
    out
        Array to fill; a new one by default.
    top
        First row.
    bottom
        Row behind the last one.

    Returns
    -------
    NDArray
        Camera RGB of rows as planes (3, rows, W), in `out` where that is given.
    """
    h, w = frame.linear.data.shape[:2]
    bottom = h if bottom is None else bottom
    out = np.empty((3, bottom - top, w), np.float32) if out is None else out
    ones = np.ones(3, np.float32)
    for y in range(top, bottom, PLANE_ROWS):
        end = min(bottom, y + PLANE_ROWS)
        if frame.linear.data.ndim == 3:
            _apart(np.ascontiguousarray(frame.linear.data[y:end]), 0, ones, y - top, out[:, : end - top])
            continue
        rgb, above = _colors(frame, y, end)
        _apart(rgb, above, frame.neutral.astype(np.float32), y - top, out[:, : end - top])
    return out


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _quads(data, red_y, red_x, out):
    h, w = out.shape[1:]
    for y in prange(h):
        one, other = data[2 * y + red_y], data[2 * y + 1 - red_y]
        for x in range(w):
            out[0, y, x] = one[2 * x + red_x]
            out[1, y, x] = (one[2 * x + 1 - red_x] + other[2 * x + red_x]) * np.float32(0.5)
            out[2, y, x] = other[2 * x + 1 - red_x]


def quads_of(frame: Frame) -> NDArray[np.float32]:
    """Compute the red, green and blue at half the size, (3, H / 2, W / 2), as they were measured.

    Green is the mean of two.

    Parameters
    ----------
    frame
        Frame of the set.

    Returns
    -------
    NDArray[np.float32]
        Red, green and blue at half the size, (3, H / 2, W / 2), as they were measured.
    """
    data = frame.linear.data
    h, w = data.shape[0] // 2, data.shape[1] // 2
    if data.ndim == 3:
        half = cv2.resize(data[: 2 * h, : 2 * w], (w, h), interpolation=cv2.INTER_AREA)
        return np.ascontiguousarray(np.moveaxis(half, 2, 0))
    out = np.empty((3, h, w), np.float32)
    _quads(data, *dm.color_offsets(frame.linear.cfa), out)
    return out


def warped_band(
    frame: Frame, alignment: Alignment | None, top: int, bottom: int
) -> tuple[NDArray[np.float32], NDArray[np.bool_] | None]:
    """Compute a band of a frame on the reference's grid, and where it holds picture (None: everywhere).

    Parameters
    ----------
    frame
        Frame of the set.
    alignment
        Mapping from the first picture to the second.
    top
        First row.
    bottom
        Row behind the last one.

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.bool_] | None]
        The band, and where it holds picture; None where it does everywhere.
    """
    if alignment is None or is_still(alignment):
        return color_band(frame, top, bottom), None
    h, w = frame.linear.data.shape[:2]
    nodes = nodes_of(alignment, w, h)
    rows = nodes[max(0, top // STEP) : bottom // STEP + 2, :, 1]
    y0, y1 = max(0, int(np.floor(rows.min())) - 6), min(h, int(np.ceil(rows.max())) + 7)
    if y1 - y0 < 8:
        return np.zeros((bottom - top, w, 3), np.float32), np.zeros((bottom - top, w), bool)
    shifted = nodes - np.array([0, y0], np.float32)
    moved, inside = resampled(planes_of(frame, None, y0, y1), shifted, top, bottom, w, least_light_of(frame.noise))
    return np.ascontiguousarray(np.moveaxis(moved, 0, 2)), inside


def plane_gain_maps(meta: RawMeta) -> tuple[GainMap, ...]:
    """Return the shading gain of a mosaic as maps of three planes, for a linear file.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    tuple[GainMap, ...]
        The shading gain of a mosaic as maps of three planes, for a linear file.
    """
    if not meta.gain_maps or meta.kind != "mosaic":
        return meta.gain_maps
    first = meta.gain_maps[0]
    by_color: dict[str, list[NDArray[Any]]] = {"R": [], "G": [], "B": []}
    for m in meta.gain_maps:
        if m.gains.shape == first.gains.shape:
            by_color[meta.cfa[(m.top % 2) * 2 + m.left % 2]].append(m.gains)
    return tuple(
        GainMap(
            0,
            0,
            1 << 20,
            1 << 20,
            k,
            1,
            1,
            1,
            first.spacing,
            first.origin,
            np.mean(by_color[c], axis=0).astype(np.float32),
        )
        for k, c in enumerate("RGB")
        if by_color[c]
    )


def shading_of(frame: Frame) -> NDArray[np.float32] | None:
    """Compute the lens-shading gain that a frame was read without, as planes (3, H, W); None where it has none.

    Parameters
    ----------
    frame
        Frame of the set.

    Returns
    -------
    NDArray[np.float32] | None
        The lens-shading gain that a frame was read without, as planes (3, H, W); None where it has none.
    """
    if not frame.meta.gain_maps:
        return None
    h, w = frame.linear.data.shape[:2]
    gains = gains_over_crop(frame.meta)
    quads = quads_of(frame.with_data(gains))
    return np.stack([cv2.resize(q, (w, h), interpolation=cv2.INTER_LINEAR) for q in quads])
