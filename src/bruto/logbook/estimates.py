"""What is learnt from the shots of a logbook: this phone's noise, this hand, how early the viewfinder warns, pace."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from statistics import median
from typing import Any

import numpy as np

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.logbook.records import LogRecord
from bruto.plan.noise import ENOUGH_SNR, GREY, SHADOW_EV, time_of_chance
from bruto.sensor.noise_model import NoiseModel, NoiseSource, model_of

OUTLIER = 1.35
"""Factor from the usual noise of an ISO beyond which a shot is named and left out."""
BLURRED_PX = 1.0
"""Movement from which a shot is blurred, pixels."""
USUAL_SPREAD, SPREAD_VARIES = 0.55, 0.5
"""Standard deviation of the natural logarithm of the time from which a hand blurs, and how much its own logarithm
varies between hands (own estimates).
"""
LEAST_HAND = 8
"""Shots held in the hand from which a limit is reported, of which some are sharp and some are blurred."""
MOST_PAUSE_S = 20.0
"""Seconds after the end of an exposure within which the next shot belongs to a sequence."""
SURE = 0.9
"""Share of cases in which the truth lies within what is claimed."""
BATTERY_VARIES, SIZE_VARIES, NOISE_VARIES = 0.25, 0.15, 0.1
"""Relative standard deviation between shoots or shots that is assumed until they tell their own, as `ASSUMED` values
more would (own estimates: cold and screen; detail and noise; what single pictures allow to be measured).
"""
ASSUMED = 2
MEDIAN = 1.2533
"""Standard error of a median, in those of a mean: the root of pi / 2."""


@dataclass(frozen=True)
class Learnt:
    """A value from `count` shots up to a date."""

    value: float
    spread: float
    """Standard deviation of single shots."""
    error: float
    """The true value is nine times in ten no farther away."""
    count: int
    until: str

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        return {
            "value": round(self.value, 6), "spread": round(self.spread, 6), "error": round(self.error, 6),
            "count": self.count, "until": self.until,
        }  # fmt: skip


def _deviation(apart: Sequence[float], fitted: int, assumed: float) -> tuple[float, float]:
    """Find the standard deviation of values that are so far `apart` from what was fitted to them.

    And half of the interval that holds nine of ten, in standard deviations (Student, "The probable error of a mean",
    Biometrika 6, 1908). `fitted`: number of values fitted; `assumed`: deviation of `ASSUMED` values more, 0 of none.
    """
    from scipy.special import stdtrit  # takes long to import

    more = ASSUMED if assumed > 0 else 0
    freedom = max(len(apart) - fitted, 0) + more
    return (
        math.sqrt((sum(a * a for a in apart) + more * assumed**2) / freedom),
        float(stdtrit(freedom, 0.5 + SURE / 2)),
    )


def _learnt(
    values: Sequence[float], value: float, until: str, varies: float = 0.0, widened: float = 1.0, least: float = 0.0
) -> Learnt:
    """Put a `value` found from others with their spread and the error that follows from it, at `least` so much.

    `varies`: standard deviation that is assumed; `widened`: standard error of this value, in those of a mean.
    """
    spread, range_ = _deviation([v - value for v in values], 1, varies)
    error = math.hypot(range_ * widened * spread / math.sqrt(len(values)), least)
    return Learnt(value, spread, error, len(values), until)


@dataclass(frozen=True)
class LearntNoise:
    """Noise of a phone's lens, kind and size: the `model`."""

    model: NoiseModel
    by_iso: dict[float, tuple[float, float, int]]
    """A, b and count of each."""
    outliers: tuple[str, ...]
    """Names of shots left out."""
    ceiling_iso: float | None
    """The highest at which a shadow 3 EV under grey has a signal of four times its noise."""
    count: int
    until: str

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        return {
            "by_iso": [
                {"iso": i, "a": a, "b": b, "count": n} for i, (a, b, n) in sorted(self.by_iso.items())
            ],
            "model": {
                "photons": self.model.photons, "fixed": self.model.fixed, "amplified": self.model.amplified
            },
            "error": round(self.model.error, 4), "outliers": list(self.outliers),
            "ceiling_iso": None if self.ceiling_iso is None else round(self.ceiling_iso), "count": self.count,
            "until": self.until,
        }  # fmt: skip


def _sigma(record: LogRecord) -> float:
    """Noise of a record at the shadow that is looked into."""
    x = GREY * 2**SHADOW_EV
    return math.sqrt(max((record.noise_a or 0.0) * x + (record.noise_b or 0.0), 1e-30))


def _until(records: Sequence[LogRecord]) -> str:
    return max((r.taken for r in records), default="")[:10]


