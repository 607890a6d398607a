"""Star trails: the lightest of what each frame has above the sky, on the mean of the sky and the ground.

The background is the mean of the chunks' middle values, so that its noise falls and a lamp stays as bright as in one
frame. On it stand the trails. Two frames that follow each other are joined where a star went from one into the other:
there their sum counts, as far as it is no lighter than the trail beside it. What was left out or clouded is bridged
along the arcs about the pole.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.catalog import tr
from bruto.container.linearisation import linearise
from bruto.container.quick_metadata import read_quick_metadata
from bruto.container.raw_frame import RawFrame
from bruto.errors import BrutoError
from bruto.merge.frames import Frame
from bruto.merge.methods.method import Combined, MergeSteps, Method, MethodOption
from bruto.merge.planes import color_band, quads_of
from bruto.merge.reader import READING, Reader
from bruto.merge.result import FrameVerdict
from bruto.merge.sky.arcs import draw, even_color, missed, smoothed_along
from bruto.merge.sky.frame_assessment import FrameAssessment, too_few
from bruto.merge.sky.night_reader import COARSE, Chunk, NightReader
from bruto.merge.sky.sky_rotation import SkyRotation, find_turning

HOT = 6.0
"""Standard deviations above all its neighbours from which a site of the background is a defect."""
CLEAR = 0.85
"""Share of the sky that a chunk shows, from which its stars near the pole count."""
STAND_OUT = 3.5
"""Standard deviations of a neighbourhood's lightest values above the usual ones, from which a trail is believed."""
MANY = 24
"""Frames by which the pole is found."""
BAND = 384


@dataclass(frozen=True)
class TrailOptions:
    """`bridge` gaps; `remove` aircraft and satellites."""

    bridge: bool = True
    remove: bool = True
    fade: float = 0.0
    """Share of its light that the first frame loses."""


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _lighten(most, layer, before, joined, weight, step_x, step_y):
    """Keep the lightest of a layer, and of its sum with the one before where a star went from one into the other."""
    h, w = most.shape
    for y in prange(h):
        for x in range(w):
            now = layer[y, x]
            value = np.float32(now)
            if joined:
                last = before[y, x]
                both = np.float32(now) + np.float32(last)
                if both * weight > most[y, x] and now > 0 and last > 0:
                    beside = max(now, last)
                    for j in range(-1, 2):
                        for i in range(-1, 2):
                            yy, xx = y + j * step_y, x + i * step_x
                            if 0 <= yy < h and 0 <= xx < w:
                                beside = max(beside, layer[yy, xx], before[yy, xx])
                    value = min(both, np.float32(beside))
            value *= weight
            if value > most[y, x]:
                most[y, x] = value


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _in_noise(most, back, black, a, b, out):
    """Return the lightest of each place in standard deviations of one frame's noise there."""
    h, w = most.shape
    for y in prange(h):
        for x in range(w):
            level = max(back[y, x] - black, np.float32(0))
            out[y, x] = most[y, x] / math.sqrt(a * level + b)


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _above_share(most, relative, around, usual, tolerance):
    """Take away what noise alone brings; a trail is more than one place, and stands out of its neighbourhood."""
    h, w = most.shape
    for y in prange(h):
        for x in range(w):
            known = (around[y, x] - usual - tolerance) / tolerance
            above = relative[y, x] / usual - np.float32(1)
            share = min(max(known, np.float32(0)), np.float32(1)) * min(max(above * 3, np.float32(0)), np.float32(1))
            most[y, x] *= share


