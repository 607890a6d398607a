"""What a suggestion is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Suggestion:
    """`field` of the recipe, suggested `value`, the `evidence` as a sentence, and the measured `number` behind it."""

    field: str
    value: Any
    evidence: str
    number: float
