"""Exposure and tone handles, from the light of the scene."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import decode_srgb, highest, lightness, space
from bruto.container.picture import decode_jpeg
from bruto.container.raw_frame import RawMeta
from bruto.develop.interpolation import MonotoneCurve
from bruto.develop.pipeline import Developer
from bruto.develop.recipe_values import Handle, Tone
from bruto.develop.steps.tone import curve
from bruto.develop.suggest.detail import grey_noise
from bruto.develop.suggest.suggestion import Suggestion, factor_looked_at
from bruto.errors import BrutoError

USUAL_EV = 0.5
"""Exposure gain that brings a rightly metered raw to its picture, EV: meters place grey at 12.7 % of saturation, which
is 18 % over the root of 2 (ISO 12232, standard output sensitivity).
"""
BRIGHT_EV, WHITE_EV, BRIGHT_SHARE = 2.1, 2.3, 0.2
"""EV from grey of the strongest channel of the brightest 3 % and 0.5 % in finished photographs (means of 57; standard
deviations 0.5 and 0.3), and the weight of the former.
"""
BEYOND_WHITE_EV = 0.5
"""EV by which lights that are brighter than white speak for less exposure at most."""
TRUSTED_EV = 0.55
"""EV from the metered exposure at which bright surfaces weigh as much as the meter does: it is seldom off by more."""
FULL = (2.15, 2.45)
"""EV from grey of the brightest 0.5 %, from which they begin to lie at the sensor's limit, and do: what is brighter may
have kept the meter from the rest.
"""


RENDERED_WEIGHT = 0.5
"""Of the phone's own rendering against the raw's light: it knows the scene, and evens it."""
LEAST_PREVIEW, BRIGHT_CODES = 64, (160.0, 235.0)
"""Short edge, pixels, of a rendering that tells an exposure; 8-bit code of the strongest channel of its brightest 0.5 %
from which it begins to be believed fully, and is.
"""
DARK_BELIEF = 0.5
"""How far a rendering without anything bright is believed: its shot may be underexposed, or meant to be dark."""
_TO_Y = space("srgb").to_xyz()[1]
DARK_AROUND_EV = 1.0
"""EV by which the mean of the picture lies below the subject, from which its background is called dark."""
SUBJECT_EDGE = 320
"""Long edge of the picture in which the subject is looked for, pixels: noise is averaged out of it."""
SUBJECT_MOST_EV = 1.9
"""Up to where the upper quartile of the subject's light may be lifted, EV from grey: above it petals and faces pale."""


MOST_NOISE = 10.0
"""Standard deviation in L* at grey up to which a scene is lifted, at 1:1 before noise reduction, which leaves a
quarter.
"""


def scene_ev(developer: Developer) -> NDArray[np.float32]:
    """Compute the scene EV (h, w) of a small picture of the frame, as-shot balance, before exposure.

    See the light strip.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    NDArray[np.float32]
        Scene EV (h, w) of a small picture of the frame, as-shot balance, before exposure.
    """
    return np.log2(np.maximum(developer.luminance(factor_looked_at(developer.source.size)), 2e-5) / 0.18)


BACKLIT = (2.8, 3.6)
"""Contrast, EV from the middle of the scene (its median: black cloth in front of a wall is no backlight) to the bright
surfaces, where a scene begins to be lit from behind, and where it is: there the middle of the picture is placed, not
its mean of dark and bright.
"""
BACKLIT_LIGHTNESS, DIMMER, LEAST_LIGHTNESS = 40.0, 6.0, 17.0
"""L* of the middle of a backlit picture; less for each EV of contrast beyond 3.9, as eyes that have the window in view
see the room dim; and the least. A dusk keeps ground that can be read, a room remains a room.
"""
NIGHT, NIGHT_DIMMER = 1.0, 3.5
"""Light value (EV at ISO 100) of the scene's mean below which it is night, and L* less for each EV below."""
NIGHT_EV, MOST_NIGHT_EV = 0.25, 1.5
"""EV less for each EV below `NIGHT`, and at most."""
DARK_SHARE = 0.5
"""L* of the darkest tenth over that of the middle in a backlit picture."""
INTERIOR, INTERIOR_LIGHTNESS = (4.7, 5.7), 50.0
"""Contrast from which it is a room with windows, and is; L* of what is brightest in such a room."""


