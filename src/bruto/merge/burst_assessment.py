"""Judging the frames of a burst or bracket: how sharp each is, which way it is blurred, and how it moved."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.rigid import Pyramid, find_motion, pyramid
from bruto.catalog import tr
from bruto.container.dng_reader import read_dng_meta
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError
from bruto.merge.frames import Frame, brightness, load_frame, noise_floor, unlike
from bruto.merge.rejection import Rejection, RejectionKind
from bruto.sensor.likeness import cells_of, likeness, structure_of

BLURRED = 0.7
"""Share of the sharpness of the sharpest frame, below which one looks blurred."""
ALONG = 0.8
"""Slope along a direction over that across it, against the sharpest frame, below which a blur has a direction."""
ALIKE = 1.4
"""Ratio of exposures up to which frames are compared by their sharpness."""
LEAST_SHARE = 0.25
"""Share of the blocks that have to follow the first frame."""
SAME_SCENE, LEAST_STRUCTURE, FINE = 0.4, 0.2, 96
"""Likeness below which a frame shows another scene (50 photographs, each shifted by a tenth of its height and turned by
2°: 0.78 and more with itself, 0.38 and less in 95 of 100 pairs of different ones); structure in stops from which that
tells; cells across in which noise is averaged before.
"""
NOISE_SLOPE = 0.0392
"""Mean square of one slope of white noise of variance 1, smoothed and differenced as a pyramid's finest level is."""


@dataclass
class BurstAssessment:
    """What is known of a frame: `why` it had better be left out, "" for nothing.

    `shift_px` and `turn_deg` against the first.
    """

    path: Path
    why: str = ""
    level: float = 0.0
    """Light, times the exposure's share of the first one's."""
    sharp: float = 1.0
    """Against the sharpest, 0..1, in the direction that lost most."""
    shift_px: float = 0.0
    turn_deg: float = 0.0
    blur: float | None = None
    """Direction in degrees from the horizontal in which it is blurred, None for none."""
    cloud: float = 0.0
    lines: tuple[tuple[float, float, float, float], ...] = field(default=())
    slopes: NDArray[np.float64] | None = None
    structure: NDArray[np.float32] | None = None
    exposure: float = 1.0


def _slopes(planes: Pyramid, frame: Frame) -> NDArray[np.float64]:
    """Mean squares and product of the slopes of the finest level, (2, 2), without what noise makes."""
    gx, gy = planes.slopes[0]
    a = float(frame.noise[:, 0].mean())
    noise = NOISE_SLOPE * a / 4 / 4  # of the root of light of four photosites: a / (4 x) times x
    xx, yy, xy = (float((p * q).mean()) for p, q in ((gx, gx), (gy, gy), (gx, gy)))
    return np.array([[max(xx - noise, 1e-9), xy], [xy, max(yy - noise, 1e-9)]])


def judged(
    paths: Sequence[Path],
    check: Callable[[], None],
    progress: Callable[[float, str], None] = lambda share, text: None,
) -> Iterator[list[BurstAssessment]]:
    """Judge the frames of a set one after the other: all that were looked at so far, at last with the verdicts.

    Parameters
    ----------
    paths
        Files in order.
    check
        Raises `Cancelled` where the work is to stop.
    progress
        Called with the share done, 0 to 1, and what is being done.

    Yields
    ------
    list[BurstAssessment]
        See `Iterator[list[BurstAssessment]]`.
    """
    found: list[BurstAssessment] = []
    first: tuple[Frame, Pyramid, BurstAssessment] | None = None
    usual = _usual(paths, check)
    for k, path in enumerate(paths):
        check()
        progress((k + 1) / len(paths), tr("checking {name}", name=path.name))
        one = BurstAssessment(path)
        found.append(one)
        try:
            frame = load_frame(path)
        except BrutoError as error:
            one.why = str(error)
            yield found
            continue
        usual = usual or frame.meta
        if why := unlike(usual, frame.meta):
            one.why = why
            yield found
            continue
        half = brightness(frame)
        one.level = float(np.mean(half[::4, ::4]))
        one.structure = structure_of(cells_of(cv2.resize(half, (FINE, FINE), interpolation=cv2.INTER_AREA)))
        planes = pyramid(half, noise_floor(frame), True)
        one.slopes = _slopes(planes, frame)
        one.exposure = frame.exposure if frame.meta.exposure_s and frame.meta.iso else 1.0
        if first is None:
            first = (frame, planes, one)
        else:
            _against(first, frame, half, one)
        yield found
    _sharpness(found)
    yield found


