"""Tone: five handles map scene light (EV) to lightness (L*), on an edge-preserving base so that local detail survives.

The base is the self-guided filter of log luminance (He, Sun, Tang 2013; fast form 2015): base = A log Y + B with A
and B from a small picture, so it follows edges and costs two lookups a pixel. The weight of an edge is squared: a step
of 2 EV belongs to the base to within a few per cent, which leaves no halos. The curve between handles is
monotone (Fritsch, Carlson 1980, in (EV, L*)).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import luminance_of
from bruto.develop.values import Tone

if TYPE_CHECKING:
    from scipy.interpolate import PchipInterpolator

GREY = 0.18
"""Reflectance of middle grey, the zero of the EV axis."""
EV_LOW, EV_HIGH, EV_STEPS = -16.0, 10.0, 26 * 1024 + 1
"""Range and length of the lookup tables: 1024 a stop, so that the nearest entry is within 0.04 %."""
BASE_SHARE = 0.035
"""Radius of the base filter as a share of the long edge."""
BASE_EDGE = 0.38
"""Contrast that counts as an edge, EV."""
SMALL_EDGE = 1024
PALE_FROM, PALE_TO, PALE_SLOPE = 0.5, 0.8, 0.4
"""Output light between which colour begins to depend on the tone curve's slope, and slope below which it pales."""


@dataclass(frozen=True)
class Base:
    """Coefficients (h, w) of base = a log2(Y / 0.18) + b over the whole frame, before exposure."""

    a: NDArray[np.float32]
    b: NDArray[np.float32]


def self_guided(ev: NDArray[np.float32], radius: int, edge: float) -> Base:
    """Coefficients of base = a ev + b; `radius` in pixels of `ev`, `edge` in EV."""
    size = (2 * radius + 1, 2 * radius + 1)
    mean = cv2.blur(ev, size)
    variance = np.maximum(cv2.blur(ev * ev, size) - mean * mean, 0)
    square = variance * variance
    a = square / (square + np.float32(edge**4))
    b = (1 - a) * mean
    return Base(cv2.blur(a, size), cv2.blur(b, size))


def base_of(luminance: NDArray[np.float32]) -> Base:
    """The edge-preserving base's coefficients from a small picture of luminance (h, w), 1.0 = saturation."""
    ev = np.log2(np.maximum(luminance, 2e-5) / GREY).astype(np.float32)
    scale = SMALL_EDGE / max(ev.shape)
    if scale < 1:
        ev = cv2.resize(ev, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return self_guided(ev, max(2, round(BASE_SHARE * max(ev.shape))), BASE_EDGE)


def curve(tone: Tone) -> PchipInterpolator:
    """L* as a monotone function of EV through the handles; straight to 0 below black, to 100 above white."""
    from scipy.interpolate import PchipInterpolator  # takes long to import; the window is shown before

    handles = tone.handles()
    ev = [h.ev for h in handles]
    light = [h.lightness for h in handles]
    points = [(ev[0] - 4.0, 0.0), *zip(ev, light, strict=True), (ev[-1] + 2.0, min(100.0, light[-1] + 0.75))]
    points = [(x, y) for x, y in points if -20 < x < 14]
    xs, ys = zip(*points, strict=True)
    return PchipInterpolator(xs, np.maximum.accumulate(ys), extrapolate=False)


@lru_cache(maxsize=8)
def tables(tone: Tone, contrast: float = 1.0) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Lookup tables over EV: log2 of output luminance over grey, and how strongly local detail is carried over.

    `contrast` stretches scene light about grey before the handles map it.

    Detail follows the curve's slope half way, between 0.75 and 1.4: lifted shadows and pulled highlights keep their
    texture.
    """
    ev = np.linspace(EV_LOW, EV_HIGH, EV_STEPS)
    c = curve(tone)
    stretched = ev * contrast
    inside = np.clip(stretched, c.x[0], c.x[-1])
    out = np.maximum(luminance_of(c(inside)), 1e-5)
    log = np.log2(out / GREY)
    log = np.where(stretched < c.x[0], log[0] + (stretched - c.x[0]), log)
    slope = np.gradient(log, ev)
    keep = np.clip(0.5 + 0.5 * slope, 0.75, 1.4)
    return log.astype(np.float32), keep.astype(np.float32)


@lru_cache(maxsize=8)
def colour_table(tone: Tone, contrast: float = 1.0) -> NDArray[np.float32]:
    """Share of colour (0..1) that light keeps, over EV: near white, where the curve presses stops into few tones,
    colours that differ little would stand side by side as patches; they pale, as those of film do whose layers are
    full.
    """
    log, _ = tables(tone, contrast)
    ev = np.linspace(EV_LOW, EV_HIGH, EV_STEPS)
    slope = np.gradient(log.astype(float), ev)
    bright = np.clip((log - math.log2(PALE_FROM / GREY)) / math.log2(PALE_TO / PALE_FROM), 0, 1)
    end = np.searchsorted(ev * contrast, tone.white.ev) - 1  # beyond it the curve tells nothing
    slope[end:] = slope[end]
    share = 1 - bright * (1 - np.clip(slope / PALE_SLOPE, 0, 1))
    return cv2.GaussianBlur(share.astype(np.float32)[None], (0, 0), 200, borderType=cv2.BORDER_REPLICATE)[0]


def neutral_tables() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Tables that change nothing."""
    ev = np.linspace(EV_LOW, EV_HIGH, EV_STEPS).astype(np.float32)
    return ev, np.ones(EV_STEPS, np.float32)
