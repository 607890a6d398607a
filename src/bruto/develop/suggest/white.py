"""Temperature and tint, from grey surfaces, the file and the locus of lights."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.temperature import kelvin_duv_of
from bruto.container.color_model import neutral_to_xy
from bruto.develop.analysis.mixed_light import two_lights
from bruto.develop.analysis.white_estimate import estimate_white, grey_places, likely_neutral
from bruto.develop.pipeline import Developer
from bruto.develop.suggest.suggestion import Suggestion

SURE_ENOUGH = 0.22
"""Confidence from which the picture's own white is trusted over the phone's."""


PLACES = {
    "left": tr("on the left"),
    "right": tr("on the right"),
    "top": "above",
    "bottom": "below",
    "middle": tr("in the middle"),
    "edges": tr("around the edges"),
}
"""Where one of two lights lies, in words."""


def suggest_white(developer: Developer, level: NDArray[np.float32]) -> tuple[Suggestion, Suggestion]:
    """Suggest the temperature and tint.

    Grey surfaces, the file's own white and the locus of lights, weighed by their errors.

    Parameters
    ----------
    developer
        The decoded picture, of whose stages none is made.
    level
        Its small picture, balanced as shot (h, w, 3).

    Returns
    -------
    tuple[Suggestion, Suggestion]
        Temperature and tint.
    """
    places = grey_places(level)
    estimate = estimate_white(places)
    own = developer.as_shot()
    neutral = likely_neutral(developer.source.meta, developer.source.neutral, estimate)
    kelvin, duv = kelvin_duv_of(*neutral_to_xy(developer.source.meta, neutral))
    kelvin, duv = float(np.clip(round(kelvin / 10) * 10, 1500, 50000)), float(np.clip(round(duv, 4), -0.08, 0.08))
    if estimate.confidence < SURE_ENOUGH:
        text = tr("no clear neutral in the picture; close to the file's own {own:.0f} K", own=own[0])
    elif developer.source.kind == "picture":
        text = tr(
            "grey surfaces and typical lights suggest {kelvin:.0f} K (relative: the phone already balanced it)",
            kelvin=kelvin,
        )
    else:
        text = tr(
            "grey surfaces suggest {kelvin:.0f} K, the file {own:.0f} K; weighted by their errors",
            kelvin=kelvin,
            own=own[0],
        )
    meta = developer.source.meta
    mixed = two_lights(places, meta, developer.balance)
    if mixed is not None:
        text = tr(
            "two lights, {warm:.0f} K {PLACES} and {cold:.0f} K elsewhere, cannot both be white; most greys "
            "suggest {kelvin:.0f} K",
            warm=mixed.warm,
            PLACES=PLACES[mixed.side],
            cold=mixed.cold,
            kelvin=kelvin,
        )
    file_duv = f"{own[1]:+.4f}".replace("-", "−")
    return (
        Suggestion("temperature", kelvin, text, estimate.confidence),
        Suggestion(
            "tint",
            duv,
            tr("most lights are near the locus; the file's own white has Duv {file_duv}", file_duv=file_duv),
            own[1],
        ),
    )
