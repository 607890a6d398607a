"""What there is to shoot with: a phone's lenses, steps, noise and pace, and its owner's hand."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from bruto.catalog import tr
from bruto.phones.card import PhoneCard
from bruto.phones.ranges import Range, Scale, range_of
from bruto.plan.noise import HAND_SPREAD
from bruto.plan.recommendation import Assumption
from bruto.plan.stars import FULL_FRAME_MM, pixel_pitch
from bruto.sensor.advice import time_text
from bruto.sensor.noise_model import NoiseModel, NoiseSource

LENS_TRANSMISSION, SATURATION_LUX_S = 0.65, 78.0
"""q of ISO 12232, and lux seconds that fill a sensor at ISO 1."""
USUAL = tr("a typical phone; open some of your shots once so that Bruto learns your phone")


@dataclass(frozen=True)
class EquipmentLens:
    """A lens with the `size` (width, height, pixels) of its usual raws."""

    focal_35mm: float
    focal_mm: float | None = None
    f_number: float | None = None
    size: tuple[int, int] = (4032, 3024)

    @property
    def focal_px(self) -> float:
        """Focal length in pixels."""
        return self.focal_35mm / FULL_FRAME_MM * math.hypot(*self.size)

    @property
    def pixel_um(self) -> float | None:
        """From pixel to pixel, micrometres."""
        return None if self.focal_mm is None else pixel_pitch(self.focal_mm, self.focal_35mm, *self.size)


USUAL_LENSES = (EquipmentLens(26.0, 5.9, 1.9),)
USUAL_NOISE = NoiseModel(1 / (50 * 6000), 5e-9, 4e-11, NoiseSource.TYPICAL)
"""Of a binned 12 MP frame of a small sensor: about 6000 electrons at ISO 50."""
USUAL_LIMIT = 2.6
"""Seconds times mm at which half of the shots are blurred: a tenth of a second at 26 mm."""


def ranges_of(card: PhoneCard) -> dict[Scale, Range]:
    """Return what a phone offers.

    Parameters
    ----------
    card
        Card of the phone.

    Returns
    -------
    dict[Scale, Range]
        Its ISO speeds and exposure times.
    """
    return {"isos": range_of(card, "isos"), "seconds": range_of(card, "seconds")}


@dataclass(frozen=True)
class Equipment:
    """What a plan counts with: the phone's lenses, settings, speed, noise and battery, and the hand that holds it."""

    phone: str = ""
    lenses: Sequence[EquipmentLens] = USUAL_LENSES
    ranges: Mapping[Scale, Range] = field(default_factory=lambda: ranges_of(PhoneCard("", "")))
    """Its ISO speeds and exposure times, and how far they are known."""
    pace_s: float = 1.0
    """From the end of an exposure to the next frame."""
    noise: NoiseModel = USUAL_NOISE
    limit_35mm: float = USUAL_LIMIT
    """Of the hand, see `logbook.learn.Hand`."""
    spread: float = HAND_SPREAD
    """Of the hand, see `logbook.learn.Hand`."""
    mb_each: float = 25.0
    """Megabytes of a shot."""
    percent_h: float | None = None
    """Of the battery an hour."""
    viewfinder_ev: float | None = None
    """How early the viewfinder warns."""
    known: Mapping[str, str] = field(default_factory=dict)
    """Where each of these is from, in words, by its name."""
    learnt: frozenset[str] = frozenset()
    """Names of the values that shots in the logbook taught."""

    @property
    def isos(self) -> tuple[float, ...]:
        """ISO speeds that it offers, ascending."""
        return self.ranges["isos"].steps

    @property
    def seconds(self) -> tuple[float, ...]:
        """Exposure times that it offers, ascending."""
        return self.ranges["seconds"].steps

    def assumed(self, scale: Scale, value: float) -> Assumption | None:
        """Find what a value assumes of the phone.

        Parameters
        ----------
        scale
            "seconds" or "isos".
        value
            Exposure time, seconds, or ISO speed.

        Returns
        -------
        Assumption | None
            None where the phone is known to offer it.
        """
        end = self.ranges[scale].beyond(value)
        if end is None:
            return None
        shown = time_text(value) if scale == "seconds" else f"ISO {value:.0f}"
        texts = {
            ("seconds", "most"): tr("assumes {shown}: the longest time of your phone is not known", shown=shown),
            ("seconds", "least"): tr("assumes {shown}: the shortest time of your phone is not known", shown=shown),
            ("isos", "most"): tr("assumes {shown}: the highest ISO of your phone is not known", shown=shown),
            ("isos", "least"): tr("assumes {shown}: the lowest ISO of your phone is not known", shown=shown),
        }
        return Assumption(scale, end, value, texts[scale, end])

    def from_where(self, name: str) -> str:
        """Say where a value is from, in words.

        Parameters
        ----------
        name
            Identifier, as stored in a plan.

        Returns
        -------
        str
            Where a value is from, in words.
        """
        return self.known.get(name, USUAL)

    def lens(self, focal_35mm: float | None) -> EquipmentLens:
        """Return the lens nearest to a focal length.

        Parameters
        ----------
        focal_35mm
            35 mm equivalent focal length, mm.

        Returns
        -------
        EquipmentLens
            The lens nearest to a focal length.
        """
        return min(self.lenses, key=lambda q: abs(math.log(q.focal_35mm / (focal_35mm or 26.0))))

    @property
    def fastest(self) -> EquipmentLens:
        """The lens that lets most light in."""
        return min(self.lenses, key=lambda q: (q.f_number or 99.0, abs(math.log(q.focal_35mm / 26.0))))


def saturation_per(f_number: float) -> float:
    """Compute the light, in shares of saturation, of 1 cd/m2 in one second at ISO 1 (ISO 12232).

    Parameters
    ----------
    f_number
        F-number of the lens.

    Returns
    -------
    float
        Light, in shares of saturation, of 1 cd/m2 in one second at ISO 1 (ISO 12232).

    Examples
    --------
    >>> round(saturation_per(1.9) * 4000 * 100 / 1000, 3)  # 4000 cd/m2, ISO 100, 1/1000 s
    0.923
    """
    return LENS_TRANSMISSION / (SATURATION_LUX_S * f_number**2)


def nearest(values: Sequence[float], wanted: float) -> float:
    """Compute the offered value nearest in stops.

    Parameters
    ----------
    values
        The values offered.
    wanted
        Value wished for.

    Returns
    -------
    float
        The offered value nearest in stops.
    """
    return min(values, key=lambda v: abs(math.log(v / max(wanted, 1e-12))))


def at_most(values: Sequence[float], wanted: float) -> float:
    """Compute the largest offered value that is not over the wanted one; the smallest where all are.

    Parameters
    ----------
    values
        The values offered.
    wanted
        Value wished for.

    Returns
    -------
    float
        The largest offered value that is not over the wanted one.
    """
    return max((v for v in values if v <= wanted * 1.02), default=min(values))
