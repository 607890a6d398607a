"""Where a shot's sidecar lies: beside its file, or in a folder of the user's where that cannot be written."""

from __future__ import annotations

import errno
import hashlib
import os
from pathlib import Path

import platformdirs

from bruto.errors import BrutoError
from bruto.storage.safe_read import content_key, open_regular

SUFFIX = ".bruto.json"


def sidecar_path(original: str | Path) -> Path:
    """Where the sidecar of a file lies when its folder can be written."""
    original = Path(original)
    return original.with_name(original.name + SUFFIX)


def _spare(original: Path) -> Path:
    """Where it lies otherwise; raises `BrutoError` or `OSError` where the original cannot be read."""
    return _spare_folder() / (content_key(original) + SUFFIX)


def _spare_before(original: Path) -> Path:
    """Where earlier versions put it."""
    digest = hashlib.sha256()
    with open_regular(original) as stream:
        digest.update(stream.read(1 << 20))
        digest.update(str(stream.seek(0, os.SEEK_END)).encode())
    return _spare_folder() / (digest.hexdigest()[:32] + SUFFIX)


def _spare_folder() -> Path:
    return Path(platformdirs.user_data_dir("bruto")) / "sidecars"


def _is_there(path: Path) -> bool:
    """Whether anything has this name. A name that is too long cannot be there; raises `OSError` otherwise."""
    try:
        os.lstat(path)
        return True
    except (FileNotFoundError, NotADirectoryError):
        return False
    except OSError as error:
        if error.errno == errno.ENAMETOOLONG:
            return False
        raise


def _places(original: Path) -> list[Path]:
    """Sidecars that exist, the one beside the file first. Raises `OSError` where that cannot be known."""
    found = [p for p in (sidecar_path(original),) if _is_there(p)]
    try:
        with os.scandir(_spare_folder()) as stored:
            spares = (_spare, _spare_before) if any(True for _ in stored) else ()  # else the original need not be read
        found += [place for spare in spares if _is_there(place := spare(original))]
    except (OSError, BrutoError):
        pass  # an original that cannot be read has no spare place
    return found
