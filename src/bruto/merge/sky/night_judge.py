"""Judging the frames of a night: which were moved, which are clouded, and what flies through them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import decode_srgb
from bruto.container.picture import decode_jpeg
from bruto.container.quick_metadata import read_quick_metadata
from bruto.errors import BrutoError
from bruto.merge.rejection import Rejection, RejectionKind
from bruto.merge.sky.frame_assessment import FrameAssessment, pace_of
from bruto.merge.sky.kernels import middle as middle_of
from bruto.merge.sky.sky_rotation import DIAGONAL_35MM, SIDEREAL, USUAL_35MM
from bruto.merge.sky.stars import Spots, find_spots
from bruto.parallel import map_threads

CHUNK = 10
"""Frames that are judged together."""
PLANE_EDGE = 1008
"""Long edge of the planes by which frames are judged, pixels."""
STEADY_RANK = 0.3
"""Where the light of a place stands among the frames of a chunk that is compared with its middle value: a star is in
the middle value where it goes slowly, and not in this; what stands still is in both.
"""
SLOW_PX = 35
"""Pixels of a plane over which the light of the sky changes."""
LESS_SHARP, NOTHING_STANDS = 0.87, 0.7
"""Share of the contrast of the sharper frames (their upper quartile) below which a frame was moved, and contrast of
those below which it is noise's: nothing stands still in the frame.
"""
ELSEWHERE = 0.05
"""Share of that contrast below which what stands still is not where it is in the others."""
EDGE_SNR, FEWEST_EDGES, MEDIAN_TO_SIGMA = 4.0, 60, 0.6745
"""Noise that an edge which stands still stands out by, how many such pixels tell of movement, and the median of the
absolute values of a normal distribution in its standard deviations.
"""
SAME_PX = 1.2
"""Pixels of the frame within which a spot is one that stands still."""
UPPER, UNSTEADY = 85, 0.35
"""Percentile of the contrast of an edge over the frames of a chunk, and by how much of its contrast that may lie above
the middle: a star that passes slowly has more for some frames, what stands still has less in those that moved.
"""
MOST_LIGHT = 8.0
"""Times that the light of the sky may grow or fall within a chunk, by twilight or the moon."""
HEAVIEST = 3.0
"""Times the usual contrast of an edge by which one counts at most."""
BRIGHTER = 1.08
"""Times the usual level from which a frame is clouded rather than shaken."""
SKY_COLUMNS = 24
"""Blocks across the frame by which clouds are determined."""
LEAST_SKY = 0.05
"""Share of the blocks that has to show stars, or all of them are looked at."""
CHANGED, CLOUD_SHARE = 0.06, 0.2
"""Change of a block's light, as a share of the sky's, that is a cloud's, and the share of such blocks that is too much.
"""
BLOCK_SNR, STEP_TO_SIGMA = 5.0, 0.954
"""Noise of a block that its change stands out by, and the median step between neighbours in standard deviations of
normal noise.
"""
ROUNDS = 8
"""Of fitting the even light of the sky."""
STARS_SEEN, LEAST_STARS = 0.3, 8
"""Share of the stars of a clear frame below which one is clouded, and how many a clear one has to have."""
SUDDEN, FEWER = 1.5, 0.6
"""Times the light of the sky in the clear frames before, and share of the usual stars, that together are clouds: the
moon and twilight come slowly.
"""
BRIGHT_RANK, STARS_DIM = 0.15, 0.3
"""Rank among its stars, as a share of their number, of the star by whose light a frame is judged, and the share of its
usual light below which clouds took the rest.
"""
REMEMBERED = 60
"""Frames whose light is remembered to tell what is usual."""
LINE_SNR, MOST_LINES = 3.2, 8
"""Noise that a trace stands out by, and how many traces are edges of clouds rather than what flies."""
LINE_LEAST, LINE_GAP, LINE_VOTES = 36, 12, 26
"""Pixels of the plane that a line of light is long at least, that it may be broken over, and votes for it."""
_LIGHT = decode_srgb(np.arange(256) / 255.0).astype(np.float32)


def plane_of(half: NDArray[np.float32]) -> NDArray[np.float32]:
    """Compute a picture of one channel as it is judged.

    Parameters
    ----------
    half
        Half-size planes.

    Returns
    -------
    NDArray[np.float32]
        A picture of one channel as it is judged.
    """
    scale = PLANE_EDGE / max(half.shape)
    return cv2.resize(half, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else half


def _fine(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Find what a plane has finer than some pixels."""
    return plane - cv2.blur(plane, (5, 5))


