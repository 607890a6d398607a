"""A folder of files as a shoot: raws paired with the phone's pictures, and sets of shots that belong together."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bruto.container.dng_reader import is_raw, read_dng_meta
from bruto.container.picture import PICTURE_KINDS, decode_jpeg, is_picture, picture_meta, read_picture
from bruto.container.rawframe import RawMeta
from bruto.develop.engine import orient
from bruto.errors import BrutoError, FileProblem
from bruto.files import explain

BURST_GAP_S = 3.0
"""Longest pause between frames of one set, seconds."""


@dataclass(frozen=True)
class Shot:
    """One press of the shutter: `raw` and / or `picture`; `meta` of the raw; `problem` where a file cannot be read."""

    name: str
    raw: Path | None
    picture: Path | None
    meta: RawMeta | None = None
    problem: str = ""
    preview: bytes | None = field(default=None, repr=False)

    @property
    def main(self) -> Path:
        """The file that is developed."""
        path = self.raw or self.picture
        assert path is not None
        return path

    @property
    def taken(self) -> datetime | None:
        if self.meta is None or not self.meta.taken:
            return None
        try:
            return datetime.strptime(self.meta.taken[:19], "%Y:%m:%d %H:%M:%S")
        except ValueError:
            return None


@dataclass(frozen=True)
class ShotSet:
    """Shots that belong together: `kind` is "single", "burst" or "bracket"."""

    kind: str
    shots: tuple[Shot, ...]

    @property
    def title(self) -> str:
        first = self.shots[0]
        return (
            first.meta.description
            if first.meta
            and first.meta.description
            and not first.meta.description.startswith(("mean of", "median of", "bracket of"))
            else ""
        ) or first.name


def read_shot(raw: Path | None, picture: Path | None) -> Shot:
    """A shot from its files; problems are noted, not raised, so that one broken file never hides the others."""
    name = (raw or picture).stem  # type: ignore[union-attr]
    if raw is not None:
        try:
            frame = read_dng_meta(raw)
            return Shot(name, raw, picture, frame.meta, preview=frame.preview)
        except BrutoError as error:
            return Shot(name, raw, picture, problem=str(error))
    try:
        found = read_picture(picture)  # type: ignore[arg-type]
    except BrutoError as error:
        return Shot(name, None, picture, problem=str(error))
    return Shot(name, None, picture, picture_meta(found))


def oriented_preview(shot: Shot) -> NDArray[np.uint8]:
    """The preview embedded in a shot's raw, oriented, (h, w, 3) uint8. Raises `BrutoError` where there is none.

    The raw's orientation holds for its preview too (TIFF 6.0, Orientation), unless its shape shows it was turned
    already.
    """
    if shot.preview is None or shot.meta is None:
        raise BrutoError(f"{shot.name} has no preview inside.")
    picture = decode_jpeg(shot.preview)
    w, h = shot.meta.default_crop[2:]
    return orient(picture, shot.meta.orientation) if (picture.shape[1] > picture.shape[0]) == (w > h) else picture


def open_shoot(paths: list[str | Path]) -> list[Shot]:
    """Shots of folders and files, in order of time; a raw and a picture of one stem are one shot. Raises
    `FileProblem`.
    """
    raws: dict[tuple[Path, str], Path] = {}
    pictures: dict[tuple[Path, str], Path] = {}
    for given in paths:
        path = Path(given)
        try:
            found = sorted(path.iterdir()) if path.is_dir() else [path]
            if not path.exists():
                raise FileProblem(f"{path} does not exist; check the name.")
        except OSError as error:
            raise explain(error, path, "open") from error
        for file in found:
            if file.name.startswith("."):
                continue
            key = (file.parent, file.stem.lower())
            if is_raw(file):
                raws[key] = file
            elif is_picture(file):
                pictures.setdefault(key, file)
            elif not path.is_dir():
                raise FileProblem(f"{file} is neither a DNG nor a picture that can be opened ({PICTURE_KINDS}).")
    shots = [read_shot(raws.get(key), pictures.get(key)) for key in sorted(set(raws) | set(pictures))]
    return sorted(shots, key=lambda s: (s.taken or datetime.max, s.name))


def find_sets(shots: list[Shot]) -> list[ShotSet]:
    """Neighbours in time with like settings: equal exposure is a burst, stepped exposure a bracket."""
    groups: list[list[Shot]] = []
    for shot in shots:
        last = groups[-1][-1] if groups else None
        if last is not None and _together(last, shot):
            groups[-1].append(shot)
        else:
            groups.append([shot])
    result = []
    for group in groups:
        if len(group) < 2:
            result.append(ShotSet("single", tuple(group)))
            continue
        times = {round((s.meta.exposure_s or 0) * (s.meta.iso or 0), 6) for s in group if s.meta}
        if len(times) == 1:
            result.append(ShotSet("burst", tuple(group)))
        elif len(times) == len(group):
            result.append(ShotSet("bracket", tuple(group)))
        else:
            result += [ShotSet("single", (s,)) for s in group]
    return result


def _together(a: Shot, b: Shot) -> bool:
    if a.raw is None or b.raw is None or a.meta is None or b.meta is None or a.taken is None or b.taken is None:
        return False
    same = (a.meta.model, a.meta.kind, a.meta.width, a.meta.focal_mm) == (
        b.meta.model,
        b.meta.kind,
        b.meta.width,
        b.meta.focal_mm,
    )
    pause = (b.taken - a.taken).total_seconds() - (a.meta.exposure_s or 0)
    return (
        same
        and (b.taken - a.taken).total_seconds() >= 0
        and pause <= BURST_GAP_S
        and a.meta.software == b.meta.software
    )
