"""A burst as one frame: the mean with weights that fall where a frame differs from the first by more than the noise
explains, so that moving things are taken from the first alone.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numba import njit, prange

import bruto.compiled  # noqa: F401  sets up what kernels run on
from bruto.merge.frames import warped_band
from bruto.merge.methods.method import Combined, Method, Shown
from bruto.merge.reader import Reader

BAND = 384


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _accumulate(band, reference, a, b, inside, all_inside, total, weights, squares):
    """Add a band with weights that fall where its 3 x 3 mean differs from the reference by more than noise."""
    h, w = band.shape[:2]
    for y in prange(h):
        for x in range(w):
            if not all_inside and not inside[y, x]:
                continue
            excess = np.float32(0)
            for c in range(3):
                d = np.float32(0)
                level = np.float32(0)
                n = np.float32(0)
                for j in range(max(0, y - 1), min(h, y + 2)):
                    for i in range(max(0, x - 1), min(w, x + 2)):
                        d += band[j, i, c] - reference[j, i, c]
                        level += reference[j, i, c]
                        n += 1
                d /= n
                variance = 2 * (a[c] * max(level / n, np.float32(0)) + b[c])
                # neighbours are correlated by the demosaicing: nine count as about three; small shifts of edges are
                # allowed for
                room = variance / 3 + (np.float32(0.05) * level / n) ** 2
                excess = max(excess, d * d / room)
            weight = np.float32(1)
            if excess > 9:
                weight = np.float32(math.exp(-(excess - 9) / 6))
            for c in range(3):
                total[y, x, c] += weight * band[y, x, c]
            weights[y, x] += weight
            squares[y, x] += weight * weight


def _combine(reader: Reader) -> Combined:
    """Memory holds one frame, the reference and the sums."""
    h, w = reader.size
    first = reader.reference
    a, b = first.noise[:, 0].astype(np.float32), first.noise[:, 1].astype(np.float32)
    reference = np.empty((h, w, 3), np.float32)
    for top in range(0, h, BAND):
        reference[top : top + BAND] = warped_band(first, None, top, min(h, top + BAND))[0]
    total, weights, squares = reference.copy(), np.ones((h, w), np.float32), np.ones((h, w), np.float32)
    for frame, alignment in reader:
        if frame is first:
            continue
        for top in range(0, h, BAND):
            reader.check()
            bottom = min(h, top + BAND)
            band, inside = warped_band(frame, alignment, top, bottom)
            rows = slice(top, bottom)
            mask = np.zeros((1, 1), bool) if inside is None else inside
            _accumulate(band, reference[rows], a, b, mask, inside is None, total[rows], weights[rows], squares[rows])
    del reference
    total /= weights[..., None]
    gain = float(np.median(weights[::4, ::4] / np.sqrt(squares[::4, ::4])))
    return Combined(total, first.noise / gain**2, gain, math.sqrt(len(reader.used)))


def _expect(frames: Sequence[Shown]) -> str:
    return f"Noise should fall about {math.sqrt(len(frames)):.1f} ×. The first frame stays the reference."


MEAN = Method(
    key="mean",
    command="noise",
    help="Merge a burst of equal exposure: less noise.",
    title="Mean, moving things kept out",
    sets=("burst",),
    expect=_expect,
    combine=_combine,
)