def _coarse(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Find what a plane has that a push leaves: finer than some ten pixels, but no edges."""
    return cv2.blur(plane, (9, 9)) - cv2.blur(plane, (SLOW_PX, SLOW_PX))


def _common(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float32]:
    """Find the structure that two planes share: the weaker of both where they agree in sign, else none."""
    weaker = np.minimum(np.abs(one), np.abs(other))
    return np.where(one * other > 0, np.sign(one) * weaker, np.float32(0))


def moving_of(spots: Spots, fixed: Spots) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the places and the light of the spots that do not stand still.

    Parameters
    ----------
    spots
        Those of a frame.
    fixed
        Those that do not move.

    Returns
    -------
    tuple[NDArray[np.float64], NDArray[np.float64]]
        Places (N, 2) in pixels of the frame; light (N,).
    """
    from scipy.spatial import cKDTree

    if not len(spots) or not len(fixed):
        return spots.places, spots.light
    moves = np.isinf(cKDTree(fixed.places).query(spots.places, distance_upper_bound=SAME_PX)[0])
    return spots.places[moves], spots.light[moves]


def contrasts_of(
    planes: Sequence[NDArray[np.float32]],
    fine: NDArray[np.float32],
    coarse: NDArray[np.float32],
    places: NDArray[np.int64],
) -> list[float]:
    """Measure the contrast of frames at edges that stand still, times the usual.

    Fine edges are measured against coarse ones, which the light of the sky changes and a push leaves. Edges are those
    that no star made.

    Parameters
    ----------
    planes
        Frames (H, W).
    fine
        Fine structure that they share (H, W).
    coarse
        Coarse structure that they share (H, W).
    places
        Where its edges are, indices of the flat planes.

    Returns
    -------
    list[float]
        Of each frame; 1 where too little stands still.
    """
    light = [_contrast(_coarse(plane).ravel()[places], coarse.ravel()[places]) for plane in planes]
    even = np.clip(light, 1 / MOST_LIGHT, MOST_LIGHT).astype(np.float32)
    own = np.stack(map_threads(lambda plane: _fine(plane).ravel()[places], planes)) / even[:, None]
    edges = fine.ravel()[places]
    upper, middle = np.percentile(own * np.sign(edges), (UPPER, 50), axis=0)
    steady = upper - middle < UNSTEADY * np.abs(edges)
    if steady.sum() < FEWEST_EDGES:
        return [1.0] * len(planes)
    found = [_contrast(row[steady], edges[steady]) for row in own]
    return found if np.percentile(found, 75) >= NOTHING_STANDS else [1.0] * len(planes)


def _contrast(found: NDArray[np.float32], edges: NDArray[np.float32]) -> float:
    """Compute the contrast that is found at edges, times theirs: the middle of them, steep ones counting for more."""
    if not len(edges):
        return 1.0
    steep = np.maximum(np.abs(edges), 1e-12)
    weight = np.minimum(steep, HEAVIEST * np.float32(np.median(steep)))
    times = found * np.sign(edges) / steep
    order = np.argsort(times)
    share = np.cumsum(weight[order], dtype=np.float64)
    return float(times[order[np.searchsorted(share, share[-1] / 2)]])


class Judge:
    """Frames in order, some at a time; `pace`: seconds from one to the next."""

    def __init__(self, pace: float) -> None:
        self.pace = pace
        self._lights: list[NDArray[np.float64]] = []
        """Of the stars of each frame."""
        self._blind = False
        """Whether nothing stands still, so that stars alone tell of a push."""
        self._clear: list[float] = []
        """Light of the sky in the frames without clouds."""
        self._sky: NDArray[np.float64] | None = None
        self._low: list[NDArray[np.float32]] = []

    def judge(
        self, frames: Sequence[FrameAssessment], planes: Sequence[NDArray[np.float32]], fresh: int, scale: float = 2.0
    ) -> None:
        """Say of the last `fresh` of some frames, whose spots are known, what is to be said; the others were judged.

        Parameters
        ----------
        frames
            Frames in order of time.
        planes
            See `plane_of`.
        fresh
            How many of the frames are new.
        scale
            Pixels of a frame to a pixel of its plane.
        """
        stack = np.stack(planes)
        middle = middle_of(stack)
        # without the light of the sky, by whose course the ranks would go
        flat = np.stack(map_threads(lambda plane: plane - cv2.blur(plane, (SLOW_PX, SLOW_PX)), planes))
        rank = max(0, round(STEADY_RANK * len(planes)) - 1)
        steady = np.partition(flat, rank, axis=0)[rank]
        fixed = find_spots(steady, scale=scale)
        usual_flat = middle_of(flat)
        still = [_common(detail(usual_flat), detail(steady)) for detail in (_fine, _coarse)]
        edges = np.abs(still[0])
        noise = float(np.median(edges[edges > 0][::3])) / MEDIAN_TO_SIGMA if edges.any() else 0.0
        least = max(float(np.percentile(edges[::3, ::3], 99)), EDGE_SNR * noise)
        contrasts = contrasts_of(list(flat), still[0], still[1], np.nonzero((edges > least).ravel())[0])
        self._blind = contrasts == [1.0] * len(planes)
        sharpest = max(float(np.percentile(contrasts, 75)), 1e-6)
        usual = max(float(np.median(middle[::4, ::4])), 1e-6)
        own = list(zip(frames, planes, contrasts, strict=True))[len(frames) - fresh :]
        map_threads(lambda each: self._look(*each, middle, sharpest, usual), own)
        self._judge_sky(list(frames), list(planes), fixed, fresh)

    def _look(
        self,
        seen: FrameAssessment,
        plane: NDArray[Any],
        contrast: float,
        middle: NDArray[Any],
        sharpest: float,
        usual: float,
    ) -> None:
        """Judge a frame by itself: its `contrast` at edges that stand still, and that of the sharper frames."""
        seen.level = float(np.median(plane[::4, ::4]))
        seen.sharp = contrast / sharpest
        moved = seen.sharp < LESS_SHARP
        if moved and seen.level < BRIGHTER * usual:  # clouds take contrast too, and are light
            text = (
                tr("moved, or another scene: nothing stands where it does in the others")
                if seen.sharp < ELSEWHERE
                else tr("moved: {sharp:.0f} % of the sharpness of the others", sharp=100 * seen.sharp)
            )
            seen.why = Rejection(RejectionKind.MOVED, text)
        else:
            seen.lines = lines_in(plane - middle)

    def _judge_sky(self, frames: list[FrameAssessment], planes: list[NDArray[Any]], still: Spots, fresh: int) -> None:
        moving = confirmed(frames, still, self.pace)[len(frames) - fresh :]
        frames, planes = frames[len(frames) - fresh :], planes[len(planes) - fresh :]
        height, width = planes[0].shape
        columns, rows = SKY_COLUMNS, max(4, round(SKY_COLUMNS * height / width))
        if self._sky is None:
            self._sky = np.zeros((rows, columns))
        for shares, _ in moving:
            at = np.clip((shares * [columns, rows]).astype(int), 0, [columns - 1, rows - 1])
            np.add.at(self._sky, (at[:, 1], at[:, 0]), 1)
        stars = self._sky > 0.1 * max(float(self._sky.mean()), 0.1)
        sky = cv2.dilate(stars.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        if sky.mean() < LEAST_SKY:
            sky = np.ones_like(sky)
        low = [cv2.resize(p, (columns, rows), interpolation=cv2.INTER_AREA) for p in planes]
        self._low = [*self._low, *(p for p, f in zip(low, frames, strict=True) if not f.why)][-REMEMBERED:]
        usual_low = np.median(np.stack(self._low or low), axis=0)
        steps = np.abs(np.diff(planes[0][::3], axis=1))
        noise = float(np.median(steps)) / STEP_TO_SIGMA * math.sqrt(low[0].size / planes[0].size)
        self._lights += [light for (_, light), f in zip(moving, frames, strict=True) if not f.lines and not f.why]
        counts = [len(light) for light in self._lights]
        usual = max(float(np.percentile(counts, 75)), 1.0) if counts else 1.0
        rank = round(BRIGHT_RANK * usual)
        bright = float(np.percentile([_ranked(light, rank) for light in self._lights], 75)) if counts else 0.0
        for seen, (shares, light), plane in zip(frames, moving, low, strict=True):
            seen.cloud = _uneven(plane, usual_low, sky, noise)
            level = float(np.median(plane[sky]))
            before = float(np.median(self._clear[-3:])) if self._clear else level
            if len(seen.lines) > MOST_LINES:
                seen.lines = ()
            if not seen.why and seen.cloud > CLOUD_SHARE:
                text = tr("clouds over {cloud:.0f} % of the sky", cloud=100 * seen.cloud)
                seen.why = Rejection(RejectionKind.CLOUDED, text)
            elif not seen.why and len(shares) < STARS_SEEN * usual and usual >= LEAST_STARS:
                text = tr("clouds: {share:.0f} % of the stars are visible", share=100 * len(shares) / usual)
                seen.why = Rejection(RejectionKind.CLOUDED, text)
            elif not seen.why and self._blind and len(shares) < FEWER * usual and usual >= LEAST_STARS:
                text = tr("moved or clouded: {share:.0f} % of the stars are visible", share=100 * len(shares) / usual)
                seen.why = Rejection(RejectionKind.MOVED, text)
            elif not seen.why and usual >= LEAST_STARS and len(shares) < FEWER * usual and level > SUDDEN * before:
                text = tr(
                    "clouds: the sky is {times:.1f} times as light as before, with {share:.0f} % of the stars",
                    times=level / before,
                    share=100 * len(shares) / usual,
                )
                seen.why = Rejection(RejectionKind.CLOUDED, text)
            elif not seen.why and usual >= LEAST_STARS and _ranked(light, rank) < STARS_DIM * bright:
                share = 100 * _ranked(light, rank) / bright
                text = tr("clouds: stars have {share:.0f} % of their usual light", share=share)
                seen.why = Rejection(RejectionKind.CLOUDED, text)
            if not seen.why:
                self._clear.append(level)


def _ranked(light: NDArray[np.float64], rank: int) -> float:
    """Return the light of a star by its rank, 0 the brightest; 0 where there are fewer."""
    return float(np.partition(light, -rank - 1)[-rank - 1]) if len(light) > rank else 0.0


def _uneven(
    plane: NDArray[np.float32], usual: NDArray[np.float32], sky: NDArray[np.bool_], noise: float = 0.0
) -> float:
    """Compute the share of the sky whose light is changed in places, as clouds change it, by more than its `noise`.

    What twilight and the moon do is even over the sky or grows towards one side: it is fitted first, with the usual
    light, by what most of the places agree on (least absolute deviations, by weights; Schlossmacher, JASA 68, 1973).
    """
    rows, columns = np.nonzero(sky)
    h, w = sky.shape
    terms = np.stack([usual[sky], np.ones(len(rows)), columns / w - 0.5, rows / h - 0.5], axis=1).astype(float)
    found = plane[sky].astype(float)
    level = max(float(np.median(found)), 1e-6)
    weight = np.ones(len(rows))
    ridge = np.diag([1e-4, 1e-6, 1e-6, 1e-6]) * level**2 * len(rows)
    start = np.array([1.0, 0.0, 0.0, 0.0])
    for _ in range(ROUNDS):
        weighted = terms * weight[:, None]
        fit = np.linalg.solve(weighted.T @ terms + ridge, weighted.T @ found + ridge @ start)
        off = np.abs(found - terms @ fit)
        weight = 1 / np.maximum(off, CHANGED / 6 * level)
        weight /= weight.mean()
    return float((off > max(CHANGED * level, BLOCK_SNR * noise)).mean())


def confirmed(
    frames: Sequence[FrameAssessment], still: Spots, pace: float
) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """Find where the moving spots of each frame are that a frame before or after shows nearby.

    Places are (N, 2), shares of width and height.

    Parameters
    ----------
    frames
        Frames in order of time.
    still
        Spots that do not move.
    pace
        Seconds from frame to frame.

    Returns
    -------
    list[tuple[NDArray[np.float64], NDArray[np.float64]]]
        The spots of each frame that others confirm (N, 2), shares of width and height, and their light (N,).
    """
    from scipy.spatial import cKDTree

    moving, lights = zip(*(moving_of(f.spots, still) for f in frames), strict=True)
    width, height = next((f.spots.size for f in frames if f.spots.size != (0, 0)), (1, 1))
    reach = 1.5 + 2.2 * pace * SIDEREAL * float(np.hypot(width, height)) * USUAL_35MM / DIAGONAL_35MM
    found = []
    for k, places in enumerate(moving):
        near = np.zeros(len(places), bool)
        for other in (k - 2, k - 1, k + 1, k + 2):
            if 0 <= other < len(moving) and len(moving[other]) and len(places):
                near |= np.isfinite(cKDTree(moving[other]).query(places, distance_upper_bound=reach)[0])
        found.append((places[near] / [width, height], lights[k][near]))
    return found


def lines_in(over: NDArray[np.float32]) -> tuple[tuple[float, float, float, float], ...]:
    """Return the long thin traces in what a frame has more than its chunk: both ends, as shares of width and height.

    Parameters
    ----------
    over
        What a frame has above the median.

    Returns
    -------
    tuple[tuple[float, float, float, float], ...]
        Long thin traces in what a frame has more than its chunk.
    """
    soft = cv2.GaussianBlur(over - cv2.blur(over, (31, 31)), (0, 0), 0.9)
    spread = 1.4826 * float(np.median(np.abs(soft[::3, ::3])))
    marked = (soft > LINE_SNR * max(spread, 1e-6)).astype(np.uint8)
    found = cv2.HoughLinesP(marked, 1, np.pi / 360, LINE_VOTES, minLineLength=LINE_LEAST, maxLineGap=LINE_GAP)
    if found is None:
        return ()
    h, w = over.shape
    return tuple((a / w, b / h, c / w, d / h) for a, b, c, d in found.reshape(-1, 4).tolist())


def overview(
    frames: list[FrameAssessment],
    check: Callable[[], None],
    progress: Callable[[float, str], None] = lambda share, text: None,
) -> Iterator[list[FrameAssessment]]:
    """Judge frames (see `seen.plan`) by the previews in their files, without reading a raw.

    Chunk after chunk, all of them as far as they are judged.

    Frames without a preview are not judged, and count as good.

    Parameters
    ----------
    frames
        Frames in order of time.
    check
        Raises `Cancelled` where the work is to stop.
    progress
        Called with the share done, 0 to 1, and what is being done.

    Yields
    ------
    list[FrameAssessment]
        See `Iterator[list[FrameAssessment]]`.
    """
    wanted = [f for f in frames if not f.why]
    judge = Judge(pace_of(frames))
    chunk: list[tuple[FrameAssessment, NDArray[np.float32]]] = []
    usual = 0.0
    for k, seen in enumerate(wanted):
        check()
        progress((k + 1) / max(len(wanted), 1), tr("checking {name}", name=seen.path.name))
        plane = _preview_plane(seen.path)
        if plane is not None and (not chunk or chunk[0][1].shape == plane.shape):
            seen.spots = find_spots(plane)
            chunk.append((seen, plane))
        left = len(wanted) - k - 1
        if chunk and ((len(chunk) == CHUNK and left >= CHUNK // 2) or left == 0):
            planes = [p for _, p in chunk]
            usual = usual or float(np.median([np.median(p) for p in planes]))
            # each preview was made as light as it should look: what clouds do is in parts of it only
            even = [p * np.float32(usual / max(float(np.median(p)), 1e-6)) for p in planes]
            judge.judge([s for s, _ in chunk], even, len(chunk))
            for one, plane in chunk:
                one.level = float(np.median(plane))
            chunk = []
            yield frames


def _preview_plane(path: Path) -> NDArray[np.float32] | None:
    """Compute the preview in a raw as a plane of about linear light; None where there is none."""
    try:
        found = read_quick_metadata(path).preview
        if found is None:
            return None
        with path.open("rb") as stream:
            stream.seek(found[0])
            picture = decode_jpeg(stream.read(found[1]))
    except (BrutoError, OSError):
        return None
    return plane_of(_LIGHT[picture[..., 1]])