WINDOW, WINDOW_LIGHTNESS = (2.6, 4.0), 79.0
"""EV of the middle of what is bright in a room, from which it is a view with tones of its own, and is; its L*."""


def backlit(ev: NDArray[np.float32]) -> tuple[float, float]:
    """Find how far a scene is lit from behind, 0..1, and its contrast: EV from its middle to the bright surfaces.

    Parameters
    ----------
    ev
        Scene light, EV from grey.

    Returns
    -------
    tuple[float, float]
        How far a scene is lit from behind, 0..1, and its contrast.
    """
    half, bright, white = (float(v) for v in np.percentile(ev, (50, 97, 99.5)))
    return _smooth(bright - half, BACKLIT) * _smooth(white, FULL), bright - half


def _smooth(value: float, ends: tuple[float, float]) -> float:
    """From 0 to 1 between two ends."""
    share = float(np.clip((value - ends[0]) / (ends[1] - ends[0]), 0, 1))
    return share * share * (3 - 2 * share)


def peak_ev(developer: Developer) -> NDArray[np.float32]:
    """Compute the light of the strongest channel (h, w), EV from grey, as in `scene_ev`.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    NDArray[np.float32]
        Light of the strongest channel (h, w), EV from grey.
    """
    strongest = highest(developer.level(factor_looked_at(developer.source.size)))
    return np.log2(np.maximum(strongest, 2e-5) / 0.18) + developer.source.meta.baseline_exposure


def rendered_gain(developer: Developer, ev: NDArray[np.float32]) -> tuple[float, float] | None:
    """Find the exposure at which the default tone is as light as the phone's own rendering inside the raw.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    ev
        Scene light (H, W), EV from grey.

    Returns
    -------
    tuple[float, float] | None
        Exposure, EV, and how far it is to be believed, 0..1. None without a rendering.
    """
    frame = developer.source.frame
    if frame is None or not frame.preview:
        return None
    try:
        picture = decode_jpeg(frame.preview, 256)
    except BrutoError:
        return None
    if picture.ndim != 3 or min(picture.shape[:2]) < LEAST_PREVIEW:
        return None
    light = lightness(decode_srgb(cv2.resize(picture, (64, 64), interpolation=cv2.INTER_AREA) / 255.0) @ _TO_Y)
    if float(light.std()) < 2.0:  # a plain one, as some programs write it
        return None
    gains, tone = np.linspace(-3.0, 5.0, 33), _usual_tone()
    found = [float(tone(np.clip(ev[::4, ::4] + g, *USUAL_RANGE)).mean()) for g in gains]
    bright = float(np.percentile(picture.max(axis=2), 99.5))
    belief = DARK_BELIEF + (1 - DARK_BELIEF) * _smooth(bright, BRIGHT_CODES)
    return float(np.interp(light.mean(), found, gains)), belief


def light_value(meta: RawMeta, ev: NDArray[np.float32]) -> float | None:
    """Compute the EV at ISO 100 of the mean light of the scene, from the exposure stated in the file.

    None where it tells none.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    ev
        Scene light, EV from grey.

    Returns
    -------
    float | None
        EV at ISO 100 of the mean light of the scene, from the exposure stated in the file.
    """
    if not (meta.iso and meta.exposure_s and meta.f_number):
        return None
    camera = math.log2(meta.f_number**2 / meta.exposure_s * 100 / meta.iso)
    return camera + math.log2(max(float(np.exp2(ev).mean()), 1e-6)) - meta.baseline_exposure


