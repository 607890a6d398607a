"""What became of a plan: shots that were taken, laid on what was wished."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from bruto.errors import BrutoError
from bruto.plan.interval import watched
from bruto.plan.wishes import Plan, Wish
from bruto.sensor.advice import time_text

SAME, NEAR = 0.2, 3.0
"""Distance in stops (of time and of ISO) up to which a shot is what was asked, and beyond which it is another one."""
LENS_SAME = 0.06
"""Share by which focal lengths of one lens may differ."""
LATE_PER_H = 0.015
"""Stops that an hour beside the time of a wish counts for: enough to tell two wishes with one setting apart."""
ABOUT_H = 1.5
"""Hours about its time in which a wish without settings is taken."""
LEAST_FRAMES = 3
"""Of a sequence that tell its interval: stamps are of whole seconds."""
ENOUGH = 0.9
"""Share of the frames that have to be there."""


@dataclass(frozen=True)
class Shot:
    """What is known of a shot that was taken; `taken`: when, ISO 8601 by the phone's clock, "" where it is not told."""

    name: str
    iso: float | None
    seconds: float | None
    focal_35mm: float | None
    taken: str = ""


@dataclass(frozen=True)
class Became:
    """`state`: "done", "differently" or "missing"; `shots` that belong to it; `said` where it is not just done; `pace`:
    what is wrong with the interval of a sequence, and what to set instead, as soon as its first frames tell it.
    """

    wish: Wish
    state: str
    shots: tuple[Shot, ...] = ()
    said: str = ""
    pace: str = ""


def _stops(a: float | None, b: float | None) -> float:
    """How many stops apart two values are; 0 where one is not told."""
    return abs(math.log2(a / b)) if a and b else 0.0


def _hours(wish: Wish, shot: Shot) -> float | None:
    """How many hours a shot was taken beside the time of a wish; None where one of them tells no time."""
    try:
        begin, at = datetime.fromisoformat(wish.at), datetime.fromisoformat(shot.taken)
    except ValueError:
        return None
    if (begin.tzinfo is None) != (at.tzinfo is None):
        begin, at = begin.replace(tzinfo=None), at.replace(tzinfo=None)
    lasts = (wish.frames - 1) * max(wish.interval_s or 0.0, wish.seconds or 0.0)
    late = (at - begin).total_seconds()
    return max(-late, late - lasts, 0.0) / 3600


def _apart(wish: Wish, shot: Shot) -> float:
    """How far a shot is from a wish, stops; infinite of another lens. Of two that are as near the one whose time it is
    is the nearer; a wish without settings is for what was taken at its time.
    """
    if wish.focal_35mm and shot.focal_35mm and abs(shot.focal_35mm / wish.focal_35mm - 1) > LENS_SAME:
        return math.inf
    hours = _hours(wish, shot)
    if wish.iso is None and wish.seconds is None:
        return 0.0 if hours is not None and hours <= ABOUT_H else math.inf
    late = LATE_PER_H * min(hours or 0.0, 12.0)
    return math.hypot(_stops(wish.seconds, shot.seconds), _stops(wish.iso, shot.iso)) + late


def pace_of(wish: Wish, shots: Sequence[Shot]) -> str:
    """What is wrong with the interval of a sequence by its frames, "" where nothing is or nothing can be told."""
    if not (wish.interval_s and wish.seconds):
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
        seen = watched([(t - times[0]).total_seconds() for t in times], wish.seconds, wish.interval_s)
    except BrutoError:
        return ""
    wrong = seen.missed or seen.double or seen.skips > 1 or seen.drift > 0
    return " ".join(seen.said) if wrong or abs(seen.interval - wish.interval_s) > 0.05 else ""


def matched(plan: Plan, shots: Sequence[Shot]) -> list[Became]:
    """Shots that were taken laid on what was wished: each shot belongs to the nearest wish, if any is near.

    A wish is done where enough of its frames are as asked; else it is told what was got instead, or that it is missing.
    """
    of: list[list[tuple[float, Shot]]] = [[] for _ in plan.wishes]
    for shot in shots:
        near = [(_apart(w, shot), k) for k, w in enumerate(plan.wishes)]
        far, k = min(near, default=(math.inf, 0))
        if far <= NEAR:
            of[k].append((far, shot))
    found: list[Became] = []
    for wish, some in zip(plan.wishes, of, strict=True):
        exact = [s for far, s in some if far <= SAME]
        every = tuple(s for _, s in some)
        if len(exact) >= ENOUGH * wish.frames:
            found.append(Became(wish, "done", tuple(exact), pace=pace_of(wish, exact)))
        elif exact:
            said = f"asked {wish.frames} frames, got {len(exact)}"
            found.append(Became(wish, "differently", every, said, pace_of(wish, exact)))
        elif some:
            near_shot = min(some, key=lambda each: each[0])[1]
            parts = []
            if _stops(wish.seconds, near_shot.seconds) > SAME:
                parts.append(f"asked {time_text(wish.seconds)}, got {time_text(near_shot.seconds)}")
            if _stops(wish.iso, near_shot.iso) > SAME:
                parts.append(f"asked ISO {wish.iso:.0f}, got ISO {near_shot.iso:.0f}")
            found.append(Became(wish, "differently", every, "; ".join(parts)))
        else:
            found.append(Became(wish, "missing", (), "no shot is near to it"))
    return found


@dataclass(frozen=True)
class Summary:
    """How many wishes are done, done differently and missing."""

    done: int
    differently: int
    missing: int
    names: dict[str, list[str]] = field(default_factory=dict)


def summary(became: Sequence[Became]) -> Summary:
    """The sum of what became of a plan."""
    states = [b.state for b in became]
    names = {s: [b.wish.title for b in became if b.state == s] for s in ("done", "differently", "missing")}
    return Summary(states.count("done"), states.count("differently"), states.count("missing"), names)
