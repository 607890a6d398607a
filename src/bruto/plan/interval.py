"""A sequence of frames: how often the shutter can open, and what the first frames tell of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr, trn
from bruto.errors import BrutoError

LOST_FROM = 1.5
"""Times the usual step from which frames are missing."""
DOUBLE = 0.5
"""Share of an exposure that has to lie between two beginnings: else one frame was kept twice."""
DRIFT_SHARE = 0.05
"""Change of the step over a sequence, as a share of it, that is reported."""
SPARE_S, SPARE_SHARE = 0.2, 0.1
"""What is added to a pause that was measured: seconds, and a share of it."""


@dataclass(frozen=True)
class FramePlan:
    """`interval`, `pause`, `gap`: seconds; `frames` in the time; `bytes_each`."""

    exposure: float
    pause: float
    frames: int | None
    bytes_each: float | None

    @property
    def interval(self) -> float:
        """From one frame to the next, seconds."""
        return self.exposure + self.pause


def sequence(
    exposure: float, pause: float, duration: float | None = None, bytes_each: float | None = None
) -> FramePlan:
    """Return a sequence of frames in a time.

    Parameters
    ----------
    exposure
        Exposure time, seconds.
    pause
        Time to save a frame, seconds.
    duration
        Length of the sequence, seconds.
    bytes_each
        Bytes of a frame.

    Returns
    -------
    FramePlan
        A sequence of frames in a time.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.

    Examples
    --------
    >>> plan = sequence(30, 1.5, 3600)
    >>> plan.interval, plan.frames
    (31.5, 114)
    """
    for name, value in ((tr("The exposure time"), exposure), (tr("The pause"), pause), (tr("The time"), duration)):
        if value is not None and not (math.isfinite(value) and 0 <= value <= 1e7):
            raise BrutoError(tr("{name} must be 0 to 10,000,000 s, not {value:g} s.", name=name, value=value))
    if exposure <= 0:
        raise BrutoError(tr("The exposure time must be longer than 0 s."))
    frames = None
    if duration is not None:
        frames = math.floor((duration + pause) / (exposure + pause) + 1e-9)
    return FramePlan(exposure, pause, frames, bytes_each)


@dataclass(frozen=True)
class IntervalCheck:
    """What frames tell that were taken: `step`, usual seconds from one to the next.

    `pause` that the phone needs at least as far as it is known.
    """

    step: float
    pause: float
    missed: tuple[tuple[int, int], ...]
    """Numbers of frames (from 0) after which some are missing, and how many."""
    double: tuple[int, ...]
    """Frames that are there twice."""
    drift: float
    """Seconds by which the step grows over the sequence."""
    skips: int
    """Of so many frames asked for one was taken."""
    interval: float
    """Seconds that should be set."""
    messages: tuple[str, ...]
    """All of it in words."""


def _step_of(steps: NDArray[np.float64], exposure: float) -> float:
    """Compute the usual step, to a fraction: stamps are of whole seconds, and some frames are missing."""
    usual = float(np.median(steps))
    if len(steps) > 2:
        usual = float(np.median(steps[steps <= LOST_FROM * float(np.percentile(steps, 25)) + 1]))
    number = np.maximum(1, np.rint(steps / usual)) if usual > 0 else np.ones(len(steps))
    return float(steps.sum() / number.sum()) if usual > 0 else exposure


def watched(starts: Sequence[float], exposure: float, asked: float | None = None) -> IntervalCheck:
    """Find what the first frames of a sequence tell.

    Parameters
    ----------
    starts
        When each frame began, seconds, in order; whole seconds are enough.
    exposure
        Of each, seconds.
    asked
        Interval that was set, seconds; None where the phone shoots as fast as it can.

    Returns
    -------
    IntervalCheck
        What the first frames say about the sequence.

    Raises
    ------
    BrutoError
        Of fewer than two frames.
    """
    if len(starts) < 2:
        raise BrutoError(tr("At least two frames are needed to see how they follow each other."))
    if not (math.isfinite(exposure) and exposure > 0):
        raise BrutoError(tr("The exposure time must be longer than 0 s."))
    every = np.diff(np.asarray(starts, float))
    if (every < 0).any():
        raise BrutoError(tr("The frames are not in the order in which they were taken."))
    double = tuple(int(k) + 1 for k in np.flatnonzero(every < DOUBLE * exposure)) if exposure >= 2 else ()
    unique = [s for k, s in enumerate(starts) if k not in double]
    numbers = [k for k in range(len(starts)) if k not in double]
    steps = np.diff(np.asarray(unique, float))
    if not len(steps):
        raise BrutoError(tr("All of these are the same frame."))
    step = _step_of(steps, exposure)
    skips = 1
    if asked is not None and asked > 0:
        skips = max(1, round(step / asked))
    missed = tuple(
        (numbers[k], round(s / step) - 1) for k, s in enumerate(steps) if round(s / step) > 1 and s > LOST_FROM * step
    )
    drift = _drift(unique, step)
    return _judged(step, exposure, asked, skips, missed, double, drift)


def _drift(starts: Sequence[float], step: float) -> float:
    """Seconds by which the step grows from the first to the last frame; 0 where it is not clear."""
    if len(starts) < 8:
        return 0.0
    number = np.concatenate([[0], np.cumsum(np.maximum(1, np.rint(np.diff(starts) / step)))])
    bend, slope, _ = np.polyfit(number, np.asarray(starts, float), 2)
    residual = np.asarray(starts, float) - np.polyval(np.polyfit(number, starts, 2), number)
    error = max(float(residual.std()), 0.05) * 30 / max(number[-1], 1) ** 2  # of the bend, three standard deviations
    grown = float(2 * bend * number[-1])
    return grown if abs(bend) > error and abs(grown) > DRIFT_SHARE * max(slope, 1e-6) else 0.0


def _judged(
    step: float, exposure: float, asked: float | None, skips: int, missed: tuple[tuple[int, int], ...],
    double: tuple[int, ...], drift: float,
) -> IntervalCheck:  # fmt: skip
    messages = []
    pause = max(0.0, step - exposure)
    interval = exposure + pause + (SPARE_S + SPARE_SHARE * pause if asked is not None else 0.0)
    if asked is None:
        messages.append(
            tr(
                "A frame every {step:.2f} s: {exposure:g} s exposed, {pause:.2f} s to save it.",
                step=step,
                exposure=exposure,
                pause=pause,
            )
        )
    elif skips > 1:
        least = asked * (skips - 1)
        messages.append(
            tr(
                "The phone took only one of {skips} frames: after {exposure:g} s it needs more than {least:.1f} s to "
                "save. Set {interval:.1f} s.",
                skips=skips,
                exposure=exposure,
                least=max(least - exposure, 0),
                interval=interval,
            )
        )
    elif step <= asked * 1.02 + 0.05:
        interval = asked
        messages.append(tr("The phone keeps the interval of {asked:g} s.", asked=asked))
    else:
        messages.append(
            tr(
                "The phone takes {step:.2f} s instead of {asked:g} s. Set {interval:.1f} s.",
                step=step,
                asked=asked,
                interval=interval,
            )
        )
    if drift > 0:
        interval += drift
        messages.append(
            tr(
                "The pause grows, by {drift:.1f} s so far. Set {interval:.1f} s, or stop to let the phone cool.",
                drift=drift,
                interval=interval,
            )
        )
    for number, count in missed[:3]:
        messages.append(
            trn(
                "{count} frame missing after frame {number}.",
                "{count} frames missing after frame {number}.",
                count=count,
                number=number + 1,
            )
        )
    if len(missed) > 3:
        messages.append(tr("Frames are missing at {missed_count} more places.", missed_count=len(missed) - 3))
    if double:
        messages.append(
            trn("{double_count} frame exists twice.", "{double_count} frames exist twice.", double_count=len(double))
        )
    return IntervalCheck(step, pause, missed, double, drift, skips, interval, tuple(messages))


def as_json(plan: FramePlan, seen: IntervalCheck | None, names: Sequence[str] = ()) -> dict[str, Any]:
    """Return what the command line prints; `names` of the frames that were watched.

    Parameters
    ----------
    plan
        The plan.
    seen
        What was read of the file.
    names
        Names of the parts.

    Returns
    -------
    dict[str, Any]
        As the command line tells it.
    """
    found: dict[str, Any] = {
        "interval_s": round(plan.interval, 3), "pause_s": round(plan.pause, 3), "frames": plan.frames,
        "gap_s": round(plan.pause, 3), "missed": [],
        "storage_mb": None if plan.bytes_each is None or plan.frames is None
        else round(plan.bytes_each * plan.frames / 1e6, 1),
    }  # fmt: skip
    if seen is not None:
        found["missed"] = [
            {"after": names[k] if k < len(names) else str(k + 1), "frames": count} for k, count in seen.missed
        ]
        found["double"] = [names[k] if k < len(names) else str(k + 1) for k in seen.double]
        found["skips"], found["drift_s"] = seen.skips, round(seen.drift, 3)
        found["corrected_interval_s"], found["said"] = round(seen.interval, 2), list(seen.messages)
    return found