def night_dimmed(value: float | None) -> float:
    """Compute the EV by which a scene of a light value stays darker than by day: what is lifted to grey is no night.

    Parameters
    ----------
    value
        Light value of the scene's mean, EV at ISO 100; None where it is not known.

    Returns
    -------
    float
        EV by which a scene of a light value stays darker than by day.

    Examples
    --------
    >>> night_dimmed(8.0), round(night_dimmed(-5.0), 1)
    (0.0, 1.5)
    """
    return 0.0 if value is None else min(NIGHT_EV * max(NIGHT - value, 0.0), MOST_NIGHT_EV)


def middle_lightness(contrast: float, value: float | None) -> float:
    """Compute the L* at which the middle of a backlit or night picture should come to lie.

    Parameters
    ----------
    contrast
        From the middle of the scene to its bright surfaces, EV.
    value
        Light value of the scene's mean, EV at ISO 100; None where it is not known.

    Returns
    -------
    float
        L* at which the middle of a backlit or night picture should come to lie.

    Examples
    --------
    >>> [round(middle_lightness(contrast, value)) for contrast, value in ((3.9, 6.0), (6.9, 6.0), (3.9, -1.0))]
    [40, 22, 33]
    """
    dim = DIMMER * max(contrast - 3.9, 0.0)
    night = NIGHT_DIMMER * min(max(NIGHT - value, 0.0), 6.0) if value is not None else 0.0
    return max(BACKLIT_LIGHTNESS - dim - night, LEAST_LIGHTNESS)


