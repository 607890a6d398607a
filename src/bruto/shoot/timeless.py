"""Sets among shots whose files state no time: frames in a row by their names that show the same view."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from bruto.sensor.report import SensorReport
from bruto.shoot.shots import Shot, ShotSet
from bruto.shoot.similarity import likeness

FEWEST = 3
"""Frames of a set that nothing but names and likeness tells."""
SAME_VIEW = 0.8
"""Correlation of structure of neighbouring frames: stricter than for takes minutes apart."""
_NUMBERED = re.compile(r"(.*?)(\d+)(\D*)", re.DOTALL)


def is_timeless(shot: Shot) -> bool:
    """Return whether a raw states no time.

    Parameters
    ----------
    shot
        The shot concerned.

    Returns
    -------
    bool
        Whether only its name tells its order.
    """
    return shot.raw is not None and shot.seen is not None and shot.taken is None and not shot.problem


def _next_in_name(a: Shot, b: Shot) -> bool:
    one, two = _NUMBERED.fullmatch(a.name), _NUMBERED.fullmatch(b.name)
    if one is None or two is None:
        return False
    return (one[1].lower(), one[3].lower(), int(one[2]) + 1) == (two[1].lower(), two[3].lower(), int(two[2]))


def _alike(a: Shot, b: Shot, reports: Mapping[str, SensorReport]) -> bool:
    if a.seen is None or b.seen is None or not _next_in_name(a, b):
        return False
    one, two = a.seen, b.seen
    # a bracket without times states its exposures, and is made by hand
    own, other = ((s.model, s.kind, s.oriented_size, s.focal_mm, s.iso, s.exposure_s) for s in (one, two))
    first, second = reports.get(str(a.main)), reports.get(str(b.main))
    if own != other or first is None or second is None:
        return False
    return likeness(first, second) >= SAME_VIEW


def with_timeless(sets: Sequence[ShotSet], reports: Mapping[str, SensorReport]) -> list[ShotSet]:
    """Join single shots without a time that are frames of one burst.

    Parameters
    ----------
    sets
        Sets in order, as times tell them.
    reports
        Measurements by main file; shots without one stay alone.

    Returns
    -------
    list[ShotSet]
        The same shots, in sets.
    """
    result: list[ShotSet] = []
    row: list[Shot] = []

    def close() -> None:
        if len(row) >= FEWEST:
            result.append(ShotSet("burst", tuple(row)))
        else:
            result.extend(ShotSet("single", (s,)) for s in row)
        row.clear()

    for group in sets:
        shot = group.shots[0]
        if group.kind != "single" or not is_timeless(shot):
            close()
            result.append(group)
            continue
        if row and not _alike(row[-1], shot, reports):
            close()
        row.append(shot)
    close()
    return result
