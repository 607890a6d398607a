"""A star field: frames laid on each other by their stars, and the ground by itself, joined along its border.

Each frame is decoded once and kept in a temporary file. How the sky turns is found from the stars of all of them
(`sky.turning`), so that a frame needs no stars everywhere, and the lens's bend is accounted for. What differs from the
others at its place (satellites, aircraft, hot pixels, which stand still while stars do not) is left out.
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
from numpy.typing import NDArray
from scipy.spatial import cKDTree

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.align.registration import Alignment
from bruto.align.rigid import Pyramid, pyramid
from bruto.catalog import tr
from bruto.develop.strokes import Stroke, painted, strokes_of
from bruto.errors import BrutoError
from bruto.merge.frames import (
    Frame,
    align,
    brightness,
    check_alike,
    is_still,
    load_frame,
    noise_floor,
    rough,
    standing,
)
from bruto.merge.methods.mean import Sums
from bruto.merge.methods.method import Combined, MergeSteps, Method, MethodOption
from bruto.merge.methods.trails import usual_first
from bruto.merge.planes import planes_of, quads_of, shading_of
from bruto.merge.reader import UNREAD, Reader
from bruto.merge.resampling import least_light_of, nodes_of, resampled, steep_tiles
from bruto.merge.result import FrameVerdict
from bruto.merge.sky.arcs import FOUND_PX, catalogue
from bruto.merge.sky.frame_assessment import FrameAssessment, pace_of, plan, too_few
from bruto.merge.sky.mask import EDGE, sky_mask
from bruto.merge.sky.night_judge import CHUNK, Judge, plane_of
from bruto.merge.sky.sky_light import sky_light
from bruto.merge.sky.sky_rotation import SkyRotation, find_turning, moving_only
from bruto.merge.sky.star_gather import _add_near, _back, _centre, _gather, _joined, _nodes
from bruto.merge.sky.stars import find_spots
from bruto.merge.spool import FrameSpool

NEAR_GROUND = 5
"""Pixels from the ground, at half the size, within which a frame shows no sky."""
LEAST_PAIRS, LEAST_OFF = 20, 0.08
"""Stars that tell how a frame lies beside the turning, and pixels from which that is believed."""
SEEN_SHARE = 0.6
"""Share of the frames that have to show a star, of those in which it could be."""
PARAMETERS = 4
"""Of how the sky turns: two of the pole, two of the lens."""
READ, STACKED = 0.4, 0.85
"""Shares of the progress after reading, and after laying the frames on each other."""


@dataclass(frozen=True)
class StarFieldOptions:
    """What the user of a star field chooses."""

    ground: Path | None = None
    """The file that the ground is taken from, None for the mean of all."""
    even: bool = False
    """Take away what the sky's own light is more than at its darkest."""
    border: tuple[Stroke, ...] = ()
    """Strokes that correct what is sky (see `develop.strokes`)."""


@dataclass
class _Field:
    """Frames that were read: what was seen of each, its number in `spool`, and the sums of the ground."""

    seen: list[FrameAssessment]
    number: dict[Path, int]
    spool: FrameSpool
    ground: Sums

    @property
    def used(self) -> list[FrameAssessment]:
        return [f for f in self.seen if not f.why and f.path in self.number]


def _without_stars(light: NDArray[np.float32]) -> NDArray[np.float32]:
    return cv2.medianBlur(light, 5)


def _shift_of(
    still: NDArray[np.float32], frame: Frame, size: tuple[int, int], floor: float, known: Pyramid
) -> Alignment:
    """Find how a frame lies to the ground of the first.

    Where noise and stars are all there is to go by, it stands on its tripod: the judge sees what moved.
    """
    try:
        found = align(still, _without_stars(brightness(frame)), size, floor, known)
    except BrutoError:
        return standing(size)
    return standing(size) if rough(found) else found


