"""The same push on both, further and further: what survives of each."""

from __future__ import annotations

from dataclasses import dataclass

from bruto.compare.measures import MEASURES
from bruto.compare.metrics import COMPARE_EDGE, compare
from bruto.compare.sources import Side

STEPS_EV = (0.0, 1.0, 2.0, 3.0, 4.0)
SWEPT = ("texture_l", "colour_noise", "dark_tint", "lost_highlights_percent")
"""Measures that a push changes most: detail, noise, tint and light."""
TITLES = {m.key: m.title for m in MEASURES}


@dataclass(frozen=True)
class SweepStep:
    """Numbers of both, by measure, under a push of `ev`."""

    ev: float
    a: dict[str, float]
    b: dict[str, float]


def swept(ev: float, first: Side, second: Side) -> SweepStep:
    """Return both, as they are under a push of `ev`.

    Parameters
    ----------
    ev
        Exposure change, EV.
    first
        First of the two sides.
    second
        Second of the two sides.

    Returns
    -------
    SweepStep
        Both, as they are under a push of `ev`.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    c = compare(first.whole(COMPARE_EDGE // 2), second.whole(COMPARE_EDGE // 2))
    return SweepStep(ev, {k: c.a[k] for k in SWEPT}, {k: c.b[k] for k in SWEPT})
