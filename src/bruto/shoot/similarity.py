"""Near-duplicates: single shots of the same view, taken again within some minutes, by what their raws show."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from bruto.sensor.likeness import CELLS, structure_of
from bruto.sensor.likeness import likeness as structure_likeness
from bruto.sensor.report import SensorReport
from bruto.shoot.shots import Shot

AGAIN_WITHIN_S = 600.0
"""Longest pause between two takes of one view, seconds."""
SAME_VIEW = 0.6
"""Correlation of structure from which two shots show the same view."""


def likeness(a: SensorReport, b: SensorReport) -> float:
    """Compute the largest correlation of two shots' structure over shifts of the view, -1 to 1.

    Exposure does not matter.

    Parameters
    ----------
    a
        Report of the first shot.
    b
        Report of the second shot.

    Returns
    -------
    float
        Largest correlation of two shots' structure over shifts of the view, -1 to 1.
    """
    if not a.glimpse or not b.glimpse:
        return 0.0
    return structure_likeness(*(structure_of(np.reshape(r.glimpse, (CELLS, CELLS)) / 16) for r in (a, b)))


def takes_of(shot: Shot, shots: list[Shot], reports: Mapping[str, SensorReport]) -> list[Shot]:
    """Return the shots (in order of time) that show the same view as `shot`, itself among them.

    The same lens and way of holding, each taken within `AGAIN_WITHIN_S` of the next.

    Shots that are not measured yet are left out.

    Parameters
    ----------
    shot
        The shot concerned.
    shots
        The shots concerned.
    reports
        Measurements by main file.

    Returns
    -------
    list[Shot]
        Shots (in order of time) that show the same view as `shot`, itself among them.
    """
    own = reports.get(str(shot.main))
    if own is None or shot.seen is None or shot.taken is None:
        return []
    row = [s for s in shots if str(s.main) in reports and s.seen and s.taken and s.raw is not None]
    row = [s for s in row if _same_setup(s, shot)]
    if shot not in row:
        return []
    found = [shot]
    for side in (row[row.index(shot) + 1 :], row[: row.index(shot)][::-1]):
        last = shot
        for s in side:
            assert s.taken is not None and last.taken is not None
            if abs((s.taken - last.taken).total_seconds()) > AGAIN_WITHIN_S:
                break
            if likeness(own, reports[str(s.main)]) >= SAME_VIEW:
                found.append(s)
                last = s
    return [s for s in row if s in found]


def _same_setup(a: Shot, b: Shot) -> bool:
    assert a.seen is not None and b.seen is not None
    one, two = a.seen, b.seen
    same = (one.model, one.focal_mm, one.kind) == (two.model, two.focal_mm, two.kind)
    return same and (one.size[0] > one.size[1]) == (two.size[0] > two.size[1])
