"""What a DNG holds beside its raw image and its main tags: profiles, masks, place, and a list of its pictures."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import imagecodecs
import numpy as np

from bruto.catalog import tr
from bruto.container.capture_facts import text_of
from bruto.container.profile import (
    CALIBRATION,
    COLOR,
    FORWARD,
    HUE_SAT_DATA,
    ILLUMINANT,
    CameraProfile,
    parse_embedded_profile,
    parse_profile,
)
from bruto.container.raw_frame import GpsPlace, SemanticMask
from bruto.container.segments import COMPRESSIONS
from bruto.errors import BrutoError

EXTRA_PROFILES, CAMERA_SIGNATURE, SEMANTIC_NAME = 50933, 50931, 52526
MASK = 52527
"""PhotometricInterpretation of a semantic mask (DNG 1.6)."""
_PROFILE_TAGS = (
    *COLOR, *ILLUMINANT, *CALIBRATION, *FORWARD, *HUE_SAT_DATA,
    50932, 50936, 50937, 50940, 50942, 50981, 50982, 51107, 51108, 51109,
)  # fmt: skip
_GAIN_TABLES = (52525, 52544)
MAX_PROFILE_FILE = 64 << 20
"""Bytes looked at for an embedded profile."""
MAX_MASK_PIXELS = 100_000_000


def camera_signature(first: Any) -> str:
    """Return the CameraCalibrationSignature of a file.

    Parameters
    ----------
    first
        The first of them.

    Returns
    -------
    str
        CameraCalibrationSignature of a file.
    """
    entry = first.tags.get(CAMERA_SIGNATURE)
    value = "" if entry is None else entry.value
    if isinstance(value, (bytes, tuple, list)):
        value = bytes(value).split(b"\0")[0].decode("utf-8", "replace")
    return str(value)


def profiles_of(
    tif: Any, first: Any, raw: Any, rational: Callable[[Any, int], Any], warnings: list[str]
) -> tuple[CameraProfile, ...]:
    """Return the file's own profile and those embedded beside it.

    A damaged one is left out with a warning.

    Parameters
    ----------
    tif
        Open TIFF structure.
    first
        The first of them.
    raw
        The raw's directory in the file.
    rational
        Reads a rational tag.
    warnings
        List that warnings are added to.

    Returns
    -------
    tuple[CameraProfile, ...]
        The file's own profile and those embedded beside it.
    """
    signature, order = camera_signature(first), tif.byteorder
    tags: dict[int, Any] = {}
    for tag in _PROFILE_TAGS:
        page = raw if tag in raw.tags else first
        entry = page.tags.get(tag)
        if entry is not None:
            text = isinstance(entry.value, (str, bytes))
            tags[tag] = (
                (entry.value.encode() if isinstance(entry.value, str) else entry.value) if text else rational(page, tag)
            )
    for tag in _GAIN_TABLES:
        for page in (raw, first):
            entry = page.tags.get(tag)
            if entry is not None:
                tags.setdefault(tag, bytes(entry.value) if not isinstance(entry.value, bytes) else entry.value)
    found = []
    try:
        found.append(parse_profile(tags, order, "file", signature))
    except (BrutoError, ValueError, TypeError) as error:
        warnings.append(tr("The file's own look is not used: {why}", why=_why(error)))
    entry = first.tags.get(EXTRA_PROFILES)
    if entry is None:
        return tuple(found)
    tif.filehandle.seek(0)
    data = tif.filehandle.read(MAX_PROFILE_FILE)
    for offset in np.atleast_1d(np.asarray(entry.value, np.int64))[:32]:
        try:
            found.append(parse_embedded_profile(data, int(offset), signature))
        except (BrutoError, ValueError, TypeError) as error:
            warnings.append(tr("An embedded profile is not used: {why}", why=_why(error)))
    return tuple(found)


def _why(error: Exception) -> str:
    return str(error) if isinstance(error, BrutoError) else tr("it is damaged.")


def masks_of(tif: Any, pages: list[Any], size: int, pixels: bool, warnings: list[str]) -> tuple[SemanticMask, ...]:
    """Return the semantic masks; their pixels only when asked for.

    Parameters
    ----------
    tif
        Open TIFF structure.
    pages
        Directories of the file.
    size
        Bytes, or pixels along a side.
    pixels
        Whether to decode the pixels too.
    warnings
        List that warnings are added to.

    Returns
    -------
    tuple[SemanticMask, ...]
        Semantic masks.
    """
    found = []
    for page in pages:
        if int(page.photometric) != MASK:
            continue
        entry = page.tags.get(SEMANTIC_NAME)
        name = text_of(entry.value if entry is not None else "")[:100] or "unnamed"
        w, h = int(page.imagewidth), int(page.imagelength)
        data = None
        if pixels and 0 < w * h <= MAX_MASK_PIXELS:
            try:
                data = _mask_pixels(tif, page, size, w, h)
            except Exception:  # a mask is a convenience: the picture does not need it
                warnings.append(tr("The mask '{name}' cannot be decoded and is not used.", name=name))
        found.append(SemanticMask(name, w, h, data))
    return tuple(found)


def _mask_pixels(tif: Any, page: Any, size: int, width: int, height: int) -> np.ndarray:
    tile = page.tags.get(322)
    tw = min(int(tile.value), 65500) if tile is not None else width
    if tw < 1:
        raise ValueError("tiles without width")
    rows = page.tags.get(323) or page.tags.get(278)
    th = min(int(rows.value), 65500) if rows is not None else height
    across = -(-width // tw)
    out = np.zeros((height, width), np.uint8)
    for k, (offset, count) in enumerate(zip(page.dataoffsets, page.databytecounts, strict=True)):
        if offset + count > size:
            raise ValueError("the file ends early")
        tif.filehandle.seek(offset)
        blob = tif.filehandle.read(count)
        y, x = (k // across) * th, (k % across) * tw
        compression = int(page.compression)
        if compression == 1:
            part = np.frombuffer(blob, np.uint8).reshape(-1, tw)
        elif compression == 52546:
            part = imagecodecs.jpegxl_decode(blob)
        else:
            part = imagecodecs.jpeg8_decode(blob)
        part = part[..., 0] if part.ndim == 3 else part
        h, w = min(part.shape[0], height - y), min(part.shape[1], width - x)
        if h > 0 and w > 0 and part.dtype == np.uint8:
            out[y : y + h, x : x + w] = part[:h, :w]
    return out


def place_of(first: Any) -> GpsPlace | None:
    """Return the latitude and longitude of the GPS directory (Exif 3.0, tag 34853), or None.

    Parameters
    ----------
    first
        The first of them.

    Returns
    -------
    GpsPlace | None
        Latitude and longitude of the GPS directory (Exif 3.0, tag 34853), or None.
    """
    entry = first.tags.get(34853)
    gps = entry.value if entry is not None and isinstance(entry.value, dict) else {}

    def degrees(name: str, negative: str) -> float | None:
        value = gps.get(name)
        if value is None:
            return None
        pairs = np.asarray(value, float).ravel()
        if len(pairs) != 6 or (pairs[1::2] == 0).any():
            return None
        d, m, s = pairs[0::2] / pairs[1::2]
        sign = -1 if str(gps.get(f"{name}Ref", "")).upper().startswith(negative) else 1
        return float(sign * (d + m / 60 + s / 3600))

    latitude, longitude = degrees("GPSLatitude", "S"), degrees("GPSLongitude", "W")
    if latitude is None or longitude is None or abs(latitude) > 90 or abs(longitude) > 180:
        return None
    altitude = None
    height = np.asarray(gps.get("GPSAltitude", ()), float).ravel()
    if len(height) == 2 and height[1]:
        altitude = float(height[0] / height[1]) * (-1 if gps.get("GPSAltitudeRef") in (1, b"\1") else 1)
    return GpsPlace(latitude, longitude, altitude)


def pictures_of(pages: list[Any], raw: Any) -> tuple[tuple[int, int, str], ...]:
    """Return the width, height and storage of every picture in the file but the raw and the masks.

    Parameters
    ----------
    pages
        Directories of the file.
    raw
        The raw's directory in the file.

    Returns
    -------
    tuple[tuple[int, int, str], ...]
        Width, height and storage of every picture in the file but the raw and the masks.
    """
    return tuple(
        (int(p.imagewidth), int(p.imagelength), COMPRESSIONS.get(int(p.compression), f"method {int(p.compression)}"))
        for p in pages
        if p is not raw and int(p.photometric) != MASK
    )
