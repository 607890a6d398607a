"""The clipped mean of a burst: values far from the middle one of their place are left out, the others averaged. Nearly
the gain of the mean, and what passes through a few frames is gone even from the first.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from bruto.merge.methods.method import Combined, Method, Shown
from bruto.merge.reader import Reader
from bruto.merge.spool import combined_by_rows

FAR = 2.5
"""Standard deviations of the noise from the middle value, beyond which a value is left out."""


def clipped_mean(stack: NDArray[np.float32], noise: NDArray) -> NDArray[np.float32]:
    """Frames (N, rows, W, 3), NaN where there is nothing, to one; `noise` (3, 2): a, b of variance a x + b.

    >>> stack = np.full((5, 1, 1, 3), 0.2, np.float32); stack[0] = 0.9
    >>> bool(np.allclose(clipped_mean(stack, np.full((3, 2), 1e-6)), 0.2))
    True
    """
    middle = np.nanmedian(stack, axis=0)
    a, b = noise[:, 0].astype(np.float32), noise[:, 1].astype(np.float32)
    room = np.float32(FAR) * np.sqrt(a * np.maximum(middle, 0) + b)
    near = np.abs(stack - middle) <= room  # False where there is nothing
    count = near.sum(axis=0)
    mean = np.where(near, stack, 0).sum(axis=0) / np.maximum(count, 1)
    return np.where(count > 0, mean, middle).astype(np.float32)


def _combine(reader: Reader) -> Combined:
    noise = reader.reference.noise
    merged, count = combined_by_rows(reader, lambda stack: clipped_mean(stack, noise), "averaging what agrees")
    gain = 0.97 * math.sqrt(count)  # 1.2 % of normal values lie farther out than `FAR`, and the middle one is noisy too
    return Combined(merged, noise / gain**2, gain, math.sqrt(count))


def _expect(frames: Sequence[Shown]) -> str:
    return f"Noise should fall about {0.97 * math.sqrt(len(frames)):.1f} ×; what is in few frames only is left out."


CLIPPED = Method(
    key="clipped",
    command="noise",
    help="Merge a burst of equal exposure: less noise.",
    title="Clipped mean, passing things left out",
    sets=("burst",),
    expect=_expect,
    combine=_combine,
    gain=lambda n: 0.97 * math.sqrt(n),
)
