"""Measuring what a raw really holds."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import decode_srgb
from bruto.container.linearisation import shading_grid
from bruto.container.orientation import as_stored
from bruto.container.picture import decode_jpeg
from bruto.container.raw_frame import RawFrame, RawMeta, check_size, shifted_cfa
from bruto.errors import BrutoError
from bruto.sensor.advice import Offer, advise
from bruto.sensor.blocks import histogram
from bruto.sensor.blur import edge_blur, edge_widths
from bruto.sensor.clipping import clipped_percent, headroom
from bruto.sensor.likeness import cells_of
from bruto.sensor.motion_blur import TILE, green_tiles, motion, telling_places
from bruto.sensor.noise import Blocks, blocks_of, dynamic_range_ev, file_noise, picture_noise, shadow_lift_ev
from bruto.sensor.planes import Plane, levels, planes_of
from bruto.sensor.report import DETAIL_GRID, DETAIL_MARGIN, LIGHT_EV, PictureReport, SensorReport
from bruto.sensor.veiling_glare import find_glare, hot_sites
from bruto.sensor.viewfinder import warning_of

LEAST_PLANE = 48
"""Sites along a side of a plane from which sharpness and movement can be determined."""


def measure(frame: RawFrame, offer: Offer | None = None) -> SensorReport:
    """Measure a raw frame.

    Definitions stand with each function; noise figures are of green at one photosite.

    Parameters
    ----------
    frame
        Raw as stored.
    offer
        What the phone offers, for the advice.

    Returns
    -------
    SensorReport
        Measure a raw frame.
    """
    meta = frame.meta
    check_size(meta)
    planes = planes_of(frame)
    counts = [histogram(p.codes) for p in planes]
    blocks = blocks_of(planes)
    measured = picture_noise(blocks)
    stated = file_noise(meta)
    noise, source = (stated, "file") if stated is not None else (measured.model, "picture")
    a, b = (float(v) for v in noise[1])
    shading = shading_grid(meta)
    with ThreadPoolExecutor(1) as beside:  # the sharpness is as much work as the rest
        sharp = beside.submit(_blur, planes, meta, measured.model)
        clipped = clipped_percent(frame, planes, counts)
        used, bits = levels(frame, counts, planes)
        veil = find_glare(blocks, shading, meta.exposure_s)
        preview = _preview(frame)
        warned = warning_of(preview, blocks) if preview is not None else None
        light = _light(planes, counts, meta)
        preview_light = _picture_light(preview) if preview is not None else ()
        blur, moved, degrees = sharp.result()
    report = SensorReport(
        clipped,
        headroom(blocks, clipped),
        used,
        bits,
        (a, b),
        source,
        (float(measured.model[1, 0]), float(measured.model[1, 1])),
        dynamic_range_ev(a, b),
        shadow_lift_ev(a, b),
        shadow_lift_ev(a, b, max(meta.default_crop[2:])),
        blur,
        _middle(blocks, shading) + meta.baseline_exposure,
        warned.clipped_percent if warned else None,
        noise_interval=(float(measured.interval[1, 0]), float(measured.interval[1, 1])),
        noise_channels=tuple((float(m[0]), float(m[1])) for m in measured.model),
        motion_px=moved,
        motion_degrees=degrees,
        preview_offset_ev=warned.offset_ev if warned else None,
        glare_at_most=veil.at_most,
        smeared=veil.smeared,
        leak=veil.leak,
        hot_sites=hot_sites(blocks, noise),
        light=light,
        preview_light=preview_light,
        detail=_detail(blocks, measured.model),
        glimpse=_glimpse(blocks),
    )
    return replace(report, advice=advise(report, meta, offer))


def _blur(
    planes: list[Plane], meta: RawMeta, noise: NDArray[np.float64]
) -> tuple[float | None, float | None, float | None]:
    """Edge blur, and length and direction of a movement as the picture is looked at."""
    step = 1 if meta.kind == "linear" else 2
    green = next(p for p in planes if p.channel == 1)
    places = telling_places(green, step) if min(green.codes.shape) >= LEAST_PLANE else []
    if not places:
        return None, None, None
    pattern = ""
    if meta.kind == "mosaic":
        x, y = meta.default_crop[0] - meta.active_area[0], meta.default_crop[1] - meta.active_area[1]
        pattern = shifted_cfa(meta.cfa, x % 2, y % 2)
    tiles = green_tiles(planes, pattern, places)
    green_noise = float(noise[1, 0]), float(noise[1, 1])
    side = max(1, math.isqrt(len(tiles)))
    sheet = np.concatenate([np.concatenate(tiles[k * side : (k + 1) * side], axis=1) for k in range(side)], axis=0)
    sigma = math.sqrt(max(green_noise[0] * float(sheet.mean()) + green_noise[1], 0.0)) / 2
    blur = edge_blur(sheet, sigma, TILE)
    moved = motion(tiles, green_noise, lambda: edge_widths(sheet, sigma, TILE))
    if moved is None:
        return blur, None, None
    return blur, moved.length_px, oriented_degrees(moved.degrees, meta.orientation)


def oriented_degrees(degrees: float, orientation: int) -> float:
    """Compute a line's direction (counter-clockwise from the right) in the stored picture.

    As the picture is looked at.

    Parameters
    ----------
    degrees
        Direction, degrees.
    orientation
        Exif orientation, 1 to 8.

    Returns
    -------
    float
        A line's direction (counter-clockwise from the right) in the stored picture, as the picture is looked at.

    Examples
    --------
    >>> oriented_degrees(10, 6), oriented_degrees(10, 2)
    (100, 170)
    """
    turn = {1: 0, 2: 0, 3: 0, 4: 0, 5: 90, 6: -90, 7: -90, 8: 90}[orientation]
    mirrored = orientation in (2, 4, 5, 7)
    return ((-degrees if mirrored else degrees) + turn) % 180


def _middle(blocks: list[Blocks], shading: NDArray[np.float32]) -> float:
    green = np.mean([b.mean for b in blocks if b.channel == 1], axis=0)
    if not green.size:
        return 0.0
    gain = cv2.resize(shading, green.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return float(np.median(np.log2(np.maximum(green * gain, 2e-5) / 0.18)))


def _light(planes: list[Plane], counts: list[NDArray[np.int64]], meta: RawMeta) -> tuple[tuple[float, ...], ...]:
    """Histogram of each channel over stops, after as-shot balance and baseline exposure."""
    neutral = meta.as_shot_neutral / meta.as_shot_neutral[1]
    result = []
    for k in range(3):
        total = np.zeros(len(LIGHT_EV) - 1)
        for p, c in zip(planes, counts, strict=True):
            if p.channel != k:
                continue
            used = np.flatnonzero(c)
            light = np.maximum(p.light[np.minimum(used, max(p.full, 1))], 1e-6) / (0.18 * float(neutral[k]))
            ev = np.clip(np.log2(light) + meta.baseline_exposure, LIGHT_EV[0], LIGHT_EV[-1] - 1e-6)
            total += np.histogram(ev, LIGHT_EV, weights=c[used].astype(float))[0]
        result.append(tuple(np.round(total / max(total.sum(), 1), 6).tolist()))
    return tuple(result)


def _picture_light(pixels: NDArray[np.uint8]) -> tuple[tuple[float, ...], ...]:
    """Histogram of each channel of a finished picture over stops of its displayed light."""
    light = np.maximum(decode_srgb(np.arange(256) / 255), 1e-6) / 0.18
    ev = np.clip(np.log2(light), LIGHT_EV[0], LIGHT_EV[-1] - 1e-6)
    result = []
    for k in range(3):
        counts = cv2.calcHist([pixels], [k], None, [256], [0, 256]).ravel().astype(float)
        result.append(tuple(np.round(np.histogram(ev, LIGHT_EV, weights=counts)[0] / counts.sum(), 6).tolist()))
    return tuple(result)


def _detail(blocks: list[Blocks], noise: NDArray[np.float64]) -> tuple[tuple[float, ...], ...]:
    """Return the standard deviation of fine structure beyond noise, relative to the light, on a coarse grid."""
    green = next(b for b in blocks if b.channel == 1)
    if min(green.mean.shape) < 2:
        return ()
    mean = np.maximum(green.mean, 0)
    rows, columns = (min(n, g) for n, g in zip(mean.shape, DETAIL_GRID, strict=True))

    def cells(values: NDArray[Any]) -> NDArray[np.float32]:
        return cv2.resize(values.astype(np.float32), (columns, rows), interpolation=cv2.INTER_AREA)

    # noise is taken off cells, not blocks: what falls below it must weigh against what lies above
    noisy = noise[1, 0] * mean + noise[1, 1]
    beyond = np.maximum(cells(green.variance) - np.float32(DETAIL_MARGIN) * cells(noisy), 0)
    grid = np.sqrt(beyond) / np.maximum(cells(mean), 0.003)
    return tuple(tuple(np.round(row, 4).tolist()) for row in grid)


def _glimpse(blocks: list[Blocks]) -> tuple[int, ...]:
    green = np.mean([b.mean for b in blocks if b.channel == 1], axis=0)
    if not green.size:
        return ()
    return tuple(np.rint(cells_of(green) * 16).astype(int).ravel().tolist())


def _preview(frame: RawFrame) -> NDArray[np.uint8] | None:
    """Compute the embedded preview, lying as the raw does, or None."""
    if frame.preview is None:
        return None
    try:
        pixels = decode_jpeg(frame.preview)
    except BrutoError:
        return None
    w, h = frame.meta.default_crop[2:]
    if (pixels.shape[1] > pixels.shape[0]) != (w > h) and frame.meta.orientation >= 5:
        pixels = np.ascontiguousarray(as_stored(pixels, frame.meta.orientation))
    return pixels


def measure_picture(frame: RawFrame, pixels: NDArray[np.uint8]) -> PictureReport:
    """Return the measures of the phone's picture (H, W, 3), as it is looked at, against the raw of the same shot.

    Parameters
    ----------
    frame
        Raw as stored.
    pixels
        Pixels (H, W, 3).

    Returns
    -------
    PictureReport
        The measures of the phone's picture (H, W, 3), as it is looked at, against the raw of the same shot.
    """
    blocks = blocks_of(planes_of(frame))
    warned = warning_of(np.ascontiguousarray(as_stored(pixels, frame.meta.orientation)), blocks)
    return PictureReport(warned.clipped_percent, _picture_light(pixels), warned.offset_ev)
