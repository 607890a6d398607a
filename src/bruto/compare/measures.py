"""What is measured of each of two pictures of one scene: one list, read by the table, the JSON and the report."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import D65_XYZ, OKLAB_FROM_LMS, OKLAB_LMS_FROM_XYZ
from bruto.compare.edges import edge_overshoot, edge_width, edges_of

TEXTURE = 1.5
"""Fine L* below which structure counts as weak texture."""
LEAST_GREYS = 400
"""Places below which nothing is reported of tints, texture and fringes."""
PLATEAU = 0.12
"""L* within which a place counts as one with its neighbours."""
STEP_APART, MOST_STEP = 12, 8.0
"""Pixels between two plateaus, and the highest step between them, L*: beyond it is an edge."""
RING = 5
"""Pixels from the middle of a small light at which it has to be dark."""
HIGH, LOW = 99.0, 2.0
"""L* beyond which a place counts as lost in highlights or shadows."""


@dataclass(frozen=True)
class MeasuredSide:
    """One picture on the compared grid.

    CIE `lab` (H, W, 3), where both pictures are `valid`, the places that are `flat` and `busy` in both, and that
    are nearly `grey` in one of them; `first` is the picture that stands first, None where that is this one.
    """

    lab: NDArray[np.float32]
    valid: NDArray[np.bool_]
    flat: NDArray[np.bool_]
    busy: NDArray[np.bool_]
    grey: NDArray[np.bool_] | None = None
    first: MeasuredSide | None = None

    @property
    def lightness(self) -> NDArray[np.float32]:
        """L* (H, W), 0 to 100."""
        return self.lab[..., 0]

    @cached_property
    def fine(self) -> NDArray[np.float32]:
        """Lightness finer than about 4 px."""
        return self.lightness - cv2.GaussianBlur(self.lightness, (0, 0), 2.0)

    @cached_property
    def edges(self) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any]] | None:
        """Profiles across strong edges, see `edges_of`."""
        return edges_of(np.ascontiguousarray(self.lightness), self.valid)

    @cached_property
    def grain(self) -> float:
        """Standard deviation of fine lightness in flat places."""
        fine = self.fine[self.flat]
        return 1.4826 * float(np.median(np.abs(fine - np.median(fine)))) if self.flat.any() else 0.0


def oklab_of_lab(lab: NDArray[Any]) -> NDArray[np.float64]:
    """Compute the OKLab of CIELAB (N, 3), both of D65.

    Parameters
    ----------
    lab
        CIELAB values (…, 3).

    Returns
    -------
    NDArray[np.float64]
        OKLab of CIELAB (N, 3), both of D65.
    """
    y = (lab[:, 0] + 16) / 116
    f = np.stack([y + lab[:, 1] / 500, y, y - lab[:, 2] / 200], axis=1)
    xyz = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * D65_XYZ
    return np.cbrt(xyz @ OKLAB_LMS_FROM_XYZ.T) @ OKLAB_FROM_LMS.T


@dataclass(frozen=True)
class Measure:
    """`title` with its unit; `digits` behind the point.

    `tolerance` up to which two numbers are alike, by the first one; sentences for where the second number is
    lower, higher or the same, with `{first}` and `{second}` for the pictures.
    """

    key: str
    """In JSON."""
    title: str
    of: Callable[[MeasuredSide], float]
    """The number of one picture."""
    digits: int
    tolerance: Callable[[float], float]
    lower: str
    higher: str
    same: str

    def sentence(self, a: float, b: float, first: str, second: str) -> str:
        """Say what two numbers say, plainly; NaN: there was too little to measure.

        Parameters
        ----------
        a
            Value of the first side.
        b
            Value of the second side.
        first
            The first of them.
        second
            The second of them.

        Returns
        -------
        str
            What two numbers say, plainly.
        """
        if math.isnan(a) or math.isnan(b):
            return tr("Too little of it to judge.")
        alike = abs(a - b) <= self.tolerance(a)
        return (self.same if alike else self.higher if b > a else self.lower).format(first=first, second=second)


def _color_grain(s: MeasuredSide) -> float:
    if not s.flat.any():
        return 0.0
    a, b = (s.lab[..., k] - cv2.GaussianBlur(np.ascontiguousarray(s.lab[..., k]), (0, 0), 3.0) for k in (1, 2))
    chroma: NDArray[np.float32] = np.hypot(a, b)
    return 1.4826 * float(np.median(chroma[s.flat]))


def _texture(s: MeasuredSide) -> float:
    return max(float(np.mean(s.fine[s.busy] ** 2)) - s.grain**2, 0.0) ** 0.5 if s.busy.any() else 0.0


def _tint(s: MeasuredSide, low: float, high: float) -> float:
    """How far greys of some lightness are from grey: length of their median (a, b) in OKLab, times 1000.

    NaN where there are too few.
    """
    if s.grey is None:
        return float("nan")
    there = s.grey & (s.lightness > low) & (s.lightness < high)
    if there.sum() < LEAST_GREYS:
        return float("nan")
    found = oklab_of_lab(s.lab[there][::3])
    return 1000 * float(np.hypot(float(np.median(found[:, 1])), float(np.median(found[:, 2]))))


def _coarse(s: MeasuredSide, channels: tuple[int, ...]) -> float:
    """Noise coarser than specks in flat places: of channels of CIELAB, between 4 and 16 px."""
    if not s.flat.any():
        return 0.0
    bands = []
    quarter = (max(2, s.lab.shape[1] // 4), max(2, s.lab.shape[0] // 4))  # so coarse a band needs no more
    flat = cv2.resize(s.flat.astype(np.uint8), quarter, interpolation=cv2.INTER_NEAREST).astype(bool)
    if not flat.any():
        return 0.0
    for k in channels:
        plane = cv2.resize(np.ascontiguousarray(s.lab[..., k]), quarter, interpolation=cv2.INTER_AREA)
        there = (cv2.GaussianBlur(plane, (0, 0), 1.0) - cv2.GaussianBlur(plane, (0, 0), 4.0))[flat]
        bands.append(1.4826 * float(np.median(np.abs(there - np.median(there)))))
    return float(np.linalg.norm(bands))


def _steps(s: MeasuredSide) -> float:
    """Height of the steps in which even tones change, L*.

    Between plateaus that lie `STEP_APART` pixels from each other; 0 where grain or a smooth change leaves no
    plateaus.
    """
    l = s.lightness
    mean = cv2.blur(l, (5, 5))
    plateau = s.flat & (np.abs(l - mean) < PLATEAU) & (cv2.blur((l - mean) ** 2, (5, 5)) < PLATEAU**2)
    if plateau.sum() < max(LEAST_GREYS, 0.2 * s.flat.sum()):
        return 0.0
    jumps = []
    for axis in (0, 1):
        ahead = np.roll(l, -STEP_APART, axis)
        both = plateau & np.roll(plateau, -STEP_APART, axis)
        jumps.append(np.abs(ahead - l)[both])
    found = np.concatenate(jumps)
    found = found[(found > 2 * PLATEAU) & (found < MOST_STEP)]
    return float(np.percentile(found, 40)) if len(found) >= LEAST_GREYS // 8 else 0.0


def _small_lights(s: MeasuredSide) -> float:
    """How many small round lights stand in the dark, such as lamps and stars."""
    l = cv2.GaussianBlur(s.lightness, (0, 0), 0.7)
    peak = s.valid & (l >= cv2.dilate(l, np.ones((5, 5), np.uint8))) & (l > 45)
    ys, xs = np.nonzero(peak)
    inside = (ys >= RING) & (xs >= RING) & (ys < l.shape[0] - RING) & (xs < l.shape[1] - RING)
    ys, xs = ys[inside], xs[inside]
    if not len(ys):
        return 0.0
    turns = np.arange(12) * np.pi / 6
    dy, dx = (np.round(RING * f(turns)).astype(int) for f in (np.sin, np.cos))
    ring = l[ys[:, None] + dy, xs[:, None] + dx]
    lights = (ring.max(axis=1) < l[ys, xs] - 15) & (np.median(ring, axis=1) < 45)
    return float(lights.sum())


def _texture_share(s: MeasuredSide) -> float:
    """Percent of the first picture's weak texture, above its grain, that this one follows, beside edges."""
    first = s.first
    if first is None:
        return 100.0
    weak = s.busy & (np.abs(first.fine) < TEXTURE) & (np.abs(s.fine) < 3 * TEXTURE)
    if weak.sum() < LEAST_GREYS:
        return 100.0
    a, b = first.fine[weak], s.fine[weak]
    own = float(np.mean(a * a)) - min(first.grain, TEXTURE) ** 2
    edges = s.busy & (np.abs(first.fine) > 4 * TEXTURE)
    if own < 0.01 or edges.sum() < LEAST_GREYS:
        return 100.0
    e, f = first.fine[edges], s.fine[edges]
    steep = float((e * f).mean() / (e * e).mean())  # what tone, and no smoothing, does to structure
    return 100 * float(np.clip(np.mean(a * b) / own / max(steep, 0.1), 0, 1.5))


