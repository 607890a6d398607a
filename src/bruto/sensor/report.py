"""What was measured of a raw or of a picture, and the advice that follows: facts only, see `measure`."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np


@dataclass(frozen=True)
class Advice:
    """One piece of advice: `topic` (one word), `text` (a sentence), and its number."""

    topic: str
    text: str
    value: float
    unit: str


MEASURE_VERSION = 4
"""Raised whenever a measure changes, so that kept ones are made again."""
LIGHT_EV = np.arange(-10, 5.01, 0.25)
"""Edges of the histograms of light, EV from grey."""
DETAIL_GRID = (18, 24)
DETAIL_MARGIN = 1.1
"""Noise variance that detail must exceed, times the measured: what the estimate may be short by."""


@dataclass(frozen=True)
class SensorReport:
    """Measured facts of a raw.

    `noise` (a, b) of green and `noise_source`; `noise_measured` and `noise_channels` (3 of a, b) from the picture, with
    `noise_interval`, the factors on its standard deviation between which the truth is likely. `shadow_lift_ev` at 1:1
    and `shadow_lift_screen_ev` at 1280 px, to signal / noise 4.
    """

    clipped_percent: dict[str, float]
    """R, g, b of their sites; any, one, two and all of 2 x 2 quads."""
    headroom_ev: float
    """How much brighter the shot could have been."""
    levels_used: int
    """Codes that occur."""
    effective_bits: float
    noise: tuple[float, float]
    noise_source: str
    noise_measured: tuple[float, float]
    dynamic_range_ev: float
    """To signal = noise."""
    shadow_lift_ev: float
    shadow_lift_screen_ev: float
    edge_blur_px: float | None
    """Standard deviation of the blur of edges, or None where there are none."""
    middle_ev: float
    """The middle of the scene from grey."""
    preview_clipped_percent: dict[str, float] | None
    noise_interval: tuple[float, float] = (1.0, 1.0)
    noise_channels: tuple[tuple[float, float], ...] = ()
    motion_px: float | None = None
    """A movement during the exposure, as the picture is looked at."""
    motion_degrees: float | None = None
    """A movement during the exposure, as the picture is looked at."""
    preview_offset_ev: float | None = None
    """How early (+) or late (-) the preview warns."""
    glare_at_most: float | None = None
    """See `VeilingGlare`."""
    smeared: bool = False
    """See `VeilingGlare`."""
    leak: str = ""
    """See `VeilingGlare`."""
    hot_sites: int = 0
    """Sites far above their neighbours."""
    light: tuple[tuple[float, ...], ...] = ()
    """For each channel the share of sites in each step of `LIGHT_EV`, as balanced by the phone."""
    preview_light: tuple[tuple[float, ...], ...] = ()
    """Likewise of the preview."""
    detail: tuple[tuple[float, ...], ...] = ()
    """Structure finer than noise, relative to the light, by place (rows of a grid, unoriented)."""
    glimpse: tuple[int, ...] = ()
    """Green light of `CELLS` x `CELLS` cells (see `sensor.likeness`) in steps of 1/16 EV, row by row."""
    advice: tuple[Advice, ...] = field(default=())

    @property
    def sharpest(self) -> float:
        """Detail of the sharpest tenth of the picture."""
        return float(np.percentile(self.detail, 90)) if self.detail else 0.0


@dataclass(frozen=True)
class PictureReport:
    """What the phone's picture of a shot shows beside its raw.

    `clipped_percent` (any and all channels clipped), `light` as in `SensorReport`, and `offset_ev`: how much before
    (+) or after (-) the raw it is clipped, None where the shot has no light near that.
    """

    clipped_percent: dict[str, float]
    light: tuple[tuple[float, ...], ...]
    offset_ev: float | None
