"""A burst as one frame: the mean with weights that fall where a frame differs from the first.

By more than the noise explains, so that moving things are taken from the first alone.

Frames that stand still are added as they were stored and demosaiced once; others are demosaiced and moved.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.align.registration import Alignment
from bruto.catalog import tr
from bruto.merge.frames import Frame, is_still
from bruto.merge.methods.method import Combined, MergeSteps, Method
from bruto.merge.planes import planes_of, quads_of
from bruto.merge.reader import Reader
from bruto.merge.resampling import least_light_of, line_of, nodes_of, steep_tiles
from bruto.merge.weights import weights_of


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _doubled(weights, y, out):
    """Row y of weights (h, w) at twice the size, straight between their places."""
    h, w = weights.shape
    at = min(max((y - 0.5) / 2, 0.0), h - 1.0)
    row = min(int(at), max(h - 2, 0))
    part = np.float32(at - row)
    one, other = weights[row], weights[min(row + 1, h - 1)]
    for x in range(len(out)):
        left = min(max((x - 1) // 2, 0), w - 1)
        right = min((x + 1) // 2, w - 1)
        share = np.float32(0.25) if x % 2 else np.float32(0.75)
        a, b = one[left] + (other[left] - one[left]) * part, one[right] + (other[right] - one[right]) * part
        out[x] = a + (b - a) * share


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _add_moved(planes, steep, least_light, nodes, weights, total):
    """Add a frame (3, H, W) on the grid of the first with its weights (h, w; half the size)."""
    h, width = total.shape[1:]
    for y in prange(h):
        line, inside = np.empty((3, width), np.float32), np.empty(width, np.bool_)
        weight = np.empty(width, np.float32)
        line_of(planes, steep, least_light, nodes, y, line, inside)
        _doubled(weights, y, weight)
        for c in range(3):
            to, of = total[c, y], line[c]
            for x in range(width):
                to[x] += weight[x] * of[x]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _add_still(data, weights, total):
    """Add sites (H, channels * W) with weights (h, w; half the size)."""
    h, width = data.shape
    step = width // (weights.shape[1] * 2)
    for y in prange(h):
        weight = np.empty(width // max(step, 1), np.float32)
        _doubled(weights, y, weight)
        to, of = total[y], data[y]
        for x in range(width):
            to[x] += weight[x // step] * of[x]


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _settled(planes, total, still, moved):
    """Both sums as one mean, into `total` (3, H, W).

    `planes` are the mean of the frames that stand still, with weights `still`, `total` the sum of those that
    moved, with `moved` (h, w; half the size).
    """
    h, width = total.shape[1:]
    for y in prange(h):
        one, other = np.empty(width, np.float32), np.empty(width, np.float32)
        _doubled(still, y, one)
        _doubled(moved, y, other)
        for c in range(3):
            to, of = total[c, y], planes[c, y]
            for x in range(width):
                to[x] = (to[x] + one[x] * of[x]) / (one[x] + other[x])


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _divided(total, weights):
    h, width = total.shape
    step = width // (weights.shape[1] * 2)
    for y in prange(h):
        weight = np.empty(width // max(step, 1), np.float32)
        _doubled(weights, y, weight)
        for x in range(width):
            total[y, x] /= weight[x // step]


class Sums:
    """Sums of frames: of those that stand still at their sites, of others as planes on the first frame's grid."""

    def __init__(self, first: Frame) -> None:
        self.first = first
        self.quads = quads_of(first)
        self.planes: NDArray[np.float32] | None = None
        """One frame's colours: memory that is used again."""
        self.moved: NDArray[np.float32] | None = None
        shape = self.quads.shape[1:]
        self.still = first.linear.data.copy()
        self.weights_still, self.weights_moved = np.ones(shape, np.float32), np.zeros(shape, np.float32)
        self.squares = np.ones(shape, np.float32)

    def add(self, frame: Frame, alignment: Alignment | None) -> None:
        """Add one more frame.

        Parameters
        ----------
        frame
            Frame of the set.
        alignment
            Mapping from the first picture to the second.
        """
        h, w = frame.linear.data.shape[:2]
        whole = alignment or Alignment(np.eye(3), 0.0, 0.0, 0, (w, h), (w, h))
        nodes = nodes_of(whole, w, h)
        weights = weights_of(self.quads, quads_of(frame), nodes, self.first.noise)
        self.squares += weights * weights
        if is_still(alignment):
            self.weights_still += weights
            _add_still(frame.linear.data.reshape(h, -1), weights, self.still.reshape(h, -1))
            return
        self.weights_moved += weights
        if self.planes is None or self.moved is None:
            self.planes, self.moved = np.empty((3, h, w), np.float32), np.zeros((3, h, w), np.float32)
        planes_of(frame, self.planes)
        least = least_light_of(frame.noise)
        _add_moved(self.planes, steep_tiles(self.planes, least), least, nodes, weights, self.moved)

    def finished(self) -> tuple[NDArray[np.float32], float]:
        """Compute the mean as planes (3, H, W), and its gain."""
        first = self.first
        h = first.linear.data.shape[0]
        _divided(self.still.reshape(h, -1), self.weights_still)
        mean = planes_of(first.with_data(self.still), self.planes)
        if self.moved is not None:
            _settled(mean, self.moved, self.weights_still, self.weights_moved)
            mean = self.moved
        return mean, self.gain()

    def small(self) -> NDArray[np.float32]:
        """Find what is summed up so far, at half the size (3, H / 2, W / 2)."""
        total = quads_of(self.first.with_data(self.still))
        if self.moved is not None:
            for c in range(3):
                total[c] += cv2.resize(self.moved[c], total.shape[:0:-1], interpolation=cv2.INTER_AREA)
        return total / (self.weights_still + self.weights_moved)

    def gain(self) -> float:
        """How much lower the noise is than one frame's, as far as frames were added."""
        some = np.s_[::4, ::4]
        total = self.weights_still[some] + self.weights_moved[some]
        return float(np.median(total / np.sqrt(self.squares[some])))


def _combine(reader: Reader) -> Combined:
    """Memory holds one frame, the first and the sums."""
    first = reader.reference
    sums: Sums | None = None
    gains = [1.0]
    for frame, alignment in reader:
        reader.check()
        if sums is None:
            sums = Sums(first)
        if frame is not first:
            sums.add(frame, alignment)
            gains.append(sums.gain())
            reader.live.show(sums.small, first, len(gains))
    assert sums is not None
    light, gain = sums.finished()
    return Combined(light, first.noise / gain**2, gain, math.sqrt(len(reader.used)), gains=tuple(gains))


def _expect(frames: Sequence[MergeSteps]) -> str:
    return tr("Expect {sqrt:.1f} × less noise. The first frame is the reference.", sqrt=math.sqrt(len(frames)))


MEAN = Method(
    key="mean",
    command="noise",
    help=tr("Merge a burst of equal exposure for less noise."),
    title=tr("Mean, without moving things"),
    sets=("burst",),
    expect=_expect,
    combine=_combine,
)
