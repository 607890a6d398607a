"""Steps of a shot's history in words: which value became which."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from bruto.develop.recipe import SAID, Recipe

MOST = 2
"""Values that are told of one step; of more, how many."""


def step_text(history: Sequence[tuple[str, Mapping[str, Any]]], index: int, recipe: Recipe) -> str:
    """What step `index` changed, beginning with ": ", "" where that is no plain number.

    `history`: steps with the values that were there before; `recipe`: the values now.

    >>> step_text([("exposure", {"exposure": 0.0})], 0, Recipe(exposure=0.65))
    ': 0.00 → +0.65 EV'
    """
    told, others = [], 0
    for field, old in history[index][1].items():
        new = next((later[field] for _, later in history[index + 1 :] if field in later), getattr(recipe, field, None))
        said = SAID.get(field)
        if said is None or not said.step or not isinstance(old, int | float) or not isinstance(new, int | float):
            others += 1
            continue
        name = "" if said.title.lower() == history[index][0] else f"{said.title.lower()} "
        told.append(f"{name}{said.text(float(old))} → {said.text(float(new))} {said.unit}".rstrip())
    more = len(told) - MOST + others if len(told) > MOST else (others if told else 0)
    return ": " + ", ".join(told[:MOST]) + (f" and {more} more" if more else "") if told else ""