def subject_ev(ev: NDArray[np.float32]) -> tuple[float, float]:
    """Estimate where the light of the subject lies: what has texture and is near the middle of the frame.

    Texture is what rises above its surround by up to half a stop, so that edges do not outweigh surfaces; empty and
    blurred backgrounds, dark or bright, count little.

    Parameters
    ----------
    ev
        Scene light (H, W), EV from grey.

    Returns
    -------
    tuple[float, float]
        Median and upper quartile of the subject's light, EV from grey.

    Examples
    --------
    >>> dark = np.full((60, 80), -4.0, np.float32)
    >>> dark[20:40, 28:52] = np.tile(np.float32([[0.8, 1.2], [1.2, 0.8]]), (10, 12))
    >>> round(subject_ev(dark)[0], 1)
    0.8
    """
    scale = min(SUBJECT_EDGE / max(ev.shape), 1.0)
    light = cv2.resize(np.exp2(ev), None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    h, w = light.shape
    log = np.log2(light + 0.02)  # noise in black is no texture
    texture = np.minimum(np.abs(log - cv2.GaussianBlur(log, (0, 0), 1.5)), 0.5)
    texture = cv2.GaussianBlur(texture, (0, 0), 6.0)
    y, x = np.mgrid[:h, :w]
    central = np.exp(-(((x - w / 2) / w) ** 2 + ((y - h / 2) / h) ** 2) / (2 * 0.25**2))
    weight = (central * (texture / max(float(texture.max()), 1e-6) + 0.05)).ravel()
    order = np.argsort(light, axis=None)
    sums = np.cumsum(weight[order])
    half, upper = (float(light.ravel()[order[np.searchsorted(sums, share * sums[-1])]]) for share in (0.5, 0.75))
    return math.log2(max(half, 2e-5)), math.log2(max(upper, 2e-5))


def suggest_exposure(
    ev: NDArray[np.float32], most: float = 6.0, value: float | None = None, stated: float = 0.0,
    peak: NDArray[np.float32] | None = None, rendered: tuple[float, float] | None = None,
) -> Suggestion:  # fmt: skip
    """Suggest the exposure: the meter's, changed by as much as the bright surfaces speak against it.

    A meter is rarely wrong by a stop, and the middle of a histogram does not know a flower before dark leaves from an
    underexposed one; finished photographs agree in where their bright surfaces lie. In scenes that are lit from
    behind, in which the sensor's limit kept the meter from the rest, the middle is placed.

    Parameters
    ----------
    ev
        Scene light (H, W), EV from grey.
    most
        Upper limit, EV.
    value
        See `light_value`.
    stated
        Baseline exposure that the file states, EV; it is in `ev` already.
    peak
        Light of the strongest channel, EV from grey: petals are full in one channel long before they are bright.
        None: that of `ev`.
    rendered
        See `rendered_gain`.

    Returns
    -------
    Suggestion
        Exposure, EV.
    """
    middle, (subject, upper) = float(np.mean(np.clip(ev, -9, 4))), subject_ev(ev)
    bright, white = (float(v) for v in np.percentile(ev, (97, 99.5)))
    usual = USUAL_EV - min(max(stated, 0.0), USUAL_EV)
    strong, strongest = (bright, white) if peak is None else (float(v) for v in np.percentile(peak, (97, 99.5)))
    off = BRIGHT_SHARE * (BRIGHT_EV - strong) + (1 - BRIGHT_SHARE) * (WHITE_EV - strongest) - usual
    off = max(off, -BEYOND_WHITE_EV)
    gain = usual + off**3 / (off**2 + TRUSTED_EV**2)
    gain = max(min(gain, SUBJECT_MOST_EV - upper), min(gain, 0.0))
    night = night_dimmed(value)
    gain -= night
    if rendered is not None:
        change = RENDERED_WEIGHT * rendered[1] * float(np.clip(rendered[0] - gain, -1.0, 1.0))
        gain += min(change, 0.0) if night else change  # nights are rendered as days: what is darker still is meant so
    share, contrast = backlit(ev)
    if share > 0:
        wanted = middle_lightness(contrast, value)
        places = np.linspace(-6.0, 2.0, 400)
        ordinary = curve(_tone(-7.0, DARK_SHARE * wanted + 1.0, 78.0, 5.0))
        placed, interior = np.interp([wanted, INTERIOR_LIGHTNESS], ordinary(places), places).tolist()
        placed -= float(np.median(ev))
        inside = ev[ev < bright - 2]  # not the windows
        placed += _smooth(contrast, INTERIOR) * (interior - float(np.percentile(inside, 95)) - placed)
        gain += share * (placed - gain)
    limited = gain > most
    gain = float(np.clip(round(round(min(gain, most) / 0.05) * 0.05, 2), -3, 6))
    placed_l = float(_usual_tone()(np.clip(subject + gain, *USUAL_RANGE)))
    bright_text = f"{bright:+.1f}".replace("-", "−")
    if limited:
        rest = tr("limited, since noise would show")
    elif share > 0.5:
        rest = tr("backlit: bright surfaces at {bright} EV", bright=bright_text)
    elif night:
        rest = tr("{night:.1f} EV darker, since it is night", night=night)
    elif abs(gain - usual) < 0.25:
        rest = tr("near the exposure that was metered")
    else:
        rest = tr("bright surfaces at {bright} EV", bright=bright_text)
    if middle < subject - DARK_AROUND_EV and share <= 0.5:
        rest = tr("{rest}; the dark background is left dark", rest=rest)
    text = tr("the subject comes to about L* {subject:.0f}, {rest}", subject=placed_l, rest=rest)
    return Suggestion("exposure", gain, text, middle)


def noise_limit(developer: Developer) -> float:
    """Compute the exposure gain, EV, at which noise at middle grey reaches `MOST_NOISE`.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    float
        The exposure gain, EV, at which noise at middle grey reaches `MOST_NOISE`.
    """
    low, high = -3.0, 8.0
    for _ in range(24):
        middle = (low + high) / 2
        low, high = (middle, high) if grey_noise(developer, middle) < MOST_NOISE else (low, middle)
    return max(low, 1.0)


def _tone(black_ev: float, shadow_l: float, bright_l: float, white_ev: float, bright_ev: float = 1.6) -> Tone:
    """Return the handles that suggestions move, the others where they stand."""
    return Tone(
        black=Handle(ev=round(black_ev, 1), lightness=1.0),
        shadow=Handle(ev=-3.0, lightness=round(shadow_l, 1)),
        grey=Handle(ev=0.0, lightness=51.5),
        bright=Handle(ev=round(bright_ev, 1), lightness=round(bright_l, 1)),
        white=Handle(ev=round(white_ev, 1), lightness=99.0),
    )


LEAST_BLACK_EV = -7.0
"""Highest EV of the black handle: nearer to the shadows, their noise would be torn into black and grey spots."""
SHADOW_LIGHTNESS, MOST_SHADOW_LIGHTNESS = 14.5, 20.0
"""L* three stops below grey, and to where it is lifted at most: more than 10 L* per EV would show noise."""


USUAL_RANGE = (-10.9, 4.5)
"""EV from grey that the curve of an ordinary scene covers."""


def _usual_tone() -> MonotoneCurve:
    """Return the curve of a scene that is not lit from behind."""
    return curve(_tone(LEAST_BLACK_EV, SHADOW_LIGHTNESS, 80.0, 2.6))


def suggest_tone(
    developer: Developer, ev: NDArray[np.float32], exposure: float, value: float | None = None
) -> Suggestion:
    """Suggest the handles on the evidence.

    Black and white where the light ends, bright bent by how much light lies beyond it, shadow by how much is
    deep, or in backlit scenes so that the darkest tenth comes to its lightness.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    ev
        Scene light, EV from grey.
    exposure
        Exposure in force, EV.
    value
        Light value of the scene's mean, EV at ISO 100; None where it is not known.

    Returns
    -------
    Suggestion
        Handles on the evidence.
    """
    light = ev + exposure
    a, b = developer.noise[1]
    floor = math.log2(math.sqrt(b + a * 1e-4) / 0.18) + exposure + developer.source.meta.baseline_exposure
    low, high = float(np.percentile(light, 0.3)), float(np.percentile(light, 99.7))
    deep = float((light < -3.5).mean())
    far = float((light > 2.0).mean())
    black_ev = float(np.clip(max(low - 0.6, floor - 0.5), -11.0, LEAST_BLACK_EV))
    white_ev = float(np.clip(high + 0.15, 2.45, 7.0))
    shadow_l = SHADOW_LIGHTNESS
    bright_l = 80.0 - 6.0 * min(1.0, far / 0.25)
    bright_ev = 1.6
    share, contrast = backlit(ev)
    beyond = light[light > float(np.percentile(light, 97)) - 2]
    window = share * _smooth(contrast, INTERIOR) * _smooth(float(np.median(beyond)), WINDOW)
    if window > 0:
        bright_ev += window * (min(float(np.median(beyond)), white_ev - 0.8) - bright_ev)
        bright_l += window * (WINDOW_LIGHTNESS - bright_l)
    if share > 0:
        wanted = middle_lightness(contrast, value) * np.array([DARK_SHARE, 1.0])
        choices = np.arange(9.0, MOST_SHADOW_LIGHTNESS + 0.5, 0.5)
        found = [
            curve(_tone(black_ev, l, bright_l, white_ev, bright_ev))(np.percentile(light, [10, 50])) for l in choices
        ]
        off = ((np.array(found) - wanted) ** 2).sum(axis=1)
        shadow_l += share * (float(choices[np.argmin(off)]) - shadow_l)
    evidence = tr(
        "light from {low:+.1f} to {high:+.1f} EV; {deep:.0f} % in deep shadow, {far:.0f} % above bright",
        low=low,
        high=high,
        deep=deep * 100,
        far=far * 100,
    )
    return Suggestion("tone", _tone(black_ev, shadow_l, bright_l, white_ev, bright_ev), evidence, deep)
