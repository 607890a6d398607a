"""The middle value of all frames of a burst: what passes through it is gone, at some cost in noise."""

from __future__ import annotations

import math
from collections.abc import Sequence

from bruto.catalog import tr
from bruto.merge.methods.method import Combined, MergeSteps, Method
from bruto.merge.order_statistics import middle_values
from bruto.merge.reader import Reader
from bruto.merge.spool import combined_by_rows

_EFFICIENCY = {2: 1.0, 3: 0.743, 4: 0.838, 5: 0.697, 6: 0.776, 7: 0.679, 8: 0.743}
"""Efficiency of the median of so many normal values against their mean; 2 / pi in the limit."""


def efficiency(count: int) -> float:
    """Compute the variance of the mean of `count` normal values over that of their median.

    Parameters
    ----------
    count
        Number of values.

    Returns
    -------
    float
        Variance of the mean of `count` normal values over that of their median.
    """
    return _EFFICIENCY.get(count, 0.637 + 0.6 / count)


def _combine(reader: Reader) -> Combined:
    merged, count = combined_by_rows(reader, middle_values, tr("calculating medians"))
    gain = math.sqrt(count * efficiency(count))
    return Combined(merged, reader.reference.noise / gain**2, gain, math.sqrt(count))


def _expect(frames: Sequence[MergeSteps]) -> str:
    n = max(len(frames), 1)
    return tr("Expect {sqrt:.1f} × less noise. The first frame is the reference.", sqrt=math.sqrt(n * efficiency(n)))


MEDIAN = Method(
    key="median",
    command="noise",
    help=tr("Merge a burst of equal exposure for less noise."),
    title=tr("Median"),
    sets=("burst",),
    expect=_expect,
    combine=_combine,
    gain=lambda n: math.sqrt(n * efficiency(n)),
)
