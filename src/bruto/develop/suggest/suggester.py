"""A value for every correction, from measurements, with the evidence in one line.

Suggestions never depend on the recipe's current values, except that the tone handles stand on the light after the
suggested exposure.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Tone
from bruto.develop.suggest.detail import grey_noise, suggest_noise, suggest_sharpness
from bruto.develop.suggest.frame import lines_view, suggest_frame
from bruto.develop.suggest.light import (
    light_value,
    noise_limit,
    peak_ev,
    rendered_gain,
    scene_ev,
    suggest_exposure,
    suggest_tone,
)
from bruto.develop.suggest.look import suggest_base_look, suggest_finish, suggest_haze
from bruto.develop.suggest.picture_statistics import suggest_spread
from bruto.develop.suggest.suggestion import Suggestion, factor_looked_at
from bruto.develop.suggest.white import suggest_white


class SuggestionInput:
    """Suggestions found part by part (tenths of a second each), so that pictures can be made in between."""

    def __init__(self, developer: Developer) -> None:
        self.developer = developer
        self.found: dict[str, Suggestion] = {}
        self._parts = _parts_of(developer, self.found)  # knows nothing of this object: no circle keeps the raw alive

    def step(self) -> bool:
        """Find the next part; False when all is found."""
        part = next(self._parts, None)
        if part is None:
            return False
        self.found.update((s.field, s) for s in part)
        return True


def _parts_of(developer: Developer, found: dict[str, Suggestion]) -> Iterator[Iterable[Suggestion]]:
    beside = ThreadPoolExecutor(1, "suggestions")  # for what keeps one core, and makes no stage
    frame = beside.submit(suggest_frame, *lines_view(developer))
    white = beside.submit(suggest_white, developer, developer.level(factor_looked_at(developer.source.size)))
    beside.shutdown(wait=False)  # both still run; who gives up the suggestions does not wait for them
    ev = scene_ev(developer)
    value = light_value(developer.source.meta, ev)
    exposure = suggest_exposure(
        ev,
        noise_limit(developer),
        value,
        developer.source.meta.baseline_exposure,
        peak_ev(developer),
        rendered_gain(developer, ev),
    )
    yield [exposure]
    yield suggest_noise(developer, exposure.value, float(np.median(ev)))
    yield suggest_sharpness(developer, exposure.value)
    yield [suggest_tone(developer, ev, exposure.value, value)]
    look = suggest_base_look(developer)
    yield [look] if look is not None else []
    yield [suggest_haze(developer, value)]
    yield [*white.result(), *frame.result()]
    so_far = take_all(Recipe(), found)
    yield suggest_spread(developer, so_far, grey_noise(developer, exposure.value))
    yield suggest_finish(developer, exposure.value)


def suggest_all(developer: Developer) -> dict[str, Suggestion]:
    """Suggest all suggestions by field name.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    dict[str, Suggestion]
        All suggestions by field name.
    """
    suggesting = SuggestionInput(developer)
    while suggesting.step():
        pass
    return suggesting.found


def take_all(recipe: Recipe, suggestions: dict[str, Suggestion]) -> Recipe:
    """Return the recipe with every suggestion taken.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.
    suggestions
        Suggestions by field.

    Returns
    -------
    Recipe
        The recipe with every suggestion taken.
    """
    values = {
        field: (s.value.model_dump() if isinstance(s.value, Tone) else s.value) for field, s in suggestions.items()
    }
    return recipe.changed(**values)
