"""Reading a night: frames of a tripod in chunks, each decoded once, with what was seen in each of them.

A chunk of frames is held as it is stored. The middle value of each place in a chunk is what stands still and the sky;
what a frame has above it, less what changes slowly over the frame (clouds, the moon, headlights), is its stars.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.dng_reader import read_dng
from bruto.container.raw_frame import RawFrame
from bruto.errors import BrutoError
from bruto.merge.reader import UNREAD
from bruto.merge.rejection import Rejection, RejectionKind
from bruto.merge.sky import kernels
from bruto.merge.sky.frame_assessment import GAP, FrameAssessment, pace_of, plan
from bruto.merge.sky.night_judge import CHUNK, PLANE_EDGE, Judge
from bruto.merge.sky.stars import find_spots
from bruto.parallel import map_threads

LEAST_OF_CHUNK = 8
"""Frames of a chunk from which the middle value holds no star, even if half of them follow each other."""
FINE, LEAST_FINE = 4, 30
"""Of so many frames one is searched for stars at half its size, to find the pole by, the others at a smaller one; of
many frames fewer, down to so many in all.
"""
COARSE = 32
"""Places a side of the blocks by which slow changes are determined."""
BEYOND, WIDE = 0.014, 7
"""Share of the frame that a line of light goes on at its ends, which are fainter than what was seen, and its width in
pixels of the mask.
"""


@dataclass(frozen=True)
class Chunk:
    """Frames that were read together: `seen` of each that is used, their `layers` (H, W.

    Codes above the middle), the `middle` (H, W; codes), and how much of the sky it shows, 0..1.
    """

    seen: list[FrameAssessment]
    layers: Callable[[int], NDArray[np.int16]]
    middle: NDArray[np.float32]
    clear: float


class NightReader:
    """Iterate over it once: chunks.

    `frames`: all of them with what was seen; `first`: the frame whose tags are those of the result.
    """

    def __init__(
        self,
        paths: Sequence[Path],
        check: Callable[[], None],
        progress: Callable[[float, str], None],
        remove_lines: bool = True,
        enough: Callable[[int], bool] = lambda used: False,
    ) -> None:
        """Raise `BrutoError` where none of the frames can be read."""
        self._check, self._progress, self._remove = check, progress, remove_lines
        self._enough = enough
        self.first: RawFrame | None = None
        self.frames = plan(paths)
        self.pace = pace_of(self.frames)
        self._judge = Judge(self.pace)
        self._codes: NDArray[Any] | None = None
        self._buffered: list[FrameAssessment] = []
        self._carried = self._looked = 0
        self._middle: NDArray[np.float32] | None = None

    def follows(self, one: FrameAssessment, other: FrameAssessment) -> bool:
        """Check whether a frame is the next one after another, with nothing missing between.

        Parameters
        ----------
        one
            First of two.
        other
            The other one.

        Returns
        -------
        bool
            True where a frame is the next one after another, with nothing missing between.
        """
        return other.start - one.start < GAP * self.pace

    def _read(self, seen: FrameAssessment) -> RawFrame | str:
        try:
            return read_dng(seen.path)
        except BrutoError as error:
            return str(error)

    def __iter__(self) -> Iterator[Chunk]:
        wanted = [f for f in self.frames if not f.why]
        with ThreadPoolExecutor(1) as ahead:
            waiting = {k: ahead.submit(self._read, f) for k, f in enumerate(wanted[:2])}
            for k, seen in enumerate(wanted):
                self._check()
                if self._enough(k):
                    for rest in wanted[k:]:
                        rest.why = UNREAD
                    break
                frame = waiting.pop(k).result()
                if k + 2 < len(wanted):
                    waiting[k + 2] = ahead.submit(self._read, wanted[k + 2])
                self._progress((k + 1) / len(wanted), tr("reading {name}", name=seen.path.name))
                seen.why = frame if isinstance(frame, str) else self._unusable(frame)
                if not seen.why and not isinstance(frame, str):
                    self._hold(seen, frame.codes)
                left = len(wanted) - k - 1
                if len(self._buffered) - self._carried == CHUNK and left >= CHUNK // 2:
                    chunk = self._chunk(False)
                    if chunk is not None:
                        yield chunk
            chunk = self._chunk(True) if self._buffered else None
            if chunk is not None:
                yield chunk
        self._codes = self._middle = None

    def _hold(self, seen: FrameAssessment, codes: NDArray[Any]) -> None:
        flat = codes.reshape(codes.shape[0], -1)
        most = CHUNK + CHUNK // 2 + LEAST_OF_CHUNK - 2
        if self._codes is None:
            self._codes = np.empty((most, *flat.shape), flat.dtype)
        self._codes[len(self._buffered)] = flat
        self._buffered.append(seen)

    def _unusable(self, frame: RawFrame) -> str:
        if frame.meta.linearisation is not None:
            return tr("its codes are not linear; a night is merged from mosaic raws")
        if frame.codes.dtype != np.uint16:
            return tr("its codes are not integers; a night is merged from mosaic raws")
        if self.first is None:
            self.first = frame
            return ""
        if frame.codes.shape != self.first.codes.shape or frame.meta.kind != self.first.meta.kind:
            return Rejection(RejectionKind.OTHER_KIND, tr("different size or kind of raw"))
        return ""

    def plane(self, codes: NDArray[Any], edge: int | None = None) -> NDArray[np.float32]:
        """Compute the codes (H, W) as one plane, 1 = saturation.

        It may be of half the size, or with a long edge of about so many pixels.

        Parameters
        ----------
        codes
            Stored codes.
        edge
            Long edge, pixels.

        Returns
        -------
        NDArray[np.float32]
            Codes (H, W) as one plane, 1 = saturation.
        """
        assert self.first is not None
        m = self.first.meta
        black, white = float(np.mean(m.black)), float(np.min(m.white))
        if self.first.codes.ndim == 3:
            codes = np.ascontiguousarray(codes.reshape(self.first.codes.shape)[..., 1])
        h, w = codes.shape
        times = 2 if edge is None else max(2, 2 * round(max(h, w) / edge / 2))  # whole quads
        h, w = h // times, w // times
        small = cv2.resize(codes[: times * h, : times * w], (w, h), interpolation=cv2.INTER_AREA).astype(np.float32)
        return (small - np.float32(black)) / np.float32(white - black)

    def _judged(self) -> None:
        """Say of the frames that are new what is to be said."""
        assert self._codes is not None
        codes, scale = self._codes, self._codes.shape[1]
        planes = map_threads(lambda k: self.plane(codes[k], PLANE_EDGE), range(len(self._buffered)))
        new = range(self._carried, len(self._buffered))
        for k in new:
            self._buffered[k].fine = self._looked % max(FINE, len(self.frames) // LEAST_FINE) == 0
            self._looked += 1

        def spots(k: int) -> None:
            seen = self._buffered[k]
            plane = self.plane(codes[k]) if seen.fine else planes[k]
            seen.spots = find_spots(plane, scale=scale / plane.shape[0])

        map_threads(spots, new)
        self._judge.judge(self._buffered, planes, len(self._buffered) - self._carried, scale / planes[0].shape[0])

    def _chunk(self, last: bool) -> Chunk | None:
        """Return a chunk of what is held; None where too few of them are of use, which wait for the next ones."""
        assert self._codes is not None and self.first is not None
        if len(self._buffered) > self._carried:
            self._judged()
        used = [k for k, seen in enumerate(self._buffered) if not seen.why]
        for n, k in enumerate(used):  # to the front
            if n != k:
                self._codes[n] = self._codes[k]
        some = [self._buffered[k] for k in used]
        if not used or (len(used) < LEAST_OF_CHUNK and not last):
            self._buffered, self._carried = some, len(some)
            return None
        self._buffered, self._carried = [], 0
        stack = self._codes[: len(used)]
        if len(used) >= LEAST_OF_CHUNK or self._middle is None:
            self._middle = kernels.middle(stack)
        middle = self._middle
        step = 3 if self.first.codes.ndim == 3 else 1
        height, width = middle.shape
        coarse = np.empty((-(-height // COARSE), -(-width // (COARSE * step))), np.float32)

        def layer(k: int) -> NDArray[np.int16]:
            kernels.blocks(stack[k], middle, COARSE, step, coarse)
            out = np.empty(middle.shape, np.int16)
            kernels.layer(stack[k], middle, cv2.medianBlur(coarse, 3), COARSE, step, out)
            if some[k].lines and self._remove:
                mask = _mask(some[k], height, width // step)
                kernels.hide(out, mask, mask.shape[0] / height, mask.shape[1] / width)
            return out

        return Chunk(some, layer, middle, float(np.mean([f.clear for f in some])))


def _mask(seen: FrameAssessment, height: int, width: int) -> NDArray[np.bool_]:
    """Where lines of light pass in a frame, at half its size."""
    mask = np.zeros((height // 2, width // 2), np.uint8)
    h, w = mask.shape
    for a, b, c, d in seen.lines:
        x0, y0, x1, y1 = a * w, b * h, c * w, d * h
        length = max(math.hypot(x1 - x0, y1 - y0), 1e-6)
        dx, dy = BEYOND * w * (x1 - x0) / length, BEYOND * w * (y1 - y0) / length
        cv2.line(mask, (round(x0 - dx), round(y0 - dy)), (round(x1 + dx), round(y1 + dy)), 1, max(WIDE, w // 200))
    return mask.astype(bool)
