"""What moved between the frames of a bracket.

Each such place is taken from one frame, the same for all of it, so that nothing is seen twice and nothing half.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment
from bruto.merge.frames import Frame, is_still
from bruto.merge.planes import quads_of
from bruto.merge.resampling import nodes_of
from bruto.merge.weights import weights_of

DIFFERENT = 0.5
"""Weight below which two frames show different things."""
ROUGH = 0.25
"""Deviation of a neighbourhood that misalignment explains, as a share of the range around."""
LEAST, AROUND = 14, 9
"""Places of the half-size grid of something that moved at least, and width of what is taken along with it."""
CLIPPED_SHARE = 0.002
"""Share of a moved thing that may be clipped in the frame that it is taken from."""
FEATHER = 1.2
"""Standard deviation of the edge between frames, places of the half-size grid."""


def _gridded(frame: Frame, alignment: Alignment | None) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Quads (3, h, w) on the reference's grid, and where they hold picture."""
    quads = quads_of(frame)
    h, w = quads.shape[1:]
    if alignment is None or is_still(alignment):
        return quads, np.ones((h, w), bool)
    mx, my = alignment.at_size((w, h), (w, h)).maps()
    moved = np.stack([cv2.remap(q, mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for q in quads])
    return moved, (mx >= 0) & (mx <= w - 1) & (my >= 0) & (my <= h - 1)


def chosen_frames(
    frames: Sequence[tuple[Frame, Alignment | None]], exposures: NDArray[Any], full: float, reference: int
) -> NDArray[np.int8] | None:
    """Which frame each place is taken from, (h, w) at half the size; -1 where frames agree, None where all do.

    Parameters
    ----------
    frames
        In rising exposure, with their alignments on the reference.
    exposures
        Of each over the first one's.
    full
        Light from which on a frame is clipped.
    reference
        Number of the frame on whose grid the others lie.

    Returns
    -------
    NDArray[np.int8] | None
        For each coarse place the frame that is used alone, −1 where all are.
    """
    before: NDArray[np.float32] | None = None
    moved: NDArray[np.bool_] | None = None
    clipped = []
    h, w = (n // 2 for n in frames[0][0].linear.data.shape[:2])
    nodes = nodes_of(Alignment(np.eye(3), 0.0, 0.0, 0, (2 * w, 2 * h), (2 * w, 2 * h)), 2 * w, 2 * h)
    everywhere = np.ones((h, w), bool)
    for k, (frame, alignment) in enumerate(frames):
        quads, inside = _gridded(frame, alignment)
        clipped.append((quads.max(axis=0) >= full) | ~inside)
        everywhere &= inside
        quads /= np.float32(exposures[k])
        if before is not None and moved is not None:
            ratio = float(exposures[k])
            a = (frames[k - 1][0].noise[:, 0] / exposures[k - 1] + frame.noise[:, 0] / ratio) / 2
            b = (frames[k - 1][0].noise[:, 1] / exposures[k - 1] ** 2 + frame.noise[:, 1] / ratio**2) / 2
            weights = weights_of(before, quads, nodes, np.stack([a, b], axis=1), ROUGH, full / ratio)
            moved |= (weights < DIFFERENT) & everywhere
        moved = np.zeros((h, w), bool) if moved is None else moved
        before = quads
    assert moved is not None
    moved[:2], moved[-2:], moved[:, :2], moved[:, -2:] = False, False, False, False
    return _settled(moved, clipped, reference)


def _settled(moved: NDArray[np.bool_], clipped: Sequence[NDArray[np.bool_]], reference: int) -> NDArray[np.int8] | None:
    """Each thing that moved from the reference, or from the longest frame before it that does not clip there.

    Where several places belong to one thing, they show it where it was at one moment.
    """
    count, labels, stats, _ = cv2.connectedComponentsWithStats(moved.astype(np.uint8), connectivity=8)
    large = np.zeros(count, bool)
    large[1:] = stats[1:, cv2.CC_STAT_AREA] >= LEAST
    chosen = large[labels]
    if not chosen.any():
        return None
    wide = cv2.dilate(chosen.astype(np.uint8), np.ones((AROUND, AROUND), np.uint8))
    count, labels = cv2.connectedComponents(wide, connectivity=8)
    sizes = np.maximum(np.bincount(labels.ravel(), minlength=count), 1)
    frame_of = np.zeros(count, np.int8)
    for k in range(1, reference + 1):
        share = np.bincount(labels.ravel(), clipped[k].ravel(), count) / sizes
        frame_of[share <= CLIPPED_SHARE] = k
    frame_of[0] = -1
    return frame_of[labels]


def shares_of(chosen: NDArray[np.int8], k: int, size: tuple[int, int]) -> NDArray[np.float32]:
    """Find how much frame k counts at each place, (H, W; `size`), 0..1 with soft edges.

    Parameters
    ----------
    chosen
        Frame chosen for each place.
    k
        Index.
    size
        Width and height, pixels.

    Returns
    -------
    NDArray[np.float32]
        How much it counts (H, W), 0..1.
    """
    own = ((chosen < 0) | (chosen == k)).astype(np.float32)
    soft = cv2.GaussianBlur(own, (0, 0), FEATHER)
    return cv2.resize(soft, size[::-1], interpolation=cv2.INTER_LINEAR)
