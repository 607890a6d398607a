"""How long a battery lasts, by what an hour of shooting took of it before."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError

RESERVE_PERCENT = 15.0
"""Charge that should be left, percent: many phones slow down or end the camera below it, and one may need to call."""


@dataclass(frozen=True)
class BatteryNeed:
    """`left_percent` after `hours`, `spread_percent` as it varied before; `lasts_h` down to the reserve."""

    hours: float
    left_percent: float
    spread_percent: float
    lasts_h: float

    @property
    def enough(self) -> bool:
        """Whether the reserve is left, also where an hour takes as much more as it has varied."""
        return self.left_percent - self.spread_percent >= RESERVE_PERCENT

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        return {
            "hours": round(self.hours, 2), "left_percent": round(self.left_percent, 1),
            "spread_percent": round(self.spread_percent, 1), "lasts_hours": round(self.lasts_h, 2),
            "enough": self.enough,
        }  # fmt: skip


def battery_need(hours: float, per_hour: float, spread: float = 0.0, charge: float = 100.0) -> BatteryNeed:
    """Compute what is left of a charge after hours of shooting.

    Parameters
    ----------
    hours
        How long is photographed, hours.
    per_hour
        What an hour takes, percent of a full battery.
    spread
        Standard deviation of that, percent.
    charge
        At the beginning, percent.

    Returns
    -------
    BatteryNeed
        What is left, and how long it lasts.

    Raises
    ------
    BrutoError
        For values that cannot be.

    Examples
    --------
    >>> need = battery_need(4, 12, spread=2)
    >>> need.left_percent, need.enough, round(need.lasts_h, 1)
    (52.0, True, 7.1)
    """
    if not (0 <= hours <= 240 and 0 < per_hour <= 1000 and spread >= 0 and 0 < charge <= 100):
        raise BrutoError(
            tr("Hours are 0 to 240, the charge 1 to 100 percent, and what an hour takes is more than nothing.")
        )
    lasts = max(charge - RESERVE_PERCENT, 0.0) / per_hour
    return BatteryNeed(hours, max(charge - hours * per_hour, 0.0), hours * spread, lasts)
