"""Frames of a set for merging: read, checked against each other, aligned."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment, register
from bruto.container.dng_reader import read_dng
from bruto.container.linearise import linearise
from bruto.container.rawframe import GainMap, Linear, RawFrame, RawMeta
from bruto.develop import demosaic as dm
from bruto.errors import BrutoError
from bruto.files import content_key, explain, whole_digest
from bruto.sensor.noise import estimate_noise, file_noise

ROUGH_PX = 0.6
"""Error of the alignment, in pixels, above which a frame is left out."""
LEAST_SHARE = 0.25
"""Share of tracked details that must move together."""
STILL_PX = 0.06
"""Movement of the corners, in pixels, below which a frame counts as unmoved."""

STILL_BLOCK, STILL_SHIFT, STILL_SHARE, LEAST_BLOCKS = 24, 0.075, 0.4, 24
"""Pixels of the half-size plane a side of a block, the shift below which one stands still, the share of such blocks
that tells of a tripod, and how many blocks have to know.
"""


@dataclass(frozen=True)
class Frame:
    """One frame: linear light before the shading gain, and its noise (3, 2). `neutral`: as shot, green = 1."""

    path: Path
    linear: Linear
    meta: RawMeta
    noise: NDArray[np.float64]
    preview: bytes | None

    @property
    def neutral(self) -> NDArray[np.float64]:
        return self.meta.as_shot_neutral / self.meta.as_shot_neutral[1]

    @property
    def exposure(self) -> float:
        """Light gathered times gain, seconds x ISO / f-number squared."""
        return exposure_of(self.meta, self.path)


def exposure_of(meta: RawMeta, path: Path) -> float:
    """Light gathered times gain, seconds x ISO / f-number squared; raises `BrutoError` where the file says neither."""
    if not meta.exposure_s or not meta.iso:
        raise BrutoError(f"{path}: the file does not say its exposure time and ISO, which this merge needs.")
    return meta.exposure_s * meta.iso / (meta.f_number or 1.0) ** 2


def load_frame(path: str | Path) -> Frame:
    """Read one frame without its shading gain, which is carried over to the result instead."""
    raw = read_dng(path)
    plain = replace(raw.meta, gain_maps=())
    linear = linearise(RawFrame(raw.codes, plain))
    noise = file_noise(raw.meta)
    return Frame(Path(path), linear, raw.meta, estimate_noise(linear) if noise is None else noise, raw.preview)


def doubles(paths: list[Path]) -> dict[int, int]:
    """Which files are another one before them, by their place in the list: the same file under another name, or a copy
    of the same bytes. Raises `FileProblem`.
    """
    first: dict[tuple[int, int], int] = {}
    alike: dict[tuple[int, str], list[int]] = {}
    found: dict[int, int] = {}
    for k, path in enumerate(paths):
        try:
            state = path.stat()
            own = (state.st_dev, state.st_ino)
            if own in first:
                found[k] = first[own]
                continue
            first[own] = k
            near = alike.setdefault((state.st_size, content_key(path)), [])
            own_digest = whole_digest(path) if near else ""
            for other in near:
                if whole_digest(paths[other]) == own_digest:
                    found[k] = other
                    break
            else:
                near.append(k)
        except OSError as error:
            raise explain(error, path, "read") from error
    return found


def check_alike(first: Frame, other: Frame) -> str | None:
    """Why a frame cannot be merged with the first, or None."""
    if other.meta.kind != first.meta.kind or other.linear.data.shape != first.linear.data.shape:
        return "another size or kind of raw"
    if other.meta.orientation != first.meta.orientation:
        return "held in another orientation"
    if other.meta.model != first.meta.model or (other.meta.focal_mm or 0) != (first.meta.focal_mm or 0):
        return "another camera or lens"
    return None


def brightness(frame: Frame, gain: float = 1.0) -> NDArray[np.float32]:
    """Half-size brightness for alignment, (H / 2, W / 2); clipped light is held at its level."""
    data = frame.linear.data
    if data.ndim == 2:
        h, w = data.shape[0] // 2 * 2, data.shape[1] // 2 * 2
        half = cv2.resize(data[:h, :w], (w // 2, h // 2), interpolation=cv2.INTER_AREA)
    else:
        half = cv2.resize(data[..., 1], (data.shape[1] // 2, data.shape[0] // 2), interpolation=cv2.INTER_AREA)
    return half * np.float32(gain)


def still_share(reference: NDArray[np.float32], other: NDArray[np.float32]) -> tuple[float, int]:
    """Share of the blocks with structure in which a frame (half-size brightness) has not moved, and how many there are:
    each block's shift by least squares (Lucas, Kanade 1981), where noise lets it be known.
    """
    smooth = [cv2.GaussianBlur(p, (0, 0), 1.2) for p in (reference, other)]
    gx, gy = (cv2.Sobel(smooth[0], cv2.CV_32F, dx, dy, scale=1 / 8) for dx, dy in ((1, 0), (0, 1)))
    gap = smooth[0] - smooth[1]
    rows, columns = (n // STILL_BLOCK for n in reference.shape)
    if rows < 2 or columns < 2:
        return 0.0, 0
    size = (columns, rows)
    xx, xy, yy, bx, by, rest = (
        cv2.resize(p, size, interpolation=cv2.INTER_AREA).astype(float) * STILL_BLOCK**2
        for p in (gx * gx, gx * gy, gy * gy, gx * gap, gy * gap, gap * gap)
    )
    determinant = np.maximum(xx * yy - xy * xy, 1e-20)
    dx, dy = (yy * bx - xy * by) / determinant, (xx * by - xy * bx) / determinant
    least = (xx + yy) / 2 - np.sqrt(((xx - yy) / 2) ** 2 + xy * xy)
    noise = float(np.percentile(rest, 20)) / STILL_BLOCK**2
    known = least > noise * 8 / (STILL_SHIFT / 2) ** 2  # smoothed noise: some eight places count as one
    if known.sum() < LEAST_BLOCKS:
        return 0.0, int(known.sum())
    return float((np.hypot(dx, dy)[known] < STILL_SHIFT).mean()), int(known.sum())


def align(reference: NDArray[np.float32], other: NDArray[np.float32], size: tuple[int, int]) -> Alignment:
    """Alignment of full-size frames (width, height) from half-size brightness. Where a good part of the picture has not
    moved at all the frame stands still, whatever water and people do in the rest of it.
    """
    share, blocks = still_share(reference, other)
    if share >= STILL_SHARE:
        return Alignment(np.eye(3), 0.0, STILL_SHIFT / 2, blocks, size, size, STILL_SHIFT / math.sqrt(blocks), share)
    found = register(reference, other, "rigid")
    # the half-size grid: full pixel x has its centre at (x + 0.5) / 2 - 0.5, so relative coordinates are the same
    found = replace(
        found, residual_px=found.residual_px * 2, model_px=found.model_px * 2, first_size=size, second_size=size
    )
    w, h = size
    corners = np.array([[0, 0], [w - 1, 0], [0, h - 1], [w - 1, h - 1]], float)
    if np.abs(found.apply(corners) - corners).max() < max(STILL_PX, 3 * found.model_px):
        return replace(found, homography=np.eye(3))  # on a tripod: nothing is gained by resampling
    return found


STEEP, STEEP_FROM = 8.0, 0.01
"""Light over light next to it that makes an edge steep, from how much light of full (noise makes none)."""


def is_still(alignment: Alignment | None) -> bool:
    """Whether a frame needs no resampling."""
    return alignment is None or bool(np.array_equal(alignment.homography, np.eye(3)) and alignment.radial == 0)


def rough(alignment: Alignment) -> str | None:
    """Why an alignment cannot be trusted, or None."""
    if alignment.model_px > ROUGH_PX or alignment.share < LEAST_SHARE:
        return (
            f"does not lie on the first frame ({alignment.share * 100:.0f} % of its details agree, "
            f"error {alignment.model_px:.1f} px)"
        )
    return None


def colour_band(frame: Frame, top: int, bottom: int) -> NDArray[np.float32]:
    """Rows top..bottom of camera RGB, demosaiced with balanced channels, unbalanced again; the exact rows of the
    whole.
    """
    data = frame.linear.data
    if data.ndim == 3:
        return np.ascontiguousarray(data[top:bottom])
    h = data.shape[0]
    y0, y1 = max(0, top - 2 * dm.REACH) & ~1, min(h, bottom + 2 * dm.REACH)
    gains = 1 / frame.neutral
    quad = np.array([gains["RGB".index(c)] for c in frame.linear.cfa], np.float32).reshape(2, 2)
    part = data[y0:y1] * np.tile(quad, ((y1 - y0 + 1) // 2, (data.shape[1] + 1) // 2))[: y1 - y0, : data.shape[1]]
    noise = frame.noise * np.stack([gains, gains**2], axis=1)
    rgb = dm.demosaic(part, frame.linear.cfa, noise=noise, averaged=True)[top - y0 : bottom - y0]
    return rgb * frame.neutral.astype(np.float32)


def warped_band(
    frame: Frame, alignment: Alignment | None, top: int, bottom: int
) -> tuple[NDArray[np.float32], NDArray[np.bool_] | None]:
    """A band of a frame on the reference's grid, and where it holds picture (None: everywhere)."""
    if alignment is None or is_still(alignment):
        return colour_band(frame, top, bottom), None
    h, w = frame.linear.data.shape[:2]
    mx, my = alignment.maps(0, top, w, bottom - top)
    y0, y1 = max(0, int(np.floor(my.min())) - 6), min(h, int(np.ceil(my.max())) + 7)
    if y1 - y0 < 8:
        return np.zeros((bottom - top, w, 3), np.float32), np.zeros((bottom - top, w), bool)
    source = colour_band(frame, y0, y1)
    inside = (mx >= 0) & (mx <= w - 1) & (my >= 0) & (my <= h - 1)
    return _resampled(source, mx, my - np.float32(y0)), inside


