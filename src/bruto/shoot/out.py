"""The files of a shot, for what is done with all of them together."""

from __future__ import annotations

from pathlib import Path

from bruto.shoot.shots import Shot
from bruto.shoot.sidecar import existing_sidecar
from bruto.shoot.xmp import xmp_path


def files_of(shot: Shot) -> list[Path]:
    """Raw, picture, clip and copies of a shot, and what is kept beside them, as far as they are there."""
    beside = [p for original in shot.files for p in (existing_sidecar(original), xmp_path(original)) if p is not None]
    return [p for p in dict.fromkeys([*shot.files, *beside]) if p.is_file()]
