"""From stored codes to linear light: levels, corrections, shading, clipping (DNG 1.7, chapter 5)."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.container.corrections import apply_corrections
from bruto.container.raw_frame import CFA_LETTERS, GainMap, Linear, RawFrame, RawMeta, shifted_cfa
from bruto.container.warps import vignette_gain


def _dense_gain(maps: tuple[GainMap, ...], meta: RawMeta) -> NDArray[np.float32]:
    """Gain maps as one grid for each of the four mosaic sites or three planes: (P, V, H), and their placing."""
    planes = 4 if meta.kind == "mosaic" else 3
    first = maps[0]
    v, h = first.gains.shape[:2]
    grid = np.ones((planes, v, h), np.float32)
    for m in maps:
        if m.gains.shape[:2] != (v, h):
            continue
        if planes == 3:
            for k in range(3):
                if m.plane <= k < m.plane + m.planes:
                    grid[k] *= m.gains[..., min(k - m.plane, m.gains.shape[2] - 1)]
            continue
        for site in range(4):
            row, column = divmod(site, 2)
            if (m.row_pitch == 1 or m.top % 2 == row) and (m.column_pitch == 1 or m.left % 2 == column):
                grid[site] *= m.gains[..., 0]
    return grid


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _linearise_mosaic(
    codes, black, scale, white, color, grid, spacing, origin, x0, y0, ax, ay, active_w, active_h, out, clipped
):
    v_max, h_max = grid.shape[1] - 1, grid.shape[2] - 1
    h, w = out.shape
    use_gain = grid.shape[1] > 1
    # rows of a quad: black level, scale and full code of each column, and the rows of the gain map at all columns
    blacks, scales, fulls = np.empty((2, w), np.float32), np.empty((2, w), np.float32), np.empty((2, w), np.float32)
    gains = np.ones((2, v_max + 1, w if use_gain else 1), np.float32)
    for row in range(2):
        for x in range(w):
            site = row * 2 + ((x0 + x) & 1)
            blacks[row, x], scales[row, x], fulls[row, x] = black[site], scale[site], white[site]
            if use_gain:
                gx = min(max(((x + x0 - ax + 0.5) / active_w - origin[1]) / spacing[1], 0.0), float(h_max))
                cell = min(int(gx), max(h_max - 1, 0))
                site = ((row - ay) & 1) * 2 + ((x0 + x - ax) & 1)
                for v in range(v_max + 1):
                    left, right = grid[site, v, cell], grid[site, v, min(cell + 1, h_max)]
                    gains[row, v, x] = left + (right - left) * np.float32(gx - cell)
    for row2 in prange((h + 1) // 2):
        for y in range(row2 * 2, min(row2 * 2 + 2, h)):
            sy = y + y0
            row = sy & 1
            line, target = codes[sy, x0 : x0 + w], out[y]
            zero, factor, full = blacks[row], scales[row], fulls[row]
            for x in range(w):
                target[x] = (np.float32(line[x]) - zero[x]) * factor[x]
            if use_gain:
                gy = min(max(((sy - ay + 0.5) / active_h - origin[0]) / spacing[0], 0.0), float(v_max))
                iy = min(int(gy), max(v_max - 1, 0))
                fy = np.float32(gy - iy)
                above, below = gains[row, iy], gains[row, min(iy + 1, v_max)]
                for x in range(w):
                    target[x] *= above[x] + (below[x] - above[x]) * fy
            any_clipped = False
            for x in range(w):
                any_clipped |= np.float32(line[x]) >= full[x]  # NaN never is
            if any_clipped:
                for x in range(w):
                    if line[x] >= full[x]:
                        clipped[row2, x >> 1] |= np.uint8(1 << color[row * 2 + ((x0 + x) & 1)])


def _corrected_codes(frame: RawFrame) -> NDArray[Any]:
    """Compute the stored codes after opcode list 1 and the linearisation table.

    The deltas of the black level are taken off.
    """
    meta, codes = frame.meta, frame.codes
    if meta.code_corrections:
        codes = codes.copy()
        apply_corrections(codes, meta.code_corrections)
    if meta.linearisation is not None and codes.dtype.kind == "u":
        last = min(len(meta.linearisation) - 1, np.iinfo(codes.dtype).max)
        codes = meta.linearisation[np.minimum(codes, codes.dtype.type(last))]
    return codes


def _black_deltas(meta: RawMeta, shape: tuple[int, ...]) -> NDArray[np.float32] | None:
    """Deltas of the black level over the default crop in codes, (h, w), or None (DNG 1.7, BlackLevelDeltaH and V)."""
    if meta.black_rows is None and meta.black_columns is None:
        return None
    x0, y0 = meta.default_crop[0] - meta.active_area[0], meta.default_crop[1] - meta.active_area[1]
    total = np.zeros(shape[:2], np.float32)
    if meta.black_rows is not None:
        rows = meta.black_rows[y0 : y0 + shape[0]]
        total[: len(rows)] += rows[:, None].astype(np.float32)
    if meta.black_columns is not None:
        columns = meta.black_columns[x0 : x0 + shape[1]]
        total[:, : len(columns)] += columns[None].astype(np.float32)
    return total


LARGEST_LIGHT = 1e6
"""Light (1 = saturation) that no file can mean; corrections of damaged files lead there."""


def _bounded(linear: Linear) -> Linear:
    """Light that is no number, or beyond what can be meant, becomes 0 or the bound."""
    np.nan_to_num(linear.data, copy=False, nan=0.0, posinf=LARGEST_LIGHT, neginf=-LARGEST_LIGHT)
    np.clip(linear.data, -LARGEST_LIGHT, LARGEST_LIGHT, out=linear.data)
    return linear


def linearise(frame: RawFrame) -> Linear:
    """Bring stored codes to linear light.

    Opcode list 1, linearisation table, black, white, clip mask, then opcode list 2.

    DNG 1.7, chapter 5 ("Mapping Raw Values to Linear Reference Values"). NaN and infinities in float data become 0.
    Of list 2 the point corrections come first, in their order, then the gain maps.

    Parameters
    ----------
    frame
        Raw as stored.

    Returns
    -------
    Linear
        Stored codes to linear light.
    """
    meta = frame.meta
    deltas = _black_deltas(meta, (meta.default_crop[3], meta.default_crop[2]))
    if not meta.light_corrections and deltas is None:
        plain = _without_vignette(_linearised(frame, meta), meta)
        return _bounded(plain) if frame.codes.dtype.kind == "f" else plain  # integers stay within white times gain
    plain = _linearised(frame, replace(meta, gain_maps=()))
    data = plain.data
    if deltas is not None:
        span = np.float32(np.mean(meta.white) - np.mean(meta.black))
        data -= (deltas if data.ndim == 2 else deltas[..., None]) / span
    x0, y0 = meta.default_crop[0] - meta.active_area[0], meta.default_crop[1] - meta.active_area[1]
    apply_corrections(data, meta.light_corrections, (y0, x0))
    if not meta.gain_maps:
        return _bounded(_without_vignette(plain, meta))
    gains = gains_over_crop(meta)
    return _bounded(_without_vignette(Linear(data * gains, plain.clipped, plain.cfa, float(gains.max())), meta))


def _without_vignette(linear: Linear, meta: RawMeta) -> Linear:
    """Vignette corrections of list 3, applied here with the lens shading.

    Both are slow gains by place, so demosaicing does not tell them apart, and the noise model needs them
    together.
    """
    if not meta.vignettes:
        return linear
    h, w = linear.data.shape[:2]
    ax, ay, aw, ah = meta.active_area
    u = ((np.arange(w) + meta.default_crop[0] - ax + 0.5) / aw)[None]
    largest = linear.gain
    for top in range(0, h, 512):
        rows = slice(top, min(h, top + 512))
        v = ((np.arange(rows.start, rows.stop) + meta.default_crop[1] - ay + 0.5) / ah)[:, None]
        gain = vignette_gain(meta.vignettes, u, v, aw / ah).astype(np.float32)
        linear.data[rows] *= gain if linear.data.ndim == 2 else gain[..., None]
        largest = max(largest, float(gain.max()) * linear.gain)
    return replace(linear, gain=largest)


def gains_over_crop(meta: RawMeta) -> NDArray[np.float32]:
    """Compute the gain maps at every site of the default crop: a frame of ones sent through them.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    NDArray[np.float32]
        The gain maps at every site of the default crop.
    """
    shape = (meta.height, meta.width) if meta.kind == "mosaic" else (meta.height, meta.width, 3)
    unit = replace(meta, black=np.zeros_like(meta.black), white=np.ones_like(meta.white), linearisation=None)
    unit = replace(unit, code_corrections=())
    return _linearised(RawFrame(np.ones(shape, np.float32), unit), unit).data


def _linearised(frame: RawFrame, meta: RawMeta) -> Linear:
    """Codes to light and gain maps alone."""
    x0, y0, w, h = meta.default_crop
    ax, ay = meta.active_area[:2]
    codes = _corrected_codes(RawFrame(frame.codes, meta))
    clipped = np.zeros(((h + 1) // 2, (w + 1) // 2), np.uint8)
    if meta.kind == "mosaic":
        black = np.roll(meta.black, (-(ay % 2), -(ax % 2)), (0, 1)).ravel() if (ax or ay) else meta.black.ravel()
        pattern = shifted_cfa(meta.cfa, -ax % 2, -ay % 2)
        color = np.array([CFA_LETTERS.index(c) for c in pattern])
        white = np.broadcast_to(meta.white, (3,) if len(meta.white) == 1 else meta.white.shape)[color]
        scale = (1.0 / np.maximum(white - black, 1e-9)).astype(np.float32)
        out = np.empty((h, w), np.float32)
        grid, spacing, origin = np.ones((4, 1, 1), np.float32), np.ones(2), np.zeros(2)
        if meta.gain_maps:
            grid = _dense_gain(meta.gain_maps, meta)
            spacing, origin = np.array(meta.gain_maps[0].spacing), np.array(meta.gain_maps[0].origin)
            if min(grid.shape[1:]) < 2:
                grid = np.repeat(np.repeat(grid, 2, 1), 2, 2)
                spacing = np.ones(2)
        # one form for all, so that few variants of the kernel are ever compiled
        source = np.ascontiguousarray(codes, np.float32 if codes.dtype.kind == "f" else np.uint16)[:]
        source.flags.writeable = False
        _linearise_mosaic(
            source,
            black.astype(np.float32),
            scale,
            white,
            color,
            grid,
            np.maximum(spacing, 1e-6),
            origin,
            x0,
            y0,
            ax,
            ay,
            *meta.active_area[2:],
            out,
            clipped,
        )
        if codes.dtype.kind == "f":
            np.nan_to_num(out, copy=False, nan=0.0, posinf=1.0, neginf=0.0)
        return Linear(out, clipped, shifted_cfa(pattern, x0, y0), float(grid.max()))
    part = codes[y0 : y0 + h, x0 : x0 + w]
    white = np.broadcast_to(meta.white, 3)
    full = part >= white
    for k in range(3):
        plane = full[..., k]
        padded = np.zeros((clipped.shape[0] * 2, clipped.shape[1] * 2), bool)
        padded[:h, :w] = plane
        any4 = padded[0::2, 0::2] | padded[1::2, 0::2] | padded[0::2, 1::2] | padded[1::2, 1::2]
        clipped |= (any4 * (1 << k)).astype(np.uint8)
    data = part.astype(np.float32)
    data -= meta.black.astype(np.float32)
    data /= (white - meta.black).astype(np.float32)
    if codes.dtype.kind == "f":
        np.nan_to_num(data, copy=False, nan=0.0, posinf=1.0, neginf=0.0)
    gain = 1.0
    if meta.gain_maps:
        import cv2

        grid = _dense_gain(meta.gain_maps, meta)
        gain = float(grid.max())
        first = meta.gain_maps[0]
        gx = (((np.arange(w) + x0 - ax + 0.5) / meta.active_area[2] - first.origin[1]) / first.spacing[1]).astype(
            np.float32
        )
        gy = (((np.arange(h) + y0 - ay + 0.5) / meta.active_area[3] - first.origin[0]) / first.spacing[0]).astype(
            np.float32
        )
        for k in range(3):
            for top in range(0, h, 512):  # a band at a time: no second full-size plane
                rows = slice(top, min(h, top + 512))
                mx, my = np.meshgrid(gx, gy[rows])
                data[rows, :, k] *= cv2.remap(grid[k], mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return Linear(data, clipped, "", gain)


def shading_grid(meta: RawMeta) -> NDArray[np.float32]:
    """Compute the mean gain over the default crop on a coarse grid: lens shading and vignette.

    (1, 1) where there is none.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    NDArray[np.float32]
        Mean gain over the default crop on a coarse grid.
    """
    import cv2

    vignette = np.ones((48, 64), np.float32)
    if meta.vignettes:
        u, v = (np.arange(64)[None] + 0.5) / 64, (np.arange(48)[:, None] + 0.5) / 48
        vignette = vignette_gain(meta.vignettes, u, v, meta.active_area[2] / meta.active_area[3]).astype(np.float32)
    if not meta.gain_maps:
        return vignette if meta.vignettes else np.ones((1, 1), np.float32)
    gains = np.mean([m.gains[..., 0] for m in meta.gain_maps if m.gains.shape == meta.gain_maps[0].gains.shape], axis=0)
    return cv2.resize(gains.astype(np.float32), (64, 48), interpolation=cv2.INTER_LINEAR) * vignette
