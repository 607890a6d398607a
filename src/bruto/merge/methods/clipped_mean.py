"""The clipped mean of a burst: values far from the middle one of their place are left out, the others averaged.

Nearly the gain of the mean, and what passes through a few frames is gone even from the first.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from bruto.catalog import tr
from bruto.merge.methods.method import Combined, MergeSteps, Method
from bruto.merge.order_statistics import clipped_mean
from bruto.merge.reader import Reader
from bruto.merge.spool import combined_by_rows

FAR = 2.5
"""Standard deviations of the noise from the middle value, beyond which a value is left out."""


def _combine(reader: Reader) -> Combined:
    noise = reader.reference.noise
    merged, count = combined_by_rows(reader, lambda stack: clipped_mean(stack, noise, FAR), tr("averaging"))
    gain = 0.97 * math.sqrt(count)  # 1.2 % of normal values lie farther out than `FAR`, and the middle one is noisy too
    return Combined(merged, noise / gain**2, gain, math.sqrt(count))


def _expect(frames: Sequence[MergeSteps]) -> str:
    return tr(
        "Expect {sqrt:.1f} × less noise; what only a few frames show is left out.", sqrt=0.97 * math.sqrt(len(frames))
    )


CLIPPED = Method(
    key="clipped",
    command="noise",
    help=tr("Merge a burst of equal exposure for less noise."),
    title=tr("Clipped mean, without passers-by"),
    sets=("burst",),
    expect=_expect,
    combine=_combine,
    gain=lambda n: 0.97 * math.sqrt(n),
)
