"""What two renderings of one scene have lost and kept, in numbers with a sentence each."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment, register
from bruto.color.difference import delta_e00
from bruto.color.spaces import picture_to_lab
from bruto.errors import BrutoError

HIGH, LOW = 99.0, 2.0
"""L* beyond which a place counts as lost in highlights or shadows."""
COMPARE_EDGE = 2016


@dataclass(frozen=True)
class Side:
    """Measures of one picture: shares in percent, noise and texture in L*, overshoot as a share of the step."""

    lost_highlights_percent: float
    lost_shadows_percent: float
    noise_l: float
    colour_noise: float
    texture_l: float
    edge_overshoot_percent: float
    mean_l: float
    mean_chroma: float


@dataclass(frozen=True)
class Comparison:
    """Two sides, their alignment and difference; `first`, `second` (H, W, 3) uint8 lie on one grid, `valid` (H, W)
    where both exist.
    """

    alignment: Alignment
    a: Side
    b: Side
    delta_e00_median: float
    delta_e00_p95: float
    delta_l_mean: float
    first: NDArray[np.uint8]
    second: NDArray[np.uint8]
    valid: NDArray[np.bool_]
    map: NDArray[np.float32]


def _flat_mask(lab: NDArray[np.float32], valid: NDArray) -> NDArray[np.bool_]:
    """The flattest tenth of the mid-toned 8 x 8 neighbourhoods common to both pictures."""
    l = lab[..., 0]
    smooth = cv2.GaussianBlur(l, (0, 0), 4)
    change = np.hypot(cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1))
    usable = valid & (l > 12) & (l < 92)
    if usable.sum() < 500:
        usable = valid
    return usable & (change <= np.quantile(change[usable][::7], 0.10))


def _side(lab: NDArray[np.float32], valid: NDArray, flat: NDArray, busy: NDArray) -> Side:
    l = lab[..., 0]
    fine = l - cv2.GaussianBlur(l, (0, 0), 2.0)
    sigma = 1.4826 * float(np.median(np.abs(fine[flat] - np.median(fine[flat])))) if flat.any() else 0.0
    colour = [lab[..., k] - cv2.GaussianBlur(np.ascontiguousarray(lab[..., k]), (0, 0), 3.0) for k in (1, 2)]
    chroma_sigma = 1.4826 * float(np.median(np.hypot(colour[0], colour[1])[flat])) if flat.any() else 0.0
    texture = float(np.sqrt(max(np.mean(fine[busy] ** 2) - sigma**2, 0.0))) if busy.any() else 0.0
    return Side(
        100 * float((l[valid] >= HIGH).mean()),
        100 * float((l[valid] <= LOW).mean()),
        sigma,
        chroma_sigma,
        texture,
        100 * edge_overshoot(l, valid),
        float(l[valid].mean()),
        float(np.hypot(lab[..., 1], lab[..., 2])[valid].mean()),
    )


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


def compare(first: NDArray[np.uint8], second: NDArray[np.uint8], model: str = "lens") -> Comparison:
    """Compare two oriented sRGB pictures (H, W, 3) of one scene, of any sizes, at equal output size.

    Both are reduced to `COMPARE_EDGE`; the second is brought onto the first. Raises `BrutoError` where they cannot be
    aligned.
    """
    a, b = _reduced(first), _reduced(second)
    greys = [cv2.cvtColor(x, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255 for x in (a, b)]
    alignment = register(greys[0] ** 2, greys[1] ** 2, model)
    mx, my = alignment.maps()
    moved = cv2.remap(b, mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    valid = (mx >= 0) & (my >= 0) & (mx <= b.shape[1] - 1) & (my <= b.shape[0] - 1)
    if valid.mean() < 0.1:
        raise BrutoError("The two pictures share too little of the scene to be compared.")
    lab_a, lab_b = (picture_to_lab(x).astype(np.float32) for x in (a, moved))
    flat = _flat_mask(lab_a, valid) & _flat_mask(lab_b, valid)
    if flat.sum() < 200:
        flat = _flat_mask(lab_a, valid)
    busy = valid & ~cv2.dilate(flat.astype(np.uint8), np.ones((9, 9))).astype(bool)
    difference = delta_e00(lab_a, lab_b).astype(np.float32)
    blurred = delta_e00(*(cv2.GaussianBlur(x, (0, 0), 2.0) for x in (lab_a, lab_b)))  # colour, not grain
    # the residual is stated in pixels of the first picture as given
    scale = max(first.shape) / max(a.shape)
    alignment = replace(alignment, residual_px=alignment.residual_px * scale, model_px=alignment.model_px * scale)
    return Comparison(
        alignment,
        _side(lab_a, valid, flat, busy),
        _side(lab_b, valid, flat, busy),
        float(np.median(blurred[valid])),
        float(np.percentile(blurred[valid], 95)),
        float((lab_b[..., 0] - lab_a[..., 0])[valid].mean()),
        a,
        moved,
        valid,
        difference,
    )


def _reduced(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    scale = COMPARE_EDGE / max(picture.shape)
    return (
        cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        if scale < 1
        else np.ascontiguousarray(picture)
    )


def sentences(c: Comparison, first: str = "raw", second: str = "phone's picture") -> list[tuple[str, str, str, str]]:
    """Rows for a table: name with unit, value of each side, a plain sentence."""

    def judge(x: float, y: float, tolerance: float, less: str, more: str, same: str) -> str:
        return same if abs(x - y) <= tolerance else (more if y > x else less)

    a, b = c.a, c.b
    return [
        (
            "Lost highlights, %",
            f"{a.lost_highlights_percent:.1f}",
            f"{b.lost_highlights_percent:.1f}",
            judge(
                a.lost_highlights_percent,
                b.lost_highlights_percent,
                0.1,
                f"The {second} holds more bright detail.",
                f"The {first} holds more bright detail.",
                "Both hold the same.",
            ),
        ),
        (
            "Lost shadows, %",
            f"{a.lost_shadows_percent:.1f}",
            f"{b.lost_shadows_percent:.1f}",
            judge(
                a.lost_shadows_percent,
                b.lost_shadows_percent,
                0.1,
                f"The {second} is more open in the dark.",
                f"The {second} sinks into black.",
                "Both hold the same.",
            ),
        ),
        (
            "Grain, σ L*",
            f"{a.noise_l:.2f}",
            f"{b.noise_l:.2f}",
            judge(
                a.noise_l,
                b.noise_l,
                0.08,
                f"The {first} shows more grain.",
                f"The {second} shows more grain.",
                "Equally fine.",
            ),
        ),
        (
            "Colour grain, σ",
            f"{a.colour_noise:.2f}",
            f"{b.colour_noise:.2f}",
            judge(
                a.colour_noise,
                b.colour_noise,
                0.15,
                f"The {first} has more coloured specks.",
                f"The {second} has more coloured specks.",
                "Equally clean.",
            ),
        ),
        (
            "Texture under 4 px, L*",
            f"{a.texture_l:.2f}",
            f"{b.texture_l:.2f}",
            judge(
                a.texture_l,
                b.texture_l,
                0.15 * max(a.texture_l, 0.1),
                f"Fine texture is smeared in the {second}.",
                f"The {second} is crisper, by sharpening or by detail: look at 1:1.",
                "Alike in fine texture.",
            ),
        ),
        (
            "Edge overshoot, %",
            f"{a.edge_overshoot_percent:.0f}",
            f"{b.edge_overshoot_percent:.0f}",
            judge(
                a.edge_overshoot_percent,
                b.edge_overshoot_percent,
                2,
                f"The {first} has stronger halos.",
                f"Halos along edges in the {second}.",
                "Edges are alike.",
            ),
        ),
        (
            "Mean lightness, L*",
            f"{a.mean_l:.0f}",
            f"{b.mean_l:.0f}",
            judge(a.mean_l, b.mean_l, 2, f"The {second} is darker.", f"The {second} is brighter.", "Equally bright."),
        ),
        (
            "Mean chroma",
            f"{a.mean_chroma:.0f}",
            f"{b.mean_chroma:.0f}",
            judge(
                a.mean_chroma,
                b.mean_chroma,
                2,
                f"The {second} is more muted.",
                f"The {second} is more colourful.",
                "Equally colourful.",
            ),
        ),
        (
            "Colour difference, ΔE00",
            f"{c.delta_e00_median:.1f}",
            f"{c.delta_e00_p95:.1f}",
            "Half of all places differ by less than the first number, 95 % by less than the second.",
        ),
    ]
