"""What was traced of a scene, kept in the user's cache: rays through a million faces take seconds, a file does not."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs
from numpy.typing import NDArray

from bruto.errors import BrutoError
from bruto.simphone.optics import TRACE_VERSION
from bruto.storage.atomic_write import own_file


def traced(
    name: str,
    view: str,
    kinds: Sequence[str],
    make: Callable[[], tuple[NDArray[Any], ...]],
) -> tuple[NDArray[Any], ...]:
    """Return arrays of a scene, traced once and kept until scenes, their baked light or the tracer change.

    Parameters
    ----------
    name
        Identifier of the scene.
    view
        What else they depend on, as part of a file name: size, angle, light.
    kinds
        A word for each array.
    make
        Traces them.

    Returns
    -------
    tuple[NDArray, ...]
        The arrays, those from the cache mapped for reading only.
    """
    source = files("bruto.simphone") / f"data/{name}.light"
    baked = hashlib.sha256(source.read_bytes()).hexdigest()[:12] if source.is_file() else "unbaked"
    folder = Path(platformdirs.user_cache_dir("bruto")) / "scenes"
    paths = [folder / f"{name}-{view}-v{TRACE_VERSION}-{baked}-{kind}.npy" for kind in kinds]
    if all(p.is_file() for p in paths):
        try:
            return tuple(np.load(p, mmap_mode="r") for p in paths)
        except (OSError, ValueError):
            pass  # a damaged cache entry is simply made again
    found = make()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for path, data in zip(paths, found, strict=True):
            with own_file(path, durable=False) as temporary, temporary.open("wb") as stream:
                np.save(stream, data)
    except (OSError, BrutoError):
        pass  # the cache is a convenience; a full disk must not stop the shot
    return found