def noise(records: Iterable[LogRecord]) -> LearntNoise:
    """Return the noise of shots of one phone, lens, kind and size.

    Parameters
    ----------
    records
        Records of the logbook.

    Returns
    -------
    LearntNoise
        The noise of shots of one phone, lens, kind and size.

    Raises
    ------
    BrutoError
        Where none tells it.
    """
    by_iso: dict[float, list[LogRecord]] = defaultdict(list)
    for r in records:
        if r.iso and r.noise_a and r.noise_b is not None and r.noise_a > 0 and r.noise_b >= 0:
            by_iso[r.iso].append(r)
    if not by_iso:
        raise BrutoError(tr("No shot here shows its noise. Open some mosaic raws of this phone."))
    outliers: list[str] = []
    inliers: list[LogRecord] = []
    middle: dict[float, tuple[float, float, int]] = {}
    for iso, some in by_iso.items():
        usual = math.exp(median(math.log(_sigma(r)) for r in some))
        near = [len(some) < 3 or 1 / OUTLIER < _sigma(r) / usual < OUTLIER for r in some]
        outliers += [r.name or r.key[:12] for r, good in zip(some, near, strict=True) if not good]
        good = [r for r, fine in zip(some, near, strict=True) if fine] or some
        inliers += good
        middle[iso] = median(r.noise_a or 0 for r in good), median(r.noise_b or 0 for r in good), len(good)
    model = model_of({i: (a, b) for i, (a, b, _) in middle.items()})
    apart = [math.log(_sigma(r) / math.sqrt(sum(
        v * w for v, w in zip(model.at(r.iso or 1), (GREY * 2**SHADOW_EV, 1.0), strict=True)
    ))) for r in inliers]  # fmt: skip
    sd, nine_of_ten = _deviation(apart, min(len(middle), 3), NOISE_VARIES)
    error = math.exp(sd * nine_of_ten)
    every = [r for some in by_iso.values() for r in some]
    model = replace(model, source=NoiseSource.LEARNT, error=error)
    return LearntNoise(model, middle, tuple(sorted(outliers)), ceiling(model), len(inliers), _until(every))


def ceiling(model: NoiseModel, least: float = 25.0, most: float = 102400.0) -> float | None:
    """Compute the highest ISO at which the shadow is usable, where exposures put grey in its place.

    None where not even the lowest is.

    Parameters
    ----------
    model
        Noise of the phone by ISO.
    least
        Lower limit.
    most
        Upper limit.

    Returns
    -------
    float | None
        The highest ISO at which the shadow is usable, where exposures put grey in its place.
    """
    x = GREY * 2**SHADOW_EV
    if model.snr(x, least) < ENOUGH_SNR:
        return None
    low, high = least, most
    if model.snr(x, high) >= ENOUGH_SNR:
        return high
    for _ in range(60):
        between = math.sqrt(low * high)
        low, high = (between, high) if model.snr(x, between) >= ENOUGH_SNR else (low, between)
    return low


def viewfinder(records: Iterable[LogRecord]) -> dict[str, Learnt]:
    """Find how early (+) or late (-) the viewfinder warned, EV, by camera program; from three shots on.

    Parameters
    ----------
    records
        Records of the logbook.

    Returns
    -------
    dict[str, Learnt]
        How early (+) or late (-) the viewfinder warned, EV, by camera program.
    """
    by: dict[str, list[LogRecord]] = defaultdict(list)
    for r in records:
        if r.viewfinder_ev is not None:
            by[r.program].append(r)
    return {
        program: _learnt(
            offsets := [r.viewfinder_ev or 0.0 for r in some], median(offsets), _until(some), widened=MEDIAN
        )
        for program, some in by.items()
        if len(some) >= 3
    }


@dataclass(frozen=True)
class HandheldLimit:
    """A person's hand."""

    limit_35mm: float
    """Seconds times mm (at 35 mm film) at which half of the shots are blurred."""
    spread: float
    """Of its natural logarithm."""
    error: float
    """The true limit is nine times in ten within this factor of `limit_35mm`."""
    count: int
    until: str

    def seconds(self, focal_35mm: float, chance: float = 0.5) -> float:
        """Compute the seconds at which so many of the shots are blurred, by focal length.

        Parameters
        ----------
        focal_35mm
            35 mm equivalent focal length, mm.
        chance
            Chance of blur, 0 to 1.

        Returns
        -------
        float
            Seconds at which so many of the shots are blurred, by focal length.
        """
        return time_of_chance(chance, self.limit_35mm / focal_35mm, self.spread)

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        return {
            "limit_s_mm": round(self.limit_35mm, 4), "spread": round(self.spread, 3),
            "error_factor": round(self.error, 3), "count": self.count, "until": self.until,
            "seconds": {
                str(f): {"10": round(self.seconds(f, 0.1), 5), "50": round(self.seconds(f), 5)} for f in (15, 26, 68)
            },
        }  # fmt: skip


def _limit_error(x: np.ndarray, limit: float, spread: float) -> float:
    """Find the factor within which the true limit is nine times in ten, from logarithms of time times focal length.

    By what such shots tell of it and of the spread at once (Fisher information of the probit model).
    """
    from scipy.special import ndtr, ndtri  # takes long to import

    z = np.clip((x - math.log(limit)) / spread, -6, 6)
    tells = np.exp(-z * z) / (2 * math.pi * ndtr(z) * ndtr(-z))
    both = (tells * z).sum() / spread
    information = [[tells.sum() / spread**2, both], [both, (tells * z * z).sum() + 1 / SPREAD_VARIES**2]]
    return math.exp(float(ndtri(0.5 + SURE / 2)) * math.sqrt(float(np.linalg.inv(information)[0, 0])))


