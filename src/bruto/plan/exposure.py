"""Exposures in steps that a phone offers: what is the same light, and what a planned shot becomes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError

NEAR_EV = 0.17
"""EV by which an offered exposure may differ from the one wanted and count as the same: half a third of a stop."""


@dataclass(frozen=True)
class ExposureSetting:
    """An ISO and a time in seconds."""

    iso: float
    seconds: float

    def __post_init__(self) -> None:
        if not (math.isfinite(self.iso) and 1 <= self.iso <= 1e7):
            raise BrutoError(tr("An ISO is 1 to 10,000,000, not {iso:g}.", iso=self.iso))
        if not (math.isfinite(self.seconds) and 1e-7 <= self.seconds <= 1e6):
            raise BrutoError(tr("An exposure time is 0.0000001 to 1,000,000 s, not {seconds:g}.", seconds=self.seconds))

    @property
    def gathered(self) -> float:
        """How bright the picture becomes: ISO times seconds."""
        return self.iso * self.seconds


def ev_between(one: ExposureSetting, other: ExposureSetting) -> float:
    """Compute the EV by which `other` is exposed more than `one`.

    Parameters
    ----------
    one
        First of two.
    other
        The other one.

    Returns
    -------
    float
        EV by which `other` is exposed more than `one`.

    Examples
    --------
    >>> ev_between(ExposureSetting(100, 1 / 100), ExposureSetting(200, 1 / 50))
    2.0
    """
    return math.log2(other.gathered / one.gathered)


@dataclass(frozen=True)
class Same:
    """An offered setting, and the `ev` by which it is off."""

    setting: ExposureSetting
    ev: float


def equivalents(
    wanted: ExposureSetting, isos: Sequence[float], seconds: Sequence[float], ev: float = 0.0, near: float = NEAR_EV
) -> list[Same]:
    """Return the settings that a phone offers and that expose as `wanted` does and `ev` more, by falling ISO.

    For each ISO the nearest time; those farther off than `near` are left out. Where none is near, the nearest of
    all.

    Parameters
    ----------
    wanted
        Value wished for.
    isos
        ISO speeds on offer.
    seconds
        Exposure times on offer, seconds.
    ev
        Exposure change, EV.
    near
        Focus or tolerance.

    Returns
    -------
    list[Same]
        Settings that a phone offers and that expose as `wanted` does and `ev` more, by falling ISO.
    """
    if not isos or not seconds:
        raise BrutoError(tr("The phone's ISOs and times are not known. Give them, or open some of its shots once."))
    target = ExposureSetting(wanted.iso, wanted.seconds).gathered * 2**ev
    every = [
        Same(ExposureSetting(i, s), math.log2(i * s / target))
        for i in sorted(set(isos), reverse=True)
        for s in [min(seconds, key=lambda s: abs(math.log2(i * s / target)))]
    ]
    found = [e for e in every if abs(e.ev) <= near + 1e-9]
    return found or [min(every, key=lambda e: abs(e.ev))]


def compensation(viewfinder_ev: float | None, headroom_ev: float = 0.0) -> float:
    """Find what to dial so that the raw is as full as it may be.

    The learnt offset of the viewfinder's warning (it warns so many EV early where positive), less `headroom_ev`
    to spare, in thirds.

    Parameters
    ----------
    viewfinder_ev
        How early (+) or late (-) the viewfinder warns, EV.
    headroom_ev
        Headroom of the raw, EV.

    Returns
    -------
    float
        What to dial so that the raw is as full as it may be.

    Examples
    --------
    >>> compensation(0.8, 0.3)
    0.3333333333333333
    """
    wanted = (viewfinder_ev or 0.0) - headroom_ev
    return math.floor(3 * wanted + 1e-6) / 3


def as_json(wanted: ExposureSetting, found: Sequence[Same]) -> dict[str, Any]:
    """Return what the command line prints.

    Parameters
    ----------
    wanted
        Value wished for.
    found
        What was found.

    Returns
    -------
    dict[str, Any]
        As the command line tells it.
    """
    return {
        "wanted": {"iso": wanted.iso, "seconds": wanted.seconds},
        "equivalent": [{"iso": s.setting.iso, "seconds": s.setting.seconds, "off_ev": round(s.ev, 3)} for s in found],
    }
