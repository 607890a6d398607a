"""One thing that a phone did to a picture."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class PhoneChange:
    """One thing that was done: `what` in plain words, `value` with `unit`, signed, and the same as a phrase."""

    what: str
    value: float
    unit: str
    text: str
