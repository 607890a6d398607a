"""Noise reduction and sharpness, from the noise and the edges that were measured."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import lightness
from bruto.develop.pipeline import Developer
from bruto.develop.rectangle import Rectangle
from bruto.develop.suggest.suggestion import Suggestion
from bruto.sensor.blur import edge_blur

VISIBLE_NOISE = 1.0
"""Standard deviation in L* from which noise is seen at 1:1 on a screen at arm's length."""


STRENGTH = 0.65
"""Of brightness noise reduction where noise is seen, times the noise measured. Errors are least at 0.8 (on 8
photographs at ISO 100 to 6400; at ISO 50 and 200 at 0.5 to 1 on each of 57, whatever their detail), but at 0.65
photographs keep 0.8 of their detail of 1 to 2 px and 0.92 of that of 2 to 4 px at ISO 1600, 0.51 and 0.73 at ISO 6400
(0.70 and 0.87 at ISO 1600 at 0.8), and what is left in even places is a fine grain.
"""


DARKEST = -4.0
"""EV from grey of the darkest middle of a picture whose noise counts."""


NOISE_FROM = {
    "file": tr("from the file"),
    "picture": tr("measured in the picture"),
    "learnt": tr("learnt from other shots at this ISO"),
}
LENS_BLUR = 1.2
"""Standard deviation of the blur of a phone's lens at most, pixels: undoing more deconvolves shake, and shows grain."""
MIDDLE_OF_FRAME = 1536, 1152
"""Width and height of the part whose edges are measured, pixels."""
UNMEASURED = 0.4
"""Share of a usual blur that is removed where none could be measured."""


def grey_noise(developer: Developer, exposure: float, stops: float = 0.0) -> float:
    """Compute the standard deviation in L* that brightness noise has at middle grey after an exposure gain, at 1:1.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    exposure
        Exposure in force, EV.
    stops
        Or at so many EV from grey.

    Returns
    -------
    float
        Standard deviation in L* that brightness noise has at middle grey after an exposure gain, at 1:1.
    """
    a, b = developer.noise[1]
    light = 0.18 * 2.0**stops
    x = light / 2.0 ** (exposure + developer.source.meta.baseline_exposure)
    sigma = math.sqrt(a * x + b) / x * light
    return float((lightness(light + sigma) - lightness(max(light - sigma, 0.0))) / 2)


def suggest_noise(developer: Developer, exposure: float, middle: float = 0.0) -> tuple[Suggestion, Suggestion]:
    """Suggest as much noise reduction as goes without texture where noise would be seen, less where it would not.

    Colour noise nearly all.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    exposure
        Exposure in force, EV.
    middle
        EV of the scene's middle from grey, before exposure; where that is dark, its noise counts.

    Returns
    -------
    tuple[Suggestion, Suggestion]
        As much as goes without texture where it would be seen, less where it would not.
    """
    stops = float(np.clip(middle + exposure, DARKEST, 0.0))
    sigma = grey_noise(developer, exposure, stops)
    share = sigma / (sigma + 0.1 * VISIBLE_NOISE)
    brightness = round(share * STRENGTH, 2)
    color = round(0.75 + 0.25 * share, 2)
    where = NOISE_FROM[developer.source.noise_from]
    place = tr("at mid-grey") if stops > -0.5 else tr("in its dark middle")
    text = tr("σ {sigma:.1f} L* {place} after exposure, {where}", sigma=sigma, place=place, where=where)
    if sigma > 1.5 * VISIBLE_NOISE:  # it must be taken
        text = tr("{text}; fine grain and texture remain", text=text)
    if developer.is_cut:
        text = tr("{text}; the phone stored none below black: the mean of dark places is put right", text=text)
    return (
        Suggestion("luminance_noise", brightness, text, sigma),
        Suggestion("chroma_noise", color, tr("colour has no detail this fine; nearly all of it is removed"), sigma),
    )


