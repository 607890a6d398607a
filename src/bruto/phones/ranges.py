"""Which ISO speeds and exposure times a phone offers, as far as that is known.

What a few shots happened to use is not what a phone offers: their values widen a typical range. Only what its owner
says, or what its card lists whole, limits it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.phones.card import PhoneCard

Scale = Literal["seconds", "isos"]
End = Literal["least", "most"]

TYPICAL: dict[Scale, tuple[float, ...]] = {
    "seconds": tuple(
        1 / n
        for n in (
            10000, 8000, 6400, 5000, 4000, 3200, 2500, 2000, 1600, 1250, 1000, 800, 640, 500, 400, 320, 250, 200, 160,
            125, 100, 80, 60, 50, 40, 30, 25, 20, 15, 13, 10, 8, 6, 5, 4, 3, 2,
        )
    ) + (1.0, 2.0, 4.0, 8.0, 15.0, 30.0),
    "isos": (
        25.0, 32.0, 40.0, 50.0, 64.0, 80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 320.0, 400.0, 500.0, 640.0, 800.0,
        1000.0, 1250.0, 1600.0, 2000.0, 2500.0, 3200.0, 4000.0, 5000.0, 6400.0,
    ),
}  # fmt: skip
"""Steps that phones offer whose files and owner say nothing else: 1/10,000 to 30 s, ISO 25 to 6400 (usual values)."""
EVERY_PHONE: dict[Scale, tuple[float, float]] = {"seconds": (1 / 4000, 1 / 4), "isos": (100.0, 1600.0)}
"""Values that every phone with raw files offers: nothing is assumed within them."""
SAME = 1.02
"""Ratio of two values that are the same step."""
CLOSE = 1.12
"""Ratio below which a typical step gives way to one that was seen: half of a third of a stop."""


@dataclass(frozen=True)
class Range:
    """The steps of a phone, ascending, and between which values it is known to offer them."""

    steps: tuple[float, ...]
    least: float
    most: float

    def beyond(self, value: float) -> End | None:
        """Return the end of what is known that a value lies beyond.

        Parameters
        ----------
        value
            Exposure time, seconds, or ISO speed.

        Returns
        -------
        End | None
            "least" or "most"; None of a value that is known to be offered.
        """
        if value > self.most * SAME:
            return "most"
        return "least" if value < self.least / SAME else None


def merged_steps(known: Iterable[float], new: Iterable[float]) -> tuple[float, ...]:
    """Join two lists of steps; those within 2 % of each other are one.

    Parameters
    ----------
    known
        Steps so far.
    new
        Further ones.

    Returns
    -------
    tuple[float, ...]
        Ascending.

    Examples
    --------
    >>> merged_steps((50.0, 100.0), (101.0, 25.0))
    (25.0, 50.0, 100.0)
    """
    result: list[float] = []
    for value in sorted({*known, *new}):
        if not result or value / result[-1] > SAME:
            result.append(value)
    return tuple(result)


def widened(seen: Sequence[float], typical: Sequence[float]) -> tuple[float, ...]:
    """Return a typical range with the steps that were seen, in place of typical ones close to them.

    Parameters
    ----------
    seen
        Values that shots used.
    typical
        Usual steps.

    Returns
    -------
    tuple[float, ...]
        Ascending.

    Examples
    --------
    >>> widened((320.0,), (100.0, 200.0, 310.0, 400.0))
    (100.0, 200.0, 320.0, 400.0)
    """
    kept = [t for t in typical if all(abs(math.log(t / s)) > math.log(CLOSE) for s in seen)]
    return merged_steps(seen, kept)


def range_of(card: PhoneCard, scale: Scale) -> Range:
    """Return what a phone offers, and how much of that is known.

    Parameters
    ----------
    card
        Card of the phone.
    scale
        "seconds" or "isos".

    Returns
    -------
    Range
        Its steps; where they are known.
    """
    seen: tuple[float, ...] = getattr(card, scale)
    if scale in card.written and seen:
        return Range(seen, 0.0, math.inf)
    least, most = (card.limits or {}).get(scale, (None, None))
    if least is not None and most is not None and least > most:
        least = most = None  # a card that was changed by hand contradicts itself
    steps = widened(seen, TYPICAL[scale])
    for end in (least, most):
        if end is not None:
            steps = widened((end,), steps)
    steps = tuple(s for s in steps if (least or 0.0) <= s * SAME and s <= (most or math.inf) * SAME)
    low, high = EVERY_PHONE[scale]
    return Range(
        steps,
        0.0 if least is not None else min(low, *seen) if seen else low,
        math.inf if most is not None else max(high, *seen) if seen else high,
    )


def with_limit(card: PhoneCard, scale: Scale, end: End, value: float) -> PhoneCard:
    """Return a card whose owner says how far a range goes.

    Parameters
    ----------
    card
        Card of the phone.
    scale
        "seconds" or "isos".
    end
        Which end of it.
    value
        Exposure time, seconds, or ISO speed.

    Returns
    -------
    PhoneCard
        With the limit.

    Raises
    ------
    BrutoError
        Where it contradicts the other end.
    """
    least, most = (card.limits or {}).get(scale, (None, None))
    ends = (value, most) if end == "least" else (least, value)
    if ends[0] is not None and ends[1] is not None and ends[0] > ends[1]:
        raise BrutoError(tr("The card of {title} says otherwise; change both ends there (Ctrl+K).", title=card.title))
    return replace(card, limits={**(card.limits or {}), scale: ends})