def _read(reader: Reader, spool: FrameSpool) -> _Field:
    """Read, judge and keep all frames; the ground is summed up on the way."""
    first = reader.reference
    seen = plan(reader.paths)
    wanted = [f for f in seen if not f.why]
    judge = Judge(pace_of(seen))
    field = _Field(seen, {}, spool, Sums(first))
    still = _without_stars(brightness(first))
    floor, (h, w) = noise_floor(first), reader.size
    known, shifts = pyramid(still, floor, True), {}
    chunk: list[tuple[FrameAssessment, NDArray[np.float32]]] = []
    for k, one in enumerate(wanted):
        reader.check()
        if one.path != first.path and reader.enough(len(field.number)):
            one.why = UNREAD
        reader.progress(READ * (k + 0.5) / len(wanted), tr("reading {name}", name=one.path.name))
        try:
            if one.why:
                raise BrutoError(one.why)
            frame = first if one.path == first.path else load_frame(one.path)
            one.why = check_alike(first, frame) or "" if frame is not first else ""
            if not one.why and frame is not first:
                shifts[one.path] = _shift_of(still, frame, (w, h), floor, known)
        except BrutoError as error:
            one.why = str(error)
        if not one.why:
            reader.live.show(partial(quads_of, frame), frame, k + 1, False)
            half = brightness(frame)
            one.spots = find_spots(half)
            one.fine = True
            chunk.append((one, plane_of(half)))
            field.number[one.path] = spool.add(frame.linear.data)
        left = len(wanted) - k - 1
        if chunk and ((len(chunk) >= CHUNK and left >= CHUNK // 2) or left == 0):
            planes = [p for _, p in chunk]
            scale = h / planes[0].shape[0]
            judge.judge([s for s, _ in chunk], planes, len(chunk), scale)
            for s, _ in chunk:
                if not s.why and s.path != first.path:
                    own = first.with_data(spool.get(field.number[s.path]))
                    field.ground.add(replace(own, path=s.path), shifts[s.path])
            chunk = []
    return field


Pairs = tuple[NDArray[np.float64], NDArray[np.float64]]
"""Where the stars of a frame should be, and where they are."""


def _following(
    frames: Sequence[FrameAssessment], turning: SkyRotation, size: tuple[int, int]
) -> tuple[NDArray[Any], list[Pairs]]:
    """Places of all spots that turn with the sky, in all frames, and the pairs of each frame."""
    for f, spots in zip(frames, moving_only([f.spots for f in frames]), strict=True):
        f.spots = replace(spots, size=size)
    stars = catalogue(frames, turning)
    if not len(stars):
        return np.zeros((0, 2)), [(np.zeros((0, 2)), np.zeros((0, 2)))] * len(frames)
    where = np.stack([turning.places(turning.turned(stars, f.start + f.seconds / 2)) for f in frames])
    with np.errstate(invalid="ignore"):
        inside: NDArray[np.bool_] = np.asarray(((where > 8) & (where < np.array(size) - 9)).all(axis=2))
    hit, at = np.zeros(inside.shape, bool), np.zeros(inside.shape, int)
    for k, f in enumerate(frames):
        if len(f.spots):
            places = np.where(inside[k][:, None], where[k], -1e6)
            distance, at[k] = cKDTree(f.spots.places).query(places, distance_upper_bound=FOUND_PX)
            hit[k] = np.isfinite(distance)
    true = hit.sum(axis=0) >= np.maximum(SEEN_SHARE * inside.sum(axis=0), 2)
    hit &= true
    pairs = [(where[k][hit[k]], f.spots.places[at[k][hit[k]]]) for k, f in enumerate(frames)]
    return np.concatenate([are for _, are in pairs]), pairs


def _beside(pair: Pairs, size: tuple[int, int]) -> NDArray[np.float64]:
    """Matrix (2, 3) from where stars should be to where a frame has them: a tripod settles."""
    should, are = pair
    still = np.array([[1.0, 0, 0], [0, 1.0, 0]])
    if len(should) < LEAST_PAIRS:
        return still
    found, _ = cv2.estimateAffinePartial2D(should, are, method=cv2.RANSAC, ransacReprojThreshold=1.0)
    if found is None:
        return still
    turn = math.atan2(found[1, 0], found[0, 0])
    c, s = math.cos(turn), math.sin(turn)
    rotation = np.array([[c, -s], [s, c]])
    shift = np.median(are - should @ rotation.T, axis=0)
    corner = np.array([[0, 0], [size[0], 0], [0, size[1]], list(size)], float)
    if np.abs(corner @ rotation.T + shift - corner).max() < LEAST_OFF:
        return still
    return np.column_stack([rotation, shift])


def _ground_of(reader: Reader, file: Path) -> NDArray[np.float32]:
    """Compute the ground of one file as planes (3, H, W).

    Raises `BrutoError`.
    """
    first, (h, w) = reader.reference, reader.size
    own = first if file.absolute() == first.path.absolute() else load_frame(file)
    why = check_alike(first, own)
    if why is not None:
        raise BrutoError(tr("{name} cannot be the ground: {why}.", name=file.name, why=why))
    still, other = (_without_stars(brightness(f)) for f in (first, own))
    shift = align(still, other, (w, h), noise_floor(first))
    one = Sums(own)
    planes, _ = one.finished()
    if is_still(shift):
        return planes
    return resampled(planes, nodes_of(shift, w, h), 0, h, w, least_light_of(own.noise))[0]


def _so_far(
    ground: NDArray[Any], mean: NDArray[Any], count: NDArray[Any], mask: NDArray[Any], shading: NDArray[Any] | None
) -> NDArray[np.float32]:
    """Ground and sky as far as they are summed up, at half the size and without the lens's shading."""
    some = np.s_[::2, ::2]
    sky = mean[:, ::2, ::2] / np.maximum(count[some], 1)
    if shading is not None:
        sky /= shading[:, ::2, ::2]
    share = mask[some] * (count[some] > 0)
    light: NDArray[np.float32] = ground[:, ::2, ::2] * (1 - share) + sky * share
    return light


def _small_border(mask: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Compute a mask as it is shown, small."""
    scale = min(1.0, EDGE / max(mask.shape))
    size = tuple(max(1, round(n * scale)) for n in mask.shape[::-1])
    return (255 * np.clip(cv2.resize(mask, size, interpolation=cv2.INTER_AREA), 0, 1) + 0.5).astype(np.uint8)


def combine(reader: Reader, options: StarFieldOptions) -> Combined:
    """Return the star field of a reader's files.

    Parameters
    ----------
    reader
        Reader of the frames.
    options
        Options of the method.

    Returns
    -------
    Combined
        The star field of a reader's files.

    Raises
    ------
    BrutoError
        Where fewer than two frames show stars that turn.
    """
    spool = FrameSpool(reader.scratch)
    try:
        return _combined(reader, options, _read(reader, spool))
    finally:
        spool.close()


def _combined(reader: Reader, options: StarFieldOptions, field: _Field) -> Combined:
    first, (h, w) = reader.reference, reader.size
    used = field.used
    if len(used) < 2:
        reader.verdicts += [FrameVerdict(str(f.path), False, f.why) for f in field.seen if f.why]
        raise too_few(field.seen)
    reader.progress(READ, tr("finding how the sky rotates"))
    turning = find_turning([f.spots for f in used], [f.start for f in used], (w, h), first.meta.focal_35mm)
    base = next((f for f in used if f.path == first.path), used[len(used) // 2])
    ground, _ = field.ground.finished()
    stars, pairs = _following(used, turning, (w, h))
    mask = painted(sky_mask(ground[1], stars), options.border)
    if options.ground is not None:
        ground = _ground_of(reader, options.ground)
    opened = cv2.erode(
        (cv2.resize(mask, (w // 2, h // 2), interpolation=cv2.INTER_AREA) > 0.98).astype(np.uint8),
        np.ones((2 * NEAR_GROUND + 1, 2 * NEAR_GROUND + 1), np.uint8), borderValue=1,
    ).astype(bool)  # fmt: skip
    shading = shading_of(first)
    noise = first.noise
    least = least_light_of(noise)
    planes = np.empty((3, h, w), np.float32)
    nodes = [
        _nodes(turning, f.start + f.seconds / 2 - base.start - base.seconds / 2, _beside(pair, (w, h)), (w, h))
        for f, pair in zip(used, pairs, strict=True)
    ]

    centre = np.array([(w - 1) / 2, (h - 1) / 2])
    for f in field.seen:
        moved = np.zeros(2)
        if not f.why and f is not base:
            moved = (turning.moved(centre[None], f.start - base.start) - centre)[0]
        shift = (float(moved[0]), float(moved[1]))
        error = turning.rms if moved.any() else 0.0
        of_model = error * math.sqrt(PARAMETERS / (2 * max(turning.stars, 1)))
        reader.verdicts.append(FrameVerdict(str(f.path), not f.why, f.why, shift, 0.0, error, of_model))

    def laid(k: int) -> NDArray[np.bool_]:
        frame = first.with_data(field.spool.get(field.number[used[k].path]))
        planes_of(frame, planes)
        if shading is not None:
            np.multiply(planes, shading, out=planes)
        return steep_tiles(planes, least)

    middle_of = np.zeros((3, h, w), np.float32)
    low, high = np.full((3, h, w), np.inf, np.float32), np.full((3, h, w), -np.inf, np.float32)
    count = np.zeros((h, w), np.uint16)
    for k, f in enumerate(used):
        reader.check()
        reader.progress(READ + (STACKED - READ) * (k + 0.5) / (2 * len(used)), tr("aligning {name}", name=f.path.name))
        steep = laid(k)
        _gather(planes, steep, least, nodes[k], opened, middle_of, low, high, count)
    _centre(middle_of, low, high, count)
    mean = low  # their memory, no longer needed
    mean[:] = 0
    del high
    back = _back(middle_of)
    most = float(shading.max()) if shading is not None else 1.0
    a, b = np.ascontiguousarray(noise[:, 0] * most, np.float32), np.ascontiguousarray(noise[:, 1] * most**2, np.float32)
    seen_in = count.copy()
    count[:] = 0
    for k, f in enumerate(used):
        reader.check()
        share = (STACKED + READ) / 2 + (STACKED - READ) * (k + 0.5) / (2 * len(used))
        reader.progress(share, tr("adding {name}", name=f.path.name))
        steep = laid(k)
        _add_near(planes, steep, least, nodes[k], opened, middle_of, back, a, b, mean, count)
        reader.live.show(lambda: _so_far(ground, mean, count, mask, shading), first, k + 1)
    mask = mask * cv2.GaussianBlur((seen_in > 0).astype(np.float32), (0, 0), 2.0) * (seen_in > 0)
    if shading is not None:
        ground *= shading
    _joined(ground, middle_of, mean, count, mask)
    warnings = [f"{f.note[0].upper()}{f.note[1:]}." for f in field.seen if f.note]
    of_sky = sky_light(ground, mask, first.neutral)
    if of_sky is not None:
        gradient_text = of_sky.description()
        if options.even:
            ground -= of_sky.over(h, w) * mask
            gradient_text += tr(" It was removed.") if gradient_text else ""
        if gradient_text:
            warnings.append(gradient_text)
    if shading is not None:
        ground /= shading
    sky = mask > 0.9
    frames_there = float(np.median(count[sky])) if sky.any() else float(len(used))
    gain = math.sqrt(max(frames_there, 1.0))
    if not sky.any():
        warnings.append(tr("No border between sky and ground was found, so everything was treated as ground."))
    return Combined(
        ground,
        noise / gain**2,
        gain,
        math.sqrt(len(used)),
        warnings=tuple(warnings),
        stops=math.log2(len(used)),
        border=_small_border(mask),
    )


def middle_first(paths: list[Path]) -> tuple[list[Path], Path]:
    """Return the files as they are; the middle one in time of those that are exposed as most are is the reference.

    Parameters
    ----------
    paths
        Files in order.

    Returns
    -------
    tuple[list[Path], Path]
        The files as they are.
    """
    ordered, usual = usual_first(paths)
    try:
        good = [f.path for f in plan(paths) if not f.why]
    except BrutoError:
        return ordered, usual
    return ordered, good[len(good) // 2] if good else usual


def _expect(frames: Sequence[MergeSteps]) -> str:
    n = max(len(frames), 1)
    return tr("Stars as points. Expect {sqrt:.1f} × less noise in the sky and on the ground.", sqrt=math.sqrt(n))


def _with(values: Mapping[str, Any]) -> Callable[[Reader], Combined]:
    options = StarFieldOptions(even=bool(values["even"]), border=strokes_of(values["border"]))
    return lambda reader: combine(reader, options)


SKY = Method(
    key="sky",
    command="sky",
    help=tr("Merge frames of a night into a star field: stars as points, the ground sharp."),
    title=tr("Star field, stars as points"),
    sets=("trail",),
    expect=_expect,
    combine=lambda reader: combine(reader, StarFieldOptions()),
    order=middle_first,
    with_choices=_with,
    paints="border",
    choices=(
        MethodOption("even", tr("Remove sky glow"), False, tr("Removes the glow of towns and airglow from the sky")),
    ),
)
