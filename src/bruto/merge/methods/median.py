"""The middle value of all frames of a burst: what passes through it is gone, at some cost in noise."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Sequence

import numpy as np

from bruto.files import explain
from bruto.merge.frames import warped_band
from bruto.merge.methods.method import Combined, Method, Shown
from bruto.merge.reader import Reader

BAND, ROWS = 384, 64
"""Rows that are written, and that are read back, at a time."""
_EFFICIENCY = {2: 1.0, 3: 0.743, 4: 0.838, 5: 0.697, 6: 0.776, 7: 0.679, 8: 0.743}
"""Efficiency of the median of so many normal values against their mean; 2 / pi in the limit."""


def efficiency(count: int) -> float:
    """Variance of the mean of `count` normal values over that of their median."""
    return _EFFICIENCY.get(count, 0.637 + 0.6 / count)


def _combine(reader: Reader) -> Combined:
    """Aligned frames are spooled to a temporary file beside the output; memory holds some rows of all of them."""
    h, w = reader.size
    try:
        with tempfile.TemporaryFile(dir=reader.scratch) as spool:
            count = 0
            for frame, alignment in reader:
                count += 1
                for top in range(0, h, BAND):
                    reader.check()
                    band, inside = warped_band(frame, alignment, top, min(h, top + BAND))
                    if inside is not None:
                        band[~inside] = np.nan
                    spool.write(band.astype(np.float16).tobytes())
            merged = np.empty((h, w, 3), np.float32)
            size = h * w * 6
            for top in range(0, h, ROWS):
                reader.check()
                rows = min(ROWS, h - top)
                stack = np.empty((count, rows, w, 3), np.float32)
                for k in range(count):
                    spool.seek(k * size + top * w * 6)
                    stack[k] = np.frombuffer(spool.read(rows * w * 6), np.float16).reshape(rows, w, 3)
                merged[top : top + rows] = np.nanmedian(stack, axis=0)
                reader.progress(0.9, "taking the middle values")
    except OSError as error:
        raise explain(error, reader.scratch / "temporary frames", "keep") from error
    gain = math.sqrt(count * efficiency(count))
    return Combined(merged, reader.reference.noise / gain**2, gain, math.sqrt(count))


def _expect(frames: Sequence[Shown]) -> str:
    n = max(len(frames), 1)
    return f"Noise should fall about {math.sqrt(n * efficiency(n)):.1f} ×. The first frame stays the reference."


MEDIAN = Method(
    key="median",
    command="noise",
    help="Merge a burst of equal exposure: less noise.",
    title="Median",
    sets=("burst",),
    expect=_expect,
    combine=_combine,
)
