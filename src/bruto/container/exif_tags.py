"""The tags that tell of a capture, read in one place for every kind of file: TIFF 6.0, Exif 3.0 (section 4.6)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from bruto.container.capture_facts import (
    EXPOSURE_S,
    F_NUMBER,
    FOCAL_35MM,
    FOCAL_MM,
    ISO,
    believed,
    text_of,
)
from bruto.container.merge_record import TAG as MERGED_TAG
from bruto.container.merge_record import merged_of

EXIF_IFD, GPS_IFD = 34665, 34853
ORIENTATION, DESCRIPTION, MAKE, MODEL, SOFTWARE, MODIFIED = 274, 270, 271, 272, 305, 306
ISO_SPEED, EXPOSURE_TIME, F_STOP, FOCAL_LENGTH, FOCAL_35MM_FILM = 34855, 33434, 33437, 37386, 41989
TAKEN, ZOOM_RATIO, FRACTION = 36867, 41988, 37521
Lookup = Callable[[int], Any]
"""Finds the value of a tag, None where there is none."""


def captured(first: Lookup, exif: Lookup) -> dict[str, Any]:
    """Read the facts of a capture, by the names of `CaptureFacts`; what cannot be real is not known.

    Parameters
    ----------
    first
        Finds tags of the first directory (IFD 0).
    exif
        Finds tags of the Exif directory; numbers may come as lists of one.

    Returns
    -------
    dict[str, Any]
        ISO speed, exposure time in seconds, f-number, focal lengths in mm, time and texts.
    """

    def number(tag: int, bounds: tuple[float, float]) -> float | None:
        value = exif(tag)
        if isinstance(value, bytes):
            return None
        if hasattr(value, "__len__") and not isinstance(value, str):
            value = value[0] if len(value) else None
        return believed(value, bounds)

    software, description = text_of(first(SOFTWARE)), text_of(first(DESCRIPTION))
    return {
        "iso": number(ISO_SPEED, ISO),
        "exposure_s": number(EXPOSURE_TIME, EXPOSURE_S),
        "f_number": number(F_STOP, F_NUMBER),
        "focal_mm": number(FOCAL_LENGTH, FOCAL_MM),
        "focal_35mm": number(FOCAL_35MM_FILM, FOCAL_35MM),
        "taken": text_of(exif(TAKEN)) or text_of(first(MODIFIED)),
        "make": text_of(first(MAKE)),
        "model": text_of(first(MODEL)),
        "software": software,
        "description": description,
        "merged": merged_of(first(MERGED_TAG), software, description),
    }
