"""What is measured of each of two pictures of one scene: one list, read by the table, the JSON and the report."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

HIGH, LOW = 99.0, 2.0
"""L* beyond which a place counts as lost in highlights or shadows."""


@dataclass(frozen=True)
class Seen:
    """One picture on the compared grid: CIE `lab` (H, W, 3), where both pictures are `valid`, and the places that are
    `flat` and `busy` in both.
    """

    lab: NDArray[np.float32]
    valid: NDArray[np.bool_]
    flat: NDArray[np.bool_]
    busy: NDArray[np.bool_]

    @property
    def lightness(self) -> NDArray[np.float32]:
        """Lightness."""
        return self.lab[..., 0]

    @cached_property
    def fine(self) -> NDArray[np.float32]:
        """Lightness finer than about 4 px."""
        return self.lightness - cv2.GaussianBlur(self.lightness, (0, 0), 2.0)

    @cached_property
    def grain(self) -> float:
        """Standard deviation of fine lightness in flat places."""
        fine = self.fine[self.flat]
        return 1.4826 * float(np.median(np.abs(fine - np.median(fine)))) if self.flat.any() else 0.0


@dataclass(frozen=True)
class Measure:
    """`key`: in JSON; `title` with its unit; `of`: the number of one picture; `digits` behind the point; `tolerance`
    up to which two numbers are alike, by the first one; sentences for where the second number is lower, higher or the
    same, with `{first}` and `{second}` for the pictures.
    """

    key: str
    title: str
    of: Callable[[Seen], float]
    digits: int
    tolerance: Callable[[float], float]
    lower: str
    higher: str
    same: str

    def sentence(self, a: float, b: float, first: str, second: str) -> str:
        """What two numbers say, plainly."""
        alike = abs(a - b) <= self.tolerance(a)
        return (self.same if alike else self.higher if b > a else self.lower).format(first=first, second=second)


def _colour_grain(s: Seen) -> float:
    if not s.flat.any():
        return 0.0
    a, b = (s.lab[..., k] - cv2.GaussianBlur(np.ascontiguousarray(s.lab[..., k]), (0, 0), 3.0) for k in (1, 2))
    chroma: NDArray[np.float32] = np.hypot(a, b)
    return 1.4826 * float(np.median(chroma[s.flat]))


def _texture(s: Seen) -> float:
    return max(float(np.mean(s.fine[s.busy] ** 2)) - s.grain**2, 0.0) ** 0.5 if s.busy.any() else 0.0


def edge_overshoot(l: NDArray[np.float32], valid: NDArray) -> float:
    """Median overshoot beside strong isolated edges, as a share of the step, in L*."""
    gx = cv2.Sobel(l, cv2.CV_32F, 1, 0, scale=1 / 8)
    strong = np.abs(gx)
    peak = (
        valid
        & (strong >= np.roll(strong, 1, 1))
        & (strong >= np.roll(strong, -1, 1))
        & (strong > max(3.0, float(np.percentile(strong[::3, ::3], 98))))
    )
    ys, xs = np.nonzero(peak[:, 14:-14])
    if len(ys) < 40:
        return 0.0
    pick = np.random.default_rng(0).choice(len(ys), min(6000, len(ys)), replace=False)
    ys, xs = ys[pick], xs[pick] + 14
    profile = l[ys[:, None], xs[:, None] + np.arange(-12, 13)[None]] * np.sign(gx[ys, xs])[:, None]
    high, low = profile[:, 20:].mean(axis=1), profile[:, :5].mean(axis=1)
    step = high - low
    flat = (profile[:, 20:].std(axis=1) < 0.1 * step) & (profile[:, :5].std(axis=1) < 0.1 * step) & (step > 8)
    if flat.sum() < 20:
        return 0.0
    over = (profile[flat][:, 13:20].max(axis=1) - high[flat]) / step[flat]
    under = (low[flat] - profile[flat][:, 5:12].min(axis=1)) / step[flat]
    return float(max(0.0, np.median((over + under) / 2)))


MEASURES: tuple[Measure, ...] = (
    Measure(
        "lost_highlights_percent", "Lost highlights, %", lambda s: 100 * float((s.lightness[s.valid] >= HIGH).mean()),
        1, lambda a: 0.1, "The {second} holds more bright detail.", "The {first} holds more bright detail.",
        "Both hold the same.",
    ),
    Measure(
        "lost_shadows_percent", "Lost shadows, %", lambda s: 100 * float((s.lightness[s.valid] <= LOW).mean()), 1,
        lambda a: 0.1, "The {second} is more open in the dark.", "The {second} sinks into black.",
        "Both hold the same.",
    ),
    Measure(
        "noise_l", "Grain, σ L*", lambda s: s.grain, 2, lambda a: 0.08, "The {first} shows more grain.",
        "The {second} shows more grain.", "Equally fine.",
    ),
    Measure(
        "colour_noise", "Colour grain, σ", _colour_grain, 2, lambda a: 0.15, "The {first} has more coloured specks.",
        "The {second} has more coloured specks.", "Equally clean.",
    ),
    Measure(
        "texture_l", "Texture under 4 px, L*", _texture, 2, lambda a: 0.15 * max(a, 0.1),
        "Fine texture is smeared in the {second}.",
        "The {second} is crisper, by sharpening or by detail: look at 1:1.", "Alike in fine texture.",
    ),
    Measure(
        "edge_overshoot_percent", "Edge overshoot, %", lambda s: 100 * edge_overshoot(s.lightness, s.valid), 0,
        lambda a: 2, "The {first} has stronger halos.", "Halos along edges in the {second}.", "Edges are alike.",
    ),
    Measure(
        "mean_l", "Mean lightness, L*", lambda s: float(s.lightness[s.valid].mean()), 0,
        lambda a: 2, "The {second} is darker.", "The {second} is brighter.", "Equally bright.",
    ),
    Measure(
        "deepest_l", "Darkest hundredth, L*", lambda s: float(np.percentile(s.lightness[s.valid][::7], 1)), 1,
        lambda a: 1.0, "Black is deeper in the {second}.", "The {second} lifts black to grey.",
        "Black is as deep in both.",
    ),
    Measure(
        "mean_chroma", "Mean chroma", lambda s: float(np.hypot(s.lab[..., 1], s.lab[..., 2])[s.valid].mean()), 0,
        lambda a: 2, "The {second} is more muted.", "The {second} is more colourful.", "Equally colourful.",
    ),
)  # fmt: skip
