"""Planned shots compared with the shots that were taken."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.interval import watched
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.sensor.advice import time_text

SAME, NEAR = 0.2, 3.0
"""Distance in stops (of time and of ISO) up to which a shot is what was asked, and beyond which it is another one."""
LENS_SAME = 0.06
"""Share by which focal lengths of one lens may differ."""
LATE_PER_H = 0.015
"""Stops that an hour beside the time of a planned shot counts for: it separates two of one setting."""
ABOUT_H = 1.5
"""Hours about its time in which a planned shot without settings is taken."""
LEAST_FRAMES = 3
"""Of a sequence that tell its interval: stamps are of whole seconds."""
ENOUGH = 0.9
"""Share of the frames that have to be there."""


@dataclass(frozen=True)
class TakenShot:
    """What is known of a shot that was taken."""

    name: str
    iso: float | None
    seconds: float | None
    focal_35mm: float | None
    taken: str = ""
    """When, ISO 8601 by the phone's clock, "" where it is unknown."""


@dataclass(frozen=True)
class PlanMatch:
    """`shots` that belong to it; `note` where it is not just done."""

    planned: PlannedShot
    state: str
    """"done", "differently" or "missing"."""
    shots: tuple[TakenShot, ...] = ()
    note: str = ""
    pace: str = ""
    """What is wrong with the interval of a sequence, and what to set instead, as soon as its first frames tell it."""


def _stops(a: float | None, b: float | None) -> float:
    """How many stops apart two values are; 0 where one is unknown."""
    return abs(math.log2(a / b)) if a and b else 0.0


def _hours(planned: PlannedShot, shot: TakenShot) -> float | None:
    """How many hours a shot was taken beside the time of a planned shot; None where one of them tells no time."""
    try:
        begin, at = datetime.fromisoformat(planned.at), datetime.fromisoformat(shot.taken)
    except ValueError:
        return None
    if (begin.tzinfo is None) != (at.tzinfo is None):
        begin, at = begin.replace(tzinfo=None), at.replace(tzinfo=None)
    lasts = (planned.frames - 1) * max(planned.interval_s or 0.0, planned.seconds or 0.0)
    late = (at - begin).total_seconds()
    return max(-late, late - lasts, 0.0) / 3600


def _apart(planned: PlannedShot, shot: TakenShot) -> float:
    """How far a shot is from a planned shot, stops; infinite of another lens.

    Of two that are equally near, the one whose time it is comes first; one without settings is for what was taken
    at its time.
    """
    if planned.focal_35mm and shot.focal_35mm and abs(shot.focal_35mm / planned.focal_35mm - 1) > LENS_SAME:
        return math.inf
    hours = _hours(planned, shot)
    if planned.iso is None and planned.seconds is None:
        return 0.0 if hours is not None and hours <= ABOUT_H else math.inf
    late = LATE_PER_H * min(hours or 0.0, 12.0)
    return math.hypot(_stops(planned.seconds, shot.seconds), _stops(planned.iso, shot.iso)) + late


def pace_of(planned: PlannedShot, shots: Sequence[TakenShot]) -> str:
    """Say what is wrong with the interval of a sequence by its frames.

    "" where nothing is wrong, or where it cannot be determined.

    Parameters
    ----------
    planned
        The planned shot.
    shots
        The shots concerned.

    Returns
    -------
    str
        What is wrong with the interval of a sequence by its frames, "" where nothing is or nothing can be determined.
    """
    if not (planned.interval_s and planned.seconds):
        return ""
    times = []
    for shot in shots:
        try:
            times.append(datetime.fromisoformat(shot.taken))
        except ValueError:
            return ""
    if len(times) < LEAST_FRAMES:
        return ""
    times.sort()
    try:
        seen = watched([(t - times[0]).total_seconds() for t in times], planned.seconds, planned.interval_s)
    except BrutoError:
        return ""
    wrong = seen.missed or seen.double or seen.skips > 1 or seen.drift > 0
    return " ".join(seen.messages) if wrong or abs(seen.interval - planned.interval_s) > 0.05 else ""


def matched(plan: Plan, shots: Sequence[TakenShot]) -> list[PlanMatch]:
    """Match the shots that were taken with those that were planned.

    Each shot belongs to the nearest planned shot, if any is near.

    A planned shot is done where enough of its frames are as asked; else what was got instead is reported, or that it is
    missing.

    Parameters
    ----------
    plan
        The plan.
    shots
        The shots concerned.

    Returns
    -------
    list[PlanMatch]
        Shots that were taken laid on what was wished.
    """
    of: list[list[tuple[float, TakenShot]]] = [[] for _ in plan.planned_shots]
    for shot in shots:
        near = [(_apart(w, shot), k) for k, w in enumerate(plan.planned_shots)]
        far, k = min(near, default=(math.inf, 0))
        if far <= NEAR:
            of[k].append((far, shot))
    found: list[PlanMatch] = []
    for planned, some in zip(plan.planned_shots, of, strict=True):
        exact = [s for far, s in some if far <= SAME]
        every = tuple(s for _, s in some)
        if len(exact) >= ENOUGH * planned.frames:
            found.append(PlanMatch(planned, "done", tuple(exact), pace=pace_of(planned, exact)))
        elif exact:
            note = tr("{frames} frames planned, {exact_count} taken", frames=planned.frames, exact_count=len(exact))
            found.append(PlanMatch(planned, "differently", every, note, pace_of(planned, exact)))
        elif some:
            near_shot = min(some, key=lambda each: each[0])[1]
            parts = []
            if _stops(planned.seconds, near_shot.seconds) > SAME:
                parts.append(
                    tr(
                        "{time} planned, {time2} taken",
                        time=time_text(planned.seconds),
                        time2=time_text(near_shot.seconds),
                    )
                )
            if _stops(planned.iso, near_shot.iso) > SAME:
                parts.append(tr("ISO {iso:.0f} planned, ISO {iso2:.0f} taken", iso=planned.iso, iso2=near_shot.iso))
            found.append(PlanMatch(planned, "differently", every, "; ".join(parts)))
        else:
            found.append(PlanMatch(planned, "missing", (), tr("no shot comes close")))
    return found


@dataclass(frozen=True)
class Summary:
    """How many planned shots are done, done differently and missing."""

    done: int
    differently: int
    missing: int
    names: dict[str, list[str]] = field(default_factory=dict)


def summary(matches: Sequence[PlanMatch]) -> Summary:
    """Count what was done of a plan.

    Parameters
    ----------
    matches
        Planned shots with what was taken.

    Returns
    -------
    Summary
        Counts of what was done, done differently and missing.
    """
    states = [b.state for b in matches]
    names = {s: [b.planned.title for b in matches if b.state == s] for s in ("done", "differently", "missing")}
    return Summary(states.count("done"), states.count("differently"), states.count("missing"), names)
