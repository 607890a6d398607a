"""The base of a picture: its light without small structure, edges kept, so that tone can be changed under it.

The self-guided filter of log luminance (He, Sun, Tang 2013; fast form 2015): base = A log Y + B with A and B from a
small picture, so it follows edges and costs two lookups a pixel. The weight of an edge is squared: a step of 2 EV
belongs to the base to within a few per cent, which leaves no halos.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import LUMINANCE_2020
from bruto.develop.steps.step import CoarseField, Mapping, RecordedImage

GREY = 0.18
"""Reflectance of middle grey, the zero of the EV axis."""
BASE_SHARE = 0.035
"""Radius of the base filter as a share of the long edge."""
BASE_EDGE = 0.38
"""Contrast that counts as an edge, EV."""
SMALL_EDGE = 1024


@dataclass(frozen=True)
class Base:
    """Coefficients (h, w) of base = a log2(Y / 0.18) + b over the whole frame, before exposure."""

    a: NDArray[np.float32]
    b: NDArray[np.float32]


def self_guided(ev: NDArray[np.float32], radius: int, edge: float) -> Base:
    """Return the coefficients of base = a ev + b; `radius` in pixels of `ev`, `edge` in EV.

    Parameters
    ----------
    ev
        Scene light, EV from grey.
    radius
        Radius, pixels.
    edge
        Long edge, pixels.

    Returns
    -------
    Base
        Coefficients of base = a ev + b.
    """
    size = (2 * radius + 1, 2 * radius + 1)
    mean = cv2.blur(ev, size)
    variance = np.maximum(cv2.blur(ev * ev, size) - mean * mean, 0)
    square = variance * variance
    a = square / (square + np.float32(edge**4))
    b = (1 - a) * mean
    return Base(cv2.blur(a, size), cv2.blur(b, size))


def base_of(luminance: NDArray[np.float32]) -> Base:
    """Return the edge-preserving base's coefficients from a small picture of luminance (h, w), 1.0 = saturation.

    Parameters
    ----------
    luminance
        Luminance (H, W), linear, 1 = white.

    Returns
    -------
    Base
        The edge-preserving base's coefficients from a small picture of luminance (h, w), 1.0 = saturation.
    """
    ev = np.log2(np.maximum(luminance, 2e-5) / GREY).astype(np.float32)
    scale = SMALL_EDGE / max(ev.shape)
    if scale < 1:
        ev = cv2.resize(ev, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return self_guided(ev, max(2, round(BASE_SHARE * max(ev.shape))), BASE_EDGE)


def light_of(recorded: RecordedImage) -> NDArray[np.float32]:
    """Compute the luminance (h, w) of the recorded frame's small picture, 1.0 = saturation.

    Parameters
    ----------
    recorded
        The frame as recorded, before any recipe.

    Returns
    -------
    NDArray[np.float32]
        Luminance (h, w) of the recorded frame's small picture, 1.0 = saturation.
    """
    return np.maximum(recorded.small() @ LUMINANCE_2020.astype(np.float32), 0)


def base_over(base: Base, mapping: Mapping) -> Base:
    """Return the coefficients of a base over a picture that was turned or warped.

    Parameters
    ----------
    base
        Edge-preserving base of the picture.
    mapping
        Mapping from output to frame.

    Returns
    -------
    Base
        Coefficients of a base over a picture that was turned or warped.
    """
    return Base(mapping.field(base.a), mapping.field(base.b))


TONE_BASE = CoarseField("tone base", lambda recorded: base_of(light_of(recorded)), base_over)
