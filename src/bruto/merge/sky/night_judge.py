"""Judging the frames of a night: which were moved, which are clouded, and what flies through them."""

from __future__ import annotations

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
SHAKEN, LESS_SHARP = 0.7, 0.55
"""Share of the contrast of what stands still, and of that of the sharper frames (their upper quartile), below which a
frame was moved.
"""
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
STARS_SEEN, LEAST_STARS = 0.3, 8
"""Share of the stars of a clear frame below which one is clouded, and how many a clear one has to have."""
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


def _common(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float32]:
    """Find the structure that two planes share: the weaker of both where they agree in sign, else none."""
    weaker = np.minimum(np.abs(one), np.abs(other))
    return np.where(one * other > 0, np.sign(one) * weaker, np.float32(0))


def _contrast(fine: NDArray[np.float32], still: NDArray[np.float32], places: NDArray[np.int64]) -> float:
    """Compute the contrast of a frame at edges that stand still, times theirs.

    A bright star that passes a place slowly would count for thousands of edges: no place counts for more than some
    others, and none is believed to have more than twice its contrast.
    """
    edges = still.ravel()[places]
    steep = np.maximum(np.abs(edges), 1e-12)
    weight = np.minimum(steep, HEAVIEST * np.float32(np.median(steep))) * steep
    found = np.clip(fine.ravel()[places] * np.sign(edges) / steep, -2, 2)
    return float((weight * found).sum() / weight.sum())


class Judge:
    """Frames in order, some at a time; `pace`: seconds from one to the next."""

    def __init__(self, pace: float) -> None:
        self.pace = pace
        self._counts: list[int] = []
        self._sky: NDArray[np.float64] | None = None
        self._low: list[NDArray[np.float32]] = []

    def judge(
        self, frames: Sequence[FrameAssessment], planes: Sequence[NDArray[np.float32]], still: Spots, fresh: int
    ) -> None:
        """Say of the last `fresh` of some frames, whose spots are known, what is to be said; the others were judged.

        Parameters
        ----------
        frames
            Frames in order of time.
        planes
            See `plane_of`.
        still
            Spots of their middle value, which do not move.
        fresh
            How many of the frames are new.
        """
        stack = np.stack(planes)
        middle = middle_of(stack)
        rank = max(0, round(STEADY_RANK * len(planes)) - 1)
        still_edges = _common(_fine(middle), _fine(np.partition(stack, rank, axis=0)[rank]))
        edges = np.abs(still_edges)
        strong = np.nonzero((edges > np.percentile(edges[::3, ::3], 99)).ravel())[0]
        contrasts = map_threads(lambda plane: _contrast(_fine(plane), still_edges, strong), planes)
        sharpest = max(float(np.percentile(contrasts, 75)), 1e-6)
        usual = max(float(np.median(middle[::4, ::4])), 1e-6)
        own = list(zip(frames, planes, contrasts, strict=True))[len(frames) - fresh :]
        map_threads(lambda each: self._look(*each, middle, sharpest, usual), own)
        self._judge_sky(list(frames), list(planes), still, fresh)

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
        moved = contrast < SHAKEN or seen.sharp < LESS_SHARP
        if moved and seen.level < BRIGHTER * usual:  # clouds take contrast too, and are light
            text = tr("moved: {sharp:.0f} % of the sharpness of the others", sharp=100 * seen.sharp)
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
        for shares in moving:
            at = np.clip((shares * [columns, rows]).astype(int), 0, [columns - 1, rows - 1])
            np.add.at(self._sky, (at[:, 1], at[:, 0]), 1)
        stars = self._sky > 0.1 * max(float(self._sky.mean()), 0.1)
        sky = cv2.dilate(stars.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        if sky.mean() < LEAST_SKY:
            sky = np.ones_like(sky)
        low = [cv2.resize(p, (columns, rows), interpolation=cv2.INTER_AREA) for p in planes]
        self._low = [*self._low, *(p for p, f in zip(low, frames, strict=True) if not f.why)][-REMEMBERED:]
        usual_low = np.median(np.stack(self._low or low), axis=0)
        usual_level = max(float(np.median(usual_low[sky])), 1e-6)
        self._counts += [len(p) for p, f in zip(moving, frames, strict=True) if not f.lines and not f.why]
        usual = max(float(np.percentile(self._counts, 75)), 1.0) if self._counts else 1.0
        for seen, shares, plane in zip(frames, moving, low, strict=True):
            seen.cloud = float((np.abs(plane - usual_low)[sky] > CHANGED * usual_level).mean())
            if len(seen.lines) > MOST_LINES:
                seen.lines = ()
            if not seen.why and seen.cloud > CLOUD_SHARE:
                text = tr("clouds over {cloud:.0f} % of the sky", cloud=100 * seen.cloud)
                seen.why = Rejection(RejectionKind.CLOUDED, text)
            elif not seen.why and len(shares) < STARS_SEEN * usual and usual >= LEAST_STARS:
                text = tr("clouds: {share:.0f} % of the stars are visible", share=100 * len(shares) / usual)
                seen.why = Rejection(RejectionKind.CLOUDED, text)


def confirmed(frames: Sequence[FrameAssessment], still: Spots, pace: float) -> list[NDArray[np.float64]]:
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
    list[NDArray[np.float64]]
        The spots of each frame that others confirm (N, 2), shares of width and height.
    """
    from scipy.spatial import cKDTree

    moving = []
    for f in frames:
        places = f.spots.places
        if len(places) and len(still):
            places = places[np.isinf(cKDTree(still.places).query(places, distance_upper_bound=1.2)[0])]
        moving.append(places)
    width, height = next((f.spots.size for f in frames if f.spots.size != (0, 0)), (1, 1))
    reach = 1.5 + 2.2 * pace * SIDEREAL * float(np.hypot(width, height)) * USUAL_35MM / DIAGONAL_35MM
    found = []
    for k, places in enumerate(moving):
        near = np.zeros(len(places), bool)
        for other in (k - 2, k - 1, k + 1, k + 2):
            if 0 <= other < len(moving) and len(moving[other]) and len(places):
                near |= np.isfinite(cKDTree(moving[other]).query(places, distance_upper_bound=reach)[0])
        found.append(places[near] / [width, height])
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
            judge.judge([s for s, _ in chunk], even, find_spots(middle_of(np.stack(even))), len(chunk))
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
