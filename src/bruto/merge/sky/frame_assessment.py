"""The frames of a night: in which order they were taken, which belong together, and what is known of each of them."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from bruto.catalog import items, tr
from bruto.container.quick_metadata import read_quick_metadata
from bruto.errors import BrutoError
from bruto.merge.rejection import Rejection, RejectionKind
from bruto.merge.sky.stars import Spots

GAP = 1.6
"""Times the usual interval from which one frame is missing."""
CLOCK_S = 1.2
"""Seconds by which clocks that tell whole ones may lie beside an even pace."""
MOST_NAMED = 4
"""Frames that a message names, of many."""
CLOCK_STEP_S, MOST_CLOCK_S = 1800.0, 7200.0
"""Seconds by which clocks are put forward or back, for summer or in another zone, and how far at most."""
SLACK = 1.05
"""Times the exposure from one frame to the next where no clock tells it."""
WHOLE_S = 2.0
"""Exposure times from which clocks that tell whole seconds must tell frames apart."""


@dataclass
class FrameAssessment:
    """What is known of a frame: `start`, seconds since the first; `why` it is not used, "" where it is; `spots`.

    `lines` of light that passed (x0, y0, x1, y1; shares of the width and the height); `sharp`, against the others
    of its chunk.
    """

    path: Path
    start: float
    seconds: float
    why: str = ""
    spots: Spots = field(default_factory=lambda: Spots(np.zeros((0, 2)), np.zeros(0), np.zeros(0)))
    lines: tuple[tuple[float, float, float, float], ...] = ()
    sharp: float = 1.0
    level: float = 0.0
    """Median over the frame, of saturation."""
    cloud: float = 0.0
    """Share of the sky under clouds, `clear`: the rest."""
    fine: bool = True
    """Whether its spots are measured to a part of a pixel."""
    note: str = ""
    """What else is to be said of it."""

    @property
    def clear(self) -> float:
        """Share of the sky that is seen."""
        return 1 - self.cloud


def pace_of(frames: Sequence[FrameAssessment]) -> float:
    """Compute the usual seconds from one frame to the next.

    Parameters
    ----------
    frames
        Frames in order of time.

    Returns
    -------
    float
        Usual seconds from one frame to the next.
    """
    starts = [f.start for f in frames if not f.why]
    return float(np.median(np.diff(starts))) if len(starts) > 1 else 1.0


def too_few(frames: Sequence[FrameAssessment]) -> BrutoError:
    """Return the error that fewer than two frames can be merged, and why some of them cannot.

    Parameters
    ----------
    frames
        Frames in order of time.

    Returns
    -------
    BrutoError
        That fewer than two frames can be merged, and why some of them cannot.
    """
    bad = [f"{f.path.name}: {f.why}" for f in frames if f.why]
    more = tr(" And {bad_count} more.", bad_count=len(bad) - MOST_NAMED) if len(bad) > MOST_NAMED else ""
    return BrutoError(
        tr("Fewer than two of these frames can be merged. {bad}.{more}", bad="; ".join(bad[:MOST_NAMED]), more=more)
    )


def plan(paths: Sequence[Path]) -> list[FrameAssessment]:
    """Return the frames in order of time by what their files say.

    Unreadable ones, test shots, and those of other lenses are marked as not used.

    Parameters
    ----------
    paths
        Files in order.

    Returns
    -------
    list[FrameAssessment]
        Frames in order of time by what their files say.

    Raises
    ------
    BrutoError
        Where none can be read.
    """
    found: list[FrameAssessment] = []
    known: list[tuple[Path, datetime | None, tuple[Any, ...], float]] = []
    for path in paths:
        try:
            m = read_quick_metadata(path)
        except BrutoError as error:
            found.append(FrameAssessment(path, 0.0, 0.0, why=str(error)))
            continue
        taken = None
        with contextlib.suppress(ValueError):
            taken = datetime.strptime(m.taken[:19], "%Y:%m:%d %H:%M:%S") if m.taken else None
        known.append((path, taken, (m.model, m.focal_mm, m.iso, m.exposure_s), float(m.exposure_s or 0.0)))
    if not known:
        raise BrutoError(tr("None of these frames can be read."))
    kinds = [k for *_, k, _ in known]
    usual = max(set(kinds), key=kinds.count)
    timed = all(t is not None for _, t, _, _ in known)
    notes: dict[Path, str] = {}
    if timed:
        known.sort(key=lambda t: _by_number(t[0].name))
        times = [(p, t) for p, t, _, _ in known if t is not None]
        timed = _ticks([t for _, t in times], float(usual[3] or 0.0))
        if timed:
            at, notes = _one_clock(times)
            known = [(p, at[p], k, s) for p, _, k, s in known]
            known.sort(key=lambda t: (t[1], t[0].name))
    begin, seconds = next((t, s) for _, t, k, s in known if k == usual)
    for n, (path, taken, kind, own) in enumerate(known):
        start = n * (seconds or 1.0) * SLACK
        if timed and taken is not None and begin is not None:
            start = (taken - begin).total_seconds()
        why = "" if kind == usual else _unlike(kind, usual)
        found.append(FrameAssessment(path, start, own, why, note=notes.get(path, "")))
    _smooth_starts([f for f in found if not f.why])
    return found


def _ticks(times: Sequence[datetime], seconds: float) -> bool:
    """Whether times tell frames apart: copied files have that of the copy, and one frame ends before the next."""
    steps = [(b - a).total_seconds() for a, b in pairwise(sorted(times))]
    return seconds < WHOLE_S or not steps or float(np.median(steps)) > 0.5 * seconds


def _by_number(name: str) -> tuple[str | int, ...]:
    """Return a name by which files sort as they were numbered: 9 before 10."""
    return tuple(int(part) if part.isdecimal() else part for part in re.split(r"(\d+)", name))


def _one_clock(known: list[tuple[Path, datetime]]) -> tuple[dict[Path, datetime], dict[Path, str]]:
    """Return the times of files as if the phone's clock had not been put forward or back meanwhile.

    Files are in the order of their names; clocks are put by whole half hours. Notes on the frames before which that
    happened come with the times.
    """
    steps = [(b - a).total_seconds() for (_, a), (_, b) in pairwise(known)]
    usual = float(np.median(steps)) if steps else 0.0
    times, notes, ahead = dict(known[:1]), {}, 0.0
    for step, (path, taken) in zip(steps, known[1:], strict=True):
        changed = CLOCK_STEP_S * round((step - usual) / CLOCK_STEP_S)
        if 0 < usual < CLOCK_STEP_S and 0 < abs(changed) <= MOST_CLOCK_S and abs(step - usual - changed) <= 2:
            ahead += changed
            hours = abs(changed) / 3600
            notes[path] = (
                tr("the clock was set forward by {hours:g} h before {name}; corrected", hours=hours, name=path.name)
                if changed > 0
                else tr("the clock was set back by {hours:g} h before {name}; corrected", hours=hours, name=path.name)
            )
        times[path] = taken - timedelta(seconds=ahead)
    return times, notes


def _smooth_starts(used: list[FrameAssessment]) -> None:
    """Clocks tell whole seconds; a line through the frames tells their pace to a fraction."""
    if len(used) < 4:
        return
    starts = np.array([f.start for f in used])
    steps = np.diff(starts)
    pace = float(np.median(steps))
    if pace <= 0:
        return
    number = np.concatenate([[0], np.cumsum(np.maximum(1, np.rint(steps / pace)))])
    slope, offset = np.polyfit(number, starts, 1)
    smooth = slope * number + offset
    if np.abs(smooth - starts).max() <= CLOCK_S:  # else it has pauses of its own: the clock is believed
        for f, s in zip(used, smooth, strict=True):
            f.start = float(s)


def _setting(iso: float | None, seconds: float | None) -> str:
    speed = tr("ISO {iso:.0f}", iso=iso) if iso else tr("an unknown ISO")
    return items(speed, tr("{seconds:g} s", seconds=seconds) if seconds else tr("an unknown time"))


def _unlike(kind: tuple[Any, ...], usual: tuple[Any, ...]) -> str:
    if kind[:2] != usual[:2]:
        return tr("different phone or lens")
    text = tr("test shot: {own}, the others have {others}", own=_setting(*kind[2:4]), others=_setting(*usual[2:4]))
    return Rejection(RejectionKind.TEST_SHOT, text)