def hand(records: Iterable[LogRecord]) -> HandheldLimit:
    """Return the limit of a hand: a normal curve over the logarithm of time times focal length.

    It is fitted by maximum likelihood.

    Parameters
    ----------
    records
        Records of the logbook.

    Returns
    -------
    HandheldLimit
        The limit of a hand.

    Raises
    ------
    BrutoError
        Where too few shots tell it.
    """
    some = [
        r for r in records
        if r.support == "hand" and r.blur_px is not None and r.exposure_s and r.focal_35mm
    ]  # fmt: skip
    x = np.array([math.log((r.exposure_s or 1) * (r.focal_35mm or 1)) for r in some])
    blurred = np.array([(r.blur_px or 0.0) >= BLURRED_PX for r in some], bool)
    if len(some) < LEAST_HAND or not blurred.any() or blurred.all():
        raise BrutoError(
            tr("At least {LEAST_HAND} handheld shots are needed, some sharp and some blurred.", LEAST_HAND=LEAST_HAND)
        )
    from scipy.optimize import minimize  # takes long to import
    from scipy.special import log_ndtr

    def loss(p: np.ndarray) -> float:
        z = (x - p[0]) / math.exp(p[1])
        fit = np.where(blurred, log_ndtr(z), log_ndtr(-z)).sum()
        return float(-fit + 0.5 * ((p[1] - math.log(USUAL_SPREAD)) / SPREAD_VARIES) ** 2)  # few shots: as hands do

    start = np.array([float((x[blurred].mean() + x[~blurred].mean()) / 2), math.log(USUAL_SPREAD)])
    found = minimize(loss, start, method="Nelder-Mead", options={"xatol": 1e-4, "fatol": 1e-6, "maxiter": 2000})
    limit, spread = (math.exp(float(v)) for v in found.x)
    return HandheldLimit(limit, spread, _limit_error(x, limit, spread), len(some), _until(some))


def pace(records: Iterable[LogRecord]) -> dict[str, Learnt]:
    """Return the pause after an exposure until the next frame of a sequence, seconds, by kind of raw.

    From four pauses on.

    Parameters
    ----------
    records
        Records of the logbook.

    Returns
    -------
    dict[str, Learnt]
        Pause after an exposure until the next frame of a sequence, seconds, by kind of raw.
    """
    from datetime import datetime

    by: dict[str, list[tuple[float, LogRecord]]] = defaultdict(list)
    order: dict[tuple[str, str], list[tuple[datetime, LogRecord]]] = defaultdict(list)
    for r in records:
        try:
            order[r.shoot, r.kind].append((datetime.fromisoformat(r.taken), r))
        except ValueError:
            continue
    for (_, kind), some in order.items():
        some.sort(key=lambda each: (each[0], each[1].name))
        for (a, one), (b, _) in pairwise(some):
            pause = (b - a).total_seconds() - (one.exposure_s or 0.0)
            if -1 < pause < MOST_PAUSE_S:
                by[kind].append((pause, one))
    found = {}
    for kind, pauses in by.items():
        if len(pauses) < 4:
            continue
        values = np.array([p for p, _ in pauses])
        near = values[np.abs(values - np.median(values)) <= 2.0]  # stamps are of whole seconds
        stamps = 1.0 / len(near)  # whole seconds of the first and the last remain in the mean
        mean, until = max(0.0, float(near.mean())), _until([r for _, r in pauses])
        found[kind] = _learnt(near.tolist(), mean, until, least=stamps)
    return found


def storage(records: Iterable[LogRecord]) -> dict[str, Learnt]:
    """Return the bytes of a shot, by kind and megapixels.

    Parameters
    ----------
    records
        Records of the logbook.

    Returns
    -------
    dict[str, Learnt]
        Bytes of a shot, by kind and megapixels.
    """
    by: dict[str, list[LogRecord]] = defaultdict(list)
    for r in records:
        if r.bytes and r.width and r.height:
            by[f"{r.kind} {round(r.width * r.height / 1e6)} MP"].append(r)
    return {
        name: _learnt(
            sizes := [float(r.bytes or 0) for r in some], float(np.mean(sizes)), _until(some),
            SIZE_VARIES * float(np.mean(sizes)),
        )
        for name, some in by.items()
    }  # fmt: skip


def battery(noted: Iterable[tuple[str, float, float, float]]) -> Learnt | None:
    """Return the percent of the battery an hour takes, of shoots whose charge was noted; None of none.

    Parameters
    ----------
    noted
        Shoots with charge before and after, percent, and hours.

    Returns
    -------
    Learnt | None
        Percent of the battery an hour takes, of shoots whose charge was noted.
    """
    rates = [(a - b) / h for _, a, b, h in noted if h > 0 and a > b]
    if not rates:
        return None
    mean = float(np.mean(rates))
    return _learnt(rates, mean, "", BATTERY_VARIES * mean)
