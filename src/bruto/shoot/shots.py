"""Shots and sets: what belongs to one press of the shutter, and which presses belong together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.dng_reader import read_dng_meta
from bruto.container.orientation import orient
from bruto.container.picture import decode_jpeg, picture_meta, read_picture_facts, small_picture
from bruto.container.quick_metadata import QuickMetadata, preview_bytes, read_quick_metadata
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError


@dataclass(frozen=True)
class Shot:
    """One press of the shutter: `raw` and / or `picture`, a short `clip`; what was seen of each at a glance.

    `problem` where a file cannot be read.
    """

    name: str
    raw: Path | None
    picture: Path | None
    seen: QuickMetadata | None = None
    picture_seen: QuickMetadata | None = None
    problem: str = ""
    clip: Path | None = None
    paired_by: str = ""
    """How raw and picture were found to belong together ("stem", "numbers", "time", "likeness", "hand", "" for a
    single file).
    """
    doubles: tuple[Path, ...] = ()
    """Further copies of the same files."""
    edited: str = ""
    """What tells that the picture was changed after the capture."""

    @property
    def main(self) -> Path:
        """The file that is developed."""
        path = self.raw or self.picture
        assert path is not None
        return path

    @property
    def files(self) -> tuple[Path, ...]:
        """All files of the shot."""
        return tuple(p for p in (self.raw, self.picture, self.clip) if p is not None) + self.doubles

    @cached_property
    def taken(self) -> datetime | None:
        """When the exposure began, as the file says it."""
        return taken_at(self.seen) if self.seen else None

    @cached_property
    def meta(self) -> RawMeta | None:
        """Everything the main file says of itself, read when first asked for; None where it cannot be read."""
        if self.problem:
            return None
        try:
            return read_dng_meta(self.raw).meta if self.raw else picture_meta(read_picture_facts(self.main))
        except BrutoError:
            return None

    @property
    def preview(self) -> bytes | None:
        """The preview inside the raw, read anew each time: those of a whole folder would not fit."""
        if self.raw is None or self.seen is None:
            return None
        try:
            return preview_bytes(self.raw, self.seen)
        except BrutoError:
            return None

    @property
    def light(self) -> float:
        """Exposure time times ISO over the f-number squared; 0 where the file does not say."""
        s = self.seen
        return s.exposure_s * s.iso / (s.f_number or 1.0) ** 2 if s and s.exposure_s and s.iso else 0.0


@dataclass(frozen=True)
class ShotSet:
    """Shots that belong together: `kind` is "single", "burst", "bracket", "ladder" or "trail"."""

    kind: str
    shots: tuple[Shot, ...]
    tests: tuple[Shot, ...] = ()
    """Test shots that were made for it and are no part of it."""

    @property
    def title(self) -> str:
        """Name of the set: its first shot, and how many follow."""
        first = self.shots[0]
        text = first.seen.description if first.seen else ""
        return first.name if not text or (first.seen and first.seen.merged) else text


def taken_at(seen: QuickMetadata) -> datetime | None:
    """Return the time of capture with its fraction, or None.

    Parameters
    ----------
    seen
        Quick metadata of the file.

    Returns
    -------
    datetime | None
        The time of capture with its fraction, or None.
    """
    try:
        return datetime.strptime(seen.taken[:19], "%Y:%m:%d %H:%M:%S") + timedelta(seconds=seen.fraction)
    except ValueError:
        return None


def read_shot(
    raw: Path | None,
    picture: Path | None,
    clip: Path | None = None,
    paired_by: str = "",
    known: Mapping[Path, QuickMetadata] | None = None,
) -> Shot:
    """Read a shot from its files; problems are noted, not raised, so that one broken file never hides the others.

    Parameters
    ----------
    raw
        The raw file.
    picture
        The finished picture.
    clip
        Clip of the same moment.
    paired_by
        How raw and picture were paired.
    known
        Glances that were taken already.

    Returns
    -------
    Shot
        A shot from its files.
    """
    known = known or {}
    name = (raw or picture).stem  # type: ignore[union-attr]
    seen, picture_seen, problem = None, None, ""
    if raw is not None:
        try:
            seen = known.get(raw) or read_quick_metadata(raw)
        except BrutoError as error:
            problem = str(error)
    if picture is not None:
        try:
            picture_seen = known.get(picture) or read_quick_metadata(picture)
        except BrutoError as error:
            problem = problem or ("" if raw else str(error))
    return Shot(name, raw, picture, seen if raw else picture_seen, picture_seen, problem, clip, paired_by)


def oriented_preview(shot: Shot) -> NDArray[np.uint8]:
    """Compute the preview embedded in a shot's raw, oriented, (h, w, 3) uint8.

    The raw's orientation holds for its preview too (TIFF 6.0, Orientation), unless its shape shows it was turned
    already.

    Parameters
    ----------
    shot
        The shot concerned.

    Returns
    -------
    NDArray[np.uint8]
        The preview embedded in a shot's raw, oriented, (h, w, 3) uint8.

    Raises
    ------
    BrutoError
        Where there is none.
    """
    data = shot.preview
    if data is None or shot.seen is None:
        raise BrutoError(tr("{name} has no embedded preview.", name=shot.name))
    picture = decode_jpeg(data)
    w, h = shot.seen.size
    turned = (picture.shape[1] > picture.shape[0]) != (w > h)
    return picture if turned else orient(picture, shot.seen.orientation)


def small_view(shot: Shot, edge: int = 320) -> tuple[NDArray[np.uint8], str]:
    """Compute a small picture of a shot, (h, w, 3) uint8, oriented, and what it is.

    "preview" (inside the raw) or "picture" (the phone's).

    Parameters
    ----------
    shot
        The shot concerned.
    edge
        Long edge, pixels.

    Returns
    -------
    tuple[NDArray[np.uint8], str]
        A small picture of a shot, (h, w, 3) uint8, oriented, and what it is.

    Raises
    ------
    BrutoError
        Where there is neither.
    """
    import cv2

    data, seen = shot.preview, shot.seen
    if data is not None and seen is not None:
        picture = decode_jpeg(data, edge)
        w, h = seen.size
        if (picture.shape[1] > picture.shape[0]) == (w > h):
            picture = orient(picture, seen.orientation)
        kind = "preview"
    elif shot.picture is not None:
        picture, kind = small_picture(shot.picture, edge), "picture"
    else:
        raise BrutoError(tr("{name} has no embedded preview.", name=shot.name))
    scale = edge / max(picture.shape[:2])
    if scale < 1:
        picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(picture), kind


def edit_marks(raw: QuickMetadata | None, picture: QuickMetadata) -> str:
    """Say what tells that a picture was edited, filtered or styled after the capture; "" where nothing does.

    Parameters
    ----------
    raw
        The raw's directory in the file.
    picture
        The finished picture.

    Returns
    -------
    str
        What tells that a picture was edited, filtered or styled after the capture.
    """
    if picture.xmp_edited:
        return tr("its own metadata records editing")
    if picture.modified and picture.taken and picture.modified != picture.taken:
        return tr(
            "it was saved again at {modified} on {replace}",
            modified=picture.modified[11:16],
            replace=picture.modified[:10].replace(":", "-"),
        )
    if raw is not None and raw.software and picture.software and raw.software != picture.software:
        return tr("another program saved it last ({software})", software=picture.software)
    if raw is not None and raw.kind != "picture":
        a, b = sorted(raw.oriented_size), sorted(picture.oriented_size)
        if abs((a[0] / a[1]) / (b[0] / b[1]) - 1) > 0.02:
            return tr("its aspect ratio differs from the raw's: it was cropped")
    return ""
