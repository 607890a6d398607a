"""Which shots belong together: brackets, bursts, ladders of settings and trails, with test shots and strays apart."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from statistics import median
from typing import Any

from bruto.shoot.shots import Shot, ShotSet

BURST_GAP_S = 3.0
"""Longest pause between frames of a burst or bracket, seconds."""
LADDER_GAP_S = 60.0
"""Longest pause between steps of a ladder, which are set by hand, seconds."""
TRAIL_LEAST, TRAIL_LONGEST_S, TRAIL_JITTER = 5, 300.0, 0.25
"""Fewest frames of a trail, its longest interval in seconds, and how far intervals may stray from their median."""
LOST_FRAMES = 5
"""So many frames of a trail may be missing in one place."""
TEST_WINDOW_S = 900.0
"""Test shots come within this before a trail or ladder, seconds."""
EV_STEP = 0.3
"""Least step of a bracket, EV."""


def find_sets(shots: list[Shot]) -> list[ShotSet]:
    """Find the sets of shots that are in order of time; every shot is in just one set or a test shot of one.

    A merged frame has the time of its source frames: it stands alone behind their set.

    Parameters
    ----------
    shots
        The shots concerned.

    Returns
    -------
    list[ShotSet]
        Sets of shots that are in order of time.
    """
    merged = [s for s in shots if s.seen and s.seen.merged]
    groups: list[list[Shot]] = []
    for shot in (s for s in shots if s not in merged):
        if groups and _follows(groups[-1], shot):
            groups[-1].append(shot)
        else:
            groups.append([shot])
    found: list[ShotSet] = []
    for group in groups:
        found += _split(group)
    sets = _with_tests(_trails(_ladders(found)))
    for shot in merged:
        before = [k for k, g in enumerate(sets) if shot.taken and g.shots[0].taken and g.shots[0].taken <= shot.taken]
        sets.insert(before[-1] + 1 if before else len(sets), ShotSet("single", (shot,)))
    return sets


def _setup(s: Shot) -> tuple[Any, ...]:
    assert s.seen is not None
    return s.seen.model, s.seen.software, s.seen.kind, s.seen.size, s.seen.focal_mm, s.seen.focal_35mm


def _alike(a: Shot, b: Shot) -> bool:
    if a.seen is None or b.seen is None or a.taken is None or b.taken is None:
        return False
    return a.seen.kind != "picture" and _setup(a) == _setup(b)


def _pause(a: Shot, b: Shot) -> float:
    assert a.taken and b.taken and a.seen
    return (b.taken - a.taken).total_seconds() - (a.seen.exposure_s or 0)


def _follows(group: list[Shot], shot: Shot) -> bool:
    last = group[-1]
    return _alike(last, shot) and last.taken <= shot.taken and _pause(last, shot) <= BURST_GAP_S  # type: ignore[operator]


def _ev(s: Shot) -> float:
    return math.log2(s.light) if s.light > 0 else 0.0


def _split(group: list[Shot]) -> list[ShotSet]:
    """Split a run of quick shots into bursts, brackets (perhaps several in a row), or a ladder."""
    if len(group) < 2 or any(s.light <= 0 for s in group):
        return [ShotSet("single", (s,)) for s in group]
    evs = [round(_ev(s) / EV_STEP) for s in group]
    if len(set(evs)) == 1 and len({s.seen.iso for s in group if s.seen}) == 1:
        return [ShotSet("burst", tuple(group))]
    if len({s.seen.iso for s in group if s.seen}) > 1 and len(
        {(s.seen.iso, s.seen.exposure_s) for s in group if s.seen}
    ) == len(group):
        return (
            [ShotSet("ladder", tuple(group))]
            if len(group) > 2
            else [ShotSet("bracket" if len(set(evs)) == 2 else "ladder", tuple(group))]
        )
    for period in range(2, 10):  # a bracket ends where its exposures begin again
        whole = len(group) % period == 0 and len(set(evs[:period])) == period
        if whole and all(evs[k] == evs[k % period] for k in range(len(group))):
            return [ShotSet("bracket", tuple(group[k : k + period])) for k in range(0, len(group), period)]
    return _runs(group, evs)


def _runs(group: list[Shot], evs: list[int]) -> list[ShotSet]:
    """Split an uneven run: stretches of equal exposure are bursts, stretches of different ones brackets."""
    result: list[ShotSet] = []
    k = 0
    while k < len(group):
        n = 1
        while k + n < len(group) and evs[k + n] == evs[k]:
            n += 1
        if n > 1:
            result.append(ShotSet("burst", tuple(group[k : k + n])))
        else:
            while (
                k + n < len(group)
                and evs[k + n] not in evs[k : k + n]
                and not (k + n + 1 < len(group) and evs[k + n] == evs[k + n + 1])
            ):
                n += 1
            result.append(ShotSet("bracket" if n > 1 else "single", tuple(group[k : k + n])))
        k += n
    return result


def _ladders(sets: list[ShotSet]) -> list[ShotSet]:
    """Single shots in a row whose settings are swept by hand: each step another ISO or time, ISO in order."""
    result: list[ShotSet] = []
    k = 0
    while k < len(sets):
        row = _ladder_from(sets[k:])
        if len(row) >= 3 and len({s.seen.iso for s in row if s.seen}) >= 2:
            result.append(ShotSet("ladder", tuple(row)))
            k += len(row)
        else:
            result.append(sets[k])
            k += 1
    return result


def _ladder_from(sets: list[ShotSet]) -> list[Shot]:
    """Single shots from the first on, as long as every step is a new setting and the ISO goes one way."""
    row: list[Shot] = []
    steps: set[tuple[Any, ...]] = set()
    for group in sets:
        shot = group.shots[0]
        if group.kind != "single" or shot.seen is None or shot.light <= 0:
            break
        step = (shot.seen.iso, shot.seen.exposure_s)
        if row:
            isos = [s.seen.iso or 0 for s in row if s.seen] + [shot.seen.iso or 0]
            ordered = isos in (sorted(isos), sorted(isos, reverse=True))
            near = _alike(row[-1], shot) and -1 <= _pause(row[-1], shot) <= LADDER_GAP_S
            if not ordered or not near or step in steps:
                break
        row.append(shot)
        steps.add(step)
    return row


def _trails(sets: list[ShotSet]) -> list[ShotSet]:
    """Shots of equal settings at a regular interval, with frames perhaps lost between them."""
    result: list[ShotSet] = []
    k = 0
    while k < len(sets):
        taken, n = _trail_from(sets, k)
        if len(taken) >= TRAIL_LEAST and (n > 1 or _regular(taken)):
            result.append(ShotSet("trail", tuple(taken)))
            k += n
        else:
            result.append(sets[k])
            k += 1
    return result


def _intervals(shots: list[Shot]) -> list[float]:
    return [(b.taken - a.taken).total_seconds() for a, b in pairwise(shots) if a.taken and b.taken]


def _regular(shots: list[Shot]) -> bool:
    """Whether a quick run is a sequence of an interval timer: long exposures one after the other, not a burst."""
    exposure = shots[0].seen.exposure_s if shots[0].seen else None
    gaps = _intervals(shots)
    return bool(exposure and exposure >= 1.0 and gaps and max(gaps) - min(gaps) <= max(1.5, 0.1 * median(gaps)))


def _trail_from(sets: list[ShotSet], start: int) -> tuple[list[Shot], int]:
    """Return the shots of a trail that begins with set `start`, and how many sets it takes."""
    if sets[start].kind not in ("single", "burst"):
        return [], 0
    row, n = list(sets[start].shots), 1
    if row[0].seen is None or row[0].light <= 0:
        return [], 0
    while start + n < len(sets) and sets[start + n].kind in ("single", "burst"):
        more = list(sets[start + n].shots)
        same = _alike(row[-1], more[0]) and abs(_ev(row[0]) - _ev(more[0])) < EV_STEP / 2
        if not same or row[0].seen.iso != more[0].seen.iso:  # type: ignore[union-attr]
            break
        gap = (more[0].taken - row[-1].taken).total_seconds()  # type: ignore[operator]
        known = _intervals(row)
        step = median(known) if known else gap
        if gap > TRAIL_LONGEST_S or not 0 < step <= TRAIL_LONGEST_S:
            break
        frames = round(gap / step)
        if not 1 <= frames <= LOST_FRAMES + 1 or abs(gap - frames * step) > max(1.5, TRAIL_JITTER * step):
            break
        row += more
        n += 1
    # without regular steps it is a chance row of like shots
    gaps = _intervals(row)
    if len(row) >= 2 and gaps:
        step = median(gaps)
        off = [abs(g - round(g / step) * step) for g in gaps if step > 0]
        if step <= BURST_GAP_S and not _regular(row):
            return [], 0
        if off and max(off) > max(1.5, TRAIL_JITTER * step):
            return [], 0
    return row, n


def _with_tests(sets: list[ShotSet]) -> list[ShotSet]:
    """Single shots just before a trail or ladder, of the same lens but other settings, become its test shots."""
    result: list[ShotSet] = []
    for group in sets:
        tests: list[Shot] = []
        if group.kind in ("trail", "ladder"):
            first = group.shots[0]
            while result and result[-1].kind == "single" and len(tests) < 6:
                shot = result[-1].shots[0]
                if not _alike(shot, first) or not 0 <= (first.taken - shot.taken).total_seconds() <= TEST_WINDOW_S:  # type: ignore[operator]
                    break
                tests.insert(0, shot)
                result.pop()
        result.append(ShotSet(group.kind, group.shots, tuple(tests)) if tests else group)
    return result


def kind_by_hand(shots: Sequence[Shot]) -> str:
    """Find what kind of set shots make that were selected by hand.

    Parameters
    ----------
    shots
        The shots.

    Returns
    -------
    str
        "bracket" where exposures differ, else "burst".
    """
    light = [s.seen.exposure_s * s.seen.iso for s in shots if s.seen and s.seen.exposure_s and s.seen.iso]
    return "bracket" if light and math.log2(max(light) / min(light)) > EV_STEP else "burst"
