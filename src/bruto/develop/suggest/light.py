"""Exposure and tone handles, from the light of the scene."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from bruto.develop.pipeline import Developer
from bruto.develop.suggest.detail import grey_noise
from bruto.develop.suggest.suggestion import Suggestion
from bruto.develop.values import Handle, Tone

MIDDLE_EV = -0.4
"""Where the mean of logarithms of an ordinary scene lies from middle grey, EV: its arithmetic mean is near 18 %."""


WHITE_SURFACE_EV = 2.2
"""A white surface (83 %) above middle grey (18 %), EV."""


HIGHLIGHTS_EV = 2.6
"""Where the brightest half percent may go in scenes without a light source in them, EV from grey."""


MOST_NOISE = 3.0
"""Standard deviation in L* at grey, at 1:1, up to which a scene is lifted."""


def scene_ev(developer: Developer) -> NDArray[np.float32]:
    """Scene EV (h, w) of a small picture of the frame, as-shot balance, before exposure; see the light strip."""
    factor = 4
    while max(developer.source.size) / factor > 1100:
        factor *= 2
    return np.log2(np.maximum(developer.luminance(factor), 2e-5) / 0.18)


def suggest_exposure(ev: NDArray[np.float32], most: float = 6.0) -> Suggestion:
    """Half way between bringing the mean of logarithms to grey and bringing the bright surfaces to white, held by the
    highlights.

    The mean alone greys down salt and snow, the white alone darkens scenes with a window in them.
    """
    middle = float(np.mean(np.clip(ev, -9, 4)))
    white = float(np.percentile(ev, 97))
    by_middle, by_white = MIDDLE_EV - middle, WHITE_SURFACE_EV - white
    gain = 0.5 * by_middle + 0.5 * by_white
    contrast = white - middle
    if contrast > 4.5:  # a window or lamp in a dark room: follow the room, the tone curve holds the window
        gain = by_middle - 1.2 if by_white < by_middle - 2 else gain
    else:
        gain = min(gain, HIGHLIGHTS_EV - float(np.percentile(ev, 99.5)))
    held = gain > most
    gain = float(np.clip(round(round(min(gain, most) / 0.05) * 0.05, 2), -3, 6))
    side = "under" if middle < 0 else "over"
    bright = f"{white:+.1f}".replace("-", "−")
    rest = "held back: noise would show" if held else f"bright surfaces at {bright} EV"
    return Suggestion("exposure", gain, f"middle of the scene lies {abs(middle):.1f} EV {side} grey, {rest}", middle)


def noise_limit(developer: Developer) -> float:
    """The exposure gain, EV, at which noise at middle grey reaches `MOST_NOISE`."""
    low, high = -3.0, 8.0
    for _ in range(24):
        middle = (low + high) / 2
        low, high = (middle, high) if grey_noise(developer, middle) < MOST_NOISE else (low, middle)
    return max(low, 1.0)


def suggest_tone(developer: Developer, ev: NDArray[np.float32], exposure: float) -> Suggestion:
    """Handles on the evidence: black and white where the light ends, shadow and bright bent by how much light lies
    beyond them.
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
    tone = Tone(
        black=Handle(ev=round(black_ev, 1), lightness=1.0),
        shadow=Handle(ev=-3.0, lightness=round(shadow_l, 1)),
        grey=Handle(ev=0.0, lightness=51.5),
        bright=Handle(ev=1.6, lightness=round(bright_l, 1)),
        white=Handle(ev=round(white_ev, 1), lightness=99.0),
    )
    evidence = (
        f"light from {low:+.1f} to {high:+.1f} EV; {deep * 100:.0f} % deep in shadow, {far * 100:.0f} % above bright"
    )
    return Suggestion(
        "tone",
        tone,
        evidence.replace("-", "−"),
        deep,
    )
