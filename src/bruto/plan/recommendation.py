"""One value that is recommended for a planned shot."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Recommendation:
    """A value and its reason in a sentence."""

    value: float
    reason: str
