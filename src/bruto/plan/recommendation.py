"""One value that is recommended for a planned shot."""

from __future__ import annotations

from dataclasses import dataclass

from bruto.phones.ranges import End, Scale


@dataclass(frozen=True)
class Assumption:
    """What a recommendation takes for granted of the phone: that `end` of a `scale` reaches `value`."""

    scale: Scale
    end: End
    value: float
    text: str
    """In words."""


@dataclass(frozen=True)
class Recommendation:
    """A value and its reason in a sentence."""

    value: float
    reason: str
    assumes: Assumption | None = None