def _fringes(s: MeasuredSide) -> float:
    """Purple against green along strong edges: fine changes of a* - b*, beside those of even edges, in a*b*."""
    steep = np.abs(cv2.Sobel(s.lightness, cv2.CV_32F, 1, 0, scale=1 / 8))
    edges = s.valid & (steep > max(3.0, float(np.percentile(steep[::3, ::3], 98))))
    if edges.sum() < LEAST_GREYS:
        return 0.0
    axis = np.ascontiguousarray(s.lab[..., 1] - s.lab[..., 2]) / np.float32(2**0.5)
    fine = axis - cv2.GaussianBlur(axis, (0, 0), 3.0)
    return float(np.sqrt(np.mean(fine[edges] ** 2)))


MEASURES: tuple[Measure, ...] = (
    Measure(
        "lost_highlights_percent",
        tr("Lost highlights, %"),
        lambda s: 100 * float((s.lightness[s.valid] >= HIGH).mean()),
        1,
        lambda a: 0.1,
        tr("The {second} holds more bright detail."),
        tr("The {first} holds more bright detail."),
        tr("Equal."),
    ),
    Measure(
        "lost_shadows_percent",
        tr("Lost shadows, %"),
        lambda s: 100 * float((s.lightness[s.valid] <= LOW).mean()),
        1,
        lambda a: 0.1,
        tr("Shadows of the {second} are more open."),
        tr("Shadows of the {second} sink into black."),
        tr("Equal."),
    ),
    Measure(
        "noise_l",
        tr("Grain, σ L*"),
        lambda s: s.grain,
        2,
        lambda a: 0.08,
        tr("The {first} shows more grain."),
        tr("The {second} shows more grain."),
        tr("Equally clean."),
    ),
    Measure(
        "colour_noise",
        tr("Chroma noise, σ"),
        _color_grain,
        2,
        lambda a: 0.15,
        tr("The {first} shows more colour speckles."),
        tr("The {second} shows more colour speckles."),
        tr("Equally clean."),
    ),
    Measure(
        "texture_l",
        tr("Texture below 4 px, L*"),
        _texture,
        2,
        lambda a: 0.15 * max(a, 0.1),
        tr("Fine texture is smeared in the {second}."),
        tr("The {second} is crisper, from sharpening or from detail: look at 1:1."),
        tr("Similar fine texture."),
    ),
    Measure(
        "texture_kept_percent",
        tr("Texture kept, %"),
        _texture_share,
        0,
        lambda a: 12,
        tr("Faint texture of the {first} is lost in the {second}; below half it looks painted."),
        tr("Faint texture stands out more in the {second}."),
        tr("Faint texture is kept."),
    ),
    Measure(
        "coarse_l",
        tr("Coarse grain, σ L*"),
        lambda s: _coarse(s, (0,)),
        2,
        lambda a: max(0.1, 0.25 * a),
        tr("The {first} has more light and dark patches in even tones."),
        tr("The {second} has more light and dark patches in even tones."),
        tr("Equally even in lightness."),
    ),
    Measure(
        "blotch",
        tr("Colour blotches, σ"),
        lambda s: _coarse(s, (1, 2)),
        2,
        lambda a: max(0.1, 0.2 * a),
        tr("The {first} has larger colour blotches."),
        tr("The {second} has soft colour blotches."),
        tr("Equally even."),
    ),
    Measure(
        "dark_tint",
        tr("Tint of dark greys, OKLab × 1000"),
        lambda s: _tint(s, 6, 32),
        0,
        lambda a: 4,
        tr("Dark greys are cleaner in the {second}."),
        tr("Dark greys are tinted in the {second}."),
        tr("Dark greys are equally neutral."),
    ),
    Measure(
        "bright_tint",
        tr("Tint of bright greys, OKLab × 1000"),
        lambda s: _tint(s, 62, 97),
        0,
        lambda a: 4,
        tr("Bright greys are cleaner in the {second}."),
        tr("Bright greys are tinted in the {second}."),
        tr("Bright greys are equally neutral."),
    ),
    Measure(
        "fringes",
        tr("Colour along edges, a*b*"),
        _fringes,
        1,
        lambda a: max(0.6, 0.15 * a),
        tr("The {first} has more colour along edges."),
        tr("The {second} has more colour along edges."),
        tr("Edges are equally clean."),
    ),
    Measure(
        "edge_width_px",
        tr("Edge width, px"),
        lambda s: edge_width(s.edges),
        2,
        lambda a: 0.12 * max(a, 0.5),
        tr("Edges are narrower in the {second}."),
        tr("Edges are wider in the {second}."),
        tr("Edges are equally wide."),
    ),
    Measure(
        "edge_overshoot_percent",
        tr("Edge overshoot, %"),
        lambda s: 100 * edge_overshoot(s.edges),
        0,
        lambda a: 2,
        tr("The {first} has stronger halos."),
        tr("Halos along edges in the {second}."),
        tr("Similar halos."),
    ),
    Measure(
        "steps_l",
        tr("Steps in even tones, L*"),
        _steps,
        1,
        lambda a: max(0.5, 0.2 * a),
        tr("Even tones change in steps in the {first}."),
        tr("Even tones change in steps in the {second}."),
        tr("Even tones are equally smooth."),
    ),
    Measure(
        "small_lights",
        tr("Small lights in the dark"),
        _small_lights,
        0,
        lambda a: max(2.0, 0.1 * a),
        tr("Small lights have merged or vanished in the {second}."),
        tr("The {second} shows more small lights, or specks."),
        tr("Equally many small lights."),
    ),
    Measure(
        "mean_l",
        tr("Mean lightness, L*"),
        lambda s: float(s.lightness[s.valid].mean()),
        0,
        lambda a: 2,
        tr("The {second} is darker."),
        tr("The {second} is brighter."),
        tr("Equally bright."),
    ),
    Measure(
        "deepest_l",
        tr("Darkest 1 %, L*"),
        lambda s: float(np.percentile(s.lightness[s.valid][::7], 1)),
        1,
        lambda a: 1.0,
        tr("Black is deeper in the {second}."),
        tr("The {second} lifts black to grey."),
        tr("Black is equally deep."),
    ),
    Measure(
        "mean_chroma",
        tr("Mean chroma"),
        lambda s: float(np.hypot(s.lab[..., 1], s.lab[..., 2])[s.valid].mean()),
        0,
        lambda a: 2,
        tr("The {second} is more muted."),
        tr("The {second} is more colourful."),
        tr("Equally colourful."),
    ),
)
