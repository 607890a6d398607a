"""The files of a shot, for what is done with all of them together."""

from __future__ import annotations

from pathlib import Path

from bruto.shoot.shots import Shot
from bruto.shoot.sidecar import existing_sidecar
from bruto.shoot.xmp import xmp_path


def files_of(shot: Shot) -> list[Path]:
    """Return the raw, picture, clip and copies of a shot, and what is kept beside them, as far as they are there.

    An XMP goes by the stem: where another file of that stem is no part of the shot, it is that one's, too, and not
    among them.

    Parameters
    ----------
    shot
        The shot concerned.

    Returns
    -------
    list[Path]
        Raw, picture, clip and copies of a shot, and what is kept beside them, as far as they are there.
    """
    beside = [p for original in shot.files for p in (existing_sidecar(original), _own_xmp(original, shot)) if p]
    return [p for p in dict.fromkeys([*shot.files, *beside]) if p.is_file()]


def _own_xmp(original: Path, shot: Shot) -> Path | None:
    xmp = xmp_path(original)
    if not xmp.is_file():
        return None
    own = {p.name for p in shot.files} | {xmp.name} | {f"{p.name}.bruto.json" for p in shot.files}
    namesakes = (p.name for p in original.parent.iterdir() if p.name.startswith(f"{original.stem}."))
    return None if set(namesakes) - own else xmp
