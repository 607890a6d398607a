"""The wastebasket of the desktop (freedesktop.org trash specification): files are moved there, never deleted."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QFile, QStandardPaths


def moved_out(files: Iterable[Path]) -> list[Path]:
    """Move files to the wastebasket; returns those that could not be moved, and stay as they are."""
    place = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.GenericDataLocation)
    with suppress(OSError):  # a new user has none yet, and without it nothing can be moved
        Path(place).mkdir(parents=True, exist_ok=True)
    return [f for f in files if not QFile.moveToTrash(str(f))]