def _usual(paths: Sequence[Path], check: Callable[[], None]) -> RawMeta | None:
    """Metadata of the first frame of the kind that most are of: one of another set may be among them, also first."""
    kinds: list[list[RawMeta]] = []
    for path in paths:
        check()
        with contextlib.suppress(BrutoError):
            meta = read_dng_meta(path).meta
            same = next((k for k in kinds if not unlike(k[0], meta)), None)
            if same is None:
                kinds.append([meta])
            else:
                same.append(meta)
    return max(kinds, key=len)[0] if kinds else None


def _against(
    first: tuple[Frame, Pyramid, BurstAssessment], frame: Frame, half: NDArray[np.float32], one: BurstAssessment
) -> None:
    reference, planes, known = first
    ratio = known.level / max(one.level, 1e-9)  # where no settings are known; else what they say
    if frame.meta.exposure_s and frame.meta.iso and reference.meta.exposure_s and reference.meta.iso:
        ratio = reference.exposure / frame.exposure
    exposed_alike = 1 / ALIKE < ratio < ALIKE
    if exposed_alike and _differ(known, one):
        one.why = Rejection(RejectionKind.OTHER_SCENE, tr("shows another scene or was moved too far"))
        return
    motion = find_motion(planes, pyramid(half * np.float32(ratio), noise_floor(reference)))
    if motion is None:
        return
    if motion.share < LEAST_SHARE and exposed_alike and motion.blocks > 24:
        one.why = Rejection(RejectionKind.OTHER_SCENE, tr("shows another scene or was moved too far"))
        return
    one.shift_px, one.turn_deg = 2 * math.hypot(*motion.shift), math.degrees(motion.turn)


def _differ(known: BurstAssessment, one: BurstAssessment) -> bool:
    a, b = known.structure, one.structure
    if a is None or b is None or min(a.std(), b.std()) < LEAST_STRUCTURE:
        return False
    return likeness(a, b) < SAME_SCENE


def _sharpness(found: list[BurstAssessment]) -> None:
    """Sharpness of frames of one exposure against the sharpest of them, and directions of blur."""
    some = [f for f in found if f.slopes is not None and not f.why]
    if len(some) < 2:
        return
    usual = float(np.median([f.exposure for f in some]))
    alike = [f for f in some if usual / ALIKE < f.exposure < usual * ALIKE]
    if len(alike) < 2:
        return
    best = max(alike, key=lambda f: float(np.trace(f.slopes)))  # type: ignore[arg-type]
    assert best.slopes is not None
    values, vectors = np.linalg.eigh(best.slopes)
    whiten = vectors @ np.diag(1 / np.sqrt(np.maximum(values, 1e-12))) @ vectors.T
    for f in alike:
        assert f.slopes is not None
        against, directions = np.linalg.eigh(whiten @ f.slopes @ whiten)
        f.sharp = min(math.sqrt(max(float(against[0]), 0.0)), 1.0)  # in the direction that lost most
        if f is not best and math.sqrt(max(against[0], 0) / max(against[1], 1e-12)) < ALONG:
            x, y = directions[:, 0]
            f.blur = math.degrees(math.atan2(-y, x)) % 180
        if f.sharp < BLURRED:
            along = "" if f.blur is None else tr(", along {blur}°", blur=round(f.blur) % 180)
            text = tr(
                "blurred: {sharp:.0f} % of the sharpness of {stem}{along}",
                sharp=100 * f.sharp,
                stem=best.path.stem,
                along=along,
            )
            f.why = Rejection(RejectionKind.BLURRED, text)