def suggest_sharpness(developer: Developer, exposure: float) -> tuple[Suggestion, Suggestion]:
    """Suggest the amount and the radius of sharpening, from the blur of the edges in the middle of the frame.

    The amount is less where noise would be raised.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    exposure
        Exposure in force, EV.

    Returns
    -------
    tuple[Suggestion, Suggestion]
        Amount and radius.
    """
    w, h = developer.source.size
    side_w, side_h = min(w, MIDDLE_OF_FRAME[0]), min(h, MIDDLE_OF_FRAME[1])
    rect = Rectangle((w - side_w) // 2, (h - side_h) // 2, side_w, side_h)
    rgb, dx, dy = developer.piece(rect)
    green = np.ascontiguousarray(rgb[dy : dy + side_h, dx : dx + side_w, 1])
    blur = edge_blur(green, math.sqrt(developer.noise[1, 0]) / 2)
    sigma = grey_noise(developer, exposure)
    amount = float(np.clip(round(1.0 - 0.16 * sigma, 2), 0.25, 1.0))
    if blur is None:
        return (
            Suggestion("sharpness", min(UNMEASURED, amount), tr("no clear edges to measure; a little is safe"), 0.0),
            Suggestion("sharpness_radius", 0.7, tr("no clear edges to measure; typical lens blur"), 0.7),
        )
    over = overshoot(green)
    if over > 0.10:
        return (
            Suggestion(
                "sharpness",
                -0.3,
                tr("edges overshoot by {over:.0f} %: already over-sharpened, so softened a little", over=over * 100),
                over,
            ),
            Suggestion("sharpness_radius", 1.0, tr("softened at the scale of the halo"), blur),
        )
    radius = float(np.clip(round(blur, 2), 0.35, LENS_BLUR))
    text = tr("edges measure {blur:.2f} px blur (σ)", blur=blur)
    if blur > LENS_BLUR:
        text = tr("{text}: more than a lens makes; shake and focus are not undone, as grain would be", text=text)
    return (
        Suggestion(
            "sharpness",
            amount,
            tr(
                "σ {sigma:.1f} L* of noise at mid-grey allows {amount:.2f} of the blur to be removed",
                sigma=sigma,
                amount=amount,
            ),
            sigma,
        ),
        Suggestion("sharpness_radius", radius, text, blur),
    )


def overshoot(plane: NDArray[np.float32]) -> float:
    """Compute the overshoot of strong isolated edges as a share of the step (0 for a clean lens).

    Beside an edge's peak gradient the profile is followed 6 pixels to both sides; the excess of the edges' mean
    profile over the plateau beyond is taken. (The mean of each edge's own excess would be the noise's.).

    Parameters
    ----------
    plane
        One colour plane (H, W).

    Returns
    -------
    float
        Overshoot of strong isolated edges as a share of the step (0 for a clean lens).
    """
    root = np.sqrt(np.maximum(plane, 0))
    gx = cv2.Sobel(root, cv2.CV_32F, 1, 0, scale=1 / 8)
    strength = np.abs(gx)
    peak = (
        (strength >= np.roll(strength, 1, 1))
        & (strength >= np.roll(strength, -1, 1))
        & (strength > np.percentile(strength[::3, ::3], 98))
    )
    ys, xs = np.nonzero(peak[:, 12:-12])
    if len(ys) < 80:
        return 0.0
    pick = np.random.default_rng(0).choice(len(ys), min(4000, len(ys)), replace=False)
    ys, xs = ys[pick], xs[pick] + 12
    profile = root[ys[:, None], xs[:, None] + np.arange(-10, 11)[None]] * np.sign(gx[ys, xs])[:, None]
    high, low = profile[:, 17:].mean(axis=1), profile[:, :4].mean(axis=1)
    step = high - low
    flat = (profile[:, 17:].std(axis=1) < 0.08 * step) & (profile[:, :4].std(axis=1) < 0.08 * step) & (step > 0.03)
    if flat.sum() < 40:
        return 0.0
    whole = (profile[flat] - low[flat, None]) / step[flat, None]
    middle = np.sort(whole, axis=0)[len(whole) // 4 : -(len(whole) // 4)].mean(axis=0)
    return float(max(0.0, middle[11:17].max() - 1))
