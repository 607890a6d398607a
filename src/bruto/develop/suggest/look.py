"""Haze, the profile's own look, edge light and grain."""

from __future__ import annotations

import math

import numpy as np

from bruto.catalog import tr
from bruto.develop.analysis.airlight import RISES, airlight_of
from bruto.develop.pipeline import Developer
from bruto.develop.steps.haze import AIRLIGHT
from bruto.develop.suggest.detail import grey_noise
from bruto.develop.suggest.suggestion import Suggestion

CLEAR_AIR = 0.08
"""Share of airlight that the darkest of textured places seem to have in clear air."""
MORE_HAZE, MOST_HAZE = 400.0, 64.0
"""Haze removal that is suggested, % for each whole share of airlight over that, and most."""

ROOM = 6.5
"""Light value (EV at ISO 100) of the scene's mean below which it is a room or dusk: a veil there is lamps or a wall."""


def suggest_haze(developer: Developer, value: float | None = None) -> Suggestion:
    """Take out part of the airlight where it is air: where it grows with depth, or lies over all.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    value
        Light value of the scene's mean, EV at ISO 100, where the file tells it.

    Returns
    -------
    Suggestion
        See `Suggestion`.
    """
    typical = developer.coarse(AIRLIGHT).typical
    if value is not None and value < ROOM:
        text = tr("too dark for daylight (EV {value:.1f} at ISO 100): no air to see through", value=value)
        return Suggestion("haze", 0.0, text, typical)
    veil = airlight_of(developer.small(), developer.coarse(AIRLIGHT))
    amount = float(np.clip(round((veil.far - CLEAR_AIR) * MORE_HAZE / 2) * 2, 0, MOST_HAZE))
    if not veil.airy or amount == 0:
        text = tr("no sign of haze: dark places are dark, or bright ones are no farther away")
        return Suggestion("haze", 0.0, text, typical)
    how = tr("and it grows with distance") if veil.rises >= RISES else tr("and no place is free of it")
    return Suggestion(
        "haze",
        amount,
        tr("airlight is {far:.0f} % of the light in the far third, {how}", far=100 * veil.far, how=how),
        typical,
    )


def suggest_base_look(developer: Developer) -> Suggestion | None:
    """Drop a look that lays out the light itself: the tone handles do that from what was measured.

    None without one.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    Suggestion | None
        See `Suggestion`; None where there is none.
    """
    profile = next(iter(developer.source.meta.profiles), None)
    if profile is None or (profile.tone_curve is None and profile.gain_table is None):
        return None
    if profile.gain_table is None:
        return Suggestion(
            "base_look", False, tr("its tone curve knows nothing about this scene; the light was measured"), 0.0
        )
    low, high = float(profile.gain_table.gains.min()), float(profile.gain_table.gains.max())
    stops = math.log2(max(high, 1e-3) / max(low, 1e-3))
    evidence = tr(
        "the phone evens the light by up to {stops:.1f} EV ({low:.2f} to {high:.1f} ×), and noise with it",
        stops=stops,
        low=low,
        high=high,
    )
    return Suggestion("base_look", False, evidence, stops)


def suggest_finish(developer: Developer, exposure: float) -> list[Suggestion]:
    """Suggest the edge light and grain do nothing by themselves; the evidence says what they would act on.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    exposure
        Exposure in force, EV.

    Returns
    -------
    list[Suggestion]
        Edge light and grain do nothing by themselves.
    """
    light = developer.luminance(8)
    h, w = light.shape
    y, x = np.mgrid[:h, :w]
    r = np.hypot((x - w / 2) / w, (y - h / 2) / h) * 2
    ev = np.log2(np.maximum(light, 2e-5))
    outer, inner = ev[r >= 0.9 * r.max()], ev[r <= max(0.45, float(r.min()))]
    fall = float(np.median(outer) - np.median(inner))
    sigma = grey_noise(developer, exposure)
    side = tr("darker") if fall < 0 else tr("brighter")
    return [
        Suggestion(
            "vignette",
            0.0,
            tr("the corners are {fall:.1f} EV {side} than the centre, as in the scene", fall=abs(fall), side=side),
            fall,
        ),
        Suggestion(
            "grain",
            0.0,
            tr("a matter of taste; the raw's own noise is σ {sigma:.1f} L* at mid-grey", sigma=sigma),
            sigma,
        ),
    ]