def _above_noise(most: NDArray[Any], back: NDArray[Any], black: float, a: float, b: float) -> None:
    """Leave only trails in the lightest values of many frames (H, W; codes above the background)."""
    relative = np.empty_like(most)
    _in_noise(most, back, np.float32(black), np.float32(a), np.float32(b), relative)
    usual = float(np.median(relative[::3, ::5]))  # most places hold no star
    around = cv2.blur(np.minimum(relative, 3 * usual), (5, 5))
    spread = 1.4826 * float(np.median(np.abs(around[::3, ::5] - np.median(around[::3, ::5]))))
    _above_share(most, relative, around, np.float32(np.median(around[::3, ::5])), np.float32(STAND_OUT * spread))


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _without_hot(back, black, a, b, sigmas, step_x, step_y, out):
    """Single sites far above their neighbours of the same colour become the median of these."""
    h, w = back.shape
    for y in prange(h):
        near = np.empty(8, np.float32)
        for x in range(w):
            own = back[y, x]
            out[y, x] = own
            if (x >= step_x and back[y, x - step_x] >= own) or (x + step_x < w and back[y, x + step_x] >= own):
                continue  # most sites are no lighter than their neighbours
            n = 0
            for j in range(-1, 2):
                for i in range(-1, 2):
                    yy, xx = y + j * step_y, x + i * step_x
                    if (i or j) and 0 <= yy < h and 0 <= xx < w:
                        near[n] = back[yy, xx]
                        n += 1
            most = near[0]
            for k in range(1, n):
                most = max(most, near[k])
            if own > most + sigmas * math.sqrt(a * max(most - black, np.float32(0)) + b):
                some = np.sort(near[:n])
                out[y, x] = (some[(n - 1) // 2] + some[n // 2]) / 2


def usual_first(paths: list[Path]) -> tuple[list[Path], Path]:
    """Return the files as they are, and the first one that is exposed as most are.

    Parameters
    ----------
    paths
        Files in order.

    Returns
    -------
    tuple[list[Path], Path]
        The files as they are, and the first one that is exposed as most are.
    """
    known: dict[Path, tuple[Any, ...]] = {}
    for path in paths:
        try:
            m = read_quick_metadata(path)
            known[path] = (m.model, m.focal_mm, m.iso, m.exposure_s)
        except BrutoError:
            continue
    if not known:
        return paths, paths[0]
    kinds = list(known.values())
    usual = max(set(kinds), key=kinds.count)
    return paths, next(p for p in paths if known.get(p) == usual)


def _linear(codes: NDArray[np.float32], frame: RawFrame, above_black: bool) -> NDArray[np.float32]:
    """Light of codes with fractions, 1 = saturation; `above_black`: the codes are counted from black."""
    m = frame.meta
    # corrections of the codes themselves are made for whole ones
    times = 1.0 if m.code_corrections else float(max(1, int(65535 // (float(np.max(m.white)) + 1))))
    black, white = np.asarray(m.black, float) * times, np.asarray(m.white, float) * times
    rows, columns = (None if d is None else d * times for d in (m.black_rows, m.black_columns))
    meta = replace(m, black=black, white=white, black_rows=rows, black_columns=columns, gain_maps=())
    if above_black:
        span = white - float(black.mean())
        meta = replace(
            meta, black=np.zeros_like(black), white=span, black_rows=None, black_columns=None, code_corrections=()
        )
    stored = np.clip(codes.reshape(frame.codes.shape) * np.float32(times) + np.float32(0.5), 0, 65535)
    return linearise(RawFrame(stored.astype(np.uint16), meta)).data


def _colors(frame: Frame, data: NDArray[np.float32]) -> NDArray[np.float32]:
    """Camera RGB (H, W, 3) of light at the sites."""
    whole = replace(frame, linear=replace(frame.linear, data=data))
    h = data.shape[0]
    return np.concatenate([color_band(whole, top, min(h, top + BAND)) for top in range(0, h, BAND)])


def _slow(lightest: NDArray[np.float32], back: NDArray[np.float32]) -> NDArray[np.float32]:
    """Stars near the pole, which stay where they are for a whole chunk.

    The lightest of the chunks' middle values above the mean of them, less what changes slowly over the frame.
    """
    if not lightest.any():
        return np.zeros_like(back)
    over = lightest - back
    small = cv2.resize(over, None, fx=1 / COARSE, fy=1 / COARSE, interpolation=cv2.INTER_AREA)
    return over - cv2.resize(cv2.medianBlur(small, 5), over.shape[1::-1], interpolation=cv2.INTER_LINEAR)


def turning_of(night: NightReader, frame: Frame) -> SkyRotation:
    """Find how the sky turns in the frames of a night that were read.

    Parameters
    ----------
    night
        Reader of the night's frames.
    frame
        Frame of the set.

    Returns
    -------
    SkyRotation
        How the sky turns in the frames of a night that were read.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    clear = [f for f in night.frames if not f.why and f.fine and f.clear > CLEAR]
    some = clear[:: max(1, len(clear) // MANY)]
    h, w = frame.linear.data.shape[:2]
    return find_turning([f.spots for f in some], [f.start for f in some], (w, h), frame.meta.focal_35mm)


class _TrailSums:
    """What is kept of all frames (H, W; codes): `most`, the lightest above the sky.

    `back`, the weighted sum of middle values; `lightest` of these.
    """

    def __init__(self, shape: tuple[int, ...], step: tuple[int, int]) -> None:
        self.most, self.back, self.lightest = (np.zeros(shape, np.float32) for _ in range(3))
        self.step = step
        self.weights, self.used = 0.0, 0
        self._before: tuple[NDArray[np.int16], FrameAssessment] | None = None

    def add(self, layer: NDArray[np.int16], seen: FrameAssessment, night: NightReader, weight: float) -> None:
        """One frame's stars, with a `weight` of their light."""
        before, joined = layer, False
        if self._before is not None:
            before, joined = self._before[0], night.follows(self._before[1], seen)
        _lighten(self.most, layer, before, joined, np.float32(weight), *self.step)
        self._before = layer, seen
        self.used += 1

    def add_middle(self, chunk: Chunk) -> None:
        """Add the sky and ground of a chunk; the less clear, the less they count."""
        share = len(chunk.seen) * max(chunk.clear - 0.3, 0.02) ** 2
        self.back += np.float32(share) * chunk.middle
        self.weights += share
        if chunk.clear > CLEAR:
            np.maximum(self.lightest, chunk.middle, out=self.lightest)

    def finished(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Compute the lightest above the sky, and the sky."""
        back = self.back / np.float32(self.weights)
        np.maximum(self.most, _slow(self.lightest, back), out=self.most)
        return self.most, back


def _so_far(sums: _TrailSums, first: RawFrame, reference: Frame) -> NDArray[np.float32]:
    """Trails and sky as far as they are read, at half the size."""
    noise = 1.5 * float(np.median(sums.most[::8, ::8]))  # the lightest of many frames is lighter everywhere
    codes = np.maximum(sums.most - np.float32(noise), 0) + sums.back / np.float32(sums.weights)
    return quads_of(reference.with_data(_linear(codes, first, False)))


def combine(reader: Reader, options: TrailOptions) -> Combined:
    """Return the trails of a reader's files.

    Parameters
    ----------
    reader
        Reader of the frames.
    options
        Options of the method.

    Returns
    -------
    Combined
        Trails of a reader's files.
    """

    def tell(share: float, text: str) -> None:
        reader.progress(READING * share, text)

    night = NightReader(reader.paths, reader.check, tell, options.remove, reader.enough)
    total = max(len([f for f in night.frames if not f.why]), 1)
    sums: _TrailSums | None = None
    for chunk in night:
        if sums is None:
            mosaic = night.first is not None and night.first.codes.ndim == 2
            sums = _TrailSums(chunk.middle.shape, (2, 2) if mosaic else (3, 1))
        for k, seen in enumerate(chunk.seen):
            reader.check()
            sums.add(chunk.layers(k), seen, night, 1.0 - options.fade * (1 - sums.used / total))
        sums.add_middle(chunk)
        first = night.first
        if first is not None:
            reader.live.show(partial(_so_far, sums, first, reader.reference), reader.reference, sums.used)
        del chunk  # it holds its frames
    reader.verdicts += [FrameVerdict(str(f.path), not f.why, f.why) for f in night.frames]
    if sums is None or sums.used < 2:
        raise too_few(night.frames)
    most, back = sums.finished()
    used = sums.used
    del sums
    return _finished(reader, night, most, back, used, options)


def _finished(
    reader: Reader, night: NightReader, most: NDArray[Any], back: NDArray[Any], used: int, options: TrailOptions
) -> Combined:
    frame, first = reader.reference, night.first
    assert first is not None
    reader.progress(READING, tr("joining trails and sky"))
    left, top, width, height = first.meta.default_crop  # stars were found in all that is stored
    for f in night.frames:
        f.spots = replace(f.spots, places=f.spots.places - [left, top], size=(width, height))
    black, span = float(np.mean(first.meta.black)), float(np.min(first.meta.white)) - float(np.mean(first.meta.black))
    a, b = (float(frame.noise[:, k].mean()) for k in (0, 1))
    a, b = a * span, b * span * span  # in codes
    step = (2, 2) if first.codes.ndim == 2 else (3, 1)
    clean = np.empty_like(back)
    _without_hot(back, np.float32(black), np.float32(a), np.float32(b), np.float32(HOT / math.sqrt(used)), *step, clean)
    _above_noise(most, clean, black, a, b)
    reader.check()
    sky = _linear(clean, first, False)
    trails = _linear(most, first, True)
    ground = _colors(frame, sky)
    light = _colors(frame, sky + trails)
    warnings = [f"{f.note[0].upper()}{f.note[1:]}." for f in night.frames if f.note]
    stars = even_color(light - ground)
    try:
        turning = turning_of(night, frame)
        if options.bridge and options.fade < 1:
            draw(stars, missed(night.frames, turning, night.pace))
        starts = [f.start for f in night.frames if not f.why]
        stars = smoothed_along(stars, turning, max(starts) - min(starts))
    except BrutoError as error:
        warnings.append(tr("Gaps are not bridged: {error}", error=error) if options.bridge else str(error))
    light = ground + stars
    gain = math.sqrt(used)
    return Combined(light, frame.noise / gain**2, gain, gain, warnings=tuple(warnings), stops=math.log2(used))


def _expect(frames: Sequence[MergeSteps]) -> str:
    seconds = sum(f.seconds or 0.0 for f in frames)
    turn = tr("Trails of {seconds:.1f}°", seconds=seconds / 239.3) if seconds else tr("Trails")
    return tr(
        "{turn}; the ground and the sky have {sqrt:.0f} × less noise.", turn=turn, sqrt=math.sqrt(max(len(frames), 1))
    )


def _with(values: Mapping[str, bool | float]) -> Callable[[Reader], Combined]:
    options = TrailOptions(bool(values["bridge"]), bool(values["remove"]), float(values["fade"]))
    return lambda reader: combine(reader, options)


TRAILS = Method(
    key="trails",
    command="trails",
    help=tr("Merge frames of a night into star trails."),
    title=tr("Star trails"),
    sets=("trail",),
    expect=_expect,
    combine=lambda reader: combine(reader, TrailOptions()),
    order=usual_first,
    with_choices=_with,
    choices=(
        MethodOption(
            "bridge",
            tr("Bridge gaps and clouds"),
            True,
            tr("Trails continue along their arcs where frames are missing"),
        ),
        MethodOption("remove", tr("Remove aircraft and satellites"), True),
        MethodOption(
            "fade", tr("Fade the start"), 0.0, tr("Share of their light that the first frames lose; trails get a head")
        ),
    ),
)
