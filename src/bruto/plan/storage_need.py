"""Storage and time that a sequence takes: on the phone, to save, and to copy."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError

KEEP_FREE = 0.05
"""Share of what is free that should be left free: phones slow down, or stop, on a full store."""
COPY_MB_S = 35.0
"""Megabytes a second that a phone gives over a cable, by experience: file transfer over USB 2 at most."""


@dataclass(frozen=True)
class StorageNeed:
    """`storage_mb` of `frames`; `free_mb`, None where it is not known; `fits`."""

    frames: int
    storage_mb: float
    free_mb: float | None
    fits: bool | None
    most: int | None
    """Frames that fit."""
    save_s: float | None
    """In which the phone saves them all."""
    copy_s: float
    """In which they are copied."""

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        return {
            "frames": self.frames, "storage_mb": round(self.storage_mb, 1),
            "free_mb": None if self.free_mb is None else round(self.free_mb, 1), "fits": self.fits,
            "frames_that_fit": self.most,
            "save_minutes": None if self.save_s is None else round(self.save_s / 60, 2),
            "copy_minutes": round(self.copy_s / 60, 2),
        }  # fmt: skip


def space(
    frames: int, mb_each: float, free_mb: float | None = None, save_s: float | None = None, copy_mb_s: float = COPY_MB_S
) -> StorageNeed:
    """Return the storage and time of frames of `mb_each` megabytes.

    Parameters
    ----------
    frames
        Number of frames.
    mb_each
        Size of a frame, megabytes.
    free_mb
        Free storage, megabytes.
    save_s
        Seconds that the phone needs for each.
    copy_mb_s
        Copying speed, megabytes per second.

    Returns
    -------
    StorageNeed
        Storage and time of frames of `mb_each` megabytes.

    Examples
    --------
    >>> space(240, 25.0, 8000.0).most
    304
    """
    for name, value in (
        (tr("The number of frames"), frames),
        (tr("The size of a file"), mb_each),
        (tr("The free storage"), free_mb),
    ):
        if value is not None and not (math.isfinite(value) and 0 <= value <= 1e9):
            raise BrutoError(tr("{name} cannot be negative ({value:g}).", name=name, value=value))
    if mb_each <= 0 or not copy_mb_s > 0:
        raise BrutoError(tr("The size of a file and the copying speed must be more than 0."))
    total = frames * mb_each
    most = None if free_mb is None else math.floor(free_mb * (1 - KEEP_FREE) / mb_each)
    return StorageNeed(
        frames, total, free_mb, None if most is None else frames <= most, most,
        None if save_s is None else frames * save_s, total / copy_mb_s,
    )  # fmt: skip
