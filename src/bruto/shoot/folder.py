"""A folder as a shoot: its shots, and what the user said of it: pairs corrected, what was asked of the phone."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import platformdirs

from bruto.errors import BrutoError
from bruto.files import write_bytes
from bruto.shoot.pairing import list_files, pair
from bruto.shoot.shots import Shot

RECORD = ".bruto-shoot.json"


@dataclass(frozen=True)
class Asked:
    """What the user meant to get from the phone; None = as most of the shoot. `megapixels` rounded; `kind`: "mosaic" or
    "linear"; `focal_35mm`: of the lens; `raw`: whether raws were wanted.
    """

    megapixels: int | None = None
    kind: str | None = None
    focal_35mm: float | None = None
    raw: bool | None = None


@dataclass
class Record:
    """`pairs`: picture's file name (None: none) for a raw's, by hand; `asked`: what was meant to be got."""

    pairs: dict[str, str | None] = field(default_factory=dict)
    asked: Asked = field(default_factory=Asked)


def _spare(folder: Path) -> Path:
    path = str(folder.resolve())
    name = f"{folder.resolve().name}-{hashlib.sha256(path.encode()).hexdigest()[:10]}.json"
    return Path(platformdirs.user_data_dir("bruto")) / "shoots" / name


def load_record(folder: Path) -> Record:
    """The record of a folder; a fresh one where there is none or it is damaged."""
    for place in (folder / RECORD, _spare(folder)):
        try:
            data = json.loads(place.read_text("utf-8"))
            pairs = {str(k): None if v is None else str(v) for k, v in data.get("pairs", {}).items()}
            return Record(pairs, Asked(**data.get("asked", {})))
        except (OSError, ValueError, TypeError, AttributeError):
            continue
    return Record()


def save_record(folder: Path, record: Record) -> Path:
    """Keep the record in the folder, or in the user's data where the folder cannot be written. Raises `FileProblem`."""
    body = json.dumps(asdict(record), indent=1).encode() + b"\n"
    try:
        write_bytes(folder / RECORD, body)
        return folder / RECORD
    except BrutoError:
        spare = _spare(folder)
        spare.parent.mkdir(parents=True, exist_ok=True)
        write_bytes(spare, body)
        return spare


def open_shoot(paths: list[str | Path], record: Record | None = None) -> list[Shot]:
    """Shots of folders and files, in order of time. Raises `FileProblem`."""
    first = Path(paths[0]) if paths else Path()
    if record is None:
        record = load_record(first if first.is_dir() else first.parent)
    return pair(list_files(paths), record.pairs)


def pair_by_hand(record: Record, raw: Path, picture: Path | None) -> Record:
    """The record after the user paired a raw with a picture, or set it apart."""
    pairs = {k: v for k, v in record.pairs.items() if picture is None or v != picture.name}
    pairs[raw.name] = picture.name if picture else None
    return replace(record, pairs=pairs)


def pictures_for(shots: list[Shot], raw: Shot) -> list[Path]:
    """Pictures that a raw could be paired with, nearest in time first."""

    def distance(s: Shot) -> Any:
        return abs((s.taken - raw.taken).total_seconds()) if s.taken and raw.taken else 1e12

    free = [s for s in shots if s.raw is None and s.picture is not None]
    return [s.picture for s in sorted(free, key=distance) if s.picture is not None]
