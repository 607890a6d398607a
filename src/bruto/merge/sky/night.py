"""Reading a night: frames of a tripod in chunks, each decoded once, with what was seen in each of them.

A chunk of frames is held as it is stored. The middle value of each place in a chunk is what stands still and the sky;
what a frame has above it, less what changes slowly over the frame (clouds, the moon, headlights), is its stars.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.compiled  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import decode_srgb
from bruto.container.dng_reader import read_dng
from bruto.container.glance import glance
from bruto.container.picture import decode_jpeg
from bruto.container.rawframe import RawFrame
from bruto.errors import BrutoError
from bruto.merge.sky.stars import Spots, find_spots
from bruto.merge.sky.turning import DIAGONAL_35MM, SIDEREAL, USUAL_35MM

CHUNK = 12
"""Frames that are held at a time."""
LEAST_OF_CHUNK = 7
"""Frames of a chunk from which the middle value holds no star."""
COARSE = 32
"""Places a side of the blocks by which slow changes are told."""
SHAKEN = 0.72
"""Share of the sharpness of what stands still, below which a frame was moved."""
BRIGHTER = 1.08
"""Times the usual level from which a frame is clouded rather than shaken."""
SKY_BLOCK = 40
"""Pixels a side of the blocks of the half-size plane by which clouds are told."""
CHANGED, CLOUD_SHARE = 0.06, 0.2
"""Change of a block's light, as a share of the sky's, that is a cloud's, and the share of such blocks that is too much.
"""
STARS_SEEN = 0.3
"""Share of the stars of a clear frame, below which one is clouded."""
MOST_LINES = 8
PREVIEW_EDGE = 1400
"""Long edge of a preview by which frames are judged, pixels."""
CODES_LIGHT = decode_srgb(np.arange(256) / 255.0).astype(np.float32)
REMEMBERED = 60
"""Frames whose light is remembered to tell what is usual."""
GAP = 1.6
"""Times the usual interval from which one frame is missing."""
LINE_SNR = 3.2
LINE_LEAST, LINE_GAP, LINE_VOTES = 36, 12, 26
"""Pixels of the half-size plane that a line of light is long at least, that it may be broken over, and votes for it."""


@dataclass
class Seen:
    """What is known of a frame: `start`, seconds since the first; `why` it is not used, "" where it is; `spots`;
    `lines` of light that passed (x0, y0, x1, y1; pixels of the half-size plane); `sharp`, against the others of its
    chunk; `level`: median over the frame, of saturation; `cloud`: share of the sky that they
    cover; `clear`: how much of the sky and of its stars is seen, 0..1.
    """

    path: Path
    start: float
    seconds: float
    why: str = ""
    spots: Spots = field(default_factory=lambda: Spots(np.zeros((0, 2)), np.zeros(0), np.zeros(0)))
    lines: tuple[tuple[int, int, int, int], ...] = ()
    sharp: float = 1.0
    level: float = 0.0
    cloud: float = 0.0
    clear: float = 1.0


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _middle(chunk, out):
    """The middle value of each place of a chunk (N, H, W)."""
    count, h, w = chunk.shape
    for y in prange(h):
        values = np.empty(count, chunk.dtype)
        for x in range(w):
            for k in range(count):  # insertion: short, and nearly sorted is common
                v = chunk[k, y, x]
                j = k
                while j > 0 and values[j - 1] > v:
                    values[j] = values[j - 1]
                    j -= 1
                values[j] = v
            out[y, x] = (np.float32(values[(count - 1) // 2]) + np.float32(values[count // 2])) / 2


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _blocks(codes, middle, size, out):
    """Mean of what a frame has above the middle in blocks, without what is far above it."""
    rows, columns = out.shape
    h, w = codes.shape
    for r in prange(rows):
        for c in range(columns):
            total, n = np.float32(0), 0
            for y in range(r * size, min(r * size + size, h)):
                for x in range(c * size, min(c * size + size, w)):
                    total += np.float32(codes[y, x]) - middle[y, x]
                    n += 1
            out[r, c] = total / max(n, 1)


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _layer(codes, middle, coarse, size, hidden, use_hidden, out):
    """What a frame has above the middle and above slow changes (bilinear between blocks), as int16."""
    h, w = codes.shape
    rows, columns = coarse.shape
    for y in prange(h):
        gy = min(max((y + 0.5) / size - 0.5, 0.0), rows - 1.0)
        r = min(int(gy), max(rows - 2, 0))
        fy = np.float32(gy - r)
        below = min(r + 1, rows - 1)
        for x in range(w):
            if use_hidden and hidden[y >> 1, x >> 1]:
                out[y, x] = 0
                continue
            gx = min(max((x + 0.5) / size - 0.5, 0.0), columns - 1.0)
            c = min(int(gx), max(columns - 2, 0))
            fx = np.float32(gx - c)
            right = min(c + 1, columns - 1)
            top = coarse[r, c] + (coarse[r, right] - coarse[r, c]) * fx
            bottom = coarse[below, c] + (coarse[below, right] - coarse[below, c]) * fx
            value = np.float32(codes[y, x]) - middle[y, x] - (top + (bottom - top) * fy)
            out[y, x] = np.int16(min(max(value, np.float32(-32000)), np.float32(32000)))


@dataclass(frozen=True)
class Chunk:
    """Frames that were read together: `seen` of each that is used, their `layers` (N, H, W; codes above the middle),
    the `middle` (H, W; codes), and how much the chunk's sky is to be believed, 0..1.
    """

    seen: list[Seen]
    layers: Callable[[int], NDArray[np.int16]]
    middle: NDArray[np.float32]
    clear: float


class Night:
    """Iterate over it once: chunks. `frames`: all of them with what was seen; `first`: the frame whose tags are those
    of the result.
    """

    def __init__(
        self, paths: Sequence[Path], check: Callable[[], None], progress: Callable[[float, str], None],
        remove_lines: bool = True,
    ) -> None:  # fmt: skip
        self._check, self._progress, self._remove = check, progress, remove_lines
        self.first: RawFrame | None = None
        self.frames: list[Seen] = []
        self._paths = list(paths)
        self._counts: list[int] = []
        self._sky: NDArray[np.float64] | None = None
        self._low: list[NDArray] = []
        self._carried: list[tuple[Seen, NDArray]] = []
        self._middle: NDArray[np.float32] | None = None
        self._spare = np.zeros((1, 1), np.bool_)

    # -- which frames belong to it

    def plan(self) -> None:
        """Look at what each file says: order by time, leave out test shots, and frames of other sizes and lenses."""
        told: list[tuple[Path, datetime | None, tuple, float]] = []
        for path in self._paths:
            try:
                m = glance(path)
            except BrutoError as error:
                self.frames.append(Seen(path, 0.0, 0.0, why=str(error)))
                continue
            taken = None
            try:
                taken = datetime.strptime(m.taken[:19], "%Y:%m:%d %H:%M:%S") if m.taken else None
            except ValueError:
                pass
            told.append((path, taken, (m.model, m.focal_mm, m.iso, m.exposure_s), float(m.exposure_s or 0.0)))
        if not told:
            raise BrutoError("None of these frames can be read.")
        kinds = [k for *_, k, _ in told]
        usual = max(set(kinds), key=kinds.count)
        times = [t for _, t, _, _ in told if t is not None]
        if len(times) == len(told):
            told.sort(key=lambda t: (t[1], t[0].name))  # type: ignore[arg-type,return-value]
        kept = [t for t in told if t[2] == usual]
        begin = kept[0][1] if len(times) == len(told) else None
        usual_s = kept[0][3] or 1.0
        for n, (path, taken, kind, seconds) in enumerate(told):
            start = (taken - begin).total_seconds() if taken is not None and begin is not None else n * usual_s * 1.05
            why = "" if kind == usual else _unlike(kind, usual)
            self.frames.append(Seen(path, start, seconds, why))
        self._smooth_starts()

    def _smooth_starts(self) -> None:
        """Clocks tell whole seconds; a line through the frames tells their pace to a fraction."""
        used = [f for f in self.frames if not f.why]
        if len(used) < 4:
            return
        starts = np.array([f.start for f in used])
        steps = np.diff(starts)
        pace = float(np.median(steps))
        if pace <= 0:
            return
        number = np.concatenate([[0], np.cumsum(np.maximum(1, np.rint(steps / pace)))])
        slope, offset = np.polyfit(number, starts, 1)
        smooth = slope * number + offset
        if np.abs(smooth - starts).max() <= 1.2:  # else it has pauses of its own: the clock is believed
            for f, s in zip(used, smooth, strict=True):
                f.start = float(s)

    @property
    def pace(self) -> float:
        """Usual seconds from one frame to the next."""
        starts = [f.start for f in self.frames if not f.why]
        return float(np.median(np.diff(starts))) if len(starts) > 1 else 1.0

    def follows(self, one: Seen, other: Seen) -> bool:
        """Whether a frame is the next one after another, with nothing missing between."""
        return other.start - one.start < GAP * self.pace

    # -- reading

    def _read(self, seen: Seen) -> RawFrame | str:
        try:
            return read_dng(seen.path)
        except BrutoError as error:
            return str(error)

    def __iter__(self) -> Iterator[Chunk]:
        wanted = [f for f in self.frames if not f.why]
        total = max(len(wanted), 1)
        done = 0
        with ThreadPoolExecutor(1) as ahead:
            waiting = [ahead.submit(self._read, f) for f in wanted[:2]]
            held: list[tuple[Seen, NDArray]] = []
            for k, seen in enumerate(wanted):
                self._check()
                frame = waiting[k].result()
                waiting[k] = None  # type: ignore[call-overload]
                if k + 2 < len(wanted):
                    waiting.append(ahead.submit(self._read, wanted[k + 2]))
                done += 1
                self._progress(done / total, f"reading {seen.path.name}")
                why = frame if isinstance(frame, str) else self._unusable(frame)
                if why or isinstance(frame, str):
                    seen.why = str(why)
                    continue
                held.append((seen, frame.codes.reshape(frame.codes.shape[0], -1)))
                left = len(wanted) - k - 1
                if len(held) == CHUNK and left >= CHUNK // 2:
                    chunk = self._chunk(held, False)
                    if chunk is not None:
                        yield chunk
                    held = []
            if held or self._carried:
                chunk = self._chunk(held, True)
                if chunk is not None:
                    yield chunk

    def overview(self) -> Iterator[list[Seen]]:
        """Judge the frames by the previews in their files, without reading a raw: chunk after chunk, all of them as far
        as they are judged. Frames without a preview are not judged, and count as good.
        """
        wanted = [f for f in self.frames if not f.why]
        held: list[tuple[Seen, NDArray[np.float32]]] = []
        for k, seen in enumerate(wanted):
            self._check()
            self._progress((k + 1) / max(len(wanted), 1), f"looking at {seen.path.name}")
            plane = _preview_plane(seen.path)
            if plane is not None and (not held or held[0][1].shape == plane.shape):
                held.append((seen, plane))
            left = len(wanted) - k - 1
            if held and ((len(held) == CHUNK and left >= CHUNK // 2) or left == 0):
                planes = [p for _, p in held]
                middle = np.median(np.stack(planes), axis=0).astype(np.float32)
                some = [s for s, _ in held]
                for one, plane in held:
                    self._look(one, plane, middle)
                # each preview was made as light as it should look: what clouds do is in parts of it only
                even = [p * np.float32(np.median(middle) / max(float(np.median(p)), 1e-6)) for p in planes]
                self._judge_sky(some, even, middle, len(some))
                held = []
                yield self.frames

    def _unusable(self, frame: RawFrame) -> str:
        if self.first is None:
            self.first = frame
            return ""
        if frame.codes.shape != self.first.codes.shape or frame.meta.kind != self.first.meta.kind:
            return "another size or kind of raw"
        return ""

    def _scale(self) -> tuple[float, float]:
        assert self.first is not None
        m = self.first.meta
        black, white = float(np.mean(m.black)), float(np.min(m.white))
        return black, white - black

    def half(self, codes: NDArray) -> NDArray[np.float32]:
        """Codes (H, W) as a half-size plane, 1 = saturation."""
        assert self.first is not None
        black, span = self._scale()
        if self.first.codes.ndim == 3:
            codes = codes.reshape(self.first.codes.shape)[..., 1]
        h, w = codes.shape[0] // 2, codes.shape[1] // 2
        small = cv2.resize(codes[: 2 * h, : 2 * w], (w, h), interpolation=cv2.INTER_AREA).astype(np.float32)
        return (small - np.float32(black)) / np.float32(span)

    def _chunk(self, fresh: list[tuple[Seen, NDArray]], last: bool) -> Chunk | None:
        """A chunk of frames that were just read, with those that wait; None where too few of them are of use."""
        held = [*self._carried, *fresh]
        self._carried = []
        planes = [self.half(codes) for _, codes in held]
        middle_plane = np.median(np.stack(planes), axis=0).astype(np.float32)
        for (seen, _), plane in zip(fresh, planes[len(held) - len(fresh) :], strict=True):
            self._look(seen, plane, middle_plane)
        self._judge_sky([seen for seen, _ in held], planes, middle_plane, len(fresh))
        used = [k for k, (seen, _) in enumerate(held) if not seen.why]
        if not used or (len(used) < LEAST_OF_CHUNK and not last):
            self._carried = [held[k] for k in used]  # too few to tell what stands still: they wait for the next ones
            return None
        stack = np.stack([held[k][1] for k in used])
        height, width = held[0][1].shape
        middle = np.empty((height, width), np.float32)
        if len(used) < LEAST_OF_CHUNK and self._middle is not None:
            middle = self._middle
        else:
            _middle(stack, middle)
        self._middle = middle
        some = [held[k][0] for k in used]
        size = COARSE * (3 if self.first is not None and self.first.codes.ndim == 3 else 1)
        shape = (-(-height // COARSE), -(-width // size))

        def layer(k: int) -> NDArray[np.int16]:
            coarse = np.empty(shape, np.float32)
            _blocks(stack[k], middle, COARSE, coarse) if size == COARSE else _blocks_of(stack[k], middle, size, coarse)
            coarse = cv2.medianBlur(coarse, 3)
            hidden = self._hidden(some[k], planes[0].shape)
            out = np.empty(middle.shape, np.int16)
            _layer(stack[k], middle, coarse, COARSE, self._spare if hidden is None else hidden, hidden is not None, out)
            return out

        clear = float(np.mean([f.clear for f in some]))
        return Chunk(some, layer, middle, clear)

    def _look(self, seen: Seen, plane: NDArray[np.float32], middle: NDArray[np.float32]) -> None:
        """What a frame shows by itself, against the middle of its chunk."""
        seen.spots = find_spots(plane)
        seen.level = float(np.median(plane[::4, ::4]))
        fine = [p - cv2.blur(p, (5, 5)) for p in (plane, middle)]
        edges = np.abs(fine[1])
        strong = edges > np.percentile(edges[::3, ::3], 99)
        seen.sharp = float((fine[0][strong] * fine[1][strong]).sum() / max(float((fine[1][strong] ** 2).sum()), 1e-12))
        usual = max(float(np.median(middle[::4, ::4])), 1e-6)
        if seen.sharp < SHAKEN and seen.level < BRIGHTER * usual:  # clouds take contrast too, and are light
            seen.why = f"moved: {100 * seen.sharp:.0f} % of the sharpness of the others"
        else:
            seen.lines = self._lines(plane - middle)

    def _judge_sky(self, frames: list[Seen], planes: list[NDArray], middle: NDArray[np.float32], fresh: int) -> None:
        """How much of the sky and of its stars each frame shows, and which of the last `fresh` ones show too little."""
        trees = self._confirmed(frames, middle)[len(frames) - fresh :]
        frames, planes = frames[len(frames) - fresh :], planes[len(planes) - fresh :]
        rows, columns = (max(4, n // SKY_BLOCK) for n in middle.shape)
        if self._sky is None:
            self._sky = np.zeros((rows, columns))
        for places in trees:
            at = np.minimum((places[:, ::-1] / 2 / [middle.shape[0] / rows, middle.shape[1] / columns]).astype(int),
                            [rows - 1, columns - 1])  # fmt: skip
            np.add.at(self._sky, (at[:, 0], at[:, 1]), 1)
        sky = cv2.dilate((self._sky > 0.1 * max(self._sky.mean(), 0.1)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        if sky.mean() < 0.05:
            sky = np.ones_like(sky)
        low = [cv2.resize(p, (columns, rows), interpolation=cv2.INTER_AREA) for p in planes]
        self._low = [*self._low, *(p for p, f in zip(low, frames, strict=True) if not f.why)][-REMEMBERED:]
        usual_low = np.median(np.stack(self._low or low), axis=0)
        usual_level = float(np.median(usual_low[sky]))
        self._counts += [len(p) for p, f in zip(trees, frames, strict=True) if not f.lines and not f.why]
        usual = max(float(np.percentile(self._counts, 75)), 1.0) if self._counts else 1.0
        for seen, places, plane in zip(frames, trees, low, strict=True):
            changed = np.abs(plane - usual_low)[sky] > CHANGED * max(usual_level, 1e-6)
            seen.cloud = float(changed.mean())
            seen.clear = 1 - seen.cloud
            if len(seen.lines) > MOST_LINES:  # edges of clouds, not what flies
                seen.lines = ()
            if not seen.why and seen.cloud > CLOUD_SHARE:
                seen.why = f"clouds over {100 * seen.cloud:.0f} % of the sky"
            elif not seen.why and len(places) < STARS_SEEN * usual and usual >= 8:
                seen.why = f"clouds: {100 * len(places) / usual:.0f} % of the stars are seen"

    def _confirmed(self, frames: list[Seen], middle: NDArray[np.float32]) -> list[NDArray[np.float64]]:
        """Places of spots that do not stand still, and that one of the frames before or after shows nearby."""
        from scipy.spatial import cKDTree

        still = find_spots(middle).places
        moving = []
        for f in frames:
            places = f.spots.places
            if len(places) and len(still):
                places = places[np.isinf(cKDTree(still).query(places, distance_upper_bound=1.2)[0])]
            moving.append(places)
        diagonal = 2 * math.hypot(*middle.shape)
        reach = 1.5 + 2.2 * self.pace * SIDEREAL * diagonal * USUAL_35MM / DIAGONAL_35MM
        found = []
        for k, places in enumerate(moving):
            near = np.zeros(len(places), bool)
            for other in (k - 2, k - 1, k + 1, k + 2):
                if 0 <= other < len(moving) and len(moving[other]) and len(places):
                    near |= np.isfinite(cKDTree(moving[other]).query(places, distance_upper_bound=reach)[0])
            found.append(places[near])
        return found

    @staticmethod
    def _lines(over: NDArray[np.float32]) -> tuple[tuple[int, int, int, int], ...]:
        """Long thin traces in what a frame has more than its chunk."""
        soft = cv2.GaussianBlur(over - cv2.blur(over, (31, 31)), (0, 0), 0.9)
        spread = 1.4826 * float(np.median(np.abs(soft[::3, ::3])))
        marked = (soft > LINE_SNR * max(spread, 1e-6)).astype(np.uint8)
        found = cv2.HoughLinesP(marked, 1, np.pi / 360, LINE_VOTES, minLineLength=LINE_LEAST, maxLineGap=LINE_GAP)
        if found is None:
            return ()
        return tuple((int(a), int(b), int(c), int(d)) for a, b, c, d in found.reshape(-1, 4))

    def _hidden(self, seen: Seen, shape: tuple[int, int]) -> NDArray[np.bool_] | None:
        """Where lines of light pass in a frame (half size), None where none does."""
        if not seen.lines or not self._remove:
            return None
        mask = np.zeros(shape, np.uint8)
        for x0, y0, x1, y1 in seen.lines:
            length = math.hypot(x1 - x0, y1 - y0)
            dx, dy = 14 * (x1 - x0) / length, 14 * (y1 - y0) / length  # their ends are fainter than what was seen
            cv2.line(mask, (round(x0 - dx), round(y0 - dy)), (round(x1 + dx), round(y1 + dy)), 1, 7)
        return np.ascontiguousarray(mask.astype(bool))


def _preview_plane(path: Path) -> NDArray[np.float32] | None:
    """The preview in a raw as a plane of about linear light, `PREVIEW_EDGE` at most; None where there is none."""
    try:
        found = glance(path).preview
        if found is None:
            return None
        with path.open("rb") as stream:
            stream.seek(found[0])
            picture = decode_jpeg(stream.read(found[1]))
    except (BrutoError, OSError):
        return None
    scale = PREVIEW_EDGE / max(picture.shape[:2])
    grey = CODES_LIGHT[picture[..., 1]]
    return cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else grey


def _blocks_of(codes: NDArray, middle: NDArray, size: int, out: NDArray) -> None:
    """Blocks of interleaved colours."""
    h, w = codes.shape
    over = codes.astype(np.float32) - middle
    rows, columns = out.shape[0], out.shape[1]
    whole: Any = cv2.copyMakeBorder(over, 0, rows * COARSE - h, 0, columns * size - w, cv2.BORDER_REPLICATE)
    out[:] = whole.reshape(rows, COARSE, columns, size).mean(axis=(1, 3))


def _unlike(kind: tuple, usual: tuple) -> str:
    if kind[:2] != usual[:2]:
        return "another phone or lens"
    iso, seconds = kind[2], kind[3]
    return f"a test shot: ISO {iso or 0:.0f}, {seconds or 0:g} s, where the others have ISO {usual[2] or 0:.0f}, " \
        f"{usual[3] or 0:g} s"  # fmt: skip
