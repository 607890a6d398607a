"""A folder as a shoot: its shots, and the user's own record of it: pairs corrected, what was asked of the phone."""

from __future__ import annotations

import errno
import hashlib
import os
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Annotated, Any

import platformdirs
from pydantic import Field

from bruto.catalog import tr
from bruto.errors import BrutoError, FileProblem
from bruto.shoot.pairing import list_files, pair
from bruto.shoot.shots import Shot
from bruto.storage.atomic_write import own_folder, write_new, write_own
from bruto.storage.documents import readable
from bruto.storage.file_names import free_names, why_not_regular
from bruto.storage.json_files import Damaged, json_bytes, read_json

RECORD = ".bruto-shoot.json"
LARGEST_RECORD = 8 << 20
"""Bytes of a record at most."""


@dataclass(frozen=True)
class Intent:
    """What the user meant to get from the phone; None = as most of the shoot.

    `megapixels` rounded.
    """

    megapixels: Annotated[int, Field(gt=0, lt=1000)] | None = None
    kind: Annotated[str, Field(pattern="^(mosaic|linear)$")] | None = None
    """"mosaic" or "linear"."""
    focal_35mm: Annotated[float, Field(gt=0, lt=20000)] | None = None
    """Of the lens."""
    raw: Annotated[bool, Field(strict=True)] | None = None
    """Whether raws were wanted."""


@dataclass
class ShootRecord:
    """What a shoot keeps beside its shots."""

    pairs: dict[str, str | None] = field(default_factory=dict)
    """Picture's file name (None: none) for a raw's, by hand."""
    intent: Intent = field(default_factory=Intent)
    """What was meant to be got."""
    revision: Annotated[int, Field(strict=True, ge=0, lt=1 << 52)] = 0


def _spare(folder: Path) -> Path:
    path = os.path.realpath(folder)  # never fails, also where links lead round in a circle
    name = f"{Path(path).name[:100]}-{hashlib.sha256(os.fsencode(path)).hexdigest()[:10]}.json"
    return Path(platformdirs.user_data_dir("bruto")) / "shoots" / name


def _record(place: Path) -> ShootRecord:
    """Return a stored record, as far as it can be used; raises `FileProblem`."""
    data = read_json(place, LARGEST_RECORD)
    intent = data.get("intent", data.get("asked"))  # "asked": as version 0.1 wrote it
    data["intent"] = readable(Intent, intent)[0] if isinstance(intent, dict) else Intent()
    return readable(ShootRecord, data)[0]


def load_record(folder: Path) -> ShootRecord:
    """Read the record of a folder, of the highest revision; a fresh one where there is none or it is damaged.

    Parameters
    ----------
    folder
        Folder concerned.

    Returns
    -------
    ShootRecord
        The record of a folder, of the highest revision.
    """
    found = []
    for place in (folder / RECORD, _spare(folder)):
        try:
            found.append(_record(place))
        except BrutoError:
            continue
    return max(found, key=lambda r: r.revision, default=ShootRecord())


def save_record(folder: Path, record: ShootRecord) -> Path:
    """Keep the record in the folder, or in the user's data where the folder is read-only and holds none.

    A damaged one is put aside.

    Parameters
    ----------
    folder
        Folder concerned.
    record
        Record of the shoot.

    Returns
    -------
    Path
        Path of the file.

    Raises
    ------
    FileProblem
        Where it could not be kept.
    """
    there = load_record(folder).revision
    record.revision = max(record.revision, there) + 1
    body = json_bytes(asdict(record))
    place = folder / RECORD
    try:
        special = why_not_regular(place)
        if special:
            raise FileProblem(tr("Not saved: {place} cannot be written to: {special}.", place=place, special=special))
        try:
            _record(place)
        except Damaged:
            aside = free_names(folder, lambda n: [f"{RECORD}.damaged-{n}"])[0]
            write_new(aside, place.read_bytes()[:LARGEST_RECORD])
        except FileProblem:
            if os.path.lexists(place):  # it cannot be read now: nothing may take its place
                raise
        write_own(place, body)
        return place
    except FileProblem as error:
        cause = error.__cause__
        read_only = isinstance(cause, OSError) and cause.errno in (errno.EACCES, errno.EPERM, errno.EROFS)
        if not read_only or os.path.lexists(place):
            raise
        spare = _spare(folder)
        own_folder(spare.parent)
        write_own(spare, body)
        return spare


def open_shoot(paths: list[str | Path], record: ShootRecord | None = None) -> list[Shot]:
    """Return the shots of folders and files, in order of time.

    Parameters
    ----------
    paths
        Files in order.
    record
        Record of the shoot.

    Returns
    -------
    list[Shot]
        Shots of folders and files, in order of time.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    first = Path(paths[0]) if paths else Path()
    if record is None:
        record = load_record(first if first.is_dir() else first.parent)
    return pair(list_files(paths), record.pairs)


def pair_by_hand(record: ShootRecord, raw: Path, picture: Path | None) -> ShootRecord:
    """Return the record after the user paired a raw with a picture, or set it apart.

    Parameters
    ----------
    record
        Record of the shoot.
    raw
        The raw file.
    picture
        The finished picture.

    Returns
    -------
    ShootRecord
        The record after the user paired a raw with a picture, or set it apart.
    """
    pairs = {k: v for k, v in record.pairs.items() if picture is None or v != picture.name}
    pairs[raw.name] = picture.name if picture else None
    return replace(record, pairs=pairs)


def pictures_for(shots: list[Shot], raw: Shot) -> list[Path]:
    """Return the pictures that a raw could be paired with, nearest in time first.

    Parameters
    ----------
    shots
        The shots concerned.
    raw
        The shot of the raw.

    Returns
    -------
    list[Path]
        Pictures that a raw could be paired with, nearest in time first.
    """

    def distance(s: Shot) -> Any:
        return abs((s.taken - raw.taken).total_seconds()) if s.taken and raw.taken else 1e12

    free = [s for s in shots if s.raw is None and s.picture is not None]
    return [s.picture for s in sorted(free, key=distance) if s.picture is not None]
