"""Exposure and tone handles, from the light of the scene."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.raw_frame import RawMeta
from bruto.develop.pipeline import Developer
from bruto.develop.recipe_values import Handle, Tone
from bruto.develop.steps.tone import curve
from bruto.develop.suggest.detail import grey_noise
from bruto.develop.suggest.suggestion import Suggestion

MIDDLE_EV = -0.4
"""Where the mean of logarithms of an ordinary scene lies from middle grey, EV: its arithmetic mean is near 18 %."""


WHITE_SURFACE_EV = 2.2
"""A white surface (83 %) above middle grey (18 %), EV."""


HIGHLIGHTS_EV = 2.6
"""Where the brightest half percent may go in scenes without a light source in them, EV from grey."""


MOST_NOISE = 3.0
"""Standard deviation in L* at grey, at 1:1, up to which a scene is lifted."""


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
    factor = 4
    while max(developer.source.size) / factor > 1100:
        factor *= 2
    return np.log2(np.maximum(developer.luminance(factor), 2e-5) / 0.18)


BACKLIT = (2.8, 3.6)
"""Contrast, EV from the middle of the scene (its median: black cloth in front of a wall is no backlight) to the bright
surfaces, where a scene begins to be lit from behind, and where it is: there the middle of the picture is placed, not
its mean of dark and bright.
"""
BACKLIT_LIGHTNESS, DIMMER, LEAST_LIGHTNESS = 40.0, 6.0, 17.0
"""L* of the middle of a backlit picture; less for each EV of contrast beyond 3.9, as eyes that have the window in view
see the room dim; and the least. A dusk keeps ground that can be read, a room remains a room.
"""
NIGHT, NIGHT_DIMMER = 3.0, 2.5
"""Light value (EV at ISO 100) of the scene's middle below which it is night, and L* less for each EV below."""
NIGHT_EV, MOST_NIGHT_EV = 0.2, 1.5
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
    contrast = float(np.percentile(ev, 97) - np.percentile(ev, 50))
    return _smooth(contrast, BACKLIT), contrast


def _smooth(value: float, ends: tuple[float, float]) -> float:
    """From 0 to 1 between two ends."""
    share = float(np.clip((value - ends[0]) / (ends[1] - ends[0]), 0, 1))
    return share * share * (3 - 2 * share)


def light_value(meta: RawMeta, ev: NDArray[np.float32]) -> float | None:
    """Compute the EV at ISO 100 of the middle of the scene, from the exposure stated in the file.

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
        EV at ISO 100 of the middle of the scene, from the exposure stated in the file.
    """
    if not (meta.iso and meta.exposure_s and meta.f_number):
        return None
    camera = math.log2(meta.f_number**2 / meta.exposure_s * 100 / meta.iso)
    return camera + float(np.median(ev)) - meta.baseline_exposure


def night_dimmed(value: float | None) -> float:
    """Compute the EV by which a scene of a light value stays darker than by day: what is lifted to grey is no night.

    Parameters
    ----------
    value
        Value shown or changed.

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
        Contrast; 1 changes nothing.
    value
        Value shown or changed.

    Returns
    -------
    float
        L* at which the middle of a backlit or night picture should come to lie.

    Examples
    --------
    >>> [round(middle_lightness(contrast, value)) for contrast, value in ((3.9, 6.0), (6.9, 6.0), (3.9, 1.0))]
    [40, 22, 35]
    """
    dim = DIMMER * max(contrast - 3.9, 0.0)
    night = NIGHT_DIMMER * min(max(NIGHT - value, 0.0), 6.0) if value is not None else 0.0
    return max(BACKLIT_LIGHTNESS - dim - night, LEAST_LIGHTNESS)


def suggest_exposure(ev: NDArray[np.float32], most: float = 6.0, value: float | None = None) -> Suggestion:
    """Suggest the half way between bringing the mean of logarithms to grey.

    And bringing the bright surfaces to white, held by the highlights; in backlit scenes, what brings the middle
    of the picture to its lightness (.

    The mean alone greys down salt and snow, the white alone darkens scenes with a window in them.

    Parameters
    ----------
    ev
        Scene light, EV from grey.
    most
        Upper limit.
    value
        See `light_value`).

    Returns
    -------
    Suggestion
        Half way between bringing the mean of logarithms to grey and bringing the bright surfaces to white, held
        by the highlights.
    """
    middle = float(np.mean(np.clip(ev, -9, 4)))
    white = float(np.percentile(ev, 97))
    by_middle, by_white = MIDDLE_EV - middle, WHITE_SURFACE_EV - white
    gain = min(0.5 * by_middle + 0.5 * by_white, HIGHLIGHTS_EV - float(np.percentile(ev, 99.5)))
    night = night_dimmed(value)
    gain -= night
    share, contrast = backlit(ev)
    if share > 0:
        wanted = middle_lightness(contrast, value)
        places = np.linspace(-6.0, 2.0, 400)
        usual = curve(_tone(-7.0, DARK_SHARE * wanted + 1.0, 78.0, 5.0))
        placed, interior = np.interp([wanted, INTERIOR_LIGHTNESS], usual(places), places).tolist()
        placed -= float(np.median(ev))
        inside = ev[ev < white - 2]  # not the windows
        placed += _smooth(contrast, INTERIOR) * (interior - float(np.percentile(inside, 95)) - placed)
        gain += share * (placed - gain)
    limited = gain > most
    gain = float(np.clip(round(round(min(gain, most) / 0.05) * 0.05, 2), -3, 6))
    side = tr("below") if middle < 0 else tr("above")
    bright = f"{white:+.1f}".replace("-", "−")
    rest = tr("limited, since noise would show") if limited else tr("bright surfaces at {bright} EV", bright=bright)
    if share > 0.5 and not limited:
        rest = tr("{rest}: backlit", rest=rest)
    elif night and not limited:
        rest = tr("{rest}: {night:.1f} EV darker, since it is night", rest=rest, night=night)
    return Suggestion(
        "exposure",
        gain,
        tr("the middle of the scene is {middle:.1f} EV {side} grey, {rest}", middle=abs(middle), side=side, rest=rest),
        middle,
    )


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
        Value shown or changed.

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
    black_ev = float(np.clip(max(low - 0.6, floor - 0.5), -11.0, -4.6))
    white_ev = float(np.clip(high + 0.15, 2.45, 7.0))
    shadow_l = 13.0 + 13.0 * min(1.0, deep / 0.35)
    bright_l = 81.0 - 7.0 * min(1.0, far / 0.25)
    bright_ev = 1.6
    share, contrast = backlit(ev)
    beyond = light[light > float(np.percentile(light, 97)) - 2]
    window = share * _smooth(contrast, INTERIOR) * _smooth(float(np.median(beyond)), WINDOW)
    if window > 0:
        bright_ev += window * (min(float(np.median(beyond)), white_ev - 0.8) - bright_ev)
        bright_l += window * (WINDOW_LIGHTNESS - bright_l)
    if share > 0:
        wanted = middle_lightness(contrast, value) * np.array([DARK_SHARE, 1.0])
        choices = np.arange(9.0, 26.5, 0.5)
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
