"""What a test raw tells of its scene: how far its lights and shadows reach, and how much light it gathered."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.dng_reader import read_dng
from bruto.container.linearisation import linearise
from bruto.container.raw_frame import Linear, RawFrame, RawMeta
from bruto.errors import BrutoError
from bruto.storage.safe_read import check_readable

GREY = 0.18
"""Reflectance of a middle grey."""
DEEPEST, LIGHTEST = 2.0, 99.5
"""Percentiles of the light between which a scene lies that is worth holding."""
FULL = 0.985
"""Light of saturation from which a site is clipped."""
BEYOND_EV = 1.0
"""EV that lights are taken to reach beyond saturation where more than `SOME_CLIPPED` percent of a frame are clipped."""
SOME_CLIPPED = 0.1


@dataclass(frozen=True)
class SceneRange:
    """`highlights_ev`, `shadows_ev` about grey as the frame was exposed; `clipped_percent` of its sites; `iso`."""

    highlights_ev: float
    shadows_ev: float
    clipped_percent: float
    iso: float | None


def green_light(path: Path) -> tuple[NDArray[np.float32], RawMeta]:
    """Compute the light of green, means of 8 x 8 sites, without the lens's shading gain.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    tuple[NDArray[np.float32], RawMeta]
        Light of green, means of 8 x 8 sites, without the lens's shading gain.
    """
    raw = read_dng(check_readable(path))
    linear: Linear = linearise(RawFrame(raw.codes, replace(raw.meta, gain_maps=())))
    data = linear.data
    if data.ndim == 3:
        green: NDArray[Any] = data[..., 1]
    else:
        first = linear.cfa.index("G")
        second = linear.cfa.index("G", first + 1)
        h, w = data.shape[0] // 2 * 2, data.shape[1] // 2 * 2
        green = (data[first // 2 : h : 2, first % 2 : w : 2] + data[second // 2 : h : 2, second % 2 : w : 2]) / 2
    h, w = green.shape[0] // 4 * 4, green.shape[1] // 4 * 4
    if not h or not w:
        raise BrutoError(tr("{name} is too small to measure.", name=path.name))
    means = green[:h, :w].reshape(h // 4, 4, w // 4, 4).mean(axis=(1, 3))
    return means.astype(np.float32), raw.meta


def scene_range(path: str | Path) -> SceneRange:
    """Find how far a scene reaches, by a raw of it.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    SceneRange
        How far a scene reaches, by a raw of it.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    light, meta = green_light(Path(path))
    low, high = (max(float(v), 1e-6) for v in np.percentile(light, (DEEPEST, LIGHTEST)))
    full = 100 * float((light >= FULL).mean())
    if full > SOME_CLIPPED:
        high = max(high, 1.0) * 2**BEYOND_EV
    return SceneRange(math.log2(high / GREY), math.log2(low / GREY), full, meta.iso)


def level_of(path: str | Path) -> tuple[float, float]:
    """Compute the middle light of a raw, of saturation, and what it gathered (ISO times seconds).

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    tuple[float, float]
        Middle light of a raw, of saturation, and what it gathered (ISO times seconds).

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    light, meta = green_light(Path(path))
    if not meta.iso or not meta.exposure_s:
        raise BrutoError(tr("{name} gives no ISO and exposure time.", name=Path(path).name))
    level = float(np.median(light))
    if level >= FULL or level <= 0:
        raise BrutoError(
            tr(
                "{name} is {value}; nothing can be measured in it.",
                name=Path(path).name,
                value=tr("clipped") if level > 0 else tr("black"),
            )
        )
    return level, meta.iso * meta.exposure_s