def _resampled(source: NDArray[np.float32], mx: NDArray, my: NDArray) -> NDArray[np.float32]:
    """Values between pixels; at edges of several stops no lower and no higher than around, or the kernel's lobes would
    leave black outlines.
    """
    moved = cv2.remap(source, mx, my, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE)
    around = np.ones((3, 3), np.uint8)
    low, high = cv2.erode(source, around), cv2.dilate(source, around)
    steep = (high > STEEP * np.maximum(low, STEEP_FROM)).any(axis=2)
    if not steep.any():
        return moved
    marked = cv2.dilate(steep.astype(np.uint8), np.ones((5, 5), np.uint8))
    near = cv2.remap(marked, mx, my, cv2.INTER_NEAREST) > 0
    low, high = (cv2.remap(p, mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for p in (low, high))
    moved[near] = np.clip(moved[near], low[near], high[near])
    return moved


def plane_gain_maps(meta: RawMeta) -> tuple[GainMap, ...]:
    """The shading gain of a mosaic as maps of three planes, for a linear file."""
    if not meta.gain_maps or meta.kind != "mosaic":
        return meta.gain_maps
    first = meta.gain_maps[0]
    by_colour: dict[str, list[NDArray]] = {"R": [], "G": [], "B": []}
    for m in meta.gain_maps:
        if m.gains.shape == first.gains.shape:
            by_colour[meta.cfa[(m.top % 2) * 2 + m.left % 2]].append(m.gains)
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
            np.mean(by_colour[c], axis=0).astype(np.float32),
        )
        for k, c in enumerate("RGB")
        if by_colour[c]
    )
